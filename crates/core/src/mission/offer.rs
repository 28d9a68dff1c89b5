//! What may be written where: whole sentences made of the names that this robot and field have, to choose from.
//!
//! Everything offered parses, and is free of errors for the names it was made of.

use std::ops::Range;

use super::ast::{Block, SlotKind, Step};
use super::check::{Names, SensorName};
use super::edit::Edit;
use super::parser::{Parsed, parse};
use super::steps::{free_name, step_span, with_comment};

/// A sentence to choose.
#[derive(Clone, Debug, PartialEq)]
pub struct Offer {
    /// A few words that name it, and that a new step is called by.
    pub name: String,
    /// The sentence.
    pub text: String,
    /// What it does or waits for, in one sentence.
    pub what: String,
    /// The places of the sentence that would be changed.
    pub slots: Vec<Range<usize>>,
    /// What else comes with it: for a behaviour, the rows and exits below it.
    pub below: Vec<String>,
}

impl Offer {
    fn new(name: impl Into<String>, text: String, what: impl Into<String>) -> Self {
        Self { name: name.into(), text, what: what.into(), slots: Vec::new(), below: Vec::new() }
    }

    fn with(mut self, below: &[&str]) -> Self {
        self.below = below.iter().map(|&line| line.to_owned()).collect();
        self
    }

    /// Finds the slots of the sentence, as it stands behind `before` in a step.
    fn slotted(mut self, before: &str) -> Self {
        let text = format!("step \"x\"\n{before}{}", self.text);
        let from = text.len() - self.text.len();
        self.slots = parse(&text)
            .slots
            .into_iter()
            .filter(|slot| slot.span.start >= from && !matches!(slot.kind, SlotKind::Text))
            .map(|slot| slot.span.start - from..slot.span.end - from)
            .collect();
        self
    }
}

/// The devices that sentences are made of: the first ones that fit.
struct Kit<'a> {
    names: &'a Names,
    /// Floor sensors that tell tones apart, and a tone to look for with the first of them.
    floor: Vec<&'a SensorName>,
    mark: Option<&'a str>,
    /// Two floor sensors that sit opposite to each other, left and right.
    pair: Option<[&'a str; 2]>,
}

impl<'a> Kit<'a> {
    fn new(names: &'a Names) -> Self {
        let floor: Vec<&SensorName> =
            names.sensors.iter().filter(|s| !s.tones.is_empty() && s.codes.is_empty()).collect();
        // Lines are dark more often than not.
        let mark = floor.first().and_then(|sensor| {
            let dark = sensor.tones.iter().find(|tone| *tone == "dark");
            dark.or(sensor.tones.first()).map(String::as_str)
        });
        let pair = floor.iter().find_map(|left| {
            let right =
                floor.iter().find(|right| left.mirror.as_ref() == Some(&right.name) && right.name != left.name)?;
            Some([left.name.as_str(), right.name.as_str()])
        });
        Self { names, floor, mark, pair }
    }

    /// A sensor and a tone.
    fn eye(&self) -> Option<(&'a str, &'a str)> {
        Some((self.floor.first()?.name.as_str(), self.mark?))
    }
}

/// Driving ahead until a floor sensor sees a tone, at a speed as it is written.
pub fn drive_to_mark(names: &Names, sensor: &str, tone: &str, speed: &str) -> Offer {
    let holding = if names.has_gyro { " holding the heading" } else { "" };
    let text = format!("drive ahead at {speed}{holding}");
    let first = format!("until {sensor} sees {tone}  -> next");
    Offer::new("Drive to a mark", text, "Drives until a floor sensor sees a tone.")
        .with(&[&first, "or travelled 600 mm -> fail \"no mark\""])
}

