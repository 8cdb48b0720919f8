//! Bakes as jobs: one at a time, proofs before finals, each outliving the page that asked for it. Progress goes out as events.

use crate::api::{Event, ProgressView};
use crate::fault::{Fault, Result, aside};
use crate::keep::{Baked, keep_maps, map_key};
use crate::{App, locked};
use ember_ridge_core::bake::{Canvas, Ended, Plan, PlanFault, Preview, Watch, run_into};
use ember_ridge_core::hits::HitStore;
use ember_ridge_formats::files::spool_for;
use ember_ridge_formats::hits::ShelfRun;
use ember_ridge_store::{Naming, Run, RunKind, RunStatus};
use rocket::http::Status;
use std::collections::{HashMap, VecDeque};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use tokio::sync::{Notify, broadcast};

/// Least time between two progress events, and between two live pictures, in seconds.
const EVENT_EVERY: f64 = 0.12;

pub struct Jobs {
    queue: Mutex<Queue>,
    wake: Arc<Notify>,
    pub events: broadcast::Sender<Event>,
    started: Instant,
    /// How runs ended that the database could not be told of, such as for want of room; it is told as soon as it can be.
    untold: Mutex<HashMap<i64, (RunStatus, String)>>,
}

/// What waits and what is worked on, changed together: a run is always in one of the two until it ends.
#[derive(Default)]
struct Queue {
    waiting: VecDeque<(i64, RunKind)>,
    running: Option<Arc<Running>>,
}

struct Running {
    run: i64,
    stop: AtomicBool,
    live: Mutex<HashMap<String, Preview>>,
    progress: Mutex<Option<ProgressView>>,
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

impl Drop for Jobs {
    fn drop(&mut self) {
        // The worker sees that there is nothing left to work for.
        self.wake.notify_one();
    }
}

impl Jobs {
    pub fn new(started: Instant) -> Jobs {
        Jobs {
            queue: Mutex::default(),
            wake: Arc::default(),
            events: broadcast::channel(256).0,
            started,
            untold: Mutex::default(),
        }
    }

    pub fn tell(&self, event: Event) {
        // Nobody listening is no fault.
        let _ = self.events.send(event);
    }

    /// Queues a run that is in the ledger already. Proofs go before finals.
    pub fn add(&self, run: i64, kind: RunKind) {
        let waiting = &mut locked(&self.queue).waiting;
        let place = match kind {
            RunKind::Proof => waiting.iter().position(|(_, k)| *k == RunKind::Final).unwrap_or(waiting.len()),
            RunKind::Final => waiting.len(),
        };
        waiting.insert(place, (run, kind));
        self.wake.notify_one();
    }

    /// Takes the next run to work on.
    fn next(&self) -> Option<Arc<Running>> {
        let mut queue = locked(&self.queue);
        let (run, _) = queue.waiting.pop_front()?;
        let running = Running { run, stop: AtomicBool::new(false), live: Mutex::default(), progress: Mutex::default() };
        queue.running = Some(Arc::new(running));
        queue.running.clone()
    }

    /// Stops a running bake, or takes a waiting one out of the queue.
    pub fn stop(&self, run: i64) -> Stopped {
        let mut queue = locked(&self.queue);
        if let Some(running) = queue.running.as_ref().filter(|r| r.run == run) {
            running.stop.store(true, Ordering::Relaxed);
            return Stopped::Soon;
        }
        let before = queue.waiting.len();
        queue.waiting.retain(|(id, _)| *id != run);
        if queue.waiting.len() < before { Stopped::InQueue } else { Stopped::Not }
    }

    /// The live picture of a map of the running bake.
    pub fn live(&self, run: i64, map: &str) -> Option<Preview> {
        let running = locked(&self.queue).running.clone().filter(|r| r.run == run)?;
        locked(&running.live).get(map).cloned()
    }

    /// Progress of the running bake, for a page that has just opened.
    pub fn progress(&self) -> Option<ProgressView> {
        let running = locked(&self.queue).running.clone()?;
        locked(&running.progress).clone()
    }

