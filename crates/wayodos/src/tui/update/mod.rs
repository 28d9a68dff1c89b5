//! What a message does to the model, and what it asks the outside to do. Neither files nor clocks
//! are touched here.

mod able;
mod against;
mod ask;
mod batch;
mod change;
mod effect;
mod files;
mod find;
mod grid;
mod gridded;
mod hands;
mod keep;
mod league;
mod lists;
mod logbook;
mod marks;
mod mouse;
mod moves;
mod offers;
mod panes;
mod places;
mod proof;
mod reading;
mod spread;
mod steps;
mod sweep;
mod swept;
mod texts;
mod time;
mod tune;
mod tuned;
mod typing;

pub use effect::{Effect, Msg, Opened, Refitted};
pub use keep::meet;

use std::sync::Arc;

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;
use wayodos_core::mission::LineKind;
use wayodos_core::mission::edit::Stride;

use self::change::{changed, run_again};
use self::places::scrolled;
use super::keymap::{self, Action};
use super::layout::Pane;
use super::model::{Entry, Mode, Model, Row, ScreenName, Side};
use super::sight;
use super::theme::Role;
use crate::logbook::Reason;
use crate::sheets::Sheet;
use crate::work::RunId;

/// Applies a message.
pub fn update(model: &mut Model, msg: Msg) -> Vec<Effect> {
    let anchor = Anchor::of(model);
    // What is shown of the files is what they hold now.
    let files = match &msg {
        Msg::Saved(..) | Msg::Outside(..) => true,
        Msg::Refit(refitted) => !refitted.ours,
        _ => false,
    };
    let mut effects = take(model, msg);
    if files && model.screen == ScreenName::Project {
        effects.push(Effect::Survey);
    }
    // What a list or a click asked for, as if its key had been pressed.
    if let Some(action) = model.todo.take() {
        act(model, action, &mut effects);
    }
    able::keep_up(model, &mut effects);
    spread::keep_up(model, &mut effects);
    proof::keep_up(model, &mut effects);
    logbook::keep_up(model, &mut effects);
    tuned::keep_up(model, &mut effects);
    anchor.hold(model);
    follow(model);
    effects
}

/// Where the cursor's line stands on the screen: what comes and goes above it must not move it.
struct Anchor {
    text: Arc<str>,
    report: Option<RunId>,
    line: usize,
    lines: usize,
    row: Option<usize>,
}

impl Anchor {
    fn row(model: &Model) -> Option<usize> {
        model
            .rows()
            .iter()
            .position(|row| *row == Row::Line(model.doc.cursor.line))
    }

    fn run(model: &Model) -> Option<RunId> {
        model.report.as_ref().map(|report| report.id)
    }

    fn of(model: &Model) -> Self {
        let row = Self::row(model).and_then(|row| row.checked_sub(model.doc.scroll));
        let (line, lines) = (model.doc.cursor.line, model.doc.lines().len());
        Self {
            text: Arc::clone(&model.doc.text),
            report: Self::run(model),
            line,
            lines,
            row,
        }
    }

    fn hold(self, model: &mut Model) {
        let changed = !Arc::ptr_eq(&self.text, &model.doc.text) || self.report != Self::run(model);
        // The same line, wherever other lines have put it.
        let moved = model.doc.cursor.line as isize - self.line as isize;
        let grown = model.doc.lines().len() as isize - self.lines as isize;
        if changed
            && (moved == 0 || moved == grown)
            && let (Some(before), Some(now)) = (self.row, Self::row(model))
        {
            model.doc.scroll = now.saturating_sub(before);
        }
    }
}

