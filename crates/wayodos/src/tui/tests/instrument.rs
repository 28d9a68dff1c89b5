//! The screen as an instrument: writing, trying, asking why, pieces of a run, and what happens
//! outside.

use ratatui::style::Color;
use wayodos_core::mission::format;

use super::*;
use crate::tui::layout::Pane;
use crate::tui::model::{Row, Side};
use crate::tui::sight::side::{map_rows, why_rows};

fn hash(app: &App) -> u64 {
    app.model.report.as_ref().unwrap().run.fingerprint()
}

/// The names of the steps, in written order.
fn names(app: &App) -> Vec<&str> {
    app.model
        .doc
        .prepared
        .parsed
        .mission
        .steps
        .iter()
        .map(|step| step.name.node.as_str())
        .collect()
}

fn key(app: &mut App, code: KeyCode, modifiers: KeyModifiers) {
    app.msg(Msg::Input(Event::Key(KeyEvent::new(code, modifiers))));
}

fn pointer(app: &mut App, kind: MouseEventKind, column: u16, row: u16) {
    app.msg(Msg::Input(Event::Mouse(MouseEvent {
        kind,
        column,
        row,
        modifiers: KeyModifiers::NONE,
    })));
}

#[test]
fn what_is_only_tried_leaves_no_trace() {
    let mut app = App::new();
    app.press("Tab");
    let (text, before, cursor) = (
        Arc::clone(&app.model.doc.text),
        hash(&app),
        app.model.doc.cursor,
    );
    app.asked.clear();
    app.press("a");
    assert!(
        app.model.trial.is_some() && names(&app)[2] == "Drive ahead",
        "{:?}",
        names(&app)
    );
    let first = hash(&app);
    app.press("spin");
    assert!(
        names(&app)[2] == "Spin" && hash(&app) != first,
        "every marked row is run"
    );
    assert!(
        app.model
            .ghost
            .as_ref()
            .is_some_and(|ghost| ghost.run.fingerprint() == before),
        "against what there was"
    );
    app.press("zzz");
    assert_eq!(
        (&app.model.doc.text, hash(&app)),
        (&text, before),
        "no match: try another word"
    );
    app.press("Esc");
    assert_eq!(
        (&app.model.doc.text, hash(&app), app.model.doc.cursor),
        (&text, before, cursor)
    );
    assert!(
        !app.model.doc.unsaved() && app.asked.is_empty(),
        "no draft of it either"
    );
    // Taken: one point of history, kept against a crash.
    app.press("a wait Enter");
    assert!(app.model.trial.is_none() && names(&app)[2] == "Wait" && app.slot() == "1 s");
    assert!(matches!(app.asked.last(), Some(Effect::Draft(..))));
    app.press("u");
    assert_eq!((&app.model.doc.text, hash(&app)), (&text, before));
    app.press("A back Enter");
    assert_eq!(
        names(&app)[..3],
        ["Leave the slipway", "Drive back", "Along the causeway"],
        "above the one it stood on"
    );
}

#[test]
fn a_choice_is_compared_with_what_there_was_before_the_choosing() {
    let mut app = App::new();
    app.press("Tab");
    let before = hash(&app);
    app.press("a");
    // Taken while its run is still on the way.
    let typed = update(
        &mut app.model,
        Msg::Input(Event::Key(KeyEvent::from(KeyCode::Char('w')))),
    );
    app.press("Enter");
    assert!(app.model.trial.is_none() && app.model.pending.is_some());
    app.carry_out(typed);
    assert!(app.model.pending.is_none());
    assert!(
        app.model
            .ghost
            .as_ref()
            .is_some_and(|ghost| ghost.run.fingerprint() == before),
        "not with one only tried"
    );
    // In a mission without steps there was nothing.
    let mut project = Project::demo(None).unwrap();
    project.mission = "mission \"Bare\"\n  limit 60 s\n  start slipway\n".into();
    app.model.reopen(project, None);
    app.press("a Down Enter");
    assert_eq!(names(&app), ["Drive to a mark"]);
    assert!(
        app.model.ghost.is_none() && app.model.change.is_empty(),
        "{}",
        app.model.change
    );
    app.press("+");
    assert!(
        app.model.ghost.is_some() && app.model.change.contains("Drive to a mark"),
        "{}",
        app.model.change
    );
}

