//! Requests, updates, a server and its clients.

use std::collections::BTreeSet;
use std::sync::Arc;

use hypotheke::replication::{
    Answer, Change, Client, ClientError, Request, RequestId, RequestLimits, Server, ToClient, ToServer, Update,
    UpdateError,
};
use hypotheke::{Amount, Departures, NamedOperation, Operation, Outcome, Reason, Ruleset, Snapshot, World};
use proptest::prelude::*;

fn rules(window: u32) -> Arc<Ruleset> {
    let rules = Ruleset::builder()
        .request_window(window)
        .mark("wet")
        .kind("flare", |kind| kind.stack_limit(6))
        .kind("rope", |kind| kind)
        .kind("crate", |kind| kind.pack("crate"))
        .container("crate", |inside| inside.slots(3))
        .container("depot", |depot| depot.slots(8))
        .container("sled", |sled| sled.slots(3).must_open())
        .container("bag", |bag| bag.slots(2))
        .holder("ann", ["bag"], |ann| ann)
        .holder("ben", ["bag"], |ben| ben)
        .start("depot", ["20 flare", "2 rope", "1 crate"])
        .build();
    Arc::new(rules.unwrap_or_else(|errors| panic!("{errors}")))
}

fn operation(sentence: &str) -> NamedOperation {
    sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"))
}

fn request(id: &str, sentence: &str) -> Request {
    Request::new(operation(sentence)).with_id(id.parse().unwrap())
}

fn send(world: &mut World, request: &Request) -> Answer {
    world.request(request, &Departures::new())
}

#[test]
fn the_same_request_is_applied_once_and_answered_alike() {
    let mut world = World::new(&rules(4));
    let first = send(&mut world, &request("ann-1", "move 3 flare from depot to ann.bag"));
    let outcome = first.outcome().expect("applied");
    assert_eq!((outcome.done(), outcome.revision()), (3, 1));
    send(&mut world, &request("ben-1", "move 1 rope from depot to ben.bag"));
    // Operations in between do not change the answer.
    let again = send(&mut world, &request("ann-1", "move 3 flare from depot to ann.bag"));
    assert_eq!(again, Answer::Applied { outcome, repeated: true });
    assert_eq!(world.revision(), 2);
}

#[test]
fn an_id_means_one_operation_only() {
    let mut world = World::new(&rules(4));
    send(&mut world, &request("ann-1", "move 3 flare from depot to ann.bag"));
    let before = world.snapshot();
    let other = send(&mut world, &request("ann-1", "move 4 flare from depot to ann.bag"));
    assert_eq!(other.reason(), Some(Reason::Stale));
    assert!(matches!(other, Answer::Refused { text, .. } if text.contains("a different operation")));
    assert_eq!(world.snapshot(), before);
}

#[test]
fn only_applied_requests_are_remembered_and_only_the_latest() {
    let mut world = World::new(&rules(2));
    let wanting = request("ann-1", "move 9 rope from depot to ann.bag");
    assert_eq!(send(&mut world, &wanting).reason(), Some(Reason::NotEnough));
    // Meanwhile there are enough of them, one a slot: no longer refused for the same reason.
    for number in 0..7 {
        send(&mut world, &request(&format!("game-{number}"), "create 1 rope in ground"));
    }
    assert_eq!(send(&mut world, &wanting).reason(), Some(Reason::NotEnough), "judged anew");
    let kept: Vec<String> = world.answered_requests().map(|answered| answered.id.to_string()).collect();
    assert_eq!(kept, ["game-5", "game-6"]);
    // What has fallen out of the window is applied again: that is why it has a size.
    let again = send(&mut world, &request("game-0", "create 1 rope in ground"));
    assert_eq!(again.outcome().map(hypotheke::Outcome::revision), Some(8));
}

#[test]
fn a_request_without_an_id_is_applied_as_often_as_it_comes() {
    let mut world = World::new(&rules(4));
    let plain = Request::new(operation("create 1 rope in ground"));
    for revision in 1..4 {
        assert_eq!(send(&mut world, &plain).outcome().map(hypotheke::Outcome::revision), Some(revision));
    }
    assert_eq!(world.answered_requests().count(), 0);
}

