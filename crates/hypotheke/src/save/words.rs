//! Errors of the readers of saves in plain words.

/// The parts of a message that name a type of the program, and their plain words.
const TYPES: [(&str, &str); 15] = [
    ("u8", "a whole number"),
    ("u16", "a whole number"),
    ("u32", "a whole number"),
    ("u64", "a whole number"),
    ("usize", "a whole number"),
    ("i64", "a whole number"),
    ("a string", "a text"),
    ("string", "a text"),
    ("a borrowed string", "a text"),
    ("a sequence", "a list"),
    ("sequence", "a list"),
    ("map", "an object"),
    ("a map", "an object"),
    ("null", "nothing"),
    ("unit value", "nothing"),
];

/// A message about data of the wrong shape in plain words; all other messages stay.
pub(super) fn plain(message: &str) -> String {
    let quoted = |rest: &str| rest.split('`').next().unwrap_or(rest).to_owned();
    if let Some(rest) = message.strip_prefix("unknown field `") {
        return format!("unknown key `{}`", quoted(rest));
    }
    if let Some(rest) = message.strip_prefix("missing field `") {
        return format!("the key `{}` is missing", quoted(rest));
    }
    if let Some(rest) = message.strip_prefix("duplicate field `") {
        return format!("the key `{}` occurs twice", quoted(rest));
    }
    let rest = ["invalid type: ", "invalid value: ", "invalid length "].iter().find_map(|it| message.strip_prefix(it));
    match rest.and_then(|rest| rest.rsplit_once(", expected ")) {
        Some((found, expected)) => format!("expected {}, found {}", type_text(expected), value_text(found)),
        None => message.to_owned(),
    }
}

fn type_text(expected: &str) -> String {
    let known = TYPES.iter().find(|(word, _)| *word == expected).map(|(_, plain)| *plain);
    match (known, expected.split_whitespace().next()) {
        (Some(plain), _) => plain.to_owned(),
        (None, Some("struct")) => "an object".to_owned(),
        (None, Some("tuple")) => "a list of a different length".to_owned(),
        _ => expected.to_owned(),
    }
}

/// `string "x"` is `"x"`, and integer `-1` is `-1`.
fn value_text(found: &str) -> String {
    let value = ["string ", "integer ", "floating point ", "boolean ", "character "];
    match value.iter().find_map(|it| found.strip_prefix(it)) {
        Some(value) => value.to_owned(),
        None if found.bytes().all(|byte| byte.is_ascii_digit()) => format!("a list of {found}"),
        None => type_text(found),
    }
}

#[cfg(test)]
mod tests {
    use super::plain;

    #[test]
    fn messages_about_the_wrong_shape_are_plain() {
        for (message, expected) in [
            ("unknown field `x`, expected one of `a`, `b`", "unknown key `x`"),
            ("missing field `format`", "the key `format` is missing"),
            ("duplicate field `format`", "the key `format` occurs twice"),
            ("invalid type: string \"x\", expected u32", "expected a whole number, found \"x\""),
            ("invalid value: integer `-1`, expected u64", "expected a whole number, found `-1`"),
            ("invalid type: sequence, expected struct Document", "expected an object, found a list"),
            (
                "invalid length 3, expected tuple of length 2",
                "expected a list of a different length, found a list of 3",
            ),
            ("expected `,` or `}`", "expected `,` or `}`"),
        ] {
            assert_eq!(plain(message), expected);
        }
    }
}
