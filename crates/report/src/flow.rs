//! The flow chart of a mission: one box a step, its exits as labelled arrows. One model, painted as
//! a scene and as text.

use wayodos_core::controller::Program;
use wayodos_core::field::Field;
use wayodos_core::ids::{StepId, TextStep};
use wayodos_core::mission::{
    Answer, Behaviour, Block, LineKind, Mission, Parsed, Step, Target, Then,
};
use wayodos_core::units::math::heading_in_degrees;

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
    /// Out of the part it stands in, in words; and the box of that part, where there is one.
    Out(&'static str, Option<usize>),
}

impl Way {
    /// The box that its arrow leads to.
    pub const fn to(&self) -> Option<usize> {
        match self {
            Self::Box(to) | Self::Out(_, Some(to)) => Some(*to),
            Self::Done | Self::Fail(_) | Self::Out(_, None) => None,
        }
    }
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
#[derive(Clone, Debug, PartialEq, Eq, Default)]
pub struct FlowBox {
    /// Its number, for steps of the mission's own text; none for headings.
    pub number: Option<usize>,
    /// Its name.
    pub name: String,
    /// What is done there, in plain words.
    pub says: Vec<String>,
    /// What its author noted beside it.
    pub notes: Vec<String>,
    /// How far it is set in.
    pub depth: usize,
    /// Index of its line in the text.
    pub line: usize,
    /// The arrows that leave it, in written order.
    pub arrows: Vec<Arrow>,
    /// The heading of the routine that is done there.
    pub calls: Option<usize>,
    /// It only names what stands below it.
    pub heading: bool,
}

/// The chart of a mission.
#[derive(Clone, Debug, PartialEq, Eq, Default)]
pub struct Flow {
    /// The mission's name.
    pub title: String,
    /// What its author noted above everything.
    pub notes: Vec<String>,
    /// Its boxes: the start, the mission's own steps, its reflexes, its routines.
    pub boxes: Vec<FlowBox>,
}

impl Flow {
    /// The chart of a mission that has been read. With its program, steps have the numbers that
    /// they have in a run; with its field, the start has its place.
    pub fn of(
        text: &str,
        parsed: &Parsed,
        program: Option<&Program>,
        field: Option<&Field>,
    ) -> Self {
        let mission = &parsed.mission;
        let reader = Reader::new(text, parsed);
        let mut flow = Self {
            title: mission
                .name
                .as_ref()
                .map_or_else(|| "Mission".into(), |name| name.node.clone()),
            notes: Vec::new(),
            boxes: vec![start_box(mission, field)],
        };
        // Where the box of each step is: headings stand in between.
        let mut at = vec![0; mission.steps.len()];
        let place = |block: Block| match block {
            Block::Mission => 0,
            Block::Reflex(_) => 1,
            Block::Routine(_) => 2,
        };
        let mut order: Vec<(TextStep, &Step)> = mission.numbered().collect();
        // The sort keeps what is alike in written order.
        order.sort_by_key(|(_, step)| place(step.block));
        let mut headings = vec![None; mission.routines.len()];
        let mut block = Block::Mission;
        for (index, step) in order {
            if step.block != block {
                block = step.block;
                if let Block::Routine(routine) = block {
                    headings[routine] = Some(flow.boxes.len());
                    flow.boxes.push(FlowBox {
                        name: format!("routine {}", mission.routines[routine].name.node),
                        says: reader.parameters(routine).into_iter().collect(),
                        line: mission.routines[routine].line,
                        heading: true,
                        ..FlowBox::default()
                    });
                }
            }
            at[index] = flow.boxes.len();
            let mut depth = usize::from(matches!(step.block, Block::Routine(_)));
            let mut around = step.inside;
            while let Some(repeat) = around {
                depth += 1;
                around = mission.steps[repeat].inside;
            }
            let mut says = vec![reader.within(step.block).behaviour(step)];
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
            let mut name = step.name.node.clone();
            if let Block::Reflex(reflex) = step.block {
                let (watch, after) = reader.reflex(reflex);
                says.insert(0, watch);
                says.push(after);
                number = None;
                name = format!("reflex {name}");
            }
            flow.boxes.push(FlowBox {
                number,
                name,
                says,
                depth,
                line: step.line,
                ..FlowBox::default()
            });
        }
        for (index, step) in mission.numbered() {
            let of = &mut flow.boxes[at[index]];
            of.arrows = arrows(text, parsed, &at, index, step);
            if let Some((Behaviour::Do(call), _)) =
                step.behaviour.as_ref().map(|(does, by)| (&does.node, by))
            {
                let mut routines = mission.routines.iter();
                let called = routines.position(|other| other.name.node == call.routine.node);
                of.calls = called.and_then(|routine| headings[routine]);
            }
        }
        let mut own = mission.sequence(Block::Mission, None);
        if let Some((first, _)) = own.next() {
            flow.boxes[0].arrows.push(Arrow {
                label: "begins with".to_owned(),
                way: Way::Box(at[first]),
            });
        }
        flow.add_notes(text, parsed);
        flow
    }

