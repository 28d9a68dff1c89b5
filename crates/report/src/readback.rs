//! A mission read back in plain words: what each step does, with what was left unsaid said, and what ends it.

use wayodos_core::mission::{
    Answer, Argument, Arming, Behaviour, Comparison, Condition, Ending, Exit, Feeler, Law, Mission, Parsed, Quantifier,
    Rounds, Sensors, Side, Spanned, Step, StopKind, Target, Then, Track, Value, WhenBoth, WhenLost, either,
};

/// Reads a mission's parts back; borrowed from the text and what it says.
#[derive(Clone, Copy)]
pub struct Reader<'a> {
    text: &'a str,
    mission: &'a Mission,
}

impl<'a> Reader<'a> {
    /// A reader of a text that has been read.
    pub const fn new(text: &'a str, parsed: &'a Parsed) -> Self {
        Self { text, mission: &parsed.mission }
    }

    /// What a step does, as one sentence.
    pub fn behaviour(&self, step: &Step) -> String {
        let Some((behaviour, _)) = &step.behaviour else { return "Does nothing that could be read.".into() };
        let said = self.does(&behaviour.node);
        let mut chars = said.chars();
        let first = chars.next().map(|first| first.to_uppercase().collect::<String>()).unwrap_or_default();
        format!("{first}{}.", chars.as_str())
    }

    /// An amount: the number, with its name behind.
    pub fn amount(&self, value: &Spanned<Value>) -> String {
        let worth = self.mission.evaluate(&value.node).map(|amount| amount.quantity().to_string());
        match (&value.node, worth) {
            (Value::Literal(quantity), _) => quantity.to_string(),
            (Value::Named(name), _) => match self.mission.shown(name) {
                Some(quantity) => format!("{quantity} ({name})"),
                None => name.clone(),
            },
            (Value::Formula(_), Some(worth)) => worth,
            (Value::Formula(_), None) => self.text[value.span.clone()].to_owned(),
        }
    }

