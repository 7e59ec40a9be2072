//! What the executable itself tells: its loader, and whether 32-bit ARM code uses hard floating
//! point.

use std::fs::File;
use std::path::Path;
use std::process::{Command, Stdio};

use object::read::ReadCache;
use object::read::elf::{FileHeader, ProgramHeader};
use object::{Endianness, FileKind, elf};

/// What was read from an ELF executable.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct ElfFacts {
    /// The loader (PT_INTERP).
    pub(super) loader: Option<String>,
    /// 32-bit ARM without the hard-float flag.
    pub(super) soft_float: bool,
    /// The processor it is for; none for what is no ELF file.
    pub(super) machine: Option<elf::Machine>,
    /// 32 or 64.
    pub(super) bits: u32,
}

/// Reads an executable; nothing for what is no ELF file.
pub(super) fn read(path: &Path) -> ElfFacts {
    let Ok(file) = File::open(path) else {
        return ElfFacts::default();
    };
    let cache = ReadCache::new(file);
    match FileKind::parse(&cache) {
        Ok(FileKind::Elf32) => facts::<elf::FileHeader32<Endianness>, _>(&cache),
        Ok(FileKind::Elf64) => facts::<elf::FileHeader64<Endianness>, _>(&cache),
        _ => None,
    }
    .unwrap_or_default()
}

fn facts<'a, H: FileHeader<Endian = Endianness>, R: object::ReadRef<'a>>(
    data: R,
) -> Option<ElfFacts> {
    let header = H::parse(data).ok()?;
    let endian = header.endian().ok()?;
    let hard = header.e_flags(endian).0 & elf::EF_ARM_ABI_FLOAT_HARD != 0;
    let soft_float = header.e_machine(endian) == elf::EM_ARM && !hard;
    let loader = header
        .program_headers(endian, data)
        .ok()?
        .iter()
        .find_map(|segment| segment.interpreter(endian, data).ok().flatten())
        .map(|bytes| String::from_utf8_lossy(bytes).into_owned());
    let bits = if header.is_class_64() { 64 } else { 32 };
    Some(ElfFacts {
        loader,
        soft_float,
        machine: Some(header.e_machine(endian)),
        bits,
    })
}

/// musl's version: its loader, run without arguments, prints `Version 1.2.4` (PEP 656).
pub(super) fn musl_version(loader: &str) -> Option<(u32, u32)> {
    if !loader.contains("musl") {
        return None;
    }
    let output = Command::new(loader).stdin(Stdio::null()).output().ok()?;
    let text = String::from_utf8_lossy(&output.stderr).into_owned();
    let line = text.lines().find_map(|l| l.strip_prefix("Version "))?;
    super::two_numbers(line)
}
