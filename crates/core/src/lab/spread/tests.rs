//! What many runs say together: of runs made up for it, and of a short mission.

use super::*;
use crate::project::{Setup, prepare};

/// A short mission that some runs fail: the bar is met a little later or earlier.
const SHORT: &str = "limit 20 s\nstart slipway\n\nstep \"To the bar\"\ndrive ahead at 26 %\nuntil floor-right sees dark -> next\nor 1.7 s pass -> fail \"no bar\"\n\nstep \"Rest\"\nhold, brake\nuntil 100 ms pass -> done\n";

/// An attempt at it.
pub fn attempt() -> Attempt {
    let (setup, _) = Setup::load(
        include_str!("../../../../../examples/brinewick/robots/curlew.toml"),
        include_str!("../../../../../examples/brinewick/fields/causeway.toml"),
        Some(include_str!(
            "../../../../../examples/brinewick/calibration.toml"
        )),
    );
    let setup = setup.unwrap();
    let prepared = prepare(SHORT, Some(&setup));
    Attempt {
        program: prepared
            .program
            .unwrap_or_else(|| panic!("{:#?}", prepared.findings)),
        world: Arc::new(setup.world()),
        start: Some("slipway".into()),
        seed: 7,
        scatter: Scatter::Everyday,
        hands: Arc::new([]),
    }
}

/// A run that held and says nothing else.
pub fn brief(number: u32) -> Brief {
    Brief {
        number,
        outcome: Outcome::Done,
        verdict: None,
        death: None,
        seconds: 10.0,
        score: None,
        drawn: Vec::new(),
        entered: vec![StepId(0)],
        path: Vec::new(),
        readings: Vec::new(),
        channels: 0,
        rest: Pose::default(),
        fingerprint: 0,
    }
}

fn death(step: usize, words: &str) -> Death {
    Death {
        step: StepId(step),
        exit: None,
        words: words.into(),
    }
}

fn shared(briefs: Vec<Brief>) -> Vec<Arc<Brief>> {
    briefs.into_iter().map(Arc::new).collect()
}

#[test]
fn a_spread_is_the_same_in_any_order_and_has_the_runs_own_results() {
    let attempt = attempt();
    let all = |numbers: &mut dyn Iterator<Item = u32>| {
        let mut spare = Trace::default();
        let mut briefs: Vec<Brief> = numbers
            .map(|number| attempt.brief(number, &mut spare, None).unwrap())
            .collect();
        briefs.sort_by_key(|brief| brief.number);
        briefs
    };
    let briefs = all(&mut (1..=30));
    assert_eq!(briefs, all(&mut (1..=30).rev()));
    let briefs = shared(briefs);
    let (held, endings) = (held(&briefs), endings(&briefs));
    assert!(held.times > 3 && held.times < 27, "{}", held.words());
    assert_eq!(endings.len(), 1, "{endings:?}");
    assert_eq!(
        endings[0].death,
        Death {
            exit: Some(1),
            ..death(0, "no bar")
        }
    );
    assert_eq!(endings[0].share, held.rest());
    let survival = survival(&briefs, attempt.program.steps.len());
    assert_eq!(survival[0], held, "all enter the first step");
    assert_eq!(survival[1], Share::new(held.times, held.times));
    for brief in &briefs {
        let (run, _) = attempt.run(brief.number, Trace::default(), None).unwrap();
        assert_eq!(run.fingerprint(), brief.fingerprint);
        assert_eq!(run.outcome == Outcome::Done, brief.held());
        assert_eq!(brief.path.len() * brief.channels, brief.readings.len());
        assert_eq!(
            brief.path.len(),
            (run.duration() / SAMPLED).floor() as usize + 1
        );
    }
    // The worst died, the typical one ended as most did.
    let most_held = held.times * 2 > held.of;
    assert!(!worst(&briefs).unwrap().held());
    assert_eq!(typical(&briefs).unwrap().held(), most_held);
}

#[test]
fn who_died_where_is_counted_once_each() {
    let runs = vec![
        brief(1),
        Brief {
            death: Some(death(1, "lost")),
            entered: vec![StepId(0), StepId(1)],
            ..brief(2)
        },
        Brief {
            death: Some(death(0, "fell")),
            ..brief(3)
        },
        Brief {
            death: Some(death(1, "lost")),
            entered: vec![StepId(0), StepId(1)],
            ..brief(4)
        },
        // Written down nowhere, yet it died there.
        Brief {
            death: Some(death(1, "late")),
            ..brief(5)
        },
    ];
    let briefs = shared(runs);
    let endings = endings(&briefs);
    let ways: Vec<(&str, u32, &[u32])> = endings
        .iter()
        .map(|ending| {
            (
                ending.death.words.as_str(),
                ending.share.times,
                &*ending.runs,
            )
        })
        .collect();
    assert_eq!(
        ways,
        [
            ("lost", 2, &[2, 4][..]),
            ("fell", 1, &[3]),
            ("late", 1, &[5])
        ]
    );
    let survival = survival(&briefs, 2);
    assert_eq!(survival, [Share::new(4, 5), Share::new(0, 3)]);
    let died: u32 = survival.iter().map(|share| share.of - share.times).sum();
    assert_eq!(
        died,
        held(&briefs).rest().times,
        "each death is in one step"
    );
    assert_eq!(worst(&briefs).unwrap().number, 3);
}

#[test]
fn of_nothing_nothing_is_said() {
    let briefs = shared(Vec::new());
    assert_eq!(held(&briefs), Share::default());
    assert!(endings(&briefs).is_empty() && worst(&briefs).is_none() && typical(&briefs).is_none());
    assert!(band(&briefs, 0).is_empty());
}

#[test]
fn a_band_holds_nine_tenths_of_the_runs_that_are_under_way() {
    let runs = (1..=21).map(|number| Brief {
        channels: 2,
        // Two readings a time; half of the runs are over after two times.
        readings: (0..if number > 10 { 2 } else { 4 })
            .flat_map(|at| [number as f32, at as f32])
            .collect(),
        ..brief(number)
    });
    let briefs = shared(runs.collect());
    assert_eq!(band(&briefs, 0), [(2.0, 20.0), (2.0, 20.0)]);
    assert_eq!(band(&briefs, 1), [(0.0, 0.0), (1.0, 1.0)]);
    assert!(band(&briefs, 2).is_empty());
}

#[test]
fn what_comes_in_any_order_is_passed_on_in_order() {
    let mut collected = Collected::default();
    assert!(collected.take(1, "b").is_empty());
    assert!(collected.take(2, "c").is_empty());
    assert_eq!(collected.take(0, "a"), ["a", "b", "c"]);
    assert_eq!(collected.take(3, "d"), ["d"]);
}
