//! The texts beside the mission: robot, field, calibration and the others, opened, chosen and read
//! again when one changes.

use std::sync::Arc;

use wayodos_core::finding::{Source, apply_all};
use wayodos_report::line_of_key;

use super::super::document::{Document, Language};
use super::super::finder::{Finder, Item, Pick};
use super::super::keymap::Action;
use super::super::model::{Cursor, Model, ScreenName, Side};
use super::super::sight::robot;
use super::super::theme::Role;
use super::change::{refit, run_again};
use super::effect::{Effect, Opened, Refitted};
use super::{keep, lists, places};

/// Whether an action means something for steps only.
pub(super) const fn is_for_missions(action: Action) -> bool {
    matches!(
        action,
        Action::AddAbove
            | Action::AddExit
            | Action::AddReflex
            | Action::Copy
            | Action::Link
            | Action::MoveUp
            | Action::MoveDown
            | Action::Wrap
            | Action::Extract
            | Action::Mirror
            | Action::Split
            | Action::Join
            | Action::NameAmount
            | Action::WriteOut
            | Action::GoToStep
            | Action::FromHere
            | Action::FromPose
            | Action::OtherRun
            | Action::ToHere
            | Action::Break
            | Action::Read
            | Action::TimeToStep
            | Action::StepOfTime
    )
}

/// Puts the mission in front.
pub(super) fn to_mission(model: &mut Model) {
    let path = model.mission().path.clone();
    model.bring(&path);
    if let Some(before) = model.side.before.take() {
        model.open_tab(before);
    }
}

/// Shows what follows from a robot's file as soon as that is in front.
fn show_robot(model: &mut Model) {
    let is_robot = model.doc.language == Language::Settings(Source::Robot);
    if is_robot && model.side.shown != Side::Robot {
        model.side.before = Some(model.side.shown);
        model.open_tab(Side::Robot);
    }
}

/// Leads from what a robot can do to the first of the numbers that it follows from.
pub(super) fn to_robot_key(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(row) = robot::rows(model).into_iter().nth(model.side.row) else {
        return;
    };
    let path = model.project.config.robot.clone();
    let open = model.documents().find(|document| document.path == path);
    let text = open.map_or_else(
        || model.project.source(Source::Robot, "").1.to_owned(),
        |document| document.text.to_string(),
    );
    let key = row.from.first().copied().unwrap_or_default();
    let Some(line) = line_of_key(&text, key, row.device.as_deref()) else {
        return model.say(Role::Quiet, format!("`{key}` is not in {path}"));
    };
    let at: usize = text.split_inclusive('\n').take(line).map(str::len).sum();
    show(model, &path, Some(at), effects);
}

/// Shows a text, opening it first when it is not open yet; the cursor goes to a byte of it, if one
/// is given.
pub(super) fn show(model: &mut Model, path: &str, at: Option<usize>, effects: &mut Vec<Effect>) {
    model.screen = ScreenName::Mission;
    model.to_text();
    if model.bring(path) {
        if let Some(at) = at {
            model.doc.cursor = Cursor {
                line: model.doc.line_at(at),
                nth: 0,
            };
        }
        show_robot(model);
        return;
    }
    model.wanted = at.map(|at| (path.to_owned(), at));
    effects.push(Effect::OpenText(path.to_owned()));
}

/// A text was opened.
pub(super) fn on_opened(
    model: &mut Model,
    result: Result<Box<Opened>, String>,
    effects: &mut Vec<Effect>,
) {
    let Opened { mut document, file } = match result {
        Ok(opened) => *opened,
        Err(error) => return model.say(Role::Wrong, error),
    };
    if model.bring(&document.path) {
        return;
    }
    let shared = document.place.number > 1;
    let back = document.unsaved();
    document.read(model.setup.as_deref());
    if let Some((_, at)) = model.wanted.take_if(|(path, _)| *path == document.path) {
        document.cursor = Cursor {
            line: document.line_at(at),
            nth: 0,
        };
    }
    let word = document.language.word();
    model.open_beside(document);
    show_robot(model);
    let words = match (back, shared) {
        (true, _) => format!(
            "edits of this {word} that were not saved last time are back; u takes them away"
        ),
        (false, true) => {
            format!("this {word} is open in another window too: each keeps its own edits")
        }
        (false, false) => format!(
            "this is the {word}: the run follows each change; Esc leads back to the mission"
        ),
    };
    model.say(Role::Accent, words);
    effects.push(refit(model));
    if model.files.entries.is_empty() {
        // Where it names a file, those that there are can be chosen from.
        effects.push(Effect::Survey);
    }
    if back && file != model.doc.saved {
        // Somebody saved it meanwhile.
        keep::on_outside(model, file, effects);
    }
}

