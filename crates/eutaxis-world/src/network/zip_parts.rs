//! A zip archive on a server, read in as few parts as can be (APPNOTE 4.3): its end, its directory,
//! and one member.
//!
//! The end record states where the directory lies and how large it is. Where the end that came
//! holds the entry that is looked for, as in wheels that keep the recommendation to put
//! `.dist-info` last, the directory is not fetched.

use std::io::Read;

use flate2::read::DeflateDecoder;
use url::Url;

use super::client::{Client, Request};
use crate::{Error, Result};

/// So much of the end is fetched first.
const TAIL: u64 = 32 << 10;
/// An end record with the longest comment, and the two of the 64-bit form before it.
const LONGEST_END: u64 = 22 + 65_535 + 20 + 56;
/// No directory is larger: what claims to be is not looked into by parts.
const LARGEST_DIRECTORY: u64 = 32 << 20;
/// No member that is looked for is larger, unpacked.
const LARGEST_MEMBER: u64 = 16 << 20;
/// What a member's own header may have more than its entry in the directory.
const SLACK: u64 = 4 << 10;

/// A member of the archive, by the directory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Entry {
    /// Its path.
    pub(crate) name: String,
    /// Its bytes, unpacked.
    pub(crate) size: u64,
    /// The check of its bytes.
    pub(crate) crc: u32,
    packed: u64,
    method: u16,
    flags: u16,
    /// Where its own header lies.
    at: u64,
}

/// What asking for the parts gave.
pub(crate) enum Parted {
    /// The bytes of the members that were looked for; with all entries, when the directory was seen
    /// whole.
    Found {
        members: Vec<(String, Vec<u8>)>,
        directory: Option<Vec<Entry>>,
    },
    /// Parts do not do for this file: it is not as it must be, or the server does not answer as it
    /// must.
    Unfit,
    /// The server gives the whole file only; it was not read. Its size, if stated.
    WholeOnly(Option<u64>),
    /// It does not have the file: the status, and the error that it would be.
    Absent(u16, Error),
}

/// Where an archive is, and what is known of it.
pub(crate) struct Source<'a> {
    pub(crate) client: &'a Client,
    /// The request that all parts are like.
    pub(crate) request: Request<'a>,
    /// Its size, if the page states it.
    pub(crate) size: Option<u64>,
    /// Which members are looked for; all that it takes must be there, or the directory is fetched.
    pub(crate) wanted: &'a dyn Fn(&str) -> bool,
    /// How many of them the end of the archive must show, so that the rest of the directory is not
    /// fetched.
    pub(crate) enough: usize,
}

/// Reads members of an archive by its parts.
///
/// # Errors
/// When the network fails.
pub(crate) fn read(source: &Source<'_>) -> Result<Parted> {
    let mut file = match open(source, TAIL)? {
        Ok(file) => file,
        Err(other) => return Ok(other),
    };
    match file.members(source) {
        Ok(found) => Ok(found),
        Err(Trouble::Unfit) => Ok(Parted::Unfit),
        Err(Trouble::Failed(error)) => Err(error),
    }
}

/// Why reading did not come to its end.
enum Trouble {
    /// The archive or the server is not as it must be for this.
    Unfit,
    Failed(Error),
}

impl From<Error> for Trouble {
    fn from(error: Error) -> Self {
        Trouble::Failed(error)
    }
}

/// A file whose end is here.
struct File {
    /// Where it came from in the end.
    url: Url,
    size: u64,
    /// Where the part that is here begins; it reaches to the end.
    start: u64,
    tail: Vec<u8>,
}

