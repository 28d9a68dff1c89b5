//! The readings of the strip chart as lines in the terminal's own pixels.

use std::sync::Arc;

use ratatui::layout::Rect;
use wayodos_report::ink::{Rgb, tint};
use wayodos_report::{
    Anchor, Canvas, Chart, Item, Layer, LimitSpan, Ribbon, Shape, Stroke, Track, TrackKind,
    rectangle,
};

use super::band::{BAND, Band};
use crate::tui::picture::Picture;
use crate::tui::sight::chart::{Axis, in_order};
use crate::tui::theme::{Role, Theme};

/// Half the width of the line of readings, in pixels.
const LINE: f32 = 0.75;

/// What the picture of the plot is made of.
#[derive(Clone, PartialEq)]
pub struct Key {
    area: Rect,
    run: usize,
    span: [u64; 2],
    tracks: Vec<(String, Rect)>,
    pixels: (usize, usize),
    ground: [u8; 3],
    many: Option<u64>,
}

/// Where the time cursors stand, as bits of seconds, and what each is for.
type Cursors = Vec<(u64, Role)>;

/// The plot as last painted: without the time cursors, and with them.
#[derive(Default)]
pub struct Kept {
    stays: Option<(Canvas, Key)>,
    picture: Option<(Picture, Key, Cursors)>,
    pictured: bool,
}

impl Kept {
    /// The picture below the last frame.
    pub const fn picture(&self) -> Option<&Picture> {
        match &self.picture {
            Some((picture, ..)) if self.pictured => Some(picture),
            _ => None,
        }
    }

    /// The next frame shows no picture unless it is drawn.
    pub const fn no_picture(&mut self) {
        self.pictured = false;
    }
}

/// How the plot is drawn.
#[derive(Clone, Copy)]
pub struct Manner {
    /// Colours, all of them.
    pub theme: Theme,
    /// What is around it.
    pub ground: Rgb,
    /// Pixels of a cell.
    pub pixels: (usize, usize),
    /// Which bands of the many runs are drawn.
    pub many: Option<u64>,
}