    /// The comments of the text, each with the box that it stands at.
    fn add_notes(&mut self, text: &str, parsed: &Parsed) {
        let mut above: Vec<&str> = Vec::new();
        let mut add = |line: usize, notes: &mut dyn Iterator<Item = &str>| {
            let notes = notes.filter(|note| !note.is_empty()).map(str::to_owned);
            match self.box_of(line) {
                Some(of) => self.boxes[of].notes.extend(notes),
                None => self.notes.extend(notes),
            }
        };
        for (line, about) in parsed.lines.iter().enumerate() {
            let comment =
                (about.comment.clone()).map(|span| text[span].trim_start_matches('#').trim());
            // A comment on a line of its own belongs to what stands below it, also with an empty
            // line between.
            if about.kind == LineKind::Blank {
                above.extend(comment);
            } else {
                add(line, &mut above.drain(..).chain(comment));
            }
        }
        // Below it stands nothing any more: it belongs to what it comes after.
        add(parsed.lines.len(), &mut above.into_iter());
    }

    /// The box that a line of the text belongs to: the nearest that begins on it or above; none
    /// above the first step. Boxes do not stand in the order of the lines.
    pub fn box_of(&self, line: usize) -> Option<usize> {
        let steps = self.boxes.iter().enumerate().skip(1);
        let begun = steps.filter(|(_, one)| one.line <= line);
        begun.max_by_key(|(_, one)| one.line).map(|(at, _)| at)
    }

    /// The chart as lines of text, what its author noted below the names.
    pub fn lines(&self) -> Vec<String> {
        let mut lines = Vec::new();
        // The title comes first, and is of no box.
        let mut before = Some(usize::MAX);
        for (of, line) in self.rows() {
            lines.push(line);
            if std::mem::replace(&mut before, of) == of {
                continue;
            }
            let (notes, depth) = match of {
                Some(of) => (&self.boxes[of].notes, self.boxes[of].depth),
                None => (&self.notes, 0),
            };
            let indent = " ".repeat(4 * depth + 3);
            let notes = notes.iter().flat_map(|note| wrap(note, 80));
            lines.extend(notes.map(|note| format!("{indent}# {note}")));
        }
        lines
    }

    /// The chart as lines of text, each with the index of the box that it is of; none for the
    /// title.
    pub fn rows(&self) -> Vec<(Option<usize>, String)> {
        let mut rows = vec![(None, self.title.clone()), (None, String::new())];
        for (index, one) in self.boxes.iter().enumerate() {
            let indent = "    ".repeat(one.depth);
            let mut row = |line: String| {
                rows.push((Some(index), format!("{indent}{line}").trim_end().to_owned()));
            };
            let number = one
                .number
                .map_or_else(|| "   ".into(), |number| format!("{number:>2} "));
            row(format!("{number}{}", one.name));
            let room = 84usize.saturating_sub(indent.len());
            one.says
                .iter()
                .flat_map(|said| wrap(said, room))
                .for_each(|said| row(format!("   {said}")));
            let labels: Vec<Vec<String>> = (one.arrows.iter())
                .map(|arrow| wrap(&arrow.label, LABEL))
                .collect();
            let widest = (labels.iter().flatten())
                .map(|line| line.chars().count())
                .max()
                .unwrap_or(0);
            for (nth, (arrow, lines)) in one.arrows.iter().zip(labels).enumerate() {
                let last = nth + 1 == one.arrows.len();
                let count = lines.len();
                for (at, line) in lines.into_iter().enumerate() {
                    let bar = match (at, last) {
                        (0, true) => "└",
                        (0, false) => "├",
                        (_, true) => " ",
                        (_, false) => "│",
                    };
                    // The arrow leaves behind the last line.
                    let way = if at + 1 == count {
                        let missing = "─".repeat(widest.saturating_sub(line.chars().count()));
                        format!("{missing}─> {}", self.way_words(&arrow.way))
                    } else {
                        String::new()
                    };
                    row(format!("   {bar} {line} {way}"));
                }
            }
            row(String::new());
        }
        rows.pop();
        rows
    }

