//! The strip chart: steps as bands, readings in dots with their limits, tones as ribbons, one time
//! cursor through all.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use wayodos_report::ink::tint;
use wayodos_report::{Chart, LimitSpan, MarkKind, Ribbon, Track, TrackKind, tick_step};

use super::band::{BAND, Band, bands_of};
use super::pen::{put, put_right, rule};
use super::plot;
use crate::tui::cells::{Dots, Grid};
use crate::tui::layout::Pane;
use crate::tui::measure::columns;
use crate::tui::model::Model;
use crate::tui::sight::chart::{Axis, in_order, names, plot_columns};
use crate::tui::theme::{Depth, Role, Theme};

/// Inks of [`Dots`].
const READING: u16 = 1;
const LIMIT: u16 = 2;

/// Draws the pane; `pixels` says how, where its plot is to be a picture.
pub fn draw(
    model: &Model,
    theme: Theme,
    pixels: Option<plot::Manner>,
    kept: &mut plot::Kept,
    area: Rect,
    buffer: &mut Buffer,
) {
    let focused = model.focus == Pane::Chart;
    let hair = theme.role(if focused { Role::Accent } else { Role::Hair });
    let (left, width) = plot_columns(area);
    // The title bar of the pane doubles as the bands of the steps.
    rule(buffer, area, hair);
    let Some(report) = &model.report else {
        let words = match () {
            () if model.mission().prepared.program.is_some() => "the run is being made",
            () if model.doc.findings.is_empty() => {
                "the run will be drawn here over time: readings, limits, steps"
            }
            () => "no run yet: fix the errors first",
        };
        put(
            buffer,
            area.x + 1,
            area.y + 1,
            area.width - 1,
            words,
            theme.role(Role::Quiet),
        );
        return;
    };
    let chart = &report.chart;
    let (from, to) = model.chart.span.unwrap_or((0.0, chart.end));
    let axis = Axis {
        left,
        width,
        from,
        to,
    };
    bands(chart, &axis, theme, area.y, buffer);
    if focused || model.chart.span.is_some() {
        let words = if model.chart.span.is_some() {
            format!(" {from:.1} - {to:.1} s ")
        } else {
            " chart ".to_owned()
        };
        let style = if focused {
            theme.patch(Role::Accent)
        } else {
            theme.role(Role::Quiet)
        };
        put(buffer, area.x + 1, area.y, names(area) - 2, &words, style);
    }
    let marks_row = area.bottom() - 2;
    let tracks: Vec<&Track> = chart
        .tracks
        .iter()
        .filter(|track| track.usual != model.chart.toggled.contains(&track.name))
        .collect();
    let lines = tracks
        .iter()
        .filter(|track| matches!(track.kind, TrackKind::Line { .. }))
        .count();
    let ribbons = tracks.len() - lines;
    let room = usize::from(area.height).saturating_sub(3 + ribbons);
    let mut y = area.y + 1;
    let mut line = 0;
    let mut plotted = Vec::new();
    for track in tracks {
        let height = if matches!(track.kind, TrackKind::Line { .. }) {
            // What cannot be shared evenly goes to the upper ones.
            let height = room / lines + usize::from(line < room % lines);
            line += 1;
            height as u16
        } else {
            1
        };
        let height = height.min(marks_row.saturating_sub(y));
        if height == 0 {
            continue;
        }
        let place = Rect::new(area.x, y, area.width, height);
        if pixels.is_none() {
            shade_bands(chart, &axis, theme, place, buffer);
            if let TrackKind::Line { low, high, .. } = &track.kind {
                for band in bands_of(model, track) {
                    shade_band(&band, (*low, *high), &axis, theme, place, buffer);
                }
            }
        }
        name(track, chart, model, theme, place, buffer);
        match &track.kind {
            _ if pixels.is_some() => plotted.push((track, place, bands_of(model, track))),
            TrackKind::Line {
                values,
                low,
                high,
                limits,
            } => {
                plot_line(
                    values,
                    chart.period,
                    (*low, *high),
                    limits,
                    &axis,
                    theme,
                    place,
                    buffer,
                );
            }
            TrackKind::Tones(ribbons) => plot_ribbons(ribbons, &axis, theme, y, buffer),
        }
        y += height;
    }
    marks(chart, &axis, theme, marks_row, buffer);
    seconds(&axis, theme, area.bottom() - 1, buffer);
    cursor(model, &axis, theme, area, buffer);
    let place = Rect {
        x: left,
        y: area.y + 1,
        width,
        height: y.min(marks_row) - (area.y + 1),
    };
    if let Some(how) = pixels.filter(|_| place.height > 0) {
        for cell in place.positions() {
            buffer[cell].reset();
        }
        let times = [
            (model.until.as_ref().map(|_| model.end()), Role::Thin),
            (model.chart.pin, Role::Good),
        ];
        let times = times
            .into_iter()
            .filter_map(|(time, role)| Some((time?, role)));
        let times: Vec<(f64, Role)> = times
            .chain([(model.player.time, Role::Accent)])
            .filter(|(time, _)| axis.shows(*time, *time))
            .collect();
        plot::paint(chart, &plotted, &times, &axis, how, place, kept);
    }
}

