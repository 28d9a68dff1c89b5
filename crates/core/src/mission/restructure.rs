//! Changes of the structure of a mission: whole steps deleted, copied, moved, wrapped, made into a
//! routine, split, joined, mirrored.
//!
//! Each works on one step or on several that stand side by side, is built on the list of references
//! ([`super::refs`]), and is either a set of edits that leaves no error behind that was not there
//! before, or refused with a reason.
//!
//! Long because each change of the structure is one function with its refusals.

mod carry;
mod extract;
mod mirror;

use crate::ids::TextStep;
use std::collections::BTreeSet;
use std::ops::Range;

pub use carry::{Carried, carry, put};
pub use extract::extract;
pub use mirror::mirror;

use super::ast::{Answer, Block, Condition, LineKind, Step, Target};
use super::check::{Names, check};
use super::parser::{Parsed, parse};
use super::refs::{BadName, Kind, Reference, Way, references};
use super::steps::{indent, indent_of, step_span, told_span};
use crate::finding::{Edit, Finding, Severity, apply_all};

/// Why the structure of a mission is not changed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// The steps that are marked belong to different sequences.
    #[error("these steps do not stand side by side: mark steps of one level")]
    NotSideBySide,
    /// A reflex holds one thing to do.
    #[error("this cannot be done to what a reflex does: copy or edit the reflex as text")]
    Reflex,
    /// A repeat, a routine or a mission needs a step.
    #[error("cannot delete the only step of this block: delete the block, or change the step")]
    OnlyStep,
    /// There is nothing on that side.
    #[error("there is no step {} it to change places with", if *up { "above" } else { "below" })]
    NoNeighbour {
        /// The side.
        up: bool,
    },
    /// A linked copy follows one of the steps.
    #[error("\"{copy}\" is a linked copy of \"{step}\": write the copy out first")]
    HasCopies {
        /// The step.
        step: String,
        /// The copy.
        copy: String,
    },
    /// A step is a linked copy itself.
    #[error("\"{step}\" is a linked copy: write it out first")]
    IsCopy {
        /// The copy.
        step: String,
    },
    /// Something leads to a step that can no longer be reached from there.
    #[error("\"{from}\" leads to \"{step}\", which could not be reached from there any more")]
    LeadsHere {
        /// The step.
        step: String,
        /// The step or the reflex that leads there.
        from: String,
    },
    /// A reflex watches only during a step.
    #[error("a reflex watches only during \"{step}\": change its `during` line first")]
    Watched {
        /// The step.
        step: String,
    },
    /// An exit leads out of what becomes a block of its own.
    #[error("\"{step}\" leads `{target}`, which would mean something else there")]
    LeadsAround {
        /// The step.
        step: String,
        /// The target as written.
        target: String,
    },
    /// What is measured or marked there is used elsewhere.
    #[error("`{name}` is kept there and used in \"{by}\"")]
    StillUsed {
        /// The name.
        name: String,
        /// The step, or the reflex, that uses it.
        by: String,
    },
    /// A step contains steps or rows.
    #[error("\"{step}\" contains steps or rows of its own")]
    Contains {
        /// The step.
        step: String,
    },
    /// No exit of the second step fits what the first one does.
    #[error("no exit of \"{step}\" fits what the first step does")]
    NoExitFits {
        /// The second step.
        step: String,
    },
    /// The step has no behaviour that could be read.
    #[error("\"{step}\" cannot be read: fix its lines first")]
    Broken {
        /// The step.
        step: String,
    },
    /// A routine is made of steps of the main mission.
    #[error("only steps of the main mission can become a routine")]
    NotInMission,
    /// The new name does not fit.
    #[error(transparent)]
    Name(#[from] BadName),
    /// Nothing in it has a side.
    #[error("nothing in this step has a side")]
    NoSide,
    /// It would leave an error behind.
    #[error("that would break the mission: {message}")]
    WouldBreak {
        /// The first error that would be new.
        message: String,
    },
}

