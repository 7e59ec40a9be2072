//! What happens to an environment that nobody looks after: faults of the kinds that are met, put
//! into one that was sound.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use eutaxis_core::artifact::{Record, RecordLine, record_base64};
use sha2::{Digest, Sha256};

use crate::binary::Library;
use crate::{Wheel, write_wheel};

/// What the team knows of its own libraries, by the form of `knowledge/libraries.toml`.
pub const FIRN: &str = r#"# Libraries of the team's boards, and the system packages that bring them. eutaxis.toml names this file under [knowledge].
[[library]]
files = ["libfirn.so.*"]
what = "the board's snow sensors"
packages = { debian = "firn-runtime", fedora = "firn-runtime", alpine = "firn-runtime", arch = "firn-runtime" }
"#;

/// A project that somebody placed by hand.
struct ByHand<'a> {
    name: &'a str,
    version: &'a str,
    needs: &'a [&'a str],
    files: Vec<(String, Vec<u8>)>,
}

/// Puts five faults into an environment: a module for another interpreter, one that needs a library
/// which is not there, two projects that own one file, a file that is gone, and a module that an
/// older release left.
///
/// # Errors
/// When the environment has no folder of packages, or cannot be written to.
pub fn neglect(root: &Path) -> io::Result<()> {
    let site = site(root)?;
    let arch = std::env::consts::ARCH;
    let module = |needs: &[&str]| Library {
        arch: if arch == "arm" {
            "armv7l".to_owned()
        } else {
            arch.to_owned()
        },
        needs: needs.iter().map(|n| (*n).to_owned()).collect(),
        ..Library::module("_core")
    };
    let initial =
        |name: &str, text: &str| (format!("{name}/__init__.py"), text.as_bytes().to_vec());
    let by_hand = [
        // Built for the board's interpreter, and copied over.
        ByHand {
            name: "hoarfrost",
            version: "1.4",
            needs: &[],
            files: vec![
                initial("hoarfrost", ""),
                (
                    "hoarfrost/_core.cpython-36m-x86_64-linux-gnu.so".into(),
                    module(&[]).bytes(),
                ),
            ],
        },
        ByHand {
            name: "snowpit",
            version: "2.2",
            needs: &[],
            files: vec![
                initial("snowpit", ""),
                (
                    "snowpit/_core.abi3.so".into(),
                    module(&["libfirn.so.3"]).bytes(),
                ),
            ],
        },
        ByHand {
            name: "borelog",
            version: "1.0",
            needs: &[],
            files: vec![initial("borelog", "# logs of ice cores\n")],
        },
        ByHand {
            name: "borelog_viz",
            version: "0.3",
            needs: &["borelog"],
            files: vec![initial("borelog", "# pictures of ice cores\n")],
        },
    ];
    for project in &by_hand {
        place(&site, project)?;
    }
    fs::remove_file(site.join("radargram/__init__.py"))?;
    fs::write(site.join("firnio/oldtables.py"), "# tables of firnio 1.0\n")
}

/// The folder of packages of an environment.
fn site(root: &Path) -> io::Result<PathBuf> {
    for entry in fs::read_dir(root.join("lib"))? {
        let site = entry?.path().join("site-packages");
        if site.is_dir() {
            return Ok(site);
        }
    }
    Err(io::Error::other(
        "the environment has no folder of packages",
    ))
}

fn place(site: &Path, project: &ByHand<'_>) -> io::Result<()> {
    let info = format!("{}-{}.dist-info", project.name, project.version);
    let needs: String = project
        .needs
        .iter()
        .map(|n| format!("Requires-Dist: {n}\n"))
        .collect();
    let metadata = format!(
        "Metadata-Version: 2.1\nName: {}\nVersion: {}\n{needs}",
        project.name, project.version
    );
    let mut files = project.files.clone();
    files.push((format!("{info}/METADATA"), metadata.into_bytes()));
    files.push((format!("{info}/INSTALLER"), b"by hand\n".to_vec()));
    let mut record = Record::default();
    for (path, bytes) in &files {
        let to = site.join(path);
        if let Some(folder) = to.parent() {
            fs::create_dir_all(folder)?;
        }
        // What is there may be shared with a store: it is taken away, and not written into.
        match fs::remove_file(&to) {
            Err(e) if e.kind() != io::ErrorKind::NotFound => return Err(e),
            _ => fs::write(&to, bytes)?,
        }
        let hash = format!("sha256={}", record_base64(&Sha256::digest(bytes)));
        record.lines.push(RecordLine {
            path: path.clone(),
            hash: Some(hash),
            size: Some(bytes.len() as u64),
        });
    }
    record.lines.push(RecordLine {
        path: format!("{info}/RECORD"),
        hash: None,
        size: None,
    });
    fs::write(site.join(&info).join("RECORD"), record.write())
}

/// Writes wheels that were found somewhere into a folder: one that promises an older C library than
/// it needs, one for another board under this one's name, one that writes outside its place.
///
/// # Errors
/// When the folder cannot be written to.
pub fn found_wheels(folder: &Path) -> io::Result<()> {
    fs::create_dir_all(folder)?;
    let core = |name: &str| format!("{name}/_core.cpython-311-x86_64-linux-gnu.so");
    let texts = |all: &[&str]| all.iter().map(|t| (*t).to_owned()).collect::<Vec<_>>();
    let library = Library {
        needs: texts(&["libfirn.so.3", "libc.so.6"]),
        versions: vec![("libc.so.6".into(), "GLIBC_2.34".into())],
        ..Library::module("_core")
    };
    let board = Library {
        arch: "aarch64".into(),
        ..Library::module("_core")
    };
    let wheels = [
        (
            "snowpit",
            "2.4",
            "cp311-cp311-manylinux_2_17_x86_64",
            vec![(core("snowpit"), library.bytes())],
        ),
        (
            "nunatak",
            "1.9",
            "cp311-cp311-manylinux_2_17_x86_64",
            vec![(core("nunatak"), board.bytes())],
        ),
        (
            "katabat",
            "0.9",
            "py3-none-any",
            vec![("../../.profile".to_owned(), b"echo hello\n".to_vec())],
        ),
    ];
    for (name, version, tags, files) in wheels {
        let mut wheel = Wheel {
            name: name.into(),
            version: version.into(),
            tags: tags.into(),
            files,
        };
        let metadata = format!("Metadata-Version: 2.1\nName: {name}\nVersion: {version}\n");
        wheel.files.push((
            format!("{}/METADATA", wheel.dist_info()),
            metadata.into_bytes(),
        ));
        fs::write(folder.join(wheel.filename()), write_wheel(&wheel)?)?;
    }
    Ok(())
}
