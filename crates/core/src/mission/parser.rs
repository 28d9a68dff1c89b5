//! Mission text to model: one line at a time, one function a sentence.
//!
//! A function that reads a sentence answers `None` after it has said what is wrong; the rest of that line is
//! then skipped, so one mistake is one finding.

use std::ops::Range;

use super::ast::{
    Behaviour, Condition, DeviceState, Direction, Exit, Let, Line, LineKind, Mission, Slot, SlotKind, Spanned, Step,
    StopKind, Target, Value, Wheel,
};
use super::lexer::{Token, TokenKind, tokens};
use crate::finding::{Finding, Source, nearest};
use crate::units::{Dimension, LARGEST, Quantity, Unit, parse_number};

/// Longer texts are refused unread: no mission that a person wrote comes near it.
const LARGEST_TEXT: usize = 1 << 20;
/// After so many findings the rest of the text is left alone: it is not a mission.
const MOST_FINDINGS: usize = 100;

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

/// First words that open a line, for suggestions.
const OPENERS: &[&str] = &[
    "mission", "limit", "start", "let", "step", "drive", "spin", "pivot", "follow", "hold", "move", "signal", "until",
    "or",
];

/// Reads a mission text. Never fails: what cannot be understood is in the findings.
pub fn parse(text: &str) -> Parsed {
    let mut parser = Parser { text, parsed: Parsed::default() };
    if text.len() > LARGEST_TEXT {
        let message = format!("the mission holds {} kB; the limit is {} kB", text.len() >> 10, LARGEST_TEXT >> 10);
        parser
            .parsed
            .findings
            .push(Finding::error("M001", Source::Mission, 0..0, message).hint("is this the right file?"));
        return parser.parsed;
    }
    let mut start = 0;
    for line in text.split('\n') {
        let end = start + line.len();
        parser.line(start..start + line.strip_suffix('\r').unwrap_or(line).len());
        start = end + 1;
    }
    parser.close_step();
    let mut parsed = parser.parsed;
    parsed.slots.sort_by_key(|slot| slot.span.start);
    settle_limits(&mut parsed);
    parsed
}

/// A limit that is a name is a distance when its `let` is one, and a speed that is a name is a regulated one when its
/// `let` is, wherever that stands.
fn settle_limits(parsed: &mut Parsed) {
    let lengths: Vec<&str> = (parsed.mission.lets.iter())
        .filter(|entry| entry.value.node.unit.dimension() == Dimension::Length)
        .map(|entry| entry.name.node.as_str())
        .collect();
    let speeds: Vec<&str> = (parsed.mission.lets.iter())
        .filter(|entry| entry.value.node.unit.dimension() == Dimension::Speed)
        .map(|entry| entry.name.node.as_str())
        .collect();
    for (behaviour, _) in parsed.mission.steps.iter().filter_map(|step| step.behaviour.as_ref()) {
        if let Some(Spanned { node: Value::Named(name), span }) = behaviour.node.speed()
            && speeds.contains(&name.as_str())
            && let Some(slot) = parsed.slots.iter_mut().find(|slot| slot.span == *span)
        {
            slot.kind = regulated();
        }
    }
    for exit in parsed.mission.steps.iter().flat_map(|step| &step.exits) {
        if let Condition::Reads { limit: Spanned { node: Value::Named(name), span }, .. } = &exit.condition.node
            && let Some(slot) = parsed.slots.iter_mut().find(|slot| slot.span == *span)
        {
            let voltage_named = (parsed.mission.lets.iter())
                .any(|entry| entry.name.node == *name && entry.value.node.unit.dimension() == Dimension::Voltage);
            if lengths.contains(&name.as_str()) {
                slot.kind = distance();
            } else if voltage_named {
                slot.kind = voltage();
            }
        }
    }
}

struct Parser<'t> {
    text: &'t str,
    parsed: Parsed,
}

