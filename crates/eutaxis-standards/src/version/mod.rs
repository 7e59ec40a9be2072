//! Version identifiers and specifiers (PEP 440).
//!
//! A [`Version`] is one integer in the usual case, so that comparing two costs one comparison:
//! epoch 0, at most four release numbers, at most one of pre, post or dev, no local label.
//! Everything else keeps its parts beside.
//!
//! ```
//! use eutaxis_standards::{Version, VersionSpecifier};
//!
//! let newer = Version::parse("1.10.0rc1")?;
//! assert!(Version::parse("1.9")? < newer && newer < Version::parse("1.10")?);
//! let set = VersionSpecifier::parse(">=1.9,!=1.9.3,<2")?;
//! assert!(set.matches(&Version::parse("1.9.4")?));
//! // A pre-release is taken where a specifier names one; that it is wanted is said elsewhere.
//! assert!(!set.names_prerelease());
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod number;
mod parse;
mod series;
mod specifier;

use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};
use std::str::FromStr;
use std::sync::Arc;

pub use number::Number;
pub use series::{FIRST_YEAR, leaves_later_series_open, major_series};
pub use specifier::{Operator, Specifier, VersionSpecifier};

use crate::fault::Fault;

/// The kind of a pre-release, in its order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum PreKind {
    /// `a`
    Alpha,
    /// `b`
    Beta,
    /// `rc`
    Candidate,
}

/// One segment of a local label. Text sorts before numbers.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum LocalSegment {
    /// Letters and digits, lower case.
    Text(Box<str>),
    /// Digits only.
    Number(Number),
}

/// The parts of a version, for the cases that one integer cannot hold.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Parts {
    /// Before `!`; 0 when absent.
    pub epoch: Number,
    /// The release numbers as written, trailing zeros kept. Never empty in a version.
    pub release: Vec<Number>,
    /// Pre-release kind and number.
    pub pre: Option<(PreKind, Number)>,
    /// Post-release number.
    pub post: Option<Number>,
    /// Development release number.
    pub dev: Option<Number>,
    /// Segments of the local label; empty when absent.
    pub local: Vec<LocalSegment>,
}

/// A version. Ordered, compared and hashed as PEP 440 says (`1.0` equals `1.0.0`); shown in normal
/// form with its trailing zeros as written.
#[derive(Debug, Clone)]
pub struct Version {
    /// Release numbers in bits 124..28 (32 + 20 + 20 + 20, unused ones 0), then the suffix's kind
    /// and number. Only meaningful when `full` is none.
    key: u128,
    /// How many release numbers are written.
    written: u8,
    full: Option<Arc<Parts>>,
}

// Layout of the key, from the top: 4 unused bits, four release numbers, suffix kind (4 bits),
// suffix number.
const RELEASE_BITS: [u32; 4] = [32, 20, 20, 20];
const RELEASE_SHIFTS: [u32; 4] = [92, 72, 52, 32];
const KIND_SHIFT: u32 = 28;
const NUMBER_BITS: u32 = 28;

/// Suffix kinds in their order; a version without suffix is `FINAL`.
mod kind {
    pub(super) const DEV: u128 = 0;
    pub(super) const ALPHA: u128 = 1;
    pub(super) const BETA: u128 = 2;
    pub(super) const CANDIDATE: u128 = 3;
    pub(super) const FINAL: u128 = 4;
    pub(super) const POST: u128 = 5;
}

