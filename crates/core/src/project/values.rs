//! The values of a settings file as slots, so that a robot or a field is changed the way a mission
//! is.
//!
//! Where each value stands is the TOML parser's word; what may stand there comes from the table
//! that loads the file.
//!
//! Long because every change of a value has one rule here, whatever file it stands in.

use std::ops::Range;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use crate::finding::Edit;
use crate::ids::SlotId;
use crate::keys::{Key, Section};
use crate::mission::amend;
use crate::mission::edit::{self, NotTaken, Stride};
use crate::mission::{Line, LineKind, Names, Parsed, Slot, SlotKind};
use crate::tables::LARGEST_FILE;
use crate::units::{Dimension, Quantity, Unit, parse_number};

/// A settings file with the places where its values stand.
#[derive(Clone, Debug, Default)]
pub struct Values {
    /// Lines and slots as a mission has them; no steps.
    pub parsed: Parsed,
    /// What each slot is the value of, slot by slot; none for what no table describes.
    keys: Vec<Option<&'static Key>>,
    /// The headers that the file has, each with its line and the section that it opens.
    headers: Vec<(usize, Option<&'static Section>)>,
    sections: &'static [Section],
}

/// Something that could be written into a settings file, as text to be put in.
#[derive(Clone, Debug, PartialEq)]
pub struct Addition {
    /// `gloss`, or `[[wall]]`.
    pub title: String,
    /// What it holds, with its range.
    pub holds: String,
    /// What it means.
    pub what: &'static str,
    /// The change of the text.
    pub edit: Edit,
}

impl Values {
    /// Finds the values of a text; of a broken one those that can still be read.
    pub fn of(text: &str, sections: &'static [Section]) -> Self {
        let lines: Vec<Line> = lines(text).map(|span| line(text, span)).collect();
        let mut values = Self {
            parsed: Parsed {
                lines,
                ..Parsed::default()
            },
            keys: Vec::new(),
            headers: Vec::new(),
            sections,
        };
        for (at, one) in values.parsed.lines.iter().enumerate() {
            if one.kind == LineKind::Header {
                values.headers.push((
                    at,
                    section(sections, name_in_header(&text[one.span.clone()])),
                ));
            }
        }
        if text.len() <= LARGEST_FILE {
            let (root, _) = DeTable::parse_recoverable(text);
            let top = sections.iter().find(|section| section.title.is_empty());
            values.table(text, root.get_ref(), top, 0);
        }
        let mut order: Vec<usize> = (0..values.keys.len()).collect();
        order.sort_by_key(|&slot| values.parsed.slots[slot].span.start);
        values.keys = order.iter().map(|&slot| values.keys[slot]).collect();
        values.parsed.slots = order
            .iter()
            .map(|&slot| values.parsed.slots[slot].clone())
            .collect();
        values
    }

    fn table(
        &mut self,
        text: &str,
        table: &DeTable<'_>,
        section_of: Option<&'static Section>,
        depth: usize,
    ) {
        for (name, value) in table {
            let key = section_of
                .and_then(|section| section.keys.iter().find(|key| key.name == name.get_ref()));
            // A table below the top is a section, or belongs to one: `[motor.left]` to `[motor]`.
            let within = if depth == 0 {
                section(self.sections, Some(name.get_ref()))
            } else {
                section_of
            };
            self.value(text, value, key, within, depth);
        }
    }

    fn value(
        &mut self,
        text: &str,
        value: &Spanned<DeValue<'_>>,
        key: Option<&'static Key>,
        within: Option<&'static Section>,
        depth: usize,
    ) {
        let span = value.span();
        match value.get_ref() {
            DeValue::Table(table) => self.table(text, table, within, depth + 1),
            DeValue::Array(array) => array
                .iter()
                .for_each(|value| self.value(text, value, key, within, depth)),
            DeValue::String(_) => {
                let Some(inner) = within_quotes(text, span) else {
                    return;
                };
                self.string(text, inner, key);
            }
            DeValue::Integer(_) | DeValue::Float(_) => {
                let whole = key.map_or(!text[span.clone()].contains('.'), |key| {
                    key.holds == "a whole number"
                });
                self.push(
                    span,
                    SlotKind::Amount {
                        dimension: Dimension::Number,
                        range: range(key),
                        whole,
                    },
                    key,
                );
            }
            DeValue::Boolean(_) => self.push(span, SlotKind::Choice(&["true", "false"]), key),
            DeValue::Datetime(_) => {}
        }
    }

