//! Colours of the screen, and how many of them the terminal can show.

pub use crate::look::ThemeName;
use ratatui::style::{Color, Modifier, Style};
use wayodos_core::ids::StepId;
use wayodos_report::ink::{Rgb, tint};

/// How many colours the terminal can show.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// None, or none are wanted.
    Mono,
    /// The sixteen of old.
    Sixteen,
    /// The palette of 256.
    Indexed,
    /// Any.
    True,
}

impl Depth {
    /// What the environment says; `var` looks a variable up.
    pub fn detect(var: impl Fn(&str) -> Option<String>) -> Self {
        let has = |name: &str| var(name).filter(|value| !value.is_empty());
        let (term, colours) = (
            has("TERM").unwrap_or_default(),
            has("COLORTERM").unwrap_or_default(),
        );
        if has("NO_COLOR").is_some() || term == "dumb" {
            Self::Mono
        } else if matches!(colours.as_str(), "truecolor" | "24bit") || term.ends_with("-direct") {
            Self::True
        } else if term.contains("256color") {
            Self::Indexed
        } else {
            Self::Sixteen
        }
    }
}

/// What a piece of the screen is for; its colour follows from that.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// Ordinary text.
    Text,
    /// Text that may be overlooked.
    Quiet,
    /// Lines that only separate.
    Hair,
    /// What the eye should find first: the slot, the time.
    Accent,
    /// As planned.
    Good,
    /// Thin, or worth a look.
    Thin,
    /// Gone wrong.
    Wrong,
    /// A place that can be changed.
    Slot,
    /// The words a sentence starts with.
    Word,
}

/// A palette for one depth.
#[derive(Clone, Copy, Debug)]
pub struct Theme {
    dark: bool,
    /// How many colours there are.
    pub depth: Depth,
}

impl Theme {
    /// A theme for a terminal.
    pub const fn new(name: ThemeName, depth: Depth) -> Self {
        Self {
            dark: matches!(name, ThemeName::Dark),
            depth,
        }
    }

    /// The colour of a role, whatever the terminal can show.
    pub const fn rgb(self, role: Role) -> Rgb {
        match (role, self.dark) {
            (Role::Text, true) => Rgb(214, 220, 224),
            (Role::Text, false) => Rgb(38, 44, 48),
            (Role::Quiet, true) => Rgb(125, 138, 146),
            (Role::Quiet, false) => Rgb(112, 118, 120),
            (Role::Hair, true) => Rgb(58, 68, 74),
            (Role::Hair, false) => Rgb(205, 202, 190),
            (Role::Accent, true) => Rgb(255, 198, 74),
            (Role::Accent, false) => Rgb(190, 116, 0),
            (Role::Good, true) => Rgb(112, 206, 172),
            (Role::Good, false) => Rgb(0, 120, 88),
            (Role::Thin, true) => Rgb(246, 168, 88),
            (Role::Thin, false) => Rgb(176, 92, 0),
            (Role::Wrong, true) => Rgb(255, 120, 102),
            (Role::Wrong, false) => Rgb(186, 34, 30),
            (Role::Slot, true) => Rgb(158, 212, 240),
            (Role::Slot, false) => Rgb(0, 94, 150),
            (Role::Word, true) => Rgb(242, 244, 245),
            (Role::Word, false) => Rgb(10, 14, 18),
        }
    }

    /// The same theme with all colours: what is drawn in pixels has them on every terminal.
    #[must_use]
    pub const fn in_full(self) -> Self {
        Self {
            depth: Depth::True,
            ..self
        }
    }

    /// The ground of the screen.
    pub const fn ground(&self) -> Rgb {
        if self.dark {
            Rgb(20, 26, 30)
        } else {
            Rgb(247, 244, 234)
        }
    }

    /// The ground of bars and overlays, a little apart from the rest.
    pub const fn raised(&self) -> Rgb {
        if self.dark {
            Rgb(34, 43, 49)
        } else {
            Rgb(233, 229, 215)
        }
    }

    /// A colour as this terminal can show it.
    pub fn colour(&self, rgb: Rgb) -> Color {
        match self.depth {
            Depth::Mono => Color::Reset,
            // Where nothing is drawn the terminal's own ground stays.
            Depth::Sixteen if rgb == self.ground() => Color::Reset,
            Depth::Sixteen => sixteen(rgb),
            Depth::Indexed => indexed(rgb),
            Depth::True => Color::Rgb(rgb.0, rgb.1, rgb.2),
        }
    }

    /// Whether grounds are painted at all: with few colours the terminal's own ground is kept.
    /// Whether the ground of the screen is painted; otherwise it is the terminal's own.
    pub const fn paints_ground(self) -> bool {
        matches!(self.depth, Depth::Indexed | Depth::True)
    }

