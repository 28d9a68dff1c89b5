//! A project: which mission, robot and field belong together, and what the sensors were calibrated
//! to.
//!
//! Long because reading the files, the names they offer and preparing a mission lead from one to
//! the next.

pub mod arrange;
mod doubts;
pub mod hands;
pub mod values;

use crate::ids::{DeviceId, SensorId};
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

use self::doubts::doubts;

use crate::controller::{CompileError, Program, Reading, Refused, Script, Tone, Tones};
use crate::field::{
    self, Conduct, Field, Files, Obstacle, Opponent, Outline, Point, Pose, Shape, SurfaceId,
    Unreadable, Zone, seen,
};
use crate::finding::{Finding, Hints, Severity, Source, did_you_mean, has_errors, line_column};
use crate::keys::{Described, Key, REQUIRED, Section, section};
use crate::lab::advice::advice;
use crate::mission::{self, Checked, DeviceName, Line, Names, Parsed, RoutineName};
use crate::record::Intervention;
use crate::robot::{self, Code, Device, Robot, SensorKind};
use crate::scatter::{Spreads, StartScatter, StartSpread};
use crate::sim::{Player, Role, World, in_the_way};
use crate::tables::Tables;
use crate::units::colour::linear;
use crate::units::{Quantity, Unit};

/// What `wayodos.toml` says: paths are relative to the project folder.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Config {
    /// What people call the project.
    pub name: String,
    /// Path of the mission.
    pub mission: String,
    /// Path of the robot file.
    pub robot: String,
    /// Path of the field file.
    pub field: String,
    /// Path of the calibration, if there is one.
    pub calibration: Option<String>,
    /// Path of the file of what is done by hand, if there is one.
    pub hands: Option<String>,
    /// Seed of the nominal run.
    pub seed: u64,
    /// How many varied runs are made behind the nominal one.
    pub spread: u32,
    /// How exactly the robot is put down.
    pub placing: Spreads<StartSpread>,
    /// Missions that play elsewhere: the mission's name, and what it has instead of the above.
    pub instead: Vec<(String, Instead)>,
}

section! {
    #[derive(Clone, Debug, PartialEq, Eq, Default)]
    pub Instead "[for.MISSION]" "What one mission has of its own. With another field, the calibration and the hands of the project are not used."
        robot: Option<String> = "\"robots/dunlin.toml\"", Some("as above"), "Path of its robot file.";
        field: Option<String> = "\"fields/ring.toml\"", Some("as above"), "Path of its field file.";
        calibration: Option<String> = "\"calibration.toml\"", Some("as above, for the same field"), "Path of its calibration.";
        hands: Option<String> = "\"hands.toml\"", Some("as above, for the same field"), "Path of its file of hands.";
        seed: Option<u32> = "7", Some("as above"), "Its seed.";
}

const NAME: Key = Key::new::<String>(
    "name",
    "\"Brinewick\"",
    Some("none"),
    "What people call the project.",
);
const MISSION: Key = Key::new::<String>(
    "mission",
    "\"missions/morning-round.way\"",
    REQUIRED,
    "Path of the mission that is opened.",
);
const ROBOT: Key = Key::new::<String>(
    "robot",
    "\"robots/curlew.toml\"",
    REQUIRED,
    "Path of the robot file.",
);
const FIELD: Key = Key::new::<String>(
    "field",
    "\"fields/causeway.toml\"",
    REQUIRED,
    "Path of the field file.",
);
const CALIBRATION: Key = Key::new::<String>(
    "calibration",
    "\"calibration.toml\"",
    Some("calibrated without error"),
    "Path of the calibration.",
);
const HANDS: Key = Key::new::<String>(
    "hands",
    "\"hands.toml\"",
    Some("none"),
    "Path of the file of what is done by hand.",
);
const SEED: Key = Key::new::<u32>("seed", "1", Some("1"), "Where chance begins.");
/// How many varied runs are made when nothing else is said.
pub const SPREAD_RUNS: u32 = 200;
const SPREAD: Key = Key::new::<u32>(
    "spread",
    "200",
    Some("200"),
    "How many varied runs are made behind the nominal one; 0 makes none.",
)
.within(0.0..1000.0);

