//! The only caller of `libm`: the platform's own functions differ between machines in the last
//! digit, and a trace hash must not.

pub use std::f64::consts::{FRAC_PI_2, PI, TAU};

/// Sine of an angle in radians.
pub fn sin(x: f64) -> f64 {
    libm::sin(x)
}

/// Cosine of an angle in radians.
pub fn cos(x: f64) -> f64 {
    libm::cos(x)
}

/// Angle of the vector (x, y) in (-pi, pi].
pub fn atan2(y: f64, x: f64) -> f64 {
    libm::atan2(y, x)
}

/// Natural exponential.
pub fn exp(x: f64) -> f64 {
    libm::exp(x)
}

/// Natural logarithm.
pub fn ln(x: f64) -> f64 {
    libm::log(x)
}

/// `base` to the power of `exponent`.
pub fn pow(base: f64, exponent: f64) -> f64 {
    libm::pow(base, exponent)
}

/// Length of the vector (x, y), without the guards against overflow that `hypot` pays for.
pub fn length(x: f64, y: f64) -> f64 {
    (x * x + y * y).sqrt()
}

/// The angle brought into (-pi, pi].
pub fn wrap(angle: f64) -> f64 {
    let turns = ((angle + PI) / TAU).floor();
    let wrapped = angle - turns * TAU;
    if wrapped <= -PI { PI } else { wrapped }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn wrapping_keeps_the_direction() {
        for angle in [-7.0, -PI, -0.1, 0.0, 3.0, PI, 4.0, 100.0] {
            let wrapped = wrap(angle);
            assert!(wrapped > -PI - 1e-12 && wrapped <= PI + 1e-12);
            assert!(
                (sin(angle) - sin(wrapped)).abs() < 1e-9
                    && (cos(angle) - cos(wrapped)).abs() < 1e-9
            );
        }
        assert_eq!(wrap(-PI), PI);
    }
}
