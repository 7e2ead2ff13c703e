/// The contents of one slot. A count of 0 means that it is empty.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Cell {
    /// Kind, marks and properties as one number: two stacks are alike if theirs are equal.
    pub(crate) class: u32,
    pub(crate) kind: u32,
    pub(crate) count: u32,
    /// The container inside, if it is a pack; else `GROUND`, which is inside of nothing.
    pub(crate) inner: u32,
    pub(crate) id: u64,
}

/// The contents of a slot without the id. Rarely called functions take this copy: a cell whose
/// address is passed stays in memory, while others stay in registers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Goods {
    pub(crate) class: u32,
    pub(crate) kind: u32,
    pub(crate) count: u32,
    pub(crate) inner: u32,
}

impl Goods {
    #[inline(always)]
    pub(crate) fn with_id(self, id: u64) -> Cell {
        let Goods { class, kind, count, inner } = self;
        Cell { class, kind, count, inner, id }
    }

    pub(crate) fn is_empty(self) -> bool {
        self.count == 0
    }

    pub(crate) fn is_pack(self) -> bool {
        self.inner != GROUND
    }
}

impl Cell {
    #[inline(always)]
    pub(crate) fn goods(self) -> Goods {
        Goods { class: self.class, kind: self.kind, count: self.count, inner: self.inner }
    }

    pub(crate) fn is_empty(self) -> bool {
        self.count == 0
    }

    pub(crate) fn is_pack(self) -> bool {
        self.inner != GROUND
    }

    /// Whether all of these are as those are. Without a branch for each, many are compared at once.
    pub(crate) fn all_equal(these: &[Cell], those: &[Cell]) -> bool {
        let differing = |(a, b): (&Cell, &Cell)| {
            let rest = (a.class ^ b.class) | (a.kind ^ b.kind) | (a.count ^ b.count) | (a.inner ^ b.inner);
            (a.id ^ b.id) | u64::from(rest)
        };
        let chunks = these.chunks(64).zip(those.chunks(64));
        let mut sums = chunks.map(|(these, those)| these.iter().zip(those).map(differing).fold(0, |sum, it| sum | it));
        these.len() == those.len() && sums.all(|sum| sum == 0)
    }

    /// Same kind, marks and properties. Packs are never alike.
    pub(crate) fn can_stack_with(self, other: Cell) -> bool {
        self.class == other.class && !self.is_empty() && !other.is_empty() && !self.is_pack()
    }
}

/// The address of a cell: a container and a slot of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct Spot {
    pub(crate) container: u32,
    pub(crate) slot: u32,
}

/// The ground is the container with this index; its slot numbers are the order of landing.
pub(crate) const GROUND: u32 = 0;

impl Spot {
    /// Outside of the world: where created items come from and consumed ones go.
    pub(crate) const NOWHERE: Spot = Spot { container: u32::MAX, slot: u32::MAX };

    pub(crate) fn is_ground(self) -> bool {
        self.container == GROUND
    }
}
