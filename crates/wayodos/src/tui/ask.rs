//! What the terminal says about itself: whether it can show pictures, how large its cells are,
//! whether its ground is light.
//!
//! It is asked once, by the thread that reads keys, before it reads any: nobody waits for the
//! answer. What people type meanwhile is kept. A terminal that does not answer within a second gets
//! what every terminal can show.

use std::fs::File;
use std::io::{self, Read as _, Write};
use std::time::{Duration, Instant};

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use wayodos_report::ink::Rgb;

/// How long an answer may take: over a slow line it comes late, and must not be taken for keys
/// then.
const PATIENCE: Duration = Duration::from_secs(1);

/// A terminal that has not answered at all by then, while keys come, does not answer.
const SILENCE: Duration = Duration::from_millis(250);

/// The rest of a key comes within this time.
const HALF_A_KEY: Duration = Duration::from_millis(20);

/// Pictures by the graphics protocol, a pixel of one; the colour of the ground; the size of a cell;
/// the terminal's own name.
const GRAPHICS: &str = "\x1b_Gi=31,s=1,v=1,a=q,t=d,f=24;AAAA\x1b\\";
const GROUND: &str = "\x1b]11;?\x1b\\";
const CELL: &str = "\x1b[16t";
const NAME: &str = "\x1b[>q";
/// What kind of terminal it is: every one answers this, and so it comes last.
const KIND: &str = "\x1b[c";

/// What it said.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[expect(
    clippy::struct_excessive_bools,
    reason = "each is an answer of its own"
)]
pub struct Answers {
    /// It shows pictures by the graphics protocol.
    pub graphics: bool,
    /// It shows sixel pictures.
    pub sixel: bool,
    /// It shows inline images.
    pub inline: bool,
    /// Pixels of a cell, across and down.
    pub cell: Option<(usize, usize)>,
    /// The colour of its ground.
    pub ground: Option<Rgb>,
    /// It has answered to the end.
    pub whole: bool,
    /// What was typed meanwhile.
    pub typed: Vec<u8>,
}

/// Asks the terminal. `var` looks a variable of the environment up.
pub fn ask(var: impl Fn(&str) -> Option<String>) -> Answers {
    let term = var("TERM").unwrap_or_default();
    // These show the questions themselves.
    if term.is_empty() || term == "dumb" || term.starts_with("linux") {
        return Answers::default();
    }
    let within = ["TMUX", "STY"].iter().any(|name| var(name).is_some());
    // A multiplexer answers for itself; what it does not know it would swallow.
    let questions = if within {
        format!("{GROUND}{CELL}{KIND}")
    } else {
        format!("{GRAPHICS}{GROUND}{CELL}{NAME}{KIND}")
    };
    exchange(&questions)
        .map(|bytes| read(&bytes))
        .unwrap_or_default()
}

/// Sends the questions, and collects what comes until the last answer.
fn exchange(questions: &str) -> io::Result<Vec<u8>> {
    let mut terminal = File::options().read(true).write(true).open("/dev/tty")?;
    terminal.write_all(questions.as_bytes())?;
    terminal.flush()?;
    let began = Instant::now();
    let mut bytes = Vec::new();
    loop {
        // Somebody types, and the terminal is silent: most likely it will be.
        let answers = read(&bytes);
        let silent = !bytes.is_empty() && answers.typed.len() == bytes.len();
        let patience = if silent { SILENCE } else { PATIENCE };
        let Some(mut left) = patience.checked_sub(began.elapsed()) else {
            break;
        };
        if answers.whole {
            // A key that has begun must not be cut in two: its second half would be read as other
            // keys.
            if !unfinished(&answers.typed) || began.elapsed() > SILENCE {
                break;
            }
            left = left.min(HALF_A_KEY);
        }
        let wait = Timespec {
            tv_sec: 0,
            tv_nsec: i64::from(left.subsec_nanos()).max(1),
        };
        if poll(&mut [PollFd::new(&terminal, PollFlags::IN)], Some(&wait))? == 0 {
            // What was half a key and stays so is Esc.
            if answers.whole {
                break;
            }
            continue;
        }
        let mut piece = [0; 512];
        let count = terminal.read(&mut piece)?;
        if count == 0 {
            break;
        }
        bytes.extend_from_slice(&piece[..count]);
    }
    Ok(bytes)
}

/// What the bytes say; what is no answer was typed.
pub fn read(bytes: &[u8]) -> Answers {
    let mut answers = Answers::default();
    let mut rest = bytes;
    while let Some(&first) = rest.first() {
        let taken = if first == 0x1b {
            answer(rest, &mut answers)
        } else {
            0
        };
        if taken == 0 {
            answers.typed.push(first);
            rest = &rest[1..];
        } else {
            rest = &rest[taken..];
        }
    }
    answers
}

