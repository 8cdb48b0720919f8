//! Deliveries: what a profile would write of a run, and the writing, into a folder below the one that the program may write to. Every
//! delivery can be taken away as a zip that is sent as it is read.

use crate::App;
use crate::api::{DeliveryOrder, DeliveryPlan, DeliveryTold, DeliveryView, PlannedDelivery};
use crate::fault::{Fault, Result, aside};
use crate::keep::{is_map, map_key};
use crate::locked;
use crate::routes::sent::Sent;
use crate::routes::shared::Zip;
use ember_ridge_core::Mesh;
use ember_ridge_core::bake::{Plan, Report};
use ember_ridge_core::deliver::{Delivery, DeliveryNames, Profile, parts_of, plan_delivery, sources_of};
use ember_ridge_core::picture::Depth;
use ember_ridge_core::review::asking;
use ember_ridge_formats::deliver::{
    Delivered, PictureFacts, Place, PlaceFault, ReadPlace, RunToDeliver, Sculpt, WORK, facts_in, send_zip,
};
use ember_ridge_store::{DeliveryLine, Run, RunFile, RunKind};
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::tokio::fs::File;
use rocket::{State, get, post};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

described_routes!(plan_of_delivery, deliver, list_deliveries, show_delivery_zip, show_delivered_file);

/// Characters of a folder's name below the one that deliveries go to, at most.
const MOST_FOLDER: usize = 160;

/// What a delivery of a run would write, and what stands against it.
#[utoipa::path(
    tag = "deliveries",
    request_body(content = ref("DeliveryOrder"), content_type = "application/json"),
    responses((status = 200, description = "Files, findings, place", body = ref("DeliveryPlan"))),
)]
#[post("/runs/<id>/delivery-plan", data = "<order>")]
async fn plan_of_delivery(app: &State<Arc<App>>, id: i64, order: Sent<DeliveryOrder>) -> Result<Json<DeliveryPlan>> {
    let (run, order) = (app.store.run(id).await?, order.0);
    let app = app.inner().clone();
    aside(move || {
        let report = report_of(&run)?;
        let path = folder_below(&app.deliveries, &order.folder)?;
        let place = Place::new(&path, true);
        let version = place.as_ref().map_or(1, Place::version);
        let (delivery, _) = planned(&app, report, &order.profile, version)?;
        let taken = version > 1 || matches!(place, Err(PlaceFault::Kept(_)));
        let pictures = delivery.pictures.iter().map(|picture| {
            let facts = PictureFacts::of(picture);
            let bytes = match facts.depth {
                Depth::Eight => 1,
                Depth::Sixteen => 2,
                Depth::Float => 4,
            };
            let most_bytes = u64::from(facts.width) * u64::from(facts.height) * facts.channels as u64 * bytes;
            PlannedDelivery { file: picture.file.clone(), picture: facts, most_bytes }
        });
        Ok(Json(DeliveryPlan {
            pictures: pictures.collect(),
            findings: delivery.findings,
            place: path.display().to_string(),
            version,
            taken,
            refused: place.err().map(|fault| fault_of(&fault).text().to_owned()),
        }))
    })
    .await
}

/// Delivers a run: written beside its place, read back, and put there unless a check failed.
#[utoipa::path(
    tag = "deliveries",
    request_body(content = ref("DeliveryOrder"), content_type = "application/json"),
    responses((status = 200, description = "What was written and checked", body = ref("DeliveryView"))),
)]
#[post("/runs/<id>/deliveries", data = "<order>")]
async fn deliver(app: &State<Arc<App>>, id: i64, order: Sent<DeliveryOrder>) -> Result<Json<DeliveryView>> {
    Ok(Json(deliver_run(app, id, order.0).await?))
}

