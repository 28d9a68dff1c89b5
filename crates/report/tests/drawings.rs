//! Drawings of a short run: the same run gives the same bytes, in every format.

use std::sync::Arc;
use wayodos_core::ids::StepId;

use wayodos_core::lab::evidence::{StepEvidence, evidence};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Outcome, Run};
use wayodos_core::sim::run;
use wayodos_report::ink::Rgb;
use wayodos_report::{
    Chart, Flow, Item, Layer, MarkKind, Parts, Placement, Scene, Shape, Story, TrackKind,
    flow_pages, flow_scene, ground_items, path_items, prop_items, rasterise, sheet, to_pdf, to_png,
    to_svg,
};

const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");

const FIELD: &str = r##"
name = "Pier"
size = "500 x 300 mm"
ground = "pale"
[surface.pale]
colour = "#e9e3d2"
[surface.dark]
colour = "#22252a"
[surface.kiln-red]
colour = "#bf4a2d"
[[line]]
surface = "dark"
width = "20 mm"
points = ["300, 40 mm", "300, 260 mm"]
[[patch]]
surface = "kiln-red"
at = "420, 150 mm"
size = "60 x 60 mm"
[[wall]]
thickness = "10 mm"
points = ["20, 20 mm", "480, 20 mm"]
[start.here]
at = "120, 150 mm"
heading = "0 deg"
"##;

const MISSION: &str = r#"
mission "Short <and> \ sweet"
  limit 10 s

step "To the line"
  drive ahead at 30 %
  until floor-left sees dark  -> next
  or    travelled 300 mm      -> fail "no line"

step "Rest"
  hold, brake
  until 0.3 s pass  -> done
"#;

struct Played {
    setup: Setup,
    program: Arc<wayodos_core::controller::Program>,
    run: Run,
}

impl Played {
    fn new(mission: &str) -> Self {
        Self::on(FIELD, mission)
    }

    fn on(field: &str, mission: &str) -> Self {
        let (setup, _) = Setup::load(ROBOT, field, Some(CALIBRATION));
        let setup = setup.expect("robot and field are good");
        let prepared = prepare(mission, Some(&setup));
        let program = prepared
            .program
            .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
        let world = setup.world();
        let run = run(&world, &program, world.start(None, 1), 1, None).expect("not cancelled");
        Self {
            setup,
            program,
            run,
        }
    }

    fn story(&self) -> Story<'_> {
        Story {
            field: &self.setup.field,
            robot: &self.setup.robot,
            program: &self.program,
            run: &self.run,
        }
    }

    fn evidence(&self) -> Vec<StepEvidence> {
        evidence(&self.run, &self.program, &self.setup.robot)
    }

    fn page(&self, parts: Parts) -> Scene {
        sheet(self.story(), &self.evidence(), "Pier · Short", 1, parts)
    }
}

#[test]
fn the_page_as_svg() {
    let played = Played::new(MISSION);
    assert_eq!(played.run.outcome, Outcome::Done);
    let svg = to_svg(&played.page(Parts::All));
    assert_eq!(
        svg,
        to_svg(&Played::new(MISSION).page(Parts::All)),
        "the same run, the same bytes"
    );
    // Readings are hundreds of points; the rest is what a person would look at.
    let short: Vec<String> = svg
        .lines()
        .map(|line| line.chars().take(150).collect())
        .collect();
    insta::assert_snapshot!(short.join("\n"));
}

#[test]
fn words_of_users_cannot_break_a_drawing() {
    let played = Played::new(&MISSION.replace("To the line", "<b>&amp; 'x' \u{1f980}"));
    let svg = to_svg(&sheet(
        played.story(),
        &played.evidence(),
        "a < b & \"c\" \u{7}",
        1,
        Parts::All,
    ));
    assert!(svg.contains("a &lt; b &amp; ") && !svg.contains("<b>") && !svg.contains('\u{7}'));
    assert!(
        to_pdf(&sheet(
            played.story(),
            &played.evidence(),
            "a < b & \"c\" \u{7}",
            1,
            Parts::All
        ))
        .is_ok()
    );
}

