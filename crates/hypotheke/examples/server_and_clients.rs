//! A server and three clients over a line that loses, doubles and delays messages.
//!
//! The server owns the world. Each client acts ahead on a copy of its own, sends what it asks for
//! as JSON, follows what the server says, and rolls back what the server refuses. In the end all
//! have the same world, and no request is applied twice.
//!
//!     cargo run --release -p hypotheke --example server_and_clients

use std::error::Error;
use std::sync::Arc;

use hypotheke::replication::{Answer, Client, Server, ToClient};
use hypotheke::{NamedOperation, Ruleset, World};
use rand_core::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

const NAMES: [&str; 3] = ["surveyor", "driver", "cook"];

fn rules() -> Result<Ruleset, Box<dyn Error>> {
    Ok(Ruleset::builder()
        .weight_unit("kg")
        .kind("fuel-drum", |kind| kind.weight(46.into()).stack_limit(4))
        .kind("ration-box", |kind| kind.weight(10.into()).stack_limit(6))
        .kind("flare", |kind| kind.weight(1.into()).stack_limit(6))
        .container("depot", |depot| depot.slots(8))
        .container("sled", |sled| sled.slots(6).weight_cap(180.into()))
        .container("pockets", |pockets| pockets.slots(2))
        .holder("surveyor", ["pockets"], |holder| holder)
        .holder("driver", ["pockets"], |holder| holder)
        .holder("cook", ["pockets"], |holder| holder)
        .start("depot", ["6 fuel-drum", "8 ration-box", "9 flare"])
        .build()?)
}

/// Messages on their way, as text, each with the name of who sent it or will get it.
struct Line {
    random: Xoshiro256PlusPlus,
    waiting: Vec<(usize, String)>,
    lost: u32,
    duplicated: u32,
}

impl Line {
    fn new(seed: u64) -> Line {
        Line { random: Xoshiro256PlusPlus::seed_from_u64(seed), waiting: Vec::new(), lost: 0, duplicated: 0 }
    }

    fn below(&mut self, bound: usize) -> usize {
        usize::try_from(self.random.next_u64() % bound.max(1) as u64).unwrap_or(0)
    }

    /// One in five is lost, one in five comes twice.
    fn send(&mut self, client: usize, message: String) {
        match self.below(5) {
            0 => self.lost += 1,
            1 => {
                self.duplicated += 1;
                self.waiting.extend([(client, message.clone()), (client, message)]);
            }
            _ => self.waiting.push((client, message)),
        }
    }

    /// Any of those that wait: who sent first need not come first.
    fn receive(&mut self) -> Option<(usize, String)> {
        let at = self.below(self.waiting.len());
        if self.waiting.is_empty() { None } else { Some(self.waiting.swap_remove(at)) }
    }
}

/// What each client wants, one after the other. Two want more than there is.
const WISHES: [&[&str]; 3] = [
    &[
        "move 3 fuel-drum from depot to sled",
        "move 4 flare from depot to surveyor.pockets",
        "swap sled/0 with sled/3",
        "drop 1 flare from surveyor.pockets within 5",
    ],
    &[
        "move 2 fuel-drum from depot to sled",
        "move 5 flare from depot to driver.pockets",
        "move up to 6 ration-box from depot to sled",
    ],
    &["move 6 ration-box from depot to cook.pockets", "consume 2 ration-box from cook.pockets"],
];

struct Play {
    server: Server,
    clients: Vec<Client>,
    to_server: Line,
    to_clients: Line,
}

impl Play {
    fn begin(rules: &Arc<Ruleset>) -> Result<Play, Box<dyn Error>> {
        let server = Server::new(World::new(rules), 4);
        let ToClient::World(initial) = server.initial_state() else {
            return Err("the initial state is a world".into());
        };
        let clients = NAMES.iter().map(|name| Client::new(name, rules, &initial)).collect::<Result<_, _>>()?;
        Ok(Play { server, clients, to_server: Line::new(1), to_clients: Line::new(2) })
    }

