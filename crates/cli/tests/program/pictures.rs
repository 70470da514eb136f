//! Pictures and their renditions, of the built program.

use image::codecs::jpeg::JpegEncoder;
use image::{ImageEncoder, Rgb, RgbImage};
use serde_json::json;

use crate::harness::Hub;

/// A made-up picture: bands of colour, so that a part of it is told from another.
fn bands(width: u32, height: u32) -> Vec<u8> {
    let shade = |x: u32| u8::try_from(x * 255 / width).unwrap();
    let picture = RgbImage::from_fn(width, height, |x, y| Rgb([shade(x), u8::try_from(y * 255 / height).unwrap(), 90]));
    let mut bytes = Vec::new();
    let encoder = JpegEncoder::new_with_quality(&mut bytes, 90);
    encoder.write_image(&picture, width, height, image::ExtendedColorType::Rgb8).unwrap();
    bytes
}

const RENDITIONS: &str = r#"
[renditions.top-story]
size    = "300x100"
quality = 90

[renditions.thumb]
size   = "60x60"
format = "webp"

"#;

/// A hub whose pages have a banner and a thumb, made of one picture.
fn pictured() -> Hub {
    let hub = Hub::pulled();
    let site = hub.world.variables().into_iter().find(|(name, _)| *name == "SITE_URL").unwrap().1;
    let fields = "banner  = { kind = \"asset\" }\nthumbs  = { kind = \"asset\", many = true }\ntopics  = {";
    hub.alter("profiles/visitor-site.toml", "topics  = {", fields);
    hub.alter(
        "profiles/visitor-site.toml",
        "# Nobody's work",
        "[types.page.write.assets]\nfind = \"GET /api/media?hash={key}\"\nfound = \"$.media[*]\"\nupload = \"POST /api/media?hash={key}\"\nid = \"$.id\"\ntypes = \"image/*\"\n\n# Nobody's work",
    );
    let picture = format!(
        "{{ url: \"{site}/pictures/\" + (if entry.id == \"p-007\" then \"none.jpg\" else \"fern.jpg\"), focal_point: {{ x: 0.1, y: 0.5 }} }}"
    );
    let lane = format!(
        "banner  = '{picture} | rendition \"top-story\"'\nthumbs  = '[{picture} | rendition \"thumb\"]'\ntopics  = 'tags"
    );
    hub.alter("diaporos.toml", "topics  = 'tags", &lane);
    hub.alter("diaporos.toml", "[lanes.profiles]", &format!("{RENDITIONS}[lanes.profiles]"));
    hub.alter("diaporos.toml", "timeout   = \"10s\"", "timeout   = \"10s\"\nassets    = { hosts = [\"127.0.0.1\"] }");
    hub.world.pages.learn_field("thumbs");
    hub.world.pages.show_picture("fern.jpg", "image/jpeg", &bands(900, 600));
    hub.world.pages.show_picture("none.jpg", "image/jpeg", b"\xff\xd8\xff\xe0 not a picture");
    hub
}

#[test]
fn renditions_are_made_and_delivered_once_for_each_content() {
    let hub = pictured();
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!((&pushed["created"], hub.world.pages.media().len()), (&json!(19), 2), "{pushed}");
    assert!(hub.good(&["holds"]).contains("no picture that can be read"));
    let pages = hub.world.pages.with_slug("royal-fern");
    let media = hub.world.pages.media();
    let is_media = |value: &serde_json::Value| media.iter().any(|(_, id, _)| value == &json!(id));
    assert!(pages.iter().all(|page| is_media(&page["banner"]) && is_media(&page["thumbs"][0])), "{pages:?}");
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 0);
    // The picture is another: so is what is made of it, for those that are looked at again.
    hub.world.pages.show_picture("fern.jpg", "image/jpeg", &bands(600, 600));
    hub.world.plants.edit_text("p-001", "description", "eng", "<p>Looked at again.</p>");
    hub.good(&["pull", "catalogue"]);
    hub.json(&["push", "profiles"]);
    assert_eq!(hub.world.pages.media().len(), 4);
}

