//! What lock files are called (PEP 751, "File Name"): `pylock.toml`, or `pylock.NAME.toml` with a
//! NAME that holds no dot.

/// Whether other programs take a file of this name for a lock file.
pub fn is_lock_file_name(name: &str) -> bool {
    let between = name
        .strip_prefix("pylock.")
        .and_then(|rest| rest.strip_suffix(".toml"));
    name == "pylock.toml" || between.is_some_and(|name| !name.is_empty() && !name.contains('.'))
}

/// The name for the pins of one of several targets beside a file: `pylock.toml` gives
/// `pylock.camp.toml`, and `pylock.team.toml` gives `pylock.team-camp.toml`.
pub fn lock_file_name_for(file: &str, target: &str) -> String {
    let stem = file.strip_suffix(".toml").unwrap_or(file);
    let target = target.replace('.', "-");
    match stem
        .strip_prefix("pylock.")
        .filter(|_| is_lock_file_name(file))
    {
        Some(name) => format!("pylock.{name}-{target}.toml"),
        None => format!("{stem}.{target}.toml"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("pylock.toml", true)]
    #[case("pylock.dev.toml", true)]
    #[case("pylock.a.b.toml", false)]
    #[case("mypylock.toml", false)]
    #[case("pylock..toml", false)]
    #[case("pylock.dev.tml", false)]
    fn names_are_those_of_the_standard(#[case] name: &str, #[case] is_one: bool) {
        assert_eq!(is_lock_file_name(name), is_one);
    }

    #[rstest]
    #[case("pylock.toml", "camp", "pylock.camp.toml")]
    #[case("pylock.team.toml", "camp", "pylock.team-camp.toml")]
    #[case(
        "pylock.toml",
        "cpython-3.12-linux-x86_64",
        "pylock.cpython-3-12-linux-x86_64.toml"
    )]
    #[case("pins.toml", "camp", "pins.camp.toml")]
    fn targets_have_names_of_their_own(
        #[case] file: &str,
        #[case] target: &str,
        #[case] expected: &str,
    ) {
        assert_eq!(lock_file_name_for(file, target), expected);
    }
}
