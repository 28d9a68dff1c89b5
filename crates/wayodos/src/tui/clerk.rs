//! Files: three threads that the screen never waits for. Drafts have their own, so that an edit is
//! kept at once whatever a save, a drawing or a drive that hangs is busy with; each of the others
//! reports by message.
//!
//! Long because the three threads share what they know of the files that are open.

use std::cell::Cell;
use std::collections::VecDeque;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use wayodos_core::record::Intervention;
use wayodos_report::{to_pdf, to_svg};

use super::document::{Document, Language};
use super::model::Model;
use super::update::{Effect, Msg, Opened, Refitted};
use crate::draft::Draft;
use crate::folder::{Home, Project, Saved, read_text, save_text, write_whole};
use crate::safe::sweep;
use crate::sheets::Sheet;
use crate::shelf::{Change, carry_out};

/// Something to do with files, with all it needs.
enum Errand {
    Save {
        project: Box<Project>,
        path: String,
        draft: Option<PathBuf>,
        read: String,
        text: Arc<str>,
        overwrite: bool,
    },
    Refit {
        project: Box<Project>,
        texts: Texts,
    },
    OpenText {
        project: Box<Project>,
        path: String,
    },
    Open {
        project: Box<Project>,
        mission: String,
    },
    Hands {
        project: Box<Project>,
        hands: Vec<Intervention>,
    },
    Arrange {
        project: Box<Project>,
        change: Change,
    },
    Store {
        project: Box<Project>,
        path: String,
        before: String,
        text: String,
    },
}

/// Texts that are open, with their paths in the project.
pub type Texts = Vec<(String, Arc<str>)>;

/// What becomes of a draft.
enum DraftErrand {
    Keep {
        file: PathBuf,
        of: PathBuf,
        base: String,
        text: Arc<str>,
    },
    Clear {
        file: PathBuf,
    },
}

impl DraftErrand {
    /// The draft that it is about.
    fn file(&self) -> &Path {
        match self {
            Self::Keep { file, .. } | Self::Clear { file } => file,
        }
    }
}

/// A drawing to write.
struct Drawing {
    project: Box<Project>,
    sheet: Sheet,
    seed: u64,
}

/// The ways to the threads.
struct Outlets {
    errands: Sender<Errand>,
    drafts: Sender<DraftErrand>,
    drawings: Sender<Drawing>,
}

/// Since when the drafts' thread has not got round to what it was asked.
type Behind = Arc<Mutex<Option<Instant>>>;

/// How long leaving waits for a drive that does not answer.
const PATIENCE: Duration = Duration::from_secs(4);

/// Who reads and writes files.
pub struct Clerk {
    /// None once they are closed.
    to: Option<Outlets>,
    behind: Behind,
    sender: Sender<Msg>,
    /// It has been said that drafts have no place.
    warned: Cell<bool>,
    /// Comes to an end when the threads that keep edits have.
    done: Receiver<()>,
}

impl Clerk {
    /// Starts the threads.
    pub fn new(sender: Sender<Msg>, project: Project) -> Self {
        let ((errands, asked), (drafts, kept), (drawings, drawn)) =
            (channel(), channel(), channel());
        let behind = Behind::default();
        let (alive, done) = channel();
        let start = |name: &str, job: Box<dyn FnOnce() + Send>| {
            // Without a thread nothing is done, and what waits for it is said: the other end is
            // gone.
            let _ = thread::Builder::new().name(name.into()).spawn(job);
        };
        let (to, waiting, own) = (sender.clone(), Arc::clone(&behind), alive.clone());
        start(
            "drafts",
            Box::new(move || {
                keep_drafts(&kept, &to, &waiting);
                drop(own);
            }),
        );
        let (to, drafts_too, own) = (sender.clone(), drafts.clone(), sender.clone());
        start(
            "files",
            Box::new(move || {
                work(&asked, &to, &drafts_too, &project);
                drop(alive);
            }),
        );
        start(
            "drawings",
            Box::new(move || {
                for Drawing {
                    project,
                    sheet,
                    seed,
                } in drawn
                {
                    let _ = sender.send(Msg::Exported(export(&project, &sheet, seed)));
                }
            }),
        );
        Self {
            to: Some(Outlets {
                errands,
                drafts,
                drawings,
            }),
            behind,
            sender: own,
            warned: Cell::new(false),
            done,
        }
    }

