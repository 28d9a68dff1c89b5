//! Runs on threads of their own. Whoever waits at the screen goes first: the newest of those is run
//! at once, an older one is given up half way, and what nobody waits for makes room until it is
//! over.

use std::collections::VecDeque;
use std::num::NonZeroUsize;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::Instant;
use wayodos_core::ids::StepId;

use wayodos_core::controller::{Program, ProgramStep};
use wayodos_core::field::Pose;
use wayodos_core::finding::Finding;
use wayodos_core::lab::evidence::{StepEvidence, evidence};
use wayodos_core::lab::hindsight::hindsight;
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
    /// What happened.
    pub run: Run,
    /// One entry per visit of a step.
    pub evidence: Vec<StepEvidence>,
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
        sheet(self.story(), &title, seed, parts)
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
    let program = Arc::clone(prepared.program.as_ref()?);
    let start = prepared
        .parsed
        .mission
        .start
        .as_ref()
        .map(|start| start.node.as_str());
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
        seed,
        chance,
    } = varied(world, start, *seed, job.number, job.scatter);
    // The nominal run's world is the setup's own.
    let world = if job.number == 0 {
        Arc::clone(world)
    } else {
        Arc::new(varied_world)
    };
    let play_of = Play {
        start,
        seed,
        interventions: &job.hands,
        piece: asked,
    };
    let run = play(&world, &program, play_of, cancel)?;
    let evidence = evidence(&run, &program, &setup.robot);
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
        run,
        evidence,
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

/// What becomes of a job's run: none when the text has errors.
pub type Reply = Box<dyn FnOnce(Option<RunReport>) + Send>;

/// A job that was handed in: how it stands, and a way to give it up.
#[derive(Clone, Debug, Default)]
pub struct Ticket(Arc<Standing>);

#[derive(Debug, Default)]
struct Standing {
    /// Nobody wants it any more.
    cancelled: AtomicBool,
    /// It is to stop now: it was cancelled, or makes room for somebody who waits.
    stop: AtomicBool,
    /// It came to an end, or never will.
    over: AtomicBool,
}

impl Ticket {
    /// Nobody wants it any more: it is given up, and not answered.
    pub fn cancel(&self) {
        self.0.cancelled.store(true, Ordering::Relaxed);
        self.0.stop.store(true, Ordering::Relaxed);
    }

    /// Whether it was answered or given up.
    pub fn is_over(&self) -> bool {
        self.0.over.load(Ordering::Acquire)
    }

    fn cancelled(&self) -> bool {
        self.0.cancelled.load(Ordering::Relaxed)
    }

    fn end(&self) {
        self.0.over.store(true, Ordering::Release);
    }
}

struct Handed {
    job: Job,
    ticket: Ticket,
    reply: Reply,
}

#[derive(Default)]
struct Desk {
    /// What somebody waits for, and has not begun.
    urgent: Option<Handed>,
    /// What somebody waits for, being run.
    urgent_running: Option<Ticket>,
    /// What nobody waits for, in order.
    behind: VecDeque<Handed>,
    /// What of that is being run.
    running: Vec<Ticket>,
    /// Threads that take it.
    helpers: Vec<thread::JoinHandle<()>>,
    closed: bool,
}

impl Desk {
    fn is_free(&self) -> bool {
        self.urgent.is_none() && self.urgent_running.is_none()
    }
}

#[derive(Default)]
struct Shared {
    desk: Mutex<Desk>,
    bell: Condvar,
}

impl Shared {
    fn desk(&self) -> MutexGuard<'_, Desk> {
        // A panic elsewhere has been shown by the panic hook; the desk itself is whole between any
        // two lines.
        self.desk.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn wait<'a>(&self, desk: MutexGuard<'a, Desk>) -> MutexGuard<'a, Desk> {
        self.bell.wait(desk).unwrap_or_else(PoisonError::into_inner)
    }
}

/// Who runs jobs: one thread for what somebody waits for, and the other cores for what nobody does.
pub struct Runner {
    shared: Arc<Shared>,
    thread: Option<thread::JoinHandle<()>>,
}

impl Default for Runner {
    fn default() -> Self {
        let shared = Arc::<Shared>::default();
        let own = Arc::clone(&shared);
        let thread = thread::Builder::new()
            .name("runs".into())
            .spawn(move || urgent(&own));
        Self {
            shared,
            thread: thread.ok(),
        }
    }
}

