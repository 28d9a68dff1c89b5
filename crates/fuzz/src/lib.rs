//! Every reader of Wayodos, as one function from any bytes: it must come back, with what was read
//! or with findings.
//!
//! A reader panics here when it breaks a promise, so that a search (`cargo xtask fuzz`) and the
//! short test below find it.

use std::sync::{Arc, OnceLock};

use wayodos_core::controller::Program;
use wayodos_core::field::{Unreadable, load_with};
use wayodos_core::finding::{Finding, has_errors};
use wayodos_core::mission::{format, parse};
use wayodos_core::project::{Config, Setup, hands, prepare};
use wayodos_core::record::{Intervention, Run};
use wayodos_core::sim::{self, Play};

/// A reader, and files to begin with.
pub struct Reader {
    /// What it reads.
    pub name: &'static str,
    /// Reads any bytes; returns whether they can be used. Panics when a promise is broken.
    pub read: fn(&[u8]) -> bool,
    /// Good files, of which damaged ones are made.
    pub seeds: fn() -> Vec<Vec<u8>>,
}

/// Every reader.
pub const READERS: &[Reader] = &[
    Reader {
        name: "mission",
        read: mission,
        seeds: missions,
    },
    Reader {
        name: "robot",
        read: robot,
        seeds: || bytes(&[ROBOT, CART, DUNLIN]),
    },
    Reader {
        name: "field",
        read: field,
        seeds: || bytes(&[FIELD, RING, DYKES, HERONS]),
    },
    Reader {
        name: "calibration",
        read: calibration,
        seeds: || bytes(&[CALIBRATION]),
    },
    Reader {
        name: "project",
        read: project,
        seeds: || bytes(&[PROJECT]),
    },
    Reader {
        name: "hands",
        read: by_hand,
        seeds: || bytes(&[HANDS]),
    },
    Reader {
        name: "drawing",
        read: drawing,
        seeds: || bytes(&[DRAWING]),
    },
    Reader {
        name: "picture",
        read: picture,
        seeds: || vec![PICTURE.to_vec()],
    },
    Reader {
        name: "record",
        read: record,
        seeds: || vec![recorded().into_bytes()],
    },
];

macro_rules! demo {
    ($path:literal) => {
        include_str!(concat!("../../../examples/brinewick/", $path))
    };
}

const ROBOT: &str = demo!("robots/curlew.toml");
const CART: &str = demo!("robots/barge-cart.toml");
const DUNLIN: &str = demo!("robots/dunlin.toml");
const FIELD: &str = demo!("fields/causeway.toml");
const RING: &str = demo!("fields/ring.toml");
const DYKES: &str = demo!("fields/dykes.toml");
const HERONS: &str = demo!("fields/herons.toml");
const CALIBRATION: &str = demo!("calibration.toml");
const PROJECT: &str = demo!("wayodos.toml");
const DRAWING: &str = demo!("fields/dykes.svg");
const HANDS: &str = r#"
[[hand]]
at = "20 ms"
carry = "320, 178 mm"
heading = "30 deg"

[[hand]]
at = "40 ms"
lay = "kiln-red"
width = "20 mm"
points = ["300, 300 mm", "500, 300 mm"]

[[hand]]
at = "60 ms"
place = "box"
to = "400, 178 mm"
"#;
/// Two by two pixels, each of another colour.
const PICTURE: &[u8] = &[
    137, 80, 78, 71, 13, 10, 26, 10, 0, 0, 0, 13, 73, 72, 68, 82, 0, 0, 0, 2, 0, 0, 0, 2, 8, 2, 0,
    0, 0, 253, 212, 154, 115, 0, 0, 0, 18, 73, 68, 65, 84, 120, 218, 99, 248, 207, 0, 4, 255, 65,
    232, 255, 255, 255, 0, 31, 238, 5, 251, 151, 174, 28, 81, 0, 0, 0, 0, 73, 69, 78, 68, 174, 66,
    96, 130,
];
/// Runs of damaged files last no longer, in ticks of the controller: what breaks a run breaks it
/// early.
const SHORT: u32 = 50;

fn bytes(texts: &[&str]) -> Vec<Vec<u8>> {
    texts.iter().map(|text| text.as_bytes().to_vec()).collect()
}

