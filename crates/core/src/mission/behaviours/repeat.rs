//! `repeat 3 times`, with its steps below, up to `end`.

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::mission::ast::{Condition, Part, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// How often a repeat goes round.
#[derive(Clone, Debug, PartialEq)]
pub enum Rounds {
    /// `repeat 3 times`
    Times(Spanned<Value>),
    /// `repeat forever`
    Forever,
    /// `repeat until CONDITION`, evaluated at every control tick or only after each pass.
    Until {
        /// What ends it.
        condition: Spanned<Condition>,
        /// Evaluated only at the end of a pass.
        after_pass: bool,
    },
}

/// Repeats the steps below it.
#[derive(Clone, Debug, PartialEq)]
pub struct Repeat(pub Rounds);

impl Does for Repeat {
    const KIND: BehaviourKind = BehaviourKind {
        word: "repeat",
        plain: &["loop", "again", "times", "forever", "while", "for", "until"],
        what: "Repeats the steps below it, up to `end`.",
        grammar: &[
            "repeat N times",
            "repeat forever",
            "repeat until CONDITION [, after each pass]",
        ],
        example: "repeat 3 times",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read,
        offers: |kit, offers| {
            let what = "Repeats the steps within it a number of times.";
            let times = Offer::new("Repeat", "repeat 2 times".into(), what).found_by(
                "loop, again, times, for, do again, several times, twice, n times, number of times, cycle",
            );
            offers.push(times.with(&[
                "  step \"Again\"",
                "    drive ahead at 26 %",
                "    until travelled 100 mm",
                "end",
            ]));
            let what = "Repeats the steps within it until an exit ends it.";
            offers.push(
                Offer::new("Repeat for ever", "repeat forever".into(), what)
                    .found_by("forever, again and again, endless, infinite, while true, always, main loop, infinite loop")
                    .with(&[
                        "  step \"Again\"",
                        "    hold, brake",
                        "    until 0.5 s pass",
                        "end",
                        "until 5 s pass",
                    ]),
            );
            let what = "Repeats the steps within it until something is true.";
            let ends = kit.eye().map_or_else(
                || "5 s pass".to_owned(),
                |(eye, tone)| format!("{eye} sees {tone}"),
            );
            offers.push(
                Offer::new("Repeat until", format!("repeat until {ends}"), what)
                    .found_by("while, loop until, until, do until, as long as, while not, repeat while, loop while")
                    .with(&[
                        "  step \"Again\"",
                        "    drive ahead at 26 %",
                        "    until travelled 100 mm",
                        "end",
                    ]),
            );
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        match &self.0 {
            Rounds::Times(times) => each(Part::Amount(times, Wanted::Count)),
            Rounds::Forever => {}
            Rounds::Until { condition, .. } => each(Part::Condition(condition)),
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        match &self.0 {
            Rounds::Times(times) => format!("does these steps {} times", of.amount(times)),
            Rounds::Forever => "does these steps again and again".into(),
            Rounds::Until {
                condition,
                after_pass: false,
            } => {
                format!(
                    "does these steps until, at any moment, {}",
                    of.condition(condition)
                )
            }
            Rounds::Until {
                condition,
                after_pass: true,
            } => {
                format!(
                    "does these steps until, at the end of a pass, {}",
                    of.condition(condition)
                )
            }
        }
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let repeat = |rounds: Rounds| Some(Behaviour::Repeat(Repeat(rounds)));
    if line.eat("forever") {
        return repeat(Rounds::Forever);
    }
    if line.eat("until") {
        let condition = line.condition()?;
        let after_pass = line.eat_sign(",");
        if after_pass {
            line.words(&["after", "each", "pass"])?;
        }
        return repeat(Rounds::Until {
            condition,
            after_pass,
        });
    }
    let behind = line.behind_formula(line.at);
    let text = behind
        .and_then(|at| line.tokens.get(at))
        .map(|token| line.str(token));
    if line.word().is_some() && !matches!(text, Some("time" | "times")) {
        line.expected("how often, such as `3 times`, `forever` or `until ...`");
        line.suggest(&["forever", "until"]);
        return None;
    }
    let times = line.amount(Wanted::Count)?;
    if !line.eat("times") {
        line.words(&["time"])?;
    }
    repeat(Rounds::Times(times))
}
