//! `wayodos tune`: several amounts at once, searched for what holds most often, and the find proven
//! against what stands in the mission.

use std::fmt::Write as _;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;

use serde::Serialize;
use wayodos_core::lab::tune::{Candidate, Gain, PROOF_RUNS, Proof, Search};
use wayodos_core::mission::Parsed;
use wayodos_core::mission::span::{Swept, sweep, with_safe_span};

use super::answers::{USAGE, complain};
use super::json::Share;
use super::many::{attempt_of, make, p_words, tell};
use super::span::{Amount, Span, slot_of};
use super::typed::Shared;
use crate::folder::{Project, Saved, save};
use crate::tunes::{TuneJob, VALUES};

/// What is to be searched, or what to say instead.
fn searched(parsed: &Parsed, text: &str, asked: &[Amount]) -> Result<Vec<Swept>, (String, String)> {
    let swept = |slot, span| {
        let hint = "a span is two amounts with their units, such as `pace=20 %..60 %`";
        sweep(parsed, text, slot, span, VALUES).map_err(|what| (what.to_string(), hint.to_owned()))
    };
    let mut all: Vec<Swept> = Vec::new();
    if asked.is_empty() {
        for slot in with_safe_span(parsed) {
            all.push(swept(slot, None)?);
        }
        if all.is_empty() {
            return Err((
                "no amount of the mission has a safe span".to_owned(),
                "name what is to be searched, such as `pace=20 %..60 %`, or let `sweep` find a safe span".to_owned(),
            ));
        }
    }
    for Amount { named, span } in asked {
        let slot = slot_of(parsed, text, named)?;
        let amount = swept(slot, span.map(|Span(ends)| ends))?;
        if all.iter().any(|other| other.slot == amount.slot) {
            return Err((
                format!("`{named}` is named twice"),
                "name each amount once".to_owned(),
            ));
        }
        all.push(amount);
    }
    Ok(all)
}

/// Tunes the mission of a project.
///
/// - `asked`: what is searched; all amounts with a safe span when it is empty
/// - `take`: what is found to be better is written into the mission
pub(super) fn tune(shared: &Shared, path: &Path, asked: &[Amount], take: bool) -> ExitCode {
    let (project, job, attempt) = match attempt_of(shared, path, shared.mission.as_deref()) {
        Ok(opened) => opened,
        Err(code) => return code,
    };
    let amounts = match searched(&job.prepared.parsed, &job.text, asked) {
        Ok(amounts) => amounts,
        Err((what, hint)) => {
            complain(&what, &hint);
            return ExitCode::from(USAGE);
        }
    };
    let job = TuneJob {
        id: 0,
        text: Arc::clone(&job.text),
        setup: Arc::clone(&job.setup),
        attempt,
    };
    let mut search = Search::new(amounts, job.attempt.seed);
    let mut cut_short = false;
    while !search.is_over() {
        let batch = job.batch(&search);
        let made = make(shared, batch.count(), "runs", batch.pieces(None));
        cut_short |= made.cut_short;
        search.learn(made.results);
    }
    let proof = search.proof();
    let better = proof.as_ref().is_some_and(|proof| proof.better.is_some());
    let mut taken = false;
    if take && better {
        let values = &search.candidates[search.best()].value;
        let text = job.text_with(&search, values);
        let wrong = match save(&project, &job.text, &text, false, Path::new(".")) {
            Ok(Saved::Done | Saved::Copied(_)) => None,
            Ok(Saved::ChangedOutside) => Some((
                format!("{} was changed meanwhile", project.config.mission),
                "it is as it was found; tune it again",
            )),
            Err(error) => Some((
                error,
                "check that the folder may be written to; the file is unchanged",
            )),
        };
        if let Some((what, hint)) = wrong {
            complain(&what, hint);
            return ExitCode::FAILURE;
        }
        taken = true;
    }
    let words = report(shared, &project, &search, proof.as_ref(), taken);
    let object = object(shared, &project, &search, proof.as_ref(), taken);
    tell(shared, &words, &object);
    if cut_short {
        ExitCode::from(130)
    } else {
        ExitCode::SUCCESS
    }
}