#[test]
fn a_request_on_another_revision_is_stale_and_says_which() {
    let mut world = World::new(&rules(4));
    let on_first = Request::new(operation("create 1 rope in ground")).on_revision(0);
    assert!(send(&mut world, &on_first).outcome().is_some());
    let Answer::Refused { reason, figures, text, .. } = send(&mut world, &on_first) else { panic!("applied") };
    assert_eq!((reason, figures), (Reason::Stale, Some((0.into(), 1.into()))));
    assert_eq!(text, "the request expects revision 0; the world is at revision 1");
    // One that has been answered gets its answer, on whatever revision.
    let known = request("ann-1", "create 1 rope in ground").on_revision(1);
    assert!(send(&mut world, &known).outcome().is_some());
    assert!(matches!(send(&mut world, &known), Answer::Applied { repeated: true, .. }));
}

#[test]
fn a_request_that_names_what_is_not_there_is_refused_as_unknown() {
    let mut world = World::new(&rules(4));
    for sentence in ["cleo lifts 1 from depot/0", "move 1 flare from depot to cellar", "consume 1 gold from depot"] {
        let before = world.snapshot();
        let answer = send(&mut world, &request("ann-1", sentence));
        assert_eq!(answer.reason(), Some(Reason::Unknown), "{sentence}");
        assert_eq!(world.snapshot(), before);
    }
}

#[test]
fn an_undone_request_was_never_answered() {
    let mut world = World::new(&rules(2));
    world.set_undo_limit(10);
    let sent = |number: u32| request(&format!("ann-{number}"), "create 1 rope in ground");
    (0..4).for_each(|number| _ = send(&mut world, &sent(number)));
    let before = world.snapshot();
    send(&mut world, &sent(4));
    world.undo(5).unwrap();
    assert_eq!(world.snapshot(), before, "what fell out of the window is in it again");
    (1..=4).rev().for_each(|revision| world.undo(revision).unwrap());
    assert_eq!(world.answered_requests().count(), 0);
    assert!(matches!(send(&mut world, &sent(3)), Answer::Applied { repeated: false, .. }));
}

#[test]
fn the_window_is_part_of_the_snapshot() {
    let mut world = World::new(&rules(4));
    send(&mut world, &request("ann-1", "move 3 flare from depot to ann.bag"));
    let snapshot = world.snapshot();
    let text = serde_json::to_string(&snapshot).unwrap();
    let mut back = World::from_snapshot(world.rules(), &serde_json::from_str(&text).unwrap()).unwrap();
    let again = send(&mut back, &request("ann-1", "move 3 flare from depot to ann.bag"));
    assert!(matches!(again, Answer::Applied { repeated: true, .. }));
    // Two of one id, and one that leads nowhere, can't be.
    let mut twice = snapshot.clone();
    twice.requests.push(twice.requests[0].clone());
    let error = World::from_snapshot(world.rules(), &twice).unwrap_err().to_string();
    assert!(error.contains("two requests have the id `ann-1`") && error.contains("revision 1"), "{error}");
}

#[test]
fn ids_of_requests_have_bounds() {
    for text in ["", "a\nb", &"x".repeat(65), "\u{0}"] {
        assert!(text.parse::<RequestId>().is_err(), "{text:?}");
    }
    assert!("x".repeat(64).parse::<RequestId>().is_ok());
}

#[test]
fn json_that_is_no_message_is_an_error() {
    let lawful = r#"{"request":{"id":"a","operation":"drop 1 rope from depot"}}"#;
    assert!(serde_json::from_str::<ToServer>(lawful).is_ok());
    for text in [
        "",
        "{}",
        "\"jump\"",
        r#"{"request":{"id":"a"}}"#,
        r#"{"request":{"operation":"drop 1 rope from depot","more":1}}"#,
        r#"{"request":{"operation":"drop everything now"}}"#,
        r#"{"request":{"operation":"drop 99999999999999999999 rope from depot"}}"#,
        r#"{"request":{"expects":-1,"operation":"drop 1 rope from depot"}}"#,
        r#"{"request":{"id":"","operation":"drop 1 rope from depot"}}"#,
        r#"{"resync":{"since":1e30}}"#,
        r#"{"resync":{"since":0,"until":3}}"#,
        r#"{"resync":{"since":0},"join":null}"#,
    ] {
        assert!(serde_json::from_str::<ToServer>(text).is_err(), "{text}");
    }
    let deep = format!("{}drop 1 rope from depot{}", "together (".repeat(10_000), ")".repeat(10_000));
    let error = serde_json::from_value::<Request>(serde_json::json!({ "operation": deep })).unwrap_err().to_string();
    assert!(error.len() < 300 && error.contains("nested too deeply"), "{error}");
    for text in [
        r#"{"update":{"revision":1}}"#,
        r#"{"update":{"revision":1,"next-stack":99999999999999999999,"changes":[]}}"#,
        r#"{"update":{"revision":1,"next-stack":1,"changes":[{"resized":{"container":"a","slots":4294967296}}]}}"#,
        r#"{"update":{"revision":1,"next-stack":1,"changes":[{"moved":{}}]}}"#,
        r#"{"answer":{"id":"a","answer":{"applied":{"outcome":{"done":1}}}}}"#,
    ] {
        assert!(serde_json::from_str::<ToClient>(text).is_err(), "{text}");
    }
}

