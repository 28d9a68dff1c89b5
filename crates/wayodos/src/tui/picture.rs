//! Pictures in the terminal's own pixels, for terminals that can show them within their text.
//!
//! A picture is cut into tiles of a few cells, and only tiles that have changed are sent. Three
//! ways are known: the graphics protocol of several newer terminals (pixels in base64, put over
//! cells), sixel, and inline images. Words are painted in.

use std::io::{self, Write};
use std::sync::Arc;
use std::thread;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use flate2::Compression;
use flate2::write::ZlibEncoder;
use ratatui::layout::Rect;
use wayodos_report::Canvas;

/// How pictures are sent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Protocol {
    /// The graphics protocol.
    Graphics,
    /// Sixel.
    Sixel,
    /// Inline images.
    Inline,
}

/// A picture and the cells that it covers.
#[derive(Clone, Debug)]
pub struct Picture {
    /// The cells.
    pub area: Rect,
    /// Its pixels: as many for each cell as the terminal says.
    pub canvas: Arc<Canvas>,
}

impl PartialEq for Picture {
    /// The same pixels in the same place: those that were painted again are others.
    fn eq(&self, other: &Self) -> bool {
        self.area == other.area && Arc::ptr_eq(&self.canvas, &other.canvas)
    }
}

/// Columns and rows of a tile.
const TILE: (u16, u16) = (24, 12);
/// Pieces of this many letters at most, as the graphics protocol wants.
const PIECE: usize = 4096;
/// From so many tiles on a second thread is worth its start.
const ENOUGH_TILES: usize = 6;
/// Our pictures have the numbers from here on.
const FIRST: u32 = 7000;

/// What is shown, and how.
pub struct Easel {
    protocol: Protocol,
    /// Pixels of a cell.
    pub cell: (usize, usize),
    /// Each in its own slot.
    shown: [Option<Picture>; SLOTS],
}

/// As many pictures are shown at once.
pub const SLOTS: usize = 2;

impl Easel {
    /// Nothing is shown yet.
    pub const fn new(protocol: Protocol, cell: (usize, usize)) -> Self {
        Self {
            protocol,
            cell,
            shown: [const { None }; SLOTS],
        }
    }

    /// The terminal has lost what was shown: it was cleared, or cells were written over it.
    pub fn forget(&mut self) {
        self.shown = [const { None }; SLOTS];
    }

