//! merge: a stack goes onto an alike one, up to the limit; what is over stays. Onto what is empty
//! or not alike: refused.

use super::Planned;
use super::carry::{Going, Request, WithoutNumber};
use super::draft::{Draft, Onto};
use super::target::Target;
use crate::language::Amount;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, amount: Amount, from: Place, onto: Place) -> Planned {
    let (source, target) = (draft.slot(from)?, draft.slot(onto)?);
    let request = Request { amount, kind: None, from, without_number: WithoutNumber::WhatFits };
    if source == target {
        return draft.stay(request);
    }
    draft.lay_onto(Onto::Alike);
    draft.carry(request, Going::To(Target::Slot(target)))
}
