//! What a message does to the model, and what it asks the outside to do. Neither files nor clocks are touched here.

use std::path::PathBuf;
use std::sync::Arc;

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::{Position, Rect};
use tui_input::backend::crossterm::EventHandler as _;
use tui_input::{Input, InputRequest};
use wayodos_core::mission::edit::{self, Edit, Stride};
use wayodos_core::mission::{LineKind, SlotKind, format};
use wayodos_report::words::change_words;
use wayodos_report::{Flow, MarkKind};

use super::keymap::{self, Action};
use super::layout::Pane;
use super::model::{Cursor, Entry, Mode, Model, Row, SPEEDS};
use super::theme::Role;
use super::view;
use crate::folder::{Home, Saved};
use crate::work::{Job, Told};

/// What the application is told.
#[derive(Debug)]
pub enum Msg {
    /// A key, the mouse, pasted text, or another size.
    Input(Event),
    /// So many seconds went by while playing.
    Tick(f64),
    /// A job was answered.
    Ran(u64, Option<Arc<Told>>),
    /// A save came to an end; the text that was saved.
    Saved(Result<Saved, String>, Arc<str>),
    /// An export came to an end.
    Exported(Result<Vec<PathBuf>, String>),
    /// The draft could not be kept.
    DraftFailed(String),
    /// The system wants the application to end.
    Stop,
}

/// What the application asks for.
#[derive(Debug)]
pub enum Effect {
    /// Run a mission.
    Run(Job),
    /// Save the text.
    Save {
        /// The text.
        text: Arc<str>,
        /// Write even if the file has been changed outside.
        overwrite: bool,
    },
    /// Keep the text against a crash.
    Draft(Arc<str>),
    /// The draft is not needed any more.
    ClearDraft,
    /// Write the drawings of a run.
    Export(Arc<Told>),
    /// Leave.
    Quit,
}

/// Applies a message.
pub fn update(model: &mut Model, msg: Msg) -> Vec<Effect> {
    let mut effects = Vec::new();
    match msg {
        Msg::Input(Event::Key(key)) if key.is_press() || key.is_repeat() => on_key(model, key, &mut effects),
        Msg::Input(Event::Mouse(mouse)) => on_mouse(model, mouse),
        Msg::Input(Event::Paste(text)) => on_paste(model, &text),
        Msg::Input(Event::Resize(width, height)) => model.size = (width, height),
        Msg::Input(_) => {}
        Msg::Tick(seconds) => on_tick(model, seconds),
        Msg::Ran(id, told) => on_run(model, id, told),
        Msg::Saved(result, text) => on_saved(model, result, &text, &mut effects),
        Msg::Exported(Ok(files)) => {
            let names: Vec<String> = files.iter().map(|file| file.display().to_string()).collect();
            model.say(Role::Good, format!("wrote {}", names.join(" and ")));
        }
        Msg::Exported(Err(error)) => model.say(Role::Wrong, error),
        Msg::DraftFailed(error) => {
            model.say(Role::Thin, format!("edits are only in memory until you save: {error}"));
        }
        // The draft of unsaved edits stays, so that nothing is lost.
        Msg::Stop => effects.push(Effect::Quit),
    }
    follow(model);
    effects
}

fn on_key(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) {
    let stop = key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL);
    match std::mem::take(&mut model.mode) {
        Mode::Browse => browse(model, key, effects),
        // What works from everywhere: back to browsing.
        _ if stop => {}
        Mode::Help => {}
        Mode::Reading { lines, scroll } => reading(model, key, lines, scroll),
        Mode::Leaving => leaving(model, key, effects),
        Mode::Picking { choices, at } => pick(model, key, choices, at, effects),
        Mode::Typing(entry) => type_value(model, key, entry, effects),
        Mode::Writing { entry, new } => write_line(model, key, entry, new, effects),
    }
}

fn browse(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) {
    model.notice = None;
    let Some(action) = keymap::action(key) else {
        if let KeyCode::Char(digit @ '0'..='9') = key.code
            && is_amount(model)
        {
            let input = Input::new(digit.to_string());
            model.mode = Mode::Typing(Entry { input, error: None });
        }
        return;
    };
    if action != Action::Save {
        model.overwrite = false;
    }
    act(model, action, effects);
}