fn take(model: &mut Model, msg: Msg) -> Vec<Effect> {
    let mut effects = Vec::new();
    match msg {
        Msg::Input(Event::Key(key)) if key.is_press() || key.is_repeat() => {
            on_key(model, key, &mut effects);
        }
        Msg::Input(Event::Mouse(mouse)) => {
            if !mouse::on_mouse(model, mouse, &mut effects) {
                return effects;
            }
        }
        Msg::Input(Event::Paste(text)) => typing::on_paste(model, &text, &mut effects),
        Msg::Input(Event::Resize(width, height)) => model.size = (width, height),
        Msg::Input(_) => {}
        Msg::Tick(seconds) => time::on_tick(model, seconds),
        Msg::Ran(id, report) => time::on_run(model, id, report),
        Msg::Spread(id, result) => spread::on_spread(model, id, result),
        Msg::Against(id, result) => against::on_result(model, id, result),
        Msg::Proved(id, result) => proof::on_proved(model, id, &result),
        Msg::Tuned(id, result) => tuned::on_tuned(model, id, result, &mut effects),
        Msg::Swept(id, result) => swept::on_swept(model, id, result),
        Msg::League(id, result) => league::on_league(model, id, result),
        Msg::Gridded(id, result) => gridded::on_grid(model, id, result),
        Msg::Book(answer) => logbook::on_answer(model, answer, &mut effects),
        Msg::Saved(path, result, text) => keep::on_saved(model, &path, result, &text, &mut effects),
        Msg::Exported(Ok(files)) => {
            let text = Arc::clone(&model.mission().text);
            model.logbook.owe(Reason::Exported, text, String::new());
            let names: Vec<String> = files
                .iter()
                .map(|file| file.display().to_string())
                .collect();
            model.say(Role::Good, format!("wrote {}", names.join(" and ")));
        }
        Msg::Exported(Err(error)) => model.say(Role::Wrong, error),
        Msg::DraftFailed(error) => {
            // That a save failed is more than that its edits are only in memory.
            if !model
                .notice
                .as_ref()
                .is_some_and(|one| one.role == Role::Wrong)
            {
                model.say(
                    Role::Thin,
                    format!("edits are only in memory until you save: {error}"),
                );
            }
            model.unkept = Some(error);
        }
        Msg::DraftKept => {
            model.unkept = None;
            model.say(Role::Good, "edits are kept against a crash again");
        }
        Msg::Outside(path, text) => keep::on_file(model, &path, text, &mut effects),
        Msg::Refit(refitted) => texts::on_refit(model, *refitted, &mut effects),
        Msg::TextOpened(result) => texts::on_opened(model, result, &mut effects),
        Msg::Opened(result) => {
            keep::on_opened(model, result, &mut effects);
            logbook::brought(model, &mut effects);
        }
        Msg::Edited(result) => keep::on_edited(model, result, &mut effects),
        Msg::FileEdited(path, Ok((text, before))) if text != before => {
            effects.push(Effect::Store { path, before, text });
        }
        Msg::FileEdited(_, Ok(_)) => model.say(Role::Quiet, "nothing was changed"),
        Msg::FileEdited(_, Err(error)) => model.say(Role::Wrong, error),
        Msg::Terminal(_) => {}
        Msg::Able(robot, ability) => {
            model.able.asked = None;
            model.able.known = Some((robot, ability));
        }
        Msg::Found(found) => model.files.learn(found),
        Msg::Stored(result) => {
            match result {
                Ok(path) => model.say(Role::Good, format!("saved {path}")),
                Err(error) => model.say(Role::Wrong, error),
            }
            effects.push(Effect::Survey);
        }
        Msg::Arranged(change, result) => files::on_arranged(model, &change, result, &mut effects),
        Msg::HandsKept(Ok(file)) => {
            let words = format!(
                "wrote {}: name it as `hands` in wayodos.toml to have it always",
                file.display()
            );
            model.say(Role::Good, words);
        }
        Msg::HandsKept(Err(error)) => model.say(Role::Wrong, error),
        // The draft of unsaved edits stays, so that nothing is lost.
        Msg::Stop => effects.push(Effect::Quit),
        Msg::Suspend => effects.push(Effect::Suspend),
    }
    effects
}

fn on_key(model: &mut Model, mut key: KeyEvent, effects: &mut Vec<Effect>) {
    // A key pressed right after Esc comes from many terminals as one with Alt, which means nothing
    // here.
    let types = matches!(
        model.mode,
        Mode::Free(_) | Mode::Typing(_) | Mode::Asking(..)
    );
    if !types && key.modifiers == KeyModifiers::ALT && matches!(key.code, KeyCode::Char(_)) {
        key.modifiers = KeyModifiers::NONE;
        on_key(model, KeyEvent::from(KeyCode::Esc), effects);
    }
    let stop = key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL);
    match std::mem::take(&mut model.mode) {
        Mode::Browse => browse(model, key, effects),
        // What works from everywhere: back to browsing.
        Mode::Finding(finder) => find::find(model, key, *finder, stop, effects),
        Mode::Free(_) if stop => model.doc.stop_typing(),
        _ if stop => {}
        Mode::Free(free) => typing::free(model, key, free, effects),
        Mode::Help(scroll) => {
            if let Some(scroll) = scrolled(
                model,
                key,
                sight::overlay::help_rows(model.screen, model.size),
                scroll,
            ) {
                model.mode = Mode::Help(scroll);
            }
        }
        Mode::Reading {
            lines,
            notes,
            scroll,
        } => {
            if let Some(scroll) = scrolled(model, key, lines.len(), scroll) {
                model.mode = Mode::Reading {
                    lines,
                    notes,
                    scroll,
                };
            }
        }
        Mode::Leaving => keep::leaving(model, key, effects),
        Mode::Outside(outside) => keep::outside(model, key, *outside, effects),
        Mode::Typing(entry) => typing::type_value(model, key, entry, effects),
        Mode::Asking(question, entry) => typing::answer(model, key, question, entry, effects),
    }
}

