//! The strip chart of a run: steps as bands, readings with their limits, and events, over one time
//! axis.
//!
//! [`Chart`] is the model that the terminal paints in cells; [`chart_scene`] makes scene items of
//! the same model.
//!
//! Long because a track of each kind is made and drawn here.

use wayodos_core::controller::{
    Action, Event, Limits, Odometry, Program, Rail, Sight, Test, Tones, WheelCommand,
};
use wayodos_core::field::Pose;
use wayodos_core::ids::{ActuatorId, RangerId, SensorId, StepId, SwitchId};
use wayodos_core::record::{Happening, Outcome, Run, Tick};
use wayodos_core::robot::Robot;

use crate::field::Story;
use crate::ink::{self, Rgb, tint};
use crate::scene::{Anchor, Item, Layer, Shape, Stroke, rectangle};
use crate::words::happening_words;

/// A visit of a step, as a band along the time axis.
#[derive(Clone, Debug, PartialEq)]
pub struct Band {
    /// Index of the step.
    pub step: StepId,
    /// Its name.
    pub name: String,
    /// Seconds at its start.
    pub from: f64,
    /// Seconds at its end.
    pub to: f64,
}

/// A limit that mattered for a while.
#[derive(Clone, Debug, PartialEq)]
pub struct LimitSpan {
    /// Seconds from which it was looked at.
    pub from: f64,
    /// Seconds until which it was looked at.
    pub to: f64,
    /// The limit, in the unit of its track.
    pub value: f64,
    /// Where a tone that has been seen is lost again; equal to `value` without hysteresis.
    pub back: f64,
}

/// A tone seen for a while.
#[derive(Clone, Debug, PartialEq)]
pub struct Ribbon {
    /// Seconds at its start.
    pub from: f64,
    /// Seconds at its end.
    pub to: f64,
    /// The name of the tone.
    pub tone: String,
    /// What colour its surface has.
    pub rgb: Rgb,
}

/// What a track shows.
#[derive(Clone, Debug, PartialEq)]
pub enum TrackKind {
    /// A number over time.
    Line {
        /// One value a tick.
        values: Vec<f32>,
        /// Least value shown.
        low: f64,
        /// Greatest value shown.
        high: f64,
        /// Limits, each for as long as it mattered.
        limits: Vec<LimitSpan>,
    },
    /// Tones over time.
    Tones(Vec<Ribbon>),
}

/// One line of the chart.
#[derive(Clone, Debug, PartialEq)]
pub struct Track {
    /// What is shown.
    pub name: String,
    /// Its unit.
    pub unit: &'static str,
    /// The data.
    pub kind: TrackKind,
    /// It is shown unless somebody asks otherwise; the others only when they are asked for.
    pub usual: bool,
}

/// What kind of thing happened.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MarkKind {
    /// A step began.
    Step,
    /// A line was counted.
    Line,
    /// The end, as planned.
    End,
    /// A failure.
    Wrong,
    /// Something else in the world.
    World,
}

/// Something that happened at one moment.
#[derive(Clone, Debug, PartialEq)]
pub struct Mark {
    /// Tick at which it happened.
    pub tick: usize,
    /// Seconds at which it happened.
    pub at: f64,
    /// What happened.
    pub words: String,
    /// What kind of thing it was.
    pub kind: MarkKind,
}

/// A whole strip chart.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Chart {
    /// Seconds between two ticks.
    pub period: f64,
    /// Seconds at its right end.
    pub end: f64,
    /// Steps in the order they were visited.
    pub bands: Vec<Band>,
    /// Readings.
    pub tracks: Vec<Track>,
    /// Events in order of time.
    pub marks: Vec<Mark>,
}

