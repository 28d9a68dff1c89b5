//! What each behaviour comes to on the simulated robot, against what geometry says.

use std::sync::Arc;

use wayodos_core::controller::{Controller, Event};
use wayodos_core::project::prepare;
use wayodos_core::record::{Outcome, Run};
use wayodos_core::units::math;

use super::bench::Bench;

/// A pale mat of 2000 x 1500 mm with what is added to it; the robot stands at 300, 700 mm and looks
/// along +x.
fn mat(more: &str) -> Bench {
    let field = format!(
        "name = \"Mat\"\nsize = \"2000 x 1500 mm\"\nground = \"pale\"\n\n[surface.pale]\ncolour = \"#e9e3d2\"\n\n[surface.dark]\n\
         colour = \"#22252a\"\n\n[surface.boards]\ncolour = \"#c8d4d4\"\n\n[start.here]\nat = \"300, 700 mm\"\nheading = \"0 deg\"\n\n{more}"
    );
    Bench::on(&field, "here")
}

fn line(name: &str, width: u32, from: (i32, i32), to: (i32, i32)) -> String {
    format!(
        "[[line]]\nname = \"{name}\"\nsurface = \"dark\"\nwidth = \"{width} mm\"\npoints = [\"{}, {} mm\", \"{}, {} mm\"]\n\n",
        from.0, from.1, to.0, to.1
    )
}

fn wall(name: &str, from: (i32, i32), to: (i32, i32)) -> String {
    line(name, 20, from, to)
        .replace("[[line]]", "[[wall]]")
        .replace("surface = \"dark\"\nwidth", "thickness")
}

/// Degrees that the robot looks away from +x at the end.
fn heading(run: &Run) -> f64 {
    run.final_pose().heading.to_degrees()
}

fn exit(run: &Run, visit: usize) -> Option<usize> {
    run.visits[visit].exit
}

#[test]
fn aligning_squares_up_from_a_crooked_start() {
    // Met at 12 deg: drive an arc first, so that one sensor comes first.
    let bar = line("bar", 20, (700, 400), (700, 1000));
    let crooked = |align: &str| {
        mat(&bar).run(&format!(
            "step \"a\"\nspin left at 20 %\nuntil turned 12 deg\nstep \"near\"\ndrive ahead at 24 %\nuntil travelled 180 mm\nstep \"b\"\n{align}\nuntil finished -> next\nor 8 s pass -> fail \"no line\""
        ))
    };
    let once = crooked("align floor-left and floor-right to a dark line at 18 %");
    assert_eq!(once.outcome, Outcome::Done);
    // The sensor that comes first is 27 mm beside its wheel, about which the robot then turns, the
    // other one 91 mm; both 92 mm ahead. Both are on the bar when 92 cos a - 91 sin a is what 92
    // cos 12 - 27 sin 12 was.
    let at = |side: f64, angle: f64| {
        92.0 * math::cos(angle.to_radians()) - side * math::sin(angle.to_radians())
    };
    let ideal = (0..1200)
        .map(|nth| f64::from(nth) / 100.0)
        .find(|angle| at(91.0, *angle) <= at(27.0, 12.0))
        .unwrap();
    assert!(
        (heading(&once) - ideal).abs() < 1.5,
        "from 12 deg to {:.1}, not {ideal:.1}",
        heading(&once)
    );
    let twice = crooked("align floor-left and floor-right to a dark line at 18 %, again at 13 %");
    assert!(
        heading(&twice).abs() < heading(&once).abs() / 1.5,
        "{:.1} after {:.1}",
        heading(&twice),
        heading(&once)
    );
    // A lead-in is driven without looking: here over the bar, which is then not there any more.
    let past = crooked("align floor-left and floor-right to a dark line at 18 %, lead-in 200 mm");
    assert_eq!(past.outcome, Outcome::Failed);
}

