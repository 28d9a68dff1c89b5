//! What developers of Wayodos run: `cargo xtask test`, `cargo xtask screenshots`, `cargo xtask
//! bench`, `cargo xtask measure`, `cargo xtask laws`, `cargo xtask siege`, `cargo xtask fuzz`.

mod fuzz;
mod measure;
mod screenshots;

use std::path::Path;
use std::process::{Command, ExitCode};
use std::time::{Duration, Instant};

const USAGE: &str = "\
cargo xtask test           format check, lints as errors, all tests
cargo xtask screenshots    draws docs/screenshots/*.png again
cargo xtask bench          runs the benches
cargo xtask measure        starts the demo and times what a person waits for
cargo xtask laws [MINUTES] tests the laws of the language with new missions for so long (60), ten thousand at a time
cargo xtask siege [MINUTES]
                           random keys, clicks, sizes and kills against the application for so long each (10)
cargo xtask fuzz [READER] [MINUTES]
                           searches for bytes that break a reader of files (all of them) for so long each (10)";

fn main() -> ExitCode {
    let task = std::env::args().nth(1).unwrap_or_default();
    let result = match task.as_str() {
        "test" => test(),
        "screenshots" => screenshots::all(root()),
        "bench" => bench(),
        "measure" => measure::all(root()),
        "laws" => laws(std::env::args().nth(2)),
        "siege" => siege(std::env::args().nth(2)),
        "fuzz" => fuzz::search(
            root(),
            std::env::args().nth(2).as_deref(),
            std::env::args().nth(3).as_deref(),
        ),
        _ => Err(USAGE.to_owned()),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{error}");
            ExitCode::FAILURE
        }
    }
}

/// The folder of the workspace.
fn root() -> &'static Path {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .parent()
        .unwrap_or(Path::new("."))
}

fn test() -> Result<(), String> {
    cargo(&["fmt", "--all", "--check"])?;
    cargo(&[
        "clippy",
        "--workspace",
        "--all-targets",
        "--locked",
        "--",
        "-D",
        "warnings",
    ])?;
    // Clippy has looked at the benches too, and refuses what the oldest Rust named in Cargo.toml
    // does not know.
    let mut pages = cargo_command(root());
    pages
        .args(["doc", "--workspace", "--no-deps", "--locked", "--quiet"])
        .env("RUSTDOCFLAGS", "-D warnings");
    run(&mut pages, "cargo doc")?;
    // Only where it is installed: building it takes longer than everything else here.
    if cargo_command(root())
        .args(["deny", "--version"])
        .output()
        .is_ok_and(|asked| asked.status.success())
    {
        cargo(&["deny", "check", "bans", "licenses", "sources"])?;
    }
    cargo(&["test", "--workspace", "--locked", "--", "--quiet"])
}

/// Each round makes up other missions; what breaks a law is printed, shrunk, and kept beside the
/// test.
fn laws(minutes: Option<String>) -> Result<(), String> {
    let minutes = minutes.unwrap_or_else(|| "60".into());
    let minutes: u64 = minutes
        .parse()
        .map_err(|_| format!("`{minutes}` is not a number of minutes\n{USAGE}"))?;
    let until = Instant::now() + Duration::from_secs(60 * minutes);
    let args = [
        "test",
        "--release",
        "--package",
        "wayodos-core",
        "--test",
        "laws",
        "--locked",
    ];
    for round in 1.. {
        println!("round {round}");
        run(
            cargo_command(root())
                .args(args)
                .env("PROPTEST_CASES", "10000"),
            "the laws",
        )?;
        if Instant::now() >= until {
            break;
        }
    }
    Ok(())
}

/// The siege of the application, by turns, for as many minutes each.
fn siege(minutes: Option<String>) -> Result<(), String> {
    let minutes = minutes.unwrap_or_else(|| "10".into());
    minutes
        .parse::<f64>()
        .map_err(|_| format!("`{minutes}` is not a number of minutes\n{USAGE}"))?;
    let args = [
        "test",
        "--release",
        "--package",
        "wayodos",
        "--test",
        "siege",
        "--locked",
    ];
    let mut command = cargo_command(root());
    command
        .args(args)
        .args(["--", "--nocapture", "--test-threads", "1"])
        .env("SIEGE_MINUTES", minutes);
    run(&mut command, "the siege")
}

fn bench() -> Result<(), String> {
    cargo(&["bench", "--package", "wayodos-core", "--bench", "engine"])?;
    cargo(&[
        "bench",
        "--package",
        "xtask",
        "--features",
        "versus",
        "--bench",
        "world",
    ])?;
    cargo(&["bench", "--package", "wayodos", "--bench", "screen"])
}

fn cargo(args: &[&str]) -> Result<(), String> {
    run(
        cargo_command(root()).args(args),
        &format!("cargo {}", args.join(" ")),
    )
}

/// The cargo that runs this, in the folder of the workspace.
fn cargo_command(root: &Path) -> Command {
    let mut command = Command::new(std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into()));
    command.current_dir(root);
    command
}

/// Runs a command to its end.
fn run(command: &mut Command, words: &str) -> Result<(), String> {
    match command.status() {
        Ok(status) if status.success() => Ok(()),
        Ok(status) => Err(format!("{words}: {status}")),
        Err(error) => Err(format!("{words}: {error}")),
    }
}
