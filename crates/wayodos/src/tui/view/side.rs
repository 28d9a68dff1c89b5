//! The pane beside the chart: why things are as they are, what a sensor meets on its track, the map, the findings.

use std::sync::Arc;
use wayodos_core::ids::{SensorId, StepId};

use ratatui::buffer::Buffer;
use ratatui::layout::{Position, Rect};
use ratatui::style::Modifier;
use wayodos_core::controller::{Event, Goal, TermStanding};
use wayodos_core::finding::{Finding, Severity, Source, line_column};
use wayodos_core::lab::along::Along;
use wayodos_core::lab::why::exit_story;
use wayodos_core::mission::{Behaviour, Block, Target};
use wayodos_report::why::{amount_words, live_words, nearness, story_words, wait_words};
use wayodos_report::{TrackKind, tick_step};

use super::{columns, paint_row, put, put_right, wrapped};
use crate::tui::cells::{Dots, Grid};
use crate::tui::layout::Pane;
use crate::tui::model::{Model, Side};
use crate::tui::theme::{Role, Theme};
use crate::work::RunReport;

/// What drawing keeps between two frames: the newest track.
#[derive(Default)]
pub struct Kept {
    key: Option<(usize, SensorId)>,
    along: Along,
}

/// Rows at the bottom that say more about the marked one.
const MORE: u16 = 4;

/// Draws the pane.
pub fn draw(model: &Model, theme: Theme, kept: &mut Kept, area: Rect, buffer: &mut Buffer) {
    tabs(model, theme, area, buffer);
    let (area, below) = halves(model.side, area);
    let inside = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    if let Some((side, place)) = below {
        let hair = "─".repeat(usize::from(place.width));
        put(buffer, place.x, place.y, place.width, &hair, theme.role(Role::Hair));
        put(buffer, place.x + 1, place.y, place.width, &format!(" {} ", side.name()), theme.role(Role::Quiet));
        let place = Rect { y: place.y + 1, height: place.height - 1, ..place };
        if side == Side::Map {
            map(model, theme, place, false, buffer);
        } else {
            why(model, theme, place, false, buffer);
        }
    }
    match model.side {
        Side::Why => why(model, theme, inside, true, buffer),
        Side::Track => track(model, theme, kept, inside, buffer),
        Side::Map => map(model, theme, inside, true, buffer),
        Side::Findings => findings(model, theme, inside, buffer),
    }
}

/// From this many rows on, the pane shows a second thing below the open tab.
const TALL: u16 = 36;

/// The part of the pane that the open tab has, and what stands below it where there is room.
pub fn halves(side: Side, area: Rect) -> (Rect, Option<(Side, Rect)>) {
    if area.height < TALL {
        return (area, None);
    }
    let upper = area.height * 2 / 5;
    let below = Rect { y: area.y + upper, height: area.height - upper, ..area };
    let other = if side == Side::Map { Side::Why } else { Side::Map };
    (Rect { height: upper, ..area }, Some((other, below)))
}

/// The tabs: their names, and the columns that each takes.
fn tab_places(area: Rect) -> impl Iterator<Item = (Side, u16, u16)> {
    let mut x = area.x + 1;
    Side::ALL.into_iter().map(move |side| {
        let wide = columns(side.name()) + 2;
        let at = x;
        x += wide + 1;
        (side, at, wide)
    })
}

/// The tab at a place of the screen.
pub fn tab_at(area: Rect, at: Position) -> Option<Side> {
    let on_bar = at.y == area.y;
    tab_places(area).find(|(_, x, wide)| on_bar && (*x..x + wide).contains(&at.x)).map(|(side, ..)| side)
}

fn tabs(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let focused = model.focus == Pane::Side;
    let hair = theme.role(if focused { Role::Accent } else { Role::Hair });
    put(buffer, area.x, area.y, area.width, &"─".repeat(usize::from(area.width)), hair);
    for (side, x, _) in tab_places(area) {
        let open = side == model.side;
        let style = match (open, focused) {
            (true, true) => theme.patch(Role::Accent).add_modifier(Modifier::BOLD),
            (true, false) => theme.role(Role::Word),
            (false, _) => theme.role(Role::Quiet),
        };
        put(buffer, x, area.y, area.right().saturating_sub(x), &format!(" {} ", side.name()), style);
    }
}

