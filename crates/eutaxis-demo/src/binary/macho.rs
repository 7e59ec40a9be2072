//! A Mach-O bundle: header, one segment, the version of macOS it is built for, the system library,
//! one symbol.

/// Processor types.
const X86_64: u32 = 0x0100_0007;
const ARM64: u32 = 0x0100_000c;
const HEADER: u32 = 32;

fn words(out: &mut Vec<u8>, numbers: &[u32]) {
    numbers
        .iter()
        .for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
}

/// The module for an architecture; `universal2` holds both.
pub(super) fn module(arch: &str, version: (u32, u32)) -> Vec<u8> {
    match arch {
        "universal2" => fat(&[
            (X86_64, 3, thin(X86_64, 3, version)),
            (ARM64, 0, thin(ARM64, 0, version)),
        ]),
        "x86_64" => thin(X86_64, 3, version),
        _ => thin(ARM64, 0, version),
    }
}

/// Both in one file, each at its own page. The outer header is big-endian.
fn fat(slices: &[(u32, u32, Vec<u8>)]) -> Vec<u8> {
    const PAGE: usize = 0x4000;
    let mut out = 0xcafe_babe_u32.to_be_bytes().to_vec();
    out.extend((slices.len() as u32).to_be_bytes());
    let mut at = PAGE;
    for (cpu, subtype, bytes) in slices {
        for n in [*cpu, *subtype, at as u32, bytes.len() as u32, 14] {
            out.extend(n.to_be_bytes());
        }
        at += bytes.len().div_ceil(PAGE) * PAGE;
    }
    for (_, _, bytes) in slices {
        out.resize(out.len().div_ceil(PAGE) * PAGE, 0);
        out.extend(bytes);
    }
    out
}

fn thin(cpu: u32, subtype: u32, version: (u32, u32)) -> Vec<u8> {
    let library = b"/usr/lib/libSystem.B.dylib\0\0\0\0\0\0";
    let strings = b"\0_PyInit__core\0\0";
    let (segment, section, build, dylib, symtab) =
        (72u32, 80u32, 24u32, 24 + library.len() as u32, 24u32);
    let commands = segment + section + build + dylib + symtab;
    let text = (HEADER + commands).div_ceil(16) * 16;
    let symbols = text + 16;
    let strings_at = symbols + 16;
    let size = strings_at + strings.len() as u32;
    let mut out = Vec::new();
    // MH_BUNDLE, two-level names.
    words(
        &mut out,
        &[0xfeed_facf, cpu, subtype, 8, 4, commands, 0x85, 0],
    );
    // LC_SEGMENT_64 __TEXT with __text.
    words(&mut out, &[0x19, segment + section]);
    out.extend_from_slice(b"__TEXT\0\0\0\0\0\0\0\0\0\0");
    words(&mut out, &[0, 0, size, 0, 0, 0, size, 0, 5, 5, 1, 0]);
    out.extend_from_slice(b"__text\0\0\0\0\0\0\0\0\0\0__TEXT\0\0\0\0\0\0\0\0\0\0");
    words(
        &mut out,
        &[text, 0, 16, 0, text, 4, 0, 0, 0x8000_0400, 0, 0, 0],
    );
    // LC_BUILD_VERSION: macOS.
    words(
        &mut out,
        &[
            0x32,
            build,
            1,
            version.0 << 16 | version.1 << 8,
            version.0 << 16,
            0,
        ],
    );
    // LC_LOAD_DYLIB.
    words(&mut out, &[0xc, dylib, 24, 0, 0x0500_0000, 0x0001_0000]);
    out.extend_from_slice(library);
    // LC_SYMTAB.
    words(
        &mut out,
        &[0x2, symtab, symbols, 1, strings_at, strings.len() as u32],
    );
    out.resize(text as usize, 0);
    // Return zero.
    let code: &[u8] = if cpu == X86_64 {
        &[0x31, 0xc0, 0xc3]
    } else {
        &[0, 0, 0x80, 0xd2, 0xc0, 0x03, 0x5f, 0xd6]
    };
    out.extend_from_slice(code);
    out.resize(symbols as usize, 0);
    words(&mut out, &[1, 0x0000_010f, text, 0]);
    out.extend_from_slice(strings);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use object::read::macho::FatArch;
    use object::{Object, ObjectSymbol};

    #[test]
    fn the_file_reads_as_what_it_claims() {
        for (arch, expected) in [
            ("x86_64", object::Architecture::X86_64),
            ("arm64", object::Architecture::Aarch64),
        ] {
            let bytes = module(arch, (11, 0));
            let file = object::File::parse(&*bytes).unwrap();
            assert_eq!(file.architecture(), expected);
            assert!(file.symbols().any(|s| s.name() == Ok("_PyInit__core")));
        }
        let bytes = module("universal2", (10, 13));
        let fat = object::read::macho::MachOFatFile32::parse(&*bytes).unwrap();
        let slices: Vec<_> = fat
            .arches()
            .iter()
            .map(|a| {
                object::File::parse(a.data(&*bytes).unwrap())
                    .unwrap()
                    .architecture()
            })
            .collect();
        assert_eq!(
            slices,
            [object::Architecture::X86_64, object::Architecture::Aarch64]
        );
    }
}
