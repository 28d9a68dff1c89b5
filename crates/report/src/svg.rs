//! A scene as SVG text.

use std::fmt::Write as _;

use crate::ink::Rgb;
use crate::scene::{Anchor, Item, Scene, Shape};

/// The scene as an SVG document with fixed decimals, so that the same scene gives the same bytes.
pub fn to_svg(scene: &Scene) -> String {
    let (w, h) = (number(scene.width), number(scene.height));
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{w}mm\" height=\"{h}mm\" viewBox=\"0 0 {w} {h}\" font-family=\"DejaVu Sans\">\n<title>{}</title>\n<rect width=\"{w}\" height=\"{h}\" fill=\"#ffffff\"/>\n",
        escape(&scene.title)
    );
    for item in scene.ordered() {
        write_item(&mut out, item);
        out.push('\n');
    }
    out.push_str("</svg>\n");
    out
}

fn write_item(out: &mut String, item: &Item) {
    match &item.shape {
        Shape::Polygon(points) => open(out, "polygon", points),
        Shape::Line(points) => open(out, "polyline", points),
        Shape::Disc { at, radius } => {
            let _ = write!(
                out,
                "<circle cx=\"{}\" cy=\"{}\" r=\"{}\"",
                number(at[0]),
                number(at[1]),
                number(*radius)
            );
        }
        Shape::Text {
            at,
            size,
            anchor,
            bold,
            ..
        } => {
            let _ = write!(
                out,
                "<text x=\"{}\" y=\"{}\" font-size=\"{}\"",
                number(at[0]),
                number(at[1]),
                number(*size)
            );
            match anchor {
                Anchor::Start => {}
                Anchor::Middle => out.push_str(" text-anchor=\"middle\""),
                Anchor::End => out.push_str(" text-anchor=\"end\""),
            }
            if *bold {
                out.push_str(" font-weight=\"bold\"");
            }
        }
    }
    match item.fill {
        Some(fill) => {
            let _ = write!(out, " fill=\"{}\"", hex(fill));
            if item.opacity < 1.0 {
                let _ = write!(out, " fill-opacity=\"{}\"", number(item.opacity));
            }
        }
        None => out.push_str(" fill=\"none\""),
    }
    if let Some(stroke) = item.stroke {
        let _ = write!(
            out,
            " stroke=\"{}\" stroke-width=\"{}\" stroke-linejoin=\"round\"",
            hex(stroke.ink),
            number(stroke.width)
        );
        if stroke.dash > 0.0 {
            let _ = write!(out, " stroke-dasharray=\"{}\"", number(stroke.dash));
        }
    }
    match &item.shape {
        Shape::Text { text, .. } => {
            let _ = write!(out, ">{}</text>", escape(text));
        }
        Shape::Polygon(_) | Shape::Line(_) | Shape::Disc { .. } => out.push_str("/>"),
    }
}

fn open(out: &mut String, element: &str, points: &[[f64; 2]]) {
    let _ = write!(out, "<{element} points=\"");
    for (index, [x, y]) in points.iter().enumerate() {
        let space = if index == 0 { "" } else { " " };
        let _ = write!(out, "{space}{},{}", number(*x), number(*y));
    }
    out.push('"');
}

/// At most two decimals (a hundredth of a millimetre), without trailing zeroes; never a negative
/// zero.
fn number(value: f64) -> String {
    let value = (value * 100.0).round() / 100.0 + 0.0;
    if value.is_finite() {
        format!("{value}")
    } else {
        "0".into()
    }
}

fn hex(Rgb(r, g, b): Rgb) -> String {
    format!("#{r:02x}{g:02x}{b:02x}")
}

/// XML text; characters that XML cannot hold become a replacement character.
fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '&' => out.push_str("&amp;"),
            c if c.is_control() || matches!(c, '\u{fffe}' | '\u{ffff}') => out.push('\u{fffd}'),
            c => out.push(c),
        }
    }
    out
}
