//! Everything the screen shows, as plain data: no terminal, no clock, no file.
//!
//! Long because all state is here, so that it can be seen at once what there is.

use std::cell::RefCell;
use std::collections::BTreeSet;
use std::sync::Arc;
use wayodos_core::ids::{SensorId, StepId};

use ratatui::layout::{Position, Rect};
use tui_input::Input;
use wayodos_core::controller::Standing;
use wayodos_core::field::Point;
use wayodos_core::finding::{Finding, Severity, Source};
use wayodos_core::lab::borne;
use wayodos_core::lab::spread::death;
use wayodos_core::lab::why::Replay;
use wayodos_core::mission::restructure::Carried;
use wayodos_core::project::{BOX, Setup};
use wayodos_core::record::{Act, Intervention};
use wayodos_core::robot::Robot;
use wayodos_core::scatter::Scatter;
use wayodos_core::sim::Ability;

pub use super::document::Cursor;
use super::document::{Document, Language};
use super::files::Files;
use super::finder::Finder;
pub use super::finder::Question;
use super::free::Free;
use super::keymap::Action;
pub use super::keymap::ScreenName;
use super::layout::{Areas, Pane, Shape, layout};
use super::league::{Leaguing, Shown};
use super::logbook::Logbook;
pub use super::many::{Gridding, Many, Proving, SpreadOf, Sweeping, Tuning};
use super::measure::wrapped;
use super::theme::Role;
use crate::draft::Draft;
use crate::folder::Project;
use crate::work::{From, Job, Kind, RunId, RunReport};

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
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Side {
    /// How things stand at the time cursor, and why.
    #[default]
    Why,
    /// Whether it holds: the many runs, and what they died of.
    Spread,
    /// One number over a span, and where it holds.
    Sweep,
    /// Several amounts, searched for what holds most often.
    Tune,
    /// What a sensor would read along its track.
    Track,
    /// Steps and where they lead.
    Map,
    /// Everything that is wrong, or worth a thought.
    Findings,
    /// The points of the run.
    Score,
    /// What the robot can do.
    Robot,
}

impl Side {
    /// All of them, in the order of their tabs.
    pub const ALL: [Self; 9] = [
        Self::Why,
        Self::Spread,
        Self::Sweep,
        Self::Tune,
        Self::Track,
        Self::Map,
        Self::Findings,
        Self::Score,
        Self::Robot,
    ];

