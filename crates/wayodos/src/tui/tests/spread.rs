//! The many runs on the screen: begun behind the nominal one, given up, known again, opened.

use std::sync::atomic::AtomicBool;

use wayodos_core::ids::StepId;
use wayodos_core::lab::spread::{Brief, Death};
use wayodos_core::lab::sweep::{Point, advised, window};
use wayodos_core::record::Trace;

use super::*;
use crate::leagues::Refusal;
use crate::spreads::SpreadResult;
use crate::sweeps::{Order, TextsResult, learn, piece};
use crate::tui::finder::Item;
use crate::tui::layout::Pane;
use crate::tui::model::Side;
use crate::tunes::BatchResult;

/// Makes the first runs of the spread that was asked for.
fn make(app: &mut App, runs: u32) {
    let job = app.spread.clone().expect("a spread was asked for");
    let mut spread = job.known;
    let mut spare = Trace::default();
    for number in spread.briefs.len() as u32 + 1..=runs {
        let brief = spread.attempt.brief(number, &mut spare, None).unwrap();
        spread.briefs.push(Arc::new(brief));
    }
    app.msg(Msg::Spread(job.id, Arc::new(SpreadResult::of(spread))));
}

fn made(app: &App) -> usize {
    let result = app.model.many.result.as_ref();
    result.map_or(0, |result| result.spread.briefs.len())
}

#[test]
fn the_many_runs_are_those_of_the_text_as_it_stands() {
    let mut app = on("ring-contest", 5);
    assert_eq!(app.spread.as_ref().unwrap().known.wanted, 200);
    assert!(app.frame(Depth::True, Cells::Quadrant).contains("held ..."));
    make(&mut app, 20);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    let held = app.model.many.result.as_ref().unwrap().summary.held;
    assert!(
        frame.contains(&format!("held {} of 20", held.times)),
        "{frame}"
    );
    // What is only tried does not disturb them, and has none of its own.
    app.press("a Down");
    assert!(app.spread.is_some() && made(&app) == 20);
    assert!(app.frame(Depth::True, Cells::Quadrant).contains("held ..."));
    app.press("Esc");
    assert!(app.spread.is_some() && made(&app) == 20);
    // An edit gives them up and asks for others; an answer that comes late is dropped.
    let old = app.spread.clone().unwrap();
    let text = app.model.doc.text.clone();
    app.press("Tab Tab Down +");
    assert!(*app.model.doc.text != *text);
    let new = app.spread.clone().unwrap();
    assert!(new.id != old.id && made(&app) == 0);
    app.msg(Msg::Spread(old.id, Arc::new(SpreadResult::of(old.known))));
    assert!(app.model.many.result.is_none());
    // What is undone is known at once, and goes on where it was.
    app.press("u");
    assert_eq!(
        (made(&app), app.spread.as_ref().unwrap().known.briefs.len()),
        (20, 20)
    );
    // A text with errors has none.
    app.press("e Clear drve Esc");
    assert!(app.model.many.result.is_none() && app.spread.is_none());
    app.press("u");
    assert_eq!(made(&app), 20);
}

#[test]
fn each_row_of_the_spread_opens_a_run_and_esc_leads_back() {
    let mut app = on("ring-contest", 5);
    make(&mut app, 40);
    app.press("%");
    let summary = app.model.many.result.as_ref().unwrap().summary.clone();
    let first = &summary.endings[0];
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("95 % sure: it holds"), "{frame}");
    assert!(
        frame.contains(&format!("{} of 40", first.share.times)),
        "{frame}"
    );
    // One after another of those that ended so.
    app.press("Enter");
    assert_eq!(app.model.number, first.runs[0]);
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains(&format!("run {}", first.runs[0]))
    );
    app.press("Enter");
    assert_eq!(app.model.number, first.runs[1 % first.runs.len()]);
    let report = app.model.report.clone().unwrap();
    let brief =
        &app.model.many.result.as_ref().unwrap().spread.briefs[app.model.number as usize - 1];
    assert_eq!(
        report.run.fingerprint(),
        brief.fingerprint,
        "it is that very run"
    );
    // They are still the runs of the text.
    assert!(made(&app) == 40);
    app.press("Esc");
    assert_eq!(app.model.focus, Pane::Text);
    app.press("Esc");
    assert_eq!((app.model.number, made(&app)), (0, 40));
    // On the field and off it.
    app.press("&");
    assert!(app.model.many.drawn().is_none());
    app.press("&");
    assert!(app.model.many.drawn().is_some());
}