fn browse(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) {
    model.notice = None;
    if model.screen != ScreenName::Mission {
        if let Some(action) = keymap::action(model.screen, key) {
            act(model, action, effects);
        }
        return;
    }
    if key.code == KeyCode::Esc && model.doc.mark.take().is_some() && model.focus == Pane::Text {
        return;
    }
    if key.code == KeyCode::Esc {
        // From robot or field the way leads back to the mission, from one of many runs to the
        // nominal one.
        if model.focus == Pane::Text && model.chart.pin.is_none() {
            if model.doc.is_mission() && spread::back_to_nominal(model, effects) {
                return;
            }
            texts::to_mission(model);
        }
        model.focus = Pane::Text;
        model.chart.pin = None;
        return;
    }
    if pane_key(model, key, effects) {
        return;
    }
    let Some(action) = keymap::action(model.screen, key) else {
        // Digits are meant for the slot, whatever it holds: it says itself what it can take, and
        // swallows the rest.
        if let KeyCode::Char(digit @ '0'..='9') = key.code {
            if model.doc.slot().is_some() {
                let input = Input::new(digit.to_string());
                model.mode = Mode::Typing(Entry { input, error: None });
            } else {
                model.say(
                    Role::Quiet,
                    "no slot on this line takes a number; e types into it",
                );
            }
        }
        return;
    };
    if action != Action::Save {
        model.doc.overwrite = false;
    }
    act(model, action, effects);
}

/// What arrows and a few other keys mean in panes other than the text; whether the key was one of
/// them.
fn pane_key(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) -> bool {
    let plain = key.modifiers.difference(KeyModifiers::SHIFT).is_empty();
    let hidden = model
        .areas()
        .is_none_or(|areas| areas.of(model.focus).height == 0);
    if !plain || hidden {
        return false;
    }
    let on_grid = model.side.shown == Side::Sweep && model.grid.is_some();
    match (model.focus, key.code) {
        (Pane::Text, _) => return false,
        (Pane::Field, KeyCode::Left) => panes::pan(model, -1.0, 0.0),
        (Pane::Field, KeyCode::Right) => panes::pan(model, 1.0, 0.0),
        (Pane::Field, KeyCode::Up) => panes::pan(model, 0.0, 1.0),
        (Pane::Field, KeyCode::Down) => panes::pan(model, 0.0, -1.0),
        (Pane::Field, KeyCode::Char('+' | '=')) => panes::zoom_field(model, 1.5),
        (Pane::Field, KeyCode::Char('-' | '_')) => panes::zoom_field(model, 1.0 / 1.5),
        (Pane::Field | Pane::Chart, KeyCode::Char('0')) => panes::fit(model),
        (Pane::Field, KeyCode::Enter) => act(model, Action::Follow, effects),
        (Pane::Chart, KeyCode::Left) => time::shift(model, -0.1),
        (Pane::Chart, KeyCode::Right) => time::shift(model, 0.1),
        (Pane::Chart, KeyCode::Up | KeyCode::Char('+' | '=')) => time::zoom(model, 1.6),
        (Pane::Chart, KeyCode::Down | KeyCode::Char('-' | '_')) => time::zoom(model, 1.0 / 1.6),
        (Pane::Chart, KeyCode::Enter) => act(model, Action::Pin, effects),
        (Pane::Side, KeyCode::Up) if on_grid => gridded::turn(model, [0, 1]),
        (Pane::Side, KeyCode::Down) if on_grid => gridded::turn(model, [0, -1]),
        (Pane::Side, KeyCode::Up) => panes::side_row(model, -1),
        (Pane::Side, KeyCode::Down) => panes::side_row(model, 1),
        (Pane::Side, KeyCode::Tab) => panes::turn_side(model, 1),
        (Pane::Side, KeyCode::BackTab) => panes::turn_side(model, Side::ALL.len() - 1),
        (Pane::Side, KeyCode::Left | KeyCode::Right) => {
            let right = key.code == KeyCode::Right;
            match model.side.shown {
                Side::Track => panes::turn_track(model, right),
                Side::Sweep if on_grid => gridded::turn(model, [if right { 1 } else { -1 }, 0]),
                Side::Sweep => swept::turn(model, right),
                Side::Map => panes::fold(model, right),
                Side::Why
                | Side::Spread
                | Side::Tune
                | Side::Findings
                | Side::Score
                | Side::Robot => {
                    time::shift(model, if right { 0.1 } else { -0.1 });
                }
            }
        }
        (Pane::Side, KeyCode::Enter) => panes::open_side(model, effects),
        _ => return false,
    }
    true
}

