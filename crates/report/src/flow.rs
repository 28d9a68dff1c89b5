//! The flow chart of a mission: one box a step, its exits as labelled arrows. One model, painted as
//! a scene and as text.

use wayodos_core::controller::Program;
use wayodos_core::ids::{StepId, TextStep};
use wayodos_core::mission::{Answer, Block, Parsed, Step, Target, Then};

use crate::ink::{self, Rgb, tint};
use crate::scene::{Anchor, Item, Layer, Scene, Shape, Stroke, rectangle};
use wayodos_core::mission::readback::Reader;

/// Where an arrow of a chart ends.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Way {
    /// At a box, by its index.
    Box(usize),
    /// At the end of the mission.
    Done,
    /// At a failure.
    Fail(String),
    /// At the end of the part it stands in, in words.
    Out(&'static str),
}

/// An arrow that leaves a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Arrow {
    /// What it is taken on.
    pub label: String,
    /// Where it ends.
    pub way: Way,
}

/// One box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FlowBox {
    /// Its number, for steps of the mission's own text; none for headings.
    pub number: Option<usize>,
    /// Its name.
    pub name: String,
    /// What is done there, in plain words.
    pub says: Vec<String>,
    /// How far it is set in.
    pub depth: usize,
    /// Index of its line in the text.
    pub line: usize,
    /// The arrows that leave it, in written order.
    pub arrows: Vec<Arrow>,
}

/// The chart of a mission.
#[derive(Clone, Debug, PartialEq, Eq, Default)]
pub struct Flow {
    /// The mission's name.
    pub title: String,
    /// Its boxes, in written order.
    pub boxes: Vec<FlowBox>,
}

impl Flow {
    /// The chart of a mission that has been read. With its program, steps have the numbers that
    /// they have in a run.
    pub fn of(text: &str, parsed: &Parsed, program: Option<&Program>) -> Self {
        let mission = &parsed.mission;
        let reader = Reader::new(text, parsed);
        let mut flow = Self {
            title: mission
                .name
                .as_ref()
                .map_or_else(|| "Mission".into(), |name| name.node.clone()),
            boxes: Vec::new(),
        };
        // Where the box of each step is: headings stand in between.
        let mut at = vec![0; mission.steps.len()];
        let mut block = Block::Mission;
        for (index, step) in mission.numbered() {
            if step.block != block {
                block = step.block;
                if let Block::Routine(routine) = block {
                    flow.boxes.push(heading(
                        &format!("routine {}", mission.routines[routine].name.node),
                        step.line,
                    ));
                }
            }
            at[index] = flow.boxes.len();
            let mut depth = usize::from(matches!(step.block, Block::Routine(_)));
            let mut around = step.inside;
            while let Some(repeat) = around {
                depth += 1;
                around = mission.steps[repeat].inside;
            }
            let mut says = vec![reader.behaviour(step)];
            let written = mission.steps[..index.0]
                .iter()
                .filter(|other| !matches!(other.block, Block::Reflex(_)))
                .count();
            let run = program.and_then(|program| {
                program.steps[..program.written]
                    .iter()
                    .position(|it| it.line == step.line)
            });
            let mut number = Some(run.unwrap_or(written) + 1);
            if let Block::Reflex(reflex) = step.block {
                let (watch, after) = reader.reflex(reflex);
                says.insert(0, watch);
                says.push(after);
                number = None;
            }
            flow.boxes.push(FlowBox {
                number,
                name: step.name.node.clone(),
                says,
                depth,
                line: step.line,
                arrows: Vec::new(),
            });
        }
        for (index, step) in mission.numbered() {
            flow.boxes[at[index]].arrows = arrows(text, parsed, &at, index, step);
        }
        flow
    }

    /// The chart as lines of text.
    pub fn lines(&self) -> Vec<String> {
        self.rows().into_iter().map(|(_, line)| line).collect()
    }

