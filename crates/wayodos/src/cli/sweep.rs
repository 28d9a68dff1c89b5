//! `wayodos sweep`: one number over a span, each value with the same runs, and where it holds.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use serde::Serialize;
use wayodos_core::lab::sweep::{Point, advised, window};
use wayodos_core::mission::span::{Swept, sweep as values_of};

use wayodos_report::sweep_sheet;

use super::answers::{USAGE, complain};
use super::draw::write_scene;
use super::grid;
use super::many::{attempt_of, make, tell};
use super::points::{PointOut, cells, table_of, write_table};
use super::span::{Amount, Span, slot_of};
use super::typed::Shared;
use crate::folder::Project;
use crate::grids::{self, GridJob};
use crate::sheets::sweep_title;
use crate::sweeps::{Order, RUNS, SweepJob, VALUES, learn, piece};

/// What is asked of a sweep besides the project.
pub(super) struct Asked {
    /// The number: the name of an amount, or `LINE:NTH`.
    pub(super) slot: String,
    /// From where to where; proposed without it.
    pub(super) span: Option<Span>,
    /// A second number, to be tried together with the first.
    pub(super) also: Option<Amount>,
    /// About how many values.
    pub(super) values: Option<usize>,
    /// How many varied runs of each.
    pub(super) runs: Option<u32>,
    /// A table of all values.
    pub(super) csv: Option<PathBuf>,
    /// A page about them.
    pub(super) draw: Option<PathBuf>,
}

pub(super) fn sweep(shared: &Shared, path: &Path, asked: &Asked) -> ExitCode {
    let (project, job, attempt) = match attempt_of(shared, path, shared.mission.as_deref()) {
        Ok(opened) => opened,
        Err(code) => return code,
    };
    let parsed = &job.prepared.parsed;
    let most = asked.values.unwrap_or(match asked.also {
        Some(_) => grids::VALUES,
        None => VALUES,
    });
    let values = |named: &str, span: Option<Span>| {
        let hint = "a span is two amounts with their units, such as `20 %..60 %`";
        let slot = slot_of(parsed, &job.text, named)?;
        values_of(parsed, &job.text, slot, span.map(|Span(ends)| ends), most)
            .map_err(|what| (what.to_string(), hint.to_owned()))
    };
    let second = asked
        .also
        .as_ref()
        .map(|also| values(&also.named, also.span));
    let swept = values(&asked.slot, asked.span).and_then(|first| Ok((first, second.transpose()?)));
    let swept = match swept {
        Ok((first, Some(second))) if first.slot == second.slot => Err((
            format!("`{}` is named twice", asked.slot),
            "name two numbers".to_owned(),
        )),
        other => other,
    };
    let swept = match swept {
        Ok((first, Some(second))) => {
            let job = GridJob {
                id: 0,
                axes: [first, second],
                text: Arc::clone(&job.text),
                setup: Arc::clone(&job.setup),
                attempt,
                runs: asked.runs.unwrap_or(grids::RUNS),
            };
            let files = [&asked.csv, &asked.draw].map(Option::as_deref);
            return grid::grid(shared, &project, &job, files);
        }
        Ok((swept, None)) => swept,
        Err((what, hint)) => {
            complain(&what, &hint);
            return ExitCode::from(USAGE);
        }
    };
    let job = SweepJob {
        id: 0,
        swept,
        text: Arc::clone(&job.text),
        setup: Arc::clone(&job.setup),
        attempt,
        runs: asked.runs.unwrap_or(RUNS),
    };
    let (texts, swept) = (job.texts(), job.swept);
    let order = Order::of(&texts);
    let made = make(shared, order.count(), "runs", piece(texts, None));
    let mut points: Vec<Point> = swept
        .values
        .iter()
        .map(|value| Point::new(*value))
        .collect();
    learn(&mut points, order, 0, made.results);
    if let Err(code) = write_table(asked.csv.as_deref(), || table(&points)) {
        return code;
    }
    if let Some(file) = &asked.draw {
        let about = format!(
            "{}, {} scatter, {} runs of each value",
            project.config.mission,
            shared.scatter.word(),
            order.runs()
        );
        let title = sweep_title(&project, &swept.name);
        let scene = sweep_sheet(&title, &about, &swept.name, &points);
        let written = write_scene(shared, file, &scene);
        if written != ExitCode::SUCCESS {
            return written;
        }
    }
    let words = report(shared, &project, &swept, &points);
    tell(shared, &words, &object(shared, &project, &swept, &points));
    if made.cut_short {
        ExitCode::from(130)
    } else {
        ExitCode::SUCCESS
    }
}