/// How many rows of the open tab can be marked.
pub fn count(model: &Model) -> usize {
    match model.side {
        Side::Why => why_rows(model).iter().filter(|row| row.marks()).count(),
        Side::Track => 0,
        Side::Map => map_rows(model).len(),
        Side::Findings => all_findings(model).len(),
    }
}

/// The first and the last line of the open tab that a row takes: headings stand in between.
pub fn lines_of_row(model: &Model, row: usize) -> (usize, usize) {
    match model.side {
        Side::Why => {
            let rows = why_rows(model);
            let mut marked = rows.iter().enumerate().filter(|(_, one)| one.marks());
            let at = marked.nth(row).map_or(0, |(at, _)| at);
            let more = usize::from(MORE);
            (at.saturating_sub(1), at + more)
        }
        Side::Track => (0, 0),
        Side::Map => (row, row),
        Side::Findings => (row, row + usize::from(MORE)),
    }
}

/// The row of the open tab at a place of the screen.
pub fn row_at(model: &Model, area: Rect, at: Position) -> Option<usize> {
    let (area, _) = halves(model.side, area);
    if at.y >= area.bottom() {
        return None;
    }
    let line = usize::from(at.y.checked_sub(area.y + 1)?) + model.side_scroll;
    match model.side {
        Side::Why => {
            let rows = why_rows(model);
            rows.get(line)?.marks().then(|| rows[..line].iter().filter(|row| row.marks()).count())
        }
        Side::Track => None,
        Side::Map | Side::Findings => (line < count(model)).then_some(line),
    }
}

// ---- why

/// A row of the why tab.
#[derive(Clone, Debug, Default)]
pub struct WhyRow {
    /// The exit it is about: its step in the program, and its place in that.
    pub exit: Option<(StepId, usize)>,
    /// The reflex it is about.
    reflex: Option<usize>,
    words: String,
    state: String,
    /// How near it is to holding.
    near: Option<f64>,
    role: Option<Role>,
    /// The step whose tint it has.
    step: Option<StepId>,
}

impl WhyRow {
    /// Whether the row can be marked.
    pub const fn marks(&self) -> bool {
        self.exit.is_some() || self.reflex.is_some()
    }
}

/// What the why tab says at the time cursor.
pub fn why_rows(model: &Model) -> Vec<WhyRow> {
    let mut rows = Vec::new();
    let (Some(report), Some(standing)) = (&model.report, model.standing()) else { return rows };
    let program = &report.program;
    let owner = program.reflexes.iter().zip(&standing.reflexes).find(|(_, stands)| stands.has);
    // After the last look of a run things stay as they were just before it: what it decided is shown instead.
    let tick = report.run.trace.tick_at(model.time + 1e-9);
    let last = report.run.visits.iter().map(|visit| visit.left).max().unwrap_or_default();
    let ended = |step: StepId| {
        let mut visits = report.run.visits.iter().rev();
        visits.find(|visit| tick >= last && visit.left == last && visit.step == step)
    };
    let written: Vec<_> = standing.steps.iter().filter(|stands| program.steps[stands.step].written).collect();
    for (depth, stands) in written.iter().enumerate() {
        let about = &program.steps[stands.step];
        let ended = ended(stands.step);
        let what = match (&owner, about.reflex) {
            _ if ended.is_some() => "ended",
            (Some(_), Some(_)) => "interrupted by a reflex",
            (Some(_), None) => "waiting for the reflex",
            _ if about.group => &format!("pass {}", stands.passes + 1),
            // One that does its own work by way of others.
            _ if depth + 1 < written.len() => "active",
            _ => "driving",
        };
        let state = format!("{what}, {:.1} s", stands.since);
        rows.push(WhyRow { words: about.name.clone(), state, step: Some(stands.step), ..WhyRow::default() });
        for (index, (exit, term)) in about.exits.iter().zip(&stands.exits).enumerate() {
            let fired = ended.is_some_and(|visit| visit.exit == Some(index));
            let state = match (fired, term.looked) {
                (true, _) => "fired".to_owned(),
                (false, true) => state_words(term),
                (false, false) => "not active yet".to_owned(),
            };
            // Of several looks the one furthest away says how far the whole is.
            let near = term.looks.iter().filter_map(nearness).reduce(f64::min);
            let near = if fired { near.map(|_| 1.0) } else { near };
            let role = match (fired || term.holds, exit.goal) {
                (true, Goal::Fail(_)) => Some(Role::Wrong),
                (true, _) => Some(Role::Good),
                (false, _) => None,
            };
            let word = if index == 0 { "until" } else { "or" };
            let words = format!("{word} {}", exit.words);
            rows.push(WhyRow { exit: Some((stands.step, index)), words, state, near, role, ..WhyRow::default() });
            if term.looked {
                rows.extend(looks(term));
            }
        }
    }
    for (index, (reflex, stands)) in program.reflexes.iter().zip(&standing.reflexes).enumerate() {
        let state = match (stands.has, stands.watches) {
            (true, _) => "driving".to_owned(),
            (false, false) => "does not watch this step".to_owned(),
            _ => state_words(&stands.term),
        };
        let near = stands
            .term
            .looks
            .iter()
            .filter_map(nearness)
            .fold(None, |near: Option<f64>, one| Some(near.map_or(one, |near| near.max(one))));
        let role = stands.has.then_some(Role::Accent);
        let words = format!("reflex: {}", reflex.words);
        rows.push(WhyRow { reflex: Some(index), words, state, near, role, ..WhyRow::default() });
        if stands.watches {
            rows.extend(looks(&stands.term));
        }
    }
    for (name, value) in &standing.kept {
        let words = format!("{name} = {}", amount_words(*value, None));
        rows.push(WhyRow { words, state: "kept (SI units)".into(), ..WhyRow::default() });
    }
    rows
}