impl Parser<'_> {
    fn line(&mut self, span: Range<usize>) {
        let (tokens, comment) = tokens(self.text, span.clone());
        let index = self.parsed.lines.len();
        self.parsed.lines.push(Line { span: span.clone(), kind: LineKind::Blank, comment });
        if tokens.is_empty() || self.parsed.findings.len() >= MOST_FINDINGS {
            return;
        }
        let end = tokens.last().map_or(span.start, |token| token.span.end);
        let mut line =
            Sentence { text: self.text, tokens, at: 0, end, line: index, slots: Vec::new(), findings: Vec::new() };
        let kind = self.read(&mut line);
        let kind = kind.filter(|_| line.finished());
        self.parsed.lines[index].kind = kind.unwrap_or(LineKind::Broken);
        if kind.is_none()
            && let Some(step) = self.parsed.mission.steps.last_mut()
        {
            step.broken = true;
        }
        self.parsed.slots.append(&mut line.slots);
        self.parsed.findings.append(&mut line.findings);
    }

    fn read(&mut self, line: &mut Sentence<'_>) -> Option<LineKind> {
        let first = line.peek()?.clone();
        let word = if first.kind == TokenKind::Word { &self.text[first.span.clone()] } else { "" };
        line.at += usize::from(!word.is_empty());
        match word {
            "mission" => {
                let name = line.quoted("the mission's name in quotes, such as `mission \"Morning round\"`")?;
                only_once(line, self.parsed.mission.name.is_some(), "mission", &first)?;
                self.parsed.mission.name = Some(name);
                Some(LineKind::Mission)
            }
            "limit" => {
                let value = line.quantity(&amount(Dimension::Time, 0.1, 3600.0))?;
                only_once(line, self.parsed.mission.limit.is_some(), "limit", &first)?;
                self.parsed.mission.limit = Some(value);
                Some(LineKind::Header)
            }
            "start" => {
                let name = line.name("the name of a start pose", SlotKind::Start)?;
                only_once(line, self.parsed.mission.start.is_some(), "start", &first)?;
                self.parsed.mission.start = Some(name);
                Some(LineKind::Header)
            }
            "let" => self.let_line(line),
            "step" => {
                self.close_step();
                let name = line.quoted("the step's name in quotes, such as `step \"Leave the slipway\"`");
                let broken = name.is_none();
                // A step whose name is broken is still a step: what follows belongs to it, not to the one above.
                let name = name.unwrap_or(Spanned { node: String::new(), span: first.span.clone() });
                let step = Step { name, line: line.line, behaviour: None, broken, exits: Vec::new() };
                self.parsed.mission.steps.push(step);
                (!broken).then_some(LineKind::Step)
            }
            "until" | "or" => self.exit(line, word, &first),
            "drive" | "spin" | "pivot" | "follow" | "hold" | "move" | "signal" => self.behaviour(line, word, &first),
            _ => {
                let found = &self.text[first.span.clone()];
                let hint = match nearest(found, OPENERS.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!("a line starts with {}", listed(OPENERS)),
                };
                line.error("M002", first.span, format!("no sentence starts with `{found}`"), &hint);
                None
            }
        }
    }

    fn let_line(&mut self, line: &mut Sentence<'_>) -> Option<LineKind> {
        let token = line.peek().cloned();
        let Some(token) = token.filter(|token| token.kind == TokenKind::Word) else {
            line.expected("a name, as in `let cruise = 45 %`");
            return None;
        };
        line.at += 1;
        let name = Spanned { node: self.text[token.span.clone()].to_owned(), span: token.span };
        line.sign("=")?;
        let (span, quantity) = line.number_with_unit()?;
        let kind = SlotKind::Amount { dimension: quantity.unit.dimension(), range: (-LARGEST, LARGEST), whole: false };
        line.slots.push(Slot { span: span.clone(), kind, line: line.line });
        self.parsed.mission.lets.push(Let { name, value: Spanned { node: quantity, span }, line: line.line });
        Some(LineKind::Let)
    }

    fn behaviour(&mut self, line: &mut Sentence<'_>, word: &str, first: &Token) -> Option<LineKind> {
        let Some(step) = self.parsed.mission.steps.last() else {
            line.error(
                "M007",
                first.span.clone(),
                format!("`{word}` stands outside a step"),
                "put a line `step \"...\"` above it",
            );
            return None;
        };
        if step.behaviour.is_some() || !step.exits.is_empty() {
            let message = if step.behaviour.is_some() {
                "a second behaviour in one step"
            } else {
                "a behaviour after the exits of its step"
            };
            line.error("M007", first.span.clone(), message, "start a new step above it, or take one out");
            return None;
        }
        let behaviour = match word {
            "drive" => line.drive(),
            "spin" => line.spin(),
            "pivot" => line.pivot(),
            "follow" => line.follow(),
            "move" => line.move_to(),
            "signal" => line.signal(),
            _ => line.hold(),
        }?;
        if !line.finished() {
            return None;
        }
        let span = first.span.start..line.end;
        let step = self.parsed.mission.steps.last_mut().expect("looked at above");
        step.behaviour = Some((Spanned { node: behaviour, span }, line.line));
        Some(LineKind::Behaviour)
    }

    fn exit(&mut self, line: &mut Sentence<'_>, word: &str, first: &Token) -> Option<LineKind> {
        let Some(step) = self.parsed.mission.steps.last() else {
            line.error(
                "M007",
                first.span.clone(),
                format!("`{word}` stands outside a step"),
                "put a line `step \"...\"` above it",
            );
            return None;
        };
        // After a broken line nobody knows whether this one is out of place.
        if !step.broken {
            let hint = match (word, step.exits.is_empty()) {
                ("or", true) => {
                    Some(("`or` without an `until` above it", "write `until` for the first exit of a step"))
                }
                ("until", false) => {
                    Some(("a second `until` in one step", "write `or` for every further exit of a step"))
                }
                _ => None,
            };
            if let Some((message, hint)) = hint {
                line.error("M007", first.span.clone(), message, hint);
                return None;
            }
        }
        let condition = line.condition()?;
        let target = line.target()?;
        if !line.finished() {
            return None;
        }
        let exit = Exit { condition, target, line: line.line };
        self.parsed.mission.steps.last_mut().expect("looked at above").exits.push(exit);
        Some(LineKind::Exit)
    }

    /// Says what the step that ends here lacks, unless one of its lines is broken: that has been said.
    fn close_step(&mut self) {
        let Some(step) = self.parsed.mission.steps.last() else { return };
        let span = self.parsed.lines[step.line].span.clone();
        let span = span.start..step.name.span.end;
        let name = &step.name.node;
        let finding = match (&step.behaviour, step.exits.is_empty(), step.broken) {
            (_, _, true) | (Some(_), false, _) => return,
            (None, ..) => Finding::error("M107", Source::Mission, span, format!("step \"{name}\" does nothing"))
                .hint("add a behaviour below it, such as `drive ahead at 40 %`"),
            (_, true, _) => Finding::error("M108", Source::Mission, span, format!("nothing ends step \"{name}\""))
                .hint("add an exit below it, such as `until travelled 300 mm`"),
        };
        self.parsed.findings.push(finding);
    }
}

