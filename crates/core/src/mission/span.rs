//! A number of a mission over a span: which values are worth a try, and how what was found out is
//! written down.

use super::amounts::misfit;
use super::ast::{Let, Slot, SlotKind, Value};
use super::edit::{Edit, edit, source_slot};
use super::parser::{Parsed, parse};
use crate::ids::SlotId;
use crate::units::{Quantity, tidy};

/// A number that can be tried over a span.
#[derive(Clone, Debug, PartialEq)]
pub struct Swept {
    /// What people call it: its name, or the words before it.
    pub name: String,
    /// The slot that holds it: of a name, the amount of its `let`.
    pub slot: SlotId,
    /// What stands there.
    pub now: Quantity,
    /// The values to try, in order, the one that stands there among them when it lies in the span.
    pub values: Vec<Quantity>,
}

/// Why a slot cannot be swept.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum Unswept {
    /// No number stands there.
    #[error("no number stands there that could be swept")]
    NoNumber,
    /// A formula stands there.
    #[error("what stands there is a formula: sweep a number that it is made of")]
    Formula,
    /// An end of the span measures something else.
    #[error("{name} is {now}, so {given} is no value of it")]
    OtherUnit {
        /// What is swept.
        name: String,
        /// What stands there.
        now: Quantity,
        /// The end of the span.
        given: Quantity,
    },
    /// The span ends before it begins.
    #[error("the span from {0} to {1} is empty: write the smaller amount first")]
    Empty(Quantity, Quantity),
    /// Next to nothing of it can stand there.
    #[error("fewer than two values from {0} to {1} can stand there")]
    TooFew(Quantity, Quantity),
}

/// Values to try for the slot: over a span, or without one over its safe span, or else from half to
/// twice of what stands there. They are round ones, at most about `most`.
///
/// # Errors
/// Why it cannot be swept.
pub fn sweep(
    parsed: &Parsed,
    text: &str,
    slot: SlotId,
    span: Option<[Quantity; 2]>,
    most: usize,
) -> Result<Swept, Unswept> {
    let used = parsed.slots.get(slot.0).ok_or(Unswept::NoNumber)?;
    let slot = source_slot(parsed, text, slot);
    let target = &parsed.slots[slot];
    let SlotKind::Amount { whole, .. } = used.kind else {
        return Err(Unswept::NoNumber);
    };
    let now = Quantity::parse(&text[target.span.clone()]).map_err(|_| Unswept::Formula)?;
    let entry = of_slot(parsed, target);
    let safe = entry.and_then(|entry| {
        let [low, high] = entry.safe.as_ref()?;
        Some([low.node, high.node])
    });
    let name = entry.map_or_else(
        || words_before(parsed, text, target),
        |entry| entry.name.node.clone(),
    );
    let [low, high] = match span.or(safe) {
        Some(span) => in_unit(span, now, &name)?,
        None => proposed(now.value, now.unit.steps().1),
    };
    if low >= high {
        return Err(Unswept::Empty(amount(low, now), amount(high, now)));
    }
    let fits = |value: &f64| {
        let quantity = amount(*value, now);
        misfit(quantity, &used.kind).is_none() && misfit(quantity, &target.kind).is_none()
    };
    let mut values: Vec<f64> = round_values(low, high, most, whole).filter(fits).collect();
    let inside = (low..=high).contains(&now.value) && fits(&now.value);
    if inside && !values.contains(&now.value) {
        values.push(now.value);
        values.sort_by(f64::total_cmp);
    }
    if values.len() < 2 {
        return Err(Unswept::TooFew(amount(low, now), amount(high, now)));
    }
    Ok(Swept {
        name,
        slot,
        now,
        values: values.into_iter().map(|value| amount(value, now)).collect(),
    })
}

/// The `let` whose amount stands in a slot.
fn of_slot<'a>(parsed: &'a Parsed, slot: &Slot) -> Option<&'a Let> {
    let mut lets = parsed.mission.lets.iter();
    lets.find(|entry| entry.value.span == slot.span)
}

/// A number without a name is called by the line that it stands in.
fn words_before(parsed: &Parsed, text: &str, slot: &Slot) -> String {
    let line = &parsed.lines[slot.line];
    let before = text[line.span.start..slot.span.start].trim();
    let words: Vec<&str> = before.split_whitespace().collect();
    let from = words.len().saturating_sub(2);
    format!(
        "\"{} ...\" in line {}",
        words[from..].join(" "),
        slot.line + 1
    )
}

fn amount(value: f64, like: Quantity) -> Quantity {
    Quantity {
        value: tidy(value),
        unit: like.unit,
    }
}

/// A span in the unit of what stands there.
fn in_unit(span: [Quantity; 2], now: Quantity, name: &str) -> Result<[f64; 2], Unswept> {
    let mut ends = [0.0; 2];
    for (end, given) in ends.iter_mut().zip(span) {
        if given.unit.dimension() != now.unit.dimension() {
            return Err(Unswept::OtherUnit {
                name: name.to_owned(),
                now,
                given,
            });
        }
        *end = tidy(Quantity::from_si(given.si(), now.unit).value);
    }
    Ok(ends)
}