impl Chart {
    /// The chart of a run.
    pub fn of(story: Story<'_>) -> Self {
        let Story {
            run,
            program,
            robot,
            ..
        } = story;
        let trace = &run.trace;
        let bands = run.legs.iter().map(|leg| Band {
            step: leg.step,
            name: program.steps[leg.step].name.clone(),
            from: trace.seconds(leg.from),
            to: trace.seconds(leg.to),
        });
        let mut tracks: Vec<Track> = SensorId::all(robot.sensors.len())
            .map(|sensor| sensor_track(story, sensor))
            .collect();
        tracks.extend(RangerId::all(robot.rangers.len()).map(|ranger| range_track(story, ranger)));
        // What never moves, and is never pressed, needs no room.
        let pressed =
            |switch: &SwitchId| (0..trace.ticks.len()).any(|tick| trace.is_pressed(tick, *switch));
        tracks.extend(
            SwitchId::all(robot.touches.len())
                .filter(pressed)
                .map(|switch| switch_track(story, switch)),
        );
        let moves = |actuator: &ActuatorId| {
            (1..trace.ticks.len())
                .any(|tick| trace.angle(tick, *actuator) != trace.angle(0, *actuator))
        };
        tracks.extend(
            ActuatorId::all(robot.actuators.len())
                .filter(moves)
                .map(|actuator| actuator_track(story, actuator)),
        );
        tracks.extend(speed_tracks(run, robot, program));
        tracks.extend(reflex_track(story));
        tracks.extend(row_track(story));
        tracks.extend(further_tracks(story));
        Self {
            period: f64::from(trace.period_ms) / 1000.0,
            end: trace.seconds(trace.ticks.len().saturating_sub(1)).max(0.1),
            bands: bands.collect(),
            tracks,
            marks: marks(story),
        }
    }

    /// The band that lasts at a time.
    pub fn band_at(&self, seconds: f64) -> Option<&Band> {
        self.bands
            .iter()
            .rev()
            .find(|band| band.from <= seconds + 1e-9)
    }
}

fn marks(story: Story<'_>) -> Vec<Mark> {
    let Story { run, program, .. } = story;
    let trace = &run.trace;
    let stamped = trace.events.iter().filter_map(|stamp| {
        let (kind, words) = match stamp.event {
            Event::Entered { step } if program.steps[step].written => {
                (MarkKind::Step, format!("step {} begins", step.number()))
            }
            Event::Took { reflex } => (
                MarkKind::World,
                format!("reflex \"{}\" takes over", program.reflexes[reflex].name),
            ),
            Event::Gave { reflex } => (
                MarkKind::World,
                format!("reflex \"{}\" has ended", program.reflexes[reflex].name),
            ),
            Event::Kept { name } if !program.kept[name].starts_with(' ') => (
                MarkKind::World,
                format!("{} is measured", program.kept[name]),
            ),
            Event::Counted { count, .. } => (MarkKind::Line, format!("line {count} crossed")),
            // The next step begins in the same tick, which is named there.
            Event::Entered { .. }
            | Event::Ended { .. }
            | Event::Kept { .. }
            | Event::Left { .. } => return None,
        };
        Some((stamp.tick as usize, kind, words))
    });
    let happened = trace
        .happened
        .iter()
        .filter(|happened| happened.what != Happening::Fell)
        .map(|happened| {
            let kind = match happened.what {
                Happening::Tape(_)
                | Happening::EarlyStart
                | Happening::LeftMat
                | Happening::Hung
                | Happening::Locked(_)
                | Happening::Touched(None)
                | Happening::Blocked(_) => MarkKind::Wrong,
                Happening::Fell
                | Happening::Gone(_)
                | Happening::Came(_)
                | Happening::Touched(Some(_))
                | Happening::Parted(_)
                | Happening::Left(_)
                | Happening::ByHand(_)
                | Happening::Signal(..)
                | Happening::Arrived(_) => MarkKind::World,
            };
            (
                happened.tick as usize,
                kind,
                happening_words(story, *happened),
            )
        });
    let how = if run.outcome == Outcome::Done {
        MarkKind::End
    } else {
        MarkKind::Wrong
    };
    let ended = std::iter::once((run.ended, how, crate::words::outcome_words(run, program)));
    let all = stamped.chain(happened).chain(ended);
    let mut marks: Vec<Mark> = all
        .map(|(tick, kind, words)| Mark {
            tick,
            at: trace.seconds(tick),
            words,
            kind,
        })
        .collect();
    marks.sort_by_key(|mark| mark.tick);
    marks
}

