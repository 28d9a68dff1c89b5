//! A siege: random keys, clicks, sizes and kills. A short one is among the tests; `cargo xtask
//! siege MINUTES` goes on for longer.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::fs;
use std::io::Write as _;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::thread::sleep;
use std::time::{Duration, Instant};

use ratatui::buffer::Buffer;
use ratatui::crossterm::event::{
    Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use ratatui::layout::Rect;
use wayodos::draft::Draft;
use wayodos::folder::{Project, Saved, save};
use wayodos::shelf::list;
use wayodos::survey::{Found, card};
use wayodos::tui::cells::Cells;
use wayodos::tui::clerk::{open_text, refit};
use wayodos::tui::model::Model;
use wayodos::tui::theme::{Depth, Theme, ThemeName};
use wayodos::tui::update::{Effect, Msg, update};
use wayodos::tui::view::Screen;
use wayodos::work::{run_here, run_job};

/// Numbers without order, the same for the same seed. Source: Steele, Lea, Flood, "Fast splittable
/// pseudorandom number generators" (2014).
struct Chance(u64);

impl Chance {
    fn below(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) % most as u64) as usize
    }

    fn one<T: Copy>(&mut self, of: &[T]) -> T {
        of[self.below(of.len())]
    }
}

/// How long a siege lasts: as many minutes as are asked for, or rounds enough for a test.
struct Siege {
    until: Option<Instant>,
    rounds: usize,
}

impl Siege {
    fn of(rounds: usize) -> Self {
        let minutes = std::env::var("SIEGE_MINUTES")
            .ok()
            .and_then(|minutes| minutes.parse::<f64>().ok());
        Self {
            until: minutes.map(|minutes| Instant::now() + Duration::from_secs_f64(minutes * 60.0)),
            rounds,
        }
    }

    fn goes_on(&self, round: usize) -> bool {
        self.until
            .map_or(round < self.rounds, |until| Instant::now() < until)
    }
}

fn seed() -> u64 {
    let given = std::env::var("SIEGE_SEED")
        .ok()
        .and_then(|seed| seed.parse().ok());
    let seed = given.unwrap_or_else(|| u64::from(std::process::id()));
    println!("SIEGE_SEED={seed}");
    seed
}

fn event(chance: &mut Chance) -> Event {
    const SPECIAL: [KeyCode; 17] = [
        KeyCode::Up,
        KeyCode::Down,
        KeyCode::Left,
        KeyCode::Right,
        KeyCode::Enter,
        KeyCode::Esc,
        KeyCode::Tab,
        KeyCode::BackTab,
        KeyCode::Home,
        KeyCode::End,
        KeyCode::PageUp,
        KeyCode::PageDown,
        KeyCode::Backspace,
        KeyCode::Delete,
        KeyCode::F(1),
        KeyCode::F(2),
        KeyCode::F(3),
    ];
    let modifiers = [
        KeyModifiers::NONE,
        KeyModifiers::NONE,
        KeyModifiers::NONE,
        KeyModifiers::SHIFT,
        KeyModifiers::CONTROL,
        KeyModifiers::ALT,
    ];
    match chance.below(20) {
        0 => Event::Resize(chance.below(300) as u16, chance.below(100) as u16),
        1 => Event::Resize(160, 50),
        2 => Event::Paste(
            chance
                .one(&[
                    "until 1 s passes",
                    "\u{1f980}\u{0}\r\n\t\u{1b}[31m",
                    "step \"x\"\nhold\n",
                    "",
                ])
                .to_owned(),
        ),
        3..=6 => {
            let kinds = [
                MouseEventKind::Down(MouseButton::Left),
                MouseEventKind::Drag(MouseButton::Left),
                MouseEventKind::Down(MouseButton::Right),
                MouseEventKind::Drag(MouseButton::Right),
                MouseEventKind::Up(MouseButton::Right),
                MouseEventKind::ScrollDown,
                MouseEventKind::ScrollUp,
                MouseEventKind::Moved,
            ];
            let (column, row) = (chance.below(310) as u16, chance.below(105) as u16);
            Event::Mouse(MouseEvent {
                kind: chance.one(&kinds),
                column,
                row,
                modifiers: KeyModifiers::NONE,
            })
        }
        7..=11 => Event::Key(KeyEvent::new(chance.one(&SPECIAL), chance.one(&modifiers))),
        _ => {
            let letter = char::from(b' ' + chance.below(95) as u8);
            Event::Key(KeyEvent::new(KeyCode::Char(letter), chance.one(&modifiers)))
        }
    }
}

/// Does what the application asks for, without a disk: what it opens is the demo's.
fn carry_out(model: &mut Model, effects: Vec<Effect>) {
    for effect in effects {
        let answer = match effect {
            Effect::Run(job) => {
                let report = run_job(&job, &Arc::new(job.setup.world()), None).map(Arc::new);
                Msg::Ran(job.id, report)
            }
            Effect::Open(name) => {
                let opened = Project::demo(Some(&name)).map_err(|error| error.to_string());
                Msg::Opened(opened.map(|project| (Box::new(project), None)))
            }
            Effect::OpenText(path) => {
                Msg::TextOpened(open_text(&model.project, &path).map(Box::new))
            }
            Effect::Refit(texts) => Msg::Refit(Box::new(refit(&model.project, &texts, true))),
            Effect::Save { path, text, .. } => Msg::Saved(path, Ok(Saved::Done), text),
            Effect::Survey => {
                let entries = list(&model.project);
                let first = entries[0].clone();
                let known = card(&model.project, &first, &run_here);
                carry_out_found(model, Found::Files(entries));
                Msg::Found(Found::Card(first.path, known))
            }
            _ => continue,
        };
        let more = update(model, answer);
        carry_out(model, more);
    }
}