/// All that `wayodos.toml` may hold.
pub const FILE: &[Section] = &[
    Section::top(
        "The project.",
        &[
            NAME,
            MISSION,
            ROBOT,
            FIELD,
            CALIBRATION,
            HANDS,
            SEED,
            SPREAD,
        ],
    ),
    Instead::SECTION,
    StartScatter::SECTION,
];

/// What the calibration may hold: below each section the names of the field's surfaces.
pub const CALIBRATION_FILE: &[Section] = &[Section {
    title: "[sensor.NAME]",
    about: "What a sensor reads.",
    keys: &[],
}];

/// The files of a project that are written in TOML, each with all that it may hold.
pub const FILES: &[(&str, &[Section])] = &[
    ("The project: wayodos.toml", FILE),
    ("Robots: robots/*.toml", crate::robot::FILE),
    ("Fields: fields/*.toml", crate::field::FILE),
    ("Hands: hands.toml", hands::FILE),
];

impl Config {
    /// Makes a mission, by its name, the one that is opened.
    pub fn choose(&mut self, mission: &str) {
        self.mission = format!("missions/{mission}.way");
        self.with_own(mission);
    }

    /// The mission that is opened plays with what it has of its own.
    pub fn with_its_own(&mut self) {
        let stem = self
            .mission
            .strip_prefix("missions/")
            .and_then(|name| name.strip_suffix(".way"));
        if let Some(stem) = stem.map(str::to_owned) {
            self.with_own(&stem);
        }
    }

    fn with_own(&mut self, mission: &str) {
        let Some((_, own)) = self.instead.iter().find(|(name, _)| name == mission) else {
            return;
        };
        if own.field.as_ref().is_some_and(|field| *field != self.field) {
            (self.calibration, self.hands) = (None, None);
        }
        let own = own.clone();
        self.robot = own.robot.unwrap_or_else(|| std::mem::take(&mut self.robot));
        self.field = own.field.unwrap_or_else(|| std::mem::take(&mut self.field));
        self.calibration = own.calibration.or_else(|| self.calibration.take());
        self.hands = own.hands.or_else(|| self.hands.take());
        self.seed = own.seed.map_or(self.seed, u64::from);
    }

    /// Reads `wayodos.toml`.
    pub fn load(text: &str) -> (Option<Self>, Vec<Finding>) {
        let mut tables = Tables::new(Source::Project, text, FILE);
        let name = tables.top(&NAME);
        let mission = tables.top(&MISSION);
        let robot = tables.top(&ROBOT);
        let field = tables.top(&FIELD);
        let calibration = tables.top(&CALIBRATION);
        let hands = tables.top(&HANDS);
        let seed = tables.top::<u32>(&SEED);
        let spread = tables.top::<u32>(&SPREAD);
        let placing = Spreads::<StartSpread>::load(&mut tables);
        let instead = tables.named_sections::<Instead>("for").into_iter();
        let instead = instead
            .map(|entry| (entry.name.value, entry.value))
            .collect();
        let config = || {
            Some(Self {
                name: name.map_or_else(String::new, |item| item.value),
                mission: mission?.value,
                robot: robot?.value,
                field: field?.value,
                calibration: calibration.map(|item| item.value),
                hands: hands.map(|item| item.value),
                seed: seed.map_or(1, |item| u64::from(item.value)),
                spread: spread.map_or(SPREAD_RUNS, |item| item.value.min(1000)),
                placing,
                instead,
            })
        };
        (config(), tables.findings)
    }
}

/// A robot, a field and a calibration that fit together.
#[derive(Clone, Debug)]
pub struct Setup {
    /// The robot.
    pub robot: Arc<Robot>,
    /// The field.
    pub field: Arc<Field>,
    /// The tones of each sensor, in the order of the robot's sensors.
    pub tones: Vec<Tones>,
    /// What a mission may refer to.
    pub names: Names,
    /// The other robots, in the order of the field's opponents.
    pub players: Vec<Player>,
    /// What is done by hand during a run, in order of time.
    pub hands: Vec<Intervention>,
    /// Files of routines that missions may use: path within the project, and text.
    pub shared: Vec<(String, String)>,
    /// How exactly the robot is put down.
    pub placing: Spreads<StartSpread>,
}