#[test]
fn whole_steps_are_changed_by_one_key_and_brought_back_by_another() {
    let mut app = App::new();
    let text = Arc::clone(&app.model.doc.text);
    app.press("Tab Tab Tab");
    for (keys, holds, notice) in [
        (
            "c",
            "step \"Greet the kiln 2\"\n  hold, brake\n  until 1.5 s pass\n",
            "",
        ),
        (
            "C",
            "step \"Greet the kiln 2\"\n  like \"Greet the kiln\"\n",
            "`but` lines",
        ),
        (
            "<",
            "# The stokers want to be greeted.\nstep \"Greet the kiln\"\n  hold, brake\n  until 1.5 s pass\n",
            "",
        ),
        (
            "b",
            "step \"Greet the kiln\"\n  repeat 2 times\n    step \"Greet the kiln, once\"",
            "",
        ),
        (
            "#",
            "# step \"Greet the kiln\"\n#   hold, brake\n#   until 1.5 s pass\n",
            "",
        ),
        ("d", "", "step deleted"),
        (
            "j",
            "step \"Greet the kiln\"\n  hold, brake\n  until hue sees brine-blue",
            "was different",
        ),
        (
            "Down Down o turned Enter",
            "  until 1.5 s pass\n  or    turned 90 deg  -> next\n",
            "",
        ),
        ("Down Down ;", "until 1500 ms pass", ""),
        ("Down Down l rest Enter", "let rest = 1.5 s\n", ""),
    ] {
        app.press(keys);
        assert!(
            app.model.doc.text.contains(holds) && app.model.doc.text != text,
            "{keys}: {}",
            app.model.doc.text
        );
        assert!(app.notice().contains(notice), "{keys}: {}", app.notice());
        assert_eq!(
            format(&app.model.doc.text),
            *app.model.doc.text,
            "{keys}: it stays laid out"
        );
        app.press("u");
        assert_eq!(app.model.doc.text, text, "{keys}");
        app.press("J greet Enter");
    }
    app.press("Tab i");
    assert!(
        app.model
            .doc
            .text
            .contains("follow the right edge of a dark line with floor-right at creep, gain 1.6")
    );
    app.press("u B bow Enter");
    assert!(
        app.model.doc.text.contains("  do bow\n") && app.model.doc.text.contains("routine bow\n"),
        "{}",
        app.model.doc.text
    );
}

#[test]
fn a_copy_is_made_different_line_by_line() {
    let mut app = App::new();
    app.press("J gate Enter C");
    assert!(
        app.model
            .doc
            .text
            .contains("step \"To the gate 2\"\n  like \"To the gate\"\n"),
        "{}",
        app.model.doc.text
    );
    app.press("Down Enter");
    let Mode::Finding(finder) = &app.model.mode else {
        panic!("no list")
    };
    assert_eq!(
        finder.items.len(),
        5,
        "what it does, three exits, another original"
    );
    app.press("travelled Enter");
    assert!(
        app.model.doc.text.contains(
            "  like \"To the gate\"\n  but until travelled 250 mm  -> fail \"no gate\"\n"
        )
    );
    assert_eq!(app.slot(), "250 mm");
    app.press("+");
    assert!(app.model.doc.text.contains("but until travelled 260 mm"));
    app.press("Up Enter another Enter");
    assert!(matches!(&app.model.mode, Mode::Typing(entry) if entry.input.value() == "To the gate"));
    app.press("Esc");
    // It runs as its original does.
    assert_eq!(app.outcome(), Outcome::Done);
}

#[test]
fn a_step_is_cut_where_the_robot_is() {
    let mut app = App::new();
    app.press("Tab Home k");
    assert!(
        app.notice()
            .contains("move the time cursor into this step first"),
        "{}",
        app.notice()
    );
    app.press("t } } k");
    assert!(
        app.notice().starts_with("split where it had travelled"),
        "{}",
        app.notice()
    );
    assert_eq!(
        names(&app)[1..3],
        ["Along the causeway", "Along the causeway, on"]
    );
    assert!(
        app.model
            .doc
            .text
            .contains("mm  -> next\n  or    20 s pass"),
        "what guards it guards both: {}",
        app.model.doc.text
    );
}

