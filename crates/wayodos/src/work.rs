//! A run that is asked for, and all that is shown of it.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Instant;
use wayodos_core::ids::StepId;

use wayodos_core::controller::{Program, ProgramStep};
use wayodos_core::field::Pose;
use wayodos_core::finding::Finding;
use wayodos_core::lab::evidence::{StepEvidence, evidence};
use wayodos_core::lab::first::{First, first_wrong};
use wayodos_core::lab::hindsight::hindsight;
use wayodos_core::lab::spread::Attempt;
use wayodos_core::lab::square::add_squareness;
use wayodos_core::lab::why::Replay;
use wayodos_core::project::{Prepared, Setup, prepare};
use wayodos_core::record::{Intervention, Run};
use wayodos_core::scatter::Scatter;
use wayodos_core::sim::{Chance, Piece, Play, Varied, World, play, varied};
use wayodos_report::{Chart, Parts, Scene, Story, sheet};

use crate::folder::Project;

/// Tells the runs of a process apart: what is worked out from a run is kept by it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RunId(u64);

impl RunId {
    fn next() -> Self {
        static NEXT: AtomicU64 = AtomicU64::new(0);
        Self(NEXT.fetch_add(1, Ordering::Relaxed))
    }
}

/// A run with all that is shown of it.
#[derive(Clone, Debug)]
pub struct RunReport {
    /// No other run of this process has it.
    pub id: RunId,
    /// The text that was run.
    pub text: Arc<str>,
    /// What it says.
    pub prepared: Arc<Prepared>,
    /// The compiled mission.
    pub program: Arc<Program>,
    /// What it ran in.
    pub world: Arc<World>,
    /// What is different in it from what the files say.
    pub chance: Chance,
    /// What it is one run of.
    pub attempt: Attempt,
    /// What happened.
    pub run: Run,
    /// One entry per visit of a step.
    pub evidence: Vec<StepEvidence>,
    /// What went wrong first, when it did not end as planned.
    pub first: Option<First>,
    /// What only the run shows to be wrong.
    pub hindsight: Vec<Finding>,
    /// The strip chart.
    pub chart: Chart,
    /// Where it began, when not at the start: the step in its own program, and what was asked for.
    pub piece: Option<(StepId, From)>,
}

/// A place in the middle of a whole run, to begin another run at.
#[derive(Clone, Debug)]
pub struct From {
    /// The whole run.
    pub base: Arc<RunReport>,
    /// Its tick.
    pub tick: usize,
    /// The name of the step to begin with.
    pub step: String,
    /// Where the robot is put then, standing.
    pub pose: Option<Pose>,
}

impl RunReport {
    /// This run with all that is needed to describe it.
    pub fn story(&self) -> Story<'_> {
        Story {
            field: &self.world.field,
            robot: &self.world.robot,
            program: &self.program,
            run: &self.run,
        }
    }

    /// The page about it.
    pub fn page(&self, project: &Project, seed: u64, parts: Parts) -> Scene {
        let name = self.prepared.parsed.mission.name.as_ref();
        let mission = name.map_or_else(|| project.config.mission.clone(), |name| name.node.clone());
        let which = self
            .chance
            .words()
            .map_or_else(String::new, |words| format!(" · {words}"));
        let title = format!("{} · {mission}{which}", project.name());
        sheet(self.story(), &self.evidence, &title, seed, parts)
    }

    /// This run, to be asked how things stood.
    pub fn replay(&self) -> Replay {
        Replay::new(&self.program, &self.run)
    }
}

/// What a run is for. Whoever waits for it at the screen goes first.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// It is what the screen shows of the text.
    Shown,
    /// It shows what a marked row of a list would do.
    Trial,
    /// It begins in the middle of another run.
    Piece,
    /// It is one of many that nobody waits for: the missions of the project screen.
    Behind,
}

impl Kind {
    /// Whether somebody waits for it.
    pub const fn urgent(self) -> bool {
        !matches!(self, Self::Behind)
    }
}