#[test]
fn nothing_is_made_where_nobody_wants_it_or_nothing_can_be() {
    let mut app = App::new();
    app.model.project.config.spread = 0;
    app.press("+");
    assert!(app.spread.is_none());
    assert!(!app.frame(Depth::True, Cells::Quadrant).contains("held"));
    app.press("%");
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains("no varied runs")
    );
    // All failed, or all held: said so, without a share of nothing.
    let mut app = on("ring-contest", 5);
    app.press("%");
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains("the varied runs are being made")
    );
    app.press("Enter Down");
    let job = app.spread.clone().unwrap();
    app.msg(Msg::Spread(job.id, Arc::new(SpreadResult::of(job.known))));
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains("0 to 100 %")
    );
}

/// Tries texts with as many runs of each; `values` tell them apart.
fn tried<V>(mut job: TextsJob, values: Vec<V>, runs: u32) -> Arc<TextsResult<V>> {
    job.runs = runs;
    let order = Order::of(&job);
    let work = piece(job, None);
    let (mut spare, stop) = (Trace::default(), AtomicBool::new(false));
    let done = (0..order.count()).map(|at| work(at, &mut spare, &stop).unwrap());
    let mut points: Vec<Point<V>> = values.into_iter().map(Point::new).collect();
    learn(&mut points, order, 0, done.collect());
    Arc::new(TextsResult {
        points,
        complete: true,
    })
}

/// Makes the sweep that was asked for, with as many runs of each value.
fn sweep(app: &mut App, runs: u32) {
    let job = app.sweep.clone().expect("a sweep was asked for");
    let result = tried(job.texts(), job.swept.values.clone(), runs);
    app.msg(Msg::Swept(job.id, result));
}

#[test]
fn a_number_is_swept_and_put_into_the_middle_of_where_it_holds() {
    let mut app = App::new();
    // On `cruise`: its proposed span.
    app.press("~");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("cruise: the runs are being made"), "{frame}");
    app.press("Enter");
    assert!(app.notice().contains("wait until all"));
    sweep(&mut app, 2);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("cruise: holds from") && frame.contains("now 26 %"),
        "{frame}"
    );
    let result = app.model.sweep.as_ref().unwrap().result.clone().unwrap();
    let part = window(&result.points).unwrap();
    let ends = [part.start, part.end - 1].map(|at| result.points[at].value);
    let middle = result.points[advised(&result.points).unwrap()].value;
    assert!(part.start > 0, "the slowest takes too long");
    // One key puts it there, and says where it holds; one takes it back.
    let before = app.model.doc.text.clone();
    app.press("Enter");
    let line = format!(
        "let cruise = {middle}, safe from {} to {}, measured",
        ends[0], ends[1]
    );
    assert!(app.model.doc.text.contains(&line), "{}", app.model.doc.text);
    assert!(app.notice().contains("it holds from"));
    // What was found is of the text before.
    app.press("Enter");
    assert!(app.notice().contains("another one since it was swept"));
    app.press("u");
    assert_eq!(app.model.doc.text, before);
    // Another value can be marked: it is put there without a claim that is not so.
    for _ in 0..30 {
        app.press("Left");
    }
    app.press("Enter");
    assert!(
        app.model.doc.text.contains("let cruise = 14 %\n"),
        "{}",
        app.model.doc.text
    );
    assert!(app.notice().contains("does not hold"));
}

