//! The screen: what it shows of a game, and where a click lands.

use hypotheke::{Place, SlotRoom};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Color, Modifier, Style};

use super::app::{App, Mode};
use super::game::{Answer, Game};
use super::panel::{Area, CELL, CELL_LINES, Panel, arrange};
use crate::render::{clip, fold, pad, width};

/// From this width on the log is at the side.
const WIDE: u16 = 100;
const LOG_WIDTH: u16 = 38;
const LOG_LINES: u16 = 5;
/// The heading above the panels, and the lines below them.
const HEAD: u16 = 2;
const FOOT: u16 = 3;

const KEYS: &str = "space take, put  h half  1 one  d drop  e equip  t transfer  o open  c craft  b deals  u undo  r redo  w keep  ? help  q quit";

/// What is where, for the mouse and for the keys that move.
#[derive(Debug, Default)]
pub(super) struct Layout {
    pub(super) panels: Vec<Panel>,
    pub(super) areas: Vec<Area>,
    /// The columns and lines of the panels on the screen.
    view: Rect,
    scroll: usize,
}

impl Layout {
    pub(super) fn of(game: &Game, size: Rect, before: &Layout) -> Layout {
        let panels = Panel::all(&game.world);
        let side = if size.width >= WIDE { LOG_WIDTH } else { 0 };
        let below = if size.width >= WIDE { 0 } else { LOG_LINES.min(size.height / 4) };
        let height = size.height.saturating_sub(HEAD + FOOT + below);
        let view = Rect::new(0, HEAD, size.width.saturating_sub(side), height);
        let areas = arrange(&game.world, &panels, usize::from(view.width.max(20)));
        Layout { panels, areas, view, scroll: before.scroll }
    }

    /// The cell at a place on the screen.
    pub(super) fn hit(&self, column: u16, line: u16) -> Option<(usize, usize)> {
        if column >= self.view.right() || line < self.view.top() || line >= self.view.bottom() {
            return None;
        }
        let (x, y) = (usize::from(column), usize::from(line - self.view.top()) + self.scroll);
        let inside = |area: &Area| {
            let is_in = x >= area.left && x < area.left + area.columns * CELL && y > area.top;
            (is_in && y + 1 < area.top + area.height)
                .then(|| (y - area.top - 1) / CELL_LINES * area.columns + (x - area.left) / CELL)
        };
        self.areas.iter().enumerate().find_map(|(panel, area)| Some((panel, inside(area)?)))
    }

    pub(super) fn scroll_by(&mut self, lines: isize) {
        let end = self.areas.iter().map(|area| area.top + area.height).max().unwrap_or(0);
        let most = end.saturating_sub(usize::from(self.view.height));
        self.scroll = self.scroll.saturating_add_signed(lines).min(most);
    }

    /// Scrolls so far that a cell is visible, with the title of its panel if there is room.
    pub(super) fn show(&mut self, panel: usize, cell: usize) {
        let Some(area) = self.areas.get(panel) else { return };
        let (_, line) = area.cell(cell);
        let first = if cell < area.columns { area.top } else { line };
        let height = usize::from(self.view.height);
        if line + CELL_LINES > self.scroll + height {
            self.scroll = line + CELL_LINES - height.min(line + CELL_LINES);
        }
        self.scroll = self.scroll.min(first);
    }
}

/// Draws everything.
pub(super) fn draw(app: &App, buffer: &mut Buffer) {
    let size = buffer.area;
    let mut pen = Pen { buffer };
    heading(app, &mut pen, size);
    panels(app, &mut pen);
    let layout = &app.layout;
    match size.width >= WIDE {
        true => log(app, &mut pen, Rect::new(layout.view.right() + 1, HEAD, LOG_WIDTH - 1, layout.view.height)),
        false => {
            let lines = size.height.saturating_sub(layout.view.bottom() + FOOT);
            log(app, &mut pen, Rect::new(0, layout.view.bottom(), size.width, lines));
        }
    }
    foot(app, &mut pen, size);
    match &app.mode {
        Mode::Menu { title, items, at } => {
            let lines: Vec<String> = items.iter().map(|(text, _)| text.clone()).collect();
            window(&mut pen, size, title, &lines, Some(*at));
        }
        Mode::Help => window(&mut pen, size, "Keys", &HELP.map(str::to_owned), None),
        Mode::Normal | Mode::Prompt { .. } => {}
    }
}

