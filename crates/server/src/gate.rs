//! Who may talk to the server. On this machine's own address: requests that name it as Host, and whose Origin, if any, is the
//! same place, so that no other page in the browser can reach it. On a wider address: only with the token as well.

use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::{Cookie, Method, SameSite, Status, uri::Origin};
use rocket::{Data, Request, Response};
use std::collections::hash_map::RandomState;
use std::hash::{BuildHasher, Hasher};
use std::net::IpAddr;

const COOKIE: &str = "ember-ridge-token";
/// Requests that are turned away are sent here; no route is mounted on it.
const REFUSED: &str = "/refused-by-the-gate";

pub struct Gate {
    /// Asked for when the server listens beyond this machine.
    token: Option<String>,
}

impl Gate {
    pub fn new(address: IpAddr) -> Gate {
        Gate { token: (!address.is_loopback()).then(random_token) }
    }

    /// What the address to open ends in.
    pub fn query(&self) -> String {
        self.token.as_ref().map_or(String::new(), |t| format!("?token={t}"))
    }

    fn admits(&self, request: &Request) -> bool {
        let Some(host) = request.headers().get_one("Host") else { return false };
        let own_name = ["127.0.0.1", "localhost", "[::1]"].contains(&host_name(host));
        let same_origin = request.headers().get_one("Origin").is_none_or(|o| o.split("//").nth(1) == Some(host));
        let known = match &self.token {
            None => own_name,
            Some(token) => {
                let given = request.query_value::<&str>("token").and_then(Result::ok);
                let kept = request.cookies().get(COOKIE).map(|c| c.value().to_owned());
                given == Some(token) || kept.as_deref() == Some(token)
            }
        };
        known && same_origin
    }
}

fn host_name(host: &str) -> &str {
    let end = if host.starts_with('[') { host.find(']').map(|i| i + 1) } else { host.find(':') };
    &host[..end.unwrap_or(host.len())]
}

/// 128 bits from the system's seed for hash maps: unguessable from outside, and no more is asked of it.
fn random_token() -> String {
    let word = || RandomState::new().build_hasher().finish();
    format!("{:016x}{:016x}", word(), word())
}

#[rocket::async_trait]
impl Fairing for Gate {
    fn info(&self) -> Info {
        Info { name: "gate", kind: Kind::Request | Kind::Response }
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        if !self.admits(request) {
            request.set_method(Method::Get);
            request.set_uri(Origin::parse(REFUSED).expect("a constant path"));
        } else if let Some(token) = &self.token
            && request.cookies().get(COOKIE).is_none()
        {
            let cookie = Cookie::build((COOKIE, token.clone())).same_site(SameSite::Strict).http_only(true);
            request.cookies().add(cookie);
        }
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        if request.uri().path() == REFUSED {
            response.set_status(Status::Forbidden);
            let text = "Refused: open the address that the program printed when it started.";
            response.set_sized_body(text.len(), std::io::Cursor::new(text));
        }
        response.set_raw_header("X-Content-Type-Options", "nosniff");
        response.set_raw_header("Referrer-Policy", "no-referrer");
        let policy =
            "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'";
        response.set_raw_header("Content-Security-Policy", policy);
    }
}