#[test]
fn a_renamed_step_keeps_its_visitors() {
    let mut app = App::new();
    app.press("J turn Enter Enter Clear Round Enter");
    assert_eq!(
        app.model.doc.text.matches("\"Round\"").count(),
        3,
        "its own line and both that lead to it"
    );
    assert_eq!(app.outcome(), Outcome::Done);
}

#[test]
fn typing_freely_is_checked_completed_and_undone_line_by_line() {
    let mut app = App::new();
    let text = Arc::clone(&app.model.doc.text);
    app.press("Tab Down Down Down e Enter or Space floor-l");
    let Mode::Free(free) = &app.model.mode else {
        panic!("typing")
    };
    assert_eq!(free.offers[0].text, "floor-left sees dark");
    assert!(
        app.model.stale()
            && app
                .frame(Depth::Mono, Cells::Half)
                .contains("─ `floor-l` is no sensor"),
        "said in one place"
    );
    app.press("Tab");
    assert!(
        app.model.doc.text.contains("\n  or floor-left sees dark\n"),
        "{}",
        app.model.doc.text
    );
    app.press("Space -> Space do");
    let Mode::Free(free) = &app.model.mode else {
        panic!("typing")
    };
    assert_eq!(free.offers[0].text, "done");
    app.press("Tab");
    assert!(!app.model.stale(), "it runs while it is typed");
    key(&mut app, KeyCode::Char('z'), KeyModifiers::CONTROL);
    key(&mut app, KeyCode::Char('z'), KeyModifiers::CONTROL);
    assert_eq!(
        app.model.doc.text, text,
        "the line, and the line end before it"
    );
    // Words, ends, pieces of other texts.
    app.press("End Space # Space one Space two");
    key(&mut app, KeyCode::Char('w'), KeyModifiers::CONTROL);
    app.msg(Msg::Input(Event::Paste("three\r\nstep \"x\"\n".into())));
    assert!(
        app.model.doc.text.contains("# one three\nstep \"x\"\n"),
        "{}",
        app.model.doc.text
    );
    app.press("Esc u u");
    assert_eq!(app.model.doc.text, text);
}

#[test]
fn a_run_from_the_middle_goes_on_as_the_whole_one_did() {
    let mut app = App::new();
    let whole = Arc::clone(app.model.report.as_ref().unwrap());
    app.press("J gate Enter p");
    let report = Arc::clone(app.model.report.as_ref().unwrap());
    assert_eq!(
        report.piece.as_ref().map(|(_, from)| from.step.as_str()),
        Some("To the gate")
    );
    assert!(
        (app.model.player.time, report.run.outcome) == (0.0, Outcome::Done)
            && app.model.ghost.is_none()
    );
    assert!(
        app.frame(Depth::Mono, Cells::Half)
            .lines()
            .next()
            .unwrap()
            .contains("▸ from \"To the gate\"")
    );
    // What stands in the why pane is asked of the piece itself.
    let rows = why_rows(&app.model);
    assert_eq!(rows.iter().filter(|row| row.exit.is_some()).count(), 3);
    app.press("Down Down Right Right + ");
    assert!(
        app.model.report.as_ref().unwrap().piece.is_some(),
        "edits run from there, too"
    );
    app.press("u J gate Enter p");
    assert_eq!(hash(&app), whole.run.fingerprint());
    assert!(
        (app.model.player.time - 48.11).abs() < 0.02,
        "back at the same moment: {}",
        app.model.player.time
    );
    // At a pose by hand.
    app.press("P");
    let Mode::Asking(_, entry) = &app.model.mode else {
        panic!("asked")
    };
    assert!(
        entry.input.value().ends_with("deg"),
        "{}",
        entry.input.value()
    );
    app.press("Clear nowhere Enter");
    assert!(matches!(&app.model.mode, Mode::Asking(_, entry) if entry.error.is_some()));
    app.press("Clear 900, Space 1100 Space mm, Space 90 Space deg Enter");
    let pose = app.model.report.as_ref().unwrap().run.trace.ticks[0].pose;
    assert!(
        (pose.x - 0.9).abs() < 1e-9 && (pose.y - 1.1).abs() < 1e-9,
        "{pose:?}"
    );
    // A step that is renamed is looked for in vain: the whole run is shown.
    app.press("Enter Clear Elsewhere Enter");
    assert!(app.model.report.as_ref().unwrap().piece.is_none());
}

