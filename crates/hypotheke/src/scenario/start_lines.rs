//! The contents of a world, as lines of a scenario.

use super::checks::item_text;
use crate::id::ContainerId;
use crate::world::{Place, StackView, World};

/// Some items of a kind in a place, as a scenario writes them.
#[derive(Clone, Debug)]
pub(crate) struct Lying {
    pub(crate) place: String,
    pub(crate) count: u32,
    /// The kind with its marks and properties.
    pub(crate) what: String,
}

impl Lying {
    pub(crate) fn of(world: &World, stack: StackView<'_>) -> Option<Lying> {
        let place = match world.place_of(stack.id())? {
            Place::OnGround(_) => Place::Ground,
            place => place,
        };
        Some(Lying { place: world.place_name(place), count: stack.count(), what: item_text(stack) })
    }
}

/// As the lines of a start: each place once.
pub(crate) fn lines(lying: &[Lying]) -> Vec<String> {
    let in_one_place = lying.chunk_by(|one, other| one.place == other.place);
    let line = |there: &[Lying]| {
        let contents: Vec<String> = there.iter().map(|it| format!("{} {}", it.count, it.what)).collect();
        format!("{}: {}", there[0].place, contents.join(", "))
    };
    in_one_place.map(line).collect()
}

/// The contents of a world as lines of a start: `sled/0: 2 fuel-drum`. Ids, shortcuts, meters, the
/// clock and recipes in work are not a part of it.
///
/// ```
/// use hypotheke::scenario::start_lines;
/// use hypotheke::{Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |flare| flare.stack_limit(6))
///     .container("sled", |sled| sled.slots(2))
///     .start("sled", ["8 flare"])
///     .build()?;
/// assert_eq!(start_lines(&World::new(&rules.into())), ["sled/0: 6 flare", "sled/1: 2 flare"]);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[must_use]
pub fn start_lines(world: &World) -> Vec<String> {
    let lying: Vec<Lying> = world.all_stacks_in(None).into_iter().filter_map(|stack| Lying::of(world, stack)).collect();
    lines(&lying)
}

/// The contents of a container as a check has them: `8 flare, 1 rope`, or `nothing`.
#[must_use]
pub fn contents_text(world: &World, container: ContainerId) -> String {
    let mut items: Vec<(String, u64)> = Vec::new();
    for (_, stack) in world.stacks(container) {
        let (what, count) = (item_text(stack), u64::from(stack.count()));
        match items.iter_mut().find(|(known, _)| *known == what) {
            Some((_, before)) => *before += count,
            None => items.push((what, count)),
        }
    }
    let items: Vec<String> = items.into_iter().map(|(what, count)| format!("{count} {what}")).collect();
    if items.is_empty() { "nothing".to_owned() } else { items.join(", ") }
}
