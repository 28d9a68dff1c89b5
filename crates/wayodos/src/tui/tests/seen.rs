//! What is seen of it: every pane in every size, what the mouse does to lists and tabs, and what
//! the hints promise.

use super::*;
use crate::tui::keymap;
use crate::tui::layout::Pane;
use crate::tui::model::{ScreenName, Side};
use crate::tui::sight::side::tab_at;
use crate::tui::update::Refitted;
use ratatui::layout::Position;

fn resize(app: &mut App, width: u16, height: u16) {
    app.msg(Msg::Input(Event::Resize(width, height)));
}

fn line(app: &App, nth: usize) -> String {
    app.frame(Depth::True, Cells::Half)
        .lines()
        .nth(nth)
        .unwrap_or_default()
        .to_owned()
}

#[test]
fn every_key_stands_in_the_help_whatever_the_size() {
    let mut app = App::new();
    for (width, height) in [
        (160, 50),
        (120, 40),
        (200, 60),
        (300, 90),
        (100, 45),
        (80, 36),
    ] {
        resize(&mut app, width, height);
        app.press("?");
        let mut frame = app.frame(Depth::True, Cells::Half);
        // What does not fit is scrolled to.
        app.press("End");
        frame += &app.frame(Depth::True, Cells::Half);
        for row in keymap::rows(ScreenName::Mission) {
            // In narrow columns the end of a sentence may be cut.
            let begin: String = row.what.chars().take(18).collect();
            assert!(
                frame.contains(&begin),
                "{width} x {height}: {}\n{frame}",
                row.what
            );
        }
        app.press("Esc");
    }
}

#[test]
fn the_line_of_keys_promises_only_what_works_here() {
    let mut app = App::new();
    let hints = |app: &App| line(app, usize::from(app.model.size.1) - 1);
    for (keys, there, missing) in [
        ("", "l name it", "c copy"),
        ("Up", "c copy", "l name it"),
        ("Down Down", "o add an exit", "c copy"),
        ("v", "arrows pan", "o add an exit"),
        ("v", "Left Right time", "arrows pan"),
        ("y", "Up Down which exit", "zoom"),
        ("Esc a", "type to find", "v next pane"),
        ("Esc e", "Esc done", "type to find"),
        ("Esc q", "", "Esc done"),
    ] {
        app.press(keys);
        let hints = hints(&app);
        assert!(
            hints.contains(there) && !hints.contains(missing),
            "{keys}: {hints}"
        );
        assert!(
            hints.contains("? help") != matches!(app.model.mode, Mode::Finding(_) | Mode::Free(_)),
            "{hints}"
        );
    }
}

#[test]
fn a_key_right_after_esc_is_two_keys() {
    let mut app = App::new();
    let alt = |letter| {
        Msg::Input(Event::Key(KeyEvent::new(
            KeyCode::Char(letter),
            KeyModifiers::ALT,
        )))
    };
    app.press("?");
    app.msg(alt('w'));
    assert!(
        matches!(app.model.mode, Mode::Reading { .. }),
        "the help is left, the words are shown"
    );
    app.press("Esc a");
    let text = Arc::clone(&app.model.doc.text);
    app.msg(alt('d'));
    assert!(app.model.trial.is_none() && matches!(app.model.mode, Mode::Browse));
    assert!(
        *app.model.doc.text != *text && !app.model.doc.text.contains("step \"Drive ahead\""),
        "left, then taken out"
    );
    // Where one types a word may be jumped over, and nothing is left by that.
    app.press("e");
    app.msg(alt('b'));
    assert!(matches!(app.model.mode, Mode::Free(_)));
}

#[test]
fn a_small_screen_has_one_pane_for_chart_and_why() {
    let mut app = App::new();
    resize(&mut app, 80, 24);
    let shows = |app: &App, words: &str| app.frame(Depth::True, Cells::Half).contains(words);
    assert!(shows(&app, "floor-left") && !shows(&app, "findings"));
    app.press("y");
    assert!(shows(&app, "ended, 0.5 s") && shows(&app, "findings"));
    app.press("y");
    assert!(
        !shows(&app, "findings"),
        "the same key gives the chart back"
    );
    app.press("v v v");
    assert_eq!(app.model.focus, Pane::Side);
    assert!(shows(&app, "findings"), "and so does going round the panes");
    app.press("v");
    assert!(!shows(&app, "findings"));
    // Large ones show two things in the column of their own.
    resize(&mut app, 260, 80);
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains(" why ") && frame.contains("─ map ─") && frame.contains("→9 →10"),
        "{frame}"
    );
}

