//! The rules of a ruleset in the words of the model.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use hypotheke::{
    Beyond, Cap, Comparison, ContainerDef, Deal, Decimal, DepletedShortcut, Filter, HolderDef, Ingredient, Kind,
    KindId, Literal, Meter, Price, PropertyId, PropertyValue, PutMode, Recipe, Right, Rounding, Ruleset, StackChange,
    WhenFull, WhenUnfit, World,
};

use crate::model::{
    Access, Caps, ChangeEffect, ChangeSpec, ContainerSpec, DealSpec, DealTerms, FallSpec, FilterSpec, KindSpec,
    MeterSpec, Names, RecipeSpec, Rules, SlotSpec, Try,
};

struct Reader<'r> {
    rules: &'r Ruleset,
    names: Names,
    tags: Vec<String>,
    /// Values of properties that are texts stand for themselves, as numbers.
    texts: Vec<String>,
    packs: Vec<String>,
    groups: Vec<String>,
}

/// All but what the model knows nothing of: attributes, encumbrance, requests.
pub(crate) fn rules_of(rules: &Arc<Ruleset>) -> Rules {
    let world = World::empty(rules);
    let sorted = |names: &mut dyn Iterator<Item = String>| names.collect::<BTreeSet<String>>().into_iter().collect();
    let kinds: Vec<String> = sorted(&mut rules.kinds().map(|kind| kind.id().to_owned()));
    let kind = |id: &String| rules.kind(rules.find_kind(id).expect("a kind")).expect("a kind");
    let containers: Vec<_> = world.containers().collect();
    let def = |id: &hypotheke::ContainerId| world.container_def(*id).expect("a definition");
    let own = |id: &hypotheke::ContainerId| {
        let name = world.container_name(*id);
        name.rsplit_once('.').map_or(name.clone(), |(_, own)| own.to_owned())
    };
    let slot_names = |def: &ContainerDef| {
        rules.slot_rules(def).filter_map(|slot| slot.name().map(str::to_owned)).collect::<Vec<_>>()
    };
    let holders: Vec<(&HolderDef, &str)> =
        rules.holders().iter().flat_map(|def| def.instances().map(move |name| (def, name))).collect();
    let mut meters = rules.holders().iter().flat_map(HolderDef::meters).map(|meter| meter.name().to_owned());
    let names = Names {
        labels: kinds.iter().map(|id| kind(id).name().to_owned()).collect(),
        marks: sorted(&mut rules.marks().iter().map(|mark| mark.name().to_owned())),
        properties: sorted(&mut rules.properties().iter().map(|property| property.name().to_owned())),
        slots: sorted(&mut rules.containers().iter().flat_map(slot_names)),
        holders: holders.iter().map(|(_, name)| (*name).to_owned()).collect(),
        holder_definitions: holders.iter().map(|(def, _)| def.id().to_owned()).collect(),
        containers: containers.iter().map(own).collect(),
        definitions: containers.iter().map(|id| def(id).id().to_owned()).collect(),
        lender: None,
        meters: sorted(&mut meters),
        recipes: rules.recipes().iter().map(|recipe| recipe.id().to_owned()).collect(),
        kinds,
    };
    let brought = rules.kinds().filter_map(Kind::pack).map(|def| def.id().to_owned()).collect::<BTreeSet<_>>();
    let tags = rules.tags().iter().map(|tag| tag.name().to_owned()).collect();
    let groups: Vec<String> = sorted(&mut rules.holders().iter().flat_map(HolderDef::groups).map(str::to_owned));
    let groups_of = |holder: &HolderDef| -> BTreeSet<usize> {
        holder.groups().map(|group| Names::find(&groups, group).expect("a group")).collect()
    };
    let groups_of_all = holders.iter().map(|(def, _)| groups_of(def)).collect();
    let packs = brought.into_iter().collect();
    let mut reader = Reader { rules, names, tags, texts: Vec::new(), packs, groups };
    let kinds = reader.names.kinds.clone().iter().map(|id| reader.kind(kind(id))).collect();
    let holder_of = |id: &hypotheke::ContainerId| {
        let holder = world.carrier(*id)?;
        world.holders().position(|known| known == holder)
    };
    let owner = |id: &hypotheke::ContainerId| {
        let owner = def(id).owner()?;
        holders.iter().position(|(_, name)| *name == owner)
    };
    let containers = containers
        .iter()
        .map(|id| ContainerSpec { owner: owner(id), ..reader.container(def(id), holder_of(id)) })
        .collect();
    let pack = |id: &String| rules.containers().iter().find(|def| def.id() == id).expect("a container");
    let packs = reader.packs.clone().iter().map(|id| reader.container(pack(id), None)).collect();
    let bars = holders
        .iter()
        .map(|(def, _)| (def.shortcuts() as usize, def.depleted_shortcuts() == DepletedShortcut::Clear))
        .collect();
    let meter = |meter: &Meter| {
        let [start, min, max] = [meter.start(), meter.min(), meter.max()].map(Decimal::thousandths);
        let number = Names::find(&reader.names.meters, meter.name()).expect("a meter");
        (number, MeterSpec { start, min, max, refuses: meter.beyond() == Beyond::Refuse })
    };
    let meters = holders.iter().map(|(def, _)| def.meters().iter().map(meter).collect()).collect();
    let caps = holders.iter().map(|(def, _)| (def.weight_cap().map(Decimal::thousandths), reader.caps(def.caps())));
    let holders = caps.collect();
    let deals = rules.deals().iter().map(|deal| reader.deal(deal)).collect();
    let recipes = rules.recipes().iter().map(|recipe| reader.recipe(recipe)).collect();
    let changes = rules.changes().iter().map(|change| reader.change(change)).collect();
    let fall = |property: &hypotheke::Property| {
        let falling = property.falls()?;
        let number = Names::find(&reader.names.properties, property.name()).expect("a property");
        let (by, min) = (falling.by().thousandths(), falling.min().thousandths());
        Some((number, FallSpec { by, every: u64::from(falling.every()), min }))
    };
    let falling = rules.properties().iter().filter_map(fall).collect();
    Rules {
        kinds,
        containers,
        packs,
        holders,
        groups: groups_of_all,
        meters,
        bars,
        ground_limit: rules.ground_limit().map(|limit| limit as usize),
        nesting: i64::from(rules.nesting()),
        deals,
        recipes,
        changes,
        falling,
        hand: ContainerSpec::hand(),
        names: reader.names,
    }
}