/// Takes one answer in; how many bytes it has, none when it is no answer.
fn answer(bytes: &[u8], answers: &mut Answers) -> usize {
    // Strings end with ST or BEL.
    let string = |begin: &str| -> Option<(String, usize)> {
        let inside = bytes.strip_prefix(begin.as_bytes())?;
        let end = inside.iter().position(|byte| matches!(byte, 0x07 | 0x1b))?;
        let tail = if inside[end] == 0x07 { 1 } else { 2 };
        (inside.len() >= end + tail).then(|| {
            (
                String::from_utf8_lossy(&inside[..end]).into_owned(),
                begin.len() + end + tail,
            )
        })
    };
    if let Some((text, length)) = string("\x1b_G") {
        answers.graphics |= text.ends_with(";OK");
        return length;
    }
    if let Some((text, length)) = string("\x1b]11;") {
        answers.ground = colour(&text).or(answers.ground);
        return length;
    }
    if let Some((text, length)) = string("\x1bP>|") {
        // These show inline images; most others that do also know one of the other ways.
        answers.inline |= ["iTerm2", "WezTerm", "mintty"]
            .iter()
            .any(|name| text.contains(name));
        return length;
    }
    let Some(inside) = bytes.strip_prefix(b"\x1b[") else {
        return 0;
    };
    let Some(end) = inside
        .iter()
        .position(|byte| !matches!(byte, b'0'..=b'9' | b';' | b'?'))
    else {
        return 0;
    };
    let numbers = String::from_utf8_lossy(&inside[..end]).into_owned();
    let length = end + 3;
    match (inside[end], numbers.strip_prefix('?')) {
        (b'c', Some(kinds)) => {
            answers.sixel |= kinds.split(';').skip(1).any(|kind| kind == "4");
            answers.whole = true;
            length
        }
        (b't', None) if numbers.starts_with("6;") => {
            let mut sides = numbers
                .split(';')
                .skip(1)
                .map_while(|number| number.parse().ok());
            if let (Some(down), Some(across)) = (sides.next(), sides.next()) {
                answers.cell = Some((across, down))
                    .filter(|(across, down)| (2..200).contains(across) && (4..400).contains(down));
            }
            length
        }
        _ => 0,
    }
}

/// The colour that is written `rgb:ffff/ffff/ffff`, with one to four digits a part.
fn colour(text: &str) -> Option<Rgb> {
    let parts = text.strip_prefix("rgb:").or(text.strip_prefix("rgba:"))?;
    let mut parts = parts.split('/').map(|part| {
        let most = 16f64.powi(part.len() as i32) - 1.0;
        u32::from_str_radix(part, 16)
            .ok()
            .map(|value| (f64::from(value) / most * 255.0).round() as u8)
    });
    Some(Rgb(parts.next()??, parts.next()??, parts.next()??))
}

impl Answers {
    /// Whether its ground is light: nearer to white than to black for the eye.
    pub fn light(&self) -> Option<bool> {
        self.ground.map(|ground| ground.luminance() > 0.18)
    }
}

/// The keys that bytes stand for, and what was pasted. Sequences that stand for no key, as those of
/// the mouse, are left out: their letters must never be taken for commands.
pub fn keys(bytes: &[u8]) -> Vec<Event> {
    const PASTE: (&str, &str) = ("\x1b[200~", "\x1b[201~");
    let mut events = Vec::new();
    let text = String::from_utf8_lossy(bytes);
    let mut rest = text.as_ref();
    while let Some(letter) = rest.chars().next() {
        if let Some(pasted) = rest.strip_prefix(PASTE.0) {
            let (inside, behind) = pasted.split_once(PASTE.1).unwrap_or((pasted, ""));
            events.push(Event::Paste(inside.to_owned()));
            rest = behind;
            continue;
        }
        let sequence = sequence(rest);
        let (code, modifiers, length) = match (sequence, letter) {
            (Some((code, length)), _) => (code, KeyModifiers::NONE, length),
            (None, '\x1b') => (Some(KeyCode::Esc), KeyModifiers::NONE, 1),
            (None, '\r' | '\n') => (Some(KeyCode::Enter), KeyModifiers::NONE, 1),
            (None, '\t') => (Some(KeyCode::Tab), KeyModifiers::NONE, 1),
            (None, '\x7f') => (Some(KeyCode::Backspace), KeyModifiers::NONE, 1),
            (None, letter @ '\x01'..='\x1a') => (
                Some(KeyCode::Char(char::from(letter as u8 + b'a' - 1))),
                KeyModifiers::CONTROL,
                1,
            ),
            (None, letter) => (
                Some(KeyCode::Char(letter)),
                KeyModifiers::NONE,
                letter.len_utf8(),
            ),
        };
        events.extend(code.map(|code| Event::Key(KeyEvent::new(code, modifiers))));
        rest = &rest[length..];
    }
    events
}

