//! Names and amounts: what the sentences refer to, and whether it fits there. [`super::flow`] looks
//! at where they lead.
//!
//! Long because it is a list of checks over one walk of the text.

mod calls;
mod words;

use crate::ids::DeviceKind;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use super::amounts::{self, misfit};
use super::ast::{
    Answer, Argument, Behaviour, Block, Comparison, Condition, Exit, Part, Sensors, Side, SlotKind,
    Spanned, Step, Target, Value, Wanted,
};
use super::behaviours::{Drive, Measure, Move, Way};
use super::flow;
use super::parser::{MOST_FINDINGS, Parsed};
use crate::finding::{Edit, Finding, Hint, Hints, Source, did_you_mean, has_errors};
use crate::units::Dimension;

/// A device as missions know it. What does not go with its kind is empty.
#[derive(Clone, Debug, PartialEq)]
pub struct DeviceName {
    /// Its name.
    pub name: String,
    /// What it is.
    pub kind: DeviceKind,
    /// Where it sits, in words for lists.
    pub place: String,
    /// The tones that a floor sensor has been calibrated to.
    pub tones: Vec<String>,
    /// What it reads of each of these tones, 0 to 1.
    pub reads: Vec<f64>,
    /// The floor sensor that sits where this one would when left and right are swapped.
    pub mirror: Option<String>,
    /// The numbers that a floor sensor reports, when it reports numbers.
    pub codes: Vec<i32>,
    /// The end stops of an actuator, rad; infinite where it has none.
    pub stops: (f64, f64),
    /// The numbers of a floor sensor go up over dark ground.
    pub dark_is_high: bool,
}

impl DeviceName {
    /// A device of which no more is known.
    pub fn new(name: impl Into<String>, kind: DeviceKind) -> Self {
        Self {
            name: name.into(),
            kind,
            place: String::new(),
            tones: Vec::new(),
            reads: Vec::new(),
            mirror: None,
            codes: Vec::new(),
            stops: (f64::NEG_INFINITY, f64::INFINITY),
            dark_is_high: false,
        }
    }
}

/// What a robot and a field offer to a mission.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Names {
    /// What the robot carries, kind by kind, in the order of the robot file.
    pub devices: Vec<DeviceName>,
    /// Start poses, in the order of the field file.
    pub starts: Vec<String>,
    /// Zones, in the order of the field file, and last the mat itself.
    pub zones: Vec<String>,
    /// Whether the robot can hold a heading.
    pub has_gyro: bool,
    /// Whether the robot steers like a car and so cannot turn on the spot.
    pub steers: bool,
    /// The speed in m/s that its motors reach without load; 0 when unknown.
    pub top_speed: f64,
    /// Routines of the files that the mission uses.
    pub routines: Vec<RoutineName>,
}

/// A routine as calls know it.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct RoutineName {
    /// Its name.
    pub name: String,
    /// Its parameters, in written order.
    pub parameters: Vec<ParameterName>,
}

/// A parameter as calls know it.
#[derive(Clone, Debug, PartialEq)]
pub struct ParameterName {
    /// Its name.
    pub name: String,
    /// Whether it may be left out.
    pub has_default: bool,
    /// What it stands for.
    pub stands_for: Use,
}

impl Names {
    /// The devices of a kind, in the order of the robot file.
    pub fn of(&self, kind: DeviceKind) -> impl Iterator<Item = &DeviceName> + Clone {
        self.devices.iter().filter(move |known| known.kind == kind)
    }

    /// The name of the first device of a kind.
    pub fn first(&self, kind: DeviceKind) -> Option<&str> {
        self.of(kind).next().map(|known| known.name.as_str())
    }

    /// A device of a kind by its name.
    pub fn device(&self, name: &str, kind: DeviceKind) -> Option<&DeviceName> {
        self.of(kind).find(|known| known.name == name)
    }

    /// A floor sensor by its name.
    pub fn sensor(&self, name: &str) -> Option<&DeviceName> {
        self.device(name, DeviceKind::Floor)
    }

    /// Whether there is a device of a kind by a name.
    pub fn has(&self, name: &str, kind: DeviceKind) -> bool {
        self.device(name, kind).is_some()
    }

    /// The names of all devices of a kind, in the order of the robot file.
    pub fn of_kind(&self, kind: DeviceKind) -> impl Iterator<Item = &str> + Clone {
        self.of(kind).map(|known| known.name.as_str())
    }

    /// The tones of a sensor; none when there is no such sensor.
    pub fn tones(&self, sensor: &str) -> &[String] {
        self.sensor(sensor).map_or(&[], |known| &known.tones)
    }
}