/// Asks for the end of a file: by its size if that is known, else counted from the end, else by the
/// size that the answer states.
fn open(source: &Source<'_>, length: u64) -> Result<std::result::Result<File, Parted>> {
    let ask = |range: String, most: u64| {
        let mut request = source.request.clone();
        request.range = Some(range);
        request.most = most;
        source.client.part(&request)
    };
    let of_size = |size: u64| {
        ask(
            format!(
                "bytes={}-{}",
                size.saturating_sub(length),
                size.saturating_sub(1)
            ),
            length,
        )
    };
    let known = source.size.filter(|s| *s > 0);
    let (mut head, mut tail) = match known {
        Some(size) => of_size(size)?,
        None => ask(format!("bytes=-{length}"), length)?,
    };
    // A server may take no range from the end, or the file has another size than the page says.
    if head.status != 206 {
        let told = match head.status {
            200 => head.length(),
            416 => head.content_range_of(),
            _ => None,
        };
        let other = told.filter(|size| *size > 0 && (known.is_none() || head.status == 416));
        match (head.status, other) {
            (200 | 416, Some(size)) => (head, tail) = of_size(size)?,
            (200 | 416, None) => return Ok(Err(Parted::WholeOnly(told))),
            status_of => {
                return Ok(Err(Parted::Absent(
                    status_of.0,
                    source.client.refusal(&head, source.request.what),
                )));
            }
        }
    }
    if head.status != 206 {
        return Ok(Err(Parted::WholeOnly(head.length())));
    }
    let range = head
        .content_range()
        .filter(|(start, size)| start.checked_add(tail.len() as u64) == Some(*size));
    Ok(match range {
        Some((start, size)) => Ok(File {
            url: head.url,
            size,
            start,
            tail,
        }),
        None => Err(Parted::Unfit),
    })
}

/// Where the directory is.
struct Directory {
    at: u64,
    size: u64,
    entries: u64,
}

impl File {
    fn members(&mut self, source: &Source<'_>) -> std::result::Result<Parted, Trouble> {
        let mut end = find_end(&self.tail, self.start);
        if end.is_none() && self.start > 0 {
            // A comment longer than what was fetched.
            match open(source, LONGEST_END)? {
                Ok(file) => *self = file,
                Err(_) => return Err(Trouble::Unfit),
            }
            end = find_end(&self.tail, self.start);
        }
        let Some(directory) = end else {
            return Err(Trouble::Unfit);
        };
        let Some(directory_end) = directory
            .at
            .checked_add(directory.size)
            .filter(|end| *end <= self.size)
        else {
            return Err(Trouble::Unfit);
        };
        if directory.size > LARGEST_DIRECTORY {
            return Err(Trouble::Unfit);
        }
        let whole = if directory.at >= self.start {
            self.here(directory.at, directory.size)
        } else {
            None
        };
        let mut seen = match whole {
            Some(bytes) => Some(entries(bytes, Some(directory.entries)).ok_or(Trouble::Unfit)?),
            None => None,
        };
        let at_end = match &seen {
            Some(_) => Vec::new(),
            None => self
                .here(self.start, directory_end.saturating_sub(self.start))
                .map(trailing)
                .unwrap_or_default(),
        };
        let taken = |list: &[Entry]| {
            list.iter()
                .filter(|e| (source.wanted)(&e.name))
                .cloned()
                .collect::<Vec<_>>()
        };
        let mut found = taken(seen.as_deref().unwrap_or(&at_end));
        if seen.is_none() && found.len() < source.enough {
            let bytes = self.fetch(source, directory.at, directory.size)?;
            let all = entries(&bytes, Some(directory.entries));
            let all = all.ok_or(Trouble::Unfit)?;
            found = taken(&all);
            seen = Some(all);
        }
        let mut members = Vec::new();
        for entry in found {
            let bytes = self.member(source, &entry, directory.at)?;
            members.push((entry.name, bytes));
        }
        Ok(Parted::Found {
            members,
            directory: seen,
        })
    }

    /// Bytes that came with the end.
    fn here(&self, at: u64, length: u64) -> Option<&[u8]> {
        let from = usize::try_from(at.checked_sub(self.start)?).ok()?;
        self.tail
            .get(from..from.checked_add(usize::try_from(length).ok()?)?)
    }

