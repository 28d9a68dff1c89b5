//! The full-screen application: messages change a model, the model is drawn, nothing else.
//!
//! Threads: keys and runs each have one, files have three (`clerk`), and report by message; this one never waits for any
//! of them.

pub mod cells;
mod clerk;
pub mod files;
pub mod finder;
pub mod free;
pub mod keymap;
pub mod layout;
pub mod model;
pub mod picture;
pub mod theme;
pub mod update;
pub mod view;

use std::collections::VecDeque;
use std::io::{self, Write as _, stdout};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Once};
use std::thread;
use std::time::{Duration, Instant};

use clap::Args;
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event, KeyEventKind,
    KeyModifiers, poll, read,
};
use ratatui::crossterm::terminal::{
    BeginSynchronizedUpdate, EndSynchronizedUpdate, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode,
    enable_raw_mode,
};
use ratatui::crossterm::{cursor, execute};
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;

use self::cells::Cells;
use self::clerk::Clerk;
use self::model::{Mode, Model};
use self::theme::{Depth, Theme, ThemeName};
use self::update::{Effect, Msg, update};
use self::view::Screen;
use crate::folder::Project;
use crate::survey::Surveyor;
use crate::work::Worker;

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

/// How long the keys that were pressed before the end may take.
const LAST_KEYS: Duration = Duration::from_millis(500);
/// Edits that are not kept for longer than this are something to know.
const LATE: Duration = Duration::from_secs(3);

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
            let words = "this terminal does not say that it can show pictures: the field is drawn in cells";
            model.say(theme::Role::Thin, words);
        }
    }
    let worker = {
        let sender = sender.clone();
        Worker::new(move |id, report| {
            // Nobody listens any more once the application is being left.
            let _ = sender.send(Msg::Ran(id, report.map(Arc::new)));
        })
    };
    let surveyor = {
        let sender = sender.clone();
        Surveyor::new(move |found| drop(sender.send(Msg::Found(found))))
    };
    let clerk = Clerk::new(sender, watched);
    if let Some(job) = model.job() {
        worker.hand_in(job);
    }
    let outside = Outside { worker: &worker, surveyor: &surveyor, clerk: &clerk, gate: &gate };
    let result = turn(&mut terminal, &mut screen, &mut model, &receiver, &outside);
    drop(worker);
    let kept = clerk.close();
    drop(guard);
    if !kept {
        let _ = writeln!(io::stderr(), "wayodos: the drive does not answer: what was changed last may not be kept");
    }
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
    surveyor: &'a Surveyor,
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
        execute!(stdout(), BeginSynchronizedUpdate)?;
        terminal.draw(|frame| {
            // What is drawn has the size of what it is drawn into, whatever a terminal forgot to say: at the start, while
            // an editor had it, or between two changes of size.
            let area = frame.area();
            if (area.width, area.height) != model.size {
                let effects = update(model, Msg::Input(Event::Resize(area.width, area.height)));
                debug_assert!(effects.is_empty(), "another size asks for nothing");
            }
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
        // Whoever ends the application waits for the keys before, so that none is lost, but not for thousands of them.
        let stops = batch.iter().any(|msg| matches!(msg, Msg::Stop));
        let mut waiting: VecDeque<Msg> = batch.into();
        while let Some(msg) = waiting.pop_front() {
            let msg = if stops && now.elapsed() > LAST_KEYS { Msg::Stop } else { msg };
            let msg = in_one_breath(model, msg, &mut waiting);
            for effect in update(model, msg) {
                match effect {
                    Effect::Quit => return Ok(()),
                    Effect::Run(job) => outside.worker.hand_in(job),
                    Effect::Survey => outside.surveyor.look(Box::new(model.project.clone())),
                    Effect::Editor(text) => {
                        let edited = in_editor(&text, "way", outside.gate);
                        terminal.clear()?;
                        shown = None;
                        waiting.push_back(Msg::Edited(edited));
                        before = Instant::now();
                    }
                    Effect::EditFile(path) => {
                        let ending = path.rsplit('.').next().unwrap_or("txt");
                        let read = model.project.read(&path).map_err(|error| error.to_string());
                        let edited = read.and_then(|text| Ok((in_editor(&text, ending, outside.gate)?, text)));
                        terminal.clear()?;
                        shown = None;
                        waiting.push_back(Msg::FileEdited(path, edited));
                        before = Instant::now();
                    }
                    effect => outside.clerk.hand_in(effect, model),
                }
            }
        }
        // Last, since a key takes the notice before it away.
        let behind = outside.clerk.behind();
        if behind > LATE {
            let words = format!("your edits have not been kept for {} s: the drive does not answer", behind.as_secs());
            model.say(theme::Role::Wrong, words);
        }
    }
}

/// More letters than anybody types at once are a paste of a terminal that does not say so: one change, not thousands.
fn in_one_breath(model: &Model, first: Msg, waiting: &mut VecDeque<Msg>) -> Msg {
    /// As many letters at once are no typing.
    const PASTED: usize = 100;
    let letter = |msg: &Msg| match msg {
        Msg::Input(Event::Key(key)) if !key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT) => {
            key.code.as_char().filter(|_| key.kind != KeyEventKind::Release)
        }
        _ => None,
    };
    let typing = matches!(model.mode, Mode::Free(_) | Mode::Typing(_) | Mode::Asking(..));
    let count = waiting.iter().take_while(|msg| letter(msg).is_some()).count();
    let Some(start) = letter(&first).filter(|_| typing && count + 1 >= PASTED) else { return first };
    let rest = waiting.drain(..count);
    Msg::Input(Event::Paste(std::iter::once(start).chain(rest.filter_map(|msg| letter(&msg))).collect()))
}

/// Lets the person's own editor have the terminal and a copy of the text; the text that it leaves.
fn in_editor(text: &str, ending: &str, gate: &Gate) -> Result<String, String> {
    let named = |name: &str| std::env::var(name).ok().filter(|value| !value.trim().is_empty());
    let Some(command) = named("VISUAL").or_else(|| named("EDITOR")) else {
        return Err("no editor is named: set EDITOR, as in `export EDITOR=nano`, or type freely with e".into());
    };
    let cannot = |error: io::Error| format!("cannot open the editor: {error}");
    let mut file = tempfile::Builder::new().prefix("edit-").suffix(&format!(".{ending}")).tempfile().map_err(cannot)?;
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
            let report = std::panic::take_hook();
            std::panic::set_hook(Box::new(move |panic| {
                restore();
                report(panic);
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
    let report = sender.clone();
    thread::Builder::new().name("signals".into()).spawn(move || {
        for _ in signals.forever() {
            if report.send(Msg::Stop).is_err() {
                return;
            }
        }
    })?;
    Ok(())
}

#[cfg(test)]
mod tests;
