//! One page about a run: the field with its path, what each step did, and the strip chart below.

use wayodos_core::field::Field;
use wayodos_core::lab::evidence::{Evidence, evidence};
use wayodos_core::record::PropKind;
use wayodos_core::robot::Robot;

use crate::chart::{Chart, chart_scene};
use crate::field::{
    Placement, Story, arm_items, ghost_items, ground_items, happened_items, moved_items,
    path_items, prop_items, robot_items,
};
use crate::ink::{self, tint};
use crate::scene::{Anchor, Item, Layer, Scene, Shape, Stroke, rectangle};
use crate::words::{
    Weight, exit_words, outcome_words, rest_words, score_lines, signal_words, verdict_words,
};

/// Which parts of the page are wanted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Parts {
    /// Field, steps and chart.
    All,
    /// The field and the list of steps.
    Field,
    /// The strip chart.
    Chart,
}

/// Width of the page: A4, lying.
const WIDTH: f64 = 297.0;
const HEIGHT: f64 = 210.0;
const MARGIN: f64 = 10.0;
/// Width of the list of steps.
const LIST: f64 = 88.0;
/// Height of the title.
const TITLE: f64 = 14.0;

/// The page about a run.
///
/// `title` stands on top; `seed` is named below it, so that the run can be made again.
pub fn sheet(story: Story<'_>, title: &str, seed: u64, parts: Parts) -> Scene {
    let mut scene = Scene {
        title: title.to_owned(),
        width: WIDTH,
        height: HEIGHT,
        items: Vec::new(),
    };
    heading(&mut scene, story, title, seed);
    let top = MARGIN + TITLE;
    let chart = Chart::of(story);
    match parts {
        Parts::All => {
            let field_height = 112.0;
            field(&mut scene, story, top, field_height);
            let chart_top = top + field_height + 5.0;
            scene.items.extend(chart_scene(
                &chart,
                MARGIN,
                chart_top,
                WIDTH - 2.0 * MARGIN,
                HEIGHT - MARGIN - chart_top,
            ));
        }
        Parts::Field => field(&mut scene, story, top, HEIGHT - MARGIN - top),
        Parts::Chart => {
            scene.height = 120.0;
            scene.items.extend(chart_scene(
                &chart,
                MARGIN,
                top,
                WIDTH - 2.0 * MARGIN,
                scene.height - MARGIN - top,
            ));
        }
    }
    scene
}

/// The page about a field on which nothing runs yet, with the robot at each of its starts.
pub fn bare_sheet(field: &Field, robot: &Robot, title: &str) -> Scene {
    let top = MARGIN + TITLE;
    let (width, height) = (WIDTH - 2.0 * MARGIN, HEIGHT - MARGIN - top);
    let place = Placement::within(field, MARGIN, top, width, height);
    let mut items = ground_items(field, &place);
    for start in &field.starts {
        items.extend(robot_items(robot, start.pose, &place));
    }
    let about = format!("{} on {}, nothing runs yet", robot.name, field.name);
    items.push(Item::words([MARGIN, MARGIN + 4.5], 6.0, Anchor::Start, ink::TEXT, title).bold());
    items.push(Item::words(
        [MARGIN, MARGIN + 9.5],
        3.2,
        Anchor::Start,
        ink::QUIET,
        about,
    ));
    Scene {
        title: title.to_owned(),
        width: WIDTH,
        height: HEIGHT,
        items,
    }
}

fn heading(scene: &mut Scene, story: Story<'_>, title: &str, seed: u64) {
    let done = story.run.outcome == wayodos_core::record::Outcome::Done;
    scene
        .items
        .push(Item::words([MARGIN, MARGIN + 4.5], 6.0, Anchor::Start, ink::TEXT, title).bold());
    let about = format!("{} on {}, seed {seed}", story.robot.name, story.field.name);
    scene.items.push(Item::words(
        [MARGIN, MARGIN + 9.5],
        3.2,
        Anchor::Start,
        ink::QUIET,
        about,
    ));
    let outcome = outcome_words(story.run, story.program);
    let verdict = verdict_words(story.run);
    let ink = if done { ink::TEXT } else { ink::WRONG };
    scene.items.push(
        Item::words(
            [WIDTH - MARGIN, MARGIN + 4.5],
            5.0,
            Anchor::End,
            ink,
            verdict.clone().unwrap_or_else(|| outcome.clone()),
        )
        .bold(),
    );
    let rests = rest_words(story.run);
    let rests = if verdict.is_some() {
        format!("{outcome}, {rests}")
    } else {
        rests
    };
    scene.items.push(Item::words(
        [WIDTH - MARGIN, MARGIN + 9.5],
        3.2,
        Anchor::End,
        ink::QUIET,
        rests,
    ));
}