#[test]
fn updates_out_of_order_twice_or_of_another_world_change_nothing() {
    let rules = rules(4);
    let mut world = World::new(&rules);
    let mut copy = World::from_snapshot(&rules, &world.snapshot()).unwrap();
    let mut updates = Vec::new();
    for sentence in ["move 3 flare from depot to ann.bag", "swap depot/0 with depot/2", "mark depot/0 wet"] {
        let done = world.perform(&operation(sentence).resolve(&world).unwrap());
        assert!(done.is_ok(), "{sentence}");
        updates.push(world.update().unwrap());
    }
    let before = copy.snapshot();
    assert_eq!(copy.apply_update(&updates[1]), Err(UpdateError::OutOfOrder { copy: 0, update: 2 }));
    assert_eq!(copy.snapshot(), before);
    copy.apply_update(&updates[0]).unwrap();
    let after = copy.snapshot();
    assert_eq!(copy.apply_update(&updates[0]), Err(UpdateError::OutOfOrder { copy: 1, update: 1 }));
    assert_eq!(copy.snapshot(), after);
    // Its second change does not match here.
    let mut foreign = updates[1].clone();
    foreign.names = ["depot", "cleo", "sled"].map(str::to_owned).to_vec();
    for (holder, container, message) in
        [(1, 2, "unknown holder `cleo`"), (9, 2, "unknown name number 9"), (0, u32::MAX, "unknown holder `depot`")]
    {
        foreign.changes.truncate(1);
        foreign.changes.push(Change::Opened { holder, container });
        let error = copy.apply_update(&foreign).unwrap_err();
        assert_eq!(error.to_string(), format!("change 2 of the update: {message}"));
        assert_eq!((copy.snapshot(), copy.check_indexes()), (after.clone(), vec![]));
    }
    // Ids that would exceed their range.
    let mut far = updates[1].clone();
    far.next_stack = (1 << 40) - 1;
    let error = copy.apply_update(&far).unwrap_err();
    assert!(matches!(error, UpdateError::NotSo { number: 0, .. }), "{error}");
    updates[1..].iter().for_each(|update| copy.apply_update(update).unwrap());
    assert_eq!(copy.snapshot(), world.snapshot());
    // A refused operation has no update.
    assert!(world.perform(&operation("consume 9 rope from depot").resolve(&world).unwrap()).is_err());
    assert_eq!(world.update(), None);
}

/// An update may bring the inside of a pack several times before it turns out to be damaged.
#[test]
fn a_damaged_update_leaves_the_handles_of_a_copy_as_they_were() {
    let rules = rules(4);
    let mut world = World::new(&rules);
    let mut copy = World::from_snapshot(&rules, &world.snapshot()).unwrap();
    let pack = world.snapshot().packs[0].pack;
    let inside = |world: &World| world.place(&format!("{pack}/").parse().unwrap(), None);
    let before = inside(&copy).unwrap();
    let again = "consume 1 crate from depot; create 1 crate in depot";
    let many = operation(&format!("together ({again}; {again}; {again})")).resolve(&world).unwrap();
    let _ = world.perform(&many).unwrap();
    let update = world.update().unwrap();
    for kept in 0..=update.changes.len() {
        let mut damaged = update.clone();
        damaged.changes.truncate(kept);
        damaged.changes.push(Change::Opened { holder: u32::MAX, container: 0 });
        assert!(copy.apply_update(&damaged).is_err());
        assert_eq!(inside(&copy), Ok(before), "after {kept} changes");
    }
    copy.apply_update(&update).unwrap();
    assert_eq!((copy.snapshot(), copy.check_indexes()), (world.snapshot(), vec![]));
    assert!(inside(&copy).is_err());
}

