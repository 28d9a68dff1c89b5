//! The full-screen application: messages change a model, the model is drawn, nothing else.
//!
//! Threads: keys, runs, and files each have one and report by message; this one never waits for any of them.

pub mod cells;
pub mod finder;
pub mod free;
pub mod keymap;
pub mod layout;
pub mod model;
pub mod picture;
pub mod theme;
pub mod update;
pub mod view;

use std::io::{self, Write as _, stdout};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Once};
use std::thread;
use std::time::{Duration, Instant};

use clap::Args;
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event, poll, read,
};
use ratatui::crossterm::terminal::{
    BeginSynchronizedUpdate, EndSynchronizedUpdate, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode,
    enable_raw_mode,
};
use ratatui::crossterm::{cursor, execute};
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use wayodos_core::record::Intervention;
use wayodos_report::{Parts, to_pdf, to_svg};

use self::cells::Cells;
use self::model::Model;
use self::theme::{Depth, Theme, ThemeName};
use self::update::{Effect, Msg, update};
use self::view::Screen;
use crate::cli::draw::page;
use crate::draft::Draft;
use crate::folder::{Home, Project, Saved, read_text, save, write_whole};
use crate::work::{Told, Worker};

/// How the screen looks.
#[derive(Args, Clone, Debug)]
pub struct Look {
    /// Colours; dark unless said otherwise.
    #[arg(long, value_enum)]
    theme: Option<ThemeName>,
    /// Which block characters the field is drawn with; chosen by the terminal's name unless said otherwise.
    #[arg(long, value_enum)]
    cells: Option<Cells>,
    /// Draw the field in the terminal's own pixels, where it can show pictures (not within tmux).
    #[arg(long)]
    pictures: bool,
}

impl Look {
    /// This look, with what it leaves open taken from another.
    #[must_use]
    pub fn or(&self, other: &Self) -> Self {
        Self {
            theme: self.theme.or(other.theme),
            cells: self.cells.or(other.cells),
            pictures: self.pictures || other.pictures,
        }
    }
}

/// Time between two frames while playing.
const FRAME: Duration = Duration::from_millis(33);

/// Opens the screen and stays until it is left.
///
/// # Errors
/// When there is no terminal, or it went away.
pub fn run(project: Project, seed: u64, look: &Look) -> io::Result<()> {
    let depth = Depth::detect(|name| std::env::var(name).ok());
    let (sender, receiver) = channel();
    let guard = Guard::enter()?;
    let gate = Arc::new(Gate::default());
    listen(&sender, &gate)?;
    let mut terminal = Terminal::new(CrosstermBackend::new(stdout()))?;
    let size = terminal.size()?;
    let recovered = project.recovered();
    let watched = project.clone();
    let mut model = Model::new(project, recovered, seed, (size.width, size.height));
    update::meet(&mut model);
    let mut screen = Screen::new(
        Theme::new(look.theme.unwrap_or(ThemeName::Dark), depth),
        look.cells.unwrap_or_else(|| Cells::detect(|name| std::env::var(name).ok())),
    );
    if look.pictures {
        screen.pixels = pixels();
        if screen.pixels.is_none() {
            let told = "this terminal does not say that it can show pictures: the field is drawn in cells";
            model.say(theme::Role::Thin, told);
        }
    }
    let worker = {
        let sender = sender.clone();
        Worker::new(move |id, told| {
            // Nobody listens any more once the application is being left.
            let _ = sender.send(Msg::Ran(id, told.map(Arc::new)));
        })
    };
    let clerk = Clerk::new(sender, watched);
    if let Some(job) = model.job() {
        worker.hand_in(job);
    }
    let outside = Outside { worker: &worker, clerk: &clerk, gate: &gate };
    let result = turn(&mut terminal, &mut screen, &mut model, &receiver, &outside);
    drop(worker);
    clerk.close();
    drop(guard);
    result
}

/// Pixels of a cell, where pictures can be shown: a multiplexer in between would lose them.
fn pixels() -> Option<(usize, usize)> {
    if std::env::var_os("TMUX").is_some() || std::env::var_os("STY").is_some() {
        return None;
    }
    let window = ratatui::crossterm::terminal::window_size().ok()?;
    picture::cell_pixels(window.columns, window.rows, window.width, window.height)
}

type Tty = Terminal<CrosstermBackend<io::Stdout>>;

/// Who does what the application asks for.
struct Outside<'a> {
    worker: &'a Worker,
    clerk: &'a Clerk,
    gate: &'a Gate,
}

