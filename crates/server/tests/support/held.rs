//! A client for tests that holds every answer to the description of the API.

use super::support::host;
use rocket::http::{Method, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};
use std::cell::RefCell;
use std::collections::BTreeSet;

/// A client that holds every answer to the description, and remembers which routes gave what they are for.
pub struct Held {
    pub client: Client,
    pub description: Value,
    pub answered: RefCell<BTreeSet<String>>,
}

impl Held {
    pub fn new(client: Client) -> Held {
        Held { client, description: ember_ridge_server::description(), answered: RefCell::default() }
    }

    /// The one path of the description that an address belongs to: a named part before a part that stands for any.
    pub fn operation(&self, method: Method, address: &str) -> (String, &Value) {
        let path = address.split('?').next().and_then(|p| p.strip_prefix("/api")).expect("an address of the API");
        let fits = |template: &str| {
            let (parts, wanted): (Vec<&str>, Vec<&str>) = (path.split('/').collect(), template.split('/').collect());
            parts.len() == wanted.len() && parts.iter().zip(wanted).all(|(a, b)| b.starts_with('{') || *a == b)
        };
        let paths = self.description["paths"].as_object().expect("paths");
        let (template, item) = paths.iter().find(|(t, _)| fits(t)).unwrap_or_else(|| panic!("{path} is not described"));
        let verb = method.as_str().to_lowercase();
        let operation = item.get(&verb).unwrap_or_else(|| panic!("{verb} {template} is not described"));
        (format!("{verb} {template}"), operation)
    }

    pub fn check_form(&self, named: &str, schema: &Value, value: &Value) {
        let whole = json!({ "components": self.description["components"], "allOf": [schema] });
        let validator = jsonschema::draft202012::new(&whole).expect("the description holds schemas");
        let faults: Vec<String> = validator.iter_errors(value).map(|e| format!("{}: {e}", e.instance_path())).collect();
        assert!(faults.is_empty(), "{named}: {faults:#?}");
    }

    /// Asks, and holds the answer to the description. JSON is given as it is, other bodies as their length.
    pub async fn ask(&self, method: Method, address: &str, body: Vec<u8>, if_match: Option<&str>) -> (Status, Value) {
        let (named, operation) = self.operation(method, address);
        if operation.get("requestBody").is_some_and(|b| b["content"].get("application/json").is_some()) {
            let schema = &operation["requestBody"]["content"]["application/json"]["schema"];
            assert!(schema.is_object(), "{named}: {schema}");
        }
        let mut request = self.client.req(method, address.to_owned()).header(host()).body(body);
        if let Some(revision) = if_match {
            request = request.header(rocket::http::Header::new("If-Match", revision.to_owned()));
        }
        let response = request.dispatch().await;
        let (status, kind) = (response.status(), response.content_type());
        let described = &operation["responses"];
        let answer = described.get(status.code.to_string()).unwrap_or(&described["default"]);
        assert!(status.code >= 400 || described.get(status.code.to_string()).is_some(), "{named}: {status}");
        if let (Status { code: 201 }, Some(place)) = (status, response.headers().get_one("Location")) {
            assert!(place.starts_with("/api/"), "{named}: {place}");
        } else {
            assert_ne!(status.code, 201, "{named} says not where what it made is");
        }
        let bytes = response.into_bytes().await.unwrap_or_default();
        let contents = answer["content"].as_object();
        let Some(contents) = contents else {
            assert!(bytes.is_empty(), "{named}: a body that is not described");
            self.answered.borrow_mut().insert(named);
            return (status, Value::Null);
        };
        let kind = kind.expect("an answer with a body says what it is").to_string();
        let kind = kind.split(';').next().expect("a part");
        let content = contents.get(kind).unwrap_or_else(|| panic!("{named}: {kind} is not described"));
        let value = match kind == "application/json" {
            true => serde_json::from_slice(&bytes).expect("JSON"),
            false => json!(bytes.len()),
        };
        if kind == "application/json" {
            self.check_form(&named, &content["schema"], &value);
        }
        if status.code < 400 {
            self.answered.borrow_mut().insert(named);
        }
        (status, value)
    }

    /// The body of an answer that is no JSON.
    pub async fn bytes(&self, address: &str) -> Vec<u8> {
        self.get(address).await;
        let response = self.client.get(address.to_owned()).header(host()).dispatch().await;
        response.into_bytes().await.unwrap_or_default()
    }

    pub async fn get(&self, address: &str) -> Value {
        let (status, value) = self.ask(Method::Get, address, Vec::new(), None).await;
        assert_eq!(status, Status::Ok, "{address}: {value}");
        value
    }

    pub async fn send(&self, method: Method, address: &str, body: Value) -> Value {
        let (status, value) = self.ask(method, address, body.to_string().into_bytes(), None).await;
        assert!(status.code < 400, "{address}: {status} {value}");
        value
    }

    pub async fn refused(&self, method: Method, address: &str, body: &str, code: u16, says: &str) {
        let (status, value) = self.ask(method, address, body.as_bytes().to_vec(), None).await;
        let error = value["error"].as_str().unwrap_or_default();
        assert!(status.code == code && error.contains(says), "{method} {address} {body}: {status} {value}");
    }
}
