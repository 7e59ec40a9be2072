//! A PE library for 64-bit Windows: one section with code, the exported initialiser and what it
//! imports.

const SECTION: u32 = 0x1000;
const FILE: u32 = 0x200;
const SIZE: usize = 0x400;

/// Places inside the section, relative to its start.
const IMPORTS: u32 = 0x40;
const EXPORTS: u32 = 0xc0;
const TABLES: u32 = 0x100;
const NAMES: u32 = 0x180;

fn u32s(out: &mut Vec<u8>, numbers: &[u32]) {
    numbers
        .iter()
        .for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
}

fn u16s(out: &mut Vec<u8>, numbers: &[u16]) {
    numbers
        .iter()
        .for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
}

/// The module; `library` is the interpreter's own, `python312.dll`.
pub(super) fn module(library: &str) -> Vec<u8> {
    let mut out = headers();
    out.resize(FILE as usize, 0);
    out.extend(section(library));
    out.resize(FILE as usize + SIZE, 0);
    out
}

fn headers() -> Vec<u8> {
    let mut out = b"MZ".to_vec();
    out.resize(0x3c, 0);
    u32s(&mut out, &[0x40]);
    out.extend_from_slice(b"PE\0\0");
    // AMD64, one section, optional header of 240 bytes; executable, large addresses, library.
    u16s(&mut out, &[0x8664, 1]);
    u32s(&mut out, &[0, 0, 0]);
    u16s(&mut out, &[240, 0x2022]);
    u16s(&mut out, &[0x20b, 14]);
    u32s(&mut out, &[SIZE as u32, 0, 0, 0, SECTION]);
    out.extend_from_slice(&0x1_8000_0000_u64.to_le_bytes());
    u32s(&mut out, &[0x1000, 0x200]);
    u16s(&mut out, &[6, 0, 0, 0, 6, 0]);
    u32s(&mut out, &[0, SECTION + 0x1000, FILE, 0]);
    u16s(&mut out, &[2, 0x160]);
    [0x10_0000_u64, 0x1000, 0x10_0000, 0x1000]
        .iter()
        .for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
    u32s(&mut out, &[0, 16]);
    u32s(&mut out, &[SECTION + EXPORTS, 0x200, SECTION + IMPORTS, 60]);
    u32s(&mut out, &[0; 28]);
    out.extend_from_slice(b".text\0\0\0");
    u32s(
        &mut out,
        &[
            SIZE as u32,
            SECTION,
            SIZE as u32,
            FILE,
            0,
            0,
            0,
            0xe000_0020,
        ],
    );
    out
}

fn section(library: &str) -> Vec<u8> {
    // Texts: own name, exported name, imported functions (with a hint before each), libraries.
    let mut names = Vec::new();
    let mut place = |bytes: &[u8], hint: bool| {
        if names.len() % 2 == 1 {
            names.push(0);
        }
        let at = SECTION + NAMES + names.len() as u32;
        if hint {
            names.extend([0, 0]);
        }
        names.extend_from_slice(bytes);
        names.push(0);
        at
    };
    let own = place(b"_core.pyd", false);
    let exported = place(b"PyInit__core", false);
    let python_function = place(b"PyModuleDef_Init", true);
    let system_function = place(b"GetLastError", true);
    let python = place(library.as_bytes(), false);
    let system = place(b"KERNEL32.dll", false);
    // Return zero.
    let mut out = vec![0x31, 0xc0, 0xc3];
    out.resize(IMPORTS as usize, 0);
    // Each library has two equal tables of one function and an end.
    let table = |i: u32| SECTION + TABLES + 16 * i;
    u32s(&mut out, &[table(0), 0, 0, python, table(1)]);
    u32s(&mut out, &[table(2), 0, 0, system, table(3)]);
    u32s(&mut out, &[0; 5]);
    out.resize(EXPORTS as usize, 0);
    let functions = SECTION + EXPORTS + 40;
    u32s(
        &mut out,
        &[
            0,
            0,
            0,
            own,
            1,
            1,
            1,
            functions,
            functions + 4,
            functions + 8,
        ],
    );
    u32s(&mut out, &[SECTION, exported]);
    u16s(&mut out, &[0]);
    out.resize(TABLES as usize, 0);
    for function in [
        python_function,
        python_function,
        system_function,
        system_function,
    ] {
        u32s(&mut out, &[function, 0, 0, 0]);
    }
    out.resize(NAMES as usize, 0);
    out.extend(names);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use object::Object;

    #[test]
    fn the_file_reads_as_what_it_claims() {
        let bytes = module("python312.dll");
        let file = object::read::pe::PeFile64::parse(&*bytes).unwrap();
        assert_eq!(file.architecture(), object::Architecture::X86_64);
        let imports: Vec<String> = file
            .imports()
            .unwrap()
            .map(|i| String::from_utf8_lossy(i.unwrap().library()).into_owned())
            .collect();
        assert_eq!(imports, ["python312.dll", "KERNEL32.dll"]);
        assert_eq!(file.exports().unwrap().count(), 1);
    }
}
