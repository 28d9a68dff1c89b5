//! References: who names a step, an amount, a routine, a parameter, a device or a tone.
//!
//! Every change of the structure of a mission is built on this one list: rename, delete, copy,
//! join, extract, mirror.

use crate::ids::TextStep;
use std::collections::BTreeSet;
use std::ops::Range;

use super::ast::{
    Answer, Argument, Block, Comparison, Formula, Part, Side, SlotKind, Spanned, Target, Then,
    Value,
};
use super::parser::Parsed;
use crate::finding::Edit;

/// What kind of thing a name stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// A step.
    Step,
    /// A `let`.
    Amount,
    /// What a step measures.
    Kept,
    /// A condition that is kept with `as`.
    Label,
    /// A routine.
    Routine,
    /// A parameter of the routine by its index.
    Parameter(usize),
    /// A device of the robot, or something else that the robot knows, such as `heading`.
    Device,
    /// A tone.
    Tone,
    /// A zone of the field, or the mat.
    Zone,
}

/// How a step is referred to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Way {
    /// It is named by its own line, or by what makes the thing known.
    Defines,
    /// An exit, a row or a reflex leads there.
    LeadsTo,
    /// A reflex watches during it.
    During,
    /// A copy follows it.
    Copies,
    /// Anything else that names something.
    Uses,
}

/// One place of the text that names something.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reference {
    /// What it names.
    pub kind: Kind,
    /// The name.
    pub name: String,
    /// Its bytes, quotes included where a name stands in quotes.
    pub span: Range<usize>,
    /// How.
    pub way: Way,
    /// The step that it stands in; none in a header, a `let` or a reflex's own lines.
    pub step: Option<TextStep>,
    /// For a step: which one is meant, where there is one.
    pub target: Option<TextStep>,
}

/// Every place of a text that names something, in order of the text.
pub fn references(parsed: &Parsed, text: &str) -> Vec<Reference> {
    let mut list = List {
        parsed,
        kept: BTreeSet::new(),
        all: Vec::new(),
    };
    parsed.parts(&mut |_, part| {
        if let Part::Keeps(name) = part {
            list.kept.insert(name.node.clone());
        }
    });
    list.steps();
    list.definitions();
    parsed.parts(&mut |at, part| list.part(at.block, at.step, part));
    list.words(text);
    list.all.sort_by_key(|one| (one.span.start, one.span.end));
    // A side that is given to a parameter stands in the call and in its slot.
    list.all
        .dedup_by(|a, b| a.span == b.span && a.kind == b.kind && a.way == b.way);
    list.all
}

struct List<'a> {
    parsed: &'a Parsed,
    kept: BTreeSet<String>,
    all: Vec<Reference>,
}

