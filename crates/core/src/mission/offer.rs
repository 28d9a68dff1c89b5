//! What may be written where: whole sentences made of the names that this robot and field have, to
//! choose from.
//!
//! Everything offered parses, and is free of errors for the names it was made of.

use crate::ids::{DeviceKind, TextStep};
use std::ops::Range;

use super::ast::{Block, SlotKind, Step};
use super::behaviours::BEHAVIOURS;
use super::check::{DeviceName, Names};
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
    /// Words and phrases by which people look for it, with commas between them.
    pub plain: String,
    /// The places of the sentence that would be changed.
    pub slots: Vec<Range<usize>>,
    /// What else comes with it: for a behaviour, the rows and exits below it.
    pub below: Vec<String>,
}

impl Offer {
    pub(super) fn new(name: impl Into<String>, text: String, what: impl Into<String>) -> Self {
        Self {
            name: name.into(),
            text,
            what: what.into(),
            plain: String::new(),
            slots: Vec::new(),
            below: Vec::new(),
        }
    }

    /// Found by these words and phrases, with commas between them; an what was said before stays.
    pub(super) fn found_by(mut self, plain: &str) -> Self {
        if self.plain.is_empty() {
            plain.clone_into(&mut self.plain);
        }
        self
    }

    pub(super) fn with(mut self, below: &[&str]) -> Self {
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
            .filter(|slot| {
                slot.span.start >= from
                    && !slot.span.is_empty()
                    && !matches!(slot.kind, SlotKind::Text)
            })
            .map(|slot| slot.span.start - from..slot.span.end - from)
            .collect();
        self
    }
}

/// The devices that sentences are made of: the first ones that fit.
pub(super) struct Kit<'a> {
    pub names: &'a Names,
    /// Floor sensors that distinguish tones, and a tone to look for with the first of them.
    pub floor: Vec<&'a DeviceName>,
    pub mark: Option<&'a str>,
    /// Two floor sensors that sit opposite to each other, left and right.
    pub pair: Option<[&'a str; 2]>,
    /// The routines that may be called: their names, and how many parameters without a default each
    /// has.
    pub routines: Vec<(String, usize)>,
}

impl<'a> Kit<'a> {
    pub fn new(names: &'a Names) -> Self {
        let floor: Vec<&DeviceName> = names
            .of(DeviceKind::Floor)
            .filter(|s| !s.tones.is_empty() && s.codes.is_empty())
            .collect();
        // Lines are dark more often than not.
        let mark = floor.first().and_then(|sensor| {
            let dark = sensor.tones.iter().find(|tone| *tone == "dark");
            dark.or(sensor.tones.first()).map(String::as_str)
        });
        let pair = floor.iter().find_map(|left| {
            let right = floor.iter().find(|right| {
                left.mirror.as_ref() == Some(&right.name) && right.name != left.name
            })?;
            Some([left.name.as_str(), right.name.as_str()])
        });
        Self {
            names,
            floor,
            mark,
            pair,
            routines: Vec::new(),
        }
    }

    /// The same with the routines of a mission.
    fn with_routines(names: &'a Names, parsed: &Parsed) -> Self {
        let own = parsed.mission.routines.iter().map(|routine| {
            let needs = routine
                .parameters
                .iter()
                .filter(|parameter| parameter.default.is_none())
                .count();
            (routine.name.node.clone(), needs)
        });
        let shared = names.routines.iter().map(|known| {
            let needs = known
                .parameters
                .iter()
                .filter(|parameter| !parameter.has_default)
                .count();
            (known.name.clone(), needs)
        });
        Self {
            routines: own.chain(shared).collect(),
            ..Self::new(names)
        }
    }

    /// A sensor and a tone.
    pub fn eye(&self) -> Option<(&'a str, &'a str)> {
        Some((self.floor.first()?.name.as_str(), self.mark?))
    }
}

/// Driving ahead until a floor sensor sees a tone, at a speed as it is written.
pub fn drive_to_mark(names: &Names, sensor: &str, tone: &str, speed: &str) -> Offer {
    let holding = if names.has_gyro {
        " holding the heading"
    } else {
        ""
    };
    let text = format!("drive ahead at {speed}{holding}");
    let first = format!("until {sensor} sees {tone}  -> next");
    Offer::new(
        "Drive to a mark",
        text,
        "Drives until a floor sensor sees a tone.",
    )
    .found_by(
        "drive until, stop at the line, go to the line, until black, until dark, drive until black, drive to line, \
         until it sees dark, stop on black, find the line, reach the line, next mark",
    )
    .with(&[&first, "or travelled 600 mm -> fail \"no mark\""])
}