/// The key of a control sequence at the beginning of a text, if it stands for one, and its length;
/// none when there is no whole sequence. Source: ECMA-48, 5.4.
fn sequence(text: &str) -> Option<(Option<KeyCode>, usize)> {
    let inside = text
        .strip_prefix("\x1b[")
        .or_else(|| text.strip_prefix("\x1bO"))?;
    let end = inside.find(|sign: char| !(' '..='?').contains(&sign))?;
    let last = inside[end..]
        .chars()
        .next()
        .filter(|last| ('@'..='~').contains(last))?;
    let code = match (last, &inside[..end]) {
        ('A', "") => Some(KeyCode::Up),
        ('B', "") => Some(KeyCode::Down),
        ('C', "") => Some(KeyCode::Right),
        ('D', "") => Some(KeyCode::Left),
        ('Z', "") => Some(KeyCode::BackTab),
        ('H', "") | ('~', "1" | "7") => Some(KeyCode::Home),
        ('F', "") | ('~', "4" | "8") => Some(KeyCode::End),
        ('~', "3") => Some(KeyCode::Delete),
        ('~', "5") => Some(KeyCode::PageUp),
        ('~', "6") => Some(KeyCode::PageDown),
        _ => None,
    };
    Some((code, 2 + end + 1))
}

/// Whether bytes end within a sequence, of which the rest is still on its way.
fn unfinished(bytes: &[u8]) -> bool {
    let tail = bytes
        .iter()
        .rposition(|byte| *byte == 0x1b)
        .map_or(&[][..], |at| &bytes[at..]);
    match tail {
        [] => std::str::from_utf8(bytes).is_err_and(|error| error.error_len().is_none()),
        [_] => true,
        [_, b'[' | b'O', rest @ ..] => !rest.iter().any(|byte| (b'@'..=b'~').contains(byte)),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_are_understood_and_what_was_typed_between_them_is_kept() {
        let all = b"a\x1b_Gi=31;OK\x1b\\b\x1b]11;rgb:ffff/fafa/f0f0\x07\x1b[A\x1b[6;16;8t\x1bP>|WezTerm 2024\x1b\\\x1b[?62;4;22cx\r";
        let answers = read(all);
        assert!(answers.graphics && answers.sixel && answers.inline && answers.whole);
        assert_eq!(
            (answers.cell, answers.ground),
            (Some((8, 16)), Some(Rgb(255, 250, 240)))
        );
        assert_eq!(answers.light(), Some(true));
        let typed = keys(&answers.typed);
        let wanted = [
            KeyCode::Char('a'),
            KeyCode::Char('b'),
            KeyCode::Up,
            KeyCode::Char('x'),
            KeyCode::Enter,
        ];
        assert_eq!(
            typed,
            wanted.map(|code| Event::Key(KeyEvent::new(code, KeyModifiers::NONE)))
        );
    }

    #[test]
    fn what_is_no_key_is_never_taken_for_letters() {
        let codes = |bytes: &[u8]| -> Vec<KeyCode> {
            let key = |event: Event| event.as_key_event().map(|key| key.code);
            keys(bytes).into_iter().filter_map(key).collect()
        };
        // The mouse moves and clicks, the window gets the focus, a key with Shift.
        assert_eq!(
            codes(b"\x1b[<35;10;20M\x1b[<0;1;1m\x1b[I\x1b[1;2Ad"),
            [KeyCode::Char('d')]
        );
        assert_eq!(
            codes(b"\x1b[Z\x1b[5~\x1bOF"),
            [KeyCode::BackTab, KeyCode::PageUp, KeyCode::End]
        );
        assert_eq!(
            keys(b"\x1b[200~do d\x1b[201~"),
            [Event::Paste("do d".into())]
        );
        assert_eq!(codes(b"\x1b"), [KeyCode::Esc]);
        for half in [
            &b"\x1b"[..],
            b"a\x1b[",
            b"\x1b[<35;1",
            b"\x1bO",
            "\u{e9}".as_bytes().split_at(1).0,
        ] {
            assert!(unfinished(half), "{half:?}");
        }
        for whole in [
            &b""[..],
            b"a",
            b"\x1b[A",
            b"\x1b[<35;1;2Mx",
            "\u{e9}".as_bytes(),
        ] {
            assert!(!unfinished(whole), "{whole:?}");
        }
    }

    #[test]
    fn a_plain_terminal_promises_nothing() {
        let answers = read(b"\x1b[?1;2c");
        assert_eq!(
            answers,
            Answers {
                whole: true,
                ..Answers::default()
            }
        );
        assert!(!read(b"\x1b_Gi=31;ENOTSUPPORTED:no\x1b\\").graphics);
        let dark = Answers {
            ground: colour("rgb:14/1a/1e"),
            ..Answers::default()
        };
        assert_eq!(
            (dark.ground, dark.light()),
            (Some(Rgb(20, 26, 30)), Some(false))
        );
        assert_eq!(colour("rgb:zz/1a/1e"), None);
        // Half an answer is not the end; any bytes will do.
        assert!(!read(b"\x1b[?62;4").whole && !read(b"\x1b]11;rgb:ff").whole);
        for seed in 0..2000u32 {
            let byte =
                |nth: u32| (seed.wrapping_mul(2_654_435_761).rotate_left(nth * 5) >> 7) as u8;
            let bytes: Vec<u8> = (0..12)
                .map(byte)
                .flat_map(|byte| [0x1b, b'[', byte, b';', byte])
                .collect();
            drop(keys(&read(&bytes).typed));
        }
    }
}
