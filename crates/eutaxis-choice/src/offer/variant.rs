//! Wheel variants among the files of a page (draft PEP 825).

use eutaxis_standards::artifact::Feature;
use eutaxis_standards::index::{FileKind, Page};
use eutaxis_standards::targets::{Target, VariantMiss, VariantOrder};

/// The label of a variant.
fn label(kind: &FileKind) -> Option<&str> {
    match kind {
        FileKind::Wheel(name) => name.variant.as_deref(),
        FileKind::Sdist(_) | FileKind::Variants(_) => None,
    }
}

/// The properties of a file, as the page describes them.
pub(super) fn properties(page: &Page, kind: &FileKind) -> Vec<Feature> {
    let described = || {
        let variants = page.variants_of(kind.version()).ok()?;
        variants.features_of(label(kind)?)
    };
    label(kind)
        .and_then(|_| described())
        .map_or(Vec::new(), <[Feature]>::to_vec)
}

/// How good a file is as a variant, or why it is not taken; none where it is no variant.
pub(super) fn order(
    page: &Page,
    kind: &FileKind,
    target: &Target,
) -> Option<Result<VariantOrder, VariantMiss>> {
    let label = label(kind)?;
    Some(match page.variants_of(kind.version()) {
        Ok(variants) => target.variant(variants, label),
        Err(None) => Err(VariantMiss::Undescribed(label.to_owned())),
        Err(Some(why)) => Err(VariantMiss::Unread(why.to_owned())),
    })
}
