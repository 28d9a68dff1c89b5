//! Everything the screen shows, as plain data: no terminal, no clock, no file.

use std::cell::RefCell;
use std::collections::BTreeSet;
use std::sync::Arc;
use wayodos_core::ids::{SensorId, SlotId, StepId, TextStep};

use ratatui::layout::{Position, Rect};
use tui_input::Input;
use wayodos_core::controller::Standing;
use wayodos_core::field::Point;
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::lab::why::Replay;
use wayodos_core::mission::{Block, Line, Slot};
use wayodos_core::project::{Prepared, Setup, prepare};
use wayodos_core::record::Intervention;

use super::files::Files;
use super::finder::Finder;
use super::free::Free;
use super::layout::{Areas, Pane, Shape, layout};
use super::theme::Role;
use super::view::wrapped;
use crate::draft::Draft;
use crate::folder::Project;
use crate::work::{From, Job, RunReport};

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

/// A screen: each has its own keys, state and look.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ScreenName {
    /// The mission, its run and why.
    Mission,
    /// The files of the project.
    Project,
}

impl ScreenName {
    /// All of them.
    pub const ALL: [Self; 2] = [Self::Mission, Self::Project];
}

/// What is asked for in one line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Question {
    /// A name for the amount in the slot under the cursor.
    Amount,
    /// A name for the routine that the step under the cursor becomes.
    Routine,
    /// The pose at which the step under the cursor begins.
    Pose,
    /// A name for a new mission.
    Mission,
    /// A name for the copy of the file that is marked.
    CopyName,
    /// Another name for the file that is marked.
    NewName,
    /// A name for a file that begins as one of the demo's.
    Begin(&'static str),
}

/// What keys mean just now.
#[derive(Clone, Debug, Default)]
pub enum Mode {
    /// Moving through the mission.
    #[default]
    Browse,
    /// Typing into the slot under the cursor.
    Typing(Entry),
    /// Typing freely into the text.
    Free(Free),
    /// Choosing from a list.
    Finding(Box<Finder>),
    /// Answering a question.
    Asking(Question, Entry),
    /// Reading the keys; how many rows are above the window.
    Help(usize),
    /// Reading the mission in words.
    Reading {
        /// The lines, and whether each is a step's name.
        lines: Vec<(String, bool)>,
        /// What its author wrote beside each: own notes.
        notes: Vec<String>,
        /// How many are above the window.
        scroll: usize,
    },
    /// Asked what to do with unsaved edits.
    Leaving,
    /// Asked what to do about a file that was changed outside while there are unsaved edits.
    Outside(Box<Outside>),
}

/// A file that was changed outside while there are unsaved edits here.
#[derive(Clone, Debug)]
pub struct Outside {
    /// What the file holds now.
    pub theirs: String,
    /// Both changes in one text, when they do not touch the same lines.
    pub both: Option<String>,
    /// How ours differs from theirs, line by line.
    pub rows: Vec<(DiffLine, String)>,
    /// How many rows are above the window.
    pub scroll: usize,
}

/// What a line of a difference is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DiffLine {
    /// In both.
    Same,
    /// Only here.
    Ours,
    /// Only in the file.
    Theirs,
}

/// What the pane beside the chart shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// How things stand at the time cursor, and why.
    Why,
    /// What a sensor would read along its track.
    Track,
    /// Steps and where they lead.
    Map,
    /// Everything that is wrong, or worth a thought.
    Findings,
}

impl Side {
    /// All of them, in the order of their tabs.
    pub const ALL: [Self; 4] = [Self::Why, Self::Track, Self::Map, Self::Findings];

    /// What its tab is called.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Why => "why",
            Self::Track => "track",
            Self::Map => "map",
            Self::Findings => "findings",
        }
    }
}

/// What part of the field is shown.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Camera {
    /// How many times larger than when all of it fits.
    pub zoom: f64,
    /// The place in the middle; the field's own without one.
    pub centre: Option<Point>,
    /// The middle goes with the robot.
    pub follow: bool,
}

impl Camera {
    /// Everything.
    pub const FIT: Self = Self { zoom: 1.0, centre: None, follow: false };
}

/// A text that is being tried, and what there was before it.
#[derive(Clone, Debug)]
pub struct Trial {
    /// The text before it.
    pub base: Arc<str>,
    cursor: Cursor,
    report: Option<Arc<RunReport>>,
    ghost: Option<Arc<RunReport>>,
    change: String,
    time: f64,
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
}