/// However much changes, each name stands once, and the size grows with the changes alone.
#[test]
fn an_update_writes_each_name_once() {
    let rules = Ruleset::builder()
        .kind("a-kind-with-a-long-name", |kind| kind)
        .kind("bag", |kind| kind.pack("bag"))
        .container("bag", |it| it.slots(1))
        .container("a-container-with-a-long-name", |it| it.slots(40_000))
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let mut copy = World::from_snapshot(world.rules(), &world.snapshot()).unwrap();
    let sizes = [100, 1_000, 10_000].map(|count| {
        let create = format!("create {count} a-kind-with-a-long-name in a-container-with-a-long-name");
        let _ = world.perform(&operation(&create).resolve(&world).unwrap()).unwrap();
        let update = world.update().unwrap();
        assert_eq!(update.names, ["a-kind-with-a-long-name", "a-container-with-a-long-name"]);
        assert_eq!((update.name(1), update.name(2)), ("a-container-with-a-long-name", ""));
        copy.apply_update(&update).unwrap();
        serde_json::to_string(&update).unwrap().len()
    });
    assert!(sizes[2] < sizes[1] * 11 && sizes[1] < sizes[0] * 11, "{sizes:?}");
    // Many names too: each pack has one.
    let _ = world.perform(&operation("create 60 bag in ground").resolve(&world).unwrap()).unwrap();
    copy.apply_update(&world.update().unwrap()).unwrap();
    let packs: Vec<String> = world.ground().map(|(stack, _)| format!("ground/{}/", stack.id())).collect();
    let steps = packs.iter().map(|pack| format!("create 1 a-kind-with-a-long-name in {pack}"));
    let all = format!("together ({})", steps.collect::<Vec<_>>().join("; "));
    let _ = world.perform(&operation(&all).resolve(&world).unwrap()).unwrap();
    let update = world.update().unwrap();
    assert_eq!((update.names.len(), update.changes.len()), (61, 60));
    copy.apply_update(&update).unwrap();
    assert_eq!(copy.snapshot(), world.snapshot());
}

#[test]
fn what_departs_and_arrives_can_be_followed() {
    let rules = rules(4);
    let mut server = Server::new(World::new(&rules), 10);
    let mut copy = World::from_snapshot(&rules, &server.world().snapshot()).unwrap();
    for sentence in [
        "open sled",
        "ann opens sled",
        "move crate from depot to sled/0",
        "move 5 flare from depot to sled/0/",
        "together (swap sled/0/0 with sled/0/2; depart sled)",
        "arrive sled",
        "drop 1 crate from sled",
        "depart ann",
        "arrive ann as ann",
    ] {
        let Replies { to_all, to_sender, offers: _ } =
            server.receive(&ToServer::Request(Box::new(Request::new(operation(sentence)))));
        let Some(ToClient::Update { update, .. }) = to_all else {
            // A game opens nothing: only holders do.
            assert!(sentence == "open sled" || sentence == "arrive ann as ann", "{sentence}: {to_sender:?}");
            continue;
        };
        let sent = serde_json::to_string(&update).unwrap();
        copy.apply_update(&serde_json::from_str::<Update>(&sent).unwrap())
            .unwrap_or_else(|error| panic!("{sentence}: {error}"));
        assert_eq!(copy.snapshot(), server.world().snapshot(), "{sentence}");
    }
    assert_eq!(server.world().departed().len(), 0);
}

use hypotheke::replication::{InitialState, PROTOCOL, Received, Replies};

fn joined(name: &str, server: &Server, rules: &Arc<Ruleset>) -> Client {
    let ToClient::World(snapshot) = server.initial_state() else { panic!("no world") };
    Client::new(name, rules, &snapshot).unwrap()
}

#[test]
fn a_client_takes_back_what_the_server_refuses() {
    let rules = rules(8);
    let mut server = Server::new(World::new(&rules), 8);
    let (mut ann, mut ben) = (joined("ann", &server, &rules), joined("ben", &server, &rules));
    let flares = |world: &World, place: &str| {
        let flare = world.rules().find_kind("flare").unwrap();
        world.count(flare, world.container(place).map(Into::into))
    };
    // Both want the last ones; each sees itself with them.
    let first = ann.predict(operation("drop 15 flare from depot"));
    let second = ben.predict(operation("move 10 flare from depot to ben.bag"));
    let third = ben.predict(operation("move 1 rope from depot to ben.bag"));
    assert_eq!((flares(ann.world(), "depot"), flares(ben.world(), "ben.bag")), (5, 10));
    let [first, second, third] = [first, second, third].map(|message| server.receive(&message));
    let described = [first.to_all, second.to_all, third.to_all].into_iter().flatten().collect::<Vec<_>>();
    assert_eq!(described.len(), 2, "the second was refused");
    for message in &described {
        let received = ben.receive(message).unwrap();
        assert!(received.send.is_empty());
    }
    let refused = ben.receive(&second.to_sender[0]).unwrap();
    assert_eq!(refused.answers[0].1.reason(), Some(Reason::NotEnough));
    assert_eq!((flares(ben.world(), "ben.bag"), flares(ben.world(), "depot")), (0, 5));
    assert_eq!((ben.pending(), ben.confirmed()), (0, 2));
    assert_eq!(ben.world().snapshot(), server.world().snapshot());
    described.iter().for_each(|message| _ = ann.receive(message).unwrap());
    assert_eq!(ann.world().snapshot(), server.world().snapshot());
}

