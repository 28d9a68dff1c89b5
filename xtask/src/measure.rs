//! What a person waits for, measured on the real program: its first frame, its first path, the path after a nudge,
//! and the memory it takes.

use std::io::{Read as _, Write as _};
use std::path::Path;
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::thread;
use std::time::{Duration, Instant};

const ROUNDS: usize = 15;

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
    let names = ["start to first frame, ms", "start to first path, ms", "nudge to new path, ms", "most memory, MB"];
    for (name, mut all) in names.into_iter().zip(figures) {
        all.sort_by(f64::total_cmp);
        println!("{name:<28} median {:>6.1}   worst {:>6.1}", all[all.len() / 2], all[all.len() - 1]);
    }
    Ok(())
}

/// One session: start, look, nudge, leave.
fn round(program: &Path) -> Result<[f64; 4], String> {
    let home = std::env::temp_dir().join(format!("wayodos-measure-{}", std::process::id()));
    std::fs::create_dir_all(&home).map_err(|error| format!("{}: {error}", home.display()))?;
    // `script` gives the program a terminal of its own and hands on what it writes.
    let line = format!("stty rows 50 cols 160; exec '{}' demo", program.display());
    let mut command = Command::new("script");
    command.args(["-qfec", &line, "/dev/null"]).current_dir(&home);
    command.env("HOME", &home).env("TERM", "xterm-256color").env("COLORTERM", "truecolor").env_remove("NO_COLOR");
    command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
    let began = Instant::now();
    let mut child = command.spawn().map_err(|error| format!("script (of util-linux): {error}"))?;
    let result = session(&mut child, began);
    let _ = child.kill();
    let _ = child.wait();
    let _ = std::fs::remove_dir_all(&home);
    result
}

fn session(child: &mut Child, began: Instant) -> Result<[f64; 4], String> {
    let mut keys = child.stdin.take().ok_or("no input")?;
    let mut output = child.stdout.take().ok_or("no output")?;
    let (sender, receiver) = channel();
    thread::spawn(move || {
        let mut buffer = vec![0; 65536];
        while let Ok(count @ 1..) = output.read(&mut buffer) {
            if sender.send((Instant::now(), buffer[..count].to_vec())).is_err() {
                return;
            }
        }
    });
    let ms = |from: Instant, to: Instant| to.duration_since(from).as_secs_f64() * 1e3;
    let mut seen = Vec::new();
    let frame = wait(&receiver, &mut seen, "leave")?;
    let path = wait(&receiver, &mut seen, "done at")?;
    thread::sleep(Duration::from_millis(100));
    press(&mut keys, b".")?;
    let pressed = Instant::now();
    let nudged = wait(&receiver, &mut seen, "faster")?;
    let memory = memory(child.id()).unwrap_or(f64::NAN);
    press(&mut keys, b"qd")?;
    Ok([ms(began, frame), ms(began, path), ms(pressed, nudged), memory])
}

fn press(keys: &mut ChildStdin, key: &[u8]) -> Result<(), String> {
    keys.write_all(key).and_then(|()| keys.flush()).map_err(|error| format!("keys: {error}"))
}

/// Waits for a text in what is written from now on; when it came.
fn wait(output: &Receiver<(Instant, Vec<u8>)>, seen: &mut Vec<u8>, text: &str) -> Result<Instant, String> {
    loop {
        if let Some(at) = seen.windows(text.len()).position(|part| part == text.as_bytes()) {
            seen.drain(..at + text.len());
            return Ok(Instant::now());
        }
        let (_, bytes) =
            output.recv_timeout(Duration::from_secs(10)).map_err(|_| format!("waited 10 s for `{text}`"))?;
        seen.extend(bytes);
    }
}

/// Most memory that the program below `script` has had in its hands, MB.
fn memory(script: u32) -> Option<f64> {
    let children = std::fs::read_to_string(format!("/proc/{script}/task/{script}/children")).ok()?;
    let status = std::fs::read_to_string(format!("/proc/{}/status", children.split_whitespace().next()?)).ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM"))?;
    Some(line.split_whitespace().nth(1)?.parse::<f64>().ok()? / 1024.0)
}