#[test]
fn two_numbers_at_once_are_put_where_both_hold() {
    let mut app = App::new();
    app.press(":");
    assert!(app.notice().contains("~ on one number first"));
    app.press("~ Esc :");
    assert!(app.notice().contains("put the cursor on another one"));
    app.press("S");
    app.press("let Space creep Enter :");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("cruise and creep") && frame.contains("runs are being made"),
        "{frame}"
    );
    app.press("Enter");
    assert!(app.notice().contains("wait until all"));
    let job = app.grid.clone().expect("a grid was asked for");
    let result = tried(job.texts(), job.pairs(), 1);
    app.msg(Msg::Gridded(job.id, result));
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("holds with cruise"), "{frame}");
    let grid = app.model.grid.clone().unwrap();
    let (block, at) = (grid.holds().unwrap(), grid.at());
    let [cruise, creep] = job.pairs()[at];
    let [first, second] = [0, 1].map(|axis| job.span(axis, &block));
    // Both go where both hold, and say so in the text; one key takes both back.
    let before = app.model.doc.text.clone();
    app.press("Enter");
    let lines = format!(
        "let cruise = {cruise}, safe from {} to {}, measured\nlet creep = {creep}, safe from {} to {}, measured\n",
        first[0], first[1], second[0], second[1]
    );
    assert!(
        app.model.doc.text.contains(&lines),
        "{}",
        app.model.doc.text
    );
    app.press("u");
    assert_eq!(app.model.doc.text, before);
    // Another pair is marked with the arrows, and is put there without a claim that is not so.
    app.press("%");
    app.model.side.shown = Side::Sweep;
    for _ in 0..20 {
        app.press("Left Down");
    }
    assert_eq!(app.model.grid.as_ref().unwrap().at(), 0);
    // However few rows have room, the marked pair is seen.
    app.msg(Msg::Input(Event::Resize(80, 24)));
    for _ in 0..20 {
        app.press("Up");
        let frame = app.frame(Depth::True, Cells::Quadrant);
        let [_, creep] = job.pairs()[app.model.grid.as_ref().unwrap().at()];
        let mut rows = frame.lines().filter(|line| line.contains('['));
        assert!(
            rows.any(|line| line.contains(&creep.to_string())),
            "{creep}: {frame}"
        );
    }
    app.msg(Msg::Input(Event::Resize(160, 50)));
    for _ in 0..20 {
        app.press("Down");
    }
    app.press("Enter");
    let [cruise, creep] = job.pairs()[0];
    let lines = format!("let cruise = {cruise}\nlet creep = {creep}\n");
    assert!(
        app.model.doc.text.contains(&lines),
        "{}",
        app.model.doc.text
    );
    assert!(app.notice().contains("does not hold"));
    // The number is found again in the changed text; a sweep of one number takes the tab back.
    app.press(":");
    assert_eq!(app.grid.as_ref().unwrap().axes[0].name, "cruise");
    app.press("Esc S");
    app.press("limit Enter ~");
    assert!(app.model.grid.is_none() && app.model.sweep.is_some());
}

/// Answers the batches of a search until it wants no more: a run holds when the first amount is above
/// a limit, and is quicker the more it is.
fn tune(app: &mut App, limit: f64) {
    while std::mem::take(&mut app.tune) {
        let tune = app.model.tune.as_ref().unwrap();
        let like = tune
            .job
            .attempt
            .brief(0, &mut Trace::default(), None)
            .unwrap();
        let runs = tune.search.next().into_iter().map(|wanted| {
            let value = tune.search.candidates[wanted.candidate].value[0].value;
            let lost = Death {
                step: StepId(0),
                exit: None,
                words: "lost".into(),
            };
            Some(Arc::new(Brief {
                number: wanted.number,
                seconds: 100.0 - value,
                death: (value < limit).then_some(lost),
                ..like.clone()
            }))
        });
        let (id, runs) = (tune.job.id, runs.collect());
        app.msg(Msg::Tuned(id, BatchResult::Made(3)));
        app.msg(Msg::Tuned(id, BatchResult::Whole(runs)));
    }
}

#[test]
fn amounts_are_tuned_within_their_safe_spans_and_what_is_found_is_taken_in_one_key() {
    let mut app = on("past-the-herons", 2);
    app.press("^");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("search 1 of 3") && frame.contains("0 runs"),
        "{frame}"
    );
    app.press("Enter");
    assert!(app.notice().contains("wait until the search is over"));
    tune(&mut app, 35.0);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("found better: it holds more often"),
        "{frame}"
    );
    assert!(
        frame.contains("held 0 of 200") && frame.contains("held 200 of 200"),
        "{frame}"
    );
    let before = app.model.doc.text.clone();
    app.press("Enter");
    let text = app.model.doc.text.clone();
    let line = text
        .lines()
        .find(|line| line.starts_with("let cruise"))
        .unwrap();
    assert!(
        line.ends_with(" %, safe from 20 % to 38 %, measured"),
        "{line}"
    );
    assert!(app.notice().starts_with("cruise 3") && app.notice().contains("u takes it back"));
    app.press("Enter");
    assert!(app.notice().contains("another one since it was tuned"));
    app.press("u");
    assert_eq!(app.model.doc.text, before);
    // Where nothing holds, nothing is taken.
    app.press("^ Esc Down Up");
    let mut app = on("past-the-herons", 2);
    app.press("^");
    tune(&mut app, 500.0);
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains("nothing better was found")
    );
    app.press("Enter");
    assert!(app.notice().contains("nothing better was found"));
    assert_eq!(app.model.doc.text, before);
}

