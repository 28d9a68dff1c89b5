//! Pictures of the application for the docs: a real terminal on a display of its own, keys sent
//! through tmux.

use std::fs;
use std::io::{BufRead as _, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::thread::sleep;
use std::time::{Duration, Instant};

/// Programs that are needed, and the Debian packages that have them.
const NEEDED: [(&str, &str); 7] = [
    ("Xvfb", "xvfb"),
    ("kitty", "kitty"),
    ("tmux", "tmux"),
    ("import", "imagemagick"),
    ("fc-match", "fonts-hack"),
    ("convert", "imagemagick"),
    ("pdftoppm", "poppler-utils"),
];

/// One picture.
struct Shot {
    /// Its file, without ending.
    name: &'static str,
    /// Width and height in pixels.
    size: (u32, u32),
    /// What `wayodos` is given.
    args: &'static [&'static str],
    /// What the environment is given.
    env: &'static [(&'static str, &'static str)],
    /// What tmux types, one key after the other; `wait:TEXT` waits until the screen shows it.
    keys: &'static [&'static str],
}

const LARGE: (u32, u32) = (1280, 800);

const SHOTS: &[Shot] = &[
    Shot {
        name: "main",
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &[
            "wait:of 200",
            "PageUp",
            "PageUp",
            "PageUp",
            "PageUp",
            "PageUp",
            "PageUp",
            "PageUp",
            "PageUp",
        ],
    },
    Shot {
        name: "nudge",
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &[
            "wait:of 200",
            "Down",
            "Down",
            "Down",
            "Down",
            "Down",
            "Right",
            "Right",
            "+",
            "wait:failed at",
            "wait:held 0 of 200",
            "y",
            "Enter",
            "wait:by another mark",
        ],
    },
    Shot {
        name: "findings",
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &[
            "wait:of 200",
            "Down",
            "e",
            "C-e",
            "BSpace",
            "BSpace",
            "BSpace",
            "Escape",
            "wait:cannot run",
            "N",
        ],
    },
    Shot {
        name: "choices",
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &[
            "wait:of 200",
            "Tab",
            "a",
            "wait:only tried",
            "drve a cuvre",
            "wait:Drive an arc",
        ],
    },
    Shot {
        name: "project",
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &["wait:of 200", "W", "wait:end as planned", "Home"],
    },
    Shot {
        name: "ring",
        size: LARGE,
        args: &["demo", "--mission", "ring-contest"],
        env: &[],
        keys: &["wait:of 200", "PageUp", "PageUp", "%"],
    },
    Shot {
        name: "sweep",
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &["wait:of 200", "~", "wait:x 40 runs"],
    },
    Shot {
        name: "tune",
        size: LARGE,
        args: &["demo", "--mission", "past-the-herons"],
        env: &[],
        keys: &["wait:of 200", "^", "wait:found better"],
    },
    Shot {
        name: "logbook",
        size: LARGE,
        args: &["demo", "--mission", "ring-contest"],
        env: &[],
        keys: &[
            "wait:of 200",
            "S",
            "charge =",
            "Enter",
            "-",
            "-",
            "-",
            "-",
            "-",
            "-",
            "Y",
            "wait:2 entries",
            "Y",
            "Q",
            "gentle",
            "Enter",
            "+",
            "+",
            "+",
            "Y",
            "wait:3 entries",
            "Y",
            "+",
            "+",
            "+",
            "+",
            "+",
            "Y",
            "wait:4 entries",
            "*",
            "wait:★",
        ],
    },
    Shot {
        name: "league",
        size: LARGE,
        args: &["demo", "--mission", "ring-contest"],
        env: &[],
        keys: &[
            "wait:of 200",
            "S",
            "charge =",
            "Enter",
            "-",
            "-",
            "-",
            "-",
            "wait:of 200",
            "Y",
            "wait:2 entries",
            "Down",
            "wait:the first entry",
            "p",
            "wait:120 matches, each",
            "Down",
        ],
    },
    Shot {
        name: "words",
        size: LARGE,
        args: &["demo", "--mission", "round-the-gates"],
        env: &[],
        keys: &["wait:of 200", "w", "wait:In words"],
    },
    Shot {
        name: "robot",
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &[
            "wait:of 200",
            "F6",
            "Down",
            "Down",
            "Down",
            "Down",
            "Down",
            "Down",
            "Down",
            "Down",
            "Down",
            "Down",
            "Enter",
            "wait:lines 50 mm apart",
        ],
    },
    Shot {
        name: PIXELS,
        size: LARGE,
        args: &["demo", "--theme", "light"],
        env: &[],
        keys: &[],
    },
    Shot {
        name: TOLD,
        size: LARGE,
        args: &["run", "brinewick", "--mission", "shove-the-baskets"],
        env: &[],
        keys: &["wait:trace"],
    },
    Shot {
        name: "small",
        size: (640, 384),
        args: &["demo"],
        env: &[],
        keys: &["wait:200/200", "Down", "Right"],
    },
    Shot {
        name: "no-colour",
        size: LARGE,
        args: &["demo"],
        env: &[("NO_COLOR", "1")],
        keys: &["wait:of 200"],
    },
    Shot {
        name: PLAIN,
        size: LARGE,
        args: &["demo"],
        env: &[],
        keys: &["wait:of 200"],
    },
];