#[test]
fn pdf_and_png_are_well_formed_and_repeatable() {
    let page = Played::new(MISSION).page(Parts::All);
    let pdf = to_pdf(&page).unwrap();
    let has = |what: &str| {
        pdf.windows(what.len())
            .filter(|part| *part == what.as_bytes())
            .count()
    };
    assert!(
        pdf.starts_with(b"%PDF-")
            && has("/Type/Page\n") + has("/Type /Page\n") + has("/Type/Page/") >= 1
    );
    assert!(has("/FontFile") >= 1, "fonts are embedded");
    assert_eq!(pdf, to_pdf(&page).unwrap());
    let png = to_png(&page, 2.0).unwrap();
    let number = |at: usize| u32::from_be_bytes(png[at..at + 4].try_into().unwrap());
    assert_eq!(
        (&png[1..4], number(16), number(20)),
        (b"PNG".as_slice(), 594, 420)
    );
    assert_eq!(png, to_png(&page, 2.0).unwrap());
}

#[test]
fn parts_hold_what_they_promise() {
    let played = Played::new(MISSION);
    let words = |parts| {
        let page = played.page(parts);
        let texts = page.items.iter().filter_map(|item| match &item.shape {
            Shape::Text { text, .. } => Some(text.clone()),
            _ => None,
        });
        texts.collect::<Vec<_>>().join("|")
    };
    let (field, chart) = (words(Parts::Field), words(Parts::Chart));
    assert!(
        field.contains("To the line")
            && field.contains("|200 mm|")
            && !field.contains("floor-left|"),
        "{field}"
    );
    assert!(
        chart.contains("floor-left|") && !chart.contains("|200 mm|") && chart.contains("done at"),
        "{chart}"
    );
}

#[test]
fn the_chart_knows_readings_limits_tones_and_events() {
    let played = Played::new(MISSION);
    let chart = Chart::of(played.story());
    let names: Vec<&str> = chart
        .tracks
        .iter()
        .map(|track| track.name.as_str())
        .collect();
    let usual = ["floor-left", "floor-right", "hue", "ahead", "wheel speed"];
    assert!(
        names.starts_with(&usual) && names.contains(&"position error"),
        "{names:?}"
    );
    assert!(
        chart
            .tracks
            .iter()
            .all(|track| track.usual == usual.contains(&track.name.as_str()))
    );
    let TrackKind::Line { values, limits, .. } = &chart.tracks[0].kind else {
        panic!("a line")
    };
    assert_eq!(values.len(), played.run.trace.ticks.len());
    // Between 2 % and 77 %, lost again a tenth of the gap further: the calibration of the demo.
    let [limit] = limits.as_slice() else {
        panic!("one limit: {limits:?}")
    };
    assert!(
        (limit.value - 39.5).abs() < 1e-9 && (limit.back - 47.0).abs() < 1e-9,
        "{limit:?}"
    );
    assert_eq!((limit.from, limit.to), (0.0, chart.bands[0].to));
    let TrackKind::Line { limits, .. } = &chart.tracks[1].kind else {
        panic!("a line")
    };
    assert_eq!(limits.as_slice(), [], "nobody looks at the right sensor");
    let TrackKind::Tones(ribbons) = &chart.tracks[2].kind else {
        panic!("a ribbon")
    };
    assert_eq!(ribbons[0].tone, "pale");
    assert!(
        ribbons
            .windows(2)
            .all(|pair| pair[0].to == pair[1].from && pair[0].tone != pair[1].tone)
    );
    let words: Vec<&str> = chart.marks.iter().map(|mark| mark.words.as_str()).collect();
    assert_eq!(words[..2], ["step 1 begins", "step 2 begins"]);
    assert!(
        words[2].starts_with("done at")
            && chart.marks.iter().all(|mark| mark.kind != MarkKind::Wrong)
    );
    assert_eq!(chart.band_at(0.05).unwrap().step, StepId(0));
}

