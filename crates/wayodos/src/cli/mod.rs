//! The command line: what was typed, what is done about it, and the exit code.
//!
//! What a command answers goes to standard output, what is said to people beside it to standard error. Exit codes:
//! 0 as planned, 1 something must be mended first, 2 the run failed (or the command was not understood).

pub(crate) mod draw;
mod fmt;
mod json;
mod run;
pub mod told;

use std::io::{IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use clap::{Args, Parser, Subcommand};
use wayodos_core::finding::{Finding, Severity, has_errors};
use wayodos_core::project::prepare;

use crate::folder::{OpenError, PROJECT_FILE, Project, begin};
use crate::tui::{self, Look};
use crate::work::{Job, Told, tell};

/// Sequence autonomous robot missions, simulate them, and see why every step ended.
#[derive(Parser)]
#[command(name = "wayodos", version)]
struct Typed {
    #[command(subcommand)]
    command: Option<Command>,
    /// Project folder to open full screen; without one, the folder you are in, or the demo where there is no project.
    project: Option<PathBuf>,
    #[command(flatten)]
    shared: Shared,
    #[command(flatten)]
    look: Look,
}

/// What all commands understand.
#[derive(Args, Clone, Debug)]
struct Shared {
    /// Use this mission of the project (file name without .way).
    #[arg(long, global = true, value_name = "NAME")]
    mission: Option<String>,
    /// Seed of the random noise; the same seed gives the same run.
    #[arg(long, global = true, value_name = "N")]
    seed: Option<u32>,
    /// Answer with one JSON object.
    #[arg(long, global = true)]
    json: bool,
    /// Print only the result.
    #[arg(long, global = true)]
    quiet: bool,
}

#[derive(Subcommand)]
enum Command {
    /// Open the demo full screen; saving copies it to a folder.
    Demo {
        #[command(flatten)]
        look: Look,
    },
    /// Create a project folder with a robot, a field and an empty mission.
    New {
        /// Folder to make.
        folder: PathBuf,
    },
    /// List what is wrong with a project.
    Check {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
    },
    /// Run the mission once and report.
    Run {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
    },
    /// Read the mission back in plain words, with where every exit leads.
    Read {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
    },
    /// Format mission files.
    Fmt {
        /// Project folder, or a mission file.
        #[arg(default_value = ".")]
        path: PathBuf,
        /// Write nothing; exit 1 when something would change.
        #[arg(long)]
        check: bool,
    },
    /// Draw the field with the run's path, and the strip chart.
    Draw {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
        /// File to write: its ending says whether SVG, PDF or PNG.
        #[arg(short, long, value_name = "FILE")]
        output: PathBuf,
        /// Only this part of the page.
        #[arg(long, value_enum)]
        only: Option<draw::Only>,
    },
}

/// Runs the command line.
pub fn main() -> ExitCode {
    let typed = Typed::parse();
    let shared = typed.shared;
    match typed.command {
        None => match typed.project {
            Some(path) => app(&shared, &typed.look, Some(&path)),
            None => app(&shared, &typed.look, Path::new(PROJECT_FILE).is_file().then_some(Path::new("."))),
        },
        Some(Command::Demo { look }) => app(&shared, &look.or(&typed.look), None),
        Some(Command::New { folder }) => new(&shared, &folder),
        Some(Command::Check { project }) => check(&shared, &project),
        Some(Command::Run { project }) => run::run(&shared, &project),
        Some(Command::Read { project }) => read_back(&shared, &project),
        Some(Command::Fmt { path, check }) => fmt::fmt(&shared, &path, check),
        Some(Command::Draw { project, output, only }) => draw::draw(&shared, &project, &output, only),
    }
}

fn app(shared: &Shared, look: &Look, path: Option<&Path>) -> ExitCode {
    let mission = shared.mission.as_deref();
    let project = path.map_or_else(|| Project::demo(mission), |path| Project::open(path, mission));
    let project = match project {
        Ok(project) => project,
        Err(error) => return cannot_open(shared, &error),
    };
    if project.config.mission.is_empty() {
        // Without a readable project file there is no mission to show: what is wrong with it instead.
        warn(&readable(&project, &project.findings));
        return ExitCode::FAILURE;
    }
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    match tui::run(project, seed, look) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            complain(&format!("the screen cannot be used: {error}"), "run it in a terminal; `wayodos run` needs none");
            ExitCode::FAILURE
        }
    }
}

fn new(shared: &Shared, folder: &Path) -> ExitCode {
    match begin(folder) {
        Ok(()) => {
            say(shared, &format!("made {0}; open it with `wayodos {0}`", folder.display()));
            ExitCode::SUCCESS
        }
        Err(error) => {
            complain(&error, "name another folder");
            ExitCode::FAILURE
        }
    }
}