/// What a new step may do: name, sentence, and the exits that usually end it.
pub fn behaviours(parsed: &Parsed, names: &Names) -> Vec<Offer> {
    let kit = Kit::new(names);
    let mut offers = Vec::new();
    let holding = if names.has_gyro { " holding the heading" } else { "" };
    offers.push(
        Offer::new("Drive ahead", format!("drive ahead at 30 %{holding}"), "Drives straight ahead for a way.")
            .with(&["until travelled 300 mm"]),
    );
    if let Some((eye, tone)) = kit.eye() {
        offers.push(drive_to_mark(names, eye, tone, "26 %"));
    }
    offers.push(
        Offer::new("Drive back", "drive back at 30 %".into(), "Drives straight back for a way.")
            .with(&["until travelled 150 mm"]),
    );
    offers.push(
        Offer::new("Drive an arc", "drive ahead on a left arc of 300 mm at 25 %".into(), "Drives round a circle.")
            .with(&["until turned 90 deg"]),
    );
    if !names.steers {
        offers
            .push(Offer::new("Spin", "spin left at 22 %".into(), "Turns on the spot.").with(&["until turned 90 deg"]));
        offers.push(
            Offer::new(
                "Pivot",
                "pivot left on the left wheel at 20 %".into(),
                "Turns about one wheel, which stands still.",
            )
            .with(&["until turned 45 deg"]),
        );
    }
    lines(&kit, &mut offers);
    things(&kit, &mut offers);
    offers.push(
        Offer::new("Wait", "hold, brake".into(), "Stands still for a time or until something is seen.")
            .with(&["until 1 s passes"]),
    );
    devices(&kit, &mut offers);
    offers.push(
        Offer::new("Repeat", "repeat 2 times".into(), "Does the steps within it again and again, as often as you say.")
            .with(&["  step \"Again\"", "    drive ahead at 26 %", "    until travelled 100 mm", "end"]),
    );
    offers.push(
        Offer::new("Repeat for ever", "repeat forever".into(), "Does the steps within it until an exit ends it.")
            .with(&["  step \"Again\"", "    hold, brake", "    until 0.5 s pass", "end", "until 5 s pass"]),
    );
    if let Some((eye, tone)) = kit.eye() {
        let first = format!("when {eye} sees {tone}, drive back at 26 %");
        offers.push(
            Offer::new("React", "react".into(), "At every moment does the first of its rows whose condition holds.")
                .with(&[&first, "otherwise, drive ahead at 26 %", "until 3 s pass"]),
        );
    }
    let own = parsed.mission.routines.iter().map(|routine| {
        let needs = routine.parameters.iter().filter(|parameter| parameter.default.is_none()).count();
        (routine.name.node.as_str(), needs)
    });
    for (name, needs) in own.chain(names.routines.iter().map(|(name, _)| (name.as_str(), 0))) {
        let what = match needs {
            0 => "Does a routine of this mission.".to_owned(),
            _ => "Does a routine; give it what it asks for in brackets.".to_owned(),
        };
        offers.push(Offer::new(name, format!("do {name}"), what));
    }
    offers.into_iter().map(|offer| offer.slotted("  ")).collect()
}

fn lines(kit: &Kit<'_>, offers: &mut Vec<Offer>) {
    let Some((eye, tone)) = kit.eye() else { return };
    let lost = "or the line is lost for 300 ms -> fail \"lost the line\"";
    offers.push(
        Offer::new(
            "Follow a line",
            format!("follow the left edge of a {tone} line with {eye} at 26 %, gain 0.6"),
            "Steers along one edge of a line.",
        )
        .with(&["until travelled 500 mm", lost]),
    );
    if let Some([left, right]) = kit.pair {
        let bars = format!("until {right} has crossed 1 {tone} line -> next");
        offers.push(
            Offer::new(
                "Follow and count",
                format!("follow the left edge of a {tone} line with {left} at 26 %, gain 0.6"),
                "Steers along one edge until the other sensor has crossed so many lines.",
            )
            .with(&[&bars, "or 20 s pass -> fail \"too few lines\""]),
        );
        offers.push(
            Offer::new(
                "Follow with two",
                format!("follow a {tone} line between {left} and {right} at 26 %, gain 0.4"),
                "Keeps a line between two sensors.",
            )
            .with(&["until travelled 500 mm", lost]),
        );
        offers.push(
            Offer::new(
                "Keep between lines",
                format!("keep between {tone} lines with {left} and {right} at 24 %, gain 0.8, both stop"),
                "Drives ahead and turns away from each border it sees.",
            )
            .with(&["until travelled 500 mm"]),
        );
        offers.push(
            Offer::new(
                "Square up",
                format!("align {left} and {right} to a {tone} line at 16 %"),
                "Each wheel drives until its own sensor sees the line.",
            )
            .with(&["until finished -> next", "or 8 s pass -> fail \"no line to square up to\""]),
        );
    }
    offers.push(
        Offer::new(
            "Follow in zig-zag",
            format!("follow the left edge of a {tone} line with {eye} at 26 % and 10 %"),
            "Follows one edge with two speeds, from side to side.",
        )
        .with(&["until travelled 300 mm", lost]),
    );
    if !kit.names.steers {
        offers.push(
            Offer::new(
                "Shift to a line",
                format!("shift right to a {tone} line with {eye} at 20 %"),
                "Moves to the side until a line, and looks where it looked before.",
            )
            .with(&["until finished -> next", "or 8 s pass -> fail \"no line at the side\""]),
        );
    }
}

