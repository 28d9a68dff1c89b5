//! Making a routine of steps.

use crate::ids::TextStep;
use std::ops::Range;

use super::{Change, Refusal, Text, targets};
use crate::finding::{Edit, apply_all};
use crate::mission::ast::{Answer, Block, Exit, Step, Target};
use crate::mission::refs::{BadName, Way, is_word, references};
use crate::mission::steps::indent;

/// Makes a routine of steps, at the end of the text; one step then calls it, under the name of the
/// first.
///
/// Exits that lead outside keep doing so: when all of them lead to one place, the step that calls
/// the routine does so once it has finished; else each marks what fired with `as`, and the calling
/// step goes by that.
///
/// # Errors
/// Why it cannot be done.
pub fn extract(of: Text<'_>, steps: Range<TextStep>, routine: &str) -> Result<Change, Refusal> {
    let steps = of.side_by_side(&steps)?;
    let first = of.step(steps[0]);
    if first.block != Block::Mission {
        return Err(Refusal::NotInMission);
    }
    free_name(of, routine)?;
    outside(of, &steps)?;
    let leaving = leaving(of, &steps)?;
    let span = of.span(&steps);
    let here = |at: &Range<usize>| at.start - span.start..at.end - span.start;
    let mut inner: Vec<Edit> = Vec::new();
    let mut outer = String::new();
    let indent = indent(of.parsed, of.text, first);
    let same = leaving.first().map(|(_, target)| target);
    let only_way = steps.len() == 1 && same.is_some_and(|same| all_lead(first, same));
    if only_way && let Some(same) = same {
        for (exit, _) in &leaving {
            inner.push(Edit {
                span: here(&exit.target.span),
                text: "next".to_owned(),
            });
        }
        outer = format!("\n{indent}  until finished -> {same}");
    } else {
        let mut word = "until";
        for (nth, (exit, target)) in leaving.iter().enumerate() {
            let label = label(of, routine, nth);
            inner.push(Edit {
                span: here(&exit.target.span),
                text: "out".to_owned(),
            });
            inner.push(Edit::insert(
                exit.condition.span.end - span.start,
                format!(" as {label}"),
            ));
            outer = format!("{outer}\n{indent}  {word} finished and ended by {label} -> {target}");
            word = "or   ";
        }
    }
    let moved = apply_all(&of.text[span.clone()], inner);
    let lines: Vec<String> = moved
        .lines()
        .map(|line| format!("  {}", line.strip_prefix(indent).unwrap_or(line)))
        .collect();
    let name = &first.name.node;
    let call = format!("{indent}step \"{name}\"\n{indent}  do {routine}{outer}");
    let end = of.text.trim_end().len();
    let below = format!("\n\nroutine {routine}\n{}\nend\n", lines.join("\n"));
    let mut edits = vec![Edit {
        span: span.clone(),
        text: call,
    }];
    if span.end >= end {
        edits[0].span.end = of.text.len();
        edits[0].text.push_str(&below);
    } else {
        edits.push(Edit {
            span: end..of.text.len(),
            text: below,
        });
    }
    of.sound(Change::new(edits, name.clone()))
}

fn free_name(of: Text<'_>, routine: &str) -> Result<(), BadName> {
    if !is_word(routine) {
        return Err(BadName::NotOneWord);
    }
    let own = of
        .parsed
        .mission
        .routines
        .iter()
        .map(|known| &known.name.node);
    let shared = of.names.routines.iter().map(|known| &known.name);
    match own.chain(shared).find(|known| *known == routine) {
        Some(_) => Err(BadName::Taken {
            what: "routine",
            name: routine.to_owned(),
        }),
        None => Ok(()),
    }
}

/// Refuses steps that others name in a way that a routine cannot keep up.
fn outside(of: Text<'_>, steps: &[TextStep]) -> Result<(), Refusal> {
    for one in of.outside_of(steps) {
        let (step, from) = (of.name(one.target.unwrap_or_default()), of.from(&one));
        let is_first = one.target == Some(steps[0]);
        match one.way {
            Way::Copies => return Err(Refusal::HasCopies { step, copy: from }),
            Way::LeadsTo if !is_first => return Err(Refusal::LeadsHere { step, from }),
            Way::During if !is_first || steps.len() > 1 => return Err(Refusal::Watched { step }),
            Way::LeadsTo | Way::During | Way::Defines | Way::Uses => {}
        }
    }
    // A copy whose original stays behind would have none.
    for one in references(of.parsed, of.text)
        .into_iter()
        .filter(|one| one.way == Way::Copies)
    {
        let inside = one.step.is_some_and(|step| of.is_among(steps, step));
        if inside && !one.target.is_some_and(|target| of.is_among(steps, target)) {
            return Err(Refusal::IsCopy {
                step: of.from(&one),
            });
        }
    }
    Ok(())
}

/// The exits that lead out of the steps, with where they lead, as it is written outside.
fn leaving<'a>(of: Text<'a>, steps: &[TextStep]) -> Result<Vec<(&'a Exit, String)>, Refusal> {
    let mut all = Vec::new();
    for (index, step) in of
        .parsed
        .mission
        .numbered()
        .filter(|(index, _)| of.is_among(steps, *index))
    {
        let beside = steps.contains(&index);
        for row in &step.rows {
            if let Answer::Go(target) = &row.answer
                && let Some(target) = outward(of, steps, step, beside, &target.node)
            {
                return Err(Refusal::LeadsAround {
                    step: step.name.node.clone(),
                    target,
                });
            }
        }
        for exit in &step.exits {
            let Some(target) = outward(of, steps, step, beside, &exit.target.node) else {
                continue;
            };
            // Within a repeat, `out` leads only out of that; and what a copy has from its original
            // stands there.
            if !beside
                || !of.parsed.is_own(exit.line, &exit.condition.span)
                || exit.target.span.is_empty()
            {
                return Err(Refusal::LeadsAround {
                    step: step.name.node.clone(),
                    target,
                });
            }
            all.push((exit, target));
        }
    }
    Ok(all)
}

/// A target as it is written outside; none when it stays within, or ends the mission.
fn outward(
    of: Text<'_>,
    steps: &[TextStep],
    step: &Step,
    beside: bool,
    target: &Target,
) -> Option<String> {
    match target {
        Target::Step(name) => {
            let meant = of.parsed.mission.find(name, step);
            let inside = meant.is_some_and(|meant| of.is_among(steps, meant));
            (!inside).then(|| format!("\"{name}\""))
        }
        Target::Again => beside.then(|| "again".to_owned()),
        Target::Out => beside.then(|| "out".to_owned()),
        Target::Next | Target::Done | Target::Fail(_) => None,
    }
}

/// Whether every way out of a step that does not end the mission leads to one place.
fn all_lead(step: &Step, same: &str) -> bool {
    let by_itself = step
        .behaviour
        .as_ref()
        .is_some_and(|(behaviour, _)| !behaviour.node.outcomes().is_empty());
    !by_itself
        && targets(step).all(|(target, _)| match target {
            Target::Step(name) => format!("\"{name}\"") == same,
            Target::Again => same == "again",
            Target::Out => same == "out",
            Target::Done | Target::Fail(_) => true,
            Target::Next => false,
        })
}

/// A name for what fired that no condition has yet.
fn label(of: Text<'_>, routine: &str, nth: usize) -> String {
    let taken = of.parsed.labels();
    let names = (nth + 1..).map(|number| format!("{routine}-way-{number}"));
    names
        .into_iter()
        .find(|name| !taken.contains(&name.as_str()))
        .unwrap_or_default()
}