    fn string(&mut self, text: &str, span: Range<usize>, key: Option<&'static Key>) {
        let dimension = |quantity: Quantity| quantity.unit.dimension();
        let amount = |dimension| SlotKind::Amount {
            dimension,
            range: range(key),
            whole: false,
        };
        let holds = key.map_or("", |key| key.holds);
        if key.is_some_and(|key| key.name == "legs") {
            // A leg is a sentence: its lengths and angles are values of their own.
            for span in quantities(text, span) {
                let of = Quantity::parse(&text[span.clone()]).map_or(Dimension::Number, dimension);
                self.push(span, amount(of), key);
            }
            return;
        }
        if let Some(of) = Unit::ALL
            .iter()
            .map(|unit| unit.dimension())
            .find(|of| of.name() == holds)
        {
            return self.push(span, amount(of), key);
        }
        let parts = parts(text, span.clone());
        let read = |part: &Range<usize>| Quantity::parse(&text[part.clone()]).ok();
        let is_number = |part: &Range<usize>| {
            parse_number(&text[part.clone()]).is_some() || read(part).is_some()
        };
        if (holds.is_empty() || key.is_some_and(is_group)) && parts.iter().all(is_number) {
            // A unit behind the last goes for all of them.
            let of = parts
                .last()
                .and_then(read)
                .map_or(Dimension::Number, dimension);
            for part in parts {
                self.push(part, amount(of), key);
            }
            return;
        }
        let words = !choices_of(key).is_empty() || self.names_surface(key);
        self.push(
            span,
            if words {
                SlotKind::Name
            } else {
                SlotKind::Text
            },
            key,
        );
    }

    fn push(&mut self, span: Range<usize>, kind: SlotKind, key: Option<&'static Key>) {
        let line = self
            .parsed
            .lines
            .partition_point(|line| line.span.start <= span.start)
            .saturating_sub(1);
        self.parsed.slots.push(Slot { span, kind, line });
        self.keys.push(key);
    }

    /// What a slot is the value of.
    pub fn key(&self, slot: SlotId) -> Option<&'static Key> {
        self.keys.get(slot.0).copied().flatten()
    }

