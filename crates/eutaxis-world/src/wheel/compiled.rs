//! The compiled files of a wheel on this disk.

use std::fs::File;
use std::path::Path;

use eutaxis_core::artifact::NameRules;
use eutaxis_core::binary::{Binary, is_binary, read};

use super::{Archive, Refusal};

/// Larger files are not looked into.
const LARGEST: u64 = 256 << 20;
/// Nor more bytes of one wheel.
const MOST: u64 = 1 << 30;

/// A compiled file of a wheel.
pub(crate) struct CompiledFile {
    /// Its path in the wheel.
    pub(crate) path: String,
    /// What it is for; none when it cannot be read, or was too large to be looked into.
    pub(crate) parts: Option<Vec<Binary>>,
}

/// The files of a wheel that are compiled, by name or content; none when it cannot be read.
pub(crate) fn compiled_files(wheel: &Path) -> Option<Vec<CompiledFile>> {
    let mut archive = Archive::open(File::open(wheel).ok()?).ok()?;
    let (members, _) = archive.judge(NameRules::Posix);
    let mut buffer = vec![0; 1 << 16];
    let (mut all, mut unpacked) = (Vec::new(), 0_u64);
    for member in members.iter().filter(|m| is_named_compiled(&m.path)) {
        unpacked = unpacked.saturating_add(member.size);
        let mut bytes = Vec::new();
        let fits = member.size <= LARGEST && unpacked <= MOST;
        if fits {
            let whole = archive.read::<Refusal>(member, &mut buffer, |part| {
                bytes.extend_from_slice(part);
                Ok(())
            });
            whole.ok()?;
        }
        let parts = is_binary(&bytes).then(|| read(bytes.as_slice()).ok());
        all.push(CompiledFile {
            path: member.path.clone(),
            parts: parts.flatten(),
        });
    }
    Some(all)
}

/// Whether a file's name is one of compiled files.
pub fn is_named_compiled(path: &str) -> bool {
    let lower = path.to_ascii_lowercase();
    let endings = [".so", ".pyd", ".dll", ".dylib"];
    endings.iter().any(|e| lower.ends_with(e)) || lower.contains(".so.")
}
