//! Who writes into the logbook and reads in it: a thread of its own, so that nobody waits for a drive.

use std::path::PathBuf;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread;
use std::time::Duration;

use super::{Book, BookError, Entry, FILE, Page, csv};
use crate::safe::write_out;

/// How long leaving waits for a drive that does not answer.
const PATIENCE: Duration = Duration::from_secs(4);

/// What is asked of the logbook.
#[derive(Clone, Debug)]
pub enum Errand {
    /// A run goes into it.
    Write(Box<Page>),
    /// All entries are wanted.
    List,
    /// All that an entry was made of is wanted.
    Files(i64),
    /// An entry is starred, or is not any more.
    Star(i64, bool),
    /// A note is written beside an entry.
    Note(i64, String),
    /// These entries are written to a table in the project's folder for exports.
    Export(Vec<Entry>),
}

/// What the logbook answers.
#[derive(Clone, Debug)]
pub enum Answer {
    /// All entries, the newest first.
    Entries(Vec<Entry>),
    /// All that an entry was made of: path and text.
    Files(i64, Vec<(String, String)>),
    /// A table was written.
    Exported(PathBuf),
    /// A damaged file was moved there, and a new one begun.
    Moved(PathBuf),
    /// Something could not be done, and why.
    Failed(String),
}

/// The way to the thread.
pub struct Scribe {
    /// None once it is closed.
    to: Option<Sender<(Option<PathBuf>, Errand)>>,
    done: Receiver<()>,
}

impl Scribe {
    /// Begins the thread; `report` hears of every answer.
    pub fn new(report: impl Fn(Answer) + Send + 'static) -> Self {
        let (to, errands) = channel();
        let (end, done) = channel();
        thread::spawn(move || {
            let mut desk = Desk::default();
            for (folder, errand) in errands {
                desk.open(folder, &report);
                for answer in desk.answer(errand) {
                    report(answer);
                }
            }
            drop(end);
        });
        Self { to: Some(to), done }
    }

    /// Hands in an errand for the logbook of a project's folder; without a folder of the demo's.
    pub fn hand_in(&self, folder: Option<PathBuf>, errand: Errand) {
        if let Some(to) = &self.to {
            // The thread ends only when this is closed.
            let _ = to.send((folder, errand));
        }
    }

    /// Waits until all is written, but not for ever.
    pub fn close(mut self) {
        self.to = None;
        let _ = self.done.recv_timeout(PATIENCE);
    }
}

/// What the thread has open.
#[derive(Default)]
struct Desk {
    /// The folder that the logbook is of.
    folder: Option<PathBuf>,
    book: Option<Book>,
    /// Why it cannot be used, when that is so and has been said.
    failed: Option<String>,
}

impl Desk {
    /// Opens the logbook of a folder, unless it is open. What was written down of the demo goes along
    /// when the demo becomes a folder.
    fn open(&mut self, folder: Option<PathBuf>, report: &impl Fn(Answer)) {
        if self.book.is_some() && self.folder == folder {
            return;
        }
        if let (Some(book), None, Some(folder)) = (&self.book, &self.folder, &folder) {
            // Where there is one already, that one counts.
            let _ = book.copy_to(&folder.join(FILE));
        }
        let opened = Book::open(folder.as_deref());
        self.folder = folder;
        match opened {
            Ok(book) => {
                if let Some(aside) = &book.moved {
                    report(Answer::Moved(aside.clone()));
                }
                (self.book, self.failed) = (Some(book), None);
            }
            Err(error) => {
                self.book = None;
                // Once is enough.
                let words = error.to_string();
                if self.failed.as_ref() != Some(&words) {
                    report(Answer::Failed(words.clone()));
                }
                self.failed = Some(words);
            }
        }
    }

    fn answer(&mut self, errand: Errand) -> Vec<Answer> {
        let result = match errand {
            Errand::Export(entries) => self
                .export(&entries)
                .map(|file| vec![Answer::Exported(file)]),
            errand => match &mut self.book {
                Some(book) => looked_up(book, errand).map_err(|error| error.to_string()),
                // That it cannot be used has been said; a list is empty then.
                None => Ok(vec![Answer::Entries(Vec::new())]),
            },
        };
        result.unwrap_or_else(|words| vec![Answer::Failed(words)])
    }