/// The loop: take every message there is, then draw once.
fn turn(
    terminal: &mut Tty,
    screen: &mut Screen,
    model: &mut Model,
    receiver: &Receiver<Msg>,
    outside: &Outside<'_>,
) -> io::Result<()> {
    let mut before = Instant::now();
    let mut shown: Option<(picture::Picture, (u16, u16))> = None;
    loop {
        // Whatever a terminal forgot to say: at the start, or while an editor had it, a change of size may go unheard.
        let size = terminal.size()?;
        if (size.width, size.height) != model.size {
            let effects = update(model, Msg::Input(Event::Resize(size.width, size.height)));
            debug_assert!(effects.is_empty(), "another size asks for nothing");
        }
        execute!(stdout(), BeginSynchronizedUpdate)?;
        terminal.draw(|frame| {
            if let Some(place) = screen.draw(model, frame.buffer_mut()) {
                frame.set_cursor_position(place);
            }
        })?;
        // A window of another size has lost its picture.
        let wanted = screen.picture().map(|picture| (picture, model.size));
        if shown.as_ref().map(|(picture, size)| (picture, *size)) != wanted {
            match wanted {
                Some((picture, _)) => picture.show(&mut stdout())?,
                None => picture::Picture::hide(&mut stdout())?,
            }
            shown = wanted.map(|(picture, size)| (picture.clone(), size));
        }
        execute!(stdout(), EndSynchronizedUpdate)?;
        let first = if model.playing {
            match receiver.recv_timeout(FRAME.saturating_sub(before.elapsed())) {
                Ok(msg) => msg,
                Err(RecvTimeoutError::Timeout) => Msg::Tick(0.0),
                Err(RecvTimeoutError::Disconnected) => return Ok(()),
            }
        } else {
            match receiver.recv() {
                Ok(msg) => msg,
                Err(_) => return Ok(()),
            }
        };
        let was_playing = model.playing;
        let mut batch = vec![first];
        batch.extend(receiver.try_iter());
        let now = Instant::now();
        if was_playing {
            batch.push(Msg::Tick(now.duration_since(before).as_secs_f64()));
        }
        before = now;
        let mut waiting: std::collections::VecDeque<Msg> = batch.into();
        while let Some(msg) = waiting.pop_front() {
            for effect in update(model, msg) {
                match effect {
                    Effect::Quit => return Ok(()),
                    Effect::Run(job) => outside.worker.hand_in(job),
                    Effect::Editor(text) => {
                        let edited = in_editor(&text, outside.gate);
                        terminal.clear()?;
                        shown = None;
                        waiting.push_back(Msg::Edited(edited));
                        before = Instant::now();
                    }
                    effect => outside.clerk.hand_in(effect, model),
                }
            }
        }
    }
}

/// Lets the person's own editor have the terminal and a copy of the text; the text that it leaves.
fn in_editor(text: &str, gate: &Gate) -> Result<String, String> {
    let named = |name: &str| std::env::var(name).ok().filter(|value| !value.trim().is_empty());
    let Some(command) = named("VISUAL").or_else(|| named("EDITOR")) else {
        return Err("no editor is named: set EDITOR, as in `export EDITOR=nano`, or type freely with e".into());
    };
    let cannot = |error: io::Error| format!("cannot open the editor: {error}");
    let mut file = tempfile::Builder::new().prefix("mission-").suffix(".way").tempfile().map_err(cannot)?;
    file.write_all(text.as_bytes()).and_then(|()| file.flush()).map_err(cannot)?;
    gate.close();
    restore();
    // By the shell, since the variable may hold options too.
    let shell =
        std::process::Command::new("sh").args(["-c", &format!("{command} \"$1\""), "sh"]).arg(file.path()).status();
    let taken = take();
    gate.open();
    taken.map_err(cannot)?;
    match shell {
        Ok(status) if status.success() => {
            // Editors put a new file in the place of the old one: read it by its name.
            std::fs::read_to_string(file.path()).map_err(|error| format!("cannot read what the editor wrote: {error}"))
        }
        Ok(_) => Err(format!("`{command}` ended with an error; the text is as it was")),
        Err(error) => Err(cannot(error)),
    }
}

// ---- the terminal

static RESTORED: AtomicBool = AtomicBool::new(true);

/// The terminal in our hands; given back when dropped, and on a panic.
pub struct Guard;

