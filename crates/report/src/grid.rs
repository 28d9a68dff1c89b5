//! The page about two numbers at once. Readable without colours: the fewer runs held, the darker the
//! cell, and the rectangle that holds has a thick frame.

use wayodos_core::lab::grid::{Grid, Pair};
use wayodos_core::lab::sweep::Point;

use crate::ink::{self, Rgb};
use crate::many::{HEIGHT, MARGIN, WIDTH, page};
use crate::scene::{Anchor, Item, Layer, Scene, Shape, Stroke, rectangle};

/// The darkest cell: none of its runs held.
const NONE: Rgb = Rgb(90, 96, 102);

/// The page about all pairs of values of two numbers.
///
/// - `said`: what the two numbers are called, and the verdict
/// - `points`: row by row, the first number's values in each row
/// - `columns`: how many values the first number has
pub fn grid_sheet(
    title: &str,
    about: &str,
    (names, verdict): (&[&str; 2], &str),
    points: &[Point<Pair>],
    columns: usize,
) -> Scene {
    let mut scene = page(title, about);
    if points.is_empty() {
        return scene;
    }
    let grid = Grid::new(points, columns);
    let (left, right) = (MARGIN + 34.0, WIDTH - MARGIN - 4.0);
    let (top, bottom) = (MARGIN + 26.0, HEIGHT - MARGIN - 20.0);
    let wide = (right - left) / columns as f64;
    let tall = (bottom - top) / grid.rows() as f64;
    let corner = |column: usize, row: usize| {
        let (x, y) = (left + wide * column as f64, bottom - tall * row as f64);
        [x, y]
    };
    let mut words = |at: [f64; 2], size: f64, anchor: Anchor, text: String| {
        let item = Item::words(at, size, anchor, ink::TEXT, text);
        scene.items.push(item);
    };
    words([left, top - 6.0], 4.6, Anchor::Start, verdict.to_owned());
    for (column, point) in points[..columns].iter().enumerate() {
        let at = [corner(column, 0)[0] + wide / 2.0, bottom + 5.0];
        words(at, 3.2, Anchor::Middle, point.value[0].to_string());
    }
    for row in 0..grid.rows() {
        let at = [left - 2.0, corner(0, row)[1] - tall / 2.0 + 1.2];
        let value = points[row * columns].value[1];
        words(at, 3.2, Anchor::End, value.to_string());
    }
    let below = [f64::midpoint(left, right), bottom + 11.0];
    words(below, 3.6, Anchor::Middle, names[0].to_owned());
    words(
        [left - 2.0, top - 1.5],
        3.6,
        Anchor::End,
        names[1].to_owned(),
    );
    for (nth, point) in points.iter().enumerate() {
        let [x, y] = corner(nth % columns, nth / columns);
        let held = point.held();
        let fill = NONE.towards(ink::PAPER, held.value().unwrap_or(1.0));
        scene.items.push(Item {
            stroke: Some(Stroke::full(ink::HAIR, 0.2)),
            ..Item::filled(Layer::Ground, rectangle(x, y - tall, wide, tall), fill)
        });
        let dark = fill.luminance() < 0.35;
        let text = if point.refused {
            "-".to_owned()
        } else {
            held.times.to_string()
        };
        let ink = if dark { ink::PAPER } else { ink::TEXT };
        let at = [x + wide / 2.0, y - tall / 2.0 + 1.4];
        let item = Item::words(at, 4.0, Anchor::Middle, ink, text);
        scene
            .items
            .push(if point.holds() { item.bold() } else { item });
    }
    if let Some(block) = grid.holds() {
        let [x, y] = corner(block.columns.start, block.rows.start);
        let (columns, rows) = (block.columns.len() as f64, block.rows.len() as f64);
        let (wide, tall) = (wide * columns, tall * rows);
        let frame: Shape = rectangle(x, y - tall, wide, tall);
        let stroke = Stroke::full(ink::TEXT, 0.9);
        scene.items.push(Item::drawn(Layer::Event, frame, stroke));
    }
    scene
}

#[cfg(test)]
mod tests {
    use wayodos_core::units::Quantity;

    use super::*;
    use crate::many::tests::brief;
    use crate::svg::to_svg;

    #[test]
    fn a_grid_has_a_cell_for_each_pair_darker_where_fewer_held_and_a_frame() {
        let value = |text: String| Quantity::parse(&text).unwrap();
        let mut points = Vec::new();
        for (row, died) in [[true, false, false], [true, true, false]]
            .into_iter()
            .enumerate()
        {
            for (column, died) in died.into_iter().enumerate() {
                let pair = [
                    value(format!("{column} %")),
                    value(format!("{} mm", 10 * row)),
                ];
                let mut point = Point::new(pair);
                point.briefs = (1..=20).map(|number| brief(number, died)).collect();
                points.push(point);
            }
        }
        let page = grid_sheet("T", "about", (&["pace", "near"], "verdict"), &points, 3);
        let fills: Vec<_> = page.items.iter().filter_map(|item| item.fill).collect();
        let dark = fills.iter().filter(|fill| **fill == NONE).count();
        assert_eq!(dark, 3, "{fills:?}");
        let frames = page.items.iter().filter_map(|item| item.stroke);
        assert_eq!(frames.filter(|stroke| stroke.width > 0.5).count(), 1);
        let svg = to_svg(&page);
        for words in ["verdict", "pace", "near", "10 mm", "2 %"] {
            assert!(svg.contains(words), "{words}");
        }
        to_svg(&grid_sheet("T", "", (&["a", "b"], ""), &[], 3));
        to_svg(&grid_sheet("T", "", (&["a", "b"], ""), &points[..3], 3));
    }
}