    /// What its tab is called.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Why => "why",
            Self::Spread => "spread",
            Self::Sweep => "sweep",
            Self::Tune => "tune",
            Self::Track => "track",
            Self::Map => "map",
            Self::Findings => "findings",
            Self::Score => "score",
            Self::Robot => "robot",
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

impl Default for Camera {
    fn default() -> Self {
        Self::FIT
    }
}

impl Camera {
    /// Everything.
    pub const FIT: Self = Self {
        zoom: 1.0,
        centre: None,
        follow: false,
    };
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

/// What was cut or copied.
#[derive(Clone, Debug)]
pub enum Clip {
    /// Whole steps.
    Steps(Carried),
    /// Lines of a text.
    Lines(Vec<String>),
}

impl Clip {
    /// What it is, in a word or two.
    pub fn words(&self) -> String {
        let (count, what) = match self {
            Self::Steps(carried) => (carried.count, "step"),
            Self::Lines(lines) => (lines.len(), "line"),
        };
        format!("{count} {what}{}", if count == 1 { "" } else { "s" })
    }
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

/// What moves the time cursor.
#[derive(Clone, Debug)]
pub struct Player {
    /// Seconds of the time cursor.
    pub time: f64,
    /// Whether time goes on by itself.
    pub playing: bool,
    /// Index into [`SPEEDS`].
    pub speed: usize,
    /// Steps before which playing stops, by their names.
    pub breaks: BTreeSet<String>,
}

impl Default for Player {
    fn default() -> Self {
        Self {
            time: 0.0,
            playing: false,
            speed: LIFE,
            breaks: BTreeSet::new(),
        }
    }
}

/// What is known of what the robot can do.
#[derive(Clone, Debug, Default)]
pub struct Able {
    /// The robot that it is being worked out for.
    pub asked: Option<Arc<Robot>>,
    /// The robot that it was worked out for last, and what that can do.
    pub known: Option<(Arc<Robot>, Arc<Ability>)>,
}

/// The state of the pane beside the chart.
#[derive(Clone, Debug, Default)]
pub struct SidePane {
    /// What it shows.
    pub shown: Side,
    /// Whether it takes the chart's place where there is no room beside it.
    pub open: bool,
    /// The row that is marked in it.
    pub row: usize,
    /// How many of its rows are above the window.
    pub scroll: usize,
    /// What it showed before a robot's text brought its own tab.
    pub before: Option<Side>,
    /// Headings of the map that are folded, by their name.
    pub folded: BTreeSet<String>,
}

/// The state of the chart.
#[derive(Clone, Debug, Default)]
pub struct ChartPane {
    /// The sensor whose track is shown.
    pub track: SensorId,
    /// The seconds that it shows, when not all.
    pub span: Option<(f64, f64)>,
    /// Seconds of the second time cursor.
    pub pin: Option<f64>,
    /// Tracks that are shown though they usually are not, and the other way round.
    pub toggled: BTreeSet<String>,
}

/// The state of the field pane.
#[derive(Clone, Debug, Default)]
pub struct FieldPane {
    /// What part of the field is shown.
    pub camera: Camera,
    /// Where the mouse is.
    pub hover: Option<Position>,
    /// Where the field was taken hold of with the mouse.
    pub held: Option<Position>,
    /// It is drawn in block characters even where the terminal can show pictures.
    pub blocks: bool,
}

/// The state of the whole screen.
pub struct Model {
    /// What is open.
    pub project: Project,
    /// The screen that is shown.
    pub screen: ScreenName,
    /// The project screen.
    pub files: Files,
    /// The logbook.
    pub logbook: Logbook,
    /// Robot, field and calibration, when they are free of errors.
    pub setup: Option<Arc<Setup>>,
    /// Seed of the project.
    pub seed: u64,
    /// Which of the many runs is shown; 0 is the nominal one.
    pub number: u32,
    /// How much those differ.
    pub scatter: Scatter,
    /// The text in front: what the pane shows and the keys change.
    pub doc: Document,
    /// The other texts that are open. The mission is always open, in front or here.
    pub behind: Vec<Document>,
    /// A file of the project has errors now: nothing can be run, and what is seen is of before.
    pub unfit: bool,
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
    /// What moves the time cursor.
    pub player: Player,
    /// The pane that fills the screen.
    pub zoom: Option<Pane>,
    /// The pane that the arrow keys are for.
    pub focus: Pane,
    /// The pane beside the chart.
    pub side: SidePane,
    /// The chart.
    pub chart: ChartPane,
    /// The field.
    pub field: FieldPane,
    /// The many runs of the text.
    pub many: Many,
    /// The number that was swept last.
    pub sweep: Option<Sweeping>,
    /// The two numbers that were tried together, when that was after the last sweep.
    pub grid: Option<Gridding>,
    /// The league that was played last.
    pub league: Option<Leaguing>,
    /// The match of it that is shown.
    pub opponent: Option<Shown>,
    /// The search that was made last.
    pub tune: Option<Tuning>,
    /// The rows of the list that is open are being tried.
    pub proof: Option<Proving>,
    /// Where the run begins, when not at the start.
    pub from: Option<From>,
    /// The step before which the run is over, by its name.
    pub until: Option<String>,
    /// What a list or a click has asked for, and is done next.
    pub todo: Option<Action>,
    /// The line to go to in a text that is being opened: its path, and a byte of it.
    pub wanted: Option<(String, usize)>,
    /// What is done by hand, besides what the project says, in order of time.
    pub hands: Vec<Intervention>,
    /// What was done by hand before each change of that, with the point of history at which it was
    /// changed.
    hands_before: Vec<(usize, Vec<Intervention>)>,
    /// What was cut or copied, to be put elsewhere.
    pub clip: Option<Clip>,
    /// The text is only being tried.
    pub trial: Option<Trial>,
    kept: Option<Trial>,
    replay: RefCell<Option<(RunId, Replay)>>,
    /// What the robot can do.
    pub able: Able,
    /// Columns and rows of the screen.
    pub size: (u16, u16),
    /// The job whose answer is awaited.
    pub pending: Option<u64>,
    /// Why the edits could not be kept against a crash, when that is so.
    pub unkept: Option<String>,
    /// Leave once the save has worked.
    pub leave_when_saved: bool,
    jobs: u64,
}

impl Model {
    /// The job that waits for the project to be read again.
    pub const REFIT: u64 = 0;

