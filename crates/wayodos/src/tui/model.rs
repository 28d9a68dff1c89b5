//! Everything the screen shows, as plain data: no terminal, no clock, no file.

use std::sync::Arc;

use ratatui::layout::Rect;
use tui_input::Input;
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::mission::{Block, Line, Slot};
use wayodos_core::project::{Prepared, Setup, prepare};

use super::layout::{Areas, Pane, layout};
use super::theme::Role;
use super::view::wrapped;
use crate::folder::Project;
use crate::work::{Job, Told};

/// Where the cursor stands: a line of the mission, and which of its slots.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub struct Cursor {
    /// Index of the line.
    pub line: usize,
    /// Counts the slots of that line.
    pub nth: usize,
}

/// Text being typed.
#[derive(Clone, Debug, Default)]
pub struct Entry {
    /// The text, and where its own cursor is.
    pub input: Input,
    /// Why it was not taken.
    pub error: Option<String>,
}

/// What keys mean just now.
#[derive(Clone, Debug, Default)]
pub enum Mode {
    /// Moving through the mission.
    #[default]
    Browse,
    /// Typing into the slot under the cursor.
    Typing(Entry),
    /// Typing a whole line: the one under the cursor, or a new one below it.
    Writing {
        /// The text.
        entry: Entry,
        /// Whether the line is new.
        new: bool,
    },
    /// Choosing a word for the slot under the cursor.
    Picking {
        /// The words.
        choices: Vec<String>,
        /// The one that is marked.
        at: usize,
    },
    /// Reading the keys.
    Help,
    /// Reading the mission in words.
    Reading {
        /// The lines, and whether each is a step's name.
        lines: Vec<(String, bool)>,
        /// How many are above the window.
        scroll: usize,
    },
    /// Asked what to do with unsaved edits.
    Leaving,
}

/// Something said once, below the panes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Notice {
    /// The words.
    pub text: String,
    /// How urgent it is.
    pub role: Role,
}

/// A row of the mission pane.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Row {
    /// A line of the text.
    Line(usize),
    /// A finding, by its index, under its line; the number counts its rows.
    Finding(usize, usize),
    /// The line being typed anew.
    Fresh,
}

/// Columns of the mission pane that a finding leaves free: the gutter, its indent, the right edge.
pub const FINDING_MARGIN: u16 = 10;

/// Speeds of playing.
pub const SPEEDS: [f64; 3] = [1.0, 4.0, 16.0];

/// The state of the whole screen.
pub struct Model {
    /// What is open.
    pub project: Project,
    /// Robot, field and calibration, when they are free of errors.
    pub setup: Option<Arc<Setup>>,
    /// Seed of the run.
    pub seed: u64,
    /// The mission's text now.
    pub text: Arc<str>,
    /// The same text, read and checked.
    pub prepared: Prepared,
    /// What stands below the lines: what the text says and what the run showed, but no mere notes. In order of the text.
    pub findings: Vec<Finding>,
    /// What the mission's file holds.
    pub saved: String,
    /// Where the cursor stands.
    pub cursor: Cursor,
    /// What keys mean.
    pub mode: Mode,
    /// The newest run; of an older text while the newest one has errors or is still being run.
    pub told: Option<Arc<Told>>,
    /// The run before that.
    pub ghost: Option<Arc<Told>>,
    /// What the last edit changed.
    pub change: String,
    /// Said once.
    pub notice: Option<Notice>,
    /// Seconds of the time cursor.
    pub time: f64,
    /// Whether time goes on by itself.
    pub playing: bool,
    /// Index into [`SPEEDS`].
    pub speed: usize,
    /// The pane that fills the screen.
    pub zoom: Option<Pane>,
    /// First row of the mission pane that is shown.
    pub scroll: usize,
    /// Columns and rows of the screen.
    pub size: (u16, u16),
    /// The job whose answer is awaited.
    pub pending: Option<u64>,
    /// The file was found changed outside: the next save overwrites it.
    pub overwrite: bool,
    /// Leave once the save has worked.
    pub leave_when_saved: bool,
    jobs: u64,
    history: Vec<(Arc<str>, Cursor)>,
    at: usize,
}