impl Reader<'_> {
    fn text(&mut self, text: &str) -> i64 {
        let known = Names::find(&self.texts, text).unwrap_or_else(|| {
            self.texts.push(text.to_owned());
            self.texts.len() - 1
        });
        i64::try_from(known).unwrap()
    }

    fn kind(&mut self, kind: Kind<'_>) -> KindSpec {
        let mut properties = BTreeMap::new();
        for (id, value) in kind.properties() {
            let name = self.rules.properties()[id.index()].name();
            let value = match value {
                PropertyValue::Number(number) => number.thousandths(),
                PropertyValue::Text(text) => self.text(text),
            };
            properties.insert(Names::find(&self.names.properties, name).expect("a property"), value);
        }
        let is_so = |tag: &String| kind.has_tag(self.rules.find_tag(tag).expect("a tag"));
        KindSpec {
            weight: kind.weight().thousandths(),
            value: kind.value().thousandths(),
            limit: kind.stack_limit(),
            tags: self.tags.iter().enumerate().filter(|(_, tag)| is_so(tag)).map(|(number, _)| number).collect(),
            is_protected: kind.is_protected(),
            most: kind.max_in_world(),
            properties,
            needs: kind.occupied_slots().map(|name| Names::find(&self.names.slots, name).expect("a slot")).collect(),
            effects: kind.has_use().then(|| {
                let number = |name: &str| Names::find(&self.names.meters, name).expect("a meter");
                kind.effects().map(|(meter, each)| (number(meter), each.thousandths())).collect()
            }),
            lowers: {
                let number = |id: PropertyId| self.rules.properties()[id.index()].name();
                let number = |id| Names::find(&self.names.properties, number(id)).expect("a property");
                kind.lowered().iter().map(|&(id, by)| (number(id), by.thousandths())).collect()
            },
            pack: kind.pack().map(|def| Names::find(&self.packs, def.id()).expect("a pack")),
        }
    }

    fn caps(&mut self, caps: &[Cap]) -> Caps {
        let written: Vec<(String, u32)> =
            self.rules.caps(caps).map(|(filter, count)| (filter.to_owned(), count)).collect();
        written.into_iter().map(|(filter, count)| (self.filter(&filter), count)).collect()
    }

    fn deal(&mut self, deal: &Deal) -> DealSpec {
        let price = |price: &Price| (price.factor.thousandths(), price.round == Rounding::Up);
        let terms = match deal.terms() {
            hypotheke::DealTerms::Lot { gives, takes } => {
                DealTerms::Lot { gives: self.items(gives), takes: self.items(takes) }
            }
            hypotheke::DealTerms::Prices { currency, buy, sell, .. } => {
                let (currency, buy, sell) =
                    (self.kind_number(*currency), buy.as_ref().map(price), sell.as_ref().map(price));
                let of = self.rules.priced_by(deal).expect("a filter").to_owned();
                DealTerms::Prices { of: self.filter(&of), currency, buy, sell }
            }
        };
        let place = |name: &str| Names::find(&self.names.containers, name).expect("a container");
        DealSpec {
            at: deal.at().map(place).collect(),
            by: self.access(deal.by()),
            terms,
            coins_to: deal.coins_to().map(place),
            use_nobody: deal.uses_nobody(),
        }
    }

    fn change(&mut self, change: &StackChange) -> ChangeSpec {
        let mark = |id: hypotheke::MarkId| self.rules.marks()[id.index()].name();
        let effect = match change.effect() {
            hypotheke::ChangeEffect::Becomes(kind) => ChangeEffect::Becomes(self.kind_number(kind)),
            hypotheke::ChangeEffect::Marks(id) => {
                ChangeEffect::Marks(Names::find(&self.names.marks, mark(id)).expect("a mark"))
            }
            _ => ChangeEffect::Removes,
        };
        ChangeSpec { when: self.filter(change.when()), effect }
    }

    fn recipe(&mut self, recipe: &Recipe) -> RecipeSpec {
        // Those that holders carry have the name of their definition.
        let places = |name: &str| {
            let own = self.names.containers.iter().zip(&self.names.definitions).enumerate();
            let found = own.filter(|(_, (own, definition))| *own == name || *definition == name);
            found.map(|(number, _)| number).collect::<Vec<_>>()
        };
        RecipeSpec {
            at: recipe.at().flat_map(places).collect(),
            in_packs: recipe.at().filter_map(|name| Names::find(&self.packs, name)).collect(),
            by: self.access(recipe.by()),
            inputs: self.ingredients(recipe.inputs()),
            pattern: recipe.pattern().map(|pattern| {
                let cells = pattern.rows().flatten().map(|input| input.map(|input| input as usize));
                (pattern.columns() as usize, cells.collect(), pattern.is_mirrored())
            }),
            tools: self.ingredients(recipe.tools()),
            outputs: self.items(recipe.outputs()),
            yields: recipe.yields().iter().map(|one| (one.weight(), self.items(one.outputs()))).collect(),
            outputs_to: recipe.outputs_to().map(|to| Names::find(&self.names.containers, to).expect("a container")),
            is_loot: recipe.is_loot(),
            duration: recipe.duration().unwrap_or(0),
            holds: recipe.when_full() == WhenFull::Hold,
            is_automatic: recipe.is_automatic(),
        }
    }

    fn ingredients(&mut self, ingredients: &[Ingredient]) -> Vec<(FilterSpec, u32)> {
        ingredients.iter().map(|it| (self.filter(it.of_text()), it.count())).collect()
    }

    fn kind_number(&self, id: KindId) -> usize {
        let id = self.rules.kind(id).expect("a kind").id();
        Names::find(&self.names.kinds, id).expect("a kind")
    }

    fn items(&self, items: &[(KindId, u32)]) -> Vec<(usize, u32)> {
        items.iter().map(|&(id, count)| (self.kind_number(id), count)).collect()
    }

    fn container(&mut self, def: &ContainerDef, holder: Option<usize>) -> ContainerSpec {
        let rules = self.rules;
        let ruled = rules.slot_rules(def).map(|slot| SlotSpec {
            name: slot.name().map(|name| Names::find(&self.names.slots, name).expect("a slot")),
            filter: slot.admits().map(|filter| self.filter(filter)),
            limit: slot.stack_limit(),
            put: self.access(slot.access(Right::Put)),
            take: self.access(slot.access(Right::Take)),
        });
        let ruled = ruled.collect();
        let way = |mode: &PutMode| match mode {
            PutMode::Place => Try::Place,
            PutMode::Merge => Try::Merge,
            PutMode::Swap => Try::Swap,
        };
        let (at_min, most) = def.slot_bounds();
        ContainerSpec {
            slots: def.slots() as usize,
            ruled,
            limit: def.stack_limit(),
            cap: def.weight_cap().map(Decimal::thousandths),
            filter: rules.admits(def).map(|filter| self.filter(filter)),
            deep: def.is_deep(),
            ejects_unfit: def.when_unfit() == WhenUnfit::Eject,
            worn: def.is_worn(),
            holder,
            put: self.access(def.access(Right::Put)),
            take: self.access(def.access(Right::Take)),
            open: self.access(def.access(Right::Open)),
            owner: None,
            caps: self.caps(def.caps()),
            on_put: def.on_put().iter().map(way).collect(),
            reserved_first: def.is_reserved_first(),
            must_open: def.must_be_opened(),
            exclusive: def.is_exclusive(),
            columns: def.columns() as usize,
            bounds: (at_min as usize, most as usize),
        }
    }

    fn access(&self, access: &hypotheke::Access) -> Access {
        match access {
            hypotheke::Access::Anyone => Access::Anyone,
            hypotheke::Access::Nobody => Access::Nobody,
            hypotheke::Access::Surrounding => Access::Around,
            hypotheke::Access::Listed(list) => Access::Listed {
                owner: list.owner,
                holders: list
                    .holders
                    .iter()
                    .map(|name| Names::find(&self.names.holders, name).expect("a holder"))
                    .collect(),
                groups: list.groups.iter().map(|name| Names::find(&self.groups, name).expect("a group")).collect(),
            },
        }
    }

    fn filter(&mut self, text: &str) -> FilterSpec {
        let filter: Filter = text.parse().unwrap_or_else(|error| panic!("{text}: {error}"));
        self.part(&filter)
    }

    fn part(&mut self, filter: &Filter) -> FilterSpec {
        let not = |part| FilterSpec::Not(Box::new(part));
        let and = |a, b| FilterSpec::And(Box::new(a), Box::new(b));
        let or = |a, b| FilterSpec::Or(Box::new(a), Box::new(b));
        match filter {
            Filter::Name(name) => {
                let name = name.as_str();
                let kind = Names::find(&self.names.kinds, name).map(FilterSpec::Kind);
                let mark = || Names::find(&self.names.marks, name).map(FilterSpec::Mark);
                let tag = || Names::find(&self.tags, name).map(FilterSpec::Tag);
                kind.or_else(mark).or_else(tag).expect("a name")
            }
            Filter::Not(part) => not(self.part(part)),
            Filter::And(parts) => parts.iter().map(|part| self.part(part)).reduce(and).expect("parts"),
            Filter::Or(parts) => parts.iter().map(|part| self.part(part)).reduce(or).expect("parts"),
            Filter::Compare(name, comparison, literal) => {
                let property = Names::find(&self.names.properties, name.as_str()).expect("a property");
                let value = match literal {
                    Literal::Number(number) => number.thousandths(),
                    Literal::Text(text) => self.text(text),
                };
                let at_min = |value| FilterSpec::PropertyAtLeast(property, value);
                let listed = at_min(i64::MIN);
                match comparison {
                    Comparison::AtLeast => at_min(value),
                    Comparison::More => at_min(value + 1),
                    Comparison::Less => and(listed, not(at_min(value))),
                    Comparison::AtMost => and(listed, not(at_min(value + 1))),
                    Comparison::Equal => and(at_min(value), not(at_min(value + 1))),
                    Comparison::NotEqual => and(listed, or(not(at_min(value)), at_min(value + 1))),
                }
            }
        }
    }
}
