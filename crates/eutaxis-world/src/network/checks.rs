//! Every hash that is stated of a file, computed while its bytes come by.

use blake2::digest::consts::{U16, U20, U28, U32, U48, U64};
use blake2::digest::{Digest, FixedOutput, Update};
use eutaxis_core::artifact::hex;
use std::fs::File;
use std::io::Read;
use std::path::Path;

use eutaxis_core::index::{Algorithm, Hashes};
use eutaxis_core::requirement::StatedHash;

use crate::hash::Sha256;
use crate::{Doing, Result};

/// A hash under way that is not SHA-256.
trait Other: Send {
    fn take(&mut self, bytes: &[u8]);
    fn end(self: Box<Self>) -> String;
}

impl<D: Update + FixedOutput + Send> Other for D {
    fn take(&mut self, bytes: &[u8]) {
        self.update(bytes);
    }

    fn end(self: Box<Self>) -> String {
        hex(&self.finalize_fixed())
    }
}

/// SHA-256, by which a file is known, and all others that were stated of it.
pub(crate) struct Checks {
    sha256: Sha256,
    others: Vec<(Algorithm, String, Box<dyn Other>)>,
}

/// What was computed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Found {
    /// The SHA-256.
    pub(crate) sha256: String,
    /// Of the others: algorithm, stated, found.
    others: Vec<(Algorithm, String, String)>,
}

impl Checks {
    /// For what is stated.
    pub(crate) fn of(stated: &Hashes) -> Self {
        let others = stated.iter().filter(|(a, _)| *a != Algorithm::Sha256);
        let begun =
            others.filter_map(|(a, value)| Some((a, value.to_owned(), begin(a, value.len() / 2)?)));
        Checks {
            sha256: Sha256::new(),
            others: begun.collect(),
        }
    }

    pub(crate) fn update(&mut self, bytes: &[u8]) {
        self.sha256.update(bytes);
        self.others
            .iter_mut()
            .for_each(|(_, _, hash)| hash.take(bytes));
    }

    pub(crate) fn finish(self) -> Found {
        let others = self
            .others
            .into_iter()
            .map(|(a, stated, hash)| (a, stated, hash.end()))
            .collect();
        Found {
            sha256: hex(&self.sha256.finalize()),
            others,
        }
    }
}

/// The hashes of a file on this disk by the algorithms of those that are stated.
///
/// # Errors
/// When it cannot be read.
pub fn as_stated(path: &Path, stated: &[StatedHash]) -> Result<Hashes> {
    let values = stated.iter().map(|s| (s.algorithm.as_str(), &*s.value));
    let mut checks = Checks::of(&values.collect());
    let mut file = File::open(path).doing("cannot read", path)?;
    let mut buffer = vec![0; 1 << 16];
    loop {
        let read = file.read(&mut buffer).doing("cannot read", path)?;
        if read == 0 {
            break;
        }
        checks.update(buffer.get(..read).unwrap_or_default());
    }
    let found = checks.finish();
    let others = found
        .others
        .iter()
        .map(|(a, _, v)| (a.as_str(), v.as_str()));
    let all = others.chain([("sha256", found.sha256.as_str())]);
    Ok(all.collect())
}

impl Found {
    /// The first stated hash that the bytes do not have: its algorithm, what is stated, what was
    /// found. A weak one counts only beside a strong one: alone it says nothing.
    pub(crate) fn differs<'a>(
        &'a self,
        stated: &'a Hashes,
    ) -> Option<(Algorithm, &'a str, &'a str)> {
        if let Some(sha256) = stated
            .sha256()
            .filter(|s| !s.eq_ignore_ascii_case(&self.sha256))
        {
            return Some((Algorithm::Sha256, sha256, &self.sha256));
        }
        let counts = stated.has_strong();
        let mut others = self
            .others
            .iter()
            .filter(|(a, _, _)| a.is_strong() || counts);
        others
            .find(|(_, stated, found)| stated != found)
            .map(|(a, stated, found)| (*a, stated.as_str(), found.as_str()))
    }
}

