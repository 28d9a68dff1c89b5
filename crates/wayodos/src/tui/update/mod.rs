//! What a message does to the model, and what it asks the outside to do. Neither files nor clocks are touched here.

mod files;
mod find;
mod keep;
mod mouse;
mod moves;
mod steps;
mod texts;
mod time;
mod typing;

pub use keep::meet;

use std::path::PathBuf;
use std::sync::Arc;

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;
use wayodos_core::finding::Finding;
use wayodos_core::mission::edit::{Edit, Stride};
use wayodos_core::mission::{LineKind, format};
use wayodos_core::units::Quantity;
use wayodos_report::Flow;

pub use texts::about_value;
pub use typing::wrong_here;

use super::ask::Answers;
use super::document::Document;
use super::keymap::{self, Action};
use super::layout::Pane;
use super::model::{Cursor, DiffLine, Entry, Mode, Model, Row, ScreenName, Side};
use super::theme::Role;
use crate::draft::Draft;
use crate::folder::{Project, Saved};
use crate::shelf::{Change, Done};
use crate::survey::Found;
use crate::work::{Job, RunReport};

/// What comes to the application.
#[derive(Debug)]
pub enum Msg {
    /// A key, the mouse, pasted text, or another size.
    Input(Event),
    /// This many seconds went by while playing.
    Tick(f64),
    /// A job was answered.
    Ran(u64, Option<Arc<RunReport>>),
    /// A save came to an end: which text of the project, what came of it, and the text that was saved.
    Saved(String, Result<Saved, String>, Arc<str>),
    /// An export came to an end.
    Exported(Result<Vec<PathBuf>, String>),
    /// The draft could not be kept.
    DraftFailed(String),
    /// Edits are kept again, after they could not be.
    DraftKept,
    /// The file of an open text holds something else than when it was read or saved last: its path, and what.
    Outside(String, String),
    /// The project as it is with files that others have changed, or with the texts that are open here.
    Refit(Box<Refitted>),
    /// A text of the project was opened, or why it cannot be.
    TextOpened(Result<Box<Opened>, String>),
    /// Another mission was opened, with unsaved edits of it if there are any.
    Opened(Result<(Box<Project>, Option<Draft>), String>),
    /// Another editor was left; the text that it wrote.
    Edited(Result<String, String>),
    /// Another editor was left; the path of a file of the project, what it wrote, and what there was before.
    FileEdited(String, Result<(String, String), String>),
    /// What the terminal said about itself; it is the screen's business.
    Terminal(Answers),
    /// Something was found out about the project's files.
    Found(Found),
    /// A file that another editor has changed was written.
    Stored(Result<String, String>),
    /// A change of the project's files came to an end.
    Arranged(Change, Result<Done, String>),
    /// What was done by hand has been written to a file.
    HandsKept(Result<PathBuf, String>),
    /// The system wants the application to make room for another program for a while.
    Suspend,
    /// The system wants the application to end.
    Stop,
}

/// A text that was opened.
#[derive(Debug)]
pub struct Opened {
    /// It, with unsaved edits of a former session if there are any.
    pub document: Document,
    /// What its file holds now, which may be something else than what those edits were based on.
    pub file: String,
}

/// A project read again.
#[derive(Debug)]
pub struct Refitted {
    /// The project, or why it cannot be read.
    pub project: Result<Project, String>,
    /// What is wrong with open texts that this mission does not play with: path, text, findings.
    pub others: Vec<(String, Arc<str>, Vec<Finding>)>,
    /// It was read again because a text was changed here, not because somebody else has changed a file.
    pub ours: bool,
}

