//! Mission text to model: one line at a time, with the blocks that lines open and close.
//!
//! [`super::sentence`] reads within a line; what a line means to the lines around it is decided
//! here.
//!
//! Long because each kind of line is read by a function of its own.

use crate::ids::{DeviceKind, SlotId, TextStep};
use std::ops::Range;

use super::amounts;
use super::ast::{
    Answer, Argument, Behaviour, Block, Exit, Let, Line, LineKind, Mission, Origin, Parameter,
    Reflex, Routine, Row, Slot, SlotKind, Spanned, Step, Then, Value, amount,
};
use super::behaviours::{self, BEHAVIOURS, kind_of};
use super::lexer::{Token, TokenKind, tokens};
use super::sentence::{DEEPEST, Sentence};
use crate::finding::{Edit, Finding, Hint, Hints, Source, did_you_mean, nearest};
use crate::units::Dimension;

/// Longer texts are refused unread: no mission that a person wrote comes near it.
const LARGEST_TEXT: usize = 1 << 20;
/// After this many findings the rest of the text is left alone: it is not a mission.
pub(super) const MOST_FINDINGS: usize = 100;

/// A mission text that has been read.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Parsed {
    /// What it says.
    pub mission: Mission,
    /// Every line of the text, in order.
    pub lines: Vec<Line>,
    /// Every place that may be edited, in order of the text.
    pub slots: Vec<Slot>,
    /// What is wrong with the sentences; names and flow are `check`'s.
    pub findings: Vec<Finding>,
}

impl Parsed {
    /// The first slot that something holds for.
    pub fn slot_where(&self, holds: impl FnMut(&Slot) -> bool) -> Option<SlotId> {
        self.slots.iter().position(holds).map(SlotId)
    }

    /// The slot at exactly this place.
    pub fn slot_at(&self, span: &Range<usize>) -> Option<&Slot> {
        let first = self
            .slots
            .partition_point(|slot| slot.span.start < span.start);
        self.slots[first..]
            .iter()
            .take_while(|slot| slot.span.start == span.start)
            .find(|slot| slot.span == *span)
    }
}

/// First words that open a line and are no behaviours, for suggestions.
const OPENERS: &[&str] = &[
    "mission",
    "limit",
    "start",
    "begin",
    "settle",
    "last",
    "use",
    "let",
    "step",
    "routine",
    "reflex",
    "when",
    "while",
    "during",
    "then",
    "otherwise",
    "end",
    "until",
    "or",
    "like",
    "but",
];

/// Reads a mission text. Never fails: what cannot be understood is in the findings.
pub fn parse(text: &str) -> Parsed {
    let mut parser = Parser {
        text,
        parsed: Parsed::default(),
        block: Block::Mission,
        current: None,
        open: Vec::new(),
        too_deep: 0,
        parameters: Vec::new(),
        settle: Vec::new(),
    };
    if text.len() > LARGEST_TEXT {
        let message = format!(
            "the mission holds {} kB; the limit is {} kB",
            text.len() >> 10,
            LARGEST_TEXT >> 10
        );
        let finding =
            Finding::error("M001", Source::Mission, 0..0, message).hint("is this the right file?");
        parser.parsed.findings.push(finding);
        return parser.parsed;
    }
    let mut start = 0;
    for line in text.split('\n') {
        let end = start + line.len();
        parser.line(start..start + line.strip_suffix('\r').unwrap_or(line).len());
        start = end + 1;
    }
    parser.close_block();
    let settle = std::mem::take(&mut parser.settle);
    let mut parsed = parser.parsed;
    follow_originals(&mut parsed);
    parsed.slots.sort_by_key(|slot| slot.span.start);
    settle_amounts(text, &mut parsed, settle);
    parsed
}

/// A name that may measure one of several things measures what its `let`, or its parameter's
/// default, does.
fn settle_amounts(
    text: &str,
    parsed: &mut Parsed,
    open: Vec<(Block, Range<usize>, Vec<SlotKind>)>,
) {
    for (block, span, kinds) in open {
        let first = parsed
            .slots
            .partition_point(|slot| slot.span.start < span.start);
        let Some(slot) = (first..parsed.slots.len())
            .take(2)
            .find(|&slot| parsed.slots[slot].span == span)
        else {
            continue;
        };
        let Some(found) = parsed.mission.measures(&text[span.clone()], block, 0) else {
            continue;
        };
        let fits = |kind: &&SlotKind| matches!(kind, SlotKind::Amount { dimension, .. } if *dimension == found);
        if let Some(kind) = kinds.iter().find(fits) {
            parsed.slots[slot].kind = kind.clone();
        }
    }
}