/// The same, for whoever asks.
pub(super) async fn deliver_run(app: &Arc<App>, id: i64, order: DeliveryOrder) -> Result<DeliveryView> {
    let (run, files) = (app.store.run(id).await?, app.store.run_files(id).await?);
    let (asset, number) = (run.line.asset, run.line.number);
    let app = app.clone();
    // What is in its place is remembered, whether or not whoever asked still waits.
    let remembered = tokio::spawn(async move {
        let there = app.clone();
        let (folder, profile) = (order.folder.clone(), order.profile.name.clone());
        let (delivered, version) = aside(move || write(&there, &run, &files, &order)).await?;
        let fine = delivered.fine();
        let Delivered { facts, checks, changes } = delivered;
        let told = DeliveryTold { profile, files: facts.files, checks, changes };
        let place = folder_below(&app.deliveries, &folder)?.display().to_string();
        let kept = match fine {
            true => Some(app.store.add_delivery(asset, number, &folder, version, &told).await?),
            false => None,
        };
        let (id, made) = kept.unzip();
        Ok(DeliveryView { id, asset, run: number, folder, place, version, made, told })
    });
    let ended =
        |_| Fault::new(Status::InternalServerError, "the delivery ended unexpectedly; the program's output says more");
    remembered.await.map_err(ended)?
}

/// Deliveries of an asset, newest first.
#[utoipa::path(
    tag = "deliveries",
    responses((status = 200, description = "The newest fifty", body = ref("DeliveryView[]"))),
)]
#[get("/assets/<id>/deliveries")]
async fn list_deliveries(app: &State<Arc<App>>, id: i64) -> Result<Json<Vec<DeliveryView>>> {
    app.store.asset_exists(id).await?;
    let lines: Vec<DeliveryLine<DeliveryTold>> = app.store.deliveries(id).await?;
    let view = |line: DeliveryLine<DeliveryTold>| {
        let place = folder_below(&app.deliveries, &line.folder)?.display().to_string();
        let DeliveryLine { id, asset, run, folder, version, made, told } = line;
        Ok(DeliveryView { id: Some(id), asset, run, folder, place, version, made: Some(made), told })
    };
    Ok(Json(lines.into_iter().map(view).collect::<Result<_>>()?))
}

/// A delivery as a zip that is sent as its files are read.
#[utoipa::path(
    tag = "deliveries",
    responses((status = 200, description = "The zip", body = Vec<u8>, content_type = "application/zip")),
)]
#[get("/deliveries/<id>/zip")]
async fn show_delivery_zip(app: &State<Arc<App>>, id: i64) -> Result<Zip> {
    let line: DeliveryLine<DeliveryTold> = app.store.delivery(id).await?;
    let folder = still_there(app, &line)?;
    let name = format!("{}.v{:03}.zip", line.folder.replace('/', "_"), line.version);
    Ok(Zip::sent(&name, move |out| send_zip(&folder, out)))
}

/// A file of a delivery.
#[utoipa::path(
    tag = "deliveries",
    params(("file" = String, Path, description = "Path within the delivery")),
    responses((
        status = 200,
        description = "The file",
        content((Vec<u8> = "image/png"), (Vec<u8> = "image/jpeg"), (Vec<u8> = "application/octet-stream")),
    )),
)]
#[get("/deliveries/<id>/files/<file..>")]
async fn show_delivered_file(app: &State<Arc<App>>, id: i64, file: PathBuf) -> Result<(ContentType, File)> {
    let line: DeliveryLine<DeliveryTold> = app.store.delivery(id).await?;
    let missing = || Fault::missing("such file in this delivery");
    let name = file.to_str().ok_or_else(missing)?;
    // Only what was delivered is sent, whatever lies there by now.
    if !line.told.files.iter().any(|known| known.file == name) {
        return Err(missing());
    }
    let kind = match file.extension().and_then(|ending| ending.to_str()) {
        Some("png") => ContentType::PNG,
        Some("jpg") => ContentType::JPEG,
        _ => ContentType::Binary,
    };
    Ok((kind, File::open(still_there(app, &line)?.join(name)).await.map_err(|_| missing())?))
}

