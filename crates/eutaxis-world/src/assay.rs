//! Looking into a wheel without placing it: every check that placing makes, and its compiled files.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

use eutaxis_core::artifact::{Metadata, NameRules, Variants, WheelName};
use eutaxis_core::assay::Carried;
use eutaxis_core::binary::{Binary, is_binary};
use eutaxis_core::examine::LackingVersion;
use eutaxis_core::fault::Fault;
use eutaxis_core::targets::{System, Target};

use crate::Result;
use crate::environment::destination;
use crate::error::Doing;
use crate::hash::Sha256;
use crate::loader::{Loader, Parts, read_binary};
use crate::wheel::{Archive, Member, Refusal, RefusalKind, Seen, check, hash_of_part};

/// Compiled files above this size are looked into on the disk.
const MOST_IN_MEMORY: u64 = 64 << 20;
/// Files that describe the wheel are not larger than this.
const MOST_METADATA: u64 = 64 << 20;

/// What a wheel holds.
#[derive(Debug)]
pub struct Looked {
    /// What its name says, or why that cannot be read.
    pub name: std::result::Result<WheelName, Fault>,
    /// What its metadata says, if that can be read.
    pub metadata: Option<Metadata>,
    /// What it says of its variants, or why that cannot be read (draft PEP 825).
    pub variants: Option<std::result::Result<Variants, String>>,
    /// Its compiled files, in the order of their paths.
    pub carried: Vec<Carried>,
    /// Why it would be refused when it is to be placed.
    pub refusals: Vec<Refusal>,
    /// It could not be opened as an archive.
    pub unreadable: bool,
    /// Bytes of its files.
    pub unpacked: u64,
    /// How many files it holds.
    pub files: usize,
}

/// Looks into a wheel for a target. `here` says that the target is this machine (or the one whose
/// root stands in): then libraries are looked for on it.
///
/// # Errors
/// When the file cannot be read, or no temporary file can be written.
pub fn look_into(path: &Path, target: &Target, here: Option<&Loader>) -> Result<Looked> {
    let file = File::open(path).doing("cannot open", path)?;
    let filename = path
        .file_name()
        .map(|n| n.to_string_lossy().into_owned())
        .unwrap_or_default();
    let mut looked = Looked {
        name: WheelName::parse(&filename),
        metadata: None,
        variants: None,
        carried: Vec::new(),
        refusals: Vec::new(),
        unreadable: false,
        unpacked: 0,
        files: 0,
    };
    let mut archive = match Archive::open(file) {
        Ok(archive) => archive,
        Err(refusal) => {
            looked.unreadable = refusal.kind == RefusalKind::Archive;
            looked.refusals.push(refusal);
            return Ok(looked);
        }
    };
    let rules = if target.platform.system == System::Windows {
        NameRules::Windows
    } else {
        NameRules::Posix
    };
    let (members, refusals) = archive.judge(rules);
    // What is unsafe is not read any further.
    let harmful = refusals
        .iter()
        .any(|r| matches!(r.kind, RefusalKind::Size | RefusalKind::Archive));
    looked.refusals = refusals;
    looked.files = members.len();
    looked.unpacked = members.iter().map(|m| m.size).sum();
    if harmful {
        return Ok(looked);
    }
    let mut seen = Vec::with_capacity(members.len());
    for member in &members {
        match read(&mut archive, member)? {
            Ok((hash, parts)) => {
                seen.push(Seen {
                    path: member.path.clone(),
                    hash,
                });
                looked.carried.extend(parts.map(|parts| Carried {
                    path: member.path.clone(),
                    parts,
                    absent: Vec::new(),
                    lacking: Vec::new(),
                }));
            }
            Err(refusal) => looked.refusals.push(refusal),
        }
    }
    looked.carried.sort_by(|a, b| a.path.cmp(&b.path));
    if let Ok(name) = &looked.name {
        let by_path: BTreeMap<&str, &Member> =
            members.iter().map(|m| (m.path.as_str(), m)).collect();
        let mut bytes = |path: &str| by_path.get(path).and_then(|m| bytes_of(&mut archive, m));
        let (said, refusals) = check(name, &seen, &mut bytes);
        looked.refusals.extend(refusals);
        looked.metadata = said.metadata;
        let is_described = |m: &&Member| {
            let folder = m.path.strip_suffix("/variant.json");
            folder.is_some_and(|f| f.ends_with(".dist-info") && !f.contains('/'))
        };
        let described = members.iter().find(is_described);
        looked.variants = described.map(|member| {
            let bytes = bytes(&member.path).ok_or_else(|| "it is damaged".to_owned())?;
            Variants::parse(&bytes).map_err(|f| f.message().to_owned())
        });
        for member in &members {
            if let Err(why) = destination(&member.path, name.name.as_str(), target) {
                looked.refusals.push(Refusal {
                    kind: RefusalKind::UnsafePath,
                    detail: why,
                });
            }
        }
    }
    if let Some(loader) = here {
        absent(&mut looked.carried, loader);
    }
    Ok(looked)
}

