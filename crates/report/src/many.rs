//! Pages about many runs: where they went and what they died of, and one number over a span. Readable
//! without colours: the end of a run that died is dashed, a value that holds is a full disc.

use std::ops::Range;
use std::sync::Arc;

use wayodos_core::field::{Field, Point};
use wayodos_core::lab::causes::Cause;
use wayodos_core::lab::spread::{Brief, SAMPLED};
use wayodos_core::lab::summary::Summary;
use wayodos_core::lab::sweep::{HOLDS, Point as Value, window};

use crate::field::{Placement, ground_items};
use crate::flow::wrap;
use crate::ink;
use crate::scene::{Anchor, Item, Layer, Scene, Shape, Stroke, rectangle};

/// Width of the page: A4, lying.
pub(crate) const WIDTH: f64 = 297.0;
pub(crate) const HEIGHT: f64 = 210.0;
pub(crate) const MARGIN: f64 = 10.0;
/// Width of what is written beside the field.
pub(crate) const LIST: f64 = 84.0;
/// Letters of a line of that, at 3.2 mm.
pub(crate) const LETTERS: usize = 50;
/// A path is drawn with a point every so many of its places.
const EVERY: usize = 2;
/// As many seconds of the way of a run that died stand out.
const LAST: f64 = 2.0;

pub(crate) fn page(title: &str, about: &str) -> Scene {
    let heading = Item::words([MARGIN, MARGIN + 4.5], 6.0, Anchor::Start, ink::TEXT, title).bold();
    let below = [MARGIN, MARGIN + 9.5];
    Scene {
        title: title.to_owned(),
        width: WIDTH,
        height: HEIGHT,
        items: vec![
            heading,
            Item::words(below, 3.2, Anchor::Start, ink::QUIET, about),
        ],
    }
}

/// The page about many runs of a mission: their paths on the field, and beside it how many held, what
/// the others died of, and what goes with that.
///
/// - `steps`: the name of each step of the program
pub fn spread_sheet(
    field: &Field,
    title: &str,
    about: &str,
    briefs: &[Arc<Brief>],
    (summary, steps): (&Summary, &[String]),
) -> Scene {
    let mut scene = page(title, about);
    let top = MARGIN + 14.0;
    let (wide, tall) = (WIDTH - 3.0 * MARGIN - LIST, HEIGHT - MARGIN - top);
    let place = Placement::within(field, MARGIN, top, wide, tall);
    scene.items.extend(ground_items(field, &place));
    // Those that died last, so that they are seen.
    for held in [true, false] {
        for brief in briefs.iter().filter(|brief| brief.held() == held) {
            scene.items.extend(path_items(brief, &place));
        }
    }
    let (x, mut y) = (WIDTH - MARGIN - LIST, top + 4.0);
    let mut line = |words: &str, size: f64, bold: bool, gap: f64| {
        let item = Item::words([x, y], size, Anchor::Start, ink::TEXT, words);
        scene.items.push(if bold { item.bold() } else { item });
        y += gap;
    };
    let held = summary.held;
    line(&format!("held {} runs", held.words()), 6.0, true, 6.0);
    let sure = format!("95 % sure: it holds {} of the time", held.interval_words());
    line(&sure, 3.2, false, 9.0);
    let mut written = |words: &str, bold: bool| {
        if words.is_empty() {
            line(" ", 3.2, false, 3.0);
        }
        for part in wrap(words, LETTERS) {
            line(&part, 3.2, bold, 4.4);
        }
    };
    for ending in summary.endings.iter().take(8) {
        let step = ending.death.step;
        let name = steps.get(step.0).map_or("", String::as_str);
        let (words, share) = (&ending.death.words, ending.share);
        written(
            &format!(
                "{}  in step {} \"{name}\": {words}",
                share.words(),
                step.number()
            ),
            false,
        );
    }
    for cause in summary.causes.iter().take(4) {
        written("", false);
        written(&cause.words(), true);
        written(&format!("may help: {}", cause.advice()), false);
    }
    written("", false);
    written(
        "thin lines: all runs; dashed: the last 2 s of those that died, up to the cross",
        false,
    );
    scene
}

/// So many causes have room on a page.
const CAUSES: usize = 4;