#[test]
fn an_edit_gives_a_search_up_and_a_mission_without_safe_spans_says_so() {
    let mut app = on("past-the-herons", 2);
    app.press("^ Esc");
    assert!(app.tune);
    app.press("J \"Home\"");
    app.press("Esc +");
    assert!(!app.tune, "{}", app.notice());
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("given up before it was proven"), "{frame}");
    let mut app = on("ring-contest", 5);
    app.press("^");
    assert!(
        !app.tune
            && app
                .notice()
                .contains("no amount of this mission has a safe span")
    );
    app.press("%");
    app.model.side.shown = Side::Tune;
    app.press("Enter");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("^ searches all amounts with a safe span"),
        "{frame}"
    );
}

#[test]
fn what_cannot_be_swept_says_so() {
    let mut app = App::new();
    app.press("Up Up Up Up Up Up Up Up Up Up ~");
    assert!(app.sweep.is_none() && app.notice().contains("put the cursor on a number"));
    app.press("%");
    app.model.side.shown = Side::Sweep;
    app.press("Enter Left Right");
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains("~ on a number of the mission")
    );
}

#[test]
fn a_text_is_compared_with_the_one_before_on_the_same_luck() {
    let mut app = on("ring-contest", 5);
    make(&mut app, 24);
    let before = app.model.many.result.clone().unwrap();
    assert!(
        app.model.many.compared.is_none(),
        "there is nothing to compare with yet"
    );
    app.press("Tab Tab Down +");
    make(&mut app, 20);
    let now = app.model.many.result.clone().unwrap();
    let compared = app.model.many.compared.clone().unwrap();
    assert_eq!(compared.count(), 20, "the runs that both have");
    let alone = |a: &SpreadResult, b: &SpreadResult| -> Vec<u32> {
        let held = |result: &SpreadResult, number: usize| result.spread.briefs[number - 1].held();
        (1..=20)
            .filter(|number| held(a, *number) && !held(b, *number))
            .map(|number| number as u32)
            .collect()
    };
    assert_eq!(compared.only_first, alone(&before, &now));
    assert_eq!(compared.only_second, alone(&now, &before));
    app.press("%");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("Against the text before"), "{frame}");
    // With other luck there is nothing to compare.
    app.press("U Clear 0 Space rough Enter");
    make(&mut app, 20);
    assert!(app.model.many.compared.is_none());
}

/// Tries the rows of the list that is open, with as many varied runs of each.
fn prove(app: &mut App, runs: u32) {
    let (job, rows) = app.proof.clone().expect("rows are to be tried");
    let id = job.id;
    app.msg(Msg::Proved(id, tried(job, rows, runs)));
}

/// The rows of the list that is open: title, and what came out.
fn rows(app: &App) -> Vec<(String, String)> {
    let Mode::Finding(finder) = &app.model.mode else {
        panic!("no list")
    };
    let row = |item: &Item| (item.title.clone(), item.text.clone());
    finder.items.iter().map(row).collect()
}