#[test]
fn a_client_that_missed_much_gets_the_whole_world() {
    let rules = rules(8);
    let mut server = Server::new(World::new(&rules), 2);
    let mut ann = joined("ann", &server, &rules);
    let (depot, flare) = (server.world().container("depot").unwrap(), rules.find_kind("flare").unwrap());
    let mut last = None;
    for _ in 0..5 {
        let (_, replies) = server.perform(&Operation::consuming(Amount::Exactly(1), flare, depot)).unwrap();
        last = replies.to_all;
    }
    let received = ann.receive(&last.unwrap()).unwrap();
    assert_eq!(received.send, [ToServer::Resync { since: 0, undone: 0 }]);
    let replies = server.receive(&received.send[0]);
    assert!(matches!(replies.to_sender[..], [ToClient::World(_)]), "only two updates are kept");
    assert!(ann.receive(&replies.to_sender[0]).unwrap().send.is_empty());
    assert_eq!((ann.confirmed(), ann.world().snapshot()), (5, server.world().snapshot()));
    // An older world is no news.
    let older = Server::new(World::new(&rules), 2).initial_state();
    assert!(ann.receive(&older).unwrap().answers.is_empty());
    assert_eq!(ann.confirmed(), 5);
    // A client ahead of the server gets the world too.
    assert!(matches!(server.receive(&ToServer::Resync { since: 77, undone: 0 }).to_sender[..], [ToClient::World(_)]));
    assert!(server.receive(&ToServer::Resync { since: 5, undone: 0 }).to_sender.is_empty());
}

#[test]
fn a_server_takes_no_request_that_asks_for_too_much() {
    let rules = rules(4);
    let ask = |server: &mut Server, sentence: &str| {
        let replies = server.receive(&ToServer::Request(Box::new(Request::new(operation(sentence)))));
        let [ToClient::Answer { answer, .. }] = &replies.to_sender[..] else { panic!("{replies:?}") };
        (answer.clone(), replies.to_all.is_some())
    };
    let refused = |server: &mut Server, sentence: &str, [requested, most]: [u32; 2]| {
        let before = server.world().snapshot();
        let (answer, is_reported) = ask(server, sentence);
        let Answer::Refused { reason: Reason::BadAmount, figures: Some(figures), .. } = answer else {
            panic!("{sentence}: {answer:?}")
        };
        assert_eq!((figures, is_reported), ((requested.into(), most.into()), false));
        assert_eq!((server.world().snapshot(), server.world().events().len()), (before, 0));
    };
    let mut server = Server::new(World::new(&rules), 10).with_limits(RequestLimits { steps: 3, changes: 4 });
    let list = |steps: usize| format!("together ({})", vec!["mark depot/0 wet"; steps].join("; "));
    refused(&mut server, &list(4), [4, 3]);
    refused(&mut server, &format!("together ({}; {})", list(2), list(2)), [4, 3]);
    // A list that names what is not there is not even looked up.
    refused(&mut server, "together (sort x; sort x; sort x; sort x)", [4, 3]);
    assert!(ask(&mut server, &list(3)).0.outcome().is_some());
    let _ = server.perform(&operation("unmark depot/0 wet").resolve(server.world()).unwrap()).unwrap();
    refused(&mut server, "drop from depot", [7, 4]);
    refused(&mut server, "create 99 rope in ground", [99, 4]);
    assert_eq!(ask(&mut server, "drop flare from depot").0.outcome().map(Outcome::done), Some(20));
    // The game's own operations have no limit, and neither has a plain world.
    let picked = operation("pick up flare to depot").resolve(server.world()).unwrap();
    let _ = server.perform(&picked).unwrap();
    let many = "together (".to_owned() + &vec!["sort depot"; 200].join("; ") + ")";
    assert!(World::new(&rules).request(&Request::new(operation(&many)), &Departures::new()).outcome().is_some());
    refused(&mut Server::new(World::new(&rules), 10), &many, [200, 100]);
}

