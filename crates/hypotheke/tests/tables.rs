//! Tables of kinds as spreadsheets export them.

use hypotheke::text::Severity;
use hypotheke::{PropertyValue, Ruleset, RulesetErrors};

fn load(table: &str) -> Result<Ruleset, RulesetErrors> {
    Ruleset::from_bytes("rules.toml", b"tables = [\"items.csv\"]".to_vec(), |name| {
        Ok((name.to_owned(), table.as_bytes().to_vec()))
    })
}

fn summary(table: &str) -> Vec<String> {
    let rules = load(table).unwrap_or_else(|errors| panic!("{errors}\n{table}"));
    let line = |kind: hypotheke::Kind<'_>| {
        let properties = kind.properties().map(|(property, value)| match value {
            PropertyValue::Number(number) => format!("{}={number}", rules.properties()[property.index()].name()),
            PropertyValue::Text(text) => format!("{}='{text}'", rules.properties()[property.index()].name()),
        });
        let rest = kind.tags().map(str::to_owned).chain(properties).collect::<Vec<_>>().join(" ");
        format!(
            "{}|{}|{}|{}|{}|{}|{rest}",
            kind.id(),
            kind.name(),
            kind.note(),
            kind.weight(),
            kind.value(),
            kind.stack_limit()
        )
    };
    rules.kinds().map(line).collect()
}

fn faults(table: &str) -> Vec<String> {
    let errors = load(table).expect_err(table);
    errors.to_string().lines().map(str::to_owned).collect()
}

#[test]
fn every_dialect_reads_the_same() {
    let expected = ["flare|Flare|red, bright|0.3|9|6|signal", "rope|rope||3.2|0|1|rope-like tool"];
    for table in [
        "id,name,note,tags,weight,value,stack-limit\nflare,Flare,\"red, bright\",signal,0.3,9,6\nrope,,,tool rope-like,3.2,,\n",
        "id;name;note;tags;weight;value;stack-limit\r\nflare;Flare;red, bright;signal;0.3;9;6\r\nrope;;;tool rope-like;3.2;;\r\n",
        "id\tname\tnote\ttags\tweight\tvalue\tstack-limit\nflare\tFlare\tred, bright\tsignal\t0.3\t9\t6\nrope\t\t\ttool rope-like\t3.2\t\t",
        "\u{feff}Stack Limit,ID,Name,Note,Tags,Weight,Value\n6,flare,Flare,\"red, bright\",signal,0.3,9\n,rope,,,tool  rope-like,3.2,\n",
        "\"id\",\"name\",\"note\",\"tags\",\"weight\",\"value\",\"stack-limit\"\n\"flare\",\"Flare\",\"red, bright\",\"signal\",\"0.3\",\"9\",\"6\"\n\n\
         \"rope\",\"\",\"\",\"tool rope-like\",\"3.2\",\"\",\"\"\n,,,,,,\n",
        "id,name,note,tags,weight,value,stack-limit,\nflare, Flare ,\"red, bright\",signal,0.3,9,6,\nrope,,,tool rope-like, 3.2 ,,,\n",
    ] {
        assert_eq!(summary(table), expected, "{table}");
    }
}

#[test]
fn a_quoted_cell_may_hold_quotes_and_line_breaks() {
    assert_eq!(
        summary("id,note\nflare,\"two\nlines and a \"\"quote\"\"\"\n"),
        ["flare|flare|two\nlines and a \"quote\"|0|0|1|"]
    );
    // A quotation mark within a cell begins no quoted text.
    assert_eq!(summary("id,name,note\nflare,5\" flare,\"red\"\n"), ["flare|5\" flare|red|0|0|1|"]);
}

#[test]
fn further_columns_are_properties_of_numbers_or_texts() {
    let table = "id,reach,colour\na,1.5,red\nb,,\nc,-2,7\n";
    assert_eq!(summary(table), ["a|a||0|0|1|reach=1.5 colour='red'", "b|b||0|0|1|", "c|c||0|0|1|reach=-2 colour='7'"]);
}

#[test]
fn a_column_of_numbers_with_one_text_is_warned_of() {
    let mut table = String::from("id,reach\n");
    for number in 0..12 {
        table.push_str(&format!("k{number},{number}\n"));
    }
    let rules = load(&table.replace("k7,7", "k7,far")).expect("valid");
    let warning = rules.warnings().iter().next().expect("a warning");
    assert_eq!((warning.severity(), warning.code()), (Severity::Warning, "mixed-column"));
    assert_eq!(rules.warnings().line_column(warning.location()).line, 9);
}

