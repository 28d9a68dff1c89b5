//! Typing freely into the text: a cursor between two letters, and how the line may go on.

use unicode_segmentation::UnicodeSegmentation as _;
use wayodos_core::mission::complete::Completion;

/// Where the cursor stands, and what is offered.
#[derive(Clone, Debug, Default)]
pub struct Free {
    /// The byte of the text that it stands before.
    pub at: usize,
    /// The column it wants to be in while it goes through shorter lines.
    pub wants: Option<usize>,
    /// How the line may go on.
    pub offers: Vec<Completion>,
    /// The marked one.
    pub marked: usize,
}

impl Free {
    /// A cursor at a byte.
    pub fn new(at: usize) -> Self {
        Self {
            at,
            ..Self::default()
        }
    }

    /// The start of the line that the cursor is in, and its end.
    pub fn line(&self, text: &str) -> (usize, usize) {
        let start = text[..self.at].rfind('\n').map_or(0, |end| end + 1);
        let end = text[self.at..]
            .find('\n')
            .map_or(text.len(), |at| self.at + at);
        // A line may end in \r\n.
        let end = if end > start && text.as_bytes()[end - 1] == b'\r' {
            end - 1
        } else {
            end
        };
        (start, end.max(self.at))
    }

    /// One letter back; none at the start.
    pub fn before(&self, text: &str) -> Option<usize> {
        text[..self.at]
            .grapheme_indices(true)
            .next_back()
            .map(|(at, _)| at)
    }

    /// One letter on; none at the end.
    pub fn after(&self, text: &str) -> Option<usize> {
        text[self.at..]
            .graphemes(true)
            .next()
            .map(|letter| self.at + letter.len())
    }

    /// The start of the word before the cursor.
    pub fn word_before(&self, text: &str) -> usize {
        let (start, _) = self.line(text);
        if self.at == start {
            return self.before(text).unwrap_or(0);
        }
        let mut words = text[start..self.at].split_word_bound_indices();
        words
            .rfind(|(_, word)| !word.trim().is_empty())
            .map_or(start, |(at, _)| start + at)
    }

    /// The end of the word after the cursor.
    pub fn word_after(&self, text: &str) -> usize {
        let (_, end) = self.line(text);
        if self.at == end {
            return self.after(text).unwrap_or(self.at);
        }
        let mut words = text[self.at..end]
            .split_word_bound_indices()
            .filter(|(_, word)| !word.trim().is_empty());
        words
            .next()
            .map_or(end, |(at, word)| self.at + at + word.len())
    }

    /// The place in the line above or below that is nearest to the column that is wanted.
    pub fn beside(&mut self, text: &str, down: bool) -> Option<usize> {
        let (start, end) = self.line(text);
        let column = *self
            .wants
            .get_or_insert_with(|| text[start..self.at].graphemes(true).count());
        let from = if down {
            text[end..].find('\n').map(|at| end + at + 1)?
        } else {
            let above = start.checked_sub(1)?;
            text[..above].rfind('\n').map_or(0, |end| end + 1)
        };
        let line = text[from..]
            .split('\n')
            .next()
            .unwrap_or("")
            .trim_end_matches('\r');
        let at = line
            .grapheme_indices(true)
            .nth(column)
            .map_or(line.len(), |(at, _)| at);
        Some(from + at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "ab cd\n\u{1f980}x\r\n\nlast";

    #[test]
    fn the_cursor_goes_by_letters_words_and_lines() {
        let at = |at: usize| Free::new(at);
        assert_eq!((at(0).before(TEXT), at(0).after(TEXT)), (None, Some(1)));
        assert_eq!(at(6).after(TEXT), Some(10), "a crab is one letter");
        assert_eq!(at(TEXT.len()).after(TEXT), None);
        assert_eq!(
            (
                at(5).word_before(TEXT),
                at(3).word_before(TEXT),
                at(0).word_before(TEXT)
            ),
            (3, 0, 0)
        );
        assert_eq!(
            (
                at(0).word_after(TEXT),
                at(2).word_after(TEXT),
                at(5).word_after(TEXT)
            ),
            (2, 5, 6)
        );
        assert_eq!((at(7 + 3).line(TEXT), at(0).line(TEXT)), ((6, 11), (0, 5)));
    }

    #[test]
    fn going_through_short_lines_keeps_the_column() {
        let mut free = Free::new(4);
        free.at = free.beside(TEXT, true).unwrap();
        assert_eq!(free.at, 11, "the end of the crab's line");
        free.at = free.beside(TEXT, true).unwrap();
        free.at = free.beside(TEXT, true).unwrap();
        assert_eq!(&TEXT[free.at..], "", "the fourth column of the last line");
        assert_eq!(free.beside(TEXT, true), None);
        for _ in 0..3 {
            free.at = free.beside(TEXT, false).unwrap();
        }
        assert_eq!((free.at, free.beside(TEXT, false)), (4, None));
    }
}
