//! What people do with the application, done in a real terminal: tmux, with keys sent and the
//! screen read.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::thread::sleep;
use std::time::{Duration, Instant};

use wayodos::folder::{Project, Saved, save};

/// A terminal with the application in it, in a folder of its own.
struct Terminal {
    here: tempfile::TempDir,
}

impl Terminal {
    /// Starts `wayodos ARGS`; what is left of it when it ends is one line with its exit code.
    fn start(here: tempfile::TempDir, size: (u16, u16), args: &str, env: &str) -> Self {
        let program = env!("CARGO_BIN_EXE_wayodos");
        Self::start_command(here, size, &format!("{env} {program} {args}"))
    }

    fn start_command(here: tempfile::TempDir, size: (u16, u16), command: &str) -> Self {
        let terminal = Self { here };
        let home = terminal.here.path().display();
        let script = format!(
            "cd '{home}' && export HOME='{home}' COLORTERM=truecolor && unset XDG_STATE_HOME NO_COLOR; {command}; \
             echo \"left with $?\"; exec cat"
        );
        let (width, height) = (size.0.to_string(), size.1.to_string());
        let started = terminal.tmux(&[
            "-f",
            "/dev/null",
            "new-session",
            "-d",
            "-x",
            &width,
            "-y",
            &height,
            "sh",
            "-c",
            &script,
        ]);
        assert!(started.is_ok(), "{started:?}");
        terminal.tmux(&["set", "-s", "escape-time", "0"]).unwrap();
        terminal.tmux(&["set", "status", "off"]).unwrap();
        terminal
    }

    fn tmux(&self, args: &[&str]) -> Result<String, String> {
        let socket = self.here.path().join("tmux");
        let output = Command::new("tmux")
            .env_remove("TMUX")
            .arg("-S")
            .arg(socket)
            .args(args)
            .output();
        let output = output.expect("tmux is installed: `./dev test` sees to it");
        if output.status.success() {
            Ok(String::from_utf8_lossy(&output.stdout).into_owned())
        } else {
            Err(String::from_utf8_lossy(&output.stderr).into_owned())
        }
    }

    fn keys(&self, keys: &[&str]) -> &Self {
        for key in keys {
            self.tmux(&["send-keys", key]).unwrap();
        }
        self
    }

    fn screen(&self) -> String {
        self.tmux(&["capture-pane", "-p"]).unwrap()
    }

    /// Waits until the screen shows a text. What a killed application leaves to the shell may begin
    /// anywhere, and break at the edge: rows that go on are taken as one, too.
    #[track_caller]
    fn shows(&self, text: &str) -> &Self {
        let joined = || {
            self.tmux(&["capture-pane", "-p", "-J"])
                .is_ok_and(|screen| screen.contains(text))
        };
        self.until(text, |screen| screen.contains(text) || joined())
    }

    /// Waits until the screen shows what many runs come to, which may take long beside other tests.
    #[track_caller]
    fn shows_at_last(&self, text: &str) -> &Self {
        self.within(Duration::from_secs(240), text, |screen| {
            screen.contains(text)
        })
    }

    /// Waits until the screen does not show a text any more.
    #[track_caller]
    fn hides(&self, text: &str) -> &Self {
        self.until(&format!("no {text}"), |screen| !screen.contains(text))
    }

    #[track_caller]
    fn until(&self, what: &str, met: impl Fn(&str) -> bool) -> &Self {
        self.within(Duration::from_secs(20), what, met)
    }

    #[track_caller]
    fn within(&self, most: Duration, what: &str, met: impl Fn(&str) -> bool) -> &Self {
        let began = Instant::now();
        loop {
            let screen = self.screen();
            if met(&screen) {
                return self;
            }
            assert!(began.elapsed() < most, "waited for {what}:\n{screen}");
            sleep(Duration::from_millis(15));
        }
    }

    /// The terminal is as it was before: no second screen, no mouse, a cursor.
    #[track_caller]
    fn is_restored(&self) {
        let state = self
            .tmux(&[
                "display",
                "-p",
                "#{alternate_on} #{mouse_any_flag} #{cursor_flag}",
            ])
            .unwrap();
        assert_eq!(state.trim(), "0 0 1");
    }

    fn path(&self, name: &str) -> PathBuf {
        self.here.path().join(name)
    }

    /// Sends a signal to the application: the child of the pane's shell.
    fn signal(&self, signal: &str) {
        let shell = self.tmux(&["display", "-p", "#{pane_pid}"]).unwrap();
        let shell = shell.trim();
        let children = fs::read_to_string(format!("/proc/{shell}/task/{shell}/children")).unwrap();
        // The shell's own `kill`: a bare machine has no other.
        let kill = format!("kill {signal} {}", children.trim());
        assert!(
            Command::new("sh")
                .args(["-c", &kill])
                .status()
                .unwrap()
                .success(),
            "{kill}"
        );
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        let _ = self.tmux(&["kill-server"]);
    }
}

const LARGE: (u16, u16) = (160, 50);
const MISSION: &str = "brinewick/missions/morning-round.way";

fn folder() -> tempfile::TempDir {
    tempfile::tempdir().unwrap()
}

/// A folder with a copy of the demo.
fn copied() -> tempfile::TempDir {
    let here = folder();
    let demo = Project::demo(None).unwrap();
    assert!(matches!(
        save(&demo, "", &demo.mission, false, here.path()),
        Ok(Saved::Copied(_))
    ));
    here
}

fn replace(file: &Path, old: &str, new: &str) {
    let text = fs::read_to_string(file).unwrap();
    assert!(text.contains(old));
    fs::write(file, text.replacen(old, new, 1)).unwrap();
}

/// Keys from the first slot of the demo to the number of sluice bars.
const TO_THE_BARS: [&str; 7] = ["Down", "Down", "Down", "Down", "Down", "Right", "Right"];

#[test]
fn nudge_see_undo_save_and_leave() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal.shows("✓ done at").shows("Leave the slipway");
    terminal.keys(&TO_THE_BARS).keys(&["+"]);
    terminal
        .shows("crossed 4 dark lines")
        .shows("✗ failed at")
        .shows("too few bars")
        .shows("• not saved");
    terminal.shows("now failed at");
    terminal
        .keys(&["u"])
        .shows("crossed 3 dark lines")
        .shows("✓ done at")
        .hides("not saved");
    terminal.keys(&["r"]).shows("✗ failed at");
    terminal.keys(&["-", "-"]).shows("crossed 2 dark lines");
    terminal
        .keys(&["s"])
        .shows("the demo is now yours")
        .hides("not saved");
    let saved = fs::read_to_string(terminal.path(MISSION)).unwrap();
    assert!(
        saved.contains("has crossed 2 dark lines")
            && saved.contains("# The stokers want to be greeted.")
    );
    terminal.keys(&["q"]).shows("left with 0").is_restored();
    let left: Vec<_> = fs::read_dir(terminal.path("brinewick/missions"))
        .unwrap()
        .flatten()
        .map(|e| e.file_name())
        .collect();
    assert!(
        left.iter()
            .all(|name| name.to_string_lossy().ends_with(".way")),
        "no draft is left behind: {left:?}"
    );
}

