//! Runs that wait and the one that is worked on. Proofs go before finals: a final that is worked on makes room for a proof and goes on
//! from its finished tiles afterwards. One whose tasks are with a cluster makes room for whatever is to be made here.

use crate::api::ProgressView;
use ember_ridge_core::bake::Preview;
use ember_ridge_store::RunKind;
use std::collections::HashMap;
use std::sync::atomic::{AtomicU8, Ordering};
use std::sync::{Arc, Mutex};

/// A run of the queue.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Queued {
    pub run: i64,
    pub kind: RunKind,
    /// It waits until it is let go on.
    pub held: bool,
    /// Its tasks are with a cluster: there is nothing to do for it here but to wait for them.
    pub away: bool,
}

/// The run that is worked on.
pub struct Running {
    pub run: i64,
    pub kind: RunKind,
    wish: AtomicU8,
    pub live: Mutex<HashMap<String, Preview>>,
    pub progress: Mutex<Option<ProgressView>>,
}

const GOES_ON: u8 = 0;
const PAUSES: u8 = 1;
const STOPS: u8 = 2;

impl Running {
    fn new(Queued { run, kind, .. }: Queued) -> Running {
        let wish = AtomicU8::new(GOES_ON);
        Running { run, kind, wish, live: Mutex::default(), progress: Mutex::default() }
    }

    /// It is to end for good.
    pub fn stops(&self) -> bool {
        self.wish.load(Ordering::Relaxed) == STOPS
    }

    /// It is to end now, for good or to go on later.
    pub fn pauses(&self) -> bool {
        self.wish.load(Ordering::Relaxed) >= PAUSES
    }

    fn wishes(&self, wish: u8) {
        self.wish.fetch_max(wish, Ordering::Relaxed);
    }
}

/// What came of a wish to stop a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stopped {
    /// It waited, and will not be worked on.
    InQueue,
    /// It runs, and ends soon.
    Soon,
    /// It neither waits nor runs.
    Not,
}

/// The runs in their order, and which of them is worked on, changed together.
#[derive(Default)]
pub struct Queue {
    runs: Vec<Queued>,
    pub running: Option<Arc<Running>>,
}

impl Queue {
    /// A run waits, behind those of its kind.
    pub fn add(&mut self, queued: Queued) {
        self.runs.push(queued);
        self.makes_room();
    }

    /// The run to work on: proofs first, then finals that are baked here or not yet sent, then those whose tasks are with a cluster.
    fn next(&self) -> Option<Queued> {
        let ready = self.runs.iter().filter(|queued| !queued.held);
        ready.min_by_key(|queued| (queued.kind != RunKind::Proof, queued.away)).copied()
    }

    /// A final that is worked on makes room for a proof, and one that is away for whatever goes before it.
    fn makes_room(&self) {
        let (Some(running), Some(next)) = (&self.running, self.next()) else { return };
        let away = self.runs.iter().any(|queued| queued.run == running.run && queued.away);
        let sooner = away || next.kind == RunKind::Proof && running.kind == RunKind::Final;
        if sooner && next.run != running.run {
            running.wishes(PAUSES);
        }
    }

    /// Tasks of a run are with a cluster, or are not any more. One that is held is being called back.
    pub fn away(&mut self, run: i64, away: bool) {
        let of_it = self.runs.iter_mut().filter(|queued| queued.run == run);
        of_it.for_each(|queued| queued.away = away && !queued.held);
        self.makes_room();
    }

    /// Runs whose tasks are with a cluster, while others go before them.
    pub fn overtaken(&self) -> Vec<i64> {
        let Some(next) = self.next() else { return Vec::new() };
        self.runs.iter().filter(|queued| queued.away && queued.run != next.run).map(|queued| queued.run).collect()
    }

    fn runs_now(&self, run: i64) -> Option<&Arc<Running>> {
        self.running.as_ref().filter(|running| running.run == run)
    }

    /// The run that was worked on ends, or waits `again` at its place; false when it was to wait and was stopped meanwhile.
    pub fn put_back(&mut self, again: bool) -> bool {
        let Some(running) = self.running.take() else { return true };
        let waits = again && !running.stops();
        if !waits {
            self.runs.retain(|queued| queued.run != running.run);
        }
        waits == again
    }

    /// Takes the next run to work on.
    pub fn take_next(&mut self) -> Option<Arc<Running>> {
        self.running = Some(Arc::new(Running::new(self.next()?)));
        self.running.clone()
    }

    /// Stops the running bake, or takes a waiting one out of the queue.
    pub fn stop(&mut self, run: i64) -> Stopped {
        if let Some(running) = self.runs_now(run) {
            running.wishes(STOPS);
            return Stopped::Soon;
        }
        let before = self.runs.len();
        self.runs.retain(|queued| queued.run != run);
        if self.runs.len() < before { Stopped::InQueue } else { Stopped::Not }
    }

    /// Has a run that is worked on make room and wait again; false when it is not worked on.
    pub fn pause(&mut self, run: i64) -> bool {
        self.runs_now(run).map(|running| running.wishes(PAUSES)).is_some()
    }

    /// Holds a run, or lets it go on; false when it neither waits nor runs.
    pub fn hold(&mut self, run: i64, held: bool) -> bool {
        if held && let Some(running) = self.runs_now(run) {
            running.wishes(PAUSES);
        }
        let Some(found) = self.runs.iter_mut().find(|queued| queued.run == run) else { return false };
        // What is held is called back from its cluster.
        (found.held, found.away) = (held, false);
        self.makes_room();
        true
    }

    /// Whether a run waits until it is let go on.
    pub fn is_held(&self, run: i64) -> bool {
        self.runs.iter().any(|queued| queued.run == run && queued.held)
    }

    /// Puts runs into this order, in the places that they have now.
    pub fn order(&mut self, order: &[i64]) {
        let named: Vec<Queued> =
            order.iter().filter_map(|run| self.runs.iter().find(|queued| queued.run == *run)).copied().collect();
        let places = self.runs.iter_mut().filter(|queued| order.contains(&queued.run));
        places.zip(named).for_each(|(place, queued)| *place = queued);
    }

    /// The run that is worked on, then those that wait, in the order they are worked on but for those that are held or away.
    pub fn listed(&self) -> Vec<i64> {
        let waits = |queued: &&Queued| self.runs_now(queued.run).is_none();
        let of = |kind| self.runs.iter().filter(waits).filter(move |queued| queued.kind == kind);
        let waiting = of(RunKind::Proof).chain(of(RunKind::Final)).map(|queued| queued.run);
        self.running.iter().map(|running| running.run).chain(waiting).collect()
    }
}
