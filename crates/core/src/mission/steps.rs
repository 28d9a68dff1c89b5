//! Changes of whole steps as replacements of spans: a step is what stands from its `step` line to its last exit, with
//! all that stands within it. What comes out parses whenever what went in did; what its names then mean is for the
//! checker.

use std::ops::Range;

use super::ast::{Block, LineKind, Step};
use super::edit::Edit;
use super::parser::Parsed;

/// The bytes of a step: whole lines, the last line's end not included.
pub fn step_span(parsed: &Parsed, step: usize) -> Range<usize> {
    let step = &parsed.mission.steps[step];
    parsed.lines[step.line].span.start..parsed.lines[step.last].span.end
}

/// The first line of the comment right above a line, or the line itself.
pub fn with_comment(parsed: &Parsed, mut line: usize) -> usize {
    let is_comment = |line: usize| {
        let about = &parsed.lines[line];
        about.comment.is_some() && about.kind == LineKind::Blank
    };
    while line > 0 && is_comment(line - 1) {
        line -= 1;
    }
    line
}

/// The bytes of a step with the comment right above it, which is about it.
fn told_span(parsed: &Parsed, step: usize) -> Range<usize> {
    let first = with_comment(parsed, parsed.mission.steps[step].line);
    parsed.lines[first].span.start..step_span(parsed, step).end
}

/// The white space that a step's line begins with.
fn indent<'t>(parsed: &Parsed, text: &'t str, step: &Step) -> &'t str {
    let line = &text[parsed.lines[step.line].span.clone()];
    &line[..line.len() - line.trim_start().len()]
}

/// A name that no step has yet: the given one, or one like it.
pub fn free_name(parsed: &Parsed, wanted: &str) -> String {
    let taken = |name: &str| parsed.mission.steps.iter().any(|step| step.name.node == name);
    let wanted = wanted.replace(['"', '\n'], "");
    // The copy of a second one is a third one.
    let base = match wanted.rsplit_once(' ') {
        Some((base, number)) if number.parse::<u32>().is_ok() => base,
        _ => &wanted,
    };
    let others = (2..).map(|nth| format!("{base} {nth}"));
    std::iter::once(wanted.clone()).chain(others).find(|name| !taken(name)).unwrap_or_default()
}

/// A new step below another one: it stands for a second, to be made into something else.
pub fn insert_step(parsed: &Parsed, text: &str, below: usize, name: &str) -> Edit {
    let end = step_span(parsed, below).end;
    let indent = indent(parsed, text, &parsed.mission.steps[below]);
    let name = free_name(parsed, name);
    let new = format!("\n\n{indent}step \"{name}\"\n{indent}  hold, brake\n{indent}  until 1 s passes");
    Edit { span: end..end, text: new }
}

/// Takes a step out with the comment right above it, and one of the blank lines around it. None for the only thing that a repeat, a routine or a
/// mission has, and for a reflex, whose other lines would be left alone.
pub fn delete_step(parsed: &Parsed, text: &str, step: usize) -> Option<Edit> {
    let about = &parsed.mission.steps[step];
    let alone = parsed.mission.sequence(about.block, about.inside).count() < 2;
    if alone || matches!(about.block, Block::Reflex(_)) {
        return None;
    }
    let mut span = told_span(parsed, step);
    let rest = &text[span.end..];
    let line_end = rest.find('\n').map_or(rest.len(), |at| at + 1);
    span.end += line_end;
    // The blank line below goes with it.
    let below = &text[span.end..];
    if let Some(at) = below.find('\n').filter(|at| below[..*at].trim().is_empty()) {
        span.end += at + 1;
    }
    Some(Edit { span, text: String::new() })
}

/// The same step once more below itself, under a name of its own; steps within it keep theirs, and the checker says so.
pub fn duplicate_step(parsed: &Parsed, text: &str, step: usize) -> Option<Edit> {
    let about = &parsed.mission.steps[step];
    if matches!(about.block, Block::Reflex(_)) {
        return None;
    }
    let span = step_span(parsed, step);
    let mut copy = text[span.clone()].to_owned();
    let name = about.name.span.start - span.start..about.name.span.end - span.start;
    copy.replace_range(name, &format!("\"{}\"", free_name(parsed, &about.name.node)));
    Some(Edit { span: span.end..span.end, text: format!("\n\n{copy}") })
}

