//! A number of the mission and a span of it, as they are typed.

use std::str::FromStr;

use wayodos_core::finding::nearest;
use wayodos_core::ids::SlotId;
use wayodos_core::mission::{Parsed, SlotKind};
use wayodos_core::units::Quantity;

/// `20 %..60 %`
#[derive(Clone, Copy, Debug)]
pub(super) struct Span(pub(super) [Quantity; 2]);

impl FromStr for Span {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || format!("`{text}` is no span: write two amounts, such as `20 %..60 %`");
        let (low, high) = text.split_once("..").ok_or_else(wrong)?;
        let amount = |text: &str| Quantity::parse(text.trim()).map_err(|_| wrong());
        Ok(Self([amount(low)?, amount(high)?]))
    }
}

/// The slot that somebody names, or what to say instead.
pub(super) fn slot_of(
    parsed: &Parsed,
    text: &str,
    named: &str,
) -> Result<SlotId, (String, String)> {
    let lets = &parsed.mission.lets;
    if let Some(entry) = lets.iter().find(|entry| entry.name.node == named)
        && let Some(slot) = parsed.slot_where(|slot| slot.span == entry.value.span)
    {
        return Ok(slot);
    }
    let numbers = |line: usize| {
        let here = move |slot: &SlotId| {
            let slot = &parsed.slots[*slot];
            slot.line == line && matches!(slot.kind, SlotKind::Amount { .. })
        };
        SlotId::all(parsed.slots.len()).filter(here)
    };
    if let Some((line, nth)) = named.split_once(':')
        && let (Ok(line), Ok(nth)) = (line.parse::<usize>(), nth.parse::<usize>())
        && line > 0
        && nth > 0
    {
        let all: Vec<SlotId> = numbers(line - 1).collect();
        return all.get(nth - 1).copied().ok_or_else(|| {
            let what = match all.len() {
                0 => format!("line {line} of the mission holds no number"),
                1 => format!("line {line} of the mission holds one number"),
                count => format!("line {line} of the mission holds {count} numbers"),
            };
            let whole = text.lines().nth(line - 1).unwrap_or_default().trim();
            (what, format!("count the numbers of `{whole}` from 1"))
        });
    }
    let names: Vec<&str> = lets.iter().map(|entry| entry.name.node.as_str()).collect();
    let hint = match nearest(named, names.iter().copied()) {
        Some(near) => format!("did you mean `{near}`?"),
        None if names.is_empty() => {
            "name a number by its line and its place in it, such as 9:1".to_owned()
        }
        None => format!(
            "there is {}; or a line and which number of it, such as 9:1",
            names.join(", ")
        ),
    };
    Err((
        format!("no amount of the mission is called `{named}`"),
        hint,
    ))
}

/// `pace`, or `pace=20 %..60 %`
#[derive(Clone, Debug)]
pub(super) struct Amount {
    pub(super) named: String,
    pub(super) span: Option<Span>,
}

impl FromStr for Amount {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (named, span) = match text.split_once('=') {
            Some((named, span)) => (named, Some(span.parse()?)),
            None => (text, None),
        };
        Ok(Self {
            named: named.trim().to_owned(),
            span,
        })
    }
}