    /// Has something done.
    pub fn hand_in(&self, effect: Effect, model: &Model) {
        let project = || Box::new(model.project.clone());
        let draft = |path: &str| {
            let own = path == model.project.config.mission;
            let open = model.documents().find(|document| document.path == path);
            let place = open
                .filter(|_| !own)
                .map_or(&model.project.place, |document| &document.place);
            model.project.draft_of(path, place)
        };
        let read = |path: &str| {
            let open = model.documents().find(|document| document.path == path);
            open.map_or_else(String::new, |document| document.saved.clone())
        };
        let Some(to) = &self.to else { return };
        // A thread is gone only after a panic, which has been shown.
        match effect {
            Effect::Save {
                path,
                text,
                overwrite,
            } => {
                let (read, draft) = (read(&path), draft(&path));
                let _ = to.errands.send(Errand::Save {
                    project: project(),
                    path,
                    draft,
                    read,
                    text,
                    overwrite,
                });
            }
            Effect::Draft(path, text) => {
                let Some(file) = draft(&path) else {
                    if !self.warned.replace(true) {
                        let _ = self.sender.send(Msg::DraftFailed(
                            "there is no home folder to keep them in".to_owned(),
                        ));
                    }
                    return;
                };
                let of = model.project.file(&path).unwrap_or_else(|| file.clone());
                self.draft(DraftErrand::Keep {
                    file,
                    of,
                    base: read(&path),
                    text,
                });
            }
            Effect::ClearDraft(path) => {
                if let Some(file) = draft(&path) {
                    self.draft(DraftErrand::Clear { file });
                }
            }
            Effect::Refit(texts) => {
                let _ = to.errands.send(Errand::Refit {
                    project: project(),
                    texts,
                });
            }
            Effect::OpenText(path) => {
                let _ = to.errands.send(Errand::OpenText {
                    project: project(),
                    path,
                });
            }
            Effect::Export(sheet) => {
                let _ = to.drawings.send(Drawing {
                    project: project(),
                    sheet,
                    seed: model.seed,
                });
            }
            Effect::Open(mission) => {
                let _ = to.errands.send(Errand::Open {
                    project: project(),
                    mission,
                });
            }
            Effect::KeepHands => {
                let _ = to.errands.send(Errand::Hands {
                    project: project(),
                    hands: model.hands.clone(),
                });
            }
            Effect::Arrange(change) => {
                let _ = to.errands.send(Errand::Arrange {
                    project: project(),
                    change,
                });
            }
            Effect::Store { path, before, text } => {
                let _ = to.errands.send(Errand::Store {
                    project: project(),
                    path,
                    before,
                    text,
                });
            }
            Effect::Run(_)
            | Effect::Spread(_)
            | Effect::StopSpread
            | Effect::Able(_)
            | Effect::Sweep(_)
            | Effect::Grid(_)
            | Effect::League(_)
            | Effect::StopSweep
            | Effect::Tune(_)
            | Effect::StopTune
            | Effect::Against { .. }
            | Effect::StopAgainst
            | Effect::Book(_)
            | Effect::Prove(..)
            | Effect::StopProof
            | Effect::Survey
            | Effect::Editor(_)
            | Effect::EditFile(_)
            | Effect::Suspend
            | Effect::Quit => {}
        }
    }

    fn draft(&self, errand: DraftErrand) {
        let Some(to) = &self.to else { return };
        self.behind
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .get_or_insert_with(Instant::now);
        let _ = to.drafts.send(errand);
    }

    /// For how long edits have not been kept, because the drive does not answer.
    pub fn behind(&self) -> Duration {
        self.behind
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .map_or(Duration::ZERO, |since| since.elapsed())
    }

    /// Waits until everything asked for is kept, but not for ever; whether it is.
    pub fn close(mut self) -> bool {
        self.wait()
    }

    fn wait(&mut self) -> bool {
        self.to.take().is_none()
            || matches!(
                self.done.recv_timeout(PATIENCE),
                Err(RecvTimeoutError::Disconnected)
            )
    }
}

impl Drop for Clerk {
    /// Also after a panic, what was asked for is kept.
    fn drop(&mut self) {
        self.wait();
    }
}

