//! The state of the project screen: the files of the project, what is known of each, and which one
//! is marked.

use std::collections::BTreeMap;

use wayodos_core::field::Conduct;

use crate::shelf::{Entry, Kind};
use crate::survey::{Card, Found, MissionCard};

/// The project screen.
#[derive(Clone, Debug, Default)]
pub struct Files {
    /// The files, kind by kind.
    pub entries: Vec<Entry>,
    /// What is known of them, by path.
    pub cards: BTreeMap<String, Card>,
    /// The marked one.
    pub at: usize,
    /// How many rows are above the window.
    pub scroll: usize,
    /// How often it was looked through: what is drawn from the cards is drawn again then.
    pub looks: u64,
    /// The file to mark when the list comes.
    pub wanted: Option<String>,
}

/// A row of the list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FileRow {
    /// A heading.
    Heading(Kind),
    /// A file, by its index.
    File(usize),
    /// Nothing.
    Gap,
}

impl Files {
    /// The marked file.
    pub fn marked(&self) -> Option<&Entry> {
        self.entries.get(self.at)
    }

    /// What is known of a file.
    pub fn card(&self, entry: &Entry) -> Option<&Card> {
        self.cards.get(&entry.path)
    }

    /// What is known of the missions.
    pub fn missions(&self) -> impl Iterator<Item = (&Entry, &MissionCard)> {
        self.entries
            .iter()
            .filter_map(|entry| match self.card(entry) {
                Some(Card::Mission(card)) => Some((entry, &**card)),
                _ => None,
            })
    }

    /// How many missions play with a file, and in how many fields a rival does.
    pub fn used(&self, path: &str) -> (usize, usize) {
        let plays = |card: &MissionCard| {
            card.robot == path || card.field == path || card.calibration.as_deref() == Some(path)
        };
        let rivals = self.cards.values().filter(|card| match card {
            Card::Field(Some(field), _) => field.opponents.iter().any(|other| {
                other.robot == path
                    || matches!(&other.conduct, Conduct::Mission(mission) if mission == path)
            }),
            _ => false,
        });
        (
            self.missions().filter(|(_, card)| plays(card)).count(),
            rivals.count(),
        )
    }

    /// Takes in what was found out.
    pub fn learn(&mut self, found: Found) {
        self.looks += 1;
        match found {
            Found::Files(entries) => {
                let marked = self
                    .wanted
                    .take()
                    .or_else(|| self.marked().map(|entry| entry.path.clone()));
                let known = |path: &String| entries.iter().any(|entry| entry.path == *path);
                self.cards.retain(|path, _| known(path));
                self.at = marked
                    .and_then(|path| entries.iter().position(|entry| entry.path == path))
                    .unwrap_or(self.at);
                self.entries = entries;
                self.at = self.at.min(self.entries.len().saturating_sub(1));
            }
            Found::Card(path, card) => drop(self.cards.insert(path, card)),
        }
    }

    /// The rows of the list: a heading for each kind that there is.
    pub fn rows(&self) -> Vec<FileRow> {
        let mut rows = Vec::with_capacity(self.entries.len() + 2 * Kind::ALL.len());
        let mut before = None;
        for (index, entry) in self.entries.iter().enumerate() {
            if before != Some(entry.kind) {
                if before.is_some() {
                    rows.push(FileRow::Gap);
                }
                rows.push(FileRow::Heading(entry.kind));
                before = Some(entry.kind);
            }
            rows.push(FileRow::File(index));
        }
        rows
    }

    /// Marks a file this many further down, or up.
    pub fn step(&mut self, by: isize) {
        self.at = self
            .at
            .saturating_add_signed(by)
            .min(self.entries.len().saturating_sub(1));
    }

    /// Marks the first file of the next kind, or of the one before.
    pub fn step_kind(&mut self, down: bool) {
        let Some(kind) = self.marked().map(|entry| entry.kind) else {
            return;
        };
        let target = if down {
            self.entries
                .iter()
                .find(|entry| entry.kind > kind)
                .map(|entry| entry.kind)
        } else {
            self.entries
                .iter()
                .rev()
                .find(|entry| entry.kind < kind)
                .map(|entry| entry.kind)
        };
        let first =
            target.and_then(|kind| self.entries.iter().position(|entry| entry.kind == kind));
        self.at = first.unwrap_or(self.at);
    }

    /// Scrolls so that the marked file is in sight, and its heading where there is room.
    pub fn follow(&mut self, height: usize) {
        let rows = self.rows();
        let at = rows
            .iter()
            .position(|row| *row == FileRow::File(self.at))
            .unwrap_or(0);
        let top = if at > 0 && matches!(rows[at - 1], FileRow::Heading(_)) {
            at - 1
        } else {
            at
        };
        if self.scroll + height <= at {
            self.scroll = at + 1 - height;
        }
        self.scroll = self
            .scroll
            .min(top)
            .min(rows.len().saturating_sub(height.min(rows.len())));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::folder::Project;
    use crate::shelf::list;

    #[test]
    fn the_mark_stays_on_its_file_when_others_come_and_go() {
        let all = list(&Project::demo(None).unwrap());
        let mut files = Files::default();
        files.learn(Found::Files(all.clone()));
        files.step_kind(true);
        assert_eq!(files.marked().unwrap().kind, Kind::Robot);
        files.step(1);
        let marked = files.marked().unwrap().clone();
        files.learn(Found::Files(all[3..].to_vec()));
        assert_eq!(files.marked(), Some(&marked));
        files.wanted = Some("shared/gates.way".into());
        files.learn(Found::Files(all.clone()));
        assert_eq!(files.marked().unwrap().path, "shared/gates.way");
        files.step_kind(false);
        assert_eq!(files.marked().unwrap().kind, Kind::Calibration);
        files.learn(Found::Files(Vec::new()));
        assert!(files.marked().is_none() && files.rows().is_empty());
        files.step(-3);
        files.step_kind(true);
        files.follow(5);
    }
}
