//! A look at everything in a project: each mission run as it stands in its file, each robot and
//! field read.
//!
//! It goes on behind the screen, one file at a time, and begins again when the files have changed.

use std::path::Path;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread;

use wayodos_core::field::{self, Field, Unreadable};
use wayodos_core::finding::{Finding, Severity, has_errors};
use wayodos_core::project::prepare;
use wayodos_core::record::Outcome;
use wayodos_core::robot::{self, Robot};
use wayodos_report::words::result_words;

use crate::folder::{Home, Project};
use crate::runner::Runner;
use crate::shelf::{Entry, Kind, list, mission_name};
use crate::work::{Job, Kind as JobKind, RunReport};

/// What is known of a file.
#[derive(Clone, Debug)]
pub enum Card {
    /// A mission.
    Mission(Box<MissionCard>),
    /// A robot; none when its file has errors, with how many.
    Robot(Option<Arc<Robot>>, usize),
    /// A field, likewise.
    Field(Option<Arc<Field>>, usize),
    /// The first lines of any other text.
    Text(String),
    /// Nothing can be said: why.
    Unreadable(String),
}

/// What is known of a mission.
#[derive(Clone, Debug)]
pub struct MissionCard {
    /// What people call it.
    pub title: String,
    /// Path of its robot.
    pub robot: String,
    /// Path of its field.
    pub field: String,
    /// Path of its calibration.
    pub calibration: Option<String>,
    /// How its run ends.
    pub end: End,
    /// The run, when it can be run.
    pub report: Option<Arc<RunReport>>,
    /// There are edits of it that are not saved.
    pub draft: bool,
    /// It is the one that opens first.
    pub first: bool,
}

/// How a mission's run ends.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum End {
    /// As planned, in words.
    Well(String),
    /// Otherwise, in words.
    Badly(String),
    /// It cannot run: how many errors there are.
    Errors(usize),
    /// It has no steps yet.
    Empty,
}

/// Something found out.
#[derive(Debug)]
pub enum Found {
    /// The files there are.
    Files(Vec<Entry>),
    /// What is known of one of them, by its path.
    Card(String, Card),
}

/// Who looks through projects.
pub struct Surveyor {
    asked: Sender<Box<Project>>,
}

impl Surveyor {
    /// Starts the thread; missions are run by `runner`, behind what somebody waits for, and what is
    /// found is handed to `answer`.
    pub fn new(runner: Arc<Runner>, answer: impl Fn(Found) + Send + 'static) -> Self {
        let (asked, projects) = channel();
        // Without a thread nothing is found, and the screen says that it is still looking.
        let _ = thread::Builder::new()
            .name("survey".into())
            .spawn(move || work(&projects, &runner, &answer));
        Self { asked }
    }

    /// Looks through a project; a look at what was asked for before is given up.
    pub fn look(&self, project: Box<Project>) {
        let _ = self.asked.send(project);
    }
}

fn work(asked: &Receiver<Box<Project>>, runner: &Runner, answer: &impl Fn(Found)) {
    let run = |job: Job| {
        let (sender, ran) = channel();
        runner.hand_in(
            Job {
                kind: JobKind::Behind,
                ..job
            },
            Box::new(move |report| drop(sender.send(report))),
        );
        // Nobody runs it any more when the application is being left.
        ran.recv().ok().flatten()
    };
    let mut next = asked.recv().ok();
    while let Some(project) = next.take() {
        let entries = list(&project);
        answer(Found::Files(entries.clone()));
        for entry in &entries {
            // The newest question is the one that counts.
            if let Some(newer) = asked.try_iter().last() {
                next = Some(newer);
                break;
            }
            answer(Found::Card(entry.path.clone(), card(&project, entry, &run)));
        }
        if next.is_none() {
            next = asked.recv().ok();
        }
    }
}

