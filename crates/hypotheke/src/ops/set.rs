//! set: a property of a whole stack gets another value.

use super::Planned;
use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use crate::id::PropertyId;
use crate::quantity::Decimal;
use crate::ruleset::PropertyValue;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, at: Place, property: PropertyId, value: Decimal) -> Planned {
    draft.change_stack(at, |rules, key| {
        let listed = rules.known_kind(key.kind).property(property);
        if !matches!(listed, Some(PropertyValue::Number(_))) {
            return Err(Refusal::new(Cause::Unknown(Unknown::Variant)));
        }
        key.properties.push((property, value));
        Ok(())
    })
}