#[test]
fn what_may_help_says_what_came_out_and_the_best_stands_first() {
    let mut app = App::new();
    make(&mut app, 20);
    // The fourth bar does not exist: the mission fails.
    app.press("Down Down Down Down Down Right Right +");
    make(&mut app, 20);
    assert_eq!(
        app.model.many.result.as_ref().unwrap().summary.held.times,
        0
    );
    // Why the exit fired that it failed by.
    app.press("y Enter");
    assert!(
        rows(&app).iter().any(|(_, text)| text == "being tried ..."),
        "{:?}",
        rows(&app)
    );
    prove(&mut app, 3);
    let all = rows(&app);
    let evades = |text: &str| text.contains("leaves out") || text.contains("by another mark");
    assert!(
        all[1].1.starts_with("held 3 of 3") && !evades(&all[1].1),
        "{all:?}"
    );
    assert!(
        all.iter()
            .any(|(title, _)| title == "back to the text that held"),
        "{all:?}"
    );
    // What only goes on past what was to be found stands below the rest, however often it holds.
    assert!(
        all.iter()
            .any(|(_, text)| text.contains("held 3 of 3, by another mark")),
        "{all:?}"
    );
    assert!(all.is_sorted_by_key(|(_, text)| evades(text)), "{all:?}");
    let held = |text: &str| {
        text.split(' ')
            .nth(1)
            .and_then(|times| times.parse::<u32>().ok())
    };
    let honest: Vec<_> = all[1..].iter().filter(|(_, text)| !evades(text)).collect();
    assert!(
        honest.is_sorted_by_key(|(_, text)| std::cmp::Reverse(held(text))),
        "{all:?}"
    );
    let best = all[1].0.clone();
    // Taken in one key; then nothing is tried any more.
    let before = app.model.doc.text.clone();
    app.press("Down Enter");
    assert!(*app.model.doc.text != *before, "{best} was done");
    assert!(app.model.proof.is_none() && app.proof.is_none());
}

/// Makes the runs of what the mission is compared with, or says why there are none.
fn against(app: &mut App, runs: u32) {
    let (id, other, texts) = app.against.take().expect("something was chosen");
    let like = app.model.report.as_ref().unwrap().attempt.clone();
    let made = other
        .attempt(&app.model.project, &texts, &like)
        .map(|attempt| {
            let mut spread = wayodos_core::lab::spread::Spread::new(attempt, runs);
            let mut spare = Trace::default();
            for number in 1..=runs {
                let brief = spread.attempt.brief(number, &mut spare, None).unwrap();
                spread.briefs.push(Arc::new(brief));
            }
            Arc::new(SpreadResult::of(spread))
        });
    app.msg(Msg::Against(id, made));
}

#[test]
fn a_mission_is_compared_with_what_was_chosen_until_something_else_is() {
    let mut app = on("ring-contest", 5);
    make(&mut app, 24);
    // Against the text before it says so; against the saved one whatever was changed since.
    app.press("Tab Tab Down +");
    make(&mut app, 24);
    app.press("@");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("the saved text") && frame.contains("robot dunlin"),
        "{frame}"
    );
    app.press("saved Enter");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("Against the saved text: its runs are being made."),
        "{frame}"
    );
    against(&mut app, 24);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("Against the saved text (held"), "{frame}");
    let first = app.model.many.compared.clone().unwrap();
    // A further edit is compared with the saved text still, not with the one before.
    app.press("+");
    make(&mut app, 24);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("Against the saved text (held"), "{frame}");
    assert_eq!(
        app.model.many.compared.as_ref().unwrap().held()[0],
        first.held()[0]
    );
    app.press("@ before Enter");
    assert!(app.model.many.against.is_none());
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("Against the text before (held"), "{frame}");
}

