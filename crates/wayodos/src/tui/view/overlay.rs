//! What lies over the panes for a moment: the keys, lists to choose from, questions.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::widgets::{Block, BorderType, Clear, Widget as _};

use super::pen::{paint_row, put, put_right};
use crate::tui::finder::{Finder, Item};
use crate::tui::free::Free;
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::{DiffLine, Entry, Model, Outside, Question, ScreenName};
use crate::tui::sight::overlay::{NOTES_BESIDE, WIDE, help_columns, list_rows, tall};
use crate::tui::theme::{Role, Theme};

/// An empty box in the middle of an area; its inside.
fn boxed(theme: Theme, area: Rect, size: (u16, u16), title: &str, buffer: &mut Buffer) -> Rect {
    let (width, height) = (size.0.min(area.width), size.1.min(area.height));
    let place = Rect::new(
        area.x + (area.width - width) / 2,
        area.y + (area.height - height) / 2,
        width,
        height,
    );
    boxed_at(theme, place, title, buffer)
}

fn boxed_at(theme: Theme, place: Rect, title: &str, buffer: &mut Buffer) -> Rect {
    Clear.render(place, buffer);
    let block = Block::bordered()
        .border_type(BorderType::Rounded)
        .border_style(theme.role(Role::Accent))
        .title_style(theme.role(Role::Word))
        .style(theme.on(theme.role(Role::Text), theme.raised()));
    let block = if title.is_empty() {
        block
    } else {
        block.title(format!(" {title} "))
    };
    let inside = block.inner(place);
    block.render(place, buffer);
    inside
}

/// All keys, in as many columns as there is room for.
pub fn help(screen: ScreenName, theme: Theme, whole: Rect, scroll: usize, buffer: &mut Buffer) {
    // The hint line stays free.
    let area = Rect {
        height: whole.height.saturating_sub(1),
        ..whole
    };
    let (columns, wide) = help_columns(screen, (area.width, area.height));
    let tallest = columns.iter().map(|groups| tall(groups)).max().unwrap_or(0);
    let size = (
        wide * columns.len() as u16 + 2,
        (tallest + 1).min(area.height),
    );
    let inside = boxed(
        theme,
        area,
        size,
        "Keys   (/ finds any of them by name)",
        buffer,
    );
    let shown = usize::from(inside.height);
    let scroll = scroll.min(usize::from(tallest.saturating_sub(1)).saturating_sub(shown));
    for (column, groups) in columns.into_iter().enumerate() {
        let x = inside.x + 1 + column as u16 * wide;
        let mut nth = 0usize;
        let mut line = |parts: [(&str, u16, Role); 2]| {
            if let Some(y) = nth.checked_sub(scroll).filter(|y| *y < shown) {
                for (text, at, role) in parts {
                    put(
                        buffer,
                        x + at,
                        inside.y + y as u16,
                        wide.saturating_sub(at + 1),
                        text,
                        theme.role(role),
                    );
                }
            }
            nth += 1;
        };
        for group in groups {
            line([(group.title, 0, Role::Accent), ("", 0, Role::Text)]);
            for row in group.rows {
                line([(row.label, 1, Role::Word), (row.what, 11, Role::Text)]);
            }
            line([("", 0, Role::Text), ("", 0, Role::Text)]);
        }
    }
    let more = usize::from(tallest.saturating_sub(1)).saturating_sub(scroll + shown);
    if more > 0 {
        let words = format!(" {more} more ");
        let x = inside.right().saturating_sub(words.len() as u16 + 1);
        put(
            buffer,
            x,
            inside.bottom(),
            inside.width,
            &words,
            theme.role(Role::Quiet),
        );
    }
}