fn check(shared: &Shared, path: &Path) -> ExitCode {
    let project = match Project::open(path, shared.mission.as_deref()) {
        Ok(project) => project,
        Err(error) => return cannot_open(shared, &error),
    };
    let mut findings = all_findings(&project);
    // What only a run can show, when there is one.
    if let Some(told) = nominal(&project, shared, &findings) {
        findings.extend(told.hindsight);
    }
    if shared.json {
        answer(&json::findings(&project, &findings));
    } else if findings.is_empty() {
        say(shared, &format!("{}: no problems found", project.name()));
    } else {
        answer(&readable(&project, &findings));
    }
    if has_errors(&findings) { ExitCode::FAILURE } else { ExitCode::SUCCESS }
}

fn read_back(shared: &Shared, path: &Path) -> ExitCode {
    let project = match Project::open(path, shared.mission.as_deref()) {
        Ok(project) => project,
        Err(error) => return cannot_open(shared, &error),
    };
    let flow = draw::flow_of(&project);
    if shared.json {
        answer(&json::flow(&flow));
    } else {
        answer(&flow.lines().join("\n"));
    }
    ExitCode::SUCCESS
}

/// Everything that is wrong with a project: the files beside the mission first.
fn all_findings(project: &Project) -> Vec<Finding> {
    let mut findings = project.findings.clone();
    findings.extend(prepare(&project.mission, project.setup.as_ref()).findings);
    findings
}

/// The run of a project without errors.
fn nominal(project: &Project, shared: &Shared, findings: &[Finding]) -> Option<Told> {
    let setup = project.setup.as_ref().filter(|_| !has_errors(findings))?;
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    let job = Job::nominal(project.mission.as_str().into(), Arc::new(setup.clone()), seed);
    tell(&job, &Arc::new(setup.world()), None)
}

/// A project that has run, or the exit code of having said why it cannot.
struct Ran {
    project: Project,
    findings: Vec<Finding>,
    seed: u64,
    told: Told,
}

fn run_project(shared: &Shared, path: &Path) -> Result<Ran, ExitCode> {
    let project = Project::open(path, shared.mission.as_deref()).map_err(|error| cannot_open(shared, &error))?;
    let mut findings = all_findings(&project);
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    match nominal(&project, shared, &findings) {
        Some(told) => {
            findings.extend(told.hindsight.iter().cloned());
            Ok(Ran { project, findings, seed, told })
        }
        None => {
            if shared.json {
                answer(&json::error("the project has errors", &project, &findings));
            }
            warn(&readable(&project, &findings));
            Err(ExitCode::FAILURE)
        }
    }
}

/// Findings as people read them, most urgent last: that is where the eye is when the text has scrolled by.
fn readable(project: &Project, findings: &[Finding]) -> String {
    let colour = std::io::stdout().is_terminal() && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty());
    let mut out = String::new();
    for severity in [Severity::Note, Severity::Warning, Severity::Error] {
        for finding in findings.iter().filter(|finding| finding.severity == severity) {
            let (path, text) = project.source(finding.source, &project.mission);
            out.push_str(&told::render(finding, path, text, colour));
            out.push_str("\n\n");
        }
    }
    if let Some(count) = told::count_words(findings) {
        out.extend([project.name(), ": ", &count, "\n"]);
    }
    out
}

fn cannot_open(shared: &Shared, error: &OpenError) -> ExitCode {
    if shared.json {
        answer(&json::refusal(&error.to_string()));
    }
    complain(&error.to_string(), &error.hint());
    ExitCode::FAILURE
}

fn complain(what: &str, hint: &str) {
    warn(&format!("wayodos: {what}\n  help: {hint}\n"));
}

/// To standard output. A reader that has gone away is no error of ours.
fn answer(text: &str) {
    let newline = if text.ends_with('\n') { "" } else { "\n" };
    let _ = write!(std::io::stdout().lock(), "{text}{newline}");
}

/// To standard error.
fn warn(text: &str) {
    let _ = std::io::stderr().lock().write_all(text.as_bytes());
}

/// To people, unless they asked for quiet.
fn say(shared: &Shared, text: &str) {
    if !shared.quiet {
        warn(&format!("{text}\n"));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_command_line_is_consistent() {
        use clap::CommandFactory as _;
        Typed::command().debug_assert();
    }

    #[test]
    fn shared_options_may_stand_before_or_after_the_command() {
        for typed in [["wayodos", "--seed", "4", "run", "x"], ["wayodos", "run", "x", "--seed", "4"]] {
            let typed = Typed::try_parse_from(typed).unwrap();
            assert_eq!(typed.shared.seed, Some(4));
        }
    }
}
