//! `align floor-left and floor-right to a dark line at 16 %, lead-in 40 mm, again at 10 %`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::mission::ast::{Part, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// Squares up to a line.
#[derive(Clone, Debug, PartialEq)]
pub struct Align {
    /// The sensors: left and right.
    pub sensors: [Spanned<String>; 2],
    /// The tone of the line.
    pub tone: Spanned<String>,
    /// Duty, or kept speed, of each wheel until its sensor sees the line.
    pub speed: Spanned<Value>,
    /// How far it drives first while its sensors are ignored.
    pub lead_in: Option<Spanned<Value>>,
    /// The speed of a second pass after backing off.
    pub again: Option<Spanned<Value>>,
}

impl Does for Align {
    const KIND: BehaviourKind = BehaviourKind {
        word: "align",
        plain: &[
            "square up",
            "straighten",
            "perpendicular",
            "line up",
            "align to line",
            "square on line",
            "right angle",
            "align",
            "straight to the line",
            "squaring",
            "alignment",
            "adjust to line",
            "parallel to line",
        ],
        what: "Squares up to a line: each wheel drives until its own sensor sees the line.",
        grammar: &[
            "align LEFT and RIGHT to a TONE line at SPEED [, lead-in LENGTH] [, again at SPEED]",
        ],
        example: "align floor-left and floor-right to a dark line at 16 %",
        ends: &[Ending::Finished],
        on_the_spot: true,
        read,
        offers: |kit, offers| {
            let (Some([left, right]), Some((_, tone))) = (kit.pair, kit.eye()) else {
                return;
            };
            let text = format!("align {left} and {right} to a {tone} line at 16 %");
            let what = "Each wheel drives until its own sensor sees the line.";
            offers.push(Offer::new("Square up", text, what).with(&[
                "until finished -> next",
                "or 8 s pass -> fail \"no line to square up to\"",
            ]));
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Pair(&self.sensors));
        each(Part::Tone(&self.tone, &self.sensors));
        each(Part::Amount(&self.speed, Wanted::Speed));
        if let Some(lead_in) = &self.lead_in {
            each(Part::Amount(lead_in, Wanted::Length));
        }
        if let Some(again) = &self.again {
            each(Part::Amount(again, Wanted::Speed));
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            sensors: [left, right],
            tone,
            speed,
            lead_in,
            again,
        } = self;
        let lead = lead_in.as_ref().map_or_else(String::new, |lead| {
            format!(
                "drives {} while its sensors are ignored, then ",
                of.amount(lead)
            )
        });
        let again = again.as_ref().map_or_else(String::new, |again| {
            format!("; backs off and does it once more at {}", of.amount(again))
        });
        format!(
            "{lead}squares up to a {} line at {}: each wheel stops when its own sensor, {} or {}, sees it{again}",
            tone.node,
            of.amount(speed),
            left.node,
            right.node
        )
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let sensors = line.two_sensors()?;
    line.words(&["to"])?;
    let (tone, slot) = line.a_tone()?;
    line.belongs(slot, &sensors[0]);
    line.words(&["line", "at"])?;
    let speed = line.amount(Wanted::Speed)?;
    let lead_in = if line.clause("lead-in") {
        Some(line.amount(Wanted::Length)?)
    } else {
        None
    };
    let again = if line.clause("again") {
        line.words(&["at"])?;
        Some(line.amount(Wanted::Speed)?)
    } else {
        None
    };
    Some(Behaviour::Align(Align {
        sensors,
        tone,
        speed,
        lead_in,
        again,
    }))
}