    fn does(&self, behaviour: &Behaviour) -> String {
        let of = |value: &Spanned<Value>| self.amount(value);
        match behaviour {
            Behaviour::Drive { back, speed, arc, hold_heading } => {
                let way = if *back { "back" } else { "ahead" };
                let how = match arc {
                    Some((turn, radius)) => format!("in an arc to the {}, {} from its middle,", side(turn), of(radius)),
                    None => format!("straight {way}"),
                };
                let way = if arc.is_some() && *back { "back " } else { "" };
                let keeps = if *hold_heading { ", and keeps the heading it has" } else { "" };
                format!("drives {way}{how} at {}{keeps}", of(speed))
            }
            Behaviour::Spin { side: turn, speed } => {
                format!("turns to the {} on the spot at {}", side(turn), of(speed))
            }
            Behaviour::Pivot { side: turn, on, speed } => {
                format!("turns to the {} about its {} wheel at {}", side(turn), side(on), of(speed))
            }
            Behaviour::Follow { track, tone, speed, law, lost } => {
                let what = match track {
                    Track::Edge { side: edge, sensor } => {
                        format!("the {} edge of the {} line with {}", side(edge), tone.node, sensor.node)
                    }
                    Track::Under([left, right]) => {
                        format!("the broad {} line that lies under {} and {}", tone.node, left.node, right.node)
                    }
                    Track::Between([left, right]) => {
                        format!("the {} line that lies between {} and {}", tone.node, left.node, right.node)
                    }
                };
                let law = match law {
                    Law::Gains { gain, integral, derivative } => {
                        let unsaid = if gain.span.is_empty() { " (as nothing is said)" } else { "" };
                        let mut words = format!("steering with a gain of {}{unsaid}", of(gain));
                        for (name, value) in [("integral", integral), ("derivative", derivative)] {
                            if let Some(value) = value {
                                words.extend([", ", name, " ", &of(value)]);
                            }
                        }
                        words
                    }
                    Law::TwoSpeeds(slow) => format!("one wheel at {} whenever it must turn", of(slow)),
                };
                let lost = match lost {
                    WhenLost::GoOn => "if it loses the line it goes on steering",
                    WhenLost::Stop => "if it loses the line it stops",
                    WhenLost::Back => "if it loses the line it goes back",
                    WhenLost::Search => "if it loses the line it turns to where that was last",
                };
                format!("follows {what} at {}, {law}; {lost}", of(speed))
            }
            Behaviour::Keep { tone, sensors: [left, right], speed, gain, both } => {
                let both = match both {
                    Some(WhenBoth::Ahead) => "goes straight on",
                    Some(WhenBoth::Back) => "goes straight back",
                    Some(WhenBoth::Stop) => "stops",
                    None => "stops (as nothing is said)",
                };
                let unsaid = if gain.span.is_empty() { " (as nothing is said)" } else { "" };
                format!(
                    "drives ahead at {} between two {} lines, away from the one that {} or {} sees with a gain of {}{unsaid}; \
                     when both see one it {both}",
                    of(speed),
                    tone.node,
                    left.node,
                    right.node,
                    of(gain)
                )
            }
            Behaviour::Align { sensors: [left, right], tone, speed, lead_in, again } => {
                let lead = lead_in
                    .as_ref()
                    .map_or_else(String::new, |lead| format!("drives {} without looking, then ", of(lead)));
                let again = match again {
                    Some(again) => format!("; backs off and does it once more at {}", of(again)),
                    None => String::new(),
                };
                format!(
                    "{lead}squares up to a {} line at {}: each wheel stops when its own sensor, {} or {}, sees it{again}",
                    tone.node,
                    of(speed),
                    left.node,
                    right.node
                )
            }
            Behaviour::Shift { side: turn, tone, sensor, speed } => format!(
                "moves over to the {} at {}: one wheel until {} sees a {} line, then the other until it looks where it looked",
                side(turn),
                of(speed),
                sensor.node,
                tone.node
            ),
            Behaviour::Seek { ranger, within, side: turn, speed, turn: angle, relocate, tries, approach } => {
                let then = match approach {
                    Some(near) => format!(" and comes up to {} of it", of(near)),
                    None => String::new(),
                };
                format!(
                    "looks for something within {} of {}: turns to the {} at {} up to {}, moves {} on, {} times in all{then}",
                    of(within),
                    ranger.node,
                    side(turn),
                    of(speed),
                    of(angle),
                    of(relocate),
                    of(tries)
                )
            }
            Behaviour::Shove { speed, tone, sensors: [left, right], back } => {
                let back = back.as_ref().map_or_else(String::new, |back| format!(", and backs off {}", of(back)));
                format!(
                    "pushes ahead at {} until {} or {} sees {}, stands{back}",
                    of(speed),
                    left.node,
                    right.node,
                    tone.node
                )
            }
            Behaviour::Hold { stop } => match stop {
                StopKind::Brake => "stands, with the motors braking".into(),
                StopKind::Coast => "lets the motors go and rolls out".into(),
                StopKind::Keep => "stands, and goes back to its place when it is moved".into(),
            },
            Behaviour::Await { ranger, beyond, tries, pause } => format!(
                "stands until {} has seen nothing within {} for 0.2 s; gives up after {} times {}",
                ranger.node,
                of(beyond),
                of(tries),
                of(pause)
            ),
            Behaviour::Probe { angle, speed, feeler, tie } => {
                let how = match feeler {
                    Feeler::Ranger(ranger) => format!("looks with {}", ranger.node),
                    Feeler::Wheels { most, until: None } => format!("drives {} there and back", of(most)),
                    Feeler::Wheels { most, until: Some(until) } => {
                        format!("drives up to {} there and back, or until {}", of(most), self.condition(until))
                    }
                };
                format!(
                    "finds out which side has more room: turns {} to each at {} and {how}; if both have as much, {}",
                    of(angle),
                    of(speed),
                    side(tie)
                )
            }
            Behaviour::Move { actuator, angle, alongside } => {
                let how = if *alongside { "and goes on meanwhile" } else { "and stands until it is there" };
                format!("sends {} to {} {how}", actuator.node, of(angle))
            }
            Behaviour::Signal { signal, words } => format!("has {} say \"{}\"", signal.node, words.node),
            Behaviour::Measure { value, name } => {
                format!("keeps {} as {}", &self.text[value.span.clone()], name.node)
            }
            Behaviour::Choose => "decides where to go".into(),
            Behaviour::React => "does the first of these that holds, from moment to moment".into(),
            Behaviour::Do { routine, arguments, mirrored } => {
                let with: Vec<String> =
                    arguments.iter().map(|(name, value)| format!("{} {}", name.node, self.argument(value))).collect();
                let with = if with.is_empty() { String::new() } else { format!(" with {}", with.join(", ")) };
                let mirrored = if *mirrored { ", left and right swapped" } else { "" };
                format!("does \"{}\"{with}{mirrored}", routine.node)
            }
            Behaviour::Repeat(rounds) => match rounds {
                Rounds::Times(times) => format!("does these steps {} times", of(times)),
                Rounds::Forever => "does these steps again and again".into(),
                Rounds::Until { condition, after_pass: false } => {
                    format!("does these steps until {}, whenever that comes", self.condition(condition))
                }
                Rounds::Until { condition, .. } => {
                    format!("does these steps until {} at the end of a pass", self.condition(condition))
                }
            },
        }
    }

