//! What `show --format json` writes. Decimals are texts, so that no reader rounds them.

use std::collections::BTreeMap;

use hypotheke::{
    Access, ContainerId, Deal, DealSide, HolderId, Ingredient, Kind, KindId, Lot, Pattern, Place, Property,
    PropertyValue, Recipe, RecipeId, Right, Ruleset, StackView, World, Yield,
};
use schemars::JsonSchema;
use serde::Serialize;

/// A compiled ruleset with its start.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct ShowJson {
    /// What the designer calls it.
    title: String,
    /// Its version.
    version: u32,
    /// The unit of weights.
    weight_unit: String,
    /// The containers that were requested.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) containers: Option<Vec<ContainerJson>>,
    /// The holders.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) holders: Option<Vec<HolderJson>>,
    /// The item kinds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) kinds: Option<Vec<KindJson>>,
    /// Every setting that is not at its default.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) rules: Option<Vec<SettingJson>>,
    /// Of a save: how many operations were applied.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    revision: Option<u64>,
    /// For a save: the stacks on the ground, in order of arrival.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    ground: Option<Vec<LandedJson>>,
    /// For a save: the number of items set aside as orphans.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    orphans: Option<u64>,
}

/// A setting.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct SettingJson {
    /// For what it is written: `ruleset`, `tag`, `mark`, `property`, `kind`, `container`, `holder`
    /// or `start`.
    subject_type: &'static str,
    /// The name of that; empty for the ruleset.
    subject: String,
    /// Its name.
    setting: String,
    /// What depends on it: `rule`, `start`, `migration`, `claim`, or `label` if only people read
    /// it.
    class: &'static str,
    /// Its value in words.
    value: String,
}

/// Every setting that is not at its default.
pub(crate) fn rules_json(rules: &Ruleset) -> Vec<SettingJson> {
    let settings = rules.settings().into_iter().flat_map(|(subject, settings)| {
        let written = settings.into_iter().filter(|setting| !setting.is_default);
        written.map(move |setting| SettingJson {
            subject_type: subject.kind.word(),
            subject: subject.name.clone(),
            setting: setting.name,
            class: setting.class.word(),
            value: setting.value,
        })
    });
    settings.collect()
}

/// A stack on the ground.
#[derive(Debug, Serialize, JsonSchema)]
struct LandedJson {
    /// To the right, and upwards.
    at: (String, String),
    /// The stack; its slot is the order of arrival.
    stack: StackJson,
}

/// A container with its contents.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct ContainerJson {
    /// As paths write it.
    path: String,
    /// What it is called.
    name: String,
    /// How many slots it has.
    slots: usize,
    /// In how many columns they are drawn.
    columns: u32,
    /// How many of them are empty.
    free_slots: u32,
    /// The weight of its contents.
    weight: String,
    /// The most that it may weigh.
    weight_cap: Option<String>,
    /// The most items of a stack.
    stack_limit: Option<u32>,
    /// What it admits.
    admits: Option<String>,
    /// Whether its contents count as worn.
    worn: bool,
    /// The holder that owns it.
    owner: Option<String>,
    /// Who may put items in; empty for the inside of a pack that has no list of its own.
    put_by: Vec<String>,
    /// Who may take items out.
    take_by: Vec<String>,
    /// Who may open it, and rearrange its contents.
    open_by: Vec<String>,
    /// The most items of what a filter counts.
    caps: Vec<CapJson>,
    /// The slots with rules of their own, from the first on.
    slot: Vec<SlotJson>,
    /// Whether its filter also checks the contents of packs.
    deep: bool,
    /// Whether a holder must have opened it.
    must_open: bool,
    /// Whether one holder at a time uses it.
    exclusive: bool,
    /// The fewest and the most slots that it can have.
    slot_bounds: (u32, u32),
    /// Its deals.
    deals: Vec<DealJson>,
    /// The recipes that are carried out there.
    recipes: Vec<RecipeJson>,
    /// Its contents.
    stacks: Vec<StackJson>,
    /// The recipe that it works on.
    #[serde(skip_serializing_if = "Option::is_none")]
    job: Option<JobJson>,
}

/// A deal of a container.
#[derive(Debug, Serialize, JsonSchema)]
struct DealJson {
    /// Its name.
    name: String,
    /// Who may make it.
    by: Vec<String>,
    /// What is exchanged.
    lots: Vec<LotJson>,
}

