//! The netrc file: names and passwords by host, as several programs share it.
//!
//! Words separated by white space: `machine HOST`, `login NAME`, `password TEXT`, `account TEXT`,
//! `default`, and `macdef NAME` with lines up to an empty one, which are passed over. A word may
//! stand in double quotes with `\` before a quote or backslash. `#` begins a comment where a
//! keyword could stand.

use std::path::PathBuf;

/// An entry: no host stands for `default`.
#[derive(Clone, PartialEq, Eq)]
pub(super) struct Entry {
    host: Option<String>,
    pub(super) login: String,
    pub(super) password: String,
}

/// The entries of a file, and where it lies.
#[derive(Clone, Default)]
pub(super) struct Netrc {
    pub(super) path: PathBuf,
    /// Others on this machine can read it.
    pub(super) is_open: bool,
    entries: Vec<Entry>,
}

impl Netrc {
    /// The file that NETRC names, else `.netrc` (`_netrc`) in the home folder. None there is no
    /// error.
    pub(super) fn load() -> Self {
        let named = std::env::var_os("NETRC")
            .filter(|p| !p.is_empty())
            .map(PathBuf::from);
        let home = || directories::BaseDirs::new().map(|d| d.home_dir().to_owned());
        let candidates = match named {
            Some(path) => vec![path],
            None => home()
                .map(|h| vec![h.join(".netrc"), h.join("_netrc")])
                .unwrap_or_default(),
        };
        for path in candidates {
            if let Ok(bytes) = std::fs::read(&path) {
                return Netrc {
                    entries: parse(&String::from_utf8_lossy(&bytes)),
                    is_open: is_open(&path),
                    path,
                };
            }
        }
        Netrc::default()
    }

    #[cfg(test)]
    pub(super) fn of_text(text: &str) -> Self {
        Netrc {
            entries: parse(text),
            ..Netrc::default()
        }
    }

    /// The entry of a host, else the default one.
    pub(super) fn of(&self, host: &str) -> Option<&Entry> {
        let named = self.entries.iter().find(|e| {
            e.host
                .as_deref()
                .is_some_and(|h| h.eq_ignore_ascii_case(host))
        });
        named.or_else(|| self.entries.iter().find(|e| e.host.is_none()))
    }
}

/// Whether others than its owner can read a file.
fn is_open(path: &std::path::Path) -> bool {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        std::fs::metadata(path).is_ok_and(|m| m.is_file() && m.permissions().mode() & 0o077 != 0)
    }
    #[cfg(not(unix))]
    {
        let _ = path;
        false
    }
}

fn parse(text: &str) -> Vec<Entry> {
    let mut entries: Vec<Entry> = Vec::new();
    let mut lines = text.lines();
    let mut words: Vec<String> = Vec::new();
    while let Some(line) = lines.next() {
        for word in split(line, words.len()) {
            words.push(word);
        }
        if words.iter().rev().nth(1).is_some_and(|w| w == "macdef") {
            words.truncate(words.len() - 2);
            // The macro's lines, up to an empty one.
            lines.by_ref().find(|l| l.trim().is_empty());
        }
    }
    let mut words = words.into_iter();
    while let Some(word) = words.next() {
        match word.as_str() {
            "machine" => {
                let host = words.next();
                entries.push(Entry {
                    host,
                    login: String::new(),
                    password: String::new(),
                });
            }
            "default" => entries.push(Entry {
                host: None,
                login: String::new(),
                password: String::new(),
            }),
            "login" | "password" | "account" => {
                let value = words.next().unwrap_or_default();
                if let Some(entry) = entries.last_mut() {
                    match word.as_str() {
                        "login" => entry.login = value,
                        "password" => entry.password = value,
                        _ => {}
                    }
                }
            }
            _ => {}
        }
    }
    entries
}

/// The words of a line. `before` counts the words so far: a comment can only begin where a keyword
/// is expected.
fn split(line: &str, before: usize) -> Vec<String> {
    let mut words = Vec::new();
    let mut letters = line.chars().peekable();
    loop {
        while letters.next_if(|c| c.is_whitespace()).is_some() {}
        let Some(&first) = letters.peek() else {
            return words;
        };
        let keyword = (before + words.len()).is_multiple_of(2) || words.is_empty();
        if first == '#' && keyword {
            return words;
        }
        let mut word = String::new();
        let quoted = letters.next_if_eq(&'"').is_some();
        while let Some(&letter) = letters.peek() {
            match letter {
                '"' if quoted => {
                    letters.next();
                    break;
                }
                '\\' if quoted => {
                    letters.next();
                    word.extend(letters.next());
                }
                c if c.is_whitespace() && !quoted => break,
                c => {
                    letters.next();
                    word.push(c);
                }
            }
        }
        words.push(word);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const FILE: &str = "# the team's hosts\nmachine depot.example login ann password s3cret#1\n\
        machine quoted.example\n  login \"ben b\"\n  password \"a \\\"q\\\" b\"\n\
        macdef init\ncd /pub\nmachine hidden.example login x password y\n\n\
        default login guest password none\n";

    #[rstest]
    #[case("depot.example", "ann", "s3cret#1")]
    #[case("DEPOT.example", "ann", "s3cret#1")]
    #[case("quoted.example", "ben b", "a \"q\" b")]
    #[case("hidden.example", "guest", "none")]
    #[case("other.example", "guest", "none")]
    fn the_entry_of_a_host_is_found(
        #[case] host: &str,
        #[case] login: &str,
        #[case] password: &str,
    ) {
        let netrc = Netrc::of_text(FILE);
        let entry = netrc.of(host).unwrap();
        assert_eq!(
            (entry.login.as_str(), entry.password.as_str()),
            (login, password)
        );
    }

    #[test]
    fn odd_files_give_what_they_hold() {
        assert!(parse("").is_empty());
        assert!(parse("login a password b").is_empty());
        assert_eq!(parse("machine a login").len(), 1);
        assert_eq!(
            parse("machine a password \"open")
                .first()
                .map(|e| e.password.as_str()),
            Some("open")
        );
    }
}
