//! `shove at 60 % to rim with floor-left and floor-right, back 60 mm`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::mission::ast::{Part, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// Pushes ahead up to a rim without following what it pushes over it.
#[derive(Clone, Debug, PartialEq)]
pub struct Shove {
    /// How fast.
    pub speed: Spanned<Value>,
    /// The tone of the rim.
    pub tone: Spanned<String>,
    /// The sensors that look for it.
    pub sensors: [Spanned<String>; 2],
    /// How far it backs off afterwards.
    pub back: Option<Spanned<Value>>,
}

impl Does for Shove {
    const KIND: BehaviourKind = BehaviourKind {
        word: "shove",
        plain: &[
            "push",
            "ram",
            "charge",
            "push off",
            "edge",
            "bulldoze",
            "push opponent",
            "push out",
            "attack",
            "push to the edge",
            "shove out",
        ],
        what: "Pushes ahead until one of two sensors sees the rim, stops, and backs off.",
        grammar: &["shove at SPEED to TONE with LEFT and RIGHT [, back LENGTH]"],
        example: "shove at 60 % to rim with floor-left and floor-right, back 60 mm",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read,
        offers: |kit, offers| {
            let (Some([left, right]), Some(tone)) = (kit.pair, kit.mark) else {
                return;
            };
            let text = format!("shove at 50 % to {tone} with {left} and {right}, back 60 mm");
            offers.push(
                Offer::new(
                    "Shove to a rim",
                    text,
                    "Pushes ahead until a sensor sees the rim, and backs off.",
                )
                .with(&["until finished -> next", "or 8 s pass -> fail \"no rim\""]),
            );
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Amount(&self.speed, Wanted::Speed));
        each(Part::Pair(&self.sensors));
        each(Part::Tone(&self.tone, &self.sensors));
        if let Some(back) = &self.back {
            each(Part::Amount(back, Wanted::Length));
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            speed,
            tone,
            sensors: [left, right],
            back,
        } = self;
        let back = back.as_ref().map_or_else(String::new, |back| {
            format!(" and backs off {}", of.amount(back))
        });
        let speed = of.amount(speed);
        format!(
            "pushes ahead at {speed} until {} or {} sees {}, stops{back}",
            left.node, right.node, tone.node
        )
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    line.words(&["at"])?;
    let speed = line.amount(Wanted::Speed)?;
    line.words(&["to"])?;
    let slot = line.slots.len();
    let tone = line.tone("")?;
    line.words(&["with"])?;
    let sensors = line.two_sensors()?;
    line.belongs(slot, &sensors[0]);
    let back = if line.clause("back") {
        Some(line.amount(Wanted::Length)?)
    } else {
        None
    };
    Some(Behaviour::Shove(Shove {
        speed,
        tone,
        sensors,
        back,
    }))
}