/// The mission in words, with its author's notes beside it where there is room: names of steps
/// bright, failures red.
pub fn reading(
    theme: Theme,
    whole: Rect,
    lines: &[(String, bool)],
    notes: &[String],
    scroll: usize,
    buffer: &mut Buffer,
) {
    /// Columns of the notes.
    const NOTES: u16 = 40;
    let widest = lines
        .iter()
        .map(|(line, _)| columns(line))
        .max()
        .unwrap_or(0)
        .max(60);
    let own = notes.iter().any(|note| !note.is_empty());
    let beside = own && whole.width >= NOTES_BESIDE.max(widest + NOTES + 8);
    // The hint line stays free.
    let area = Rect {
        height: whole.height.saturating_sub(1),
        ..whole
    };
    let wide = if beside {
        widest + NOTES + 6
    } else {
        widest + 4
    };
    let inside = boxed(
        theme,
        area,
        (wide, area.height.saturating_sub(2)),
        "In words",
        buffer,
    );
    let shown = usize::from(inside.height);
    let first = scroll.min(lines.len().saturating_sub(shown.min(lines.len())));
    let room = if beside {
        widest + 2
    } else {
        inside.width.saturating_sub(2)
    };
    for (row, (line, opens)) in (inside.y..inside.bottom()).zip(lines.iter().skip(first)) {
        let role = match line {
            _ if *opens => Role::Accent,
            line if line.contains("─> fail") => Role::Wrong,
            line if line.contains("─> ") => Role::Word,
            _ => Role::Text,
        };
        put(buffer, inside.x + 1, row, room, line, theme.role(role));
    }
    if beside {
        let x = inside.x + widest + 4;
        put(
            buffer,
            x,
            inside.y.saturating_sub(1),
            NOTES,
            " Your notes ",
            theme.role(Role::Word),
        );
        let mut free = inside.y;
        for (at, note) in notes
            .iter()
            .enumerate()
            .skip(first)
            .filter(|(_, note)| !note.is_empty())
        {
            let wanted = inside.y + (at - first) as u16;
            let mut y = wanted.max(free);
            for line in wrapped(note, NOTES - 2) {
                if y < inside.bottom() {
                    let style = theme
                        .role(Role::Quiet)
                        .add_modifier(ratatui::style::Modifier::ITALIC);
                    put(buffer, x, y, NOTES - 1, line, style);
                }
                y += 1;
            }
            free = y;
        }
    }
    let more = lines.len().saturating_sub(first + shown);
    if more > 0 {
        let words = format!(" {more} more ");
        let x = inside.right().saturating_sub(columns(&words) + 1);
        put(
            buffer,
            x,
            inside.bottom(),
            inside.width,
            &words,
            theme.role(Role::Quiet),
        );
    }
}

// ---- lists

