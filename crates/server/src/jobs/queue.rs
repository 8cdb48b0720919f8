//! Runs that wait and the one that is worked on. Proofs go before finals: a final that is worked on makes room for a proof and goes on
//! from its finished tiles afterwards.

use crate::api::ProgressView;
use ember_ridge_core::bake::Preview;
use ember_ridge_store::RunKind;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU8, Ordering};
use std::sync::{Arc, Mutex};

/// A run that waits.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Waiting {
    pub run: i64,
    pub kind: RunKind,
    /// It waits until it is let go on.
    pub held: bool,
}

/// The run that is worked on.
pub struct Running {
    pub run: i64,
    pub kind: RunKind,
    turn: u64,
    wish: AtomicU8,
    held: AtomicBool,
    pub live: Mutex<HashMap<String, Preview>>,
    pub progress: Mutex<Option<ProgressView>>,
}

const GOES_ON: u8 = 0;
const PAUSES: u8 = 1;
const STOPS: u8 = 2;

impl Running {
    fn new((turn, Waiting { run, kind, .. }): (u64, Waiting)) -> Running {
        Running {
            run,
            kind,
            turn,
            wish: AtomicU8::new(GOES_ON),
            held: AtomicBool::new(false),
            live: Mutex::default(),
            progress: Mutex::default(),
        }
    }

    /// It is to end for good.
    pub fn stops(&self) -> bool {
        self.wish.load(Ordering::Relaxed) == STOPS
    }

    /// It is to end now, for good or to go on later.
    pub fn pauses(&self) -> bool {
        self.wish.load(Ordering::Relaxed) >= PAUSES
    }

