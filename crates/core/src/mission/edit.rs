//! Changes of a mission as replacements of spans: what a screen does when a slot is nudged, typed
//! or turned.

use super::amounts::misfit;
use super::ast::{Answer, Block, Condition, Let, LineKind, Slot, SlotKind, Spanned, Target, Then};
use super::check::{BATTERY, Names};
use super::conditions::MAT;
use super::exits::exit_on;
use super::format::agreement;
use super::parser::Parsed;
use crate::ids::{DeviceKind, SlotId};
use crate::units::{Dimension, LARGEST, NotAQuantity, Quantity, parse_number, tidy};

pub use crate::finding::Edit;

/// How far a nudge goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stride {
    /// The smallest change that anybody would try.
    Fine,
    /// The usual change.
    Coarse,
}

/// What one nudge adds, in the unit itself.
fn stride(quantity: Quantity, whole: bool, stride: Stride) -> f64 {
    let (fine, coarse) = if whole {
        (1.0, 1.0)
    } else {
        quantity.unit.steps()
    };
    if stride == Stride::Fine { fine } else { coarse }
}

/// The next amount up or down on the grid of the stride: 47 goes to 50, not to 52.
fn stepped(quantity: Quantity, whole: bool, up: bool, by: Stride) -> Quantity {
    let step = stride(quantity, whole, by);
    let value = if up {
        ((quantity.value + 1e-9) / step).floor() + 1.0
    } else {
        ((quantity.value - 1e-9) / step).ceil() - 1.0
    };
    Quantity {
        value: tidy(value * step),
        unit: quantity.unit,
    }
}

/// An amount one step up or down, within what its slot allows; none when there is nowhere to go.
pub fn moved(quantity: Quantity, kind: &SlotKind, up: bool, by: Stride) -> Option<Quantity> {
    let SlotKind::Amount { whole, .. } = *kind else {
        return None;
    };
    let moved = stepped(quantity, whole, up, by);
    let moved = if misfit(moved, kind).is_none() {
        moved
    } else {
        clamp(moved, kind)?
    };
    (moved != quantity).then_some(moved)
}

/// The slot in whose place a change belongs: the amount of a `let` when the slot only names it.
pub fn source_slot(parsed: &Parsed, text: &str, slot: SlotId) -> SlotId {
    let span = &parsed.slots[slot].span;
    let name = &text[span.clone()];
    let lets = &parsed.mission.lets;
    if !matches!(parsed.slots[slot].kind, SlotKind::Amount { .. }) {
        return slot;
    }
    lets.iter()
        .find(|entry| entry.name.node == name)
        .and_then(|entry| parsed.slot_where(|other| other.span == entry.value.span))
        .unwrap_or(slot)
}

/// Moves a slot one step up or down: a number by its stride, a word to its neighbour in the list.
/// None when there is nowhere to go.
pub fn nudge(
    parsed: &Parsed,
    text: &str,
    names: &Names,
    slot: SlotId,
    up: bool,
    by: Stride,
) -> Option<Edit> {
    let used = parsed.slots.get(slot.0)?;
    let source = source_slot(parsed, text, slot);
    let target = &parsed.slots[source];
    let current = &text[target.span.clone()];
    if let SlotKind::Amount { whole, .. } = used.kind {
        let quantity = read(current)?;
        let moved = stepped(quantity, whole, up, by);
        // The slot that refers to a `let` knows the range; the `let` itself does not.
        let allowed = |kind: &SlotKind| misfit(moved, kind).is_none();
        let moved = if allowed(&used.kind) && allowed(&target.kind) {
            moved
        } else {
            clamp(moved, &used.kind)?
        };
        let moved = within_safe(parsed, source, moved);
        return (moved != quantity).then(|| edit(parsed, text, source, moved.to_string()));
    }
    let choices = choices(parsed, names, slot);
    let index = choices.iter().position(|choice| choice == current);
    let next = match (index, up) {
        (Some(index), true) => (index + 1) % choices.len(),
        (Some(index), false) => (index + choices.len() - 1) % choices.len(),
        (None, _) => 0,
    };
    let choice = choices.get(next).filter(|choice| *choice != current)?;
    Some(edit(parsed, text, source, choice.clone()))
}

