//! Further changes of amounts and steps: other units, named amounts, comments, mirrors, splitting and joining.

use std::ops::Range;

use super::ast::{Block, Condition, LineKind, SlotKind, Target, Value};
use super::check::Names;
use super::edit::{Edit, set, source_slot};
use super::parser::Parsed;
use super::steps::{free_name, step_span};
use crate::units::{Quantity, Unit, tidy};

pub use crate::finding::apply_all;

// ---- amounts

/// The amount in a slot, or that of the `let` it names, in the next unit that measures the same. None when there is no
/// other, or none in which it stays exactly what it is.
pub fn convert(parsed: &Parsed, text: &str, slot: usize) -> Option<Edit> {
    let span = parsed.slots[source_slot(parsed, text, slot)].span.clone();
    let quantity = Quantity::parse(&text[span.clone()]).ok()?;
    let units: Vec<Unit> =
        Unit::ALL.iter().copied().filter(|unit| unit.dimension() == quantity.unit.dimension()).collect();
    let at = units.iter().position(|unit| *unit == quantity.unit)?;
    let others = units[at + 1..].iter().chain(&units[..at]);
    // Three decimals are what people write; what does not fit would be rounded, and the run would change.
    let exact = |unit: Unit| {
        let value = tidy(Quantity::from_si(quantity.si(), unit).value);
        let written = Quantity::parse(&Quantity { value, unit }.to_string()).ok()?;
        let close = (written.si() - quantity.si()).abs() <= 1e-12 * quantity.si().abs();
        (close && written.to_string().len() <= 12).then_some(written)
    };
    let other = others.copied().find_map(exact)?;
    Some(Edit { span, text: other.to_string() })
}

/// The named amounts that may stand in a slot, each with what it is worth.
pub fn linkable(parsed: &Parsed, slot: usize) -> Vec<(String, String)> {
    let SlotKind::Amount { dimension, range, .. } = &parsed.slots[slot].kind else { return Vec::new() };
    if matches!(parsed.lines[parsed.slots[slot].line].kind, LineKind::Header | LineKind::Let) {
        return Vec::new();
    }
    let lets = parsed.mission.lets.iter().filter(|entry| !entry.value.span.contains(&parsed.slots[slot].span.start));
    lets.filter_map(|entry| {
        let quantity = parsed.mission.shown(&entry.name.node)?;
        let fits = quantity.unit.dimension() == *dimension && (range.0..=range.1).contains(&quantity.si());
        fits.then(|| (entry.name.node.clone(), quantity.to_string()))
    })
    .collect()
}

/// Gives the amount in a slot a name: a new `let` holds it, or an old one of that name takes its place.
///
/// # Errors
/// Why it cannot have that name.
pub fn name_amount(parsed: &Parsed, text: &str, names: &Names, slot: usize, name: &str) -> Result<String, String> {
    let SlotKind::Amount { .. } = parsed.slots[slot].kind else { return Err("only amounts have names".to_owned()) };
    let span = parsed.slots[slot].span.clone();
    if parsed.mission.lets.iter().any(|entry| entry.value.span == span) {
        return Err("this amount has a name already".to_owned());
    }
    if matches!(parsed.lines[parsed.slots[slot].line].kind, LineKind::Header | LineKind::Let) {
        return Err("here the amount has to be written out".to_owned());
    }
    if linkable(parsed, slot).iter().any(|(known, _)| known == name) {
        return set(parsed, text, names, slot, name).map(|edit| edit.apply(text));
    }
    if parsed.mission.lets.iter().any(|entry| entry.name.node == name) {
        return Err(format!("`{name}` is another kind of amount, or out of what may stand here"));
    }
    let word = name.starts_with(char::is_alphabetic)
        && name.chars().all(|c| c.is_alphanumeric() || c == '-')
        && !name.ends_with('-');
    if !word {
        return Err("a name is a letter, then letters, digits and hyphens: try `cruise`".to_owned());
    }
    let quantity = Quantity::parse(&text[span.clone()]).map_err(|_| "this is a name already".to_owned())?;
    let before = |line: &&super::ast::Line| matches!(line.kind, LineKind::Mission | LineKind::Header);
    let last_let = parsed.lines.iter().rfind(|line| line.kind == LineKind::Let);
    let (at, gap) = match (last_let, parsed.lines.iter().rfind(before)) {
        (Some(line), _) => (line.span.end, "\n"),
        (None, Some(line)) => (line.span.end, "\n\n"),
        (None, None) => (0, ""),
    };
    let behind = if at == 0 { "\n\n" } else { "" };
    let new = Edit { span: at..at, text: format!("{gap}let {name} = {quantity}{behind}") };
    Ok(apply_all(text, vec![new, Edit { span, text: name.to_owned() }]))
}

