//! The project screen: what is seen of the files, and what its keys ask for.

use super::*;
use crate::shelf::{Change, Done, list};
use crate::survey::{Found, card};
use crate::tui::model::ScreenName;
use crate::work::run_here;
use wayodos_core::project::arrange::Part;

/// The project screen of the demo, as if it were a folder; everything in it has been looked at.
fn shown() -> App {
    let mut app = App::new();
    app.press("W");
    assert!(matches!(app.asked.pop(), Some(Effect::Survey)));
    let demo = Project::demo(None).unwrap();
    let entries = list(&demo);
    app.msg(Msg::Found(Found::Files(entries.clone())));
    for entry in entries {
        let card = card(&demo, &entry, &run_here);
        app.msg(Msg::Found(Found::Card(entry.path, card)));
    }
    app
}

fn asked(app: &mut App) -> Change {
    match app.asked.pop() {
        Some(Effect::Arrange(change)) => change,
        other => panic!("{other:?}"),
    }
}

#[test]
fn every_file_is_seen_with_what_it_is_and_how_it_ends() {
    let mut app = shown();
    for (width, height) in [(160, 50), (240, 60), (120, 50)] {
        app.msg(Msg::Input(Event::Resize(width, height)));
        let frame = app.frame(Depth::True, Cells::Half);
        for words in [
            "▸ morning-round",
            "barge-cart",
            "10 of 10 missions end as planned",
            "rival on 1 field",
            "Morning round",
        ] {
            assert!(
                frame.contains(words),
                "no `{words}` at {width} x {height}:\n{frame}"
            );
        }
    }
    // Where there is no room for all of them the marked one is in sight.
    app.msg(Msg::Input(Event::Resize(80, 24)));
    app.press("End");
    let frame = app.frame(Depth::Sixteen, Cells::Ascii);
    assert!(
        frame.contains("rivals' missions") && !frame.contains("morning-round "),
        "{frame}"
    );
    app.press("Home");
    assert!(app.frame(Depth::Mono, Cells::Half).contains("more below"));
}

#[test]
fn one_key_leads_there_and_back_and_each_screen_is_as_it_was_left() {
    let mut app = shown();
    app.press("Tab Down Esc");
    assert_eq!(
        (app.model.screen, app.slot()),
        (ScreenName::Mission, "cruise")
    );
    app.press("Down W");
    assert_eq!(app.model.files.marked().unwrap().path, "robots/curlew.toml");
    // A click on the mission's name, and one on the project's.
    app.click(14, 0);
    assert_eq!(app.model.screen, ScreenName::Mission);
    app.click(3, 0);
    assert_eq!(app.model.screen, ScreenName::Project);
    // The keys of the bottom line can be clicked too.
    let bottom = app
        .frame(Depth::True, Cells::Half)
        .lines()
        .last()
        .unwrap()
        .to_owned();
    let at = bottom
        .find("W mission")
        .map(|byte| bottom[..byte].chars().count())
        .unwrap() as u16;
    app.click(at + 3, 49);
    assert_eq!(app.model.screen, ScreenName::Mission);
}

#[test]
fn opening_copying_renaming_and_taking_away_are_asked_for_by_name() {
    let mut app = shown();
    app.press("Home Enter");
    assert!(matches!(app.asked.pop(), Some(Effect::Open(name)) if name == "between-the-dykes"));
    assert_eq!(app.model.screen, ScreenName::Mission);
    app.press("W Home c").press("x Enter");
    assert_eq!(
        asked(&mut app),
        Change::Copy {
            path: "missions/between-the-dykes.way".into(),
            name: "x".into()
        }
    );
    app.press("r Clear y Enter");
    assert_eq!(
        asked(&mut app),
        Change::Rename {
            path: "missions/between-the-dykes.way".into(),
            name: "y".into()
        }
    );
    app.press("r Clear ! Enter");
    assert!(
        matches!(app.model.mode, Mode::Asking(..)),
        "no name is left of that"
    );
    app.press("Esc d");
    assert_eq!(
        asked(&mut app),
        Change::TakeAway {
            path: "missions/between-the-dykes.way".into()
        }
    );
    app.press("f");
    assert_eq!(
        asked(&mut app),
        Change::OpenFirst {
            path: "missions/between-the-dykes.way".into()
        }
    );
    app.press("R");
    app.press("Up Enter");
    let cart = Change::Assign {
        mission: "between-the-dykes".into(),
        part: Part::Robot,
        path: "robots/barge-cart.toml".into(),
    };
    assert_eq!(asked(&mut app), cart);
    // The mission that is open stays where it is.
    app.press("Down Down Down Down d");
    assert!(
        app.notice().contains("open another one first")
            && !matches!(app.asked.last(), Some(Effect::Arrange(_)))
    );
    app.press("Tab R");
    assert!(
        app.notice().contains("mark a mission first"),
        "{}",
        app.notice()
    );
    app.press("a new Space field Space herons Enter z Enter");
    assert_eq!(
        asked(&mut app),
        Change::Begin {
            template: "fields/herons.toml",
            name: "z".into()
        }
    );
}

#[test]
fn the_open_mission_goes_along_with_its_new_name() {
    let mut app = shown();
    let change = Change::Rename {
        path: "missions/morning-round.way".into(),
        name: "Early".into(),
    };
    let done = Done {
        words: "renamed".into(),
        path: "missions/early.way".into(),
    };
    app.asked.clear();
    app.msg(Msg::Arranged(change.clone(), Ok(done)));
    assert!(
        matches!(app.asked.first(), Some(Effect::Open(name)) if name == "early"),
        "{:?}",
        app.asked
    );
    app.msg(Msg::Arranged(change, Err("a full disk".into())));
    assert_eq!(app.notice(), "a full disk");
    // With edits that are not saved it must be saved first.
    app.press("Esc + W r");
    assert!(
        matches!(app.model.mode, Mode::Browse) && app.notice().contains("save it first"),
        "{}",
        app.notice()
    );
}
