//! Keeping: saving, leaving, what other programs do to the files, other missions.

use std::path::Path;
use std::sync::Arc;

use ratatui::crossterm::event::{KeyCode, KeyEvent};

use super::super::model::{Mode, Model, Outside};
use super::super::theme::Role;
use super::{Effect, changed, difference, moves, run_again, scrolled};
use crate::draft::Draft;
use crate::folder::{Home, Project, Saved};

pub(super) fn save(model: &mut Model, effects: &mut Vec<Effect>) {
    if !model.unsaved() && matches!(model.project.home, Home::Folder(_)) {
        return model.say(Role::Quiet, "nothing to save");
    }
    let overwrite = model.overwrite || model.keeps_ours;
    effects.push(Effect::Save { text: Arc::clone(&model.text), overwrite });
    model.overwrite = false;
}

pub(super) fn on_saved(model: &mut Model, result: Result<Saved, String>, text: &Arc<str>, effects: &mut Vec<Effect>) {
    let leave = std::mem::take(&mut model.leave_when_saved);
    match result {
        Ok(Saved::ChangedOutside) => {
            model.overwrite = true;
            let words =
                "the file was changed by another program: s again overwrites it and keeps that version as *.before";
            return model.say(Role::Thin, words);
        }
        Err(error) => return model.say(Role::Wrong, format!("the text is still here, but {error}")),
        Ok(Saved::Done) => model.say(Role::Good, format!("saved {}", model.project.config.mission)),
        Ok(Saved::Copied(folder)) => {
            model.say(Role::Good, format!("the demo is now yours, in {}", folder.display()));
            model.project.home = Home::Folder(folder);
        }
    }
    model.keeps_ours = false;
    model.unkept = None;
    model.saved = text.to_string();
    if !model.unsaved() {
        effects.push(Effect::ClearDraft);
        if leave {
            effects.push(Effect::Quit);
        }
    }
}

pub(super) fn leaving(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) {
    match key.code {
        KeyCode::Char('s') => {
            model.leave_when_saved = true;
            save(model, effects);
        }
        KeyCode::Char('k') => match &model.unkept {
            None => effects.push(Effect::Quit),
            Some(error) => {
                let words = format!("the edits cannot be kept: {error}; s saves them, d drops them");
                model.mode = Mode::Leaving;
                model.say(Role::Wrong, words);
            }
        },
        KeyCode::Char('d') => effects.extend([Effect::ClearDraft, Effect::Quit]),
        KeyCode::Esc => {}
        _ => model.mode = Mode::Leaving,
    }
}

/// The file holds something else: it is taken over, or asked about when there are unsaved edits.
pub(super) fn on_outside(model: &mut Model, theirs: String, effects: &mut Vec<Effect>) {
    // What is only being tried is not an edit yet.
    if model.trial.is_some() {
        model.drop_trial();
        model.mode = Mode::Browse;
    }
    if *theirs == *model.text {
        model.saved = theirs;
        effects.push(Effect::ClearDraft);
        return;
    }
    if !model.unsaved() {
        let old = Arc::clone(&model.text);
        model.stop_typing();
        model.take_over(theirs);
        moves::to_change(model, &old);
        model.mode = Mode::Browse;
        changed(model, effects);
        let line = model.cursor.line + 1;
        return model
            .say(Role::Accent, format!("changed by another program from line {line} on; the new version is loaded"));
    }
    let both = diffy::merge(&model.saved, &model.text, &theirs).ok();
    let rows = difference(&model.text, &theirs);
    model.stop_typing();
    model.mode = Mode::Outside(Box::new(Outside { theirs, both, rows, scroll: 0 }));
}

/// Edits that came back were based on something else than the file holds now: somebody saved it meanwhile.
pub fn meet(model: &mut Model) {
    if model.unsaved() && model.project.mission != model.saved {
        // Nothing is asked of the outside: the draft stays until it is decided.
        on_outside(model, model.project.mission.clone(), &mut Vec::new());
    }
}

pub(super) fn outside(model: &mut Model, key: KeyEvent, mut outside: Outside, effects: &mut Vec<Effect>) {
    match key.code {
        KeyCode::Char('o') => {
            model.keeps_ours = true;
            model.say(Role::Quiet, "your version stays; on saving, the other one is kept as *.before");
        }
        KeyCode::Char('t') => {
            model.take_over(outside.theirs);
            changed(model, effects);
            model.say(Role::Quiet, "the file's version is loaded; u brings yours back");
        }
        KeyCode::Char('b') if outside.both.is_some() => {
            model.saved = outside.theirs;
            if let Some(both) = outside.both {
                model.write(both);
                changed(model, effects);
            }
            model.say(Role::Quiet, "both changes are in the text now; u removes the other one");
        }
        _ => {
            if let Some(scroll) = scrolled(model, key, outside.rows.len(), outside.scroll) {
                outside.scroll = scroll;
            }
            model.mode = Mode::Outside(Box::new(outside));
        }
    }
}

/// Robot, field or another file beside the mission were changed.
pub(super) fn on_refit(model: &mut Model, project: Project, effects: &mut Vec<Effect>) {
    let broken = project.setup.is_none();
    model.refit(project);
    run_again(model, effects);
    let words = if broken {
        "a file of the project was changed, and now has errors"
    } else {
        "a file of the project was changed; the new version is loaded"
    };
    model.say(if broken { Role::Wrong } else { Role::Accent }, words);
}

pub(super) fn on_opened(
    model: &mut Model,
    result: Result<(Box<Project>, Option<Draft>), String>,
    effects: &mut Vec<Effect>,
) {
    match result {
        Ok((project, recovered)) => {
            let kept = model.unsaved();
            let left = Path::new(&model.project.config.mission).file_stem().map(|stem| stem.display().to_string());
            model.reopen(*project, recovered);
            meet(model);
            run_again(model, effects);
            if kept && model.notice.is_none() {
                let left = left.unwrap_or_default();
                model.say(Role::Quiet, format!("the unsaved edits of {left} are kept and come back with it"));
            }
        }
        Err(error) => model.say(Role::Wrong, error),
    }
}

/// Another editor was left.
pub(super) fn on_edited(model: &mut Model, result: Result<String, String>, effects: &mut Vec<Effect>) {
    match result {
        Ok(text) if *text == *model.text => model.say(Role::Quiet, "nothing was changed"),
        Ok(text) => {
            let old = Arc::clone(&model.text);
            model.write(text);
            moves::to_change(model, &old);
            changed(model, effects);
            model.say(Role::Quiet, "loaded from the editor; u undoes it");
        }
        Err(error) => model.say(Role::Wrong, error),
    }
}
