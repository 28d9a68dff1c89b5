//! How things stand, against hand-made readings: every kind of look says what is there, what it
//! waits for, and what is missing.

use super::{Reading, Readings, Script, robot};
use crate::controller::{Live, Standing, TermStanding, Wait};
use crate::ids::StepId;
use crate::units::Dimension;

impl Script {
    /// How things stand after the newest tick, whose readings these were.
    fn standing(&self, brightness: f64, wheels: [f64; 2], gyro: f64) -> Standing {
        let sensors = vec![
            Reading {
                brightness,
                rgb: [brightness; 3]
            };
            self.sensors
        ];
        self.controller.standing(&Readings {
            sensors: &sensors,
            ranges: &[brightness],
            touches: &[],
            wheels,
            gyro: Some(gyro),
            actuators: &[],
            battery: 7.9,
        })
    }
}

/// One exit after some ticks: each a brightness, a rolled way in metres, and a turn in rad.
fn exit_after(condition: &str, ticks: &[(f64, f64, f64)]) -> TermStanding {
    let radius = robot().wheel_diameter / 2.0;
    let mut script = Script::new(&format!(
        "step \"a\"\ndrive ahead at 20 %\nuntil {condition}"
    ));
    let mut last = (0.0, [0.0; 2], 0.0);
    for &(brightness, way, turn) in ticks {
        last = (brightness, [way / radius; 2], turn);
        script.tick(last.0, last.1, last.2);
    }
    let mut standing = script.standing(last.0, last.1, last.2);
    assert_eq!(
        standing.steps.len(),
        1,
        "{condition} must not have fired yet"
    );
    standing.steps.remove(0).exits.remove(0)
}

#[test]
fn every_kind_of_look_says_what_is_there_and_what_is_missing() {
    let start = (0.9, 0.0, 0.0);
    let quarter = std::f64::consts::FRAC_PI_2;
    for (condition, ticks, now, goal, away, of) in [
        (
            "floor-left sees dark",
            vec![start, (0.8, 0.0, 0.0)],
            0.8,
            0.5,
            0.3,
            Some(Dimension::Percent),
        ),
        (
            "floor-left < 30 %",
            vec![start, (0.75, 0.0, 0.0)],
            0.75,
            0.3,
            0.45,
            Some(Dimension::Percent),
        ),
        (
            "floor-left > 95 %",
            vec![start, (0.75, 0.0, 0.0)],
            0.75,
            0.95,
            0.2,
            Some(Dimension::Percent),
        ),
        (
            "ahead < 200 mm",
            vec![start, (0.75, 0.0, 0.0)],
            0.75,
            0.2,
            0.55,
            Some(Dimension::Length),
        ),
        (
            "battery < 7 V",
            vec![start, start],
            7.9,
            7.0,
            0.9,
            Some(Dimension::Voltage),
        ),
        (
            "floor-left has dropped by 50 %",
            vec![start, start, (0.7, 0.0, 0.0)],
            0.2,
            0.5,
            0.3,
            Some(Dimension::Percent),
        ),
        (
            "floor-left has crossed 3 dark lines",
            vec![start, start, (0.1, 0.0, 0.0), start],
            1.0,
            3.0,
            2.0,
            None,
        ),
        (
            "floor-left has met 2 dark lines",
            vec![start, start, (0.1, 0.0, 0.0)],
            1.0,
            2.0,
            1.0,
            None,
        ),
        (
            "travelled 300 mm",
            vec![start, (0.9, 0.12, 0.0)],
            0.12,
            0.3,
            0.18,
            Some(Dimension::Length),
        ),
        (
            "left wheel rolled 100 mm",
            vec![start, (0.9, -0.04, 0.0)],
            0.04,
            0.1,
            0.06,
            Some(Dimension::Length),
        ),
        (
            "turned 90 deg",
            vec![start, (0.9, 0.0, 0.5)],
            0.5,
            quarter,
            quarter - 0.5,
            Some(Dimension::Angle),
        ),
        (
            "heading reaches 90 deg",
            vec![start, (0.9, 0.0, 2.0)],
            2.0,
            quarter,
            2.0 - quarter,
            Some(Dimension::Angle),
        ),
        (
            "0.5 s pass",
            vec![start; 21],
            0.2,
            0.5,
            0.3,
            Some(Dimension::Time),
        ),
        (
            "clock reaches 0.5 s",
            vec![start; 11],
            0.1,
            0.5,
            0.4,
            Some(Dimension::Time),
        ),
        (
            "stalled for 300 ms",
            vec![start; 11],
            0.09,
            0.3,
            0.21,
            Some(Dimension::Time),
        ),
    ] {
        let term = exit_after(condition, &ticks);
        let [live] = term.looks.as_slice() else {
            panic!("{condition}: one look, not {:?}", term.looks)
        };
        assert!(
            !live.holds && !term.holds && term.looked,
            "{condition}: {live:?}"
        );
        let near = |value: Option<f64>, wanted: f64| {
            value.is_some_and(|value| (value - wanted).abs() < 1e-6)
        };
        assert!(
            near(live.now, now) && near(live.goal, goal) && near(live.away, away),
            "{condition}: {live:?}"
        );
        assert_eq!(live.of, of, "{condition}");
        // What is read again at every look is kept apart from what adds up.
        let adds_up = [
            "has",
            "travelled",
            "rolled",
            "turned",
            "pass",
            "clock",
            "stalled",
            "heading",
        ];
        assert_eq!(
            live.is_reading,
            !adds_up.iter().any(|word| condition.contains(word)),
            "{condition}"
        );
    }
}

