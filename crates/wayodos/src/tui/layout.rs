//! Where everything stands on the screen: a pure function of its size, used by drawing and by the
//! mouse alike.

use ratatui::layout::Rect;

/// The smallest screen that is drawn.
pub const LEAST: (u16, u16) = (80, 24);

/// A part of the screen: the arrow keys are for one, and each can be made as large as the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pane {
    /// The mission.
    Text,
    /// The field.
    Field,
    /// The strip chart.
    Chart,
    /// The pane beside the chart: why, track, map, findings.
    Side,
}

/// The parts of the screen. A pane that is not shown has no area.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub struct Areas {
    /// The line on top: what is open, and how it came out.
    pub title: Rect,
    /// The mission.
    pub text: Rect,
    /// The robot from above, beside its text; empty while another text is in front.
    pub robot: Rect,
    /// The field.
    pub field: Rect,
    /// The line that says what the last edit changed.
    pub change: Rect,
    /// The strip chart.
    pub chart: Rect,
    /// The pane beside it.
    pub side: Rect,
    /// The line about the moment under the cursor.
    pub status: Rect,
    /// The line of keys.
    pub hints: Rect,
}

impl Areas {
    /// Where lists to choose from are drawn: over chart and side, so that the text and the field
    /// stay in sight.
    pub fn lists(&self) -> Rect {
        match (self.chart.height > 0, self.side.height > 0) {
            (true, true) => self.chart.union(self.side),
            (true, false) => self.chart,
            (false, true) => self.side,
            (false, false) => {
                let whole = self.text.union(self.field);
                let height = (whole.height / 2).max(8).min(whole.height);
                Rect {
                    y: whole.bottom() - height,
                    height,
                    ..whole
                }
            }
        }
    }

    /// Everything between the line on top and the lines at the bottom.
    pub const fn whole(&self) -> Rect {
        let y = self.title.y + 1;
        Rect {
            x: self.title.x,
            y,
            width: self.title.width,
            height: self.change.y - y,
        }
    }

    /// The area of a pane.
    pub const fn of(&self, pane: Pane) -> Rect {
        match pane {
            Pane::Text => self.text,
            Pane::Field => self.field,
            Pane::Chart => self.chart,
            Pane::Side => self.side,
        }
    }
}

/// What the layout depends on besides the size.
#[derive(Clone, Copy, Debug)]
pub struct Shape {
    /// The pane that fills the screen.
    pub zoom: Option<Pane>,
    /// Where there is no room for both, the side pane instead of the chart.
    pub side: bool,
    /// Width of the field over its height.
    pub aspect: f64,
    /// The text in front is a robot's: it is drawn beside it.
    pub robot: bool,
}

/// The list of the project screen, and what is beside it where there is room.
pub fn files_beside(whole: Rect) -> (Rect, Rect) {
    if whole.width < 110 {
        return (whole, Rect::default());
    }
    let list = (whole.width * 5 / 8).min(130);
    (
        Rect {
            width: list,
            ..whole
        },
        Rect {
            x: whole.x + list,
            width: whole.width - list,
            ..whole
        },
    )
}

/// The areas of a screen; none when it is too small.
pub fn layout(screen: Rect, shape: Shape) -> Option<Areas> {
    let (w, h) = (screen.width, screen.height);
    if w < LEAST.0 || h < LEAST.1 {
        return None;
    }
    let row = |y: u16| Rect::new(0, y, w, 1);
    let bars = Areas {
        title: row(0),
        change: row(h - 3),
        status: row(h - 2),
        hints: row(h - 1),
        ..Areas::default()
    };
    let (top, room) = (1, h - 4);
    let whole = Rect::new(0, top, w, room);
    let areas = match shape.zoom {
        Some(Pane::Text) => Areas {
            text: whole,
            ..bars
        },
        Some(Pane::Field) => Areas {
            field: whole,
            ..bars
        },
        Some(Pane::Chart) => Areas {
            chart: whole,
            ..bars
        },
        Some(Pane::Side) => Areas {
            side: whole,
            ..bars
        },
        None if w >= 220 && h >= 50 => three_columns(bars, w, top, room, shape),
        None if w >= 120 && h >= 30 => side_by_side(bars, w, top, room, shape),
        None => stacked(bars, w, top, room, shape),
    };
    Some(if shape.robot {
        beside_text(areas)
    } else {
        areas
    })
}

/// Takes the room for the robot's drawing from its text, whose lines are shorter than a mission's.
fn beside_text(areas: Areas) -> Areas {
    const TEXT: u16 = 50;
    let room = areas.text.width.saturating_sub(TEXT).min(52);
    if room < 22 || areas.text.height < 8 {
        return areas;
    }
    let mut text = areas.text;
    text.width -= room;
    Areas {
        text,
        robot: Rect {
            x: text.right(),
            width: room,
            ..text
        },
        ..areas
    }
}

