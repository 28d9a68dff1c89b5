//! Reading conditions and targets: what ends a step, and where an exit leads.

use super::{Arming, Condition, DeviceState, MAT, Quantifier, Sensors};
use crate::finding::nearest;
use crate::ids::DeviceKind;
use crate::mission::ast::{SlotKind, Spanned, Target, Wanted};
use crate::mission::behaviours::Ending;
use crate::mission::lexer::TokenKind;
use crate::mission::sentence::Sentence;

/// First words of conditions that are no names, for suggestions.
const OWN: &[&str] = &[
    "travelled",
    "turned",
    "stalled",
    "finished",
    "found",
    "clear",
    "heading",
    "clock",
    "reaches",
    "leaves",
];

/// Whether a word goes on about a name: then what stands before it is one.
fn is_said_of_names(word: &str) -> bool {
    matches!(
        word,
        "<" | ">" | "sees" | "has" | "is" | "was" | "between" | "reads"
    )
}

impl Sentence<'_> {
    /// A whole condition, with what arms it.
    pub(in crate::mission) fn condition(&mut self) -> Option<Spanned<Condition>> {
        let start = self.here();
        let whole = self.either_condition()?;
        if !self.eat("after") {
            return Some(whole);
        }
        let arming = if self.eat("it") {
            self.words(&["was", "false"])?;
            Arming::False
        } else {
            Arming::Amount(self.amount(Wanted::Delay)?)
        };
        Some(self.spanned(start, Condition::After(Box::new(whole), arming)))
    }

    fn here(&self) -> usize {
        self.peek().map_or(self.end, |token| token.span.start)
    }

    fn spanned(&self, start: usize, node: Condition) -> Spanned<Condition> {
        Spanned {
            node,
            span: start..self.tokens[self.at - 1].span.end,
        }
    }

    fn either_condition(&mut self) -> Option<Spanned<Condition>> {
        let start = self.here();
        let mut terms = vec![self.both_condition()?];
        while self.eat("or") {
            terms.push(self.both_condition()?);
        }
        if terms.len() == 1 {
            return terms.pop();
        }
        Some(self.spanned(start, Condition::Any(terms)))
    }

    fn both_condition(&mut self) -> Option<Spanned<Condition>> {
        let start = self.here();
        let mut terms = vec![self.term()?];
        while self.eat("and") {
            terms.push(self.term()?);
        }
        if terms.len() == 1 {
            return terms.pop();
        }
        Some(self.spanned(start, Condition::All(terms)))
    }

    /// One condition with what is said of it: how long it must hold, what it is kept as.
    fn term(&mut self) -> Option<Spanned<Condition>> {
        let start = self.here();
        let mut term = self.denied()?;
        let open = self.depth;
        loop {
            // Each is one level around what stands before it, as a bracket is.
            if matches!(self.word(), Some("for" | "as")) {
                self.deeper()?;
            }
            if self.eat("for") {
                let duration = self.amount(Wanted::Time)?;
                term = self.spanned(start, Condition::For(Box::new(term), duration));
            } else if self.eat("as") {
                let name = self.name("a name for what was seen", SlotKind::Name)?;
                term = self.spanned(start, Condition::As(Box::new(term), name));
            } else {
                self.depth = open;
                return Some(term);
            }
        }
    }

    /// One condition, or that it is false: `not` binds closest.
    fn denied(&mut self) -> Option<Spanned<Condition>> {
        let start = self.here();
        if self.eat("not") {
            self.deeper()?;
            let inner = self.denied()?;
            self.depth -= 1;
            return Some(self.spanned(start, Condition::Not(Box::new(inner))));
        }
        // `(lap / 2) pass` and `(a - b) > 20 mm` begin with the bracket of a formula.
        if !self.passes() && !self.compares() && self.eat_sign("(") {
            self.deeper()?;
            let inner = self.either_condition()?;
            self.sign(")")?;
            self.depth -= 1;
            return Some(self.spanned(start, inner.node));
        }
        let node = self.atom()?;
        Some(self.spanned(start, node))
    }

    fn text(&self, ahead: usize) -> Option<&str> {
        self.tokens
            .get(self.at + ahead)
            .map(|token| self.str(token))
    }

    fn atom(&mut self) -> Option<Condition> {
        let second = self.text(1).map(str::to_owned);
        let second = second.as_deref();
        match (self.word(), second) {
            (Some("travelled"), _) => {
                self.at += 1;
                return Some(Condition::Travelled(self.amount(Wanted::Rolled)?));
            }
            (Some("turned"), _) => {
                self.at += 1;
                return Some(Condition::Turned(self.amount(Wanted::Angle)?));
            }
            (Some("heading"), Some("reaches")) => {
                self.at += 2;
                return Some(Condition::Heading(self.amount(Wanted::SignedAngle)?));
            }
            (Some("clock"), Some("reaches")) => {
                self.at += 2;
                return Some(Condition::Clock(self.amount(Wanted::Time)?));
            }
            (Some("stalled"), _) => {
                self.at += 1;
                self.words(&["for"])?;
                return Some(Condition::Stalled(self.amount(Wanted::Time)?));
            }
            (Some("the"), Some("line")) | (Some("line"), Some("is")) => {
                self.eat("the");
                let start = self.here();
                self.words(&["line", "is"])?;
                if self.eat("followed") {
                    let lost = self.spanned(start, Condition::Lost);
                    return Some(Condition::Not(Box::new(lost)));
                }
                self.words(&["lost"])?;
                return Some(Condition::Lost);
            }
            (Some("reaches" | "leaves"), second) if !second.is_some_and(is_said_of_names) => {
                let leaves = self.choice(&["reaches", "leaves"])? == 1;
                let zone = self.zone()?;
                return Some(Condition::Zone { zone, leaves });
            }
            (Some("ended"), Some("by")) => {
                self.at += 2;
                return Some(Condition::EndedBy(
                    self.name("the name given with `as`", SlotKind::Name)?,
                ));
            }
            (Some("any" | "all" | "none"), Some("of")) => return self.of_several(),
            (Some(_), Some("wheel")) => {
                let wheel = self.side()?;
                self.words(&["wheel", "rolled"])?;
                let amount = self.amount(Wanted::Rolled)?;
                return Some(Condition::Rolled { wheel, amount });
            }
            (Some(_), _) => {
                if let Some(ending) = self.ending() {
                    return Some(Condition::Ended(ending));
                }
            }
            _ => {}
        }
        if self.passes() {
            let duration = self.amount(Wanted::Time)?;
            if !self.eat("passes") {
                self.words(&["pass"])?;
            }
            return Some(Condition::Passed(duration));
        }
        if self.compares() {
            let left = self.whole_formula()?;
            let than = self.comparison()?;
            let right = self.whole_formula()?;
            return Some(Condition::Compares { left, than, right });
        }
        match self.peek() {
            Some(token) if token.kind == TokenKind::Word => {}
            Some(token) if token.kind == TokenKind::Number => {
                // A duration that nothing follows: say what is missing.
                self.amount(Wanted::Time)?;
                self.words(&["pass"])?;
                return None;
            }
            _ => {
                self.expected(
                    "a condition, such as `floor-left sees dark`, `travelled 300 mm` or `4 s pass`",
                );
                return None;
            }
        }
        if matches!(second, Some("is" | "was")) {
            return self.device_state();
        }
        let known = |word: &str| self.parameters.iter().any(|parameter| parameter == word);
        let compares = matches!(
            second,
            Some("sees" | "has" | "<" | ">" | "between" | "reads")
        ) || second.is_some_and(known);
        if !compares {
            return self.not_a_condition();
        }
        let sensor = self.device(DeviceKind::Floor)?;
        if self.eat("has") {
            return self.history(sensor);
        }
        if self.eat("reads") {
            self.words(&["code"])?;
            let low = self.amount(Wanted::Code)?;
            let high = if self.eat("to") {
                Some(self.amount(Wanted::Code)?)
            } else {
                None
            };
            return Some(Condition::Code { sensor, low, high });
        }
        self.reading(Sensors {
            how: Quantifier::One,
            names: vec![sensor],
        })
    }

    /// Whether a formula of more than one name comes next, and what it is compared with.
    fn compares(&self) -> bool {
        let behind = self.behind_formula(self.at).filter(|at| *at > self.at + 1);
        let word = behind
            .and_then(|at| self.tokens.get(at))
            .map(|token| self.str(token));
        word.is_some_and(|word| {
            matches!(word, "<" | ">") || self.parameters.iter().any(|known| known == word)
        })
    }

    /// Whether an amount and `pass` or `passes` come next.
    fn passes(&self) -> bool {
        self.behind_formula(self.at)
            .and_then(|at| self.tokens.get(at))
            .is_some_and(|token| matches!(self.str(token), "pass" | "passes"))
    }

    fn ending(&mut self) -> Option<Ending> {
        let found = Ending::ALL.iter().copied().find(|ending| {
            let words: Vec<&str> = ending.words().split(' ').collect();
            (0..words.len()).all(|at| self.text(at) == Some(words[at]))
        })?;
        // `found < 3` is about something named so.
        let length = found.words().split(' ').count();
        if self.text(length).is_some_and(is_said_of_names) {
            return None;
        }
        self.at += length;
        Some(found)
    }

    /// A zone of the field in quotes, or the mat.
    fn zone(&mut self) -> Option<Spanned<String>> {
        if self.word() == Some("the") {
            let start = self.take_slot(SlotKind::Zone).start;
            self.words(&["mat"])?;
            let end = self.tokens[self.at - 1].span.end;
            self.slots.last_mut()?.span.end = end;
            return Some(Spanned {
                node: MAT.to_owned(),
                span: start..end,
            });
        }
        let zone = self.quoted("the name of a zone in quotes, or `the mat`")?;
        self.slots.last_mut()?.kind = SlotKind::Zone;
        Some(zone)
    }

    fn of_several(&mut self) -> Option<Condition> {
        let how = match self.word() {
            Some("any") => Quantifier::Any,
            Some("all") => Quantifier::All,
            _ => Quantifier::None,
        };
        self.choice(&["any", "all", "none"])?;
        self.words(&["of"])?;
        let mut names = vec![self.device(DeviceKind::Floor)?];
        while self.eat_sign(",") {
            names.push(self.device(DeviceKind::Floor)?);
        }
        self.reading(Sensors { how, names })
    }

    /// What the sensors show now: from the verb on.
    fn reading(&mut self, sensors: Sensors) -> Option<Condition> {
        if self.eat("sees") {
            let first = sensors.names[0].node.clone();
            let several = matches!(
                (self.word(), self.text(1)),
                (Some("any" | "none"), Some("of"))
            );
            if !several {
                let tones = vec![self.tone(&first)?];
                return Some(Condition::Sees {
                    sensors,
                    none: false,
                    tones,
                });
            }
            let none = self.choice(&["any", "none"])? == 1;
            self.words(&["of"])?;
            let mut tones = vec![self.tone(&first)?];
            while self.peek().is_some_and(|token| self.str(token) == ",")
                && !self.behaviour_follows()
            {
                self.at += 1;
                tones.push(self.tone(&first)?);
            }
            return Some(Condition::Sees {
                sensors,
                none,
                tones,
            });
        }
        if self.eat("between") {
            let low = self.amount(Wanted::Limit)?;
            self.words(&["and"])?;
            let high = self.amount(Wanted::Limit)?;
            return Some(Condition::Between { sensors, low, high });
        }
        if matches!(sensors.how, Quantifier::One)
            || matches!(self.text(0), Some("<" | ">"))
            || self.parameter().is_some()
        {
            let than = self.comparison()?;
            let limit = self.amount(Wanted::Limit)?;
            return Some(Condition::Reads {
                sensors,
                than,
                limit,
            });
        }
        self.expected("`sees`, `between`, `<` or `>` after the names of the sensors");
        None
    }

    /// What a sensor has seen since the step began: from behind `has` on.
    fn history(&mut self, sensor: Spanned<String>) -> Option<Condition> {
        if matches!(self.word(), Some("dropped" | "risen")) {
            let down = self.choice(&["dropped", "risen"])? == 0;
            self.words(&["by"])?;
            return Some(Condition::Changed {
                sensor,
                down,
                by: self.amount(Wanted::Share)?,
            });
        }
        if !matches!(self.word(), Some("crossed" | "met")) {
            self.expected("`crossed`, `met`, `dropped` or `risen`");
            self.suggest(&["crossed", "met", "dropped", "risen"]);
            return None;
        }
        let met = self.choice(&["crossed", "met"])? == 1;
        let count = self.amount(Wanted::Count)?;
        let tone = self.tone(&sensor.node)?;
        if !self.eat("lines") {
            self.words(&["line"])?;
        }
        let apart = if self.number_then("apart") {
            let apart = self.amount(Wanted::Length)?;
            self.words(&["apart"])?;
            Some(apart)
        } else {
            None
        };
        Some(Condition::Crossed {
            sensor,
            count,
            tone,
            met,
            apart,
        })
    }

    fn number_then(&self, word: &str) -> bool {
        let behind = self.behind_formula(self.at);
        let text = behind.and_then(|at| self.tokens.get(at));
        text.is_some_and(|token| self.str(token) == word)
    }

    /// `bumper is pressed`, `arm is there`, `bumper was bumped`
    fn device_state(&mut self) -> Option<Condition> {
        let device = self.device(DeviceKind::Switch)?;
        if self.eat("was") {
            self.words(&["bumped"])?;
            return Some(Condition::Is {
                device,
                state: DeviceState::Bumped,
            });
        }
        self.words(&["is"])?;
        if let Some(word @ ("there" | "blocked")) = self.word() {
            self.slots.last_mut()?.kind = SlotKind::Device(DeviceKind::Actuator);
            let state = if word == "there" {
                DeviceState::There
            } else {
                DeviceState::Blocked
            };
            self.choice(&["there", "blocked"])?;
            return Some(Condition::Is { device, state });
        }
        if !matches!(self.word(), Some("pressed" | "released")) {
            self.expected("`pressed`, `released`, `there` or `blocked`");
            self.suggest(&["pressed", "released", "there", "blocked"]);
            return None;
        }
        let state = if self.choice(&["pressed", "released"])? == 0 {
            DeviceState::Pressed
        } else {
            DeviceState::Released
        };
        Some(Condition::Is { device, state })
    }

    fn not_a_condition(&mut self) -> Option<Condition> {
        if self
            .word()
            .is_some_and(|word| nearest(word, OWN.iter().copied()).is_some())
        {
            self.expected("a condition");
            self.suggest(OWN);
            return None;
        }
        self.at += 1;
        self.expected("`sees`, `has crossed`, `is`, `<` or `>` after the name of a sensor");
        self.suggest(&["sees", "has", "between", "reads"]);
        self.as_in("floor-left sees dark`, `ahead < 100 mm` or `the line is lost");
        None
    }

    pub(in crate::mission) fn target(&mut self) -> Option<Spanned<Target>> {
        let Some(token) = self.peek().cloned() else {
            return Some(Spanned {
                node: Target::Next,
                span: self.end..self.end,
            });
        };
        if token.kind != TokenKind::Arrow {
            self.finished();
            return None;
        }
        self.at += 1;
        if self
            .peek()
            .is_some_and(|token| token.kind == TokenKind::Text)
        {
            let name = self.quoted("")?;
            self.slots.last_mut()?.kind = SlotKind::Target;
            return Some(Spanned {
                node: Target::Step(name.node),
                span: name.span,
            });
        }
        let word = self.word();
        let node = match word {
            Some("next") => Target::Next,
            Some("again") => Target::Again,
            Some("out") => Target::Out,
            Some("done") => Target::Done,
            Some("fail") => {
                let start = self.take_slot(SlotKind::Target).start;
                let reason =
                    self.quoted("the reason in quotes, such as `fail \"lost the line\"`")?;
                return Some(Spanned {
                    node: Target::Fail(reason.node),
                    span: start..reason.span.end,
                });
            }
            _ => {
                self.expected("`next`, `again`, `out`, `done`, `fail \"reason\"` or the name of a step in quotes");
                self.suggest(&["next", "again", "out", "done", "fail"]);
                return None;
            }
        };
        let span = self.take_slot(SlotKind::Target);
        Some(Spanned { node, span })
    }

    /// The names of several steps in quotes.
    pub(in crate::mission) fn step_names(&mut self) -> Option<Vec<Spanned<String>>> {
        let mut names = Vec::new();
        loop {
            let name = self.quoted("the name of a step in quotes")?;
            self.slots.last_mut()?.kind = SlotKind::Target;
            names.push(name);
            if !self.eat_sign(",") {
                return Some(names);
            }
        }
    }
}