/// Does what a key, a row of the palette or the mouse asks for.
pub fn act(model: &mut Model, action: Action, effects: &mut Vec<Effect>) {
    carry_out(model, action, effects);
    // What the first row of a list comes to is tried at once.
    lists::attempt_first(model, effects);
}

fn carry_out(model: &mut Model, action: Action, effects: &mut Vec<Effect>) {
    if model.doc.values.is_some() && texts::is_for_missions(action) {
        return model.say(Role::Quiet, "this is for missions; Esc leads back to yours");
    }
    match action {
        Action::SlotLeft => moves::move_slot(model, false),
        Action::SlotRight => moves::move_slot(model, true),
        Action::LineUp => moves::move_line(model, false),
        Action::LineDown => moves::move_line(model, true),
        Action::StepUp => moves::move_step(model, false),
        Action::StepDown => moves::move_step(model, true),
        Action::GoToStep => offers::steps(model),
        Action::FindText => offers::lines(model),
        Action::NextFinding => moves::next_finding(model),
        Action::NextPane => moves::next_pane(model),
        Action::NudgeUp => moves::nudge(model, true, Stride::Coarse, effects),
        Action::NudgeDown => moves::nudge(model, false, Stride::Coarse, effects),
        Action::FineUp => moves::nudge(model, true, Stride::Fine, effects),
        Action::FineDown => moves::nudge(model, false, Stride::Fine, effects),
        Action::Open => moves::open(model, effects),
        Action::NameAmount => moves::name_amount(model),
        Action::WriteOut => moves::write_out(model, effects),
        Action::Convert => moves::convert(model, effects),
        Action::AddStep if model.doc.values.is_some() => texts::add(model),
        Action::AddStep => offers::add_step(model, false),
        Action::AddAbove => offers::add_step(model, true),
        Action::AddExit => offers::add_exit(model),
        Action::AddReflex => offers::add_reflex(model),
        Action::Mark => marks::mark(model),
        Action::Cut => marks::cut(model, effects),
        Action::TakeCopy => drop(marks::take_copy(model)),
        Action::Paste => marks::paste(model, effects),
        Action::Copy => steps::copy(model, effects),
        Action::Link => steps::link(model, effects),
        Action::Delete => steps::delete(model, effects),
        Action::MoveUp => steps::shift(model, true, effects),
        Action::MoveDown => steps::shift(model, false, effects),
        Action::Wrap => steps::wrap(model, effects),
        Action::Extract => steps::extract(model),
        Action::Mirror => steps::mirror(model, effects),
        Action::Comment => steps::comment(model, effects),
        Action::Split => steps::split(model, effects),
        Action::Join => steps::join(model, effects),
        Action::Free => ask::begin(model),
        Action::Editor => effects.push(Effect::Editor(Arc::clone(&model.doc.text))),
        Action::Undo | Action::Redo => {
            let back = action == Action::Undo;
            if back && model.undo_hands() {
                model.say(Role::Quiet, "what was done by hand last is undone");
                run_again(model, effects);
            } else if model.travel(back) {
                changed(model, effects);
            } else {
                model.say(
                    Role::Quiet,
                    if back {
                        "nothing to undo"
                    } else {
                        "nothing to redo"
                    },
                );
            }
        }
        Action::Save => keep::save(model, effects),
        Action::Export => match sheet(model) {
            Some(sheet) => effects.push(Effect::Export(sheet)),
            None => model.say(Role::Thin, "this text cannot run yet: fix its errors first"),
        },
        Action::OpenMission => offers::missions(model),
        Action::NewMission => ask::ask(model, super::model::Question::Mission, ""),
        Action::Play => time::play(model),
        Action::Faster => time::speed(model, 1),
        Action::Slower => time::speed(model, -1),
        Action::TimeBack => time::shift(model, -0.1),
        Action::TimeAhead => time::shift(model, 0.1),
        Action::TimeFarBack => time::shift(model, -1.0),
        Action::TimeFarAhead => time::shift(model, 1.0),
        Action::TickBack => time::tick(model, -1),
        Action::TickAhead => time::tick(model, 1),
        Action::EventBack => time::jump(model, false),
        Action::EventAhead => time::jump(model, true),
        Action::StepBack => time::through_step(model, false),
        Action::StepAhead => time::through_step(model, true),
        Action::RunStart => time::set(model, 0.0),
        Action::RunEnd => time::set(model, f64::INFINITY),
        Action::TimeToStep => time::time_to_step(model),
        Action::StepOfTime => time::step_of_time(model),
        Action::Pin => time::pin(model),
        Action::FromHere => time::from_here(model, None, effects),
        Action::FromPose => time::ask_pose(model),
        Action::ToHere => time::to_here(model),
        Action::Break => time::toggle_break(model),
        Action::OtherRun => ask::which_run(model),
        Action::Hands => hands::hands(model),
        Action::Why => panes::to_side(model, Side::Why),
        Action::Track => panes::to_side(model, Side::Track),
        Action::Map => panes::to_side(model, Side::Map),
        Action::Findings => panes::to_side(model, Side::Findings),
        Action::Score => panes::to_side(model, Side::Score),
        Action::Robot => panes::to_side(model, Side::Robot),
        Action::Spread => panes::to_side(model, Side::Spread),
        Action::Sweep => sweep::begin(model, effects),
        Action::Grid => grid::begin(model, effects),
        Action::Tune => tune::begin(model, effects),
        Action::Starts => offers::starts(model),
        Action::Compare => against::choose(model),
        Action::CompareEntry => logbook::compare(model, effects),
        Action::Fan => {
            model.many.hidden = !model.many.hidden;
            model.many.stamp += 1;
        }
        Action::Tracks => offers::tracks(model),
        Action::ZoomIn | Action::ZoomOut => {
            let by = if action == Action::ZoomIn {
                1.5
            } else {
                1.0 / 1.5
            };
            if model.focus == Pane::Chart {
                time::zoom(model, by);
            } else {
                panes::zoom_field(model, by);
            }
        }
        Action::Fit => panes::fit(model),
        Action::Follow => {
            model.field.camera.follow = !model.field.camera.follow;
            if model.field.camera.follow && model.field.camera.zoom <= 1.0 {
                model.field.camera.zoom = 4.0;
            }
            let words = if model.field.camera.follow {
                "the field follows the robot"
            } else {
                "the field stays where it is"
            };
            model.say(Role::Quiet, words);
        }
        Action::Pixels => {
            model.field.blocks = !model.field.blocks;
            let how = if model.field.blocks {
                "in block characters"
            } else {
                "in pixels, where the terminal can show them"
            };
            model.say(Role::Quiet, format!("the field is drawn {how}"));
        }
        Action::Full => {
            model.zoom = match model.zoom {
                Some(_) => None,
                None => Some(model.focus),
            };
        }
        Action::ToProject => files::show(model, effects),
        Action::ToLogbook => logbook::show(model, effects),
        Action::ToLeague => league::show(model, effects),
        Action::PlayEntry => league::play_entry(model, effects),
        Action::MarkRun => ask::ask(model, super::model::Question::Mark, ""),
        Action::EntryUp
        | Action::EntryDown
        | Action::EntriesUp
        | Action::EntriesDown
        | Action::Newest
        | Action::Oldest
        | Action::SearchBook
        | Action::BringBack
        | Action::StarEntry
        | Action::NoteEntry
        | Action::PinEntry
        | Action::ExportBook => logbook::carry_out(model, action, effects),
        Action::TeamUp
        | Action::TeamDown
        | Action::OtherBefore
        | Action::OtherNext
        | Action::ShowMatch
        | Action::PickTeams => league::carry_out(model, action, effects),
        Action::ToMission => model.screen = ScreenName::Mission,
        Action::FileUp
        | Action::FileDown
        | Action::PageUp
        | Action::PageDown
        | Action::FirstFile
        | Action::LastFile
        | Action::NextKind
        | Action::KindBefore
        | Action::OpenFile
        | Action::AddFile
        | Action::CopyFile
        | Action::RenameFile
        | Action::TakeAway
        | Action::PickRobot
        | Action::PickField
        | Action::PickCalibration
        | Action::OpenFirst
        | Action::EditFile => files::carry_out(model, action, effects),
        Action::Help => model.mode = Mode::Help(0),
        Action::Read => reading::read_back(model),
        Action::Palette => offers::palette(model),
        Action::Quit if model.any_unsaved() => model.mode = Mode::Leaving,
        Action::Quit => keep::quit(model, effects),
        Action::Texts => texts::choose(model, effects),
        Action::BackToMission => texts::to_mission(model),
    }
}

