//! Tones: what a sensor reads over each kind of surface, and the limits between neighbours.

use crate::controller::Reading;

/// Share of the gap between two tones by which a reading must go back before the tone is lost
/// again.
const HYSTERESIS: f64 = 0.1;

/// One calibrated tone of one sensor; all shares of full scale.
#[derive(Clone, Debug, PartialEq)]
pub struct Tone {
    /// Its name.
    pub name: String,
    /// Reading as one brightness.
    pub brightness: f64,
    /// Reading as red, green and blue; all equal to the brightness for a sensor without colours.
    pub rgb: [f64; 3],
}

/// The tones of one sensor.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Tones {
    /// In the order of the calibration.
    pub tones: Vec<Tone>,
    /// Whether they are distinguished by colour instead of brightness.
    pub by_colour: bool,
    /// What the bare ground of the field is called, if it is one of them.
    pub ground: String,
}

/// The band of brightness that counts as a tone: entered at the limits, left a little beyond them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limits {
    /// Readings above this enter; negative infinity for the darkest tone.
    pub low: f64,
    /// Readings below this enter; infinity for the brightest tone.
    pub high: f64,
    /// How far below `low` a reading must fall to leave.
    pub low_slack: f64,
    /// How far above `high` a reading must rise to leave.
    pub high_slack: f64,
}

impl Limits {
    /// Whether the tone is seen, given whether it was seen at the reading before.
    pub fn holds(&self, brightness: f64, before: bool) -> bool {
        let slack = if before {
            (self.low_slack, self.high_slack)
        } else {
            (0.0, 0.0)
        };
        brightness > self.low - slack.0 && brightness < self.high + slack.1
    }
}

impl Tones {
    /// The index of a tone.
    pub fn index(&self, name: &str) -> Option<usize> {
        self.tones.iter().position(|tone| tone.name == name)
    }

    /// The tone next darker and next brighter than this one.
    fn neighbours(&self, index: usize) -> (Option<f64>, Option<f64>) {
        let own = self.tones[index].brightness;
        let others = || {
            self.tones
                .iter()
                .enumerate()
                .filter(move |(other, _)| *other != index)
                .map(|(_, tone)| tone.brightness)
        };
        let darker = others().filter(|&b| b < own).max_by(f64::total_cmp);
        let brighter = others().filter(|&b| b >= own).min_by(f64::total_cmp);
        (darker, brighter)
    }

    /// The band of a tone: to the midpoints between it and its neighbours.
    pub fn limits(&self, index: usize) -> Limits {
        let own = self.tones[index].brightness;
        let (darker, brighter) = self.neighbours(index);
        Limits {
            low: darker.map_or(f64::NEG_INFINITY, |b| f64::midpoint(b, own)),
            high: brighter.map_or(f64::INFINITY, |b| f64::midpoint(b, own)),
            low_slack: darker.map_or(0.0, |b| (own - b) * HYSTERESIS),
            high_slack: brighter.map_or(0.0, |b| (b - own) * HYSTERESIS),
        }
    }

    /// Where the edge of a line of this tone is: the midpoint to the ground, and half the gap,
    /// positive when the ground is brighter. Without a tone for the ground it is taken to be the
    /// next brighter tone, or the next darker for the brightest.
    pub fn edge(&self, index: usize) -> Option<(f64, f64)> {
        let own = self.tones[index].brightness;
        let (darker, brighter) = self.neighbours(index);
        let ground = self
            .index(&self.ground)
            .filter(|ground| *ground != index)
            .map(|ground| self.tones[ground].brightness);
        let ground = ground.or(brighter).or(darker)?;
        Some((f64::midpoint(own, ground), (ground - own) / 2.0))
    }

    /// The tone that a colour reading is nearest to, by hue and brightness alike.
    ///
    /// Hue is compared as shares of red, green and blue, so that the grey half way between a dark
    /// line and pale ground is no colour; two different colours still blend into a third at their
    /// edge, as they do on a table.
    pub fn nearest_colour(&self, reading: &Reading) -> Option<usize> {
        let own = shares(reading.rgb, reading.brightness);
        (0..self.tones.len()).min_by(|&a, &b| self.away(own, a).total_cmp(&self.away(own, b)))
    }

    /// By how much a tone is nearer to a colour reading than the next other one: a difference of
    /// squared distances, negative when another tone is nearer. Infinite when there is no other.
    pub fn colour_lead(&self, reading: &Reading, tone: usize) -> f64 {
        let own = shares(reading.rgb, reading.brightness);
        let others = (0..self.tones.len())
            .filter(|&other| other != tone)
            .map(|other| self.away(own, other));
        others.fold(f64::INFINITY, f64::min) - self.away(own, tone)
    }

    /// The standard deviation of [`Tones::colour_lead`] when every channel has one of `noise`, to
    /// first order.
    pub fn colour_lead_noise(&self, reading: &Reading, tone: usize, noise: f64) -> f64 {
        let moved = |channel: usize, by: f64| {
            let mut rgb = reading.rgb;
            rgb[channel] += by;
            self.colour_lead(&Reading::of(rgb), tone)
        };
        let square = |channel: usize| {
            let change = (moved(channel, noise) - moved(channel, -noise)) / 2.0;
            change * change
        };
        (square(0) + square(1) + square(2)).sqrt()
    }

    /// Squared distance of a reading, as shares, to a tone.
    fn away(&self, own: [f64; 4], tone: usize) -> f64 {
        let tone = &self.tones[tone];
        own.iter()
            .zip(shares(tone.rgb, tone.brightness))
            .map(|(a, b)| (a - b) * (a - b))
            .sum()
    }
}

/// Shares of red, green and blue, and the brightness. What is nearly black has no hue worth the
/// name.
fn shares(rgb: [f64; 3], brightness: f64) -> [f64; 4] {
    /// Sum of the three channels below which hue fades: a few times the usual noise.
    const BLACK: f64 = 0.06;
    let sum = rgb[0] + rgb[1] + rgb[2] + BLACK;
    [rgb[0] / sum, rgb[1] / sum, rgb[2] / sum, brightness]
}