    /// Shows pictures in place of those before, or takes these away. Cells below must not hold
    /// text.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub fn show(
        &mut self,
        pictures: [Option<&Picture>; SLOTS],
        out: &mut impl Write,
    ) -> io::Result<()> {
        for (slot, picture) in pictures.into_iter().enumerate() {
            self.show_one(slot, picture, out)?;
        }
        Ok(())
    }

    fn show_one(
        &mut self,
        slot: usize,
        picture: Option<&Picture>,
        out: &mut impl Write,
    ) -> io::Result<()> {
        let Some(picture) = picture else {
            if self.shown[slot].take().is_some() {
                self.take_slot_away(slot, out)?;
            }
            return Ok(());
        };
        let alike = |before: &Picture| {
            before.area == picture.area && before.canvas.size() == picture.canvas.size()
        };
        let before = self.shown[slot].take().filter(alike);
        if before.as_ref() == Some(picture) {
            self.shown[slot] = before;
            return Ok(());
        }
        if before.is_none() {
            self.take_slot_away(slot, out)?;
        }
        out.write_all(b"\x1b7")?;
        let changed: Vec<(u32, Rect, Pixels)> = (first_of(slot)..)
            .zip(tiles(picture.area))
            .map(|(number, tile)| (number, tile, self.pixels_of(picture, tile)))
            .filter(|(_, _, pixels)| {
                before
                    .as_ref()
                    .is_none_or(|before| !same(&before.canvas, &picture.canvas, *pixels))
            })
            .collect();
        for letters in self.encoded(&picture.canvas, &changed)? {
            out.write_all(&letters)?;
        }
        out.write_all(b"\x1b8")?;
        out.flush()?;
        self.shown[slot] = Some(picture.clone());
        Ok(())
    }

    /// What the terminal is sent for some tiles. Many are encoded by two threads: while the robot
    /// drives there are few, and a thread would cost more than it gives.
    fn encoded(&self, canvas: &Canvas, tiles: &[(u32, Rect, Pixels)]) -> io::Result<[Vec<u8>; 2]> {
        let half = if tiles.len() < ENOUGH_TILES {
            tiles.len()
        } else {
            tiles.len() / 2
        };
        let (first, second) = tiles.split_at(half);
        if second.is_empty() {
            return Ok([self.encode(canvas, first)?, Vec::new()]);
        }
        thread::scope(|scope| {
            let other = scope.spawn(|| self.encode(canvas, second));
            let first = self.encode(canvas, first)?;
            let second = other
                .join()
                .map_err(|_| io::Error::other("the picture cannot be encoded"))?;
            Ok([first, second?])
        })
    }

    fn encode(&self, canvas: &Canvas, tiles: &[(u32, Rect, Pixels)]) -> io::Result<Vec<u8>> {
        let mut out = Vec::new();
        for &(number, tile, pixels) in tiles {
            write!(out, "\x1b[{};{}H", tile.y + 1, tile.x + 1)?;
            match self.protocol {
                Protocol::Graphics => graphics(canvas, pixels, tile, number, &mut out)?,
                Protocol::Sixel => sixel(canvas, pixels, &mut out)?,
                Protocol::Inline => inline(canvas, pixels, tile, &mut out)?,
            }
        }
        Ok(out)
    }

    /// Takes whatever is shown away. Sixel and inline images go when cells are written over them.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub fn take_away(&self, out: &mut impl Write) -> io::Result<()> {
        (0..SLOTS).try_for_each(|slot| self.take_slot_away(slot, out))
    }

    fn take_slot_away(&self, slot: usize, out: &mut impl Write) -> io::Result<()> {
        if self.protocol == Protocol::Graphics {
            for number in first_of(slot)..first_of(slot) + MOST_TILES {
                write!(out, "\x1b_Ga=d,d=I,i={number},q=2\x1b\\")?;
            }
            out.flush()?;
        }
        Ok(())
    }

    /// The pixels of a tile.
    fn pixels_of(&self, picture: &Picture, tile: Rect) -> Pixels {
        let (across, down) = self.cell;
        let (width, height) = picture.canvas.size();
        let left = usize::from(tile.x - picture.area.x) * across;
        let top = usize::from(tile.y - picture.area.y) * down;
        let right = (left + usize::from(tile.width) * across).min(width);
        let bottom = (top + usize::from(tile.height) * down).min(height);
        Pixels {
            left: left.min(right),
            top: top.min(bottom),
            right,
            bottom,
        }
    }
}

/// No pane has more tiles than this: 400 x 120 cells.
const MOST_TILES: u32 = 17 * 10;

/// The number of the first tile of a slot.
const fn first_of(slot: usize) -> u32 {
    FIRST + MOST_TILES * slot as u32
}

/// Pixels of a canvas: left and top belong to them, right and bottom do not.
#[derive(Clone, Copy)]
struct Pixels {
    left: usize,
    top: usize,
    right: usize,
    bottom: usize,
}

impl Pixels {
    const fn width(self) -> usize {
        self.right - self.left
    }

    const fn height(self) -> usize {
        self.bottom - self.top
    }

    /// The rows of a canvas, four bytes a pixel.
    fn rows(self, canvas: &Canvas) -> impl Iterator<Item = &[u8]> {
        let stride = canvas.size().0 * 4;
        (self.top..self.bottom).map(move |row| {
            &canvas.pixels()[row * stride + self.left * 4..row * stride + self.right * 4]
        })
    }
}

