//! Splits one line of a mission into tokens. Every byte of the line is in a token, a space or the
//! comment.

use std::ops::Range;

/// What a token is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TokenKind {
    /// Letters, digits and hyphens, starting with a letter.
    Word,
    /// Digits with an optional sign and decimals.
    Number,
    /// Text in double quotes; the quotes belong to the span.
    Text,
    /// A quote that is not closed on its line.
    OpenText,
    /// `->`
    Arrow,
    /// `%`
    Percent,
    /// Any of `, = < > / ( ) : + - *`
    Sign,
    /// Anything else, one character.
    Unknown,
}

/// A token with its bytes in the whole text.
#[derive(Clone, Debug, PartialEq)]
pub struct Token {
    /// What it is.
    pub kind: TokenKind,
    /// Where it stands.
    pub span: Range<usize>,
}

/// The tokens of the line that stands at `line` in `text`, and the span of its comment.
pub fn tokens(text: &str, line: Range<usize>) -> (Vec<Token>, Option<Range<usize>>) {
    let mut found = Vec::new();
    let mut at = line.start;
    while at < line.end {
        if text.as_bytes()[at] == b' ' {
            at += 1;
            continue;
        }
        let rest = &text[at..line.end];
        let first = rest.chars().next().expect("not at the end of the line");
        let (kind, length) = match first {
            '#' => return (found, Some(at..line.end)),
            c if c.is_whitespace() || c == '\u{feff}' => {
                at += c.len_utf8();
                continue;
            }
            '"' => match rest[1..].find('"') {
                Some(end) => (TokenKind::Text, end + 2),
                None => (TokenKind::OpenText, rest.trim_end().len()),
            },
            '-' if rest.starts_with("->") => (TokenKind::Arrow, 2),
            c if c.is_ascii_digit()
                || (matches!(c, '-' | '+')
                    && rest[1..].starts_with(|d: char| d.is_ascii_digit())) =>
            {
                (TokenKind::Number, number_length(rest))
            }
            c if c.is_alphabetic() => (TokenKind::Word, word_length(rest)),
            '%' => (TokenKind::Percent, 1),
            ',' | '=' | '<' | '>' | '/' | '(' | ')' | ':' | '+' | '-' | '*' => (TokenKind::Sign, 1),
            c => (TokenKind::Unknown, c.len_utf8()),
        };
        found.push(Token {
            kind,
            span: at..at + length,
        });
        at += length;
    }
    (found, None)
}

fn number_length(rest: &str) -> usize {
    let bytes = rest.as_bytes();
    let mut length = 1;
    while length < bytes.len()
        && (bytes[length].is_ascii_digit()
            // A full stop belongs to the number only when a digit follows: `30..70` is a span of
            // two numbers.
            || (bytes[length] == b'.' && bytes.get(length + 1).is_some_and(u8::is_ascii_digit)))
    {
        length += 1;
    }
    length
}

fn word_length(rest: &str) -> usize {
    let bytes = rest.as_bytes();
    let mut at = 0;
    loop {
        // Nearly all letters are ASCII, and need no decoding.
        at += bytes[at..]
            .iter()
            .take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_')
            .count();
        let next = match bytes.get(at) {
            // A hyphen belongs to a word only within it.
            Some(b'-') => rest[at + 1..]
                .starts_with(char::is_alphanumeric)
                .then_some(1),
            Some(byte) if !byte.is_ascii() => rest[at..]
                .chars()
                .next()
                .filter(|letter| letter.is_alphanumeric())
                .map(char::len_utf8),
            _ => None,
        };
        let Some(length) = next else { return at };
        at += length;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tokens_of(line: &str) -> Vec<(TokenKind, &str)> {
        let (tokens, _) = tokens(line, 0..line.len());
        tokens
            .into_iter()
            .map(|token| (token.kind, &line[token.span]))
            .collect()
    }

    #[test]
    fn lines_fall_into_words_numbers_and_signs() {
        use TokenKind::{Arrow, Number, OpenText, Percent, Sign, Text, Unknown, Word};
        for (line, expected) in [
            (
                "until floor-left < 40 %",
                vec![
                    (Word, "until"),
                    (Word, "floor-left"),
                    (Sign, "<"),
                    (Number, "40"),
                    (Percent, "%"),
                ],
            ),
            ("-> \"a # b\" # c", vec![(Arrow, "->"), (Text, "\"a # b\"")]),
            ("-3.5mm", vec![(Number, "-3.5"), (Word, "mm")]),
            (
                "gain,0.6",
                vec![(Word, "gain"), (Sign, ","), (Number, "0.6")],
            ),
            ("fail \"open  ", vec![(Word, "fail"), (OpenText, "\"open")]),
            ("é\u{1f980}", vec![(Word, "é"), (Unknown, "\u{1f980}")]),
            ("", vec![]),
            ("   # only a comment", vec![]),
        ] {
            assert_eq!(tokens_of(line), expected, "{line}");
        }
        assert_eq!(tokens("a # b", 0..5).1, Some(2..5));
    }
}
