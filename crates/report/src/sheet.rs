//! One page about a run: the field with its path, what each step did, and the strip chart below.

use wayodos_core::field::Field;
use wayodos_core::ids::StepId;
use wayodos_core::lab::evidence::StepEvidence;
use wayodos_core::lab::first::first_wrong;
use wayodos_core::record::PropKind;
use wayodos_core::robot::Robot;

use crate::account::{Told, ToldLine, account};
use crate::chart::{Chart, chart_scene};
use crate::field::{
    Placement, Story, arm_items, ghost_items, ground_items, happened_items, moved_items,
    path_items, prop_items, robot_items,
};
use crate::ink::{self, tint};
use crate::scene::{Anchor, Item, Layer, Scene, Shape, Stroke, rectangle};
use crate::words::{
    Weight, first_words, outcome_words, rest_words, score_lines, signal_words, verdict_words,
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
/// So far beside the field, in millimetres on paper, what moves is still drawn.
const BESIDE: f64 = 4.0;
/// Height of the head of a step in the list, and of a line about it.
const HEAD: f64 = 5.2;
const TOLD: f64 = 3.1;
/// A letter is about so wide, as a share of its height.
const LETTER: f64 = 0.55;
/// Height of the title.
const TITLE: f64 = 14.0;

/// The page about a run.
///
/// - `evidence`: of the run's steps
/// - `title`: stands on top
/// - `seed`: is named below it, so that the run can be made again
pub fn sheet(
    story: Story<'_>,
    evidence: &[StepEvidence],
    title: &str,
    seed: u64,
    parts: Parts,
) -> Scene {
    let mut scene = Scene {
        title: title.to_owned(),
        width: WIDTH,
        height: HEIGHT,
        items: Vec::new(),
    };
    heading(&mut scene, story, evidence, title, seed);
    let top = MARGIN + TITLE;
    let chart = Chart::of(story);
    match parts {
        Parts::All => {
            let field_height = 112.0;
            field(&mut scene, story, evidence, top, field_height);
            let chart_top = top + field_height + 5.0;
            scene.items.extend(chart_scene(
                &chart,
                MARGIN,
                chart_top,
                WIDTH - 2.0 * MARGIN,
                HEIGHT - MARGIN - chart_top,
            ));
        }
        Parts::Field => field(&mut scene, story, evidence, top, HEIGHT - MARGIN - top),
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

fn heading(scene: &mut Scene, story: Story<'_>, evidence: &[StepEvidence], title: &str, seed: u64) {
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
    // Of a run that went wrong it matters where that began, not where it came to rest.
    let first = first_wrong(story.run, story.program, evidence);
    let rests = first.map_or_else(|| rest_words(story.run), |first| first_words(story, &first));
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

fn field(scene: &mut Scene, story: Story<'_>, evidence: &[StepEvidence], top: f64, height: f64) {
    let width = WIDTH - 2.0 * MARGIN - LIST - 6.0;
    let placement = Placement {
        left: MARGIN,
        ..Placement::within(story.field, MARGIN, top, width, height)
    };
    scene.items.extend(ground_items(story.field, &placement));
    // Where the robot leaves the mat, it leaves the drawing too.
    let ground = scene.items.len();
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
    let frame = placement.frame(story.field, BESIDE);
    let moving = scene.items.split_off(ground);
    scene
        .items
        .extend(moving.into_iter().flat_map(|item| item.within(frame)));
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
    steps(scene, story, evidence, [list, top], height - room);
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
    // On paper of its own: a field may be dark.
    let patch = rectangle(x - 1.0, y - 2.0, length + 16.0, 4.0);
    scene
        .items
        .push(Item::filled(Layer::Note, patch, ink::PAPER).see_through(0.75));
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

/// The account of the run: number, name, times, and how each step ended.
fn steps(
    scene: &mut Scene,
    story: Story<'_>,
    evidence: &[StepEvidence],
    [x, top]: [f64; 2],
    height: f64,
) {
    let told = account(story.run, story.program, evidence, false);
    // As much is told of each step as there is room for all of them.
    let fired = |one: &Told| usize::from(one.lines.iter().any(|line| line.goal.is_some()));
    let tall = |of: &dyn Fn(&Told) -> usize| {
        let lines: usize = told.iter().map(of).sum();
        told.len() as f64 * HEAD + lines as f64 * TOLD
    };
    let (all, some) = (tall(&|one| one.lines.len()), tall(&fired));
    let (tells_all, tells_some) = (all <= height, some <= height);
    let tells = |one: &Told| {
        let lines = one.lines.iter();
        let lines = lines.filter(|line| tells_all || (tells_some && line.goal.is_some()));
        let most = if tells_all { usize::MAX } else { 1 };
        lines.take(most).cloned().collect::<Vec<ToldLine>>()
    };
    let head = if tells_some {
        HEAD
    } else {
        (height / told.len().max(1) as f64).clamp(3.2, HEAD)
    };
    let fits = tells_some || told.len() as f64 * head <= height + 0.01;
    let mut y = top;
    for (index, one) in told.iter().enumerate() {
        let lines = tells(one);
        let last = index + 1 == told.len();
        if !last && y + 2.0 * head > top + height && !fits {
            let more = format!("and {} more", told.len() - index);
            let at = [x, y + 0.6 * head];
            scene
                .items
                .push(Item::words(at, 2.6, Anchor::Start, ink::QUIET, more));
            break;
        }
        let base = y + 0.6 * head;
        let program = &story.program.steps[one.step];
        let inset = x + (2.0 * one.depth as f64).min(8.0);
        let number = number_items([inset + 2.2, base - 1.0], (0.47 * head).min(2.2), one.step);
        scene.items.extend(number);
        let room = WIDTH - MARGIN - inset - 6.0;
        let times = ends_of(&one.times, (room * 0.6 / (2.5 * LETTER)) as usize);
        let left = room - times.chars().count() as f64 * 2.5 * LETTER - 1.5;
        let name = shortened(&program.name, (left / (2.9 * LETTER)) as usize);
        let at = [inset + 6.0, base];
        scene
            .items
            .push(Item::words(at, 2.9, Anchor::Start, ink::TEXT, name));
        let at = [WIDTH - MARGIN, base];
        scene
            .items
            .push(Item::words(at, 2.5, Anchor::End, ink::QUIET, times));
        y += head;
        for line in lines {
            let ink = match line.weight {
                Weight::Failed | Weight::Thin => ink::WRONG,
                Weight::Fired => ink::TEXT,
                Weight::Spare => ink::QUIET,
            };
            let said = if line.words.is_empty() {
                String::new()
            } else {
                format!(": {}", line.words)
            };
            let room = (room / (2.2 * LETTER)) as usize;
            let about = shortened(&line.about, room.saturating_sub(said.chars().count()));
            let at = [inset + 6.0, y + 0.6];
            let words = format!("{about}{said}");
            scene
                .items
                .push(Item::words(at, 2.2, Anchor::Start, ink, words));
            y += TOLD;
        }
    }
}

/// A disc with the number of a step, which fits into it however many digits it has.
fn number_items(at: [f64; 2], radius: f64, step: StepId) -> [Item; 2] {
    let number = step.number().to_string();
    let digits = number.len().max(1) as f64;
    // A digit is about 0.6 of its height wide; two stand within 0.8 of the disc.
    let size = (1.2 * radius).min(1.6 * radius / (0.6 * digits));
    let disc = Item::filled(Layer::Note, Shape::Disc { at, radius }, tint(step));
    let words = Item::words(
        [at[0], at[1] + 0.35 * size],
        size,
        Anchor::Middle,
        ink::PAPER,
        number,
    );
    [disc, words.bold()]
}

/// The times of a visit as they fit: what is behind the last comma goes first.
fn ends_of(times: &str, most: usize) -> String {
    let mut times = times;
    while times.chars().count() > most
        && let Some((short, _)) = times.rsplit_once(", ")
    {
        times = short;
    }
    times.to_owned()
}

fn shortened(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        text.to_owned()
    } else {
        text.chars()
            .take(most.saturating_sub(3))
            .chain("...".chars())
            .collect()
    }
}
