//! Journeys as plain calls: keys go in, the model and what it asks for come out, a frame is read as
//! text.

mod documents;
mod found;
mod instrument;
mod logbook;
mod marks;
mod project;
mod seen;
mod spread;

use std::path::PathBuf;
use std::sync::Arc;
use wayodos_core::ids::StepId;
use wayodos_core::sim::Ability;

use ratatui::buffer::Buffer;
use ratatui::crossterm::event::{
    Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use ratatui::layout::Rect;
use wayodos_core::record::{Act, Outcome};
use wayodos_core::sim::World;

use super::cells::Cells;
use super::clerk::{open_text, refit};
use super::model::{Cursor, Mode, Model};
use super::theme::{Depth, Theme, ThemeName};
use super::update::{Effect, Msg, update};
use super::view::Screen;
use crate::against::Other;
use crate::draft::Draft;
use crate::folder::{Home, Project, Saved};
use crate::grids::GridJob;
use crate::leagues::LeagueJob;
use crate::logbook::scribe::Errand;
use crate::spreads::SpreadJob;
use crate::sweeps::{SweepJob, TextsJob};
use crate::tui::clerk::Texts;
use crate::tui::update::meet;
use crate::work::run_job;

/// The application without threads: a run asked for is made at once.
struct App {
    model: Model,
    world: Arc<World>,
    /// What was asked for, but for runs.
    asked: Vec<Effect>,
    /// The spread that was asked for last, unless it was given up.
    spread: Option<SpreadJob>,
    /// What the mission is to be compared with: the id, what, the texts that are open.
    against: Option<(u64, Other, Texts)>,
    /// What was asked of the logbook.
    book: Vec<Errand>,
    /// Some runs of a search are wanted.
    tune: bool,
    /// The sweep that was asked for last.
    sweep: Option<SweepJob>,
    /// The two numbers at once that were asked for last.
    grid: Option<GridJob>,
    /// The league that was asked for last.
    league: Option<LeagueJob>,
    /// The rows of a list that are to be tried, unless that was given up.
    proof: Option<(TextsJob, Vec<usize>)>,
}

impl App {
    fn new() -> Self {
        let mut project = Project::demo(None).unwrap();
        project.home = Home::Folder("somewhere".into());
        let setup = project.setup.clone().unwrap();
        let world = Arc::new(setup.world());
        let mut app = Self {
            model: Model::new(project, None, 7, (160, 50)),
            world,
            asked: Vec::new(),
            spread: None,
            against: None,
            book: Vec::new(),
            tune: false,
            sweep: None,
            grid: None,
            league: None,
            proof: None,
        };
        let job = app.model.job().map(Effect::Run);
        app.carry_out(job.into_iter().collect());
        app
    }

    /// The demo with its files inside the program, so that other texts of it can be opened.
    fn with_files() -> Self {
        let mut app = Self::new();
        app.model.project.home = Home::Demo;
        app
    }

    fn msg(&mut self, msg: Msg) {
        let effects = update(&mut self.model, msg);
        self.carry_out(effects);
    }

    fn carry_out(&mut self, effects: Vec<Effect>) {
        for effect in effects {
            match effect {
                Effect::Run(job) => {
                    if !Arc::ptr_eq(&job.setup.field, &self.world.field) {
                        self.world = Arc::new(job.setup.world());
                    }
                    let report = run_job(&job, &self.world, None).map(Arc::new);
                    self.msg(Msg::Ran(job.id, report));
                }
                Effect::Refit(texts) if self.model.project.home == Home::Demo => {
                    let refitted = refit(&self.model.project, &texts, true);
                    self.msg(Msg::Refit(Box::new(refitted)));
                }
                Effect::OpenText(path) => {
                    let opened = open_text(&self.model.project, &path).map(Box::new);
                    self.msg(Msg::TextOpened(opened));
                }
                Effect::Able(robot) => {
                    let ability = Arc::new(Ability::of(&robot));
                    self.msg(Msg::Able(robot, ability));
                }
                Effect::Spread(job) => self.spread = Some(job),
                Effect::StopSpread => self.spread = None,
                Effect::Sweep(job) => self.sweep = Some(*job),
                Effect::Grid(job) => self.grid = Some(*job),
                Effect::League(job) => self.league = Some(*job),
                Effect::Against {
                    id, other, texts, ..
                } => self.against = Some((id, *other, texts)),
                Effect::StopAgainst => self.against = None,
                Effect::Book(errand) => self.book.push(errand),
                Effect::Tune(_) => self.tune = true,
                Effect::StopTune => self.tune = false,
                Effect::Prove(job, rows) => self.proof = Some((*job, rows)),
                Effect::StopProof => self.proof = None,
                effect => self.asked.push(effect),
            }
        }
    }

    fn press(&mut self, keys: &str) -> &mut Self {
        for key in keys.split(' ') {
            let code = match key {
                "Up" => KeyCode::Up,
                "Down" => KeyCode::Down,
                "Left" => KeyCode::Left,
                "Right" => KeyCode::Right,
                "Tab" => KeyCode::Tab,
                "Enter" => KeyCode::Enter,
                "Esc" => KeyCode::Esc,
                "Home" => KeyCode::Home,
                "F5" => KeyCode::F(5),
                "F6" => KeyCode::F(6),
                "End" => KeyCode::End,
                "PgDn" => KeyCode::PageDown,
                "Space" => KeyCode::Char(' '),
                "Clear" => {
                    let clear = KeyEvent::new(KeyCode::Char('u'), KeyModifiers::CONTROL);
                    self.msg(Msg::Input(Event::Key(clear)));
                    continue;
                }
                _ => {
                    for letter in key.chars() {
                        self.msg(Msg::Input(Event::Key(KeyEvent::new(
                            KeyCode::Char(letter),
                            KeyModifiers::NONE,
                        ))));
                    }
                    continue;
                }
            };
            self.msg(Msg::Input(Event::Key(KeyEvent::new(
                code,
                KeyModifiers::NONE,
            ))));
        }
        self
    }

    fn click(&mut self, column: u16, row: u16) {
        let kind = MouseEventKind::Down(MouseButton::Left);
        self.msg(Msg::Input(Event::Mouse(MouseEvent {
            kind,
            column,
            row,
            modifiers: KeyModifiers::NONE,
        })));
    }

    fn outcome(&self) -> Outcome {
        self.model.report.as_ref().unwrap().run.outcome
    }

    fn notice(&self) -> &str {
        self.model.notice.as_ref().map_or("", |notice| &notice.text)
    }

    /// The text under the cursor's slot.
    fn slot(&self) -> &str {
        self.model.doc.slot().map_or("", |slot| {
            &self.model.doc.text[self.model.doc.prepared.parsed.slots[slot].span.clone()]
        })
    }

    fn frame(&self, depth: Depth, cells: Cells) -> String {
        let (width, height) = self.model.size;
        let mut buffer = Buffer::empty(Rect::new(0, 0, width, height));
        Screen::new(Theme::new(ThemeName::Dark, depth), cells).draw(&self.model, &mut buffer);
        let row = |y: u16| {
            (0..width)
                .map(|x| buffer[(x, y)].symbol())
                .collect::<String>()
                .trim_end()
                .to_owned()
        };
        (0..height).map(row).collect::<Vec<_>>().join("\n")
    }
}

#[test]
fn a_nudge_runs_again_and_undo_brings_the_old_run_back() {
    let mut app = App::new();
    let before = app.model.report.as_ref().unwrap().run.fingerprint();
    assert_eq!((app.slot(), app.outcome()), ("cruise", Outcome::Done));
    app.press("Down Down Down Down Down Right Right +");
    assert_eq!((app.slot(), app.outcome()), ("4", Outcome::Failed));
    assert!(app.model.doc.unsaved() && app.model.ghost.is_some());
    assert!(
        app.model.change.contains("now failed at"),
        "{}",
        app.model.change
    );
    assert!(matches!(app.asked.last(), Some(Effect::Draft(_, text)) if text.contains("crossed 4")));
    app.press("u");
    assert_eq!(app.model.report.as_ref().unwrap().run.fingerprint(), before);
    assert!(!app.model.doc.unsaved() && matches!(app.asked.last(), Some(Effect::ClearDraft(_))));
    app.press("r");
    assert_eq!(app.slot(), "4");
    app.press("r");
    assert_eq!(app.notice(), "nothing to redo");
}

#[test]
fn a_named_amount_is_changed_where_it_is_defined() {
    let mut app = App::new();
    app.press("+");
    assert!(app.model.doc.text.contains("let cruise = 30 %") && app.slot() == "cruise");
    app.press(",");
    assert!(app.model.doc.text.contains("let cruise = 29 %"));
    app.press("3 5 Enter");
    assert!(
        app.model.doc.text.contains("let cruise = 35 %"),
        "{}",
        app.model.doc.text
    );
    // The name of another amount may stand here, too.
    app.press("Enter Clear creep Enter");
    assert_eq!(app.slot(), "creep");
    app.press("Enter Clear 2 Enter");
    assert!(
        app.model.doc.text.contains("let creep = 2 %"),
        "a number alone keeps the unit"
    );
}

#[test]
fn what_does_not_fit_is_refused_and_nothing_is_lost() {
    let mut app = App::new();
    let text = Arc::clone(&app.model.doc.text);
    app.press("Enter Clear 40 Space mm Enter");
    let Mode::Typing(entry) = &app.model.mode else {
        panic!("still typing")
    };
    assert!(entry.error.as_ref().unwrap().contains("found `40 mm`"));
    assert_eq!(entry.input.value(), "40 mm");
    app.press("Esc");
    assert_eq!(app.model.doc.text, text);
}

#[test]
fn a_broken_line_keeps_the_last_run_and_says_where() {
    let mut app = App::new();
    app.press("e Clear Space Space drve Space ahead Esc");
    assert!(app.model.stale() && app.model.report.is_some());
    let frame = app.frame(Depth::True, Cells::Quadrant);
    for words in [
        "cannot run: 1 error",
        "unknown first word `drve`",
        "write `drive ahead at 30 %`",
        "path of the previous version",
    ] {
        assert!(frame.contains(words), "{words}\n{frame}");
    }
    app.press("x");
    assert!(app.notice().contains("fix its errors first"));
    app.press("Home n");
    assert_eq!(
        app.model.doc.line_text(app.model.doc.cursor.line).trim(),
        "drve ahead"
    );
    app.press("u");
    assert!(!app.model.stale());
}

#[test]
fn lines_are_added_written_and_taken_out_in_the_one_layout() {
    let mut app = App::new();
    let lines = app.model.doc.lines().len();
    app.press("Down Down o time Enter");
    assert_eq!(app.model.doc.lines().len(), lines + 1);
    let line = app
        .model
        .doc
        .line_text(app.model.doc.cursor.line)
        .to_owned();
    assert_eq!(
        line, "  or    2 s pass               -> next",
        "laid out like its neighbours"
    );
    app.press("d");
    assert_eq!(app.model.doc.lines().len(), lines);
    app.press("u u");
    assert!(!app.model.doc.unsaved());
    app.press("o Esc");
    assert_eq!(app.model.doc.lines().len(), lines);
}

#[test]
fn words_are_chosen_from_a_list() {
    let mut app = App::new();
    app.press("Down Right Enter");
    let Mode::Finding(finder) = &app.model.mode else {
        panic!("no list")
    };
    assert!(
        finder
            .items
            .iter()
            .any(|item| item.title == "pale" && item.what == "floor-right reads 77 % there")
    );
    app.press("pal Enter");
    assert!(app.model.doc.text.contains("until floor-right sees pale"));
    // Nudging goes through the same words.
    app.press("-");
    assert!(app.model.doc.text.contains("until floor-right sees dark"));
}

#[test]
fn an_answer_to_an_older_text_is_dropped() {
    let mut app = App::new();
    let report = app.model.report.clone();
    let effects = update(
        &mut app.model,
        Msg::Input(Event::Key(KeyEvent::new(
            KeyCode::Char('+'),
            KeyModifiers::NONE,
        ))),
    );
    let mut effects = effects.into_iter();
    let job = effects.find_map(|effect| match effect {
        Effect::Run(job) => Some(job),
        _ => None,
    });
    let job = job.expect("a run");
    app.msg(Msg::Ran(job.id - 1, None));
    assert_eq!(app.model.pending, Some(job.id));
    assert!(Arc::ptr_eq(
        app.model.report.as_ref().unwrap(),
        report.as_ref().unwrap()
    ));
    app.msg(Msg::Ran(job.id, None));
    assert_eq!(app.model.pending, None);
}

#[test]
fn the_time_cursor_plays_scrubs_and_jumps() {
    let mut app = App::new();
    let end = app.model.report.as_ref().unwrap().chart.end;
    assert_eq!(app.model.player.time, end);
    app.press("Space");
    assert!(
        app.model.player.playing && app.model.player.time == 0.0,
        "from the end, playing starts again"
    );
    app.msg(Msg::Tick(0.5));
    app.press("f f");
    app.msg(Msg::Tick(0.5));
    assert!((app.model.player.time - 2.5).abs() < 1e-9);
    app.press("]");
    assert!(!app.model.player.playing && (app.model.player.time - 2.6).abs() < 1e-9);
    app.press("Home PgDn");
    assert_eq!(app.model.active_step(), Some(StepId(1)));
    app.press("Tab Tab Tab t");
    assert_eq!(
        app.model.active_step(),
        Some(StepId(3)),
        "{}",
        app.model.player.time
    );
    app.press("Home g");
    assert_eq!(app.slot(), "\"Leave the slipway\"");
    app.press("End +");
    let end = app.model.report.as_ref().unwrap().chart.end;
    assert_eq!(
        app.model.player.time, end,
        "at the end it stays at the end of the new run"
    );
}

#[test]
fn the_mouse_finds_slots_times_and_places() {
    let mut app = App::new();
    let frame = app.frame(Depth::Mono, Cells::Quadrant);
    let row = frame
        .lines()
        .position(|line| line.contains("has crossed 3"))
        .unwrap();
    let line = frame.lines().nth(row).unwrap();
    let column = line[..line.find("3 dark").unwrap()].chars().count();
    app.click(column as u16, row as u16);
    assert_eq!(app.slot(), "3");
    let areas = app.model.areas().unwrap();
    app.click(areas.chart.right() - 2, areas.chart.y + 3);
    assert_eq!(
        app.model.player.time,
        app.model.report.as_ref().unwrap().chart.end
    );
    app.click(areas.chart.x + 14, areas.chart.y + 3);
    assert_eq!(app.model.player.time, 0.0);
    // The dock, in the upper half of the field.
    app.press("Home");
    let [x, y] = [0.96 / 2.0, 1.0 - 1.24 / 1.5];
    let field = areas.field;
    let rows = f64::from(field.width) / 2.0 / (4.0 / 3.0);
    let top = f64::from(field.y) + (f64::from(field.height) - rows) / 2.0;
    app.click(
        field.x + (f64::from(field.width) * x) as u16 + 4,
        (top + rows * y) as u16,
    );
    assert!(app.model.player.time > 50.0, "{}", app.model.player.time);
}

#[test]
fn saving_reports_and_an_outside_change_asks_twice() {
    let mut app = App::new();
    app.press("s");
    assert_eq!(app.notice(), "nothing to save");
    app.press("+ s");
    let Some(Effect::Save {
        path,
        text,
        overwrite: false,
    }) = app.asked.pop()
    else {
        panic!("no save")
    };
    app.msg(Msg::Saved(
        path.clone(),
        Ok(Saved::ChangedOutside),
        Arc::clone(&text),
    ));
    assert!(app.model.doc.unsaved() && app.notice().contains("s again overwrites"));
    app.press("s");
    assert!(matches!(
        app.asked.pop(),
        Some(Effect::Save {
            overwrite: true,
            ..
        })
    ));
    app.msg(Msg::Saved(
        path.clone(),
        Err("cannot save x: full".into()),
        Arc::clone(&text),
    ));
    assert!(app.model.doc.unsaved() && app.notice().contains("the text is still here"));
    app.press("s");
    assert!(
        matches!(
            app.asked.pop(),
            Some(Effect::Save {
                overwrite: false,
                ..
            })
        ),
        "the permission was for once"
    );
    // Edited while the file was being written: what is new is still unsaved.
    app.press("+");
    app.msg(Msg::Saved(path, Ok(Saved::Done), text));
    assert!(app.model.doc.unsaved());
}

#[test]
fn leaving_asks_only_when_something_would_be_lost() {
    let mut app = App::new();
    app.press("q");
    assert!(matches!(
        app.asked.as_slice(),
        [Effect::ClearDraft(_), Effect::Quit]
    ));
    let leave = |key: &str| {
        let mut app = App::new();
        app.press("+ q");
        assert!(matches!(app.model.mode, Mode::Leaving));
        app.asked.clear();
        app.press(key);
        app
    };
    assert!(
        matches!(leave("k").asked.as_slice(), [Effect::Quit]),
        "the draft stays"
    );
    assert!(matches!(
        leave("d").asked.as_slice(),
        [Effect::ClearDraft(_), Effect::Quit]
    ));
    let stays = leave("Esc");
    assert!(stays.asked.is_empty() && matches!(stays.model.mode, Mode::Browse));
    let mut saves = leave("s");
    let Some(Effect::Save { path, text, .. }) = saves.asked.pop() else {
        panic!("no save")
    };
    saves.msg(Msg::Saved(path, Ok(Saved::Done), text));
    assert!(matches!(
        saves.asked.as_slice(),
        [Effect::ClearDraft(_), Effect::Quit]
    ));
}

#[test]
fn edits_of_a_cut_off_session_come_back_and_can_be_taken_away() {
    let project = Project::demo(None).unwrap();
    let text = project.mission.replace("cruise = 26 %", "cruise = 33 %");
    let draft = Draft {
        base: Some(project.mission.clone()),
        text,
    };
    let mut model = Model::new(project, Some(draft), 7, (160, 50));
    meet(&mut model);
    assert!(
        matches!(model.mode, Mode::Browse),
        "nobody else has written it"
    );
    assert!(model.doc.unsaved() && model.notice.is_some() && model.doc.text.contains("33 %"));
    update(
        &mut model,
        Msg::Input(Event::Key(KeyEvent::new(
            KeyCode::Char('u'),
            KeyModifiers::NONE,
        ))),
    );
    assert!(!model.doc.unsaved());
}

#[test]
fn edits_that_come_back_to_a_file_that_was_saved_meanwhile_are_asked_about() {
    let mut project = Project::demo(None).unwrap();
    let base = project.mission.clone();
    let text = base.replace("cruise = 26 %", "cruise = 33 %");
    project.mission = format!("{base}\n# theirs\n");
    let theirs = project.mission.clone();
    let fresh = || {
        let draft = Draft {
            base: Some(base.clone()),
            text: text.clone(),
        };
        let mut model = Model::new(project.clone(), Some(draft), 7, (160, 50));
        meet(&mut model);
        assert!(
            matches!(&model.mode, Mode::Outside(outside) if outside.theirs == theirs && outside.both.is_some())
        );
        model
    };
    let after = |key: char| {
        let mut model = fresh();
        update(
            &mut model,
            Msg::Input(Event::Key(KeyEvent::new(
                KeyCode::Char(key),
                KeyModifiers::NONE,
            ))),
        );
        model
    };
    let both = after('b');
    assert!(
        both.doc.text.contains("cruise = 33 %")
            && both.doc.text.contains("# theirs")
            && both.doc.saved == theirs
    );
    let taken = after('t');
    assert!(*taken.doc.text == *theirs && !taken.doc.unsaved());
    let ours = after('o');
    assert!(
        *ours.doc.text == *text && ours.doc.keeps_ours,
        "and saving keeps theirs as a copy"
    );
    // A draft of an older version knows no base: it comes back as before.
    let mut old = Model::new(
        project.clone(),
        Some(Draft {
            base: None,
            text: text.clone(),
        }),
        7,
        (160, 50),
    );
    meet(&mut old);
    assert!(matches!(old.mode, Mode::Browse) && old.doc.unsaved());
}

#[test]
fn every_key_in_every_mode_and_any_size_can_be_drawn() {
    let mut app = App::new();
    let keys = "e o d n z z z Enter Down Up + - . , Tab Right Left ? x Space [ { f t g v Up Right + Enter v Up Down | Enter v \
                Right y Down Enter Esc K Right m Down Enter N Enter Esc H Enter Esc / zo Esc J Enter Z Z G X a Down Enter \
                l Esc h Enter p P Esc T ! B Esc c C b i # k j < > ; w PgDn Esc Esc q";
    for (size, opening) in [
        ((80, 24), "Esc"),
        ((81, 30), "Enter"),
        ((300, 90), "?"),
        ((120, 30), "e"),
        ((3, 2), "q"),
    ] {
        app.msg(Msg::Input(Event::Resize(size.0, size.1)));
        app.press(opening);
        for key in keys.split_whitespace() {
            app.press(key);
            app.click(size.0 / 2, size.1 / 2);
            for depth in [Depth::True, Depth::Sixteen, Depth::Mono] {
                app.frame(
                    depth,
                    if depth == Depth::Mono {
                        Cells::Ascii
                    } else {
                        Cells::Sextant
                    },
                );
            }
        }
        app.press("Esc Esc");
    }
    app.msg(Msg::Input(Event::Paste(
        "\u{1f980}\t\u{200b}\nsecond".into(),
    )));
    app.press("e");
    app.msg(Msg::Input(Event::Paste(
        "wide \u{1f980}\u{1f980} \t\u{301}x\nsecond".into(),
    )));
    app.frame(Depth::True, Cells::Half);
    app.press("Esc");
    app.frame(Depth::Indexed, Cells::Half);
    assert!(
        app.model.doc.text.contains("wide \u{1f980}\u{1f980}"),
        "into the text, as it is"
    );
}

#[test]
fn an_empty_or_wild_mission_can_be_shown_and_edited() {
    for text in [
        "",
        "\n",
        "\t\u{7}\r\n\u{1f980}",
        "step \"a\"\n\n\n",
        &"x ".repeat(5_000),
    ] {
        let mut project = Project::demo(None).unwrap();
        project.mission = text.to_owned();
        let mut app = App::new();
        app.model = Model::new(project, None, 1, (80, 24));
        app.frame(Depth::True, Cells::Quadrant);
        app.press("Down Up + d n t g o Esc a Esc e Enter step Space \"b\" Esc");
        app.frame(Depth::True, Cells::Quadrant);
        assert!(app.model.doc.text.contains("step \"b\""), "{text:?}");
    }
}

#[test]
fn the_screen_of_the_demo() {
    let mut app = App::new();
    app.press("Down Home PgDn");
    insta::assert_snapshot!("large", app.frame(Depth::Mono, Cells::Quadrant));
    app.msg(Msg::Input(Event::Resize(80, 24)));
    app.press("+");
    insta::assert_snapshot!("small", app.frame(Depth::Mono, Cells::Quadrant));
}

#[test]
fn exports_and_lost_drafts_are_reported() {
    let mut app = App::new();
    app.press("x");
    assert!(matches!(app.asked.pop(), Some(Effect::Export(_))));
    app.msg(Msg::Exported(Ok(vec![
        PathBuf::from("a.svg"),
        PathBuf::from("a.pdf"),
    ])));
    assert_eq!(app.notice(), "wrote a.svg and a.pdf");
    app.msg(Msg::DraftFailed("disk full".into()));
    assert!(
        app.notice()
            .contains("only in memory until you save: disk full")
    );
    // Whoever wants to leave and keep them stays, and learns why.
    app.press("+ q k");
    assert!(
        matches!(app.model.mode, Mode::Leaving)
            && !app
                .asked
                .iter()
                .any(|effect| matches!(effect, Effect::Quit))
    );
    assert!(
        app.notice().contains("cannot be kept: disk full"),
        "{}",
        app.notice()
    );
    app.msg(Msg::DraftKept);
    app.press("k");
    assert!(matches!(app.asked.last(), Some(Effect::Quit)));
}

#[test]
fn letters_that_come_in_one_breath_are_one_change() {
    let mut app = App::new();
    let key = |letter: char| {
        Msg::Input(Event::Key(KeyEvent::new(
            KeyCode::Char(letter),
            KeyModifiers::NONE,
        )))
    };
    let keys = |text: &str| {
        text.chars()
            .map(key)
            .collect::<std::collections::VecDeque<Msg>>()
    };
    // Commands are no letters.
    let mut waiting = keys(&"n".repeat(500));
    assert!(matches!(
        super::in_one_breath(&app.model, key('n'), &mut waiting),
        Msg::Input(Event::Key(_))
    ));
    app.press("e");
    let long = "a long comment ".repeat(20);
    let mut waiting = keys(&long);
    waiting.push_back(Msg::Tick(0.0));
    let all = super::in_one_breath(&app.model, key('#'), &mut waiting);
    assert!(
        matches!(&all, Msg::Input(Event::Paste(text)) if *text == format!("#{long}")),
        "{all:?}"
    );
    assert!(
        matches!(waiting.make_contiguous(), [Msg::Tick(_)]),
        "and what follows stays"
    );
    let mut few = keys("abc");
    assert!(
        matches!(
            super::in_one_breath(&app.model, key('x'), &mut few),
            Msg::Input(Event::Key(_))
        ) && few.len() == 3
    );
}

/// Numbers that look random and are the same on every run.
struct Dice(u64);

impl Dice {
    fn throw(&mut self, sides: usize) -> usize {
        // A linear congruential generator; constants from Knuth, MMIX.
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % sides
    }
}

#[test]
fn whatever_is_pressed_undo_leads_all_the_way_back() {
    let keys = [
        "Up", "Down", "Down", "Left", "Right", "Right", "Tab", "+", "-", ".", ",", "Enter",
        "Enter", "Esc", "e", "o", "d", "7", "x", "\"", "Space", "n", "t", "g", "PgDn", "z", "?",
        "u", "r", "a", "c", "C", "b", "i", "#", "k", "j", "<", ">", ";", "l", "L", "B", "R", "y",
        "m", "N", "v", "p", "T", "h", "Down",
    ];
    for seed in 0..6 {
        let mut app = App::new();
        let original = Arc::clone(&app.model.doc.text);
        let mut dice = Dice(seed);
        for _ in 0..150 {
            app.press(keys[dice.throw(keys.len())]);
            let model = &app.model;
            assert!(
                model.doc.cursor.line < model.doc.lines().len().max(1),
                "the cursor stays on a line"
            );
            assert_eq!(
                model.doc.prepared.parsed.lines.len(),
                model.doc.text.split('\n').count(),
                "what is shown is what is held"
            );
            let kept = app
                .asked
                .iter()
                .rfind(|effect| matches!(effect, Effect::Draft(..) | Effect::ClearDraft(_)));
            let safe = matches!(kept, Some(Effect::Draft(_, draft)) if *draft == model.doc.text);
            let tried = model.trial.is_some();
            assert!(
                safe || tried || !model.doc.unsaved(),
                "every unsaved edit is in the draft"
            );
        }
        app.press("Esc Esc Esc");
        for _ in 0..200 {
            app.press("u");
        }
        assert_eq!(app.model.doc.text, original, "seed {seed}");
        assert!(!app.model.doc.unsaved());
        for _ in 0..200 {
            app.press("r");
        }
        app.frame(Depth::Indexed, Cells::Quadrant);
    }
}

#[test]
fn the_line_of_hints_says_what_the_slot_takes() {
    let mut app = App::new();
    let status = |app: &App| {
        app.frame(Depth::Mono, Cells::Ascii)
            .lines()
            .nth(48)
            .unwrap()
            .to_owned()
    };
    assert!(
        status(&app).ends_with("cruise = 26 %, used in 4 places; 0 to 100 %"),
        "{}",
        status(&app)
    );
    for (keys, words) in [
        ("Left", "ahead or back"),
        ("Down", "a floor sensor"),
        ("Right", "a tone that floor-right can see"),
        ("Right", "where to go next"),
        ("Down Left", "0 mm or more"),
        ("Tab", "a text"),
        ("Down Down Right Right", "1 to 1000"),
        ("Up Up Up Up Up Up Up", "in %"),
    ] {
        app.press(keys);
        assert!(status(&app).ends_with(words), "{keys}: {}", status(&app));
    }
}

#[test]
fn a_step_visited_again_shows_the_visit_of_the_moment() {
    let mut project = Project::demo(None).unwrap();
    let text = "mission \"Loop\"\n  limit 9 s\n  start slipway\n\nstep \"a\"\n  hold\n  until 1 s passes\n\nstep \"b\"\n  hold\n  until 0.5 s pass  -> \"a\"\n";
    project.mission = text.to_owned();
    let mut app = App::new();
    app.model = Model::new(project, None, 1, (120, 30));
    let job = app.model.job().map(Effect::Run);
    app.carry_out(job.into_iter().collect());
    assert_eq!(app.outcome(), Outcome::Limit);
    let shown = |app: &App| {
        app.frame(Depth::Mono, Cells::Ascii)
            .lines()
            .find(|line| line.contains("step \"a\""))
            .unwrap()
            .to_owned()
    };
    app.press("Home");
    assert!(
        shown(&app).contains("7 times, 0.0 - 1.0 s"),
        "{}",
        shown(&app)
    );
    app.press("} } }");
    assert!(
        shown(&app).contains("7 times, 3.0 - 4.0 s"),
        "{}",
        shown(&app)
    );
}

#[test]
fn long_lines_follow_the_cursor_and_the_margin_is_never_covered() {
    let mut project = Project::demo(None).unwrap();
    let name = "n".repeat(70);
    project.mission = format!(
        "limit 9 s\nstart slipway\nstep \"{name}\"\n  hold\n  until 1 s passes  -> fail \"{}\"\n",
        "why ".repeat(30)
    );
    let mut app = App::new();
    app.model = Model::new(project, None, 1, (80, 24));
    let job = app.model.job().map(Effect::Run);
    app.carry_out(job.into_iter().collect());
    let line = |app: &App, has: &str| {
        app.frame(Depth::Mono, Cells::Half)
            .lines()
            .find(|line| line.contains(has))
            .map(str::to_owned)
    };
    assert!(
        line(&app, "nnnn").unwrap().contains("…  0.0 - 1.0 s"),
        "{:?}",
        line(&app, "nnnn")
    );
    let reason = line(&app, "fired: failed").unwrap();
    assert!(
        reason.contains("…  fired: failed") && reason.contains("why why"),
        "{reason}"
    );
    // The end of the reason comes into sight when the cursor stands on it.
    app.press("Tab Down Down Right Right Right Enter End");
    assert!(matches!(app.model.mode, Mode::Typing(_)));
    app.press("X Enter");
    assert!(
        app.model.doc.text.contains("why X\""),
        "{}",
        app.model.doc.text
    );
}

/// The application on another mission of the demo.
fn on(mission: &str, seed: u64) -> App {
    let project = Project::demo(Some(mission)).unwrap();
    let world = Arc::new(project.setup.as_ref().unwrap().world());
    let mut app = App {
        model: Model::new(project, None, seed, (160, 50)),
        world,
        asked: Vec::new(),
        spread: None,
        against: None,
        book: Vec::new(),
        tune: false,
        sweep: None,
        grid: None,
        league: None,
        proof: None,
    };
    let job = app.model.job().map(Effect::Run);
    app.carry_out(job.into_iter().collect());
    app
}

#[test]
fn rivals_and_the_verdict_are_on_the_screen() {
    let mut app = on("ring-contest", 5);
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.lines().next().unwrap().contains("✓ won at"),
        "{frame}"
    );
    assert!(frame.contains("10 points"), "{frame}");
    app.press("Home");
    assert!(
        app.frame(Depth::True, Cells::Half).contains("Dunlin"),
        "it has its name on the ring"
    );
    app.press("End");
    let end = app.frame(Depth::True, Cells::Half);
    assert!(
        !end.lines()
            .any(|line| line.contains("Dunlin") && !line.contains('#')),
        "and is gone when it fell: {end}"
    );
    // A list of priorities is active while what it chose has the wheels: one thing has them at a
    // time.
    app.press("Home PgDn PgDn");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("1  Contest") && frame.contains("active, 0."),
        "{frame}"
    );
    assert_eq!(frame.matches("driving").count(), 1, "{frame}");
}

