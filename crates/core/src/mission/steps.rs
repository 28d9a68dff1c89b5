//! Where steps stand in the text: a step is what stands from its `step` line to its last exit, with
//! all that stands within it.

use crate::ids::TextStep;
use std::ops::Range;

use super::ast::{LineKind, Step};
use super::edit::Edit;
use super::parser::Parsed;
use super::restructure::{free_among, taken_names};

/// The bytes of a step: whole lines, the last line's end not included.
pub fn step_span(parsed: &Parsed, step: TextStep) -> Range<usize> {
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
pub(super) fn told_span(parsed: &Parsed, step: TextStep) -> Range<usize> {
    let first = with_comment(parsed, parsed.mission.steps[step].line);
    parsed.lines[first].span.start..step_span(parsed, step).end
}

/// The white space that a step's line begins with.
pub(super) fn indent<'t>(parsed: &Parsed, text: &'t str, step: &Step) -> &'t str {
    indent_of(&text[parsed.lines[step.line].span.clone()])
}

/// The white space that a line begins with.
pub(super) fn indent_of(line: &str) -> &str {
    &line[..line.len() - line.trim_start().len()]
}

/// A name that no step has yet: the given one, or one like it.
pub fn free_name(parsed: &Parsed, wanted: &str) -> String {
    free_among(&taken_names(parsed), wanted)
}

/// A new step below another one: it stands for a second, to be made into something else.
pub fn insert_step(parsed: &Parsed, text: &str, below: TextStep, name: &str) -> Edit {
    let end = step_span(parsed, below).end;
    let indent = indent(parsed, text, &parsed.mission.steps[below]);
    let name = free_name(parsed, name);
    let new =
        format!("\n\n{indent}step \"{name}\"\n{indent}  hold, brake\n{indent}  until 1 s passes");
    Edit {
        span: end..end,
        text: new,
    }
}