/// What the box is called that [`Setup::with_box`] has.
pub const BOX: &str = "box";
/// Its sides, metres.
const BOX_SIDE: f64 = 0.1;

impl Setup {
    /// Reads the files beside the mission, for a field that names no further files. No setup when
    /// one has errors.
    pub fn load(
        robot: &str,
        field: &str,
        calibration: Option<&str>,
    ) -> (Option<Self>, Vec<Finding>) {
        Self::load_with(robot, field, calibration, &|_| Err(Unreadable::NoFiles))
    }

    /// Reads the files beside the mission, and those that the field names. No setup when one of
    /// them has errors.
    pub fn load_with(
        robot: &str,
        field: &str,
        calibration: Option<&str>,
        files: Files<'_>,
    ) -> (Option<Self>, Vec<Finding>) {
        let (robot, mut findings) = robot::load(robot);
        let (field, field_findings) = field::load_with(field, files);
        findings.extend(field_findings);
        let Some(robot) = robot else {
            return (None, findings);
        };
        let tones = calibrate(&robot, &field, calibration, &mut findings);
        check_places(&robot, &field, &mut findings);
        let players: Vec<Player> = field
            .opponents
            .iter()
            .filter_map(|opponent| player(opponent, &field, files, &mut findings))
            .collect();
        if has_errors(&findings) {
            return (None, findings);
        }
        let names = names(&robot, &field, &tones);
        (
            Some(Self {
                robot: Arc::new(robot),
                field: Arc::new(field),
                tones,
                names,
                players,
                hands: Vec::new(),
                shared: Vec::new(),
                placing: Spreads::default(),
            }),
            findings,
        )
    }

    /// The same with a box beside the field that only a hand puts onto it: for a look at what
    /// happens when something is in the way.
    #[must_use]
    pub fn with_box(&self) -> Self {
        if self
            .field
            .obstacles
            .iter()
            .any(|obstacle| obstacle.name == BOX)
        {
            return self.clone();
        }
        let half = BOX_SIDE / 2.0;
        let corners = [(-half, -half), (half, -half), (half, half), (-half, half)];
        let mut field = (*self.field).clone();
        field.obstacles.push(Obstacle {
            name: BOX.to_owned(),
            surface: SurfaceId(0),
            outline: Outline::Polygon(corners.map(|(x, y)| Point::new(x, y)).to_vec()),
            pose: Pose::default(),
            comes: f64::INFINITY,
            leaves: f64::INFINITY,
            every: None,
            path: Vec::new(),
            speed: 0.0,
            paces: false,
        });
        Self {
            field: Arc::new(field),
            ..self.clone()
        }
    }

    /// The world of this setup, ready for runs.
    pub fn world(&self) -> World {
        let (field, robot) = (Arc::clone(&self.field), Arc::clone(&self.robot));
        let mut world = World::with(field, robot, self.players.clone());
        world.placing = self.placing;
        world
    }
}

/// Nothing may stand in something else at the start.
fn check_places(robot: &Robot, field: &Field, findings: &mut Vec<Finding>) {
    let corners = robot
        .outline
        .iter()
        .map(|&(x, y)| Point::new(x, y))
        .collect();
    let robot = Outline::Polygon(corners);
    let stands = |span: &std::ops::Range<usize>, what: String| {
        Finding::error("F118", Source::Field, span.clone(), what).hint("move one of them")
    };
    for start in field.starts.iter().filter(|start| !start.turned_by_lot) {
        if let Some(other) = in_the_way(field, &robot, start.pose, None) {
            findings.push(stands(
                &start.span,
                format!("at start `{}` the robot would stand in {other}", start.name),
            ));
        }
    }
    for (index, object) in field.objects.iter().enumerate() {
        if let Some(other) = in_the_way(field, &object.outline, object.pose, Some(index)) {
            findings.push(stands(
                &object.span,
                format!("`{}` would stand in {other}", object.name),
            ));
        }
    }
}

