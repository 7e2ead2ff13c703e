//! The content hash: a sum for each container; the contents of a pack are part of the pack's share.
//! So one change affects one share in each container around it, and nothing else.

use std::hash::Hasher;

use rustc_hash::FxHasher;

use super::{GROUND, Goods, Spot, World};

impl World {
    /// Keeps the content hash up to date from now on. Undo and clones keep it too.
    pub fn enable_hash(&mut self) {
        self.hashed = true;
        self.plain_sums = false;
        for container in self.lasting_containers().collect::<Vec<u32>>() {
            self.set_hash(container);
        }
        self.hash = self.hash_of_all();
    }

    /// The content hash: kinds, counts, marks, properties, slots, nesting. It excludes the order of
    /// the ground, ids, and everything else. None unless enabled, see [`World::enable_hash`].
    ///
    /// Two worlds of one ruleset with the same contents in the same places have the same hash. It
    /// is not secure against deliberate collisions.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder().kind("flare", |kind| kind).container("depot", |depot| depot.slots(2)).build()?;
    /// let mut world = World::new(&rules.into());
    /// world.enable_hash();
    /// world.set_undo_limit(1);
    /// let (depot, flare) = (world.container("depot").unwrap(), world.rules().find_kind("flare").unwrap());
    ///
    /// let before = world.contents_hash();
    /// let outcome = world.perform(&Operation::creating(Amount::Exactly(2), flare, depot)).unwrap();
    /// assert_ne!(world.contents_hash(), before);
    /// world.undo(outcome.revision()).unwrap();
    /// assert_eq!(world.contents_hash(), before);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn contents_hash(&self) -> Option<u64> {
        self.hashed.then_some(self.hash)
    }

    /// Keeps the hash in step: in a place lies something else, or as much more or less.
    #[inline(never)]
    pub(super) fn follow_hash(&mut self, spot: Spot, before: Goods, after: Goods) {
        let (mut spot, mut gone, mut come) = (spot, self.share(spot, before), self.share(spot, after));
        loop {
            let old = self.state(spot.container).hash;
            let new = old.wrapping_sub(gone).wrapping_add(come);
            let parent = self.state(spot.container).parent;
            if parent == Spot::NOWHERE {
                let (gone, come) = (self.share_of_all(spot.container, old), self.share_of_all(spot.container, new));
                self.containers[spot.container as usize].hash = new;
                self.hash = self.hash.wrapping_sub(gone).wrapping_add(come);
                return;
            }
            let pack = self.cell(parent).goods();
            gone = self.share(parent, pack);
            self.containers[spot.container as usize].hash = new;
            come = self.share(parent, pack);
            spot = parent;
        }
    }

    /// Containers arrive with their contents, or leave.
    pub(super) fn follow_hash_of_group(&mut self, group: &[u32], sign: i64) {
        for &container in group {
            if self.state(container).parent != Spot::NOWHERE {
                continue;
            }
            let share = self.share_of_all(container, self.state(container).hash);
            self.hash = if sign > 0 { self.hash.wrapping_add(share) } else { self.hash.wrapping_sub(share) };
        }
    }

    /// What a stack adds to the sum of its container.
    fn share(&self, spot: Spot, cell: Goods) -> u64 {
        if cell.is_empty() {
            return 0;
        }
        let inside = if cell.is_pack() { self.state(cell.inner).hash } else { 0 };
        self.share_with(spot, cell, inside)
    }

    /// Stacks on the ground have an order, but no slot.
    fn share_with(&self, spot: Spot, cell: Goods, inside: u64) -> u64 {
        let slot = if spot.container == GROUND { 0 } else { spot.slot };
        let mut hasher = FxHasher::default();
        hasher.write_u32(slot);
        hasher.write_u32(cell.count);
        hasher.write_u64(inside);
        hasher.write_u32(cell.kind);
        if let Some(key) = self.classes.key(cell.class) {
            key.marks.iter().for_each(|mark| hasher.write_u32(mark.0));
            for (property, value) in &key.properties {
                hasher.write_u32(!property.0);
                hasher.write_i64(value.thousandths());
            }
        }
        mixed(hasher.finish())
    }

    /// The share of a container outside packs in the total hash; an empty one adds nothing.
    fn share_of_all(&self, container: u32, sum: u64) -> u64 {
        if sum == 0 {
            return 0;
        }
        let mut hasher = FxHasher::default();
        hasher.write(self.state(container).name.as_bytes());
        hasher.write_u64(sum);
        mixed(hasher.finish())
    }

    // Counted anew.

    fn lasting_containers(&self) -> impl Iterator<Item = u32> + '_ {
        (0..self.container_count()).filter(|&container| self.is_lasting(container))
    }

    fn set_hash(&mut self, container: u32) {
        let packs: Vec<u32> =
            self.stacks_of(container).filter(|(_, cell)| cell.is_pack()).map(|(_, cell)| cell.inner).collect();
        packs.into_iter().for_each(|inner| self.set_hash(inner));
        let shares = self.stacks_of(container).map(|(spot, cell)| self.share(spot, cell.goods()));
        self.containers[container as usize].hash = shares.fold(0, u64::wrapping_add);
    }

    fn hash_of_all(&self) -> u64 {
        let share = |container| self.share_of_all(container, self.state(container).hash);
        let shares = self.lasting_containers().map(share);
        shares.fold(0, u64::wrapping_add)
    }

    /// The hash by going through all that lies somewhere.
    pub(super) fn counted_hash(&self) -> u64 {
        let share = |container| self.share_of_all(container, self.counted_sum(container));
        let shares = self.lasting_containers().map(share);
        shares.fold(0, u64::wrapping_add)
    }

    fn counted_sum(&self, container: u32) -> u64 {
        let shares = self.stacks_of(container).map(|(spot, cell)| {
            let inside = if cell.is_pack() { self.counted_sum(cell.inner) } else { 0 };
            self.share_with(spot, cell.goods(), inside)
        });
        shares.fold(0, u64::wrapping_add)
    }
}

/// Spreads each bit over all: shares are added up, and sums of what is much alike must not be.
fn mixed(hash: u64) -> u64 {
    let hash = (hash ^ hash >> 32).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    let hash = (hash ^ hash >> 29).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    hash ^ hash >> 32
}