    /// The chart as lines of text, each with the index of the box that it is of; none for the
    /// title.
    pub fn rows(&self) -> Vec<(Option<usize>, String)> {
        let mut rows = vec![(None, self.title.clone()), (None, String::new())];
        for (index, one) in self.boxes.iter().enumerate() {
            let indent = "    ".repeat(one.depth);
            let mut row = |line: String| rows.push((Some(index), format!("{indent}{line}")));
            let number = one
                .number
                .map_or_else(|| "   ".into(), |number| format!("{number:>2} "));
            row(format!("{number}{}", one.name));
            let room = 84usize.saturating_sub(indent.len());
            one.says
                .iter()
                .flat_map(|said| wrap(said, room))
                .for_each(|said| row(format!("   {said}")));
            let widest = one
                .arrows
                .iter()
                .map(|arrow| arrow.label.chars().count())
                .max()
                .unwrap_or(0)
                .min(60);
            for (nth, arrow) in one.arrows.iter().enumerate() {
                let corner = if nth + 1 == one.arrows.len() {
                    "└"
                } else {
                    "├"
                };
                let missing = "─".repeat(widest.saturating_sub(arrow.label.chars().count()));
                row(format!(
                    "   {corner} {} {missing}─> {}",
                    arrow.label,
                    self.way_words(&arrow.way)
                ));
            }
            row(String::new());
        }
        rows.pop();
        rows
    }

    /// Where an arrow ends, in a few words.
    pub fn way_words(&self, way: &Way) -> String {
        match way {
            Way::Box(index) => {
                let to = &self.boxes[*index];
                let number = to
                    .number
                    .map_or_else(String::new, |number| format!("{number} "));
                format!("{number}{}", to.name)
            }
            Way::Done => "done".into(),
            Way::Fail(reason) => format!("fail: {reason}"),
            Way::Out(words) => (*words).into(),
        }
    }
}

fn heading(name: &str, line: usize) -> FlowBox {
    FlowBox {
        number: None,
        name: name.to_owned(),
        says: Vec::new(),
        depth: 0,
        line,
        arrows: Vec::new(),
    }
}

fn arrows(text: &str, parsed: &Parsed, at: &[usize], index: TextStep, step: &Step) -> Vec<Arrow> {
    let mission = &parsed.mission;
    let next = mission
        .numbered()
        .skip(index.number())
        .find(|(_, other)| other.block == step.block && other.inside == step.inside);
    let end = match (step.block, step.inside) {
        (_, Some(_)) => Way::Out("the next pass"),
        (Block::Routine(_), None) => Way::Out("back to the call"),
        (Block::Reflex(reflex), None) => match mission.reflexes[reflex]
            .then
            .as_ref()
            .map(|then| &then.node)
        {
            None | Some(Then::Resume) => Way::Out("on where it was"),
            Some(Then::Restart) => Way::Out("the step again"),
            Some(Then::Go(target)) => match &target.node {
                Target::Step(name) => mission
                    .find(name, step)
                    .map_or(Way::Done, |to| Way::Box(at[to])),
                Target::Fail(reason) => Way::Fail(reason.clone()),
                Target::Next | Target::Again | Target::Out | Target::Done => Way::Done,
            },
        },
        (Block::Mission, None) => Way::Done,
    };
    let way = |target: &Target| match target {
        Target::Next => next.map_or_else(|| end.clone(), |(to, _)| Way::Box(at[to])),
        Target::Step(name) => mission
            .find(name, step)
            .map_or_else(|| Way::Out("nowhere"), |to| Way::Box(at[to])),
        Target::Again => Way::Out("the next pass"),
        Target::Out => Way::Out(if step.inside.is_some() {
            "out of the repeat"
        } else {
            "back to the call"
        }),
        Target::Done => Way::Done,
        Target::Fail(reason) => Way::Fail(reason.clone()),
    };
    let written = |span: &std::ops::Range<usize>| {
        text[span.clone()]
            .split_whitespace()
            .collect::<Vec<_>>()
            .join(" ")
    };
    let mut all: Vec<Arrow> = Vec::new();
    for row in &step.rows {
        let label = row
            .condition
            .as_ref()
            .map_or_else(|| "otherwise".into(), |condition| written(&condition.span));
        match &row.answer {
            Answer::Go(target) => all.push(Arrow {
                label,
                way: way(&target.node),
            }),
            // A reaction stays where it is.
            Answer::Does(behaviour) => {
                all.push(Arrow {
                    label: format!("{label}: {}", written(&behaviour.span)),
                    way: Way::Out("here again"),
                });
            }
        }
    }
    all.extend(step.exits.iter().map(|exit| Arrow {
        label: written(&exit.condition.span),
        way: way(&exit.target.node),
    }));
    if step.goes_on_by_itself() {
        let label = if step.rows.is_empty() {
            "finished"
        } else {
            "otherwise"
        };
        all.push(Arrow {
            label: label.into(),
            way: way(&Target::Next),
        });
    }
    all
}

