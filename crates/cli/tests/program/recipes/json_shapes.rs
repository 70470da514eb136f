//! Shapes of JSON: a language per field, per row, per address; trees of parts; views per store.

use axum::http::Method;
use serde_json::{Value as Json, json};

use super::keeper::{Asked, Keeper, Kept, Told, keeper};
use super::{hub_of, is_run, json_of, run};
use crate::harness::HubFolder;

/// Steps as they are matched.
fn steps(asked: &Asked) -> (&Method, Vec<&str>) {
    (&asked.method, asked.steps.iter().map(String::as_str).collect())
}

/// Documents of a kind at `/KIND/ID`.
fn plain(kind: &'static str, kept: &Kept, asked: &Asked) -> Option<Told> {
    let mut members = asked.query.clone();
    members.remove("page");
    match (&asked.method, asked.steps.as_slice()) {
        (&Method::GET, [of]) if of == kind => Some(Told::List(kind, 1, members)),
        (&Method::POST, [of]) if of == kind => {
            let id = kept.number().to_string();
            let item = asked.sent.get("item").cloned().unwrap_or_else(|| format!("i{id}").into());
            Some(Told::New(format!("{kind}/{id}"), json!({ "id": id, "item": item })))
        }
        (_, [of, id]) if of == kind => Some(Told::At(format!("{kind}/{id}"))),
        _ => None,
    }
}

/// The recipe of that name, with the source and the destination at one address.
fn started(
    recipe: &str,
    shape: fn(&mut Kept, &Asked) -> Option<Told>,
    source: &[(&str, Json)],
) -> (HubFolder, Keeper, String, tokio::runtime::Runtime) {
    let (url, keeper, runtime) = keeper(shape);
    source.iter().for_each(|(path, document)| keeper.kept.lock().unwrap().put(path, document.clone()));
    (hub_of(recipe), keeper, url, runtime)
}

fn variables(url: &str) -> [(&str, &str); 2] {
    [("ARCHIVE_URL", url), ("SITE_URL", url)]
}

/// Changes a document at the source, and delivers that.
fn edit(hub: &HubFolder, keeper: &Keeper, url: &str, path: &str, change: impl Fn(&mut Json)) -> Json {
    let mut document = keeper.kept.lock().unwrap().documents[path].1.clone();
    change(&mut document);
    keeper.kept.lock().unwrap().put(path, document);
    run(hub, &["pull"], &variables(url)).ends(0);
    json_of(hub, &["push"], &variables(url))
}

#[test]
fn languages_in_fields() {
    let plant =
        |id: u32, en: &str, fr: &str| (format!("plants/{id}"), json!({ "id": id, "title": { "eng": en, "fra": fr } }));
    let plants = [plant(1, "Fern", "Fougère"), plant(2, "Moss", "Mousse"), plant(3, "Sundew", "Droséra")];
    let plants: Vec<(&str, Json)> = plants.iter().map(|(path, plant)| (path.as_str(), plant.clone())).collect();
    let shape = |kept: &mut Kept, asked: &Asked| plain("plants", kept, asked).or_else(|| plain("pages", kept, asked));
    let (hub, keeper, url, _runtime) = started("languages-in-fields", shape, &plants);
    is_run(&hub, &variables(&url), 3);
    assert_eq!(edit(&hub, &keeper, &url, "plants/1", |plant| plant["title"]["fra"] = json!("Osmonde"))["updated"], 1);
    let kept = keeper.kept.lock().unwrap();
    let fern = kept.below("pages/").into_iter().find(|page| page["slug"] == "fern").unwrap();
    assert_eq!(fern["title"], json!({ "en-GB": "Fern", "fr-FR": "Osmonde" }));
}

