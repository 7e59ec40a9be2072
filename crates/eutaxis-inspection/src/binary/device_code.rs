//! Code for devices that a compiled file carries: which generations it is for, by the headers of what
//! stands in its sections for fat binaries.
//!
//! No standard describes the one form; it is as compilers write it. The other is the bundle of
//! offloaded code objects that the documentation of the compiler front end describes. Of both only
//! headers are read: what they hold may be packed.

use object::ReadRef;

use eutaxis_standards::knowledge::{CodeImage, CodeKind};

/// How a fat binary begins.
const FAT: u32 = 0xba55_ed50;
/// Bytes of its header, and those of an entry's that are read.
const FAT_HEADER: u64 = 16;
const ENTRY_HEADER: u64 = 32;
/// Kinds of its entries: text that the driver compiles, and machine code.
const TEXT: u16 = 1;
const MACHINE: u16 = 2;
/// How a bundle begins, and one that is packed as a whole.
const BUNDLE: &[u8] = b"__CLANG_OFFLOAD_BUNDLE__";
const PACKED: &[u8] = b"CCOB";
/// A section with more headers than this is not read to its end: more say nothing new.
const MOST_HEADERS: usize = 1 << 14;
/// What stands between two of them is filled up to a multiple of this.
const PAGE: u64 = 4096;

/// Whether a section may hold code for devices, by its name. Names of PE sections end after eight
/// bytes.
pub(super) fn is_holder(name: &[u8]) -> bool {
    name.windows(3).any(|w| w == b"fat")
}

/// A section of a file.
pub(super) struct Holder<R> {
    pub(super) data: R,
    pub(super) name: String,
    /// Where it lies in the file.
    pub(super) at: u64,
    pub(super) size: u64,
}

impl<'data, R: ReadRef<'data>> Holder<R> {
    /// Adds what it holds, each kind of it once.
    pub(super) fn read(&self, found: &mut Vec<CodeImage>) {
        let (mut at, mut headers) = (0, 0);
        while at < self.size && headers < MOST_HEADERS {
            let next = match self.bytes(at, 4) {
                Some(bytes) if le32(bytes, 0) == Some(FAT) => self.fat(at, &mut headers, found),
                Some(bytes) if bytes == PACKED => {
                    self.note(CodeKind::Packed, String::new(), found);
                    return;
                }
                Some(bytes) if BUNDLE.starts_with(bytes) => self.bundle(at, &mut headers, found),
                Some(_) => Some(at + 4),
                None => return,
            };
            headers += 1;
            match next {
                Some(next) if next > at => at = next,
                _ => return,
            }
        }
    }

    fn bytes(&self, at: u64, size: u64) -> Option<&'data [u8]> {
        let end = at.checked_add(size).filter(|end| *end <= self.size)?;
        let from = self.at.checked_add(end - size)?;
        self.data.read_bytes_at(from, size).ok()
    }

    fn note(&self, kind: CodeKind, name: String, found: &mut Vec<CodeImage>) {
        let image = CodeImage {
            section: self.name.clone(),
            kind,
            name,
        };
        if !found.contains(&image) {
            found.push(image);
        }
    }

    /// The entries of a fat binary; where what follows it begins.
    fn fat(&self, at: u64, headers: &mut usize, found: &mut Vec<CodeImage>) -> Option<u64> {
        let header = self.bytes(at, FAT_HEADER)?;
        let start = at.checked_add(u64::from(le16(header, 6)?).max(FAT_HEADER))?;
        let end = start.checked_add(le64(header, 8)?)?;
        let mut entry = start;
        while entry < end && *headers < MOST_HEADERS {
            let head = self.bytes(entry, ENTRY_HEADER)?;
            *headers += 1;
            let kind = match le16(head, 0)? {
                TEXT => Some(CodeKind::Intermediate),
                MACHINE => Some(CodeKind::Machine),
                _ => None,
            };
            let generation = le32(head, 28)?.to_string();
            kind.into_iter()
                .for_each(|kind| self.note(kind, generation.clone(), found));
            let size = u64::from(le32(head, 4)?).checked_add(le64(head, 8)?)?;
            entry = entry.checked_add(size.max(ENTRY_HEADER))?;
        }
        Some(end.next_multiple_of(8))
    }

    /// The entries of a bundle; where what follows it begins.
    fn bundle(&self, at: u64, headers: &mut usize, found: &mut Vec<CodeImage>) -> Option<u64> {
        const LONGEST: u64 = 4096;
        let length = BUNDLE.len() as u64;
        let head = self.bytes(at, length + 8)?;
        if !head.starts_with(BUNDLE) {
            return at.checked_add(4);
        }
        let mut end = at.checked_add(length + 8)?;
        let mut entry = end;
        for _ in 0..le64(head, BUNDLE.len())? {
            let fixed = self.bytes(entry, 24)?;
            *headers += 1;
            if *headers >= MOST_HEADERS {
                return None;
            }
            let (offset, size, name) = (le64(fixed, 0)?, le64(fixed, 8)?, le64(fixed, 16)?);
            let name = Some(name).filter(|n| *n <= LONGEST)?;
            let id = self.bytes(entry.checked_add(24)?, name)?;
            entry = entry.checked_add(24 + name)?;
            end = end.max(at.checked_add(offset)?.checked_add(size)?);
            let id = String::from_utf8_lossy(id);
            // `hipv4-amdgcn-amd-amdhsa--gfx90a:xnack-`: a triple, then the device and its features.
            let device = id.rsplit_once("--").filter(|_| !id.starts_with("host"));
            let device = device.and_then(|(_, device)| device.split(':').next());
            device
                .filter(|d| !d.is_empty())
                .into_iter()
                .for_each(|d| self.note(CodeKind::Machine, d.to_owned(), found));
        }
        let aligned = end.max(entry).checked_next_multiple_of(8)?;
        // Between two bundles the rest of a page is empty.
        let page = aligned.checked_next_multiple_of(PAGE)?;
        let follows = |at: u64| self.bytes(at, 4).is_some_and(|b| BUNDLE.starts_with(b));
        Some(if follows(aligned) { aligned } else { page })
    }
}