#[test]
fn lists_tabs_and_rows_answer_to_the_mouse() {
    let mut app = App::new();
    app.press("Tab a");
    let lists = app.model.areas().unwrap().lists();
    app.click(lists.x + 6, lists.y + 4);
    let Mode::Finding(finder) = &app.model.mode else {
        panic!("a list")
    };
    assert_eq!(
        (finder.at, finder.item().unwrap().title.as_str()),
        (2, "Drive back")
    );
    assert!(
        app.model.doc.text.contains("drive back at 30 %"),
        "a click tries"
    );
    app.click(lists.x + 6, lists.y + 4);
    assert!(
        matches!(app.model.mode, Mode::Browse)
            && app.model.trial.is_none()
            && app.model.doc.unsaved(),
        "another takes"
    );
    app.press("u");
    let side = app.model.areas().unwrap().side;
    let tab = (side.x..side.right())
        .find(|x| tab_at(side, Position::new(*x, side.y)) == Some(Side::Map))
        .unwrap();
    app.click(tab, side.y);
    assert!((app.model.focus, app.model.side.shown) == (Pane::Side, Side::Map));
    app.click(side.x + 10, side.y + 5);
    assert_eq!(app.model.side.row, 4);
    app.click(side.x + 10, side.y + 5);
    assert_eq!(
        app.model.doc.line_text(app.model.doc.cursor.line),
        "step \"Corner and hairpin\"",
        "a second click goes there"
    );
    assert!(
        (app.model.player.time - 13.91).abs() < 0.02,
        "{}",
        app.model.player.time
    );
}

#[test]
fn the_track_shows_where_the_sensor_was_and_what_it_met() {
    let mut app = App::new();
    app.press("Home } } K Right");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("floor-right at ")
            && frame.contains("of its track")
            && frame.contains("% is there"),
        "{frame}"
    );
    assert!(frame.contains("0 mm") && frame.contains("dots: readings"));
    app.press("Left");
    assert!(
        app.frame(Depth::True, Cells::Half)
            .contains("floor-left at ")
    );
    app.press("Left");
    assert!(
        app.frame(Depth::True, Cells::Half).contains("hue at "),
        "round the end"
    );
    // As much of it as the chart shows of the time.
    app.press("v v v Up Up Up Up v");
    assert!(app.model.chart.span.is_some());
    app.frame(Depth::Mono, Cells::Ascii);
}

#[test]
fn notes_stand_beside_the_words_or_among_them() {
    let mut app = App::new();
    app.press("J greet Enter w");
    let beside = app.frame(Depth::True, Cells::Half);
    let row = beside
        .lines()
        .find(|line| line.contains("Greet the kiln") && line.contains("│ "))
        .unwrap_or_default();
    assert!(
        row.contains("The stokers want to be greeted.") && beside.contains("Your notes"),
        "{beside}"
    );
    app.press("Esc");
    resize(&mut app, 100, 40);
    app.press("w");
    let among = app.frame(Depth::True, Cells::Half);
    assert!(
        among.contains("# The stokers want to be greeted.") && !among.contains("Your notes"),
        "{among}"
    );
}

