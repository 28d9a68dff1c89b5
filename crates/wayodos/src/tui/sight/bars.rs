//! The keys that help just now, and what a click on the lines on top and at the bottom asks for.

use ratatui::layout::{Position, Rect};
use wayodos_core::mission::{LineKind, SlotKind};

use wayodos_core::project::values::held;

use crate::shelf::Kind;
use crate::tui::document::Marked;
use crate::tui::keymap::{self, Action};
use crate::tui::layout::{Areas, Pane};
use crate::tui::measure::columns;
use crate::tui::model::{Mode, Model, ScreenName, Side};

/// A key of the bottom line: where it stands, and what a click on it does.
pub(in crate::tui) struct HintSpot {
    pub(in crate::tui) x: u16,
    pub(in crate::tui) key: &'static str,
    pub(in crate::tui) what: &'static str,
    pub(in crate::tui) action: Option<Action>,
}

/// The keys that help just now, as they stand in the bottom line.
pub(in crate::tui) fn hint_spots(model: &Model, area: Rect) -> Vec<HintSpot> {
    let fixed: &[(&str, &str)] = match &model.mode {
        Mode::Browse => &[],
        Mode::Typing(_) | Mode::Asking(..) => &[("Enter", "accept"), ("Esc", "cancel")],
        Mode::Free(free) if !free.offers.is_empty() => &[
            ("Tab", "accept the suggestion"),
            ("Shift Tab", "next suggestion"),
            ("Esc", "done"),
            ("Ctrl z", "undo"),
        ],
        Mode::Free(_) => &[
            ("Esc", "done"),
            ("Enter", "new line"),
            ("Ctrl z", "undo"),
            ("Ctrl u", "clear to the start"),
            ("Ctrl k", "to the end"),
            ("Ctrl s", "save"),
        ],
        Mode::Finding(_) => &[
            ("type", "to find"),
            ("Up Down", "choose"),
            ("Enter", "choose it"),
            ("Esc", "cancel"),
        ],
        Mode::Help(_) => &[("Up Down PgUp PgDn", "scroll"), ("any other key", "back")],
        Mode::Reading { .. } => &[("Up Down PgUp PgDn", "scroll"), ("any other key", "back")],
        Mode::Leaving => &[
            ("s", "save and quit"),
            ("k", "quit, keep for next time"),
            ("d", "discard"),
            ("Esc", "stay"),
        ],
        Mode::Outside(outside) if outside.both.is_none() => &[
            ("o", "keep yours"),
            ("t", "take the file's"),
            ("Up Down", "scroll"),
        ],
        Mode::Outside(_) => &[
            ("o", "keep yours"),
            ("t", "take the file's"),
            ("b", "take both"),
            ("Up Down", "scroll"),
        ],
    };
    let mut all: Vec<(&str, &str, Option<Action>)> = Vec::new();
    let mut spots = Vec::new();
    let mut end = area.right();
    if fixed.is_empty() {
        // Always there: the way to everything else.
        let always = [
            Action::Help,
            Action::Palette,
            Action::ToProject,
            Action::ToMission,
        ];
        for row in always
            .into_iter()
            .filter_map(|action| keymap::binding(model.screen, action))
        {
            end = end.saturating_sub(columns(row.label) + columns(row.hint) + 2);
            spots.push(HintSpot {
                x: end,
                key: row.label,
                what: row.hint,
                action: Some(row.action),
            });
            end = end.saturating_sub(1);
        }
        if model.screen == ScreenName::Mission {
            all.extend(
                focus_hints(model)
                    .iter()
                    .map(|(key, what)| (*key, *what, None)),
            );
        }
        let rows = useful(model)
            .iter()
            .filter_map(|action| keymap::binding(model.screen, *action));
        all.extend(rows.map(|row| (row.label, row.hint, Some(row.action))));
    } else {
        all.extend(fixed.iter().map(|(key, what)| (*key, *what, None)));
    }
    let mut x = area.x + 1;
    for (key, what, action) in all {
        let wide = columns(key) + columns(what) + 1;
        if x + wide > end {
            break;
        }
        spots.push(HintSpot {
            x,
            key,
            what,
            action,
        });
        x += wide + 2;
    }
    spots
}