    fn fetch(
        &self,
        source: &Source<'_>,
        at: u64,
        length: u64,
    ) -> std::result::Result<Vec<u8>, Trouble> {
        if let Some(bytes) = self.here(at, length) {
            return Ok(bytes.to_vec());
        }
        let mut request: Request<'_> = source.request.clone();
        // What may be sent there is decided by where the file was asked for.
        request.asked = Some(request.asked.unwrap_or(request.url));
        request.url = &self.url;
        request.most = length;
        request.range = Some(format!(
            "bytes={at}-{}",
            at.saturating_add(length).saturating_sub(1)
        ));
        let (head, bytes) = source.client.part(&request)?;
        let fits = head.status == 206
            && head.content_range() == Some((at, self.size))
            && bytes.len() as u64 == length;
        if fits { Ok(bytes) } else { Err(Trouble::Unfit) }
    }

    /// The bytes of a member, checked.
    fn member(
        &self,
        source: &Source<'_>,
        entry: &Entry,
        directory: u64,
    ) -> std::result::Result<Vec<u8>, Trouble> {
        if entry.flags & 1 != 0 || entry.size > LARGEST_MEMBER || entry.packed > LARGEST_MEMBER {
            return Err(Trouble::Unfit);
        }
        let least = 30 + entry.name.len() as u64 + entry.packed;
        // Members lie before the directory.
        let length = (least + SLACK).min(directory.saturating_sub(entry.at));
        let bytes = self.fetch(source, entry.at, length)?;
        let header = Fields(&bytes);
        if header.u32(0) != Some(0x0403_4b50) {
            return Err(Trouble::Unfit);
        }
        let skip = 30
            + u64::from(header.u16(26).ok_or(Trouble::Unfit)?)
            + u64::from(header.u16(28).ok_or(Trouble::Unfit)?);
        let from = usize::try_from(skip).map_err(|_| Trouble::Unfit)?;
        let packed = usize::try_from(entry.packed).map_err(|_| Trouble::Unfit)?;
        let packed = bytes
            .get(from..from.saturating_add(packed))
            .ok_or(Trouble::Unfit)?;
        let mut plain = Vec::new();
        let unpacked = match entry.method {
            0 => {
                plain = packed.to_vec();
                Ok(0)
            }
            8 => DeflateDecoder::new(packed)
                .take(entry.size.saturating_add(1))
                .read_to_end(&mut plain),
            _ => return Err(Trouble::Unfit),
        };
        if unpacked.is_err()
            || plain.len() as u64 != entry.size
            || crc32fast::hash(&plain) != entry.crc
        {
            return Err(Trouble::Unfit);
        }
        Ok(plain)
    }
}

/// Little-endian fields of a record.
struct Fields<'a>(&'a [u8]);

impl Fields<'_> {
    fn u16(&self, at: usize) -> Option<u16> {
        Some(u16::from_le_bytes(
            self.0.get(at..at.checked_add(2)?)?.try_into().ok()?,
        ))
    }

    fn u32(&self, at: usize) -> Option<u32> {
        Some(u32::from_le_bytes(
            self.0.get(at..at.checked_add(4)?)?.try_into().ok()?,
        ))
    }

    fn u64(&self, at: usize) -> Option<u64> {
        Some(u64::from_le_bytes(
            self.0.get(at..at.checked_add(8)?)?.try_into().ok()?,
        ))
    }
}

