//! The conditions: what each kind is called, how it is written, what it is made of, and how it is
//! said in plain words.
//!
//! Each match here lists every condition, so that a new one does not compile until all of them know
//! it. What it measures during a run is the controller's (`controller::gauge`).

mod model;
mod read;

pub use model::{Arming, Condition, DeviceState, MAT, Quantifier, Sensors};

use super::ast::{Comparison, Part, Spanned, Step, Wanted};
use super::behaviours::{Behaviour, Ending};
use super::offer::{Kit, Offer};
use super::readback::Reader;
use super::sentence::either;
use crate::ids::DeviceKind;

/// What there is to know about a kind of condition besides one of it.
pub struct ConditionKind {
    /// What it is called in lists.
    pub name: &'static str,
    /// Plain words by which people look for it.
    pub plain: &'static [&'static str],
    /// How it is written.
    pub grammar: &'static str,
    /// One of it.
    pub example: &'static str,
    /// When it is true, in one sentence.
    pub what: &'static str,
}

macro_rules! kinds {
    ($($id:ident: $name:literal, [$($plain:literal),*], $grammar:literal, $example:literal, $what:literal;)*) => {
        $(
            #[doc = $what]
            const $id: ConditionKind = ConditionKind {
                name: $name, plain: &[$($plain),*], grammar: $grammar, example: $example, what: $what,
            };
        )*
        /// Every kind of condition, in the order of the reference.
        pub const CONDITIONS: &[&ConditionKind] = &[$(&$id),*];
    };
}

