//! Errors as the page gets them: a status and one sentence with the place, the fault and the remedy.

use ember_ridge_core::recipe::Conflict;
use ember_ridge_formats::ReadFault;
use ember_ridge_store::StoreFault;
use rocket::http::Status;
use rocket::response::{Responder, Result as Answer};
use rocket::serde::json::Json;
use rocket::{Request, response};
use schemars::JsonSchema;
use serde::Serialize;

/// The body of every error.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Problem {
    pub error: String,
    /// Places that an edit and the asset as it stands both changed; empty for every other error.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub conflicts: Vec<Conflict>,
}

impl Problem {
    pub fn plain(error: impl Into<String>) -> Problem {
        Problem { error: error.into(), conflicts: Vec::new() }
    }
}

#[derive(Clone, Debug)]
pub struct Fault {
    status: Status,
    problem: Problem,
}

impl std::fmt::Display for Fault {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.text())
    }
}

pub type Result<T> = std::result::Result<T, Fault>;

impl Fault {
    pub fn new(status: Status, text: impl Into<String>) -> Fault {
        Fault { status, problem: Problem::plain(text) }
    }

    pub fn unusable(text: impl Into<String>) -> Fault {
        Fault::new(Status::UnprocessableEntity, text)
    }

    pub fn missing(what: &str) -> Fault {
        Fault::new(Status::NotFound, format!("there is no {what}"))
    }

    pub fn conflict(error: impl Into<String>, conflicts: Vec<Conflict>) -> Fault {
        Fault { status: Status::Conflict, problem: Problem { error: error.into(), conflicts } }
    }

    pub fn text(&self) -> &str {
        &self.problem.error
    }

    pub fn status(&self) -> Status {
        self.status
    }
}

impl From<StoreFault> for Fault {
    fn from(fault: StoreFault) -> Fault {
        let status = match &fault {
            StoreFault::Missing(_) => Status::NotFound,
            StoreFault::Stale { .. } => Status::Conflict,
            full if full.is_full_disk() => Status::InsufficientStorage,
            StoreFault::Held { .. }
            | StoreFault::File { .. }
            | StoreFault::Database(_)
            | StoreFault::Migration(_)
            | StoreFault::Damaged(_) => Status::InternalServerError,
        };
        Fault::new(status, fault.to_string())
    }
}

impl From<ReadFault> for Fault {
    fn from(fault: ReadFault) -> Fault {
        Fault::unusable(fault.to_string())
    }
}

impl From<std::io::Error> for Fault {
    fn from(error: std::io::Error) -> Fault {
        match is_full_disk(&error) {
            true => Fault::new(
                Status::InsufficientStorage,
                format!("the disk is full ({error}). Free some space, then try again"),
            ),
            false => Fault::new(Status::InternalServerError, format!("a file could not be written or read: {error}")),
        }
    }
}

/// Picture writers wrap what the disk answered, and its kind is lost on the way.
fn is_full_disk(error: &std::io::Error) -> bool {
    let kinds = [std::io::ErrorKind::StorageFull, std::io::ErrorKind::QuotaExceeded, std::io::ErrorKind::FileTooLarge];
    kinds.contains(&error.kind()) || error.to_string().contains("No space left")
}

impl From<serde_json::Error> for Fault {
    fn from(error: serde_json::Error) -> Fault {
        Fault::new(Status::InternalServerError, format!("an answer could not be written: {error}"))
    }
}

impl<'r> Responder<'r, 'static> for Fault {
    fn respond_to(self, request: &'r Request<'_>) -> Answer<'static> {
        let body = Json(self.problem).respond_to(request)?;
        response::Response::build_from(body).status(self.status).ok()
    }
}

/// Runs work that takes long or blocks away from the threads that answer requests.
pub async fn aside<T: Send + 'static>(work: impl FnOnce() -> Result<T> + Send + 'static) -> Result<T> {
    let failed =
        |_| Fault::new(Status::InternalServerError, "the work ended unexpectedly; the program's output says more");
    tokio::task::spawn_blocking(work).await.map_err(failed)?
}
