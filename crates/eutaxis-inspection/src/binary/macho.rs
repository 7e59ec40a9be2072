//! Mach-O, by load commands; fat files in all their parts (PE and Mach-O formats).

use object::read::macho::{
    FatArch, LoadCommandVariant, MachHeader, MachOFatFile32, MachOFatFile64, Nlist,
};
use object::{Endianness, FileKind, ReadRef, macho};

use super::{Binary, Format, MOST_ENTRIES, MOST_SYMBOLS, bad, text};
use eutaxis_standards::fault::Fault;

#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
pub(super) fn read<'data, R: ReadRef<'data>>(
    kind: FileKind,
    data: R,
) -> Result<Vec<Binary>, Fault> {
    match kind {
        FileKind::MachO32 => thin::<macho::MachHeader32<Endianness>, R>(data, 0).map(|b| vec![b]),
        FileKind::MachO64 => thin::<macho::MachHeader64<Endianness>, R>(data, 0).map(|b| vec![b]),
        FileKind::MachOFat32 => {
            let fat = MachOFatFile32::parse(data).map_err(|_| bad("its list of parts"))?;
            fat.arches()
                .iter()
                .take(32)
                .map(|part| slice(part, data))
                .collect()
        }
        _ => {
            let fat = MachOFatFile64::parse(data).map_err(|_| bad("its list of parts"))?;
            fat.arches()
                .iter()
                .take(32)
                .map(|part| slice(part, data))
                .collect()
        }
    }
}

fn slice<'data, F: FatArch, R: ReadRef<'data>>(part: &F, data: R) -> Result<Binary, Fault> {
    let bytes = part.data(data).map_err(|_| bad("a part leads out of it"))?;
    match FileKind::parse(bytes) {
        Ok(FileKind::MachO32) => thin::<macho::MachHeader32<Endianness>, _>(bytes, 0),
        Ok(FileKind::MachO64) => thin::<macho::MachHeader64<Endianness>, _>(bytes, 0),
        _ => Err(bad("a part is no Mach-O file")),
    }
}

/// The architecture as tags name it.
fn arch(cpu: macho::CpuType) -> String {
    match cpu {
        macho::CPU_TYPE_X86 => "i386".to_owned(),
        macho::CPU_TYPE_X86_64 => "x86_64".to_owned(),
        macho::CPU_TYPE_ARM64 => "arm64".to_owned(),
        macho::CPU_TYPE_POWERPC => "ppc".to_owned(),
        macho::CPU_TYPE_POWERPC64 => "ppc64".to_owned(),
        other => format!("processor {}", other.0),
    }
}

#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
fn thin<'data, H: MachHeader<Endian = Endianness>, R: ReadRef<'data>>(
    data: R,
    at: u64,
) -> Result<Binary, Fault> {
    let header = H::parse(data, at).map_err(|_| bad("its header"))?;
    let endian = header.endian().map_err(|_| bad("its header"))?;
    let bits = if header.is_type_64() { 64 } else { 32 };
    let mut binary = Binary::plain(Format::MachO, &arch(header.cputype(endian)), bits);
    let mut commands = header
        .load_commands(endian, data, at)
        .map_err(|_| bad("its load commands lead out of it"))?;
    let mut seen = 0;
    while let Some(command) = commands
        .next()
        .map_err(|_| bad("a load command leads out of it"))?
    {
        seen += 1;
        if seen > MOST_ENTRIES {
            return Err(bad("it has more load commands than can be believed"));
        }
        let optional = command.cmd() == macho::LC_LOAD_WEAK_DYLIB;
        let string = |s| {
            command
                .string(endian, s)
                .map(text)
                .map_err(|_| bad("a name leads out of it"))
        };
        let version = |word: macho::Version| Some((word.0 >> 16, (word.0 >> 8) & 0xff));
        match command
            .variant()
            .map_err(|_| bad("a load command is cut off"))?
        {
            LoadCommandVariant::Dylib(dylib) => {
                let name = string(dylib.dylib.name)?;
                if optional {
                    binary.wishes.push(name)
                } else {
                    binary.needs.push(name)
                }
            }
            LoadCommandVariant::IdDylib(dylib) => binary.soname = Some(string(dylib.dylib.name)?),
            LoadCommandVariant::Rpath(rpath) => binary.rpath.push(string(rpath.path)?),
            LoadCommandVariant::BuildVersion(build, _)
                if build.platform.get(endian) == macho::PLATFORM_MACOS =>
            {
                binary.macos = version(build.minos.get(endian));
            }
            LoadCommandVariant::VersionMin(least)
                if command.cmd() == macho::LC_VERSION_MIN_MACOSX =>
            {
                binary.macos = version(least.version.get(endian));
            }
            LoadCommandVariant::Symtab(table) => symbols::<H, R>(table, endian, data, &mut binary),
            _ => {}
        }
    }
    Ok(binary)
}

/// Symbols; what C names `x` is `_x` here.
fn symbols<'data, H: MachHeader<Endian = Endianness>, R: ReadRef<'data>>(
    table: &macho::SymtabCommand<Endianness>,
    endian: Endianness,
    data: R,
    binary: &mut Binary,
) {
    let Ok(table) = table.symbols::<H, R>(endian, data) else {
        return;
    };
    for symbol in table
        .iter()
        .take(MOST_SYMBOLS)
        .filter(|s| s.n_type().0 & macho::N_EXT.0 != 0)
    {
        let name = symbol
            .name(endian, table.strings())
            .ok()
            .and_then(|n| std::str::from_utf8(n).ok());
        if let Some(name) = name.and_then(|n| n.strip_prefix('_')) {
            binary.note_symbol(name, symbol.is_undefined());
        }
    }
}
