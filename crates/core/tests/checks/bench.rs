//! Missions on the causeway with Curlew, either of them changed where a test wants it.

use std::sync::Arc;

use wayodos_core::controller::Program;
use wayodos_core::field::Unreadable;
use wayodos_core::finding::Finding;
use wayodos_core::lab::evidence::evidence;
use wayodos_core::lab::hindsight::hindsight;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::Run;
use wayodos_core::sim::run;

const ROBOT: &str = include_str!("../../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../../examples/brinewick/fields/causeway.toml");

/// The only other file that there is: a rival's robot, just like ours.
fn rival(path: &str) -> Result<Vec<u8>, Unreadable> {
    if path == "rival.toml" {
        Ok(ROBOT.as_bytes().to_vec())
    } else {
        Err(Unreadable::Missing)
    }
}

/// A sensor that reports numbers, in no order.
pub const TAG: &str = r##"[[sensor]]
name = "tag"
kind = "code"
port = "S9"
at = "96, 8 mm"
spot = "10 mm"
rate = "50 Hz"
codes = [
    { name = "nothing", code = 1, colour = "#e9e3d2" },
    { name = "kiln", code = 7, colour = "#bf4a2d" },
    { name = "sleeper", code = 4, colour = "#22252a" },
]

"##;

/// An arm from 0 to 90 deg.
pub const ARM: &str = r#"[[actuator]]
name = "arm"
port = "MC"
speed = "120 deg/s"
from = "0 deg"
to = "90 deg"

"#;

#[derive(Clone)]
pub struct Bench {
    robot: String,
    field: String,
    pub start: &'static str,
    shared: Vec<(String, String)>,
}

impl Default for Bench {
    fn default() -> Self {
        Self {
            robot: ROBOT.to_owned(),
            field: FIELD.to_owned(),
            start: "slipway",
            shared: Vec::new(),
        }
    }
}

impl Bench {
    /// Curlew on another field.
    pub fn on(field: &str, start: &'static str) -> Self {
        Self {
            field: field.to_owned(),
            start,
            ..Self::default()
        }
    }

    /// The same with another robot.
    pub fn whole_robot(mut self, robot: &str) -> Self {
        robot.clone_into(&mut self.robot);
        self
    }

    pub fn shared(mut self, path: &str, text: &str) -> Self {
        self.shared.push((path.to_owned(), text.to_owned()));
        self
    }

    #[track_caller]
    pub fn setup(&self) -> Setup {
        let (setup, findings) = Setup::load_with(&self.robot, &self.field, None, &rival);
        let mut setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
        setup.shared.clone_from(&self.shared);
        setup
    }

    /// The same with a calibration, and what is found about it.
    pub fn loaded(&self, calibration: &str) -> (Option<Setup>, Vec<Finding>) {
        Setup::load_with(&self.robot, &self.field, Some(calibration), &rival)
    }

    #[track_caller]
    pub fn robot(mut self, from: &str, to: &str) -> Self {
        assert!(self.robot.contains(from), "the robot file has no {from:?}");
        self.robot = self.robot.replace(from, to);
        self
    }

    #[track_caller]
    pub fn field(mut self, from: &str, to: &str) -> Self {
        assert!(self.field.contains(from), "the field file has no {from:?}");
        self.field = self.field.replacen(from, to, 1);
        self
    }

    pub fn start(mut self, start: &'static str) -> Self {
        self.start = start;
        self
    }

    pub fn text(&self, mission: &str) -> String {
        format!("mission \"m\"\nlimit 20 s\nstart {}\n{mission}", self.start)
    }

    /// The codes of all findings about a mission, its run included.
    pub fn codes(&self, mission: &str) -> Vec<String> {
        self.findings(mission)
            .into_iter()
            .map(|finding| finding.code.to_owned())
            .collect()
    }

    pub fn findings(&self, mission: &str) -> Vec<Finding> {
        self.advice_on(&self.text(mission))
    }

    /// The same for a whole text, header and all.
    pub fn whole(&self, text: &str) -> Vec<String> {
        self.advice_on(text)
            .into_iter()
            .map(|finding| finding.code.to_owned())
            .collect()
    }

    fn advice_on(&self, text: &str) -> Vec<Finding> {
        let (setup, mut findings) = Setup::load_with(&self.robot, &self.field, None, &rival);
        let Some(mut setup) = setup else {
            return findings;
        };
        setup.shared.clone_from(&self.shared);
        let prepared = prepare(text, Some(&setup));
        findings.extend(prepared.findings.clone());
        if let Some(program) = prepared.program {
            let run = self.go(&setup, &program);
            let evidence = evidence(&run, &program, &setup.robot);
            findings.extend(hindsight(
                text,
                &prepared.parsed,
                &program,
                &setup.field,
                &run,
                &evidence,
            ));
        }
        for finding in &findings {
            assert!(
                finding.span.end <= text.len().max(self.field.len()),
                "{finding:?}"
            );
            assert!(
                !finding.hints.is_empty() || !finding.code.starts_with('K'),
                "advice says what to do: {finding:?}"
            );
        }
        findings
    }

    fn go(&self, setup: &Setup, program: &Arc<Program>) -> Run {
        let start = setup
            .field
            .start(self.start)
            .unwrap_or(&setup.field.starts[0]);
        run(&setup.world(), program, start.pose, 7, None).expect("nobody cancels it")
    }

    #[track_caller]
    pub fn played(&self, mission: &str) -> (Arc<Program>, Run) {
        let setup = self.setup();
        let prepared = prepare(&self.text(mission), Some(&setup));
        let program = prepared
            .program
            .unwrap_or_else(|| panic!("{:?}", prepared.findings));
        let run = self.go(&setup, &program);
        (program, run)
    }

    #[track_caller]
    pub fn run(&self, mission: &str) -> Run {
        self.played(mission).1
    }
}
