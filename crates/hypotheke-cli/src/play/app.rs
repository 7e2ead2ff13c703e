//! What keys and the mouse do.

use std::path::PathBuf;

use hypotheke::{
    Action, Amount, ContainerDef, ContainerId, DealSide, HolderId, Landing, Operation, Place, SortKey, World,
};
use ratatui::crossterm::event::{
    Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use ratatui::layout::Rect;

use super::game::{Answer, Done, Game, Share};
use super::panel::Panel;
use super::screen::{Layout, about};
use crate::files::write_new;

/// What the next key is for.
#[derive(Debug)]
pub(super) enum Mode {
    Normal,
    Prompt { question: &'static str, text: String, what: Prompt },
    Menu { title: &'static str, items: Vec<(String, Operation)>, at: usize },
    Help,
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Prompt {
    Operation,
    Ticks,
    Search,
    /// The title of a scenario, then its file.
    Scenario,
    Start,
    /// The text to write.
    File(String),
}

pub(super) struct App {
    pub(super) game: Game,
    pub(super) layout: Layout,
    /// The selected panel and cell.
    pub(super) panel: usize,
    pub(super) cell: usize,
    pub(super) mode: Mode,
    pub(super) message: String,
    /// Where transfers go.
    pub(super) target: Option<Panel>,
    /// The slot that is to be swapped with the next one.
    pub(super) swap_from: Option<Place>,
    size: Rect,
    /// The cell on which the mouse button went down.
    pressed: Option<(usize, usize)>,
    pub(super) is_over: bool,
}

impl App {
    pub(super) fn new(game: Game, size: Rect) -> App {
        let layout = Layout::of(&game, size, &Layout::default());
        let mut app = App {
            game,
            layout,
            panel: 0,
            cell: 0,
            mode: Mode::Normal,
            message: String::new(),
            target: None,
            swap_from: None,
            size,
            pressed: None,
            is_over: false,
        };
        app.message = match app.game.ahead() {
            0 => about(&app),
            ahead => format!("{ahead} steps of the scenario: r does the next one, u takes it back"),
        };
        app
    }

    pub(super) fn handle(&mut self, event: &Event) {
        match event {
            Event::Key(key) if key.kind != KeyEventKind::Release => self.key(*key),
            Event::Mouse(mouse) => self.mouse(*mouse),
            Event::Resize(width, height) => self.size = Rect::new(0, 0, *width, *height),
            _ => {}
        }
        self.layout = Layout::of(&self.game, self.size, &self.layout);
        self.panel = self.panel.min(self.layout.panels.len().saturating_sub(1));
        let cells = self.layout.panels.get(self.panel).map_or(0, |panel| panel.cells(&self.game.world));
        self.cell = self.cell.min(cells.saturating_sub(1));
        if !matches!(event, Event::Mouse(_)) {
            self.layout.show(self.panel, self.cell);
        }
    }

    fn world(&self) -> &World {
        &self.game.world
    }

    fn focus(&self) -> Option<Panel> {
        self.layout.panels.get(self.panel).copied()
    }

    fn place(&self) -> Option<Place> {
        Some(self.focus()?.cell(self.world(), self.cell)?.place)
    }

    fn container(&self) -> Option<ContainerId> {
        match self.focus()? {
            Panel::Container(id) => Some(id),
            _ => None,
        }
    }

    fn key(&mut self, key: KeyEvent) {
        if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c') {
            self.is_over = true;
            return;
        }
        match std::mem::replace(&mut self.mode, Mode::Normal) {
            Mode::Normal => self.command(key),
            Mode::Help => {}
            Mode::Menu { title, items, at } => self.menu(key, title, items, at),
            Mode::Prompt { question, text, what } => self.prompt(key, question, text, what),
        }
    }

    fn command(&mut self, key: KeyEvent) {
        let back = key.modifiers.contains(KeyModifiers::SHIFT);
        match key.code {
            KeyCode::Char('q') => self.is_over = true,
            KeyCode::Char('?') => self.mode = Mode::Help,
            KeyCode::Left => self.step(-1),
            KeyCode::Right => self.step(1),
            KeyCode::Up => self.row(-1),
            KeyCode::Down => self.row(1),
            KeyCode::Tab => self.next_panel(if back { -1 } else { 1 }),
            KeyCode::BackTab | KeyCode::PageUp => self.next_panel(-1),
            KeyCode::PageDown => self.next_panel(1),
            KeyCode::Char(' ') | KeyCode::Enter => self.take_or_put(Share::All),
            KeyCode::Char('h') => self.take_or_put(Share::Half),
            KeyCode::Char('1') => self.take_or_put(Share::One),
            KeyCode::Esc => self.let_go(),
            KeyCode::Char('a') => {
                self.game.next_actor();
                self.message = format!("{} acts", self.game.actor_name());
            }
            KeyCode::Char('u') => {
                let message = if self.game.undo() { "Undone" } else { "There is nothing to undo" };
                message.clone_into(&mut self.message);
            }
            KeyCode::Char('r') => self.redo(),
            KeyCode::Char('.') => self.wait(Some(1)),
            KeyCode::Char('>') => self.wait(self.game.next_due()),
            KeyCode::Char('n') => self.ask("Number of ticks", "", Prompt::Ticks),
            KeyCode::Char('/') => self.ask("Find a container or a kind", "", Prompt::Search),
            KeyCode::Char(':') => {
                let actor = self.game.actor.map(|actor| format!("{} ", self.world().holder_name(actor)));
                self.ask("Operation", &actor.unwrap_or_default(), Prompt::Operation);
            }
            KeyCode::Char('w') => self.ask("Title of the scenario", "", Prompt::Scenario),
            KeyCode::Char('W') => self.ask("Name of the start", "", Prompt::Start),
            KeyCode::Char(letter) => self.act(letter),
            _ => {}
        }
    }

    /// The commands that are operations on the selected cell or container.
    fn act(&mut self, letter: char) {
        let (place, container, actor) = (self.place(), self.container(), self.game.actor);
        let slot = match place {
            Some(Place::Slot(container, slot)) => Some((container, slot)),
            _ => None,
        };
        match letter {
            'd' => {
                let held = self.game.held().map(|held| held.0);
                let Some(from) = held.or(place) else { return };
                self.perform(Operation::dropping(Amount::All, from, Landing::default()));
            }
            'e' => match (slot, actor) {
                (Some(slot), Some(actor)) => {
                    let is_worn = self.world().container_def(slot.0).is_some_and(ContainerDef::is_worn);
                    let equip = Operation::equipping(Amount::All, slot, actor);
                    let unequip = Operation::unequipping(Amount::All, slot, actor);
                    self.perform(if is_worn { unequip } else { equip });
                }
                (_, None) => self.only_holders(),
                _ => {}
            },
            'x' => self.swap(slot),
            'm' => {
                self.target = self.focus();
                let name = self.target.map_or_else(String::new, |panel| panel.name(self.world()));
                self.message = format!("t transfers stacks to {name}");
            }
            't' => match (place, self.target) {
                (Some(from), Some(Panel::Container(to))) => {
                    let count = self.world().describe_stack(from).map_or(1, |stack| stack.count);
                    self.perform(Operation::moving(Amount::UpTo(count), from, to));
                }
                _ => "Mark a container first: m".clone_into(&mut self.message),
            },
            's' => {
                if let Some(container) = container {
                    self.perform(Operation::sorting(container, SortKey::default()));
                }
            }
            'o' => match (container, actor) {
                (Some(container), Some(actor)) => {
                    let is_open = self.world().has_opened(actor, container);
                    let close = Operation::closing(container, actor);
                    self.perform(if is_open { close } else { Operation::opening(container, actor) });
                }
                (_, None) => self.only_holders(),
                _ => {}
            },
            'k' => match (place, actor) {
                (Some(place), Some(actor)) => {
                    let id = self.world().describe_stack(place).and_then(|it| self.game.rules().find_kind(&it.kind));
                    if let Some(kind) = id {
                        self.perform(Operation::using(Amount::Exactly(1), kind, place, actor));
                    }
                }
                (_, None) => self.only_holders(),
                _ => {}
            },
            'f' => match (place, actor) {
                (Some(place), Some(actor)) => self.bind(place, actor),
                (_, None) => self.only_holders(),
                _ => {}
            },
            'c' => self.recipes(container),
            'b' => self.deals(container, actor),
            _ => {}
        }
    }

    fn only_holders(&mut self) {
        "Only holders do this: a lets the next one act".clone_into(&mut self.message);
    }

    /// To the first free shortcut, or to the first one.
    fn bind(&mut self, place: Place, actor: HolderId) {
        let kind = self.world().describe_stack(place).and_then(|it| self.game.rules().find_kind(&it.kind));
        let free = (0..).zip(self.world().shortcuts(actor)).find(|(_, kind)| kind.is_none());
        if let Some(kind) = kind {
            self.perform(Operation::binding(kind, actor, free.map_or(0, |(shortcut, _)| shortcut)));
        }
    }

    fn swap(&mut self, slot: Option<(ContainerId, u32)>) {
        let Some(slot) = slot else { return };
        match self.swap_from.take() {
            Some(Place::Slot(container, number)) => self.perform(Operation::swapping((container, number), slot)),
            _ => {
                self.swap_from = Some(slot.into());
                "x on the other slot swaps them".clone_into(&mut self.message);
            }
        }
    }

    /// The recipes of the container, and those that the actor carries out anywhere.
    fn recipes(&mut self, container: Option<ContainerId>) {
        let (world, rules) = (self.world(), self.game.rules());
        let at_container = container.and_then(|id| Some((Place::Container(id), world.station_name(id)?)));
        let there = at_container
            .into_iter()
            .flat_map(|(place, name)| rules.recipes_at(name).map(move |recipe| (recipe, place)));
        let own = self
            .game
            .actor
            .into_iter()
            .flat_map(|actor| rules.own_recipes().map(move |recipe| (recipe, Place::Holder(actor))));
        let items: Vec<(String, Operation)> = there
            .chain(own)
            .filter_map(|(id, place)| {
                let recipe = rules.recipe(id)?;
                let inputs: Vec<String> = recipe.inputs().iter().map(ToString::to_string).collect();
                let made = rules.items_text(recipe.outputs());
                let text = format!("{}: {made} from {}", recipe.id(), inputs.join(", "));
                Some((text, Operation::crafting(Amount::Exactly(1), id, place)))
            })
            .collect();
        self.offer("Craft", items, "There are no recipes here");
    }

    fn deals(&mut self, container: Option<ContainerId>, actor: Option<HolderId>) {
        let Some(container) = container else { return };
        let Some(actor) = actor else { return self.only_holders() };
        let rules = self.game.rules();
        let name = self.world().container_name(container);
        let mut items = Vec::new();
        for deal in rules.deals_at(&name) {
            for (side, lot) in rules.lots(deal) {
                let (named, price) = (lot.named(side), rules.items_text(lot.price(side)));
                let Some(&(kind, _)) = named.first() else { continue };
                let text = format!("{} {} for {price}", side.word(), rules.items_text(named));
                let operation = match side {
                    DealSide::Buy => Operation::buying(Amount::Exactly(1), kind, container, actor),
                    DealSide::Sell => Operation::selling(Amount::Exactly(1), kind, container, actor),
                };
                items.push((text, operation));
            }
        }
        self.offer("Deals", items, "There are no deals here");
    }

    fn offer(&mut self, title: &'static str, items: Vec<(String, Operation)>, none: &str) {
        if items.is_empty() {
            none.clone_into(&mut self.message);
        } else {
            self.mode = Mode::Menu { title, items, at: 0 };
        }
    }

    fn menu(&mut self, key: KeyEvent, title: &'static str, items: Vec<(String, Operation)>, at: usize) {
        let last = items.len() - 1;
        match key.code {
            KeyCode::Esc | KeyCode::Char('q') => {}
            KeyCode::Enter | KeyCode::Char(' ') => {
                let (_, operation) = items[at].clone();
                self.perform(operation);
            }
            KeyCode::Up => self.mode = Mode::Menu { title, items, at: at.saturating_sub(1) },
            KeyCode::Down => self.mode = Mode::Menu { title, items, at: (at + 1).min(last) },
            _ => self.mode = Mode::Menu { title, items, at },
        }
    }

    fn ask(&mut self, question: &'static str, text: &str, what: Prompt) {
        self.mode = Mode::Prompt { question, text: text.to_owned(), what };
    }

    fn prompt(&mut self, key: KeyEvent, question: &'static str, mut text: String, what: Prompt) {
        match key.code {
            KeyCode::Esc => return,
            KeyCode::Enter => return self.answer(text.trim(), what),
            KeyCode::Backspace => {
                text.pop();
            }
            KeyCode::Char(letter) => text.push(letter),
            _ => {}
        }
        if what == Prompt::Search {
            self.search(&text, 0);
        }
        self.mode = Mode::Prompt { question, text, what };
    }

    fn answer(&mut self, text: &str, what: Prompt) {
        match what {
            Prompt::Search => self.search(text, 0),
            Prompt::Ticks => match text.parse() {
                Ok(ticks @ 1..) => self.wait(Some(ticks)),
                _ => self.message = format!("Write a number of ticks from 1 to {}", u32::MAX),
            },
            Prompt::Operation => match self.game.say(text) {
                Ok(done) => self.message = said(done),
                Err(why) => self.message = why,
            },
            Prompt::Scenario if !text.is_empty() => {
                let written = self.game.as_scenario(text);
                self.ask("File", &file_name(text), Prompt::File(written));
            }
            Prompt::Start if !text.is_empty() => {
                let written = self.game.as_start(text);
                self.ask("File", &file_name(text), Prompt::File(written));
            }
            Prompt::Scenario | Prompt::Start => {}
            Prompt::File(written) => {
                let path = PathBuf::from(text);
                self.message = match write_new(&path, written.as_bytes()) {
                    Ok(()) => format!("Wrote {}", path.display()),
                    Err(error) => error.to_string(),
                };
            }
        }
    }

    /// Selects the first cell, from a panel on, whose container or kind has this text.
    fn search(&mut self, text: &str, from: usize) {
        let wanted = text.to_lowercase();
        if wanted.is_empty() {
            return;
        }
        let world = &self.game.world;
        let matches = |panel: &Panel| -> Option<usize> {
            if panel.name(world).to_lowercase().contains(&wanted) {
                return Some(0);
            }
            (0..panel.cells(world)).find(|&nth| {
                panel.cell(world, nth).is_some_and(|cell| cell.is_taken && cell.kind.to_lowercase().contains(&wanted))
            })
        };
        let found = self.layout.panels.iter().enumerate().skip(from).find_map(|(nth, it)| Some((nth, matches(it)?)));
        match found {
            Some((panel, cell)) => {
                (self.panel, self.cell) = (panel, cell);
                self.message = about(self);
            }
            None => self.message = format!("Nothing has {text}"),
        }
    }

    fn wait(&mut self, ticks: Option<u32>) {
        match ticks {
            // Only the game waits.
            Some(ticks) => {
                let done = self.game.perform(&Operation::waiting(ticks));
                self.message = said(done);
            }
            None => "Nothing is due".clone_into(&mut self.message),
        }
    }

    fn redo(&mut self) {
        self.message = match self.game.redo() {
            None => "There is nothing to redo".to_owned(),
            Some(Ok(done)) => said(done),
            Some(Err(why)) => why,
        };
    }

    fn perform(&mut self, operation: Operation) {
        let is_wait = matches!(operation.action, Action::Wait { .. });
        let done = if is_wait { self.game.perform(&operation) } else { self.game.act(operation) };
        self.message = said(done);
    }

    fn take_or_put(&mut self, share: Share) {
        let Some(place) = self.place() else { return };
        let is_held = self.game.held().is_some();
        let done = if is_held { self.game.put(place, share) } else { self.game.take(place, share) };
        self.message = match done {
            Some(done) => said(done),
            None => about(self),
        };
        if let (None, Some((_, what))) = (self.game.actor, self.game.held()) {
            self.message = format!("Carries {what}");
        }
    }

    fn let_go(&mut self) {
        self.swap_from = None;
        self.message = match self.game.let_go() {
            Some(done) => said(done),
            None => about(self),
        };
    }

    fn step(&mut self, by: isize) {
        let cells = self.focus().map_or(0, |panel| panel.cells(self.world()));
        match self.cell.checked_add_signed(by) {
            Some(cell) if cell < cells => self.cell = cell,
            Some(_) => self.next_panel(1),
            None => {
                self.next_panel(-1);
                self.cell = self.focus().map_or(0, |panel| panel.cells(self.world()).saturating_sub(1));
            }
        }
        self.message = about(self);
    }

    fn row(&mut self, by: isize) {
        let columns = self.layout.areas.get(self.panel).map_or(1, |area| area.columns);
        let by = by.saturating_mul(isize::try_from(columns).unwrap_or(1));
        let cells = self.focus().map_or(0, |panel| panel.cells(self.world()));
        match self.cell.checked_add_signed(by) {
            Some(cell) if cell < cells => self.cell = cell,
            Some(_) => self.next_panel(1),
            None => self.next_panel(-1),
        }
        self.message = about(self);
    }

    fn next_panel(&mut self, by: isize) {
        let next = self.panel.checked_add_signed(by).unwrap_or(0);
        self.panel = next.min(self.layout.panels.len().saturating_sub(1));
        self.cell = 0;
        self.message = about(self);
    }

    fn mouse(&mut self, mouse: MouseEvent) {
        let share = match mouse.kind {
            MouseEventKind::ScrollDown => return self.layout.scroll_by(2),
            MouseEventKind::ScrollUp => return self.layout.scroll_by(-2),
            MouseEventKind::Down(button) | MouseEventKind::Up(button) => match button {
                MouseButton::Left => Share::All,
                MouseButton::Right => Share::Half,
                MouseButton::Middle => Share::One,
            },
            MouseEventKind::Drag(_) | MouseEventKind::Moved => {
                if let Some((panel, cell)) = self.layout.hit(mouse.column, mouse.row) {
                    (self.panel, self.cell) = (panel, cell);
                    self.message = about(self);
                }
                return;
            }
            _ => return,
        };
        if !matches!(self.mode, Mode::Normal) {
            return;
        }
        let Some(hit) = self.layout.hit(mouse.column, mouse.row) else { return };
        (self.panel, self.cell) = hit;
        match mouse.kind {
            MouseEventKind::Down(_) if self.game.held().is_none() => {
                self.pressed = Some(hit);
                self.take_or_put(share);
            }
            // A second click puts it down, as the end of a drag does.
            MouseEventKind::Down(_) => self.take_or_put(if share == Share::Half { Share::One } else { share }),
            MouseEventKind::Up(_) => {
                let is_drag = self.pressed.take().is_some_and(|pressed| pressed != hit);
                if is_drag && self.game.held().is_some() {
                    self.take_or_put(Share::All);
                }
            }
            _ => {}
        }
    }
}

/// A step in one line.
fn said(done: &Done) -> String {
    match &done.answer {
        Answer::Applied(part) if part.is_empty() => done.sentence.clone(),
        Answer::Applied(part) => format!("{} -> {part}", done.sentence),
        Answer::Refused(result, why) => format!("{result}: {}", why.first().map_or("", String::as_str)),
    }
}

/// A file name for a title.
fn file_name(title: &str) -> String {
    let letters = title.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect::<String>();
    let words: Vec<&str> = letters.split('-').filter(|word| !word.is_empty()).collect();
    format!("{}.scenario", words.join("-"))
}
