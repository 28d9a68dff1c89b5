//! Robot files: TOML text to a [`Robot`] and findings.
//!
//! Long because a robot file has many sections; each is a table of keys and one function.

use serde::Deserialize;
use toml::Spanned;

use super::{
    Actuator, Capacity, Clock, Code, FloorSensor, Gyro, Motor, RangeSensor, Robot, SensorKind,
    Side, Signal, SignalKind, Steering, TouchSensor,
};
use crate::finding::{Finding, Source};
use crate::keys::{Described, Key, REQUIRED, Section, holds, section};
use crate::scatter::{RobotScatter, RobotSpread, Spreads};
use crate::tables::{Item, Tables, report_duplicates};
use crate::units::colour::Light;
use crate::units::{
    Angle, Charge, Frequency, Inertia, Length, Mass, NotNegative, Pair, Percent, Positive, Time,
    Torque, TurnRate, Voltage, colour, math,
};

holds!(
    SideWord: "`front`, `rear`, `left` or `right`",
    SignalWord: "`lamp`, `text` or `tone`",
    KindWord: "`reflectance`, `colour` or `code`",
    PolarityWord: "`bright is high` or `dark is high`",
    LampWord: "`white`, `red` or `infrared`",
    Vec<CodeTable>: "a list of entries",
);

section! {
    BodyTable "[body]" "The body of the robot."
        length: Positive<Length> = "\"196 mm\"", REQUIRED, in 0.02..2.0, "From the rear edge to the front edge.";
        width: Positive<Length> = "\"148 mm\"", REQUIRED, in 0.02..2.0, "From side to side.";
        nose: NotNegative<Length> = "\"104 mm\"", REQUIRED, "From the axle of the driven wheels to the front edge.";
        mass: Spanned<Positive<Mass>> = "\"860 g\"", REQUIRED, in 0.05..50.0, "The mass of the whole robot, on a kitchen scale.";
        centre_of_mass: Spanned<Pair> = "\"26, 0 mm\"", REQUIRED, "Where the robot balances: ahead and left of the middle of the axle.";
        centre_height: Option<NotNegative<Length>> = "\"34 mm\"", Some("weight does not shift"), in 0.0..1.0, "How high above the mat it balances: what braking shifts off the driven wheels.";
        yaw_inertia: Option<Positive<Inertia>> = "\"43 kg cm^2\"", Some("that of an even box"), in 1e-5..5.0, "Its moment of inertia about the upright line through where it balances.";
        outline: Option<Spanned<Vec<Pair>>> = "[\"-92, -74 mm\", \"104, -74 mm\", \"104, 74 mm\", \"-92, 74 mm\"]", Some("the whole box"), "3 to 8 corners of a convex outline, within length, width and nose.";
}

section! {
    DriveTable "[drive]" "The two driven wheels."
        wheel_diameter: Spanned<Positive<Length>> = "\"56 mm\"", REQUIRED, in 0.005..0.5, "The diameter that the robot computes with.";
        left_wheel: Option<Spanned<Positive<Length>>> = "\"56 mm\"", Some("as `wheel_diameter`"), in 0.005..0.5, "What the left wheel really measures.";
        right_wheel: Option<Spanned<Positive<Length>>> = "\"56 mm\"", Some("as `wheel_diameter`"), in 0.005..0.5, "What the right wheel really measures.";
        track_width: Positive<Length> = "\"118 mm\"", REQUIRED, "From the middle of one driven tyre to the middle of the other.";
        grip: Spanned<f64> = "0.9", REQUIRED, in 0.0..3.0, "The friction coefficient of a tyre on the mat.";
        encoder_ticks: Spanned<u32> = "360", REQUIRED, in 1.0..1e5, "How many ticks the encoder counts in a turn of the wheel.";
}

section! {
    CasterTable "[caster]" "The ball or wheel that carries the rest of the weight."
        ahead: Spanned<Length> = "\"62 mm\"", REQUIRED, "How far it is ahead of the axle; negative behind it.";
        drag: Spanned<f64> = "0.1", REQUIRED, in 0.0..1.0, "Its friction coefficient on the mat.";
        #[serde(default)]
        trail: NotNegative<Length> = "\"12 mm\"", Some("0 mm, a ball"), in 0.0..0.2, "How far a wheel that swivels touches the mat behind its pivot; `drag` is then its friction along the wheel.";
        scrub: Option<Spanned<f64>> = "0.4", Some("0.4"), in 0.0..2.0, "The friction coefficient of a wheel that swivels across that wheel, until it has swung round.";
}

section! {
    SteeringTable "[steering]" "Steered front wheels, for a car; it then has no caster."
        port: Spanned<String> = "\"ST\"", REQUIRED, "The port of the steering motor.";
        ahead: Spanned<Positive<Length>> = "\"82 mm\"", REQUIRED, "From the driven axle to the steered wheels.";
        limit: Spanned<Positive<Angle>> = "\"30 deg\"", REQUIRED, in 0.0..68_f64.to_radians(), "How far the wheels turn to each side.";
        rate: Spanned<Positive<TurnRate>> = "\"90 deg/s\"", REQUIRED, "How fast they turn.";
}

#[derive(Deserialize)]
#[serde(rename_all = "lowercase")]
enum SideWord {
    Front,
    Rear,
    Left,
    Right,
}

section! {
    TouchTable "[[touch]]" "A touch switch at an edge of the body."
        name: Spanned<String> = "\"bumper\"", REQUIRED, "The name by which missions call it.";
        port: Spanned<String> = "\"S1\"", REQUIRED, "The port that it is plugged into; each device has its own.";
        side: SideWord = "\"front\"", REQUIRED, "The edge of the body on which it sits.";
}

section! {
    ButtonTable "[[button]]" "A button that only a hand presses."
        name: Spanned<String> = "\"go\"", REQUIRED, "The name by which missions call it.";
        port: Spanned<String> = "\"S1\"", REQUIRED, "The port that it is plugged into; each device has its own.";
}

section! {
    ActuatorTable "[[actuator]]" "A further motor that moves something: an arm, a gripper."
        name: Spanned<String> = "\"arm\"", REQUIRED, "The name by which missions call it.";
        port: Spanned<String> = "\"MC\"", REQUIRED, "The port that it is plugged into; each device has its own.";
        from: Option<Spanned<Angle>> = "\"0 deg\"", Some("none"), "The lower end stop.";
        to: Option<Spanned<Angle>> = "\"90 deg\"", Some("none"), "The upper end stop.";
        #[serde(default)]
        starts: Angle = "\"0 deg\"", Some("0 deg"), "The angle at the start of a run.";
        speed: Spanned<Positive<TurnRate>> = "\"120 deg/s\"", REQUIRED, "How fast it moves.";
        at: Option<Spanned<Pair>> = "\"60, 0 mm\"", Some("on the axle"), "Where it is drawn, ahead and left of the middle of the axle.";
        #[serde(default)]
        length: NotNegative<Length> = "\"80 mm\"", Some("0 mm"), "How long it is drawn.";
}