fn carry_out_found(model: &mut Model, found: Found) {
    let more = update(model, Msg::Found(found));
    assert!(more.is_empty(), "what was found out asks for nothing");
}

#[test]
fn no_key_click_or_size_breaks_the_screen() {
    let mut chance = Chance(seed());
    let mut model = Model::new(Project::demo(None).unwrap(), None, 7, (160, 50));
    let looks = [
        (Depth::True, Cells::Quadrant, Some((8, 16))),
        (Depth::True, Cells::Octant, None),
        (Depth::Sixteen, Cells::Sextant, None),
        (Depth::Mono, Cells::Ascii, None),
    ];
    let mut screens = looks.map(|(depth, cells, pixels)| {
        let mut screen = Screen::new(Theme::new(ThemeName::Dark, depth), cells);
        screen.pixels = pixels;
        screen
    });
    let siege = Siege::of(900);
    let mut round = 0;
    while siege.goes_on(round) {
        round += 1;
        let event = event(&mut chance);
        let effects = update(&mut model, Msg::Input(event));
        carry_out(&mut model, effects);
        let (width, height) = model.size;
        let mut buffer = Buffer::empty(Rect::new(0, 0, width, height));
        let which = chance.below(screens.len());
        screens[which].draw(&model, &mut buffer);
        // A text may grow without end in hours.
        if round % 3000 == 0 {
            model = Model::new(Project::demo(None).unwrap(), None, 7, (160, 50));
        }
    }
    println!("{round} keys, clicks and sizes");
}

/// The application in a terminal of its own.
struct Session {
    script: Child,
}

impl Session {
    fn start(here: &Path) -> Self {
        let program = env!("CARGO_BIN_EXE_wayodos");
        let script = Command::new("script")
            .args([
                "-qfc",
                &format!("stty rows 50 cols 160; exec {program} brinewick"),
                "/dev/null",
            ])
            .current_dir(here)
            .env("HOME", here)
            .env("TERM", "dumb")
            .env_remove("XDG_STATE_HOME")
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        Self { script }
    }

    fn press(&mut self, keys: &[u8]) {
        let input = self.script.stdin.as_mut().unwrap();
        input.write_all(keys).and_then(|()| input.flush()).unwrap();
    }

    /// Ends the application as a power cut would.
    fn kill(mut self) {
        let script = self.script.id();
        let children =
            fs::read_to_string(format!("/proc/{script}/task/{script}/children")).unwrap();
        for child in children.split_whitespace() {
            // The shell's own `kill`: a bare machine has no other.
            let killed = Command::new("sh")
                .args(["-c", &format!("kill -9 {child}")])
                .status();
            assert!(killed.is_ok_and(|killed| killed.success()));
        }
        let _ = self.script.wait();
    }
}

#[test]
fn whenever_it_is_killed_the_edits_before_are_kept() {
    let mut chance = Chance(seed() ^ 0x5eed);
    let siege = Siege::of(2);
    let mut round = 0;
    while siege.goes_on(round) {
        round += 1;
        let here = tempfile::tempdir().unwrap();
        let demo = Project::demo(None).unwrap();
        let Ok(Saved::Copied(folder)) = save(&demo, "", &demo.mission, false, here.path()) else {
            panic!("no copy")
        };
        let project = Project::open(&folder, None).unwrap();
        // The same keys for the real program, and for one without threads and files.
        let mut model = Model::new(project.clone(), None, 7, (160, 50));
        let mut session = Session::start(here.path());
        sleep(Duration::from_millis(700));
        for _ in 0..4 + chance.below(20) {
            let (bytes, code): (&[u8], KeyCode) = chance.one(&[
                (b"+", KeyCode::Char('+')),
                (b".", KeyCode::Char('.')),
                (b"-", KeyCode::Char('-')),
                (b"c", KeyCode::Char('c')),
                (b"u", KeyCode::Char('u')),
                (b"i", KeyCode::Char('i')),
                (b"\t", KeyCode::Tab),
                (b"\x1b[B", KeyCode::Down),
                (b"\x1b[C", KeyCode::Right),
            ]);
            session.press(bytes);
            let effects = update(
                &mut model,
                Msg::Input(Event::Key(KeyEvent::new(code, KeyModifiers::NONE))),
            );
            carry_out(&mut model, effects);
            sleep(Duration::from_millis(chance.below(30) as u64));
        }
        // A draft is kept well within this time, whatever the machine does besides.
        sleep(Duration::from_millis(400));
        session.kill();
        let kept = Draft::load(&project.draft_file().unwrap()).map(|draft| draft.text);
        let wanted = model
            .mission()
            .unsaved()
            .then(|| model.mission().text.to_string());
        assert_eq!(kept, wanted, "round {round}");
    }
    println!("{round} kills");
}
