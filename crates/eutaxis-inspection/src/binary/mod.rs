//! Compiled files: what an ELF, Mach-O or PE file is for and what it needs (System V ABI; PE and
//! Mach-O formats).
//!
//! Files are read as their loader reads them, by the tables that it uses; sections, which may be
//! left out, are looked at for code for devices alone.
//!
//! ```
//! use eutaxis_inspection::binary::{is_binary, named_abi, read};
//!
//! // The name of a compiled module says which interpreter it is for (PEP 3149).
//! let abi = named_abi("sastrugi/_grid.cpython-312-aarch64-linux-gnu.so");
//! assert_eq!(abi.map(|a| a.to_string()).as_deref(), Some("cp312"));
//! // What looks like a compiled file at its start is read, and told when it is cut off.
//! assert!(is_binary(b"\x7fELF"));
//! assert!(read(&b"\x7fELF\x02\x01\x01"[..]).is_err());
//! ```

mod abi;
mod device_code;
mod elf;
mod macho;
mod pe;
mod version;

use object::{FileKind, ReadRef};

use eutaxis_standards::fault::Fault;
use eutaxis_standards::knowledge::CodeImage;

pub use abi::{PythonAbi, module_stem, named_abi};
pub use version::{VersionNeed, highest, numbers};

/// A list of a binary with more entries than this is not believed.
const MOST_ENTRIES: usize = 1 << 16;
/// More symbols than this are not looked at.
const MOST_SYMBOLS: usize = 1 << 21;
/// Tables of more bytes than this are not read.
const MOST_BYTES: u64 = 512 << 20;

/// The form of a compiled file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Format {
    /// Linux and its kin.
    Elf,
    /// macOS.
    MachO,
    /// Windows.
    Pe,
}

impl Format {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Format::Elf => "ELF",
            Format::MachO => "Mach-O",
            Format::Pe => "PE",
        }
    }

    /// The operating system that loads it.
    pub fn system(self) -> &'static str {
        match self {
            Format::Elf => "Linux",
            Format::MachO => "macOS",
            Format::Pe => "Windows",
        }
    }
}

/// A compiled file; of a fat one, one of its parts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Binary {
    /// Its form.
    pub format: Format,
    /// The architecture as tags name it: `x86_64`, `aarch64`, `armv7l`; on macOS `arm64`.
    pub arch: String,
    /// 32 or 64.
    pub bits: u32,
    /// The loader that a program asks for (PT_INTERP): without it the system starts none.
    pub loader: Option<String>,
    /// The name that it gives itself as a library.
    pub soname: Option<String>,
    /// Libraries that must be there, in the order in which they are looked for.
    pub needs: Vec<String>,
    /// Libraries that are used when they are there (macOS).
    pub wishes: Vec<String>,
    /// Folders searched for its libraries and for those that they need (DT_RPATH, LC_RPATH).
    pub rpath: Vec<String>,
    /// Folders searched for its own libraries (DT_RUNPATH).
    pub runpath: Vec<String>,
    /// Versions that its libraries must define.
    pub versions: Vec<VersionNeed>,
    /// Versions that it defines.
    pub defines: Vec<String>,
    /// The lowest macOS: major, minor.
    pub macos: Option<(u32, u32)>,
    /// The interpreter's functions and data that it uses.
    pub python: Vec<String>,
    /// The interpreter's functions and data that it offers: many, when it is the interpreter or its
    /// library.
    pub offers: Vec<String>,
    /// Names of the modules that it can be (`PyInit_NAME`, `initNAME`).
    pub modules: Vec<String>,
    /// Code for devices that it carries.
    pub code: Vec<CodeImage>,
}

impl Binary {
    /// A file of this kind that needs nothing.
    pub fn plain(format: Format, arch: &str, bits: u32) -> Self {
        Binary {
            format,
            arch: arch.to_owned(),
            bits,
            loader: None,
            soname: None,
            needs: Vec::new(),
            wishes: Vec::new(),
            rpath: Vec::new(),
            runpath: Vec::new(),
            versions: Vec::new(),
            defines: Vec::new(),
            macos: None,
            python: Vec::new(),
            offers: Vec::new(),
            modules: Vec::new(),
            code: Vec::new(),
        }
    }

    /// The name of a symbol that it uses (`used`) or offers.
    fn note_symbol(&mut self, name: &str, used: bool) {
        let of_python = name.starts_with("Py") || name.starts_with("_Py");
        let module = name.strip_prefix("PyInit_").or_else(|| {
            let plain = |c: char| c.is_ascii_alphanumeric() || c == '_';
            name.strip_prefix("init")
                .filter(|n| !n.is_empty() && n.chars().all(plain))
        });
        match (used, module) {
            (true, _) if of_python && self.python.len() < MOST_ENTRIES => {
                self.python.push(name.to_owned())
            }
            (false, Some(module)) if self.modules.len() < MOST_ENTRIES => {
                self.modules.push(module.to_owned())
            }
            (false, None) if of_python && self.offers.len() < MOST_ENTRIES => {
                self.offers.push(name.to_owned())
            }
            _ => {}
        }
    }
}