    /// As it waits again.
    pub fn again(&self) -> Waiting {
        Waiting { run: self.run, kind: self.kind, held: self.held.load(Ordering::Relaxed) }
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

/// What waits and what is worked on, changed together: a run is always in one of the two until it ends.
#[derive(Default)]
pub struct Queue {
    /// In the order of their turns.
    waiting: Vec<(u64, Waiting)>,
    last: u64,
    pub running: Option<Arc<Running>>,
}

impl Queue {
    /// A run waits, behind those of its kind.
    pub fn add(&mut self, waiting: Waiting) {
        self.last += 1;
        self.waiting.push((self.last, waiting));
        if waiting.kind == RunKind::Proof
            && let Some(running) = self.running.as_ref().filter(|running| running.kind == RunKind::Final)
        {
            running.wishes(PAUSES);
        }
    }

    /// The run that was worked on ends, or waits again at the turn that it had.
    pub fn put_back(&mut self, again: Option<Waiting>) {
        let turn = self.running.take().map_or(0, |running| running.turn);
        self.waiting.extend(again.map(|waiting| (turn, waiting)));
        self.waiting.sort_by_key(|(turn, _)| *turn);
    }

    /// Takes the next run to work on.
    pub fn next(&mut self) -> Option<Arc<Running>> {
        let first = |kind| self.waiting.iter().position(|(_, waiting)| waiting.kind == kind && !waiting.held);
        let at = first(RunKind::Proof).or_else(|| first(RunKind::Final))?;
        self.running = Some(Arc::new(Running::new(self.waiting.remove(at))));
        self.running.clone()
    }

    /// Stops the running bake, or takes a waiting one out of the queue.
    pub fn stop(&mut self, run: i64) -> Stopped {
        if let Some(running) = self.running.as_ref().filter(|running| running.run == run) {
            running.wishes(STOPS);
            return Stopped::Soon;
        }
        let before = self.waiting.len();
        self.waiting.retain(|(_, waiting)| waiting.run != run);
        if self.waiting.len() < before { Stopped::InQueue } else { Stopped::Not }
    }

    /// Holds a run, or lets it go on; false when it neither waits nor runs.
    pub fn hold(&mut self, run: i64, held: bool) -> bool {
        if let Some(running) = self.running.as_ref().filter(|running| running.run == run) {
            running.held.store(held, Ordering::Relaxed);
            if held {
                running.wishes(PAUSES);
            }
            return true;
        }
        let found = self.waiting.iter_mut().find(|(_, waiting)| waiting.run == run);
        found.map(|(_, waiting)| waiting.held = held).is_some()
    }

    /// Puts runs that wait into this order, in the places that they have now.
    pub fn order(&mut self, order: &[i64]) {
        let named: Vec<Waiting> =
            order.iter().filter_map(|run| self.waiting.iter().find(|(_, w)| w.run == *run)).map(|(_, w)| *w).collect();
        let places = self.waiting.iter_mut().filter(|(_, waiting)| order.contains(&waiting.run));
        places.zip(named).for_each(|((_, place), waiting)| *place = waiting);
    }

    /// Runs that wait, in the order they are worked on but for those that are held.
    pub fn waiting(&self) -> Vec<i64> {
        let of = |kind| self.waiting.iter().map(|(_, w)| w).filter(move |w| w.kind == kind).map(|w| w.run);
        of(RunKind::Proof).chain(of(RunKind::Final)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use RunKind::{Final, Proof};

    fn with(runs: &[(i64, RunKind)]) -> Queue {
        let mut queue = Queue::default();
        runs.iter().for_each(|(run, kind)| queue.add(Waiting { run: *run, kind: *kind, held: false }));
        queue
    }

    fn next(queue: &mut Queue) -> Option<i64> {
        queue.next().map(|running| running.run)
    }

    #[test]
    fn proofs_go_first_and_finals_in_their_order() {
        let mut queue = with(&[(1, Final), (2, Proof), (3, Final), (4, Proof)]);
        assert_eq!(queue.waiting(), [2, 4, 1, 3]);
        queue.order(&[3, 1, 99, 3]);
        assert_eq!(queue.waiting(), [2, 4, 3, 1]);
        assert_eq!([0; 5].map(|_| next(&mut queue)), [Some(2), Some(4), Some(3), Some(1), None]);
    }

    #[test]
    fn a_final_makes_room_for_a_proof_and_is_next_again() {
        let mut queue = with(&[(1, Final), (2, Final)]);
        let running = queue.next().expect("one waits");
        assert!(running.run == 1 && !running.pauses());
        queue.add(Waiting { run: 3, kind: Final, held: false });
        assert!(!running.pauses(), "another final waits");
        queue.add(Waiting { run: 4, kind: Proof, held: false });
        assert!(running.pauses() && !running.stops());
        queue.put_back(Some(running.again()));
        assert_eq!([0; 5].map(|_| next(&mut queue)), [Some(4), Some(1), Some(2), Some(3), None]);
        // A proof makes room for nothing.
        let mut queue = with(&[(5, Proof)]);
        let running = queue.next().expect("one waits");
        queue.add(Waiting { run: 6, kind: Proof, held: false });
        assert!(!running.pauses());
        // A stop is for good, whatever else is wished.
        assert_eq!(queue.stop(5), Stopped::Soon);
        assert!(queue.hold(5, true) && running.stops());
        assert_eq!((queue.stop(6), queue.stop(6)), (Stopped::InQueue, Stopped::Not));
    }

    #[test]
    fn what_is_held_waits_and_holds_up_nothing() {
        let mut queue = with(&[(1, Final), (2, Final)]);
        assert!(queue.hold(1, true) && !queue.hold(7, true));
        let running = queue.next().expect("one is not held");
        assert_eq!(running.run, 2);
        // One that runs pauses, and waits held.
        assert!(queue.hold(2, true) && running.pauses());
        queue.put_back(Some(running.again()));
        assert_eq!((next(&mut queue), queue.waiting()), (None, vec![1, 2]), "at the turn it had");
        queue.hold(1, false);
        assert_eq!(next(&mut queue), Some(1));
    }
}