/// Another robot with what it does; what is wrong with its own files is reported at the key that
/// names them.
fn player(
    opponent: &Opponent,
    field: &Field,
    files: Files<'_>,
    findings: &mut Vec<Finding>,
) -> Option<Player> {
    let mut refuse = |span: &std::ops::Range<usize>, path: &str, why: String| {
        let message = format!("`{}` cannot play: {path}: {why}", opponent.name);
        findings.push(
            Finding::error("F117", Source::Field, span.clone(), message).hint("fix that file"),
        );
    };
    let read = |path: &str| {
        files(path).and_then(|bytes| String::from_utf8(bytes).map_err(|_| Unreadable::NotText))
    };
    let at = &opponent.robot_span;
    let text = read(&opponent.robot)
        .map_err(|why| refuse(at, &opponent.robot, why.to_string()))
        .ok()?;
    let (robot, found) = robot::load(&text);
    let first = |found: &[Finding], text: &str| {
        let worst = found
            .iter()
            .find(|finding| finding.severity == Severity::Error)?;
        Some(format!(
            "line {}: {}",
            line_column(text, worst.span.start).0,
            worst.message
        ))
    };
    if let Some(why) = first(&found, &text) {
        refuse(at, &opponent.robot, why);
        return None;
    }
    let robot = robot?;
    let role = match &opponent.conduct {
        Conduct::Stands => Role::Stands,
        Conduct::Drifts(duties) => Role::Drifts(*duties),
        Conduct::Patrols(places, duty) => Role::Patrols(places.clone(), *duty),
        Conduct::Mission(path) => {
            let at = &opponent.conduct_span;
            let text = read(path)
                .map_err(|why| refuse(at, path, why.to_string()))
                .ok()?;
            // The files with routines that it uses lie in the same project.
            let uses = mission::parse(&text).mission.uses;
            let shared: Vec<(String, String)> = uses
                .into_iter()
                .filter_map(|used| Some((used.node.clone(), read(&used.node).ok()?)))
                .collect();
            let tones = ideal(&robot, field);
            let names = names(&robot, field, &tones);
            let stage = Stage {
                robot: &robot,
                field,
                tones: &tones,
                names: &names,
                shared: &shared,
            };
            let Prepared {
                program,
                findings: found,
                ..
            } = prepare_for(&text, stage);
            let Some(program) = program else {
                let why = first(&found, &text).unwrap_or_else(|| "it has no steps".to_owned());
                refuse(at, path, why);
                return None;
            };
            Role::Mission(program)
        }
    };
    Some(Player {
        robot: Arc::new(robot),
        role,
    })
}

/// What a mission for a robot on a field may refer to.
fn names(robot: &Robot, field: &Field, tones: &[Tones]) -> Names {
    Names {
        devices: robot
            .devices()
            .map(|device| device_name(robot, &device, tones))
            .collect(),
        starts: field
            .starts
            .iter()
            .map(|start| start.name.clone())
            .collect(),
        zones: zones(field).into_iter().map(|zone| zone.name).collect(),
        has_gyro: robot.gyro.is_some(),
        steers: robot.steering.is_some(),
        top_speed: robot.top_speed(),
        routines: Vec::new(),
    }
}

/// What a mission may call a zone: the field's own, and the whole mat unless a zone is called so.
fn zones(field: &Field) -> Vec<Zone> {
    // Conditions hold names between quotes: one that has some itself cannot be spoken of.
    let nameable = |zone: &&Zone| !zone.name.contains(['"', '\n']);
    let mut all: Vec<Zone> = field.zones.iter().filter(nameable).cloned().collect();
    if all.iter().all(|zone| zone.name != mission::MAT) {
        let corners = [
            (0.0, 0.0),
            (field.width, 0.0),
            (field.width, field.height),
            (0.0, field.height),
        ];
        all.push(Zone {
            name: mission::MAT.to_owned(),
            shape: Shape::Polygon(corners.map(|(x, y)| Point::new(x, y)).to_vec()),
        });
    }
    all
}