impl Version {
    /// Reads a version: surrounding white space and a leading `v` are allowed, all spellings are
    /// normalised.
    ///
    /// # Errors
    /// When the text is not a version of PEP 440; the fault's offset is where reading stopped.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        parse::version(text)
    }

    /// The version with these release numbers and nothing else.
    pub fn from_release(numbers: &[u64]) -> Self {
        let release = if numbers.is_empty() {
            vec![Number::from(0)]
        } else {
            numbers.iter().map(|n| Number::from(*n)).collect()
        };
        Version::from_parts(Parts {
            release,
            ..Parts::default()
        })
    }

    /// Packs parts into one integer where that is possible.
    pub fn from_parts(parts: Parts) -> Self {
        match pack(&parts) {
            Some((key, written)) => Version {
                key,
                written,
                full: None,
            },
            None => Version {
                key: 0,
                written: 0,
                full: Some(Arc::new(parts)),
            },
        }
    }

    fn packed(key: u128, written: u8) -> Self {
        Version {
            key,
            written,
            full: None,
        }
    }

    /// The parts of this version.
    pub fn parts(&self) -> Parts {
        match &self.full {
            Some(parts) => parts.as_ref().clone(),
            None => unpack(self.key, self.written),
        }
    }

    /// Has a pre-release or a development part (PEP 440, "handling of pre-releases").
    pub fn is_prerelease(&self) -> bool {
        match &self.full {
            Some(parts) => parts.pre.is_some() || parts.dev.is_some(),
            None => self.suffix_kind() < kind::FINAL,
        }
    }

    /// Has a local label.
    pub fn is_local(&self) -> bool {
        self.full.as_ref().is_some_and(|p| !p.local.is_empty())
    }

    /// Has a post-release part.
    pub fn is_post(&self) -> bool {
        match &self.full {
            Some(parts) => parts.post.is_some(),
            None => self.suffix_kind() == kind::POST,
        }
    }

    /// The local label in normal form, without `+`.
    pub fn local(&self) -> Option<String> {
        let parts = self.full.as_ref()?;
        (!parts.local.is_empty()).then(|| local_text(&parts.local))
    }

    /// The same version without its local label.
    #[must_use]
    pub fn public(&self) -> Version {
        if !self.is_local() {
            return self.clone();
        }
        Version::from_parts(Parts {
            local: Vec::new(),
            ..self.parts()
        })
    }

    /// Epoch and release only.
    #[must_use]
    pub fn base(&self) -> Version {
        let parts = self.parts();
        Version::from_parts(Parts {
            epoch: parts.epoch,
            release: parts.release,
            ..Parts::default()
        })
    }

    /// The `index`-th release number (from 0); 0 beyond those written, saturated at `u64::MAX`.
    pub fn release_number(&self, index: usize) -> u64 {
        match &self.full {
            Some(parts) => parts.release.get(index).map_or(0, Number::saturated),
            None => match (RELEASE_SHIFTS.get(index), RELEASE_BITS.get(index)) {
                (Some(shift), Some(bits)) => ((self.key >> shift) & ((1 << bits) - 1)) as u64,
                _ => 0,
            },
        }
    }

    fn suffix_kind(&self) -> u128 {
        (self.key >> KIND_SHIFT) & 0xf
    }

    /// Epoch and release equal after zero padding.
    fn same_release(&self, other: &Version) -> bool {
        if self.full.is_none() && other.full.is_none() {
            return self.key >> 32 == other.key >> 32;
        }
        let (a, b) = (self.parts(), other.parts());
        a.epoch == b.epoch && compare_release(&a.release, &b.release).is_eq()
    }
}

fn pack(parts: &Parts) -> Option<(u128, u8)> {
    if !parts.local.is_empty() || parts.epoch != Number::from(0) {
        return None;
    }
    let written = u8::try_from(parts.release.len()).ok()?;
    let mut key = 0u128;
    for (i, number) in parts.release.iter().enumerate() {
        let small = number.small()?;
        match (RELEASE_BITS.get(i), RELEASE_SHIFTS.get(i)) {
            (Some(bits), Some(shift)) if small < 1 << bits => key |= u128::from(small) << shift,
            (None, _) if small == 0 => {}
            _ => return None,
        }
    }
    let (kind, number) = match (&parts.pre, &parts.post, &parts.dev) {
        (None, None, None) => (kind::FINAL, &Number::ZERO),
        (None, None, Some(n)) => (kind::DEV, n),
        (None, Some(n), None) => (kind::POST, n),
        (Some((PreKind::Alpha, n)), None, None) => (kind::ALPHA, n),
        (Some((PreKind::Beta, n)), None, None) => (kind::BETA, n),
        (Some((PreKind::Candidate, n)), None, None) => (kind::CANDIDATE, n),
        _ => return None,
    };
    let number = number.small().filter(|n| *n < 1 << NUMBER_BITS)?;
    Some((key | kind << KIND_SHIFT | u128::from(number), written))
}

