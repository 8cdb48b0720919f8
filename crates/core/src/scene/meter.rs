//! How far long measuring over a scene has come, for whoever waits for it.

use parking_lot::Mutex;

/// Counts the work of the tasks that are under way, in units of their own choosing: about what reading one place takes.
#[derive(Default)]
pub struct Meter {
    counts: Mutex<Counts>,
}

#[derive(Default)]
struct Counts {
    tasks: usize,
    all: u64,
    done: u64,
}

/// A task that a [`Meter`] counts until it is dropped.
pub struct Metered<'a> {
    meter: &'a Meter,
}

impl Meter {
    /// Begins a task of about so much work.
    pub fn begin(&self, work: u64) -> Metered<'_> {
        let mut counts = self.counts.lock();
        counts.tasks += 1;
        counts.all += work;
        Metered { meter: self }
    }

    /// So much of the tasks under way is done. Work that no task announced does not count.
    pub fn did(&self, work: u64) {
        let mut counts = self.counts.lock();
        counts.done = (counts.done + work).min(counts.all);
    }

    /// Share of all announced work that is done, 0 to 1; none while no task is under way.
    pub fn share(&self) -> Option<f32> {
        let counts = self.counts.lock();
        (counts.tasks > 0 && counts.all > 0).then(|| (counts.done as f64 / counts.all as f64) as f32)
    }
}

impl Drop for Metered<'_> {
    fn drop(&mut self) {
        let mut counts = self.meter.counts.lock();
        counts.tasks -= 1;
        if counts.tasks == 0 {
            *counts = Counts::default();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_are_of_what_is_announced_and_end_with_the_last_task() {
        let meter = Meter::default();
        assert_eq!(meter.share(), None);
        let first = meter.begin(100);
        meter.did(25);
        assert_eq!(meter.share(), Some(0.25));
        let second = meter.begin(100);
        assert_eq!(meter.share(), Some(0.125));
        meter.did(1000);
        assert_eq!(meter.share(), Some(1.0));
        drop(first);
        assert_eq!(meter.share(), Some(1.0));
        drop(second);
        assert_eq!(meter.share(), None);
        meter.did(5);
        let _third = meter.begin(10);
        assert_eq!(meter.share(), Some(0.0));
    }
}
