//! buy, sell: a holder makes a deal at a container.

use smallvec::SmallVec;

use super::draft::Draft;
use super::exchange::{Exchange, Giver, Side};
use super::operation::Action;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use super::{Done, Planned};
use crate::id::{HolderId, KindId};
use crate::language::Amount;
use crate::ruleset::{Access, Deal, DealSide, Lot};
use crate::world::Place;

pub(super) fn plan(
    draft: &mut Draft<'_>,
    actor: Option<HolderId>,
    side: DealSide,
    (amount, kind): (Amount, KindId),
    at: Place,
) -> Planned {
    let dealing = Dealing::find(draft, actor, side, kind, at)?;
    let size = u64::from(dealing.lot.size);
    let lots_of = |count: u32| match u64::from(count) {
        0 => Err(Refusal::new(Cause::BadAmount)),
        count if count % size != 0 => Err(Refusal::new(Cause::NoLot { size: dealing.lot.size })),
        count => Ok(count / size),
    };
    let (requested, lots) = match amount {
        Amount::Exactly(count) => (Some(u64::from(count)), lots_of(count)?),
        Amount::UpTo(count) => return dealing.up_to(draft, u64::from(count), lots_of(count)?),
        Amount::All => {
            let there = dealing.there(draft);
            if there % size != 0 {
                return Err(Refusal::new(Cause::NoLot { size: dealing.lot.size }));
            }
            (None, (there / size).max(1))
        }
    };
    draft.be_exact(true);
    let Err(failed) = dealing.exchange(lots).attempt(draft) else {
        return Ok(Done { requested, count: lots * size });
    };
    draft.be_exact(false);
    let start = draft.point();
    let could = dealing.most(draft, failed.most.min(lots - 1));
    draft.go_back_to(&start);
    Err(failed.refusal(draft).up_to(could * size))
}

/// A deal that a holder asks for.
pub(super) struct Dealing {
    holder: HolderId,
    side: DealSide,
    kind: KindId,
    container: u32,
    till: u32,
    passes_nobody: bool,
    pub(super) lot: Lot,
}

impl Dealing {
    /// Looks it up.
    pub(super) fn find(
        draft: &Draft<'_>,
        actor: Option<HolderId>,
        side: DealSide,
        kind: KindId,
        at: Place,
    ) -> Result<Dealing, Refusal> {
        let holder = draft.acting(actor)?;
        draft.kind(kind)?;
        let container = draft.container(at)?;
        let Some((deal, lot)) = draft.deal_for(side, kind, container) else {
            return Err(Refusal::new(Cause::Unknown(Unknown::Deal)));
        };
        let till = draft.till_of(deal, container)?;
        Ok(Dealing { holder, side, kind, container, till, passes_nobody: deal.uses_nobody(), lot })
    }

    /// The number of items of the named kind where they come from.
    pub(super) fn there(&self, draft: &mut Draft<'_>) -> u64 {
        self.exchange(1).there(draft, self.goods(), self.kind)
    }

    /// The number of lots for which the holder has enough to give.
    pub(super) fn affordable(&self, draft: &mut Draft<'_>) -> u64 {
        self.exchange(1).lots_there(draft, 0)
    }

    /// Which of the two sides gives the goods.
    fn goods(&self) -> usize {
        match self.side {
            DealSide::Buy => 1,
            DealSide::Sell => 0,
        }
    }

    /// The holder's side is judged first.
    fn exchange(&self, lots: u64) -> Exchange {
        let (from, into) = match self.side {
            DealSide::Buy => (self.container, self.till),
            DealSide::Sell => (self.till, self.container),
        };
        let holder = Side {
            actor: Some(self.holder.index),
            gives: SmallVec::from_slice(&self.lot.gives),
            from: Giver::Holder(self.holder.index),
            into: Target::Holder(self.holder.index),
            passes_nobody: false,
        };
        let container = Side {
            actor: None,
            gives: SmallVec::from_slice(&self.lot.gets),
            from: Giver::Container(from),
            into: Target::Container(into),
            passes_nobody: self.passes_nobody,
        };
        Exchange { sides: [holder, container], goods: self.goods(), lots }
    }