kinds! {
    TRAVELLED: "travelled", ["distance", "far", "moved", "millimetres", "length", "driven", "after a distance", "how far", "way", "drove", "cm"],
        "travelled LENGTH|ANGLE", "travelled 200 mm",
        "The robot has driven this distance since the step began, or its wheels have turned by this angle: the mean of both, either way.";
    TURNED: "turned", ["angle", "degrees", "rotated", "spun", "turn", "rotation", "turned by", "quarter turn", "how far turned", "full circle"],
        "turned ANGLE", "turned 90 deg",
        "The heading has changed by this angle since the step began, either way.";
    PASSED: "time", ["wait", "seconds", "timeout", "time out", "after", "delay", "timer", "duration", "how long", "pass", "after some time", "at the latest", "for 2 seconds"],
        "TIME pass", "2 s pass",
        "This time has gone by since the step began.";
    SEES: "sees", ["colour", "black", "white", "line", "dark", "on", "detects", "marker", "see", "sees black", "on the line", "mark", "reaches a line", "line found", "floor sensor", "light sensor sees"],
        "SENSOR sees TONE | any of SENSORS sees any|none of TONES", "floor-left sees dark",
        "A floor sensor reads within the band of a tone; `any of`, `all of` and `none of` take several sensors.";
    CROSSED: "crossed", ["count", "lines", "bars", "marks", "number of lines", "cross", "crossing", "counter", "count lines", "crossings", "junction", "intersections", "passed lines", "line count"],
        "SENSOR has crossed|met N TONE lines [LENGTH apart]", "floor-left has crossed 1 dark line",
        "This number of lines were crossed since the step began; `met` counts at the near edge instead of the far one.";
    READS: "reads", ["below", "above", "less", "more", "threshold", "limit", "brightness", "reflection", "distance"],
        "SENSOR|NAME < LIMIT | SENSOR|NAME > LIMIT", "floor-left < 30 %",
        "A reading, or something measured, is below or above a limit.";
    COMPARES: "compared", ["difference", "sum", "two sensors", "left against right", "more than the other", "compare", "brighter than the other", "nearer than", "larger"],
        "SENSOR|NAME|FORMULA < SENSOR|NAME|FORMULA | ... > ...", "floor-left - floor-right > 10 %",
        "One reading, measured value or formula is below or above another.";
    BETWEEN: "between", ["range", "within", "span"],
        "SENSOR|NAME between A and B", "floor-left between 30 % and 60 %",
        "A reading, or something measured, lies between two limits.";
    CHANGED: "dropped", ["change", "fell", "darker", "brighter", "risen", "difference"],
        "SENSOR has dropped|risen by SHARE", "floor-left has dropped by 20 %",
        "The reading has gone down from its highest, or up from its lowest, by this since the step began.";
    CODE: "code", ["number", "colour number", "card", "tag", "marker", "barcode", "color code", "code card", "id"],
        "SENSOR reads code N [to M]", "tag reads code 3",
        "A sensor with a code table reads this number, or one from the first to the last.";
    STATE: "state of a device", ["pressed", "released", "touch", "bump", "button", "there", "blocked", "arrived"],
        "SWITCH is pressed|released | SWITCH was bumped | ACTUATOR is there|blocked", "bumper is pressed",
        "A switch is pressed or released, or was pressed and released in this step; an actuator has reached its angle, \
         or has hit an end stop before reaching it.";
    HEADING: "heading", ["compass", "direction", "gyro", "facing", "absolute angle", "orientation", "faces", "bearing", "course", "yaw"],
        "heading reaches ANGLE", "heading reaches 90 deg",
        "The heading, counted from the start of the run, reaches or passes this angle.";
    ROLLED: "wheel", ["rotations", "turns", "encoder", "one wheel", "motor", "rolled", "wheel turns", "wheel rotations", "motor degrees", "left wheel", "right wheel", "rolls", "revolutions"],
        "left|right wheel rolled LENGTH|ANGLE", "left wheel rolled 200 mm",
        "One wheel has rolled this distance, or turned by this angle, since the step began.";
    LOST: "lost", ["line lost", "off the line", "no line", "end of line", "line ends", "loses the line", "lost the line", "gap", "line is gone", "line over", "is following", "on the line again", "follows the line", "line found again"],
        "the line is lost|followed [for TIME]", "the line is lost for 300 ms",
        "No sensor of the follower sees its line; `followed`: one does.";
    ZONE: "zone", ["area", "place", "region", "position", "enter", "leave", "arrive", "inside", "outside", "reaches the zone", "leaves the zone", "off the mat", "edge of the mat", "leaves the mat", "location", "target area", "home", "in the zone", "out of the zone", "position reached", "odometry"],
        "reaches|leaves \"ZONE\" | reaches|leaves the mat", "leaves the mat",
        "By odometry, from its wheels and its heading, the middle of the axle is in this zone of the field; \
         `leaves`: out of it again.";
    STALLED: "stalled", ["stuck", "blocked", "wall", "jammed", "not moving", "does not move", "stall", "collision", "against the wall", "cannot move", "wheels stand", "runs into", "hits the wall", "crash", "resistance"],
        "stalled for TIME", "stalled for 500 ms",
        "A powered wheel has not turned for this long.";
    CLOCK: "clock", ["run time", "total time", "match time", "elapsed", "time since start", "whole time", "mission time", "game time", "stopwatch", "time left"],
        "clock reaches TIME", "clock reaches 60 s",
        "The run has lasted this long.";
    ENDED: "finished", ["done", "over", "complete", "found", "given up", "clear"],
        "finished | found | given up | clear | left is further | right is further", "finished",
        "The behaviour has ended by itself, with this result.";
    ENDED_BY: "ended by", ["reason", "which", "why", "cause", "remember"],
        "ended by NAME", "ended by red-patch",
        "The condition marked `as NAME` was true when its step ended.";
    ANY: "or", ["either", "any"],
        "A or B", "floor-left sees dark or 2 s pass",
        "At least one of them is true.";
    ALL: "and", ["both", "all"],
        "A and B", "floor-left sees dark and floor-right sees dark",
        "All of them are true at once.";
    NOT: "not", ["no", "unless", "opposite"],
        "not A", "not floor-left sees dark",
        "It is false.";
    FOR: "for", ["debounce", "hold", "steady", "lasting"],
        "A for TIME", "floor-left sees dark for 50 ms",
        "It has been true for this long without interruption.";
    AFTER: "after", ["ignore", "arm", "not before", "delay", "blind"],
        "A after TIME|LENGTH | A after it was false", "floor-left sees dark after 200 mm",
        "It is true, and counts already: before this time or distance, or before it has been false once, it is ignored.";
    AS: "as", ["name", "remember", "mark"],
        "A as NAME", "hue sees red as red-patch",
        "It is true; whether it was true when its exit fired is kept under a name.";
}