/// The picture of a run that is told: its command ends, and the screen is to stay.
const TOLD: &str = "told";

/// The picture of a plain terminal: sixteen colours on a white ground.
const PLAIN: &str = "sixteen";

/// The picture in the terminal's own pixels: tmux would not let them through.
const PIXELS: &str = "pixels";

/// Makes all pictures.
pub fn all(root: &Path) -> Result<(), String> {
    let missing: Vec<&str> = NEEDED
        .iter()
        .filter(|(program, _)| !installed(program))
        .map(|(_, package)| *package)
        .collect();
    if !missing.is_empty() {
        return Err(format!(
            "pictures need more programs: apt-get install {}",
            missing.join(" ")
        ));
    }
    super::cargo(&["build", "--release", "--locked", "--bin", "wayodos"])?;
    let folder = root.join("docs/screenshots");
    fs::create_dir_all(&folder).map_err(|error| format!("{}: {error}", folder.display()))?;
    for shot in SHOTS {
        let file = folder.join(format!("{}.png", shot.name));
        // A terminal without a monitor now and then fails to come up on a busy machine.
        one(root, shot, &file).or_else(|_| one(root, shot, &file))?;
        println!("{}", file.display());
    }
    // And a page on paper, as the program draws it itself.
    let page = folder.join("page.png");
    let mut draw = Command::new(root.join("target/release/wayodos"));
    draw.arg("draw")
        .arg(root.join("examples/brinewick"))
        .args(["--mission", "shove-the-baskets", "--quiet", "-o"])
        .arg(&page);
    super::run(&mut draw, "wayodos draw")?;
    // A flow chart over two pages, side by side.
    let home = std::env::temp_dir().join(format!("wayodos-pages-{}", std::process::id()));
    fs::create_dir_all(&home).map_err(|error| format!("{}: {error}", home.display()))?;
    let _gone = Running(Vec::new(), home.clone());
    let pdf = home.join("flow.pdf");
    let mut chart = Command::new(root.join("target/release/wayodos"));
    chart
        .arg("draw")
        .arg(root.join("examples/brinewick"))
        .args([
            "--mission",
            "morning-round",
            "--only",
            "flow",
            "--quiet",
            "-o",
        ])
        .arg(&pdf);
    super::run(&mut chart, "wayodos draw")?;
    let mut pages = Command::new("pdftoppm");
    pages
        .args(["-r", "78", "-png"])
        .arg(&pdf)
        .arg(home.join("page"));
    super::run(&mut pages, "pdftoppm")?;
    let mut both = Command::new("convert");
    both.arg(home.join("page-1.png"))
        .arg(home.join("page-2.png"));
    both.args(["+append", "-define", "png:exclude-chunks=date,time"])
        .arg(folder.join("flow.png"));
    super::run(&mut both, "convert")
}

fn installed(program: &str) -> bool {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path).any(|folder| folder.join(program).is_file())
}

/// Processes that end with the picture.
struct Running(Vec<Child>, PathBuf);

impl Drop for Running {
    fn drop(&mut self) {
        for child in self.0.iter_mut().rev() {
            // Ended already, most likely.
            let _ = child.kill();
            let _ = child.wait();
        }
        let _ = fs::remove_dir_all(&self.1);
    }
}

