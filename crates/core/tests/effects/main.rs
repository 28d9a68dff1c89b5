//! What goes wrong on a real table goes wrong here, for the same reason: each test shows an effect,
//! and that it is gone when its cause is. Their names start with the number of the effect, so that
//! `cargo test e05` shows one.

#![allow(
    clippy::unwrap_used,
    clippy::format_push_string,
    clippy::disallowed_methods,
    reason = "short helpers of tests"
)]

mod gears;
mod rules;
mod senses;
mod table;
mod things;

use wayodos_core::controller::Event;
use wayodos_core::ids::{RangerId, SensorId};
use wayodos_core::lab::evidence::{Evidence, THIN};
use wayodos_core::record::{Outcome, Run};

use table::{ROBOT, Table, degrees, gone, pose_at, then_rest};

#[test]
fn e01_overshoot_grows_with_speed() {
    let table = Table::new().bar(900.0, 20.0);
    // The front sensor is 92 mm ahead of the axle: how far it comes to rest beyond the near edge of
    // the bar.
    let beyond = |speed: u32| {
        let run = table.run(&then_rest(
            &format!("drive ahead at {speed} %"),
            "floor-left sees dark",
        ));
        run.final_pose().x * 1e3 + 92.0 - 890.0
    };
    let all = [10, 20, 40, 80].map(beyond);
    assert!(
        all.windows(2).all(|pair| pair[1] > 1.3 * pair[0]),
        "{all:?}"
    );
    assert!(
        all[0] < 4.0 && all[3] > 15.0,
        "creeping stops on the bar, rushing stops past it: {all:?}"
    );
}

#[test]
fn e02_a_marker_crossed_too_fast_is_missed() {
    let seen = |rate: &str, speed: u32| {
        let table = Table::new()
            .bar(1200.0, 8.0)
            .robot("rate = \"500 Hz\"", &format!("rate = \"{rate}\""));
        let steps = format!(
            "step \"go\"\ndrive ahead at {speed} %\nuntil floor-left has crossed 1 dark line -> done\nor travelled 1200 mm -> fail \"missed\""
        );
        // Where between two readings the marker falls is a matter of a few millimetres at the
        // start.
        let from = |offset: u32| {
            table
                .clone()
                .start(300.0 + f64::from(offset), 500.0, 0.0)
                .run(&steps)
                .outcome
                == Outcome::Done
        };
        (0..12).filter(|offset| from(2 * offset)).count()
    };
    assert!(seen("20 Hz", 90) < 9, "{} of 12", seen("20 Hz", 90));
    assert_eq!(
        seen("20 Hz", 15),
        12,
        "slowly, it is seen even by a lazy sensor"
    );
    assert_eq!(seen("500 Hz", 90), 12, "and at speed by a quick one");
}

#[test]
fn e05_coasting_goes_further_than_braking() {
    let table = Table::new();
    let rolls = |stop: &str| {
        let run = table.run(&format!("step \"go\"\ndrive ahead at 60 %\nuntil travelled 300 mm\nstep \"stop\"\nhold, {stop}\nuntil 2 s pass -> done"));
        (run.final_pose().x - pose_at(&run, 1).x) * 1e3
    };
    let (brake, coast) = (rolls("brake"), rolls("coast"));
    assert!(
        coast > 3.0 * brake && brake > 1.0,
        "{coast} mm against {brake} mm"
    );
}

#[test]
fn e05_a_counter_pulse_stops_shortest_and_one_too_long_moves_back() {
    let table = Table::new();
    let rest = |pulse: &str| {
        let run = table.run(&format!(
            "step \"go\"\ndrive ahead at 60 %\nuntil travelled 300 mm\nstep \"pulse\"\n{pulse}\nstep \"rest\"\nhold, brake\nuntil 1 s passes -> done"
        ));
        (run.final_pose().x - pose_at(&run, 1).x) * 1e3
    };
    let none = rest("hold, brake\nuntil 0.02 s pass");
    let short = rest("drive back at 60 %\nuntil 0.05 s pass");
    let long = rest("drive back at 60 %\nuntil 0.4 s pass");
    assert!(
        short < 0.8 * none && short > 0.0,
        "{short} mm against {none} mm"
    );
    assert!(long < -20.0, "{long} mm");
}

#[test]
fn e06_a_spot_on_an_edge_reads_in_between() {
    let read = |spot: &str, x: f64| {
        let table = Table::new()
            .robot("spot = \"8 mm\"", &format!("spot = \"{spot}\""))
            .robot("noise = \"1.2 %\"", "noise = \"0 %\"");
        let table = table
            .line("dark", 200.0, "\"700, 0 mm\", \"700, 1000 mm\"")
            .start(x - 92.0, 500.0, 0.0);
        table
            .run("step \"look\"\nhold\nuntil 0.2 s pass -> done")
            .trace
            .reading(10, SensorId(0))
            .brightness
    };
    let (pale, dark) = (read("8 mm", 560.0), read("8 mm", 700.0));
    let edge = read("8 mm", 600.0);
    assert!(
        pale > 0.7 && dark < 0.05 && (edge - f64::midpoint(pale, dark)).abs() < 0.05,
        "{pale} {edge} {dark}"
    );
    // Two millimetres off the edge a small spot sees one surface, a large one still both.
    let (small, large) = (read("2 mm", 597.0), read("8 mm", 597.0));
    assert!(
        (small - pale).abs() < 0.01 && large < pale - 0.05,
        "{small} {large}"
    );
}