/// The tiles of an area, row by row.
fn tiles(area: Rect) -> impl Iterator<Item = Rect> {
    let starts = |from: u16, to: u16, step: u16| (from..to).step_by(usize::from(step));
    let (across, down) = TILE;
    let all = starts(area.y, area.bottom(), down).flat_map(move |y| {
        starts(area.x, area.right(), across).map(move |x| Rect::new(x, y, across, down))
    });
    all.map(move |tile| tile.intersection(area))
        .take(MOST_TILES as usize)
}

fn same(before: &Canvas, now: &Canvas, pixels: Pixels) -> bool {
    pixels.rows(before).eq(pixels.rows(now))
}

fn graphics(
    canvas: &Canvas,
    pixels: Pixels,
    tile: Rect,
    number: u32,
    out: &mut impl Write,
) -> io::Result<()> {
    // In one piece: the encoder clears its whole buffer each time that something is written.
    let mut colours = Vec::with_capacity(pixels.width() * pixels.height() * 3);
    for row in pixels.rows(canvas) {
        for [red, green, blue, _] in row.as_chunks::<4>().0 {
            colours.extend_from_slice(&[*red, *green, *blue]);
        }
    }
    let mut packed = ZlibEncoder::new(Vec::new(), Compression::fast());
    packed.write_all(&colours)?;
    let letters = STANDARD.encode(packed.finish()?);
    let (width, height) = (pixels.width(), pixels.height());
    let Rect {
        width: columns,
        height: rows,
        ..
    } = tile;
    let mut head = format!(
        "a=T,f=24,o=z,s={width},v={height},i={number},p=1,c={columns},r={rows},z=0,C=1,q=2,"
    );
    let mut pieces = letters.as_bytes().chunks(PIECE).peekable();
    while let Some(piece) = pieces.next() {
        let more = u8::from(pieces.peek().is_some());
        write!(out, "\x1b_G{}m={more};", std::mem::take(&mut head))?;
        out.write_all(piece)?;
        out.write_all(b"\x1b\\")?;
    }
    Ok(())
}

fn inline(canvas: &Canvas, pixels: Pixels, tile: Rect, out: &mut impl Write) -> io::Result<()> {
    let Some(png) = canvas.png(pixels.left, pixels.top, pixels.width(), pixels.height()) else {
        return Ok(());
    };
    let (size, Rect { width, height, .. }) = (png.len(), tile);
    write!(
        out,
        "\x1b]1337;File=inline=1;size={size};width={width};height={height};preserveAspectRatio=0;doNotMoveCursor=1:"
    )?;
    out.write_all(STANDARD.encode(png).as_bytes())?;
    out.write_all(b"\x07")
}

/// A sixel picture has at most this many colours.
const COLOURS: usize = 240;

/// The colours of some pixels, and which of them each pixel has.
fn palette(canvas: &Canvas, pixels: Pixels) -> (Vec<[u8; 3]>, Vec<u8>) {
    // Most pictures have few colours; those of smooth edges are put together until they fit.
    (0..8)
        .find_map(|drop| palette_without(drop, canvas, pixels))
        .unwrap_or_else(|| (vec![[0; 3]], vec![0; pixels.width() * pixels.height()]))
}

/// The same without the last bits of each colour; none when there still are too many.
fn palette_without(drop: u32, canvas: &Canvas, pixels: Pixels) -> Option<(Vec<[u8; 3]>, Vec<u8>)> {
    let mut known = Known::new();
    let mut which = Vec::with_capacity(pixels.width() * pixels.height());
    for row in pixels.rows(canvas) {
        // Neighbours mostly are alike.
        for alike in row.as_chunks::<4>().0.chunk_by(|one, next| one == next) {
            let [red, green, blue, _] = alike[0];
            let nth = known.of([red, green, blue], drop)?;
            which.resize(which.len() + alike.len(), nth);
        }
    }
    Some((known.colours, which))
}

