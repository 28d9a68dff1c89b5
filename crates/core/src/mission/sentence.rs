//! One line being read: tokens taken one after another, slots and findings collected on the way.
//!
//! A function that reads a part of a sentence answers `None` after it has said what is wrong; the
//! rest of the line is then skipped, so one mistake is one finding.

use crate::ids::DeviceKind;
use std::ops::Range;

use super::amounts::misfit;
use super::ast::{
    Comparison, Formula, Function, Operator, Side, Slot, SlotKind, Spanned, Value, Wanted,
};
use super::behaviours::kind_of;
use super::lexer::{Token, TokenKind};
use crate::finding::{Edit, Finding, Hint, Hints, Source, nearest};
use crate::units::{Dimension, LARGEST, Quantity, Unit, parse_number};

/// Formulas and conditions nested deeper are refused: no person writes them, and every reader would
/// need the room.
pub(super) const DEEPEST: usize = 12;

/// Longer sums and products are refused: each term more is one level more for everything that works
/// them out.
const MOST_TERMS: usize = 100;

/// `a`, `b or c`, `a, b or c`
pub fn either(words: &[String]) -> String {
    match words {
        [] => String::new(),
        [one] => one.clone(),
        [first @ .., last] => format!("{} or {last}", first.join(", ")),
    }
}

/// One line being read.
pub(super) struct Sentence<'t> {
    pub(super) text: &'t str,
    pub(super) tokens: Vec<Token>,
    pub(super) at: usize,
    /// Where its last token ends.
    pub(super) end: usize,
    pub(super) line: usize,
    /// The parameters of the routine it stands in: words that may stand for a side or a comparison.
    pub(super) parameters: &'t [String],
    pub(super) slots: Vec<Slot>,
    /// Named amounts that may measure one of several things, which only their `let` says.
    pub(super) open: Vec<(Range<usize>, Vec<SlotKind>)>,
    pub(super) findings: Vec<Finding>,
    /// How many brackets are open.
    pub(super) depth: usize,
}

const SIDES: &[&str] = &["left", "right"];
const COMPARISONS: &[&str] = &["<", ">"];

impl<'t> Sentence<'t> {
    pub(super) fn peek(&self) -> Option<&Token> {
        self.tokens.get(self.at)
    }

