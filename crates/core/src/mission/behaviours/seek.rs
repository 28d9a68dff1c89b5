//! `seek with ahead within 400 mm, spinning left at 20 % up to 360 deg, moving 150 mm, 4 tries,
//! closing in to 80 mm`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Side, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// Searches for something with a ranging sensor.
#[derive(Clone, Debug, PartialEq)]
pub struct Seek {
    /// The ranging sensors: any of them may find it.
    pub rangers: Vec<Spanned<String>>,
    /// Nearer than this is found.
    pub within: Spanned<Value>,
    /// Which way it turns.
    pub side: Side,
    /// How fast it turns and moves.
    pub speed: Spanned<Value>,
    /// How far it turns in one scan.
    pub turn: Spanned<Value>,
    /// How far it moves on between two scans.
    pub relocate: Spanned<Value>,
    /// How many scans.
    pub tries: Spanned<Value>,
    /// How near it then comes, if at all.
    pub approach: Option<Spanned<Value>>,
}

impl Does for Seek {
    const KIND: BehaviourKind = BehaviourKind {
        word: "seek",
        plain: &[
            "search",
            "find",
            "scan",
            "look for",
            "opponent",
            "radar",
            "search opponent",
            "look around",
            "hunt",
            "find opponent",
            "find object",
            "find the enemy",
            "locate",
            "turn until seen",
        ],
        what: "Searches by turning and moving until a ranging sensor sees something near.",
        grammar: &[
            "seek with RANGER [and RANGER] within LENGTH, spinning left|right at SPEED up to ANGLE, moving LENGTH, N tries [, closing \
             in to LENGTH]",
        ],
        example: "seek with ahead within 400 mm, spinning left at 20 % up to 360 deg, moving 150 mm, 4 tries",
        ends: &[Ending::Found, Ending::GivenUp],
        on_the_spot: true,
        read,
        offers: |kit, offers| {
            let Some(ranger) = kit
                .names
                .first(DeviceKind::Ranger)
                .filter(|_| !kit.names.steers)
            else {
                return;
            };
            let text = format!(
                "seek with {ranger} within 400 mm, spinning left at 20 % up to 360 deg, moving 150 mm, 3 tries"
            );
            offers.push(
                Offer::new("Seek", text, "Turns and moves until something is near.").with(&[
                    "until found -> next",
                    "or given up -> fail \"nothing found\"",
                ]),
            );
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        for ranger in &self.rangers {
            each(Part::Device(ranger, DeviceKind::Ranger));
        }
        each(Part::Amount(&self.within, Wanted::Length));
        each(Part::Side(&self.side));
        each(Part::Amount(&self.speed, Wanted::Speed));
        each(Part::Amount(&self.turn, Wanted::Angle));
        each(Part::Amount(&self.relocate, Wanted::Length));
        each(Part::Amount(&self.tries, Wanted::Count));
        if let Some(approach) = &self.approach {
            each(Part::Amount(approach, Wanted::Length));
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            rangers,
            within,
            side: turn,
            speed,
            turn: angle,
            relocate,
            tries,
            approach,
        } = self;
        let then = approach.as_ref().map_or_else(String::new, |near| {
            format!(" and comes up to {} of it", of.amount(near))
        });
        format!(
            "looks for something within {} of {}: turns to the {} at {} up to {}, moves {} on, {} times in all{then}",
            of.amount(within),
            names(rangers, " or "),
            of.side(turn),
            of.amount(speed),
            of.amount(angle),
            of.amount(relocate),
            of.amount(tries)
        )
    }
}

/// The names of some devices, joined by a word.
pub(super) fn names(devices: &[Spanned<String>], word: &str) -> String {
    let names: Vec<&str> = devices.iter().map(|device| device.node.as_str()).collect();
    names.join(word)
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    line.words(&["with"])?;
    let rangers = line.rangers()?;
    line.words(&["within"])?;
    let within = line.amount(Wanted::Length)?;
    line.sign(",")?;
    line.words(&["spinning"])?;
    let side = line.side()?;
    line.words(&["at"])?;
    let speed = line.amount(Wanted::Speed)?;
    line.words(&["up", "to"])?;
    let turn = line.amount(Wanted::Angle)?;
    line.sign(",")?;
    line.words(&["moving"])?;
    let relocate = line.amount(Wanted::Length)?;
    line.sign(",")?;
    let tries = line.tries()?;
    let mut approach = None;
    if line.clause("closing") {
        line.words(&["in", "to"])?;
        approach = Some(line.amount(Wanted::Length)?);
    }
    Some(Behaviour::Seek(Seek {
        rangers,
        within,
        side,
        speed,
        turn,
        relocate,
        tries,
        approach,
    }))
}