#[test]
fn what_happens_in_the_world_is_jumped_to_and_told() {
    let mut app = on("past-the-herons", 2);
    let mut notices = Vec::new();
    app.press("Home");
    for _ in 0..40 {
        app.press("PgDn");
        notices.push(app.notice().to_owned());
    }
    for words in ["young heron leaves", "lamp \"red\"", "lamp \"amber\""] {
        assert!(
            notices.iter().any(|notice| notice.contains(words)),
            "no `{words}` in {notices:?}"
        );
    }
    app.press("Home");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("old heron") && frame.contains("young heron"),
        "{frame}"
    );
    app.press("End");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("lamp \"amber\"") && !frame.contains("young heron"),
        "{frame}"
    );
}

#[test]
fn switches_and_actuators_have_tracks_of_their_own() {
    let mut app = on("haul-the-barge", 2);
    let frame = app.frame(Depth::True, Cells::Half);
    let names: Vec<&str> = frame
        .lines()
        .filter_map(|line| line.split_whitespace().next())
        .collect();
    assert!(
        names.contains(&"bumper") && names.contains(&"crane") && !names.contains(&"go"),
        "{frame}"
    );
    assert!(
        app.model
            .report
            .as_ref()
            .unwrap()
            .run
            .sheet
            .total()
            .is_some_and(|points| points > 30.0)
    );
    app.press("End");
    let end = app.frame(Depth::True, Cells::Half);
    let crane = end
        .lines()
        .find(|line| line.trim_start().starts_with("crane"))
        .unwrap();
    assert!(crane.contains("90 deg"), "{crane}");
    let bumper = end
        .lines()
        .find(|line| line.trim_start().starts_with("bumper"))
        .unwrap();
    assert!(
        !bumper.contains("pressed"),
        "it was let go long ago: {bumper}"
    );
}

