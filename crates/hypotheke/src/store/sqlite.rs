//! A store in an SQLite database.

use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use rusqlite::config::DbConfig;
use rusqlite::{Connection, ErrorCode, OptionalExtension, Row, Transaction, TransactionBehavior, params};

use super::{Generation, Key, Lease, LeaseStatus, Status, Store, StoreError, Stored};

/// The application id of the database: `Hypo`.
const APPLICATION: i32 = 0x4879_706f;
/// The version of the tables.
const VERSION: i32 = 1;
/// The default number of saves of a key.
const KEPT: u32 = 3;
/// The time that a process waits for a different process that writes.
const WAIT_FOR_OTHERS: Duration = Duration::from_secs(5);

/// How often and how long to wait for a database that a different process is creating.
const TRIES: u32 = 250;
const PAUSE: Duration = Duration::from_millis(20);

/// Each key has a fixed number of rows. A new save replaces the oldest row.
const TABLES: &str = "
    CREATE TABLE saves (
        key BLOB NOT NULL, place INTEGER NOT NULL, revision INTEGER NOT NULL, lease INTEGER NOT NULL, checksum INTEGER NOT NULL,
        bytes BLOB NOT NULL, PRIMARY KEY (key, place));
    CREATE TABLE leases (
        key BLOB PRIMARY KEY NOT NULL, number INTEGER NOT NULL, owner TEXT NOT NULL, expires_at INTEGER NOT NULL) WITHOUT ROWID;
";

/// Saves if revision and lease are as expected. It is one statement, so it is atomic. It updates
/// the oldest row in place, because deleting and inserting a row would change and sync more pages.
const SAVE: &str = "
    INSERT INTO saves (key, place, revision, lease, checksum, bytes)
    SELECT ?1, ?2, ?3, ?4, ?5, ?6
    WHERE (SELECT coalesce(max(revision), 0) FROM saves WHERE key = ?1) = ?3 - 1
      AND coalesce((SELECT number FROM leases WHERE key = ?1),
                   (SELECT max(lease) FROM saves WHERE key = ?1), 0) = ?4
    ON CONFLICT (key, place) DO UPDATE
    SET revision = excluded.revision, lease = excluded.lease, checksum = excluded.checksum, bytes = excluded.bytes";

const HEAD: &str = "
    SELECT coalesce(max(revision), 0), coalesce(lease, 0) FROM saves WHERE key = ?1";

const LEASE: &str = "SELECT number, owner, expires_at FROM leases WHERE key = ?1";

const ALL: &str = "SELECT revision, lease, checksum, bytes FROM saves WHERE key = ?1 ORDER BY revision DESC";

const LATEST: &str = "SELECT revision, lease, checksum, bytes FROM saves WHERE key = ?1 ORDER BY revision DESC LIMIT 1";

const SET_LEASE: &str = "INSERT OR REPLACE INTO leases (key, number, owner, expires_at) VALUES (?1, ?2, ?3, ?4)";

/// A store in an SQLite database, which several processes of one machine can have open.
///
/// A completed [`save`](Store::save) survives the end of the process and a power cut: the database
/// has a write-ahead log and syncs it at each save. It cannot be on a network share.
///
/// ```no_run
/// use hypotheke::store::{Key, SqliteStore, Store};
///
/// let store = SqliteStore::open("players.sqlite")?;
/// let ada = Key::new("Ada")?;
/// let lease = store.lease(&ada, "camp", 0, 60_000)?;
/// store.save(&ada, b"...", lease.revision, lease.number)?;
/// # Ok::<(), hypotheke::store::StoreError>(())
/// ```
#[derive(Debug)]
pub struct SqliteStore {
    path: PathBuf,
    connection: Mutex<Connection>,
    kept: u32,
}

impl SqliteStore {
    /// Opens a store in a database. A missing database is created in an existing folder.
    ///
    /// # Errors
    /// The path is a folder or a different file, the database has other tables, or the database
    /// failed.
    pub fn open(path: impl Into<PathBuf>) -> Result<SqliteStore, StoreError> {
        let path = path.into();
        if path.is_dir() {
            let place = path.display().to_string();
            return Err(StoreError::NoStore { place, cause: "the path is a folder".to_owned() });
        }
        // If two processes create the database, or one was killed before, the database itself does
        // not wait.
        for _ in 1..TRIES {
            match SqliteStore::open_once(&path) {
                Err(StoreError::Locked { .. }) => std::thread::sleep(PAUSE),
                opened => return opened,
            }
        }
        SqliteStore::open_once(&path)
    }

