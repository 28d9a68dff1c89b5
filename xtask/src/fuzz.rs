//! Searching for bytes that break a reader: libFuzzer, which follows what the code does with them.

use std::path::Path;
use std::process::{Command, Stdio};

use crate::{USAGE, cargo_command, run};

/// What rustc adds so that the searcher sees which branches are taken. Only stable flags: no other
/// toolchain is needed.
const WATCHED: &str = "-Cpasses=sancov-module -Cllvm-args=-sanitizer-coverage-level=4 \
    -Cllvm-args=-sanitizer-coverage-inline-8bit-counters -Cllvm-args=-sanitizer-coverage-pc-table \
    -Cllvm-args=-sanitizer-coverage-trace-compares -Cdebug-assertions=yes -Coverflow-checks=yes -Ccodegen-units=1";

/// Searches for some minutes (10) in one reader, or in each of them.
///
/// What was found, and what led to new branches, is kept in `target/fuzz/READER`.
pub fn search(root: &Path, reader: Option<&str>, minutes: Option<&str>) -> Result<(), String> {
    let minutes = minutes.unwrap_or("10");
    let seconds = minutes
        .parse::<u64>()
        .map_err(|_| format!("`{minutes}` is not a number of minutes\n{USAGE}"))?
        * 60;
    let kept = root.join("target/fuzz");
    let mut seeds = cargo_command(root);
    seeds
        .args([
            "run",
            "--quiet",
            "--package",
            "wayodos-fuzz",
            "--bin",
            "seeds",
            "--locked",
            "--",
        ])
        .arg(&kept);
    let written = seeds
        .stderr(Stdio::inherit())
        .output()
        .map_err(|error| format!("seeds: {error}"))?;
    let names = String::from_utf8_lossy(&written.stdout).into_owned();
    let known: Vec<&str> = names.lines().collect();
    let chosen: Vec<&str> = match reader {
        None | Some("all") => known,
        Some(name) if known.contains(&name) => vec![name],
        Some(name) => return Err(format!("there is no reader `{name}`: {}", known.join(", "))),
    };
    // With a target named, build scripts are built without the flags.
    let host = host()?;
    let mut build = cargo_command(root);
    build.args([
        "build",
        "--release",
        "--locked",
        "--package",
        "wayodos-fuzz",
        "--bin",
        "search",
        "--features",
        "search",
    ]);
    build
        .args(["--target", &host, "--target-dir", "target/fuzz-build"])
        .env("RUSTFLAGS", WATCHED);
    run(&mut build, "the searcher")?;
    let searcher = root
        .join("target/fuzz-build")
        .join(&host)
        .join("release/search");
    for name in chosen {
        println!("{name}: {seconds} s");
        let mut search = Command::new(&searcher);
        search.arg(format!("-max_total_time={seconds}")).args([
            "-timeout=5",
            "-rss_limit_mb=4096",
            "-print_final_stats=1",
        ]);
        search.arg(format!("-artifact_prefix={}/found-{name}-", kept.display()));
        search
            .arg(kept.join(name))
            .env("WAYODOS_READER", name)
            .current_dir(root);
        run(&mut search, name)?;
    }
    Ok(())
}

/// The machine that this is built for, as rustc calls it.
fn host() -> Result<String, String> {
    let rustc = std::env::var_os("RUSTC").unwrap_or_else(|| "rustc".into());
    let version = Command::new(rustc)
        .arg("-vV")
        .output()
        .map_err(|error| format!("rustc: {error}"))?;
    let version = String::from_utf8_lossy(&version.stdout).into_owned();
    let host = version.lines().find_map(|line| line.strip_prefix("host: "));
    host.map(str::to_owned)
        .ok_or_else(|| "rustc does not say what it builds for".to_owned())
}