fn sensor_track(story: Story<'_>, index: SensorId) -> Track {
    let Story {
        run,
        program,
        robot,
        ..
    } = story;
    let name = robot.sensors[index].name.clone();
    let tones = &program.tones[index];
    if tones.by_colour {
        return Track {
            name,
            unit: "",
            kind: TrackKind::Tones(ribbons(story, index, tones)),
            usual: true,
        };
    }
    let trace = &run.trace;
    let values: Vec<f32> = (0..trace.ticks.len())
        .map(|tick| (trace.reading(tick, index).brightness * 100.0) as f32)
        .collect();
    let mut limits = Vec::new();
    for visit in run.groups.iter().chain(&run.visits) {
        let (from, to) = (trace.seconds(visit.entered), trace.seconds(visit.left));
        let mut add = |value: f64, back: f64| {
            let span = LimitSpan {
                from,
                to,
                value: value * 100.0,
                back: back * 100.0,
            };
            if !limits.contains(&span) {
                limits.push(span);
            }
        };
        for step in program.phases(visit.step) {
            if let Action::Follow(follow) = &step.action {
                let edges = match &follow.rail {
                    Rail::Edge(edge, _) => std::slice::from_ref(edge),
                    Rail::Under(pair) | Rail::Between(pair) => pair,
                };
                for edge in edges.iter().filter(|edge| edge.sensor == index) {
                    add(edge.middle, edge.middle);
                }
            }
            let sights = match &step.action {
                Action::Keep { sensors, .. } | Action::Square { sensors, .. } => sensors.as_slice(),
                Action::Constant { .. }
                | Action::Live { .. }
                | Action::HoldHeading { .. }
                | Action::Follow(_)
                | Action::Move { .. }
                | Action::Signal { .. }
                | Action::Measure { .. }
                | Action::Choose(_)
                | Action::React(_)
                | Action::Group { .. } => &[],
            };
            for (_, sight) in sights.iter().filter(|(sensor, _)| *sensor == index) {
                if let Sight::Bright(limits) = sight {
                    ends(limits).for_each(|(value, back)| add(value, back));
                }
            }
            for look in step.exits.iter().flat_map(|exit| exit.term.looks()) {
                if look.test.sensor() != Some(index) {
                    continue;
                }
                if let Test::Bright { limits, .. } | Test::Crossed { limits, .. } = &look.test {
                    ends(limits).for_each(|(value, back)| add(value, back));
                } else if let Test::Reads { limit, .. } = &look.test {
                    limit
                        .fixed()
                        .into_iter()
                        .for_each(|limit| add(limit, limit));
                }
            }
        }
    }
    Track {
        name,
        unit: "%",
        kind: TrackKind::Line {
            values,
            low: 0.0,
            high: 100.0,
            limits,
        },
        usual: true,
    }
}

/// What a ranging sensor read, with the distances that it was compared with.
fn range_track(story: Story<'_>, ranger: RangerId) -> Track {
    let Story {
        run,
        program,
        robot,
        ..
    } = story;
    let (trace, about) = (&run.trace, &robot.rangers[ranger]);
    let values = (0..trace.ticks.len())
        .map(|tick| (trace.range(tick, ranger) * 1000.0) as f32)
        .collect();
    let limits = run.groups.iter().chain(&run.visits).flat_map(|visit| {
        let (from, to) = (trace.seconds(visit.entered), trace.seconds(visit.left));
        let looks = program
            .phases(visit.step)
            .flat_map(|step| &step.exits)
            .flat_map(|exit| exit.term.looks());
        looks.filter_map(move |look| {
            let Test::Range {
                ranger: of, limit, ..
            } = &look.test
            else {
                return None;
            };
            let value = limit.fixed().filter(|_| *of == ranger)? * 1000.0;
            Some(LimitSpan {
                from,
                to,
                value,
                back: value,
            })
        })
    });
    let kind = TrackKind::Line {
        values,
        low: 0.0,
        high: about.greatest * 1000.0,
        limits: limits.collect(),
    };
    Track {
        name: about.name.clone(),
        unit: "mm",
        kind,
        usual: true,
    }
}

