//! Requests: operations that are sent, with an id by which the same one is known again.

use std::fmt::Write;

use serde::{Deserialize, Deserializer, Serialize, Serializer, de};

use crate::language::{NamedOperation, shortened};
use crate::ops::{Cause, Outcome, Reason, Refusal, ResolveError};
use crate::quantity::Decimal;
use crate::snapshot::{Answered, Departures, RequestId};
use crate::world::World;

/// An operation that is sent, as a sentence.
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
    /// By which the same request is known again; none if it may be applied as often as it comes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<RequestId>,
    /// The revision on which it was made: on any other it is refused.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expects: Option<u64>,
    /// What is requested.
    #[serde(serialize_with = "as_sentence", deserialize_with = "from_sentence")]
    pub operation: NamedOperation,
}

fn as_sentence<S: Serializer>(operation: &NamedOperation, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_str(operation)
}

fn from_sentence<'de, D: Deserializer<'de>>(deserializer: D) -> Result<NamedOperation, D::Error> {
    let text = <std::borrow::Cow<'de, str>>::deserialize(deserializer)?;
    text.parse().map_err(|error| de::Error::custom(format!("`{}`: {error}", shortened(&text))))
}

impl Request {
    /// A request without an id, on whatever revision.
    #[must_use]
    pub fn new(operation: NamedOperation) -> Request {
        Request { id: None, expects: None, operation }
    }

    /// The same with an id.
    #[must_use]
    pub fn with_id(self, id: RequestId) -> Request {
        Request { id: Some(id), ..self }
    }

    /// The same on one revision only.
    #[must_use]
    pub fn on_revision(self, revision: u64) -> Request {
        Request { expects: Some(revision), ..self }
    }
}

/// What a request came to, as plain data.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum Answer {
    /// It was applied, in full or in part.
    Applied {
        /// What it came to.
        outcome: Outcome,
        /// True if that was before: the same request came again.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        repeated: bool,
    },
    /// It was refused, and nothing has changed.
    Refused {
        /// Why.
        reason: Reason,
        /// What was requested, or would be, and what is allowed, or there.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        figures: Option<(Decimal, Decimal)>,
        /// How many could go.
        #[serde(default)]
        max_amount: u64,
        /// Of several operations as one: which of them, from 0.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        step: Option<u32>,
        /// The same in words.
        text: String,
    },
}

impl Answer {
    /// What it came to, if it was applied.
    #[must_use]
    pub fn outcome(&self) -> Option<Outcome> {
        match self {
            Answer::Applied { outcome, .. } => Some(*outcome),
            Answer::Refused { .. } => None,
        }
    }

    /// Why it was refused, if it was.
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

/// What a request may ask for at most, so that none makes all others wait.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RequestLimits {
    /// So many operations in a list, those of lists within it counted too. More are refused as `bad-amount`, before anything is
    /// looked up.
    pub steps: u32,
    /// So many changes, each of which all clients are told. More are refused as `bad-amount`.
    pub changes: u32,
}

impl RequestLimits {
    /// As much as the rules allow.
    pub const NONE: RequestLimits = RequestLimits { steps: u32::MAX, changes: u32::MAX };
}

impl Default for RequestLimits {
    /// 100 steps, 10,000 changes.
    fn default() -> RequestLimits {
        RequestLimits { steps: 100, changes: 10_000 }
    }
}

/// In one piece: most are no longer.
fn sentence_of(operation: &NamedOperation) -> String {
    let mut sentence = String::with_capacity(80);
    // Writing to a string does not fail.
    let _ = write!(sentence, "{operation}");
    sentence
}

/// What came of a request.
pub(crate) enum Taken {
    Applied { outcome: Outcome, repeated: bool },
    Refused(Refusal),
    Unresolved(ResolveError),
}

impl World {
    /// Performs an operation that was sent. The same request again is not applied again and gets the first answer, as long
    /// as it is among the latest that the ruleset lets the world remember (`request-window`). Only those that were applied
    /// are remembered: what was refused may be tried anew.
    ///
    /// The reason is [`Reason::Stale`] if the world is not on the revision that the request names, or if its id was used for
    /// another operation. What arrives is found among `departures`, in which whoever holds the world keeps what
    /// [`World::departed`] gives.
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

    /// The same, unless it asks for too much.
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
            return Taken::Refused(Refusal::new(Cause::TooManySteps { steps, most: limits.steps }));
        }
        let operation = match request.operation.resolve_with(self, departures) {
            Ok(operation) => operation,
            Err(error) => return Taken::Unresolved(error),
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

    /// A refusal as plain data, in figures and in words.
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

    /// The latest requests that were applied and had an id, the oldest first.
    pub fn answered_requests(&self) -> impl Iterator<Item = &Answered> {
        self.requests.iter()
    }
}
