//! The examples, run as a user runs them, print what is written beside them.

use std::path::{Path, PathBuf};
use std::process::Command;

/// Where cargo puts examples: beside the folder of this test.
fn built() -> PathBuf {
    let test = std::env::current_exe().expect("this test");
    test.parent().and_then(Path::parent).expect("the folder of the profile").join("examples")
}

/// What an example prints.
fn run(example: &str, args: &[&str]) -> String {
    let program = built().join(format!("{example}{}", std::env::consts::EXE_SUFFIX));
    // `cargo test --test main` builds no examples.
    if !program.exists() {
        let built = Command::new(env!("CARGO"))
            .args(["build", "--quiet", "--examples", "--features", "sqlite"])
            .status()
            .expect("cargo");
        assert!(built.success());
    }
    let output =
        Command::new(&program).args(args).output().unwrap_or_else(|error| panic!("{}: {error}", program.display()));
    assert!(output.status.success(), "{example}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).expect("text")
}

#[test]
fn examples_print_what_is_written_beside_them() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("examples");
    let mut examples: Vec<PathBuf> =
        std::fs::read_dir(&folder).expect("the examples").map(|entry| entry.expect("an entry").path()).collect();
    examples.retain(|path| path.extension().is_some_and(|extension| extension == "rs"));
    examples.sort();
    assert!(examples.len() >= 3, "{examples:?}");
    for example in examples {
        let name = example.file_stem().and_then(|name| name.to_str()).expect("a name");
        let expected = std::fs::read_to_string(example.with_extension("expected")).expect("what it prints");
        assert_eq!(run(name, &[]), expected, "{name}");
    }
}

/// Killed while it saves: as often as `KILLS` says, or as often as there is time for every day.
#[test]
fn a_process_killed_while_it_saves_leaves_a_whole_save() {
    let kills = std::env::var("KILLS").unwrap_or_else(|_| "50".to_owned());
    let output = run("killed_while_saving", &[&kills]);
    let described = |store| {
        format!("{store}: killed {kills} times while it saved; each time the last save or the next one was intact\n")
    };
    assert_eq!(output, described("folder") + &described("sqlite"));
}
