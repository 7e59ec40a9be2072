//! What the metadata of a file says about it that its page and its name did not.

use super::{Bar, Build, Evidence, OfferFile, bars::python_bar, build};
use crate::artifact::Metadata;
use crate::knowledge::MadeFor;
use crate::requirement::Requirement;
use crate::target::Target;

/// What a wheel was made for by the runtime packages that it depends on, when nothing else says it.
pub fn learned_build(file: &OfferFile, metadata: &Metadata, target: &Target) -> Option<Build> {
    if file.build.is_some() || !file.is_wheel() {
        return None;
    }
    let counts = |r: &&Requirement| r.marker.as_ref().is_none_or(|m| m.holds(&target.markers, None));
    let families = &target.accelerators.families;
    let (family, toolkit) = metadata.requires.iter().filter(counts).find_map(|r| families.of_package(r))?;
    Some(Build { made_for: MadeFor::Toolkit(family, toolkit), evidence: Evidence::Dependency })
}

/// Why a file is out by its metadata. Of Requires-Python the page's word counts where it has one (choice, rule 6).
pub fn late_bar(file: &OfferFile, metadata: &Metadata, target: &Target) -> Option<Bar> {
    let stated = metadata.requires_python.as_ref().filter(|_| file.file.requires_python.is_none());
    let python = stated.and_then(|set| python_bar(set, target));
    // Where it does not bind, its own metadata says that it is for this platform, and it runs on the processor.
    let learned = learned_build(file, metadata, target).filter(|b| b.binds(target));
    python.or_else(|| build::bar(&learned?, target))
}