/// What a new step may do: name, sentence, and the exits that usually end it.
pub fn behaviours(parsed: &Parsed, names: &Names) -> Vec<Offer> {
    let kit = Kit::with_routines(names, parsed);
    let mut offers = Vec::new();
    for kind in BEHAVIOURS {
        let mut own = Vec::new();
        (kind.offers)(&kit, &mut own);
        offers.extend(
            own.into_iter()
                .map(|offer| offer.found_by(&kind.plain.join(","))),
        );
    }
    offers.extend(linked_copy(parsed));
    offers
        .into_iter()
        .map(|offer| offer.slotted("  "))
        .collect()
}

/// A linked copy of the last step that may be copied: a plain one of the mission's own sequence.
fn linked_copy(parsed: &Parsed) -> Option<Offer> {
    let sequence = parsed.mission.sequence(Block::Mission, None);
    let plain = |step: &&Step| {
        let does = step.behaviour.as_ref().map(|(does, _)| &does.node);
        step.like.is_none()
            && does.is_some_and(|does| !matches!(does.word(), "repeat" | "react" | "choose"))
    };
    let (_, last) = sequence.filter(|(_, step)| plain(step)).last()?;
    let offer = Offer::new(
        "Linked copy",
        format!("like \"{}\"", last.name.node),
        "Does and ends as another step, also after every change of that one.",
    );
    Some(offer.found_by(
        "like, same as, copy of a step, linked step, as before, the same again, instance, duplicate, alias",
    ))
}

/// What a step may wait for. `step`: the step, whose behaviour may end by itself.
pub fn conditions(step: Option<&Step>, names: &Names) -> Vec<Offer> {
    let offers = super::conditions::offers(step, &Kit::new(names));
    offers
        .into_iter()
        .map(|offer| offer.slotted("  hold\n  until "))
        .collect()
}

/// Blank lines, and how far a new step is set in.
fn place<'t>(
    parsed: &Parsed,
    text: &'t str,
    below: Option<TextStep>,
) -> (usize, &'t str, &'static str) {
    match below {
        Some(step) => {
            let line = &text[parsed.lines[parsed.mission.steps[step].line].span.clone()];
            (
                step_span(parsed, step).end,
                &line[..line.len() - line.trim_start().len()],
                "\n\n",
            )
        }
        None => {
            // Below all that stands before the steps.
            let before = |line: &&super::ast::Line| {
                use super::ast::LineKind as Is;
                matches!(line.kind, Is::Mission | Is::Header | Is::Let)
            };
            let end = parsed
                .lines
                .iter()
                .rfind(before)
                .map_or(0, |line| line.span.end);
            (end, "", if end == 0 { "" } else { "\n\n" })
        }
    }
}

/// A new step that does what was chosen: below another one, or below the header when there is none.
pub fn insert_offer(parsed: &Parsed, text: &str, below: Option<TextStep>, offer: &Offer) -> Edit {
    let (at, indent, gap) = below_place(parsed, text, below);
    let mut new = format!("{gap}{}", written(parsed, indent, offer));
    // What stands right below keeps a blank line above it.
    let rest = &text[at..];
    if gap.is_empty() && !rest.is_empty() && !rest.starts_with('\n') {
        new.push_str("\n\n");
    }
    Edit {
        span: at..at,
        text: new,
    }
}

/// The same above a step, and above the comment that belongs to it.
pub fn insert_offer_above(parsed: &Parsed, text: &str, above: TextStep, offer: &Offer) -> Edit {
    let step = &parsed.mission.steps[above];
    if matches!(step.block, Block::Reflex(_)) {
        return insert_offer(parsed, text, None, offer);
    }
    let header = &text[parsed.lines[step.line].span.clone()];
    let indent = &header[..header.len() - header.trim_start().len()];
    let at = parsed.lines[with_comment(parsed, step.line)].span.start;
    Edit {
        span: at..at,
        text: format!("{}\n\n", written(parsed, indent, offer)),
    }
}

