//! The inner loop of a game without any engine: a chest is opened, stacks are dragged between its
//! grid and the pockets, dropped on the ground, and the chest is closed.
//!
//! A game would read these events from mouse and keyboard; here they are lines of text, so that the
//! loop can be watched:
//!
//! ```text
//! cargo run -p hypotheke --example drag_and_drop            # plays a few events that are built in
//! cargo run -p hypotheke --example drag_and_drop -- -       # reads events from standard input
//! ```

use std::error::Error;
use std::io::BufRead;
use std::sync::Arc;

use hypotheke::{
    Amount, ContainerId, HolderId, Landing, LiftAmount, Operation, Outcome, Place, Position, Refusal, Ruleset, World,
};

/// What a player does. Columns and rows are counted from 0; the chest is drawn from column 0 on,
/// the pockets from column 6 on.
#[derive(Clone, Copy)]
enum Input {
    Open,
    Close,
    /// The left button takes all of a stack, the right one half of it.
    Press {
        column: u32,
        row: u32,
        half: bool,
    },
    Release {
        column: u32,
        row: u32,
    },
    /// Let go outside of every grid.
    ReleaseOutside,
}

/// A container and where its grid is drawn.
struct Grid {
    container: ContainerId,
    left: u32,
    columns: u32,
    rows: u32,
}

struct Screen {
    chest: Grid,
    pockets: Grid,
    is_chest_open: bool,
}

struct Game {
    world: World,
    player: HolderId,
    screen: Screen,
}

const EVENTS: &str = "\
press 0 0
open
press 0 0
release 6 0
right-press 0 1
release 7 0
press 6 0
release-outside
press 1 0
release 6 1
close
";

fn rules() -> Result<Ruleset, Box<dyn Error>> {
    Ok(Ruleset::builder()
        .weight_unit("kg")
        .kind("flare", |kind| kind.name("Flare").stack_limit(6).weight("0.3".parse().unwrap_or_default()))
        .kind("ration-box", |kind| kind.name("Ration box").stack_limit(3).weight("2.5".parse().unwrap_or_default()))
        .kind("fuel-can", |kind| kind.name("Fuel can").tags(["fuel"]).weight(3.into()))
        .container("chest", |chest| chest.slots(4).columns(2).must_open().exclusive())
        .container("pockets", |pockets| pockets.slots(4).columns(2).admits("not fuel"))
        .holder("surveyor", ["pockets"], |surveyor| surveyor.weight_cap(10.into()))
        .start("chest", ["5 flare", "1 fuel-can", "3 ration-box"])
        .build()?)
}

impl Grid {
    /// The slot at a place on the screen.
    fn slot_at(&self, column: u32, row: u32) -> Option<(ContainerId, u32)> {
        let inside = column.checked_sub(self.left).filter(|column| *column < self.columns)?;
        (row < self.rows).then_some((self.container, row * self.columns + inside))
    }
}

impl Screen {
    fn slot_at(&self, column: u32, row: u32) -> Option<(ContainerId, u32)> {
        let in_chest = self.chest.slot_at(column, row).filter(|_| self.is_chest_open);
        in_chest.or_else(|| self.pockets.slot_at(column, row))
    }
}

impl Game {
    fn new() -> Result<Game, Box<dyn Error>> {
        let world = World::new(&Arc::new(rules()?));
        let player = world.holder("surveyor").ok_or("no surveyor")?;
        let grid = |name: &str, left| {
            let container = world.container(name).ok_or("no such container")?;
            let columns = world.container_def(container).map_or(1, hypotheke::ContainerDef::columns);
            let slots = u32::try_from(world.slots(container).len())?;
            Ok::<Grid, Box<dyn Error>>(Grid { container, left, columns, rows: slots.div_ceil(columns) })
        };
        let screen = Screen { chest: grid("chest", 0)?, pockets: grid("surveyor.pockets", 6)?, is_chest_open: false };
        Ok(Game { world, player, screen })
    }

