//! How square a robot stood to a line when it had squared up to it.

use super::evidence::StepEvidence;
use crate::controller::{Action, Program, Sight};
use crate::field::Pose;
use crate::ids::SensorId;
use crate::record::Run;
use crate::sim::World;
use crate::units::math;

/// The edge of a line is looked for so far before and behind a spot, metres.
const REACH: f64 = 0.06;
/// In steps of this length, metres.
const GRAIN: f64 = 0.000_25;

/// Adds to each visit of a step that squares up how far off it was in the end, by where the robot
/// truly stood.
pub fn add_squareness(world: &World, run: &Run, program: &Program, evidence: &mut [StepEvidence]) {
    for one in evidence {
        let squares = program.phases(one.visit.step).find_map(|phase| {
            if let Action::Square { sensors, .. } = &phase.action {
                Some(*sensors)
            } else {
                None
            }
        });
        let tick = run.trace.ticks.get(one.visit.left);
        if let (Some(sensors), Some(tick)) = (squares, tick) {
            one.off_square = off_square(world, program, tick.pose, sensors);
        }
    }
}

/// The angle in rad by which a robot at a pose is turned from the line under its two sensors,
/// counter-clockwise; none where no edge of it lies within 60 mm of each spot.
///
/// Each sensor's way to the edge is looked for straight ahead and straight back: with the ways a and
/// b and the spots c apart, the robot is turned by atan((a - b) / c).
pub fn off_square(
    world: &World,
    program: &Program,
    pose: Pose,
    sensors: [(SensorId, Sight); 2],
) -> Option<f64> {
    let about = |sensor: SensorId| &world.robot.sensors[sensor];
    let [left, right] = sensors.map(|(sensor, _)| about(sensor));
    let apart = left.left - right.left;
    if apart.abs() < 1e-6 {
        return None;
    }
    let mut ways = [0.0; 2];
    for (way, (sensor, sight)) in ways.iter_mut().zip(sensors) {
        *way = to_the_edge(world, program, pose, sensor, sight)?;
    }
    // Sensors need not sit equally far ahead.
    let across = (ways[0] + left.ahead) - (ways[1] + right.ahead);
    Some(math::atan2(across * apart.signum(), apart.abs()))
}

/// How far ahead of a spot the edge of the line lies over which the robot came, metres; negative
/// behind it.
fn to_the_edge(
    world: &World,
    program: &Program,
    pose: Pose,
    sensor: SensorId,
    sight: Sight,
) -> Option<f64> {
    let (sin, cos) = (math::sin(pose.heading), math::cos(pose.heading));
    let sees = |way: f64| {
        let there = Pose {
            x: pose.x + way * cos,
            y: pose.y + way * sin,
            heading: pose.heading,
        };
        program.sees(sensor, sight, &world.ideal_reading(sensor, there))
    };
    let steps = (REACH / GRAIN) as usize;
    let way = |nth: usize| nth as f64 * GRAIN;
    // On the line, its edge is where it began; before it, where it will begin.
    if sees(0.0) {
        (1..=steps).map(|nth| -way(nth)).find(|way| !sees(*way))
    } else {
        let found = (1..=steps)
            .flat_map(|nth| [way(nth), -way(nth)])
            .find(|way| sees(*way))?;
        if found > 0.0 {
            return Some(found);
        }
        // Behind it: over the whole line and back to its first edge.
        let behind = (1..=steps).map(|nth| found - way(nth));
        behind
            .take_while(|way| *way >= -REACH)
            .find(|way| !sees(*way))
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use super::*;
    use crate::lab::evidence::evidence;
    use crate::project::{Setup, prepare};
    use crate::sim::run;

    /// A bar that lies straight across, wide enough for whatever angle a robot comes at.
    const FIELD: &str = "name = \"Bar\"\nsize = \"800 x 400 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n[surface.dark]\ncolour = \"#22252a\"\n[[line]]\nsurface = \"dark\"\nwidth = \"20 mm\"\npoints = [\"420, 40 mm\", \"420, 360 mm\"]\n[start.slipway]\nat = \"150, 200 mm\"\nheading = \"0 deg\"\n";

    fn squared(steps: &str) -> (World, Arc<Program>, Run) {
        let (setup, _) = Setup::load(
            include_str!("../../../../examples/brinewick/robots/curlew.toml"),
            FIELD,
            Some(include_str!(
                "../../../../examples/brinewick/calibration.toml"
            )),
        );
        let setup = setup.unwrap();
        let program = prepare(&format!("limit 20 s\nstart slipway\n{steps}"), Some(&setup)).program;
        let (world, program) = (setup.world(), program.unwrap());
        let run = run(&world, &program, world.start(Some("slipway"), 1), 1, None).unwrap();
        (world, program, run)
    }

    const ALIGN: &str = "step \"to\"\ndrive ahead at 26 %\nuntil travelled 60 mm\nstep \"a\"\nalign floor-left and floor-right to a dark line at 16 %\nstep \"s\"\nhold\nuntil 0.2 s pass";

    /// Where the line lies straight across, how far a robot is off is its own heading.
    #[test]
    fn a_robot_is_off_by_its_heading_where_the_line_lies_straight_across() {
        let (world, program, run) = squared(ALIGN);
        let step = run.visits[1];
        let sensors = program.phases(step.step).find_map(|phase| {
            if let Action::Square { sensors, .. } = &phase.action {
                Some(*sensors)
            } else {
                None
            }
        });
        let pose = run.trace.ticks[step.left].pose;
        for degrees in [-12.0, -3.0, -0.5, 0.0, 0.5, 3.0, 12.0f64] {
            for back in [0.0, 0.004, 0.012] {
                let heading = degrees.to_radians();
                let pose = Pose {
                    x: pose.x - back,
                    heading,
                    ..pose
                };
                let off = off_square(&world, &program, pose, sensors.unwrap());
                let off = off.expect("the bar is near").to_degrees();
                assert!(
                    (off - degrees).abs() < 0.6,
                    "{off} instead of {degrees}, {back} m back"
                );
            }
        }
        let far = Pose { x: 0.1, ..pose };
        assert_eq!(off_square(&world, &program, far, sensors.unwrap()), None);
    }

    #[test]
    fn only_a_step_that_squares_up_says_how_square_it_ended() {
        let (world, program, run) = squared(ALIGN);
        let mut evidence = evidence(&run, &program, &world.robot);
        add_squareness(&world, &run, &program, &mut evidence);
        let off: Vec<bool> = evidence
            .iter()
            .map(|one| one.off_square.is_some())
            .collect();
        assert_eq!(off, [false, true, false]);
        assert!(evidence[1].off_square.unwrap().to_degrees().abs() < 1.0);
    }
}