    fn open_once(path: &Path) -> Result<SqliteStore, StoreError> {
        let connection = Connection::open(path).and_then(|connection| set_up(&connection).map(|()| connection));
        let connection = connection.map_err(|error| failed(path, "open", &error))?;
        let store = SqliteStore { path: path.to_owned(), connection: Mutex::new(connection), kept: KEPT };
        store.make_tables()?;
        Ok(store)
    }

    /// Sets the number of saves to keep for each key, at least two. Do not change it for an
    /// existing database: saves could be replaced early.
    #[must_use]
    pub fn with_generations(self, saves: u32) -> SqliteStore {
        SqliteStore { kept: saves.max(2), ..self }
    }

    /// Sets the time to wait for a different process that writes; the default is five seconds.
    ///
    /// # Errors
    /// The error of the database.
    pub fn with_timeout(self, longest: Duration) -> Result<SqliteStore, StoreError> {
        self.read(|connection| connection.busy_timeout(longest))?;
        Ok(self)
    }

    /// Limits the file to a number of pages of 4096 bytes; existing pages stay.
    ///
    /// # Errors
    /// The error of the database.
    pub fn limit_pages(&self, pages: u32) -> Result<(), StoreError> {
        self.read(|connection| connection.pragma_update_and_check(None, "max_page_count", pages, |_| Ok(())))
    }

    fn connection(&self) -> MutexGuard<'_, Connection> {
        self.connection.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn make_tables(&self) -> Result<(), StoreError> {
        let found = self.change("read the tables", |change| {
            let described = |name| change.query_row(&format!("PRAGMA {name}"), [], |row| row.get::<_, i32>(0));
            let tables = change.query_row("SELECT count(*) FROM sqlite_schema", [], |row| row.get::<_, i64>(0))?;
            let found = (described("application_id")?, described("user_version")?);
            if tables == 0 && found == (0, 0) {
                change.execute_batch(TABLES)?;
                change.execute_batch(&format!(
                    "PRAGMA application_id = {APPLICATION}; PRAGMA user_version = {VERSION};"
                ))?;
                return Ok((APPLICATION, VERSION));
            }
            Ok(found)
        })?;
        let cause = match found {
            (APPLICATION, VERSION) => return Ok(()),
            (APPLICATION, later) => format!("its tables have version {later}; this program supports version {VERSION}"),
            _ => "it is a database of a different program".to_owned(),
        };
        Err(StoreError::NoStore { place: self.path.display().to_string(), cause })
    }

    /// Runs an action as one transaction.
    fn change<T>(
        &self,
        action: &'static str,
        change: impl FnOnce(&Transaction<'_>) -> rusqlite::Result<T>,
    ) -> Result<T, StoreError> {
        let mut connection = self.connection();
        let done = connection.transaction_with_behavior(TransactionBehavior::Immediate).and_then(|transaction| {
            let done = change(&transaction)?;
            transaction.commit()?;
            Ok(done)
        });
        done.map_err(|error| failed(&self.path, action, &error))
    }

    fn read<T>(&self, read: impl FnOnce(&Connection) -> rusqlite::Result<T>) -> Result<T, StoreError> {
        read(&self.connection()).map_err(|error| failed(&self.path, "read", &error))
    }

    fn change_lease(
        &self,
        key: &Key,
        change: impl FnOnce(&Status) -> Result<Option<LeaseStatus>, StoreError>,
    ) -> Result<Lease, StoreError> {
        // A refusal leaves the transaction without a change.
        self.change("write the lease", |transaction| {
            let mut head = head(transaction, key)?;
            let lease = match change(&head) {
                Ok(None) => return Ok(Ok(head.described())),
                Ok(Some(lease)) => lease,
                Err(refused) => return Ok(Err(refused)),
            };
            let (number, expires_at) = (as_column(lease.number), as_column(lease.expires_at));
            transaction.prepare_cached(SET_LEASE)?.execute(params![key.as_bytes(), number, lease.owner, expires_at])?;
            head.lease = lease;
            Ok(Ok(head.described()))
        })?
    }
}

fn set_up(connection: &Connection) -> rusqlite::Result<()> {
    connection.busy_timeout(WAIT_FOR_OTHERS)?;
    connection.pragma_update_and_check(None, "journal_mode", "wal", |_| Ok(()))?;
    connection.pragma_update(None, "synchronous", "full")?;
    connection.pragma_update(None, "trusted_schema", false)?;
    // Otherwise the database plans the statements again for every key, which takes longer than
    // running them.
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_QPSG, true).map(drop)
}