/// A recipe of a container.
#[derive(Debug, Serialize, JsonSchema)]
struct RecipeJson {
    /// Its name.
    name: String,
    /// Who may carry it out.
    by: Vec<String>,
    /// What is used up each time.
    inputs: Vec<IngredientJson>,
    /// The arrangement of the inputs; absent if any will do.
    #[serde(skip_serializing_if = "Option::is_none")]
    pattern: Option<PatternJson>,
    /// What must be there besides, and stays.
    tools: Vec<IngredientJson>,
    /// The items that enter the container each time.
    outputs: Vec<ItemsJson>,
    /// What it may make besides; one of them is drawn each time.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    yields: Vec<YieldJson>,
    /// The container that the outputs enter, if that is another one.
    #[serde(skip_serializing_if = "Option::is_none")]
    outputs_to: Option<String>,
    /// Only the game carries it out.
    loot: bool,
    /// The number of ticks that it takes; absent if it takes no time.
    #[serde(skip_serializing_if = "Option::is_none")]
    duration: Option<u32>,
    /// `refuse` or `hold`, if it takes time and there is no room for its outputs.
    #[serde(skip_serializing_if = "Option::is_none")]
    when_full: Option<&'static str>,
    /// It starts as soon as its inputs and tools are in the container.
    automatic: bool,
}

/// The arrangement of the inputs of a recipe.
#[derive(Debug, Serialize, JsonSchema)]
struct PatternJson {
    /// Row by row the number of the input in each slot, from 0; null if it is empty.
    rows: Vec<Vec<Option<u32>>>,
    /// It also matches with left and right exchanged.
    mirrored: bool,
}

/// What a recipe may make by chance.
#[derive(Debug, Serialize, JsonSchema)]
struct YieldJson {
    /// Its share of the draws.
    weight: u32,
    /// The items that it makes.
    outputs: Vec<ItemsJson>,
}

/// A recipe that a container works on.
#[derive(Debug, Serialize, JsonSchema)]
struct JobJson {
    /// Its name.
    recipe: String,
    /// How often it is carried out at once.
    times: u32,
    /// The number of ticks until it ends; 0 if it waits for room.
    left: u64,
    /// Which of its yields it makes, from 1 on.
    #[serde(rename = "yield", skip_serializing_if = "Option::is_none")]
    yield_number: Option<u32>,
    /// What the container holds for it, by the slots from which it came.
    stacks: Vec<StackJson>,
}

impl JobJson {
    fn new(world: &World, id: ContainerId) -> Option<JobJson> {
        let job = world.job(id)?;
        Some(JobJson {
            recipe: world.rules().recipe(job.recipe())?.id().to_owned(),
            times: job.times(),
            left: job.left(world.clock()),
            yield_number: job.yield_number(),
            stacks: world.in_work(id).map(|(slot, stack)| StackJson::new(world, stack, slot)).collect(),
        })
    }
}

/// What a holder gets and gives.
#[derive(Debug, Serialize, JsonSchema)]
struct LotJson {
    /// `buy`, or `sell`.
    verb: &'static str,
    /// What the holder gets.
    gets: Vec<ItemsJson>,
    /// What the holder gives.
    gives: Vec<ItemsJson>,
}

/// A number of items.
#[derive(Debug, Serialize, JsonSchema)]
pub(super) struct ItemsJson {
    /// How many.
    count: u64,
    /// The kind.
    kind: String,
}

impl ItemsJson {
    fn listed(rules: &Ruleset, items: &[(KindId, u32)]) -> Vec<ItemsJson> {
        ItemsJson::all(rules, items.iter().map(|&(kind, count)| (kind, u64::from(count))))
    }

    pub(super) fn all(rules: &Ruleset, items: impl Iterator<Item = (KindId, u64)>) -> Vec<ItemsJson> {
        let named =
            items.filter_map(|(kind, count)| Some(ItemsJson { count, kind: rules.kind(kind)?.id().to_owned() }));
        named.collect()
    }
}

/// What a recipe requires.
#[derive(Debug, Serialize, JsonSchema)]
struct IngredientJson {
    /// How many.
    count: u32,
    /// Of which kind, or of what a filter admits.
    of: String,
}

impl IngredientJson {
    fn new(ingredient: &Ingredient) -> IngredientJson {
        IngredientJson { count: ingredient.count(), of: ingredient.of_text().to_owned() }
    }
}

impl PatternJson {
    fn new(pattern: &Pattern) -> PatternJson {
        PatternJson { rows: pattern.rows().map(<[_]>::to_vec).collect(), mirrored: pattern.is_mirrored() }
    }
}

impl YieldJson {
    fn new(rules: &Ruleset, it: &Yield) -> YieldJson {
        YieldJson { weight: it.weight(), outputs: ItemsJson::listed(rules, it.outputs()) }
    }
}