/// A device of a robot as missions know it.
fn device_name(robot: &Robot, device: &Device<'_>, tones: &[Tones]) -> DeviceName {
    let mut known = DeviceName::new(device.name, device.id.kind());
    known.place = device.place.map_or_else(String::new, place_words);
    if let DeviceId::Floor(id) = device.id {
        let sensor = &robot.sensors[id];
        known.mirror = robot
            .opposite(id)
            .map(|other| robot.sensors[other].name.clone());
        known.dark_is_high = sensor.inverted;
        known.codes = sensor.codes.iter().map(|code| code.number).collect();
        known.tones = tones[id]
            .tones
            .iter()
            .map(|tone| tone.name.clone())
            .collect();
        known.reads = tones[id].tones.iter().map(|tone| tone.brightness).collect();
    }
    if let DeviceId::Actuator(id) = device.id {
        known.stops = robot.actuators[id].stops;
    }
    known
}

/// Where something sits on a robot, in words.
fn place_words((ahead, left): (f64, f64)) -> String {
    let side = match left {
        left if left > 1e-4 => format!("{:.0} mm left", left * 1e3),
        left if left < -1e-4 => format!("{:.0} mm right", -left * 1e3),
        _ => "in the middle".to_owned(),
    };
    format!("{:.0} mm ahead of the axle, {side}", ahead * 1e3)
}

/// The tones of every sensor as the field's surfaces would read without any error.
fn ideal(robot: &Robot, field: &Field) -> Vec<Tones> {
    robot
        .sensors
        .iter()
        .map(|sensor| {
            let by_colour = sensor.sees_colours();
            let ground = field
                .surfaces
                .first()
                .map_or_else(String::new, |surface| surface.name.clone());
            if sensor.kind == SensorKind::Code {
                // It knows what it sees: its table is its calibration.
                let tone = |code: &Code| {
                    let Reading { brightness, rgb } = Reading::of(linear(code.rgb));
                    Tone {
                        name: code.name.clone(),
                        brightness,
                        rgb,
                    }
                };
                return Tones {
                    tones: sensor.codes.iter().map(tone).collect(),
                    by_colour,
                    ground,
                };
            }
            let tones = field.surfaces.iter().map(|surface| {
                let (brightness, rgb) = seen(surface, sensor.light);
                let lit = |share: f64| sensor.reads(share, field.ambient);
                let (brightness, rgb) = (lit(brightness), rgb.map(lit));
                Tone {
                    name: surface.name.clone(),
                    brightness,
                    rgb: if by_colour { rgb } else { [brightness; 3] },
                }
            });
            Tones {
                tones: tones.collect(),
                by_colour,
                ground,
            }
        })
        .collect()
}

/// The tones of every sensor: as calibrated, or else as they would be without any error.
fn calibrate(
    robot: &Robot,
    field: &Field,
    text: Option<&str>,
    findings: &mut Vec<Finding>,
) -> Vec<Tones> {
    let mut result = ideal(robot, field);
    let Some(text) = text else { return result };
    let as_drawn = result.clone();
    let mut written: Vec<(SensorId, Range<usize>)> = Vec::new();
    let mut tables = Tables::new(Source::Calibration, text, CALIBRATION_FILE);
    for entry in tables.named::<BTreeMap<toml::Spanned<String>, toml::Spanned<String>>>("sensor") {
        let Some(index) = robot.sensor(&entry.name.value) else {
            let message = format!("the robot has no sensor `{}`", entry.name.value);
            let hint = did_you_mean(
                &entry.name.span,
                &entry.name.value,
                robot.sensors.iter().map(|sensor| sensor.name.as_str()),
            );
            tables.error("C101", entry.name.span, message).help(hint);
            continue;
        };
        let mut rows: Vec<_> = entry.value.into_iter().collect();
        rows.sort_by_key(|(name, _)| name.span().start);
        if robot.sensors[index].kind == SensorKind::Code {
            let message = format!(
                "`{}` has a table of codes and needs no calibration",
                entry.name.value
            );
            tables
                .error("C101", entry.name.span, message)
                .help("take this section out".to_owned());
            continue;
        }
        let by_colour = result[index].by_colour;
        result[index].tones.clear();
        written.push((index, entry.name.span.clone()));
        for (name, reads) in rows {
            match tone(name.get_ref(), reads.get_ref(), by_colour) {
                Some(tone) => result[index].tones.push(tone),
                None => {
                    let example = if by_colour {
                        "\"62 %, 18 %, 11 %\" (red, green, blue)"
                    } else {
                        "\"12 %\""
                    };
                    let message = format!(
                        "`{}` is not what `{}` can read",
                        reads.get_ref(),
                        entry.name.value
                    );
                    tables
                        .error("C102", reads.span(), message)
                        .help(format!("write {example}"));
                }
            }
        }
    }
    for (sensor, span) in written {
        let told = doubts(robot, sensor, &result[sensor], &as_drawn[sensor]);
        for (code, message, hint) in told {
            let finding = Finding::warning(code, Source::Calibration, span.clone(), message);
            findings.push(finding.hint(hint));
        }
    }
    findings.append(&mut tables.findings);
    result
}

