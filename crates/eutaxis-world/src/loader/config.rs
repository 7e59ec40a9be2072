//! Folders that the loader looks into by itself: those of its configuration, when there is no cache
//! made from it, and those that are built in.

use std::path::{Path, PathBuf};

use crate::root::{matching, start_of};

/// Files that include files, at most so deep.
const DEEPEST: usize = 8;

/// The folders, in order, for programs of an architecture; as paths of the machine.
pub(super) fn folders(root: &Path, arch: &str, configured: bool, musl: bool) -> Vec<PathBuf> {
    if musl {
        let told = start_of(&root.join(format!("etc/ld-musl-{}.path", musl_arch(arch))));
        let listed: Vec<PathBuf> = told
            .split([':', '\n'])
            .map(str::trim)
            .filter(|l| !l.is_empty())
            .map(PathBuf::from)
            .collect();
        return if listed.is_empty() {
            ["/lib", "/usr/local/lib", "/usr/lib"]
                .map(PathBuf::from)
                .to_vec()
        } else {
            listed
        };
    }
    let mut found = Vec::new();
    if configured {
        read(root, Path::new("/etc/ld.so.conf"), DEEPEST, &mut found);
    }
    let triple = match arch {
        "armv7l" => "arm-linux-gnueabihf".to_owned(),
        "armv5tel" => "arm-linux-gnueabi".to_owned(),
        "i686" => "i386-linux-gnu".to_owned(),
        "ppc64le" => "powerpc64le-linux-gnu".to_owned(),
        arch => format!("{arch}-linux-gnu"),
    };
    found.extend(["/lib/", "/usr/lib/"].map(|f| PathBuf::from(format!("{f}{triple}"))));
    found.extend(["/lib64", "/usr/lib64", "/lib", "/usr/lib"].map(PathBuf::from));
    found
}

/// Libraries that musl's loader is itself, whatever files are there.
const OF_MUSL: [&str; 7] = [
    "libc.so",
    "libpthread.so",
    "librt.so",
    "libm.so",
    "libdl.so",
    "libutil.so",
    "libxnet.so",
];

/// Whether a library is one that musl's loader is itself.
pub(super) fn is_of_musl(library: &str) -> bool {
    library.starts_with("libc.musl-") || OF_MUSL.contains(&library)
}

/// musl's word for an architecture.
fn musl_arch(arch: &str) -> &str {
    match arch {
        "armv7l" => "armhf",
        "i686" => "i386",
        "ppc64le" => "powerpc64le",
        other => other,
    }
}

fn read(root: &Path, file: &Path, depth: usize, found: &mut Vec<PathBuf>) {
    let inside = |path: &Path| root.join(path.strip_prefix("/").unwrap_or(path));
    for line in start_of(&inside(file)).lines() {
        let line = line.split('#').next().unwrap_or("").trim();
        match line.strip_prefix("include ") {
            Some(pattern) if depth > 0 => {
                let pattern = pattern.trim();
                let folder = file.parent().unwrap_or(Path::new("/"));
                let whole = if pattern.starts_with('/') {
                    PathBuf::from(pattern)
                } else {
                    folder.join(pattern)
                };
                let pattern = whole.display().to_string();
                for path in matching(root, pattern.trim_start_matches('/')) {
                    let path = Path::new("/").join(path.strip_prefix(root).unwrap_or(&path));
                    read(root, &path, depth - 1, found);
                }
            }
            None if line.starts_with('/') => {
                found.push(PathBuf::from(line.split('=').next().unwrap_or(line)))
            }
            _ => {}
        }
    }
}