impl Guard {
    /// Takes the terminal: raw keys, a screen of our own, the mouse.
    ///
    /// # Errors
    /// When there is no terminal.
    pub fn enter() -> io::Result<Self> {
        static HOOK: Once = Once::new();
        HOOK.call_once(|| {
            let told = std::panic::take_hook();
            std::panic::set_hook(Box::new(move |panic| {
                restore();
                told(panic);
            }));
        });
        take()?;
        Ok(Self)
    }
}

/// Takes the terminal. It is given back when only part of that works.
fn take() -> io::Result<()> {
    enable_raw_mode()?;
    RESTORED.store(false, Ordering::SeqCst);
    let taken = execute!(stdout(), EnterAlternateScreen, EnableMouseCapture, EnableBracketedPaste);
    if taken.is_err() {
        restore();
    }
    taken
}

impl Drop for Guard {
    fn drop(&mut self) {
        restore();
    }
}

/// Gives the terminal back, once. What fails here cannot be helped: the terminal may be gone.
fn restore() {
    if RESTORED.swap(true, Ordering::SeqCst) {
        return;
    }
    let _ = execute!(
        stdout(),
        EndSynchronizedUpdate,
        DisableBracketedPaste,
        DisableMouseCapture,
        LeaveAlternateScreen,
        cursor::Show
    );
    let _ = disable_raw_mode();
    let _ = stdout().flush();
}

/// Whether keys are ours: while another program has the terminal, nobody here reads them.
#[derive(Default)]
struct Gate {
    closed: AtomicBool,
    /// Nobody reads at the moment.
    still: AtomicBool,
}

impl Gate {
    fn close(&self) {
        self.closed.store(true, Ordering::SeqCst);
        // A key that comes within this time is still ours.
        for _ in 0..100 {
            if self.still.load(Ordering::SeqCst) {
                return;
            }
            thread::sleep(Duration::from_millis(5));
        }
    }

    fn open(&self) {
        self.closed.store(false, Ordering::SeqCst);
    }
}

/// Starts the threads that turn keys and signals into messages.
fn listen(sender: &Sender<Msg>, gate: &Arc<Gate>) -> io::Result<()> {
    let (keys, gate) = (sender.clone(), Arc::clone(gate));
    thread::Builder::new().name("keys".into()).spawn(move || {
        loop {
            if gate.closed.load(Ordering::SeqCst) {
                gate.still.store(true, Ordering::SeqCst);
                thread::sleep(Duration::from_millis(10));
                continue;
            }
            gate.still.store(false, Ordering::SeqCst);
            // A terminal that cannot be read any more is gone: leave, as after a signal.
            let msg = match poll(Duration::from_millis(100)) {
                Ok(false) => continue,
                Ok(true) => read().map_or(Msg::Stop, Msg::Input),
                Err(_) => Msg::Stop,
            };
            let stop = matches!(msg, Msg::Stop);
            if keys.send(msg).is_err() || stop {
                return;
            }
        }
    })?;
    let mut signals = Signals::new([SIGHUP, SIGINT, SIGTERM])?;
    let told = sender.clone();
    thread::Builder::new().name("signals".into()).spawn(move || {
        for _ in signals.forever() {
            if told.send(Msg::Stop).is_err() {
                return;
            }
        }
    })?;
    Ok(())
}

// ---- files

/// Something to do with files, with all it needs.
enum Errand {
    Save { project: Box<Project>, read: String, text: Arc<str>, overwrite: bool },
    Draft { file: PathBuf, mission: PathBuf, base: String, text: Arc<str> },
    ClearDraft { file: PathBuf },
    Export { project: Box<Project>, told: Arc<Told>, seed: u64 },
    Open { project: Box<Project>, mission: String },
    Hands { project: Box<Project>, hands: Vec<Intervention> },
}

/// The thread that reads and writes files, in the order it was asked to.
struct Clerk {
    errands: Sender<Errand>,
    thread: Option<thread::JoinHandle<()>>,
}

impl Clerk {
    fn new(sender: Sender<Msg>, project: Project) -> Self {
        let (errands, asked) = channel();
        let thread = thread::Builder::new().name("files".into()).spawn(move || work(&asked, &sender, &project));
        Self { errands, thread: thread.ok() }
    }

