//! What a robot can do, in words: one row for each answer, with the keys of the robot file that it
//! follows from.

use std::ops::Range;

use wayodos_core::robot::Robot;
use wayodos_core::sim::{Ability, Looking, Ranging};
use wayodos_core::units::math::PI;

/// One thing that a robot can do.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AbilityRow {
    /// What it is about.
    pub about: String,
    /// What is so.
    pub words: String,
    /// The keys of the robot file that it follows from; those of a device without their section.
    pub from: Vec<&'static str>,
    /// The name of the device that it is about.
    pub device: Option<String>,
}

/// What decides how fast it drives, besides the motors of each side.
const DRIVING: &[&str] = &[
    "motor.left.no_load_speed",
    "motor.left.stall_torque",
    "motor.left.friction",
    "battery.voltage",
    "drive.wheel_diameter",
    "body.mass",
    "caster.drag",
    "drive.grip",
];

/// Everything that is known of what a robot can do, in the order in which people ask.
pub fn ability_rows(robot: &Robot, ability: &Ability) -> Vec<AbilityRow> {
    let mut rows = Vec::new();
    let mut row = |about: &str, words: String, from: &'static [&'static str]| {
        rows.push(AbilityRow {
            about: about.into(),
            words,
            // What carries a car in front are its steered wheels.
            from: from
                .iter()
                .copied()
                .filter(|key| robot.steering.is_none() || !key.starts_with("caster."))
                .collect(),
            device: None,
        });
    };
    for pace in &ability.paces {
        let [brake, coast, back] = pace.stops.map(|stop| stop.map(mm));
        let words = if pace.speed > 0.0 {
            format!(
                "{:.0} mm/s; {}, {}, {}",
                pace.speed * 1e3,
                brake.map_or("braking does not stop it".into(), |way| format!(
                    "brakes in {way}"
                )),
                coast.map_or("rolls on without an end".into(), |way| format!(
                    "rolls out {way}"
                )),
                back.map_or("full power back does not stop it".into(), |way| format!(
                    "stops in {way} with full power back"
                ))
            )
        } else {
            "it does not move".into()
        };
        row(&format!("{:.0} % power", pace.duty * 100.0), words, DRIVING);
    }
    if let Some((seconds, way)) = ability.up_to_speed {
        let words = format!("95 % of full speed after {seconds:.2} s and {}", mm(way));
        row("speeding up", words, DRIVING);
    }
    let starts = ability.starts_at.map_or_else(
        || "full power does not move it".to_owned(),
        |duty| {
            format!(
                "{:.0} % power is the least that moves it from rest",
                duty * 100.0
            )
        },
    );
    row(
        "starting",
        starts,
        &[
            "motor.left.stiction",
            "motor.left.friction",
            "motor.left.least_duty",
            "motor.left.stall_torque",
            "caster.drag",
            "body.mass",
        ],
    );
    let (force, slips) = ability.push;
    let limit = if slips {
        "then its tyres slip"
    } else {
        "then its motors stall"
    };
    row(
        "pushing",
        format!("{force:.1} N, {limit}"),
        &[
            "drive.grip",
            "motor.left.stall_torque",
            "drive.wheel_diameter",
            "body.mass",
            "body.centre_of_mass",
        ],
    );
    let turn = PI * robot.wheel_diameter;
    row(
        "a wheel turn",
        format!(
            "{:.1} mm; a degree of a wheel {:.2} mm, a tick of its encoder {:.2} mm",
            turn * 1e3,
            turn * 1e3 / 360.0,
            turn * 1e3 / f64::from(robot.encoder_ticks)
        ),
        &["drive.wheel_diameter", "drive.encoder_ticks"],
    );
    match (ability.spin, robot.least_radius()) {
        (_, Some(radius)) => row(
            "tightest arc",
            format!("a radius of {}", mm(radius)),
            &["steering.limit", "steering.ahead"],
        ),
        (Some(spin), None) => {
            let wheel = robot.track_width / robot.wheel_diameter;
            let once = if spin > 0.01 {
                format!("once round in {:.1} s at full power; ", 2.0 * PI / spin)
            } else {
                String::new()
            };
            row(
                "on the spot",
                format!("{once}90 deg are {:.0} deg of each wheel", 90.0 * wheel),
                &["drive.track_width", "drive.wheel_diameter"],
            );
        }
        (None, None) => {}
    }
    let full = ability.full_speed();
    for look in &ability.looks {
        rows.push(looking(robot, look, full));
    }
    for range in &ability.ranges {
        rows.push(ranging(robot, range, full));
    }
    rows
}

fn looking(robot: &Robot, look: &Looking, full: f64) -> AbilityRow {
    let about = &robot.sensors[look.sensor];
    let lead = match about.ahead {
        ahead if ahead.abs() < 0.0005 => "over the axle".to_owned(),
        ahead if ahead > 0.0 && full > 0.01 => format!(
            "the axle comes {} later, {:.2} s at full speed",
            mm(ahead),
            ahead / full
        ),
        ahead if ahead > 0.0 => format!("{} ahead of the axle", mm(ahead)),
        ahead => format!("{} behind the axle", mm(-ahead)),
    };
    AbilityRow {
        about: about.name.clone(),
        words: format!(
            "sees any line of {} at full speed; {lead}",
            // Rounded up: less would not be sure.
            mm((look.sees * 1e3 - 1e-6).ceil() / 1e3)
        ),
        from: vec!["spot", "rate", "at"],
        device: Some(about.name.clone()),
    }
}

