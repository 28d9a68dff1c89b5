//! Conditions that say what the words of a line are about.

use super::plain::{Given, LOST, Words};
use crate::ids::DeviceKind;
use crate::units::{Dimension, Unit, spoken_ordinal};

impl Words<'_> {
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
        let ordinals = self.said.iter().filter_map(|word| spoken_ordinal(word));
        let nth = ordinals.min().filter(|_| self.given.is_empty());
        let one = self
            .has(&["crossing", "junction", "intersection"])
            .then_some(1.0);
        let count = self
            .number()
            .map(|given| given.value)
            .or(nth.map(|nth| nth as f64))
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

/// That a time has passed.
pub(super) fn passed(time: Given) -> String {
    let pass = if time.value == 1.0 { "passes" } else { "pass" };
    format!("{} {pass}", time.with(Unit::Second))
}