    /// The section that a line stands in; the one of the file's top without a header above.
    pub fn section_at(&self, line: usize) -> Option<&'static Section> {
        match self.headers.iter().rfind(|(at, _)| *at <= line) {
            Some((_, section)) => *section,
            None => self
                .sections
                .iter()
                .find(|section| section.title.is_empty()),
        }
    }

    /// The line of the next header below, or above, a line.
    pub fn next_header(&self, line: usize, down: bool) -> Option<usize> {
        let mut lines = self.headers.iter().map(|(at, _)| *at);
        if down {
            lines.find(|at| *at > line)
        } else {
            lines.rfind(|at| *at < line)
        }
    }

    fn names_surface(&self, key: Option<&'static Key>) -> bool {
        let has_surfaces = section(self.sections, Some("surface")).is_some();
        has_surfaces && key.is_some_and(|key| matches!(key.name, "surface" | "ground" | "mat"))
    }

    /// The words that may stand in a slot; empty for amounts and free text.
    pub fn choices(&self, text: &str, slot: SlotId) -> Vec<String> {
        let key = self.key(slot);
        if let SlotKind::Choice(words) = self.parsed.slots[slot].kind {
            return words.iter().map(|&word| word.to_owned()).collect();
        }
        if self.names_surface(key) {
            let headers = self
                .headers
                .iter()
                .map(|(line, _)| &text[self.parsed.lines[*line].span.clone()]);
            let named = headers
                .filter_map(|header| header.trim().strip_prefix("[surface.")?.split(']').next());
            return named
                .map(|name| name.trim_matches('"').to_owned())
                .collect();
        }
        if matches!(self.parsed.slots[slot].kind, SlotKind::Name) {
            choices_of(key)
        } else {
            Vec::new()
        }
    }

    /// Moves a value one step up or down, as [`edit::nudge`] does; none when there is nowhere to
    /// go.
    pub fn nudge(&self, text: &str, slot: SlotId, up: bool, by: Stride) -> Option<Edit> {
        let at = self.parsed.slots.get(slot.0)?;
        let current = &text[at.span.clone()];
        match at.kind {
            SlotKind::Amount { .. } => {
                let unit = self.borrowed_unit(text, slot);
                let Some(unit) = unit else {
                    return edit::nudge(&self.parsed, text, &Names::default(), slot, up, by);
                };
                // A number whose unit stands behind another one is moved as if it had that unit,
                // and stays without.
                let whole = Quantity {
                    value: parse_number(current)?,
                    unit,
                };
                let moved = edit::moved(whole, &at.kind, up, by)?;
                Some(Edit {
                    span: at.span.clone(),
                    text: Quantity {
                        unit: Unit::None,
                        ..moved
                    }
                    .to_string(),
                })
            }
            SlotKind::Name | SlotKind::Choice(_) => {
                let choices = self.choices(text, slot);
                let index = choices.iter().position(|choice| choice == current);
                let count = choices.len();
                let next = match index {
                    Some(index) if up => (index + 1) % count,
                    Some(index) => (index + count - 1) % count,
                    None => 0,
                };
                let choice = choices.get(next).filter(|choice| *choice != current)?;
                Some(Edit {
                    span: at.span.clone(),
                    text: choice.clone(),
                })
            }
            SlotKind::Device(_)
            | SlotKind::Tone { .. }
            | SlotKind::Start
            | SlotKind::Zone
            | SlotKind::Routine
            | SlotKind::Target
            | SlotKind::Text => None,
        }
    }

    /// The unit of a number that is written without one because it stands behind the last of its
    /// group: `"300, 200 mm"`.
    fn borrowed_unit(&self, text: &str, slot: SlotId) -> Option<Unit> {
        let at = &self.parsed.slots[slot];
        let SlotKind::Amount { dimension, .. } = at.kind else {
            return None;
        };
        parse_number(&text[at.span.clone()]).filter(|_| dimension != Dimension::Number)?;
        let rest = text[at.span.end..].split(['"', '\'', '\n']).next()?;
        let last = parts(rest, 0..rest.len()).pop()?;
        Quantity::parse(&rest[last])
            .ok()
            .map(|quantity| quantity.unit)
    }

    /// Puts typed text into a slot, as [`edit::set`] does.
    ///
    /// # Errors
    /// Why it may not stand there.
    pub fn set(&self, text: &str, slot: SlotId, typed: &str) -> Result<Edit, NotTaken> {
        let at = &self.parsed.slots[slot];
        let typed = typed.trim();
        let as_it_is = || {
            Ok(Edit {
                span: at.span.clone(),
                text: typed.to_owned(),
            })
        };
        match &at.kind {
            SlotKind::Amount { dimension, .. } => {
                let unit = self.borrowed_unit(text, slot);
                let bare = unit.filter(|_| parse_number(typed).is_some());
                let current = match bare {
                    Some(unit) => Some(Quantity { value: 0.0, unit }),
                    None => Quantity::parse(&text[at.span.clone()]).ok(),
                };
                let quantity = edit::quantity_for(typed, current, *dimension, &at.kind)?;
                let kept = if bare.is_some() {
                    Quantity {
                        unit: Unit::None,
                        ..quantity
                    }
                } else {
                    quantity
                };
                Ok(Edit {
                    span: at.span.clone(),
                    text: kept.to_string(),
                })
            }
            SlotKind::Choice(_) | SlotKind::Name => {
                let choices = self.choices(text, slot);
                if choices.is_empty() || choices.iter().any(|choice| choice == typed) {
                    as_it_is()
                } else {
                    Err(NotTaken::NoChoice(choices))
                }
            }
            SlotKind::Device(_)
            | SlotKind::Tone { .. }
            | SlotKind::Start
            | SlotKind::Zone
            | SlotKind::Routine
            | SlotKind::Target
            | SlotKind::Text => {
                if typed.contains(['"', '\'', '\\', '\n']) {
                    Err(NotTaken::Quotes)
                } else {
                    as_it_is()
                }
            }
        }
    }

    /// The same amount in another unit.
    pub fn convert(&self, text: &str, slot: SlotId) -> Option<Edit> {
        let group = self.parsed.slots.get(slot.0)?;
        // Numbers of one group share their unit: none of them changes it alone.
        let shared =
            |other: &Slot| other.line == group.line && self.keys[slot.0].is_some_and(is_group);
        if self
            .parsed
            .slots
            .iter()
            .filter(|other| shared(other))
            .count()
            > 1
        {
            return None;
        }
        amend::convert(&self.parsed, text, slot)
    }

    /// What could be written at a line: the keys of its section that are not there yet, then whole
    /// sections.
    pub fn additions(&self, text: &str, line: usize) -> Vec<Addition> {
        let mut additions = Vec::new();
        if let Some(section) = self.section_at(line) {
            let from = self
                .headers
                .iter()
                .rfind(|(at, _)| *at <= line)
                .map_or(0, |(at, _)| at + 1);
            let to = self
                .next_header(line, true)
                .unwrap_or(self.parsed.lines.len());
            let rows = || (from..to).map(|line| text[self.parsed.lines[line].span.clone()].trim());
            let there = |key: &Key| {
                rows().any(|row| {
                    row.split('=')
                        .next()
                        .is_some_and(|name| name.trim() == key.name)
                })
            };
            let last = (from..to).rfind(|line| self.parsed.lines[*line].kind != LineKind::Blank);
            let last = last.or(from.checked_sub(1));
            let put = |new: String| match last {
                Some(last) => Edit::insert(self.parsed.lines[last].span.end, format!("\n{new}")),
                None => Edit::insert(0, format!("{new}\n")),
            };
            additions.extend(
                section
                    .keys
                    .iter()
                    .filter(|key| !there(key))
                    .map(|key| Addition {
                        title: key.name.to_owned(),
                        holds: held(key),
                        what: key.what,
                        edit: put(key.line()),
                    }),
            );
        }
        let gap = if text.is_empty() || text.ends_with("\n\n") {
            ""
        } else if text.ends_with('\n') {
            "\n"
        } else {
            "\n\n"
        };
        for section in self
            .sections
            .iter()
            .filter(|section| section.title.starts_with('['))
        {
            for title in section.title.split(" and ") {
                let once = !title.starts_with("[[") && !title.contains(char::is_uppercase);
                let there = |(line, _): &(usize, _)| {
                    let header = &text[self.parsed.lines[*line].span.clone()];
                    header
                        .split('#')
                        .next()
                        .is_some_and(|header| header.trim() == title)
                };
                if once && self.headers.iter().any(there) {
                    continue;
                }
                let header = title.replace("NAME", "new").replace("MISSION", "new");
                additions.push(Addition {
                    title: title.to_owned(),
                    holds: String::new(),
                    what: section.about,
                    edit: Edit::insert(text.len(), format!("{gap}{}\n", section.template(&header))),
                });
            }
        }
        additions
    }
}

