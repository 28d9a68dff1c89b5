//! The league: who plays, what is looked at, and the match that is shown.

use std::sync::Arc;

use wayodos_core::field::Conduct;
use wayodos_core::project::Config;

use super::super::finder::{Finder, Item, Pick};
use super::super::keymap::Action;
use super::super::league::{Leaguing, Shown};
use super::super::logbook::{BEING_READ, Wish};
use super::super::model::{Mode, Model, ScreenName};
use super::super::theme::Role;
use super::change::run_again;
use super::effect::Effect;
use super::texts;
use crate::folder::PROJECT_FILE;
use crate::leagues::{League, LeagueJob, Match, Refusal, Who, opponent};
use crate::shelf::{Kind, list};

/// Shows the league; the mission against the field's opponent when there is none yet.
pub(super) fn show(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(setup) = model.setup.clone() else {
        return model.say(Role::Thin, "the mission cannot be run as it stands");
    };
    let rival = match opponent(&setup) {
        Ok(opponent) => opponent.name.clone(),
        Err(Refusal { what, hint }) => return model.say(Role::Thin, format!("{what}: {hint}")),
    };
    let who = match &model.league {
        // What was played with the mission as it stands stays.
        Some(league) if plays(model, league) => {
            model.screen = ScreenName::League;
            return;
        }
        Some(league) if Arc::ptr_eq(&league.job.setup.field, &setup.field) => league.who().to_vec(),
        _ => vec![Who::Open, Who::Opponent(rival)],
    };
    begin(model, who, effects);
}

/// Whether the mission as it stands plays in it: as the one that was open, or as another of its teams.
fn plays(model: &Model, league: &Leaguing) -> bool {
    let text = &model.mission().text;
    if *league.job.text == **text {
        let setup = model.setup.as_ref();
        return setup.is_some_and(|setup| Arc::ptr_eq(setup, &league.job.setup));
    }
    let teams = league.result.iter().flat_map(|(all, _)| &all.teams);
    let mut texts = teams.filter_map(|team| team.own.as_ref());
    texts.any(|(own, _)| own == text)
}

/// Plays with these.
fn begin(model: &mut Model, who: Vec<Who>, effects: &mut Vec<Effect>) {
    let like = model.own_report().map(|report| report.attempt.clone());
    let (Some(like), Some(setup)) = (like, model.setup.clone()) else {
        return model.say(Role::Thin, "there must be a run of the mission first");
    };
    let job = LeagueJob {
        id: model.next_job(),
        who,
        text: Arc::clone(&model.mission().text),
        setup,
        like,
    };
    effects.push(Effect::League(Box::new(job.clone())));
    match &mut model.league {
        // What was played stays to be seen until there is something new.
        Some(league) => league.next = Some(job),
        None => model.league = Some(Leaguing::new(job)),
    }
    model.screen = ScreenName::League;
    model.player.playing = false;
    model.field.hover = None;
}

/// More of it is there, or somebody cannot play.
pub(super) fn on_league(model: &mut Model, id: u64, result: Result<Arc<League>, Refusal>) {
    let Some(league) = &mut model.league else {
        return;
    };
    match result {
        Ok(result) => league.learn(id, result),
        Err(Refusal { what, hint }) => {
            if league.next.take_if(|next| next.id == id).is_none() {
                // Of what was given up since nobody wants to hear.
                if league.job.id != id {
                    return;
                }
                // There was none before.
                model.league = None;
                model.screen = ScreenName::Mission;
            }
            model.say(Role::Wrong, format!("{what}: {hint}"));
        }
    }
}

/// Offers who could play, and who could stop.
fn choose(model: &mut Model) {
    let Some(league) = &model.league else { return };
    let playing = league.who();
    let mut all: Vec<Who> = playing.to_vec();
    if !all.contains(&Who::Open) {
        all.push(Who::Open);
    }
    let own = &model.project.config;
    let text = model.project.text(PROJECT_FILE).unwrap_or_default();
    let config = Config::load(text).0.unwrap_or_default();
    let opponents = &league.job.setup.field.opponents;
    let is_played = |path: &str| {
        opponents
            .iter()
            .any(|opponent| matches!(&opponent.conduct, Conduct::Mission(known) if known == path))
    };
    for entry in list(&model.project) {
        all.push(match entry.kind {
            Kind::Mission if entry.path != own.mission => {
                let mut other = config.clone();
                other.choose(&entry.name);
                if other.field != own.field {
                    continue;
                }
                Who::Mission(entry.name)
            }
            Kind::Rival if !is_played(&entry.path) => Who::Rival(entry.path),
            _ => continue,
        });
    }
    let mut items = Vec::new();
    for (at, who) in all.iter().enumerate() {
        if all[..at].contains(who) {
            continue;
        }
        let what = match who {
            _ if playing.contains(who) => "plays: Enter takes it out",
            Who::Open => "the mission that is open, as it stands",
            Who::Opponent(_) => "the opponent of the field",
            Who::Mission(_) => "another mission of the project",
            Who::Rival(_) => "the mission of a rival",
            Who::Entry { .. } => "an entry of the logbook",
        };
        let pick = Pick::Play(Box::new(who.clone()));
        items.push(Item::new(who.name(), "", what, pick));
    }
    items.push(Item::new(
        "the logbook",
        "",
        "choose an entry there, and p lets it play",
        Pick::Do(Action::ToLogbook),
    ));
    model.mode = Mode::Finding(Box::new(Finder::new("Who plays", items, 0)));
}