impl List<'_> {
    fn add(
        &mut self,
        kind: Kind,
        name: &Spanned<String>,
        way: Way,
        step: Option<TextStep>,
        target: Option<TextStep>,
    ) {
        let (name, span) = (name.node.clone(), name.span.clone());
        self.all.push(Reference {
            kind,
            name,
            span,
            way,
            step,
            target,
        });
    }

    /// Everything that names a step.
    fn steps(&mut self) {
        let mission = &self.parsed.mission;
        if let Some(name) = &mission.last_resort {
            self.add(Kind::Step, name, Way::LeadsTo, None, mission.resort());
        }
        for (index, step) in mission.numbered() {
            let at = Some(index);
            if !matches!(step.block, Block::Reflex(_)) {
                self.add(Kind::Step, &step.name, Way::Defines, at, at);
            }
            let own = step
                .exits
                .iter()
                .filter(|exit| self.parsed.is_own(exit.line, &exit.condition.span));
            let rows = step.rows.iter().filter_map(|row| match &row.answer {
                Answer::Go(target) => Some(target),
                Answer::Does(_) => None,
            });
            for target in own.map(|exit| &exit.target).chain(rows) {
                if let Target::Step(name) = &target.node {
                    let named = Spanned {
                        node: name.clone(),
                        span: target.span.clone(),
                    };
                    self.all.push(Reference {
                        kind: Kind::Step,
                        name: named.node,
                        span: named.span,
                        way: Way::LeadsTo,
                        step: at,
                        target: mission.find(name, step),
                    });
                }
            }
            if let Some(like) = &step.like {
                self.add(
                    Kind::Step,
                    like,
                    Way::Copies,
                    at,
                    mission.find(&like.node, step),
                );
            }
        }
        for reflex in &mission.reflexes {
            for name in &reflex.within {
                let meant = |step: &super::ast::Step| {
                    step.block == Block::Mission && step.name.node == name.node
                };
                self.add(Kind::Step, name, Way::During, None, mission.position(meant));
            }
            if let Some(Spanned {
                node: Then::Go(target),
                ..
            }) = &reflex.then
                && let Target::Step(name) = &target.node
            {
                let from = mission.steps.iter().find(|step| step.line == reflex.line);
                let meant = from.and_then(|from| mission.find(name, from));
                let named = Spanned {
                    node: name.clone(),
                    span: target.span.clone(),
                };
                self.add(Kind::Step, &named, Way::LeadsTo, None, meant);
            }
        }
    }

    fn definitions(&mut self) {
        let mission = &self.parsed.mission;
        for entry in &mission.lets {
            self.add(Kind::Amount, &entry.name, Way::Defines, None, None);
            self.value(Block::Mission, None, &entry.value);
        }
        for (index, routine) in mission.routines.iter().enumerate() {
            self.add(Kind::Routine, &routine.name, Way::Defines, None, None);
            for parameter in &routine.parameters {
                self.add(
                    Kind::Parameter(index),
                    &parameter.name,
                    Way::Defines,
                    None,
                    None,
                );
                if let Some(default) = &parameter.default {
                    self.argument(Block::Mission, None, default);
                }
            }
        }
    }

    /// What a word stands for where it stands.
    fn kind_of(&self, block: Block, name: &str) -> Kind {
        let mission = &self.parsed.mission;
        if let Block::Routine(routine) = block
            && mission.routines[routine]
                .parameters
                .iter()
                .any(|parameter| parameter.name.node == name)
        {
            return Kind::Parameter(routine);
        }
        if mission.lets.iter().any(|entry| entry.name.node == name) {
            return Kind::Amount;
        }
        if self.kept.contains(name) {
            Kind::Kept
        } else {
            Kind::Device
        }
    }

    fn word(&mut self, block: Block, step: Option<TextStep>, name: &Spanned<String>) {
        self.add(self.kind_of(block, &name.node), name, Way::Uses, step, None);
    }

    fn value(&mut self, block: Block, step: Option<TextStep>, value: &Spanned<Value>) {
        match &value.node {
            Value::Literal(_) => {}
            Value::Named(name) => self.word(
                block,
                step,
                &Spanned {
                    node: name.clone(),
                    span: value.span.clone(),
                },
            ),
            Value::Formula(formula) => self.formula(block, step, formula),
        }
    }

    fn formula(&mut self, block: Block, step: Option<TextStep>, formula: &Formula) {
        match formula {
            Formula::Amount(value) => self.value(block, step, value),
            Formula::Two(_, pair) => pair.iter().for_each(|part| self.formula(block, step, part)),
            Formula::Of(_, parts) => parts
                .iter()
                .for_each(|part| self.formula(block, step, part)),
        }
    }

    fn argument(&mut self, block: Block, step: Option<TextStep>, argument: &Spanned<Argument>) {
        let named = |name: &String| Spanned {
            node: name.clone(),
            span: argument.span.clone(),
        };
        match &argument.node {
            Argument::Amount(value) => self.value(block, step, value),
            Argument::Side(Side::Named(name))
            | Argument::Comparison(Comparison::Named(name))
            | Argument::Word(name) => self.word(block, step, &named(name)),
            Argument::Side(Side::Left | Side::Right)
            | Argument::Comparison(Comparison::Below | Comparison::Above) => {}
        }
    }

    fn part(&mut self, block: Block, step: Option<TextStep>, part: Part<'_>) {
        match part {
            Part::Amount(value, _) | Part::Measured(value) => self.value(block, step, value),
            Part::Device(name, _) => self.word(block, step, name),
            Part::Pair(pair) => pair.iter().for_each(|name| self.word(block, step, name)),
            Part::Sensors(sensors) => sensors
                .names
                .iter()
                .for_each(|name| self.word(block, step, name)),
            Part::Compared(sensors, _, limit) => {
                for name in &sensors.names {
                    // Both limits of a range name the same sensors.
                    if self.all.last().is_none_or(|last| last.span != name.span) {
                        self.word(block, step, name);
                    }
                }
                self.value(block, step, limit);
            }
            Part::Tone(tone, _) => {
                let kind = self.kind_of(block, &tone.node);
                let kind = if let Kind::Parameter(_) = kind {
                    kind
                } else {
                    Kind::Tone
                };
                self.add(kind, tone, Way::Uses, step, None);
            }
            Part::Routine(name) => self.add(Kind::Routine, name, Way::Uses, step, None),
            Part::Argument(name, argument) => {
                if let Some(routine) = self.called(step, name) {
                    self.add(Kind::Parameter(routine), name, Way::Uses, step, None);
                }
                self.argument(block, step, argument);
            }
            Part::Keeps(name) => self.add(Kind::Kept, name, Way::Defines, step, None),
            Part::Zone(name) => self.add(Kind::Zone, name, Way::Uses, step, None),
            Part::Label(name) => self.add(Kind::Label, name, Way::Defines, step, None),
            Part::LabelOf(name) => self.add(Kind::Label, name, Way::Uses, step, None),
            // Sides of parameters have no place of their own in the model: their slots have.
            Part::Side(_) | Part::Condition(_) => {}
        }
    }

    /// Parameters that stand for a side or a comparison: the model keeps only what they say, their
    /// slots where.
    fn words(&mut self, text: &str) {
        let parsed = self.parsed;
        for slot in parsed
            .slots
            .iter()
            .filter(|slot| matches!(slot.kind, SlotKind::Choice(_)))
        {
            let name = &text[slot.span.clone()];
            let at = parsed
                .mission
                .steps
                .iter()
                .rposition(|step| step.line <= slot.line)
                .map(TextStep);
            let Some(step) = at.filter(|_| !name.is_empty()) else {
                continue;
            };
            if let Kind::Parameter(routine) = self.kind_of(parsed.mission.steps[step].block, name) {
                let named = Spanned {
                    node: name.to_owned(),
                    span: slot.span.clone(),
                };
                self.add(Kind::Parameter(routine), &named, Way::Uses, at, None);
            }
        }
    }

    /// The routine of this text whose call gives a value to a parameter.
    fn called(&self, step: Option<TextStep>, parameter: &Spanned<String>) -> Option<usize> {
        let mission = &self.parsed.mission;
        let behaviours = self.parsed.behaviours_of(&mission.steps[step?]);
        let call = behaviours
            .filter(|behaviour| behaviour.span.contains(&parameter.span.start))
            .find_map(|behaviour| {
                let mut routine = None;
                behaviour.node.parts(&mut |part| {
                    if let Part::Routine(name) = part {
                        routine = Some(name);
                    }
                });
                routine
            })?;
        mission
            .routines
            .iter()
            .position(|routine| routine.name.node == call.node)
    }
}

