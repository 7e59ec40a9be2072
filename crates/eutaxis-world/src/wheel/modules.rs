//! What can be imported of a wheel: by the names of its files, and single sources of it.

use std::collections::BTreeSet;
use std::fs::File;
use std::path::Path;

use eutaxis_core::artifact::NameRules;
use eutaxis_core::name::is_identifier;

use super::{Archive, Refusal, RefusalKind};

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

/// Files of a wheel as they lie among the modules, and the bytes of those that were looked for.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sources {
    /// The paths of all its files; none where only those that were looked for were seen.
    pub paths: Option<Vec<String>>,
    /// The files that were looked for, by their paths.
    pub found: Vec<(String, Vec<u8>)>,
}

/// No source that is looked for is larger.
const LARGEST: u64 = 16 << 20;

/// Reads files of a wheel on this disk.
///
/// # Errors
/// When it cannot be read as an archive.
pub fn sources(wheel: &Path, wanted: &dyn Fn(&str) -> bool) -> Result<Sources, Refusal> {
    let open = File::open(wheel).map_err(|e| Refusal::new(RefusalKind::Archive, e))?;
    let mut archive = Archive::open(open)?;
    let (members, _) = archive.judge(NameRules::Posix);
    let mut sources = Sources::default();
    let mut buffer = vec![0; 1 << 16];
    for member in members.iter().filter(|m| m.size <= LARGEST) {
        let Some(path) = among_modules(&member.path).filter(|p| wanted(p)) else {
            continue;
        };
        let mut bytes = Vec::new();
        archive.read::<Refusal>(member, &mut buffer, |part| {
            bytes.extend_from_slice(part);
            Ok(())
        })?;
        sources.found.push((path.to_owned(), bytes));
    }
    let paths = members.iter().filter_map(|m| among_modules(&m.path));
    sources.paths = Some(paths.map(str::to_owned).collect());
    Ok(sources)
}

/// Where a file of a wheel lies once it is placed, from the folder of modules on; none of what lies
/// elsewhere. What is placed among the modules may lie in the data folder as well (PEP 427,
/// installing a wheel).
pub fn among_modules(path: &str) -> Option<&str> {
    match path.split_once(".data/") {
        Some((stem, rest)) if !stem.contains('/') => rest
            .strip_prefix("purelib/")
            .or_else(|| rest.strip_prefix("platlib/")),
        _ => Some(path),
    }
}

/// The module or package at the top that a file of a wheel belongs to.
fn top_module(path: &str) -> Option<String> {
    let path = among_modules(path)?;
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
    use std::io::Write;

    use super::*;
    use rstest::rstest;

    fn wheel(files: &[(&str, &str)]) -> tempfile::NamedTempFile {
        let file = tempfile::NamedTempFile::new().unwrap();
        let mut zip = zip::ZipWriter::new(file.reopen().unwrap());
        for (path, text) in files {
            let options = zip::write::SimpleFileOptions::default();
            zip.start_file(*path, options).unwrap();
            zip.write_all(text.as_bytes()).unwrap();
        }
        zip.finish().unwrap();
        file
    }

    #[test]
    fn sources_are_read_where_they_lie_among_the_modules() {
        let file = wheel(&[
            ("radar/__init__.py", "a = 1\n"),
            ("radar-2.0.data/purelib/radar/core.py", "b = 2\n"),
            ("radar-2.0.data/scripts/radar", "no module\n"),
        ]);
        let found = sources(file.path(), &|path| path == "radar/core.py").unwrap();
        assert_eq!(
            found.found,
            [("radar/core.py".to_owned(), b"b = 2\n".to_vec())]
        );
        let mut paths = found.paths.unwrap();
        paths.sort();
        assert_eq!(paths, ["radar/__init__.py", "radar/core.py"]);
    }

    #[test]
    fn what_is_no_archive_has_no_sources() {
        let file = tempfile::NamedTempFile::new().unwrap();
        assert!(sources(file.path(), &|_| true).is_err());
        assert!(sources(std::path::Path::new("/nowhere.whl"), &|_| true).is_err());
    }

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