fn missions() -> Vec<Vec<u8>> {
    // The examples of the language's own page show every sentence there is.
    let page = include_str!("../../../docs/language.md");
    let examples = page
        .split("```way\n")
        .skip(1)
        .filter_map(|block| Some(block.split("```").next()?.as_bytes().to_vec()));
    let demo = bytes(&[
        demo!("missions/morning-round.way"),
        demo!("missions/ring-contest.way"),
        demo!("missions/round-the-gates.way"),
        demo!("missions/which-way.way"),
        demo!("shared/gates.way"),
    ]);
    examples.chain(demo).collect()
}

/// The demo's robot on the demo's field.
fn demo() -> &'static Setup {
    static SETUP: OnceLock<Setup> = OnceLock::new();
    SETUP.get_or_init(|| {
        let (setup, findings) = Setup::load(ROBOT, FIELD, Some(CALIBRATION));
        let mut setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
        setup.shared = vec![(
            "shared/gates.way".to_owned(),
            demo!("shared/gates.way").to_owned(),
        )];
        setup
    })
}

/// What was found points into the text.
fn point_into(text: &str, findings: &[Finding]) {
    for finding in findings {
        let span = &finding.span;
        assert!(
            text.get(span.clone()).is_some(),
            "{} points to {span:?} of {} bytes",
            finding.code,
            text.len()
        );
    }
}

/// A short run of a mission, if there is a setup and a program; otherwise somebody must have said
/// why.
fn drive(setup: Option<&Setup>, findings: &[Finding], text: &str) -> bool {
    let Some(setup) = setup else {
        assert!(has_errors(findings), "refused without saying why");
        return false;
    };
    let prepared = prepare(text, Some(setup));
    let Some(program) = prepared.program else {
        assert!(
            has_errors(&prepared.findings),
            "no program, and nobody says why"
        );
        return false;
    };
    shortly(setup, &program, SHORT, &[]);
    true
}

/// A run of this many ticks, in which something is done by hand.
fn shortly(setup: &Setup, program: &Program, ticks: u32, interventions: &[Intervention]) -> Run {
    let program = Program {
        limit_ticks: program.limit_ticks.min(ticks),
        ..program.clone()
    };
    let world = setup.world();
    let play = Play {
        start: world.start(None, 1),
        meant: None,
        seed: 1,
        interventions,
        piece: None,
    };
    let run = sim::play(&world, &Arc::new(program), play, None).expect("nobody cancels it");
    let pose = run.final_pose();
    assert!(
        pose.x.is_finite() && pose.y.is_finite() && pose.heading.is_finite(),
        "the robot is at {pose:?}"
    );
    run
}

/// The program of a mission that drives straight ahead.
fn straight() -> &'static Program {
    static PROGRAM: OnceLock<Program> = OnceLock::new();
    PROGRAM.get_or_init(|| (*prepare(STRAIGHT, Some(demo())).program.expect("it runs")).clone())
}

const STRAIGHT: &str = "limit 1 s\nstep \"a\"\n  drive ahead at 40 %\n  until 1 s passes -> done\n";

fn mission(bytes: &[u8]) -> bool {
    let text = String::from_utf8_lossy(bytes);
    let parsed = parse(&text);
    for slot in &parsed.slots {
        assert!(
            text.get(slot.span.clone()).is_some(),
            "a slot at {:?}",
            slot.span
        );
    }
    let laid = format(&text);
    assert_eq!(format(&laid), laid, "what is laid out stays as it is");
    drive(Some(demo()), &[], &text)
}

fn robot(bytes: &[u8]) -> bool {
    let text = String::from_utf8_lossy(bytes);
    let (setup, findings) = Setup::load(&text, FIELD, None);
    drive(setup.as_ref(), &findings, STRAIGHT)
}

fn field(bytes: &[u8]) -> bool {
    let text = String::from_utf8_lossy(bytes);
    let files = |path: &str| match path.rsplit('.').next() {
        Some("svg") => Ok(DRAWING.as_bytes().to_vec()),
        Some("png") => Ok(PICTURE.to_vec()),
        Some("toml") => Ok(DUNLIN.as_bytes().to_vec()),
        Some("way") => Ok(STRAIGHT.as_bytes().to_vec()),
        _ => Err(Unreadable::Missing),
    };
    let (_, found) = load_with(&text, &files);
    point_into(&text, &found);
    let (setup, findings) = Setup::load_with(ROBOT, &text, None, &files);
    drive(setup.as_ref(), &findings, STRAIGHT)
}