/// Opens the mission in words, at the step under the cursor.
fn read_back(model: &mut Model) {
    let flow = Flow::of(&model.text, &model.prepared.parsed, model.prepared.program.as_deref());
    let here = flow.boxes.iter().rposition(|one| one.line <= model.cursor.line);
    let rows = flow.rows();
    let scroll = here.and_then(|here| rows.iter().position(|(of, _)| *of == Some(here))).unwrap_or(0);
    let mut before = None;
    let lines = rows.into_iter().map(|(of, line)| {
        let opens = std::mem::replace(&mut before, of) != of || of.is_none();
        (line, opens)
    });
    model.mode = Mode::Reading { lines: lines.collect(), scroll };
}

fn reading(model: &mut Model, key: KeyEvent, lines: Vec<(String, bool)>, scroll: usize) {
    let page = usize::from(model.size.1).saturating_sub(8).max(1);
    let scroll = match key.code {
        KeyCode::Up => scroll.saturating_sub(1),
        KeyCode::Down => scroll + 1,
        KeyCode::PageUp => scroll.saturating_sub(page),
        KeyCode::PageDown | KeyCode::Char(' ') => scroll + page,
        KeyCode::Home => 0,
        KeyCode::End => lines.len(),
        _ => return,
    };
    let scroll = scroll.min(lines.len().saturating_sub(1));
    model.mode = Mode::Reading { lines, scroll };
}

fn is_amount(model: &Model) -> bool {
    let slot = model.slot().map(|slot| &model.prepared.parsed.slots[slot].kind);
    matches!(slot, Some(SlotKind::Amount { .. }))
}

fn act(model: &mut Model, action: Action, effects: &mut Vec<Effect>) {
    match action {
        Action::SlotLeft => move_slot(model, false),
        Action::SlotRight => move_slot(model, true),
        Action::LineUp => move_line(model, false),
        Action::LineDown => move_line(model, true),
        Action::StepUp => move_step(model, false),
        Action::StepDown => move_step(model, true),
        Action::NextFinding => next_finding(model),
        Action::NudgeUp => nudge(model, true, Stride::Coarse, effects),
        Action::NudgeDown => nudge(model, false, Stride::Coarse, effects),
        Action::FineUp => nudge(model, true, Stride::Fine, effects),
        Action::FineDown => nudge(model, false, Stride::Fine, effects),
        Action::Open => open(model),
        Action::EditLine => {
            let input = Input::new(model.line_text(model.cursor.line).to_owned());
            model.mode = Mode::Writing { entry: Entry { input, error: None }, new: false };
        }
        Action::NewLine => model.mode = Mode::Writing { entry: Entry::default(), new: true },
        Action::DeleteLine => {
            if model.lines().is_empty() {
                return;
            }
            let edit = edit::delete_line(&model.prepared.parsed, &model.text, model.cursor.line);
            change(model, &edit, effects);
            model.say(Role::Quiet, "line taken out; u brings it back");
        }
        Action::Undo | Action::Redo => {
            let back = action == Action::Undo;
            if model.travel(back) {
                changed(model, effects);
            } else {
                model.say(Role::Quiet, if back { "nothing to undo" } else { "nothing to redo" });
            }
        }
        Action::Save => save(model, effects),
        Action::Export => match model.told.clone() {
            Some(told) if !model.stale() => effects.push(Effect::Export(told)),
            _ => model.say(Role::Thin, "there is no run of this text to draw: mend the findings first"),
        },
        Action::Play => play(model),
        Action::Faster => model.speed = (model.speed + 1) % SPEEDS.len(),
        Action::TimeBack => shift_time(model, -0.1),
        Action::TimeAhead => shift_time(model, 0.1),
        Action::TimeFarBack => shift_time(model, -1.0),
        Action::TimeFarAhead => shift_time(model, 1.0),
        Action::EventBack => jump(model, false),
        Action::EventAhead => jump(model, true),
        Action::RunStart => set_time(model, 0.0),
        Action::RunEnd => set_time(model, f64::INFINITY),
        Action::TimeToStep => time_to_step(model),
        Action::StepOfTime => step_of_time(model),
        Action::Zoom => {
            model.zoom = match model.zoom {
                None => Some(Pane::Text),
                Some(Pane::Text) => Some(Pane::Field),
                Some(Pane::Field) => Some(Pane::Chart),
                Some(Pane::Chart) => None,
            };
        }
        Action::Help => model.mode = Mode::Help,
        Action::Read => read_back(model),
        Action::Quit if model.unsaved() => model.mode = Mode::Leaving,
        Action::Quit => effects.extend([Effect::ClearDraft, Effect::Quit]),
    }
}