    /// Makes as many as it can; what it makes stays in the draft.
    fn up_to(&self, draft: &mut Draft<'_>, requested: u64, lots: u64) -> Planned {
        let made = self.most(draft, lots);
        if made > 0 {
            return Ok(Done { requested: Some(requested), count: made * u64::from(self.lot.size) });
        }
        match self.exchange(1).attempt(draft) {
            Err(failed) => Err(failed.refusal(draft)),
            Ok(()) => Ok(Done { requested: Some(requested), count: u64::from(self.lot.size) }),
        }
    }

    /// Makes the largest number of lots, up to one, that can be made. More lots may free slots that
    /// fewer do not, so every number is a case of its own. But unless packs leave, fewer lots do not
    /// leave more room: numbers for which there is no room by that measure are not tried.
    fn most(&self, draft: &mut Draft<'_>, lots: u64) -> u64 {
        let one = self.exchange(1);
        let mut lots = lots.min(one.lots_there(draft, 0)).min(one.lots_there(draft, 1));
        while lots > 0 {
            let Err(failed) = self.exchange(lots).attempt(draft) else { break };
            lots = failed.most.min(lots - 1);
        }
        lots
    }
}

impl<'w> Draft<'w> {
    /// The deal for a kind at a container.
    fn deal_for(&self, side: DealSide, kind: KindId, container: u32) -> Option<(&'w Deal, Lot)> {
        if !self.world.stands(self.container_id(container)) || !self.world.rules.has_kind(kind) {
            return None;
        }
        self.world.rules.deal_for(side, kind, self.world.own_name(container))
    }

    /// The container that is paid into and out of.
    fn till_of(&self, deal: &Deal, container: u32) -> Result<u32, Refusal> {
        let Some(name) = deal.coins_to() else { return Ok(container) };
        let till = self.world.container(name).filter(|&till| self.has_container(till));
        till.map(|till| till.index).ok_or(Refusal::new(Cause::Unknown(Unknown::Place)))
    }

    /// The till of a deal that an action makes, if it is not where the deal is made.
    pub(super) fn till_of_action(&self, action: &Action) -> Option<Place> {
        let (side, kind, at) = action.deal()?;
        let container = self.container(at).ok()?;
        let (deal, _) = self.deal_for(side, kind, container)?;
        let till = self.till_of(deal, container).ok().filter(|&till| till != container)?;
        Some(Place::Container(self.container_id(till)))
    }

    /// Why the actor may not make the deal that it asks for.
    pub(super) fn why_not_in_deal(&self, action: &Action) -> Option<Cause> {
        let (actor, (side, kind, at)) = (self.actor?, action.deal()?);
        let container = self.container(at).ok()?;
        let (deal, _) = self.deal_for(side, kind, container)?;
        let may = match deal.by() {
            Access::Anyone | Access::Surrounding => true,
            Access::Nobody => false,
            Access::Listed(list) => self.is_on(list, actor, container),
        };
        let number = self.world.rules.deals().iter().position(|known| known.id() == deal.id())?;
        (!may).then_some(Cause::NotInDeal { at, deal: u32::try_from(number).unwrap_or(u32::MAX) })
    }
}

impl Action {
    /// The kinds that a deal or a trade names.
    pub(crate) fn traded(&self) -> SmallVec<[KindId; 2]> {
        match self {
            Action::Buy { kind, .. } | Action::Sell { kind, .. } => SmallVec::from_elem(*kind, 1),
            Action::Trade { one, other } => SmallVec::from_slice(&[one.kind, other.kind]),
            _ => SmallVec::new(),
        }
    }

    /// The deal that it makes: the side, the kind, and where.
    pub(super) fn deal(&self) -> Option<(DealSide, KindId, Place)> {
        match self {
            Action::Buy { kind, at, .. } => Some((DealSide::Buy, *kind, *at)),
            Action::Sell { kind, at, .. } => Some((DealSide::Sell, *kind, *at)),
            _ => None,
        }
    }
}