#[test]
fn missions_robots_fields_and_entries_can_be_compared_with_and_what_cannot_run_says_so() {
    let mut app = on("ring-contest", 5);
    make(&mut app, 6);
    // The same luck for another mission in its own world.
    app.press("@ shove Enter");
    against(&mut app, 6);
    let many = &app.model.many;
    assert_eq!(many.against.as_ref().unwrap().name, "shove-the-baskets");
    let theirs = &many
        .against
        .as_ref()
        .unwrap()
        .result
        .as_ref()
        .unwrap()
        .spread
        .attempt;
    let ours = &many.result.as_ref().unwrap().spread.attempt;
    assert_eq!((theirs.seed, theirs.scatter), (ours.seed, ours.scatter));
    assert_ne!(theirs.world.field.name, ours.world.field.name);
    app.frame(Depth::True, Cells::Quadrant);
    // Another field for the same mission, with what is open and not saved.
    app.press("Tab Tab Down +");
    make(&mut app, 6);
    app.press("@ field Space basket Enter");
    against(&mut app, 6);
    let attempt = &app
        .model
        .many
        .against
        .as_ref()
        .unwrap()
        .result
        .as_ref()
        .unwrap()
        .spread
        .attempt;
    assert_eq!(attempt.world.field.name, "Basket floor");
    // What cannot be run says so, and the text before is compared with again.
    app.press("@ robot Space barge Enter");
    against(&mut app, 6);
    assert!(
        app.notice().contains("cannot be run: it has errors"),
        "{}",
        app.notice()
    );
    assert!(app.model.many.against.is_none());
    // An entry of the logbook, with the texts that it was made of.
    let text = app
        .model
        .project
        .mission
        .replace("prowl = 30 %", "prowl = 50 %");
    let mut files = vec![(app.model.doc.path.clone(), text)];
    for path in app.model.project.settings() {
        files.push((
            path.to_owned(),
            app.model.project.text(path).unwrap().to_owned(),
        ));
    }
    let other = Other::Entry {
        when: "2026-11-30 10:00".into(),
        mission: app.model.doc.path.clone(),
        files,
    };
    let like = app.model.report.as_ref().unwrap().attempt.clone();
    let attempt = other.attempt(&app.model.project, &[], &like).unwrap();
    assert!(
        like.program
            .changed(&attempt.program)
            .is_some_and(|steps| !steps.is_empty())
    );
    assert_eq!(other.name(), "ring-contest of 2026-11-30 10:00");
    // The list leads to the logbook, where every entry can be chosen.
    app.press("@ logbook Enter");
    assert_eq!(app.model.screen, crate::tui::keymap::ScreenName::Logbook);
    app.press("Esc");
    // Other luck: nothing to compare with any more.
    app.press("@ saved Enter");
    app.model.seed = 6;
    app.press("Up");
    assert!(app.model.many.against.is_none());
}

#[test]
fn every_start_of_the_field_is_tried_and_one_is_taken() {
    let mut app = App::new();
    app.press("$");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("From every start, 40 runs each"), "{frame}");
    let (job, rows) = app.proof.clone().expect("they are tried");
    assert_eq!((job.texts.len(), job.runs), (3, 40));
    let result = tried(job.clone(), rows, 3);
    // Each began where its text says.
    let began: Vec<[f32; 2]> = result
        .points
        .iter()
        .map(|point| point.nominal.as_ref().unwrap().path[0].0)
        .collect();
    assert!(
        (began[0][1] - 0.178).abs() < 0.002 && (began[1][1] - 0.170).abs() < 0.002,
        "{began:?}"
    );
    assert!((began[2][1] - 1.09).abs() < 0.002, "{began:?}");
    app.msg(Msg::Proved(job.id, result.clone()));
    let frame = app.frame(Depth::True, Cells::Quadrant);
    let row = |name: &str| {
        frame
            .lines()
            .find(|line| line.contains(&format!("│ {name} ")))
            .unwrap()
    };
    assert!(
        row("slipway").contains(&format!("held {}", result.points[0].held().words())),
        "{frame}"
    );
    assert!(row("drying-floor").contains("held 0 of 3"), "{frame}");
    // In the order of the field, not the best first.
    assert!(frame.find("│ slipway-crooked") < frame.find("│ drying-floor"));
    app.press("Down Enter");
    assert!(
        app.model.doc.text.contains("start slipway-crooked"),
        "{}",
        app.model.doc.text
    );
    app.press("u");
    assert!(app.model.doc.text.contains("start slipway\n"));
    let mut other = on("ring-contest", 5);
    other.press("$");
    assert!(other.proof.is_none() && other.notice().contains("no other start"));
}

#[test]
fn every_case_of_a_decision_is_tried_and_none_is_taken() {
    let mut app = on("round-the-gates", 7);
    let before = app.model.doc.text.clone();
    app.press("$");
    let (job, rows) = app.proof.clone().expect("they are tried");
    assert_eq!(job.texts.len(), 6, "three starts and three cases");
    let result = tried(job.clone(), rows, 2);
    app.msg(Msg::Proved(job.id, result.clone()));
    let held: Vec<u32> = result
        .points
        .iter()
        .map(|point| point.held().times)
        .collect();
    assert_eq!(
        held[3..],
        [2, 0, 0],
        "what was counted, what was late, and otherwise"
    );
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("held 0 of 2: too few bars"), "{frame}");
    // While it is marked it is tried; taken it is not.
    app.press("Down Down Down Down");
    assert_eq!(*app.model.doc.text, *job.texts[4]);
    app.press("Enter");
    assert!(app.notice().contains("only looked at"));
    assert_eq!(app.model.doc.text, before);
    assert!(app.model.trial.is_none());
}

