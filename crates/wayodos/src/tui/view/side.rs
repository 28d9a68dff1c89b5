//! The pane beside the chart: why things are as they are, what a sensor meets on its track, the
//! map, the findings.
//!
//! Long because it draws five tabs, one after the other.

use wayodos_core::ids::SensorId;

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use wayodos_core::controller::Event;
use wayodos_core::finding::{Severity, Source, line_column};
use wayodos_core::lab::along::Along;
use wayodos_core::lab::why::exit_story;
use wayodos_report::why::story_words;
use wayodos_report::words::{score_lines, verdict_words};
use wayodos_report::{TrackKind, tick_step};

use super::pen::{mark_row, more_mark, paint_row, put, put_right, rule};
use super::robot;
use super::spread;
use super::{sweep, tune};
use crate::tui::cells::{Dots, Grid};
use crate::tui::layout::Pane;
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::{Model, Side};
use crate::tui::sight::side::{
    MORE, WhyRow, all_findings, halves, map_rows, score_of, tab_places, why_rows,
};
use crate::tui::theme::{Role, Theme};
use crate::work::{RunId, RunReport};

/// What drawing keeps between two frames: the newest track.
#[derive(Default)]
pub struct Kept {
    key: Option<(RunId, SensorId)>,
    along: Along,
}

/// Draws the pane.
pub fn draw(model: &Model, theme: Theme, kept: &mut Kept, area: Rect, buffer: &mut Buffer) {
    tabs(model, theme, area, buffer);
    let (area, below) = halves(model.side.shown, area);
    let inside = Rect {
        y: area.y + 1,
        height: area.height.saturating_sub(1),
        ..area
    };
    if let Some((side, place)) = below {
        rule(buffer, place, theme.role(Role::Hair));
        put(
            buffer,
            place.x + 1,
            place.y,
            place.width,
            &format!(" {} ", side.name()),
            theme.role(Role::Quiet),
        );
        let place = Rect {
            y: place.y + 1,
            height: place.height - 1,
            ..place
        };
        if side == Side::Map {
            map(model, theme, place, false, buffer);
        } else {
            why(model, theme, place, false, buffer);
        }
    }
    match model.side.shown {
        Side::Why => why(model, theme, inside, true, buffer),
        Side::Spread => spread::draw(model, theme, inside, buffer),
        Side::Sweep => sweep::draw(model, theme, inside, buffer),
        Side::Tune => tune::draw(model, theme, inside, buffer),
        Side::Track => track(model, theme, kept, inside, buffer),
        Side::Map => map(model, theme, inside, true, buffer),
        Side::Findings => findings(model, theme, inside, buffer),
        Side::Score => score(model, theme, inside, buffer),
        Side::Robot => robot::list(model, theme, inside, buffer),
    }
}

fn tabs(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let focused = model.focus == Pane::Side;
    let hair = theme.role(if focused { Role::Accent } else { Role::Hair });
    rule(buffer, area, hair);
    for (side, x, _) in tab_places(area) {
        let open = side == model.side.shown;
        let style = match (open, focused) {
            (true, true) => theme.patch(Role::Accent).add_modifier(Modifier::BOLD),
            (true, false) => theme.role(Role::Word),
            (false, _) => theme.role(Role::Quiet),
        };
        put(
            buffer,
            x,
            area.y,
            area.right().saturating_sub(x),
            &format!(" {} ", side.name()),
            style,
        );
    }
}

// ---- why

