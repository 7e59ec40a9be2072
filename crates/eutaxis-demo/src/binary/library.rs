//! An ELF library with the names that are asked for, for files that are read and not loaded: what
//! it needs and defines, and where it looks.

use object::elf;

use super::elf::{Bytes, Strings, arch, hash};

/// What a library says of itself. Every part may be empty.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Library {
    /// `x86_64` (also when empty), `aarch64`, `armv7l`.
    pub arch: String,
    /// The name that it gives itself.
    pub soname: String,
    /// Libraries that it needs.
    pub needs: Vec<String>,
    /// Where they are looked for, joined by colons (DT_RUNPATH).
    pub runpath: String,
    /// The older form of it (DT_RPATH).
    pub rpath: String,
    /// Versions that its libraries must define: library and version.
    pub versions: Vec<(String, String)>,
    /// Versions that it defines.
    pub defines: Vec<String>,
    /// Symbols that it uses.
    pub uses: Vec<String>,
    /// Symbols that it offers.
    pub offers: Vec<String>,
    /// Generations of devices for which it holds machine code.
    pub code: Vec<u32>,
    /// Generations from which on it holds code that drivers compile.
    pub intermediate: Vec<u32>,
}

impl Library {
    /// A compiled module of this name.
    pub fn module(name: &str) -> Self {
        Library {
            offers: vec![format!("PyInit_{name}")],
            ..Library::default()
        }
    }

    /// The file.
    pub fn bytes(&self) -> Vec<u8> {
        let arch = arch(&self.arch);
        let (header, segment, word): (u64, u64, u64) =
            if arch.wide { (64, 56, 8) } else { (52, 32, 4) };
        let mut strings = Strings(vec![0]);
        let mut entries: Vec<(u64, u64)> = Vec::new();
        self.needs
            .iter()
            .for_each(|n| entries.push((1, strings.add(n).into())));
        for (tag, text) in [(14, &self.soname), (29, &self.runpath), (15, &self.rpath)] {
            if !text.is_empty() {
                entries.push((tag, strings.add(text).into()));
            }
        }
        let symbols: Vec<(u32, bool)> = self
            .uses
            .iter()
            .map(|s| (strings.add(s), true))
            .collect::<Vec<_>>();
        let symbols: Vec<(u32, bool)> = symbols
            .into_iter()
            .chain(self.offers.iter().map(|s| (strings.add(s), false)))
            .collect();
        let needs = self.version_needs(&mut strings);
        let definitions = self.version_definitions(&mut strings);

        // Everything lies in the file as it does in memory; sizes first, so that each place is
        // known.
        let mut at = header + 2 * segment;
        let mut place = |size: u64| {
            let start = at.div_ceil(8) * 8;
            at = start + size;
            start
        };
        let strings_at = place(strings.0.len() as u64);
        let symbol_size = if arch.wide { 24 } else { 16 };
        let symbols_at = place((symbols.len() as u64 + 1) * symbol_size);
        let hash_at = place(8 + 4 * (symbols.len() as u64 + 2));
        let needs_at = place(needs.len() as u64);
        let definitions_at = place(definitions.len() as u64);
        entries.extend([
            (5, strings_at),
            (10, strings.0.len() as u64),
            (6, symbols_at),
            (4, hash_at),
        ]);
        if !needs.is_empty() {
            entries.push((0x6fff_fffe, needs_at));
        }
        if !definitions.is_empty() {
            entries.push((0x6fff_fffc, definitions_at));
        }
        entries.push((0, 0));
        let dynamic_size = entries.len() as u64 * 2 * word;
        let dynamic_at = place(dynamic_size);
        let end = at;

        let mut b = Bytes {
            out: Vec::new(),
            wide: arch.wide,
        };
        b.file_header(&arch, 2);
        b.segment(elf::PT_LOAD.0, 0, end);
        b.segment(elf::PT_DYNAMIC.0, dynamic_at, dynamic_size);
        b.fill(strings_at);
        b.out.extend_from_slice(&strings.0);
        b.fill(symbols_at + symbol_size);
        for (name, used) in &symbols {
            b.symbol(*name, *used);
        }
        b.fill(hash_at);
        // One bucket, so that the number of chains tells the number of symbols.
        [1, symbols.len() as u32 + 1]
            .into_iter()
            .for_each(|n| b.u32(n));
        b.fill(needs_at);
        b.out.extend_from_slice(&needs);
        b.fill(definitions_at);
        b.out.extend_from_slice(&definitions);
        b.fill(dynamic_at);
        for (tag, value) in entries {
            b.word(tag);
            b.word(value);
        }
        if !self.code.is_empty() || !self.intermediate.is_empty() {
            self.add_code(&mut b);
        }
        b.out
    }