#[test]
fn a_car_is_refused_a_spin() {
    let mut app = on("haul-the-barge", 2);
    // From "hold, brake" on: the behaviour of the second step becomes a spin.
    app.press("Down Down Down e Clear");
    for word in ["spin", "left", "at", "20"] {
        app.press(word);
        app.press("Space");
    }
    app.press("%");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("cannot turn on the spot"),
        "said below while it is typed: {frame}"
    );
    app.press("Esc");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("✗ a robot") || frame.contains("cannot turn on the spot"),
        "{frame}"
    );
}

#[test]
fn the_mission_is_read_in_words_at_the_step_under_the_cursor() {
    let mut app = App::new();
    app.press("Tab Tab w");
    let frame = app.frame(Depth::Mono, Cells::Ascii);
    let shown = |frame: &str, words: &str| frame.lines().position(|line| line.contains(words));
    assert!(
        shown(&frame, "In words").is_some()
            && shown(&frame, "3 Up to the kiln").is_some_and(|row| row < 4),
        "{frame}"
    );
    assert!(
        frame.contains("steering") && frame.contains("-> fail: kiln not seen")
            || frame.contains("> fail: kiln not seen"),
        "{frame}"
    );
    app.press("End");
    assert!(shown(&app.frame(Depth::Mono, Cells::Ascii), "14 Make fast").is_some());
    app.press("Home");
    assert!(shown(&app.frame(Depth::Mono, Cells::Ascii), "1 Leave the slipway").is_some());
    app.press("x");
    assert!(
        shown(&app.frame(Depth::Mono, Cells::Ascii), "In words").is_none(),
        "any other key leads back, and does nothing else"
    );
}

