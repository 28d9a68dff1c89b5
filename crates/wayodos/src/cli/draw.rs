//! `wayodos draw`: the page about a run, as SVG, PDF or PNG.

use std::path::Path;
use std::process::ExitCode;

use clap::ValueEnum;
use wayodos_core::project::prepare;
use wayodos_report::{Flow, Parts, Scene, flow_scene, sheet, to_pdf, to_png, to_svg};

use super::{Shared, cannot_open, complain, run_project, say};
use crate::folder::{Project, write_whole};
use crate::work::RunReport;

/// One part of the page.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Only {
    /// The field with the path, and the list of steps.
    Field,
    /// The strip chart.
    Chart,
    /// The flow chart of the mission: its steps, and where their exits lead.
    Flow,
}

/// Pixels a millimetre of a PNG: A4 becomes some 2,400 x 1,700.
const PNG_PER_MM: f64 = 8.0;

pub(super) fn draw(shared: &Shared, path: &Path, output: &Path, only: Option<Only>) -> ExitCode {
    let ending = output.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase);
    let paint: fn(&Scene) -> Result<Vec<u8>, String> = match ending.as_deref() {
        Some("svg") => |scene| Ok(to_svg(scene).into_bytes()),
        Some("pdf") => |scene| to_pdf(scene).map_err(|error| error.to_string()),
        Some("png") => |scene| to_png(scene, PNG_PER_MM).map_err(|error| error.to_string()),
        _ => {
            complain(&format!("{} has no ending that can be drawn", output.display()), "end it in .svg, .pdf or .png");
            return ExitCode::from(2);
        }
    };
    let parts = match only {
        None => Parts::All,
        Some(Only::Field) => Parts::Field,
        Some(Only::Chart) => Parts::Chart,
        // What is written can be drawn before it runs.
        Some(Only::Flow) => {
            let project = match Project::open(path, shared.mission.as_deref()) {
                Ok(project) => project,
                Err(error) => return cannot_open(shared, &error),
            };
            return write(shared, output, paint(&flow_scene(&flow_of(&project))));
        }
    };
    let ran = match run_project(shared, path) {
        Ok(ran) => ran,
        Err(code) => return code,
    };
    write(shared, output, paint(&page(&ran.project, &ran.report, ran.seed, parts)))
}

/// The flow chart of a project's mission.
pub(super) fn flow_of(project: &Project) -> Flow {
    let prepared = prepare(&project.mission, project.setup.as_ref());
    Flow::of(&project.mission, &prepared.parsed, prepared.program.as_deref())
}

fn write(shared: &Shared, output: &Path, drawn: Result<Vec<u8>, String>) -> ExitCode {
    let drawn = drawn.and_then(|bytes| {
        write_whole(output, &bytes).map_err(|error| format!("cannot write {}: {error}", output.display()))
    });
    match drawn {
        Ok(()) => {
            say(shared, &format!("wrote {}", output.display()));
            ExitCode::SUCCESS
        }
        Err(error) => {
            complain(&error, "check the path, and that its folder may be written to");
            ExitCode::FAILURE
        }
    }
}

/// The page about a run of a project.
pub(crate) fn page(project: &Project, report: &RunReport, seed: u64, parts: Parts) -> Scene {
    let name = wayodos_core::mission::parse(&report.text).mission.name;
    let mission = name.map_or_else(|| project.config.mission.clone(), |name| name.node);
    sheet(report.story(), &format!("{} · {mission}", project.name()), seed, parts)
}
