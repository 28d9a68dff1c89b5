//! Many paths at once, as density: the more runs come over a place, the less is left of what lies
//! below.

use crate::ink::Rgb;

/// How much of the ground a single path covers, and how much all of them together do.
const COVERS: (f32, f32) = (0.16, 0.72);

/// A place: what the runs that came over it were tinted with, and how many they were.
#[derive(Clone, Copy, Debug, Default)]
struct Spot {
    runs: f32,
    ink: [f32; 3],
    /// The run that came over it last.
    last: u32,
    /// Something stands out here, and covers this much.
    mark: Option<(Rgb, f32)>,
}

/// Many paths over a rectangle of pixels.
#[derive(Clone, Debug)]
pub struct Fan {
    width: usize,
    height: usize,
    spots: Vec<Spot>,
    runs: u32,
}

impl Fan {
    /// No path yet, over as many pixels across and down.
    pub fn new((width, height): (usize, usize)) -> Self {
        Self {
            width,
            height,
            spots: vec![Spot::default(); width * height],
            runs: 0,
        }
    }

    fn spot(&mut self, x: f32, y: f32) -> Option<&mut Spot> {
        let inside = x >= 0.0 && y >= 0.0 && x < self.width as f32 && y < self.height as f32;
        inside.then(|| &mut self.spots[y as usize * self.width + x as usize])
    }

    /// A run's path: pixels from the left and from the top, each with the ink from there on; `wide`
    /// pixels across.
    pub fn path(&mut self, points: impl Iterator<Item = ([f32; 2], Rgb)>, wide: u8) {
        self.runs += 1;
        let run = self.runs;
        let mut before: Option<[f32; 2]> = None;
        for (to, ink) in points {
            let from = before.replace(to).unwrap_or(to);
            let steps = (to[0] - from[0])
                .abs()
                .max((to[1] - from[1]).abs())
                .ceil()
                .clamp(1.0, 4000.0);
            for step in 0..steps as u32 {
                let share = step as f32 / steps;
                let at = [0, 1].map(|axis| from[axis] + (to[axis] - from[axis]) * share);
                for (right, down) in
                    (0..wide).flat_map(|down| (0..wide).map(move |right| (right, down)))
                {
                    let Some(spot) = self.spot(at[0] + f32::from(right), at[1] + f32::from(down))
                    else {
                        continue;
                    };
                    // However long it stands there, a run counts once.
                    if spot.last != run {
                        spot.last = run;
                        spot.runs += 1.0;
                        for (sum, part) in spot.ink.iter_mut().zip([ink.0, ink.1, ink.2]) {
                            *sum += f32::from(part);
                        }
                    }
                }
            }
        }
    }

    /// Something that stands out: a square of `wide` pixels about a place.
    pub fn mark(&mut self, at: [f32; 2], ink: Rgb, wide: u8, covers: f32) {
        let half = f32::from(wide) / 2.0;
        for (right, down) in (0..wide).flat_map(|down| (0..wide).map(move |right| (right, down))) {
            let (x, y) = (
                at[0] - half + f32::from(right),
                at[1] - half + f32::from(down),
            );
            if let Some(spot) = self.spot(x, y) {
                spot.mark = Some((ink, covers));
            }
        }
    }

    /// The pixels that something of it covers: their number row by row, the ink, and how much of the
    /// ground it covers.
    pub fn covered(&self) -> impl Iterator<Item = (usize, Rgb, f64)> {
        let all = self.runs.max(1) as f32;
        self.spots.iter().enumerate().filter_map(move |(at, spot)| {
            if let Some((ink, covers)) = spot.mark {
                return Some((at, ink, f64::from(covers)));
            }
            if spot.runs == 0.0 {
                return None;
            }
            let [r, g, b] = spot.ink.map(|sum| (sum / spot.runs).round() as u8);
            let covers = COVERS.0 + (COVERS.1 - COVERS.0) * (spot.runs / all).sqrt();
            Some((at, Rgb(r, g, b), f64::from(covers)))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const INK: Rgb = Rgb(0, 90, 200);

    fn line(y: f32) -> impl Iterator<Item = ([f32; 2], Rgb)> {
        [[0.0, y], [9.0, y], [9.0, y], [9.0, y]]
            .into_iter()
            .map(|at| (at, INK))
    }

    #[test]
    fn the_more_runs_the_denser_and_each_counts_once() {
        let mut fan = Fan::new((10, 10));
        for _ in 0..9 {
            fan.path(line(2.0), 1);
        }
        fan.path(line(5.0), 1);
        let covered: Vec<(usize, Rgb, f64)> = fan.covered().collect();
        let of = |row: usize| -> Vec<f64> {
            let here = covered.iter().filter(|(at, ..)| at / 10 == row);
            here.map(|(_, _, covers)| *covers).collect()
        };
        assert!(covered.iter().all(|(_, ink, _)| *ink == INK));
        let (dense, thin) = (of(2), of(5));
        assert!(dense.len() >= 9 && thin.len() >= 9);
        assert!(
            dense.iter().all(|covers| covers == &dense[0]),
            "standing does not count"
        );
        assert!(dense[0] > thin[0] + 0.2, "{} {}", dense[0], thin[0]);
        // What is beside is left as it was.
        assert!(of(3).is_empty());
    }

    #[test]
    fn a_path_beyond_the_edge_is_cut_off() {
        let mut fan = Fan::new((4, 4));
        let far = [[-1e9, 1.0], [1e9, 1.0]].into_iter().map(|at| (at, INK));
        fan.path(far, 2);
        fan.mark([-3.0, 90.0], INK, 3, 1.0);
        assert!(fan.covered().all(|(at, ..)| at < 16));
        Fan::new((0, 0)).path(line(0.0), 1);
    }
}