    /// A fat binary behind all that is loaded, with the sections that name it.
    fn add_code(&self, b: &mut Bytes) {
        const NAMES: &[u8] = b"\0.nor_fatbin\0.shstrtab\0";
        let code_at = b.out.len().next_multiple_of(8);
        b.fill(code_at as u64);
        let kinds = [(2, &self.code), (1, &self.intermediate)];
        let entries = kinds
            .iter()
            .flat_map(|(k, all)| all.iter().map(move |g| (*k, *g)));
        let entries: Vec<(u16, u32)> = entries.collect();
        let size = 128 * entries.len() as u64;
        b.u32(0xba55_ed50);
        [1, 16].into_iter().for_each(|n| b.u16(n));
        b.out.extend(size.to_le_bytes());
        for (kind, generation) in entries {
            let end = b.out.len() as u64 + 128;
            [kind, 1].into_iter().for_each(|n| b.u16(n));
            b.u32(64);
            b.out.extend(64u64.to_le_bytes());
            b.fill(end - 128 + 28);
            b.u32(generation);
            b.fill(end);
        }
        let names_at = b.out.len();
        b.out.extend(NAMES);
        let table = b.out.len().next_multiple_of(8);
        b.fill(table as u64);
        // The first section is none.
        let sections = [
            (0, 0, 0, 0),
            (1, elf::SHT_PROGBITS.0, code_at, names_at - code_at),
            (13, elf::SHT_STRTAB.0, names_at, NAMES.len()),
        ];
        for (name, kind, at, size) in sections {
            [name, kind].into_iter().for_each(|n| b.u32(n));
            for word in [0, 0, at as u64, size as u64] {
                b.word(word);
            }
            [0, 0].into_iter().for_each(|n| b.u32(n));
            [1, 0].into_iter().for_each(|n| b.word(n));
        }
        b.name_sections(table as u64, sections.len() as u16, 2);
    }

    /// One record per need: 16 bytes, and 16 of its version.
    fn version_needs(&self, strings: &mut Strings) -> Vec<u8> {
        let mut b = Bytes {
            out: Vec::new(),
            wide: false,
        };
        for (i, (library, version)) in self.versions.iter().enumerate() {
            let (library, name) = (strings.add(library), strings.add(version));
            let next = if i + 1 == self.versions.len() { 0 } else { 32 };
            [1, 1].into_iter().for_each(|n| b.u16(n));
            [library, 16, next, hash(version)]
                .into_iter()
                .for_each(|n| b.u32(n));
            [0, 2 + i as u16].into_iter().for_each(|n| b.u16(n));
            [name, 0].into_iter().for_each(|n| b.u32(n));
        }
        b.out
    }

    /// One record per definition: 20 bytes, and 8 of its name. The first is the library's own.
    fn version_definitions(&self, strings: &mut Strings) -> Vec<u8> {
        if self.defines.is_empty() {
            return Vec::new();
        }
        let mut b = Bytes {
            out: Vec::new(),
            wide: false,
        };
        let names = std::iter::once(&self.soname).chain(&self.defines);
        for (i, name) in names.enumerate() {
            let next = if i == self.defines.len() { 0 } else { 28 };
            [1, u16::from(i == 0), 1 + i as u16, 1]
                .into_iter()
                .for_each(|n| b.u16(n));
            [hash(name), 20, next, strings.add(name), 0]
                .into_iter()
                .for_each(|n| b.u32(n));
        }
        b.out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::binary::{Format, VersionNeed, read};
    use eutaxis_core::knowledge::CodeKind;
    use rstest::rstest;

    #[rstest]
    #[case("x86_64", 64)]
    #[case("aarch64", 64)]
    #[case("armv7l", 32)]
    fn what_is_said_is_read_back(#[case] arch: &str, #[case] bits: u32) {
        let texts = |all: &[&str]| all.iter().map(|t| (*t).to_owned()).collect::<Vec<_>>();
        let library = Library {
            arch: arch.into(),
            soname: "libfirn.so.3".into(),
            needs: texts(&["libm.so.6", "libc.so.6"]),
            runpath: "$ORIGIN/../libs:/opt/firn".into(),
            versions: vec![
                ("libc.so.6".into(), "GLIBC_2.34".into()),
                ("libm.so.6".into(), "GLIBC_2.29".into()),
            ],
            defines: texts(&["FIRN_1", "FIRN_3"]),
            uses: texts(&["PyLong_FromLong", "malloc"]),
            offers: texts(&["PyInit_firn", "firn_depth"]),
            code: vec![1, 3],
            intermediate: vec![3],
            ..Library::default()
        };
        let bytes = library.bytes();
        let [read] = <[_; 1]>::try_from(read(bytes.as_slice()).unwrap()).unwrap();
        assert_eq!(
            (read.format, read.arch.as_str(), read.bits),
            (Format::Elf, arch, bits)
        );
        assert_eq!(read.soname.as_deref(), Some("libfirn.so.3"));
        assert_eq!(
            (read.needs, read.runpath, read.rpath),
            (
                library.needs,
                texts(&["$ORIGIN/../libs", "/opt/firn"]),
                Vec::new()
            )
        );
        let need = |l: &str, v: &str| VersionNeed {
            library: l.into(),
            version: v.into(),
            weak: false,
        };
        assert_eq!(
            read.versions,
            [
                need("libc.so.6", "GLIBC_2.34"),
                need("libm.so.6", "GLIBC_2.29")
            ]
        );
        assert_eq!(read.defines, ["FIRN_1", "FIRN_3"]);
        let held = |kind: CodeKind| -> Vec<&str> {
            let images = read.code.iter().filter(|i| i.kind == kind);
            images.map(|i| i.name.as_str()).collect()
        };
        assert_eq!(held(CodeKind::Machine), ["1", "3"]);
        assert_eq!(held(CodeKind::Intermediate), ["3"]);
        assert_eq!(
            (read.python, read.modules),
            (texts(&["PyLong_FromLong"]), texts(&["firn"]))
        );
    }
}