fn amount(dimension: Dimension, least: f64, most: f64) -> SlotKind {
    SlotKind::Amount { dimension, range: (least, most), whole: false }
}

/// What a ranging sensor is compared with.
fn distance() -> SlotKind {
    amount(Dimension::Length, 0.0, 20.0)
}

/// What the battery is compared with.
fn voltage() -> SlotKind {
    amount(Dimension::Voltage, 0.0, 100.0)
}

/// A speed as a duty.
fn duty() -> SlotKind {
    amount(Dimension::Percent, 0.0, 1.0)
}

/// A speed that the motors' drivers keep.
fn regulated() -> SlotKind {
    amount(Dimension::Speed, 0.0, 5.0)
}

/// `a`, `b or c`, `a, b or c`
pub fn either(words: &[String]) -> String {
    match words {
        [] => String::new(),
        [one] => one.clone(),
        [first @ .., last] => format!("{} or {last}", first.join(", ")),
    }
}

fn listed(words: &[&str]) -> String {
    words.iter().map(|word| format!("`{word}`")).collect::<Vec<_>>().join(", ")
}

/// None, with a finding, when the line's subject was given before.
fn only_once(line: &mut Sentence<'_>, taken: bool, word: &str, first: &Token) -> Option<()> {
    if taken {
        line.error("M007", first.span.clone(), format!("a second `{word}` line"), "keep one of the two");
        return None;
    }
    Some(())
}

