//! Further changes of amounts and lines: other units, named amounts, comments.

use crate::ids::SlotId;
use std::ops::Range;

use super::ast::{LineKind, SlotKind};
use super::check::Names;
use super::edit::{Edit, NotTaken, set, source_slot};
use super::parser::Parsed;
use super::refs::{BadName, is_word};
use crate::units::{Quantity, Unit, tidy};

pub use crate::finding::apply_all;

// ---- amounts

/// The amount in a slot, or that of the `let` it names, in the next unit that measures the same.
/// None when there is no other, or none in which it stays exactly what it is.
pub fn convert(parsed: &Parsed, text: &str, slot: SlotId) -> Option<Edit> {
    let span = parsed.slots[source_slot(parsed, text, slot)].span.clone();
    let quantity = Quantity::parse(&text[span.clone()]).ok()?;
    let units: Vec<Unit> = Unit::ALL
        .iter()
        .copied()
        .filter(|unit| unit.dimension() == quantity.unit.dimension())
        .collect();
    let at = units.iter().position(|unit| *unit == quantity.unit)?;
    let others = units[at + 1..].iter().chain(&units[..at]);
    // Three decimals are what people write; what does not fit would be rounded, and the run would
    // change.
    let exact = |unit: Unit| {
        let value = tidy(Quantity::from_si(quantity.si(), unit).value);
        let written = Quantity::parse(&Quantity { value, unit }.to_string()).ok()?;
        let close = (written.si() - quantity.si()).abs() <= 1e-12 * quantity.si().abs();
        (close && written.to_string().len() <= 12).then_some(written)
    };
    let other = others.copied().find_map(exact)?;
    Some(Edit {
        span,
        text: other.to_string(),
    })
}

/// The named amounts that may stand in a slot, each with what it is worth.
pub fn linkable(parsed: &Parsed, slot: SlotId) -> Vec<(String, String)> {
    let SlotKind::Amount {
        dimension, range, ..
    } = &parsed.slots[slot].kind
    else {
        return Vec::new();
    };
    if matches!(
        parsed.lines[parsed.slots[slot].line].kind,
        LineKind::Header | LineKind::Let
    ) {
        return Vec::new();
    }
    let lets = parsed
        .mission
        .lets
        .iter()
        .filter(|entry| !entry.value.span.contains(&parsed.slots[slot].span.start));
    lets.filter_map(|entry| {
        let quantity = parsed.mission.shown(&entry.name.node)?;
        let fits =
            quantity.unit.dimension() == *dimension && (range.0..=range.1).contains(&quantity.si());
        fits.then(|| (entry.name.node.clone(), quantity.to_string()))
    })
    .collect()
}

