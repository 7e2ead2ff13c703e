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
