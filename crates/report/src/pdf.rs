//! Scenes as PDF (a page each, selectable text) or PNG, by way of their SVG.

use std::sync::Arc;

use krilla::Document;
use krilla::geom::Size;
use krilla::page::PageSettings;
use krilla_svg::{SurfaceExt, SvgSettings};
use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{Options, Tree, fontdb};

use crate::scene::Scene;
use crate::svg::to_svg;

/// Why a drawing could not be made.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DrawError(String);

impl std::fmt::Display for DrawError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "the drawing could not be made: {}", self.0)
    }
}

impl std::error::Error for DrawError {}

/// Widest picture in pixels.
const WIDEST: f64 = 8000.0;

fn tree(scene: &Scene) -> Result<Tree, DrawError> {
    let mut fonts = fontdb::Database::new();
    // The fonts travel along: the same drawing on every machine, whatever is installed there.
    for face in [dejavu::sans::regular(), dejavu::sans::bold()] {
        fonts.load_font_data(face.to_vec());
    }
    fonts.set_sans_serif_family("DejaVu Sans");
    let options = Options {
        fontdb: Arc::new(fonts),
        font_family: "DejaVu Sans".into(),
        ..Options::default()
    };
    Tree::from_str(&to_svg(scene), &options).map_err(|error| DrawError(error.to_string()))
}

/// The scene as a PDF of one page of the scene's own size.
///
/// # Errors
/// When the scene has no extent, or a font cannot be embedded.
pub fn to_pdf(scene: &Scene) -> Result<Vec<u8>, DrawError> {
    pages_to_pdf(std::slice::from_ref(scene))
}

/// The scenes as a PDF, each a page of its own size.
///
/// # Errors
/// When there is none, one has no extent, or a font cannot be embedded.
pub fn pages_to_pdf(scenes: &[Scene]) -> Result<Vec<u8>, DrawError> {
    let points = |mm: f64| (mm / 25.4 * 72.0) as f32;
    let mut document = Document::new();
    for scene in scenes {
        let tree = tree(scene)?;
        let size = Size::from_wh(points(scene.width), points(scene.height))
            .ok_or_else(|| DrawError("the page has no extent".into()))?;
        let mut page = document.start_page_with(PageSettings::new(size));
        let mut surface = page.surface();
        let drawn = surface.draw_svg(&tree, size, SvgSettings::default());
        surface.finish();
        page.finish();
        drawn.ok_or_else(|| DrawError("a shape could not be drawn".into()))?;
    }
    document
        .finish()
        .map_err(|error| DrawError(format!("{error:?}")))
}

/// The scene as a PNG with this many pixels a millimetre, or fewer when the picture would be too
/// large.
///
/// # Errors
/// When the scene has no extent.
pub fn to_png(scene: &Scene, per_mm: f64) -> Result<Vec<u8>, DrawError> {
    let tree = tree(scene)?;
    let longest = scene.width.max(scene.height).max(1.0);
    let per_mm = per_mm.min(WIDEST / longest);
    let (width, height) = (
        (scene.width * per_mm).ceil() as u32,
        (scene.height * per_mm).ceil() as u32,
    );
    let mut picture =
        Pixmap::new(width, height).ok_or_else(|| DrawError("the picture has no extent".into()))?;
    let scale = width as f32 / tree.size().width();
    resvg::render(
        &tree,
        Transform::from_scale(scale, scale),
        &mut picture.as_mut(),
    );
    picture
        .encode_png()
        .map_err(|error| DrawError(error.to_string()))
}