#[test]
fn faults_name_row_and_column() {
    for (table, expected) in [
        (
            "",
            "items.csv:1:1: error: the table is empty (Write the names of the columns in the first row: `id,name,tags,weight,stack-limit`)",
        ),
        (
            "name,weight\nFlare,1\n",
            "items.csv:1:1: error: the first row has no column `id` (Write the names of the columns in the first row: id, name, note, \
             tags, weight, value, stack-limit, protected, most-in-world, pack, occupies-slots)",
        ),
        (
            "id,wieght\na,1\n",
            "items.csv:1:4: error: unknown column `wieght` (Did you mean `weight`? A property needs a less similar name)",
        ),
        ("id,weight,Weight\na,1,2\n", "items.csv:1:11: error: column `weight` occurs twice"),
        (
            "id,weight\na,\"1,5\"\n",
            "items.csv:2:3: error: row 2, column `weight`: `1,5`: it has a decimal comma instead of a point (Write `1.5`)",
        ),
        (
            "id;weight\na;1,5\n",
            "items.csv:2:3: error: row 2, column `weight`: `1,5`: it has a decimal comma instead of a point (Write `1.5`)",
        ),
        (
            "id;reach\na;1\nb;2,5\n",
            "items.csv:3:3: error: row 3, column `reach`: `2,5`: it has a decimal comma instead of a point (Write `2.5`)",
        ),
        ("id,weight\na,-1\n", "items.csv:2:3: error: a weight must not be negative"),
        (
            "id,weight\na,0.1234\n",
            "items.csv:2:3: error: row 2, column `weight`: `0.1234`: more than three decimal places (Write a number with at most three decimal \
             places)",
        ),
        (
            "id,stack-limit\na,0\n",
            "items.csv:2:3: error: row 2, column `stack-limit`: `0` is not a limit (Write a whole number from 1 to 4294967295)",
        ),
        (
            "id,name,weight\na,A,1\nb,B\n",
            "items.csv:3:1: error: row 3 has 2 cells, but the header names 3 columns (Add the missing cells, or a separator for \
             each)",
        ),
        (
            "id,name\na,A,surplus\n",
            "items.csv:2:1: error: row 2 has 3 cells, but the header names 2 columns (Put a text that contains the separator in quotes)",
        ),
        ("id,name\na,A\na,B\n", "items.csv:3:1: error: kind `a` is defined twice (Rename or remove one of them)"),
        (
            "id,name\nFuel Drum,A\n",
            "items.csv:2:1: error: invalid name `Fuel Drum` of a kind: a name begins with a letter and has lower-case letters, \
             digits and `-` (Write `fuel-drum`)",
        ),
        (
            "id,tags\na,food Sweet\n",
            "items.csv:2:3: error: invalid name `Sweet` of a tag: a name begins with a letter and has lower-case letters, digits, \
             `-` and `.` (Write `sweet`)",
        ),
        (
            "id,tags\na,b\nb,c\n",
            "items.csv:3:1: error: `b` is the name of a kind and a tag (Rename one of them: kinds, tags and marks share one namespace)",
        ),
        (
            "id,name\na,A\nb,\"B\nc,C\n",
            "items.csv:3:1: error: a quotation mark is not closed (Close it, or write two of them for one that is part of the text)",
        ),
        (
            "id,name\na,\"A",
            "items.csv:2:1: error: a quotation mark is not closed (Close it, or write two of them for one that is part of the text)",
        ),
        (
            "id,name,\na,A,extra\n",
            "items.csv:2:5: error: the column of this cell has no name (Name the column in the first row, or empty the cell)",
        ),
    ] {
        assert_eq!(faults(table), [expected], "{table}");
    }
}

#[test]
fn a_table_that_is_wrong_in_every_row_does_not_flood() {
    let mut table = String::from("id,weight\n");
    for number in 0..5_000 {
        table.push_str(&format!("k{number},heavy\n"));
    }
    let found = faults(&table);
    assert_eq!(found.len(), 101);
    assert_eq!(found[100], "4900 more are not listed");
}

#[test]
fn several_tables_make_one_list_and_inline_kinds_come_first() {
    let rules = "tables = [\"a.csv\", \"b.csv\"]\n[kind.inline]\n";
    let table = |name: &str| Ok((name.to_owned(), format!("id\nfrom-{}\n", &name[..1]).into_bytes()));
    let rules = Ruleset::from_bytes("rules.toml", rules.as_bytes().to_vec(), table).expect("valid");
    assert_eq!(rules.kinds().map(hypotheke::Kind::id).collect::<Vec<_>>(), ["inline", "from-a", "from-b"]);
}

#[test]
fn a_column_has_the_maximum_number_in_the_world() {
    let rules = load("id,most-in-world\na,1\nb,\n").expect("valid");
    assert_eq!(rules.kinds().map(hypotheke::Kind::max_in_world).collect::<Vec<_>>(), [Some(1), None]);
    let found = faults("id,most-in-world\na,0\n");
    assert_eq!(
        found,
        [
            "items.csv:2:3: error: row 2, column `most-in-world`: `0` is not a limit (Write a whole number from 1 to 4294967295)"
        ]
    );
}

#[test]
fn a_column_says_which_kinds_are_kept() {
    let rules = load("id,protected\na,yes\nb,\nc,No\nd,TRUE\n").expect("valid");
    assert_eq!(rules.kinds().map(hypotheke::Kind::is_protected).collect::<Vec<_>>(), [true, false, false, true]);
    assert_eq!(
        faults("id,protected\na,maybe\n"),
        [
            "items.csv:2:3: error: row 2, column `protected`: `maybe` is neither yes nor no (Write `yes` or `no`, or leave the cell empty)"
        ]
    );
}