#[test]
fn shifting_moves_sideways_and_looks_where_it_looked() {
    // 60 mm to the right of the sensor that looks for it.
    let bar = line("bar", 20, (300, 598), (1500, 598));
    let shift = |more: &str| {
        mat(more).run("step \"a\"\nshift right to a dark line with floor-right at 18 %\nuntil finished -> done\nor 9 s pass -> fail \"no line\"")
    };
    let run = shift(&bar);
    assert_eq!(run.outcome, Outcome::Done);
    assert!(heading(&run).abs() < 2.5, "{:.1} deg", heading(&run));
    let over = (run.trace.ticks[0].pose.y - run.final_pose().y) * 1e3;
    // Both wheels turn the robot by the same angle a about the other one: t sin a ahead and t (1 -
    // cos a) over.
    let ahead = (run.final_pose().x - run.trace.ticks[0].pose.x) * 1e3;
    let angle = math::atan2(ahead, (118.0f64 * 118.0 - ahead * ahead).sqrt());
    assert!(
        (over - 118.0 * (1.0 - math::cos(angle))).abs() < 6.0,
        "{over:.0} mm over, {ahead:.0} mm ahead"
    );
    assert!(over > 8.0);
    assert_eq!(shift("").outcome, Outcome::Failed, "nothing to meet");
}

#[test]
fn seeking_finds_what_is_within_reach_and_gives_up_otherwise() {
    let seek = "step \"a\"\nseek with ahead within 400 mm, spinning left at 22 % up to 370 deg, moving 100 mm, 2 tries, closing in to 120 mm\n\
                until found -> done\nor given up -> fail \"nothing\"";
    let found = mat(&wall("post", (290, 1000), (310, 1000))).run(seek);
    assert_eq!(found.outcome, Outcome::Done);
    let pose = found.final_pose();
    let gap = math::length(pose.x - 0.3, pose.y - 0.99) * 1e3;
    assert!(gap < 260.0, "it has come up to the post: {gap:.0} mm");
    let nothing = mat("").run(seek);
    assert_eq!(nothing.outcome, Outcome::Failed);
    let moved = math::length(nothing.final_pose().x - 0.3, nothing.final_pose().y - 0.7) * 1e3;
    assert!(
        moved > 120.0 && moved < 260.0,
        "twice 100 mm on, in whatever direction: {moved:.0}"
    );
}

#[test]
fn shoving_ends_at_the_rim_and_stays_on() {
    let platform = "[[platform]]\nname = \"floor\"\nsurface = \"dark\"\nat = \"500, 700 mm\"\nsize = \"800 x 600 mm\"\n\n[[patch]]\nname = \"deck\"\nsurface = \"boards\"\nat = \"500, 700 mm\"\nsize = \"700 x 500 mm\"\n\n";
    let run = mat(platform)
        .run("step \"a\"\nshove at 40 % to dark with floor-left and floor-right, back 50 mm");
    assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
    let nose = run.final_pose().x * 1e3 + 112.0;
    assert!(
        (770.0..850.0).contains(&nose),
        "back from the rim at 850 mm: {nose:.0}"
    );
}

#[test]
fn waiting_until_the_way_is_clear_leaves_early_or_gives_up() {
    let heron = |leaves: &str| {
        format!(
            "[surface.grey]\ncolour = \"#7b8a96\"\n\n[[obstacle]]\nname = \"heron\"\nsurface = \"grey\"\nat = \"600, 700 mm\"\ndiameter = \"90 mm\"\n{leaves}\n"
        )
    };
    let wait = "step \"a\"\nawait clear with ahead beyond 400 mm, 3 tries of 1 s\nuntil clear -> done\nor given up -> fail \"it stays\"";
    let leaves = mat(&heron("leaves = \"1.5 s\"\n")).run(wait);
    assert_eq!(leaves.outcome, Outcome::Done);
    assert!(
        (1.65..2.0).contains(&leaves.duration()),
        "clear for 0.2 s: {}",
        leaves.duration()
    );
    let stays = mat(&heron("")).run(wait);
    assert_eq!((stays.outcome, stays.duration()), (Outcome::Failed, 3.0));
}