#[test]
fn a_reflex_is_seen_taking_the_wheels() {
    let mut project = Project::demo(None).unwrap();
    project.mission = "mission \"r\"\n  limit 20 s\n  start slipway\n\nreflex \"Back off\"\n  when floor-right sees dark\n  drive back at 26 %\n  until travelled 60 mm\n  then resume\n\nstep \"Go\"\n  drive ahead at 26 %\n  until 8 s pass  -> done\n".to_owned();
    let mut app = App::new();
    app.model = Model::new(project, None, 7, (160, 50));
    let job = app.model.job().map(Effect::Run);
    app.carry_out(job.into_iter().collect());
    app.press("Home PgDn y");
    for _ in 0..6 {
        if app.notice().contains("takes over") {
            break;
        }
        app.press("PgDn");
    }
    app.press("]");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("interrupted by a reflex") && frame.contains("waiting for the reflex"),
        "{frame}"
    );
    app.press("Down Down Down Down");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(frame.contains("\"Back off\" took over"), "{frame}");
    assert!(frame.contains("Back off"), "and has a ribbon in the chart");
    app.press("Enter");
    assert!(app.notice().contains("mark an exit"), "{}", app.notice());
}

#[test]
fn several_looks_of_one_exit_stand_below_it() {
    let mut app = App::new();
    let text = app.model.doc.text.replacen(
        "until floor-right sees dark  -> next",
        "until floor-right sees dark and travelled 50 mm for 20 ms  -> next",
        1,
    );
    app.msg(Msg::Outside(app.model.doc.path.clone(), text));
    app.press("Home } y");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("true for") || frame.contains("of 2 are true"),
        "{frame}"
    );
    let words: Vec<&str> = frame
        .lines()
        .filter(|line| line.contains("travelled 50 mm"))
        .collect();
    assert!(
        words
            .iter()
            .any(|line| line.contains("of 50 mm") || line.contains("true")),
        "{words:?}"
    );
}

#[test]
fn typing_freely_goes_where_the_mouse_and_the_arrows_say() {
    let mut app = App::new();
    app.press("Tab e");
    let frame = app.frame(Depth::Mono, Cells::Half);
    let row = frame
        .lines()
        .position(|line| line.contains("crossed 3 dark"))
        .unwrap();
    let column = frame
        .lines()
        .nth(row)
        .unwrap()
        .split("3 dark")
        .next()
        .unwrap()
        .chars()
        .count();
    app.click(column as u16, row as u16);
    app.press("1");
    assert!(
        app.model.doc.text.contains("crossed 13 dark lines"),
        "{}",
        app.model.doc.text
    );
    for (code, modifiers) in [
        (KeyCode::Backspace, KeyModifiers::NONE),
        (KeyCode::Down, KeyModifiers::NONE),
        (KeyCode::Up, KeyModifiers::NONE),
        (KeyCode::Right, KeyModifiers::CONTROL),
        (KeyCode::Left, KeyModifiers::CONTROL),
        (KeyCode::Home, KeyModifiers::NONE),
        (KeyCode::End, KeyModifiers::NONE),
    ] {
        app.msg(Msg::Input(Event::Key(KeyEvent::new(code, modifiers))));
    }
    assert!(
        !app.model.doc.unsaved(),
        "taken out again, and nothing else was touched"
    );
    let Mode::Free(free) = &app.model.mode else {
        panic!("still typing")
    };
    let (start, end) = free.line(&app.model.doc.text);
    assert_eq!(
        (&app.model.doc.text[start..end], free.at),
        ("  until floor-right has crossed 3 dark lines  -> next", end)
    );
    // The text that is deleted into one line, and the draft of it.
    app.press("Home");
    app.msg(Msg::Input(Event::Key(KeyEvent::new(
        KeyCode::Backspace,
        KeyModifiers::NONE,
    ))));
    assert!(
        app.model.doc.text.contains("gain 0.6  until floor-right"),
        "{}",
        app.model.doc.text
    );
    app.press("Esc u");
    assert!(!app.model.doc.unsaved());
}

