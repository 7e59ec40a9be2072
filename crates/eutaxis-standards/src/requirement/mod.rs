//! Dependency specifiers (PEP 508, grammar), and the lists and files in which people write them.
//!
//! ```
//! use eutaxis_standards::Requirement;
//!
//! let requirement = Requirement::parse("Frost.Grid[fast] >=1.9,<3 ; os_name == 'posix'")?;
//! assert_eq!(requirement.name.as_str(), "frost-grid");
//! assert_eq!(requirement.extras.len(), 1);
//! assert_eq!(requirement.short(), "frost-grid[fast] >=1.9,<3");
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod add;
mod directive;
mod edit;
mod groups;
mod list;
mod parse;
mod pyproject;
mod script;
mod unnamed;

use std::fmt;

pub use add::{added_to_list, added_to_project, joined};
pub use directive::{Directive, DirectiveKind};
pub use edit::{Edit, FileForm, changed_lines, edited};
pub use list::{Entry, RequirementList, StatedHash};
pub use pyproject::{ProjectAsks, Wanted};
pub use script::{ScriptBlock, script_block};
pub use unnamed::Unnamed;

use crate::fault::{Fault, Origin};
use crate::marker::Marker;
use crate::name::Name;
use crate::version::{Version, VersionSpecifier};

/// What a requirement accepts: releases, or one file by its URL.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Accepts {
    /// Releases whose version satisfies the set.
    Versions(VersionSpecifier),
    /// The file, folder or repository at this URL.
    Url(String),
}

/// A dependency specifier: a project, its extras, what is accepted, and when it counts.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Requirement {
    /// The project.
    pub name: Name,
    /// Extras asked for, each once, in their order of name.
    pub extras: Vec<Name>,
    /// Releases or URL.
    pub accepts: Accepts,
    /// The condition on the target, if any.
    pub marker: Option<Marker>,
}

impl Requirement {
    /// Reads a dependency specifier.
    ///
    /// # Errors
    /// At the first fault, with its offset in `text`.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        parse::requirement(text, false)
    }

    /// Reads a dependency specifier from the metadata of others, where `>=3.6.*` and the like are
    /// forgiven.
    ///
    /// # Errors
    /// As [`Requirement::parse`].
    pub fn parse_lenient(text: &str) -> Result<Self, Fault> {
        parse::requirement(text, true)
    }

    /// Any release of a project.
    pub fn any(name: &Name) -> Self {
        let accepts = Accepts::Versions(VersionSpecifier::default());
        Requirement {
            name: name.clone(),
            extras: Vec::new(),
            accepts,
            marker: None,
        }
    }

    /// Just this release of a project.
    pub fn exactly(name: &Name, version: &Version) -> Self {
        Requirement::any(name).with_versions(VersionSpecifier::exactly(version))
    }

    /// The same with other bounds.
    #[must_use]
    pub fn with_versions(self, set: VersionSpecifier) -> Self {
        Requirement {
            accepts: Accepts::Versions(set),
            ..self
        }
    }

    /// The specifier set; none when a URL is asked for.
    pub fn versions(&self) -> Option<&VersionSpecifier> {
        match &self.accepts {
            Accepts::Versions(set) => Some(set),
            Accepts::Url(_) => None,
        }
    }

    /// Project with extras, as `name[a,b]`.
    pub fn subject(&self) -> String {
        if self.extras.is_empty() {
            return self.name.to_string();
        }
        let extras: Vec<&str> = self.extras.iter().map(Name::as_str).collect();
        format!("{}[{}]", self.name, extras.join(","))
    }

    /// The requirement without its marker, for people: `frostgrid >=1.9,<2`.
    pub fn short(&self) -> String {
        match &self.accepts {
            Accepts::Versions(set) if set.is_empty() => self.subject(),
            Accepts::Versions(set) => format!("{} {set}", self.subject()),
            Accepts::Url(url) => format!("{} @ {url}", self.subject()),
        }
    }
}

