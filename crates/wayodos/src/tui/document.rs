//! A text of the project that is open: a mission, a robot, a field and the others, all changed in
//! the same way.

use std::ops::Range;
use std::sync::Arc;

use wayodos_core::finding::{Finding, Severity, Source};
use wayodos_core::ids::{SlotId, TextStep};
use wayodos_core::keys::Section;
use wayodos_core::mission::edit::{self, Edit, NotTaken, Stride};
use wayodos_core::mission::restructure::Text;
use wayodos_core::mission::{Block, Line, Slot, SlotKind, parse};
use wayodos_core::project::values::Values;
use wayodos_core::project::{CALIBRATION_FILE, Prepared, Setup, prepare};
use wayodos_core::{field, project, robot};

use crate::draft::Draft;
use crate::window::Place;

/// Where the cursor stands: a line of the text, and which of its slots.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub struct Cursor {
    /// Index of the line.
    pub line: usize,
    /// Counts the slots of that line.
    pub nth: usize,
}

/// What is marked of a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Marked {
    /// Whole steps, from the first to behind the last.
    Steps(Range<TextStep>),
    /// Lines.
    Lines(Range<usize>),
}

/// How a text is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Language {
    /// A mission.
    Mission,
    /// Routines that missions share.
    Routines,
    /// A file of settings; what its findings are about.
    Settings(Source),
}

impl Language {
    /// How a file of the project is read, by its path; none for what is no text to be changed here.
    pub fn of(path: &str, config: &project::Config) -> Option<Self> {
        let (folder, ending) = (
            path.split('/').next().unwrap_or(path),
            path.rsplit('.').next().unwrap_or_default(),
        );
        let is = |known: &Option<String>| known.as_deref() == Some(path);
        match (folder, ending) {
            ("missions", "way") => Some(Self::Mission),
            ("shared", "way") => Some(Self::Routines),
            _ if path == crate::folder::PROJECT_FILE => Some(Self::Settings(Source::Project)),
            _ if path == config.robot => Some(Self::Settings(Source::Robot)),
            _ if path == config.field => Some(Self::Settings(Source::Field)),
            _ if is(&config.calibration) => Some(Self::Settings(Source::Calibration)),
            _ if is(&config.hands) => Some(Self::Settings(Source::Hands)),
            ("robots", "toml") => Some(Self::Settings(Source::Robot)),
            ("fields", "toml") => Some(Self::Settings(Source::Field)),
            ("hands" | "hands.toml", "toml") => Some(Self::Settings(Source::Hands)),
            (folder, "toml") if folder.starts_with("calibration") => {
                Some(Self::Settings(Source::Calibration))
            }
            _ => None,
        }
    }

    /// What people call such a text.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Mission | Self::Settings(Source::Mission) => "mission",
            Self::Routines => "shared routines",
            Self::Settings(Source::Project) => "project file",
            Self::Settings(Source::Robot) => "robot",
            Self::Settings(Source::Field) => "field",
            Self::Settings(Source::Calibration) => "calibration",
            Self::Settings(Source::Hands) => "hands",
        }
    }

    /// What such a file may hold; nothing for missions and routines.
    const fn sections(self) -> &'static [Section] {
        match self {
            Self::Mission | Self::Routines | Self::Settings(Source::Mission) => &[],
            Self::Settings(Source::Project) => project::FILE,
            Self::Settings(Source::Robot) => robot::FILE,
            Self::Settings(Source::Field) => field::FILE,
            Self::Settings(Source::Calibration) => CALIBRATION_FILE,
            Self::Settings(Source::Hands) => project::hands::FILE,
        }
    }
}

/// A text that is open, with where it stands, what it says, and what there was before.
#[derive(Clone, Debug)]
pub struct Document {
    /// Its path within the project.
    pub path: String,
    /// How it is read.
    pub language: Language,
    /// The text now.
    pub text: Arc<str>,
    /// The same text, read; of settings only lines and slots.
    pub prepared: Arc<Prepared>,
    /// The same text as settings, when it is some.
    pub values: Option<Values>,
    /// What stands below the lines, in order of the text.
    pub findings: Vec<Finding>,
    /// What was found wrong with a text when the project was read with it last.
    pub found: (Arc<str>, Vec<Finding>),
    /// What the file holds.
    pub saved: String,
    /// The file was found changed outside: the next save overwrites it.
    pub overwrite: bool,
    /// A save keeps what is in the file, though it was changed outside, as `*.before`.
    pub keeps_ours: bool,
    /// The place of this window among those that have the text open.
    pub place: Place,
    /// Where the cursor stands.
    pub cursor: Cursor,
    /// The column that going up and down keeps to, and where that has led.
    pub column: Option<(Cursor, usize)>,
    /// The line at which marking began; it goes on to the cursor.
    pub mark: Option<usize>,
    /// First row of the pane that is shown.
    pub scroll: usize,
    /// The line that the newest point of history was typed into; typing on there makes no new
    /// point.
    typed: Option<usize>,
    history: Vec<(Arc<str>, Cursor)>,
    at: usize,
}

