//! Access lists that shut everybody out.

use crate::ruleset::access::{Access, Right};
use crate::ruleset::places::{ContainerDef, HolderDef};
use crate::ruleset::view::Ruleset;
use crate::text::{Diagnostic, Location};

/// Containers in the world that start empty and that nobody can put anything into.
pub(super) fn never_filled(rules: &Ruleset) -> Vec<Diagnostic> {
    let starts_with = |def: &ContainerDef| {
        let places = rules.source.start.iter().filter(|start| !start.contents.is_empty());
        let mut outermost = places.map(|start| start.place.as_str().split('/').next().unwrap_or_default());
        outermost.any(|name| def.instances().any(|instance| instance == name))
    };
    let in_the_world = rules.containers().iter().enumerate().filter(|(_, def)| !def.carried && !def.brought);
    // What a deal takes goes in whatever the list says.
    let has_deals = |def: &ContainerDef| {
        let mut of_deals = rules.deals().iter().flat_map(|deal| deal.at().chain(deal.coins_to()));
        of_deals.any(|name| def.instances().any(|instance| instance == name))
    };
    // And so does what a recipe makes.
    let outputs_go_to = |name: &str| rules.recipes().iter().any(|recipe| recipe.outputs_to() == Some(name));
    let is_filled = |name: &str| rules.recipes_at(name).next().is_some() || outputs_go_to(name);
    let is_station = |def: &ContainerDef| def.instances().any(is_filled);
    let is_shut = |def: &ContainerDef| !may_anyone(rules, def, Right::Put) && !starts_with(def);
    let shut = in_the_world.filter(|(_, def)| is_shut(def) && !has_deals(def) && !is_station(def));
    let warning = |(index, def): (usize, &ContainerDef)| {
        let message = format!("container `{}` starts empty, and nobody can put items in", def.id());
        let fault = Diagnostic::warning("never-filled", written_at(rules, index, Right::Put), message);
        fault.help("Change `put-by`, give it an `owner`, or put items into it at the `[start]`")
    };
    shut.map(warning).collect()
}

/// Containers that must be opened, and a holder who may put in or take out but not open.
pub(super) fn never_opened(rules: &Ruleset) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    for (index, def) in rules.containers().iter().enumerate().filter(|(_, def)| def.must_open && !def.carried) {
        for right in [Right::Put, Right::Take] {
            let shut_out = |holder: &&HolderDef| may(def, right, holder) && !may(def, Right::Open, holder);
            let Some(holder) = rules.holders().iter().find(shut_out) else { continue };
            let does = if right == Right::Put { "put items into" } else { "take items out of" };
            let message = format!("`{}` may {does} `{}`, but cannot open it", holder.id(), def.id());
            let at = written_at(rules, index, if def.access(right).words().is_empty() { Right::Open } else { right });
            let fault = Diagnostic::warning("never-opened", at, message);
            found.push(fault.help("Name the holder in `open-by` too, or remove `must-open`"));
        }
    }
    found
}

fn written_at(rules: &Ruleset, index: usize, right: Right) -> Location {
    let source = &rules.source.containers[index];
    source.access(right).or(source.access(Right::Open)).map_or(source.id.at, |written| written.at)
}

fn may_anyone(rules: &Ruleset, def: &ContainerDef, right: Right) -> bool {
    *def.access(right) == Access::Anyone || rules.holders().iter().any(|holder| may(def, right, holder))
}

fn may(def: &ContainerDef, right: Right, holder: &HolderDef) -> bool {
    match def.access(right) {
        Access::Anyone | Access::Surrounding => true,
        Access::Nobody => false,
        Access::Listed(list) => {
            let is_named = |name| list.owner && def.owner() == Some(name) || list.names(name, &holder.groups);
            holder.instances().any(is_named)
        }
    }
}