#[test]
fn values_are_typed_chosen_and_refused_with_a_reason() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at");
    // A digit starts typing; the unit stays.
    terminal
        .keys(&["3", "1", "Enter"])
        .shows("let cruise = 31 %");
    terminal
        .keys(&["Enter", "C-u", "9", "0", "0", "Enter"])
        .shows("out of range");
    terminal
        .keys(&["Escape"])
        .hides("out of range")
        .shows("let cruise = 31 %");
    terminal
        .keys(&["Down", "Right", "Enter"])
        .shows("Which tone")
        .shows("floor-right reads 77 % there");
    // What a word would come to is tried while it is marked, and gone again.
    terminal
        .keys(&["Down"])
        .shows("only tried")
        .shows("until floor-right sees pale")
        .shows("fired at once");
    terminal
        .keys(&["Escape"])
        .hides("only tried")
        .shows("until floor-right sees dark")
        .shows("✓ done at");
    // Freely: a line that cannot be read, said below while it is typed and in its place afterwards.
    terminal
        .keys(&["Tab", "Down", "Down", "e", "Enter"])
        .keys(&["or", "Space", "2", "Space", "s", "Space", "pas"]);
    terminal
        .shows("cannot run")
        .shows("path of the previous version")
        .keys(&["Escape"]);
    terminal
        .shows("did you mean `pass`?")
        .keys(&["d"])
        .hides("cannot run")
        .shows("line deleted");
}

#[test]
fn time_plays_jumps_and_follows_the_mouse() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["Home"])
        .shows("at 0.00 s")
        .shows("150, 178 mm");
    terminal
        .keys(&["]"])
        .shows("at 0.10 s")
        .keys(&["}"])
        .shows("at 1.00 s");
    terminal.keys(&["NPage"]).shows("step 2 begins");
    terminal.keys(&["NPage"]).shows("line 1 crossed");
    terminal
        .keys(&["Home", "Space"])
        .shows("▶ 1x")
        .until("half a second", |screen| {
            screen
                .lines()
                .any(|line| line.contains("▶") && !line.contains(" 0.0") && !line.contains(" 0.1"))
        });
    terminal
        .keys(&["Space"])
        .hides("▶")
        .keys(&["End"])
        .shows("wheels brake");
    // The left end of the chart: a press of the left button, column 17, row 40.
    terminal
        .tmux(&["send-keys", "-l", "\u{1b}[<0;17;40M"])
        .unwrap();
    terminal.until("a time near the start", |screen| {
        screen.contains("at 0.") && screen.contains(" Leave the slipway  wheels")
    });
    terminal
        .keys(&["z"])
        .hides("floor-right   ")
        .keys(&["z"])
        .shows("floor-right   ");
    terminal
        .keys(&["?"])
        .shows("faster: up to 60 times")
        .keys(&["x"])
        .hides("up to 60 times");
    terminal
        .keys(&["x"])
        .shows("wrote brinewick/exports/morning-round.svg");
    assert!(
        fs::read(terminal.path("brinewick/exports/morning-round.pdf"))
            .unwrap()
            .starts_with(b"%PDF-")
    );
}

#[test]
fn a_window_too_small_says_so_and_grows_again() {
    let terminal = Terminal::start(folder(), (60, 15), "demo", "");
    terminal
        .shows("Wayodos needs 80 x 24 cells")
        .shows("this window has 60 x 15");
    terminal
        .tmux(&["resize-window", "-x", "80", "-y", "24"])
        .unwrap();
    terminal.shows("✓ done at").shows("Leave the slipway");
    terminal
        .tmux(&["resize-window", "-x", "20", "-y", "5"])
        .unwrap();
    terminal
        .shows("Wayodos needs")
        .keys(&["q"])
        .shows("left with 0")
        .is_restored();
}

#[test]
fn a_broken_mission_shows_its_findings_in_place() {
    let here = copied();
    replace(&here.path().join(MISSION), "hold, brake", "hold, break");
    let terminal = Terminal::start(here, LARGE, "brinewick", "");
    terminal
        .shows("cannot run: 1 error")
        .shows("expected `brake`, `coast` or `keep position`, found");
    terminal
        .keys(&["n", "e", "C-u"])
        .keys(&["hold,", "Space", "brake", "Escape"])
        .shows("✓ done at");
}

#[test]
fn a_broken_robot_is_reported_where_the_field_would_be() {
    let here = copied();
    replace(
        &here.path().join("brinewick/robots/curlew.toml"),
        "mass = \"860 g\"",
        "mass = \"860 mm\"",
    );
    let terminal = Terminal::start(here, LARGE, "brinewick", "");
    terminal
        .shows("The field cannot be drawn")
        .shows("robots/curlew.toml, line 9")
        .shows("Leave the slipway");
    // Two keys lead to the place, and what is mended there runs at once.
    terminal
        .keys(&["N", "Enter"])
        .shows("this is the robot")
        .shows("(T004)");
    terminal
        .keys(&["Enter", "C-u"])
        .keys(&["8", "4", "0", "Space", "g", "Enter"]);
    terminal
        .shows("mass = \"840 g\"")
        .hides("cannot be drawn")
        .shows("✓ done at");
    terminal
        .keys(&["s"])
        .shows("saved robots/curlew.toml")
        .keys(&["q"])
        .shows("left with 0");
}

#[test]
fn a_save_that_fails_keeps_the_text() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&TO_THE_BARS)
        .keys(&["-"])
        .shows("crossed 2 dark lines")
        .shows("not saved");
    fs::rename(
        terminal.path("brinewick/missions"),
        terminal.path("brinewick/gone"),
    )
    .unwrap();
    terminal
        .keys(&["s"])
        .shows("cannot save")
        .shows("not saved")
        .shows("crossed 2 dark lines");
    fs::rename(
        terminal.path("brinewick/gone"),
        terminal.path("brinewick/missions"),
    )
    .unwrap();
    terminal
        .keys(&["s"])
        // That the folder came back may be said at the same moment.
        .hides("not saved");
    let saved = fs::read_to_string(terminal.path(MISSION)).unwrap();
    assert!(saved.contains("crossed 2 dark lines"));
}