#[test]
fn e07_two_colours_blend_into_a_third_at_their_edge() {
    // Red meets blue; a sensor that also knows a purple reads it there.
    let ticks = |spot: &str| {
        let mut table = Table::new()
            .robot("spot = \"10 mm\"", &format!("spot = \"{spot}\""))
            .start(500.0, 500.0, 0.0);
        table = table
            .line("red", 400.0, "\"500, 500 mm\", \"800, 500 mm\"")
            .line("blue", 400.0, "\"800, 500 mm\", \"1200, 500 mm\"");
        table.calibration += "[sensor.hue]\nred = \"52 %, 7 %, 3 %\"\nblue = \"3 %, 17 %, 43 %\"\npurple = \"27 %, 12 %, 23 %\"\npale = \"81 %, 77 %, 64 %\"\n";
        let setup = table.setup();
        let run = table.run("step \"go\"\ndrive ahead at 20 %\nuntil travelled 300 mm -> done");
        let purple = setup.tones[2].index("purple").unwrap();
        (0..run.trace.ticks.len())
            .filter(|&tick| {
                setup.tones[2].nearest_colour(&run.trace.reading(tick, SensorId(2))) == Some(purple)
            })
            .count()
    };
    let (wide, narrow) = (ticks("14 mm"), ticks("1 mm"));
    assert!(wide >= 3, "{wide} ticks of purple that is not there");
    assert!(narrow < wide / 2, "{narrow} with a spot of a millimetre");
}

#[test]
fn e07_from_dark_to_shiny_passes_bright() {
    // Tones as the surfaces themselves would read: copper above pale above dark.
    let mut table = Table {
        calibration: String::new(),
        ..Table::new()
    };
    table.field = table.field.replace(
        "red = {",
        "copper = { colour = \"#e8d8c0\", gloss = \"90 %\" }, red = {",
    );
    let table = table.line("dark", 600.0, "\"300, 500 mm\", \"1300, 500 mm\"");
    let seen = |table: &Table| {
        let exits = "until floor-left sees pale -> fail \"pale\"\nor travelled 500 mm -> done";
        table
            .run(&format!("step \"go\"\ndrive ahead at 15 %\n{exits}"))
            .outcome
    };
    assert_eq!(seen(&table), Outcome::Done, "dark all the way");
    // There is no pale within 300 mm of this path either, and still the edge reads as pale.
    let sill = table.line("copper", 600.0, "\"700, 500 mm\", \"1300, 500 mm\"");
    assert_eq!(seen(&sill), Outcome::Failed);
}

#[test]
fn e08_another_light_makes_yesterdays_limit_wrong() {
    // A grey stripe that reads 40 %, and a limit for white set at 55 %.
    let outcome = |ambient: &str| {
        let mut table = Table::new();
        table.field = table
            .field
            .replace("ground =", &format!("ambient = \"{ambient}\"\nground ="))
            .replace("red = {", "grey = { colour = \"#aaaaaa\" }, red = {");
        table.field = table
            .field
            .replace("ground = \"pale\"", "ground = \"grey\"");
        let run = table.run(
            "step \"go\"\ndrive ahead at 20 %\nuntil floor-left > 55 % -> fail \"white\"\nor travelled 300 mm -> done",
        );
        (run.outcome, run.trace.reading(20, SensorId(0)).brightness)
    };
    let (dim, lit) = (outcome("0 %"), outcome("50 %"));
    assert_eq!(
        (dim.0, lit.0),
        (Outcome::Done, Outcome::Failed),
        "{dim:?} {lit:?}"
    );
    assert!((lit.1 / dim.1 - 1.5).abs() < 0.15, "{dim:?} {lit:?}");
}

#[test]
fn e11_on_some_sensors_lower_means_brighter() {
    let table = |calibrated: bool| {
        let mut table = Table::new().bar(900.0, 20.0).robot(
            "kind = \"reflectance\"",
            "polarity = \"dark is high\"\nkind = \"reflectance\"",
        );
        if calibrated {
            table.calibration = table
                .calibration
                .replace("2 %", "98 %")
                .replace("77 %", "23 %");
        }
        table
    };
    let go = |table: &Table, exit: &str| {
        let run = table.run(&then_rest("drive ahead at 10 %", exit));
        (run.final_pose().x * 1e3 + 92.0 - 890.0).round()
    };
    let right = go(&table(true), "floor-left sees dark");
    assert!(
        (0.0..6.0).contains(&right),
        "calibrated, it finds the bar: {right} mm beyond its edge"
    );
    assert!(
        go(&table(false), "floor-left sees dark") < -400.0,
        "with the other kind's tones pale is dark at once"
    );
    assert!(
        (0.0..6.0).contains(&go(&table(true), "floor-left > 60 %")),
        "a high reading is a dark one"
    );
    // A follower steers the same way on either kind.
    let mut line = table(true)
        .line("dark", 20.0, "\"0, 520 mm\", \"2000, 520 mm\"")
        .start(300.0, 500.0, 0.0);
    line.field = line.field.replacen(
        "\n[[line]]\nsurface = \"dark\"\nwidth = \"20 mm\"\npoints = [\"900, 0 mm\", \"900, 1000 mm\"]\n",
        "",
        1,
    );
    let run = line.run("step \"go\"\nfollow the left edge of a dark line with floor-left at 20 %, gain 1\nuntil travelled 800 mm -> done");
    assert!(
        (run.final_pose().y - 0.498).abs() < 0.006 && degrees(run.final_pose()).abs() < 3.0,
        "{:?}",
        run.final_pose()
    );
}

#[test]
fn e09_noise_makes_one_surface_read_differently() {
    let spread = |noise: &str| {
        let table = Table::new().robot("noise = \"1.2 %\"", &format!("noise = \"{noise}\""));
        let run = table.run("step \"look\"\nhold\nuntil 4 s pass -> done");
        let values = (0..400).map(|tick| run.trace.reading(tick, SensorId(0)).brightness);
        values.clone().fold(0.0, f64::max) - values.fold(1.0, f64::min)
    };
    assert!(
        spread("4 %") > 0.15 && spread("0 %") < 1e-9,
        "{} {}",
        spread("4 %"),
        spread("0 %")
    );
}