fn why(model: &Model, theme: Theme, area: Rect, open: bool, buffer: &mut Buffer) {
    let rows = why_rows(model);
    let Some(report) = model.report.as_ref().filter(|_| !rows.is_empty()) else {
        let words = if model.report.is_none() {
            "how far each exit is from firing, once there is a run"
        } else {
            "nothing is active at this moment"
        };
        put(
            buffer,
            area.x + 1,
            area.y,
            area.width - 1,
            words,
            theme.role(Role::Quiet),
        );
        return;
    };
    let list = Rect {
        height: area.height.saturating_sub(MORE + 1),
        ..area
    };
    let focused = open && model.focus == Pane::Side;
    let (scroll, at) = if open {
        (model.side.scroll, model.side.row)
    } else {
        (0, 0)
    };
    let mut nth = rows.iter().take(scroll).filter(|row| row.marks()).count();
    let marked = rows.iter().filter(|row| row.marks()).nth(at);
    for (row, y) in rows.iter().skip(scroll).zip(list.y..list.bottom()) {
        let here = row.marks() && nth == at;
        nth += usize::from(row.marks());
        why_row(
            row,
            here,
            focused,
            theme,
            Rect {
                y,
                height: 1,
                ..list
            },
            buffer,
        );
    }
    more_mark(scroll, rows.len(), list, theme, buffer);
    let (y, room) = (list.bottom(), area.width.saturating_sub(2));
    put(
        buffer,
        area.x,
        y,
        area.width,
        &"┈".repeat(usize::from(area.width)),
        theme.role(Role::Hair),
    );
    let Some(marked) = marked else { return };
    let words = match (marked.exit, marked.reflex) {
        (Some((step, exit)), _) => {
            let story = exit_story(&report.run, &report.program, &report.evidence, step, exit);
            format!(
                "{}: {}",
                marked.words,
                story_words(report.story(), &story, step, exit)
            )
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
                many => format!(
                    "\"{name}\" took over {} times: {}.",
                    many.len(),
                    many.join(", ")
                ),
            }
        }
        _ => return,
    };
    for (row, line) in wrapped(&words, room).take(usize::from(MORE)).enumerate() {
        put(
            buffer,
            area.x + 1,
            y + 1 + row as u16,
            room,
            line,
            theme.role(Role::Text),
        );
    }
    if focused && marked.exit.is_some() {
        let hint = " Enter: what may help ";
        put_right(
            buffer,
            area.right().saturating_sub(1),
            y,
            area.width,
            hint,
            theme.role(Role::Accent),
        );
    }
}

fn why_row(row: &WhyRow, here: bool, focused: bool, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, y, right) = (area.x + 1, area.y, area.right().saturating_sub(1));
    if here {
        paint_row(
            buffer,
            area,
            y,
            theme.on(theme.role(Role::Text), theme.raised()),
        );
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
        let end = put_right(
            buffer,
            right,
            y,
            area.width / 2,
            &row.state,
            theme.role(Role::Quiet),
        );
        put(buffer, x, y, end.saturating_sub(x + 1), &row.words, style);
        return;
    }
    let quiet = theme.role(if row.role.is_some() {
        Role::Text
    } else {
        Role::Quiet
    });
    // What fits of the state beside the words; the gauge takes what is left.
    let words_wide = columns(&row.words).min(area.width / 2);
    let room = (right - x).saturating_sub(words_wide + 2);
    let room = room.min(26).max(area.width * 2 / 5);
    // The gauge shows how much is missing; in a narrow pane that need not be said as well.
    let fits = columns(&row.state) <= room || !row.state.ends_with(" to go");
    let state = row
        .state
        .rsplit_once(", ")
        .filter(|_| !fits)
        .map_or(row.state.as_str(), |(short, _)| short);
    let end = put_right(buffer, right, y, room, state, quiet);
    let mut words_room = end.saturating_sub(x + 1);
    if let Some(near) = row.near {
        let wide = 8u16.min(words_room / 4);
        if wide >= 4 {
            let from = end - wide - 1;
            gauge(
                near,
                row.role,
                theme,
                Rect {
                    x: from,
                    y,
                    width: wide,
                    height: 1,
                },
                buffer,
            );
            words_room = from.saturating_sub(x + 1);
        }
    }
    put(
        buffer,
        x + 1,
        y,
        words_room.saturating_sub(1),
        &row.words,
        style,
    );
}

/// A bar that is full when the thing holds.
fn gauge(near: f64, role: Option<Role>, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let eighths = (near.clamp(0.0, 1.0) * f64::from(area.width) * 8.0).floor() as u16;
    let style = theme.role(role.unwrap_or(if near > 0.85 { Role::Thin } else { Role::Slot }));
    for cell in 0..area.width {
        let filled = eighths.saturating_sub(cell * 8).min(8);
        let glyph = ["·", "▏", "▎", "▍", "▌", "▋", "▊", "▉", "█"][usize::from(filled)];
        let style = if filled == 0 {
            theme.role(Role::Hair)
        } else {
            style
        };
        put(buffer, area.x + cell, area.y, 1, glyph, style);
    }
}

// ---- track

