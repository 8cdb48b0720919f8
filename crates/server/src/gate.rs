//! Who may talk to the server. On this machine's own address: requests that name it as Host. On a wider address: only with the
//! token as well. Nowhere a request that a foreign page in the browser makes. docs/security.md tells what is promised.

use crate::fault::Problem;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::uri::Origin;
use rocket::http::{ContentType, Cookie, Method, SameSite, Status};
use rocket::{Data, Request, Response};
use std::collections::hash_map::RandomState;
use std::hash::{BuildHasher, Hasher};
use std::net::IpAddr;

/// Requests that are turned away are sent here; no route is mounted on it.
const REFUSED: &str = "/refused-by-the-gate";
const NO_TOKEN: &str = "/refused-for-want-of-a-token";

pub struct Gate {
    /// Asked for when the server listens beyond this machine.
    token: Option<String>,
    /// The port that requests come to; 0 when it is not known.
    port: u16,
}

/// A host and a port, as a Host header or an Origin names them.
#[derive(Debug, PartialEq, Eq)]
pub struct Named {
    pub host: String,
    pub port: u16,
}

/// `host`, `host:port`, `1.2.3.4:port` or `[::1]:port`, and nothing else.
pub fn parse_host(text: &str, default_port: u16) -> Option<Named> {
    let (host, port) = match text.strip_prefix('[') {
        Some(rest) => {
            let (address, after) = rest.split_once(']')?;
            address.parse::<std::net::Ipv6Addr>().ok()?;
            (address, after.strip_prefix(':').map_or((after.is_empty()).then_some(None), |p| Some(Some(p)))?)
        }
        None => match text.split_once(':') {
            Some((host, port)) => (host, Some(port)),
            None => (text, None),
        },
    };
    let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_' | ':');
    if host.is_empty() || !host.chars().all(plain) {
        return None;
    }
    let digits = |p: &str| p.bytes().all(|b| b.is_ascii_digit()).then(|| p.parse().ok()).flatten();
    let port = port.map_or(Some(default_port), digits)?;
    Some(Named { host: host.to_ascii_lowercase(), port })
}

/// The host and port of an origin such as `http://127.0.0.1:4680`.
pub fn parse_origin(text: &str) -> Option<Named> {
    match text.split_once("://")? {
        ("http", rest) => parse_host(rest, 80),
        ("https", rest) => parse_host(rest, 443),
        _ => None,
    }
}

/// Why a request is turned away.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Refusal {
    /// It names another host, or a foreign page made it.
    Foreign,
    /// It does not bring the token.
    Token,
}

impl Gate {
    pub fn new(address: IpAddr, port: u16) -> Gate {
        Gate { token: (!address.is_loopback()).then(random_token), port }
    }

    /// What the address to open ends in.
    pub fn query(&self) -> String {
        self.token.as_ref().map_or(String::new(), |t| format!("?token={t}"))
    }

    /// Servers on other ports of the machine have cookies of their own.
    fn cookie(&self) -> String {
        format!("ember-ridge-token-{}", self.port)
    }

    fn check(&self, request: &Request) -> Result<(), Refusal> {
        let only = |name: &str| {
            let mut values = request.headers().get(name);
            (values.next(), values.next().is_some())
        };
        let (Some(host), false) = only("Host") else { return Err(Refusal::Foreign) };
        let host = parse_host(host, 80).ok_or(Refusal::Foreign)?;
        if !self.is_own(request, &host) {
            return Err(Refusal::Foreign);
        }
        match &self.token {
            None => {
                let own = host.host == "localhost" || host.host.parse::<IpAddr>().is_ok_and(|a| a.is_loopback());
                let port = self.port == 0 || host.port == self.port;
                if own && port { Ok(()) } else { Err(Refusal::Foreign) }
            }
            Some(token) => {
                // Hashes are compared in constant time.
                let same = |given: &str| blake3::hash(given.as_bytes()) == blake3::hash(token.as_bytes());
                let cookies = request.cookies();
                let kept = cookies.get(&self.cookie()).is_some_and(|c| same(c.value()));
                if kept || given_token(request).is_some_and(|g| same(&g)) { Ok(()) } else { Err(Refusal::Token) }
            }
        }
    }

    /// Whether no page of another place made the request. Browsers say so; scripts say nothing.
    fn is_own(&self, request: &Request, host: &Named) -> bool {
        let mut origins = request.headers().get("Origin");
        let origin = origins.next();
        if origins.next().is_some() {
            return false;
        }
        if let Some(origin) = origin {
            // Behind a proxy that speaks https the scheme's own port stands for the one asked for.
            return parse_origin(origin)
                .is_some_and(|o| o == *host || (o.host == host.host && self.token.is_some() && o.port == 443));
        }
        let header = |name: &str| request.headers().get_one(name);
        match header("Sec-Fetch-Site") {
            None | Some("same-origin" | "none") => true,
            // A link that was followed to the page itself starts no work.
            Some(_) => {
                let followed =
                    header("Sec-Fetch-Mode") == Some("navigate") && header("Sec-Fetch-Dest") == Some("document");
                followed && request.method() == Method::Get && !request.uri().path().starts_with("/api")
            }
        }
    }
}

fn given_token(request: &Request) -> Option<String> {
    request.query_value::<String>("token").and_then(Result::ok)
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
        let answer = match self.check(request) {
            Ok(()) => {
                // Whoever brings the token gets the cookie, in place of one from before a restart.
                if let (Some(token), Some(_)) = (&self.token, given_token(request)) {
                    let cookie =
                        Cookie::build((self.cookie(), token.clone())).same_site(SameSite::Strict).http_only(true);
                    request.cookies().add(cookie);
                }
                return;
            }
            Err(Refusal::Foreign) => REFUSED,
            Err(Refusal::Token) => NO_TOKEN,
        };
        request.set_method(Method::Get);
        request.set_uri(Origin::parse(answer).expect("a constant path"));
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        let path = request.uri().path();
        let refusal = [
            (REFUSED, Status::Forbidden, "Refused: open the address that the program printed when it started."),
            (
                NO_TOKEN,
                Status::Unauthorized,
                "The token is missing or from before a restart: open the address that the program \
                printed when it started.",
            ),
        ];
        if let Some((_, status, text)) = refusal.into_iter().find(|(refused, ..)| path == *refused) {
            response.set_status(status);
            let body = serde_json::to_string(&Problem::plain(text)).unwrap_or_default();
            response.set_header(ContentType::JSON);
            response.set_sized_body(body.len(), std::io::Cursor::new(body));
        }
        response.set_raw_header("X-Content-Type-Options", "nosniff");
        response.set_raw_header("Referrer-Policy", "no-referrer");
        response.set_raw_header("Cross-Origin-Resource-Policy", "same-origin");
        // Loaders of GLB files ask for the textures inside by addresses of the page's own.
        let policy = "default-src 'self'; connect-src 'self' blob:; img-src 'self' blob: data:; \
            style-src 'self' 'unsafe-inline'; frame-ancestors 'none'";
        response.set_raw_header("Content-Security-Policy", policy);
    }
}