/// Keeps drafts, in the order in which they come; only the newest of several is worth a write.
fn keep_drafts(
    asked: &Receiver<DraftErrand>,
    sender: &Sender<Msg>,
    behind: &Mutex<Option<Instant>>,
) {
    let mut failed = false;
    let mut waiting = VecDeque::new();
    loop {
        waiting.extend(asked.try_iter());
        let Some(errand) = waiting.pop_front().or_else(|| asked.recv().ok()) else {
            return;
        };
        if waiting.iter().any(|newer| newer.file() == errand.file()) {
            continue;
        }
        let result = match errand {
            DraftErrand::Keep {
                file,
                of,
                base,
                text,
            } => Draft::store(&base, &text, &file, &of),
            DraftErrand::Clear { file } => {
                // Most often there is none.
                let _ = std::fs::remove_file(file);
                Ok(())
            }
        };
        match result {
            Err(error) => {
                failed = true;
                let _ = sender.send(Msg::DraftFailed(error));
            }
            Ok(()) if std::mem::take(&mut failed) => drop(sender.send(Msg::DraftKept)),
            Ok(()) => {}
        }
        // What came in meanwhile waits from now on.
        *behind.lock().unwrap_or_else(PoisonError::into_inner) = None;
    }
}

/// Between two looks at the files.
const WATCH: Duration = Duration::from_millis(400);

fn work(
    asked: &Receiver<Errand>,
    sender: &Sender<Msg>,
    drafts: &Sender<DraftErrand>,
    project: &Project,
) {
    if let Home::Folder(folder) = &project.home {
        for inside in [
            "", "missions", "shared", "robots", "fields", "hands", "exports",
        ] {
            sweep(&folder.join(inside));
        }
    }
    let mut watch = Watch::new(project);
    let mut waiting = VecDeque::new();
    loop {
        waiting.extend(asked.try_iter());
        let next = waiting
            .pop_front()
            .map_or_else(|| asked.recv_timeout(WATCH), Ok);
        let answer = match next {
            Ok(Errand::Save {
                mut project,
                path,
                draft,
                read,
                text,
                overwrite,
            }) => {
                let saved = save_text(&project, &path, (&read, &text), overwrite, Path::new("."));
                match &saved {
                    Ok(Saved::Copied(folder)) => {
                        // The demo's own draft: the copy has another one.
                        if let Some(file) = draft {
                            let _ = drafts.send(DraftErrand::Clear { file });
                        }
                        project.home = Home::Folder(folder.clone());
                        watch.moved(&project, &path, &text);
                    }
                    Ok(Saved::Done) => watch.saved(&path, &text),
                    _ => {}
                }
                Msg::Saved(path, saved, text)
            }
            // Of several only the newest is worth reading the project for.
            Ok(Errand::Refit { .. })
                if waiting
                    .iter()
                    .any(|next| matches!(next, Errand::Refit { .. })) =>
            {
                continue;
            }
            Ok(Errand::Refit { project, texts }) => {
                watch.texts.clone_from(&texts);
                Msg::Refit(Box::new(refit(&project, &texts, true)))
            }
            Ok(Errand::OpenText { project, path }) => {
                let opened = open_text(&project, &path);
                if let Ok(opened) = &opened {
                    watch.open(&path, &opened.file);
                }
                Msg::TextOpened(opened.map(Box::new))
            }
            Ok(Errand::Open { project, mission }) => {
                Msg::Opened(project.open_other(&mission).map(|project| {
                    watch.reopened(&project);
                    let recovered = project.recovered();
                    (Box::new(project), recovered)
                }))
            }
            Ok(Errand::Arrange { project, change }) => {
                let result = carry_out(&project, &change).map_err(|refused| refused.to_string());
                // What plays with the mission that is open may be another file now.
                watch
                    .look()
                    .into_iter()
                    .for_each(|msg| drop(sender.send(msg)));
                Msg::Arranged(change, result)
            }
            Ok(Errand::Store {
                project,
                path,
                before,
                text,
            }) => {
                let stored = store(&project, &path, &before, &text);
                watch
                    .look()
                    .into_iter()
                    .for_each(|msg| drop(sender.send(msg)));
                Msg::Stored(stored.map(|()| path))
            }
            Ok(Errand::Hands { project, hands }) => Msg::HandsKept(project.keep_hands(&hands)),
            Err(RecvTimeoutError::Timeout) => {
                watch
                    .look()
                    .into_iter()
                    .for_each(|msg| drop(sender.send(msg)));
                continue;
            }
            Err(RecvTimeoutError::Disconnected) => return,
        };
        let _ = sender.send(answer);
    }
}

