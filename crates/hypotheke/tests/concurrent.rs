//! Several holders at once: this library's server keeps what must hold, and three that are broken
//! as servers are do not.

use std::sync::Arc;

use hypotheke::explore::{Bound, ClaimsFile, ConcurrencyBounds, Exploration, InterleavingReport, ServerUnderTest};
use hypotheke::replication::{Answer, Request};
use hypotheke::text::Source;
use hypotheke::{ContainerBuilder, Departures, Ruleset, Snapshot, World};

fn exploration() -> Exploration {
    exploration_of(|depot| depot, [])
}

fn exploration_of<const N: usize>(
    depot: impl Fn(ContainerBuilder) -> ContainerBuilder,
    sled: [&str; N],
) -> Exploration {
    let rules: Arc<Ruleset> = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(3))
        .container("depot", |it| depot(it.slots(2)))
        .container("sled", |sled| sled.slots(1))
        .holder("ann", [], |holder| holder)
        .holder("bo", [], |holder| holder)
        .start("depot", ["2 flare"])
        .start("sled", sled)
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"))
        .into();
    let file = ClaimsFile::parse(Source::new("a.claims", "explore\n  verbs move\n")).expect("a scope");
    Exploration::new(&rules, &file).expect("known names")
}

/// Checks each request against the world it was based on, and uses the result as the new world.
#[derive(Clone)]
struct PlansOnTheStaleView {
    states: Vec<World>,
}

impl ServerUnderTest for PlansOnTheStaleView {
    fn receive(&mut self, request: &Request, made_on: u64) -> Answer {
        let seen = self.states.iter().rposition(|world| world.revision() == made_on).expect("an earlier world");
        let mut world = self.states[seen].clone();
        let answer = world.request(request, &Departures::new());
        self.states.push(world);
        answer
    }

    fn snapshot(&self) -> Snapshot {
        self.states.last().expect("a world").snapshot()
    }
}

/// Takes each request for a new one.
#[derive(Clone)]
struct DropsTheWindow(World);

impl ServerUnderTest for DropsTheWindow {
    fn receive(&mut self, request: &Request, _: u64) -> Answer {
        self.0.request(&Request::new(request.operation.clone()), &Departures::new())
    }

    fn snapshot(&self) -> Snapshot {
        self.0.snapshot()
    }
}

/// Remembers a request until its sender sends the next one: until then an answer may be lost.
#[derive(Clone)]
struct AppliesAgain {
    world: World,
    latest: Option<Request>,
}

impl ServerUnderTest for AppliesAgain {
    fn receive(&mut self, request: &Request, _: u64) -> Answer {
        let again = self.latest.as_ref() == Some(request);
        let request = if again { Request::new(request.operation.clone()) } else { request.clone() };
        let answer = self.world.request(&request, &Departures::new());
        if !again {
            self.latest = Some(request);
        }
        answer
    }

    fn snapshot(&self) -> Snapshot {
        self.world.snapshot()
    }
}

#[test]
fn this_librarys_server_keeps_what_must_hold() {
    let found = exploration().interleaved(ConcurrencyBounds::default(), &mut |_| None);
    assert!(found.failure.is_none(), "{}", found.failure.expect("one"));
    assert_eq!(found.stopped_by, None);
    assert!(
        found.interleavings > 1_000 && found.received > found.interleavings,
        "{} ways, {} received",
        found.interleavings,
        found.received
    );
    let more = exploration().interleaved(
        ConcurrencyBounds { requests: 2, network_steps: 60_000, ..ConcurrencyBounds::default() },
        &mut |_| None,
    );
    assert!(more.failure.is_none(), "{}", more.failure.expect("one"));
    assert_eq!(more.stopped_by, Some(Bound::States(60_000)), "there are more ways than that");
    let stopped = exploration().interleaved(ConcurrencyBounds::default(), &mut |_| Some(Bound::Interrupt));
    assert_eq!(stopped.stopped_by, Some(Bound::Interrupt));
}

/// Carries out twice what one holder puts into the depot.
#[derive(Clone)]
struct DoublesOneHolder(World);

