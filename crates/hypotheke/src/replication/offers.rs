//! Offers: a trade between two connections, held outside the world until the other side accepts.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::message::ToClient;
use super::request::Answer;
use super::server::{Replies, Server};
use crate::language::{NamedAction, NamedOperation};
use crate::ops::{Action, Cause, Offered, Operation, Reason, Refusal};
use crate::world::World;

/// An open offer, as all clients see it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Offer {
    /// Its number.
    pub id: u64,
    /// The holder that offers.
    pub by: String,
    /// The holder that may accept.
    pub to: String,
    /// The trade, as a sentence.
    pub trade: String,
}

/// Offers by number, and what both sides had of the traded kinds when each was made.
#[derive(Clone, Debug, Default)]
pub(super) struct Offers {
    next: u64,
    open: BTreeMap<u64, (Offer, NamedOperation, Contents)>,
}

/// Of both sides, by marks and properties: how many items of the traded kind.
type Contents = [BTreeMap<String, u64>; 2];

impl Server {
    /// The open offers, by number.
    pub fn offers(&self) -> impl Iterator<Item = &Offer> {
        self.offers.open.values().map(|(offer, ..)| offer)
    }

    /// A holder offers a trade to the other holder that it names. Nothing is reserved: the trade is
    /// checked now, and again when it is accepted.
    ///
    /// # Errors
    /// The refusal that the trade would get now, or [`Reason::NotAllowed`] if the holder is not one
    /// of the two. `unknown` if it is no trade.
    pub fn offer(&mut self, holder: &str, trade: &NamedOperation) -> Result<u64, Answer> {
        let (by, to, contents) = self.traded(holder, trade)?;
        let operation = self.resolved(trade)?;
        let would = self.world().dry_run(&operation).map(|_| ());
        would.map_err(|refusal| self.answer_to(refusal))?;
        self.offers.next += 1;
        let id = self.offers.next;
        let offer = Offer { id, by, to, trade: trade.to_string() };
        self.offers.open.insert(id, (offer, trade.clone(), contents));
        Ok(id)
    }

    /// The other holder accepts an offer, and the trade is applied as one. An offer that is refused
    /// is closed.
    ///
    /// # Errors
    /// [`Reason::Unknown`] without such an offer, [`Reason::NotAllowed`] for anyone but its
    /// recipient, [`Reason::Stale`] if one of the two no longer has what it had of the traded kinds,
    /// or the refusal of the trade.
    pub fn accept(&mut self, holder: &str, offer: u64) -> Result<(crate::Outcome, Replies), Answer> {
        let Some((known, ..)) = self.offers.open.get(&offer) else {
            return Err(refused(Reason::Unknown, format!("offer {offer} is not open")));
        };
        if known.to != holder {
            return Err(refused(Reason::NotAllowed, format!("only {} may accept offer {offer}", known.to)));
        }
        let Some((known, trade, contents)) = self.offers.open.remove(&offer) else {
            return Err(refused(Reason::Unknown, format!("offer {offer} is not open")));
        };
        let (.., now) = self.traded(&known.by, &trade)?;
        if now != contents {
            return Err(self.answer_to(Refusal::new(Cause::Stale)));
        }
        let operation = self.resolved(&trade)?;
        match self.perform(&operation) {
            Ok((outcome, replies)) => Ok((outcome, Replies { offers: Some(self.open_offers()), ..replies })),
            Err(refusal) => Err(self.answer_to(refusal)),
        }
    }

    /// One of the two holders closes an offer. False if it is not open, or not theirs.
    pub fn withdraw(&mut self, holder: &str, offer: u64) -> bool {
        let is_theirs =
            self.offers.open.get(&offer).is_some_and(|(known, ..)| known.by == holder || known.to == holder);
        is_theirs && self.offers.open.remove(&offer).is_some()
    }

    /// The message with all open offers.
    #[must_use]
    pub fn open_offers(&self) -> ToClient {
        ToClient::Offers { offers: self.offers().cloned().collect() }
    }

    /// Handles a message about an offer, of a connection that acts for a holder.
    pub(super) fn receive_offer(&mut self, holder: &str, made: Result<&NamedOperation, u64>) -> Replies {
        let answered = match made {
            Ok(trade) => self.offer(holder, trade).map(|_| Replies::default()),
            Err(offer) => self.accept(holder, offer).map(|(_, replies)| replies),
        };
        let offers = Some(self.open_offers());
        match answered {
            Ok(replies) => Replies { offers, ..replies },
            Err(answer) => {
                let to_sender = vec![ToClient::Answer { undone: self.undone(), id: None, answer }];
                Replies { to_all: None, to_sender, offers }
            }
        }
    }

    fn resolved(&self, trade: &NamedOperation) -> Result<Operation, Answer> {
        trade.resolve(self.world()).map_err(|error| refused(Reason::Unknown, error.to_string()))
    }

    /// The holder that offers, the other one, and what both have of the traded kinds.
    fn traded(&self, holder: &str, trade: &NamedOperation) -> Result<(String, String, Contents), Answer> {
        let no_trade = || refused(Reason::Unknown, format!("`{trade}` is no trade"));
        let NamedAction::Trade { one, other } = &trade.action else { return Err(no_trade()) };
        let (first, second) = (one.of.to_string(), other.of.to_string());
        let to = match (first == holder, second == holder) {
            (true, _) => second,
            (_, true) => first,
            _ => return Err(refused(Reason::NotAllowed, format!("{holder} is not one of the two"))),
        };
        let operation = self.resolved(trade)?;
        let Action::Trade { one, other } = &operation.action else { return Err(no_trade()) };
        let contents = [contents(self.world(), one), contents(self.world(), other)];
        Ok((holder.to_owned(), to, contents))
    }

    fn answer_to(&self, refusal: Refusal) -> Answer {
        self.world().refused(&refusal)
    }
}

fn refused(reason: Reason, text: String) -> Answer {
    Answer::Refused { reason, figures: None, max_amount: 0, step: None, text }
}

/// What a side has of the kind that it gives.
fn contents(world: &World, side: &Offered) -> BTreeMap<String, u64> {
    let mut found = BTreeMap::new();
    for stack in world.all_stacks_in(Some(side.of.into())) {
        if stack.kind().handle() == side.kind {
            let marks: Vec<&str> = stack.marks().collect();
            let properties = stack.changed_properties().map(|(name, value)| format!("{name} {value}"));
            let item = marks.into_iter().map(str::to_owned).chain(properties).collect::<Vec<_>>().join(", ");
            *found.entry(item).or_default() += u64::from(stack.count());
        }
    }
    found
}
