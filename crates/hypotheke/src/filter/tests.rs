use proptest::prelude::*;

use super::{Comparison, Filter, Literal};
use crate::quantity::Decimal;
use crate::text::{Span, Word};

fn parse(text: &str) -> Filter {
    text.parse().unwrap_or_else(|error| panic!("{text}: {error}"))
}

fn name(text: &str) -> Filter {
    Filter::Name(Word::from(text))
}

#[test]
fn not_binds_before_and_and_and_before_or() {
    let a_and_not_b = Filter::And(vec![name("a"), Filter::Not(Box::new(name("b")))]);
    assert_eq!(parse("a and not b or c"), Filter::Or(vec![a_and_not_b, name("c")]));
    assert_eq!(parse("a or b and c"), Filter::Or(vec![name("a"), Filter::And(vec![name("b"), name("c")])]));
    assert_eq!(parse("not a and b"), Filter::And(vec![Filter::Not(Box::new(name("a"))), name("b")]));
    assert_eq!(parse("not (a or b)"), Filter::Not(Box::new(Filter::Or(vec![name("a"), name("b")]))));
}

#[test]
fn comparisons_read_numbers_and_texts() {
    let weight = Word::from("weight");
    let number = Literal::Number(Decimal::from_thousandths(2_500));
    assert_eq!(parse("weight<=2.5"), Filter::Compare(weight, Comparison::AtMost, number));
    let colour = Word::from("colour");
    let red = Filter::Compare(colour, Comparison::NotEqual, Literal::Text("dark red".into()));
    assert_eq!(parse(r#"colour != "dark red""#), red);
}

#[test]
fn errors_name_the_part_that_is_wrong() {
    for (text, part, message) in [
        ("", "", "a condition is missing at the end"),
        ("fuel or", "r", "a condition is missing at the end"),
        ("fuel and and food", "and", "a condition is missing before `and`"),
        ("fuel food", "food", "unexpected `food`"),
        ("(fuel or food", "(", "this parenthesis is not closed"),
        ("fuel)", ")", "this parenthesis has no opening parenthesis"),
        ("fuel || food", "||", "unexpected `||` in a filter"),
        ("weight <= 2,5", "2,5", "`2,5`: it has a decimal comma instead of a point"),
        ("weight < 0.0001", "0.0001", "`0.0001`: more than three decimal places"),
        ("weight == 2", "==", "`==` is not a comparison"),
        ("colour = \"red", "\"red", "this text is not closed"),
        ("Fuel", "Fuel", "`Fuel` is not a name"),
    ] {
        let error = text.parse::<Filter>().expect_err(text);
        assert_eq!(error.to_string(), message, "{text}");
        assert_eq!(&text[error.span().start()..error.span().end()], part, "{text}");
    }
}

#[test]
fn a_filter_nested_beyond_reason_is_refused() {
    for text in ["(".repeat(100_000), "not ".repeat(100_000), format!("{}a", "(not ".repeat(40))] {
        let error = text.parse::<Filter>().expect_err("too deep");
        assert_eq!(error.to_string(), "the filter is nested more than 64 deep");
    }
    let wide = vec!["a"; 10_000].join(" and ");
    assert_eq!(parse(&wide).to_string(), wide);
}

fn any_filter() -> impl Strategy<Value = Filter> {
    let word = "[a-z][a-z0-9]{0,4}(-[a-z]{1,3})?(\\.[a-z]{1,3})?"
        .prop_filter("a word of the language", |word| !matches!(word.as_str(), "and" | "or" | "not"))
        .prop_map(|text| Word::new(text, Span::default()));
    let comparison = prop::sample::select(Comparison::ALL.to_vec());
    let literal = prop_oneof![
        (-9_999_999i64..9_999_999).prop_map(|n| Literal::Number(Decimal::from_thousandths(n))),
        "[^\"]{0,8}".prop_map(Literal::Text),
    ];
    let leaf = prop_oneof![
        word.clone().prop_map(Filter::Name),
        (word, comparison, literal).prop_map(|(word, comparison, literal)| Filter::Compare(word, comparison, literal)),
    ];
    leaf.prop_recursive(6, 40, 4, |part| {
        prop_oneof![
            part.clone().prop_map(|part| Filter::Not(Box::new(part))),
            prop::collection::vec(part.clone(), 2..4).prop_map(Filter::And),
            prop::collection::vec(part, 2..4).prop_map(Filter::Or),
        ]
    })
}

proptest! {
    #[test]
    fn printing_then_parsing_gives_the_same_filter(filter in any_filter()) {
        prop_assert_eq!(parse(&filter.to_string()), filter);
    }

    #[test]
    fn no_text_makes_it_panic(text in "\\PC*") {
        let _ = text.parse::<Filter>();
    }

    #[test]
    fn no_mix_of_its_words_makes_it_panic(words in prop::collection::vec(
        prop::sample::select(vec!["(", ")", "not", "and", "or", "a", "weight", "<", "=", "\"", "1.5", " ", "é"]), 0..40)) {
        let text = words.concat();
        if let Err(error) = text.parse::<Filter>() {
            prop_assert!(text.get(error.span().start()..error.span().end().min(text.len())).is_some(), "{}", text);
        }
    }
}
