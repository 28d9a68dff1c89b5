//! `do back-away (back = 120 mm, swing = 90 deg) mirrored`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::mission::ast::{Comparison, Part, Side, Slot, SlotKind, Spanned, Value};
use crate::mission::lexer::TokenKind;
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// What a parameter of a routine is given.
#[derive(Clone, Debug, PartialEq)]
pub enum Argument {
    /// A number with its unit, or a formula.
    Amount(Spanned<Value>),
    /// `left` or `right`
    Side(Side),
    /// `<` or `>`
    Comparison(Comparison),
    /// A name: of a sensor, a tone, a `let` or a parameter, depending on how the routine uses it.
    Word(String),
}

/// Calls a routine.
#[derive(Clone, Debug, PartialEq)]
pub struct Do {
    /// Which routine.
    pub routine: Spanned<String>,
    /// What its parameters are given.
    pub arguments: Vec<(Spanned<String>, Spanned<Argument>)>,
    /// Left and right swapped.
    pub mirrored: bool,
}

/// Whether a call swaps left and right: an empty place behind the call stands for the usual way.
pub(in crate::mission) const MIRRORED: &[&str] = &["", "mirrored"];

impl Does for Do {
    const KIND: BehaviourKind = BehaviourKind {
        word: "do",
        plain: &[
            "call",
            "routine",
            "subroutine",
            "function",
            "reuse",
            "procedure",
            "use a routine",
            "macro",
        ],
        what: "Does the steps of a routine.",
        grammar: &["do ROUTINE [(NAME = VALUE, ...)] [mirrored]"],
        example: "do back-away (far = 120 mm)",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read,
        offers: |kit, offers| {
            for (name, needs) in &kit.routines {
                let what = match needs {
                    0 => "Does a routine.",
                    _ => "Does a routine; give it what it asks for in brackets.",
                };
                offers.push(Offer::new(name, format!("do {name}"), what));
            }
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Routine(&self.routine));
        for (name, argument) in &self.arguments {
            each(Part::Argument(name, argument));
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            routine,
            arguments,
            mirrored,
        } = self;
        let with: Vec<String> = arguments
            .iter()
            .map(|(name, value)| format!("{} {}", name.node, of.argument(value)))
            .collect();
        let with = if with.is_empty() {
            String::new()
        } else {
            format!(" with {}", with.join(", "))
        };
        let mirrored = if *mirrored {
            ", left and right swapped"
        } else {
            ""
        };
        format!("does \"{}\"{with}{mirrored}", routine.node)
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let routine = line.name("the name of a routine", SlotKind::Routine)?;
    let mut arguments = Vec::new();
    if line.eat_sign("(") && !line.eat_sign(")") {
        loop {
            let name = line.name("the name of a parameter", SlotKind::Name)?;
            // Which parameters there are is the routine's business: their names are no places to
            // change.
            line.slots.pop();
            line.sign("=")?;
            arguments.push((name, line.argument()?));
            if !line.eat_sign(",") {
                break;
            }
        }
        line.sign(")")?;
    }
    let mirrored = line.word() == Some("mirrored");
    if mirrored {
        line.take_slot(SlotKind::Choice(MIRRORED));
    } else {
        // An empty place, so that it can be chosen like any other word.
        let end = line.tokens[line.at - 1].span.end;
        line.slots.push(Slot {
            span: end..end,
            kind: SlotKind::Choice(MIRRORED),
            line: line.line,
        });
    }
    Some(Behaviour::Do(Do {
        routine,
        arguments,
        mirrored,
    }))
}

impl Sentence<'_> {
    /// What a parameter is given, here or by default.
    pub(in crate::mission) fn argument(&mut self) -> Option<Spanned<Argument>> {
        let token = self.peek().cloned();
        let Some(token) =
            token.filter(|token| !matches!(token.kind, TokenKind::Text | TokenKind::Arrow))
        else {
            self.expected("an amount, a side or a name");
            return None;
        };
        let node = match self.str(&token) {
            "left" | "right" => Argument::Side(self.side()?),
            "<" | ">" => Argument::Comparison(self.comparison()?),
            _ if token.kind == TokenKind::Word => {
                let formula = self.formula_value()?;
                match formula.node {
                    Value::Named(word) => Argument::Word(word),
                    Value::Literal(_) | Value::Formula(_) => Argument::Amount(formula),
                }
            }
            _ => Argument::Amount(self.formula_value()?),
        };
        let end = self.tokens[self.at - 1].span.end;
        if matches!(node, Argument::Word(_)) {
            self.slots.push(Slot {
                span: token.span.start..end,
                kind: SlotKind::Name,
                line: self.line,
            });
        }
        Some(Spanned {
            node,
            span: token.span.start..end,
        })
    }
}
