//! What the mission is compared with on the same luck: chosen from a list, or an entry of the logbook.

use std::sync::Arc;

use wayodos_core::project::arrange::Part;

use super::super::finder::{Finder, Item, Pick};
use super::super::keymap::Action;
use super::super::many::Against;
use super::super::model::{Mode, Model, ScreenName, Side};
use super::super::theme::Role;
use super::effect::Effect;
use super::panes;
use crate::against::Other;
use crate::shelf::{Kind, list};
use crate::spreads::SpreadResult;

/// Offers what the mission can be compared with.
pub(super) fn choose(model: &mut Model) {
    if model.spread_of().is_none() {
        return model.say(Role::Thin, "the mission cannot be run as it stands");
    }
    let row = |title: String, what: &str, other: Option<Other>| {
        Item::new(title, "", what, Pick::Against(other.map(Box::new)))
    };
    let mut items = vec![
        row(
            "the text before".to_owned(),
            "as long as nothing else is chosen: what the last edit did",
            None,
        ),
        row(
            "the saved text".to_owned(),
            "this mission as it stands in its file",
            Some(Other::Saved),
        ),
    ];
    let config = &model.project.config;
    for entry in list(&model.project) {
        let part = match entry.kind {
            Kind::Mission if entry.path != config.mission => {
                let other = Other::Mission(entry.name.clone());
                items.push(row(entry.name, "another mission", Some(other)));
                continue;
            }
            Kind::Robot => Part::Robot,
            Kind::Field => Part::Field,
            Kind::Calibration => Part::Calibration,
            Kind::Mission
            | Kind::Routines
            | Kind::Rival
            | Kind::Hands
            | Kind::Export
            | Kind::Bin => continue,
        };
        if part.of(config) != Some(&entry.path) {
            let what = format!("this mission with another {}", part.key());
            let title = format!("{} {}", part.key(), entry.name);
            items.push(row(title, &what, Some(Other::With(part, entry.path))));
        }
    }
    // All of its entries, not only those whose texts have been read.
    items.push(Item::new(
        "the logbook",
        "",
        "choose an entry there, and @ compares with it",
        Pick::Do(Action::ToLogbook),
    ));
    model.mode = Mode::Finding(Box::new(Finder::new("Compare with", items, 0)));
}

/// Begins to make the runs of what was chosen.
pub(super) fn begin(model: &mut Model, other: Option<Other>, effects: &mut Vec<Effect>) {
    let Some(other) = other else {
        model.many.compare_with(None);
        effects.push(Effect::StopAgainst);
        return show(model);
    };
    let like = model.own_report().map(|report| report.attempt.clone());
    let Some(like) = like.filter(|_| model.spread_of().is_some()) else {
        return model.say(Role::Thin, "there must be a run of the mission first");
    };
    let id = model.next_job();
    model.many.compare_with(Some(Against {
        id,
        name: other.name(),
        result: None,
    }));
    let texts = model
        .documents()
        .map(|document| (document.path.clone(), Arc::clone(&document.text)))
        .collect();
    effects.push(Effect::Against {
        id,
        other: Box::new(other),
        texts,
        like: Box::new(like),
        runs: model.project.config.spread.max(1),
    });
    show(model);
}

fn show(model: &mut Model) {
    model.screen = ScreenName::Mission;
    if model.side.shown != Side::Spread || !model.side.open {
        panes::show_side(model, Side::Spread);
        model.side.open = true;
    }
}

/// More runs of it are there, or it cannot be run.
pub(super) fn on_result(model: &mut Model, id: u64, result: Result<Arc<SpreadResult>, String>) {
    let Some(against) = model.many.against.clone().filter(|one| one.id == id) else {
        return;
    };
    match result {
        Ok(result) => model.many.compare_with(Some(Against {
            result: Some(result),
            ..against
        })),
        Err(words) => {
            model.many.compare_with(None);
            model.say(Role::Wrong, words);
        }
    }
}