#[test]
fn probing_finds_the_longer_way_and_comes_back() {
    let fence = wall("fence", (200, 1050), (500, 1050));
    let probe = |how: &str| {
        format!(
            "step \"a\"\nprobe 90 deg to each side at 22 %, {how}, tie left\nuntil left is further -> fail \"left\"\nor right is further -> done"
        )
    };
    let back = |run: &Run| {
        let pose = run.final_pose();
        math::length(pose.x - 0.3, pose.y - 0.7) * 1e3
    };
    let looks = mat(&fence).run(&probe("with ahead"));
    assert_eq!(looks.outcome, Outcome::Done, "{}", looks.reason);
    assert!(
        back(&looks) < 15.0 && heading(&looks).abs() < 4.0,
        "{:.0} mm, {:.1} deg",
        back(&looks),
        heading(&looks)
    );
    let drives = mat(&fence).run(&probe("up to 300 mm or ahead < 150 mm"));
    assert_eq!(drives.outcome, Outcome::Done, "{}", drives.reason);
    assert!(
        back(&drives) < 40.0 && heading(&drives).abs() < 6.0,
        "{:.0} mm, {:.1} deg",
        back(&drives),
        heading(&drives)
    );
    assert_eq!(
        mat("").run(&probe("up to 100 mm")).reason,
        "left",
        "as far on both sides"
    );
}

#[test]
fn keeping_between_two_lines_does_not_cross_either() {
    let lane =
        line("north", 20, (200, 790), (1800, 850)) + &line("south", 20, (200, 610), (1800, 670));
    let keep = |gain: &str| {
        format!(
            "step \"a\"\nkeep between dark lines with floor-left and floor-right at 24 %, gain {gain}, both stop\nuntil travelled 1000 mm"
        )
    };
    let kept = mat(&lane).run(&keep("0.9"));
    let off = |run: &Run| {
        run.trace.ticks[..run.ended]
            .iter()
            .map(|tick| (tick.pose.y - 0.7 - (tick.pose.x - 0.2) * 0.0375).abs())
            .fold(0.0, f64::max)
    };
    assert!(off(&kept) < 0.075, "within the lane: {:.3}", off(&kept));
    let straight = mat(&lane).run(&keep("0"));
    assert!(
        off(&straight) > off(&kept),
        "without steering it runs into a side: {:.3}",
        off(&straight)
    );
}

#[test]
fn every_way_of_following_keeps_to_a_bend() {
    let bend = |width: u32| {
        format!(
            "[[line]]\nname = \"way\"\nsurface = \"dark\"\nwidth = \"{width} mm\"\nfrom = \"250, {} mm\"\nheading = \"0 deg\"\nlegs = [\"ahead 500 mm\", \"bend left 90 deg radius 350 mm\", \"ahead 200 mm\"]\n\n",
            if width > 50 { 700 } else { 668 }
        )
    };
    let narrow = |width: u32, follow: &str| {
        let run = mat(&bend(width)).run(&format!("step \"a\"\n{follow}\nuntil turned 85 deg -> done\nor 24 s pass -> fail \"slow\"\nor the line is lost for 800 ms -> fail \"lost\""));
        assert_eq!(
            (run.outcome, run.reason.as_str()),
            (Outcome::Done, ""),
            "{follow}"
        );
        run
    };
    for follow in [
        "gain 0.8",
        "gain 0.8, integral 0.4, derivative 0.03",
        "gain 0.7, if lost search",
    ] {
        narrow(
            20,
            &format!("follow the left edge of a dark line with floor-right at 24 %, {follow}"),
        );
    }
    narrow(
        20,
        "follow the left edge of a dark line with floor-right at 26 % and 9 %",
    );
    narrow(
        20,
        "follow the right edge of a dark line with floor-right at 22 %, gain 0.8",
    );
    narrow(
        84,
        "follow a dark line under floor-left and floor-right at 24 %, gain 0.6",
    );
    narrow(
        84,
        "follow a dark line under floor-left and floor-right at 24 % and 9 %",
    );
    let between = bend(20).replace("668", "700");
    for law in ["gain 0.8", "and"] {
        let law = if law == "and" {
            " and 8 %".to_owned()
        } else {
            format!(", {law}")
        };
        let run = mat(&between).run(&format!("step \"a\"\nfollow a dark line between floor-left and floor-right at 22 %{law}\nuntil turned 80 deg -> done\nor 18 s pass -> fail \"slow\""));
        assert_eq!(run.outcome, Outcome::Done, "{law}");
    }
}