const HELP: [&str; 22] = [
    "arrows, tab      move the selection; page up and page down go to the next container",
    "space, enter     take the stack, or put what is held",
    "h, 1             take a half, or one; put one",
    "escape           put back what is held; close a window",
    "x                swap: mark a slot, then press it on the other one",
    "d                drop the stack, or what is held",
    "e                equip the stack, or take it off",
    "m, t             mark this container, and transfer stacks there",
    "s                sort the container",
    "o                open or close the container",
    "c, b, k, f       craft, deals, use the stack, bind it to a shortcut",
    ".  >  n          wait: one tick, until something is due, a number of ticks",
    "a                the next holder acts; after the last one, the game",
    "u, r             undo and redo; the same steps back and forth in a scenario",
    "/                find a container or a kind",
    ":                type any operation",
    "w, W             keep what was done as a scenario, or the contents as a start",
    "mouse            drag with the left button, half with the right one; the wheel scrolls",
    "q                quit",
    "",
    "While something is held, +2 says how many a slot takes, and x that it takes none.",
    "* marks and properties of its own",
];

struct Pen<'b> {
    buffer: &'b mut Buffer,
}

impl Pen<'_> {
    /// Text in a line, cut at a width. Returns the columns that it takes.
    fn put(&mut self, (x, y): (u16, u16), text: &str, most: usize, style: Style) -> u16 {
        if y >= self.buffer.area.bottom() || x >= self.buffer.area.right() {
            return 0;
        }
        let text = clip(text, most.min(usize::from(self.buffer.area.right() - x)));
        let (end, _) = self.buffer.set_stringn(x, y, &text, most, style);
        end - x
    }
}

fn bold() -> Style {
    Style::new().add_modifier(Modifier::BOLD)
}

fn faint() -> Style {
    Style::new().add_modifier(Modifier::DIM)
}

fn heading(app: &App, pen: &mut Pen<'_>, size: Rect) {
    let game = &app.game;
    let title = if game.rules().title().is_empty() { "Untitled ruleset" } else { game.rules().title() };
    let held = game.held().map_or_else(String::new, |(_, what)| format!("   holds {what}"));
    let steps = match game.ahead() {
        0 => format!("{}", game.done().len()),
        ahead => format!("{} of {}", game.done().len(), game.done().len() + ahead),
    };
    let clock = game.world.clock();
    let clock = if clock > 0 { format!("   tick {clock}") } else { String::new() };
    let line = format!("{title}   {} acts{held}{clock}   step {steps}", game.actor_name());
    pen.put((0, 0), &line, usize::from(size.width), bold());
    let Some(actor) = game.actor else { return };
    let world = &game.world;
    let mut about: Vec<String> =
        world.meters(actor).map(|(meter, value)| format!("{} {value}", meter.name())).collect();
    about.extend(world.encumbrance(actor).map(str::to_owned));
    let kind = |kind: Option<hypotheke::KindId>| {
        kind.and_then(|kind| world.rules().kind(kind)).map_or_else(|| "·".to_owned(), |kind| kind.id().to_owned())
    };
    let shortcuts: Vec<String> = world.shortcuts(actor).map(kind).collect();
    if !shortcuts.is_empty() {
        about.push(format!("shortcuts {}", shortcuts.join(" ")));
    }
    pen.put((0, 1), &about.join("   "), usize::from(size.width), Style::new());
}

