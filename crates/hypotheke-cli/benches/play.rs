//! From a key to the whole next frame of `play`, in a terminal of its own:
//! `cargo bench -p hypotheke-cli --bench play`

#![expect(clippy::disallowed_methods, reason = "time is what is measured")]

use std::io::{Read, Write};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

use portable_pty::{CommandBuilder, PtySize, native_pty_system};

type AnyError = Box<dyn std::error::Error + Send + Sync>;

const CONTAINERS: [u32; 3] = [10, 100, 1_000];
/// To the right, to the next container, and take half of it up or lay it down.
const KEYS: [(&str, &[u8]); 3] = [("right", b"\x1b[C"), ("tab", b"\t"), ("take", b" ")];
const PRESSED: usize = 61;
/// A frame is over when nothing more has come for so long.
const SILENCE: Duration = Duration::from_millis(40);

fn main() -> Result<(), AnyError> {
    println!("milliseconds from a key to the end of the frame: median and maximum of {PRESSED}");
    println!("containers      right        tab       take");
    for containers in CONTAINERS {
        let folder = tempfile::tempdir()?;
        let rules = format!(
            "[ruleset]\nname = \"Many\"\n\n[kind.flare]\nstack-limit = 10\n\n[container.crate]\nslots = 8\n\
             copies = [{}]\n\n[start]\ncrate-0 = [\"15 flare\"]\n",
            (0..containers).map(|number| format!("\"crate-{number}\"")).collect::<Vec<_>>().join(", ")
        );
        std::fs::write(folder.path().join("rules.toml"), rules)?;
        let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_hypotheke"));
        command.args(["play", "rules.toml"]);
        command.cwd(folder.path());
        command.env("TERM", "xterm-256color");
        let pair = native_pty_system().openpty(PtySize { rows: 50, cols: 160, pixel_width: 0, pixel_height: 0 })?;
        let mut child = pair.slave.spawn_command(command)?;
        drop(pair.slave);
        let mut reader = pair.master.try_clone_reader()?;
        let (sender, came) = channel();
        std::thread::spawn(move || {
            let mut bytes = [0; 65_536];
            while let Ok(1..) = reader.read(&mut bytes) {
                if sender.send(Instant::now()).is_err() {
                    break;
                }
            }
        });
        let mut input = pair.master.take_writer()?;
        came.recv()?;
        end_of_frame(&came);
        print!("{containers:10}");
        for (_, key) in KEYS {
            let mut times = Vec::new();
            for _ in 0..PRESSED {
                let pressed = Instant::now();
                input.write_all(key)?;
                input.flush()?;
                // A key that changes nothing draws nothing.
                times.extend(end_of_frame(&came).map(|end| (end - pressed).as_secs_f64() * 1e3));
            }
            times.sort_by(f64::total_cmp);
            let median = times.get(times.len() / 2).copied().unwrap_or(f64::NAN);
            print!(" {median:4.1} {:5.1}", times.last().copied().unwrap_or(f64::NAN));
        }
        println!();
        input.write_all(b"q")?;
        child.wait()?;
    }
    Ok(())
}

/// When the last bytes of a frame came; `None` if none do.
fn end_of_frame(came: &Receiver<Instant>) -> Option<Instant> {
    let mut last = None;
    while let Ok(now) = came.recv_timeout(SILENCE) {
        last = Some(now);
    }
    last
}
