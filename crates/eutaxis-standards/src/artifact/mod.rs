//! The files of a release: their names, and the files inside them that describe them.
//!
//! ```
//! use eutaxis_standards::artifact::{Metadata, Record};
//!
//! let metadata = Metadata::parse(b"Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\n\
//!     Requires-Dist: moulin>=4; extra == 'wide'\nProvides-Extra: wide\n")?;
//! assert_eq!(metadata.requires.len(), 1);
//! let record = Record::parse(b"firnio/__init__.py,,\nfirnio-1.0.dist-info/RECORD,,\n")?;
//! assert_eq!(record.lines.len(), 2);
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod address;
mod entry_points;
mod member;
mod metadata;
mod record;
mod repository;
mod sdist_name;
mod source_needs;
mod variants;
mod wheel_info;
mod wheel_name;

pub use address::name_in_address;
pub use entry_points::{EntryPoint, EntryPoints};
pub use member::{NameRules, unsafe_member};
pub use metadata::{Metadata, Unread};
pub use record::{Record, RecordLine};
pub use repository::Repository;
pub use sdist_name::SdistName;
pub use source_needs::{SourceFiles, Unsure};
pub use variants::{Feature, NULL_LABEL, Variants, VariantsName};
pub use wheel_info::WheelInfo;
pub use wheel_name::{BuildTag, WheelName, WheelTags};

use std::fmt::Write;

/// A SHA-256 digest in lower-case hexadecimal, as indexes and lock files write it.
pub fn hex(digest: &[u8]) -> String {
    digest
        .iter()
        .fold(String::with_capacity(digest.len() * 2), |mut text, byte| {
            // Writing to a string cannot fail.
            let _ = write!(text, "{byte:02x}");
            text
        })
}

/// A digest in URL-safe base64 without `=`, as RECORD writes it (PEP 376 and 427, RECORD).
pub fn record_base64(digest: &[u8]) -> String {
    const ALPHABET: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_";
    let mut text = String::with_capacity(digest.len().div_ceil(3) * 4);
    for chunk in digest.chunks(3) {
        let byte = |i: usize| u32::from(chunk.get(i).copied().unwrap_or(0));
        let bits = byte(0) << 16 | byte(1) << 8 | byte(2);
        for i in 0..=chunk.len() {
            let six = (bits >> (18 - 6 * i)) & 63;
            text.extend(ALPHABET.get(six as usize).copied().map(char::from));
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn digests_are_written_as_the_standards_do() {
        let digest: Vec<u8> = (0..64)
            .step_by(2)
            .map(|i| {
                u8::from_str_radix(
                    &"2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824"[i..i + 2],
                    16,
                )
                .unwrap()
            })
            .collect();
        assert_eq!(
            record_base64(&digest),
            "LPJNul-wow4m6DsqxbninhsWHlwfp0JecwQzYpOLmCQ"
        );
        assert_eq!(
            hex(&digest),
            "2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824"
        );
        assert_eq!(
            ["", "A", "AB", "ABC"].map(|t| record_base64(t.as_bytes())),
            ["", "QQ", "QUI", "QUJD"]
        );
    }
}
