//! Pages in the terminal, words that are no commands, completions, pages for man.

use std::process::Command;

use rstest::rstest;

use crate::field::Field;

#[rstest]
#[case::a_command("locate", "eutaxis locate firnio")]
#[case::a_matter("targets", "cpython 3.9 / linux armv7l glibc 2.31")]
#[case::a_word_of_the_trade("lock", "  eutaxis settle\n")]
#[case::a_command_without_a_page("completions", "Usage: eutaxis completions")]
fn a_topic_has_its_page(#[case] topic: &str, #[case] holds: &str) {
    let field = Field::empty();
    let shown = field.expect(0, &["help", topic]);
    assert!(shown.out.contains(holds), "{}", shown.out);
}

#[test]
fn the_pages_are_listed_and_one_that_is_not_there_names_those_near() {
    let field = Field::empty();
    let all = field.expect(0, &["help"]).out;
    for topic in ["settle", "depots", "accelerators"] {
        assert!(
            all.lines().any(|l| l.trim_start().starts_with(topic)),
            "{all}"
        );
    }
    let none = field.expect(2, &["help", "taregts"]).err;
    assert!(none.contains("targets"), "{none}");
    assert!(field.expect(2, &["help", "--json"]).out.contains("no JSON"));
}

#[rstest]
#[case::a_word_of_the_trade("install", "eutaxis furnish")]
#[case::a_slip("setlte", "try eutaxis settle\n")]
#[case::a_slip_in_a_word_of_the_trade(
    "instal",
    "try eutaxis settle PROJECT\n  try eutaxis furnish\n"
)]
fn a_word_that_is_no_command_leads_to_one(#[case] word: &str, #[case] holds: &str) {
    let none = Field::empty().expect(2, &[word]).err;
    assert!(none.contains(holds), "{none}");
}

/// The script is one that the shell reads, where it is here.
#[rstest]
#[case("bash", "source /dev/stdin && complete -p eutaxis")]
#[case("zsh", "autoload -U compinit && compinit -u && source /dev/stdin")]
#[case("fish", "source")]
fn completions_are_loaded(#[case] shell: &str, #[case] load: &str) {
    let field = Field::empty();
    let script = field.expect(0, &["completions", shell]).out;
    assert!(script.contains("settle") && script.contains("diagnose"));
    field.write("completions", &script);
    let script = std::fs::File::open(field.path("completions")).unwrap();
    let loaded = Command::new(shell)
        .args(["-c", load])
        .stdin(script)
        .output();
    if let Ok(loaded) = loaded {
        assert!(loaded.status.success(), "{loaded:?}");
    }
}

#[test]
fn each_command_has_a_page_for_man() {
    let field = Field::empty();
    field.expect(0, &["manual", "man"]);
    let page = std::fs::read_to_string(field.path("man/eutaxis-settle.1")).unwrap();
    assert!(
        page.contains("eutaxis settle") && page.contains("\\-\\-asks"),
        "{page}"
    );
    assert!(field.path("man/eutaxis.1").is_file());
}