/// Writes a file that another editor has changed, unless somebody else has written it meanwhile.
fn store(project: &Project, path: &str, before: &str, text: &str) -> Result<(), String> {
    let Home::Folder(folder) = &project.home else {
        return Err("the demo's files are inside the program".into());
    };
    let file = project.place(folder, path)?;
    if project.read(path).map_err(|error| error.to_string())? != before {
        return Err(format!(
            "{path} was changed by another program meanwhile: open it again"
        ));
    }
    write_whole(&file, text.as_bytes())
        .map_err(|error| format!("cannot write {}: {error}", file.display()))
}

/// Opens a text of a project, with unsaved edits of a former session if there are any.
///
/// # Errors
/// A sentence that says why it cannot be opened.
pub fn open_text(project: &Project, path: &str) -> Result<Opened, String> {
    let language = Language::of(path, &project.config)
        .ok_or_else(|| format!("{path} is no text that opens here"))?;
    let text = project.read(path).map_err(|error| error.to_string())?;
    let place = project.place_of(path);
    let draft = project
        .draft_of(path, &place)
        .and_then(|file| Draft::load(&file));
    let recovered = draft.filter(|draft| draft.text != text);
    let mut document = Document::new(
        path.to_owned(),
        language,
        text.clone(),
        recovered,
        project.setup.as_ref(),
    );
    document.place = place;
    Ok(Opened {
        document,
        file: text,
    })
}

/// Reads a project again as if its files held these texts.
pub fn refit(project: &Project, texts: &Texts, ours: bool) -> Refitted {
    let fresh = project
        .with_texts(texts)
        .map_err(|error| format!("{error}: {}", error.hint()));
    let known = |path: &str| fresh.as_ref().is_ok_and(|fresh| fresh.text(path).is_some());
    let others = texts.iter().filter(|(path, _)| !known(path));
    let others = others.filter_map(|(path, text)| match Language::of(path, &project.config) {
        Some(Language::Settings(source)) => Some((
            path.clone(),
            Arc::clone(text),
            project.findings_of(source, text),
        )),
        _ => None,
    });
    let others = others.collect();
    Refitted {
        project: fresh,
        others,
        ours,
    }
}

/// What the files of a project looked like when they were last read: when they were written, and
/// how long they are.
struct Watch {
    project: Project,
    /// What the files of open texts are known to hold, by path: the mission's first.
    known: Vec<(String, String)>,
    /// The texts that are open, as they were when they were last told.
    texts: Texts,
    stamps: Vec<(PathBuf, Option<Stamp>)>,
}

type Stamp = (std::time::SystemTime, u64);

fn stamp(file: &Path) -> Option<Stamp> {
    let about = std::fs::metadata(file).ok()?;
    Some((about.modified().ok()?, about.len()))
}

impl Watch {
    fn new(project: &Project) -> Self {
        let known = vec![(project.config.mission.clone(), project.mission.clone())];
        let mut watch = Self {
            project: project.clone(),
            known,
            texts: Vec::new(),
            stamps: Vec::new(),
        };
        watch.stamp_all();
        watch
    }

    /// Another mission is open now; other texts stay.
    fn reopened(&mut self, project: &Project) {
        let own = (project.config.mission.clone(), project.mission.clone());
        self.texts
            .retain(|(path, _)| !path.starts_with("missions/"));
        self.known
            .retain(|(path, _)| !path.starts_with("missions/"));
        self.known.insert(0, own);
        self.project = project.clone();
        self.stamp_all();
    }

    /// The demo became a folder when a text was saved.
    fn moved(&mut self, project: &Project, path: &str, text: &str) {
        self.project = project.clone();
        self.saved(path, text);
        self.stamp_all();
    }

    fn open(&mut self, path: &str, text: &str) {
        self.known.push((path.to_owned(), text.to_owned()));
        self.stamp_all();
    }