/// Columns of the mission pane that a finding leaves free: the gutter, its indent, the right edge.
pub const FINDING_MARGIN: u16 = 10;

/// Speeds of playing.
pub const SPEEDS: [f64; 10] = [0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 30.0, 60.0];
/// The one that is life.
pub const LIFE: usize = 3;

/// The state of the whole screen.
#[expect(clippy::struct_excessive_bools, reason = "each is a state of its own")]
pub struct Model {
    /// What is open.
    pub project: Project,
    /// The screen that is shown.
    pub screen: ScreenName,
    /// The project screen.
    pub files: Files,
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
    pub report: Option<Arc<RunReport>>,
    /// The run before that.
    pub ghost: Option<Arc<RunReport>>,
    /// What the last edit changed in the run.
    pub change: String,
    /// What the last edit changed in the text, when it was one slot: `20 s -> 21 s in step 3`.
    pub edited: String,
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
    /// The pane that the arrow keys are for.
    pub focus: Pane,
    /// What the pane beside the chart shows.
    pub side: Side,
    /// Whether it takes the chart's place where there is no room beside it.
    pub side_open: bool,
    /// The row that is marked in it.
    pub side_row: usize,
    /// How many of its rows are above the window.
    pub side_scroll: usize,
    /// Headings of the map that are folded, by their name.
    pub folded: BTreeSet<String>,
    /// The sensor whose track is shown.
    pub track: SensorId,
    /// What part of the field is shown.
    pub camera: Camera,
    /// The seconds that the chart shows, when not all.
    pub span: Option<(f64, f64)>,
    /// Seconds of the second time cursor.
    pub pin: Option<f64>,
    /// Tracks of the chart that are shown though they usually are not, and the other way round.
    pub toggled: BTreeSet<String>,
    /// Where the mouse is.
    pub hover: Option<Position>,
    /// Where the field was taken hold of with the mouse.
    pub held: Option<Position>,
    /// Steps before which playing stops, by their names.
    pub breaks: BTreeSet<String>,
    /// Where the run begins, when not at the start.
    pub from: Option<From>,
    /// The step before which the run is over, by its name.
    pub until: Option<String>,
    /// What is done by hand, besides what the project says, in order of time.
    pub hands: Vec<Intervention>,
    /// What was done by hand before each change of that, with the point of history at which it was changed.
    hands_before: Vec<(usize, Vec<Intervention>)>,
    /// The text is only being tried.
    pub trial: Option<Trial>,
    kept: Option<Trial>,
    /// A save keeps what is in the file, though it was changed outside, as `*.before`.
    pub keeps_ours: bool,
    replay: RefCell<Option<(usize, Replay)>>,
    /// The line that the newest point of history was typed into; typing on there makes no new point.
    typed: Option<usize>,
    /// First row of the mission pane that is shown.
    pub scroll: usize,
    /// The field is drawn in block characters even where the terminal can show pictures.
    pub blocks: bool,
    /// Columns and rows of the screen.
    pub size: (u16, u16),
    /// The job whose answer is awaited.
    pub pending: Option<u64>,
    /// The file was found changed outside: the next save overwrites it.
    pub overwrite: bool,
    /// Why the edits could not be kept against a crash, when that is so.
    pub unkept: Option<String>,
    /// Leave once the save has worked.
    pub leave_when_saved: bool,
    jobs: u64,
    history: Vec<(Arc<str>, Cursor)>,
    at: usize,
}