    fn export(&self, entries: &[Entry]) -> Result<PathBuf, String> {
        let folder = self
            .folder
            .as_ref()
            .ok_or("save first: the demo has no folder to write to")?;
        let folder = folder.join("exports");
        let file = folder.join("logbook.csv");
        std::fs::create_dir_all(&folder)
            .and_then(|()| write_out(&file, &csv(entries)))
            .map_err(|error| format!("cannot write {}: {error}", file.display()))?;
        Ok(file)
    }
}

/// What a logbook answers; every change is followed by all entries as they are then.
fn looked_up(book: &mut Book, errand: Errand) -> Result<Vec<Answer>, BookError> {
    match errand {
        Errand::Write(page) => {
            book.write(&page)?;
        }
        Errand::Files(id) => return Ok(vec![Answer::Files(id, book.files(id)?)]),
        Errand::Star(id, star) => book.star(id, star)?,
        Errand::Note(id, note) => book.note(id, &note)?,
        Errand::List | Errand::Export(_) => {}
    }
    Ok(vec![Answer::Entries(book.entries()?)])
}

#[cfg(test)]
mod tests {
    use super::super::Reason;
    use super::*;

    fn page(text: &str) -> Errand {
        Errand::Write(Box::new(Page {
            reason: Reason::Saved,
            mission: "missions/a.way".into(),
            files: vec![("missions/a.way".into(), text.into())],
            seed: 7,
            scatter: "everyday".into(),
            outcome: "done".into(),
            planned: true,
            seconds: 1.0,
            score: None,
            held: None,
            note: String::new(),
        }))
    }

    fn ask(
        scribe: &Scribe,
        answers: &Receiver<Answer>,
        errand: Errand,
        folder: Option<PathBuf>,
    ) -> Answer {
        scribe.hand_in(folder, errand);
        answers.recv_timeout(Duration::from_secs(20)).unwrap()
    }

    #[test]
    fn what_was_written_down_of_the_demo_goes_along_into_its_folder() {
        let here = tempfile::tempdir().unwrap();
        let folder = Some(here.path().to_owned());
        let (sender, answers) = channel();
        let scribe = Scribe::new(move |answer| drop(sender.send(answer)));
        ask(&scribe, &answers, page("a\n"), None);
        let Answer::Failed(words) = ask(&scribe, &answers, Errand::Export(Vec::new()), None) else {
            panic!("the demo has no folder");
        };
        assert!(words.contains("save first"));
        let Answer::Entries(entries) = ask(&scribe, &answers, page("b\n"), folder.clone()) else {
            panic!("no list");
        };
        assert_eq!(entries.len(), 2);
        let files = ask(
            &scribe,
            &answers,
            Errand::Files(entries[1].id),
            folder.clone(),
        );
        assert!(matches!(files, Answer::Files(_, files) if files[0].1 == "a\n"));
        let file = ask(&scribe, &answers, Errand::Export(entries), folder);
        let Answer::Exported(file) = file else {
            panic!("no table");
        };
        assert_eq!(std::fs::read_to_string(file).unwrap().lines().count(), 3);
        // All is written when it is closed, and nothing of it is lost then.
        scribe.hand_in(Some(here.path().to_owned()), page("c\n"));
        scribe.close();
        let book = Book::open(Some(here.path())).unwrap();
        assert_eq!(book.entries().unwrap().len(), 3);
    }

    #[test]
    fn a_folder_that_cannot_be_written_to_is_said_once() {
        let (sender, answers) = channel();
        let scribe = Scribe::new(move |answer| drop(sender.send(answer)));
        let nowhere = Some(PathBuf::from("/nowhere/at/all"));
        let Answer::Failed(words) = ask(&scribe, &answers, page("a\n"), nowhere.clone()) else {
            panic!("it was written");
        };
        assert!(words.contains("may not be written to"), "{words}");
        for _ in 0..2 {
            scribe.hand_in(nowhere.clone(), page("b\n"));
        }
        scribe.close();
        let rest: Vec<Answer> = answers.into_iter().collect();
        assert!(
            rest.iter()
                .all(|answer| matches!(answer, Answer::Entries(all) if all.is_empty()))
        );
    }
}