/// The directory by the end record (APPNOTE 4.3.16), or by that of the 64-bit form (4.3.14) where
/// it says so.
fn find_end(tail: &[u8], start: u64) -> Option<Directory> {
    let fields = Fields(tail);
    let last = tail.len().checked_sub(22)?;
    // From the back: the comment of the true record reaches just to the end of the file.
    let at = (0..=last).rev().find(|at| {
        let comment = fields.u16(at + 20).map(usize::from);
        fields.u32(*at) == Some(0x0605_4b50)
            && comment.and_then(|n| at.checked_add(22 + n)) == Some(tail.len())
    })?;
    let (entries, size, offset) = (
        fields.u16(at + 10)?,
        fields.u32(at + 12)?,
        fields.u32(at + 16)?,
    );
    if entries != u16::MAX && size != u32::MAX && offset != u32::MAX {
        return Some(Directory {
            at: offset.into(),
            size: size.into(),
            entries: entries.into(),
        });
    }
    // The locator stands right before, and says where the record is (4.3.15).
    let locator = at
        .checked_sub(20)
        .filter(|l| fields.u32(*l) == Some(0x0706_4b50))?;
    let record = usize::try_from(fields.u64(locator + 8)?.checked_sub(start)?).ok()?;
    if fields.u32(record)? != 0x0606_4b50 {
        return None;
    }
    Some(Directory {
        at: fields.u64(record + 48)?,
        size: fields.u64(record + 40)?,
        entries: fields.u64(record + 32)?,
    })
}

/// One entry of a directory (4.3.12) at the beginning of some bytes, and how long it is.
fn entry(bytes: &[u8]) -> Option<(Entry, usize)> {
    let fields = Fields(bytes);
    if fields.u32(0)? != 0x0201_4b50 {
        return None;
    }
    let lengths = [fields.u16(28)?, fields.u16(30)?, fields.u16(32)?].map(usize::from);
    let [name, extra, comment] = lengths;
    let length = 46 + name + extra + comment;
    let record = bytes.get(..length)?;
    let mut entry = Entry {
        name: String::from_utf8_lossy(record.get(46..46 + name)?).into_owned(),
        size: fields.u32(24)?.into(),
        crc: fields.u32(16)?,
        packed: fields.u32(20)?.into(),
        method: fields.u16(10)?,
        flags: fields.u16(8)?,
        at: fields.u32(42)?.into(),
    };
    large(&mut entry, record.get(46 + name..46 + name + extra)?);
    Some((entry, length))
}

/// The sizes of the 64-bit form from the extra field 1 (4.5.3): those that the entry itself cannot
/// hold, in this order.
fn large(entry: &mut Entry, mut extra: &[u8]) {
    while let (Some(id), Some(length)) = (Fields(extra).u16(0), Fields(extra).u16(2)) {
        let length = usize::from(length);
        if id == 1 {
            let data = Fields(extra.get(4..4 + length).unwrap_or_default());
            let mut at = 0;
            for field in [&mut entry.size, &mut entry.packed, &mut entry.at] {
                if *field == u64::from(u32::MAX)
                    && let Some(value) = data.u64(at)
                {
                    *field = value;
                    at += 8;
                }
            }
        }
        extra = extra.get(4 + length..).unwrap_or_default();
    }
}

/// All entries of a directory; none when it is not made of entries from end to end, or of another
/// number of them.
fn entries(mut bytes: &[u8], count: Option<u64>) -> Option<Vec<Entry>> {
    let mut all = Vec::new();
    while !bytes.is_empty() {
        let (entry, length) = entry(bytes)?;
        all.push(entry);
        bytes = bytes.get(length..)?;
    }
    // The short form counts modulo 65,536 in files of some programs.
    let right = count.is_none_or(|n| n == all.len() as u64 || n == all.len() as u64 % 65_536);
    right.then_some(all)
}

/// The entries at the end of a directory of which only the end is here: from the first place from
/// which entries reach exactly to the end.
fn trailing(bytes: &[u8]) -> Vec<Entry> {
    let mark = b"PK\x01\x02";
    let places = memmem(bytes, mark);
    for at in places {
        if let Some(found) = bytes.get(at..).and_then(|rest| entries(rest, None)) {
            return found;
        }
    }
    Vec::new()
}

