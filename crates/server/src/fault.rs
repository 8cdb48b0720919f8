//! Errors as the page gets them: a status and one sentence with the place, the fault and the remedy.

use ember_ridge_formats::ReadFault;
use ember_ridge_store::StoreFault;
use rocket::http::Status;
use rocket::response::{Responder, Result as Answer};
use rocket::serde::json::Json;
use rocket::{Request, response};
use serde::Serialize;
use ts_rs::TS;

/// The body of every error.
#[derive(Debug, Serialize, TS)]
pub struct Problem {
    pub error: String,
}

#[derive(Debug)]
pub struct Fault {
    status: Status,
    text: String,
}

pub type Result<T> = std::result::Result<T, Fault>;

impl Fault {
    pub fn new(status: Status, text: impl Into<String>) -> Fault {
        Fault { status, text: text.into() }
    }

    pub fn unusable(text: impl Into<String>) -> Fault {
        Fault::new(Status::UnprocessableEntity, text)
    }

    pub fn missing(what: &str) -> Fault {
        Fault::new(Status::NotFound, format!("there is no {what}"))
    }

    pub fn text(&self) -> &str {
        &self.text
    }
}

impl From<StoreFault> for Fault {
    fn from(fault: StoreFault) -> Fault {
        let status = match &fault {
            StoreFault::Missing(_) => Status::NotFound,
            StoreFault::Stale { .. } => Status::Conflict,
            StoreFault::File { .. } => Status::InsufficientStorage,
            StoreFault::Database(_) | StoreFault::Migration(_) | StoreFault::Damaged(_) => Status::InternalServerError,
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
        Fault::new(Status::InsufficientStorage, format!("a file could not be written or read: {error}"))
    }
}

impl<'r> Responder<'r, 'static> for Fault {
    fn respond_to(self, request: &'r Request<'_>) -> Answer<'static> {
        let body = Json(Problem { error: self.text }).respond_to(request)?;
        response::Response::build_from(body).status(self.status).ok()
    }
}

/// Runs work that takes long or blocks away from the threads that answer requests.
pub async fn aside<T: Send + 'static>(work: impl FnOnce() -> Result<T> + Send + 'static) -> Result<T> {
    let failed = |_| Fault::new(Status::InternalServerError, "the work broke off; the program's output tells more");
    tokio::task::spawn_blocking(work).await.map_err(failed)?
}