#[test]
fn e10_bright_and_shiny_lie_close_together() {
    let margin = |colour: &str, gloss: &str| {
        let mut table = Table {
            calibration: String::new(),
            ..Table::new()
        };
        table.field = table.field.replace(
            "red = {",
            &format!("sill = {{ colour = \"{colour}\", gloss = \"{gloss}\" }}, red = {{"),
        );
        let table = table.line("sill", 100.0, "\"700, 0 mm\", \"700, 1000 mm\"");
        match table.first_evidence(
            "step \"go\"\ndrive ahead at 20 %\nuntil floor-left sees sill -> done\nor travelled 900 mm -> done",
        ) {
            Evidence::Fired { clear, at_once } => {
                if at_once {
                    0.0
                } else {
                    clear.unwrap()
                }
            }
            Evidence::Spare(_) => -1.0,
        }
    };
    assert!(
        margin("#dcd6c8", "25 %") < THIN,
        "a dull shine beside pale: {}",
        margin("#dcd6c8", "25 %")
    );
    assert!(
        margin("#ffffff", "90 %") > THIN,
        "a mirror: {}",
        margin("#ffffff", "90 %")
    );
}

#[test]
fn e12_a_thick_line_is_many_dark_samples_and_one_line() {
    let table = Table::new().bar(800.0, 60.0);
    let run = table.run("step \"go\"\ndrive ahead at 20 %\nuntil floor-left has crossed 2 dark lines -> fail \"two\"\nor travelled 800 mm -> done");
    let dark = (0..run.trace.ticks.len())
        .filter(|&tick| run.trace.reading(tick, SensorId(0)).brightness < 0.2)
        .count();
    let counted = run
        .trace
        .events
        .iter()
        .filter(|stamp| matches!(stamp.event, Event::Counted { .. }))
        .count();
    assert!(
        dark > 30 && counted == 1 && run.outcome == Outcome::Done,
        "{dark} samples, {counted} lines"
    );
    // Whoever waits for dark three times in a row has "three lines" within one.
    let naive = table.run("step \"a\"\ndrive ahead at 20 %\nuntil floor-left sees dark\nstep \"b\"\ndrive ahead at 20 %\nuntil floor-left sees dark\nstep \"c\"\ndrive ahead at 20 %\nuntil floor-left sees dark -> done");
    assert!(naive.trace.seconds(naive.ended - naive.visits[1].entered) < 0.05);
}

#[test]
fn e13_standing_on_the_mark_already_fires_at_once() {
    let first = |x: f64, exit: &str| {
        let table = Table::new().bar(800.0, 30.0).start(x, 500.0, 0.0);
        let run = table.run(&format!(
            "step \"go\"\ndrive ahead at 20 %\nuntil floor-left {exit} -> done\nor travelled 900 mm -> done"
        ));
        run.duration()
    };
    assert!(first(708.0, "sees dark") < 0.03, "on the bar: at once");
    assert!(
        first(500.0, "sees dark") > 1.0,
        "before it: when it is reached"
    );
    assert!(
        first(708.0, "has crossed 1 dark line") > 2.0,
        "a line that the step began on does not count"
    );
}

#[test]
fn e14_unequal_motors_drift_sideways_and_a_held_heading_does_not() {
    let aside = |right: &str, behaviour: &str| {
        let table = Table::new();
        let at = table.robot.rfind("160 rpm").unwrap();
        let mut robot = table.robot.clone();
        robot.replace_range(at..at + 7, right);
        let run = Table { robot, ..table }.run(&then_rest(behaviour, "travelled 1000 mm"));
        (run.final_pose().y * 1e3 - 500.0).abs()
    };
    let drift = aside("150 rpm", "drive ahead at 40 %");
    assert!(drift > 40.0, "{drift} mm");
    assert!(
        aside("160 rpm", "drive ahead at 40 %") < 5.0,
        "equal motors: {}",
        aside("160 rpm", "drive ahead at 40 %")
    );
    let held = aside("150 rpm", "drive ahead at 40 % holding the heading");
    assert!(held < drift / 4.0, "{held} mm against {drift} mm");
}

#[test]
fn e14_unequal_wheels_curve_by_what_their_difference_says() {
    let turn = |right: &str| {
        let table = Table::new().robot(
            "track_width =",
            &format!("right_wheel = \"{right}\"\ntrack_width ="),
        );
        let run = table.run(&then_rest("drive ahead at 20 %", "travelled 600 mm"));
        let [left, right] = run.trace.ticks.last().unwrap().wheels;
        (
            degrees(run.final_pose()),
            (right - left).to_degrees(),
            f64::midpoint(left, right),
        )
    };
    // The same wheel angle a over rims of 56 and 57 mm on a track of 118 mm turns by a (28.5 - 28)
    // / 118.
    let (turned, apart, angle) = turn("57 mm");
    let exact = ((angle * 0.5 + apart.to_radians() / 2.0 * 56.5) / 118.0).to_degrees();
    assert!(
        (turned - exact).abs() < 0.15 && turned > 2.0,
        "{turned} deg against {exact} deg"
    );
    assert!(turn("56 mm").0.abs() < 0.2, "{}", turn("56 mm").0);
}

