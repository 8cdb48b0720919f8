//! What requests hold: JSON bodies and values of the query. What cannot be used is answered in the form of every other error.

use crate::fault::{Fault, Result};
use rocket::Request;
use rocket::data::{self, Data, FromData};
use rocket::form::{self, FromFormField, ValueField};
use rocket::http::Status;
use rocket::serde::json::{Error, Json};
use serde::de::{DeserializeOwned, IgnoredAny};

/// A JSON body of the form `T`.
pub struct Sent<T>(pub T);

/// A value of the query, or what is wrong with it. A guard that failed would pass the request on to routes it is not meant for.
pub struct Given<T>(std::result::Result<Option<T>, String>);

impl<'r, T: FromFormField<'r>> FromFormField<'r> for Given<T> {
    fn from_value(field: ValueField<'r>) -> form::Result<'r, Self> {
        let (name, value) = (field.name.to_string(), field.value);
        let read = T::from_value(field).map(Some).map_err(|wrong| {
            let why: Vec<String> = wrong.iter().map(|e| e.kind.to_string()).collect();
            format!("{name} is '{value}': {}", why.join("; "))
        });
        Ok(Given(read))
    }

    fn default() -> Option<Self> {
        Some(Given(Ok(None)))
    }
}

impl<T> Given<T> {
    /// The value, if there is one.
    pub fn optional(self) -> Result<Option<T>> {
        self.0.map_err(Fault::unusable)
    }

    /// The value of the name that the route gives it.
    pub fn required(self, name: &str) -> Result<T> {
        self.optional()?.ok_or_else(|| Fault::unusable(format!("{name} is missing from the address")))
    }
}

/// Why a guard turned a request away, kept for the catcher that answers it.
pub struct Refused(Option<Fault>);

impl Refused {
    /// Keeps a fault with its request; only the first of a request is told.
    pub fn keep(request: &Request<'_>, fault: Fault) {
        request.local_cache(|| Refused(Some(fault)));
    }

    pub fn of<'r>(request: &'r Request<'_>) -> Option<&'r Fault> {
        request.local_cache(|| Refused(None)).0.as_ref()
    }
}

#[rocket::async_trait]
impl<'r, T: DeserializeOwned> FromData<'r> for Sent<T> {
    type Error = ();

    async fn from_data(request: &'r Request<'_>, data: Data<'r>) -> data::Outcome<'r, Self> {
        let fault = match Json::<T>::from_data(request, data).await {
            data::Outcome::Success(Json(value)) => return data::Outcome::Success(Sent(value)),
            data::Outcome::Error((_, error)) => told(&error),
            data::Outcome::Forward((data, status)) => return data::Outcome::Forward((data, status)),
        };
        let status = fault.status();
        Refused::keep(request, fault);
        data::Outcome::Error((status, ()))
    }
}

fn told(error: &Error<'_>) -> Fault {
    match error {
        Error::Parse(text, e) if serde_json::from_str::<IgnoredAny>(text).is_ok() => {
            Fault::unusable(format!("the request's body does not have the expected form: {e}"))
        }
        Error::Parse(_, e) => Fault::new(Status::BadRequest, format!("the request's body is not valid JSON: {e}")),
        Error::Io(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => {
            Fault::new(Status::PayloadTooLarge, "the request is larger than the limit")
        }
        Error::Io(e) => Fault::new(Status::BadRequest, format!("the request was cut off: {e}")),
    }
}