#[derive(Deserialize)]
#[serde(rename_all = "lowercase")]
enum SignalWord {
    Lamp,
    Text,
    Tone,
}

section! {
    SignalTable "[[signal]]" "Something that shows, says or plays."
        name: Spanned<String> = "\"lamp\"", REQUIRED, "The name by which missions call it.";
        kind: SignalWord = "\"lamp\"", REQUIRED, "What it is.";
        port: Option<Spanned<String>> = "\"L1\"", Some("none"), "The port that it is plugged into.";
}

section! {
    CodeTable "codes of a [[sensor]]" "One entry of the table of a sensor that reads codes."
        name: Spanned<String> = "\"red\"", REQUIRED, "What missions call it.";
        code: i32 = "5", REQUIRED, "The number that the sensor gives.";
        colour: Spanned<String> = "\"#bf4a2d\"", REQUIRED, "The colour that it stands for.";
}

section! {
    MotorTable "[motor.left] and [motor.right]" "The motors of the driven wheels, all values at the wheel. A car may have one for both instead, `[motor.both]`."
        port: Spanned<String> = "\"MA\"", REQUIRED, "The port that it is plugged into; each device has its own.";
        no_load_speed: Positive<TurnRate> = "\"1020 deg/s\"", REQUIRED, in 6_f64.to_radians()..40_000_f64.to_radians(), "How fast it turns at its rated voltage without load.";
        stall_torque: Spanned<Positive<Torque>> = "\"0.38 N m\"", REQUIRED, in 0.0005..50.0, "How hard it pulls at its rated voltage when it is held still.";
        friction: NotNegative<Torque> = "\"0.012 N m\"", REQUIRED, "The friction of motor and gears while they turn.";
        stiction: Option<Spanned<NotNegative<Torque>>> = "\"0.018 N m\"", Some("as `friction`"), in 0.0..50.0, "The torque that it takes to start them.";
        #[serde(default)]
        least_duty: NotNegative<Percent> = "\"6 %\"", Some("0 %"), in 0.0..0.95, "Duties below this do nothing: the driver does not hear them.";
        #[serde(default)]
        play: NotNegative<Angle> = "\"2 deg\"", Some("0 deg"), in 0.0..0.8, "How far the motor, and its encoder with it, turns at each reversal before the wheel follows.";
        inertia: Option<Positive<Inertia>> = "\"0.55 kg cm^2\"", Some("0.55 kg cm^2"), in 1e-7..1.0, "The moment of inertia of wheel, gears and rotor, as seen at the wheel.";
        rated_voltage: Positive<Voltage> = "\"7.2 V\"", REQUIRED, in 0.5..100.0, "The voltage for which speed and torque are given.";
}

section! {
    BatteryTable "[battery]" "The battery."
        voltage: Positive<Voltage> = "\"7.9 V\"", REQUIRED, in 0.5..100.0, "Its voltage at the start, without load.";
        capacity: Option<Spanned<Positive<Charge>>> = "\"1200 mA h\"", Some("it does not run down"), in 3.6..3.6e5, "The charge that it holds, as printed on it.";
        empty: Option<Spanned<NotNegative<Voltage>>> = "\"6.6 V\"", Some("five sixths of `voltage`"), in 0.0..100.0, "Its voltage without load when that charge is gone.";
        sag: Option<Spanned<NotNegative<Voltage>>> = "\"0.6 V\"", Some("0 V"), "How far the voltage falls when both motors stall at full power.";
}

section! {
    ControlTable "[control]" "The controller on the robot."
        period: Spanned<Positive<Time>> = "\"10 ms\"", REQUIRED, "From one control tick to the next, in whole milliseconds.";
        #[serde(default)]
        lag: NotNegative<Time> = "\"5 ms\"", Some("0 ms"), in 0.0..0.2, "How long a command takes to reach the motors, in whole milliseconds.";
        #[serde(default)]
        jitter: NotNegative<Time> = "\"3 ms\"", Some("0 ms"), in 0.0..0.1, "By how much more at most it may come late, now and then; never before the one ahead of it.";
}

section! {
    GyroTable "[gyro]" "A gyro; without one, turns are measured by the wheels."
        port: Spanned<String> = "\"S4\"", REQUIRED, "The port that it is plugged into; each device has its own.";
        #[serde(default)]
        noise: NotNegative<TurnRate> = "\"0.3 deg/s\"", Some("0 deg/s"), "The noise of one reading, a standard deviation.";
        #[serde(default)]
        drift: NotNegative<TurnRate> = "\"0.1 deg/s\"", Some("0 deg/s"), "The constant error of a run, a standard deviation.";
        #[serde(default)]
        settles: NotNegative<Time> = "\"2 s\"", Some("0 s"), "How long until nineteen twentieths of the error at switch-on are gone.";
        #[serde(default)]
        unsettled: NotNegative<TurnRate> = "\"2 deg/s\"", Some("0 deg/s"), "The error at switch-on, a standard deviation.";
}

#[derive(Deserialize)]
#[serde(rename_all = "lowercase")]
enum KindWord {
    Reflectance,
    Colour,
    Code,
}

#[derive(Clone, Copy, Deserialize)]
#[serde(rename_all = "lowercase")]
enum LampWord {
    White,
    Red,
    Infrared,
}

#[derive(Deserialize, Default)]
enum PolarityWord {
    #[default]
    #[serde(rename = "bright is high")]
    BrightIsHigh,
    #[serde(rename = "dark is high")]
    DarkIsHigh,
}

section! {
    SensorTable "[[sensor]]" "A floor sensor, looking straight down."
        #[serde(default)]
        polarity: PolarityWord = "\"bright is high\"", Some("bright is high"), "Whether its numbers go up over bright or over dark surfaces.";
        name: Spanned<String> = "\"floor-left\"", REQUIRED, "The name by which missions call it.";
        kind: Spanned<KindWord> = "\"reflectance\"", REQUIRED, "What it measures.";
        port: Spanned<String> = "\"S1\"", REQUIRED, "The port that it is plugged into; each device has its own.";
        at: Spanned<Pair> = "\"92, 32 mm\"", REQUIRED, "Where it sits: ahead and left of the middle of the axle.";
        spot: Option<Spanned<Positive<Length>>> = "\"8 mm\"", Some("from `height` and `opening`"), "The diameter of what it sees on the mat.";
        height: Option<Spanned<Positive<Length>>> = "\"8 mm\"", Some("none"), "How high it sits above the mat.";
        opening: Option<Spanned<Positive<Angle>>> = "\"50 deg\"", Some("none"), "The whole angle that it sees.";
        made_for: Option<Spanned<Positive<Length>>> = "\"8 mm\"", Some("as `height`"), "The height at which its own light is as bright as it should be.";
        lamp: Option<Spanned<LampWord>> = "\"infrared\"", Some("white"), "The light of its own lamp, for kind `reflectance`: red tape is bright in red light.";
        #[serde(default)]
        codes: Vec<CodeTable> = "[]", Some("none"), "The code table of a sensor of kind `code`.";
        rate: Spanned<Positive<Frequency>> = "\"500 Hz\"", REQUIRED, "How often it reads, 1 Hz to 1000 Hz.";
        #[serde(default)]
        noise: NotNegative<Percent> = "\"1.2 %\"", Some("0 %"), "The noise of one reading, a standard deviation.";
        #[serde(default)]
        step: NotNegative<Percent> = "\"0.4 %\"", Some("0 %"), "The smallest difference that it can show.";
}