fn ranging(robot: &Robot, range: &Ranging, full: f64) -> AbilityRow {
    let about = &robot.rangers[range.ranger];
    AbilityRow {
        about: about.name.clone(),
        words: format!(
            "{} to {}, the beam {} wide there; a reading is up to {:.0} ms old, {} at full speed",
            mm(about.least),
            mm(about.greatest),
            mm(range.beam),
            range.age * 1e3,
            mm(range.age * full)
        ),
        from: vec!["greatest", "least", "cone", "rate", "latency"],
        device: Some(about.name.clone()),
    }
}

fn mm(metres: f64) -> String {
    let mm = metres * 1e3;
    if mm < 9.95 {
        format!("{mm:.1} mm")
    } else {
        format!("{mm:.0} mm")
    }
}

/// The line (from 0) of a robot file that a key stands in, or else that its section begins with.
///
/// - `key`: as [`AbilityRow::from`] has it
/// - `device`: the name of the device whose key it is
pub fn line_of_key(text: &str, key: &str, device: Option<&str>) -> Option<usize> {
    let lines: Vec<&str> = text.lines().map(str::trim).collect();
    let (section, key) = key.rsplit_once('.').unwrap_or(("", key));
    let first = match device {
        // A car may have one motor for both wheels.
        None => [section, &section.replace("motor.left", "motor.both")]
            .into_iter()
            .find_map(|section| {
                let heading = format!("[{section}]");
                lines.iter().position(|line| line.starts_with(&heading))
            })?,
        Some(device) => {
            let quoted = format!("\"{device}\"");
            let name = lines.iter().position(|line| {
                value_of(line, "name").is_some_and(|value| value.starts_with(&quoted))
            })?;
            section_of(&lines, name).start
        }
    };
    let line = section_of(&lines, first).find(|line| value_of(lines[*line], key).is_some());
    Some(line.unwrap_or(first))
}

/// The name of the device that a line (from 0) of a robot file is about.
pub fn device_of_line(text: &str, line: usize) -> Option<&str> {
    let lines: Vec<&str> = text.lines().map(str::trim).collect();
    let section = section_of(&lines, line.min(lines.len().checked_sub(1)?));
    if !lines[section.start].starts_with("[[") {
        return None;
    }
    let name = section
        .map(|line| lines[line])
        .find_map(|line| value_of(line, "name"))?;
    name.strip_prefix('"')?.split('"').next()
}

/// The lines of the section around a line, its heading included.
fn section_of(lines: &[&str], line: usize) -> Range<usize> {
    let is_heading = |line: &&str| line.starts_with('[');
    let first = lines[..=line].iter().rposition(is_heading).unwrap_or(0);
    let last = lines[first + 1..].iter().position(is_heading);
    first..last.map_or(lines.len(), |at| first + 1 + at)
}

/// What a line gives to a key.
fn value_of<'a>(line: &'a str, key: &str) -> Option<&'a str> {
    let (left, right) = line.split_once('=')?;
    (left.trim() == key).then(|| right.trim())
}

#[cfg(test)]
mod tests {
    use super::*;
    use wayodos_core::robot::load;

    const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");

    #[test]
    fn each_row_is_said_and_leads_to_its_keys() {
        let robot = load(ROBOT).0.unwrap();
        let rows = ability_rows(&robot, &Ability::of(&robot));
        let said: Vec<String> = rows
            .iter()
            .map(|row| format!("{}: {}", row.about, row.words))
            .collect();
        insta::assert_snapshot!(said.join("\n"));
        for row in &rows {
            for key in &row.from {
                let line = line_of_key(ROBOT, key, row.device.as_deref())
                    .unwrap_or_else(|| panic!("{key} of {}", row.about));
                let here = ROBOT.lines().nth(line).unwrap();
                let name = key.rsplit('.').next().unwrap();
                // A key that is left out leads to its section.
                assert!(
                    here.starts_with(name) || here.starts_with('['),
                    "{key}: {here}"
                );
            }
        }
        let at = line_of_key(ROBOT, "spot", Some("hue")).unwrap();
        assert_eq!(ROBOT.lines().nth(at), Some("spot = \"10 mm\""));
        assert_eq!(line_of_key(ROBOT, "spot", Some("no such thing")), None);
        assert_eq!(device_of_line(ROBOT, at), Some("hue"));
        let grip = line_of_key(ROBOT, "drive.grip", None).unwrap();
        assert_eq!(device_of_line(ROBOT, grip), None);
        assert_eq!(
            (device_of_line("", 3), device_of_line("[[sensor]]", 0)),
            (None, None)
        );
    }
}
