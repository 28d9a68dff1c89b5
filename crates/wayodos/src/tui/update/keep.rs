//! Keeping: saving, leaving, what other programs do to the files, other missions.

use std::path::Path;
use std::sync::Arc;

use ratatui::crossterm::event::{KeyCode, KeyEvent};

use super::super::document::Document;
use super::super::model::{DiffLine, Mode, Model, Outside};
use super::super::theme::Role;
use super::change::{changed, draft, refit, run_again};
use super::effect::Effect;
use super::places::{self, scrolled};
use crate::draft::Draft;
use crate::folder::{Home, Project, Saved};
use crate::logbook::Reason;

pub(super) fn save(model: &mut Model, effects: &mut Vec<Effect>) {
    if !model.doc.unsaved() && matches!(model.project.home, Home::Folder(_)) {
        return model.say(Role::Quiet, "nothing to save");
    }
    save_one(&mut model.doc, effects);
}

fn save_one(document: &mut Document, effects: &mut Vec<Effect>) {
    let overwrite = std::mem::take(&mut document.overwrite) || document.keeps_ours;
    effects.push(Effect::Save {
        path: document.path.clone(),
        text: Arc::clone(&document.text),
        overwrite,
    });
}

pub(super) fn on_saved(
    model: &mut Model,
    path: &str,
    result: Result<Saved, String>,
    text: &Arc<str>,
    effects: &mut Vec<Effect>,
) {
    let leave = std::mem::take(&mut model.leave_when_saved);
    match result {
        Ok(Saved::ChangedOutside) => {
            model
                .document_mut(path)
                .iter_mut()
                .for_each(|document| document.overwrite = true);
            model.bring(path);
            let words = "the file was changed by another program: s again overwrites it and keeps that version as *.before";
            return model.say(Role::Thin, words);
        }
        Err(error) => {
            return model.say(Role::Wrong, format!("the text is still here, but {error}"));
        }
        Ok(Saved::Done) if !model.hands.is_empty() && path == model.project.config.mission => {
            let words =
                format!("saved {path}, without what is done by hand: h keeps that in a file");
            model.say(Role::Thin, words);
        }
        Ok(Saved::Done) => model.say(Role::Good, format!("saved {path}")),
        Ok(Saved::Copied(folder)) => {
            model.say(
                Role::Good,
                format!("the demo is now yours, in {}", folder.display()),
            );
            model.project.home = Home::Folder(folder);
            // Edits of other texts are now kept beside their files there.
            let others = model
                .documents()
                .filter(|document| document.path != path && document.unsaved());
            effects.extend(others.map(draft));
        }
    }
    model.unkept = None;
    if path == model.project.config.mission {
        model
            .logbook
            .owe(Reason::Saved, Arc::clone(text), String::new());
    }
    if let Some(document) = model.document_mut(path) {
        document.keeps_ours = false;
        document.saved = text.to_string();
        if !document.unsaved() {
            effects.push(Effect::ClearDraft(path.to_owned()));
        }
    }
    // One after the other: what could not be saved keeps the application open.
    if leave {
        save_and_leave(model, effects);
    }
}

/// Saves the next text that is not saved; leaves when there is none.
fn save_and_leave(model: &mut Model, effects: &mut Vec<Effect>) {
    let next = model
        .documents()
        .find(|document| document.unsaved())
        .map(|document| document.path.clone());
    match next.and_then(|path| model.document_mut(&path)) {
        Some(document) => {
            save_one(document, effects);
            model.leave_when_saved = true;
        }
        None => effects.push(Effect::Quit),
    }
}

/// Leaves without anything to come back to.
pub(super) fn quit(model: &Model, effects: &mut Vec<Effect>) {
    effects.extend(
        model
            .documents()
            .map(|document| Effect::ClearDraft(document.path.clone())),
    );
    effects.push(Effect::Quit);
}

pub(super) fn leaving(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) {
    match key.code {
        KeyCode::Char('s') => save_and_leave(model, effects),
        KeyCode::Char('k') => match &model.unkept {
            None => effects.push(Effect::Quit),
            Some(error) => {
                let words =
                    format!("the edits cannot be kept: {error}; s saves them, d drops them");
                model.mode = Mode::Leaving;
                model.say(Role::Wrong, words);
            }
        },
        KeyCode::Char('d') => quit(model, effects),
        KeyCode::Esc => {}
        _ => model.mode = Mode::Leaving,
    }
}

/// The file of an open text holds something else.
pub(super) fn on_file(model: &mut Model, path: &str, theirs: String, effects: &mut Vec<Effect>) {
    if model.doc.path == path {
        return on_outside(model, theirs, effects);
    }
    let Some(document) = model.document_mut(path) else {
        return;
    };
    if *theirs == *document.text {
        document.saved = theirs;
        return effects.push(Effect::ClearDraft(path.to_owned()));
    }
    // It is asked about, or taken over, where it can be seen.
    model.bring(path);
    on_outside(model, theirs, effects);
}

