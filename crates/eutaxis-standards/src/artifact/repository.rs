//! Addresses of repositories as requirements have them: `git+https://host/path@revision` with a
//! folder inside (PEP 508 and 610, VCS URLs).

use crate::fault::{Fault, FaultKind};

/// A repository that is asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Repository {
    /// The system: `git`.
    pub kind: String,
    /// Where it is, without the system before it.
    pub url: String,
    /// The branch, tag or commit that is asked for.
    pub revision: Option<String>,
    /// The folder inside that holds the project.
    pub subdirectory: Option<String>,
}

/// Systems whose addresses are recognised.
const SYSTEMS: [&str; 4] = ["git", "hg", "bzr", "svn"];

impl Repository {
    /// Reads an address; none where it is none of a repository.
    ///
    /// # Errors
    /// When the folder inside leads out of it, or the address could be taken for an option.
    pub fn parse(text: &str) -> Option<Result<Self, Fault>> {
        let (kind, rest) = text.split_once('+')?;
        if !SYSTEMS.contains(&kind) || !rest.contains("://") {
            return None;
        }
        Some(Repository::read(kind, rest))
    }

    fn read(kind: &str, rest: &str) -> Result<Self, Fault> {
        let (address, fragment) = rest.split_once('#').unwrap_or((rest, ""));
        let part = |key: &str| {
            let mut parts = fragment.split('&');
            parts.find_map(|part| part.strip_prefix(key)?.strip_prefix('='))
        };
        let subdirectory = part("subdirectory").filter(|s| !s.is_empty());
        if let Some(folder) = subdirectory {
            let leads_out = folder.starts_with('/') || folder.split(['/', '\\']).any(|p| p == "..");
            if leads_out {
                return Err(Fault::of(
                    FaultKind::Contradiction,
                    format!("the folder `{folder}` leads out of the repository"),
                    0,
                ));
            }
        }
        // Names and hosts may have an `@`; a revision stands behind the path.
        let start = address.find("://").map_or(0, |at| at + 3);
        let path = address
            .get(start..)
            .and_then(|r| r.find('/'))
            .map(|at| start + at);
        let at = path.and_then(|path| {
            let found = address.get(path..)?.rfind('@')?;
            Some(path + found)
        });
        let (url, revision) = match at {
            Some(at) => (address.get(..at), address.get(at + 1..)),
            None => (Some(address), None),
        };
        let revision = revision.filter(|r| !r.is_empty());
        let url = url.unwrap_or(address);
        if url.starts_with('-') || revision.is_some_and(|r| r.starts_with('-')) {
            return Err(Fault::new(
                "neither address nor revision can begin with `-`",
                0,
            ));
        }
        Ok(Repository {
            kind: kind.to_owned(),
            url: url.to_owned(),
            revision: revision.map(str::to_owned),
            subdirectory: subdirectory.map(str::to_owned),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(
        "git+https://camp.example/r.git",
        "https://camp.example/r.git",
        None,
        None
    )]
    #[case(
        "git+https://camp.example/r.git@v1.0",
        "https://camp.example/r.git",
        Some("v1.0"),
        None
    )]
    #[case(
        "git+ssh://git@camp.example/r.git@feature/ice#egg=radar&subdirectory=py",
        "ssh://git@camp.example/r.git",
        Some("feature/ice"),
        Some("py")
    )]
    #[case(
        "git+ssh://git@camp.example/r.git",
        "ssh://git@camp.example/r.git",
        None,
        None
    )]
    #[case("git+file:///srv/r@main", "file:///srv/r", Some("main"), None)]
    fn addresses_are_taken_apart(
        #[case] text: &str,
        #[case] url: &str,
        #[case] revision: Option<&str>,
        #[case] subdirectory: Option<&str>,
    ) {
        let read = Repository::parse(text).unwrap().unwrap();
        let own = |t: Option<&str>| t.map(str::to_owned);
        assert_eq!(read.url, url);
        assert_eq!(
            (read.revision, read.subdirectory),
            (own(revision), own(subdirectory))
        );
    }

    #[rstest]
    #[case("git+https://camp.example/r.git#subdirectory=../x")]
    #[case("git+file:///srv/r@--upload-pack=x")]
    fn what_leads_astray_is_refused(#[case] text: &str) {
        assert!(Repository::parse(text).unwrap().is_err());
    }

    #[rstest]
    #[case("https://camp.example/r.git")]
    #[case("firnio+x://y")]
    #[case("file:///srv/r")]
    fn others_are_none(#[case] text: &str) {
        assert!(Repository::parse(text).is_none());
    }
}
