//! The lines around the panes: what is open, what changed, the moment under the cursor, and the
//! keys.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use wayodos_core::controller::WheelCommand;
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::lab::statistics::Share;
use wayodos_core::mission::about;
use wayodos_core::record::{Outcome, Tick};
use wayodos_report::words::result_words;

use super::pen::{paint_row, put, put_right, rule};
use crate::tui::document::Document;
use crate::tui::measure::columns;
use crate::tui::model::{Mode, Model, SPEEDS, ScreenName};
use crate::tui::sight::bars::{HintSpot, hint_spots};
use crate::tui::sight::spread::share_role;
use crate::tui::theme::{Role, Theme};

/// What is open, and how it came out.
pub fn title(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (y, right) = (area.y, area.right().saturating_sub(1));
    paint_row(
        buffer,
        area,
        y,
        theme.on(theme.role(Role::Text), theme.raised()),
    );
    let (words, role) = outcome(model);
    let style = theme.role(role).add_modifier(Modifier::BOLD);
    let right = held(model, theme, area, right, buffer);
    let end = put_right(buffer, right, y, area.width * 6 / 10, &words, style).saturating_sub(2);
    let name = model
        .mission()
        .prepared
        .parsed
        .mission
        .name
        .as_ref()
        .map_or("a mission without a name", |name| name.node.as_str());
    let mut x = area.x + 1;
    let room = |x: u16| end.saturating_sub(x);
    let shown = |screen: ScreenName| {
        let style = theme.role(if model.screen == screen {
            Role::Word
        } else {
            Role::Quiet
        });
        if model.screen == screen {
            style.add_modifier(Modifier::BOLD)
        } else {
            style
        }
    };
    x = put(
        buffer,
        x,
        y,
        room(x),
        model.project.name(),
        shown(ScreenName::Project),
    );
    x = put(buffer, x, y, room(x), " · ", theme.role(Role::Quiet));
    let unsaved = |document: &Document| {
        if document.unsaved() {
            " • not saved"
        } else {
            ""
        }
    };
    if model.doc.is_mission() || model.screen != ScreenName::Mission {
        x = put(buffer, x, y, room(x), name, shown(ScreenName::Mission));
    } else {
        // The mission stands behind, and says when it is not saved either.
        x = put(buffer, x, y, room(x), name, theme.role(Role::Quiet));
        x = put(
            buffer,
            x,
            y,
            room(x),
            unsaved(model.mission()),
            theme.role(Role::Accent),
        );
        x = put(buffer, x, y, room(x), " · ", theme.role(Role::Quiet));
        let words = format!("{} {}", model.doc.language.word(), stem(&model.doc.path));
        x = put(buffer, x, y, room(x), &words, shown(ScreenName::Mission));
    }
    if model.trial.is_some() {
        x = put(
            buffer,
            x,
            y,
            room(x),
            " • only tried",
            theme.role(Role::Accent),
        );
    } else if model.doc.unsaved() {
        x = put(
            buffer,
            x,
            y,
            room(x),
            " • not saved",
            theme.role(Role::Accent),
        );
    }
    if let Some(words) = model
        .report
        .as_ref()
        .and_then(|report| report.chance.words())
    {
        let words = match &model.opponent {
            Some(shown) => format!(" • {words} against {}", shown.name),
            None => format!(" • {words}"),
        };
        x = put(buffer, x, y, room(x), &words, theme.role(Role::Accent));
    }
    if let Some(from) = &model.from {
        x = put(
            buffer,
            x,
            y,
            room(x),
            &format!(" ▸ from \"{}\"", from.step),
            theme.role(Role::Accent),
        );
    }
    if let Some(until) = &model.until {
        x = put(
            buffer,
            x,
            y,
            room(x),
            &format!(" ▪ up to \"{until}\""),
            theme.role(Role::Accent),
        );
    }
    if !model.hands.is_empty() {
        let words = if model.hands.len() == 1 {
            " h 1 hand".to_owned()
        } else {
            format!(" h {} hands", model.hands.len())
        };
        x = put(buffer, x, y, room(x), &words, theme.role(Role::Accent));
    }
    if let Some(setup) = &model.setup {
        // In a varied run it is another one.
        let varied = model.report.as_ref().filter(|report| report.chance.run > 0);
        let robot = varied.map_or(&setup.robot, |report| &report.world.robot);
        let about = format!(
            "{}   {:.1} V   seed {}",
            robot.name, robot.battery, model.seed
        );
        if columns(&about) + 4 < room(x) {
            put_right(
                buffer,
                end.saturating_sub(2),
                y,
                area.width,
                &about,
                theme.role(Role::Quiet),
            );
        }
    }
}