    fn saved(&mut self, path: &str, text: &str) {
        if let Some((_, known)) = self.known.iter_mut().find(|(known, _)| known == path) {
            text.clone_into(known);
        }
        self.stamp_all();
    }

    /// Notes how all files look now.
    fn stamp_all(&mut self) {
        let open = self
            .known
            .iter()
            .filter_map(|(path, _)| self.project.file(path));
        let mut files: Vec<PathBuf> = open.chain(self.project.files()).collect();
        files.sort();
        files.dedup();
        self.stamps = files
            .into_iter()
            .map(|file| (stamp(&file), file))
            .map(|(stamp, file)| (file, stamp))
            .collect();
    }

    /// What has changed since the last look.
    fn look(&mut self) -> Vec<Msg> {
        let mut messages = Vec::new();
        let changed: Vec<PathBuf> = self
            .stamps
            .iter()
            .filter(|(file, old)| stamp(file) != *old)
            .map(|(file, _)| file.clone())
            .collect();
        if changed.is_empty() {
            return messages;
        }
        let mut others = changed;
        for (path, known) in &mut self.known {
            let Some(file) = self.project.file(path) else {
                continue;
            };
            let before = others.len();
            others.retain(|other| *other != file);
            // One that is gone, or is no text, is nothing to take over: saving says what is wrong
            // with it.
            if others.len() < before
                && let Ok(text) = read_text(&file)
                && text != *known
            {
                known.clone_from(&text);
                messages.push(Msg::Outside(path.clone(), text));
            }
        }
        if !others.is_empty() {
            let refitted = refit(&self.project, &self.texts, false);
            if let Ok(project) = refitted.project {
                self.project = project.clone();
                messages.push(Msg::Refit(Box::new(Refitted {
                    project: Ok(project),
                    ..refitted
                })));
            }
        }
        self.stamp_all();
        messages
    }
}

/// Writes the page about a run as SVG and PDF into the project's folder `exports`; the demo's into
/// the current one.
fn export(project: &Project, sheet: &Sheet, seed: u64) -> Result<Vec<PathBuf>, String> {
    let folder = match &project.home {
        Home::Folder(folder) => project.place(folder, "exports")?,
        // Its folder comes into being with the first save, not with a drawing.
        Home::Demo => PathBuf::from("."),
    };
    let name = Path::new(&project.config.mission)
        .file_stem()
        .and_then(|name| name.to_str())
        .unwrap_or("mission");
    let cannot =
        |path: &Path, error: &io::Error| format!("cannot write {}: {error}", path.display());
    std::fs::create_dir_all(&folder).map_err(|error| cannot(&folder, &error))?;
    let scene = sheet.scene(project, seed);
    let pdf = to_pdf(&scene).map_err(|error| format!("cannot draw the PDF: {error}"))?;
    let mut files = Vec::new();
    for (ending, bytes) in [("svg", to_svg(&scene).into_bytes()), ("pdf", pdf)] {
        let file = folder.join(format!("{name}{}.{ending}", sheet.suffix()));
        write_whole(&file, &bytes).map_err(|error| cannot(&file, &error))?;
        files.push(file);
    }
    Ok(files)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "helpers of tests are tests")]
mod tests {
    use std::fs;

    use super::*;
    use crate::folder::save;

