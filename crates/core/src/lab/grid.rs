//! Two numbers at once: every value of the one with every value of the other, each pair with the same
//! runs, and the largest rectangle in which all pairs hold.

use std::ops::Range;

use super::sweep::Point;
use crate::units::Quantity;

/// A pair of values: of the first number, and of the second.
pub type Pair = [Quantity; 2];

/// What came of all pairs.
#[derive(Clone, Copy, Debug)]
pub struct Grid<'a> {
    points: &'a [Point<Pair>],
    columns: usize,
}

/// A rectangle of a grid, as indices.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Block {
    /// Values of the first number.
    pub columns: Range<usize>,
    /// Values of the second number.
    pub rows: Range<usize>,
}

impl Block {
    /// Whether a pair lies in it.
    pub fn contains(&self, [column, row]: [usize; 2]) -> bool {
        self.columns.contains(&column) && self.rows.contains(&row)
    }
}

impl<'a> Grid<'a> {
    /// Looks at points as a grid.
    ///
    /// - `points`: row by row, the first number's values in each row
    /// - `columns`: how many values the first number has
    ///
    /// # Panics
    /// When the rows are not all full.
    pub fn new(points: &'a [Point<Pair>], columns: usize) -> Self {
        assert!(
            columns > 0 && points.len().is_multiple_of(columns),
            "a grid has full rows"
        );
        Self { points, columns }
    }

    /// How many values the second number has.
    pub const fn rows(&self) -> usize {
        self.points.len() / self.columns
    }

    /// The largest rectangle in which all pairs hold, counted in pairs; of several as large the one
    /// in which more runs held. None when no pair holds.
    pub fn holds(&self) -> Option<Block> {
        let mut best: Option<(usize, u32, Block)> = None;
        for top in 0..self.rows() {
            // So many rows from `top` on hold in each column, and so many runs in them.
            for bottom in top..self.rows() {
                let full = |column: usize| {
                    let rows = top..=bottom;
                    rows.clone()
                        .all(|row| self.points[row * self.columns + column].holds())
                };
                let mut from = 0;
                while from < self.columns {
                    let wide = (from..self.columns).take_while(|at| full(*at)).count();
                    if wide > 0 {
                        let block = Block {
                            columns: from..from + wide,
                            rows: top..bottom + 1,
                        };
                        let size = wide * (bottom + 1 - top);
                        let held = self.held_in(&block);
                        let better = best
                            .as_ref()
                            .is_none_or(|(most, count, _)| (size, held) > (*most, *count));
                        if better {
                            best = Some((size, held, block));
                        }
                    }
                    from += wide.max(1);
                }
            }
        }
        best.map(|(_, _, block)| block)
    }

    fn held_in(&self, block: &Block) -> u32 {
        let rows = block.rows.clone();
        rows.flat_map(|row| block.columns.clone().map(move |column| [column, row]))
            .map(|[column, row]| self.points[row * self.columns + column].held().times)
            .sum()
    }

    /// The pair to take: in the middle of the largest rectangle that holds; without one that of
    /// which most runs held, and of several such the middle one.
    pub fn advised(&self) -> Option<usize> {
        if let Some(block) = self.holds() {
            let along = |axis: usize, step: usize| {
                move |at: &usize| self.points[at * step].value[axis].si()
            };
            let column = nearest_middle(block.columns, along(0, 1));
            let row = nearest_middle(block.rows, along(1, self.columns));
            return Some(row * self.columns + column);
        }
        super::sweep::most_held(self.points)
    }
}

/// The index whose value is nearest to the middle of those at both ends.
fn nearest_middle(part: Range<usize>, value: impl Fn(&usize) -> f64) -> usize {
    let middle = f64::midpoint(value(&part.start), value(&(part.end - 1)));
    let off = |at: &usize| (value(at) - middle).abs();
    let first = part.start;
    part.min_by(|a, b| off(a).total_cmp(&off(b)))
        .unwrap_or(first)
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use super::super::spread::tests::brief;
    use super::super::spread::{Brief, Death};
    use super::*;
    use crate::ids::StepId;
    use crate::units::Unit;

    /// A grid drawn in letters, its first row below: `#` holds, any digit so many of 20.
    fn points(drawn: &[&str]) -> Vec<Point<Pair>> {
        let lost = Death {
            step: StepId(0),
            exit: None,
            words: "lost".into(),
        };
        let amount = |value: usize, unit| Quantity {
            value: value as f64,
            unit,
        };
        let mut points = Vec::new();
        for (row, line) in drawn.iter().rev().enumerate() {
            for (column, letter) in line.chars().enumerate() {
                let held = letter.to_digit(10).unwrap_or(19);
                let mut point =
                    Point::new([amount(column, Unit::Percent), amount(row, Unit::Second)]);
                let run = |number| {
                    Arc::new(Brief {
                        death: (number > held).then(|| lost.clone()),
                        ..brief(number)
                    })
                };
                point.briefs = (1..=20).map(run).collect();
                points.push(point);
            }
        }
        points
    }

    fn found(drawn: &[&str]) -> (Option<Block>, Option<[usize; 2]>) {
        let points = points(drawn);
        let columns = drawn[0].len();
        let grid = Grid::new(&points, columns);
        let at = grid.advised().map(|at| [at % columns, at / columns]);
        (grid.holds(), at)
    }

    #[test]
    fn the_largest_rectangle_that_holds_is_found_and_its_middle_advised() {
        // A ridge: each number alone holds over a narrow stretch, both together along a diagonal.
        let (block, at) = found(&[
            "0000##", //
            "00###0", //
            "0####0", //
            "0###00", //
            "##0000",
        ]);
        let wanted = Block {
            columns: 1..4,
            rows: 1..3,
        };
        assert_eq!((block, at), (Some(wanted), Some([2, 1])));
        let (block, at) = found(&["#########", "0########"]);
        let wanted = Block {
            columns: 1..9,
            rows: 0..2,
        };
        assert_eq!((block, at), (Some(wanted), Some([4, 0])));
        let (block, at) = found(&["000", "0#0", "000"]);
        assert_eq!(
            (block.map(|block| block.columns), at),
            (Some(1..2), Some([1, 1]))
        );
    }

    #[test]
    fn without_a_pair_that_holds_the_best_is_advised_and_without_any_none() {
        assert_eq!(found(&["012", "345"]), (None, Some([2, 0])));
        assert_eq!(found(&["00", "00"]), (None, None));
    }

    #[test]
    fn every_pair_of_the_rectangle_holds_and_no_larger_one_does() {
        let mut noise = crate::sim::noise_for_tests(5);
        for _ in 0..200 {
            let lines: Vec<String> = (0..5)
                .map(|_| {
                    (0..6)
                        .map(|_| if noise.uniform() < 0.7 { '#' } else { '0' })
                        .collect()
                })
                .collect();
            let drawn: Vec<&str> = lines.iter().map(String::as_str).collect();
            let points = points(&drawn);
            let holds = |column: usize, row: usize| points[row * 6 + column].holds();
            // All rectangles, one by one.
            let mut most = 0;
            for (left, right) in (0..6).flat_map(|a| (a + 1..=6).map(move |b| (a, b))) {
                for (low, high) in (0..5).flat_map(|a| (a + 1..=5).map(move |b| (a, b))) {
                    if (left..right).all(|column| (low..high).all(|row| holds(column, row))) {
                        most = most.max((right - left) * (high - low));
                    }
                }
            }
            let block = Grid::new(&points, 6).holds();
            let size = block.map_or(0, |block| block.columns.len() * block.rows.len());
            assert_eq!(size, most, "{drawn:?}");
        }
    }
}