fn field(scene: &mut Scene, story: Story<'_>, top: f64, height: f64) {
    let width = WIDTH - 2.0 * MARGIN - LIST - 6.0;
    let placement = Placement {
        left: MARGIN,
        ..Placement::within(story.field, MARGIN, top, width, height)
    };
    scene.items.extend(ground_items(story.field, &placement));
    // A white seam keeps the path readable where it runs along a dark line.
    scene
        .items
        .extend(ghost_items(&story.run.trace, &placement, ink::PAPER, 1.5));
    scene.items.extend(path_items(story.run, &placement, 0.8));
    let last = story.run.trace.ticks.len().saturating_sub(1);
    scene
        .items
        .extend(moved_items(&story.run.trace, &placement, 0.35));
    scene
        .items
        .extend(prop_items(story.field, &story.run.trace, last, &placement));
    scene
        .items
        .extend(happened_items(story.run, &placement, 0.7));
    scene
        .items
        .extend(robot_items(story.robot, story.run.final_pose(), &placement));
    scene
        .items
        .extend(arm_items(story.robot, &story.run.trace, last, &placement));
    names(scene, story, last, &placement);
    let [x, y] = placement.at(wayodos_core::field::Point::new(0.0, story.field.height));
    let frame = rectangle(
        x,
        y,
        story.field.width * placement.scale,
        story.field.height * placement.scale,
    );
    scene.items.push(Item::drawn(
        Layer::Standing,
        frame,
        Stroke::full(ink::QUIET, 0.2),
    ));
    scale_bar(scene, story, &placement);
    let list = x + story.field.width * placement.scale + 6.0;
    let scores = score_lines(story.run);
    let room = if scores.is_empty() {
        0.0
    } else {
        3.6 * scores.len() as f64 + 7.0
    };
    steps(scene, story, list, top, height - room);
    let top = top + height - room;
    for (index, (words, points)) in scores.iter().enumerate() {
        let y = top + 7.0 + 3.6 * index as f64;
        let is_sum = index + 1 == scores.len();
        let bold = |item: Item| if is_sum { item.bold() } else { item };
        scene.items.push(bold(Item::words(
            [list, y],
            2.7,
            Anchor::Start,
            ink::TEXT,
            words.as_str(),
        )));
        scene.items.push(bold(Item::words(
            [WIDTH - MARGIN, y],
            2.7,
            Anchor::End,
            ink::TEXT,
            points.as_str(),
        )));
    }
}

/// The names of what moves and of zones, and what the robot last said.
fn names(scene: &mut Scene, story: Story<'_>, tick: usize, placement: &Placement) {
    let mut label = |place: wayodos_core::field::Point, words: &str, ink| {
        let [x, y] = placement.at(place);
        // On paper of its own, so that it is read on dark boards and pale sand alike; a letter is
        // about 1.3 mm wide.
        let wide = 1.3 * words.chars().count() as f64 + 1.2;
        let patch = rectangle(x - wide / 2.0, y - 2.3, wide, 3.1);
        scene
            .items
            .push(Item::filled(Layer::Note, patch, ink::PAPER).see_through(0.75));
        scene
            .items
            .push(Item::words([x, y], 2.4, Anchor::Middle, ink, words));
    };
    let at = |x: f64, y: f64| wayodos_core::field::Point::new(x, y);
    for zone in &story.field.zones {
        let (low, high) = zone.shape.bounds();
        label(
            at(f64::midpoint(low.x, high.x), high.y + 1.2 / placement.scale),
            &zone.name,
            ink::ZONE,
        );
    }
    let trace = &story.run.trace;
    for (index, prop) in trace.props.iter().enumerate() {
        // What fell is named where it was last.
        let since = if prop.kind == PropKind::Obstacle {
            tick
        } else {
            0
        };
        if let Some(pose) = (since..=tick)
            .rev()
            .find_map(|tick| trace.place(tick, index))
        {
            let reach = prop
                .outline
                .placed(pose, 16)
                .iter()
                .fold(pose.y, |most, corner| most.max(corner.y));
            label(
                at(pose.x, reach + 1.2 / placement.scale),
                &prop.name,
                ink::TEXT,
            );
        }
    }
    let pose = story.run.final_pose();
    for (row, words) in signal_words(story, tick).iter().enumerate() {
        let reach = story
            .robot
            .outline
            .iter()
            .fold(0.0f64, |most, (x, y)| most.max(x.hypot(*y)));
        let below = reach + (1.5 + 3.0 * row as f64) / placement.scale;
        label(at(pose.x, pose.y - below), words, ink::TEXT);
    }
}

