//! Paths written the way tape is laid: `ahead 600 mm`, `bend left 90 deg radius 200 mm`, `corner
//! right 90 deg`, `to 900, 300 mm`. Bends become short chords, since everything after this works on
//! polylines.

use super::{BadLeg, Point};
use crate::units::{Dimension, Pair, Quantity, math};

/// Chords leave a bend by at most this many metres.
const SAGITTA: f64 = 0.000_1;
/// No bend turns further than this: beyond, it would only lie on itself.
const LARGEST_TURN: f64 = 10.0 * math::TAU;

/// Lays legs from a point in a direction (rad); returns the polyline.
///
/// # Errors
/// The index of the leg that cannot be laid, and why.
pub fn lay(from: Point, heading: f64, legs: &[String]) -> Result<Vec<Point>, (usize, BadLeg)> {
    let mut points = vec![from];
    let mut heading = heading;
    for (index, leg) in legs.iter().enumerate() {
        lay_one(&mut points, &mut heading, leg).map_err(|why| (index, why))?;
    }
    Ok(points)
}

fn lay_one(points: &mut Vec<Point>, heading: &mut f64, leg: &str) -> Result<(), BadLeg> {
    let at = *points.last().expect("a path has its first point");
    let (word, rest) = leg.trim().split_once(' ').unwrap_or((leg.trim(), ""));
    match word {
        "ahead" => points.push(at.ahead(*heading, amount(rest, Dimension::Length)?)),
        "to" => {
            let place = Pair::parse(rest)?;
            let end = Point::new(place.x, place.y);
            if end.distance(at) > 0.0 {
                *heading = math::atan2(end.y - at.y, end.x - at.x);
            }
            points.push(end);
        }
        "corner" => {
            let (side, angle) = side(rest)?;
            *heading += side * amount(angle, Dimension::Angle)?;
        }
        "bend" => {
            let (side, rest) = side(rest)?;
            let (angle, radius) = rest.split_once("radius").ok_or(BadLeg::NoRadius)?;
            let (angle, radius) = (
                amount(angle, Dimension::Angle)?,
                amount(radius, Dimension::Length)?,
            );
            bend(points, heading, side, angle, radius);
        }
        _ => return Err(BadLeg::Word(leg.to_owned())),
    }
    Ok(())
}

fn bend(points: &mut Vec<Point>, heading: &mut f64, side: f64, angle: f64, radius: f64) {
    let start = *points.last().expect("a path has its first point");
    let centre = start.ahead(*heading + side * math::FRAC_PI_2, radius);
    // A chord over the angle a leaves the circle by r (1 - cos(a / 2)), nearly r a^2 / 8.
    let chord = (8.0 * SAGITTA / radius).sqrt();
    let pieces = (angle / chord).ceil().clamp(1.0, 2000.0) as usize;
    let first = *heading - side * math::FRAC_PI_2;
    for piece in 1..=pieces {
        let turned = angle * piece as f64 / pieces as f64;
        points.push(centre.ahead(first + side * turned, radius));
    }
    *heading += side * angle;
}

fn side(text: &str) -> Result<(f64, &str), BadLeg> {
    let text = text.trim_start();
    match text.split_once(' ') {
        Some(("left", rest)) => Ok((1.0, rest)),
        Some(("right", rest)) => Ok((-1.0, rest)),
        _ => Err(BadLeg::Side(text.to_owned())),
    }
}

fn amount(text: &str, dimension: Dimension) -> Result<f64, BadLeg> {
    let expected = || BadLeg::Amount {
        dimension,
        found: text.trim().to_owned(),
    };
    let quantity = Quantity::parse(text).map_err(|_| expected())?;
    let si = quantity.si();
    let possible = si > 0.0 && (dimension != Dimension::Angle || si <= LARGEST_TURN);
    if quantity.unit.dimension() == dimension && possible {
        Ok(si)
    } else {
        Err(expected())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn end(legs: &[&str]) -> Point {
        let legs: Vec<String> = legs.iter().map(|&leg| leg.to_owned()).collect();
        *lay(Point::new(0.0, 0.0), 0.0, &legs)
            .unwrap()
            .last()
            .unwrap()
    }

    #[track_caller]
    fn assert_near(point: Point, x: f64, y: f64) {
        assert!(
            point.distance(Point::new(x, y)) < 1e-9,
            "{point:?} is not ({x}, {y})"
        );
    }

    #[test]
    fn legs_end_where_geometry_says() {
        assert_near(end(&["ahead 300 mm"]), 0.3, 0.0);
        assert_near(end(&["corner left 90 deg", "ahead 1 m"]), 0.0, 1.0);
        assert_near(end(&["bend left 90 deg radius 200 mm"]), 0.2, 0.2);
        assert_near(
            end(&["bend right 180 deg radius 100 mm", "ahead 50 mm"]),
            -0.05,
            -0.2,
        );
        assert_near(end(&["to 10, 20 cm"]), 0.1, 0.2);
    }

    #[test]
    fn chords_stay_within_a_tenth_of_a_millimetre_of_the_bend() {
        let points = lay(
            Point::new(0.0, 0.0),
            0.0,
            &["bend left 360 deg radius 500 mm".to_owned()],
        )
        .unwrap();
        let centre = Point::new(0.0, 0.5);
        for pair in points.windows(2) {
            let middle = Point::new(
                f64::midpoint(pair[0].x, pair[1].x),
                f64::midpoint(pair[0].y, pair[1].y),
            );
            assert!((0.5 - middle.distance(centre)).abs() < 1.1 * SAGITTA);
        }
    }

    #[test]
    fn a_bad_leg_says_what_was_expected() {
        for leg in [
            "",
            "ahead",
            "ahead 90 deg",
            "ahead -3 mm",
            "bend up 3 deg",
            "bend left 90 deg",
            "jump",
            "bend left 1000000 deg radius 1 mm",
        ] {
            let (index, why) = lay(
                Point::default(),
                0.0,
                &["ahead 1 mm".to_owned(), leg.to_owned()],
            )
            .unwrap_err();
            assert_eq!(index, 1);
            let why = why.to_string();
            assert!(why.contains("expected") || why.contains("needs"), "{why}");
        }
    }
}