/// A list to choose from; where the terminal's cursor belongs.
pub fn list(finder: &Finder, theme: Theme, area: Rect, buffer: &mut Buffer) -> (u16, u16) {
    let inside = boxed_at(theme, area, &finder.title, buffer);
    let typed = finder.input.value();
    let x = put(
        buffer,
        inside.x + 1,
        inside.y,
        2,
        "› ",
        theme.role(Role::Accent),
    );
    let room = inside.width.saturating_sub(18);
    let scroll = finder.input.visual_scroll(usize::from(room.max(2) - 1));
    let shown: String = typed.chars().skip(scroll).collect();
    put(buffer, x, inside.y, room, &shown, theme.role(Role::Word));
    let counted = match finder.shown.len() {
        0 => "no match ".to_owned(),
        _ if finder.only_near => "no match; near: ".to_owned(),
        count => format!("{count} of {} ", finder.items.len()),
    };
    put_right(
        buffer,
        inside.right(),
        inside.y,
        16,
        &counted,
        theme.role(Role::Quiet),
    );
    let cursor = (
        x + finder.input.visual_cursor().saturating_sub(scroll) as u16,
        inside.y,
    );
    let (rows, first) = list_rows(finder, area);
    if finder.shown.is_empty() {
        put(
            buffer,
            rows.x + 1,
            rows.y,
            rows.width - 1,
            "no match: try another word",
            theme.role(Role::Quiet),
        );
    }
    let items = || finder.shown.iter().map(|index| &finder.items[*index]);
    let text = items().map(|item| columns(&item.text)).max().unwrap_or(0);
    // Titles have what the sentences beside them leave, but a third at least.
    let beside = if rows.width >= WIDE - 2 {
        (text + 2).max(rows.width / 2)
    } else {
        text + 4
    };
    let most = (rows.width / 3).max(rows.width.saturating_sub(beside));
    let title = items()
        .map(|item| columns(&item.title))
        .max()
        .unwrap_or(0)
        .clamp(8, most)
        + 2;
    for ((index, item), y) in items().enumerate().skip(first).zip(rows.y..rows.bottom()) {
        let here = index == finder.at;
        let row = Rect {
            y,
            height: 1,
            ..rows
        };
        if here {
            buffer.set_style(row, theme.patch(Role::Accent));
        }
        let style = |role: Role| {
            if here {
                theme.patch(Role::Accent)
            } else {
                theme.role(role)
            }
        };
        put(
            buffer,
            row.x + 1,
            y,
            title - 1,
            &item.title,
            style(Role::Word),
        );
        let mut x = row.x + title + 1;
        let wide = row.width >= WIDE - 2;
        let room = if wide {
            text.min(row.width * 3 / 5)
        } else {
            row.right().saturating_sub(x)
        };
        sentence(
            item,
            here,
            theme,
            Rect {
                x,
                y,
                width: room,
                height: 1,
            },
            buffer,
        );
        x += room + if room > 0 { 2 } else { 0 };
        if wide {
            put(
                buffer,
                x,
                y,
                row.right().saturating_sub(x),
                &item.what,
                style(Role::Quiet),
            );
        }
    }
    if area.width < WIDE
        && let Some(item) = finder.item()
    {
        put(
            buffer,
            rows.x + 1,
            rows.bottom(),
            rows.width - 1,
            &item.what,
            theme.role(Role::Quiet),
        );
    }
    cursor
}

/// The sentence of a row, its slots as they are in the text.
fn sentence(item: &Item, here: bool, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let plain = if here {
        theme.patch(Role::Accent)
    } else {
        theme.role(Role::Text)
    };
    let end = put(buffer, area.x, area.y, area.width, &item.text, plain);
    if here {
        return;
    }
    for slot in &item.slots {
        let before = columns(&item.text[..slot.start]);
        let wide = columns(&item.text[slot.clone()]);
        let x = area.x + before;
        if x < end {
            buffer.set_style(
                Rect {
                    x,
                    y: area.y,
                    width: wide.min(end - x),
                    height: 1,
                },
                theme.role(Role::Slot),
            );
        }
    }
}

/// At most this many ways to go on are shown.
const OFFERS: usize = 6;

/// Several lines one after the other, without the `or` that only goes on with the exit below.
fn in_one_line(text: &str) -> String {
    let lines = text.lines().map(str::trim);
    let lines: Vec<&str> = lines.filter(|line| *line != "or").collect();
    lines.join(", ")
}

/// Where the ways to go on stand; nowhere when there are none.
pub fn offers_area(free: &Free, cursor: (u16, u16), area: Rect) -> Rect {
    if free.offers.is_empty() {
        return Rect::default();
    }
    let shown = free.offers.iter().take(OFFERS);
    let widest = shown
        .clone()
        .map(|offer| columns(&in_one_line(&offer.text)))
        .max()
        .unwrap_or(0)
        .min(area.width * 2 / 3);
    let what = shown
        .clone()
        .map(|offer| columns(&offer.what))
        .max()
        .unwrap_or(0);
    let width = (widest + what + 6).min(area.width);
    let height = shown.count() as u16 + 2;
    let below = area.bottom().saturating_sub(cursor.1 + 1);
    let y = if below >= height {
        cursor.1 + 1
    } else {
        cursor.1.saturating_sub(height).max(area.y)
    };
    let x = cursor
        .0
        .saturating_sub(1)
        .min(area.right().saturating_sub(width));
    Rect {
        x,
        y,
        width,
        height: height.min(area.bottom().saturating_sub(y)),
    }
}

