//! A line in plain words: what it is about, and the sentences that say so.

use super::super::check::{DeviceName, Names};
use super::{Context, Proposal};
use crate::ids::DeviceKind;
use crate::units::{Dimension, Quantity, Unit};

/// A number with the unit behind it.
#[derive(Clone, Copy, Debug)]
struct Given {
    value: f64,
    unit: Option<Unit>,
    /// A word behind it that is no unit: it may be a number of these.
    of_what: bool,
}

impl Given {
    fn of(self, dimension: Dimension) -> bool {
        self.unit.is_some_and(|unit| unit.dimension() == dimension)
    }

    fn with(self, unit: Unit) -> String {
        let unit = self.unit.unwrap_or(unit);
        Quantity {
            value: self.value,
            unit,
        }
        .to_string()
    }
}

/// Words for a line that is no longer there.
pub(super) const LOST: &[&str] = &["lost", "lose", "loses", "gone", "ends"];

/// Colours that only a sensor calibrated to them can tell.
const COLOURS: &[&str] = &[
    "red", "green", "blue", "yellow", "orange", "purple", "brown",
];

/// Words for what an actuator moves.
const ARMS: &[&str] = &[
    "arm", "servo", "lift", "gripper", "claw", "crane", "raise", "lower", "grab",
];

/// Numbers that people write as words.
const NUMBERS: &[&str] = &[
    "zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten",
    "eleven", "twelve",
];

fn number_word(word: &str) -> Option<usize> {
    match word {
        "once" => Some(1),
        "twice" => Some(2),
        _ => NUMBERS.iter().position(|number| *number == word),
    }
}

/// A line with its numbers and units as they are written here, and what was otherwise.
pub(super) fn numbers(words: &str) -> (String, Option<String>) {
    let mut said = None;
    let mut text = String::with_capacity(words.len() + 8);
    let letters: Vec<char> = words.chars().collect();
    let mut quoted = false;
    for (at, &letter) in letters.iter().enumerate() {
        quoted ^= letter == '"';
        let digit = |at: Option<usize>| {
            at.and_then(|at| letters.get(at))
                .is_some_and(char::is_ascii_digit)
        };
        match letter {
            ',' if !quoted && digit(at.checked_sub(1)) && digit(Some(at + 1)) => {
                said.get_or_insert_with(|| {
                    "decimals are written with a point, not with a comma".to_owned()
                });
                text.push('.');
            }
            '°' | 'º' if !quoted => {
                said.get_or_insert_with(|| format!("unknown unit `{letter}`"));
                text.push_str(" deg");
            }
            _ => text.push(letter),
        }
    }
    let mut parts: Vec<String> = Vec::new();
    let mut after_number = false;
    let mut quoted = false;
    for part in text.split(' ') {
        let word = part.trim_end_matches(['.', ',']);
        let rest = &part[word.len()..];
        let as_unit = Unit::SPOKEN
            .iter()
            .find(|(spoken, _)| *spoken == word.to_lowercase())
            .and_then(|(_, unit)| *unit)
            .filter(|_| after_number && !quoted);
        let as_number = number_word(&word.to_lowercase()).filter(|_| !quoted && word != "one");
        let new = match (as_unit, as_number) {
            (Some(unit), _) => {
                said.get_or_insert_with(|| format!("unknown unit `{word}`"));
                format!("{}{rest}", unit.symbol())
            }
            (None, Some(number)) => {
                said.get_or_insert_with(|| format!("`{word}`: numbers are written in digits"));
                format!("{number}{rest}")
            }
            (None, None) => part.to_owned(),
        };
        after_number = new.ends_with(|last: char| last.is_ascii_digit());
        quoted ^= part.matches('"').count() % 2 == 1;
        parts.push(new);
    }
    (parts.join(" "), said)
}

/// What the words of a line are about.
pub(super) struct Words<'a> {
    /// Its words, in small letters.
    said: Vec<String>,
    given: Vec<Given>,
    quoted: Option<String>,
    /// What it says behind `until`, when it does not begin with it.
    until: Option<String>,
    /// Where an exit leads.
    target: Option<String>,
    names: &'a Names,
    context: &'a Context<'a>,
    low: String,
}

/// Words that are separate from others by blanks and signs.
fn split(text: &str) -> Vec<String> {
    text.split(|letter: char| {
        !(letter.is_alphanumeric() || matches!(letter, '-' | '_' | '.' | '%' | '<' | '>' | '/'))
    })
    .map(|word| word.trim_matches(['.', '-']).to_owned())
    .filter(|word| !word.is_empty())
    .collect()
}

