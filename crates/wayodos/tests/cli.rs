//! The command line as people and scripts meet it: answers, streams and exit codes of the real
//! program.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

use serde_json::Value;
use wayodos::folder::{Project, Saved, save};

/// A copy of the demo in a folder of its own.
struct Copy {
    _here: tempfile::TempDir,
    folder: PathBuf,
}

impl Copy {
    fn new() -> Self {
        let here = tempfile::tempdir().unwrap();
        let demo = Project::demo(None).unwrap();
        let Ok(Saved::Copied(folder)) = save(&demo, "", &demo.mission, false, here.path()) else {
            panic!("no copy")
        };
        Self {
            _here: here,
            folder,
        }
    }

    fn path(&self) -> &str {
        self.folder.to_str().unwrap()
    }

    fn mission(&self) -> PathBuf {
        self.folder.join("missions/morning-round.way")
    }

    fn change(&self, file: &str, old: &str, new: &str) {
        let path = self.folder.join(file);
        let text = fs::read_to_string(&path).unwrap();
        assert!(text.contains(old), "{file} holds no {old}");
        fs::write(path, text.replacen(old, new, 1)).unwrap();
    }
}

fn wayodos(args: &[&str]) -> (i32, String, String) {
    let output: Output = Command::new(env!("CARGO_BIN_EXE_wayodos"))
        .args(args)
        .stdin(Stdio::null())
        .output()
        .unwrap();
    let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
    let (out, err) = (text(&output.stdout), text(&output.stderr));
    assert!(!err.contains("panicked"), "{args:?}: {err}");
    (output.status.code().expect("ends by itself"), out, err)
}

fn json(text: &str) -> Value {
    serde_json::from_str(text).unwrap_or_else(|error| panic!("{error}: {text}"))
}

#[test]
fn a_good_project_has_nothing_to_mend_and_runs_to_its_end() {
    let copy = Copy::new();
    let (code, out, err) = wayodos(&["check", copy.path(), "--mission", "morning-round"]);
    assert!(code == 0 && err.is_empty(), "{err}");
    assert!(
        out.starts_with("note[K74]")
            && out.contains("note[K62]")
            && out.ends_with("Brinewick: 2 notes\n"),
        "{out}"
    );
    copy.change(
        "missions/morning-round.way",
        "floor-left sees dark   -> \"Square up",
        "floor-left sees dark for 10 ms -> \"Square up",
    );
    copy.change(
        "calibration.toml",
        "samphire-green = \"8 %, 30 %, 5 %\"",
        "samphire-green = \"8 %, 30 %, 5 %\"\ntape = \"25 %, 10 %, 34 %\"",
    );
    let (code, out, err) = wayodos(&["check", copy.path(), "--mission", "morning-round"]);
    assert!(code == 0 && err.contains("no problems found"), "{out}{err}");
    let (code, out, err) = wayodos(&["run", copy.path()]);
    assert_eq!((code, err.as_str()), (0, ""));
    assert!(
        out.contains("done at") && out.contains("Greet the kiln") && out.contains("trace "),
        "{out}"
    );
}

#[test]
fn run_json_is_one_object_and_people_read_the_other_stream() {
    let copy = Copy::new();
    let (code, out, err) = wayodos(&["run", copy.path(), "--json"]);
    assert_eq!(code, 0);
    assert!(err.contains("done at"), "{err}");
    let answer = json(&out);
    let keys: Vec<&String> = answer.as_object().unwrap().keys().collect();
    let wanted = [
        "duration_s",
        "events",
        "final_pose",
        "findings",
        "outcome",
        "reason",
        "score",
        "sheet",
        "steps",
        "trace_hash",
        "verdict",
        "version",
    ];
    assert_eq!(keys, wanted);
    assert_eq!(answer["outcome"], "done");
    let first = answer["steps"][0].as_object().unwrap();
    assert_eq!(
        first.keys().collect::<Vec<_>>(),
        [
            "depth",
            "entered_s",
            "exit",
            "exits",
            "left_by",
            "left_s",
            "margin",
            "name",
            "target"
        ]
    );
    let exits = first["exits"].as_array().unwrap();
    assert_eq!(
        (&exits[0]["fired"], &exits[1]["fired"]),
        (&Value::from(true), &Value::from(false))
    );
    assert_eq!(
        (&exits[0]["target"], &exits[1]["target"]),
        (&"Along the causeway".into(), &"fail".into())
    );
    assert_eq!(first["name"], "Leave the slipway");
    let pose = answer["final_pose"].as_object().unwrap();
    assert_eq!(
        pose.keys().collect::<Vec<_>>(),
        ["heading_deg", "x_mm", "y_mm"]
    );
    let times: Vec<f64> = answer["events"]
        .as_array()
        .unwrap()
        .iter()
        .map(|event| event["t_s"].as_f64().unwrap())
        .collect();
    assert!(times.len() > 20 && times.is_sorted());
    let (_, again, err) = wayodos(&["run", copy.path(), "--json", "--quiet"]);
    assert_eq!(
        (err.as_str(), again),
        ("", out),
        "nothing in it differs from run to run"
    );
    let (_, out, _) = wayodos(&["run", copy.path(), "--json", "--quiet", "--timing"]);
    assert!(json(&out)["wall_ms"].as_f64().is_some());
}

fn piped(args: &[&str], input: &str, folder: &Path) -> (i32, Vec<u8>) {
    use std::io::Write as _;
    let mut child = Command::new(env!("CARGO_BIN_EXE_wayodos"))
        .args(args)
        .current_dir(folder)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    child
        .stdin
        .take()
        .unwrap()
        .write_all(input.as_bytes())
        .unwrap();
    let output = child.wait_with_output().unwrap();
    (output.status.code().unwrap(), output.stdout)
}

#[test]
fn every_mission_is_checked_with_its_own_robot_and_field() {
    let copy = Copy::new();
    let (code, out, _) = wayodos(&["check", copy.path()]);
    assert!(code == 0 && out.ends_with("in 10 missions\n"), "{out}");
    copy.change("missions/ring-contest.way", "spin", "spn");
    let (code, out, _) = wayodos(&["check", copy.path()]);
    assert!(
        code == 1 && out.contains("unknown first word `spn`") && out.contains("ring-contest.way"),
        "{out}"
    );
    let (code, _, _) = wayodos(&["check", copy.path(), "--mission", "which-way"]);
    assert_eq!(code, 0, "one that is named is checked alone");
    // What is wrong with a robot that nine missions play with is said once.
    copy.change("robots/curlew.toml", "[battery]", "[batery]");
    let (_, out, _) = wayodos(&["check", copy.path(), "--json"]);
    let answer = json(&out);
    let findings = answer["findings"].as_array().unwrap();
    let of_robot = findings
        .iter()
        .filter(|finding| finding["message"].as_str().unwrap().contains("batery"))
        .count();
    assert_eq!(
        (of_robot, answer["missions"].as_array().unwrap().len()),
        (1, 10)
    );
}

#[test]
fn the_project_is_found_from_below_and_by_a_mission_s_path() {
    let copy = Copy::new();
    let below = copy.folder.join("missions");
    let (code, out) = piped(&["run", "--quiet"], "", &below);
    assert!(code == 0 && String::from_utf8(out).unwrap().contains("Greet the kiln"));
    let (code, out) = piped(&["run", "which-way.way", "--quiet"], "", &below);
    assert!(code == 0 && String::from_utf8(out).unwrap().contains("Feel both ways"));
    let (code, _, err) = wayodos(&[
        "run",
        copy.folder.join("robots/curlew.toml").to_str().unwrap(),
    ]);
    assert!(
        code == 1 && err.contains("no mission of a project"),
        "{err}"
    );
    let empty = tempfile::tempdir().unwrap();
    let (code, _, err) = wayodos(&["run", empty.path().to_str().unwrap()]);
    assert!(code == 1 && err.contains("nor a folder above"), "{err}");
}