/// A change of the structure: what to do to the text, and what to look at afterwards.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// The edits; they belong together and do not overlap.
    pub edits: Vec<Edit>,
    /// The name of the step to look at then.
    pub step: String,
    /// What a person should know about it, beyond its being done.
    pub note: Option<Note>,
}

/// What a person should know about a change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Note {
    /// Of two steps that were joined, the second did something else.
    OtherBehaviour,
    /// Exits of the second step that do not fit the first one were dropped: how many.
    ExitsDropped(usize),
    /// A sensor has no counterpart on the other side, and stays.
    NoOpposite(String),
    /// Exits led to steps that are not there, and lead to the next one now: how many.
    LedElsewhere(usize),
}

impl Note {
    /// What it says, in one line.
    pub fn words(&self) -> String {
        match self {
            Self::OtherBehaviour => {
                "the second step's behaviour was different and was dropped".to_owned()
            }
            Self::ExitsDropped(1) => {
                "one exit that does not fit the first step was dropped".to_owned()
            }
            Self::ExitsDropped(count) => {
                format!("{count} exits that do not fit the first step were dropped")
            }
            Self::LedElsewhere(1) => {
                "an exit led to a step that is not here; it leads to the next one now".to_owned()
            }
            Self::LedElsewhere(count) => {
                format!(
                    "{count} exits led to steps that are not here; they lead to the next one now"
                )
            }
            Self::NoOpposite(sensor) => format!("`{sensor}` has no sensor opposite and stays"),
        }
    }
}

impl Change {
    fn new(edits: Vec<Edit>, step: impl Into<String>) -> Self {
        Self {
            edits,
            step: step.into(),
            note: None,
        }
    }

    /// The text after the change.
    pub fn apply(&self, text: &str) -> String {
        apply_all(text, self.edits.clone())
    }
}

/// A text whose structure is to be changed.
#[derive(Clone, Copy)]
pub struct Text<'a> {
    /// What it says.
    pub parsed: &'a Parsed,
    /// Its letters.
    pub text: &'a str,
    /// What the robot and the field offer.
    pub names: &'a Names,
}

