//! The last resort of a mission in runs: what is told of them is where they failed, not where they
//! ended.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use wayodos_core::lab::evidence::evidence;
use wayodos_core::lab::hindsight::hindsight;
use wayodos_core::lab::spread::{death, failing};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::Outcome;
use wayodos_core::sim::run;

const HOME: &str = "step \"home\"\ndrive back at 26 %\nuntil travelled 60 mm -> done\n";

#[test]
fn a_run_fails_where_it_failed_however_the_last_resort_ends() {
    let (setup, _) = Setup::load(
        include_str!("../../../examples/brinewick/robots/curlew.toml"),
        include_str!("../../../examples/brinewick/fields/causeway.toml"),
        Some(include_str!("../../../examples/brinewick/calibration.toml")),
    );
    let setup = setup.unwrap();
    let drive = "drive ahead at 26 %";
    // (what fails, whether an exit led to it)
    for (steps, by_exit) in [
        (
            format!("step \"go\"\n{drive}\nuntil travelled 90 mm -> fail \"no\"\n{HOME}"),
            true,
        ),
        (
            format!(
                "step \"r\"\nrepeat forever\nstep \"go\"\n{drive}\nuntil travelled 90 mm -> fail \"no\"\nend\n{HOME}"
            ),
            true,
        ),
        (
            format!(
                "step \"go\"\n{drive}\nuntil travelled 90 mm\nstep \"c\"\nchoose\nwhen ahead < 1 mm -> done\notherwise -> fail \"no\"\n{HOME}"
            ),
            false,
        ),
        (
            format!(
                "reflex \"x\"\nwhen clock reaches 0.6 s\nhold\nuntil 0.1 s pass\nthen -> fail \"no\"\nstep \"go\"\n{drive}\nuntil 5 s pass -> done\n{HOME}"
            ),
            false,
        ),
        // It fails again on its way home: the first reason stays.
        (
            format!(
                "step \"go\"\n{drive}\nuntil travelled 90 mm -> fail \"no\"\n{}",
                HOME.replace("done", "fail \"not home\"")
            ),
            true,
        ),
    ] {
        let text = format!("limit 9 s\nstart slipway\nlast resort \"home\"\n{steps}");
        let prepared = prepare(&text, Some(&setup));
        let program = prepared
            .program
            .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
        let world = setup.world();
        let run = run(&world, &program, world.start(Some("slipway"), 1), 1, None).unwrap();
        assert_eq!(
            (run.outcome, run.reason.as_str()),
            (Outcome::Failed, "no"),
            "{text}"
        );
        // It has driven home.
        let home = run
            .visits
            .iter()
            .find(|visit| program.steps[visit.step].name == "home");
        let home = home.unwrap_or_else(|| panic!("{text}"));
        assert!(run.ended > home.entered + 20, "{text}");
        let (tick, step, exit) = failing(&run, &program).unwrap();
        assert_eq!((tick, exit.is_some()), (home.entered, by_exit), "{text}");
        assert_ne!(program.steps[step].name, "home", "{text}");
        assert_eq!(death(&run, &program).unwrap().step, step);
        let told = evidence(&run, &program, &setup.robot);
        let found = hindsight(&text, &prepared.parsed, &program, &setup.field, &run, &told);
        let fails = found.iter().find(|finding| finding.code == "K69").unwrap();
        assert!(
            fails.message.contains("goes on to the last resort: no"),
            "{}",
            fails.message
        );
    }
}

#[test]
fn a_last_resort_that_is_wrong_is_said() {
    // (header, codes of what is found)
    let of = |header: &str, steps: &str| -> Vec<String> {
        let text = format!("limit 9 s\nstart slipway\n{header}\n{steps}");
        let (setup, _) = Setup::load(
            include_str!("../../../examples/brinewick/robots/curlew.toml"),
            include_str!("../../../examples/brinewick/fields/causeway.toml"),
            None,
        );
        let found = prepare(&text, setup.as_ref()).findings;
        (found.iter().filter(|finding| finding.code.starts_with('M')))
            .map(|finding| finding.code.to_owned())
            .collect()
    };
    let go = |last: &str| format!("step \"go\"\nhold\nuntil 1 s passes -> {last}\n{HOME}");
    let none: [&str; 0] = [];
    assert_eq!(of("last resort \"home\"", &go("fail \"no\"")), none);
    assert_eq!(of("last resort \"home\"", &go("done")), ["M138"]);
    assert_eq!(of("last resort \"hone\"", &go("fail \"no\"")), ["M104"]);
    assert_eq!(
        of(
            "last resort \"home\"\nlast resort \"go\"",
            &go("fail \"no\"")
        ),
        ["M007"]
    );
    assert_eq!(of("last \"home\"", &go("fail \"no\""))[0], "M003");
    let within =
        "step \"r\"\nrepeat 2 times\nstep \"in\"\nhold\nuntil 1 s passes -> fail \"no\"\nend";
    assert_eq!(of("last resort \"in\"", within), ["M104"]);
}