#[test]
fn a_mission_with_routines_and_reflexes_shows_who_has_the_wheels() {
    let mut app = on("ring-contest", 5);
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("reflex \"Keep off the rim\"") && frame.contains("Contest"),
        "{frame}"
    );
    let report = Arc::clone(app.model.report.as_ref().unwrap());
    assert!(report.chart.bands.iter().any(|band| band.name == "Contest"));
    let mut gates = on("round-the-gates", 7);
    gates.press("Home PgDn PgDn PgDn");
    let frame = gates.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("Square up") && frame.contains("fired clear"),
        "{frame}"
    );
    // What the run shows stands below its line, and goes when it is fixed.
    let text = app.model.doc.text.replace(
        "until 86 s pass",
        "until 86 s pass\n  or    any of floor-left, floor-right < 99 %",
    );
    app.model.write(text);
    let job = app.model.job().map(Effect::Run);
    app.carry_out(job.into_iter().collect());
    assert!(
        app.model
            .doc
            .findings
            .iter()
            .any(|finding| finding.code == "K06"),
        "{:?}",
        app.model.doc.findings
    );
}

#[test]
fn sides_routines_and_safe_amounts_are_nudged_like_any_word() {
    let mut app = on("which-way", 7);
    // Up to what is safe, and no further.
    let line = app
        .model
        .doc
        .text
        .lines()
        .position(|line| line.starts_with("let prowl"))
        .unwrap();
    app.model.doc.cursor = Cursor { line, nth: 0 };
    app.press("+ + + + +");
    assert!(
        app.model
            .doc
            .text
            .contains("let prowl = 30 %, safe from 18 % to 30 %"),
        "{}",
        app.model.doc.text
    );
    app.press("u u");
    let line = app
        .model
        .doc
        .text
        .lines()
        .position(|line| line.trim() == "do go-there mirrored")
        .unwrap();
    app.model.doc.cursor = Cursor { line, nth: 0 };
    assert!(
        app.frame(Depth::Mono, Cells::Ascii).contains("a routine"),
        "what may stand there is said"
    );
    let line = app
        .model
        .doc
        .text
        .lines()
        .position(|line| line.contains("spin right at prowl"))
        .unwrap();
    app.model.doc.cursor = Cursor { line, nth: 0 };
    app.press("+");
    assert!(
        !app.model.doc.text.contains("spin right at prowl"),
        "turned to the left"
    );
    // A step of a routine shows the visit that is under the time cursor.
    app.press("Home PgDn PgDn PgDn PgDn PgDn");
    assert!(app.model.active_step().is_some());
}