impl RecipeJson {
    fn all(rules: &Ruleset, recipes: impl Iterator<Item = RecipeId>) -> Vec<RecipeJson> {
        recipes.filter_map(|id| Some(RecipeJson::new(rules, rules.recipe(id)?))).collect()
    }

    fn new(rules: &Ruleset, recipe: &Recipe) -> RecipeJson {
        RecipeJson {
            name: recipe.id().to_owned(),
            by: recipe.by().words().into_iter().map(str::to_owned).collect(),
            inputs: recipe.inputs().iter().map(IngredientJson::new).collect(),
            pattern: recipe.pattern().map(PatternJson::new),
            tools: recipe.tools().iter().map(IngredientJson::new).collect(),
            outputs: ItemsJson::listed(rules, recipe.outputs()),
            yields: recipe.yields().iter().map(|it| YieldJson::new(rules, it)).collect(),
            outputs_to: recipe.outputs_to().map(str::to_owned),
            loot: recipe.is_loot(),
            duration: recipe.duration(),
            when_full: recipe.duration().map(|_| recipe.when_full().word()),
            automatic: recipe.is_automatic(),
        }
    }
}

impl DealJson {
    fn new(rules: &Ruleset, deal: &Deal) -> DealJson {
        let items = |items: &[(KindId, u32)]| ItemsJson::listed(rules, items);
        let lot = |(side, lot): (DealSide, Lot)| LotJson {
            verb: side.word(),
            gets: items(&lot.gets),
            gives: items(&lot.gives),
        };
        DealJson {
            name: deal.id().to_owned(),
            by: deal.by().words().into_iter().map(str::to_owned).collect(),
            lots: rules.lots(deal).into_iter().map(lot).collect(),
        }
    }
}

/// A cap by filter.
#[derive(Debug, Serialize, JsonSchema)]
struct CapJson {
    /// The filter.
    of: String,
    /// The maximum number of items.
    count: u32,
    /// The present number of items.
    present: u64,
}

/// The rules of a slot.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct SlotJson {
    /// Its name.
    name: Option<String>,
    /// What it admits.
    admits: Option<String>,
    /// The most items of a stack.
    stack_limit: Option<u32>,
    /// Who may put items in, besides what the container says; empty if the container alone decides.
    put_by: Vec<String>,
    /// Who may take items out, besides what the container says.
    take_by: Vec<String>,
}

/// A stack in a slot.
#[derive(Debug, Serialize, JsonSchema)]
struct StackJson {
    /// The slot, from 0.
    slot: u32,
    /// Its id.
    id: String,
    /// The kind of its items.
    kind: String,
    /// How many they are.
    count: u32,
    /// Its marks.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    marks: Vec<String>,
    /// Those of its properties that differ from the kind's.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    properties: BTreeMap<String, String>,
    /// The contents, if it is a pack.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    inside: Option<Vec<StackJson>>,
}

/// A holder.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct HolderJson {
    /// Its name in the world.
    id: String,
    /// The holder of the ruleset whose copy it is.
    #[serde(skip_serializing_if = "Option::is_none")]
    definition: Option<String>,
    /// What players see.
    name: String,
    /// The groups that it is in.
    groups: Vec<String>,
    /// The containers that it carries, as paths write them.
    carries: Vec<String>,
    /// The weight of everything that it carries.
    weight: String,
    /// The most that it may carry.
    weight_cap: Option<String>,
    /// The highest threshold of weight that it has reached.
    encumbrance: Option<String>,
    /// What is in its hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    hand: Option<StackJson>,
    /// The kinds at which its shortcuts point.
    shortcuts: Vec<Option<String>>,
    /// The attributes from worn items.
    attributes: BTreeMap<String, String>,
    /// Its meters.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    meters: Vec<MeterJson>,
    /// The most items of what a filter counts.
    caps: Vec<CapJson>,
    /// The recipes that it carries out with the items that it has.
    recipes: Vec<RecipeJson>,
}

/// A meter of a holder.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct MeterJson {
    /// What it is called.
    name: String,
    /// Its value.
    value: String,
    /// Its value at first.
    start: String,
    /// The minimum.
    min: String,
    /// The maximum.
    max: String,
    /// What happens at the bounds: `stop` or `refuse`.
    beyond: &'static str,
}

