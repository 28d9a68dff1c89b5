//! `shift right to a dark line with floor-left at 20 %`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Side, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// Moves sideways up to a line, heading unchanged.
#[derive(Clone, Debug, PartialEq)]
pub struct Shift {
    /// To which side.
    pub side: Side,
    /// The tone of the line.
    pub tone: Spanned<String>,
    /// The sensor that meets the line.
    pub sensor: Spanned<String>,
    /// Duty, or kept speed, of the wheel that moves.
    pub speed: Spanned<Value>,
}

impl Does for Shift {
    const KIND: BehaviourKind = BehaviourKind {
        word: "shift",
        plain: &[
            "sideways",
            "sidestep",
            "move over",
            "parallel",
            "change lane",
            "lateral",
            "strafe",
            "offset",
            "to the side",
            "switch line",
            "next line",
        ],
        what: "Moves sideways up to a line and leaves the heading as it was.",
        grammar: &["shift left|right to a TONE line with SENSOR at SPEED"],
        example: "shift right to a dark line with floor-left at 20 %",
        ends: &[Ending::Finished],
        on_the_spot: true,
        read,
        offers: |kit, offers| {
            let Some((eye, tone)) = kit.eye().filter(|_| !kit.names.steers) else {
                return;
            };
            let text = format!("shift right to a {tone} line with {eye} at 20 %");
            let what = "Moves sideways up to a line, heading unchanged.";
            offers.push(Offer::new("Shift to a line", text, what).with(&[
                "until finished -> next",
                "or 8 s pass -> fail \"no line at the side\"",
            ]));
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Side(&self.side));
        each(Part::Device(&self.sensor, DeviceKind::Floor));
        each(Part::Tone(&self.tone, std::slice::from_ref(&self.sensor)));
        each(Part::Amount(&self.speed, Wanted::Speed));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            side: turn,
            tone,
            sensor,
            speed,
        } = self;
        format!(
            "moves over to the {} at {}: one wheel until {} sees a {} line, then the other, until the heading is back",
            of.side(turn),
            of.amount(speed),
            sensor.node,
            tone.node
        )
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let side = line.side()?;
    line.words(&["to"])?;
    let (tone, slot) = line.a_tone()?;
    line.words(&["line", "with"])?;
    let sensor = line.sensor()?;
    line.belongs(slot, &sensor);
    line.words(&["at"])?;
    Some(Behaviour::Shift(Shift {
        side,
        tone,
        sensor,
        speed: line.amount(Wanted::Speed)?,
    }))
}
