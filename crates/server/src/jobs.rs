//! Bakes as jobs: one at a time, proofs before finals, each outliving the page that asked for it. Progress goes out as events.

use crate::App;
use crate::api::{Event, ProgressView};
use crate::fault::{Fault, Result, aside};
use crate::keep::{Baked, keep_maps, map_key};
use ember_ridge_core::bake::{Canvas, Ended, Plan, Preview, Watch, run_into};
use ember_ridge_formats::files::spool_for;
use ember_ridge_store::{Run, RunKind, RunStatus};
use std::collections::{HashMap, VecDeque};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Instant;
use tokio::sync::{Notify, broadcast};

/// Least time between two progress events, and between two live pictures, in seconds.
const EVENT_EVERY: f64 = 0.12;

pub struct Jobs {
    waiting: Mutex<VecDeque<(i64, RunKind)>>,
    wake: Notify,
    running: Mutex<Option<Arc<Running>>>,
    pub events: broadcast::Sender<Event>,
    started: Instant,
}

struct Running {
    run: i64,
    stop: AtomicBool,
    live: Mutex<HashMap<String, Preview>>,
    progress: Mutex<Option<ProgressView>>,
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Jobs {
    pub fn new(started: Instant) -> Jobs {
        Jobs {
            waiting: Mutex::default(),
            wake: Notify::new(),
            running: Mutex::default(),
            events: broadcast::channel(256).0,
            started,
        }
    }

    pub fn tell(&self, event: Event) {
        // Nobody listening is no fault.
        let _ = self.events.send(event);
    }

    /// Queues a run that is in the ledger already. Proofs go before finals.
    pub fn add(&self, run: i64, kind: RunKind) {
        let mut waiting = locked(&self.waiting);
        let place = match kind {
            RunKind::Proof => waiting.iter().position(|(_, k)| *k == RunKind::Final).unwrap_or(waiting.len()),
            RunKind::Final => waiting.len(),
        };
        waiting.insert(place, (run, kind));
        self.wake.notify_one();
    }

    /// Stops a running bake, or takes a waiting one out of the queue. True when it was waiting.
    pub fn stop(&self, run: i64) -> bool {
        if let Some(running) = &*locked(&self.running)
            && running.run == run
        {
            running.stop.store(true, Ordering::Relaxed);
            return false;
        }
        let mut waiting = locked(&self.waiting);
        let before = waiting.len();
        waiting.retain(|(id, _)| *id != run);
        waiting.len() < before
    }

    /// The live picture of a map of the running bake.
    pub fn live(&self, run: i64, map: &str) -> Option<Preview> {
        let running = locked(&self.running).clone().filter(|r| r.run == run)?;
        locked(&running.live).get(map).cloned()
    }

    /// Progress of the running bake, for a page that has just opened.
    pub fn progress(&self) -> Option<ProgressView> {
        let running = locked(&self.running).clone()?;
        locked(&running.progress).clone()
    }
}

/// Starts the task that works the queue off, for as long as the program runs.
pub fn start_worker(app: Arc<App>) {
    tokio::spawn(async move {
        loop {
            let next = locked(&app.jobs.waiting).pop_front();
            match next {
                None => app.jobs.wake.notified().await,
                Some((id, _)) => work_on(&app, id).await,
            }
        }
    });
}

async fn work_on(app: &Arc<App>, id: i64) {
    let Ok(run) = app.store.run(id).await else { return };
    let asset = run.asset;
    let running =
        Arc::new(Running { run: id, stop: AtomicBool::new(false), live: Mutex::default(), progress: Mutex::default() });
    *locked(&app.jobs.running) = Some(running.clone());
    let _ = app.store.set_run_status(id, RunStatus::Running, None).await;
    app.jobs.tell(Event::Asset { asset });

    let (app_there, running_there) = (app.clone(), running.clone());
    let baked = aside(move || bake(&app_there, &run, &running_there)).await;
    let kept = match baked {
        Ok(Some((report, files))) => app.store.finish_run(id, &report, &files).await.map_err(Fault::from),
        Ok(None) => app.store.set_run_status(id, RunStatus::Stopped, None).await.map_err(Fault::from),
        Err(fault) => Err(fault),
    };
    if let Err(fault) = kept {
        let _ = app.store.set_run_status(id, RunStatus::Failed, Some(fault.text())).await;
    }
    *locked(&app.jobs.running) = None;
    app.jobs.tell(Event::Ended { run: id });
    app.jobs.tell(Event::Asset { asset });
}

/// The bake itself; None when it was stopped.
fn bake(app: &App, job: &Run, running: &Running) -> Result<Option<Baked>> {
    let watch =
        JobWatch { app, job, running, began: app.jobs.started.elapsed().as_secs_f64(), last: AtomicU64::new(0) };
    let scene = match app.scene(&job.recipe, &|stage| watch.begins(stage)) {
        Err(_) if watch.stopped() => return Ok(None),
        scene => scene?,
    };
    if !watch.begins("planning") {
        return Ok(None);
    }
    let plan = Plan::timed(&job.recipe, &scene, &|| watch.now()).map_err(|f| Fault::unusable(f.to_string()))?;
    let plan = plan.keeping();
    let spool = spool_for(plan.spool_bytes(), app.store.blobs.folder())?;
    let outcome = match run_into(&plan, 0, &watch, spool) {
        Ok(outcome) => outcome,
        Err(Ended::Stopped) => return Ok(None),
        Err(fault @ Ended::Spool(_)) => return Err(Fault::unusable(fault.to_string())),
    };
    watch.send("writing", 1.0, None);
    let kept = keep_maps(app, job, outcome, &|| watch.stopped())?;
    Ok((!watch.stopped()).then_some(kept))
}

struct JobWatch<'a> {
    app: &'a App,
    job: &'a Run,
    running: &'a Running,
    began: f64,
    /// When the last event went out, as the bits of a time.
    last: AtomicU64,
}