impl Condition {
    /// What there is to know about its kind.
    pub const fn kind(&self) -> &'static ConditionKind {
        match self {
            Self::Any(_) => &ANY,
            Self::All(_) => &ALL,
            Self::Not(_) => &NOT,
            Self::For(..) => &FOR,
            Self::After(..) => &AFTER,
            Self::As(..) => &AS,
            Self::Sees { .. } => &SEES,
            Self::Reads { .. } => &READS,
            Self::Compares { .. } => &COMPARES,
            Self::Between { .. } => &BETWEEN,
            Self::Code { .. } => &CODE,
            Self::Changed { .. } => &CHANGED,
            Self::Crossed { .. } => &CROSSED,
            Self::Is { .. } => &STATE,
            Self::Travelled(_) => &TRAVELLED,
            Self::Turned(_) => &TURNED,
            Self::Heading(_) => &HEADING,
            Self::Rolled { .. } => &ROLLED,
            Self::Passed(_) => &PASSED,
            Self::Clock(_) => &CLOCK,
            Self::Lost => &LOST,
            Self::Zone { .. } => &ZONE,
            Self::Stalled(_) => &STALLED,
            Self::Ended(_) => &ENDED,
            Self::EndedBy(_) => &ENDED_BY,
        }
    }

    /// The conditions that it is made of; empty for one that stands for itself.
    pub fn inner(&self) -> &[Spanned<Self>] {
        match self {
            Self::Any(terms) | Self::All(terms) => terms,
            Self::Not(term) | Self::For(term, _) | Self::After(term, _) | Self::As(term, _) => {
                std::slice::from_ref(term)
            }
            Self::Sees { .. }
            | Self::Reads { .. }
            | Self::Compares { .. }
            | Self::Between { .. }
            | Self::Code { .. }
            | Self::Changed { .. }
            | Self::Crossed { .. }
            | Self::Is { .. }
            | Self::Travelled(_)
            | Self::Turned(_)
            | Self::Heading(_)
            | Self::Rolled { .. }
            | Self::Passed(_)
            | Self::Clock(_)
            | Self::Lost
            | Self::Zone { .. }
            | Self::Stalled(_)
            | Self::Ended(_)
            | Self::EndedBy(_) => &[],
        }
    }

    /// Its own parts, in written order; the conditions within are parts of their own.
    pub fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        for term in self.inner() {
            each(Part::Condition(term));
        }
        match self {
            Self::Any(_) | Self::All(_) | Self::Not(_) | Self::After(_, Arming::False) => {}
            Self::For(_, time) => each(Part::Amount(time, Wanted::Time)),
            Self::After(_, Arming::Amount(amount)) => each(Part::Amount(amount, Wanted::Delay)),
            Self::As(_, name) => each(Part::Label(name)),
            Self::Sees { sensors, tones, .. } => {
                each(Part::Sensors(sensors));
                for tone in tones {
                    each(Part::Tone(tone, &sensors.names));
                }
            }
            Self::Reads {
                sensors,
                than,
                limit,
            } => each(Part::Compared(sensors, Some(than), limit)),
            Self::Compares { left, right, .. } => {
                each(Part::Measured(left));
                each(Part::Measured(right));
            }
            Self::Between { sensors, low, high } => {
                each(Part::Compared(sensors, None, low));
                each(Part::Compared(sensors, None, high));
            }
            Self::Code { sensor, low, high } => {
                each(Part::Device(sensor, DeviceKind::Floor));
                each(Part::Amount(low, Wanted::Code));
                if let Some(high) = high {
                    each(Part::Amount(high, Wanted::Code));
                }
            }
            Self::Changed { sensor, by, .. } => {
                each(Part::Device(sensor, DeviceKind::Floor));
                each(Part::Amount(by, Wanted::Share));
            }
            Self::Crossed {
                sensor,
                count,
                tone,
                apart,
                ..
            } => {
                each(Part::Device(sensor, DeviceKind::Floor));
                each(Part::Amount(count, Wanted::Count));
                each(Part::Tone(tone, std::slice::from_ref(sensor)));
                if let Some(apart) = apart {
                    each(Part::Amount(apart, Wanted::Length));
                }
            }
            Self::Is { device, state } => {
                each(Part::Device(
                    device,
                    if state.is_of_switches() {
                        DeviceKind::Switch
                    } else {
                        DeviceKind::Actuator
                    },
                ));
            }
            Self::Travelled(length) => each(Part::Amount(length, Wanted::Rolled)),
            Self::Turned(angle) => each(Part::Amount(angle, Wanted::Angle)),
            Self::Heading(angle) => each(Part::Amount(angle, Wanted::SignedAngle)),
            Self::Rolled { wheel, amount } => {
                each(Part::Side(wheel));
                each(Part::Amount(amount, Wanted::Rolled));
            }
            Self::Passed(time) | Self::Clock(time) | Self::Stalled(time) => {
                each(Part::Amount(time, Wanted::Time));
            }
            Self::Lost | Self::Ended(_) => {}
            Self::Zone { zone, .. } => each(Part::Zone(zone)),
            Self::EndedBy(name) => each(Part::LabelOf(name)),
        }
    }
}

