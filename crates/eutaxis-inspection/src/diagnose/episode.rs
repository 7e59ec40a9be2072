//! Where something else begins in a log: a command at a prompt, a step of CI. What is seen before and
//! after has nothing to do with each other, but where both speak of the same project.

use std::sync::LazyLock;

use regex::bytes::{Regex, RegexBuilder};

static BEGINS: LazyLock<Option<Regex>> = LazyLock::new(|| {
    let pattern = concat!(
        // $ command, (.venv) ada@camp:~/ice$ command, root@board:/srv# command
        r"^(?:\([\w. -]+\) ?)?(?:\$|\[?[\w.-]+@[\w.-]+[^$#%>\n]{0,80}[$#%>]) \S",
        r"|^(?:PS )?[A-Z]:\\[^>\n]{0,120}> ?\S",
        r"|^.{0,60}##\[(?:group|section)\]\S",
        // a shell that tells what it carries out
        r"|^\+{1,3} [\w./~$'\x22\[-]",
        // steps of images and services
        r"|^Step \d+/\d+ ?: \S",
        r"|^(?:=> )?\[(?:[\w.-]+ )? *\d+/\d+\] RUN \S",
        r"|^Run [a-z][\w./@-]*(?: [^ .`][^`]*)?$",
    );
    RegexBuilder::new(pattern).unicode(false).build().ok()
});

/// What follows `Run` in a sentence that asks a reader to do it.
const OF_SENTENCES: [&str; 12] = [
    "a", "again", "all", "an", "as", "by", "it", "on", "the", "this", "with", "your",
];

/// Whether a command or a step begins with this line. What it is has no part in what is told.
pub(super) fn begins(line: &str) -> bool {
    let advice = line
        .strip_prefix("Run ")
        .and_then(|rest| rest.split(' ').next());
    if advice.is_some_and(|word| OF_SENTENCES.contains(&word)) {
        return false;
    }
    // Most lines are none: the pattern is not tried on them.
    let starts = ["PS ", "+", "Step ", "[", "=> [", "Run "];
    let is_drive = line.get(1..3) == Some(":\\");
    let may = is_drive
        || starts.iter().any(|s| line.starts_with(s))
        || line.contains("$ ")
        || line.contains('@')
        || line.contains("##[");
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
    #[case::of_a_container("root@4be1:/srv# python camp.py", true)]
    #[case::in_brackets("[ada@camp ice]$ python camp.py", true)]
    #[case::of_another_shell("ada@camp ice % python camp.py", true)]
    #[case::of_the_old_shell_of_windows("C:\\Users\\ada>python camp.py", true)]
    #[case::told_by_a_shell("+ python camp.py", true)]
    #[case::told_by_a_shell_below("++ date +%F", true)]
    #[case::a_step_of_an_image("Step 3/9 : RUN python camp.py", true)]
    #[case::a_numbered_step("[ 3/9] RUN python camp.py", true)]
    #[case::a_step_without_a_group("Run python camp.py", true)]
    #[case::advice("Run `python camp.py` again.", false)]
    #[case::a_sentence("Run the command again. It helps", false)]
    #[case::a_group_of_exceptions("  + Exception Group Traceback (most recent call last):", false)]
    #[case::progress("[3/9] building depth.o", false)]
    #[case::an_address("mail ada@camp.invalid: it costs # 5", false)]
    #[case::a_path("C:\\Users\\ada\\camp.py", false)]
    #[case::a_prompt_alone("$ ", false)]
    #[case::a_variable("echo $HOME is $ 5", false)]
    #[case::an_error("ERROR: it costs $ 5", false)]
    fn commands_and_steps_begin_something_else(#[case] line: &str, #[case] expected: bool) {
        assert_eq!(begins(line), expected);
    }
}
