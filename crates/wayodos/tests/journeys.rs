//! What people do with the application, done in a real terminal: tmux, with keys sent and the screen read.

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
        let started =
            terminal.tmux(&["-f", "/dev/null", "new-session", "-d", "-x", &width, "-y", &height, "sh", "-c", &script]);
        assert!(started.is_ok(), "{started:?}");
        terminal.tmux(&["set", "-s", "escape-time", "0"]).unwrap();
        terminal.tmux(&["set", "status", "off"]).unwrap();
        terminal
    }

    fn tmux(&self, args: &[&str]) -> Result<String, String> {
        let socket = self.here.path().join("tmux");
        let output = Command::new("tmux").env_remove("TMUX").arg("-S").arg(socket).args(args).output();
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

    /// Waits until the screen shows a text.
    #[track_caller]
    fn shows(&self, text: &str) -> &Self {
        self.until(text, |screen| screen.contains(text))
    }

    /// Waits until the screen does not show a text any more.
    #[track_caller]
    fn hides(&self, text: &str) -> &Self {
        self.until(&format!("no {text}"), |screen| !screen.contains(text))
    }

    #[track_caller]
    fn until(&self, what: &str, met: impl Fn(&str) -> bool) -> &Self {
        let began = Instant::now();
        loop {
            let screen = self.screen();
            if met(&screen) {
                return self;
            }
            assert!(began.elapsed() < Duration::from_secs(20), "waited for {what}:\n{screen}");
            sleep(Duration::from_millis(15));
        }
    }

    /// The terminal is as it was before: no second screen, no mouse, a cursor.
    #[track_caller]
    fn is_restored(&self) {
        let state = self.tmux(&["display", "-p", "#{alternate_on} #{mouse_any_flag} #{cursor_flag}"]).unwrap();
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
        assert!(Command::new("sh").args(["-c", &kill]).status().unwrap().success(), "{kill}");
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
    assert!(matches!(save(&demo, "", &demo.mission, false, here.path()), Ok(Saved::Copied(_))));
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
    terminal.shows("crossed 4 dark lines").shows("✗ failed at").shows("too few bars").shows("• not saved");
    terminal.shows("now failed at");
    terminal.keys(&["u"]).shows("crossed 3 dark lines").shows("✓ done at").hides("not saved");
    terminal.keys(&["r"]).shows("✗ failed at");
    terminal.keys(&["-", "-"]).shows("crossed 2 dark lines");
    terminal.keys(&["s"]).shows("the demo is now yours").hides("not saved");
    let saved = fs::read_to_string(terminal.path(MISSION)).unwrap();
    assert!(saved.contains("has crossed 2 dark lines") && saved.contains("# The stokers want to be greeted."));
    terminal.keys(&["q"]).shows("left with 0").is_restored();
    let left: Vec<_> =
        fs::read_dir(terminal.path("brinewick/missions")).unwrap().flatten().map(|e| e.file_name()).collect();
    assert!(left.iter().all(|name| name.to_string_lossy().ends_with(".way")), "no draft is left behind: {left:?}");
}

#[test]
fn values_are_typed_chosen_and_refused_with_a_reason() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at");
    // A digit starts typing; the unit stays.
    terminal.keys(&["3", "1", "Enter"]).shows("let cruise = 31 %");
    terminal.keys(&["Enter", "C-u", "9", "0", "0", "Enter"]).shows("out of range");
    terminal.keys(&["Escape"]).shows("let cruise = 31 %");
    terminal.keys(&["Down", "Enter"]).shows("│ pale").hides("Enter type or choose");
    terminal.keys(&["Escape"]).shows("Enter type or choose");
    // A whole line, and a new one.
    terminal.keys(&["Tab", "e", "C-u"]).keys(&["step", "Space", "\"Over\"", "Enter"]).shows("step \"Over\"");
    terminal.keys(&["Down", "o"]).keys(&["until", "Space", "2", "Space", "s", "Space", "pas", "Enter"]);
    terminal.shows("cannot run").shows("did you mean `pass`?").shows("the path is of the text before");
    terminal.keys(&["d"]).hides("cannot run").shows("line taken out");
}