section! {
    RangingTable "[[ranging]]" "A ranging sensor."
        name: Spanned<String> = "\"ahead\"", REQUIRED, "The name by which missions call it.";
        port: Spanned<String> = "\"S5\"", REQUIRED, "The port that it is plugged into; each device has its own.";
        at: Spanned<Pair> = "\"104, 0 mm\"", REQUIRED, "Where it sits: ahead and left of the middle of the axle.";
        #[serde(default)]
        facing: Angle = "\"0 deg\"", Some("0 deg"), "Where it looks: 0 deg is ahead, counter-clockwise.";
        cone: Spanned<Positive<Angle>> = "\"16 deg\"", REQUIRED, "The whole opening of its beam.";
        #[serde(default)]
        least: NotNegative<Length> = "\"30 mm\"", Some("0 mm"), "The shortest distance that it can measure.";
        greatest: Spanned<Positive<Length>> = "\"1200 mm\"", REQUIRED, "The longest distance that it can measure.";
        rate: Spanned<Positive<Frequency>> = "\"25 Hz\"", REQUIRED, "How often it measures, 1 Hz to 1000 Hz.";
        latency: Option<Spanned<NotNegative<Time>>> = "\"20 ms\"", Some("0 ms"), "From measurement to reading.";
        #[serde(default)]
        noise: NotNegative<Length> = "\"3 mm\"", Some("0 mm"), "The noise of one reading, a standard deviation.";
        #[serde(default)]
        dropouts: NotNegative<Percent> = "\"0.5 %\"", Some("0 %"), in 0.0..1.0, "The share of measurements that see nothing.";
        #[serde(default)]
        outliers: NotNegative<Percent> = "\"0.2 %\"", Some("0 %"), in 0.0..1.0, "The share of measurements that see something anywhere before the first thing: an echo of another robot.";
        #[serde(default)]
        step: NotNegative<Length> = "\"1 mm\"", Some("0 mm"), "The smallest difference that it can show.";
        slant: Option<Spanned<Positive<Angle>>> = "\"45 deg\"", Some("45.8 deg"), "Faces that the beam meets flatter than this send nothing back.";
        blind_above: Option<Positive<TurnRate>> = "\"200 deg/s\"", Some("never"), "Turning faster than this it sees nothing.";
}

/// Faces flatter than this to the beam send nothing back, unless the file says otherwise.
const USUAL_SLANT: f64 = 0.8;

const NAME: Key = Key::new::<String>("name", "\"Curlew\"", REQUIRED, "What people call it.");
const TEAM: Key = Key::new::<String>("team", "\"Brinewick\"", Some("none"), "Whose robot it is.");

/// All that a robot file may hold.
pub const FILE: &[Section] = &[
    Section::top("The robot.", &[NAME, TEAM]),
    BodyTable::SECTION,
    DriveTable::SECTION,
    CasterTable::SECTION,
    SteeringTable::SECTION,
    MotorTable::SECTION,
    BatteryTable::SECTION,
    ControlTable::SECTION,
    GyroTable::SECTION,
    SensorTable::SECTION,
    CodeTable::SECTION,
    RangingTable::SECTION,
    TouchTable::SECTION,
    ButtonTable::SECTION,
    ActuatorTable::SECTION,
    SignalTable::SECTION,
    RobotScatter::SECTION,
];

/// Force in N that presses a touch switch.
const PRESSES: f64 = 0.3;

/// How far off the body a sensor may sit on a bracket, metres.
const BRACKET: f64 = 0.15;

/// A table of codes has at most this many entries.
const MOST_CODES: usize = 100;

/// A body has at most this many corners.
const MOST_CORNERS: usize = 8;

/// Moment of inertia at the wheel, kg m^2: a small wheel (about 8e-6) and a 1e-7 rotor seen through
/// gears of about 1:22. No robot file can measure it, and only the first hundredths of a second of
/// a move depend on it.
const WHEEL_INERTIA: f64 = 5.5e-5;

/// Friction coefficient of a swivelling caster's rubber across its wheel: our estimate.
const SCRUB: f64 = 0.4;

/// Share of its voltage that a battery keeps until it is empty: between the even and the steep part
/// of the usual cells' curves.
const LEFT_WHEN_EMPTY: f64 = 5.0 / 6.0;

/// Reads a robot file; no robot when a section that it needs is missing or broken.
pub fn load(text: &str) -> (Option<Robot>, Vec<Finding>) {
    let mut tables = Tables::new(Source::Robot, text, FILE);
    let robot = assemble(&mut tables);
    (robot, tables.findings)
}