fn things(kit: &Kit<'_>, offers: &mut Vec<Offer>) {
    let names = kit.names;
    if let Some(ranger) = names.rangers.first() {
        let near = format!("until {ranger} < 100 mm -> next");
        offers.push(
            Offer::new("Drive up to something", "drive ahead at 22 %".into(), "Drives until something is near.")
                .with(&[&near, "or travelled 800 mm -> fail \"nothing there\""]),
        );
        if !names.steers {
            offers.push(
                Offer::new(
                    "Seek",
                    format!(
                        "seek with {ranger} within 400 mm, spinning left at 20 % up to 360 deg, moving 150 mm, 3 tries"
                    ),
                    "Looks round for something, moves on and looks again.",
                )
                .with(&["until found -> next", "or given up -> fail \"nothing found\""]),
            );
            offers.push(
                Offer::new(
                    "Probe both sides",
                    format!("probe 60 deg to each side at 22 %, with {ranger}, tie left"),
                    "Finds out which side has more room.",
                )
                .with(&["until left is further -> next", "or right is further -> next"]),
            );
        }
        offers.push(
            Offer::new(
                "Await clear",
                format!("await clear with {ranger} beyond 300 mm, 3 tries of 2 s"),
                "Stands until the way ahead is clear.",
            )
            .with(&["until clear -> next", "or given up -> fail \"still in the way\""]),
        );
    }
    if let (Some([left, right]), Some(tone)) = (kit.pair, kit.mark) {
        offers.push(
            Offer::new(
                "Shove to a rim",
                format!("shove at 50 % to {tone} with {left} and {right}, back 60 mm"),
                "Pushes ahead until a sensor sees the rim, and backs off.",
            )
            .with(&["until finished -> next", "or 8 s pass -> fail \"no rim\""]),
        );
    }
}

fn devices(kit: &Kit<'_>, offers: &mut Vec<Offer>) {
    let names = kit.names;
    for actuator in &names.actuators {
        let (low, high) = actuator.stops;
        let to = if low.is_finite() && high.is_finite() { f64::midpoint(low, high).to_degrees().round() } else { 30.0 };
        let name = &actuator.name;
        offers.push(Offer::new(
            format!("Move the {name}"),
            format!("move {name} to {to} deg"),
            "Moves an actuator to an angle while the wheels brake.",
        ));
    }
    for signal in &names.signals {
        let what = "Shows, says or plays something, and goes on at once.";
        offers.push(Offer::new(format!("Signal {signal}"), format!("signal {signal} \"here\""), what));
    }
    if let Some(ranger) = names.rangers.first() {
        let what = "Keeps what a sensor reads under a name, for later steps.";
        offers.push(Offer::new("Measure", format!("measure {ranger} as gap"), what));
    }
}