    fn hand_in(&self, effect: Effect, model: &Model) {
        let project = || Box::new(model.project.clone());
        let draft = model.project.draft_file();
        let errand = match effect {
            Effect::Save { text, overwrite } => {
                Some(Errand::Save { project: project(), read: model.saved.clone(), text, overwrite })
            }
            Effect::Draft(text) => draft.map(|file| {
                let mission = model.project.mission_file().unwrap_or_else(|| file.clone());
                Errand::Draft { file, mission, base: model.saved.clone(), text }
            }),
            Effect::ClearDraft => draft.map(|file| Errand::ClearDraft { file }),
            Effect::Export(told) => Some(Errand::Export { project: project(), told, seed: model.seed }),
            Effect::Open(mission) => Some(Errand::Open { project: project(), mission }),
            Effect::KeepHands => Some(Errand::Hands { project: project(), hands: model.hands.clone() }),
            Effect::Run(_) | Effect::Editor(_) | Effect::Quit => None,
        };
        if let Some(errand) = errand {
            // The thread is gone only after a panic, which has been shown.
            let _ = self.errands.send(errand);
        }
    }

    /// Waits until everything asked for is done.
    fn close(mut self) {
        drop(std::mem::replace(&mut self.errands, channel().0));
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

/// Between two looks at the files.
const WATCH: Duration = Duration::from_millis(400);

fn work(asked: &Receiver<Errand>, sender: &Sender<Msg>, project: &Project) {
    let mut ahead: Option<Errand> = None;
    let mut watch = Watch::new(project);
    loop {
        let errand = match ahead.take() {
            Some(errand) => errand,
            None => match asked.recv_timeout(WATCH) {
                Ok(errand) => errand,
                Err(RecvTimeoutError::Timeout) => {
                    for msg in watch.look() {
                        let _ = sender.send(msg);
                    }
                    continue;
                }
                Err(RecvTimeoutError::Disconnected) => return,
            },
        };
        // Only the newest of several drafts is worth a write.
        if matches!(errand, Errand::Draft { .. }) {
            ahead = asked.try_recv().ok();
            if matches!(ahead, Some(Errand::Draft { .. } | Errand::ClearDraft { .. })) {
                continue;
            }
        }
        let answer = match errand {
            Errand::Save { mut project, read, text, overwrite } => {
                let old_draft = project.draft_file();
                let saved = save(&project, &read, &text, overwrite, Path::new("."));
                match &saved {
                    Ok(Saved::Copied(folder)) => {
                        if let Some(file) = old_draft {
                            // The demo's own draft: the copy has another one.
                            let _ = std::fs::remove_file(file);
                        }
                        project.home = Home::Folder(folder.clone());
                        project.mission = text.to_string();
                        watch = Watch::new(&project);
                    }
                    Ok(Saved::Done) => watch.saved(&text),
                    _ => {}
                }
                Some(Msg::Saved(saved, text))
            }
            Errand::Draft { file, mission, base, text } => {
                Draft::store(&base, &text, &file, &mission).err().map(Msg::DraftFailed)
            }
            Errand::ClearDraft { file } => {
                // Most often there is none.
                let _ = std::fs::remove_file(file);
                None
            }
            Errand::Export { project, told, seed } => Some(Msg::Exported(export(&project, &told, seed))),
            Errand::Open { project, mission } => {
                let opened = project.open_other(&mission).map(|project| {
                    watch = Watch::new(&project);
                    let recovered = project.recovered();
                    (Box::new(project), recovered)
                });
                Some(Msg::Opened(opened))
            }
            Errand::Hands { project, hands } => Some(Msg::HandsKept(project.keep_hands(&hands))),
        };
        if let Some(answer) = answer {
            let _ = sender.send(answer);
        }
    }
}

/// What the files of a project looked like when they were last read: when they were written, and how long they are.
struct Watch {
    project: Option<(PathBuf, String)>,
    mission: Option<PathBuf>,
    /// What the mission's file is known to hold.
    known: String,
    stamps: Vec<(PathBuf, Option<Stamp>)>,
}

type Stamp = (std::time::SystemTime, u64);

fn stamp(file: &Path) -> Option<Stamp> {
    let about = std::fs::metadata(file).ok()?;
    Some((about.modified().ok()?, about.len()))
}

impl Watch {
    fn new(project: &Project) -> Self {
        let folder = match &project.home {
            Home::Folder(folder) => Some((folder.clone(), project.config.mission.clone())),
            Home::Demo => None,
        };
        let mission = project.mission_file();
        let files = mission.iter().cloned().chain(project.files());
        let stamps = files.map(|file| (file.clone(), stamp(&file))).collect();
        Self { project: folder, mission, known: project.mission.clone(), stamps }
    }

    fn saved(&mut self, text: &str) {
        text.clone_into(&mut self.known);
        self.refresh();
    }

    fn refresh(&mut self) {
        for (file, old) in &mut self.stamps {
            *old = stamp(file);
        }
    }

    /// What has changed since the last look.
    fn look(&mut self) -> Vec<Msg> {
        let mut told = Vec::new();
        let changed: Vec<PathBuf> =
            self.stamps.iter().filter(|(file, old)| stamp(file) != *old).map(|(file, _)| file.clone()).collect();
        if changed.is_empty() {
            return told;
        }
        self.refresh();
        for file in &changed {
            if Some(file) == self.mission.as_ref() {
                // One that is gone, or is no text, is nothing to take over: saving says what is wrong with it.
                if let Ok(text) = read_text(file)
                    && text != self.known
                {
                    self.known.clone_from(&text);
                    told.push(Msg::Outside(text));
                }
            }
        }
        if changed.iter().any(|file| Some(file) != self.mission.as_ref())
            && let Some((folder, mission)) = &self.project
            && let Ok(project) = Project::open(folder, Some(mission))
        {
            let stamps = project.mission_file().into_iter().chain(project.files());
            self.stamps = stamps.map(|file| (file.clone(), stamp(&file))).collect();
            told.push(Msg::Refit(Box::new(project)));
        }
        told
    }
}

/// Writes the page about a run as SVG and PDF into the project's folder `exports`; the demo's into the current one.
fn export(project: &Project, told: &Told, seed: u64) -> Result<Vec<PathBuf>, String> {
    let folder = match &project.home {
        Home::Folder(folder) => project.place(folder, "exports")?,
        // Its folder comes into being with the first save, not with a drawing.
        Home::Demo => PathBuf::from("."),
    };
    let name = Path::new(&project.config.mission).file_stem().and_then(|name| name.to_str()).unwrap_or("mission");
    let cannot = |path: &Path, error: &io::Error| format!("cannot write {}: {error}", path.display());
    std::fs::create_dir_all(&folder).map_err(|error| cannot(&folder, &error))?;
    let scene = page(project, told, seed, Parts::All);
    let pdf = to_pdf(&scene).map_err(|error| format!("cannot draw the PDF: {error}"))?;
    let mut files = Vec::new();
    for (ending, bytes) in [("svg", to_svg(&scene).into_bytes()), ("pdf", pdf)] {
        let file = folder.join(format!("{name}.{ending}"));
        write_whole(&file, &bytes).map_err(|error| cannot(&file, &error))?;
        files.push(file);
    }
    Ok(files)
}

#[cfg(test)]
mod tests;

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "helpers of tests are tests")]
mod watching {
    use std::fs;

