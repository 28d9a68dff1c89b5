//! A mission read back in plain words: what each step does, with its defaults, and what ends it.
//!
//! What a behaviour and a condition say stands with each of them; here is what they are put
//! together with.

use std::ops::Range;

use super::ast::{
    Answer, Argument, Block, Comparison, Mission, Side, Slot, Spanned, Step, Target, Then, Value,
};
use super::parser::Parsed;
use super::sentence::either;

/// Reads a mission's parts back; borrowed from the text and what it says.
#[derive(Clone, Copy)]
pub struct Reader<'a> {
    text: &'a str,
    mission: &'a Mission,
    slots: &'a [Slot],
    /// What it reads: parameters are those of the routine.
    block: Block,
}

impl<'a> Reader<'a> {
    /// A reader of a parsed text.
    pub fn new(text: &'a str, parsed: &'a Parsed) -> Self {
        Self {
            text,
            mission: &parsed.mission,
            slots: &parsed.slots,
            block: Block::Mission,
        }
    }

    /// The same reader within a block: what is said of a routine's parameters is what they are
    /// without being given anything.
    #[must_use]
    pub const fn within(self, block: Block) -> Self {
        Self { block, ..self }
    }

    /// What a parameter is without being given anything; none for what is no parameter, or has to be
    /// given.
    fn default_of(&self, name: &str) -> Option<&'a Argument> {
        let Block::Routine(routine) = self.block else {
            return None;
        };
        let parameters = &self.mission.routines.get(routine)?.parameters;
        let parameter = parameters
            .iter()
            .find(|parameter| parameter.name.node == name)?;
        parameter.default.as_ref().map(|default| &default.node)
    }

    /// The text as written at a place in one line, each name of an amount, a side or a device
    /// followed by what it stands for: `travelled on (60 mm)`.
    pub fn written(&self, span: &Range<usize>) -> String {
        let first = self
            .slots
            .partition_point(|slot| slot.span.start < span.start);
        let within = self.slots[first..]
            .iter()
            .take_while(|slot| slot.span.end <= span.end);
        let (mut words, mut at) = (String::new(), span.start);
        for slot in within {
            let name = self.text_of(&slot.span);
            let worth = match (self.mission.shown(name), self.default_of(name)) {
                (Some(quantity), _) => quantity.to_string(),
                (None, Some(Argument::Amount(value))) => self.amount(value),
                (None, Some(Argument::Side(side))) => plain_side(side).to_owned(),
                (None, Some(Argument::Word(word))) => word.clone(),
                (None, Some(Argument::Comparison(_)) | None) => continue,
            };
            if slot.span.start < at {
                continue;
            }
            words.push_str(&self.text[at..slot.span.end]);
            words.extend([" (", &worth, ")"]);
            at = slot.span.end;
        }
        words.push_str(&self.text[at..span.end]);
        words.split_whitespace().collect::<Vec<_>>().join(" ")
    }

    /// A side as it is said: `left`, or `left (side)` for a parameter.
    pub(super) fn side(&self, side: &Side) -> String {
        match side {
            Side::Left => "left".to_owned(),
            Side::Right => "right".to_owned(),
            Side::Named(name) => match self.default_of(name) {
                Some(Argument::Side(default)) => format!("{} ({name})", plain_side(default)),
                _ => name.clone(),
            },
        }
    }

    /// What is said of the parameters of a routine: which need not be given, and which must.
    pub fn parameters(&self, routine: usize) -> Option<String> {
        let parameters = &self.mission.routines.get(routine)?.parameters;
        let has = parameters.iter().filter_map(|parameter| {
            let default = parameter.default.as_ref()?;
            Some(format!(
                "{} {}",
                parameter.name.node,
                self.argument(default)
            ))
        });
        let has: Vec<String> = has.collect();
        let given = parameters
            .iter()
            .filter(|parameter| parameter.default.is_none());
        let given: Vec<&str> = given
            .map(|parameter| parameter.name.node.as_str())
            .collect();
        let mut said = Vec::new();
        if !has.is_empty() {
            said.push(format!(
                "With {}, unless a call says otherwise.",
                has.join(", ")
            ));
        }
        if !given.is_empty() {
            said.push(format!("Each call says {}.", given.join(", ")));
        }
        (!said.is_empty()).then(|| said.join(" "))
    }

    /// The text as written at a place.
    pub(super) fn text_of(&self, span: &Range<usize>) -> &'a str {
        &self.text[span.clone()]
    }

    /// What a step does, as one sentence.
    pub fn behaviour(&self, step: &Step) -> String {
        let Some((behaviour, _)) = &step.behaviour else {
            return "Does nothing that could be read.".into();
        };
        let said = behaviour.node.say(self);
        let mut chars = said.chars();
        let first = chars
            .next()
            .map(|first| first.to_uppercase().collect::<String>())
            .unwrap_or_default();
        format!("{first}{}.", chars.as_str())
    }

    /// An amount: the number, followed by its name.
    pub fn amount(&self, value: &Spanned<Value>) -> String {
        let worth = self
            .mission
            .evaluate(&value.node)
            .map(|amount| amount.quantity().to_string());
        match (&value.node, worth) {
            (Value::Literal(quantity), _) => quantity.to_string(),
            (Value::Named(name), _) => match self.mission.shown(name) {
                Some(quantity) => format!("{quantity} ({name})"),
                None => match self.default_of(name) {
                    Some(Argument::Amount(default)) => {
                        format!("{} ({name})", self.amount(default))
                    }
                    _ => name.clone(),
                },
            },
            (Value::Formula(_), Some(worth)) => worth,
            (Value::Formula(_), None) => self.text_of(&value.span).to_owned(),
        }
    }

    /// The same for an amount that may have been left out.
    pub(super) fn amount_or_default(&self, value: &Spanned<Value>) -> String {
        let default = if value.span.is_empty() {
            " (default)"
        } else {
            ""
        };
        format!("{}{default}", self.amount(value))
    }

    pub(super) fn argument(&self, argument: &Spanned<Argument>) -> String {
        match &argument.node {
            Argument::Amount(value) => self.amount(value),
            Argument::Side(turn) => plain_side(turn).to_owned(),
            Argument::Comparison(Comparison::Below) => "below".into(),
            Argument::Comparison(Comparison::Above) => "above".into(),
            Argument::Comparison(Comparison::Named(name)) | Argument::Word(name) => name.clone(),
        }
    }

    /// Where an exit leads, in words.
    pub fn target(&self, target: &Target) -> String {
        match target {
            Target::Next => "next step".into(),
            Target::Step(name) => format!("goes to \"{name}\""),
            Target::Again => "begins the next pass".into(),
            Target::Out => "leaves the repeat or the routine".into(),
            Target::Done => "the mission is done".into(),
            Target::Fail(reason) => format!("the mission fails: {reason}"),
        }
    }

    /// What ends a step, one sentence for each exit and each row; and how it goes on by itself.
    pub fn ends(&self, step: &Step) -> Vec<String> {
        let mut said: Vec<String> = Vec::new();
        for row in &step.rows {
            let when = row.condition.as_ref().map_or_else(
                || "Otherwise".into(),
                |it| format!("When {}", self.condition(it)),
            );
            said.push(match &row.answer {
                Answer::Go(target) => format!("{when}: {}.", self.target(&target.node)),
                Answer::Does(behaviour) => format!("{when}: {}.", behaviour.node.say(self)),
            });
        }
        said.extend(step.exits.iter().map(|exit| {
            format!(
                "When {}: {}.",
                self.condition(&exit.condition),
                self.target(&exit.target.node)
            )
        }));
        if step.goes_on_by_itself() {
            said.push(
                if step.rows.is_empty() {
                    "When finished: next step."
                } else {
                    "Otherwise: next step."
                }
                .into(),
            );
        }
        said
    }

    /// What a reflex watches for and how it ends.
    pub fn reflex(&self, index: usize) -> (String, String) {
        let reflex = &self.mission.reflexes[index];
        let within: Vec<String> = reflex
            .within
            .iter()
            .map(|name| format!("\"{}\"", name.node))
            .collect();
        let within = if within.is_empty() {
            "at any time".to_owned()
        } else {
            format!("during {}", either(&within))
        };
        let watch = match &reflex.trigger {
            Some((condition, true)) => {
                format!("For as long as {}, {within}.", self.condition(condition))
            }
            Some((condition, false)) => {
                format!("As soon as {}, {within}.", self.condition(condition))
            }
            None => String::new(),
        };
        let after = match reflex.then.as_ref().map(|then| &then.node) {
            None | Some(Then::Resume) => "Then the interrupted step continues.".to_owned(),
            Some(Then::Restart) => "Then the interrupted step starts again.".to_owned(),
            Some(Then::Go(target)) => format!("Then {}.", self.target(&target.node)),
        };
        (watch, after)
    }
}