/// What missions call the battery.
pub const BATTERY: &str = "battery";

/// What a step may measure besides sensors, with what it measures.
pub const SOURCES: &[(&str, Dimension)] = &[
    (BATTERY, Dimension::Voltage),
    ("heading", Dimension::Angle),
    ("clock", Dimension::Time),
    ("last-distance", Dimension::Length),
    ("last-turn", Dimension::Angle),
    ("last-time", Dimension::Time),
    ("last-left", Dimension::Length),
    ("last-right", Dimension::Length),
];

/// What a parameter stands for, by how its routine uses it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Use {
    /// An amount.
    Amount(Dimension),
    /// An amount of any of the kinds that may stand in such a place.
    OneOf(Wanted),
    /// Left or right.
    Side,
    /// Less or more than.
    Comparison,
    /// A floor sensor.
    Sensor,
    /// A ranging sensor.
    Ranger,
    /// A tone.
    Tone,
    /// A switch, an actuator or a signal.
    Device,
    /// Handed on to another routine, or not used.
    Any,
}

impl Use {
    /// Whether what a call gives can be of this kind, as far as its form says.
    const fn may_be(self, given: &Argument) -> bool {
        match (self, given) {
            (Self::Any, _)
            | (Self::Amount(_) | Self::OneOf(_), Argument::Amount(_))
            | (Self::Side, Argument::Side(_))
            | (Self::Comparison, Argument::Comparison(_)) => true,
            (_, Argument::Word(_)) => true,
            (_, Argument::Amount(_) | Argument::Side(_) | Argument::Comparison(_)) => false,
        }
    }

    /// What fits both uses; none when nothing does.
    fn and(self, other: Self) -> Option<Self> {
        match (self, other) {
            (Self::Any, used) | (used, Self::Any) => Some(used),
            (one, other) if one == other => Some(one),
            (Self::OneOf(wanted), Self::Amount(dimension))
            | (Self::Amount(dimension), Self::OneOf(wanted)) => wanted
                .dimensions()
                .contains(&dimension)
                .then_some(Self::Amount(dimension)),
            (Self::OneOf(one), Self::OneOf(other)) => {
                let (some, others) = (one.dimensions(), other.dimensions());
                let both = || some.iter().filter(|dimension| others.contains(dimension));
                match both().count() {
                    0 => None,
                    1 => both().next().map(|dimension| Self::Amount(*dimension)),
                    _ if some.len() <= others.len() => Some(Self::OneOf(one)),
                    _ => Some(Self::OneOf(other)),
                }
            }
            _ => None,
        }
    }

    const fn name(self) -> &'static str {
        match self {
            Self::Amount(dimension) => dimension.name(),
            Self::OneOf(Wanted::Speed) => "a share of the battery's voltage or a speed",
            Self::OneOf(Wanted::Rolled) => "a length or an angle",
            Self::OneOf(Wanted::Delay) => "a time or a length",
            Self::OneOf(_) => "an amount",
            Self::Side => "a side, `left` or `right`",
            Self::Comparison => "`<` or `>`",
            Self::Sensor => DeviceKind::Floor.name_of(),
            Self::Ranger => DeviceKind::Ranger.name_of(),
            Self::Tone => "the name of a tone",
            Self::Device => "the name of a device",
            Self::Any => "anything",
        }
    }
}

/// What checking a text gives.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Checked {
    /// What is wrong with names and flow, in order of the text.
    pub findings: Vec<Finding>,
    /// The text's own routines, as calls in other texts know them.
    pub routines: Vec<RoutineName>,
}

/// What is wrong with the names and the flow of a mission that parsed.
pub fn check(parsed: &Parsed, names: &Names) -> Vec<Finding> {
    check_all(parsed, names).findings
}

