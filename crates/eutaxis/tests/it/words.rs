//! The words themselves: first lines that answer, columns that stay aligned, remedies behind every
//! "no".

use rstest::rstest;

use crate::field::{Field, Ran, ran};

fn at(field: &Field, columns: &str, arguments: &[&str]) -> Ran {
    ran(field
        .command(arguments)
        .env("COLUMNS", columns)
        .output()
        .unwrap())
}

const BOARD: [&str; 7] = [
    "settle",
    "radargram",
    "firnio==1.2",
    "--target",
    "ridge-logger",
    "--out",
    "pylock.x.toml",
];

#[test]
fn a_settled_set_at_100_columns() {
    let field = Field::new();
    let shown = at(&field, "100", &BOARD);
    let expected = "\
Settled: 4 projects for ridge-logger, all from wheels (6.1 kB to fetch, about 5.0 kB in place)

held back  1 to the time of firnio 1.2 (2024-09): wirepack 2.2.1; newest:
           --chronology caution --renew

project    release  published   asked by                 note
firnio     1.2      2024-09-26  command line, radargram  newest 1.3 is out: you ask firnio ==1.2
frostgrid  2.0.0    2024-11-12  radargram                newest 2.1.0 is barred: wheels for cp310,
                                                         cp311, cp312, cp313; this target is cp39
radargram  2.0.3    2025-11-20  command line             newest 2.2.0 has only source here: needs
                                                         glibc 2.34, here 2.31
wirepack   2.2.1    2024-07-01  firnio                   newest 3.0.4 is out: it came after the time
                                                         of firnio 1.2 (2024-09)
barred: cannot be taken on the target;  out: left out by a bound, or by what is chosen

wrote pylock.x.toml
";
    assert_eq!(without_sizes(&shown.out), without_sizes(expected));
}

#[test]
fn a_settled_set_at_60_columns() {
    let field = Field::new();
    let shown = at(&field, "60", &BOARD);
    let expected = "\
project    release  published   asked by
firnio     1.2      2024-09-26  command line +1
    newest 1.3 is out: you ask firnio ==1.2
frostgrid  2.0.0    2024-11-12  radargram
";
    assert!(shown.out.contains(expected), "{}", shown.out);
    assert!(
        shown.out.lines().all(|l| l.chars().count() <= 60),
        "{}",
        shown.out
    );
}

/// Sizes depend on how well the demo's wheels are packed.
fn without_sizes(text: &str) -> String {
    text.lines()
        .map(|l| l.split(" (").next().unwrap_or(l))
        .collect::<Vec<_>>()
        .join("\n")
}

#[test]
fn a_clash_with_its_axis() {
    let field = Field::new();
    field.write("kit.txt", "# the kit\nseracnet>=2\nsastrugi==0.8.1\n");
    let shown = at(
        &field,
        "100",
        &[
            "settle",
            "--asks",
            "kit.txt",
            "--target",
            "cpython 3.11.6 / linux x86_64 glibc 2.35",
        ],
    );
    let expected = "\
Cannot be settled for cpython 3.11.6 / linux x86_64 glibc 2.35: 4 facts clash.

 1  you ask  seracnet >=2   (kit.txt:2)
 2  needs    seracnet 2.0.0 to 2.3.0 need frostgrid >=2
 3  you ask  sastrugi ==0.8.1   (kit.txt:3)
 4  needs    sastrugi 0.8.1 needs frostgrid >=1.8,<2

 frostgrid  1.7.2   1.8.1   1.9.0   1.9.4   2.0.0   2.1.0   2.2.0rc1
   fact 2   .       .       .       .       #####   #####   ########
   fact 4   .       #####   #####   #####   .       .       .
   left     .       .       .       .       .       .       .

ways out, each solved to the end
 a  ask seracnet >=1.6.0 instead of >=2
    kit.txt:2 becomes:  seracnet>=1.6.0
    gives  frostgrid 1.9.0, seracnet 1.6.0+cpu, sastrugi 0.8.1  (3 projects)
 b  ask sastrugi >=0.9.0 instead of ==0.8.1
    kit.txt:3 becomes:  sastrugi>=0.9.0
    gives  frostgrid 2.1.0, seracnet 2.3.0+cpu, sastrugi 0.9.0  (3 projects)
 c  two environments: {sastrugi} and {seracnet}
    gives  frostgrid 1.9.0, sastrugi 0.8.1  (2 projects)
    gives  frostgrid 2.1.0, seracnet 2.3.0+cpu  (2 projects)
any one mends it; take one: the same command with  --take a  (nothing was written so far)
";
    assert_eq!(shown.out, expected);
}