/// The colours that have come up so far: a table with a few times as many places, looked through
/// from a colour's own on.
struct Known {
    colours: Vec<[u8; 3]>,
    /// A colour without its last bits, and its number; a free place has a number that no colour
    /// has.
    places: [(u32, u8); Self::PLACES],
}

impl Known {
    const PLACES: usize = 1024;

    fn new() -> Self {
        Self {
            colours: Vec::new(),
            places: [(0, u8::MAX); Self::PLACES],
        }
    }

    /// The number of a colour; none when there are too many.
    fn of(&mut self, colour: [u8; 3], drop: u32) -> Option<u8> {
        let [red, green, blue] = colour.map(|part| u32::from(part) >> drop);
        let key = red << 16 | green << 8 | blue;
        // Source: Knuth, "The Art of Computer Programming", vol. 3, 6.4: multiplicative hashing.
        let mut at = (key.wrapping_mul(0x9e37_79b1) >> 22) as usize;
        loop {
            match self.places[at] {
                (_, u8::MAX) if self.colours.len() >= COLOURS => return None,
                (_, u8::MAX) => {
                    self.places[at] = (key, self.colours.len() as u8);
                    self.colours.push(colour);
                }
                (known, nth) if known == key => return Some(nth),
                _ => at = (at + 1) % Self::PLACES,
            }
        }
    }
}

fn sixel(canvas: &Canvas, pixels: Pixels, out: &mut Vec<u8>) -> io::Result<()> {
    let (colours, which) = palette(canvas, pixels);
    let (width, height) = (pixels.width(), pixels.height());
    // Pixels that are not named stay as they are.
    write!(out, "\x1bP0;1;0q\"1;1;{width};{height}")?;
    let percent = |part: u8| (u32::from(part) * 100 + 127) / 255;
    for (nth, [red, green, blue]) in colours.iter().enumerate() {
        write!(
            out,
            "#{nth};2;{};{};{}",
            percent(*red),
            percent(*green),
            percent(*blue)
        )?;
    }
    let width = width.max(1);
    // Of each colour of a band, which of six rows have it, column by column.
    let mut masks = vec![0u8; colours.len() * width];
    for band in which.chunks(width * 6) {
        let mut used = [false; 256];
        for (row, line) in band.chunks(width).enumerate() {
            for (column, colour) in line.iter().enumerate() {
                used[usize::from(*colour)] = true;
                masks[usize::from(*colour) * width + column] |= 1 << row;
            }
        }
        for colour in (0..colours.len()).filter(|colour| used[*colour]) {
            out.push(b'#');
            number(colour, out);
            let masks = &mut masks[colour * width..][..width];
            let mut run: (u8, usize) = (0, 0);
            for mask in masks.iter_mut() {
                let sign = 63 + std::mem::take(mask);
                if sign == run.0 {
                    run.1 += 1;
                } else {
                    repeat(run, out);
                    run = (sign, 1);
                }
            }
            // What is empty to the end need not be said.
            if run.0 != 63 {
                repeat(run, out);
            }
            out.write_all(b"$")?;
        }
        out.write_all(b"-")?;
    }
    out.write_all(b"\x1b\\")
}

fn repeat((sign, count): (u8, usize), out: &mut Vec<u8>) {
    if count > 3 {
        out.push(b'!');
        number(count, out);
    }
    let times = if count > 3 { 1 } else { count };
    out.extend_from_slice(&[sign; 3][..times]);
}

/// Writes a number of at most four digits: a picture has tens of thousands of them, and the
/// standard way would be half of its cost.
fn number(value: usize, out: &mut Vec<u8>) {
    let digits = [1000, 100, 10, 1].map(|unit| b'0' + (value / unit % 10) as u8);
    let first = digits
        .iter()
        .take(3)
        .take_while(|digit| **digit == b'0')
        .count();
    out.extend_from_slice(&digits[first..]);
}

