//! Whether a listing is whole: sources that say more than they show, end in every way, and move what
//! they list while one reads. Nothing is taken for gone on a doubt, and nothing that went is missed.

use diaporos_demo::{Annexe, PastTheEnd, Says, StandIn};
use serde_json::Value as Json;
use tempfile::TempDir;
use tokio::runtime::Runtime;

use crate::harness::{Ran, bare, ran};

/// A hub with one system, the annexe with 36 packets.
struct Drawer {
    folder: TempDir,
    server: StandIn,
    annexe: Annexe,
    _runtime: Runtime,
}

impl Drawer {
    /// `kind` and the profile's table for reading.
    fn of_kind(kind: &str, path: &str, read: &str) -> Drawer {
        let runtime = Runtime::new().unwrap();
        let (server, annexe) = runtime.block_on(diaporos_demo::start_annexe(36)).unwrap();
        let folder = TempDir::new().unwrap();
        let url = format!("{}{path}", server.url());
        let config =
            format!("[systems.annexe]\nkind = \"{kind}\"\nurl = \"{url}\"\nprofile = \"profile.toml\"\nretries = 0\n");
        std::fs::write(folder.path().join("diaporos.toml"), config).unwrap();
        let drawer = Drawer { folder, server, annexe, _runtime: runtime };
        drawer.profile(read);
        drawer
    }

    fn new(paging: &str) -> Drawer {
        Drawer::of_kind("rest", "", &read("/packets", paging))
    }

    fn profile(&self, read: &str) {
        self.write("profile.toml", &format!("[types.packet.read]\n{read}\n"));
    }

    fn write(&self, name: &str, text: &str) {
        std::fs::write(self.folder.path().join(name), text).unwrap();
    }

    fn run(&self, args: &[&str]) -> Ran {
        ran(bare(args).current_dir(self.folder.path()).output().unwrap())
    }

    /// Pulls, and gives pulled, new, changed and gone, with what was told.
    fn pull(&self, args: &[&str], code: i32) -> ([u64; 4], String) {
        let ran = self.run(&[&["pull", "--format", "json"], args].concat()).ends(code);
        let counts: Json = serde_json::from_str(&ran.stdout).unwrap();
        (["pulled", "new", "changed", "gone"].map(|name| counts[name].as_u64().unwrap()), ran.stderr)
    }
}

fn read(list: &str, paging: &str) -> String {
    format!("list = \"{list}\"\nitems = \"$.packets[*]\"\nid = \"$.id\"\n{paging}")
}

#[test]
fn a_listing_that_says_more_than_it_shows_takes_nothing_for_gone() {
    let cases: [(&str, &[Says], &str); 6] = [
        // It caps its pages, and the profile knows of no second.
        ("", &[Says::Total], "the source says that it has 36, and showed 10"),
        ("", &[Says::TotalHeader], "the source says that it has 36, and showed 10"),
        ("", &[Says::HasMore], "`$.has_more` that there is more"),
        ("", &[Says::Next], "`$.next` that there is more"),
        ("paging = { style = \"link\" }", &[Says::Next, Says::Pages], "there are 4 pages, and showed 1"),
        // The header that should lead on is not sent.
        (
            "paging = { style = \"cursor\", header = \"x-next\", total = \"$.total\" }",
            &[Says::Total],
            "the source says that it has 36, and showed 10",
        ),
    ];
    for (paging, says, expected) in cases {
        let drawer = Drawer::new("paging = { style = \"offset\" }");
        assert_eq!(drawer.pull(&[], 0).0, [36, 36, 0, 0]);
        drawer.profile(&read("/packets", paging));
        drawer.annexe.says(says);
        for _ in 0..2 {
            let (counts, told) = drawer.pull(&["--allow-gone", "100"], 3);
            assert_eq!(counts, [10, 0, 0, 0], "{paging} {says:?} {told}");
            assert!(told.contains(expected) && told.contains("nothing was taken for gone"), "{paging} {says:?} {told}");
        }
        let probed = drawer.run(&["probe", "annexe"]);
        assert!(!probed.stdout.contains("10 entries\n"), "{}", probed.stdout);
    }
}

#[test]
fn what_a_listing_says_of_itself_can_be_left_unheard() {
    let drawer = Drawer::new("paging = { style = \"page\", recognise = false }");
    drawer.annexe.says(&[Says::Total]);
    drawer.annexe.overstate(4);
    assert_eq!(drawer.pull(&[], 0).0, [36, 36, 0, 0]);
    drawer.profile(&read("/packets", "paging = { style = \"page\" }"));
    let (counts, told) = drawer.pull(&[], 3);
    assert_eq!(counts, [36, 0, 0, 0]);
    assert!(told.contains("the source says that it has 40, and showed 36"), "{told}");
}

