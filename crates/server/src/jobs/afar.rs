//! Finals that a cluster bakes: a job folder is made and sent, its tiles are waited for and joined here. Whatever becomes of the cluster, what
//! it made stays, and the run can go on on this machine.

use super::queue::Running;
use super::watch::JobWatch;
use crate::cluster::Cluster;
use crate::fault::{Fault, Result, aside};
use crate::{App, locked};
use ember_ridge_core::Recipe;
use ember_ridge_core::bake::{Ended, Made, Outcome, Plan, Watch, join, on_threads, run_apart};
use ember_ridge_formats::job::{Job, JobFault, Program, SlurmFault, SplitOrder, Status as JobStatus, split};
use ember_ridge_store::{OnCluster, Run, RunLine};
use rocket::http::Status;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant};

/// The cluster is asked each second at first, and the longer it takes the less often.
const ASKED_EVERY: Duration = Duration::from_secs(1);
/// No longer apart than this.
const SELDOM: Duration = Duration::from_secs(15);
/// A cluster that does not answer for so long is given up; its tasks go on all the same.
const SILENT_FOR: Duration = Duration::from_secs(600);
/// Tiles of tasks that have ended may come into sight so much later, over a shared disk.
const SETTLES: Duration = Duration::from_secs(10);
const WISH: Duration = Duration::from_millis(50);

const WRITABLE: &str = "See that the folder of the cluster can be written to";

/// A run that goes on with tiles from elsewhere.
pub(super) struct Afar<'a> {
    app: &'a App,
    run: &'a Run,
    plan: &'a Plan,
    watch: &'a JobWatch<'a>,
    running: &'a Running,
    state: OnCluster,
    /// Known not to be in the cluster's queue.
    unsent: bool,
}

/// What is kept can be gone on with.
fn kept(text: impl Into<String>) -> Fault {
    Fault::new(Status::BadGateway, text)
}

fn of_job(fault: JobFault) -> Fault {
    Fault::new(Status::InsufficientStorage, fault.to_string())
}

