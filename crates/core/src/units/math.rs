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

/// A heading as people say it: whole degrees in (-180, 180], left positive.
pub fn heading_in_degrees(angle: f64) -> f64 {
    let degrees = wrap(angle).to_degrees().round();
    // No minus before a zero.
    if degrees <= -180.0 {
        180.0
    } else {
        degrees + 0.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headings_are_said_from_minus_180_to_180_degrees() {
        let said = |degrees: f64| heading_in_degrees(degrees.to_radians());
        for (degrees, wanted) in [
            (0.0, 0.0),
            (-0.2, 0.0),
            (183.0, -177.0),
            (-183.0, 177.0),
            (180.0, 180.0),
            (-180.0, 180.0),
            (179.7, 180.0),
            (-179.7, 180.0),
            (360.0, 0.0),
            (810.0, 90.0),
        ] {
            assert_eq!(said(degrees), wanted, "{degrees}");
            assert!(said(degrees) != 0.0 || said(degrees).is_sign_positive());
        }
    }

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
