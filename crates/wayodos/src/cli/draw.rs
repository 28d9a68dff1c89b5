//! `wayodos draw`: the page about a run, as SVG, PDF or PNG.

use std::path::Path;
use std::process::ExitCode;

use wayodos_core::project::prepare;
use wayodos_report::{
    Flow, Parts, Scene, bare_sheet, flow_pages, flow_scene, pages_to_pdf, to_pdf, to_png, to_svg,
};

use super::answers::{USAGE, cannot_open, complain, put_bytes, run_project, say};
use super::typed::{Format, Only, Shared};
use crate::folder::Project;
use crate::safe::write_out;

impl Format {
    /// What the ending of a file asks for.
    fn of(file: &Path) -> Option<Self> {
        match file.extension()?.to_str()?.to_lowercase().as_str() {
            "svg" => Some(Self::Svg),
            "pdf" => Some(Self::Pdf),
            "png" => Some(Self::Png),
            _ => None,
        }
    }

    fn paint(self, scene: &Scene) -> Result<Vec<u8>, String> {
        match self {
            Self::Svg => Ok(to_svg(scene).into_bytes()),
            Self::Pdf => to_pdf(scene).map_err(|error| error.to_string()),
            Self::Png => to_png(scene, PNG_PER_MM).map_err(|error| error.to_string()),
        }
    }
}

/// Standard output.
const STANDARD: &str = "-";

/// Pixels a millimetre of a PNG: A4 becomes some 2,400 x 1,700.
const PNG_PER_MM: f64 = 8.0;

pub(super) fn draw(
    shared: &Shared,
    path: &Path,
    output: &Path,
    format: Option<Format>,
    only: Option<Only>,
) -> ExitCode {
    let standard = (output == Path::new(STANDARD)).then_some(Format::Svg);
    let Some(format) = format.or_else(|| Format::of(output)).or(standard) else {
        complain(
            &format!("{} has no ending that can be drawn", output.display()),
            "end it in .svg, .pdf or .png, or say --format",
        );
        return ExitCode::from(USAGE);
    };
    let paint = |scene: &Scene| format.paint(scene);
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
            let flow = flow_of(&project);
            // Paper has pages, a picture is as long as it has to be.
            let drawn = if format == Format::Pdf {
                pages_to_pdf(&flow_pages(&flow)).map_err(|error| error.to_string())
            } else {
                paint(&flow_scene(&flow))
            };
            return write(shared, output, drawn);
        }
    };
    if only == Some(Only::Field)
        && let Some(scene) = bare(shared, path)
    {
        return write(shared, output, paint(&scene));
    }
    let ran = match run_project(shared, path) {
        Ok(ran) => ran,
        Err(code) => return code,
    };
    write(
        shared,
        output,
        paint(&ran.report.page(&ran.project, ran.seed, parts)),
    )
}

/// The field of a project whose mission has no steps yet: it can be looked at all the same.
fn bare(shared: &Shared, path: &Path) -> Option<Scene> {
    let project = Project::open(path, shared.mission.as_deref()).ok()?;
    let setup = project.setup.as_ref()?;
    let parsed = prepare(&project.mission, Some(setup)).parsed;
    let empty = parsed.mission.steps.is_empty();
    empty.then(|| bare_sheet(&setup.field, &setup.robot, project.name()))
}

/// The flow chart of a project's mission.
pub(super) fn flow_of(project: &Project) -> Flow {
    let prepared = prepare(&project.mission, project.setup.as_ref());
    Flow::of(
        &project.mission,
        &prepared.parsed,
        prepared.program.as_deref(),
        project.setup.as_ref().map(|setup| &*setup.field),
    )
}

/// Writes a drawing as what its file's ending says.
pub(super) fn write_scene(shared: &Shared, output: &Path, scene: &Scene) -> ExitCode {
    let Some(format) = Format::of(output) else {
        complain(
            &format!("{} has no ending that can be drawn", output.display()),
            "end it in .svg, .pdf or .png",
        );
        return ExitCode::from(USAGE);
    };
    write(shared, output, format.paint(scene))
}

fn write(shared: &Shared, output: &Path, drawn: Result<Vec<u8>, String>) -> ExitCode {
    if output == Path::new(STANDARD)
        && let Ok(bytes) = &drawn
    {
        put_bytes(bytes);
        return ExitCode::SUCCESS;
    }
    let drawn = drawn.and_then(|bytes| {
        write_out(output, &bytes)
            .map_err(|error| format!("cannot write {}: {error}", output.display()))
    });
    match drawn {
        Ok(()) => {
            say(shared, &format!("wrote {}", output.display()));
            ExitCode::SUCCESS
        }
        Err(error) => {
            complain(
                &error,
                "check the path, and that its folder may be written to",
            );
            ExitCode::FAILURE
        }
    }
}
