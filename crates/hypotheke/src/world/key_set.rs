/// An ordered set of 64-bit keys in sorted chunks.
///
/// Its size grows with the keys held. Chunks that empty are kept and used again, so a set that has once been as large as
/// it gets allocates no more.
#[derive(Clone, Debug, Default)]
pub(crate) struct KeySet {
    /// The first key of each chunk; none of them is empty.
    firsts: Vec<u64>,
    chunks: Vec<Vec<u64>>,
    spare: Vec<Vec<u64>>,
}

const CHUNK: usize = 64;

impl KeySet {
    /// A set of keys that come in rising order.
    #[cfg(test)]
    pub(crate) fn iter(&self) -> impl Iterator<Item = u64> + '_ {
        self.chunks.iter().flatten().copied()
    }

    /// The chunk in which a key lies or belongs.
    fn chunk_of(&self, key: u64) -> usize {
        self.firsts.partition_point(|&first| first <= key).saturating_sub(1)
    }

    pub(crate) fn insert(&mut self, key: u64) {
        if self.chunks.is_empty() {
            let mut chunk = self.spare.pop().unwrap_or_else(|| Vec::with_capacity(CHUNK));
            chunk.push(key);
            self.firsts.push(key);
            self.chunks.push(chunk);
            return;
        }
        let mut at = self.chunk_of(key);
        if self.chunks[at].len() == CHUNK {
            self.split(at);
            at = self.chunk_of(key);
        }
        let chunk = &mut self.chunks[at];
        if let Err(place) = chunk.binary_search(&key) {
            chunk.insert(place, key);
            self.firsts[at] = chunk[0];
        }
    }

    fn split(&mut self, at: usize) {
        let mut upper = self.spare.pop().unwrap_or_else(|| Vec::with_capacity(CHUNK));
        upper.extend(self.chunks[at].drain(CHUNK / 2..));
        self.firsts.insert(at + 1, upper[0]);
        self.chunks.insert(at + 1, upper);
    }

    pub(crate) fn remove(&mut self, key: u64) {
        let at = self.chunk_of(key);
        let Some(chunk) = self.chunks.get_mut(at) else { return };
        let Ok(place) = chunk.binary_search(&key) else { return };
        chunk.remove(place);
        match chunk.first() {
            Some(&first) => {
                self.firsts[at] = first;
                if chunk.len() < CHUNK / 8 {
                    self.join(at);
                }
            }
            None => self.drop_chunk(at),
        }
    }

    /// Moves the few keys of a chunk to the one before it, where there is room for as many again.
    fn join(&mut self, at: usize) {
        if at == 0 || self.chunks[at - 1].len() + self.chunks[at].len() > CHUNK / 2 {
            return;
        }
        let (lower, upper) = self.chunks.split_at_mut(at);
        lower[at - 1].append(&mut upper[0]);
        self.drop_chunk(at);
    }

    fn drop_chunk(&mut self, at: usize) {
        self.firsts.remove(at);
        let mut chunk = self.chunks.remove(at);
        chunk.clear();
        self.spare.push(chunk);
    }

    /// The least key that is not below `from`.
    pub(crate) fn next(&self, from: u64) -> Option<u64> {
        let at = self.chunk_of(from);
        let chunk = self.chunks.get(at)?;
        let place = chunk.partition_point(|&key| key < from);
        chunk.get(place).or_else(|| self.firsts.get(at + 1)).copied()
    }
}
