//! Effects that belong to the program rather than to the world: they come with the way it is
//! written, and go with it.

use wayodos_core::controller::Event;
use wayodos_core::ids::StepId;
use wayodos_core::record::{Outcome, Run};

use super::bench::Bench;

/// Where the axle's middle was when a visit of a step ended, metres to the right.
fn ended_at(run: &Run, visit: usize) -> f64 {
    run.trace.ticks[run.visits[visit].left].pose.x
}

#[test]
fn e03_what_is_not_looked_at_for_a_while_is_missed() {
    let drive = |after: &str| {
        format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark{after}\nor travelled 600 mm"
        )
    };
    let watched = Bench::default().run(&drive(""));
    // The landing crosses at 420 mm, the sensor sits 92 mm ahead.
    assert!(
        (ended_at(&watched, 0) - 0.322).abs() < 0.01,
        "at the landing: {}",
        ended_at(&watched, 0)
    );
    let blind = Bench::default().run(&drive(" after 250 mm"));
    assert!(
        ended_at(&blind, 0) > 0.45,
        "past the landing: {}",
        ended_at(&blind, 0)
    );
}

#[test]
fn e04_looked_at_only_at_the_end_of_a_pass() {
    let repeat = |after_pass: &str| {
        format!(
            "step \"r\"\nrepeat until floor-right sees dark{after_pass}\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 150 mm\nend"
        )
    };
    let watched = Bench::default().run(&repeat(""));
    assert!(
        (ended_at(&watched, 1) - 0.322).abs() < 0.01,
        "in the middle of a pass: {}",
        ended_at(&watched, 1)
    );
    // Every 150 mm the sensor happens to stand beside the bars.
    let seldom = Bench::default().run(&repeat(", after each pass"));
    assert!(
        ended_at(&seldom, 1) > 0.43,
        "the line passed by within a pass: {}",
        ended_at(&seldom, 1)
    );
}

#[test]
fn e19_a_sensor_that_steers_and_decides() {
    let follow = |by: &str| {
        format!(
            "step \"on\"\ndrive ahead at 24 %\nuntil floor-left sees dark\nstep \"over\"\ndrive ahead at 24 %\nuntil floor-left sees pale for 30 ms\n\
             step \"f\"\nfollow the left edge of a dark line with floor-left at 24 %, gain 0.6\nuntil {by} sees dark -> done\nor 5 s pass -> fail \"never\""
        )
    };
    let flips = Bench::default().run(&follow("floor-left"));
    let own = Bench::default().run(&follow("floor-right"));
    let far = |run: &Run| {
        run.trace.ticks[run.visits[2].left].pose.x - run.trace.ticks[run.visits[2].entered].pose.x
    };
    assert!(far(&own) > 0.1, "up to the next bar: {}", far(&own));
    // No bar is near: they lie at 620, 770 and 920 mm.
    let at = ended_at(&flips, 2) + 0.092;
    let nearest = [0.62f64, 0.77, 0.92]
        .map(|bar| (bar - at).abs())
        .into_iter()
        .fold(1.0, f64::min);
    assert!(
        nearest > 0.03 && flips.outcome == Outcome::Done,
        "steering alone made it see dark, at {at}"
    );
}

#[test]
fn e34_motors_stay_on_across_steps_that_take_no_time() {
    let mission = |between: &str| {
        format!(
            "step \"a\"\ndrive ahead at 40 %\nuntil travelled 100 mm\n{between}step \"c\"\ndrive ahead at 40 %\nuntil travelled 100 mm"
        )
    };
    let slowest = |run: &Run| {
        let from = run.visits[0].left;
        run.trace.ticks[from..from + 20]
            .iter()
            .map(|tick| tick.rims[0])
            .fold(f64::INFINITY, f64::min)
    };
    let signal = Bench::default().run(&mission("step \"b\"\nsignal lamp \"red\"\n"));
    assert!(
        slowest(&signal) > 0.15,
        "it drives through: {}",
        slowest(&signal)
    );
    let hold = Bench::default().run(&mission("step \"b\"\nhold, brake\nuntil 0.1 s passes\n"));
    assert!(
        slowest(&hold) < 0.05,
        "only what says so stops: {}",
        slowest(&hold)
    );
}

/// A thing in front of the robot, and a reflex about it.
fn near(word: &str, then: &str) -> (Bench, String) {
    let wall = "[[wall]]\nname = \"fence\"\nthickness = \"20 mm\"\npoints = [\"420, 60 mm\", \"420, 300 mm\"]\n\n[surface.pale]";
    let text = format!(
        "reflex \"near\"\n{word} ahead < 120 mm\ndrive back at 24 %\nuntil travelled 20 mm\n{then}\n\
         step \"a\"\ndrive ahead at 24 %\nuntil 3 s pass"
    );
    (Bench::default().field("[surface.pale]", wall), text)
}

