//! The league screen: who beats whom and how strong each is, and how two of them met.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;

use super::pen::{mark_row, put, put_right};
use crate::leagues::{League, Table, Who};
use crate::tui::layout::Areas;
use crate::tui::league::Leaguing;
use crate::tui::measure::wrapped;
use crate::tui::model::Model;
use crate::tui::sight::league::{HEAD, side};
use crate::tui::sight::logbook::parts;
use crate::tui::theme::{Role, Theme};

/// Columns of the words behind the bar: ` 62 %  50 to 74 %`.
const CHANCE: u16 = 18;

/// Draws the screen between its bars.
pub fn draw(model: &Model, theme: Theme, areas: &Areas, buffer: &mut Buffer) {
    let (table, beside) = parts(areas);
    let Some(league) = &model.league else { return };
    let quiet = theme.role(Role::Quiet);
    let strong = theme.role(Role::Accent).add_modifier(Modifier::BOLD);
    let field = &league.job.setup.field.name;
    let title = format!("League: {field}");
    put(
        buffer,
        table.x + 1,
        table.y,
        table.width - 2,
        &title,
        strong,
    );
    let Some((all, said)) = &league.result else {
        let names: Vec<String> = league.job.who.iter().map(Who::name).collect();
        let words = format!("{}: the first matches are being played", names.join(", "));
        let room = table.width - 4;
        for (row, line) in wrapped(&words, room).enumerate() {
            let y = table.y + HEAD + row as u16;
            put(buffer, table.x + 2, y, room, line, quiet);
        }
        return;
    };
    let (made, count) = (all.played.len(), all.count());
    let words = if league.next.is_some() {
        "others are about to play".to_owned()
    } else if made == count {
        format!("{count} matches, each pair from both sides")
    } else {
        format!("{made} of {count} matches")
    };
    put_right(
        buffer,
        table.right() - 2,
        table.y,
        table.width / 2,
        &words,
        quiet,
    );
    let columns = Columns::of(table);
    let heads = [
        (columns.won, "won"),
        (columns.drawn, "drawn"),
        (columns.lost, "lost"),
    ];
    for (right, words) in heads {
        put_right(buffer, right, table.y + 1, 6, words, quiet);
    }
    let words = "how often it beats an average one";
    let room = table.right().saturating_sub(columns.bar + 1);
    put(buffer, columns.bar, table.y + 1, room, words, quiet);
    for (place, y) in (0..said.order.len()).zip(table.y + HEAD..table.bottom()) {
        let line = Rect {
            y,
            height: 1,
            ..table
        };
        if place == league.at {
            mark_row(theme, line, y, true, buffer);
        }
        row(all, said, place, &columns, theme, line, buffer);
    }
    if beside.y == table.y {
        for y in beside.y..beside.bottom() {
            put(buffer, beside.x, y, 1, "│", theme.role(Role::Hair));
        }
    }
    let beside = Rect {
        x: beside.x + 2,
        width: beside.width.saturating_sub(3),
        ..beside
    };
    pairs(league, all, said, theme, beside, buffer);
}

/// Where the columns of the table stand: the right end of each, and the left one of the bar.
struct Columns {
    won: u16,
    drawn: u16,
    lost: u16,
    bar: u16,
}

impl Columns {
    fn of(table: Rect) -> Self {
        let name = (table.width / 3).clamp(16, 34);
        let won = table.x + 2 + name + 5;
        Self {
            won,
            drawn: won + 7,
            lost: won + 13,
            bar: won + 16,
        }
    }
}

/// One team: its name, its matches, and how strong it is with where the truth lies.
fn row(
    all: &League,
    said: &Table,
    place: usize,
    columns: &Columns,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    let team = said.order[place];
    let (total, rating) = (said.total(team), said.ratings[team]);
    let y = area.y;
    let room = columns.won.saturating_sub(area.x + 8);
    let name = &all.teams[team].name;
    put(buffer, area.x + 2, y, room, name, theme.role(Role::Word));
    let text = theme.role(Role::Text);
    let counts = [
        (columns.won, total.won),
        (columns.drawn, total.drawn),
        (columns.lost, total.lost),
    ];
    for (right, count) in counts {
        put_right(buffer, right, y, 6, &count.to_string(), text);
    }
    let right = area.right().saturating_sub(2);
    let percent = |share: f64| (share * 100.0).round();
    let words = format!(
        "{} %  {} to {} %",
        percent(rating.chance),
        (rating.low * 100.0).floor(),
        (rating.high * 100.0).ceil()
    );
    let quiet = theme.role(Role::Quiet);
    put_right(buffer, right, y, CHANCE, &words, quiet);
    let to = right.saturating_sub(CHANCE + 1);
    if to < columns.bar + 8 {
        return;
    }
    let column = |share: f64| {
        let wide = f64::from(to - 1 - columns.bar);
        columns.bar + (share.clamp(0.0, 1.0) * wide).round() as u16
    };
    for x in columns.bar..to {
        put(buffer, x, y, 1, "┈", theme.role(Role::Hair));
    }
    for x in column(rating.low)..=column(rating.high) {
        put(buffer, x, y, 1, "━", quiet);
    }
    let role = if rating.low > 0.5 {
        Role::Good
    } else if rating.high < 0.5 {
        Role::Wrong
    } else {
        Role::Text
    };
    let style = theme.role(role).add_modifier(Modifier::BOLD);
    put(buffer, column(rating.chance), y, 1, "●", style);
}

/// How the marked team met each of the others; the pair whose matches are shown is marked.
fn pairs(
    league: &Leaguing,
    all: &League,
    said: &Table,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    let Some((ours, against)) = league.pair() else {
        return;
    };
    let quiet = theme.role(Role::Quiet);
    let name = |team: usize| all.teams[team].name.as_str();
    let mut y = area.y;
    let mut line = |words: &str, style| {
        if words.is_empty() {
            y += 1;
        }
        for part in wrapped(words, area.width) {
            if y < area.bottom() {
                put(buffer, area.x, y, area.width, part, style);
                y += 1;
            }
        }
    };
    line(name(ours), theme.role(Role::Word));
    for theirs in said.order.iter().copied().filter(|team| *team != ours) {
        let tally = said.tallies[ours][theirs];
        let marked = theirs == against;
        let sign = if marked { "›" } else { " " };
        let (won, drawn, lost) = (tally.won, tally.drawn, tally.lost);
        let head = format!(
            "{sign} against {}: won {won}, drawn {drawn}, lost {lost}",
            name(theirs)
        );
        let role = if marked { Role::Accent } else { Role::Text };
        line("", quiet);
        line(&head, theme.role(role));
        if marked {
            for (from, here) in [("our start", true), ("the opponent's start", false)] {
                let words = format!("  from {from}: {}", side(all, ours, theirs, here));
                line(&words, theme.role(Role::Text));
            }
        }
    }
    line("", quiet);
    line(
        "Left Right choose against whom. Enter shows the matches from our start in all panes, one after the other: first those that were lost.",
        quiet,
    );
}