/// How a term stands: what holds it back, or its one look, or how many of several hold.
fn state_words(term: &TermStanding) -> String {
    if let Some(words) = wait_words(term) {
        return words;
    }
    match term.looks.as_slice() {
        [live] => live_words(live),
        many => format!("{} of {} are true", many.iter().filter(|live| live.holds).count(), many.len()),
    }
}

/// A row for each look of a term that has several.
fn looks(term: &TermStanding) -> impl Iterator<Item = WhyRow> {
    let several = if term.looks.len() > 1 { term.looks.as_slice() } else { &[] };
    several.iter().map(|live| WhyRow {
        words: format!("   {}", live.words),
        state: live_words(live),
        near: nearness(live),
        role: live.holds.then_some(Role::Good),
        ..WhyRow::default()
    })
}

fn why(model: &Model, theme: Theme, area: Rect, open: bool, buffer: &mut Buffer) {
    let rows = why_rows(model);
    let Some(report) = model.report.as_ref().filter(|_| !rows.is_empty()) else {
        let words = if model.report.is_none() {
            "how far each exit is from firing, once there is a run"
        } else {
            "nothing is active at this moment"
        };
        put(buffer, area.x + 1, area.y, area.width - 1, words, theme.role(Role::Quiet));
        return;
    };
    let list = Rect { height: area.height.saturating_sub(MORE + 1), ..area };
    let focused = open && model.focus == Pane::Side;
    let (scroll, at) = if open { (model.side_scroll, model.side_row) } else { (0, 0) };
    let mut nth = rows.iter().take(scroll).filter(|row| row.marks()).count();
    let marked = rows.iter().filter(|row| row.marks()).nth(at);
    for (row, y) in rows.iter().skip(scroll).zip(list.y..list.bottom()) {
        let here = row.marks() && nth == at;
        nth += usize::from(row.marks());
        why_row(row, here, focused, theme, Rect { y, height: 1, ..list }, buffer);
    }
    more_mark(scroll, rows.len(), list, theme, buffer);
    let (y, room) = (list.bottom(), area.width.saturating_sub(2));
    put(buffer, area.x, y, area.width, &"┈".repeat(usize::from(area.width)), theme.role(Role::Hair));
    let Some(marked) = marked else { return };
    let words = match (marked.exit, marked.reflex) {
        (Some((step, exit)), _) => {
            let story = exit_story(&report.run, &report.program, &report.evidence, step, exit);
            format!("{}: {}", marked.words, story_words(report.story(), &story, step, exit))
        }
        (None, Some(reflex)) => {
            let took = |event: &Event| *event == Event::Took { reflex };
            let times: Vec<String> = report
                .run
                .trace
                .events
                .iter()
                .filter(|stamp| took(&stamp.event))
                .map(|stamp| format!("{:.1} s", report.run.trace.seconds(stamp.tick as usize)))
                .collect();
            let name = &report.program.reflexes[reflex].name;
            match times.as_slice() {
                [] => format!("\"{name}\" never took over in this run."),
                [one] => format!("\"{name}\" took over once, at {one}."),
                many => format!("\"{name}\" took over {} times: {}.", many.len(), many.join(", ")),
            }
        }
        _ => return,
    };
    for (row, line) in wrapped(&words, room).take(usize::from(MORE)).enumerate() {
        put(buffer, area.x + 1, y + 1 + row as u16, room, line, theme.role(Role::Text));
    }
    if focused && marked.exit.is_some() {
        let hint = " Enter: what may help ";
        put_right(buffer, area.right().saturating_sub(1), y, area.width, hint, theme.role(Role::Accent));
    }
}