    /// Where an arrow ends, in a few words.
    pub fn way_words(&self, way: &Way) -> String {
        match way {
            Way::Box(index) => self.boxes[*index].title(),
            Way::Done => "done".into(),
            Way::Fail(reason) => format!("fail: {reason}"),
            Way::Out(words, Some(of)) => format!("{words} {}", self.boxes[*of].title()),
            Way::Out(words, None) => (*words).into(),
        }
    }
}

impl FlowBox {
    /// Its number, if it has one, and its name.
    pub fn title(&self) -> String {
        match self.number {
            Some(number) => format!("{number} {}", self.name),
            None => self.name.clone(),
        }
    }
}

/// How a mission begins: where, for how long at most, and what it waits for.
fn start_box(mission: &Mission, field: Option<&Field>) -> FlowBox {
    let named = mission.start.as_ref().map(|name| name.node.as_str());
    let start = field.and_then(|field| match named {
        Some(name) => field.start(name),
        None => field.starts.first(),
    });
    let mut says = Vec::new();
    match (start, named) {
        (Some(start), _) => {
            let turn = if start.turned_by_lot {
                ", turned by lot".to_owned()
            } else {
                format!(
                    ", heading {:.0} deg",
                    heading_in_degrees(start.pose.heading)
                )
            };
            says.push(format!(
                "Stands at {}: {:.0}, {:.0} mm{turn}.",
                start.name,
                start.pose.x * 1e3,
                start.pose.y * 1e3
            ));
        }
        (None, Some(name)) => says.push(format!("Stands at {name}.")),
        (None, None) => {}
    }
    if let Some(limit) = &mission.limit {
        says.push(format!("Has {} at most.", limit.node));
    }
    let waits: Vec<String> = [
        mission
            .button
            .as_ref()
            .map(|button| format!("until {} is pressed", button.node)),
        mission
            .delay
            .as_ref()
            .map(|delay| format!("for {}, as the rules ask", delay.node)),
        mission
            .settle
            .as_ref()
            .map(|settle| format!("for {} until its gyro is settled", settle.node)),
    ]
    .into_iter()
    .flatten()
    .collect();
    if !waits.is_empty() {
        says.push(format!("Waits {}.", waits.join(", then ")));
    }
    if let Some(step) = &mission.last_resort {
        says.push(format!("When it fails: on with \"{}\".", step.node));
    }
    FlowBox {
        name: "Start".to_owned(),
        says,
        ..FlowBox::default()
    }
}

fn arrows(text: &str, parsed: &Parsed, at: &[usize], index: TextStep, step: &Step) -> Vec<Arrow> {
    let mission = &parsed.mission;
    let next = mission
        .numbered()
        .skip(index.number())
        .find(|(_, other)| other.block == step.block && other.inside == step.inside);
    let end = match (step.block, step.inside) {
        (_, Some(repeat)) => Way::Out("next pass of", Some(at[repeat])),
        (Block::Routine(_), None) => Way::Out("back to the call", None),
        (Block::Reflex(reflex), None) => match mission.reflexes[reflex]
            .then
            .as_ref()
            .map(|then| &then.node)
        {
            None | Some(Then::Resume) => Way::Out("on where it was", None),
            Some(Then::Restart) => Way::Out("the step again", None),
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
            .map_or_else(|| Way::Out("nowhere", None), |to| Way::Box(at[to])),
        Target::Again => match step.inside {
            Some(repeat) => Way::Out("next pass of", Some(at[repeat])),
            None => Way::Out("the next pass", None),
        },
        Target::Out => match step.inside {
            Some(repeat) => Way::Out("out of", Some(at[repeat])),
            None => Way::Out("back to the call", None),
        },
        Target::Done => Way::Done,
        Target::Fail(reason) => Way::Fail(reason.clone()),
    };
    let reader = Reader::new(text, parsed).within(step.block);
    let written = |span: &std::ops::Range<usize>| reader.written(span);
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
                    way: Way::Out("here again", None),
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

/// Characters of the label of an arrow in one line of text.
const LABEL: usize = 60;

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
/// Room of the title above the boxes.
const TITLE: f64 = 12.0;
/// A4, upright.
const PAGE: (f64, f64) = (210.0, 297.0);
/// Distance of two lanes beside the boxes.
const LANE: f64 = 4.0;

/// The chart as one drawing, as long as it takes.
pub fn flow_scene(flow: &Flow) -> Scene {
    let all: Vec<usize> = (0..flow.boxes.len()).collect();
    paint(flow, &[all], 0)
}

/// The chart as pages of a printer: A4, upright; longer where one box needs more.
pub fn flow_pages(flow: &Flow) -> Vec<Scene> {
    let room = PAGE.1 - 2.0 * MARGIN - TITLE;
    let mut pages: Vec<Vec<usize>> = vec![Vec::new()];
    let mut y = LINE * title_notes(flow).len() as f64;
    for (index, one) in flow.boxes.iter().enumerate() {
        // A heading goes along with what it stands above.
        let below = flow.boxes.get(index + 1).filter(|_| one.heading);
        let needed = height(one) + below.map_or(0.0, |below| GAP + height(below));
        if y + needed > room && pages.last().is_some_and(|page| !page.is_empty()) {
            pages.push(Vec::new());
            y = 0.0;
        }
        y += height(one) + GAP;
        if let Some(page) = pages.last_mut() {
            page.push(index);
        }
    }
    let (mut width, mut tall) = PAGE;
    let mut scenes: Vec<Scene> = (0..pages.len())
        .map(|nth| paint(flow, &pages, nth))
        .collect();
    for scene in &scenes {
        (width, tall) = (width.max(scene.width), tall.max(scene.height));
    }
    for scene in &mut scenes {
        (scene.width, scene.height) = (width, tall);
    }
    scenes
}

/// One of the pages of a chart, each given by its boxes.
fn paint(flow: &Flow, pages: &[Vec<usize>], nth: usize) -> Scene {
    let mut scene = Scene {
        title: flow.title.clone(),
        width: 0.0,
        height: 0.0,
        items: Vec::new(),
    };
    let title = if pages.len() > 1 {
        format!("{}, page {} of {}", flow.title, nth + 1, pages.len())
    } else {
        flow.title.clone()
    };
    scene
        .items
        .push(Item::words([MARGIN, MARGIN + 5.0], 6.0, Anchor::Start, ink::TEXT, title).bold());
    // Places first: arrows need to know where they end.
    let mut tops = vec![None; flow.boxes.len()];
    let mut y = MARGIN + TITLE;
    for line in title_notes(flow).into_iter().filter(|_| nth == 0) {
        let at = [MARGIN, y - 2.0];
        scene
            .items
            .push(Item::words(at, 3.1, Anchor::Start, ink::QUIET, line));
        y += LINE;
    }
    for &index in &pages[nth] {
        tops[index] = Some(y);
        y += height(&flow.boxes[index]) + GAP;
    }
    scene.height = y + MARGIN - GAP;
    let page_of = |of: usize| pages.iter().position(|page| page.contains(&of));
    let elsewhere = |way: &Way| way.to().and_then(page_of).filter(|page| *page != nth);
    // Lanes run beside all boxes, so that none leads through one that is set in further.
    let widest = flow.boxes.iter().map(right).fold(MARGIN + BOX, f64::max);
    let mut lanes: Vec<Vec<(f64, f64)>> = Vec::new();
    let mut go = |scene: &mut Scene, one: &FlowBox, y: f64, to: usize, dash: f64| {
        let Some(top) = tops[to] else { return };
        let (from, to) = ([right(one), y], [right(&flow.boxes[to]), top + 4.0]);
        paint_arrow(scene, &mut lanes, from, to, widest, (hue(one), dash));
    };
    for &index in &pages[nth] {
        let one = &flow.boxes[index];
        let top = tops[index].unwrap_or_default();
        paint_box(&mut scene, flow, one, top, &elsewhere);
        if let Some(routine) = one.calls {
            go(&mut scene, one, top + 4.0, routine, 1.2);
        }
        let mut y = top + height(one) - exits_height(one) - 1.0;
        for arrow in &one.arrows {
            y += EXIT + LINE * (label_lines(arrow).len() - 1) as f64;
            if let Some(to) = arrow.way.to() {
                go(&mut scene, one, y - 1.6, to, 0.0);
            }
        }
    }
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
/// Of the label of an arrow, beside where it leads.
const LABELS: usize = 44;

fn label_lines(arrow: &Arrow) -> Vec<String> {
    let lines = wrap(&arrow.label, LABELS);
    if lines.is_empty() {
        vec![String::new()]
    } else {
        lines
    }
}

/// The lines in a box: what it says, and what its author noted, which is told apart.
fn words_of(one: &FlowBox) -> Vec<(String, bool)> {
    let says = one.says.iter().flat_map(|said| wrap(said, CHARACTERS));
    let notes = one.notes.iter().flat_map(|note| wrap(note, CHARACTERS));
    let says = says.map(|line| (line, false));
    says.chain(notes.map(|line| (line, true))).collect()
}

/// What its author noted above everything, below the title.
fn title_notes(flow: &Flow) -> Vec<String> {
    let notes = flow.notes.iter();
    notes.flat_map(|note| wrap(note, CHARACTERS)).collect()
}

fn exits_height(one: &FlowBox) -> f64 {
    let lines = one.arrows.iter().map(|arrow| label_lines(arrow).len() - 1);
    one.arrows.len() as f64 * EXIT + lines.sum::<usize>() as f64 * LINE
}

fn height(one: &FlowBox) -> f64 {
    let words = words_of(one).len() as f64 * LINE;
    // A heading stands close to what it is about.
    if one.heading {
        return NAME + words - GAP / 2.0;
    }
    NAME + words + exits_height(one) + 2.5
}

fn paint_box(
    scene: &mut Scene,
    flow: &Flow,
    one: &FlowBox,
    top: f64,
    elsewhere: &dyn Fn(&Way) -> Option<usize>,
) {
    let left = MARGIN + one.depth as f64 * INDENT;
    let tall = height(one);
    let (inset, name) = if one.heading {
        (
            left,
            Item::words([left, top + 5.0], 4.2, Anchor::Start, ink::QUIET, &one.name),
        )
    } else {
        let frame = Item {
            stroke: Some(Stroke::full(ink::HAIR, 0.3)),
            ..Item::filled(Layer::Ground, rectangle(left, top, BOX, tall), ink::PAPER)
        };
        scene.items.push(frame);
        let edge = rectangle(left, top, 1.6, tall);
        scene
            .items
            .push(Item::filled(Layer::Standing, edge, hue(one)));
        let number = one
            .number
            .map_or_else(String::new, |number| format!("{number}  "));
        let name = format!("{number}{}", one.name);
        let at = [left + 4.0, top + 5.0];
        (
            left + 4.0,
            Item::words(at, 4.0, Anchor::Start, ink::TEXT, name),
        )
    };
    scene.items.push(name.bold());
    let mut y = top + NAME;
    for (line, is_note) in words_of(one) {
        y += LINE;
        let ink = if is_note || one.heading {
            ink::QUIET
        } else {
            ink::TEXT
        };
        scene
            .items
            .push(Item::words([inset, y - 1.0], 3.1, Anchor::Start, ink, line));
    }
    y = top + tall - exits_height(one) - 1.0;
    for arrow in &one.arrows {
        let colour = if matches!(arrow.way, Way::Fail(_)) {
            ink::WRONG
        } else {
            ink::TEXT
        };
        for (nth, line) in label_lines(arrow).into_iter().enumerate() {
            y += if nth == 0 { EXIT } else { LINE };
            let at = [left + 6.0, y - 1.0];
            scene
                .items
                .push(Item::words(at, 3.0, Anchor::Start, colour, line));
        }
        let mut to = flow.way_words(&arrow.way);
        if let Some(page) = elsewhere(&arrow.way) {
            to = format!("{to}, page {}", page + 1);
        }
        let to = wrap(&to, CHARACTERS - LABELS).join(" ");
        let end = Item::words([left + BOX - 3.0, y - 1.0], 3.0, Anchor::End, colour, to);
        scene.items.push(end.bold());
    }
}

/// From the right side of one box round to that of another, in a lane that is free there; with the
/// lengths of its dashes, a full line when 0. `right` is where the boxes end.
fn paint_arrow(
    scene: &mut Scene,
    lanes: &mut Vec<Vec<(f64, f64)>>,
    from: [f64; 2],
    to: [f64; 2],
    right: f64,
    (hue, dash): (Rgb, f64),
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
    let x = right + LANE * (lane + 1) as f64;
    let points = vec![from, [x, from[1]], [x, to[1]], [to[0] + 1.2, to[1]]];
    let stroke = Stroke {
        dash,
        ..Stroke::full(hue, 0.45)
    };
    scene
        .items
        .push(Item::drawn(Layer::Path, Shape::Line(points), stroke));
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