#[test]
fn languages_in_rows() {
    let row = |id: u32, plant: &str, lang: &str, title: &str| {
        (format!("plants/{id}"), json!({ "id": id, "plant": plant, "lang": lang, "title": title }))
    };
    let plants = [
        row(1, "p1", "en", "Fern"),
        row(2, "p1", "fr", "Fougère"),
        row(3, "p2", "en", "Moss"),
        row(4, "p2", "fr", "Mousse"),
    ];
    let plants: Vec<(&str, Json)> = plants.iter().map(|(path, plant)| (path.as_str(), plant.clone())).collect();
    let shape = |kept: &mut Kept, asked: &Asked| plain("plants", kept, asked).or_else(|| plain("pages", kept, asked));
    let (hub, keeper, url, _runtime) = started("languages-in-rows", shape, &plants);
    is_run(&hub, &variables(&url), 2);
    assert_eq!(edit(&hub, &keeper, &url, "plants/2", |plant| plant["title"] = json!("Osmonde"))["updated"], 1);
    let kept = keeper.kept.lock().unwrap();
    let pages = kept.below("pages/");
    let of = |lang: &str| pages.iter().find(|page| page["slug"] == "fern" && page["lang"] == lang).unwrap();
    assert_eq!((pages.len(), &of("fr")["title"], &of("fr")["item"]), (4, &json!("Osmonde"), &of("en")["item"]));
}

/// Each language of a page is a document of its own below the page.
fn addressed(kept: &mut Kept, asked: &Asked) -> Option<Told> {
    match steps(asked) {
        (&Method::GET, steps) if matches!(steps.as_slice(), [_, "pages"]) => {
            let of = kept
                .documents
                .iter()
                .filter(|(path, _)| path.starts_with("pages/") && path.ends_with(&format!("/{}", steps[0])));
            let found: Vec<&Json> =
                of.map(|(_, (_, page))| page).filter(|page| page["slug"] == asked.query["slug"].as_str()).collect();
            Some(Told::Answer(json!({ "items": found })))
        }
        (&Method::POST, steps) if matches!(steps.as_slice(), [_, "pages"]) => {
            let id = kept.number();
            Some(Told::New(format!("pages/{id}/{}", steps[0]), json!({ "id": id })))
        }
        (&Method::POST, steps) if matches!(steps.as_slice(), ["pages", _, _]) => {
            let id: u64 = steps[1].parse().ok()?;
            // A language is added to what is there.
            kept.below(&format!("pages/{id}/")).first()?;
            Some(Told::New(format!("pages/{id}/{}", steps[2]), json!({ "id": id })))
        }
        (_, steps) if matches!(steps.as_slice(), ["pages", _, _]) => Some(Told::At(steps.join("/"))),
        _ => plain("plants", kept, asked),
    }
}

#[test]
fn languages_at_addresses() {
    let plant =
        |id: u32, en: &str, fr: &str| (format!("plants/{id}"), json!({ "id": id, "title": { "en": en, "fr": fr } }));
    let plants = [plant(1, "Fern", "Fougère"), plant(2, "Moss", "Mousse"), plant(3, "Sundew", "Droséra")];
    let plants: Vec<(&str, Json)> = plants.iter().map(|(path, plant)| (path.as_str(), plant.clone())).collect();
    let (hub, keeper, url, _runtime) = started("languages-at-addresses", addressed, &plants);
    is_run(&hub, &variables(&url), 3);
    assert_eq!(edit(&hub, &keeper, &url, "plants/1", |plant| plant["title"]["fr"] = json!("Osmonde"))["updated"], 1);
    let kept = keeper.kept.lock().unwrap();
    assert_eq!(kept.below("pages/").len(), 6);
    let fern = kept.below("pages/").into_iter().find(|page| page["title"] == "Osmonde").unwrap();
    assert!(kept.below(&format!("pages/{}/", fern["id"])).iter().any(|page| page["title"] == "Fern"));
}