    /// The style of the whole screen.
    pub fn base(&self) -> Style {
        self.on(self.role(Role::Text), self.ground())
    }

    /// The same style on another ground.
    pub fn on(&self, style: Style, ground: Rgb) -> Style {
        if self.paints_ground() {
            style.bg(self.colour(ground))
        } else {
            style
        }
    }

    /// Text of a role. Without colours the urgent ones differ by weight instead.
    pub fn role(&self, role: Role) -> Style {
        let style = Style::new().fg(self.colour(self.rgb(role)));
        let heavy = matches!(role, Role::Accent | Role::Wrong | Role::Thin | Role::Word);
        match (self.depth, role) {
            (Depth::Mono, Role::Quiet | Role::Hair) => Style::new().add_modifier(Modifier::DIM),
            (Depth::Mono, Role::Slot) => Style::new().add_modifier(Modifier::UNDERLINED),
            (Depth::Mono, _) if heavy => Style::new().add_modifier(Modifier::BOLD),
            // Nobody knows what the terminal's own ground is: only what can be read on a black one
            // and on a white one.
            (Depth::Sixteen, Role::Text) => Style::new().fg(Color::Reset),
            (Depth::Sixteen, Role::Word | Role::Accent) => {
                Style::new().fg(Color::Reset).add_modifier(Modifier::BOLD)
            }
            (Depth::Sixteen, Role::Slot) => Style::new().fg(Color::Blue),
            (Depth::Sixteen, Role::Thin) => Style::new().fg(Color::Magenta),
            (Depth::Sixteen, Role::Good) => Style::new().fg(Color::Green),
            (Depth::Sixteen, Role::Wrong) => {
                Style::new().fg(Color::Red).add_modifier(Modifier::BOLD)
            }
            (Depth::Sixteen, Role::Quiet | Role::Hair) => Style::new().fg(Color::DarkGray),
            (_, Role::Word) => style.add_modifier(Modifier::BOLD),
            _ => style,
        }
    }

    /// Text on a patch of a role's colour; without colours, reversed.
    pub fn patch(&self, role: Role) -> Style {
        if self.depth == Depth::Sixteen && role == Role::Accent {
            return Style::new()
                .fg(Color::Reset)
                .bg(Color::Reset)
                .add_modifier(Modifier::REVERSED);
        }
        self.on_patch(self.rgb(role))
    }

    /// Text on a patch of a step's tint.
    pub fn step_patch(&self, step: StepId) -> Style {
        self.on_patch(tint(step)).add_modifier(Modifier::BOLD)
    }

    /// Text or lines in a step's tint.
    pub fn step_text(&self, step: StepId) -> Style {
        if self.depth == Depth::Mono {
            return Style::new();
        }
        let ink = tint(step);
        Style::new().fg(self.colour(if self.dark {
            ink.towards(Rgb(255, 255, 255), 0.3)
        } else {
            ink
        }))
    }

