//! Where the parts of a ruleset are written.

use super::settings::SubjectKind;
use super::source::Written;
use super::view::Ruleset;
use crate::text::Location;

impl Ruleset {
    /// Where a part of the ruleset is written; `None` if there is none of that name. The cost grows
    /// with the number of parts of its kind.
    ///
    /// ```
    /// use hypotheke::{Ruleset, SubjectKind};
    ///
    /// let rules = Ruleset::from_toml("rules.toml", "[kind.flare]\n\n[container.sled]\nslots = 2\n")?;
    /// let sled = rules.location_of(SubjectKind::Container, "sled").unwrap();
    /// let source = &rules.sources()[sled.source.index()];
    /// assert_eq!((source.name(), source.line_column(sled.span.start()).line), ("rules.toml", 3));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn location_of(&self, kind: SubjectKind, name: &str) -> Option<Location> {
        fn find<'n>(mut all: impl Iterator<Item = &'n Written<String>>, name: &str) -> Option<Location> {
            all.find(|written| written.value == name).map(|written| written.at)
        }
        let source = &self.source;
        match kind {
            SubjectKind::Kind => {
                let kind = source.kinds.get(self.find_kind(name)?.index())?;
                Some(source.locate_kind(kind.at))
            }
            SubjectKind::Tag => find(source.tags.iter().map(|it| &it.name), name),
            SubjectKind::Mark => find(source.marks.iter().map(|it| &it.name), name),
            SubjectKind::Container => find(source.containers.iter().map(|it| &it.id), name),
            SubjectKind::Holder => find(source.holders.iter().map(|it| &it.id), name),
            SubjectKind::Group => find(source.groups.iter().map(|it| &it.id), name),
            SubjectKind::Deal => find(source.deals.iter().map(|it| &it.id), name),
            SubjectKind::Recipe => find(source.recipes.iter().map(|it| &it.id), name),
            SubjectKind::Change => find(source.changes.iter().map(|it| &it.id), name),
            SubjectKind::Property => find(source.falling.iter().map(|it| &it.property), name),
            // They have no heading of their own.
            SubjectKind::Ruleset | SubjectKind::Start => None,
        }
    }
}