/// The folder that an asset is delivered to where nobody names one: its own name, with its number where another asset has the same.
pub(super) fn folder_of(asset: i64, names: &[(i64, String)]) -> String {
    let plain = |name: &str| {
        let kept: String = name.chars().map(|c| if is_plain(c) { c } else { '_' }).take(MOST_FOLDER / 2).collect();
        let kept = kept.trim_matches([' ', '.']);
        if kept.is_empty() { "asset".to_owned() } else { kept.to_owned() }
    };
    let own = names.iter().find(|(id, _)| *id == asset).map_or_else(String::new, |(_, name)| plain(name));
    // Disks that know no capitals would take two names for one.
    let same = |name: &str| plain(name).to_lowercase() == own.to_lowercase();
    let alone = names.iter().all(|(id, name)| *id == asset || !same(name));
    let zip = own.to_lowercase().ends_with(".zip");
    if alone && !zip { own } else { format!("{own} {asset}") }
}

/// Characters of a folder's name.
fn is_plain(c: char) -> bool {
    c.is_alphanumeric() || " _-.+".contains(c)
}

/// A folder below the one that deliveries go to, by its name.
fn folder_below(root: &Path, folder: &str) -> Result<PathBuf> {
    let no = |why: &str| Err(Fault::unusable(format!("folder '{folder}': {why}")));
    if folder.chars().count() > MOST_FOLDER {
        return no(&format!("it is longer than {MOST_FOLDER} characters. Shorten it"));
    }
    let named = |part: &str| {
        !part.is_empty() && !part.starts_with(['.', ' ']) && !part.ends_with(['.', ' ']) && part.chars().all(is_plain)
    };
    if !folder.split('/').all(named) {
        return no(
            "letters, digits, spaces, -, _, + and dots make a name, '/' parts folders, and none begins with a dot",
        );
    }
    if folder.to_lowercase().ends_with(".zip") {
        return no("every delivery can be taken away as a zip afterwards. Name a folder");
    }
    Ok(root.join(folder))
}

/// Removes what deliveries that were cut off have left below a folder that nobody else delivers to.
pub fn tidy(root: &Path) {
    let mut folders = vec![root.to_owned()];
    while let Some(next) = folders.pop() {
        for entry in std::fs::read_dir(next).into_iter().flatten().flatten() {
            let path = entry.path();
            // A link leads to folders that are not this program's.
            if !entry.file_type().is_ok_and(|kind| kind.is_dir()) {
                continue;
            }
            if entry.file_name().to_string_lossy().starts_with(WORK) {
                // It takes room and does no other harm.
                let _ = std::fs::remove_dir_all(path);
            } else if facts_in(&path).is_none() {
                folders.push(path);
            }
        }
    }
}

/// Where a delivery lies by now: in its place, or kept beside a newer one.
pub(super) fn still_there(app: &App, line: &DeliveryLine<DeliveryTold>) -> Result<PathBuf> {
    let place = folder_below(&app.deliveries, &line.folder)?;
    let name = place.file_name().unwrap_or_default().to_string_lossy();
    let kept = place.with_file_name(format!("{name}.v{:03}", line.version));
    let holds = |folder: &PathBuf| facts_in(folder).is_some_and(|facts| facts.files == line.told.files);
    [place, kept].into_iter().find(holds).ok_or_else(|| {
        let (folder, version) = (&line.folder, line.version);
        Fault::new(Status::Gone, format!("{folder}, version {version}: it was moved or removed. Deliver it again"))
    })
}

fn report_of(run: &Run) -> Result<&Report> {
    if run.line.kind == RunKind::Imported {
        return Err(Fault::unusable("These maps were imported, not baked; deliver a run that was baked here"));
    }
    run.report
        .as_ref()
        .filter(|_| run.line.status.has_maps())
        .ok_or_else(|| Fault::unusable("This run has no maps to deliver; let it bake to the end first"))
}