#[test]
fn the_run_can_be_shown_up_to_a_step_and_playing_stops_before_one() {
    let mut app = App::new();
    app.press("J kiln Enter T");
    assert!((app.model.end() - 6.77).abs() < 0.01 && app.model.player.time == app.model.end());
    app.press("Home } } } } } } } } } }");
    assert_eq!(app.model.player.time, app.model.end(), "no further");
    app.press("T End");
    assert!(app.model.player.time > 60.0);
    app.press("! Home Space");
    for _ in 0..400 {
        app.msg(Msg::Tick(0.033));
    }
    assert!(
        !app.model.player.playing && (app.model.player.time - 6.77).abs() < 0.01,
        "{}",
        app.model.player.time
    );
    assert!(
        app.notice().starts_with("stopped before 3"),
        "{}",
        app.notice()
    );
    app.press("Space");
    app.msg(Msg::Tick(0.5));
    assert!(
        app.model.player.playing && app.model.player.time > 7.0,
        "and goes on from there"
    );
    app.press("F F F F F F");
    assert!(app.notice().contains("0.1x"));
    app.press(") ' ' \" (");
    assert!(!app.model.player.playing);
}

#[test]
fn what_a_hand_does_is_done_again_in_every_run() {
    let mut app = App::new();
    let undisturbed = app.model.report.as_ref().unwrap().run.duration();
    app.press("Home } } } } h");
    app.press("Enter");
    assert_eq!(app.model.hands.len(), 1);
    let report = Arc::clone(app.model.report.as_ref().unwrap());
    assert!(
        report.run.trace.ticks.iter().any(|tick| tick.met),
        "it drives into the box"
    );
    assert!(
        report
            .chart
            .marks
            .iter()
            .any(|mark| mark.words == "a hand places box" && (mark.at - 4.0).abs() < 1e-9)
    );
    app.press("Tab + -");
    assert_eq!(
        app.model.report.as_ref().unwrap().run.fingerprint(),
        report.run.fingerprint()
    );
    app.press("h keep Enter");
    assert!(matches!(app.asked.last(), Some(Effect::KeepHands)));
    app.press("h undo Space everything Enter");
    assert_eq!(app.outcome(), Outcome::Done);
    assert_eq!(
        app.model.report.as_ref().unwrap().run.duration(),
        undisturbed
    );
    // In a piece the moment is that of the piece.
    app.press("J dock Enter p ] ] ] ] ] h nudge Enter");
    let report = app.model.report.as_ref().unwrap();
    let hand = report
        .chart
        .marks
        .iter()
        .find(|mark| mark.words == "a hand carries the robot");
    assert!(
        report.piece.is_some() && hand.is_some_and(|mark| (mark.at - 0.5).abs() < 1e-9),
        "{hand:?}"
    );
}

#[test]
fn the_why_pane_follows_the_time_and_offers_what_may_help() {
    let mut app = App::new();
    app.press("Down Down Down Down Down Right Right + + + + + +");
    assert_eq!((app.slot(), app.outcome()), ("9", Outcome::Failed));
    app.press("Home } } } } y");
    assert!((app.model.focus, app.model.side.shown) == (Pane::Side, Side::Why));
    let frame = app.frame(Depth::True, Cells::Half);
    for words in [
        "Along the causeway",
        "until floor-right has crossed 9",
        "1 of 9, 8 to go",
        "2.3 s of 20.0 s",
    ] {
        assert!(frame.contains(words), "{words}\n{frame}");
    }
    app.press("Down Enter");
    let Mode::Finding(finder) = &app.model.mode else {
        panic!("no list")
    };
    let titles: Vec<&str> = finder
        .items
        .iter()
        .map(|item| item.title.as_str())
        .collect();
    assert!(
        titles.contains(&"lines: 9 -> 5") && titles.contains(&"time: 20 s -> 30 s"),
        "{titles:?}"
    );
    app.press("9 Enter");
    assert!(
        app.model.doc.text.contains("has crossed 5 dark lines"),
        "{}",
        app.model.doc.text
    );
    assert_eq!(
        app.model.focus,
        Pane::Text,
        "the keys go with the change, to the text"
    );
    // The last words of the pane are those of the chosen exit.
    app.press("u y Up");
    assert!(
        app.frame(Depth::True, Cells::Half)
            .contains("It did not fire: 4 lines to go")
    );
    app.press("y");
    assert_eq!(app.model.focus, Pane::Text, "the same key leads back");
    // At the end what the last look decided is shown, not how things stood before it.
    app.press("End");
    let frame = app.frame(Depth::True, Cells::Half);
    let fired = frame
        .lines()
        .find(|line| line.contains("or 20 s pass"))
        .unwrap_or_default();
    assert!(
        fired.ends_with(" fired") && frame.contains("5 of 9, 4 to go"),
        "{frame}"
    );
    assert!(
        frame.contains("ended, 20.0 s") && !frame.contains("driving"),
        "{frame}"
    );
}