/// How the line that is typed may go on, below it where there is room.
pub fn offers(free: &Free, theme: Theme, cursor: (u16, u16), area: Rect, buffer: &mut Buffer) {
    let place = offers_area(free, cursor, area);
    if place.is_empty() {
        return;
    }
    let Rect { x, y, width, .. } = place;
    let shown: Vec<_> = free.offers.iter().take(OFFERS).collect();
    let widest = shown
        .iter()
        .map(|offer| columns(&in_one_line(&offer.text)))
        .max()
        .unwrap_or(0)
        .min(area.width * 2 / 3);
    let inside = boxed_at(theme, place, "", buffer);
    put(
        buffer,
        x + 2,
        y,
        width.saturating_sub(4),
        " Tab takes it ",
        theme.role(Role::Quiet),
    );
    for ((index, offer), row) in shown.iter().enumerate().zip(inside.y..inside.bottom()) {
        let here = index == free.marked;
        if here {
            buffer.set_style(
                Rect {
                    y: row,
                    height: 1,
                    ..inside
                },
                theme.patch(Role::Accent),
            );
        }
        let style = |role: Role| {
            if here {
                theme.patch(Role::Accent)
            } else {
                theme.role(role)
            }
        };
        put(
            buffer,
            inside.x + 1,
            row,
            widest,
            &in_one_line(&offer.text),
            style(Role::Text),
        );
        let at = inside.x + widest + 3;
        put(
            buffer,
            at,
            row,
            inside.right().saturating_sub(at),
            &offer.what,
            style(Role::Quiet),
        );
    }
}

/// A question that is answered in one line; where the terminal's cursor belongs.
pub fn asking(
    question: Question,
    entry: &Entry,
    theme: Theme,
    whole: Rect,
    buffer: &mut Buffer,
) -> (u16, u16) {
    let (title, about) = match question {
        Question::Amount => (
            "What is this amount called?",
            "letters, digits, hyphens: cruise, bar-gap",
        ),
        Question::Routine => (
            "What is the routine called?",
            "letters, digits, hyphens: back-away",
        ),
        Question::Pose => (
            "Begin the step at which pose?",
            "x, y and heading: 320, 178 mm, 90 deg",
        ),
        Question::Box => (
            "Put the box down how far ahead?",
            "300 mm; or ahead and to the left: 300, 50 mm",
        ),
        Question::Run => ("Which run?", "17; 17 rough; 0 is the nominal one"),
        Question::Mission => (
            "What is the new mission called?",
            "as people say it: Evening round",
        ),
        Question::CopyName => (
            "What is the copy called?",
            "letters, digits, spaces: Evening round",
        ),
        Question::NewName => (
            "What is it called from now on?",
            "whatever names it goes along",
        ),
        Question::Search => (
            "Search the logbook",
            "words, such as: ring star 2026-11; empty shows all",
        ),
        Question::Note => (
            "A note beside it",
            "what was different, who drove; empty for none",
        ),
        Question::Mark => (
            "Into the logbook",
            "a note for it, if you like; Enter writes it down",
        ),
        Question::Begin(_) => (
            "What is the new file called?",
            "letters, digits, spaces: Our table",
        ),
    };
    let inside = boxed(theme, whole, (64, 6), title, buffer);
    let room = inside.width.saturating_sub(2);
    let (y, x) = (inside.y + 1, inside.x + 1);
    paint_row(
        buffer,
        Rect {
            x,
            y,
            width: room,
            height: 1,
        },
        y,
        theme.patch(Role::Accent),
    );
    let scroll = entry.input.visual_scroll(usize::from(room.max(2) - 1));
    let shown: String = entry.input.value().chars().skip(scroll).collect();
    put(buffer, x, y, room, &shown, theme.patch(Role::Accent));
    let (words, role) = match &entry.error {
        Some(error) => (error.as_str(), Role::Wrong),
        None => (about, Role::Quiet),
    };
    for (row, line) in wrapped(words, room).take(2).enumerate() {
        put(buffer, x, y + 1 + row as u16, room, line, theme.role(role));
    }
    (
        x + (entry.input.visual_cursor().saturating_sub(scroll) as u16).min(room),
        y,
    )
}