/// When a touch switch or a button was pressed.
fn switch_track(story: Story<'_>, switch: SwitchId) -> Track {
    let trace = &story.run.trace;
    let mut ribbons: Vec<Ribbon> = Vec::new();
    for tick in 0..trace.ticks.len() {
        let (at, pressed) = (trace.seconds(tick), trace.is_pressed(tick, switch));
        let end = trace.seconds(tick + 1);
        let before = tick > 0 && trace.is_pressed(tick - 1, switch);
        if let Some(last) = ribbons.last_mut().filter(|_| before) {
            last.to = at;
        }
        if pressed && !before {
            ribbons.push(Ribbon {
                from: at,
                to: end,
                tone: "pressed".into(),
                rgb: ink::WALL,
            });
        }
    }
    Track {
        name: story.robot.touches[switch].name.clone(),
        unit: "",
        kind: TrackKind::Tones(ribbons),
        usual: true,
    }
}

/// The angle of an actuator.
fn actuator_track(story: Story<'_>, actuator: ActuatorId) -> Track {
    let trace = &story.run.trace;
    let values: Vec<f32> = (0..trace.ticks.len())
        .map(|tick| trace.angle(tick, actuator).to_degrees() as f32)
        .collect();
    let least = f64::from(values.iter().fold(0.0f32, |least, value| least.min(*value)));
    let most = f64::from(values.iter().fold(0.0f32, |most, value| most.max(*value)));
    let low = (least / 30.0).floor() * 30.0;
    let high = ((most / 30.0).ceil() * 30.0).max(low + 30.0);
    let name = story.robot.actuators[actuator].name.clone();
    Track {
        name,
        unit: "deg",
        kind: TrackKind::Line {
            values,
            low,
            high,
            limits: Vec::new(),
        },
        usual: true,
    }
}

fn ends(limits: &Limits) -> impl Iterator<Item = (f64, f64)> {
    [
        (limits.low, limits.low - limits.low_slack),
        (limits.high, limits.high + limits.high_slack),
    ]
    .into_iter()
    .filter(|(value, _)| value.is_finite())
}

/// Which tone a colour sensor saw, as the robot itself would say.
fn ribbons(story: Story<'_>, sensor: SensorId, tones: &Tones) -> Vec<Ribbon> {
    let trace = &story.run.trace;
    let mut ribbons: Vec<Ribbon> = Vec::new();
    for tick in 0..trace.ticks.len() {
        let at = trace.seconds(tick);
        let Some(index) = tones.nearest_colour(&trace.reading(tick, sensor)) else {
            continue;
        };
        let tone = &tones.tones[index].name;
        match ribbons.last_mut() {
            Some(last) if last.tone == *tone => last.to = at,
            last => {
                if let Some(last) = last {
                    last.to = at;
                }
                let surface = story
                    .field
                    .surfaces
                    .iter()
                    .find(|surface| surface.name == *tone);
                let code = story.robot.sensors[sensor]
                    .codes
                    .iter()
                    .find(|code| code.name == *tone);
                let rgb = code
                    .map(|code| code.rgb)
                    .or_else(|| surface.map(|surface| surface.rgb));
                let rgb = rgb.map_or(ink::QUIET, Rgb::from);
                ribbons.push(Ribbon {
                    from: at,
                    to: at,
                    tone: tone.clone(),
                    rgb,
                });
            }
        }
    }
    ribbons
}

/// From this difference (mm/s) on, for as many ticks, the wheels are said to slip.
const SLIPS: (f32, usize) = (25.0, 8);