#[test]
fn the_axis_turns_where_there_is_no_room() {
    let field = Field::new();
    field.write("kit.txt", "seracnet>=2\nsastrugi==0.8.1\n");
    let arguments = [
        "settle",
        "--asks",
        "kit.txt",
        "--target",
        "cpython 3.11.6 / linux x86_64 glibc 2.35",
    ];
    let folded = at(&field, "60", &arguments);
    let expected = "\
 frostgrid  1.7.2   1.8.1 to 1.9.4   2.0.0 to 2.2.0rc1
   fact 2   .       .                ############
   fact 4   .       ############     .
   left     .       .                .
";
    assert!(folded.out.contains(expected), "{}", folded.out);
    let upright = at(&field, "40", &arguments);
    let expected = "\
 frostgrid          fact 2  fact 4  left
   1.7.2            .       .       .
   1.8.1 to 1.9.4   .       ####    .
   2.0.0 to 2.2.0rc1
                    ####    .       .
";
    assert!(upright.out.contains(expected), "{}", upright.out);
    let long = |out: &str, most: usize| out.lines().filter(|l| l.chars().count() > most).count();
    assert_eq!(
        (long(&folded.out, 60), long(&upright.out, 40)),
        (0, 0),
        "{}",
        upright.out
    );
}

#[test]
fn a_misspelt_name_comes_with_the_nearest() {
    let field = Field::new();
    let shown = at(
        &field,
        "100",
        &["settle", "radargran", "--target", "ridge-logger"],
    );
    assert!(
        shown
            .out
            .ends_with("try  look at the name radargran: no depot has it; nearest: radargram\n"),
        "{}",
        shown.out
    );
}

#[test]
fn an_error_shows_line_caret_and_remedy() {
    let field = Field::new();
    field.write("kit.txt", "radargram\nfirnio >= 1 < 2\n");
    let shown = at(&field, "100", &["settle", "--asks", "kit.txt"]);
    let expected = "\
error a comma or `;` is missing before `< 2`
   at kit.txt:2:13
  |
2 | firnio >= 1 < 2
  |             ^
";
    assert_eq!(shown.err, expected);
    assert_eq!((shown.code, shown.out.as_str()), (2, ""));
}

#[test]
fn colour_is_only_for_terminals_or_when_asked() {
    let field = Field::new();
    let arguments = ["settle", "katabat", "--target", "ridge-logger"];
    assert!(!at(&field, "100", &arguments).out.contains('\u{1b}'));
    let asked = at(
        &field,
        "100",
        &[&arguments[..], &["--color", "always"]].concat(),
    );
    assert!(
        asked.out.contains("\u{1b}[32mSettled: 1 project"),
        "{}",
        asked.out
    );
    let never = ran(field
        .command(&[&arguments[..], &["--color", "never"]].concat())
        .env("CLICOLOR_FORCE", "1")
        .output()
        .unwrap());
    assert!(!never.out.contains('\u{1b}'));
    let quiet = at(
        &field,
        "100",
        &["settle", "katabat", "--target", "ridge-logger", "-q"],
    );
    assert!(quiet.err.is_empty());
}

/// With `-q` an answer is its verdict, in one line whatever the width.
#[rstest]
#[case(&["survey"], 0)]
#[case(&["shortlist", "radargram"], 0)]
#[case(&["settle", "radargram", "--target", "base-camp"], 0)]
#[case(&["settle", "--asks", "clash.txt", "--target", "base-camp"], 1)]
#[case(&["proofread", "fieldkit.txt"], 0)]
#[case(&["span", "radargram", "--target", "base-camp"], 0)]
#[case(&["depots"], 0)]
#[case(&["stock"], 0)]
#[case(&["locate", "json"], 0)]
fn quiet_is_one_line(#[case] arguments: &[&str], #[case] code: i32) {
    let field = Field::new();
    field.write("clash.txt", "seracnet<2\nseracnet>=2\n");
    let whole = field.run(arguments).out;
    let run = field
        .command(&[arguments, &["-q"]].concat())
        .env("COLUMNS", "40")
        .output();
    let ran = crate::field::ran(run.unwrap());
    assert_eq!(ran.code, code, "{ran:?}");
    assert_eq!(ran.out.lines().count(), 1, "{}", ran.out);
    let first: String = whole.split_whitespace().take(2).collect();
    let told: String = ran.out.split_whitespace().take(2).collect();
    assert_eq!(told, first);
    assert_eq!(ran.err, "");
}
