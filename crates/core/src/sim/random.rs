//! Random streams: one per device, derived from the seed and the device's name.
//!
//! `ChaCha8` is the same on every platform and in every version; the normal variate is written here
//! on libm, since the usual crates call the platform's own exp and log.

use std::sync::OnceLock;

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};

use crate::units::hash::Fnv;
use crate::units::math;

/// A stream of normal variates.
#[derive(Clone, Debug)]
pub struct Noise {
    generator: ChaCha8Rng,
}

impl Noise {
    /// The stream of one device in one run.
    pub fn new(seed: u64, device: &str) -> Self {
        let mut generator = ChaCha8Rng::seed_from_u64(seed);
        generator.set_stream(Fnv::of(device.as_bytes()));
        Self { generator }
    }

    /// One draw from the standard normal distribution.
    ///
    /// Source: Marsaglia and Tsang, "The Ziggurat Method for Generating Random Variables", Journal
    /// of Statistical Software 5 (2000), with 128 layers; exact, the tail included.
    pub fn normal(&mut self) -> f64 {
        let ziggurat = ziggurat();
        loop {
            let bits = self.generator.next_u64();
            let layer = (bits & 127) as usize;
            // The upper 53 bits as a number in [-1, 1).
            let u = (bits >> 11) as f64 * (2.0 / 9_007_199_254_740_992.0) - 1.0;
            let x = u * ziggurat.x[layer];
            if x.abs() < ziggurat.x[layer + 1] {
                return x;
            }
            if layer == 0 {
                return self.tail().copysign(u);
            }
            let (low, high) = (ziggurat.f[layer], ziggurat.f[layer + 1]);
            if low + (high - low) * self.uniform() < math::exp(-0.5 * x * x) {
                return x;
            }
        }
    }

    /// 64 bits, each as likely as not.
    pub fn bits(&mut self) -> u64 {
        self.generator.next_u64()
    }

    /// A number in (0, 1].
    pub fn uniform(&mut self) -> f64 {
        ((self.generator.next_u64() >> 11) + 1) as f64 / 9_007_199_254_740_992.0
    }

    fn tail(&mut self) -> f64 {
        loop {
            let x = -math::ln(self.uniform()) / RIGHTMOST;
            let y = -math::ln(self.uniform());
            if 2.0 * y >= x * x {
                return RIGHTMOST + x;
            }
        }
    }
}

/// Where the tail begins, and the area of each layer, for 128 layers (from the paper).
const RIGHTMOST: f64 = 3.442_619_855_899;
const AREA: f64 = 9.912_563_035_262_17e-3;

struct Ziggurat {
    /// Right edges of the layers from the lowest up; the first is the width of a box with the
    /// tail's area.
    x: [f64; 129],
    /// The density (not normalised) at those edges.
    f: [f64; 129],
}

fn ziggurat() -> &'static Ziggurat {
    static TABLE: OnceLock<Ziggurat> = OnceLock::new();
    TABLE.get_or_init(|| {
        let density = |x: f64| math::exp(-0.5 * x * x);
        let mut x = [0.0; 129];
        x[0] = AREA / density(RIGHTMOST);
        x[1] = RIGHTMOST;
        for layer in 2..128 {
            let previous: f64 = x[layer - 1];
            x[layer] = (-2.0 * math::ln(AREA / previous + density(previous))).sqrt();
        }
        Ziggurat {
            x,
            f: x.map(density),
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_variates_have_the_moments_of_a_normal_distribution() {
        let mut noise = Noise::new(1, "test");
        let draws: Vec<f64> = (0..400_000).map(|_| noise.normal()).collect();
        let mean = |power: i32| {
            draws
                .iter()
                .map(|x| (0..power).fold(1.0, |p, _| p * x))
                .sum::<f64>()
                / draws.len() as f64
        };
        // Standard errors are 0.0016, 0.0022, 0.006 and 0.015: four of them is the margin.
        assert!(mean(1).abs() < 0.007, "{}", mean(1));
        assert!((mean(2) - 1.0).abs() < 0.009, "{}", mean(2));
        assert!(mean(3).abs() < 0.025, "{}", mean(3));
        assert!((mean(4) - 3.0).abs() < 0.062, "{}", mean(4));
        // P(|x| > 3.4426) = 5.76e-4: 230 of 400,000, standard error 15.
        let beyond = draws.iter().filter(|x| x.abs() > RIGHTMOST).count();
        assert!((170..290).contains(&beyond), "{beyond}");
    }

    #[test]
    fn streams_differ_by_device_and_seed_and_repeat() {
        let first = |seed, name| Noise::new(seed, name).normal();
        assert_eq!(first(7, "hue"), first(7, "hue"));
        assert_ne!(first(7, "hue"), first(8, "hue"));
        assert_ne!(first(7, "hue"), first(7, "gyro"));
    }
}