/// What a click on the line on top or the line of keys asks for.
pub fn action_at(model: &Model, areas: &Areas, at: Position) -> Option<Action> {
    if areas.hints.contains(at) {
        let covers = |spot: &HintSpot| {
            let wide = columns(spot.key) + columns(spot.what) + 1;
            (spot.x..spot.x + wide).contains(&at.x)
        };
        return hint_spots(model, areas.hints)
            .iter()
            .find(|spot| covers(spot))?
            .action;
    }
    // The project's name leads to its files, the mission's back to it.
    let name = columns(model.project.name()) + 2;
    if !areas.title.contains(at) {
        return None;
    }
    match model.screen {
        ScreenName::Mission if at.x < name => Some(Action::ToProject),
        ScreenName::Logbook | ScreenName::League if at.x < name => Some(Action::ToProject),
        ScreenName::Project | ScreenName::Logbook | ScreenName::League
            if at.x >= name && at.x < areas.title.width / 2 =>
        {
            Some(Action::ToMission)
        }
        ScreenName::Mission | ScreenName::Project | ScreenName::Logbook | ScreenName::League => {
            None
        }
    }
}

/// What arrows and signs mean in the pane that they are for.
pub(in crate::tui) fn focus_hints(model: &Model) -> &'static [(&'static str, &'static str)] {
    match (model.focus, model.side.shown) {
        (Pane::Text, _) => &[],
        (Pane::Field, _) => &[
            ("arrows", "pan"),
            ("+ -", "zoom"),
            ("0", "zoom to fit"),
            ("Enter", "follow the robot"),
            ("Esc", "text"),
        ],
        (Pane::Chart, _) => &[
            ("Left Right", "time"),
            ("Up Down", "zoom"),
            ("0", "zoom to fit"),
            ("Enter", "pin"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Why) => &[
            ("Up Down", "which exit"),
            ("Enter", "what may help"),
            ("Left Right", "time"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Spread) => &[
            ("Up Down", "which"),
            ("Enter", "show that run"),
            ("Left Right", "time"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Sweep) if model.grid.is_some() => &[
            ("Arrows", "which pair"),
            ("Enter", "put both there"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Sweep) => &[
            ("Left Right", "which value"),
            ("Enter", "put it there"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Tune) => &[
            ("Enter", "take what was found"),
            ("^", "back"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Track) => &[
            ("Left Right", "which sensor"),
            ("[ ]", "time"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Map) => &[
            ("Up Down", "which step"),
            ("Enter", "go there"),
            ("Right Left", "open, close"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Score) => &[
            ("Up Down", "which line"),
            ("Enter", "when it was first"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Robot) => &[
            ("Up Down", "which"),
            ("Enter", "the number it follows from"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
        (Pane::Side, Side::Findings) => &[
            ("Up Down", "which"),
            ("Enter", "what may help"),
            ("Tab", "next tab"),
            ("Esc", "text"),
        ],
    }
}

/// What one would most likely do next, by what the cursor or the mark stands on.
pub(in crate::tui) fn useful(model: &Model) -> &'static [Action] {
    use Action as A;
    if model.screen == ScreenName::Project {
        return match model.files.marked().map(|entry| entry.kind) {
            Some(Kind::Mission) => &[
                A::OpenFile,
                A::AddFile,
                A::CopyFile,
                A::RenameFile,
                A::TakeAway,
                A::PickRobot,
                A::PickField,
                A::Quit,
            ],
            Some(Kind::Bin) => &[A::OpenFile, A::NextKind, A::Quit],
            Some(_) => &[
                A::OpenFile,
                A::AddFile,
                A::CopyFile,
                A::RenameFile,
                A::TakeAway,
                A::NextKind,
                A::Quit,
            ],
            None => &[A::AddFile, A::Quit],
        };
    }
    if model.screen == ScreenName::League {
        return &[
            A::ShowMatch,
            A::PickTeams,
            A::OtherNext,
            A::Export,
            A::ToLogbook,
            A::Quit,
        ];
    }
    if model.screen == ScreenName::Logbook {
        return &[
            A::BringBack,
            A::CompareEntry,
            A::SearchBook,
            A::StarEntry,
            A::NoteEntry,
            A::PinEntry,
            A::ExportBook,
            A::Quit,
        ];
    }
    if model.doc.mark.is_some() && model.focus == Pane::Text {
        return match model.doc.marked() {
            Some(Marked::Steps(_)) => &[
                A::Copy,
                A::Delete,
                A::MoveUp,
                A::MoveDown,
                A::Cut,
                A::TakeCopy,
                A::Extract,
                A::Wrap,
                A::Comment,
                A::Mirror,
            ],
            _ => &[A::Delete, A::Comment, A::Cut, A::TakeCopy],
        };
    }
    if model.focus != Pane::Text {
        return &[A::NextPane, A::Play, A::Full];
    }
    let kind = model
        .doc
        .lines()
        .get(model.doc.cursor.line)
        .map(|line| line.kind);
    let slot = model
        .doc
        .slot()
        .map(|slot| &model.doc.prepared.parsed.slots[slot].kind);
    match (kind, slot) {
        _ if model.doc.values.is_some() => &[
            A::NudgeUp,
            A::NudgeDown,
            A::Open,
            A::AddStep,
            A::Delete,
            A::Undo,
            A::BackToMission,
            A::Texts,
            A::Save,
            A::Quit,
        ],
        _ if model.doc.prepared.parsed.mission.steps.is_empty() => {
            &[A::AddStep, A::Free, A::OpenMission, A::Quit]
        }
        (Some(LineKind::Step), _) => &[
            A::AddStep,
            A::Copy,
            A::Delete,
            A::MoveUp,
            A::MoveDown,
            A::FromHere,
            A::TimeToStep,
            A::Why,
            A::Undo,
            A::Quit,
        ],
        (Some(LineKind::Exit), Some(SlotKind::Amount { .. })) => &[
            A::NudgeUp,
            A::NudgeDown,
            A::Open,
            A::AddExit,
            A::Delete,
            A::Why,
            A::Undo,
            A::Play,
            A::Save,
            A::Quit,
        ],
        (Some(LineKind::Exit), _) => &[
            A::Open,
            A::NudgeUp,
            A::AddExit,
            A::MoveUp,
            A::Delete,
            A::Why,
            A::Undo,
            A::Play,
            A::Save,
            A::Quit,
        ],
        (_, Some(SlotKind::Amount { .. })) => &[
            A::NudgeUp,
            A::NudgeDown,
            A::Open,
            A::NameAmount,
            A::AddStep,
            A::Undo,
            A::Play,
            A::Save,
            A::Quit,
        ],
        (_, Some(_)) => &[
            A::Open,
            A::NudgeUp,
            A::AddStep,
            A::AddExit,
            A::Undo,
            A::Play,
            A::Save,
            A::Quit,
        ],
        (_, None) => &[
            A::Free,
            A::AddStep,
            A::Comment,
            A::Delete,
            A::Undo,
            A::Play,
            A::Save,
            A::Quit,
        ],
    }
}

/// What a value is and what may stand there, in one line.
pub(in crate::tui) fn about_value(model: &Model) -> Option<String> {
    let values = model.doc.values.as_ref()?;
    let key = values.key(model.doc.slot()?)?;
    Some(format!("{}: {}", held(key), key.what))
}