#[test]
fn the_chart_is_zoomed_measured_and_chosen() {
    let mut app = App::new();
    app.press("J turn Enter t v v Up Up Up Up");
    let (from, to) = app.model.chart.span.unwrap();
    assert!(
        from < app.model.player.time && app.model.player.time < to && to - from < 12.0,
        "{from} {to}"
    );
    app.press("Enter ] ] ] ]");
    let frame = app.frame(Depth::True, Cells::Half);
    let later = app.model.player.time - app.model.chart.pin.unwrap();
    // What a sensor reads more than at the first cursor stands behind its name.
    assert!(
        later > 0.2 && frame.contains(&format!("= +{later:.2} s")) && frame.contains("(+3"),
        "{later} {frame}"
    );
    app.press("Esc");
    assert_eq!((app.model.chart.pin, app.model.focus), (None, Pane::Text));
    for (typed, shown) in [("position", true), ("floor-left", false)] {
        app.press("H");
        app.press(typed);
        app.press("Enter Esc");
        let frame = app.frame(Depth::True, Cells::Half);
        assert_eq!(
            frame
                .lines()
                .skip(30)
                .any(|line| line.trim().starts_with(typed)),
            shown,
            "{typed}: {frame}"
        );
    }
    // A click stands for the time that is shown there.
    let chart = app.model.areas().unwrap().chart;
    app.click(chart.x + 15, chart.y + 4);
    assert!(
        (app.model.player.time - from).abs() < 0.3,
        "{} {from}",
        app.model.player.time
    );
    app.press("v v 0");
    assert_eq!(app.model.chart.span, None);
}

#[test]
fn the_field_is_zoomed_at_the_pointer_and_read_in_millimetres() {
    let mut app = App::new();
    let field = app.model.areas().unwrap().field;
    let at = (field.x + 50, field.y + 12);
    pointer(&mut app, MouseEventKind::Moved, at.0, at.1);
    let status = |app: &App| {
        app.frame(Depth::True, Cells::Half)
            .lines()
            .nth(48)
            .unwrap()
            .to_owned()
    };
    let place = |app: &App| {
        let line = status(app);
        let mm = line.rfind(" mm").unwrap();
        let words: Vec<&str> = line[..mm]
            .split([' ', ','])
            .filter(|word| !word.is_empty())
            .collect();
        let [.., x, y] = words.as_slice() else {
            panic!("{line}")
        };
        (x.parse::<f64>().unwrap(), y.parse::<f64>().unwrap())
    };
    let before = place(&app);
    for _ in 0..6 {
        pointer(&mut app, MouseEventKind::ScrollUp, at.0, at.1);
    }
    assert!(app.model.field.camera.zoom > 3.5);
    let after = place(&app);
    assert!(
        (before.0 - after.0).abs() < 12.0 && (before.1 - after.1).abs() < 12.0,
        "{before:?} {after:?}"
    );
    // What is taken hold of goes along with the pointer.
    pointer(
        &mut app,
        MouseEventKind::Down(MouseButton::Right),
        at.0,
        at.1,
    );
    pointer(
        &mut app,
        MouseEventKind::Drag(MouseButton::Right),
        at.0 - 10,
        at.1 + 3,
    );
    pointer(
        &mut app,
        MouseEventKind::Up(MouseButton::Right),
        at.0 - 10,
        at.1 + 3,
    );
    pointer(&mut app, MouseEventKind::Moved, at.0 - 10, at.1 + 3);
    let dragged = place(&app);
    assert!(
        (after.0 - dragged.0).abs() < 12.0 && (after.1 - dragged.1).abs() < 12.0,
        "{after:?} {dragged:?}"
    );
    pointer(&mut app, MouseEventKind::Moved, at.0, at.1);
    let after = place(&app);
    app.press("v Right Right Up");
    let panned = place(&app);
    assert!(
        panned.0 > after.0 + 50.0 && panned.1 > after.1 + 20.0,
        "{after:?} {panned:?}"
    );
    app.press("Enter Home");
    assert!(
        app.model.field.camera.follow
            && app
                .frame(Depth::True, Cells::Half)
                .contains("follows the robot")
    );
    app.press("0");
    assert_eq!(
        (app.model.field.camera.zoom, app.model.field.camera.follow),
        (1.0, false)
    );
    assert!((place(&app).0 - before.0).abs() < 1.0);
    pointer(&mut app, MouseEventKind::Moved, 1, 1);
    assert!(
        status(&app).contains("used in 4 places"),
        "away from the field the slot is described again"
    );
}

