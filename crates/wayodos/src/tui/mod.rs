//! The full-screen application: messages change a model, the model is drawn, nothing else.
//!
//! Threads: keys and runs each have one, files have three (`clerk`), and report by message; this
//! one never waits for any of them.

pub mod ask;
mod called;
pub mod cells;
pub mod clerk;
mod crash;
pub mod document;
pub mod files;
pub mod finder;
pub mod free;
pub mod keymap;
pub mod layout;
pub mod league;
pub mod logbook;
pub mod many;
mod measure;
pub mod model;
pub mod picture;
pub mod search;
pub mod sight;
pub mod theme;
mod thesaurus;
pub mod update;
pub mod view;

use std::cell::RefCell;
use std::collections::VecDeque;
use std::io::{self, BufWriter, Write as _, stdout};
use std::mem::ManuallyDrop;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::{Duration, Instant};

use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event,
    KeyEventKind, KeyModifiers, poll, read,
};
use ratatui::crossterm::terminal::{
    BeginSynchronizedUpdate, Clear, ClearType, EndSynchronizedUpdate, EnterAlternateScreen,
    LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use ratatui::crossterm::{cursor, execute};
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM, SIGTSTP};
use signal_hook::iterator::Signals;
use wayodos_core::record::Trace;
use wayodos_core::robot::Robot;
use wayodos_core::sim::Ability;

use self::ask::Answers;
use self::clerk::{Clerk, Texts};
use self::model::{Mode, Model};
use self::picture::{Easel, Protocol};
use self::theme::{Depth, Theme};
use self::update::{Effect, Msg, update};
use self::view::Screen;
use wayodos_core::lab::spread::{Attempt, Spread};

use crate::against::Other;
use crate::folder::{Home, Project};
use crate::grids::GridJob;
use crate::leagues::{self, LeagueJob};
use crate::logbook::scribe::{Errand, Scribe};
use crate::look::Cells;
use crate::look::{Look, Opening, Pictures, ThemeName};
use crate::runner::{Runner, Ticket};
use crate::spreads::{SpreadJob, Spreader, locked};
use crate::survey::Surveyor;
use crate::sweeps::{self, SweepJob, TextsJob};
use crate::tunes::{self, Batch};
use crate::work::Job;

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
pub fn run(opening: Opening) -> io::Result<()> {
    let Opening {
        mut project,
        seed,
        look,
        notice,
    } = opening;
    let depth = Depth::detect(|name| std::env::var(name).ok());
    let (sender, receiver) = channel();
    let guard = Guard::enter()?;
    let gate = Arc::new(Gate::default());
    listen_to_signals(&sender)?;
    // Never dropped: it would complain of a window that is gone to a stderr that is gone with it, and
    // panic. The guard shows the cursor again.
    let mut terminal = ManuallyDrop::new(Terminal::new(CrosstermBackend::new(stdout()))?);
    let size = terminal.size()?;
    project.take_place();
    let shared = project.place.number > 1;
    let recovered = project.recovered();
    let watched = project.clone();
    let mut model = Model::new(project, recovered, seed, (size.width, size.height));
    update::meet(&mut model);
    if shared {
        let words = "this mission is open in another window too: each keeps its own edits, and sees what the other saves";
        model.say(theme::Role::Accent, words);
    }
    if let Some(words) = notice {
        model.say(theme::Role::Thin, words);
    }
    crash::report_to(sender.clone());
    let var = |name: &str| std::env::var(name).ok();
    let mut easel = None;
    let mut screen = Screen::new(
        Theme::new(look.theme.unwrap_or(ThemeName::Dark), depth),
        look.cells.unwrap_or_else(|| Cells::detect(var)),
    );
    listen_to_keys(&sender, &gate)?;
    let runner = Arc::<Runner>::default();
    let surveyor = {
        let sender = sender.clone();
        Surveyor::new(Arc::clone(&runner), move |found| {
            drop(sender.send(Msg::Found(found)));
        })
    };
    let clerk = Clerk::new(sender.clone(), watched);
    // Edits of other texts that were cut off come back too, behind the mission.
    let left: Vec<String> = model
        .project
        .settings()
        .filter(|path| model.project.has_drafts(path))
        .map(str::to_owned)
        .collect();
    for path in left {
        clerk.hand_in(Effect::OpenText(path), &model);
    }
    let scribe = {
        let sender = sender.clone();
        Scribe::new(move |answer| drop(sender.send(Msg::Book(answer))))
    };
    let outside = Outside {
        look: &look,
        runner: &runner,
        spreader: RefCell::default(),
        against: Arc::default(),
        league: Arc::default(),
        sweep: RefCell::default(),
        tune: RefCell::default(),
        proof: RefCell::default(),
        sender: &sender,
        scribe: &scribe,
        surveyor: &surveyor,
        clerk: &clerk,
        gate: &gate,
    };
    if let Some(job) = model.job() {
        outside.run(job);
    }
    let result = turn(
        &mut terminal,
        (&mut screen, &mut easel),
        &mut model,
        &receiver,
        &outside,
    );
    if let Some(easel) = &easel {
        // What is left behind of a terminal that is gone cannot be helped.
        let _ = easel.take_away(&mut stdout());
    }
    drop(runner);
    let kept = clerk.close();
    scribe.close();
    drop(guard);
    if let Some(words) = crash::said() {
        let _ = io::stderr().write_all(words.as_bytes());
        return Err(io::Error::other("a part of the program broke"));
    }
    if !kept {
        let _ = writeln!(
            io::stderr(),
            "wayodos: the drive does not answer: what was changed last may not be kept"
        );
    }
    result
}

