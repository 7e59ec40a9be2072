//! ELF, by program headers and the dynamic table (System V ABI, dynamic linking).

use object::read::elf::{Dyn, FileHeader, ProgramHeader, SectionHeader, Sym};
use object::{Endianness, ReadRef, elf};

use super::device_code::{Holder, is_holder};
use super::{
    Binary, Format, MOST_BYTES, MOST_ENTRIES, MOST_SYMBOLS, VersionNeed, bad, text, text_at,
};
use eutaxis_standards::fault::Fault;

/// The architecture of a file, as tags name it.
fn arch<H: FileHeader<Endian = Endianness>>(header: &H, endian: Endianness) -> String {
    let flags = header.e_flags(endian).0;
    let (wide, little) = (header.is_class_64(), header.is_little_endian());
    let name = match (header.e_machine(endian), wide) {
        (elf::EM_X86_64, true) => "x86_64",
        (elf::EM_X86_64, false) => "x32",
        (elf::EM_386, _) => "i686",
        (elf::EM_AARCH64, _) if little => "aarch64",
        (elf::EM_ARM, _) if flags & elf::EF_ARM_ABI_FLOAT_HARD != 0 => "armv7l",
        // Files that say nothing of floating point have no flag; those without hardware say so.
        (elf::EM_ARM, _) if flags & elf::EF_ARM_ABI_FLOAT_SOFT != 0 => "armv5tel",
        (elf::EM_ARM, _) => "armv7l",
        (elf::EM_PPC64, _) if little => "ppc64le",
        (elf::EM_PPC64, _) => "ppc64",
        (elf::EM_S390, true) => "s390x",
        (elf::EM_RISCV, true) => "riscv64",
        (elf::EM_LOONGARCH, true) => "loongarch64",
        (other, _) => return format!("machine {}", other.0),
    };
    name.to_owned()
}

/// The file with the parts of it that are loaded.
struct Loaded<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>> {
    data: R,
    endian: Endianness,
    segments: &'data [H::ProgramHeader],
}

impl<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>> Loaded<'data, H, R> {
    /// Where an address lies in the file, and how many bytes follow of the same segment.
    fn place(&self, address: u64) -> Option<(u64, u64)> {
        self.segments
            .iter()
            .filter(|s| s.p_type(self.endian) == elf::PT_LOAD)
            .find_map(|segment| {
                let (start, size): (u64, u64) = (
                    segment.p_vaddr(self.endian).into(),
                    segment.p_filesz(self.endian).into(),
                );
                let inside = address.checked_sub(start).filter(|i| *i < size)?;
                Some((
                    segment.p_offset(self.endian).into().checked_add(inside)?,
                    size - inside,
                ))
            })
    }

    /// So many bytes at an address; fewer when the segment ends before.
    fn bytes(&self, address: u64, size: u64) -> Option<&'data [u8]> {
        let (at, most) = self.place(address)?;
        let held = self.data.len().ok()?.checked_sub(at)?;
        self.data
            .read_bytes_at(at, size.min(most).min(held).min(MOST_BYTES))
            .ok()
    }

    fn u16(&self, bytes: &[u8], at: usize) -> Option<u16> {
        let pair = bytes.get(at..at.checked_add(2)?)?.try_into().ok()?;
        Some(if self.endian == Endianness::Little {
            u16::from_le_bytes(pair)
        } else {
            u16::from_be_bytes(pair)
        })
    }

    fn u32(&self, bytes: &[u8], at: usize) -> Option<u32> {
        let four = bytes.get(at..at.checked_add(4)?)?.try_into().ok()?;
        Some(if self.endian == Endianness::Little {
            u32::from_le_bytes(four)
        } else {
            u32::from_be_bytes(four)
        })
    }
}

/// Places in the dynamic table that are read after it.
#[derive(Default)]
struct Tables {
    strings: u64,
    strings_size: u64,
    symbols: u64,
    hash: u64,
    gnu_hash: u64,
    version_needs: u64,
    version_definitions: u64,
}