/// Half to twice of a number; about nothing, twenty coarse steps.
fn proposed(value: f64, coarse: f64) -> [f64; 2] {
    if value == 0.0 {
        return [-10.0 * coarse, 10.0 * coarse];
    }
    let (near, far) = (value / 2.0, value * 2.0);
    [near.min(far), near.max(far)]
}

/// The multiples of a round step within a span: 1, 2 or 5 of a power of ten.
fn round_values(low: f64, high: f64, most: usize, whole: bool) -> impl Iterator<Item = f64> {
    let least = (high - low) / (most.max(2) as f64 - 0.999);
    let mut step = if whole { 1.0 } else { 1e-6 };
    let mut factors = [2.0, 2.5, 2.0].into_iter().cycle();
    while step < least {
        step *= factors.next().unwrap_or(10.0);
    }
    let (first, last) = (
        ((low - 1e-9) / step).ceil() as i64,
        ((high + 1e-9) / step).floor() as i64,
    );
    (first..=last).map(move |nth| tidy(nth as f64 * step))
}

/// Puts a value in place, and beside a `let` notes between which values it was found to hold.
pub fn put_with_span(
    parsed: &Parsed,
    text: &str,
    slot: SlotId,
    value: Quantity,
    held: Option<[Quantity; 2]>,
) -> String {
    let target = &parsed.slots[slot];
    let replace = |text: &str| edit(parsed, text, slot, value.to_string()).apply(text);
    let (Some(entry), Some([low, high])) = (of_slot(parsed, target), held) else {
        return replace(text);
    };
    let line = &parsed.lines[entry.line];
    let whole = &text[line.span.clone()];
    let comment = comment_of(whole);
    let Value::Literal(_) = entry.value.node else {
        return replace(text);
    };
    let head = &text[line.span.start..target.span.start];
    let note = if low.si() < high.si() {
        format!(", safe from {low} to {high}, measured")
    } else {
        ", measured".to_owned()
    };
    let gap = if comment.is_empty() { "" } else { "  " };
    let new = format!("{head}{value}{note}{gap}{comment}");
    Edit {
        span: line.span.clone(),
        text: new,
    }
    .apply(text)
}

/// Puts several numbers in place at once.
pub fn put_all(parsed: &Parsed, text: &str, values: &[(SlotId, Quantity)]) -> String {
    let mut edits: Vec<Edit> = values
        .iter()
        .map(|(slot, value)| edit(parsed, text, *slot, value.to_string()))
        .collect();
    // From the end of the text on, so that what is still to be put keeps its place.
    edits.sort_by_key(|edit| std::cmp::Reverse(edit.span.start));
    edits
        .iter()
        .fold(text.to_owned(), |text, edit| edit.apply(&text))
}

/// Puts several numbers in place at once, and beside those with a name notes between which values they
/// were found to hold.
pub fn put_all_with_spans(
    text: &str,
    values: &[(SlotId, Quantity, Option<[Quantity; 2]>)],
) -> String {
    // From the end of the text on: a note brings slots of its own, and moves only those behind it.
    let mut values = values.to_vec();
    values.sort_by_key(|(slot, _, _)| std::cmp::Reverse(*slot));
    values
        .into_iter()
        .fold(text.to_owned(), |text, (slot, value, held)| {
            put_with_span(&parse(&text), &text, slot, value, held)
        })
}

/// The text of a mission that begins at another start of its field.
pub fn with_start(parsed: &Parsed, text: &str, name: &str) -> String {
    if let Some(start) = &parsed.mission.start {
        let span = start.span.clone();
        let name = name.to_owned();
        return Edit { span, text: name }.apply(text);
    }
    // Below the mission's name, or first of all where it has none.
    let header = parsed.mission.name.as_ref().and_then(|name| {
        parsed
            .lines
            .iter()
            .find(|line| line.span.contains(&name.span.start))
    });
    let (at, indent) = header.map_or((0, ""), |line| (line.span.end, "  "));
    let line = if at == 0 {
        format!("start {name}\n")
    } else {
        format!("\n{indent}start {name}")
    };
    Edit::insert(at, line).apply(text)
}

/// The slots of all amounts with a name and a safe span, in the order of the text.
pub fn with_safe_span(parsed: &Parsed) -> Vec<SlotId> {
    let lets = parsed.mission.lets.iter();
    lets.filter(|entry| entry.safe.is_some())
        .filter_map(|entry| parsed.slot_where(|slot| slot.span == entry.value.span))
        .collect()
}

/// The comment at the end of a line; a sign within quotes begins none.
fn comment_of(line: &str) -> &str {
    let mut quoted = false;
    for (at, letter) in line.char_indices() {
        match letter {
            '"' => quoted = !quoted,
            '#' if !quoted => return line[at..].trim_end(),
            _ => {}
        }
    }
    ""
}

#[cfg(test)]
mod tests {
    use super::super::parse;
    use super::*;

    fn quantity(text: &str) -> Quantity {
        Quantity::parse(text).unwrap()
    }