/// Pixels of a cell, by what the terminal says of its window; none when it does not say.
pub fn cell_pixels(columns: u16, rows: u16, width: u16, height: u16) -> Option<(usize, usize)> {
    let (across, down) = (width.checked_div(columns)?, height.checked_div(rows)?);
    (across >= 2 && down >= 4).then_some((usize::from(across), usize::from(down)))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "helpers of tests are tests")]
mod tests {
    use std::io::Read as _;

    use flate2::read::ZlibDecoder;
    use wayodos_report::ink::Rgb;
    use wayodos_report::{Item, Layer, Shape, rectangle};

    use super::*;

    const CELL: (usize, usize) = (8, 16);

    fn picture(area: Rect, robot: f64) -> Picture {
        let size = (
            usize::from(area.width) * CELL.0,
            usize::from(area.height) * CELL.1,
        );
        let mut canvas = Canvas::new(size, [8.0, 8.0], Rgb(232, 226, 210)).unwrap();
        let disc = Shape::Disc {
            at: [robot, 5.0],
            radius: 2.0,
        };
        canvas.paint([Item::filled(Layer::Robot, disc, Rgb(10, 20, 200))].iter());
        canvas.paint(
            [Item::filled(
                Layer::Ground,
                rectangle(0.0, 20.0, 60.0, 2.0),
                Rgb(0, 0, 0),
            )]
            .iter(),
        );
        Picture {
            area,
            canvas: Arc::new(canvas),
        }
    }