impl Spanned<Condition> {
    /// What kind of thing it waits for, whatever the amounts: exits of one kind replace each other
    /// in a copy.
    pub fn discriminant(&self) -> std::mem::Discriminant<Condition> {
        match (&self.node, self.node.inner()) {
            (Condition::Any(_) | Condition::All(_), _) | (_, []) => {
                std::mem::discriminant(&self.node)
            }
            (_, [inner, ..]) => inner.discriminant(),
        }
    }

    /// Calls for it and every condition within, outermost first.
    pub fn walk<'a>(&'a self, call: &mut dyn FnMut(&'a Self)) {
        call(self);
        self.node.inner().iter().for_each(|term| term.walk(call));
    }

    /// Calls for every condition that stands for itself.
    pub fn each<'a>(&'a self, call: &mut dyn FnMut(&'a Self)) {
        self.walk(&mut |term| {
            if term.node.inner().is_empty() {
                call(term);
            }
        });
    }

    /// Whether any condition that stands for itself is one of some kind.
    pub fn asks(&self, kind: impl Fn(&Condition) -> bool) -> bool {
        let mut asks = false;
        self.each(&mut |term| asks |= kind(&term.node));
        asks
    }
}

impl Reader<'_> {
    /// What an exit waits for, in words.
    pub fn condition(&self, condition: &Spanned<Condition>) -> String {
        let of = |value| self.amount(value);
        let bracketed = |term: &Spanned<Condition>| {
            let words = self.condition(term);
            if matches!(term.node, Condition::Any(_) | Condition::All(_)) {
                format!("({words})")
            } else {
                words
            }
        };
        let joined = |terms: &[Spanned<Condition>], word: &str| {
            terms.iter().map(bracketed).collect::<Vec<_>>().join(word)
        };
        match &condition.node {
            Condition::Any(terms) => joined(terms, " or "),
            Condition::All(terms) => joined(terms, " and "),
            Condition::Not(term) => format!("not: {}", bracketed(term)),
            Condition::For(term, time) => format!("{} for {}", bracketed(term), of(time)),
            Condition::After(term, Arming::Amount(amount)) => {
                format!("{}, ignored for the first {}", bracketed(term), of(amount))
            }
            Condition::After(term, Arming::False) => {
                format!("{}, after it has been false once", bracketed(term))
            }
            Condition::As(term, name) => format!("{} (kept as {})", bracketed(term), name.node),
            Condition::Sees {
                sensors,
                none,
                tones,
            } => {
                let tones: Vec<String> = tones.iter().map(|tone| tone.node.clone()).collect();
                let (verb, neither) = (
                    if plural(sensors) { "see" } else { "sees" },
                    if *none { " no " } else { " " },
                );
                format!("{} {verb}{neither}{}", named(sensors), either(&tones))
            }
            Condition::Reads {
                sensors,
                than,
                limit,
            } => format!(
                "{} {} {} {}",
                named(sensors),
                if plural(sensors) { "read" } else { "reads" },
                compared(than),
                of(limit)
            ),
            Condition::Compares { left, than, right } => {
                format!("{} is {} {}", of(left), compared(than), of(right))
            }
            Condition::Between { sensors, low, high } => {
                let verb = if plural(sensors) { "read" } else { "reads" };
                format!(
                    "{} {verb} between {} and {}",
                    named(sensors),
                    of(low),
                    of(high)
                )
            }
            Condition::Code {
                sensor,
                low,
                high: None,
            } => format!("{} reads code {}", sensor.node, of(low)),
            Condition::Code {
                sensor,
                low,
                high: Some(high),
            } => {
                format!("{} reads code {} to {}", sensor.node, of(low), of(high))
            }
            Condition::Changed { sensor, down, by } => {
                // What that means depends on the sensor: some count dark up.
                let way = if *down { "dropped" } else { "risen" };
                format!("the reading of {} has {way} by {}", sensor.node, of(by))
            }
            Condition::Crossed {
                sensor,
                count,
                tone,
                met,
                apart,
            } => {
                let verb = if *met { "come to" } else { "crossed" };
                let apart = apart.as_ref().map_or_else(String::new, |apart| {
                    format!(" at least {} apart", of(apart))
                });
                format!(
                    "{} has {verb} {} {} lines{apart}",
                    sensor.node,
                    of(count),
                    tone.node
                )
            }
            Condition::Is { .. } => self.text_of(&condition.span).to_owned(),
            Condition::Travelled(length) => format!("it has travelled {}", of(length)),
            Condition::Turned(angle) => format!("it has turned {}", of(angle)),
            Condition::Heading(angle) => format!("its heading reaches {}", of(angle)),
            Condition::Rolled { wheel, amount } => {
                format!("its {} wheel has rolled {}", self.side(wheel), of(amount))
            }
            Condition::Passed(time) => format!("{} have passed", of(time)),
            Condition::Clock(time) => format!("the run has lasted {}", of(time)),
            Condition::Lost => "it has lost the line".into(),
            Condition::Zone { zone, leaves } => {
                let verb = if *leaves { "left" } else { "reached" };
                format!("it has {verb} {}, by odometry", zone.node)
            }
            Condition::Stalled(time) => format!("a wheel has been stuck for {}", of(time)),
            Condition::Ended(ending) => match ending {
                Ending::Finished => "finished".into(),
                Ending::Found => "something is found".into(),
                Ending::GivenUp => "it has given up".into(),
                Ending::Clear => "the way is clear".into(),
                Ending::LeftFurther => "there is more room on the left".into(),
                Ending::RightFurther => "there is more room on the right".into(),
            },
            Condition::EndedBy(name) => format!("{} ended its step", name.node),
        }
    }
}

