//! Requests: operations with an id, by which a repeated request is recognised.

use std::fmt::Write;

use serde::{Deserialize, Deserializer, Serialize, Serializer, de};

use crate::language::{NamedOperation, shortened};
use crate::ops::{Cause, Outcome, Reason, Refusal, ResolveError};
use crate::quantity::Decimal;
use crate::snapshot::{Answered, Departures, RequestId};
use crate::world::World;

/// A request: an operation as a sentence.
///
/// ```
/// use hypotheke::replication::Request;
///
/// let text = r#"{"id": "ann-1", "operation": "move 3 flare from depot to sled"}"#;
/// let request: Request = serde_json::from_str(text)?;
/// assert_eq!(request, Request::new("move 3 flare from depot to sled".parse().unwrap()).with_id("ann-1".parse().unwrap()));
/// # Ok::<(), serde_json::Error>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Request {
    /// The id, by which a repeated request is recognised; `None` if it may be applied each time it
    /// arrives.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<RequestId>,
    /// The expected revision: with any other revision the request is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expects: Option<u64>,
    /// The operation.
    #[serde(serialize_with = "as_sentence", deserialize_with = "from_sentence")]
    pub operation: NamedOperation,
}

pub(super) fn as_sentence<S: Serializer>(operation: &NamedOperation, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_str(operation)
}

pub(super) fn from_sentence<'de, D: Deserializer<'de>, T: From<NamedOperation>>(
    deserializer: D,
) -> Result<T, D::Error> {
    let text = <std::borrow::Cow<'de, str>>::deserialize(deserializer)?;
    let operation = text.parse::<NamedOperation>().map(T::from);
    operation.map_err(|error| de::Error::custom(format!("`{}`: {error}", shortened(&text))))
}

impl Request {
    /// A request without an id, for any revision.
    #[must_use]
    pub fn new(operation: NamedOperation) -> Request {
        Request { id: None, expects: None, operation }
    }

    /// The same request with an id.
    #[must_use]
    pub fn with_id(self, id: RequestId) -> Request {
        Request { id: Some(id), ..self }
    }

    /// The same request for one revision only.
    #[must_use]
    pub fn on_revision(self, revision: u64) -> Request {
        Request { expects: Some(revision), ..self }
    }
}

/// The result of a request, as plain data.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum Answer {
    /// Applied, fully or partly.
    Applied {
        /// The result.
        outcome: Outcome,
        /// True if the same request was applied earlier.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        repeated: bool,
    },
    /// Refused, without a change.
    Refused {
        /// The reason.
        reason: Reason,
        /// The value that was requested or would result, and the limit or the number present.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        figures: Option<(Decimal, Decimal)>,
        /// The largest amount that would be applied.
        #[serde(default)]
        max_amount: u64,
        /// For a `together` operation: the step, from 0.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        step: Option<u32>,
        /// The reason in words.
        text: String,
    },
}

impl Answer {
    /// The result, if it was applied.
    #[must_use]
    pub fn outcome(&self) -> Option<Outcome> {
        match self {
            Answer::Applied { outcome, .. } => Some(*outcome),
            Answer::Refused { .. } => None,
        }
    }

    /// The reason, if it was refused.
    #[must_use]
    pub fn reason(&self) -> Option<Reason> {
        match self {
            Answer::Applied { .. } => None,
            Answer::Refused { reason, .. } => Some(*reason),
        }
    }

    fn unknown(error: &ResolveError) -> Answer {
        let text = error.to_string();
        Answer::Refused { reason: Reason::Unknown, figures: None, max_amount: 0, step: error.step(), text }
    }
}

/// The maximum size of a request, so that no request delays all others.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RequestLimits {
    /// The maximum number of operations in a list, nested lists included. A larger request is
    /// refused as `bad-amount`, before anything is resolved.
    pub steps: u32,
    /// The maximum number of changes, which all clients receive. A larger request is refused as
    /// `bad-amount`.
    pub changes: u32,
}

impl RequestLimits {
    /// No limits beyond those of the rules.
    pub const NONE: RequestLimits = RequestLimits { steps: u32::MAX, changes: u32::MAX };
}

impl Default for RequestLimits {
    /// 100 steps, 10,000 changes.
    fn default() -> RequestLimits {
        RequestLimits { steps: 100, changes: 10_000 }
    }
}