#[test]
fn missions_and_drawings_go_through_pipes() {
    let copy = Copy::new();
    let (code, out) = piped(
        &["fmt", "-"],
        "step \"a\"\nhold, coast\nuntil 1 s passes\n",
        &copy.folder,
    );
    assert_eq!(
        (code, out),
        (
            0,
            b"step \"a\"\n  hold, coast\n  until 1 s passes\n".to_vec()
        )
    );
    assert_eq!(piped(&["fmt", "-"], "", &copy.folder), (0, Vec::new()));
    assert_eq!(
        piped(&["fmt", "-", "--check"], "step \"a\"\nhold\n", &copy.folder).0,
        1
    );
    for (args, begins) in [
        (&["draw", "-o", "-"][..], &b"<svg"[..]),
        (&["draw", "-o", "-", "--format", "png"], b"\x89PNG"),
        (
            &["draw", "-o", "-", "--format", "pdf", "--only", "flow"],
            b"%PDF",
        ),
    ] {
        let (code, out) = piped(args, "", &copy.folder);
        assert!(code == 0 && out.starts_with(begins), "{args:?}");
    }
    assert!(!copy.folder.join("-").exists());
}

#[test]
fn what_is_not_understood_exits_otherwise_than_a_run_that_failed() {
    assert_eq!(wayodos(&["run", "--bogus"]).0, 64);
    assert_eq!(wayodos(&["draw", "-o", "a.gif"]).0, 64);
    assert_eq!(wayodos(&["--help"]).0, 0);
    assert_eq!(wayodos(&["--version"]).0, 0);
}

#[test]
fn shells_complete_missions_and_the_manual_has_every_command() {
    let copy = Copy::new();
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let (code, script, _) = wayodos(&["completions", shell]);
        assert!(
            code == 0 && script.contains("COMPLETE") && script.contains("wayodos"),
            "{shell}"
        );
    }
    let output = Command::new(env!("CARGO_BIN_EXE_wayodos"))
        .args(["--", "wayodos", "run", "--mission", ""])
        .envs([
            ("COMPLETE", "bash"),
            ("_CLAP_IFS", "\n"),
            ("_CLAP_COMPLETE_INDEX", "3"),
        ])
        .current_dir(&copy.folder)
        .output()
        .unwrap();
    assert!(
        String::from_utf8(output.stdout)
            .unwrap()
            .lines()
            .any(|line| line == "ring-contest")
    );
    let (_, page, _) = wayodos(&["man"]);
    for command in [
        "demo",
        "new",
        "check",
        "run",
        "read",
        "fmt",
        "draw",
        "completions",
        "man",
    ] {
        assert!(page.contains(&format!("wayodos\\-{command}")), "{command}");
    }
}

#[test]
fn colours_are_used_where_they_are_wanted() {
    let copy = Copy::new();
    let coloured = |when: &str| {
        wayodos(&["run", copy.path(), "--color", when])
            .1
            .contains("\u{1b}[32m")
    };
    assert!(coloured("always") && !coloured("never") && !coloured("auto"));
}

#[test]
fn the_seed_alone_decides_about_chance() {
    let copy = Copy::new();
    let hash = |seed: &str| {
        let (_, out, _) = wayodos(&["--seed", seed, "run", copy.path(), "--json", "--quiet"]);
        json(&out)["trace_hash"].as_str().unwrap().to_owned()
    };
    assert_eq!(hash("11"), hash("11"));
    assert_ne!(hash("11"), hash("12"));
}

#[test]
fn a_failed_run_says_why_and_exits_2() {
    let copy = Copy::new();
    copy.change(
        "missions/morning-round.way",
        "has crossed 3 dark lines",
        "has crossed 9 dark lines",
    );
    let (code, out, _) = wayodos(&["run", copy.path()]);
    assert_eq!(code, 2);
    assert!(
        out.contains("failed at") && out.contains("too few bars"),
        "{out}"
    );
    copy.change("missions/morning-round.way", "limit 120 s", "limit 5 s");
    let (code, out, _) = wayodos(&["run", copy.path(), "--json", "--quiet"]);
    let answer = json(&out);
    assert_eq!((code, &answer["outcome"]), (2, &Value::from("limit")));
}