/// What is known of a file of a project; a mission is run by `run`.
pub fn card(project: &Project, entry: &Entry, run: &dyn Fn(Job) -> Option<RunReport>) -> Card {
    match entry.kind {
        Kind::Mission => match mission_name(&entry.path).map(|name| open(project, name)) {
            Some(Ok(opened)) => Card::Mission(Box::new(mission(project, &opened, run))),
            Some(Err(error)) => Card::Unreadable(error),
            None => Card::Unreadable("its name is no mission's".to_owned()),
        },
        Kind::Export => Card::Text(String::new()),
        _ => match project.read(&entry.path) {
            Err(error) => Card::Unreadable(error.to_string()),
            Ok(text) => match entry.kind {
                Kind::Robot => {
                    let (robot, findings) = robot::load(&text);
                    let errors = errors(&findings);
                    Card::Robot(robot.filter(|_| errors == 0).map(Arc::new), errors)
                }
                Kind::Field => {
                    let files = |path: &str| {
                        project
                            .bytes(path)
                            .map_err(|error| Unreadable::System(error.to_string()))
                    };
                    let (field, findings) = field::load_with(&text, &files);
                    let errors = errors(&findings);
                    Card::Field((errors == 0).then(|| Arc::new(field)), errors)
                }
                _ => Card::Text(text.lines().take(60).collect::<Vec<_>>().join("\n")),
            },
        },
    }
}

fn errors(findings: &[Finding]) -> usize {
    findings
        .iter()
        .filter(|finding| finding.severity == Severity::Error)
        .count()
}

fn open(project: &Project, name: &str) -> Result<Project, String> {
    let opened = match &project.home {
        Home::Folder(folder) => Project::open(folder, Some(name)),
        Home::Demo => Project::demo(Some(name)),
    };
    opened.map_err(|error| error.to_string())
}

fn mission(
    project: &Project,
    opened: &Project,
    run: &dyn Fn(Job) -> Option<RunReport>,
) -> MissionCard {
    let text: Arc<str> = opened.mission.as_str().into();
    let job = opened
        .setup
        .clone()
        .map(|setup| Job::nominal(Arc::clone(&text), Arc::new(setup), opened.config.seed));
    let prepared = job.as_ref().map_or_else(
        || Arc::new(prepare(&text, None)),
        |job| Arc::clone(&job.prepared),
    );
    let report = job
        .filter(|_| prepared.program.is_some())
        .and_then(run)
        .map(Arc::new);
    let end = match &report {
        Some(report) => {
            let words = result_words(&report.run, &report.program);
            if report.run.outcome == Outcome::Done {
                End::Well(words)
            } else {
                End::Badly(words)
            }
        }
        None if prepared.parsed.mission.steps.is_empty() && !has_errors(&opened.findings) => {
            End::Empty
        }
        None => End::Errors((errors(&opened.findings) + errors(&prepared.findings)).max(1)),
    };
    let title = prepared
        .parsed
        .mission
        .name
        .as_ref()
        .map(|name| name.node.clone());
    let stem = Path::new(&opened.config.mission)
        .file_stem()
        .and_then(|stem| stem.to_str())
        .unwrap_or_default();
    MissionCard {
        title: title.unwrap_or_else(|| stem.to_owned()),
        robot: opened.config.robot.clone(),
        field: opened.config.field.clone(),
        calibration: opened.config.calibration.clone(),
        end,
        report,
        draft: opened.recovered().is_some(),
        first: opened.config.mission == project.first_mission(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::work::run_here;

    #[test]
    fn every_file_of_the_demo_has_its_card_and_every_mission_its_end() {
        let demo = Project::demo(None).unwrap();
        let mut well = 0;
        for entry in list(&demo) {
            match card(&demo, &entry, &run_here) {
                Card::Mission(card) => {
                    assert!(card.report.is_some(), "{}", entry.path);
                    assert_eq!(card.first, entry.path == "missions/morning-round.way");
                    well += usize::from(matches!(card.end, End::Well(_)));
                    assert_eq!(
                        card.robot == "robots/barge-cart.toml",
                        entry.name == "haul-the-barge"
                    );
                }
                Card::Robot(robot, errors) => assert!(robot.is_some() && errors == 0),
                Card::Field(field, errors) => {
                    assert!(field.is_some() && errors == 0, "{}", entry.path);
                }
                Card::Text(text) => assert!(!text.is_empty()),
                Card::Unreadable(why) => panic!("{}: {why}", entry.path),
            }
        }
        assert!(well >= 8, "{well}");
    }

    #[test]
    fn a_newer_question_is_answered_instead_of_the_older_one() {
        let (sender, found) = channel();
        let surveyor = Surveyor::new(Arc::default(), move |one| drop(sender.send(one)));
        for _ in 0..20 {
            surveyor.look(Box::new(Project::demo(None).unwrap()));
        }
        drop(surveyor);
        let all: Vec<Found> = found.iter().collect();
        let cards = all
            .iter()
            .filter(|one| matches!(one, Found::Card(..)))
            .count();
        let files = list(&Project::demo(None).unwrap()).len();
        assert!(cards >= files && cards < files * 20, "{cards} of {files}");
    }
}