    /// The screen of a project, with unsaved edits of a former session if there are any.
    pub fn new(project: Project, recovered: Option<Draft>, seed: u64, size: (u16, u16)) -> Self {
        let setup = project.setup.clone().map(Arc::new);
        let back = recovered.is_some();
        let (path, file) = (project.config.mission.clone(), project.mission.clone());
        let doc = Document::new(path, Language::Mission, file, recovered, setup.as_deref());
        let unfit = setup.is_none();
        let mut model = Self {
            project,
            screen: ScreenName::Mission,
            files: Files::default(),
            logbook: Logbook::default(),
            setup,
            seed,
            number: 0,
            scatter: Scatter::default(),
            doc,
            behind: Vec::new(),
            unfit,
            mode: Mode::Browse,
            report: None,
            ghost: None,
            kept: None,
            change: String::new(),
            edited: String::new(),
            notice: None,
            player: Player::default(),
            zoom: None,
            focus: Pane::Text,
            side: SidePane::default(),
            chart: ChartPane::default(),
            field: FieldPane::default(),
            many: Many::default(),
            sweep: None,
            grid: None,
            league: None,
            opponent: None,
            tune: None,
            proof: None,
            from: None,
            until: None,
            todo: None,
            wanted: None,
            hands: Vec::new(),
            hands_before: Vec::new(),
            clip: None,
            trial: None,
            replay: RefCell::new(None),
            able: Able::default(),
            size,
            pending: None,
            unkept: None,
            leave_when_saved: false,
            jobs: 0,
        };
        if back {
            let words =
                "edits that were not saved last time are back; u takes them away, s saves them";
            model.say(Role::Accent, words);
        }
        model.gather();
        model
    }

    /// The mission that is open, in front or behind.
    pub fn mission(&self) -> &Document {
        let all = std::iter::once(&self.doc).chain(&self.behind);
        let mut missions = all.filter(|document| document.is_mission());
        missions.next().unwrap_or(&self.doc)
    }

    /// All texts that are open, the one in front first.
    pub fn documents(&self) -> impl Iterator<Item = &Document> {
        std::iter::once(&self.doc).chain(&self.behind)
    }

    /// The same, to be changed.
    pub fn all_mut(&mut self) -> impl Iterator<Item = &mut Document> {
        std::iter::once(&mut self.doc).chain(&mut self.behind)
    }

    /// The open text of a path.
    pub fn document_mut(&mut self, path: &str) -> Option<&mut Document> {
        self.all_mut().find(|document| document.path == path)
    }

    /// Whether any text that is open differs from its file.
    pub fn any_unsaved(&self) -> bool {
        self.documents().any(Document::unsaved)
    }

    /// Puts an open text in front; whether it is open.
    pub fn bring(&mut self, path: &str) -> bool {
        if self.doc.path == path {
            return true;
        }
        let Some(at) = self
            .behind
            .iter()
            .position(|document| document.path == path)
        else {
            return false;
        };
        self.doc.stop_typing();
        // The order stays the one in which they were opened.
        std::mem::swap(&mut self.doc, &mut self.behind[at]);
        self.mode = Mode::Browse;
        self.gather();
        true
    }

    /// Opens a further text, in front.
    pub fn open_beside(&mut self, document: Document) {
        let before = std::mem::replace(&mut self.doc, document);
        self.behind.push(before);
        self.mode = Mode::Browse;
        self.gather();
    }

    /// The step that a line belongs to, as the run counts them: of a routine that is done several
    /// times the one that is active, or else the first.
    pub fn step_of_line(&self, line: usize) -> Option<StepId> {
        let mission = self.mission();
        let steps = &mission.prepared.parsed.mission.steps;
        // Comments and blank lines below a step belong to the next one.
        let index = steps
            .iter()
            .rposition(|step| step.line <= line && line <= step.last)?;
        let program = mission
            .prepared
            .program
            .as_ref()
            .or(self.report.as_ref().map(|report| &report.program));
        // Without a program its steps are counted as the text has them.
        let Some(program) = program else {
            return Some(StepId(index));
        };
        let here = |step: StepId| {
            program.steps[step].line == steps[index].line && !program.steps[step].foreign
        };
        let active = self
            .active_step()
            .filter(|&step| step.0 < program.written && here(step));
        active
            .or_else(|| StepId::all(program.written).find(|&step| here(step)))
            .or(Some(StepId(index)))
    }

    /// The line of the text that names a step of the run.
    pub fn line_of_step(&self, step: StepId) -> Option<usize> {
        let program = self.report.as_ref().map(|report| &report.program).or(self
            .mission()
            .prepared
            .program
            .as_ref())?;
        program.steps.get(step.0).map(|step| step.line)
    }

