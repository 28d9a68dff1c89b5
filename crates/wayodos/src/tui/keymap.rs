//! Which key does what: one table for input, the hint line and the help.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// What a key can ask for while moving through the mission.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs, reason = "each is described in the table below, in the words that people read")]
pub enum Action {
    SlotLeft,
    SlotRight,
    LineUp,
    LineDown,
    StepUp,
    StepDown,
    NudgeUp,
    NudgeDown,
    FineUp,
    FineDown,
    Open,
    EditLine,
    NewLine,
    DeleteLine,
    Undo,
    Redo,
    Save,
    Export,
    NextFinding,
    Play,
    Faster,
    TimeBack,
    TimeAhead,
    TimeFarBack,
    TimeFarAhead,
    EventBack,
    EventAhead,
    RunStart,
    RunEnd,
    TimeToStep,
    StepOfTime,
    Zoom,
    Read,
    Help,
    Quit,
}

/// A row of the table.
pub struct Binding {
    /// Keys, in the order they are shown.
    keys: &'static [(KeyCode, KeyModifiers)],
    /// What they ask for.
    pub action: Action,
    /// The keys as the help writes them.
    pub label: &'static str,
    /// What happens.
    pub what: &'static str,
    /// A few words for the hint line; none when it is not shown there.
    pub hint: Option<&'static str>,
}

/// A heading of the help, with its rows.
pub struct Group {
    /// The heading.
    pub title: &'static str,
    /// Its rows.
    pub rows: &'static [Binding],
}

const NO: KeyModifiers = KeyModifiers::NONE;
const CTRL: KeyModifiers = KeyModifiers::CONTROL;

macro_rules! row {
    ($action:ident, $label:literal, $what:literal, $hint:expr, $($key:expr),+) => {
        Binding { keys: &[$($key),+], action: Action::$action, label: $label, what: $what, hint: $hint }
    };
}

const fn char(c: char) -> (KeyCode, KeyModifiers) {
    (KeyCode::Char(c), NO)
}

const fn key(code: KeyCode) -> (KeyCode, KeyModifiers) {
    (code, NO)
}

/// All keys of the main screen.
pub const GROUPS: &[Group] = &[
    Group {
        title: "Move",
        rows: &[
            row!(SlotLeft, "Left", "slot to the left", None, key(KeyCode::Left)),
            row!(SlotRight, "Right", "slot to the right", None, key(KeyCode::Right)),
            row!(LineUp, "Up", "line above", None, key(KeyCode::Up)),
            row!(LineDown, "Down", "line below", None, key(KeyCode::Down)),
            row!(StepDown, "Tab", "next step", None, key(KeyCode::Tab)),
            row!(StepUp, "Shift Tab", "step before", None, key(KeyCode::BackTab)),
            row!(NextFinding, "n", "next finding", None, char('n')),
        ],
    },
    Group {
        title: "Change",
        rows: &[
            row!(NudgeUp, "+", "more, or the next word", Some("more"), char('+'), char('=')),
            row!(NudgeDown, "-", "less, or the word before", Some("less"), char('-'), char('_')),
            row!(FineUp, ".", "a little more", None, char('.')),
            row!(FineDown, ",", "a little less", None, char(',')),
            row!(Open, "Enter", "type or choose (or a digit)", Some("type or choose"), key(KeyCode::Enter)),
            row!(EditLine, "e", "edit the whole line", None, char('e')),
            row!(NewLine, "o", "new line below", None, char('o')),
            row!(DeleteLine, "d", "take the line out", None, char('d')),
            row!(Undo, "u", "undo", Some("undo"), char('u'), (KeyCode::Char('z'), CTRL)),
            row!(Redo, "r", "redo", None, char('r'), (KeyCode::Char('y'), CTRL)),
        ],
    },
    Group {
        title: "Time",
        rows: &[
            row!(Play, "Space", "play and pause", Some("play"), char(' ')),
            row!(Faster, "f", "play 1, 4 or 16 times as fast", None, char('f')),
            row!(TimeBack, "[", "0.1 s back", None, char('[')),
            row!(TimeAhead, "]", "0.1 s ahead", None, char(']')),
            row!(TimeFarBack, "{", "1 s back", None, char('{')),
            row!(TimeFarAhead, "}", "1 s ahead", None, char('}')),
            row!(EventBack, "PgUp", "event before", None, key(KeyCode::PageUp)),
            row!(EventAhead, "PgDn", "next event", Some("next event"), key(KeyCode::PageDown)),
            row!(RunStart, "Home", "start of the run", None, key(KeyCode::Home)),
            row!(RunEnd, "End", "end of the run", None, key(KeyCode::End)),
            row!(TimeToStep, "t", "time to this step's start", None, char('t')),
            row!(StepOfTime, "g", "cursor to this time's step", None, char('g')),
        ],
    },
    Group {
        title: "Keep and show",
        rows: &[
            row!(Save, "s", "save", Some("save"), char('s'), (KeyCode::Char('s'), CTRL)),
            row!(Export, "x", "draw it: SVG and PDF", None, char('x')),
            row!(Zoom, "z", "zoom one pane", None, char('z')),
            row!(Read, "w", "the mission in words", Some("in words"), char('w')),
            row!(Help, "?", "these keys", Some("keys"), char('?'), key(KeyCode::F(1))),
            row!(Quit, "q", "leave", Some("leave"), char('q'), (KeyCode::Char('c'), CTRL)),
        ],
    },
];

/// What a key asks for.
pub fn action(event: KeyEvent) -> Option<Action> {
    // Shift is part of the character itself.
    let modifiers = event.modifiers.difference(KeyModifiers::SHIFT);
    rows().find(|row| row.keys.contains(&(event.code, modifiers))).map(|row| row.action)
}

/// Every row of the table.
pub fn rows() -> impl Iterator<Item = &'static Binding> {
    GROUPS.iter().flat_map(|group| group.rows)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_has_two_meanings() {
        let mut seen = Vec::new();
        for key in rows().flat_map(|row| row.keys) {
            assert!(!seen.contains(&key), "{key:?}");
            seen.push(key);
        }
    }

    #[test]
    fn shift_does_not_hide_a_sign() {
        let plus = KeyEvent::new(KeyCode::Char('+'), KeyModifiers::SHIFT);
        assert_eq!(action(plus), Some(Action::NudgeUp));
        assert_eq!(action(KeyEvent::new(KeyCode::Char('s'), CTRL)), Some(Action::Save));
        assert_eq!(action(KeyEvent::new(KeyCode::Char('j'), NO)), None);
    }
}
