//! What is written is read again as the same question.

use std::sync::Arc;

use rstest::rstest;
use toml::{Table, Value};

use super::*;
use crate::offer::{Chronology, Policy, Prefer, Prereleases, Wheels};
use crate::solve::Problem;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::knowledge::Families;
use eutaxis_standards::pins::Lock;
use eutaxis_standards::{Ask, Name, Requirement, Target};

fn ask(text: &str, origin: Origin) -> Ask {
    Ask {
        requirement: Requirement::parse(text).unwrap(),
        origin,
    }
}

fn problem(policy: Policy) -> Problem {
    let target = Target::parse("cpython 3.9 / linux armv7l glibc 2.31").unwrap();
    let asks = vec![
        ask("radargram[fast]>=2", Origin::line("season.txt", 4)),
        ask("firnio; python_version < '3.10'", Origin::Argument),
    ];
    let mut problem = Problem::new(target, policy, asks);
    problem.bounds = vec![ask("wirepack<3", Origin::line("bounds.txt", 1))];
    problem
}

fn lock(problem: &Problem) -> Lock {
    let mut tool = Table::new();
    tool.insert("eutaxis".into(), Value::Table(question(problem)));
    let text = Lock {
        lock_version: "1.0".to_owned(),
        created_by: "eutaxis".to_owned(),
        tool: Some(tool),
        ..Lock::default()
    }
    .write();
    // By the file, as it will lie on a disk.
    Lock::parse(&text).unwrap()
}

fn names(list: &[&str]) -> Vec<Name> {
    list.iter().map(|n| Name::parse(n).unwrap()).collect()
}

#[rstest]
#[case::the_usual_one(Policy::default())]
#[case::all_else(Policy {
    wheels: Wheels::Only,
    prefer: Prefer::Oldest,
    chronology: Chronology::Follow,
    prereleases: Prereleases::Of(names(&["seracnet"])),
    build: names(&["moulin"]),
    rebuild: vec![Name::parse("serac").unwrap()],
    build_light: true,
    build_all: true,
    as_of: Some("2024-03-01T00:00:00Z".parse().unwrap()),
    take_undated: true,
})]
#[case::all_prereleases(Policy { prereleases: Prereleases::All, ..Policy::default() })]
fn a_question_is_gone_back_to(#[case] policy: Policy) {
    let asked = problem(policy);
    let lock = lock(&asked);
    let read = problem_of(&lock, &Families::built_in()).unwrap();
    assert_eq!(read.target.to_string(), asked.target.to_string());
    assert_eq!(format!("{:?}", read.policy), format!("{:?}", asked.policy));
    let told = |asks: &[Ask]| -> Vec<String> {
        let one = |a: &Ask| format!("{} {:?}", a.requirement, a.origin);
        asks.iter().map(one).collect()
    };
    assert_eq!(told(&read.asks), told(&asked.asks));
    assert_eq!(told(&read.bounds), told(&asked.bounds));
    assert!(target_is_recorded(&lock));
}

/// Pins of before the word was always written were settled as it was then.
#[rstest]
#[case::without_the_word("", Chronology::Caution)]
#[case::an_option_of_then("prefer = 'period'", Chronology::Follow)]
#[case::the_word("chronology = 'ignore'", Chronology::Ignore)]
#[case::no_such_word("chronology = 'weather'", Chronology::Caution)]
fn older_pins_say_how_they_were_settled(#[case] policy: &str, #[case] expected: Chronology) {
    let text = format!(
        "lock-version = '1.0'\ncreated-by = 'x'\npackages = []\n[tool.eutaxis]\ntarget = 't'\n\
         [tool.eutaxis.policy]\n{policy}\n"
    );
    let lock = Lock::parse(&text).unwrap();
    assert_eq!(policy_of(&lock).chronology, expected);
}

#[rstest]
#[case::of_another_program("", Unrecorded::Question)]
#[case::no_target("[tool.eutaxis]\nasks = []\n", Unrecorded::Question)]
fn what_is_not_recorded_is_told(#[case] tool: &str, #[case] why: Unrecorded) {
    let text = format!("lock-version = '1.0'\ncreated-by = 'x'\npackages = []\n{tool}");
    let lock = Lock::parse(&text).unwrap();
    assert_eq!(problem_of(&lock, &Families::built_in()).err(), Some(why));
    assert!(asks_of(&lock).is_empty());
}

#[test]
fn a_target_that_cannot_be_read_is_a_fault() {
    let text = "lock-version = '1.0'\ncreated-by = 'x'\npackages = []\n[tool.eutaxis]\ntarget = 'a sledge'\n";
    let lock = Lock::parse(text).unwrap();
    let families: Arc<Families> = Families::built_in();
    assert!(matches!(
        problem_of(&lock, &families),
        Err(Unrecorded::Target(_))
    ));
}