#[test]
fn a_client_with_an_impossible_name_or_world_is_an_error() {
    let rules = rules(8);
    let ToClient::World(initial) = Server::new(World::new(&rules), 8).initial_state() else { panic!("no world") };
    assert!(matches!(Client::new(&"x".repeat(60), &rules, &initial), Err(ClientError::Name(_))));
    let other = InitialState { world: Snapshot { next_stack: 0, ..initial.world.clone() }, ..*initial.clone() };
    assert!(matches!(Client::new("ann", &rules, &other), Err(ClientError::Snapshot(_))));
    let later = InitialState { protocol: PROTOCOL + 1, ..*initial.clone() };
    assert!(matches!(Client::new("ann", &rules, &later), Err(ClientError::Protocol(_))));
    let other = Client::new("ann", &self::rules(9), &initial).unwrap_err();
    assert!(matches!(&other, ClientError::OtherRules { server, client } if server != client), "{other}");
}

#[test]
fn a_client_that_speaks_another_version_is_turned_away() {
    let rules = rules(8);
    let mut server = Server::new(World::new(&rules), 8);
    let mut ann = joined("ann", &server, &rules);
    assert!(matches!(server.receive(&Client::join()).to_sender[..], [ToClient::World(_)]));
    let replies = server.receive(&ToServer::Join { protocol: 9 });
    let error = ann.receive(&replies.to_sender[0]).unwrap_err();
    assert_eq!(
        error.to_string(),
        "the server rejects the client: the client speaks version 9 of the protocol, the server version 1"
    );
}

#[test]
fn what_the_server_undoes_is_undone_for_its_clients() {
    let rules = rules(8);
    let mut world = World::new(&rules);
    world.set_undo_limit(8);
    let mut server = Server::new(world, 8);
    let (mut ann, mut ben) = (joined("ann", &server, &rules), joined("ben", &server, &rules));
    let first = server.receive(&ann.predict(operation("move 4 flare from depot to ann.bag")));
    let described = first.to_all.expect("applied");
    for client in [&mut ann, &mut ben] {
        assert!(client.receive(&described).unwrap().send.is_empty());
    }
    let undone = server.undo().unwrap().to_all.expect("the world as it was");
    let second = server.receive(&ben.predict(operation("move 1 rope from depot to ben.bag"))).to_all.expect("applied");
    // Ben receives a later message before he receives the undo: the same revision, but a different
    // world.
    assert_eq!(ben.receive(&second).unwrap().send, [ToServer::Resync { since: 1, undone: 0 }]);
    let again = server.receive(&ben.resync());
    assert_eq!(ben.receive(&again.to_sender[0]).unwrap().answers.len(), 1);
    assert!(ann.receive(&undone).unwrap().answers.is_empty() && ann.receive(&second).unwrap().send.is_empty());
    // Late messages from before the undo are ignored.
    assert_eq!(ann.receive(&described).unwrap(), Received::default());
    for client in [&ann, &ben] {
        assert_eq!(client.world().snapshot(), server.world().snapshot());
    }
    assert!(server.undo().is_ok() && server.undo().is_err(), "one operation was there to be undone");
}

/// What happens to messages on the line: delayed, reordered, lost, duplicated.
struct Network {
    to_server: Vec<(usize, ToServer)>,
    to_clients: Vec<Vec<ToClient>>,
}