/// How fast the rims are, and how fast the robot is over the ground, on one scale. The second is
/// there unasked only where they differ: where wheels slip, a wall holds the robot, or it is pushed.
fn speed_tracks(run: &Run, robot: &Robot, program: &Program) -> [Track; 2] {
    let ticks = &run.trace.ticks;
    let wheels: Vec<f32> = ticks
        .iter()
        .map(|tick| (f64::midpoint(tick.rims[0], tick.rims[1]) * 1000.0) as f32)
        .collect();
    let period = f64::from(run.trace.period_ms.max(1)) / 1000.0;
    let over_ground = |pair: &[Tick]| {
        let [from, to] = pair else { return 0.0 };
        let (dx, dy) = (to.pose.x - from.pose.x, to.pose.y - from.pose.y);
        let heading = f64::midpoint(from.pose.heading, to.pose.heading);
        let ahead = dx * heading.cos() + dy * heading.sin();
        // A robot that was carried did not drive.
        if dx.hypot(dy) > 0.05 {
            0.0
        } else {
            (ahead / period * 1000.0) as f32
        }
    };
    let moved = ticks.windows(2).map(over_ground);
    let ground: Vec<f32> = std::iter::once(0.0)
        .chain(moved)
        .take(ticks.len())
        .collect();
    let differs = |(wheel, ground): (&f32, &f32)| (wheel - ground).abs() > SLIPS.0;
    let slips = wheels.iter().zip(&ground).filter(|pair| differs(*pair));
    let slips = slips.count() >= SLIPS.1;
    let free =
        robot.left.no_load_speed.max(robot.right.no_load_speed) * program.wheel_radius * 1000.0;
    let both = || wheels.iter().chain(&ground);
    let greatest = both().fold(0.0f32, |most, value| most.max(value.abs()));
    let high = (f64::from(greatest) / 100.0).ceil().max(1.0) * 100.0;
    let lowest = both().fold(0.0f32, |least, value| least.min(*value));
    let low = if lowest < -20.0 {
        -high.min(free.max(100.0))
    } else {
        0.0
    };
    let track = |name: &str, values, usual| Track {
        name: name.into(),
        unit: "mm/s",
        kind: TrackKind::Line {
            values,
            low,
            high,
            limits: Vec::new(),
        },
        usual,
    };
    [
        track("wheel speed", wheels, true),
        track("ground speed", ground, slips),
    ]
}

/// When a reflex had the wheels; none when none ever had.
fn reflex_track(story: Story<'_>) -> Option<Track> {
    let Story { run, program, .. } = story;
    let mut ribbons: Vec<Ribbon> = Vec::new();
    for leg in &run.legs {
        let Some(reflex) = program.owner(leg.step) else {
            continue;
        };
        let (from, to) = (run.trace.seconds(leg.from), run.trace.seconds(leg.to));
        match ribbons
            .last_mut()
            .filter(|last| last.to >= from - 1e-9 && last.tone == reflex.name)
        {
            Some(last) => last.to = to,
            None => ribbons.push(Ribbon {
                from,
                to,
                tone: reflex.name.clone(),
                rgb: tint(leg.step),
            }),
        }
    }
    let kind = TrackKind::Tones(ribbons);
    let has = matches!(&kind, TrackKind::Tones(ribbons) if !ribbons.is_empty());
    has.then(|| Track {
        name: "reflex".into(),
        unit: "",
        kind,
        usual: true,
    })
}

/// Which row of a `react` had the wheels, when the mission has any.
fn row_track(story: Story<'_>) -> Option<Track> {
    let Story { run, program, .. } = story;
    let parts = run.parts(program);
    let mut ribbons: Vec<Ribbon> = Vec::new();
    for row in program.steps.iter().flat_map(|step| step.action.rows()) {
        let Some(step) = row.step else { continue };
        ribbons.extend(parts[step.0].iter().map(|(from, to)| Ribbon {
            from: run.trace.seconds(*from),
            to: run.trace.seconds(*to),
            tone: row.said(),
            rgb: tint(step),
        }));
    }
    ribbons.sort_by(|a, b| a.from.total_cmp(&b.from));
    (!ribbons.is_empty()).then(|| Track {
        name: "row".into(),
        unit: "",
        kind: TrackKind::Tones(ribbons),
        usual: true,
    })
}