/// What a profile makes of a run, with the low-poly that was baked.
fn planned(
    app: &App,
    report: &Report,
    profile: &Profile,
    version: u32,
) -> Result<(Delivery, (Arc<Mesh>, DeliveryNames))> {
    let low = app.joined(&report.recipe.low)?;
    let names = DeliveryNames { version, parts: parts_of(&low, report) };
    let delivery = plan_delivery(profile, report, &names).map_err(Fault::unusable)?;
    Ok((delivery, (low, names)))
}

fn write(app: &App, run: &Run, files: &[RunFile], order: &DeliveryOrder) -> Result<(Delivered, u32)> {
    // One at a time: two into one folder would each take the other for what was there.
    let _turn = locked(&app.delivering);
    let report = report_of(run)?;
    let path = folder_below(&app.deliveries, &order.folder)?;
    let place = Place::new(&path, order.replace).map_err(|fault| fault_of(&fault))?;
    let (delivery, (low, names)) = planned(app, report, &order.profile, place.version())?;
    if let Some(fault) = delivery.findings.first().filter(|_| delivery.forbidden()) {
        return Err(Fault::unusable(format!("{}. {}", fault.reason, fault.remedy)));
    }
    place.keep_from(std::iter::once(app.store.blobs.folder().to_owned())).map_err(|fault| fault_of(&fault))?;
    let cage = report.recipe.cage.as_ref().map(|source| app.mesh(source)).transpose()?;
    let sources = sources_of(report);
    let open = |source: usize, sheet: usize| -> io::Result<(String, Box<dyn ReadPlace>)> {
        let key = map_key(sources[source].facts.key(), sheet);
        let file = files.iter().find(|file| is_map(file) && file.map == key);
        let file = file.ok_or_else(|| io::Error::other(format!("{key}: the run has no file of it. Bake it again")))?;
        let named = |fault| io::Error::other(format!("{}: {fault}. Bake it again", file.file));
        Ok((file.file.clone(), Box::new(app.store.blobs.open_blob(&file.hash).map_err(named)?.0)))
    };
    let asking = asking(&report.recipe).ok();
    let plan = asking.as_ref().map(|asking| -> Result<_> {
        let scene = app.scene(asking, &|_| true)?;
        Plan::new(asking, &scene).map_err(|fault| Fault::unusable(fault.to_string()))
    });
    let plan = plan.transpose()?;
    let sculpt = plan.as_ref().map(|plan| Sculpt { plan });
    let run = RunToDeliver { report, low: &low, cage: cage.as_deref(), open: &open, sculpt };
    let delivered =
        place.deliver(&run, &order.profile, &delivery, &names, &|_| {}).map_err(|fault| fault_of(&fault))?;
    Ok((delivered, place.version()))
}

/// A fault of a place with its remedy in the browser.
fn fault_of(fault: &PlaceFault) -> Fault {
    let (status, remedy) = match fault {
        PlaceFault::Foreign(_) => (Status::Conflict, "Choose another folder"),
        PlaceFault::Taken(_) => (Status::Conflict, "Replace it, or choose another folder"),
        PlaceFault::Kept(_) => (Status::Conflict, "Move it away, or choose another folder"),
        PlaceFault::Source(..) => (Status::Conflict, "Choose another folder"),
        PlaceFault::Unwritable(_, error) if error.kind() == io::ErrorKind::StorageFull => {
            (Status::InsufficientStorage, "Free some space there")
        }
        PlaceFault::Unwritable(..) => (
            Status::UnprocessableEntity,
            "Name a folder that can be written to when the program is started, with --deliveries",
        ),
        PlaceFault::Unmovable(..) => (Status::UnprocessableEntity, "Close what uses it, or choose another folder"),
        PlaceFault::Writing(error) if error.kind() == io::ErrorKind::StorageFull => {
            (Status::InsufficientStorage, "Free some space there")
        }
        PlaceFault::Writing(_) => return Fault::unusable(fault.to_string()),
    };
    Fault::new(status, format!("{fault}. {remedy}"))
}
