//! The project screen: what its keys do.

use wayodos_core::project::arrange::Part;

use super::super::document::{Document, Language};
use super::super::files::FileRow;
use super::super::finder::{Finder, Item, Pick};
use super::super::keymap::Action;
use super::super::model::{Model, Question, ScreenName};
use super::super::theme::Role;
use super::effect::Effect;
use super::{ask, lists};
use crate::demo;
use crate::folder::{Home, slug};
use crate::shelf::{Change, Done, Entry, Kind, mission_name};
use crate::survey::Card;

/// Shows the project screen, and has everything in it looked at.
pub(super) fn show(model: &mut Model, effects: &mut Vec<Effect>) {
    model.screen = ScreenName::Project;
    model.player.playing = false;
    model.field.hover = None;
    if model.files.entries.is_empty() {
        model.files.wanted = Some(model.project.config.mission.clone());
    }
    effects.push(Effect::Survey);
}

/// Does what a key of this screen asks for.
pub(super) fn carry_out(model: &mut Model, action: Action, effects: &mut Vec<Effect>) {
    let page = model.areas().map_or(10, |areas| {
        usize::from(areas.whole().height).saturating_sub(2).max(1)
    }) as isize;
    match action {
        Action::FileUp => model.files.step(-1),
        Action::FileDown => model.files.step(1),
        Action::PageUp => model.files.step(-page),
        Action::PageDown => model.files.step(page),
        Action::FirstFile => model.files.at = 0,
        Action::LastFile => model.files.step(isize::MAX),
        Action::NextKind => model.files.step_kind(true),
        Action::KindBefore => model.files.step_kind(false),
        Action::OpenFile => open(model, effects),
        Action::AddFile => add(model),
        Action::CopyFile => with_marked(model, |model, entry| {
            if matches!(entry.kind, Kind::Export | Kind::Bin) {
                return model.say(
                    Role::Quiet,
                    "drawings and what is in the bin are not copied",
                );
            }
            ask::ask(model, Question::CopyName, "");
        }),
        Action::RenameFile => with_marked(model, |model, entry| {
            if entry.kind == Kind::Bin {
                return model.say(Role::Quiet, "give it back first: Enter");
            }
            let edited = |document: &&Document| document.path == entry.path && document.unsaved();
            if model.documents().find(edited).is_some() {
                return model.say(
                    Role::Thin,
                    "this text is open and not saved: save it first (s)",
                );
            }
            ask::ask(model, Question::NewName, &entry.name);
        }),
        Action::TakeAway => with_marked(model, |model, entry| match entry.kind {
            Kind::Bin => model.say(Role::Quiet, "it is in the bin already; Enter gives it back"),
            _ if is_open(model, &entry) => {
                model.say(
                    Role::Thin,
                    "this mission is open: open another one first (Enter on it)",
                );
            }
            _ => effects.push(Effect::Arrange(Change::TakeAway { path: entry.path })),
        }),
        Action::PickRobot => pick(model, Part::Robot, Kind::Robot),
        Action::PickField => pick(model, Part::Field, Kind::Field),
        Action::PickCalibration => pick(model, Part::Calibration, Kind::Calibration),
        Action::OpenFirst => with_marked(model, |model, entry| {
            if entry.kind == Kind::Mission {
                effects.push(Effect::Arrange(Change::OpenFirst { path: entry.path }));
            } else {
                model.say(Role::Quiet, "mark a mission first");
            }
        }),
        Action::EditFile => with_marked(model, |model, entry| edit(model, &entry, effects)),
        _ => {}
    }
}

fn with_marked(model: &mut Model, act: impl FnOnce(&mut Model, Entry)) {
    match model.files.marked().cloned() {
        Some(entry) => act(model, entry),
        None => model.say(Role::Quiet, "no file is marked"),
    }
}

/// Whether the file is the mission that is open.
fn is_open(model: &Model, entry: &Entry) -> bool {
    entry.path == model.project.config.mission
}

fn open(model: &mut Model, effects: &mut Vec<Effect>) {
    with_marked(model, |model, entry| match entry.kind {
        Kind::Mission => {
            model.screen = ScreenName::Mission;
            if !is_open(model, &entry) {
                effects.push(Effect::Open(entry.name));
            }
        }
        Kind::Bin => effects.push(Effect::Arrange(Change::GiveBack { path: entry.path })),
        Kind::Export => model.say(
            Role::Quiet,
            format!("a drawing: open {} with a viewer", entry.path),
        ),
        Kind::Robot
        | Kind::Field
        | Kind::Calibration
        | Kind::Routines
        | Kind::Rival
        | Kind::Hands => {
            // What is no text of a kind that is known here goes to another editor.
            match Language::of(&entry.path, &model.project.config) {
                Some(language) if language != Language::Mission => {
                    super::texts::show(model, &entry.path, None, effects);
                }
                _ => edit(model, &entry, effects),
            }
        }
    });
}

