//! Who may put items into a container, take them out, and open it.

/// What a holder does with a container: each has its own list of those who may.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Right {
    /// Put items in: `put-by`.
    Put,
    /// Take items out: `take-by`.
    Take,
    /// Open it, and rearrange its contents: `open-by`.
    Open,
}

impl Right {
    /// All of them.
    pub const ALL: [Right; 3] = [Right::Put, Right::Take, Right::Open];

    /// The key of a ruleset that says who may.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Right::Put => "put-by",
            Right::Take => "take-by",
            Right::Open => "open-by",
        }
    }
}

/// Who may do something with a container.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Access {
    /// Every holder, and the game: the default of a container in the world.
    #[default]
    Anyone,
    /// No holder.
    Nobody,
    /// No border of its own: the container around decides. The default of the inside of a pack.
    Surrounding,
    /// The holders on a list, and the game. The default of a container that a holder carries is its
    /// owner.
    Listed(AccessList),
}

/// The holders who may do something.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AccessList {
    /// The owner of the container is among them.
    pub owner: bool,
    /// Holders by name.
    pub holders: Vec<Box<str>>,
    /// Groups: every holder in one of them.
    pub groups: Vec<Box<str>>,
}

impl AccessList {
    /// A list with the owner alone.
    pub(crate) const OWNER: AccessList = AccessList { owner: true, holders: Vec::new(), groups: Vec::new() };

    /// Whether a holder is on the list by its name or by one of its groups.
    pub(crate) fn names(&self, holder: &str, groups: &[Box<str>]) -> bool {
        self.holders.iter().any(|name| **name == *holder) || self.groups.iter().any(|group| groups.contains(group))
    }
}

impl Access {
    /// The words as a ruleset has them: `owner`, `mara`, a group.
    #[must_use]
    pub fn words(&self) -> Vec<&str> {
        match self {
            Access::Anyone => vec!["anyone"],
            Access::Nobody => vec!["nobody"],
            Access::Surrounding => Vec::new(),
            Access::Listed(list) => {
                let owner = list.owner.then_some("owner");
                let names = list.holders.iter().chain(&list.groups).map(|name| &**name);
                owner.into_iter().chain(names).collect()
            }
        }
    }

    /// How a world keeps it.
    pub(crate) fn border(&self) -> Border {
        match self {
            Access::Anyone => Border::Anyone,
            Access::Nobody => Border::Nobody,
            Access::Surrounding => Border::Surrounding,
            Access::Listed(list) if *list == AccessList::OWNER => Border::Owner,
            Access::Listed(_) => Border::Listed,
        }
    }
}

/// An [`Access`] without its list, which only few containers have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Border {
    Anyone,
    Owner,
    Nobody,
    Surrounding,
    /// As listed in the definition.
    Listed,
}

/// The words that stand for no name.
pub(crate) const ANYONE: &str = "anyone";
pub(crate) const NOBODY: &str = "nobody";
pub(crate) const OWNER: &str = "owner";
