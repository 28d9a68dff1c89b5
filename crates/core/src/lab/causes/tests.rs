//! Made-up spreads whose cause is known.

use super::*;
use crate::lab::spread::tests::brief;
use crate::lab::spread::{Brief, Death};
use crate::sim::{Drawn, noise_for_tests};

/// Runs that differ in several things and fail where `fails` says so.
fn spread(runs: u32, seed: u64, fails: impl Fn(&[f64]) -> bool) -> Vec<Arc<Brief>> {
    const WHAT: [(&str, Unit, f64); 4] = [
        ("start turned", Unit::Degree, 0.02),
        ("grip", Unit::Percent, 0.05),
        ("left motor strength", Unit::Percent, 0.03),
        ("hue clock", Unit::Millisecond, 0.01),
    ];
    let mut noise = noise_for_tests(seed);
    let mut briefs = Vec::new();
    for number in 1..=runs {
        let offs = WHAT.map(|(_, _, by)| noise.normal() * by);
        let death = fails(&offs).then(|| Death {
            step: crate::ids::StepId(0),
            exit: None,
            words: "lost".into(),
        });
        let drawn = WHAT.iter().zip(offs).map(|((what, unit, _), off)| Drawn {
            what: (*what).to_owned(),
            off,
            unit: *unit,
            sigmas: None,
        });
        briefs.push(Arc::new(Brief {
            death,
            drawn: drawn.collect(),
            ..brief(number)
        }));
    }
    briefs
}

#[test]
fn a_cause_is_found_with_its_way_and_its_limit() {
    let found = causes(&spread(100, 1, |offs| offs[0] > 0.03));
    assert_eq!(found.len(), 1, "{found:?}");
    let Cause {
        what,
        way,
        limit,
        within,
        ..
    } = &found[0];
    assert_eq!(
        (what.as_str(), *way, within.times),
        ("start turned", Way::High, 0)
    );
    assert!((limit - 0.03).abs() < 0.004, "{limit}");
    let words = found[0].words();
    assert!(
        words.contains("the start was turned left by more than 1.")
            && words.ends_with("other runs none failed."),
        "{words}"
    );
    assert!(found[0].advice().contains("square up"));
    // The other way, and either way.
    let low = causes(&spread(100, 1, |offs| offs[1] < -0.08));
    assert_eq!((low[0].what.as_str(), low[0].way), ("grip", Way::Low));
    let off = causes(&spread(200, 2, |offs| offs[2].abs() > 0.05));
    assert_eq!(
        (off[0].what.as_str(), off[0].way),
        ("left motor strength", Way::Off)
    );
}

#[test]
fn chance_alone_is_called_a_cause_once_in_twenty_spreads_at_most() {
    // Failing has nothing to do with what was drawn.
    let called = (0..300).filter(|seed| {
        let mut luck = noise_for_tests(seed + 10_000);
        let fates: Vec<bool> = (0..60).map(|_| luck.uniform() < 0.2).collect();
        let at = std::cell::Cell::new(0);
        let fails = |_: &[f64]| {
            at.set(at.get() + 1);
            fates[at.get() - 1]
        };
        !causes(&spread(60, *seed, fails)).is_empty()
    });
    let percent = called.count() as f64 / 3.0;
    assert!(percent <= 8.0, "{percent} %");
}

#[test]
fn nothing_is_said_where_nothing_can_be_known() {
    assert!(causes(&spread(100, 3, |_| false)).is_empty());
    assert!(causes(&spread(100, 3, |_| true)).is_empty());
    assert!(causes(&spread(0, 3, |_| true)).is_empty());
    // Two that failed may have failed from anything.
    let at = std::cell::Cell::new(0);
    let two = |_: &[f64]| {
        at.set(at.get() + 1);
        at.get() <= 2
    };
    assert!(causes(&spread(100, 3, two)).is_empty());
}