impl<'a> Afar<'a> {
    /// None where a run is baked here alone.
    pub(super) fn of(
        app: &'a App,
        run: &'a Run,
        plan: &'a Plan,
        watch: &'a JobWatch<'a>,
        running: &'a Running,
    ) -> Option<Afar<'a>> {
        let state = run.line.cluster.clone()?;
        Some(Afar { app, run, plan, watch, running, state, unsent: false })
    }

    /// The bake; None when it was stopped or paused.
    pub(super) fn bake(mut self) -> Result<Option<Outcome>> {
        let Some(job) = self.folder()? else { return Ok(None) };
        let whole = match self.state.here {
            true => self.make_here(&job)?,
            false => self.wait_for(&job)?,
        };
        if !whole || !self.watch.begins("joining tiles") {
            return Ok(None);
        }
        match self.joined(&job) {
            // Torn on their way: they are made once more, here.
            Err(Ended::Missing(_)) if !self.make_here(&job)? => Ok(None),
            Err(Ended::Missing(_)) => self.told(self.joined(&job)),
            joined => self.told(joined),
        }
    }

    fn joined(&self, job: &Job) -> std::result::Result<Outcome, Ended> {
        join(self.plan, 0, self.watch, Arc::new(job.tiles()))
    }

    fn told(&self, joined: std::result::Result<Outcome, Ended>) -> Result<Option<Outcome>> {
        match joined {
            Ok(outcome) => Ok(Some(outcome)),
            Err(Ended::Stopped) => Ok(None),
            Err(fault) => Err(Fault::new(Status::InsufficientStorage, fault.to_string())),
        }
    }

    fn name(&self) -> &str {
        &self.state.name
    }

    fn cluster(&self) -> Result<&'a Cluster> {
        self.app.cluster.as_ref().ok_or_else(|| {
            let name = self.name();
            kept(format!("{name} is not set up any more. Go on here, or start the program with --cluster again"))
        })
    }

    fn remember(&self) -> Result<()> {
        let (store, id) = (&self.app.store, self.run.line.id);
        let OnCluster { folder, jobs, .. } = &self.state;
        Ok(tokio::runtime::Handle::current().block_on(store.set_cluster_job(id, folder.as_deref(), jobs))?)
    }

    /// The folder of the job, made unless it is there; None when the run was stopped meanwhile.
    fn folder(&mut self) -> Result<Option<Job>> {
        let program = self.program()?;
        let place = self.place()?;
        if let Some(job) = usable(&place, &self.plan.recipe, &program)? {
            return Ok(Some(job));
        }
        // Of another build, or cut off before it was whole.
        self.call_back();
        clear(&place)?;
        self.state = OnCluster { folder: Some(place.clone()), jobs: Vec::new(), ..self.state.clone() };
        self.unsent = true;
        self.remember()?;
        if !self.watch.begins("splitting") {
            return Ok(None);
        }
        let cage = self.plan.recipe.cage.as_ref().map(|source| self.app.mesh(source)).transpose()?;
        let shares = self.app.cluster.as_ref().map_or(1, |cluster| cluster.shares);
        let inputs = inputs(self.app, &self.plan.recipe)?;
        let order = SplitOrder { shares, keeps_hits: false, program, inputs, cage: cage.as_deref() };
        let stage = |what: &str| {
            self.watch.begins(what);
        };
        on_threads(0, || split(self.plan, order, &place, self.watch, &stage)).map_err(of_job)
    }

    /// This program, which tasks have to run too.
    fn program(&self) -> Result<Program> {
        let build = |file: &Path| {
            Program::of(env!("CARGO_PKG_VERSION"), file).map_err(|fault| {
                let remedy = "Start the program again, or name another \"program\" for the cluster";
                kept(format!("{}: the program there cannot be read ({}). {remedy}", file.display(), fault.kind()))
            })
        };
        let own = build(&std::env::current_exe()?)?;
        let theirs = self.app.cluster.as_ref().and_then(|cluster| cluster.program.as_deref());
        if let Some(theirs) = theirs.filter(|_| !self.state.here)
            && build(theirs)? != own
        {
            return Err(kept(format!(
                "{}: it is another build than this program, and its tiles might differ. Copy this one there, or go on here",
                theirs.display()
            )));
        }
        Ok(own)
    }

    fn place(&self) -> Result<PathBuf> {
        if let Some(place) = &self.state.folder {
            return Ok(place.clone());
        }
        let (store, id) = (&self.app.store, self.run.line.id);
        let Some(shared) = self.app.cluster.as_ref().and_then(|cluster| cluster.folder.as_ref()) else {
            return Ok(std::path::absolute(store.run_place(id).join("job"))?);
        };
        // Several data folders may share it.
        let data = std::path::absolute(store.blobs.folder())?;
        let data = blake3::hash(data.as_os_str().as_encoded_bytes()).to_hex();
        Ok(shared.join(format!("ember-ridge-{}-run-{id}", &data[..8])))
    }

    /// Ends what was sent, as far as the cluster answers.
    fn call_back(&mut self) {
        call_back(self.app, &self.state);
        self.state.jobs.clear();
    }

    /// Whether any of its tasks waits or runs, those too that were sent just before the program ended.
    fn in_queue(&mut self, job: &Job) -> Result<std::result::Result<bool, SlurmFault>> {
        let slurm = self.cluster()?.slurm();
        if !self.state.jobs.is_empty() {
            return Ok(slurm.in_queue(&self.state.jobs));
        }
        if self.unsent {
            return Ok(Ok(false));
        }
        match slurm.sent_for(job) {
            Ok(sent) if sent.is_empty() => {
                self.unsent = true;
                Ok(Ok(false))
            }
            Ok(sent) => {
                self.state.jobs = sent;
                self.remember()?;
                Ok(Ok(true))
            }
            Err(fault) => Ok(Err(fault)),
        }
    }

    /// Sends all shares; finished tiles are not made again.
    fn send(&mut self, job: &Job) -> Result<()> {
        let cluster = self.cluster()?;
        let stage = format!("sending to {}", self.name());
        self.watch.begins(&stage);
        let program = cluster.program()?;
        let sent = cluster.slurm().send_shares(job, &program, cluster.threads).map_err(|fault| {
            let name = self.name();
            kept(match fault {
                SlurmFault::Refused { .. } => {
                    format!("{name} refused the job ({fault}). Send it again once it is accepted, or go on here")
                }
                SlurmFault::Silent { .. } => {
                    format!("{name} does not answer ({fault}). Send it again once it answers, or go on here")
                }
                SlurmFault::Folder(_) => format!("{fault}. {WRITABLE}, then send it again, or go on here"),
            })
        })?;
        self.state.jobs = vec![sent];
        self.remember()
    }

    /// Waits until all tiles are there; false when the run was stopped or paused.
    fn wait_for(&mut self, job: &Job) -> Result<bool> {
        let begun = Instant::now();
        let (mut answered, mut emptied): (Instant, Option<Instant>) = (begun, None);
        loop {
            if self.watch.stopped() {
                // Others go first while the cluster works on; who stops or holds a run wants it to end there too.
                if self.running.stops() || locked(&self.app.jobs.queue).is_held(self.run.line.id) {
                    self.call_back();
                    self.remember()?;
                }
                return Ok(false);
            }
            let asked = Instant::now();
            // Asked for before tiles are looked for: a task that has left the queue has written its tiles.
            let queued = self.in_queue(job)?;
            let status = job.status().map_err(of_job)?;
            if status.left == 0 {
                // It is joined at its place, whatever comes.
                locked(&self.app.jobs.queue).away(self.run.line.id, false);
                return Ok(true);
            }
            let silent = queued.is_err();
            match queued {
                Ok(true) => (answered, emptied) = (asked, None),
                Ok(false) if self.state.jobs.is_empty() => {
                    self.send(job)?;
                    (answered, emptied) = (Instant::now(), None);
                }
                Ok(false) if emptied.is_some_and(|since| since.elapsed() > SETTLES) => {
                    self.state.jobs.clear();
                    self.remember()?;
                    return Err(kept(self.ended_early(job, &status)));
                }
                Ok(false) => emptied = emptied.or(Some(asked)),
                Err(fault) if answered.elapsed() > SILENT_FOR => {
                    let name = self.name();
                    return Err(kept(format!(
                        "{name} does not answer any more ({fault}). Its tasks may still run. Send it again once it answers, or go on here"
                    )));
                }
                Err(_) => {}
            }
            let stage = match status.done {
                _ if silent => format!("{} does not answer", self.name()),
                0 => format!("waiting for {}", self.name()),
                _ => format!("on {}", self.name()),
            };
            self.watch.far(&stage, &status);
            // What is to be made here goes first meanwhile.
            locked(&self.app.jobs.queue).away(self.run.line.id, !self.state.jobs.is_empty());
            self.rest(ASKED_EVERY.max(begun.elapsed() / 20).min(SELDOM).max(4 * asked.elapsed()));
        }
    }

    /// Waits, unless a wish comes.
    fn rest(&self, time: Duration) {
        let begun = Instant::now();
        while begun.elapsed() < time && !self.watch.stopped() {
            std::thread::sleep(WISH);
        }
    }

    fn ended_early(&self, job: &Job, status: &JobStatus) -> String {
        let why = match status.failed_shares.first() {
            Some(failed) => format!("share {} failed: {}", failed.share, failed.why),
            None => format!("what they said is in {}", job.logs().display()),
        };
        let JobStatus { left, tiles, .. } = status;
        format!(
            "Tasks on {} ended with {left} of {tiles} tiles missing; {why}. Send what is missing again, or go on here",
            self.name()
        )
    }

    /// Makes what is missing on this machine; false when the run was stopped or paused.
    fn make_here(&mut self, job: &Job) -> Result<bool> {
        if !self.state.jobs.is_empty() {
            self.call_back();
            self.remember()?;
        }
        let all: Vec<u32> = job.shares().map_err(of_job)?.into_iter().flat_map(|share| share.blocks).collect();
        match run_apart(self.plan, 0, self.watch, (&job.facts.blocks, &all), &job.tiles()) {
            Ok(Made { left, .. }) => Ok(left == 0),
            Err(fault) => Err(Fault::new(Status::InsufficientStorage, fault.to_string())),
        }
    }
}