/// What a key holds, and how much: `a length, 5 mm to 500 mm`.
pub fn held(key: &Key) -> String {
    let range = key
        .range_words()
        .map_or_else(String::new, |range| format!(", {range}"));
    format!("{}{range}", key.holds)
}

fn is_group(key: &Key) -> bool {
    key.holds == "two lengths" || key.holds.starts_with("a list of")
}

/// Least and greatest value in SI units.
fn range(key: Option<&'static Key>) -> (f64, f64) {
    let Some(key) = key else {
        return (f64::NEG_INFINITY, f64::INFINITY);
    };
    key.range.unwrap_or((key.least, f64::INFINITY))
}

/// The words between backticks of what a key holds.
fn choices_of(key: Option<&'static Key>) -> Vec<String> {
    key.map_or_else(Vec::new, |key| {
        key.holds
            .split('`')
            .skip(1)
            .step_by(2)
            .map(str::to_owned)
            .collect()
    })
}

/// The section that begins with a name: `sensor` is `[[sensor]]`, `motor` is `[motor.left] and
/// [motor.right]`.
fn section(sections: &'static [Section], name: Option<&str>) -> Option<&'static Section> {
    let name = name?;
    sections
        .iter()
        .find(|section| !section.title.is_empty() && section.top_names().any(|known| known == name))
}

/// `surface` of `[surface.dark]`.
fn name_in_header(header: &str) -> Option<&str> {
    let inside = header.trim().trim_start_matches('[');
    let name = inside.split(['.', ']']).next()?.trim();
    (!name.is_empty()).then_some(name)
}

/// The lines of a text, without their ends.
fn lines(text: &str) -> impl Iterator<Item = Range<usize>> {
    let mut at = 0;
    text.split('\n').map(move |line| {
        let from = at;
        at += line.len() + 1;
        from..from + line.trim_end_matches('\r').len()
    })
}

fn line(text: &str, span: Range<usize>) -> Line {
    let written = &text[span.clone()];
    let comment = comment(written).map(|at| span.start + at..span.end);
    let code = written[..comment
        .as_ref()
        .map_or(written.len(), |comment| comment.start - span.start)]
        .trim();
    let kind = if code.is_empty() {
        LineKind::Blank
    } else if code.starts_with('[') {
        LineKind::Header
    } else {
        LineKind::Behaviour
    };
    Line {
        span,
        kind,
        depth: 0,
        comment,
    }
}

/// Where the comment of a line begins: at a `#` outside of quotes.
fn comment(line: &str) -> Option<usize> {
    let (mut quote, mut escaped) = (None, false);
    for (at, letter) in line.char_indices() {
        match (quote, letter) {
            (None, '#') => return Some(at),
            (None, '"' | '\'') => quote = Some(letter),
            (Some('"'), '\\') if !escaped => {
                escaped = true;
                continue;
            }
            (Some(open), letter) if open == letter && !escaped => quote = None,
            _ => {}
        }
        escaped = false;
    }
    None
}

/// What stands between the quotes of a string on one line.
fn within_quotes(text: &str, span: Range<usize>) -> Option<Range<usize>> {
    let written = &text[span.clone()];
    let quote = written
        .chars()
        .next()
        .filter(|quote| matches!(quote, '"' | '\''))?;
    let long = written.starts_with("\"\"\"") || written.starts_with("'''");
    let inner =
        written.len() >= 2 && written.ends_with(quote) && !long && !written.contains(['\n', '\\']);
    inner.then_some(span.start + 1..span.end - 1)
}

/// The numbers of `300, 200 mm` or `2000 x 1500 mm`, without the space around them.
fn parts(text: &str, span: Range<usize>) -> Vec<Range<usize>> {
    let mut at = span.start;
    let written = text[span].split([',', 'x']);
    written
        .map(|part| {
            let from = at + part.len() - part.trim_start().len();
            at += part.len() + 1;
            from..from + part.trim().len()
        })
        .collect()
}

/// The amounts with a unit among the words of a sentence.
fn quantities(text: &str, span: Range<usize>) -> Vec<Range<usize>> {
    let sentence = &text[span.clone()];
    let words: Vec<Range<usize>> = sentence
        .split(' ')
        .scan(span.start, |at, word| {
            let from = *at;
            *at += word.len() + 1;
            Some(from..from + word.trim_end_matches(',').len())
        })
        .filter(|word| !word.is_empty())
        .collect();
    let amounts = words.windows(2).map(|pair| pair[0].start..pair[1].end);
    amounts
        .filter(|amount| Quantity::parse(&text[amount.clone()]).is_ok())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const ROBOT: &str = "# a robot\n[body]\nlength = \"196 mm\" # rear to front\ncentre_of_mass = \"26, 0 mm\"\n\n[[sensor]]\nname = \"port # 1\"\nkind = \"colour\"\n";

    fn robot(text: &str) -> Values {
        Values::of(text, crate::robot::FILE)
    }

    fn written<'a>(values: &Values, text: &'a str) -> Vec<&'a str> {
        values
            .parsed
            .slots
            .iter()
            .map(|slot| &text[slot.span.clone()])
            .collect()
    }

    fn slot(values: &Values, text: &str, written: &str) -> SlotId {
        values
            .parsed
            .slot_where(|slot| &text[slot.span.clone()] == written)
            .unwrap()
    }

    fn applied(text: &str, edit: Option<Edit>) -> Option<String> {
        Some(edit?.apply(text))
    }

    #[test]
    fn each_number_and_word_is_a_slot_and_comments_are_none() {
        let values = robot(ROBOT);
        assert_eq!(
            written(&values, ROBOT),
            ["196 mm", "26", "0 mm", "port # 1", "colour"]
        );
        assert_eq!(values.key(SlotId(0)).unwrap().name, "length");
        let comment = values.parsed.lines[2].comment.clone().unwrap();
        assert_eq!(&ROBOT[comment], "# rear to front");
        assert!(
            values.parsed.lines[6].comment.is_none(),
            "a # between quotes is no comment"
        );
        assert_eq!(values.section_at(2).unwrap().title, "[body]");
        assert_eq!(values.next_header(2, true), Some(5));
    }

    #[test]
    fn a_number_that_borrows_its_unit_moves_by_the_steps_of_that_unit() {
        let values = robot(ROBOT);
        let moved = |of: &str, up, by| {
            applied(ROBOT, values.nudge(ROBOT, slot(&values, ROBOT, of), up, by))
        };
        assert!(
            moved("26", true, Stride::Coarse)
                .unwrap()
                .contains("\"30, 0 mm\"")
        );
        assert!(
            moved("0 mm", false, Stride::Fine)
                .unwrap()
                .contains("\"26, -1 mm\"")
        );
        assert!(
            moved("196 mm", true, Stride::Coarse)
                .unwrap()
                .contains("\"200 mm\" # rear")
        );
        assert!(
            moved("colour", true, Stride::Coarse)
                .unwrap()
                .contains("kind = \"code\"")
        );
        assert_eq!(moved("port # 1", true, Stride::Coarse), None);
    }

    #[test]
    fn what_a_key_cannot_hold_is_refused_with_what_it_can() {
        let values = robot(ROBOT);
        let set = |of: &str, typed: &str| {
            let edit = values.set(ROBOT, slot(&values, ROBOT, of), typed);
            edit.map(|edit| edit.apply(ROBOT))
                .map_err(|why| why.to_string())
        };
        assert!(
            set("196 mm", "210")
                .unwrap()
                .contains("length = \"210 mm\"")
        );
        assert!(set("26", "-12").unwrap().contains("\"-12, 0 mm\""));
        assert!(set("26", "3 cm").unwrap().contains("\"3 cm, 0 mm\""));
        assert!(
            set("196 mm", "9 m")
                .unwrap_err()
                .contains("it may be 0.02 m to 2 m")
        );
        assert!(
            set("196 mm", "9 g")
                .unwrap_err()
                .contains("expected a length")
        );
        assert!(
            set("colour", "blue")
                .unwrap_err()
                .contains("reflectance, colour, code")
        );
        assert!(set("port # 1", "a \"b\"").is_err());
        assert!(
            set("port # 1", "left eye")
                .unwrap()
                .contains("name = \"left eye\"")
        );
    }

    #[test]
    fn what_must_be_more_than_nothing_never_gets_there() {
        let text = "[motor.left]\nstall_torque = \"1 N mm\"\n[drive]\ntrack_width = \"1 mm\"\n";
        let values = robot(text);
        let at = slot(&values, text, "1 mm");
        assert_eq!(values.nudge(text, at, false, Stride::Fine), None);
        assert!(
            values
                .set(text, at, "0 mm")
                .unwrap_err()
                .to_string()
                .contains("more than 0")
        );
    }

    #[test]
    fn lists_places_and_surfaces_are_slots_too() {
        let text = "[mat]\nsize = \"2000 x 1500 mm\"\n[surface.dark]\ncolour = \"#223\"\n[[line]]\nsurface = \"dark\"\n\
                    legs = [\"ahead 600 mm\", \"bend left 90 deg radius 200 mm\"]\n[[wall]]\npoints = [\"0, 0 mm\", \"10, 20 mm\"]\n";
        let values = Values::of(text, crate::field::FILE);
        for one in [
            "2000", "1500 mm", "600 mm", "90 deg", "200 mm", "10", "20 mm",
        ] {
            assert!(
                written(&values, text).contains(&one),
                "{one}: {:?}",
                written(&values, text)
            );
        }
        let surface = values
            .parsed
            .slots
            .iter()
            .rposition(|slot| &text[slot.span.clone()] == "dark")
            .unwrap();
        assert_eq!(values.choices(text, SlotId(surface)), ["dark"]);
        let wider = values
            .nudge(text, slot(&values, text, "2000"), true, Stride::Coarse)
            .unwrap()
            .apply(text);
        assert!(wider.contains("\"2010 x 1500 mm\""), "{wider}");
    }

    #[test]
    fn what_is_added_is_understood() {
        let values = robot(ROBOT);
        let additions = values.additions(ROBOT, 2);
        let of = |title: &str| additions.iter().find(|one| one.title == title).unwrap();
        let with = of("mass").edit.apply(ROBOT);
        assert!(
            with.contains("centre_of_mass = \"26, 0 mm\"\nmass = \"860 g\"\n\n[[sensor]]"),
            "{with}"
        );
        assert!(
            additions
                .iter()
                .all(|one| one.title != "length" && one.title != "[body]"),
            "it is there"
        );
        let second = of("[[sensor]]").edit.apply(ROBOT);
        assert_eq!(second.matches("\n\n[[sensor]]\n").count(), 2, "{second}");
        for addition in &additions {
            let text = addition.edit.apply(ROBOT);
            let more = robot(&text);
            let grown = more.parsed.slots.len() > values.parsed.slots.len();
            assert!(grown || more.headers.len() > values.headers.len(), "{text}");
        }
    }

    proptest::proptest! {
        #[test]
        fn no_text_breaks_it_and_a_change_touches_one_value_only(text in "([a-z\\[\\]\\.=\"#, 0-9x\\n-]|mm|size|at|\\[body\\]\n|mass = ){0,60}", up: bool) {
            let values = Values::of(&text, crate::field::FILE);
            for (index, slot) in values.parsed.slots.iter().enumerate() {
                proptest::prop_assert!(values.parsed.lines[slot.line].span.start <= slot.span.start);
                if let Some(edit) = values.nudge(&text, SlotId(index), up, Stride::Fine) {
                    proptest::prop_assert_eq!(&edit.span, &slot.span);
                    let _ = Values::of(&edit.apply(&text), crate::field::FILE);
                }
                let _ = values.convert(&text, SlotId(index));
            }
            for line in 0..values.parsed.lines.len() {
                for one in values.additions(&text, line) {
                    let _ = one.edit.apply(&text);
                }
            }
        }
    }
}
