//! Maps looked at closely by the API: their spread, parts of their range, mips and what those mix, and large ones square by square.

use crate::support::*;
use ember_ridge_formats::image::read_image;
use image::ImageReader;
use rocket::http::Status;
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};
use std::io::{Cursor, Read};

async fn picture(client: &Client, address: &str) -> (u32, u32, Vec<[u8; 3]>) {
    let answer = client.get(address).header(host()).dispatch().await;
    assert_eq!(answer.status(), Status::Ok, "{address}");
    let bytes = answer.into_bytes().await.expect("bytes");
    let picture =
        ImageReader::with_format(Cursor::new(bytes), image::ImageFormat::Png).decode().expect("a PNG").to_rgb8();
    (picture.width(), picture.height(), picture.pixels().map(|pixel| pixel.0).collect())
}

/// A file of a run's package.
async fn delivered(client: &Client, run: &Value, ending: &str) -> Vec<u8> {
    let answer = client.get(format!("/api/runs/{}/package", run["id"])).header(host()).dispatch().await;
    let mut zip = zip::ZipArchive::new(Cursor::new(answer.into_bytes().await.expect("bytes"))).expect("a zip");
    let mut all = zip.file_names();
    let name = all.find_map(|name| name.ok().filter(|name| name.ends_with(ending))).expect("such a file").into_owned();
    drop(all);
    let mut bytes = Vec::new();
    zip.by_name(&name).expect("a file").read_to_end(&mut bytes).expect("bytes");
    bytes
}

async fn with_maps(client: &Client, maps: Value, sheet: Value) -> Value {
    revise(client, |recipe| {
        recipe["maps"] = maps;
        for (key, value) in sheet.as_object().expect("settings") {
            recipe["sheet"][key] = value.clone();
        }
    })
    .await;
    let run = baked(client, "final").await;
    assert_eq!(run["status"], "done", "{run}");
    run
}

#[rocket::async_test]
async fn values_are_counted_and_shown_in_their_unit() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let maps = json!([{ "map": "displacement", "scale": 0.4 }, { "map": "normal" }]);
    let run = with_maps(&client, maps, json!({ "size": 64, "samples": 1, "padding": 0, "depth": "16" })).await;
    let id = &run["id"];
    let (status, told) = get(&client, &format!("/api/runs/{id}/distribution/displacement")).await;
    assert_eq!(status, Status::Ok, "{told}");
    assert_eq!((&told["unit"], &told["low"], &told["high"]), (&json!("units"), &json!(-0.2), &json!(0.2)));
    // Against the file, decoded by another library: where the low-poly covers the sheet is told by the normal map's blue.
    let bytes = delivered(&client, &run, "displacement.png").await;
    let file =
        ImageReader::with_format(Cursor::new(bytes), image::ImageFormat::Png).decode().expect("a PNG").to_luma16();
    let heights: Vec<f64> = file.pixels().map(|pixel| (f64::from(pixel.0[0]) / 65535.0 - 0.5) * 0.4).collect();
    let texels = told["texels"].as_u64().expect("a count");
    assert!(texels > 0 && texels <= 64 * 64, "{texels}");
    let spread = &told["channels"][0];
    let bins: Vec<u64> = spread["bins"].as_array().expect("bins").iter().filter_map(Value::as_u64).collect();
    assert_eq!((bins.len(), bins.iter().sum::<u64>()), (128, texels));
    // Empty texels hold zero: without them the sum is the same.
    let mean = spread["mean"].as_f64().expect("a mean");
    assert!((mean * texels as f64 - heights.iter().sum::<f64>()).abs() < 1e-3, "{mean}");
    let most = heights.iter().copied().fold(f64::MIN, f64::max);
    assert!((spread["most"].as_f64().expect("a number") - most).abs() < 1e-5);

    // A part of the range: black at 0, white at the highest.
    let (_, _, rows) = picture(&client, &format!("/api/runs/{id}/look/displacement?from=0&to={most}")).await;
    for (at, height) in heights.iter().enumerate() {
        let wanted = (height / most).clamp(0.0, 1.0) * 255.0;
        assert!((f64::from(rows[at][0]) - wanted).abs() <= 0.51, "{at}: {}, wanted {wanted}", rows[at][0]);
    }
    // A mip level is the mean of what it stands for.
    let (wide, _, rows) = picture(&client, &format!("/api/runs/{id}/look/displacement?level=3")).await;
    assert_eq!(wide, 8);
    for (x, y) in [(0, 0), (4, 3), (7, 7)] {
        let under = (0..64).map(|i| heights[(8 * y + i / 8) * 64 + 8 * x + i % 8]);
        let wanted = (under.sum::<f64>() / 64.0 / 0.4 + 0.5) * 255.0;
        assert!((f64::from(rows[y * 8 + x][0]) - wanted).abs() <= 0.51, "{x} {y}");
    }
    let (_, told) = get(&client, &format!("/api/runs/{id}/distribution/normal")).await;
    assert_eq!((told["channels"].as_array().map(Vec::len), &told["low"]), (Some(3), &json!(-1.0)));
    for wrong in ["look/normal?from=1", "look/normal?from=1&to=1", "look/normal?stops=99", "look/normal?level=x"] {
        assert_eq!(get(&client, &format!("/api/runs/{id}/{wrong}")).await.0, Status::UnprocessableEntity, "{wrong}");
    }
    for none in [
        "look/ao",
        "look/normal?level=9",
        "look/normal?sheet=4",
        "mixing?level=0",
        "mixing?level=9",
        "squares/normal/0/0/0",
    ] {
        assert_eq!(get(&client, &format!("/api/runs/{id}/{none}")).await.0, Status::NotFound, "{none}");
    }
}

