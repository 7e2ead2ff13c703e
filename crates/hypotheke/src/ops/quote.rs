//! What a deal would cost, whether it can be made or not.

use super::deal::Dealing;
use super::draft::Draft;
use super::operation::Operation;
use crate::id::KindId;
use crate::language::Amount;
use crate::world::World;

/// The price of a deal.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Quote {
    /// What the holder would get: kinds and numbers.
    pub gets: Vec<(KindId, u64)>,
    /// What the holder would give.
    pub gives: Vec<(KindId, u64)>,
    /// The number of items of the named kind for which the holder has enough to give.
    pub affordable: u64,
}

impl World {
    /// The price of a `buy` or `sell` operation, for the number that it names; `up to` a number and
    /// everything are priced in full. None for other operations, for a deal that is not made there,
    /// and for a number that is no multiple of a lot.
    ///
    /// The cost grows with the stacks of the holder and of the container.
    ///
    /// ```
    /// use hypotheke::{Amount, NamedOperation, Rounding, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("coin", |coin| coin.stack_limit(50))
    ///     .kind("tin", |tin| tin.value(3.into()))
    ///     .container("stall", |stall| stall.slots(4))
    ///     .container("purse", |purse| purse.slots(2))
    ///     .holder("mara", ["purse"], |mara| mara)
    ///     .deal("tins", |deal| deal.at(["stall"]).of("tin").currency("coin").buy("1.25".parse().unwrap(), Rounding::Up))
    ///     .start("mara.purse", ["9 coin"])
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let operation: NamedOperation = "mara buys 3 tin at stall".parse().unwrap();
    /// let quote = world.quote(&operation.resolve(&world).unwrap()).unwrap();
    /// assert_eq!((quote.gives[0].1, quote.affordable), (12, 2));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn quote(&self, operation: &Operation) -> Option<Quote> {
        let mut draft = Draft::new(self, Box::default());
        draft.act_as(operation.actor).ok()?;
        let (side, kind, at) = operation.action.deal()?;
        let dealing = Dealing::find(&draft, operation.actor, side, kind, at).ok()?;
        let size = u64::from(dealing.lot.size);
        let count = match operation.action.amount()? {
            Amount::Exactly(count) | Amount::UpTo(count) => u64::from(count),
            Amount::All => dealing.there(&mut draft),
        };
        if count % size != 0 {
            return None;
        }
        let times = |items: &[(KindId, u32)]| -> Vec<(KindId, u64)> {
            items.iter().map(|&(kind, each)| (kind, (count / size).saturating_mul(u64::from(each)))).collect()
        };
        let affordable = dealing.affordable(&mut draft) * size;
        Some(Quote { gets: times(&dealing.lot.gets), gives: times(&dealing.lot.gives), affordable })
    }
}