    /// What an input asks of the world; nothing if it hits no slot.
    fn operation(&self, input: Input) -> Option<Operation> {
        let player = self.player;
        Some(match input {
            Input::Open => Operation::opening(self.screen.chest.container, player),
            // A player who walks away puts the item in the hand back.
            Input::Close => Operation::leaving(player),
            Input::Press { column, row, half } => {
                let share = if half { LiftAmount::Half } else { LiftAmount::Amount(Amount::All) };
                Operation::lifting(share, self.screen.slot_at(column, row)?, player)
            }
            // Placed, merged or exchanged, as the container says.
            Input::Release { column, row } => {
                Operation::putting(Amount::All, self.screen.slot_at(column, row)?, player)
            }
            Input::ReleaseOutside => {
                let landing = Landing { at: Position::default(), within: Some(1.into()) };
                Operation::dropping(Amount::All, Place::Hand(player), landing)
            }
        })
    }

    fn play(&mut self, input: Input) {
        let Some(operation) = self.operation(input) else {
            println!("  there is no slot");
            return;
        };
        match self.world.perform(&operation) {
            Ok(outcome) => self.tell(input, outcome),
            // The world is unchanged; the player sees the reason.
            Err(refusal) => self.tell_why_not(&refusal),
        }
    }

    /// A real screen would redraw what the events name.
    fn tell(&mut self, input: Input, outcome: Outcome) {
        match input {
            Input::Open => self.screen.is_chest_open = true,
            Input::Close => self.screen.is_chest_open = false,
            _ => {}
        }
        for event in self.world.events() {
            println!("  {}", self.world.describe_event(event));
        }
        if !outcome.changed() {
            println!("  nothing to do");
        }
    }

    fn tell_why_not(&self, refusal: &Refusal) {
        println!("  no: {} ({})", self.world.explain(refusal), refusal.reason());
    }

    fn draw(&self) {
        for row in 0..self.screen.chest.rows.max(self.screen.pockets.rows) {
            let chest = if self.screen.is_chest_open { self.row(&self.screen.chest, row) } else { "closed".to_owned() };
            println!("  {chest:27} | {}", self.row(&self.screen.pockets, row));
        }
        if let Some(stack) = self.world.hand(self.player) {
            println!("  in the hand: {} {}", stack.count(), stack.kind().name());
        }
    }

    fn row(&self, grid: &Grid, row: u32) -> String {
        let slots = (0..grid.columns).filter_map(|column| grid.slot_at(grid.left + column, row));
        let texts = slots.map(|(container, slot)| match self.world.stack(container, slot) {
            Some(stack) => format!("{} {:11}", stack.count(), stack.kind().name()),
            None => format!("{:13}", "·"),
        });
        texts.collect::<Vec<_>>().join(" ").trim_end().to_owned()
    }
}

fn parse(line: &str) -> Option<Input> {
    let words: Vec<&str> = line.split_whitespace().collect();
    let place = || Some((words.get(1)?.parse().ok()?, words.get(2)?.parse().ok()?));
    Some(match *words.first()? {
        "open" => Input::Open,
        "close" => Input::Close,
        "release-outside" => Input::ReleaseOutside,
        "press" | "right-press" => {
            let (column, row) = place()?;
            Input::Press { column, row, half: words[0] == "right-press" }
        }
        "release" => {
            let (column, row) = place()?;
            Input::Release { column, row }
        }
        _ => return None,
    })
}

fn main() -> Result<(), Box<dyn Error>> {
    let mut game = Game::new()?;
    let from_input = std::env::args().nth(1).is_some_and(|argument| argument == "-");
    let lines: Box<dyn Iterator<Item = std::io::Result<String>>> = if from_input {
        Box::new(std::io::stdin().lock().lines())
    } else {
        Box::new(EVENTS.lines().map(|line| Ok(line.to_owned())))
    };
    for line in lines {
        let line = line?;
        println!("{line}");
        match parse(&line) {
            Some(input) => game.play(input),
            None => println!("  open, close, press 0 0, right-press 0 0, release 6 0, release-outside"),
        }
        game.draw();
    }
    Ok(())
}