type Compiled = (String, Option<Parts>);

/// Reads a file of the wheel: its hash, and if it is compiled what it is.
fn read(archive: &mut Archive, member: &Member) -> Result<std::result::Result<Compiled, Refusal>> {
    let mut buffer = vec![0; 1 << 16];
    let mut hasher = Sha256::new();
    let mut kept: Vec<u8> = Vec::new();
    let mut large: Option<tempfile::NamedTempFile> = None;
    let mut first = true;
    let mut compiled = false;
    let mut failed = None;
    let read = archive.read::<Refusal>(member, &mut buffer, |part| {
        hasher.update(part);
        if first {
            compiled = is_binary(part) || named_as_module(&member.path);
            first = false;
            if compiled && member.size > MOST_IN_MEMORY {
                large = tempfile::NamedTempFile::new()
                    .map_err(|e| failed = Some(e))
                    .ok();
            }
        }
        if compiled {
            match &mut large {
                Some(file) => failed = file.write_all(part).err().or_else(|| failed.take()),
                None => kept.extend_from_slice(part),
            }
        }
        Ok(())
    });
    if let Some(error) = failed {
        return Err(crate::Error::io(
            "cannot write a temporary file for",
            &PathBuf::from(&member.path),
            &error,
        ));
    }
    if let Err(refusal) = read {
        return Ok(Err(refusal));
    }
    let parts = compiled.then(|| match &large {
        Some(file) => read_binary(file.path()),
        None => eutaxis_core::binary::read(kept.as_slice()).map_err(|f| f.to_string()),
    });
    Ok(Ok((hash_of_part(&hasher.finalize()), parts)))
}

/// Named as a module that an interpreter loads, whatever its bytes are.
fn named_as_module(path: &str) -> bool {
    eutaxis_core::binary::named_abi(path).is_some()
}

fn bytes_of(archive: &mut Archive, member: &Member) -> Option<Vec<u8>> {
    if member.size > MOST_METADATA {
        return None;
    }
    let mut bytes = Vec::new();
    let mut buffer = vec![0; 1 << 16];
    let read = archive.read::<Refusal>(member, &mut buffer, |part| {
        bytes.extend_from_slice(part);
        Ok(())
    });
    read.ok().map(|()| bytes)
}

/// Libraries that files need and that neither the wheel nor the machine has.
fn absent(carried: &mut [Carried], loader: &Loader) {
    let last = |path: &str| path.rsplit('/').next().unwrap_or(path).to_owned();
    let brought: Vec<String> = carried
        .iter()
        .flat_map(|c| {
            c.parts
                .iter()
                .flatten()
                .filter_map(|b| b.soname.clone())
                .chain([last(&c.path)])
                .collect::<Vec<_>>()
        })
        .collect();
    for one in carried {
        let outside = |b: &Binary| {
            b.needs
                .iter()
                .filter(|n| !brought.contains(&last(n)))
                .cloned()
                .collect::<Vec<_>>()
        };
        let parts = one.parts.iter().flatten().filter(|b| loader.loads(b));
        let needed: Vec<String> = parts.clone().flat_map(outside).collect();
        // The C library itself is told by its version.
        let told =
            |l: &LackingVersion| !brought.contains(&l.library) && !l.version.starts_with("GLIBC_");
        let lacking = parts.flat_map(|b| loader.lacking(b)).filter(told);
        let words = lacking.map(|l| {
            let ends = l
                .highest
                .map_or(String::new(), |h| format!(", which ends at {h}"));
            format!("{} of {}; here is {}{ends}", l.version, l.library, l.path)
        });
        one.lacking = words.collect();
        one.absent = needed.into_iter().filter(|n| !loader.has(n)).collect();
    }
}
