//! The archive and its entries, judged before anything of them is written: names, kinds, sizes (PEP
//! 427 and 721, what archives may hold).

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};

use eutaxis_core::artifact::{NameRules, unsafe_member};
use eutaxis_core::fault::escaped;
use zip::ZipArchive;

use super::{Refusal, RefusalKind};

const MOST_ENTRIES: usize = 200_000;
const MOST_BYTES: u64 = 16 << 30;
/// A member may be this many times its packed size, unless it is small.
const MOST_RATIO: u64 = 200;
const SMALL: u64 = 64 << 20;

/// Kinds of entries, in the upper half of their external attributes.
const KIND_MASK: u32 = 0o170_000;
const KIND_FILE: u32 = 0o100_000;
const KIND_FOLDER: u32 = 0o040_000;

/// An archive that can be read.
#[derive(Debug)]
pub(crate) struct Archive {
    zip: ZipArchive<BufReader<File>>,
    /// The same file, to look at what stands before each entry.
    file: File,
}

/// A file of an archive.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Member {
    index: usize,
    /// Its path.
    pub(crate) path: String,
    /// It is marked executable.
    pub(crate) executable: bool,
    /// Bytes that it states to have.
    pub(crate) size: u64,
}

impl Archive {
    /// Opens a file as an archive.
    ///
    /// # Errors
    /// When it is none, or is damaged or too large as a whole.
    pub(crate) fn open(mut file: File) -> Result<Self, Refusal> {
        let archive = |why: String| Refusal::new(RefusalKind::Archive, why);
        let stated = stated_entries(&mut file);
        let second = file
            .try_clone()
            .map_err(|e| archive(format!("it cannot be read ({e})")))?;
        let zip = ZipArchive::new(BufReader::new(file))
            .map_err(|e| archive(format!("it is not a whole zip archive ({e})")))?;
        if zip.len() > MOST_ENTRIES {
            return Err(Refusal::new(
                RefusalKind::Size,
                format!("it holds more than {MOST_ENTRIES} entries"),
            ));
        }
        if stated.is_some_and(|n| n != zip.len()) {
            return Err(archive("two of its entries have one name".to_owned()));
        }
        Ok(Archive { zip, file: second })
    }

    /// Judges every entry: its name, kind and size. The files, and what is wrong.
    pub(crate) fn judge(&mut self, rules: NameRules) -> (Vec<Member>, Vec<Refusal>) {
        let mut members = Vec::new();
        let mut refusals = Vec::new();
        let mut seen: BTreeMap<String, bool> = BTreeMap::new();
        let mut total = 0u64;
        for index in 0..self.zip.len() {
            match self.entry(index, rules, &mut seen, &mut total) {
                Ok(member) => members.extend(member),
                Err(refusal) => refusals.push(refusal),
            }
        }
        for (path, _) in seen.iter().filter(|(_, folder)| !**folder) {
            let inside = seen
                .range(format!("{path}/")..)
                .next()
                .is_some_and(|(p, _)| p.starts_with(&format!("{path}/")));
            if inside {
                let why = format!("`{}` is a file and a folder", escaped(path));
                refusals.push(Refusal::new(RefusalKind::UnsafePath, why));
            }
        }
        (members, refusals)
    }