#[test]
fn a_file_changed_outside_is_taken_over_or_asked_about() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at");
    // Nothing unsaved here: taken over at once, and one undo away.
    replace(
        &terminal.path(MISSION),
        "Greet the kiln",
        "Greet the stokers",
    );
    terminal
        .shows("changed by another program from line")
        .shows("Greet the stokers")
        .hides("not saved");
    terminal
        .keys(&["u"])
        .shows("Greet the kiln")
        .shows("not saved")
        .keys(&["r"])
        .hides("not saved");
    // Unsaved edits here, another line there: both can be had.
    terminal
        .keys(&TO_THE_BARS)
        .keys(&["-"])
        .shows("crossed 2 dark lines")
        .shows("not saved");
    replace(&terminal.path(MISSION), "Greet the stokers", "Greet all");
    terminal
        .shows("Changed by another program")
        .shows("take both")
        .shows("theirs")
        .keys(&["b"]);
    terminal
        .shows("both changes are in the text")
        .shows("Greet all")
        .shows("crossed 2 dark lines");
    terminal
        .keys(&["s"])
        .shows("saved missions")
        .hides("not saved");
    let saved = fs::read_to_string(terminal.path(MISSION)).unwrap();
    assert!(saved.contains("Greet all") && saved.contains("crossed 2"));
    // The same line in both: ours stays, and theirs is kept beside it.
    terminal.keys(&["-"]).shows("crossed 1 dark line");
    replace(
        &terminal.path(MISSION),
        "crossed 2 dark lines",
        "crossed 7 dark lines",
    );
    terminal
        .shows("both cannot be had")
        .keys(&["o"])
        .hides("both cannot be had")
        .keys(&["s"])
        .shows("saved missions");
    assert!(
        fs::read_to_string(terminal.path(MISSION))
            .unwrap()
            .contains("crossed 1 dark line ")
    );
    assert!(
        fs::read_to_string(terminal.path(&format!("{MISSION}.before")))
            .unwrap()
            .contains("crossed 7")
    );
    terminal.keys(&["q"]).shows("left with 0");
}

#[test]
fn a_robot_changed_outside_runs_at_once() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at").shows("7.9 V");
    let robot = terminal.path("brinewick/robots/curlew.toml");
    replace(&robot, "7.9 V", "7.1 V");
    terminal
        .shows("a file of the project was changed; the new version is loaded")
        .shows("7.1 V");
    replace(&robot, "mass = \"860 g\"", "mass = \"860 mm\"");
    terminal
        .shows("now has errors")
        .shows("cannot run: 1 error in robots/curlew.toml")
        .shows("Corner and hairpin");
    replace(&robot, "mass = \"860 mm\"", "mass = \"860 g\"");
    terminal
        .hides("now has errors")
        .shows("✓ done at")
        .keys(&["q"])
        .shows("left with 0");
}

#[test]
fn a_working_mission_is_made_from_nothing() {
    let here = folder();
    let made = Command::new(env!("CARGO_BIN_EXE_wayodos"))
        .arg("new")
        .arg(here.path().join("saltern"))
        .args(["--with", "example"])
        .output()
        .unwrap();
    assert!(
        made.status.success() && String::from_utf8_lossy(&made.stderr).contains("open it with")
    );
    // In its folder nothing need be named.
    let terminal = Terminal::start_command(
        here,
        LARGE,
        &format!("cd saltern; {}", env!("CARGO_BIN_EXE_wayodos")),
    );
    terminal
        .shows("This mission has no steps yet")
        .shows("no steps yet");
    // One: to the landing. The run that each choice would give is shown while it is marked.
    terminal
        .keys(&["a"])
        .shows("Add a step: type what")
        .keys(&["mark"])
        .shows("Drive to a mark")
        .shows("only tried");
    terminal
        .keys(&["Enter"])
        .hides("only tried")
        .shows("step \"Drive to a mark\"")
        .shows("not saved");
    terminal.shows("fired clear");
    // Two: along the line, counting.
    terminal
        .keys(&["a"])
        .shows("Add a step")
        .keys(&["count", "Enter"])
        .shows("step \"Follow and count\"");
    terminal.shows("has crossed 1 dark line");
    // Three: wait. Four: turn round, and by how much is typed.
    terminal
        .keys(&["a"])
        .shows("Add a step")
        .keys(&["wait", "Enter"])
        .shows("step \"Wait\"");
    terminal
        .keys(&["a"])
        .shows("Add a step")
        .keys(&["spin", "Enter"])
        .shows("step \"Spin\"");
    terminal
        .keys(&["Down"])
        .keys(&["1", "8", "0", "Enter"])
        .shows("turned 180 deg")
        .shows("✓ done at");
    // One more exit, and a better name; what leads there follows.
    terminal
        .keys(&["o"])
        .shows("what should end \"Spin\"")
        .keys(&["time", "Enter"])
        .shows("or    2 s pass");
    terminal
        .keys(&["Up", "Up", "Up", "Enter", "C-u"])
        .keys(&["Round", "Enter"])
        .shows("step \"Round\"");
    terminal
        .keys(&["s"])
        .shows("saved missions/first.way")
        .keys(&["q"])
        .shows("left with 0")
        .is_restored();
    let text = fs::read_to_string(terminal.path("saltern/missions/first.way")).unwrap();
    assert_eq!(text.matches("step \"").count(), 4, "{text}");
    let checked = Command::new(env!("CARGO_BIN_EXE_wayodos"))
        .arg("check")
        .arg(terminal.path("saltern"))
        .output();
    assert!(checked.unwrap().status.success());
}

#[test]
fn a_missed_line_is_mended_with_the_why_pane_alone() {
    let here = copied();
    replace(
        &here.path().join(MISSION),
        "until floor-left sees dark   -> \"Square up, left first\"\n  or    floor-right sees dark  -> \"Square up, right first\"\n",
        "until hue sees kiln-red  -> \"Square up, left first\"\n",
    );
    let terminal = Terminal::start(here, LARGE, "brinewick", "");
    terminal.shows("✗ failed at").shows("no gate");
    // At the end of the run: what was waited for, what was seen instead.
    terminal
        .keys(&["y"])
        .shows("until hue sees kiln-red")
        .shows("or travelled 250 mm")
        .shows("what may help");
    terminal
        .shows("until hue sees kiln-red: Active from")
        .shows("It was also true at");
    terminal
        .keys(&["Enter"])
        .shows("What may help")
        .shows("look for dark instead of kiln-red");
    terminal
        .keys(&["dark"])
        .shows("only tried")
        .hides("no gate at")
        .keys(&["Enter"])
        .hides("only tried");
    terminal.shows("until hue sees dark").shows("not saved");
    terminal
        .keys(&["u"])
        .shows("until hue sees kiln-red")
        .shows("✗ failed at");
}

#[test]
fn a_turn_is_tuned_with_the_time_and_the_field() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at");
    terminal
        .keys(&["J"])
        .shows("Go to step")
        .keys(&["turn", "Space", "dock", "Enter"])
        .hides("Go to which");
    terminal
        .keys(&["t"])
        .shows("at 50.")
        .shows("Turn to the dock  wheels")
        .shows("stops in");
    // Measured: the heading at both ends of the step.
    terminal
        .keys(&["H"])
        .shows("What the chart shows")
        .keys(&["heading", "Enter", "Escape"])
        .shows("heading  ");
    terminal
        .keys(&["|"])
        .shows("pinned")
        .keys(&[")"])
        .shows("= +1.5")
        .shows("(+8");
    // Run from this step only, and nudged finely.
    terminal
        .keys(&["("])
        .keys(&["p"])
        .shows("▸ from \"Turn to the dock\"")
        .shows("at 0.00 s")
        .shows("✓ done at 9.");
    terminal
        .keys(&["Down", "Down", ".", "."])
        .shows("turned 90 deg")
        .shows("✓ done at");
    terminal
        .keys(&["p"])
        .shows("the whole run again")
        .hides("▸ from")
        .shows("✓ done at 60");
    // And seen from near.
    terminal
        .keys(&["Z", "Z", "Z", "G"])
        .shows("follows the robot")
        .keys(&["v", "0"])
        .hides("mm across");
}