/// In one piece, because most are short.
fn sentence_of(operation: &NamedOperation) -> String {
    let mut sentence = String::with_capacity(80);
    // Writing to a string does not fail.
    let _ = write!(sentence, "{operation}");
    sentence
}

/// The result of a request.
pub(crate) enum Taken {
    Applied { outcome: Outcome, repeated: bool },
    Refused(Refusal),
    Unresolved(ResolveError),
}

impl World {
    /// Performs a request. A repeated request is not applied again and gets the first result, as
    /// long as it is among the latest requests that the world remembers (`request-window`). Only
    /// applied requests are remembered: a refused request may be repeated.
    ///
    /// The reason is [`Reason::Stale`] if the world is at a different revision than expected, or if
    /// the id belongs to a different operation. Arrivals are found in `departures`, which the owner
    /// of the world collects from [`World::departed`].
    ///
    /// ```
    /// use hypotheke::replication::{Answer, Request};
    /// use hypotheke::{Departures, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind.stack_limit(6))
    ///     .container("depot", |depot| depot.slots(2))
    ///     .container("sled", |sled| sled.slots(2))
    ///     .start("depot", ["4 flare"])
    ///     .build()?;
    /// let mut world = World::new(&rules.into());
    /// let operation = "move 3 flare from depot to sled".parse().unwrap();
    /// let request = Request::new(operation).with_id("ann-1".parse().unwrap());
    ///
    /// let none = Departures::new();
    /// assert!(matches!(world.request(&request, &none), Answer::Applied { repeated: false, .. }));
    /// assert!(matches!(world.request(&request, &none), Answer::Applied { repeated: true, .. }));
    /// assert_eq!(world.revision(), 1);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use = "a request may be refused"]
    pub fn request(&mut self, request: &Request, departures: &Departures) -> Answer {
        self.request_within(request, departures, RequestLimits::NONE)
    }

    /// Like [`World::request`], with limits on its size.
    pub(crate) fn request_within(
        &mut self,
        request: &Request,
        departures: &Departures,
        limits: RequestLimits,
    ) -> Answer {
        match self.take_request(request, departures, limits) {
            Taken::Applied { outcome, repeated } => Answer::Applied { outcome, repeated },
            Taken::Refused(refusal) => self.refused(&refusal),
            Taken::Unresolved(error) => Answer::unknown(&error),
        }
    }

    pub(crate) fn take_request(&mut self, request: &Request, departures: &Departures, limits: RequestLimits) -> Taken {
        let known = request.id.as_ref().and_then(|id| self.requests.get(id));
        let sentence = if request.id.is_some() { sentence_of(&request.operation) } else { String::new() };
        if let Some(known) = known {
            if known.operation == sentence {
                return Taken::Applied { outcome: known.outcome, repeated: true };
            }
            return Taken::Refused(Refusal::new(Cause::RequestIdTaken));
        }
        if let Some(expected) = request.expects.filter(|&expected| expected != self.revision) {
            return Taken::Refused(Refusal::new(Cause::Revision { expected, stands: self.revision }));
        }
        let steps = request.operation.steps();
        if steps > u64::from(limits.steps) {
            return Taken::Refused(Refusal::new(Cause::TooManySteps { steps, max: limits.steps }));
        }
        let operation = match request.operation.resolve_with(self, departures) {
            Ok(operation) => operation,
            Err(error) => return error.refusal().map_or(Taken::Unresolved(error), Taken::Refused),
        };
        match self.perform_within(&operation, limits.changes) {
            Ok(outcome) => {
                if let Some(id) = &request.id {
                    let answered = Answered { id: id.clone(), operation: sentence, outcome };
                    let fell_out = self.requests.push(answered);
                    self.remember_request(fell_out);
                }
                Taken::Applied { outcome, repeated: false }
            }
            Err(refusal) => Taken::Refused(refusal),
        }
    }

    /// A refusal as plain data, with figures and words.
    #[must_use]
    pub fn refused(&self, refusal: &Refusal) -> Answer {
        Answer::Refused {
            reason: refusal.reason(),
            figures: refusal.cause().figures(),
            max_amount: refusal.max_amount(),
            step: refusal.step(),
            text: self.explain(refusal),
        }
    }

    /// The latest applied requests with an id, oldest first.
    pub fn answered_requests(&self) -> impl Iterator<Item = &Answered> {
        self.requests.iter()
    }
}
