//! What is looked for by plain words.

use wayodos_core::ids::DeviceKind;
use wayodos_core::mission::DeviceName;

use std::fmt::Write as _;
use std::sync::Arc;

use super::App;
use crate::tui::finder::Finder;
use crate::tui::keymap::ScreenName;
use crate::tui::model::Mode;

/// Questions, each with its list and the rows of which one must come first.
fn questions() -> impl Iterator<Item = (&'static str, &'static str, Vec<&'static str>)> {
    let lines = include_str!("questions.txt").lines();
    let said = lines.filter(|line| !line.is_empty() && !line.starts_with('#'));
    said.map(|line| {
        let parts: Vec<&str> = line.split(" | ").map(str::trim).collect();
        let [list, query, rows] = parts[..] else {
            panic!("not three parts: {line}")
        };
        (list, query, rows.split(" / ").collect())
    })
}

/// The list that is open.
fn opened(app: &App) -> Finder {
    let Mode::Finding(finder) = &app.model.mode else {
        panic!("no list")
    };
    (**finder).clone()
}

/// The lists that questions are asked of, on a robot that has a bit of everything.
fn list(name: &str) -> Finder {
    let mut app = App::new();
    let mut setup = (**app.model.setup.as_ref().expect("a setup")).clone();
    for (device, kind) in [
        ("bumper", DeviceKind::Switch),
        ("arm", DeviceKind::Actuator),
        ("horn", DeviceKind::Signal),
    ] {
        setup.names.devices.push(DeviceName::new(device, kind));
    }
    app.model.setup = Some(setup.into());
    match name {
        "step" => app.press("a"),
        "exit" => app.press("Down o"),
        "reflex" => app.press("R"),
        screen => {
            app.model.screen = match screen {
                "key" => ScreenName::Mission,
                "project" => ScreenName::Project,
                "logbook" => ScreenName::Logbook,
                "league" => ScreenName::League,
                other => panic!("no list {other}"),
            };
            app.press("/")
        }
    };
    opened(&app)
}

/// The titles that are shown once this was typed.
fn ask(finder: &mut Finder, query: &str) -> Vec<String> {
    finder.input = query.into();
    finder.sift();
    if finder.only_near {
        return Vec::new();
    }
    let shown = finder.shown.iter();
    shown.map(|row| finder.items[*row].title.clone()).collect()
}

/// In 95 of 100 questions what was meant comes first, and in none something else without it.
#[test]
fn plain_words_find_what_is_meant() {
    let mut lists: Vec<(&str, Finder)> = Vec::new();
    let (mut first, mut all) = (0, 0);
    let mut missed = String::new();
    for (name, query, rows) in questions() {
        if !lists.iter().any(|(known, _)| *known == name) {
            lists.push((name, list(name)));
        }
        let (_, finder) = lists
            .iter_mut()
            .find(|(known, _)| *known == name)
            .expect("just made");
        let found = ask(finder, query);
        all += 1;
        if found
            .first()
            .is_some_and(|title| rows.contains(&title.as_str()))
        {
            first += 1;
        } else {
            let first = &found[..found.len().min(3)];
            let _ = write!(missed, "\n{name} | {query}: {first:?}");
        }
    }
    assert!(
        all >= 500 && first * 100 >= all * 95,
        "{first} of {all}{missed}"
    );
}

#[test]
fn what_is_like_nothing_offers_what_is_nearest_and_marks_nothing() {
    let mut app = App::new();
    app.press("/");
    app.press("qzxw");
    let finder = opened(&app);
    assert!(finder.item().is_none());
    app.press("Enter");
    assert!(matches!(app.model.mode, Mode::Browse));
}

#[test]
fn a_reflex_is_chosen_and_a_sentence_that_was_meant_is_taken() {
    let mut app = App::new();
    app.press("R rim Enter");
    let text = Arc::clone(&app.model.doc.text);
    assert!(
        text.contains("reflex \"Back off\"\n  when any of floor-left, floor-right sees dark"),
        "{text}"
    );
    // A line as somebody else would write it, and the one key that makes a sentence of it.
    app.press("u Tab Down e Clear Space Space turn Space left Space 9 0 Tab Esc");
    let text = &app.model.doc.text;
    assert!(
        text.contains("\n  spin left at 30 %\n  until turned 90 deg\n"),
        "{text}"
    );
    let findings = &app.model.doc.prepared.findings;
    assert!(!app.model.stale(), "{findings:#?}\n{text}");
    app.press("u");
    assert!(!app.model.doc.text.contains("spin left at 30 %"));
}

/// Several rows may be called the same: what is marked is tried, and what is tried is taken.
#[test]
fn the_row_that_is_marked_is_the_one_that_is_taken() {
    let mut app = App::new();
    app.press("Down o");
    let rows = opened(&app).items;
    let text = Arc::clone(
        &app.model
            .trial
            .as_ref()
            .expect("the first row is tried")
            .base,
    );
    let same = rows
        .windows(2)
        .position(|pair| pair[0].title == pair[1].title);
    let at = same.expect("several sensors may see something");
    for _ in 0..=at {
        app.press("Down");
    }
    let marked = opened(&app).item().expect("a row").text.clone();
    assert_eq!(marked, rows[at + 1].text);
    app.press("Enter");
    let count = |text: &str| text.matches(&marked).count();
    let new = &app.model.doc.text;
    assert_eq!(count(new), count(&text) + 1, "{marked}\n{new}");
}