    fn argument(&self, argument: &Spanned<Argument>) -> String {
        match &argument.node {
            Argument::Amount(value) => self.amount(value),
            Argument::Side(turn) => side(turn).to_owned(),
            Argument::Comparison(Comparison::Below) => "below".into(),
            Argument::Comparison(Comparison::Above) => "above".into(),
            Argument::Comparison(Comparison::Named(name)) | Argument::Word(name) => name.clone(),
        }
    }

    /// What an exit waits for, in words.
    pub fn condition(&self, condition: &Spanned<Condition>) -> String {
        let of = |value: &Spanned<Value>| self.amount(value);
        let joined = |terms: &[Spanned<Condition>], word: &str| {
            let terms: Vec<String> = terms
                .iter()
                .map(|term| match term.node {
                    Condition::Any(_) | Condition::All(_) => format!("({})", self.condition(term)),
                    _ => self.condition(term),
                })
                .collect();
            terms.join(word)
        };
        match &condition.node {
            Condition::Any(terms) => joined(terms, " or "),
            Condition::All(terms) => joined(terms, " and "),
            Condition::Not(term) => format!("it is not so that {}", joined(std::slice::from_ref(term), "")),
            Condition::For(term, time) => format!("{} for {}", self.condition(term), of(time)),
            Condition::After(term, Arming::Amount(amount)) => {
                format!("{}, looked at after {}", self.condition(term), of(amount))
            }
            Condition::After(term, Arming::False) => format!("{}, once that was not so", self.condition(term)),
            Condition::As(term, name) => format!("{} (kept as {})", self.condition(term), name.node),
            Condition::Sees { sensors, none, tones } => {
                let tones: Vec<String> = tones.iter().map(|tone| tone.node.clone()).collect();
                let (verb, neither) = (if plural(sensors) { "see" } else { "sees" }, if *none { " no " } else { " " });
                format!("{} {verb}{neither}{}", named(sensors), either(&tones))
            }
            Condition::Reads { sensors, than, limit } => {
                let than = match than {
                    Comparison::Below => "less than",
                    Comparison::Above => "more than",
                    Comparison::Named(name) => name,
                };
                format!("{} {} {than} {}", named(sensors), if plural(sensors) { "read" } else { "reads" }, of(limit))
            }
            Condition::Between { sensors, low, high } => {
                let verb = if plural(sensors) { "read" } else { "reads" };
                format!("{} {verb} between {} and {}", named(sensors), of(low), of(high))
            }
            Condition::Code { sensor, low, high: None } => format!("{} tells {}", sensor.node, of(low)),
            Condition::Code { sensor, low, high: Some(high) } => {
                format!("{} tells {} to {}", sensor.node, of(low), of(high))
            }
            Condition::Changed { sensor, down, by } => {
                let way = if *down { "darker" } else { "brighter" };
                format!("{} has become {} {way}", sensor.node, of(by))
            }
            Condition::Crossed { sensor, count, tone, met, apart } => {
                let verb = if *met { "come to" } else { "crossed" };
                let apart = apart.as_ref().map_or_else(String::new, |apart| format!(" at least {} apart", of(apart)));
                format!("{} has {verb} {} {} lines{apart}", sensor.node, of(count), tone.node)
            }
            Condition::Is { .. } => self.text[condition.span.clone()].to_owned(),
            Condition::Travelled(length) => format!("it has gone {}", of(length)),
            Condition::Turned(angle) => format!("it has turned {}", of(angle)),
            Condition::Heading(angle) => format!("its heading comes to {}", of(angle)),
            Condition::Rolled { wheel, amount } => format!("the {} wheel has rolled {}", side(wheel), of(amount)),
            Condition::Passed(time) => format!("{} have passed", of(time)),
            Condition::Clock(time) => format!("the run is {} old", of(time)),
            Condition::Lost => "it has lost the line".into(),
            Condition::Stalled(time) => format!("a wheel has been stuck for {}", of(time)),
            Condition::Ended(ending) => match ending {
                Ending::Finished => "that is finished",
                Ending::Found => "it has found something",
                Ending::GivenUp => "it has given up",
                Ending::Clear => "the way is clear",
                Ending::LeftFurther => "there is more room on the left",
                Ending::RightFurther => "there is more room on the right",
            }
            .into(),
            Condition::EndedBy(name) => format!("it was {} that ended it", name.node),
        }
    }

