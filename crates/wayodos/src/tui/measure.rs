//! How much room a text takes on the screen.

use unicode_segmentation::UnicodeSegmentation as _;
use unicode_width::UnicodeWidthStr as _;

/// The pieces of a text that are shown as one, with the byte they start at and the columns they
/// take. Signs that would upset a terminal are shown as a dot.
pub(in crate::tui) fn pieces(text: &str) -> impl Iterator<Item = (usize, &str, u16)> {
    text.grapheme_indices(true)
        .map(|(byte, piece)| match piece {
            "\t" => (byte, " ", 1),
            _ if piece.chars().any(char::is_control) => (byte, "·", 1),
            _ => (byte, piece, piece.width() as u16),
        })
}

/// Columns that a text takes.
pub(in crate::tui) fn columns(text: &str) -> u16 {
    pieces(text).map(|(_, _, width)| width).sum()
}

/// A text in rows of at most this many columns, broken at spaces where there are any.
pub(in crate::tui) fn wrapped(text: &str, room: u16) -> impl Iterator<Item = &str> {
    let mut rest = text;
    std::iter::from_fn(move || {
        if rest.is_empty() {
            return None;
        }
        let (mut wide, mut space) = (0, None);
        for (byte, piece, columns) in pieces(rest) {
            if piece == " " {
                space = Some(byte);
            }
            wide += columns;
            if wide > room && byte > 0 {
                let cut = space.filter(|space| *space > 0).unwrap_or(byte);
                let row = &rest[..cut];
                rest = rest[cut..].trim_start();
                return Some(row);
            }
        }
        Some(std::mem::take(&mut rest))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_break_at_spaces_and_keep_every_word() {
        let rows: Vec<&str> = wrapped("one two three fourteenletters x", 9).collect();
        assert_eq!(rows, ["one two", "three", "fourteenl", "etters x"]);
        assert_eq!(wrapped("", 9).count(), 0);
        assert_eq!(
            wrapped("\u{1f980}\u{1f980}\u{1f980}", 4).collect::<Vec<_>>(),
            ["\u{1f980}\u{1f980}", "\u{1f980}"]
        );
        assert_eq!(
            wrapped("abc", 0).collect::<String>(),
            "abc",
            "no room is no reason to hang"
        );
    }
}