impl Runner {
    /// Hands in a job; `reply` is called with its run, on the thread that ran it, unless it is
    /// given up before.
    ///
    /// An urgent one is run at once: any other urgent one is given up, and what nobody waits for
    /// makes room meanwhile.
    pub fn hand_in(&self, job: Job, reply: Reply) -> Ticket {
        let ticket = Ticket::default();
        let handed = Handed {
            ticket: ticket.clone(),
            job,
            reply,
        };
        let mut desk = self.shared.desk();
        if handed.job.kind.urgent() {
            for old in desk
                .urgent
                .iter()
                .map(|old| &old.ticket)
                .chain(&desk.urgent_running)
            {
                old.cancel();
            }
            for other in &desk.running {
                other.0.stop.store(true, Ordering::Relaxed);
            }
            if let Some(old) = desk.urgent.replace(handed) {
                old.ticket.end();
            }
        } else {
            desk.behind.push_back(handed);
            self.help(&mut desk);
        }
        self.shared.bell.notify_all();
        ticket
    }

    /// One more thread for what nobody waits for, as long as there are cores: one is left for who
    /// waits.
    fn help(&self, desk: &mut Desk) {
        let cores = thread::available_parallelism().map_or(1, NonZeroUsize::get);
        if desk.helpers.len() >= cores.saturating_sub(1).max(1)
            || desk.helpers.len() >= desk.behind.len()
        {
            return;
        }
        let own = Arc::clone(&self.shared);
        let thread = thread::Builder::new()
            .name("runs behind".into())
            .spawn(move || behind(&own));
        desk.helpers.extend(thread);
    }
}

impl Drop for Runner {
    fn drop(&mut self) {
        let helpers = {
            let mut desk = self.shared.desk();
            desk.closed = true;
            for ticket in desk.urgent_running.iter().chain(&desk.running) {
                ticket.cancel();
            }
            // Whoever waits for these is told by their replies being gone.
            desk.behind.clear();
            std::mem::take(&mut desk.helpers)
        };
        self.shared.bell.notify_all();
        for thread in self.thread.take().into_iter().chain(helpers) {
            // A panic on the thread has been shown by the panic hook already.
            let _ = thread.join();
        }
    }
}

/// The world of the setup that was run last: the mat is rastered once for each setup, not once for
/// each run.
#[derive(Default)]
struct Worlds(Option<(Arc<Setup>, Arc<World>)>);

impl Worlds {
    fn of(&mut self, setup: &Arc<Setup>) -> Arc<World> {
        match &self.0 {
            Some((known, world)) if Arc::ptr_eq(known, setup) => Arc::clone(world),
            _ => {
                let world = Arc::new(setup.world());
                self.0 = Some((Arc::clone(setup), Arc::clone(&world)));
                world
            }
        }
    }
}

fn urgent(shared: &Shared) {
    let mut worlds = Worlds::default();
    loop {
        let Handed { job, ticket, reply } = {
            let mut desk = shared.desk();
            desk.urgent_running = None;
            // What made room may go on.
            shared.bell.notify_all();
            loop {
                if desk.closed {
                    return;
                }
                if let Some(handed) = desk.urgent.take() {
                    desk.urgent_running = Some(handed.ticket.clone());
                    break handed;
                }
                desk = shared.wait(desk);
            }
        };
        let report = run_job(&job, &worlds.of(&job.setup), Some(&ticket.0.stop));
        // One that was done all the same is something to see until the newer one is there.
        if report.is_some() || !ticket.cancelled() {
            reply(report);
        }
        ticket.end();
    }
}

