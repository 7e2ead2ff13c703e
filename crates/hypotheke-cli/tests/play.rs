//! Playing by hand, in a terminal of its own: keys and the mouse go in, the screen comes out.

use std::io::{Read, Write};
use std::num::NonZero;
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use snapbox::cmd::cargo_bin;

use super::{golden, hypotheke, output, traverse};

/// The command in a terminal of its own.
struct Terminal {
    master: Box<dyn MasterPty + Send>,
    input: Box<dyn Write + Send>,
    screen: Arc<Mutex<vt100::Parser>>,
    child: Box<dyn Child + Send + Sync>,
}

/// Between two looks at the screen, and how many looks there are: no answer takes as long, on any
/// machine.
const A_MOMENT: Duration = Duration::from_millis(10);
const LOOKS: usize = 6_000;

fn cells(count: u16) -> NonZero<u16> {
    NonZero::new(count).expect("some")
}

impl Terminal {
    fn open(folder: &Path, args: &[&str], columns: u16, rows: u16) -> Terminal {
        let size = PtySize { rows, cols: columns, pixel_width: 0, pixel_height: 0 };
        let pair = native_pty_system().openpty(size).expect("a terminal");
        let mut command = CommandBuilder::new(cargo_bin!("hypotheke"));
        command.args(args);
        command.cwd(folder);
        command.env("TERM", "xterm-256color");
        let child = pair.slave.spawn_command(command).expect("it runs");
        drop(pair.slave);
        let screen = Arc::new(Mutex::new(vt100::Parser::new(cells(rows), cells(columns), 0)));
        let (mut reader, shared) = (pair.master.try_clone_reader().expect("a reader"), Arc::clone(&screen));
        std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            while let Ok(count @ 1..) = reader.read(&mut bytes) {
                shared.lock().expect("no panic").process(&bytes[..count]);
            }
        });
        let input = pair.master.take_writer().expect("a writer");
        Terminal { master: pair.master, input, screen, child }
    }

    fn text(&self) -> String {
        self.screen.lock().expect("no panic").screen().contents()
    }

    fn press(&mut self, keys: &str) {
        self.input.write_all(keys.as_bytes()).and_then(|()| self.input.flush()).expect("written");
    }

    /// Waits until the screen has a text.
    fn see(&self, wanted: &str) -> String {
        for _ in 0..LOOKS {
            let text = self.text();
            if text.contains(wanted) {
                return text;
            }
            std::thread::sleep(A_MOMENT);
        }
        panic!("`{wanted}` is not on the screen:\n{}", self.text());
    }

    /// The column and the line of a text, from 1 on.
    fn position(&self, wanted: &str) -> (usize, usize) {
        let text = self.see(wanted);
        let found = text.lines().zip(1..).find_map(|(line, row)| Some((line.find(wanted)?, line, row)));
        let (byte, line, row) = found.expect("a place on the screen");
        (line[..byte].chars().count() + 1, row)
    }

    /// A mouse button goes down at one text and up at a place to the right and below another.
    fn drag(&mut self, from: &str, to: (usize, usize)) {
        let (column, row) = self.position(from);
        self.press(&format!("\x1b[<0;{column};{row}M\x1b[<32;{};{}M\x1b[<0;{};{}m", to.0, to.1, to.0, to.1));
    }

    /// Waits for the end, and returns its status.
    fn end(mut self) -> u32 {
        self.press("q");
        for _ in 0..LOOKS {
            if let Some(status) = self.child.try_wait().expect("a child") {
                return status.exit_code();
            }
            std::thread::sleep(A_MOMENT);
        }
        panic!("it does not end:\n{}", self.text());
    }
}