#[test]
fn a_fall_is_an_outcome_of_its_own() {
    let copy = Copy::new();
    copy.change(
        "missions/mind-the-rim.way",
        "let rim = 84 %",
        "let rim = 100 %",
    );
    let (code, out, _) = wayodos(&["run", copy.path(), "--mission", "mind-the-rim"]);
    assert!(
        code == 2 && out.contains("fell off the drying floor at"),
        "{out}"
    );
    let (_, out, _) = wayodos(&[
        "run",
        copy.path(),
        "--mission",
        "mind-the-rim",
        "--json",
        "--quiet",
    ]);
    let answer = json(&out);
    assert_eq!(
        (&answer["outcome"], &answer["reason"]),
        (&"fell".into(), &"fell off the drying floor".into())
    );
    let kinds: Vec<&str> = answer["events"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(|event| event["kind"].as_str())
        .collect();
    assert_eq!(kinds.last(), Some(&"fell"), "{kinds:?}");
}

#[test]
fn all_mistakes_are_reported_at_once_with_their_places() {
    let copy = Copy::new();
    copy.change(
        "missions/morning-round.way",
        "follow the left edge",
        "folow the left edge",
    );
    copy.change(
        "missions/morning-round.way",
        "hue sees kiln-red",
        "hue sees kiln-rd",
    );
    copy.change("missions/morning-round.way", "turned 88 deg", "turned 88");
    let (code, out, err) = wayodos(&["check", copy.path(), "--mission", "morning-round"]);
    assert_eq!((code, err.as_str()), (1, ""));
    for words in [
        "unknown first word `folow`",
        "did you mean `follow`?",
        "`88` has no unit",
        "morning-round.way:",
    ] {
        assert!(out.contains(words), "{words}: {out}");
    }
    insta::assert_snapshot!("mistakes", out);
    let (code, out, err) = wayodos(&["run", copy.path(), "--json"]);
    let answer = json(&out);
    assert_eq!((code, &answer["outcome"]), (1, &Value::from("error")));
    assert!(
        answer["findings"].as_array().unwrap().len() >= 2 && err.contains("folow"),
        "{out}"
    );
    let finding = &answer["findings"][0];
    assert!(
        finding["start"]["line"].as_u64().unwrap() > 10
            && finding["file"] == "missions/morning-round.way"
    );
}

#[test]
fn any_bytes_in_any_file_are_findings_and_never_a_panic() {
    let long = "step \"x\" ".repeat(40_000);
    let deep = format!("a = {}1{}", "[".repeat(5_000), "]".repeat(5_000));
    let wild: [&[u8]; 9] = [
        b"",
        b"\0\0\0",
        b"\xff\xfe\x00",
        b"step \"",
        b"\n\n\n-> -> ->",
        "\u{feff}mission \"\u{202e}\u{1f980}\" \t\r\r\n# \u{7}".as_bytes(),
        b"[[[[[",
        long.as_bytes(),
        deep.as_bytes(),
    ];
    let files = [
        "missions/morning-round.way",
        "robots/curlew.toml",
        "fields/causeway.toml",
        "calibration.toml",
        "wayodos.toml",
    ];
    let copy = Copy::new();
    for file in files {
        let path = copy.folder.join(file);
        let good = fs::read(&path).unwrap();
        for bytes in wild {
            fs::write(&path, bytes).unwrap();
            for command in ["check", "run"] {
                let (code, out, err) = wayodos(&[command, copy.path()]);
                // An empty calibration is a good one: nothing was calibrated.
                let empty = file == "calibration.toml" && bytes.is_empty();
                assert_eq!(
                    code,
                    i32::from(!empty),
                    "{command} {file} {bytes:.20?}: {out}{err}"
                );
                assert!(
                    empty || !(out.is_empty() && err.is_empty()),
                    "{command} {file} {bytes:.20?}"
                );
            }
        }
        fs::write(&path, good).unwrap();
    }
    let (code, ..) = wayodos(&["check", copy.path()]);
    assert_eq!(code, 0, "all files are as they were");
}

#[test]
fn what_cannot_be_opened_is_said_with_what_to_do() {
    let here = tempfile::tempdir().unwrap();
    let nowhere = here.path().join("nowhere");
    for command in ["check", "run", "fmt"] {
        let (code, out, err) = wayodos(&[command, nowhere.to_str().unwrap()]);
        assert_eq!((code, out.as_str()), (1, ""), "{command}");
        assert!(
            err.contains("there is no project at") && err.contains("nowhere"),
            "{command}: {err}"
        );
    }
    let (code, _, err) = wayodos(&["run", here.path().to_str().unwrap()]);
    assert!(
        code == 1 && err.contains("neither it nor a folder above holds a wayodos.toml"),
        "{err}"
    );
    let copy = Copy::new();
    let (code, _, err) = wayodos(&["run", copy.path(), "--mission", "evening"]);
    assert!(code == 1 && err.contains("morning-round"), "{err}");
    fs::remove_file(copy.folder.join("robots/curlew.toml")).unwrap();
    let (code, _, err) = wayodos(&["check", copy.path()]);
    assert!(
        code == 1 && err.contains("cannot read") && err.contains("curlew.toml"),
        "{err}"
    );
}

#[test]
fn fmt_lays_out_and_its_check_only_says_so() {
    let copy = Copy::new();
    let good = fs::read_to_string(copy.mission()).unwrap();
    copy.change(
        "missions/morning-round.way",
        "  limit 120 s",
        "limit    120 s   # enough",
    );
    let crooked = fs::read_to_string(copy.mission()).unwrap();
    let (code, out, _) = wayodos(&["fmt", "--check", copy.path()]);
    assert!(
        code == 1 && out.contains("would change") && out.contains("morning-round.way"),
        "{out}"
    );
    assert_eq!(fs::read_to_string(copy.mission()).unwrap(), crooked);
    let (code, out, _) = wayodos(&["fmt", copy.mission().to_str().unwrap()]);
    assert!(code == 0 && out.contains("laid out"), "{out}");
    assert_eq!(
        fs::read_to_string(copy.mission()).unwrap(),
        good.replace("limit 120 s", "limit 120 s  # enough")
    );
    let (code, ..) = wayodos(&["fmt", "--check", copy.path()]);
    assert_eq!(code, 0);
}

#[test]
fn draw_writes_what_the_ending_says() {
    let copy = Copy::new();
    let draw = |name: &str, more: &[&str]| {
        let file = copy.folder.join(name);
        let (code, _, err) =
            wayodos(&[&["draw", copy.path(), "-o", file.to_str().unwrap()], more].concat());
        (code, fs::read(file).unwrap_or_default(), err)
    };
    let (code, svg, _) = draw("page.svg", &[]);
    assert!(
        code == 0
            && svg.starts_with(b"<svg")
            && svg.windows(14).any(|part| part == b"Leave the slip")
    );
    let (_, chart, _) = draw("chart.svg", &["--only", "chart"]);
    assert!(chart.starts_with(b"<svg") && chart.len() < svg.len());
    assert!(draw("page.pdf", &[]).1.starts_with(b"%PDF-"));
    assert!(
        draw("page.png", &["--only", "field"])
            .1
            .starts_with(b"\x89PNG")
    );
    let (code, nothing, err) = draw("page.gif", &[]);
    assert!(
        code == 64 && nothing.is_empty() && err.contains(".svg, .pdf or .png"),
        "{err}"
    );
    let (code, _, err) = draw("missing/page.svg", &[]);
    assert!(code == 1 && err.contains("cannot write"), "{err}");
    let left: Vec<_> = fs::read_dir(Path::new(&copy.folder))
        .unwrap()
        .flatten()
        .map(|entry| entry.file_name())
        .collect();
    assert!(
        !left
            .iter()
            .any(|name| name.to_string_lossy().ends_with(".tmp")),
        "{left:?}"
    );
}

#[test]
fn a_broken_project_file_is_reported_instead_of_an_empty_screen() {
    let copy = Copy::new();
    copy.change("wayodos.toml", "mission =", "misson =");
    let (code, out, err) = wayodos(&[copy.path()]);
    assert_eq!((code, out.as_str()), (1, ""));
    assert!(
        err.contains("unknown key `misson`") && err.contains("did you mean `mission`?"),
        "{err}"
    );
}

#[test]
fn without_a_terminal_the_screen_says_so() {
    let (code, _, err) = wayodos(&["demo"]);
    assert!(code == 1 && err.contains("run it in a terminal"), "{err}");
}

#[test]
fn every_answer_can_be_had_as_json() {
    let copy = Copy::new();
    let (code, out, _) = wayodos(&["check", copy.path(), "--mission", "morning-round", "--json"]);
    let findings = json(&out)["findings"].as_array().unwrap().clone();
    let severities: Vec<&str> = findings
        .iter()
        .filter_map(|finding| finding["severity"].as_str())
        .collect();
    assert_eq!((code, severities), (0, vec!["note", "note"]));
    copy.change("robots/curlew.toml", "spot = \"8 mm\"", "spot = \"8 deg\"");
    copy.change("missions/morning-round.way", "  limit 120 s\n", "");
    let (code, out, err) = wayodos(&["check", copy.path(), "--json"]);
    assert_eq!((code, err.as_str()), (1, ""));
    let answer = json(&out);
    let finding = &answer["findings"][0];
    let keys: Vec<&String> = finding.as_object().unwrap().keys().collect();
    assert_eq!(
        keys,
        [
            "code", "end", "file", "fixes", "hints", "message", "severity", "start"
        ]
    );
    assert_eq!(
        (&finding["file"], &finding["severity"]),
        (&"robots/curlew.toml".into(), &"error".into())
    );
    assert!(
        finding["start"]["line"].as_u64() < finding["end"]["line"].as_u64().map(|line| line + 1)
    );
    let (code, out, _) = wayodos(&["fmt", copy.path(), "--check", "--json"]);
    assert_eq!(
        (code, json(&out)),
        (0, serde_json::json!({ "version": 2, "changed": [] }))
    );
    let crooked = copy.mission();
    fs::write(
        &crooked,
        fs::read_to_string(&crooked)
            .unwrap()
            .replace("let creep = 16 %", "let  creep=16 %"),
    )
    .unwrap();
    let (code, out, _) = wayodos(&["fmt", copy.path(), "--check", "--json"]);
    assert!(
        code == 1
            && json(&out)["changed"][0]
                .as_str()
                .unwrap()
                .ends_with("morning-round.way"),
        "{out}"
    );
    let (code, out, _) = wayodos(&["run", "/nowhere/at/all", "--json"]);
    assert_eq!((code, &json(&out)["outcome"]), (1, &"error".into()));
}

#[test]
fn warnings_are_reported_and_do_not_keep_a_mission_from_running() {
    let copy = Copy::new();
    copy.change(
        "missions/morning-round.way",
        "let creep = 16 %",
        "let creep = 16 %\nlet spare = 3 s",
    );
    let (code, out, _) = wayodos(&["check", copy.path()]);
    assert!(
        code == 0 && out.contains("warning") && out.contains("`spare` is never used"),
        "{out}"
    );
    let (code, out, err) = wayodos(&["run", copy.path()]);
    assert!(
        code == 0 && out.contains("done at") && err.contains("never used"),
        "{err}"
    );
    let (_, _, err) = wayodos(&["run", copy.path(), "--quiet"]);
    assert_eq!(err, "");
}

#[test]
fn every_example_mission_has_nothing_to_mend_and_comes_to_its_planned_end() {
    let copy = Copy::new();
    for (mission, verdict, least) in [
        ("ring-contest", Some("won"), 10.0),
        ("shove-the-baskets", Some("won"), 80.0),
        ("past-the-herons", None, 25.0),
        ("between-the-dykes", None, 40.0),
        ("haul-the-barge", None, 25.0),
    ] {
        let (code, out, err) = wayodos(&[
            "run",
            copy.path(),
            "--mission",
            mission,
            "--json",
            "--quiet",
        ]);
        assert_eq!((code, err.as_str()), (0, ""), "{mission}");
        let answer = json(&out);
        let findings = answer["findings"].as_array().unwrap();
        assert!(
            findings.iter().all(|finding| finding["severity"] == "note"),
            "{mission}: {findings:?}"
        );
        assert_eq!(answer["verdict"]["verdict"].as_str(), verdict, "{mission}");
        let (score, lines) = (
            answer["score"].as_f64().unwrap(),
            answer["sheet"].as_array().unwrap(),
        );
        let sum: f64 = lines
            .iter()
            .map(|line| line["each"].as_f64().unwrap() * line["times"].as_f64().unwrap())
            .sum();
        assert!(
            score >= least && (sum - score).abs() < 1e-9,
            "{mission}: {score}"
        );
    }
    let (_, out, _) = wayodos(&[
        "run",
        copy.path(),
        "--mission",
        "shove-the-baskets",
        "--quiet",
    ]);
    for words in ["south basket falls", "4 x object off, first at", "won at"] {
        assert!(out.contains(words), "no `{words}` in {out}");
    }
    // Another field has no use for the demo's calibration, and a mission that is not there is
    // reported.
    let (code, _, err) = wayodos(&["run", copy.path(), "--mission", "dunlin"]);
    assert!(
        code == 1 && err.contains("there is between-the-dykes, "),
        "{err}"
    );
}

#[test]
fn what_is_done_by_hand_stands_in_a_file_and_is_done_again() {
    let copy = Copy::new();
    copy.change(
        "wayodos.toml",
        "field = \"fields/herons.toml\"",
        "field = \"fields/herons.toml\"\nhands = \"hands.toml\"",
    );
    let hands = "[[hand]]\nat = \"14 s\"\nremove = \"old heron\"\n";
    fs::write(copy.folder.join("hands.toml"), hands).unwrap();
    let run = || {
        wayodos(&[
            "run",
            copy.path(),
            "--mission",
            "past-the-herons",
            "--json",
            "--quiet",
        ])
        .1
    };
    let (first, second) = (json(&run()), json(&run()));
    assert_eq!(first["trace_hash"], second["trace_hash"]);
    let events = first["events"].as_array().unwrap();
    assert!(
        events
            .iter()
            .any(|event| event["words"] == "a hand takes old heron away" && event["t_s"] == 14.0)
    );
    assert_ne!(
        first["outcome"], "done",
        "with nobody in its way it goes on and on"
    );
    fs::write(
        copy.folder.join("hands.toml"),
        hands.replace("old heron", "old hero"),
    )
    .unwrap();
    let (code, _, err) = wayodos(&["check", copy.path(), "--mission", "past-the-herons"]);
    assert_eq!((code, err.as_str()), (1, ""));
    let (_, out, _) = wayodos(&["check", copy.path(), "--mission", "past-the-herons"]);
    assert!(
        out.contains("hands.toml:3") && out.contains("did you mean `old heron`?"),
        "{out}"
    );
}

#[test]
fn a_field_may_not_name_files_outside_its_project() {
    let copy = Copy::new();
    copy.change(
        "fields/dykes.toml",
        "fields/dykes.svg",
        "../fields/dykes.svg",
    );
    let (code, out, _) = wayodos(&["check", copy.path(), "--mission", "between-the-dykes"]);
    assert!(
        code == 1 && out.contains("it lies outside the project folder"),
        "{out}"
    );
    copy.change(
        "fields/dykes.toml",
        "../fields/dykes.svg",
        "fields/dikes.svg",
    );
    let (_, out, _) = wayodos(&["check", copy.path(), "--mission", "between-the-dykes"]);
    assert!(out.contains("`fields/dikes.svg` cannot be used"), "{out}");
}

#[test]
fn a_mission_can_be_read_back_and_drawn_as_a_chart() {
    let copy = Copy::new();
    let (code, out, err) = wayodos(&["read", copy.path(), "--mission", "round-the-gates"]);
    assert_eq!((code, err.as_str()), (0, ""));
    for words in [
        "Round the gates",
        "Drives straight ahead at 26 % (cruise)",
        "─> 2 Square up",
        "─> fail: no landing",
    ] {
        assert!(out.contains(words), "no `{words}` in {out}");
    }
    let (_, out, _) = wayodos(&["read", copy.path(), "--json"]);
    let start = json(&out)["start"].to_string();
    assert!(
        start.contains("Stands at slipway") && start.contains("Has 120 s"),
        "{start}"
    );
    let first = &json(&out)["steps"][0];
    assert_eq!(first["name"], "Leave the slipway");
    assert_eq!(first["exits"][0]["to"], "2 Along the causeway");
    // A run says which of several terms ended a step.
    let (_, out, _) = wayodos(&[
        "run",
        copy.path(),
        "--mission",
        "round-the-gates",
        "--json",
        "--quiet",
    ]);
    let steps = json(&out)["steps"].as_array().unwrap().clone();
    let landing = steps
        .iter()
        .find(|step| step["name"] == "To the landing")
        .unwrap();
    assert_eq!(landing["term"], "floor-left sees dark", "{landing}");
    let file = copy.folder.join("flow.svg");
    let (code, _, err) = wayodos(&[
        "draw",
        copy.path(),
        "--only",
        "flow",
        "-o",
        file.to_str().unwrap(),
    ]);
    assert!(code == 0 && err.contains("wrote"), "{err}");
    assert!(
        fs::read_to_string(file)
            .unwrap()
            .contains("fail: too few bars")
    );
}

#[test]
fn check_tells_advice_and_what_the_run_shows() {
    let copy = Copy::new();
    copy.change(
        "missions/morning-round.way",
        "until 1.5 s pass",
        "until 1.5 s pass\n  or    hue sees kiln-red",
    );
    let (code, out, _) = wayodos(&["check", copy.path()]);
    assert!(
        code == 0
            && out.contains("warning[K13]")
            && out.contains("this was already true when the step began"),
        "{out}"
    );
    copy.change(
        "missions/morning-round.way",
        "drive ahead at cruise holding the heading",
        "drive ahead at 100 %",
    );
    copy.change(
        "robots/curlew.toml",
        "rate = \"500 Hz\"",
        "rate = \"20 Hz\"",
    );
    copy.change(
        "robots/curlew.toml",
        "rate = \"500 Hz\"",
        "rate = \"20 Hz\"",
    );
    let (_, out, _) = wayodos(&["check", copy.path(), "--json"]);
    let findings = json(&out)["findings"].as_array().unwrap().clone();
    let fast = findings
        .iter()
        .find(|finding| finding["code"] == "K24")
        .expect("too fast for the landing");
    assert!(
        fast["message"]
            .as_str()
            .unwrap()
            .starts_with("at 100 % `floor-right` moves 25 mm"),
        "{fast}"
    );
    assert_eq!(fast["start"]["line"], 11);
}

#[test]
fn a_project_is_begun_and_says_what_to_do_next() {
    let here = tempfile::tempdir().unwrap();
    let run = |args: &[&str]| {
        Command::new(env!("CARGO_BIN_EXE_wayodos"))
            .args(args)
            .current_dir(here.path())
            .output()
            .unwrap()
    };
    let made = run(&["new", "saltern"]);
    assert!(made.status.success() && made.stdout.is_empty());
    assert_eq!(
        String::from_utf8_lossy(&made.stderr).trim(),
        "made saltern; open it with `wayodos saltern`"
    );
    let checked = run(&["check", "saltern"]);
    assert_eq!(
        checked.status.code(),
        Some(1),
        "a mission without steps cannot run"
    );
    assert!(String::from_utf8_lossy(&checked.stdout).contains("the mission has no steps"));
    // One's own, or something to play with.
    let own = fs::read_to_string(here.path().join("saltern/robots/robot.toml")).unwrap();
    assert!(own.contains("# kitchen scale"), "{own}");
    assert!(run(&["new", "toy", "--with", "example"]).status.success());
    assert!(here.path().join("toy/robots/curlew.toml").is_file());
    let again = run(&["new", "saltern", "--quiet"]);
    assert_eq!(again.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&again.stderr).contains("holds a project already"));
}