/// A file that was changed outside: how ours differs from it.
pub fn outside(outside: &Outside, file: &str, theme: Theme, whole: Rect, buffer: &mut Buffer) {
    let area = Rect {
        height: whole.height.saturating_sub(1),
        ..whole
    };
    let widest = outside
        .rows
        .iter()
        .map(|(_, row)| columns(row))
        .max()
        .unwrap_or(0)
        .max(66);
    let height = outside.rows.len() as u16 + 8;
    let inside = boxed(
        theme,
        area,
        (widest + 16, height),
        "Changed by another program",
        buffer,
    );
    let room = inside.width.saturating_sub(3);
    let x = inside.x + 2;
    put(
        buffer,
        x,
        inside.y,
        room,
        &format!("{file} was changed while you have unsaved edits here."),
        theme.role(Role::Word),
    );
    let mut keys = vec![
        ("o", "keep ours: saving puts theirs beside it as *.before"),
        ("t", "take theirs: u brings ours back"),
    ];
    match outside.both {
        Some(_) => keys.push(("b", "take both: the changes do not touch each other")),
        None => keys.push((" ", "both cannot be had: the changes touch the same lines")),
    }
    for ((key, what), y) in keys.into_iter().zip(inside.y + 1..) {
        put(buffer, x, y, 3, key, theme.role(Role::Accent));
        put(
            buffer,
            x + 3,
            y,
            room.saturating_sub(3),
            what,
            theme.role(Role::Text),
        );
    }
    let rows = Rect {
        y: inside.y + 5,
        height: inside.height.saturating_sub(5),
        ..inside
    };
    for ((kind, row), y) in outside
        .rows
        .iter()
        .skip(outside.scroll)
        .zip(rows.y..rows.bottom())
    {
        let (sign, who, role) = match kind {
            DiffLine::Same => (" ", "", Role::Quiet),
            DiffLine::Ours => ("+", "ours", Role::Good),
            DiffLine::Theirs => ("-", "theirs", Role::Thin),
        };
        put(buffer, rows.x + 1, y, 1, sign, theme.role(role));
        let end = put_right(
            buffer,
            rows.right().saturating_sub(1),
            y,
            6,
            who,
            theme.role(role),
        );
        put(
            buffer,
            rows.x + 3,
            y,
            end.saturating_sub(rows.x + 4),
            row,
            theme.role(role),
        );
    }
}

/// What to do with unsaved edits.
pub fn leaving(model: &Model, theme: Theme, whole: Rect, buffer: &mut Buffer) {
    let name = model
        .mission()
        .prepared
        .parsed
        .mission
        .name
        .as_ref()
        .map_or("The mission", |name| name.node.as_str());
    let question = format!("\"{name}\" is not saved.");
    let keys = [
        ("s", "save and leave"),
        ("k", "leave, and keep the edits for next time"),
        ("d", "drop the edits and leave"),
    ];
    let inside = boxed(
        theme,
        whole,
        (columns(&question).max(46) + 6, 9),
        "",
        buffer,
    );
    let room = inside.width.saturating_sub(3);
    put(
        buffer,
        inside.x + 2,
        inside.y + 1,
        room,
        &question,
        theme.role(Role::Word),
    );
    for (row, (key, what)) in (inside.y + 3..).zip(keys.into_iter().chain([("Esc", "stay")])) {
        put(buffer, inside.x + 2, row, 4, key, theme.role(Role::Accent));
        put(
            buffer,
            inside.x + 6,
            row,
            room.saturating_sub(4),
            what,
            theme.role(Role::Text),
        );
    }
}