    /// Readable text on any colour.
    pub fn on_patch(&self, patch: Rgb) -> Style {
        if self.depth == Depth::Mono {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        if self.depth == Depth::Sixteen {
            // Their true colours are the terminal's business; these are dark in all of them.
            let ground = sixteen(patch);
            let dark = [
                Color::Black,
                Color::Blue,
                Color::Red,
                Color::Magenta,
                Color::DarkGray,
            ]
            .contains(&ground);
            return Style::new()
                .fg(if dark { Color::White } else { Color::Black })
                .bg(ground);
        }
        let ink = if patch.luminance() > 0.3 {
            Rgb(12, 16, 20)
        } else {
            Rgb(255, 255, 255)
        };
        Style::new().fg(self.colour(ink)).bg(self.colour(patch))
    }
}

fn distance(a: Rgb, b: Rgb) -> u32 {
    let part = |a: u8, b: u8| u32::from(a.abs_diff(b)).pow(2);
    2 * part(a.0, b.0) + 4 * part(a.1, b.1) + 3 * part(a.2, b.2)
}

/// The nearest of the sixteen, whose usual values these are.
fn sixteen(rgb: Rgb) -> Color {
    const ALL: [(Color, Rgb); 15] = [
        (Color::Black, Rgb(0, 0, 0)),
        (Color::Red, Rgb(190, 40, 40)),
        (Color::Green, Rgb(30, 150, 60)),
        (Color::Yellow, Rgb(180, 130, 20)),
        (Color::Blue, Rgb(40, 80, 190)),
        (Color::Magenta, Rgb(160, 50, 160)),
        (Color::Cyan, Rgb(30, 150, 170)),
        (Color::Gray, Rgb(200, 200, 200)),
        (Color::DarkGray, Rgb(110, 110, 110)),
        (Color::LightRed, Rgb(250, 110, 100)),
        (Color::LightGreen, Rgb(110, 220, 150)),
        (Color::LightYellow, Rgb(250, 210, 90)),
        (Color::LightBlue, Rgb(120, 170, 250)),
        (Color::LightCyan, Rgb(150, 220, 240)),
        (Color::White, Rgb(245, 245, 245)),
    ];
    let nearest = ALL.iter().min_by_key(|(_, known)| distance(*known, rgb));
    nearest.map_or(Color::Reset, |(colour, _)| *colour)
}

/// The nearest of the 6 x 6 x 6 cube and the 24 greys.
fn indexed(rgb: Rgb) -> Color {
    const LEVELS: [u8; 6] = [0, 95, 135, 175, 215, 255];
    let level = |value: u8| {
        (0..6usize)
            .min_by_key(|&index| LEVELS[index].abs_diff(value))
            .unwrap_or(0)
    };
    let (r, g, b) = (level(rgb.0), level(rgb.1), level(rgb.2));
    let cube = Rgb(LEVELS[r], LEVELS[g], LEVELS[b]);
    let mean = (u32::from(rgb.0) + u32::from(rgb.1) + u32::from(rgb.2)) / 3;
    let step = (mean.saturating_sub(3) / 10).min(23) as u8;
    let grey = 8 + 10 * step;
    if distance(Rgb(grey, grey, grey), rgb) < distance(cube, rgb) {
        Color::Indexed(232 + step)
    } else {
        Color::Indexed((16 + 36 * r + 6 * g + b) as u8)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn depth(vars: &[(&str, &str)]) -> Depth {
        Depth::detect(|name| {
            vars.iter()
                .find(|(known, _)| *known == name)
                .map(|(_, value)| (*value).to_owned())
        })
    }

    #[test]
    fn the_environment_says_how_many_colours_there_are() {
        assert_eq!(
            depth(&[("TERM", "tmux-256color"), ("COLORTERM", "truecolor")]),
            Depth::True
        );
        assert_eq!(depth(&[("TERM", "xterm-256color")]), Depth::Indexed);
        assert_eq!(depth(&[("TERM", "linux")]), Depth::Sixteen);
        assert_eq!(
            depth(&[("TERM", "xterm-256color"), ("NO_COLOR", "1")]),
            Depth::Mono
        );
        assert_eq!(
            depth(&[("TERM", "xterm-256color"), ("NO_COLOR", "")]),
            Depth::Indexed,
            "empty means unset"
        );
    }

    #[test]
    fn text_stands_out_from_its_ground_in_both_themes() {
        for name in [ThemeName::Dark, ThemeName::Light] {
            let theme = Theme::new(name, Depth::True);
            let ground = theme.ground().luminance();
            for (role, least) in [
                (Role::Text, 9.0),
                (Role::Quiet, 4.0),
                (Role::Accent, 3.2),
                (Role::Wrong, 4.5),
                (Role::Slot, 4.5),
            ] {
                let ink = theme.rgb(role).luminance();
                let contrast = (ink.max(ground) + 0.05) / (ink.min(ground) + 0.05);
                assert!(contrast >= least, "{name:?} {role:?}: {contrast:.1}");
            }
        }
    }

    #[test]
    fn sixteen_colours_can_be_read_on_a_black_and_on_a_white_ground() {
        for name in [ThemeName::Dark, ThemeName::Light] {
            let theme = Theme::new(name, Depth::Sixteen);
            for role in [
                Role::Text,
                Role::Quiet,
                Role::Hair,
                Role::Accent,
                Role::Good,
                Role::Thin,
                Role::Wrong,
                Role::Slot,
                Role::Word,
            ] {
                let style = theme.role(role);
                let unreadable = [
                    Color::White,
                    Color::Gray,
                    Color::Yellow,
                    Color::LightYellow,
                    Color::Cyan,
                    Color::Black,
                ];
                assert!(
                    style.fg.is_none_or(|ink| !unreadable.contains(&ink)) && style.bg.is_none(),
                    "{name:?} {role:?}"
                );
            }
            for step in 0..16 {
                let patch = theme.step_patch(StepId(step));
                let light = [
                    Color::Yellow,
                    Color::Cyan,
                    Color::Green,
                    Color::White,
                    Color::LightYellow,
                    Color::LightCyan,
                ];
                assert!(
                    !(patch.fg == Some(Color::White)
                        && patch.bg.is_some_and(|bg| light.contains(&bg))),
                    "{step}"
                );
            }
        }
    }

    #[test]
    fn colours_keep_their_character_with_few_of_them() {
        assert_eq!(indexed(Rgb(255, 255, 255)), Color::Indexed(231));
        assert_eq!(indexed(Rgb(20, 26, 30)), Color::Indexed(234));
        assert_eq!(sixteen(Rgb(255, 120, 102)), Color::LightRed);
    }
}