    /// Where an exit leads, in words.
    pub fn target(&self, target: &Target) -> String {
        match target {
            Target::Next => "goes on".into(),
            Target::Step(name) => format!("goes to \"{name}\""),
            Target::Again => "begins the next pass".into(),
            Target::Out => "is through with this part".into(),
            Target::Done => "is done".into(),
            Target::Fail(reason) => format!("fails: {reason}"),
        }
    }

    /// What ends a step, one sentence for each exit and each row; and what comes by itself.
    pub fn ends(&self, step: &Step) -> Vec<String> {
        let mut said: Vec<String> = Vec::new();
        for row in &step.rows {
            let when =
                row.condition.as_ref().map_or_else(|| "Otherwise".into(), |it| format!("When {}", self.condition(it)));
            said.push(match &row.answer {
                Answer::Go(target) => format!("{when}: {}.", self.target(&target.node)),
                Answer::Does(behaviour) => format!("{when}: {}.", self.does(&behaviour.node)),
            });
        }
        said.extend(step.exits.iter().map(|exit: &Exit| {
            format!("When {}: {}.", self.condition(&exit.condition), self.target(&exit.target.node))
        }));
        if let Some((behaviour, _)) = &step.behaviour {
            let open: Vec<&Ending> = (behaviour.node.outcomes().iter())
                .filter(|ending| !step.exits.iter().any(|exit| exit.condition.node == Condition::Ended(**ending)))
                .collect();
            if !open.is_empty()
                && step.rows.is_empty()
                && !matches!(behaviour.node, Behaviour::Signal { .. } if !step.exits.is_empty())
            {
                said.push("When that is finished: goes on.".into());
            }
        }
        said
    }

    /// What a reflex watches for and how it ends.
    pub fn reflex(&self, index: usize) -> (String, String) {
        let reflex = &self.mission.reflexes[index];
        let within: Vec<String> = reflex.within.iter().map(|name| format!("\"{}\"", name.node)).collect();
        let within = if within.is_empty() { "at any time".to_owned() } else { format!("during {}", either(&within)) };
        let watch = match &reflex.trigger {
            Some((condition, true)) => format!("For as long as {}, {within}.", self.condition(condition)),
            Some((condition, false)) => format!("As soon as {}, {within}.", self.condition(condition)),
            None => String::new(),
        };
        let after = match reflex.then.as_ref().map(|then| &then.node) {
            None | Some(Then::Resume) => "Then what it broke into goes on.".to_owned(),
            Some(Then::Restart) => "Then the step it broke into begins anew.".to_owned(),
            Some(Then::Go(target)) => format!("Then {}.", self.target(target)),
        };
        (watch, after)
    }
}

fn side(side: &Side) -> &str {
    match side {
        Side::Left => "left",
        Side::Right => "right",
        Side::Named(name) => name,
    }
}

const fn plural(sensors: &Sensors) -> bool {
    matches!(sensors.how, Quantifier::All)
}

