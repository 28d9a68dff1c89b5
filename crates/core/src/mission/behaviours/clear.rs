//! `await clear with ahead beyond 300 mm, 3 tries of 2 s`

use super::seek::names;
use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// Waits until the way is clear.
#[derive(Clone, Debug, PartialEq)]
pub struct Await {
    /// The ranging sensors: all of them must be clear.
    pub rangers: Vec<Spanned<String>>,
    /// Further than this is clear.
    pub beyond: Spanned<Value>,
    /// How many waits.
    pub tries: Spanned<Value>,
    /// How long each.
    pub pause: Spanned<Value>,
}

impl Does for Await {
    const KIND: BehaviourKind = BehaviourKind {
        word: "await",
        plain: &[
            "wait",
            "obstacle",
            "blocked",
            "stop for",
            "in the way",
            "clear",
            "wait until clear",
            "wait for obstacle",
            "obstacle leaves",
            "obstacle gone",
            "way is free",
            "until free",
            "wait for the way",
            "gate",
        ],
        what: "Stands until nothing is in the way, a number of waits long.",
        grammar: &["await clear with RANGER [and RANGER] beyond LENGTH, N tries of TIME"],
        example: "await clear with ahead beyond 300 mm, 3 tries of 2 s",
        ends: &[Ending::Clear, Ending::GivenUp],
        on_the_spot: false,
        read,
        offers: |kit, offers| {
            let Some(ranger) = kit.names.first(DeviceKind::Ranger) else {
                return;
            };
            let text = format!("await clear with {ranger} beyond 300 mm, 3 tries of 2 s");
            offers.push(
                Offer::new("Await clear", text, "Stands until the way ahead is clear.").with(&[
                    "until clear -> next",
                    "or given up -> fail \"still in the way\"",
                ]),
            );
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        for ranger in &self.rangers {
            each(Part::Device(ranger, DeviceKind::Ranger));
        }
        each(Part::Amount(&self.beyond, Wanted::Length));
        each(Part::Amount(&self.tries, Wanted::Count));
        each(Part::Amount(&self.pause, Wanted::Time));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            rangers,
            beyond,
            tries,
            pause,
        } = self;
        let has = if rangers.len() > 1 { "have" } else { "has" };
        format!(
            "waits until {} {has} been clear to {} for 0.2 s; after {} waits of {} it gives up",
            names(rangers, " and "),
            of.amount(beyond),
            of.amount(tries),
            of.amount(pause)
        )
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    line.words(&["clear", "with"])?;
    let rangers = line.rangers()?;
    line.words(&["beyond"])?;
    let beyond = line.amount(Wanted::Length)?;
    line.sign(",")?;
    let tries = line.tries()?;
    line.words(&["of"])?;
    Some(Behaviour::Await(Await {
        rangers,
        beyond,
        tries,
        pause: line.amount(Wanted::Time)?,
    }))
}
