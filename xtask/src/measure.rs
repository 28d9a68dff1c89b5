//! What a person waits for, measured on the real program: its first frame, its first path, the path
//! after a nudge, the memory it takes, and what a key costs while a batch of runs uses every core.

use std::io::{Read as _, Write as _};
use std::path::Path;
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::thread;
use std::time::{Duration, Instant};

const ROUNDS: usize = 15;
/// How often a key is pressed in a series.
const PRESSES: usize = 300;
/// So many edits are made to see how memory grows, each after so long: the many runs are there then.
const EDITS: usize = 40;
const BETWEEN: Duration = Duration::from_millis(1500);
/// The last bytes of a frame.
const FRAME_END: &[u8] = b"\x1b[?2026l";

/// What only the frame shows that comes after the key for help, and after the one that closes it.
const HELPED: [&str; 2] = ["previous step", "Leave the"];

/// What goes on while keys are pressed.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Beside {
    /// Nothing else.
    Nothing,
    /// The application's own many runs.
    Spread,
    /// Other processes that want every core.
    Batch,
}

/// Measures and prints the median and the worst of some rounds.
pub fn all(root: &Path) -> Result<(), String> {
    super::cargo(&["build", "--release", "--locked", "--bin", "wayodos"])?;
    let program = root.join("target/release/wayodos");
    let mut figures: [Vec<f64>; 4] = Default::default();
    for _ in 0..ROUNDS {
        for (all, one) in figures.iter_mut().zip(round(&program)?) {
            all.push(one);
        }
    }
    let names = [
        "start to first frame, ms",
        "start to first path, ms",
        "nudge to new path, ms",
        "most memory, MB",
    ];
    for (name, mut all) in names.into_iter().zip(figures) {
        all.sort_by(f64::total_cmp);
        println!(
            "{name:<28} median {:>6.1}   worst {:>6.1}",
            all[all.len() / 2],
            all[all.len() - 1]
        );
    }
    series(&program, "key to frame, ms", *b"[]", None, Beside::Nothing)?;
    series(
        &program,
        "nudge to new path, ms",
        *b".,",
        Some(CHANGED),
        Beside::Nothing,
    )?;
    series(
        &program,
        "key to help in a spread, ms",
        *b"??",
        Some(HELPED),
        Beside::Spread,
    )?;
    series(
        &program,
        "key to frame in a batch, ms",
        *b"[]",
        None,
        Beside::Batch,
    )?;
    series(
        &program,
        "nudge to path in a batch, ms",
        *b".,",
        Some(CHANGED),
        Beside::Batch,
    )?;
    grown(&program)
}

/// What is said of the new path after a nudge up, and after one down.
const CHANGED: [&str; 2] = ["fast", "slow"];

/// Presses two keys in turn, many times: how long until the first frame after each, or until the one
/// that says what became of the mission.
fn series(
    program: &Path,
    name: &str,
    pair: [u8; 2],
    says: Option<[&str; 2]>,
    beside: Beside,
) -> Result<(), String> {
    let mut batch = Vec::new();
    let mut times = with_session(program, |child, _| {
        let mut keys = child.stdin.take().ok_or("no input")?;
        let receiver = listen(child)?;
        wait(&receiver, &mut Vec::new(), "done at")?;
        if beside == Beside::Batch {
            // As many runs after each other as there are cores, each in a process of its own.
            let cores = thread::available_parallelism().map_or(2, std::num::NonZero::get);
            for _ in 0..cores {
                let line = format!(
                    "while :; do '{}' run examples/brinewick --quiet; done",
                    program.display()
                );
                let mut command = Command::new("sh");
                command
                    .args(["-c", &line])
                    .stdin(Stdio::null())
                    .stdout(Stdio::null())
                    .stderr(Stdio::null());
                batch.push(command.spawn().map_err(|error| format!("sh: {error}"))?);
            }
        }
        thread::sleep(Duration::from_millis(300));
        // Once each without the clock: what the first key wipes away is no answer to it.
        for key in pair {
            press(&mut keys, &[key])?;
            thread::sleep(Duration::from_secs(1));
        }
        let mut times = Vec::new();
        for press_nth in 0..PRESSES {
            if beside == Beside::Spread && press_nth % 10 == 0 {
                // A new text: its 200 runs are being made while the next ten keys are pressed.
                press(&mut keys, &b".,"[press_nth / 10 % 2..=press_nth / 10 % 2])?;
                thread::sleep(Duration::from_millis(150));
            }
            while receiver.try_recv().is_ok() {}
            let pressed = Instant::now();
            press(&mut keys, &pair[press_nth % 2..=press_nth % 2])?;
            let says = says.map(|says| says[press_nth % 2]);
            times.push(frame_after(&receiver, pressed, says)?);
        }
        press(&mut keys, b"qd")?;
        Ok(times)
    });
    for child in &mut batch {
        let _ = child.kill();
        let _ = child.wait();
    }
    let times = times.as_mut().map_err(|error| error.clone())?;
    times.sort_by(f64::total_cmp);
    let at = |share: f64| times[((times.len() - 1) as f64 * share).round() as usize];
    println!(
        "{name:<28} median {:>6.1}   p99 {:>6.1}   worst {:>6.1}",
        at(0.5),
        at(0.99),
        at(1.0)
    );
    Ok(())
}