    /// The step that is active at the time cursor.
    pub fn active_step(&self) -> Option<StepId> {
        self.report
            .as_ref()?
            .chart
            .band_at(self.player.time)
            .map(|band| band.step)
    }

    /// Whether the shown run is of an older text that cannot be run any more as it stands.
    pub fn stale(&self) -> bool {
        (self.unfit || self.mission().prepared.program.is_none()) && self.report.is_some()
    }

    /// The areas of the screen; none when it is too small.
    pub fn areas(&self) -> Option<Areas> {
        let aspect = self
            .setup
            .as_ref()
            .map_or(4.0 / 3.0, |setup| setup.field.width / setup.field.height);
        let shape = Shape {
            zoom: self.zoom,
            side: self.side.open,
            aspect,
            robot: self.doc.language == Language::Settings(Source::Robot),
        };
        layout(Rect::new(0, 0, self.size.0, self.size.1), shape)
    }

    /// Opens a tab of the pane beside the chart, at its first row.
    pub fn open_tab(&mut self, side: Side) {
        (self.side.shown, self.side.row, self.side.scroll) = (side, 0, 0);
    }

    /// How things stand at the time cursor.
    pub fn standing(&self) -> Option<Standing> {
        let report = self.report.as_ref()?;
        let key = report.id;
        let mut kept = self.replay.borrow_mut();
        if kept.as_ref().is_none_or(|(known, _)| *known != key) {
            *kept = Some((key, report.replay()));
        }
        let (_, replay) = kept.as_mut()?;
        Some(replay.at(
            &report.run,
            report.run.trace.tick_at(self.player.time + 1e-9),
        ))
    }

    /// The end of the time that is shown: of the run, or where it is asked to be over.
    pub fn end(&self) -> f64 {
        let Some(report) = &self.report else {
            return 0.0;
        };
        let stop = self
            .until
            .as_ref()
            .and_then(|name| report.chart.bands.iter().find(|band| band.name == *name));
        stop.map_or(report.chart.end, |band| band.from)
    }