#[test]
fn what_a_nudge_changed_is_said_with_its_place() {
    let mut app = App::new();
    app.press("Down Down .");
    assert!(
        app.model.change.starts_with("320 mm -> 321 mm in step 1: "),
        "{}: {}",
        app.slot(),
        app.model.change
    );
    app.press("u");
    assert!(!app.model.change.contains("->"), "{}", app.model.change);
}

#[test]
fn what_was_done_by_hand_last_is_undone_like_an_edit() {
    let mut app = App::new();
    app.press("Down Down . Home ] h take Space heron");
    app.press("Esc h box Space ahead Enter");
    assert_eq!(app.model.hands.len(), 1, "{}", app.notice());
    app.press("u");
    assert!(
        app.model.hands.is_empty() && app.model.doc.unsaved(),
        "{}",
        app.notice()
    );
    app.press("u");
    assert!(!app.model.doc.unsaved());
}

#[test]
fn digits_are_for_the_slot_and_never_run_as_commands() {
    let mut app = App::new();
    app.press("Down Right");
    assert_eq!(app.slot(), "dark");
    let before = app.model.doc.text.clone();
    app.press("12dd Enter");
    assert!(
        matches!(&app.model.mode, Mode::Typing(entry) if entry.error.is_some()),
        "it says why not"
    );
    app.press("Esc");
    assert!(
        Arc::ptr_eq(&app.model.doc.text, &before),
        "nothing was deleted"
    );
}