#[test]
fn another_hand_in_the_file_is_taken_over_or_asked_about() {
    let theirs = |text: &str| text.replace("step \"Make fast\"", "step \"Moor\"");
    let mut app = App::new();
    let ours = app.model.doc.text.to_string();
    app.msg(Msg::Outside(app.model.doc.path.clone(), theirs(&ours)));
    assert!(
        app.model.doc.text.contains("\"Moor\"")
            && !app.model.doc.unsaved()
            && app.notice().contains("new version is loaded")
    );
    app.press("u");
    assert!(
        app.model.doc.unsaved() && *app.model.doc.text == *ours,
        "one undo away"
    );
    let asked = |edit: &str, text: &dyn Fn(&str) -> String| {
        let mut app = App::new();
        app.press(edit);
        let theirs = text(&app.model.doc.saved);
        app.msg(Msg::Outside(app.model.doc.path.clone(), theirs));
        assert!(matches!(app.model.mode, Mode::Outside(_)));
        app
    };
    let mut both = asked("+", &theirs);
    both.press("b");
    assert!(
        both.model.doc.text.contains("cruise = 30 %")
            && both.model.doc.text.contains("\"Moor\"")
            && both.model.doc.unsaved()
    );
    let mut other = asked("+", &theirs);
    other.press("t");
    assert!(other.model.doc.text.contains("cruise = 26 %") && !other.model.doc.unsaved());
    let clash = |text: &str| text.replace("cruise = 26 %", "cruise = 20 %");
    let mut mine = asked("+", &clash);
    let frame = mine.frame(Depth::Mono, Cells::Half);
    assert!(
        frame.contains("the changes touch the same lines") && frame.contains("- let cruise = 20 %"),
        "{frame}"
    );
    mine.press("b");
    assert!(
        matches!(mine.model.mode, Mode::Outside(_)),
        "it cannot be had"
    );
    mine.press("o s");
    assert!(
        matches!(
            mine.asked.last(),
            Some(Effect::Save {
                overwrite: true,
                ..
            })
        ),
        "and theirs is kept beside it"
    );
}

