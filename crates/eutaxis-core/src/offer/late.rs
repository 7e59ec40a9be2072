//! What the metadata of a file says about it that its page and its name did not.

use std::sync::Arc;

use super::{Bar, BarKind, Build, Evidence, OfferFile, bars::python_bar, build};
use crate::artifact::Metadata;
use crate::knowledge::MadeFor;
use crate::requirement::Requirement;
use crate::targets::Target;
use crate::version::Version;

/// What came of the question for the metadata of a file.
#[derive(Debug, Clone)]
pub enum MetadataAnswer {
    /// What the file says of itself.
    Known(Arc<Metadata>),
    /// A source distribution whose needs only building would tell.
    UnknownUntilBuilt,
    /// A file whose metadata breaks the standard, so that nobody can know what it needs: why, in words.
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
pub(super) fn learned_build(file: &OfferFile, metadata: &Metadata, target: &Target) -> Option<Build> {
    if file.build.is_some() || !file.is_wheel() {
        return None;
    }
    let counts = |r: &&Requirement| r.marker.as_ref().is_none_or(|m| m.holds(&target.markers, None));
    let families = &target.accelerators.families;
    let (family, toolkit) = metadata.requires.iter().filter(counts).find_map(|r| families.of_package(r))?;
    Some(Build { made_for: MadeFor::Toolkit(family, toolkit), evidence: Evidence::Dependency })
}

/// Why a file is out by its metadata. Of Requires-Python the page's word counts where it has one (docs/choice.md,
/// Requires-Python).
pub(super) fn late_bar(file: &OfferFile, metadata: &Metadata, target: &Target) -> Option<Bar> {
    let stated = metadata.requires_python.as_ref().filter(|_| file.file.requires_python.is_none());
    let python = stated.and_then(|set| python_bar(set, target));
    // Where it does not bind, its own metadata says that it is for this platform, and it runs on the processor.
    let learned = learned_build(file, metadata, target).filter(|b| b.binds(target));
    python.or_else(|| build::bar(&learned?, target))
}

/// What an answer to the question for its metadata bars a file by.
pub(super) fn bar_of(answer: &MetadataAnswer, file: &OfferFile, version: &Version, target: &Target) -> Option<Bar> {
    match answer {
        MetadataAnswer::Known(metadata) => late_bar(file, metadata, target),
        MetadataAnswer::UnknownUntilBuilt => {
            let detail = "only source, and what it needs is known only by building it".to_owned();
            Some(Bar { kind: BarKind::Wheels, detail })
        }
        MetadataAnswer::Unusable(why) => {
            Some(Bar { kind: BarKind::Absent, detail: format!("its metadata cannot be used: {why}") })
        }
        MetadataAnswer::Dear(_) => None,
        MetadataAnswer::TooDear { size, limit } => Some(too_dear(version, *size, *limit)),
    }
}

/// The bar of a release of which it would cost too much to learn what it needs.
pub fn too_dear(version: &Version, size: u64, limit: u64) -> Bar {
    let mb = |bytes: u64| match bytes {
        0..1_000_000 => format!("{} kB", bytes.div_ceil(1_000)),
        1_000_000..1_000_000_000 => format!("{} MB", bytes / 1_000_000),
        _ => format!("{}.{} GB", bytes / 1_000_000_000, bytes % 1_000_000_000 / 100_000_000),
    };
    let detail = format!(
        "what {version} needs is not known: learning it means fetching {} (limit {}; --fetch-limit)",
        mb(size),
        mb(limit)
    );
    Bar { kind: BarKind::Unknown, detail }
}