fn unpack(key: u128, written: u8) -> Parts {
    let release = (0..usize::from(written))
        .map(|i| match (RELEASE_SHIFTS.get(i), RELEASE_BITS.get(i)) {
            (Some(shift), Some(bits)) => Number::from(((key >> shift) & ((1 << bits) - 1)) as u64),
            _ => Number::ZERO,
        })
        .collect();
    let number = Number::from((key & ((1 << NUMBER_BITS) - 1)) as u64);
    let mut parts = Parts {
        release,
        ..Parts::default()
    };
    match (key >> KIND_SHIFT) & 0xf {
        kind::DEV => parts.dev = Some(number),
        kind::ALPHA => parts.pre = Some((PreKind::Alpha, number)),
        kind::BETA => parts.pre = Some((PreKind::Beta, number)),
        kind::CANDIDATE => parts.pre = Some((PreKind::Candidate, number)),
        kind::POST => parts.post = Some(number),
        _ => {}
    }
    parts
}

fn compare_release(a: &[Number], b: &[Number]) -> Ordering {
    let longest = a.len().max(b.len());
    let at = |list: &[Number], i: usize| list.get(i).cloned().unwrap_or(Number::ZERO);
    (0..longest)
        .map(|i| at(a, i).cmp(&at(b, i)))
        .find(|o| o.is_ne())
        .unwrap_or(Ordering::Equal)
}

/// PEP 440's order over parts (its summary of ordering).
fn compare_parts(a: &Parts, b: &Parts) -> Ordering {
    /// Where the suffix starts: a lone dev release sorts below every pre-release, a final above
    /// them.
    fn pre_key(p: &Parts) -> (u8, Option<&(PreKind, Number)>) {
        match (&p.pre, &p.post, &p.dev) {
            (Some(pre), _, _) => (1, Some(pre)),
            (None, None, Some(_)) => (0, None),
            _ => (2, None),
        }
    }
    fn dev_key(p: &Parts) -> (bool, Option<&Number>) {
        (p.dev.is_none(), p.dev.as_ref())
    }
    (a.epoch.cmp(&b.epoch))
        .then_with(|| compare_release(&a.release, &b.release))
        .then_with(|| pre_key(a).cmp(&pre_key(b)))
        .then_with(|| a.post.cmp(&b.post))
        .then_with(|| dev_key(a).cmp(&dev_key(b)))
        .then_with(|| a.local.cmp(&b.local))
}

impl Ord for Version {
    fn cmp(&self, other: &Self) -> Ordering {
        if self.full.is_none() && other.full.is_none() {
            return self.key.cmp(&other.key);
        }
        compare_parts(&self.parts(), &other.parts())
    }
}