/// The job in a folder, where it is for this recipe and program.
fn usable(place: &Path, recipe: &Recipe, program: &Program) -> Result<Option<Job>> {
    if !Job::is_in(place).map_err(|fault| kept(fault.to_string()))? {
        return Ok(None);
    }
    let checked = || -> std::result::Result<Option<Job>, JobFault> {
        let job = Job::open(place)?;
        if job.recipe()? != *recipe {
            return Ok(None);
        }
        job.check(program)?;
        Ok(Some(job))
    };
    match on_threads(0, checked) {
        Ok(job) => Ok(job),
        Err(JobFault::Folder { .. }) => Ok(None),
        Err(fault @ JobFault::Io(_)) => Err(kept(fault.to_string())),
    }
}

/// Empties the place of a job.
fn clear(place: &Path) -> Result<()> {
    let emptied = match fs::remove_dir_all(place) {
        Err(fault) if fault.kind() != std::io::ErrorKind::NotFound => Err(fault),
        _ => fs::create_dir_all(place),
    };
    emptied.map_err(|fault| kept(format!("{}: {fault}. {WRITABLE}", place.display())))
}

/// The files that a recipe reads: the name each goes by, and where its bytes lie.
fn inputs(app: &App, recipe: &Recipe) -> Result<Vec<(PathBuf, PathBuf)>> {
    let mut files: BTreeMap<PathBuf, PathBuf> = BTreeMap::new();
    let mut add = |name: PathBuf, hash: &str| -> Result<()> {
        files.insert(name, app.store.blobs.path(hash)?);
        Ok(())
    };
    for source in recipe.low.iter().chain(&recipe.high).chain(&recipe.cage).filter(|source| source.plane.is_none()) {
        for beside in &source.beside {
            add(Path::new(&source.file).with_file_name(&beside.file), &beside.hash)?;
        }
        source.hash.iter().try_for_each(|hash| add(PathBuf::from(&source.file), hash))?;
    }
    for document in recipe.documents() {
        for beside in &document.beside {
            add(Path::new(&document.file).with_file_name(&beside.file), &beside.hash)?;
        }
        document.hash.iter().try_for_each(|hash| add(PathBuf::from(&document.file), hash))?;
    }
    for picture in recipe.pictures() {
        picture.hash.iter().try_for_each(|hash| add(PathBuf::from(&picture.file), hash))?;
    }
    // Whatever else is missing is told by the bake, as it is where no cluster is.
    Ok(files.into_iter().filter(|(_, place)| place.is_file()).collect())
}