/// What is shown only when somebody asks for it: what the motors were commanded to do, where the
/// robot looked, how far it came, and how far its odometry was off.
fn further_tracks(story: Story<'_>) -> Vec<Track> {
    let Story { run, program, .. } = story;
    let ticks = &run.trace.ticks;
    let line = |name: &str, unit, values: Vec<f32>| {
        let least = values.iter().copied().fold(f32::INFINITY, f32::min);
        let most = values.iter().copied().fold(f32::NEG_INFINITY, f32::max);
        let (low, high) = if least.is_finite() {
            (f64::from(least), f64::from(most))
        } else {
            (0.0, 1.0)
        };
        // Round ends, and some room where nothing ever changes.
        let step = tick_step((high - low).max(1e-3), 4.0);
        let (low, high) = (
            (low / step).floor() * step,
            ((high / step).ceil() * step).max(low + step),
        );
        let kind = TrackKind::Line {
            values,
            low,
            high,
            limits: Vec::new(),
        };
        Track {
            name: name.into(),
            unit,
            kind,
            usual: false,
        }
    };
    let command = |wheel: usize| {
        let of = |command: WheelCommand| match command {
            WheelCommand::Duty(duty) => duty * 100.0,
            WheelCommand::Speed(speed) => speed * 1000.0,
            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
        };
        ticks
            .iter()
            .map(|tick| of([tick.command.left, tick.command.right][wheel]) as f32)
            .collect()
    };
    let speeds = |command: WheelCommand| matches!(command, WheelCommand::Speed(_));
    let unit = if ticks.iter().any(|tick| speeds(tick.command.left)) {
        ""
    } else {
        "%"
    };
    let believed = believed(run, program);
    let off = ticks
        .iter()
        .zip(&believed)
        .map(|(tick, at)| (tick.pose.x - at[0]).hypot(tick.pose.y - at[1]) * 1e3);
    let turned = ticks
        .iter()
        .zip(&believed)
        .map(|(tick, at)| (tick.pose.heading - at[2]).to_degrees());
    vec![
        line("left command", unit, command(0)),
        line("right command", unit, command(1)),
        line(
            "heading",
            "deg",
            ticks
                .iter()
                .map(|tick| tick.pose.heading.to_degrees() as f32)
                .collect(),
        ),
        line(
            "way",
            "mm",
            believed.iter().map(|at| (at[3] * 1e3) as f32).collect(),
        ),
        line("position error", "mm", off.map(|off| off as f32).collect()),
        line(
            "heading error",
            "deg",
            turned.map(|off| off as f32).collect(),
        ),
        line(
            "battery",
            "V",
            ticks.iter().map(|tick| tick.battery as f32).collect(),
        ),
    ]
}

/// Where the robot would believe to be at every tick by its encoders and its gyro, from its true pose
/// at the start: x, y, heading, and metres rolled.
fn believed(run: &Run, program: &Program) -> Vec<[f64; 4]> {
    let ticks = &run.trace.ticks;
    let Some(first) = ticks.first() else {
        return Vec::new();
    };
    let (mut odometry, mut far) = (Odometry::at(first.pose), 0.0);
    let mut before = None;
    let one = |tick: &Tick| {
        let [left, right] = tick.wheels.map(|wheel| wheel * program.wheel_radius);
        let heading = if program.has_gyro {
            tick.gyro
        } else {
            (right - left) / program.track_width
        };
        let rolled = f64::midpoint(left, right);
        odometry.go_on(rolled, heading);
        far += (rolled - before.replace(rolled).unwrap_or(rolled)).abs();
        let Pose { x, y, heading } = odometry.pose();
        [x, y, heading, far]
    };
    ticks.iter().map(one).collect()
}

/// Room for the names of tracks, millimetres.
const NAMES: f64 = 26.0;
/// Height of the band of steps, millimetres.
const BANDS: f64 = 6.0;
/// Height of a ribbon, millimetres.
const RIBBON: f64 = 6.0;
/// Room below for the time axis, millimetres.
const AXIS: f64 = 8.0;
/// Readings are drawn as the least and greatest of this many columns.
const COLUMNS: usize = 900;