fn compared(than: &Comparison) -> &str {
    match than {
        Comparison::Below => "less than",
        Comparison::Above => "more than",
        Comparison::Named(name) => name,
    }
}

const fn plural(sensors: &Sensors) -> bool {
    matches!(sensors.how, Quantifier::All)
}

fn named(sensors: &Sensors) -> String {
    let names: Vec<String> = sensors.names.iter().map(|name| name.node.clone()).collect();
    match sensors.how {
        Quantifier::One => names.concat(),
        Quantifier::Any => either(&names),
        Quantifier::All => names.join(" and "),
        Quantifier::None => format!("none of {}", names.join(", ")),
    }
}

/// What a step may wait for, made of the names of this robot.
///
/// `step`: the step, whose behaviour may end by itself
pub(super) fn offers(step: Option<&Step>, kit: &Kit<'_>) -> Vec<Offer> {
    let does = step
        .and_then(|step| step.behaviour.as_ref())
        .map(|(behaviour, _)| &behaviour.node);
    let mut all = Vec::new();
    for ending in does.map_or(&[][..], Behaviour::outcomes) {
        let offer = Offer::new(ending.words(), ending.words().into(), ending.what());
        all.push(offer.found_by(ending.plain()));
    }
    let of = |kind: &ConditionKind, text: String| {
        Offer::new(kind.name, text, kind.what).found_by(&kind.plain.join(","))
    };
    all.push(of(&TRAVELLED, TRAVELLED.example.into()));
    all.push(of(&TURNED, TURNED.example.into()));
    all.push(of(&PASSED, PASSED.example.into()));
    if let Some((eye, tone)) = kit.eye() {
        all.push(of(&SEES, format!("{eye} sees {tone}")));
        all.push(of(&CROSSED, format!("{eye} has crossed 1 {tone} line")));
    }
    floor_sensors(kit, &mut all);
    for ranger in kit.names.of_kind(DeviceKind::Ranger).take(2) {
        let what = "Something is nearer than this distance.";
        let offer = Offer::new("near", format!("{ranger} < 100 mm"), what);
        all.push(offer.found_by(
            "close, obstacle, wall, distance, object, in front, ultrasonic, infrared, less than, closer than, below, \
             something ahead, range, opponent, obstacle ahead, distance less than, under",
        ));
        let what = "The way is clear up to this distance.";
        let offer = Offer::new("far", format!("{ranger} > 300 mm"), what);
        all.push(offer.found_by(
            "free, no obstacle, nothing there, away, more than, farther than, above, open, gone, nothing ahead, clear, \
             distance more than, greater than, way free, no wall",
        ));
    }
    all.push(of(&HEADING, HEADING.example.into()));
    all.push(of(&ROLLED, ROLLED.example.into()));
    if matches!(does, Some(Behaviour::Follow(_))) {
        all.push(of(&LOST, LOST.example.into()));
        let what = "A sensor of the follower sees its line.";
        let followed = Offer::new("followed", "the line is followed for 100 ms".into(), what);
        all.push(followed.found_by(
            "line found again, on the line again, is following, follows the line, back on the line, line seen, sees the line",
        ));
    }
    if let Some(sensor) = kit
        .names
        .of(DeviceKind::Floor)
        .find(|sensor| !sensor.codes.is_empty())
    {
        let text = format!("{} reads code {}", sensor.name, sensor.codes[0]);
        all.push(of(&CODE, text));
    }
    devices(kit, &mut all);
    for zone in kit.names.zones.iter().filter(|zone| *zone != MAT).take(3) {
        let what = "By odometry, the middle of the axle is in this zone.";
        let offer = Offer::new("zone reached", format!("reaches \"{zone}\""), what);
        all.push(offer.found_by(
            "enter, arrive, inside, in the zone, reaches the zone, area, position, place, arrives at, home, target area, \
             position reached, location",
        ));
        let what = "By odometry, the middle of the axle is out of this zone again.";
        let offer = Offer::new("zone left", format!("leaves \"{zone}\""), what);
        all.push(offer.found_by(
            "leave, exit the zone, out of the zone, outside, leaves the zone, area, gone from, position",
        ));
    }
    let what = "By odometry, the middle of the axle is beside the mat.";
    let offer = Offer::new("mat left", ZONE.example.into(), what);
    all.push(offer.found_by(
        "off the mat, edge of the mat, leaves the table, off the table, off the field, leave the field, beside the mat, \
         outside the mat, out of bounds",
    ));
    all.push(of(&STALLED, STALLED.example.into()));
    all.push(of(&CLOCK, CLOCK.example.into()));
    let what = "The battery's voltage under load has fallen below this.";
    let battery = Offer::new("battery", "battery < 6 V".into(), what);
    all.push(
        battery.found_by("voltage, charge, flat, empty, power, volt, low battery, battery low"),
    );
    all
}

