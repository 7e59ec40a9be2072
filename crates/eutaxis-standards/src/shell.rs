//! Words of command lines, as a shell takes them (POSIX, Shell Command Language, 2.2 Quoting).

/// One word: what is not plain stands in quotes, and nothing in it is expanded. Names of files and
/// words of logs come from anywhere, and a line that is printed to be typed must not do what they
/// say.
///
/// ```
/// use eutaxis_standards::shell::quoted;
///
/// assert_eq!(quoted("firnio"), "firnio");
/// assert_eq!(quoted("firnio>=2"), "\"firnio>=2\"");
/// assert_eq!(quoted("$(date).py"), "'$(date).py'");
/// ```
pub fn quoted(text: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "-_./=,:@+".contains(c);
    if !text.is_empty() && text.chars().all(plain) {
        text.to_owned()
    } else if text.contains(['"', '$', '`', '\\', '!']) {
        format!("'{}'", text.replace('\'', "'\\''"))
    } else {
        format!("\"{text}\"")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("radargram", "radargram")]
    #[case("radargram>=2", "\"radargram>=2\"")]
    #[case("a b", "\"a b\"")]
    #[case("a;b", "\"a;b\"")]
    #[case("", "\"\"")]
    #[case("it's $HOME", "'it'\\''s $HOME'")]
    #[case("$(touch hut)", "'$(touch hut)'")]
    #[case("`touch hut`", "'`touch hut`'")]
    fn a_word_stays_one_word_and_says_nothing(#[case] text: &str, #[case] typed: &str) {
        assert_eq!(quoted(text), typed);
    }
}
