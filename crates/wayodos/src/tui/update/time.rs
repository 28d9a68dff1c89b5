//! Time: the cursor, playing, pieces of a run, and what a new run changes.

use std::sync::Arc;

use wayodos_core::field::{Point, Pose};
use wayodos_core::mission::LineKind;
use wayodos_core::scatter::Scatter;
use wayodos_core::sim::Chance;
use wayodos_report::MarkKind;
use wayodos_report::words::change_words;

use super::super::model::{Camera, Cursor, Model, Question, SPEEDS};
use super::super::theme::Role;
use super::ask;
use super::change::run_again;
use super::effect::Effect;
use crate::work::{From, RunReport};

/// No less than this many seconds fill the chart.
const LEAST_SPAN: f64 = 0.2;

pub(super) fn set(model: &mut Model, seconds: f64) {
    model.player.time = seconds.clamp(0.0, model.end());
    // What the chart shows goes along.
    if let Some((from, to)) = model.chart.span {
        let wide = to - from;
        if model.player.time < from || model.player.time > to {
            let start =
                (model.player.time - wide / 2.0).clamp(0.0, (chart_end(model) - wide).max(0.0));
            model.chart.span = Some((start, start + wide));
        }
    }
}

fn chart_end(model: &Model) -> f64 {
    model.report.as_ref().map_or(0.0, |report| report.chart.end)
}

pub(super) fn shift(model: &mut Model, seconds: f64) {
    model.player.playing = false;
    // On the grid of the shift, so that steps back and ahead meet.
    let grid = seconds.abs();
    set(model, ((model.player.time + seconds) / grid).round() * grid);
}

/// This many control periods ahead.
pub(super) fn tick(model: &mut Model, by: isize) {
    let Some(report) = model.report.clone() else {
        return;
    };
    model.player.playing = false;
    let tick = report
        .run
        .trace
        .tick_at(model.player.time + 1e-9)
        .saturating_add_signed(by);
    set(model, report.run.trace.seconds(tick));
}

/// To where the step is over that is active, or to where it began.
pub(super) fn through_step(model: &mut Model, ahead: bool) {
    let Some(report) = model.report.clone() else {
        return;
    };
    model.player.playing = false;
    let bands = &report.chart.bands;
    let to = if ahead {
        bands
            .iter()
            .find(|band| band.from > model.player.time + 1e-6)
            .map_or(report.chart.end, |band| band.from)
    } else {
        bands
            .iter()
            .rfind(|band| band.from < model.player.time - 1e-6)
            .map_or(0.0, |band| band.from)
    };
    set(model, to);
    step_of_time(model);
}

/// Shows less of the time around the cursor, or more.
pub(super) fn zoom(model: &mut Model, by: f64) {
    let end = chart_end(model);
    if end <= 0.0 {
        return;
    }
    let (from, to) = model.chart.span.unwrap_or((0.0, end));
    let wide = ((to - from) / by).clamp(LEAST_SPAN.min(end), end);
    if wide >= end - 1e-9 {
        model.chart.span = None;
        return;
    }
    // The cursor stays where it is on the screen.
    let share = ((model.player.time - from) / (to - from)).clamp(0.0, 1.0);
    let start = (model.player.time - share * wide).clamp(0.0, end - wide);
    model.chart.span = Some((start, start + wide));
}

pub(super) fn pin(model: &mut Model) {
    model.chart.pin = match model.chart.pin {
        Some(_) => None,
        None => Some(model.player.time),
    };
    let words = if model.chart.pin.is_some() {
        "pinned: move the time to measure from here"
    } else {
        "unpinned"
    };
    model.say(Role::Quiet, words);
}

pub(super) fn play(model: &mut Model) {
    model.player.playing = !model.player.playing && model.report.is_some();
    if model.player.playing && model.player.time >= model.end() - 1e-6 {
        set(model, 0.0);
    }
}