/// What a step may wait for. `within`: the step, whose behaviour may have ends of its own.
pub fn conditions(step: Option<&Step>, names: &Names) -> Vec<Offer> {
    use super::ast::Behaviour as Does;
    let kit = Kit::new(names);
    let mut offers = Vec::new();
    let mut add = |name: &str, text: String, what: &str| offers.push(Offer::new(name, text, what));
    let does = step.and_then(|step| step.behaviour.as_ref()).map(|(behaviour, _)| &behaviour.node);
    let over = "The behaviour has come to its own end.";
    match does {
        Some(Does::Seek { .. }) => {
            add("found", "found".into(), "What was looked for has been found.");
            add("given up", "given up".into(), "All tries were in vain.");
        }
        Some(Does::Await { .. }) => {
            add("clear", "clear".into(), "The way has been clear for a moment.");
            add("given up", "given up".into(), "It was not clear after the last pause.");
        }
        Some(Does::Probe { .. }) => {
            add("left is further", "left is further".into(), "There is more room on the left.");
            add("right is further", "right is further".into(), "There is more room on the right.");
        }
        Some(Does::Align { .. } | Does::Shift { .. } | Does::Shove { .. } | Does::Do { .. } | Does::Repeat(_)) => {
            add("finished", "finished".into(), over);
        }
        _ => {}
    }
    add("travelled", "travelled 200 mm".into(), "Both wheels have rolled so far on average, since the step began.");
    add("turned", "turned 90 deg".into(), "The heading has changed so much since the step began.");
    add("time", "2 s pass".into(), "So much time has gone by since the step began.");
    if let Some((eye, tone)) = kit.eye() {
        add("sees", format!("{eye} sees {tone}"), "A floor sensor reads within the band of a tone.");
        let bars = format!("{eye} has crossed 1 {tone} line");
        add("crossed", bars, "So many lines were entered and left again.");
        add("met", format!("{eye} has met 1 {tone} line"), "So many lines were entered.");
    }
    // Sensors that see colours tell other tones than the first one.
    for sensor in kit.floor.iter().skip(1) {
        let Some(tone) = sensor.tones.iter().find(|tone| Some(tone.as_str()) != kit.mark).or(sensor.tones.first())
        else {
            continue;
        };
        let mirror = kit.pair.is_some_and(|pair| pair[1] == sensor.name);
        let tone = if mirror { kit.mark.unwrap_or(tone) } else { tone };
        let text = format!("{} sees {tone}", sensor.name);
        add(&text.clone(), text, "A sensor sees a tone.");
    }
    if let (Some([left, right]), Some(tone)) = (kit.pair, kit.mark) {
        add("any sees", format!("any of {left}, {right} sees {tone}"), "At least one of the sensors sees it.");
        add("all see", format!("all of {left}, {right} sees {tone}"), "Every one of the sensors sees it.");
    }
    if let Some((eye, _)) = kit.eye() {
        add("reads", format!("{eye} < 30 %"), "A sensor's brightness is below, or above, a limit.");
        add("dropped", format!("{eye} has dropped by 20 %"), "The brightness has gone down so much in this step.");
    }
    for ranger in names.rangers.iter().take(2) {
        add("near", format!("{ranger} < 100 mm"), "Something is nearer than that.");
        add("far", format!("{ranger} > 300 mm"), "Nothing is nearer than that.");
    }
    add("heading", "heading reaches 90 deg".into(), "The heading since the start comes to so much, or passes it.");
    add("wheel", "left wheel rolled 200 mm".into(), "One wheel has rolled so far.");
    if matches!(does, Some(Does::Follow { .. })) {
        add("lost", "the line is lost for 300 ms".into(), "No sensor has seen its line for so long.");
    }
    for switch in &names.switches {
        add("pressed", format!("{switch} is pressed"), "The switch or button is held down.");
        add("bumped", format!("{switch} was bumped"), "It was pressed and let go again in this step.");
    }
    if let Some(sensor) = names.sensors.iter().find(|sensor| !sensor.codes.is_empty()) {
        add("code", format!("{} reads code {}", sensor.name, sensor.codes[0]), "A sensor tells this number.");
    }
    for actuator in &names.actuators {
        add("there", format!("{} is there", actuator.name), "The actuator has got to its angle.");
    }
    add("stalled", "stalled for 500 ms".into(), "A wheel that is told to turn has not, for so long.");
    add("clock", "clock reaches 60 s".into(), "So much time has gone by since the run began.");
    add("battery", "battery < 6 V".into(), "The battery under load has fallen below that.");
    offers.into_iter().map(|offer| offer.slotted("  hold\n  until ")).collect()
}

/// Blank lines, and how far a new step is set in.
fn place<'t>(parsed: &Parsed, text: &'t str, below: Option<usize>) -> (usize, &'t str, &'static str) {
    match below {
        Some(step) => {
            let line = &text[parsed.lines[parsed.mission.steps[step].line].span.clone()];
            (step_span(parsed, step).end, &line[..line.len() - line.trim_start().len()], "\n\n")
        }
        None => {
            // Below all that stands before the steps.
            let before = |line: &&super::ast::Line| {
                use super::ast::LineKind as Is;
                matches!(line.kind, Is::Mission | Is::Header | Is::Let)
            };
            let end = parsed.lines.iter().rfind(before).map_or(0, |line| line.span.end);
            (end, "", if end == 0 { "" } else { "\n\n" })
        }
    }
}

