//! Who is let in, request by request, on this machine's own address and on a wider one. docs/security.md promises it.

use crate::support::{served, settings};
use ember_ridge_server::parts::{Named, parse_host, parse_origin};
use rocket::http::{Cookie, Header, Status};
use rocket::local::asynchronous::{Client, LocalRequest};

async fn ask(client: &Client, path: &str, headers: &[(&str, &str)]) -> Status {
    let mut request = client.get(path.to_owned());
    for (name, value) in headers {
        request = with(request, name, value);
    }
    request.dispatch().await.status()
}

/// The local client keeps cookies apart from headers.
fn with<'c>(request: LocalRequest<'c>, name: &str, value: &str) -> LocalRequest<'c> {
    match name {
        "Cookie" => request.cookie(Cookie::parse(value.to_owned()).expect("a cookie")),
        _ => request.header(Header::new(name.to_owned(), value.to_owned())),
    }
}

const HOST: (&str, &str) = ("Host", "127.0.0.1:4680");

#[rocket::async_test]
async fn only_requests_that_name_this_place_and_come_from_no_other() {
    let data = tempfile::tempdir().expect("a folder");
    let client = served(&ember_ridge_server::Settings { port: 4680, ..settings(data.path()) }).await;
    let api = "/api/assets";
    for headers in [
        &[HOST][..],
        &[("Host", "localhost:4680")],
        &[("Host", "LOCALHOST:4680")],
        &[("Host", "[::1]:4680")],
        &[("Host", "127.8.9.1:4680")],
        &[HOST, ("Origin", "http://127.0.0.1:4680"), ("Sec-Fetch-Site", "same-origin")],
        &[HOST, ("Sec-Fetch-Site", "none")],
    ] {
        assert_eq!(ask(&client, api, headers).await, Status::Ok, "{headers:?}");
    }
    for headers in [
        &[][..],
        &[("Host", "evil.example:4680")],
        &[("Host", "127.0.0.1.evil.example:4680")],
        &[("Host", "127.0.0.1:4681")],
        &[("Host", "127.0.0.1")],
        &[("Host", "me@127.0.0.1:4680")],
        &[("Host", "localhost:4680@evil.example")],
        &[HOST, HOST],
        &[HOST, ("Host", "evil.example")],
        &[HOST, ("Origin", "http://evil.example")],
        &[HOST, ("Origin", "http://127.0.0.1:4681")],
        &[HOST, ("Origin", "http://127.0.0.1:46800")],
        &[HOST, ("Origin", "http://127.0.0.1:4680.evil.example")],
        &[HOST, ("Origin", "http://x@127.0.0.1:4680")],
        &[HOST, ("Origin", "null")],
        &[HOST, ("Origin", "http://127.0.0.1:4680"), ("Origin", "http://evil.example")],
        &[HOST, ("Sec-Fetch-Site", "cross-site")],
        &[HOST, ("Sec-Fetch-Site", "same-site")],
        // An image tag on a foreign page, and a form that is sent from there.
        &[HOST, ("Sec-Fetch-Site", "cross-site"), ("Sec-Fetch-Mode", "no-cors"), ("Sec-Fetch-Dest", "image")],
        &[HOST, ("Sec-Fetch-Site", "cross-site"), ("Sec-Fetch-Mode", "navigate"), ("Sec-Fetch-Dest", "document")],
    ] {
        assert_eq!(ask(&client, api, headers).await, Status::Forbidden, "{headers:?}");
    }
    // A link to the page itself may be followed from anywhere; it starts nothing.
    let followed =
        [HOST, ("Sec-Fetch-Site", "cross-site"), ("Sec-Fetch-Mode", "navigate"), ("Sec-Fetch-Dest", "document")];
    assert_eq!(ask(&client, "/", &followed).await, Status::Ok);
    let framed = [HOST, ("Sec-Fetch-Site", "cross-site"), ("Sec-Fetch-Mode", "navigate"), ("Sec-Fetch-Dest", "iframe")];
    assert_eq!(ask(&client, "/", &framed).await, Status::Forbidden);
}

#[rocket::async_test]
async fn beyond_this_machine_the_token_opens_and_an_old_cookie_locks_nobody_out() {
    let data = tempfile::tempdir().expect("a folder");
    let wide = ember_ridge_server::Settings { address: [0, 0, 0, 0].into(), port: 4680, ..settings(data.path()) };
    let ready = ember_ridge_server::prepare(&wide).await.expect("starts");
    let token = ready.url.split_once("?token=").expect("the address carries it").1.to_owned();
    assert!(token.len() == 32 && token.bytes().all(|b| b.is_ascii_hexdigit()));
    let client = Client::untracked(ready.rocket).await.expect("starts");
    let host = ("Host", "studio.example:4680");
    assert_eq!(ask(&client, "/api/assets", &[host]).await, Status::Unauthorized);
    assert_eq!(ask(&client, "/api/assets?token=0123456789abcdef0123456789abcdef", &[host]).await, Status::Unauthorized);
    let stale = ("Cookie", "ember-ridge-token-4680=0123456789abcdef0123456789abcdef");
    assert_eq!(ask(&client, "/api/assets", &[host, stale]).await, Status::Unauthorized);
    // The printed address, opened in a browser that still has the cookie from before: it gets the new one.
    let request = with(client.get(format!("/?token={token}")), host.0, host.1);
    let opened = with(request, stale.0, stale.1).dispatch().await;
    assert_eq!(opened.status(), Status::Ok);
    let cookie = opened.headers().get_one("Set-Cookie").expect("a cookie").to_owned();
    assert!(cookie.contains(&token) && cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    let kept = cookie.split(';').next().expect("a value").to_owned();
    assert_eq!(ask(&client, "/api/assets", &[host, ("Cookie", &kept)]).await, Status::Ok);
    // The token does not open the door to other pages.
    assert_eq!(
        ask(&client, "/api/assets", &[host, ("Cookie", &kept), ("Origin", "http://evil.example")]).await,
        Status::Forbidden
    );
    assert_eq!(ask(&client, "/api/events", &[host]).await, Status::Unauthorized);
}

#[test]
fn hosts_are_parsed_whole() {
    let named = |host: &str, port| Some(Named { host: host.into(), port });
    assert_eq!(parse_host("127.0.0.1:4680", 80), named("127.0.0.1", 4680));
    assert_eq!(parse_host("LocalHost", 80), named("localhost", 80));
    assert_eq!(parse_host("[::1]:4680", 80), named("::1", 4680));
    assert_eq!(parse_origin("http://[::1]"), named("::1", 80));
    for wrong in [
        "",
        ":80",
        "a:b",
        "a:80:80",
        "me@127.0.0.1:80",
        "127.0.0.1:80/",
        "[::1",
        "[::1]x",
        "[no]:80",
        "a b",
        "a:99999",
        "a:+80",
    ] {
        assert_eq!(parse_host(wrong, 80), None, "{wrong}");
    }
    for wrong in ["null", "127.0.0.1:4680", "file://", "http://me@127.0.0.1", "http://a/b", "http://a, http://b"] {
        assert_eq!(parse_origin(wrong), None, "{wrong}");
    }
}