/// A text to run.
#[derive(Clone, Debug)]
pub struct Job {
    /// Which answer belongs to it.
    pub id: u64,
    /// What it is for.
    pub kind: Kind,
    /// The mission.
    pub text: Arc<str>,
    /// The same, read, checked and compiled for the setup: once, by whoever changed it.
    pub prepared: Arc<Prepared>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// Seed of the project.
    pub seed: u64,
    /// Which of the many runs it is; 0 is the nominal one.
    pub number: u32,
    /// How much those differ.
    pub scatter: Scatter,
    /// Where it begins, when not at the start.
    pub from: Option<From>,
    /// What is done by hand, in order of time.
    pub hands: Vec<Intervention>,
}

impl Job {
    /// The whole run of a text, with what the project does by hand.
    pub fn nominal(text: Arc<str>, setup: Arc<Setup>, seed: u64) -> Self {
        let (hands, prepared) = (setup.hands.clone(), Arc::new(prepare(&text, Some(&setup))));
        Self {
            id: 0,
            kind: Kind::Shown,
            text,
            prepared,
            setup,
            seed,
            number: 0,
            scatter: Scatter::default(),
            from: None,
            hands,
        }
    }
}

impl Job {
    /// What it is one run of, in the setup's own world; none when the text has errors.
    pub fn attempt(&self, world: &Arc<World>) -> Option<Attempt> {
        let start = self.prepared.parsed.mission.start.as_ref();
        Some(Attempt {
            program: Arc::clone(self.prepared.program.as_ref()?),
            world: Arc::clone(world),
            start: start.map(|start| start.node.clone()),
            seed: self.seed,
            scatter: self.scatter,
            hands: self.hands.as_slice().into(),
        })
    }
}

/// Runs a mission in a world. None when the text has errors or the run was cancelled.
pub fn run_job(job: &Job, world: &Arc<World>, cancel: Option<&AtomicBool>) -> Option<RunReport> {
    let Job {
        text,
        prepared,
        setup,
        seed,
        ..
    } = job;
    let began = Instant::now();
    let attempt = job.attempt(world)?;
    let program = Arc::clone(&attempt.program);
    // A piece whose step is gone is the whole again.
    let piece = job.from.as_ref().and_then(|from| {
        let here =
            |step: &ProgramStep| step.name == from.step && step.reflex.is_none() && !step.foreign;
        let step = program.steps[..program.written]
            .iter()
            .position(here)
            .map(StepId)?;
        Some((step, from.clone()))
    });
    let asked = piece.as_ref().map(|(step, from)| Piece {
        before: &from.base.program,
        tick: from.tick,
        step: *step,
        pose: from.pose,
    });
    let Varied {
        world: varied_world,
        start,
        meant,
        seed,
        chance,
    } = varied(
        world,
        attempt.start.as_deref(),
        *seed,
        job.number,
        job.scatter,
    );
    // The nominal run's world is the setup's own.
    let world = if job.number == 0 {
        Arc::clone(world)
    } else {
        Arc::new(varied_world)
    };
    let play_of = Play {
        start,
        meant: Some(meant),
        seed,
        interventions: &job.hands,
        piece: asked,
    };
    let run = play(&world, &program, play_of, cancel)?;
    let mut evidence = evidence(&run, &program, &setup.robot);
    add_squareness(&world, &run, &program, &mut evidence);
    let first = first_wrong(&run, &program, &evidence);
    let chart = Chart::of(Story {
        field: &setup.field,
        robot: &setup.robot,
        program: &program,
        run: &run,
    });
    let hindsight = hindsight(
        text,
        &prepared.parsed,
        &program,
        &setup.field,
        &run,
        &evidence,
    );
    let (id, kind, outcome, took) = (job.id, job.kind, run.outcome, began.elapsed());
    tracing::debug!(
        id,
        ?kind,
        seed,
        ?outcome,
        ticks = run.trace.ticks.len(),
        ?took,
        "run"
    );
    Some(RunReport {
        id: RunId::next(),
        text: Arc::clone(text),
        prepared: Arc::clone(prepared),
        program,
        world,
        chance,
        attempt,
        run,
        evidence,
        first,
        hindsight,
        chart,
        piece,
    })
}

/// Runs a job here and now.
#[expect(
    clippy::needless_pass_by_value,
    reason = "it goes where a job is handed over"
)]
pub fn run_here(job: Job) -> Option<RunReport> {
    run_job(&job, &Arc::new(job.setup.world()), None)
}
