//! `run --csv`: what was recorded of a run as a table, one row a control tick, one column a channel.

use wayodos_core::controller::{Program, WheelCommand};
use wayodos_core::ids::{ActuatorId, RangerId, SensorId, SwitchId};
use wayodos_core::record::{Run, Tick};
use wayodos_core::robot::{Robot, SensorKind};
use wayodos_core::units::math::heading_in_degrees;

/// One column: its name, its unit (empty for words and plain numbers), and what it says at a tick.
struct Channel<'a> {
    name: String,
    unit: &'static str,
    at: Box<dyn Fn(usize) -> String + 'a>,
}

impl Channel<'_> {
    /// `floor-left_%`, `time_s`, `step`.
    fn title(&self) -> String {
        if self.unit.is_empty() {
            self.name.clone()
        } else {
            format!("{}_{}", self.name, self.unit)
        }
    }
}

/// Everything that a run can be asked for, the time first.
fn channels<'a>(run: &'a Run, program: &'a Program, robot: &'a Robot) -> Vec<Channel<'a>> {
    let trace = &run.trace;
    let mut all: Vec<Channel<'a>> = Vec::new();
    let mut add = |name: &str, unit, at: Box<dyn Fn(usize) -> String + 'a>| {
        let name = name.to_owned();
        all.push(Channel { name, unit, at });
    };
    let of = |value: fn(&Tick) -> f64, digits: usize| -> Box<dyn Fn(usize) -> String + 'a> {
        Box::new(move |tick| number(value(&trace.ticks[tick]), digits))
    };
    add("time", "s", Box::new(|tick| number(trace.seconds(tick), 3)));
    let named = |tick: usize| program.steps[trace.ticks[tick].step()].name.clone();
    add("step", "", Box::new(named));
    add("x", "mm", of(|tick| tick.pose.x * 1e3, 1));
    add("y", "mm", of(|tick| tick.pose.y * 1e3, 1));
    add(
        "heading",
        "deg",
        of(|tick| heading_in_degrees(tick.pose.heading), 2),
    );
    add("left-speed", "mm/s", of(|tick| tick.rims[0] * 1e3, 1));
    add("right-speed", "mm/s", of(|tick| tick.rims[1] * 1e3, 1));
    add(
        "left-command",
        "",
        Box::new(|tick| command(trace.ticks[tick].command.left)),
    );
    add(
        "right-command",
        "",
        Box::new(|tick| command(trace.ticks[tick].command.right)),
    );
    add(
        "left-wheel",
        "deg",
        of(|tick| tick.wheels[0].to_degrees(), 1),
    );
    add(
        "right-wheel",
        "deg",
        of(|tick| tick.wheels[1].to_degrees(), 1),
    );
    if program.has_gyro {
        add("gyro", "deg", of(|tick| tick.gyro.to_degrees(), 2));
    }
    add("battery", "V", of(|tick| tick.battery, 3));
    for (id, sensor) in SensorId::all(robot.sensors.len()).zip(robot.sensors.iter()) {
        let reading = move |tick: usize| trace.reading(tick, id);
        let share = move |tick: usize| number(reading(tick).brightness * 100.0, 1);
        match sensor.kind {
            SensorKind::Reflectance => add(&sensor.name, "%", Box::new(share)),
            SensorKind::Colour => {
                add(&sensor.name, "%", Box::new(share));
                for (nth, colour) in ["red", "green", "blue"].into_iter().enumerate() {
                    let share = move |tick: usize| number(reading(tick).rgb[nth] * 100.0, 1);
                    add(&format!("{}-{colour}", sensor.name), "%", Box::new(share));
                }
                let tones = &program.tones[id];
                let seen = move |tick: usize| {
                    let tone = tones.nearest_colour(&reading(tick));
                    tone.map_or_else(String::new, |tone| tones.tones[tone].name.clone())
                };
                add(&format!("{}-tone", sensor.name), "", Box::new(seen));
            }
            SensorKind::Code => {
                let seen = move |tick: usize| {
                    let code = program.code(id, &reading(tick));
                    code.map_or_else(String::new, |code| code.to_string())
                };
                add(&sensor.name, "", Box::new(seen));
            }
        }
    }
    for (id, ranger) in RangerId::all(robot.rangers.len()).zip(robot.rangers.iter()) {
        let metres = move |tick: usize| number(trace.range(tick, id) * 1e3, 1);
        add(&ranger.name, "mm", Box::new(metres));
    }
    for (id, switch) in SwitchId::all(robot.touches.len()).zip(robot.touches.iter()) {
        let pressed = move |tick: usize| u8::from(trace.is_pressed(tick, id)).to_string();
        add(&switch.name, "", Box::new(pressed));
    }
    for (id, actuator) in ActuatorId::all(robot.actuators.len()).zip(robot.actuators.iter()) {
        let angle = move |tick: usize| number(trace.angle(tick, id).to_degrees(), 2);
        add(&actuator.name, "deg", Box::new(angle));
    }
    all
}

/// A number with so many digits at most, no zeros behind, and no `-0`; nothing for what is none.
fn number(value: f64, digits: usize) -> String {
    if !value.is_finite() {
        return String::new();
    }
    let scale = 10f64.powi(digits as i32);
    format!("{}", (value * scale).round() / scale + 0.0)
}

/// The command of a motor as a mission says it.
fn command(command: WheelCommand) -> String {
    match command {
        WheelCommand::Duty(duty) => format!("{} %", number(duty * 100.0, 1)),
        WheelCommand::Speed(speed) => format!("{} mm/s", number(speed * 1e3, 1)),
        WheelCommand::Brake => "brake".into(),
        WheelCommand::Coast => "coast".into(),
        WheelCommand::Keep => "keep".into(),
    }
}

/// A run as a table of the wanted channels, all without any; the time always stands first.
///
/// # Errors
///
/// The first wanted name that there is no channel of, and all names that there are.
pub(super) fn table(
    run: &Run,
    program: &Program,
    robot: &Robot,
    wanted: &[String],
) -> Result<Vec<u8>, (String, Vec<String>)> {
    let all = channels(run, program, robot);
    let unknown = |name: &&String| !all.iter().any(|one| one.name == **name);
    if let Some(name) = wanted.iter().find(unknown) {
        return Err((name.clone(), all.into_iter().map(|one| one.name).collect()));
    }
    // In the order in which they are asked for.
    let mut shown: Vec<&Channel<'_>> = Vec::new();
    if wanted.is_empty() {
        shown.extend(&all);
    } else {
        shown.push(&all[0]);
        for name in wanted.iter().filter(|name| **name != all[0].name) {
            shown.extend(all.iter().find(|one| one.name == *name));
        }
    }
    let mut rows = csv::Writer::from_writer(Vec::new());
    let written = "a table in memory takes every row of its width";
    rows.write_record(shown.iter().map(|one| one.title()))
        .expect(written);
    for tick in 0..run.trace.ticks.len() {
        rows.write_record(shown.iter().map(|one| (one.at)(tick)))
            .expect(written);
    }
    Ok(rows.into_inner().expect(written))
}
