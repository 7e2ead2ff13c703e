//! Whether the cost of reading bad input, of running many rows and of coverage grows faster than
//! the input. `cargo bench -p hypotheke-bench --bench input`

#![expect(clippy::panic, reason = "the texts are our own")]

use std::fmt::Write;
use std::hint::black_box;
use std::num::NonZeroUsize;
use std::sync::Arc;

use hypotheke::coverage::{CoverageOptions, coverage};
use hypotheke::scenario::ReportDetail;
use hypotheke::text::Source;
use hypotheke::{Ruleset, ScenarioFile};
use hypotheke_bench::timed;

const SIZES: [usize; 3] = [1_000, 10_000, 100_000];
const RUNS: usize = 3;
const END: &str = "[kind.a]\nstack-limit = 99\n[container.c]\nslots = 1\n";

fn main() {
    println!(
        "medians of {RUNS} runs in milliseconds, by the size of the input; then how many times as long for ten times as much"
    );
    for (name, act) in CASES {
        let medians = SIZES.map(|size| {
            let mut times: Vec<f64> = (0..RUNS).map(|_| act(size)).collect();
            times.sort_by(f64::total_cmp);
            times[RUNS / 2]
        });
        let [small, middle, large] = medians;
        println!(" {name:28} {small:9.2} {middle:9.2} {large:9.2}   {:5.1} {:5.1}", middle / small, large / middle);
    }
}

type Case = (&'static str, fn(usize) -> f64);

/// What grows with the size, each on its own.
const CASES: [Case; 14] = [
    ("unknown keys", |size| read(&lines(size, |n| format!("zz{n} = 1\n")), END)),
    ("sections of one name", |size| read(&lines(size, |_| "[kind.b]\n".to_owned()), END)),
    ("tags of one kind", |size| read(&format!("[kind.b]\ntags = [{}]\n", lines(size, |n| format!("\"t{n}\","))), END)),
    ("unknown kinds at the start", |size| {
        read(END, &format!("[start]\nc = [{}]\n", lines(size, |n| format!("\"1 zz{n}\","))))
    }),
    ("attributes", |size| read(&lines(size, |n| format!("[kind.k{n}]\nattributes = {{ x{n} = 1 }}\n")), END)),
    ("needs of one kind", |size| {
        let needs = lines(size, |n| format!("\"s{n}\","));
        let slots = lines(size, |n| format!("{{ name = \"s{n}\" }},"));
        read(&format!("[kind.b]\noccupies-slots = [{needs}]\n[container.d]\nslot = [{slots}]\n"), END)
    }),
    ("containers of one holder", |size| {
        let containers = lines(size, |n| format!("[container.c{n}]\nslots = 1\n"));
        read(&containers, &format!("[holder.h]\ncarries = [{}]\n{END}", lines(size, |n| format!("\"c{n}\","))))
    }),
    ("renamed kinds", |size| {
        let names = lines(size, |n| format!("x{n} = \"y{n}\"\n"));
        let kinds = lines(size, |n| format!("[kind.y{n}]\n"));
        read(&format!("version = 2\n[migration.2.renamed.kind]\n{names}{kinds}"), END)
    }),
    ("faulty cells of a table", |size| table(&format!("id,weight\n{}", lines(size, |n| format!("k{n},abc\n"))))),
    ("faulty tags of a table", |size| table(&format!("id,tags\n{}", lines(size, |n| format!("k{n},T{n}!\n"))))),
    ("unknown names of scenarios", |size| {
        run(&format!("scenario x\n  steps\n{}", lines(size, |n| format!("    move 1 zz{n} from c to d{n}\n"))))
    }),
    ("rows of a table of scenarios", |size| {
        let rows = lines(size, |n| format!("    {}\n", n % 50 + 1));
        run(&format!("scenario x\n  table n\n{rows}  start\n  steps\n    create $n a in c\n  end\n    c: $n a\n"))
    }),
    ("stacks picked up at once", |size| {
        let rules = Arc::new(rules(&format!("[kind.a]\n[container.c]\nslots = {size}\n")));
        let text = format!("scenario x\n  start\n    ground: {size} a\n  steps\n    pick up {size} a to c\n");
        run_by(&rules, &text)
    }),
    ("coverage by kinds", |size| covered(size / 10)),
];

fn lines(count: usize, line: impl Fn(usize) -> String) -> String {
    (0..count).fold(String::new(), |mut text, number| {
        let _ = write!(text, "{}", line(number));
        text
    })
}

fn milliseconds(mut act: impl FnMut()) -> f64 {
    timed(&mut act).as_secs_f64() * 1_000.0
}

fn read(head: &str, tail: &str) -> f64 {
    let text = format!("{head}{tail}");
    milliseconds(|| match Ruleset::from_toml("rules.toml", &text) {
        Ok(rules) => drop(black_box(rules.lint())),
        Err(errors) => drop(black_box(errors.to_string())),
    })
}

fn table(table: &str) -> f64 {
    let text = format!("tables = [\"items.csv\"]\n{END}");
    milliseconds(|| {
        let found = Ruleset::from_bytes("rules.toml", text.clone().into_bytes(), |name| {
            Ok((name.to_owned(), table.as_bytes().to_vec()))
        });
        drop(black_box(found.map_err(|errors| errors.to_string())));
    })
}

fn rules(text: &str) -> Ruleset {
    Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}"))
}

fn run(text: &str) -> f64 {
    run_by(&Arc::new(rules(END)), text)
}

fn run_by(rules: &Arc<Ruleset>, text: &str) -> f64 {
    milliseconds(|| {
        let file = ScenarioFile::parse(Source::new("x.scenario", text)).unwrap_or_else(|errors| panic!("{errors}"));
        match file.check(rules) {
            Ok(ready) => assert!(ready.run(ReportDetail::Failures).all(|report| black_box(report).passed())),
            Err(errors) => drop(black_box(errors.to_string())),
        }
    })
}

/// Kinds with a weight, a value, a limit and a tag each, and a row of a scenario for each.
fn covered(kinds: usize) -> f64 {
    let text = lines(kinds, |n| {
        format!(
            "[kind.k{n}]\nweight = {}.5\nvalue = {}\nstack-limit = 4\ntags = [\"t{}\"]\n",
            n % 9 + 1,
            n % 11 + 1,
            n % 7
        )
    });
    let rules = Arc::new(rules(&format!("{text}[container.c]\nslots = 4\nweight-cap = 500\nadmits = \"not t3\"\n")));
    let rows = lines(kinds, |n| if n % 7 == 3 { String::new() } else { format!("    k{n} | {}.5\n", n % 9 + 1) });
    let scenario = format!(
        "scenario x\n  table k | w\n{rows}  start\n  steps\n    create 1 $k in c\n  end\n    weight of c = $w\n"
    );
    let file = ScenarioFile::parse(Source::new("x.scenario", scenario)).unwrap_or_else(|errors| panic!("{errors}"));
    let ready = file.check(&rules).unwrap_or_else(|errors| panic!("{errors}"));
    let (files, options) = ([ready], CoverageOptions { threads: NonZeroUsize::MIN, suggest: false });
    milliseconds(|| drop(black_box(coverage(&rules, &files, options, |_, _| {}))))
}