    /// Judges one entry; nothing for a folder.
    fn entry(
        &mut self,
        index: usize,
        rules: NameRules,
        seen: &mut BTreeMap<String, bool>,
        total: &mut u64,
    ) -> Result<Option<Member>, Refusal> {
        let member = self
            .zip
            .by_index_raw(index)
            .map_err(|e| Refusal::new(RefusalKind::Archive, e))?;
        let Ok(path) = std::str::from_utf8(member.name_raw()).map(str::to_owned) else {
            return Err(Refusal::new(
                RefusalKind::UnsafePath,
                "the name of an entry is not UTF-8",
            ));
        };
        let shown = escaped(&path);
        if let Some(why) = unsafe_member(&path, rules) {
            return Err(Refusal::new(
                RefusalKind::UnsafePath,
                format!("entry `{shown}`: {why}"),
            ));
        }
        let mode = member.unix_mode().unwrap_or(KIND_FILE | 0o644);
        let kind = mode & KIND_MASK;
        let folder = path.ends_with('/');
        if kind != 0 && kind != if folder { KIND_FOLDER } else { KIND_FILE } {
            let why = format!("entry `{shown}` is a link or a device, not a file");
            return Err(Refusal::new(RefusalKind::UnsafeEntry, why));
        }
        if member.encrypted() {
            return Err(Refusal::new(
                RefusalKind::UnsafeEntry,
                format!("entry `{shown}` is encrypted"),
            ));
        }
        let (packed, size) = (member.compressed_size(), member.size());
        let start = member.header_start();
        drop(member);
        *total = total.saturating_add(size);
        if *total > MOST_BYTES || (size > SMALL && size > packed.saturating_mul(MOST_RATIO)) {
            let why = format!("entry `{shown}` unpacks to {size} bytes from {packed}");
            return Err(Refusal::new(RefusalKind::Size, why));
        }
        if !self.is_named_so(start, path.as_bytes()) {
            let why = format!(
                "entry `{shown}` has another name in the list of the archive than before its bytes"
            );
            return Err(Refusal::new(RefusalKind::Archive, why));
        }
        // Names that fold to one on some file systems are refused on all: the wheel must mean the
        // same everywhere.
        let folded = path.trim_end_matches('/').to_lowercase();
        if let Some(was_folder) = seen.insert(folded, folder)
            && !(folder && was_folder)
        {
            let why = format!("two entries have the name `{shown}`, but for case");
            return Err(Refusal::new(RefusalKind::UnsafePath, why));
        }
        Ok((!folder).then_some(Member {
            index,
            path,
            executable: mode & 0o111 != 0,
            size,
        }))
    }

    /// Whether the header before an entry's bytes names it as the list at the end does.
    fn is_named_so(&mut self, start: u64, name: &[u8]) -> bool {
        const HEADER: usize = 30;
        let mut read = || -> std::io::Result<Vec<u8>> {
            self.file.seek(SeekFrom::Start(start))?;
            let mut bytes = vec![0; HEADER + name.len()];
            self.file.read_exact(&mut bytes)?;
            Ok(bytes)
        };
        let Ok(bytes) = read() else { return false };
        let length = bytes
            .get(26..28)
            .and_then(|b| Some(u16::from_le_bytes(b.try_into().ok()?)));
        length.map(usize::from) == Some(name.len()) && bytes.get(HEADER..) == Some(name)
    }

    /// Hands a file's bytes to `take`, part by part, and stops when there are more than it states.
    ///
    /// # Errors
    /// When it is damaged, or larger than it says, or `take` fails.
    pub(crate) fn read<E: From<Refusal>>(
        &mut self,
        member: &Member,
        buffer: &mut [u8],
        mut take: impl FnMut(&[u8]) -> Result<(), E>,
    ) -> Result<(), E> {
        let shown = escaped(&member.path);
        let damaged = |e: &dyn std::fmt::Display| {
            Refusal::new(
                RefusalKind::Archive,
                format!("entry `{shown}` is damaged ({e})"),
            )
        };
        let mut entry = self.zip.by_index(member.index).map_err(|e| damaged(&e))?;
        let mut size = 0u64;
        loop {
            let n = entry.read(buffer).map_err(|e| damaged(&e))?;
            let Some(part) = buffer.get(..n).filter(|p| !p.is_empty()) else {
                break;
            };
            size += n as u64;
            if size > member.size {
                let why = format!(
                    "entry `{shown}` holds more than the {} bytes that it states",
                    member.size
                );
                return Err(Refusal::new(RefusalKind::Size, why).into());
            }
            take(part)?;
        }
        if size < member.size {
            return Err(damaged(&format!("it ends after {size} of {} bytes", member.size)).into());
        }
        Ok(())
    }
}

/// How many entries the end of the archive states: the reader joins entries of one name, this count
/// does not.
fn stated_entries(file: &mut File) -> Option<usize> {
    const LONGEST_END: i64 = 22 + 65_535;
    let length = i64::try_from(file.seek(SeekFrom::End(0)).ok()?).ok()?;
    file.seek(SeekFrom::Start(
        u64::try_from(length - LONGEST_END).unwrap_or(0),
    ))
    .ok()?;
    let mut tail = Vec::new();
    file.read_to_end(&mut tail).ok()?;
    file.seek(SeekFrom::Start(0)).ok()?;
    let at = tail.windows(4).rposition(|w| w == b"PK\x05\x06")?;
    let count = u16::from_le_bytes(tail.get(at + 10..at + 12)?.try_into().ok()?);
    // 0xffff: the true count stands in a larger record, and so many entries are refused anyway.
    (count != u16::MAX).then_some(usize::from(count))
}