pub(super) fn read<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    data: R,
) -> Result<Binary, Fault> {
    let header = H::parse(data).map_err(|_| bad("its header"))?;
    let endian = header.endian().map_err(|_| bad("its header"))?;
    let segments = header
        .program_headers(endian, data)
        .map_err(|_| bad("its program headers lead out of it"))?;
    let bits = if header.is_class_64() { 64 } else { 32 };
    let mut binary = Binary::plain(Format::Elf, &arch(header, endian), bits);
    let loaded = Loaded::<H, R> {
        data,
        endian,
        segments,
    };
    ensure_whole(&loaded)?;
    let named = segments
        .iter()
        .find_map(|s| s.interpreter(endian, data).ok().flatten());
    binary.loader = named.map(|bytes| String::from_utf8_lossy(bytes).into_owned());
    device_code(header, &loaded, &mut binary);
    let Some(segment) = segments
        .iter()
        .find(|s| s.p_type(endian) == elf::PT_DYNAMIC)
    else {
        return Ok(binary);
    };
    let entries = segment
        .dynamic(endian, data)
        .ok()
        .flatten()
        .ok_or_else(|| bad("its dynamic table leads out of it"))?;
    let mut tables = Tables::default();
    let mut texts: Vec<(elf::DynamicTag, u64)> = Vec::new();
    for entry in entries.iter().take(MOST_ENTRIES) {
        let (tag, value): (_, u64) = (entry.d_tag(endian), entry.d_val(endian).into());
        match tag {
            elf::DT_NULL => break,
            elf::DT_STRTAB => tables.strings = value,
            elf::DT_STRSZ => tables.strings_size = value,
            elf::DT_SYMTAB => tables.symbols = value,
            elf::DT_HASH => tables.hash = value,
            elf::DT_GNU_HASH => tables.gnu_hash = value,
            elf::DT_VERNEED => tables.version_needs = value,
            elf::DT_VERDEF => tables.version_definitions = value,
            elf::DT_NEEDED | elf::DT_SONAME | elf::DT_RPATH | elf::DT_RUNPATH => {
                texts.push((tag, value))
            }
            _ => {}
        }
    }
    let strings = loaded
        .bytes(tables.strings, tables.strings_size)
        .unwrap_or_default();
    for (tag, at) in texts {
        let found = usize::try_from(at).ok().and_then(|at| text_at(strings, at));
        let found = text(found.ok_or_else(|| bad("a name of its dynamic table leads out of it"))?);
        let folders = || {
            found
                .split(':')
                .filter(|f| !f.is_empty())
                .map(str::to_owned)
        };
        match tag {
            elf::DT_NEEDED => binary.needs.push(found),
            elf::DT_SONAME => binary.soname = Some(found),
            elf::DT_RPATH => binary.rpath.extend(folders()),
            _ => binary.runpath.extend(folders()),
        }
    }
    // The loader leaves the older entry alone when the newer one is there.
    if !binary.runpath.is_empty() {
        binary.rpath.clear();
    }
    version_needs(&loaded, tables.version_needs, strings, &mut binary.versions);
    version_definitions(
        &loaded,
        tables.version_definitions,
        strings,
        &mut binary.defines,
    );
    symbols(&loaded, &tables, strings, &mut binary);
    Ok(binary)
}

/// What sections hold for devices. A file without sections, or with broken ones, is loaded all the
/// same: nothing is known then.
fn device_code<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    header: &H,
    loaded: &Loaded<'data, H, R>,
    binary: &mut Binary,
) {
    let Ok(sections) = header.sections(loaded.endian, loaded.data) else {
        return;
    };
    for section in sections.iter().take(MOST_ENTRIES) {
        let name = sections.section_name(loaded.endian, section);
        let Some(name) = name.ok().filter(|n| is_holder(n)) else {
            continue;
        };
        if let Some((at, size)) = section.file_range(loaded.endian) {
            let holder = Holder {
                data: loaded.data,
                name: text(name),
                at,
                size,
            };
            holder.read(&mut binary.code);
        }
    }
}

/// A file that ends before its segments do is cut off.
fn ensure_whole<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    loaded: &Loaded<'data, H, R>,
) -> Result<(), Fault> {
    let length = loaded.data.len().map_err(|()| bad("its length"))?;
    for segment in loaded
        .segments
        .iter()
        .filter(|s| s.p_type(loaded.endian) == elf::PT_LOAD)
    {
        let (at, size) = segment.file_range(loaded.endian);
        if at.checked_add(size).is_none_or(|end| end > length) {
            return Err(bad("it ends before its last segment does"));
        }
    }
    Ok(())
}

