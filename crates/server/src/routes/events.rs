//! Server-sent events: one stream a page, with everything that happens.

use crate::App;
use crate::api::Event as Happening;
use rocket::response::stream::{Event, EventStream};
use rocket::{Shutdown, State, get};
use std::sync::Arc;
use std::time::Duration;
use tokio::select;
use tokio::sync::broadcast::error::RecvError;

described_routes!(listen);

/// Everything that happens, as server-sent events: each `data` is an Event.
#[utoipa::path(
    tag = "program",
    responses(
        (
            status = 200,
            description = "A stream that does not end",
            body = ref("Event"),
            content_type = "text/event-stream",
        ),
    ),
)]
#[get("/events")]
fn listen(app: &State<Arc<App>>, mut end: Shutdown) -> EventStream![Event + '_] {
    let mut heard = app.jobs.events.subscribe();
    let running = app.jobs.progress();
    EventStream! {
        if let Some(progress) = running {
            yield Event::json(&Happening::Progress(progress));
        }
        loop {
            let event = select! {
                event = heard.recv() => event,
                _ = &mut end => break,
            };
            match event {
                Ok(event) => yield Event::json(&event),
                // A page that fell behind asks for everything again.
                Err(RecvError::Lagged(_)) => yield Event::json(&Happening::Asset { asset: 0 }),
                Err(RecvError::Closed) => break,
            }
        }
    }
    .heartbeat(Duration::from_secs(15))
}
