//! One page that tells a run: the field with its path, what each step did, and the strip chart below.

use wayodos_core::lab::evidence::{Evidence, evidence};

use crate::chart::{Chart, chart_scene};
use crate::field::{Placement, Story, ghost_items, ground_items, path_items, robot_items};
use crate::ink::{self, tint};
use crate::scene::{Anchor, Item, Layer, Scene, Shape, Stroke, rectangle};
use crate::words::{Weight, exit_words, outcome_words, rest_words};

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
    let mut scene = Scene { title: title.to_owned(), width: WIDTH, height: HEIGHT, items: Vec::new() };
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
            scene.items.extend(chart_scene(&chart, MARGIN, top, WIDTH - 2.0 * MARGIN, scene.height - MARGIN - top));
        }
    }
    scene
}

fn heading(scene: &mut Scene, story: Story<'_>, title: &str, seed: u64) {
    let done = story.run.outcome == wayodos_core::sim::Outcome::Done;
    scene.items.push(Item::words([MARGIN, MARGIN + 4.5], 6.0, Anchor::Start, ink::TEXT, title).bold());
    let about = format!("{} on {}, seed {seed}", story.robot.name, story.field.name);
    scene.items.push(Item::words([MARGIN, MARGIN + 9.5], 3.2, Anchor::Start, ink::QUIET, about));
    let outcome = outcome_words(story.run, story.program);
    let ink = if done { ink::TEXT } else { ink::WRONG };
    scene.items.push(Item::words([WIDTH - MARGIN, MARGIN + 4.5], 5.0, Anchor::End, ink, outcome).bold());
    let rests = rest_words(story.run);
    scene.items.push(Item::words([WIDTH - MARGIN, MARGIN + 9.5], 3.2, Anchor::End, ink::QUIET, rests));
}

fn field(scene: &mut Scene, story: Story<'_>, top: f64, height: f64) {
    let width = WIDTH - 2.0 * MARGIN - LIST - 6.0;
    let placement = Placement { left: MARGIN, ..Placement::within(story.field, MARGIN, top, width, height) };
    scene.items.extend(ground_items(story.field, &placement));
    // A white seam keeps the path readable where it runs along a dark line.
    scene.items.extend(ghost_items(&story.run.trace, &placement, ink::PAPER, 1.5));
    scene.items.extend(path_items(story.run, &placement, 0.8));
    scene.items.extend(robot_items(story.robot, story.run.final_pose(), &placement));
    let [x, y] = placement.at(wayodos_core::field::Point::new(0.0, story.field.height));
    let frame = rectangle(x, y, story.field.width * placement.scale, story.field.height * placement.scale);
    scene.items.push(Item::drawn(Layer::Standing, frame, Stroke::full(ink::QUIET, 0.2)));
    scale_bar(scene, story, &placement);
    let list = x + story.field.width * placement.scale + 6.0;
    steps(scene, story, list, top, height);
}

/// A bar of 200 mm of the field, so that a ruler can be laid on the print.
fn scale_bar(scene: &mut Scene, story: Story<'_>, placement: &Placement) {
    let length = 0.2 * placement.scale;
    let [x, y] = placement.at(wayodos_core::field::Point::new(0.03 * story.field.width, 0.03 * story.field.height));
    let bar = Shape::Line(vec![[x, y], [x + length, y]]);
    scene.items.push(Item::drawn(Layer::Note, bar, Stroke::full(ink::TEXT, 0.7)));
    scene.items.push(Item::words([x + length + 1.5, y + 1.0], 2.8, Anchor::Start, ink::TEXT, "200 mm"));
}

/// The visits in order: number, name, times, and how the step ended.
fn steps(scene: &mut Scene, story: Story<'_>, x: f64, top: f64, height: f64) {
    let told = evidence(story.run, story.program, story.robot);
    let row = (height / told.len().max(1) as f64).clamp(3.2, 8.0);
    let most = (height / row) as usize;
    for (index, step) in told.iter().enumerate() {
        let y = top + row * (index as f64 + 0.55);
        if index + 1 == most && told.len() > most {
            let more = format!("and {} more", told.len() - index);
            scene.items.push(Item::words([x, y], 2.6, Anchor::Start, ink::QUIET, more));
            break;
        }
        let visit = step.visit;
        let program = &story.program.steps[visit.step];
        let dot = Shape::Disc { at: [x + 2.2, y - 1.0], radius: 2.2 };
        scene.items.push(Item::filled(Layer::Note, dot, tint(visit.step)));
        let number = (visit.step + 1).to_string();
        scene.items.push(Item::words([x + 2.2, y - 0.1], 2.6, Anchor::Middle, ink::PAPER, number).bold());
        scene.items.push(Item::words([x + 6.0, y], 2.9, Anchor::Start, ink::TEXT, shortened(&program.name, 30)));
        let trace = &story.run.trace;
        let times = format!("{:.1} - {:.1} s", trace.seconds(visit.entered), trace.seconds(visit.left));
        scene.items.push(Item::words([WIDTH - MARGIN, y], 2.5, Anchor::End, ink::QUIET, times));
        let Some(exit) = visit.exit else { continue };
        let failed = matches!(program.exits[exit].goal, wayodos_core::controller::Goal::Fail(_));
        let fired: &Evidence = &step.exits[exit];
        let (words, weight) = exit_words(fired, failed);
        let ink = if matches!(weight, Weight::Failed | Weight::Thin) { ink::WRONG } else { ink::QUIET };
        if row >= 6.5 {
            let line = format!("{}: {words}", shortened(&program.exits[exit].words, 40));
            scene.items.push(Item::words([x + 6.0, y + 3.1], 2.2, Anchor::Start, ink, line));
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