/// The nearest amount that is safe, for a `let` that says what is.
fn within_safe(parsed: &Parsed, slot: SlotId, quantity: Quantity) -> Quantity {
    let of = |entry: &&Let| entry.value.span == parsed.slots[slot].span;
    let Some([low, high]) = parsed
        .mission
        .lets
        .iter()
        .find(of)
        .and_then(|entry| entry.safe.as_ref())
    else {
        return quantity;
    };
    let si = quantity.si().clamp(low.node.si(), high.node.si());
    if si == quantity.si() {
        quantity
    } else {
        Quantity::from_si(si, quantity.unit)
    }
}

/// The nearest value that the slot allows; none where that would be the least of all numbers above
/// 0.
fn clamp(quantity: Quantity, kind: &SlotKind) -> Option<Quantity> {
    let SlotKind::Amount {
        dimension, range, ..
    } = kind
    else {
        return None;
    };
    let nearest = quantity.si().clamp(range.0, range.1);
    (quantity.unit.dimension() == *dimension && nearest != f64::MIN_POSITIVE)
        .then(|| Quantity::from_si(nearest, quantity.unit))
}

/// What may stand in a slot that takes words; empty for amounts and free text.
pub fn choices(parsed: &Parsed, names: &Names, slot: SlotId) -> Vec<String> {
    let named = |kind: DeviceKind| names.of_kind(kind).map(str::to_owned).collect();
    match &parsed.slots[slot].kind {
        SlotKind::Choice(words) => words.iter().map(|&word| word.to_owned()).collect(),
        SlotKind::Device(DeviceKind::Floor) => match compared(parsed, &parsed.slots[slot]) {
            Some(Dimension::Voltage) => vec![BATTERY.to_owned()],
            Some(Dimension::Length) => named(DeviceKind::Ranger),
            None | Some(Dimension::Percent) => named(DeviceKind::Floor),
            // A named value: which others would do, only the checker knows.
            Some(_) => Vec::new(),
        },
        SlotKind::Device(kind) => named(*kind),
        SlotKind::Routine => routines(parsed, names),
        SlotKind::Tone { sensor } => names.tones(sensor).to_vec(),
        SlotKind::Start => names.starts.clone(),
        SlotKind::Zone => {
            let quoted = |zone: &String| {
                if zone == MAT {
                    zone.clone()
                } else {
                    format!("\"{zone}\"")
                }
            };
            names.zones.iter().map(quoted).collect()
        }
        SlotKind::Target => targets(parsed, &parsed.slots[slot]),
        SlotKind::Amount { .. } | SlotKind::Text | SlotKind::Name => Vec::new(),
    }
}

/// The routines that there are: the mission's own and those of the files it uses.
fn routines(parsed: &Parsed, names: &Names) -> Vec<String> {
    let own = parsed
        .mission
        .routines
        .iter()
        .map(|routine| routine.name.node.clone());
    own.chain(names.routines.iter().map(|known| known.name.clone()))
        .collect()
}

/// Where an exit, a row or a reflex may lead, by what it stands in. None for `fail`, which has a
/// text of its own that turning through the targets must not lose.
fn targets(parsed: &Parsed, slot: &Slot) -> Vec<String> {
    let mission = &parsed.mission;
    let fails = |target: &Target| matches!(target, Target::Fail(_));
    let exits = mission
        .steps
        .iter()
        .flat_map(|step| &step.exits)
        .map(|exit| (exit.line, &exit.target.node));
    let rows = mission
        .steps
        .iter()
        .flat_map(|step| &step.rows)
        .filter_map(|row| match &row.answer {
            Answer::Go(target) => Some((row.line, &target.node)),
            Answer::Does(_) => None,
        });
    let afterwards = mission
        .reflexes
        .iter()
        .filter_map(|reflex| match reflex.then.as_ref()? {
            Spanned {
                node: Then::Go(target),
                span,
            } if span.contains(&slot.span.start) => Some((slot.line, &target.node)),
            _ => None,
        });
    if exits
        .chain(rows)
        .chain(afterwards)
        .any(|(line, target)| line == slot.line && fails(target))
    {
        return Vec::new();
    }
    let quoted = |name: &str| format!("\"{name}\"");
    if matches!(
        parsed.lines[slot.line].kind,
        LineKind::Watch | LineKind::Header
    ) {
        let watched = mission.sequence(Block::Mission, None);
        return watched.map(|(_, step)| quoted(&step.name.node)).collect();
    }
    let Some(from) = mission
        .steps
        .iter()
        .rfind(|step| (step.line..=step.last).contains(&slot.line))
    else {
        return Vec::new();
    };
    let mut targets = vec!["next".to_owned(), "done".to_owned()];
    if from.inside.is_some() {
        targets.push("again".to_owned());
    }
    if from.inside.is_some() || matches!(from.block, Block::Routine(_)) {
        targets.push("out".to_owned());
    }
    let within_reach = |name: &&str| mission.find(name, from).is_some();
    targets.extend(
        mission
            .steps
            .iter()
            .map(|step| step.name.node.as_str())
            .filter(within_reach)
            .map(quoted),
    );
    let mut seen = std::collections::BTreeSet::new();
    targets.retain(|target| seen.insert(target.clone()));
    targets
}