/// A copy of a step below itself that follows its original: it says only what is different, so far nothing. None for a step
/// that others or rows stand in, and for what a reflex does.
pub fn link_step(parsed: &Parsed, text: &str, step: usize) -> Option<Edit> {
    let about = &parsed.mission.steps[step];
    let holds = parsed.mission.steps.iter().any(|other| other.inside == Some(step));
    if holds || !about.rows.is_empty() || matches!(about.block, Block::Reflex(_)) {
        return None;
    }
    let (end, indent) = (step_span(parsed, step).end, indent(parsed, text, about));
    // A copy of a copy follows what that follows.
    let original = about.like.as_ref().map_or(&about.name.node, |like| &like.node);
    let name = free_name(parsed, &about.name.node);
    Some(Edit { span: end..end, text: format!("\n\n{indent}step \"{name}\"\n{indent}  like \"{original}\"") })
}

/// Swaps a step with the one above or below it in its sequence, each with the comment right above it. None when there is
/// none.
pub fn move_step(parsed: &Parsed, text: &str, step: usize, up: bool) -> Option<Edit> {
    let about = &parsed.mission.steps[step];
    let beside: Vec<usize> = parsed.mission.sequence(about.block, about.inside).map(|(index, _)| index).collect();
    let at = beside.iter().position(|index| *index == step)?;
    let other = if up { at.checked_sub(1)? } else { at + 1 };
    let (first, second) = (beside[at.min(other)], *beside.get(at.max(other))?);
    let (above, below) = (told_span(parsed, first), told_span(parsed, second));
    let between = &text[above.end..below.start];
    let swapped = format!("{}{between}{}", &text[below.clone()], &text[above.clone()]);
    Some(Edit { span: above.start..below.end, text: swapped })
}

/// Puts a step into a repeat: the repeat takes its name, so that all that lead to it still do.
pub fn wrap_step(parsed: &Parsed, text: &str, step: usize) -> Option<Edit> {
    let about = &parsed.mission.steps[step];
    if matches!(about.block, Block::Reflex(_)) {
        return None;
    }
    let span = step_span(parsed, step);
    let indent = indent(parsed, text, about);
    let name = &about.name.node;
    let mut inner = text[span.clone()].to_owned();
    let place = about.name.span.start - span.start..about.name.span.end - span.start;
    inner.replace_range(place, &format!("\"{}\"", free_name(parsed, &format!("{name}, once"))));
    let inner: Vec<String> = inner.lines().map(|line| format!("    {line}")).collect();
    let text = format!("{indent}step \"{name}\"\n{indent}  repeat 2 times\n{}\n{indent}  end", inner.join("\n"));
    Some(Edit { span, text })
}

/// Makes a routine of a step, at the end of the text; the step then does it. None for a reflex, and within a routine,
/// whose parameters the new one would not know.
pub fn extract_step(parsed: &Parsed, text: &str, step: usize, routine: &str) -> Option<String> {
    let about = &parsed.mission.steps[step];
    let fits = routine.starts_with(char::is_alphabetic)
        && routine.chars().all(|c| c.is_alphanumeric() || c == '-')
        && !routine.ends_with('-')
        && !parsed.mission.routines.iter().any(|known| known.name.node == routine);
    if about.block != Block::Mission || !fits {
        return None;
    }
    let span = step_span(parsed, step);
    let (indent, name) = (indent(parsed, text, about), &about.name.node);
    let lines: Vec<String> =
        text[span.clone()].lines().map(|line| format!("  {}", line.strip_prefix(indent).unwrap_or(line))).collect();
    let call = format!("{indent}step \"{name}\"\n{indent}  do {routine}");
    let new = Edit { span, text: call }.apply(text);
    Some(format!("{}\n\nroutine {routine}\n{}\nend\n", new.trim_end(), lines.join("\n")))
}