#[test]
fn a_line_is_found_by_its_words_and_a_step_by_its_number() {
    let mut app = App::new();
    app.press("S stokers Enter");
    assert!(
        app.model
            .doc
            .line_text(app.model.doc.cursor.line)
            .contains("stokers")
    );
    app.press("J 5 Enter");
    assert!(
        app.model
            .doc
            .line_text(app.model.doc.cursor.line)
            .contains("Corner and hairpin")
    );
}

#[test]
fn a_run_in_a_corner_of_the_field_is_seen_from_near_and_edits_leave_the_view_alone() {
    let far = App::new();
    assert_eq!(
        far.model.field.camera,
        crate::tui::model::Camera::FIT,
        "the round goes over the whole mat"
    );
    let mut app = on("mind-the-rim", 7);
    let zoom = app.model.field.camera.zoom;
    assert!(
        zoom > 1.5 && app.frame(Depth::True, Cells::Half).contains("mm across"),
        "{zoom}"
    );
    app.press("X X X X");
    assert_eq!(app.model.field.camera, crate::tui::model::Camera::FIT);
    app.press(".");
    assert_eq!(
        app.model.field.camera,
        crate::tui::model::Camera::FIT,
        "only the first run of a mission decides"
    );
}

#[test]
fn up_and_down_keep_to_their_column_and_right_ends_with_the_line() {
    let mut app = App::new();
    assert_eq!(app.slot(), "cruise");
    app.press("Down");
    assert_eq!(app.slot(), "floor-right", "what stands below it");
    app.press("Down");
    assert_eq!(app.slot(), "320 mm");
    app.press("Up Up");
    assert_eq!(app.slot(), "cruise", "the way back is the way there");
    app.press("Down Down Down Down Right Right Right Right Right Right");
    let line = app.model.doc.cursor.line;
    app.press("Right");
    assert_eq!(app.model.doc.cursor.line, line);
    app.press("Left Left Left Left Left Left Left Left");
    assert_eq!(
        (app.model.doc.cursor.line, app.model.doc.cursor.nth),
        (line, 0)
    );
}

