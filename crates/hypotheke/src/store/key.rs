//! Under which name a save is kept, and what that name is called in a folder.

use std::fmt;

/// The most bytes that a key may have.
const MAX_BYTES: usize = 255;
/// No file or folder gets a name of more characters than these, whatever the file system allows.
const LONGEST_NAME: usize = 200;
/// What the name of each key begins with in a folder, so that none is one that a system reserves.
const PREFIX: &str = "key-";
/// What a name ends with that goes on in the folder of that name.
const GOES_ON: char = '+';

/// Under which name a save is kept: any bytes, such as a name that a player gave. It is never part of a path or of a statement as it stands.
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

/// Why bytes are no key.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum KeyError {
    /// There are none.
    #[error("a key has at least one byte")]
    Empty,
    /// There are too many.
    #[error("a key has no more than {MAX_BYTES} bytes, and this has {0}")]
    TooLong(usize),
}

impl Key {
    /// A key of these bytes. Two keys are the same only if all bytes are: `Ada` and `ada` are two.
    ///
    /// # Errors
    /// No bytes, or more than 255.
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

    /// What it is called in a folder: one name, or for a long one several, each in the folder of the one before.
    ///
    /// Lower-case letters, digits, `-` and `_` stand for themselves, any other byte as `%` and two digits: so no name leads out of the folder,
    /// none is reserved, and none differs from another in case alone.
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

    /// The key that is called so in a folder; none if no key is.
    pub(crate) fn of_names(names: &[String]) -> Option<Key> {
        let written: String = names.iter().map(|name| name.strip_suffix(GOES_ON).unwrap_or(name)).collect();
        let mut rest = written.strip_prefix(PREFIX)?.bytes();
        let mut bytes = Vec::new();
        while let Some(byte) = rest.next() {
            bytes.push(if byte == b'%' { digit(rest.next()?)? * 16 + digit(rest.next()?)? } else { byte });
        }
        // What could be read but is not how a key is written is somebody else's.
        Key::new(bytes).ok().filter(|key| key.names() == names)
    }

    /// Whether a key's name goes on in the folder of this name.
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

/// As text; what can't be read as such is escaped.
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