/// A new step that does what was chosen: below another one, or below the header when there is none.
pub fn insert_offer(parsed: &Parsed, text: &str, below: Option<usize>, offer: &Offer) -> Edit {
    let (at, indent, gap) = below_place(parsed, text, below);
    let mut new = format!("{gap}{}", written(parsed, indent, offer));
    // What stands right below keeps a blank line above it.
    let rest = &text[at..];
    if gap.is_empty() && !rest.is_empty() && !rest.starts_with('\n') {
        new.push_str("\n\n");
    }
    Edit { span: at..at, text: new }
}

/// The same above a step, and above the comment that belongs to it.
pub fn insert_offer_above(parsed: &Parsed, text: &str, above: usize, offer: &Offer) -> Edit {
    let step = &parsed.mission.steps[above];
    if matches!(step.block, Block::Reflex(_)) {
        return insert_offer(parsed, text, None, offer);
    }
    let header = &text[parsed.lines[step.line].span.clone()];
    let indent = &header[..header.len() - header.trim_start().len()];
    let at = parsed.lines[with_comment(parsed, step.line)].span.start;
    Edit { span: at..at, text: format!("{}\n\n", written(parsed, indent, offer)) }
}

/// Where a new step stands: its byte, how far it is set in, and the blank line above it.
fn below_place<'t>(parsed: &Parsed, text: &'t str, below: Option<usize>) -> (usize, &'t str, &'static str) {
    // A reflex holds one thing to do; a step cannot stand in it.
    let below = below.filter(|step| !matches!(parsed.mission.steps[*step].block, Block::Reflex(_)));
    let below = below.or_else(|| parsed.mission.sequence(Block::Mission, None).last().map(|(index, _)| index));
    place(parsed, text, below)
}

/// A whole new step.
fn written(parsed: &Parsed, indent: &str, offer: &Offer) -> String {
    let name = free_name(parsed, &offer.name);
    let mut new = format!("{indent}step \"{name}\"\n{indent}  {}", offer.text);
    for line in &offer.below {
        new.push_str(&format_line(parsed, indent, line));
    }
    new
}

/// A line below a behaviour; a step that it brings gets a name of its own.
fn format_line(parsed: &Parsed, indent: &str, line: &str) -> String {
    match line.trim_start().strip_prefix("step \"") {
        Some(name) => {
            let lead = &line[..line.len() - line.trim_start().len()];
            format!("\n{indent}  {lead}step \"{}\"", free_name(parsed, name.trim_end_matches('"')))
        }
        None => format!("\n{indent}  {line}"),
    }
}

/// A reflex to begin with, before the first step; none on a robot without anything to watch.
pub fn insert_reflex(parsed: &Parsed, text: &str, names: &Names) -> Option<Edit> {
    let kit = Kit::new(names);
    let watch = match (kit.pair, kit.eye(), names.rangers.first()) {
        (Some([left, right]), Some((_, tone)), _) => format!("any of {left}, {right} sees {tone}"),
        (None, Some((eye, tone)), _) => format!("{eye} sees {tone}"),
        (_, None, Some(ranger)) => format!("{ranger} < 80 mm"),
        _ => return None,
    };
    let taken = |name: &str| parsed.mission.reflexes.iter().any(|reflex| reflex.name.node == name);
    let base = "Back off";
    let names = std::iter::once(base.to_owned()).chain((2..).map(|nth| format!("{base} {nth}")));
    let name = names.into_iter().find(|name| !taken(name)).unwrap_or_default();
    let new =
        format!("reflex \"{name}\"\n  when {watch}\n  drive back at 26 %\n  until travelled 60 mm\n  then resume\n\n");
    let first = parsed.mission.steps.first().map(|step| step.line);
    let first = first.into_iter().chain(parsed.mission.routines.iter().map(|routine| routine.line));
    let first = first.chain(parsed.mission.reflexes.iter().map(|reflex| reflex.line)).min();
    let Some(line) = first else {
        let (at, _, gap) = place(parsed, text, None);
        return Some(Edit { span: at..at, text: format!("{gap}{}", new.trim_end()) });
    };
    // A comment right above belongs to what stands below it.
    let line = with_comment(parsed, line);
    let at = parsed.lines[line].span.start;
    Some(Edit { span: at..at, text: new })
}
