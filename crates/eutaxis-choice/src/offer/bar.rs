//! Why a release or file is out: as data, and put into words here alone.

use std::fmt;

use jiff::Timestamp;

use super::Shown;
use eutaxis_standards::day;
use eutaxis_standards::fault::{Origin, escaped};
use eutaxis_standards::targets::{BuildMiss, Misfit, MisfitKind, VariantMiss};
use eutaxis_standards::version::Version;

/// What kind of reason a bar is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum BarKind {
    /// Interpreter or its ABI.
    Interpreter,
    /// Operating system or architecture.
    Platform,
    /// C library.
    Libc,
    /// A build for an accelerator that the target does not have, or whose driver or device does not
    /// run it.
    Accelerator,
    /// A wheel variant that asks for what the target has not, or nobody can answer (draft PEP 825).
    Variant,
    /// Yanked by its publisher.
    Yanked,
    /// A pre-release that nothing admits.
    Prerelease,
    /// Published after the date asked for, or without date.
    Date,
    /// The policy on source distributions, or needs that only building would tell.
    Wheels,
    /// The user's own word on it.
    Adjust,
    /// No file, no file whose metadata can be used, or no depot has the project.
    Absent,
    /// What it needs is not known, and learning it would cost more than is permitted.
    Unknown,
    /// Its project is quarantined by those who run the depot (PEP 792).
    Quarantined,
    /// It has none of the hashes that the ask states.
    Hash,
}

impl BarKind {
    /// The word for it in JSON.
    pub fn as_str(self) -> &'static str {
        match self {
            BarKind::Interpreter => "interpreter",
            BarKind::Platform => "platform",
            BarKind::Libc => "libc",
            BarKind::Accelerator => "accelerator",
            BarKind::Variant => "variant",
            BarKind::Yanked => "yanked",
            BarKind::Prerelease => "prerelease",
            BarKind::Date => "date",
            BarKind::Wheels => "wheels",
            BarKind::Adjust => "adjust",
            BarKind::Absent => "absent",
            BarKind::Unknown => "unknown",
            BarKind::Quarantined => "quarantined",
            BarKind::Hash => "hash",
        }
    }
}

/// One reason why a release or file is out: the nearest miss.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Bar {
    /// Its files do not fit the target.
    Misfit(Misfit),
    /// A build for an accelerator does not run here.
    Accelerator(Box<BuildMiss>),
    /// A variant that is not taken here.
    Variant(Box<VariantMiss>),
    /// It leaves accelerators unused that are required; how that shows.
    Unused(Box<Shown>),
    /// Yanked; the publisher's reason may be empty.
    Yanked(String),
    /// A pre-release that nothing admits.
    Prerelease,
    /// It has no date, and one was asked for.
    Undated,
    /// It appeared too late.
    Later {
        /// The date asked for.
        as_of: Timestamp,
        /// When it appeared.
        published: Timestamp,
    },
    /// It has only source, and wheels alone are taken.
    OnlySource,
    /// A wheel, and the project is to be built from its source.
    ToBeBuilt,
    /// Only building would tell what it needs.
    UnknownUntilBuilt,
    /// The user avoids it.
    Avoided {
        /// Why.
        because: String,
        /// Where it was stated.
        origin: Origin,
    },
    /// Its source is known not to build.
    FailsToBuild {
        /// Why.
        because: String,
        /// Where it was stated.
        origin: Origin,
    },
    /// Its metadata cannot be used: why.
    Unusable(String),
    /// Learning what it needs costs more than is permitted.
    TooDear {
        /// The release.
        version: Version,
        /// Bytes that it costs.
        size: u64,
        /// Bytes that are permitted.
        limit: u64,
    },
    /// Its project is quarantined; the reason may be empty.
    Quarantined(String),
    /// It has none of the hashes that the ask states.
    OtherHash {
        /// Where they are stated.
        origin: Origin,
    },
}

impl Bar {
    /// Its kind.
    pub fn kind(&self) -> BarKind {
        match self {
            Bar::Misfit(misfit) => match misfit.kind() {
                MisfitKind::Interpreter => BarKind::Interpreter,
                MisfitKind::Platform => BarKind::Platform,
                MisfitKind::Libc => BarKind::Libc,
            },
            Bar::Accelerator(_) | Bar::Unused(_) => BarKind::Accelerator,
            Bar::Variant(_) => BarKind::Variant,
            Bar::Yanked(_) => BarKind::Yanked,
            Bar::Prerelease => BarKind::Prerelease,
            Bar::Undated | Bar::Later { .. } => BarKind::Date,
            Bar::OnlySource | Bar::ToBeBuilt | Bar::UnknownUntilBuilt => BarKind::Wheels,
            Bar::Avoided { .. } | Bar::FailsToBuild { .. } => BarKind::Adjust,
            Bar::Unusable(_) => BarKind::Absent,
            Bar::TooDear { .. } => BarKind::Unknown,
            Bar::Quarantined(_) => BarKind::Quarantined,
            Bar::OtherHash { .. } => BarKind::Hash,
        }
    }