fn le16(bytes: &[u8], at: usize) -> Option<u16> {
    let found = bytes.get(at..at.checked_add(2)?)?;
    found.try_into().ok().map(u16::from_le_bytes)
}

fn le32(bytes: &[u8], at: usize) -> Option<u32> {
    let found = bytes.get(at..at.checked_add(4)?)?;
    found.try_into().ok().map(u32::from_le_bytes)
}

fn le64(bytes: &[u8], at: usize) -> Option<u64> {
    let found = bytes.get(at..at.checked_add(8)?)?;
    found.try_into().ok().map(u64::from_le_bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    /// An entry of a fat binary: a header of 64 bytes, and as many of contents.
    fn entry(kind: u16, generation: u32) -> Vec<u8> {
        let mut bytes = vec![0; 64];
        bytes[..2].copy_from_slice(&kind.to_le_bytes());
        bytes[4..8].copy_from_slice(&64u32.to_le_bytes());
        bytes[8..16].copy_from_slice(&64u64.to_le_bytes());
        bytes[28..32].copy_from_slice(&generation.to_le_bytes());
        bytes.extend([7; 64]);
        bytes
    }

    fn fat(entries: &[(u16, u32)]) -> Vec<u8> {
        let body: Vec<u8> = entries.iter().flat_map(|(k, g)| entry(*k, *g)).collect();
        let mut bytes = FAT.to_le_bytes().to_vec();
        bytes.extend([1, 0, 16, 0]);
        bytes.extend((body.len() as u64).to_le_bytes());
        bytes.extend(body);
        bytes
    }

    fn bundle(ids: &[&str]) -> Vec<u8> {
        let mut bytes = BUNDLE.to_vec();
        bytes.extend((ids.len() as u64).to_le_bytes());
        for (i, id) in ids.iter().enumerate() {
            for number in [4096 + 64 * i as u64, 64, id.len() as u64] {
                bytes.extend(number.to_le_bytes());
            }
            bytes.extend(id.as_bytes());
        }
        bytes.resize(4096 + 64 * ids.len(), 0);
        bytes
    }

    fn told(bytes: &[u8]) -> Vec<String> {
        let holder = Holder {
            data: bytes,
            name: ".fatbin".to_owned(),
            at: 0,
            size: bytes.len() as u64,
        };
        let mut found = Vec::new();
        holder.read(&mut found);
        let word = |image: &CodeImage| match image.kind {
            CodeKind::Machine => format!("code {}", image.name),
            CodeKind::Intermediate => format!("text {}", image.name),
            CodeKind::Packed => "packed".to_owned(),
        };
        found.iter().map(word).collect()
    }

    #[rstest]
    #[case::one(fat(&[(2, 80)]), &["code 80"])]
    #[case::several(fat(&[(2, 70), (2, 80), (1, 80), (2, 70), (16, 99)]), &["code 70", "code 80", "text 80"])]
    #[case::one_after_the_other([fat(&[(2, 70)]), vec![0; 8], fat(&[(2, 90)])].concat(), &["code 70", "code 90"])]
    #[case::a_bundle(bundle(&["host-x86_64-unknown-linux--", "hipv4-amdgcn-amd-amdhsa--gfx90a:xnack-", "hip-amdgcn-amd-amdhsa--gfx1030"]),
        &["code gfx90a", "code gfx1030"])]
    #[case::bundles_by_pages(
        [bundle(&["hipv4-amdgcn-amd-amdhsa--gfx908"]), vec![0; 4096 - 64], bundle(&["hipv4-amdgcn-amd-amdhsa--gfx942"])].concat(),
        &["code gfx908", "code gfx942"])]
    #[case::packed([b"CCOB".to_vec(), vec![9; 60]].concat(), &["packed"])]
    #[case::cut_off(fat(&[(2, 80), (2, 90)])[..100].to_vec(), &["code 80"])]
    #[case::a_size_beyond_it([FAT.to_le_bytes().to_vec(), vec![0xff; 12]].concat(), &[])]
    #[case::nothing(vec![0; 4000], &[])]
    fn headers_tell_generations(#[case] bytes: Vec<u8>, #[case] expected: &[&str]) {
        assert_eq!(told(&bytes), expected);
    }

    proptest! {
        /// Whatever follows the first bytes: an end.
        #[test]
        fn any_bytes_come_to_an_end(start in 0usize..3, rest in proptest::collection::vec(any::<u8>(), 0..400)) {
            let starts: [&[u8]; 3] = [&FAT.to_le_bytes(), BUNDLE, b"CCOB"];
            told(&[starts[start], rest.as_slice()].concat());
        }
    }
}