/// The same, with what other texts may call.
pub fn check_all(parsed: &Parsed, names: &Names) -> Checked {
    let mission = &parsed.mission;
    let mut checker = Checker {
        parsed,
        names,
        findings: Vec::new(),
        used: vec![false; mission.lets.len()],
        lets: BTreeMap::new(),
        kept: BTreeMap::new(),
        labels: BTreeSet::new(),
        uses: BTreeMap::new(),
        block: Block::Mission,
        misfits: BTreeMap::new(),
    };
    for (index, entry) in mission.lets.iter().enumerate() {
        checker
            .lets
            .entry(entry.name.node.as_str())
            .or_insert(index);
    }
    checker.labels.extend(parsed.labels());
    checker.header();
    checker.amounts();
    checker.kept();
    // Routines first: how they use their parameters says what a call may give them.
    for routines in [true, false] {
        for step in mission
            .steps
            .iter()
            .filter(|step| matches!(step.block, Block::Routine(_)) == routines)
        {
            checker.block = step.block;
            checker.step(step);
        }
    }
    for reflex in &mission.reflexes {
        checker.block = Block::Mission;
        if let Some((condition, _)) = &reflex.trigger {
            checker.condition(condition);
        }
    }
    checker.calls();
    let broken = has_errors(&parsed.findings) || has_errors(&checker.findings);
    let routines = (0..mission.routines.len())
        .map(|index| checker.routine_name(index))
        .collect();
    let (used, findings) = (checker.used, checker.findings);
    let loose = checker.uses.keys().cloned().collect();
    let mut findings = flow::check(parsed, names, findings);
    if !broken {
        flow::unused(parsed, &used, &loose, &mut findings);
    }
    findings.sort_by_key(|finding| finding.span.start);
    // What a copy has from its original is reported there.
    findings.dedup_by(|a, b| a.code == b.code && a.span == b.span && a.message == b.message);
    // Whoever makes more mistakes than this reads the first ones first.
    findings.truncate(MOST_FINDINGS);
    Checked { findings, routines }
}

struct Checker<'a> {
    parsed: &'a Parsed,
    names: &'a Names,
    findings: Vec<Finding>,
    /// Whether each `let` was referred to.
    used: Vec<bool>,
    /// Where the `let` of each name stands in their list.
    lets: BTreeMap<&'a str, usize>,
    /// What steps measure, under which name.
    kept: BTreeMap<&'a str, Dimension>,
    /// The names under which conditions are kept.
    labels: BTreeSet<&'a str>,
    /// How each routine, by its index, uses each parameter.
    uses: BTreeMap<(usize, String), Use>,
    /// What the step that is looked at belongs to.
    block: Block,
    /// The finding about each name that does not fit where it stands, and the places.
    misfits: BTreeMap<(String, String), (usize, BTreeSet<usize>)>,
}

impl<'a> Checker<'a> {
    /// Whether so much is wrong already that nobody reads further hints, which take time to work
    /// out.
    fn is_enough(&self) -> bool {
        self.findings.len() >= MOST_FINDINGS
    }

    fn error(
        &mut self,
        code: &'static str,
        span: &Range<usize>,
        message: String,
        hints: impl Into<Hints>,
    ) {
        self.findings
            .push(Finding::error(code, Source::Mission, span.clone(), message).hint(hints));
    }

    fn warning(
        &mut self,
        code: &'static str,
        span: &Range<usize>,
        message: String,
        hints: impl Into<Hints>,
    ) {
        self.findings
            .push(Finding::warning(code, Source::Mission, span.clone(), message).hint(hints));
    }

    /// Whether a name is a parameter of the routine around; it is then used so.
    fn parameter(&mut self, name: &Spanned<String>, wanted: Use) -> bool {
        let Block::Routine(routine) = self.block else {
            return false;
        };
        let known = &self.parsed.mission.routines[routine].parameters;
        if !known
            .iter()
            .any(|parameter| parameter.name.node == name.node)
        {
            return false;
        }
        let key = (routine, name.node.clone());
        let before = *self.uses.entry(key.clone()).or_insert(wanted);
        if let Some(both) = before.and(wanted) {
            self.uses.insert(key, both);
        } else {
            let message = format!(
                "`{}` is {} here and {} elsewhere",
                name.node,
                wanted.name(),
                before.name()
            );
            self.error(
                "M120",
                &name.span,
                message,
                Some("use two parameters".to_owned()),
            );
        }
        true
    }

    fn header(&mut self) {
        let mission = &self.parsed.mission;
        let top = mission.name.as_ref().map_or(0..0, |name| name.span.clone());
        if !mission
            .steps
            .iter()
            .any(|step| step.block == Block::Mission)
            && !has_errors(&self.parsed.findings)
        {
            self.error(
                "M109",
                &top,
                "the mission has no steps".into(),
                "add a line `step \"...\"`",
            );
        }
        if mission.limit.is_none() {
            self.warning(
                "M110",
                &top,
                "the mission has no time limit".into(),
                "add a line `limit 120 s`; without one a run ends after 10 min",
            );
        }
        if let Some(button) = &mission.button {
            self.device(button, DeviceKind::Switch);
        }
        match &mission.start {
            Some(start) if !self.names.starts.contains(&start.node) => {
                let hint = did_you_mean(
                    &start.span,
                    &start.node,
                    self.names.starts.iter().map(String::as_str),
                );
                self.error(
                    "M105",
                    &start.span,
                    format!("the field has no start pose `{}`", start.node),
                    hint,
                );
            }
            None if self.names.starts.len() > 1 => {
                let hint = format!("add a line `start {}`", self.names.starts[0]);
                self.warning(
                    "M105",
                    &top,
                    "the field has several start poses and the mission names none".into(),
                    hint,
                );
            }
            _ => {}
        }
    }