/// Why an amount is not given a name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotNamed {
    /// It is a word or a text.
    #[error("only amounts have names")]
    NoAmount,
    /// It stands in a `let`.
    #[error("this amount already has a name")]
    Named,
    /// It stands in a place where no name can.
    #[error("this amount cannot have a name")]
    Place,
    /// What has that name does not fit here.
    #[error("`{0}` has another unit, or is outside the allowed range")]
    OtherKind(String),
    /// A name stands there.
    #[error("this already is a name")]
    IsName,
    /// What cannot be a name.
    #[error(transparent)]
    Word(#[from] BadName),
    /// What may not stand in the slot.
    #[error(transparent)]
    NotTaken(#[from] NotTaken),
}

/// Gives the amount in a slot a name: a new `let` holds it, or an old one of that name takes its
/// place.
///
/// # Errors
/// Why it cannot have that name.
pub fn name_amount(
    parsed: &Parsed,
    text: &str,
    names: &Names,
    slot: SlotId,
    name: &str,
) -> Result<String, NotNamed> {
    let SlotKind::Amount { .. } = parsed.slots[slot].kind else {
        return Err(NotNamed::NoAmount);
    };
    let span = parsed.slots[slot].span.clone();
    if parsed
        .mission
        .lets
        .iter()
        .any(|entry| entry.value.span == span)
    {
        return Err(NotNamed::Named);
    }
    if matches!(
        parsed.lines[parsed.slots[slot].line].kind,
        LineKind::Header | LineKind::Let
    ) {
        return Err(NotNamed::Place);
    }
    if linkable(parsed, slot)
        .iter()
        .any(|(known, _)| known == name)
    {
        return Ok(set(parsed, text, names, slot, name)?.apply(text));
    }
    if parsed
        .mission
        .lets
        .iter()
        .any(|entry| entry.name.node == name)
    {
        return Err(NotNamed::OtherKind(name.to_owned()));
    }
    if !is_word(name) {
        return Err(BadName::NotOneWord.into());
    }
    let quantity = Quantity::parse(&text[span.clone()]).map_err(|_| NotNamed::IsName)?;
    let new = below_amounts(parsed, &format!("let {name} = {quantity}"));
    Ok(apply_all(
        text,
        vec![
            new,
            Edit {
                span,
                text: name.to_owned(),
            },
        ],
    ))
}

/// Puts `let` lines below those that there are, or below the header.
pub(super) fn below_amounts(parsed: &Parsed, lines: &str) -> Edit {
    let before =
        |line: &&super::ast::Line| matches!(line.kind, LineKind::Mission | LineKind::Header);
    let last_let = parsed.lines.iter().rfind(|line| line.kind == LineKind::Let);
    let (at, gap) = match (last_let, parsed.lines.iter().rfind(before)) {
        (Some(line), _) => (line.span.end, "\n"),
        (None, Some(line)) => (line.span.end, "\n\n"),
        (None, None) => (0, ""),
    };
    let behind = if at == 0 { "\n\n" } else { "" };
    Edit::insert(at, format!("{gap}{lines}{behind}"))
}

/// Puts what a named amount is worth in its place.
pub fn write_out(parsed: &Parsed, text: &str, slot: SlotId) -> Option<Edit> {
    let span = parsed.slots[slot].span.clone();
    let SlotKind::Amount { .. } = parsed.slots[slot].kind else {
        return None;
    };
    let quantity = parsed.mission.shown(&text[span.clone()])?;
    Some(Edit {
        span,
        text: quantity.to_string(),
    })
}

// ---- comments

/// The lines of the text that a line stands for: a whole step for its header, or just itself.
fn lines_of(parsed: &Parsed, line: usize) -> Range<usize> {
    let step = parsed.mission.steps.iter().find(|step| step.line == line);
    step.map_or(line..line + 1, |step| step.line..step.last + 1)
}

/// Makes comments of lines, or text again when all of them are comments; blank lines stay.
pub fn toggle_comments(text: &str, lines: Range<usize>) -> String {
    let here = |at: &usize| lines.contains(at);
    let written = |line: &&str| !line.trim().is_empty();
    let chosen = || {
        text.split('\n')
            .enumerate()
            .filter(|(at, _)| here(at))
            .map(|(_, line)| line)
            .filter(written)
    };
    let all = chosen().all(|line| line.trim_start().starts_with('#'));
    let depth = |line: &str| line.len() - line.trim_start().len();
    let margin = chosen().map(depth).min().unwrap_or(0);
    let changed = |(at, line): (usize, &str)| {
        if !here(&at) || line.trim().is_empty() {
            return line.to_owned();
        }
        let (indent, rest) = line.split_at(if all { depth(line) } else { margin });
        if all {
            let rest = rest.strip_prefix('#').unwrap_or(rest);
            format!("{indent}{}", rest.strip_prefix(' ').unwrap_or(rest))
        } else {
            format!("{indent}# {rest}")
        }
    };
    let new: Vec<String> = text.split('\n').enumerate().map(changed).collect();
    new.join("\n")
}

/// Makes a comment of a line (a step with all that stands in it), or the text again of one that is
/// a comment. None for an empty line.
pub fn toggle_comment(parsed: &Parsed, text: &str, line: usize) -> Option<Edit> {
    let of = |line: usize| &text[parsed.lines[line].span.clone()];
    let is_comment = |line: usize| {
        parsed
            .lines
            .get(line)
            .is_some_and(|l| l.kind == LineKind::Blank && l.comment.is_some())
    };
    if of(line).trim().is_empty() {
        return None;
    }
    if !is_comment(line) {
        let lines = lines_of(parsed, line);
        let header = of(lines.start);
        let indent = &header[..header.len() - header.trim_start().len()];
        let new = lines.clone().map(|line| {
            let old = of(line);
            let rest = old.strip_prefix(indent).unwrap_or(old.trim_start());
            if rest.trim().is_empty() {
                format!("{indent}#")
            } else {
                format!("{indent}# {rest}")
            }
        });
        let new: Vec<String> = new.collect();
        let span = parsed.lines[lines.start].span.start..parsed.lines[lines.end - 1].span.end;
        return Some(Edit {
            span,
            text: new.join("\n"),
        });
    }
    let bare = |line: usize| {
        let old = of(line);
        let indent = old.len() - old.trim_start().len();
        let rest = old[indent..].strip_prefix('#').unwrap_or_default();
        (&old[..indent], rest.strip_prefix(' ').unwrap_or(rest))
    };
    let opens = |line: usize| bare(line).1.starts_with("step \"");
    let mut first = line;
    while !opens(first) && first > 0 && is_comment(first - 1) {
        first -= 1;
    }
    let lines = if opens(first) {
        let mut end = first + 1;
        while is_comment(end) && !opens(end) {
            end += 1;
        }
        first..end
    } else {
        line..line + 1
    };
    let new: Vec<String> = lines
        .clone()
        .map(|line| {
            let (indent, rest) = bare(line);
            if rest.trim().is_empty() {
                String::new()
            } else {
                format!("{indent}{rest}")
            }
        })
        .collect();
    let span = parsed.lines[lines.start].span.start..parsed.lines[lines.end - 1].span.end;
    Some(Edit {
        span,
        text: new.join("\n"),
    })
}
