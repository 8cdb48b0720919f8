//! What was worked out lately, by what it was worked out for. Whoever asks for something that is in work waits for it; nobody waits
//! for something else.

use crate::stop::Stopped;
use parking_lot::Mutex;
use std::sync::Arc;

type Slot<V> = Arc<Mutex<Option<Arc<V>>>>;

/// At most a few values, the oldest dropped first.
pub struct Few<K, V> {
    most: usize,
    slots: Mutex<Vec<(K, Slot<V>)>>,
}

impl<K: PartialEq, V> Few<K, V> {
    pub fn new(most: usize) -> Few<K, V> {
        Few { most, slots: Mutex::default() }
    }

    /// The value of `key`, made now if it is not there.
    ///
    /// # Errors
    /// What `make` says; the next who asks makes it then.
    pub fn get(&self, key: K, make: impl FnOnce() -> Result<V, Stopped>) -> Result<Arc<V>, Stopped> {
        let slot = {
            let mut slots = self.slots.lock();
            match slots.iter().find(|(known, _)| *known == key) {
                Some((_, slot)) => slot.clone(),
                None => {
                    let slot = Slot::default();
                    slots.push((key, slot.clone()));
                    if slots.len() > self.most {
                        slots.remove(0);
                    }
                    slot
                }
            }
        };
        let mut value = slot.lock();
        if let Some(value) = &*value {
            return Ok(value.clone());
        }
        let made = Arc::new(make()?);
        *value = Some(made.clone());
        Ok(made)
    }

    /// Puts in a value that was made elsewhere.
    pub fn put(&self, key: K, value: V) {
        // What cannot be stopped is made.
        let _ = self.get(key, || Ok(value));
    }

    /// All that is ready, with what it was made for; what is in work is not waited for.
    pub fn entries(&self) -> Vec<(K, Arc<V>)>
    where
        K: Clone,
    {
        self.slots.lock().iter().filter_map(|(key, slot)| Some((key.clone(), slot.try_lock()?.clone()?))).collect()
    }

    /// All that is ready; what is in work is not waited for.
    pub fn ready(&self) -> Vec<Arc<V>> {
        self.slots.lock().iter().filter_map(|(_, slot)| slot.try_lock()?.clone()).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};
    use std::sync::mpsc;

    #[test]
    fn one_is_made_once_while_others_are_had() {
        let few: Few<u32, u32> = Few::new(2);
        let made = AtomicUsize::new(0);
        let (begun, wait_begun) = mpsc::channel();
        let (go, wait_go) = mpsc::channel::<()>();
        std::thread::scope(|scope| {
            let first = scope.spawn(|| {
                few.get(1, move || {
                    begun.send(()).expect("somebody listens");
                    wait_go.recv().expect("told to go on");
                    Ok(10)
                })
            });
            wait_begun.recv().expect("it begins");
            // Another is had while the first is in work, and is all that is ready.
            assert_eq!(few.get(2, || Ok(20)), Ok(Arc::new(20)));
            assert_eq!(few.ready(), vec![Arc::new(20)]);
            let second = scope.spawn(|| {
                few.get(1, || {
                    made.fetch_add(1, Ordering::Relaxed);
                    Ok(11)
                })
            });
            go.send(()).expect("it waits");
            assert_eq!(first.join().expect("no panic"), Ok(Arc::new(10)));
            assert_eq!(second.join().expect("no panic"), Ok(Arc::new(10)));
        });
        assert_eq!(made.load(Ordering::Relaxed), 0);
    }

    #[test]
    fn what_was_stopped_is_made_by_the_next_who_asks() {
        let few: Few<u32, u32> = Few::new(1);
        assert_eq!(few.get(1, || Err(Stopped)), Err(Stopped));
        assert_eq!(few.get(1, || Ok(3)), Ok(Arc::new(3)));
        assert_eq!(few.get(2, || Ok(4)), Ok(Arc::new(4)));
        assert_eq!(few.get(1, || Ok(5)), Ok(Arc::new(5)), "the oldest was dropped");
    }
}
