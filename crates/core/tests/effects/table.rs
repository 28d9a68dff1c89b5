//! A table to try effects on.

use wayodos_core::field::{Pose, Unreadable};
use wayodos_core::ids::StepId;
use wayodos_core::lab::evidence::{Evidence, evidence};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Intervention, Run};
use wayodos_core::sim::{Play, play, run};

pub const ROBOT: &str = include_str!("../../../../examples/brinewick/robots/curlew.toml");

/// A robot on a bare mat of two metres by one, to be changed.
#[derive(Clone)]
pub struct Table {
    pub robot: String,
    pub field: String,
    pub calibration: String,
    pub start: (f64, f64, f64),
    /// Further files of the project.
    pub files: Vec<(&'static str, String)>,
}

impl Table {
    /// The demo robot with two equal motors, 300 mm from the left edge and half way up, looking to
    /// the right.
    pub fn new() -> Self {
        let robot = ROBOT
            .replace("158 rpm", "160 rpm")
            .replace("0.158 N m", "0.16 N m");
        let field = r##"
            size = "2000 x 1000 mm"
            ground = "pale"
            surface = { pale = { colour = "#e9e3d2" }, dark = { colour = "#22252a" }, red = { colour = "#bf4a2d" }, blue = { colour = "#2d73b0" } }
        "##;
        let floor =
            |side: &str| format!("[sensor.floor-{side}]\ndark = \"2 %\"\npale = \"77 %\"\n");
        let calibration = floor("left") + &floor("right");
        Self {
            robot,
            field: field.into(),
            calibration,
            start: (300.0, 500.0, 0.0),
            files: Vec::new(),
        }
    }

    /// The robot file with one word changed.
    pub fn robot(mut self, old: &str, new: &str) -> Self {
        assert!(self.robot.contains(old), "{old}");
        self.robot = self.robot.replace(old, new);
        self
    }

    /// A line across the mat, from bottom to top.
    pub fn bar(self, x: f64, width: f64) -> Self {
        self.line("dark", width, &format!("\"{x}, 0 mm\", \"{x}, 1000 mm\""))
    }

    pub fn line(mut self, surface: &str, width: f64, points: &str) -> Self {
        self.field += &format!(
            "\n[[line]]\nsurface = \"{surface}\"\nwidth = \"{width} mm\"\npoints = [{points}]\n"
        );
        self
    }

    pub fn wall(mut self, points: &str) -> Self {
        self.field += &format!("\n[[wall]]\nthickness = \"20 mm\"\npoints = [{points}]\n");
        self
    }

    /// More sections of the field file.
    pub fn with(mut self, sections: &str) -> Self {
        self.field += &format!("\n{sections}\n");
        self
    }

    pub fn file(mut self, path: &'static str, text: &str) -> Self {
        self.files.push((path, text.to_owned()));
        self
    }

    pub fn start(mut self, x: f64, y: f64, heading: f64) -> Self {
        self.start = (x, y, heading);
        self
    }

    pub fn setup(&self) -> Setup {
        let (x, y, heading) = self.start;
        let field = format!(
            "{}\n[start.here]\nat = \"{x}, {y} mm\"\nheading = \"{heading} deg\"\n",
            self.field
        );
        let calibration = Some(self.calibration.as_str()).filter(|text| !text.is_empty());
        let file = |path: &str| {
            let found = self.files.iter().find(|(known, _)| *known == path);
            found
                .map(|(_, text)| text.clone().into_bytes())
                .ok_or(Unreadable::Missing)
        };
        let (setup, findings) = Setup::load_with(&self.robot, &field, calibration, &file);
        setup.unwrap_or_else(|| panic!("{findings:#?}"))
    }

    pub fn run(&self, steps: &str) -> Run {
        self.run_with(steps, 1)
    }

    /// A run in which somebody does something by hand.
    pub fn run_by_hand(&self, steps: &str, interventions: &[Intervention]) -> Run {
        let setup = self.setup();
        let prepared = prepare(&format!("limit 60 s\n{steps}"), Some(&setup));
        let program = prepared
            .program
            .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
        let world = setup.world();
        play(
            &world,
            &program,
            Play {
                start: world.start(None, 1),
                meant: None,
                seed: 1,
                interventions,
                piece: None,
            },
            None,
        )
        .unwrap()
    }

    pub fn run_with(&self, steps: &str, seed: u64) -> Run {
        let setup = self.setup();
        let prepared = prepare(&format!("limit 60 s\n{steps}"), Some(&setup));
        let program = prepared
            .program
            .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
        let world = setup.world();
        run(&world, &program, world.start(None, seed), seed, None).unwrap()
    }

    /// The evidence of the first exit of the first step.
    pub fn first_evidence(&self, steps: &str) -> Evidence {
        let setup = self.setup();
        let program = prepare(&format!("limit 60 s\n{steps}"), Some(&setup))
            .program
            .unwrap();
        let world = setup.world();
        let run = run(&world, &program, world.start(None, 1), 1, None).unwrap();
        evidence(&run, &program, &setup.robot)[0].exits[0]
    }
}

/// A behaviour until an exit, then brakes until everything stands.
pub fn then_rest(behaviour: &str, exit: &str) -> String {
    format!(
        "step \"go\"\n{behaviour}\nuntil {exit}\nstep \"rest\"\nhold, brake\nuntil 1 s passes -> done"
    )
}

/// Millimetres that the robot has come since its start.
pub fn gone(run: &Run) -> f64 {
    let (from, to) = (run.trace.ticks[0].pose, run.final_pose());
    (to.x - from.x).hypot(to.y - from.y) * 1e3
}

pub fn degrees(pose: Pose) -> f64 {
    pose.heading.to_degrees()
}

/// The pose at which a step was entered.
pub fn pose_at(run: &Run, step: usize) -> Pose {
    let visit = run
        .visits
        .iter()
        .find(|visit| visit.step == StepId(step))
        .unwrap();
    run.trace.ticks[visit.entered].pose
}