/// Begins a hash of so many bytes; none for a length that the algorithm does not have, which then
/// agrees with nothing.
fn begin(algorithm: Algorithm, length: usize) -> Option<Box<dyn Other>> {
    Some(match (algorithm, length) {
        (Algorithm::Sha256, _) => return None,
        (Algorithm::Md5, _) => Box::new(md5::Md5::new()),
        (Algorithm::Sha1, _) => Box::new(sha1::Sha1::new()),
        (Algorithm::Sha224, _) => Box::new(sha2::Sha224::new()),
        (Algorithm::Sha384, _) => Box::new(sha2::Sha384::new()),
        (Algorithm::Sha512, _) => Box::new(sha2::Sha512::new()),
        (Algorithm::Sha3_224, _) => Box::new(sha3::Sha3_224::new()),
        (Algorithm::Sha3_256, _) => Box::new(sha3::Sha3_256::new()),
        (Algorithm::Sha3_384, _) => Box::new(sha3::Sha3_384::new()),
        (Algorithm::Sha3_512, _) => Box::new(sha3::Sha3_512::new()),
        (Algorithm::Blake2b, 16) => Box::new(blake2::Blake2b::<U16>::new()),
        (Algorithm::Blake2b, 20) => Box::new(blake2::Blake2b::<U20>::new()),
        (Algorithm::Blake2b, 28) => Box::new(blake2::Blake2b::<U28>::new()),
        (Algorithm::Blake2b, 32) => Box::new(blake2::Blake2b::<U32>::new()),
        (Algorithm::Blake2b, 48) => Box::new(blake2::Blake2b::<U48>::new()),
        (Algorithm::Blake2b, _) => Box::new(blake2::Blake2b::<U64>::new()),
        (Algorithm::Blake2s, 16) => Box::new(blake2::Blake2s::<U16>::new()),
        (Algorithm::Blake2s, 20) => Box::new(blake2::Blake2s::<U20>::new()),
        (Algorithm::Blake2s, 28) => Box::new(blake2::Blake2s::<U28>::new()),
        (Algorithm::Blake2s, _) => Box::new(blake2::Blake2s::<U32>::new()),
    })
}

/// The first stated hash that some bytes do not have.
pub(crate) fn differs(bytes: &[u8], stated: &Hashes) -> Option<(Algorithm, String, String)> {
    let mut checks = Checks::of(stated);
    checks.update(bytes);
    let found = checks.finish();
    found
        .differs(stated)
        .map(|(a, stated, found)| (a, stated.to_owned(), found.to_owned()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    // Computed by another program of "abc".
    #[rstest]
    #[case("md5", "900150983cd24fb0d6963f7d28e17f72")]
    #[case("sha1", "a9993e364706816aba3e25717850c26c9cd0d89d")]
    #[case("sha224", "23097d223405d8228642a477bda255b32aadbce4bda0b3f7e36c9da7")]
    #[case(
        "sha256",
        "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
    )]
    #[case(
        "sha384",
        "cb00753f45a35e8bb5a03d699ac65007272c32ab0eded1631a8b605a43ff5bed8086072ba1e7cc2358baeca134c825a7"
    )]
    #[case(
        "sha512",
        "ddaf35a193617abacc417349ae20413112e6fa4e89a97ea20a9eeee64b55d39a2192992a274fc1a836ba3c23a3feebbd454d4423643ce80e2a9ac94fa54ca49f"
    )]
    #[case(
        "sha3_256",
        "3a985da74fe225b2045c172d6bd390bd855f086e3e9d525b46bfe24511431532"
    )]
    #[case(
        "sha3_512",
        "b751850b1a57168a5693cd924b6b096e08f621827444f70d884f5d0240d2712e10e116e9192af3c91a7ec57647e3934057340b4cf408d5a56592f8274eec53f0"
    )]
    #[case(
        "blake2b",
        "ba80a53f981c4d0d6a2797b69f12f6e94c212f14685ac4b74b12bb6fdbffa2d17d87c5392aab792dc252d5de4533cc9518d38aa8dbf1925ab92386edd4009923"
    )]
    #[case(
        "blake2b_256",
        "bddd813c634239723171ef3fee98579b94964e3bb1cb3e427262c8c068d52319"
    )]
    #[case(
        "blake2s",
        "508c5e8c327c14e2e1a72ba34eeb452f37458b209ed63a294d999b4c86675982"
    )]
    fn every_stated_hash_is_checked(#[case] name: &str, #[case] value: &str) {
        let beside = [(
            "sha3_224",
            "e642824c3f8cf24ad09234ee7d3c766fc9a3a5168d0c94ad73b46fdf",
        )];
        let stated: Hashes = beside.into_iter().chain([(name, value)]).collect();
        assert_eq!(differs(b"abc", &stated), None);
        assert_eq!(
            differs(b"abd", &stated).map(|d| d.0),
            Some(if name == "sha256" {
                Algorithm::Sha256
            } else {
                Algorithm::Sha3_224
            })
        );
        let wrong: Hashes = beside.into_iter().chain([(name, "00")]).collect();
        assert_eq!(differs(b"abc", &wrong).map(|d| d.0), Algorithm::named(name));
    }

    #[test]
    fn a_weak_hash_alone_says_nothing() {
        let stated: Hashes = [("md5", "00")].into_iter().collect();
        assert_eq!(differs(b"abc", &stated), None);
    }
}