fn panels(app: &App, pen: &mut Pen<'_>) {
    let (layout, world) = (&app.layout, &app.game.world);
    let view = layout.view;
    let end = layout.scroll + usize::from(view.height);
    let at = |x: usize, y: usize| -> Option<(u16, u16)> {
        let line = u16::try_from(y.checked_sub(layout.scroll)?).ok().filter(|&line| line < view.height)?;
        Some((u16::try_from(x).ok()?, view.top() + line))
    };
    let mut room: Vec<SlotRoom> = Vec::new();
    for (number, (&panel, area)) in layout.panels.iter().zip(&layout.areas).enumerate() {
        if area.top >= end || area.top + area.height <= layout.scroll {
            continue;
        }
        let is_focus = number == app.panel;
        if let Some(at) = at(area.left, area.top) {
            let marked = if app.target == Some(panel) { " (marked)" } else { "" };
            let taken = pen.put(at, &format!("{}{marked}", panel.name(world)), area.width, bold());
            let usage = format!("  {}", panel.usage(world));
            pen.put((at.0 + taken, at.1), &usage, area.width.saturating_sub(usize::from(taken)), faint());
        }
        room.clear();
        if let Panel::Container(id) = panel {
            app.game.room(id, &mut room);
        }
        for nth in 0..panel.cells(world) {
            let (x, y) = area.cell(nth);
            if y >= end || y + CELL_LINES <= layout.scroll {
                continue;
            }
            let Some(cell) = panel.cell(world, nth) else { continue };
            let is_selected = is_focus && nth == app.cell;
            let is_swapped = app.swap_from == Some(cell.place);
            let base = if is_selected { Style::new().add_modifier(Modifier::REVERSED) } else { Style::new() };
            let head = if is_swapped {
                "⇄"
            } else if is_selected {
                "▸"
            } else {
                " "
            };
            if let Some(at) = at(x, y) {
                let style = if cell.is_taken { base.add_modifier(Modifier::BOLD) } else { base };
                pen.put(at, &pad(&format!("{head}{}", cell.kind), CELL - 1), CELL - 1, style);
            }
            let Some(at) = at(x, y + 1) else { continue };
            let below = format!(" {} {}", cell.label, cell.count);
            let (takes, style) = match room.get(nth).filter(|_| Some(cell.place) != app.game.held().map(|held| held.0))
            {
                Some(room) if room.takes > 0 => (format!("+{}", room.takes), Style::new().fg(Color::Green)),
                Some(_) => ("x".to_owned(), Style::new().fg(Color::Red)),
                None => (String::new(), Style::new()),
            };
            let left = CELL - 1 - takes.len();
            pen.put(at, &pad(below.trim_end(), left), left, base);
            let x = at.0 + u16::try_from(left).unwrap_or(0);
            pen.put((x, at.1), &takes, takes.len(), base.patch(style));
        }
    }
}

/// The steps so far, the latest last.
fn log(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let columns = usize::from(area.width);
    if columns < 10 || area.height == 0 {
        return;
    }
    let mut lines: Vec<(String, Style)> = Vec::new();
    for done in app.game.done().iter().rev() {
        let mut own: Vec<(String, Style)> = Vec::new();
        let folded = |text: &str, style: Style, indent: &str| {
            let lines = fold(text, columns - indent.len());
            lines.into_iter().map(|line| (format!("{indent}{line}"), style)).collect::<Vec<_>>()
        };
        own.extend(folded(&done.sentence, bold(), ""));
        match &done.answer {
            Answer::Applied(result) if !result.is_empty() => own.extend(folded(result, Style::new(), "  ")),
            Answer::Applied(_) => {}
            Answer::Refused(result, why) => {
                own.extend(folded(result, Style::new().fg(Color::Red), "  "));
                own.extend(why.iter().flat_map(|why| folded(why, Style::new(), "  ")));
            }
        }
        own.extend(done.events.iter().take(6).flat_map(|event| folded(event, faint(), "  ")));
        lines.splice(0..0, own);
        if lines.len() > usize::from(area.height) {
            break;
        }
    }
    let skip = lines.len().saturating_sub(usize::from(area.height));
    for (nth, (text, style)) in (0..).zip(lines.into_iter().skip(skip)) {
        pen.put((area.left(), area.top() + nth), &text, columns, style);
    }
}

