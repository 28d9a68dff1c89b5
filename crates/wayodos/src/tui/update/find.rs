//! Choosing from lists: what each offers, and what choosing does.

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::backend::crossterm::EventHandler as _;

use super::super::finder::{Finder, Pick};
use super::super::model::{Cursor, Mode, Model};
use super::super::theme::Role;
use super::change::{draft, run_again};
use super::effect::Effect;
use super::lists::{attempt, drop_trial};
use super::{against, ask, hands, league, offers, texts};

pub(super) fn find(
    model: &mut Model,
    key: KeyEvent,
    mut finder: Finder,
    stop: bool,
    effects: &mut Vec<Effect>,
) {
    // Several rows may be called the same.
    let marked = |finder: &Finder| finder.shown.get(finder.at).copied();
    let before = marked(&finder);
    match key.code {
        _ if stop => return leave(model, effects),
        KeyCode::Esc => return leave(model, effects),
        KeyCode::Enter => return take(model, &finder, effects),
        KeyCode::Up => finder.step(-1),
        KeyCode::Down => finder.step(1),
        KeyCode::Tab => finder.step(1),
        KeyCode::BackTab => finder.step(-1),
        KeyCode::PageUp => finder.at = finder.at.saturating_sub(8),
        KeyCode::PageDown => finder.at = (finder.at + 8).min(finder.shown.len().saturating_sub(1)),
        KeyCode::Home => finder.at = 0,
        KeyCode::End => finder.at = finder.shown.len().saturating_sub(1),
        KeyCode::Char('n') if key.modifiers.contains(KeyModifiers::CONTROL) => finder.step(1),
        KeyCode::Char('p') if key.modifiers.contains(KeyModifiers::CONTROL) => finder.step(-1),
        _ => {
            let old = finder.input.value().to_owned();
            finder.input.handle_event(&Event::Key(key));
            if finder.input.value() != old {
                finder.sift();
            }
        }
    }
    if marked(&finder) != before {
        attempt(model, &finder, effects);
    }
    model.mode = Mode::Finding(Box::new(finder));
}

/// Marks a row, or takes the one that is marked already: a click.
pub(super) fn click(model: &mut Model, at: usize, effects: &mut Vec<Effect>) {
    let Mode::Finding(finder) = std::mem::take(&mut model.mode) else {
        return;
    };
    let mut finder = *finder;
    if at >= finder.shown.len() {
        model.mode = Mode::Finding(Box::new(finder));
    } else if finder.at == at {
        take(model, &finder, effects);
    } else {
        finder.at = at;
        attempt(model, &finder, effects);
        model.mode = Mode::Finding(Box::new(finder));
    }
}

fn leave(model: &mut Model, effects: &mut Vec<Effect>) {
    drop_trial(model, effects);
}

fn take(model: &mut Model, finder: &Finder, effects: &mut Vec<Effect>) {
    let Some(item) = finder.item() else {
        drop_trial(model, effects);
        let near = finder.only_near && !finder.shown.is_empty();
        return model.say(
            Role::Quiet,
            if near {
                "no match: mark one of those that are near"
            } else {
                "no match: try another word"
            },
        );
    };
    match item.pick.clone() {
        Pick::Text(_) | Pick::Edit(_) => {
            let tried = model.trial.is_some();
            model.keep_trial();
            // Whatever pane the list was opened from: one goes on where the text was changed.
            model.to_text();
            if tried {
                effects.push(draft(&model.doc));
            }
        }
        Pick::Look(_) => {
            drop_trial(model, effects);
            let words = "a case is only looked at: the mission stays as it is";
            model.say(Role::Quiet, words);
        }
        Pick::Do(action) => model.todo = Some(action),
        Pick::Line(line) => {
            model.doc.cursor = Cursor { line, nth: 0 };
            model.to_text();
        }
        Pick::Hand(hand) => hands::by_hand(model, hand, effects),
        Pick::NoHands => {
            model.set_hands(Vec::new());
            model.say(Role::Quiet, "nothing is done by hand now");
            run_again(model, effects);
        }
        Pick::KeepHands => effects.push(Effect::KeepHands),
        Pick::Track(name) => {
            if !model.chart.toggled.remove(&name) {
                model.chart.toggled.insert(name);
            }
            // One is often not enough.
            let at = finder.at;
            offers::tracks(model);
            if let Mode::Finding(finder) = &mut model.mode {
                finder.at = at.min(finder.shown.len().saturating_sub(1));
            }
        }
        Pick::Play(who) => league::toggle(model, *who, effects),
        Pick::Against(other) => against::begin(model, other.map(|other| *other), effects),
        Pick::Mission(name) => effects.push(Effect::Open(name)),
        Pick::Show(path) => texts::show(model, &path, None, effects),
        Pick::Assign(change) => effects.push(Effect::Arrange(change)),
        Pick::Ask(question) => ask::ask(model, question, ""),
        Pick::Slot => ask::type_into(model),
    }
}