#[test]
fn time_plays_jumps_and_follows_the_mouse() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at").keys(&["Home"]).shows("at 0.00 s").shows("150, 178 mm");
    terminal.keys(&["]"]).shows("at 0.10 s").keys(&["}"]).shows("at 1.00 s");
    terminal.keys(&["NPage"]).shows("step 2 begins");
    terminal.keys(&["NPage"]).shows("line 1 crossed");
    terminal.keys(&["Home", "Space"]).shows("▶ 1x").until("half a second", |screen| {
        screen.lines().any(|line| line.contains("▶") && !line.contains(" 0.0") && !line.contains(" 0.1"))
    });
    terminal.keys(&["Space"]).hides("▶").keys(&["End"]).shows("wheels brake");
    // The left end of the chart: a press of the left button, column 26, row 40.
    terminal.tmux(&["send-keys", "-l", "\u{1b}[<0;26;40M"]).unwrap();
    terminal.until("a time near the start", |screen| {
        screen.contains("at 0.") && screen.contains(" Leave the slipway  wheels")
    });
    terminal.keys(&["z"]).hides("floor-right  ").keys(&["z", "z", "z"]).shows("floor-right  ");
    terminal.keys(&["?"]).shows("play 1, 4 or 16 times as fast").keys(&["x"]).hides("play 1, 4");
    terminal.keys(&["x"]).shows("wrote brinewick/exports/morning-round.svg");
    assert!(fs::read(terminal.path("brinewick/exports/morning-round.pdf")).unwrap().starts_with(b"%PDF-"));
}

#[test]
fn a_window_too_small_says_so_and_grows_again() {
    let terminal = Terminal::start(folder(), (60, 15), "demo", "");
    terminal.shows("Wayodos needs 80 x 24 cells").shows("this window has 60 x 15");
    terminal.tmux(&["resize-window", "-x", "80", "-y", "24"]).unwrap();
    terminal.shows("✓ done at").shows("Leave the slipway");
    terminal.tmux(&["resize-window", "-x", "20", "-y", "5"]).unwrap();
    terminal.shows("Wayodos needs").keys(&["q"]).shows("left with 0").is_restored();
}

#[test]
fn a_broken_mission_shows_its_findings_in_place() {
    let here = copied();
    replace(&here.path().join(MISSION), "hold, brake", "hold, break");
    let terminal = Terminal::start(here, LARGE, "brinewick", "");
    terminal.shows("cannot run: 1 finding").shows("expected `brake`, `coast` or `keep position`, found");
    terminal.keys(&["n", "e", "C-u"]).keys(&["hold,", "Space", "brake", "Enter"]).shows("✓ done at");
}

#[test]
fn a_broken_robot_is_told_where_the_field_would_be() {
    let here = copied();
    replace(&here.path().join("brinewick/robots/curlew.toml"), "mass = \"860 g\"", "mass = \"860 mm\"");
    let terminal = Terminal::start(here, LARGE, "brinewick", "");
    terminal.shows("The field cannot be drawn").shows("robots/curlew.toml, line 9").shows("Leave the slipway");
    terminal.keys(&["q"]).shows("left with 0");
}

#[test]
fn a_save_that_fails_keeps_the_text() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at").keys(&TO_THE_BARS).keys(&["-"]).shows("crossed 2 dark lines").shows("not saved");
    fs::rename(terminal.path("brinewick/missions"), terminal.path("brinewick/gone")).unwrap();
    terminal.keys(&["s"]).shows("cannot save").shows("not saved").shows("crossed 2 dark lines");
    fs::rename(terminal.path("brinewick/gone"), terminal.path("brinewick/missions")).unwrap();
    terminal.keys(&["s"]).shows("saved missions/morning-round.way").hides("not saved");
}

#[test]
fn a_file_changed_outside_is_never_overwritten_unasked() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at").keys(&["+"]).shows("not saved");
    replace(&terminal.path(MISSION), "Greet the kiln", "Greet the stokers");
    terminal.keys(&["s"]).shows("changed by another program");
    assert!(fs::read_to_string(terminal.path(MISSION)).unwrap().contains("stokers\""));
    terminal.keys(&["s"]).shows("saved missions");
    assert!(fs::read_to_string(terminal.path(&format!("{MISSION}.before"))).unwrap().contains("stokers\""));
}

