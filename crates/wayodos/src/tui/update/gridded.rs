//! Two numbers at once that were begun: they grow, are looked at pair by pair, and a pair is put in
//! place.

use std::sync::Arc;

use wayodos_core::lab::grid::Pair;

use super::super::model::Model;
use super::super::sight::sweep::is_old;
use super::super::theme::Role;
use super::change::{laid_anew, put_text};
use super::effect::Effect;
use super::texts;
use crate::sweeps::TextsResult;

/// More of it is there.
pub(super) fn on_grid(model: &mut Model, id: u64, result: Arc<TextsResult<Pair>>) {
    if let Some(grid) = model.grid.as_mut().filter(|grid| grid.job.id == id) {
        grid.result = Some(result);
        model.many.stamp += 1;
    }
}

/// Marks the pair beside the marked one.
///
/// - `by`: values of the first number, and of the second
pub(super) fn turn(model: &mut Model, by: [isize; 2]) {
    let Some(grid) = &mut model.grid else { return };
    let columns = grid.job.columns();
    let at = grid.at();
    let moved = |from: usize, by: isize, count: usize| {
        from.saturating_add_signed(by).min(count.saturating_sub(1))
    };
    let column = moved(at % columns, by[0], columns);
    let row = moved(at / columns, by[1], grid.job.axes[1].values.len());
    grid.marked = Some(row * columns + column);
    model.many.stamp += 1;
}

/// Puts the marked pair in place, and notes where it holds.
pub(super) fn take(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(grid) = model.grid.clone() else {
        return;
    };
    if is_old(model, &grid.job.text) {
        let words =
            "the mission is another one since it was tried: : on the number tries both again";
        return model.say(Role::Thin, words);
    }
    if !grid.result.as_ref().is_some_and(|result| result.complete) {
        return model.say(Role::Quiet, "wait until all of its runs are there");
    }
    texts::to_mission(model);
    let (columns, at) = (grid.job.columns(), grid.at());
    let pair = grid.job.pairs()[at];
    let block = grid
        .holds()
        .filter(|block| block.contains([at % columns, at / columns]));
    let new = laid_anew(model, grid.job.text_with(pair, block.as_ref()));
    put_text(model, new, effects);
    let [first, second] = &grid.job.axes;
    let set = format!("{} {}, {} {}", first.name, pair[0], second.name, pair[1]);
    if block.is_some() {
        model.say(Role::Good, format!("{set}: it holds around it, too"));
    } else {
        let words = format!("{set}, which does not hold 19 times in 20");
        model.say(Role::Thin, words);
    }
}