/// An item kind.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct KindJson {
    /// Its id.
    id: String,
    /// What it is called.
    name: String,
    /// Its tags.
    tags: Vec<String>,
    /// The weight of one item.
    weight: String,
    /// The value of one item.
    value: String,
    /// The most items of a stack.
    stack_limit: u32,
    /// Whether it can be neither dropped nor used up.
    is_protected: bool,
    /// The most items in the world.
    #[serde(rename = "most-in-world")]
    max_in_world: Option<u32>,
    /// The slots that it occupies.
    occupies_slots: Vec<String>,
    /// What each item grants who wears it.
    attributes: BTreeMap<String, String>,
    /// The container that it brings along.
    pack: Option<String>,
    /// A note of the designer.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    note: Option<String>,
    /// Its properties with their first values.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    properties: BTreeMap<String, String>,
    /// By how much a use of an item changes each meter of the holder that uses it; nothing without a
    /// use.
    #[serde(rename = "use", default, skip_serializing_if = "Option::is_none")]
    use_effects: Option<BTreeMap<String, String>>,
    /// By how much a use lowers each property of the item, which then stays.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    use_lowers: BTreeMap<String, String>,
    /// Its properties that fall with time.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    falls: BTreeMap<String, FallingJson>,
    /// What becomes of its stacks as soon as a filter admits them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    changes: Vec<ChangeJson>,
}

/// How a property falls with time.
#[derive(Debug, Serialize, JsonSchema)]
struct FallingJson {
    /// By how much.
    by: String,
    /// At each tick that this divides.
    every: u32,
    /// Where it stops.
    min: String,
}

/// A change of stacks.
#[derive(Debug, Serialize, JsonSchema)]
struct ChangeJson {
    /// Its name.
    name: String,
    /// The filter of the stacks that it changes.
    when: String,
    /// What it does, in words.
    effect: String,
}

impl ShowJson {
    pub(crate) fn new(rules: &Ruleset) -> ShowJson {
        ShowJson {
            title: rules.title().to_owned(),
            version: rules.version(),
            weight_unit: rules.weight_unit().to_owned(),
            containers: None,
            holders: None,
            kinds: None,
            rules: None,
            revision: None,
            ground: None,
            orphans: None,
        }
    }

    /// What a save has beside containers and holders.
    pub(crate) fn add_world(&mut self, world: &World) {
        self.revision = Some(world.revision());
        let landed = (0..).zip(world.ground()).map(|(order, (stack, at))| LandedJson {
            at: (at.x.to_string(), at.y.to_string()),
            stack: StackJson::new(world, stack, order),
        });
        self.ground = Some(landed.collect());
        self.orphans = Some(world.orphans().iter().map(hypotheke::snapshot::Orphan::items).sum());
    }
}

fn stacks(world: &World, id: ContainerId) -> Vec<StackJson> {
    world.stacks(id).map(|(slot, stack)| StackJson::new(world, stack, slot)).collect()
}

fn caps(world: &World, place: Place) -> Vec<CapJson> {
    let caps = world.cap_counts(place);
    caps.map(|cap| CapJson { of: cap.of.to_owned(), count: cap.most, present: cap.present }).collect()
}

impl StackJson {
    fn new(world: &World, stack: StackView<'_>, slot: u32) -> StackJson {
        StackJson {
            slot,
            id: stack.id().to_string(),
            kind: stack.kind().id().to_owned(),
            count: stack.count(),
            marks: stack.marks().map(str::to_owned).collect(),
            properties: stack.changed_properties().map(|(name, value)| (name.to_owned(), value.to_string())).collect(),
            inside: stack.inside().map(|inside| stacks(world, inside)),
        }
    }
}

impl ContainerJson {
    pub(crate) fn new(world: &World, id: ContainerId) -> Option<ContainerJson> {
        let (rules, def) = (world.rules(), world.container_def(id)?);
        let name = world.container_name(id);
        let words = |access: &Access| access.words().into_iter().map(str::to_owned).collect::<Vec<String>>();
        let slot = |rule: hypotheke::SlotRule<'_>| SlotJson {
            name: rule.name().map(str::to_owned),
            admits: rule.admits().map(str::to_owned),
            stack_limit: rule.stack_limit(),
            put_by: words(rule.access(Right::Put)),
            take_by: words(rule.access(Right::Take)),
        };
        let who = |right| words(def.access(right));
        Some(ContainerJson {
            path: world.container_name(id),
            name: def.name().to_owned(),
            slots: world.slots(id).len(),
            columns: def.columns(),
            free_slots: world.free_slots(id),
            weight: world.container_weight(id).to_string(),
            weight_cap: def.weight_cap().map(|cap| cap.to_string()),
            stack_limit: def.stack_limit(),
            admits: rules.admits(def).map(str::to_owned),
            worn: def.is_worn(),
            owner: world.owner(id).map(str::to_owned),
            put_by: who(Right::Put),
            take_by: who(Right::Take),
            open_by: who(Right::Open),
            caps: caps(world, Place::Container(id)),
            slot: rules.slot_rules(def).map(slot).collect(),
            deep: def.is_deep(),
            must_open: def.must_be_opened(),
            exclusive: def.is_exclusive(),
            slot_bounds: def.slot_bounds(),
            deals: rules.deals_at(&name).map(|deal| DealJson::new(rules, deal)).collect(),
            recipes: RecipeJson::all(rules, rules.recipes_at(world.station_name(id)?)),
            stacks: stacks(world, id),
            job: JobJson::new(world, id),
        })
    }
}