fn assemble(tables: &mut Tables<'_>) -> Option<Robot> {
    let name = tables.top::<String>(&NAME);
    let team = tables.top::<String>(&TEAM);
    let scatter = Spreads::<RobotSpread>::load(tables);
    let body = tables.needed::<BodyTable>("body");
    let drive = tables.needed::<DriveTable>("drive");
    let steering = tables.section::<SteeringTable>("steering");
    let caster = match &steering {
        None => tables
            .needed::<CasterTable>("caster")
            .map(|item| item.value),
        Some(steering) => {
            if let Some(Item { span, .. }) = tables.section::<CasterTable>("caster") {
                tables
                    .error("R111", span, "a robot with steered wheels has no caster")
                    .help("keep one of [steering] and [caster]".to_owned());
            }
            // It carries what a caster would carry, and rolls.
            let ahead = &steering.value.ahead;
            Some(CasterTable {
                ahead: Spanned::new(ahead.span(), ahead.get_ref().0),
                drag: Spanned::new(steering.span.clone(), 0.0),
                trail: NotNegative::default(),
                scrub: None,
            })
        }
    };
    // A car may drive both wheels with one motor, through a differential.
    let one = steering.is_some() && tables.has_named("motor", "both");
    let motors = if one {
        let [both] = tables.needed_named::<MotorTable, 1>("motor", ["both"]);
        both.map(|both| (both, None))
    } else {
        let [left, right] = tables.needed_named::<MotorTable, 2>("motor", ["left", "right"]);
        left.zip(right).map(|(left, right)| (left, Some(right)))
    };
    let battery = tables.needed::<BatteryTable>("battery");
    let control = tables.needed::<ControlTable>("control");
    let gyro = tables.section::<GyroTable>("gyro");
    let sensor_tables = tables.sections::<SensorTable>("sensor");
    let ranging_tables = tables.sections::<RangingTable>("ranging");
    let touch_tables = tables.sections::<TouchTable>("touch");
    let button_tables = tables.sections::<ButtonTable>("button");
    let actuator_tables = tables.sections::<ActuatorTable>("actuator");
    let signal_tables = tables.sections::<SignalTable>("signal");
    let (body, drive, caster) = (body?.value, drive?.value, caster?);
    let ((left, right), battery, control) = (motors?, battery?.value, control?.value);

    check_balance(tables, &body, &caster);
    report_duplicates(
        tables,
        "device",
        sensor_tables
            .iter()
            .map(|item| &item.value.name)
            .chain(ranging_tables.iter().map(|item| &item.value.name))
            .chain(touch_tables.iter().map(|item| &item.value.name))
            .chain(button_tables.iter().map(|item| &item.value.name))
            .chain(actuator_tables.iter().map(|item| &item.value.name))
            .chain(signal_tables.iter().map(|item| &item.value.name))
            .map(spanned_name)
            .collect::<Vec<_>>()
            .iter(),
    );
    let gyro_port = gyro.iter().map(|item| &item.value.port);
    let ports: Vec<Item<String>> = std::iter::once(&left.port)
        .chain(right.as_ref().map(|right| &right.port))
        .chain(gyro_port)
        .chain(sensor_tables.iter().map(|item| &item.value.port))
        .chain(ranging_tables.iter().map(|item| &item.value.port))
        .chain(touch_tables.iter().map(|item| &item.value.port))
        .chain(button_tables.iter().map(|item| &item.value.port))
        .chain(actuator_tables.iter().map(|item| &item.value.port))
        .chain(
            signal_tables
                .iter()
                .filter_map(|item| item.value.port.as_ref()),
        )
        .chain(steering.iter().map(|item| &item.value.port))
        .map(spanned_name)
        .collect();
    report_shared_ports(tables, &ports);

    let control_ms = milliseconds(
        tables,
        control.period.get_ref().0.si(),
        control.period.span(),
        "a control period",
    );
    let (length, width, nose) = (body.length.0.si(), body.width.0.si(), body.nose.0.si());
    let extent = (nose - length, nose, width / 2.0);
    let sensors = sensor_tables
        .into_iter()
        .map(|Item { value, .. }| sensor(tables, value, extent))
        .collect();
    let rangers = ranging_tables
        .into_iter()
        .map(|Item { value, .. }| ranger(tables, value, extent))
        .collect();
    let outline = body_outline(tables, &body);
    let steering = steering.map(|item| steered(item.value));
    let believed = drive.wheel_diameter.get_ref().0.si();
    let mass = body.mass.get_ref().0.si();
    let com = *body.centre_of_mass.get_ref();
    let (left, right) = match right {
        Some(right) => (motor_of(tables, left), motor_of(tables, right)),
        None => {
            let each = half(motor_of(tables, left));
            (each.clone(), each)
        }
    };
    Some(Robot {
        name: name?.value,
        team: team.map_or_else(String::new, |item| item.value),
        length,
        width,
        nose,
        mass,
        com_ahead: com.x,
        com_left: com.y,
        // A uniform box: m (l^2 + w^2) / 12.
        yaw_inertia: body
            .yaw_inertia
            .map_or(mass * (length * length + width * width) / 12.0, |given| {
                given.0.si()
            }),
        com_height: body.centre_height.map_or(0.0, |height| height.0.si()),
        wheel_diameter: believed,
        true_diameters: [drive.left_wheel, drive.right_wheel]
            .map(|wheel| wheel.map_or(believed, |wheel| wheel.get_ref().0.si())),
        track_width: drive.track_width.0.si(),
        grip: *drive.grip.get_ref(),
        encoder_ticks: *drive.encoder_ticks.get_ref(),
        caster_ahead: caster.ahead.get_ref().si(),
        caster_drag: *caster.drag.get_ref(),
        caster_trail: caster.trail.0.si(),
        caster_scrub: caster.scrub.map_or(SCRUB, Spanned::into_inner),
        left,
        right,
        capacity: capacity(tables, &battery),
        battery: battery.voltage.0.si(),
        sag: sag(tables, &battery),
        gyro: gyro.map(|Item { value, .. }| Gyro {
            port: value.port.into_inner(),
            noise: value.noise.0.si(),
            drift: value.drift.0.si(),
            scale: 1.0,
            settles: value.settles.0.si(),
            unsettled: value.unsettled.0.si(),
        }),
        sensors,
        rangers,
        touches: touch_tables
            .into_iter()
            .map(|Item { value, .. }| TouchSensor {
                name: value.name.into_inner(),
                port: value.port.into_inner(),
                side: Some(match value.side {
                    SideWord::Front => Side::Front,
                    SideWord::Rear => Side::Rear,
                    SideWord::Left => Side::Left,
                    SideWord::Right => Side::Right,
                }),
                force: PRESSES,
            })
            .chain(
                button_tables
                    .into_iter()
                    .map(|Item { value, .. }| TouchSensor {
                        name: value.name.into_inner(),
                        port: value.port.into_inner(),
                        side: None,
                        force: PRESSES,
                    }),
            )
            .collect(),
        actuators: actuator_tables
            .into_iter()
            .map(|Item { value, .. }| actuator(tables, value))
            .collect(),
        signals: signal_tables
            .into_iter()
            .map(|Item { value, .. }| Signal {
                name: value.name.into_inner(),
                kind: match value.kind {
                    SignalWord::Lamp => SignalKind::Lamp,
                    SignalWord::Text => SignalKind::Text,
                    SignalWord::Tone => SignalKind::Tone,
                },
                port: value.port.map(Spanned::into_inner),
            })
            .collect(),
        steering,
        outline,
        control_ms,
        control_phase_ms: 0,
        lag_ms: [control.lag, control.jitter].map(|time| (time.0.si() * 1e3).round() as u32),
        scatter,
    })
}

fn sag(tables: &mut Tables<'_>, battery: &BatteryTable) -> f64 {
    let Some(given) = &battery.sag else {
        return 0.0;
    };
    let (sag, most) = (given.get_ref().0.si(), battery.voltage.0.si() / 2.0);
    if sag > most {
        let hint = "it is how far the voltage falls when both motors stall, at most half of it";
        tables
            .error(
                "R115",
                given.span(),
                format!("a battery cannot sag by {sag} V"),
            )
            .help(hint.to_owned());
    }
    sag.min(most)
}