/// Breaks a sentence into lines of at most this many characters.
pub fn wrap(words: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in words.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}

const MARGIN: f64 = 12.0;
/// Width of a box, millimetres.
const BOX: f64 = 122.0;
/// How far what stands in something is set in.
const INDENT: f64 = 7.0;
const GAP: f64 = 6.0;
/// Heights of a name, a line of words, and an exit.
const NAME: f64 = 6.5;
const LINE: f64 = 3.9;
const EXIT: f64 = 4.6;
/// Distance of two lanes beside the boxes.
const LANE: f64 = 4.0;

/// The chart as a drawing.
pub fn flow_scene(flow: &Flow) -> Scene {
    let mut scene = Scene {
        title: flow.title.clone(),
        width: 0.0,
        height: 0.0,
        items: Vec::new(),
    };
    scene.items.push(
        Item::words(
            [MARGIN, MARGIN + 5.0],
            6.0,
            Anchor::Start,
            ink::TEXT,
            &flow.title,
        )
        .bold(),
    );
    // Places first: arrows need to know where they end.
    let mut tops = Vec::new();
    let mut y = MARGIN + 12.0;
    for one in &flow.boxes {
        tops.push(y);
        y += height(one) + GAP;
    }
    scene.height = y + MARGIN - GAP;
    let mut lanes: Vec<Vec<(f64, f64)>> = Vec::new();
    for (index, one) in flow.boxes.iter().enumerate() {
        paint_box(&mut scene, flow, one, tops[index]);
        let mut y = tops[index] + height(one) - EXIT * one.arrows.len() as f64 - 1.0;
        for arrow in &one.arrows {
            y += EXIT;
            if let Way::Box(to) = arrow.way {
                paint_arrow(
                    &mut scene,
                    &mut lanes,
                    [right(one), y - 1.6],
                    [right(&flow.boxes[to]), tops[to] + 4.0],
                    hue(one),
                );
            }
        }
    }
    let widest = flow.boxes.iter().map(right).fold(MARGIN + BOX, f64::max);
    scene.width = widest + LANE * (lanes.len() + 1) as f64 + MARGIN;
    scene
}

fn right(one: &FlowBox) -> f64 {
    MARGIN + one.depth as f64 * INDENT + BOX
}

fn hue(one: &FlowBox) -> Rgb {
    one.number
        .map_or(ink::QUIET, |number| tint(StepId(number - 1)))
}

/// Characters of 3.1 mm type that fit into a box.
const CHARACTERS: usize = 78;

fn height(one: &FlowBox) -> f64 {
    // A heading stands close to what it is about.
    if one.says.is_empty() {
        return NAME - GAP / 2.0;
    }
    let words: usize = one
        .says
        .iter()
        .map(|said| wrap(said, CHARACTERS).len())
        .sum();
    NAME + words as f64 * LINE + one.arrows.len() as f64 * EXIT + 2.5
}