impl<'a> Text<'a> {
    fn step(self, step: TextStep) -> &'a Step {
        &self.parsed.mission.steps[step]
    }

    fn name(self, step: TextStep) -> String {
        self.step(step).name.node.clone()
    }

    /// The change itself when it leaves no error that was not there before.
    fn sound(self, change: Change) -> Result<Change, Refusal> {
        let errors = |parsed: &Parsed| -> Vec<String> {
            let checked = check(parsed, self.names);
            let all = parsed.findings.iter().chain(&checked);
            let errors = all.filter(|finding: &&Finding| finding.severity == Severity::Error);
            errors.map(|finding| finding.message.clone()).collect()
        };
        let mut before = errors(self.parsed);
        let new = parse(&change.apply(self.text));
        for message in errors(&new) {
            match before.iter().position(|known| *known == message) {
                Some(at) => drop(before.swap_remove(at)),
                None => return Err(Refusal::WouldBreak { message }),
            }
        }
        Ok(change)
    }

    /// The steps from one to another that stand side by side, in written order; both may be the
    /// same.
    fn side_by_side(self, steps: &Range<TextStep>) -> Result<Vec<TextStep>, Refusal> {
        let known = TextStep(self.parsed.mission.steps.len());
        let last = steps
            .end
            .before()
            .filter(|last| *last >= steps.start && *last < known);
        let last = last.ok_or(Refusal::NotSideBySide)?;
        let (first, last) = (self.step(steps.start), self.step(last));
        if matches!(first.block, Block::Reflex(_)) {
            return Err(Refusal::Reflex);
        }
        let same = (first.block, first.inside);
        let all: Vec<TextStep> = (self
            .parsed
            .mission
            .sequence(same.0, same.1)
            .map(|(index, _)| index))
        .filter(|index| steps.contains(index))
        .collect();
        // The last one that is marked may stand within the last of the sequence.
        if all.windows(2).any(|pair| !self.adjoin(pair[0], pair[1])) {
            return Err(Refusal::NotSideBySide);
        }
        let closes = all
            .last()
            .is_some_and(|index| self.step(*index).last >= last.last);
        if closes && last.block == same.0 {
            Ok(all)
        } else {
            Err(Refusal::NotSideBySide)
        }
    }

    /// Whether nothing but blank lines and comments stands between two steps of a sequence.
    fn adjoin(self, first: TextStep, second: TextStep) -> bool {
        let between = self.step(first).last + 1..self.step(second).line;
        self.parsed.lines[between]
            .iter()
            .all(|line| line.kind == LineKind::Blank)
    }

    /// Whether a step is one of some that stand side by side, or stands within one of them.
    fn is_among(self, steps: &[TextStep], step: TextStep) -> bool {
        let line = self.step(step).line;
        steps
            .iter()
            .any(|at| (self.step(*at).line..=self.step(*at).last).contains(&line))
    }

    /// The references to steps that stand outside of some steps and mean one of them or one within.
    fn outside_of(self, steps: &[TextStep]) -> Vec<Reference> {
        let all = references(self.parsed, self.text)
            .into_iter()
            .filter(|one| one.kind == Kind::Step);
        let outside = |one: &Reference| one.step.is_none_or(|from| !self.is_among(steps, from));
        all.filter(|one| outside(one) && one.target.is_some_and(|to| self.is_among(steps, to)))
            .collect()
    }

    /// The bytes from the first to the last of some steps that stand side by side.
    fn span(self, steps: &[TextStep]) -> Range<usize> {
        let (first, last) = (steps[0], steps[steps.len() - 1]);
        step_span(self.parsed, first).start..step_span(self.parsed, last).end
    }

    /// Who refers to something, by name.
    fn from(self, one: &Reference) -> String {
        one.step
            .map_or_else(|| "a reflex".to_owned(), |step| self.name(step))
    }

    /// Refuses to take away a part of the text that alone keeps something that is used elsewhere.
    fn still_used(self, gone: &Range<usize>) -> Result<(), Refusal> {
        let all = references(self.parsed, self.text);
        let inside = |one: &&Reference| gone.contains(&one.span.start);
        let defines = |one: &&Reference| {
            matches!(one.kind, Kind::Kept | Kind::Label) && one.way == Way::Defines
        };
        for lost in all.iter().filter(inside).filter(defines) {
            let same = |one: &&Reference| one.kind == lost.kind && one.name == lost.name;
            let outside: Vec<&Reference> =
                all.iter().filter(same).filter(|one| !inside(one)).collect();
            if !outside.iter().any(defines)
                && let Some(user) = outside.first()
            {
                return Err(Refusal::StillUsed {
                    name: lost.name.clone(),
                    by: self.from(user),
                });
            }
        }
        Ok(())
    }

    /// The steps that stand below some others in their sequence.
    fn after(self, steps: &[TextStep]) -> Option<TextStep> {
        let (first, last) = (self.step(steps[0]), steps[steps.len() - 1]);
        self.parsed
            .mission
            .sequence(first.block, first.inside)
            .map(|(index, _)| index)
            .find(|index| *index > last)
    }
}

/// A name that is not taken: the wanted one, or one like it with a number.
pub(super) fn free_among(taken: &BTreeSet<String>, wanted: &str) -> String {
    let wanted = wanted.replace(['"', '\n'], "");
    // The copy of a second one is a third one.
    let base = match wanted.rsplit_once(' ') {
        Some((base, number)) if number.parse::<u32>().is_ok() => base.to_owned(),
        _ => wanted.clone(),
    };
    let others = (2..).map(|nth| format!("{base} {nth}"));
    std::iter::once(wanted)
        .chain(others)
        .find(|name| !taken.contains(name))
        .unwrap_or_default()
}

