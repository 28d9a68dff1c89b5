//! Sentences that say what the words of a line are about: what a step does, and what ends it.

use super::Proposal;
use super::conditions::passed;
use super::plain::{ARMS, Words, given};
use crate::ids::DeviceKind;
use crate::mission::check::DeviceName;
use crate::units::{Dimension, Unit};

impl Words<'_> {
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

    pub(super) fn behaviours(&self) -> Vec<Proposal> {
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
}