fn why_row(row: &WhyRow, here: bool, focused: bool, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, y, right) = (area.x + 1, area.y, area.right().saturating_sub(1));
    if here {
        paint_row(buffer, area, y, theme.on(theme.role(Role::Text), theme.raised()));
        let sign = theme.role(if focused { Role::Accent } else { Role::Quiet });
        put(buffer, area.x, y, 1, "›", sign);
    }
    let style = match (row.role, row.step) {
        (Some(role), _) => theme.role(role).add_modifier(Modifier::BOLD),
        (None, Some(_)) => theme.role(Role::Word),
        (None, None) => theme.role(Role::Text),
    };
    if let Some(step) = row.step {
        let number = format!(" {} ", step.number());
        let x = put(buffer, x, y, 4, &number, theme.step_patch(step)) + 1;
        let end = put_right(buffer, right, y, area.width / 2, &row.state, theme.role(Role::Quiet));
        put(buffer, x, y, end.saturating_sub(x + 1), &row.words, style);
        return;
    }
    let quiet = theme.role(if row.role.is_some() { Role::Text } else { Role::Quiet });
    // What fits of the state beside the words; the gauge takes what is left.
    let words_wide = columns(&row.words).min(area.width / 2);
    let room = (right - x).saturating_sub(words_wide + 2);
    let room = room.min(26).max(area.width * 2 / 5);
    // The gauge shows how much is missing; in a narrow pane that need not be said as well.
    let fits = columns(&row.state) <= room || !row.state.ends_with(" to go");
    let state = row.state.rsplit_once(", ").filter(|_| !fits).map_or(row.state.as_str(), |(short, _)| short);
    let end = put_right(buffer, right, y, room, state, quiet);
    let mut words_room = end.saturating_sub(x + 1);
    if let Some(near) = row.near {
        let wide = 8u16.min(words_room / 4);
        if wide >= 4 {
            let from = end - wide - 1;
            gauge(near, row.role, theme, Rect { x: from, y, width: wide, height: 1 }, buffer);
            words_room = from.saturating_sub(x + 1);
        }
    }
    put(buffer, x + 1, y, words_room.saturating_sub(1), &row.words, style);
}

/// A bar that is full when the thing holds.
fn gauge(near: f64, role: Option<Role>, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let eighths = (near.clamp(0.0, 1.0) * f64::from(area.width) * 8.0).floor() as u16;
    let style = theme.role(role.unwrap_or(if near > 0.85 { Role::Thin } else { Role::Slot }));
    for cell in 0..area.width {
        let filled = eighths.saturating_sub(cell * 8).min(8);
        let glyph = ["·", "▏", "▎", "▍", "▌", "▋", "▊", "▉", "█"][usize::from(filled)];
        let style = if filled == 0 { theme.role(Role::Hair) } else { style };
        put(buffer, area.x + cell, area.y, 1, glyph, style);
    }
}

/// Says at the edge that there is more above or below.
fn more_mark(scroll: usize, rows: usize, area: Rect, theme: Theme, buffer: &mut Buffer) {
    if area.height == 0 {
        return;
    }
    let x = area.right() - 1;
    if scroll > 0 {
        put(buffer, x, area.y, 1, "↑", theme.role(Role::Quiet));
    }
    if scroll + usize::from(area.height) < rows {
        put(buffer, x, area.bottom() - 1, 1, "↓", theme.role(Role::Quiet));
    }
}