#[test]
fn a_squaring_shows_what_each_sensor_is_compared_with() {
    let steps = "step \"Square up\"\n  align floor-left and floor-right to a dark line at 14 %\n  until 6 s pass  -> done\n";
    let played = Played::new(&format!("limit 10 s\n{steps}"));
    let chart = Chart::of(played.story());
    for name in ["floor-left", "floor-right"] {
        let track = chart
            .tracks
            .iter()
            .find(|track| track.name == name)
            .unwrap();
        let TrackKind::Line { limits, .. } = &track.kind else {
            panic!("{name} is a line")
        };
        assert!(
            limits
                .iter()
                .any(|limit| limit.from < 1.0 && limit.to > limit.from),
            "{name}: {limits:?}"
        );
    }
}

#[test]
fn the_field_in_pixels_is_the_field_in_the_file() {
    let played = Played::new(MISSION);
    let field = &played.setup.field;
    let place = Placement::within(field, 0.0, 0.0, 50.0, 30.0);
    let items = ground_items(field, &place);
    let raster = rasterise(
        items.iter(),
        [0.0, 0.0],
        [2.0, 2.0],
        (100, 60),
        Rgb(1, 2, 3),
    );
    // Two pixels a centimetre, rows from the top: the patch's middle, bare mat, the line, the wall.
    assert_eq!(raster.at(84, 30), Rgb(0xbf, 0x4a, 0x2d));
    assert_eq!(raster.at(20, 30), Rgb(0xe9, 0xe3, 0xd2));
    assert_eq!(raster.at(60, 30), Rgb(0x22, 0x25, 0x2a));
    assert_eq!(raster.at(50, 56), Rgb(92, 84, 74));
    let path = path_items(&played.run, &place, 0.5);
    let lines: Vec<&Item> = path
        .iter()
        .filter(|item| item.layer == Layer::Path)
        .collect();
    let Shape::Line(points) = &lines[0].shape else {
        panic!("a line")
    };
    assert_eq!(points[0], [12.0, 15.0], "it starts where the robot did");
}

#[test]
fn what_an_edit_changed_is_reported_in_one_line() {
    use wayodos_report::words::{change_words, outcome_words, rest_words};
    let good = Played::new(MISSION);
    let change = |old: &str, new: &str| {
        assert!(MISSION.contains(old));
        let after = Played::new(&MISSION.replace(old, new));
        change_words(good.story(), after.story())
    };
    let faster = change("at 30 %", "at 45 %");
    assert!(
        faster.starts_with("about 0.")
            && faster.contains(" faster; step 1 \"To the line\" ends 0."),
        "{faster}"
    );
    let slower = change("until 0.3 s pass", "until 0.9 s pass");
    assert_eq!(
        slower,
        "about 0.6 s slower; step 2 \"Rest\" ends 0.6 s later"
    );
    let lost = change("travelled 300 mm", "travelled 30 mm");
    assert!(
        lost.starts_with("now failed at 0.")
            && lost.contains(": no line in step 1 \"To the line\""),
        "{lost}"
    );
    assert_eq!(
        change("limit 10 s", "limit 11 s"),
        "no change in the result"
    );
    let inserted = change(
        "step \"Rest\"",
        "step \"Wait\"\n  hold, brake\n  until 0.5 s pass\n\nstep \"Rest\"",
    );
    assert_eq!(
        inserted, "about 0.5 s slower; step 3 \"Rest\" ends 0.5 s later",
        "a step is known by its name"
    );
    let renamed = change(
        "step \"Rest\"\n  hold, brake\n  until 0.3",
        "step \"Nap\"\n  hold, brake\n  until 0.9",
    );
    assert_eq!(
        renamed,
        "about 0.6 s slower; step 2 \"Nap\" ends 0.6 s later"
    );
    let bad = Played::new(&MISSION.replace("travelled 300 mm", "travelled 30 mm"));
    let fixed = change_words(bad.story(), good.story());
    assert!(fixed.starts_with("now it is done"), "{fixed}");
    assert!(outcome_words(&good.run, &good.program).ends_with("s of 10 s"));
    assert!(
        rest_words(&good.run).starts_with("at rest at 2"),
        "{}",
        rest_words(&good.run)
    );
}