fn head(connection: &Connection, key: &Key) -> rusqlite::Result<Status> {
    let (revision, lease_number) =
        connection.prepare_cached(HEAD)?.query_row([key.as_bytes()], |row| Ok((number(row, 0)?, number(row, 1)?)))?;
    let lease = connection.prepare_cached(LEASE)?.query_row([key.as_bytes()], |row| {
        Ok(LeaseStatus { number: number(row, 0)?, owner: row.get(1)?, expires_at: number(row, 2)? })
    });
    let lease = lease.optional()?.unwrap_or(LeaseStatus { number: lease_number, ..LeaseStatus::default() });
    Ok(Status { revision, lease_number, lease })
}

fn number(row: &Row<'_>, column: usize) -> rusqlite::Result<u64> {
    row.get::<_, i64>(column).map(|number| u64::try_from(number).unwrap_or_default())
}

/// A number that is too large becomes the largest number.
fn as_column(number: u64) -> i64 {
    i64::try_from(number).unwrap_or(i64::MAX)
}

fn generation(row: &Row<'_>) -> rusqlite::Result<Generation> {
    let (checksum, bytes): (i64, Vec<u8>) = (row.get(2)?, row.get(3)?);
    let counted = crc32fast::hash(&bytes);
    let content = if i64::from(counted) == checksum {
        Ok(bytes)
    } else {
        Err(format!("checksum mismatch: the record says {checksum:08x}, its contents give {counted:08x}"))
    };
    Ok(Generation { revision: number(row, 0)?, lease: number(row, 1)?, content })
}

impl Store for SqliteStore {
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError> {
        let latest = self
            .read(|connection| connection.prepare_cached(LATEST)?.query_row([key.as_bytes()], generation).optional())?;
        let Some(Generation { revision, lease, content }) = latest else { return Ok(None) };
        match content {
            Ok(bytes) => Ok(Some(Stored { revision, lease, bytes })),
            Err(cause) => {
                let earlier = self.generations(key)?.into_iter().skip(1).find(|earlier| earlier.content.is_ok());
                let place = format!("{}, revision {revision}", self.path.display());
                let earlier = earlier.map(|earlier| earlier.revision);
                Err(StoreError::Damaged { key: key.clone(), place, cause, earlier })
            }
        }
    }

    fn status(&self, key: &Key) -> Result<Status, StoreError> {
        self.read(|connection| head(connection, key))
    }

    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError> {
        self.read(|connection| {
            let mut all = connection.prepare_cached(ALL)?;
            all.query_map([key.as_bytes()], generation)?.collect()
        })
    }

    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError> {
        let connection = self.connection();
        let failed = |error| failed(&self.path, "save", &error);
        let row = |connection: &Connection| {
            let (next, lease_number) = (as_column(expected_revision.saturating_add(1)), as_column(lease));
            let place = next % i64::from(self.kept);
            let values = params![key.as_bytes(), place, next, lease_number, i64::from(crc32fast::hash(bytes)), bytes];
            connection.prepare_cached(SAVE)?.execute(values)
        };
        if row(&connection).map_err(failed)? == 0 {
            // The present state gives the reason. If it is as expected now, it was different when
            // the statement ran.
            head(&connection, key).map_err(failed)?.next(key, expected_revision, lease)?;
            return Err(StoreError::Busy { key: key.clone(), wait: 0 });
        }
        Ok(expected_revision + 1)
    }

    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError> {
        self.change_lease(key, |head| head.grant(key, owner, now, expires_at).map(Some))
    }

    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError> {
        self.change_lease(key, |head| head.renewed(key, number, expires_at).map(Some)).map(drop)
    }

    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        self.change_lease(key, |head| Ok(head.released(number))).map(drop)
    }

    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        let keys: Vec<Vec<u8>> = self.read(|connection| {
            let mut all = connection.prepare_cached("SELECT DISTINCT key FROM saves ORDER BY key")?;
            all.query_map([], |row| row.get(0))?.collect()
        })?;
        keys.into_iter().map(|key| Ok(Key::new(key)?)).collect()
    }
}

/// The error of the database, sorted by what one can do about it.
fn failed(path: &Path, action: &'static str, error: &rusqlite::Error) -> StoreError {
    let place = path.display().to_string();
    let cause = error.to_string();
    match error.sqlite_error_code() {
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => StoreError::Locked { place, owner: String::new() },
        Some(ErrorCode::ReadOnly | ErrorCode::PermissionDenied) => StoreError::ReadOnly { place, action },
        Some(ErrorCode::DiskFull) => StoreError::Full { place, action },
        Some(ErrorCode::NotADatabase) => StoreError::NoStore { place, cause },
        Some(ErrorCode::DatabaseCorrupt) => StoreError::DamagedStore { place, cause },
        _ => StoreError::Failed { place, action, cause },
    }
}
