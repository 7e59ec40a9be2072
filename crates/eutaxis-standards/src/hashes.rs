//! Hashes that a page states of a file, by the names of the simple repository API (those of the
//! interpreter's own library).
//!
//! Only algorithms that can be checked are kept: what a page states beyond them says nothing to
//! anybody.

use std::fmt;

use serde::de::{IgnoredAny, MapAccess, Visitor};
use serde::{Deserialize, Deserializer};

/// A way to compute a hash.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Algorithm {
    /// MD5, which says nothing against whoever means harm.
    Md5,
    /// SHA-1, the same.
    Sha1,
    /// SHA-2 of 224 bits.
    Sha224,
    /// SHA-2 of 256 bits, by which files are known here.
    Sha256,
    /// SHA-2 of 384 bits.
    Sha384,
    /// SHA-2 of 512 bits.
    Sha512,
    /// SHA-3 of 224 bits.
    Sha3_224,
    /// SHA-3 of 256 bits.
    Sha3_256,
    /// SHA-3 of 384 bits.
    Sha3_384,
    /// SHA-3 of 512 bits.
    Sha3_512,
    /// BLAKE2b, of as many bytes as the value has.
    Blake2b,
    /// BLAKE2s, of as many bytes as the value has.
    Blake2s,
}

const ALL: [(&str, Algorithm); 12] = [
    ("md5", Algorithm::Md5),
    ("sha1", Algorithm::Sha1),
    ("sha224", Algorithm::Sha224),
    ("sha256", Algorithm::Sha256),
    ("sha384", Algorithm::Sha384),
    ("sha512", Algorithm::Sha512),
    ("sha3_224", Algorithm::Sha3_224),
    ("sha3_256", Algorithm::Sha3_256),
    ("sha3_384", Algorithm::Sha3_384),
    ("sha3_512", Algorithm::Sha3_512),
    ("blake2b", Algorithm::Blake2b),
    ("blake2s", Algorithm::Blake2s),
];

impl Algorithm {
    /// The algorithm of a name as pages and lock files write it; `blake2b_256` is BLAKE2b too.
    pub fn named(name: &str) -> Option<Self> {
        let plain = name.to_ascii_lowercase().replace('-', "_");
        let family = match plain.split_once('_') {
            Some((family @ ("blake2b" | "blake2s"), _)) => family,
            _ => plain.as_str(),
        };
        ALL.iter()
            .find(|(known, _)| *known == family)
            .map(|(_, algorithm)| *algorithm)
    }

    /// Its name.
    pub fn as_str(self) -> &'static str {
        ALL.iter()
            .find(|(_, a)| *a == self)
            .map_or("", |(name, _)| name)
    }

    /// How many hexadecimal digits it has; none where that varies.
    pub fn digits(self) -> Option<usize> {
        match self {
            Algorithm::Md5 => Some(32),
            Algorithm::Sha1 => Some(40),
            Algorithm::Sha224 | Algorithm::Sha3_224 => Some(56),
            Algorithm::Sha256 | Algorithm::Sha3_256 => Some(64),
            Algorithm::Sha384 | Algorithm::Sha3_384 => Some(96),
            Algorithm::Sha512 | Algorithm::Sha3_512 => Some(128),
            Algorithm::Blake2b | Algorithm::Blake2s => None,
        }
    }

    /// Whether nobody can make another file with the same hash.
    pub fn is_strong(self) -> bool {
        !matches!(self, Algorithm::Md5 | Algorithm::Sha1)
    }
}

/// Hashes of one file: values in lower-case hexadecimal, each algorithm once.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Hashes(Vec<(Algorithm, Box<str>)>);

impl Hashes {
    /// The value of an algorithm.
    pub fn of(&self, algorithm: Algorithm) -> Option<&str> {
        self.0
            .iter()
            .find(|(a, _)| *a == algorithm)
            .map(|(_, value)| &**value)
    }

