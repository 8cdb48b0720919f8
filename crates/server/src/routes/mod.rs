//! The routes, by what they are about.

/// The routes of a file, and their description: what is mounted is described, and nothing else.
macro_rules! described_routes {
    ($($name:ident),+ $(,)?) => {
        pub fn routes() -> Vec<rocket::Route> {
            rocket::routes![$($name),+]
        }

        #[derive(utoipa::OpenApi)]
        #[openapi(paths($($name),+))]
        pub struct Described;
    };
}

mod about;
mod against;
mod assets;
mod batches;
mod cluster;
mod compare;
mod deliveries;
mod displaced;
mod documents;
mod events;
mod findings;
mod finish_library;
mod finishes;
mod hits;
mod imports;
mod ledger;
mod looks;
mod low_polys;
mod maps;
mod masks;
mod mends;
mod mesh_file;
mod meshes;
mod pages;
mod preflight;
mod profiles;
mod queue;
mod reach;
mod run_orders;
mod runs;
mod sent;
mod shared;
mod truths;
mod uvs;

pub use batches::deliver_finished;
pub use deliveries::tidy as tidy_deliveries;
pub use hits::{HITS_SETTING, MOST_HITS};
pub use ledger::most_proof_bytes;

use crate::fault::Problem;
use rocket::serde::json::Json;
use rocket::{Build, Request, Rocket, catch, catchers, http::Status};
use sent::Refused;
use utoipa::OpenApi as _;
use utoipa::openapi::OpenApi;

/// What the routes under `/api` are, but for the types they speak of.
pub fn described() -> OpenApi {
    let parts = [
        about::Described::openapi(),
        assets::Described::openapi(),
        meshes::Described::openapi(),
        low_polys::Described::openapi(),
        uvs::Described::openapi(),
        findings::Described::openapi(),
        maps::Described::openapi(),
        masks::Described::openapi(),
        mends::Described::openapi(),
        against::Described::openapi(),
        documents::Described::openapi(),
        finish_library::Described::openapi(),
        finishes::Described::openapi(),
        reach::Described::openapi(),
        run_orders::Described::openapi(),
        runs::Described::openapi(),
        queue::Described::openapi(),
        compare::Described::openapi(),
        preflight::Described::openapi(),
        cluster::Described::openapi(),
        displaced::Described::openapi(),
        batches::Described::openapi(),
        deliveries::Described::openapi(),
        profiles::Described::openapi(),
        ledger::Described::openapi(),
        looks::Described::openapi(),
        truths::Described::openapi(),
        hits::Described::openapi(),
        imports::Described::openapi(),
        events::Described::openapi(),
    ];
    parts.into_iter().reduce(OpenApi::merge_from).unwrap_or_default()
}

pub fn mount(rocket: Rocket<Build>) -> Rocket<Build> {
    rocket
        .mount("/api", assets::routes())
        .mount("/api", meshes::routes())
        .mount("/api", low_polys::routes())
        .mount("/api", uvs::routes())
        .mount("/api", findings::routes())
        .mount("/api", maps::routes())
        .mount("/api", masks::routes())
        .mount("/api", mends::routes())
        .mount("/api", against::routes())
        .mount("/api", documents::routes())
        .mount("/api", finish_library::routes())
        .mount("/api", finishes::routes())
        .mount("/api", reach::routes())
        .mount("/api", run_orders::routes())
        .mount("/api", runs::routes())
        .mount("/api", queue::routes())
        .mount("/api", compare::routes())
        .mount("/api", preflight::routes())
        .mount("/api", cluster::routes())
        .mount("/api", displaced::routes())
        .mount("/api", batches::routes())
        .mount("/api", deliveries::routes())
        .mount("/api", profiles::routes())
        .mount("/api", ledger::routes())
        .mount("/api", looks::routes())
        .mount("/api", truths::routes())
        .mount("/api", hits::routes())
        .mount("/api", imports::routes())
        .mount("/api", events::routes())
        .mount("/api", about::routes())
        .mount("/", pages::routes())
        .register("/", catchers![any_error])
}

/// What no route answered, in the same form as every other error.
#[catch(default)]
fn any_error(status: Status, request: &Request) -> Json<Problem> {
    if let Some(fault) = Refused::of(request) {
        return Json(Problem::plain(fault.text()));
    }
    let error = match status.code {
        404 => format!("there is nothing at {}", request.uri().path()),
        413 => "the request is larger than the limit".to_owned(),
        422 => format!("a part of the address {} does not have the expected form", request.uri()),
        _ => format!("{} ({})", status.reason_lossy(), status.code),
    };
    Json(Problem::plain(error))
}
