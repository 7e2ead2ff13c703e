//! What a durable save costs in each store, held against a bare file and a bare database; and
//! whether it grows with the number of players. `cargo bench -p hypotheke-bench --bench stores`, on
//! the disk where `STORES` says, or where temporary files are.

#![expect(clippy::expect_used, reason = "the saves are our own")]

use std::cell::Cell;
use std::fs::{self, File};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::Duration;

use hypotheke::save::Save;
use hypotheke::store::{FolderStore, Key, SqliteStore, Store};
use hypotheke::{Ruleset, World};
use hypotheke_bench::{interleaved, timed};
use rusqlite::{Connection, params};

const PAIRS: usize = 15;
/// Saves, or loads, in one sample.
const TIMES: u64 = 100;
const MANY: u32 = 10_000;
const FEW: u32 = 10;

/// A player's save: forty stacks.
fn save() -> Vec<u8> {
    let mut rules = Ruleset::builder();
    for kind in 0..40 {
        rules = rules.kind(&format!("provision-{kind}"), |it| it.stack_limit(9));
    }
    let rules = rules.container("hold", |hold| hold.slots(40));
    let stacks: Vec<String> = (0..40).map(|kind| format!("{} provision-{kind}", 1 + kind % 9)).collect();
    let rules = rules.start("hold", stacks.iter().map(String::as_str)).build().expect("valid");
    Save::of(&World::new(&rules.into())).to_bytes()
}

fn key(player: u32) -> Key {
    Key::new(format!("player {player}")).expect("a key")
}

/// A file as one would write it who wants it to be safe.
fn bare_file(folder: &Path, bytes: &[u8]) {
    let (part, path) = (folder.join("player.part"), folder.join("player.save"));
    let mut file = File::create(&part).expect("a file");
    file.write_all(bytes).expect("room");
    file.sync_all().expect("a disk");
    fs::rename(&part, &path).expect("a name");
    File::open(folder).expect("the folder").sync_all().expect("a disk");
}

fn bare_database(path: &Path) -> Connection {
    let connection = Connection::open(path).expect("a database");
    let set_up =
        "PRAGMA journal_mode = wal; PRAGMA synchronous = full; CREATE TABLE saves (key BLOB PRIMARY KEY, bytes BLOB)";
    connection.execute_batch(set_up).expect("a table");
    connection
}

fn write_row(connection: &Connection, key: &Key, bytes: &[u8]) {
    let mut row = connection.prepare_cached("INSERT OR REPLACE INTO saves VALUES (?1, ?2)").expect("a statement");
    row.execute(params![key.as_bytes(), bytes]).expect("room");
}

/// Saves one player again and again.
struct Saving<S> {
    store: S,
    key: Key,
    revision: u64,
}

impl<S: Store> Saving<S> {
    fn new(store: S, key: Key) -> Saving<S> {
        let revision = store.status(&key).expect("a store").revision;
        Saving { store, key, revision }
    }

    fn save(&mut self, bytes: &[u8]) {
        self.revision = self.store.save(&self.key, bytes, self.revision, 0).expect("a store");
    }
}

fn sample(mut work: impl FnMut()) -> Duration {
    timed(&mut || (0..TIMES).for_each(|_| work()))
}

fn described(what: &str, first: Duration, second: Duration, ratio: f64) {
    let each = |time: Duration| time.as_secs_f64() * 1e6 / TIMES as f64;
    println!("{what:56} {:8.1} us {:8.1} us {ratio:6.2}", each(first), each(second));
}

fn compare(what: &str, first: impl FnMut(), second: impl FnMut()) {
    let (mut first, mut second) = (first, second);
    let pairs = interleaved(PAIRS, || sample(&mut first), || sample(&mut second));
    described(what, pairs.first, pairs.second, pairs.ratio);
}

fn filled(path: &Path, players: u32, bytes: &[u8]) -> SqliteStore {
    let store = SqliteStore::open(path).expect("a store");
    // Written at once, as no store would; what is measured comes after.
    drop(store);
    let mut connection = Connection::open(path).expect("a database");
    let transaction = connection.transaction().expect("a transaction");
    for player in 0..players {
        let sum = i64::from(crc32fast::hash(bytes));
        let key = key(player);
        let values = params![key.as_bytes(), 1, 1, 0, sum, bytes];
        transaction.execute("INSERT INTO saves VALUES (?1, ?2, ?3, ?4, ?5, ?6)", values).expect("room");
    }
    transaction.commit().expect("room");
    SqliteStore::open(path).expect("a store")
}

fn main() {
    let bytes = save();
    let place = std::env::var_os("STORES").map_or_else(std::env::temp_dir, PathBuf::from);
    let folder = tempfile::tempdir_in(place).expect("a folder");
    let at = |name: &str| folder.path().join(name);
    fs::create_dir(at("bare")).expect("a folder");
    let bare = at("bare");
    println!(
        "{} bytes; medians of {PAIRS} interleaved pairs of {TIMES}, for one; the last is how many times as fast the second is",
        bytes.len()
    );

    let mut saving = Saving::new(FolderStore::open(at("players")).expect("a store"), key(0));
    compare("save: a bare file, the folder store", || bare_file(&bare, &bytes), || saving.save(&bytes));
    let mut saving = Saving::new(SqliteStore::open(at("players.sqlite")).expect("a store"), key(0));
    compare("save: a bare file, the SQLite store", || bare_file(&bare, &bytes), || saving.save(&bytes));
    let database = bare_database(&at("bare.sqlite"));
    compare("save: bare SQLite, the SQLite store", || write_row(&database, &key(0), &bytes), || saving.save(&bytes));

    let few = filled(&at("few.sqlite"), FEW, &bytes);
    let many = filled(&at("many.sqlite"), MANY, &bytes);
    // Through all of them, far apart.
    let turn = Cell::new(0_u32);
    let next = |players: u32| {
        turn.set(turn.get().wrapping_add(7_919));
        turn.get() % players
    };
    let load = |store: &SqliteStore, player: u32| drop(store.load(&key(player)).expect("a store").expect("a player"));
    compare("load: of 10 players, of 10,000", || load(&few, next(FEW)), || load(&many, next(MANY)));
    let save = |store: &SqliteStore, revisions: &mut [u64], player: u32| {
        let revision = &mut revisions[player as usize];
        *revision = store.save(&key(player), &bytes, *revision, 0).expect("a store");
    };
    let (mut of_few, mut of_many) = (vec![1; FEW as usize], vec![1; MANY as usize]);
    let first = || save(&few, &mut of_few, next(FEW));
    compare("save: of 10 players, of 10,000", first, || save(&many, &mut of_many, next(MANY)));
}