fn track(model: &Model, theme: Theme, kept: &mut Kept, area: Rect, buffer: &mut Buffer) {
    let quiet = theme.role(Role::Quiet);
    let (Some(report), Some(setup)) = (&model.report, &model.setup) else {
        put(
            buffer,
            area.x + 1,
            area.y,
            area.width - 1,
            "no run yet",
            quiet,
        );
        return;
    };
    let Some(sensor) = setup
        .robot
        .sensors
        .get(model.chart.track.0)
        .filter(|_| report.run.trace.sensors > model.chart.track.0)
    else {
        put(
            buffer,
            area.x + 1,
            area.y,
            area.width - 1,
            "this robot has no floor sensor",
            quiet,
        );
        return;
    };
    let key = (report.id, model.chart.track);
    if kept.key != Some(key) {
        kept.along = Along::of(&report.world, &report.run, model.chart.track);
        kept.key = Some(key);
    }
    let along = &kept.along;
    let tick = report
        .run
        .trace
        .tick_at(model.player.time + 1e-9)
        .min(along.looks.len().saturating_sub(1));
    let here = along.looks.get(tick).copied().unwrap_or(0.0);
    let head = format!("{} at {:.0} mm of its track", sensor.name, here * 1e3);
    let x = put(
        buffer,
        area.x + 1,
        area.y,
        area.width - 1,
        &head,
        theme.role(Role::Word),
    );
    let reads = report.run.trace.reading(tick, model.chart.track).brightness;
    let there = along
        .places
        .iter()
        .rfind(|place| place.at <= here + 1e-9)
        .map_or(0.0, |place| place.brightness);
    let words = format!(
        "  reads {:.0} %, {:.0} % is there",
        reads * 100.0,
        there * 100.0
    );
    put(
        buffer,
        x,
        area.y,
        area.right().saturating_sub(x),
        &words,
        theme.role(Role::Accent),
    );
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
    let (from, to) = match model.chart.span {
        Some((a, b)) => {
            let at = |seconds: f64| {
                along
                    .looks
                    .get(report.run.trace.tick_at(seconds))
                    .copied()
                    .unwrap_or(along.length())
            };
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
        let label = if nth == 0.0 {
            "0 mm".to_owned()
        } else {
            format!("{:.0}", nth * step)
        };
        let x = plot.x
            + ((nth * step / 1e3 - from) / (to - from) * f64::from(plot.width - 1)).round() as u16;
        if x >= free && x + columns(&label) <= area.right() {
            free = put(buffer, x, plot.bottom(), 8, &label, quiet) + 2;
        }
        nth += 1.0;
    }
    let hint = "line: what is there  dots: readings  | counted";
    put(
        buffer,
        area.x + 1,
        plot.bottom() + 1,
        area.width - 1,
        hint,
        quiet,
    );
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
    let mut dots = Dots::new(
        usize::from(plot.width),
        usize::from(plot.height),
        Grid::Fine,
    );
    let (wide, high) = (
        f64::from(2 * plot.width - 1),
        f64::from(4 * plot.height - 1),
    );
    let x = |at: f64| ((at - from) / (to - from) * wide).round() as i32;
    let y = |share: f64| ((1.0 - share.clamp(0.0, 1.0)) * (high - 3.0)).round() as i32;
    let name = report
        .world
        .robot
        .sensors
        .get(model.chart.track.0)
        .map_or("", |sensor| sensor.name.as_str());
    let limits = report
        .chart
        .tracks
        .iter()
        .find(|track| track.name == name)
        .map(|track| &track.kind);
    if let Some(TrackKind::Line { limits, .. }) = limits {
        for limit in limits {
            let at = |seconds: f64| {
                along
                    .looks
                    .get(report.run.trace.tick_at(seconds))
                    .copied()
                    .unwrap_or(along.length())
            };
            for column in (x(at(limit.from))..=x(at(limit.to))).filter(|column| column % 2 == 0) {
                dots.set(column, y(limit.value / 100.0), LIMIT);
            }
        }
    }
    // Where the robot looked: a dot a look, at the bottom. Gaps between them are where it was
    // blind.
    for look in along
        .looks
        .iter()
        .filter(|look| (from..=to).contains(*look))
    {
        dots.set(x(*look), high as i32, LOOK);
    }
    let mut before: Option<(i32, i32)> = None;
    for place in along
        .places
        .iter()
        .filter(|place| (from..=to).contains(&place.at))
    {
        let now = (x(place.at), y(place.brightness));
        if let Some(before) = before.filter(|before| *before != now) {
            dots.line(
                (f64::from(before.0), f64::from(before.1)),
                (f64::from(now.0), f64::from(now.1)),
                READING,
            );
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
                buffer[(plot.x + across, plot.y + down)]
                    .set_char(glyph)
                    .set_style(theme.role(role));
            }
        }
    }
    let column =
        |at: f64| plot.x + ((at - from) / (to - from) * f64::from(plot.width - 1)).round() as u16;
    let of_tick = |tick: usize| {
        along
            .looks
            .get(tick)
            .copied()
            .filter(|at| (from..=to).contains(at))
    };
    for stamp in &report.run.trace.events {
        let (sign, role) = match stamp.event {
            Event::Counted { step, exit, .. } => {
                let mut looks = report.program.steps[step].exits[exit].term.looks();
                let ours = looks.any(|look| look.test.sensor() == Some(model.chart.track));
                if !ours {
                    continue;
                }
                ("|", Role::Good)
            }
            Event::Left {
                exit: Some(_),
                step,
                ..
            } if report.program.steps[step].written => ("▾", Role::Accent),
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
    let tick = report
        .run
        .trace
        .tick_at(model.player.time + 1e-9)
        .min(along.looks.len().saturating_sub(1));
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

fn map(model: &Model, theme: Theme, area: Rect, open: bool, buffer: &mut Buffer) {
    let rows = map_rows(model);
    if rows.is_empty() {
        put(
            buffer,
            area.x + 1,
            area.y,
            area.width - 1,
            "no steps yet: a adds the first",
            theme.role(Role::Quiet),
        );
        return;
    }
    let list = Rect {
        height: area.height.saturating_sub(1),
        ..area
    };
    let active = model.active_step();
    let focused = open && model.focus == Pane::Side;
    // Below another tab it goes along with the run.
    let here = rows
        .iter()
        .position(|row| row.step.is_some() && row.step == active)
        .unwrap_or(0);
    let scroll = if open {
        model.side.scroll
    } else {
        (here + 2).saturating_sub(usize::from(list.height))
    };
    let marked = open.then_some(model.side.row);
    for ((index, row), y) in rows
        .iter()
        .enumerate()
        .skip(scroll)
        .zip(list.y..list.bottom())
    {
        if marked == Some(index) {
            mark_row(theme, list, y, focused, buffer);
        }
        let mut x = list.x + 1 + 2 * row.depth as u16;
        if let Some(step) = row.step {
            x = put(
                buffer,
                x,
                y,
                4,
                &format!("{:>2} ", step.number()),
                theme.step_patch(step),
            ) + 1;
        }
        let role = theme.role(if row.fails { Role::Wrong } else { Role::Quiet });
        let end = put_right(
            buffer,
            list.right().saturating_sub(2),
            y,
            list.width / 3,
            &row.leads,
            role,
        );
        let style = match () {
            () if row.step.is_some() && row.step == active => theme.role(Role::Accent),
            () if row.step.is_some() || row.key.is_some() => theme.role(Role::Text),
            () => theme.role(Role::Quiet),
        };
        put(buffer, x, y, end.saturating_sub(x + 1), &row.words, style);
        if let Some((name, holds)) = &row.key {
            let open = model.side.folded.contains(name) != *holds;
            put(
                buffer,
                list.right() - 1,
                y,
                1,
                if open { "▾" } else { "▸" },
                theme.role(Role::Hair),
            );
        }
    }
    let hint = "↓ next  →n to step n  ↻ again  ↱ out  ✓ done  ✗ fail";
    put(
        buffer,
        area.x + 1,
        list.bottom(),
        area.width - 1,
        hint,
        theme.role(Role::Quiet),
    );
}

// ---- findings

fn findings(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let all = all_findings(model);
    if all.is_empty() {
        put(
            buffer,
            area.x + 1,
            area.y,
            area.width - 1,
            "✓ no problems found",
            theme.role(Role::Good),
        );
        return;
    }
    let list = Rect {
        height: area.height.saturating_sub(MORE + 1),
        ..area
    };
    let focused = model.focus == Pane::Side;
    for ((index, finding), y) in all
        .iter()
        .enumerate()
        .skip(model.side.scroll)
        .zip(list.y..list.bottom())
    {
        if index == model.side.row {
            mark_row(theme, list, y, focused, buffer);
        }
        let (sign, role) = match finding.severity {
            Severity::Error => ("✗", Role::Wrong),
            Severity::Warning => ("!", Role::Thin),
            Severity::Note => ("·", Role::Quiet),
        };
        put(buffer, list.x + 1, y, 1, sign, theme.role(role));
        let (path, text) = model.project.source(finding.source, &model.mission().text);
        let (line, _) = line_column(text, finding.span.start);
        put_right(
            buffer,
            list.x + 7,
            y,
            4,
            &line.to_string(),
            theme.role(Role::Quiet),
        );
        let style = theme.role(if finding.severity == Severity::Note {
            Role::Quiet
        } else {
            Role::Text
        });
        // Of another file than the mission.
        let place = match finding.source {
            Source::Mission => String::new(),
            _ => format!("{path}: "),
        };
        let words = format!("{place}{}", finding.message);
        put(
            buffer,
            list.x + 8,
            y,
            list.width.saturating_sub(9),
            &words,
            style,
        );
    }
    more_mark(model.side.scroll, all.len(), list, theme, buffer);
    let (y, room) = (list.bottom(), area.width.saturating_sub(2));
    put(
        buffer,
        area.x,
        y,
        area.width,
        &"┈".repeat(usize::from(area.width)),
        theme.role(Role::Hair),
    );
    if focused {
        let hint = " Enter: what may help ";
        put_right(
            buffer,
            area.right().saturating_sub(1),
            y,
            area.width,
            hint,
            theme.role(Role::Accent),
        );
    }
    let Some(finding) = all.get(model.side.row) else {
        return;
    };
    let words = format!(
        "{}  ({}). {}",
        finding.message,
        finding.code,
        finding.hint_words().join(". ")
    );
    for (row, line) in wrapped(&words, room).take(usize::from(MORE)).enumerate() {
        put(
            buffer,
            area.x + 1,
            y + 1 + row as u16,
            room,
            line,
            theme.role(Role::Text),
        );
    }
}

// ---- score

/// The score sheet: what earned points, how often, and since when; what has not happened yet at the
/// time cursor is pale.
fn score(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, room) = (area.x + 1, area.width.saturating_sub(2));
    let Some((report, lines)) = score_of(model) else {
        let words =
            "No points are given on this field: [[score]] in its file adds a line (D opens it).";
        for (row, line) in wrapped(words, room)
            .enumerate()
            .take(usize::from(area.height))
        {
            put(
                buffer,
                x,
                area.y + row as u16,
                room,
                line,
                theme.role(Role::Quiet),
            );
        }
        return;
    };
    let rows = score_lines(&report.run);
    let list = Rect {
        height: area.height.saturating_sub(3),
        ..area
    };
    let focused = model.focus == Pane::Side;
    let shown = rows.iter().zip(&lines).enumerate().skip(model.side.scroll);
    for ((index, ((words, points), line)), y) in shown.zip(list.y..list.bottom()) {
        if index == model.side.row {
            mark_row(theme, list, y, focused, buffer);
        }
        let begun = line
            .first
            .is_some_and(|tick| report.run.trace.seconds(tick) <= model.player.time + 1e-9);
        let role = match () {
            () if !begun => Role::Quiet,
            () if line.each < 0.0 => Role::Wrong,
            () => Role::Good,
        };
        let end = put_right(buffer, area.right() - 1, y, 10, points, theme.role(role));
        put(
            buffer,
            x,
            y,
            end.saturating_sub(x + 1),
            words,
            theme.role(if begun { Role::Text } else { Role::Quiet }),
        );
    }
    more_mark(model.side.scroll, lines.len(), list, theme, buffer);
    let y = list.bottom();
    put(
        buffer,
        area.x,
        y,
        area.width,
        &"┈".repeat(usize::from(area.width)),
        theme.role(Role::Hair),
    );
    if let Some((words, total)) = rows.last() {
        let bold = theme.role(Role::Word).add_modifier(Modifier::BOLD);
        put_right(buffer, area.right() - 1, y + 1, 10, total, bold);
        put(buffer, x, y + 1, room, words, bold);
    }
    if let Some(verdict) = verdict_words(&report.run) {
        put(buffer, x, y + 2, room, &verdict, theme.role(Role::Quiet));
    }
}