/// Whether the first bytes of a file are those of a compiled file.
pub fn is_binary(start: &[u8]) -> bool {
    let magic = start.get(..4).unwrap_or_default();
    match magic {
        b"\x7fELF" | b"\xcf\xfa\xed\xfe" | b"\xce\xfa\xed\xfe" | b"\xfe\xed\xfa\xce"
        | b"\xfe\xed\xfa\xcf" => true,
        // Java classes begin so, too: their version stands where the number of parts does, and is
        // larger.
        b"\xca\xfe\xba\xbe" | b"\xca\xfe\xba\xbf" => start
            .get(4..8)
            .is_some_and(|n| n < [0, 0, 0, 32].as_slice()),
        _ => start.starts_with(b"MZ"),
    }
}

/// Reads a compiled file: its parts, of which all but fat Mach-O files have one.
///
/// # Errors
/// When it is none, is cut off, or its tables lead out of it.
#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
pub fn read<'data, R: ReadRef<'data>>(data: R) -> Result<Vec<Binary>, Fault> {
    let kind = FileKind::parse(data).map_err(|_| Fault::new("it is no compiled file", 0))?;
    match kind {
        FileKind::Elf32 => {
            elf::read::<object::elf::FileHeader32<object::Endianness>, _>(data).map(|b| vec![b])
        }
        FileKind::Elf64 => {
            elf::read::<object::elf::FileHeader64<object::Endianness>, _>(data).map(|b| vec![b])
        }
        FileKind::MachO32 | FileKind::MachO64 | FileKind::MachOFat32 | FileKind::MachOFat64 => {
            macho::read(kind, data)
        }
        FileKind::Pe32 => pe::read::<object::pe::ImageNtHeaders32, _>(data).map(|b| vec![b]),
        FileKind::Pe64 => pe::read::<object::pe::ImageNtHeaders64, _>(data).map(|b| vec![b]),
        _ => Err(Fault::new(
            "it is no compiled file that an interpreter loads",
            0,
        )),
    }
}

/// The code for devices that the parts of a compiled file carry, each with the file's path.
pub fn code_of<'a>(
    path: &'a str,
    parts: &'a [Binary],
) -> impl Iterator<Item = (&'a str, &'a CodeImage)> {
    let images = parts.iter().flat_map(|part| &part.code);
    images.map(move |image| (path, image))
}

/// A fault of a compiled file.
fn bad(what: &str) -> Fault {
    Fault::new(format!("it is cut off or damaged: {what}"), 0)
}

/// Bytes as text, for names; what is no UTF-8 is replaced.
fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// The text that begins at a place of a table of texts, each ended by a zero.
fn text_at(table: &[u8], at: usize) -> Option<&[u8]> {
    const LONGEST: usize = 4096;
    let rest = table.get(at..)?;
    let end = rest.iter().take(LONGEST).position(|b| *b == 0)?;
    rest.get(..end)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(b"\x7fELF\x02\x01\x01\0", true)]
    #[case(b"\xca\xfe\xba\xbe\0\0\0\x02", true)]
    #[case(b"\xca\xfe\xba\xbe\0\0\0\x41", false)]
    #[case(b"MZ\x90\0", true)]
    #[case(b"#!/bin/sh", false)]
    #[case(b"", false)]
    fn first_bytes_tell_compiled_files(#[case] start: &[u8], #[case] expected: bool) {
        assert_eq!(is_binary(start), expected);
    }

    proptest! {
        /// Whatever follows the first bytes: an answer or a fault.
        #[test]
        fn any_bytes_are_read_or_refused(start in 0usize..6, rest in proptest::collection::vec(any::<u8>(), 0..600)) {
            let starts: [&[u8]; 6] = [
                b"\x7fELF\x02\x01\x01\0\0\0\0\0\0\0\0\0\x03\0\x3e\0\x01\0\0\0",
                b"\x7fELF\x01\x01\x01\0\0\0\0\0\0\0\0\0\x03\0\x28\0\x01\0\0\0",
                b"\xcf\xfa\xed\xfe",
                b"\xca\xfe\xba\xbe\0\0\0\x02",
                b"MZ",
                b"",
            ];
            let bytes = [starts[start], rest.as_slice()].concat();
            let _ = read(bytes.as_slice());
        }
    }
}
