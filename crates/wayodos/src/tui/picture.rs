//! The field in the terminal's own pixels, for terminals that can show pictures within their text.
//!
//! The escape sequences are those of the graphics protocol that kitty, ghostty, wezterm and others understand: a PNG in
//! base64, cut into pieces, put over the cells of the field. Labels are painted into it.

use std::io::{self, Write};

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use ratatui::layout::Rect;
use wayodos_report::{Scene, to_png};

/// Pieces of this many letters at most, as the protocol wants.
const PIECE: usize = 4096;
/// One picture is ever shown; it has this number.
const NUMBER: u32 = 7;

/// A picture and the cells that it covers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Picture {
    /// The cells.
    pub area: Rect,
    /// The picture as PNG.
    pub png: Vec<u8>,
}

impl Picture {
    /// A scene over cells, with this many pixels a scene millimetre; none when it cannot be drawn, which no scene with an
    /// extent does.
    pub fn of(scene: &Scene, per_mm: f64, area: Rect) -> Option<Self> {
        to_png(scene, per_mm).ok().map(|png| Self { area, png })
    }

    /// Shows it in place of the one before; the terminal's cursor stays where it is.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub fn show(&self, out: &mut impl Write) -> io::Result<()> {
        let Rect { x, y, width, height } = self.area;
        write!(out, "\x1b7\x1b[{};{}H", y + 1, x + 1)?;
        let letters = STANDARD.encode(&self.png);
        let mut pieces = letters.as_bytes().chunks(PIECE).peekable();
        let mut head = format!("a=T,f=100,i={NUMBER},p=1,c={width},r={height},z=0,C=1,q=2,");
        while let Some(piece) = pieces.next() {
            let more = u8::from(pieces.peek().is_some());
            write!(out, "\x1b_G{}m={more};", std::mem::take(&mut head))?;
            out.write_all(piece)?;
            out.write_all(b"\x1b\\")?;
        }
        out.write_all(b"\x1b8")?;
        out.flush()
    }

    /// Takes whatever is shown away.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub fn hide(out: &mut impl Write) -> io::Result<()> {
        write!(out, "\x1b_Ga=d,d=I,i={NUMBER},q=2\x1b\\")?;
        out.flush()
    }
}

/// Pixels of a cell, by what the terminal says of its window; none when it does not say.
pub fn cell_pixels(columns: u16, rows: u16, width: u16, height: u16) -> Option<(usize, usize)> {
    let (across, down) = (width.checked_div(columns)?, height.checked_div(rows)?);
    (across >= 2 && down >= 4).then_some((usize::from(across), usize::from(down)))
}

#[cfg(test)]
mod tests {
    use wayodos_report::ink::Rgb;
    use wayodos_report::{Item, Layer, Shape};

    use super::*;

    #[test]
    fn a_picture_goes_out_in_pieces_and_comes_back_as_it_was() {
        let noise = |index: usize| (index.wrapping_mul(2_654_435_761) >> 8) % 997;
        let place = |index: usize| [noise(index) as f64 / 10.0, noise(index + 1) as f64 / 10.0];
        let ink = |index: usize| Rgb(noise(index) as u8, noise(index + 2) as u8, noise(index + 3) as u8);
        let items = (0..300).map(|at| Item::filled(Layer::Ground, Shape::Disc { at: place(at), radius: 4.0 }, ink(at)));
        let scene = Scene { title: String::new(), width: 100.0, height: 100.0, items: items.collect() };
        let picture = Picture::of(&scene, 2.0, Rect::new(3, 1, 8, 3)).unwrap();
        let mut out = Vec::new();
        picture.show(&mut out).unwrap();
        let text = String::from_utf8(out).unwrap();
        assert!(text.starts_with("\x1b7\x1b[2;4H\x1b_Ga=T,f=100,") && text.ends_with("\x1b\\\x1b8"));
        let pieces: Vec<&str> = text.split("\x1b_G").skip(1).collect();
        assert!(pieces.len() > 2, "{}", pieces.len());
        let mut letters = String::new();
        for (nth, piece) in pieces.iter().enumerate() {
            let (head, rest) = piece.split_once(';').unwrap();
            let body = rest.split('\x1b').next().unwrap();
            assert!(body.len() <= PIECE);
            assert_eq!(head.ends_with("m=0"), nth + 1 == pieces.len(), "only the last says that it is");
            letters.push_str(body);
        }
        let png = STANDARD.decode(letters).unwrap();
        assert!(png == picture.png && png.starts_with(b"\x89PNG"));
    }

    #[test]
    fn a_terminal_that_says_nothing_of_its_pixels_shows_none() {
        assert_eq!(cell_pixels(160, 50, 1280, 800), Some((8, 16)));
        assert_eq!(cell_pixels(160, 50, 0, 0), None);
        assert_eq!(cell_pixels(0, 0, 1280, 800), None);
    }
}
