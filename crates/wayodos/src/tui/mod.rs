//! The full-screen application: messages change a model, the model is drawn, nothing else.
//!
//! Threads: keys, runs, and files each have one and report by message; this one never waits for any of them.

pub mod cells;
mod keymap;
pub mod layout;
pub mod model;
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
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, read,
};
use ratatui::crossterm::terminal::{
    BeginSynchronizedUpdate, EndSynchronizedUpdate, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode,
    enable_raw_mode,
};
use ratatui::crossterm::{cursor, execute};
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use wayodos_report::{Parts, to_pdf, to_svg};

use self::cells::Cells;
use self::model::Model;
use self::theme::{Depth, Theme, ThemeName};
use self::update::{Effect, Msg, update};
use self::view::Screen;
use crate::cli::draw::page;
use crate::folder::{Home, Project, save, write_whole};
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
}

impl Look {
    /// This look, with what it leaves open taken from another.
    #[must_use]
    pub fn or(&self, other: &Self) -> Self {
        Self { theme: self.theme.or(other.theme), cells: self.cells.or(other.cells) }
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
    listen(&sender)?;
    let mut terminal = Terminal::new(CrosstermBackend::new(stdout()))?;
    let size = terminal.size()?;
    let recovered = project.recovered();
    let mut model = Model::new(project, recovered, seed, (size.width, size.height));
    let mut screen = Screen::new(
        Theme::new(look.theme.unwrap_or(ThemeName::Dark), depth),
        look.cells.unwrap_or_else(|| Cells::detect(|name| std::env::var(name).ok())),
    );
    let worker = {
        let sender = sender.clone();
        Worker::new(move |id, told| {
            // Nobody listens any more once the application is being left.
            let _ = sender.send(Msg::Ran(id, told.map(Arc::new)));
        })
    };
    let clerk = Clerk::new(sender);
    if let Some(job) = model.job() {
        worker.hand_in(job);
    }
    let result = turn(&mut terminal, &mut screen, &mut model, &receiver, &worker, &clerk);
    drop(worker);
    clerk.close();
    drop(guard);
    result
}

type Tty = Terminal<CrosstermBackend<io::Stdout>>;

/// The loop: take every message there is, then draw once.
fn turn(
    terminal: &mut Tty,
    screen: &mut Screen,
    model: &mut Model,
    receiver: &Receiver<Msg>,
    worker: &Worker,
    clerk: &Clerk,
) -> io::Result<()> {
    let mut before = Instant::now();
    loop {
        execute!(stdout(), BeginSynchronizedUpdate)?;
        terminal.draw(|frame| {
            if let Some(place) = screen.draw(model, frame.buffer_mut()) {
                frame.set_cursor_position(place);
            }
        })?;
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
        for msg in batch {
            for effect in update(model, msg) {
                match effect {
                    Effect::Quit => return Ok(()),
                    Effect::Run(job) => worker.hand_in(job),
                    effect => clerk.hand_in(effect, model),
                }
            }
        }
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
        enable_raw_mode()?;
        RESTORED.store(false, Ordering::SeqCst);
        let guard = Self;
        execute!(stdout(), EnterAlternateScreen, EnableMouseCapture, EnableBracketedPaste)?;
        Ok(guard)
    }
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

/// Starts the threads that turn keys and signals into messages.
fn listen(sender: &Sender<Msg>) -> io::Result<()> {
    let keys = sender.clone();
    thread::Builder::new().name("keys".into()).spawn(move || {
        loop {
            // A terminal that cannot be read any more is gone: leave, as after a signal.
            let msg = read().map_or(Msg::Stop, Msg::Input);
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
    Draft { file: PathBuf, text: Arc<str> },
    ClearDraft { file: PathBuf },
    Export { project: Box<Project>, told: Arc<Told>, seed: u64 },
}

/// The thread that reads and writes files, in the order it was asked to.
struct Clerk {
    errands: Sender<Errand>,
    thread: Option<thread::JoinHandle<()>>,
}

impl Clerk {
    fn new(sender: Sender<Msg>) -> Self {
        let (errands, asked) = channel();
        let thread = thread::Builder::new().name("files".into()).spawn(move || work(&asked, &sender));
        Self { errands, thread: thread.ok() }
    }

    fn hand_in(&self, effect: Effect, model: &Model) {
        let project = || Box::new(model.project.clone());
        let draft = model.project.draft_file();
        let errand = match effect {
            Effect::Save { text, overwrite } => {
                Some(Errand::Save { project: project(), read: model.saved.clone(), text, overwrite })
            }
            Effect::Draft(text) => draft.map(|file| Errand::Draft { file, text }),
            Effect::ClearDraft => draft.map(|file| Errand::ClearDraft { file }),
            Effect::Export(told) => Some(Errand::Export { project: project(), told, seed: model.seed }),
            Effect::Run(_) | Effect::Quit => None,
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

fn work(asked: &Receiver<Errand>, sender: &Sender<Msg>) {
    let mut ahead: Option<Errand> = None;
    loop {
        let errand = match ahead.take() {
            Some(errand) => errand,
            None => match asked.recv() {
                Ok(errand) => errand,
                Err(_) => return,
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
            Errand::Save { project, read, text, overwrite } => {
                let old_draft = project.draft_file();
                let saved = save(&project, &read, &text, overwrite, Path::new("."));
                if let (Ok(crate::folder::Saved::Copied(_)), Some(file)) = (&saved, old_draft) {
                    // The demo's own draft: the copy has another one.
                    let _ = std::fs::remove_file(file);
                }
                Some(Msg::Saved(saved, text))
            }
            Errand::Draft { file, text } => keep(&file, &text).err().map(Msg::DraftFailed),
            Errand::ClearDraft { file } => {
                // Most often there is none.
                let _ = std::fs::remove_file(file);
                None
            }
            Errand::Export { project, told, seed } => Some(Msg::Exported(export(&project, &told, seed))),
        };
        if let Some(answer) = answer {
            let _ = sender.send(answer);
        }
    }
}

fn keep(file: &Path, text: &str) -> Result<(), String> {
    let made = file.parent().map_or(Ok(()), std::fs::create_dir_all);
    made.and_then(|()| write_whole(file, text.as_bytes()))
        .map_err(|error| format!("cannot write {}: {error}", file.display()))
}

/// Writes the page about a run as SVG and PDF into the project's folder `exports`; the demo's into the current one.
fn export(project: &Project, told: &Told, seed: u64) -> Result<Vec<PathBuf>, String> {
    let Some(setup) = &project.setup else { return Err("there is no robot or field to draw".into()) };
    let folder = match &project.home {
        Home::Folder(folder) => folder.join("exports"),
        // Its folder comes into being with the first save, not with a drawing.
        Home::Demo => PathBuf::from("."),
    };
    let name = Path::new(&project.config.mission).file_stem().and_then(|name| name.to_str()).unwrap_or("mission");
    let cannot = |path: &Path, error: &io::Error| format!("cannot write {}: {error}", path.display());
    std::fs::create_dir_all(&folder).map_err(|error| cannot(&folder, &error))?;
    let scene = page(project, setup, told, seed, Parts::All);
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
