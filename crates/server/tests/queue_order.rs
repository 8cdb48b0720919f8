//! The queue by itself: proofs go before finals, a final makes room and is next again, and what is held or with a cluster holds up nothing.

use ember_ridge_server::parts::{Queue, Queued, Stopped};
use ember_ridge_store::RunKind::{self, Final, Proof};

fn with(runs: &[(i64, RunKind)]) -> Queue {
    let mut queue = Queue::default();
    runs.iter().for_each(|(run, kind)| queue.add(Queued { run: *run, kind: *kind, held: false, away: false }));
    queue
}

/// Works the queue off: each run to its end.
fn worked_off(queue: &mut Queue) -> Vec<i64> {
    std::iter::from_fn(|| {
        let run = queue.take_next()?.run;
        assert!(queue.put_back(false));
        Some(run)
    })
    .collect()
}

#[test]
fn proofs_go_first_and_finals_in_their_order() {
    let mut queue = with(&[(1, Final), (2, Proof), (3, Final), (4, Proof)]);
    assert_eq!(queue.listed(), [2, 4, 1, 3]);
    queue.order(&[3, 1, 99, 3]);
    assert_eq!(queue.listed(), [2, 4, 3, 1]);
    assert_eq!(worked_off(&mut queue), [2, 4, 3, 1]);
    assert!(queue.listed().is_empty());
}

#[test]
fn a_final_makes_room_for_a_proof_and_is_next_again() {
    let mut queue = with(&[(1, Final), (2, Final)]);
    let running = queue.take_next().expect("one waits");
    assert!(running.run == 1 && !running.pauses());
    queue.add(Queued { run: 3, kind: Final, held: false, away: false });
    assert!(!running.pauses(), "another final waits");
    queue.add(Queued { run: 4, kind: Proof, held: false, away: false });
    assert!(running.pauses() && !running.stops());
    assert_eq!(queue.listed(), [1, 4, 2, 3]);
    assert!(queue.put_back(true));
    assert_eq!(worked_off(&mut queue), [4, 1, 2, 3]);
    // A proof makes room for nothing, and a stop is for good, whatever else is wished.
    let mut queue = with(&[(5, Proof)]);
    let running = queue.take_next().expect("one waits");
    queue.add(Queued { run: 6, kind: Proof, held: false, away: false });
    assert!(!running.pauses());
    assert_eq!(queue.stop(5), Stopped::Soon);
    assert!(queue.hold(5, true) && running.stops());
    assert_eq!((queue.stop(6), queue.stop(6)), (Stopped::InQueue, Stopped::Not));
    // One that pauses and is stopped before it waits again does not wait again.
    assert!(!queue.put_back(true));
    assert!(queue.listed().is_empty() && queue.put_back(false));
}

#[test]
fn what_is_held_waits_and_holds_up_nothing() {
    let mut queue = with(&[(1, Final), (2, Final)]);
    assert!(queue.hold(1, true) && !queue.hold(7, true));
    let running = queue.take_next().expect("one is not held");
    assert_eq!(running.run, 2);
    // One that runs pauses, and waits held at its place; an order that comes meanwhile counts for it too.
    assert!(queue.hold(2, true) && running.pauses());
    queue.order(&[2, 1]);
    assert!(queue.put_back(true) && queue.take_next().is_none());
    assert_eq!(queue.listed(), [2, 1]);
    queue.hold(1, false);
    assert_eq!(worked_off(&mut queue), [1]);
}

#[test]
fn what_is_with_a_cluster_makes_room_for_all_that_is_made_here() {
    let mut queue = with(&[(1, Final), (2, Final)]);
    let running = queue.take_next().expect("one waits");
    assert!(running.run == 1 && !running.pauses(), "it is split here first");
    queue.away(1, true);
    assert!(running.pauses() && queue.put_back(true));
    assert_eq!(queue.listed(), [1, 2], "its place stays");
    // While nothing else is to be done, its tasks are waited for; what comes then goes first.
    assert_eq!(queue.take_next().expect("one waits").run, 2);
    assert_eq!(queue.overtaken(), [1]);
    assert!(queue.put_back(false) && queue.overtaken().is_empty());
    let waits = queue.take_next().expect("one waits");
    assert!(waits.run == 1 && !waits.pauses());
    queue.add(Queued { run: 3, kind: Final, held: true, away: false });
    assert!(!waits.pauses(), "what is held wants no room");
    queue.hold(3, false);
    assert!(waits.pauses() && queue.put_back(true));
    // Of two that are away the first is waited for, and one that is back goes on at its place.
    assert_eq!(queue.take_next().expect("one waits").run, 3);
    queue.away(3, true);
    assert!(queue.put_back(true));
    assert_eq!(queue.take_next().expect("one waits").run, 1);
    queue.add(Queued { run: 4, kind: Final, held: false, away: false });
    assert!(queue.put_back(true));
    queue.away(3, false);
    assert_eq!(worked_off(&mut queue), [3, 4, 1]);
    // One that is held is called back: let go on, it is to be sent again.
    let mut queue = with(&[(1, Final), (2, Final)]);
    queue.take_next().expect("one waits");
    queue.away(1, true);
    queue.hold(1, true);
    queue.away(1, true);
    assert!(queue.put_back(true));
    queue.hold(1, false);
    assert_eq!(worked_off(&mut queue), [1, 2]);
}
