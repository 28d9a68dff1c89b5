//! The logbook screen: the entries on the left, how often the mission held over the days and what
//! changed on the right.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use wayodos_core::lab::sweep::HOLDS;

use super::pen::{more_mark, put, put_right, rule};
use crate::logbook::Entry;
use crate::tui::layout::Areas;
use crate::tui::measure::wrapped;
use crate::tui::model::Model;
use crate::tui::sight::logbook::{HEAD, changed, curve, effect, parts};
use crate::tui::sight::spread::share_role;
use crate::tui::theme::{Role, Theme};

/// Rows of the curve, its labels among them.
const CURVE: u16 = 13;
/// Columns of its scale.
const SCALE: u16 = 7;

/// Draws the screen between its bars.
pub fn draw(model: &Model, theme: Theme, areas: &Areas, buffer: &mut Buffer) {
    let (list, beside) = parts(areas);
    let book = &model.logbook;
    let shown = book.shown();
    let quiet = theme.role(Role::Quiet);
    let title = match (book.search(), shown.len()) {
        ("", 1) => "Logbook: 1 entry".to_owned(),
        ("", count) => format!("Logbook: {count} entries"),
        (search, count) => format!(
            "Logbook: {count} of {} entries with \"{search}\"",
            book.entries.len()
        ),
    };
    let strong = theme.role(Role::Accent).add_modifier(Modifier::BOLD);
    put(buffer, list.x + 1, list.y, list.width - 2, &title, strong);
    if shown.is_empty() {
        let words = match () {
            () if !book.read => "the logbook is being read",
            () if !book.search().is_empty() => {
                "no entry has all these words: S searches for others"
            }
            () => {
                "Every run that is saved, exported or spread to the end stands here, with the texts that it was made of. Q in the mission writes one down with a note."
            }
        };
        for (row, line) in wrapped(words, list.width - 4).enumerate() {
            put(
                buffer,
                list.x + 2,
                list.y + 2 + row as u16,
                list.width - 3,
                line,
                quiet,
            );
        }
        return;
    }
    let columns = Columns::of(list);
    for (x, words) in [
        (columns.when, "when"),
        (columns.mission, "mission"),
        (columns.held, "held"),
        (columns.outcome, "nominal run"),
        (columns.why, "why it is here"),
    ] {
        put(
            buffer,
            x,
            list.y + 1,
            list.right().saturating_sub(x),
            words,
            quiet,
        );
    }
    let rows = Rect {
        y: list.y + HEAD,
        height: list.height.saturating_sub(HEAD),
        ..list
    };
    for (index, y) in (book.scroll..shown.len()).zip(rows.y..rows.bottom()) {
        let here = index == book.at;
        let line = Rect {
            y,
            height: 1,
            ..rows
        };
        row(model, shown[index], here, &columns, theme, line, buffer);
    }
    more_mark(book.scroll, shown.len(), rows, theme, buffer);
    let Some(marked) = book.marked().filter(|_| beside.width > 0) else {
        return;
    };
    if beside.y > list.y {
        rule(buffer, beside, theme.role(Role::Hair));
        let below = Rect {
            x: beside.x + 1,
            y: beside.y + 1,
            width: beside.width - 2,
            height: beside.height - 1,
        };
        return about(model, marked, theme, below, buffer);
    }
    for y in beside.y..beside.bottom() {
        put(buffer, beside.x, y, 1, "│", theme.role(Role::Hair));
    }
    let beside = Rect {
        x: beside.x + 2,
        width: beside.width - 3,
        ..beside
    };
    let high = CURVE.min(beside.height / 2);
    drawn(
        model,
        marked,
        theme,
        Rect {
            height: high,
            ..beside
        },
        buffer,
    );
    let below = Rect {
        y: beside.y + high + 1,
        height: beside.height.saturating_sub(high + 1),
        ..beside
    };
    about(model, marked, theme, below, buffer);
}

/// Where the columns of the list stand.
struct Columns {
    when: u16,
    mission: u16,
    held: u16,
    outcome: u16,
    why: u16,
}

impl Columns {
    const fn of(list: Rect) -> Self {
        let x = list.x;
        if list.width >= 96 {
            Self {
                when: x + 4,
                mission: x + 17,
                held: x + 37,
                outcome: x + 49,
                why: x + 78,
            }
        } else {
            Self {
                when: x + 4,
                mission: x + 17,
                held: x + 33,
                outcome: x + 45,
                why: x + 66,
            }
        }
    }
}

fn row(
    model: &Model,
    entry: &Entry,
    here: bool,
    columns: &Columns,
    theme: Theme,
    line: Rect,
    buffer: &mut Buffer,
) {
    let y = line.y;
    if here {
        buffer.set_style(line, theme.patch(Role::Accent));
    }
    let style = |role: Role| {
        if here {
            theme.patch(Role::Accent)
        } else {
            theme.role(role)
        }
    };
    if model.logbook.pinned == Some(entry.id) {
        put(buffer, line.x + 1, y, 1, "│", style(Role::Accent));
    }
    if entry.star {
        put(buffer, line.x + 2, y, 1, "★", style(Role::Accent));
    }
    let mut cell = |x: u16, end: u16, words: &str, role: Role| {
        put(buffer, x, y, end.saturating_sub(x + 1), words, style(role));
    };
    // The year stands beside the list.
    let when = entry.when.get(5..).unwrap_or(&entry.when);
    cell(columns.when, columns.mission, when, Role::Quiet);
    cell(columns.mission, columns.held, entry.name(), Role::Text);
    if let Some(held) = entry.held {
        let words = format!("{} of {}", held.times, held.of);
        cell(columns.held, columns.outcome, &words, share_role(held));
    }
    let role = if entry.planned {
        Role::Good
    } else {
        Role::Wrong
    };
    cell(columns.outcome, columns.why, &entry.outcome, role);
    // What somebody wrote says more than why it is there.
    let words = if entry.note.is_empty() {
        entry.why()
    } else {
        format!("\"{}\"", entry.note)
    };
    let role = if entry.note.is_empty() {
        Role::Quiet
    } else {
        Role::Word
    };
    cell(columns.why, line.right(), &words, role);
}

