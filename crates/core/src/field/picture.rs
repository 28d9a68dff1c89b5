//! Pictures as mats: PNG files with their size in millimetres, reduced to one value a millimetre.

use std::sync::Arc;

use super::{BadPicture, Point};
use crate::units::colour::linear;

/// A picture has at most this many pixels: a sheet of 600 x 420 mm at 150 to the inch has 8.8
/// million.
pub const MOST_PIXELS: u64 = 10_000_000;
/// Cells of a picture are never smaller, metres.
const FINEST: f64 = 0.001;

/// A picture that lies on the mat, beneath all lines and patches.
#[derive(Clone, PartialEq)]
pub struct Picture {
    /// Its file, for messages.
    pub file: String,
    /// Its lower left corner on the field.
    pub at: Point,
    /// Its extent to the right and upwards, metres.
    pub size: (f64, f64),
    /// Columns and rows of cells.
    pub cells: (usize, usize),
    /// Linear red, green, blue and how much it covers, 0 to 65535; row 0 at the bottom.
    texels: Arc<[[u16; 4]]>,
    /// Share of light mirrored, 0 to 1.
    pub gloss: f64,
}

impl std::fmt::Debug for Picture {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            out,
            "Picture({}, {:?}, {:?}, {:?})",
            self.file, self.at, self.size, self.cells
        )
    }
}

impl Picture {
    /// Reads a PNG.
    ///
    /// # Errors
    /// It is damaged, cut off or too large.
    pub fn png(
        file: &str,
        bytes: &[u8],
        at: Point,
        size: (f64, f64),
        gloss: f64,
    ) -> Result<Self, BadPicture> {
        let mut decoder = png::Decoder::new_with_limits(
            std::io::Cursor::new(bytes),
            png::Limits {
                bytes: MOST_PIXELS as usize * 8,
            },
        );
        decoder.set_transformations(
            png::Transformations::normalize_to_color8() | png::Transformations::ALPHA,
        );
        let mut reader = decoder.read_info().map_err(|error| damaged(&error))?;
        let (columns, rows) = (reader.info().width as usize, reader.info().height as usize);
        if columns as u64 * rows as u64 > MOST_PIXELS {
            return Err(BadPicture::Pixels { columns, rows });
        }
        let room = reader.output_buffer_size().ok_or(BadPicture::TooLarge)?;
        let mut pixels = vec![0; room];
        let info = reader
            .next_frame(&mut pixels)
            .map_err(|error| damaged(&error))?;
        let channels = info.color_type.samples();
        let across = columns.min((size.0 / FINEST).ceil().max(1.0) as usize);
        let up = rows.min((size.1 / FINEST).ceil().max(1.0) as usize);
        // Every pixel goes to the cell that its middle lies in, as light.
        let mut sums = vec![[0.0f32; 5]; across * up];
        let light: Vec<f32> = (0..=255u8)
            .map(|byte| linear([byte; 3])[0] as f32)
            .collect();
        for (row, line) in pixels.chunks_exact(info.line_size).take(rows).enumerate() {
            let below = (2 * (rows - row) - 1) * up / (2 * rows);
            for (column, pixel) in line.chunks_exact(channels).take(columns).enumerate() {
                let sum = &mut sums[below * across + (2 * column + 1) * across / (2 * columns)];
                let cover = f32::from(pixel[channels - 1]) / 255.0;
                let rgb = if channels < 3 {
                    [pixel[0]; 3]
                } else {
                    [pixel[0], pixel[1], pixel[2]]
                };
                for (part, byte) in sum.iter_mut().zip(rgb) {
                    *part += light[usize::from(byte)] * cover;
                }
                sum[3] += cover;
                sum[4] += 1.0;
            }
        }
        let full = |share: f32| (share * 65535.0 + 0.5) as u16;
        let texel = |sum: &[f32; 5]| {
            let [r, g, b, cover, count] = *sum;
            let of = |part: f32| full(if cover > 0.0 { part / cover } else { 0.0 });
            [of(r), of(g), of(b), full(cover / count.max(1.0))]
        };
        let texels = sums.iter().map(texel).collect();
        Ok(Self {
            file: file.to_owned(),
            at,
            size,
            cells: (across, up),
            texels,
            gloss,
        })
    }