    #[test]
    fn what_was_asked_for_is_kept_whatever_ends_the_application() {
        let here = tempfile::tempdir().unwrap();
        let demo = Project::demo(None).unwrap();
        let Ok(Saved::Copied(folder)) = save(&demo, "", &demo.mission, false, here.path()) else {
            panic!()
        };
        let project = Project::open(&folder, None).unwrap();
        let model = Model::new(project.clone(), None, 7, (160, 50));
        let broken = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
            let (sender, _messages) = channel();
            let clerk = Clerk::new(sender, project.clone());
            clerk.hand_in(
                Effect::Draft(project.config.mission.clone(), "step \"kept\"\n".into()),
                &model,
            );
            panic!("on purpose");
        }));
        assert!(broken.is_err());
        assert_eq!(project.recovered().unwrap().text, "step \"kept\"\n");
        // A project folder that is gone stays gone.
        fs::remove_dir_all(&folder).unwrap();
        let (sender, messages) = channel();
        let clerk = Clerk::new(sender, project);
        clerk.hand_in(Effect::Draft(model.doc.path.clone(), "x".into()), &model);
        assert!(clerk.close() && !folder.exists());
        assert!(matches!(
            messages.try_iter().next(),
            Some(Msg::DraftFailed(_))
        ));
    }

    #[test]
    fn drafts_are_kept_in_order_and_only_the_newest_of_each_is_written() {
        let here = tempfile::tempdir().unwrap();
        let file = |name: &str| here.path().join(name);
        let keep = |name: &str, text: &str| DraftErrand::Keep {
            file: file(name),
            of: file("a.way"),
            base: "base".to_owned(),
            text: text.into(),
        };
        let (drafts, asked) = channel();
        for errand in [
            keep("a", "1"),
            keep("b", "2"),
            DraftErrand::Clear { file: file("b") },
            keep("a", "3"),
        ] {
            drafts.send(errand).unwrap();
        }
        drafts.send(keep("nowhere/\0", "4")).unwrap();
        drafts.send(keep("a", "5")).unwrap();
        drop(drafts);
        let (sender, messages) = channel();
        let behind = Mutex::new(Some(Instant::now()));
        keep_drafts(&asked, &sender, &behind);
        assert_eq!(Draft::load(&file("a")).unwrap().text, "5");
        assert!(!file("b").exists() && behind.lock().unwrap().is_none());
        let messages: Vec<Msg> = messages.try_iter().collect();
        assert!(
            matches!(messages.as_slice(), [Msg::DraftFailed(_), Msg::DraftKept]),
            "{messages:?}"
        );
    }

    /// The demo in a folder, watched.
    fn watched() -> (tempfile::TempDir, Project, Watch) {
        let here = tempfile::tempdir().unwrap();
        let demo = Project::demo(None).unwrap();
        let Ok(Saved::Copied(folder)) = save(&demo, "", &demo.mission, false, here.path()) else {
            panic!("no copy")
        };
        let project = Project::open(&folder, None).unwrap();
        let watch = Watch::new(&project);
        (here, project, watch)
    }

    #[test]
    fn what_others_write_is_reported_once_and_what_we_write_is_not() {
        let (_here, project, mut watch) = watched();
        assert!(watch.look().is_empty(), "nothing has changed");
        let file = project.mission_file().unwrap();
        let theirs = format!("{}# theirs\n", project.mission);
        fs::write(&file, &theirs).unwrap();
        let messages = watch.look();
        assert!(
            matches!(messages.as_slice(), [Msg::Outside(_, text)] if *text == theirs),
            "{messages:?}"
        );
        assert!(watch.look().is_empty(), "once");
        let ours = format!("{theirs}# ours\n");
        fs::write(&file, &ours).unwrap();
        watch.saved(&project.config.mission, &ours);
        assert!(watch.look().is_empty(), "we know what we wrote");
        // Gone, or no text: nothing to take over.
        fs::write(&file, [0xff, 0xfe]).unwrap();
        assert!(watch.look().is_empty());
        fs::remove_file(&file).unwrap();
        assert!(watch.look().is_empty());
        fs::write(&file, &theirs).unwrap();
        assert_eq!(watch.look().len(), 1, "and back");
    }

    #[test]
    fn a_changed_robot_brings_the_project_anew() {
        let (_here, project, mut watch) = watched();
        let Home::Folder(folder) = &project.home else {
            panic!("a folder")
        };
        let robot = folder.join("robots/curlew.toml");
        let text = fs::read_to_string(&robot).unwrap();
        fs::write(&robot, text.replace("7.9 V", "7.25 V")).unwrap();
        let messages = watch.look();
        let [Msg::Refit(fresh)] = messages.as_slice() else {
            panic!("{messages:?}")
        };
        assert_eq!(
            fresh
                .project
                .as_ref()
                .unwrap()
                .setup
                .as_ref()
                .unwrap()
                .robot
                .battery,
            7.25
        );
        fs::write(&robot, "mass = 9").unwrap();
        let messages = watch.look();
        let [Msg::Refit(broken)] = messages.as_slice() else {
            panic!("{messages:?}")
        };
        let broken = broken.project.as_ref().unwrap();
        assert!(broken.setup.is_none() && !broken.findings.is_empty());
        assert!(watch.look().is_empty());
    }
}
