//! The logbook: what goes into it by itself, and what its keys do.

use std::sync::Arc;

use wayodos_core::record::Outcome;
use wayodos_report::words::result_words;

use super::super::keymap::Action;
use super::super::logbook::{BEING_READ, Nominal, Wish};
use super::super::model::{Model, Question, ScreenName};
use super::super::theme::Role;
use super::change::put_text;
use super::effect::Effect;
use super::{against, ask, texts};
use crate::against::Other;
use crate::logbook::scribe::{Answer, Errand};
use crate::logbook::{Entry, Page};

/// Shows the logbook.
pub(super) fn show(model: &mut Model, effects: &mut Vec<Effect>) {
    model.screen = ScreenName::Logbook;
    (model.logbook.at, model.logbook.scroll) = (0, 0);
    model.player.playing = false;
    model.field.hover = None;
    effects.push(Effect::Book(Errand::List));
}

/// Writes down what is owed as soon as its nominal run is there, and asks for the texts of the entries
/// that are looked at.
pub(super) fn keep_up(model: &mut Model, effects: &mut Vec<Effect>) {
    if let Some(report) = &model.report
        && report.piece.is_none()
        && report.chance.run == 0
        && model.trial.is_none()
    {
        let known = model.logbook.nominal.as_ref();
        if known.is_none_or(|known| !Arc::ptr_eq(&known.text, &report.text)) {
            model.logbook.nominal = Some(Nominal {
                text: Arc::clone(&report.text),
                outcome: result_words(&report.run, &report.program),
                planned: report.run.outcome == Outcome::Done,
                seconds: report.run.duration(),
                score: report.run.sheet.total(),
            });
        }
    }
    for owed in std::mem::take(&mut model.logbook.owed) {
        let there = model
            .logbook
            .nominal
            .as_ref()
            .filter(|nominal| nominal.text == owed.text);
        let Some(nominal) = there.cloned() else {
            model.logbook.owed.push(owed);
            continue;
        };
        let page = page(model, nominal, owed.reason, owed.note);
        effects.push(Effect::Book(Errand::Write(Box::new(page))));
    }
    if model.screen != ScreenName::Logbook {
        return;
    }
    let looked_at = [model.logbook.marked(), model.logbook.other()];
    let ids: Vec<i64> = looked_at.iter().flatten().map(|entry| entry.id).collect();
    for id in ids {
        if model.logbook.asked.insert(id) {
            effects.push(Effect::Book(Errand::Files(id)));
        }
    }
}

/// A run as the logbook keeps it.
fn page(model: &Model, nominal: Nominal, reason: crate::logbook::Reason, note: String) -> Page {
    let project = &model.project;
    let mission = project.config.mission.clone();
    let mut files = vec![(mission.clone(), nominal.text.to_string())];
    for path in project.settings() {
        if let Some(text) = project.text(path) {
            files.push((path.to_owned(), text.to_owned()));
        }
    }
    if let Some(setup) = &model.setup {
        files.extend(setup.shared.iter().cloned());
    }
    let all = model.many.result.as_ref().filter(|result| {
        let of = model.many.of.as_ref();
        result.spread.is_complete() && of.is_some_and(|of| of.text == nominal.text)
    });
    Page {
        reason,
        mission,
        files,
        seed: model.seed,
        scatter: model.scatter.word().to_owned(),
        outcome: nominal.outcome,
        planned: nominal.planned,
        seconds: nominal.seconds,
        score: nominal.score,
        held: all.map(|result| result.summary.held),
        note,
    }
}

/// The logbook has answered.
pub(super) fn on_answer(model: &mut Model, answer: Answer, effects: &mut Vec<Effect>) {
    match answer {
        Answer::Entries(entries) => model.logbook.learn(entries),
        Answer::Files(id, files) => {
            model.logbook.keep(id, files);
            text_is_there(model, id, effects);
        }
        Answer::Exported(file) => model.say(Role::Good, format!("wrote {}", file.display())),
        Answer::Moved(aside) => model.say(
            Role::Thin,
            format!(
                "the logbook was damaged: it is now {}, and a new one is begun",
                aside.display()
            ),
        ),
        Answer::Failed(words) => {
            // What is more urgent stays to be read.
            if !model
                .notice
                .as_ref()
                .is_some_and(|notice| notice.role == Role::Wrong)
            {
                model.say(Role::Thin, words);
            }
        }
    }
}

