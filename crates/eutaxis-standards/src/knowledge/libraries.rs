//! System libraries and what usually provides them (`knowledge/libraries.toml`).

use std::collections::BTreeMap;
use std::sync::{Arc, LazyLock};

use serde::Deserialize;

use crate::fault::Fault;

/// A library, or several that come together.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Library {
    /// Names as compiled files need them; one that ends in `*` stands for all that begin so.
    files: Vec<String>,
    /// What it is, in a few words.
    what: String,
    /// Names of system packages, by the distribution's name.
    #[serde(default)]
    packages: BTreeMap<String, String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    library: Vec<Library>,
}

/// What provides a library.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Provided {
    /// What it is, in a few words.
    pub what: String,
    /// The system package of the distribution that was asked for, if it is known.
    pub package: Option<String>,
}

/// The libraries that are known.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Libraries {
    all: Vec<Library>,
}

static BUILT_IN: LazyLock<Arc<Libraries>> = LazyLock::new(|| {
    // The file is compiled in and read by a test, so that it cannot be broken in a build that
    // passed.
    let text = include_str!("../../../../knowledge/libraries.toml");
    Arc::new(Libraries::default().with(text).unwrap_or_default())
});

impl Libraries {
    /// The libraries that are compiled in.
    pub fn built_in() -> Arc<Self> {
        Arc::clone(&BUILT_IN)
    }

    /// These libraries with those of a further file before them.
    ///
    /// # Errors
    /// When the file is not of the form, with the place.
    pub fn with(&self, text: &str) -> Result<Self, Fault> {
        let read: File = toml::from_str(text).map_err(|e| {
            Fault::new(
                e.message().trim().to_owned(),
                e.span().map_or(0, |s| s.start),
            )
        })?;
        let all = read
            .library
            .into_iter()
            .chain(self.all.iter().cloned())
            .collect();
        Ok(Libraries { all })
    }

    /// What provides a library on one of these distributions, the machine's own first.
    pub fn provided(&self, file: &str, distributions: &[String]) -> Option<Provided> {
        let names = |pattern: &String| match pattern.strip_suffix('*') {
            Some(start) => file.starts_with(start),
            // As code that loads a library itself names it: without the number of its interface.
            None => {
                pattern == file
                    || file.ends_with(".so")
                        && pattern
                            .strip_prefix(file)
                            .is_some_and(|r| r.starts_with('.'))
            }
        };
        let library = self.all.iter().find(|l| l.files.iter().any(names))?;
        let package = distributions
            .iter()
            .find_map(|d| library.packages.get(d))
            .cloned();
        Some(Provided {
            what: library.what.clone(),
            package,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("libGL.so.1", &["ubuntu", "debian"], Some("libgl1"))]
    #[case("libGL.so.1", &["fedora"], Some("mesa-libGL"))]
    #[case("libGL.so", &["fedora"], Some("mesa-libGL"))]
    #[case("libGL.so.1", &["unheard-of"], None)]
    #[case("libc.musl-x86_64.so.1", &[], None)]
    fn what_provides_a_library_is_told(
        #[case] file: &str,
        #[case] systems: &[&str],
        #[case] package: Option<&str>,
    ) {
        let systems: Vec<String> = systems.iter().map(|s| (*s).to_owned()).collect();
        let provided = Libraries::built_in().provided(file, &systems).unwrap();
        assert!(!provided.what.is_empty());
        assert_eq!(provided.package.as_deref(), package);
    }

    #[test]
    fn further_files_come_first_and_broken_ones_have_a_place() {
        let more = Libraries::built_in()
            .with(
                "[[library]]\nfiles = ['libfirn.so.*']\nwhat = 'snow'\npackages = \
                { debian = 'firn-runtime' }\n",
            )
            .unwrap();
        assert_eq!(
            more.provided("libfirn.so.3", &["debian".into()])
                .unwrap()
                .package
                .as_deref(),
            Some("firn-runtime")
        );
        assert_eq!(more.provided("libfirn.so", &[]), None);
        let fault = more.with("[[library]]\nfile = 1\n").unwrap_err();
        assert!(fault.offset() > 0, "{fault:?}");
    }
}