/// Gives copies what they do not say themselves: what their original does, and the exits of its
/// that they do not replace.
fn follow_originals(parsed: &mut Parsed) {
    for index in TextStep::all(parsed.mission.steps.len()) {
        let steps = &parsed.mission.steps;
        let Some(like) = steps[index].like.clone() else {
            continue;
        };
        let mut refuse = |message: String, hint: Hints| {
            let finding =
                Finding::error("M136", Source::Mission, like.span.clone(), message).hint(hint);
            parsed.findings.push(finding);
        };
        let found = parsed
            .mission
            .find(&like.node, &steps[index])
            .filter(|found| *found != index);
        let Some(found) = found else {
            let others = steps
                .iter()
                .map(|step| step.name.node.as_str())
                .filter(|name| *name != steps[index].name.node);
            let others: Vec<&str> = others.collect();
            refuse(
                format!("there is no step \"{}\"", like.node),
                did_you_mean(&like.span, &like.node, others).quoted(),
            );
            continue;
        };
        let original = &steps[found];
        if let Some(followed) = &original.like {
            let edit = Edit {
                span: like.span.clone(),
                text: format!("\"{}\"", followed.node),
            };
            let hint = Hint::edit(format!("write `like \"{}\"`", followed.node), edit);
            refuse(format!("\"{}\" is a copy itself", like.node), hint.into());
            continue;
        }
        let holds = steps.iter().any(|other| other.inside == Some(found));
        if holds || !original.rows.is_empty() {
            let hint = "copy it as text, or make it a routine";
            refuse(
                format!(
                    "\"{}\" cannot have linked copies: it contains steps or rows",
                    like.node
                ),
                hint.into(),
            );
            continue;
        }
        if original.behaviour.is_none() {
            // That has been said of the original.
            continue;
        }
        let line = parsed
            .lines
            .partition_point(|line| line.span.start <= like.span.start)
            .saturating_sub(1);
        let behaviour = original
            .behaviour
            .clone()
            .map(|(behaviour, _)| (behaviour, line));
        let inherited = original.exits.iter().map(|exit| Exit {
            line,
            ..exit.clone()
        });
        let mut exits: Vec<(Exit, bool)> = inherited.map(|exit| (exit, false)).collect();
        let copy = &mut parsed.mission.steps[index];
        for own in std::mem::take(&mut copy.exits) {
            let same = |(exit, taken): &&mut (Exit, bool)| {
                !*taken && exit.condition.discriminant() == own.condition.discriminant()
            };
            match exits.iter_mut().find(same) {
                Some(place) => *place = (own, true),
                None => exits.push((own, true)),
            }
        }
        copy.exits = exits.into_iter().map(|(exit, _)| exit).collect();
        if copy.behaviour.is_none() {
            copy.behaviour = behaviour;
        }
    }
}

impl Mission {
    /// What a named amount measures, as seen from a block; none when nobody knows.
    pub fn measures(&self, name: &str, block: Block, depth: usize) -> Option<Dimension> {
        if depth > DEEPEST {
            return None;
        }
        let of = |value: &Spanned<Value>| {
            let mut named = |name: &str, _: &Range<usize>| self.measures(name, block, depth + 1);
            amounts::dimension(value, &mut named).ok().flatten()
        };
        if let Block::Routine(routine) = block
            && let Some(parameter) = self.routines[routine]
                .parameters
                .iter()
                .find(|known| known.name.node == name)
        {
            return match &parameter.default.as_ref()?.node {
                Argument::Amount(value) => of(value),
                Argument::Word(word) if word != name => {
                    self.measures(word, Block::Mission, depth + 1)
                }
                Argument::Side(_) | Argument::Comparison(_) | Argument::Word(_) => None,
            };
        }
        Some(
            self.lets
                .iter()
                .find(|entry| entry.name.node == name)?
                .amount?
                .dimension,
        )
    }
}

struct Parser<'t> {
    text: &'t str,
    parsed: Parsed,
    /// What steps now belong to.
    block: Block,
    /// The step that behaviours and exits now belong to.
    current: Option<TextStep>,
    /// The repeats that are open, outermost first.
    open: Vec<TextStep>,
    /// How many more were opened beyond what is allowed.
    too_deep: usize,
    /// The parameters of the routine that is open.
    parameters: Vec<String>,
    settle: Vec<(Block, Range<usize>, Vec<SlotKind>)>,
}