/// The names that steps have.
pub(super) fn taken_names(parsed: &Parsed) -> BTreeSet<String> {
    parsed
        .mission
        .steps
        .iter()
        .map(|step| step.name.node.clone())
        .collect()
}

/// Deletes steps with the comments right above them. What led to them leads to what followed them.
///
/// - `steps`: from the first to behind the last, of one level
///
/// # Errors
/// Why they cannot go.
pub fn delete(of: Text<'_>, steps: Range<TextStep>) -> Result<Change, Refusal> {
    let steps = of.side_by_side(&steps)?;
    let first = of.step(steps[0]);
    if of
        .parsed
        .mission
        .sequence(first.block, first.inside)
        .count()
        == steps.len()
    {
        return Err(Refusal::OnlyStep);
    }
    let next = of.after(&steps);
    let mut edits = Vec::new();
    for one in of.outside_of(&steps) {
        let step = of.name(one.target.unwrap_or_default());
        match one.way {
            Way::Copies => {
                return Err(Refusal::HasCopies {
                    step,
                    copy: of.from(&one),
                });
            }
            Way::During => edits.push(unwatched(of, &one).ok_or(Refusal::Watched { step })?),
            Way::LeadsTo => {
                let text = successor(of, first, &one, next);
                let text = text.ok_or_else(|| Refusal::LeadsHere {
                    step,
                    from: of.from(&one),
                })?;
                edits.push(Edit {
                    span: one.span,
                    text,
                });
            }
            Way::Defines | Way::Uses => {}
        }
    }
    let mut span = told_span(of.parsed, steps[0]).start..of.span(&steps).end;
    of.still_used(&span)?;
    let rest = &of.text[span.end..];
    span.end += rest.find('\n').map_or(rest.len(), |at| at + 1);
    // The blank line below goes with it.
    let below = &of.text[span.end..];
    if let Some(at) = below.find('\n').filter(|at| below[..*at].trim().is_empty()) {
        span.end += at + 1;
    }
    edits.push(Edit {
        span,
        text: String::new(),
    });
    let look = next
        .or_else(|| steps[0].before())
        .map_or_else(String::new, |step| of.name(step));
    of.sound(Change::new(edits, look))
}

/// What something that led to deleted steps leads to instead.
fn successor(
    of: Text<'_>,
    first: &Step,
    one: &Reference,
    next: Option<TextStep>,
) -> Option<String> {
    if let Some(next) = next {
        return Some(format!("\"{}\"", of.name(next)));
    }
    let from = one.step.map(|step| of.step(step));
    let beside = from.is_some_and(|from| (from.block, from.inside) == (first.block, first.inside));
    match (first.block, first.inside) {
        (Block::Mission, None) => Some("done".to_owned()),
        (_, Some(_)) if beside => Some("again".to_owned()),
        (Block::Routine(_), None) if beside => Some("out".to_owned()),
        (Block::Mission | Block::Routine(_) | Block::Reflex(_), _) => None,
    }
}

/// Takes a name off a `during` line; none when it is the only one there.
fn unwatched(of: Text<'_>, one: &Reference) -> Option<Edit> {
    let within = of.parsed.mission.reflexes.iter().find_map(|reflex| {
        reflex
            .within
            .iter()
            .any(|name| name.span == one.span)
            .then_some(&reflex.within)
    })?;
    let at = within.iter().position(|name| name.span == one.span)?;
    let span = match (at.checked_sub(1), within.get(at + 1)) {
        (Some(before), _) => within[before].span.end..one.span.end,
        (None, Some(after)) => one.span.start..after.span.start,
        (None, None) => return None,
    };
    Some(Edit {
        span,
        text: String::new(),
    })
}

