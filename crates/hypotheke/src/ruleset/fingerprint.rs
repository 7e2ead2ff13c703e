//! A digest of what a ruleset means: of every rule, by names, each list in an order of its own.
//!
//! Saves keep it, so its lines never change. A rule that a later version of the program adds gets a
//! line only where it is not at its default; the words are written out here, whatever the types are
//! called.
//!
//! Parts without effect on operations are left out: notes, labels, columns, the title, the version,
//! the start.

use std::collections::BTreeSet;
use std::fmt::Display;

use crate::id::KindId;

use super::{
    Access, Cap, ContainerDef, Deal, DealTerms, DepletedShortcut, FilterId, GroupDef, HolderDef, Ingredient, Kind,
    Mark, Price, Property, PropertyValue, PutMode, Recipe, Right, Ruleset, WhenUnfit,
};

// The first words of these keys: other words would change the fingerprint in every save.
const WHEN_UNFIT: &str = "misfits"; // plain-ok: a word of format 1
const ENCUMBRANCE: &str = "burden"; // plain-ok: a word of format 1

/// Sixteen hexadecimal digits.
pub(crate) fn fingerprint(rules: &Ruleset) -> String {
    let lines = lines(rules, rules.containers(), rules.holders());
    let mut digest = Digest::default();
    lines.iter().for_each(|line| digest.add(line));
    format!("{:016x}", digest.0)
}

/// Whether two rulesets differ only in the values of weight caps and caps by filter, with equal
/// numbering, so that a world of one can continue under the other without any lookup.
pub(crate) fn differ_in_caps_only(one: &Ruleset, other: &Ruleset) -> bool {
    let numbering = |rules: &Ruleset| {
        let names = |names: &mut dyn Iterator<Item = &str>| names.map(str::to_owned).collect::<Vec<_>>();
        let caps: Vec<String> = rules.cap_filters.iter().map(|&of| filter(rules, Some(of))).collect();
        let lists = [
            names(&mut rules.kinds().map(Kind::id)),
            names(&mut rules.marks().iter().map(Mark::name)),
            names(&mut rules.properties().iter().map(Property::name)),
            names(&mut rules.containers().iter().map(ContainerDef::id)),
            names(&mut rules.holders().iter().map(HolderDef::id)),
            caps,
        ];
        (rules.version(), lists)
    };
    let without_caps = |rules: &Ruleset| {
        let (mut containers, mut holders) = (rules.containers().to_vec(), rules.holders().to_vec());
        containers.iter_mut().for_each(|def| def.weight_cap = i64::MAX);
        holders.iter_mut().for_each(|def| (def.own_weight_cap, def.weight_cap) = (i64::MAX, i64::MAX));
        let caps = containers.iter_mut().flat_map(|def| &mut def.caps);
        caps.chain(holders.iter_mut().flat_map(|def| &mut def.caps)).for_each(|cap| cap.count = 0);
        lines(rules, &containers, &holders)
    };
    numbering(one) == numbering(other) && without_caps(one) == without_caps(other)
}

fn lines(rules: &Ruleset, containers: &[ContainerDef], holders: &[HolderDef]) -> BTreeSet<String> {
    let mut lines: BTreeSet<String> = BTreeSet::new();
    lines.insert(format!(
        "ruleset nesting {} ground-limit {:?} request-window {}",
        rules.nesting(),
        rules.ground_limit(),
        rules.request_window()
    ));
    lines.extend(rules.marks().iter().map(|mark| format!("mark {}", mark.name())));
    lines.extend(rules.kinds().map(|kind| kind_line(rules, kind)));
    lines.extend(containers.iter().map(|def| container_line(rules, def)));
    lines.extend(holders.iter().map(|def| holder_line(rules, def)));
    lines.extend(rules.deals().iter().map(|deal| deal_line(rules, deal)));
    lines.extend(rules.recipes().iter().map(|recipe| recipe_line(rules, recipe)));
    lines.extend(rules.changes().iter().map(|it| format!("change when {} {}", it.when(), rules.effect_text(it))));
    lines.extend(
        rules.falling().iter().map(|(id, falling)| format!("property {} falls {falling}", rules.property(*id).name())),
    );
    let groups = rules.groups().iter().filter(|group| group.has_rules());
    lines.extend(groups.map(|group| group_line(rules, group)));
    lines
}

/// The hash FNV-1a of 64 bits, by its published constants: the same everywhere, and not meant to
/// withstand an attacker.
struct Digest(u64);

impl Default for Digest {
    fn default() -> Digest {
        Digest(0xcbf2_9ce4_8422_2325)
    }
}