/// How often the mission held, entry by entry, with how sure that is; the days below.
fn drawn(model: &Model, marked: &Entry, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let quiet = theme.role(Role::Quiet);
    let title = format!("how often {} held", marked.name());
    put(
        buffer,
        area.x,
        area.y,
        area.width,
        &title,
        theme.role(Role::Word),
    );
    let all = curve(model, &marked.mission);
    if all.is_empty() {
        let words = "none of its entries was spread to the end yet";
        put(buffer, area.x, area.y + 2, area.width, words, quiet);
        return;
    }
    let plot = Rect {
        x: area.x + SCALE,
        y: area.y + 1,
        width: area.width.saturating_sub(SCALE),
        height: area.height.saturating_sub(3),
    };
    let rows = f64::from(plot.height.max(2) - 1);
    let at = |share: f64| plot.y + ((1.0 - share) * rows).round() as u16;
    for (share, words) in [(1.0, "100 %"), (0.5, "50 %"), (0.0, "0 %")] {
        put_right(buffer, area.x + SCALE - 1, at(share), SCALE, words, quiet);
    }
    for x in plot.x..plot.right() {
        put(buffer, x, at(HOLDS), 1, "┈", theme.role(Role::Hair));
    }
    // As many as there is room for, the newest at the right; far apart when they are few.
    let step = (plot.width / (all.len() as u16).max(1)).clamp(1, 4);
    let most = usize::from(plot.width / step).max(1);
    let all = &all[all.len().saturating_sub(most)..];
    let mut day = "";
    let mut free = plot.x;
    for (nth, entry) in all.iter().enumerate() {
        let Some(held) = entry.held else { continue };
        let x = plot.x + nth as u16 * step;
        let (low, high) = held.interval();
        let here = entry.id == marked.id;
        let role = if here { Role::Accent } else { share_role(held) };
        for y in at(high)..=at(low) {
            put(buffer, x, y, 1, "│", theme.role(Role::Hair));
        }
        let sign = if here { "◆" } else { "●" };
        let share = held.value().unwrap_or(0.0);
        put(buffer, x, at(share), 1, sign, theme.role(role));
        // Month and day, where one begins and there is room.
        let new = entry.when.get(5..10).unwrap_or_default();
        if new != day && x >= free && x + 5 <= plot.right() {
            put(buffer, x, plot.bottom(), 5, new, quiet);
            (day, free) = (new, x + 6);
        }
    }
}

/// The marked entry, and what changed since the one that it is compared with.
fn about(model: &Model, marked: &Entry, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let mut lines: Vec<(String, Role)> = Vec::new();
    let mut say = |words: String, role: Role| {
        lines.extend(wrapped(&words, area.width).map(|line| (line.to_owned(), role)));
    };
    say(format!("{} at {}", marked.name(), marked.when), Role::Word);
    let how = format!(
        "{}, {} scatter, seed {}",
        marked.why(),
        marked.scatter,
        marked.seed
    );
    say(how, Role::Quiet);
    if !marked.note.is_empty() {
        say(format!("\"{}\"", marked.note), Role::Text);
    }
    if let Some(other) = model.logbook.other() {
        let older = (other.at, other.id) < (marked.at, marked.id);
        let (old, new) = if older {
            (other, marked)
        } else {
            (marked, other)
        };
        let pinned = model.logbook.pinned == Some(other.id);
        let which = if pinned {
            "the pinned one"
        } else {
            "the one before"
        };
        say(" ".to_owned(), Role::Quiet);
        say(format!("against {which}, of {}", other.when), Role::Word);
        say(effect(old, new), Role::Text);
        match changed(model, old, new) {
            None => say("the texts are being read".to_owned(), Role::Quiet),
            Some(all) if all.is_empty() => say("the texts are the same".to_owned(), Role::Quiet),
            // Lines of a text are cut off rather than folded.
            Some(all) => lines.extend(all.into_iter().map(|line| {
                let role = match line.get(..2) {
                    Some("- ") => Role::Wrong,
                    Some("+ ") => Role::Good,
                    _ => Role::Quiet,
                };
                (line, role)
            })),
        }
    } else {
        say("the first entry of this mission".to_owned(), Role::Quiet);
    }
    let room = usize::from(area.height);
    let shown = if lines.len() > room {
        room.saturating_sub(1)
    } else {
        lines.len()
    };
    for ((line, role), y) in lines.iter().take(shown).zip(area.y..) {
        put(buffer, area.x, y, area.width, line, theme.role(*role));
    }
    if lines.len() > shown && room > 0 {
        let words = format!("{} more lines", lines.len() - shown);
        let y = area.bottom() - 1;
        put(
            buffer,
            area.x,
            y,
            area.width,
            &words,
            theme.role(Role::Quiet),
        );
    }
}
