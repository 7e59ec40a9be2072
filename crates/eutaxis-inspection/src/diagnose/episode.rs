//! Where something else begins in a log: a command at a prompt, a step of CI. What is seen before and
//! after has nothing to do with each other, but where both speak of the same project.

use std::sync::LazyLock;

use regex::bytes::{Regex, RegexBuilder};

static BEGINS: LazyLock<Option<Regex>> = LazyLock::new(|| {
    let pattern = concat!(
        // $ command, (.venv) ada@camp:~/ice$ command
        r"^(?:\([\w. -]+\) ?)?(?:[\w.-]+@[\w.-]+[^$\n]{0,80})?\$ \S",
        r"|^PS [A-Z]:\\[^>\n]{0,120}> ?\S",
        r"|^.{0,60}##\[(?:group|section)\]\S",
    );
    RegexBuilder::new(pattern).unicode(false).build().ok()
});

/// Whether a command or a step begins with this line. What it is has no part in what is told.
pub(super) fn begins(line: &str) -> bool {
    let may = line.contains("$ ") || line.contains("##[") || line.starts_with("PS ");
    may && BEGINS.as_ref().is_some_and(|b| b.is_match(line.as_bytes()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::a_prompt("$ python camp.py", true)]
    #[case::of_an_environment("(.venv) $ python camp.py", true)]
    #[case::with_its_machine("ada@camp:~/ice$ python camp.py", true)]
    #[case::of_windows("PS C:\\Users\\ada> python camp.py", true)]
    #[case::a_step("##[group]Run the tests", true)]
    #[case::a_step_with_its_time("2026-11-20T10:00:00Z ##[group]Run the tests", true)]
    #[case::a_prompt_alone("$ ", false)]
    #[case::a_variable("echo $HOME is $ 5", false)]
    #[case::an_error("ERROR: it costs $ 5", false)]
    fn commands_and_steps_begin_something_else(#[case] line: &str, #[case] expected: bool) {
        assert_eq!(begins(line), expected);
    }
}
