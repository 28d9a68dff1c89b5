//! What there is to say about the words of a text: what may stand in a slot, and what each choice
//! would mean.

use super::ast::SlotKind;
use super::check::Names;
use super::edit::source_slot;
use super::parser::Parsed;
use super::sentence::either;
use crate::ids::{DeviceKind, SlotId};
use crate::units::{LARGEST, Quantity, Unit};

/// The heading of a list of what may stand in a slot.
pub const fn question(kind: &SlotKind) -> &'static str {
    match kind {
        SlotKind::Device(DeviceKind::Floor) => "Which sensor",
        SlotKind::Device(DeviceKind::Ranger) => "Which ranging sensor",
        SlotKind::Device(DeviceKind::Switch) => "Which switch",
        SlotKind::Device(DeviceKind::Actuator) => "Which actuator",
        SlotKind::Device(DeviceKind::Signal) => "Which signal",
        SlotKind::Tone { .. } => "Which tone",
        SlotKind::Target => "Where to go then",
        SlotKind::Start => "Where it starts",
        SlotKind::Zone => "Which zone",
        SlotKind::Routine => "Which routine",
        SlotKind::Amount { .. } | SlotKind::Choice(_) | SlotKind::Name | SlotKind::Text => {
            "Which word"
        }
    }
}

/// What is worth knowing about a word that may be chosen for a slot; empty when there is nothing to
/// say.
pub fn choice(parsed: &Parsed, text: &str, names: &Names, kind: &SlotKind, word: &str) -> String {
    match kind {
        SlotKind::Device(kind) => names
            .device(word, *kind)
            .map_or_else(String::new, |known| known.place.clone()),
        SlotKind::Tone { sensor } => {
            let reads = names.sensor(sensor).and_then(|known| {
                let at = known.tones.iter().position(|tone| tone == word)?;
                known.reads.get(at)
            });
            reads.map_or_else(String::new, |share| {
                format!("{sensor} reads {:.0} % there", share * 100.0)
            })
        }
        SlotKind::Target => match word {
            "next" => "the step below".into(),
            "done" => "the mission is over, as planned".into(),
            "again" => "the next pass of the repeat".into(),
            "out" => "the end of the repeat or routine".into(),
            name => {
                let step = parsed
                    .mission
                    .steps
                    .iter()
                    .find(|step| step.name.node == name.trim_matches('"'));
                let does = step.and_then(|step| step.behaviour.as_ref());
                does.map_or_else(String::new, |(does, _)| text[does.span.clone()].to_owned())
            }
        },
        SlotKind::Amount { .. }
        | SlotKind::Choice(_)
        | SlotKind::Start
        | SlotKind::Zone
        | SlotKind::Routine
        | SlotKind::Name
        | SlotKind::Text => String::new(),
    }
}

/// What may stand in a slot, in words.
pub fn slot(parsed: &Parsed, text: &str, slot: SlotId) -> String {
    match &parsed.slots[slot].kind {
        SlotKind::Amount { range, .. } => amount(parsed, text, slot, *range),
        SlotKind::Choice(words) => either(
            &words
                .iter()
                .map(|word| (*word).to_owned())
                .collect::<Vec<_>>(),
        ),
        SlotKind::Device(kind) => kind.one().into(),
        SlotKind::Tone { sensor } => format!("a tone that {sensor} can see"),
        SlotKind::Routine => "a routine".into(),
        SlotKind::Name => "a name".into(),
        SlotKind::Start => "a start pose of the field".into(),
        SlotKind::Zone => "a zone of the field, or the mat".into(),
        SlotKind::Target => "where to go next".into(),
        SlotKind::Text => "a text".into(),
    }
}

/// The range of an amount, in the unit that stands there; and where else its name is used.
fn amount(parsed: &Parsed, text: &str, slot: SlotId, (least, most): (f64, f64)) -> String {
    let source = source_slot(parsed, text, slot);
    let written = &text[parsed.slots[source].span.clone()];
    let unit = Quantity::parse(written).map_or(Unit::None, |quantity| quantity.unit);
    let (low, high) = (
        Quantity::from_si(least, unit).value,
        Quantity::from_si(most, unit).value,
    );
    let symbol = unit.symbol();
    let allowed = match high {
        // The ends of a `let` are those of its uses, which the checker looks at.
        _ if most >= LARGEST => format!(
            "in {}",
            if symbol.is_empty() {
                "plain numbers"
            } else {
                symbol
            }
        ),
        // An end that nobody will reach is not worth naming.
        10_000.0.. => format!("{low} {symbol} or more"),
        _ => format!("{low} to {high} {symbol}").trim_end().to_owned(),
    };
    if source == slot {
        return allowed;
    }
    let name = &text[parsed.slots[slot].span.clone()];
    let uses = parsed
        .slots
        .iter()
        .filter(|other| text[other.span.clone()] == *name)
        .count();
    let times = if uses == 1 {
        "here only".to_owned()
    } else {
        format!("in {uses} places")
    };
    format!("{name} = {written}, used {times}; {allowed}")
}