#[test]
fn the_line_under_the_cursor_stays_where_it_is_on_the_screen() {
    let mut app = App::new();
    let step = |name: &str| {
        format!(
            "step \"{name}\"\n  drive ahead at 20 %\n  until floor-left < near  -> next\n  or    1 s passes\n\n"
        )
    };
    let all: String = (0..9).map(|nth| step(&format!("s{nth}"))).collect();
    app.msg(Msg::Outside(
        app.model.doc.path.clone(),
        format!("mission \"m\"\n  limit 60 s\n  start slipway\n\nlet near = 40 %\n\n{all}"),
    ));
    app.press("J s8 Enter J s4 Enter Down Down Right Right");
    assert_eq!(app.slot(), "near");
    let row = |app: &App| {
        let rows = app.model.rows();
        rows.iter()
            .position(|row| *row == Row::Line(app.model.doc.cursor.line))
            .unwrap()
            - app.model.doc.scroll
    };
    let above = |app: &App| {
        let here = app.model.doc.lines()[app.model.doc.cursor.line].span.start;
        app.model
            .doc
            .findings
            .iter()
            .filter(|finding| finding.span.start < here)
            .count()
    };
    let (before, findings) = (row(&app), above(&app));
    app.press("- - - - - - - -");
    assert!(
        above(&app) > findings,
        "a limit that nothing reads is reported: {:?}",
        app.model.doc.findings
    );
    assert_eq!(row(&app), before);
    app.press("u u u u u u u u");
    assert_eq!((row(&app), above(&app)), (before, findings));
}

#[test]
fn the_map_folds_and_leads_to_steps() {
    let mut app = on("round-the-gates", 7);
    app.press("m");
    let rows = map_rows(&app.model).len();
    app.press("Right");
    assert!(map_rows(&app.model).len() > rows, "its exits");
    app.press("Left");
    assert_eq!(
        map_rows(&app.model).len(),
        rows,
        "{:?} {}",
        app.model.side.folded,
        app.model.side.row
    );
    app.press("Down Down Enter");
    assert_eq!(
        app.model.doc.cursor.line,
        map_rows(&app.model)[3].line,
        "from the row of the first step on"
    );
    let mut ring = on("ring-contest", 5);
    ring.press("m z");
    let frame = ring.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("reflex Keep off the rim") && frame.contains("routine look-round"),
        "{frame}"
    );
}

#[test]
fn findings_are_listed_with_what_may_help() {
    let mut app = App::new();
    app.press("Tab Down e");
    let text = app
        .model
        .doc
        .text
        .replacen("floor-left at cruise", "flor-left at cruise", 1);
    app.press("Esc");
    app.model.write(text);
    app.press("N");
    let frame = app.frame(Depth::True, Cells::Half);
    assert!(
        frame.contains("✗   15 the robot has no sensor `flor-left`"),
        "{frame}"
    );
    app.press("Enter mean Enter");
    assert!(
        app.model
            .doc
            .text
            .contains("floor-left at cruise, gain 0.6")
            && app.model.doc.prepared.program.is_some()
    );
}

#[test]
fn plain_signs_are_plain_in_every_mode() {
    let mut app = App::new();
    for keys in [
        "", "?", "Esc w", "Esc a", "Esc y", "m", "K", "N", "Esc H", "Esc q", "Esc e", "or",
        "Esc P", "Esc",
    ] {
        app.press(keys);
        let frame = app.frame(Depth::Mono, Cells::Ascii);
        let strange: String = frame.chars().filter(|c| !c.is_ascii()).collect();
        assert!(strange.is_empty(), "{keys}: {strange}");
    }
}

#[test]
fn a_picture_lies_over_the_field_unless_something_is_in_front_of_it() {
    let mut app = App::new();
    let mut screen = Screen::new(Theme::new(ThemeName::Light, Depth::True), Cells::Quadrant);
    screen.pixels = Some((8, 16));
    let mut draw = |app: &App| {
        let mut buffer = Buffer::empty(Rect::new(0, 0, 160, 50));
        screen.draw(&app.model, &mut buffer);
        let field = app.model.areas().unwrap().field;
        let plain = buffer[(field.x + 20, field.y + 1)].bg == Color::Reset;
        (screen.pictures()[0].cloned(), plain)
    };
    let (first, plain) = draw(&app);
    let first = first.unwrap();
    assert!(plain && first.area == app.model.areas().unwrap().field);
    assert_eq!(draw(&app).0.as_ref(), Some(&first), "nothing moved");
    app.press("Home");
    assert!(
        draw(&app).0.unwrap().canvas.pixels() != first.canvas.pixels(),
        "the robot moved"
    );
    app.press("?");
    assert!(
        matches!(draw(&app), (None, false)),
        "the keys stand in front of it: cells again"
    );
    app.press("Esc a");
    assert!(draw(&app).0.is_some(), "lists stand beside it");
}
