//! Trades between two connections: offered, accepted, withdrawn.

use std::sync::Arc;

use hypotheke::replication::{Answer, Client, PROTOCOL, Replies, Server, ToClient, ToServer};
use hypotheke::{NamedOperation, Reason, Ruleset, World};

fn rules() -> Arc<Ruleset> {
    let rules = Ruleset::builder()
        .kind("coin", |coin| coin.stack_limit(20))
        .kind("tin", |tin| tin.stack_limit(4))
        .container("purse", |purse| purse.slots(2))
        .holder("mara", ["purse"], |mara| mara)
        .holder("ines", ["purse"], |ines| ines)
        .holder("guest", ["purse"], |guest| guest)
        .start("mara.purse", ["2 tin"])
        .start("ines.purse", ["15 coin"])
        .build();
    Arc::new(rules.unwrap_or_else(|errors| panic!("{errors}")))
}

fn server() -> Server {
    Server::new(World::new(&rules()), 10)
}

fn trade(text: &str) -> NamedOperation {
    text.parse().unwrap_or_else(|error| panic!("{text}: {error}"))
}

fn reason<T: std::fmt::Debug>(answer: Result<T, Answer>) -> Option<Reason> {
    answer.expect_err("refused").reason()
}

fn count(server: &Server, kind: &str, holder: &str) -> u64 {
    let world = server.world();
    world.count(world.rules().find_kind(kind).unwrap(), world.holder(holder).map(Into::into))
}

#[test]
fn a_trade_is_applied_when_the_other_side_accepts() {
    let mut server = server();
    let offer = server.offer("mara", &trade("trade 2 tin of mara for 15 coin of ines")).expect("an offer");
    assert_eq!((count(&server, "tin", "mara"), server.world().revision()), (2, 0));
    let open: Vec<(&str, &str)> = server.offers().map(|offer| (offer.by.as_str(), offer.to.as_str())).collect();
    assert_eq!(open, [("mara", "ines")]);
    let (outcome, replies) = server.accept("ines", offer).expect("the trade");
    assert_eq!((outcome.done(), count(&server, "tin", "ines"), count(&server, "coin", "mara")), (2, 2, 15));
    assert!(matches!(replies.to_all, Some(ToClient::Update { .. })));
    assert_eq!(server.offers().count(), 0);
    assert_eq!(reason(server.accept("ines", offer)), Some(Reason::Unknown));
}

#[test]
fn only_the_two_holders_take_part() {
    let mut server = server();
    let offered = trade("trade 2 tin of mara for 15 coin of ines");
    assert_eq!(reason(server.offer("guest", &offered)), Some(Reason::NotAllowed));
    // The holder who names the trade offers it to the other.
    let offer = server.offer("ines", &offered).expect("an offer");
    assert_eq!(reason(server.accept("ines", offer)), Some(Reason::NotAllowed));
    assert_eq!(reason(server.accept("guest", offer)), Some(Reason::NotAllowed));
    assert!(!server.withdraw("guest", offer));
    assert!(server.withdraw("mara", offer));
    assert_eq!(reason(server.accept("mara", offer)), Some(Reason::Unknown));
}

#[test]
fn an_offer_is_stale_when_what_it_names_has_changed() {
    let mut server = server();
    let offer = server.offer("mara", &trade("trade 1 tin of mara for 5 coin of ines")).expect("an offer");
    // What is not named may change.
    let created = trade("create 1 coin in guest.purse").resolve(server.world()).unwrap();
    let _ = server.perform(&created).unwrap();
    let eaten = trade("consume 1 tin from mara.purse").resolve(server.world()).unwrap();
    let _ = server.perform(&eaten).unwrap();
    assert_eq!(reason(server.accept("ines", offer)), Some(Reason::Stale));
    assert_eq!(count(&server, "coin", "ines"), 15);
    // A new offer for what there is now.
    let offer = server.offer("mara", &trade("trade 1 tin of mara for 5 coin of ines")).expect("an offer");
    assert_eq!(server.accept("ines", offer).expect("the trade").0.done(), 1);
}

#[test]
fn an_offer_that_could_not_be_applied_is_refused_at_once() {
    let mut server = server();
    let offered = |text: &str, server: &mut Server| reason(server.offer("mara", &trade(text)));
    assert_eq!(offered("trade 3 tin of mara for 15 coin of ines", &mut server), Some(Reason::NotEnough));
    assert_eq!(offered("trade 2 tin of mara for 1 coin of nora", &mut server), Some(Reason::Unknown));
    assert_eq!(offered("move 1 tin from mara.purse to ines.purse", &mut server), Some(Reason::Unknown));
    assert_eq!(server.offers().count(), 0);
}

#[test]
fn clients_see_the_open_offers() {
    let mut server = server();
    let rules = rules();
    let joined = server.receive(&ToServer::Join { protocol: PROTOCOL }).to_sender;
    let [ToClient::World(initial)] = joined.as_slice() else { panic!("{joined:?}") };
    let mut mara = Client::new("mara", &rules, initial).unwrap();
    let mut ines = Client::new("ines", &rules, initial).unwrap();
    let mut deliver = |replies: Replies, sender: &str| {
        for (name, client) in [("mara", &mut mara), ("ines", &mut ines)] {
            let own = replies.to_sender.iter().filter(|_| name == sender);
            for message in replies.to_all.iter().chain(own).chain(&replies.offers) {
                let text = serde_json::to_string(message).unwrap();
                assert!(client.receive(&serde_json::from_str(&text).unwrap()).unwrap().send.is_empty());
            }
        }
        [mara.offers().len(), ines.offers().len()]
    };
    let offered = ToServer::Offer { trade: Box::new(trade("trade 2 tin of mara for 15 coin of ines")) };
    let text = serde_json::to_string(&offered).unwrap();
    assert_eq!(text, r#"{"offer":{"trade":"trade 2 tin of mara for 15 coin of ines"}}"#);
    let offered: ToServer = serde_json::from_str(&text).unwrap();
    let replies = server.receive_from("mara", &offered);
    assert_eq!(deliver(replies, "mara"), [1, 1]);
    // A client that joins later sees them too.
    assert_eq!(server.receive(&ToServer::Join { protocol: PROTOCOL }).to_sender.len(), 2);
    // Nobody offers without a holder.
    assert_eq!(server.receive(&offered), Replies::default());
    let offer = server.offers().next().unwrap().id;
    let replies = server.receive_from("ines", &ToServer::Withdraw { offer });
    assert_eq!(deliver(replies, "ines"), [0, 0]);
    let replies = server.receive_from("mara", &offered);
    assert_eq!(deliver(replies, "mara"), [1, 1]);
    let offer = server.offers().next().unwrap().id;
    let replies = server.receive_from("ines", &ToServer::Accept { offer });
    assert_eq!(deliver(replies, "ines"), [0, 0]);
    assert_eq!(count(&server, "coin", "mara"), 15);
    let replies = server.receive_from("ines", &ToServer::Accept { offer });
    let refused = matches!(&replies.to_sender[..], [ToClient::Answer { answer, .. }] if answer.reason().is_some());
    assert!(refused, "{replies:?}");
    assert_eq!(mara.world().snapshot(), server.world().snapshot());
}