// ---- track

fn track(model: &Model, theme: Theme, kept: &mut Kept, area: Rect, buffer: &mut Buffer) {
    let quiet = theme.role(Role::Quiet);
    let (Some(report), Some(setup)) = (&model.report, &model.setup) else {
        put(buffer, area.x + 1, area.y, area.width - 1, "no run yet", quiet);
        return;
    };
    let Some(sensor) = setup.robot.sensors.get(model.track.0).filter(|_| report.run.trace.sensors > model.track.0)
    else {
        put(buffer, area.x + 1, area.y, area.width - 1, "this robot has no floor sensor", quiet);
        return;
    };
    let key = (Arc::as_ptr(report) as usize, model.track);
    if kept.key != Some(key) {
        kept.along = Along::of(&report.world, &report.run, model.track);
        kept.key = Some(key);
    }
    let along = &kept.along;
    let tick = report.run.trace.tick_at(model.time + 1e-9).min(along.looks.len().saturating_sub(1));
    let here = along.looks.get(tick).copied().unwrap_or(0.0);
    let head = format!("{} at {:.0} mm of its track", sensor.name, here * 1e3);
    let x = put(buffer, area.x + 1, area.y, area.width - 1, &head, theme.role(Role::Word));
    let reads = report.run.trace.reading(tick, model.track).brightness;
    let there = along.places.iter().rfind(|place| place.at <= here + 1e-9).map_or(0.0, |place| place.brightness);
    let words = format!("  reads {:.0} %, {:.0} % is there", reads * 100.0, there * 100.0);
    put(buffer, x, area.y, area.right().saturating_sub(x), &words, theme.role(Role::Accent));
    let plot = Rect {
        x: area.x + 5,
        y: area.y + 1,
        width: area.width.saturating_sub(6),
        height: area.height.saturating_sub(3),
    };
    if plot.height == 0 || plot.width < 8 {
        return;
    }
    // As much of the track as the chart shows of the time, or all of it.
    let (from, to) = match model.span {
        Some((a, b)) => {
            let at =
                |seconds: f64| along.looks.get(report.run.trace.tick_at(seconds)).copied().unwrap_or(along.length());
            (at(a), at(b).max(at(a) + 0.01))
        }
        None => (0.0, along.length().max(0.01)),
    };
    plot_track(model, report, along, (from, to), theme, plot, buffer);
    for (share, label) in [(1.0, "100"), (0.5, "50 %"), (0.0, "0")] {
        let y = plot.y + ((1.0 - share) * f64::from(plot.height - 1)).round() as u16;
        put_right(buffer, plot.x - 1, y, 4, label, quiet);
    }
    let step = tick_step((to - from) * 1e3, f64::from(plot.width) / 10.0);
    let mut nth = (from * 1e3 / step).ceil();
    let mut free = plot.x;
    while nth * step <= to * 1e3 {
        let label = if nth == 0.0 { "0 mm".to_owned() } else { format!("{:.0}", nth * step) };
        let x = plot.x + ((nth * step / 1e3 - from) / (to - from) * f64::from(plot.width - 1)).round() as u16;
        if x >= free && x + columns(&label) <= area.right() {
            free = put(buffer, x, plot.bottom(), 8, &label, quiet) + 2;
        }
        nth += 1.0;
    }
    let hint = "line: what is there  dots: readings  | counted";
    put(buffer, area.x + 1, plot.bottom() + 1, area.width - 1, hint, quiet);
}