fn call_back(app: &App, state: &OnCluster) {
    if let Some(cluster) = app.cluster.as_ref().filter(|_| !state.jobs.is_empty()) {
        // One that does not answer is told of when it is asked for tiles; its tasks then find no folder.
        let _ = cluster.slurm().cancel(&state.jobs);
    }
}

/// Ends what a run has on a cluster and removes its job, once nobody goes on with it.
pub fn forget(app: &App, line: &RunLine) {
    if let Some(state) = &line.cluster {
        call_back(app, state);
        tidy(state);
    }
}

/// Runs that others went before and whose tiles are all there by now take their place again.
pub(super) async fn take_in(app: &Arc<App>) {
    let overtaken = locked(&app.jobs.queue).overtaken();
    for run in overtaken {
        let folder = app.store.run_line(run).await.ok().and_then(|line| line.cluster?.folder);
        let whole = move |folder: PathBuf| Job::open(&folder)?.status();
        // A folder that cannot be read is told of when its turn comes.
        let status = aside(move || Ok(folder.and_then(|folder| whole(folder).ok()))).await;
        if matches!(status, Ok(Some(JobStatus { left: 0, .. }))) {
            locked(&app.jobs.queue).away(run, false);
        }
    }
}

/// Ends what a run that is not worked on has on a cluster; its tiles stay.
pub async fn call_off(app: &Arc<App>, run: i64) -> Result<()> {
    let Some(state) = app.store.run_line(run).await?.cluster.filter(|state| !state.jobs.is_empty()) else {
        return Ok(());
    };
    let (there, sent) = (app.clone(), state.clone());
    aside(move || {
        call_back(&there, &sent);
        Ok(())
    })
    .await?;
    Ok(app.store.set_cluster_job(run, state.folder.as_deref(), &[]).await?)
}

/// Removes the job of a run.
pub(super) fn tidy(state: &OnCluster) {
    // What cannot be removed takes room and does no other harm.
    let _ = state.folder.as_ref().map(fs::remove_dir_all);
}
