//! The embedded files of the demo.

/// A file of the demo: its path within the demo's folder, and its text.
pub(crate) struct DemoFile {
    pub(crate) path: &'static str,
    pub(crate) text: &'static str,
}

pub(crate) const RULES: DemoFile = DemoFile { path: "rules.toml", text: include_str!("../demo/rules.toml") };

pub(crate) const TABLES: &[DemoFile] = &[DemoFile { path: "items.csv", text: include_str!("../demo/items.csv") }];

/// The JSON Schema, for editors.
pub(crate) const SCHEMA: DemoFile =
    DemoFile { path: "rules.schema.json", text: include_str!("../demo/rules.schema.json") };

pub(crate) const SCENARIOS: &[DemoFile] = &[
    DemoFile { path: "scenarios/camp.scenario", text: include_str!("../demo/scenarios/camp.scenario") },
    DemoFile { path: "scenarios/figures.scenario", text: include_str!("../demo/scenarios/figures.scenario") },
    DemoFile { path: "scenarios/limits.scenario", text: include_str!("../demo/scenarios/limits.scenario") },
    DemoFile { path: "scenarios/people.scenario", text: include_str!("../demo/scenarios/people.scenario") },
    DemoFile { path: "scenarios/samples.scenario", text: include_str!("../demo/scenarios/samples.scenario") },
    DemoFile { path: "scenarios/sled.scenario", text: include_str!("../demo/scenarios/sled.scenario") },
];

/// The ruleset of the scenarios that fail on purpose.
pub(crate) const FAILING_RULES: DemoFile =
    DemoFile { path: "failing/rules.toml", text: include_str!("../demo/failing/rules.toml") };

/// Scenarios that fail on purpose.
pub(crate) const FAILING: DemoFile =
    DemoFile { path: "failing/three-failures.scenario", text: include_str!("../demo/failing/three-failures.scenario") };

/// Earlier versions of the ruleset, and scenarios of the second version.
pub(crate) const EARLIER: &[DemoFile] = &[
    DemoFile { path: "earlier/outbound.scenario", text: include_str!("../demo/earlier/outbound.scenario") },
    DemoFile { path: "earlier/rules-1.toml", text: include_str!("../demo/earlier/rules-1.toml") },
    DemoFile { path: "earlier/rules-2.toml", text: include_str!("../demo/earlier/rules-2.toml") },
];

/// A ruleset with four loopholes, the fixed ruleset, and claims about both.
pub(crate) const LOOPHOLES: &[DemoFile] = &[
    DemoFile { path: "loopholes/rules.toml", text: include_str!("../demo/loopholes/rules.toml") },
    DemoFile { path: "loopholes/fixed.toml", text: include_str!("../demo/loopholes/fixed.toml") },
    DemoFile { path: "loopholes/claims/case.claims", text: include_str!("../demo/loopholes/claims/case.claims") },
    DemoFile { path: "loopholes/claims/fuel.claims", text: include_str!("../demo/loopholes/claims/fuel.claims") },
    DemoFile { path: "loopholes/claims/logbook.claims", text: include_str!("../demo/loopholes/claims/logbook.claims") },
    DemoFile { path: "loopholes/claims/mark.claims", text: include_str!("../demo/loopholes/claims/mark.claims") },
];

/// A canteen with prices, one of which is wrong, the fixed ruleset, and claims about both.
pub(crate) const CANTEEN: &[DemoFile] = &[
    DemoFile { path: "canteen/rules.toml", text: include_str!("../demo/canteen/rules.toml") },
    DemoFile { path: "canteen/fixed.toml", text: include_str!("../demo/canteen/fixed.toml") },
    DemoFile { path: "canteen/claims/money.claims", text: include_str!("../demo/canteen/claims/money.claims") },
    DemoFile {
        path: "canteen/scenarios/trading.scenario",
        text: include_str!("../demo/canteen/scenarios/trading.scenario"),
    },
];

/// A workshop in which things take time, wear, spoil and come by chance, a copy with a mistake, and
/// claims about both.
pub(crate) const WORKSHOP: &[DemoFile] = &[
    DemoFile { path: "workshop/rules.toml", text: include_str!("../demo/workshop/rules.toml") },
    DemoFile { path: "workshop/salvage.toml", text: include_str!("../demo/workshop/salvage.toml") },
    DemoFile { path: "workshop/claims/bench.claims", text: include_str!("../demo/workshop/claims/bench.claims") },
    DemoFile { path: "workshop/claims/stores.claims", text: include_str!("../demo/workshop/claims/stores.claims") },
    DemoFile { path: "workshop/claims/stove.claims", text: include_str!("../demo/workshop/claims/stove.claims") },
    DemoFile {
        path: "workshop/scenarios/bench.scenario",
        text: include_str!("../demo/workshop/scenarios/bench.scenario"),
    },
    DemoFile {
        path: "workshop/scenarios/stores.scenario",
        text: include_str!("../demo/workshop/scenarios/stores.scenario"),
    },
    DemoFile {
        path: "workshop/scenarios/stove.scenario",
        text: include_str!("../demo/workshop/scenarios/stove.scenario"),
    },
];

/// Saves at noon and at night, and in autumn with the first version of the ruleset.
pub(crate) const SAVES: &[DemoFile] = &[
    DemoFile { path: "saves/noon.json", text: include_str!("../demo/saves/noon.json") },
    DemoFile { path: "saves/night.json", text: include_str!("../demo/saves/night.json") },
    DemoFile { path: "saves/autumn.json", text: include_str!("../demo/saves/autumn.json") },
];

/// All files.
pub(crate) fn all() -> impl Iterator<Item = &'static DemoFile> {
    [&RULES, &SCHEMA]
        .into_iter()
        .chain(TABLES)
        .chain(SCENARIOS)
        .chain([&FAILING_RULES, &FAILING])
        .chain(SAVES)
        .chain(EARLIER)
        .chain(LOOPHOLES)
        .chain(CANTEEN)
        .chain(WORKSHOP)
}