fn edit(model: &mut Model, entry: &Entry, effects: &mut Vec<Effect>) {
    match (&model.project.home, entry.kind) {
        (_, Kind::Export | Kind::Bin) => model.say(Role::Quiet, "there is no text to edit here"),
        (Home::Demo, _) => {
            model.say(
                Role::Thin,
                "the demo is inside the program: save it first (s), then edit your copy",
            );
        }
        // Its text may be newer than its file.
        (Home::Folder(_), _)
            if model
                .documents()
                .any(|document| document.path == entry.path) =>
        {
            super::texts::show(model, &entry.path, None, effects);
            effects.push(Effect::Editor(std::sync::Arc::clone(&model.doc.text)));
        }
        (Home::Folder(_), _) => effects.push(Effect::EditFile(entry.path.clone())),
    }
}

/// What can be added: a mission, or a robot or field of the demo's to change.
fn add(model: &mut Model) {
    let mut items = vec![Item::new(
        "new mission",
        "empty",
        "It plays with the robot and the field that are open now.",
        Pick::Ask(Question::Mission),
    )];
    let of = |kind: &'static str| {
        let paths = demo::FILES.iter().map(|(path, _)| *path);
        paths.filter(move |path| path.starts_with(kind) && path.rsplit('.').next() == Some("toml"))
    };
    for (folder, what) in [("robots/", "new robot"), ("fields/", "new field")] {
        for path in of(folder) {
            let stem = path.trim_start_matches(folder).trim_end_matches(".toml");
            let pick = Pick::Ask(Question::Begin(path));
            items.push(Item::new(
                format!("{what} as {stem}"),
                "",
                "It begins as a copy of the demo's: change it then.",
                pick,
            ));
        }
    }
    lists::show(model, Finder::new("Add to the project", items, 0));
}

/// The robots, fields or calibrations that the marked mission could play with.
fn pick(model: &mut Model, part: Part, kind: Kind) {
    let Some(entry) = model
        .files
        .marked()
        .cloned()
        .filter(|entry| entry.kind == Kind::Mission)
    else {
        return model.say(
            Role::Quiet,
            format!(
                "mark a mission first: it is its {} that is chosen",
                part.key()
            ),
        );
    };
    let now = match model.files.card(&entry) {
        Some(Card::Mission(card)) => match part {
            Part::Robot => Some(card.robot.clone()),
            Part::Field => Some(card.field.clone()),
            Part::Calibration => card.calibration.clone(),
        },
        _ => None,
    };
    let all: Vec<&Entry> = model
        .files
        .entries
        .iter()
        .filter(|entry| entry.kind == kind)
        .collect();
    let mark = all
        .iter()
        .position(|one| Some(&one.path) == now.as_ref())
        .unwrap_or(0);
    let items = all.iter().map(|one| {
        let text = if Some(&one.path) == now.as_ref() {
            "plays with it now"
        } else {
            ""
        };
        let change = Change::Assign {
            mission: entry.name.clone(),
            part,
            path: one.path.clone(),
        };
        Item::new(
            one.name.clone(),
            text,
            one.path.clone(),
            Pick::Assign(change),
        )
    });
    let title = format!("With which {} does {} play?", part.key(), entry.name);
    let finder = Finder::new(title, items.collect(), mark);
    lists::show(model, finder);
}

/// A name was typed.
pub(super) fn named(
    model: &mut Model,
    question: Question,
    name: String,
    effects: &mut Vec<Effect>,
) -> Result<(), String> {
    if slug(&name).is_empty() || name.len() > 60 || name.chars().any(char::is_control) {
        return Err("letters and digits, such as Evening round".into());
    }
    let change = match (question, model.files.marked()) {
        (Question::Begin(template), _) => Change::Begin { template, name },
        (Question::CopyName, Some(entry)) => Change::Copy {
            path: entry.path.clone(),
            name,
        },
        (Question::NewName, Some(entry)) => Change::Rename {
            path: entry.path.clone(),
            name,
        },
        _ => return Err("no file is marked any more".into()),
    };
    effects.push(Effect::Arrange(change));
    Ok(())
}

/// A change of the files came to an end.
pub(super) fn on_arranged(
    model: &mut Model,
    change: &Change,
    result: Result<Done, String>,
    effects: &mut Vec<Effect>,
) {
    match result {
        Ok(done) => {
            // The mission that is open goes along with its file.
            if let Change::Rename { path, .. } = change
                && *path == model.project.config.mission
                && let Some(name) = mission_name(&done.path)
            {
                effects.push(Effect::Open(name.to_owned()));
            }
            // A second file of the bin is not what one wants to see next.
            if !matches!(change, Change::TakeAway { .. }) {
                model.files.wanted = Some(done.path);
            }
            model.say(Role::Good, done.words);
        }
        Err(why) => model.say(Role::Wrong, why),
    }
    effects.push(Effect::Survey);
}

/// Marks the file in a row of the list, or opens the one that is marked already: a click.
pub(super) fn click(model: &mut Model, row: usize, effects: &mut Vec<Effect>) {
    if let Some(FileRow::File(index)) = model.files.rows().get(model.files.scroll + row) {
        if model.files.at == *index {
            open(model, effects);
        } else {
            model.files.at = *index;
        }
    }
}