fn paint_box(scene: &mut Scene, flow: &Flow, one: &FlowBox, top: f64) {
    let left = MARGIN + one.depth as f64 * INDENT;
    let tall = height(one);
    if one.says.is_empty() {
        scene
            .items
            .push(Item::words([left, top + 5.0], 4.2, Anchor::Start, ink::QUIET, &one.name).bold());
        return;
    }
    let frame = Item {
        stroke: Some(Stroke::full(ink::HAIR, 0.3)),
        ..Item::filled(Layer::Ground, rectangle(left, top, BOX, tall), ink::PAPER)
    };
    scene.items.push(frame);
    scene.items.push(Item::filled(
        Layer::Standing,
        rectangle(left, top, 1.6, tall),
        hue(one),
    ));
    let number = one
        .number
        .map_or_else(String::new, |number| format!("{number}  "));
    let name = format!("{number}{}", one.name);
    scene
        .items
        .push(Item::words([left + 4.0, top + 5.0], 4.0, Anchor::Start, ink::TEXT, name).bold());
    let mut y = top + NAME;
    for line in one.says.iter().flat_map(|said| wrap(said, CHARACTERS)) {
        y += LINE;
        scene.items.push(Item::words(
            [left + 4.0, y - 1.0],
            3.1,
            Anchor::Start,
            ink::TEXT,
            line,
        ));
    }
    y = top + tall - EXIT * one.arrows.len() as f64 - 1.0;
    for arrow in &one.arrows {
        y += EXIT;
        let colour = if matches!(arrow.way, Way::Fail(_)) {
            ink::WRONG
        } else {
            ink::TEXT
        };
        let to = flow.way_words(&arrow.way);
        let room = 68usize.saturating_sub(to.chars().count()).max(16);
        let label = if arrow.label.chars().count() > room {
            format!(
                "{}...",
                arrow.label.chars().take(room - 3).collect::<String>()
            )
        } else {
            arrow.label.clone()
        };
        scene.items.push(Item::words(
            [left + 6.0, y - 1.0],
            3.0,
            Anchor::Start,
            colour,
            label,
        ));
        let end = Item::words([left + BOX - 3.0, y - 1.0], 3.0, Anchor::End, colour, to);
        scene.items.push(end.bold());
    }
}

/// From the right side of one box round to that of another, in a lane that is free there.
fn paint_arrow(
    scene: &mut Scene,
    lanes: &mut Vec<Vec<(f64, f64)>>,
    from: [f64; 2],
    to: [f64; 2],
    hue: Rgb,
) {
    let (low, high) = (from[1].min(to[1]) - 0.5, from[1].max(to[1]) + 0.5);
    let free = |lane: &Vec<(f64, f64)>| {
        lane.iter()
            .all(|(top, bottom)| high < *top || low > *bottom)
    };
    let lane = lanes.iter().position(free).unwrap_or_else(|| {
        lanes.push(Vec::new());
        lanes.len() - 1
    });
    lanes[lane].push((low, high));
    let widest = from[0].max(to[0]);
    let x = widest + LANE * (lane + 1) as f64;
    let points = vec![from, [x, from[1]], [x, to[1]], [to[0] + 1.2, to[1]]];
    scene.items.push(Item::drawn(
        Layer::Path,
        Shape::Line(points),
        Stroke::full(hue, 0.45),
    ));
    let head = vec![
        [to[0], to[1]],
        [to[0] + 2.4, to[1] - 1.1],
        [to[0] + 2.4, to[1] + 1.1],
    ];
    scene
        .items
        .push(Item::filled(Layer::Event, Shape::Polygon(head), hue));
    scene.items.push(Item::filled(
        Layer::Event,
        Shape::Disc {
            at: from,
            radius: 0.7,
        },
        hue,
    ));
}
