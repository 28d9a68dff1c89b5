//! Runs on threads of their own. Whoever waits at the screen goes first: the newest of those is run
//! at once, an older one is given up half way, and what nobody waits for makes room until it is
//! over.

use std::collections::VecDeque;
use std::num::NonZeroUsize;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;

use wayodos_core::project::Setup;
use wayodos_core::record::Trace;
use wayodos_core::sim::World;

use crate::work::{Job, RunReport, run_job};

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

    /// It is being worked on again, unless nobody wants it.
    fn go_on(&self) {
        self.0.stop.store(self.cancelled(), Ordering::Relaxed);
    }

    fn end(&self) {
        self.0.over.store(true, Ordering::Release);
    }
}

/// How much less of a core threads get that nobody waits for (`nice`).
const BEHIND: i32 = 5;

struct Handed {
    job: Job,
    ticket: Ticket,
    reply: Reply,
}

/// One piece of many: its number from 0, memory to work in, and whether it is to stop. Whether it
/// was done; one that stopped half way is begun again later.
pub type Piece = Arc<dyn Fn(usize, &mut Trace, &AtomicBool) -> bool + Send + Sync>;

/// Many pieces of work of one kind, done in their order by as many threads as there are cores.
struct Many {
    /// The lowest goes first.
    rank: u8,
    ticket: Ticket,
    piece: Piece,
    count: usize,
    next: usize,
    /// Those that made room.
    again: Vec<usize>,
    under_way: usize,
}

impl Many {
    fn take(&mut self) -> Option<usize> {
        let at = self.again.pop().or_else(|| {
            let fresh = self.next < self.count;
            self.next += usize::from(fresh);
            fresh.then(|| self.next - 1)
        })?;
        self.under_way += 1;
        Some(at)
    }

    fn is_over(&self) -> bool {
        let nothing_left = self.again.is_empty() && self.next >= self.count;
        self.under_way == 0 && (nothing_left || self.ticket.cancelled())
    }
}

#[derive(Default)]
struct Desk {
    /// What somebody waits for, and has not begun.
    urgent: Option<Handed>,
    /// What somebody waits for, being run.
    urgent_running: Option<Ticket>,
    /// Many pieces at a time, those of the lowest rank first.
    many: Vec<Many>,
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

    /// What is to be done next by who has nothing to do.
    fn next(&mut self) -> Option<Task> {
        if !self.is_free() {
            return None;
        }
        self.sweep_up();
        for many in &mut self.many {
            if !many.ticket.cancelled()
                && let Some(at) = many.take()
            {
                let ticket = many.ticket.clone();
                ticket.go_on();
                self.running.push(ticket.clone());
                return Some(Task::Piece(at, ticket, Arc::clone(&many.piece)));
            }
        }
        let handed = self.behind.pop_front()?;
        handed.ticket.go_on();
        self.running.push(handed.ticket.clone());
        Some(Task::Job(handed))
    }

    /// Forgets what came to its end.
    fn sweep_up(&mut self) {
        self.many.retain(|many| {
            let over = many.is_over();
            if over {
                many.ticket.end();
            }
            !over
        });
    }

    /// Somebody has stopped working on something.
    fn put_down(&mut self, ticket: &Ticket) {
        let at = self
            .running
            .iter()
            .position(|other| Arc::ptr_eq(&other.0, &ticket.0));
        if let Some(at) = at {
            self.running.swap_remove(at);
        }
    }

    /// A piece was done, or stopped half way.
    fn piece_done(&mut self, at: usize, ticket: &Ticket, done: bool) {
        self.put_down(ticket);
        let many = self
            .many
            .iter_mut()
            .find(|many| Arc::ptr_eq(&many.ticket.0, &ticket.0));
        if let Some(many) = many {
            many.under_way -= 1;
            if !done {
                many.again.push(at);
            }
        }
        self.sweep_up();
    }
}

