//! What part of the field is in sight, and where in it the robot stands.

use ratatui::layout::{Position, Rect};
use wayodos_core::field::{Field, Point, Pose};
use wayodos_core::record::Trace;
use wayodos_report::Placement;

use crate::tui::model::Model;

/// The part of the field that is in sight: scene millimetres are cells, rows counted double, since
/// a cell is twice as high as it is wide.
#[derive(Clone, Copy, Debug)]
pub struct View {
    pub(in crate::tui) place: Placement,
    pub(in crate::tui) size: (f64, f64),
    pub(in crate::tui) zoom: f64,
}

impl View {
    /// Metres across and up that are in sight.
    pub fn seen(&self) -> (f64, f64) {
        (
            self.size.0 / self.place.scale,
            self.size.1 / self.place.scale,
        )
    }

    /// The place of the field in the middle of the pane.
    pub fn centre(&self) -> Point {
        self.back(self.size.0 / 2.0, self.size.1 / 2.0)
    }

    /// How much larger it is than when all of it fits.
    pub const fn zoom(&self) -> f64 {
        self.zoom
    }

    /// The place of the field at a place of the screen.
    pub fn place_at(&self, at: Position, area: Rect) -> Point {
        let down = |row: u16| 2.0 * (f64::from(row) + 0.5);
        self.back(
            f64::from(at.x.saturating_sub(area.x)) + 0.5,
            down(at.y.saturating_sub(area.y)),
        )
    }

    fn back(&self, x: f64, y: f64) -> Point {
        let Placement {
            left,
            top,
            scale,
            height,
        } = self.place;
        Point::new((x - left) / scale, height - (y - top) / scale)
    }
}

/// What is in sight of a field in a pane.
pub fn view(model: &Model, field: &Field, area: Rect) -> View {
    let size = (f64::from(area.width), 2.0 * f64::from(area.height));
    let fits = Placement::within(field, 0.0, 0.0, size.0, size.1);
    let zoom = model.field.camera.zoom.max(1.0);
    if zoom <= 1.0 {
        // Upper and lower edge lie between two rows, so that they are sharp.
        let rows = (field.height * fits.scale / 2.0).floor().max(1.0);
        let scale = 2.0 * rows / field.height;
        let left = ((size.0 - field.width * scale) / 2.0).floor();
        return View {
            place: Placement {
                left,
                top: 0.0,
                scale,
                height: field.height,
            },
            size,
            zoom,
        };
    }
    let scale = fits.scale * zoom;
    let own = Point::new(field.width / 2.0, field.height / 2.0);
    let robot = if model.field.camera.follow {
        robot_place(model)
    } else {
        None
    };
    let centre = robot.or(model.field.camera.centre).unwrap_or(own);
    let left = size.0 / 2.0 - centre.x * scale;
    let top = size.1 / 2.0 - (field.height - centre.y) * scale;
    View {
        place: Placement {
            left,
            top,
            scale,
            height: field.height,
        },
        size,
        zoom,
    }
}

/// Where the robot is at the time cursor, or would start.
pub fn robot_pose(model: &Model) -> Option<Pose> {
    let report = model.report.as_deref();
    let field = &model.setup.as_ref()?.field;
    report
        .and_then(|report| pose_at(&report.run.trace, model.player.time))
        .or_else(|| start(model, field))
}

/// The same without where it looks.
pub fn robot_place(model: &Model) -> Option<Point> {
    robot_pose(model).map(|pose| Point::new(pose.x, pose.y))
}

pub(in crate::tui) fn pose_at(trace: &Trace, time: f64) -> Option<Pose> {
    trace
        .ticks
        .get(trace.tick_at(time + 1e-9))
        .map(|tick| tick.pose)
}

/// Where the robot would start.
pub(in crate::tui) fn start(model: &Model, field: &Field) -> Option<Pose> {
    let named = model
        .mission()
        .prepared
        .parsed
        .mission
        .start
        .as_ref()
        .map(|start| start.node.as_str());
    let start = field
        .starts
        .iter()
        .find(|start| Some(start.name.as_str()) == named)
        .or(field.starts.first());
    start.map(|start| start.pose)
}

/// Where the robot would come to rest if it braked at the time cursor; none while it stands.
pub fn rest(model: &Model) -> Option<Pose> {
    let report = model.report.as_ref()?;
    let now = report
        .run
        .trace
        .ticks
        .get(report.run.trace.tick_at(model.player.time + 1e-9))?;
    let moves = now.rims.iter().any(|rim| rim.abs() > 0.005) && !now.hangs;
    moves.then(|| report.world.rest_of(now.pose, now.rims))
}

/// The time at which the robot was nearest to a place of the screen; none when it never came near.
pub fn time_at(model: &Model, area: Rect, at: Position) -> Option<f64> {
    let field = &model.setup.as_ref()?.field;
    let report = model.report.as_ref()?;
    let place = view(model, field, area).place;
    let (x, y) = (
        f64::from(at.x - area.x) + 0.5,
        2.0 * f64::from(at.y - area.y) + 1.0,
    );
    let far = |pose: &Pose| {
        let [px, py] = place.at(Point::new(pose.x, pose.y));
        (px - x).hypot(py - y)
    };
    let ticks = report.run.trace.ticks.iter().enumerate();
    let (tick, gap) = ticks
        .map(|(tick, about)| (tick, far(&about.pose)))
        .min_by(|a, b| a.1.total_cmp(&b.1))?;
    (gap < 6.0).then(|| report.run.trace.seconds(tick))
}
