//! Sums by key, for what an operation would change.

use std::hash::Hash;

use rustc_hash::FxHashMap;

/// A sum for each of some keys. Few are searched one by one; for many there is an index.
#[derive(Clone, Debug)]
pub(crate) struct Sums<K> {
    /// In order of their first change.
    list: Vec<(K, i64)>,
    /// Where each is in the list, once there are many.
    index: FxHashMap<K, usize>,
}

const FEW: usize = 32;

impl<K> Default for Sums<K> {
    fn default() -> Sums<K> {
        Sums { list: Vec::new(), index: FxHashMap::default() }
    }
}

impl<K: Copy + Eq + Hash> Sums<K> {
    pub(crate) fn add(&mut self, key: K, by: i64) {
        if let Some(at) = self.find(key) {
            self.list[at].1 += by;
            return;
        }
        self.list.push((key, by));
        if self.list.len() > FEW {
            // With the first of many, all of them.
            let from = if self.index.is_empty() { 0 } else { self.list.len() - 1 };
            self.index.extend((from..).zip(&self.list[from..]).map(|(at, (key, _))| (*key, at)));
        }
    }

    /// The sum under a key; 0 without any.
    pub(crate) fn get(&self, key: K) -> i64 {
        self.find(key).map_or(0, |at| self.list[at].1)
    }

    pub(crate) fn keys(&self) -> impl Iterator<Item = K> + '_ {
        self.list.iter().map(|(key, _)| *key)
    }

    pub(crate) fn clear(&mut self) {
        self.list.clear();
        self.index.clear();
    }

    fn find(&self, key: K) -> Option<usize> {
        if self.list.len() > FEW {
            return self.index.get(&key).copied();
        }
        self.list.iter().position(|(known, _)| *known == key)
    }
}
