//! A list to choose from by typing a few letters of what is meant: behaviours, conditions, words,
//! commands, steps.

use std::cell::OnceCell;
use std::ops::Range;
use std::sync::Arc;

use tui_input::Input;
use wayodos_core::mission::edit::Edit;
use wayodos_core::record::Act;

use super::keymap::Action;
use super::search::{Index, Row, search};
use crate::against::Other;
use crate::leagues::Who;
use crate::shelf::Change;

/// What is asked for in one line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Question {
    /// A name for the amount in the slot under the cursor.
    Amount,
    /// A name for the routine that the step under the cursor becomes.
    Routine,
    /// How far ahead a box is put down by hand.
    Box,
    /// The pose at which the step under the cursor begins.
    Pose,
    /// Which of the many runs is shown.
    Run,
    /// A name for a new mission.
    Mission,
    /// A name for the copy of the file that is marked.
    CopyName,
    /// Another name for the file that is marked.
    NewName,
    /// Words that entries of the logbook must have.
    Search,
    /// A note beside the marked entry of the logbook.
    Note,
    /// A note beside what is written into the logbook now.
    Mark,
    /// A name for a file that begins as one of the demo's.
    Begin(&'static str),
}

/// What choosing a row does.
#[derive(Clone, Debug)]
pub enum Pick {
    /// The mission's text is this then; it is tried while the row is marked.
    Text(String),
    /// A text that is tried while the row is marked, and never taken.
    Look(String),
    /// The same as [`Pick::Text`], for the text that there was when the list was opened with this change in it.
    Edit(Edit),
    /// What a key would do.
    Do(Action),
    /// The cursor goes to a line.
    Line(usize),
    /// Something is done by hand at the time cursor.
    Hand(Act),
    /// Nothing is done by hand any more.
    NoHands,
    /// What is done by hand is written to a file.
    KeepHands,
    /// A track of the chart is shown, or is not.
    Track(String),
    /// The mission is compared with something else, or with the text before again.
    Against(Option<Box<Other>>),
    /// Somebody plays in the league, or does not any more.
    Play(Box<Who>),
    /// Another mission is opened.
    Mission(String),
    /// A text of the project is shown, by its path.
    Show(String),
    /// A mission plays with another robot, field or calibration.
    Assign(Change),
    /// A question is asked.
    Ask(Question),
    /// The slot under the cursor is typed into.
    Slot,
}

/// A row.
#[derive(Clone, Debug)]
pub struct Item {
    /// What it is called.
    pub title: String,
    /// The sentence, word or key.
    pub text: String,
    /// What it does, in one sentence.
    pub what: String,
    /// Words and phrases by which people look for it, with commas between them.
    pub plain: String,
    /// The slots of the sentence.
    pub slots: Vec<Range<usize>>,
    /// What choosing it does.
    pub pick: Pick,
}

impl Item {
    /// A row without slots.
    pub fn new(
        title: impl Into<String>,
        text: impl Into<String>,
        what: impl Into<String>,
        pick: Pick,
    ) -> Self {
        Self {
            title: title.into(),
            text: text.into(),
            what: what.into(),
            plain: String::new(),
            slots: Vec::new(),
            pick,
        }
    }

    /// The same, found by these words and phrases too.
    #[must_use]
    pub fn found_by(mut self, plain: impl Into<String>) -> Self {
        self.plain = plain.into();
        self
    }

    fn row(&self) -> Row<'_> {
        Row {
            title: &self.title,
            plain: &self.plain,
            text: &self.text,
            what: &self.what,
        }
    }
}

/// The list, what was typed, and the row that is marked.
#[derive(Clone, Debug)]
pub struct Finder {
    /// What is being chosen.
    pub title: String,
    /// What was typed.
    pub input: Input,
    /// Every row.
    pub items: Vec<Item>,
    /// Those that fit what was typed, best first; when none does, the nearest ones.
    pub shown: Vec<usize>,
    /// None fits what was typed, and those shown are only near it.
    pub only_near: bool,
    /// The marked one of these; none, behind the last, of those that are only near.
    pub at: usize,
    /// A text that comes of a change is laid out in the one way.
    pub lays_out: bool,
    /// The words of the rows, from the first search on.
    index: OnceCell<Arc<Index>>,
}