impl Digest {
    fn add(&mut self, line: &str) {
        for byte in line.bytes().chain([b'\n']) {
            self.0 = (self.0 ^ u64::from(byte)).wrapping_mul(0x0000_0100_0000_01b3);
        }
    }
}

fn sorted(items: impl Iterator<Item = impl Display>) -> String {
    let described: BTreeSet<String> = items.map(|item| item.to_string()).collect();
    described.into_iter().collect::<Vec<_>>().join(", ")
}

fn in_order(items: impl Iterator<Item = impl Display>) -> String {
    items.map(|item| item.to_string()).collect::<Vec<_>>().join(", ")
}

fn kind_line(rules: &Ruleset, kind: Kind<'_>) -> String {
    let properties = kind.properties().map(|(id, value)| {
        let name = rules.properties()[id.index()].name();
        match value {
            PropertyValue::Number(number) => format!("{name} {number}"),
            PropertyValue::Text(text) => format!("{name} {text:?}"),
        }
    });
    let effects = kind.effects().map(|(meter, number)| format!("{meter} {number}"));
    let lowers = kind.lowered().iter().map(|(id, by)| format!(" lowers {} {by}", rules.property(*id).name()));
    let use_of = match kind.has_use() {
        true => format!(" use [{}]{}", in_order(effects), lowers.collect::<String>()),
        false => String::new(),
    };
    let most = kind.max_in_world().map(|most| format!(" most-in-world {most}")).unwrap_or_default();
    format!(
        "kind {} weight {} value {} stack-limit {} keep {} tags [{}] needs [{}] pack {:?} attributes [{}] properties [{}]{most}{use_of}",
        kind.id(),
        kind.weight(),
        kind.value(),
        kind.stack_limit(),
        kind.is_protected(),
        sorted(kind.tags()),
        sorted(kind.occupied_slots()),
        kind.pack().map(ContainerDef::id),
        sorted(kind.attributes().map(|(name, number)| format!("{name} {number}"))),
        sorted(properties),
    )
}

fn filter(rules: &Ruleset, filter: Option<FilterId>) -> String {
    filter.map_or_else(|| "everything".to_owned(), |filter| format!("`{}`", rules.filter(filter).written()))
}

fn caps(rules: &Ruleset, caps: &[Cap]) -> String {
    sorted(caps.iter().map(|cap| format!("{} of {}", cap.count, filter(rules, Some(cap.of)))))
}

fn container_line(rules: &Ruleset, def: &ContainerDef) -> String {
    let slots = def.ruled.iter().map(|slot| {
        let line =
            format!("{:?} limit {} admits {}", slot.name.as_deref(), slot.stack_limit, filter(rules, slot.admits));
        let borders = [Right::Put, Right::Take].into_iter().zip(&slot.access);
        let borders = borders.filter(|(_, access)| **access != Access::Surrounding);
        let borders =
            borders.map(|(right, access)| format!(" {} [{}]", right.key(), sorted(access.words().into_iter())));
        line + &borders.collect::<String>()
    });
    let line = format!(
        "container {} slots {} bounds {:?} instances [{}] worn {} stack-limit {:?} weight-cap {:?} put {} take {} deep {} \
         reserved-first {} must-open {} exclusive {} {WHEN_UNFIT} {} on-put [{}] admits {} caps [{}] slot [{}]",
        def.id(),
        def.slots(),
        def.slot_bounds(),
        sorted(def.instances()),
        def.is_worn(),
        def.stack_limit(),
        def.weight_cap().map(|cap| cap.to_string()),
        *def.access(Right::Put) != Access::Nobody,
        *def.access(Right::Take) != Access::Nobody,
        def.is_deep(),
        def.is_reserved_first(),
        def.must_be_opened(),
        def.is_exclusive(),
        match def.when_unfit() {
            WhenUnfit::Stay => "Stay",
            WhenUnfit::Eject => "Leave",
        },
        in_order(def.on_put().iter().map(|way| match way {
            PutMode::Place => "Place",
            PutMode::Merge => "Merge",
            PutMode::Swap => "Swap",
        })),
        filter(rules, def.admits),
        caps(rules, def.caps()),
        in_order(slots),
    );
    let said = Right::ALL.into_iter().filter(|&right| {
        let access = def.access(right);
        let is_said_before = *access == Access::Nobody && right != Right::Open;
        !is_said_before && *access != def.default_access()
    });
    let said = said.map(|right| format!(" {} [{}]", right.key(), sorted(def.access(right).words().into_iter())));
    let owner = def.owner().map(|owner| format!(" owner {owner}"));
    line + &said.chain(owner).collect::<String>()
}