/// Paints the plot: the tracks in their places, and the time cursors through all of them.
pub fn paint(
    chart: &Chart,
    tracks: &[(&Track, Rect, Vec<Band<'_>>)],
    cursors: &[(f64, Role)],
    axis: &Axis,
    how: Manner,
    area: Rect,
    kept: &mut Kept,
) {
    let Manner {
        theme,
        ground,
        pixels,
        many,
    } = how;
    let key = Key {
        area,
        run: std::ptr::from_ref(chart) as usize,
        span: [axis.from, axis.to].map(f64::to_bits),
        tracks: tracks
            .iter()
            .map(|(track, place, _)| (track.name.clone(), *place))
            .collect(),
        many,
        pixels,
        ground: [ground.0, ground.1, ground.2],
    };
    let times: Cursors = cursors
        .iter()
        .map(|(time, role)| (time.to_bits(), *role))
        .collect();
    kept.pictured = true;
    if kept
        .picture
        .as_ref()
        .is_some_and(|(_, known, shown)| *known == key && *shown == times)
    {
        return;
    }
    if kept.stays.as_ref().is_none_or(|(_, known)| *known != key) {
        let size = (
            usize::from(area.width) * pixels.0,
            usize::from(area.height) * pixels.1,
        );
        let Some(mut canvas) = Canvas::new(size, [pixels.0 as f64, pixels.1 as f64 / 2.0], ground)
        else {
            kept.pictured = false;
            return;
        };
        let mut items = Vec::new();
        let sheet = Sheet {
            chart,
            axis,
            theme,
            area,
            across: pixels.0,
        };
        for band in chart
            .bands
            .iter()
            .filter(|band| axis.shows(band.from, band.to))
        {
            let (from, to) = (sheet.x(band.from), sheet.x(band.to));
            let shape = rectangle(from, 0.0, to - from, 2.0 * f64::from(area.height));
            items.push(Item::filled(
                Layer::Ground,
                shape,
                ground.towards(tint(band.step), 0.13),
            ));
        }
        for (track, place, _) in tracks {
            if let TrackKind::Tones(ribbons) = &track.kind {
                sheet.ribbons(ribbons, *place, &mut items);
            }
        }
        canvas.paint_many(&items.iter().collect::<Vec<_>>());
        for (track, place, bands) in tracks {
            if let TrackKind::Line {
                values,
                low,
                high,
                limits,
            } = &track.kind
            {
                for band in bands {
                    sheet.band(band, (*low, *high), *place, &mut canvas);
                }
                sheet.limits(limits, (*low, *high), *place, &mut canvas);
                sheet.line(values, (*low, *high), *place, &mut canvas);
            }
        }
        kept.stays = Some((canvas, key.clone()));
    }
    let Some((stays, _)) = &kept.stays else {
        return;
    };
    let mut canvas = stays.clone();
    let sheet = Sheet {
        chart,
        axis,
        theme,
        area,
        across: pixels.0,
    };
    let lines: Vec<Item> = cursors
        .iter()
        .map(|(time, role)| sheet.cursor(*time, *role))
        .collect();
    canvas.paint(lines.iter());
    kept.picture = Some((
        Picture {
            area,
            canvas: Arc::new(canvas),
        },
        key,
        times,
    ));
}

/// Where things stand: a scene millimetre is a cell across and half a cell down.
struct Sheet<'a> {
    chart: &'a Chart,
    axis: &'a Axis,
    theme: Theme,
    area: Rect,
    /// Pixels of a cell across.
    across: usize,
}

impl Sheet<'_> {
    fn x(&self, seconds: f64) -> f64 {
        // In the middle of the column that stands for the time elsewhere.
        self.axis.share(seconds) * f64::from(self.area.width.saturating_sub(1)) + 0.5
    }

    fn ink(&self, role: Role) -> Rgb {
        self.theme.rgb(role)
    }

    fn cursor(&self, seconds: f64, role: Role) -> Item {
        let (x, low) = (self.x(seconds), 2.0 * f64::from(self.area.height));
        Item::drawn(
            Layer::Note,
            Shape::Line(vec![[x, 0.0], [x, low]]),
            Stroke::full(self.ink(role), 0.25),
        )
    }

    /// The height of a value in a track's place, in pixels.
    fn height(&self, value: f64, (low, high): (f64, f64), place: Rect, canvas: &Canvas) -> f32 {
        let down = canvas.size().1 as f64 / f64::from(self.area.height);
        let (top, height) = (
            f64::from(place.y - self.area.y) * down,
            f64::from(place.height) * down,
        );
        let share = ((value - low) / (high - low)).clamp(0.0, 1.0);
        (top + 2.5 + (1.0 - share) * (height - 5.0)) as f32
    }

    fn limits(&self, limits: &[LimitSpan], span: (f64, f64), place: Rect, canvas: &mut Canvas) {
        for limit in limits
            .iter()
            .filter(|limit| self.axis.shows(limit.from, limit.to))
        {
            let pixel = |seconds: f64| (self.x(seconds) * self.across as f64) as usize;
            // Where a tone is lost again is drawn half as dense as where it is found.
            for (value, every) in [(limit.back, 12), (limit.value, 6)] {
                let y = self.height(value, span, place, canvas);
                for x in (pixel(limit.from)..=pixel(limit.to)).filter(|x| x % every < 3) {
                    canvas.column(x, y - LINE, y + LINE, self.ink(Role::Thin));
                }
            }
        }
    }

    /// Where the many runs read.
    fn band(&self, band: &Band<'_>, span: (f64, f64), place: Rect, canvas: &mut Canvas) {
        let columns = usize::from(self.area.width.saturating_sub(1)) * self.across;
        let each = (self.axis.to - self.axis.from) / columns.max(1) as f64;
        for column in 0..=columns {
            let Some((low, high)) = band.at(self.axis.from + column as f64 * each) else {
                return;
            };
            let (top, bottom) = (
                self.height(high, span, place, canvas),
                self.height(low, span, place, canvas),
            );
            let ink = self.ink(band.role);
            canvas.veil(
                column + self.across / 2,
                top - LINE,
                bottom + LINE,
                ink,
                BAND as f32,
            );
        }
    }

    /// The readings, column of pixels by column: from the least to the greatest of each, joined to
    /// the one before.
    fn line(&self, values: &[f32], span: (f64, f64), place: Rect, canvas: &mut Canvas) {
        let columns = usize::from(self.area.width.saturating_sub(1)) * self.across;
        let each = (self.axis.to - self.axis.from) / columns.max(1) as f64;
        let mut before: Option<f32> = None;
        for column in 0..=columns {
            let at = |column: f64| {
                ((self.axis.from + column * each) / self.chart.period).max(0.0) as usize
            };
            let from = at(column as f64 - 0.5);
            let to = at(column as f64 + 0.5).max(from + 1).min(values.len());
            let Some(part) = values.get(from..to).filter(|part| !part.is_empty()) else {
                continue;
            };
            let y = |value: &f32| self.height(f64::from(*value), span, place, canvas);
            let heights = part.iter().map(y).chain(before);
            let (least, most) = heights.fold((f32::INFINITY, 0.0f32), |(low, high), y| {
                (low.min(y), high.max(y))
            });
            before = part.last().map(y);
            canvas.column(
                column + self.across / 2,
                least - LINE,
                most + LINE,
                self.ink(Role::Text),
            );
        }
    }

    fn ribbons(&self, ribbons: &[Ribbon], place: Rect, items: &mut Vec<Item>) {
        let (top, height) = (
            2.0 * f64::from(place.y - self.area.y),
            2.0 * f64::from(place.height),
        );
        for ribbon in in_order(ribbons, self.axis) {
            let (from, to) = (self.x(ribbon.from), self.x(ribbon.to));
            let wide = (to - from).max(0.2);
            // In the mat's own colours, as the sensor saw them.
            items.push(Item::filled(
                Layer::Ground,
                rectangle(from, top + 0.1, wide, height - 0.2),
                ribbon.rgb,
            ));
            if ribbon.tone.chars().count() as f64 + 1.0 <= wide {
                let ink = if ribbon.rgb.luminance() > 0.25 {
                    Rgb(20, 26, 30)
                } else {
                    Rgb(247, 244, 234)
                };
                let place = [from + 0.4, top + height - 0.55];
                items.push(Item::words(
                    place,
                    1.5,
                    Anchor::Start,
                    ink,
                    ribbon.tone.clone(),
                ));
            }
        }
    }
}