/// A chain of version needs, each with its versions; distances of zero end the chains.
fn version_needs<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    loaded: &Loaded<'data, H, R>,
    address: u64,
    strings: &[u8],
    found: &mut Vec<VersionNeed>,
) {
    const WEAK: u16 = 2;
    let Some(bytes) = loaded.bytes(address, u64::MAX).filter(|_| address != 0) else {
        return;
    };
    let name = |at: Option<u32>| {
        text(
            at.and_then(|at| text_at(strings, at as usize))
                .unwrap_or_default(),
        )
    };
    let mut at = 0usize;
    while found.len() < MOST_ENTRIES {
        let (Some(count), Some(aux)) = (loaded.u16(bytes, at + 2), loaded.u32(bytes, at + 8))
        else {
            return;
        };
        let library = name(loaded.u32(bytes, at + 4));
        let mut place = at + aux as usize;
        for _ in 0..count {
            let (Some(flags), Some(next)) =
                (loaded.u16(bytes, place + 4), loaded.u32(bytes, place + 12))
            else {
                return;
            };
            let version = name(loaded.u32(bytes, place + 8));
            found.push(VersionNeed {
                library: library.clone(),
                version,
                weak: flags & WEAK != 0,
            });
            if next == 0 || found.len() >= MOST_ENTRIES {
                break;
            }
            place += next as usize;
        }
        match loaded.u32(bytes, at + 12) {
            Some(next) if next > 0 => at += next as usize,
            _ => return,
        }
    }
}

/// A chain of version definitions, each with its own name first.
fn version_definitions<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    loaded: &Loaded<'data, H, R>,
    address: u64,
    strings: &[u8],
    found: &mut Vec<String>,
) {
    const BASE: u16 = 1;
    let Some(bytes) = loaded.bytes(address, u64::MAX).filter(|_| address != 0) else {
        return;
    };
    let mut at = 0usize;
    while found.len() < MOST_ENTRIES {
        let (Some(flags), Some(aux)) = (loaded.u16(bytes, at + 2), loaded.u32(bytes, at + 12))
        else {
            return;
        };
        let name = loaded
            .u32(bytes, at + aux as usize)
            .and_then(|n| text_at(strings, n as usize));
        // The first defines the file itself.
        found.extend(name.filter(|_| flags & BASE == 0).map(text));
        match loaded.u32(bytes, at + 16) {
            Some(next) if next > 0 => at += next as usize,
            _ => return,
        }
    }
}

fn symbols<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    loaded: &Loaded<'data, H, R>,
    tables: &Tables,
    strings: &[u8],
    binary: &mut Binary,
) {
    let count = symbol_count(loaded, tables).min(MOST_SYMBOLS);
    let Some((at, _)) = loaded.place(tables.symbols).filter(|_| tables.symbols != 0) else {
        return;
    };
    let Ok(all) = loaded.data.read_slice_at::<H::Sym>(at, count) else {
        return;
    };
    for symbol in all.iter().skip(1) {
        let used = symbol.is_undefined(loaded.endian);
        // What is used but may be absent, and what nobody outside sees, does not count.
        if symbol.st_bind() == elf::STB_LOCAL || (used && symbol.st_bind() == elf::STB_WEAK) {
            continue;
        }
        let name = text_at(strings, symbol.st_name(loaded.endian) as usize);
        if let Some(name) = name.and_then(|n| std::str::from_utf8(n).ok()) {
            binary.note_symbol(name, used);
        }
    }
}

/// How many symbols there are stands in the older hash table; the newer one tells where its last
/// chain ends.
fn symbol_count<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    loaded: &Loaded<'data, H, R>,
    tables: &Tables,
) -> usize {
    if tables.hash != 0 {
        return loaded
            .bytes(tables.hash, 8)
            .and_then(|b| loaded.u32(b, 4))
            .map_or(0, |n| n as usize);
    }
    gnu_count(loaded, tables.gnu_hash).unwrap_or(0)
}

fn gnu_count<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    loaded: &Loaded<'data, H, R>,
    address: u64,
) -> Option<usize> {
    let table = loaded.bytes(address, u64::MAX).filter(|_| address != 0)?;
    let word = |i: usize| loaded.u32(table, i);
    let (buckets, first, filter) = (word(0)? as usize, word(4)? as usize, word(8)? as usize);
    let width = if binary_is_wide::<H>() { 8 } else { 4 };
    let at = filter.checked_mul(width)?.checked_add(16)?;
    let last = (0..buckets.min(MOST_SYMBOLS))
        .filter_map(|i| word(at.checked_add(i.checked_mul(4)?)?))
        .max()? as usize;
    let chains = at.checked_add(buckets.checked_mul(4)?)?;
    // Symbols before the first are those that are not hashed: what is used.
    let Some(mut place) = last.checked_sub(first) else {
        return Some(first.min(MOST_SYMBOLS));
    };
    while place < MOST_SYMBOLS {
        let hash = word(chains.checked_add(place.checked_mul(4)?)?)?;
        place += 1;
        if hash & 1 == 1 {
            break;
        }
    }
    first.checked_add(place)
}

fn binary_is_wide<H: FileHeader<Endian = Endianness>>() -> bool {
    std::mem::size_of::<H>() == std::mem::size_of::<elf::FileHeader64<Endianness>>()
}
