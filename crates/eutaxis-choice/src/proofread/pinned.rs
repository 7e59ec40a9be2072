//! Pins against a target, and an entry of them against the page of its project.

use super::trouble::Pinned;
use crate::offer::{JudgedPage, Verdict};
use eutaxis_standards::index::Hashes;
use eutaxis_standards::pins::{Lock, Package};
use eutaxis_standards::targets::Target;
use eutaxis_standards::version::{Version, VersionSpecifier};

/// What keeps pins from a target.
pub fn interpreter_of(lock: &Lock, target: &Target) -> Option<Pinned> {
    let needs = VersionSpecifier::parse(lock.requires_python.as_deref()?).ok()?;
    (!needs.matches(&target.interpreter.version)).then(|| Pinned::Interpreter {
        needs,
        here: target.interpreter.clone(),
    })
}

/// What an entry shows by itself.
pub fn hashless(package: &Package) -> Option<Pinned> {
    let mut files = package.files();
    files
        .any(|f| !f.hashes.contains_key("sha256"))
        .then_some(Pinned::NoHash)
}

/// What is wrong with an entry against the page of its project as its target sees it; none for the
/// page when no depot has the project.
pub fn pinned(package: &Package, judged: Option<&JudgedPage>) -> Option<Pinned> {
    let version = Version::parse(package.version.as_deref()?).ok()?;
    let Some(judged) = judged else {
        return Some(Pinned::NameGone);
    };
    let Some(offer) = judged.offer(&version) else {
        return Some(Pinned::VersionGone(version));
    };
    for file in package.files() {
        let Some(filename) = file.filename() else {
            continue;
        };
        let Some(listed) = offer.files.iter().find(|f| *f.file.filename == *filename) else {
            return Some(Pinned::FileGone(filename.to_string()));
        };
        let pinned: Hashes = file.hashes.iter().collect();
        if !listed.file.hashes.agree(&pinned) && listed.file.hashes.has_strong() {
            return Some(Pinned::OtherHash(filename.to_string()));
        }
    }
    if let Some(reason) = &offer.yanked {
        let reason = reason.to_string();
        return Some(Pinned::Yanked { version, reason });
    }
    (offer.verdict == Verdict::Barred).then(|| Pinned::Barred {
        version,
        bar: offer.bars.first().cloned(),
    })
}