impl Document {
    /// A text as its file has it, with unsaved edits of a former session if there are any.
    pub fn new(
        path: String,
        language: Language,
        file: String,
        recovered: Option<Draft>,
        setup: Option<&Setup>,
    ) -> Self {
        // What the edits were based on is what the file is compared with.
        let saved = recovered
            .as_ref()
            .and_then(|draft| draft.base.clone())
            .unwrap_or(file);
        let first: Arc<str> = saved.as_str().into();
        let mut history = vec![(first, Cursor::default())];
        history.extend(recovered.map(|draft| (draft.text.into(), Cursor::default())));
        let at = history.len() - 1;
        let text = Arc::clone(&history[at].0);
        let mut document = Self {
            path,
            language,
            found: (Arc::clone(&text), Vec::new()),
            text,
            prepared: Arc::default(),
            values: None,
            findings: Vec::new(),
            saved,
            overwrite: false,
            keeps_ours: false,
            place: Place::default(),
            cursor: Cursor::default(),
            column: None,
            mark: None,
            scroll: 0,
            typed: None,
            history,
            at,
        };
        document.read(setup);
        let first = document.first_line();
        document.cursor = Cursor {
            line: first,
            nth: 0,
        };
        document.cursor.nth = document.slots_on(first).count().saturating_sub(1);
        document
    }

    /// Where tuning begins: the first step's behaviour, or the first value.
    fn first_line(&self) -> usize {
        if self.values.is_some() {
            return self
                .prepared
                .parsed
                .slots
                .first()
                .map_or(0, |slot| slot.line);
        }
        let mut own = self
            .prepared
            .parsed
            .mission
            .steps
            .iter()
            .filter(|step| step.block == Block::Mission);
        own.next()
            .and_then(|step| step.behaviour.as_ref())
            .map_or(0, |(_, line)| *line)
    }

    /// Reads the text again, for a setup.
    pub fn read(&mut self, setup: Option<&Setup>) {
        self.text = Arc::clone(&self.history[self.at].0);
        match self.language {
            Language::Mission => self.prepared = Arc::new(prepare(&self.text, setup)),
            Language::Routines => {
                let parsed = parse(&self.text);
                let findings = parsed.findings.clone();
                self.prepared = Arc::new(Prepared {
                    findings,
                    parsed,
                    ..Prepared::default()
                });
            }
            Language::Settings(_) => {
                let values = Values::of(&self.text, self.language.sections());
                self.prepared = Arc::new(Prepared {
                    parsed: values.parsed.clone(),
                    ..Prepared::default()
                });
                self.values = Some(values);
            }
        }
        self.hold_cursor();
    }

    /// Whether it is a mission.
    pub fn is_mission(&self) -> bool {
        self.language == Language::Mission
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
        self.lines()
            .get(line)
            .map_or("", |line| &self.text[line.span.clone()])
    }

    /// The line of a byte of the text.
    pub fn line_at(&self, offset: usize) -> usize {
        let after = self
            .lines()
            .partition_point(|line| line.span.start <= offset);
        after.saturating_sub(1)
    }

    /// The slots of a line, with their indices.
    pub fn slots_on(&self, line: usize) -> impl DoubleEndedIterator<Item = (SlotId, &Slot)> {
        // They stand in the order of the text.
        let slots = &self.prepared.parsed.slots;
        let span = self
            .lines()
            .get(line)
            .map_or(0..0, |line| line.span.clone());
        let first = slots.partition_point(|slot| slot.span.start < span.start);
        // A word that may be left out has its empty place at the end.
        let last = first + slots[first..].partition_point(|slot| slot.span.start <= span.end);
        slots[first..last]
            .iter()
            .enumerate()
            .map(move |(nth, slot)| (SlotId(first + nth), slot))
    }