#[test]
fn a_line_that_ends_is_answered_as_was_said() {
    let short = line("way", 20, (250, 668), (800, 668));
    let follow = |lost: &str| {
        mat(&short).run(&format!(
            "step \"a\"\nfollow the left edge of a dark line with floor-right at 24 %, gain 0.6{lost}\nuntil 6 s pass"
        ))
    };
    let furthest = |run: &Run| {
        run.trace.ticks[..run.ended]
            .iter()
            .map(|tick| tick.pose.x)
            .fold(0.0, f64::max)
    };
    let stops = follow(", if lost stop");
    let end = &stops.trace.ticks[stops.ended];
    assert!(
        end.rims[0].abs() < 0.01 && (end.pose.x - 0.71).abs() < 0.08,
        "it stands where the line ends: {}",
        end.pose.x
    );
    let back = follow(", if lost back");
    assert!(
        back.trace
            .ticks
            .iter()
            .any(|tick| tick.rims[0] < -0.02 && tick.rims[1] < -0.02),
        "it goes back"
    );
    let search = follow(", if lost search");
    assert!(
        search
            .trace
            .ticks
            .iter()
            .any(|tick| tick.rims[0] > 0.02 && tick.rims[1] < -0.02),
        "it turns to the right"
    );
    let steers = follow("");
    assert!(furthest(&steers) >= furthest(&stops) - 0.01);
}

#[test]
fn a_routine_mirrored_is_the_mirror_image() {
    let mission = |mirrored: &str| {
        format!(
            "step \"a\"\ndo swerve {mirrored}\nroutine swerve\nstep \"t\"\npivot left on the left wheel at 24 %\nuntil turned 40 deg\nor floor-left sees dark -> out\nstep \"go\"\ndrive ahead on a left arc of 400 mm at 24 %\nuntil travelled 200 mm\nend"
        )
    };
    // The same motors on both sides, or one would not be the image of the other.
    let even = mat("")
        .robot("no_load_speed = \"158 rpm\"", "no_load_speed = \"160 rpm\"")
        .robot(
            "stall_torque = \"0.158 N m\"",
            "stall_torque = \"0.16 N m\"",
        );
    let (left, right) = (even.run(&mission("")), even.run(&mission("mirrored")));
    let (a, b) = (left.final_pose(), right.final_pose());
    assert!(
        (a.x - b.x).abs() < 0.004 && (a.y + b.y - 1.4).abs() < 0.004,
        "{a:?} {b:?}"
    );
    assert!((a.heading + b.heading).abs() < 0.03);
    // Mirrored, the other sensor looks.
    let dark = line("stripe", 60, (300, 640), (700, 640));
    assert_eq!(exit(&mat(&dark).run(&mission("mirrored")), 0), Some(1));
    assert_eq!(exit(&mat(&dark).run(&mission("")), 0), Some(0));
}