fn plot_track(
    model: &Model,
    report: &RunReport,
    along: &Along,
    (from, to): (f64, f64),
    theme: Theme,
    plot: Rect,
    buffer: &mut Buffer,
) {
    const READING: u16 = 1;
    const LIMIT: u16 = 2;
    const LOOK: u16 = 3;
    let mut dots = Dots::new(usize::from(plot.width), usize::from(plot.height), Grid::Fine);
    let (wide, high) = (f64::from(2 * plot.width - 1), f64::from(4 * plot.height - 1));
    let x = |at: f64| ((at - from) / (to - from) * wide).round() as i32;
    let y = |share: f64| ((1.0 - share.clamp(0.0, 1.0)) * (high - 3.0)).round() as i32;
    let name = report.world.robot.sensors.get(model.track.0).map_or("", |sensor| sensor.name.as_str());
    let limits = report.chart.tracks.iter().find(|track| track.name == name).map(|track| &track.kind);
    if let Some(TrackKind::Line { limits, .. }) = limits {
        for limit in limits {
            let at =
                |seconds: f64| along.looks.get(report.run.trace.tick_at(seconds)).copied().unwrap_or(along.length());
            for column in (x(at(limit.from))..=x(at(limit.to))).filter(|column| column % 2 == 0) {
                dots.set(column, y(limit.value / 100.0), LIMIT);
            }
        }
    }
    // Where the robot looked: a dot a look, at the bottom. Gaps between them are where it was blind.
    for look in along.looks.iter().filter(|look| (from..=to).contains(*look)) {
        dots.set(x(*look), high as i32, LOOK);
    }
    let mut before: Option<(i32, i32)> = None;
    for place in along.places.iter().filter(|place| (from..=to).contains(&place.at)) {
        let now = (x(place.at), y(place.brightness));
        if let Some(before) = before.filter(|before| *before != now) {
            dots.line((f64::from(before.0), f64::from(before.1)), (f64::from(now.0), f64::from(now.1)), READING);
        }
        before = Some(now);
    }
    for down in 0..plot.height {
        for across in 0..plot.width {
            if let Some((glyph, ink)) = dots.at(usize::from(across), usize::from(down)) {
                let role = match ink {
                    LIMIT => Role::Thin,
                    LOOK => Role::Quiet,
                    _ => Role::Text,
                };
                buffer[(plot.x + across, plot.y + down)].set_char(glyph).set_style(theme.role(role));
            }
        }
    }
    let column = |at: f64| plot.x + ((at - from) / (to - from) * f64::from(plot.width - 1)).round() as u16;
    let of_tick = |tick: usize| along.looks.get(tick).copied().filter(|at| (from..=to).contains(at));
    for stamp in &report.run.trace.events {
        let (sign, role) = match stamp.event {
            Event::Counted { step, exit, .. } => {
                let mut looks = report.program.steps[step].exits[exit].term.looks();
                let ours = looks.any(|look| look.test.sensor() == Some(model.track));
                if !ours {
                    continue;
                }
                ("|", Role::Good)
            }
            Event::Left { exit: Some(_), step, .. } if report.program.steps[step].written => ("▾", Role::Accent),
            Event::Entered { .. }
            | Event::Left { .. }
            | Event::Ended { .. }
            | Event::Took { .. }
            | Event::Gave { .. }
            | Event::Kept { .. } => continue,
        };
        if let Some(at) = of_tick(stamp.tick as usize) {
            put(buffer, column(at), plot.y, 1, sign, theme.role(role));
        }
    }
    let tick = report.run.trace.tick_at(model.time + 1e-9).min(along.looks.len().saturating_sub(1));
    if let Some(at) = of_tick(tick) {
        for y in plot.y..plot.bottom() {
            let cell = &mut buffer[(column(at), y)];
            if cell.symbol() == " " {
                cell.set_symbol("│");
            }
            cell.set_style(theme.role(Role::Accent));
        }
    }
}

// ---- map

/// A row of the map.
pub struct MapRow {
    /// The line of the text that it is about.
    pub line: usize,
    depth: usize,
    /// The number of its step in the run.
    step: Option<StepId>,
    words: String,
    /// Where it leads, in short.
    leads: String,
    /// What it is folded by, and whether it holds other steps.
    key: Option<(String, bool)>,
    fails: bool,
}