impl Parser<'_> {
    fn line(&mut self, span: Range<usize>) {
        let (tokens, comment) = tokens(self.text, span.clone());
        let index = self.parsed.lines.len();
        let depth = self.depth();
        self.parsed.lines.push(Line {
            span: span.clone(),
            kind: LineKind::Blank,
            depth,
            comment,
        });
        if tokens.is_empty() || self.parsed.findings.len() >= MOST_FINDINGS {
            return;
        }
        let end = tokens.last().map_or(span.start, |token| token.span.end);
        let parameters = std::mem::take(&mut self.parameters);
        let mut line = Sentence {
            text: self.text,
            tokens,
            at: 0,
            end,
            line: index,
            parameters: &parameters,
            slots: Vec::new(),
            open: Vec::new(),
            findings: Vec::new(),
            depth: 0,
        };
        let mut fresh = None;
        let kind = self.read(&mut line, &mut fresh);
        let kind = kind.filter(|_| line.finished());
        self.parsed.lines[index].kind = kind.unwrap_or(LineKind::Broken);
        let step = self.current.or_else(|| self.open.last().copied());
        if kind.is_none()
            && let Some(step) = step
        {
            self.parsed.mission.steps[step].broken = true;
        }
        for step in self.current.iter().chain(&self.open) {
            self.parsed.mission.steps[*step].last = index;
        }
        let block = self.block;
        self.settle.extend(
            line.open
                .drain(..)
                .map(|(span, kinds)| (block, span, kinds)),
        );
        self.parsed.slots.append(&mut line.slots);
        self.parsed.findings.append(&mut line.findings);
        self.parameters = fresh.unwrap_or(parameters);
    }

    fn depth(&self) -> usize {
        // A repeat stands in its step, and its steps stand in the repeat.
        2 * self.open.len() + usize::from(matches!(self.block, Block::Routine(_)))
    }

    /// Reads one line. `fresh` is set when the parameters in force change with it.
    fn read(
        &mut self,
        line: &mut Sentence<'_>,
        fresh: &mut Option<Vec<String>>,
    ) -> Option<LineKind> {
        let first = line.peek()?.clone();
        let word = if first.kind == TokenKind::Word {
            &self.text[first.span.clone()]
        } else {
            ""
        };
        line.at += usize::from(!word.is_empty());
        match word {
            "mission" => {
                let name = line
                    .quoted("the mission's name in quotes, such as `mission \"Morning round\"`")?;
                only_once(line, self.parsed.mission.name.is_some(), "mission", &first)?;
                self.parsed.mission.name = Some(name);
                Some(LineKind::Mission)
            }
            "limit" | "start" | "begin" | "settle" | "last" | "use" => {
                self.header(line, word, &first)
            }
            "let" => self.let_line(line),
            "step" => {
                if matches!(self.block, Block::Reflex(_)) {
                    self.close_block();
                } else {
                    self.close_step();
                }
                let name =
                    line.quoted("the step's name in quotes, such as `step \"Leave the slipway\"`");
                let broken = name.is_none();
                // A step whose name is broken is still a step: what follows belongs to it, not to
                // the one above.
                let name = name.unwrap_or(Spanned {
                    node: String::new(),
                    span: first.span.clone(),
                });
                self.parsed.lines[line.line].depth = self.depth();
                self.begin_step(name, line.line, broken);
                (!broken).then_some(LineKind::Step)
            }
            "routine" => {
                *fresh = Some(Vec::new());
                self.routine(line, fresh)
            }
            "reflex" => {
                self.close_block();
                *fresh = Some(Vec::new());
                let name = line
                    .quoted("the reflex's name in quotes, such as `reflex \"Keep off the rim\"`");
                let broken = name.is_none();
                let name = name.unwrap_or(Spanned {
                    node: String::new(),
                    span: first.span.clone(),
                });
                self.block = Block::Reflex(self.parsed.mission.reflexes.len());
                self.parsed.mission.reflexes.push(Reflex {
                    name: name.clone(),
                    trigger: None,
                    within: Vec::new(),
                    then: None,
                    watch_line: line.line,
                    line: line.line,
                });
                self.parsed.lines[line.line].depth = 0;
                self.begin_step(name, line.line, broken);
                (!broken).then_some(LineKind::Reflex)
            }
            "when" | "while" | "otherwise" => self.when(line, word, &first),
            "during" | "then" => self.watch(line, word, &first),
            "end" => self.end(line, &first, fresh),
            "until" | "or" => self.exit(line, word, &first),
            "like" => self.like(line, &first),
            "but" => self.but(line, &first),
            _ if kind_of(word).is_some() => self.behaviour(line, word, &first),
            _ => {
                let found = &self.text[first.span.clone()];
                let hint = unknown_opener(found, &first.span);
                line.error(
                    "M002",
                    first.span,
                    format!("unknown first word `{found}`"),
                    hint,
                );
                None
            }
        }
    }

    fn header(&mut self, line: &mut Sentence<'_>, word: &str, first: &Token) -> Option<LineKind> {
        let mission = &mut self.parsed.mission;
        match word {
            "limit" => {
                let value = line.quantity(&amount(Dimension::Time, 0.1, 3600.0))?;
                only_once(line, mission.limit.is_some(), word, first)?;
                mission.limit = Some(value);
            }
            "start" => {
                let name = line.name("the name of a start pose", SlotKind::Start)?;
                only_once(line, mission.start.is_some(), word, first)?;
                mission.start = Some(name);
            }
            "settle" => {
                let value = line.quantity(&amount(Dimension::Time, 0.0, 60.0))?;
                only_once(line, mission.settle.is_some(), word, first)?;
                mission.settle = Some(value);
            }
            "last" => {
                line.words(&["resort"])?;
                let step =
                    line.quoted("the name of a step in quotes, such as `last resort \"Go home\"`")?;
                line.slots.last_mut()?.kind = SlotKind::Target;
                only_once(line, mission.last_resort.is_some(), "last resort", first)?;
                mission.last_resort = Some(step);
            }
            "use" => {
                let path =
                    line.quoted("the path of a file with routines in quotes, such as `use \"shared/turns.way\"`")?;
                mission.uses.push(path);
            }
            _ if line.eat("on") => {
                let button = line.device(DeviceKind::Switch)?;
                only_once(line, mission.button.is_some(), "begin on", first)?;
                mission.button = Some(button);
            }
            _ => {
                if !line.eat("after") {
                    line.expected("`on` with a button or `after` with a time");
                    return None;
                }
                let value = line.quantity(&amount(Dimension::Time, 0.0, 600.0))?;
                only_once(line, mission.delay.is_some(), "begin after", first)?;
                mission.delay = Some(value);
            }
        }
        Some(LineKind::Header)
    }

    fn let_line(&mut self, line: &mut Sentence<'_>) -> Option<LineKind> {
        let token = line.peek().cloned();
        let Some(token) = token.filter(|token| token.kind == TokenKind::Word) else {
            line.expected("a name, as in `let cruise = 45 %`");
            return None;
        };
        line.at += 1;
        let name = Spanned {
            node: self.text[token.span.clone()].to_owned(),
            span: token.span,
        };
        line.sign("=")?;
        let value = line.whole_formula()?;
        // From here on the name stands for something, whatever is wrong with the rest of the line.
        let lets = &self.parsed.mission.lets;
        let above = |name: &str| lets.iter().find(|entry| entry.name.node == name)?.amount;
        let worth = amounts::evaluate(&value.node, &above).filter(|amount| amount.si.is_finite());
        let entry = Let {
            name,
            value: value.clone(),
            amount: worth,
            safe: None,
            origin: None,
            line: line.line,
        };
        self.parsed.mission.lets.push(entry);
        let mut safe = None;
        if line.clause("safe") {
            line.words(&["from"])?;
            let dimension = match &value.node {
                Value::Literal(quantity) => quantity.unit.dimension(),
                Value::Named(_) | Value::Formula(_) => Dimension::Number,
            };
            let kind = amount(dimension, -crate::units::LARGEST, crate::units::LARGEST);
            let low = line.quantity(&kind)?;
            line.words(&["to"])?;
            let high = line.quantity(&kind)?;
            if low.node.si() >= high.node.si() {
                let message = format!("the range from {} to {} is empty", low.node, high.node);
                line.error(
                    "M008",
                    low.span.start..high.span.end,
                    message,
                    "write the smaller amount first",
                );
                return None;
            }
            if let Value::Literal(quantity) = &value.node
                && !(low.node.si()..=high.node.si()).contains(&quantity.si())
            {
                let message = format!("{quantity} is not within {} to {}", low.node, high.node);
                line.error(
                    "M008",
                    value.span.clone(),
                    message,
                    "change the amount, or widen the safe range",
                );
                return None;
            }
            safe = Some([low, high]);
        }
        let mut origin = None;
        for (word, node) in [("measured", Origin::Measured), ("guessed", Origin::Guessed)] {
            if origin.is_none() && line.clause(word) {
                let span = line.tokens[line.at - 1].span.clone();
                line.slots.push(Slot {
                    span: span.clone(),
                    kind: SlotKind::Choice(&["measured", "guessed"]),
                    line: line.line,
                });
                origin = Some(Spanned { node, span });
            }
        }
        let entry = self.parsed.mission.lets.last_mut()?;
        (entry.safe, entry.origin) = (safe, origin);
        Some(LineKind::Let)
    }

    fn begin_step(&mut self, name: Spanned<String>, line: usize, broken: bool) {
        self.current = Some(TextStep(self.parsed.mission.steps.len()));
        self.parsed.mission.steps.push(Step {
            name,
            line,
            behaviour: None,
            like: None,
            rows: Vec::new(),
            broken,
            exits: Vec::new(),
            block: self.block,
            inside: self.open.last().copied(),
            last: line,
        });
    }

    fn routine(
        &mut self,
        line: &mut Sentence<'_>,
        fresh: &mut Option<Vec<String>>,
    ) -> Option<LineKind> {
        self.close_block();
        self.parsed.lines[line.line].depth = 0;
        let named = line.name(
            "the routine's name, such as `routine back-away (back = 120 mm)`",
            SlotKind::Name,
        );
        if named.is_some() {
            line.slots.pop();
        }
        let name = named.clone().unwrap_or(Spanned {
            node: String::new(),
            span: line.end..line.end,
        });
        self.block = Block::Routine(self.parsed.mission.routines.len());
        self.parsed.mission.routines.push(Routine {
            name,
            parameters: Vec::new(),
            line: line.line,
        });
        named?;
        let mut parameters: Vec<Parameter> = Vec::new();
        if line.eat_sign("(") && !line.eat_sign(")") {
            loop {
                let name = line.name("the name of a parameter", SlotKind::Name)?;
                line.slots.pop();
                let default = if line.eat_sign("=") {
                    Some(line.argument()?)
                } else {
                    None
                };
                if parameters.iter().any(|other| other.name.node == name.node) {
                    let message = format!("there are two parameters named `{}`", name.node);
                    line.error(
                        "M106",
                        name.span.clone(),
                        message,
                        "give one of them another name",
                    );
                    return None;
                }
                parameters.push(Parameter { name, default });
                if !line.eat_sign(",") {
                    break;
                }
            }
            line.sign(")")?;
        }
        *fresh = Some(
            parameters
                .iter()
                .map(|parameter| parameter.name.node.clone())
                .collect(),
        );
        self.parsed.mission.routines.last_mut()?.parameters = parameters;
        Some(LineKind::Routine)
    }

    /// The step that a line belongs to; none, with a finding, when there is none.
    fn step_for(&mut self, line: &mut Sentence<'_>, word: &str, first: &Token) -> Option<TextStep> {
        if self.current.is_none() {
            let (message, hint) = match self.open.last() {
                Some(_) => (
                    format!("`{word}` is outside a step"),
                    "put a line `step \"...\"` above it, or `end`",
                ),
                None => (
                    format!("`{word}` is outside a step"),
                    "put a line `step \"...\"` above it",
                ),
            };
            line.error("M007", first.span.clone(), message, hint);
        }
        self.current
    }

    fn behaviour(
        &mut self,
        line: &mut Sentence<'_>,
        word: &str,
        first: &Token,
    ) -> Option<LineKind> {
        let index = self.step_for(line, word, first)?;
        let step = &self.parsed.mission.steps[index];
        if step.like.is_some() {
            let hint = "write `but` before what is different from the original";
            line.error(
                "M007",
                first.span.clone(),
                "a copy does what its original does",
                hint,
            );
            return None;
        }
        if step.behaviour.is_some() || !step.exits.is_empty() {
            let message = if step.behaviour.is_some() {
                "a second behaviour in one step"
            } else {
                "a behaviour after the exits of its step"
            };
            line.error(
                "M007",
                first.span.clone(),
                message,
                "start a new step above it, or delete one",
            );
            return None;
        }
        let kind = kind_of(word)?;
        let behaviour = (kind.read)(line);
        if behaviour.is_none() {
            line.as_in(kind.example);
        }
        let whole = behaviour.is_some() && line.finished();
        if word == "repeat" {
            // Also when it is broken: its `end` will come.
            self.open_repeat(index, line, first);
        }
        let behaviour = behaviour.filter(|_| whole)?;
        let span = first.span.start..line.end;
        self.parsed.mission.steps[index].behaviour = Some((
            Spanned {
                node: behaviour,
                span,
            },
            line.line,
        ));
        Some(LineKind::Behaviour)
    }

    /// `like` of a copy.
    fn like(&mut self, line: &mut Sentence<'_>, first: &Token) -> Option<LineKind> {
        let index = self.step_for(line, "like", first)?;
        let step = &self.parsed.mission.steps[index];
        if step.behaviour.is_some()
            || step.like.is_some()
            || !step.exits.is_empty()
            || step.block != self.block
        {
            line.error(
                "M007",
                first.span.clone(),
                "`like` must come first in a step",
                "start a new step above it",
            );
            return None;
        }
        if matches!(step.block, Block::Reflex(_)) {
            line.error(
                "M007",
                first.span.clone(),
                "a reflex cannot be a copy",
                "write what it does",
            );
            return None;
        }
        let name = line
            .quoted("the name of another step in quotes, such as `like \"Along the causeway\"`")?;
        self.parsed.mission.steps[index].like = Some(name);
        Some(LineKind::Behaviour)
    }

    /// What a copy does or ends by instead of what its original does.
    fn but(&mut self, line: &mut Sentence<'_>, first: &Token) -> Option<LineKind> {
        let index = self.step_for(line, "but", first)?;
        if self.parsed.mission.steps[index].like.is_none() {
            let hint = "it says what is different in a linked copy: put `like \"...\"` above it";
            line.error("M007", first.span.clone(), "`but` is outside a copy", hint);
            return None;
        }
        let word = line.word().unwrap_or("");
        let second = line.peek().cloned();
        match word {
            "until" | "or" => {
                line.at += 1;
                let condition = line.condition()?;
                let target = line.target()?;
                if !line.finished() {
                    return None;
                }
                self.parsed.mission.steps[index].exits.push(Exit {
                    condition,
                    target,
                    line: line.line,
                });
                Some(LineKind::Exit)
            }
            "choose" | "react" | "repeat" => {
                let span = second.map_or(line.end..line.end, |token| token.span);
                line.error(
                    "M007",
                    span,
                    format!("a copy cannot `{word}`"),
                    "write a step of its own",
                );
                None
            }
            _ if kind_of(word).is_some() => {
                line.at += 1;
                if self.parsed.mission.steps[index].behaviour.is_some() {
                    line.error(
                        "M007",
                        first.span.clone(),
                        "a second behaviour in one step",
                        "delete one",
                    );
                    return None;
                }
                let node = (kind_of(word)?.read)(line)?;
                if !line.finished() {
                    return None;
                }
                let start = second.map_or(line.end, |token| token.span.start);
                let behaviour = Spanned {
                    node,
                    span: start..line.end,
                };
                self.parsed.mission.steps[index].behaviour = Some((behaviour, line.line));
                Some(LineKind::Behaviour)
            }
            _ => {
                line.expected("an exit such as `until 2 s pass`, or a behaviour");
                None
            }
        }
    }

    fn open_repeat(&mut self, index: TextStep, line: &mut Sentence<'_>, first: &Token) {
        if self.open.len() >= DEEPEST {
            if self.too_deep == 0 {
                let message = format!("more than {DEEPEST} repeats within each other");
                line.error(
                    "M118",
                    first.span.clone(),
                    message,
                    "move the inner ones into a routine",
                );
            }
            self.too_deep += 1;
            self.parsed.mission.steps[index].broken = true;
            return;
        }
        self.open.push(index);
        self.current = None;
    }

    fn end(
        &mut self,
        line: &mut Sentence<'_>,
        first: &Token,
        fresh: &mut Option<Vec<String>>,
    ) -> Option<LineKind> {
        let index = line.line;
        self.close_step();
        if self.too_deep > 0 {
            self.too_deep -= 1;
            return Some(LineKind::End);
        }
        if let Some(repeat) = self.open.pop() {
            if !self
                .parsed
                .mission
                .steps
                .iter()
                .any(|step| step.inside == Some(repeat))
            {
                let span = self.parsed.mission.steps[repeat].name.span.clone();
                let message = format!(
                    "step \"{}\" repeats nothing",
                    self.parsed.mission.steps[repeat].name.node
                );
                line.findings.push(
                    Finding::error("M119", Source::Mission, span, message)
                        .hint("put steps between `repeat` and `end`"),
                );
            }
            self.current = Some(repeat);
            return Some(LineKind::End);
        }
        if matches!(self.block, Block::Routine(_)) {
            self.block = Block::Mission;
            self.current = None;
            self.parsed.lines[index].depth = 0;
            *fresh = Some(Vec::new());
            return Some(LineKind::End);
        }
        line.error(
            "M007",
            first.span.clone(),
            "there is no `repeat` or routine to end here",
            "delete it, or write a `repeat` above it",
        );
        None
    }

    /// `when` of a reflex or of a row, `while` of a reflex, `otherwise` of a row.
    fn when(&mut self, line: &mut Sentence<'_>, word: &str, first: &Token) -> Option<LineKind> {
        if let Block::Reflex(reflex) = self.block
            && word != "otherwise"
            && self.parsed.mission.reflexes[reflex].trigger.is_none()
            && self
                .current
                .is_some_and(|step| self.parsed.mission.steps[step].behaviour.is_none())
        {
            let condition = line.condition()?;
            let reflex = &mut self.parsed.mission.reflexes[reflex];
            (reflex.trigger, reflex.watch_line) = (Some((condition, word == "while")), line.line);
            return Some(LineKind::Watch);
        }
        let index = self.step_for(line, word, first)?;
        let step = &self.parsed.mission.steps[index];
        let choose = matches!(&step.behaviour, Some((behaviour, _)) if matches!(behaviour.node, Behaviour::Choose(_)));
        let react = matches!(&step.behaviour, Some((behaviour, _)) if matches!(behaviour.node, Behaviour::React(_)));
        if word == "while" || !(choose || react) {
            if !step.broken {
                let message = format!("`{word}` is outside a `choose`, a `react` or a reflex");
                line.error(
                    "M007",
                    first.span.clone(),
                    message,
                    "write `until` for what ends a step",
                );
            }
            return None;
        }
        let condition = if word == "otherwise" {
            None
        } else {
            Some(line.condition()?)
        };
        let answer = if choose {
            let start = line.at;
            let target = line.target()?;
            if start == line.at {
                line.expected("`->` and where to go");
                return None;
            }
            Answer::Go(target)
        } else {
            line.sign(",")?;
            let token = line.peek().cloned();
            let Some(kind) = line.word().and_then(kind_of) else {
                line.expected("a behaviour, such as `drive ahead at 40 %`");
                return None;
            };
            let word = kind.word;
            if matches!(word, "choose" | "react" | "repeat") {
                let span = token
                    .as_ref()
                    .map_or(line.end..line.end, |token| token.span.clone());
                line.error(
                    "M007",
                    span,
                    format!("`{word}` cannot be a reaction"),
                    "put it into a routine and `do` it",
                );
                return None;
            }
            line.at += 1;
            let node = (kind.read)(line)?;
            let start = token.map_or(line.end, |token| token.span.start);
            Answer::Does(Box::new(Spanned {
                node,
                span: start..line.end,
            }))
        };
        if !line.finished() {
            return None;
        }
        self.parsed.mission.steps[index].rows.push(Row {
            condition,
            answer,
            line: line.line,
        });
        Some(LineKind::Row)
    }

    /// `during` and `then` of a reflex.
    fn watch(&mut self, line: &mut Sentence<'_>, word: &str, first: &Token) -> Option<LineKind> {
        let Block::Reflex(reflex) = self.block else {
            line.error(
                "M007",
                first.span.clone(),
                format!("`{word}` is outside a reflex"),
                "put a line `reflex \"...\"` above it",
            );
            return None;
        };
        if word == "during" {
            let within = line.step_names()?;
            only_once(
                line,
                !self.parsed.mission.reflexes[reflex].within.is_empty(),
                word,
                first,
            )?;
            self.parsed.mission.reflexes[reflex].within = within;
            return Some(LineKind::Watch);
        }
        let start = line.peek().map_or(line.end, |token| token.span.start);
        let node = match line.word() {
            Some("resume") => Then::Resume,
            Some("restart") => Then::Restart,
            _ if line
                .peek()
                .is_some_and(|token| token.kind == TokenKind::Arrow) =>
            {
                Then::Go(line.target()?)
            }
            _ => {
                line.expected("`resume`, `restart` or `->` and where to go");
                line.suggest(&["resume", "restart"]);
                return None;
            }
        };
        if matches!(node, Then::Resume | Then::Restart) {
            line.take_slot(SlotKind::Choice(&["resume", "restart"]));
        }
        only_once(
            line,
            self.parsed.mission.reflexes[reflex].then.is_some(),
            word,
            first,
        )?;
        self.parsed.mission.reflexes[reflex].then = Some(Spanned {
            node,
            span: start..line.end,
        });
        Some(LineKind::Watch)
    }

    fn exit(&mut self, line: &mut Sentence<'_>, word: &str, first: &Token) -> Option<LineKind> {
        let index = self.step_for(line, word, first)?;
        let step = &self.parsed.mission.steps[index];
        if step.like.is_some() {
            let hint = "write `but` before what is different from the original";
            line.error(
                "M007",
                first.span.clone(),
                "a copy ends as its original does",
                hint,
            );
            return None;
        }
        // After a broken line nobody knows whether this one is out of place.
        if !step.broken {
            let hint = match (word, step.exits.is_empty()) {
                ("or", true) => Some((
                    "`or` without an `until` above it",
                    "write `until` for the first exit of a step",
                )),
                ("until", false) => Some((
                    "a second `until` in one step",
                    "write `or` for every further exit of a step",
                )),
                _ => None,
            };
            if let Some((message, hint)) = hint {
                line.error("M007", first.span.clone(), message, hint);
                return None;
            }
        }
        let Some(condition) = line.condition() else {
            line.as_in(match line.first_dimension() {
                Some(Dimension::Time) => "until 2 s pass",
                Some(Dimension::Length) => "until travelled 300 mm",
                Some(Dimension::Angle) => "until turned 90 deg",
                _ => "until floor-left sees dark  -> next",
            });
            return None;
        };
        let target = line.target()?;
        if !line.finished() {
            return None;
        }
        self.parsed.mission.steps[index].exits.push(Exit {
            condition,
            target,
            line: line.line,
        });
        Some(LineKind::Exit)
    }

    /// Ends whatever is open: at the end of the text, or when another block begins.
    fn close_block(&mut self) {
        self.close_step();
        self.too_deep = 0;
        while let Some(repeat) = self.open.pop() {
            let step = &self.parsed.mission.steps[repeat];
            let message = format!("the repeat of step \"{}\" has no `end`", step.name.node);
            let span = step
                .behaviour
                .as_ref()
                .map_or(step.name.span.clone(), |(behaviour, _)| {
                    behaviour.span.clone()
                });
            let finding = Finding::error("M119", Source::Mission, span, message);
            if self.parsed.findings.len() < MOST_FINDINGS {
                self.parsed
                    .findings
                    .push(finding.hint("put a line `end` below the last step that is repeated"));
            }
        }
        self.block = Block::Mission;
    }

    /// Says what the step that ends here lacks, unless one of its lines is broken: that has been
    /// said.
    fn close_step(&mut self) {
        let Some(step) = self
            .current
            .take()
            .map(|index| &self.parsed.mission.steps[index])
        else {
            return;
        };
        let span = self.parsed.lines[step.line].span.clone();
        let span = span.start..step.name.span.end;
        let name = &step.name.node;
        let reflex = match step.block {
            Block::Reflex(index) => Some(&self.parsed.mission.reflexes[index]),
            Block::Mission | Block::Routine(_) => None,
        };
        let what = if reflex.is_some() { "reflex" } else { "step" };
        if step.broken || step.like.is_some() {
            return;
        }
        let lasting = reflex.is_some_and(|reflex| matches!(reflex.trigger, Some((_, true))));
        let finding = match &step.behaviour {
            None => Finding::error(
                "M107",
                Source::Mission,
                span,
                format!("{what} \"{name}\" does nothing"),
            )
            .hint("add a behaviour below it, such as `drive ahead at 40 %`"),
            Some((behaviour, _))
                if matches!(behaviour.node, Behaviour::Choose(_) | Behaviour::React(_))
                    && step.rows.is_empty() =>
            {
                Finding::error(
                    "M119",
                    Source::Mission,
                    span,
                    format!("{what} \"{name}\" has nothing to choose from"),
                )
                .hint("add rows below it, such as `when ahead < 200 mm ...`")
            }
            Some((behaviour, _)) => {
                let forever = matches!(behaviour.node, Behaviour::Repeat(_));
                if !step.exits.is_empty()
                    || !behaviour.node.outcomes().is_empty()
                    || forever
                    || lasting
                {
                    return;
                }
                Finding::error(
                    "M108",
                    Source::Mission,
                    span,
                    format!("nothing ends {what} \"{name}\""),
                )
                .hint(format!(
                    "add an exit below it, such as `until {}`",
                    usual_end(&behaviour.node)
                ))
            }
        };
        self.parsed.findings.push(finding);
    }
}