#[test]
fn an_editors_cut_counts_till_the_picture_changes() {
    let hub = pictured();
    hub.json(&["push", "profiles"]);
    let entry = "catalogue/plant-profile/p-001";
    // The picture stands in no field of the entry here, so one that does is given.
    for (args, code, says) in [
        (&["crop", entry, "latin_name", "top-story", "--area", "0,0,10,10"][..], 2, "is no picture"),
        (&["crop", entry, "nothing", "top-story", "--area", "0,0,10,10"], 2, "there is no field"),
        (&["crop", entry, "photo", "top-story", "--area", "0,0,0,10"], 2, "no part of a picture"),
        (&["crop", entry, "photo", "top-stor", "--area", "0,0,10,10"], 2, "did you mean `top-story`?"),
        (
            &["crop", "catalogue/plant-profile/p-999", "photo", "top-story", "--area", "0,0,10,10"],
            1,
            "there is no entry",
        ),
        (&["crop", entry, "photo", "top-story"], 2, "--area"),
    ] {
        let site = hub.world.variables().into_iter().find(|(name, _)| *name == "SITE_URL").unwrap().1;
        hub.world.plants.edit("p-001", &json!({ "photo": { "url": format!("{site}/pictures/fern.jpg") } }));
        hub.alter("profiles/catalogue.toml", "latin_name  = \"text\"\n", "latin_name  = \"text\"\nphoto = \"asset\"\n");
        hub.good(&["pull", "catalogue"]);
        hub.alter("profiles/catalogue.toml", "photo = \"asset\"\n", "");
        let stderr = hub.run(args).ends(code).stderr;
        assert!(stderr.contains(says), "{args:?}: {stderr}");
    }
    hub.alter("profiles/catalogue.toml", "latin_name  = \"text\"\n", "latin_name  = \"text\"\nphoto = \"asset\"\n");
    hub.good(&["pull", "catalogue"]);
    hub.json(&["push", "profiles"]);
    let before = hub.world.pages.media().len();
    let outside = hub.run(&["crop", entry, "photo", "top-story", "--area", "800,0,300,100"]).ends(2).stderr;
    assert!(outside.contains("900 by 600"), "{outside}");
    hub.good(&["crop", entry, "photo", "top-story", "--area", "600,500,300,100"]);
    hub.json(&["push", "profiles"]);
    assert_eq!(hub.world.pages.media().len(), before + 1);
    let banner = || hub.world.pages.with_slug("royal-fern")[0]["banner"].clone();
    let cut = banner();
    // Another picture at the same address: the cut was not made of it.
    hub.world.pages.show_picture("fern.jpg", "image/jpeg", &bands(1200, 800));
    hub.world.plants.edit_text("p-001", "description", "eng", "<p>Looked at again.</p>");
    hub.good(&["pull", "catalogue"]);
    hub.json(&["push", "profiles"]);
    assert_ne!(banner(), cut);
    hub.good(&["crop", entry, "photo", "top-story", "--release"]);
    assert!(hub.run(&["crop", entry, "photo", "top-story", "--release"]).ends(0).stderr.contains("nobody chose"));
}

#[test]
fn a_contact_sheet_shows_each_rendition_and_what_cannot_be_made() {
    let hub = pictured();
    let told = hub.run(&["preview", "profiles", "--pictures", "look.html", "--most", "4"]).ends(0).stderr;
    assert!(told.contains("8 renditions of 4 entries"), "{told}");
    let page = std::fs::read_to_string(hub.path().join("look.html")).unwrap();
    assert_eq!((page.matches("<figure>").count(), page.matches("data:image/webp;base64,").count()), (8, 4));
    assert!(page.contains("900 × 300 at 0, 150, of 900 × 600"), "by its focal point");
    let told = hub.run(&["preview", "profiles", "catalogue/plant-profile/p-007", "--pictures", "look.html"]).ends(3);
    assert!(told.stderr.contains("could not be made"), "{}", told.stderr);
    // Where nothing is made of pictures, that is said.
    hub.run(&["preview", "news", "--pictures", "look.html"]).ends(1);
}

#[test]
fn what_is_wrong_with_a_rendition_is_told_where_it_stands() {
    let hub = pictured();
    for (from, to, says) in [
        ("size    = \"300x100\"", "size    = \"0x100\"", "is no size"),
        ("size    = \"300x100\"", "size    = \"300by100\"", "is no size"),
        ("quality = 90", "quality = 101", "from 1 to 100"),
        ("quality = 90", "background = \"red\"", "is no colour"),
        ("format = \"webp\"", "format = \"gif\"", "webp"),
        ("rendition \"top-story\"", "rendition \"top-stories\"", "there is no rendition `top-stories`"),
    ] {
        hub.alter("diaporos.toml", from, to);
        let told = hub.run(&["check"]).ends(2);
        assert!(format!("{}{}", told.stdout, told.stderr).contains(says), "{to}: {} {}", told.stdout, told.stderr);
        hub.alter("diaporos.toml", to, from);
    }
    // A field that takes no files takes no rendition.
    hub.alter("profiles/visitor-site.toml", "banner  = { kind = \"asset\" }", "banner  = \"text\"");
    hub.json(&["push", "profiles"]);
    assert!(hub.good(&["holds"]).contains("is a rendition, and the field takes no files"));
}
