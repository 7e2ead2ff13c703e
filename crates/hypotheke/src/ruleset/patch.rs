//! One kind of a ruleset, changed in place and put back: much faster than to compile the whole
//! ruleset for each change.

use super::Ruleset;
use super::compile::limit_by_default;
use super::deals::{Deal, DealSide};
use super::kind::PropertyValue;
use super::view::{KindDef, KindFigures, NO_PACK, PropertyDef};
use crate::id::{KindId, PropertyId, TagId};
use crate::quantity::Decimal;

/// The differences in a kind.
#[derive(Clone, Debug)]
pub(crate) enum KindPatch {
    Weight(Decimal),
    Value(Decimal),
    StackLimit(Option<u32>),
    Protected(bool),
    /// Without the tag of this number among the names of tags.
    NoTag(u32),
    Number(PropertyId, Decimal),
}

/// The kind as it was.
#[derive(Debug)]
pub(crate) struct KindBefore {
    kind: KindId,
    def: KindDef,
    figures: KindFigures,
    property: Option<(usize, PropertyDef)>,
    tag_sets: usize,
}

impl Ruleset {
    /// Changes the kind. Returns `None`, without a change, if only a full compilation gives the
    /// result.
    pub(crate) fn patch_kind(&mut self, kind: KindId, patch: &KindPatch) -> Option<KindBefore> {
        let index = kind.index();
        let offered = self.offered(kind);
        let mut before = KindBefore {
            kind,
            def: self.kinds.get(index)?.clone(),
            figures: self.figures[index],
            property: None,
            tag_sets: self.tag_sets.len(),
        };
        match patch {
            KindPatch::Weight(weight) => self.figures[index].weight = weight.thousandths(),
            KindPatch::Value(value) => self.kinds[index].value = *value,
            KindPatch::Protected(is_protected) => self.figures[index].is_protected = *is_protected,
            // The limit of a pack is 1, whatever is written.
            KindPatch::StackLimit(_) | KindPatch::NoTag(_) if before.figures.pack != NO_PACK => return None,
            KindPatch::StackLimit(limit) => {
                self.kinds[index].own_stack_limit = *limit;
                self.figures[index].stack_limit = self.limit_of(kind);
            }
            KindPatch::NoTag(tag) => {
                let tags = self.tags_without(kind, *tag)?;
                self.kinds[index].tag_set = u32::try_from(self.tag_sets.len()).ok()?;
                self.tag_sets.push(tags);
                self.figures[index].stack_limit = self.limit_of(kind);
            }
            KindPatch::Number(property, number) => {
                let (start, end) = before.def.properties;
                let at = (start as usize..end as usize).find(|&at| self.kind_properties[at].0 == *property)?;
                let PropertyValue::Number(_) = self.known_kind(kind).property(*property)? else { return None };
                let old = std::mem::replace(&mut self.kind_properties[at].1, PropertyDef::Number(*number));
                before.property = Some((at, old));
            }
        }
        self.ask_filters_of(kind);
        // Deals for other kinds, and prices of nothing, are for the compiler to judge.
        if self.offered(kind) != offered || self.has_bad_price(kind) {
            self.restore_kind(before);
            return None;
        }
        Some(before)
    }

    fn sides(&self) -> impl Iterator<Item = (&Deal, DealSide)> {
        self.deals().iter().flat_map(|deal| [(deal, DealSide::Buy), (deal, DealSide::Sell)])
    }

    /// Of each side of each deal, whether it is for a kind.
    fn offered(&self, kind: KindId) -> Vec<bool> {
        self.sides().map(|(deal, side)| self.offers(deal, side, kind)).collect()
    }

    /// Whether a deal for a kind has no valid price for it.
    fn has_bad_price(&self, kind: KindId) -> bool {
        let is_bad = |(deal, side)| self.offers(deal, side, kind) && self.lot(deal, side, kind).is_none();
        self.sides().any(is_bad)
    }

    /// Puts the kind back.
    pub(crate) fn restore_kind(&mut self, before: KindBefore) {
        let KindBefore { kind, def, figures, property, tag_sets } = before;
        self.kinds[kind.index()] = def;
        self.figures[kind.index()] = figures;
        if let Some((at, value)) = property {
            self.kind_properties[at].1 = value;
        }
        self.tag_sets.truncate(tag_sets);
        self.ask_filters_of(kind);
    }

    fn limit_of(&self, kind: KindId) -> u32 {
        let def = &self.kinds[kind.index()];
        let by_default = || limit_by_default(&self.tags, &self.tag_sets[def.tag_set as usize], self.source.stack_limit);
        def.own_stack_limit.unwrap_or_else(by_default)
    }

    /// The other tags of a kind, with all tags above them.
    fn tags_without(&self, kind: KindId, without: u32) -> Option<Vec<TagId>> {
        let written = self.source.tag_sets.get(self.source.kinds.get(kind.index())?.tag_set as usize)?;
        let mut tags = Vec::new();
        for &used in written.iter().filter(|&&used| used != without) {
            let mut tag = Some(*self.tag_index.get(&self.source.tag_names[used as usize].name)?);
            while let Some(id) = tag {
                tags.push(id);
                tag = self.tags[id.index()].parent;
            }
        }
        tags.sort_unstable();
        tags.dedup();
        Some(tags)
    }

    /// Whether each filter admits the kind, as it is now.
    fn ask_filters_of(&mut self, kind: KindId) {
        for number in 0..self.filters.len() {
            let admitted = self.filters[number].test.admits(&self.known_kind(kind));
            self.filters[number].plain.put(kind.index(), admitted);
            if let Some(bit) = u32::try_from(number).ok().filter(|number| *number < u64::BITS) {
                let bits = &mut self.figures[kind.index()].admitted;
                *bits = if admitted { *bits | 1 << bit } else { *bits & !(1 << bit) };
            }
        }
    }
}