    /// Index of the slot under the cursor.
    pub fn slot(&self) -> Option<SlotId> {
        self.slots_on(self.cursor.line)
            .nth(self.cursor.nth)
            .map(|(index, _)| index)
    }

    /// Index of the step of the text that a line belongs to.
    pub fn written_step(&self, line: usize) -> Option<TextStep> {
        self.prepared
            .parsed
            .mission
            .steps
            .iter()
            .rposition(|step| step.line <= line && line <= step.last)
            .map(TextStep)
    }

    /// What is marked, if anything.
    pub fn marked(&self) -> Option<Marked> {
        let mark = self.mark?.min(self.lines().len().saturating_sub(1));
        let (first, last) = (mark.min(self.cursor.line), mark.max(self.cursor.line));
        let lines = Marked::Lines(first..last + 1);
        let steps = &self.prepared.parsed.mission.steps;
        let within = self.written_step(first);
        // Some lines of one step, but not its first, are lines.
        if within.is_some_and(|step| steps[step].line < first && last <= steps[step].last)
            && within == self.written_step(last)
        {
            return Some(lines);
        }
        let begin = within.or_else(|| {
            steps
                .iter()
                .position(|step| (first..=last).contains(&step.line))
                .map(TextStep)
        });
        let end = self.written_step(last).or_else(|| {
            steps
                .iter()
                .rposition(|step| (first..=last).contains(&step.line))
                .map(TextStep)
        });
        let Some((begin, end)) = begin.zip(end) else {
            return Some(lines);
        };
        // Steps at different depths are all of the ones that they stand in, at the depth that they
        // have in common.
        let [begins, ends] = [begin, end].map(|step| {
            let mut around: Vec<TextStep> =
                std::iter::successors(Some(step), |step| steps[*step].inside).collect();
            around.reverse();
            around
        });
        let apart = begins.iter().zip(&ends).position(|(a, b)| a != b);
        let at = apart.unwrap_or_else(|| begins.len().min(ends.len()) - 1);
        Some(Marked::Steps(begins[at]..TextStep(ends[at].0 + 1)))
    }

    /// The lines that are marked: of whole steps all of them.
    pub fn marked_lines(&self) -> Range<usize> {
        match self.marked() {
            None => 0..0,
            Some(Marked::Lines(lines)) => lines,
            Some(Marked::Steps(range)) => {
                let steps = &self.prepared.parsed.mission.steps;
                let last = range.end.before().map_or(0, |last| steps[last].last);
                steps[range.start].line..last + 1
            }
        }
    }

    /// Keeps the cursor on a line and slot that exist.
    pub fn hold_cursor(&mut self) {
        self.cursor.line = self.cursor.line.min(self.lines().len().saturating_sub(1));
        let last = self.slots_on(self.cursor.line).count().saturating_sub(1);
        self.cursor.nth = self.cursor.nth.min(last);
    }

    /// The text as something whose structure is to be changed.
    pub fn structure<'a>(&'a self, setup: &'a Setup) -> Text<'a> {
        Text {
            parsed: &self.prepared.parsed,
            text: &self.text,
            names: &setup.names,
        }
    }

    // ---- changes of slots: one for all texts

    /// Moves a slot one step up or down; none when there is nowhere to go.
    pub fn nudge(&self, setup: Option<&Setup>, slot: SlotId, up: bool, by: Stride) -> Option<Edit> {
        match &self.values {
            Some(values) => values.nudge(&self.text, slot, up, by),
            None => edit::nudge(
                &self.prepared.parsed,
                &self.text,
                &setup?.names,
                slot,
                up,
                by,
            ),
        }
    }

    /// What may stand in a slot that takes words; empty for amounts and free text.
    pub fn choices(&self, setup: Option<&Setup>, slot: SlotId) -> Vec<String> {
        match (&self.values, setup) {
            (Some(values), _) => values.choices(&self.text, slot),
            (None, Some(setup)) => edit::choices(&self.prepared.parsed, &setup.names, slot),
            (None, None) => Vec::new(),
        }
    }

    /// Puts typed text into a slot.
    ///
    /// # Errors
    /// Why it may not stand there.
    pub fn set(&self, setup: Option<&Setup>, slot: SlotId, typed: &str) -> Result<Edit, NotTaken> {
        match (&self.values, setup) {
            (Some(values), _) => values.set(&self.text, slot, typed),
            (None, Some(setup)) => {
                edit::set(&self.prepared.parsed, &self.text, &setup.names, slot, typed)
            }
            (None, None) => Err(NotTaken::Fixed),
        }
    }

