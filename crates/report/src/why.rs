//! Why, in words: how far a look is from holding, and the story of an exit.

use wayodos_core::controller::{Live, TermStanding, Wait};
use wayodos_core::ids::StepId;
use wayodos_core::lab::evidence::{Evidence, Spare, THIN};
use wayodos_core::lab::why::ExitStory;
use wayodos_core::record::Run;
use wayodos_core::units::Dimension;

use crate::field::Story;
use crate::words::goal_words;

/// An amount in SI in the unit that people read it in.
pub fn amount_words(si: f64, of: Option<Dimension>) -> String {
    let rounded = |value: f64, unit: &str| format!("{:.0} {unit}", value.round() + 0.0);
    match of {
        Some(Dimension::Length) => rounded(si * 1e3, "mm"),
        Some(Dimension::Angle) => rounded(si.to_degrees(), "deg"),
        Some(Dimension::Percent) => rounded(si * 1e2, "%"),
        Some(Dimension::Time) => format!("{si:.1} s"),
        Some(Dimension::Voltage) => format!("{si:.2} V"),
        Some(Dimension::Speed) => rounded(si * 1e3, "mm/s"),
        _ => format!("{}", (si * 100.0).round() / 100.0 + 0.0),
    }
}

/// How far an exit is from firing, in a few words: `41 %, needs > 60 %`, `80 mm of 320 mm, 240 mm
/// to go`, `sees dark`, `true`.
pub fn live_words(live: &Live) -> String {
    if let Some(tone) = &live.sees {
        return if live.holds {
            "true".into()
        } else {
            format!("sees {tone}")
        };
    }
    match (live.now, live.goal, live.away) {
        (Some(now), Some(goal), Some(away)) if !live.holds && away > 0.0 => {
            let nothing = amount_words(0.0, live.of);
            let wanted = if now < goal { ">" } else { "<" };
            let [now, goal, away] = [now, goal, away].map(|si| amount_words(si, live.of));
            if live.is_reading {
                return format!("{now}, needs {wanted} {goal}");
            }
            if away == nothing {
                format!("{now} of {goal}, due now")
            } else {
                format!("{now} of {goal}, {away} to go")
            }
        }
        (Some(now), Some(_), _) => {
            let so = if live.holds { "true" } else { "not true" };
            format!("{}, {so}", amount_words(now, live.of))
        }
        _ if live.holds => "true".into(),
        _ => "not true".into(),
    }
}

/// How near a look is to holding: 0 far, 1 there; none when it is not a matter of more or less.
pub fn nearness(live: &Live) -> Option<f64> {
    let (goal, away) = (live.goal?, live.away?);
    if away <= 0.0 {
        return Some(1.0);
    }
    // Readings run from nothing to full scale; ways, angles, times and counts from nothing to their
    // goal.
    let whole = match live.of {
        Some(Dimension::Percent) => 1.0,
        _ => goal.abs().max(away),
    };
    Some((1.0 - away / whole.max(1e-9)).clamp(0.0, 1.0))
}

/// What holds a whole term back, in words; nothing when only its looks do.
pub fn wait_words(term: &TermStanding) -> Option<String> {
    term.waits.first().map(|wait| match wait {
        Wait::Lasts(so_far, whole) => {
            format!("true for {:.0} of {:.0} ms", so_far * 1e3, whole * 1e3)
        }
        Wait::ArmsIn(seconds) => format!("active in {seconds:.1} s"),
        Wait::ArmsAfter(metres) => format!("active after {:.0} mm more", metres * 1e3),
        Wait::MustFail => "must be false once first".into(),
    })
}

