//! The routes, by what they are about.

mod assets;
mod events;
mod hits;
mod maps;
mod meshes;
mod pages;
mod reach;
mod runs;
mod shared;

pub use assets::run_changes;
pub use hits::{HITS_SETTING, MOST_HITS};

use crate::fault::Problem;
use rocket::serde::json::Json;
use rocket::{Build, Request, Rocket, catch, catchers, http::Status};

pub fn mount(rocket: Rocket<Build>) -> Rocket<Build> {
    rocket
        .mount("/api", assets::routes())
        .mount("/api", meshes::routes())
        .mount("/api", maps::routes())
        .mount("/api", reach::routes())
        .mount("/api", runs::routes())
        .mount("/api", hits::routes())
        .mount("/api", events::routes())
        .mount("/", pages::routes())
        .register("/", catchers![any_error])
}

/// What no route answered, in the same form as every other error.
#[catch(default)]
fn any_error(status: Status, request: &Request) -> Json<Problem> {
    let error = match status.code {
        404 => format!("there is nothing at {}", request.uri().path()),
        413 => "the request is larger than the limit".to_owned(),
        428 => "say in an If-Match header which revision the edit was made to".to_owned(),
        422 => "the request's body does not have the expected form".to_owned(),
        _ => format!("{} ({})", status.reason_lossy(), status.code),
    };
    Json(Problem::plain(error))
}