#[test]
fn what_holds_a_term_back_is_known_to_the_tick() {
    let dark = (0.1, 0.0, 0.0);
    let pale = (0.9, 0.0, 0.0);
    let held = exit_after("floor-left sees dark for 50 ms", &[pale, dark, dark, dark]);
    assert_eq!(held.waits, [Wait::Lasts(0.02, 0.05)]);
    assert!(
        held.looks[0].holds && !held.holds,
        "the look does, the whole does not yet"
    );
    assert_eq!(
        exit_after("floor-left sees dark for 50 ms", &[pale, dark, pale]).waits,
        [Wait::Lasts(0.0, 0.05)]
    );
    let arms = exit_after("floor-left sees dark after 0.3 s", &[pale; 11]);
    let [Wait::ArmsIn(left)] = arms.waits.as_slice() else {
        panic!("{:?}", arms.waits)
    };
    assert!((left - 0.2).abs() < 1e-9, "{left}");
    let way = exit_after(
        "floor-left sees dark after 100 mm",
        &[pale, (0.1, 0.03, 0.0)],
    );
    let [Wait::ArmsAfter(left)] = way.waits.as_slice() else {
        panic!("{:?}", way.waits)
    };
    assert!((left - 0.07).abs() < 1e-9, "{left}");
    assert_eq!(
        exit_after("floor-left sees dark after it was false", &[dark, dark]).waits,
        [Wait::MustFail]
    );
    assert_eq!(
        exit_after("floor-left sees dark after it was false", &[dark, pale]).waits,
        [],
        "armed"
    );
}

#[test]
fn all_looks_of_a_term_stand_in_written_order() {
    let term = exit_after(
        "(floor-left sees dark or travelled 90 mm) and not turned 5 deg",
        &[(0.9, 0.0, 0.0), (0.9, 0.04, 0.0)],
    );
    let words: Vec<&str> = term.looks.iter().map(|live| live.words.as_str()).collect();
    assert_eq!(
        words,
        ["floor-left sees dark", "travelled 90 mm", "turned 5 deg"]
    );
    assert_eq!(
        term.looks
            .iter()
            .map(|live: &Live| live.holds)
            .collect::<Vec<_>>(),
        [false; 3]
    );
}

#[test]
fn steps_within_steps_and_reflexes_stand_in_their_order() {
    let mut script = Script::new(
        "reflex \"Line\"\nwhen floor-left sees dark\nhold, brake\nuntil 0.05 s pass\nthen resume\n\
         reflex \"Only there\"\nwhen floor-left sees dark\nduring \"z\"\nhold, brake\nuntil 1 s passes\n\
         step \"r\"\nrepeat 3 times\nstep \"a\"\ndrive ahead at 20 %\nuntil 0.02 s pass\nend\nstep \"z\"\nhold\nuntil 9 s pass",
    );
    for _ in 0..4 {
        script.still(0.9);
    }
    let standing = script.standing(0.9, [0.0; 2], 0.0);
    let steps: Vec<(StepId, u32)> = standing
        .steps
        .iter()
        .map(|step| (step.step, step.passes))
        .collect();
    let names = |script: &Script, steps: &[(StepId, u32)]| -> Vec<String> {
        steps
            .iter()
            .map(|(step, _)| script.controller.program().steps[*step].name.clone())
            .collect()
    };
    assert_eq!(names(&script, &steps), ["r", "a"]);
    assert_eq!(steps[0].1, 1, "one pass is made");
    let watches = |standing: &Standing| {
        standing
            .reflexes
            .iter()
            .map(|reflex| (reflex.watches, reflex.has))
            .collect::<Vec<_>>()
    };
    assert_eq!(watches(&standing), [(true, false), (false, false)]);
    script.still(0.1);
    let standing = script.standing(0.1, [0.0; 2], 0.0);
    assert_eq!(watches(&standing), [(true, true), (false, false)]);
    let steps: Vec<(StepId, u32)> = standing
        .steps
        .iter()
        .map(|step| (step.step, step.passes))
        .collect();
    assert_eq!(
        names(&script, &steps),
        ["r", "a", "Line"],
        "what it broke into waits below it"
    );
    assert!(standing.steps[2].since == 0.0 && !standing.steps[2].exits[0].looked);
}
