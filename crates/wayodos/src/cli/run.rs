//! `wayodos run`: one run, described step by step.

use std::fmt::Write as _;
use std::io::IsTerminal as _;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::Instant;

use wayodos_core::finding::{Finding, Severity};
use wayodos_core::record::Outcome;
use wayodos_core::sim::Chance;
use wayodos_report::words::{
    first_words, happening_words, outcome_words, rest_words, score_lines, verdict_words,
};
use wayodos_report::{account, quiet_reflexes};

use super::answers::{USAGE, answer_json, complain, put_out, readable, run_project, warn};
use super::channels::table;
use super::json;
use super::points::write_table;
use super::typed::Shared;
use crate::work::RunReport;

/// What is asked of a run besides the project.
pub(super) struct Asked {
    /// Say in the JSON how long it took to work out.
    pub(super) timing: bool,
    /// Tell of every pass.
    pub(super) all: bool,
    /// A table of what was recorded.
    pub(super) csv: Option<PathBuf>,
    /// Its columns; all without any.
    pub(super) channels: Vec<String>,
}

pub(super) fn run(shared: &Shared, path: &Path, asked: &Asked) -> ExitCode {
    let began = Instant::now();
    let ran = match run_project(shared, path) {
        Ok(ran) => ran,
        Err(code) => return code,
    };
    let wall_ms = asked.timing.then(|| began.elapsed().as_secs_f64() * 1e3);
    if let Some(setup) = ran.project.setup.as_ref().filter(|_| asked.csv.is_some()) {
        let of = &ran.report;
        let table = match table(&of.run, &of.program, &setup.robot, &asked.channels) {
            Ok(table) => table,
            Err((name, all)) => {
                complain(
                    &format!("there is no channel `{name}`"),
                    &format!("the channels are: {}", all.join(", ")),
                );
                return ExitCode::from(USAGE);
            }
        };
        if let Err(code) = write_table(asked.csv.as_deref(), || table) {
            return code;
        }
    }
    let report = || {
        let title = format!(
            "{} on {}, seed {}",
            ran.project.name(),
            ran.project.config.field,
            ran.seed
        );
        let which = chance(&ran.report.chance);
        format!("{title}{which}\n\n{}", report(&ran.report, asked.all))
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
                || line.starts_with("fell")
                || line.starts_with("began to go wrong") =>
            {
                "31"
            }
            _ if line.contains("THIN") => "33",
            _ if line.contains("  -> ") || line.starts_with("done") || line.starts_with("won") => {
                "32"
            }
            // A name may begin with letters of several bytes.
            _ if line
                .get(..3)
                .is_some_and(|number| number.trim().parse::<u32>().is_ok()) =>
            {
                "1"
            }
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

/// Every visited step with its times and what ended it, then the outcome; with `all`, passes that
/// repeat each other are not told as one.
fn report(report: &RunReport, all: bool) -> String {
    let RunReport {
        run,
        program,
        evidence,
        ..
    } = report;
    let trace = &run.trace;
    let mut out = String::new();
    for told in account(run, program, evidence, all) {
        let name = format!(
            "{}{}",
            "  ".repeat(told.depth),
            program.steps[told.step].name
        );
        let _ = writeln!(out, "{:>3}  {name:<40} {}", told.step.number(), told.times);
        let indent = "  ".repeat(told.depth);
        for line in told.lines {
            let goal = line
                .goal
                .map_or_else(String::new, |goal| format!("  -> {goal}"));
            let about = format!("  {indent}{}", line.about);
            let text = format!("     {about:<39}  {}{goal}", line.words);
            let _ = writeln!(out, "{}", text.trim_end());
        }
    }
    let story = report.story();
    for (index, (reflex, words)) in quiet_reflexes(story).iter().enumerate() {
        let gap = if index == 0 { "\n" } else { "" };
        let _ = writeln!(out, "{gap}     reflex {reflex:<32}  {words}");
    }
    for (index, happened) in trace.happened.iter().enumerate() {
        let gap = if index == 0 { "\n" } else { "" };
        let at = trace.seconds(happened.tick as usize);
        let words = happening_words(story, *happened);
        let _ = writeln!(out, "{gap}{at:>11.2} s  {words}");
    }
    for (index, (words, points)) in score_lines(run).iter().enumerate() {
        let gap = if index == 0 { "\n" } else { "" };
        let _ = writeln!(out, "{gap}     {words:<46} {points:>6}");
    }
    let _ = writeln!(out, "\n{}", outcome_words(run, program));
    if let Some(first) = &report.first {
        let _ = writeln!(out, "{}", first_words(report.story(), first));
    }
    if let Some(verdict) = verdict_words(run) {
        let _ = writeln!(out, "{verdict}");
    }
    let _ = writeln!(out, "{}", rest_words(run));
    let _ = writeln!(out, "trace {:016x}", run.fingerprint());
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn colours_find_their_lines_whatever_letters_a_name_begins_with() {
        // A letter of several bytes stands across the third one.
        assert_eq!(coloured("abé works on a field"), "abé works on a field\n");
        assert_eq!(
            coloured("  1  Go   0.00 s"),
            "\x1b[1m  1  Go   0.00 s\x1b[0m\n"
        );
        let thin = "       floor sees dark   fired THIN 2.1  -> \"Go\"";
        assert_eq!(coloured(thin), format!("\x1b[33m{thin}\x1b[0m\n"));
    }
}