// ---- moving

fn move_slot(model: &mut Model, right: bool) {
    let slots = &model.prepared.parsed.slots;
    let Cursor { line, nth } = model.cursor;
    let here = model.slots_on(line).count();
    let target = if right && nth + 1 < here {
        Some(Cursor { line, nth: nth + 1 })
    } else if !right && nth > 0 {
        Some(Cursor { line, nth: nth - 1 })
    } else if right {
        slots.iter().find(|slot| slot.line > line).map(|slot| Cursor { line: slot.line, nth: 0 })
    } else {
        let line = slots.iter().rev().find(|slot| slot.line < line).map(|slot| slot.line);
        line.map(|line| Cursor { line, nth: model.slots_on(line).count() - 1 })
    };
    if let Some(target) = target {
        model.cursor = target;
    }
}

/// Empty lines are passed over: there is nothing to do on them.
fn move_line(model: &mut Model, down: bool) {
    let stands = |line: &usize| !model.line_text(*line).trim().is_empty();
    let from = model.cursor.line;
    let line = if down { (from + 1..model.lines().len()).find(stands) } else { (0..from).rev().find(stands) };
    if let Some(line) = line {
        go_to_line(model, line);
    }
}

/// Puts the cursor on a line, on the slot nearest to the column where it was.
fn go_to_line(model: &mut Model, line: usize) {
    let column = |slot: usize| {
        let slot = &model.prepared.parsed.slots[slot];
        slot.span.start - model.lines()[slot.line].span.start
    };
    let wanted = model.slot().map_or(0, column);
    let nearest = model.slots_on(line).enumerate().min_by_key(|(_, (slot, _))| column(*slot).abs_diff(wanted));
    let nth = nearest.map_or(0, |(nth, _)| nth);
    model.cursor = Cursor { line, nth };
}

fn move_step(model: &mut Model, down: bool) {
    let line = model.cursor.line;
    let mut steps = model.prepared.parsed.mission.steps.iter().map(|step| step.line);
    let target = if down { steps.find(|step| *step > line) } else { steps.rfind(|step| *step < line) };
    if let Some(line) = target {
        model.cursor = Cursor { line, nth: 0 };
    }
}

fn next_finding(model: &mut Model) {
    let lines: Vec<usize> = model.findings.iter().map(|finding| model.line_at(finding.span.start)).collect();
    let next = lines.iter().find(|line| **line > model.cursor.line).or(lines.first()).copied();
    match next {
        Some(line) => model.cursor = Cursor { line, nth: 0 },
        None => model.say(Role::Good, "no findings in this mission"),
    }
}

// ---- changing

fn nudge(model: &mut Model, up: bool, stride: Stride, effects: &mut Vec<Effect>) {
    let Some(slot) = model.slot() else {
        return model.say(Role::Quiet, "nothing to nudge on this line; e edits it");
    };
    let Some(setup) = model.setup.clone() else { return };
    match edit::nudge(&model.prepared.parsed, &model.text, &setup.names, slot, up, stride) {
        Some(edit) => change(model, &edit, effects),
        None => {
            let typed = matches!(model.prepared.parsed.slots[slot].kind, SlotKind::Text | SlotKind::Target);
            model.say(Role::Quiet, if typed { "Enter types here" } else { "that is as far as it goes" });
        }
    }
}

fn open(model: &mut Model) {
    let Some(slot) = model.slot() else {
        return act(model, Action::EditLine, &mut Vec::new());
    };
    let Some(setup) = model.setup.clone() else { return };
    let parsed = &model.prepared.parsed;
    let current = model.text[parsed.slots[slot].span.clone()].to_owned();
    let choices = edit::choices(parsed, &setup.names, slot);
    if choices.is_empty() {
        match parsed.slots[slot].kind {
            SlotKind::Target => return act(model, Action::EditLine, &mut Vec::new()),
            SlotKind::Text | SlotKind::Amount { .. } => {}
            _ => return model.say(Role::Quiet, "there is nothing else to choose"),
        }
        let input = Input::new(current.trim_matches('"').to_owned());
        model.mode = Mode::Typing(Entry { input, error: None });
    } else {
        let at = choices.iter().position(|choice| *choice == current).unwrap_or(0);
        model.mode = Mode::Picking { choices, at };
    }
}

