//! Places by example: what separates is found, the simplest comes first, and what nothing separates is told.

use ember_ridge_core::finish::*;
use ember_ridge_core::surface::Axis;

const PLACES: usize = 4096;

fn wander(n: usize, step: f64) -> f32 {
    (n as f64 * step).fract() as f32
}

/// A signal that is `value` of two numbers at each place, and at the examples.
fn candidate(signal: Signal, value: impl Fn(f32, f32) -> f32, examples: &[[f32; 2]]) -> Candidate {
    let at = |n: usize| value(wander(n, 0.754_877_666), wander(n, 0.569_840_29));
    Candidate {
        signal,
        at_examples: examples.iter().map(|e| value(e[0], e[1])).collect(),
        on_surface: (1..=PLACES).map(at).collect(),
    }
}

fn facing(axis: usize) -> Signal {
    let mut direction = [0.0; 3];
    direction[axis] = 1.0;
    Signal::Facing { direction }
}

#[test]
fn one_signal_that_separates_is_the_first_proposal() {
    let examples = [[0.9, 0.1], [0.85, 0.8], [0.95, 0.5], [0.4, 0.5], [0.1, 0.2]];
    let wanted = [true, true, true, false, false];
    let candidates = [
        candidate(facing(0), |_, b| 2.0 * b - 1.0, &examples),
        candidate(Signal::Curvature { size: 0.1 }, |a, _| 2.0 * a - 1.0, &examples),
        candidate(Signal::Height { axis: Axis::Y }, |a, b| a * b, &examples),
    ];
    let found = propose(&candidates, &wanted);
    assert_eq!(found.len(), 3);
    let first = &found[0];
    assert_eq!(first.place.terms.len(), 1);
    assert_eq!(first.place.terms[0].signal, Signal::Curvature { size: 0.1 });
    assert_eq!((first.explained, first.examples, first.missed.len()), (5, 5, 0));
    // Between the last example that is in, 0.7, and the first that is not, -0.2.
    let [full, half] =
        [first.place.terms[0].from[1], 0.5 * (first.place.terms[0].from[0] + first.place.terms[0].from[1])];
    assert!((-0.2..0.7).contains(&half) && full <= 0.7 + 1e-5, "{:?}", first.place);
    assert!(found.windows(2).all(|pair| pair[0].place.terms.len() <= pair[1].place.terms.len()));
    assert!((first.covers - (1.0 - (half + 1.0) / 2.0)).abs() < 0.03, "{first:?}");
}

#[test]
fn two_signals_are_combined_where_one_does_not_do() {
    // In where both are high; out where only one is.
    let examples = [[0.9, 0.9], [0.8, 0.95], [0.95, 0.8], [0.9, 0.1], [0.85, 0.3], [0.1, 0.9], [0.2, 0.85]];
    let wanted = [true, true, true, false, false, false, false];
    let candidates = [
        candidate(facing(0), |a, _| 2.0 * a - 1.0, &examples),
        candidate(Signal::Occlusion { distance: 1.0 }, |_, b| b, &examples),
        candidate(Signal::Height { axis: Axis::X }, |a, b| (a * 31.0 + b * 17.0).fract(), &examples),
    ];
    let found = propose(&candidates, &wanted);
    let best = found.iter().max_by_key(|p| p.explained).expect("proposals");
    assert_eq!((best.explained, best.place.terms.len()), (7, 2), "{found:#?}");
    assert!((0.1..0.4).contains(&best.covers), "{}", best.covers);
    assert!(best.sentence.contains("Facing +X") && best.sentence.contains("more open than"), "{}", best.sentence);
}

#[test]
fn contradictory_examples_are_not_explained() {
    let examples = [[0.5, 0.5], [0.5, 0.5], [0.9, 0.2]];
    let candidates = [
        candidate(facing(0), |a, _| 2.0 * a - 1.0, &examples),
        candidate(Signal::Occlusion { distance: 1.0 }, |_, b| b, &examples),
    ];
    let found = propose(&candidates, &[true, false, false]);
    assert!(!found.is_empty());
    assert!(found.iter().all(|p| p.explained < 3 && !p.missed.is_empty()), "{found:#?}");
}

#[test]
fn without_a_place_that_is_wanted_there_is_nothing_to_propose() {
    let candidates = [candidate(facing(0), |a, _| a, &[[0.1, 0.2]])];
    assert!(propose(&candidates, &[false]).is_empty());
    assert!(propose(&[], &[true]).is_empty());
}
