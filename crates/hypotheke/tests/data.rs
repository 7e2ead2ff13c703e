//! Operations as plain data: JSON in and out, and nothing that is not there.

use hypotheke::{Amount, Decimal, NamedAction, NamedOperation, Reason, StackId};
use proptest::prelude::*;

fn parse(sentence: &str) -> NamedOperation {
    sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"))
}

#[test]
fn an_operation_is_written_by_names() {
    let json = |sentence: &str| serde_json::to_value(parse(sentence)).expect("plain data");
    assert_eq!(
        json("surveyor moves up to 3 flare from depot/0 to sled"),
        serde_json::json!({
            "actor": "surveyor",
            "action": { "move": { "amount": { "up-to": 3 }, "kind": "flare", "from": "depot/0", "to": "sled" } }
        })
    );
    assert_eq!(
        json("create 1 ice-core (contaminated, reading 3.2) in freezer"),
        serde_json::json!({
            "action": { "create": {
                "amount": { "exactly": 1 },
                "kind": "ice-core",
                "variant": { "marks": ["contaminated"], "properties": [["reading", "3.2"]] },
                "to": "freezer",
                "landing": { "at": { "x": "0", "y": "0" } }
            } }
        })
    );
    assert_eq!(
        json("swap a/0 with b/1"),
        serde_json::json!({ "action": { "swap": { "one": "a/0", "other": "b/1" } } })
    );
}

#[test]
fn json_that_is_wrong_is_refused_with_its_cause() {
    for (json, cause) in [
        (r#"{}"#, "missing field `action`"),
        (r#"{"action":{"move":{"amount":"all","kind":null,"from":"a"}}}"#, "missing field `to`"),
        (r#"{"action":{"fly":{}}}"#, "unknown variant `fly`"),
        (r#"{"action":{"swap":{"one":"a/0","other":"b/1","third":"c/2"}}}"#, "unknown field `third`"),
        (r#"{"actor":"x","action":{"swap":{"one":"a/0","other":"b/1"}},"id":1}"#, "unknown field `id`"),
        (r#"{"action":{"swap":{"one":"A","other":"b/1"}}}"#, "a place has lower-case letters"),
        (r#"{"action":{"consume":{"amount":{"exactly":-1},"kind":null,"from":"a"}}}"#, "invalid value: integer `-1`"),
        (
            r#"{"action":{"consume":{"amount":{"exactly":1e30},"kind":null,"from":"a"}}}"#,
            "invalid type: floating point",
        ),
        (
            r#"{"action":{"consume":{"amount":{"exactly":4294967296},"kind":null,"from":"a"}}}"#,
            "invalid value: integer",
        ),
        (
            r#"{"action":{"drop":{"amount":"all","kind":null,"from":"a","landing":{"at":{"x":"0.0001","y":"0"}}}}}"#,
            "more than three decimal places",
        ),
        (r#"{"action":{"drop":{"amount":"some","kind":null,"from":"a"}}}"#, "unknown variant `some`"),
    ] {
        let error = serde_json::from_str::<NamedOperation>(json).expect_err(json).to_string();
        assert!(error.starts_with(cause), "{json}: {error}");
    }
}

#[test]
fn what_may_be_left_out_is_filled_in() {
    let short = r#"{"action":{"drop":{"amount":{"exactly":2},"kind":"flare","from":"sled"}}}"#;
    assert_eq!(serde_json::from_str::<NamedOperation>(short).expect(short), parse("drop 2 flare from sled"));
    let NamedAction::PickUp { amount, kind, from, to } = parse("surveyor picks up").action else { panic!("a pick up") };
    assert_eq!((amount, kind, from, to), (Amount::All, None, None, None));
}

#[test]
fn a_sentence_names_its_places_in_order() {
    let places = |sentence: &str| parse(sentence).action.places().map(ToString::to_string).collect::<Vec<_>>();
    assert_eq!(places("move from a to b/2"), ["a", "b/2"]);
    assert_eq!(places("swap a/0 with b/1"), ["a/0", "b/1"]);
    assert_eq!(places("create 1 flare in c"), ["c"]);
    assert_eq!(places("surveyor picks up flare"), [""; 0]);
    assert_eq!(parse("pick up flare to a").action.past_verb(), "picked up");
}

#[test]
fn reasons_are_found_by_their_codes() {
    for reason in Reason::ALL {
        assert_eq!(Reason::from_code(reason.code()), Some(reason));
        assert_eq!(serde_json::to_value(reason).expect("a code"), reason.code());
    }
    assert!(Reason::ALL.is_sorted(), "they are in the order of the checks");
    assert_eq!(Reason::from_code("Weight-Cap"), None);
}

#[test]
fn ids_are_texts_with_the_world_in_front() {
    let id = StackId::new(3, 12);
    assert_eq!((id.to_string(), id.world(), id.serial()), ("#3:12".to_owned(), 3, 12));
    assert_eq!(StackId::new(0, 7).to_string(), "#7");
    assert_eq!("#3:12".parse(), Ok(id));
    // As a number it would not fit the numbers of most readers of JSON.
    assert_eq!(serde_json::to_string(&id).expect("a text"), "\"#3:12\"");
    assert_eq!(serde_json::from_str::<StackId>("\"#3:12\"").expect("the same"), id);
    assert!(serde_json::from_str::<StackId>("12").is_err());
}

proptest! {
    #[test]
    fn json_gives_back_the_operation(verb in 0..9u8, count in any::<u32>(), x in -999_999_999i64..999_999_999, world in 0u32..1 << 24, serial in 1u64..1 << 40) {
        let stack = StackId::new(world, serial);
        let sentence = match verb {
            5 => format!("ann resizes a to {count} with spill"),
            6 => "sort a by weight".to_owned(),
            7 => format!("bind flare to ann.shortcuts/{}", count % 9),
            8 => "together (ann opens a; ann leaves; ann unbinds shortcuts/0; ann closes b)".to_owned(),
            0 => format!("create {count} core (wet, reading {}) in a/7", Decimal::from_thousandths(x)),
            1 => format!("ann drops up to {count} flare at {},-3.5 within 2", Decimal::from_thousandths(x)),
            2 => format!("pick up {count} from ground/{stack} to ann.bag"),
            3 => format!("consume {count} rope from {stack}"),
            _ => format!("move up to {count} from a@{},2 to b", count % 99),
        };
        let operation = parse(&sentence);
        prop_assert_eq!(operation.to_string(), sentence);
        let json = serde_json::to_string(&operation).expect("plain data");
        prop_assert_eq!(serde_json::from_str::<NamedOperation>(&json).expect("its own"), operation);
    }
}