impl PartialOrd for Version {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Version {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Version {}

impl Hash for Version {
    fn hash<H: Hasher>(&self, state: &mut H) {
        match &self.full {
            None => self.key.hash(state),
            Some(parts) => {
                let mut release = parts.release.as_slice();
                while let [head @ .., last] = release {
                    if *last != Number::ZERO {
                        break;
                    }
                    release = head;
                }
                (
                    &parts.epoch,
                    release,
                    &parts.pre,
                    &parts.post,
                    &parts.dev,
                    &parts.local,
                )
                    .hash(state);
            }
        }
    }
}

impl FromStr for Version {
    type Err = Fault;
    fn from_str(text: &str) -> Result<Self, Fault> {
        Version::parse(text)
    }
}

fn local_text(local: &[LocalSegment]) -> String {
    let segments: Vec<String> = local
        .iter()
        .map(|s| match s {
            LocalSegment::Text(t) => t.to_string(),
            LocalSegment::Number(n) => n.to_string(),
        })
        .collect();
    segments.join(".")
}

impl fmt::Display for Version {
    /// Normal form (PEP 440, normalization). Honours width and alignment.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        use fmt::Write;
        let parts = self.parts();
        let mut text = String::new();
        if parts.epoch != Number::ZERO {
            write!(text, "{}!", parts.epoch)?;
        }
        for (i, number) in parts.release.iter().enumerate() {
            let dot = if i > 0 { "." } else { "" };
            write!(text, "{dot}{number}")?;
        }
        if let Some((kind, number)) = &parts.pre {
            let letter = match kind {
                PreKind::Alpha => "a",
                PreKind::Beta => "b",
                PreKind::Candidate => "rc",
            };
            write!(text, "{letter}{number}")?;
        }
        if let Some(number) = &parts.post {
            write!(text, ".post{number}")?;
        }
        if let Some(number) = &parts.dev {
            write!(text, ".dev{number}")?;
        }
        if !parts.local.is_empty() {
            write!(text, "+{}", local_text(&parts.local))?;
        }
        f.pad(&text)
    }
}

impl serde::Serialize for Version {
    fn serialize<S: serde::Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.collect_str(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn v(text: &str) -> Version {
        Version::parse(text).unwrap()
    }

    #[rstest]
    #[case(" V1.1RC1 ", "1.1rc1")]
    #[case("00!0.09000", "0.9000")]
    #[case("1.0+u.01", "1.0+u.1")]
    #[case("1.0+foo0100", "1.0+foo0100")]
    #[case("1.0-preview_4", "1.0rc4")]
    #[case("1.0.alpha", "1.0a0")]
    #[case("1.0-r-2", "1.0.post2")]
    #[case("1.0-1", "1.0.post1")]
    #[case("1.0-DEV", "1.0.dev0")]
    #[case("1.0+Ubuntu-1_2", "1.0+ubuntu.1.2")]
    #[case("1.0.0", "1.0.0")]
    #[case("1.0_alpha-2", "1.0a2")]
    #[case("1.0a-1", "1.0a1")]
    #[case("1.0.c3", "1.0rc3")]
    #[case("1.0b2-1", "1.0b2.post1")]
    #[case("1.0pre", "1.0rc0")]
    #[case("1.0a.post1", "1.0a0.post1")]
    #[case("1.0r4", "1.0.post4")]
    #[case("1.0-a1-2-dev.3", "1.0a1.post2.dev3")]
    #[case("1.0-1.dev", "1.0.post1.dev0")]
    #[case("1.0a.", "1.0a0")]
    #[case("1.0.post.", "1.0.post0")]
    #[case("1.2.dev_", "1.2.dev0")]
    #[case("1!2.0", "1!2.0")]
    #[case("1.0+CU118", "1.0+cu118")]
    #[case("20240131235959.1", "20240131235959.1")]
    #[case("1.dev99999999999999999999999999", "1.dev99999999999999999999999999")]
    #[case("1.2.3.4.5.6", "1.2.3.4.5.6")]
    #[case("1.0.0.0.0.0", "1.0.0.0.0.0")]
    fn versions_are_normalised(#[case] given: &str, #[case] normal: &str) {
        assert_eq!(v(given).to_string(), normal);
        assert_eq!(v(normal).to_string(), normal, "the normal form is stable");
    }

    #[rstest]
    #[case("1.0-")]
    #[case("1.0.")]
    #[case("1.0_1")]
    #[case("1.0-1-1")]
    #[case("1.0a1b2")]
    #[case("1.0.dev1.post2")]
    #[case("1.0+")]
    #[case("1.0+a..b")]
    #[case("1.0+a+b")]
    #[case("1.x")]
    #[case("1.0.*")]
    #[case("!1.0")]
    #[case("1..0")]
    #[case("")]
    #[case("v")]
    #[case("1.0 2")]
    #[case("\u{661}.0")]
    fn what_is_no_version_is_refused(#[case] given: &str) {
        assert!(Version::parse(given).is_err(), "{given}");
    }

    const ASCENDING: &str = "1.dev0 < 1.0.dev456 < 1.0a1.dev1 < 1.0a1 < 1.0a1.post0.dev1 < \
        1.0a1.post0 < 1.0a2.dev456 < 1.0a12 < 1.0b1.dev456 < 1.0b2 < 1.0b2.post345.dev456 < \
        1.0b2.post345 < 1.0rc1.dev456 < 1.0rc1 < 1.0 < 1.0+a < 1.0+a.1 < 1.0+b < 1.0+0 < 1.0+2 < \
        1.0+10 < 1.0+10.a < 1.0+10.0 < 1.0.post456.dev34 < 1.0.post456 < 1.0.15 < 1.1.dev1 < \
        2024.12 < 4294967296 < 1!0.1";

    #[test]
    fn the_published_order_holds_for_every_pair() {
        let versions: Vec<Version> = ASCENDING.split(" < ").map(|t| v(t.trim())).collect();
        for (i, a) in versions.iter().enumerate() {
            for (j, b) in versions.iter().enumerate() {
                assert_eq!(a.cmp(b), i.cmp(&j), "{a} against {b}");
            }
        }
    }

    #[test]
    fn local_labels_sort_as_text() {
        let given = "1.0 < 1.0+cpu < 1.0+cu118 < 1.0+cu121 < 1.0+cu92 < 1.0+rocm10.1 < \
            1.0+rocm5.4.2 < 1.0+rocm6.0";
        let versions: Vec<Version> = given.split(" < ").map(v).collect();
        assert!(versions.windows(2).all(|w| w[0] < w[1]));
    }

    #[test]
    fn equal_versions_hash_alike() {
        use std::hash::BuildHasher;
        let hasher = rustc_hash::FxBuildHasher;
        for (a, b) in [
            ("1.0", "v1.0.0"),
            ("1.0", "0!1"),
            ("1!2.0", "1!2"),
            ("1.0+a", "1+A"),
            ("1.2.3.4.5.0", "1.2.3.4.5"),
        ] {
            assert_eq!(v(a), v(b));
            assert_eq!(hasher.hash_one(v(a)), hasher.hash_one(v(b)), "{a} and {b}");
        }
    }

    #[test]
    fn parts_tell_what_a_version_is() {
        assert!(
            v("1.0.post1.dev2").is_prerelease()
                && v("1.0b2.post1").is_prerelease()
                && v("1a1").is_prerelease()
        );
        assert!(!v("1.0.post1").is_prerelease() && !v("1.0+x").is_prerelease());
        assert_eq!(v("2.3+nor41").local().as_deref(), Some("nor41"));
        assert_eq!(v("2.3rc1+nor41").public().to_string(), "2.3rc1");
        assert_eq!(v("1!2.3rc1+nor41").base().to_string(), "1!2.3");
        assert_eq!([0, 1, 5].map(|i| v("3.12").release_number(i)), [3, 12, 0]);
    }

    /// Any version text of moderate size, in normal form.
    pub(super) fn any_version() -> impl Strategy<Value = String> {
        let number = prop_oneof![
            0u64..4,
            0u64..3000,
            Just((1 << 20) - 1),
            Just(1 << 20),
            Just(1 << 32),
            any::<u64>()
        ];
        let suffix = |tag: &'static str| {
            proptest::option::of(number.clone())
                .prop_map(move |n| n.map_or(String::new(), |n| format!("{tag}{n}")))
        };
        let pre = prop_oneof![suffix("a"), suffix("b"), suffix("rc")];
        (
            proptest::option::weighted(0.1, 0u64..3),
            proptest::collection::vec(number.clone(), 1..6),
            pre,
            suffix(".post"),
            suffix(".dev"),
            proptest::option::weighted(0.2, "[a-z0-9]{1,4}(\\.[a-z0-9]{1,3})?"),
        )
            .prop_map(|(epoch, release, pre, post, dev, local)| {
                let epoch = epoch
                    .filter(|e| *e > 0)
                    .map_or(String::new(), |e| format!("{e}!"));
                let release: Vec<String> = release.iter().map(u64::to_string).collect();
                let local = local.map_or(String::new(), |l| format!("+{l}"));
                format!("{epoch}{}{pre}{post}{dev}{local}", release.join("."))
            })
    }

    proptest! {
        #[test]
        fn the_short_form_and_the_parts_agree(a in any_version(), b in any_version()) {
            let (a, b) = (v(&a), v(&b));
            prop_assert_eq!(a.cmp(&b), compare_parts(&a.parts(), &b.parts()));
            prop_assert_eq!(v(&a.to_string()), a.clone());
            prop_assert_eq!(Version::from_parts(a.parts()).to_string(), a.to_string());
        }

        #[test]
        fn no_text_makes_the_reader_panic(text in "\\PC{0,24}", near in "[0-9a-z.!+_-]{0,24}") {
            let _ = (Version::parse(&text), Version::parse(&near));
        }
    }
}
