//! The sentences that say what a step does.

use super::ast::{
    Argument, Behaviour, Feeler, Law, Rounds, Slot, SlotKind, Spanned, StopKind, Track, Value, WhenBoth, WhenLost,
};
use super::lexer::TokenKind;
use super::sentence::{Sentence, amount, angle, count, gain, length, time};
use crate::units::{Dimension, Quantity, Unit};

/// Words that a behaviour starts with.
pub(super) const WORDS: &[&str] = &[
    "drive", "spin", "pivot", "follow", "keep", "align", "shift", "seek", "shove", "hold", "await", "probe", "move",
    "signal", "measure", "choose", "react", "do", "repeat",
];

/// A sentence that begins with a word.
pub(super) fn example(word: &str) -> &'static str {
    match word {
        "drive" => "drive ahead at 40 % holding the heading",
        "spin" => "spin left at 30 %",
        "pivot" => "pivot left on the left wheel at 30 %",
        "follow" => "follow the left edge of a dark line with floor-left at 40 %, gain 0.6",
        "keep" => "keep between dark lines with floor-left and floor-right at 30 %, both stop",
        "align" => "align floor-left and floor-right to a dark line at 16 %",
        "shift" => "shift right to a dark line with floor-left at 20 %",
        "seek" => "seek with ahead within 400 mm, spinning left at 20 % up to 360 deg, moving 150 mm, 4 tries",
        "shove" => "shove at 60 % to rim with floor-left and floor-right, back 60 mm",
        "await" => "await clear with ahead beyond 300 mm, 3 tries of 2 s",
        "probe" => "probe 90 deg to each side at 30 %, up to 400 mm, tie left",
        "move" => "move arm to 60 deg",
        "signal" => "signal lamp \"red\"",
        "measure" => "measure ahead as gap",
        "do" => "do back-away (far = 120 mm)",
        "repeat" => "repeat 3 times",
        "choose" => "choose",
        "react" => "react",
        _ => "hold, brake",
    }
}

/// How strongly a follower steers when nothing is said.
pub const GAIN: f64 = 0.6;
/// How strongly a robot between two borders turns away from one when nothing is said.
pub const KEEP_GAIN: f64 = 0.8;