#[test]
fn a_step_never_stays_without_what_it_does() {
    let mut app = App::new();
    let before = app.model.doc.text.clone();
    app.press("a Enter d");
    assert!(
        app.notice().contains("step deleted") && *app.model.doc.text == *before,
        "{}",
        app.notice()
    );
}

#[test]
fn what_is_typed_into_an_empty_mission_stands_below_its_header() {
    let mut project = Project::demo(None).unwrap();
    project.mission = "mission \"Bare\"\n  limit 60 s\n  start slipway\n".into();
    let mut app = App::new();
    app.model.reopen(project, None);
    app.press("e");
    for letter in "step".chars() {
        app.msg(Msg::Input(Event::Key(KeyEvent::new(
            KeyCode::Char(letter),
            KeyModifiers::NONE,
        ))));
    }
    assert!(
        app.model.doc.text.ends_with("start slipway\nstep"),
        "{}",
        app.model.doc.text
    );
}

#[test]
fn a_box_is_put_down_where_one_says_and_saving_says_that_it_is_not_saved() {
    let mut app = App::new();
    app.press("Home } } h I Space say Enter");
    assert!(matches!(app.model.mode, Mode::Asking(..)));
    app.press("nonsense Enter");
    assert!(matches!(&app.model.mode, Mode::Asking(_, entry) if entry.error.is_some()));
    app.press("Clear 250, Space 40 Space mm Enter");
    let report = app.model.report.clone().unwrap();
    let pose = report.run.trace.ticks[report.run.trace.tick_at(2.0)].pose;
    let wanted = pose.place(report.world.robot.nose + 0.05 + 0.25, 0.04);
    let Act::Place { pose: put, .. } = &app.model.hands[0].act else {
        panic!("{:?}", app.model.hands)
    };
    assert!((put.x - wanted.x).hypot(put.y - wanted.y) < 1e-9);
    app.press("+ s");
    let Some(Effect::Save { path, text, .. }) = app.asked.pop() else {
        panic!("no save")
    };
    app.msg(Msg::Saved(path, Ok(Saved::Done), text));
    assert!(
        app.notice().contains("without what is done by hand"),
        "{}",
        app.notice()
    );
}