/// What floor sensors may see: one and several of them, each tone of those that tell several apart.
fn floor_sensors(kit: &Kit<'_>, all: &mut Vec<Offer>) {
    // The first sensor with the usual tone stands above.
    let first = kit.eye();
    let colours = "color, colour";
    for sensor in &kit.floor {
        let several = sensor.tones.len() > 2;
        let mirror = kit.pair.is_some_and(|pair| pair[1] == sensor.name);
        let usual = kit
            .mark
            .filter(|mark| sensor.tones.iter().any(|tone| tone == mark));
        for tone in &sensor.tones {
            let known = first == Some((sensor.name.as_str(), tone.as_str()));
            // Of two like sensors one shows what may be seen; a pale ground is rarely waited for.
            let only_usual = mirror && usual.is_some_and(|usual| usual != tone);
            if known || only_usual {
                continue;
            }
            let text = format!("{} sees {tone}", sensor.name);
            let offer = Offer::new(SEES.name, text, "A floor sensor sees a tone.");
            all.push(if several {
                offer.found_by(colours)
            } else {
                offer
            });
        }
    }
    let mut add = |name: &str, text: String, what: &str, plain: &str| {
        all.push(Offer::new(name, text, what).found_by(plain));
    };
    if let (Some([left, right]), Some(tone)) = (kit.pair, kit.mark) {
        add(
            "any sees",
            format!("any of {left}, {right} sees {tone}"),
            "At least one of the sensors sees it.",
            "either, any of, one of, one sensor, either sensor, left or right, at least one, any sensor",
        );
        add(
            "all see",
            format!("all of {left}, {right} sees {tone}"),
            "Every one of the sensors sees it.",
            "both, all of, every, both sensors, both see, left and right, all sensors, crossing, junction",
        );
        add(
            COMPARES.name,
            format!("{left} - {right} > 10 %"),
            COMPARES.what,
            &COMPARES.plain.join(","),
        );
        add(
            "none sees",
            format!("none of {left}, {right} sees {tone}"),
            "No one of the sensors sees it.",
            "none of, neither, no sensor, no longer, not see, neither sensor, off the line, no one",
        );
    }
    if let Some((eye, tone)) = kit.eye() {
        let is_high = kit
            .names
            .sensor(eye)
            .is_some_and(|sensor| sensor.dark_is_high);
        let (dark, bright) = (
            "dark, darker, darker than, gets darker, became dark, becomes darker",
            "bright, brighter, brighter than, lighter, gets brighter, became bright, becomes brighter",
        );
        let (low, high) = if is_high {
            (bright, dark)
        } else {
            (dark, bright)
        };
        let (below, above) = if is_high {
            (
                "The reading is below a limit: for this sensor, over brighter ground.",
                "The reading is above a limit: for this sensor, over darker ground.",
            )
        } else {
            (
                "The reading is below a limit.",
                "The reading is above a limit.",
            )
        };
        add(
            "met",
            format!("{eye} has met 1 {tone} line"),
            "This number of lines were entered.",
            "enter, entered, lines reached, count at the near edge, begin of line, arrive at line, come to a line",
        );
        add(
            "below",
            format!("{eye} < 30 %"),
            below,
            &format!(
                "reads, less, less than, under, smaller, lower, threshold, limit, {low}, brightness, reflection, \
                 reflected light, reading, light sensor, value, smaller than"
            ),
        );
        add(
            "above",
            format!("{eye} > 60 %"),
            above,
            &format!(
                "reads, more, more than, over, greater, higher, greater than, {high}, threshold, limit, brightness, \
                 reflection, reading, light sensor, value, light, exceeds, larger, larger than"
            ),
        );
        add(
            "between",
            format!("{eye} between 30 % and 60 %"),
            "The reading lies between two limits.",
            "within, range, in between, span, from to, two limits, inside, window, grey, gray",
        );
        add(
            "dropped",
            format!("{eye} has dropped by 20 %"),
            "The reading has gone down by this in this step.",
            &format!(
                "fell, falls, fallen, brightness falls, {low}, change, decrease, goes down, down by, sudden, relative, \
                 drop, lower than before"
            ),
        );
        add(
            "risen",
            format!("{eye} has risen by 20 %"),
            "The reading has gone up by this in this step.",
            &format!("rose, {high}, increase, goes up, up by, rise, grow, higher than before"),
        );
    }
}