/// Reads `12 %`, or `62 %, 18 %, 11 %` for a colour.
fn tone(name: &str, text: &str, by_colour: bool) -> Option<Tone> {
    let shares: Vec<f64> = text
        .split(',')
        .map(|part| {
            Quantity::parse(part)
                .ok()
                .filter(|q| q.unit == Unit::Percent && (0.0..=100.0).contains(&q.value))
        })
        .map(|quantity| quantity.map(Quantity::si))
        .collect::<Option<_>>()?;
    let rgb = match (shares.as_slice(), by_colour) {
        ([brightness], false) => [*brightness; 3],
        ([r, g, b], true) => [*r, *g, *b],
        _ => return None,
    };
    let Reading { brightness, rgb } = Reading::of(rgb);
    Some(Tone {
        name: name.to_owned(),
        brightness,
        rgb,
    })
}

/// A mission text read, checked and, when nothing is wrong, compiled.
#[derive(Clone, Debug, Default)]
pub struct Prepared {
    /// What the text says.
    pub parsed: Parsed,
    /// All findings about the mission, in order of the text.
    pub findings: Vec<Finding>,
    /// Ready to run, when no finding is an error.
    pub program: Option<Arc<Program>>,
    /// The routines of the files that it uses.
    pub routines: Vec<RoutineName>,
}

/// What a mission is prepared for: ours for its setup, an opponent's for its own robot.
#[derive(Clone, Copy)]
struct Stage<'a> {
    robot: &'a Robot,
    field: &'a Field,
    tones: &'a [Tones],
    names: &'a Names,
    shared: &'a [(String, String)],
}

/// Reads, checks and compiles a mission. Without a setup the names are left unchecked and nothing
/// compiles.
///
/// With a setup there is a program, or a finding that is an error.
pub fn prepare(text: &str, setup: Option<&Setup>) -> Prepared {
    let Some(Setup {
        robot,
        field,
        tones,
        names,
        shared,
        ..
    }) = setup
    else {
        let parsed = mission::parse(text);
        let findings = parsed.findings.clone();
        return Prepared {
            parsed,
            findings,
            program: None,
            routines: Vec::new(),
        };
    };
    prepare_for(
        text,
        Stage {
            robot,
            field,
            tones,
            names,
            shared,
        },
    )
}