/// Plays the league that was asked for, as many matches of each pair from each side.
fn play(app: &mut App, matches: u32) {
    let job = app.league.take().expect("a league was asked for");
    let result = job.read(&app.model.project).map(|mut league| {
        league.matches = matches;
        let work = league.pieces();
        let (mut spare, stop) = (Trace::default(), AtomicBool::new(false));
        let done = (0..league.count()).map(|at| work(at, &mut spare, &stop).unwrap());
        league.learn(done.collect());
        Arc::new(league)
    });
    app.msg(Msg::League(job.id, result));
}

#[test]
fn a_match_of_the_league_is_the_very_run_that_was_played() {
    let mut app = on("ring-contest", 5);
    app.press("F5");
    play(&mut app, 3);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    for words in [
        "6 matches, each pair from both sides",
        "against Dunlin",
        "from our start",
    ] {
        assert!(frame.contains(words), "{words}: {frame}");
    }
    let (all, _) = app.model.league.clone().unwrap().result.unwrap();
    let wanted = all.between(0, 1);
    assert_eq!(wanted.len(), 3);
    app.press("Esc");
    for one in &wanted {
        app.press("F5 Enter");
        assert_eq!(app.model.number, one.number);
        let report = app.model.report.clone().unwrap();
        assert_eq!(report.run.fingerprint(), one.fingerprint);
    }
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("against Dunlin"), "{frame}");
    // What asks for many runs does not take a match for the mission's own run.
    app.press("S");
    app.press("charge Space = Enter ~");
    assert!(app.notice().contains("whole run"), "{}", app.notice());
    app.press("Esc Esc");
    assert!(app.model.opponent.is_none() && app.model.number == 0);
    // The opponent out and a rival in: it plays with the opponent's robot.
    app.press("F5 a");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("plays: Enter takes it out"), "{frame}");
    app.press("Enter");
    assert!(app.notice().contains("two or more"));
    assert!(app.league.is_none());
    // Another text is played anew with the same teams.
    app.press("Esc + F5");
    assert_eq!(app.league.as_ref().unwrap().who.len(), 2);
    play(&mut app, 1);
    app.press("Esc Esc");
    // Who plays in it as another team is shown what was played; what was given up is not heard of.
    let league = app.model.league.as_mut().unwrap();
    league.job.text = "another mission was open".into();
    let refused = Refusal::new("somebody cannot play", "see to it");
    app.msg(Msg::League(99_999, Err(refused)));
    app.press("F5");
    assert!(app.league.is_none() && app.model.league.is_some());
    assert_eq!(app.model.screen, crate::tui::keymap::ScreenName::League);
    // Where nobody else plays there is no league.
    let mut alone = App::new();
    alone.press("F5");
    assert!(alone.league.is_none() && alone.notice().contains("0 opponents"));
}