#[test]
#[cfg(unix)]
fn a_project_of_somebody_else_reads_and_writes_nothing_outside_itself() {
    use std::os::unix::fs::symlink;
    let outside = tempfile::tempdir().unwrap();
    let secret = outside.path().join("secret.way");
    let crooked = "step \"a\"\n      hold, coast\n  until 1 s passes -> done\n";
    fs::write(&secret, crooked).unwrap();
    for file in [
        "missions/morning-round.way",
        "robots/curlew.toml",
        "fields/causeway.toml",
        "calibration.toml",
    ] {
        let copy = Copy::new();
        fs::remove_file(copy.folder.join(file)).unwrap();
        symlink(&secret, copy.folder.join(file)).unwrap();
        for command in [&["check"][..], &["run"], &["read"]] {
            let (code, out, err) = wayodos(&[command, &[copy.path()]].concat());
            assert!(
                code == 1 && err.contains("leads out of the project folder"),
                "{command:?} {file}: {out}{err}"
            );
            assert!(
                !out.contains("step") && !err.contains("until 1 s"),
                "{file}: {out}{err}"
            );
        }
        let (code, ..) = wayodos(&["fmt", copy.path()]);
        assert_eq!(code == 1, file.starts_with("missions"), "{file}");
        assert_eq!(fs::read_to_string(&secret).unwrap(), crooked, "{file}");
    }
    // A folder that leads out is no better; a link within the project is.
    let copy = Copy::new();
    fs::rename(copy.folder.join("robots"), outside.path().join("robots")).unwrap();
    symlink(outside.path().join("robots"), copy.folder.join("robots")).unwrap();
    assert!(
        wayodos(&["check", copy.path()])
            .2
            .contains("leads out of the project folder")
    );
    let copy = Copy::new();
    fs::rename(
        copy.folder.join("robots/curlew.toml"),
        copy.folder.join("robots/kept.toml"),
    )
    .unwrap();
    symlink("kept.toml", copy.folder.join("robots/curlew.toml")).unwrap();
    assert_eq!(wayodos(&["check", copy.path()]).0, 0);
}

