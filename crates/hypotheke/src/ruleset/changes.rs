//! Changes: stacks that become something else as soon as a filter admits them.

use super::Ruleset;
use super::read::{Reading, Value};
use super::source::{FilterSource, Written};
use super::toml::{check_name, require_keys};
use super::view::FilterId;
use crate::filter::Outlook;
use crate::id::{KindId, MarkId};

const CHANGE: &[&str] = &["when", "becomes", "mark", "remove"];

/// A change as it is written. Of its effects there is one, or it is a fault.
#[derive(Clone, Debug)]
pub(crate) struct ChangeSource {
    pub(crate) id: Written<String>,
    pub(crate) when: Option<FilterSource>,
    pub(crate) becomes: Option<Written<String>>,
    pub(crate) mark: Option<Written<String>>,
    pub(crate) remove: bool,
    /// One of its effects could not be read.
    pub(crate) has_unread: bool,
}

/// What happens to every stack that a filter admits, as soon as it does.
///
/// ```
/// use hypotheke::Ruleset;
///
/// let rules = Ruleset::builder()
///     .kind("saw", |saw| saw.property("condition", "3".parse().unwrap()))
///     .kind("scrap", |scrap| scrap.stack_limit(9))
///     .change("worn-out", |change| change.when("saw and condition <= 0").becomes("scrap"))
///     .build()?;
/// assert_eq!(rules.changes()[0].id(), "worn-out");
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug)]
pub struct StackChange {
    pub(super) id: Box<str>,
    pub(super) when: FilterId,
    pub(super) written: Box<str>,
    pub(super) effect: ChangeEffect,
}

/// What a change does with a stack.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum ChangeEffect {
    /// A stack of as many items of another kind takes its place. It keeps the marks, and has the
    /// properties of its kind.
    Becomes(KindId),
    /// It gets a mark.
    Marks(MarkId),
    /// It leaves the world.
    Removes,
}

impl StackChange {
    /// Its name.
    #[must_use]
    pub fn id(&self) -> &str {
        &self.id
    }

    /// The filter of the stacks that it changes, as it is written.
    #[must_use]
    pub fn when(&self) -> &str {
        &self.written
    }

    pub(crate) fn filter(&self) -> FilterId {
        self.when
    }

    /// What it does with them.
    #[must_use]
    pub fn effect(&self) -> ChangeEffect {
        self.effect
    }
}

impl Ruleset {
    /// All changes, in the order of the ruleset. Of several that admit a stack the first counts.
    #[must_use]
    pub fn changes(&self) -> &[StackChange] {
        &self.changes
    }

    /// The changes that may change stacks of a kind, by their marks or properties.
    pub fn changes_of(&self, kind: KindId) -> impl Iterator<Item = &StackChange> {
        let kind = self.kind(kind);
        let may = move |change: &&StackChange| {
            kind.is_some_and(|kind| self.filter(change.when).test.outlook(&kind) != Outlook::Never)
        };
        self.changes.iter().filter(may)
    }

    /// The effect of a change in words: `becomes scrap`.
    #[must_use]
    pub fn effect_text(&self, change: &StackChange) -> String {
        match change.effect {
            ChangeEffect::Becomes(kind) => format!("becomes {}", self.known_kind(kind).id()),
            ChangeEffect::Marks(mark) => format!("gets the mark {}", self.mark(mark).name()),
            ChangeEffect::Removes => "is removed".to_owned(),
        }
    }
}

pub(super) fn read(reading: &mut Reading<'_>, id: Written<String>, value: &Value<'_>) -> Option<ChangeSource> {
    check_name(reading, &id, "change", false);
    let what = format!("change `{}`", id.value);
    let section = reading.section(value, &what, CHANGE)?;
    require_keys(reading, value, &section, &what, &["when"], "\"saw and condition <= 0\"");
    let when = reading.filter(&section, "when");
    let (becomes, mark) = (reading.written_text(&section, "becomes"), reading.written_text(&section, "mark"));
    let remove = reading.flag(&section, "remove");
    let is_unread = |key: &str, is_read: bool| !is_read && section.table.contains_key(key);
    let has_unread = is_unread("becomes", becomes.is_some())
        || is_unread("mark", mark.is_some())
        || is_unread("remove", remove.is_some());
    Some(ChangeSource { id, when, becomes, mark, remove: remove == Some(true), has_unread })
}