/// The page about what goes with failing: of each cause how many runs fail over its value.
pub fn causes_sheet(title: &str, about: &str, causes: &[Cause]) -> Scene {
    let mut scene = page(title, about);
    let (top, gap) = (MARGIN + 18.0, 12.0);
    let columns = if causes.len() > 2 { 2 } else { 1 };
    let rows = if causes.len() > 1 { 2.0 } else { 1.0 };
    let room = WIDTH - 2.0 * MARGIN - gap * (columns - 1) as f64;
    let (wide, tall) = (room / columns as f64, (HEIGHT - top - MARGIN) / rows);
    for (nth, cause) in causes.iter().take(CAUSES).enumerate() {
        let x = MARGIN + (nth % columns) as f64 * (wide + gap);
        let y = top + (nth / columns) as f64 * tall;
        scene.items.extend(cause_items(cause, [x, y], [wide, tall]));
    }
    if causes.is_empty() {
        let words = "nothing that differs from run to run goes with failing clearly enough";
        let at = [MARGIN, top];
        scene
            .items
            .push(Item::words(at, 4.2, Anchor::Start, ink::TEXT, words));
    }
    scene
}

/// The chart of one cause: a bar for each bin, with where the truth lies, and the limit dashed.
fn cause_items(cause: &Cause, [x, y]: [f64; 2], [wide, tall]: [f64; 2]) -> Vec<Item> {
    let words = |at: [f64; 2], size: f64, anchor: Anchor, ink, text: String| {
        Item::words(at, size, anchor, ink, text)
    };
    let mut items = vec![words([x, y], 4.4, Anchor::Start, ink::TEXT, cause.name()).bold()];
    let mut line = y + 5.5;
    for part in wrap(&cause.words(), (wide / 1.75) as usize) {
        items.push(words([x, line], 3.2, Anchor::Start, ink::TEXT, part));
        line += 4.2;
    }
    let (left, right, top, bottom) = (x + 13.0, x + wide, line + 1.0, y + tall - 16.0);
    let [least, most] = cause.span();
    let across = |off: f64| left + (off - least) / (most - least).max(1e-12) * (right - left);
    let up = |share: f64| bottom - share * (bottom - top);
    for percent in [0, 50, 100] {
        let at = up(f64::from(percent) / 100.0);
        let line = Shape::Line(vec![[left - 1.5, at], [right, at]]);
        items.push(Item::drawn(
            Layer::Ground,
            line,
            Stroke::full(ink::HAIR, 0.15),
        ));
        let label = format!("{percent} %");
        items.push(words(
            [left - 2.5, at + 1.1],
            3.0,
            Anchor::End,
            ink::QUIET,
            label,
        ));
    }
    for bin in cause.bins() {
        let (from, to) = (across(bin.from), across(bin.to));
        let share = bin.failed.value().unwrap_or(0.0);
        let shape = rectangle(from, up(share), (to - from).max(0.6), bottom - up(share));
        items.push(Item {
            stroke: Some(Stroke::full(ink::TEXT, 0.2)),
            ..Item::filled(Layer::Path, shape, ink::WRONG).see_through(0.55)
        });
        let (low, high) = bin.failed.interval();
        let middle = f64::midpoint(from, to);
        let sure = Shape::Line(vec![[middle, up(low)], [middle, up(high)]]);
        items.push(Item::drawn(
            Layer::Event,
            sure,
            Stroke::full(ink::TEXT, 0.25),
        ));
    }
    for limit in cause.limits() {
        let line = Shape::Line(vec![[across(limit), top], [across(limit), bottom + 2.0]]);
        let dashed = Stroke {
            ink: ink::TEXT,
            width: 0.3,
            dash: 1.2,
        };
        items.push(Item::drawn(Layer::Event, line, dashed));
        let at = [across(limit), bottom + 5.0];
        items.push(words(
            at,
            3.0,
            Anchor::Middle,
            ink::TEXT,
            cause.amount(limit),
        ));
    }
    let ends = [(left, Anchor::Start, least), (right, Anchor::End, most)];
    for (at, anchor, value) in ends {
        let label = cause.amount(value);
        items.push(words([at, bottom + 9.0], 3.0, anchor, ink::QUIET, label));
    }
    items
}

/// The way of a run from one of its places on.
pub(crate) fn way(brief: &Brief, from: usize, place: &Placement) -> Shape {
    let at = |[x, y]: [f32; 2]| place.at(Point::new(f64::from(x), f64::from(y)));
    let mut points: Vec<[f64; 2]> = brief.path[from..]
        .iter()
        .step_by(EVERY)
        .map(|(place, _)| at(*place))
        .collect();
    points.extend(brief.path.last().map(|(place, _)| at(*place)));
    Shape::Line(points)
}