#[test]
fn another_mission_keeps_the_shape_of_the_screen() {
    let mut app = App::new();
    app.press("m +");
    // One that is not there yet is begun, and stands in no file before it is saved.
    let fresh = app.model.project.open_other("Evening round").unwrap();
    assert_eq!(
        (fresh.config.mission.as_str(), fresh.mission.lines().count()),
        ("missions/evening-round.way", 3)
    );
    assert!(app.model.project.open_other("///").is_err());
    app.msg(Msg::Opened(Err("there is no project at x".into())));
    assert!(
        app.notice().contains("there is no project at x") && app.model.doc.unsaved(),
        "nothing is lost"
    );
    let other = Project::demo(Some("mind-the-rim")).unwrap();
    app.msg(Msg::Opened(Ok((Box::new(other), None))));
    assert!(app.model.doc.text.contains("Mind the rim") && app.outcome() == Outcome::Done);
    assert!(
        (app.model.side.shown, app.model.focus) == (Side::Map, Pane::Side),
        "as it was"
    );
    assert!(
        app.notice().contains("edits of morning-round are kept"),
        "{}",
        app.notice()
    );
    // A file beside the mission that now has errors, and none any more.
    let mut broken = app.model.project.clone();
    broken.setup = None;
    let good = app.model.project.clone();
    let refitted = |project| {
        Msg::Refit(Box::new(Refitted {
            project: Ok(project),
            others: Vec::new(),
            ours: false,
        }))
    };
    app.msg(refitted(broken));
    assert!(app.model.unfit && app.model.stale() && app.notice().contains("now has errors"));
    app.frame(Depth::True, Cells::Half);
    app.msg(refitted(good));
    assert!(app.outcome() == Outcome::Done && app.notice().contains("new version is loaded"));
}

#[test]
fn whatever_is_pressed_and_pointed_at_can_be_drawn_and_taken_back() {
    const KEYS: [&str; 40] = [
        "Up", "Down", "Left", "Right", "Tab", "Enter", "Esc", "+", "-", "a", "A", "o", "c", "C",
        "d", "<", ">", "b", "i", "#", "k", "j", "e", "x", "Space", "p", "T", "!", "h", "y", "K",
        "m", "N", "v", "z", "Z", "G", "0", "|", "u",
    ];
    let kinds = [
        MouseEventKind::Down(MouseButton::Left),
        MouseEventKind::Drag(MouseButton::Left),
        MouseEventKind::Up(MouseButton::Left),
        MouseEventKind::Down(MouseButton::Right),
        MouseEventKind::Drag(MouseButton::Right),
        MouseEventKind::ScrollUp,
        MouseEventKind::ScrollDown,
        MouseEventKind::Moved,
    ];
    for (seed, mission) in [
        (1, "morning-round"),
        (2, "ring-contest"),
        (3, "round-the-gates"),
        (4, "haul-the-barge"),
    ] {
        let mut app = on(mission, seed);
        let original = Arc::clone(&app.model.doc.text);
        let mut dice = Dice(seed);
        for turn in 0..120 {
            if turn % 30 == 0 {
                let sizes = [(80, 24), (120, 30), (160, 50), (260, 70)];
                let (width, height) = sizes[dice.throw(sizes.len())];
                resize(&mut app, width, height);
            }
            if dice.throw(3) == 0 {
                let (column, row) = (
                    dice.throw(usize::from(app.model.size.0)),
                    dice.throw(usize::from(app.model.size.1)),
                );
                let kind = kinds[dice.throw(kinds.len())];
                let mouse = MouseEvent {
                    kind,
                    column: column as u16,
                    row: row as u16,
                    modifiers: KeyModifiers::NONE,
                };
                app.msg(Msg::Input(Event::Mouse(mouse)));
            } else {
                app.press(KEYS[dice.throw(KEYS.len())]);
            }
            if turn % 7 == 0 {
                app.msg(Msg::Tick(0.04));
                app.frame(
                    Depth::Indexed,
                    [Cells::Half, Cells::Octant, Cells::Ascii][dice.throw(3)],
                );
            }
            let model = &app.model;
            assert!(
                model.player.time >= 0.0 && model.player.time <= model.end() + 1e-9,
                "{mission} {turn}: {}",
                model.player.time
            );
            assert!(
                model
                    .chart
                    .span
                    .is_none_or(|(from, to)| from >= 0.0 && to > from),
                "{mission} {turn}: {:?}",
                model.chart.span
            );
            assert!(
                model.doc.slots_on(model.doc.cursor.line).count() > model.doc.cursor.nth
                    || model.doc.cursor.nth == 0
            );
        }
        app.press("Esc Esc Esc");
        for _ in 0..130 {
            app.press("u");
        }
        assert_eq!(app.model.doc.text, original, "{mission}");
    }
}
