//! Bakes as jobs: one at a time, proofs before finals, each outliving the page that asked for it and the program. Progress goes out as
//! events.

mod afar;
mod around;
mod queue;
mod watch;

pub use afar::{call_off, forget};
pub use queue::{Queue, Queued, Stopped};

use crate::api::{Event, ProgressView};
use crate::fault::{Fault, Result, aside};
use crate::keep::{Baked, keep_maps, keep_small};
use crate::routes::{deliver_finished, most_proof_bytes};
use crate::{App, locked};
use afar::Afar;
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Ended, Outcome, Plan, PlanFault, Preview, Spool, Watch, first_look, run_into};
use ember_ridge_core::hits::HitStore;
use ember_ridge_formats::files::spool_for;
use ember_ridge_formats::hits::ShelfRun;
use ember_ridge_formats::run_tiles::{RunKey, RunTiles};
use ember_ridge_store::{Naming, Run, RunKind, RunLine, RunStatus};
use queue::Running;
use rocket::http::Status;
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex};
use std::time::{Duration, Instant};
use tokio::sync::{Notify, broadcast};
use watch::JobWatch;

pub struct Jobs {
    queue: Mutex<Queue>,
    wake: Arc<Notify>,
    pub events: broadcast::Sender<Event>,
    started: Instant,
    /// How runs ended that the database could not be told of, such as for want of room; it is told as soon as it can be.
    untold: Mutex<HashMap<i64, (RunStatus, String)>>,
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

    /// Queues a run that is in the ledger already. A proof that comes while a final is worked on goes first.
    pub fn add(&self, run: i64, kind: RunKind, held: bool) {
        locked(&self.queue).add(Queued { run, kind, held, away: false });
        self.wake.notify_one();
        self.tell(Event::Queue);
    }

    /// Stops a running bake, or takes a waiting one out of the queue.
    pub fn stop(&self, run: i64) -> Stopped {
        let stopped = locked(&self.queue).stop(run);
        self.tell(Event::Queue);
        stopped
    }

    /// Holds a run, or lets it go on; false when it neither waits nor runs.
    pub fn hold(&self, run: i64, held: bool) -> bool {
        let found = locked(&self.queue).hold(run, held);
        self.wake.notify_one();
        self.tell(Event::Queue);
        found
    }

    /// A run on a cluster goes on here, from the tiles that came: at once if it is worked on, else when its turn comes.
    pub fn come_home(&self, run: i64) {
        let mut queue = locked(&self.queue);
        queue.away(run, false);
        queue.pause(run);
    }

    /// Puts runs that wait into this order, in the places that they have now.
    pub fn order(&self, order: &[i64]) {
        locked(&self.queue).order(order);
        self.tell(Event::Queue);
    }

    /// The run that is worked on, and those that wait in their order.
    pub fn queued(&self) -> Vec<i64> {
        locked(&self.queue).listed()
    }

