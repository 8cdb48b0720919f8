//! What the walk over all routes does not reach of finishes: files of floats against live, and two documents of one name.

use crate::support::{answer, baked, get, host, post, revise, with_square};
use rocket::http::{ContentType, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};

#[rocket::async_test]
async fn files_of_floats_are_held_against_live_as_the_eye_sees_them() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    let (status, asset) = revise(&client, |recipe| {
        recipe["sheet"]["size"] = json!(64);
        recipe["sheet"]["format"] = json!("exr");
        recipe["sheet"]["depth"] = json!("32f");
        recipe["maps"] = json!([{ "map": "base-color" }, { "map": "roughness" }]);
        recipe["finishes"] =
            json!([{ "name": "paint", "on": "all", "base": { "color": "#405060", "roughness": 0.3 } }]);
    })
    .await;
    assert_eq!(status, Status::Ok, "{asset}");
    assert_eq!(baked(&client, "final").await["status"], "done");
    let (status, told) = post(&client, "/api/runs/1/against-live", asset["recipe"].clone()).await;
    assert_eq!(status, Status::Ok, "{told}");
    let differences = told["differences"].as_array().expect("differences");
    assert_eq!(differences.len(), 2, "{told}");
    assert!(differences.iter().all(|d| d["max"].as_f64().is_some_and(|max| max < 0.01)), "{differences:?}");
    let (_, texel) = get(&client, "/api/runs/1/texel?x=20&y=20").await;
    assert_eq!(
        (&texel["maps"][0]["words"], &texel["maps"][1]["words"]),
        (&json!("#405060"), &json!("0.30")),
        "{texel}"
    );
}

async fn import(client: &Client, color: &str) -> Value {
    let text = format!(
        r#"<materialx version="1.39"><standard_surface name="s" type="surfaceshader">
           <input name="base_color" type="color3" value="{color}"/></standard_surface></materialx>"#
    );
    let path = "/api/assets/1/documents?file=paint.mtlx";
    let (status, asset) =
        answer(client.post(path).header(host()).header(ContentType::Binary).body(text).dispatch().await).await;
    assert_eq!(status, Status::Ok, "{asset}");
    asset["recipe"].clone()
}

#[rocket::async_test]
async fn a_second_document_of_a_name_leaves_the_first_as_it_is() {
    let data = tempfile::tempdir().expect("a folder");
    let client = with_square(data.path()).await;
    import(&client, "1, 0, 0").await;
    let recipe = import(&client, "0, 0, 1").await;
    let file = |at: usize| recipe["finishes"][at]["materialx"]["file"].clone();
    assert_eq!((file(0), file(1)), (json!("paint.mtlx"), json!("paint 2.mtlx")));
    // The same document again is the same file.
    let again = import(&client, "1, 0, 0").await;
    assert_eq!(again["finishes"][2]["materialx"], recipe["finishes"][0]["materialx"]);
    assert_eq!(again["finishes"][2]["name"], "s 3");
    // Named alike by hand, they are refused: one of them would be baked as the other.
    let (status, refused) = revise(&client, |recipe| {
        recipe["finishes"][1]["materialx"]["file"] = json!("paint.mtlx");
    })
    .await;
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(refused["error"].to_string().contains("two different documents 'paint.mtlx'"), "{refused}");
    assert_eq!(get(&client, "/api/assets/1").await.1["recipe"]["finishes"], again["finishes"]);
}
