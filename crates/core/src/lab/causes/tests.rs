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

#[test]
fn the_chart_of_a_cause_has_every_run_once_and_rises_beyond_its_limit() {
    let briefs = spread(200, 1, |offs| offs[0] > 0.03);
    let found = causes(&briefs);
    let cause = &found[0];
    assert_eq!(cause.name(), "start turned left");
    let bins = cause.bins();
    assert_eq!(bins.len(), 10);
    let all: u32 = bins.iter().map(|bin| bin.failed.of).sum();
    let failed: u32 = bins.iter().map(|bin| bin.failed.times).sum();
    assert_eq!((all, failed), (200, cause.beyond.of));
    for pair in bins.windows(2) {
        assert!(pair[0].from <= pair[0].to && pair[0].to < pair[1].from);
    }
    for bin in &bins {
        if bin.to < 0.02 {
            assert_eq!(bin.failed.times, 0, "{bin:?}");
        }
        if bin.from > 0.032 {
            assert_eq!(bin.failed.times, bin.failed.of, "{bin:?}");
        }
    }
    let [least, most] = cause.span();
    assert!(least < 0.0 && cause.limits().iter().all(|limit| *limit < most));
    let runs = cause.failed_beyond(&briefs);
    assert_eq!(runs.len() as u32, cause.beyond.times);
    for run in runs {
        assert!(cause.points[run as usize - 1].0 > cause.limit);
    }
    // A limit on a side where no run lies is none of the chart.
    let both = Cause {
        way: Way::Off,
        limit: 0.05,
        points: vec![(-0.01, true), (0.0, true), (0.1, false)],
        ..cause.clone()
    };
    assert_eq!(both.limits(), [0.05]);
    // What has one value stands in one bin.
    let same = Cause {
        points: vec![(0.0, true); 50],
        ..cause.clone()
    };
    assert_eq!(same.bins().len(), 1);
    let none = Cause {
        points: Vec::new(),
        ..cause.clone()
    };
    assert!(none.bins().is_empty());
}

#[test]
fn what_is_a_rivals_is_not_ours_to_change() {
    let rename = |brief: &Arc<Brief>| {
        let mut brief = Brief::clone(brief);
        for one in &mut brief.drawn {
            one.what = format!("Dunlin {}", one.what);
        }
        Arc::new(brief)
    };
    let ours = spread(100, 1, |offs| offs[2] > 0.03);
    let theirs: Vec<Arc<Brief>> = ours.iter().map(rename).collect();
    let [ours, theirs] = [ours, theirs].map(|briefs| causes(&briefs));
    assert!(!ours[0].rival && ours[0].advice().contains("mm/s"));
    assert!(theirs[0].rival && theirs[0].advice().contains("rival"));
    assert_eq!(theirs[0].what, "Dunlin left motor strength");
}