fn prepare_for(text: &str, stage: Stage<'_>) -> Prepared {
    let parsed = mission::parse(text);
    let mut findings = parsed.findings.clone();
    let used = used(&parsed, stage, &mut findings);
    let routines: Vec<RoutineName> = used
        .iter()
        .flat_map(|file| file.routines.iter().cloned())
        .collect();
    if routines.is_empty() {
        findings.extend(mission::check(&parsed, stage.names));
    } else {
        findings.extend(mission::check(
            &parsed,
            &Names {
                routines: routines.clone(),
                ..stage.names.clone()
            },
        ));
    }
    let mut program = None;
    if has_errors(&findings) {
        let names = Names {
            routines: routines.clone(),
            ..stage.names.clone()
        };
        mission::explain(text, &parsed, &names, &mut findings);
    } else {
        let own = Script {
            text,
            mission: &parsed.mission,
        };
        let others = used.iter().map(|file| Script {
            text: file.text,
            mission: &file.parsed.mission,
        });
        let scripts: Vec<Script<'_>> = std::iter::once(own).chain(others).collect();
        match Program::compile_with(&scripts, stage.robot, stage.tones, &zones(stage.field)) {
            Ok(compiled) => program = Some(Arc::new(compiled)),
            Err(Refused { error, line }) => findings.push(refusal(&error, parsed.lines.get(line))),
        }
    }
    if let Some(program) = &program {
        findings.extend(advice(text, &parsed, program, stage.robot, stage.field));
    }
    findings.sort_by_key(|finding| finding.span.start);
    Prepared {
        parsed,
        findings,
        program,
        routines,
    }
}

/// Why a checked mission has no program, at the line that leads to it.
fn refusal(error: &CompileError, line: Option<&Line>) -> Finding {
    let hint = match error {
        CompileError::TooLarge => "look for routines that call each other many times".to_owned(),
        CompileError::NoOpposite { sensor } => {
            format!("make `{sensor}` a parameter of the routine")
        }
        CompileError::NoTone { sensor, tone } => {
            format!(
                "add `{tone} = \"12 %\"` to [sensor.{sensor}] of the calibration, with what it reads there"
            )
        }
        CompileError::NoEdge { sensor, .. } => {
            format!(
                "add what `{sensor}` reads beside the line to [sensor.{sensor}] of the calibration"
            )
        }
        CompileError::NotFixed => {
            "give it an amount that is written out, or the name of a `let`".to_owned()
        }
        CompileError::NoSteps { .. } => {
            "put at least one step between `routine` and `end`".to_owned()
        }
        CompileError::Unknown { .. } | CompileError::Unclear { .. } => {
            "look at what the `do` of this step gives to its routine".to_owned()
        }
    };
    let span = line.map_or(0..0, |line| line.span.clone());
    Finding::error("M133", Source::Mission, span, error.to_string()).hint(hint)
}

/// A file whose routines a mission uses.
struct UsedFile<'s> {
    text: &'s str,
    parsed: Parsed,
    routines: Vec<RoutineName>,
}

/// The files that a mission uses; what is wrong with one is reported at the line that uses it.
fn used<'s>(parsed: &Parsed, stage: Stage<'s>, findings: &mut Vec<Finding>) -> Vec<UsedFile<'s>> {
    let mut all: Vec<UsedFile<'_>> = Vec::new();
    for path in &parsed.mission.uses {
        let mut refuse = |code, message: String, hint: Hints| {
            findings
                .push(Finding::error(code, Source::Mission, path.span.clone(), message).hint(hint));
        };
        let Some((_, text)) = stage.shared.iter().find(|(known, _)| *known == path.node) else {
            let hint = did_you_mean(
                &path.span,
                &path.node,
                stage.shared.iter().map(|(path, _)| path.as_str()),
            )
            .quoted()
            .or("put a file with routines into the folder `shared`");
            refuse("M131", format!("there is no file `{}`", path.node), hint);
            continue;
        };
        let file = mission::parse(text);
        // Its own header says nothing about the mission that uses it.
        let names = Names {
            starts: Vec::new(),
            ..stage.names.clone()
        };
        let Checked {
            findings: checked,
            routines,
        } = mission::check_all(&file, &names);
        let wrong: Vec<Finding> = file.findings.iter().cloned().chain(checked).collect();
        if let Some(first) = wrong
            .iter()
            .find(|finding| finding.severity == Severity::Error && finding.code != "M109")
        {
            let line = line_column(text, first.span.start).0;
            let message = format!("`{}`, line {line}: {}", path.node, first.message);
            refuse("M132", message, first.hint_words().first().copied().into());
            continue;
        }
        all.push(UsedFile {
            text,
            parsed: file,
            routines,
        });
    }
    all
}
