//! What is held in memory between requests: what was used longest ago goes first, and equal questions are worked out once.

use ember_ridge_server::parts::{Fault, Memory};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

type Result<T> = std::result::Result<T, Fault>;

#[test]
fn what_was_used_longest_ago_goes_first() {
    let memory = Memory::new(100);
    for name in ["a", "b", "c"] {
        memory.put(name, Arc::new(vec![0u8; 30]));
    }
    assert!(memory.get::<Vec<u8>>("a").is_some(), "which makes it the one used last");
    memory.put("d", Arc::new(vec![0u8; 30]));
    let there = |name: &str| memory.get::<Vec<u8>>(name).is_some();
    assert_eq!(["a", "b", "c", "d"].map(there), [true, false, true, true]);
    memory.put("huge", Arc::new(vec![0u8; 101]));
    assert_eq!((there("huge"), memory.held()), (false, 90), "what does not fit is not held, and drives nothing out");
    memory.make_room(100);
    assert_eq!(memory.held(), 0);
}

/// Eight ask at once; the one that works it out does not end before the other seven have come. How often it was worked out.
fn eight_ask(memory: &Memory, ask: impl Fn(&AtomicUsize, &dyn Fn()) -> Result<Arc<Vec<u8>>> + Sync) -> usize {
    let made = AtomicUsize::new(0);
    let all_wait = || {
        while memory.asking("q") < 8 {
            std::thread::yield_now();
        }
    };
    std::thread::scope(|scope| {
        for _ in 0..8 {
            scope.spawn(|| assert_eq!(*ask(&made, &all_wait).expect("made"), [7]));
        }
    });
    assert_eq!(memory.asking("q"), 0);
    made.into_inner()
}

#[test]
fn equal_questions_are_worked_out_once() {
    let memory = Memory::new(1000);
    let make = |made: &AtomicUsize, all_wait: &dyn Fn()| {
        made.fetch_add(1, Ordering::Relaxed);
        all_wait();
        vec![7u8]
    };
    assert_eq!(eight_ask(&memory, |made, all_wait| memory.together("q", || Ok(Arc::new(make(made, all_wait))))), 1);
    assert_eq!(memory.held(), 0, "and nothing of it is held");
    assert_eq!(eight_ask(&memory, |made, all_wait| memory.once("q", || Ok(make(made, all_wait)))), 1);
    assert_eq!(memory.held(), 1);
    // A failure is not held: the next one tries again.
    assert!(memory.once::<Vec<u8>>("f", || Err(Fault::missing("luck"))).is_err());
    assert!(memory.once("f", || Ok(vec![1u8])).is_ok());
}
