//! Taking steps out of one text and putting them into another.

use std::collections::BTreeSet;
use std::ops::Range;

use super::{Change, Note, Refusal, Text, free_among, taken_names};
use crate::finding::{Edit, apply_all};
use crate::ids::TextStep;
use crate::mission::amend::below_amounts;
use crate::mission::ast::{Block, LineKind};
use crate::mission::parser::{Parsed, parse};
use crate::mission::refs::{Kind, Reference, Way, references};
use crate::mission::steps::{indent, step_span, told_span};

/// Steps on their way from one place to another, with what they need of the text that they come
/// from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Carried {
    /// The steps, with the comment right above the first, as if they stood at the outermost level.
    pub text: String,
    /// How many there are, not counting those within them.
    pub count: usize,
    /// The `let` lines of the amounts that they name, each with its name, in order of the text.
    pub amounts: Vec<(String, String)>,
    /// The routines that they do, each with its name, from its first line to its `end`.
    pub routines: Vec<(String, String)>,
}

/// Steps that stand side by side, to be put somewhere else; the text stays as it is.
///
/// # Errors
/// When they do not stand side by side, or belong to a reflex.
pub fn carry(of: Text<'_>, steps: Range<TextStep>) -> Result<Carried, Refusal> {
    let steps = of.side_by_side(&steps)?;
    let span = told_span(of.parsed, steps[0]).start..of.span(&steps).end;
    let indent = indent(of.parsed, of.text, of.step(steps[0]));
    let lines: Vec<&str> = of.text[span.clone()]
        .lines()
        .map(|line| line.strip_prefix(indent).unwrap_or(line.trim_start()))
        .collect();
    let all = references(of.parsed, of.text);
    let mission = &of.parsed.mission;
    // What they name may name more itself.
    let mut spans = vec![span];
    let (mut amounts, mut routines) = (BTreeSet::new(), BTreeSet::new());
    while let Some(span) = spans.pop() {
        for one in all
            .iter()
            .filter(|one| one.way == Way::Uses && span.contains(&one.span.start))
        {
            let amount = mission
                .lets
                .iter()
                .position(|entry| entry.name.node == one.name);
            let routine = mission
                .routines
                .iter()
                .position(|routine| routine.name.node == one.name);
            match (one.kind, amount, routine) {
                (Kind::Amount, Some(at), _) if amounts.insert(at) => {
                    spans.push(of.parsed.lines[mission.lets[at].line].span.clone());
                }
                (Kind::Routine, _, Some(at)) if routines.insert(at) => {
                    spans.push(routine_span(of.parsed, at));
                }
                _ => {}
            }
        }
    }
    let amount = |at: usize| {
        let entry = &mission.lets[at];
        (
            entry.name.node.clone(),
            of.text[of.parsed.lines[entry.line].span.clone()]
                .trim()
                .to_owned(),
        )
    };
    let routine = |at: usize| {
        (
            mission.routines[at].name.node.clone(),
            of.text[routine_span(of.parsed, at)].to_owned(),
        )
    };
    Ok(Carried {
        text: lines.join("\n"),
        count: steps.len(),
        amounts: amounts.into_iter().map(amount).collect(),
        routines: routines.into_iter().map(routine).collect(),
    })
}

/// From the first line of a routine to its `end`.
fn routine_span(parsed: &Parsed, routine: usize) -> Range<usize> {
    let first = parsed.mission.routines[routine].line;
    let own = parsed
        .mission
        .steps
        .iter()
        .filter(|step| step.block == Block::Routine(routine));
    let last = own.map(|step| step.last).max().unwrap_or(first).max(first);
    let end = (last + 1..parsed.lines.len())
        .find(|line| parsed.lines[*line].kind == LineKind::End)
        .unwrap_or(last);
    parsed.lines[first].span.start..parsed.lines[end].span.end
}

/// Puts carried steps below a step, at its level, or at the end of a text that has none yet. Those
/// whose names are taken get names of their own; amounts and routines that are not there yet come
/// along. An exit that led to a step which is not there leads to the next one. Whatever else does
/// not fit is found by the check.
///
/// # Errors
/// When the step belongs to a reflex.
pub fn put(of: Text<'_>, below: Option<TextStep>, carried: &Carried) -> Result<Change, Refusal> {
    let own = parse(&carried.text);
    let at = below.map(|step| of.step(step));
    if at.is_some_and(|step| matches!(step.block, Block::Reflex(_))) {
        return Err(Refusal::Reflex);
    }
    let mut taken = taken_names(of.parsed);
    let names: Vec<String> = (own.mission.steps.iter())
        .map(|step| {
            let name = free_among(&taken, &step.name.node);
            taken.insert(name.clone());
            name
        })
        .collect();
    let mut lost = 0;
    let mut renamed = |one: Reference| {
        let text = match (one.target, one.way) {
            (Some(target), _) => format!("\"{}\"", names[target.0]),
            (None, Way::LeadsTo) => {
                let there =
                    at.is_some_and(|step| of.parsed.mission.find(&one.name, step).is_some());
                if there {
                    return None;
                }
                lost += 1;
                "next".to_owned()
            }
            (None, _) => return None,
        };
        Some(Edit {
            span: one.span,
            text,
        })
    };
    let steps = references(&own, &carried.text)
        .into_iter()
        .filter(|one| one.kind == Kind::Step);
    let edits = steps.filter_map(&mut renamed).collect();
    let margin = at.map_or("", |step| indent(of.parsed, of.text, step));
    let text = apply_all(&carried.text, edits);
    let text: Vec<String> = text
        .lines()
        .map(|line| format!("{margin}{line}").trim_end().to_owned())
        .collect();
    let text = text.join("\n");
    let known = |name: &str| {
        of.parsed
            .mission
            .lets
            .iter()
            .any(|entry| entry.name.node == name)
    };
    let new: Vec<&str> = carried
        .amounts
        .iter()
        .filter(|(name, _)| !known(name))
        .map(|(_, line)| line.as_str())
        .collect();
    let mut edits = Vec::new();
    if !new.is_empty() {
        edits.push(below_amounts(of.parsed, &new.join("\n")));
    }
    let end = of.text.trim_end().len();
    let known = |name: &str| {
        of.parsed
            .mission
            .routines
            .iter()
            .any(|routine| routine.name.node == name)
    };
    let routines: Vec<&str> = carried
        .routines
        .iter()
        .filter(|(name, _)| !known(name))
        .map(|(_, text)| text.as_str())
        .collect();
    let routines: String = routines.iter().flat_map(|text| ["\n\n", text]).collect();
    let place = below
        .map(|step| step_span(of.parsed, step).end)
        .filter(|place| *place < end);
    let mut tail = format!("{routines}\n");
    match place {
        Some(place) => edits.push(Edit::insert(place, format!("\n\n{text}"))),
        // Nothing but white space is below.
        None => tail = format!("{}{text}{tail}", if end == 0 { "" } else { "\n\n" }),
    }
    if place.is_none() || !routines.is_empty() {
        // Amounts may come to the very end too.
        let before = edits
            .pop_if(|edit| edit.span.start >= end)
            .map_or_else(String::new, |edit| edit.text);
        edits.push(Edit {
            span: end..of.text.len(),
            text: format!("{before}{tail}"),
        });
    }
    let mut change = Change::new(edits, names.first().cloned().unwrap_or_default());
    change.note = (lost > 0).then_some(Note::LedElsewhere(lost));
    Ok(change)
}