/// The numbers of a text with their units.
fn given(words: &[String]) -> Vec<Given> {
    let mut all = Vec::new();
    for (at, word) in words.iter().enumerate() {
        let digits = word
            .find(|letter: char| !(letter.is_ascii_digit() || letter == '.'))
            .unwrap_or(word.len());
        let Some(value) = word[..digits]
            .parse::<f64>()
            .ok()
            .filter(|value| value.is_finite())
        else {
            continue;
        };
        let behind = &word[digits..];
        let unit = |word: &str| {
            Unit::parse(word)
                .filter(|unit| *unit != Unit::None)
                .or_else(|| {
                    let spoken = Unit::SPOKEN.iter().find(|(spoken, _)| *spoken == word);
                    spoken.and_then(|(_, unit)| *unit)
                })
        };
        let unit = if behind.is_empty() {
            words.get(at + 1).and_then(|next| unit(next))
        } else {
            unit(behind)
        };
        let loose = [
            "at", "with", "and", "then", "to", "left", "right", "speed", "power", "ahead", "back",
        ];
        let of_what = behind.is_empty()
            && unit.is_none()
            && words.get(at + 1).is_some_and(|next| {
                next.starts_with(char::is_alphabetic) && !loose.contains(&next.as_str())
            });
        all.push(Given {
            value,
            unit,
            of_what,
        });
    }
    all
}

impl<'a> Words<'a> {
    pub(super) fn of(line: &str, names: &'a Names, context: &'a Context<'a>) -> Self {
        let (line, _) = numbers(line);
        let mut quotes = line.split('"');
        let _ = quotes.next();
        let quoted = quotes.next().map(str::to_owned);
        let (body, target) = parted(&line, &context.steps);
        let (body, until) = match body.split_once(" until ") {
            Some((body, until)) => (body.to_owned(), Some(until.to_owned())),
            None => (body, None),
        };
        let bare: String = body.split('"').step_by(2).collect::<Vec<_>>().join(" ");
        let low = bare.to_lowercase();
        let words = split(&low);
        Self {
            given: given(&words),
            said: words,
            quoted,
            until,
            target,
            names,
            context,
            low,
        }
    }

    fn has(&self, any: &[&str]) -> bool {
        self.said.iter().any(|word| any.contains(&word.as_str()))
    }

    fn first(&self) -> &str {
        self.said.first().map_or("", String::as_str)
    }

    fn amount(&self, dimension: Dimension) -> Option<Given> {
        self.given.iter().copied().find(|given| given.of(dimension))
    }

    /// The first number without a unit.
    fn bare(&self) -> Option<Given> {
        self.given
            .iter()
            .copied()
            .find(|given| given.unit.is_none() && !given.of_what)
    }

    /// The first number of something: `3 lines`.
    fn number(&self) -> Option<Given> {
        self.given
            .iter()
            .copied()
            .find(|given| given.unit.is_none())
    }

    /// What the line may have been meant to say, likeliest first.
    pub(super) fn meant(&self) -> Vec<Proposal> {
        match self.first() {
            word @ ("until" | "or" | "when") => self.exits(word),
            "while" if self.has(&["true", "1", "forever", "always"]) => {
                vec![Proposal::line("repeat forever")]
            }
            "while" => {
                let each = self.conditions().into_iter().flat_map(|condition| {
                    [
                        format!("until not {condition}{}", self.arrow()),
                        format!("repeat until not {condition}"),
                    ]
                });
                each.map(Proposal::line).collect()
            }
            "otherwise" | "else" => vec![Proposal::line("otherwise -> next")],
            _ => self.behaviours(),
        }
    }

    fn arrow(&self) -> String {
        self.target
            .as_ref()
            .map_or_else(String::new, |target| format!(" -> {target}"))
    }

    fn exits(&self, word: &str) -> Vec<Proposal> {
        let arrow = match (word, self.target.is_some()) {
            ("when", false) => " -> next".to_owned(),
            _ => self.arrow(),
        };
        let conditions = self.conditions();
        conditions
            .iter()
            .map(|condition| Proposal::line(format!("{word} {condition}{arrow}")))
            .collect()
    }