#[test]
fn routines_of_other_files_are_used_and_their_mistakes_told() {
    let shared = |text: &str| mat("").shared("shared/ways.way", text);
    let good = "let far = 80 mm\nroutine there (speed = 24 %)\nstep \"go\"\ndrive ahead at speed\nuntil travelled far\nend\n";
    let mission = "use \"shared/ways.way\"\nstep \"a\"\ndo there (speed = 30 %)";
    let run = shared(good).run(mission);
    assert!(
        (run.final_pose().x - 0.38).abs() < 0.02,
        "{}",
        run.final_pose().x
    );
    let first_message = |bench: &Bench, text: &str| {
        bench
            .findings(text)
            .into_iter()
            .find(|finding| finding.code.starts_with("M13"))
            .map(|finding| finding.message)
    };
    let broken = shared(&good.replace("travelled far", "travelled fra"));
    assert_eq!(
        first_message(&broken, mission).as_deref(),
        Some("`shared/ways.way`, line 5: there is no `fra`")
    );
    assert_eq!(
        first_message(&shared(good), &mission.replace("ways.way", "wasy.way")).as_deref(),
        Some("there is no file `shared/wasy.way`")
    );
    // Each calls the next twice: a thousand million steps.
    let call = |nth: usize| {
        format!(
            "routine r{nth}\nstep \"a\"\ndo r{0}\nstep \"b\"\ndo r{0}\nend",
            nth + 1
        )
    };
    let many = (0..30).map(call).collect::<Vec<_>>().join("\n");
    let many = format!(
        "step \"a\"\ndo r0\n{many}\nroutine r30\nstep \"a\"\nhold, brake\nuntil 1 s passes\nend\n"
    );
    assert_eq!(
        first_message(&mat(""), &many).as_deref(),
        Some("more than 20000 steps once routines are put in the place of their calls")
    );
}

#[test]
fn what_only_a_call_brings_to_light_is_reported_too() {
    let first_message = |text: &str| {
        let found = mat("")
            .shared(
                "shared/look.way",
                "routine look\nstep \"l\"\ndrive ahead at 20 %\nuntil hue sees dark\nend\n",
            )
            .findings(text);
        found
            .into_iter()
            .find(|finding| finding.code == "M133")
            .map(|finding| finding.message)
    };
    let mirrored = first_message("use \"shared/look.way\"\nstep \"a\"\ndo look mirrored").unwrap();
    assert!(
        mirrored.contains("`hue` has no sensor opposite"),
        "{mirrored}"
    );
    let measured = "step \"m\"\nmeasure floor-left as x\nstep \"a\"\ndo go (speed = x)\nroutine go (speed = 20 %)\nstep \"g\"\ndrive ahead on a left arc of 200 mm at speed\nuntil 1 s passes\nend";
    assert!(
        first_message(measured)
            .unwrap()
            .contains("something measured for a speed")
    );
}

#[test]
fn a_recorded_trace_makes_a_fresh_controller_decide_the_same() {
    let examples = [
        include_str!("../../../../examples/brinewick/missions/morning-round.way"),
        include_str!("../../../../examples/brinewick/missions/which-way.way"),
        super::TAKES_ON_ITS_OWN,
    ];
    for text in examples {
        let setup = Bench::default().setup();
        let program = prepare(text, Some(&setup)).program.unwrap();
        let world = setup.world();
        let start = world.start(
            wayodos_core::mission::parse(text)
                .mission
                .start
                .as_ref()
                .map(|start| start.node.as_str()),
            7,
        );
        let run = wayodos_core::sim::run(&world, &program, start, 7, None).unwrap();
        let mut controller = Controller::new(Arc::clone(&program));
        let mut replayed: Vec<(u32, Event)> = Vec::new();
        let mut events = Vec::new();
        for tick in 0..=run.ended {
            events.clear();
            let (command, _) = controller.tick(&run.trace.knew(tick), &mut events);
            assert_eq!(command, run.trace.ticks[tick].command, "at tick {tick}");
            replayed.extend(events.iter().map(|event| (tick as u32, *event)));
        }
        let recorded: Vec<(u32, Event)> = run
            .trace
            .events
            .iter()
            .map(|stamp| (stamp.tick, stamp.event))
            .collect();
        assert_eq!(replayed, recorded);
        assert!(replayed.len() > 8, "there was something to decide");
    }
}