    /// The `let`s, each by those above it.
    fn amounts(&mut self) {
        let mission = &self.parsed.mission;
        for (index, entry) in mission.lets.iter().enumerate() {
            let mut unknown = Vec::new();
            let mut used = Vec::new();
            let mut named = |name: &str, span: &Range<usize>| {
                let other = self.lets.get(name).copied().filter(|other| *other < index);
                match other {
                    Some(other) => used.push(other),
                    None => unknown.push((name.to_owned(), span.clone())),
                }
                mission.measures(&mission.lets[other?].name.node, Block::Mission, 0)
            };
            let measured = amounts::dimension(&entry.value, &mut named);
            for index in used {
                self.used[index] = true;
            }
            for (name, span) in unknown {
                let above = mission.lets[..index]
                    .iter()
                    .map(|other| other.name.node.as_str());
                let later = self
                    .lets
                    .get(name.as_str())
                    .is_some_and(|other| *other >= index);
                let hint = if later {
                    format!("put the line `let {name} = ...` above this one").into()
                } else if self.is_enough() {
                    Hints::default()
                } else {
                    did_you_mean(&span, &name, above)
                };
                self.error(
                    "M103",
                    &span,
                    format!("there is no `{name}` above this line"),
                    hint,
                );
            }
            match measured {
                Err(why) => self.error(
                    "M005",
                    &why.span,
                    why.node.to_string(),
                    Some("give both the same kind of unit".to_owned()),
                ),
                Ok(Some(_)) if entry.amount.is_none() => {
                    let message = "division by zero".to_owned();
                    self.error(
                        "M008",
                        &entry.value.span,
                        message,
                        Some("divide by something that is not zero".to_owned()),
                    );
                }
                Ok(Some(dimension)) => {
                    let safe = entry.safe.iter().flatten();
                    for end in safe.filter(|end| end.node.unit.dimension() != dimension) {
                        let message = format!(
                            "`{}` is {}, not `{}`",
                            entry.name.node,
                            dimension.name(),
                            end.node
                        );
                        self.error(
                            "M005",
                            &end.span,
                            message,
                            Some(format!("write it such as `{}`", dimension.example())),
                        );
                    }
                }
                Ok(None) => {}
            }
        }
    }

    /// What steps measure, before anything that uses it.
    fn kept(&mut self) {
        let parsed = self.parsed;
        let all: Vec<(&'a Step, &'a Measure)> = (parsed.mission.steps.iter())
            .flat_map(|step| {
                parsed
                    .behaviours_of(step)
                    .map(move |behaviour| (step, &behaviour.node))
            })
            .filter_map(|(step, behaviour)| {
                let Behaviour::Measure(measure) = behaviour else {
                    return None;
                };
                Some((step, measure))
            })
            .collect();
        // One name may be measured from others that stand below it: in a routine, say. Each pass
        // settles at least one.
        loop {
            let before = self.kept.len();
            for (step, measure) in all
                .iter()
                .filter(|(_, measure)| !self.kept.contains_key(measure.name.node.as_str()))
                .collect::<Vec<_>>()
            {
                self.block = step.block;
                let errors = self.findings.len();
                let (used, uses) = (self.used.clone(), self.uses.clone());
                let found = self
                    .measured(&measure.value, true)
                    .filter(|_| self.findings.len() == errors);
                match found {
                    Some(dimension) => {
                        self.kept.entry(&measure.name.node).or_insert(dimension);
                    }
                    None => (self.used, self.uses) = (used, uses),
                }
                self.findings.truncate(errors);
            }
            if self.kept.len() == before {
                break;
            }
        }
        for (step, Measure { value, name }) in all {
            self.block = step.block;
            let Some(dimension) = self.measured(value, true) else {
                continue;
            };
            let before = *self.kept.entry(&name.node).or_insert(dimension);
            if before != dimension {
                let message = format!(
                    "`{}` is {} here and {} elsewhere",
                    name.node,
                    dimension.name(),
                    before.name()
                );
                self.error("M120", &name.span, message, "give the two different names");
            }
            if let Some(index) = self.lets.get(name.node.as_str()) {
                self.used[*index] = true;
                let message = format!("`{}` is the name of a `let` already", name.node);
                self.error("M106", &name.span, message, "choose another name");
            }
        }
    }

