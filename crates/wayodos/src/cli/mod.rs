//! The command line: what was typed, what is done about it, and the exit code.
//!
//! What a command answers goes to standard output, what is said to people beside it to standard
//! error. Exit codes: 0 as planned, 1 something must be fixed first, 2 the run failed, 64 the
//! command was not understood.

mod answers;
mod channels;
mod compare;
mod complete;
pub(crate) mod draw;
mod fmt;
mod grid;
mod json;
mod league;
mod logbook;
mod many;
mod points;
mod run;
mod shard;
mod span;
mod spread;
mod sweep;
mod tune;
mod typed;
pub mod words;

use std::collections::BTreeSet;
use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use clap::{CommandFactory as _, Parser};
use clap_complete::env::Shells;
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::lab::borne;
use wayodos_core::lab::causes::causes;
use wayodos_core::lab::spread::{Attempt, death};

use self::answers::{
    USAGE, answer, answer_json, cannot_open, complain, looked_at, put_out, readable, rendered, say,
    warn,
};
use self::json::Checked;
use self::typed::{Command, Shared, Typed, With};
use crate::folder::{Beginning, OpenError, Project, begin, locate};
use crate::log;
use crate::look::{Look, Opening};
use crate::settings;
use crate::work::{RunReport, run_here};

/// Runs the command line; `screen` opens the full-screen application.
pub fn main(screen: impl FnOnce(Opening) -> io::Result<()>) -> ExitCode {
    // A shell asks how a line may go on: answered, and that was it.
    clap_complete::CompleteEnv::with_factory(Typed::command).complete();
    let understood =
        Typed::try_parse().and_then(|typed| typed.shared().map(|shared| (typed, shared)));
    let (typed, shared) = match understood {
        Ok(understood) => understood,
        Err(error) => {
            // Nothing can be done about a terminal that is gone.
            let _ = error.print();
            return if error.use_stderr() {
                ExitCode::from(USAGE)
            } else {
                ExitCode::SUCCESS
            };
        }
    };
    let log = typed
        .log
        .map(|level| log::begin(level, log::folder().as_deref()));
    if let Some(Err(why)) = &log {
        complain(why, "leave `--log` out, or make room there");
    }
    tracing::info!(
        command = typed
            .command
            .as_ref()
            .map_or("screen", |command| command.options().0),
        "asked for"
    );
    match typed.command {
        None => match typed.project {
            Some(path) => app(&shared, &typed.look, Some(&path), screen),
            None => app(
                &shared,
                &typed.look,
                locate(Path::new(".")).is_ok().then_some(Path::new(".")),
                screen,
            ),
        },
        Some(Command::Demo { look, .. }) => app(&shared, &look.or(&typed.look), None, screen),
        Some(Command::New { folder, with, .. }) => new(&shared, &folder, with),
        Some(Command::Check { project, quick, .. }) => check(&shared, &project, quick),
        Some(Command::Run {
            project,
            timing,
            all,
            csv,
            channels,
            ..
        }) => {
            let asked = run::Asked {
                timing,
                all,
                csv,
                channels,
            };
            run::run(&shared, &project, &asked)
        }
        Some(Command::Spread {
            project,
            runs,
            shard,
            output,
            csv,
            draw,
            causes,
            least,
            ..
        }) => {
            let answer = spread::Answer {
                csv,
                draw,
                causes,
                least,
            };
            let asked = spread::Asked {
                runs,
                shard,
                output,
                answer,
            };
            spread::spread(&shared, &project, &asked)
        }
        Some(Command::Sweep {
            project,
            slot,
            span,
            also,
            runs,
            values,
            csv,
            draw,
            ..
        }) => {
            let asked = sweep::Asked {
                slot,
                span,
                also,
                values,
                runs,
                csv,
                draw,
            };
            sweep::sweep(&shared, &project, &asked)
        }
        Some(Command::Tune {
            project,
            amounts,
            take,
            ..
        }) => tune::tune(&shared, &project, &amounts, take),
        Some(Command::Compare {
            project,
            with,
            with_mission,
            runs,
            draw,
            ..
        }) => compare::compare(
            &shared,
            &project,
            with.as_deref(),
            with_mission.as_deref(),
            runs,
            draw.as_deref(),
        ),
        Some(Command::League {
            project,
            teams,
            matches,
            csv,
            draw,
            ..
        }) => {
            let files = league::Files { csv, draw };
            league::league(&shared, &project, &teams, matches, &files)
        }
        Some(Command::Logbook {
            project,
            search,
            csv,
            ..
        }) => logbook::logbook(&shared, &project, search.as_deref(), csv.as_deref()),
        Some(Command::Merge {
            parts,
            csv,
            causes,
            least,
            ..
        }) => spread::merge(
            &shared,
            &parts,
            &spread::Answer {
                csv,
                causes,
                least,
                draw: None,
            },
        ),
        Some(Command::Read { project, .. }) => read_back(&shared, &project),
        Some(Command::Fmt { path, check, .. }) => fmt::fmt(&shared, &path, check),
        Some(Command::Draw {
            project,
            output,
            format,
            only,
            ..
        }) => draw::draw(&shared, &project, &output, format, only),
        Some(Command::Completions { shell }) => registration(shell),
        Some(Command::Man) => manual(),
    }
}