/// The story of an exit in a sentence or three: when it was looked at, when it was true, what came
/// nearest.
pub fn story_words(story: Story<'_>, exit: &ExitStory, step: StepId, nth: usize) -> String {
    let Story { run, program, .. } = story;
    let at = |tick: usize| format!("{:.1} s", run.trace.seconds(tick));
    let Some(about) = program
        .steps
        .get(step.0)
        .and_then(|step| step.exits.get(nth))
    else {
        return String::new();
    };
    let Some((entered, left, evidence)) = exit.visits.last().copied() else {
        let never = "It was never active: its step was not reached.";
        return exit.unlooked().map_or_else(
            || never.to_owned(),
            |truth| {
                let whose = active(run, program, truth.from);
                format!(
                    "{never} But it was true at {}, while {whose} was active.",
                    at(truth.from)
                )
            },
        );
    };
    let times = if exit.visits.len() > 1 {
        format!("{} times, last ", exit.visits.len())
    } else {
        String::new()
    };
    let mut sentences = vec![format!(
        "Active {times}from {} to {}.",
        at(entered),
        at(left)
    )];
    sentences.push(match evidence {
        Evidence::Fired { clear, at_once } => {
            let ended =
                format!("It ended the step at {} and led to {}", at(left), goal_words(program, step, &about.goal));
            match clear {
                _ if at_once => format!("{ended}: it was already true when the step began."),
                Some(clear) if clear < THIN => {
                    format!("{ended}, but only by {clear:.1} times the noise of the sensor: in another run it may not.")
                }
                Some(clear) => {
                    format!("{ended}: the reading was beyond the limit by {clear:.0} times the noise of the sensor.")
                }
                None => format!("{ended}."),
            }
        }
        Evidence::Spare(spare) => match spare {
            Spare::Length(metres) => format!("It did not fire: {:.0} mm to go.", metres * 1e3),
            Spare::Angle(angle) => format!("It did not fire: {:.0} deg to go.", angle.to_degrees()),
            Spare::Time(seconds) => format!("It did not fire: {seconds:.1} s to go."),
            Spare::Lines(1) => "It did not fire: 1 line to go.".to_owned(),
            Spare::Lines(lines) => format!("It did not fire: {lines} lines to go."),
            Spare::Noise(widths) if widths < THIN => {
                format!("It did not fire, but nearly: the closest reading was {widths:.1} times the noise off.")
            }
            Spare::Noise(widths) => {
                format!("It never came close: {:.0} times the noise off at best.", widths.min(99.0))
            }
            Spare::Other(off, of) => {
                format!("It did not fire: {} to go.", amount_words(off, Some(of)))
            }
            Spare::Unseen => "It did not fire.".to_owned(),
        },
    });
    // Of one that fired it is no matter where else it might have.
    if let (Evidence::Spare(_), Some(truth)) = (evidence, exit.unlooked()) {
        let whose = active(run, program, truth.from);
        let when = at(truth.from);
        sentences.push(format!(
            "It was also true at {when}, while {whose} was active."
        ));
    }
    sentences.join(" ")
}

/// The step that is active at a tick, by its name.
fn active(run: &Run, program: &wayodos_core::controller::Program, tick: usize) -> String {
    let leg = run
        .legs
        .iter()
        .find(|leg| (leg.from..leg.to).contains(&tick));
    leg.map_or_else(
        || "nothing".into(),
        |leg| format!("\"{}\"", program.steps[leg.step].name),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn live(now: f64, goal: f64, away: f64, of: Option<Dimension>) -> Live {
        let holds = away <= 0.0;
        let is_reading = of == Some(Dimension::Percent);
        let away = Some(away.max(0.0));
        Live {
            words: String::new(),
            now: Some(now),
            goal: Some(goal),
            away,
            nearest: away,
            of,
            is_reading,
            sees: None,
            holds,
        }
    }

    #[test]
    fn a_look_says_what_is_there_and_what_is_missing() {
        for (live, words, near) in [
            (
                live(0.41, 0.6, 0.19, Some(Dimension::Percent)),
                "41 %, needs > 60 %",
                Some(0.81),
            ),
            (
                live(0.08, 0.32, 0.24, Some(Dimension::Length)),
                "80 mm of 320 mm, 240 mm to go",
                Some(0.25),
            ),
            (
                live(2.0, 3.0, 1.0, None),
                "2 of 3, 1 to go",
                Some(2.0 / 3.0),
            ),
            (
                live(1.5, 1.5, 0.0, Some(Dimension::Time)),
                "1.5 s, true",
                Some(1.0),
            ),
            (
                Live {
                    sees: Some("pale".into()),
                    now: None,
                    away: None,
                    ..live(0.0, 0.0, 1.0, None)
                },
                "sees pale",
                None,
            ),
            (
                Live {
                    now: None,
                    goal: None,
                    away: None,
                    ..live(0.0, 0.0, 1.0, None)
                },
                "not true",
                None,
            ),
        ] {
            assert_eq!(live_words(&live), words);
            let gap = nearness(&live).zip(near).map(|(a, b)| (a - b).abs());
            assert!(
                gap.is_none_or(|gap| gap < 1e-9) && nearness(&live).is_some() == near.is_some(),
                "{words}"
            );
        }
    }

    #[test]
    fn what_holds_a_term_back_is_said() {
        let term = |wait| TermStanding {
            waits: vec![wait],
            ..TermStanding::default()
        };
        assert_eq!(
            wait_words(&term(Wait::Lasts(0.02, 0.05))).as_deref(),
            Some("true for 20 of 50 ms")
        );
        assert_eq!(
            wait_words(&term(Wait::ArmsAfter(0.034))).as_deref(),
            Some("active after 34 mm more")
        );
        assert_eq!(wait_words(&TermStanding::default()), None);
    }
}
