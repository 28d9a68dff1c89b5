//! The tune tab: each amount over its span with what stands there and what was found, and how sure it
//! is that the find is better.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use wayodos_core::lab::statistics::Share;
use wayodos_core::lab::tune::{PROOF_RUNS, place};

use super::pen::{put, put_right};
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::{Model, Tuning};
use crate::tui::sight::spread::share_role;
use crate::tui::sight::tune::{is_old, verdict};
use crate::tui::theme::{Role, Theme};

/// Columns of a name, and of an amount.
const NAME: u16 = 12;
const AMOUNT: u16 = 8;

/// Draws the tab.
pub fn draw(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, room) = (area.x + 1, area.width.saturating_sub(2));
    let quiet = theme.role(Role::Quiet);
    let Some(tune) = &model.tune else {
        let words = "^ searches all amounts with a safe span for the values that hold most often, and proves what it finds on new runs.";
        for (row, line) in wrapped(words, room)
            .take(usize::from(area.height))
            .enumerate()
        {
            put(buffer, x, area.y + row as u16, room, line, quiet);
        }
        return;
    };
    let (words, role) = verdict(tune);
    let bold = theme.role(role).add_modifier(Modifier::BOLD);
    put(buffer, x, area.y, room, &words, bold);
    let (words, role) = if is_old(model, tune) {
        ("of an older text".to_owned(), Role::Thin)
    } else {
        (format!("{} runs", tune.runs()), Role::Quiet)
    };
    let right = area.right().saturating_sub(1);
    put_right(
        buffer,
        right,
        area.y,
        area.width / 3,
        &words,
        theme.role(role),
    );
    let mut y = area.y + 1;
    let below = area.height.saturating_sub(7);
    for axis in 0..tune.search.amounts.len().min(usize::from(below)) {
        amount(
            tune,
            axis,
            theme,
            Rect {
                y,
                height: 1,
                ..area
            },
            buffer,
        );
        y += 1;
    }
    let [start, best] = [0, tune.search.best()].map(|at| &tune.search.candidates[at]);
    y += 1;
    let mut heading = |y: u16, words: &str| {
        if y < area.bottom() {
            put(buffer, x, y, room, words, quiet);
        }
    };
    let made = start.briefs.len().min(best.briefs.len());
    heading(y, &format!("in the search, {made} runs of each"));
    let proven = tune.search.proven();
    if proven[0].of > 0 {
        heading(
            y + 3,
            &format!("proof: {PROOF_RUNS} runs that took no part in the search"),
        );
    }
    let sides = [("now", start), ("found", best)];
    for (row, (what, candidate)) in sides.into_iter().enumerate() {
        let row = row as u16;
        let time = candidate
            .seconds()
            .map_or_else(String::new, |seconds| format!("{seconds:.1} s"));
        let score = candidate
            .score()
            .map_or_else(String::new, |score| format!("  {score:.1} points"));
        held(
            what,
            candidate.held(),
            &(time + &score),
            theme,
            area,
            y + 1 + row,
            buffer,
        );
        if proven[0].of > 0 {
            let share = proven[usize::from(row)];
            held(
                what,
                share,
                &share.interval_words(),
                theme,
                area,
                y + 4 + row,
                buffer,
            );
        }
    }
}

/// One amount: its name, what stands there and what was found, and both on its span.
fn amount(tune: &Tuning, axis: usize, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let search = &tune.search;
    let amount = &search.amounts[axis];
    let found = search.candidates[search.best()].value[axis];
    let (quiet, hair) = (theme.role(Role::Quiet), theme.role(Role::Hair));
    let strong = theme.role(Role::Good).add_modifier(Modifier::BOLD);
    let y = area.y;
    put(
        buffer,
        area.x + 1,
        y,
        NAME,
        &amount.name,
        theme.role(Role::Word),
    );
    let mut x = area.x + 1 + NAME + AMOUNT;
    put_right(
        buffer,
        x,
        y,
        AMOUNT,
        &amount.now.to_string(),
        theme.role(Role::Text),
    );
    put(buffer, x + 1, y, 1, "→", quiet);
    x += 2 + AMOUNT;
    put_right(buffer, x, y, AMOUNT, &found.to_string(), strong);
    let ends = [0, amount.values.len() - 1].map(|at| amount.values[at].to_string());
    let from = x + 3 + AMOUNT.min(columns(&ends[0]));
    let to = area
        .right()
        .saturating_sub(3 + AMOUNT.min(columns(&ends[1])));
    if to < from + 8 {
        return;
    }
    put_right(buffer, from - 1, y, AMOUNT, &ends[0], quiet);
    put(buffer, to + 1, y, AMOUNT, &ends[1], quiet);
    let column = |value| {
        let share = place(amount, value).clamp(0.0, 1.0);
        from + (share * f64::from(to - 1 - from)).round() as u16
    };
    for x in from..to {
        put(buffer, x, y, 1, "┈", hair);
    }
    // Where it was looked for, and where most were worth going on with.
    for candidate in &search.candidates {
        let far = candidate.briefs.len() >= search.candidates[0].briefs.len();
        let sign = if far { "•" } else { "·" };
        put(buffer, column(candidate.value[axis]), y, 1, sign, quiet);
    }
    put(
        buffer,
        column(amount.now),
        y,
        1,
        "│",
        theme.role(Role::Text),
    );
    put(buffer, column(found), y, 1, "◆", strong);
}

/// How many runs held, with a bar.
fn held(
    what: &str,
    share: Share,
    note: &str,
    theme: Theme,
    area: Rect,
    y: u16,
    buffer: &mut Buffer,
) {
    if y >= area.bottom() {
        return;
    }
    let style = theme.role(share_role(share)).add_modifier(Modifier::BOLD);
    put(buffer, area.x + 3, y, 6, what, theme.role(Role::Word));
    let x = put(
        buffer,
        area.x + 10,
        y,
        18,
        &format!("held {}", share.words()),
        style,
    );
    let x = x.max(area.x + 26) + 1;
    let end = put_right(
        buffer,
        area.right().saturating_sub(1),
        y,
        area.width / 2,
        note,
        theme.role(Role::Quiet),
    );
    let wide = end.saturating_sub(x + 1);
    let full = (share.value().unwrap_or(0.0) * f64::from(wide)).round() as u16;
    for at in 0..wide {
        let (sign, style) = if at < full {
            ("━", theme.role(share_role(share)))
        } else {
            ("┈", theme.role(Role::Hair))
        };
        put(buffer, x + at, y, 1, sign, style);
    }
}
