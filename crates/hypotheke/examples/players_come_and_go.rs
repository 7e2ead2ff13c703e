//! A server process whose players come and go, with a store in a folder or in an SQLite database.
//!
//! A player who joins is leased, loaded and arrives; a leaving player departs, is saved and released.
//! Failed requests are repeated, with longer and longer pauses. The server's own world is
//! in the store too, with the sessions that are going on: it is saved before a player who leaves
//! is, so that a server that comes back goes on where it was, and nothing is lost or duplicated.
//!
//!     cargo run --release -p hypotheke --features sqlite --example players_come_and_go
//!
//! Without arguments it starts servers as processes of their own and talks to them. To talk to one
//! yourself:
//!
//!     cargo run --release -p hypotheke --features sqlite --example players_come_and_go -- camp sqlite camp.sqlite
//!     join ada
//!     take ada 2 flare
//!     leave ada

use std::collections::BTreeMap;
use std::error::Error;
use std::io::{BufRead, BufReader, Lines, Write};
use std::path::Path;
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use hypotheke::save::Save;
use hypotheke::store::{
    FolderStore, Key, RetryPolicy, Session, SessionError, SessionOptions, SessionState, SqliteStore, Store, StoreError,
};
use hypotheke::{Amount, Departure, Operation, Ruleset, World};
use serde::{Deserialize, Serialize};

type Outcome<T> = Result<T, Box<dyn Error>>;

const TERMS: SessionOptions = SessionOptions { lease: 60_000 };
const RETRY: RetryPolicy = RetryPolicy { tries: 3, first_wait: 10, longest_wait: 1_000 };

fn rules() -> Outcome<Arc<Ruleset>> {
    let rules = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(6))
        .kind("ice-core", |kind| kind.stack_limit(2))
        .container("depot", |depot| depot.slots(6))
        .container("pockets", |pockets| pockets.slots(4))
        .holder("member", ["pockets"], |member| member)
        .start("depot", ["12 flare", "2 ice-core"])
        .build()?;
    Ok(rules.into())
}

#[expect(clippy::disallowed_methods, reason = "leases are given by the clock of the machine")]
fn now() -> u64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    u64::try_from(since.as_millis()).unwrap_or(u64::MAX)
}

fn wait(milliseconds: u64) -> u64 {
    std::thread::sleep(Duration::from_millis(milliseconds));
    now()
}

/// What a server keeps of itself.
#[derive(Serialize, Deserialize)]
struct Kept {
    world: String,
    sessions: BTreeMap<String, Session>,
}

struct Server {
    name: String,
    store: Box<dyn Store>,
    world: World,
    sessions: BTreeMap<String, Session>,
    key: Key,
    revision: u64,
    lease: u64,
}

impl Server {
    /// Starts a server, or lets it go on where it was.
    fn start(name: &str, number: u32, store: Box<dyn Store>) -> Outcome<Server> {
        let key = Key::new(format!("the world of {name}"))?;
        let lease = store.lease(&key, &format!("{name}, process {}", std::process::id()), now(), now())?;
        let (rules, mut sessions) = (rules()?, BTreeMap::new());
        let world = match store.load(&key)? {
            None => {
                let mut world = World::new(&rules).numbered(number, 0);
                let member = world.holder("member").ok_or("the rules have one")?;
                let departing = Operation::departing(member);
                let _ = world.perform(&departing).map_err(|refusal| world.explain(&refusal))?;
                world
            }
            Some(stored) => {
                let kept: Kept = serde_json::from_slice(&stored.bytes)?;
                sessions = kept.sessions;
                Save::read(kept.world.as_bytes())?.world(&rules)?
            }
        };
        let name = name.to_owned();
        let mut server = Server { name, store, world, sessions, key, revision: lease.revision, lease: lease.number };
        server.go_on()?;
        server.save()?;
        Ok(server)
    }

    /// Finishes what was on its way when the process ended, and lets go of players whom another
    /// server has by now.
    fn go_on(&mut self) -> Outcome<()> {
        for (player, mut session) in std::mem::take(&mut self.sessions) {
            let renewed = session.renew(self.store.as_ref(), now());
            if matches!(renewed, Err(StoreError::LeaseLost { .. })) && session.state() == SessionState::Active {
                session.leave(&mut self.world)?;
                continue;
            }
            session.run(self.store.as_ref(), &mut self.world, RETRY, &mut wait)?;
            if session.state() == SessionState::Active {
                self.sessions.insert(player, session);
            }
        }
        Ok(())
    }

    fn save(&mut self) -> Outcome<()> {
        let kept = Kept { world: Save::of(&self.world).to_json(), sessions: self.sessions.clone() };
        self.revision = self.store.save(&self.key, &serde_json::to_vec(&kept)?, self.revision, self.lease)?;
        Ok(())
    }

    fn join(&mut self, player: &str) -> Outcome<String> {
        if self.sessions.contains_key(player) {
            return Ok(format!("{player} is here already"));
        }
        let rules = Arc::clone(self.world.rules());
        let newcomer = Departure::newcomer(&rules, "member", player).ok_or("the rules have one")?;
        let owner = format!("{}, process {}, session at {}", self.name, std::process::id(), self.revision);
        let mut session = Session::new(Key::new(player)?, &owner, newcomer, TERMS);
        match session.run(self.store.as_ref(), &mut self.world, RETRY, &mut wait) {
            Ok(()) => {
                self.sessions.insert(player.to_owned(), session);
                self.save()?;
                Ok(format!("{player} arrives with {}", self.what_has(player)))
            }
            Err(SessionError::Store(StoreError::Held { owner, .. })) => {
                let server = owner.split(',').next().unwrap_or_default();
                Ok(format!("{player} can't join: they are at {server}, and must leave there first"))
            }
            Err(error) => Ok(format!("{player} can't join: {error}")),
        }
    }