/// What the application asks for.
#[derive(Debug)]
pub enum Effect {
    /// Run a mission.
    Run(Job),
    /// Save a text.
    Save {
        /// Its path within the project.
        path: String,
        /// The text.
        text: Arc<str>,
        /// Write even if the file has been changed outside.
        overwrite: bool,
    },
    /// Keep an open text, by its path, against a crash.
    Draft(String, Arc<str>),
    /// The draft of an open text is not needed any more.
    ClearDraft(String),
    /// Read the project again with these texts in the place of their files: path and text of all that are open.
    Refit(Vec<(String, Arc<str>)>),
    /// Open a text of the project beside the mission.
    OpenText(String),
    /// Write the drawings of a run.
    Export(Arc<RunReport>),
    /// Open the text in another editor.
    Editor(Arc<str>),
    /// Look through the project's files.
    Survey,
    /// Change the project's files.
    Arrange(Change),
    /// Open a file of the project in another editor.
    EditFile(String),
    /// Write a file of the project that another editor has changed.
    Store {
        /// Its path.
        path: String,
        /// What it held before.
        before: String,
        /// What it is to hold.
        text: String,
    },
    /// Open another mission of the project; one that is not there yet is begun.
    Open(String),
    /// Write what was done by hand to a file.
    KeepHands,
    /// Make room for another program, until the system says to go on.
    Suspend,
    /// Leave.
    Quit,
}

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
    anchor.hold(model);
    follow(model);
    effects
}

/// Where the cursor's line stands on the screen: what comes and goes above it must not move it.
struct Anchor {
    text: Arc<str>,
    report: usize,
    line: usize,
    lines: usize,
    row: Option<usize>,
}

impl Anchor {
    fn row(model: &Model) -> Option<usize> {
        model.rows().iter().position(|row| *row == Row::Line(model.doc.cursor.line))
    }

    fn run(model: &Model) -> usize {
        model.report.as_ref().map_or(0, |report| Arc::as_ptr(report) as usize)
    }