    /// A sentence, with what ends the step below it.
    fn ended(&self, sentence: &str, ends: Option<String>) -> Vec<Proposal> {
        let until = self.until.as_ref().map(|until| {
            let words = Words::of(&format!("until {until}"), self.names, self.context);
            words.conditions()
        });
        let ends: Vec<String> = match until {
            // What should end it must not get lost.
            Some(conditions) if conditions.is_empty() => return Vec::new(),
            Some(conditions) => conditions,
            None => ends.into_iter().collect(),
        };
        let mut all: Vec<Proposal> = ends
            .into_iter()
            .map(|end| Proposal {
                lines: vec![sentence.to_owned(), format!("until {end}{}", self.arrow())],
                ..Proposal::line("")
            })
            .collect();
        // Where no exit may stand, the sentence alone is what fits.
        let last_resort = !all.is_empty();
        all.push(Proposal {
            last_resort,
            ..Proposal::line(sentence)
        });
        all
    }

    fn speed(&self, usual: &str) -> String {
        let of = self
            .amount(Dimension::Percent)
            .or(self.amount(Dimension::Speed));
        if let Some(speed) = of {
            return speed.with(Unit::Percent);
        }
        let named = self.said.windows(2).find(|pair| {
            matches!(pair[0].as_str(), "at" | "speed")
                && self.context.amounts.contains(&pair[1].as_str())
        });
        if let Some(pair) = named {
            return pair[1].clone();
        }
        let at = self
            .said
            .iter()
            .position(|word| matches!(word.as_str(), "at" | "speed" | "power"));
        let number = at.and_then(|at| given(&self.said[at..]).first().copied());
        if let Some(number) = number.filter(|number| number.unit.is_none() && number.value <= 100.0)
        {
            return number.with(Unit::Percent);
        }
        if self.has(&["full", "fast", "quickly", "max", "maximum"]) {
            return "60 %".to_owned();
        }
        if self.has(&["slow", "slowly"]) {
            return "15 %".to_owned();
        }
        usual.to_owned()
    }