fn report(
    shared: &Shared,
    project: &Project,
    search: &Search,
    proof: Option<&Proof>,
    taken: bool,
) -> String {
    let (start, best) = (&search.candidates[0], &search.candidates[search.best()]);
    let mut out = format!(
        "{}, {} scatter: {} runs of {} sets of values\n\n{:>20} {:>10} {:>10}   searched\n",
        project.config.mission,
        shared.scatter.word(),
        search.made(),
        search.candidates.len(),
        "amount",
        "now",
        "found",
    );
    for (amount, found) in search.amounts.iter().zip(&best.value) {
        let (low, high) = (amount.values[0], amount.values[amount.values.len() - 1]);
        let _ = writeln!(
            out,
            "{:>20} {:>10} {:>10}   {low} to {high}",
            amount.name,
            amount.now.to_string(),
            found.to_string(),
        );
    }
    let side = |what: &str, candidate: &Candidate| {
        let time = candidate
            .seconds()
            .map_or_else(String::new, |seconds| format!("  {seconds:.1} s"));
        let score = candidate
            .score()
            .map_or_else(String::new, |score| format!("  {score:.1} points"));
        format!(
            "{what:>20} held {}{time}{score}\n",
            candidate.held().words()
        )
    };
    let _ = write!(
        out,
        "\nin the search\n{}{}",
        side("now", start),
        side("found", best)
    );
    let [before, now] = search.proven();
    if proof.is_some() {
        let _ = writeln!(
            out,
            "\nproof, on {PROOF_RUNS} runs that took no part in the search"
        );
        for (what, held) in [("now", before), ("found", now)] {
            let _ = writeln!(
                out,
                "{what:>20} held {}, {} of the time",
                held.words(),
                held.interval_words()
            );
        }
    }
    let _ = writeln!(out, "\n{}", verdict(search, proof));
    if taken {
        let _ = writeln!(out, "wrote {}", project.config.mission);
    } else if proof.is_some_and(|proof| proof.better.is_some()) {
        out.push_str("`--take` writes it into the mission\n");
    }
    out
}

/// What was found out, in a sentence.
fn verdict(search: &Search, proof: Option<&Proof>) -> String {
    let Some(proof) = proof else {
        return if search.is_over() && search.best() == 0 {
            "nothing that was tried is better than what stands in the mission".to_owned()
        } else {
            "what is found has not been proven".to_owned()
        };
    };
    let p = p_words(proof.p);
    match proof.better {
        Some(Gain::Holds) => {
            format!("what is found is better: it holds more often (exact test of pairs, {p})")
        }
        Some(Gain::Score) => format!(
            "what is found is better: it holds as often, with {:+.1} points (sign test, {p})",
            proof.points.unwrap_or(0.0)
        ),
        Some(Gain::Time) => format!(
            "what is found is better: it holds as often, {:.1} s faster (sign test, {p})",
            -proof.compared.slower.unwrap_or(0.0)
        ),
        None => "what is found is not clearly better than what stands in the mission".to_owned(),
    }
}

#[derive(Serialize)]
struct AmountOut<'a> {
    name: &'a str,
    unit: &'a str,
    now: f64,
    found: f64,
    searched: [f64; 2],
}

#[derive(Serialize)]
struct TuneOut<'a> {
    version: u32,
    mission: &'a str,
    scatter: &'a str,
    runs: usize,
    tried: usize,
    amounts: Vec<AmountOut<'a>>,
    search_now: Share,
    search_found: Share,
    proof_now: Share,
    proof_found: Share,
    /// `holds`, `score` or `time`; none when it is not clearly better.
    better_in: Option<&'a str>,
    p: Option<f64>,
    faster_s: Option<f64>,
    points: Option<f64>,
    taken: bool,
}

fn object<'a>(
    shared: &'a Shared,
    project: &'a Project,
    search: &'a Search,
    proof: Option<&Proof>,
    taken: bool,
) -> impl Serialize + 'a {
    let best = &search.candidates[search.best()];
    let amount = |(amount, found): (&'a Swept, &wayodos_core::units::Quantity)| AmountOut {
        name: &amount.name,
        unit: amount.now.unit.symbol(),
        now: amount.now.value,
        found: found.value,
        searched: [0, amount.values.len() - 1].map(|at| amount.values[at].value),
    };
    let [before, now] = search.proven();
    TuneOut {
        version: 1,
        mission: &project.config.mission,
        scatter: shared.scatter.word(),
        runs: search.made(),
        tried: search.candidates.len(),
        amounts: search.amounts.iter().zip(&best.value).map(amount).collect(),
        search_now: search.candidates[0].held().into(),
        search_found: best.held().into(),
        proof_now: before.into(),
        proof_found: now.into(),
        better_in: proof.and_then(|proof| proof.better).map(|gain| match gain {
            Gain::Holds => "holds",
            Gain::Score => "score",
            Gain::Time => "time",
        }),
        p: proof.map(|proof| proof.p),
        faster_s: proof.and_then(|proof| proof.compared.slower).map(|s| -s),
        points: proof.and_then(|proof| proof.points),
        taken,
    }
}