#[test]
fn a_tree_of_pages_with_parts() {
    let section = |id: &str, name: &str, above: Option<&str>| {
        (
            format!("sections/{id}"),
            json!({ "id": id, "name": name, "about": format!("<p>About {name}</p>"), "above": above }),
        )
    };
    // Children come before their parents.
    let sections = [section("a", "Ponds", Some("c")), section("b", "Bogs", Some("c")), section("c", "Water", None)];
    let sections: Vec<(&str, Json)> = sections.iter().map(|(path, one)| (path.as_str(), one.clone())).collect();
    let shape = |kept: &mut Kept, asked: &Asked| plain("sections", kept, asked).or_else(|| plain("pages", kept, asked));
    let (hub, keeper, url, _runtime) = started("page-tree", shape, &sections);
    is_run(&hub, &variables(&url), 3);
    {
        let kept = keeper.kept.lock().unwrap();
        let of = |slug: &str| kept.below("pages/").into_iter().find(|page| page["slug"] == slug).unwrap().clone();
        assert_eq!(of("ponds")["parent"], of("water")["id"]);
        let parts = json!([{ "kind": "heading", "text": "Ponds" }, { "kind": "text", "html": "<p>About Ponds</p>" }]);
        assert_eq!(of("ponds")["parts"], parts);
        assert!(kept.wrote.iter().all(|call| call.starts_with("POST")), "each is written once: {:?}", kept.wrote);
    }
    // One field changes, and the parts are written whole; what an editor changes there is seen.
    assert_eq!(edit(&hub, &keeper, &url, "sections/a", |one| one["about"] = json!("<p>New</p>"))["updated"], 1);
    let page = keeper
        .kept
        .lock()
        .unwrap()
        .documents
        .iter()
        .find(|(_, (_, page))| page["slug"] == "ponds")
        .map(|(path, (_, page))| (path.clone(), page.clone()));
    let (path, mut page) = page.unwrap();
    assert_eq!(
        page["parts"],
        json!([{ "kind": "heading", "text": "Ponds" }, { "kind": "text", "html": "<p>New</p>" }])
    );
    page["parts"][0]["text"] = json!("Our ponds");
    keeper.kept.lock().unwrap().put(&path, page);
    let told = run(&hub, &["push", "--verify", "--format", "json"], &variables(&url)).ends(3).stdout;
    assert!(told.contains("\"drifted\":1"), "{told}");
}

/// Products by number and store; a write goes to the draft of a view.
fn shop(kept: &mut Kept, asked: &Asked) -> Option<Told> {
    match steps(asked) {
        (&Method::GET, steps) if matches!(steps.as_slice(), ["stores", _, "products"]) => {
            let path = format!("products/{}/{}", asked.query["sku"], steps[1]);
            let found: Vec<&Json> = kept.documents.get(&path).map(|(_, product)| product).into_iter().collect();
            Some(Told::Answer(json!({ "items": found })))
        }
        (&Method::PUT, steps) if matches!(steps.as_slice(), ["products", _, _]) => {
            Some(Told::New(steps.join("/"), json!({ "version": 1 })))
        }
        (&Method::GET, steps) if steps.as_slice() == ["drafts"] => {
            let draft = format!("{}.{}", asked.query["product"], asked.query["store"]);
            Some(Told::Answer(json!({ "items": [{ "draft": draft }] })))
        }
        (&Method::PATCH, steps) if matches!(steps.as_slice(), ["drafts", _]) => {
            let (sku, store) = steps[1].split_once('.')?;
            Some(Told::At(format!("products/{sku}/{store}")))
        }
        (_, steps) if matches!(steps.as_slice(), ["products", _, _]) => Some(Told::At(steps.join("/"))),
        _ => plain("seeds", kept, asked),
    }
}

#[test]
fn a_shop_with_views_per_store() {
    let seed = |id: u32, en: &str, fr: &str| {
        (
            format!("seeds/{id}"),
            json!({ "id": id, "title": { "en": en, "fr": fr }, "sku": format!("S-{id}"), "price": 2.5 }),
        )
    };
    let seeds = [seed(1, "Fern", "Fougère"), seed(2, "Moss", "Mousse")];
    let seeds: Vec<(&str, Json)> = seeds.iter().map(|(path, seed)| (path.as_str(), seed.clone())).collect();
    let (hub, keeper, url, _runtime) = started("shop-views", shop, &seeds);
    is_run(&hub, &variables(&url), 2);
    keeper
        .kept
        .lock()
        .unwrap()
        .put("seeds/1", json!({ "id": 1, "title": { "en": "Fern", "fr": "Osmonde" }, "sku": "S-1", "price": 2.5 }));
    run(&hub, &["pull"], &variables(&url)).ends(0);
    let shown = run(&hub, &["preview", "seeds", "archive/seed/1", "--as-curl"], &variables(&url)).ends(0).stdout;
    assert!(shown.contains("{found} is what that answers at $.items[0].draft"), "{shown}");
    let told = json_of(&hub, &["push"], &variables(&url));
    assert_eq!(told["updated"], 1, "{told}");
    let kept = keeper.kept.lock().unwrap();
    assert_eq!(kept.documents["products/S-1/store-fr"].1["title"], "Osmonde");
    assert!(kept.wrote.contains(&"PATCH /drafts/S-1.store-fr".to_owned()), "{:?}", kept.wrote);
    assert_eq!(kept.below("products/").len(), 4);
}