    /// How a run ended, where the database does not know it yet.
    pub fn ended(&self, run: i64) -> Option<(RunStatus, String)> {
        locked(&self.untold).get(&run).cloned()
    }
}

/// Time between two tries to tell the database what it could not be told.
const AGAIN_AFTER: Duration = Duration::from_secs(2);

/// Starts the task that works the queue off, for as long as there is an application.
pub fn start_worker(app: &Arc<App>) {
    let (wake, app) = (app.jobs.wake.clone(), Arc::downgrade(app));
    tokio::spawn(async move {
        loop {
            let Some(here) = app.upgrade() else { return };
            match here.jobs.next() {
                Some(running) => work_on(&here, running).await,
                None => {
                    tell_untold(&here).await;
                    let pause = if locked(&here.jobs.untold).is_empty() { Duration::MAX } else { AGAIN_AFTER };
                    drop(here);
                    let _ = tokio::time::timeout(pause, wake.notified()).await;
                }
            }
        }
    });
}

/// Sets how a run ended; what the database cannot be told now is remembered.
async fn end(app: &App, run: i64, status: RunStatus, why: Option<&str>) {
    if app.store.set_run_status(run, status, why).await.is_err() {
        locked(&app.jobs.untold).insert(run, (status, why.unwrap_or_default().to_owned()));
    }
}

async fn tell_untold(app: &App) {
    let untold = locked(&app.jobs.untold).clone();
    for (run, (status, why)) in untold {
        let why = (!why.is_empty()).then_some(why.as_str());
        if app.store.set_run_status(run, status, why).await.is_ok() {
            locked(&app.jobs.untold).remove(&run);
        }
    }
}

async fn work_on(app: &Arc<App>, running: Arc<Running>) {
    let id = running.run;
    let asset = match app.store.run(id).await {
        Ok(run) => {
            let asset = run.line.asset;
            let _ = app.store.set_run_status(id, RunStatus::Running, None).await;
            app.jobs.tell(Event::Asset { asset });
            let (app_there, running_there) = (app.clone(), running.clone());
            let baked = aside(move || bake(&app_there, &run, &running_there)).await;
            let kept = match baked {
                Ok(Some(((report, files), naming))) => {
                    let kept = app.store.finish_run(id, &report, &files).await.map_err(Fault::from);
                    drop(naming);
                    kept
                }
                Ok(None) => {
                    end(app, id, RunStatus::Stopped, None).await;
                    Ok(())
                }
                Err(fault) => Err(fault),
            };
            if let Err(fault) = kept {
                end(app, id, RunStatus::Failed, Some(fault.text())).await;
            }
            asset
        }
        Err(fault) => {
            end(app, id, RunStatus::Failed, Some(&fault.to_string())).await;
            app.store.run_line(id).await.map_or(0, |line| line.asset)
        }
    };
    locked(&app.jobs.queue).running = None;
    app.memory.make_room(0);
    app.jobs.tell(Event::Ended { run: id });
    app.jobs.tell(Event::Asset { asset });
    if matches!(app.store.age_proofs().await, Ok(1..)) {
        let _ = app.store.collect().await;
    }
}

/// The bake itself; None when it was stopped.
fn bake(app: &App, job: &Run, running: &Running) -> Result<Option<(Baked, Naming)>> {
    let watch =
        JobWatch { app, job, running, began: app.jobs.started.elapsed().as_secs_f64(), last: AtomicU64::new(0) };
    let scene = match app.scene(&job.recipe, &|stage| watch.begins(stage)) {
        Err(_) if watch.stopped() => return Ok(None),
        scene => scene?,
    };
    if !watch.begins("planning") {
        return Ok(None);
    }
    let plan = match Plan::watched(&job.recipe, &scene, &watch) {
        Ok(plan) => plan.keeping(&app.kept_tiles(&job.recipe)?),
        Err(PlanFault::Stopped) => return Ok(None),
        Err(fault) => return Err(Fault::unusable(fault.to_string())),
    };
    let spool = spool_for(plan.spool_bytes(), app.store.blobs.folder())?;
    // Hits only save work: a folder that cannot be written is no reason not to bake.
    let hits = if job.line.kind == RunKind::Final { app.hits.run().ok() } else { None };
    let store = hits.as_ref().map(|hits| hits as &dyn HitStore);
    let outcome = match run_into(&plan, 0, &watch, spool, store) {
        Ok(outcome) => outcome,
        Err(Ended::Stopped) => return Ok(None),
        Err(fault @ Ended::Spool(_)) => return Err(Fault::new(Status::InsufficientStorage, fault.to_string())),
    };
    watch.send("writing", 1.0, None);
    let _ = hits.map(ShelfRun::finish);
    let naming = tokio::runtime::Handle::current().block_on(app.store.naming());
    let kept = keep_maps(app, outcome, &|| watch.stopped())?;
    Ok((!watch.stopped()).then_some((kept, naming)))
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
        let view = ProgressView {
            asset: self.job.line.asset,
            run: self.job.line.id,
            stage: stage.to_owned(),
            share,
            elapsed,
            left,
        };
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
                if let Some(picture) = canvas.preview(sheet, &map.key()) {
                    locked(&self.running.live).insert(map_key(&map.key(), sheet), picture);
                }
            }
        }
        let share = done as f32 / all.max(1) as f32;
        let elapsed = now - self.began;
        let left = (share > 0.05).then(|| (elapsed * f64::from(1.0 / share - 1.0)) as f32);
        self.send("baking", share, left);
    }
}