/// The texts that can be opened here: those that the mission plays with first.
pub(super) fn choose(model: &mut Model, effects: &mut Vec<Effect>) {
    let mission = model.mission().path.clone();
    let settings = model.project.settings().map(str::to_owned);
    let shared = model
        .setup
        .iter()
        .flat_map(|setup| &setup.shared)
        .map(|(path, _)| path.clone());
    // Robot and field are what one looks at; the project file names them, and comes last.
    let (last, settings): (Vec<String>, Vec<String>) =
        settings.partition(|path| path == crate::folder::PROJECT_FILE);
    let mut paths: Vec<String> = std::iter::once(mission)
        .chain(settings)
        .chain(shared)
        .chain(last)
        .collect();
    for document in model.documents() {
        if !paths.contains(&document.path) {
            paths.push(document.path.clone());
        }
    }
    let row = |path: &String| {
        let language = Language::of(path, &model.project.config)?;
        let open = model.documents().find(|document| document.path == *path);
        let state = match open {
            Some(document) if document.unsaved() => "not saved",
            Some(_) => "open",
            None => "",
        };
        Some(Item::new(
            format!("{}: {path}", language.word()),
            state,
            "",
            Pick::Show(path.clone()),
        ))
    };
    let items: Vec<Item> = paths.iter().filter_map(row).collect();
    // The next one is what one most likely wants.
    let here = paths
        .iter()
        .position(|path| *path == model.doc.path)
        .unwrap_or(0);
    let at = if model.doc.is_mission() {
        1.min(items.len().saturating_sub(1))
    } else {
        here
    };
    lists::open(
        model,
        Finder::new("Open which text of the project?", items, at),
        effects,
    );
}

/// What can be written into a settings file at the cursor.
pub(super) fn add(model: &mut Model) {
    let Some(values) = &model.doc.values else {
        return;
    };
    let items = values
        .additions(&model.doc.text, model.doc.cursor.line)
        .into_iter()
        .map(|one| {
            let what = one.what;
            Item::new(one.title, one.holds, what, Pick::Edit(one.edit))
        });
    lists::show(
        model,
        Finder::new("Add a value, or a section", items.collect(), 0),
    );
}

/// The project was read again.
pub(super) fn on_refit(model: &mut Model, refitted: Refitted, effects: &mut Vec<Effect>) {
    let Refitted {
        project,
        others,
        ours,
    } = refitted;
    let waited = model.pending == Some(Model::REFIT);
    let project = match project {
        // A project file that cannot be read names nothing: what it named is kept.
        Ok(project) if project.config.mission.is_empty() => {
            model.unfit = true;
            let text: Arc<str> = project
                .text(crate::folder::PROJECT_FILE)
                .unwrap_or_default()
                .into();
            for document in model
                .all_mut()
                .filter(|document| document.path == crate::folder::PROJECT_FILE)
            {
                document.found = (Arc::clone(&text), project.findings.clone());
            }
            model.project.findings = project.findings;
            model.pending = None;
            model.gather();
            return model.say(Role::Wrong, "the project file has errors");
        }
        Ok(project) => project,
        Err(error) => {
            (model.unfit, model.pending) = (true, None);
            return model.say(Role::Wrong, error);
        }
    };
    let newer = |document: &Document| {
        matches!(document.language, Language::Settings(_))
            && project
                .text(&document.path)
                .is_some_and(|text| *text != *document.text)
    };
    if ours && model.documents().any(newer) {
        // It was read with an older text: the next one is on its way.
        return;
    }
    for (path, text, findings) in others {
        model
            .all_mut()
            .filter(|document| document.path == path)
            .for_each(|document| {
                document.found = (Arc::clone(&text), findings.clone());
            });
    }
    let broken = project.setup.is_none();
    let edited = std::mem::take(&mut model.edited);
    model.refit(project);
    run_again(model, effects);
    if ours {
        model.edited = edited;
        if !waited && model.notice.is_none() && broken {
            model.say(
                Role::Wrong,
                "a file of the project has errors: nothing runs until they are mended",
            );
        }
        return;
    }
    let words = if broken {
        "a file of the project was changed, and now has errors"
    } else {
        "a file of the project was changed; the new version is loaded"
    };
    model.say(if broken { Role::Wrong } else { Role::Accent }, words);
}

/// What may be done about a finding in a text beside the mission.
pub(super) fn fixes(
    model: &mut Model,
    finding: &wayodos_core::finding::Finding,
    effects: &mut Vec<Effect>,
) {
    let (path, _) = model.project.source(finding.source, "");
    let path = path.to_owned();
    show(model, &path, Some(finding.span.start), effects);
    if model.doc.path != path {
        return;
    }
    places::go_to_amount(model, model.doc.cursor.line);
    let edits = finding.hints.iter().filter(|hint| !hint.edits.is_empty());
    let text = Arc::clone(&model.doc.text);
    let fixes = edits.map(|hint| {
        Item::new(
            &hint.words,
            "",
            finding.message.clone(),
            Pick::Text(apply_all(&text, hint.edits.clone())),
        )
    });
    let line = model.doc.cursor.line;
    let mut items = vec![Item::new(
        "go there",
        model.doc.line_text(line).trim(),
        "Change it yourself.",
        Pick::Line(line),
    )];
    items.extend(fixes);
    if items.len() > 1 {
        lists::show(model, Finder::new("What may help", items, 0));
    }
}