impl Finder {
    /// A list; `mark` is the row that is marked first.
    pub fn new(title: impl Into<String>, items: Vec<Item>, mark: usize) -> Self {
        let shown = (0..items.len()).collect();
        Self {
            title: title.into(),
            input: Input::default(),
            items,
            shown,
            only_near: false,
            at: mark,
            lays_out: false,
            index: OnceCell::new(),
        }
    }

    /// The same; a text that comes of a change is laid out in the one way, or is not.
    #[must_use]
    pub fn lays_out(self, lays_out: bool) -> Self {
        Self { lays_out, ..self }
    }

    /// The marked row.
    pub fn item(&self) -> Option<&Item> {
        self.shown.get(self.at).map(|index| &self.items[*index])
    }

    /// The rows say something else now, or stand in another order.
    pub fn reword(&mut self) {
        self.index.take();
    }

    /// Chooses the rows again after typing.
    pub fn sift(&mut self) {
        let typed = self.input.value().trim().to_owned();
        (self.at, self.only_near) = (0, false);
        if typed.is_empty() {
            self.shown = (0..self.items.len()).collect();
            return;
        }
        let rows: Vec<Row<'_>> = self.items.iter().map(Item::row).collect();
        let index = self
            .index
            .get_or_init(|| Arc::new(Index::new(rows.iter().copied())));
        let found = search(&typed, index, &rows);
        (self.shown, self.only_near) = (found.rows, found.only_near);
        if self.only_near {
            self.at = self.shown.len();
        }
    }

    /// Marks a row this many further down, round the end.
    pub fn step(&mut self, by: isize) {
        let count = self.shown.len() as isize;
        if self.at == self.shown.len() {
            // Up from none is the last one, as round the end.
            self.at = if by > 0 {
                0
            } else {
                self.shown.len().saturating_sub(1)
            };
        } else if count > 0 {
            self.at = (self.at as isize + by).rem_euclid(count) as usize;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_slip_of_the_finger_is_forgiven_and_what_is_only_near_is_not_marked() {
        let mut finder = finder();
        let title = |finder: &Finder| finder.item().map(|item| item.title.clone());
        finder.input = Input::new("sqaure".into());
        finder.sift();
        assert_eq!(title(&finder).as_deref(), Some("Square up"));
        // Two letters wrong of six: perhaps, perhaps not.
        finder.input = Input::new("sqiire".into());
        finder.sift();
        assert!(
            finder.only_near && finder.item().is_none() && finder.shown == [2],
            "{:?}",
            finder.shown
        );
        finder.step(-1);
        assert_eq!(title(&finder).as_deref(), Some("Square up"));
        finder.input = Input::new("qqqq".into());
        finder.sift();
        assert!(finder.shown.is_empty() && finder.item().is_none());
        finder.step(1);
        finder.input = Input::new("spin".into());
        finder.sift();
        assert!(!finder.only_near && finder.item().is_some_and(|item| item.title == "Spin"));
    }

    fn finder() -> Finder {
        let items = [
            (
                "Drive ahead",
                "drive ahead at 30 %",
                "Drives straight ahead for a way.",
            ),
            ("Spin", "spin left at 22 %", "Turns on the spot."),
            (
                "Square up",
                "align floor-left and floor-right to a dark line",
                "Each wheel drives on its own.",
            ),
        ];
        let items = items.map(|(title, text, what)| Item::new(title, text, what, Pick::Line(0)));
        Finder::new("x", items.to_vec(), 0)
    }

    #[test]
    fn a_few_letters_find_what_is_meant_and_names_come_first() {
        let mut finder = finder();
        for (typed, titles) in [
            ("", vec!["Drive ahead", "Spin", "Square up"]),
            ("sp", vec!["Spin"]),
            ("align", vec!["Square up"]),
            ("drv", vec!["Drive ahead"]),
            ("turns", vec!["Spin"]),
            ("zzz", vec![]),
        ] {
            finder.input = Input::new(typed.to_owned());
            finder.sift();
            let found: Vec<&str> = finder
                .shown
                .iter()
                .map(|index| finder.items[*index].title.as_str())
                .collect();
            assert_eq!(found[..titles.len().min(found.len())], titles, "{typed}");
            assert_eq!(finder.item().is_none(), titles.is_empty());
        }
    }

    #[test]
    fn the_mark_goes_round_the_ends() {
        let mut finder = finder();
        finder.step(-1);
        assert_eq!(finder.at, 2);
        finder.step(1);
        assert_eq!(finder.at, 0);
        finder.shown.clear();
        finder.step(1);
        assert!(finder.item().is_none());
    }
}