/// The corners as given, or those of a box; convex and counter-clockwise.
fn body_outline(tables: &mut Tables<'_>, body: &BodyTable) -> Vec<(f64, f64)> {
    let (front, side) = (body.nose.0.si(), body.width.0.si() / 2.0);
    let rear = front - body.length.0.si();
    let whole = vec![(rear, -side), (front, -side), (front, side), (rear, side)];
    let Some(given) = &body.outline else {
        return whole;
    };
    let mut corners: Vec<(f64, f64)> = given
        .get_ref()
        .iter()
        .map(|place| (place.x, place.y))
        .collect();
    let next = |corners: &[(f64, f64)], i: usize| corners[(i + 1) % corners.len()];
    let area: f64 = (0..corners.len())
        .map(|i| corners[i].0 * next(&corners, i).1 - corners[i].1 * next(&corners, i).0)
        .sum();
    if area < 0.0 {
        corners.reverse();
    }
    let left_of = |(a, b): ((f64, f64), (f64, f64)), p: &(f64, f64)| {
        (b.0 - a.0) * (p.1 - a.1) - (b.1 - a.1) * (p.0 - a.0) >= -1e-9
    };
    let convex = (0..corners.len()).all(|i| {
        corners
            .iter()
            .all(|p| left_of((corners[i], next(&corners, i)), p))
    });
    let within = corners
        .iter()
        .all(|p| p.0 <= front + 1e-9 && p.0 >= rear - 1e-9 && p.1.abs() <= side + 1e-9);
    if !(3..=MOST_CORNERS).contains(&corners.len()) || !convex || !within || area.abs() < 1e-4 {
        tables
            .error(
                "R112",
                given.span(),
                "such an outline of the body is not possible",
            )
            .help(format!(
                "3 to {MOST_CORNERS} corners without dents, within length, width and nose"
            ));
        return whole;
    }
    corners
}

fn steered(table: SteeringTable) -> Steering {
    Steering {
        port: table.port.into_inner(),
        limit: table.limit.get_ref().0.si(),
        rate: table.rate.get_ref().0.si().min(1000.0),
    }
}

fn actuator(tables: &mut Tables<'_>, table: ActuatorTable) -> Actuator {
    let name = table.name.into_inner();
    let stop = |given: &Option<Spanned<Angle>>, without: f64| {
        given.as_ref().map_or(without, |at| at.get_ref().si())
    };
    let stops = (
        stop(&table.from, f64::NEG_INFINITY),
        stop(&table.to, f64::INFINITY),
    );
    let starts = table.starts.si();
    if stops.0 >= stops.1 || starts < stops.0 || starts > stops.1 {
        let span = table
            .from
            .as_ref()
            .or(table.to.as_ref())
            .map_or(0..0, Spanned::span);
        let hint = "`from` must be less than `to`, and `starts` must lie between them";
        tables
            .error("R113", span, format!("`{name}` has no room to move"))
            .help(hint.to_owned());
    }
    let at = table
        .at
        .map_or((0.0, 0.0), |place| (place.get_ref().x, place.get_ref().y));
    Actuator {
        name,
        port: table.port.into_inner(),
        stops,
        speed: table.speed.get_ref().0.si().min(1000.0),
        starts,
        at,
        length: table.length.0.si().min(2.0),
    }
}

fn spanned_name(name: &Spanned<String>) -> Item<String> {
    Item {
        value: name.get_ref().clone(),
        span: name.span(),
    }
}

fn motor_of(tables: &mut Tables<'_>, table: MotorTable) -> Motor {
    let friction = table.friction.0.si();
    let stall_torque = table.stall_torque.get_ref().0.si();
    let stiction = table.stiction.map_or(friction, |given| {
        let stiction = given.get_ref().0.si();
        if stiction < friction {
            let hint = "it takes no less to start the gears than to keep them turning";
            tables
                .error("R120", given.span(), "`stiction` is below `friction`")
                .help(hint.to_owned());
        }
        stiction.max(friction)
    });
    Motor {
        port: table.port.into_inner(),
        no_load_speed: table.no_load_speed.0.si(),
        stall_torque,
        friction,
        stiction,
        least_duty: table.least_duty.0.si(),
        play: table.play.0.si(),
        rated_voltage: table.rated_voltage.0.si(),
        inertia: table.inertia.map_or(WHEEL_INERTIA, |given| given.0.si()),
    }
}

/// What one of two wheels has of a motor that drives both: a differential shares its torque
/// equally.
fn half(motor: Motor) -> Motor {
    Motor {
        stall_torque: motor.stall_torque / 2.0,
        friction: motor.friction / 2.0,
        stiction: motor.stiction / 2.0,
        inertia: motor.inertia / 2.0,
        ..motor
    }
}

fn capacity(tables: &mut Tables<'_>, battery: &BatteryTable) -> Option<Capacity> {
    let full = battery.voltage.0.si();
    let left = battery.empty.as_ref().map_or(LEFT_WHEN_EMPTY, |given| {
        let empty = given.get_ref().0.si();
        if empty > full {
            let hint = "`empty` is the voltage when the charge is gone, at most that at the start";
            tables
                .error(
                    "R121",
                    given.span(),
                    "an empty battery has more voltage than a full one",
                )
                .help(hint.to_owned());
        }
        (empty / full).min(1.0)
    });
    let charge = battery.capacity.as_ref()?.get_ref().0.si();
    Some(Capacity { charge, left })
}

fn check_balance(tables: &mut Tables<'_>, body: &BodyTable, caster: &CasterTable) {
    let (length, nose, half) = (
        body.length.0.si(),
        body.nose.0.si(),
        body.width.0.si() / 2.0,
    );
    let com = *body.centre_of_mass.get_ref();
    let outside = com.x > nose || com.x < nose - length || com.y.abs() > half;
    if outside {
        tables
            .error(
                "R102",
                body.centre_of_mass.span(),
                "the centre of mass lies outside the body",
            )
            .help(
                "give it as \"ahead, left\" of the middle of the axle, such as \"20, 0 mm\""
                    .to_owned(),
            );
    }
    let reach = caster.ahead.get_ref().si();
    if !outside && (reach.abs() < 0.005 || reach * com.x < 0.0 || reach.abs() <= com.x.abs()) {
        tables
            .error(
                "R103",
                caster.ahead.span(),
                "the robot tips over: its centre of mass is not between axle and caster",
            )
            .help(
                "put the caster on the side of the centre of mass, further from the axle"
                    .to_owned(),
            );
    }
}

fn report_shared_ports(tables: &mut Tables<'_>, ports: &[Item<String>]) {
    for (index, port) in ports.iter().enumerate() {
        if ports[..index]
            .iter()
            .any(|earlier| earlier.value == port.value)
        {
            tables
                .error(
                    "R106",
                    port.span.clone(),
                    format!("port `{}` is used twice", port.value),
                )
                .help("each device needs a port of its own".to_owned());
        }
    }
}