    /// The sentence in its parts; `wheels` is how wheels are spoken of.
    fn in_parts(&self, wheels: &str) -> Parts {
        let whole = |why: String| Parts {
            why,
            ..Parts::default()
        };
        match self {
            Bar::Misfit(misfit) => {
                let (why, place) = misfit.in_parts(wheels);
                Parts {
                    why,
                    place,
                    ..Parts::default()
                }
            }
            Bar::Accelerator(miss) => whole(miss.to_string()),
            Bar::Variant(miss) => whole(miss.to_string()),
            Bar::Unused(shown) => Parts {
                own: format!(": {shown}"),
                ..whole("leaves the accelerator unused, and it is required".to_owned())
            },
            Bar::Yanked(reason) => whole(format!("yanked{}", quoted(reason, ": ", ""))),
            Bar::Prerelease => whole("a pre-release, which nothing admits".to_owned()),
            Bar::Undated => whole("the depot gives no date for it".to_owned()),
            Bar::Later { as_of, published } => Parts {
                own: format!(" ({})", day(*published)),
                ..whole(format!("published after {}", day(*as_of)))
            },
            Bar::OnlySource => whole("only source, and the policy takes wheels only".to_owned()),
            Bar::ToBeBuilt => whole("it is to be built from its source".to_owned()),
            Bar::UnknownUntilBuilt => {
                whole("only source, and what it needs is known only by building it".to_owned())
            }
            Bar::Avoided { because, origin } => whole(format!(
                "to be avoided: \"{}\" ({origin})",
                escaped(because)
            )),
            Bar::FailsToBuild { because, origin } => whole(format!(
                "its source does not build: \"{}\" ({origin})",
                escaped(because)
            )),
            Bar::OtherHash { origin } => whole(format!("none of the hashes stated at {origin}")),
            Bar::Unusable(why) => whole(format!("its metadata cannot be used: {why}")),
            Bar::TooDear {
                version,
                size,
                limit,
            } => whole(format!(
                "what {version} needs is not known: learning it means fetching {} (limit {}; \
                    --fetch-limit)",
                megabytes(*size),
                megabytes(*limit)
            )),
            Bar::Quarantined(reason) => whole(format!(
                "its depot has quarantined the project{}",
                quoted(reason, " (", ")")
            )),
        }
    }

    /// The words for it where it is told of several releases at once, without what differs from one
    /// to the next: why, and what the place is, for where the reader does not see that.
    pub fn of_several(&self) -> (String, String) {
        let Parts { why, place, .. } = self.in_parts("wheels for");
        (why, place)
    }
}

/// A sentence that a bar is told in.
#[derive(Debug, Default)]
struct Parts {
    why: String,
    /// What is so of this release alone.
    own: String,
    /// What the place is.
    place: String,
}

impl Parts {
    fn whole(self) -> String {
        self.why + &self.own + &self.place
    }
}

/// A reason that somebody gave, in quotes behind a word.
fn quoted(reason: &str, before: &str, after: &str) -> String {
    if reason.is_empty() {
        String::new()
    } else {
        format!("{before}\"{}\"{after}", escaped(reason))
    }
}

fn megabytes(bytes: u64) -> String {
    match bytes {
        0..1_000_000 => format!("{} kB", bytes.div_ceil(1_000)),
        1_000_000..1_000_000_000 => format!("{} MB", bytes / 1_000_000),
        _ => format!(
            "{}.{} GB",
            bytes / 1_000_000_000,
            bytes % 1_000_000_000 / 100_000_000
        ),
    }
}

impl fmt::Display for Bar {
    /// A sentence without final stop.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.in_parts("wheels for").whole())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn bar(what: &'static str) -> Bar {
        Bar::Misfit(Misfit::TooOld {
            what,
            needs: (2, 34),
            here: (2, 31),
        })
    }

    #[rstest]
    #[case(
        bar("glibc"),
        BarKind::Libc,
        "needs glibc 2.34, here 2.31",
        "needs glibc 2.34"
    )]
    #[case(
        bar("macOS"),
        BarKind::Platform,
        "needs macOS 2.34, here 2.31",
        "needs macOS 2.34"
    )]
    #[case(Bar::Yanked("broke, here and \
        there".to_owned()), BarKind::Yanked, "yanked: \"broke, here and there\"",
        "yanked: \"broke, here and there\"")]
    #[case(Bar::Later { as_of: Timestamp::UNIX_EPOCH, published: "2026-03-02T12:00:00Z".parse().unwrap() }, BarKind::Date,
        "published after 1970-01-01 (2026-03-02)", "published after 1970-01-01")]
    #[case(Bar::Misfit(Misfit::OtherArch { archs: vec!["aarch64".to_owned()], here: "armv7l".to_owned(), kernel: Some("aarch64".to_owned()) }),
        BarKind::Platform, "wheels for aarch64 only; this userland is armv7l on a kernel for \
            aarch64",
        "wheels for aarch64 only; this userland is armv7l on a kernel for aarch64")]
    fn words_come_from_the_data(
        #[case] bar: Bar,
        #[case] kind: BarKind,
        #[case] words: &str,
        #[case] without_place: &str,
    ) {
        assert_eq!((bar.kind(), bar.to_string().as_str()), (kind, words));
        assert_eq!(bar.of_several().0, without_place);
    }
}
