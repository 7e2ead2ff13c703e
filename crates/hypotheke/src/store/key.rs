//! Keys, and their names in a folder.

use std::fmt;

/// The maximum number of bytes of a key.
const MAX_BYTES: usize = 255;
/// The maximum length of a file or folder name, whatever the file system allows.
const LONGEST_NAME: usize = 200;
/// The prefix of every name in a folder, so that no reserved name of a system occurs.
const PREFIX: &str = "key-";
/// The suffix of a folder name that continues in the folder.
const GOES_ON: char = '+';

/// The key of a save: any bytes, such as a name that a player chose. It is never used directly in a
/// path or a statement.
///
/// ```
/// use hypotheke::store::Key;
///
/// assert_eq!(Key::new("Ada").unwrap().to_string(), "Ada");
/// assert_eq!(Key::new(b"../x\0").unwrap().to_string(), r"../x\0");
/// assert!(Key::new("").is_err());
/// ```
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Key(Box<[u8]>);

/// Why bytes are not a valid key.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum KeyError {
    /// There are no bytes.
    #[error("a key has at least one byte")]
    Empty,
    /// There are too many bytes.
    #[error("a key has no more than {MAX_BYTES} bytes, and this has {0}")]
    TooLong(usize),
}

impl Key {
    /// A key of these bytes. Keys are equal only if all bytes are equal: `Ada` and `ada` differ.
    ///
    /// # Errors
    /// No bytes, or more than 255 bytes.
    pub fn new(bytes: impl AsRef<[u8]>) -> Result<Key, KeyError> {
        match bytes.as_ref() {
            [] => Err(KeyError::Empty),
            bytes if bytes.len() > MAX_BYTES => Err(KeyError::TooLong(bytes.len())),
            bytes => Ok(Key(bytes.into())),
        }
    }

    /// Its bytes.
    #[must_use]
    pub fn as_bytes(&self) -> &[u8] {
        &self.0
    }

    /// The path in a folder: one name, or several for a long key.
    ///
    /// Lower-case letters, digits, `-` and `_` stay as they are; other bytes become `%` and two
    /// digits. So no name leaves the folder, none is reserved, and no two differ only in case.
    pub(crate) fn names(&self) -> Vec<String> {
        let mut names = vec![PREFIX.to_owned()];
        for byte in &self.0 {
            let written = match byte {
                b'a'..=b'z' | b'0'..=b'9' | b'-' | b'_' => char::from(*byte).to_string(),
                _ => format!("%{byte:02x}"),
            };
            let mut at = names.len() - 1;
            if names[at].len() + written.len() >= LONGEST_NAME {
                names[at].push(GOES_ON);
                names.push(String::new());
                at += 1;
            }
            names[at].push_str(&written);
        }
        names
    }

    /// The key of a path in a folder; `None` if there is no such key.
    pub(crate) fn of_names(names: &[String]) -> Option<Key> {
        let written: String = names.iter().map(|name| name.strip_suffix(GOES_ON).unwrap_or(name)).collect();
        let mut rest = written.strip_prefix(PREFIX)?.bytes();
        let mut bytes = Vec::new();
        while let Some(byte) = rest.next() {
            bytes.push(if byte == b'%' { digit(rest.next()?)? * 16 + digit(rest.next()?)? } else { byte });
        }
        // A readable name in a different spelling is not from a store.
        Key::new(bytes).ok().filter(|key| key.names() == names)
    }

    /// Whether a folder name continues in the folder.
    pub(crate) fn goes_on(name: &str) -> bool {
        name.ends_with(GOES_ON)
    }
}

fn digit(byte: u8) -> Option<u8> {
    match byte {
        b'0'..=b'9' => Some(byte - b'0'),
        b'a'..=b'f' => Some(byte - b'a' + 10),
        _ => None,
    }
}

/// As text; bytes that are not text are escaped.
impl fmt::Display for Key {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for chunk in self.0.utf8_chunks() {
            for c in chunk.valid().chars() {
                match c {
                    '\0' => f.write_str("\\0")?,
                    c if c.is_control() => write!(f, "{}", c.escape_default())?,
                    c => write!(f, "{c}")?,
                }
            }
            chunk.invalid().iter().try_for_each(|byte| write!(f, "\\x{byte:02x}"))?;
        }
        Ok(())
    }
}

impl fmt::Debug for Key {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Key(\"{self}\")")
    }
}

impl TryFrom<&str> for Key {
    type Error = KeyError;

    fn try_from(text: &str) -> Result<Key, KeyError> {
        Key::new(text)
    }
}