#[test]
fn a_routine_is_made_of_a_step_and_used_again() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["J"])
        .shows("Go to step")
        .keys(&["greet", "Enter"])
        .hides("Go to which");
    terminal
        .keys(&["B"])
        .shows("What is the routine called?")
        .keys(&["9", "Enter"])
        .shows("a name is a letter");
    terminal
        .keys(&["C-u"])
        .keys(&["bow", "Enter"])
        .shows("do bow")
        .shows("wherever you need it");
    terminal.shows("✓ done at 60.0 s");
    terminal
        .keys(&["a"])
        .shows("Add a step")
        .keys(&["bow", "Enter"])
        .shows("step \"bow\"")
        .shows("✓ done at 61.");
    // The map knows it, and leads there.
    terminal
        .keys(&["m", "z"])
        .shows("routine bow")
        .keys(&["z", "Escape", "s"])
        .shows("saved missions");
    let text = fs::read_to_string(terminal.path(MISSION)).unwrap();
    assert!(
        text.contains(
            "routine bow\n  step \"Greet the kiln\"\n    hold, brake\n    until 1.5 s pass\nend"
        ),
        "{text}"
    );
}

#[test]
fn broken_text_keeps_the_last_run_and_findings_lead_back() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["Tab", "e", "Down"])
        .keys(&["C-w", "C-w", "C-w"])
        .keys(&["flor-left", "Escape"]);
    terminal
        .shows("cannot run")
        .shows("path of the previous version");
    terminal.keys(&["u"]).hides("cannot run").shows("✓ done at");
    replace(
        &terminal.path(MISSION),
        "with floor-left at cruise, gain 0.6",
        "with flor-left at cruise, gain 0.6",
    );
    terminal
        .shows("no sensor `flor-left`")
        .keys(&["N"])
        .shows("what may help");
    terminal
        .keys(&["Enter"])
        .shows("did you mean")
        .keys(&["mean", "Enter"])
        .hides("cannot run")
        .shows("✓ done at");
}

#[test]
fn somebody_puts_a_box_in_the_way_and_takes_it_back() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["Home", "}", "}", "}", "}", "h"])
        .shows("By hand, at this moment");
    terminal
        .keys(&["box", "Space", "right", "Enter"])
        .shows("h 1 hand")
        .shows("✗ ");
    terminal
        .keys(&["h"])
        .shows("keep it in a file")
        .keys(&["keep", "Enter"])
        .shows("wrote brinewick/hands/morning-round.toml");
    let kept = fs::read_to_string(terminal.path("brinewick/hands/morning-round.toml")).unwrap();
    assert!(
        kept.contains("place = \"box\"") && kept.contains("at = \"4 s\""),
        "{kept}"
    );
    terminal
        .keys(&["h", "undo every", "Enter"])
        .hides("1 hand")
        .shows("✓ done at 60.0 s");
    // Playing stops where the mark is.
    terminal
        .keys(&["J"])
        .shows("Go to step")
        .keys(&["causeway", "Enter", "!"])
        .shows("playing stops before");
    terminal
        .keys(&["Home", "f", "f", "f", "Space"])
        .shows("stopped before 2")
        .shows("at 1.70 s");
}

#[test]
fn the_text_can_be_changed_in_an_editor_of_ones_own() {
    let here = copied();
    let script = here.path().join("editor.sh");
    fs::write(
        &script,
        "#!/bin/sh\nsed -i 's/cruise = 26 %/cruise = 24 %/' \"$1\"\n",
    )
    .unwrap();
    let env = format!("VISUAL='sh {}'", script.display());
    let terminal = Terminal::start(here, LARGE, "brinewick", &env);
    terminal
        .shows("✓ done at")
        .keys(&["E"])
        .shows("loaded from the editor")
        .shows("let cruise = 24 %");
    // Keys are ours again, and nothing was saved behind one's back.
    terminal
        .keys(&["u"])
        .shows("let cruise = 26 %")
        .hides("not saved")
        .keys(&["q"])
        .shows("left with 0")
        .is_restored();
    let none = Terminal::start(folder(), LARGE, "demo", "VISUAL= EDITOR=");
    none.shows("✓ done at")
        .keys(&["E"])
        .shows("no editor is named")
        .keys(&["q"])
        .shows("left with 0");
}

#[test]
fn plain_signs_are_enough() {
    let terminal = Terminal::start(folder(), LARGE, "demo --cells ascii", "NO_COLOR=1");
    terminal
        .shows("v done at")
        .keys(&["a"])
        .shows("Add a step: type what")
        .keys(&["Escape", "y", "w"])
        .shows("In words");
    let screen = terminal.screen();
    assert!(
        screen.is_ascii(),
        "{}",
        screen.chars().filter(|c| !c.is_ascii()).collect::<String>()
    );
}

#[test]
fn a_small_terminal_is_enough_to_write_try_and_ask() {
    let terminal = Terminal::start(copied(), (80, 24), "brinewick", "");
    terminal
        .shows("✓ done at")
        .shows("? help")
        .keys(&["Tab", "a"])
        .shows("Add a step: type what");
    terminal
        .keys(&["wait"])
        .shows("step \"Wait\"")
        .keys(&["Enter"])
        .shows("✓ done at 61")
        .shows("not saved");
    // The wheel over the text, a click on a slot, the pane with the reasons in the chart's place.
    terminal
        .tmux(&["send-keys", "-l", "\u{1b}[<64;30;5M\u{1b}[<64;30;5M"])
        .unwrap();
    terminal
        .keys(&["y"])
        .shows("why")
        .shows("ended, 0.5 s")
        .keys(&["y"])
        .hides(" findings ");
    terminal
        .keys(&["?"])
        .shows("Keys")
        .shows("more")
        .keys(&["End"])
        .shows("quit")
        .keys(&["Escape"]);
    terminal
        .keys(&["w"])
        .shows("In words")
        .keys(&["Home"])
        .shows("1 Leave the slipway")
        .keys(&["Escape"]);
    terminal
        .keys(&["/"])
        .shows("Commands")
        .keys(&["mirror"])
        .hides("75 of")
        .keys(&["Escape", "q"])
        .shows("is not saved");
    terminal.keys(&["d"]).shows("left with 0").is_restored();
}

#[test]
fn other_missions_are_opened_without_losing_edits() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["+"])
        .shows("not saved")
        .keys(&["O"])
        .shows("Open mission");
    terminal
        .keys(&["rim", "Enter"])
        .shows("Mind the rim")
        .shows("the unsaved edits of morning-round are kept");
    terminal
        .keys(&["O"])
        .shows("Open mission")
        .keys(&["morning", "Enter"]);
    terminal
        .shows("edits that were not saved last time are back")
        .shows("cruise = 30 %");
    terminal
        .keys(&["M"])
        .shows("What is the new mission called?")
        .keys(&["Evening", "Space", "round", "Enter"]);
    terminal
        .shows("This mission has no steps yet")
        .keys(&["a"])
        .shows("Add a step")
        .keys(&["Enter"])
        .hides("Add a step");
    terminal
        .keys(&["s"])
        .shows("saved missions/evening-round.way")
        .keys(&["q"])
        .shows("left with 0");
    assert!(
        terminal
            .path("brinewick/missions/evening-round.way")
            .exists()
    );
}