    fn of(model: &Model) -> Self {
        let row = Self::row(model).and_then(|row| row.checked_sub(model.doc.scroll));
        let (line, lines) = (model.doc.cursor.line, model.doc.lines().len());
        Self { text: Arc::clone(&model.doc.text), report: Self::run(model), line, lines, row }
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
        Msg::Input(Event::Key(key)) if key.is_press() || key.is_repeat() => on_key(model, key, &mut effects),
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
        Msg::Saved(path, result, text) => keep::on_saved(model, &path, result, &text, &mut effects),
        Msg::Exported(Ok(files)) => {
            let names: Vec<String> = files.iter().map(|file| file.display().to_string()).collect();
            model.say(Role::Good, format!("wrote {}", names.join(" and ")));
        }
        Msg::Exported(Err(error)) => model.say(Role::Wrong, error),
        Msg::DraftFailed(error) => {
            model.say(Role::Thin, format!("edits are only in memory until you save: {error}"));
            model.unkept = Some(error);
        }
        Msg::DraftKept => {
            model.unkept = None;
            model.say(Role::Good, "edits are kept against a crash again");
        }
        Msg::Outside(path, text) => keep::on_file(model, &path, text, &mut effects),
        Msg::Refit(refitted) => texts::on_refit(model, *refitted, &mut effects),
        Msg::TextOpened(result) => texts::on_opened(model, result, &mut effects),
        Msg::Opened(result) => keep::on_opened(model, result, &mut effects),
        Msg::Edited(result) => keep::on_edited(model, result, &mut effects),
        Msg::FileEdited(path, Ok((text, before))) if text != before => {
            effects.push(Effect::Store { path, before, text });
        }
        Msg::FileEdited(_, Ok(_)) => model.say(Role::Quiet, "nothing was changed"),
        Msg::FileEdited(_, Err(error)) => model.say(Role::Wrong, error),
        Msg::Terminal(_) => {}
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
            let words = format!("wrote {}: name it as `hands` in wayodos.toml to have it always", file.display());
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
    // A key pressed right after Esc comes from many terminals as one with Alt, which means nothing here.
    let types = matches!(model.mode, Mode::Free(_) | Mode::Typing(_) | Mode::Asking(..));
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
            if let Some(scroll) =
                scrolled(model, key, super::view::overlay::help_rows(model.screen, model.size), scroll)
            {
                model.mode = Mode::Help(scroll);
            }
        }
        Mode::Reading { lines, notes, scroll } => {
            if let Some(scroll) = scrolled(model, key, lines.len(), scroll) {
                model.mode = Mode::Reading { lines, notes, scroll };
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
    if model.screen == ScreenName::Project {
        if let Some(action) = keymap::action(model.screen, key) {
            act(model, action, effects);
        }
        return;
    }
    if key.code == KeyCode::Esc {
        // From robot or field the way leads back to the mission.
        if model.focus == Pane::Text && model.pin.is_none() {
            texts::to_mission(model);
        }
        model.focus = Pane::Text;
        model.pin = None;
        return;
    }
    if pane_key(model, key, effects) {
        return;
    }
    let Some(action) = keymap::action(model.screen, key) else {
        // Digits are meant for the slot, whatever it holds: it says itself what it can take, and swallows the rest.
        if let KeyCode::Char(digit @ '0'..='9') = key.code {
            if model.doc.slot().is_some() {
                let input = Input::new(digit.to_string());
                model.mode = Mode::Typing(Entry { input, error: None });
            } else {
                model.say(Role::Quiet, "no slot on this line takes a number; e types into it");
            }
        }
        return;
    };
    if action != Action::Save {
        model.doc.overwrite = false;
    }
    act(model, action, effects);
}

/// What arrows and a few other keys mean in panes other than the text; whether the key was one of them.
fn pane_key(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) -> bool {
    let plain = key.modifiers.difference(KeyModifiers::SHIFT).is_empty();
    let hidden = model.areas().is_none_or(|areas| areas.of(model.focus).height == 0);
    if !plain || hidden {
        return false;
    }
    match (model.focus, key.code) {
        (Pane::Text, _) => return false,
        (Pane::Field, KeyCode::Left) => pan(model, -1.0, 0.0),
        (Pane::Field, KeyCode::Right) => pan(model, 1.0, 0.0),
        (Pane::Field, KeyCode::Up) => pan(model, 0.0, 1.0),
        (Pane::Field, KeyCode::Down) => pan(model, 0.0, -1.0),
        (Pane::Field, KeyCode::Char('+' | '=')) => zoom_field(model, 1.5),
        (Pane::Field, KeyCode::Char('-' | '_')) => zoom_field(model, 1.0 / 1.5),
        (Pane::Field | Pane::Chart, KeyCode::Char('0')) => fit(model),
        (Pane::Field, KeyCode::Enter) => act(model, Action::Follow, effects),
        (Pane::Chart, KeyCode::Left) => time::shift(model, -0.1),
        (Pane::Chart, KeyCode::Right) => time::shift(model, 0.1),
        (Pane::Chart, KeyCode::Up | KeyCode::Char('+' | '=')) => time::zoom(model, 1.6),
        (Pane::Chart, KeyCode::Down | KeyCode::Char('-' | '_')) => time::zoom(model, 1.0 / 1.6),
        (Pane::Chart, KeyCode::Enter) => act(model, Action::Pin, effects),
        (Pane::Side, KeyCode::Up) => side_row(model, -1),
        (Pane::Side, KeyCode::Down) => side_row(model, 1),
        (Pane::Side, KeyCode::Tab) => turn_side(model, 1),
        (Pane::Side, KeyCode::BackTab) => turn_side(model, Side::ALL.len() - 1),
        (Pane::Side, KeyCode::Left | KeyCode::Right) => {
            let right = key.code == KeyCode::Right;
            match model.side {
                Side::Track => turn_track(model, right),
                Side::Map => super::view::side::fold(model, right),
                Side::Why | Side::Findings => time::shift(model, if right { 0.1 } else { -0.1 }),
            }
        }
        (Pane::Side, KeyCode::Enter) => open_side(model, effects),
        _ => return false,
    }
    true
}

fn pan(model: &mut Model, right: f64, up: f64) {
    let Some((setup, areas)) = model.setup.clone().zip(model.areas()) else { return };
    let view = super::view::field::view(model, &setup.field, areas.field);
    let (width, height) = view.seen();
    let centre = view.centre();
    let at = |value: f64, most: f64| value.clamp(0.0, most);
    model.camera.follow = false;
    model.camera.centre = Some(wayodos_core::field::Point::new(
        at(centre.x + right * width / 6.0, setup.field.width),
        at(centre.y + up * height / 6.0, setup.field.height),
    ));
}

fn zoom_field(model: &mut Model, by: f64) {
    let zoom = (model.camera.zoom * by).clamp(1.0, 40.0);
    if model.camera.centre.is_none()
        && !model.camera.follow
        && let Some((setup, areas)) = model.setup.clone().zip(model.areas())
    {
        // Nearer to where the robot is: that is what one wants to see better.
        let robot = super::view::field::robot_place(model);
        model.camera.centre =
            robot.or_else(|| Some(super::view::field::view(model, &setup.field, areas.field).centre()));
    }
    model.camera.zoom = zoom;
    if zoom <= 1.0 {
        model.camera = super::model::Camera::FIT;
    }
}

fn fit(model: &mut Model) {
    match model.focus {
        Pane::Field => model.camera = super::model::Camera::FIT,
        _ => model.span = None,
    }
}

fn side_row(model: &mut Model, by: isize) {
    let count = super::view::side::count(model);
    if count > 0 {
        model.side_row = model.side_row.min(count - 1).saturating_add_signed(by).min(count - 1);
    }
}

fn turn_side(model: &mut Model, by: usize) {
    let at = Side::ALL.iter().position(|side| *side == model.side).unwrap_or(0);
    show_side(model, Side::ALL[(at + by) % Side::ALL.len()]);
}

fn turn_track(model: &mut Model, right: bool) {
    let count = model.setup.as_ref().map_or(0, |setup| setup.robot.sensors.len());
    if count > 0 {
        model.track.0 = (model.track.0 + if right { 1 } else { count - 1 }) % count;
    }
}

/// Shows a tab of the side pane, with its first row marked.
fn show_side(model: &mut Model, side: Side) {
    (model.side, model.side_row, model.side_scroll) = (side, 0, 0);
    if side == Side::Map {
        model.side_row = super::view::side::row_of_line(model, model.doc.cursor.line);
    }
}

/// A key for a tab: there with the arrows, or back to the text when they are there already.
fn to_side(model: &mut Model, side: Side) {
    let there = model.focus == Pane::Side && model.side == side;
    if there {
        (model.focus, model.side_open) = (Pane::Text, false);
        if model.zoom == Some(Pane::Side) {
            model.zoom = None;
        }
        return;
    }
    show_side(model, side);
    (model.focus, model.side_open) = (Pane::Side, true);
    if model.zoom.is_some() {
        model.zoom = Some(Pane::Side);
    }
}

fn open_side(model: &mut Model, effects: &mut Vec<Effect>) {
    match model.side {
        Side::Why => {
            texts::to_mission(model);
            find::remedies(model);
            find::attempt_first(model, effects);
        }
        Side::Track => act(model, Action::Pin, effects),
        Side::Map => {
            if let Some(line) = super::view::side::map_line(model) {
                texts::to_mission(model);
                model.doc.cursor = Cursor { line, nth: 0 };
                time::time_to_step(model);
            }
        }
        Side::Findings => {
            find::fixes(model, effects);
            find::attempt_first(model, effects);
        }
    }
}

/// From this many columns on, notes stand beside the mission in words.
pub const NOTES_BESIDE: u16 = 136;

/// Opens the mission in words, at the step under the cursor, with its author's notes beside it.
fn read_back(model: &mut Model) {
    let flow = Flow::of(&model.doc.text, &model.doc.prepared.parsed, model.doc.prepared.program.as_deref());
    let here = flow.boxes.iter().rposition(|one| one.line <= model.doc.cursor.line);
    let rows = flow.rows();
    let scroll = here.and_then(|here| rows.iter().position(|(of, _)| *of == Some(here))).unwrap_or(0);
    let notes = notes(model, &flow);
    let mut before = None;
    let (mut lines, mut beside) = (Vec::new(), Vec::new());
    for (of, line) in rows {
        let opens = std::mem::replace(&mut before, of) != of || of.is_none();
        let note = if opens { notes[of.map_or(0, |of| of + 1)].clone() } else { String::new() };
        lines.push((line, opens));
        // Without room beside the words, notes stand among them.
        let among = model.size.0 < NOTES_BESIDE && !note.is_empty() && of.is_some();
        if among {
            lines.push((format!("   # {note}"), false));
            beside.push(String::new());
        }
        beside.push(if among { String::new() } else { note });
    }
    model.mode = Mode::Reading { lines, notes: beside, scroll };
}

/// The comments of the text: those before the first box, then those of each.
fn notes(model: &Model, flow: &Flow) -> Vec<String> {
    let mut notes = vec![String::new(); flow.boxes.len() + 1];
    let mut above: Vec<&str> = Vec::new();
    for (line, about) in model.doc.lines().iter().enumerate() {
        let comment = about.comment.clone().map(|span| model.doc.text[span].trim_start_matches('#').trim());
        let own = about.kind == LineKind::Blank;
        // A comment on a line of its own belongs to what stands below it.
        if let (true, Some(comment)) = (own, comment) {
            above.push(comment);
            continue;
        }
        let at = flow.boxes.iter().rposition(|one| one.line <= line).map_or(0, |at| at + 1);
        for note in above.drain(..).chain(comment) {
            if !notes[at].is_empty() && !note.is_empty() {
                notes[at].push(' ');
            }
            notes[at].push_str(note);
        }
    }
    notes
}

/// Where a list so long is scrolled to by a key; none when the key ends the reading.
fn scrolled(model: &Model, key: KeyEvent, count: usize, scroll: usize) -> Option<usize> {
    let page = usize::from(model.size.1).saturating_sub(8).max(1);
    let scroll = match key.code {
        KeyCode::Up => scroll.saturating_sub(1),
        KeyCode::Down => scroll + 1,
        KeyCode::PageUp => scroll.saturating_sub(page),
        KeyCode::PageDown | KeyCode::Char(' ') => scroll + page,
        KeyCode::Home => 0,
        KeyCode::End => count,
        _ => return None,
    };
    Some(scroll.min(count.saturating_sub(1)))
}

/// Does what a key, a row of the palette or the mouse asks for.
pub fn act(model: &mut Model, action: Action, effects: &mut Vec<Effect>) {
    carry_out(model, action, effects);
    // What the first row of a list comes to is tried at once.
    find::attempt_first(model, effects);
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
        Action::GoToStep => find::steps(model),
        Action::FindText => find::lines(model),
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
        Action::AddStep => find::add_step(model, false),
        Action::AddAbove => find::add_step(model, true),
        Action::AddExit => find::add_exit(model),
        Action::AddReflex => steps::add_reflex(model, effects),
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
        Action::Free => typing::begin(model),
        Action::Editor => effects.push(Effect::Editor(Arc::clone(&model.doc.text))),
        Action::Undo | Action::Redo => {
            let back = action == Action::Undo;
            if back && model.undo_hands() {
                model.say(Role::Quiet, "what was done by hand last is undone");
                run_again(model, effects);
            } else if model.travel(back) {
                changed(model, effects);
            } else {
                model.say(Role::Quiet, if back { "nothing to undo" } else { "nothing to redo" });
            }
        }
        Action::Save => keep::save(model, effects),
        Action::Export => match model.report.clone() {
            Some(report) if !model.stale() => effects.push(Effect::Export(report)),
            _ => model.say(Role::Thin, "this text cannot run yet: fix its errors first"),
        },
        Action::OpenMission => find::missions(model),
        Action::NewMission => typing::ask(model, super::model::Question::Mission, ""),
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
        Action::Hands => find::hands(model),
        Action::Why => to_side(model, Side::Why),
        Action::Track => to_side(model, Side::Track),
        Action::Map => to_side(model, Side::Map),
        Action::Findings => to_side(model, Side::Findings),
        Action::Tracks => find::tracks(model),
        Action::ZoomIn | Action::ZoomOut => {
            let by = if action == Action::ZoomIn { 1.5 } else { 1.0 / 1.5 };
            if model.focus == Pane::Chart { time::zoom(model, by) } else { zoom_field(model, by) }
        }
        Action::Fit => fit(model),
        Action::Follow => {
            model.camera.follow = !model.camera.follow;
            if model.camera.follow && model.camera.zoom <= 1.0 {
                model.camera.zoom = 4.0;
            }
            let words = if model.camera.follow { "the field follows the robot" } else { "the field stays where it is" };
            model.say(Role::Quiet, words);
        }
        Action::Pixels => {
            model.blocks = !model.blocks;
            let how = if model.blocks { "in block characters" } else { "in pixels, where the terminal can show them" };
            model.say(Role::Quiet, format!("the field is drawn {how}"));
        }
        Action::Full => {
            model.zoom = match model.zoom {
                Some(_) => None,
                None => Some(model.focus),
            };
        }
        Action::ToProject => files::show(model, effects),
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
        Action::Read => read_back(model),
        Action::Palette => find::palette(model),
        Action::Quit if model.any_unsaved() => model.mode = Mode::Leaving,
        Action::Quit => keep::quit(model, effects),
        Action::Texts => texts::choose(model, effects),
        Action::BackToMission => texts::to_mission(model),
    }
}

/// Applies an edit. A text that was laid out in the one way stays so.
fn change(model: &mut Model, edit: &Edit, effects: &mut Vec<Effect>) {
    let text = edit.apply(&model.doc.text);
    let text = laid_out(model, text);
    let edited = edit_words(model, &text);
    put_text(model, text, effects);
    model.edited = edited;
}

/// What is another word or amount in a new text, and where: `20 s -> 21 s in step 3`; nothing when it is more than that.
fn edit_words(model: &Model, text: &str) -> String {
    let old = &*model.doc.text;
    let same =
        |a: &mut dyn Iterator<Item = u8>, b: &mut dyn Iterator<Item = u8>| a.zip(b).take_while(|(a, b)| a == b).count();
    let before = same(&mut old.bytes(), &mut text.bytes());
    let most = old.len().min(text.len()) - before;
    let after = same(&mut old.bytes().rev(), &mut text.bytes().rev()).min(most);
    let changed = |text: &str| {
        let apart = |byte: &u8| byte.is_ascii_whitespace() || matches!(byte, b',' | b'(' | b')' | b'"' | b'\'');
        let bytes = text.as_bytes();
        let from = bytes[..before].iter().rposition(apart).map_or(0, |at| at + 1);
        let word = |at: usize| bytes[at..].iter().position(apart).map_or(bytes.len(), |length| at + length);
        let mut to = word(text.len() - after);
        // An amount is a number and its unit.
        let unit = word((to + 1).min(bytes.len()));
        if text.get(from..unit).is_some_and(|amount| Quantity::parse(amount).is_ok()) {
            to = unit;
        }
        text.get(from..to)
            .filter(|words| !words.is_empty() && words.len() <= 24 && !words.contains('\n'))
            .map(str::to_owned)
    };
    let (Some(was), Some(is)) = (changed(old), changed(text)) else { return String::new() };
    let line = model.doc.line_at(before);
    if model.doc.values.is_some() {
        let name = model.doc.line_text(line).split('=').next().unwrap_or_default().trim();
        return format!("{name} {was} -> {is}");
    }
    let place = match model.doc.written_step(line) {
        Some(step) => format!("step {}", step.number()),
        None => format!("line {}", line + 1),
    };
    format!("{was} -> {is} in {place}")
}

/// Whether the text is laid out in the one way.
fn is_laid_out(model: &Model) -> bool {
    model.doc.values.is_none() && format(&model.doc.text) == *model.doc.text
}

/// A text with other lines than before, laid out in the one way if the one that it comes from was.
fn laid_anew(model: &Model, text: String) -> String {
    if is_laid_out(model) { format(&text) } else { text }
}

/// The same for one that has the same lines: they keep their places.
fn laid_out(model: &Model, text: String) -> String {
    if is_laid_out(model) {
        let laid = format(&text);
        if laid.lines().count() == text.lines().count() {
            return laid;
        }
    }
    text
}

/// Puts a whole text in place, unless it is what stands there.
fn put_text(model: &mut Model, text: String, effects: &mut Vec<Effect>) {
    if *text == *model.doc.text {
        return;
    }
    model.write(text);
    changed(model, effects);
}

/// The text is another one: run it, and keep it against a crash.
fn changed(model: &mut Model, effects: &mut Vec<Effect>) {
    rework(model, effects);
    effects.push(draft(&model.doc));
}

/// What becomes of the draft of a text.
fn draft(document: &Document) -> Effect {
    if document.unsaved() {
        Effect::Draft(document.path.clone(), Arc::clone(&document.text))
    } else {
        Effect::ClearDraft(document.path.clone())
    }
}

/// What is seen of the text in front is made again: the run of a mission, or all that a robot or field is needed for.
fn rework(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.doc.is_mission() {
        return run_again(model, effects);
    }
    model.change.clear();
    model.edited.clear();
    model.pending = Some(Model::REFIT);
    effects.push(texts::refit(model));
}

/// Runs the text as it stands, if it can be run.
fn run_again(model: &mut Model, effects: &mut Vec<Effect>) {
    model.change.clear();
    model.edited.clear();
    match model.job() {
        Some(job) => effects.push(Effect::Run(job)),
        None => model.pending = None,
    }
}

/// Scrolls the mission so that the cursor, or while playing the active step, is in sight; and the side pane likewise.
fn follow(model: &mut Model) {
    let Some(areas) = model.areas() else { return };
    if model.screen == ScreenName::Project {
        return model.files.follow(usize::from(areas.whole().height));
    }
    let (open, _) = super::view::side::halves(model.side, areas.side);
    if open.height > 2 {
        let height = usize::from(open.height) - 2;
        let count = super::view::side::count(model);
        model.side_row = model.side_row.min(count.saturating_sub(1));
        let (first, last) = super::view::side::lines_of_row(model, model.side_row);
        if model.side_scroll + height <= last {
            model.side_scroll = last + 1 - height;
        }
        model.side_scroll = model.side_scroll.min(first);
    }
    if areas.text.height == 0 {
        return;
    }
    let height = usize::from(areas.text.height);
    let rows = model.rows();
    let mut wanted = model.doc.cursor.line;
    if model.playing && model.doc.is_mission() {
        wanted = model.active_step().and_then(|step| model.line_of_step(step)).unwrap_or(wanted);
    }
    let of_line = |line: usize| rows.iter().position(|row| *row == Row::Line(line)).unwrap_or(0);
    let first = of_line(wanted);
    // What hangs below the line should be seen with it: findings, or the rest of its step.
    let header =
        model.doc.lines().get(wanted).is_some_and(|line| matches!(line.kind, LineKind::Step | LineKind::Reflex));
    let mut last = if header && !matches!(model.mode, Mode::Free(_)) { first + 4 } else { first };
    while matches!(rows.get(last + 1), Some(Row::Finding(..))) {
        last += 1;
    }
    let last = last.min(rows.len().saturating_sub(1));
    if model.doc.scroll + height <= last + 1 {
        model.doc.scroll = (last + 2).saturating_sub(height);
    }
    model.doc.scroll =
        model.doc.scroll.min(first.saturating_sub(usize::from(first > 0))).min(rows.len().saturating_sub(height));
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