impl Model {
    /// The screen of a project, with unsaved edits of a former session if there are any.
    pub fn new(project: Project, recovered: Option<String>, seed: u64, size: (u16, u16)) -> Self {
        let setup = project.setup.clone().map(Arc::new);
        let file: Arc<str> = project.mission.as_str().into();
        let mut history = vec![(Arc::clone(&file), Cursor::default())];
        let mut notice = None;
        if let Some(text) = recovered {
            let told = "edits that were not saved last time are back; u takes them away, s saves them".into();
            notice = Some(Notice { text: told, role: Role::Accent });
            history.push((text.into(), Cursor::default()));
        }
        let at = history.len() - 1;
        let text = Arc::clone(&history[at].0);
        let prepared = prepare(&text, setup.as_deref());
        let saved = project.mission.clone();
        let mut model = Self {
            project,
            setup,
            seed,
            text,
            prepared,
            findings: Vec::new(),
            saved,
            cursor: Cursor::default(),
            mode: Mode::Browse,
            told: None,
            ghost: None,
            change: String::new(),
            notice,
            time: 0.0,
            playing: false,
            speed: 0,
            zoom: None,
            scroll: 0,
            size,
            pending: None,
            overwrite: false,
            leave_when_saved: false,
            jobs: 0,
            history,
            at,
        };
        model.gather();
        // The first step's first slot: where tuning begins.
        let mut own = model.prepared.parsed.mission.steps.iter().filter(|step| step.block == Block::Mission);
        let first = own.next().and_then(|step| step.behaviour.as_ref());
        if let Some((_, line)) = first {
            model.cursor = Cursor { line: *line, nth: 0 };
            model.cursor.nth = model.slots_on(*line).count().saturating_sub(1);
        }
        model
    }

    /// Whether the text differs from the file.
    pub fn unsaved(&self) -> bool {
        *self.text != *self.saved
    }

    /// Lines of the text.
    pub fn lines(&self) -> &[Line] {
        &self.prepared.parsed.lines
    }

    /// The text of a line.
    pub fn line_text(&self, line: usize) -> &str {
        self.lines().get(line).map_or("", |line| &self.text[line.span.clone()])
    }

    /// The slots of a line, with their indices.
    pub fn slots_on(&self, line: usize) -> impl DoubleEndedIterator<Item = (usize, &Slot)> {
        self.prepared.parsed.slots.iter().enumerate().filter(move |(_, slot)| slot.line == line)
    }

    /// Index of the slot under the cursor.
    pub fn slot(&self) -> Option<usize> {
        self.slots_on(self.cursor.line).nth(self.cursor.nth).map(|(index, _)| index)
    }

    /// The step that a line belongs to, as the run counts them: of a routine that is done several times the one that
    /// is active, or else the first.
    pub fn step_of_line(&self, line: usize) -> Option<usize> {
        let steps = &self.prepared.parsed.mission.steps;
        // Comments and blank lines below a step belong to the next one.
        let index = steps.iter().rposition(|step| step.line <= line && line <= step.last)?;
        let program = self.prepared.program.as_ref().or(self.told.as_ref().map(|told| &told.program));
        let Some(program) = program else { return Some(index) };
        let here = |step: usize| program.steps[step].line == steps[index].line && !program.steps[step].foreign;
        let active = self.active_step().filter(|&step| step < program.written && here(step));
        active.or_else(|| (0..program.written).find(|&step| here(step))).or(Some(index))
    }

    /// The line of the text that names a step of the run.
    pub fn line_of_step(&self, step: usize) -> Option<usize> {
        let program = self.told.as_ref().map(|told| &told.program).or(self.prepared.program.as_ref())?;
        program.steps.get(step).map(|step| step.line)
    }

    /// The step that is active at the time cursor.
    pub fn active_step(&self) -> Option<usize> {
        self.told.as_ref()?.chart.band_at(self.time).map(|band| band.step)
    }

    /// Whether the shown run is of an older text that cannot be run any more as it stands.
    pub fn stale(&self) -> bool {
        self.prepared.program.is_none() && self.told.is_some()
    }

    /// The line of a byte of the text.
    pub fn line_at(&self, offset: usize) -> usize {
        let after = self.lines().partition_point(|line| line.span.start <= offset);
        after.saturating_sub(1)
    }

    /// The areas of the screen; none when it is too small.
    pub fn areas(&self) -> Option<Areas> {
        let aspect = self.setup.as_ref().map_or(4.0 / 3.0, |setup| setup.field.width / setup.field.height);
        layout(Rect::new(0, 0, self.size.0, self.size.1), self.zoom, aspect)
    }

