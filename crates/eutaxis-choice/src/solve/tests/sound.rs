//! The check of an answer, on answers that were broken on purpose.

use rstest::rstest;

use super::toy::{World, problem, run};
use crate::offer::{Adjustment, Effect, Policy};
use crate::solve::{Problem, Solution, verify};
use eutaxis_standards::artifact::Feature;
use eutaxis_standards::fault::Origin;
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::version::{Version, VersionSpecifier};

fn name(text: &str) -> Name {
    Name::parse(text).unwrap()
}

/// What is broken: the answer, or the question behind it.
type Break = fn(&mut Problem, &mut Solution);

fn nothing(_: &mut Problem, _: &mut Solution) {}

fn at<'a>(solution: &'a mut Solution, project: &str) -> &'a mut crate::solve::Chosen {
    solution
        .chosen
        .iter_mut()
        .find(|c| c.project.as_str() == project)
        .unwrap()
}

fn other_release(_: &mut Problem, solution: &mut Solution) {
    let one = at(solution, "b");
    one.version = Version::parse("2.0").unwrap();
}

fn other_file(_: &mut Problem, solution: &mut Solution) {
    let file = at(solution, "c").file.clone();
    at(solution, "b").file = file;
}

fn left_out(_: &mut Problem, solution: &mut Solution) {
    solution.chosen.retain(|c| c.project.as_str() != "c");
}

fn nobody_asks(_: &mut Problem, solution: &mut Solution) {
    at(solution, "c").asked_by.clear();
}

fn older_interpreter(problem: &mut Problem, _: &mut Solution) {
    problem.target.interpreter.version = Version::parse("3.7.4").unwrap();
}

fn bounded(problem: &mut Problem, _: &mut Solution) {
    let mut bound = problem.asks[0].clone();
    bound.requirement = Requirement::parse("b<1").unwrap();
    problem.bounds.push(bound);
}

fn avoided(problem: &mut Problem, _: &mut Solution) {
    problem.adjustments.push(Adjustment {
        project: name("b"),
        versions: VersionSpecifier::default(),
        when: None,
        effect: Effect::Avoid,
        because: String::new(),
        origin: Origin::Argument,
        learnt: None,
    });
}

fn other_variant(_: &mut Problem, solution: &mut Solution) {
    at(solution, "b").properties = vec![Feature {
        namespace: "x86_64".into(),
        feature: "level".into(),
        values: vec!["v3".into()],
    }];
}

#[rstest]
#[case::as_it_is(nothing as Break, None)]
#[case::a_release_that_is_not_taken(other_release as Break, Some("a needs b<2; 2.0 was chosen"))]
#[case::a_file_of_another(other_file as Break, Some("c-1.5-py3-none-any.whl is no file of b 1.0"))]
#[case::a_need_that_is_left_out(left_out as Break, Some("b needs c, which was not chosen"))]
#[case::what_nobody_needs(nobody_asks as Break, Some("nobody asks for c"))]
#[case::an_interpreter_that_is_left_out(older_interpreter as Break, Some("c 1.5 needs Python \
    >=3.8"))]
#[case::a_variant_for_another_place(
    other_variant as Break,
    Some("b-1.0-py3-none-any.whl is for x86_64 :: level :: v3: not known here, this target names no \
        level of its processor")
)]
#[case::a_bound(bounded as Break, Some("a bound needs b<1; 1.0 was chosen"))]
#[case::the_users_word(avoided as Break, Some("b 1.0 is to be avoided"))]
fn what_does_not_hold_is_found(#[case] broken: Break, #[case] expected: Option<&str>) {
    let world = World::of(&["a 1.0 -> b<2", "b 1.0 -> c", "b 2.0", "c 1.5 python:>=3.8"]);
    let mut problem = problem(&["a"], &[], Policy::default());
    let mut solution = run(&world, &problem, false).unwrap();
    broken(&mut problem, &mut solution);
    let metadata: Vec<_> = ["a", "b", "c"]
        .iter()
        .map(|p| {
            (
                name(p),
                world.projects[*p]
                    .iter()
                    .map(|r| World::file(p, r))
                    .next()
                    .unwrap(),
            )
        })
        .map(|(project, file)| (project.clone(), world.metadata(&project, &file).unwrap()))
        .collect();
    let known =
        |project: &Name, _: &str| metadata.iter().find(|(n, _)| n == project).map(|(_, m)| m);
    assert_eq!(
        verify(&problem, &solution, &known).err().as_deref(),
        expected
    );
}