#[test]
fn e15_dead_reckoned_squares_end_further_and_further_away() {
    let without_gyro = ROBOT[..ROBOT.find("[gyro]").unwrap()].to_owned()
        + &ROBOT[ROBOT.find("[[sensor]]").unwrap()..];
    let off = |rounds: usize, speed: u32| {
        let mut steps = String::new();
        for side in 0..4 * rounds {
            steps += &format!(
                "step \"side {side}\"\ndrive ahead at {speed} %\nuntil travelled 200 mm\nstep \"turn {side}\"\nspin left at {speed} %\nuntil turned 90 deg\n"
            );
        }
        steps += "step \"end\"\nhold\nuntil 1 s passes -> done";
        gone(
            &Table {
                robot: without_gyro.clone(),
                ..Table::new()
            }
            .run(&steps),
        )
    };
    let (one, three) = (off(1, 45), off(3, 45));
    assert!(one > 15.0 && three > 1.5 * one, "{one} mm, then {three} mm");
    assert!(
        off(1, 12) < one / 2.0,
        "slowly, there is less to go wrong: {}",
        off(1, 12)
    );
}

/// Millimetres that the ranging sensor reads after a while of standing.
fn range(table: &Table) -> f64 {
    let run = table
        .clone()
        .robot("noise = \"3 mm\"", "noise = \"0 mm\"")
        .run("step \"look\"\nhold\nuntil 0.5 s pass -> done");
    run.trace.range(40, RangerId(0)) * 1e3
}

#[test]
fn e16_spinning_fast_a_narrow_thing_is_missed() {
    // A post of 40 mm, 350 mm to the left, and a sensor that looks five times a second.
    let found = |speed: u32, rate: &str| {
        let table = Table::new()
            .robot("rate = \"25 Hz\"", &format!("rate = \"{rate}\""))
            .wall("\"290, 850 mm\", \"310, 850 mm\"");
        let run = table.run(&format!(
            "step \"scan\"\nspin left at {speed} %\nuntil ahead < 400 mm -> done\nor turned 180 deg -> fail \"nothing\""
        ));
        run.outcome == Outcome::Done
    };
    assert!(found(15, "5 Hz"), "slowly it is found");
    assert!(!found(100, "5 Hz"), "fast it lies between two looks");
    assert!(found(100, "100 Hz"), "unless it looks often enough");
}

#[test]
fn e16_a_sensor_that_is_blind_when_turning_sees_when_it_stands() {
    let table = Table::new().wall("\"0, 850 mm\", \"2000, 850 mm\"").robot(
        "cone = \"16 deg\"",
        "cone = \"16 deg\"\nblind_above = \"90 deg/s\"",
    );
    let nearest = |speed: u32| {
        let run = table.run(&then_rest(
            &format!("spin left at {speed} %"),
            "turned 90 deg",
        ));
        let turning = run.visits[0].entered..run.visits[0].left;
        let while_turning = turning
            .map(|tick| run.trace.range(tick, RangerId(0)))
            .fold(9.0, f64::min);
        (while_turning, run.trace.range(run.ended, RangerId(0)))
    };
    let (fast, slow) = (nearest(60), nearest(15));
    assert!(fast.0 > 1.19 && fast.1 < 0.4, "{fast:?}");
    assert!(slow.0 < 0.4, "{slow:?}");
}

#[test]
fn e17_a_distance_does_not_say_of_what() {
    // A wall's face, and a platform's side, both 446 mm from the sensor.
    let wall = range(&Table::new().wall("\"860, 0 mm\", \"860, 1000 mm\""));
    let mut table = Table::new();
    table.field +=
        "\n[[platform]]\nsurface = \"dark\"\nat = \"950, 500 mm\"\nsize = \"200 x 800 mm\"\n";
    let platform = range(&table);
    assert!(
        (wall - 446.0).abs() <= 1.0 && (platform - 446.0).abs() <= 1.5,
        "{wall} {platform}"
    );
    assert!(range(&Table::new()) > 1199.0, "an empty table has nothing");
}

#[test]
fn e17_a_slanted_face_sends_nothing_back_and_what_is_too_near_reads_the_least() {
    let slanted = "\"700, 300 mm\", \"1100, 700 mm\"";
    assert!(
        range(
            &Table::new()
                .wall(slanted)
                .robot("cone = \"16 deg\"", "cone = \"4 deg\"\nslant = \"30 deg\"")
        ) > 1199.0
    );
    let seen = range(
        &Table::new()
            .wall(slanted)
            .robot("cone = \"16 deg\"", "cone = \"4 deg\"\nslant = \"60 deg\""),
    );
    assert!((450.0..500.0).contains(&seen), "{seen}");
    let near = Table::new().wall("\"430, 0 mm\", \"430, 1000 mm\"");
    assert!(
        (range(&near) - 30.0).abs() < 0.5,
        "16 mm away it reads its least: {}",
        range(&near)
    );
}

#[test]
fn e01_a_late_reading_stops_the_robot_late() {
    let left = |latency: &str, speed: u32| {
        let table = Table::new()
            .wall("\"1210, 0 mm\", \"1210, 1000 mm\"")
            .robot("latency = \"20 ms\"", &format!("latency = \"{latency}\""));
        let run = table.run(&then_rest(
            &format!("drive ahead at {speed} %"),
            "ahead < 200 mm",
        ));
        1200.0 - 104.0 - run.final_pose().x * 1e3
    };
    let (prompt, late) = (left("0 ms", 60), left("200 ms", 60));
    // 200 ms at some 250 to 300 mm/s.
    assert!(
        (40.0..75.0).contains(&(prompt - late)),
        "{prompt} mm against {late} mm"
    );
    assert!(
        left("200 ms", 10) > 180.0,
        "creeping, lateness costs little: {}",
        left("200 ms", 10)
    );
}