/// How many of the many runs held, at the right edge; the column that is left of it. Its place is
/// kept while they are being made, so that nothing jumps.
fn held(model: &Model, theme: Theme, area: Rect, right: u16, buffer: &mut Buffer) -> u16 {
    let wanted = model.project.config.spread;
    if wanted == 0 || model.stale() || model.report.is_none() || model.from.is_some() {
        return right;
    }
    // In a narrow window the numbers alone.
    let narrow = area.width < 100;
    let words = |times: &str, of: &str| {
        if narrow {
            format!("{times}/{of}")
        } else {
            format!("held {times} of {of}")
        }
    };
    let most = wanted.to_string();
    let (wide, y) = (columns(&words(&most, &most)), area.y);
    // Of a text that is only tried they are not known.
    if let Some(result) = model.many.result.as_ref().filter(|_| model.trial.is_none()) {
        let growing = !result.spread.is_complete();
        let style = theme.role(share_role(result.summary.held));
        let style = if growing {
            style
        } else {
            style.add_modifier(Modifier::BOLD)
        };
        let Share { times, of } = result.summary.held;
        let words = words(&times.to_string(), &of.to_string());
        put_right(buffer, right, y, wide, &words, style);
    } else {
        let words = if narrow { "..." } else { "held ..." };
        put_right(buffer, right, y, wide, words, theme.role(Role::Quiet));
    }
    right.saturating_sub(wide + 2)
}

fn outcome(model: &Model) -> (String, Role) {
    let mission = model.mission();
    let empty = mission.prepared.parsed.mission.steps.is_empty() && mission.findings.is_empty();
    if empty && model.setup.is_some() && !model.unfit {
        return ("no steps yet".into(), Role::Quiet);
    }
    if model.stale()
        || (model.report.is_none() && (model.unfit || mission.prepared.program.is_none()))
    {
        // Where the mistake is, when it is not in the mission.
        let errors = |findings: &[Finding]| {
            findings
                .iter()
                .filter(|one| one.severity == Severity::Error)
                .count()
        };
        let (own, others) = (
            errors(&mission.prepared.findings),
            errors(&model.project.findings),
        );
        let (count, s) = (
            (own + others).max(1),
            if own + others > 1 { "s" } else { "" },
        );
        let worst = model
            .project
            .findings
            .iter()
            .find(|one| one.severity == Severity::Error);
        let place = worst.map_or_else(String::new, |one| {
            format!(" in {}", model.project.source(one.source, "").0)
        });
        return (format!("cannot run: {count} error{s}{place}"), Role::Wrong);
    }
    let Some(report) = &model.report else {
        return ("running".into(), Role::Quiet);
    };
    let words = result_words(&report.run, &report.program);
    match report.run.outcome {
        Outcome::Done => (format!("✓ {words}"), Role::Good),
        Outcome::Failed | Outcome::Limit | Outcome::Fell | Outcome::Error => {
            (format!("✗ {words}"), Role::Wrong)
        }
    }
}

/// `curlew` of `robots/curlew.toml`.
fn stem(path: &str) -> &str {
    let name = path.rsplit('/').next().unwrap_or(path);
    name.split('.').next().unwrap_or(name)
}

/// What the last edit changed, or what was said.
pub fn change(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let room = area.width.saturating_sub(2);
    rule(buffer, area, theme.role(Role::Hair));
    let here = crate::tui::sight::text::wrong_here(model);
    let typed = here
        .as_ref()
        .filter(|_| matches!(model.mode, Mode::Free(_)));
    let refused = match &model.mode {
        Mode::Typing(entry) => entry.error.as_deref(),
        _ => None,
    };
    let (words, style) = match (refused, typed, &model.notice) {
        (Some(error), ..) => (error, theme.role(Role::Wrong).add_modifier(Modifier::BOLD)),
        (None, Some((words, role)), _) => (words.as_str(), theme.role(*role)),
        (None, None, Some(notice)) => (notice.text.as_str(), theme.role(notice.role)),
        (None, None, None) if !model.change.is_empty() && !model.stale() => {
            (model.change.as_str(), theme.role(Role::Accent))
        }
        _ => return,
    };
    put(
        buffer,
        area.x + 1,
        area.y,
        room,
        &format!(" {words} "),
        style,
    );
}