    /// The SHA-256, by which files are known here.
    pub fn sha256(&self) -> Option<&str> {
        self.of(Algorithm::Sha256)
    }

    /// Adds a value under the name that a page gives; one of an unknown algorithm, or a second one,
    /// is passed over.
    pub fn add(&mut self, name: &str, value: &str) {
        if let Some(algorithm) = Algorithm::named(name)
            && !value.is_empty()
            && self.of(algorithm).is_none()
        {
            self.0.push((algorithm, value.to_ascii_lowercase().into()));
        }
    }

    /// All of them, in the order of the page.
    pub fn iter(&self) -> impl Iterator<Item = (Algorithm, &str)> {
        self.0
            .iter()
            .map(|(algorithm, value)| (*algorithm, &**value))
    }

    /// Whether a strong hash is among them, so that the bytes are known wherever they come from.
    pub fn has_strong(&self) -> bool {
        self.0.iter().any(|(algorithm, _)| algorithm.is_strong())
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether the two speak of the same bytes: some strong hash that both state agrees, and none
    /// differs.
    pub fn agree(&self, other: &Hashes) -> bool {
        let mut both = self
            .iter()
            .filter(|(a, _)| a.is_strong())
            .filter_map(|(a, v)| Some((v, other.of(a)?)))
            .peekable();
        both.peek().is_some() && both.all(|(mine, theirs)| mine == theirs)
    }
}

impl<N: AsRef<str>, V: AsRef<str>> FromIterator<(N, V)> for Hashes {
    fn from_iter<I: IntoIterator<Item = (N, V)>>(pairs: I) -> Self {
        let mut hashes = Hashes::default();
        for (name, value) in pairs {
            hashes.add(name.as_ref(), value.as_ref());
        }
        hashes
    }
}

impl<'de> Deserialize<'de> for Hashes {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Pairs;
        impl<'de> Visitor<'de> for Pairs {
            type Value = Hashes;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("hashes by algorithm")
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Hashes, A::Error> {
                read_map(map)
            }
        }
        deserializer.deserialize_map(Pairs)
    }
}

/// The hashes of a map; what is of no known algorithm is not kept, however much of it there is.
pub(crate) fn read_map<'de, A: MapAccess<'de>>(mut map: A) -> Result<Hashes, A::Error> {
    let mut hashes = Hashes::default();
    while let Some(name) = map.next_key::<std::borrow::Cow<'de, str>>()? {
        if Algorithm::named(&name).is_some() {
            hashes.add(&name, &map.next_value::<String>()?);
        } else {
            map.next_value::<IgnoredAny>()?;
        }
    }
    Ok(hashes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("sha256", Some(Algorithm::Sha256))]
    #[case("SHA3-512", Some(Algorithm::Sha3_512))]
    #[case("blake2b_256", Some(Algorithm::Blake2b))]
    #[case("blake2s", Some(Algorithm::Blake2s))]
    #[case("sha256x", None)]
    #[case("crc32", None)]
    fn algorithms_are_known_by_their_names(
        #[case] name: &str,
        #[case] expected: Option<Algorithm>,
    ) {
        assert_eq!(Algorithm::named(name), expected);
    }

    #[rstest]
    #[case(&[("sha256", "ab")], &[("sha256", "AB"), ("md5", "1")], true)]
    #[case(&[("sha256", "ab"), ("sha512", "cd")], &[("sha256", "ab"), ("sha512", "ce")], false)]
    #[case(&[("md5", "ab")], &[("md5", "ab")], false)]
    #[case(&[("sha256", "ab")], &[("sha512", "ab")], false)]
    fn the_same_bytes_are_known_by_strong_hashes(
        #[case] one: &[(&str, &str)],
        #[case] other: &[(&str, &str)],
        #[case] agree: bool,
    ) {
        let hashes = |pairs: &[(&str, &str)]| pairs.iter().copied().collect::<Hashes>();
        assert_eq!(hashes(one).agree(&hashes(other)), agree);
    }
}