    fn take(&mut self, player: &str, count: u32, kind: &str) -> Outcome<String> {
        let kind = self.world.rules().find_kind(kind).ok_or("there is no such kind")?;
        let pockets = self.world.container(&format!("{player}.pockets")).ok_or("nobody of that name is here")?;
        let depot = self.world.container("depot").ok_or("the rules have one")?;
        let taking = Operation::moving(Amount::Exactly(count), depot, pockets).only(kind);
        Ok(match self.world.perform(&taking) {
            Ok(taken) => format!("{player} takes {}", taken.done()),
            Err(refusal) => format!("{player} can't: {}", self.world.explain(&refusal)),
        })
    }

    fn leave(&mut self, player: &str) -> Outcome<String> {
        let Some(session) = self.sessions.get_mut(player) else { return Ok(format!("{player} is not here")) };
        session.leave(&mut self.world)?;
        // The world without them is safe before they are: if it all ends here, the session is gone
        // on with.
        self.save()?;
        let Some(mut session) = self.sessions.remove(player) else { return Ok(String::new()) };
        let done = session.run(self.store.as_ref(), &mut self.world, RETRY, &mut wait);
        if let Err(error) = done {
            // The session stays, and continues at the next command.
            let described = format!("{player} has left and is not yet saved: {error}");
            self.sessions.insert(player.to_owned(), session);
            return Ok(described);
        }
        self.save()?;
        Ok(format!("{player} is saved, as revision {}", session.expected_revision()))
    }

    fn what_has(&self, player: &str) -> String {
        let pockets = self.world.container(&format!("{player}.pockets"));
        let stacks = pockets.into_iter().flat_map(|pockets| self.world.stacks(pockets));
        let described: Vec<String> =
            stacks.map(|(_, stack)| format!("{} {}", stack.count(), stack.kind().id())).collect();
        if described.is_empty() { "nothing".to_owned() } else { described.join(", ") }
    }

    fn answer(&mut self, line: &str) -> Outcome<String> {
        match line.split_whitespace().collect::<Vec<_>>()[..] {
            ["join", player] => self.join(player),
            ["take", player, count, kind] => self.take(player, count.parse()?, kind),
            ["leave", player] => self.leave(player),
            _ => Ok("join NAME, take NAME COUNT KIND, or leave NAME".to_owned()),
        }
    }
}

/// A server as a process: it answers each line with one.
fn serve(name: &str, store: Box<dyn Store>) -> Outcome<()> {
    let number = name.bytes().fold(1, |sum, byte| sum * 31 % 10_007 + u32::from(byte));
    let mut server = Server::start(name, number, store)?;
    for line in std::io::stdin().lines() {
        let answer = server.answer(&line?).unwrap_or_else(|error| format!("that can't be done: {error}"));
        println!("{answer}");
        std::io::stdout().flush()?;
    }
    Ok(())
}

fn open(sort: &str, place: &Path) -> Result<Box<dyn Store>, StoreError> {
    match sort {
        "sqlite" => Ok(Box::new(SqliteStore::open(place)?)),
        _ => Ok(Box::new(FolderStore::open(place)?)),
    }
}

/// A server that runs as another process.
struct Running {
    name: String,
    child: Child,
    input: ChildStdin,
    output: Lines<BufReader<ChildStdout>>,
}

impl Running {
    fn start(name: &str, sort: &str, place: &Path) -> Outcome<Running> {
        let mut command = Command::new(std::env::current_exe()?);
        command.args([name, sort]).arg(place).stdin(Stdio::piped()).stdout(Stdio::piped());
        let mut child = command.spawn()?;
        let (input, output) = (child.stdin.take().ok_or("an input")?, child.stdout.take().ok_or("an output")?);
        Ok(Running { name: name.to_owned(), child, input, output: BufReader::new(output).lines() })
    }

    fn ask(&mut self, line: &str) -> Outcome<()> {
        writeln!(self.input, "{line}")?;
        let answer = self.output.next().ok_or("the server has ended")??;
        println!("  {:<5} {line:<22} {answer}", self.name);
        Ok(())
    }

    fn kill(mut self) -> Outcome<()> {
        self.child.kill()?;
        self.child.wait()?;
        println!("  {:<5} is killed", self.name);
        Ok(())
    }
}

fn main() -> Outcome<()> {
    let given: Vec<String> = std::env::args().skip(1).collect();
    if let [name, sort, place] = &given[..] {
        return serve(name, open(sort, Path::new(place))?);
    }
    let folder = tempfile::tempdir()?;

    println!("one server, and a folder:");
    let place = folder.path().join("players");
    let mut camp = Running::start("camp", "folder", &place)?;
    camp.ask("join ada")?;
    camp.ask("take ada 2 flare")?;
    camp.ask("leave ada")?;
    camp.ask("join ../../ada")?;
    camp.ask("join bo")?;
    camp.kill()?;
    let mut camp = Running::start("camp", "folder", &place)?;
    camp.ask("join bo")?;
    camp.ask("join ada")?;
    camp.kill()?;

    println!("two servers, and an SQLite database:");
    let place = folder.path().join("players.sqlite");
    let (mut camp, mut pass) = (Running::start("camp", "sqlite", &place)?, Running::start("pass", "sqlite", &place)?);
    camp.ask("join ada")?;
    camp.ask("take ada 1 ice-core")?;
    pass.ask("join ada")?;
    camp.ask("leave ada")?;
    pass.ask("join ada")?;
    pass.ask("take ada 6 flare")?;
    pass.ask("take ada 60 flare")?;
    pass.ask("leave ada")?;
    camp.ask("join ada")?;
    camp.kill()?;
    pass.kill()
}
