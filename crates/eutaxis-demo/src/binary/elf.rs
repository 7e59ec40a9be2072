//! An ELF shared object that is an extension module: `PyInit__core` returns a module definition
//! (PEP 489).
//!
//! Two segments: headers, tables and code; then data with the definition and the dynamic section.
//! Numbers are those of the `object` crate's `elf` module.

use object::elf;

/// What differs between architectures.
pub(super) struct Arch {
    pub(super) machine: u16,
    pub(super) wide: bool,
    pub(super) flags: u32,
    /// Relocations: address of a symbol, address in this file.
    symbol: u32,
    relative: u32,
    /// Whether relocations carry their addend.
    addend: bool,
}

pub(super) fn arch(name: &str) -> Arch {
    match name {
        "aarch64" => Arch {
            machine: elf::EM_AARCH64.0,
            wide: true,
            flags: 0,
            symbol: 257,
            relative: 1027,
            addend: true,
        },
        "armv7l" => Arch {
            machine: elf::EM_ARM.0,
            wide: false,
            flags: 0x0500_0400,
            symbol: 2,
            relative: 23,
            addend: false,
        },
        _ => Arch {
            machine: elf::EM_X86_64.0,
            wide: true,
            flags: 0,
            symbol: 1,
            relative: 8,
            addend: true,
        },
    }
}

/// A symbol of the GNU C library that came with a version not above `minor`, so that the file needs
/// what its tag says.
fn libc_symbol(minor: u32) -> (&'static str, &'static str) {
    match minor {
        0..=27 => ("secure_getenv", "GLIBC_2.17"),
        28..=33 => ("fcntl64", "GLIBC_2.28"),
        _ => ("pthread_create", "GLIBC_2.34"),
    }
}

/// The System V hash of a version name.
pub(super) fn hash(name: &str) -> u32 {
    name.bytes().fold(0u32, |h, b| {
        let h = (h << 4).wrapping_add(u32::from(b));
        let high = h & 0xf000_0000;
        (h ^ (high >> 24)) & !high
    })
}

/// Texts one after the other, each ended by a zero byte; the first is empty.
pub(super) struct Strings(pub(super) Vec<u8>);

impl Strings {
    pub(super) fn add(&mut self, text: &str) -> u32 {
        let at = self.0.len() as u32;
        self.0.extend_from_slice(text.as_bytes());
        self.0.push(0);
        at
    }
}

/// Bytes with a word size.
pub(super) struct Bytes {
    pub(super) out: Vec<u8>,
    pub(super) wide: bool,
}

impl Bytes {
    pub(super) fn u16(&mut self, n: u16) {
        self.out.extend_from_slice(&n.to_le_bytes());
    }
    pub(super) fn u32(&mut self, n: u32) {
        self.out.extend_from_slice(&n.to_le_bytes());
    }
    pub(super) fn word(&mut self, n: u64) {
        if self.wide {
            self.out.extend_from_slice(&n.to_le_bytes())
        } else {
            self.u32(n as u32)
        }
    }
    fn align(&mut self, to: usize) {
        while !self.out.len().is_multiple_of(to) {
            self.out.push(0);
        }
    }
    fn at(&self) -> u64 {
        self.out.len() as u64
    }
    /// Zeros up to a place.
    pub(super) fn fill(&mut self, to: u64) {
        self.out.resize(to as usize, 0);
    }

