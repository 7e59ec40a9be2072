//! An ELF program that tells its processor and its loader, and holds some texts: enough to be read,
//! not to be run.

use object::elf;

use super::elf::{Bytes, arch};

/// The program for an architecture (`x86_64`, `aarch64`, `armv7l`); without a loader it is a
/// library.
pub(crate) fn program(name: &str, loader: Option<&str>, texts: &[&str]) -> Vec<u8> {
    let arch = arch(name);
    let (header, segment): (u64, u64) = if arch.wide { (64, 56) } else { (52, 32) };
    let count = u16::from(loader.is_some());
    let mut b = Bytes {
        out: Vec::new(),
        wide: arch.wide,
    };
    b.out.extend_from_slice(&elf::ELFMAG);
    b.out.extend_from_slice(&[
        if arch.wide { 2 } else { 1 },
        1,
        1,
        0,
        0,
        0,
        0,
        0,
        0,
        0,
        0,
        0,
    ]);
    b.u16(if loader.is_some() { 2 } else { 3 });
    b.u16(arch.machine);
    b.u32(1);
    b.word(0);
    b.word(if loader.is_some() { header } else { 0 });
    b.word(0);
    b.u32(arch.flags);
    [
        header as u16,
        segment as u16,
        count,
        if arch.wide { 64 } else { 40 },
        0,
        0,
    ]
    .into_iter()
    .for_each(|n| b.u16(n));
    if let Some(loader) = loader {
        let (at, size) = (header + segment, loader.len() as u64 + 1);
        b.u32(3);
        if arch.wide {
            b.u32(4);
        }
        for n in [at, at, at, size, size] {
            b.word(n);
        }
        if !arch.wide {
            b.u32(4);
        }
        b.word(1);
        b.out.extend_from_slice(loader.as_bytes());
        b.out.push(0);
    }
    for text in texts {
        b.out.push(0);
        b.out.extend_from_slice(text.as_bytes());
        b.out.push(0);
    }
    b.out
}