fn calibration(bytes: &[u8]) -> bool {
    let text = String::from_utf8_lossy(bytes);
    let (setup, findings) = Setup::load(ROBOT, FIELD, Some(&text));
    drive(
        setup.as_ref(),
        &findings,
        "limit 1 s\nstep \"a\"\n  drive ahead at 40 %\n  until floor-left sees dark -> done\n",
    )
}

fn project(bytes: &[u8]) -> bool {
    let text = String::from_utf8_lossy(bytes);
    let (config, findings) = Config::load(&text);
    point_into(&text, &findings);
    assert!(
        config.is_some() || has_errors(&findings),
        "refused without saying why"
    );
    config.is_some()
}

fn by_hand(bytes: &[u8]) -> bool {
    let text = String::from_utf8_lossy(bytes);
    let setup = demo().with_box();
    let (done, findings) = hands::load(&text, &setup);
    point_into(&text, &findings);
    shortly(&setup, straight(), SHORT, &done);
    !has_errors(&findings)
}

/// A field with one picture, whose file is these bytes.
fn as_mat(file: &str, bytes: &[u8]) -> bool {
    let text = format!("{FIELD}\n[[picture]]\nfile = \"{file}\"\nsize = \"300 x 300 mm\"\n");
    let (setup, findings) = Setup::load_with(ROBOT, &text, None, &|_| Ok(bytes.to_vec()));
    drive(setup.as_ref(), &findings, STRAIGHT)
}

fn drawing(bytes: &[u8]) -> bool {
    as_mat("a.svg", bytes)
}

fn picture(bytes: &[u8]) -> bool {
    as_mat("a.png", bytes)
}

fn recorded() -> String {
    serde_json::to_string(&shortly(demo(), straight(), 5, &[])).expect("a record can be stored")
}

/// A record that can be read is stored and read again as the same one.
fn record(bytes: &[u8]) -> bool {
    let Ok(run) = serde_json::from_slice::<Run>(bytes) else {
        return false;
    };
    let stored = serde_json::to_string(&run).expect("a record can be stored");
    let again: Run = serde_json::from_str(&stored).expect("what was stored can be read");
    assert_eq!(again.fingerprint(), run.fingerprint());
    true
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// One damage: what is done, where, how much, and a byte for it.
    type Damage = (u8, prop::sample::Index, usize, u8);

    fn damaged(mut bytes: Vec<u8>, damages: &[Damage]) -> Vec<u8> {
        for &(what, at, many, byte) in damages {
            let at = at.index(bytes.len() + 1);
            let end = (at + many).min(bytes.len());
            match what {
                0 => bytes.truncate(at),
                1 => drop(bytes.drain(at..end)),
                2 => bytes.insert(at, byte),
                3 => bytes[at..end].fill(byte),
                4 => bytes.splice(at..at, bytes[at..end].to_vec()).for_each(drop),
                _ => bytes[at..end].reverse(),
            }
        }
        bytes
    }

    #[test]
    fn the_seeds_are_good() {
        for reader in READERS {
            let seeds = (reader.seeds)();
            let good = seeds.iter().filter(|seed| (reader.read)(seed)).count();
            // Some sentences of the language's page are for another robot.
            let all = if reader.name == "mission" {
                seeds.len() / 2
            } else {
                seeds.len()
            };
            assert!(
                good >= all.max(1),
                "{}: {good} of {}",
                reader.name,
                seeds.len()
            );
        }
    }

    proptest! {
        #[test]
        fn a_damaged_file_is_read_or_refused(
            which in any::<prop::sample::Index>(),
            of in any::<prop::sample::Index>(),
            damages in prop::collection::vec((0..6u8, any::<prop::sample::Index>(), 0..30usize, any::<u8>()), 1..6),
        ) {
            let reader = which.get(READERS);
            let seeds = (reader.seeds)();
            (reader.read)(&damaged(of.get(&seeds).clone(), &damages));
        }
    }
}