/// A side as it is said.
fn plain_side(side: &Side) -> &str {
    match side {
        Side::Left => "left",
        Side::Right => "right",
        Side::Named(name) => name,
    }
}

#[cfg(test)]
mod tests {
    use crate::mission::parse;

    use super::*;

    fn read(step: &str) -> String {
        let text = format!("let far = 120 mm\nstep \"a\"\n{step}\n");
        let parsed = parse(&text);
        assert_eq!(parsed.findings, [], "{step}");
        let reader = Reader::new(&text, &parsed);
        let step = &parsed.mission.steps[0];
        format!("{} {}", reader.behaviour(step), reader.ends(step).join(" "))
    }

    #[test]
    fn sentences_are_said_in_other_words() {
        for (step, words) in [
            (
                "drive back on a left arc of (far * 2) at 40 %\nuntil travelled far",
                "Drives backwards on an arc to the left, 240 mm from its middle, the nose turning to the right, at 40 %. When it has travelled 120 mm (far): next step.",
            ),
            (
                "pivot left on the right wheel at 150 mm/s\nuntil turned 90 deg -> done",
                "Turns to the left about its right wheel at 150 mm/s. When it has turned 90 deg: the mission is done.",
            ),
            (
                "follow a dark line between l and r at 40 % and 10 %, if lost back\nuntil the line is lost for 0.3 s",
                "Follows the dark line that lies between l and r at 40 %, the inner wheel at 10 % in a bend; if it loses the line it reverses. When it has lost the line for 0.3 s: next step.",
            ),
            (
                "follow a dark line under l and r at 40 %, gain 0.5, integral 0.1\nuntil 1 s passes",
                "Follows the broad dark line that lies under l and r at 40 %, steering with a gain of 0.5, integral 0.1; if it loses the line it keeps steering. When 1 s have passed: next step.",
            ),
            (
                "align l and r to a dark line at 16 %, lead-in 20 mm",
                "Drives 20 mm while its sensors are ignored, then squares up to a dark line at 16 %: each wheel stops when its own sensor, l or r, sees it. When finished: next step.",
            ),
            (
                "shift right to a dark line with l at 20 %",
                "Moves over to the right at 20 %: one wheel until l sees a dark line, then the other, until the heading is back. When finished: next step.",
            ),
            (
                "await clear with front beyond 300 mm, 3 tries of 2 s\nuntil clear\nor given up -> fail \"it stays\"",
                "Waits until front has been clear to 300 mm for 0.2 s; after 3 waits of 2 s it gives up. When the way is clear: next step. When it has given up: the mission fails: it stays.",
            ),
            (
                "probe 90 deg to each side at 20 %, up to far or l sees dark, tie left\nuntil left is further -> \"x\"",
                "Finds out which side has more room: turns 90 deg to each at 20 % and drives up to 120 mm (far) there and back, or until l sees dark; if both are equal, left. When there is more room on the left: goes to \"x\". When finished: next step.",
            ),
            (
                "move arm to 60 deg alongside",
                "Moves arm to 60 deg while the mission goes on. When finished: next step.",
            ),
            (
                "signal lamp \"red\"\nuntil 2 s pass -> next",
                "Sets lamp to \"red\". When 2 s have passed: next step.",
            ),
            (
                "hold, keep position\nuntil none of l, r < 30 % for 50 ms after it was false\nor not (l sees any of dark, red and battery between 6 V and 7 V) as low -> again",
                "Stands still, and drives back to its place when it is moved. When none of l, r reads less than 30 % for 50 ms, after it has been false once: next step. When not: (l sees dark or red and battery reads between 6 V and 7 V) (kept as low): begins the next pass.",
            ),
            (
                "do there (far = 30 mm, side = right, than = <, eye = l) mirrored",
                "Does \"there\" with far 30 mm, side right, than below, eye l, left and right swapped. When finished: next step.",
            ),
        ] {
            let said = read(step);
            assert_eq!(said, words, "{step}");
        }
    }
}
