//! One budget for everything that is held in memory to be asked again: meshes, scenes, what proofs left for the next, pictures, answers ready
//! to send. What was used longest ago goes first. Equal questions that come at once are worked out once.

use crate::fault::{Fault, Result};
use crate::locked;
use rocket::http::Status;
use std::any::Any;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// Bytes that something takes in memory now; scenes grow while they are used.
pub trait Held: Any + Send + Sync {
    fn held(&self) -> u64;
}

impl Held for Vec<u8> {
    fn held(&self) -> u64 {
        self.len() as u64
    }
}

impl Held for ember_ridge_core::Mesh {
    fn held(&self) -> u64 {
        self.bytes() as u64
    }
}

impl Held for ember_ridge_core::scene::BakeScene {
    fn held(&self) -> u64 {
        self.bytes() as u64
    }
}

impl Held for ember_ridge_core::bake::KeptTiles {
    fn held(&self) -> u64 {
        self.bytes() as u64
    }
}

impl Held for ember_ridge_core::picture::Image {
    fn held(&self) -> u64 {
        self.bytes()
    }
}

impl Held for Vec<ember_ridge_core::sheet::Coverage> {
    fn held(&self) -> u64 {
        self.iter().map(|sheet| sheet.bytes() as u64).sum()
    }
}

impl Held for Vec<Vec<ember_ridge_core::bake::Mixing>> {
    fn held(&self) -> u64 {
        self.iter().map(|level| level.len() as u64).sum()
    }
}

impl Held for ember_ridge_core::mend::MendedTiles {
    fn held(&self) -> u64 {
        self.values().map(|tile| 4 * tile.len() as u64).sum()
    }
}

impl Held for ember_ridge_core::document::Document {
    fn held(&self) -> u64 {
        self.bytes()
    }
}

impl Held for Vec<f32> {
    fn held(&self) -> u64 {
        4 * self.len() as u64
    }
}

impl Held for Vec<Vec<(u32, f32)>> {
    fn held(&self) -> u64 {
        self.iter().map(|row| 4 * row.len() as u64).sum()
    }
}

struct Entry {
    used: u64,
    value: Arc<dyn Held>,
}

/// None until it is worked out.
type Answer = Option<Arc<dyn Held>>;

#[derive(Default)]
struct Shelf {
    clock: u64,
    entries: HashMap<String, Entry>,
    /// The questions that are being worked out, each with its answer for those who wait for it.
    at_work: HashMap<String, Arc<Mutex<Answer>>>,
}

fn as_it_is<T: Held>(value: Arc<dyn Held>) -> Option<Arc<T>> {
    let value: Arc<dyn Any + Send + Sync> = value;
    value.downcast().ok()
}

/// What is held in memory, within a budget.
pub struct Memory {
    most: u64,
    shelf: Mutex<Shelf>,
}

impl Memory {
    /// Holds at most `most` bytes between questions.
    pub fn new(most: u64) -> Memory {
        Memory { most, shelf: Mutex::default() }
    }

    pub fn most(&self) -> u64 {
        self.most
    }

    /// Bytes held now, measured.
    pub fn held(&self) -> u64 {
        locked(&self.shelf).entries.values().map(|e| e.value.held()).sum()
    }

    /// What is in memory under a key.
    pub fn get<T: Held>(&self, key: &str) -> Option<Arc<T>> {
        let mut shelf = locked(&self.shelf);
        shelf.clock += 1;
        let clock = shelf.clock;
        let entry = shelf.entries.get_mut(key)?;
        entry.used = clock;
        as_it_is(entry.value.clone())
    }

    pub fn put<T: Held>(&self, key: &str, value: Arc<T>) {
        let mut shelf = locked(&self.shelf);
        shelf.clock += 1;
        let used = shelf.clock;
        shelf.entries.insert(key.to_owned(), Entry { used, value });
        drop(shelf);
        self.make_room(0);
    }