/// Takes in what the terminal said about itself; who shows pictures, if it can show them.
fn adopt(answers: &Answers, look: &Look, screen: &mut Screen, model: &mut Model) -> Option<Easel> {
    screen.own_ground = answers.ground;
    if let (None, Some(true)) = (look.theme, answers.light()) {
        screen.theme = Theme::new(ThemeName::Light, screen.theme.depth);
    }
    let easel = easel(look.pictures.unwrap_or(Pictures::Auto), answers);
    screen.pixels = easel.as_ref().map(|easel| easel.cell);
    if easel.is_none()
        && look
            .pictures
            .is_some_and(|pictures| !matches!(pictures, Pictures::Off | Pictures::Auto))
    {
        let words = "this terminal does not say how large its cells are: the field is drawn in block characters";
        model.say(theme::Role::Thin, words);
    }
    easel
}

/// Who shows pictures, where they can be shown and are wanted.
fn easel(wanted: Pictures, answers: &Answers) -> Option<Easel> {
    let protocol = match wanted {
        Pictures::Off => return None,
        Pictures::Kitty => Protocol::Graphics,
        Pictures::Sixel => Protocol::Sixel,
        Pictures::Inline => Protocol::Inline,
        Pictures::Auto if answers.graphics => Protocol::Graphics,
        Pictures::Auto if answers.sixel => Protocol::Sixel,
        Pictures::Auto if answers.inline => Protocol::Inline,
        Pictures::Auto => return None,
    };
    let window = || {
        let window = ratatui::crossterm::terminal::window_size().ok()?;
        picture::cell_pixels(window.columns, window.rows, window.width, window.height)
    };
    answers
        .cell
        .or_else(window)
        .map(|cell| Easel::new(protocol, cell))
}

/// Draws one frame of text.
fn frame(terminal: &mut Tty, screen: &mut Screen, model: &mut Model) -> io::Result<()> {
    execute!(stdout(), BeginSynchronizedUpdate)?;
    terminal.draw(|frame| {
        // What is drawn has the size of what it is drawn into, whatever a terminal forgot to say:
        // at the start, while an editor had it, or between two changes of size.
        let area = frame.area();
        if (area.width, area.height) != model.size {
            let effects = update(model, Msg::Input(Event::Resize(area.width, area.height)));
            debug_assert!(effects.is_empty(), "another size asks for nothing");
        }
        if let Some(place) = screen.draw(model, frame.buffer_mut()) {
            frame.set_cursor_position(place);
        }
    })?;
    execute!(stdout(), EndSynchronizedUpdate)
}