    /// The cell at a place: linear red, green, blue and how much it covers, 0 to 65535; none beside
    /// the picture.
    pub fn cell(&self, place: Point) -> Option<[u16; 4]> {
        let (x, y) = (
            (place.x - self.at.x) / self.size.0,
            (place.y - self.at.y) / self.size.1,
        );
        let inside = (0.0..1.0).contains(&x) && (0.0..1.0).contains(&y);
        let (column, row) = (
            (x * self.cells.0 as f64) as usize,
            (y * self.cells.1 as f64) as usize,
        );
        inside.then(|| {
            self.texels[row.min(self.cells.1 - 1) * self.cells.0 + column.min(self.cells.0 - 1)]
        })
    }
}

fn damaged(error: &png::DecodingError) -> BadPicture {
    match error {
        png::DecodingError::LimitsExceeded => BadPicture::TooLarge,
        png::DecodingError::IoError(_) => BadPicture::CutOff,
        other => BadPicture::Damaged(other.to_string().trim_end_matches('.').to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    pub fn encoded(width: u32, height: u32, pixel: impl Fn(u32, u32) -> [u8; 4]) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, width, height);
        encoder.set_color(png::ColorType::Rgba);
        encoder.set_depth(png::BitDepth::Eight);
        let data: Vec<u8> = (0..height)
            .flat_map(|y| (0..width).flat_map(move |x| [(x, y)]))
            .flat_map(|(x, y)| pixel(x, y))
            .collect();
        encoder
            .write_header()
            .unwrap()
            .write_image_data(&data)
            .unwrap();
        bytes
    }

    #[test]
    fn a_picture_lies_as_it_is_seen_and_keeps_its_light() {
        // Upper half red, lower half fine stripes of black and white.
        let stripes = |x: u32, y: u32| match (y, x & 1) {
            (0..20, _) => [255, 0, 0, 255],
            (_, 0) => [0, 0, 0, 255],
            _ => [255, 255, 255, 255],
        };
        let bytes = encoded(400, 40, stripes);
        let at = Point::new(1.0, 2.0);
        let picture = Picture::png("a.png", &bytes, at, (0.2, 0.02), 0.0).unwrap();
        assert_eq!(picture.cells, (200, 20));
        assert_eq!(
            picture.cell(Point::new(1.1, 2.015)),
            Some([65535, 0, 0, 65535])
        );
        // Half black and half white send back half the light, which is not the middle of the bytes.
        let grey = picture.cell(Point::new(1.1, 2.005)).unwrap();
        assert!((i32::from(grey[0]) - 32768).abs() < 300, "{grey:?}");
        assert_eq!(picture.cell(Point::new(0.99, 2.005)), None);
        let coarse = Picture::png("a.png", &bytes, at, (2.0, 2.0), 0.0).unwrap();
        assert_eq!(coarse.cells, (400, 40), "no finer than its pixels");
    }

    #[test]
    fn what_is_see_through_covers_nothing() {
        let bytes = encoded(10, 10, |x, _| [0, 0, 0, if x < 5 { 0 } else { 255 }]);
        let picture = Picture::png("a.png", &bytes, Point::default(), (0.01, 0.01), 0.0).unwrap();
        assert_eq!(picture.cell(Point::new(0.002, 0.005)), Some([0, 0, 0, 0]));
        assert_eq!(
            picture.cell(Point::new(0.008, 0.005)),
            Some([0, 0, 0, 65535])
        );
    }

    #[test]
    fn a_picture_cut_off_anywhere_is_refused_and_so_is_an_absurd_one() {
        let whole = encoded(30, 30, |x, y| [(x * 8) as u8, (y * 8) as u8, 7, 255]);
        let read = |bytes: &[u8]| Picture::png("a.png", bytes, Point::default(), (0.1, 0.1), 0.0);
        for end in (0..whole.len() - 20).step_by(7) {
            assert!(
                read(&whole[..end]).is_err(),
                "{end} of {} bytes",
                whole.len()
            );
        }
        // A header alone that promises more than there can be.
        let mut huge = whole.clone();
        huge[16..20].copy_from_slice(&2_000_000_000u32.to_be_bytes());
        assert!(read(&huge).is_err());
        assert!(
            read(&encoded(4000, 2600, |_, _| [0; 4]))
                .unwrap_err()
                .to_string()
                .contains("10 million")
        );
        for at in 0..whole.len().min(120) {
            let mut turned = whole.clone();
            turned[at] ^= 0x5a;
            let _ = read(&turned);
        }
    }
}
