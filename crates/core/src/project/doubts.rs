//! What speaks against a calibration on a robot and a field.

use crate::controller::{Reading, Tone, Tones};
use crate::ids::SensorId;
use crate::lab::evidence::noise_width;
use crate::robot::Robot;

/// The middles of five equally likely parts of a standard normal distribution.
const QUINTILES: [f64; 5] = [-1.2816, -0.5244, 0.0, 0.5244, 1.2816];
/// Two colours are told apart when fewer readings than this share of them are taken for the other.
const MISREAD: f64 = 0.05;

/// What speaks against a calibration: C103, tones the other way round than on the field; C104, tones
/// that the sensor cannot tell apart.
pub(super) fn doubts(
    robot: &Robot,
    sensor: SensorId,
    tones: &Tones,
    as_drawn: &Tones,
) -> Vec<(&'static str, String, String)> {
    let mut told = Vec::new();
    let (name, noise) = (&robot.sensors[sensor].name, noise_width(robot, sensor));
    let percent = |share: f64| format!("{:.0} %", share * 100.0);
    let pairs = tones.tones.iter().enumerate().flat_map(|(nth, one)| {
        let others = tones.tones[nth + 1..].iter();
        others.map(move |other| (one, other))
    });
    let drawn = |tone: &Tone| {
        as_drawn
            .index(&tone.name)
            .map(|at| as_drawn.tones[at].brightness)
    };
    // Tones that differ by less than this on the field may come in either order at a table.
    let clear = |gap: f64| gap.abs() > 0.1;
    let compared: Vec<(&Tone, &Tone, bool)> = pairs
        .clone()
        .filter_map(|(one, other)| {
            let (own, wanted) = (
                one.brightness - other.brightness,
                drawn(one)? - drawn(other)?,
            );
            (clear(own) && clear(wanted)).then_some((one, other, own * wanted > 0.0))
        })
        .collect();
    let wrong: Vec<&(&Tone, &Tone, bool)> = compared.iter().filter(|(.., right)| !right).collect();
    if let Some((one, other, _)) = wrong.first() {
        let reads = |tone: &Tone| format!("`{}` {}", tone.name, percent(tone.brightness));
        let on_field = |tone: &Tone| percent(drawn(tone).unwrap_or_default());
        let message = format!(
            "`{name}` is said to read {} and {}; by their colours on this field that would be {} and {}",
            reads(one),
            reads(other),
            on_field(one),
            on_field(other)
        );
        let hint = if wrong.len() > 1 && wrong.len() == compared.len() {
            "all of its tones are the wrong way round: does it count dark up? Then write each as 100 % less the reading"
        } else {
            "were the two swapped when they were measured? Measure them again"
        };
        told.push(("C103", message, hint.to_owned()));
    }
    for (one, other) in pairs {
        let confused = if tones.by_colour {
            let pair = Tones {
                tones: vec![one.clone(), other.clone()],
                ..tones.clone()
            };
            misread(&pair, noise) > MISREAD
        } else {
            // Half of the gap lies between a tone and the limit to the other.
            (one.brightness - other.brightness).abs() / 2.0 <= 2.0 * noise
        };
        if confused {
            let message = format!(
                "`{name}` cannot tell `{}` ({}) from `{}` ({}): its readings differ by {} from time to time",
                one.name,
                percent(one.brightness),
                other.name,
                percent(other.brightness),
                percent(2.0 * noise)
            );
            let hint =
                "move the sensor nearer to the mat and measure again, or look for another tone";
            told.push(("C104", message, hint.to_owned()));
        }
    }
    told
}

/// How many readings of one of two colours are taken for the other, of those whose channels are off by
/// the quintiles of a normal distribution of this standard deviation.
fn misread(pair: &Tones, noise: f64) -> f64 {
    let off = QUINTILES.map(|quintile| quintile * noise);
    let mut wrong = 0;
    for (nth, tone) in pair.tones.iter().enumerate() {
        for r in off {
            for g in off {
                for b in off {
                    let [red, green, blue] = tone.rgb;
                    let seen = [red + r, green + g, blue + b].map(|share| share.clamp(0.0, 1.0));
                    wrong += usize::from(pair.nearest_colour(&Reading::of(seen)) != Some(nth));
                }
            }
        }
    }
    wrong as f64 / (2.0 * 125.0)
}
