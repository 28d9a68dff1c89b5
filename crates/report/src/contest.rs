//! Pages about one against the other: two versions on the same luck, and a league. Readable without
//! colours: one version is drawn in full lines, the other in dashes.

use std::sync::Arc;

use wayodos_core::field::Field;
use wayodos_core::lab::compare::Compared;
use wayodos_core::lab::league::{Rating, Tally};
use wayodos_core::lab::spread::Brief;

use crate::field::{Placement, ground_items};
use crate::flow::wrap;
use crate::ink::{self, Rgb};
use crate::many::{HEIGHT, LETTERS, LIST, MARGIN, WIDTH, page, way};
use crate::scene::{Anchor, Item, Layer, Scene, Shape, Stroke};

/// The page about two versions: the paths of both, and beside them who holds where the other does not.
///
/// - `names`: what the versions are called
/// - `briefs`: their runs, in the order of their numbers
pub fn compare_sheet(
    field: &Field,
    title: &str,
    about: &str,
    names: [&str; 2],
    briefs: [&[Arc<Brief>]; 2],
    compared: &Compared,
) -> Scene {
    let mut scene = page(title, about);
    let top = MARGIN + 14.0;
    let (wide, tall) = (WIDTH - 3.0 * MARGIN - LIST, HEIGHT - MARGIN - top);
    let place = Placement::within(field, MARGIN, top, wide, tall);
    scene.items.extend(ground_items(field, &place));
    let strokes = [
        Stroke {
            ink: ink::WRONG,
            width: 0.18,
            dash: 1.4,
        },
        // Neither as dark as a dark ground nor as pale as a pale one.
        Stroke::full(Rgb(20, 130, 205), 0.16),
    ];
    for (some, stroke) in briefs.into_iter().zip(strokes) {
        let paths = some.iter().filter(|brief| !brief.path.is_empty());
        scene
            .items
            .extend(paths.map(|brief| Item::drawn(Layer::Path, way(brief, 0, &place), stroke)));
    }
    let (x, mut y) = (WIDTH - MARGIN - LIST, top + 4.0);
    let mut line = |words: &str, size: f64, bold: bool| {
        // Bold letters are wider.
        let wide = if bold { 1.15 } else { 1.0 };
        let letters = (LETTERS as f64 * 3.2 / size / wide) as usize;
        for part in wrap(words, letters) {
            let item = Item::words([x, y], size, Anchor::Start, ink::TEXT, part);
            scene.items.push(if bold { item.bold() } else { item });
            y += size + 1.4;
        }
        if words.is_empty() {
            y += 3.0;
        }
    };
    let held = compared.held();
    for (at, (letter, lines)) in [("A", "dashed"), ("B", "full lines")]
        .into_iter()
        .enumerate()
    {
        line(&format!("{letter}  {}", names[at]), 4.0, true);
        let (share, sure) = (held[at].words(), held[at].interval_words());
        line(&format!("held {share} ({sure}); {lines}"), 3.2, false);
        line("", 3.2, false);
    }
    let only = |runs: &[u32]| {
        let all: Vec<String> = runs.iter().take(12).map(u32::to_string).collect();
        let more = if runs.len() > 12 { ", ..." } else { "" };
        if all.is_empty() {
            String::new()
        } else {
            format!(": run {}{more}", all.join(", "))
        }
    };
    line(&format!("both held: {}", compared.both), 3.2, false);
    for (letter, runs) in [("A", &compared.only_first), ("B", &compared.only_second)] {
        let words = format!("only {letter} held: {}{}", runs.len(), only(runs));
        line(&words, 3.2, false);
    }
    line(&format!("neither held: {}", compared.neither), 3.2, false);
    line("", 3.2, false);
    line(&format!("B against A: {}", compared.words()), 3.6, true);
    if let Some(slower) = compared.slower {
        let way = if slower > 0.0 { "slower" } else { "faster" };
        let words = format!("where both held, B is {:.1} s {way}", slower.abs());
        line(&words, 3.2, false);
    }
    if let Some(at) = compared.parted {
        line(&format!("their paths part at {at:.1} s"), 3.2, false);
    }
    scene
}