/// Why something cannot have a name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadName {
    /// Nothing is typed.
    #[error("a name cannot be empty")]
    Empty,
    /// A name in quotes cannot hold them.
    #[error("a name cannot hold quotes or line ends")]
    Quotes,
    /// A name of the language is one word.
    #[error("a name is a letter, then letters, digits and hyphens: try `cruise`")]
    NotOneWord,
    /// Two things of one name cannot be told apart.
    #[error("there is a {what} named `{name}` already")]
    Taken {
        /// What has it.
        what: &'static str,
        /// The name.
        name: String,
    },
    /// Two steps have the old name, so that nobody knows which one the others mean.
    #[error("two steps are named \"{name}\": edit their lines to rename one")]
    Ambiguous {
        /// The name.
        name: String,
    },
    /// It belongs to the robot, the field or another file.
    #[error("`{name}` is named elsewhere: in the robot, the calibration or another file")]
    Elsewhere {
        /// The name.
        name: String,
    },
}

/// Whether a text is one word of the language, as names of amounts, routines and parameters are.
pub fn is_word(name: &str) -> bool {
    name.starts_with(char::is_alphabetic)
        && name.chars().all(|c| c.is_alphanumeric() || c == '-')
        && !name.ends_with('-')
}

/// Gives the thing that a place names another name, there and wherever it is named. None when
/// nothing is named there.
///
/// # Errors
/// Why it cannot have that name.
pub fn rename(
    parsed: &Parsed,
    text: &str,
    at: &Range<usize>,
    new: &str,
) -> Option<Result<Vec<Edit>, BadName>> {
    let all = references(parsed, text);
    let here = all.iter().find(|one| one.span == *at)?;
    Some(renamed(&all, here, new.trim()))
}