/// The page that is written: of the tab that is looked at where it has one of its own, else of the run.
fn sheet(model: &Model) -> Option<Sheet> {
    if model.screen == ScreenName::League {
        let (league, _) = model.league.as_ref()?.result.as_ref()?;
        return Some(Sheet::League(Arc::clone(league)));
    }
    let tab = Some(model.side.shown).filter(|_| model.focus == Pane::Side);
    match tab {
        Some(Side::Spread) if model.many.result.is_some() => {
            let page = match sight::spread::marked_cause(model) {
                Some(_) => Sheet::Causes,
                None => Sheet::Spread,
            };
            model.many.result.clone().map(page)
        }
        Some(Side::Sweep) => {
            if let Some(grid) = &model.grid {
                return Some(Sheet::Grid {
                    job: Box::new(grid.job.clone()),
                    result: Arc::clone(grid.result.as_ref()?),
                });
            }
            let sweep = model.sweep.as_ref()?;
            Some(Sheet::Sweep {
                name: sweep.job.swept.name.clone(),
                runs: sweep.job.runs,
                result: Arc::clone(sweep.result.as_ref()?),
            })
        }
        _ => {
            let report = model.report.clone().filter(|_| !model.stale());
            report.map(Sheet::Run)
        }
    }
}

/// Scrolls the mission so that the cursor, or while playing the active step, is in sight; and the
/// side pane likewise.
fn follow(model: &mut Model) {
    let Some(areas) = model.areas() else { return };
    if model.screen == ScreenName::Project {
        return model.files.follow(usize::from(areas.whole().height));
    }
    if model.screen == ScreenName::League {
        return;
    }
    if model.screen == ScreenName::Logbook {
        let (list, _) = sight::logbook::parts(&areas);
        let height = list.height.saturating_sub(sight::logbook::HEAD);
        return model.logbook.follow(usize::from(height));
    }
    let (open, _) = sight::side::halves(model.side.shown, areas.side);
    if open.height > 2 {
        let height = usize::from(open.height) - 2;
        let count = sight::side::count(model);
        model.side.row = model.side.row.min(count.saturating_sub(1));
        let (first, last) = sight::side::lines_of_row(model, model.side.row);
        if model.side.scroll + height <= last {
            model.side.scroll = last + 1 - height;
        }
        model.side.scroll = model.side.scroll.min(first);
    }
    if areas.text.height == 0 {
        return;
    }
    let height = usize::from(areas.text.height);
    let rows = model.rows();
    let mut wanted = model.doc.cursor.line;
    if model.player.playing && model.doc.is_mission() {
        wanted = model
            .active_step()
            .and_then(|step| model.line_of_step(step))
            .unwrap_or(wanted);
    }
    let of_line = |line: usize| {
        rows.iter()
            .position(|row| *row == Row::Line(line))
            .unwrap_or(0)
    };
    let first = of_line(wanted);
    // What hangs below the line should be seen with it: findings, or the rest of its step.
    let header = model
        .doc
        .lines()
        .get(wanted)
        .is_some_and(|line| matches!(line.kind, LineKind::Step | LineKind::Reflex));
    let mut last = if header && !matches!(model.mode, Mode::Free(_)) {
        first + 4
    } else {
        first
    };
    while matches!(rows.get(last + 1), Some(Row::Finding(..))) {
        last += 1;
    }
    let last = last.min(rows.len().saturating_sub(1));
    if model.doc.scroll + height <= last + 1 {
        model.doc.scroll = (last + 2).saturating_sub(height);
    }
    model.doc.scroll = model
        .doc
        .scroll
        .min(first.saturating_sub(usize::from(first > 0)))
        .min(rows.len().saturating_sub(height));
}
