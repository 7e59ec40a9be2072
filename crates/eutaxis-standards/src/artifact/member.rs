//! Names of files inside archives that must be refused (PEP 427 and 721, what archives may hold;
//! docs/furnish.md).

/// Whether a target's file system treats names in the way of Windows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NameRules {
    /// Linux and macOS.
    Posix,
    /// Windows: device names, trailing dots and spaces.
    Windows,
}

/// Why a member's name must be refused; none when it is harmless. Folders end with `/`.
pub fn unsafe_member(name: &str, rules: NameRules) -> Option<&'static str> {
    let path = name.strip_suffix('/').unwrap_or(name);
    if path.is_empty() || path.len() > 4096 {
        return Some("its name is empty or too long");
    }
    if path.starts_with('/') || path.contains('\\') {
        return Some("its path is absolute or holds a backslash");
    }
    if path.contains(':') {
        return Some("its path holds a colon, which names a drive or stream");
    }
    if path.chars().any(char::is_control) {
        return Some("its name holds control characters");
    }
    for part in path.split('/') {
        match part {
            "" => return Some("its path has an empty part"),
            "." | ".." => return Some("its path leads out of its folder"),
            _ => {}
        }
        if part.len() > 255 {
            return Some("a part of its path is longer than 255 bytes");
        }
        if rules == NameRules::Windows && reserved_on_windows(part) {
            return Some("its name is reserved on Windows");
        }
    }
    None
}

fn reserved_on_windows(part: &str) -> bool {
    let stem = part
        .split('.')
        .next()
        .unwrap_or("")
        .trim_end()
        .to_ascii_uppercase();
    let numbered = |prefix: &str| {
        stem.strip_prefix(prefix)
            .is_some_and(|n| n.len() == 1 && n.bytes().all(|b| b.is_ascii_digit()))
    };
    matches!(stem.as_str(), "CON" | "PRN" | "AUX" | "NUL")
        || numbered("COM")
        || numbered("LPT")
        || part.ends_with(['.', ' '])
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("frostgrid/__init__.py", true, true)]
    #[case("frostgrid/data/", true, true)]
    #[case("a/..b", true, true)]
    #[case("/etc/passwd", false, false)]
    #[case("../x", false, false)]
    #[case("a/../../x", false, false)]
    #[case("a//b", false, false)]
    #[case("a/./b", false, false)]
    #[case("C:/x", false, false)]
    #[case("a\\b", false, false)]
    #[case("a\u{0}b", false, false)]
    #[case("a\nb", false, false)]
    #[case("", false, false)]
    #[case("pkg/aux.py", true, false)]
    #[case("pkg/com1", true, false)]
    #[case("pkg/comet.py", true, true)]
    #[case("pkg/odd.", true, false)]
    fn names_are_judged(#[case] name: &str, #[case] posix: bool, #[case] windows: bool) {
        assert_eq!(unsafe_member(name, NameRules::Posix).is_none(), posix);
        assert_eq!(unsafe_member(name, NameRules::Windows).is_none(), windows);
    }
}
