//! The state of the logbook screen, and what still has to be written into the logbook.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::logbook::{Entry, Reason};

/// Path and text of all that an entry was made of.
pub type EntryFiles = Vec<(String, String)>;

/// The nominal run of a text, as the logbook writes it down.
#[derive(Clone, Debug)]
pub struct Nominal {
    /// The mission's text.
    pub text: Arc<str>,
    /// How it ended, in words.
    pub outcome: String,
    /// Whether it ended as planned.
    pub planned: bool,
    /// Seconds until the mission ended.
    pub seconds: f64,
    /// Its points.
    pub score: Option<f64>,
}

/// Said when something was asked for before that.
pub const BEING_READ: &str = "its text is being read";

/// What can be asked for before the text of an entry is there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wish {
    /// Its text back.
    BringBack,
    /// A comparison with it.
    Compare,
    /// That it plays in the league.
    Play,
}

/// Something that is to be written down once its nominal run is there.
#[derive(Clone, Debug)]
pub struct Owed {
    /// Why.
    pub reason: Reason,
    /// The mission's text.
    pub text: Arc<str>,
    /// What somebody wrote beside it.
    pub note: String,
}

/// The logbook.
#[derive(Clone, Debug, Default)]
pub struct Logbook {
    /// All entries, the newest first.
    pub entries: Vec<Entry>,
    /// They have been asked for, and are there.
    pub read: bool,
    /// The marked one, among those that the search leaves.
    pub at: usize,
    /// How many rows are above the window.
    pub scroll: usize,
    /// Only entries with all these words are shown.
    search: String,
    /// Which entries these are.
    found: Vec<usize>,
    /// The entry that others are compared with, instead of the one before.
    pub pinned: Option<i64>,
    /// What entries were made of, as far as it was looked at.
    pub files: BTreeMap<i64, EntryFiles>,
    /// Of these it has been asked.
    pub asked: BTreeSet<i64>,
    /// What is to be done with an entry as soon as its text is there.
    pub waiting: Option<(i64, Wish)>,
    /// The nominal run that was made last.
    pub nominal: Option<Nominal>,
    /// What is to be written down.
    pub owed: Vec<Owed>,
    /// A text that is brought back once its mission is open: the mission's path, the text, and when
    /// it is of.
    pub bring: Option<(String, String, String)>,
}

/// As many entries' texts are kept at hand.
const AT_HAND: usize = 40;
/// More than so many runs are never owed: who edits on does not want the ones before.
const OWED: usize = 8;

impl Logbook {
    /// The entries that the search leaves, the newest first.
    pub fn shown(&self) -> Vec<&Entry> {
        let found = self.found.iter().filter_map(|at| self.entries.get(*at));
        found.collect()
    }

    /// The words that all entries shown have.
    pub fn search(&self) -> &str {
        &self.search
    }

    /// Shows only entries with all these words.
    pub fn look_for(&mut self, words: &str) {
        words.trim().clone_into(&mut self.search);
        self.sift();
        (self.at, self.scroll) = (0, 0);
    }

    /// Looks once which entries are shown, for there may be thousands.
    fn sift(&mut self) {
        let met = |at: &usize| self.entries[*at].meets(&self.search);
        self.found = (0..self.entries.len()).filter(met).collect();
    }

    /// The marked entry.
    pub fn marked(&self) -> Option<&Entry> {
        self.found.get(self.at).and_then(|at| self.entries.get(*at))
    }

    /// What the marked entry is compared with: the pinned one, or else the one before it of the same
    /// mission.
    pub fn other(&self) -> Option<&Entry> {
        let marked = self.marked()?;
        let pinned = self.pinned.filter(|id| *id != marked.id);
        if let Some(id) = pinned {
            return self.entries.iter().find(|entry| entry.id == id);
        }
        let older = |entry: &&Entry| {
            entry.mission == marked.mission && (entry.at, entry.id) < (marked.at, marked.id)
        };
        self.entries.iter().find(older)
    }

    /// Takes all entries in; the mark stays on its entry.
    pub fn learn(&mut self, entries: Vec<Entry>) {
        let marked = self.marked().map(|entry| entry.id);
        self.entries = entries;
        self.sift();
        self.read = true;
        // The newest stays marked when a newer one comes, if it was.
        let marked = marked.filter(|_| self.at > 0);
        let at = marked.and_then(|id| self.shown().iter().position(|entry| entry.id == id));
        let last = self.found.len().saturating_sub(1);
        self.at = at.unwrap_or(self.at).min(last);
    }

    /// Moves the mark by some rows.
    pub fn step(&mut self, by: isize) {
        let last = self.found.len().saturating_sub(1);
        self.at = self.at.saturating_add_signed(by).min(last);
    }

    /// Keeps the mark in sight.
    pub fn follow(&mut self, height: usize) {
        if self.at < self.scroll {
            self.scroll = self.at;
        } else if self.at >= self.scroll + height {
            self.scroll = self.at + 1 - height;
        }
    }

    /// Something is to be written down.
    pub fn owe(&mut self, reason: Reason, text: Arc<str>, note: String) {
        if self.owed.len() >= OWED {
            self.owed.remove(0);
        }
        self.owed.push(Owed { reason, text, note });
    }

    /// Keeps what an entry was made of.
    pub fn keep(&mut self, id: i64, files: EntryFiles) {
        if self.files.len() >= AT_HAND {
            self.files.clear();
            self.asked.clear();
        }
        self.files.insert(id, files);
        self.asked.insert(id);
    }
}