fn app(
    shared: &Shared,
    look: &Look,
    path: Option<&Path>,
    screen: impl FnOnce(Opening) -> io::Result<()>,
) -> ExitCode {
    let mission = shared.mission.as_deref();
    let project = path.map_or_else(
        || Project::demo(mission),
        |path| Project::open(path, mission),
    );
    let project = match project {
        Ok(project) => project,
        Err(error) => return cannot_open(shared, &error),
    };
    if project.config.mission.is_empty() {
        // Without a readable project file there is no mission to show: what is wrong with it
        // instead.
        warn(&readable(shared, &project, &project.findings));
        return ExitCode::FAILURE;
    }
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    // What a person wants everywhere, where nothing else is said now.
    let (settings, notice) = match settings::file(|name| std::env::var_os(name).map(PathBuf::from))
    {
        None => (Look::default(), None),
        Some(file) => settings::load(&file)
            .map_or_else(|error| (Look::default(), Some(error)), |look| (look, None)),
    };
    match screen(Opening {
        project,
        seed,
        look: look.or(&settings),
        notice,
    }) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            complain(
                &format!("the screen cannot be used: {error}"),
                "run it in a terminal; `wayodos run` needs none",
            );
            ExitCode::FAILURE
        }
    }
}

fn new(shared: &Shared, folder: &Path, with: With) -> ExitCode {
    let beginning = match with {
        With::Own => Beginning::Own,
        With::Example => Beginning::Example,
    };
    match begin(folder, beginning) {
        Ok(()) => {
            say(
                shared,
                &format!("made {0}; open it with `wayodos {0}`", folder.display()),
            );
            ExitCode::SUCCESS
        }
        Err(error) => {
            complain(&error, "name another folder");
            ExitCode::FAILURE
        }
    }
}

fn check(shared: &Shared, path: &Path, quick: bool) -> ExitCode {
    let checked = match check_all(shared, path, quick) {
        Ok(checked) => checked,
        Err(error) => return cannot_open(shared, &error),
    };
    let all = || checked.iter().flat_map(|one| &one.findings);
    if shared.json {
        answer_json(&json::findings(&checked));
    } else if all().next().is_none() {
        let count = if checked.len() > 1 {
            format!(" in {} missions", checked.len())
        } else {
            String::new()
        };
        let name = checked.first().map_or("", |one| one.project.name());
        say(shared, &format!("{name}: no problems found{count}"));
    } else {
        let mut out = rendered(
            shared,
            &checked
                .iter()
                .map(|one| (&one.project, &*one.findings))
                .collect::<Vec<_>>(),
        );
        let whole: Vec<Finding> = all().cloned().collect();
        if let (Some(count), Some(first)) = (words::count_words(&whole), checked.first()) {
            let missions = if checked.len() > 1 {
                format!(" in {} missions", checked.len())
            } else {
                String::new()
            };
            out.extend([
                &*words::printable(first.project.name()),
                ": ",
                &count,
                &missions,
                "\n",
            ]);
        }
        put_out(&out);
    }
    if all().any(|finding| finding.severity == Severity::Error) {
        ExitCode::FAILURE
    } else {
        ExitCode::SUCCESS
    }
}