#[test]
fn a_drop_is_drawn_as_an_edge() {
    let field = FIELD.replace(
        "[start.here]",
        "[[platform]]\nsurface = \"pale\"\nat = \"100, 200 mm\"\ndiameter = \"120 mm\"\n[start.here]",
    );
    let edges = |text: &str| {
        let (field, findings) = wayodos_core::field::load(text);
        assert_eq!(findings, []);
        let items = ground_items(&field, &Placement::life_size(&field));
        items
            .iter()
            .filter(|item| {
                item.fill.is_none() && item.stroke.is_some_and(|stroke| stroke.width == 6.0)
            })
            .count()
    };
    assert_eq!(edges(FIELD), 0);
    assert_eq!(edges(&field), 1);
    assert_eq!(
        edges(&field.replace("ground =", "edge = \"drop\"\nground =")),
        2
    );
}

#[test]
fn distances_and_edges_have_their_place_in_the_chart() {
    let mission = "limit 9 s\nstep \"near\"\ndrive ahead at 30 %\nuntil ahead < 130 mm\nor 3 s pass\nstep \"rest\"\nhold\nuntil 0.3 s pass -> done";
    let field = FIELD.replace(
        "points = [\"20, 20 mm\", \"480, 20 mm\"]",
        "points = [\"480, 20 mm\", \"480, 280 mm\"]",
    );
    let played = Played::on(&field, mission);
    let chart = Chart::of(played.story());
    let track = chart
        .tracks
        .iter()
        .find(|track| track.name == "ahead")
        .unwrap();
    let TrackKind::Line {
        values,
        high,
        limits,
        ..
    } = &track.kind
    else {
        panic!("a line")
    };
    assert_eq!((track.unit, *high), ("mm", 1200.0));
    let [limit] = limits.as_slice() else {
        panic!("{limits:?}")
    };
    assert_eq!(
        (limit.value, limit.back, limit.from, limit.to),
        (130.0, 130.0, 0.0, chart.bands[0].to)
    );
    // The start is 120 mm from the left, the sensor 104 mm ahead of it, the wall's face at 475 mm.
    assert!((values[10] - 251.0).abs() < 12.0, "{}", values[10]);
    assert!(values.last().is_some_and(|value| *value < 132.0));
    let table_field = FIELD.replace("ground =", "edge = \"drop\"\nground =");
    let table = Played::on(
        &table_field,
        "limit 9 s\nstep \"off\"\ndrive ahead at 60 %\nuntil 3 s pass -> done",
    );
    assert_eq!(
        (table.run.outcome, table.run.reason.as_str()),
        (Outcome::Fell, "fell off the table")
    );
    let marks = Chart::of(table.story()).marks;
    let wrong: Vec<&str> = marks
        .iter()
        .filter(|mark| mark.kind == MarkKind::Wrong)
        .map(|mark| mark.words.as_str())
        .collect();
    assert!(
        wrong.len() == 1 && wrong[0].starts_with("fell off the table at"),
        "{wrong:?}"
    );
    // Slowly backwards over the edge it is left hanging by its wheels.
    let hanging = Played::on(
        &table_field,
        "limit 9 s\nstep \"off\"\ndrive back at 30 %\nuntil 3 s pass -> done",
    );
    let marks = Chart::of(hanging.story()).marks;
    assert!(
        marks
            .iter()
            .any(|mark| mark.kind == MarkKind::Wrong && mark.words == "a wheel hangs over the edge"),
        "{marks:?}"
    );
}