pub(super) fn speed(model: &mut Model, by: isize) {
    model.player.speed = model
        .player
        .speed
        .saturating_add_signed(by)
        .min(SPEEDS.len() - 1);
    model.say(
        Role::Quiet,
        format!("plays at {}x", SPEEDS[model.player.speed]),
    );
}

pub(super) fn on_tick(model: &mut Model, seconds: f64) {
    if !model.player.playing {
        return;
    }
    let before = model.player.time;
    let mut after = before + seconds * SPEEDS[model.player.speed];
    if !model.player.breaks.is_empty()
        && let Some(report) = &model.report
    {
        let stops = |name: &str| model.player.breaks.contains(name);
        let stop = report
            .chart
            .bands
            .iter()
            .find(|band| band.from > before + 1e-6 && band.from <= after && stops(&band.name));
        if let Some(band) = stop {
            after = band.from;
            model.player.playing = false;
            let words = format!("stopped before {} \"{}\"", band.step.number(), band.name);
            model.say(Role::Accent, words);
        }
    }
    set(model, after);
    if model.player.time >= model.end() {
        model.player.playing = false;
    }
}

pub(super) fn jump(model: &mut Model, ahead: bool) {
    model.player.playing = false;
    let Some(report) = model.report.clone() else {
        return;
    };
    let marks = &report.chart.marks;
    let here = model.player.time;
    let target = if ahead {
        marks.iter().find(|mark| mark.at > here + 1e-6)
    } else {
        marks.iter().rfind(|mark| mark.at < here - 1e-6)
    };
    if let Some(at) = target.map(|mark| mark.at) {
        // All that happened at that moment: a step that gives a signal is two things at once.
        let now: Vec<_> = marks.iter().filter(|mark| mark.at == at).collect();
        let wrong = now.iter().any(|mark| mark.kind == MarkKind::Wrong);
        let words: Vec<&str> = now.iter().map(|mark| mark.words.as_str()).collect();
        let words = format!("{at:.2} s: {}", words.join(", "));
        set(model, at);
        model.say(if wrong { Role::Wrong } else { Role::Quiet }, words);
    }
}

pub(super) fn time_to_step(model: &mut Model) {
    to_line(model, model.doc.cursor.line, true);
}

/// Puts the time where the step of a line began; says so when it never did, if asked to.
pub(super) fn to_line(model: &mut Model, line: usize, say: bool) {
    let step = model.step_of_line(line);
    let Some((step, report)) = step.zip(model.report.clone()) else {
        return;
    };
    model.player.playing = false;
    match report.chart.bands.iter().find(|band| band.step == step) {
        Some(band) => set(model, band.from),
        None if say => model.say(Role::Quiet, "this step was not reached in the run"),
        None => {}
    }
}

pub(super) fn step_of_time(model: &mut Model) {
    let Some(step) = model.active_step() else {
        return;
    };
    if let Some(line) = model.line_of_step(step) {
        model.doc.cursor = Cursor { line, nth: 0 };
    }
}

pub(super) fn on_run(model: &mut Model, id: u64, report: Option<Arc<RunReport>>) {
    if model.pending != Some(id) {
        return;
    }
    model.pending = None;
    let Some(report) = report else { return };
    let was_at_end = model.report.is_none() || model.player.time >= model.end() - 1e-6;
    let same_piece = model
        .report
        .as_ref()
        .is_none_or(|before| before.piece.is_some() == report.piece.is_some());
    let before = model.run_before();
    let first = model.report.is_none();
    let which = |chance: &Chance| (chance.run, chance.scatter);
    let other = model
        .report
        .as_ref()
        .is_some_and(|old| which(&old.chance) != which(&report.chance));
    model.report = Some(Arc::clone(&report));
    if other {
        say_which(model, &report);
    }
    if first && model.field.camera == Camera::FIT {
        model.field.camera = near(&report);
    }
    if let Some(before) = before.filter(|_| same_piece) {
        let words = change_words(before.story(), report.story());
        let edited = std::mem::take(&mut model.edited);
        model.change = if edited.is_empty() {
            words
        } else {
            format!("{edited}: {words}")
        };
        model.ghost = Some(before);
    } else {
        model.ghost = None;
        model.change.clear();
    }
    model.gather();
    if model
        .chart
        .span
        .is_some_and(|(from, _)| from >= report.chart.end)
    {
        model.chart.span = None;
    }
    // Another piece has a time of its own, which has been set.
    set(
        model,
        if was_at_end && same_piece {
            f64::INFINITY
        } else {
            model.player.time
        },
    );
}

