//! What a robot came up against: where, for how long, and whether it gave way.

use crate::field::Point;
use crate::record::{Happened, Happening, PropKind, Trace};

/// What is touched again within so many seconds was not let go.
const LULL: f64 = 0.3;
/// What has moved by less than this, metres, stayed where it was.
const STAYED: f64 = 0.005;

/// A time during which a robot was in touch with something.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Meeting {
    /// Where the middle of its axle was when that began.
    pub at: Point,
    /// For how many seconds; a moment when less than a control tick.
    pub seconds: f64,
    /// How far, in metres, a thing was pushed meanwhile; none for what does not give way.
    pub pushed: Option<f64>,
}

/// What came of a touch that is written down as happened; none when it is something else.
///
/// A trace says of each tick whether a wall or something else was touched, and not what: while two
/// things are in touch, both are told to last.
pub fn meeting(trace: &Trace, happened: Happened) -> Option<Meeting> {
    let Happening::Touched(what) = happened.what else {
        return None;
    };
    let from = happened.tick as usize;
    let pose = trace.ticks.get(from)?.pose;
    let lull = (LULL * 1e3 / f64::from(trace.period_ms.max(1))) as usize;
    // Once it is touched anew, that is told by itself.
    let again = trace
        .happened
        .iter()
        .find(|other| other.tick > happened.tick && other.what == happened.what);
    let end = again.map_or(trace.ticks.len(), |other| other.tick as usize);
    let mut last = from;
    for (tick, now) in trace.ticks.iter().enumerate().take(end).skip(from) {
        let touches = if what.is_some() { now.met } else { now.touched };
        if touches {
            last = tick;
        } else if tick - last > lull {
            break;
        }
    }
    let pushed = what
        .filter(|prop| {
            trace
                .props
                .get(*prop)
                .is_some_and(|prop| prop.kind == PropKind::Object)
        })
        .and_then(|prop| {
            let (a, b) = (trace.place(from, prop)?, trace.place(last, prop)?);
            Some(Point::new(a.x, a.y).distance(Point::new(b.x, b.y)))
        })
        .filter(|way| *way >= STAYED);
    Some(Meeting {
        at: Point::new(pose.x, pose.y),
        seconds: trace.seconds(last) - trace.seconds(from),
        pushed,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::project::{Setup, prepare};
    use crate::record::Run;
    use crate::sim::run;

    fn on(field: &str, mission: &str) -> Run {
        let (setup, findings) = Setup::load(
            include_str!("../../../../examples/brinewick/robots/curlew.toml"),
            field,
            None,
        );
        let setup = setup.unwrap_or_else(|| panic!("{findings:#?}"));
        let program = prepare(mission, Some(&setup)).program.unwrap();
        let world = setup.world();
        run(&world, &program, world.start(None, 1), 1, None).unwrap()
    }

    fn touches(run: &Run) -> impl Iterator<Item = (Happening, Meeting)> {
        let met = |happened: &Happened| Some((happened.what, meeting(&run.trace, *happened)?));
        run.trace.happened.iter().filter_map(met)
    }

    const PUSH: &str = "limit 9 s\nstep \"push\"\ndrive ahead at 30 %\nuntil 4 s pass\nstep \"off\"\ndrive back at 30 %\nuntil travelled 100 mm\nstep \"z\"\nhold\nuntil 1 s passes -> done";

    fn field(what: &str) -> String {
        format!(
            "name = \"Yard\"\nsize = \"1600 x 600 mm\"\nground = \"plain\"\n[surface.plain]\ncolour = \"#e9e3d2\"\n{what}[start.west]\nat = \"200, 300 mm\"\nheading = \"0 deg\"\n"
        )
    }

    #[test]
    fn a_wall_is_run_into_for_as_long_as_it_is_pushed() {
        let wall = "[[wall]]\nthickness = \"20 mm\"\npoints = [\"600, 0 mm\", \"600, 600 mm\"]\n";
        let run = on(&field(wall), PUSH);
        let (what, met) = touches(&run).next().expect("it runs into the wall");
        assert_eq!((what, met.pushed), (Happening::Touched(None), None));
        // From the touch until it backs off at 4 s.
        let began = run.trace.happened[0].tick as usize;
        let lasts = 4.0 - run.trace.seconds(began);
        assert!(
            lasts > 0.5 && (met.seconds - lasts).abs() < 0.15,
            "{met:?}, {lasts}"
        );
        let pose = run.trace.ticks[began].pose;
        assert_eq!([met.at.x, met.at.y], [pose.x, pose.y]);
    }

    #[test]
    fn a_thing_that_gives_way_is_pushed_as_far_as_it_moved() {
        let basket = "[[object]]\nname = \"basket\"\nsurface = \"plain\"\nat = \"600, 300 mm\"\ndiameter = \"110 mm\"\nmass = \"150 g\"\nfriction = 0.35\n";
        let run = on(&field(basket), PUSH);
        let (_, met) = touches(&run).next().expect("it meets the basket");
        let last = run.trace.ticks.len() - 1;
        let (a, b) = (
            run.trace.place(0, 0).unwrap(),
            run.trace.place(last, 0).unwrap(),
        );
        let moved = Point::new(a.x, a.y).distance(Point::new(b.x, b.y));
        let pushed = met.pushed.expect("it moved");
        assert!(
            moved > 0.1 && (moved - pushed).abs() < 0.02,
            "{moved} {pushed}"
        );
    }
}