/// What switches and actuators may be.
fn devices(kit: &Kit<'_>, all: &mut Vec<Offer>) {
    let mut add = |name: &str, text: String, what: &str, plain: &str| {
        all.push(Offer::new(name, text, what).found_by(plain));
    };
    for switch in kit.names.of_kind(DeviceKind::Switch) {
        add(
            "pressed",
            format!("{switch} is pressed"),
            "The switch or button is held down.",
            "button, touch, touched, switch, push, pushed, hit, contact, button pressed, touch sensor, down, bumper",
        );
        add(
            "released",
            format!("{switch} is released"),
            "The switch or button is not held down.",
            "let go, up, not pressed, button released, free, untouched, button up, no contact",
        );
        add(
            "bumped",
            format!("{switch} was bumped"),
            "It was pressed and released in this step.",
            "click, clicked, tap, pressed and released, press and release, tapped, button click",
        );
    }
    for actuator in kit.names.of_kind(DeviceKind::Actuator) {
        add(
            "there",
            format!("{actuator} is there"),
            "The actuator has reached its angle.",
            "arrived, reached, arm there, in position, angle reached, at its angle, arm finished, arm is up, target",
        );
        add(
            "blocked",
            format!("{actuator} is blocked"),
            "The actuator came to an end stop, or to something, before its angle.",
            "jammed, arm stuck, end stop, resistance, arm blocked, stalled, hit something, cannot move, grabbed",
        );
    }
}