    /// Whether a run is the one that is worked on; the database hears of it a moment later.
    pub fn works_on(&self, run: i64) -> bool {
        locked(&self.queue).running.as_ref().is_some_and(|running| running.run == run)
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

    /// A run goes on: how it ended before is not told any more.
    pub fn forget(&self, run: i64) {
        locked(&self.untold).remove(&run);
    }

    /// How a run ended, where the database does not know it yet.
    pub fn ended(&self, run: i64) -> Option<(RunStatus, String)> {
        locked(&self.untold).get(&run).cloned()
    }
}

/// Time between two tries to tell the database what it could not be told.
const AGAIN_AFTER: Duration = Duration::from_secs(2);

/// Takes up the runs that waited when the program ended.
///
/// # Errors
/// A database that does not answer.
pub async fn take_up(app: &App) -> Result<()> {
    for line in app.store.queue().await? {
        app.jobs.add(line.id, line.kind, line.held);
    }
    Ok(())
}

/// Starts the task that works the queue off, for as long as there is an application.
pub fn start_worker(app: &Arc<App>) {
    let (wake, app) = (app.jobs.wake.clone(), Arc::downgrade(app));
    tokio::spawn(async move {
        loop {
            let Some(here) = app.upgrade() else { return };
            afar::take_in(&here).await;
            let next = locked(&here.jobs.queue).take_next();
            match next {
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

/// Removes what a run keeps while it is unfinished, here and for a cluster.
async fn leave(app: &Arc<App>, run: i64, afar: fn(&App, &RunLine)) {
    if let Ok(line) = app.store.run_line(run).await {
        let there = app.clone();
        let _ = aside(move || {
            afar(&there, &line);
            Ok(())
        })
        .await;
    }
    app.store.drop_place(run);
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
    let mut again = false;
    let asset = match app.store.run(id).await {
        Ok(run) => {
            let asset = run.line.asset;
            let _ = app.store.set_run_status(id, RunStatus::Running, None).await;
            app.jobs.tell(Event::Asset { asset });
            app.jobs.tell(Event::Queue);
            let (app_there, running_there) = (app.clone(), running.clone());
            let baked = aside(move || bake(&app_there, &run, &running_there)).await;
            // Its scene has grown with its rays; whoever learns that the run has ended finds the budget kept.
            app.memory.make_room(0);
            let kept = match baked {
                Ok(Some(((report, files), naming))) => {
                    let kept = app.store.finish_run(id, &report, &files).await.map_err(Fault::from);
                    drop(naming);
                    if kept.is_ok() {
                        // Its tasks end by themselves: the cluster keeps account of them as done.
                        leave(app, id, |_, line| line.cluster.iter().for_each(afar::tidy)).await;
                    }
                    kept
                }
                Ok(None) if running.stops() => {
                    keep_landed(app, &running).await;
                    end(app, id, RunStatus::Stopped, None).await;
                    Ok(())
                }
                Ok(None) => {
                    again = true;
                    Ok(())
                }
                Err(fault) => Err(fault),
            };
            if let Err(fault) = kept {
                end(app, id, RunStatus::Failed, Some(fault.text())).await;
                // With more room, or without its cluster, it can go on; whatever else went wrong would go wrong again.
                if !matches!(fault.status(), Status::InsufficientStorage | Status::BadGateway) {
                    leave(app, id, forget).await;
                }
            }
            asset
        }
        Err(fault) => {
            end(app, id, RunStatus::Failed, Some(&fault.to_string())).await;
            app.store.run_line(id).await.map_or(0, |line| line.asset)
        }
    };
    let kept = locked(&app.jobs.queue).put_back(again);
    // It was stopped, or held, after it had paused.
    if again && (!kept || locked(&app.jobs.queue).is_held(id)) {
        let _ = call_off(app, id).await;
    }
    match again {
        true if !kept => end(app, id, RunStatus::Stopped, None).await,
        true => drop(app.store.pause_run(id).await),
        false => {}
    }
    app.jobs.tell(Event::Ended { run: id });
    deliver_finished(app);
    app.jobs.tell(Event::Asset { asset });
    app.jobs.tell(Event::Queue);
    if let Ok(most) = most_proof_bytes(app).await
        && matches!(app.store.age_proofs(most).await, Ok(1..))
    {
        let _ = app.store.collect().await;
    }
}

/// Keeps small pictures of what a run that was stopped had made by then. They are for looking only: without room for them there are none.
async fn keep_landed(app: &Arc<App>, running: &Running) {
    let live = std::mem::take(&mut *locked(&running.live));
    let naming = app.store.naming().await;
    let there = app.clone();
    if let Ok(files) = aside(move || live.iter().map(|(key, picture)| keep_small(&there, key, picture)).collect()).await
    {
        let files: Vec<_> = files;
        let _ = app.store.keep_pictures(running.run, &files).await;
    }
    drop(naming);
}

/// Tells a run: by what is it made, and from what. Another version of the program makes all tiles anew.
fn run_key(recipe: &Recipe) -> serde_json::Result<RunKey> {
    static PROGRAM: LazyLock<Vec<u8>> = LazyLock::new(|| {
        let bytes = std::env::current_exe().and_then(std::fs::read);
        bytes.map_or_else(|_| env!("CARGO_PKG_VERSION").into(), |bytes| blake3::hash(&bytes).as_bytes().to_vec())
    });
    let recipe = serde_json::to_vec(recipe)?;
    Ok(*blake3::Hasher::new().update(&PROGRAM).update(&recipe).finalize().as_bytes())
}

/// Where the finished tiles of a run wait: those of a final outlast the program.
fn spool_of(app: &App, job: &Run, plan: &Plan) -> Result<Arc<dyn Spool>> {
    let id = job.line.id;
    match job.line.kind {
        RunKind::Proof => Ok(spool_for(plan.spool_bytes(), app.store.blobs.folder())?),
        RunKind::Final | RunKind::Imported => {
            Ok(Arc::new(RunTiles::open(&app.store.run_tiles(id), &run_key(&job.recipe)?)?))
        }
    }
}

/// The bake itself; None when it was stopped or paused.
fn bake(app: &Arc<App>, job: &Run, running: &Running) -> Result<Option<(Baked, Naming)>> {
    let watch = JobWatch::new(app, job, running);
    let scene = match app.scene(&job.recipe, &|stage| watch.begins(stage)) {
        Err(_) if watch.stopped() => return Ok(None),
        scene => scene?,
    };
    if !watch.begins("planning") {
        return Ok(None);
    }
    let kept = app.kept_tiles(&job.recipe)?;
    let around = around::around(app, job)?;
    let plan_it = || {
        // A proof that follows another has most of its tiles at once.
        let begins = job.line.cluster.as_ref().is_none_or(|cluster| cluster.folder.is_none());
        let looks = around.is_none() && begins && (job.line.kind == RunKind::Final || kept.is_empty());
        let first = if looks { first_look(&job.recipe, &scene, &watch)? } else { None };
        first.iter().for_each(|first| watch.sees(first));
        let plan = Plan::watched(&job.recipe, &scene, &watch)?;
        Ok(plan.begun_with(first).for_proof(job.line.kind == RunKind::Proof))
    };
    let plan = match plan_it() {
        Ok(plan) => match around {
            // What is kept between bakes is of whole ones.
            Some(around) => plan.amid(around),
            // What tiles cost is measured on such as are made from nothing.
            None if job.line.cluster.is_some() => plan,
            None => plan.keeping(&kept),
        },
        Err(PlanFault::Stopped) => return Ok(None),
        Err(fault) => return Err(Fault::unusable(fault.to_string())),
    };
    if let Some(afar) = Afar::of(app, job, &plan, &watch, running) {
        return match afar.bake()? {
            Some(outcome) => keep(app, outcome, &watch),
            None => Ok(None),
        };
    }
    let spool = spool_of(app, job, &plan)?;
    // Hits only save work: a folder that cannot be written is no reason not to bake.
    let hits = if job.line.kind == RunKind::Final { app.hits.run().ok() } else { None };
    let store = hits.as_ref().map(|hits| hits as &dyn HitStore);
    let outcome = match run_into(&plan, 0, &watch, spool, store) {
        Ok(outcome) => outcome,
        Err(Ended::Stopped) => {
            // What was traced by now is not traced again.
            let _ = hits.map(ShelfRun::finish);
            return Ok(None);
        }
        Err(fault @ Ended::Around(_)) => return Err(Fault::unusable(fault.to_string())),
        Err(fault @ (Ended::Spool(_) | Ended::Missing(_))) => {
            return Err(Fault::new(Status::InsufficientStorage, fault.to_string()));
        }
    };
    let _ = hits.map(ShelfRun::finish);
    keep(app, outcome, &watch)
}

/// Keeps the files of a bake; None when it was stopped meanwhile.
fn keep(app: &Arc<App>, outcome: Outcome, watch: &JobWatch) -> Result<Option<(Baked, Naming)>> {
    watch.writes();
    let naming = tokio::runtime::Handle::current().block_on(app.store.naming());
    let kept = keep_maps(app, outcome, &|| watch.stopped())?;
    Ok((!watch.stopped()).then_some((kept, naming)))
}