    /// What an amount measures; what is wrong with it has then been said.
    fn measured(&mut self, value: &Spanned<Value>, in_measure: bool) -> Option<Dimension> {
        let mut found: Vec<(String, Range<usize>)> = Vec::new();
        // First only which names there are: what is wrong with them is to be reported once.
        let _ = amounts::dimension(value, &mut |name, span| {
            found.push((name.to_owned(), span.clone()));
            None
        });
        let known: BTreeMap<String, Option<Dimension>> = found
            .into_iter()
            .map(|(name, span)| {
                let dimension = self.named(
                    &Spanned {
                        node: name.clone(),
                        span,
                    },
                    in_measure,
                );
                (name, dimension)
            })
            .collect();
        match amounts::dimension(value, &mut |name, _| known.get(name).copied().flatten()) {
            Ok(dimension) => dimension,
            Err(Spanned { node: why, span }) => {
                let why = why.to_string();
                self.error(
                    "M005",
                    &span,
                    why,
                    Some("give both the same kind of unit".to_owned()),
                );
                None
            }
        }
    }

    /// What a name in an amount measures.
    fn named(&mut self, name: &Spanned<String>, in_measure: bool) -> Option<Dimension> {
        let mission = &self.parsed.mission;
        let wanted = self.parsed.slot_at(&name.span).map(|slot| &slot.kind);
        let wanted = match wanted {
            Some(SlotKind::Amount { dimension, .. }) => Use::Amount(*dimension),
            _ => match mission.measures(&name.node, self.block, 0) {
                Some(dimension) => Use::Amount(dimension),
                None => Use::Any,
            },
        };
        if self.parameter(name, wanted) {
            return match wanted {
                Use::Amount(dimension) => Some(dimension),
                Use::OneOf(_)
                | Use::Side
                | Use::Comparison
                | Use::Sensor
                | Use::Ranger
                | Use::Tone
                | Use::Device
                | Use::Any => None,
            };
        }
        if let Some(index) = self.lets.get(name.node.as_str()) {
            self.used[*index] = true;
            return mission.measures(&name.node, Block::Mission, 0);
        }
        if let Some(dimension) = self.kept.get(name.node.as_str()) {
            return Some(*dimension);
        }
        if in_measure {
            if let Some((_, dimension)) = SOURCES.iter().find(|(source, _)| *source == name.node) {
                return Some(*dimension);
            }
            if self.names.has(&name.node, DeviceKind::Ranger) {
                return Some(Dimension::Length);
            }
            if let Some(sensor) = self.names.sensor(&name.node) {
                return Some(if sensor.codes.is_empty() {
                    Dimension::Percent
                } else {
                    Dimension::Number
                });
            }
        }
        let known = mission.lets.iter().map(|entry| entry.name.node.as_str());
        let known = known.chain(self.kept.keys().copied());
        let hint = if self.is_enough() {
            Hints::default()
        } else if in_measure {
            let sources = SOURCES.iter().map(|(source, _)| *source);
            let (sensors, rangers) = (
                self.names.of_kind(DeviceKind::Floor),
                self.names.of_kind(DeviceKind::Ranger),
            );
            let all: Vec<&str> = known.chain(sources).chain(sensors).chain(rangers).collect();
            did_you_mean(&name.span, &name.node, all)
        } else {
            let known: Vec<&str> = known.collect();
            did_you_mean(&name.span, &name.node, known).or(format!(
                "write the amount itself, or add a line `let {} = ...`",
                name.node
            ))
        };
        self.error(
            "M103",
            &name.span,
            format!("there is no `{}`", name.node),
            hint,
        );
        None
    }

    /// Whether a name stands for something that the robot knows at every moment.
    fn is_known_live(&self, name: &str) -> bool {
        SOURCES.iter().any(|(source, _)| *source == name)
            || self.names.has(name, DeviceKind::Ranger)
            || self.names.sensor(name).is_some()
    }

    /// Two formulas that must measure the same.
    fn compares(&mut self, left: &Spanned<Value>, right: &Spanned<Value>) {
        let (Some(first), Some(second)) = (self.measured(left, true), self.measured(right, true))
        else {
            return;
        };
        if first != second {
            let message = format!("{} cannot be compared with {}", first.name(), second.name());
            let hint = "give both sides the same kind of unit";
            self.error("M005", &(left.span.start..right.span.end), message, hint);
        }
    }