/// A field with a basket in the way, a zone, tape, a gull that comes, and points for all of it.
const PLAY: &str = r#"
[[line]]
name = "sea wall"
surface = "kiln-red"
width = "10 mm"
keep_off = true
points = ["210, 40 mm", "210, 260 mm"]
[[object]]
name = "basket"
surface = "kiln-red"
at = "262, 150 mm"
diameter = "40 mm"
mass = "60 g"
[[obstacle]]
name = "gull"
surface = "dark"
at = "60, 250 mm"
size = "30 x 30 mm"
comes = "0.4 s"
[[zone]]
name = "dock"
at = "420, 150 mm"
size = "120 x 120 mm"
[[score]]
for = "tape touched"
points = -3
[[score]]
for = "object in zone"
zone = "dock"
points = 7
"#;

#[test]
fn things_that_move_are_drawn_where_they_are_and_what_happened_is_reported() {
    let mission = MISSION.replace("floor-left sees dark", "travelled 120 mm");
    let (setup, findings) = Setup::load(ROBOT, &format!("{FIELD}{PLAY}"), None);
    let setup = setup.unwrap_or_else(|| panic!("{findings:#?}"));
    let prepared = prepare(&mission, Some(&setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
    let world = setup.world();
    let run = run(&world, &program, world.start(None, 1), 1, None).unwrap();
    let story = Story {
        field: &setup.field,
        robot: &setup.robot,
        program: &program,
        run: &run,
    };
    let place = Placement::life_size(&setup.field);
    let discs = |tick: usize| -> Vec<[f64; 2]> {
        let items = prop_items(&setup.field, &run.trace, tick, &place);
        items
            .iter()
            .filter_map(|item| {
                if let Shape::Disc { at, .. } = item.shape {
                    Some(at)
                } else {
                    None
                }
            })
            .collect()
    };
    let (first, last) = (discs(0), discs(run.trace.ticks.len() - 1));
    assert_eq!(first, [[262.0, 150.0]]);
    assert!(last[0][0] > 340.0, "the robot pushed it: {last:?}");
    let count = |tick: usize| prop_items(&setup.field, &run.trace, tick, &place).len();
    assert_eq!(
        (count(0), count(run.trace.ticks.len() - 1)),
        (1, 2),
        "the gull came later"
    );
    let words_seen: Vec<String> = Chart::of(story)
        .marks
        .iter()
        .map(|mark| mark.words.clone())
        .collect();
    for words in [
        "gull comes",
        "sea wall is touched",
        "the robot pushes basket 112 mm from 131, 150 mm, for 1.2 s",
    ] {
        assert!(
            words_seen.iter().any(|word| word == words),
            "no `{words}` in {words_seen:?}"
        );
    }
    let svg = to_svg(&sheet(
        story,
        &evidence(story.run, story.program, story.robot),
        "Play",
        1,
        Parts::All,
    ));
    for words in [
        ">gull<",
        ">basket<",
        ">dock<",
        ">points<",
        "tape touched at",
    ] {
        assert!(svg.contains(words), "no `{words}`");
    }
    assert_eq!(
        run.sheet.total(),
        Some(if last[0][0] >= 360.0 { 4.0 } else { -3.0 })
    );
    assert!(
        svg.contains("stroke-dasharray"),
        "zone, tape and the way of the basket are dashed"
    );
}

/// A mission with something of everything that a chart must show.
const MANY: &str = "mission \"Many ways\"\n  limit 60 s\n\nlet creep = 16 %\n\nreflex \"Rim\"\n  when any of floor-left, floor-right > 84 %\n  do back-off (far = 80 mm)\n  then restart\n\n\
    step \"Look\"\n  seek with ahead within 400 mm, spinning left at creep up to 360 deg, moving 100 mm, 3 tries\n  until found  -> next\n  or    given up  -> fail \"nothing there\"\n\n\
    step \"Three times\"\n  repeat 3 times\n    step \"Between\"\n      keep between dark lines with floor-left and floor-right at creep\n      until hue sees kiln-red as red or 5 s pass  -> again\n  end\n\n\
    step \"Which\"\n  choose\n    when ended by red  -> \"Look\"\n    otherwise  -> done\n\n\
    routine back-off (far = 50 mm)\n  step \"Back\"\n    drive back at creep\n    until travelled far\nend\n";

#[test]
fn a_mission_is_read_back_in_words_and_arrows() {
    let parsed = wayodos_core::mission::parse(MANY);
    assert_eq!(parsed.findings, []);
    let flow = Flow::of(MANY, &parsed, None, None);
    insta::assert_snapshot!("many-ways", flow.lines().join("\n"));
    let scene = flow_scene(&flow);
    let inside =
        |[x, y]: &[f64; 2]| (0.0..=scene.width).contains(x) && (0.0..=scene.height).contains(y);
    for item in &scene.items {
        let all = match &item.shape {
            Shape::Polygon(points) | Shape::Line(points) => points.iter().all(inside),
            Shape::Disc { at, .. } | Shape::Text { at, .. } => inside(at),
        };
        assert!(all, "{item:?}");
    }
    // Every arrow to a box is drawn, and words for all others.
    let arrows = flow
        .boxes
        .iter()
        .map(|one| {
            let to = one.arrows.iter().filter(|arrow| arrow.way.to().is_some());
            to.count() + usize::from(one.calls.is_some())
        })
        .sum::<usize>();
    let drawn = scene
        .items
        .iter()
        .filter(|item| item.layer == Layer::Path)
        .count();
    assert_eq!(arrows, drawn);
    assert!(to_pdf(&scene).is_ok() && to_svg(&scene).contains("nothing there"));
}

/// The words of a page.
fn words_on(page: &Scene) -> Vec<&str> {
    let words = page.items.iter().filter_map(|item| match &item.shape {
        Shape::Text { text, .. } => Some(text.as_str()),
        Shape::Polygon(_) | Shape::Line(_) | Shape::Disc { .. } => None,
    });
    words.collect()
}

#[test]
fn a_long_chart_is_told_over_pages_that_name_each_other() {
    let step = |nth: usize| {
        format!(
            "step \"Number {nth}\"\n  # Noted at {nth}.\n  hold\n  until {nth} s pass\n  or floor-left sees dark -> \"Number 1\"\n\n"
        )
    };
    let text = format!(
        "# Above all.\nmission \"Long\"\n  limit 99 s\n  begin on go\n\n{}",
        (1..=20).map(step).collect::<String>()
    );
    let parsed = wayodos_core::mission::parse(&text);
    assert_eq!(parsed.findings, []);
    let flow = Flow::of(&text, &parsed, None, None);
    let pages = flow_pages(&flow);
    assert!(pages.len() >= 2, "{}", pages.len());
    let sizes: Vec<[f64; 2]> = pages.iter().map(|page| [page.width, page.height]).collect();
    assert!(
        sizes.iter().all(|size| *size == [210.0, 297.0]),
        "{sizes:?}"
    );
    let all: Vec<Vec<&str>> = pages.iter().map(words_on).collect();
    for nth in 1..=20 {
        let named = format!("{nth}  Number {nth}");
        let on = all
            .iter()
            .filter(|words| words.contains(&named.as_str()))
            .count();
        assert_eq!(on, 1, "`{named}` is on one page");
        let noted = format!("Noted at {nth}.");
        let page = all
            .iter()
            .find(|words| words.contains(&named.as_str()))
            .unwrap();
        assert!(page.contains(&noted.as_str()), "{noted}");
    }
    assert!(all[0].contains(&"Above all.") && all[0].contains(&"Waits until go is pressed."));
    // What leads to another page says to which.
    assert!(all[1].contains(&"1 Number 1, page 1"), "{:?}", all[1]);
    assert!(!all[0].contains(&"1 Number 1, page 1"));
    let pdf = wayodos_report::pages_to_pdf(&pages).unwrap();
    let text = String::from_utf8_lossy(&pdf);
    assert_eq!(
        text.matches("/Type/Page\n").count()
            + text.matches("/Type /Page\n").count()
            + text.matches("/Type/Page/").count()
            + text.matches("/Type /Page /").count(),
        pages.len()
    );
}

#[test]
fn what_lies_beside_the_field_is_not_drawn_over_the_list() {
    // It drives off the mat, to the right, where the list of the steps stands.
    let played =
        Played::new("limit 9 s\nstep \"off\"\ndrive ahead at 60 %\nuntil 6 s pass -> done\n");
    let end = played.run.final_pose();
    assert!(
        end.x > played.setup.field.width + 0.2,
        "it left the mat: {}",
        end.x
    );
    let page = played.page(Parts::All);
    let list = page.items.iter().find_map(|item| match &item.shape {
        Shape::Text { at, text, .. } if text == "off" => Some(at[0]),
        Shape::Text { .. } | Shape::Polygon(_) | Shape::Line(_) | Shape::Disc { .. } => None,
    });
    let list = list.expect("the step is in the list");
    for item in page
        .items
        .iter()
        .filter(|item| matches!(item.layer, Layer::Path | Layer::Ghost | Layer::Robot))
    {
        let points: &[[f64; 2]] = match &item.shape {
            Shape::Polygon(points) | Shape::Line(points) => points,
            Shape::Disc { at, .. } | Shape::Text { at, .. } => std::slice::from_ref(at),
        };
        // The chart below has its own lines.
        for at in points.iter().filter(|at| at[1] < 136.0) {
            assert!(at[0] < list, "{item:?}");
        }
    }
}

#[test]
fn a_mission_in_words_has_the_numbers_of_the_run() {
    let gates = include_str!("../../../examples/brinewick/shared/gates.way");
    for name in [
        "morning-round",
        "round-the-gates",
        "which-way",
        "four-ways-along",
    ] {
        let path = format!(
            "{}/../../examples/brinewick/missions/{name}.way",
            env!("CARGO_MANIFEST_DIR")
        );
        let text = std::fs::read_to_string(path).unwrap();
        let (setup, _) = wayodos_core::project::Setup::load(
            include_str!("../../../examples/brinewick/robots/curlew.toml"),
            include_str!("../../../examples/brinewick/fields/causeway.toml"),
            None,
        );
        let mut setup = setup.unwrap();
        setup.shared = vec![("shared/gates.way".to_owned(), gates.to_owned())];
        let prepared = wayodos_core::project::prepare(&text, Some(&setup));
        let Some(program) = prepared.program else {
            continue;
        };
        let flow = Flow::of(&text, &prepared.parsed, Some(&program), Some(&setup.field));
        for one in flow.boxes.iter().filter(|one| one.number.is_some()) {
            let number = one.number.unwrap();
            assert_eq!(program.steps[number - 1].name, one.name, "{name}");
        }
    }
}

#[test]
fn wheels_that_turn_where_nothing_moves_are_seen_in_the_chart() {
    let wall = "\n[[wall]]\nthickness = \"20 mm\"\npoints = [\"350, 40 mm\", \"350, 260 mm\"]\n";
    let push = |duty: u32| {
        format!("limit 9 s\nstep \"push\"\ndrive ahead at {duty} %\nuntil 3 s pass -> done")
    };
    let tracks = |field: &str, duty: u32| {
        let played = Played::on(field, &push(duty));
        let chart = Chart::of(played.story());
        let of = |name: &str| {
            let track = chart
                .tracks
                .iter()
                .find(|track| track.name == name)
                .unwrap();
            let TrackKind::Line {
                values, low, high, ..
            } = &track.kind
            else {
                panic!("a line")
            };
            (track.usual, values[250], (*low, *high))
        };
        (of("wheel speed"), of("ground speed"))
    };
    let (wheels, ground) = tracks(&format!("{FIELD}{wall}"), 90);
    assert!(wheels.0 && ground.0 && wheels.2 == ground.2);
    assert!(
        wheels.1 > 50.0 && ground.1.abs() < 10.0,
        "{wheels:?} {ground:?}"
    );
    // On a free way they are the same, and one of them is enough.
    let (wheels, ground) = tracks(FIELD, 30);
    assert!(
        wheels.0 && !ground.0 && (wheels.1 - ground.1).abs() < 3.0,
        "{wheels:?} {ground:?}"
    );
}
