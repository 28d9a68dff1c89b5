//! `choose` and `react`, whose rows stand below them.

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::Part;
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;

/// Decides where to go: the first row that is true.
#[derive(Clone, Debug, PartialEq)]
pub struct Choose;

impl Does for Choose {
    const KIND: BehaviourKind = BehaviourKind {
        word: "choose",
        plain: &[
            "if",
            "branch",
            "decide",
            "switch",
            "case",
            "else",
            "decision",
            "decision table",
            "if else",
            "if then",
            "fork",
            "depending on",
            "select",
            "either or",
            "go to",
            "jump",
            "conditional",
        ],
        what: "Decides where to go: the first row that is true says where.",
        grammar: &[
            "choose",
            "  when CONDITION -> TARGET",
            "  otherwise -> TARGET",
        ],
        example: "choose",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read: |_| Some(Behaviour::Choose(Choose)),
        offers: |kit, offers| {
            let first = match (kit.names.first(DeviceKind::Ranger), kit.eye()) {
                (Some(ranger), _) => format!("{ranger} < 300 mm"),
                (None, Some((eye, tone))) => format!("{eye} sees {tone}"),
                (None, None) => "clock < 30 s".to_owned(),
            };
            let near = format!("when {first} -> next");
            let what = "Decides where to go: the first row that is true says where.";
            offers.push(
                Offer::new("Choose", "choose".into(), what).with(&[&near, "otherwise -> done"]),
            );
        },
    };

    fn parts<'a>(&'a self, _: &mut dyn FnMut(Part<'a>)) {}

    fn say(&self, _: &Reader<'_>) -> String {
        "decides where to go".into()
    }
}

/// Does the first row that is true, at every control tick.
#[derive(Clone, Debug, PartialEq)]
pub struct React;

impl Does for React {
    const KIND: BehaviourKind = BehaviourKind {
        word: "react",
        plain: &[
            "priority",
            "priorities",
            "priority list",
            "react to",
            "whichever",
            "rules",
            "state machine",
            "all the time",
            "while",
            "polling",
            "behaviour tree",
            "subsumption",
        ],
        what: "A priority list: at every control tick it does the first row that is true.",
        grammar: &[
            "react",
            "  when CONDITION, BEHAVIOUR",
            "  otherwise, BEHAVIOUR",
        ],
        example: "react",
        ends: &[],
        on_the_spot: false,
        read: |_| Some(Behaviour::React(React)),
        offers: |kit, offers| {
            let Some((eye, tone)) = kit.eye() else { return };
            let first = format!("when {eye} sees {tone}, drive back at 26 %");
            let what = "Priority list: always does the first row that is true.";
            offers.push(Offer::new("React", "react".into(), what).with(&[
                &first,
                "otherwise, drive ahead at 26 %",
                "until 3 s pass",
            ]));
        },
    };

    fn parts<'a>(&'a self, _: &mut dyn FnMut(Part<'a>)) {}

    fn say(&self, _: &Reader<'_>) -> String {
        "at every moment does the first row that is true".into()
    }
}