    fn sides(&self) -> &'static [&'static str] {
        let left = self.has(&["left", "anticlockwise", "counterclockwise", "ccw"]);
        let right = self.has(&["right", "clockwise", "cw"]);
        match (left, right) {
            (true, false) => &["left"],
            (false, true) => &["right"],
            _ => &["left", "right"],
        }
    }

    /// An angle, or a number that can only be one.
    fn angle(&self) -> Option<String> {
        let of = self.amount(Dimension::Angle).or_else(|| {
            let bare = self.bare()?;
            let speed = self.has(&["at", "speed"]) && self.given.len() == 1;
            (!speed && bare.value >= 5.0).then_some(bare)
        });
        of.map(|angle| angle.with(Unit::Degree)).or_else(|| {
            self.has(&["round", "around", "back"])
                .then(|| "180 deg".to_owned())
        })
    }

    /// What ends a step that goes some way or time.
    fn way(&self) -> Option<String> {
        if let Some(length) = self.amount(Dimension::Length) {
            return Some(format!("travelled {}", length.with(Unit::Millimetre)));
        }
        if let Some(time) = self.amount(Dimension::Time) {
            return Some(passed(time));
        }
        if let Some(turns) = self.amount(Dimension::Angle) {
            return Some(format!("left wheel rolled {}", turns.with(Unit::Turn)));
        }
        let bare = self
            .bare()
            .filter(|_| !self.has(&["at", "speed", "power"]))?;
        Some(format!("travelled {}", bare.with(Unit::Millimetre)))
    }

    fn behaviours(&self) -> Vec<Proposal> {
        let mut all = Vec::new();
        if self.has(&["if", "when"]) {
            all.extend(self.choice());
        }
        if self.has(&["repeat", "loop", "for", "times", "forever"])
            && !self.has(&["wait", "stop", "hold", "pause"])
        {
            all.extend(self.rounds());
        }
        let shared = self
            .names
            .routines
            .iter()
            .map(|routine| routine.name.as_str());
        let calls = shared.chain(self.context.routines.iter().copied());
        for name in calls.filter(|name| self.said.iter().any(|word| word == name)) {
            all.push(Proposal::line(format!("do {name}")));
        }
        all.extend(self.device());
        let line = self.has(&["line", "lines", "edge", "track", "tape", "black", "dark"]);
        if line && self.has(&["stop"]) && self.until.is_none() && self.given.is_empty() {
            all.extend(self.drive(false));
        }
        if self.has(&[
            "stop", "wait", "pause", "halt", "stand", "sleep", "hold", "brake", "rest", "delay",
            "freeze", "stay",
        ]) {
            let time = self
                .amount(Dimension::Time)
                .or(self.bare().filter(|_| self.until.is_none()));
            all.extend(self.ended("hold, brake", time.map(passed)));
        }
        if self.has(&["coast", "roll"]) {
            all.extend(self.ended("hold, coast", self.amount(Dimension::Time).map(passed)));
        }
        if self.has(&["follow", "following", "track"]) || line && self.has(&["along", "trace"]) {
            all.extend(self.follow());
        }
        if self.has(&["align", "square", "straighten", "squareup"]) {
            all.extend(self.square());
        }
        let arc = self.has(&["arc", "curve", "circle", "bend", "curved"]);
        if self.has(&["turn", "rotate", "spin", "pivot", "face", "swing"]) && !arc {
            all.extend(self.turn());
        }
        let way = self.has(&[
            "go",
            "drive",
            "move",
            "forward",
            "forwards",
            "ahead",
            "straight",
            "backward",
            "backwards",
            "reverse",
            "back",
            "advance",
            "retreat",
            "run",
            "travel",
        ]);
        let ahead = self.has(&[
            "ahead",
            "forward",
            "forwards",
            "straight",
            "back",
            "backward",
            "backwards",
        ]);
        if way && !ahead && !arc && self.has(&["left", "right"]) && self.until.is_none() {
            all.extend(self.turn());
            all.extend(self.drive(true));
        }
        if (way || arc) && !self.has(ARMS) {
            all.extend(self.drive(arc));
        }
        all
    }

    fn drive(&self, arc: bool) -> Vec<Proposal> {
        let back = self.has(&["backward", "backwards", "reverse", "back", "retreat"]);
        let to = if back { "back" } else { "ahead" };
        if arc {
            let radius = self
                .amount(Dimension::Length)
                .map_or_else(|| "300 mm".to_owned(), |given| given.with(Unit::Millimetre));
            let speed = self.speed("25 %");
            let ends = self
                .amount(Dimension::Angle)
                .map(|angle| format!("turned {}", angle.with(Unit::Degree)));
            let each = self
                .sides()
                .iter()
                .map(|side| format!("drive {to} on a {side} arc of {radius} at {speed}"));
            return each
                .flat_map(|sentence| self.ended(&sentence, ends.clone()))
                .collect();
        }
        let holding = self.names.has_gyro && self.has(&["straight", "heading", "holding"]);
        let holding = if holding { " holding the heading" } else { "" };
        let ends = match self.up_to() {
            Some(condition) => Some(condition),
            None => self.way(),
        };
        self.ended(
            &format!("drive {to} at {}{holding}", self.speed("30 %")),
            ends,
        )
    }

    /// What a way leads up to: `drive to the black line`.
    fn up_to(&self) -> Option<String> {
        if self.has(&["wall", "obstacle", "object", "box"]) {
            let ranger = self.names.first(DeviceKind::Ranger)?;
            let near = self
                .amount(Dimension::Length)
                .map_or_else(|| "100 mm".to_owned(), |given| given.with(Unit::Millimetre));
            return Some(format!("{ranger} < {near}"));
        }
        if self
            .given
            .iter()
            .all(|given| given.of(Dimension::Percent) || given.of(Dimension::Speed))
            && self.has(&["line", "black", "dark", "mark", "edge"])
        {
            let (sensor, tone) = self.seen()?;
            return Some(format!("{sensor} sees {tone}"));
        }
        None
    }

    fn turn(&self) -> Vec<Proposal> {
        let angle = self.angle();
        let speed = self.speed("30 %");
        if self.has(&["heading", "face", "north"])
            && let Some(angle) = &angle
        {
            let each = self
                .sides()
                .iter()
                .map(|side| format!("spin {side} at {speed}"));
            return each
                .flat_map(|sentence| {
                    self.ended(&sentence, Some(format!("heading reaches {angle}")))
                })
                .collect();
        }
        let ends = angle
            .map(|angle| format!("turned {angle}"))
            .or_else(|| self.amount(Dimension::Time).map(passed));
        let sentence = |side: &&str| {
            if self.names.steers {
                format!("drive ahead on a {side} arc of 300 mm at {speed}")
            } else if self.has(&["pivot", "swing"]) || self.low.contains("one wheel") {
                format!("pivot {side} on the {side} wheel at {speed}")
            } else {
                format!("spin {side} at {speed}")
            }
        };
        self.sides()
            .iter()
            .map(sentence)
            .flat_map(|sentence| self.ended(&sentence, ends.clone()))
            .collect()
    }

    /// The sensor and the tone that are spoken of, or the usual ones.
    fn seen(&self) -> Option<(&'a str, String)> {
        let sensors = self.sensors();
        let usual: Vec<&DeviceName> = self
            .names
            .of(DeviceKind::Floor)
            .filter(|sensor| !sensor.tones.is_empty())
            .collect();
        let all = if sensors.is_empty() { usual } else { sensors };
        all.iter().find_map(|sensor| {
            self.tone_of(sensor)
                .map(|tone| (sensor.name.as_str(), tone))
        })
    }

    /// Whether a tone is named, or a part of its name: `red` for `kiln-red`.
    fn speaks_of(&self, tone: &str) -> bool {
        self.said
            .iter()
            .any(|word| word == tone || tone.split('-').any(|part| part == word))
    }

    /// The tone of a sensor that is spoken of: by its name, or by a word for one like it.
    fn tone_of(&self, sensor: &DeviceName) -> Option<String> {
        if let Some(own) = sensor.tones.iter().find(|tone| self.speaks_of(tone)) {
            return Some(own.clone());
        }
        let named = |tone: &str| sensor.tones.iter().find(|known| *known == tone).cloned();
        // Other sensors tell tones that this one cannot.
        let mut tones = self
            .names
            .of(DeviceKind::Floor)
            .flat_map(|sensor| &sensor.tones);
        if tones.any(|tone| self.speaks_of(tone)) || self.has(COLOURS) {
            return None;
        }
        if self.has(&["white", "pale", "bright", "light", "ground", "floor"])
            && !self.has(&["black", "dark"])
        {
            let brightest = sensor
                .tones
                .iter()
                .zip(&sensor.reads)
                .max_by(|a, b| a.1.total_cmp(b.1))
                .map(|(tone, _)| tone.clone());
            return named("pale").or(brightest);
        }
        let darkest = sensor
            .tones
            .iter()
            .zip(&sensor.reads)
            .min_by(|a, b| a.1.total_cmp(b.1))
            .map(|(tone, _)| tone.clone());
        named("dark").or(darkest)
    }

    /// The floor sensors that are spoken of: by their names, or by a part of them.
    fn sensors(&self) -> Vec<&'a DeviceName> {
        let floor: Vec<&DeviceName> = self.names.of(DeviceKind::Floor).collect();
        let exact: Vec<&DeviceName> = floor
            .iter()
            .copied()
            .filter(|sensor| self.said.contains(&sensor.name))
            .collect();
        if !exact.is_empty() {
            return exact;
        }
        let part = |sensor: &&DeviceName| {
            sensor.name.split('-').any(|part| {
                matches!(part, "left" | "right" | "middle" | "front" | "back")
                    && self.said.iter().any(|word| word == part)
            })
        };
        let parts: Vec<&DeviceName> = floor
            .iter()
            .copied()
            .filter(|sensor| part(sensor))
            .collect();
        if parts.is_empty() && self.has(&["both", "all", "either", "any", "neither"]) {
            let pair = floor.iter().copied().filter(|sensor| {
                sensor
                    .mirror
                    .as_ref()
                    .is_some_and(|mirror| *mirror != sensor.name)
            });
            return pair.collect();
        }
        parts
    }

    fn pair(&self) -> Option<[&'a str; 2]> {
        let floor: Vec<&DeviceName> = self.names.of(DeviceKind::Floor).collect();
        floor.iter().find_map(|left| {
            let right = left
                .mirror
                .as_ref()
                .filter(|mirror| **mirror != left.name)?;
            floor
                .iter()
                .find(|sensor| sensor.name == *right)
                .map(|right| [left.name.as_str(), right.name.as_str()])
        })
    }

    fn follow(&self) -> Vec<Proposal> {
        let Some((sensor, tone)) = self.seen() else {
            return Vec::new();
        };
        let speed = self.speed("26 %");
        if let ([left, right], true) = (
            &self.sensors()[..],
            self.names.of(DeviceKind::Floor).count() > 1,
        ) {
            let sentence = format!(
                "follow a {tone} line between {} and {} at {speed}, gain 0.4",
                left.name, right.name
            );
            return self.ended(&sentence, self.way());
        }
        let edge = if self.low.contains("right edge") || self.low.contains("right side") {
            "right"
        } else {
            "left"
        };
        let sentence =
            format!("follow the {edge} edge of a {tone} line with {sensor} at {speed}, gain 0.6");
        let ends = if self.has(&["line", "lines", "crossing", "crossings"]) && !self.has(&["the"])
            || self.given.is_empty()
        {
            None
        } else {
            self.way()
        };
        let mut all = self.ended(&sentence, ends);
        // What steers swings over its line all the time: the other sensor counts.
        if let Some(other) = self
            .pair()
            .and_then(|pair| pair.into_iter().find(|name| *name != sensor))
        {
            for end in all
                .iter_mut()
                .filter_map(|proposal| proposal.lines.get_mut(1))
            {
                *end = end.replace(
                    &format!("{sensor} has crossed"),
                    &format!("{other} has crossed"),
                );
            }
        }
        all
    }

    fn square(&self) -> Vec<Proposal> {
        let (Some([left, right]), Some((_, tone))) = (self.pair(), self.seen()) else {
            return Vec::new();
        };
        vec![Proposal::line(format!(
            "align {left} and {right} to a {tone} line at {}",
            self.speed("16 %")
        ))]
    }

    fn rounds(&self) -> Vec<Proposal> {
        if self.has(&["forever", "always", "endless", "infinite", "true"]) {
            return vec![Proposal::line("repeat forever")];
        }
        if let Some(until) = &self.until {
            let words = Words::of(&format!("until {until}"), self.names, self.context);
            let each = words.conditions().into_iter();
            return each
                .map(|condition| Proposal::line(format!("repeat until {condition}")))
                .collect();
        }
        if self.given.is_empty() {
            return vec![
                Proposal::line("repeat 2 times"),
                Proposal::line("repeat forever"),
            ];
        }
        // `for i in 1 to 3`: the last one says how often.
        self.given
            .last()
            .copied()
            .filter(|given| given.unit.is_none())
            .map(|times| {
                let word = if times.value == 1.0 { "time" } else { "times" };
                Proposal::line(format!("repeat {} {word}", times.value))
            })
            .into_iter()
            .collect()
    }

    /// `if ...` as a choice of its own, or as what ends the step.
    fn choice(&self) -> Vec<Proposal> {
        let conditions = self.conditions();
        let target = self.target.clone().unwrap_or_else(|| "next".to_owned());
        let each = conditions.iter().flat_map(|condition| {
            let table = Proposal {
                lines: vec![
                    "choose".to_owned(),
                    format!("  when {condition} -> {target}"),
                    "  otherwise -> next".to_owned(),
                ],
                ..Proposal::line("")
            };
            [
                table,
                Proposal::line(format!("until {condition} -> {target}")),
                Proposal::line(format!("or {condition} -> {target}")),
            ]
        });
        each.collect()
    }

    /// What lamps, horns and arms do.
    fn device(&self) -> Vec<Proposal> {
        let mut all = Vec::new();
        let signal = self.has(&[
            "beep", "sound", "play", "print", "say", "show", "display", "lamp", "led", "blink",
            "signal", "light", "lights", "horn", "tone", "speak",
        ]);
        if signal {
            let named = self
                .names
                .of_kind(DeviceKind::Signal)
                .find(|name| self.said.iter().any(|word| word == name));
            if let Some(name) = named.or(self.names.first(DeviceKind::Signal)) {
                let colours = ["red", "green", "blue", "yellow", "white", "on", "off"];
                let colour = self
                    .said
                    .iter()
                    .find(|word| colours.contains(&word.as_str()));
                let text = self.quoted.clone().or(colour.cloned()).unwrap_or_else(|| {
                    let named = |word: &str| self.names.has(word, DeviceKind::Signal);
                    let said = |word: &&String| {
                        word.starts_with(char::is_alphabetic)
                            && !word.contains("time")
                            && !named(word)
                    };
                    self.said.iter().rfind(said).cloned().unwrap_or_default()
                });
                all.push(Proposal::line(format!("signal {name} \"{text}\"")));
            }
        }
        let actuators: Vec<&DeviceName> = self.names.of(DeviceKind::Actuator).collect();
        let named = actuators
            .iter()
            .find(|device| self.said.contains(&device.name));
        let arm = self.has(ARMS);
        if let Some(device) = named.or(actuators.first().filter(|_| arm)) {
            let (low, high) = device.stops;
            let up = self.has(&["up", "raise", "lift", "open"]);
            let end = if up { high } else { low };
            let usual = if end.is_finite() {
                end.to_degrees().round()
            } else {
                30.0
            };
            let angle = self.angle().unwrap_or_else(|| format!("{usual} deg"));
            all.push(Proposal::line(format!("move {} to {angle}", device.name)));
        }
        all
    }

    /// What a step may wait for, in the words of the language.
    pub(super) fn conditions(&self) -> Vec<String> {
        let mut all = Vec::new();
        let not = self.has(&[
            "not", "no", "never", "doesn", "isn", "without", "neither", "none",
        ]) || self.low.contains("n't");
        let deny = |condition: String| {
            if not {
                format!("not {condition}")
            } else {
                condition
            }
        };
        if self.has(LOST) {
            let time = self
                .amount(Dimension::Time)
                .map_or_else(|| "300 ms".to_owned(), |given| given.with(Unit::Second));
            all.push(format!("the line is lost for {time}"));
        }
        if self.has(&[
            "stuck",
            "stalled",
            "stall",
            "collision",
            "crash",
            "crashed",
            "jammed",
        ]) {
            let time = self
                .amount(Dimension::Time)
                .map_or_else(|| "500 ms".to_owned(), |given| given.with(Unit::Second));
            all.push(format!("stalled for {time}"));
        }
        all.extend(self.switches());
        if self.has(&["heading", "gyro", "compass", "facing", "direction"]) {
            all.extend(self.angle().map(|angle| format!("heading reaches {angle}")));
        }
        if self.has(&["battery", "voltage"]) {
            let volts = self.amount(Dimension::Voltage).or(self.bare());
            all.extend(volts.map(|volts| format!("battery < {}", volts.with(Unit::Volt))));
        }
        if self.has(&["wheel", "encoder", "motor"]) {
            let side = self.sides()[0];
            let rolled = self
                .amount(Dimension::Length)
                .or(self.amount(Dimension::Angle))
                .or(self.bare());
            all.extend(
                rolled.map(|rolled| format!("{side} wheel rolled {}", rolled.with(Unit::Degree))),
            );
        }
        all.extend(self.lines());
        if self.has(&["turned", "turn", "rotated", "angle", "spun", "rotation"])
            || self.amount(Dimension::Angle).is_some()
        {
            all.extend(self.angle().map(|angle| format!("turned {angle}")));
        }
        if self.has(&["clock", "match", "total"]) {
            all.extend(
                self.amount(Dimension::Time)
                    .map(|time| format!("clock reaches {}", time.with(Unit::Second))),
            );
        }
        let after = self.has(&[
            "time", "timeout", "after", "wait", "timer", "seconds", "passed", "elapsed", "pass",
        ]);
        let only = self.said.len() == 2;
        let time = self
            .amount(Dimension::Time)
            .or(self.bare().filter(|_| after || only));
        all.extend(time.map(passed));
        let range = self.ranges();
        let ranges = range.is_some() && !self.has(&["travelled", "driven", "moved"]);
        all.extend(range);
        if ranges {
            // A distance to something is no way.
        } else if let Some(length) = self.amount(Dimension::Length).or_else(|| {
            let words = [
                "travelled",
                "traveled",
                "driven",
                "moved",
                "distance",
                "gone",
                "drove",
                "way",
            ];
            self.bare().filter(|_| self.has(&words))
        }) {
            all.push(format!("travelled {}", length.with(Unit::Millimetre)));
        }
        if let Some(limit) = self.amount(Dimension::Percent).or_else(|| {
            self.bare()
                .filter(|_| self.compares().is_some() && !self.sensors().is_empty())
        }) && let Some((sensor, _)) = self.seen()
        {
            let than = if self.compares() == Some(true) {
                '>'
            } else {
                '<'
            };
            all.push(format!("{sensor} {than} {}", limit.with(Unit::Percent)));
        }
        if self.given.is_empty() {
            all.extend(self.seen_condition(not));
        }
        all.retain(|condition| !condition.is_empty());
        all.into_iter()
            .map(|condition| {
                if condition.contains(" of ") {
                    condition
                } else {
                    deny(condition)
                }
            })
            .collect()
    }

    fn switches(&self) -> Vec<String> {
        let words = [
            "button", "touch", "touched", "switch", "pressed", "released", "bumper", "bumped",
            "pushed", "press", "clicked",
        ];
        let switches: Vec<&str> = self.names.of_kind(DeviceKind::Switch).collect();
        let named = switches
            .iter()
            .find(|name| self.said.iter().any(|word| word == *name));
        let Some(switch) = named.or(switches.first().filter(|_| self.has(&words))) else {
            return Vec::new();
        };
        let is = if self.has(&["released", "release"]) {
            "is released"
        } else if self.has(&["bumped", "clicked", "click"]) {
            "was bumped"
        } else {
            "is pressed"
        };
        vec![format!("{switch} {is}")]
    }

    /// A number of lines.
    fn lines(&self) -> Option<String> {
        let lines = [
            "line",
            "lines",
            "bar",
            "bars",
            "mark",
            "marks",
            "crossing",
            "crossings",
            "crossed",
            "junction",
            "junctions",
            "intersection",
            "intersections",
            "stripes",
        ];
        if !self.has(&lines) {
            return None;
        }
        let ordinal = ["first", "second", "third", "fourth", "fifth"];
        let nth = ordinal
            .iter()
            .position(|word| self.has(&[word]))
            .filter(|_| self.given.is_empty());
        let one = self
            .has(&["crossing", "junction", "intersection"])
            .then_some(1.0);
        let count = self
            .number()
            .map(|given| given.value)
            .or(nth.map(|nth| nth as f64 + 1.0))
            .or(one)?;
        let (sensor, tone) = self.seen()?;
        let word = if count == 1.0 { "line" } else { "lines" };
        Some(format!("{sensor} has crossed {count} {tone} {word}"))
    }

    /// Whether something is compared, and to be above.
    fn compares(&self) -> Option<bool> {
        if self.has(&[
            ">", "more", "above", "over", "greater", "higher", "far", "farther", "beyond",
            "larger", "brighter", "bigger", "exceeds",
        ]) {
            return Some(true);
        }
        self.has(&[
            "<", "less", "below", "under", "smaller", "lower", "near", "nearer", "close", "closer",
            "within", "darker",
        ])
        .then_some(false)
    }

    /// How far something is.
    fn ranges(&self) -> Option<String> {
        let rangers: Vec<&str> = self.names.of_kind(DeviceKind::Ranger).collect();
        let named = rangers
            .iter()
            .find(|name| self.said.iter().any(|word| word == *name));
        let about = self.has(&[
            "wall",
            "obstacle",
            "object",
            "ultrasonic",
            "sonar",
            "infrared",
            "opponent",
            "something",
            "box",
            "front",
        ]);
        let compared = self.compares().is_some() && self.has(&["distance", "range", "sensor"]);
        let near = self.has(&["near", "nearer", "close", "closer"]);
        let ranger = named.or(rangers.first().filter(|_| about || compared || near))?;
        let free = self.has(&["nothing", "free", "clear", "no"]);
        let (than, usual) = if free || self.compares() == Some(true) {
            ('>', "300 mm")
        } else {
            ('<', "100 mm")
        };
        let length = self.amount(Dimension::Length).or(self.bare());
        let length = length.map_or_else(|| usual.to_owned(), |given| given.with(Unit::Millimetre));
        Some(format!("{ranger} {than} {length}"))
    }

    /// What one or several sensors see.
    fn seen_condition(&self, not: bool) -> Option<String> {
        if self.has(LOST) {
            return None;
        }
        let mut tones = self
            .names
            .of(DeviceKind::Floor)
            .flat_map(|sensor| &sensor.tones);
        let spoken = tones.any(|tone| self.speaks_of(tone))
            || self.has(&[
                "black", "white", "dark", "line", "colour", "color", "pale", "light", "mark",
                "ground",
            ]);
        if !spoken {
            return None;
        }
        let sensors = self.sensors();
        let (sensor, tone) = self.seen()?;
        if sensors.len() < 2 {
            return Some(format!("{sensor} sees {tone}"));
        }
        let names: Vec<&str> = sensors.iter().map(|sensor| sensor.name.as_str()).collect();
        let how = if not {
            "none of"
        } else if self.has(&["or", "either", "any", "one"]) {
            "any of"
        } else {
            "all of"
        };
        Some(format!("{how} {} sees {tone}", names.join(", ")))
    }
}

