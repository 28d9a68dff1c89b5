//! The model as cells: every file here draws one part of the screen, and knows where in it things
//! stand.

pub mod band;
mod bars;
pub mod chart;
mod drawing;
pub mod field;
pub mod files;
mod grid;
pub mod league;
mod logbook;
pub mod overlay;
mod pen;
mod plot;
mod robot;
pub mod side;
mod spread;
mod sweep;
pub mod text;
mod tune;

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

use self::pen::put;
use super::cells::Cells;
use super::layout::{Areas, LEAST};
use super::measure::columns;
use super::model::{Mode, Model, ScreenName};
use super::picture::Picture;
use super::theme::{Role, Theme};
use wayodos_report::ink::Rgb;

/// How everything looks, and what drawing keeps between two frames.
pub struct Screen {
    /// Colours.
    pub theme: Theme,
    /// Which block characters there are.
    pub cells: Cells,
    /// Pixels of a cell, when the field is to be a picture in the terminal's own pixels.
    pub pixels: Option<(usize, usize)>,
    /// The ground of the terminal, where it is not painted over.
    pub own_ground: Option<Rgb>,
    /// The field as last painted.
    ground: field::Kept,
    /// The plot of the chart as last painted.
    plot: plot::Kept,
    /// The track of a sensor as last worked out.
    track: side::Kept,
    /// The picture of the project screen as last painted.
    preview: files::Kept,
    /// The robot as last painted.
    robot: robot::Kept,
}

impl Screen {
    /// A screen that has drawn nothing yet.
    pub fn new(theme: Theme, cells: Cells) -> Self {
        Self {
            theme,
            cells,
            pixels: None,
            own_ground: None,
            ground: field::Kept::default(),
            plot: plot::Kept::default(),
            track: side::Kept::default(),
            preview: files::Kept::default(),
            robot: robot::Kept::default(),
        }
    }

    /// The pictures that belong below the text of the last frame: the field, and the plot of the
    /// chart.
    pub const fn pictures(&self) -> [Option<&Picture>; 2] {
        [self.ground.picture(), self.plot.picture()]
    }

    /// Draws a whole frame; where the terminal's own cursor belongs, if anywhere.
    pub fn draw(&mut self, model: &Model, buffer: &mut Buffer) -> Option<(u16, u16)> {
        let theme = self.theme;
        let whole = buffer.area;
        buffer.set_style(whole, theme.base());
        let Some(areas) = model.areas() else {
            too_small(buffer, theme);
            return None;
        };
        bars::title(model, theme, areas.title, buffer);
        let mut cursor = None;
        self.ground.no_picture();
        self.plot.no_picture();
        match model.screen {
            ScreenName::Mission => cursor = self.mission(model, &areas, buffer),
            ScreenName::Project => {
                files::draw(
                    model,
                    (theme, self.cells),
                    &mut self.preview,
                    &areas,
                    buffer,
                );
                files::status(model, theme, areas.status, buffer);
            }
            ScreenName::League => league::draw(model, theme, &areas, buffer),
            ScreenName::Logbook => logbook::draw(model, theme, &areas, buffer),
        }
        bars::change(model, theme, areas.change, buffer);
        bars::hints(model, theme, areas.hints, buffer);
        match &model.mode {
            Mode::Help(scroll) => overlay::help(model.screen, theme, whole, *scroll, buffer),
            Mode::Reading {
                lines,
                notes,
                scroll,
            } => overlay::reading(theme, whole, lines, notes, *scroll, buffer),
            Mode::Leaving => overlay::leaving(model, theme, whole, buffer),
            Mode::Finding(finder) => {
                cursor = Some(overlay::list(finder, theme, areas.lists(), buffer));
            }
            Mode::Asking(question, entry) => {
                cursor = Some(overlay::asking(*question, entry, theme, whole, buffer));
            }
            Mode::Outside(outside) => {
                overlay::outside(outside, &model.project.config.mission, theme, whole, buffer);
            }
            Mode::Free(free) => {
                if let Some(cursor) = cursor {
                    overlay::offers(free, theme, cursor, above_bars(whole), buffer);
                }
            }
            _ => {}
        }
        if self.cells == Cells::Ascii {
            ascii(buffer);
        }
        cursor
    }
}