fn memmem<'a>(bytes: &'a [u8], mark: &'a [u8; 4]) -> impl Iterator<Item = usize> + 'a {
    bytes
        .windows(mark.len())
        .enumerate()
        .filter(move |(_, w)| w == mark)
        .map(|(at, _)| at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;

    fn archive(names: &[&str], comment: &str) -> Vec<u8> {
        let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
        let options = zip::write::SimpleFileOptions::default();
        for name in names {
            zip.start_file(*name, options).unwrap();
            zip.write_all(name.repeat(20).as_bytes()).unwrap();
        }
        let _ = zip.set_comment(comment.to_owned());
        zip.finish().unwrap().into_inner()
    }

    #[test]
    fn the_end_of_an_archive_tells_its_directory() {
        for comment in ["", "a comment PK\x05\x06 with a false end"] {
            let bytes = archive(&["a/b.py", "a.dist-info/METADATA"], comment);
            let directory = find_end(&bytes, 0).unwrap();
            let (at, size) = (directory.at as usize, directory.size as usize);
            let all = entries(&bytes[at..at + size], Some(directory.entries)).unwrap();
            let told: Vec<_> = all.iter().map(|e| (e.name.as_str(), e.size)).collect();
            assert_eq!(told, [("a/b.py", 120), ("a.dist-info/METADATA", 400)]);
            assert_eq!(entries(&bytes[at..at + size], Some(3)), None);
            // With the beginning of it cut off, the last entries are still found.
            let last = trailing(&bytes[at + 10..at + size]);
            assert_eq!(
                last.iter().map(|e| e.name.as_str()).collect::<Vec<_>>(),
                ["a.dist-info/METADATA"]
            );
        }
    }

    #[test]
    fn the_64_bit_form_is_read() {
        let mut bytes = archive(&["a.dist-info/METADATA"], "");
        let short = find_end(&bytes, 0).unwrap();
        let end = bytes.len() - 22;
        let mut record = b"PK\x06\x06".to_vec();
        record.extend_from_slice(&44u64.to_le_bytes());
        record.extend_from_slice(&[0; 12]);
        for value in [short.entries, short.entries, short.size, short.at] {
            record.extend_from_slice(&value.to_le_bytes());
        }
        let mut locator = b"PK\x06\x07\0\0\0\0".to_vec();
        locator.extend_from_slice(&(end as u64).to_le_bytes());
        locator.extend_from_slice(&1u32.to_le_bytes());
        let mut tail = bytes.split_off(end);
        tail[8..12].fill(0xff);
        tail[12..20].fill(0xff);
        bytes.extend([record, locator, tail].concat());
        let found = find_end(&bytes, 0);
        assert!(found.is_some_and(|d| (d.at, d.size, d.entries) == (short.at, short.size, short.entries)));
        let mut extra = vec![1, 0, 16, 0];
        extra.extend_from_slice(&7u64.to_le_bytes());
        extra.extend_from_slice(&9u64.to_le_bytes());
        let (max, name) = (u64::from(u32::MAX), String::new());
        let mut entry = Entry {
            name,
            size: max,
            crc: 0,
            packed: 5,
            method: 0,
            flags: 0,
            at: max,
        };
        large(&mut entry, &extra);
        assert_eq!((entry.size, entry.packed, entry.at), (7, 5, 9));
    }

    proptest::proptest! {
        #[test]
        fn no_bytes_make_the_reader_panic(bytes in proptest::collection::vec(proptest::prelude::any::<u8>(), 0..200), at in 0usize..200) {
            let mut archive = archive(&["a.dist-info/METADATA"], "");
            let end = archive.len();
            for (i, byte) in bytes.iter().enumerate() {
                archive[(at + i * 7) % end] = *byte;
            }
            let _ = find_end(&archive, 0);
            let _ = find_end(&bytes, 99);
            let _ = entries(&archive[end / 3..], None);
            let _ = trailing(&archive[end / 3..]);
        }
    }
}
