//! Items that occupy several named slots: in one of them, they block the others.

use smallvec::SmallVec;

use super::draft::{Draft, Item};
use crate::narrow;
use crate::ruleset::{ONE_SLOT, SlotDef};
use crate::world::{Cell, Spot};

/// Few kinds need more than two slots.
pub(super) type Spots = SmallVec<[Spot; 2]>;

impl<'w> Draft<'w> {
    /// The named slots that a kind occupies, if there are several.
    #[inline]
    fn needs(&self, kind: u32) -> Option<&'w [Box<str>]> {
        let needs = self.world.rules.figures[kind as usize].needs;
        if needs == ONE_SLOT { None } else { Some(&self.world.rules.needs[needs as usize]) }
    }

    pub(super) fn ruled(&self, container: u32) -> &'w [SlotDef] {
        let def = self.state(container).def;
        self.world.rules.containers().get(def as usize).map_or(&[], |def| &def.ruled)
    }

    fn name_of_slot(&self, spot: Spot) -> Option<&'w str> {
        self.ruled(spot.container).get(spot.slot as usize)?.name.as_deref()
    }

    /// The slots that items of a kind occupy from one of them: that one and the others. None if one
    /// does not exist.
    pub(super) fn occupied(&self, kind: u32, spot: Spot) -> Option<Spots> {
        let further = self.needs(kind).zip(self.name_of_slot(spot));
        let Some((needs, _)) = further.filter(|(needs, name)| needs.iter().any(|need| **need == **name)) else {
            return Some(one(spot));
        };
        let slots = self.ruled(spot.container);
        let slot_named = |name: &str| slots.iter().position(|slot| slot.name.as_deref() == Some(name));
        needs
            .iter()
            .map(|name| {
                let slot = u32::try_from(slot_named(name)?).ok()?;
                Some(Spot { container: spot.container, slot })
            })
            .collect()
    }

    /// The stacks in the way of items for a slot: those that occupy a slot which the items would
    /// occupy. `leaving` are stacks that are no longer there.
    pub(super) fn in_the_way(&self, kind: u32, spot: Spot, leaving: &dyn Fn(Spot) -> bool) -> Option<Spots> {
        let wanted = self.occupied(kind, spot)?;
        let mut found = Spots::new();
        let named = narrow::index(self.ruled(spot.container).len());
        for slot in (0..named).chain(Some(spot.slot).filter(|&slot| slot >= named)) {
            let there = Spot { container: spot.container, slot };
            let cell = self.cell(there);
            if cell.is_empty() || leaving(there) {
                continue;
            }
            let occupied = self.occupied(cell.kind, there).unwrap_or_else(|| one(there));
            if occupied.iter().any(|spot| wanted.contains(spot)) {
                found.push(there);
            }
        }
        Some(found)
    }

    /// Whether stacks in other slots block a slot for items. `source` is their present place; if
    /// `whole`, all of them leave it.
    #[inline]
    pub(super) fn is_blocked(&self, item: Item, spot: Spot, source: Option<Spot>, whole: bool) -> bool {
        if self.world.rules.needs.is_empty() || spot.is_ground() {
            return false;
        }
        self.is_blocked_by_others(item, spot, &|there| whole && source == Some(there))
    }

    /// The same for two slots that are about to be swapped.
    pub(super) fn is_blocked_after_exchange(&self, cell: Cell, to: Spot, from: Spot, back: Cell) -> bool {
        if self.world.rules.needs.is_empty() {
            return false;
        }
        let leaving = |there: Spot| there == to || there == from;
        if self.is_blocked_by_others(self.item(cell), to, &leaving) {
            return true;
        }
        // The other stack ends up in the same container.
        let returns = from.container == to.container && !back.is_empty();
        let occupied = |cell: Cell, spot| self.occupied(cell.kind, spot).unwrap_or_else(|| one(spot));
        returns && occupied(back, from).iter().any(|spot| occupied(cell, to).contains(spot))
    }

    fn is_blocked_by_others(&self, item: Item, spot: Spot, leaving: &dyn Fn(Spot) -> bool) -> bool {
        let found = self.in_the_way(item.kind, spot, leaving);
        let laid = || {
            let parts = self.laid().iter().filter(|(laid, _)| laid.container == spot.container && *laid != spot);
            let mut occupied = parts.filter_map(|(laid, _)| self.occupied(item.kind, *laid)).flatten();
            occupied.any(|laid| self.occupied(item.kind, spot).is_some_and(|wanted| wanted.contains(&laid)))
        };
        found.is_none_or(|found| found.iter().any(|there| *there != spot)) || laid()
    }
}

fn one(spot: Spot) -> Spots {
    SmallVec::from_elem(spot, 1)
}