    /// The rows of the mission pane.
    pub fn rows(&self) -> Vec<Row> {
        let mut rows = Vec::with_capacity(self.doc.lines().len() + 8);
        let width = self.areas().map_or(80, |areas| areas.text.width);
        let mut findings = self.doc.findings.iter().enumerate().peekable();
        // What is wrong with a line that is just being typed would come and go below it.
        let typed = matches!(self.mode, Mode::Free(_)).then_some(self.doc.cursor.line);
        for line in 0..self.doc.lines().len() {
            rows.push(Row::Line(line));
            while let Some((index, finding)) =
                findings.next_if(|(_, finding)| self.doc.line_at(finding.span.start) <= line)
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

    /// The keys are for the text again; a pane on the whole screen makes way for it.
    pub fn to_text(&mut self) {
        self.focus = Pane::Text;
        self.zoom = self.zoom.map(|_| Pane::Text);
    }

    /// Says something once.
    pub fn say(&mut self, role: Role, text: impl Into<String>) {
        self.notice = Some(Notice {
            text: text.into(),
            role,
        });
    }

    /// Puts another text in place as what is typed into a line: all of that is one point of
    /// history.
    pub fn write_typed(&mut self, text: String, line: usize) {
        self.doc.write_typed(text, line);
        self.read_again();
    }

    /// Puts another text in place to be looked at: it is no point of history until
    /// [`Model::keep_trial`].
    pub fn try_text(&mut self, text: String) {
        if self.trial.is_some() {
            self.doc.rewrite(text);
            self.read_again();
        } else {
            self.trial = Some(Trial {
                base: Arc::clone(&self.doc.text),
                cursor: self.doc.cursor,
                report: self.report.clone(),
                ghost: self.ghost.clone(),
                change: self.change.clone(),
                time: self.player.time,
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
        let Some(trial) = self.trial.take() else {
            return;
        };
        self.kept = None;
        self.doc.unwrite();
        self.doc.cursor = trial.cursor;
        self.read_again();
        (self.report, self.ghost, self.change) = (trial.report, trial.ghost, trial.change);
        self.player.time = trial.time;
        self.pending = None;
        self.gather();
    }

    /// The run that a new one is compared with: the one on screen, but none of those that were only
    /// tried.
    pub fn run_before(&mut self) -> Option<Arc<RunReport>> {
        let kept = self.kept.take();
        match self.trial.as_ref().or(kept.as_ref()) {
            Some(trial) => trial.report.clone(),
            None => self.report.clone(),
        }
    }

    /// Takes another text as what the file holds.
    pub fn take_over(&mut self, text: String) {
        self.doc.saved.clone_from(&text);
        if *text != *self.doc.text {
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
        let (zoom, focus, jobs, screen) = (self.zoom, self.focus, self.jobs, self.screen);
        let side = SidePane {
            shown: self.side.shown,
            open: self.side.open,
            ..fresh.side
        };
        let field = FieldPane {
            blocks: self.field.blocks,
            ..fresh.field
        };
        let many = self.many.fresh();
        let clip = self.clip.take();
        let files = std::mem::take(&mut self.files);
        let logbook = std::mem::take(&mut self.logbook);
        // Whoever plays may be opened, and its matches looked at.
        let league = self.league.take();
        // Other texts stay open.
        let mut behind = std::mem::take(&mut self.behind);
        if !self.doc.is_mission() {
            behind.push(std::mem::replace(&mut self.doc, fresh.doc.clone()));
        }
        behind.retain(|document| !document.is_mission());
        *self = Self {
            screen,
            files,
            logbook,
            behind,
            zoom,
            focus,
            side,
            field,
            many,
            league,
            clip,
            jobs,
            ..fresh
        };
    }

    /// Takes other files beside the mission over: robot, field and what goes with them. What has
    /// errors leaves the last good ones in sight, but nothing runs.
    pub fn refit(&mut self, mut project: Project) {
        for document in self.all_mut() {
            if let Language::Settings(source) = document.language
                && let Some(text) = project.text(&document.path)
            {
                let about = |finding: &&Finding| finding.source == source;
                let found = project.findings.iter().filter(about).cloned().collect();
                document.found = (text.into(), found);
            }
        }
        let boxed =
            |hand: &Intervention| matches!(&hand.act, Act::Place { thing, .. } if thing == BOX);
        self.unfit = project.setup.is_none();
        if let Some(setup) = project.setup.clone() {
            let setup = if self.hands.iter().any(boxed) {
                setup.with_box()
            } else {
                setup
            };
            self.setup = Some(Arc::new(setup));
        }
        project.place = std::mem::take(&mut self.project.place);
        self.project = project;
        self.from = None;
        // With another robot or on another field it is another league.
        (self.league, self.opponent) = (None, None);
        let setup = self.setup.clone();
        self.all_mut()
            .for_each(|document| document.read(setup.as_deref()));
        self.gather();
    }

    /// Puts another text in place as a new point of history.
    pub fn write(&mut self, text: String) {
        self.doc.write(text);
        self.read_again();
    }

    /// Changes what is done by hand; it can be undone like an edit.
    pub fn set_hands(&mut self, hands: Vec<Intervention>) {
        self.hands_before.push((
            self.mission().age(),
            std::mem::replace(&mut self.hands, hands),
        ));
    }

    /// Undoes the newest change of what is done by hand, when nothing was edited since; whether
    /// there was one.
    pub fn undo_hands(&mut self) -> bool {
        let age = self.mission().age();
        let Some((_, before)) = self.hands_before.pop_if(|(at, _)| *at == age) else {
            return false;
        };
        self.hands = before;
        true
    }

    /// Goes one point of history back (or ahead); whether there was one.
    pub fn travel(&mut self, back: bool) -> bool {
        let Some(cursor) = self.doc.travel(back) else {
            return false;
        };
        self.read_again();
        self.doc.cursor = cursor;
        self.doc.hold_cursor();
        true
    }

    fn read_again(&mut self) {
        self.doc.read(self.setup.as_deref());
        self.gather();
    }

    /// Brings together what is shown below the lines of the text in front. What a run of the text
    /// before showed stays on its lines until the next run is there.
    pub fn gather(&mut self) {
        let report = self
            .report
            .as_ref()
            .filter(|_| self.doc.is_mission() && self.doc.prepared.program.is_some());
        let seen = report
            .map(|report| self.doc.carried(&report.text, &report.hindsight))
            .unwrap_or_default();
        let rules = self.doc.is_mission().then(|| self.rules());
        self.doc.gather(rules, seen);
    }

    /// What the rules find in the mission: as far as the many runs of the same text bear it out, when
    /// they are there.
    pub fn rules(&self) -> Vec<Finding> {
        let mission = self.mission();
        let borne = self.many.borne.as_ref();
        if let Some((_, findings)) = borne.filter(|(of, _)| Arc::ptr_eq(of, &mission.prepared)) {
            return findings.clone();
        }
        let mut rules = mission.prepared.findings.clone();
        for finding in &mut rules {
            let same = |(code, message): &(&str, String)| {
                *code == finding.code && *message == finding.message
            };
            if self.many.unborne.iter().any(same) {
                finding.severity = Severity::Note;
            }
        }
        rules
    }

    /// Asks the many runs, as far as they are there, what they say about what the rules find.
    pub fn bear_out(&mut self) {
        let enough = self
            .many
            .result
            .clone()
            .filter(|result| result.spread.briefs.len() >= borne::FEWEST);
        let own = self.own_report().cloned();
        let (Some(result), Some(report)) = (enough, own) else {
            return;
        };
        let mission = self.mission();
        if !Arc::ptr_eq(&report.prepared, &mission.prepared) || report.piece.is_some() {
            return;
        }
        let before = &mission.prepared.findings;
        let mut rules = before.clone();
        let shown = borne::weigh(
            &mission.text,
            &mission.prepared.parsed,
            &report.program,
            &mut rules,
            report.chance.run != 0 || death(&report.run, &report.program).is_none(),
            &result.spread.briefs,
            &result.summary.causes,
        );
        let changed = before.iter().zip(&rules).filter(|(old, new)| old != new);
        let unborne = changed
            .map(|(old, _)| (old.code, old.message.clone()))
            .collect();
        rules.extend(shown);
        let of = Arc::clone(&mission.prepared);
        self.many.unborne = unborne;
        self.many.borne = Some((of, rules));
        self.gather();
    }

    /// What a spread of the text as it stands is of; none when it cannot be run.
    pub fn spread_of(&self) -> Option<SpreadOf> {
        let mission = self.mission();
        mission.prepared.program.as_ref().filter(|_| !self.unfit)?;
        let setup = Arc::clone(self.setup.as_ref()?);
        Some(SpreadOf {
            text: Arc::clone(&mission.text),
            hands: self.all_hands(&setup),
            setup,
            seed: self.seed,
            scatter: self.scatter,
        })
    }

    /// The run that is shown, unless it is a match of a league: against the field's own opponent.
    pub fn own_report(&self) -> Option<&Arc<RunReport>> {
        self.report.as_ref().filter(|_| self.opponent.is_none())
    }

    /// What is done by hand, by the project and here, in order of time.
    fn all_hands(&self, setup: &Setup) -> Vec<Intervention> {
        let mut hands: Vec<Intervention> = setup.hands.iter().chain(&self.hands).cloned().collect();
        hands.sort_by_key(|hand| hand.at_ms);
        hands
    }

    /// The id of a further job.
    pub const fn next_job(&mut self) -> u64 {
        self.jobs += 1;
        self.jobs
    }

    /// A job for the text as it stands; none when it cannot be run.
    pub fn job(&mut self) -> Option<Job> {
        let (text, prepared) = (
            Arc::clone(&self.mission().text),
            Arc::clone(&self.mission().prepared),
        );
        prepared.program.as_ref().filter(|_| !self.unfit)?;
        let own = Arc::clone(self.setup.as_ref()?);
        let id = self.next_job();
        self.pending = Some(id);
        // In a league nobody does anything by hand.
        let (setup, hands) = match &self.opponent {
            Some(shown) => (Arc::clone(&shown.setup), Vec::new()),
            None => {
                let hands = self.all_hands(&own);
                (own, hands)
            }
        };
        let kind = match (&self.trial, &self.from) {
            (Some(_), _) => Kind::Trial,
            (None, Some(_)) => Kind::Piece,
            (None, None) => Kind::Shown,
        };
        Some(Job {
            id,
            kind,
            text,
            prepared,
            setup,
            seed: self.seed,
            number: self.number,
            scatter: self.scatter,
            from: self.from.clone(),
            hands,
        })
    }
}

/// The rows of a finding in a pane so wide: its message, then its hints; and whether a row is of
/// the message.
pub fn finding_lines(finding: &Finding, width: u16) -> Vec<(String, bool)> {
    let sign = if finding.severity == Severity::Error {
        "✗"
    } else {
        "!"
    };
    let room = width.saturating_sub(FINDING_MARGIN).max(20);
    let message = format!("{sign} {}  ({})", finding.message, finding.code);
    let mut rows: Vec<(String, bool)> = wrapped(&message, room)
        .map(|row| (row.to_owned(), true))
        .collect();
    for hint in &finding.hints {
        rows.extend(wrapped(&hint.words, room).map(|row| (row.to_owned(), false)));
    }
    rows
}