/// The path of one run; the end of one that died stands out.
fn path_items(brief: &Brief, place: &Placement) -> Vec<Item> {
    let at = |[x, y]: [f32; 2]| place.at(Point::new(f64::from(x), f64::from(y)));
    let line = |from: usize| way(brief, from, place);
    let thin = Stroke::full(ink::QUIET, 0.12);
    let mut items = vec![Item::drawn(Layer::Ghost, line(0), thin)];
    let last = brief.path.last().filter(|_| !brief.held());
    if let Some([x, y]) = last.map(|(place, _)| at(*place)) {
        let dashed = Stroke {
            ink: ink::WRONG,
            width: 0.4,
            dash: 1.2,
        };
        let from = brief.path.len().saturating_sub((LAST / SAMPLED) as usize);
        items.push(Item::drawn(Layer::Path, line(from), dashed));
        let arm = |dy: f64| Shape::Line(vec![[x - 1.0, y - dy], [x + 1.0, y + dy]]);
        let stroke = Stroke::full(ink::WRONG, 0.4);
        items.extend([1.0, -1.0].map(|dy| Item::drawn(Layer::Event, arm(dy), stroke)));
    }
    items
}

/// The page about one number over a span: how often each value holds, with where the truth lies, and
/// the widest stretch that holds.
pub fn sweep_sheet(title: &str, about: &str, name: &str, points: &[Value]) -> Scene {
    let mut scene = page(title, about);
    let (left, right) = (MARGIN + 16.0, WIDTH - MARGIN - 4.0);
    let (top, bottom) = (MARGIN + 30.0, HEIGHT - MARGIN - 30.0);
    let (Some(first), Some(last)) = (points.first(), points.last()) else {
        return scene;
    };
    let (least, most) = (first.value.value, last.value.value);
    let x = |value: f64| left + (value - least) / (most - least).max(1e-12) * (right - left);
    let y = |share: f64| bottom - share * (bottom - top);
    if let Some(Range { start, end }) = window(points) {
        let (from, to) = (x(points[start].value.value), x(points[end - 1].value.value));
        let shape = rectangle(from - 1.2, top, to - from + 2.4, bottom - top);
        scene
            .items
            .push(Item::filled(Layer::Ground, shape, ink::HAIR).see_through(0.5));
        let words = format!(
            "19 of 20 runs held from {} to {}",
            points[start].value,
            points[end - 1].value
        );
        let at = [left, top - 6.0];
        scene
            .items
            .push(Item::words(at, 4.2, Anchor::Start, ink::TEXT, words).bold());
    }
    for percent in [0, 25, 50, 75, 100] {
        let at = y(f64::from(percent) / 100.0);
        let line = Shape::Line(vec![[left - 2.0, at], [right, at]]);
        scene.items.push(Item::drawn(
            Layer::Ground,
            line,
            Stroke::full(ink::HAIR, 0.15),
        ));
        let (place, words) = ([left - 3.0, at + 1.2], format!("{percent} %"));
        scene
            .items
            .push(Item::words(place, 3.2, Anchor::End, ink::QUIET, words));
    }
    let wanted = Shape::Line(vec![[left, y(HOLDS)], [right, y(HOLDS)]]);
    let dashed = Stroke {
        ink: ink::QUIET,
        width: 0.2,
        dash: 1.5,
    };
    scene.items.push(Item::drawn(Layer::Ground, wanted, dashed));
    // As many labels as have room.
    let every = points.len().div_ceil(14).max(1);
    for (nth, point) in points.iter().enumerate() {
        let at = x(point.value.value);
        if nth % every == 0 {
            let place = [at, bottom + 5.5];
            let words = point.value.to_string();
            scene
                .items
                .push(Item::words(place, 3.2, Anchor::Middle, ink::QUIET, words));
        }
        let held = point.held();
        let Some(share) = held.value() else { continue };
        let (low, high) = held.interval();
        let line = Shape::Line(vec![[at, y(low)], [at, y(high)]]);
        scene.items.push(Item::drawn(
            Layer::Path,
            line,
            Stroke::full(ink::TEXT, 0.25),
        ));
        let disc = Shape::Disc {
            at: [at, y(share)],
            radius: 1.1,
        };
        // Full where it holds, hollow where it does not.
        let fill = if point.holds() { ink::TEXT } else { ink::PAPER };
        scene.items.push(Item {
            stroke: Some(Stroke::full(ink::TEXT, 0.35)),
            ..Item::filled(Layer::Event, disc, fill)
        });
    }
    let below = [f64::midpoint(left, right), bottom + 12.0];
    scene
        .items
        .push(Item::words(below, 3.6, Anchor::Middle, ink::TEXT, name));
    let words = "share of the runs that held; the lines: where the truth lies, 95 % sure";
    let place = [left, bottom + 19.0];
    scene
        .items
        .push(Item::words(place, 3.2, Anchor::Start, ink::QUIET, words));
    scene
}