/// A round platform of 560 mm with a rim of white, and the robot on it.
fn platform() -> Table {
    let mut table = Table::new().start(500.0, 500.0, 0.0);
    table.field = table
        .field
        .replace("red = {", "rim = { colour = \"#fbfaf4\" }, red = {");
    table.field += "\n[[platform]]\nname = \"the floor\"\nsurface = \"rim\"\nat = \"500, 500 mm\"\ndiameter = \"560 mm\"\n";
    table.field += "\n[[patch]]\nsurface = \"pale\"\nat = \"500, 500 mm\"\ndiameter = \"500 mm\"\n";
    table
}

fn hangs(run: &Run) -> bool {
    run.trace.ticks.iter().any(|tick| tick.hangs)
}

#[test]
fn e22_turning_at_the_rim_drops_a_wheel_and_backing_off_first_does_not() {
    let turn = |first: &str| {
        platform().run(&format!(
            "step \"prowl\"\ndrive ahead at 50 %\nuntil floor-left > 88 %\nor floor-right > 88 %\n{first}\n\
             step \"turn\"\npivot left on the left wheel at 40 %\nuntil turned 90 deg\nor 3 s pass\nstep \"rest\"\nhold\nuntil 0.5 s pass -> done"
        ))
    };
    let at_once = turn("");
    assert!(hangs(&at_once), "the outer wheel swings over the edge");
    let backed = turn("step \"back\"\ndrive back at 40 %\nuntil travelled 120 mm");
    assert!(
        !hangs(&backed) && backed.outcome == Outcome::Done,
        "{:?}",
        backed.reason
    );
}

#[test]
fn e23_backwards_the_rim_is_not_seen() {
    let go = |way: &str| {
        platform().run(&format!(
            "step \"go\"\ndrive {way} %\nuntil floor-left > 88 %\nor floor-right > 88 %\nor travelled 500 mm\nstep \"rest\"\nhold\nuntil 0.5 s pass -> done"
        ))
    };
    // The driven wheels, 59 mm to either side, are first over the edge behind: slowly the robot is
    // left hanging there.
    let slow = go("back at 25");
    assert!(
        hangs(&slow) && slow.outcome == Outcome::Done && slow.final_pose().x < 0.227,
        "{:?}",
        slow.final_pose()
    );
    // With momentum its centre of mass, 26 mm ahead of the axle, gets over the edge too, and it
    // falls at that moment.
    let fast = go("back at 100");
    assert_eq!(
        (fast.outcome, fast.reason.as_str()),
        (Outcome::Fell, "fell off the floor")
    );
    let over = fast.final_pose().x + 0.026;
    assert!((over - 0.22).abs() < 0.003, "{over}");
    let ahead = go("ahead at 25");
    assert!(ahead.outcome == Outcome::Done && !hangs(&ahead));
}

#[test]
fn e22_a_wheel_without_floor_does_not_push() {
    // Along the edge of a table, with the left wheel beyond it.
    let mut table = Table::new().start(500.0, 960.0, 0.0);
    table.field = table.field.replace("ground =", "edge = \"drop\"\nground =");
    let run_at = |y: f64| {
        table
            .clone()
            .start(500.0, y, 0.0)
            .run("step \"go\"\ndrive ahead at 40 %\nuntil 1 s passes -> done")
    };
    let (inside, over) = (run_at(900.0), run_at(960.0));
    assert!(!hangs(&inside) && hangs(&over));
    assert!(
        degrees(inside.final_pose()).abs() < 1.0,
        "both wheels push: straight on"
    );
    assert!(
        degrees(over.final_pose()) > 10.0 || over.outcome == Outcome::Fell,
        "one pushes: it turns towards the edge"
    );
}

#[test]
fn a_platform_is_a_wall_to_who_stands_beside_it() {
    let table = platform()
        .start(150.0, 500.0, 0.0)
        .robot("nose = \"112 mm\"", "nose = \"30 mm\"");
    let table = table
        .robot("at = \"92, ", "at = \"20, ")
        .robot("at = \"96, ", "at = \"22, ")
        .robot("at = \"104, ", "at = \"24, ");
    let table = table
        .robot(
            "centre_of_mass = \"26, 0 mm\"",
            "centre_of_mass = \"-26, 0 mm\"",
        )
        .robot("ahead = \"82 mm\"", "ahead = \"-82 mm\"");
    let run = table.run("step \"go\"\ndrive ahead at 40 %\nuntil 2 s pass -> done");
    // The nose comes to rest at the platform's edge, 220 mm from the left.
    let nose = run.final_pose().x + 0.03;
    assert!((nose - 0.22).abs() < 0.004 && !hangs(&run), "{nose}");
}

#[test]
fn e24_the_body_stands_behind_what_the_sensor_has_found() {
    let axle = |at: &str| {
        let table = Table::new()
            .bar(900.0, 20.0)
            .robot("at = \"92, 32 mm\"", &format!("at = \"{at}\""));
        let run = table.run(&then_rest("drive ahead at 10 %", "floor-left sees dark"));
        890.0 - run.final_pose().x * 1e3
    };
    let (ahead, above) = (axle("92, 32 mm"), axle("0, 32 mm"));
    assert!(
        (ahead - above - 92.0).abs() < 2.0 && above.abs() < 8.0,
        "{ahead} {above}"
    );
}

#[test]
fn e25_a_larger_wheel_goes_further_for_the_same_turn() {
    let per_turn = |diameter: &str| {
        let run = Table::new()
            .robot("56 mm", diameter)
            .run(&then_rest("drive ahead at 20 %", "2 s pass"));
        gone(&run) / (run.trace.ticks.last().unwrap().wheels[0] / std::f64::consts::TAU)
    };
    for (text, diameter) in [("56 mm", 56.0), ("68 mm", 68.0)] {
        let exact = std::f64::consts::PI * diameter;
        assert!(
            (per_turn(text) / exact - 1.0).abs() < 0.005,
            "{text}: {} against {exact}",
            per_turn(text)
        );
    }
}

