//! Records that are stored and read back, and fingerprints that notice every part of them.

use super::*;
use crate::project::{Setup, prepare};
use crate::sim::run;

fn recorded() -> Run {
    let (setup, findings) = Setup::load_with(
        include_str!("../../../../examples/brinewick/robots/curlew.toml"),
        include_str!("../../../../examples/brinewick/fields/herons.toml"),
        None,
        &|_| Err(crate::field::Unreadable::Missing),
    );
    let setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
    let text =
        "limit 20 s\nstep \"a\"\ndrive ahead at 20 %\nuntil 1 s passes\nor floor-left sees dark\n";
    let program = prepare(text, Some(&setup)).program.unwrap();
    let world = setup.world();
    let mut run = run(&world, &program, world.start(None, 1), 1, None).unwrap();
    run.interventions.push(Intervention {
        at_ms: 20,
        act: Act::Remove {
            thing: "box".into(),
        },
    });
    run
}

#[test]
fn a_record_is_stored_and_read_back_the_same() {
    let run = recorded();
    assert!(
        run.trace.props.len() > 1,
        "something that is not always there"
    );
    let stored = serde_json::to_string(&run).unwrap();
    let back: Run = serde_json::from_str(&stored).unwrap();
    assert_eq!(back.fingerprint(), run.fingerprint());
    assert_eq!(
        (back.version, back.visits, back.legs),
        (VERSION, run.visits, run.legs)
    );
}

#[test]
fn the_fingerprint_covers_every_part() {
    let run = recorded();
    let whole = run.fingerprint();
    let changed = |what: &str, change: &mut dyn FnMut(&mut Run)| {
        let mut other = run.clone();
        change(&mut other);
        assert_ne!(other.fingerprint(), whole, "{what}");
    };
    changed("pose", &mut |run| run.trace.ticks[3].pose.x += 1e-12);
    changed("battery", &mut |run| run.trace.ticks[3].battery += 1e-9);
    changed("gyro", &mut |run| run.trace.ticks[3].gyro = 0.25);
    changed("flag", &mut |run| run.trace.ticks[3].met ^= true);
    changed("command", &mut |run| {
        run.trace.ticks[3].command.left = crate::controller::WheelCommand::Coast;
    });
    changed("reading", &mut |run| run.trace.readings[7].rgb[2] += 1e-9);
    changed("range", &mut |run| run.trace.ranges[4] += 1e-9);
    changed("place", &mut |run| run.trace.places[2].heading += 1e-9);
    changed("thing", &mut |run| run.trace.props[0].name.push('x'));
    changed("event", &mut |run| {
        run.trace.events.pop();
    });
    changed("happening", &mut |run| {
        run.trace.happened.push(Happened {
            tick: 1,
            what: Happening::Fell,
        });
    });
    changed("outcome", &mut |run| run.outcome = Outcome::Limit);
    changed("reason", &mut |run| run.reason.push('x'));
    changed("end", &mut |run| run.ended -= 1);
    changed("verdict", &mut |run| {
        run.sheet.verdict = Some((Verdict::Won, 3));
    });
    changed("hand", &mut |run| run.interventions[0].at_ms += 1);
}