impl Sentence<'_> {
    /// Whether a comma and a behaviour come next.
    pub(super) fn behaviour_follows(&self) -> bool {
        let text = |at: usize| self.tokens.get(at).map(|token| self.str(token));
        text(self.at) == Some(",") && text(self.at + 1).is_some_and(|word| WORDS.contains(&word))
    }

    /// A behaviour whose first word has been read.
    pub(super) fn behaviour(&mut self, word: &str) -> Option<Behaviour> {
        match word {
            "drive" => self.drive(),
            "spin" => {
                let side = self.side()?;
                self.words(&["at"])?;
                Some(Behaviour::Spin { side, speed: self.speed()? })
            }
            "pivot" => self.pivot(),
            "follow" => self.follow(),
            "keep" => self.keep(),
            "align" => self.align(),
            "shift" => self.shift(),
            "seek" => self.seek(),
            "shove" => self.shove(),
            "await" => self.await_clear(),
            "probe" => self.probe(),
            "move" => self.move_to(),
            "signal" => {
                let signal = self.name("the name of a signal", SlotKind::Signal)?;
                let words = self.quoted("what it shows, says or plays in quotes, such as `signal lamp \"red\"`")?;
                Some(Behaviour::Signal { signal, words })
            }
            "measure" => {
                let value = self.whole_formula()?;
                self.words(&["as"])?;
                Some(Behaviour::Measure { value, name: self.name("a name to keep it under", SlotKind::Name)? })
            }
            "choose" => Some(Behaviour::Choose),
            "react" => Some(Behaviour::React),
            "do" => self.routine_call(),
            "repeat" => self.repeat(),
            _ => self.hold(),
        }
    }

    fn drive(&mut self) -> Option<Behaviour> {
        let back = self.choice(&["ahead", "back"])? == 1;
        let mut arc = None;
        if self.eat("on") {
            self.words(&["a"])?;
            let side = self.side()?;
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

    fn pivot(&mut self) -> Option<Behaviour> {
        let side = self.side()?;
        self.words(&["on", "the"])?;
        let on = self.side()?;
        self.words(&["wheel", "at"])?;
        Some(Behaviour::Pivot { side, on, speed: self.speed()? })
    }

    fn sensor(&mut self) -> Option<Spanned<String>> {
        self.name("the name of a sensor", SlotKind::Sensor)
    }

    fn ranger(&mut self) -> Option<Spanned<String>> {
        self.name("the name of a ranging sensor", SlotKind::Ranger)
    }

    fn two_sensors(&mut self) -> Option<[Spanned<String>; 2]> {
        let left = self.sensor()?;
        self.words(&["and"])?;
        Some([left, self.sensor()?])
    }

    /// `a dark`, `an amber`: the tone's slot learns its sensor when that has been read.
    fn a_tone(&mut self) -> Option<(Spanned<String>, usize)> {
        if !self.eat("an") {
            self.words(&["a"])?;
        }
        let slot = self.slots.len();
        Some((self.tone("")?, slot))
    }

    fn belongs(&mut self, slot: usize, sensor: &Spanned<String>) {
        self.slots[slot].kind = SlotKind::Tone { sensor: sensor.node.clone() };
    }

    fn follow(&mut self) -> Option<Behaviour> {
        let edge = if self.eat("the") {
            let side = self.side()?;
            self.words(&["edge", "of"])?;
            Some(side)
        } else {
            None
        };
        let (tone, slot) = self.a_tone()?;
        self.words(&["line"])?;
        let track = match edge {
            Some(side) => {
                self.words(&["with"])?;
                Track::Edge { side, sensor: self.sensor()? }
            }
            None if self.choice(&["under", "between"])? == 0 => Track::Under(self.two_sensors()?),
            None => Track::Between(self.two_sensors()?),
        };
        let first = track.sensors()[0].clone();
        self.belongs(slot, &first);
        self.words(&["at"])?;
        let speed = self.speed()?;
        let law = if self.eat("and") {
            Law::TwoSpeeds(self.speed()?)
        } else {
            let stated = self.clause("gain");
            let value = if stated { self.value(&gain())? } else { self.unsaid(GAIN) };
            let integral = if stated && self.clause("integral") { Some(self.value(&gain())?) } else { None };
            let derivative = if stated && self.clause("derivative") { Some(self.value(&gain())?) } else { None };
            Law::Gains { gain: value, integral, derivative }
        };
        let mut lost = WhenLost::GoOn;
        if self.clause("if") {
            self.words(&["lost"])?;
            lost = match self.choice(&["steer", "stop", "back", "search"])? {
                0 => WhenLost::GoOn,
                1 => WhenLost::Stop,
                2 => WhenLost::Back,
                _ => WhenLost::Search,
            };
        }
        Some(Behaviour::Follow { track, tone, speed, law, lost })
    }

    /// A plain number that was left out.
    fn unsaid(&self, value: f64) -> Spanned<Value> {
        Spanned { node: Value::Literal(Quantity { value, unit: Unit::None }), span: self.end..self.end }
    }

    fn keep(&mut self) -> Option<Behaviour> {
        self.words(&["between"])?;
        let slot = self.slots.len();
        let tone = self.tone("")?;
        self.words(&["lines", "with"])?;
        let sensors = self.two_sensors()?;
        self.belongs(slot, &sensors[0]);
        self.words(&["at"])?;
        let speed = self.speed()?;
        let gain = if self.clause("gain") { self.value(&gain())? } else { self.unsaid(KEEP_GAIN) };
        let mut both = None;
        if self.clause("both") {
            both = Some(match self.choice(&["stop", "ahead", "back"])? {
                0 => WhenBoth::Stop,
                1 => WhenBoth::Ahead,
                _ => WhenBoth::Back,
            });
        }
        Some(Behaviour::Keep { tone, sensors, speed, gain, both })
    }

    fn align(&mut self) -> Option<Behaviour> {
        let sensors = self.two_sensors()?;
        self.words(&["to"])?;
        let (tone, slot) = self.a_tone()?;
        self.belongs(slot, &sensors[0]);
        self.words(&["line", "at"])?;
        let speed = self.speed()?;
        let lead_in = if self.clause("lead-in") { Some(self.value(&length())?) } else { None };
        let again = if self.clause("again") {
            self.words(&["at"])?;
            Some(self.speed()?)
        } else {
            None
        };
        Some(Behaviour::Align { sensors, tone, speed, lead_in, again })
    }

    fn shift(&mut self) -> Option<Behaviour> {
        let side = self.side()?;
        self.words(&["to"])?;
        let (tone, slot) = self.a_tone()?;
        self.words(&["line", "with"])?;
        let sensor = self.sensor()?;
        self.belongs(slot, &sensor);
        self.words(&["at"])?;
        Some(Behaviour::Shift { side, tone, sensor, speed: self.speed()? })
    }

    fn seek(&mut self) -> Option<Behaviour> {
        self.words(&["with"])?;
        let ranger = self.ranger()?;
        self.words(&["within"])?;
        let within = self.value(&length())?;
        self.sign(",")?;
        self.words(&["spinning"])?;
        let side = self.side()?;
        self.words(&["at"])?;
        let speed = self.speed()?;
        self.words(&["up", "to"])?;
        let turn = self.value(&angle())?;
        self.sign(",")?;
        self.words(&["moving"])?;
        let relocate = self.value(&length())?;
        self.sign(",")?;
        let tries = self.tries()?;
        let mut approach = None;
        if self.clause("closing") {
            self.words(&["in", "to"])?;
            approach = Some(self.value(&length())?);
        }
        Some(Behaviour::Seek { ranger, within, side, speed, turn, relocate, tries, approach })
    }

    /// `4 tries`
    fn tries(&mut self) -> Option<Spanned<Value>> {
        let tries = self.value(&count())?;
        if !self.eat("try") {
            self.words(&["tries"])?;
        }
        Some(tries)
    }

    fn shove(&mut self) -> Option<Behaviour> {
        self.words(&["at"])?;
        let speed = self.speed()?;
        self.words(&["to"])?;
        let slot = self.slots.len();
        let tone = self.tone("")?;
        self.words(&["with"])?;
        let sensors = self.two_sensors()?;
        self.belongs(slot, &sensors[0]);
        let back = if self.clause("back") { Some(self.value(&length())?) } else { None };
        Some(Behaviour::Shove { speed, tone, sensors, back })
    }

    fn await_clear(&mut self) -> Option<Behaviour> {
        self.words(&["clear", "with"])?;
        let ranger = self.ranger()?;
        self.words(&["beyond"])?;
        let beyond = self.value(&length())?;
        self.sign(",")?;
        let tries = self.tries()?;
        self.words(&["of"])?;
        Some(Behaviour::Await { ranger, beyond, tries, pause: self.value(&time())? })
    }

    fn probe(&mut self) -> Option<Behaviour> {
        let angle = self.value(&angle())?;
        self.words(&["to", "each", "side", "at"])?;
        let speed = self.speed()?;
        self.sign(",")?;
        let feeler = if self.eat("with") {
            Feeler::Ranger(self.ranger()?)
        } else {
            self.words(&["up", "to"])?;
            let most = self.value(&length())?;
            let until = if self.eat("or") { Some(self.condition()?) } else { None };
            Feeler::Wheels { most, until }
        };
        self.sign(",")?;
        self.words(&["tie"])?;
        Some(Behaviour::Probe { angle, speed, feeler, tie: self.side()? })
    }

    fn move_to(&mut self) -> Option<Behaviour> {
        let actuator = self.name("the name of an actuator", SlotKind::Actuator)?;
        self.words(&["to"])?;
        // Turns as well as degrees: without end stops it may go round and round.
        let angle = self.value(&amount(Dimension::Angle, -1000.0, 1000.0))?;
        Some(Behaviour::Move { actuator, angle, alongside: self.eat("alongside") })
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

    fn routine_call(&mut self) -> Option<Behaviour> {
        let routine = self.name("the name of a routine", SlotKind::Routine)?;
        let mut arguments = Vec::new();
        if self.eat_sign("(") && !self.eat_sign(")") {
            loop {
                let name = self.name("the name of a parameter", SlotKind::Name)?;
                // Which parameters there are is the routine's business: they are no places to change.
                self.slots.pop();
                self.sign("=")?;
                arguments.push((name, self.argument()?));
                if !self.eat_sign(",") {
                    break;
                }
            }
            self.sign(")")?;
        }
        Some(Behaviour::Do { routine, arguments, mirrored: self.eat("mirrored") })
    }

    /// What a parameter is given, here or by default.
    pub(super) fn argument(&mut self) -> Option<Spanned<Argument>> {
        let token = self.peek().cloned();
        let Some(token) = token.filter(|token| !matches!(token.kind, TokenKind::Text | TokenKind::Arrow)) else {
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
                    _ => Argument::Amount(formula),
                }
            }
            _ => Argument::Amount(self.formula_value()?),
        };
        let end = self.tokens[self.at - 1].span.end;
        if matches!(node, Argument::Word(_)) {
            self.slots.push(Slot { span: token.span.start..end, kind: SlotKind::Name, line: self.line });
        }
        Some(Spanned { node, span: token.span.start..end })
    }

    fn repeat(&mut self) -> Option<Behaviour> {
        if self.eat("forever") {
            return Some(Behaviour::Repeat(Rounds::Forever));
        }
        if self.eat("until") {
            let condition = self.condition()?;
            let after_pass = self.eat_sign(",");
            if after_pass {
                self.words(&["after", "each", "pass"])?;
            }
            return Some(Behaviour::Repeat(Rounds::Until { condition, after_pass }));
        }
        let text = self.tokens.get(self.at + 1).map(|token| self.str(token));
        if self.word().is_some() && !matches!(text, Some("time" | "times")) {
            self.expected("how often, such as `3 times`, `forever` or `until ...`");
            self.suggest(&["forever", "until"]);
            return None;
        }
        let times = self.value(&count())?;
        if !self.eat("times") {
            self.words(&["time"])?;
        }
        Some(Behaviour::Repeat(Rounds::Times(times)))
    }
}