    /// An amount where one belongs, which must measure one of a few things (or else what is usual
    /// there); a `live` one may name what the robot knows.
    fn value(&mut self, value: &Spanned<Value>, wanted: &[Dimension], live: bool) {
        let errors = self.findings.len();
        let found = self.measured(value, live);
        let slot = self
            .parsed
            .slot_at(&value.span)
            .map(|slot| slot.kind.clone());
        if let (Value::Named(name), Some(kind)) = (&value.node, &slot) {
            let mission = &self.parsed.mission;
            let known = |name: &str| mission.worth(name);
            if let Some(quantity) = mission.shown(name)
                && errors == self.findings.len()
                && let Some((code, message, hint)) = misfit(quantity, kind)
            {
                self.misfit(name, &value.span, code, message, hint);
            } else if let (Some(found), SlotKind::Amount { dimension, .. }) = (found, kind)
                && known(name).is_none()
                && found != *dimension
                && !wanted.contains(&found)
            {
                // Of a measured name the slot knows only what is usual there.
                let wanted: Vec<String> = match wanted {
                    [] => vec![dimension.name().to_owned()],
                    all => all.iter().map(|one| one.name().to_owned()).collect(),
                };
                let message = format!(
                    "`{name}` does not fit here: expected {}, it is {}",
                    super::either(&wanted),
                    found.name()
                );
                self.error("M005", &value.span, message, Hints::default());
            }
        }
    }

    /// A name whose amount does not fit. One number makes one finding, however many places use it.
    fn misfit(
        &mut self,
        name: &str,
        span: &Range<usize>,
        code: &'static str,
        message: String,
        hint: String,
    ) {
        if let Some((index, places)) = self.misfits.get_mut(&(name.to_owned(), message.clone())) {
            // What a copy has from its original is the same place.
            places.insert(span.start);
            let more = places.len() - 1;
            if more == 0 {
                return;
            }
            let s = if more > 1 { "s" } else { "" };
            self.findings[*index].message =
                format!("`{name}` does not fit here and in {more} more place{s}: {message}");
            return;
        }
        let index = self.findings.len();
        self.error(
            code,
            span,
            format!("`{name}` does not fit here: {message}"),
            Some(hint),
        );
        self.misfits.insert(
            (name.to_owned(), message),
            (index, BTreeSet::from([span.start])),
        );
    }

    /// An amount that must be known before the run.
    fn settled(&mut self, value: &Spanned<Value>, wanted: &[Dimension]) {
        self.value_as(value, wanted, false);
        let mut names = std::collections::BTreeSet::new();
        value.node.names(&mut names);
        if let Some(name) = names.into_iter().find(|name| self.kept.contains_key(name)) {
            let message = format!("`{name}` is measured during the run");
            let hint = "a gain, a radius, and the speed of what steers by itself must be fixed before the run: write it out, or name it with `let`";
            self.error("M134", &value.span, message, Some(hint.to_owned()));
        }
    }

    /// A formula, or anything else, that must measure one of a few things; a `live` one may name
    /// what the robot knows.
    fn value_as(&mut self, value: &Spanned<Value>, wanted: &[Dimension], live: bool) {
        self.value(value, wanted, live);
        if let Value::Formula(_) = value.node
            && let Some(found) = self.measured(value, live)
            && !wanted.contains(&found)
        {
            let names: Vec<String> = wanted
                .iter()
                .map(|dimension| dimension.name().to_owned())
                .collect();
            let message = format!(
                "expected {}, this is {}",
                super::either(&names),
                found.name()
            );
            self.error("M005", &value.span, message, Hints::default());
        }
    }

    fn side(&mut self, side: &Side, span: &Range<usize>) {
        if let Side::Named(name) = side {
            self.parameter(
                &Spanned {
                    node: name.clone(),
                    span: span.clone(),
                },
                Use::Side,
            );
        }
    }

