//! Requests that were applied: a repeated request is recognised by its id.

use std::collections::VecDeque;
use std::fmt;
use std::str::FromStr;
use std::sync::Arc;

use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

use super::Outcome;

/// The id of a request: 1 to 64 bytes without control characters. Ids of different senders must
/// differ; begin each with the name of its sender.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct RequestId(Arc<str>);

/// A text that is not a valid id.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the id of a request has 1 to 64 bytes and no control characters")]
pub struct RequestIdError;

impl FromStr for RequestId {
    type Err = RequestIdError;

    fn from_str(text: &str) -> Result<RequestId, RequestIdError> {
        let lawful = (1..=64).contains(&text.len()) && !text.chars().any(char::is_control);
        if lawful { Ok(RequestId(text.into())) } else { Err(RequestIdError) }
    }
}

impl TryFrom<String> for RequestId {
    type Error = RequestIdError;

    fn try_from(text: String) -> Result<RequestId, RequestIdError> {
        text.parse()
    }
}

impl From<RequestId> for String {
    fn from(id: RequestId) -> String {
        id.0.as_ref().into()
    }
}

impl fmt::Display for RequestId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// An applied request and its result.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Answered {
    /// Its id.
    pub id: RequestId,
    /// The operation, as a sentence.
    pub operation: String,
    /// The result.
    pub outcome: Outcome,
}

/// The latest applied requests with an id.
#[derive(Clone, Debug, Default)]
pub(crate) struct RequestWindow {
    most: usize,
    entries: VecDeque<Answered>,
    /// The number of the first entry among all requests.
    first: u64,
    numbers: FxHashMap<RequestId, u64>,
}

impl RequestWindow {
    pub(crate) fn new(most: u32) -> RequestWindow {
        RequestWindow { most: most as usize, ..RequestWindow::default() }
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = &Answered> {
        self.entries.iter()
    }

    pub(crate) fn get(&self, id: &RequestId) -> Option<&Answered> {
        let number = self.numbers.get(id)?;
        self.entries.get(usize::try_from(number - self.first).ok()?)
    }

    /// Adds the latest request, and returns the one that drops out.
    pub(crate) fn push(&mut self, answered: Answered) -> Option<Answered> {
        self.numbers.insert(answered.id.clone(), self.first + self.entries.len() as u64);
        self.entries.push_back(answered);
        if self.entries.len() <= self.most { None } else { self.pop_front() }
    }

    fn pop_front(&mut self) -> Option<Answered> {
        let oldest = self.entries.pop_front()?;
        self.first += 1;
        self.numbers.remove(&oldest.id);
        Some(oldest)
    }

    /// Removes the latest request and restores the one that dropped out.
    pub(crate) fn undo(&mut self, fell_out: Option<Answered>) {
        if let Some(latest) = self.entries.pop_back() {
            self.numbers.remove(&latest.id);
        }
        if let Some(oldest) = fell_out {
            self.first -= 1;
            self.numbers.insert(oldest.id.clone(), self.first);
            self.entries.push_front(oldest);
        }
    }
}