/// The same steps once more below themselves, under names of their own; what leads from one to
/// another does so among the copies.
///
/// # Errors
/// Why they cannot be copied.
pub fn duplicate(of: Text<'_>, steps: Range<TextStep>) -> Result<Change, Refusal> {
    let steps = of.side_by_side(&steps)?;
    let span = of.span(&steps);
    let mut taken = taken_names(of.parsed);
    let mut new = Vec::new();
    for (index, step) in of.parsed.mission.numbered() {
        if of.is_among(&steps, index) {
            let name = free_among(&taken, &step.name.node);
            taken.insert(name.clone());
            new.push((index, name));
        }
    }
    let named = |step: TextStep| {
        new.iter()
            .find(|(index, _)| *index == step)
            .map(|(_, name)| name)
    };
    let all = references(of.parsed, of.text)
        .into_iter()
        .filter(|one| one.kind == Kind::Step);
    let edits = all
        .filter(|one| span.contains(&one.span.start))
        .filter_map(|one| {
            let name = named(one.target?)?;
            Some(Edit {
                span: one.span.start - span.start..one.span.end - span.start,
                text: format!("\"{name}\""),
            })
        });
    let copy = apply_all(&of.text[span.clone()], edits.collect());
    let look = named(steps[0]).cloned().unwrap_or_default();
    of.sound(Change::new(
        vec![Edit::insert(span.end, format!("\n\n{copy}"))],
        look,
    ))
}

/// A linked copy of a step below itself: it says only what is different, so far nothing.
///
/// # Errors
/// Why it cannot have one.
pub fn link(of: Text<'_>, step: TextStep) -> Result<Change, Refusal> {
    let about = of.step(step);
    if matches!(about.block, Block::Reflex(_)) {
        return Err(Refusal::Reflex);
    }
    if holds_steps(of.parsed, step) || !about.rows.is_empty() {
        return Err(Refusal::Contains {
            step: of.name(step),
        });
    }
    let (end, indent) = (
        step_span(of.parsed, step).end,
        indent(of.parsed, of.text, about),
    );
    // A copy of a copy follows the first original.
    let original = about
        .like
        .as_ref()
        .map_or(&about.name.node, |like| &like.node);
    let name = free_among(&taken_names(of.parsed), &about.name.node);
    let text = format!("\n\n{indent}step \"{name}\"\n{indent}  like \"{original}\"");
    of.sound(Change::new(vec![Edit::insert(end, text)], name))
}

/// Swaps steps with the one above or below them in their sequence, each with the comment right
/// above it.
///
/// # Errors
/// Why they stay.
pub fn move_steps(of: Text<'_>, steps: Range<TextStep>, up: bool) -> Result<Change, Refusal> {
    let steps = of.side_by_side(&steps)?;
    let first = of.step(steps[0]);
    let beside: Vec<TextStep> = of
        .parsed
        .mission
        .sequence(first.block, first.inside)
        .map(|(index, _)| index)
        .collect();
    let at = beside
        .iter()
        .position(|index| *index == steps[0])
        .unwrap_or_default();
    let other = if up {
        at.checked_sub(1)
    } else {
        Some(at + steps.len())
    };
    let other = other
        .and_then(|other| beside.get(other))
        .ok_or(Refusal::NoNeighbour { up })?;
    let own = told_span(of.parsed, steps[0]).start..of.span(&steps).end;
    let other = told_span(of.parsed, *other);
    let (above, below) = if up { (other, own) } else { (own, other) };
    let between = &of.text[above.end..below.start];
    let swapped = format!(
        "{}{between}{}",
        &of.text[below.clone()],
        &of.text[above.clone()]
    );
    of.sound(Change::new(
        vec![Edit {
            span: above.start..below.end,
            text: swapped,
        }],
        of.name(steps[0]),
    ))
}

