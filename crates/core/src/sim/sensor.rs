//! Floor sensors, encoders and gyro: from the true state of the world to what the robot gets to know.

use super::random::Noise;
use super::world::World;
use super::{Body, Plant, STEP};
use crate::controller::{Reading, Readings};
use crate::units::math::TAU;

/// The robot's senses during one run.
#[derive(Clone, Debug)]
pub struct Senses {
    noises: Vec<Noise>,
    readings: Vec<Reading>,
    gyro: Option<GyroState>,
    /// Heading or encoder angle at the start is zero.
    wheels: [f64; 2],
    /// Encoder ticks of a radian.
    ticks_per_rad: f64,
}

#[derive(Clone, Debug)]
struct GyroState {
    noise: Noise,
    sigma: f64,
    drift: f64,
    heading: f64,
}

impl Senses {
    /// Senses before the first step.
    pub fn new(world: &World, seed: u64, heading: f64) -> Self {
        let robot = &world.robot;
        let gyro = robot.gyro.as_ref().map(|gyro| {
            let mut noise = Noise::new(seed, "gyro");
            let drift = noise.normal() * gyro.drift;
            GyroState { noise, sigma: gyro.noise, drift, heading }
        });
        Self {
            noises: robot.sensors.iter().map(|sensor| Noise::new(seed, &sensor.name)).collect(),
            readings: vec![Reading::default(); robot.sensors.len()],
            gyro,
            wheels: [0.0; 2],
            ticks_per_rad: f64::from(robot.encoder_ticks) / TAU,
        }
    }

    /// Lets every sensor whose turn it is publish a new reading.
    pub fn sense(&mut self, world: &World, plant: &Plant, body: &Body, step: u64) {
        for (index, sensor) in world.robot.sensors.iter().enumerate() {
            if !step.is_multiple_of(u64::from(sensor.period_ms)) {
                continue;
            }
            let mat = &world.mats[index];
            let sample = mat.sample(plant.place(body, sensor.ahead, sensor.left));
            let noise = &mut self.noises[index];
            let mut read = |share: f64| {
                let noisy = share + noise.normal() * sensor.noise;
                let stepped = if sensor.step > 0.0 { (noisy / sensor.step).round() * sensor.step } else { noisy };
                stepped.clamp(0.0, 1.0)
            };
            self.readings[index] = if mat.channels() == 1 {
                let brightness = read(sample[0]);
                Reading { brightness, rgb: [brightness; 3] }
            } else {
                let rgb = sample.map(&mut read);
                // The same weights as the brightness of a surface.
                Reading { brightness: 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2], rgb }
            };
        }
        if let Some(gyro) = &mut self.gyro {
            gyro.heading += (body.spin + gyro.drift + gyro.noise.normal() * gyro.sigma) * STEP;
        }
        for (ticks, angle) in self.wheels.iter_mut().zip(body.angles) {
            // Whole ticks only, towards the lower one in both directions, as a disc with slots counts.
            *ticks = (angle * self.ticks_per_rad).floor() / self.ticks_per_rad;
        }
    }

    /// What the robot knows now.
    pub fn readings(&self) -> Readings<'_> {
        Readings { sensors: &self.readings, wheels: self.wheels, gyro: self.gyro.as_ref().map(|gyro| gyro.heading) }
    }
}