/// The chart as scene items within a box of the scene (millimetres).
pub fn chart_scene(chart: &Chart, left: f64, top: f64, width: f64, height: f64) -> Vec<Item> {
    let plot = Plot {
        left: left + NAMES,
        width: width - NAMES,
        end: chart.end,
    };
    let mut items = Vec::new();
    plot.bands(&mut items, chart, top, height);
    let tracks: Vec<&Track> = chart.tracks.iter().filter(|track| track.usual).collect();
    let ribbons = tracks
        .iter()
        .filter(|track| matches!(track.kind, TrackKind::Tones(_)))
        .count() as f64;
    let lines = tracks.len() as f64 - ribbons;
    let gap = 2.0;
    let room = height - BANDS - AXIS - ribbons * RIBBON - gap * tracks.len() as f64;
    let line_height = if lines > 0.0 {
        (room / lines).max(4.0)
    } else {
        0.0
    };
    let mut y = top + BANDS + gap;
    for track in tracks {
        let h = if matches!(track.kind, TrackKind::Tones(_)) {
            RIBBON
        } else {
            line_height
        };
        // Where tracks stand close together, name and span stand closer too.
        let close = h + gap < 7.2;
        let (name_at, name_size, span_at, span_size) = if close {
            (-0.3, 2.6, 2.1, 1.9)
        } else {
            (0.4, 2.9, 3.6, 2.3)
        };
        items.push(
            Item::words(
                [left, y + h / 2.0 + name_at],
                name_size,
                Anchor::Start,
                ink::TEXT,
                &*track.name,
            )
            .bold(),
        );
        match &track.kind {
            TrackKind::Line {
                values,
                low,
                high,
                limits,
            } => {
                let unit = format!("{low:.0} to {high:.0} {}", track.unit);
                items.push(Item::words(
                    [left, y + h / 2.0 + span_at],
                    span_size,
                    Anchor::Start,
                    ink::QUIET,
                    unit,
                ));
                let scale = Scale {
                    top: y,
                    height: h,
                    low: *low,
                    high: *high,
                };
                plot.line(&mut items, values, chart.period, &scale, limits);
            }
            TrackKind::Tones(ribbons) => plot.ribbons(&mut items, ribbons, y, h),
        }
        y += h + gap;
    }
    plot.axis(&mut items, y);
    plot.marks(&mut items, chart, top + BANDS, y);
    items
}

struct Plot {
    left: f64,
    width: f64,
    end: f64,
}

struct Scale {
    top: f64,
    height: f64,
    low: f64,
    high: f64,
}

impl Scale {
    fn y(&self, value: f64) -> f64 {
        let share = ((value - self.low) / (self.high - self.low)).clamp(0.0, 1.0);
        self.top + self.height * (1.0 - share)
    }
}

impl Plot {
    fn x(&self, seconds: f64) -> f64 {
        self.left + self.width * (seconds / self.end).clamp(0.0, 1.0)
    }

    fn bands(&self, items: &mut Vec<Item>, chart: &Chart, top: f64, height: f64) {
        for band in &chart.bands {
            let (x0, x1) = (self.x(band.from), self.x(band.to));
            items.push(Item::filled(
                Layer::Ground,
                rectangle(x0, top, (x1 - x0).max(0.2), BANDS),
                tint(band.step),
            ));
            let shade = rectangle(x0, top + BANDS, (x1 - x0).max(0.2), height - BANDS - AXIS);
            items.push(Item::filled(Layer::Ground, shade, tint(band.step)).see_through(0.07));
            // A digit of this size is about 2 mm wide.
            if x1 - x0 > 4.0 {
                let at = [f64::midpoint(x0, x1), top + BANDS - 1.7];
                items.push(
                    Item::words(
                        at,
                        3.2,
                        Anchor::Middle,
                        ink::PAPER,
                        band.step.number().to_string(),
                    )
                    .bold(),
                );
            }
        }
    }

    fn line(
        &self,
        items: &mut Vec<Item>,
        values: &[f32],
        period: f64,
        scale: &Scale,
        limits: &[LimitSpan],
    ) {
        let frame = rectangle(self.left, scale.top, self.width, scale.height);
        items.push(Item::drawn(
            Layer::Ground,
            frame,
            Stroke::full(ink::HAIR, 0.15),
        ));
        for limit in limits {
            let (x0, x1) = (self.x(limit.from), self.x(limit.to));
            let (y, back) = (scale.y(limit.value), scale.y(limit.back));
            if (y - back).abs() > 0.05 {
                let band = rectangle(x0, y.min(back), x1 - x0, (y - back).abs());
                items.push(Item::filled(Layer::Ghost, band, ink::WRONG).see_through(0.14));
            }
            let stroke = Stroke {
                ink: ink::WRONG,
                width: 0.25,
                dash: 1.0,
            };
            items.push(Item::drawn(
                Layer::Ghost,
                Shape::Line(vec![[x0, y], [x1, y]]),
                stroke,
            ));
        }
        let points = columns(values)
            .into_iter()
            .map(|(tick, value)| [self.x(tick as f64 * period), scale.y(f64::from(value))]);
        items.push(Item::drawn(
            Layer::Path,
            Shape::Line(points.collect()),
            Stroke::full(ink::TEXT, 0.25),
        ));
    }

