//! What comes to the application, and what it asks for.

use std::path::PathBuf;
use std::sync::Arc;

use ratatui::crossterm::event::Event;
use wayodos_core::finding::Finding;
use wayodos_core::lab::grid::Pair;
use wayodos_core::lab::spread::Attempt;
use wayodos_core::robot::Robot;
use wayodos_core::sim::Ability;

use super::super::ask::Answers;
use super::super::document::Document;
use crate::against::Other;
use crate::draft::Draft;
use crate::folder::{Project, Saved};
use crate::grids::GridJob;
use crate::leagues::{League, LeagueJob, Refusal};
use crate::logbook::scribe::{Answer, Errand};
use crate::sheets::Sheet;
use crate::shelf::{Change, Done};
use crate::spreads::{SpreadJob, SpreadResult};
use crate::survey::Found;
use crate::sweeps::{SweepJob, TextsJob, TextsResult};
use crate::tunes::{Batch, BatchResult};
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
    /// A spread has grown: the id of what was asked for, and what there is.
    Spread(u64, Arc<SpreadResult>),
    /// A sweep has grown: the id of what was asked for, and what there is.
    Swept(u64, Arc<TextsResult>),
    /// What a robot can do.
    Able(Arc<Robot>, Arc<Ability>),
    /// More of a league was played, or somebody cannot play.
    League(u64, Result<Arc<League>, Refusal>),
    /// More of two numbers at once is there.
    Gridded(u64, Arc<TextsResult<Pair>>),
    /// Runs of a search are there: the id of what was asked for, and what there is.
    Tuned(u64, BatchResult),
    /// Runs of what the mission is compared with, or why there are none: the id of what was asked for.
    Against(u64, Result<Arc<SpreadResult>, String>),
    /// What becomes of the mission with some rows of a list: the id of what was asked for.
    Proved(u64, Arc<TextsResult<usize>>),
    /// The logbook has answered.
    Book(Answer),
    /// A save came to an end: which text of the project, what came of it, and the text that was
    /// saved.
    Saved(String, Result<Saved, String>, Arc<str>),
    /// An export came to an end.
    Exported(Result<Vec<PathBuf>, String>),
    /// The draft could not be kept.
    DraftFailed(String),
    /// Edits are kept again, after they could not be.
    DraftKept,
    /// The file of an open text holds something else than when it was read or saved last: its path,
    /// and what.
    Outside(String, String),
    /// The project as it is with files that others have changed, or with the texts that are open
    /// here.
    Refit(Box<Refitted>),
    /// A text of the project was opened, or why it cannot be.
    TextOpened(Result<Box<Opened>, String>),
    /// Another mission was opened, with unsaved edits of it if there are any.
    Opened(Result<(Box<Project>, Option<Draft>), String>),
    /// Another editor was left; the text that it wrote.
    Edited(Result<String, String>),
    /// Another editor was left; the path of a file of the project, what it wrote, and what there
    /// was before.
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
    /// It was read again because a text was changed here, not because somebody else has changed a
    /// file.
    pub ours: bool,
}

/// What the application asks for.
#[derive(Debug)]
pub enum Effect {
    /// Run a mission.
    Run(Job),
    /// Work out what a robot can do.
    Able(Arc<Robot>),
    /// Make the many runs of a text, in place of those that are being made.
    Spread(SpreadJob),
    /// Nobody wants the many runs that are being made.
    StopSpread,
    /// Play a league, in place of the one that is being played.
    League(Box<LeagueJob>),
    /// Try two numbers at once, in place of the sweep that is being made.
    Grid(Box<GridJob>),
    /// Sweep a number, in place of the sweep that is being made.
    Sweep(Box<SweepJob>),
    /// Nobody wants the sweep that is being made.
    StopSweep,
    /// Try several texts on many runs: they, and the row that each is of.
    Prove(Box<TextsJob>, Vec<usize>),
    /// Nobody wants to know any more.
    StopProof,
    /// Make the next runs of a search, in place of those that are being made.
    Tune(Box<Batch>),
    /// Nobody wants the search that is being made.
    StopTune,
    /// Make the many runs of what the mission is compared with, in place of those that are being made.
    Against {
        /// Which answers belong to it.
        id: u64,
        /// What it is.
        other: Box<Other>,
        /// Path and text of all that is open.
        texts: Vec<(String, Arc<str>)>,
        /// What is open is tried as.
        like: Box<Attempt>,
        /// How many runs.
        runs: u32,
    },
    /// Nobody wants to compare with that any more.
    StopAgainst,
    /// Ask something of the logbook.
    Book(Errand),
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
    /// Read the project again with these texts in the place of their files: path and text of all
    /// that are open.
    Refit(Vec<(String, Arc<str>)>),
    /// Open a text of the project beside the mission.
    OpenText(String),
    /// Write a page as SVG and PDF.
    Export(Sheet),
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
