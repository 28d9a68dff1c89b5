//! What may help, with proof: each row of the list is tried on the nominal run and on many varied
//! ones, says what came out, and the best stands first.

use std::fmt::Write as _;
use std::sync::Arc;

use wayodos_core::lab::spread::endings;
use wayodos_core::lab::sweep::Point;

use super::super::finder::{Finder, Pick};
use super::super::model::{Mode, Model, Proving};
use super::effect::Effect;
use crate::sweeps::{TextsJob, TextsResult};

/// So many varied runs of each row.
const RUNS: u32 = 20;
/// As many where the rows are no remedies, but places to hold from.
const MORE_RUNS: u32 = 40;

/// Asks for what becomes of each row of a list that changes the text.
///
/// - `other_marks`: the rows that look for another mark than the mission says
pub(super) fn ask(model: &mut Model, finder: &mut Finder, other_marks: Vec<usize>) {
    if let Some(result) = &model.many.result {
        let first = &result.spread.briefs[..result.spread.briefs.len().min(RUNS as usize)];
        let held = wayodos_core::lab::spread::held(first);
        finder.title = format!("{}; now it holds {}", finder.title, held.words());
    }
    each(model, finder, RUNS, other_marks, true);
}

/// The same for rows that stay in their order.
pub(super) fn ask_in_order(model: &mut Model, finder: &mut Finder) {
    each(model, finder, MORE_RUNS, Vec::new(), false);
}

fn each(model: &mut Model, finder: &mut Finder, runs: u32, other_marks: Vec<usize>, ranked: bool) {
    let report = model.own_report().cloned().filter(|report| {
        report.piece.is_none() && report.text == model.mission().text && model.doc.is_mission()
    });
    let (Some(report), Some(setup)) = (report, model.setup.clone()) else {
        return;
    };
    let mut rows = Vec::new();
    let mut texts: Vec<Arc<str>> = Vec::new();
    for (row, item) in finder.items.iter_mut().enumerate() {
        if let Pick::Text(text) | Pick::Look(text) = &item.pick {
            rows.push(row);
            texts.push(text.as_str().into());
            "being tried ...".clone_into(&mut item.text);
        }
    }
    if texts.is_empty() {
        return;
    }
    let job = TextsJob {
        id: model.next_job(),
        texts,
        setup,
        attempt: report.attempt.clone(),
        runs,
    };
    model.proof = Some(Proving {
        job,
        rows,
        other_marks,
        ranked,
        result: None,
        asked: false,
    });
}

/// Hands in what was asked for, and gives it up when the list is closed.
pub(super) fn keep_up(model: &mut Model, effects: &mut Vec<Effect>) {
    let open = matches!(model.mode, Mode::Finding(_));
    match &mut model.proof {
        None => {}
        Some(_) if !open => {
            model.proof = None;
            effects.push(Effect::StopProof);
        }
        Some(proof) if !proof.asked => {
            proof.asked = true;
            effects.push(Effect::Prove(
                Box::new(proof.job.clone()),
                proof.rows.clone(),
            ));
        }
        Some(_) => {}
    }
}

/// Something is known.
pub(super) fn on_proved(model: &mut Model, id: u64, result: &Arc<TextsResult<usize>>) {
    let Some(proof) = model.proof.as_mut().filter(|proof| proof.job.id == id) else {
        return;
    };
    let Mode::Finding(finder) = &mut model.mode else {
        return;
    };
    if !result.complete {
        return;
    }
    proof.result = Some(Arc::clone(result));
    model.many.stamp += 1;
    let (other_marks, ranked) = (proof.other_marks.clone(), proof.ranked);
    let other_mark = |row: usize| other_marks.contains(&row);
    let least = result
        .points
        .iter()
        .filter(|point| works(point))
        .map(|point| point.left_out)
        .min()
        .unwrap_or(0);
    // Where nothing is mended, nothing is left out.
    let least = if ranked { least } else { usize::MAX };
    for point in &result.points {
        let mut words = words(point, least);
        if other_mark(point.value) {
            words.push_str(", by another mark");
        }
        finder.items[point.value].text = words;
    }
    finder.reword();
    // Whoever has chosen already is not to be confused.
    if ranked && finder.at == 0 && finder.input.value().is_empty() {
        order(finder, &result.points, least, other_mark);
    }
}

/// Whether the nominal run ends as planned with it.
fn works(point: &Point<usize>) -> bool {
    point.nominal.as_ref().is_some_and(|brief| brief.held())
}

/// How many more steps it leaves out than others that work.
fn skips(point: &Point<usize>, least: usize) -> usize {
    if works(point) {
        point.left_out.saturating_sub(least)
    } else {
        0
    }
}

/// What came out, in a few words.
fn words(point: &Point<usize>, least: usize) -> String {
    if point.refused {
        return "the mission cannot be run so".to_owned();
    }
    let held = point.held();
    let mut words = format!("held {}", held.words());
    if let Some(most) = endings(&point.briefs).first()
        && held.times * 2 < held.of
    {
        let _ = write!(words, ": {}", most.death.words);
    }
    if !works(point) && held.times * 2 >= held.of {
        words.push_str(", but not the nominal run");
    }
    let skips = match skips(point, least) {
        0 => String::new(),
        1 => ", leaves out a step".to_owned(),
        count => format!(", leaves out {count} steps"),
    };
    words + &skips
}

/// The best first: what does all that the mission is for, holds most often, and works in the nominal
/// run. Going on by another mark, or leaving steps out, is no way to do what the mission is for.
fn order(
    finder: &mut Finder,
    points: &[Point<usize>],
    least: usize,
    other_mark: impl Fn(usize) -> bool,
) {
    let rank = |row: usize| {
        let point = points.iter().find(|point| point.value == row);
        point.map(|point| {
            let held = std::cmp::Reverse(point.held().times);
            let evades = skips(point, least) > 0 || other_mark(row);
            (evades, held, !works(point), row)
        })
    };
    let mut rows: Vec<usize> = (0..finder.items.len()).collect();
    // Rows that change nothing, such as going there, stay on top.
    rows.sort_by_key(|row| rank(*row));
    finder.items = rows
        .into_iter()
        .map(|row| finder.items[row].clone())
        .collect();
    finder.reword();
}