impl Model {
    /// The screen of a project, with unsaved edits of a former session if there are any.
    pub fn new(project: Project, recovered: Option<Draft>, seed: u64, size: (u16, u16)) -> Self {
        let setup = project.setup.clone().map(Arc::new);
        // What the edits were based on is what the file is compared with.
        let saved = recovered.as_ref().and_then(|draft| draft.base.clone()).unwrap_or_else(|| project.mission.clone());
        let file: Arc<str> = saved.as_str().into();
        let mut history = vec![(Arc::clone(&file), Cursor::default())];
        let mut notice = None;
        if let Some(Draft { text, .. }) = recovered {
            let words = "edits that were not saved last time are back; u takes them away, s saves them".into();
            notice = Some(Notice { text: words, role: Role::Accent });
            history.push((text.into(), Cursor::default()));
        }
        let at = history.len() - 1;
        let text = Arc::clone(&history[at].0);
        let prepared = prepare(&text, setup.as_deref());
        let mut model = Self {
            project,
            screen: ScreenName::Mission,
            files: Files::default(),
            setup,
            seed,
            text,
            prepared,
            findings: Vec::new(),
            saved,
            cursor: Cursor::default(),
            mode: Mode::Browse,
            report: None,
            ghost: None,
            kept: None,
            change: String::new(),
            edited: String::new(),
            notice,
            time: 0.0,
            playing: false,
            speed: LIFE,
            zoom: None,
            focus: Pane::Text,
            side: Side::Why,
            side_open: false,
            side_row: 0,
            side_scroll: 0,
            folded: BTreeSet::new(),
            track: SensorId(0),
            camera: Camera::FIT,
            span: None,
            pin: None,
            toggled: BTreeSet::new(),
            hover: None,
            held: None,
            breaks: BTreeSet::new(),
            from: None,
            until: None,
            hands: Vec::new(),
            hands_before: Vec::new(),
            trial: None,
            keeps_ours: false,
            replay: RefCell::new(None),
            typed: None,
            scroll: 0,
            blocks: false,
            size,
            pending: None,
            overwrite: false,
            unkept: None,
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
    pub fn slots_on(&self, line: usize) -> impl DoubleEndedIterator<Item = (SlotId, &Slot)> {
        // They stand in the order of the text.
        let slots = &self.prepared.parsed.slots;
        let span = self.lines().get(line).map_or(0..0, |line| line.span.clone());
        let first = slots.partition_point(|slot| slot.span.start < span.start);
        // A word that may be left out has its empty place at the end.
        let last = first + slots[first..].partition_point(|slot| slot.span.start <= span.end);
        slots[first..last].iter().enumerate().map(move |(nth, slot)| (SlotId(first + nth), slot))
    }

    /// Index of the slot under the cursor.
    pub fn slot(&self) -> Option<SlotId> {
        self.slots_on(self.cursor.line).nth(self.cursor.nth).map(|(index, _)| index)
    }

    /// The step that a line belongs to, as the run counts them: of a routine that is done several times the one that
    /// is active, or else the first.
    pub fn step_of_line(&self, line: usize) -> Option<StepId> {
        let steps = &self.prepared.parsed.mission.steps;
        // Comments and blank lines below a step belong to the next one.
        let index = steps.iter().rposition(|step| step.line <= line && line <= step.last)?;
        let program = self.prepared.program.as_ref().or(self.report.as_ref().map(|report| &report.program));
        // Without a program its steps are counted as the text has them.
        let Some(program) = program else { return Some(StepId(index)) };
        let here = |step: StepId| program.steps[step].line == steps[index].line && !program.steps[step].foreign;
        let active = self.active_step().filter(|&step| step.0 < program.written && here(step));
        active.or_else(|| StepId::all(program.written).find(|&step| here(step))).or(Some(StepId(index)))
    }

    /// The line of the text that names a step of the run.
    pub fn line_of_step(&self, step: StepId) -> Option<usize> {
        let program = self.report.as_ref().map(|report| &report.program).or(self.prepared.program.as_ref())?;
        program.steps.get(step.0).map(|step| step.line)
    }

    /// The step that is active at the time cursor.
    pub fn active_step(&self) -> Option<StepId> {
        self.report.as_ref()?.chart.band_at(self.time).map(|band| band.step)
    }

    /// Whether the shown run is of an older text that cannot be run any more as it stands.
    pub fn stale(&self) -> bool {
        self.prepared.program.is_none() && self.report.is_some()
    }

    /// The line of a byte of the text.
    pub fn line_at(&self, offset: usize) -> usize {
        let after = self.lines().partition_point(|line| line.span.start <= offset);
        after.saturating_sub(1)
    }

    /// The areas of the screen; none when it is too small.
    pub fn areas(&self) -> Option<Areas> {
        let aspect = self.setup.as_ref().map_or(4.0 / 3.0, |setup| setup.field.width / setup.field.height);
        let shape = Shape { zoom: self.zoom, side: self.side_open, aspect };
        layout(Rect::new(0, 0, self.size.0, self.size.1), shape)
    }

    /// How things stand at the time cursor.
    pub fn standing(&self) -> Option<Standing> {
        let report = self.report.as_ref()?;
        let key = Arc::as_ptr(report) as usize;
        let mut kept = self.replay.borrow_mut();
        if kept.as_ref().is_none_or(|(known, _)| *known != key) {
            *kept = Some((key, report.replay()));
        }
        let (_, replay) = kept.as_mut()?;
        Some(replay.at(&report.run, report.run.trace.tick_at(self.time + 1e-9)))
    }

    /// The end of the time that is shown: of the run, or where it is asked to be over.
    pub fn end(&self) -> f64 {
        let Some(report) = &self.report else { return 0.0 };
        let stop = self.until.as_ref().and_then(|name| report.chart.bands.iter().find(|band| band.name == *name));
        stop.map_or(report.chart.end, |band| band.from)
    }

    /// Index of the step of the text that a line belongs to.
    pub fn written_step(&self, line: usize) -> Option<TextStep> {
        self.prepared.parsed.mission.steps.iter().rposition(|step| step.line <= line && line <= step.last).map(TextStep)
    }

    /// The rows of the mission pane.
    pub fn rows(&self) -> Vec<Row> {
        let mut rows = Vec::with_capacity(self.lines().len() + 8);
        let width = self.areas().map_or(80, |areas| areas.text.width);
        let mut findings = self.findings.iter().enumerate().peekable();
        // What is wrong with a line that is just being typed would come and go below it.
        let typed = matches!(self.mode, Mode::Free(_)).then_some(self.cursor.line);
        for line in 0..self.lines().len() {
            rows.push(Row::Line(line));
            while let Some((index, finding)) = findings.next_if(|(_, finding)| self.line_at(finding.span.start) <= line)
            {
                if typed == Some(line) {
                    continue;
                }
                let count = finding_lines(finding, width).len();
                rows.extend((0..count).map(|part| Row::Finding(index, part)));
            }
        }
        rows
    }

    /// Says something once.
    pub fn say(&mut self, role: Role, text: impl Into<String>) {
        self.notice = Some(Notice { text: text.into(), role });
    }

    /// Puts another text in place as what is typed into a line: all of that is one point of history.
    pub fn write_typed(&mut self, text: String, line: usize) {
        if self.typed == Some(line) && self.at > 0 {
            self.history.truncate(self.at + 1);
            self.history[self.at].0 = text.into();
            self.read_again();
        } else {
            self.write(text);
        }
        self.typed = Some(line);
    }

    /// What is typed from now on is a new point of history.
    pub fn stop_typing(&mut self) {
        self.typed = None;
    }

    /// Puts another text in place to be looked at: it is no point of history until [`Model::keep_trial`].
    pub fn try_text(&mut self, text: String) {
        if self.trial.is_some() {
            self.history.truncate(self.at + 1);
            self.history[self.at].0 = text.into();
            self.read_again();
        } else {
            self.trial = Some(Trial {
                base: Arc::clone(&self.text),
                cursor: self.cursor,
                report: self.report.clone(),
                ghost: self.ghost.clone(),
                change: self.change.clone(),
                time: self.time,
            });
            self.write(text);
        }
    }

    /// The text that is being tried is the text.
    pub fn keep_trial(&mut self) {
        // Its run may still be on the way: what it is compared with is what there was before.
        self.kept = self.trial.take().filter(|_| self.pending.is_some());
    }

    /// Everything is as it was before the trial.
    pub fn drop_trial(&mut self) {
        let Some(trial) = self.trial.take() else { return };
        self.kept = None;
        self.at = self.at.saturating_sub(1);
        self.history.truncate(self.at + 1);
        self.cursor = trial.cursor;
        self.read_again();
        (self.report, self.ghost, self.change) = (trial.report, trial.ghost, trial.change);
        self.time = trial.time;
        self.pending = None;
        self.gather();
    }

    /// The run that a new one is compared with: the one on screen, but none of those that were only tried.
    pub fn run_before(&mut self) -> Option<Arc<RunReport>> {
        let kept = self.kept.take();
        match self.trial.as_ref().or(kept.as_ref()) {
            Some(trial) => trial.report.clone(),
            None => self.report.clone(),
        }
    }

    /// Takes another text as what the file holds.
    pub fn take_over(&mut self, text: String) {
        self.saved.clone_from(&text);
        if *text != *self.text {
            self.write(text);
        }
    }

    /// Opens another project, or another mission of it, in this one's place.
    pub fn reopen(&mut self, mut project: Project, recovered: Option<Draft>) {
        // The same mission, perhaps under another name: this window stays where it is.
        if project.config.mission == self.project.config.mission {
            project.place = std::mem::take(&mut self.project.place);
        }
        let fresh = Self::new(project, recovered, self.seed, self.size);
        let (zoom, focus, side, side_open) = (self.zoom, self.focus, self.side, self.side_open);
        let (jobs, screen, blocks) = (self.jobs, self.screen, self.blocks);
        let files = std::mem::take(&mut self.files);
        *self = Self { screen, files, zoom, focus, side, side_open, blocks, jobs, ..fresh };
    }

    /// Takes other files beside the mission over: robot, field and what goes with them.
    pub fn refit(&mut self, project: Project) {
        self.setup = project.setup.clone().map(Arc::new);
        if self.hands.iter().any(|hand| matches!(&hand.act, wayodos_core::record::Act::Place { thing, .. } if thing == wayodos_core::project::BOX))
        {
            self.setup = self.setup.as_ref().map(|setup| Arc::new(setup.with_box()));
        }
        let place = std::mem::take(&mut self.project.place);
        self.project = project;
        self.project.place = place;
        self.from = None;
        self.read_again();
    }

    /// Puts another text in place as a new point of history.
    pub fn write(&mut self, text: String) {
        self.typed = None;
        self.history.truncate(self.at + 1);
        self.history[self.at].1 = self.cursor;
        self.history.push((text.into(), self.cursor));
        self.at += 1;
        self.read_again();
    }

    /// Changes what is done by hand; it can be undone like an edit.
    pub fn set_hands(&mut self, hands: Vec<Intervention>) {
        self.hands_before.push((self.at, std::mem::replace(&mut self.hands, hands)));
    }

    /// Undoes the newest change of what is done by hand, when nothing was edited since; whether there was one.
    pub fn undo_hands(&mut self) -> bool {
        let Some((_, before)) = self.hands_before.pop_if(|(at, _)| *at == self.at) else { return false };
        self.hands = before;
        true
    }

    /// Goes one point of history back (or ahead); whether there was one.
    pub fn travel(&mut self, back: bool) -> bool {
        let wanted = if back { self.at.checked_sub(1) } else { Some(self.at + 1) };
        let Some(wanted) = wanted.filter(|at| *at < self.history.len()) else { return false };
        self.typed = None;
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
        // That there are no steps yet is no mistake: the pane says what to do about it.
        let matters = |finding: &&Finding| finding.severity != Severity::Note && finding.code != "M109";
        let mut findings: Vec<Finding> = self.prepared.findings.iter().filter(matters).cloned().collect();
        if let Some(report) = self.report.as_ref().filter(|_| self.prepared.program.is_some()) {
            let same = Arc::ptr_eq(&report.text, &self.text);
            let alike = report.text.split('\n').count() == self.lines().len();
            for finding in report.hindsight.iter().filter(|_| same || alike) {
                let line = report.text[..finding.span.start.min(report.text.len())].matches('\n').count();
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
        let mut hands: Vec<Intervention> = setup.hands.iter().chain(&self.hands).cloned().collect();
        hands.sort_by_key(|hand| hand.at_ms);
        Some(Job {
            id: self.jobs,
            text: Arc::clone(&self.text),
            setup,
            seed: self.seed,
            from: self.from.clone(),
            hands,
        })
    }
}

/// The rows of a finding in a pane so wide: its message, then its hints; and whether a row is of the message.
pub fn finding_lines(finding: &Finding, width: u16) -> Vec<(String, bool)> {
    let sign = if finding.severity == Severity::Error { "✗" } else { "!" };
    let room = width.saturating_sub(FINDING_MARGIN).max(20);
    let message = format!("{sign} {}  ({})", finding.message, finding.code);
    let mut rows: Vec<(String, bool)> = wrapped(&message, room).map(|row| (row.to_owned(), true)).collect();
    for hint in &finding.hints {
        rows.extend(wrapped(&hint.words, room).map(|row| (row.to_owned(), false)));
    }
    rows
}