    fn step(&mut self, step: &Step) {
        for behaviour in self.parsed.behaviours_of(step) {
            self.behaviour(behaviour);
        }
        // Without end stops it would turn for ever; what a parameter names, a call says.
        if let Some((behaviour, _)) = &step.behaviour
            && let Behaviour::Move(Move {
                actuator,
                way: Way::On { back },
                ..
            }) = &behaviour.node
            && step.exits.is_empty()
            && let Some(known) = self.names.device(&actuator.node, DeviceKind::Actuator)
        {
            let (from, to) = known.stops;
            let stop = if *back { from } else { to };
            if stop.is_infinite() {
                let message = format!(
                    "nothing ends step \"{}\": `{}` has no end stop there",
                    step.name.node, actuator.node
                );
                let hint = "add an exit below it, such as `until 0.5 s pass`";
                self.error("M108", &step.name.span, message, hint);
            }
        }
        for row in &step.rows {
            if let Some(condition) = &row.condition {
                self.condition(condition);
            }
            if let Answer::Go(target) = &row.answer {
                self.target(target, step);
            }
        }
        for exit in &step.exits {
            self.exit(exit, step);
        }
    }

    fn behaviour(&mut self, behaviour: &Spanned<Behaviour>) {
        let span = &behaviour.span;
        if behaviour.node.kind().on_the_spot && self.names.steers {
            let message = "a robot with steered wheels cannot turn on the spot".into();
            self.error(
                "M115",
                span,
                message,
                "write an arc, such as `drive ahead on a left arc of 300 mm at 30 %`",
            );
        }
        behaviour.node.parts(&mut |part| self.part(part, span));
        if let Behaviour::Drive(Drive::Straight {
            holds: Some(_),
            speed,
            ..
        }) = &behaviour.node
            && !self.names.has_gyro
        {
            let message = "the robot has no gyro to hold the heading with".into();
            let rest = Edit {
                span: speed.span.end..span.end,
                text: String::new(),
            };
            self.error(
                "M111",
                &speed.span,
                message,
                Hint::edit("delete what it holds", rest),
            );
        }
        if let Behaviour::Move(Move { actuator, way, .. }) = &behaviour.node {
            match way {
                Way::To(angle) => self.moves(actuator, angle),
                Way::Between { ends, .. } => {
                    for angle in ends {
                        self.moves(actuator, angle);
                    }
                }
                // From where it is nobody knows before the run.
                Way::By(_) | Way::On { .. } => {}
            }
        }
    }

    /// One part of a behaviour or a condition. `span`: the sentence it stands in.
    fn part(&mut self, part: Part<'_>, span: &Range<usize>) {
        match part {
            Part::Amount(value, wanted) => self.amount_for(value, wanted),
            Part::Side(side) => self.side(side, span),
            Part::Device(name, kind) => self.device(name, kind),
            Part::Pair(pair) => pair
                .iter()
                .for_each(|sensor| self.device(sensor, DeviceKind::Floor)),
            Part::Tone(tone, sensors) => self.tone_of(sensors, tone),
            Part::Sensors(sensors) => {
                sensors
                    .names
                    .iter()
                    .for_each(|sensor| self.device(sensor, DeviceKind::Floor));
                self.twice(sensors);
            }
            Part::Compared(sensors, than, limit) => self.comparison(sensors, than, limit, span),
            Part::Condition(condition) => self.condition(condition),
            Part::Zone(zone) => {
                if !self.names.zones.contains(&zone.node) {
                    let hint = did_you_mean(
                        &zone.span,
                        &zone.node,
                        self.names.zones.iter().map(String::as_str),
                    )
                    .quoted()
                    .or("add a `[[zone]]` of this name to the field file, or write `the mat`");
                    self.error(
                        "M137",
                        &zone.span,
                        format!("the field has no zone `{}`", zone.node),
                        hint,
                    );
                }
            }
            Part::LabelOf(label) => {
                if !self.labels.contains(label.node.as_str()) {
                    let known: Vec<&str> = self.labels.iter().copied().collect();
                    let hint = did_you_mean(&label.span, &label.node, known).or(format!(
                        "add `as {}` to the condition that is meant",
                        label.node
                    ));
                    self.error(
                        "M125",
                        &label.span,
                        format!("no condition is marked `as {}`", label.node),
                        hint,
                    );
                }
            }
            // What is measured has been checked before, and calls are when all routines are known.
            Part::Routine(_)
            | Part::Argument(..)
            | Part::Measured(_)
            | Part::Keeps(_)
            | Part::Label(_) => {}
        }
    }

    fn amount_for(&mut self, value: &Spanned<Value>, wanted: Wanted) {
        // A parameter takes whatever kind fits each of its uses.
        if let (Value::Named(name), 2..) = (&value.node, wanted.dimensions().len()) {
            let name = Spanned {
                node: name.clone(),
                span: value.span.clone(),
            };
            if self.parameter(&name, Use::OneOf(wanted)) {
                return;
            }
        }
        if wanted.before_the_run() {
            self.settled(value, &wanted.dimensions());
        } else {
            self.value_as(value, &wanted.dimensions(), true);
        }
        if matches!(wanted, Wanted::Speed | Wanted::LiveSpeed) {
            self.speed(value);
        }
    }