impl JobWatch<'_> {
    /// Tells of a stage; false when the run was stopped, and the stage need not begin.
    fn begins(&self, stage: &str) -> bool {
        self.send(stage, 0.0, None);
        !self.stopped()
    }

    fn send(&self, stage: &str, share: f32, left: Option<f32>) {
        let elapsed = (self.now() - self.began) as f32;
        let view =
            ProgressView { asset: self.job.asset, run: self.job.id, stage: stage.to_owned(), share, elapsed, left };
        *locked(&self.running.progress) = Some(view.clone());
        self.app.jobs.tell(Event::Progress(view));
    }
}

impl Watch for JobWatch<'_> {
    fn now(&self) -> f64 {
        self.app.jobs.started.elapsed().as_secs_f64()
    }

    fn stopped(&self) -> bool {
        self.running.stop.load(Ordering::Relaxed)
    }

    fn tile_done(&self, done: usize, all: usize, canvas: &Canvas) {
        let (now, last) = (self.now(), self.last.load(Ordering::Relaxed));
        if now - f64::from_bits(last) < EVENT_EVERY {
            return;
        }
        // One thread takes the turn; the others bake on.
        if self.last.compare_exchange(last, now.to_bits(), Ordering::Relaxed, Ordering::Relaxed).is_err() {
            return;
        }
        for sheet in 0..canvas.sheets() {
            for map in &self.job.recipe.maps {
                if let Some(picture) = canvas.preview(sheet, map.id()) {
                    locked(&self.running.live).insert(map_key(map.id(), sheet), picture);
                }
            }
        }
        let share = done as f32 / all.max(1) as f32;
        let elapsed = now - self.began;
        let left = (share > 0.05).then(|| (elapsed * f64::from(1.0 / share - 1.0)) as f32);
        self.send("baking", share, left);
    }
}
