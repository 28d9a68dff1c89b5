//! Changes of exits as replacements of spans: the first of a step starts with `until`, every other one with `or`.

use super::ast::{Behaviour, Exit, Step};
use super::edit::{Edit, delete_line};
use super::parser::Parsed;
use crate::ids::TextStep;

/// The step that an exit on a line belongs to, and which of its exits it is.
pub fn exit_at(parsed: &Parsed, line: usize) -> Option<(TextStep, usize)> {
    parsed.mission.numbered().find_map(|(index, step)| {
        // What a copy has from its original stands elsewhere.
        let here = |exit: &Exit| exit.line == line && parsed.lines[line].span.contains(&exit.condition.span.start);
        let nth = step.exits.iter().position(here)?;
        Some((index, nth))
    })
}

/// The exit whose condition stands on a line.
pub fn exit_on(parsed: &Parsed, line: usize) -> Option<&Exit> {
    let (step, nth) = exit_at(parsed, line)?;
    Some(&parsed.mission.steps[step].exits[nth])
}

/// The line below which a step's next exit stands.
fn last_line(step: &Step) -> usize {
    let repeats = matches!(&step.behaviour, Some((behaviour, _)) if matches!(behaviour.node, Behaviour::Repeat(_)));
    if step.like.is_some() {
        return step.last;
    }
    let exit = step.exits.last().map(|exit| exit.line);
    let row = step.rows.last().map(|row| row.line);
    let behaviour = step.behaviour.as_ref().map(|(_, line)| if repeats { step.last } else { *line });
    exit.or(row).or(behaviour).unwrap_or(step.line)
}

/// One more exit for a step, below those it has. `target`: what stands behind its arrow, if anything.
pub fn add_exit(parsed: &Parsed, text: &str, step: TextStep, condition: &str, target: Option<&str>) -> Edit {
    let about = &parsed.mission.steps[step];
    let header = &text[parsed.lines[about.line].span.clone()];
    let indent = &header[..header.len() - header.trim_start().len()];
    let word = match (&about.like, about.exits.is_empty()) {
        (Some(_), _) => "but until",
        (None, true) => "until",
        (None, false) => "or   ",
    };
    let arrow = target.map_or_else(String::new, |target| format!("  -> {target}"));
    let at = parsed.lines[last_line(about)].span.end;
    Edit { span: at..at, text: format!("\n{indent}  {word} {condition}{arrow}") }
}

/// Takes the exit on a line out; the next one then starts with `until` if need be.
pub fn remove_exit(parsed: &Parsed, text: &str, line: usize) -> Option<Edit> {
    let (step, nth) = exit_at(parsed, line)?;
    let exits = &parsed.mission.steps[step].exits;
    let out = delete_line(parsed, text, line);
    let Some(next) = exits.get(nth + 1).filter(|_| nth == 0) else { return Some(out) };
    let span = parsed.lines[next.line].span.clone();
    let old = &text[span.clone()];
    let (indent, rest) = old.split_at(old.len() - old.trim_start().len());
    let rest = rest.strip_prefix("or")?.trim_start();
    let between = &text[out.span.end.min(span.start)..span.start];
    Some(Edit { span: out.span.start..span.end, text: format!("{between}{indent}until {rest}") })
}

/// Swaps the exit on a line with the one above or below: the first that holds wins, so that order matters.
pub fn move_exit(parsed: &Parsed, text: &str, line: usize, up: bool) -> Option<Edit> {
    let (step, nth) = exit_at(parsed, line)?;
    let exits = &parsed.mission.steps[step].exits;
    if parsed.mission.steps[step].like.is_some() {
        return None;
    }
    let other = if up { nth.checked_sub(1)? } else { nth + 1 };
    let (first, second) = (exits.get(nth.min(other))?, exits.get(nth.max(other))?);
    let spans = [first, second].map(|exit| parsed.lines[exit.line].span.clone());
    // Everything but the word that it starts with changes places.
    let parts = spans.clone().map(|span| {
        let line = &text[span];
        let word = line.split_whitespace().next().map_or(0, str::len);
        line.split_at(line.len() - line.trim_start().len() + word)
    });
    let between = &text[spans[0].end..spans[1].start];
    let swapped = format!("{}{}{between}{}{}", parts[0].0, parts[1].1, parts[1].0, parts[0].1);
    Some(Edit { span: spans[0].start..spans[1].end, text: swapped })
}