    fn comparison(
        &mut self,
        sensors: &Sensors,
        than: Option<&Comparison>,
        limit: &Spanned<Value>,
        span: &Range<usize>,
    ) {
        if let Some(Comparison::Named(name)) = than {
            self.parameter(
                &Spanned {
                    node: name.clone(),
                    span: span.clone(),
                },
                Use::Comparison,
            );
        }
        self.compared(sensors, limit);
        if than.is_some() {
            self.twice(sensors);
        }
    }

    fn exit(&mut self, exit: &Exit, step: &Step) {
        if self.parsed.is_own(exit.line, &exit.condition.span) {
            self.condition(&exit.condition);
        }
        self.endings(&exit.condition, step);
        self.target(&exit.target, step);
    }

    /// A step can only end as its behaviour ends.
    fn endings(&mut self, condition: &Spanned<Condition>, step: &Step) {
        let Some((behaviour, _)) = &step.behaviour else {
            return;
        };
        condition.each(&mut |term| {
            if behaviour.node.may_ask(&term.node) {
                return;
            }
            let word = behaviour.node.word();
            let message = if let Condition::Ended(ending) = &term.node {
                format!("`{word}` never ends with `{}`", ending.words())
            } else {
                format!("`{word}` does not follow a line")
            };
            let endings: Vec<String> = behaviour
                .node
                .outcomes()
                .iter()
                .map(|ending| format!("`{}`", ending.words()))
                .collect();
            let hint =
                (!endings.is_empty()).then(|| format!("it ends with {}", super::either(&endings)));
            self.findings.push(
                Finding::error("M124", Source::Mission, term.span.clone(), message).hint(hint),
            );
        });
    }

    fn target(&mut self, target: &Spanned<Target>, step: &Step) {
        let mission = &self.parsed.mission;
        match &target.node {
            Target::Step(name) if mission.find(name, step).is_none() => {
                if self.is_enough() {
                    let message = format!("there is no step \"{name}\" to go to from here");
                    return self.error("M104", &target.span, message, Hints::default());
                }
                let all: Vec<&str> = (mission.steps.iter())
                    .filter(|other| mission.find(&other.name.node, step).is_some())
                    .map(|other| other.name.node.as_str())
                    .collect();
                // A step whose name could not be read has an empty one, and may be the one that is
                // meant.
                if mission.steps.iter().any(|step| step.name.node.is_empty()) {
                    return;
                }
                if mission.steps.iter().any(|other| other.name.node == *name) {
                    let message = format!("step \"{name}\" cannot be reached from here");
                    let hint = "an exit may lead to steps of the same level, or of the level around the repeat";
                    return self.error("M104", &target.span, message, Some(hint.to_owned()));
                }
                self.error(
                    "M104",
                    &target.span,
                    format!("there is no step \"{name}\""),
                    did_you_mean(&target.span, name, all).quoted(),
                );
            }
            Target::Again if step.inside.is_none() => {
                let message = "`again` is only possible inside a repeat".to_owned();
                self.error(
                    "M104",
                    &target.span,
                    message,
                    Some("name the step to go to".to_owned()),
                );
            }
            Target::Out if step.inside.is_none() && !matches!(step.block, Block::Routine(_)) => {
                let message = "`out` is only possible inside a repeat or a routine".to_owned();
                self.error(
                    "M104",
                    &target.span,
                    message,
                    Some("write `done`, or name the step to go to".to_owned()),
                );
            }
            Target::Next
            | Target::Step(_)
            | Target::Again
            | Target::Out
            | Target::Done
            | Target::Fail(_) => {}
        }
    }

    fn condition(&mut self, condition: &Spanned<Condition>) {
        condition
            .node
            .parts(&mut |part| self.part(part, &condition.span));
        if let Condition::Between { low, high, .. } = &condition.node
            && let (Some(least), Some(most)) = (self.amount(low), self.amount(high))
            && least.si() >= most.si()
        {
            let message = format!("the range from {least} to {most} is empty");
            let span = low.span.start..high.span.end;
            self.error("M008", &span, message, "write the smaller one first");
        }
        if let Condition::Compares { left, right, .. } = &condition.node {
            self.compares(left, right);
        }
        if let Condition::Code { sensor, low, high } = &condition.node {
            self.code(sensor, low, high.as_ref());
        }
    }
}
