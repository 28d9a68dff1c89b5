//! What the tune tab says.

use wayodos_core::lab::tune::Gain;

use crate::tui::model::{Model, Tuning};
use crate::tui::theme::Role;

/// Whether the text is another one than the one that was searched, and not what was found.
pub fn is_old(model: &Model, tune: &Tuning) -> bool {
    *model.mission().text != *tune.job.text
}

/// What is found out so far, in a sentence.
pub fn verdict(tune: &Tuning) -> (String, Role) {
    let search = &tune.search;
    if !search.is_over() {
        return (search.stage(), Role::Accent);
    }
    let Some(proof) = &tune.proof else {
        return if tune.cut_short {
            ("given up before it was proven".to_owned(), Role::Thin)
        } else {
            ("nothing better was found".to_owned(), Role::Quiet)
        };
    };
    let words = match proof.better {
        Some(Gain::Holds) => "found better: it holds more often".to_owned(),
        Some(Gain::Score) => format!(
            "found better: holds as often, {:+.1} points",
            proof.points.unwrap_or(0.0)
        ),
        Some(Gain::Time) => format!(
            "found better: holds as often, {:.1} s faster",
            -proof.compared.slower.unwrap_or(0.0)
        ),
        None => return ("what is found is not clearly better".to_owned(), Role::Thin),
    };
    (words, Role::Good)
}