/// Puts steps into a repeat: the repeat takes the name of the first, so that all that lead to it
/// still do.
///
/// # Errors
/// Why they cannot be repeated.
pub fn wrap(of: Text<'_>, steps: Range<TextStep>) -> Result<Change, Refusal> {
    let steps = of.side_by_side(&steps)?;
    leads_around(of, &steps)?;
    for one in of.outside_of(&steps) {
        let (step, from) = (of.name(one.target.unwrap_or_default()), of.from(&one));
        match one.way {
            Way::Copies => return Err(Refusal::HasCopies { step, copy: from }),
            Way::LeadsTo if one.target != Some(steps[0]) => {
                return Err(Refusal::LeadsHere { step, from });
            }
            Way::LeadsTo | Way::During | Way::Defines | Way::Uses => {}
        }
    }
    let (span, first) = (of.span(&steps), of.step(steps[0]));
    let indent = indent(of.parsed, of.text, first);
    let name = &first.name.node;
    let inner_name = free_among(&taken_names(of.parsed), &format!("{name}, once"));
    // Within the repeat the first step is called otherwise.
    let all = references(of.parsed, of.text).into_iter();
    let own = all.filter(|one| {
        one.kind == Kind::Step && one.target == Some(steps[0]) && span.contains(&one.span.start)
    });
    let edits = own.map(|one| Edit {
        span: one.span.start - span.start..one.span.end - span.start,
        text: format!("\"{inner_name}\""),
    });
    let inner = apply_all(&of.text[span.clone()], edits.collect());
    let inner: Vec<String> = inner
        .lines()
        .map(|line| format!("    {line}").trim_end().to_owned())
        .collect();
    let text = format!(
        "{indent}step \"{name}\"\n{indent}  repeat 2 times\n{}\n{indent}  end",
        inner.join("\n")
    );
    let change = Change::new(vec![Edit { span, text }], name.clone());
    of.sound(change)
}

/// Refuses steps one of which leads `again` or `out` of what is around them, since that would
/// become something else.
fn leads_around(of: Text<'_>, steps: &[TextStep]) -> Result<(), Refusal> {
    for step in steps {
        for (target, _) in targets(of.step(*step)) {
            let target = match target {
                Target::Again => "again",
                Target::Out => "out",
                Target::Next | Target::Step(_) | Target::Done | Target::Fail(_) => continue,
            };
            return Err(Refusal::LeadsAround {
                step: of.name(*step),
                target: target.to_owned(),
            });
        }
    }
    Ok(())
}

/// Where the exits and rows of a step lead, with their places.
fn targets(step: &Step) -> impl Iterator<Item = (&Target, &Range<usize>)> {
    let rows = step.rows.iter().filter_map(|row| match &row.answer {
        Answer::Go(target) => Some(target),
        Answer::Does(_) => None,
    });
    step.exits
        .iter()
        .map(|exit| &exit.target)
        .chain(rows)
        .map(|target| (&target.node, &target.span))
}

/// Whether other steps stand in a step.
pub(super) fn holds_steps(parsed: &Parsed, step: TextStep) -> bool {
    parsed
        .mission
        .steps
        .iter()
        .any(|other| other.inside == Some(step))
}

/// A step that could be cut in two or joined: one of its own text, without steps or rows within it.
fn plain(of: Text<'_>, step: TextStep) -> Result<&Step, Refusal> {
    let about = of.step(step);
    let name = || of.name(step);
    if matches!(about.block, Block::Reflex(_)) {
        Err(Refusal::Reflex)
    } else if about.like.is_some() {
        Err(Refusal::IsCopy { step: name() })
    } else if !about.rows.is_empty() || holds_steps(of.parsed, step) {
        Err(Refusal::Contains { step: name() })
    } else if about.behaviour.is_none() {
        Err(Refusal::Broken { step: name() })
    } else {
        Ok(about)
    }
}