/// What the name in a slot is compared with, wherever that stands, so that only what measures it
/// makes sense there.
fn compared(parsed: &Parsed, slot: &Slot) -> Option<Dimension> {
    let mission = &parsed.mission;
    let steps = mission.steps.iter();
    let conditions = steps.flat_map(|step| {
        let rows = step.rows.iter().filter_map(|row| row.condition.as_ref());
        rows.chain(step.exits.iter().map(|exit| &exit.condition))
    });
    let watches = mission
        .reflexes
        .iter()
        .filter_map(|reflex| Some(&reflex.trigger.as_ref()?.0));
    let mut found = None;
    for condition in conditions
        .chain(watches)
        .filter(|condition| condition.span.contains(&slot.span.start))
    {
        condition.each(&mut |term| {
            let (Condition::Reads { sensors, limit, .. }
            | Condition::Between {
                sensors,
                low: limit,
                ..
            }) = &term.node
            else {
                return;
            };
            if sensors.names.iter().any(|name| name.span == slot.span)
                && let Some(Slot {
                    kind: SlotKind::Amount { dimension, .. },
                    ..
                }) = parsed.slot_at(&limit.span)
            {
                found = Some(*dimension);
            }
        });
    }
    found
}

/// Why what was typed does not go into a slot.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotTaken {
    /// It cannot be read as an amount.
    #[error("{why}: try `{}`", dimension.example())]
    Quantity {
        /// What is wrong with it.
        why: NotAQuantity,
        /// What the slot measures.
        dimension: Dimension,
    },
    /// An amount of another kind, or outside the allowed range: as a finding would say it.
    #[error("{message}: {hint}")]
    Misfit {
        /// What is wrong.
        message: String,
        /// What to do.
        hint: String,
    },
    /// More than any amount is.
    #[error("`{0}` is too large")]
    TooLarge(String),
    /// Quotes end a text.
    #[error("a text cannot hold quotes")]
    Quotes,
    /// Nothing else may stand there.
    #[error("this word cannot be changed here; press e to edit the line")]
    Fixed,
    /// It is none of the words that may stand there.
    #[error("choose one of {}", .0.join(", "))]
    NoChoice(Vec<String>),
}

/// Puts typed text into a slot.
///
/// A number without unit keeps the unit that stands there; text gets its quotes.
///
/// # Errors
/// Why it may not stand there.
pub fn set(
    parsed: &Parsed,
    text: &str,
    names: &Names,
    slot: SlotId,
    typed: &str,
) -> Result<Edit, NotTaken> {
    let used = &parsed.slots[slot];
    let typed = typed.trim();
    match &used.kind {
        SlotKind::Amount { dimension, .. } => {
            if parsed
                .mission
                .lets
                .iter()
                .any(|entry| entry.name.node == typed)
            {
                return Ok(edit(parsed, text, slot, typed.to_owned()));
            }
            let source = source_slot(parsed, text, slot);
            let current = read(&text[parsed.slots[source].span.clone()]);
            let quantity = quantity_for(typed, current, *dimension, &used.kind)?;
            Ok(edit(parsed, text, source, quantity.to_string()))
        }
        SlotKind::Text if typed.contains(['"', '\n']) => Err(NotTaken::Quotes),
        SlotKind::Text => Ok(edit(parsed, text, slot, format!("\"{typed}\""))),
        SlotKind::Choice(_)
        | SlotKind::Device(_)
        | SlotKind::Tone { .. }
        | SlotKind::Start
        | SlotKind::Zone
        | SlotKind::Routine
        | SlotKind::Name
        | SlotKind::Target => {
            let choices = choices(parsed, names, slot);
            match choices
                .iter()
                .find(|choice| choice.trim_matches('"') == typed.trim_matches('"'))
            {
                Some(choice) => Ok(edit(parsed, text, slot, choice.clone())),
                None if choices.is_empty() => Err(NotTaken::Fixed),
                None => Err(NotTaken::NoChoice(choices)),
            }
        }
    }
}