#[cfg(test)]
pub(crate) mod tests {
    use wayodos_core::ids::StepId;
    use wayodos_core::lab::spread::Death;
    use wayodos_core::record::Outcome;
    use wayodos_core::units::Quantity;

    use super::*;
    use crate::svg::to_svg;

    /// A run along a line, that died or held.
    pub(crate) fn brief(number: u32, died: bool) -> Arc<Brief> {
        let death = Death {
            step: StepId(0),
            exit: None,
            words: "no bar".into(),
        };
        Arc::new(Brief {
            number,
            outcome: Outcome::Done,
            verdict: None,
            death: died.then_some(death),
            seconds: 5.0,
            score: None,
            drawn: Vec::new(),
            entered: vec![StepId(0)],
            path: (0..100).map(|at| ([0.01 * at as f32, 0.2], 0)).collect(),
            readings: Vec::new(),
            channels: 0,
            rest: wayodos_core::field::Pose::default(),
            fingerprint: 0,
        })
    }

    fn dashed(scene: &Scene) -> usize {
        let strokes = scene.items.iter().filter_map(|item| item.stroke);
        strokes.filter(|stroke| stroke.dash > 0.0).count()
    }

    #[test]
    fn the_page_of_a_spread_has_every_run_and_tells_the_dead_without_colour() {
        let field = Field {
            width: 2.0,
            height: 1.0,
            ..Field::default()
        };
        let briefs = [brief(1, false), brief(2, true), brief(3, false)];
        let summary = Summary::of(&briefs, 1);
        let steps = ["To the bar".to_owned()];
        let page = spread_sheet(&field, "T", "about", &briefs, (&summary, &steps));
        assert_eq!(dashed(&page), 1, "the one that died");
        let ghosts = page.items.iter().filter(|item| item.layer == Layer::Ghost);
        assert_eq!(ghosts.count(), 3);
        let svg = to_svg(&page);
        for words in ["held 2 of 3 runs", "1 of 3 in step 1", "no bar", "dashed"] {
            assert!(svg.contains(words), "{words}");
        }
        // Of no runs there is a page, too.
        let none = Summary::of(&[], 1);
        to_svg(&spread_sheet(&field, "T", "", &[], (&none, &steps)));
    }

    #[test]
    fn the_page_of_causes_has_a_bar_for_each_bin_and_the_limit_dashed() {
        let cause = Cause {
            what: "grip".into(),
            rival: false,
            unit: wayodos_core::units::Unit::Percent,
            way: wayodos_core::lab::causes::Way::Low,
            limit: 0.01,
            beyond: wayodos_core::lab::statistics::Share::new(30, 30),
            within: wayodos_core::lab::statistics::Share::new(0, 70),
            p: 0.001,
            points: (0..100)
                .map(|nth| (f64::from(nth) / 1000.0 - 0.04, nth >= 30))
                .collect(),
        };
        let page = causes_sheet("T", "about", std::slice::from_ref(&cause));
        let bars = page.items.iter().filter(|item| item.layer == Layer::Path);
        assert_eq!(bars.count(), cause.bins().len());
        assert_eq!(dashed(&page), 1);
        let svg = to_svg(&page);
        for words in ["grip too low", "In all 30 failed runs", "-1 %", "100 %"] {
            assert!(svg.contains(words), "{words}");
        }
        assert!(to_svg(&causes_sheet("T", "", &[])).contains("clearly enough"));
        to_svg(&causes_sheet("T", "", &vec![cause; 6]));
    }

    #[test]
    fn the_page_of_a_sweep_has_a_point_for_each_value_full_where_it_holds() {
        let point = |(percent, died): (f64, bool)| {
            let mut point = Value::new(Quantity::parse(&format!("{percent} %")).unwrap());
            point.briefs = (1..=20).map(|number| brief(number, died)).collect();
            point
        };
        let points: Vec<Value> = [(10.0, true), (20.0, false), (30.0, false)]
            .into_iter()
            .map(point)
            .collect();
        let page = sweep_sheet("T", "about", "cruise", &points);
        let fills: Vec<_> = page
            .items
            .iter()
            .filter(|item| matches!(item.shape, Shape::Disc { .. }))
            .map(|item| item.fill)
            .collect();
        assert_eq!(fills, [Some(ink::PAPER), Some(ink::TEXT), Some(ink::TEXT)]);
        assert!(to_svg(&page).contains("19 of 20 runs held from 20 % to 30 %"));
        to_svg(&sweep_sheet("T", "", "nothing", &[]));
        to_svg(&sweep_sheet("T", "", "one", &points[..1]));
    }
}