/// Makes two steps of one that do the same: the first ends where `condition` holds, the second goes
/// on to where the one led. What leads to a failure guards both, and what watched the one watches
/// both.
///
/// # Errors
/// Why it cannot be cut.
pub fn split(of: Text<'_>, step: TextStep, condition: &str) -> Result<Change, Refusal> {
    let about = plain(of, step)?;
    let (_, line) = about.behaviour.as_ref().ok_or_else(|| Refusal::Broken {
        step: of.name(step),
    })?;
    let name = free_among(&taken_names(of.parsed), &format!("{}, on", about.name.node));
    let mut edits = Vec::new();
    for one in of.outside_of(&[step]) {
        match one.way {
            Way::Copies => {
                return Err(Refusal::HasCopies {
                    step: of.name(step),
                    copy: of.from(&one),
                });
            }
            Way::During => edits.push(Edit::insert(one.span.end, format!(", \"{name}\""))),
            Way::LeadsTo | Way::Defines | Way::Uses => {}
        }
    }
    let span = step_span(of.parsed, step);
    let (header, indent) = (
        &of.text[of.parsed.lines[about.line].span.clone()],
        indent(of.parsed, of.text, about),
    );
    let behaviour = of.text[of.parsed.lines[*line].span.clone()].trim();
    let mut first = format!(
        "{indent}{}\n{indent}  {behaviour}\n{indent}  until {condition}  -> next",
        header.trim()
    );
    for exit in about
        .exits
        .iter()
        .filter(|exit| matches!(exit.target.node, Target::Fail(_)))
    {
        let line = of.text[of.parsed.lines[exit.line].span.clone()].trim_start();
        let rest = line
            .strip_prefix("until")
            .or(line.strip_prefix("or"))
            .unwrap_or(line)
            .trim_start();
        first = format!("{first}\n{indent}  or    {rest}");
    }
    let mut second = of.text[span.clone()].to_owned();
    second.replace_range(
        about.name.span.start - span.start..about.name.span.end - span.start,
        &format!("\"{name}\""),
    );
    edits.push(Edit {
        span,
        text: format!("{first}\n\n{second}"),
    });
    of.sound(Change::new(edits, of.name(step)))
}