fn bands(chart: &Chart, axis: &Axis, theme: Theme, y: u16, buffer: &mut Buffer) {
    for band in chart
        .bands
        .iter()
        .filter(|band| axis.shows(band.from, band.to))
    {
        let (from, to) = (axis.column(band.from), axis.column(band.to));
        let style = theme.step_patch(band.step);
        // Without colours, a gap tells neighbours apart.
        let gap = u16::from(theme.depth == Depth::Mono && to > from + 2);
        for x in from..(to - gap).max(from + 1) {
            buffer[(x, y)].set_char(' ').set_style(style);
        }
        let number = band.step.number().to_string();
        let room = to.saturating_sub(from);
        if columns(&number) < room || (columns(&number) == room && room > 0) {
            let x = put(
                buffer,
                from + u16::from(room > columns(&number)),
                y,
                room,
                &number,
                style,
            );
            if room >= columns(&band.name) + columns(&number) + 3 {
                put(
                    buffer,
                    x + 1,
                    y,
                    room,
                    &band.name,
                    style.remove_modifier(Modifier::BOLD),
                );
            }
        }
    }
}

/// A breath of each step's tint behind its part of the readings.
fn shade_bands(chart: &Chart, axis: &Axis, theme: Theme, place: Rect, buffer: &mut Buffer) {
    if theme.depth != Depth::True {
        return;
    }
    for band in chart
        .bands
        .iter()
        .filter(|band| axis.shows(band.from, band.to))
    {
        let (from, to) = (axis.column(band.from), axis.column(band.to));
        let ground = theme.colour(theme.ground().towards(tint(band.step), 0.13));
        buffer.set_style(
            Rect::new(from, place.y, to.max(from + 1) - from, place.height),
            Style::new().bg(ground),
        );
    }
}

/// Where the many runs read, as a lighter ground.
fn shade_band(
    band: &Band<'_>,
    (low, high): (f64, f64),
    axis: &Axis,
    theme: Theme,
    place: Rect,
    buffer: &mut Buffer,
) {
    if theme.depth != Depth::True {
        return;
    }
    let rows = f64::from(place.height);
    let row = |value: f64| (1.0 - ((value - low) / (high - low)).clamp(0.0, 1.0)) * rows;
    let width = f64::from(axis.width.saturating_sub(1).max(1));
    for x in 0..axis.width {
        let seconds = axis.from + f64::from(x) / width * (axis.to - axis.from);
        let Some((least, most)) = band.at(seconds) else {
            return;
        };
        let (top, bottom) = (row(most), row(least));
        // A cell of which the band covers half, and always one.
        let first = top.round().min(rows - 1.0) as u16;
        let last = (bottom.round() as u16).max(first + 1).min(place.height);
        for y in first..last {
            let cell = &mut buffer[(axis.left + x, place.y + y)];
            let ground = theme.colour(theme.ground().towards(theme.rgb(band.role), BAND));
            cell.set_bg(ground);
        }
    }
}