/// What the map shows: steps, those within them, and the exits of those that are opened.
pub fn map_rows(model: &Model) -> Vec<MapRow> {
    let document = model.mission();
    let mission = &document.prepared.parsed.mission;
    let mut rows = Vec::new();
    let mut block = Block::Mission;
    let mut hidden: Option<Block> = None;
    for step in &mission.steps {
        if step.block != block {
            block = step.block;
            hidden = None;
            let title = match block {
                Block::Routine(routine) => {
                    mission.routines.get(routine).map(|r| (format!("routine {}", r.name.node), r.line))
                }
                Block::Reflex(_) | Block::Mission => None,
            };
            if let Some((title, line)) = title {
                if model.folded.contains(&title) {
                    hidden = Some(block);
                }
                let key = Some((title.clone(), true));
                rows.push(MapRow { line, depth: 0, step: None, words: title, leads: String::new(), key, fails: false });
            }
        }
        let mut around = step.inside;
        let mut depth = usize::from(matches!(step.block, Block::Routine(_)));
        let mut within_folded = hidden == Some(step.block);
        while let Some(repeat) = around {
            depth += 1;
            within_folded |= model.folded.contains(&mission.steps[repeat].name.node);
            around = mission.steps[repeat].inside;
        }
        if within_folded {
            continue;
        }
        let holds = matches!(&step.behaviour, Some((behaviour, _)) if matches!(behaviour.node, Behaviour::Repeat(_)));
        let reflex = matches!(step.block, Block::Reflex(_));
        let words = if reflex { format!("reflex {}", step.name.node) } else { step.name.node.clone() };
        let ways = step.exits.iter().map(|exit| way(model, step, &exit.target.node)).collect::<Vec<_>>();
        let open = model.folded.contains(&step.name.node);
        let leads = if open && !holds { String::new() } else { ways.join(" ") };
        let number = model.step_of_line(step.line).filter(|_| !reflex);
        let key = Some((step.name.node.clone(), holds));
        rows.push(MapRow { line: step.line, depth, step: number, words, leads, key, fails: false });
        if open && !holds {
            for exit in &step.exits {
                let condition = &document.text[exit.condition.span.clone()];
                let fails = matches!(exit.target.node, Target::Fail(_));
                let leads = way(model, step, &exit.target.node);
                let words = condition.to_owned();
                rows.push(MapRow { line: exit.line, depth: depth + 2, step: None, words, leads, key: None, fails });
            }
        }
    }
    rows
}

/// Where an exit leads, in a sign and a number.
fn way(model: &Model, step: &wayodos_core::mission::Step, target: &Target) -> String {
    match target {
        Target::Next => "↓".into(),
        Target::Step(name) => {
            let mission = &model.mission().prepared.parsed.mission;
            let line = mission.find(name, step).map(|found| mission.steps[found].line);
            line.and_then(|line| model.step_of_line(line))
                .map_or_else(|| "→?".into(), |step| format!("→{}", step.number()))
        }
        Target::Again => "↻".into(),
        Target::Out => "↱".into(),
        Target::Done => "✓".into(),
        Target::Fail(_) => "✗".into(),
    }
}

/// The line of the text that the marked row of the map is about.
pub fn map_line(model: &Model) -> Option<usize> {
    map_rows(model).get(model.side_row).map(|row| row.line)
}

/// The row of the map that a line of the text belongs to.
pub fn row_of_line(model: &Model, line: usize) -> usize {
    map_rows(model).iter().rposition(|row| row.line <= line).unwrap_or(0)
}

/// Opens the marked row of the map, or closes it.
pub fn fold(model: &mut Model, open: bool) {
    let key = map_rows(model).get(model.side_row).and_then(|row| row.key.clone());
    let Some((name, holds)) = key else { return };
    // Steps are closed to begin with, what holds steps is open.
    if open == holds {
        model.folded.remove(&name);
    } else {
        model.folded.insert(name);
    }
}