type Tty = Terminal<CrosstermBackend<io::Stdout>>;

/// Who does what the application asks for.
struct Outside<'a> {
    look: &'a Look,
    runner: &'a Arc<Runner>,
    spreader: RefCell<Spreader>,
    /// Of what the mission is compared with, and the id of what was chosen last.
    against: Arc<Mutex<(u64, Spreader)>>,
    league: Arc<Mutex<(u64, Option<Ticket>)>>,
    sweep: RefCell<Option<Ticket>>,
    tune: RefCell<Option<Ticket>>,
    proof: RefCell<Option<Ticket>>,
    sender: &'a Sender<Msg>,
    scribe: &'a Scribe,
    surveyor: &'a Surveyor,
    clerk: &'a Clerk,
    gate: &'a Gate,
}

impl Outside<'_> {
    fn run(&self, job: Job) {
        let (id, sender) = (job.id, self.sender.clone());
        // Nobody listens any more once the application is being left.
        self.runner.hand_in(
            job,
            Box::new(move |report| drop(sender.send(Msg::Ran(id, report.map(Arc::new))))),
        );
    }

    fn sweep(&self, job: SweepJob) {
        stop(&self.sweep);
        let sender = self.sender.clone();
        let tell = move |id, result| drop(sender.send(Msg::Swept(id, result)));
        let memory = self.spreader.borrow().memory();
        let (texts, values) = (job.texts(), job.swept.values);
        let ticket = sweeps::begin(self.runner, memory, texts, values, tell);
        *self.sweep.borrow_mut() = Some(ticket);
    }

    /// Reads who plays on a thread of its own, and plays.
    fn league(&self, project: Box<Project>, job: LeagueJob) {
        let mut latest = locked(&self.league);
        latest.0 = job.id;
        if let Some(ticket) = latest.1.take() {
            ticket.cancel();
        }
        drop(latest);
        let (place, runner) = (Arc::clone(&self.league), Arc::clone(self.runner));
        let sender = self.sender.clone();
        std::thread::spawn(move || match job.read(&project) {
            Ok(league) => {
                let tell = move |id, league| drop(sender.send(Msg::League(id, Ok(league))));
                // What was read slowly does not take the place of what was chosen later.
                let mut latest = locked(&place);
                if latest.0 == job.id {
                    latest.1 = Some(leagues::begin(&runner, job.id, league, tell));
                }
            }
            Err(refusal) => drop(sender.send(Msg::League(job.id, Err(refusal)))),
        });
    }

    fn grid(&self, job: &GridJob) {
        stop(&self.sweep);
        let sender = self.sender.clone();
        let tell = move |id, result| drop(sender.send(Msg::Gridded(id, result)));
        let memory = self.spreader.borrow().memory();
        let ticket = sweeps::begin(self.runner, memory, job.texts(), job.pairs(), tell);
        *self.sweep.borrow_mut() = Some(ticket);
    }

    fn tune(&self, batch: Batch) {
        stop(&self.tune);
        let sender = self.sender.clone();
        let tell = move |id, result| drop(sender.send(Msg::Tuned(id, result)));
        let memory = self.spreader.borrow().memory();
        *self.tune.borrow_mut() = Some(tunes::begin(self.runner, memory, batch, tell));
    }

    /// Reads what the mission is compared with on a thread of its own, and makes its runs.
    fn against(
        &self,
        id: u64,
        project: Box<Project>,
        other: Other,
        (texts, like): (Texts, Attempt),
        runs: u32,
    ) {
        self.stop_against(id);
        let (spreader, runner) = (Arc::clone(&self.against), Arc::clone(self.runner));
        let sender = self.sender.clone();
        std::thread::spawn(move || match other.attempt(&project, &texts, &like) {
            Ok(attempt) => {
                let job = SpreadJob {
                    id,
                    known: Spread::new(attempt, runs),
                    // Nothing is gone on from.
                    every: usize::MAX,
                };
                let tell = move |id, result| drop(sender.send(Msg::Against(id, Ok(result))));
                // What was read slowly does not take the place of what was chosen later.
                let mut latest = locked(&spreader);
                if latest.0 == id {
                    latest.1.begin(&runner, job, tell);
                }
            }
            Err(words) => drop(sender.send(Msg::Against(id, Err(words)))),
        });
    }

    /// Gives up what the mission is compared with; from now on only `id` counts.
    fn stop_against(&self, id: u64) {
        let mut latest = locked(&self.against);
        latest.0 = id;
        latest.1.stop();
    }

    fn book(&self, errand: Errand, home: &Home) {
        let folder = match home {
            Home::Folder(folder) => Some(folder.clone()),
            Home::Demo => None,
        };
        self.scribe.hand_in(folder, errand);
    }

    fn able(&self, robot: Arc<Robot>) {
        let sender = self.sender.clone();
        let piece = move |_: usize, _: &mut Trace, _: &AtomicBool| {
            let ability = Arc::new(Ability::of(&robot));
            let _ = sender.send(Msg::Able(Arc::clone(&robot), ability));
            true
        };
        // Somebody looks at it: before all other runs.
        self.runner.hand_in_many(1, 0, Arc::new(piece));
    }

    fn prove(&self, job: TextsJob, rows: Vec<usize>) {
        stop(&self.proof);
        let sender = self.sender.clone();
        let tell = move |id, result| drop(sender.send(Msg::Proved(id, result)));
        let memory = self.spreader.borrow().memory();
        let ticket = sweeps::begin(self.runner, memory, job, rows, tell);
        *self.proof.borrow_mut() = Some(ticket);
    }

    fn spread(&self, job: SpreadJob) {
        let sender = self.sender.clone();
        let tell = move |id, summary| drop(sender.send(Msg::Spread(id, summary)));
        self.spreader.borrow_mut().begin(self.runner, job, tell);
    }
}