/// One line being read.
struct Sentence<'t> {
    text: &'t str,
    tokens: Vec<Token>,
    at: usize,
    /// Where its last token ends.
    end: usize,
    line: usize,
    slots: Vec<Slot>,
    findings: Vec<Finding>,
}

impl<'t> Sentence<'t> {
    fn peek(&self) -> Option<&Token> {
        self.tokens.get(self.at)
    }

    fn str(&self, token: &Token) -> &'t str {
        &self.text[token.span.clone()]
    }

    /// The next token's text when it is a word, without taking it.
    fn word(&self) -> Option<&'t str> {
        self.peek().filter(|token| token.kind == TokenKind::Word).map(|token| self.str(token))
    }

    fn error(&mut self, code: &'static str, span: Range<usize>, message: impl Into<String>, hint: &str) {
        self.findings.push(Finding::error(code, Source::Mission, span, message).hint(hint));
    }

    /// `expected ..., found ...` at the next token or at the end of the line.
    fn expected(&mut self, what: &str) {
        let (span, found) = match self.peek() {
            Some(token) if token.kind == TokenKind::OpenText => {
                let span = token.span.clone();
                self.error("M009", span, "this text is not closed", "add a `\"` at its end");
                return;
            }
            Some(token) => (token.span.clone(), format!("`{}`", self.str(token))),
            None => (self.end..self.end, "the end of the line".to_owned()),
        };
        self.findings.push(Finding::error("M003", Source::Mission, span, format!("expected {what}, found {found}")));
    }

    /// Whether the sentence has been read to its end; what is left over is a finding.
    fn finished(&mut self) -> bool {
        let Some(token) = self.peek() else { return true };
        if self.findings.is_empty() {
            let span = token.span.start..self.end;
            let rest = self.text[span.clone()].to_owned();
            self.error(
                "M006",
                span,
                format!("the sentence was complete before `{rest}`"),
                "take it out, or put it into a comment after `#`",
            );
        }
        false
    }

    fn eat(&mut self, word: &str) -> bool {
        let found = self.word() == Some(word);
        self.at += usize::from(found);
        found
    }

    /// The given words, one after another.
    fn words(&mut self, words: &[&str]) -> Option<()> {
        for word in words {
            if !self.eat(word) {
                self.expected(&format!("`{word}`"));
                self.suggest(&[word]);
                return None;
            }
        }
        Some(())
    }

    /// Adds a did-you-mean to the last finding when the next word is nearly one of these.
    fn suggest(&mut self, words: &[&str]) {
        let near = self.word().and_then(|typed| nearest(typed, words.iter().copied())).map(str::to_owned);
        if let (Some(near), Some(finding)) = (near, self.findings.last_mut()) {
            finding.hints.push(format!("did you mean `{near}`?"));
        }
    }

    fn sign(&mut self, sign: &str) -> Option<()> {
        if self.peek().is_some_and(|token| token.kind == TokenKind::Sign && self.str(token) == sign) {
            self.at += 1;
            return Some(());
        }
        self.expected(&format!("`{sign}`"));
        None
    }

    /// One of a few words, as a slot; answers its index.
    fn choice(&mut self, words: &'static [&'static str]) -> Option<usize> {
        let found = self.word().and_then(|word| words.iter().position(|choice| *choice == word));
        let Some(index) = found else {
            let quoted: Vec<String> = words.iter().map(|word| format!("`{word}`")).collect();
            self.expected(&either(&quoted));
            self.suggest(words);
            return None;
        };
        self.take_slot(SlotKind::Choice(words));
        Some(index)
    }

    fn direction(&mut self) -> Option<Direction> {
        self.choice(&["left", "right"]).map(|index| if index == 0 { Direction::Left } else { Direction::Right })
    }

    /// Makes the next token a slot and takes it.
    fn take_slot(&mut self, kind: SlotKind) -> Range<usize> {
        let span = self.tokens[self.at].span.clone();
        self.slots.push(Slot { span: span.clone(), kind, line: self.line });
        self.at += 1;
        span
    }

    fn name(&mut self, what: &str, kind: SlotKind) -> Option<Spanned<String>> {
        let Some(word) = self.word() else {
            self.expected(what);
            return None;
        };
        let span = self.take_slot(kind);
        Some(Spanned { node: word.to_owned(), span })
    }

    fn tone(&mut self, sensor: &str) -> Option<Spanned<String>> {
        self.name("a tone, such as `dark`", SlotKind::Tone { sensor: sensor.to_owned() })
    }

    fn quoted(&mut self, what: &str) -> Option<Spanned<String>> {
        let Some(token) = self.peek().filter(|token| token.kind == TokenKind::Text) else {
            self.expected(what);
            return None;
        };
        let node = self.str(token).trim_matches('"').to_owned();
        let span = self.take_slot(SlotKind::Text);
        Some(Spanned { node, span })
    }

    /// A number with whatever unit follows it.
    fn number_with_unit(&mut self) -> Option<(Range<usize>, Quantity)> {
        let Some(token) = self.peek().filter(|token| token.kind == TokenKind::Number).cloned() else {
            self.expected("a number with its unit");
            return None;
        };
        let Some(value) = parse_number(self.str(&token)).filter(|value| value.abs() <= LARGEST) else {
            let message = format!("`{}` is too large", self.str(&token));
            self.error("M008", token.span, message, &format!("numbers go up to {LARGEST}"));
            return None;
        };
        self.at += 1;
        let (end, unit) = self.unit().unwrap_or((token.span.end, Unit::None));
        Some((token.span.start..end, Quantity { value, unit }))
    }

    /// The unit at this place, if there is one: `%`, `mm`, `mm/s`.
    fn unit(&mut self) -> Option<(usize, Unit)> {
        let first = self.peek()?.clone();
        // The longest symbol wins: `mm/s` before `mm`.
        for count in [3, 1] {
            let last = self.tokens.get(self.at + count - 1);
            let Some(last) = last else { continue };
            let symbol: String = self.tokens[self.at..self.at + count].iter().map(|token| self.str(token)).collect();
            if let Some(unit) =
                Unit::parse(&symbol).filter(|_| matches!(first.kind, TokenKind::Word | TokenKind::Percent))
            {
                let end = last.span.end;
                self.at += count;
                return Some((end, unit));
            }
        }
        None
    }

    /// A literal amount as a slot.
    fn quantity(&mut self, kind: &SlotKind) -> Option<Spanned<Quantity>> {
        let (span, quantity) = self.number_with_unit()?;
        self.fits(&span, quantity, kind)?;
        self.slots.push(Slot { span: span.clone(), kind: kind.clone(), line: self.line });
        Some(Spanned { node: quantity, span })
    }

    /// An amount as a slot: a literal, or the name of a `let`.
    fn value(&mut self, kind: &SlotKind) -> Option<Spanned<Value>> {
        let SlotKind::Amount { dimension, .. } = kind else { unreachable!("amounts only") };
        if let Some(word) = self.word() {
            let span = self.take_slot(kind.clone());
            return Some(Spanned { node: Value::Named(word.to_owned()), span });
        }
        if self.peek().is_none_or(|token| token.kind != TokenKind::Number) {
            self.expected(&format!("{} such as `{}`", dimension.name(), dimension.example()));
            return None;
        }
        let literal = self.quantity(kind)?;
        Some(Spanned { node: Value::Literal(literal.node), span: literal.span })
    }

    fn fits(&mut self, span: &Range<usize>, quantity: Quantity, kind: &SlotKind) -> Option<()> {
        match misfit(quantity, kind) {
            None => Some(()),
            Some((code, message, hint)) => {
                // The word behind a number without unit is what was meant as its unit.
                let odd = self.word().filter(|_| quantity.unit == Unit::None && code == "M004");
                let hint = match odd.and_then(|word| nearest(word, Unit::ALL.iter().map(|unit| unit.symbol()))) {
                    Some(near) => format!("did you mean `{} {near}`?", quantity.value),
                    None => hint,
                };
                self.error(code, span.clone(), message, &hint);
                None
            }
        }
    }

    fn drive(&mut self) -> Option<Behaviour> {
        let back = self.choice(&["ahead", "back"])? == 1;
        let mut arc = None;
        if self.eat("on") {
            self.words(&["a"])?;
            let side = self.direction()?;
            self.words(&["arc", "of"])?;
            arc = Some((side, self.value(&amount(Dimension::Length, 0.02, 20.0))?));
        }
        self.words(&["at"])?;
        let speed = self.speed()?;
        let hold_heading = arc.is_none() && self.eat("holding");
        if hold_heading {
            self.words(&["the", "heading"])?;
        }
        Some(Behaviour::Drive { back, speed, arc, hold_heading })
    }

    fn spin(&mut self) -> Option<Behaviour> {
        let direction = self.direction()?;
        self.words(&["at"])?;
        Some(Behaviour::Spin { direction, speed: self.speed()? })
    }

    fn pivot(&mut self) -> Option<Behaviour> {
        let direction = self.direction()?;
        self.words(&["on", "the"])?;
        let on = if self.choice(&["left", "right"])? == 0 { Wheel::Left } else { Wheel::Right };
        self.words(&["wheel", "at"])?;
        Some(Behaviour::Pivot { direction, on, speed: self.speed()? })
    }

    /// A duty, or a speed along the ground.
    fn speed(&mut self) -> Option<Spanned<Value>> {
        let kind = if self.follows(Dimension::Speed) { regulated() } else { duty() };
        self.value(&kind)
    }

    fn move_to(&mut self) -> Option<Behaviour> {
        let actuator = self.name("the name of an actuator", SlotKind::Actuator)?;
        self.words(&["to"])?;
        // Turns as well as degrees: without end stops it may go round and round.
        let angle = self.value(&amount(Dimension::Angle, -1000.0, 1000.0))?;
        Some(Behaviour::Move { actuator, angle })
    }

    fn signal(&mut self) -> Option<Behaviour> {
        let signal = self.name("the name of a signal", SlotKind::Signal)?;
        let words = self.quoted("what it shows, says or plays in quotes, such as `signal lamp \"red\"`")?;
        Some(Behaviour::Signal { signal, words })
    }

    fn follow(&mut self) -> Option<Behaviour> {
        self.words(&["the"])?;
        let edge = self.direction()?;
        self.words(&["edge", "of"])?;
        if !self.eat("an") {
            self.words(&["a"])?;
        }
        let tone_slot = self.slots.len();
        let tone = self.tone("")?;
        self.words(&["line", "with"])?;
        let sensor = self.name("the name of a sensor", SlotKind::Sensor)?;
        // The tone stands before the sensor that it belongs to.
        self.slots[tone_slot].kind = SlotKind::Tone { sensor: sensor.node.clone() };
        self.words(&["at"])?;
        let speed = self.speed()?;
        self.sign(",")?;
        self.words(&["gain"])?;
        let gain = self.value(&amount(Dimension::Number, 0.0, 20.0))?;
        Some(Behaviour::Follow { edge, tone, sensor, speed, gain })
    }

    fn hold(&mut self) -> Option<Behaviour> {
        const WORDS: &[&str] = &["brake", "coast", "keep position"];
        if self.peek().is_none() {
            return Some(Behaviour::Hold { stop: StopKind::Brake });
        }
        self.sign(",")?;
        let ahead = self.tokens.get(self.at + 1).map(|token| (self.str(token), token.span.end));
        if let (Some("keep"), Some(("position", end))) = (self.word(), ahead) {
            let start = self.take_slot(SlotKind::Choice(WORDS)).start;
            self.at += 1;
            self.slots.last_mut()?.span = start..end;
            return Some(Behaviour::Hold { stop: StopKind::Keep });
        }
        let stop = if self.choice(WORDS)? == 0 { StopKind::Brake } else { StopKind::Coast };
        Some(Behaviour::Hold { stop })
    }

    fn condition(&mut self) -> Option<Spanned<Condition>> {
        let start = self.peek().map_or(self.end, |token| token.span.start);
        let node = self.condition_node()?;
        let end = self.tokens[self.at - 1].span.end;
        Some(Spanned { node, span: start..end })
    }

    fn condition_node(&mut self) -> Option<Condition> {
        let second = self.tokens.get(self.at + 1).map(|token| self.str(token));
        match self.word() {
            Some("travelled") => {
                self.at += 1;
                return Some(Condition::Travelled(self.value(&amount(Dimension::Length, 0.0, 1000.0))?));
            }
            Some("turned") => {
                self.at += 1;
                return Some(Condition::Turned(self.value(&amount(Dimension::Angle, 0.0, 1000.0))?));
            }
            Some(_) if !matches!(second, Some("pass" | "passes")) => {}
            None if self.peek().is_none_or(|token| token.kind != TokenKind::Number) => {
                self.expected("a condition, such as `floor-left sees dark`, `travelled 300 mm` or `4 s pass`");
                return None;
            }
            _ => {
                let duration = self.value(&amount(Dimension::Time, 0.0, 3600.0))?;
                if !self.eat("passes") {
                    self.words(&["pass"])?;
                }
                return Some(Condition::Passed(duration));
            }
        }
        if matches!(second, Some("is" | "was")) {
            return self.device_state();
        }
        if !matches!(second, Some("sees" | "has" | "<" | ">")) {
            return self.not_a_condition(second);
        }
        let sensor = self.name("the name of a sensor", SlotKind::Sensor)?;
        if self.eat("sees") {
            let tone = self.tone(&sensor.node)?;
            return Some(Condition::Sees { sensor, tone });
        }
        if self.eat("has") {
            self.words(&["crossed"])?;
            let count =
                self.value(&SlotKind::Amount { dimension: Dimension::Number, range: (1.0, 1000.0), whole: true })?;
            let tone = self.tone(&sensor.node)?;
            if !self.eat("lines") {
                self.words(&["line"])?;
            }
            return Some(Condition::Crossed { sensor, count, tone });
        }
        let below = second == Some("<");
        self.take_slot(SlotKind::Choice(&["<", ">"]));
        let kind = if self.follows(Dimension::Voltage) {
            voltage()
        } else if self.follows(Dimension::Length) {
            distance()
        } else {
            amount(Dimension::Percent, 0.0, 1.0)
        };
        let limit = self.value(&kind)?;
        Some(Condition::Reads { sensor, below, limit })
    }

    /// Whether the next token is a number with a unit of a dimension.
    fn follows(&self, dimension: Dimension) -> bool {
        let rest = self.tokens.get(self.at + 1..).unwrap_or_default();
        let symbol =
            |count: usize| rest.get(..count).map(|few| few.iter().map(|token| self.str(token)).collect::<String>());
        let unit = [3, 1].into_iter().filter_map(symbol).find_map(|symbol| Unit::parse(&symbol));
        unit.is_some_and(|unit| unit.dimension() == dimension)
    }

    /// `bumper is pressed`, `arm is there`, `bumper was bumped`
    fn device_state(&mut self) -> Option<Condition> {
        let device = self.name("the name of a device", SlotKind::Switch)?;
        if self.eat("was") {
            self.words(&["bumped"])?;
            return Some(Condition::Is { device, state: DeviceState::Bumped });
        }
        self.words(&["is"])?;
        if let Some(word @ ("there" | "blocked")) = self.word() {
            self.slots.last_mut()?.kind = SlotKind::Actuator;
            let state = if word == "there" { DeviceState::There } else { DeviceState::Blocked };
            self.choice(&["there", "blocked"])?;
            return Some(Condition::Is { device, state });
        }
        if !matches!(self.word(), Some("pressed" | "released")) {
            self.expected("`pressed`, `released`, `there` or `blocked`");
            self.suggest(&["pressed", "released", "there", "blocked"]);
            return None;
        }
        let state =
            if self.choice(&["pressed", "released"])? == 0 { DeviceState::Pressed } else { DeviceState::Released };
        Some(Condition::Is { device, state })
    }

    fn not_a_condition(&mut self, second: Option<&str>) -> Option<Condition> {
        let near_first = self.word().and_then(|word| nearest(word, ["travelled", "turned"])).map(str::to_owned);
        if let Some(near) = near_first {
            self.expected("a condition");
            self.findings.last_mut()?.hints.push(format!("did you mean `{near}`?"));
            return None;
        }
        self.at += 1;
        self.expected("`sees`, `has crossed`, `is`, `<` or `>` after the name of a sensor");
        if let Some(near) = second.and_then(|word| nearest(word, ["sees", "has"])) {
            self.findings.last_mut()?.hints.push(format!("did you mean `{near}`?"));
        }
        None
    }

    fn target(&mut self) -> Option<Spanned<Target>> {
        let Some(token) = self.peek().cloned() else {
            return Some(Spanned { node: Target::Next, span: self.end..self.end });
        };
        if token.kind != TokenKind::Arrow {
            self.finished();
            return None;
        }
        self.at += 1;
        if self.peek().is_some_and(|token| token.kind == TokenKind::Text) {
            let name = self.quoted("")?;
            self.slots.last_mut()?.kind = SlotKind::Target;
            return Some(Spanned { node: Target::Step(name.node), span: name.span });
        }
        let word = self.word();
        let node = match word {
            Some("next") => Target::Next,
            Some("done") => Target::Done,
            Some("fail") => {
                let start = self.take_slot(SlotKind::Target).start;
                let reason = self.quoted("the reason in quotes, such as `fail \"lost the line\"`")?;
                return Some(Spanned { node: Target::Fail(reason.node), span: start..reason.span.end });
            }
            _ => {
                self.expected("`next`, `done`, `fail \"reason\"` or the name of a step in quotes");
                self.suggest(&["next", "done", "fail"]);
                return None;
            }
        };
        let span = self.take_slot(SlotKind::Target);
        Some(Spanned { node, span })
    }
}