fn map(model: &Model, theme: Theme, area: Rect, open: bool, buffer: &mut Buffer) {
    let rows = map_rows(model);
    if rows.is_empty() {
        put(buffer, area.x + 1, area.y, area.width - 1, "no steps yet: a adds the first", theme.role(Role::Quiet));
        return;
    }
    let list = Rect { height: area.height.saturating_sub(1), ..area };
    let active = model.active_step();
    let focused = open && model.focus == Pane::Side;
    // Below another tab it goes along with the run.
    let here = rows.iter().position(|row| row.step.is_some() && row.step == active).unwrap_or(0);
    let scroll = if open { model.side_scroll } else { (here + 2).saturating_sub(usize::from(list.height)) };
    let marked = open.then_some(model.side_row);
    for ((index, row), y) in rows.iter().enumerate().skip(scroll).zip(list.y..list.bottom()) {
        if marked == Some(index) {
            paint_row(buffer, Rect { y, height: 1, ..list }, y, theme.on(theme.role(Role::Text), theme.raised()));
            put(buffer, list.x, y, 1, "›", theme.role(if focused { Role::Accent } else { Role::Quiet }));
        }
        let mut x = list.x + 1 + 2 * row.depth as u16;
        if let Some(step) = row.step {
            x = put(buffer, x, y, 4, &format!("{:>2} ", step.number()), theme.step_patch(step)) + 1;
        }
        let role = theme.role(if row.fails { Role::Wrong } else { Role::Quiet });
        let end = put_right(buffer, list.right().saturating_sub(2), y, list.width / 3, &row.leads, role);
        let style = match () {
            () if row.step.is_some() && row.step == active => theme.role(Role::Accent),
            () if row.step.is_some() || row.key.is_some() => theme.role(Role::Text),
            () => theme.role(Role::Quiet),
        };
        put(buffer, x, y, end.saturating_sub(x + 1), &row.words, style);
        if let Some((name, holds)) = &row.key {
            let open = model.folded.contains(name) != *holds;
            put(buffer, list.right() - 1, y, 1, if open { "▾" } else { "▸" }, theme.role(Role::Hair));
        }
    }
    let hint = "↓ next  →n to step n  ↻ again  ↱ out  ✓ done  ✗ fail";
    put(buffer, area.x + 1, list.bottom(), area.width - 1, hint, theme.role(Role::Quiet));
}

// ---- findings

/// Everything that is wrong with the mission, or with the files that it plays with, or worth a thought, most urgent first.
pub fn all_findings(model: &Model) -> Vec<Finding> {
    let mission = model.mission();
    let mut all = mission.prepared.findings.clone();
    all.extend(model.project.findings.iter().cloned());
    if let Some(report) = model.report.as_ref().filter(|report| Arc::ptr_eq(&report.text, &mission.text)) {
        all.extend(report.hindsight.iter().cloned());
    }
    all.sort_by_key(|finding| (finding.severity, finding.span.start));
    all
}

fn findings(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let all = all_findings(model);
    if all.is_empty() {
        put(buffer, area.x + 1, area.y, area.width - 1, "✓ no problems found", theme.role(Role::Good));
        return;
    }
    let list = Rect { height: area.height.saturating_sub(MORE + 1), ..area };
    let focused = model.focus == Pane::Side;
    for ((index, finding), y) in all.iter().enumerate().skip(model.side_scroll).zip(list.y..list.bottom()) {
        if index == model.side_row {
            paint_row(buffer, Rect { y, height: 1, ..list }, y, theme.on(theme.role(Role::Text), theme.raised()));
            put(buffer, list.x, y, 1, "›", theme.role(if focused { Role::Accent } else { Role::Quiet }));
        }
        let (sign, role) = match finding.severity {
            Severity::Error => ("✗", Role::Wrong),
            Severity::Warning => ("!", Role::Thin),
            Severity::Note => ("·", Role::Quiet),
        };
        put(buffer, list.x + 1, y, 1, sign, theme.role(role));
        let (path, text) = model.project.source(finding.source, &model.mission().text);
        let (line, _) = line_column(text, finding.span.start);
        put_right(buffer, list.x + 7, y, 4, &line.to_string(), theme.role(Role::Quiet));
        let style = theme.role(if finding.severity == Severity::Note { Role::Quiet } else { Role::Text });
        // Of another file than the mission.
        let place = match finding.source {
            Source::Mission => String::new(),
            _ => format!("{path}: "),
        };
        let words = format!("{place}{}", finding.message);
        put(buffer, list.x + 8, y, list.width.saturating_sub(9), &words, style);
    }
    more_mark(model.side_scroll, all.len(), list, theme, buffer);
    let (y, room) = (list.bottom(), area.width.saturating_sub(2));
    put(buffer, area.x, y, area.width, &"┈".repeat(usize::from(area.width)), theme.role(Role::Hair));
    if focused {
        let hint = " Enter: what may help ";
        put_right(buffer, area.right().saturating_sub(1), y, area.width, hint, theme.role(Role::Accent));
    }
    let Some(finding) = all.get(model.side_row) else { return };
    let words = format!("{}  ({}). {}", finding.message, finding.code, finding.hint_words().join(". "));
    for (row, line) in wrapped(&words, room).take(usize::from(MORE)).enumerate() {
        put(buffer, area.x + 1, y + 1 + row as u16, room, line, theme.role(Role::Text));
    }
}