/// A condition that ends a behaviour sooner or later.
const fn usual_end(behaviour: &Behaviour) -> &'static str {
    if matches!(behaviour, Behaviour::Spin(_) | Behaviour::Pivot(_)) {
        "turned 90 deg"
    } else if matches!(
        behaviour,
        Behaviour::Drive(_) | Behaviour::Follow(_) | Behaviour::Keep(_)
    ) {
        "travelled 300 mm"
    } else {
        "2 s pass"
    }
}

/// None, with a finding, when the line's subject was given before.
fn only_once(line: &mut Sentence<'_>, taken: bool, word: &str, first: &Token) -> Option<()> {
    if taken {
        line.error(
            "M007",
            first.span.clone(),
            format!("a second `{word}` line"),
            "keep one of the two",
        );
        return None;
    }
    Some(())
}

/// What may be meant by a first word that no line begins with: an everyday word for a behaviour, or
/// one misspelt.
fn unknown_opener(found: &str, span: &Range<usize>) -> Hints {
    let mut meant = BEHAVIOURS
        .iter()
        .filter(|kind| kind.plain.contains(&found))
        .take(3)
        .peekable();
    if meant.peek().is_some() {
        let hints =
            meant.map(|kind| Hint::from(format!("write `{}`: {}", kind.example, kind.what)));
        return Hints(hints.collect());
    }
    let openers = OPENERS.iter().copied().chain(behaviours::words());
    match nearest(found, openers) {
        Some(near) => {
            let edit = Edit { span: span.clone(), text: near.to_owned() };
            Hint::edit(format!("did you mean `{near}`?"), edit).into()
        }
        None => "a line begins with `step`, with a behaviour such as `drive`, `spin`, `follow` or `hold`, or with `until` or \
                 `or` for an exit"
            .into(),
    }
}