impl fmt::Display for Requirement {
    /// Normal form, one that reads back: `name[extra]>=1,<2; marker`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.subject())?;
        match &self.accepts {
            Accepts::Versions(set) => write!(f, "{set}")?,
            Accepts::Url(url) => write!(f, " @ {url}")?,
        }
        if let Some(marker) = &self.marker {
            let space = if matches!(self.accepts, Accepts::Url(_)) {
                " "
            } else {
                ""
            };
            write!(f, "{space}; {marker}")?;
        }
        Ok(())
    }
}

/// A requirement stated by the user, with the place where it was stated.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ask {
    /// What is asked for.
    pub requirement: Requirement,
    /// Where it was stated.
    pub origin: Origin,
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(
        r#"Made_Up[b,A.x] >=1,<2 ; sys_platform == "linux""#,
        "made-up[a-x,b]>=1,<2; sys_platform == 'linux'"
    )]
    #[case("made-up(>=1.0)", "made-up>=1.0")]
    #[case("made-up ( >=1.0 , <2 ) ", "made-up>=1.0,<2")]
    #[case("made-up[]", "made-up")]
    #[case("  made-up  ", "made-up")]
    #[case(
        "made-up@https://files.example/m.whl",
        "made-up @ https://files.example/m.whl"
    )]
    #[case(
        r#"made-up @ https://files.example/m.whl ; os_name=="nt""#,
        "made-up @ https://files.example/m.whl ; os_name == 'nt'"
    )]
    #[case(
        r#"made-up @ https://files.example/m.whl;os_name=="nt""#,
        r#"made-up @ https://files.example/m.whl;os_name=="nt""#
    )]
    #[case(
        r#"made-up>=1;python_version<"3.9""#,
        "made-up>=1; python_version < '3.9'"
    )]
    #[case("made-up[x, x]==1.*", "made-up[x]==1.*")]
    #[case("made-up===1.0-odd", "made-up===1.0-odd")]
    #[case("made-up>=1,", "made-up>=1")]
    fn requirements_are_read(#[case] given: &str, #[case] shown: &str) {
        let requirement = Requirement::parse(given).unwrap();
        assert_eq!(requirement.to_string(), shown);
        assert_eq!(Requirement::parse(shown).unwrap(), requirement);
    }

    #[rstest]
    #[case("made-up[x,]", 10, "extra is missing")]
    #[case("made-up >=1 <2", 12, "a comma")]
    #[case("made-up (>=1", 12, "`)` is missing")]
    #[case("made-up =1", 8, "write `==1`")]
    #[case("made-up 1.0", 8, "write `made-up==1.0`")]
    #[case("@ https://x", 0, "a name is missing")]
    #[case("-made>=1", 0, "begins and ends")]
    #[case("made-up; python_version >= 3.8", 27, "not a marker variable")]
    #[case("made-up @", 9, "URL is missing")]
    #[case("made-up[x", 9, "`]` is missing")]
    #[case("made-up >=1 # note", 12, "a comma")]
    #[case("made-up ~=1", 10, "two numbers")]
    #[case("", 0, "a name is missing")]
    fn bad_requirements_are_refused_with_their_place(
        #[case] given: &str,
        #[case] offset: usize,
        #[case] part: &str,
    ) {
        let fault = Requirement::parse(given).unwrap_err();
        assert!(fault.to_string().contains(part), "{fault}");
        assert_eq!(fault.offset(), offset, "{fault}");
    }

    #[test]
    fn metadata_of_others_is_read_leniently() {
        assert!(Requirement::parse("made-up>=3.*").is_err());
        assert_eq!(
            Requirement::parse_lenient("made-up>=3.*")
                .unwrap()
                .to_string(),
            "made-up>=3"
        );
    }

    proptest! {
        #[test]
        fn no_text_makes_the_reader_panic(text in "[a-z@;,()<>=~!3.\\[\\] '\u{e9}]{0,30}") {
            if let Ok(requirement) = Requirement::parse(&text) {
                prop_assert_eq!(Requirement::parse(&requirement.to_string()).unwrap(), requirement);
            }
        }
    }
}
