//! A line in plain words, and what it is about.

use super::super::check::{DeviceName, Names};
use super::{Context, Proposal};
use crate::ids::DeviceKind;
use crate::units::{Dimension, Quantity, Unit, spoken_number};

/// A number with the unit behind it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Given {
    pub(super) value: f64,
    pub(super) unit: Option<Unit>,
    /// A word behind it that is no unit: it may be a number of these.
    pub(super) of_what: bool,
}

impl Given {
    pub(super) fn of(self, dimension: Dimension) -> bool {
        self.unit.is_some_and(|unit| unit.dimension() == dimension)
    }

    pub(super) fn with(self, unit: Unit) -> String {
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
pub(super) const ARMS: &[&str] = &[
    "arm", "servo", "lift", "gripper", "claw", "crane", "raise", "lower", "grab",
];

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
        let as_number = spoken_number(&word.to_lowercase()).filter(|_| !quoted && word != "one");
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
    pub(super) said: Vec<String>,
    pub(super) given: Vec<Given>,
    pub(super) quoted: Option<String>,
    /// What it says behind `until`, when it does not begin with it.
    pub(super) until: Option<String>,
    /// Where an exit leads.
    pub(super) target: Option<String>,
    pub(super) names: &'a Names,
    pub(super) context: &'a Context<'a>,
    /// The line in small letters, without what stands in quotes.
    pub(super) low: String,
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
pub(super) fn given(words: &[String]) -> Vec<Given> {
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

    pub(super) fn has(&self, any: &[&str]) -> bool {
        self.said.iter().any(|word| any.contains(&word.as_str()))
    }

    pub(super) fn first(&self) -> &str {
        self.said.first().map_or("", String::as_str)
    }

    pub(super) fn amount(&self, dimension: Dimension) -> Option<Given> {
        self.given.iter().copied().find(|given| given.of(dimension))
    }

    /// The first number without a unit.
    pub(super) fn bare(&self) -> Option<Given> {
        self.given
            .iter()
            .copied()
            .find(|given| given.unit.is_none() && !given.of_what)
    }

    /// The first number of something: `3 lines`.
    pub(super) fn number(&self) -> Option<Given> {
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

    pub(super) fn arrow(&self) -> String {
        self.target
            .as_ref()
            .map_or_else(String::new, |target| format!(" -> {target}"))
    }

    pub(super) fn exits(&self, word: &str) -> Vec<Proposal> {
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

    pub(super) fn sides(&self) -> &'static [&'static str] {
        let left = self.has(&["left", "anticlockwise", "counterclockwise", "ccw"]);
        let right = self.has(&["right", "clockwise", "cw"]);
        match (left, right) {
            (true, false) => &["left"],
            (false, true) => &["right"],
            _ => &["left", "right"],
        }
    }

    /// An angle, or a number that can only be one.
    pub(super) fn angle(&self) -> Option<String> {
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

    /// The sensor and the tone that are spoken of, or the usual ones.
    pub(super) fn seen(&self) -> Option<(&'a str, String)> {
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
    pub(super) fn speaks_of(&self, tone: &str) -> bool {
        self.said
            .iter()
            .any(|word| word == tone || tone.split('-').any(|part| part == word))
    }

    /// The tone of a sensor that is spoken of: by its name, or by a word for one like it.
    pub(super) fn tone_of(&self, sensor: &DeviceName) -> Option<String> {
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
    pub(super) fn sensors(&self) -> Vec<&'a DeviceName> {
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

    pub(super) fn pair(&self) -> Option<[&'a str; 2]> {
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