#[test]
fn e25_a_robot_that_knows_its_wheels_wrongly_travels_wrongly() {
    let far = |wheels: &str| {
        let table = Table::new().robot(
            "track_width =",
            &format!("left_wheel = \"{wheels}\"\nright_wheel = \"{wheels}\"\ntrack_width ="),
        );
        gone(&table.run(&then_rest("drive ahead at 12 %", "travelled 560 mm")))
    };
    // Worn from 56 mm to 54 mm it falls short by two parts in fifty-six.
    let (worn, new) = (far("54 mm"), far("56 mm"));
    assert!(
        (worn / new - 54.0 / 56.0).abs() < 0.003,
        "{worn} mm against {new} mm"
    );
}

#[test]
fn e26_spin_and_pivot_turn_about_different_points_and_cost_different_wheel_angles() {
    let table = Table::new();
    let turn = |behaviour: &str| {
        let run = table.run(&then_rest(behaviour, "turned 90 deg"));
        let wheels = run.trace.ticks.last().unwrap().wheels;
        (
            gone(&run),
            wheels[0].abs().max(wheels[1].abs()) / degrees(run.final_pose()).abs(),
        )
    };
    let (spin, pivot) = (
        turn("spin left at 15 %"),
        turn("pivot left on the left wheel at 15 %"),
    );
    assert!(
        spin.0 < 2.0 && pivot.0 > 75.0,
        "the axle stays, or swings: {} {}",
        spin.0,
        pivot.0
    );
    assert!(
        (pivot.1 / spin.1 - 2.0).abs() < 0.05,
        "twice the wheel for the same turn: {}",
        pivot.1 / spin.1
    );
}

#[test]
fn e26_slipping_wheels_turn_more_than_the_robot() {
    let share = |grip: &str| {
        let run = Table::new()
            .robot("grip = 0.8", &format!("grip = {grip}"))
            .run(&then_rest("spin left at 100 %", "turned 720 deg"));
        let [left, right] = run.trace.ticks.last().unwrap().wheels;
        ((right - left) * 28.0 / 118.0).to_degrees() / degrees(run.final_pose())
    };
    assert!(share("0.02") > 1.2, "{}", share("0.02"));
    assert!((share("0.8") - 1.0).abs() < 0.02, "{}", share("0.8"));
}

#[test]
fn e27_squaring_up_works_slowly_and_overshoot_spoils_it() {
    // The sensor on the side that is ahead finds the bar first; about that side's wheel the other
    // one comes up.
    let left_over = |heading: f64, speed: u32| {
        let table = Table::new().bar(900.0, 24.0).start(600.0, 500.0, heading);
        let (side, other) = if heading > 0.0 {
            ("right", "left")
        } else {
            ("left", "right")
        };
        let run = table.run(&format!(
            "step \"to\"\ndrive ahead at {speed} %\nuntil floor-{side} sees dark\n\
             step \"square\"\npivot {side} on the {side} wheel at {speed} %\nuntil floor-{other} sees dark\nor 3 s pass\n\
             step \"rest\"\nhold\nuntil 1 s passes -> done"
        ));
        degrees(run.final_pose()).abs()
    };
    for start in [8.0f64, 20.0, -20.0] {
        let (slow, fast) = (left_over(start, 10), left_over(start, 60));
        assert!(
            slow < 0.5 * start.abs(),
            "{start} deg at first, {slow} deg left"
        );
        assert!(fast > slow, "{start} deg: {fast} against {slow}");
    }
}

#[test]
fn e29_the_heading_drifts_away_unless_the_gyro_is_perfect() {
    let off = |drift: &str, noise: &str| {
        let table = Table::new()
            .robot("drift = \"0.03 deg/s\"", &format!("drift = \"{drift}\""))
            .robot("noise = \"0.4 deg/s\"", &format!("noise = \"{noise}\""));
        let run = table.run_with("step \"look\"\nhold\nuntil 30 s pass -> done", 4);
        run.trace.ticks.last().unwrap().gyro.to_degrees().abs()
    };
    assert!(
        off("0.5 deg/s", "0 deg/s") > 2.0,
        "{}",
        off("0.5 deg/s", "0 deg/s")
    );
    assert!(off("0 deg/s", "0 deg/s") < 1e-9);
}

#[test]
fn e30_a_follower_loses_sharp_bends_first() {
    let follows = |leg: &str, speed: u32| {
        let mut table = Table::new().start(300.0, 190.0, 0.0);
        table.field += &format!(
            "\n[[line]]\nsurface = \"dark\"\nwidth = \"20 mm\"\nfrom = \"300, 200 mm\"\nlegs = [\"ahead 600 mm\", \"{leg}\", \"ahead 500 mm\"]\n"
        );
        table = table.line("red", 200.0, "\"800, 700 mm\", \"1400, 700 mm\"");
        let run = table.run(&format!("step \"go\"\nfollow the left edge of a dark line with floor-left at {speed} %, gain 1.2\nuntil hue sees red -> done\nor 15 s pass -> fail \"lost\""));
        run.outcome == Outcome::Done
    };
    let (wide, corner) = ("bend left 90 deg radius 250 mm", "corner left 90 deg");
    assert!(
        follows(wide, 20) && follows(corner, 20),
        "slowly, both hold"
    );
    assert!(follows(wide, 80), "a wide bend holds at speed");
    assert!(!follows(corner, 80), "a square corner does not");
}