fn named(sensors: &Sensors) -> String {
    let names: Vec<String> = sensors.names.iter().map(|name| name.node.clone()).collect();
    match sensors.how {
        Quantifier::One => names.concat(),
        Quantifier::Any => either(&names),
        Quantifier::All => names.join(" and "),
        Quantifier::None => format!("none of {}", names.join(", ")),
    }
}

#[cfg(test)]
mod tests {
    use wayodos_core::mission::parse;

    use super::*;

    fn read(step: &str) -> String {
        let text = format!("let far = 120 mm\nstep \"a\"\n{step}\n");
        let parsed = parse(&text);
        assert_eq!(parsed.findings, [], "{step}");
        let reader = Reader::new(&text, &parsed);
        let step = &parsed.mission.steps[0];
        format!("{} {}", reader.behaviour(step), reader.ends(step).join(" "))
    }

    #[test]
    fn sentences_are_said_in_other_words() {
        for (step, words) in [
            (
                "drive back on a left arc of (far * 2) at 40 %\nuntil travelled far",
                "Drives back in an arc to the left, 240 mm from its middle, at 40 %. When it has gone 120 mm (far): goes on.",
            ),
            (
                "pivot left on the right wheel at 150 mm/s\nuntil turned 90 deg -> done",
                "Turns to the left about its right wheel at 150 mm/s. When it has turned 90 deg: is done.",
            ),
            (
                "follow a dark line between l and r at 40 % and 10 %, if lost back\nuntil the line is lost for 0.3 s",
                "Follows the dark line that lies between l and r at 40 %, one wheel at 10 % whenever it must turn; if it loses the line it goes back. When it has lost the line for 0.3 s: goes on.",
            ),
            (
                "follow a dark line under l and r at 40 %, gain 0.5, integral 0.1\nuntil 1 s passes",
                "Follows the broad dark line that lies under l and r at 40 %, steering with a gain of 0.5, integral 0.1; if it loses the line it goes on steering. When 1 s have passed: goes on.",
            ),
            (
                "align l and r to a dark line at 16 %, lead-in 20 mm",
                "Drives 20 mm without looking, then squares up to a dark line at 16 %: each wheel stops when its own sensor, l or r, sees it. When that is finished: goes on.",
            ),
            (
                "shift right to a dark line with l at 20 %",
                "Moves over to the right at 20 %: one wheel until l sees a dark line, then the other until it looks where it looked. When that is finished: goes on.",
            ),
            (
                "await clear with front beyond 300 mm, 3 tries of 2 s\nuntil clear\nor given up -> fail \"it stays\"",
                "Stands until front has seen nothing within 300 mm for 0.2 s; gives up after 3 times 2 s. When the way is clear: goes on. When it has given up: fails: it stays.",
            ),
            (
                "probe 90 deg to each side at 20 %, up to far or l sees dark, tie left\nuntil left is further -> \"x\"",
                "Finds out which side has more room: turns 90 deg to each at 20 % and drives up to 120 mm (far) there and back, or until l sees dark; if both have as much, left. When there is more room on the left: goes to \"x\". When that is finished: goes on.",
            ),
            (
                "move arm to 60 deg alongside",
                "Sends arm to 60 deg and goes on meanwhile. When that is finished: goes on.",
            ),
            ("signal lamp \"red\"\nuntil 2 s pass -> next", "Has lamp say \"red\". When 2 s have passed: goes on."),
            (
                "hold, keep position\nuntil none of l, r < 30 % for 50 ms after it was false\nor not (l sees any of dark, red and battery between 6 V and 7 V) as low -> again",
                "Stands, and goes back to its place when it is moved. When none of l, r reads less than 30 % for 50 ms, once that was not so: goes on. When it is not so that (l sees dark or red and battery reads between 6 V and 7 V) (kept as low): begins the next pass.",
            ),
            (
                "do there (far = 30 mm, side = right, than = <, eye = l) mirrored",
                "Does \"there\" with far 30 mm, side right, than below, eye l, left and right swapped. When that is finished: goes on.",
            ),
        ] {
            let said = read(step);
            assert_eq!(said, words, "{step}");
        }
    }
}