/// Seconds to whole milliseconds: the simulation's step. What does not fit is a finding.
fn milliseconds(
    tables: &mut Tables<'_>,
    seconds: f64,
    span: std::ops::Range<usize>,
    what: &str,
) -> u32 {
    let ms = seconds * 1e3;
    let whole = ms.round().clamp(1.0, 1000.0);
    if (ms - whole).abs() > 1e-6 {
        tables
            .error(
                "R107",
                span,
                format!("{what} of {ms:.3} ms is not possible"),
            )
            .help("it must be a whole number of milliseconds, 1 to 1000".to_owned());
    }
    whole as u32
}

fn light(tables: &mut Tables<'_>, name: &str, table: &SensorTable) -> Light {
    let lamp = table.lamp.as_ref().map(|lamp| *lamp.get_ref());
    match (table.kind.get_ref(), lamp) {
        (KindWord::Reflectance, None | Some(LampWord::White)) => Light::White,
        (KindWord::Reflectance, Some(LampWord::Red)) => Light::Red,
        (KindWord::Reflectance, Some(LampWord::Infrared)) => Light::Infrared,
        (KindWord::Colour | KindWord::Code, lamp) => {
            if let Some(given) = &table.lamp
                && !matches!(lamp, Some(LampWord::White))
            {
                let hint = "take `lamp` out, or write `kind = \"reflectance\"`";
                tables
                    .error(
                        "R123",
                        given.span(),
                        format!("`{name}` tells colours apart, which takes white light"),
                    )
                    .help(hint.to_owned());
            }
            Light::Colours
        }
    }
}

fn clock(tables: &mut Tables<'_>, rate: &Spanned<Positive<Frequency>>) -> Clock {
    let hertz = rate.get_ref().0.si();
    if !(1.0..=1000.0).contains(&hertz) {
        tables
            .error(
                "R122",
                rate.span(),
                format!("a rate of {hertz} Hz is not possible"),
            )
            .help("a sensor reads 1 to 1000 times a second".to_owned());
    }
    Clock::with_rate(hertz)
}

fn report_off_robot(
    tables: &mut Tables<'_>,
    name: &str,
    place: Pair,
    span: std::ops::Range<usize>,
    (rear, front, side): (f64, f64, f64),
) {
    // On a bracket it may sit some way before, behind or beside the body.
    let (rear, front, side) = (rear - BRACKET, front + BRACKET, side + BRACKET);
    if place.x > front || place.x < rear || place.y.abs() > side {
        let message = format!(
            "sensor `{name}` at {}, {} mm is off the robot",
            (place.x * 1e3).round(),
            (place.y * 1e3).round()
        );
        tables.error("R108", span, message).help(format!(
            "ahead must be {} to {} mm, left {} to {} mm",
            (rear * 1e3).round(),
            (front * 1e3).round(),
            (-side * 1e3).round(),
            (side * 1e3).round()
        ));
    }
}

fn ranger(tables: &mut Tables<'_>, table: RangingTable, extent: (f64, f64, f64)) -> RangeSensor {
    let place = *table.at.get_ref();
    let name = table.name.into_inner();
    report_off_robot(tables, &name, place, table.at.span(), extent);
    let (least, greatest) = (table.least.0.si(), table.greatest.get_ref().0.si());
    if least >= greatest || greatest > 20.0 {
        tables
            .error(
                "R110",
                table.greatest.span(),
                format!("`{name}` cannot see as far as {} mm", greatest * 1e3),
            )
            .help("greatest must be more than least, and at most 20 m".to_owned());
    }
    let cone = table.cone.get_ref().0.si();
    let slant = table
        .slant
        .as_ref()
        .map_or(USUAL_SLANT, |slant| slant.get_ref().0.si());
    if cone > 2.0 || slant > 1.571 {
        let span = if cone > 2.0 {
            table.cone.span()
        } else {
            table.slant.map_or(0..0, |slant| slant.span())
        };
        let hint = "the cone is at most 110 deg wide, the slant at most 90 deg";
        tables
            .error("R110", span, format!("`{name}` cannot have such a beam"))
            .help(hint.to_owned());
    }
    let latency_ms = table.latency.map_or(0, |latency| {
        let seconds = latency.get_ref().0.si();
        if seconds == 0.0 {
            0
        } else {
            milliseconds(tables, seconds, latency.span(), "a latency")
        }
    });
    RangeSensor {
        name,
        port: table.port.into_inner(),
        ahead: place.x,
        left: place.y,
        facing: table.facing.si(),
        cone: cone.min(2.0),
        least,
        greatest: greatest.min(20.0),
        clock: clock(tables, &table.rate),
        latency_ms,
        noise: table.noise.0.si().min(1.0),
        dropouts: table.dropouts.0.si(),
        outliers: table.outliers.0.si(),
        scale: 1.0,
        step: table.step.0.si().min(1.0),
        slant,
        blind_above: table.blind_above.map_or(f64::INFINITY, |rate| rate.0.si()),
    }
}

/// `extent`: rear edge, front edge and half width of the body.
fn sensor(tables: &mut Tables<'_>, table: SensorTable, extent: (f64, f64, f64)) -> FloorSensor {
    let place = *table.at.get_ref();
    let name = table.name.get_ref().clone();
    report_off_robot(tables, &name, place, table.at.span(), extent);
    let (spot, gain) = spot(tables, &name, &table);
    let codes = codes(tables, &name, &table);
    let clock = clock(tables, &table.rate);
    let light = light(tables, &name, &table);
    FloorSensor {
        light,
        name,
        kind: match table.kind.get_ref() {
            KindWord::Reflectance => SensorKind::Reflectance,
            KindWord::Colour => SensorKind::Colour,
            KindWord::Code => SensorKind::Code,
        },
        port: table.port.into_inner(),
        ahead: place.x,
        left: place.y,
        spot: spot.min(0.1),
        clock,
        noise: table.noise.0.si().min(1.0),
        step: table.step.0.si().min(1.0),
        inverted: matches!(table.polarity, PolarityWord::DarkIsHigh),
        gain,
        codes,
    }
}

/// Diameter of a floor sensor's spot in metres, as given or from its height and opening, and what
/// the height makes of its light.
fn spot(tables: &mut Tables<'_>, name: &str, table: &SensorTable) -> (f64, f64) {
    let si = |given: &Option<Spanned<Positive<Length>>>| {
        given.as_ref().map(|length| length.get_ref().0.si())
    };
    let height = si(&table.height);
    let (spot, span) = match (&table.spot, &table.height, &table.opening) {
        (Some(spot), _, None) => (spot.get_ref().0.si(), spot.span()),
        (None, Some(height), Some(opening)) => {
            let half = (opening.get_ref().0.si() / 2.0).min(1.5);
            (
                2.0 * height.get_ref().0.si() * math::sin(half) / math::cos(half),
                opening.span(),
            )
        }
        _ => {
            let message =
                format!("the spot of `{name}` needs either `spot` or `height` with `opening`");
            let span = table
                .height
                .as_ref()
                .map_or_else(|| table.at.span(), Spanned::span);
            tables
                .error("R109", span.clone(), message)
                .help("for example `spot = \"8 mm\"`".to_owned());
            (0.008, span)
        }
    };
    if spot > 0.1 {
        tables.error("R109", span, "a spot must be at most 100 mm wide");
    }
    // Light of its own falls off with the square of the distance.
    let ratio = match (si(&table.made_for), height) {
        (Some(made_for), Some(height)) => made_for / height,
        _ => 1.0,
    };
    (spot.min(0.1), ratio * ratio)
}

