use proptest::prelude::*;

use super::{NamedOperation, Path, Verb};

#[test]
fn reserved_words_are_in_order() {
    assert!(super::RESERVED.is_sorted());
}

#[test]
fn sentences_print_as_they_are_usually_written() {
    for sentence in [
        "create 3 fuel-drum in depot",
        "create up to 3 ice-core (contaminated, reading 3.2) in freezer/2",
        "create 1 flare in ground at 2.5,-1",
        "consume 2 ration-box from sled",
        "consume ration-box from sled",
        "move from depot to sled",
        "move up to 9 ration-box from depot/3 to sled@1,4",
        "surveyor moves 1 flare from surveyor.pockets/0 to locker-a",
        "split 2 from sled/0 to sled/3",
        "surveyor splits 1 from pockets/0 to depot",
        "merge sled/0 onto sled@1,4",
        "surveyor merges up to 2 from pockets/0 onto pockets/1",
        "swap sled/0 with harness/head",
        "drop 1 flare from sled at 2.5,-1 within 3",
        "surveyor drops flare",
        "pick up 1 flare from ground/#12 to sled",
        "surveyor picks up from ground/#3:12",
        "surveyor picks up up to 2 flare",
    ] {
        let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
        assert_eq!(operation.to_string(), sentence);
    }
}

/// Each row of the table is what the parser and the printer make of its verb.
#[test]
fn verbs_are_read_and_written_by_their_table() {
    for (number, verb) in Verb::ALL.into_iter().enumerate() {
        assert_eq!(verb as usize, number, "{verb:?} is in its place");
        let row = verb.row();
        let operation: NamedOperation = row.example.parse().unwrap_or_else(|error| panic!("{}: {error}", row.example));
        assert_eq!((operation.action.verb(), operation.to_string().as_str()), (verb, row.example));
        let by_holder = operation.actor.is_some();
        assert!(by_holder || !row.needs_actor, "{}", row.example);
        let begin = if by_holder { format!("surveyor {}", row.third_person) } else { row.plain.to_owned() };
        assert!(row.example.starts_with(&begin), "{} begins with {begin}", row.example);
        // With or without a holder that acts, the words of the other form are refused.
        let (actor, words) = if by_holder { ("", row.plain) } else { ("surveyor ", row.third_person) };
        let other = row.example.replacen(&begin, &format!("{actor}{words}"), 1);
        let read: NamedOperation = other.parse().unwrap_or_else(|error| panic!("{other}: {error}"));
        assert_eq!((read.action.verb(), read.to_string()), (verb, other));
        assert_eq!((Verb::of_word(verb.word()), row.draws > 0), (Some(verb), true));
    }
}

#[test]
fn errors_name_the_part_that_is_wrong_and_what_to_write() {
    for (sentence, part, message, help) in [
        ("mvoe 3 flare from a to b", "mvoe", "`mvoe` is not an operation", "Did you mean `move`, as in"),
        ("moves 3 flare from a to b", "moves", "`moves` is not an operation", "Write `move` without an acting holder"),
        ("surveyor drop flare", "surveyor", "`surveyor` is not an operation", "Write `drops` after an acting holder"),
        ("move 3 flare to b", "to", "expected `from`, found `to`", ""),
        ("move 3 flare from a", "a", "expected `to` at the end of the line", ""),
        ("move -3 flare from a to b", "-3", "`-3` is not a count", "Write a whole number from 0"),
        ("move 99999999999 flare from a to b", "99999999999", "`99999999999` is not a count", "Write a whole"),
        ("move 1.5 flare from a to b", "1.5", "`1.5` is not a count", "Write a whole number"),
        ("create flare in a", "flare", "the amount is missing", "Write an amount, as in `create 3 fuel-drum"),
        ("swap sled//3 with b", "sled//3", "`sled//3`: a name is missing in this place", "Write a place such as"),
        ("swap Sled with b", "Sled", "`Sled`: a place has lower-case", "Write a place such as"),
        ("swap a with b c", "c", "unexpected `c` after the sentence", ""),
        ("create 1 core (wet reading) in a", "reading", "expected `,` or `)`, found `reading`", ""),
        ("drop flare at 1", "1", "expected `,` and the second number of the position at the end", ""),
    ] {
        let error = sentence.parse::<NamedOperation>().expect_err(sentence);
        assert!(error.to_string().starts_with(message), "{sentence}: {error}");
        assert_eq!(&sentence[error.span().start()..error.span().end()], part, "{sentence}");
        assert!(error.help_text().unwrap_or_default().starts_with(help), "{sentence}: {:?}", error.help_text());
    }
}

#[test]
fn an_operation_survives_json() {
    let operation: NamedOperation = "surveyor drops 2 flare from sled at 1.5,0".parse().expect("a sentence");
    let json = serde_json::to_string(&operation).expect("plain data");
    assert_eq!(serde_json::from_str::<NamedOperation>(&json).expect(&json), operation);
}

fn any_path() -> impl Strategy<Value = String> {
    let root =
        prop_oneof!["[a-z][a-z0-9-]{0,5}", "[a-z]{1,4}\\.[a-z]{1,4}", Just("ground".to_owned()), "#[1-9][0-9]{0,3}"];
    let step = prop_oneof!["/[0-9]{1,2}", "/[a-z]{1,4}", "@[0-9],[0-9]", "/#[1-9]"];
    (root, prop::collection::vec(step, 0..4)).prop_map(|(root, steps)| root + &steps.concat())
}

proptest! {
    #[test]
    fn printing_a_path_gives_what_was_parsed(text in any_path()) {
        let path: Path = text.parse().expect("a path");
        let again: Path = path.to_string().parse().expect("a printed path");
        prop_assert_eq!(path, again);
    }

    #[test]
    fn no_text_makes_it_panic(text in "\\PC*") {
        let _ = text.parse::<NamedOperation>();
        let _ = text.parse::<Path>();
    }

    #[test]
    fn no_mix_of_its_words_makes_it_panic(words in prop::collection::vec(prop::sample::select(vec![
        "move", "moves", "create", "pick", "up", "to", "from", "in", "with", "at", "within", "all", "3", "-1", "0.5", "a",
        "a/", "#", "#1", "#1:2", "@1,2", ",", ":", "(", ")", "->", "é", "\u{7}", "99999999999999999999"]), 0..12)) {
        let text = words.join(" ");
        if let Err(error) = text.parse::<NamedOperation>() {
            prop_assert!(text.get(error.span().start()..error.span().end()).is_some(), "{}", text);
        }
    }
}
