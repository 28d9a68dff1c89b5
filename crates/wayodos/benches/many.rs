//! What many runs cost: told after an edit, from the start and from snapshots, and swept.

use std::sync::Arc;
use std::sync::mpsc::channel;
use std::time::{Duration, Instant};

use criterion::{Criterion, criterion_group, criterion_main};
use wayodos::folder::Project;
use wayodos::logbook::{Book, FILE, Page, Reason};
use wayodos::runner::Runner;
use wayodos::spreads::{SpreadJob, Spreader};
use wayodos::sweeps::{self, SweepJob, TextsResult};
use wayodos::work::{Job, RunReport, run_job};
use wayodos_core::lab::statistics::Share;
use wayodos_core::mission::span::sweep;
use wayodos_core::project::Setup;
use wayodos_core::sim::World;

struct Bench {
    text: String,
    setup: Arc<Setup>,
    world: Arc<World>,
    seed: u64,
    runner: Runner,
}

impl Bench {
    fn new() -> Self {
        let project = Project::demo(None).expect("the demo is good");
        let setup = Arc::new(project.setup.clone().expect("the demo is good"));
        Self {
            text: project.mission.clone(),
            world: Arc::new(setup.world()),
            setup,
            seed: project.config.seed,
            runner: Runner::default(),
        }
    }

    fn report(&self, text: &str) -> RunReport {
        let job = Job::nominal(text.into(), Arc::clone(&self.setup), self.seed);
        run_job(&job, &self.world, None).expect("it can be run")
    }

    /// How long until as many runs of a text are told, by somebody who has made another text before.
    fn result(&self, spreader: &mut Spreader, text: &str, runs: usize, wanted: u32) -> Duration {
        let job = SpreadJob::of(1, &self.report(text), wanted);
        let (sender, receiver) = channel();
        let began = Instant::now();
        spreader.begin(&self.runner, job, move |_, result| {
            let _ = sender.send((Instant::now(), result.spread.briefs.len()));
        });
        let result = receiver.iter().find(|(_, count)| *count >= runs);
        let (at, _) = result.expect("it is result");
        spreader.stop();
        at.duration_since(began)
    }
}

fn benches(criterion: &mut Criterion) {
    let bench = Bench::new();
    let first = bench.text.replace("cruise = 26 %", "cruise = 27 %");
    // The last but one of its steps, after more than half of the time.
    let late = bench
        .text
        .replace("drive ahead at creep", "drive ahead at 17 %");
    assert!(
        first != bench.text && late != bench.text,
        "the demo has other words now"
    );
    for (name, runs, other) in [
        ("20 runs after an edit of the first step", 20, &first),
        ("200 runs after an edit of the first step", 200, &first),
        ("20 runs after an edit of the second half", 20, &late),
        ("200 runs after an edit of the second half", 200, &late),
    ] {
        criterion.bench_function(name, |timer| {
            timer.iter_custom(|times| {
                let mut spreader = Spreader::default();
                let wanted = runs as u32;
                bench.result(&mut spreader, &bench.text, runs, wanted);
                let texts = [other.as_str(), bench.text.as_str()];
                (0..times)
                    .map(|nth| bench.result(&mut spreader, texts[nth as usize % 2], runs, wanted))
                    .sum()
            });
        });
    }
    criterion.bench_function("a sweep of 25 values, 40 runs each", |timer| {
        timer.iter_custom(|times| (0..times).map(|_| swept(&bench)).sum());
    });
    logbook(criterion, &bench.text);
}

/// One entry written into a file, and a list of ten thousand opened.
fn logbook(criterion: &mut Criterion, text: &str) {
    let page = |nth: usize| Page {
        reason: Reason::Spread,
        mission: "missions/round.way".into(),
        files: vec![("missions/round.way".into(), format!("{text}# {nth}\n"))],
        seed: 7,
        scatter: "everyday".into(),
        outcome: "done at 60.0 s of 120 s".into(),
        planned: true,
        seconds: 60.0,
        score: Some(25.0),
        held: Some(Share::new(190, 200)),
        note: String::new(),
    };
    let here = tempfile::tempdir().expect("there is room for a folder");
    let mut filed = Book::open(Some(here.path())).expect("it can be made");
    let mut nth = 0;
    criterion.bench_function("an entry is written into the logbook", |timer| {
        timer.iter(|| {
            nth += 1;
            filed.write(&page(nth)).expect("there is room")
        });
    });
    let mut long = Book::open(None).expect("memory is there");
    for nth in 0..10_000 {
        long.write(&page(nth)).expect("there is room");
    }
    long.copy_to(&here.path().join("long.db"))
        .expect("there is room");
    let folder = here.path().join("long");
    std::fs::create_dir(&folder).expect("there is room");
    std::fs::rename(here.path().join("long.db"), folder.join(FILE)).expect("it is there");
    criterion.bench_function(
        "a logbook of 10,000 entries is opened and listed",
        |timer| {
            timer.iter(|| {
                let book = Book::open(Some(&folder)).expect("it is there");
                assert_eq!(book.entries().expect("they are there").len(), 10_000);
            });
        },
    );
}

fn swept(bench: &Bench) -> Duration {
    let report = bench.report(&bench.text);
    let parsed = &report.prepared.parsed;
    let amount = &parsed.mission.lets[0].value.span;
    let slot = parsed
        .slot_where(|slot| slot.span == *amount)
        .expect("it has one");
    let mut spreader = Spreader::default();
    bench.result(&mut spreader, &bench.text, 40, 40);
    let job = SweepJob {
        id: 1,
        swept: sweep(parsed, &bench.text, slot, None, 40).expect("it can be swept"),
        text: bench.text.as_str().into(),
        setup: Arc::clone(&bench.setup),
        attempt: report.attempt.clone(),
        runs: 40,
    };
    let mut job = job;
    job.swept.values.truncate(25);
    assert_eq!(job.swept.values.len(), 25);
    let (sender, receiver) = channel();
    let began = Instant::now();
    let (texts, values) = (job.texts(), job.swept.values);
    let tell = move |_, result: Arc<TextsResult>| {
        let _ = sender.send((Instant::now(), result.complete));
    };
    sweeps::begin(&bench.runner, spreader.memory(), texts, values, tell);
    let result = receiver.iter().find(|(_, complete)| *complete);
    result.expect("it is result").0.duration_since(began)
}

criterion_group! {
    name = all;
    config = Criterion::default().sample_size(10).measurement_time(Duration::from_secs(8));
    targets = benches
}
criterion_main!(all);