/// The page about a league: how strong each is, with where the truth lies, and what it won, drew and
/// lost.
///
/// - `teams`: the strongest first
pub fn league_sheet(title: &str, about: &str, teams: &[(&str, Tally, Rating)]) -> Scene {
    let mut scene = page(title, about);
    let (left, right) = (MARGIN + 62.0, WIDTH - MARGIN - 46.0);
    let top = MARGIN + 30.0;
    let tall = (12.0_f64).min((HEIGHT - MARGIN - 22.0 - top) / teams.len().max(1) as f64);
    let x = |share: f64| left + share * (right - left);
    let bottom = top + tall * teams.len() as f64;
    for percent in [0, 25, 50, 75, 100] {
        let at = x(f64::from(percent) / 100.0);
        let width = if percent == 50 { 0.3 } else { 0.15 };
        let line = Shape::Line(vec![[at, top - 3.0], [at, bottom]]);
        scene.items.push(Item::drawn(
            Layer::Ground,
            line,
            Stroke::full(ink::HAIR, width),
        ));
        let words = format!("{percent} %");
        scene.items.push(Item::words(
            [at, top - 5.0],
            3.2,
            Anchor::Middle,
            ink::QUIET,
            words,
        ));
    }
    let heading = [right + 10.0, top - 5.0];
    let words = "won - drawn - lost";
    scene
        .items
        .push(Item::words(heading, 3.2, Anchor::Start, ink::QUIET, words));
    for (nth, (name, tally, rating)) in teams.iter().enumerate() {
        let y = top + tall * (nth as f64 + 0.5);
        let size = 3.8_f64.min(tall * 0.6);
        let at = [left - 4.0, y + size * 0.35];
        scene
            .items
            .push(Item::words(at, size, Anchor::End, ink::TEXT, *name).bold());
        let line = Shape::Line(vec![[x(rating.low), y], [x(rating.high), y]]);
        scene.items.push(Item::drawn(
            Layer::Path,
            line,
            Stroke::full(ink::TEXT, 0.35),
        ));
        let disc = Shape::Disc {
            at: [x(rating.chance), y],
            radius: 1.3_f64.min(tall * 0.3),
        };
        scene
            .items
            .push(Item::filled(Layer::Event, disc, ink::TEXT));
        let words = format!("{} - {} - {}", tally.won, tally.drawn, tally.lost);
        let at = [right + 10.0, y + size * 0.35];
        scene
            .items
            .push(Item::words(at, size, Anchor::Start, ink::TEXT, words));
    }
    let words = "how often it beats an average one of this league; the lines: where the truth lies, 95 % sure";
    let at = [left, bottom + 8.0];
    scene
        .items
        .push(Item::words(at, 3.2, Anchor::Start, ink::QUIET, words));
    scene
}

#[cfg(test)]
mod tests {
    use wayodos_core::lab::compare::compare;
    use wayodos_core::lab::league::ratings;

    use super::*;
    use crate::many::tests::brief;
    use crate::svg::to_svg;

    #[test]
    fn the_page_of_two_versions_tells_them_apart_without_colour() {
        let field = Field {
            width: 2.0,
            height: 1.0,
            ..Field::default()
        };
        let first = [brief(1, false), brief(2, true)];
        let second = [brief(1, false), brief(2, false)];
        let compared = compare(&first, &second);
        let names = ["before", "after"];
        let page = compare_sheet(&field, "T", "about", names, [&first, &second], &compared);
        let dashes: Vec<bool> = page
            .items
            .iter()
            .filter(|item| item.layer == Layer::Path)
            .filter_map(|item| item.stroke.map(|stroke| stroke.dash > 0.0))
            .collect();
        assert_eq!(dashes, [true, true, false, false]);
        let svg = to_svg(&page);
        for words in [
            "held 1 of 2",
            "held 2 of 2",
            "only B held: 1: run 2",
            "no clear difference",
        ] {
            assert!(svg.contains(words), "{words}");
        }
        let none = compare(&[], &[]);
        to_svg(&compare_sheet(&field, "T", "", names, [&[], &[]], &none));
    }

    #[test]
    fn the_page_of_a_league_has_a_line_for_each_as_wide_as_it_is_unsure() {
        let tally = |won, lost| Tally {
            won,
            drawn: 0,
            lost,
        };
        let none = Tally::default();
        let tallies = [vec![none, tally(30, 10)], vec![tally(10, 30), none]];
        let rated = ratings(&tallies);
        let teams = [
            ("Curlew", tallies[0][1], rated[0]),
            ("Dunlin", tallies[1][0], rated[1]),
        ];
        let page = league_sheet("T", "about", &teams);
        let widths: Vec<f64> = page
            .items
            .iter()
            .filter(|item| item.layer == Layer::Path)
            .filter_map(|item| match &item.shape {
                Shape::Line(points) => Some(points[1][0] - points[0][0]),
                _ => None,
            })
            .collect();
        let wide = (WIDTH - MARGIN - 46.0) - (MARGIN + 62.0);
        assert!(
            (widths[0] - wide * (rated[0].high - rated[0].low)).abs() < 1e-9,
            "{widths:?}"
        );
        let svg = to_svg(&page);
        assert!(svg.contains("30 - 0 - 10") && svg.contains("Dunlin"));
        to_svg(&league_sheet("T", "", &[]));
    }
}
