//! `wayodos run`: one run, described step by step.

use std::fmt::Write as _;
use std::io::IsTerminal as _;
use std::path::Path;
use std::process::ExitCode;
use std::time::Instant;

use wayodos_core::controller::{ExitKind, Goal};
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::record::Outcome;
use wayodos_core::sim::Chance;
use wayodos_report::Story;
use wayodos_report::words::{
    Weight, exit_words, goal_words, happening_words, outcome_words, rest_words, score_lines,
    verdict_words,
};

use super::answers::{answer_json, put_out, readable, run_project, warn};
use super::json;
use super::typed::Shared;
use crate::folder::Project;
use crate::work::RunReport;

pub(super) fn run(shared: &Shared, path: &Path, timing: bool) -> ExitCode {
    let began = Instant::now();
    let ran = match run_project(shared, path) {
        Ok(ran) => ran,
        Err(code) => return code,
    };
    let wall_ms = timing.then(|| began.elapsed().as_secs_f64() * 1e3);
    let report = || {
        let title = format!(
            "{} on {}, seed {}",
            ran.project.name(),
            ran.project.config.field,
            ran.seed
        );
        let which = chance(&ran.report.chance);
        format!("{title}{which}\n\n{}", report(&ran.project, &ran.report))
    };
    // Notes are for `check`: whoever runs wants to see what went wrong.
    let matters: Vec<Finding> = ran
        .findings
        .iter()
        .filter(|it| it.severity != Severity::Note)
        .cloned()
        .collect();
    if !matters.is_empty() && !shared.quiet {
        warn(&readable(shared, &ran.project, &matters));
    }
    if shared.json {
        if !shared.quiet {
            warn(&super::words::printable(&report()));
        }
        answer_json(&json::run(
            &ran.project,
            &ran.findings,
            &ran.report,
            wall_ms,
        ));
    } else {
        let text = super::words::printable(&report()).into_owned();
        let colour = shared.colour.wanted(std::io::stdout().is_terminal());
        put_out(&if colour { coloured(&text) } else { text });
    }
    match ran.report.run.outcome {
        Outcome::Done => ExitCode::SUCCESS,
        Outcome::Failed | Outcome::Limit | Outcome::Fell => ExitCode::from(2),
        Outcome::Error => ExitCode::FAILURE,
    }
}

/// Which run it is and what is different in it; nothing for the nominal one.
fn chance(chance: &Chance) -> String {
    let Some(words) = chance.words() else {
        return String::new();
    };
    let mut out = format!(", {words}");
    for one in &chance.drawn {
        let sigmas = one
            .sigmas
            .map_or_else(String::new, |sigmas| format!("{sigmas:>6.1} sigma"));
        let _ = write!(out, "\n  {:<32} {:>12} {sigmas}", one.what, one.words());
    }
    if chance.again > 0 {
        let _ = write!(
            out,
            "\n  drawn again, since something stood there: {}",
            chance.again
        );
    }
    out
}

/// The report with the colours of the screen: what went as planned, what was close, what went
/// wrong.
fn coloured(text: &str) -> String {
    let mut out = String::new();
    for line in text.lines() {
        let ink = match line {
            _ if line.contains("not reached") => "2",
            _ if line.contains("-> fail")
                || line.starts_with("failed")
                || line.starts_with("fell") =>
            {
                "31"
            }
            _ if line.contains("fired thin") => "33",
            _ if line.contains("  -> ") || line.starts_with("done") || line.starts_with("won") => {
                "32"
            }
            _ if line.len() > 5 && line[..3].trim().parse::<u32>().is_ok() => "1",
            _ => "",
        };
        if ink.is_empty() {
            out.push_str(line);
        } else {
            let _ = write!(out, "\x1b[{ink}m{line}\x1b[0m");
        }
        out.push('\n');
    }
    out
}

/// Every visited step with its times and the exit that ended it, then the outcome.
fn report(project: &Project, report: &RunReport) -> String {
    let RunReport {
        run,
        program,
        evidence,
        ..
    } = report;
    let trace = &run.trace;
    let mut out = String::new();
    for step in evidence {
        let visit = step.visit;
        let of = &program.steps[visit.step];
        let times = format!(
            "{:.2} - {:.2} s",
            trace.seconds(visit.entered),
            trace.seconds(visit.left)
        );
        let _ = writeln!(
            out,
            "{:>3}  {:<32} {times:>17}",
            visit.step.number(),
            of.name
        );
        for (exit, evidence) in of.exits.iter().zip(&step.exits) {
            let failed = matches!(exit.goal, Goal::Fail(_));
            let (words, weight) = exit_words(evidence, exit.kind, failed);
            let target = match weight {
                Weight::Spare => String::new(),
                _ if exit.kind != ExitKind::Written => String::new(),
                Weight::Fired | Weight::Thin | Weight::Failed => {
                    format!("  -> {}", goal_words(program, visit.step, &exit.goal))
                }
            };
            let _ = writeln!(out, "       {:<44} {words}{target}", exit.words);
        }
    }
    if let Some(setup) = &project.setup {
        let story = Story {
            field: &setup.field,
            robot: &setup.robot,
            program,
            run,
        };
        for (index, happened) in trace.happened.iter().enumerate() {
            let gap = if index == 0 { "\n" } else { "" };
            let at = trace.seconds(happened.tick as usize);
            let _ = writeln!(
                out,
                "{gap}{at:>11.2} s  {}",
                happening_words(story, happened.what)
            );
        }
    }
    for (index, (words, points)) in score_lines(run).iter().enumerate() {
        let gap = if index == 0 { "\n" } else { "" };
        let _ = writeln!(out, "{gap}     {words:<46} {points:>6}");
    }
    let _ = writeln!(out, "\n{}", outcome_words(run, program));
    if let Some(verdict) = verdict_words(run) {
        let _ = writeln!(out, "{verdict}");
    }
    let _ = writeln!(out, "{}", rest_words(run));
    let _ = writeln!(out, "trace {:016x}", run.fingerprint());
    out
}