/// Puts what a named amount is worth in its place.
pub fn write_out(parsed: &Parsed, text: &str, slot: usize) -> Option<Edit> {
    let span = parsed.slots[slot].span.clone();
    let SlotKind::Amount { .. } = parsed.slots[slot].kind else { return None };
    let quantity = parsed.mission.shown(&text[span.clone()])?;
    Some(Edit { span, text: quantity.to_string() })
}

// ---- comments

/// The lines of the text that a line stands for: a whole step for its header, or just itself.
fn lines_of(parsed: &Parsed, line: usize) -> Range<usize> {
    let step = parsed.mission.steps.iter().find(|step| step.line == line);
    step.map_or(line..line + 1, |step| step.line..step.last + 1)
}

/// Makes a comment of a line (a step with all that stands in it), or the text again of one that is a comment. None for
/// an empty line.
pub fn toggle_comment(parsed: &Parsed, text: &str, line: usize) -> Option<Edit> {
    let of = |line: usize| &text[parsed.lines[line].span.clone()];
    let is_comment =
        |line: usize| parsed.lines.get(line).is_some_and(|l| l.kind == LineKind::Blank && l.comment.is_some());
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
            if rest.trim().is_empty() { format!("{indent}#") } else { format!("{indent}# {rest}") }
        });
        let new: Vec<String> = new.collect();
        let span = parsed.lines[lines.start].span.start..parsed.lines[lines.end - 1].span.end;
        return Some(Edit { span, text: new.join("\n") });
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
            if rest.trim().is_empty() { String::new() } else { format!("{indent}{rest}") }
        })
        .collect();
    let span = parsed.lines[lines.start].span.start..parsed.lines[lines.end - 1].span.end;
    Some(Edit { span, text: new.join("\n") })
}

// ---- whole steps

/// Swaps left and right in a step and all that stands in it: sides, and sensors with their opposites; headings change
/// their sign. None when nothing in it has a side.
pub fn mirror_step(parsed: &Parsed, text: &str, names: &Names, step: usize) -> Option<Vec<Edit>> {
    let about = &parsed.mission.steps[step];
    let lines = about.line..=about.last;
    let mut edits = Vec::new();
    for slot in parsed.slots.iter().filter(|slot| lines.contains(&slot.line)) {
        let word = &text[slot.span.clone()];
        let other = match &slot.kind {
            SlotKind::Choice(words) if words.contains(&"left") && words.contains(&"right") => match word {
                "left" => Some("right".to_owned()),
                "right" => Some("left".to_owned()),
                _ => None,
            },
            SlotKind::Sensor => {
                names.sensor(word).and_then(|sensor| sensor.mirror.clone()).filter(|other| other != word)
            }
            _ => None,
        };
        edits.extend(other.map(|text| Edit { span: slot.span.clone(), text }));
    }
    // `find` within the step's own steps too: headings are absolute, and have no side of their own.
    let within = parsed.mission.steps.iter().filter(|step| lines.contains(&step.line) && step.like.is_none());
    for exit in within.flat_map(|step| &step.exits) {
        exit.condition.each(&mut |term| {
            if let Condition::Heading(angle) = &term.node
                && let Value::Literal(quantity) = angle.node
                && quantity.value != 0.0
            {
                let text = Quantity { value: -quantity.value, unit: quantity.unit }.to_string();
                edits.push(Edit { span: angle.span.clone(), text });
            }
        });
    }
    (!edits.is_empty()).then_some(edits)
}

