//! The engine and the plain model play the same random operations by the same random rules, and
//! must agree on every answer, every figure and every place.
//!
//! A long run: `PROPTEST_CASES=200000 cargo test --release -p hypotheke --test main agreement`

mod by_names;
mod changing;
mod copies;
mod engine;
mod generate;
mod remedies;
mod replay;
mod rules;
mod trading;
mod walking;
mod working;

use std::collections::BTreeMap;

use hypotheke::save::Save;
use hypotheke::{IncrementalAudit, Law, Reason, StepAudit, Violation, World, audit};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;

use crate::model::{Model, Request, Rules, Stack, State};
use copies::Copy;
use engine::Engine;
use generate::{Draw, any_draw, is_list, request, together};
use replay::Flat;
use rules::tightened;
pub(crate) use rules::{any_rules, refit, rules_text};

/// Of several limits of one sort, all of which are judged in the end, any may come first.
fn alike_by_figures(mut reasons: Vec<(&'static str, Option<(i64, i64)>)>) -> Vec<(&'static str, Option<(i64, i64)>)> {
    reasons.chunk_by_mut(|one, other| one.0 == other.0).for_each(<[_]>::sort_unstable);
    reasons
}

/// Plays and compares; gives how often each answer was given.
fn compare(rules: &Rules, draws: &[Draw]) -> BTreeMap<String, u32> {
    compare_tightened(rules, draws, None)
}

/// The same; halfway the rules become tighter, so that stacks may exceed their limits.
fn compare_tightened(rules: &Rules, draws: &[Draw], tighter: Option<&Rules>) -> BTreeMap<String, u32> {
    let loose = rules;
    let mut rules = rules;
    // A recipe that is carried out elsewhere by then would be stopped.
    let places = |rules: &Rules| rules.recipes.iter().map(|recipe| recipe.at.clone()).collect::<Vec<_>>();
    let tighter = tighter.filter(|tighter| places(tighter) == places(rules));
    let mut half = tighter.map(|tighter| (draws.len() / 2, tighter));
    let mut model = Model::new(rules.clone());
    let mut engine = Engine::new(rules);
    // A departure that can no longer be undone frees its place.
    let all_is_kept = draws.len().is_multiple_of(2);
    engine.world.set_undo_limit(if all_is_kept { usize::MAX } else { 3 });
    if !draws.len().is_multiple_of(3) {
        engine.world.enable_hash();
    }
    let mut answers = BTreeMap::new();
    let (mut coming, mut changed) = (draws.iter(), false);
    let mut copy = Copy::of(&engine.world);
    let mut watch = IncrementalAudit::new(&engine.world);
    while let Some(draw) = coming.next() {
        if let Some((_, tighter)) = half.filter(|(left, _)| coming.len() <= *left) {
            half = None;
            rules = tighter;
            engine.reload(tighter);
            model.rules = tighter.clone();
            assert_eq!(engine.state(model.state.next_id), model.state, "nothing had to go\n{}", rules_text(loose));
            (changed, copy, watch) = (true, Copy::of(&engine.world), IncrementalAudit::new(&engine.world));
        }
        let request = if is_list(draw) {
            let steps: Vec<Draw> = coming.by_ref().take(draw.count as usize).cloned().collect();
            together(rules, &model, &steps)
        } else {
            request(rules, &model, draw)
        };
        // Slow checks run from time to time: a long run reaches all of them.
        let thorough = draw.kind % 4 == 0;
        let (before, flat) = (model.state.clone(), thorough.then(|| Flat::of(&engine.world)));
        let revision = engine.world.revision();
        let expected = model.perform(&request);
        let reasons = engine.reasons(&request);
        if expected.is_err() && draw.kind % 5 == 0 {
            remedies::follow(&engine, rules, &request);
        }
        let operation = engine.operation(&request);
        let step = StepAudit::before(&engine.world, &operation);
        let found = engine.perform(&request);
        assert_eq!(step.check(&engine.world, &operation), vec![], "{request:?}");
        assert_eq!(found, expected, "{request:?}\n{}\nbefore: {before:#?}", rules_text(rules));
        let listed: Vec<_> = model.list.iter().map(|no| (no.reason, no.figures)).collect();
        let (reasons, listed) = (alike_by_figures(reasons), alike_by_figures(listed));
        assert_eq!(reasons, listed, "why not: {request:?}\n{}\nbefore: {before:#?}", rules_text(rules));
        let after = engine.state(model.state.next_id);
        assert_eq!(after, model.state, "{request:?}\n{}\nbefore: {before:#?}", rules_text(rules));
        if let Some(flat) = flat {
            let replayed = if found.is_ok() { flat.replay(&engine.world) } else { flat };
            let flat_after = Flat::of(&engine.world);
            assert_eq!(replayed, flat_after, "events replayed on what was before give what is after: {request:?}");
            check_sums(&engine, &model);
        }
        assert_eq!(engine.world.revision(), revision + u64::from(found.is_ok()));
        changed |= request.changes_stacks(rules);
        let keeps = watch.keeps_the_laws(&engine.world);
        assert!(keeps || changed, "{request:?}");
        if draw.count == 3 {
            assert_eq!(
                check_plain_data(&engine, changed, tighter.is_some()),
                keeps,
                "a watch says what the audit says: {request:?}"
            );
        }
        if draw.count == 4 {
            engine.check_slot_room(draw.kind);
        }
        if draw.count == 2 && thorough {
            engine.check_counts();
        }
        let acted = if let Request::By(_, inner) = &request { inner } else { &request };
        let verb = format!("{acted:?}").split('(').next().unwrap_or_default().to_owned();
        if found.is_ok() && draw.kind % 3 == 0 {
            undo_and_redo(&mut engine, &request, &before, &model, revision);
        }
        if found.is_ok() {
            copy.follow(&engine.world, thorough, draw.number());
        }
        let answer = found.map_or_else(|no| no.reason.to_owned(), |_| "applied".to_owned());
        *answers.entry(format!("{verb} {answer}")).or_insert(0) += 1;
    }
    if all_is_kept && tighter.is_none() {
        take_all_back(&mut engine, rules);
    }
    answers
}

/// An undone operation leaves no trace: the world is as before, and the same operation has the same
/// result.
fn undo_and_redo(engine: &mut Engine, request: &Request, before: &State, model: &Model, revision: u64) {
    assert!(engine.world.undo(revision).is_err(), "only the latest can be undone");
    assert!(engine.undo(revision + 1), "the latest can be: {request:?}");
    assert_eq!(engine.world.revision(), revision);
    assert_eq!(engine.state(before.next_id), *before, "undone: {request:?}");
    let mut model_before = Model::new(model.rules.clone());
    model_before.state = before.clone();
    check_sums(engine, &model_before);
    assert!(engine.perform(request).is_ok());
    assert_eq!(engine.state(model.state.next_id), model.state, "done again: {request:?}");
}

/// Undo everything: the world is as empty as at the start.
fn take_all_back(engine: &mut Engine, rules: &Rules) {
    while engine.world.undo_depth() > 0 {
        assert!(engine.undo(engine.world.revision()), "the latest");
    }
    assert_eq!((engine.world.revision(), engine.state(1)), (0, Model::new(rules.clone()).state));
    check_sums(engine, &Model::new(rules.clone()));
}

/// The world as plain data is the same world, violates no law, and all sums equal the recomputed
/// ones. True if it is within all limits.
fn check_plain_data(engine: &Engine, changed: bool, tightened: bool) -> bool {
    let world = &engine.world;
    assert_eq!(world.check_indexes(), vec![]);
    let snapshot = world.snapshot();
    let mut back = World::from_snapshot(world.rules(), &snapshot).unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(back.snapshot(), snapshot);
    if let Some(hash) = world.contents_hash() {
        back.enable_hash();
        assert_eq!(back.contents_hash(), Some(hash), "what was made from a snapshot has the same hash");
    }
    assert_eq!(back.check_indexes(), vec![]);
    let save = Save::of(world);
    assert_eq!(Save::read(save.to_json().as_bytes()).as_ref(), Ok(&save));
    assert_eq!(Save::read(&save.to_bytes()), Ok(save));
    // Only a new mark or property may make a stack unfit, or exceed a cap.
    let expected = |law: Law| changed && matches!(law, Law::Admits | Law::Cap) || tightened && law.is_limit();
    let found: Vec<Violation> = audit(world.rules(), &snapshot);
    let unexpected: Vec<&Violation> = found.iter().filter(|violation| !expected(violation.law())).collect();
    assert_eq!(unexpected, Vec::<&Violation>::new());
    found.is_empty()
}

/// Weights, free slots and totals from the world's sums against recomputed ones.
fn check_sums(engine: &Engine, model: &Model) {
    for inside in model.state.containers() {
        let (id, slots) = (engine.inside(&inside), model.state.slots(&inside));
        assert_eq!(engine.world.container_weight(id).thousandths(), model.state.weight(&model.rules, &inside));
        let free = (0..slots.len()).filter(|&slot| slots[slot].is_none() && !model.is_taken_up(&inside, slot));
        assert_eq!(engine.world.free_slots(id) as usize, free.count());
    }
    for &holder in &model.state.present {
        let id = engine.world.holder(&format!("h{holder}")).expect("a holder");
        assert_eq!(engine.world.holder_weight(id).thousandths(), model.holder_weight(holder));
    }
    let ground = model.state.ground.iter().map(|(stack, _)| stack);
    let hands = model.state.hands.iter().flatten().flatten();
    let held = model.state.all_held();
    let outermost = model.state.slots.iter().flatten().flatten().chain(hands).chain(held).chain(ground.clone());
    let on_ground: i64 = ground.map(|stack| stack.weight(&model.rules)).sum();
    assert_eq!(engine.world.ground_weight().thousandths(), on_ground);
    let everything: Vec<&Stack> = outermost.flat_map(Stack::all).collect();
    for kind in engine.world.rules().kinds() {
        let of_kind = everything.iter().filter(|stack| stack.kind == kind.handle().index());
        let held: u64 = of_kind.map(|stack| u64::from(stack.count)).sum();
        let totals = engine.world.totals(kind.handle());
        assert_eq!(
            totals.created + totals.arrived - totals.consumed - totals.departed,
            held,
            "items are neither made nor lost: {}",
            kind.id()
        );
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn engine_and_model_agree(rules in any_rules(), draws in prop::collection::vec(any_draw(), 1..120)) {
        compare(&rules, &draws);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    /// Nothing that is over a limit gets worse; it may stay, and it may get better.
    #[test]
    fn engine_and_model_agree_over_limits(
        rules in any_rules(),
        draws in prop::collection::vec(any_draw(), 20..120),
        which in any::<u16>(),
    ) {
        compare_tightened(&rules, &draws, Some(&tightened(&rules, which)));
    }
}

/// A comparison that never reaches a refusal would say nothing about it. A long run must reach each
/// a thousand times.
#[test]
fn every_answer_is_reached_often() {
    let cases: u32 = std::env::var("PROPTEST_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(800);
    let min = (cases / 20).min(1_000);
    let mut runner = TestRunner::deterministic();
    let mut answers: BTreeMap<String, u32> = BTreeMap::new();
    let strategy = (any_rules(), prop::collection::vec(any_draw(), 99..101));
    let in_trade = (trading::trading_rules(), prop::collection::vec(trading::trading_draw(), 99..101));
    let at_work = (working::working_rules(), prop::collection::vec(working::working_draw(), 99..101));
    for case in 0..cases {
        let mut played = vec![strategy.new_tree(&mut runner).expect("a case").current()];
        if case.is_multiple_of(4) {
            played.push(in_trade.new_tree(&mut runner).expect("a case").current());
        }
        if case % 8 == 1 {
            played.push(at_work.new_tree(&mut runner).expect("a case").current());
        }
        for (answer, count) in played.iter().flat_map(|(rules, draws)| compare(rules, draws)) {
            *answers.entry(answer).or_insert(0) += count;
        }
    }
    let summary: Vec<String> = answers.iter().map(|(answer, count)| format!("{count:6} {answer}")).collect();
    println!("{}", summary.join("\n"));
    let given = |ending: &str| -> u32 {
        answers.iter().filter(|(answer, _)| answer.ends_with(ending)).map(|(_, count)| count).sum()
    };
    let verbs = [
        "Create", "Consume", "Move", "Split", "Merge", "Swap", "Drop", "PickUp", "Mark", "Unmark", "Set", "Lift",
        "Put", "Return", "Equip", "Unequip", "Together", "Sort", "Resize", "Open", "Close", "Leave", "Deposit", "Bind",
        "Unbind", "Depart", "Arrive", "Buy", "Sell", "Trade", "Craft", "Use", "Cancel", "Wait",
    ];
    let applied =
        verbs.map(|verb| (format!("{verb} applied"), answers.get(&format!("{verb} applied")).copied().unwrap_or(0)));
    // A weight beyond counting has tests of its own.
    let random = Reason::ALL.iter().filter(|reason| !matches!(reason, Reason::Overflow));
    let refused = random.map(|reason| (reason.code().to_owned(), given(&format!(" {}", reason.code()))));
    let rare: Vec<_> = applied.into_iter().chain(refused).filter(|(_, count)| *count < min).collect();
    assert!(rare.is_empty(), "fewer than {min} times: {rare:?}");
    let tried = remedies::tried();
    let with_remedy = [
        "not-open",
        "in-use",
        "protected",
        "no-take",
        "no-put",
        "not-admitted",
        "too-deep",
        "cap",
        "weight-cap",
        "stack-limit",
        "no-room",
    ];
    let untried: Vec<&str> = with_remedy.into_iter().filter(|code| !tried.contains_key(code)).collect();
    assert!(untried.is_empty(), "{untried:?} of {tried:?}");
}