#[test]
fn unsaved_edits_survive_being_killed() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&TO_THE_BARS)
        .keys(&["+"])
        .shows("crossed 4 dark lines")
        .shows("✗ failed at");
    let draft = terminal.path(&format!("{MISSION}.draft"));
    let began = Instant::now();
    while !fs::read_to_string(&draft).is_ok_and(|text| text.contains("crossed 4")) {
        assert!(began.elapsed() < Duration::from_secs(10), "no draft");
        sleep(Duration::from_millis(10));
    }
    terminal.signal("-KILL");
    terminal.shows("left with 137");
    let here = folder();
    fs::rename(terminal.path("brinewick"), here.path().join("brinewick")).unwrap();
    let again = Terminal::start(here, LARGE, "brinewick", "");
    again
        .shows("edits that were not saved last time are back")
        .shows("crossed 4 dark lines");
    again
        .keys(&["q"])
        .shows("is not saved")
        .keys(&["Escape"])
        .hides("is not saved");
    again
        .keys(&["u"])
        .shows("crossed 3 dark lines")
        .keys(&["q"])
        .shows("left with 0");
    assert!(!again.path(&format!("{MISSION}.draft")).exists());
}

#[test]
fn the_robot_is_changed_beside_its_run_survives_a_kill_and_is_saved() {
    const ROBOT: &str = "brinewick/robots/curlew.toml";
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["D"])
        .shows("robot: robots/curlew.toml");
    terminal
        .keys(&["r", "o", "b", "o", "t", "s"])
        .hides("calibration.toml")
        .keys(&["Enter"]);
    terminal.shows("this is the robot").shows("[motor.left]");
    terminal
        .keys(&["Tab", "Down", "+"])
        .shows("length 196 mm -> 200 mm")
        .shows("robot curlew • not saved");
    let draft = terminal.path(&format!("{ROBOT}.draft"));
    terminal.until("a draft", |_| {
        fs::read_to_string(&draft).is_ok_and(|text| text.contains("length = \"200 mm\""))
    });
    let before = fs::read_to_string(terminal.path(ROBOT)).unwrap();
    terminal.signal("-KILL");
    terminal.shows("left with 137");
    let here = folder();
    fs::rename(terminal.path("brinewick"), here.path().join("brinewick")).unwrap();
    let terminal = Terminal::start(here, LARGE, "brinewick", "");
    let draft = terminal.path(&format!("{ROBOT}.draft"));
    terminal
        .shows("edits of this robot that were not saved last time are back")
        .shows("length = \"200 mm\"");
    terminal
        .keys(&["s"])
        .shows("saved robots/curlew.toml")
        .hides("not saved");
    let after = fs::read_to_string(terminal.path(ROBOT)).unwrap();
    assert_eq!(
        after,
        before.replace("length = \"196 mm\"", "length = \"200 mm\"")
    );
    // What others save meanwhile is taken over here too, and the mission's keys are one Esc away.
    replace(
        &terminal.path(ROBOT),
        "length = \"200 mm\"",
        "length = \"190 mm\"",
    );
    terminal
        .shows("changed by another program")
        .shows("length = \"190 mm\"");
    terminal
        .keys(&["Escape"])
        .shows("step \"Leave the slipway\"")
        .keys(&["q"])
        .shows("left with 0")
        .is_restored();
    assert!(!draft.exists());
}

#[test]
fn edits_that_were_cut_off_do_not_overwrite_what_others_saved_meanwhile() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&TO_THE_BARS)
        .keys(&["+"])
        .shows("crossed 4 dark lines")
        .keys(&["q"]);
    terminal
        .shows("leave, and keep the edits")
        .keys(&["k"])
        .shows("left with 0");
    replace(
        &terminal.path(MISSION),
        "Greet the kiln",
        "Greet the stokers",
    );
    let here = folder();
    fs::rename(terminal.path("brinewick"), here.path().join("brinewick")).unwrap();
    let again = Terminal::start(here, LARGE, "brinewick", "");
    again
        .shows("Changed by another program")
        .shows("take both")
        .keys(&["b"]);
    again
        .shows("Greet the stokers")
        .shows("crossed 4 dark lines")
        .keys(&["s"])
        .shows("saved missions");
    let saved = fs::read_to_string(again.path(MISSION)).unwrap();
    assert!(saved.contains("Greet the stokers") && saved.contains("crossed 4"));
}

#[test]
fn a_pipe_in_the_place_of_a_robot_keeps_nobody_from_editing_saving_and_leaving() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at");
    let robot = terminal.path("brinewick/robots/curlew.toml");
    fs::remove_file(&robot).unwrap();
    assert!(
        Command::new("mkfifo")
            .arg(&robot)
            .status()
            .unwrap()
            .success()
    );
    // Longer than the application takes to notice it.
    sleep(Duration::from_millis(900));
    terminal
        .keys(&TO_THE_BARS)
        .keys(&["+"])
        .shows("crossed 4 dark lines");
    let draft = terminal.path(&format!("{MISSION}.draft"));
    let began = Instant::now();
    while !fs::read_to_string(&draft).is_ok_and(|text| text.contains("crossed 4")) {
        assert!(began.elapsed() < Duration::from_secs(10), "no draft");
        sleep(Duration::from_millis(10));
    }
    terminal
        .keys(&["s"])
        .shows("saved missions")
        .keys(&["q"])
        .shows("left with 0")
        .is_restored();
}

#[test]
fn thousands_of_keys_at_once_all_arrive() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    // Pasted without brackets: a long comment, typed in one breath.
    terminal.shows("✓ done at").keys(&["e", "C-u"]);
    let letters = "abcdefghij".repeat(1500);
    fs::write(terminal.path("letters"), &letters).unwrap();
    terminal
        .tmux(&["load-buffer", terminal.path("letters").to_str().unwrap()])
        .unwrap();
    terminal.tmux(&["paste-buffer", "-r"]).unwrap();
    terminal
        .keys(&["x", "y", "z"])
        .shows("xyz")
        .keys(&["Escape"])
        .hides("Ctrl u clear");
    terminal.keys(&["s"]).shows("saved missions");
    let saved = fs::read_to_string(terminal.path(MISSION)).unwrap();
    assert!(
        saved.contains(&format!("{letters}xyz")),
        "{} letters",
        saved.matches("abcdefghij").count() * 10
    );
    terminal.keys(&["q"]).shows("left with 0").is_restored();
}

#[test]
fn a_storm_of_sizes_is_no_end() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal.shows("✓ done at").keys(&["Space"]);
    for step in 0..60u16 {
        let (width, height) = (20 + step * 37 % 200, 5 + step * 23 % 60);
        terminal
            .tmux(&[
                "resize-window",
                "-x",
                &width.to_string(),
                "-y",
                &height.to_string(),
            ])
            .unwrap();
    }
    terminal
        .tmux(&["resize-window", "-x", "160", "-y", "48"])
        .unwrap();
    terminal
        .shows("Leave the slipway")
        .shows("done at")
        .keys(&["q"])
        .shows("left with 0")
        .is_restored();
}

