//! Which key does what: one table for input, the hint line, the help and the palette.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// A screen: each has its own keys, state and look.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ScreenName {
    /// The mission, its run and why.
    Mission,
    /// The files of the project.
    Project,
    /// What was tried so far, and what came of it.
    Logbook,
    /// Who beats whom.
    League,
}

impl ScreenName {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Mission, Self::Project, Self::Logbook, Self::League];
}

/// What a key can ask for while moving through the mission.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(
    missing_docs,
    reason = "each is described in the table below, in the words that people read"
)]
pub enum Action {
    SlotLeft,
    SlotRight,
    LineUp,
    LineDown,
    StepUp,
    StepDown,
    GoToStep,
    FindText,
    NextFinding,
    NextPane,
    NudgeUp,
    NudgeDown,
    FineUp,
    FineDown,
    Open,
    NameAmount,
    WriteOut,
    Convert,
    AddStep,
    AddAbove,
    AddExit,
    AddReflex,
    Mark,
    Cut,
    TakeCopy,
    Paste,
    Copy,
    Link,
    Delete,
    MoveUp,
    MoveDown,
    Wrap,
    Extract,
    Mirror,
    Comment,
    Split,
    Join,
    Free,
    Editor,
    Undo,
    Redo,
    Play,
    Faster,
    Slower,
    TimeBack,
    TimeAhead,
    TimeFarBack,
    TimeFarAhead,
    TickBack,
    TickAhead,
    EventBack,
    EventAhead,
    StepBack,
    StepAhead,
    RunStart,
    RunEnd,
    TimeToStep,
    StepOfTime,
    Pin,
    FromHere,
    FromPose,
    ToHere,
    Break,
    Hands,
    OtherRun,
    Why,
    Track,
    Map,
    Findings,
    Score,
    Robot,
    Spread,
    Fan,
    Sweep,
    Grid,
    Tune,
    Tracks,
    ZoomIn,
    ZoomOut,
    Fit,
    Follow,
    Full,
    Pixels,
    Read,
    Save,
    Export,
    OpenMission,
    Texts,
    BackToMission,
    NewMission,
    Palette,
    Help,
    Quit,
    ToMission,
    ToProject,
    FileUp,
    FileDown,
    PageUp,
    PageDown,
    FirstFile,
    LastFile,
    NextKind,
    KindBefore,
    OpenFile,
    AddFile,
    CopyFile,
    RenameFile,
    TakeAway,
    PickRobot,
    PickField,
    PickCalibration,
    OpenFirst,
    EditFile,
    Starts,
    Compare,
    CompareEntry,
    ToLogbook,
    MarkRun,
    EntryUp,
    EntryDown,
    EntriesUp,
    EntriesDown,
    Newest,
    Oldest,
    SearchBook,
    BringBack,
    StarEntry,
    NoteEntry,
    PinEntry,
    ExportBook,
    ToLeague,
    TeamUp,
    TeamDown,
    OtherBefore,
    OtherNext,
    ShowMatch,
    PickTeams,
    PlayEntry,
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
    /// A word or three for the hint line.
    pub hint: &'static str,
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
const SHIFT: KeyModifiers = KeyModifiers::SHIFT;

macro_rules! row {
    ($action:ident, $label:literal, $what:literal, $hint:literal, $($key:expr),*) => {
        Binding { keys: &[$($key),*], action: Action::$action, label: $label, what: $what, hint: $hint }
    };
}

const fn char(c: char) -> (KeyCode, KeyModifiers) {
    (KeyCode::Char(c), NO)
}

const fn key(code: KeyCode) -> (KeyCode, KeyModifiers) {
    (code, NO)
}

const fn ctrl(c: char) -> (KeyCode, KeyModifiers) {
    (KeyCode::Char(c), CTRL)
}

/// All keys of the mission screen.
const MISSION: &[Group] = &[
    Group {
        title: "Move",
        rows: &[
            row! { SlotLeft, "Left", "slot to the left", "slot", key(KeyCode::Left) },
            row! { SlotRight, "Right", "slot to the right", "slot", key(KeyCode::Right) },
            row! { LineUp, "Up", "line above", "line", key(KeyCode::Up) },
            row! { LineDown, "Down", "line below", "line", key(KeyCode::Down) },
            row! { StepDown, "Tab", "next step (or section)", "next step", key(KeyCode::Tab) },
            row! { StepUp, "Shift Tab", "previous step (or section)", "previous step", key(KeyCode::BackTab) },
            row! { GoToStep, "J", "go to a step by name or number", "go to step", char('J') },
            row! { FindText, "S", "find words in the text", "find in text", char('S'), ctrl('f') },
            row! { NextFinding, "n", "next finding", "next finding", char('n') },
            row! { NextPane, "v", "move to the next pane (Esc: text)", "next pane", char('v') },
        ],
    },
    Group {
        title: "Write",
        rows: &[
            row! { AddStep, "a", "add a step below, or a value", "add", char('a') },
            row! { AddAbove, "A", "add a step above", "add above", char('A') },
            row! { AddExit, "o", "add an exit to this step", "add an exit", char('o') },
            row! { AddReflex, "R", "add a reflex", "add a reflex", char('R') },
            row! { Copy, "c", "copy the step", "copy", char('c') },
            row! { Link, "C", "linked copy of the step", "linked copy", char('C') },
            row! { Mark, "*", "mark several lines or steps", "mark", char('*') },
            row! { Cut, "Ctrl x", "cut, to put it elsewhere", "cut", ctrl('x') },
            row! { TakeCopy, "Ctrl k", "copy, to put it elsewhere", "copy elsewhere", ctrl('k') },
            row! { Paste, "Ctrl v", "put it here, from any mission", "put here", ctrl('v') },
            row! { Delete, "d", "delete the step, exit or line", "delete", char('d'), key(KeyCode::Delete) },
            row! { MoveUp, "<", "move step or exit up", "up", char('<'), (KeyCode::Up, SHIFT) },
            row! { MoveDown, ">", "move step or exit down", "down", char('>'), (KeyCode::Down, SHIFT) },
            row! { Wrap, "b", "put the step into a repeat", "repeat it", char('b') },
            row! { Extract, "B", "make the step a routine", "make a routine", char('B') },
            row! { Mirror, "i", "swap left and right in the step", "mirror", char('i') },
            row! { Comment, "#", "comment out, and back", "comment", char('#') },
            row! { Split, "k", "split the step at this time", "split", char('k') },
            row! { Join, "j", "join the step with the next", "join", char('j') },
            row! { Free, "e", "type freely into the text", "type freely", char('e') },
            row! { Editor, "E", "open the text in $EDITOR", "$EDITOR", char('E') },
            row! { Undo, "u", "undo", "undo", char('u'), ctrl('z') },
            row! { Redo, "r", "redo", "redo", char('r'), ctrl('y') },
        ],
    },
    Group {
        title: "Slot",
        rows: &[
            row! { NudgeUp, "+", "more, or the next word", "more", char('+'), char('=') },
            row! { NudgeDown, "-", "less, or the previous word", "less", char('-'), char('_') },
            row! { FineUp, ".", "a little more", "a little more", char('.') },
            row! { FineDown, ",", "a little less", "a little less", char(',') },
            row! { Open, "Enter", "type or choose (or a digit)", "type or choose", key(KeyCode::Enter) },
            row! { NameAmount, "l", "give the amount a name", "name it", char('l') },
            row! { WriteOut, "L", "replace the name by its value", "write it out", char('L') },
            row! { Tune, "^", "search all safe spans for the best", "tune", char('^') },
            row! { Sweep, "~", "try it over a span: where it holds", "where it holds", char('~') },
            row! { Grid, ":", "with the number swept before, both", "two numbers", char(':') },
            row! { Convert, ";", "the same in another unit", "other unit", char(';') },
        ],
    },
    Group {
        title: "Time",
        rows: &[
            row! { Play, "Space", "play and pause", "play", char(' ') },
            row! { Faster, "f", "faster: up to 60 times", "faster", char('f') },
            row! { Slower, "F", "slower: down to a tenth", "slower", char('F') },
            row! { TimeBack, "[", "0.1 s back", "back", char('[') },
            row! { TimeAhead, "]", "0.1 s ahead", "ahead", char(']') },
            row! { TimeFarBack, "{", "1 s back", "1 s back", char('{') },
            row! { TimeFarAhead, "}", "1 s ahead", "1 s ahead", char('}') },
            row! { TickBack, "\"", "one control tick back", "tick back", char('"') },
            row! { TickAhead, "'", "one control tick ahead", "tick", char('\'') },
            row! { StepBack, "(", "previous step in time", "previous step", char('(') },
            row! { StepAhead, ")", "next step in time", "next step", char(')') },
            row! { EventBack, "PgUp", "previous event", "previous event", key(KeyCode::PageUp) },
            row! { EventAhead, "PgDn", "next event", "next event", key(KeyCode::PageDown) },
            row! { RunStart, "Home", "start of the run", "start", key(KeyCode::Home) },
            row! { RunEnd, "End", "end of the run", "end", key(KeyCode::End) },
            row! { TimeToStep, "t", "go to the time this step starts", "time here", char('t') },
            row! { StepOfTime, "g", "go to the step active now", "active step", char('g') },
            row! { Pin, "|", "second time cursor, to measure", "pin", char('|') },
        ],
    },
    Group {
        title: "Pieces",
        rows: &[
            row! { FromHere, "p", "run from this step on, and back", "run from here", char('p') },
            row! { FromPose, "P", "run from here, from a pose", "from a pose", char('P') },
            row! { ToHere, "T", "run only up to this step", "run to here", char('T') },
            row! { Break, "!", "pause before this step", "stop here", char('!') },
            row! { OtherRun, "U", "another run, as chance has it", "another run", char('U') },
            row! { Hands, "h", "do something by hand at this time", "by hand", char('h') },
        ],
    },
    Group {
        title: "See",
        rows: &[
            row! { Why, "y", "why an exit fired or not", "why", char('y') },
            row! { Spread, "%", "how often it holds, and why not", "does it hold?", char('%') },
            row! { Starts, "$", "from every start, and in every case", "every start", char('$') },
            row! { Compare, "@", "compare with another version", "compare", char('@') },
            row! { Fan, "&", "show or hide the many runs", "many runs", char('&') },
            row! { Track, "K", "what a sensor meets on its track", "track", char('K') },
            row! { Map, "m", "map of steps and exits", "map", char('m') },
            row! { Findings, "N", "all findings, with fixes", "findings", char('N') },
            row! { Robot, "F6", "what the robot can do", "robot", key(KeyCode::F(6)) },
            row! { Score, "V", "points of the run, line by line", "score", char('V') },
            row! { Tracks, "H", "choose what the chart shows", "tracks", char('H') },
            row! { ZoomIn, "Z", "zoom in: field, or chart in time", "zoom in", char('Z') },
            row! { ZoomOut, "X", "zoom out", "zoom out", char('X') },
            row! { Fit, "0", "zoom to fit (field or chart)", "zoom to fit", },
            row! { Follow, "G", "field follows the robot", "follow", char('G') },
            row! { Pixels, "I", "field in pixels or block characters", "pixels", char('I') },
            row! { Full, "z", "one pane on the whole screen", "whole screen", char('z') },
            row! { Read, "w", "the mission in words, with notes", "in words", char('w') },
        ],
    },
    Group {
        title: "Keep",
        rows: &[
            row! { Save, "s", "save", "save", char('s'), ctrl('s') },
            row! { Export, "x", "export as SVG and PDF", "export", char('x') },
            row! { OpenMission, "O", "open another mission", "open", char('O') },
            row! { Texts, "D", "open robot, field or other text", "robot, field", char('D') },
            row! { BackToMission, "Esc", "to the mission; to the nominal run", "mission", },
            row! { NewMission, "M", "create a new mission", "new mission", char('M') },
            row! { ToProject, "W", "the project: all its files", "project", char('W'), key(KeyCode::F(3)) },
            row! { ToLogbook, "Y", "the logbook: what was tried so far", "logbook", char('Y'), key(KeyCode::F(4)) },
            row! { ToLeague, "F5", "the league: who beats whom", "league", key(KeyCode::F(5)) },
            row! { MarkRun, "Q", "write it into the logbook", "write it down", char('Q') },
            row! { Palette, "/", "find any of these by name", "find", char('/'), ctrl('p') },
            row! { Help, "?", "help: all keys", "help", char('?'), key(KeyCode::F(1)) },
            row! { Quit, "q", "quit", "quit", char('q'), ctrl('c') },
        ],
    },
];

/// All keys of the project screen.
const PROJECT: &[Group] = &[
    Group {
        title: "Move",
        rows: &[
            row! { FileUp, "Up", "file above", "file", key(KeyCode::Up) },
            row! { FileDown, "Down", "file below", "file", key(KeyCode::Down) },
            row! { NextKind, "Tab", "next kind of file", "next kind", key(KeyCode::Tab) },
            row! { KindBefore, "Shift Tab", "previous kind of file", "previous kind", key(KeyCode::BackTab) },
            row! { PageUp, "PgUp", "a page up", "page up", key(KeyCode::PageUp) },
            row! { PageDown, "PgDn", "a page down", "page down", key(KeyCode::PageDown) },
            row! { FirstFile, "Home", "first file", "first", key(KeyCode::Home) },
            row! { LastFile, "End", "last file", "last", key(KeyCode::End) },
        ],
    },
    Group {
        title: "This file",
        rows: &[
            row! { OpenFile, "Enter", "open it; from the bin: give back", "open", key(KeyCode::Enter) },
            row! { EditFile, "E", "open its text in $EDITOR", "$EDITOR", char('E') },
            row! { CopyFile, "c", "copy it", "copy", char('c') },
            row! { RenameFile, "r", "rename it, and whoever names it", "rename", char('r') },
            row! { TakeAway, "d", "put it into the bin", "take away", char('d'), key(KeyCode::Delete) },
        ],
    },
    Group {
        title: "This mission",
        rows: &[
            row! { PickRobot, "R", "choose its robot", "robot", char('R') },
            row! { PickField, "F", "choose its field", "field", char('F') },
            row! { PickCalibration, "C", "choose its calibration", "calibration", char('C') },
            row! { OpenFirst, "f", "open it first from now on", "open first", char('f') },
        ],
    },
    Group {
        title: "The project",
        rows: &[
            row! { ToLogbook, "Y", "the logbook: what was tried so far", "logbook", char('Y'), key(KeyCode::F(4)) },
            row! { AddFile, "a", "add a mission, robot or field", "add", char('a') },
            row! { Save, "s", "save the mission", "save", char('s'), ctrl('s') },
            row! { ToMission, "W", "back to the mission", "mission", char('W'), key(KeyCode::F(2)), key(KeyCode::Esc) },
            row! { Palette, "/", "find any of these by name", "find", char('/'), ctrl('p') },
            row! { Help, "?", "help: all keys", "help", char('?'), key(KeyCode::F(1)) },
            row! { Quit, "q", "quit", "quit", char('q'), ctrl('c') },
        ],
    },
];

/// All keys of the logbook.
const LOGBOOK: &[Group] = &[
    Group {
        title: "Move",
        rows: &[
            row! { EntryUp, "Up", "entry above: newer", "entry", key(KeyCode::Up) },
            row! { EntryDown, "Down", "entry below: older", "entry", key(KeyCode::Down) },
            row! { EntriesUp, "PgUp", "a page up", "page up", key(KeyCode::PageUp) },
            row! { EntriesDown, "PgDn", "a page down", "page down", key(KeyCode::PageDown) },
            row! { Newest, "Home", "newest entry", "newest", key(KeyCode::Home) },
            row! { Oldest, "End", "oldest entry", "oldest", key(KeyCode::End) },
            row! { SearchBook, "S", "only entries with some words", "search", char('S'), ctrl('f') },
        ],
    },
    Group {
        title: "This entry",
        rows: &[
            row! { BringBack, "Enter", "bring its text back", "bring it back", key(KeyCode::Enter) },
            row! { PinEntry, "|", "compare others with it, and back", "pin", char('|') },
            row! { CompareEntry, "@", "compare the open mission with it", "compare", char('@') },
            row! { PlayEntry, "p", "let it play in the league", "let it play", char('p') },
            row! { StarEntry, "*", "star it, and back", "star", char('*') },
            row! { NoteEntry, "e", "write a note beside it", "note", char('e') },
        ],
    },
    Group {
        title: "The logbook",
        rows: &[
            row! { ExportBook, "x", "write the list as a table (CSV)", "table", char('x') },
            row! { ToMission, "Y", "back to the mission", "mission", char('Y'), key(KeyCode::F(2)), key(KeyCode::Esc) },
            row! { ToProject, "W", "the project: all its files", "project", char('W'), key(KeyCode::F(3)) },
            row! { Palette, "/", "find any of these by name", "find", char('/'), ctrl('p') },
            row! { Help, "?", "help: all keys", "help", char('?'), key(KeyCode::F(1)) },
            row! { Quit, "q", "quit", "quit", char('q'), ctrl('c') },
        ],
    },
];

/// All keys of the league.
const LEAGUE: &[Group] = &[
    Group {
        title: "Move",
        rows: &[
            row! { TeamUp, "Up", "team above", "team", key(KeyCode::Up) },
            row! { TeamDown, "Down", "team below", "team", key(KeyCode::Down) },
            row! { OtherBefore, "Left", "against the one before", "against whom", key(KeyCode::Left) },
            row! { OtherNext, "Right", "against the next one", "against whom", key(KeyCode::Right) },
        ],
    },
    Group {
        title: "The league",
        rows: &[
            row! { ShowMatch, "Enter", "show the match that decided", "show a match", key(KeyCode::Enter) },
            row! { PickTeams, "a", "choose who plays", "who plays", char('a') },
            row! { Export, "x", "export as SVG and PDF", "export", char('x') },
            row! { ToMission, "Esc", "back to the mission", "mission", key(KeyCode::Esc), key(KeyCode::F(2)), key(KeyCode::F(5)) },
            row! { ToLogbook, "Y", "the logbook: what was tried so far", "logbook", char('Y'), key(KeyCode::F(4)) },
            row! { ToProject, "W", "the project: all its files", "project", char('W'), key(KeyCode::F(3)) },
            row! { Palette, "/", "find any of these by name", "find", char('/'), ctrl('p') },
            row! { Help, "?", "help: all keys", "help", char('?'), key(KeyCode::F(1)) },
            row! { Quit, "q", "quit", "quit", char('q'), ctrl('c') },
        ],
    },
];

/// The keys of a screen, in groups.
pub const fn groups(screen: ScreenName) -> &'static [Group] {
    match screen {
        ScreenName::Mission => MISSION,
        ScreenName::Project => PROJECT,
        ScreenName::Logbook => LOGBOOK,
        ScreenName::League => LEAGUE,
    }
}