/// Every way of ending is an end, without an error, and a deletion is seen after it.
#[test]
fn every_way_in_which_pages_end() {
    let by_page = "paging = { style = \"page\" }";
    let by_offset = "paging = { style = \"offset\" }";
    let limited =
        |more: &str| format!("paging = {{ style = \"page\", size = {{ parameter = \"limit\", items = 12 }}{more} }}");
    let declared_total = limited(", total = \"$.total\", ends = [\"total\"]");
    let cases: [(&str, &[Says], PastTheEnd); 12] = [
        (by_page, &[], PastTheEnd::Empty),
        (by_page, &[], PastTheEnd::Status(404)),
        (by_page, &[], PastTheEnd::Status(400)),
        (by_page, &[], PastTheEnd::LastPage),
        (by_offset, &[], PastTheEnd::Status(404)),
        (by_offset, &[], PastTheEnd::LastPage),
        (by_page, &[Says::Total], PastTheEnd::LastPage),
        (by_page, &[Says::Pages], PastTheEnd::Status(500)),
        (by_page, &[Says::HasMore], PastTheEnd::Status(500)),
        (by_page, &[Says::Next], PastTheEnd::Status(500)),
        (&limited(", ends = [\"short\", \"not-found\"]"), &[], PastTheEnd::Status(404)),
        (&declared_total, &[Says::Total], PastTheEnd::Status(500)),
    ];
    for (paging, says, end) in cases {
        let drawer = Drawer::new(paging);
        drawer.annexe.cap(12);
        drawer.annexe.says(says);
        drawer.annexe.past_the_end(end);
        let case = format!("{paging} {says:?} {end:?}");
        assert_eq!(drawer.pull(&[], 0).0, [36, 36, 0, 0], "{case}");
        assert_eq!(drawer.pull(&[], 0).0, [36, 0, 0, 0], "{case}");
        drawer.annexe.delete(7..=8);
        assert_eq!(drawer.pull(&[], 0).0, [34, 0, 0, 2], "{case}");
    }
}

#[test]
fn a_first_page_that_is_not_there_and_a_cursor_that_is_not_are_no_ends() {
    let drawer = Drawer::new("paging = { style = \"page\", first = 9 }");
    drawer.annexe.past_the_end(PastTheEnd::Status(404));
    let (_, told) = drawer.pull(&[], 1);
    assert!(told.contains("nothing is there (404)"), "{told}");
    let drawer = Drawer::new("paging = { style = \"cursor\", next = \"$.next_one\" }");
    drawer.annexe.ignore_paging();
    assert_eq!(drawer.pull(&[], 0).0, [10, 10, 0, 0], "a listing of ten that says nothing more is one of ten");
}

#[test]
fn a_source_that_ignores_the_paging_is_not_taken_for_whole() {
    for paging in ["paging = { style = \"page\" }", "paging = { style = \"offset\" }"] {
        let drawer = Drawer::new(paging);
        drawer.pull(&[], 0);
        drawer.annexe.ignore_paging();
        let (counts, told) = drawer.pull(&["--allow-gone", "100"], 3);
        assert_eq!(counts[3], 0);
        assert!(told.contains("does the source know the paging parameter?"), "{told}");
    }
}

#[test]
fn a_parameter_of_the_path_is_replaced_and_a_cursor_may_begin_and_be_a_number() {
    let paging =
        "paging = { style = \"cursor\", next = \"$.cursor\", first = 0, size = { parameter = \"limit\", items = 7 } }";
    let drawer = Drawer::of_kind("rest", "", &read("/packets?limit=3&cursor=9", paging));
    drawer.annexe.says(&[Says::Cursor]);
    assert_eq!(drawer.pull(&[], 0).0, [36, 36, 0, 0]);
    let asked: Vec<String> = drawer.server.asked().into_iter().map(|asked| asked.path).collect();
    assert_eq!(asked[..2], ["/packets?limit=7&cursor=0", "/packets?limit=7&cursor=7"]);
}

const SINCE: &str = "since = { parameter = \"since\", at = \"$.changed\", overlap = \"1s\" }\npaging = { style = \"cursor\", next = \"$.cursor\" }";