    fn predict(&mut self, client: usize, wish: &str) -> Result<(), Box<dyn Error>> {
        let operation: NamedOperation = wish.parse()?;
        let before = self.clients[client].world().revision();
        let message = self.clients[client].predict(operation);
        let ahead = if self.clients[client].world().revision() > before { "does ahead" } else { "asks for" };
        println!("{:>8} {ahead}: {wish}", NAMES[client]);
        self.to_server.send(client, serde_json::to_string(&message)?);
        Ok(())
    }

    fn serve(&mut self) -> Result<(), Box<dyn Error>> {
        let Some((from, text)) = self.to_server.receive() else { return Ok(()) };
        let replies = self.server.receive(&serde_json::from_str(&text)?);
        if let Some(news) = &replies.to_all {
            let text = serde_json::to_string(news)?;
            (0..NAMES.len()).for_each(|client| self.to_clients.send(client, text.clone()));
        }
        for reply in &replies.to_sender {
            self.to_clients.send(from, serde_json::to_string(reply)?);
        }
        Ok(())
    }

    fn tell(&mut self) -> Result<(), Box<dyn Error>> {
        let Some((to, text)) = self.to_clients.receive() else { return Ok(()) };
        let received = self.clients[to].receive(&serde_json::from_str(&text)?)?;
        for (id, answer) in received.answers {
            match answer {
                Answer::Applied { outcome, .. } => {
                    println!("{:>8} hears: {id} is done, revision {}", NAMES[to], outcome.revision());
                }
                Answer::Refused { text, .. } => println!("{:>8} rolls back {id}: {text}", NAMES[to]),
            }
        }
        for message in received.send {
            self.to_server.send(to, serde_json::to_string(&message)?);
        }
        Ok(())
    }

    /// What a client does when it has heard nothing for a while.
    fn ask_again(&mut self) -> Result<(), Box<dyn Error>> {
        for (number, client) in self.clients.iter().enumerate() {
            for message in client.resend().into_iter().chain([client.resync()]) {
                self.to_server.send(number, serde_json::to_string(&message)?);
            }
        }
        Ok(())
    }

    fn is_quiet(&self) -> bool {
        let settled = |client: &Client| client.pending() == 0 && client.confirmed() == self.server.world().revision();
        self.clients.iter().all(settled)
    }
}

fn main() -> Result<(), Box<dyn Error>> {
    let mut play = Play::begin(&Arc::new(rules()?))?;
    for round in 0..4 {
        for (client, wishes) in WISHES.iter().enumerate() {
            if let Some(wish) = wishes.get(round) {
                play.predict(client, wish)?;
            }
            play.serve()?;
            play.tell()?;
        }
    }
    let mut rounds = 0;
    while !play.is_quiet() {
        play.ask_again()?;
        while !play.to_server.waiting.is_empty() || !play.to_clients.waiting.is_empty() {
            play.serve()?;
            play.tell()?;
        }
        rounds += 1;
    }

    let (lost, duplicated) =
        (play.to_server.lost + play.to_clients.lost, play.to_server.duplicated + play.to_clients.duplicated);
    println!(
        "\n{lost} messages were lost and {duplicated} arrived twice; after {rounds} rounds of resending all clients agree."
    );
    let world = play.server.world();
    println!("The server is at revision {}.", world.revision());
    for (name, client) in NAMES.iter().zip(&play.clients) {
        let same = client.world().snapshot() == world.snapshot();
        println!("{name:>8} has {}.", if same { "the same world" } else { "another world" });
        assert!(same, "a copy is the world that the server has");
    }
    println!("\nWhat the server has done:");
    for (revision, answered) in (1..).zip(world.answered_requests()) {
        let outcome = answered.outcome.text("applied");
        println!("{revision:>3}  {:10}  {}: {outcome}", answered.id.to_string(), answered.operation);
    }
    Ok(())
}