fn codes(tables: &mut Tables<'_>, name: &str, table: &SensorTable) -> Vec<Code> {
    let is_code = matches!(table.kind.get_ref(), KindWord::Code);
    if is_code == table.codes.is_empty() {
        let (message, hint) = if is_code {
            (
                format!("`{name}` reports numbers, but no table says what they mean"),
                "add `codes = [{ name = \"red\", code = 5, colour = \"#c03020\" }, ...]`",
            )
        } else {
            (
                format!("`{name}` reports no numbers and needs no `codes`"),
                "take them out, or write `kind = \"code\"`",
            )
        };
        tables
            .error("R114", table.kind.span(), message)
            .help(hint.to_owned());
    }
    let mut codes: Vec<Code> = Vec::new();
    for entry in table.codes.iter().take(MOST_CODES) {
        let rgb = colour::hex(entry.colour.get_ref()).unwrap_or_else(|| {
            let message = format!("`{}` is not a colour", entry.colour.get_ref());
            tables
                .error("R114", entry.colour.span(), message)
                .help("write it as \"#1d1f22\"".to_owned());
            [128; 3]
        });
        let name = entry.name.get_ref().clone();
        if codes
            .iter()
            .any(|other| other.name == name || other.number == entry.code)
        {
            let message = format!("`{name}` or its number is in the table twice");
            tables
                .error("R114", entry.name.span(), message)
                .help("take one of the two out".to_owned());
        }
        codes.push(Code {
            name,
            number: entry.code,
            rgb,
        });
    }
    codes
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finding::line_column;

    const GOOD: &str = include_str!("../../../../examples/brinewick/robots/curlew.toml");

    #[test]
    fn the_demo_robot_has_no_findings() {
        let (robot, findings) = load(GOOD);
        assert_eq!(findings, []);
        let robot = robot.unwrap();
        assert!(robot.wheel_share() > 0.5 && robot.wheel_share() < 1.0);
        assert!(robot.sensor("floor-left").is_some());
    }

    /// Replaces the first `old` and expects one finding whose place is the line of the change.
    #[track_caller]
    fn check(old: &str, new: &str, code: &str, says: &str) {
        let at = GOOD
            .find(old)
            .unwrap_or_else(|| panic!("the demo robot has no `{old}`"));
        let text = GOOD.replacen(old, new, 1);
        let (_, findings) = load(&text);
        let [finding] = findings.as_slice() else {
            panic!("expected one finding, got {findings:#?}")
        };
        assert_eq!(finding.code, code, "{finding:#?}");
        let (line, first) = (
            line_column(&text, finding.span.start).0,
            line_column(&text, at).0,
        );
        assert!(
            (first..first + new.lines().count()).contains(&line),
            "line {line}: {finding:#?}"
        );
        let message = format!("{} | {}", finding.message, finding.hint_words().join(" | "));
        assert!(message.contains(says), "`{message}` does not say `{says}`");
    }

    #[test]
    fn mistakes_are_reported_with_line_and_hint() {
        check(
            "mass = \"860 g\"",
            "mass = \"860 mm\"",
            "T004",
            "expected a mass",
        );
        check(
            "mass = \"860 g\"",
            "mass = \"0 g\"",
            "T006",
            "50 g to 50 kg",
        );
        check(
            "mass = \"860 g\"",
            "mass = \"860 kg\"",
            "T006",
            "50 g to 50 kg",
        );
        check(
            "track_width",
            "trackwidth",
            "T002",
            "did you mean `track_width`?",
        );
        check("\"26, 0 mm\"", "\"260, 0 mm\"", "R102", "outside the body");
        check(
            "kind = \"reflectance\"",
            "kind = \"sonar\"",
            "T004",
            "possible are `reflectance`, `colour`",
        );
        check(
            "name = \"floor-right\"",
            "name = \"floor-left\"",
            "T005",
            "two devices named `floor-left`",
        );
        check(
            "at = \"96, -8 mm\"",
            "at = \"960, -8 mm\"",
            "R108",
            "off the robot",
        );
        check(
            "rate = \"500 Hz\"",
            "rate = \"3000 Hz\"",
            "R122",
            "1 to 1000 times",
        );
        check(
            "port = \"S1\"",
            "port = \"MA\"",
            "R106",
            "port `MA` is used twice",
        );
    }

    #[test]
    fn mistakes_of_ranging_sensors_and_wheels_are_reported_too() {
        check(
            "at = \"104, 0 mm\"",
            "at = \"1040, 0 mm\"",
            "R108",
            "sensor `ahead`",
        );
        check(
            "greatest = \"1200 mm\"",
            "greatest = \"20 mm\"",
            "R110",
            "greatest must be more than least",
        );
        check(
            "greatest = \"1200 mm\"",
            "greatest = \"120 m\"",
            "R110",
            "at most 20 m",
        );
        check(
            "cone = \"16 deg\"",
            "cone = \"160 deg\"",
            "R110",
            "at most 110 deg",
        );
        check(
            "cone = \"16 deg\"",
            "cone = \"16 mm\"",
            "T004",
            "expected an angle",
        );
        check(
            "latency = \"20 ms\"",
            "latency = \"20.5 ms\"",
            "R107",
            "whole number of milliseconds",
        );
        check(
            "port = \"S5\"",
            "port = \"S4\"",
            "R106",
            "port `S4` is used twice",
        );
        check(
            "name = \"ahead\"",
            "name = \"hue\"",
            "T005",
            "two devices named `hue`",
        );
        check(
            "noise = \"3 mm\"",
            "noise = \"3 %\"",
            "T004",
            "expected a length",
        );
        check(
            "track_width =",
            "left_wheel = \"5 m\"\ntrack_width =",
            "T006",
            "5 mm to 500 mm",
        );
        check(
            "kind = \"reflectance\"",
            "polarity = \"upside down\"\nkind = \"reflectance\"",
            "T004",
            "possible are",
        );
    }

    #[test]
    fn mistakes_of_further_devices_are_reported_too() {
        let steering = "[steering]\nport = \"ST\"\nahead = \"82 mm\"\nlimit = \"30 deg\"\nrate = \"90 deg/s\"\n";
        check(
            "[caster]",
            &format!("{steering}[caster]"),
            "R111",
            "keep one of [steering] and [caster]",
        );
        let outline = |corners: &str| format!("outline = [{corners}]\nlength = \"196 mm\"");
        check(
            "length = \"196 mm\"",
            &outline("\"0, 0 mm\", \"90, 0 mm\", \"10, 10 mm\", \"0, 90 mm\""),
            "R112",
            "without dents",
        );
        check(
            "length = \"196 mm\"",
            &outline("\"0, 0 mm\", \"900, 0 mm\", \"0, 90 mm\""),
            "R112",
            "within length",
        );
        let arm = "[[actuator]]\nname = \"arm\"\nport = \"MC\"\nspeed = \"90 deg/s\"\n";
        check(
            "[gyro]",
            &format!("{arm}from = \"90 deg\"\nto = \"10 deg\"\n[gyro]"),
            "R113",
            "must be less than",
        );
        check(
            "[gyro]",
            &format!("{}[gyro]", arm.replace("MC", "MA")),
            "R106",
            "used twice",
        );
        check(
            "kind = \"colour\"",
            "kind = \"code\"",
            "R114",
            "no table says",
        );
        let codes = |second: &str| {
            format!(
                "kind = \"code\"\ncodes = [{{ name = \"red\", code = 5, colour = \"#bf4a2d\" }}, {second}]"
            )
        };
        check(
            "kind = \"colour\"",
            &codes("{ name = \"blue\", code = 5, colour = \"#2d73b0\" }"),
            "R114",
            "twice",
        );
        check(
            "kind = \"colour\"",
            &codes("{ name = \"blue\", code = 2, colour = \"blue\" }"),
            "R114",
            "not a colour",
        );
        check(
            "voltage = \"7.9 V\"",
            "voltage = \"7.9 V\"\nsag = \"5 V\"",
            "R115",
            "at most half",
        );
        check(
            "voltage = \"7.9 V\"",
            "voltage = \"7.9 V\"\ncapacity = \"900 mA h\"\nempty = \"8 V\"",
            "R121",
            "at most that at the start",
        );
        check(
            "voltage = \"7.9 V\"",
            "voltage = \"7.9 V\"\ncapacity = \"0 mA h\"",
            "T006",
            "1 mA h",
        );
        check(
            "friction = \"0.008 N m\"",
            "friction = \"0.008 N m\"\nstiction = \"0.005 N m\"",
            "R120",
            "no less to start",
        );
        check(
            "spot = \"8 mm\"",
            "height = \"8 mm\"",
            "R109",
            "either `spot` or `height` with `opening`",
        );
        check(
            "[gyro]",
            "[[signal]]\nname = \"hue\"\nkind = \"lamp\"\n[gyro]",
            "T005",
            "two devices named `hue`",
        );
    }

    #[test]
    fn what_is_left_out_has_a_plain_meaning() {
        let robot = load(GOOD).0.unwrap();
        let ahead = &robot.rangers[robot.ranger("ahead").unwrap()];
        assert_eq!(
            (ahead.facing, ahead.latency_ms, ahead.clock.period_us),
            (0.0, 20, 40_000)
        );
        assert!(ahead.blind_above.is_infinite() && (ahead.slant - USUAL_SLANT).abs() < 1e-12);
        assert_eq!(
            robot.true_diameters, [robot.wheel_diameter; 2],
            "wheels are what the robot believes"
        );
        assert!(robot.sensors.iter().all(|sensor| !sensor.inverted));
        let other = GOOD
            .replace("track_width =", "right_wheel = \"57 mm\"\ntrack_width =")
            .replace("latency = \"20 ms\"\n", "");
        let robot = load(&other).0.unwrap();
        assert_eq!(
            (robot.true_diameters, robot.rangers[0].latency_ms),
            ([0.056, 0.057], 0)
        );
    }

    #[test]
    fn a_missing_section_is_one_finding_and_no_robot() {
        let (robot, findings) = load(&GOOD.replace("[battery]", "[team_notes]"));
        assert!(robot.is_none());
        assert!(
            findings
                .iter()
                .any(|finding| finding.message.contains("missing section `battery`")),
            "{findings:#?}"
        );
        let broken = GOOD.replace("[motor.right]", "[motor.rihgt]");
        let (robot, findings) = load(&broken);
        let messages: Vec<_> = findings
            .iter()
            .map(|finding| finding.message.as_str())
            .collect();
        assert!(robot.is_none());
        assert_eq!(
            messages,
            [
                "unknown section `[motor.rihgt]`",
                "missing section `motor.right`"
            ]
        );
    }

    #[test]
    fn one_motor_of_a_car_is_two_of_half_its_strength() {
        let two = include_str!("../../../../examples/brinewick/robots/barge-cart.toml");
        let right = two.find("[motor.right]").unwrap();
        let after = right + two[right..].find("\n\n").unwrap();
        let one = format!("{}{}", &two[..right], &two[after..])
            .replace("[motor.left]", "[motor.both]")
            .replace("\"0.2 N m\"", "\"0.4 N m\"")
            .replace("\"0.01 N m\"", "\"0.02 N m\"");
        let inertia = "rated_voltage = \"7.4 V\"\ninertia = \"1.1 kg cm^2\"";
        let one = one.replacen("rated_voltage = \"7.4 V\"", inertia, 1);
        let (two, (one, findings)) = (load(two).0.unwrap(), load(&one));
        assert!(findings.is_empty(), "{findings:#?}");
        let one = one.unwrap();
        let right = Motor {
            port: two.left.port.clone(),
            ..two.right.clone()
        };
        assert_eq!((&one.left, &one.right), (&two.left, &right));
        // A robot that turns by its wheels needs two.
        let codes: Vec<_> = load(&GOOD.replace("[motor.left]", "[motor.both]")).1;
        assert!(
            codes
                .iter()
                .any(|finding| finding.message.contains("motor.both"))
        );
    }

    #[test]
    fn a_clock_reads_as_often_as_its_rate_says_and_never_early() {
        for hertz in [1.0f64, 7.0, 15.0, 30.0, 60.0, 300.0, 999.0, 1000.0] {
            for phase_ms in [0, 3, 17] {
                let clock = Clock {
                    phase_ms,
                    ..Clock::with_rate(hertz)
                };
                let mut step = u64::from(phase_ms);
                for nth in 1..3000u32 {
                    let next = clock.next(step);
                    let due = f64::from(phase_ms) + f64::from(nth) * clock.seconds() * 1e3;
                    assert!(
                        (next as f64 - due) > -1e-6 && (next as f64 - due) < 1.0,
                        "{hertz}"
                    );
                    for between in step..next {
                        assert_eq!((clock.last(between), clock.next(between)), (step, next));
                    }
                    step = next;
                }
            }
        }
    }
}