/// Lets somebody play, or takes it out.
pub(super) fn toggle(model: &mut Model, who: Who, effects: &mut Vec<Effect>) {
    let Some(setup) = &model.setup else { return };
    let known = model.league.as_ref().map(|league| league.who().to_vec());
    let mut all = match (known, opponent(setup)) {
        (Some(all), Ok(_)) => all,
        (None, Ok(opponent)) => vec![Who::Open, Who::Opponent(opponent.name.clone())],
        (_, Err(Refusal { what, hint })) => {
            return model.say(Role::Thin, format!("{what}: {hint}"));
        }
    };
    let before = all.len();
    all.retain(|other| *other != who);
    if all.len() == before {
        all.push(who);
    } else if all.len() < 2 {
        return model.say(
            Role::Quiet,
            "a league needs two or more: add another one first",
        );
    }
    begin(model, all, effects);
}

/// Lets the marked entry of the logbook play.
pub(super) fn play_entry(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(entry) = model.logbook.marked().cloned() else {
        return model.say(Role::Quiet, "the logbook has no entry here");
    };
    let Some(files) = model.logbook.files.get(&entry.id).cloned() else {
        model.logbook.waiting = Some((entry.id, Wish::Play));
        return model.say(Role::Quiet, BEING_READ);
    };
    if entry.mission != model.project.config.mission {
        let words = format!("it is of another mission: open {} first", entry.name());
        return model.say(Role::Thin, words);
    }
    let (id, when) = (entry.id, entry.when);
    toggle(model, Who::Entry { id, when, files }, effects);
}

/// Does what a key of this screen asks for.
pub(super) fn carry_out(model: &mut Model, action: Action, effects: &mut Vec<Effect>) {
    let Some(league) = &mut model.league else {
        return;
    };
    match action {
        Action::TeamUp => league.step(-1),
        Action::TeamDown => league.step(1),
        Action::OtherBefore => league.turn(-1),
        Action::OtherNext => league.turn(1),
        Action::PickTeams => choose(model),
        Action::ShowMatch => show_match(model, effects),
        _ => {}
    }
}

/// Shows the match that decided between the two that are looked at; the next of them each time.
fn show_match(model: &mut Model, effects: &mut Vec<Effect>) {
    let found = model.league.as_ref().and_then(|league| {
        let (all, _) = league.result.as_ref()?;
        Some((Arc::clone(all), league.pair()?))
    });
    let Some((all, (first, second))) = found else {
        return model.say(Role::Quiet, "no match was played yet");
    };
    // On our side stands the one whose mission is open.
    let text = Arc::clone(&model.mission().text);
    let is_open = |team: usize| {
        let own = all.teams[team].own.as_ref();
        own.is_some_and(|(own, _)| *own == text)
    };
    let (ours, theirs) = match (is_open(first), is_open(second)) {
        (true, _) => (first, second),
        (false, true) => (second, first),
        (false, false) => {
            let names = [first, second].map(|team| all.teams[team].name.as_str());
            let words = format!(
                "open {} or {} first: a match is shown from the side of the mission that is open",
                names[0], names[1]
            );
            return model.say(Role::Thin, words);
        }
    };
    let matches = all.between(ours, theirs);
    let name = all.teams[theirs].name.clone();
    let shown = model.opponent.as_ref().filter(|shown| shown.name == name);
    let at = shown.and_then(|_| matches.iter().position(|one| one.number == model.number));
    let next = at.map_or(0, |at| (at + 1) % matches.len());
    let (Some(one), Some(setup)) = (matches.get(next), all.setup_of(ours, theirs)) else {
        return model.say(Role::Quiet, "no match was played yet");
    };
    let words = came_out(one);
    texts::to_mission(model);
    (model.number, model.scatter) = (one.number, all.like.scatter);
    (model.from, model.screen) = (None, ScreenName::Mission);
    model.say(
        Role::Quiet,
        format!(
            "match {} against {name}, {words}; Esc leads back",
            one.number
        ),
    );
    model.opponent = Some(Shown { name, setup });
    run_again(model, effects);
}

/// How a match ended, in a word.
const fn came_out(one: &Match) -> &'static str {
    let tally = one.tally();
    match (one.verdict, tally.won, tally.lost) {
        (None, ..) => "undecided",
        (_, 1, _) => "won",
        (_, _, 1) => "lost",
        _ => "drawn",
    }
}