#[test]
fn without_a_home_nothing_is_written_and_that_is_said() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "HOME=''");
    terminal
        .shows("✓ done at")
        .keys(&TO_THE_BARS)
        .keys(&["+"])
        .shows("edits are only in memory until you save");
    terminal
        .keys(&["q"])
        .shows("is not saved")
        .keys(&["k"])
        .shows("cannot be kept")
        .keys(&["d"])
        .shows("left with 0");
    let left: Vec<_> = fs::read_dir(terminal.here.path())
        .unwrap()
        .flatten()
        .map(|entry| entry.file_name())
        .collect();
    assert!(
        left.iter()
            .all(|name| !name.to_string_lossy().contains("local")),
        "{left:?}"
    );
}

#[test]
fn leaving_with_unsaved_edits_asks_and_can_keep_them() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["+", "q"])
        .shows("leave, and keep the edits for next time");
    terminal.keys(&["k"]).shows("left with 0");
    assert!(
        fs::read_to_string(terminal.path(MISSION))
            .unwrap()
            .contains("cruise = 26 %")
    );
    assert!(
        fs::read_to_string(terminal.path(&format!("{MISSION}.draft")))
            .unwrap()
            .contains("cruise = 30 %")
    );
}

#[test]
fn edits_of_one_mission_of_the_demo_never_come_back_in_another() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal
        .shows("✓ done at")
        .keys(&["+"])
        .shows("not saved")
        .keys(&["O"])
        .shows("Open mission");
    terminal
        .keys(&["ring", "Enter"])
        .shows("Ring contest")
        .hides("cannot run")
        .shows("won at")
        .hides("not saved");
    terminal
        .keys(&["O"])
        .shows("Open mission")
        .keys(&["morning", "Enter"]);
    terminal
        .shows("edits that were not saved last time are back")
        .shows("let cruise = 30 %");
}

#[test]
fn signals_and_panics_give_the_terminal_back() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal.shows("✓ done at").signal("-TERM");
    terminal.shows("left with 0").is_restored();
    let this = std::env::current_exe().unwrap();
    let command = format!(
        "'{}' --ignored --exact --nocapture panics_on_the_screen",
        this.display()
    );
    let terminal = Terminal::start_command(folder(), LARGE, &command);
    terminal
        .shows("left with 101")
        .shows("the program itself broke: on purpose")
        .is_restored();
    let reports: Vec<_> = fs::read_dir(terminal.path(".local/state/wayodos"))
        .unwrap()
        .flatten()
        .collect();
    let report = fs::read_to_string(reports[0].path()).unwrap();
    assert!(
        report.contains("on purpose")
            && report.contains("journeys.rs")
            && report.contains("panics_on_the_screen")
    );
}

#[test]
fn two_windows_on_one_mission_keep_their_edits_apart_and_see_each_other_s_saves() {
    let first = Terminal::start(copied(), LARGE, "brinewick", "");
    first
        .shows("✓ done at")
        .keys(&["+"])
        .shows("let cruise = 30 %");
    // The second window lives in the same folder and home.
    let program = env!("CARGO_BIN_EXE_wayodos");
    let home = first.here.path().display();
    let command = format!("cd '{home}'; HOME='{home}' {program} brinewick; exec cat");
    first
        .tmux(&["new-window", "-d", "-n", "second", "sh", "-c", &command])
        .unwrap();
    let second = || first.tmux(&["capture-pane", "-p", "-t", "second"]).unwrap();
    let until = |words: &str| {
        let began = Instant::now();
        while !second().contains(words) {
            assert!(
                began.elapsed() < Duration::from_secs(20),
                "waited for {words}:\n{}",
                second()
            );
            sleep(Duration::from_millis(15));
        }
    };
    until("open in another window too");
    assert!(
        second().contains("let cruise = 26 %"),
        "the edits of the first are not its own:\n{}",
        second()
    );
    first.tmux(&["send-keys", "-t", "second", "-"]).unwrap();
    until("let cruise = 25 %");
    for (draft, text) in [
        ("draft", "let cruise = 30 %"),
        ("draft-2", "let cruise = 25 %"),
    ] {
        let began = Instant::now();
        let file = first.path(&format!("{MISSION}.{draft}"));
        while !fs::read_to_string(&file).is_ok_and(|kept| kept.contains(text)) {
            assert!(began.elapsed() < Duration::from_secs(5), "{draft}");
            sleep(Duration::from_millis(10));
        }
    }
    // What the first saves, the second hears of.
    first.keys(&["s"]).shows("saved missions/morning-round.way");
    until("Changed by another program");
}

#[test]
fn settings_hold_everywhere_and_a_mistake_in_them_is_said() {
    let here = folder();
    fs::create_dir_all(here.path().join(".config/wayodos")).unwrap();
    let file = here.path().join(".config/wayodos/config.toml");
    fs::write(&file, "cells = \"ascii\"\n").unwrap();
    let terminal = Terminal::start(here, LARGE, "demo", "");
    terminal
        .shows("v done at")
        .keys(&["q"])
        .shows("left with 0");
    fs::write(&file, "cels = \"ascii\"\n").unwrap();
    let here = folder();
    fs::create_dir_all(here.path().join(".config/wayodos")).unwrap();
    fs::rename(&file, here.path().join(".config/wayodos/config.toml")).unwrap();
    let again = Terminal::start(here, LARGE, "demo", "");
    again
        .shows("✓ done at")
        .shows("line 1: unknown field `cels`");
}

#[test]
fn a_stopped_application_gives_the_terminal_back_and_goes_on_where_it_was() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal
        .shows("✓ done at")
        .keys(&["+"])
        .shows("• not saved")
        .signal("-TSTP");
    terminal.hides("Leave the slipway").is_restored();
    terminal.signal("-CONT");
    terminal
        .shows("Leave the slipway")
        .shows("• not saved")
        .keys(&["u"])
        .hides("not saved");
    terminal.keys(&["q"]).shows("left with 0").is_restored();
}

/// Run by a test above, inside a terminal.
#[test]
#[ignore = "takes over the terminal"]
fn panics_on_the_screen() {
    let _guard = wayodos::tui::Guard::enter().unwrap();
    panic!("on purpose");
}

#[test]
fn no_colour_means_no_colour() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "NO_COLOR=1");
    terminal.shows("✓ done at");
    let plain = terminal.tmux(&["capture-pane", "-p", "-e"]).unwrap();
    assert!(
        !plain.contains("[38;") && !plain.contains("[48;") && !plain.contains(";38;"),
        "colours on the screen"
    );
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal.shows("✓ done at");
    assert!(
        terminal
            .tmux(&["capture-pane", "-p", "-e"])
            .unwrap()
            .contains("38;2;"),
        "this test can see colours"
    );
}