/// The moment under the time cursor, and the slot under the other one.
pub fn status(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (y, right) = (area.y, area.right().saturating_sub(1));
    let text = theme.role(Role::Text);
    let mut end = right;
    let pointed = model.field.hover.and_then(|at| {
        let areas = model.areas()?;
        if areas.field.contains(at) {
            return super::field::readout(model, areas.field, at);
        }
        let seconds = crate::tui::sight::chart::time_at(model, areas.chart, at.x)
            .filter(|_| areas.chart.contains(at))?;
        Some(format!("{seconds:.2} s under the pointer"))
    });
    if let Some(words) = pointed.or_else(|| slot_words(model)) {
        end = put_right(
            buffer,
            right,
            y,
            area.width / 2,
            &words,
            theme.role(Role::Quiet),
        )
        .saturating_sub(2);
    }
    let mut x = area.x + 1;
    let Some(report) = &model.report else { return };
    let trace = &report.run.trace;
    let Some(tick) = trace.ticks.get(trace.tick_at(model.player.time + 1e-9)) else {
        return;
    };
    let sign = if model.player.playing {
        format!("▶ {}x", SPEEDS[model.player.speed])
    } else {
        "at".to_owned()
    };
    let play = if model.player.playing {
        theme.role(Role::Good)
    } else {
        theme.role(Role::Quiet)
    };
    let room = |x: u16| end.saturating_sub(x);
    x = put(buffer, x, y, room(x), &sign, play) + 1;
    let time = theme.role(Role::Accent).add_modifier(Modifier::BOLD);
    x = put(
        buffer,
        x,
        y,
        room(x),
        &format!("{:.2} s", model.player.time),
        time,
    ) + 2;
    if let Some(band) = report.chart.band_at(model.player.time) {
        let number = format!(" {} ", band.step.number());
        x = put(buffer, x, y, room(x), &number, theme.step_patch(band.step)) + 1;
        if area.width >= 120 {
            x = put(buffer, x, y, room(x), &band.name, text) + 2;
        } else {
            x += 1;
        }
    }
    let pose = tick.pose;
    let heading = wayodos_core::units::math::heading_in_degrees(pose.heading);
    let [left, right] = [tick.command.left, tick.command.right].map(command_words);
    let wheels = if left == right {
        left
    } else {
        format!("{left} / {right}")
    };
    let stops = crate::tui::sight::field::rest(model)
        .map(|rest| (rest.x - pose.x).hypot(rest.y - pose.y) * 1e3);
    let stops = stops.map_or_else(String::new, |way| format!("stops in {way:.0} mm"));
    let facts = [
        format!("wheels {wheels}"),
        format!("{:.0}, {:.0} mm", pose.x * 1e3, pose.y * 1e3),
        format!("heading {heading:.0} deg"),
        stops,
    ];
    for fact in facts.into_iter().filter(|fact| !fact.is_empty()) {
        if columns(&fact) <= room(x) {
            x = put(buffer, x, y, room(x), &fact, text) + 3;
        }
    }
    let event = match tick {
        Tick { hangs: true, .. } => "a wheel hangs over the edge",
        Tick { touched: true, .. } => "touches a wall",
        Tick { met: true, .. } => "pushes something",
        Tick { slipped: true, .. } => "a tyre slips",
        _ => "",
    };
    put(buffer, x, y, room(x), event, theme.role(Role::Thin));
}

fn command_words(command: WheelCommand) -> String {
    match command {
        WheelCommand::Duty(duty) => format!("{:.0} %", duty * 100.0 + 0.0),
        WheelCommand::Brake => "brake".into(),
        WheelCommand::Coast => "coast".into(),
        WheelCommand::Keep => "keep".into(),
        WheelCommand::Speed(speed) => format!("{:.0} mm/s", speed * 1000.0 + 0.0),
    }
}

/// What may stand in the slot under the cursor.
fn slot_words(model: &Model) -> Option<String> {
    if model.doc.values.is_some() {
        return crate::tui::sight::bars::about_value(model);
    }
    Some(about::slot(
        &model.doc.prepared.parsed,
        &model.doc.text,
        model.doc.slot()?,
    ))
}

/// The keys that help just now.
pub fn hints(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let y = area.y;
    paint_row(
        buffer,
        area,
        y,
        theme.on(theme.role(Role::Quiet), theme.raised()),
    );
    for HintSpot { x, key, what, .. } in hint_spots(model, area) {
        let x = put(buffer, x, y, area.width, key, theme.role(Role::Word)) + 1;
        put(buffer, x, y, area.width, what, theme.role(Role::Quiet));
    }
}