#[test]
fn e31_two_sensors_see_a_thick_line_together_and_a_thin_one_not_at_all() {
    let both = |width: f64| {
        let table = Table::new().line("dark", width, "\"0, 500 mm\", \"2000, 500 mm\"");
        let run = table.run("step \"go\"\ndrive ahead at 20 %\nuntil travelled 200 mm -> done");
        let dark = |sensor: usize| run.trace.reading(50, SensorId(sensor)).brightness < 0.2;
        (dark(0), dark(1))
    };
    // They are 64 mm apart.
    assert_eq!(both(100.0), (true, true));
    assert_eq!(both(20.0), (false, false));
}

#[test]
fn e38_time_is_a_poor_measure_of_distance() {
    let far = |volts: &str, exit: &str| {
        gone(
            &Table::new()
                .robot("voltage = \"7.9 V\"", &format!("voltage = \"{volts}\""))
                .run(&then_rest("drive ahead at 40 %", exit)),
        )
    };
    let (full, empty) = (far("8.2 V", "3 s pass"), far("6.6 V", "3 s pass"));
    assert!(
        empty < 0.85 * full,
        "{empty} mm on an empty battery, {full} mm on a full one"
    );
    let (full, empty) = (
        far("8.2 V", "travelled 500 mm"),
        far("6.6 V", "travelled 500 mm"),
    );
    assert!((full - empty).abs() < 6.0, "{empty} mm against {full} mm");
    // The speed of a step scales both; slower is shorter.
    assert!(far("7.9 V", "1 s passes") < 0.5 * far("7.9 V", "2 s pass"));
}

#[test]
fn e40_a_dragging_caster_slows_and_stops_the_robot_sooner() {
    let table = |drag: &str| Table::new().robot("drag = 0.04", &format!("drag = {drag}"));
    let coasted = |drag: &str| {
        let run = table(drag).run(
            "step \"go\"\ndrive ahead at 50 %\nuntil 2 s pass\nstep \"roll\"\nhold, coast\nuntil 2 s pass -> done",
        );
        let rolled = (run.final_pose().x - pose_at(&run, 1).x) * 1e3;
        (pose_at(&run, 1).x, rolled)
    };
    let (free, stuck) = (coasted("0"), coasted("0.9"));
    assert!(
        stuck.0 < 0.97 * free.0 && stuck.1 < 0.8 * free.1,
        "{free:?} {stuck:?}"
    );
}

#[test]
fn e45_arriving_at_an_angle_the_sensors_see_the_line_one_after_the_other() {
    let apart = |heading: f64| {
        let table = Table::new().bar(900.0, 20.0).start(600.0, 500.0, heading);
        let run = table.run("step \"go\"\ndrive ahead at 20 %\nuntil travelled 450 mm -> done");
        let first = |sensor: usize| {
            (0..run.trace.ticks.len())
                .find(|&tick| run.trace.reading(tick, SensorId(sensor)).brightness < 0.3)
                .unwrap()
        };
        (run.trace.seconds(first(0)) - run.trace.seconds(first(1))).abs()
    };
    // 64 mm apart at 15 deg: 17 mm, at some 100 mm/s.
    assert!(
        apart(0.0) <= 0.02 && apart(15.0) > 0.1,
        "{} s and {} s",
        apart(0.0),
        apart(15.0)
    );
}

#[test]
fn e18_spinning_on_the_spot_never_finds_what_is_out_of_reach() {
    // A post 900 mm away and a sensor that reaches 600 mm.
    let table = Table::new()
        .robot("greatest = \"1200 mm\"", "greatest = \"600 mm\"")
        .wall("\"1200, 490 mm\", \"1200, 510 mm\"");
    let scan =
        "spin left at 15 %\nuntil ahead < 590 mm -> done\nor turned 400 deg -> fail \"nothing\"";
    assert_eq!(
        table.run(&format!("step \"scan\"\n{scan}")).outcome,
        Outcome::Failed
    );
    let nearer = table.run(&format!(
        "step \"go\"\ndrive ahead at 30 %\nuntil travelled 400 mm\nstep \"scan\"\n{scan}"
    ));
    assert_eq!(
        nearer.outcome,
        Outcome::Done,
        "from another place it is found"
    );
}

#[test]
fn e21_more_duty_than_the_tyres_hold_only_spins_the_wheels() {
    let pushed = |duty: u32, grip: &str| {
        let table = Table::new()
            .wall("\"600, 0 mm\", \"600, 1000 mm\"")
            .robot("grip = 0.8", &format!("grip = {grip}"));
        let run = table.run(&format!(
            "step \"push\"\ndrive ahead at {duty} %\nuntil 5 s pass -> done"
        ));
        let late = &run.trace.ticks[350..490];
        let spun = (late.last().unwrap().wheels[0] - late[0].wheels[0]) / std::f64::consts::TAU;
        (late.iter().any(|tick| tick.slipped), spun)
    };
    let (slips, spun) = pushed(100, "0.8");
    assert!(
        slips && spun > 1.0,
        "the robot stands, its wheels turn: {spun}"
    );
    let (slips, spun) = pushed(25, "0.8");
    assert!(
        !slips && spun.abs() < 0.01,
        "with less duty they hold: {spun}"
    );
    let (slips, spun) = pushed(100, "3");
    assert!(
        !slips && spun.abs() < 0.01,
        "and so they do with more grip: {spun}"
    );
}

#[test]
fn e28_a_shift_by_two_pivots_leaves_a_heading_error_that_grows_with_speed() {
    let error = |speed: u32| {
        let run = Table::new().run(&format!(
            "step \"out\"\npivot left on the left wheel at {speed} %\nuntil turned 30 deg\n\
             step \"back\"\npivot right on the right wheel at {speed} %\nuntil turned 30 deg\n\
             step \"rest\"\nhold\nuntil 1 s passes -> done"
        ));
        (
            degrees(run.final_pose()).abs(),
            (run.final_pose().y - 0.5) * 1e3,
        )
    };
    let (slow, fast) = (error(10), error(70));
    assert!(slow.0 < 2.0 && fast.0 > 2.0 * slow.0, "{slow:?} {fast:?}");
    // Two pivots of 30 deg about wheels 118 mm apart shift by 118 (1 - cos 30 deg), and ahead.
    assert!(
        (slow.1 - 118.0 * (1.0 - 30f64.to_radians().cos())).abs() < 4.0,
        "{slow:?}"
    );
}

