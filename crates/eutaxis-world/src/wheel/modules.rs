//! What can be imported of a wheel, by the names of its files.

use std::collections::BTreeSet;
use std::fs::File;
use std::path::Path;

use eutaxis_core::artifact::NameRules;
use eutaxis_core::name::is_identifier;

use super::Archive;

/// Names of the modules and packages at the top of a wheel, in order; none when it cannot be read
/// as an archive.
pub fn top_modules(wheel: &Path) -> Vec<String> {
    let Some(mut archive) = File::open(wheel).ok().and_then(|f| Archive::open(f).ok()) else {
        return Vec::new();
    };
    let (members, _) = archive.judge(NameRules::Posix);
    let names: BTreeSet<String> = members.iter().filter_map(|m| top_module(&m.path)).collect();
    names.into_iter().collect()
}

/// The module or package at the top that a file of a wheel belongs to.
fn top_module(path: &str) -> Option<String> {
    // What is placed among the modules may lie in the data folder as well (PEP 427, installing a
    // wheel).
    let path = match path.split_once(".data/") {
        Some((_, rest)) => rest
            .strip_prefix("purelib/")
            .or_else(|| rest.strip_prefix("platlib/"))?,
        None => path,
    };
    let name = match path.split_once('/') {
        Some((folder, _)) => folder,
        // A compiled module bears a tag before its ending: `_core.cpython-311-x86_64-linux-gnu.so`.
        None => [".py", ".so", ".pyd"]
            .iter()
            .find_map(|e| path.strip_suffix(e))?
            .split('.')
            .next()?,
    };
    is_identifier(name).then(|| name.to_owned())
}

#[cfg(test)]
mod tests {
    use super::top_module;
    use rstest::rstest;

    #[rstest]
    #[case("radargram/core/__init__.py", Some("radargram"))]
    #[case("firnio.py", Some("firnio"))]
    #[case("_core.cpython-311-x86_64-linux-gnu.so", Some("_core"))]
    #[case("radargram-2.0.dist-info/METADATA", None)]
    #[case("radargram-2.0.data/purelib/radar/a.py", Some("radar"))]
    #[case("radargram-2.0.data/scripts/radar", None)]
    #[case("radargram.libs/libfirn.so.3", None)]
    fn files_belong_to_modules(#[case] path: &str, #[case] module: Option<&str>) {
        assert_eq!(top_module(path).as_deref(), module);
    }
}
