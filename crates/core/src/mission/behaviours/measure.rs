//! `measure ahead as gap`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, SlotKind, Spanned, Value};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;

/// Keeps what the robot knows now under a name.
#[derive(Clone, Debug, PartialEq)]
pub struct Measure {
    /// What is kept.
    pub value: Spanned<Value>,
    /// Under which name.
    pub name: Spanned<String>,
}

impl Does for Measure {
    const KIND: BehaviourKind = BehaviourKind {
        word: "measure",
        plain: &[
            "remember",
            "store",
            "save",
            "variable",
            "keep",
            "read",
            "set",
            "record",
            "save a reading",
            "save value",
            "note a reading",
            "calculate",
            "compute",
            "assign",
            "set variable",
            "read sensor",
        ],
        what: "Keeps a reading, or a formula of readings, under a name for later steps.",
        grammar: &["measure FORMULA as NAME"],
        example: "measure ahead as gap",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read: |line| {
            let value = line.whole_formula()?;
            line.words(&["as"])?;
            let name = line.name("a name to keep it under", SlotKind::Name)?;
            Some(Behaviour::Measure(Measure { value, name }))
        },
        offers: |kit, offers| {
            let Some(ranger) = kit.names.first(DeviceKind::Ranger) else {
                return;
            };
            let what = "Keeps what a sensor reads under a name, for later steps.";
            offers.push(Offer::new(
                "Measure",
                format!("measure {ranger} as gap"),
                what,
            ));
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Measured(&self.value));
        each(Part::Keeps(&self.name));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        format!(
            "measures {} and keeps it as {}",
            of.text_of(&self.value.span),
            self.name.node
        )
    }
}