#[test]
fn e35_one_owner_and_a_hand_back_that_is_said() {
    let (bench, resume) = near("when", "then resume");
    let run = bench.run(&resume);
    let (program, _) = bench.played(&resume);
    let owners: Vec<bool> = run
        .legs
        .iter()
        .map(|leg| program.owner(leg.step).is_some())
        .collect();
    assert!(
        owners.windows(2).all(|pair| pair[0] != pair[1]),
        "they take turns: {owners:?}"
    );
    let (bench, restart) = near("when", "then restart");
    let again = bench.run(&restart);
    let entered = |run: &Run| {
        run.trace
            .events
            .iter()
            .filter(|stamp| stamp.event == Event::Entered { step: StepId(0) })
            .count()
    };
    assert_eq!(entered(&run), 1, "resumed, the step goes on");
    assert!(entered(&again) > 1, "restarted, it begins again");
    assert_eq!(
        again.outcome,
        Outcome::Limit,
        "and its three seconds with it"
    );
    let (bench, elsewhere) = near("when", "then -> done");
    assert_eq!(bench.run(&elsewhere).outcome, Outcome::Done);
}

#[test]
fn e36_on_becoming_near_or_while_near() {
    let taken = |word: &str| {
        let (bench, text) = near(word, "then resume");
        // Only as long as it is near, or as far as its exit says.
        let run = bench.run(&text.replace("until travelled 20 mm", "until travelled 60 mm"));
        let of = |event: fn(&Event) -> bool| {
            run.trace
                .events
                .iter()
                .filter(move |stamp| event(&stamp.event))
        };
        let took = of(|event| matches!(event, Event::Took { .. }))
            .next()
            .map_or(0, |stamp| stamp.tick);
        let gave = of(|event| matches!(event, Event::Gave { .. }))
            .next()
            .map_or(0, |stamp| stamp.tick);
        gave - took
    };
    let (once, lasting) = (taken("when"), taken("while"));
    assert!(once > 40, "60 mm back take their time: {once} ticks");
    assert!(
        lasting < once / 2,
        "it gives back as soon as it is not near: {lasting} ticks"
    );
}

#[test]
fn e37_a_speed_does_not_outlive_its_step() {
    let speed = |first: u32| {
        let run = Bench::default().run(&format!(
            "step \"a\"\ndrive ahead at {first} %\nuntil travelled 100 mm\nstep \"r\"\nrepeat 2 times\nstep \"slow\"\n\
             drive ahead at 20 %\nuntil travelled 60 mm\nend"
        ));
        run.trace.ticks[run.visits.last().unwrap().left].rims[0]
    };
    assert!(
        (speed(60) / speed(20) - 1.0).abs() < 0.03,
        "{} and {}",
        speed(60),
        speed(20)
    );
}

#[test]
fn e46_the_first_that_is_true_wins() {
    let mission = |first: &str, second: &str| {
        format!(
            "step \"a\"\nhold, brake\nuntil {first}\nor {second}\nstep \"b\"\nhold, brake\nuntil 0.1 s passes"
        )
    };
    let (done, fail) = ("0.2 s pass -> done", "clock reaches 0.2 s -> fail \"late\"");
    assert_eq!(
        Bench::default().run(&mission(done, fail)).outcome,
        Outcome::Done
    );
    assert_eq!(
        Bench::default().run(&mission(fail, done)).outcome,
        Outcome::Failed
    );
}

#[test]
fn e47_the_same_mark_again_after_a_reaction() {
    let greet = |after: &str| {
        format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark{after} -> \"greet\"\nor travelled 500 mm -> done\n\
             step \"greet\"\nhold, brake\nuntil 0.2 s pass -> \"a\""
        )
    };
    let times = |run: &Run| {
        run.visits
            .iter()
            .filter(|visit| visit.step == StepId(1))
            .count()
    };
    let again = Bench::default().run(&greet(""));
    assert!(times(&again) > 5, "it never gets away: {}", times(&again));
    let once = Bench::default().run(&greet(" after it was false"));
    assert!(
        (1..=3).contains(&times(&once)),
        "once for each bar: {}",
        times(&once)
    );
    // A reflex must have been false before it takes over again.
    let reflex = Bench::default().run(
        "reflex \"greet\"\nwhen floor-right sees dark\nhold, brake\nuntil 0.2 s pass\nthen resume\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 250 mm",
    );
    let took = reflex
        .trace
        .events
        .iter()
        .filter(|stamp| matches!(stamp.event, Event::Took { .. }))
        .count();
    assert_eq!(took, 1, "one mark, one greeting");
}