    fn sent(easel: &mut Easel, picture: Option<&Picture>) -> String {
        let mut out = Vec::new();
        easel.show([picture, None], &mut out).unwrap();
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn only_what_has_changed_is_sent() {
        let area = Rect::new(3, 1, 50, 20);
        for protocol in [Protocol::Graphics, Protocol::Sixel, Protocol::Inline] {
            let mut easel = Easel::new(protocol, CELL);
            let first = picture(area, 6.0);
            let whole = sent(&mut easel, Some(&first));
            let places = |text: &str| text.matches("H\x1b").count();
            assert_eq!(places(&whole), 3 * 2, "{protocol:?}: every tile");
            assert_eq!(sent(&mut easel, Some(&first)), "", "the same picture");
            assert_eq!(
                places(&sent(&mut easel, Some(&picture(area, 7.0)))),
                1,
                "it moves within one tile"
            );
            assert_eq!(
                places(&sent(&mut easel, Some(&picture(area, 28.0)))),
                2,
                "from one tile to another"
            );
            assert_eq!(
                places(&sent(
                    &mut easel,
                    Some(&picture(Rect { width: 40, ..area }, 14.0))
                )),
                2 * 2
            );
            easel.forget();
            assert_eq!(
                places(&sent(&mut easel, Some(&first))),
                6,
                "{protocol:?}: after the screen was cleared"
            );
            let gone = sent(&mut easel, None);
            assert_eq!(gone.contains("a=d"), protocol == Protocol::Graphics);
        }
    }

    #[test]
    fn the_graphics_protocol_gives_back_the_very_pixels() {
        let noise =
            |index: usize| (index as u32).wrapping_mul(2_654_435_761).rotate_left(9) as usize % 97;
        let mut canvas = Canvas::new((96, 96), [1.0, 1.0], Rgb(0, 0, 0)).unwrap();
        let dots = (0..6000).map(|at| {
            let place = [noise(at) as f64, noise(at + 1) as f64];
            let ink = Rgb(
                noise(at + 2) as u8,
                noise(at + 3) as u8,
                noise(at + 4) as u8,
            );
            Item::filled(
                Layer::Ground,
                Shape::Disc {
                    at: place,
                    radius: 0.7,
                },
                ink,
            )
        });
        canvas.paint(dots.collect::<Vec<_>>().iter());
        let picture = Picture {
            area: Rect::new(0, 0, 12, 6),
            canvas: Arc::new(canvas),
        };
        let text = sent(&mut Easel::new(Protocol::Graphics, CELL), Some(&picture));
        let pieces: Vec<&str> = text
            .split("\x1b_G")
            .skip(1)
            .filter(|piece| !piece.starts_with("a=d"))
            .collect();
        assert!(pieces.len() > 1, "{}", pieces.len());
        let mut letters = String::new();
        for (nth, piece) in pieces.iter().enumerate() {
            let (head, rest) = piece.split_once(';').unwrap();
            let body = rest.split('\x1b').next().unwrap();
            assert!(body.len() <= PIECE);
            assert_eq!(
                head.ends_with("m=0"),
                nth + 1 == pieces.len(),
                "only the last says that it is"
            );
            letters.push_str(body);
        }
        let mut bytes = Vec::new();
        ZlibDecoder::new(STANDARD.decode(letters).unwrap().as_slice())
            .read_to_end(&mut bytes)
            .unwrap();
        let wanted: Vec<u8> = picture
            .canvas
            .pixels()
            .chunks(4)
            .flat_map(|pixel| pixel[..3].to_vec())
            .collect();
        assert!(bytes == wanted);
    }

    /// What a terminal would paint: the colour of every pixel, in percents.
    fn painted(text: &str, (width, height): (usize, usize)) -> Vec<[u8; 3]> {
        let body = text.split_once('q').unwrap().1.split_once('#').unwrap().1;
        let body = format!("#{}", body.split('\x1b').next().unwrap());
        let (mut colours, mut pixels) = (vec![[0u8; 3]; 256], vec![[255u8; 3]; width * height]);
        let (mut colour, mut x, mut y, mut count) = (0, 0, 0, 1);
        let mut rest = body.as_str();
        while let Some(sign) = rest.chars().next() {
            rest = &rest[1..];
            let digits = rest
                .find(|letter: char| !letter.is_ascii_digit() && letter != ';')
                .unwrap_or(rest.len());
            match sign {
                '#' => {
                    let numbers: Vec<u8> = rest[..digits]
                        .split(';')
                        .map(|part| part.parse().unwrap())
                        .collect();
                    rest = &rest[digits..];
                    colour = usize::from(numbers[0]);
                    if let [_, 2, r, g, b] = numbers[..] {
                        colours[colour] = [r, g, b];
                    }
                }
                '!' => {
                    count = rest[..digits].parse().unwrap();
                    rest = &rest[digits..];
                }
                '$' => x = 0,
                '-' => (x, y) = (0, y + 6),
                sign => {
                    for at in x..x + count {
                        for row in (0..6).filter(|row| (sign as u8 - 63) >> row & 1 == 1) {
                            pixels[(y + row) * width + at] = colours[colour];
                        }
                    }
                    (x, count) = (x + count, 1);
                }
            }
        }
        pixels
    }

    #[test]
    fn sixel_paints_the_same_picture() {
        let picture = picture(Rect::new(0, 0, 12, 5), 4.0);
        let text = sent(&mut Easel::new(Protocol::Sixel, CELL), Some(&picture));
        let seen = painted(&text, picture.canvas.size());
        for (pixel, percents) in picture.canvas.pixels().chunks(4).zip(seen) {
            for (part, percent) in pixel.iter().zip(percents) {
                assert!(
                    (f64::from(*part) / 2.55 - f64::from(percent)).abs() <= 1.0,
                    "{pixel:?} {percents:?}"
                );
            }
        }
    }

    #[test]
    fn a_terminal_that_says_nothing_of_its_pixels_shows_none() {
        assert_eq!(cell_pixels(160, 50, 1280, 800), Some((8, 16)));
        assert_eq!(cell_pixels(160, 50, 0, 0), None);
        assert_eq!(cell_pixels(0, 0, 1280, 800), None);
    }
}