impl ServerUnderTest for DoublesOneHolder {
    fn receive(&mut self, request: &Request, _: u64) -> Answer {
        let answer = self.0.request(request, &Departures::new());
        let operation = request.operation.to_string();
        if operation.starts_with("bo moves 1 flare from sled/0 to depot/") {
            let _ = self.0.request(&Request::new(request.operation.clone()), &Departures::new());
        }
        answer
    }

    fn snapshot(&self) -> Snapshot {
        self.0.snapshot()
    }
}

/// The owner may do all that another may do. The other sends requests all the same.
#[test]
fn each_holder_sends_what_another_may_send_too() {
    let of_one = exploration_of(|depot| depot.owner("ann").take_by(["owner"]), ["2 flare"]);
    let (steps, _) = interleaving(of_one.interleave(
        ConcurrencyBounds::default(),
        |world| DoublesOneHolder(world.clone()),
        &mut |_| None,
    ));
    assert!(steps.iter().any(|step| step.starts_with("bo sends: bo moves 1 flare from sled/0")), "{steps:?}");
}

fn interleaving(found: InterleavingReport) -> (Vec<String>, String) {
    let broken = found.failure.expect("it is broken");
    (broken.steps, broken.message)
}

#[test]
fn a_server_that_plans_on_a_stale_world_is_found() {
    let serve = |world: &World| PlansOnTheStaleView { states: vec![world.clone()] };
    let (steps, message) = interleaving(exploration().interleave(
        ConcurrencyBounds { max_resends: 0, ..ConcurrencyBounds::default() },
        serve,
        &mut |_| None,
    ));
    assert_eq!(
        steps,
        [
            "ann sends: ann moves 1 flare from depot/0 to depot/1",
            "the request of ann arrives and is applied",
            "bo sends: bo moves 1 flare from depot/0 to depot/1 (on the world as it was 1 before)",
            "the request of bo arrives and is applied",
        ]
    );
    assert_eq!(message, "no sequential order of the requests has this result");
}

#[test]
fn a_server_without_a_request_window_is_found() {
    let (steps, message) = interleaving(exploration().interleave(
        ConcurrencyBounds::default(),
        |world| DropsTheWindow(world.clone()),
        &mut |_| None,
    ));
    assert!(steps.iter().any(|step| step.ends_with("gets no response and sends again")), "{steps:?}");
    assert_eq!(steps.iter().filter(|step| step.ends_with("is applied")).count() % 2, 1, "one of them twice: {steps:?}");
    assert_eq!(message, "no sequential order of the requests has this result");
}

#[test]
fn a_server_that_applies_again_when_the_first_answer_is_lost_is_found() {
    let serve = |world: &World| AppliesAgain { world: world.clone(), latest: None };
    let (steps, message) = interleaving(exploration().interleave(ConcurrencyBounds::default(), serve, &mut |_| None));
    assert!(
        steps.iter().any(|step| step.contains("the response is lost") || step.contains("sends again")),
        "{steps:?}"
    );
    assert_eq!(message, "no sequential order of the requests has this result");
}

#[test]
fn marks_packs_and_hands_are_distinguished_by_contents() {
    let rules: Arc<Ruleset> = Ruleset::builder()
        .mark("wet")
        .kind("rope", |kind| kind)
        .kind("case", |kind| kind.pack("case"))
        .container("case", |case| case.slots(1))
        .container("depot", |depot| depot.slots(2).admits("not wet"))
        .container("sled", |sled| sled.slots(1))
        .holder("ann", [], |holder| holder)
        .holder("bo", [], |holder| holder)
        .start("depot", ["1 rope", "1 case"])
        .start("sled", ["1 rope (wet)"])
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"))
        .into();
    for play in ["verbs swap, move", "verbs move\n  mark wet", "verbs lift, return"] {
        let file = ClaimsFile::parse(Source::new("a.claims", format!("explore\n  {play}\n"))).expect("a scope");
        let several = ConcurrencyBounds { network_steps: 20_000, ..ConcurrencyBounds::default() };
        let found = Exploration::new(&rules, &file).expect("known names").interleaved(several, &mut |_| None);
        assert!(found.failure.is_none(), "{play}: {}", found.failure.expect("one"));
        assert!(found.received > 1_000);
    }
}