    /// Whether an amount stands in the slot under the cursor.
    pub fn is_amount(&self) -> bool {
        let slot = self
            .slot()
            .map(|slot| &self.prepared.parsed.slots[slot].kind);
        matches!(slot, Some(SlotKind::Amount { .. }))
    }

    // ---- what there was before

    /// How many points of history stand before this one.
    pub const fn age(&self) -> usize {
        self.at
    }

    /// The text one point of history before this one.
    pub fn text_before(&self) -> Option<&Arc<str>> {
        Some(&self.history.get(self.at.checked_sub(1)?)?.0)
    }

    /// Puts another text in place as a new point of history.
    pub fn write(&mut self, text: String) {
        (self.typed, self.mark) = (None, None);
        self.history.truncate(self.at + 1);
        self.history[self.at].1 = self.cursor;
        self.history.push((text.into(), self.cursor));
        self.at += 1;
    }

    /// Puts another text in place of the newest point of history.
    pub fn rewrite(&mut self, text: String) {
        self.history.truncate(self.at + 1);
        self.history[self.at].0 = text.into();
    }

    /// Takes the newest point of history out.
    pub fn unwrite(&mut self) {
        self.at = self.at.saturating_sub(1);
        self.history.truncate(self.at + 1);
    }

    /// Puts another text in place as what is typed into a line: all of that is one point of
    /// history.
    pub fn write_typed(&mut self, text: String, line: usize) {
        if self.typed == Some(line) && self.at > 0 {
            self.rewrite(text);
        } else {
            self.write(text);
        }
        self.typed = Some(line);
    }

    /// What is typed from now on is a new point of history.
    pub fn stop_typing(&mut self) {
        self.typed = None;
    }

    /// Goes one point of history back (or ahead), without reading; where the cursor was, when there
    /// was one.
    pub fn travel(&mut self, back: bool) -> Option<Cursor> {
        let wanted = if back {
            self.at.checked_sub(1)
        } else {
            Some(self.at + 1)
        };
        let wanted = wanted.filter(|at| *at < self.history.len())?;
        (self.typed, self.mark) = (None, None);
        // The cursor goes to where the change was made.
        let cursor = self.history[if back { wanted } else { self.at }].1;
        self.at = wanted;
        Some(cursor)
    }

    // ---- findings

    /// Findings about an older text, on the lines of this one. While it is looked at anew they stay
    /// where they were, so that nothing flickers under a nudge; with another number of lines there
    /// is no telling.
    pub fn carried(&self, text: &Arc<str>, findings: &[Finding]) -> Vec<Finding> {
        let same = Arc::ptr_eq(text, &self.text) || **text == *self.text;
        let alike = same || text.split('\n').count() == self.lines().len();
        let here = |finding: &Finding| {
            if same {
                return Some(finding.clone());
            }
            let line = text[..finding.span.start.min(text.len())]
                .matches('\n')
                .count();
            self.lines().get(line).map(|about| Finding {
                span: about.span.clone(),
                ..finding.clone()
            })
        };
        findings.iter().filter(|_| alike).filter_map(here).collect()
    }

    /// Everything that is wrong with the text by itself, or was when it was looked at last.
    pub fn own_findings(&self) -> Vec<Finding> {
        let mut all = self.prepared.findings.clone();
        all.extend(self.carried(&self.found.0, &self.found.1));
        all
    }

    /// Brings together what is shown below the lines: what the text says, and what else was found
    /// out about it.
    ///
    /// - `rules`: what the text says by itself, where runs have been asked about it
    pub fn gather(&mut self, rules: Option<Vec<Finding>>, more: Vec<Finding>) {
        // That there are no steps yet is no mistake: the pane says what to do about it.
        let matters =
            |finding: &Finding| finding.severity != Severity::Note && finding.code != "M109";
        let mut findings = match rules {
            Some(mut rules) => {
                rules.extend(self.carried(&self.found.0, &self.found.1));
                rules
            }
            None => self.own_findings(),
        };
        findings.retain(matters);
        findings.extend(more);
        findings.sort_by_key(|finding| finding.span.start);
        self.findings = findings;
    }
}