#[test]
fn what_is_played_is_kept_as_a_scenario_that_passes() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let mut terminal = Terminal::open(&demo, &["play"], 120, 40);
    terminal.see("Ice traverse   surveyor acts");
    snapbox::assert_data_eq!(terminal.see("? help"), golden("play.txt"));
    // The game carries a stack with the mouse. Each slot shows whether it takes it.
    terminal.press("aaa");
    terminal.see("the game acts");
    let (column, row) = terminal.position("sled  ");
    terminal.drag("fuel-can", (column + 36, row + 1));
    terminal.see("move fuel-can from depot/3 to sled/2");
    terminal.press("u");
    terminal.see("Undone");
    terminal.press("r");
    terminal.see("step 1");
    // A refusal has its reason, and is kept as well.
    terminal.press(":move 12 fuel-drum from depot to sled\r");
    terminal.see("refused: ");
    terminal.press("wFuel for the sled\r");
    terminal.see("File: fuel-for-the-sled.scenario");
    terminal.press("\r");
    terminal.see("Wrote fuel-for-the-sled.scenario");
    assert_eq!(terminal.end(), 0);
    let kept = std::fs::read_to_string(demo.join("fuel-for-the-sled.scenario")).expect("written");
    snapbox::assert_data_eq!(kept, golden("played.scenario"));
    let verified = output(hypotheke(&demo).args(["verify", "fuel-for-the-sled.scenario"]), 0);
    assert!(verified.contains("1 scenario passed"), "{verified}");
    hypotheke(&demo).args(["fmt", "--check", "fuel-for-the-sled.scenario"]).assert().success();
}

#[test]
fn a_holder_drags_with_its_hand_and_slots_show_what_they_take() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let mut terminal = Terminal::open(&demo, &["play"], 120, 40);
    terminal.see("surveyor acts");
    terminal.press("o");
    terminal.see("surveyor opens depot");
    terminal.press(" ");
    terminal.see("its cap is 9 kg");
    terminal.press("/flare\r ");
    terminal.see("holds 6 flare");
    let text = terminal.see("+6");
    assert!(text.contains("+4") && text.contains(" x"), "{text}");
    // Each slot gives its reason.
    terminal.press("/freezer\r");
    terminal.see("freezer rejects this flare");
    terminal.press("/depot\r\t");
    terminal.press("\x1b");
    terminal.see("surveyor returns");
    terminal.press("?");
    terminal.see("While something is held");
    // Any key closes it. An escape with a key right after it would be one key.
    terminal.press(" ");
    terminal.see("surveyor returns");
    terminal.press("/logbook\rf");
    terminal.see("shortcuts logbook");
    terminal.press(">");
    terminal.see("Nothing is due");
    terminal.press("n99999999999\r");
    terminal.see("Write a number of ticks from 1 to 4294967295");
    terminal.press(":throws 1 flare\r");
    terminal.see("is not an operation");
    assert_eq!(terminal.end(), 0);
}

#[test]
fn a_counterexample_is_gone_through_back_and_forth() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    output(hypotheke(&demo).args(["explore", "canteen", "--output", "found"]), 1);
    let case = std::fs::read_dir(demo.join("found")).expect("cases").next().expect("one").expect("a file").path();
    let case = format!("found/{}", case.file_name().expect("a name").to_string_lossy());
    let mut terminal = Terminal::open(&demo, &["play", &case, "--rules", "canteen/rules.toml"], 100, 34);
    terminal.see("step 0 of 2");
    terminal.press("r");
    terminal.see("step 1 of 2");
    terminal.press("r");
    let text = terminal.see("step 2");
    assert!(text.contains("mara sells 1 cocoa-tin at outer-camp"), "{text}");
    terminal.press("uu");
    terminal.see("step 0 of 2");
    assert_eq!(terminal.end(), 0);
}

#[test]
fn sixty_columns_are_enough_and_the_screen_follows_the_terminal() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let mut terminal = Terminal::open(&demo, &["play"], 60, 24);
    snapbox::assert_data_eq!(terminal.see("space take"), golden("play-narrow.txt"));
    let size = PtySize { rows: 40, cols: 120, pixel_width: 0, pixel_height: 0 };
    terminal.screen.lock().expect("no panic").screen_mut().set_size(cells(40), cells(120));
    terminal.master.resize(size).expect("resized");
    terminal.see("? help");
    terminal.press("/quarantine\r");
    terminal.see("quarantine/0");
    assert_eq!(terminal.end(), 0);
}

