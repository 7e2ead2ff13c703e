/// An ordered set of numbers in sorted chunks.
///
/// Chunks that empty are kept and used again.
#[derive(Clone, Debug, Default)]
pub(crate) struct Chunks {
    /// The first number of each chunk; none of them is empty.
    firsts: Vec<u32>,
    chunks: Vec<Vec<u32>>,
    spare: Vec<Vec<u32>>,
}

const CHUNK: usize = 256;

impl Chunks {
    pub(super) fn is_empty(&self) -> bool {
        self.chunks.is_empty()
    }

    /// The chunk in which a number lies or belongs.
    fn chunk_of(&self, number: u32) -> usize {
        self.firsts.partition_point(|&first| first <= number).saturating_sub(1)
    }

    pub(super) fn insert(&mut self, number: u32) {
        if self.chunks.is_empty() {
            let mut chunk = self.spare.pop().unwrap_or_else(|| Vec::with_capacity(CHUNK));
            chunk.push(number);
            self.firsts.push(number);
            self.chunks.push(chunk);
            return;
        }
        let mut at = self.chunk_of(number);
        if self.chunks[at].len() == CHUNK {
            self.split(at);
            at = self.chunk_of(number);
        }
        let chunk = &mut self.chunks[at];
        if let Err(place) = chunk.binary_search(&number) {
            chunk.insert(place, number);
            self.firsts[at] = chunk[0];
        }
    }

    fn split(&mut self, at: usize) {
        let mut upper = self.spare.pop().unwrap_or_else(|| Vec::with_capacity(CHUNK));
        upper.extend(self.chunks[at].drain(CHUNK / 2..));
        self.firsts.insert(at + 1, upper[0]);
        self.chunks.insert(at + 1, upper);
    }

    pub(super) fn remove(&mut self, number: u32) {
        let at = self.chunk_of(number);
        let Some(chunk) = self.chunks.get_mut(at) else { return };
        let Ok(place) = chunk.binary_search(&number) else { return };
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

    /// Moves the few numbers of a chunk to the one before it, where there is room for as many again.
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

    /// The least number that is not below `from`.
    pub(super) fn next(&self, from: u32) -> Option<u32> {
        let at = self.chunk_of(from);
        let chunk = self.chunks.get(at)?;
        let place = chunk.partition_point(|&number| number < from);
        chunk.get(place).or_else(|| self.firsts.get(at + 1)).copied()
    }
}