#[test]
fn nothing_in_a_file_commands_the_terminal() {
    let copy = Copy::new();
    let nasty = "\u{1b}]0;owned\u{7}\u{9b}2J\r";
    copy.change(
        "wayodos.toml",
        "Brinewick",
        &format!("Brine{}wick", "\\u001b[2J"),
    );
    copy.change(
        "missions/morning-round.way",
        "Leave the slipway",
        &format!("Leave {nasty} slipway"),
    );
    copy.change(
        "missions/morning-round.way",
        "holding the heading",
        &format!("holding {nasty}"),
    );
    let runs = [
        &["check"][..],
        &["read"],
        &["run"],
        &["check", "--json"],
        &["read", "--json"],
        &["fmt", "--check"],
    ];
    for command in runs {
        let (_, out, err) = wayodos(&[command, &[copy.path()]].concat());
        let both = out + &err;
        assert!(
            !both.is_empty()
                && both
                    .chars()
                    .all(|c| c == '\n' || c == '\t' || !c.is_control()),
            "{command:?}: {both:?}"
        );
    }
    copy.change(
        "missions/morning-round.way",
        &format!("holding {nasty}"),
        "holding the heading",
    );
    let (code, out, _) = wayodos(&["run", copy.path()]);
    assert!(
        code == 0 && out.contains("Leave ?]0;owned?\u{bf}2J"),
        "{out}"
    );
}

#[test]
#[cfg(target_os = "linux")]
fn a_full_disk_at_the_end_of_a_pipe_is_a_failure() {
    let copy = Copy::new();
    let full = || {
        fs::OpenOptions::new()
            .write(true)
            .open("/dev/full")
            .unwrap()
    };
    for command in [
        &["check"][..],
        &["run"],
        &["read"],
        &["run", "--json", "--quiet"],
    ] {
        let mut process = Command::new(env!("CARGO_BIN_EXE_wayodos"));
        let output = process
            .args(command)
            .arg(copy.path())
            .stdout(full())
            .stdin(Stdio::null())
            .output()
            .unwrap();
        let err = String::from_utf8(output.stderr).unwrap();
        assert!(
            output.status.code() == Some(1) && err.contains("cannot write the answer"),
            "{command:?}: {err}"
        );
    }
}

#[test]
fn a_log_is_written_where_it_can_be_and_nobody_is_kept_from_working_where_it_cannot() {
    let copy = Copy::new();
    let run = |state: &Path, log: &str| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_wayodos"));
        command
            .args(["run", copy.path(), "--mission", "morning-round", log])
            .env("XDG_STATE_HOME", state);
        command.stdin(Stdio::null()).output().unwrap()
    };
    let here = tempfile::tempdir().unwrap();
    let quiet = run(here.path(), "--color=never");
    assert_eq!(
        fs::read_dir(here.path()).unwrap().count(),
        0,
        "without being asked nothing is written"
    );
    let logged = run(here.path(), "--log=debug");
    assert_eq!(
        (logged.status.code(), &logged.stdout),
        (Some(0), &quiet.stdout)
    );
    let files: Vec<_> = fs::read_dir(here.path().join("wayodos/log"))
        .unwrap()
        .collect();
    let log = fs::read_to_string(files[0].as_ref().unwrap().path()).unwrap();
    assert!(
        files.len() == 1 && log.contains("run id=0 kind=Shown seed=7 outcome=Done"),
        "{log}"
    );
    // A file where the folder should be.
    let file = here.path().join("full");
    fs::write(&file, "").unwrap();
    let refused = run(&file, "--log");
    let said = String::from_utf8(refused.stderr).unwrap();
    assert_eq!(
        (refused.status.code(), &refused.stdout),
        (Some(0), &quiet.stdout)
    );
    assert!(said.contains("no log: cannot write to"), "{said}");
}

#[test]
fn a_varied_run_says_what_is_different_and_is_the_same_again() {
    let copy = Copy::new();
    let run = |more: &[&str]| {
        let mut args = vec!["run", copy.path(), "--mission", "morning-round"];
        args.extend(more);
        wayodos(&args)
    };
    let (_, text, _) = run(&["--varied", "17"]);
    assert!(
        text.contains("seed 7, run 17, everyday scatter\n  light "),
        "{text}"
    );
    for what in [
        "battery",
        "left motor strength",
        "grip",
        "start along",
        "hue gain",
        "hue clock",
    ] {
        assert!(
            text.lines().any(|line| line.trim_start().starts_with(what)),
            "no {what}: {text}"
        );
    }
    assert_eq!(run(&["--varied", "17"]).1, text);
    let hash = |more: &[&str]| {
        let mut all = vec!["--json", "--quiet"];
        all.extend(more);
        let (_, out, _) = run(&all);
        let out = json(&out);
        (out["trace_hash"].clone(), out["varied"].clone())
    };
    let (nominal, none) = hash(&[]);
    assert!(none.is_null());
    assert_eq!(hash(&["--varied", "0"]), (nominal.clone(), none));
    let (first, varied) = hash(&["--varied", "17", "--scatter", "rough"]);
    assert!(first != nominal && varied["run"] == 17 && varied["scatter"] == "rough");
    let drawn = varied["drawn"].as_array().unwrap();
    let grip = drawn.iter().find(|one| one["what"] == "grip").unwrap();
    let (off, sigmas) = (
        grip["off"].as_f64().unwrap(),
        grip["sigmas"].as_f64().unwrap(),
    );
    assert!(
        (off - 15.0 * sigmas).abs() < 1e-2 && grip["unit"] == "%",
        "{grip}"
    );
    assert_eq!(run(&["--scatter", "rough"]).0, 64, "of which run?");
    assert_eq!(run(&["--varied", "17", "--scatter", "wild"]).0, 64);
    // A file says otherwise.
    let robot = copy.folder.join("robots/curlew.toml");
    let text = fs::read_to_string(&robot).unwrap();
    fs::write(
        &robot,
        format!("{text}\n[scatter.everyday]\ngrip = \"0 %\"\n"),
    )
    .unwrap();
    let (_, varied) = hash(&["--varied", "17"]);
    assert!(
        varied["drawn"]
            .as_array()
            .unwrap()
            .iter()
            .all(|one| one["what"] != "grip")
    );
    fs::write(
        &robot,
        format!("{text}\n[scatter.always]\ngrip = \"-4 %\"\n"),
    )
    .unwrap();
    let (code, _, err) = run(&["--varied", "17"]);
    assert!(code == 1 && err.contains("grip"), "{err}");
}