fn passed(time: Given) -> String {
    let pass = if time.value == 1.0 { "passes" } else { "pass" };
    format!("{} {pass}", time.with(Unit::Second))
}

/// A line without what says where an exit leads, and that.
fn parted(line: &str, steps: &[&str]) -> (String, Option<String>) {
    for sign in [" -> ", " => ", " then ", " go to ", " goto ", " ->", "->"] {
        let Some((body, tail)) = line.split_once(sign) else {
            continue;
        };
        let tail = tail.trim();
        let bare = tail
            .trim_start_matches("then ")
            .trim_start_matches("go to ")
            .trim_start_matches("goto ")
            .trim_matches('"')
            .trim_start_matches("step ")
            .trim_matches('"');
        let low = bare.to_lowercase();
        let step = steps.iter().find(|step| step.to_lowercase() == low);
        let target = match low.as_str() {
            _ if step.is_some_and(|step| *step == bare) => format!("\"{bare}\""),
            _ if tail.starts_with("fail") => {
                let reason = tail["fail".len()..].trim().trim_matches('"');
                let reason = if reason.is_empty() { "gave up" } else { reason };
                format!("fail \"{reason}\"")
            }
            "stop" | "end" | "finish" | "finished" | "exit" | "quit" | "done" | "halt" => {
                "done".to_owned()
            }
            "next" | "continue" | "next step" | "go on" => "next".to_owned(),
            "again" | "out" => low.clone(),
            _ => match step {
                Some(step) => format!("\"{step}\""),
                None => continue,
            },
        };
        return (body.to_owned(), Some(target));
    }
    (line.to_owned(), None)
}
