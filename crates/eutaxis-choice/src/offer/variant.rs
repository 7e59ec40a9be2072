//! Wheel variants among the files of a page (draft PEP 825).

use eutaxis_standards::artifact::Feature;
use eutaxis_standards::index::{FileKind, Page};
use eutaxis_standards::targets::{Target, VariantMiss, VariantOrder};

/// The properties of a file, as the page describes them.
pub(super) fn properties(page: &Page, kind: &FileKind) -> Vec<Feature> {
    let described = |label: &str| {
        let variants = page.variants_of(kind.version()).ok()?;
        variants.features_of(label)
    };
    let features = kind.variant().and_then(described);
    features.map_or(Vec::new(), <[Feature]>::to_vec)
}

/// How good a file is as a variant, or why it is not taken; none where it is no variant.
pub(super) fn order(
    page: &Page,
    kind: &FileKind,
    target: &Target,
) -> Option<Result<VariantOrder, VariantMiss>> {
    let label = kind.variant()?;
    let described = page.variants_of(kind.version()).map(|v| &**v);
    Some(target.described_variant(described, label))
}