    const TEXT: &str = "limit 20 s\nstart slipway\n\nlet pace = 26 %  # our usual\nlet near = 280 mm, safe from 200 mm to 300 mm, guessed\n\nstep \"A\"\ndrive ahead at pace\nuntil travelled 320 mm -> next\nor 4 s pass -> fail \"no # here\"\n\nstep \"B\"\nhold, brake\nuntil ahead < near -> done\n";

    fn slot(parsed: &Parsed, words: &str) -> SlotId {
        let at = TEXT.find(words).unwrap();
        parsed.slot_where(|slot| slot.span.start == at).unwrap()
    }

    fn values(words: &str, span: Option<[Quantity; 2]>) -> Result<Vec<f64>, Unswept> {
        let parsed = parse(TEXT);
        let swept = sweep(&parsed, TEXT, slot(&parsed, words), span, 25)?;
        Ok(swept.values.iter().map(|one| one.value).collect())
    }

    #[test]
    fn values_are_round_and_hold_what_stands_there() {
        // A use of a name stands for its `let`.
        let pace = values("pace\nuntil", None).unwrap();
        assert_eq!((pace[0], pace[pace.len() - 1]), (14.0, 52.0));
        assert!(pace.contains(&26.0) && pace.len() <= 26, "{pace:?}");
        assert_eq!(values("26 %", None).unwrap(), pace);
        // Its safe span, when it has one.
        let near = values("280 mm", None).unwrap();
        assert_eq!((near[0], near[near.len() - 1]), (200.0, 300.0));
        // What was asked for, in any unit; what stands there is in it though it is not round.
        let asked = values("280 mm", Some([quantity("27.1 cm"), quantity("29 cm")])).unwrap();
        assert!(asked.contains(&280.0) && asked[0] >= 271.0, "{asked:?}");
        for pair in near.windows(2).chain(pace.windows(2)) {
            assert!(pair[0] < pair[1]);
        }
    }

    #[test]
    fn several_numbers_are_put_in_place_at_once() {
        let parsed = parse(TEXT);
        let [pace, near, late] = ["26 %", "280 mm", "4 s"].map(|words| slot(&parsed, words));
        assert_eq!(with_safe_span(&parsed), [near]);
        let values = [(near, "9 mm"), (late, "12.5 s"), (pace, "104 %")];
        let values = values.map(|(slot, words)| (slot, quantity(words)));
        let wanted = TEXT
            .replace("26 %", "104 %")
            .replace("280 mm", "9 mm")
            .replace("4 s", "12.5 s");
        assert_eq!(put_all(&parsed, TEXT, &values), wanted);
        assert_eq!(put_all(&parsed, TEXT, &[]), TEXT);
    }

    #[test]
    fn a_mission_begins_at_another_start() {
        let with = |text: &str| {
            let new = with_start(&parse(text), text, "quay");
            assert!(parse(&new).findings.is_empty(), "{new}");
            assert_eq!(parse(&new).mission.start.unwrap().node, "quay");
            new
        };
        assert_eq!(with(TEXT), TEXT.replace("start slipway", "start quay"));
        let step = "\nstep \"A\"\n  hold, brake\n  until 1 s pass  -> done\n";
        for head in [
            "",
            "mission \"M\"\n  limit 20 s\n",
            "# note\nmission \"M\"\n",
        ] {
            let text = format!("{head}{step}");
            let new = with(&text);
            assert_eq!(
                new.replacen("  start quay\n", "", 1)
                    .replacen("start quay\n", "", 1),
                text
            );
        }
    }

    #[test]
    fn what_cannot_be_swept_says_why() {
        let refused = |words: &str, from: &str, to: &str| {
            values(words, Some([quantity(from), quantity(to)]))
                .unwrap_err()
                .to_string()
        };
        assert!(refused("280 mm", "300 mm", "200 mm").contains("smaller amount first"));
        assert!(refused("280 mm", "1 s", "2 s").contains("1 s is no value of it"));
        assert!(refused("4 s", "4.0000001 s", "4.0000002 s").contains("empty"));
        assert_eq!(values("\"A\"", None), Err(Unswept::NoNumber));
    }

    #[test]
    fn what_was_found_is_written_beside_the_name_and_nothing_else_changes() {
        let parsed = parse(TEXT);
        let put = |words: &str, value: &str, held: Option<[&str; 2]>| {
            let held = held.map(|ends| ends.map(quantity));
            put_with_span(&parsed, TEXT, slot(&parsed, words), quantity(value), held)
        };
        let new = put("26 %", "32 %", Some(["22 %", "40 %"]));
        let line = "let pace = 32 %, safe from 22 % to 40 %, measured  # our usual";
        assert_eq!(new, TEXT.replace("let pace = 26 %  # our usual", line));
        let new = put("280 mm", "250 mm", Some(["220 mm", "280 mm"]));
        let line = "let near = 250 mm, safe from 220 mm to 280 mm, measured\n";
        assert!(new.contains(line), "{new}");
        assert!(parse(&new).findings.is_empty());
        // A number without a name keeps its sentence.
        let new = put("4 s", "5 s", Some(["3 s", "7 s"]));
        assert_eq!(new, TEXT.replace("4 s", "5 s"));
    }
}