/// Does what a key of this screen asks for.
pub(super) fn carry_out(model: &mut Model, action: Action, effects: &mut Vec<Effect>) {
    let page = model.areas().map_or(10, |areas| {
        usize::from(areas.whole().height).saturating_sub(3).max(1)
    }) as isize;
    match action {
        Action::EntryUp => model.logbook.step(-1),
        Action::EntryDown => model.logbook.step(1),
        Action::EntriesUp => model.logbook.step(-page),
        Action::EntriesDown => model.logbook.step(page),
        Action::Newest => model.logbook.at = 0,
        Action::Oldest => model.logbook.step(isize::MAX),
        Action::SearchBook => {
            let search = model.logbook.search().to_owned();
            ask::ask(model, Question::Search, &search);
        }
        Action::ExportBook => {
            let entries: Vec<Entry> = model.logbook.shown().into_iter().cloned().collect();
            effects.push(Effect::Book(Errand::Export(entries)));
        }
        Action::BringBack => with_marked(model, |model, entry| bring_back(model, entry, effects)),
        Action::StarEntry => with_marked(model, |_, entry| {
            effects.push(Effect::Book(Errand::Star(entry.id, !entry.star)));
        }),
        Action::NoteEntry => with_marked(model, |model, entry| {
            ask::ask(model, Question::Note, &entry.note);
        }),
        Action::PinEntry => with_marked(model, |model, entry| {
            let pinned = &mut model.logbook.pinned;
            *pinned = (*pinned != Some(entry.id)).then_some(entry.id);
        }),
        _ => {}
    }
}

fn with_marked(model: &mut Model, act: impl FnOnce(&mut Model, Entry)) {
    match model.logbook.marked().cloned() {
        Some(entry) => act(model, entry),
        None => model.say(Role::Quiet, "the logbook has no entry here"),
    }
}

/// Puts the text of an entry in place; of another mission once that is open.
fn bring_back(model: &mut Model, entry: Entry, effects: &mut Vec<Effect>) {
    let text = model
        .logbook
        .files
        .get(&entry.id)
        .and_then(|files| files.iter().find(|(path, _)| *path == entry.mission));
    let Some((path, text)) = text.cloned() else {
        return wait_for_text(model, &entry, Wish::BringBack);
    };
    model.screen = ScreenName::Mission;
    let name = entry.name().to_owned();
    model.logbook.bring = Some((path, text, entry.when));
    if model.project.config.mission == entry.mission {
        brought(model, effects);
    } else {
        effects.push(Effect::Open(name));
    }
}

/// Does it as soon as the text of an entry has been read.
fn wait_for_text(model: &mut Model, entry: &Entry, wish: Wish) {
    model.logbook.waiting = Some((entry.id, wish));
    model.say(Role::Quiet, BEING_READ);
}

/// What was asked for before the text of an entry was there, unless another one is marked by now.
fn text_is_there(model: &mut Model, id: i64, effects: &mut Vec<Effect>) {
    let Some((_, wish)) = model.logbook.waiting.take_if(|(waiting, _)| *waiting == id) else {
        return;
    };
    let is_marked = model.logbook.marked().is_some_and(|entry| entry.id == id);
    if model.screen != ScreenName::Logbook || !is_marked {
        return;
    }
    match wish {
        Wish::BringBack => with_marked(model, |model, entry| bring_back(model, entry, effects)),
        Wish::Compare => compare(model, effects),
        Wish::Play => super::league::play_entry(model, effects),
    }
}

/// Compares the mission that is open with the marked entry, on the same luck.
pub(super) fn compare(model: &mut Model, effects: &mut Vec<Effect>) {
    with_marked(model, |model, entry| {
        let Some(files) = model.logbook.files.get(&entry.id).cloned() else {
            return wait_for_text(model, &entry, Wish::Compare);
        };
        let other = Other::Entry {
            when: entry.when,
            mission: entry.mission,
            files,
        };
        against::begin(model, Some(other), effects);
    });
}

/// The mission is open whose text is to come back.
pub(super) fn brought(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some((path, text, when)) = model.logbook.bring.take() else {
        return;
    };
    if model.project.config.mission != path {
        return;
    }
    texts::to_mission(model);
    if *model.doc.text == *text {
        return model.say(Role::Quiet, format!("the mission is as it was at {when}"));
    }
    put_text(model, text, effects);
    model.say(
        Role::Good,
        format!("the mission is as it was at {when}; u takes that back"),
    );
}

/// An answer was typed: what to search for, a note beside an entry, or beside a new one.
pub(super) fn answered(
    model: &mut Model,
    question: Question,
    typed: String,
    effects: &mut Vec<Effect>,
) {
    match question {
        Question::Search => {
            model.logbook.look_for(&typed);
        }
        Question::Note => {
            if let Some(id) = model.logbook.marked().map(|entry| entry.id) {
                effects.push(Effect::Book(Errand::Note(id, typed)));
            }
        }
        _ => {
            let text = Arc::clone(&model.mission().text);
            model
                .logbook
                .owe(crate::logbook::Reason::Marked, text, typed);
            model.say(Role::Good, "written into the logbook: Y shows it");
        }
    }
}