/// What a key asks for on a screen.
pub fn action(screen: ScreenName, event: KeyEvent) -> Option<Action> {
    // Shift is part of a character itself.
    let modifiers = match event.code {
        KeyCode::Char(_) | KeyCode::BackTab => event.modifiers.difference(SHIFT),
        _ => event.modifiers,
    };
    rows(screen)
        .find(|row| row.keys.contains(&(event.code, modifiers)))
        .map(|row| row.action)
}

/// Every row of a screen's table.
pub fn rows(screen: ScreenName) -> impl Iterator<Item = &'static Binding> {
    groups(screen).iter().flat_map(|group| group.rows)
}

/// The row of an action on a screen.
pub fn binding(screen: ScreenName, action: Action) -> Option<&'static Binding> {
    rows(screen).find(|row| row.action == action)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_has_two_meanings() {
        for screen in ScreenName::ALL {
            let mut seen = Vec::new();
            for key in rows(screen).flat_map(|row| row.keys) {
                assert!(!seen.contains(&key), "{screen:?}: {key:?}");
                seen.push(key);
            }
        }
    }

    #[test]
    fn shift_does_not_hide_a_sign() {
        let here = |event| action(ScreenName::Mission, event);
        let plus = KeyEvent::new(KeyCode::Char('+'), SHIFT);
        assert_eq!(here(plus), Some(Action::NudgeUp));
        assert_eq!(
            here(KeyEvent::new(KeyCode::Char('s'), CTRL)),
            Some(Action::Save)
        );
        assert_eq!(
            here(KeyEvent::new(KeyCode::Up, SHIFT)),
            Some(Action::MoveUp)
        );
        assert_eq!(
            here(KeyEvent::new(KeyCode::BackTab, SHIFT)),
            Some(Action::StepUp)
        );
        assert_eq!(here(KeyEvent::new(KeyCode::Char('`'), NO)), None);
    }

    #[test]
    fn what_is_said_of_a_key_fits_its_column() {
        for (screen, row) in ScreenName::ALL
            .into_iter()
            .flat_map(|screen| rows(screen).map(move |row| (screen, row)))
        {
            assert!(
                row.label.len() <= 9 && row.what.len() <= 35,
                "{}: {}",
                row.label,
                row.what
            );
            assert!(
                binding(screen, row.action).is_some_and(|found| found.label == row.label),
                "one row an action"
            );
            assert!(!row.hint.is_empty() && row.hint.len() <= 18, "{}", row.hint);
        }
    }
}