/// What was typed as an amount that a slot takes; a number without unit has the unit of what stands
/// there.
///
/// # Errors
/// Why it may not stand there.
pub fn quantity_for(
    typed: &str,
    current: Option<Quantity>,
    dimension: Dimension,
    kind: &SlotKind,
) -> Result<Quantity, NotTaken> {
    let quantity = typed_quantity(typed, current, dimension)?;
    match misfit(quantity, kind) {
        Some((_, message, hint)) => Err(NotTaken::Misfit { message, hint }),
        None => Ok(quantity),
    }
}

fn typed_quantity(
    typed: &str,
    current: Option<Quantity>,
    dimension: Dimension,
) -> Result<Quantity, NotTaken> {
    let quantity = match (parse_number(typed), current) {
        (Some(value), Some(current)) => Quantity {
            value,
            unit: current.unit,
        },
        _ => Quantity::parse(typed).map_err(|why| NotTaken::Quantity { why, dimension })?,
    };
    if quantity.value.abs() > LARGEST {
        Err(NotTaken::TooLarge(typed.to_owned()))
    } else {
        Ok(quantity)
    }
}

fn read(text: &str) -> Option<Quantity> {
    Quantity::parse(text).ok()
}

/// Replaces a slot, and the last word of its condition when that no longer agrees with the number.
pub(super) fn edit(parsed: &Parsed, text: &str, slot: SlotId, replacement: String) -> Edit {
    let slot = &parsed.slots[slot];
    let line = &parsed.lines[slot.line];
    // A word that may be left out comes and goes with the space before it.
    if slot.span.is_empty() {
        return Edit::insert(slot.span.start, format!(" {replacement}"));
    }
    if replacement.is_empty() {
        let start = text[..slot.span.start].trim_end().len();
        return Edit {
            span: start..slot.span.end,
            text: replacement,
        };
    }
    let Some(exit) = exit_on(parsed, slot.line) else {
        return Edit {
            span: slot.span.clone(),
            text: replacement,
        };
    };
    let within = slot.span.start - line.span.start..slot.span.end - line.span.start;
    let grown = replacement.len() as isize - within.len() as isize;
    let mut new = Edit {
        span: within,
        text: replacement,
    }
    .apply(&text[line.span.clone()]);
    let end = exit.condition.span.end - line.span.start;
    let end = if slot.span.start < exit.condition.span.end {
        end.saturating_add_signed(grown)
    } else {
        end
    };
    if let Some((span, word)) = agreement(&new[..end]) {
        new.replace_range(span, word);
    }
    Edit {
        span: line.span.clone(),
        text: new,
    }
}

/// Replaces a whole line of the text; `text` must not hold a line end.
pub fn set_line(parsed: &Parsed, line: usize, text: &str) -> Edit {
    Edit {
        span: parsed.lines[line].span.clone(),
        text: text.to_owned(),
    }
}

/// Puts a new line below a line, indented like it.
pub fn insert_below(parsed: &Parsed, text: &str, line: usize, new: &str) -> Edit {
    let span = &parsed.lines[line].span;
    let old = &text[span.clone()];
    let indent = &old[..old.len() - old.trim_start().len()];
    let at = span.end;
    Edit {
        span: at..at,
        text: format!("\n{indent}{new}"),
    }
}

/// Takes a line out, with its line end.
pub fn delete_line(parsed: &Parsed, text: &str, line: usize) -> Edit {
    let span = parsed.lines[line].span.clone();
    // A line may end in \r\n, which is not part of its span.
    let end = text[span.end..]
        .find('\n')
        .map_or(text.len(), |at| span.end + at + 1);
    let start = if end == text.len() && span.start > 0 && !text.ends_with('\n') {
        span.start - 1
    } else {
        span.start
    };
    Edit {
        span: start..end,
        text: String::new(),
    }
}