#[test]
fn a_limit_that_no_sensor_reads_sends_the_robot_over_the_edge() {
    let terminal = Terminal::start(folder(), LARGE, "demo --mission mind-the-rim", "");
    terminal.shows("✓ done at").shows("Prowl again");
    // From the first slot down to the rim's limit: nudged to 100 %, it is what the last lesson of
    // the README says.
    terminal
        .keys(&["Up", "Up"])
        .shows("in %")
        .keys(&["+", "+", "+", "+"])
        .shows("let rim = 100 %");
    terminal
        .shows("✗ fell off the drying floor at")
        .shows("not reached");
    terminal
        .keys(&["u", "u", "u", "u"])
        .shows("✓ done at")
        .keys(&["q"])
        .shows("left with 0");
}

#[test]
fn a_mission_with_a_reflex_is_read_in_words_and_its_mistakes_stand_in_place() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick --mission ring-contest", "");
    terminal
        .shows("won at")
        .shows("reflex \"Keep off the rim\"")
        .shows("routine look-round");
    terminal
        .keys(&["w"])
        .shows("In words")
        .shows("At every moment does the first row");
    terminal
        .keys(&["Home"])
        .shows("As soon as floor-left or floor-right reads more than 60 % (rim), at any time.");
    terminal.keys(&["Escape"]).hides("In words");
    // The routine that the reflex does gets another name: every place that is left behind says so.
    let file = terminal.path("brinewick/missions/ring-contest.way");
    let text = fs::read_to_string(&file)
        .unwrap()
        .replace("routine back-away", "routine back-awy");
    fs::write(&file, text).unwrap();
    terminal.keys(&["q"]).shows("left with 0");
    let here = folder();
    fs::rename(terminal.path("brinewick"), here.path().join("brinewick")).unwrap();
    let again = Terminal::start(here, LARGE, "brinewick --mission ring-contest", "");
    again
        .shows("there is no routine `back-away`")
        .shows("did you mean `back-awy`?")
        .shows("cannot run");
}

#[test]
fn the_project_screen_renames_takes_away_gives_back_and_chooses() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal
        .shows("✓ done at")
        .keys(&["W"])
        .shows("10 of 10 missions end as planned");
    // The open mission gets another name, and stays open under it.
    terminal
        .keys(&["r"])
        .shows("What is it called from now on?")
        .keys(&["C-u", "Early", "Space", "round", "Enter"]);
    terminal
        .shows("▸ early-round")
        .shows("missions/early-round.way");
    let project = || fs::read_to_string(terminal.path("brinewick/wayodos.toml")).unwrap();
    assert!(project().contains("mission = \"missions/early-round.way\""));
    // A mission goes into the bin and comes back.
    let which = terminal.path("brinewick/missions/which-way.way");
    terminal
        .keys(&["Tab", "Up"])
        .shows("mission: missions/which-way.way")
        .keys(&["d"])
        .shows("is in the bin");
    assert!(!which.exists());
    terminal
        .shows("bin 1")
        .keys(&["End"])
        .shows("file in the bin")
        .keys(&["Enter"])
        .shows("missions/which-way.way is back");
    assert!(which.exists());
    // It is to play with another robot: its run is another one at once.
    terminal
        .shows("10 of 10")
        .keys(&["R"])
        .shows("With which robot does which-way play?");
    terminal
        .keys(&["Up", "Enter"])
        .shows("which-way now plays with the robot robots/barge-cart.toml");
    terminal
        .shows("9 of 10 missions end as planned")
        .shows("cannot run");
    assert!(
        project().contains("[for.which-way]\nrobot = \"robots/barge-cart.toml\""),
        "{}",
        project()
    );
    // Back on the first screen the renamed mission is as it was.
    terminal
        .keys(&["W"])
        .shows("step \"Leave the slipway\"")
        .keys(&["q"])
        .shows("left with 0");
}

#[test]
fn a_log_says_what_was_done_but_not_what_was_typed() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick --log=debug", "");
    terminal
        .shows("✓ done at")
        .keys(&["e"])
        .shows("Ctrl u clear")
        .keys(&["C-u", "# zyxwv", "Escape"])
        .hides("Ctrl u clear");
    terminal
        .keys(&["s"])
        .shows("saved missions")
        .keys(&["q"])
        .shows("left with 0")
        .is_restored();
    let folder = terminal.path(".local/state/wayodos/log");
    let files: Vec<PathBuf> = fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .collect();
    let [file] = &files[..] else {
        panic!("{files:?}")
    };
    let log = fs::read_to_string(file).unwrap();
    for words in [
        "begun",
        "run 1 came, done",
        "a letter",
        "saved missions/morning-round.way",
    ] {
        assert!(log.contains(words), "no {words} in {log}");
    }
    assert!(!log.contains("zyxwv") && !log.contains("'z'"), "{log}");
}

/// A copy of the demo with a mission that some runs fail: a tired robot needs longer to the bar.
fn short_of_time(runs: u32) -> tempfile::TempDir {
    let here = copied();
    let project = here.path().join("brinewick");
    replace(
        &project.join("wayodos.toml"),
        "seed = 7",
        &format!("seed = 7\nspread = {runs}"),
    );
    let mission = "mission \"To the bar\"\n  limit 20 s\n  start slipway\n\nlet patience = 1.7 s\n\nstep \"To the bar\"\n  drive ahead at 26 %\n  until floor-right sees dark  -> next\n  or    patience passes        -> fail \"no bar\"\n\nstep \"Rest\"\n  hold, brake\n  until 100 ms pass  -> done\n";
    fs::write(project.join("missions/morning-round.way"), mission).unwrap();
    here
}

#[test]
fn what_only_some_runs_fail_from_is_found_mended_and_seen_to_hold() {
    let terminal = Terminal::start(short_of_time(80), (160, 50), "brinewick", "");
    terminal
        .shows("of 80")
        .keys(&["%"])
        .shows("no bar")
        .shows("failed runs");
    let screen = terminal.screen();
    assert!(
        !screen.contains("held 80 of 80") && screen.contains("may help"),
        "{screen}"
    );
    // One of those that failed, in all panes; and back.
    terminal
        .keys(&["Enter"])
        .shows(", everyday scatter: ")
        .shows("failed at 1.7 s: no bar")
        .keys(&["Escape"])
        .shows("Enter type or choose")
        .keys(&["Escape"])
        .shows("the nominal run: everything as the files say");
    // More patience: they hold, and that is more than luck.
    replace(
        &terminal.path("brinewick/missions/morning-round.way"),
        "patience = 1.7 s",
        "patience = 2.5 s",
    );
    terminal
        .shows("held 80 of 80")
        .keys(&["%"])
        .shows("all 80 runs held")
        .shows("hold now, failed before")
        .shows("better;");
}

#[test]
fn a_number_is_tried_over_a_span_and_put_into_the_middle_of_where_it_holds() {
    let terminal = Terminal::start(short_of_time(20), (160, 50), "brinewick", "");
    // The first slot that is a number: the patience.
    terminal
        .shows("of 20")
        .keys(&["S"])
        .keys(&["patience ="])
        .shows("let patience");
    terminal
        .keys(&["Enter"])
        .keys(&["~"])
        .shows("patience: holds from")
        .shows("x 40 runs");
    terminal
        .keys(&["Enter"])
        .shows(", measured")
        .shows("held 20 of 20")
        .keys(&["s"])
        .shows("saved missions/morning-round.way");
    let text = fs::read_to_string(terminal.path("brinewick/missions/morning-round.way")).unwrap();
    assert!(
        text.contains("s, safe from ") && text.contains(" to 3.4 s, measured"),
        "{text}"
    );
    // One key back.
    terminal.keys(&["u"]).shows("let patience = 1.7 s");
}