    fn ribbons(&self, items: &mut Vec<Item>, ribbons: &[Ribbon], y: f64, h: f64) {
        for ribbon in ribbons {
            let (x0, x1) = (self.x(ribbon.from), self.x(ribbon.to));
            let width = (x1 - x0).max(0.15);
            items.push(Item::filled(
                Layer::Path,
                rectangle(x0, y, width, h),
                ribbon.rgb,
            ));
            // Letters of this size are about 1.4 mm wide each.
            if width > 1.5 * ribbon.tone.chars().count() as f64 + 1.0 {
                let ink = if ribbon.rgb.luminance() > 0.3 {
                    ink::TEXT
                } else {
                    ink::PAPER
                };
                let at = [f64::midpoint(x0, x1), y + h / 2.0 + 0.9];
                items.push(Item::words(at, 2.3, Anchor::Middle, ink, &*ribbon.tone));
            }
        }
        let frame = rectangle(self.left, y, self.width, h);
        items.push(Item::drawn(
            Layer::Event,
            frame,
            Stroke::full(ink::HAIR, 0.15),
        ));
    }

    fn axis(&self, items: &mut Vec<Item>, y: f64) {
        let step = tick_step(self.end, 14.0);
        for count in 0..=((self.end + 1e-9) / step) as u32 {
            // One decimal is enough for every step, and hides that a tenth is not a binary number.
            let at = (f64::from(count) * step * 10.0).round() / 10.0;
            let x = self.x(at);
            items.push(Item::drawn(
                Layer::Note,
                Shape::Line(vec![[x, y], [x, y + 1.2]]),
                Stroke::full(ink::QUIET, 0.2),
            ));
            items.push(Item::words(
                [x, y + 4.4],
                2.6,
                Anchor::Middle,
                ink::QUIET,
                format!("{at} s"),
            ));
        }
    }

    fn marks(&self, items: &mut Vec<Item>, chart: &Chart, top: f64, bottom: f64) {
        for mark in chart
            .marks
            .iter()
            .filter(|mark| mark.kind == MarkKind::Wrong)
        {
            let x = self.x(mark.at);
            items.push(Item::drawn(
                Layer::Event,
                Shape::Line(vec![[x, top], [x, bottom]]),
                Stroke::full(ink::WRONG, 0.4),
            ));
        }
    }
}

/// A round step of seconds that gives at most `most` labels.
pub fn tick_step(end: f64, most: f64) -> f64 {
    [0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0]
        .into_iter()
        .find(|step| end / step <= most)
        .unwrap_or(300.0)
}

/// Values thinned to the least and greatest of each column, in the order they came.
fn columns(values: &[f32]) -> Vec<(usize, f32)> {
    let size = values.len().div_ceil(COLUMNS).max(1);
    let mut kept = Vec::new();
    for (column, chunk) in values.chunks(size).enumerate() {
        let by = |a: &(usize, &f32), b: &(usize, &f32)| a.1.total_cmp(b.1);
        let least = chunk
            .iter()
            .enumerate()
            .min_by(by)
            .expect("a chunk is never empty");
        let most = chunk
            .iter()
            .enumerate()
            .max_by(by)
            .expect("a chunk is never empty");
        let mut pair = [least, most];
        pair.sort_by_key(|(at, _)| *at);
        kept.extend(pair.map(|(at, value)| (column * size + at, *value)));
    }
    kept.dedup();
    kept
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn thinning_keeps_every_spike() {
        let mut values = vec![50.0f32; 10_000];
        values[4321] = 2.0;
        values[8765] = 99.0;
        let kept = columns(&values);
        assert!(kept.len() <= 2 * COLUMNS);
        assert!(kept.contains(&(4321, 2.0)) && kept.contains(&(8765, 99.0)));
        assert!(
            kept.windows(2).all(|pair| pair[0].0 < pair[1].0),
            "time goes on"
        );
    }

    #[test]
    fn the_axis_has_room_for_its_labels() {
        for end in [0.3, 4.0, 58.0, 119.0, 600.0, 3600.0] {
            let labels = end / tick_step(end, 14.0);
            assert!(labels <= 14.0, "{end}: {labels}");
        }
    }
}