impl HolderJson {
    pub(crate) fn new(world: &World, id: HolderId) -> Option<HolderJson> {
        let (rules, def) = (world.rules(), world.holder_def(id)?);
        let names = rules.attributes().iter();
        let attributes = names.map(|name| (name.to_string(), world.attribute(id, name).to_string()));
        Some(HolderJson {
            id: world.holder_name(id).to_owned(),
            definition: Some(def.id()).filter(|it| *it != world.holder_name(id)).map(str::to_owned),
            name: def.name().to_owned(),
            groups: def.groups().map(str::to_owned).collect(),
            carries: world.carried(id).map(|id| world.container_name(id)).collect(),
            weight: world.holder_weight(id).to_string(),
            weight_cap: def.weight_cap().map(|cap| cap.to_string()),
            encumbrance: world.encumbrance(id).map(str::to_owned),
            hand: world.hand(id).map(|stack| StackJson::new(world, stack, 0)),
            shortcuts: world
                .shortcuts(id)
                .map(|kind| kind.and_then(|kind| Some(rules.kind(kind)?.id().to_owned())))
                .collect(),
            attributes: attributes.collect(),
            meters: world
                .meters(id)
                .map(|(meter, value)| MeterJson {
                    name: meter.name().to_owned(),
                    value: value.to_string(),
                    start: meter.start().to_string(),
                    min: meter.min().to_string(),
                    max: meter.max().to_string(),
                    beyond: meter.beyond().word(),
                })
                .collect(),
            caps: caps(world, Place::Holder(id)),
            recipes: RecipeJson::all(rules, rules.own_recipes()),
        })
    }
}

impl KindJson {
    pub(crate) fn new(rules: &Ruleset, kind: Kind<'_>) -> KindJson {
        let property = |(property, first): (hypotheke::PropertyId, PropertyValue<'_>)| {
            let value = match first {
                PropertyValue::Number(number) => number.to_string(),
                PropertyValue::Text(text) => text.to_owned(),
            };
            (rules.properties()[property.index()].name().to_owned(), value)
        };
        KindJson {
            id: kind.id().to_owned(),
            name: kind.name().to_owned(),
            tags: kind.tags().map(str::to_owned).collect(),
            weight: kind.weight().to_string(),
            value: kind.value().to_string(),
            stack_limit: kind.stack_limit(),
            is_protected: kind.is_protected(),
            max_in_world: kind.max_in_world(),
            occupies_slots: kind.occupied_slots().map(str::to_owned).collect(),
            attributes: kind.attributes().map(|(name, each)| (name.to_owned(), each.to_string())).collect(),
            pack: kind.pack().map(|def| def.id().to_owned()),
            note: Some(kind.note()).filter(|note| !note.is_empty()).map(str::to_owned),
            properties: kind.properties().map(property).collect(),
            use_effects: kind
                .has_use()
                .then(|| kind.effects().map(|(meter, each)| (meter.to_owned(), each.to_string())).collect()),
            use_lowers: kind
                .lowered()
                .iter()
                .map(|(property, by)| (rules.properties()[property.index()].name().to_owned(), by.to_string()))
                .collect(),
            falls: kind.properties().filter_map(|(property, _)| falls(&rules.properties()[property.index()])).collect(),
            changes: rules
                .changes_of(kind.handle())
                .map(|change| ChangeJson {
                    name: change.id().to_owned(),
                    when: change.when().to_owned(),
                    effect: rules.effect_text(change),
                })
                .collect(),
        }
    }
}

fn falls(property: &Property) -> Option<(String, FallingJson)> {
    let falling = property.falls()?;
    let (by, min) = (falling.by().to_string(), falling.min().to_string());
    Some((property.name().to_owned(), FallingJson { by, every: falling.every(), min }))
}
