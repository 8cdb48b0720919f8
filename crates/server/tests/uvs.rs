//! UVs edited through the real routes: what goes along softly, the layout before its steps, the low-poly as a file.

use crate::support::{bytes, client, get, host, post, square, unpack, upload, with_square};
use ember_ridge_formats::read_mesh;
use rocket::http::Status;
use serde_json::json;

#[rocket::async_test]
async fn what_goes_along_softly_is_told() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let (status, told) = get(&client, "/api/assets/1/uv-falloff?triangle=0&within=100").await;
    assert_eq!(status, Status::Ok);
    assert_eq!(told["corners"], json!([0, 1, 2, 3, 4, 5]));
    // From the middle of the first triangle its corners are 0.745, 0.471 and 0.745 away, the fourth √2 of 0.667 more.
    let away = |at: (f64, f64)| (at.0 - 1.0 / 3.0).hypot(at.1 - 2.0 / 3.0) / 100.0;
    let weight = |at| (1.0 - away(at).powi(2)).powi(2);
    let corners = [(0.0, 0.0), (0.0, 1.0), (1.0, 1.0), (0.0, 0.0), (1.0, 1.0), (1.0, 0.0)];
    for (own, at) in told["weights"].as_array().expect("weights").iter().zip(corners) {
        assert!((own.as_f64().expect("a number") - weight(at)).abs() < 1e-5, "{at:?}: {told}");
    }
    for (query, words) in [
        ("triangle=2&within=1", "Triangle 2 is not one of the low-poly, which has 2 triangles"),
        ("triangle=0&within=-1", "within is -1; give a distance above 0"),
        ("triangle=0&within=NaN", "within is NaN"),
        ("triangle=0", "within is missing"),
    ] {
        let (status, body) = get(&client, &format!("/api/assets/1/uv-falloff?{query}")).await;
        assert_eq!(status, Status::UnprocessableEntity, "{query}");
        assert!(body["error"].as_str().unwrap_or_default().contains(words), "{query}: {body}");
    }
}

#[rocket::async_test]
async fn an_edited_low_poly_is_shown_before_its_edits_and_sent_as_a_file() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let half =
        json!({ "edit": "move", "triangles": [0], "scale": [0.5, 0.5], "turn": 0, "by": [0.1, 0], "within": null });
    assert_eq!(post(&client, "/api/assets/1/uv-steps", half).await.0, Status::Ok);
    let uvs = async |query: &str| {
        let (status, shown) = bytes(&client, &format!("/api/assets/1/display/low{query}"), None).await;
        assert_eq!(status, Status::Ok);
        unpack(&shown, "uv").1
    };
    let corners = [[0.0, 1.0], [0.0, 0.0], [1.0, 0.0], [0.0, 1.0], [1.0, 0.0], [1.0, 1.0]];
    assert_eq!(uvs("?before=true").await, corners.concat());
    let moved = corners.map(|[u, v]| [(u - 0.5) * 0.5 + 0.6, (v - 0.5) * 0.5 + 0.5]);
    let near = |got: &[f32]| got.iter().zip(moved.as_flattened()).all(|(a, b)| (a - b).abs() < 1e-6);
    assert!(near(&uvs("").await));
    for format in ["glb", "obj"] {
        let response = client.get(format!("/api/assets/1/low-poly?format={format}")).header(host()).dispatch().await;
        let name = response.headers().get_one("Content-Disposition").unwrap_or_default().to_owned();
        assert!(name.contains(&format!("\"tile_low.{format}\"")), "{name}");
        let file = response.into_bytes().await.expect("a file");
        let name = format!("tile_low.{format}");
        let mesh = read_mesh(&name, &file, &|_| None).expect("it reads");
        let got: Vec<f32> = (0..2).flat_map(|t| mesh.corner_uvs(t)).flat_map(|uv| uv.to_array()).collect();
        assert!(near(&got), "{format}: {got:?}");
    }
}

#[rocket::async_test]
async fn without_a_low_poly_there_is_no_file_of_it() {
    let data = tempfile::tempdir().expect("a folder");
    let client = client(data.path()).await;
    post(&client, "/api/assets", json!({ "name": "Tile" })).await;
    upload(&client, "tile_high.obj", "high", square("tile", 0.1)).await;
    let (status, body) = get(&client, "/api/assets/1/low-poly").await;
    assert_eq!((status, &body["error"]), (Status::NotFound, &json!("there is no low-poly yet")));
    let (status, _) = get(&client, "/api/assets/1/uv-falloff?triangle=0&within=1").await;
    assert_eq!(status, Status::UnprocessableEntity);
}