fn foot(app: &App, pen: &mut Pen<'_>, size: Rect) {
    let columns = usize::from(size.width);
    let top = size.height.saturating_sub(FOOT);
    let status = match &app.mode {
        Mode::Prompt { question, text, .. } => format!("{question}: {text}█"),
        _ => app.message.clone(),
    };
    let lines = fold(&status, columns);
    for (nth, line) in (0..).zip(lines.iter().take(2)) {
        pen.put((0, top + nth), line, columns, Style::new());
    }
    pen.put((0, top + 2), KEYS, columns, faint());
}

/// A list in the middle.
fn window(pen: &mut Pen<'_>, size: Rect, title: &str, lines: &[String], at: Option<usize>) {
    let widest = lines.iter().map(|line| width(line)).chain([title.len() + 4]).max().unwrap_or(0);
    let columns = (widest + 4).min(usize::from(size.width));
    let room = usize::from(size.height).saturating_sub(2).max(1);
    let shown = lines.len().min(room.saturating_sub(1));
    let first = at.map_or(0, |at| at.saturating_sub(shown.saturating_sub(1)));
    let left = u16::try_from((usize::from(size.width) - columns) / 2).unwrap_or(0);
    let top = u16::try_from((usize::from(size.height).saturating_sub(shown + 2)) / 2).unwrap_or(0);
    let rule = "─".repeat(columns.saturating_sub(2));
    pen.put((left, top), &format!("┌{rule}┐"), columns, Style::new());
    pen.put((left + 2, top), &format!(" {title} "), columns.saturating_sub(4), bold());
    for (nth, line) in (0..).zip(lines.iter().skip(first).take(shown)) {
        let is_chosen = at == Some(first + usize::from(nth));
        let head = if is_chosen { "▸" } else { " " };
        let text = format!("│{head}{}│", pad(line, columns.saturating_sub(3)));
        let style = if is_chosen { Style::new().add_modifier(Modifier::REVERSED) } else { Style::new() };
        pen.put((left, top + 1 + nth), &text, columns, style);
    }
    let bottom = top + 1 + u16::try_from(shown).unwrap_or(0);
    pen.put((left, bottom), &format!("└{rule}┘"), columns, Style::new());
}

/// The status for the selected cell.
pub(super) fn about(app: &App) -> String {
    let game = &app.game;
    let Some(panel) = app.layout.panels.get(app.panel) else { return String::new() };
    let Some(cell) = panel.cell(&game.world, app.cell) else { return String::new() };
    if let (Some((from, what)), Panel::Container(id)) = (game.held(), panel) {
        let mut room = Vec::new();
        game.room(*id, &mut room);
        return match room.get(app.cell) {
            _ if from == cell.place => format!("{what} is taken from here"),
            Some(SlotRoom { takes: 0, .. }) if game.swaps(cell.place) => format!("It takes {what} in exchange"),
            Some(SlotRoom { why_not_all: Some(cause), takes, .. }) => {
                let up_to = if *takes > 0 { format!("; it takes {takes}") } else { String::new() };
                format!("{}{up_to}", game.explain(*cause))
            }
            Some(_) => format!("It takes {what}"),
            None => format!("{} takes nothing from {}", panel.name(&game.world), game.actor_name()),
        };
    }
    let place = match cell.place {
        Place::Ground => "the ground".to_owned(),
        place => game.world.place_name(place),
    };
    match game.world.describe_stack(cell.place) {
        Some(about) => format!("{place}: {} {}, {}", about.count, about.name, game.rules().weight_text(about.weight)),
        None => format!("{place}: {}", if cell.kind == "blocked" { "blocked" } else { "empty" }),
    }
}