#[rocket::async_test]
async fn mips_tell_what_they_mix() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let sheet = json!({ "size": 64, "samples": 1, "padding": 0 });
    let run = with_maps(&client, json!([{ "map": "normal" }]), sheet).await;
    let id = &run["id"];
    let (_, levels) = get(&client, &format!("/api/runs/{id}/mips")).await;
    let sides: Vec<u64> = levels.as_array().expect("levels").iter().filter_map(|l| l["side"].as_u64()).collect();
    assert_eq!(sides, [32, 16, 8, 4]);
    for level in levels.as_array().expect("levels") {
        let (wide, _, rows) = picture(&client, &format!("/api/runs/{id}/mixing?level={}", level["level"])).await;
        assert_eq!(json!(wide), level["side"]);
        let count = |shade: u8| rows.iter().filter(|row| row[0] == shade).count();
        assert_eq!((json!(count(128)), json!(count(255))), (level["background"].clone(), level["islands"].clone()));
    }
    // Filled to the last texel, nothing mixes in background.
    let whole = with_maps(&client, json!([{ "map": "normal" }]), json!({ "padding": "all" })).await;
    let (_, levels) = get(&client, &format!("/api/runs/{}/mips", whole["id"])).await;
    assert!(levels.as_array().is_some_and(|all| all.iter().all(|level| level["background"] == 0)), "{levels}");
}

#[rocket::async_test]
async fn a_large_map_is_looked_at_square_by_square() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    const SIZE: u32 = 4352;
    let sheet = json!({ "size": SIZE, "samples": 1, "padding": 2, "depth": "16" });
    let run = with_maps(&client, json!([{ "map": "position" }]), sheet).await;
    let id = &run["id"];
    let file = read_image("map.png", &delivered(&client, &run, "position.png").await).expect("the file");
    assert_eq!(file.width, SIZE);
    // Its picture is a copy of at most 2048 texels per side, and the levels that come in squares are told.
    let (_, detail) = get(&client, &format!("/api/runs/{id}")).await;
    let shown = &detail["pictures"][0];
    assert_eq!(shown["squares"], json!([4352, 2176, 1088, 544, 272, 136]));
    let (wide, ..) = picture(&client, &format!("/api/pictures/{}", shown["hash"].as_str().expect("a hash"))).await;
    assert_eq!(wide, 1088);
    // The value under the pointer is that of the file.
    for (x, y) in [(0, 0), (1000, 2100), (2176, 2175), (4351, 4351)] {
        let (_, texel) = get(&client, &format!("/api/runs/{id}/texel?x={x}&y={y}")).await;
        let told = texel["maps"][0]["channels"].as_array().expect("channels").clone();
        for (c, value) in told.iter().enumerate() {
            let off = value.as_f64().expect("a number") - f64::from(file.texel(x, y)[c]);
            assert!(off.abs() < 1e-6, "{x} {y} {c}: {off}");
        }
    }
    // A square shows the file's texels; the last one of a row is what is left.
    let (wide, high, rows) = picture(&client, &format!("/api/runs/{id}/squares/position/0/8/9")).await;
    assert_eq!((wide, high), (256, 256));
    for (x, y) in [(0, 0), (17, 200), (255, 255)] {
        let wanted = file.texel(8 * 256 + x, 9 * 256 + y).map(|value| (value * 255.0).round() as u8);
        assert_eq!(rows[(y * 256 + x) as usize], wanted[..3], "{x} {y}");
    }
    let (wide, high, _) = picture(&client, &format!("/api/runs/{id}/squares/position/1/8/0")).await;
    assert_eq!((wide, high), (128, 256));
    assert_eq!(get(&client, &format!("/api/runs/{id}/squares/position/0/17/0")).await.0, Status::NotFound);
    assert_eq!(get(&client, &format!("/api/runs/{id}/squares/position/9/0/0")).await.0, Status::NotFound);
    // A mip level is one picture, made from them.
    let (wide, ..) = picture(&client, &format!("/api/runs/{id}/look/position?level=2")).await;
    assert_eq!(wide, 1088);
    // Damaged on the disk, it is named with what to do.
    for blob in blobs_over(data.path(), 100_000) {
        let mut bytes = std::fs::read(&blob).expect("a blob");
        if bytes.starts_with(b"ERsquar1") {
            let end = bytes.len() - 20_000;
            bytes[100..end].fill(0x55);
            std::fs::write(&blob, bytes).expect("room");
        }
    }
    let (status, told) = get(&client, &format!("/api/runs/{id}/texel?x=7&y=7")).await;
    assert_eq!(status, Status::InternalServerError, "{told}");
    let told = told["error"].as_str().expect("a reason");
    assert!(told.starts_with("position: ") && told.ends_with("Bake the run again"), "{told}");
}

/// Blobs of so many bytes and more.
fn blobs_over(data: &std::path::Path, least: u64) -> Vec<std::path::PathBuf> {
    let shelves = std::fs::read_dir(data.join("blobs")).expect("a folder").flatten();
    let blobs = shelves.flat_map(|shelf| std::fs::read_dir(shelf.path()).expect("a shelf").flatten());
    blobs.filter(|blob| blob.metadata().is_ok_and(|m| m.len() >= least)).map(|blob| blob.path()).collect()
}
