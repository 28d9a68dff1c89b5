//! `wayodos sweep --also`: two numbers at once, every value of the one with every value of the other.

use std::fmt::Write as _;
use std::path::Path;
use std::process::ExitCode;

use serde::Serialize;
use wayodos_core::lab::grid::{Grid, Pair};
use wayodos_core::lab::sweep::Point;

use super::draw::write_scene;
use super::many::{make, tell};
use super::points::{PointOut, cells, table_of, write_table};
use super::typed::Shared;
use crate::folder::Project;
use crate::grids::{GridJob, words};
use crate::sheets::grid_page;
use crate::sweeps::{Order, learn, piece};

/// Makes the runs of all pairs, and says where they hold.
///
/// - `files`: a table of all pairs, and a page about them, where they are wanted
pub(super) fn grid(
    shared: &Shared,
    project: &Project,
    job: &GridJob,
    [csv, draw]: [Option<&Path>; 2],
) -> ExitCode {
    let texts = job.texts();
    let order = Order::of(&texts);
    let made = make(shared, order.count(), "runs", piece(texts, None));
    let mut points: Vec<Point<Pair>> = job.pairs().into_iter().map(Point::new).collect();
    learn(&mut points, order, 0, made.results);
    if let Err(code) = write_table(csv, || table(job, &points)) {
        return code;
    }
    if let Some(file) = draw {
        let written = write_scene(shared, file, &grid_page(project, job, &points));
        if written != ExitCode::SUCCESS {
            return written;
        }
    }
    let said = report(shared, project, job, &points);
    tell(shared, &said, &object(shared, project, job, &points));
    if made.cut_short {
        ExitCode::from(130)
    } else {
        ExitCode::SUCCESS
    }
}

/// A column for each value of the first number, a row for each of the second, the largest above.
fn report(shared: &Shared, project: &Project, job: &GridJob, points: &[Point<Pair>]) -> String {
    let [first, second] = &job.axes;
    let (columns, grid) = (job.columns(), Grid::new(points, job.columns()));
    let block = grid.holds();
    let mut out = format!(
        "{}, {} scatter: how many of {} runs held\n{} is {} now, {} is {}\n\n",
        project.config.mission,
        shared.scatter.word(),
        job.runs,
        first.name,
        first.now,
        second.name,
        second.now,
    );
    let widest = first.values.iter().map(|value| value.to_string().len());
    let wide = widest.max().unwrap_or(0).max(6) + 1;
    for row in (0..grid.rows()).rev() {
        let mut line = format!("{:>12} ", second.values[row].to_string());
        for column in 0..columns {
            let point = &points[row * columns + column];
            let inside = block
                .as_ref()
                .is_some_and(|block| block.contains([column, row]));
            let text = if point.refused {
                "-".to_owned()
            } else if inside {
                format!("|{}|", point.held().times)
            } else {
                format!("{} ", point.held().times)
            };
            let _ = write!(line, "{text:>wide$}");
        }
        let _ = writeln!(out, "{}", line.trim_end());
    }
    let _ = write!(out, "{:>12} ", "");
    for value in &first.values {
        let _ = write!(out, "{:>wide$}", value.to_string());
    }
    let any = points.iter().any(|point| point.held().times > 0);
    let _ = write!(out, "\n\n{}", words(job, block.as_ref(), any));
    if let (Some(at), true) = (grid.advised(), block.is_some()) {
        let [a, b] = points[at].value;
        let _ = write!(
            out,
            "; in the middle: {} {a} and {} {b}",
            first.name, second.name
        );
    }
    out.push('\n');
    out
}

#[derive(Serialize)]
struct AxisOut<'a> {
    name: &'a str,
    unit: &'a str,
    now: f64,
    /// Between which values all pairs hold, in the largest rectangle that does.
    holds: Option<[f64; 2]>,
    advised: Option<f64>,
}

#[derive(Serialize)]
struct GridOut<'a> {
    version: u32,
    mission: &'a str,
    scatter: &'a str,
    axes: [AxisOut<'a>; 2],
    points: Vec<PointOut<[f64; 2]>>,
}

fn object<'a>(
    shared: &'a Shared,
    project: &'a Project,
    job: &'a GridJob,
    points: &'a [Point<Pair>],
) -> impl Serialize + 'a {
    let grid = Grid::new(points, job.columns());
    let (block, advised) = (grid.holds(), grid.advised());
    let axis = |axis: usize| AxisOut {
        name: &job.axes[axis].name,
        unit: job.axes[axis].now.unit.symbol(),
        now: job.axes[axis].now.value,
        holds: block
            .as_ref()
            .map(|block| job.span(axis, block).map(|value| value.value)),
        advised: advised.map(|at| points[at].value[axis].value),
    };
    let out = |point: &Point<Pair>| PointOut::of(point, point.value.map(|value| value.value));
    GridOut {
        version: 1,
        mission: &project.config.mission,
        scatter: shared.scatter.word(),
        axes: [axis(0), axis(1)],
        points: points.iter().map(out).collect(),
    }
}

/// A row for each pair.
fn table(job: &GridJob, points: &[Point<Pair>]) -> Vec<u8> {
    let rows = points.iter().map(|point| {
        let values = point.value.map(|value| value.to_string());
        values.into_iter().chain(cells(point)).collect()
    });
    let names = [0, 1].map(|axis| job.axes[axis].name.as_str());
    table_of(&names, rows)
}
