//! What the pages for developers say of files is so.

use crate::tree::workspace;

#[test]
fn files_that_are_named_are_there() {
    let mut named = 0;
    for page in ["docs/architecture.md", "CONTRIBUTING.md"] {
        let text = std::fs::read_to_string(workspace().join(page)).unwrap();
        let quoted = text.split('`').skip(1).step_by(2);
        for path in
            quoted.filter(|word| word.starts_with("crates/") && !word.contains("NAME") && !word.contains("NNNN"))
        {
            named += 1;
            assert!(workspace().join(path).exists(), "{page} names {path}");
        }
    }
    assert!(named > 60, "{named}");
}