/// Milliseconds until the first frame is whole, or the first one that says something.
fn frame_after(
    output: &Receiver<(Instant, Vec<u8>)>,
    pressed: Instant,
    says: Option<&str>,
) -> Result<f64, String> {
    let mut seen: Vec<u8> = Vec::new();
    loop {
        let (at, bytes) = output
            .recv_timeout(Duration::from_secs(10))
            .map_err(|_| "waited 10 s for a frame".to_owned())?;
        seen.extend(bytes);
        let from = match says {
            None => 0,
            Some(words) => {
                let mut parts = seen.windows(words.len());
                match parts.position(|part| part == words.as_bytes()) {
                    Some(from) => from,
                    None => continue,
                }
            }
        };
        let ended = |part: &[u8]| part == FRAME_END;
        if seen[from..].windows(FRAME_END.len()).any(ended) {
            return Ok(at.duration_since(pressed).as_secs_f64() * 1e3);
        }
    }
}

/// Edits a mission for a while with all its many runs behind it: what memory that takes.
fn grown(program: &Path) -> Result<(), String> {
    let memory = with_session(program, |child, _| {
        let mut keys = child.stdin.take().ok_or("no input")?;
        let receiver = listen(child)?;
        wait(&receiver, &mut Vec::new(), "done at")?;
        let mut grown = Vec::new();
        for edit in 0..EDITS {
            thread::sleep(BETWEEN);
            while receiver.try_recv().is_ok() {}
            press(&mut keys, if edit % 2 == 0 { b"." } else { b"-" })?;
            if edit % (EDITS / 4) == EDITS / 4 - 1 {
                grown.push(memory(child.id()).unwrap_or(f64::NAN));
            }
        }
        press(&mut keys, b"qd")?;
        Ok(grown)
    })?;
    let words: Vec<String> = memory.iter().map(|memory| format!("{memory:.0}")).collect();
    println!(
        "most memory after {EDITS} edits with 200 runs each, a quarter at a time: {} MB",
        words.join(", ")
    );
    Ok(())
}

/// One session: start, look, nudge, leave.
fn round(program: &Path) -> Result<[f64; 4], String> {
    with_session(program, session)
}

/// The program in a terminal of its own.
fn with_session<T>(
    program: &Path,
    work: impl FnOnce(&mut Child, Instant) -> Result<T, String>,
) -> Result<T, String> {
    let home = std::env::temp_dir().join(format!("wayodos-measure-{}", std::process::id()));
    std::fs::create_dir_all(&home).map_err(|error| format!("{}: {error}", home.display()))?;
    // `script` gives the program a terminal of its own and hands on what it writes.
    let line = format!("stty rows 50 cols 160; exec '{}' demo", program.display());
    let mut command = Command::new("script");
    command
        .args(["-qfec", &line, "/dev/null"])
        .current_dir(&home);
    command
        .env("HOME", &home)
        .env("TERM", "xterm-256color")
        .env("COLORTERM", "truecolor")
        .env_remove("NO_COLOR");
    command
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null());
    let began = Instant::now();
    let mut child = command
        .spawn()
        .map_err(|error| format!("script (of util-linux): {error}"))?;
    let result = work(&mut child, began);
    let _ = child.kill();
    let _ = child.wait();
    let _ = std::fs::remove_dir_all(&home);
    result
}

fn session(child: &mut Child, began: Instant) -> Result<[f64; 4], String> {
    let mut keys = child.stdin.take().ok_or("no input")?;
    let receiver = listen(child)?;
    let ms = |from: Instant, to: Instant| to.duration_since(from).as_secs_f64() * 1e3;
    let mut seen = Vec::new();
    let frame = wait(&receiver, &mut seen, "quit")?;
    let path = wait(&receiver, &mut seen, "done at")?;
    // A terminal that answers no question holds keys back for a quarter of a second.
    thread::sleep(Duration::from_millis(400));
    press(&mut keys, b".")?;
    let pressed = Instant::now();
    let nudged = wait(&receiver, &mut seen, "faster")?;
    let memory = memory(child.id()).unwrap_or(f64::NAN);
    press(&mut keys, b"qd")?;
    Ok([
        ms(began, frame),
        ms(began, path),
        ms(pressed, nudged),
        memory,
    ])
}

/// What the program writes, with the moments at which it came.
fn listen(child: &mut Child) -> Result<Receiver<(Instant, Vec<u8>)>, String> {
    let mut output = child.stdout.take().ok_or("no output")?;
    let (sender, receiver) = channel();
    thread::spawn(move || {
        let mut buffer = vec![0; 65536];
        while let Ok(count @ 1..) = output.read(&mut buffer) {
            if sender
                .send((Instant::now(), buffer[..count].to_vec()))
                .is_err()
            {
                return;
            }
        }
    });
    Ok(receiver)
}

fn press(keys: &mut ChildStdin, key: &[u8]) -> Result<(), String> {
    keys.write_all(key)
        .and_then(|()| keys.flush())
        .map_err(|error| format!("keys: {error}"))
}

/// Waits for a text in what is written from now on; when it came.
fn wait(
    output: &Receiver<(Instant, Vec<u8>)>,
    seen: &mut Vec<u8>,
    text: &str,
) -> Result<Instant, String> {
    loop {
        if let Some(at) = seen
            .windows(text.len())
            .position(|part| part == text.as_bytes())
        {
            seen.drain(..at + text.len());
            return Ok(Instant::now());
        }
        let (_, bytes) = output
            .recv_timeout(Duration::from_secs(10))
            .map_err(|_| format!("waited 10 s for `{text}`"))?;
        seen.extend(bytes);
    }
}

/// Most memory that the program below `script` has had in its hands, MB.
fn memory(script: u32) -> Option<f64> {
    let children =
        std::fs::read_to_string(format!("/proc/{script}/task/{script}/children")).ok()?;
    let status = std::fs::read_to_string(format!(
        "/proc/{}/status",
        children.split_whitespace().next()?
    ))
    .ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM"))?;
    Some(line.split_whitespace().nth(1)?.parse::<f64>().ok()? / 1024.0)
}