/// A bar of 200 mm of the field, so that a ruler can be laid on the print.
fn scale_bar(scene: &mut Scene, story: Story<'_>, placement: &Placement) {
    let length = 0.2 * placement.scale;
    let [x, y] = placement.at(wayodos_core::field::Point::new(
        0.03 * story.field.width,
        0.03 * story.field.height,
    ));
    let bar = Shape::Line(vec![[x, y], [x + length, y]]);
    scene
        .items
        .push(Item::drawn(Layer::Note, bar, Stroke::full(ink::TEXT, 0.7)));
    scene.items.push(Item::words(
        [x + length + 1.5, y + 1.0],
        2.8,
        Anchor::Start,
        ink::TEXT,
        "200 mm",
    ));
}

/// The visits in order: number, name, times, and how the step ended.
fn steps(scene: &mut Scene, story: Story<'_>, x: f64, top: f64, height: f64) {
    let steps = evidence(story.run, story.program, story.robot);
    let row = (height / steps.len().max(1) as f64).clamp(3.2, 8.0);
    let most = (height / row) as usize;
    for (index, step) in steps.iter().enumerate() {
        let y = top + row * (index as f64 + 0.55);
        if index + 1 == most && steps.len() > most {
            let more = format!("and {} more", steps.len() - index);
            scene
                .items
                .push(Item::words([x, y], 2.6, Anchor::Start, ink::QUIET, more));
            break;
        }
        let visit = step.visit;
        let program = &story.program.steps[visit.step];
        let dot = Shape::Disc {
            at: [x + 2.2, y - 1.0],
            radius: (0.47 * row).min(2.2),
        };
        scene
            .items
            .push(Item::filled(Layer::Note, dot, tint(visit.step)));
        let number = visit.step.number().to_string();
        scene
            .items
            .push(Item::words([x + 2.2, y - 0.1], 2.6, Anchor::Middle, ink::PAPER, number).bold());
        scene.items.push(Item::words(
            [x + 6.0, y],
            2.9,
            Anchor::Start,
            ink::TEXT,
            shortened(&program.name, 30),
        ));
        let trace = &story.run.trace;
        let times = format!(
            "{:.1} - {:.1} s",
            trace.seconds(visit.entered),
            trace.seconds(visit.left)
        );
        scene.items.push(Item::words(
            [WIDTH - MARGIN, y],
            2.5,
            Anchor::End,
            ink::QUIET,
            times,
        ));
        let Some(exit) = visit.exit else { continue };
        let failed = matches!(
            program.exits[exit].goal,
            wayodos_core::controller::Goal::Fail(_)
        );
        let fired: &Evidence = &step.exits[exit];
        let (words, weight) = exit_words(fired, program.exits[exit].kind, failed);
        let ink = if matches!(weight, Weight::Failed | Weight::Thin) {
            ink::WRONG
        } else {
            ink::QUIET
        };
        if row >= 6.5 {
            let line = format!("{}: {words}", shortened(&program.exits[exit].words, 40));
            scene.items.push(Item::words(
                [x + 6.0, y + 3.1],
                2.2,
                Anchor::Start,
                ink,
                line,
            ));
        }
    }
}

fn shortened(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        text.to_owned()
    } else {
        text.chars().take(most - 3).chain("...".chars()).collect()
    }
}
