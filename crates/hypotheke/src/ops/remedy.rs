//! What would have to change for a check to pass, in words.

use super::refusal::{Cause, Unknown};
use crate::quantity::Decimal;
use crate::world::{Place, World};

impl World {
    /// What it would take for a reason to hold no more: `24 kg less in sled, or a weight cap of 204 kg`. None where there is
    /// nothing to say but that it is so.
    #[must_use]
    pub fn remedy(&self, cause: Cause) -> Option<String> {
        let name = |place: Place| self.place_name(place);
        Some(match cause {
            Cause::WeightCap { of, would, cap } => {
                let over = would.thousandths().saturating_sub(cap.thousandths());
                let less = self.rules().weight_text(Decimal::from_thousandths(over));
                format!("{less} less in {}, or a weight cap of {}", name(of), self.rules().weight_text(would))
            }
            Cause::Cap { of, would, count, .. } => {
                format!("{} fewer of them in {}, or a cap of {would}", would - u64::from(count), name(of))
            }
            // A pack is a stack of one, whatever the limits.
            Cause::StackLimit { at, would, limit, kind }
                if self.rules().kind(kind).is_some_and(|kind| kind.pack().is_some()) =>
            {
                format!("{} fewer in {}", would - u64::from(limit), name(at))
            }
            Cause::StackLimit { at, would, limit, .. } => {
                format!("{} fewer in {}, or a stack limit of {would}", would - u64::from(limit), name(at))
            }
            Cause::NoRoom { at: at @ Place::Slot(..), .. } => {
                format!("{} to be empty (`swap` exchanges what lies there)", name(at))
            }
            Cause::NoRoom { at, requested, room } => {
                format!("room for {} more in {}", requested.saturating_sub(room), name(at))
            }
            Cause::NotEnough { at, requested, there } => {
                format!("{} more in {}", requested.saturating_sub(there), name(at))
            }
            Cause::EmptySource(at) => format!("something of it in {}", name(at)),
            Cause::NotOpen(at) => format!("whoever acts to open {} first", name(at)),
            Cause::InUse { at, by } => format!("{} to close {} first", self.holder_name(by), name(at)),
            Cause::NotEmpty(at) => format!("{} to be emptied first", name(at)),
            Cause::NotAdmitted { by, .. } => format!("another filter of {}, or something else to lay there", name(by)),
            Cause::NoPut(of) => format!("{} to let things in (`put = true`)", name(of)),
            Cause::NoTake(of) => format!("{} to let things out (`take = true`)", name(of)),
            Cause::TooDeep { would, .. } => format!("a nesting of {would}, or fewer packs in each other"),
            Cause::BlockedSlot(at) => format!("{} and the further slots that it needs to be free", name(at)),
            Cause::Protected(kind) => format!("{} not to be kept (`protected = false`)", self.kind_name(kind)),
            Cause::Unknown(Unknown::Actor) => "a holder that acts, such as `surveyor lifts …`".to_owned(),
            Cause::OutOfBounds { least, most, .. } => format!("a number of slots from {least} to {most}"),
            Cause::Stale
            | Cause::Arrived
            | Cause::Revision { .. }
            | Cause::RequestIdTaken
            | Cause::TooManySteps { .. }
            | Cause::TooManyChanges { .. }
            | Cause::Unknown(_)
            | Cause::BadAmount
            | Cause::Overflow
            | Cause::AlwaysOpen(_)
            | Cause::InsideItself(_) => return None,
        })
    }
}