/// A run that stays in a small part of a large field, with all that stands there, is shown from
/// near at first; `0` shows all of it.
fn near(report: &RunReport) -> Camera {
    /// Nearer than this is worth it; farther than that it is easy to get lost.
    const WORTH: std::ops::RangeInclusive<f64> = 1.5..=3.0;
    let (field, robot) = (&report.world.field, &report.world.robot);
    let reach = robot.length.max(robot.width) * 1.2;
    let mut sides = [
        f64::INFINITY,
        f64::NEG_INFINITY,
        f64::INFINITY,
        f64::NEG_INFINITY,
    ];
    let trace = &report.run.trace;
    // Where the robot comes, and everything that stands there at the beginning or the end.
    let things = (0..trace.props.len()).flat_map(|prop| {
        [0, trace.ticks.len().saturating_sub(1)]
            .into_iter()
            .filter_map(move |tick| trace.place(tick, prop))
    });
    for Pose { x, y, .. } in trace.ticks.iter().map(|tick| tick.pose).chain(things) {
        sides = [
            sides[0].min(x),
            sides[1].max(x),
            sides[2].min(y),
            sides[3].max(y),
        ];
    }
    let [left, right, low, high] = sides;
    let wide = (right - left + 2.0 * reach) / field.width;
    let tall = (high - low + 2.0 * reach) / field.height;
    let zoom = 1.0 / wide.max(tall);
    if !zoom.is_finite() || zoom < *WORTH.start() {
        return Camera::FIT;
    }
    let centre = Point::new(f64::midpoint(left, right), f64::midpoint(low, high));
    Camera {
        zoom: zoom.min(*WORTH.end()),
        centre: Some(centre),
        follow: false,
    }
}

// ---- other runs

/// Shows another of the many runs: `17`, or `17 rough`.
///
/// # Errors
/// What was typed is no number of a run.
pub(super) fn another_run(
    model: &mut Model,
    typed: &str,
    effects: &mut Vec<Effect>,
) -> Result<(), String> {
    let mut words = typed.split_whitespace();
    let number = words.next().and_then(|word| word.parse::<u32>().ok());
    let level = words.next();
    let known = |word: &str| Scatter::ALL.into_iter().find(|one| one.word() == word);
    let scatter = level.map_or(Some(model.scatter), known);
    let (Some(number), Some(scatter), None) = (number, scatter, words.next()) else {
        return Err("a number, and perhaps exact, everyday or rough: 17 rough".to_owned());
    };
    (model.number, model.scatter) = (number, scatter);
    model.opponent = None;
    // A piece began in the middle of another run.
    model.from = None;
    run_again(model, effects);
    Ok(())
}

/// Says which run came, and what is furthest from what the files say in it.
fn say_which(model: &mut Model, report: &RunReport) {
    let Some(words) = report.chance.words() else {
        return model.say(Role::Quiet, "the nominal run: everything as the files say");
    };
    let furthest = report.chance.furthest(3);
    let off: Vec<String> = furthest
        .iter()
        .map(|one| format!("{} {}", one.what, one.words()))
        .collect();
    let off = if off.is_empty() {
        "nothing but the noise".to_owned()
    } else {
        off.join(", ")
    };
    model.say(Role::Quiet, format!("{words}: {off}"));
}

// ---- pieces

/// The step under the cursor that a run may begin with, or be over before: its name, and its visit
/// of the run.
fn step_here(model: &mut Model) -> Option<String> {
    let step = model.doc.written_step(model.doc.cursor.line);
    let name = step.map(|step| {
        model.doc.prepared.parsed.mission.steps[step]
            .name
            .node
            .clone()
    });
    if name.is_none() {
        model.say(
            Role::Quiet,
            "the cursor is not in a step; Tab goes to the next one",
        );
    }
    name
}