#[derive(Clone, Debug)]
enum Step {
    Act(usize, usize),
    /// One of the messages that wait for the server.
    Serve(usize, MessageFault),
    /// One of the messages that wait for a client.
    Tell(usize, usize, MessageFault),
    Resend(usize),
    /// The server undoes its latest operation.
    Undo,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum MessageFault {
    Comes,
    Lost,
    Twice,
}

const SENTENCES: [&str; 8] = [
    "create 1 rope in ground",
    "move up to 4 flare from depot to ann.bag",
    "move 5 flare from depot to ben.bag",
    "ann opens sled",
    "ann moves 1 flare from ann.bag to sled",
    "swap depot/0 with depot/3",
    "ben lifts half from depot/1",
    "move 1 crate from depot to ben.bag",
];

fn any_step() -> impl Strategy<Value = Step> {
    let fault =
        prop_oneof![3 => Just(MessageFault::Comes), 1 => Just(MessageFault::Lost), 1 => Just(MessageFault::Twice)];
    prop_oneof![
        2 => (0..2usize, 0..SENTENCES.len()).prop_map(|(client, sentence)| Step::Act(client, sentence)),
        4 => (0..64usize, fault.clone()).prop_map(|(which, fault)| Step::Serve(which, fault)),
        6 => (0..2usize, 0..64usize, fault).prop_map(|(client, which, fault)| Step::Tell(client, which, fault)),
        1 => (0..2usize).prop_map(Step::Resend),
        1 => Just(Step::Undo),
    ]
}

fn serve(server: &mut Server, network: &mut Network, from: usize, message: &ToServer) {
    let sent: ToServer = serde_json::from_str(&serde_json::to_string(message).unwrap()).unwrap();
    let replies = server.receive(&sent);
    if let Some(news) = replies.to_all {
        network.to_clients.iter_mut().for_each(|waiting| waiting.push(news.clone()));
    }
    network.to_clients[from].extend(replies.to_sender);
}

fn tell(client: &mut Client, network: &mut Network, number: usize, message: &ToClient) {
    let sent: ToClient = serde_json::from_str(&serde_json::to_string(message).unwrap()).unwrap();
    let received = client.receive(&sent).unwrap();
    network.to_server.extend(received.send.into_iter().map(|message| (number, message)));
}

/// Takes one of those that wait; it may stay there to come again.
fn take<T: Clone>(waiting: &mut Vec<T>, which: usize, fault: MessageFault) -> Option<T> {
    if waiting.is_empty() {
        return None;
    }
    let at = which % waiting.len();
    match fault {
        MessageFault::Comes => Some(waiting.remove(at)),
        MessageFault::Twice => Some(waiting[at].clone()),
        MessageFault::Lost => {
            waiting.remove(at);
            None
        }
    }
}

proptest! {
    #[test]
    fn lost_doubled_and_late_messages_lose_and_double_nothing(
        steps in prop::collection::vec(any_step(), 0..120),
        kept in 0usize..12,
    ) {
        let rules = rules(1_000);
        let mut world = World::new(&rules);
        world.set_undo_limit(4);
        let mut server = Server::new(world, kept);
        let mut clients = [joined("ann", &server, &rules), joined("ben", &server, &rules)];
        let mut network = Network { to_server: Vec::new(), to_clients: vec![Vec::new(); 2] };
        let mut requested = 0;
        for step in steps {
            match step {
                Step::Act(number, sentence) => {
                    requested += 1;
                    let message = clients[number].predict(operation(SENTENCES[sentence]));
                    network.to_server.push((number, message));
                }
                Step::Serve(which, fault) => {
                    if let Some((from, message)) = take(&mut network.to_server, which, fault) {
                        serve(&mut server, &mut network, from, &message);
                    }
                }
                Step::Tell(number, which, fault) => {
                    if let Some(message) = take(&mut network.to_clients[number], which, fault) {
                        tell(&mut clients[number], &mut network, number, &message);
                    }
                }
                Step::Undo => {
                    if let Ok(replies) = server.undo() {
                        network.to_clients.iter_mut().for_each(|waiting| waiting.extend(replies.to_all.clone()));
                    }
                }
                Step::Resend(number) => {
                    network.to_server.extend(clients[number].resend().into_iter().map(|message| (number, message)));
                }
            }
        }
        // From here on all arrives, and each client sends again what is open.
        for _ in 0..3 {
            for (number, client) in clients.iter().enumerate() {
                network.to_server.extend(client.resend().into_iter().map(|message| (number, message)));
                network.to_server.push((number, client.resync()));
            }
            while !network.to_server.is_empty() || network.to_clients.iter().any(|waiting| !waiting.is_empty()) {
                for (from, message) in std::mem::take(&mut network.to_server) {
                    serve(&mut server, &mut network, from, &message);
                }
                for (number, client) in clients.iter_mut().enumerate() {
                    for message in std::mem::take(&mut network.to_clients[number]) {
                        tell(client, &mut network, number, &message);
                    }
                }
            }
        }
        let snapshot = server.world().snapshot();
        for client in &clients {
            prop_assert_eq!(client.pending(), 0);
            prop_assert_eq!(client.world().snapshot(), snapshot.clone());
            prop_assert_eq!(client.world().check_indexes(), vec![]);
        }
        // Each request was applied at most once, but for what was undone.
        let ids: BTreeSet<&RequestId> = server.world().answered_requests().map(|answered| &answered.id).collect();
        prop_assert_eq!(ids.len() as u64, server.world().revision());
        prop_assert!(ids.len() <= requested);
        let ropes = server.world().answered_requests().filter(|answered| answered.operation.contains("rope")).count();
        let rope = rules.find_kind("rope").unwrap();
        prop_assert_eq!(server.world().count(rope, None), 2 + ropes as u64);
    }
}

#[test]
fn what_the_documents_show_can_be_read() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/programmer/client-and-server.md");
    let text = std::fs::read_to_string(path).expect("the document");
    let blocks = |language: &str| -> Vec<String> {
        let start = format!("```{language}\n");
        text.split(&start).skip(1).map(|rest| rest.split("```").next().unwrap_or_default().to_owned()).collect()
    };
    let [request, answers, update] = &blocks("json")[..] else { panic!("three blocks of JSON") };
    let request: Request = serde_json::from_str(request).unwrap();
    assert_eq!(
        (request.expects, request.operation.to_string().as_str()),
        (Some(41), "move 3 fuel-drum from depot to sled")
    );
    let answers: Vec<Answer> = answers.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(answers[0].outcome().map(|outcome| (outcome.done(), outcome.revision())), Some((3, 42)));
    assert_eq!(answers[1].reason(), Some(Reason::WeightCap));
    let written = serde_json::to_value(&answers[1]).unwrap();
    assert_eq!(written["refused"]["figures"], serde_json::json!(["204", "180"]));
    let update: Update = serde_json::from_str(update).unwrap();
    assert!(matches!(&update.changes[..], [Change::Moved { count: 3, .. }]));
    let [migration] = &blocks("toml")[..] else { panic!("one block of TOML") };
    let rules = format!("format = 1\ntitle = \"Doc\"\n{migration}\n[kind.rope]\n[container.box]\nslots = 1\n");
    let rules = Ruleset::from_toml("rules.toml", &rules).unwrap_or_else(|errors| panic!("{errors}"));
    assert_eq!(rules.migration().removed_places, hypotheke::MigrationPolicy::Refuse);
}