    /// The header of a shared object with so many segments.
    pub(super) fn file_header(&mut self, arch: &Arch, segments: u16) {
        let (header, segment, section) = if arch.wide {
            (64, 56, 64)
        } else {
            (52, 32, 40)
        };
        self.out.extend_from_slice(&elf::ELFMAG);
        self.out.extend_from_slice(&[
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
        self.u16(3);
        self.u16(arch.machine);
        self.u32(1);
        self.word(0);
        self.word(u64::from(header));
        self.word(0);
        self.u32(arch.flags);
        [header, segment, segments, section, 0, 0]
            .into_iter()
            .for_each(|n| self.u16(n));
    }

    /// Writes into the header where the sections are, and which of them has their names.
    pub(super) fn name_sections(&mut self, at: u64, count: u16, names: u16) {
        let (place, numbers) = if self.wide { (40, 60) } else { (32, 48) };
        let width = if self.wide { 8 } else { 4 };
        let bytes = at.to_le_bytes();
        let parts = [
            (place, bytes.get(..width).unwrap_or_default()),
            (numbers, &count.to_le_bytes()[..]),
            (numbers + 2, &names.to_le_bytes()[..]),
        ];
        for (at, bytes) in parts {
            if let Some(into) = self.out.get_mut(at..at + bytes.len()) {
                into.copy_from_slice(bytes);
            }
        }
    }

    /// A segment that lies in memory as it does in the file.
    pub(super) fn segment(&mut self, kind: u32, at: u64, size: u64) {
        const READABLE: u32 = 4;
        self.u32(kind);
        if self.wide {
            self.u32(READABLE);
        }
        [at, at, at, size, size]
            .into_iter()
            .for_each(|n| self.word(n));
        if !self.wide {
            self.u32(READABLE);
        }
        self.word(8);
    }

    /// A global symbol that is used, or that stands in the first section.
    pub(super) fn symbol(&mut self, name: u32, used: bool) {
        const GLOBAL_FUNCTION: u8 = 0x12;
        let section = u16::from(!used);
        self.u32(name);
        if self.wide {
            self.out.extend([GLOBAL_FUNCTION, 0]);
            self.u16(section);
            [0, 0].into_iter().for_each(|n| self.word(n));
        } else {
            [0, 0].into_iter().for_each(|n| self.word(n));
            self.out.extend([GLOBAL_FUNCTION, 0]);
            self.u16(section);
        }
    }
}

/// Distance between where the data lies in the file and in memory: a page of any size.
const PAGE: u64 = 0x10000;
/// Words of a module definition; refcount, type and name are the 1st, 2nd and 6th.
const DEFINITION: usize = 13;

/// The module. `glibc` is the minor version of the C library it is built for; none for musl.
pub(super) fn module(name: &str, glibc: Option<u32>) -> Vec<u8> {
    let arch = arch(name);
    let word = if arch.wide { 8 } else { 4 };
    let mut strings = Strings(vec![0]);
    let init = strings.add("PyInit__core");
    let kind = strings.add("PyModuleDef_Type");
    let (symbol, version) = libc_symbol(glibc.unwrap_or(0));
    let symbol_name = if glibc.is_some() { symbol } else { "malloc" };
    let borrowed = strings.add(symbol_name);
    let machine = if name == "armv7l" { "armhf" } else { name };
    let libc = strings.add(&glibc.map_or(format!("libc.musl-{machine}.so.1"), |_| {
        "libc.so.6".to_owned()
    }));
    let version_name = strings.add(version);

    // Sizes first, so that every address is known before anything is written.
    let header = if arch.wide { 64 } else { 52 };
    let segment = if arch.wide { 56 } else { 32 };
    let align = |n: u64| n.div_ceil(8) * 8;
    let symbols_at = align(header + 4 * segment);
    let symbol_size: u64 = if arch.wide { 24 } else { 16 };
    let hash_at = symbols_at + 4 * symbol_size;
    let strings_at = hash_at + 4 * (2 + 1 + 4);
    let versions_at = align(strings_at + strings.0.len() as u64);
    let needs_at = versions_at + 8;
    let relocations_at = align(needs_at + 32);
    let relocation: u64 = if arch.addend { 24 } else { 8 };
    let text_at = align(relocations_at + 3 * relocation);
    let name_at = text_at + 16;
    let data_file = align(name_at + 6);
    let definition = PAGE + data_file;
    let slot = definition + DEFINITION as u64 * word;
    let dynamic = align(slot + word);
    let entries = if glibc.is_some() { 13 } else { 10 };
    let dynamic_size = entries * 2 * word;
    let end = dynamic - PAGE + dynamic_size;

    let mut b = Bytes {
        out: Vec::new(),
        wide: arch.wide,
    };
    b.file_header(&arch, 4);
    // Segments: code, data, dynamic, stack.
    let mut segment = |kind: u32, flags: u32, file: u64, memory: u64, size: u64, align: u64| {
        b.u32(kind);
        if arch.wide {
            b.u32(flags);
        }
        for n in [file, memory, memory, size, size] {
            b.word(n);
        }
        if !arch.wide {
            b.u32(flags);
        }
        b.word(align);
    };
    segment(1, 5, 0, 0, data_file, PAGE);
    segment(1, 6, data_file, definition, end - data_file, PAGE);
    segment(2, 6, dynamic - PAGE, dynamic, dynamic_size, 8);
    segment(0x6474_e551, 6, 0, 0, 0, 16);
    // Symbols: none, the initialiser, the type of definitions, one of the C library.
    b.align(8);
    let mut symbol = |name: u32, kind: u8, section: u16, value: u64, size: u64| {
        b.u32(name);
        if arch.wide {
            b.out.extend_from_slice(&[kind, 0]);
            b.u16(section);
            b.word(value);
            b.word(size);
        } else {
            b.word(value);
            b.word(size);
            b.out.extend_from_slice(&[kind, 0]);
            b.u16(section);
        }
    };
    symbol(0, 0, 0, 0, 0);
    symbol(init, 0x12, 1, text_at, 16);
    symbol(kind, 0x11, 0, 0, 0);
    symbol(borrowed, 0x12, 0, 0, 0);
    // One bucket, all symbols in its chain.
    for n in [1, 4, 1, 0, 2, 3, 0] {
        b.u32(n);
    }
    b.out.extend_from_slice(&strings.0);
    // Versions: local, and for those of others global or the C library's.
    b.align(8);
    [0, 1, 1, if glibc.is_some() { 2 } else { 1 }]
        .into_iter()
        .for_each(|n| b.u16(n));
    b.u16(1);
    b.u16(1);
    for n in [libc, 16, 0, hash(version)] {
        b.u32(n);
    }
    b.u16(0);
    b.u16(2);
    b.u32(version_name);
    b.u32(0);
    // Relocations: the type and the C library's symbol by name, the module's name by place.
    b.align(8);
    let mut relocate = |at: u64, symbol: u64, kind: u32, addend: u64| {
        b.word(at);
        if arch.wide {
            b.word(symbol << 32 | u64::from(kind));
        } else {
            b.u32((symbol as u32) << 8 | kind);
        }
        if arch.addend {
            b.word(addend);
        }
    };
    relocate(definition + word, 2, arch.symbol, 0);
    relocate(slot, 3, arch.symbol, 0);
    relocate(definition + 5 * word, 0, arch.relative, name_at);
    // Code: return the definition's address.
    b.align(8);
    b.out.extend(code(name, text_at, definition));
    b.out.resize(name_at as usize, 0);
    b.out.extend_from_slice(b"_core\0");
    b.align(8);
    // Data: the definition, with one reference and a name.
    b.word(1);
    for i in 1..DEFINITION {
        // Without addends in relocations, what is to be added stands in place.
        b.word(if i == 5 && !arch.addend { name_at } else { 0 });
    }
    b.word(0);
    b.align(8);
    let mut tag = |tag: u64, value: u64| {
        b.word(tag);
        b.word(value);
    };
    tag(1, u64::from(libc));
    tag(4, hash_at);
    tag(5, strings_at);
    tag(6, symbols_at);
    tag(10, strings.0.len() as u64);
    tag(11, symbol_size);
    let (table, size, entry) = if arch.addend { (7, 8, 9) } else { (17, 18, 19) };
    tag(table, relocations_at);
    tag(size, 3 * relocation);
    tag(entry, relocation);
    if glibc.is_some() {
        tag(0x6fff_fff0, versions_at);
        tag(0x6fff_fffe, needs_at);
        tag(0x6fff_ffff, 1);
    }
    tag(0, 0);
    debug_assert_eq!(b.at(), end, "sizes and contents agree");
    b.out
}

/// 16 bytes of code at `from` that return the address `to`.
fn code(name: &str, from: u64, to: u64) -> Vec<u8> {
    match name {
        "aarch64" => {
            // adrp x0, page; add x0, x0, #rest; ret
            let page = ((to >> 12).wrapping_sub(from >> 12)) as u32;
            let adrp = 0x9000_0000 | (page & 3) << 29 | (page >> 2 & 0x7_ffff) << 5;
            let add = 0x9100_0000 | ((to & 0xfff) as u32) << 10;
            [adrp, add, 0xd65f_03c0, 0xd503_201f]
                .iter()
                .flat_map(|i: &u32| i.to_le_bytes())
                .collect()
        }
        "armv7l" => {
            // ldr r0, [pc, #4]; add r0, pc, r0; bx lr; the distance
            let distance = to.wrapping_sub(from + 12) as u32;
            [0xe59f_0004, 0xe08f_0000, 0xe12f_ff1e, distance]
                .iter()
                .flat_map(|i: &u32| i.to_le_bytes())
                .collect()
        }
        _ => {
            // lea rax, [rip + distance]; ret
            let distance = to.wrapping_sub(from + 7) as u32;
            let mut bytes = vec![0x48, 0x8d, 0x05];
            bytes.extend(distance.to_le_bytes());
            bytes.push(0xc3);
            bytes.resize(16, 0x90);
            bytes
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use object::Object;
    use rstest::rstest;

    #[rstest]
    #[case("x86_64", object::Architecture::X86_64)]
    #[case("aarch64", object::Architecture::Aarch64)]
    #[case("armv7l", object::Architecture::Arm)]
    fn the_file_reads_as_what_it_claims(
        #[case] name: &str,
        #[case] expected: object::Architecture,
    ) {
        for glibc in [Some(17), Some(28), Some(34), None] {
            let bytes = module(name, glibc);
            let file = object::File::parse(&*bytes).unwrap();
            assert_eq!(file.architecture(), expected);
            assert_eq!(file.kind(), object::ObjectKind::Dynamic);
        }
    }

    /// The hash that the loader looks for, as published for a well-known version.
    #[test]
    fn version_names_are_hashed_as_the_loader_does() {
        assert_eq!(hash("GLIBC_2.2.5"), 0x0969_1a75);
    }
}
