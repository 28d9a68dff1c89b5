//! The state of the league screen.

use std::sync::Arc;

use wayodos_core::project::Setup;

use crate::leagues::{League, LeagueJob, Table, Who};

/// A league as the screen has it.
#[derive(Clone, Debug)]
pub struct Leaguing {
    /// What is shown is of this.
    pub job: LeagueJob,
    /// What was asked for since, until its first matches are there or somebody cannot play.
    pub next: Option<LeagueJob>,
    /// What is known so far.
    pub result: Option<(Arc<League>, Arc<Table>)>,
    /// The marked row of the table.
    pub at: usize,
    /// Which of the other rows it is looked at against.
    pub against: usize,
}

impl Leaguing {
    /// Nothing played yet.
    pub const fn new(job: LeagueJob) -> Self {
        Self {
            job,
            next: None,
            result: None,
            at: 0,
            against: 0,
        }
    }

    /// The team that is marked, and the one that it is looked at against.
    pub fn pair(&self) -> Option<(usize, usize)> {
        let (_, table) = self.result.as_ref()?;
        let ours = *table.order.get(self.at)?;
        let mut others = table.order.iter().filter(|team| **team != ours);
        Some((ours, *others.nth(self.against)?))
    }

    /// Who is to play, as asked for last.
    pub fn who(&self) -> &[Who] {
        &self.next.as_ref().unwrap_or(&self.job).who
    }

    /// Takes in what was played; the mark stays on its team.
    pub fn learn(&mut self, id: u64, league: Arc<League>) {
        if let Some(next) = self.next.take_if(|next| next.id == id) {
            (self.job, self.result) = (next, None);
            (self.at, self.against) = (0, 0);
        }
        if self.job.id != id {
            return;
        }
        let marked = self.pair();
        let table = Arc::new(league.table());
        if let Some((ours, theirs)) = marked {
            let order = &table.order;
            let at = order.iter().position(|team| *team == ours);
            self.at = at.unwrap_or(0);
            let mut others = order.iter().filter(|team| **team != ours);
            self.against = others.position(|team| *team == theirs).unwrap_or(0);
        }
        self.result = Some((league, table));
    }

    /// Moves the mark in the table.
    pub fn step(&mut self, by: isize) {
        self.at = self.at.saturating_add_signed(by).min(self.last());
        self.against = 0;
    }

    /// Looks at it against another team.
    pub fn turn(&mut self, by: isize) {
        let last = self.last().saturating_sub(1);
        self.against = self.against.saturating_add_signed(by).min(last);
    }

    const fn last(&self) -> usize {
        self.job.who.len().saturating_sub(1)
    }
}

/// A match of a league that is shown in all panes: whom it is played against, in place of the field's
/// opponent.
#[derive(Clone, Debug)]
pub struct Shown {
    /// The other side.
    pub name: String,
    /// What it is played with.
    pub setup: Arc<Setup>,
}