/// Nobody wants what is under way.
fn stop(under_way: &RefCell<Option<Ticket>>) {
    if let Some(ticket) = under_way.borrow_mut().take() {
        ticket.cancel();
    }
}

/// The loop: take every message there is, then draw once.
fn turn(
    terminal: &mut Tty,
    (screen, easel): (&mut Screen, &mut Option<Easel>),
    model: &mut Model,
    receiver: &Receiver<Msg>,
    outside: &Outside<'_>,
) -> io::Result<()> {
    let mut before = Instant::now();
    let mut size = model.size;
    loop {
        frame(terminal, screen, model)?;
        if let Some(easel) = easel.as_mut() {
            // A window of another size has lost its picture.
            if std::mem::replace(&mut size, model.size) != model.size {
                easel.forget();
            }
            execute!(stdout(), BeginSynchronizedUpdate)?;
            easel.show(screen.pictures(), &mut BufWriter::new(stdout()))?;
            execute!(stdout(), EndSynchronizedUpdate)?;
        }
        let first = if model.player.playing {
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
        let was_playing = model.player.playing;
        let mut batch = vec![first];
        batch.extend(receiver.try_iter());
        let now = Instant::now();
        if was_playing {
            batch.push(Msg::Tick(now.duration_since(before).as_secs_f64()));
        }
        before = now;
        // Whoever ends the application waits for the keys before, so that none is lost, but not for
        // thousands of them.
        let stops = batch.iter().any(|msg| matches!(msg, Msg::Stop));
        let mut waiting: VecDeque<Msg> = batch.into();
        while let Some(msg) = waiting.pop_front() {
            let msg = if stops && now.elapsed() > LAST_KEYS {
                Msg::Stop
            } else {
                msg
            };
            if let Msg::Terminal(answers) = msg {
                *easel = adopt(&answers, outside.look, screen, model);
                cleared(terminal)?;
                continue;
            }
            let msg = in_one_breath(model, msg, &mut waiting);
            crash::note(
                &msg,
                matches!(
                    model.mode,
                    Mode::Free(_) | Mode::Typing(_) | Mode::Asking(..)
                ),
            );
            for effect in update(model, msg) {
                match effect {
                    Effect::Quit => return Ok(()),
                    Effect::Run(job) => outside.run(job),
                    Effect::Able(robot) => outside.able(robot),
                    Effect::Spread(job) => outside.spread(job),
                    Effect::StopSpread => outside.spreader.borrow_mut().stop(),
                    Effect::Sweep(job) => outside.sweep(*job),
                    Effect::Grid(job) => outside.grid(&job),
                    Effect::League(job) => {
                        outside.league(Box::new(model.project.clone()), *job);
                    }
                    Effect::StopSweep => stop(&outside.sweep),
                    Effect::Tune(batch) => outside.tune(*batch),
                    Effect::StopTune => stop(&outside.tune),
                    Effect::Against {
                        id,
                        other,
                        texts,
                        like,
                        runs,
                    } => {
                        let project = Box::new(model.project.clone());
                        outside.against(id, project, *other, (texts, *like), runs);
                    }
                    Effect::StopAgainst => outside.stop_against(0),
                    Effect::Book(errand) => outside.book(errand, &model.project.home),
                    Effect::Prove(job, rows) => outside.prove(*job, rows),
                    Effect::StopProof => stop(&outside.proof),
                    Effect::Suspend => {
                        suspend()?;
                        cleared(terminal)?;
                        easel.iter_mut().for_each(Easel::forget);
                        before = Instant::now();
                    }
                    Effect::Survey => outside.surveyor.look(Box::new(model.project.clone())),
                    Effect::Editor(text) => {
                        let edited = in_editor(&text, "way", outside.gate);
                        cleared(terminal)?;
                        easel.iter_mut().for_each(Easel::forget);
                        waiting.push_back(Msg::Edited(edited));
                        before = Instant::now();
                    }
                    Effect::EditFile(path) => {
                        let ending = path.rsplit('.').next().unwrap_or("txt");
                        let read = model.project.read(&path).map_err(|error| error.to_string());
                        let edited = read
                            .and_then(|text| Ok((in_editor(&text, ending, outside.gate)?, text)));
                        cleared(terminal)?;
                        easel.iter_mut().for_each(Easel::forget);
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
            let words = format!(
                "your edits have not been kept for {} s: the drive does not answer",
                behind.as_secs()
            );
            model.say(theme::Role::Wrong, words);
        }
    }
}

/// More letters than anybody types at once are a paste of a terminal that does not say so: one
/// change, not thousands.
fn in_one_breath(model: &Model, first: Msg, waiting: &mut VecDeque<Msg>) -> Msg {
    /// As many letters at once are no typing.
    const PASTED: usize = 100;
    let letter = |msg: &Msg| match msg {
        Msg::Input(Event::Key(key))
            if !key
                .modifiers
                .intersects(KeyModifiers::CONTROL | KeyModifiers::ALT) =>
        {
            key.code
                .as_char()
                .filter(|_| key.kind != KeyEventKind::Release)
        }
        _ => None,
    };
    let typing = matches!(
        model.mode,
        Mode::Free(_) | Mode::Typing(_) | Mode::Asking(..)
    );
    let count = waiting
        .iter()
        .take_while(|msg| letter(msg).is_some())
        .count();
    let Some(start) = letter(&first).filter(|_| typing && count + 1 >= PASTED) else {
        return first;
    };
    let rest = waiting.drain(..count);
    Msg::Input(Event::Paste(
        std::iter::once(start)
            .chain(rest.filter_map(|msg| letter(&msg)))
            .collect(),
    ))
}

/// Clears the screen, and forgets what stood there. Ratatui's own way asks the terminal where its
/// cursor is, and takes no answer for an error.
fn cleared(terminal: &mut Tty) -> io::Result<()> {
    execute!(stdout(), Clear(ClearType::All))?;
    *terminal = Terminal::new(CrosstermBackend::new(stdout()))?;
    Ok(())
}

/// Gives the terminal back and stops, until somebody lets the process go on.
fn suspend() -> io::Result<()> {
    restore();
    signal_hook::low_level::emulate_default_handler(SIGTSTP)?;
    take()
}

/// Lets the person's own editor have the terminal and a copy of the text; the text that it leaves.
fn in_editor(text: &str, ending: &str, gate: &Gate) -> Result<String, String> {
    let named = |name: &str| {
        std::env::var(name)
            .ok()
            .filter(|value| !value.trim().is_empty())
    };
    let Some(command) = named("VISUAL").or_else(|| named("EDITOR")) else {
        return Err("no editor is named: set EDITOR, as in `export EDITOR=nano`".into());
    };
    let cannot = |error: io::Error| format!("cannot open the editor: {error}");
    let mut file = tempfile::Builder::new()
        .prefix("edit-")
        .suffix(&format!(".{ending}"))
        .tempfile()
        .map_err(cannot)?;
    file.write_all(text.as_bytes())
        .and_then(|()| file.flush())
        .map_err(cannot)?;
    gate.close();
    restore();
    // By the shell, since the variable may hold options too.
    let shell = std::process::Command::new("sh")
        .args(["-c", &format!("{command} \"$1\""), "sh"])
        .arg(file.path())
        .status();
    let taken = take();
    gate.open();
    taken.map_err(cannot)?;
    match shell {
        Ok(status) if status.success() => {
            // Editors put a new file in the place of the old one: read it by its name.
            std::fs::read_to_string(file.path())
                .map_err(|error| format!("cannot read what the editor wrote: {error}"))
        }
        Ok(_) => Err(format!(
            "`{command}` ended with an error; the text is as it was"
        )),
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
        crash::watch(restore);
        take()?;
        Ok(Self)
    }
}

/// Takes the terminal. It is given back when only part of that works.
fn take() -> io::Result<()> {
    enable_raw_mode()?;
    RESTORED.store(false, Ordering::SeqCst);
    let taken = execute!(
        stdout(),
        EnterAlternateScreen,
        EnableMouseCapture,
        EnableBracketedPaste
    );
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

/// Starts the thread that turns keys into messages.
fn listen_to_keys(sender: &Sender<Msg>, gate: &Arc<Gate>) -> io::Result<()> {
    let (keys, gate) = (sender.clone(), Arc::clone(gate));
    thread::Builder::new().name("keys".into()).spawn(move || {
        // Before any key is read: what the terminal says of itself must not be taken for keys.
        let answers = ask::ask(|name| std::env::var(name).ok());
        let typed = ask::keys(&answers.typed);
        let first =
            std::iter::once(Msg::Terminal(answers)).chain(typed.into_iter().map(Msg::Input));
        for msg in first {
            if keys.send(msg).is_err() {
                return;
            }
        }
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
    Ok(())
}

/// Starts the thread that turns signals into messages.
fn listen_to_signals(sender: &Sender<Msg>) -> io::Result<()> {
    let mut signals = Signals::new([SIGHUP, SIGINT, SIGTERM, SIGTSTP])?;
    let messages = sender.clone();
    thread::Builder::new()
        .name("signals".into())
        .spawn(move || {
            for signal in signals.forever() {
                let msg = if signal == SIGTSTP {
                    Msg::Suspend
                } else {
                    Msg::Stop
                };
                if messages.send(msg).is_err() {
                    return;
                }
            }
        })?;
    Ok(())
}

#[cfg(test)]
mod tests;