impl Screen {
    /// The panes of the mission screen; where the terminal's own cursor belongs.
    fn mission(&mut self, model: &Model, areas: &Areas, buffer: &mut Buffer) -> Option<(u16, u16)> {
        let theme = self.theme;
        let mut cursor = None;
        if areas.text.height > 0 {
            cursor = text::draw(model, theme, areas.text, buffer);
        }
        if areas.robot.height > 0 {
            let look = (theme, self.cells);
            robot::draw(model, look, &mut self.robot, areas.robot, buffer);
        }
        // What lies over the panes would lie below the picture.
        let above = above_bars(buffer.area);
        let free = |area: Rect| match &model.mode {
            Mode::Browse | Mode::Typing(_) => true,
            Mode::Free(free) => {
                let offered = cursor.map(|cursor| overlay::offers_area(free, cursor, above));
                offered.is_none_or(|offered| !offered.intersects(area))
            }
            Mode::Finding(_) => !areas.lists().intersects(area),
            _ => false,
        };
        let pixels = |area: Rect| {
            self.pixels
                .filter(|_| free(area) && !model.field.blocks && area.height > 0)
        };
        // What a terminal of few colours shows around a picture is its own ground.
        let own = self.own_ground.filter(|_| !theme.paints_ground());
        let ground = own.unwrap_or_else(|| theme.ground());
        if areas.field.height > 0 {
            let how = field::Manner {
                theme,
                ground,
                cells: self.cells,
                pixels: pixels(areas.field),
            };
            field::draw(model, how, &mut self.ground, areas.field, buffer);
        }
        if areas.chart.height > 0 {
            let how = pixels(areas.chart).map(|pixels| plot::Manner {
                theme: theme.in_full(),
                ground,
                pixels,
                many: model.many.drawn().map(|_| model.many.stamp),
            });
            chart::draw(model, theme, how, &mut self.plot, areas.chart, buffer);
        }
        if areas.side.height > 0 {
            side::draw(model, theme, &mut self.track, areas.side, buffer);
        }
        bars::status(model, theme, areas.status, buffer);
        cursor
    }
}

/// The screen without the lines at the bottom.
fn above_bars(whole: Rect) -> Rect {
    Rect {
        height: whole.height.saturating_sub(3),
        ..whole
    }
}

/// Every sign that a plain terminal may not have becomes one that it has.
fn ascii(buffer: &mut Buffer) {
    for cell in &mut buffer.content {
        let plain = match cell.symbol() {
            symbol if symbol.is_ascii() => continue,
            "─" | "┈" | "╌" => "-",
            "│" | "▏" | "▎" | "▍" | "▌" | "┊" => "|",
            "╭" | "╮" | "╰" | "╯" | "├" | "└" => "+",
            "✓" => "v",
            "✗" => "x",
            "•" | "·" | "◆" | "●" => "*",
            "…" => "~",
            "›" | "▶" | "▸" | "→" => ">",
            "←" => "<",
            "↑" | "▴" => "^",
            "↓" | "▾" | "▼" => "v",
            "↻" => "@",
            "█" | "▉" | "▊" | "▋" | "▓" => "#",
            "▒" => "+",
            "░" => ".",
            symbol if symbol.starts_with(|c: char| ('\u{2800}'..='\u{28ff}').contains(&c)) => ".",
            symbol if symbol.starts_with(char::is_alphabetic) => continue,
            _ => "?",
        };
        cell.set_symbol(plain);
    }
}

fn too_small(buffer: &mut Buffer, theme: Theme) {
    let area = buffer.area;
    let words = [
        format!("Wayodos needs {} x {} cells", LEAST.0, LEAST.1),
        format!("this window has {} x {}", area.width, area.height),
        "make it larger, or its letters smaller".to_owned(),
        "q leaves; unsaved edits are kept".to_owned(),
    ];
    let top = area.height.saturating_sub(words.len() as u16) / 2;
    for (line, words) in words.iter().enumerate() {
        let row = top + line as u16;
        if row < area.height {
            let role = theme.role(if line == 0 { Role::Accent } else { Role::Text });
            let left = area.width.saturating_sub(columns(words)) / 2;
            put(buffer, left, row, area.width - left, words, role);
        }
    }
}
