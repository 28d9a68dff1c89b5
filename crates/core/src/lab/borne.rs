//! Whether varied runs bear out what the rules warn of.
//!
//! A rule says where and why something may go wrong, a run whether it does. Where all runs hold, a
//! warning of something that ends runs weighs less; where runs do not hold, that is reported, whether a
//! rule knows of it or not.

use std::sync::Arc;

use super::causes::Cause;
use super::spread::{Brief, endings, held};
use crate::controller::Program;
use crate::finding::{Finding, Hint, Severity, Source};
use crate::ids::StepId;
use crate::mission::Parsed;

/// So many varied runs say something.
pub const FEWEST: usize = 20;

/// Of so many runs one may fail: nineteen times in twenty is what a mission should hold.
const ONE_IN: u32 = 20;

/// Warnings of what would end a run, or make it end otherwise, at their step. What is a question of
/// habit (a guessed number, a comment) no run decides.
const ENDS_RUNS: &[&str] = &[
    "K03", "K06", "K07", "K09", "K12", "K13", "K14", "K15", "K17", "K19", "K24", "K25", "K29",
    "K31", "K34", "K35", "K36", "K41", "K42", "K44", "K60", "K61", "K62", "K71", "K72", "K73",
];

/// What varied runs say about the findings of the rules.
///
/// - `rules`: what was found without a run
/// - `nominal_held`: the nominal run ended as planned
/// - `briefs`: runs 1 to n; fewer than [`FEWEST`] say nothing
/// - `causes`: of their failing, the most certain one first
///
/// Changes warnings that no run bears out into notes, and returns what the runs show.
pub fn weigh(
    text: &str,
    parsed: &Parsed,
    program: &Program,
    rules: &mut [Finding],
    nominal_held: bool,
    briefs: &[Arc<Brief>],
    causes: &[Cause],
) -> Option<Finding> {
    if briefs.len() < FEWEST {
        return None;
    }
    let share = held(briefs);
    let count = briefs.len();
    if nominal_held && share.times == share.of {
        for finding in rules.iter_mut() {
            let ends_runs =
                ENDS_RUNS.contains(&finding.code) && finding.severity == Severity::Warning;
            if finding.source == Source::Mission
                && ends_runs
                && was_there(finding, parsed, program, briefs)
            {
                finding.severity = Severity::Note;
                finding.message = format!("{}; yet all {count} varied runs held", finding.message);
            }
        }
    }
    shown(text, parsed, program, briefs, causes)
}

/// Whether most runs came to the step that a finding is about.
fn was_there(finding: &Finding, parsed: &Parsed, program: &Program, briefs: &[Arc<Brief>]) -> bool {
    let line = parsed
        .lines
        .partition_point(|line| line.span.end < finding.span.start);
    let step = parsed
        .mission
        .steps
        .iter()
        .find(|step| step.line <= line && line <= step.last);
    let Some(step) = step else { return false };
    let here: Vec<StepId> = StepId::all(program.steps.len())
        .filter(|id| program.steps[*id].line == step.line && !program.steps[*id].foreign)
        .collect();
    let came = briefs
        .iter()
        .filter(|brief| here.iter().any(|step| brief.entered.contains(step)))
        .count();
    came * 2 > briefs.len()
}

/// What is reported when fewer runs hold than should; a match is lost against somebody, and that is no
/// mistake of a line.
fn shown(
    text: &str,
    parsed: &Parsed,
    program: &Program,
    briefs: &[Arc<Brief>],
    causes: &[Cause],
) -> Option<Finding> {
    let share = held(briefs);
    let failed = share.of - share.times;
    if failed * ONE_IN <= share.of || briefs.iter().any(|brief| brief.verdict.is_some()) {
        return None;
    }
    let first = endings(briefs).into_iter().next()?;
    let line = own_line(program, first.death.step);
    let span = parsed.lines.get(line).map_or(0..0, |line| {
        let written = text[line.span.clone()].trim_end();
        line.span.start + (written.len() - written.trim_start().len())
            ..line.span.start + written.len()
    });
    let all = if first.share.times == failed {
        String::new()
    } else {
        format!(", {} of them here", first.share.times)
    };
    let message = format!(
        "{failed} of {} varied runs do not hold{all}: {}",
        share.of, first.death.words
    );
    let hint: Hint = match causes.first() {
        Some(cause) => format!("{} {}", cause.words(), cause.advice()).into(),
        None => "look at such a run: `wayodos spread` names them".into(),
    };
    Some(Finding::warning("K70", Source::Mission, span, message).hint(hint))
}

/// The line of a step, or of the step of this text that led into another text's routine.
pub(super) fn own_line(program: &Program, step: StepId) -> usize {
    let chain = std::iter::successors(Some(step), |step| program.steps.get(step.0)?.parent);
    let own = chain
        .filter_map(|step| program.steps.get(step.0))
        .find(|step| !step.foreign);
    own.map_or(0, |step| step.line)
}