/// A packet changes while the listing of changes is read, and moves behind the page that is read next:
/// later increments begin after it.
#[test]
fn what_moved_while_changes_were_listed_is_looked_for_again() {
    let drawer = Drawer::new(SINCE);
    drawer.annexe.says(&[Says::Cursor]);
    // Packet 11 would stand first on the second page; packet 3 goes from before it, so that 11 moves up
    // onto the page that was read.
    drawer.annexe.touch_after(1, 3);
    assert_eq!(drawer.pull(&[], 0).0, [36, 36, 0, 0]);
    assert_eq!(drawer.run(&["entries", "--format", "csv"]).ends(0).stdout.lines().count(), 37);
    let (counts, _) = drawer.pull(&[], 0);
    assert_eq!(counts[1..], [0, 0, 0], "nothing was missed");
}

#[test]
fn everything_is_listed_now_and_then() {
    let read =
        |every: &str| read("/packets", &SINCE.replace("overlap", &format!("whole_every = \"{every}\", overlap")));
    let drawer = Drawer::of_kind("rest", "", &read("7d"));
    drawer.annexe.says(&[Says::Cursor]);
    drawer.pull(&[], 0);
    drawer.annexe.delete(4..=5);
    assert_eq!(drawer.pull(&[], 0).0[3], 0, "increments do not show what went");
    drawer.profile(&read("0s"));
    assert_eq!(drawer.pull(&[], 0).0[3], 2, "a whole listing does");
    drawer.annexe.delete(6..=6);
    drawer.profile(&read("never"));
    assert_eq!(drawer.pull(&[], 0).0[3], 0);
    assert!(drawer.run(&["check"]).ends(0).stdout.contains("no faults"), "the setting is known");
    drawer.profile(&read("often"));
    assert!(drawer.run(&["check"]).ends(2).stdout.contains("this is not a duration"));
}

const GRAPHQL: &str =
    "query = \"packets.graphql\"\nitems = \"$.data.packets[*]\"\nid = \"$.id\"\nfields_at = \"$.node\"";

/// One item that cannot be read keeps its stored version; of the others, what went is seen.
#[test]
fn an_item_that_cannot_be_read_makes_the_others_no_less_whole() {
    let drawer = Drawer::of_kind("graphql", "/graphql", GRAPHQL);
    drawer.write("packets.graphql", "query ($since: String) { packets(named: true) { id node } }");
    assert_eq!(drawer.pull(&[], 0).0, [36, 36, 0, 0]);
    drawer.annexe.tear(&[9]);
    drawer.annexe.delete(20..=21);
    let (counts, told) = drawer.pull(&[], 3);
    assert_eq!(counts[3], 2, "{told}");
    assert!(
        told.contains("annexe/packet: 9 came with an error: the packet is torn (at `/data/packets/8`, page 1)"),
        "{told}"
    );
    let torn: Json =
        serde_json::from_str(&drawer.run(&["show", "annexe/packet/9", "--format", "json"]).ends(0).stdout).unwrap();
    assert_eq!((torn["state"].as_str(), torn["fields"]["name"].as_str()), (Some("live"), Some("Packet 9")));
}

#[test]
fn an_item_that_does_not_say_which_it_is_may_be_any_that_is_missing() {
    let drawer = Drawer::of_kind("graphql", "/graphql", &GRAPHQL.replace("$.id", "$.node.id"));
    drawer.write("packets.graphql", "{ packets { node } }");
    drawer.pull(&[], 0);
    drawer.annexe.tear(&[9]);
    drawer.annexe.delete(20..=20);
    let (counts, told) = drawer.pull(&[], 3);
    assert_eq!(counts[3], 0);
    assert!(
        told.contains("1 items could not be read and do not say which entries they are, so none of the 2"),
        "{told}"
    );
    assert!(told.contains("item 9") && told.contains("at `/data/packets/8`"), "{told}");
    drawer.annexe.tear(&[]);
    assert_eq!(drawer.pull(&[], 0).0[3], 1);
}

#[test]
fn graphql_asks_for_changes_and_for_what_was_deleted() {
    let more = "variables = { first = 50, deep = { yes = true } }\nabsent = \"kept\"\nsince = { parameter = \"since\", at = \"$.node.changed\", overlap = \"1s\" }\n\n[types.packet.read.deleted]\nquery = \"deleted.graphql\"\nitems = \"$.data.deleted[*]\"\nid = \"$.id\"";
    let drawer = Drawer::of_kind("graphql", "/graphql", &format!("{GRAPHQL}\n{more}"));
    drawer.write("packets.graphql", "query ($since: String) { packets { id node } }");
    drawer.write("deleted.graphql", "{ deleted { id } }");
    assert_eq!(drawer.pull(&[], 0).0, [36, 36, 0, 0]);
    assert_eq!(drawer.pull(&[], 0).0, [1, 0, 0, 0], "the newest alone");
    drawer.annexe.delete(30..=31);
    assert_eq!(drawer.pull(&[], 0).0[3], 2);
}