enum Task {
    Job(Handed),
    Piece(usize, Ticket, Piece),
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
            let wanted = desk.behind.len();
            self.help(&mut desk, wanted);
        }
        self.shared.bell.notify_all();
        ticket
    }

    /// Hands in many pieces of work; they are done in their order as far as threads allow, after
    /// those of a lower rank and before those of a higher one.
    pub fn hand_in_many(&self, count: usize, rank: u8, piece: Piece) -> Ticket {
        let ticket = Ticket::default();
        let many = Many {
            rank,
            ticket: ticket.clone(),
            piece,
            count,
            next: 0,
            again: Vec::new(),
            under_way: 0,
        };
        let mut desk = self.shared.desk();
        let at = desk.many.partition_point(|other| other.rank <= rank);
        desk.many.insert(at, many);
        desk.sweep_up();
        self.help(&mut desk, count);
        drop(desk);
        self.shared.bell.notify_all();
        ticket
    }

    /// More threads for what nobody waits for, up to one a core: whoever waits is made room for.
    fn help(&self, desk: &mut Desk, wanted: usize) {
        let cores = thread::available_parallelism().map_or(1, NonZeroUsize::get);
        while desk.helpers.len() < cores.min(wanted) {
            let own = Arc::clone(&self.shared);
            let thread = thread::Builder::new()
                .name("runs behind".into())
                .spawn(move || behind(&own));
            let Ok(thread) = thread else { return };
            desk.helpers.push(thread);
        }
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
            desk.many.clear();
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
    // Where the system shares cores out, whoever is at the screen gets more of them.
    let _ = rustix::process::nice(BEHIND);
    let mut worlds = Worlds::default();
    let mut spare = Trace::default();
    loop {
        let task = {
            let mut desk = shared.desk();
            loop {
                if desk.closed {
                    return;
                }
                if let Some(task) = desk.next() {
                    break task;
                }
                desk = shared.wait(desk);
            }
        };
        match task {
            Task::Piece(at, ticket, piece) => {
                let done = piece(at, &mut spare, &ticket.0.stop);
                shared.desk().piece_done(at, &ticket, done);
            }
            Task::Job(Handed { job, ticket, reply }) => {
                let report = run_job(&job, &worlds.of(&job.setup), Some(&ticket.0.stop));
                let mut desk = shared.desk();
                desk.put_down(&ticket);
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
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc;

    use super::*;
    use crate::folder::Project;
    use crate::work::Kind;

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
    fn many_pieces_are_done_once_each_and_make_room() {
        let (runner, long) = (Runner::default(), demo());
        let done = Arc::new(Mutex::new(Vec::new()));
        let piece = |name: &'static str| -> Piece {
            let done = Arc::clone(&done);
            Arc::new(move |at, _, stop| {
                for _ in 0..20 {
                    thread::sleep(std::time::Duration::from_micros(50));
                    if stop.load(Ordering::Relaxed) {
                        return false;
                    }
                }
                done.lock().unwrap().push((name, at));
                true
            })
        };
        let over = |ticket: &Ticket| {
            while !ticket.is_over() {
                thread::sleep(std::time::Duration::from_millis(1));
            }
        };
        let late = runner.hand_in_many(40, 2, piece("late"));
        let first = runner.hand_in_many(60, 1, piece("first"));
        let given_up = runner.hand_in_many(100_000, 0, piece("given up"));
        // Somebody who waits is answered though there is so much to do.
        for id in 0..5 {
            let (sender, receiver) = mpsc::channel();
            let reply = Box::new(move |report: Option<RunReport>| {
                sender.send(report.is_some()).unwrap();
            });
            runner.hand_in(Job { id, ..long.clone() }, reply);
            assert!(receiver.recv().unwrap());
        }
        given_up.cancel();
        over(&given_up);
        over(&first);
        over(&late);
        let done = done.lock().unwrap();
        for (name, count) in [("first", 60), ("late", 40)] {
            let mut all: Vec<usize> = done
                .iter()
                .filter(|(other, _)| *other == name)
                .map(|(_, at)| *at)
                .collect();
            all.sort_unstable();
            assert_eq!(all, (0..count).collect::<Vec<_>>(), "{name}");
        }
        drop(done);
        over(&runner.hand_in_many(0, 1, piece("none")));
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