    /// The rows of the mission pane.
    pub fn rows(&self) -> Vec<Row> {
        let mut rows = Vec::with_capacity(self.lines().len() + 8);
        let width = self.areas().map_or(80, |areas| areas.text.width);
        let mut findings = self.findings.iter().enumerate().peekable();
        let fresh = match &self.mode {
            Mode::Writing { new: true, .. } => Some(self.cursor.line),
            _ => None,
        };
        for line in 0..self.lines().len() {
            rows.push(Row::Line(line));
            while let Some((index, finding)) = findings.next_if(|(_, finding)| self.line_at(finding.span.start) <= line)
            {
                let count = finding_lines(finding, width).len();
                rows.extend((0..count).map(|part| Row::Finding(index, part)));
            }
            if fresh == Some(line) {
                rows.push(Row::Fresh);
            }
        }
        if rows.is_empty() && fresh.is_some() {
            rows.push(Row::Fresh);
        }
        rows
    }

    /// Says something once.
    pub fn say(&mut self, role: Role, text: impl Into<String>) {
        self.notice = Some(Notice { text: text.into(), role });
    }

    /// Puts another text in place as a new point of history.
    pub fn write(&mut self, text: String) {
        self.history.truncate(self.at + 1);
        self.history[self.at].1 = self.cursor;
        self.history.push((text.into(), self.cursor));
        self.at += 1;
        self.read_again();
    }

    /// Goes one point of history back (or ahead); whether there was one.
    pub fn travel(&mut self, back: bool) -> bool {
        let wanted = if back { self.at.checked_sub(1) } else { Some(self.at + 1) };
        let Some(wanted) = wanted.filter(|at| *at < self.history.len()) else { return false };
        // The cursor goes to where the change was made.
        let cursor = self.history[if back { wanted } else { self.at }].1;
        self.at = wanted;
        self.read_again();
        self.cursor = cursor;
        self.hold_cursor();
        true
    }

    fn read_again(&mut self) {
        self.text = Arc::clone(&self.history[self.at].0);
        self.prepared = prepare(&self.text, self.setup.as_deref());
        self.gather();
        self.hold_cursor();
    }

    /// Brings together what is shown below the lines. What a run of the text before showed stays on its lines until the
    /// next run is there, so that nothing flickers under a nudge.
    pub fn gather(&mut self) {
        let matters = |finding: &&Finding| finding.severity != Severity::Note;
        let mut findings: Vec<Finding> = self.prepared.findings.iter().filter(matters).cloned().collect();
        if let Some(told) = self.told.as_ref().filter(|_| self.prepared.program.is_some()) {
            let same = Arc::ptr_eq(&told.text, &self.text);
            let alike = told.text.split('\n').count() == self.lines().len();
            for finding in told.hindsight.iter().filter(|_| same || alike) {
                let line = told.text[..finding.span.start.min(told.text.len())].matches('\n').count();
                let Some(about) = self.lines().get(line) else { continue };
                let span = if same { finding.span.clone() } else { about.span.clone() };
                findings.push(Finding { span, ..finding.clone() });
            }
        }
        findings.sort_by_key(|finding| finding.span.start);
        self.findings = findings;
    }

    /// Keeps the cursor on a line and slot that exist.
    pub fn hold_cursor(&mut self) {
        self.cursor.line = self.cursor.line.min(self.lines().len().saturating_sub(1));
        let last = self.slots_on(self.cursor.line).count().saturating_sub(1);
        self.cursor.nth = self.cursor.nth.min(last);
    }

    /// A job for the text as it stands; none when it cannot be run.
    pub fn job(&mut self) -> Option<Job> {
        self.prepared.program.as_ref()?;
        let setup = Arc::clone(self.setup.as_ref()?);
        self.jobs += 1;
        self.pending = Some(self.jobs);
        Some(Job { id: self.jobs, text: Arc::clone(&self.text), setup, seed: self.seed })
    }
}

/// The rows of a finding in a pane so wide: its message, then its hints; and whether a row is of the message.
pub fn finding_lines(finding: &Finding, width: u16) -> Vec<(String, bool)> {
    let sign = if finding.severity == Severity::Error { "✗" } else { "!" };
    let room = width.saturating_sub(FINDING_MARGIN).max(20);
    let message = format!("{sign} {}  ({})", finding.message, finding.code);
    let mut rows: Vec<(String, bool)> = wrapped(&message, room).map(|row| (row.to_owned(), true)).collect();
    for hint in &finding.hints {
        rows.extend(wrapped(hint, room).map(|row| (row.to_owned(), false)));
    }
    rows
}