fn pick(model: &mut Model, key: KeyEvent, choices: Vec<String>, at: usize, effects: &mut Vec<Effect>) {
    let count = choices.len();
    let at = match key.code {
        KeyCode::Esc | KeyCode::Char('q') => return,
        KeyCode::Enter | KeyCode::Char(' ') => {
            if let Some((slot, setup)) = model.slot().zip(model.setup.clone()) {
                // A choice of the list is always taken.
                if let Ok(edit) = edit::set(&model.prepared.parsed, &model.text, &setup.names, slot, &choices[at]) {
                    change(model, &edit, effects);
                }
            }
            return;
        }
        KeyCode::Up | KeyCode::Left | KeyCode::Char('-') => (at + count - 1) % count,
        KeyCode::Down | KeyCode::Right | KeyCode::Char('+') => (at + 1) % count,
        KeyCode::Home => 0,
        KeyCode::End => count - 1,
        // A letter goes to the next word that starts with it.
        KeyCode::Char(letter) => {
            let starts = |index: &usize| choices[*index].trim_matches('"').to_lowercase().starts_with(letter);
            (at + 1..count).chain(0..=at).find(starts).unwrap_or(at)
        }
        _ => at,
    };
    model.mode = Mode::Picking { choices, at };
}

fn type_value(model: &mut Model, key: KeyEvent, mut entry: Entry, effects: &mut Vec<Effect>) {
    match key.code {
        KeyCode::Esc => return,
        KeyCode::Enter => {
            let Some((slot, setup)) = model.slot().zip(model.setup.clone()) else { return };
            let typed = entry.input.value();
            match edit::set(&model.prepared.parsed, &model.text, &setup.names, slot, typed) {
                Ok(edit) => return change(model, &edit, effects),
                Err(error) => entry.error = Some(error),
            }
        }
        _ => {
            entry.error = None;
            entry.input.handle_event(&Event::Key(key));
        }
    }
    model.mode = Mode::Typing(entry);
}

fn write_line(model: &mut Model, key: KeyEvent, mut entry: Entry, new: bool, effects: &mut Vec<Effect>) {
    match key.code {
        KeyCode::Esc => return,
        KeyCode::Enter => {
            let typed = entry.input.value().to_owned();
            let parsed = &model.prepared.parsed;
            let line = model.cursor.line;
            if !new {
                if parsed.lines.is_empty() {
                    return;
                }
                return change(model, &edit::set_line(parsed, line, &typed), effects);
            }
            if typed.trim().is_empty() {
                return;
            }
            let edit = if parsed.lines.is_empty() {
                Edit { span: 0..0, text: typed }
            } else {
                edit::insert_below(parsed, &model.text, line, typed.trim_start())
            };
            change(model, &edit, effects);
            return go_to_line(model, (line + 1).min(model.lines().len().saturating_sub(1)));
        }
        _ => {
            entry.input.handle_event(&Event::Key(key));
        }
    }
    model.mode = Mode::Writing { entry, new };
}

fn on_paste(model: &mut Model, text: &str) {
    if let Mode::Typing(entry) | Mode::Writing { entry, .. } = &mut model.mode {
        // A slot or a line is one line.
        for letter in text.lines().next().unwrap_or("").chars().filter(|letter| !letter.is_control()) {
            entry.input.handle(InputRequest::InsertChar(letter));
        }
    }
}

/// Applies an edit. A text that was laid out in the one way stays so.
fn change(model: &mut Model, edit: &Edit, effects: &mut Vec<Effect>) {
    let mut text = edit.apply(&model.text);
    if format(&model.text) == *model.text {
        let laid = format(&text);
        // Lines keep their places, so that the cursor does too.
        if laid.lines().count() == text.lines().count() {
            text = laid;
        }
    }
    if *text == *model.text {
        return;
    }
    model.write(text);
    changed(model, effects);
}