#[test]
fn unsaved_edits_survive_being_killed() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at").keys(&TO_THE_BARS).keys(&["+"]).shows("crossed 4 dark lines").shows("✗ failed at");
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
    again.shows("edits that were not saved last time are back").shows("crossed 4 dark lines");
    again.keys(&["q"]).shows("is not saved").keys(&["Escape"]).hides("is not saved");
    again.keys(&["u"]).shows("crossed 3 dark lines").keys(&["q"]).shows("left with 0");
    assert!(!again.path(&format!("{MISSION}.draft")).exists());
}

#[test]
fn leaving_with_unsaved_edits_asks_and_can_keep_them() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick", "");
    terminal.shows("✓ done at").keys(&["+", "q"]).shows("leave, and keep the edits for next time");
    terminal.keys(&["k"]).shows("left with 0");
    assert!(fs::read_to_string(terminal.path(MISSION)).unwrap().contains("cruise = 26 %"));
    assert!(fs::read_to_string(terminal.path(&format!("{MISSION}.draft"))).unwrap().contains("cruise = 30 %"));
}

#[test]
fn signals_and_panics_give_the_terminal_back() {
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal.shows("✓ done at").signal("-TERM");
    terminal.shows("left with 0").is_restored();
    let this = std::env::current_exe().unwrap();
    let command = format!("'{}' --ignored --exact --nocapture panics_on_the_screen", this.display());
    let terminal = Terminal::start_command(folder(), LARGE, &command);
    terminal.shows("left with 101").shows("on purpose").is_restored();
}

/// Run by the test above, inside a terminal.
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
    assert!(!plain.contains("[38;") && !plain.contains("[48;") && !plain.contains(";38;"), "colours on the screen");
    let terminal = Terminal::start(folder(), LARGE, "demo", "");
    terminal.shows("✓ done at");
    assert!(terminal.tmux(&["capture-pane", "-p", "-e"]).unwrap().contains("38;2;"), "this test can see colours");
}

#[test]
fn a_limit_that_no_sensor_reads_sends_the_robot_over_the_edge() {
    let terminal = Terminal::start(folder(), LARGE, "demo --mission mind-the-rim", "");
    terminal.shows("✓ done at").shows("Prowl again");
    // From the first slot down to the rim's limit: nudged to 100 %, it is what the last lesson of the README tells.
    terminal.keys(&["Up", "Up"]).shows("in %").keys(&["+", "+", "+", "+"]).shows("let rim = 100 %");
    terminal.shows("✗ fell off the drying floor at").shows("not reached");
    terminal.keys(&["u", "u", "u", "u"]).shows("✓ done at").keys(&["q"]).shows("left with 0");
}

#[test]
fn a_mission_with_a_reflex_is_read_in_words_and_its_mistakes_stand_in_place() {
    let terminal = Terminal::start(copied(), LARGE, "brinewick --mission ring-contest", "");
    terminal.shows("won at").shows("reflex \"Keep off the rim\"").shows("routine look-round");
    terminal.keys(&["w"]).shows("In words").shows("Does the first of these that holds");
    terminal.keys(&["Home"]).shows("As soon as floor-left or floor-right reads more than 60 % (rim), at any time.");
    terminal.keys(&["Escape"]).hides("In words");
    // The routine that the reflex does gets another name: every place that is left behind says so.
    let file = terminal.path("brinewick/missions/ring-contest.way");
    let text = fs::read_to_string(&file).unwrap().replace("routine back-away", "routine back-awy");
    fs::write(&file, text).unwrap();
    terminal.keys(&["q"]).shows("left with 0");
    let here = folder();
    fs::rename(terminal.path("brinewick"), here.path().join("brinewick")).unwrap();
    let again = Terminal::start(here, LARGE, "brinewick --mission ring-contest", "");
    again.shows("there is no routine `back-away`").shows("did you mean `back-awy`?").shows("cannot run");
}