#[test]
fn x_writes_the_page_of_the_tab_that_is_looked_at() {
    use crate::sheets::Sheet;

    let mut app = on("ring-contest", 5);
    make(&mut app, 20);
    let asked = |app: &mut App, keys: &str| -> Sheet {
        app.press(keys);
        match app.asked.pop() {
            Some(Effect::Export(sheet)) => sheet,
            other => panic!("{keys}: {other:?}"),
        }
    };
    assert!(matches!(asked(&mut app, "x"), Sheet::Run(_)));
    let spread = asked(&mut app, "% x");
    assert_eq!(spread.suffix(), "-spread");
    let svg = wayodos_report::to_svg(&spread.scene(&app.model.project, 5));
    let held = app.model.many.result.as_ref().unwrap().summary.held;
    assert!(svg.contains("does ring-contest hold?"), "the title");
    assert!(
        svg.contains(&format!("held {} runs", held.words())),
        "the share"
    );
    // The chart of a cause stands below the list while its row is marked, and has a page too.
    make(&mut app, 200);
    app.press("Home");
    for _ in 0..12 {
        app.press("Down");
    }
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("why: grip too low"), "{frame}");
    assert!(frame.contains("█") && frame.contains("┊"), "{frame}");
    let page = asked(&mut app, "x");
    assert_eq!(page.suffix(), "-causes");
    let svg = wayodos_report::to_svg(&page.scene(&app.model.project, 5));
    assert!(svg.contains("grip too low") && svg.contains("why runs fail"));
    // A tab without a page of its own writes that of the run.
    assert!(matches!(asked(&mut app, "y x"), Sheet::Run(_)));
    app.press("Esc S");
    app.press("charge Space = Enter ~");
    sweep(&mut app, 2);
    let page = asked(&mut app, "x");
    assert_eq!(page.suffix(), "-sweep");
    let svg = wayodos_report::to_svg(&page.scene(&app.model.project, 5));
    assert!(svg.contains("where charge holds"));
    app.press("Esc Down :");
    let job = app.grid.clone().expect("there is a number below");
    let result = tried(job.texts(), job.pairs(), 1);
    app.msg(Msg::Gridded(job.id, result));
    let page = asked(&mut app, "x");
    assert_eq!(page.suffix(), "-grid");
    let svg = wayodos_report::to_svg(&page.scene(&app.model.project, 5));
    assert!(svg.contains("where charge and") && svg.contains("hold together"));
}

#[test]
fn a_warning_weighs_less_once_all_runs_hold_and_one_of_runs_that_do_not_is_told() {
    let lines = |app: &App| -> Vec<String> {
        let findings = app.model.doc.findings.iter();
        findings
            .map(|finding| format!("{}: {}", finding.code, finding.message))
            .collect()
    };
    let mut app = App::new();
    let careless =
        "step \"Careless\"\n  drive ahead at 40 %\n  until travelled 1 mm\n\nstep \"Make fast\"";
    let text = app.model.doc.text.replace("step \"Make fast\"", careless);
    app.model.write(text);
    app.press("# #");
    assert!(
        lines(&app).iter().any(|line| line.starts_with("K42")),
        "{:?}",
        lines(&app)
    );
    make(&mut app, 20);
    assert_eq!(
        app.model.many.result.as_ref().unwrap().summary.held.times,
        20
    );
    assert!(
        !lines(&app).iter().any(|line| line.starts_with("K42")),
        "{:?}",
        lines(&app)
    );
    app.press("N");
    let all = crate::tui::sight::side::all_findings(&app.model);
    assert!(
        all.iter()
            .any(|finding| finding.message.ends_with("varied runs held")),
        "{all:#?} {}",
        app.model.doc.text
    );
    // The next text is not known yet, and nothing jumps meanwhile.
    app.press("Esc #");
    assert_eq!(made(&app), 0);
    assert!(
        !lines(&app).iter().any(|line| line.starts_with("K42")),
        "{:?}",
        lines(&app)
    );
    // Where runs fail, that is said at the step in which most of them do.
    let late = app.model.doc.text.replace(
        "until travelled 1 mm",
        "until travelled 1 mm\n  or 0.01 s pass -> fail \"late\"",
    );
    app.model.write(late);
    app.press("#");
    make(&mut app, 20);
    assert!(
        lines(&app)
            .iter()
            .any(|line| line.starts_with("K70: 20 of 20 varied runs do not hold")),
        "{:?}",
        lines(&app)
    );
}

/// What the runs of one robot bore out says nothing about another one.
#[test]
fn what_runs_bore_out_goes_with_the_robot_and_the_luck_that_they_were_made_with() {
    let codes = |app: &App| -> Vec<&'static str> {
        let all = crate::tui::sight::side::all_findings(&app.model);
        all.iter().map(|finding| finding.code).collect()
    };
    let mut app = App::with_files();
    make(&mut app, 20);
    assert!(app.model.many.borne.is_some());
    app.press("D robot Enter");
    assert_eq!(app.model.doc.path, "robots/curlew.toml");
    let gyro = app.model.doc.text.find("[gyro]").expect("Curlew has one");
    let end = gyro + app.model.doc.text[gyro..].find("\n\n").expect("more below");
    let text = format!(
        "{}{}",
        &app.model.doc.text[..gyro],
        &app.model.doc.text[end..]
    );
    app.model.write(text);
    app.press("# #");
    assert!(codes(&app).contains(&"M111"), "{:?}", codes(&app));
}
