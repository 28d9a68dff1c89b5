//! What every command needs: the options that they share, a run of a project, and the ways in which
//! answers go out.

use std::io::{IsTerminal as _, Write as _};
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;

use wayodos_core::finding::{Finding, Severity, has_errors, nearest};
use wayodos_core::project::prepare;

use super::typed::{Shared, commands, no_command};
use super::{json, words};
use crate::folder::{OpenError, Project};
use crate::work::{Job, RunReport, run_here};

/// The exit code of a command that was not understood.
pub(super) const USAGE: u8 = 64;

/// Everything that is wrong with a project, the files beside the mission first; and the job of its
/// run, when it has no errors.
pub(super) fn looked_at(project: &Project, seed: Option<u32>) -> (Vec<Finding>, Option<Job>) {
    let seed = seed.map_or(project.config.seed, u64::from);
    let setup = project.setup.clone().map(Arc::new);
    let job = setup.map(|setup| Job::nominal(project.mission.as_str().into(), setup, seed));
    let own = match &job {
        Some(job) => job.prepared.findings.clone(),
        None => prepare(&project.mission, None).findings,
    };
    let findings: Vec<Finding> = project.findings.iter().cloned().chain(own).collect();
    let job = job.filter(|_| !has_errors(&findings));
    (findings, job)
}

/// A project that has run, or the exit code of having said why it cannot.
pub(super) struct Ran {
    pub(super) project: Project,
    pub(super) findings: Vec<Finding>,
    pub(super) seed: u64,
    pub(super) report: RunReport,
}

pub(super) fn run_project(shared: &Shared, path: &Path) -> Result<Ran, ExitCode> {
    let project = Project::open(path, shared.mission.as_deref())
        .map_err(|error| cannot_open(shared, &error))?;
    let (mut findings, job) = looked_at(&project, shared.seed);
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    let job = job.map(|job| Job {
        number: shared.varied,
        scatter: shared.scatter,
        ..job
    });
    match job.and_then(run_here) {
        Some(report) => {
            findings.extend(report.hindsight.iter().cloned());
            Ok(Ran {
                project,
                findings,
                seed,
                report,
            })
        }
        None => {
            if shared.json {
                answer_json(&json::error("the project has errors", &project, &findings));
            }
            warn(&readable(shared, &project, &findings));
            Err(ExitCode::FAILURE)
        }
    }
}

/// Findings as people read them, most urgent last: that is where the eye is when the text has
/// scrolled by.
pub(super) fn readable(shared: &Shared, project: &Project, findings: &[Finding]) -> String {
    let mut out = rendered(shared, &[(project, findings)]);
    if let Some(count) = words::count_words(findings) {
        out.extend([&*words::printable(project.name()), ": ", &count, "\n"]);
    }
    out
}

/// The same for several missions, without how many there are.
pub(super) fn rendered(shared: &Shared, all: &[(&Project, &[Finding])]) -> String {
    let colour = shared.colour.wanted(std::io::stdout().is_terminal());
    let mut out = String::new();
    for severity in [Severity::Note, Severity::Warning, Severity::Error] {
        for (project, findings) in all {
            for finding in findings
                .iter()
                .filter(|finding| finding.severity == severity)
            {
                let (path, text) = project.source(finding.source, &project.mission);
                out.push_str(&words::render(finding, path, text, colour));
                out.push_str("\n\n");
            }
        }
    }
    out
}

pub(super) fn cannot_open(shared: &Shared, error: &OpenError) -> ExitCode {
    if shared.json {
        answer_json(&json::refusal(&error.to_string()));
    }
    // `wayodos rn` names no project; it may well be a command with a slip in it.
    let slip = match error {
        OpenError::Missing(path) => path
            .to_str()
            // `wayodos spread demo` names a command, without a slip: the hint about folders fits.
            .filter(|word| !commands().iter().any(|name| name == word))
            .filter(|word| nearest(word, commands().iter().map(String::as_str)).is_some())
            .map(no_command),
        OpenError::NoProject(_)
        | OpenError::NoMissionFile(_)
        | OpenError::Unreadable(..)
        | OpenError::NotText(..)
        | OpenError::Outside(_)
        | OpenError::NoMission(..) => None,
    };
    complain(&error.to_string(), &slip.unwrap_or_else(|| error.hint()));
    ExitCode::FAILURE
}

pub(super) fn complain(what: &str, hint: &str) {
    warn(&format!(
        "wayodos: {}\n  help: {}\n",
        words::printable(what),
        words::printable(hint)
    ));
}

/// Text that holds words of somebody's files, to standard output.
pub(super) fn answer(text: &str) {
    put_out(&words::printable(text));
}

/// One JSON object, to standard output. What a terminal would obey beyond ASCII is escaped as well.
pub(super) fn answer_json(json: &str) {
    let obeyed = |letter: char| letter.is_control() && !letter.is_ascii();
    if json.contains(obeyed) {
        let escape = |letter: char| {
            if obeyed(letter) {
                format!("\\u{:04x}", u32::from(letter))
            } else {
                letter.to_string()
            }
        };
        return put_out(&json.chars().map(escape).collect::<String>());
    }
    put_out(json);
}

/// To standard output, as it is. A reader that has gone away is no error of ours; a full disk is
/// the end.
pub(super) fn put_out(text: &str) {
    let newline = if text.ends_with('\n') { "" } else { "\n" };
    put_bytes(format!("{text}{newline}").as_bytes());
}

/// The same for what is no text.
pub(super) fn put_bytes(bytes: &[u8]) {
    let mut out = std::io::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => {
            complain(
                &format!("cannot write the answer: {error}"),
                "make room, or send it somewhere else",
            );
            std::process::exit(1);
        }
        _ => {}
    }
}

/// To standard error, as it is.
pub(super) fn warn(text: &str) {
    let _ = std::io::stderr().lock().write_all(text.as_bytes());
}

/// To people, unless they asked for quiet.
pub(super) fn say(shared: &Shared, text: &str) {
    if !shared.quiet {
        warn(&format!("{}\n", words::printable(text)));
    }
}
