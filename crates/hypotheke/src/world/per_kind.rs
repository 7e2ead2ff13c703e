//! A value for each kind of a ruleset. Where nothing was ever counted it takes next to no room, so
//! that a world of few items is made and copied as fast by rules of a hundred thousand kinds as by
//! rules of ten.

const CHUNK: usize = 32;

#[derive(Clone, Debug)]
pub(crate) struct PerKind<T> {
    kinds: usize,
    chunks: Vec<Option<Box<[T; CHUNK]>>>,
}

impl<T: Copy + Default> PerKind<T> {
    pub(crate) fn new(kinds: usize) -> PerKind<T> {
        PerKind { kinds, chunks: vec![None; kinds.div_ceil(CHUNK)] }
    }

    /// None beyond the kinds of the ruleset.
    #[inline]
    pub(crate) fn get(&self, kind: usize) -> Option<T> {
        let chunk = self.chunks.get(kind / CHUNK).filter(|_| kind < self.kinds)?;
        Some(chunk.as_ref().map_or_else(T::default, |values| values[kind % CHUNK]))
    }

    /// The value of a kind of the ruleset, to be changed.
    #[inline]
    pub(crate) fn value(&mut self, kind: usize) -> &mut T {
        let chunk = self.chunks[kind / CHUNK].get_or_insert_with(|| Box::new([T::default(); CHUNK]));
        &mut chunk[kind % CHUNK]
    }

    /// The kinds of which something may have been counted here or there, each once, and some that
    /// lie near them.
    pub(crate) fn counted_with<'a, U>(&'a self, other: &'a PerKind<U>) -> impl Iterator<Item = usize> + 'a {
        let chunks = self.chunks.iter().zip(&other.chunks).enumerate();
        let counted = chunks.filter(|(_, (here, there))| here.is_some() || there.is_some());
        counted.flat_map(|(chunk, _)| chunk * CHUNK..self.kinds.min((chunk + 1) * CHUNK))
    }
}
