//! What a run tells while it is worked on, and how it hears that it is to end.

use super::queue::Running;
use crate::api::{Event, MapTime, ProgressView};
use crate::keep::map_key;
use crate::{App, locked};
use ember_ridge_core::bake::{Canvas, Outcome, Preview, SoFar, Watch};
use ember_ridge_formats::job::Status;
use ember_ridge_store::Run;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Least time between two progress events, and between two live pictures, in seconds.
const EVENT_EVERY: f64 = 0.12;
/// Live pictures take at most one part in so many of a thread's time.
const PICTURE_SHARE: f64 = 20.0;
/// The share of the tiles that has to be done before the time left can be told.
const SHARE_TO_TELL: f64 = 0.03;

pub struct JobWatch<'a> {
    app: &'a App,
    job: &'a Run,
    running: &'a Running,
    began: f64,
    /// When the last event went out, and when the first tile was begun, as the bits of a time.
    last: AtomicU64,
    baking: AtomicU64,
    /// When the next live pictures are due, likewise.
    pictured: AtomicU64,
    writing: AtomicBool,
}

impl<'a> JobWatch<'a> {
    pub fn new(app: &'a App, job: &'a Run, running: &'a Running) -> JobWatch<'a> {
        let began = app.jobs.started.elapsed().as_secs_f64();
        JobWatch {
            app,
            job,
            running,
            began,
            last: AtomicU64::new(0),
            baking: AtomicU64::new(0),
            pictured: AtomicU64::new(0),
            writing: AtomicBool::new(false),
        }
    }

    /// Tells of a stage; false when the run was stopped, and the stage need not begin.
    pub fn begins(&self, stage: &str) -> bool {
        self.send(stage, 0.0, None, None);
        !self.stopped()
    }

    /// Tiles are done and files are written: that is not paused for a proof, as it would begin anew.
    pub fn writes(&self) {
        self.writing.store(true, Ordering::Relaxed);
        self.send("writing", 1.0, None, None);
    }

    fn send(&self, stage: &str, share: f32, left: Option<f32>, so_far: Option<&SoFar>) {
        let spent = so_far.map(|so_far| so_far.ray_seconds + so_far.map_seconds.iter().sum::<f64>());
        let maps = so_far.into_iter().flat_map(|so_far| self.job.recipe.maps.iter().zip(&so_far.map_seconds));
        let maps = maps.map(|(map, seconds)| MapTime {
            map: map.key(),
            share: (seconds / spent.unwrap_or(0.0).max(f64::MIN_POSITIVE)) as f32,
        });
        let baking = self.now() - f64::from_bits(self.baking.load(Ordering::Relaxed));
        let view = ProgressView {
            asset: self.job.line.asset,
            run: self.job.line.id,
            kind: self.job.line.kind,
            stage: stage.to_owned(),
            share,
            elapsed: (self.now() - self.began) as f32,
            left,
            rays_per_second: so_far.filter(|s| s.rays > 0).map(|s| (s.rays as f64 / baking.max(1e-3)) as f32),
            maps: maps.collect(),
        };
        *locked(&self.running.progress) = Some(view.clone());
        self.app.jobs.tell(Event::Progress(view));
    }

    /// A cluster is at work.
    pub fn far(&self, stage: &str, status: &Status) {
        let share = status.done as f32 / status.tiles.max(1) as f32;
        self.send(stage, share, status.seconds_left.map(|left| left as f32), None);
    }

    /// A coarse bake is there to be looked at, before the bake itself is planned.
    pub fn sees(&self, first: &Outcome) {
        self.picture(first.sheets.len(), |sheet, map| first.preview(sheet, map));
        let none = SoFar { map_seconds: vec![0.0; self.job.recipe.maps.len()], ..SoFar::default() };
        self.send("baking", 0.0, None, Some(&none));
    }

    /// Makes the live pictures.
    fn picture(&self, sheets: usize, look: impl Fn(usize, &str) -> Option<Preview>) {
        for sheet in 0..sheets {
            for map in &self.job.recipe.maps {
                if let Some(picture) = look(sheet, &map.key()) {
                    locked(&self.running.live).insert(map_key(&map.key(), sheet), picture);
                }
            }
        }
    }
}

impl Watch for JobWatch<'_> {
    fn now(&self) -> f64 {
        self.app.jobs.started.elapsed().as_secs_f64()
    }

    fn thread_seconds(&self) -> f64 {
        ember_ridge_formats::job::thread_seconds()
    }

    fn stopped(&self) -> bool {
        self.running.stops() || self.running.pauses() && !self.writing.load(Ordering::Relaxed)
    }

    fn tile_done(&self, so_far: &SoFar, canvas: &Canvas) {
        let (now, last) = (self.now(), self.last.load(Ordering::Relaxed));
        let _ = self.baking.compare_exchange(0, now.to_bits(), Ordering::Relaxed, Ordering::Relaxed);
        if now - f64::from_bits(last) < EVENT_EVERY {
            return;
        }
        // One thread takes the turn; the others bake on.
        if self.last.compare_exchange(last, now.to_bits(), Ordering::Relaxed, Ordering::Relaxed).is_err() {
            return;
        }
        if now >= f64::from_bits(self.pictured.load(Ordering::Relaxed)) {
            self.picture(canvas.sheets(), |sheet, map| canvas.preview(sheet, map));
            let took = self.now() - now;
            self.pictured.store((now + PICTURE_SHARE * took).to_bits(), Ordering::Relaxed);
        }
        let own = (so_far.done - so_far.taken_over) as f64;
        let open = (so_far.all - so_far.done) as f64;
        let since = now - f64::from_bits(self.baking.load(Ordering::Relaxed));
        let left = (own > SHARE_TO_TELL * (own + open)).then(|| (since * open / own) as f32);
        self.send("baking", so_far.done as f32 / so_far.all.max(1) as f32, left, Some(so_far));
    }
}
