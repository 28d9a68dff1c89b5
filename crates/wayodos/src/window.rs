//! Which window has a mission open: each keeps its edits in a draft of its own, and takes over what
//! a dead one left.
//!
//! A window holds a lock on a file in the state folder for as long as it lives; the system lets go
//! of it with the process, however that ends.

use std::fs::{self, File};
use std::path::{Path, PathBuf};

use rustix::fs::{FlockOperation, flock};
use wayodos_core::units::hash::Fnv;

/// More windows on one mission than this share the last place.
pub const MOST: usize = 9;

/// The place of a window among those that have a mission open, counted from 1.
#[derive(Debug)]
pub struct Place {
    /// The place.
    pub number: usize,
    /// Held open as long as the window has the mission; none in a copy, or where no lock can be
    /// had.
    _lock: Option<File>,
}

impl Default for Place {
    fn default() -> Self {
        Self {
            number: 1,
            _lock: None,
        }
    }
}

impl Clone for Place {
    /// The same place without its lock: there is one holder, however many threads know the project.
    fn clone(&self) -> Self {
        Self {
            number: self.number,
            _lock: None,
        }
    }
}

impl Place {
    /// Takes the first place that is free; `folder` is where the locks are, `mission` the file.
    pub fn take(folder: &Path, mission: &Path) -> Self {
        for number in 1..=MOST {
            match lock(folder, mission, number) {
                Ok(Some(lock)) => {
                    return Self {
                        number,
                        _lock: Some(lock),
                    };
                }
                Ok(None) => {}
                // Without locks every window is the only one.
                Err(_) => return Self::default(),
            }
        }
        Self {
            number: MOST,
            _lock: None,
        }
    }

    /// The draft of a window in this place, by the draft of the first one.
    pub fn draft(&self, first: &Path) -> PathBuf {
        draft_of(first, self.number)
    }
}

/// The draft of the window in a place, by the draft of the first one.
pub fn draft_of(first: &Path, number: usize) -> PathBuf {
    if number == 1 {
        return first.to_owned();
    }
    let mut name = first.as_os_str().to_owned();
    name.push(format!("-{number}"));
    PathBuf::from(name)
}

/// Takes over the draft that a dead window left in another place, when there is none in this one.
pub fn inherit(folder: &Path, mission: &Path, first: &Path, own: &Place) {
    let mine = own.draft(first);
    if mine.exists() {
        return;
    }
    for number in (1..=MOST).filter(|number| *number != own.number) {
        let left = draft_of(first, number);
        // Whoever is alive holds the lock.
        if left.exists()
            && matches!(lock(folder, mission, number), Ok(Some(_)))
            && fs::rename(&left, &mine).is_ok()
        {
            return;
        }
    }
}

/// The lock of a place; none when another window has it.
fn lock(folder: &Path, mission: &Path, number: usize) -> std::io::Result<Option<File>> {
    fs::create_dir_all(folder)?;
    let whole = fs::canonicalize(mission).unwrap_or_else(|_| mission.to_owned());
    let hash = Fnv::of(whole.as_os_str().as_encoded_bytes());
    let path = folder.join(format!("{hash:016x}-{number}.lock"));
    let file = File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(path)?;
    match flock(&file, FlockOperation::NonBlockingLockExclusive) {
        Ok(()) => Ok(Some(file)),
        Err(rustix::io::Errno::WOULDBLOCK) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_window_has_a_place_and_a_dead_one_leaves_its_own() {
        let here = tempfile::tempdir().unwrap();
        let (locks, mission) = (here.path().join("locks"), here.path().join("a.way"));
        fs::write(&mission, "x").unwrap();
        let first = Place::take(&locks, &mission);
        let second = Place::take(&locks, &mission);
        let other = Place::take(&locks, &here.path().join("b.way"));
        assert_eq!((first.number, second.number, other.number), (1, 2, 1));
        let draft = here.path().join("a.way.draft");
        assert_eq!(second.draft(&draft), here.path().join("a.way.draft-2"));
        fs::write(second.draft(&draft), "edits of the second").unwrap();
        // As long as it lives nobody touches them.
        inherit(&locks, &mission, &draft, &first);
        assert!(!draft.exists());
        drop(second);
        inherit(&locks, &mission, &draft, &first);
        assert_eq!(fs::read_to_string(&draft).unwrap(), "edits of the second");
        // What is there already stays.
        fs::write(here.path().join("a.way.draft-3"), "others").unwrap();
        inherit(&locks, &mission, &draft, &first);
        assert_eq!(fs::read_to_string(&draft).unwrap(), "edits of the second");
        drop(first);
        assert_eq!(
            Place::take(&locks, &mission).number,
            1,
            "a place that is free is taken again"
        );
    }
}