/// The text is another one: run it, and keep it against a crash.
fn changed(model: &mut Model, effects: &mut Vec<Effect>) {
    model.change.clear();
    match model.job() {
        Some(job) => effects.push(Effect::Run(job)),
        None => model.pending = None,
    }
    effects.push(if model.unsaved() { Effect::Draft(Arc::clone(&model.text)) } else { Effect::ClearDraft });
}

// ---- keeping

fn save(model: &mut Model, effects: &mut Vec<Effect>) {
    if !model.unsaved() && matches!(model.project.home, Home::Folder(_)) {
        return model.say(Role::Quiet, "nothing to save");
    }
    effects.push(Effect::Save { text: Arc::clone(&model.text), overwrite: model.overwrite });
    model.overwrite = false;
}

fn on_saved(model: &mut Model, result: Result<Saved, String>, text: &Arc<str>, effects: &mut Vec<Effect>) {
    let leave = std::mem::take(&mut model.leave_when_saved);
    match result {
        Ok(Saved::ChangedOutside) => {
            model.overwrite = true;
            let told = "the file was changed by another program: s again overwrites it and keeps theirs as *.before";
            return model.say(Role::Thin, told);
        }
        Err(error) => return model.say(Role::Wrong, format!("the text is still here, but {error}")),
        Ok(Saved::Done) => model.say(Role::Good, format!("saved {}", model.project.config.mission)),
        Ok(Saved::Copied(folder)) => {
            model.say(Role::Good, format!("the demo is now yours, in {}", folder.display()));
            model.project.home = Home::Folder(folder);
        }
    }
    model.saved = text.to_string();
    if !model.unsaved() {
        effects.push(Effect::ClearDraft);
        if leave {
            effects.push(Effect::Quit);
        }
    }
}

fn leaving(model: &mut Model, key: KeyEvent, effects: &mut Vec<Effect>) {
    match key.code {
        KeyCode::Char('s') => {
            model.leave_when_saved = true;
            save(model, effects);
        }
        KeyCode::Char('k') => effects.push(Effect::Quit),
        KeyCode::Char('d') => effects.extend([Effect::ClearDraft, Effect::Quit]),
        KeyCode::Esc => {}
        _ => model.mode = Mode::Leaving,
    }
}

// ---- time

fn end(model: &Model) -> f64 {
    model.told.as_ref().map_or(0.0, |told| told.chart.end)
}

fn set_time(model: &mut Model, seconds: f64) {
    model.time = seconds.clamp(0.0, end(model));
}

fn shift_time(model: &mut Model, seconds: f64) {
    model.playing = false;
    // On the grid of the shift, so that steps back and ahead meet.
    let grid = seconds.abs();
    set_time(model, ((model.time + seconds) / grid).round() * grid);
}

fn play(model: &mut Model) {
    model.playing = !model.playing && model.told.is_some();
    if model.playing && model.time >= end(model) - 1e-6 {
        model.time = 0.0;
    }
}

fn on_tick(model: &mut Model, seconds: f64) {
    if !model.playing {
        return;
    }
    set_time(model, model.time + seconds * SPEEDS[model.speed]);
    if model.time >= end(model) {
        model.playing = false;
    }
}

fn jump(model: &mut Model, ahead: bool) {
    model.playing = false;
    let Some(told) = &model.told else { return };
    let marks = &told.chart.marks;
    let here = model.time;
    let target = if ahead {
        marks.iter().find(|mark| mark.at > here + 1e-6)
    } else {
        marks.iter().rfind(|mark| mark.at < here - 1e-6)
    };
    if let Some(at) = target.map(|mark| mark.at) {
        // All that happened at that moment: a step that gives a signal is two things at once.
        let now: Vec<_> = marks.iter().filter(|mark| mark.at == at).collect();
        let wrong = now.iter().any(|mark| mark.kind == MarkKind::Wrong);
        let words: Vec<&str> = now.iter().map(|mark| mark.words.as_str()).collect();
        let told = format!("{at:.2} s: {}", words.join(", "));
        model.time = at;
        model.say(if wrong { Role::Wrong } else { Role::Quiet }, told);
    }
}

