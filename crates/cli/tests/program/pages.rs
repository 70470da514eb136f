//! What can be looked at while a hub runs.

use serde_json::Value as Json;

use crate::hooks::{address, raw, send};
use crate::serve::{Serving, automatic};

fn get(at: &str, path: &str) -> (u16, String) {
    send("GET", &format!("{at}{path}"), &[], "")
}

#[test]
fn the_state_of_a_hub_and_of_an_entry() {
    let hub = automatic();
    hub.world.plants.edit_text("p-001", "common_name", "eng", "<script>alert(1)</script> fern");
    hub.good(&["pull"]);
    hub.good(&["pause", "news", "--why", "the menu is rebuilt"]);
    let serving = Serving::begin(&hub, &[]);
    let at = address(&serving);
    let (status, page) = get(&at, "/");
    assert_eq!(status, 200);
    for shown in [
        "catalogue",
        "every 1s",
        "</b> delivered",
        "the menu is rebuilt",
        "href=\"/entries/catalogue&#x2f;plant-profile&#x2f;p-004\"",
        "No alert is open",
    ] {
        assert!(page.contains(shown), "{shown}: {page}");
    }
    assert!(page.contains("http-equiv=\"refresh\"") && !get(&at, "/?still").1.contains("http-equiv=\"refresh\""));
    let (status, page) = get(&at, "/entries/catalogue/plant-profile/p-001");
    assert_eq!(status, 200);
    assert!(page.contains("&lt;script&gt;alert(1)&lt;&#x2f;script&gt; fern") && !page.contains("<script"), "{page}");
    assert!(page.contains("<del>Royal Fern</del>") && page.contains("profiles"), "{page}");
    assert_eq!(get(&at, "/entries/catalogue/plant-profile/p-999").0, 404);
    assert_eq!(get(&at, "/entries/nothing").0, 404);
    let json: Json = serde_json::from_str(&get(&at, "/status.json").1).unwrap();
    assert_eq!((&json["sources"][1]["name"], &json["paused"][0]["what"]), (&"catalogue".into(), &"lane news".into()));
    let metrics = get(&at, "/metrics").1;
    assert!(
        metrics.contains("diaporos_entries{lane=\"profiles\",standing=\"held\"} 4") && metrics.ends_with("# EOF\n")
    );
    assert!(metrics.contains("diaporos_calls_total{outcome=\"taken\"} 0"), "{metrics}");
    assert_eq!(get(&at, "/readyz"), (200, "ready\n".to_owned()));
    hub.alter("diaporos.toml", "[lanes.profiles]", "[lanes.profiles]\nnonsense = 1");
    serving.says("is faulty");
    assert_eq!(get(&at, "/readyz").0, 503);
    assert!(get(&at, "/").1.contains("The configuration is faulty"));
    serving.end();
}

#[test]
fn who_may_look() {
    let hub = automatic();
    let serving = Serving::begin(&hub, &[]);
    let at = address(&serving);
    let port = at.rsplit_once(':').unwrap().1.to_owned();
    // A page elsewhere whose name leads here sees nothing.
    let asked = raw(&format!("127.0.0.1:{port}"), "GET / HTTP/1.1\r\nhost: evil.example\r\nconnection: close\r\n\r\n");
    assert!(asked.starts_with("HTTP/1.1 403"), "{asked}");
    serving.end();
    let refused = hub.run(&["serve", "--listen", "0.0.0.0:0"]).ends(2).stderr;
    assert!(refused.contains("beyond loopback") && refused.contains("token"), "{refused}");
    let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    hub.write("diaporos.toml", &format!("{text}\n[serve]\nlisten = \"0.0.0.0:0\"\n"));
    assert!(hub.run(&["check"]).ends(2).stdout.contains("needs a `token`"));
    hub.write("diaporos.toml", &format!("{text}\n[serve]\nlisten = \"0.0.0.0:0\"\ntoken = \"file:token\"\n"));
    hub.write("token", "l00k-at-the-ferns");
    let serving = Serving::begin(&hub, &[]);
    let at = address(&serving);
    assert_eq!(get(&at, "/").0, 401);
    assert_eq!(get(&at, "/metrics").0, 401);
    assert_eq!(get(&at, "/entries/catalogue/plant-profile/p-001").0, 401);
    assert_eq!(get(&at, "/healthz").0, 200);
    let with = |value: &str| send("GET", &format!("{at}/"), &[("authorization", value)], "").0;
    assert_eq!((with("Bearer l00k-at-the-ferns"), with("Bearer guess")), (200, 401));
    assert_eq!(with("Basic YW55Ym9keTpsMDBrLWF0LXRoZS1mZXJucw=="), 200, "as a browser asks");
    assert!(!serving.end().contains("l00k-at"));
}
