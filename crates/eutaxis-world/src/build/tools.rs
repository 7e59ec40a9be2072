//! What of a build's needs is here: tools on the path, headers and libraries of the system.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use crate::files::is_program;
use crate::process::{answer, lead_group};

/// How long a compiler may take to say what it is.
const PATIENCE: Duration = Duration::from_secs(10);
/// It says it in no more bytes.
const MOST: usize = 64 << 10;

/// The first of the programs that the path leads to.
pub fn program(names: &[String]) -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let folders: Vec<PathBuf> = std::env::split_paths(&path).collect();
    let in_folder = |name: &String| folders.iter().map(|f| f.join(name)).find(|p| is_program(p));
    names.iter().find_map(in_folder)
}

/// Whether a header is in the folders that compilers look in, of a system below this root.
pub fn has_header(root: &Path, name: &str) -> bool {
    let mut folders = vec![root.join("usr/local/include"), root.join("usr/include")];
    // The folder of an architecture, as `x86_64-linux-gnu`; and those of libraries, which build
    // descriptions add by what finds them.
    let below = std::fs::read_dir(root.join("usr/include"));
    let inner = below.into_iter().flatten().flatten().map(|e| e.path());
    folders.extend(inner.filter(|p| p.is_dir()));
    folders.iter().any(|f| f.join(name).is_file())
}

/// Whether a library can be linked against, of a system below this root.
pub fn has_library(root: &Path, name: &str) -> bool {
    let plain = name.strip_prefix("lib").unwrap_or(name);
    let file = format!("lib{plain}.so");
    let archive = format!("lib{plain}.a");
    let mut folders = vec![
        root.join("usr/local/lib"),
        root.join("usr/lib"),
        root.join("usr/lib64"),
        root.join("lib"),
    ];
    let below = std::fs::read_dir(root.join("usr/lib"));
    let inner = below.into_iter().flatten().flatten().map(|e| e.path());
    let of_architecture = |p: &PathBuf| {
        let name = p.file_name().map(|n| n.to_string_lossy().into_owned());
        name.is_some_and(|n| n.contains("-linux-"))
    };
    folders.extend(inner.filter(of_architecture));
    folders
        .iter()
        .any(|f| f.join(&file).exists() || f.join(&archive).exists())
}

/// What the C compiler here says that it is, in a line; none without one.
pub fn compiler() -> Option<String> {
    let names = ["cc", "gcc", "clang"].map(str::to_owned);
    let program = program(&names)?;
    let mut command = Command::new(program);
    command
        .arg("--version")
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null());
    lead_group(&mut command);
    let child = command.spawn().ok()?;
    let (_, bytes) = answer(child, MOST, Instant::now() + PATIENCE).ok()?;
    let text = String::from_utf8_lossy(&bytes).into_owned();
    text.lines().next().map(str::to_owned)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_and_libraries_are_looked_for_below_the_root() {
        let root = tempfile::tempdir().unwrap();
        for file in [
            "usr/include/zlib.h",
            "usr/include/x86_64-linux-gnu/ffi.h",
            "usr/lib/x86_64-linux-gnu/libjpeg.so",
        ] {
            let path = root.path().join(file);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, "").unwrap();
        }
        let headers = ["zlib.h", "ffi.h", "jpeglib.h"].map(|h| has_header(root.path(), h));
        assert_eq!(headers, [true, true, false]);
        let libraries = ["jpeg", "libjpeg", "z"].map(|l| has_library(root.path(), l));
        assert_eq!(libraries, [true, true, false]);
    }
}