/// Checks one mission, or every mission of the project with what it plays with.
fn check_all(shared: &Shared, path: &Path, quick: bool) -> Result<Vec<Checked>, OpenError> {
    let (folder, named) = locate(path)?;
    // After Ctrl-C no more varied runs are made.
    let mut quick = quick;
    let mut open = |mission: Option<&str>| {
        let project = Project::open(&folder, mission)?;
        let (mut findings, job) = looked_at(&project, shared.seed);
        // What only a run can show, when there is one.
        if let Some(report) = job.and_then(run_here) {
            if !quick {
                let (shown, cut_short) = tried(shared, &report, &mut findings);
                findings.extend(shown);
                quick = cut_short;
            }
            findings.extend(report.hindsight);
        }
        Ok(Checked { project, findings })
    };
    if let Some(mission) = shared.mission.as_deref().or(named.as_deref()) {
        return Ok(vec![open(Some(mission))?]);
    }
    let mut checked = vec![open(None)?];
    // A project file that cannot be read has no missions to go on with.
    if checked[0].project.config.mission.is_empty() {
        return Ok(checked);
    }
    let first = checked[0].project.config.mission.clone();
    let others = checked[0]
        .project
        .missions()
        .into_iter()
        .filter(|name| first != format!("missions/{name}.way"));
    for name in others {
        checked.push(open(Some(&name))?);
    }
    // What is wrong with a robot or a field is said once, whoever plays with it.
    let mut said = BTreeSet::new();
    for one in &mut checked {
        let Checked { project, findings } = one;
        findings.retain(|finding| {
            let (path, _) = project.source(finding.source, "");
            let place = (
                path.to_owned(),
                finding.span.start,
                finding.code,
                finding.message.clone(),
            );
            said.insert(place)
        });
    }
    Ok(checked)
}

/// Makes varied runs of a mission: what they say about the findings of the rules, what they show, and
/// whether they were cut short.
fn tried(shared: &Shared, report: &RunReport, rules: &mut [Finding]) -> (Option<Finding>, bool) {
    let attempt = Attempt {
        scatter: shared.scatter,
        ..report.attempt.clone()
    };
    let made = many::make(shared, borne::FEWEST, "runs", move |at, spare, stop| {
        let brief = attempt.brief(at as u32 + 1, spare, Some(stop))?;
        Some(Arc::new(brief.without_path()))
    });
    let held = death(&report.run, &report.program).is_none();
    let shown = borne::weigh(
        &report.text,
        &report.prepared.parsed,
        &report.program,
        rules,
        held,
        &made.results,
        &causes(&made.results),
    );
    (shown, made.cut_short)
}

/// Prints the manual page.
fn manual() -> ExitCode {
    let mut page = Vec::new();
    match clap_mangen::Man::new(Typed::command()).render(&mut page) {
        Ok(()) => put_out(&String::from_utf8_lossy(&page)),
        Err(error) => complain(
            &format!("cannot write the manual page: {error}"),
            "try `wayodos --help`",
        ),
    }
    ExitCode::SUCCESS
}

fn read_back(shared: &Shared, path: &Path) -> ExitCode {
    let project = match Project::open(path, shared.mission.as_deref()) {
        Ok(project) => project,
        Err(error) => return cannot_open(shared, &error),
    };
    let flow = draw::flow_of(&project);
    if shared.json {
        answer_json(&json::flow(&flow));
    } else {
        answer(&flow.lines().join("\n"));
    }
    ExitCode::SUCCESS
}

/// Prints what a shell is to read when it starts.
fn registration(shell: complete::Shell) -> ExitCode {
    let mut script = Vec::new();
    let written = Shells::builtins().completer(shell.name()).map(|completer| {
        completer.write_registration("COMPLETE", "wayodos", "wayodos", "wayodos", &mut script)
    });
    if let Some(Ok(())) = written {
        put_out(&String::from_utf8_lossy(&script));
        return ExitCode::SUCCESS;
    }
    complain(
        &format!("nothing is known about {}", shell.name()),
        "choose another shell",
    );
    ExitCode::FAILURE
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_command_line_is_consistent() {
        Typed::command().debug_assert();
    }

    #[test]
    fn an_option_that_means_nothing_to_a_command_is_refused_on_either_side_of_it() {
        let refused = |typed: &[&str]| match Typed::try_parse_from(typed) {
            Ok(typed) => typed.shared().is_err(),
            Err(_) => true,
        };
        for typed in [
            &["wayodos", "new", "x", "--seed", "4"][..],
            &["wayodos", "--seed", "4", "new", "x"],
            &["wayodos", "--json", "draw", "x", "-o", "a.svg"],
            &["wayodos", "--json", "x"],
            &["wayodos", "rn", "demo"],
        ] {
            assert!(refused(typed), "{typed:?}");
        }
        let words = Typed::try_parse_from(["wayodos", "rn", "demo"])
            .unwrap()
            .shared()
            .unwrap_err()
            .to_string();
        assert!(words.contains("did you mean `run`?"), "{words}");
    }

    #[test]
    fn shared_options_may_stand_before_or_after_the_command() {
        for typed in [
            ["wayodos", "--seed", "4", "run", "x"],
            ["wayodos", "run", "x", "--seed", "4"],
        ] {
            let typed = Typed::try_parse_from(typed).unwrap();
            assert_eq!(typed.shared().unwrap().seed, Some(4));
        }
    }
}