    use super::*;

    /// The demo in a folder, watched.
    fn watched() -> (tempfile::TempDir, Project, Watch) {
        let here = tempfile::tempdir().unwrap();
        let demo = Project::demo(None).unwrap();
        let Ok(Saved::Copied(folder)) = save(&demo, "", &demo.mission, false, here.path()) else { panic!("no copy") };
        let project = Project::open(&folder, None).unwrap();
        let watch = Watch::new(&project);
        (here, project, watch)
    }

    #[test]
    fn what_others_write_is_told_once_and_what_we_write_is_not() {
        let (_here, project, mut watch) = watched();
        assert!(watch.look().is_empty(), "nothing has changed");
        let file = project.mission_file().unwrap();
        let theirs = format!("{}# theirs\n", project.mission);
        fs::write(&file, &theirs).unwrap();
        let told = watch.look();
        assert!(matches!(told.as_slice(), [Msg::Outside(text)] if *text == theirs), "{told:?}");
        assert!(watch.look().is_empty(), "once");
        let ours = format!("{theirs}# ours\n");
        fs::write(&file, &ours).unwrap();
        watch.saved(&ours);
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
        let Home::Folder(folder) = &project.home else { panic!("a folder") };
        let robot = folder.join("robots/curlew.toml");
        let text = fs::read_to_string(&robot).unwrap();
        fs::write(&robot, text.replace("7.9 V", "7.25 V")).unwrap();
        let told = watch.look();
        let [Msg::Refit(fresh)] = told.as_slice() else { panic!("{told:?}") };
        assert_eq!(fresh.setup.as_ref().unwrap().robot.battery, 7.25);
        fs::write(&robot, "mass = 9").unwrap();
        let told = watch.look();
        assert!(
            matches!(told.as_slice(), [Msg::Refit(broken)] if broken.setup.is_none() && !broken.findings.is_empty())
        );
        assert!(watch.look().is_empty());
    }
}