#[test]
fn yesterdays_text_comes_back_from_the_logbook_though_the_program_was_killed() {
    let terminal = Terminal::start(short_of_time(20), (160, 50), "brinewick", "");
    terminal.shows("of 20");
    let mission = terminal.path("brinewick/missions/morning-round.way");
    let yesterday = fs::read_to_string(&mission).unwrap();
    replace(&mission, "patience = 1.7 s", "patience = 2.5 s");
    terminal
        .shows("held 20 of 20")
        .keys(&["Q"])
        .shows("Into the logbook")
        .keys(&["patient", "Enter"])
        .keys(&["Y"])
        .shows("Logbook: 2 entries")
        .shows("\"patient\"")
        .shows("+ let patience = 2.5 s");
    terminal.signal("-KILL");
    terminal.shows("left with 137");
    // The other day: both are there, the better one first, and the other one comes back in one key.
    let here = folder();
    fs::rename(terminal.path("brinewick"), here.path().join("brinewick")).unwrap();
    let again = Terminal::start(here, (160, 50), "brinewick", "");
    again
        .shows("held 20 of 20")
        .keys(&["Y"])
        .shows("Logbook: 2 entries")
        .shows("spread, marked")
        .keys(&["Down"])
        .shows("the first entry of this mission")
        .keys(&["Enter"])
        .shows("let patience = 1.7 s")
        .shows("the mission is as it was at")
        .keys(&["s"])
        .shows("saved missions/morning-round.way");
    let mission = again.path("brinewick/missions/morning-round.way");
    assert_eq!(fs::read_to_string(&mission).unwrap(), yesterday);
    // A damaged logbook is moved aside, and keeps nobody from working.
    again.keys(&["q"]).shows("left with 0");
    let here = folder();
    fs::rename(again.path("brinewick"), here.path().join("brinewick")).unwrap();
    let book = here.path().join("brinewick/logbook.db");
    let bytes = fs::read(&book).unwrap();
    fs::write(&book, [&[7; 4096][..], &bytes[4096..]].concat()).unwrap();
    let third = Terminal::start(here, (160, 50), "brinewick", "");
    third
        .shows("the logbook was damaged: it is now")
        .shows("let patience = 1.7 s");
    let kept = fs::read(third.path("brinewick/logbook.damaged.db")).unwrap();
    assert_eq!(kept[4096..], bytes[4096..]);
}

#[test]
fn the_ring_contest_is_tuned_by_what_holds() {
    let here = copied();
    let mission = here.path().join("brinewick/missions/ring-contest.way");
    replace(
        &mission,
        "let near = 600 mm",
        "let near = 300 mm, safe from 300 mm to 700 mm, guessed",
    );
    let terminal = Terminal::start(here, LARGE, "brinewick --mission ring-contest", "");
    terminal
        .shows("let near = 300 mm, safe")
        .shows("won")
        .keys(&["^"])
        .shows("runs of each")
        .shows_at_last("found better: it holds more often")
        .keys(&["Enter"])
        .shows("u takes it back")
        .hides("let near = 300 mm")
        .keys(&["u"])
        .shows("let near = 300 mm, safe");
}

#[test]
fn a_league_of_three_is_played_and_the_match_that_decided_is_shown() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick --mission ring-contest", "");
    terminal
        .shows("held")
        .keys(&["Q"])
        .shows("Into the logbook")
        .keys(&["fast", "Enter"])
        .shows("written into the logbook")
        .keys(&["S", "charge =", "Enter", "Enter"])
        .keys(&["C-u", "30 %", "Enter"])
        .shows("let charge = 30 %")
        .keys(&["Y"])
        .shows("the first entry of this mission")
        .keys(&["p"])
        .shows("League: Ring on the drying floor")
        .shows("of 120 matches")
        .shows("Dunlin");
    // The slow one wins less often than the fast one of before.
    terminal.until("the fast one first", |screen| {
        let row = |name: &str| {
            screen
                .lines()
                .position(|line| line.trim_start_matches(['›', ' ']).starts_with(name))
        };
        let rows = [row("ring-contest @1 "), row("ring-contest  ")];
        matches!(rows, [Some(fast), Some(slow)] if fast < slow)
    });
    // Its matches open in all panes, the lost ones first. Once all are played no row moves any more.
    terminal.shows_at_last("120 matches, each pair from both sides");
    for _ in 0..2 {
        if !terminal.screen().contains("› ring-contest  ") {
            terminal.keys(&["Down"]);
            sleep(Duration::from_millis(200));
        }
    }
    terminal
        .shows("› ring-contest  ")
        .keys(&["Enter"])
        .shows("match")
        .shows("scatter against")
        .keys(&["F5"])
        .shows("League: Ring on the drying floor")
        .keys(&["x"])
        .shows("ring-contest-league.svg")
        .keys(&["Escape"])
        // Two at once would be one.
        .hides("League: Ring on the drying floor")
        .shows("scatter against")
        .keys(&["Escape"])
        .hides("scatter against");
}

#[test]
fn a_window_that_closes_is_no_crash() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("held").keys(&["Space"]);
    terminal.tmux(&["kill-server"]).unwrap();
    let state = terminal.path(".local/state/wayodos");
    // Its lock goes when it has ended.
    let began = Instant::now();
    let running =
        || fs::read_dir(state.join("locks")).is_ok_and(|mut locks| locks.next().is_some());
    while running() && began.elapsed() < Duration::from_secs(5) {
        sleep(Duration::from_millis(20));
    }
    let files = fs::read_dir(&state).unwrap().flatten();
    let crashes: Vec<_> = files
        .map(|file| file.file_name().into_string().unwrap())
        .filter(|name| name.starts_with("crash"))
        .collect();
    assert!(crashes.is_empty(), "{crashes:?}");
}

#[test]
fn two_versions_are_compared_on_the_same_luck() {
    let terminal = Terminal::start(short_of_time(40), LARGE, "brinewick", "");
    terminal
        .shows("of 40")
        .keys(&["S", "let patience", "Enter", "Enter"])
        .keys(&["C-u", "2.5 s", "Enter"])
        .shows("let patience = 2.5 s")
        .shows("held 40 of 40")
        .keys(&["@"])
        .shows("Compare with")
        .keys(&["the saved", "Enter"])
        .shows("hold here, fail there")
        .shows("Against the saved text (held");
    // Who holds here and fails there opens in all panes, and what is compared with stays chosen.
    terminal
        .keys(&["%", "Down", "Down", "Enter"])
        .shows(", everyday scatter: ")
        .keys(&["Escape"])
        .shows("Enter type or choose")
        .keys(&["Escape"])
        .shows("the nominal run: everything as the files say")
        .keys(&["@"])
        .shows("Compare with")
        .keys(&["the text before", "Enter"])
        .hides("Against the saved text");
}