/// The file holds something else: it is taken over, or asked about when there are unsaved edits.
pub(super) fn on_outside(model: &mut Model, theirs: String, effects: &mut Vec<Effect>) {
    // What is only being tried is not an edit yet.
    if model.trial.is_some() {
        model.drop_trial();
        model.mode = Mode::Browse;
    }
    if *theirs == *model.doc.text {
        model.doc.saved = theirs;
        effects.push(Effect::ClearDraft(model.doc.path.clone()));
        return;
    }
    if !model.doc.unsaved() {
        let old = Arc::clone(&model.doc.text);
        model.doc.stop_typing();
        model.take_over(theirs);
        places::to_change(model, &old);
        model.mode = Mode::Browse;
        changed(model, effects);
        let line = model.doc.cursor.line + 1;
        return model.say(
            Role::Accent,
            format!("changed by another program from line {line} on; the new version is loaded"),
        );
    }
    let both = diffy::merge(&model.doc.saved, &model.doc.text, &theirs).ok();
    let rows = difference(&model.doc.text, &theirs);
    model.doc.stop_typing();
    model.mode = Mode::Outside(Box::new(Outside {
        theirs,
        both,
        rows,
        scroll: 0,
    }));
}

/// Edits that came back were based on something else than the file holds now: somebody saved it
/// meanwhile.
pub fn meet(model: &mut Model) {
    if model.doc.is_mission() && model.doc.unsaved() && model.project.mission != model.doc.saved {
        // Nothing is asked of the outside: the draft stays until it is decided.
        on_outside(model, model.project.mission.clone(), &mut Vec::new());
    }
}

pub(super) fn outside(
    model: &mut Model,
    key: KeyEvent,
    mut outside: Outside,
    effects: &mut Vec<Effect>,
) {
    match key.code {
        KeyCode::Char('o') => {
            model.doc.keeps_ours = true;
            model.say(
                Role::Quiet,
                "your version stays; on saving, the other one is kept as *.before",
            );
        }
        KeyCode::Char('t') => {
            model.take_over(outside.theirs);
            changed(model, effects);
            model.say(
                Role::Quiet,
                "the file's version is loaded; u brings yours back",
            );
        }
        KeyCode::Char('b') if outside.both.is_some() => {
            model.doc.saved = outside.theirs;
            if let Some(both) = outside.both {
                model.write(both);
                changed(model, effects);
            }
            model.say(
                Role::Quiet,
                "both changes are in the text now; u removes the other one",
            );
        }
        _ => {
            if let Some(scroll) = scrolled(model, key, outside.rows.len(), outside.scroll) {
                outside.scroll = scroll;
            }
            model.mode = Mode::Outside(Box::new(outside));
        }
    }
}

pub(super) fn on_opened(
    model: &mut Model,
    result: Result<(Box<Project>, Option<Draft>), String>,
    effects: &mut Vec<Effect>,
) {
    match result {
        Ok((project, recovered)) => {
            let kept = model.mission().unsaved();
            let left = Path::new(&model.project.config.mission)
                .file_stem()
                .map(|stem| stem.display().to_string());
            model.reopen(*project, recovered);
            meet(model);
            run_again(model, effects);
            // Other texts stay open with it, and what was changed in them goes for it too.
            if model
                .documents()
                .any(|document| !document.is_mission() && document.unsaved())
            {
                effects.push(refit(model));
            }
            if kept && model.notice.is_none() {
                let left = left.unwrap_or_default();
                model.say(
                    Role::Quiet,
                    format!("the unsaved edits of {left} are kept and come back with it"),
                );
            }
        }
        Err(error) => model.say(Role::Wrong, error),
    }
}

/// Another editor was left.
pub(super) fn on_edited(
    model: &mut Model,
    result: Result<String, String>,
    effects: &mut Vec<Effect>,
) {
    match result {
        Ok(text) if *text == *model.doc.text => model.say(Role::Quiet, "nothing was changed"),
        Ok(text) => {
            let old = Arc::clone(&model.doc.text);
            model.write(text);
            places::to_change(model, &old);
            changed(model, effects);
            model.say(Role::Quiet, "loaded from the editor; u undoes it");
        }
        Err(error) => model.say(Role::Wrong, error),
    }
}

/// How two texts differ, line by line, with three lines around each change.
fn difference(ours: &str, theirs: &str) -> Vec<(DiffLine, String)> {
    let patch = diffy::create_patch(theirs, ours);
    let mut rows = Vec::new();
    for (nth, hunk) in patch.hunks().iter().enumerate() {
        if nth > 0 {
            rows.push((DiffLine::Same, "···".to_owned()));
        }
        rows.extend(hunk.lines().iter().map(|line| {
            let (kind, text) = match line {
                diffy::Line::Context(text) => (DiffLine::Same, text),
                diffy::Line::Delete(text) => (DiffLine::Theirs, text),
                diffy::Line::Insert(text) => (DiffLine::Ours, text),
            };
            (kind, text.trim_end().to_owned())
        }));
    }
    rows
}