/// Where a new step stands: its byte, how far it is set in, and the blank line above it.
fn below_place<'t>(
    parsed: &Parsed,
    text: &'t str,
    below: Option<TextStep>,
) -> (usize, &'t str, &'static str) {
    // A reflex holds one thing to do; a step cannot stand in it.
    let below = below.filter(|step| !matches!(parsed.mission.steps[*step].block, Block::Reflex(_)));
    let below = below.or_else(|| {
        parsed
            .mission
            .sequence(Block::Mission, None)
            .last()
            .map(|(index, _)| index)
    });
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
            format!(
                "\n{indent}  {lead}step \"{}\"",
                free_name(parsed, name.trim_end_matches('"'))
            )
        }
        None => format!("\n{indent}  {line}"),
    }
}

/// What a reflex may watch for and do, made of what this robot has: name, what it watches, and the
/// lines below that.
pub fn reflexes(names: &Names) -> Vec<Offer> {
    let kit = Kit::new(names);
    let mut all = Vec::new();
    let mut add = |name: &str, watch: String, below: &[&str], what: &str, plain: &str| {
        all.push(Offer::new(name, watch, what).with(below).found_by(plain));
    };
    let floor = match (kit.pair, kit.eye()) {
        (Some([left, right]), Some((_, tone))) => {
            Some(format!("any of {left}, {right} sees {tone}"))
        }
        (None, Some((eye, tone))) => Some(format!("{eye} sees {tone}")),
        (_, None) => None,
    };
    let back = ["drive back at 26 %", "until travelled 60 mm", "then resume"];
    if let Some(floor) = floor {
        add(
            "Back off",
            format!("when {floor}"),
            &back,
            "Backs off whenever a floor sensor sees this.",
            "edge, rim, border, line, ring, stay inside, do not fall, table edge, safety, keep off the line",
        );
    }
    if let Some(ranger) = names.first(DeviceKind::Ranger) {
        add(
            "Wait for the way",
            format!("when {ranger} < 100 mm"),
            &[
                "hold, brake",
                &format!("until {ranger} > 150 mm"),
                "then resume",
            ],
            "Stands while something is in the way, then goes on.",
            "obstacle, stop, wait, pedestrian, crossing traffic, stop for something, emergency stop, collision, near",
        );
        if !names.steers {
            add(
                "Turn away",
                format!("when {ranger} < 100 mm"),
                &["spin right at 25 %", "until turned 60 deg", "then resume"],
                "Turns away from what is in the way, then goes on.",
                "avoid, obstacle, evade, dodge, wall, roam, turn off",
            );
        }
    }
    if let Some(switch) = names.first(DeviceKind::Switch) {
        add(
            "Bumped",
            format!("when {switch} is pressed"),
            &back,
            "Backs off whenever the switch is pressed.",
            "touch, button, bumper, hit, collision, contact",
        );
    }
    add(
        "Work free",
        "when stalled for 500 ms".to_owned(),
        &[
            "drive back at 40 %",
            "until travelled 80 mm",
            "then restart",
        ],
        "Backs off when the wheels stand against something, and begins the step again.",
        "stuck, stalled, blocked, jam, wall, free, unstuck",
    );
    add(
        "Time is up",
        "when clock reaches 85 s".to_owned(),
        &["hold, brake", "until 0.2 s pass", "then -> done"],
        "Ends the mission when the run has lasted so long.",
        "timeout, end, match end, time limit, last seconds, clock",
    );
    all
}

/// A new reflex before the first step, above the other reflexes.
pub fn insert_reflex(parsed: &Parsed, text: &str, offer: &Offer) -> Edit {
    let taken = |name: &str| {
        parsed
            .mission
            .reflexes
            .iter()
            .any(|reflex| reflex.name.node == name)
    };
    let base = &offer.name;
    let names = std::iter::once(base.clone()).chain((2..).map(|nth| format!("{base} {nth}")));
    let name = names
        .into_iter()
        .find(|name| !taken(name))
        .unwrap_or_default();
    let below = offer.below.join("\n  ");
    let new = format!("reflex \"{name}\"\n  {}\n  {below}\n\n", offer.text);
    let first = parsed.mission.steps.first().map(|step| step.line);
    let first = first
        .into_iter()
        .chain(parsed.mission.routines.iter().map(|routine| routine.line));
    let first = first
        .chain(parsed.mission.reflexes.iter().map(|reflex| reflex.line))
        .min();
    let Some(line) = first else {
        let (at, _, gap) = place(parsed, text, None);
        return Edit {
            span: at..at,
            text: format!("{gap}{}", new.trim_end()),
        };
    };
    // A comment right above belongs to what stands below it.
    let line = with_comment(parsed, line);
    let at = parsed.lines[line].span.start;
    Edit {
        span: at..at,
        text: new,
    }
}