/// All values, for people: a bar for the share, the stretch that holds marked.
fn report(shared: &Shared, project: &Project, swept: &Swept, points: &[Point]) -> String {
    const WIDE: f64 = 24.0;
    let mut out = format!(
        "{}, {} scatter: {} is {} now\n\n",
        project.config.mission,
        shared.scatter.word(),
        swept.name,
        swept.now
    );
    let part = window(points);
    for (at, point) in points.iter().enumerate() {
        let value = point.value.to_string();
        if point.refused {
            let _ = writeln!(out, "{value:>12}   the mission cannot be run so");
            continue;
        }
        let held = point.held();
        let full = (held.value().unwrap_or(0.0) * WIDE).round() as usize;
        let bar = format!("{}{}", "#".repeat(full), ".".repeat(WIDE as usize - full));
        let sign = match &part {
            Some(part) if part.contains(&at) => "|",
            _ => " ",
        };
        let time = point
            .seconds()
            .map_or_else(String::new, |seconds| format!("{seconds:.1} s"));
        let score = point
            .score()
            .map_or_else(String::new, |score| format!("{score:.1} points"));
        let line = format!(
            "{value:>12} {sign} {bar} {:>9}  {:>12}  {time:>8}  {score}",
            held.words(),
            held.interval_words(),
        );
        let _ = writeln!(out, "{}", line.trim_end());
    }
    let advice = advised(points).map(|at| points[at].value);
    let end = match (part, advice) {
        (Some(part), Some(value)) => format!(
            "19 in 20 runs held from {} to {}; in the middle: {value}",
            points[part.start].value,
            points[part.end - 1].value
        ),
        (None, Some(value)) => {
            format!("no value held 19 times in 20; the most runs held at {value}")
        }
        (_, None) => "no run held at any value".to_owned(),
    };
    let _ = writeln!(out, "\n{end}");
    out
}

#[derive(Serialize)]
struct SweepOut<'a> {
    version: u32,
    mission: &'a str,
    scatter: &'a str,
    swept: &'a str,
    unit: &'a str,
    now: f64,
    points: Vec<PointOut<f64>>,
    /// The widest stretch that holds.
    holds: Option<[f64; 2]>,
    advised: Option<f64>,
}

fn object<'a>(
    shared: &'a Shared,
    project: &'a Project,
    swept: &'a Swept,
    points: &'a [Point],
) -> impl Serialize + 'a {
    let out = |point: &Point| PointOut::of(point, point.value.value);
    SweepOut {
        version: 1,
        mission: &project.config.mission,
        scatter: shared.scatter.word(),
        swept: &swept.name,
        unit: swept.now.unit.symbol(),
        now: swept.now.value,
        points: points.iter().map(out).collect(),
        holds: window(points)
            .map(|part| [part.start, part.end - 1].map(|at| points[at].value.value)),
        advised: advised(points).map(|at| points[at].value.value),
    }
}

/// A row for each value.
fn table(points: &[Point]) -> Vec<u8> {
    let rows = points.iter().map(|point| {
        let value = [point.value.to_string()];
        value.into_iter().chain(cells(point)).collect()
    });
    table_of(&["value"], rows)
}