/// The track's name, and what it reads at the time cursor.
fn name(
    track: &Track,
    chart: &Chart,
    model: &Model,
    theme: Theme,
    place: Rect,
    buffer: &mut Buffer,
) {
    let room = names(place) - 1;
    let time = model.player.time;
    let value = match &track.kind {
        TrackKind::Line {
            values, high, low, ..
        } => {
            let at = |time: f64| {
                let tick =
                    ((time / chart.period + 1e-6) as usize).min(values.len().saturating_sub(1));
                values.get(tick).copied()
            };
            // What hardly varies is worth a decimal.
            let fine = usize::from(high - low <= 10.0);
            let words = |value: f32| {
                let grain = 10f32.powi(fine as i32);
                format!("{:.fine$}", (value * grain).round() / grain + 0.0)
            };
            match (at(time), model.chart.pin.and_then(at)) {
                (Some(now), Some(then)) => Some(format!(
                    "{} ({}{})",
                    words(now),
                    if now >= then { "+" } else { "" },
                    words(now - then)
                )),
                (now, _) => now.map(words),
            }
        }
        TrackKind::Tones(ribbons) => {
            // The last one of a run ends with its last tick, and is still what is seen then.
            let lasts = |ribbon: &&Ribbon| {
                time <= ribbon.to + chart.period || ribbon.to >= chart.end - 1e-9
            };
            let now = ribbons
                .iter()
                .rfind(|ribbon| ribbon.from <= time + 1e-9)
                .filter(lasts);
            now.map(|ribbon| ribbon.tone.clone())
        }
    };
    let bare = value.unwrap_or_default();
    let mut value = if track.unit.is_empty() {
        bare.clone()
    } else {
        format!("{bare} {}", track.unit)
    };
    if place.height == 1 && columns(&track.name) + columns(&value) + 2 > room {
        value = bare;
    }
    let (x, y) = (place.x + 1, place.y);
    let accent = theme.role(Role::Accent);
    // In a narrow pane the value goes below its name, or is cut short.
    let wide = columns(&value);
    if columns(&track.name) + wide + 2 <= room {
        put(buffer, x, y, room, &track.name, theme.role(Role::Text));
        put_right(buffer, x + room - 1, y, room, &value, accent);
    } else if place.height > 1 {
        put(buffer, x, y, room - 1, &track.name, theme.role(Role::Text));
        put_right(buffer, x + room - 1, y + 1, room, &value, accent);
    } else {
        let name = room.saturating_sub(wide + 2).max(room / 2);
        let behind = put(buffer, x, y, name, &track.name, theme.role(Role::Text));
        put_right(
            buffer,
            x + room - 1,
            y,
            (x + room - 1).saturating_sub(behind + 1),
            &value,
            accent,
        );
    }
}

#[allow(
    clippy::too_many_arguments,
    reason = "a private piece of `draw`, split off only for its length"
)]
fn plot_line(
    values: &[f32],
    period: f64,
    (low, high): (f64, f64),
    limits: &[LimitSpan],
    axis: &Axis,
    theme: Theme,
    place: Rect,
    buffer: &mut Buffer,
) {
    let mut dots = Dots::new(
        usize::from(axis.width),
        usize::from(place.height),
        Grid::Fine,
    );
    let rows = f64::from(4 * place.height - 1);
    let row =
        |value: f64| ((1.0 - ((value - low) / (high - low)).clamp(0.0, 1.0)) * rows).round() as i32;
    for limit in limits
        .iter()
        .filter(|limit| axis.shows(limit.from, limit.to))
    {
        // Where a tone is lost again is drawn half as dense as where it is found.
        for (value, every) in [(limit.back, 4), (limit.value, 2)] {
            for x in (axis.dot(limit.from)..=axis.dot(limit.to)).filter(|x| x % every == 0) {
                dots.set(x, row(value), LIMIT);
            }
        }
    }
    let mut before: Option<i32> = None;
    let all = 2 * i32::from(axis.width) - 1;
    let span = (axis.to - axis.from) / f64::from(all.max(1));
    for x in 0..all {
        let at = |x: f64| ((axis.from + x * span) / period).max(0.0) as usize;
        let from = at(f64::from(x) - 0.5);
        let to = at(f64::from(x) + 0.5).max(from + 1).min(values.len());
        let Some(part) = values.get(from..to).filter(|part| !part.is_empty()) else {
            continue;
        };
        let least = row(f64::from(
            part.iter().copied().fold(f32::INFINITY, f32::min),
        ));
        let most = row(f64::from(
            part.iter().copied().fold(f32::NEG_INFINITY, f32::max),
        ));
        // Joined to the column before, so that a fast change is a line and not a gap.
        let (mut top, mut bottom) = (most, least);
        if let Some(before) = before {
            (top, bottom) = (top.min(before), bottom.max(before));
        }
        for y in top..=bottom {
            dots.set(x, y, READING);
        }
        before = part.last().map(|value| row(f64::from(*value)));
    }
    let styles = [theme.role(Role::Text), theme.role(Role::Thin)];
    for down in 0..place.height {
        for across in 0..axis.width {
            if let Some((glyph, ink)) = dots.at(usize::from(across), usize::from(down)) {
                let style = styles[usize::from(ink == LIMIT)];
                buffer[(axis.left + across, place.y + down)]
                    .set_char(glyph)
                    .set_style(style);
            }
        }
    }
}