    pub(super) fn str(&self, token: &Token) -> &'t str {
        &self.text[token.span.clone()]
    }

    /// The next token's text when it is a word, without taking it.
    pub(super) fn word(&self) -> Option<&'t str> {
        self.peek()
            .filter(|token| token.kind == TokenKind::Word)
            .map(|token| self.str(token))
    }

    pub(super) fn error(
        &mut self,
        code: &'static str,
        span: Range<usize>,
        message: impl Into<String>,
        hint: impl Into<Hints>,
    ) {
        self.findings
            .push(Finding::error(code, Source::Mission, span, message).hint(hint));
    }

    /// `expected ..., found ...` at the next token or at the end of the line.
    pub(super) fn expected(&mut self, what: &str) {
        let (span, found) = match self.peek() {
            Some(token) if token.kind == TokenKind::OpenText => {
                let span = token.span.clone();
                self.error(
                    "M009",
                    span,
                    "this text is not closed",
                    "add a `\"` at its end",
                );
                return;
            }
            Some(token) => (token.span.clone(), format!("`{}`", self.str(token))),
            None => (self.end..self.end, "the end of the line".to_owned()),
        };
        self.findings.push(Finding::error(
            "M003",
            Source::Mission,
            span,
            format!("expected {what}, found {found}"),
        ));
    }

    /// Whether the sentence has been read to its end; what is left over is a finding.
    pub(super) fn finished(&mut self) -> bool {
        let Some(token) = self.peek() else {
            return true;
        };
        if self.findings.is_empty() {
            let span = token.span.start..self.end;
            let rest = self.text[span.clone()].to_owned();
            self.error(
                "M006",
                span,
                format!("unexpected `{rest}`: the sentence ended before it"),
                "delete it, or make it a comment with `#`",
            );
        }
        false
    }

    pub(super) fn eat(&mut self, word: &str) -> bool {
        let found = self.word() == Some(word);
        self.at += usize::from(found);
        found
    }

    /// The given words, one after another.
    pub(super) fn words(&mut self, words: &[&str]) -> Option<()> {
        for word in words {
            if !self.eat(word) {
                self.expected(&format!("`{word}`"));
                self.suggest(&[word]);
                return None;
            }
        }
        Some(())
    }

    /// Adds an example to the last finding when it says nothing yet about what to do.
    pub(super) fn as_in(&mut self, example: &str) {
        if let Some(finding) = self
            .findings
            .last_mut()
            .filter(|finding| finding.hints.is_empty())
        {
            finding.help(format!("write it as in `{example}`"));
        }
    }

    /// What the first number with a unit measures.
    pub(super) fn first_dimension(&self) -> Option<Dimension> {
        (0..self.tokens.len())
            .filter(|at| self.tokens[*at].kind == TokenKind::Number)
            .find_map(|at| self.unit_at(at + 1).map(|(_, unit)| unit.dimension()))
    }

    /// Adds a did-you-mean to the last finding when the next word is nearly one of these.
    pub(super) fn suggest(&mut self, words: &[&str]) {
        let Some(token) = self.peek().filter(|token| token.kind == TokenKind::Word) else {
            return;
        };
        let (typed, span) = (self.str(token), token.span.clone());
        if let (Some(near), Some(finding)) = (
            nearest(typed, words.iter().copied()),
            self.findings.last_mut(),
        ) {
            finding.help(Hint::edit(
                format!("did you mean `{near}`?"),
                Edit {
                    span,
                    text: near.to_owned(),
                },
            ));
        }
    }

    pub(super) fn sign(&mut self, sign: &str) -> Option<()> {
        if self
            .peek()
            .is_some_and(|token| token.kind == TokenKind::Sign && self.str(token) == sign)
        {
            self.at += 1;
            return Some(());
        }
        self.expected(&format!("`{sign}`"));
        None
    }

    /// One of a few words, as a slot; returns its index.
    pub(super) fn choice(&mut self, words: &'static [&'static str]) -> Option<usize> {
        let found = self
            .word()
            .and_then(|word| words.iter().position(|choice| *choice == word));
        let Some(index) = found else {
            let quoted: Vec<String> = words.iter().map(|word| format!("`{word}`")).collect();
            self.expected(&either(&quoted));
            self.suggest(words);
            return None;
        };
        self.take_slot(SlotKind::Choice(words));
        Some(index)
    }

    /// Whether one wheel is named next, as in `left wheel`.
    pub(super) fn is_wheel(&self) -> bool {
        let second = self.tokens.get(self.at + 1);
        second.is_some_and(|token| self.str(token) == "wheel")
    }

    /// `left`, `right`, or a parameter that says which.
    pub(super) fn side(&mut self) -> Option<Side> {
        if let Some(name) = self.parameter() {
            self.take_slot(SlotKind::Choice(SIDES));
            return Some(Side::Named(name));
        }
        self.choice(SIDES)
            .map(|index| if index == 0 { Side::Left } else { Side::Right })
    }

    /// `<`, `>`, or a parameter that says which.
    pub(super) fn comparison(&mut self) -> Option<Comparison> {
        let than = match self.peek().map(|token| self.str(token)) {
            Some("<") => Comparison::Below,
            Some(">") => Comparison::Above,
            _ => match self.parameter() {
                Some(name) => Comparison::Named(name),
                None => {
                    self.expected("`<` or `>`");
                    return None;
                }
            },
        };
        self.take_slot(SlotKind::Choice(COMPARISONS));
        Some(than)
    }

    /// The next word when it is a parameter of the routine around.
    pub(super) fn parameter(&self) -> Option<String> {
        self.word()
            .filter(|word| self.parameters.iter().any(|known| known == word))
            .map(str::to_owned)
    }

    /// Makes the next token a slot and takes it.
    pub(super) fn take_slot(&mut self, kind: SlotKind) -> Range<usize> {
        let span = self.tokens[self.at].span.clone();
        self.slots.push(Slot {
            span: span.clone(),
            kind,
            line: self.line,
        });
        self.at += 1;
        span
    }

    pub(super) fn name(&mut self, what: &str, kind: SlotKind) -> Option<Spanned<String>> {
        let Some(word) = self.word() else {
            self.expected(what);
            return None;
        };
        let span = self.take_slot(kind);
        Some(Spanned {
            node: word.to_owned(),
            span,
        })
    }

    pub(super) fn tone(&mut self, sensor: &str) -> Option<Spanned<String>> {
        self.name(
            "a tone, such as `dark`",
            SlotKind::Tone {
                sensor: sensor.to_owned(),
            },
        )
    }

    pub(super) fn quoted(&mut self, what: &str) -> Option<Spanned<String>> {
        let Some(token) = self.peek().filter(|token| token.kind == TokenKind::Text) else {
            self.expected(what);
            return None;
        };
        let node = self.str(token).trim_matches('"').to_owned();
        let span = self.take_slot(SlotKind::Text);
        Some(Spanned { node, span })
    }

    /// A number with whatever unit follows it.
    pub(super) fn number_with_unit(&mut self) -> Option<(Range<usize>, Quantity)> {
        let Some(token) = self
            .peek()
            .filter(|token| token.kind == TokenKind::Number)
            .cloned()
        else {
            self.expected("a number with its unit");
            return None;
        };
        let Some(value) = parse_number(self.str(&token)).filter(|value| value.abs() <= LARGEST)
        else {
            let message = format!("`{}` is too large", self.str(&token));
            self.error(
                "M008",
                token.span,
                message,
                format!("numbers go up to {LARGEST}"),
            );
            return None;
        };
        self.at += 1;
        let (end, unit) = self.unit().unwrap_or((token.span.end, Unit::None));
        Some((token.span.start..end, Quantity { value, unit }))
    }

    /// The unit at this place, if there is one: `%`, `mm`, `mm/s`.
    fn unit(&mut self) -> Option<(usize, Unit)> {
        let (count, unit) = self.unit_at(self.at)?;
        self.at += count;
        Some((self.tokens[self.at - 1].span.end, unit))
    }

    /// The unit that begins at a token, and how many tokens it has.
    fn unit_at(&self, at: usize) -> Option<(usize, Unit)> {
        let first = self
            .tokens
            .get(at)
            .filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Percent))?;
        // The longest symbol wins: `mm/s` before `mm`.
        if let Some([slash, last]) = self.tokens.get(at + 1..at + 3)
            && self.str(slash) == "/"
            && let Some(unit) = Unit::parse(&format!("{}/{}", self.str(first), self.str(last)))
        {
            return Some((3, unit));
        }
        Unit::parse(self.str(first)).map(|unit| (1, unit))
    }

    /// A literal amount as a slot.
    pub(super) fn quantity(&mut self, kind: &SlotKind) -> Option<Spanned<Quantity>> {
        let (span, quantity) = self.number_with_unit()?;
        self.fits(&span, quantity, kind)?;
        self.slots.push(Slot {
            span: span.clone(),
            kind: kind.clone(),
            line: self.line,
        });
        Some(Spanned {
            node: quantity,
            span,
        })
    }

    /// An amount as a slot: a literal, the name of one, or a formula in brackets.
    pub(super) fn value(&mut self, kind: &SlotKind) -> Option<Spanned<Value>> {
        let SlotKind::Amount { dimension, .. } = kind else {
            unreachable!("amounts only")
        };
        if self.opens_formula() {
            return self.formula_value();
        }
        if let Some(word) = self.word() {
            let span = self.take_slot(kind.clone());
            return Some(Spanned {
                node: Value::Named(word.to_owned()),
                span,
            });
        }
        if self
            .peek()
            .is_none_or(|token| token.kind != TokenKind::Number)
        {
            self.expected(&format!(
                "{} such as `{}`",
                dimension.name(),
                dimension.example()
            ));
            return None;
        }
        let literal = self.quantity(kind)?;
        Some(Spanned {
            node: Value::Literal(literal.node),
            span: literal.span,
        })
    }

    /// An amount that may measure one of several things: the unit says which, or else the `let`.
    pub(super) fn value_of(&mut self, kinds: Vec<SlotKind>) -> Option<Spanned<Value>> {
        let next = self.next_dimension();
        let matching = |kind: &&SlotKind| matches!(kind, SlotKind::Amount { dimension, .. } if Some(*dimension) == next);
        let kind = kinds.iter().find(matching).unwrap_or(&kinds[0]).clone();
        let value = self.value(&kind)?;
        if matches!(value.node, Value::Named(_)) && kinds.len() > 1 {
            self.open.push((value.span.clone(), kinds));
        }
        Some(value)
    }

    /// An amount for some purpose: a number, a name, or a formula, with or without brackets.
    pub(super) fn amount(&mut self, wanted: Wanted) -> Option<Spanned<Value>> {
        let (at, slots, open) = (self.at, self.slots.len(), self.open.len());
        let value = self.value_of(wanted.slots())?;
        if !self.operator_follows() {
            return Some(value);
        }
        // It was but the first part of one.
        self.at = at;
        self.slots.truncate(slots);
        self.open.truncate(open);
        self.whole_formula()
    }

    /// A plain number that was left out.
    pub(super) fn default_of(&self, value: f64) -> Spanned<Value> {
        Spanned {
            node: Value::Literal(Quantity {
                value,
                unit: Unit::None,
            }),
            span: self.end..self.end,
        }
    }

    /// The name of a device.
    pub(super) fn device(&mut self, kind: DeviceKind) -> Option<Spanned<String>> {
        self.name(kind.name_of(), SlotKind::Device(kind))
    }

    pub(super) fn sensor(&mut self) -> Option<Spanned<String>> {
        self.device(DeviceKind::Floor)
    }

    pub(super) fn ranger(&mut self) -> Option<Spanned<String>> {
        self.device(DeviceKind::Ranger)
    }

    /// One ranging sensor, or several joined by `and`.
    pub(super) fn rangers(&mut self) -> Option<Vec<Spanned<String>>> {
        let mut all = vec![self.ranger()?];
        while self.eat("and") {
            all.push(self.ranger()?);
        }
        Some(all)
    }

    /// The left and the right sensor.
    pub(super) fn two_sensors(&mut self) -> Option<[Spanned<String>; 2]> {
        let left = self.sensor()?;
        self.words(&["and"])?;
        Some([left, self.sensor()?])
    }

    /// `a dark`, `an amber`: the tone and its slot, which learns its sensor when that has been
    /// read.
    pub(super) fn a_tone(&mut self) -> Option<(Spanned<String>, usize)> {
        if !self.eat("an") {
            self.words(&["a"])?;
        }
        let slot = self.slots.len();
        Some((self.tone("")?, slot))
    }

    /// Says which sensor a tone's slot belongs to.
    pub(super) fn belongs(&mut self, slot: usize, sensor: &Spanned<String>) {
        self.slots[slot].kind = SlotKind::Tone {
            sensor: sensor.node.clone(),
        };
    }

    /// `4 tries`
    pub(super) fn tries(&mut self) -> Option<Spanned<Value>> {
        let tries = self.amount(Wanted::Count)?;
        if !self.eat("try") {
            self.words(&["tries"])?;
        }
        Some(tries)
    }

    /// Whether a comma and a behaviour come next.
    pub(super) fn behaviour_follows(&self) -> bool {
        let text = |at: usize| self.tokens.get(at).map(|token| self.str(token));
        text(self.at) == Some(",") && text(self.at + 1).is_some_and(|word| kind_of(word).is_some())
    }

    fn opens_formula(&self) -> bool {
        let text = |at: usize| self.tokens.get(at).map(|token| self.str(token));
        text(self.at) == Some("(")
            || (matches!(text(self.at), Some("min" | "max" | "abs"))
                && text(self.at + 1) == Some("("))
    }

    /// A formula that may stand without brackets around it: behind `let x =` and `measure`.
    pub(super) fn formula_value(&mut self) -> Option<Spanned<Value>> {
        let start = self.peek().map_or(self.end, |token| token.span.start);
        let formula = self.factor()?;
        Some(self.as_value(formula, start))
    }

    /// The same with sums and products at its top.
    pub(super) fn whole_formula(&mut self) -> Option<Spanned<Value>> {
        let start = self.peek().map_or(self.end, |token| token.span.start);
        let formula = self.sum()?;
        Some(self.as_value(formula, start))
    }

    fn as_value(&self, formula: Formula, start: usize) -> Spanned<Value> {
        match formula {
            Formula::Amount(value) => value,
            other @ (Formula::Two(..) | Formula::Of(..)) => {
                let end = self.tokens[self.at - 1].span.end;
                Spanned {
                    node: Value::Formula(Box::new(other)),
                    span: start..end,
                }
            }
        }
    }

    fn sum(&mut self) -> Option<Formula> {
        let mut left = self.product()?;
        let mut terms = 1;
        while let Some(operator) = self.operator(&[("+", Operator::Plus), ("-", Operator::Minus)]) {
            self.one_more(&mut terms)?;
            left = Formula::Two(operator, Box::new([left, self.product()?]));
        }
        Some(left)
    }

    fn product(&mut self) -> Option<Formula> {
        let mut left = self.factor()?;
        let mut terms = 1;
        while let Some(operator) = self.operator(&[("*", Operator::Times), ("/", Operator::Over)]) {
            self.one_more(&mut terms)?;
            left = Formula::Two(operator, Box::new([left, self.factor()?]));
        }
        Some(left)
    }

    /// One more term of a sum or a product; none when there are too many.
    fn one_more(&mut self, terms: &mut usize) -> Option<()> {
        *terms += 1;
        if *terms > MOST_TERMS {
            let span = self.tokens[self.at - 1].span.clone();
            let hint = "name a part of it with `let`";
            self.error(
                "M118",
                span,
                format!("more than {MOST_TERMS} terms in one formula"),
                hint,
            );
            return None;
        }
        Some(())
    }

    fn operator_follows(&self) -> bool {
        self.peek().is_some_and(|token| {
            token.kind == TokenKind::Sign && matches!(self.str(token), "+" | "-" | "*" | "/")
        })
    }

    /// Where a formula ends that begins at a token, as far as its signs tell; none when none begins
    /// there.
    pub(super) fn behind_formula(&self, mut at: usize) -> Option<usize> {
        let text = |at: usize| self.tokens.get(at).map(|token| self.str(token));
        loop {
            if matches!(text(at), Some("min" | "max" | "abs")) && text(at + 1) == Some("(") {
                at += 1;
            }
            let token = self.tokens.get(at)?;
            at += 1;
            if self.str(token) == "(" {
                let mut open = 1;
                while open > 0 {
                    open += match text(at)? {
                        "(" => 1,
                        ")" => -1,
                        _ => 0,
                    };
                    at += 1;
                }
            } else if token.kind == TokenKind::Number {
                // Its unit: one such as `mm/s` looks like one divided by another.
                let unit = self.tokens.get(at).is_some_and(|token| {
                    token.kind == TokenKind::Percent
                        || (token.kind == TokenKind::Word
                            && !matches!(
                                self.str(token),
                                "pass" | "passes" | "time" | "times" | "try" | "tries" | "apart"
                            ))
                });
                at += usize::from(unit);
            } else if token.kind != TokenKind::Word {
                return None;
            }
            let followed = self.tokens.get(at).is_some_and(|token| {
                token.kind == TokenKind::Sign && matches!(self.str(token), "+" | "-" | "*" | "/")
            });
            if !followed {
                return Some(at);
            }
            at += 1;
        }
    }

    fn operator(&mut self, known: &[(&str, Operator)]) -> Option<Operator> {
        let sign = self
            .peek()
            .filter(|token| token.kind == TokenKind::Sign)
            .map(|token| self.str(token))?;
        let operator = known.iter().find(|(text, _)| *text == sign)?.1;
        self.at += 1;
        Some(operator)
    }

    /// One more bracket around what follows; none when there are too many.
    pub(super) fn deeper(&mut self) -> Option<()> {
        self.depth += 1;
        if self.depth > DEEPEST {
            let span = self
                .peek()
                .map_or(self.end..self.end, |token| token.span.clone());
            self.error(
                "M118",
                span,
                format!("more than {DEEPEST} brackets within each other"),
                "take it apart",
            );
            return None;
        }
        Some(())
    }

    fn factor(&mut self) -> Option<Formula> {
        let function = match self.word() {
            Some("min") => Some(Function::Min),
            Some("max") => Some(Function::Max),
            Some("abs") => Some(Function::Abs),
            _ => None,
        };
        if self.opens_formula() {
            self.deeper()?;
            self.at += usize::from(function.is_some());
            self.sign("(")?;
            let mut inside = vec![self.sum()?];
            while function.is_some_and(|it| it != Function::Abs) && self.eat_sign(",") {
                inside.push(self.sum()?);
            }
            self.sign(")")?;
            self.depth -= 1;
            return match function {
                Some(function) => Some(Formula::Of(function, inside)),
                None => inside.pop(),
            };
        }
        if let Some(word) = self.word().filter(|word| *word != "as") {
            let node = Value::Named(word.to_owned());
            self.at += 1;
            let span = self.tokens[self.at - 1].span.clone();
            return Some(Formula::Amount(Spanned { node, span }));
        }
        let (span, quantity) = self.number_with_unit()?;
        let kind = SlotKind::Amount {
            dimension: quantity.unit.dimension(),
            range: (-LARGEST, LARGEST),
            whole: false,
        };
        self.slots.push(Slot {
            span: span.clone(),
            kind,
            line: self.line,
        });
        Some(Formula::Amount(Spanned {
            node: Value::Literal(quantity),
            span,
        }))
    }

    /// Takes a sign when it is the next token.
    pub(super) fn eat_sign(&mut self, sign: &str) -> bool {
        let found = self
            .peek()
            .is_some_and(|token| token.kind == TokenKind::Sign && self.str(token) == sign);
        self.at += usize::from(found);
        found
    }

    /// Takes a comma and the word behind it, when they are next.
    pub(super) fn clause(&mut self, word: &str) -> bool {
        let text = |at: usize| self.tokens.get(at).map(|token| self.str(token));
        let found = text(self.at) == Some(",") && text(self.at + 1) == Some(word);
        self.at += 2 * usize::from(found);
        found
    }

    /// What the number that comes next measures; none when none comes, or its unit is misspelt.
    fn next_dimension(&self) -> Option<Dimension> {
        self.peek()
            .filter(|token| token.kind == TokenKind::Number)?;
        if let Some((_, unit)) = self.unit_at(self.at + 1) {
            return Some(unit.dimension());
        }
        // A word that is no unit is one misspelt, unless the sentence may go on so.
        let goes_on = |token: &Token| {
            token.kind != TokenKind::Word
                || matches!(
                    self.str(token),
                    "and" | "or" | "for" | "after" | "as" | "to"
                )
        };
        self.tokens
            .get(self.at + 1)
            .is_none_or(goes_on)
            .then_some(Dimension::Number)
    }

    pub(super) fn fits(
        &mut self,
        span: &Range<usize>,
        quantity: Quantity,
        kind: &SlotKind,
    ) -> Option<()> {
        match misfit(quantity, kind) {
            None => Some(()),
            Some((code, message, hint)) => {
                // The word after a number without unit is what was meant as its unit.
                let odd = self.peek().filter(|token| token.kind == TokenKind::Word);
                let odd = odd.filter(|_| quantity.unit == Unit::None && code == "M004");
                let unit = odd.and_then(|token| {
                    let word = self.str(token);
                    let spoken = Unit::SPOKEN
                        .iter()
                        .find(|(spoken, _)| *spoken == word)
                        .map(|(_, unit)| *unit);
                    let unit = spoken.or_else(|| {
                        let symbols = Unit::ALL.iter().map(|unit| unit.symbol());
                        let words = Unit::SPOKEN.iter().map(|(spoken, _)| *spoken);
                        // One letter of three is another word, of ten it is a slip.
                        let near = nearest(word, symbols)
                            .or_else(|| nearest(word, words.filter(|_| word.len() > 5)))?;
                        let spoken = Unit::SPOKEN.iter().find(|(spoken, _)| *spoken == near);
                        Some(spoken.map_or_else(|| Unit::parse(near), |(_, unit)| *unit))
                    })?;
                    let whole = span.start..token.span.end;
                    let hint = unit.map(|unit| {
                        let text = Quantity {
                            value: quantity.value,
                            unit,
                        }
                        .to_string();
                        Hint::edit(
                            format!("write `{text}`"),
                            Edit {
                                span: whole.clone(),
                                text,
                            },
                        )
                    });
                    Some((format!("unknown unit `{word}`"), whole, hint))
                });
                let (message, span, near) = unit.unwrap_or((message, span.clone(), None));
                self.error(code, span, message, near.unwrap_or_else(|| hint.into()));
                None
            }
        }
    }
}