#[test]
fn a_save_is_played_and_a_start_is_kept() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let mut terminal = Terminal::open(&demo, &["play", "saves/night.json"], 120, 40);
    terminal.see("step 0");
    terminal.press("Wnight\r\r");
    terminal.see("Wrote night.scenario");
    assert_eq!(terminal.end(), 0);
    let kept = std::fs::read_to_string(demo.join("night.scenario")).expect("written");
    assert!(kept.starts_with("start night\n  depot/"), "{kept}");
}

#[test]
fn what_was_odd_is_kept_and_repaired_and_passes_and_is_reported() {
    let folder = tempfile::tempdir().expect("a folder");
    let camp = folder.path();
    let rules = r#"format = 1
title = "Cold box"
version = 1

[kind.sample]
stack-limit = 4

[kind.stove-oil]
stack-limit = 4

[container.shelf]
slots = 2

[container.cold-box]
slots = 2

[start]
shelf = ["4 stove-oil", "4 sample"]
"#;
    std::fs::write(camp.join("rules.toml"), rules).expect("written");
    // The cold box is for samples, but takes oil.
    let mut terminal = Terminal::open(camp, &["play"], 100, 30);
    terminal.see("the game acts");
    terminal.press(":move 1 stove-oil from shelf to cold-box\r");
    terminal.see("step 1");
    terminal.press("wOil in the cold box\r");
    terminal.see("File: oil-in-the-cold-box.scenario");
    terminal.press("\r");
    terminal.see("Wrote oil-in-the-cold-box.scenario");
    assert_eq!(terminal.end(), 0);
    let scenario = camp.join("oil-in-the-cold-box.scenario");
    let kept = std::fs::read_to_string(&scenario).expect("written");
    let (steps, end) = kept.split_once("  end\n").expect("an end");
    // What must hold instead, and does not under these rules.
    let wanted = format!("{}  -> refused: not-admitted\n  end\n    cold-box: nothing\n", steps.trim_end());
    std::fs::write(&scenario, wanted).expect("written");
    assert!(end.contains("cold-box: 1 stove-oil"), "{kept}");
    output(hypotheke(camp).arg("verify"), 1);
    std::fs::write(
        camp.join("rules.toml"),
        rules.replace("box]\nslots = 2\n", "box]\nslots = 2\nadmits = \"sample\"\n"),
    )
    .expect("written");
    output(hypotheke(camp).arg("verify"), 0);
    output(hypotheke(camp).args(["report", "--to", "report.html"]), 0);
    let page = std::fs::read_to_string(camp.join("report.html")).expect("written");
    assert!(page.contains("Oil in the cold box") && page.contains("1 scenario passed"), "{page}");
}

#[cfg(unix)]
#[test]
fn the_end_of_the_process_leaves_the_terminal_as_it_was() {
    let folder = traverse();
    let mut terminal = Terminal::open(&folder.path().join("traverse"), &["play"], 100, 30);
    terminal.see("surveyor acts");
    let modes = |terminal: &Terminal| {
        let screen = terminal.screen.lock().expect("no panic");
        (screen.screen().alternate_screen(), screen.screen().mouse_protocol_mode())
    };
    assert_ne!(modes(&terminal), (false, vt100::MouseProtocolMode::None));
    let number = terminal.child.process_id().expect("it runs").to_string();
    assert!(std::process::Command::new("kill").arg(number).status().expect("it runs").success());
    assert_eq!(terminal.child.wait().expect("an end").exit_code(), 130);
    let is_as_before = |_| {
        std::thread::sleep(A_MOMENT);
        modes(&terminal) == (false, vt100::MouseProtocolMode::None)
    };
    assert!((0..LOOKS).any(is_as_before));
}

#[test]
fn without_a_terminal_it_is_refused() {
    let folder = traverse();
    let refused = hypotheke(&folder.path().join("traverse")).arg("play").output().expect("it runs");
    assert_eq!(refused.status.code(), Some(2));
    let error = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert!(error.contains("`play` needs a terminal") && error.contains("hypotheke ask"), "{error}");
}
