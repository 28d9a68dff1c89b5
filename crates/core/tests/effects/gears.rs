//! Gears, battery, weight and caster: what each does to a mission, and that it is gone without it.

use crate::table::{Table, degrees, gone, then_rest};

/// The equal motors of the table with a further line each.
fn motors(more: &str) -> Table {
    let voltage = "rated_voltage = \"7.4 V\"";
    Table::new().robot(voltage, &format!("{voltage}\n{more}"))
}

#[test]
fn e60_play_in_the_gears_loses_way_before_the_wheel_follows() {
    let there_and_back = |table: &Table| {
        let back = then_rest("drive back at 20 %", "travelled 200 mm");
        let steps = format!(
            "step \"there\"\ndrive ahead at 20 %\nuntil travelled 200 mm\nstep \"stand\"\nhold, brake\nuntil 0.5 s passes\n{back}"
        );
        table.run(&steps).final_pose().x * 1e3
    };
    let (tight, loose) = (
        there_and_back(&Table::new()),
        there_and_back(&motors("play = \"6 deg\"")),
    );
    // The start, in the middle of the play, loses half of it at 28 mm; braking takes the teeth to the
    // other side while the robot still rolls, so that the way back loses nothing.
    let expected = -28.0 * 3f64.to_radians();
    assert!(
        (loose - tight - expected).abs() < 0.4,
        "{loose} {tight} {expected}"
    );
}

#[test]
fn e61_gears_that_stick_do_not_start_at_a_duty_that_keeps_them_turning() {
    let creep = |table: &Table, first: &str| {
        let run = table.run(&format!(
            "{first}step \"creep\"\ndrive ahead at 10 %\nuntil 2 s pass -> done"
        ));
        gone(&run)
    };
    let push = "step \"push\"\ndrive ahead at 30 %\nuntil 0.3 s pass\n";
    let sticky = motors("stiction = \"0.02 N m\"");
    assert!(creep(&Table::new(), "") > 20.0);
    assert!(creep(&sticky, "") < 1.0 && creep(&sticky, push) > 20.0);
    let deaf = motors("least_duty = \"12 %\"");
    assert!(creep(&deaf, "") < 0.1);
}

#[test]
fn e62_a_battery_that_runs_down_makes_the_end_of_a_run_slower() {
    let speeds = |battery: &str| {
        let voltage = "voltage = \"7.9 V\"";
        let run = Table::new()
            .robot(voltage, &format!("{voltage}\n{battery}"))
            .run("step \"round\"\nspin left at 60 %\nuntil 50 s pass -> done");
        let rim = |seconds: f64| run.trace.ticks[run.trace.tick_at(seconds)].rims[1];
        (rim(2.0), rim(49.0))
    };
    let (early, late) = speeds("");
    assert!((late / early - 1.0).abs() < 0.01, "{early} {late}");
    let (early, late) = speeds("capacity = \"5 mA h\"\nempty = \"5 V\"");
    assert!(late < 0.97 * early, "{early} {late}");
}

#[test]
fn e63_a_caster_that_must_swing_round_turns_the_robot_at_a_reversal() {
    let turned = |caster: &str| {
        let drag = "drag = 0.04";
        let run = Table::new()
            .robot(drag, &format!("{drag}\n{caster}"))
            .run(&format!(
                "step \"there\"\ndrive ahead at 20 %\nuntil travelled 100 mm\n{}",
                then_rest("drive back at 20 %", "travelled 100 mm")
            ));
        degrees(run.final_pose())
    };
    let (ball, wheel) = (turned(""), turned("trail = \"12 mm\"\nscrub = 0.5"));
    assert!((wheel - ball).abs() > 0.5, "{ball} {wheel}");
}

#[test]
fn e64_weight_that_shifts_forward_makes_a_hard_stop_longer() {
    let stopped = |body: &str| {
        let mass = "mass = \"860 g\"";
        let table = Table::new()
            .robot("grip = 0.8", "grip = 0.25")
            .robot(mass, &format!("{mass}\n{body}"));
        let run = table.run(&then_rest("drive ahead at 100 %", "1.2 s pass"));
        let braked = run.trace.ticks[run.visits[0].left].pose.x;
        (run.final_pose().x - braked) * 1e3
    };
    let (low, high) = (stopped(""), stopped("centre_height = \"60 mm\""));
    assert!(high > low + 3.0, "{low} {high}");
}