fn holder_line(rules: &Ruleset, def: &HolderDef) -> String {
    let line = format!(
        "holder {} carries [{}] weight-cap {:?} {ENCUMBRANCE} [{}] shortcuts {} spent {} caps [{}]",
        def.id(),
        in_order(def.carries().iter().map(|&id| rules.container(id).id().to_owned())),
        def.own_weight_cap().map(|cap| cap.to_string()),
        in_order(def.encumbrance().map(|(from, label)| format!("{label} from {from}"))),
        def.shortcuts(),
        match def.depleted_shortcuts() {
            DepletedShortcut::Clear => "Clear",
            DepletedShortcut::Keep => "Keep",
        },
        caps(rules, def.own_caps()),
    );
    let meters = def.meters().iter().map(|it| {
        format!(" meter {} {} of {} to {} beyond {}", it.name(), it.start(), it.min(), it.max(), it.beyond().word())
    });
    let line = line + &meters.collect::<String>();
    let groups = sorted(def.groups());
    let line = if groups.is_empty() { line } else { format!("{line} groups [{groups}]") };
    let copies = in_order(def.instances().map(str::to_owned));
    if copies == def.id() { line } else { format!("{line} copies [{copies}]") }
}

fn deal_line(rules: &Ruleset, deal: &Deal) -> String {
    let price = |price: &Option<Price>| price.map(|price| format!("{} {}", price.factor, price.round.word()));
    let terms = match deal.terms() {
        DealTerms::Lot { gives, takes } => format!("gives [{}] takes [{}]", items(rules, gives), items(rules, takes)),
        DealTerms::Prices { of, currency, buy, sell } => {
            let (of, currency) = (filter(rules, Some(of.0)), rules.known_kind(*currency).id());
            format!("of {of} currency {currency} buy {:?} sell {:?}", price(buy), price(sell))
        }
    };
    let by = sorted(deal.by().words().into_iter());
    let (at, coins_to, nobody) = (sorted(deal.at()), deal.coins_to(), deal.uses_nobody());
    format!("deal {} at [{at}] by [{by}] {terms} coins-to {coins_to:?} use-nobody {nobody}", deal.id())
}

fn items(rules: &Ruleset, items: &[(KindId, u32)]) -> String {
    sorted(items.iter().map(|&(id, count)| format!("{count} {}", rules.known_kind(id).id())))
}

/// What filters admit may overlap, so that the order decides; outputs are placed in their order.
fn recipe_line(rules: &Ruleset, recipe: &Recipe) -> String {
    let (at, by) = (sorted(recipe.at()), sorted(recipe.by().words().into_iter()));
    let ordered = |list: &[Ingredient]| list.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    let (inputs, tools) = (ordered(recipe.inputs()), ordered(recipe.tools()));
    let made = |items: &[(KindId, u32)]| {
        let items = items.iter().map(|&(id, count)| format!("{count} {}", rules.known_kind(id).id()));
        items.collect::<Vec<_>>().join(", ")
    };
    let outputs = made(recipe.outputs());
    let yields = recipe.yields().iter().map(|one| format!(" yields [{}: {}]", one.weight(), made(one.outputs())));
    let yields: String = yields.collect();
    let loot = if recipe.is_loot() { " loot" } else { "" };
    // Where a pattern lies depends on the columns of the container.
    let columns = |name: &str| {
        let is_it = |def: &&ContainerDef| def.id() == name || def.instances().any(|it| it == name);
        rules.containers().iter().find(is_it).map(|def| format!("{} in {name}", def.columns()))
    };
    let pattern = recipe.pattern().map(|pattern| {
        let cells = pattern.text(|input| input.to_string());
        let mirrored = if pattern.is_mirrored() { " mirrored" } else { "" };
        format!(" pattern [{cells}]{mirrored} columns [{}]", sorted(recipe.at().filter_map(columns)))
    });
    let pattern = pattern.unwrap_or_default();
    let takes = recipe.duration().map(|ticks| format!(" takes {ticks}, {} when full", recipe.when_full().word()));
    let takes = takes.unwrap_or_default();
    let outputs_to = recipe.outputs_to().map(|to| format!(" outputs-to {to}")).unwrap_or_default();
    let automatic = if recipe.is_automatic() { " automatic" } else { "" };
    format!(
        "recipe {} at [{at}] by [{by}] inputs [{inputs}] tools [{tools}] outputs [{outputs}]{pattern}{yields}{outputs_to}{loot}{takes}{automatic}",
        recipe.id()
    )
}

fn group_line(rules: &Ruleset, group: &GroupDef) -> String {
    let weight_cap = group.weight_cap().map(|cap| cap.to_string());
    format!("group {} weight-cap {weight_cap:?} caps [{}]", group.id(), caps(rules, group.caps()))
}