fn time_to_step(model: &mut Model) {
    let step = model.step_of_line(model.cursor.line);
    let Some((step, told)) = step.zip(model.told.clone()) else { return };
    model.playing = false;
    match told.chart.bands.iter().find(|band| band.step == step) {
        Some(band) => model.time = band.from,
        None => model.say(Role::Quiet, "this step was not reached in the run"),
    }
}

fn step_of_time(model: &mut Model) {
    let Some(step) = model.active_step() else { return };
    if let Some(line) = model.line_of_step(step) {
        model.cursor = Cursor { line, nth: 0 };
    }
}

fn on_run(model: &mut Model, id: u64, told: Option<Arc<Told>>) {
    if model.pending != Some(id) {
        return;
    }
    model.pending = None;
    let Some(told) = told else { return };
    let was_at_end = model.told.is_none() || model.time >= end(model) - 1e-6;
    if let Some(before) = model.told.replace(told) {
        let told = model.told.as_ref().expect("just put there");
        model.change = change_words((&before.run, &before.program), (&told.run, &told.program));
        model.ghost = Some(before);
    }
    model.gather();
    set_time(model, if was_at_end { f64::INFINITY } else { model.time });
}

// ---- mouse

fn on_mouse(model: &mut Model, mouse: MouseEvent) {
    let Some(areas) = model.areas() else { return };
    if !matches!(model.mode, Mode::Browse) {
        return;
    }
    let at = Position::new(mouse.column, mouse.row);
    let over = |area: Rect| area.contains(at);
    match mouse.kind {
        MouseEventKind::Down(MouseButton::Left) if over(areas.text) => {
            if let Some((line, column)) = view::text::place(model, areas.text, at) {
                click_line(model, line, column);
            }
        }
        MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left) if over(areas.chart) => {
            model.playing = false;
            if let Some(time) = view::chart::time_at(areas.chart, end(model), mouse.column) {
                set_time(model, time);
            }
        }
        MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left) if over(areas.field) => {
            model.playing = false;
            if let Some(time) = view::field::time_at(model, areas.field, at) {
                set_time(model, time);
            }
        }
        MouseEventKind::ScrollDown if over(areas.text) => move_line(model, true),
        MouseEventKind::ScrollUp if over(areas.text) => move_line(model, false),
        MouseEventKind::ScrollDown => shift_time(model, 0.1),
        MouseEventKind::ScrollUp => shift_time(model, -0.1),
        _ => {}
    }
}

/// Puts the cursor on the slot at a byte of a line, or on the nearest one.
fn click_line(model: &mut Model, line: usize, byte: usize) {
    let at = model.lines()[line].span.start + byte;
    let gap = |span: &std::ops::Range<usize>| {
        if span.contains(&at) { 0 } else { span.start.abs_diff(at).min(span.end.abs_diff(at)) }
    };
    let nearest = model.slots_on(line).enumerate().min_by_key(|(_, (_, slot))| gap(&slot.span));
    model.cursor = Cursor { line, nth: nearest.map_or(0, |(nth, _)| nth) };
}

/// Scrolls the mission so that the cursor, or while playing the active step, is in sight.
fn follow(model: &mut Model) {
    let Some(areas) = model.areas().filter(|areas| areas.text.height > 0) else { return };
    let height = usize::from(areas.text.height);
    let rows = model.rows();
    let mut wanted = model.cursor.line;
    if model.playing {
        wanted = model.active_step().and_then(|step| model.line_of_step(step)).unwrap_or(wanted);
    }
    let of_line = |line: usize| rows.iter().position(|row| *row == Row::Line(line)).unwrap_or(0);
    let first = of_line(wanted);
    // What hangs below the line should be seen with it: findings, or the rest of its step.
    let header = model.lines().get(wanted).is_some_and(|line| matches!(line.kind, LineKind::Step | LineKind::Reflex));
    let mut last = if header { first + 4 } else { first };
    while matches!(rows.get(last + 1), Some(Row::Finding(..) | Row::Fresh)) {
        last += 1;
    }
    let last = last.min(rows.len().saturating_sub(1));
    if model.scroll + height <= last + 1 {
        model.scroll = (last + 2).saturating_sub(height);
    }
    model.scroll =
        model.scroll.min(first.saturating_sub(usize::from(first > 0))).min(rows.len().saturating_sub(height));
}
