//! Names of source distributions (PEP 625): `{name}-{version}.tar.gz`, older ones also `.zip`.

use super::wheel_name::strip_suffix_ignoring_case;
use crate::fault::{Fault, escaped};
use crate::name::Name;
use crate::version::Version;

/// The name of a source distribution, taken apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SdistName {
    /// The project.
    pub name: Name,
    /// The release.
    pub version: Version,
}

impl SdistName {
    /// Reads a file name (already percent-decoded). Older names hold `-` in the project's name:
    /// with `project` known the name is split behind it, else at the last `-`.
    ///
    /// # Errors
    /// When the ending is another, or what is left is not a name and a version, or it names another
    /// project.
    pub fn parse(file: &str, project: Option<&Name>) -> Result<Self, Fault> {
        let fault = |what: &str| {
            Fault::new(
                format!(
                    "`{}` is not the name of a source distribution: {what}",
                    escaped(file)
                ),
                0,
            )
        };
        let stem = [".tar.gz", ".zip"]
            .into_iter()
            .find_map(|ending| strip_suffix_ignoring_case(file, ending))
            .ok_or_else(|| fault("it does not end in .tar.gz"))?;
        let read = |at: usize| -> Option<SdistName> {
            let name = Name::parse(stem.get(..at)?).ok()?;
            let version = Version::parse(stem.get(at + 1..)?).ok()?;
            Some(SdistName { name, version })
        };
        let mut dashes = stem.match_indices('-').map(|(at, _)| at);
        let found = match project {
            Some(project) => dashes.filter_map(read).find(|s| s.name == *project),
            None => dashes.next_back().and_then(read),
        };
        found.ok_or_else(|| fault("a project's name, `-` and a version are expected"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("made_up-1.0.tar.gz", None, Some("made-up 1.0"))]
    #[case("made-up-1.0.tar.gz", Some("made-up"), Some("made-up 1.0"))]
    #[case("made-up-1.0-1.zip", Some("made-up"), Some("made-up 1.0.post1"))]
    #[case("made-up-extra-1.0.tar.gz", Some("made-up"), None)]
    #[case("made_up-1.0.tar.bz2", None, None)]
    #[case("made_up.tar.gz", None, None)]
    #[case("-.tar.gz", None, None)]
    fn names_are_read(
        #[case] file: &str,
        #[case] project: Option<&str>,
        #[case] shown: Option<&str>,
    ) {
        let project = project.map(|p| Name::parse(p).unwrap());
        let found = SdistName::parse(file, project.as_ref())
            .ok()
            .map(|s| format!("{} {}", s.name, s.version));
        assert_eq!(found.as_deref(), shown);
    }
}