#[test]
fn a_spread_says_how_many_held_and_its_parts_together_say_the_same_to_the_byte() {
    let project = Copy::new();
    let ring = ["--mission", "ring-contest", "--seed", "5"];
    let spread = |more: &[&str]| {
        let args = [&["spread", project.path(), "-n", "24"][..], &ring, more].concat();
        wayodos(&args)
    };
    let (code, whole, words) = spread(&["--json"]);
    let answer = json(&whole);
    let runs = answer["runs"].as_array().unwrap();
    assert_eq!((code, runs.len()), (0, 24));
    let held = runs.iter().filter(|run| run["held"] == true).count();
    assert_eq!(answer["held"]["times"], held);
    assert!(held < 24, "some of them are lost");
    assert!(
        words.contains(&format!("held {held} of 24 runs; 95 % sure")),
        "{words}"
    );
    let died: u64 = answer["endings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|ending| ending["share"]["times"].as_u64().unwrap())
        .sum();
    assert_eq!(died as usize, 24 - held);
    // Each of them is the run that `run` makes.
    let nth = &runs[16];
    let args = [
        &["run", project.path(), "--varied", "17", "--json"][..],
        &ring,
    ]
    .concat();
    let (_, one, _) = wayodos(&args);
    assert_eq!(json(&one)["trace_hash"], nth["trace_hash"]);
    // On three machines, in any order.
    let parts: Vec<String> = ["3/3", "1/3", "2/3"]
        .into_iter()
        .map(|shard| {
            let file = project.folder.join(format!("{}.json", &shard[..1]));
            let file = file.to_str().unwrap().to_owned();
            let (code, _, err) = spread(&["--shard", shard, "--output", &file]);
            assert!(code == 0 && err.contains("8 runs"), "{err}");
            file
        })
        .collect();
    let all: Vec<&str> = parts.iter().map(String::as_str).collect();
    let merge = |parts: &[&str]| wayodos(&[&["merge"][..], parts, &["--json"]].concat());
    assert_eq!(merge(&all), (0, whole, words));
    // One too few, one twice, one of another mission, one that is damaged.
    let refused = |parts: &[&str], words: &str| {
        let (code, out, err) = merge(parts);
        assert!(code == 1 && err.contains(words), "{code} {err}");
        assert_eq!(json(&out)["outcome"], "error", "{out}");
    };
    refused(&all[..2], "part 2 of 3 is missing");
    refused(&[all[0], all[0], all[1]], "are both part 3 of 3");
    let other = project.folder.join("other.json");
    let other = other.to_str().unwrap();
    project.change(
        "robots/curlew.toml",
        "name = \"Curlew\"",
        "name = \"Curlew II\"",
    );
    spread(&["--shard", "2/3", "--output", other]);
    refused(&[all[0], all[1], other], "other files");
    fs::write(other, &fs::read(all[2]).unwrap()[..200]).unwrap();
    refused(&[all[0], all[1], other], "damaged");
    // Of how many must hold a script can ask.
    let (code, ..) = spread(&["--least", "95"]);
    assert_eq!(code, 2);
    let table = project.folder.join("runs.csv");
    spread(&["--csv", table.to_str().unwrap()]);
    let table = fs::read_to_string(table).unwrap();
    assert_eq!(table.lines().count(), 25);
    assert!(
        table.lines().next().unwrap().contains("grip (%)"),
        "{table}"
    );
    let page = project.folder.join("runs.svg");
    spread(&["--draw", page.to_str().unwrap()]);
    assert!(
        fs::read_to_string(page)
            .unwrap()
            .contains(&format!("held {held} of 24 runs"))
    );
    let page = project.folder.join("why.svg");
    spread(&["--causes", page.to_str().unwrap()]);
    let svg = fs::read_to_string(page).unwrap();
    assert!(svg.contains("why runs fail"), "{svg}");
    assert_eq!(spread(&["--draw", "runs.txt"]).0, 64);
    // What cannot be asked for.
    for wrong in [
        ["-n", "0"],
        ["-n", "1000000"],
        ["--shard", "4/3"],
        ["--least", "101"],
    ] {
        let args = [&["spread", project.path(), "--output", "x"][..], &wrong].concat();
        assert_eq!(wayodos(&args).0, 64, "{wrong:?}");
    }
}

#[test]
fn a_sweep_finds_where_a_number_holds() {
    let project = Copy::new();
    let sweep = |more: &[&str]| {
        wayodos(&[&["sweep", project.path()][..], more, &["-n", "4", "--json"]].concat())
    };
    // Below 16 % the causeway takes longer than its time.
    let (code, out, words) = sweep(&["cruise", "12 %..24 %", "--values", "7"]);
    assert_eq!(code, 0, "{words}");
    let answer = json(&out);
    let points = answer["points"].as_array().unwrap();
    let values: Vec<f64> = points
        .iter()
        .map(|point| point["value"].as_f64().unwrap())
        .collect();
    assert_eq!(values, [12.0, 14.0, 16.0, 18.0, 20.0, 22.0, 24.0]);
    assert!(points[0]["held"]["times"].as_u64() < Some(4), "{words}");
    assert_eq!(points[6]["held"]["times"], 4);
    assert_eq!(answer["holds"][1], 24.0);
    assert!(words.contains("19 in 20 runs held from"), "{words}");
    // The number by its place, the same one.
    let line = fs::read_to_string(project.mission())
        .unwrap()
        .lines()
        .position(|line| line.starts_with("let cruise"))
        .unwrap();
    let (_, by_place, _) = sweep(&[&format!("{}:1", line + 1), "12 %..24 %", "--values", "7"]);
    assert_eq!(by_place, out);
    // Two numbers at once.
    let (code, out, words) = sweep(&[
        "creep",
        "10 %..22 %",
        "--values",
        "5",
        "--also",
        "cruise=10 %..30 %",
    ]);
    let answer = json(&out);
    assert_eq!(
        (code, answer["points"].as_array().map(Vec::len)),
        (0, Some(24)),
        "{words}"
    );
    assert_eq!(answer["axes"][1]["holds"][1], 30.0, "{words}");
    assert!(
        answer["axes"][1]["holds"][0].as_f64() > Some(10.0),
        "{words}"
    );
    assert!(
        words.contains("holds with creep") && words.contains("in the middle"),
        "{words}"
    );
    for (wrong, words) in [
        ("creep", "named twice"),
        ("cruise=1 s..2 s", "1 s is no value of it"),
    ] {
        let (code, _, err) = sweep(&["creep", "--also", wrong]);
        assert!(code == 64 && err.contains(words), "{wrong}: {err}");
    }
    for (wrong, words) in [
        (["cruse", "1 %..2 %"], "did you mean `cruise`?"),
        (["cruise", "24 %..12 %"], "write the smaller amount first"),
        (["cruise", "1 s..2 s"], "1 s is no value of it"),
        (["1:1", "1 %..2 %"], "holds no number"),
        (["cruise", "1 %-2 %"], "is no span"),
    ] {
        let (code, _, err) = sweep(&wrong);
        assert!(code == 64 && err.contains(words), "{wrong:?}: {err}");
    }
}

#[test]
fn amounts_are_tuned_proven_and_written_into_the_mission() {
    let project = Copy::new();
    let text = "mission \"Ahead\"\n  limit 4 s\n\nlet pace = 12 %, safe from 10 % to 40 %, guessed\nlet far = 300 mm\n\nstep \"Ahead\"\n  drive ahead at pace\n  until travelled far  -> done\n  or    2 s pass       -> fail \"late\"\n";
    fs::write(project.mission(), text).unwrap();
    let tune = |more: &[&str]| wayodos(&[&["tune", project.path()][..], more].concat());
    let (code, out, words) = tune(&["--json"]);
    let answer = json(&out);
    assert_eq!(
        (code, &answer["better_in"]),
        (0, &Value::from("holds")),
        "{words}"
    );
    assert_eq!(answer["proof_found"]["of"], 200);
    assert!(answer["proof_found"]["times"].as_u64() > answer["proof_now"]["times"].as_u64());
    assert!(answer["amounts"].as_array().unwrap().len() == 1 && answer["taken"] == false);
    assert_eq!(fs::read_to_string(project.mission()).unwrap(), text);
    // The same again finds the same; now it is taken.
    let found = answer["amounts"][0]["found"].as_f64().unwrap();
    let (code, words, _) = tune(&["--take"]);
    assert!(
        code == 0 && words.contains("wrote missions/morning-round.way"),
        "{words}"
    );
    let line = format!("let pace = {found} %, safe from 10 % to 40 %, guessed");
    assert_eq!(
        fs::read_to_string(project.mission()).unwrap(),
        text.replace("let pace = 12 %, safe from 10 % to 40 %, guessed", &line)
    );
    // Nothing holds: nothing is better, and nothing is written.
    fs::write(project.mission(), text.replace("2 s pass", "0.01 s pass")).unwrap();
    let (code, words, _) = tune(&["--take", "pace=10 %..20 %", "far"]);
    assert!(
        code == 0 && words.contains("nothing that was tried is better"),
        "{words}"
    );
    for (wrong, words) in [
        (["pac"], "did you mean `pace`?"),
        (["pace=20 %"], "is no span"),
        (["pace=20 %..10 %"], "write the smaller amount first"),
    ] {
        let (code, _, err) = tune(&wrong);
        assert!(code == 64 && err.contains(words), "{wrong:?}: {err}");
    }
    let (code, _, err) = tune(&["pace", "pace"]);
    assert!(code == 64 && err.contains("named twice"), "{err}");
    fs::write(
        project.mission(),
        text.replace(", safe from 10 % to 40 %, guessed", ""),
    )
    .unwrap();
    let (code, _, err) = tune(&[]);
    assert!(
        code == 64 && err.contains("no amount of the mission has a safe span"),
        "{err}"
    );
}

#[test]
fn a_league_is_played_from_both_sides_and_says_how_strong_each_is() {
    let project = Copy::new();
    let league = |more: &[&str]| {
        let args = [
            &["league", project.path(), "--mission", "ring-contest"][..],
            more,
        ]
        .concat();
        wayodos(&args)
    };
    // Whoever drives straight on falls, whichever side he is on.
    let mission = Path::new(project.path()).join("missions/ring-contest.way");
    let text = fs::read_to_string(&mission).unwrap();
    let still = Path::new(project.path()).join("missions/straight-on.way");
    fs::write(&still, "mission \"On\"\n  limit 90 s\n  begin after 3.05 s\n\nstep \"On\"\n  drive back at 50 %\n  until 85 s pass  -> done\n").unwrap();
    let config = Path::new(project.path()).join("wayodos.toml");
    let whole = fs::read_to_string(&config).unwrap();
    fs::write(
        &config,
        format!("{whole}\n[for.straight-on]\nfield = \"fields/ring.toml\"\n"),
    )
    .unwrap();
    let table = Path::new(project.path()).join("matches.csv");
    let page = Path::new(project.path()).join("league.svg");
    let (code, out, words) = league(&[
        "ring-contest",
        "straight-on",
        "-n",
        "6",
        "--json",
        "--csv",
        table.to_str().unwrap(),
        "--draw",
        page.to_str().unwrap(),
    ]);
    let answer = json(&out);
    assert_eq!(code, 0, "{words}");
    let team = |at: usize| answer["teams"][at].clone();
    assert_eq!(
        (team(0)["won"].as_u64(), team(0)["lost"].as_u64()),
        (team(1)["lost"].as_u64(), team(1)["won"].as_u64())
    );
    assert!(team(0)["won"].as_u64() >= Some(10), "{words}");
    assert!(
        team(0)["low"].as_f64() > Some(0.5) && team(1)["high"].as_f64() < Some(0.5),
        "{words}"
    );
    let rows = fs::read_to_string(&table).unwrap();
    assert_eq!(rows.lines().count(), 13);
    let drawn = fs::read_to_string(&page).unwrap();
    assert!(drawn.contains("who beats whom") && drawn.contains("straight-on"));
    let from_there = rows
        .lines()
        .filter(|row| row.starts_with("straight-on,"))
        .count();
    assert_eq!(from_there, 6);
    // The field's opponent by its name and by its file is the same one.
    let (_, named, _) = league(&["ring-contest", "Dunlin", "-n", "2", "--json"]);
    let (_, filed, _) = league(&["ring-contest", "rivals/dunlin.way", "-n", "2", "--json"]);
    let (_, plain, _) = league(&["-n", "2", "--json"]);
    assert_eq!(named, plain);
    assert_eq!(json(&named)["teams"][0], json(&filed)["teams"][0]);
    // Two of one mission are told apart, and an entry of the logbook plays as it was then.
    let mut book = wayodos::logbook::Book::open(Some(Path::new(project.path()))).unwrap();
    let id = book
        .write(&wayodos::logbook::Page {
            reason: wayodos::logbook::Reason::Saved,
            mission: "missions/ring-contest.way".into(),
            files: vec![("missions/ring-contest.way".into(), text)],
            seed: 5,
            scatter: "everyday".into(),
            outcome: String::new(),
            planned: true,
            seconds: 1.0,
            score: None,
            held: None,
            note: String::new(),
        })
        .unwrap();
    drop(book);
    let (code, out, words) = league(&["ring-contest", &format!("@{id}"), "-n", "1", "--json"]);
    assert_eq!(code, 0, "{words}");
    assert_eq!(
        json(&out)["teams"][1]["name"],
        format!("ring-contest @{id}")
    );
    for (wrong, words) in [
        (&["ring-contest"][..], "two or more"),
        (
            &["ring-contest", "morning-round"],
            "plays on fields/causeway.toml",
        ),
        (&["ring-contest", "@999"], "has no entry @999"),
        (&["ring-contest", "nobody"], "nobody"),
        (&["ring-contest", "rivals/none.way"], "none.way"),
    ] {
        let (code, _, err) = league(wrong);
        assert!(code == 64 && err.contains(words), "{wrong:?}: {code} {err}");
    }
    let (code, _, err) = wayodos(&["league", project.path()]);
    assert!(code == 64 && err.contains("has 0 opponents"), "{err}");
}

#[test]
fn the_logbook_is_listed_searched_and_written_to_a_table() {
    use wayodos::logbook::{Book, Page, Reason};

    let project = Copy::new();
    let list = |more: &[&str]| wayodos(&[&["logbook", project.path()][..], more].concat());
    // Where there is none yet, none is made.
    let (code, out, _) = list(&[]);
    assert_eq!((code, out.as_str()), (0, "no entries\n"));
    let file = Path::new(project.path()).join("logbook.db");
    assert!(!file.exists());
    let mut book = Book::open(Some(Path::new(project.path()))).unwrap();
    for (nth, mission) in ["morning-round", "ring-contest"].into_iter().enumerate() {
        let mission = format!("missions/{mission}.way");
        let page = Page {
            reason: Reason::Saved,
            mission: mission.clone(),
            files: vec![(mission, "text\n".into())],
            seed: 7,
            scatter: "everyday".into(),
            outcome: "done at 60.0 s".into(),
            planned: true,
            seconds: 60.0,
            score: None,
            held: (nth == 1).then_some(wayodos_core::lab::statistics::Share::new(190, 200)),
            note: String::new(),
        };
        book.write(&page).unwrap();
    }
    let (_, out, _) = list(&[]);
    assert!(
        out.lines().count() == 2 && out.contains("held 190 of 200"),
        "{out}"
    );
    let (_, out, _) = list(&["--search", "RING", "--json"]);
    let answer = json(&out);
    assert_eq!(answer["entries"].as_array().unwrap().len(), 1);
    assert_eq!(answer["entries"][0]["held"]["of"], 200);
    let table = Path::new(project.path()).join("all.csv");
    let (code, _, _) = list(&[
        "--mission",
        "morning-round",
        "--csv",
        table.to_str().unwrap(),
    ]);
    assert_eq!(code, 0);
    assert_eq!(fs::read_to_string(&table).unwrap().lines().count(), 2);
    // Somebody else's file is left alone.
    drop(book);
    fs::write(&file, "no database".repeat(100)).unwrap();
    let (code, _, err) = list(&[]);
    assert!(
        code == 1 && err.contains("the logbook was damaged: it is now"),
        "{err}"
    );
}

#[test]
fn two_versions_are_compared_run_by_run_with_how_sure_it_is() {
    let (one, other) = (Copy::new(), Copy::new());
    // Too slow for the causeway: each run that held before fails.
    other.change(
        "missions/morning-round.way",
        "cruise = 26 %",
        "cruise = 12 %",
    );
    let compare = |with: &[&str]| {
        let args = [&["compare", one.path(), "-n", "12", "--json"][..], with].concat();
        wayodos(&args)
    };
    let page = Path::new(one.path()).join("both.svg");
    let draw = ["--with", other.path(), "--draw", page.to_str().unwrap()];
    let (code, out, words) = compare(&draw);
    let drawn = fs::read_to_string(&page).unwrap();
    assert!(drawn.contains("Which one holds?") && drawn.contains("dashed"));
    // Copies of one project are told apart by where they are.
    assert!(
        words.contains(one.path()) && words.contains(other.path()),
        "{words}"
    );
    let answer = json(&out);
    assert_eq!(
        (code, &answer["b_is"]),
        (0, &Value::from("worse")),
        "{words}"
    );
    let only = answer["only_a"].as_array().unwrap().len();
    assert!(only >= 6 && answer["p"].as_f64() < Some(0.05), "{words}");
    assert!(
        words.contains("B is worse than A") && words.contains("their paths part at"),
        "{words}"
    );
    // With itself there is nothing to tell apart.
    let (_, out, words) = compare(&["--with", one.path()]);
    assert_eq!(
        (&json(&out)["p"], &json(&out)["both"]),
        (&Value::from(1.0), &Value::from(12))
    );
    assert!(
        words.contains("each run came out the same") && !words.contains("part at"),
        "{words}"
    );
    let (code, _, _) = compare(&["--with-mission", "nowhere"]);
    assert_eq!(code, 1);
    let (code, _, err) = wayodos(&["compare", one.path()]);
    assert!(code == 64 && err.contains("--with"), "{err}");
}

/// A mission whose repeat goes round so often that nobody reads every pass, with names that a table
/// must quote.
const WIGGLE: &str = "mission \"Wiggle\"\n  limit 20 s\n  start slipway\n\nstep \"To, and fro; 'so'\"\n  repeat 6 times\n    step \"Left, a bit\"\n      spin left at 20 %\n      until turned 5 deg\n\n    step \"Right\"\n      spin right at 20 %\n      until turned 5 deg\n  end\n";

#[test]
fn passes_are_told_as_one_or_each_and_the_record_is_a_table() {
    let copy = Copy::new();
    fs::write(copy.folder.join("missions/wiggle.way"), WIGGLE).unwrap();
    let run = |more: &[&str]| {
        let mut args = vec!["run", copy.path(), "--mission", "wiggle"];
        args.extend(more);
        wayodos(&args)
    };
    let (code, told, _) = run(&[]);
    assert_eq!(code, 0, "{told}");
    assert_eq!(told.matches("Left, a bit").count(), 1, "{told}");
    assert!(
        told.contains("6 passes") && told.contains("fired 6 of 6"),
        "{told}"
    );
    let (_, all, _) = run(&["--all"]);
    let heads = all
        .lines()
        .filter(|line| line.starts_with("  2    Left, a bit"))
        .count();
    assert_eq!(heads, 6, "{all}");
    let file = copy.folder.join("run.csv");
    let path = file.to_str().unwrap();
    let (code, _, err) = run(&["--csv", path]);
    assert_eq!(code, 0, "{err}");
    let mut table = csv::Reader::from_path(&file).unwrap();
    let head = table.headers().unwrap().clone();
    for name in [
        "time_s",
        "step",
        "heading_deg",
        "floor-left_%",
        "ahead_mm",
        "hue-tone",
    ] {
        assert!(
            head.iter().any(|title| title == name),
            "no {name} in {head:?}"
        );
    }
    let rows: Vec<csv::StringRecord> = table.records().map(Result::unwrap).collect();
    let (_, answer, _) = run(&["--json", "--quiet"]);
    let answer = json(&answer);
    let seconds = answer["duration_s"].as_f64().unwrap();
    // One row a control tick of 10 ms, and half a second in which it comes to rest.
    assert!(
        (rows.len() as f64 / 100.0 - seconds - 0.5).abs() < 0.05,
        "{}",
        rows.len()
    );
    let steps: std::collections::BTreeSet<&str> = rows.iter().map(|row| &row[1]).collect();
    assert!(
        steps.contains("Left, a bit") && steps.len() == 2,
        "{steps:?}"
    );
    let last: Vec<f64> = [2, 3, 4]
        .map(|at| rows[rows.len() - 1][at].parse().unwrap())
        .into();
    for (found, key) in last.iter().zip(["x_mm", "y_mm", "heading_deg"]) {
        let wanted = answer["final_pose"][key].as_f64().unwrap();
        assert!((found - wanted).abs() < 0.06, "{key}: {found} {wanted}");
    }
    let (code, ..) = run(&["--csv", path, "--channels", "heading,floor-left"]);
    assert_eq!(code, 0);
    let head = csv::Reader::from_path(&file)
        .unwrap()
        .headers()
        .unwrap()
        .clone();
    assert_eq!(
        head.iter().collect::<Vec<_>>(),
        ["time_s", "heading_deg", "floor-left_%"]
    );
    let (code, _, err) = run(&["--csv", path, "--channels", "heading,flor"]);
    assert!(
        code == 64 && err.contains("`flor`") && err.contains("floor-left"),
        "{err}"
    );
}

#[test]
fn a_run_that_fails_says_what_went_wrong_first() {
    let copy = Copy::new();
    copy.change("missions/morning-round.way", "3 dark lines", "4 dark lines");
    let (code, told, _) = wayodos(&["run", copy.path()]);
    assert_eq!(code, 2);
    assert!(
        told.contains("failed at") && told.contains("began to go wrong at"),
        "{told}"
    );
    let (_, answer, _) = wayodos(&["run", copy.path(), "--json", "--quiet"]);
    let answer = json(&answer);
    let first = &answer["first_wrong"];
    assert!(first["t_s"].as_f64().unwrap() < answer["duration_s"].as_f64().unwrap() - 0.3);
    assert_eq!(first["words"], "the line is lost", "{first}");
    let found = answer["findings"].as_array().unwrap();
    let ends = found
        .iter()
        .find(|finding| finding["code"] == "K69")
        .unwrap();
    assert!(
        ends["hints"].to_string().contains("began to go wrong"),
        "{ends}"
    );
}

#[test]
fn a_reflex_that_did_not_act_and_a_last_resort_that_was_needed_are_told() {
    let copy = Copy::new();
    copy.change(
        "missions/morning-round.way",
        "let creep = 16 %\n",
        "let creep = 16 %\n\nreflex \"Wall\"\n  when ahead < 20 mm\n  hold, brake\n  until 1 s passes\n  then resume\n",
    );
    let (code, told, _) = wayodos(&["run", copy.path()]);
    assert_eq!(code, 0, "{told}");
    assert!(
        told.contains("reflex Wall") && told.contains("did not act"),
        "{told}"
    );
    let (_, answer, _) = wayodos(&["run", copy.path(), "--json", "--quiet"]);
    let answer = json(&answer);
    let quiet = &answer["quiet_reflexes"][0];
    assert!(
        quiet["reflex"].as_str().unwrap().starts_with("Wall"),
        "{quiet}"
    );
    assert!(
        quiet["was"].as_str().unwrap().starts_with("did not act"),
        "{quiet}"
    );
    // The landing is missed, and the last resort taken.
    copy.change(
        "missions/morning-round.way",
        "start slipway\n",
        "start slipway\n  last resort \"Make fast\"\n",
    );
    copy.change(
        "missions/morning-round.way",
        "travelled 320 mm",
        "travelled 90 mm",
    );
    let (code, told, _) = wayodos(&["run", copy.path()]);
    assert_eq!(code, 2, "{told}");
    assert!(
        told.contains("Make fast") && told.contains("no landing found; the last resort took until"),
        "{told}"
    );
    let (_, words, _) = wayodos(&["read", copy.path()]);
    assert!(
        words.contains("When it fails: on with \"Make fast\"."),
        "{words}"
    );
}
