//! The program itself: which one answers, and what can be asked of it.

use crate::App;
use crate::api::About;
use crate::describe::description;
use rocket::serde::json::{Json, Value};
use rocket::{State, get};
use std::sync::{Arc, LazyLock};

described_routes!(show_about, show_description);

/// Which program answers, and what it holds in memory.
#[utoipa::path(tag = "program", responses((status = 200, description = "Version and memory", body = ref("About"))))]
#[get("/about")]
fn show_about(app: &State<Arc<App>>) -> Json<About> {
    let (memory_held, memory_most) = (app.memory.held(), app.memory.most());
    Json(About { version: env!("CARGO_PKG_VERSION").into(), memory_held, memory_most })
}

/// This description.
#[utoipa::path(
    tag = "program",
    responses((status = 200, description = "OpenAPI 3.1 as JSON", body = serde_json::Value)),
)]
#[get("/openapi.json")]
fn show_description() -> Json<&'static Value> {
    static DESCRIPTION: LazyLock<Value> = LazyLock::new(description);
    Json(&DESCRIPTION)
}