/// Makes two steps of one that does the same: the first ends where `condition` holds, the second goes on to where the one
/// led. What leads to a failure guards both. None for a step that others stand in, or that a reflex does.
pub fn split_step(parsed: &Parsed, text: &str, step: usize, condition: &str) -> Option<Edit> {
    let about = &parsed.mission.steps[step];
    let (_, line) = about.behaviour.as_ref()?;
    if matches!(about.block, Block::Reflex(_))
        || !about.rows.is_empty()
        || about.like.is_some()
        || holds_steps(parsed, step)
    {
        return None;
    }
    let span = step_span(parsed, step);
    let header = &text[parsed.lines[about.line].span.clone()];
    let indent = &header[..header.len() - header.trim_start().len()];
    let behaviour = text[parsed.lines[*line].span.clone()].trim();
    let name = free_name(parsed, &format!("{}, on", about.name.node));
    let mut first = format!("{indent}{}\n{indent}  {behaviour}\n{indent}  until {condition}  -> next", header.trim());
    for exit in about.exits.iter().filter(|exit| matches!(exit.target.node, Target::Fail(_))) {
        let line = text[parsed.lines[exit.line].span.clone()].trim_start();
        let rest = line.strip_prefix("until").or(line.strip_prefix("or"))?.trim_start();
        first = format!("{first}\n{indent}  or    {rest}");
    }
    let mut second = text[span.clone()].to_owned();
    second.replace_range(about.name.span.start - span.start..about.name.span.end - span.start, &format!("\"{name}\""));
    Some(Edit { span, text: format!("{first}\n\n{second}") })
}

/// Whether other steps stand in a step.
fn holds_steps(parsed: &Parsed, step: usize) -> bool {
    parsed.mission.steps.iter().any(|other| other.inside == Some(step))
}

/// Makes one step of a step and the one below it in its sequence: it does what the first did, and ends as the second
/// did. What led to the second leads to it. Also says whether the second did something else, which is then gone.
pub fn join_steps(parsed: &Parsed, text: &str, step: usize) -> Option<(Vec<Edit>, bool)> {
    let about = &parsed.mission.steps[step];
    if matches!(about.block, Block::Reflex(_))
        || !about.rows.is_empty()
        || about.like.is_some()
        || holds_steps(parsed, step)
    {
        return None;
    }
    let (below, next) = parsed.mission.sequence(about.block, about.inside).find(|(index, _)| *index > step)?;
    if !next.rows.is_empty() || next.like.is_some() || holds_steps(parsed, below) {
        return None;
    }
    let line_of = |step: &super::ast::Step| {
        step.behaviour.as_ref().map(|(_, line)| text[parsed.lines[*line].span.clone()].trim().to_owned())
    };
    let differs = line_of(about) != line_of(next);
    let (_, behaviour) = about.behaviour.as_ref()?;
    let keep = parsed.lines[*behaviour].span.end;
    let from = next.behaviour.as_ref().map_or(next.line, |(_, line)| *line);
    let tail = &text[parsed.lines[from].span.end..parsed.lines[next.last].span.end];
    let end = parsed.lines[next.last].span.end;
    let mut edits = vec![Edit { span: keep..end, text: tail.to_owned() }];
    // Elsewhere its name is now the first one's.
    let steps = parsed.mission.steps.iter();
    for exit in
        steps.flat_map(|step| &step.exits).filter(|exit| exit.target.span.start < keep || exit.target.span.start >= end)
    {
        if matches!(&exit.target.node, Target::Step(name) if *name == next.name.node) {
            edits.push(Edit { span: exit.target.span.clone(), text: format!("\"{}\"", about.name.node) });
        }
    }
    Some((edits, differs))
}
