//! Playing by hand in a terminal.

mod app;
pub(crate) mod game;
mod panel;
mod screen;

use std::io::{Stdout, Write, stdout};

use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{DisableMouseCapture, EnableMouseCapture, Event, poll, read};
use ratatui::crossterm::execute;
use ratatui::crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode};

use app::App;
use game::Game;

/// Plays until the player ends it. The terminal is as before then, also after a crash.
///
/// # Errors
/// The terminal can't be read or written.
pub(crate) fn play(game: Game) -> std::io::Result<()> {
    let _restored = Restored::take()?;
    let mut terminal = Terminal::new(CrosstermBackend::new(stdout()))?;
    let size = terminal.size()?;
    let mut app = App::new(game, ratatui::layout::Rect::new(0, 0, size.width, size.height));
    while !app.is_over {
        terminal.draw(|frame| screen::draw(&app, frame.buffer_mut()))?;
        // All that waits is handled before the next picture.
        let mut event: Event = read()?;
        loop {
            app.handle(&event);
            if app.is_over || !poll(std::time::Duration::ZERO)? {
                break;
            }
            event = read()?;
        }
    }
    Ok(())
}

/// The terminal in its own mode, until this is dropped.
struct Restored;

impl Restored {
    fn take() -> std::io::Result<Restored> {
        // If the signal can't be caught, it leaves the terminal as it is.
        let _ = ctrlc::set_handler(|| {
            restore();
            std::process::exit(130);
        });
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            restore();
            before(info);
        }));
        enable_raw_mode()?;
        let restored = Restored;
        execute!(stdout(), EnterAlternateScreen, EnableMouseCapture)?;
        Ok(restored)
    }
}

impl Drop for Restored {
    fn drop(&mut self) {
        restore();
    }
}

/// Whatever fails here can't be helped.
fn restore() {
    let mut out: Stdout = stdout();
    let _ = execute!(out, DisableMouseCapture, LeaveAlternateScreen, ratatui::crossterm::cursor::Show);
    let _ = disable_raw_mode();
    let _ = out.flush();
}

#[cfg(test)]
mod tests {
    use std::io::Read;

    use portable_pty::{CommandBuilder, PtySize, native_pty_system};

    use super::Restored;

    /// Set for the run of the test that crashes.
    const CRASHES: &str = "HYPOTHEKE_TEST_CRASHES";

    /// The test runs itself in a terminal of its own, where it crashes.
    #[test]
    fn a_crash_leaves_the_terminal_as_it_was() {
        if std::env::var_os(CRASHES).is_some() {
            let _restored = Restored::take().expect("a terminal");
            panic!("crashed on purpose");
        }
        let pair = native_pty_system().openpty(PtySize::default()).expect("a terminal");
        let before = pair.master.get_termios().expect("modes");
        let mut command = CommandBuilder::new(std::env::current_exe().expect("a test"));
        command.args(["--exact", "play::tests::a_crash_leaves_the_terminal_as_it_was", "--nocapture"]);
        command.env(CRASHES, "1");
        let mut child = pair.slave.spawn_command(command).expect("it runs");
        let mut reader = pair.master.try_clone_reader().expect("a reader");
        // The end of the child ends what is read, in some systems with an error.
        let reading = std::thread::spawn(move || {
            let mut bytes = Vec::new();
            let _ = reader.read_to_end(&mut bytes);
            String::from_utf8_lossy(&bytes).into_owned()
        });
        assert!(!child.wait().expect("an end").success());
        let after = pair.master.get_termios().expect("modes");
        assert_eq!(before.local_flags, after.local_flags);
        drop(pair);
        let text = reading.join().expect("read");
        let (_, on_the_screen) = text.split_once("\x1b[?1049h").expect("a screen of its own");
        let (_, outside) = on_the_screen.split_once("\x1b[?1049l").expect("left");
        assert!(outside.contains("crashed on purpose"), "{text}");
        assert!(text.contains("\x1b[?1000l") && text.contains("\x1b[?25h"), "{text}");
    }
}