fn behind(shared: &Shared) {
    let mut worlds = Worlds::default();
    loop {
        let handed = {
            let mut desk = shared.desk();
            loop {
                if desk.closed {
                    return;
                }
                if let Some(handed) = desk.is_free().then(|| desk.behind.pop_front()).flatten() {
                    handed
                        .ticket
                        .0
                        .stop
                        .store(handed.ticket.cancelled(), Ordering::Relaxed);
                    desk.running.push(handed.ticket.clone());
                    break handed;
                }
                desk = shared.wait(desk);
            }
        };
        let Handed { job, ticket, reply } = handed;
        let report = run_job(&job, &worlds.of(&job.setup), Some(&ticket.0.stop));
        let mut desk = shared.desk();
        desk.running
            .retain(|other| !Arc::ptr_eq(&other.0, &ticket.0));
        let stopped = report.is_none() && ticket.0.stop.load(Ordering::Relaxed);
        if ticket.cancelled() {
            ticket.end();
        } else if stopped {
            // Somebody who waits went first: from the beginning again, when nobody does.
            desk.behind.push_front(Handed { job, ticket, reply });
        } else {
            drop(desk);
            reply(report);
            ticket.end();
        }
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc;

    use super::*;

    fn demo() -> Job {
        let project = Project::demo(None).unwrap();
        Job::nominal(project.mission.into(), Arc::new(project.setup.unwrap()), 1)
    }

    #[test]
    fn the_newest_job_is_answered_and_older_ones_are_given_up() {
        let (sender, receiver) = mpsc::channel();
        let (runner, job) = (Runner::default(), demo());
        let hand_in = |job: Job| {
            let (sender, id) = (sender.clone(), job.id);
            runner.hand_in(
                job,
                Box::new(move |report| sender.send((id, report.is_some())).unwrap()),
            )
        };
        let tickets: Vec<Ticket> = (1..=50)
            .map(|id| hand_in(Job { id, ..job.clone() }))
            .collect();
        let mut before = 0;
        while before < 50 {
            let (id, done) = receiver.recv().unwrap();
            assert!(done && id > before, "answers come in order");
            before = id;
        }
        assert!(tickets[..49].iter().all(Ticket::is_over));
        // A text with errors is answered too: with nothing.
        hand_in(Job {
            id: 51,
            ..Job::nominal("step".into(), Arc::clone(&job.setup), 1)
        });
        assert_eq!(receiver.recv().unwrap(), (51, false));
    }

    #[test]
    fn who_waits_goes_before_whom_nobody_waits_for_and_those_are_all_answered_in_the_end() {
        let (runner, long) = (Runner::default(), demo());
        let text = "mission \"m\"\n  limit 20 s\n  start slipway\n\nstep \"A\"\n  hold, brake\n  until 10 ms pass -> done\n";
        let short = Job::nominal(text.into(), Arc::clone(&long.setup), 1);
        assert!(
            short.prepared.program.is_some(),
            "{:?}",
            short.prepared.findings
        );
        let answered = Arc::new((Mutex::new(Vec::new()), Condvar::new()));
        let hand_in = |id: u64, kind: Kind| {
            let answered = Arc::clone(&answered);
            let reply = move |_: Option<RunReport>| {
                answered.0.lock().unwrap().push(id);
                answered.1.notify_all();
            };
            let job = if kind.urgent() { &long } else { &short };
            runner.hand_in(
                Job {
                    id,
                    kind,
                    ..job.clone()
                },
                Box::new(reply),
            )
        };
        let until = |ready: &dyn Fn(&Vec<u64>) -> bool| {
            let known = answered.0.lock().unwrap();
            drop(answered.1.wait_while(known, |known| !ready(known)).unwrap());
        };
        let batch: Vec<Ticket> = (0..2000).map(|id| hand_in(id, Kind::Behind)).collect();
        batch[1999].cancel();
        let helpers = thread::available_parallelism().map_or(1, NonZeroUsize::get);
        for id in 5000..5010 {
            hand_in(id, Kind::Shown);
            let before = answered.0.lock().unwrap().len();
            until(&|known| known.contains(&id));
            let place = answered
                .0
                .lock()
                .unwrap()
                .iter()
                .position(|other| *other == id)
                .unwrap();
            // Each of the others may just have been ending.
            assert!(
                place.saturating_sub(before) <= helpers,
                "{} others first",
                place - before
            );
        }
        until(&|known| known.len() == 2009);
        drop(runner);
        let mut order = answered.0.lock().unwrap().clone();
        order.retain(|id| *id < 5000);
        order.sort_unstable();
        assert_eq!(
            order,
            (0..1999).collect::<Vec<u64>>(),
            "each of them once, but not what was cancelled"
        );
    }

    #[test]
    fn whoever_waits_for_what_nobody_runs_any_more_is_told() {
        let (sender, receiver) = mpsc::channel();
        let (runner, job) = (Runner::default(), demo());
        for id in 0..20 {
            let sender = sender.clone();
            let reply = move |_: Option<RunReport>| sender.send(id).unwrap_or_default();
            runner.hand_in(
                Job {
                    id,
                    kind: Kind::Behind,
                    ..job.clone()
                },
                Box::new(reply),
            );
        }
        drop(runner);
        drop(sender);
        assert!(
            receiver.iter().count() <= 20,
            "and the channel comes to an end"
        );
    }
}