#[test]
fn e32_at_a_fork_the_edge_that_is_followed_decides() {
    let ends = |edge: &str, sensor: &str| {
        let table = Table::new()
            .line(
                "dark",
                20.0,
                "\"200, 500 mm\", \"800, 500 mm\", \"1300, 750 mm\"",
            )
            .line("dark", 20.0, "\"800, 500 mm\", \"1300, 250 mm\"")
            .start(300.0, if edge == "left" { 478.0 } else { 522.0 }, 0.0);
        let run = table.run(&format!(
            "step \"go\"\nfollow the {edge} edge of a dark line with {sensor} at 16 %, gain 1.4\nuntil travelled 900 mm -> done"
        ));
        run.final_pose().y * 1e3
    };
    let (left, right) = (ends("left", "floor-left"), ends("right", "floor-right"));
    assert!(left > 600.0 && right < 400.0, "{left} {right}");
}

#[test]
fn e49_a_distance_to_the_side_is_right_only_when_square_to_the_wall() {
    let reads = |heading: f64| {
        let table = Table::new()
            .wall("\"0, 860 mm\", \"2000, 860 mm\"")
            .robot("at = \"104, 0 mm\"", "at = \"0, 70 mm\"");
        range(
            &table
                .robot("cone = \"16 deg\"", "cone = \"2 deg\"\nfacing = \"90 deg\"")
                .start(600.0, 500.0, heading),
        )
    };
    // From the sensor to the wall's face: 850 - 570 mm.
    assert!((reads(0.0) - 280.0).abs() <= 1.0, "{}", reads(0.0));
    assert!(
        reads(25.0) > 300.0,
        "turned away it reads along the slant: {}",
        reads(25.0)
    );
    assert!(
        reads(60.0) > 1199.0,
        "and in the end nothing: {}",
        reads(60.0)
    );
}

#[test]
fn e51_a_command_that_comes_late_overshoots_by_the_way_made_meanwhile() {
    let beyond = |lag: &str| {
        let table = Table::new()
            .bar(900.0, 20.0)
            .robot("period = \"10 ms\"", &format!("period = \"10 ms\"\n{lag}"));
        let run = table.run(&then_rest("drive ahead at 40 %", "floor-left sees dark"));
        let fired = run.visits[0].left;
        let (pose, rims) = (run.trace.ticks[fired].pose, run.trace.ticks[fired].rims);
        let speed = f64::midpoint(rims[0], rims[1]);
        (run.final_pose().x - pose.x, speed)
    };
    let (prompt, speed) = beyond("");
    let (late, _) = beyond("lag = \"40 ms\"");
    // At a steady speed the way of the lag is speed x lag; the rest is the same braking.
    assert!(
        (late - prompt - speed * 0.040).abs() < 0.0004,
        "{late} after {prompt} at {speed}"
    );
    let (jittered, _) = beyond("lag = \"40 ms\"\njitter = \"20 ms\"");
    let more = (jittered - prompt) / speed;
    assert!((0.0395..0.0605).contains(&more), "{more} s late");
}

#[test]
fn e52_a_ranging_sensor_loses_readings_and_makes_some_up() {
    let shares = |words: &str| {
        let table = Table::new()
            .wall("\"1000, 300 mm\", \"1000, 700 mm\"")
            .robot("cone = \"16 deg\"", &format!("cone = \"16 deg\"\n{words}"));
        let run = table.run("step \"stand\"\nhold, brake\nuntil 90 s pass -> done");
        let ranges: Vec<f64> = (20..run.trace.ticks.len())
            .step_by(4)
            .map(|tick| run.trace.range(tick, RangerId(0)))
            .collect();
        let count = |of: &dyn Fn(f64) -> bool| {
            ranges.iter().filter(|range| of(**range)).count() as f64 / ranges.len() as f64
        };
        // The wall is 586 mm away: 1000 - 10 - 300 - 104.
        (count(&|range| range > 1.19), count(&|range| range < 0.55))
    };
    assert_eq!(shares(""), (0.0, 0.0));
    // 2250 measurements: a standard error of 0.6 and 0.5 %.
    let (lost, made_up) = shares("dropouts = \"10 %\"\noutliers = \"6 %\"");
    assert!((0.075..0.125).contains(&lost), "{lost}");
    assert!((0.035..0.08).contains(&made_up), "{made_up}");
}

#[test]
fn e53_a_reflex_keeps_still_until_the_start_delay_is_over() {
    let reflex = "\nreflex \"back off\"\nwhen floor-left sees pale\ndrive back at 30 %\nuntil travelled 40 mm\nthen resume\n";
    let steps = format!("step \"go\"\nhold, brake\nuntil 3 s pass -> done\n{reflex}");
    let moved_at = |header: &str| {
        let run = Table::new().run(&format!("{header}{steps}"));
        let start = run.trace.ticks[0].pose;
        let moved = run
            .trace
            .ticks
            .iter()
            .position(|tick| (tick.pose.x - start.x).abs() > 0.001);
        run.trace.seconds(moved.expect("it backs off in the end"))
    };
    assert!(moved_at("") < 0.1);
    let after = moved_at("begin after 2 s\n");
    assert!((2.0..2.1).contains(&after), "{after}");
}