fn one(root: &Path, shot: &Shot, file: &Path) -> Result<(), String> {
    let home = std::env::temp_dir().join(format!(
        "wayodos-picture-{}-{}",
        shot.name,
        std::process::id()
    ));
    fs::create_dir_all(&home).map_err(|error| format!("{}: {error}", home.display()))?;
    let mut running = Running(Vec::new(), home.clone());
    let socket = home.join("tmux");
    let (width, height) = shot.size;
    let screen = format!("{width}x{height}x24");
    let display = start_display(&mut running, &screen)?;
    let config = home.join("kitty.conf");
    let (columns, rows) = (width / 8, height / 16);
    // In this font and size a cell has 8 x 16 pixels.
    let text = format!(
        "font_family Hack\nfont_size 10\n\
         initial_window_width {columns}c\ninitial_window_height {rows}c\nremember_window_size no\n\
         window_padding_width 0\nhide_window_decorations yes\nplacement_strategy top-left\n\
         cursor_blink_interval 0\nconfirm_os_window_close 0\nenable_audio_bell no\nupdate_check_interval 0\n"
    );
    let plain = shot.name == PLAIN;
    let text = if plain {
        text + "background #ffffff\nforeground #000000\n"
    } else {
        text
    };
    fs::write(&config, text).map_err(|error| format!("{}: {error}", config.display()))?;
    let tmux_config = home.join("tmux.conf");
    let inside = match shot.name {
        PLAIN => "set -g default-terminal xterm-16color\nset-environment -gr COLORTERM\n",
        TOLD => "set -g remain-on-exit on\nset -g remain-on-exit-format ''\n",
        _ => "",
    };
    fs::write(&tmux_config, inside)
        .map_err(|error| format!("{}: {error}", tmux_config.display()))?;
    let wayodos = root.join("target/release/wayodos");
    let direct = shot.name == PIXELS;
    let mut terminal = Command::new("kitty");
    terminal.arg("--config").arg(&config);
    if direct {
        terminal.arg(&wayodos).args(shot.args);
    } else {
        terminal
            .args(["tmux", "-f"])
            .arg(&tmux_config)
            .arg("-S")
            .arg(&socket);
        terminal
            .args([
                "new-session",
                "-x",
                &columns.to_string(),
                "-y",
                &rows.to_string(),
            ])
            .arg(&wayodos);
        // tmux stands between, so the terminal's own name is not seen.
        if shot.name != TOLD {
            terminal.args(["--cells", "sextant"]);
        }
        terminal.args(shot.args);
        terminal.args([
            ";",
            "set",
            "status",
            "off",
            ";",
            "set",
            "-s",
            "escape-time",
            "0",
        ]);
    }
    terminal
        .current_dir(if shot.name == TOLD {
            root.join("examples")
        } else {
            home.clone()
        })
        .env("DISPLAY", &display)
        .env("HOME", &home)
        .env("COLORTERM", "truecolor");
    terminal
        .env("LIBGL_ALWAYS_SOFTWARE", "1")
        .env_remove("NO_COLOR")
        .env_remove("XDG_STATE_HOME")
        .env_remove("TMUX");
    terminal.envs(shot.env.iter().copied());
    running.0.push(spawn(&mut terminal)?);
    if direct {
        // Nobody can ask what stands there; it does so within a second.
        sleep(Duration::from_secs(4));
        return import(&display, file);
    }
    let tmux = Tmux(socket);
    wait_for("the application", || tmux.screen().contains("Brinewick"))?;
    for key in shot.keys {
        match key.strip_prefix("wait:") {
            Some(text) => wait_for(text, || tmux.screen().contains(text))?,
            None => tmux.send(key)?,
        }
    }
    // Until the picture stands still.
    let mut before = String::new();
    wait_for("a still screen", || {
        sleep(Duration::from_millis(300));
        let now = tmux.screen();
        std::mem::replace(&mut before, now.clone()) == now
    })?;
    sleep(Duration::from_millis(500));
    import(&display, file)?;
    // The application is left while its terminal still stands.
    tmux.run(&["kill-server"]).map(drop)
}

/// Takes the picture of a whole display.
fn import(display: &str, file: &Path) -> Result<(), String> {
    let mut picture = Command::new("import");
    picture
        .args([
            "-display",
            display,
            "-window",
            "root",
            "-define",
            "png:exclude-chunks=date,time",
        ])
        .arg(file);
    super::run(&mut picture, "import")
}

/// Starts a display; it picks a free number itself, and says it when it is ready.
fn start_display(running: &mut Running, screen: &str) -> Result<String, String> {
    let mut command = Command::new("Xvfb");
    command.args([
        "-displayfd",
        "1",
        "-screen",
        "0",
        screen,
        "-nolisten",
        "tcp",
    ]);
    command
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null());
    let mut display = command.spawn().map_err(|error| format!("Xvfb: {error}"))?;
    let output = display.stdout.take().ok_or("Xvfb has no output")?;
    running.0.push(display);
    let mut number = String::new();
    BufReader::new(output)
        .read_line(&mut number)
        .map_err(|error| format!("Xvfb: {error}"))?;
    if number.trim().is_empty() {
        Err("Xvfb did not start".into())
    } else {
        Ok(format!(":{}", number.trim()))
    }
}

fn spawn(command: &mut Command) -> Result<Child, String> {
    command
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null());
    command
        .spawn()
        .map_err(|error| format!("{}: {error}", command.get_program().display()))
}

fn wait_for(what: &str, mut met: impl FnMut() -> bool) -> Result<(), String> {
    let began = Instant::now();
    while !met() {
        if began.elapsed() > Duration::from_secs(20) {
            return Err(format!("waited 20 s for {what}"));
        }
        sleep(Duration::from_millis(30));
    }
    Ok(())
}

/// The tmux server that the application runs in.
struct Tmux(PathBuf);

impl Tmux {
    fn run(&self, args: &[&str]) -> Result<String, String> {
        let output = Command::new("tmux")
            .arg("-S")
            .arg(&self.0)
            .args(args)
            .output();
        let output = output.map_err(|error| format!("tmux: {error}"))?;
        Ok(String::from_utf8_lossy(&output.stdout).into_owned())
    }

    fn send(&self, key: &str) -> Result<(), String> {
        sleep(Duration::from_millis(60));
        self.run(&["send-keys", key]).map(drop)
    }

    fn screen(&self) -> String {
        self.run(&["capture-pane", "-p"]).unwrap_or_default()
    }
}
