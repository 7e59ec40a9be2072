//! What the metadata of a file says about it that its page and its name did not.

use std::sync::Arc;

use super::{Bar, Build, Evidence, OfferFile, build};
use eutaxis_standards::artifact::Metadata;
use eutaxis_standards::knowledge::{MadeFor, most_exact};
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::Version;

/// What came of the question for the metadata of a file.
#[derive(Debug, Clone)]
pub enum MetadataAnswer {
    /// What the file says of itself.
    Known(Arc<Metadata>),
    /// A source distribution whose needs only building would tell.
    UnknownUntilBuilt,
    /// A file whose metadata breaks the standard, so that nobody can know what it needs: why, in
    /// words.
    Unusable(String),
    /// Only the archive would tell, of so many bytes (0: not known).
    Dear(u64),
    /// Only the archive would tell, and to fetch it is not permitted.
    TooDear {
        /// Its bytes.
        size: u64,
        /// What is permitted.
        limit: u64,
    },
}

/// What a wheel was made for by the runtime packages that it depends on, when nothing else says it.
pub(super) fn learned_build(
    file: &OfferFile,
    metadata: &Metadata,
    target: &Target,
) -> Option<Build> {
    if file.build.is_some() || !file.is_wheel() {
        return None;
    }
    let counts = |r: &&Requirement| {
        r.marker
            .as_ref()
            .is_none_or(|m| m.holds(&target.markers, None))
    };
    let families = &target.accelerators.families;
    let mine = || metadata.requires.iter().filter(counts);
    let told = mine().filter_map(|r| families.of_package(r));
    let exact = most_exact(told).map(|told| (told, Evidence::Dependency));
    let beside = || {
        Some((
            mine().find_map(|r| families.of_beside(r))?,
            Evidence::Companion,
        ))
    };
    let ((family, toolkit), evidence) = exact.or_else(beside)?;
    Some(Build {
        made_for: MadeFor::Toolkit(family, toolkit),
        evidence,
    })
}

/// Why a file is out by its metadata. Of Requires-Python the page's word counts where it has one
/// (docs/choice.md, Requires-Python).
pub(super) fn late_bar(file: &OfferFile, metadata: &Metadata, target: &Target) -> Option<Bar> {
    let stated = metadata
        .requires_python
        .as_ref()
        .filter(|_| file.file.requires_python.is_none());
    let python = stated.and_then(|set| target.python_misfit(set).map(Bar::Misfit));
    // Where it does not bind, its own metadata says that it is for this platform, and it runs on
    // the processor.
    let learned = learned_build(file, metadata, target).filter(|b| b.binds(target));
    python.or_else(|| build::bar(&learned?, target))
}

/// What an answer to the question for its metadata bars a file by.
pub(super) fn bar_of(
    answer: &MetadataAnswer,
    file: &OfferFile,
    version: &Version,
    target: &Target,
) -> Option<Bar> {
    match answer {
        MetadataAnswer::Known(metadata) => late_bar(file, metadata, target),
        MetadataAnswer::UnknownUntilBuilt => Some(Bar::UnknownUntilBuilt),
        MetadataAnswer::Unusable(why) => Some(Bar::Unusable(why.clone())),
        MetadataAnswer::Dear(_) => None,
        MetadataAnswer::TooDear { size, limit } => Some(Bar::TooDear {
            version: version.clone(),
            size: *size,
            limit: *limit,
        }),
    }
}