/// Makes one step of a step and the one below it in its sequence: it does what the first did, and
/// ends as the second did. Whatever named the second names it. Exits that do not fit what it does
/// are dropped.
///
/// # Errors
/// Why they cannot be joined.
pub fn join(of: Text<'_>, step: TextStep) -> Result<Change, Refusal> {
    let about = plain(of, step)?;
    let below = of
        .after(&[step])
        .ok_or(Refusal::NoNeighbour { up: false })?;
    if !of.adjoin(step, below) {
        return Err(Refusal::NotSideBySide);
    }
    let next = plain(of, below)?;
    let said = |step: &Step| {
        step.behaviour
            .as_ref()
            .map(|(behaviour, _)| of.text[behaviour.span.clone()].to_owned())
            .unwrap_or_default()
    };
    let differs = said(about) != said(next);
    let (behaviour, line) = about.behaviour.as_ref().ok_or_else(|| Refusal::Broken {
        step: of.name(step),
    })?;
    let mut edits = Vec::new();
    for one in of.outside_of(&[step, below]) {
        if one.target != Some(below) {
            continue;
        }
        match one.way {
            Way::Copies if differs => {
                return Err(Refusal::HasCopies {
                    step: of.name(below),
                    copy: of.from(&one),
                });
            }
            Way::During => {
                // One that watches both watches the one that is left, once.
                let reflex = of
                    .parsed
                    .mission
                    .reflexes
                    .iter()
                    .find(|reflex| reflex.within.iter().any(|name| name.span == one.span));
                let both = reflex.is_some_and(|reflex| {
                    reflex
                        .within
                        .iter()
                        .any(|name| name.node == about.name.node)
                });
                edits.push(match unwatched(of, &one).filter(|_| both) {
                    Some(edit) => edit,
                    None => Edit {
                        span: one.span,
                        text: format!("\"{}\"", about.name.node),
                    },
                });
            }
            Way::Copies | Way::LeadsTo => {
                edits.push(Edit {
                    span: one.span,
                    text: format!("\"{}\"", about.name.node),
                });
            }
            Way::Defines | Way::Uses => {}
        }
    }
    // The exits of the second one, those that its own text leads to itself included.
    let fits = |condition: &super::ast::Spanned<Condition>| {
        !condition.asks(|term| !behaviour.node.may_ask(term))
    };
    let dropped = next
        .exits
        .iter()
        .filter(|exit| !fits(&exit.condition))
        .count();
    if dropped == next.exits.len() && behaviour.node.outcomes().is_empty() {
        return Err(Refusal::NoExitFits {
            step: of.name(below),
        });
    }
    let indent = indent(of.parsed, of.text, about);
    // Comments on lines of their own stay; the exits of the first one go.
    let mut tail = String::new();
    for index in line + 1..next.behaviour.as_ref().map_or(next.line, |(_, line)| *line) {
        let about = &of.parsed.lines[index];
        if about.kind == LineKind::Blank && about.comment.is_some() {
            tail = format!("{tail}\n{}", &of.text[about.span.clone()]);
        }
    }
    let from = next.behaviour.as_ref().map_or(next.line, |(_, line)| *line);
    let mut first = true;
    for line in from + 1..=next.last {
        let written = &of.text[of.parsed.lines[line].span.clone()];
        let Some(exit) = next.exits.iter().find(|exit| exit.line == line) else {
            tail = format!("{tail}\n{written}");
            continue;
        };
        if !fits(&exit.condition) {
            continue;
        }
        let rest = written.trim_start();
        let rest = rest
            .strip_prefix("until")
            .or(rest.strip_prefix("or"))
            .unwrap_or(rest)
            .trim_start();
        let rest = match &exit.target.node {
            // It led to itself, or to the first one.
            Target::Step(name) if *name == next.name.node => {
                let at = exit.target.span.start - of.parsed.lines[line].span.start;
                let cut = written.len() - rest.len();
                let (head, tail) = (&written[cut..at], &written[at + exit.target.span.len()..]);
                format!("{head}\"{}\"{tail}", about.name.node)
            }
            Target::Next
            | Target::Step(_)
            | Target::Again
            | Target::Out
            | Target::Done
            | Target::Fail(_) => rest.to_owned(),
        };
        let word = if std::mem::take(&mut first) {
            "until"
        } else {
            "or   "
        };
        tail = format!("{tail}\n{indent}  {word} {rest}");
    }
    let span = of.parsed.lines[*line].span.end..of.parsed.lines[next.last].span.end;
    of.still_used(&(span.start..of.parsed.lines[from].span.end))?;
    edits.push(Edit { span, text: tail });
    let note = if differs {
        Some(Note::OtherBehaviour)
    } else {
        None
    };
    let note = if dropped > 0 {
        Some(Note::ExitsDropped(dropped))
    } else {
        note
    };
    of.sound(Change {
        note,
        ..Change::new(edits, about.name.node.clone())
    })
}

/// Makes comments of steps that stand side by side, or text again of the comments that begin at a
/// line.
///
/// # Errors
/// Why they cannot be commented.
pub fn comment(of: Text<'_>, steps: Range<TextStep>) -> Result<Change, Refusal> {
    let steps = of.side_by_side(&steps)?;
    let (first, last) = (of.step(steps[0]), of.step(steps[steps.len() - 1]));
    let indent = indent_of(&of.text[of.parsed.lines[first.line].span.clone()]);
    let new: Vec<String> = (first.line..=last.last)
        .map(|line| {
            let old = &of.text[of.parsed.lines[line].span.clone()];
            let rest = old.strip_prefix(indent).unwrap_or(old.trim_start());
            if rest.trim().is_empty() {
                format!("{indent}#")
            } else {
                format!("{indent}# {rest}")
            }
        })
        .collect();
    Ok(Change::new(
        vec![Edit {
            span: of.span(&steps),
            text: new.join("\n"),
        }],
        String::new(),
    ))
}