/// The chart, and beside it where there is room the side pane.
fn lower(bars: Areas, place: Rect, shape: Shape) -> Areas {
    if place.width >= 140 && place.height >= 9 {
        let side = (place.width * 2 / 5).clamp(56, 90);
        let chart = Rect {
            width: place.width - side,
            ..place
        };
        return Areas {
            chart,
            side: Rect {
                x: place.x + chart.width,
                width: side,
                ..place
            },
            ..bars
        };
    }
    if shape.side {
        Areas {
            side: place,
            ..bars
        }
    } else {
        Areas {
            chart: place,
            ..bars
        }
    }
}

/// Mission beside field, chart and side pane below both.
fn side_by_side(bars: Areas, w: u16, top: u16, room: u16, shape: Shape) -> Areas {
    let chart = (room * 7 / 20).clamp(9, 20);
    let upper = room - chart;
    // A sentence with its evidence needs about 84 columns; the field takes what its shape can use
    // of the rest.
    let wanted = (f64::from(upper) * 2.0 * shape.aspect) as u16 + 2;
    let field = wanted
        .min(w - w * 56 / 100)
        .min(w.saturating_sub(84))
        .max(36);
    let bars = Areas {
        text: Rect::new(0, top, w - field, upper),
        field: Rect::new(w - field, top, field, upper),
        ..bars
    };
    lower(bars, Rect::new(0, top + upper, w, chart), shape)
}

/// Mission, field and side pane beside each other, the chart below all.
fn three_columns(bars: Areas, w: u16, top: u16, room: u16, shape: Shape) -> Areas {
    let chart = (room / 3).clamp(14, 28);
    let upper = room - chart;
    let side = 72;
    let rest = w - side;
    let wanted = (f64::from(upper) * 2.0 * shape.aspect) as u16 + 2;
    let field = wanted.min(rest - 90);
    let text = rest - field;
    Areas {
        text: Rect::new(0, top, text, upper),
        field: Rect::new(text, top, field, upper),
        side: Rect::new(rest, top, side, upper),
        chart: Rect::new(0, top + upper, w, chart),
        ..bars
    }
}

/// Mission on top; below it the field beside the chart or the side pane.
fn stacked(bars: Areas, w: u16, top: u16, room: u16, shape: Shape) -> Areas {
    let lower = (room * 9 / 20).max(8);
    let upper = room - lower;
    let field = ((f64::from(lower) * 2.0 * shape.aspect) as u16 + 1).clamp(16, w * 2 / 5);
    let place = Rect::new(field, top + upper, w - field, lower);
    let (chart, side) = if shape.side {
        (Rect::default(), place)
    } else {
        (place, Rect::default())
    };
    Areas {
        text: Rect::new(0, top, w, upper),
        field: Rect::new(0, top + upper, field, lower),
        chart,
        side,
        ..bars
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn panes_fill_the_screen_and_never_overlap() {
        for w in [80u16, 100, 119, 120, 160, 200, 220, 300] {
            for h in [24u16, 29, 30, 40, 50, 90] {
                for (aspect, side, robot) in [
                    (0.5, true, true),
                    (1.33, false, false),
                    (1.33, true, true),
                    (3.0, false, false),
                ] {
                    let areas = layout(
                        Rect::new(0, 0, w, h),
                        Shape {
                            zoom: None,
                            side,
                            aspect,
                            robot,
                        },
                    )
                    .unwrap();
                    let Areas {
                        title,
                        text,
                        robot: drawing,
                        field,
                        change,
                        chart,
                        side,
                        status,
                        hints,
                    } = areas;
                    let panes: Vec<Rect> = [
                        title, text, drawing, field, chart, side, change, status, hints,
                    ]
                    .into_iter()
                    .filter(|pane| pane.height > 0)
                    .collect();
                    let total: u32 = panes
                        .iter()
                        .map(|pane| u32::from(pane.width) * u32::from(pane.height))
                        .sum();
                    assert_eq!(total, u32::from(w) * u32::from(h), "{w} x {h}, {aspect}");
                    for (index, pane) in panes.iter().enumerate() {
                        assert!(
                            panes[..index].iter().all(|other| !other.intersects(*pane)),
                            "{w} x {h}: {panes:?}"
                        );
                    }
                    assert!(
                        areas.text.width >= if robot { 50 } else { 75 } && areas.text.height >= 10,
                        "{w} x {h}: {:?}",
                        areas.text
                    );
                    assert_eq!(drawing.width > 0, robot, "{w} x {h}");
                    assert!(
                        areas.lists().width >= 44 && areas.lists().height >= 8,
                        "{w} x {h}: {:?}",
                        areas.lists()
                    );
                }
            }
        }
        let shape = Shape {
            zoom: None,
            side: false,
            aspect: 1.0,
            robot: false,
        };
        assert_eq!(layout(Rect::new(0, 0, 79, 24), shape), None);
        let zoomed = layout(
            Rect::new(0, 0, 80, 24),
            Shape {
                zoom: Some(Pane::Text),
                ..shape
            },
        )
        .unwrap();
        assert!(zoomed.text.contains(zoomed.lists().as_position()));
    }
}
