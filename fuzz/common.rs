//! What must hold of every save that can be read.

use std::sync::{Arc, LazyLock};

use hypotheke::save::{Save, RulesetInfo, Trust};
use hypotheke::snapshot::Orphan;
use hypotheke::{Ruleset, Snapshot, World, audit};

fn rules(text: &[u8]) -> Arc<Ruleset> {
    let table = |name: &str| Ok((name.to_owned(), include_bytes!("../crates/hypotheke-cli/demo/items.csv").to_vec()));
    Arc::new(Ruleset::from_bytes("rules.toml", text.to_vec(), table).expect("the demo's rules"))
}

static AUTUMN: LazyLock<Arc<Ruleset>> =
    LazyLock::new(|| rules(include_bytes!("../crates/hypotheke-cli/demo/earlier/rules-1.toml")));
static PRESENT: LazyLock<Arc<Ruleset>> =
    LazyLock::new(|| rules(include_bytes!("../crates/hypotheke-cli/demo/rules.toml")));

fn items(snapshot: &Snapshot) -> u128 {
    let carried = snapshot.holders.iter().flat_map(|holder| &holder.containers);
    let in_slots = snapshot.containers.iter().chain(carried).flat_map(|it| &it.stacks);
    let in_packs = snapshot.packs.iter().flat_map(|it| &it.stacks);
    let stacks = in_slots.chain(in_packs).map(|lying| &lying.stack);
    let stacks = stacks.chain(snapshot.holders.iter().filter_map(|it| it.hand.as_ref()));
    let stacks = stacks.chain(snapshot.ground.iter().map(|landed| &landed.stack));
    stacks.map(|stack| u128::from(stack.count)).sum::<u128>()
        + snapshot.orphans.iter().map(|orphan| u128::from(Orphan::items(stray))).sum::<u128>()
}

fn is_lawful(world: &World) {
    assert_eq!(world.check_indexes(), vec![]);
}

/// It is written as the same, becomes a world or is refused, and migrates to a different ruleset
/// without losing an item.
pub fn check(save: &Save) {
    let written = Save::read(&save.to_bytes()).expect("what was written");
    assert_eq!(written.snapshot(), save.snapshot());
    assert_eq!(Save::read_with(save.to_json().as_bytes(), Trust::Unchanged).expect("what was written"), written);
    for rules in [&*AUTUMN, &*PRESENT] {
        if RulesetInfo::new(rules).fingerprint == save.rules().fingerprint
            && let Ok(world) = save.world(rules)
        {
            is_lawful(&world);
            assert_eq!(world.snapshot(), *save.snapshot());
            let _ = audit(rules, save.snapshot());
        }
        if let Ok((over, differences)) = save.migrate(rules) {
            assert_eq!(items(over.snapshot()), items(save.snapshot()), "{differences:#?}");
            if let Ok(world) = over.world(rules) {
                is_lawful(&world);
            }
        }
    }
}