fn renamed(all: &[Reference], here: &Reference, new: &str) -> Result<Vec<Edit>, BadName> {
    let old = &here.name;
    if new == old {
        return Ok(Vec::new());
    }
    if new.is_empty() {
        return Err(BadName::Empty);
    }
    let taken = |kinds: &[Kind], what: &'static str| {
        let is_taken = all
            .iter()
            .any(|one| kinds.contains(&one.kind) && one.way == Way::Defines && one.name == new);
        if is_taken {
            Err(BadName::Taken {
                what,
                name: new.to_owned(),
            })
        } else {
            Ok(())
        }
    };
    let edit = |one: &Reference, text: String| Edit {
        span: one.span.clone(),
        text,
    };
    if here.kind == Kind::Step {
        if new.contains(['"', '\n']) {
            return Err(BadName::Quotes);
        }
        taken(&[Kind::Step], "step")?;
        let own = all
            .iter()
            .filter(|one| one.kind == Kind::Step && one.way == Way::Defines && one.name == *old);
        let meant = here
            .target
            .ok_or_else(|| BadName::Elsewhere { name: old.clone() })?;
        if own.count() > 1 {
            return Err(BadName::Ambiguous { name: old.clone() });
        }
        let of = all
            .iter()
            .filter(|one| one.kind == Kind::Step && one.target == Some(meant));
        return Ok(of.map(|one| edit(one, format!("\"{new}\""))).collect());
    }
    if !is_word(new) {
        return Err(BadName::NotOneWord);
    }
    match here.kind {
        Kind::Amount | Kind::Kept | Kind::Parameter(_) => {
            taken(&[Kind::Amount, Kind::Kept], "value")?;
            taken(&[here.kind], "parameter")?;
        }
        Kind::Label => taken(&[Kind::Label], "kept condition")?,
        Kind::Routine => taken(&[Kind::Routine], "routine")?,
        Kind::Device | Kind::Tone | Kind::Zone | Kind::Step => {
            return Err(BadName::Elsewhere { name: old.clone() });
        }
    }
    let of: Vec<&Reference> = all
        .iter()
        .filter(|one| one.kind == here.kind && one.name == *old)
        .collect();
    if !of.iter().any(|one| one.way == Way::Defines) {
        return Err(BadName::Elsewhere { name: old.clone() });
    }
    Ok(of
        .into_iter()
        .map(|one| edit(one, new.to_owned()))
        .collect())
}