/// Begins the run with the step under the cursor; a second time, at the start again.
pub(super) fn from_here(model: &mut Model, pose: Option<Pose>, effects: &mut Vec<Effect>) {
    let Some(name) = step_here(model) else { return };
    if pose.is_none()
        && let Some(from) = model.from.take_if(|from| from.step == name)
    {
        // Back to the same moment of the whole.
        (model.player.time, model.chart.pin, model.chart.span) =
            (from.base.run.trace.seconds(from.tick), None, None);
        model.say(Role::Quiet, "the whole run again");
        return run_again(model, effects);
    }
    let base = match &model.from {
        Some(from) => Some(Arc::clone(&from.base)),
        None => model.report.clone().filter(|report| report.piece.is_none()),
    };
    let Some(base) = base else {
        return model.say(Role::Thin, "there is no whole run yet to begin in");
    };
    let visit = base
        .run
        .visits
        .iter()
        .chain(&base.run.groups)
        .find(|visit| base.program.steps[visit.step].name == name);
    let Some(visit) = visit else {
        return model.say(
            Role::Thin,
            "the whole run never came to this step: give a pose to begin at (P)",
        );
    };
    if base.program.owner(visit.step).is_some() {
        return model.say(Role::Thin, "what a reflex does cannot begin a run");
    }
    let tick = visit.entered;
    let words = match pose {
        Some(_) => {
            format!("runs from \"{name}\" at the pose you gave; p shows the whole run again")
        }
        None => {
            format!("runs from \"{name}\" as the whole run came to it; p shows the whole run again")
        }
    };
    model.from = Some(From {
        base,
        tick,
        step: name,
        pose,
    });
    // Its time counts from its own beginning.
    (
        model.until,
        model.chart.pin,
        model.chart.span,
        model.player.time,
    ) = (None, None, None, 0.0);
    model.say(Role::Accent, words);
    run_again(model, effects);
}

/// Asks for the pose to begin at: the one at the time cursor to begin with.
pub(super) fn ask_pose(model: &mut Model) {
    if step_here(model).is_none() {
        return;
    }
    let pose = super::super::sight::field::robot_pose(model).unwrap_or_default();
    let heading = wayodos_core::units::math::heading_in_degrees(pose.heading);
    let first = format!(
        "{:.0}, {:.0} mm, {heading:.0} deg",
        pose.x * 1e3,
        pose.y * 1e3
    );
    ask::ask(model, Question::Pose, &first);
}

/// The run is over where the step under the cursor begins; a second time, at its end again.
pub(super) fn to_here(model: &mut Model) {
    let Some(name) = step_here(model) else { return };
    if model.until.as_ref() == Some(&name) {
        model.until = None;
        return model.say(Role::Quiet, "runs to its end again");
    }
    let Some(report) = &model.report else { return };
    if !report
        .chart
        .bands
        .iter()
        .any(|band| band.name == name && band.from > 0.0)
    {
        return model.say(Role::Thin, "the run does not come to this step");
    }
    model.until = Some(name.clone());
    model.player.playing = false;
    set(model, f64::INFINITY);
    model.say(
        Role::Accent,
        format!("runs up to \"{name}\"; T runs to the end again"),
    );
}

pub(super) fn toggle_break(model: &mut Model) {
    let header = model
        .doc
        .lines()
        .get(model.doc.cursor.line)
        .map(|line| line.kind);
    let Some(name) = step_here(model) else { return };
    let words = if model.player.breaks.remove(&name) {
        format!("playing goes on through \"{name}\"")
    } else {
        model.player.breaks.insert(name.clone());
        format!("playing stops before \"{name}\"")
    };
    model.say(
        if header == Some(LineKind::Step) {
            Role::Accent
        } else {
            Role::Quiet
        },
        words,
    );
}