#[test]
fn the_score_sheet_stands_on_the_screen_and_leads_to_its_moments() {
    let mut app = App::new();
    app.press("V");
    assert!(
        app.frame(Depth::True, Cells::Half)
            .contains("No points are given on this field")
    );
    let other = Project::demo(Some("shove-the-baskets")).unwrap();
    app.msg(Msg::Opened(Ok((Box::new(other), None))));
    let report = app.model.report.clone().unwrap();
    let shown = app.frame(Depth::True, Cells::Half);
    for (words, points) in wayodos_report::words::score_lines(&report.run) {
        assert!(
            shown.contains(&words[..words.len().min(20)]) && shown.contains(&points),
            "{words}: {shown}"
        );
    }
    let (row, first) = report
        .run
        .sheet
        .lines
        .iter()
        .enumerate()
        .find_map(|(row, line)| Some((row, line.first?)))
        .unwrap();
    app.press("Home");
    app.model.side.row = row;
    app.press("Enter");
    assert!((app.model.player.time - report.run.trace.seconds(first)).abs() < 1e-9);
}

#[test]
fn notes_stand_beside_their_step_wherever_routines_are() {
    let mut project = Project::demo(None).unwrap();
    project.mission = "mission \"m\"\n  limit 20 s\n  start slipway\n\n# how to back off\nroutine back-off\n  step \"Back\"\n    drive back at 20 %\n    until travelled 50 mm\n\n# first of all\n\nstep \"Go\"\n  drive ahead at 20 %\n  until travelled 50 mm\n\nstep \"Off\"\n  do back-off\n\n# that is all\n".into();
    let mut app = App::new();
    app.model.reopen(project, None);
    app.press("w");
    let Mode::Reading { lines, notes, .. } = &app.model.mode else {
        panic!("not read")
    };
    let beside = |words: &str| {
        let at = lines
            .iter()
            .position(|(line, opens)| *opens && line.contains(words))
            .unwrap();
        notes[at].clone()
    };
    assert_eq!(beside("Go"), "first of all", "{lines:?} {notes:?}");
    assert!(
        notes.iter().any(|note| note == "how to back off"),
        "{lines:?} {notes:?}"
    );
    assert_eq!(beside("Off"), "that is all");
    assert!(
        notes[..lines
            .iter()
            .position(|(line, _)| line.contains("Go"))
            .unwrap()]
            .iter()
            .all(|note| note != "first of all")
    );
}

#[test]
fn a_long_line_keeps_its_first_word_in_sight() {
    let mut project = Project::demo(None).unwrap();
    project.mission = "mission \"m\"\n  limit 20 s\n  start slipway\n\nstep \"A\"\n  follow the left edge of a dark line with floor-left at 26 %, gain 0.6, derivative 0.1, settling 0.25 s\n  until 2 s pass  -> done\n".into();
    let mut app = App::new();
    app.model.reopen(project, None);
    app.msg(Msg::Input(Event::Resize(80, 24)));
    app.press("Down Down Down Down Right Right Right Right Right Right");
    let shown = app.frame(Depth::True, Cells::Half);
    let line = shown.lines().find(|line| line.contains("follow")).unwrap();
    assert!(line.contains("follow…"), "{line}");
}

#[test]
fn another_run_is_shown_like_any_other_and_says_what_is_different_in_it() {
    let mut app = App::new();
    let nominal = app.model.report.as_ref().unwrap().run.fingerprint();
    app.press("U");
    assert!(
        matches!(&app.model.mode, Mode::Asking(super::model::Question::Run, entry) if entry.input.value() == "1")
    );
    app.press("Clear 1 7 Space r o u g h Enter");
    let report = app.model.report.clone().unwrap();
    assert_eq!(
        (report.chance.run, report.chance.scatter.word()),
        (17, "rough")
    );
    assert_ne!(report.run.fingerprint(), nominal);
    let furthest = report.chance.furthest(1)[0];
    assert!(
        app.notice()
            .starts_with(&format!("run 17, rough scatter: {} ", furthest.what)),
        "{}",
        app.notice()
    );
    assert!(
        app.frame(Depth::True, Cells::Half)
            .lines()
            .next()
            .unwrap()
            .contains("run 17, rough scatter")
    );
    assert!(app.frame(Depth::True, Cells::Half).contains(&format!(
        "off most: {} {}",
        furthest.what,
        furthest.words()
    )));
    // It stays the one that is shown, whatever is edited.
    app.press("+");
    assert_eq!(app.model.report.as_ref().unwrap().chance.run, 17);
    app.press("u U Clear x Enter");
    let Mode::Asking(_, entry) = &app.model.mode else {
        panic!("taken")
    };
    assert!(
        entry
            .error
            .as_ref()
            .is_some_and(|why| why.contains("17 rough"))
    );
    app.press("Clear 0 Enter");
    assert_eq!(
        app.model.report.as_ref().unwrap().run.fingerprint(),
        nominal
    );
    assert!(app.notice().contains("nominal run"), "{}", app.notice());
    assert!(!app.frame(Depth::True, Cells::Half).contains("scatter"));
}
