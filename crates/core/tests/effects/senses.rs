//! Lamps, light, mats and clocks: what a sensor makes of them.

use wayodos_core::ids::{RangerId, SensorId};
use wayodos_core::record::Run;

use crate::table::{Table, then_rest};

const STAND: &str = "step \"stand\"\nhold, brake\nuntil 3 s pass -> done";

/// What the left sensor reads at each look.
fn readings(run: &Run) -> Vec<f64> {
    (0..run.trace.ticks.len())
        .map(|tick| run.trace.reading(tick, SensorId(0)).brightness)
        .collect()
}

fn mean_and_spread(values: &[f64]) -> (f64, f64) {
    let mean = values.iter().sum::<f64>() / values.len() as f64;
    let square = values.iter().map(|value| (value - mean) * (value - mean));
    (mean, (square.sum::<f64>() / values.len() as f64).sqrt())
}

fn quiet() -> Table {
    Table::new().robot("noise = \"1.2 %\"", "noise = \"0 %\"")
}

#[test]
fn e54_what_is_dark_in_white_light_may_be_bright_in_red_or_infrared() {
    let reads = |lamp: &str, surface: &str| {
        let mut table = quiet().robot("spot = \"8 mm\"", &format!("spot = \"8 mm\"\n{lamp}"));
        table.field = table.field.replace(
            "colour = \"#22252a\" }",
            "colour = \"#22252a\", infrared = \"70 %\" }",
        );
        let table = table.line(surface, 300.0, "\"400, 0 mm\", \"400, 1000 mm\"");
        mean_and_spread(&readings(&table.run(STAND))).0
    };
    let [white, red, infrared] = ["", "lamp = \"red\"", "lamp = \"infrared\""];
    // Red tape: #bf4a2d sends back half of the red light, an eighth of all.
    assert!(reads(white, "red") < 0.2 && reads(red, "red") > 0.5);
    assert!((reads(infrared, "red") - reads(white, "red")).abs() < 0.01);
    // Black ink that says what it does in the infrared.
    assert!(reads(white, "dark") < 0.03 && reads(red, "dark") < 0.03);
    assert!((reads(infrared, "dark") - 0.7).abs() < 0.01);
}

#[test]
fn e55_light_that_flickers_is_seen_by_fast_sensors_and_beats_with_slow_ones() {
    let spread = |field: &str, rate: &str| {
        let mut table = quiet().robot("rate = \"500 Hz\"", &format!("rate = \"{rate}\""));
        table.field = format!("ambient = \"20 %\"\n{field}{}", table.field);
        mean_and_spread(&readings(&table.run(STAND)))
    };
    let (steady, still) = spread("", "500 Hz");
    assert!(still < 1e-9);
    // A sine of 10 % of 20 % on a surface that sends back 0.77: its deviation is over root two. At
    // looks every 10 ms a rate of 103 Hz goes through all phases.
    let (mean, shaking) = spread("flicker = \"10 %\"\nflicker_rate = \"103 Hz\"\n", "500 Hz");
    let expected = 0.02 * 0.77 / 2f64.sqrt();
    assert!((mean - steady).abs() < 0.002, "{mean} {steady}");
    assert!(
        (shaking / expected - 1.0).abs() < 0.15,
        "{shaking} {expected}"
    );
    // Looked at just as often as it flickers, it only seems a little brighter or darker.
    let (_, stroboscopic) = spread("flicker = \"10 %\"\nflicker_rate = \"100 Hz\"\n", "100 Hz");
    assert!(stroboscopic < 1e-9, "{stroboscopic}");
}

#[test]
fn e56_a_worn_mat_reads_differently_from_place_to_place() {
    let along = |unevenness: &str| {
        let mut table = quiet().start(120.0, 500.0, 0.0);
        table.field = format!("{unevenness}{}", table.field);
        let run = table.run(&then_rest("drive ahead at 30 %", "travelled 1600 mm"));
        mean_and_spread(&readings(&run))
    };
    let (even, nothing) = along("");
    assert!(nothing < 1e-9, "{nothing}");
    // Some forty patches on the way: their deviation is met within a third.
    let (mean, spread) = along("unevenness = \"5 %\"\n");
    assert!((mean / even - 1.0).abs() < 0.03, "{mean} {even}");
    assert!((spread / even / 0.05 - 1.0).abs() < 0.35, "{spread}");
    // Standing it reads the same all the time.
    let mut table = quiet();
    table.field = format!("unevenness = \"5 %\"\n{}", table.field);
    assert!(mean_and_spread(&readings(&table.run(STAND))).1 < 1e-9);
}

#[test]
fn e57_a_rate_that_is_no_whole_number_of_milliseconds_just_works() {
    // In ten seconds there are rate x 10 readings, each at its time rounded up to a step.
    for hertz in [15.0f64, 30.0, 60.0, 90.0] {
        let table = Table::new()
            .wall("\"1000, 300 mm\", \"1000, 700 mm\"")
            .robot("rate = \"25 Hz\"", &format!("rate = \"{hertz} Hz\""))
            .robot("latency = \"20 ms\"", "latency = \"0 ms\"");
        let run = table.run("step \"stand\"\nhold, brake\nuntil 10 s pass -> done");
        let ranges: Vec<f64> = (0..run.trace.ticks.len())
            .map(|tick| run.trace.range(tick, RangerId(0)))
            .collect();
        // Two equal readings after each other are rare: 3 mm of noise in steps of 1 mm.
        let changes = ranges.windows(2).filter(|pair| pair[0] != pair[1]).count() as f64;
        assert!(
            (0.8..=1.0).contains(&(changes / (hertz * 10.0))),
            "{changes} at {hertz} Hz"
        );
    }
}

#[test]
fn e58_a_sensor_on_a_bracket_meets_a_line_before_the_bumper_does() {
    let fires_at = |place: &str| {
        let table = Table::new()
            .bar(900.0, 20.0)
            .robot("at = \"92, 32 mm\"", &format!("at = \"{place}\""));
        let run = table.run(&then_rest("drive ahead at 20 %", "floor-left sees dark"));
        run.trace.ticks[run.visits[0].left].pose.x
    };
    let (on_board, ahead) = (fires_at("92, 32 mm"), fires_at("180, 32 mm"));
    assert!(
        (on_board - ahead - 0.088).abs() < 0.003,
        "{on_board} {ahead}"
    );
}

#[test]
fn e59_settling_gives_the_heading_its_zero() {
    let off = |header: &str, gyro: &str| {
        let table = Table::new()
            .robot(
                "noise = \"0.4 deg/s\"",
                &format!("noise = \"0 deg/s\"\n{gyro}"),
            )
            .robot("drift = \"0.03 deg/s\"", "drift = \"0 deg/s\"");
        let spin = then_rest("spin left at 20 %", "heading reaches 90 deg");
        let run = table.run(&format!("{header}{spin}"));
        run.final_pose().heading.to_degrees()
    };
    // What it turns to without any error, overshoot and all.
    let good = off("", "");
    let unsettled = "settles = \"2 s\"\nunsettled = \"8 deg/s\"";
    let (at_once, settled) = (
        off("", unsettled) - good,
        off("settle 4 s\n", unsettled) - good,
    );
    assert!(
        at_once.abs() > 0.5 && settled.abs() < 0.1,
        "{at_once} {settled}"
    );
}
