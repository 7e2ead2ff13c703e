use crate::id::{KindId, MarkId, PropertyId};
use crate::language::Path;
use crate::quantity::Decimal;
use crate::text::Location;

/// The start contents of one place.
#[derive(Clone, Debug)]
pub(crate) struct StartEntry {
    pub(crate) place: Path,
    pub(crate) at: Location,
    pub(crate) contents: Vec<StartPortion>,
}

#[derive(Clone, Debug)]
pub(crate) struct StartPortion {
    pub(crate) count: u32,
    pub(crate) kind: KindId,
    pub(crate) marks: Vec<MarkId>,
    pub(crate) properties: Vec<(PropertyId, Decimal)>,
    pub(crate) at: Location,
}