fn plot_ribbons(ribbons: &[Ribbon], axis: &Axis, theme: Theme, y: u16, buffer: &mut Buffer) {
    for ribbon in in_order(ribbons, axis) {
        let (from, to) = (axis.column(ribbon.from), axis.column(ribbon.to));
        let wide = to.saturating_sub(from).max(1);
        // In the mat's own colours, as the sensor saw them.
        let style = theme.on_patch(ribbon.rgb);
        for x in from..from + wide {
            buffer[(x, y)].set_char(' ').set_style(style);
        }
        if columns(&ribbon.tone) + 2 <= wide {
            put(buffer, from + 1, y, wide, &ribbon.tone, style);
        } else if theme.depth == Depth::Mono {
            // Without colours, the first letter says which tone it is.
            let letter: String = ribbon.tone.chars().take(1).collect();
            put(buffer, from, y, 1, &letter, style);
        }
    }
}

/// What happened, as signs above the axis: a step begins, a line was counted, something went wrong.
fn marks(chart: &Chart, axis: &Axis, theme: Theme, y: u16, buffer: &mut Buffer) {
    for mark in chart
        .marks
        .iter()
        .filter(|mark| axis.shows(mark.at, mark.at))
    {
        let (sign, role) = match mark.kind {
            MarkKind::Wrong => ("✗", Role::Wrong),
            MarkKind::Line => ("|", Role::Text),
            MarkKind::World => ("◆", Role::Accent),
            MarkKind::Step | MarkKind::End => ("▾", Role::Quiet),
        };
        put(buffer, axis.column(mark.at), y, 1, sign, theme.role(role));
    }
}

fn seconds(axis: &Axis, theme: Theme, y: u16, buffer: &mut Buffer) {
    let step = tick_step(axis.to - axis.from, f64::from(axis.width) / 8.0);
    let mut count = (axis.from / step - 1e-9).ceil();
    loop {
        let at = count * step;
        let label = if at == 0.0 {
            "0 s".to_owned()
        } else {
            format!("{}", (at * 100.0).round() / 100.0)
        };
        let x = axis.column(at);
        if at > axis.to + 1e-9 || x + columns(&label) > axis.left + axis.width {
            return;
        }
        put(buffer, x, y, 8, &label, theme.role(Role::Quiet));
        count += 1.0;
    }
}

/// One column through everything, and its time below; a second one where a time is pinned.
fn cursor(model: &Model, axis: &Axis, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let mut through = |seconds: f64, role: Role, label: &str| {
        if !axis.shows(seconds, seconds) {
            return;
        }
        let x = axis.column(seconds);
        let style = theme.role(role);
        for y in area.y + 1..area.bottom() - 1 {
            let cell = &mut buffer[(x, y)];
            if cell.symbol() == " " || theme.depth == Depth::Mono {
                cell.set_symbol("│").set_style(style);
            } else {
                cell.set_style(style);
            }
        }
        let wide = columns(label);
        let left = x
            .saturating_sub(wide / 2)
            .clamp(axis.left, (axis.left + axis.width).saturating_sub(wide));
        // Free of the labels of the axis.
        for gap in [left.saturating_sub(1), left + wide] {
            if gap < area.right() {
                buffer[(gap, area.bottom() - 1)].set_symbol(" ");
            }
        }
        put(
            buffer,
            left,
            area.bottom() - 1,
            wide,
            label,
            theme.patch(role),
        );
    };
    if let Some(end) = model.until.as_ref().map(|_| model.end()) {
        through(end, Role::Thin, "end");
    }
    if let Some(pin) = model.chart.pin {
        through(pin, Role::Good, &format!("{pin:.2}"));
    }
    let label = match model.chart.pin {
        Some(pin) => format!(
            "{:.2} = {:+.2} s",
            model.player.time,
            model.player.time - pin
        ),
        None => format!("{:.1}", model.player.time),
    };
    through(model.player.time, Role::Accent, &label);
}