#[test]
fn a_refused_list_names_its_step_for_every_reason() {
    let mut world = World::new(&rules(4));
    let cases = [
        ("together (move 1 flare from depot to ann.bag; move 1 flare from depot to cellar)", Reason::Unknown, 1),
        (
            "together (move 1 flare from depot to ann.bag; together (ann opens sled; zoe opens sled))",
            Reason::Unknown,
            1,
        ),
        ("together (ann moves 1 flare from depot to sled; ann opens sled)", Reason::NotOpen, 0),
        ("together (move 0 flare from depot to ann.bag)", Reason::BadAmount, 0),
        ("together (ann opens sled; move 21 flare from depot to ann.bag)", Reason::NotEnough, 1),
    ];
    for (sentence, expected, at) in cases {
        let answer = send(&mut world, &request("ann-1", sentence));
        let Answer::Refused { reason, step, text, .. } = answer else { panic!("{sentence}") };
        assert_eq!((reason, step), (expected, Some(at)), "{sentence}: {text}");
        assert!(text.starts_with(&format!("step {}: ", at + 1)), "{text}");
    }
    assert_eq!(world.revision(), 0);
}

#[test]
fn a_connection_acts_for_its_holder_alone() {
    let rules = rules(8);
    let mut server = Server::new(World::new(&rules), 8);
    let mut send = |holder: &str, sentence: &str| {
        let message = ToServer::Request(Box::new(Request::new(operation(sentence))));
        let replies = server.receive_from(holder, &message);
        let ToClient::Answer { answer, .. } = replies.to_sender.into_iter().next().expect("an answer") else {
            panic!("no answer");
        };
        assert_eq!(replies.to_all.is_some(), answer.outcome().is_some());
        answer.reason().map(Reason::code)
    };
    assert_eq!(send("ann", "move 2 flare from depot to ann.bag"), None);
    // What she carries is for her, and nobody believes who says to be her.
    assert_eq!(send("ben", "move 1 flare from ann.bag to ben.bag"), Some("not-allowed"));
    assert_eq!(send("ben", "ann moves 1 flare from bag to ben.bag"), Some("not-allowed"));
    assert_eq!(send("ben", "together (together (ann moves 1 flare from bag to ben.bag))"), Some("not-allowed"));
    assert_eq!(send("ann", "ann drops 1 flare from bag"), None);
    assert_eq!(send("ann", "together (ann drops 1 flare from bag; open sled)"), None);
    let (ann, sled) = (server.world().holder("ann").unwrap(), server.world().container("sled").unwrap());
    assert!(server.world().has_opened(ann, sled));
}