    /// What is held under a name, or what `make` makes of it now. Others that ask for it meanwhile wait for that.
    ///
    /// # Errors
    /// Those of `make`; nothing is held then.
    pub fn once<T: Held>(&self, key: &str, make: impl FnOnce() -> Result<T>) -> Result<Arc<T>> {
        if let Some(value) = self.get(key) {
            return Ok(value);
        }
        self.together(key, || {
            if let Some(value) = self.get(key) {
                return Ok(value);
            }
            let value = Arc::new(make()?);
            self.put(key, value.clone());
            Ok(value)
        })
    }

    /// What `make` makes, for all who ask for it while it is being made; nothing is held once they have it.
    ///
    /// # Errors
    /// Those of `make`; the next one who waits then tries again.
    pub fn together<T: Held>(&self, key: &str, make: impl FnOnce() -> Result<Arc<T>>) -> Result<Arc<T>> {
        let turn = locked(&self.shelf).at_work.entry(key.to_owned()).or_default().clone();
        let mut answer = locked(&turn);
        let made = match answer.clone().and_then(as_it_is) {
            Some(value) => Ok(value),
            None => make().inspect(|value| *answer = Some(value.clone())),
        };
        drop(answer);
        let mut shelf = locked(&self.shelf);
        // The last one out: nobody else holds the turn.
        if Arc::strong_count(&turn) == 2 {
            shelf.at_work.remove(key);
        }
        made
    }

    /// How many ask a question that is being worked out, with the one that works it out.
    pub fn asking(&self, key: &str) -> usize {
        // The shelf itself holds one.
        locked(&self.shelf).at_work.get(key).map_or(0, |work| Arc::strong_count(work) - 1)
    }

    /// Makes room for reading a file of this many bytes: the bytes, what is made of them, and what that takes on the way.
    ///
    /// # Errors
    /// When the bytes and what is made of them, about as much, are more than the whole budget.
    pub fn room_to_read(&self, file: &str, bytes: u64) -> Result<()> {
        let most = self.most;
        if bytes.saturating_mul(2) > most {
            let [bytes, most] = [bytes, most].map(|b| b.div_ceil(1 << 20));
            return Err(Fault::new(
                Status::PayloadTooLarge,
                format!(
                    "{file}: {bytes} MiB, and reading takes twice that; this server has {most} MiB. Start it with a larger \
                     --memory, or split the file"
                ),
            ));
        }
        self.make_room(3 * bytes);
        Ok(())
    }

    /// Lets go of what was used longest ago until what is held and `more` bytes keep within the budget. What is in use elsewhere
    /// stays in memory until that ends.
    pub fn make_room(&self, more: u64) {
        let mut gone = Vec::new();
        let mut shelf = locked(&self.shelf);
        // What is larger than the whole budget must not drive out everything else first.
        let too_large: Vec<String> =
            shelf.entries.iter().filter(|(_, e)| e.value.held() > self.most).map(|(key, _)| key.clone()).collect();
        gone.extend(too_large.iter().filter_map(|key| shelf.entries.remove(key)));
        let mut held: u64 = shelf.entries.values().map(|e| e.value.held()).sum();
        while held.saturating_add(more) > self.most {
            let oldest = shelf.entries.iter().min_by_key(|(_, e)| e.used).map(|(key, _)| key.clone());
            let Some(entry) = oldest.and_then(|key| shelf.entries.remove(&key)) else { break };
            held = held.saturating_sub(entry.value.held());
            gone.push(entry);
        }
        // Freeing a scene takes a while; others need not wait for it.
        drop(shelf);
    }
}

/// Half of this machine's memory, or 4 GiB where that cannot be told.
pub fn default_budget() -> u64 {
    let text = std::fs::read_to_string("/proc/meminfo").unwrap_or_default();
    let total = text.lines().find_map(|l| l.strip_prefix("MemTotal:")?.trim().strip_suffix(" kB")?.parse::<u64>().ok());
    total.map_or(4 << 30, |kilobytes| kilobytes * 1024 / 2)
}
