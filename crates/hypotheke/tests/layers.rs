//! Modules use modules above them in the map of layers, and none below or on the same line.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

const MAP: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../ARCHITECTURE.md");
const LIBRARY: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/src");
const COMMAND: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../hypotheke-cli/src");

/// The number of the layer of each module, as the block under a heading tells it.
fn layers(map: &str, heading: &str) -> BTreeMap<String, usize> {
    let (_, section) = map.split_once(&format!("\n## {heading}\n")).expect("the heading");
    let lines =
        section.lines().skip_while(|line| !line.starts_with("    ")).take_while(|line| line.starts_with("    "));
    let modules = |line: &str| line.split_whitespace().map(str::to_owned).collect::<Vec<_>>();
    lines.enumerate().flat_map(|(layer, line)| modules(line).into_iter().map(move |module| (module, layer))).collect()
}

fn sources(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path());
    let mut found: Vec<PathBuf> = entries
        .flat_map(|path| if path.is_dir() { sources(&path) } else { vec![path] })
        .filter(|path| path.extension().is_some_and(|it| it == "rs"))
        .collect();
    found.sort();
    found
}

/// The module of each name that the root gives: `pub use ops::{Action, ...}`.
fn names_of_root(root: &str) -> BTreeMap<String, String> {
    let uses = root.split("pub use ").skip(1).filter_map(|rest| rest.split_once(';')?.0.split_once("::"));
    let names = |names: &str| {
        let names = names.trim_matches(['{', '}']).split(',').map(|name| name.trim().to_owned());
        names.collect::<Vec<_>>()
    };
    uses.flat_map(|(module, list)| names(list).into_iter().map(move |name| (name, module.to_owned()))).collect()
}

/// The name after each `crate::` in code outside comments.
fn used(text: &str) -> Vec<String> {
    let code = text.lines().map(|line| line.split("//").next().unwrap_or_default());
    let after = |line: &str| {
        let parts = line.split("crate::").skip(1).map(|rest| {
            rest.chars().take_while(|letter| letter.is_alphanumeric() || *letter == '_').collect::<String>()
        });
        parts.collect::<Vec<_>>()
    };
    code.flat_map(after).filter(|name| !name.is_empty()).collect()
}

/// Each use of a module that is not above its user.
fn against_the_map(folder: &Path, map: &str, heading: &str) -> Vec<String> {
    let layers = layers(map, heading);
    let root = ["lib.rs", "main.rs"].iter().find_map(|root| std::fs::read_to_string(folder.join(root)).ok());
    let root = root.expect("the root");
    let names = names_of_root(&root);
    let mut found = Vec::new();
    for path in sources(folder) {
        let inside = path.strip_prefix(folder).expect("inside");
        let module = inside.iter().next().expect("a name").to_string_lossy().trim_end_matches(".rs").to_owned();
        // Unit tests may use all.
        if matches!(module.as_str(), "lib" | "main") || inside.ends_with("tests.rs") {
            continue;
        }
        let Some(layer) = layers.get(&module) else {
            found.push(format!("{module} is in no layer"));
            continue;
        };
        let text = std::fs::read_to_string(&path).expect("a source");
        assert!(!text.contains("crate::{"), "{}: each module in a line of its own", inside.display());
        for name in used(&text) {
            let other = names.get(&name).unwrap_or(&name);
            let is_above = *other == module || layers.get(other).is_some_and(|other| other < layer);
            if !is_above {
                found.push(format!("{} uses {other}", inside.display()));
            }
        }
    }
    found.dedup();
    found
}

#[test]
fn modules_use_only_what_stands_above_them() {
    let map = std::fs::read_to_string(MAP).expect("the map");
    assert_eq!(against_the_map(Path::new(LIBRARY), &map, "Layers"), Vec::<String>::new());
    assert_eq!(against_the_map(Path::new(COMMAND), &map, "Layers of the command-line tool"), Vec::<String>::new());
}

/// The check can fail: in a folder with a cycle, each use of a lower or equal layer is reported.
#[test]
fn a_use_of_a_lower_layer_is_reported() {
    let folder = tempfile::tempdir().expect("a folder");
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).expect("written");
    write("lib.rs", "mod low;\nmod high;\nmod other;\npub use high::{High,\n    Higher};\n");
    write("low.rs", "use crate::high::High; // crate::nothing\nfn f(_: crate::Higher) {}\n");
    write("high.rs", "use crate::low::Low;\nuse crate::other;\n");
    write("other.rs", "");
    let map = "# Map\n\n## Layers\n\nFrom the top.\n\n    low\n    high other\n\nThe end.\n";
    let described = ["high.rs uses other", "low.rs uses high"];
    assert_eq!(against_the_map(folder.path(), map, "Layers"), described);
    let missing = map.replace(" other", "");
    assert!(against_the_map(folder.path(), &missing, "Layers").contains(&"other is in no layer".to_owned()));
}