/// Why a quantity may not stand in a slot: code, message and hint.
pub fn misfit(quantity: Quantity, kind: &SlotKind) -> Option<(&'static str, String, String)> {
    let SlotKind::Amount { dimension, range, whole } = kind else { return None };
    let example = || format!("try {} such as `{}`", dimension.name(), dimension.example());
    if quantity.unit.dimension() != *dimension {
        if quantity.unit == Unit::None {
            let hint = format!("write it with {}, such as `{}`", Unit::list(*dimension), dimension.example());
            return Some(("M004", format!("`{quantity}` has no unit"), hint));
        }
        return Some(("M005", format!("expected {}, found `{quantity}`", dimension.name()), example()));
    }
    let si = quantity.si();
    if si < range.0 || si > range.1 {
        if si < 0.0 && *dimension == Dimension::Percent {
            return Some((
                "M008",
                format!("`{quantity}` is less than nothing"),
                "for the other direction write `back`, or the other side".into(),
            ));
        }
        let unit = quantity.unit;
        let (least, most) = (Quantity::from_si(range.0, unit), Quantity::from_si(range.1, unit));
        return Some(("M008", format!("`{quantity}` is out of range"), format!("it may be {least} to {most}")));
    }
    (*whole && quantity.value.fract() != 0.0)
        .then(|| ("M008", format!("`{quantity}` is not a whole number"), "count in whole numbers".into()))
}
