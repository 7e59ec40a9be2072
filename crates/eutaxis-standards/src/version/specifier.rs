//! Version specifiers (PEP 440, version specifiers): clauses joined by commas, all of which must
//! hold.
//!
//! ```text
//! set    = [ clause (',' clause)* ]
//! clause = ws* op ws* operand ws*        op = '===' | '~=' | '==' | '!=' | '<=' | '>=' | '<' | '>'
//! ```

use std::fmt;
use std::str::FromStr;

use super::{Parts, Version};
use crate::fault::{Fault, escaped};

/// A comparison of PEP 440.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Operator {
    /// `===`, equality of text
    Arbitrary,
    /// `~=`
    Compatible,
    /// `==`
    Equal,
    /// `!=`
    NotEqual,
    /// `<=`
    AtMost,
    /// `>=`
    AtLeast,
    /// `<`
    Below,
    /// `>`
    Above,
}

/// The operators, longest first, as they must be tried.
const OPERATORS: [(&str, Operator); 8] = [
    ("===", Operator::Arbitrary),
    ("~=", Operator::Compatible),
    ("==", Operator::Equal),
    ("!=", Operator::NotEqual),
    ("<=", Operator::AtMost),
    (">=", Operator::AtLeast),
    ("<", Operator::Below),
    (">", Operator::Above),
];

impl Operator {
    /// The operator as written.
    pub fn as_str(self) -> &'static str {
        OPERATORS
            .iter()
            .find(|(_, op)| *op == self)
            .map_or("", |(text, _)| text)
    }

    /// The operator at the start of `text`, with its length.
    pub(crate) fn at_start(text: &str) -> Option<(Operator, usize)> {
        OPERATORS
            .iter()
            .find(|(t, _)| text.starts_with(t))
            .map(|(t, op)| (*op, t.len()))
    }
}

/// One clause: an operator with its operand.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Specifier {
    operator: Operator,
    operand: Operand,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum Operand {
    Version(Version),
    /// `P.*`
    Prefix(Version),
    /// `~= V` with the prefix that V stands for.
    Compatible(Version, Version),
    /// `=== T`
    Text(Box<str>),
}

impl Specifier {
    /// Reads one clause.
    ///
    /// # Errors
    /// When the operator is missing or unknown, or the operand is not one that the operator takes
    /// (PEP 440, version specifiers).
    pub fn parse(text: &str) -> Result<Self, Fault> {
        let start = text.len() - text.trim_start().len();
        let trimmed = text.trim();
        let Some((operator, length)) = Operator::at_start(trimmed) else {
            return Err(no_operator(trimmed, start));
        };
        let after = trimmed.get(length..).unwrap_or("");
        let operand = after.trim();
        let at = start + length + (after.len() - after.trim_start().len());
        if operand.is_empty() {
            return Err(Fault::new(
                format!("a version is missing after `{}`", operator.as_str()),
                at,
            ));
        }
        Ok(Specifier {
            operator,
            operand: read_operand(operator, operand).map_err(|f| f.shifted(at))?,
        })
    }

    /// The operator.
    pub fn operator(&self) -> Operator {
        self.operator
    }

    /// The version named, also as a prefix; none for `===`.
    pub fn version(&self) -> Option<&Version> {
        match &self.operand {
            Operand::Version(v) | Operand::Prefix(v) | Operand::Compatible(v, _) => Some(v),
            Operand::Text(_) => None,
        }
    }

    /// Whether this is `==V` without `.*`, or `===V`: the clauses that admit a yanked file (PEP
    /// 592).
    pub fn pins_exactly(&self) -> bool {
        matches!(
            (self.operator, &self.operand),
            (Operator::Equal, Operand::Version(_)) | (Operator::Arbitrary, _)
        )
    }

    /// Whether the clause names a pre-release with `== === ~= >= <=`, and so admits pre-releases
    /// (PEP 440, handling of pre-releases).
    pub fn names_prerelease(&self) -> bool {
        let named = if let Operand::Text(text) = &self.operand {
            Version::parse(text).is_ok_and(|v| v.is_prerelease())
        } else {
            self.version().is_some_and(Version::is_prerelease)
        };
        named
            && !matches!(
                self.operator,
                Operator::NotEqual | Operator::Below | Operator::Above
            )
    }

    /// Whether `version` satisfies this clause; admission of pre-releases is decided elsewhere.
    pub fn matches(&self, version: &Version) -> bool {
        match (self.operator, &self.operand) {
            (Operator::Arbitrary, Operand::Text(text)) => {
                version.to_string().eq_ignore_ascii_case(text)
            }
            (Operator::Equal, Operand::Version(v)) => equal(version, v),
            (Operator::Equal, Operand::Prefix(p)) => has_prefix(version, p),
            (Operator::NotEqual, Operand::Version(v)) => !equal(version, v),
            (Operator::NotEqual, Operand::Prefix(p)) => !has_prefix(version, p),
            (Operator::Compatible, Operand::Compatible(v, prefix)) => {
                at_least(version, v) && has_prefix(version, prefix)
            }
            (Operator::AtLeast, Operand::Version(v)) => at_least(version, v),
            (Operator::AtMost, Operand::Version(v)) => {
                if version.is_local() {
                    version.public() <= *v
                } else {
                    version <= v
                }
            }
            (Operator::Above, Operand::Version(v)) => version > v && !excluded_above(version, v),
            (Operator::Below, Operand::Version(v)) => version < v && !excluded_below(version, v),
            // The reader makes no other pairs.
            _ => false,
        }
    }
}

fn no_operator(text: &str, at: usize) -> Fault {
    let shown = escaped(text);
    let fault = Fault::new(format!("a comparison is missing before `{shown}`"), at);
    match text.strip_prefix('=') {
        Some(rest) => fault.hint(format!("write `=={rest}`")),
        None if Version::parse(text).is_ok() => fault.hint(format!("write `=={shown}`")),
        None => fault.hint("one of == != <= >= < > ~= ==="),
    }
}

fn read_operand(operator: Operator, text: &str) -> Result<Operand, Fault> {
    if operator == Operator::Arbitrary {
        return Ok(Operand::Text(text.into()));
    }
    let op = operator.as_str();
    if let Some(prefix) = text.strip_suffix(".*") {
        if !matches!(operator, Operator::Equal | Operator::NotEqual) {
            return Err(Fault::new(format!("`{op}` takes no `.*`"), prefix.len())
                .hint(format!("write `{op}{prefix}`")));
        }
        let version = Version::parse(prefix)?;
        if version.is_local() || version.parts().dev.is_some() {
            return Err(Fault::new(
                format!("`.*` cannot follow a local label or a development release: `{text}`"),
                0,
            ));
        }
        return Ok(Operand::Prefix(version));
    }
    let version = Version::parse(text)?;
    if version.is_local() && !matches!(operator, Operator::Equal | Operator::NotEqual) {
        return Err(
            Fault::new(format!("`{op}` takes no local label: `{text}`"), 0)
                .hint(format!("write `{op}{}`", version.public())),
        );
    }
    if operator != Operator::Compatible {
        return Ok(Operand::Version(version));
    }
    let parts = version.parts();
    let mut release = parts.release;
    release.pop();
    if release.is_empty() {
        return Err(
            Fault::new(format!("`~=` needs at least two numbers: `{text}`"), 0)
                .hint(format!("write `~={text}.0`")),
        );
    }
    let prefix = Version::from_parts(Parts {
        epoch: parts.epoch,
        release,
        ..Parts::default()
    });
    Ok(Operand::Compatible(version, prefix))
}

/// `==`: without a local label in the operand the candidate's is ignored.
fn equal(version: &Version, operand: &Version) -> bool {
    if version.is_local() && !operand.is_local() {
        version.public() == *operand
    } else {
        version == operand
    }
}

/// `>=`: the candidate's local label is left out of the comparison.
fn at_least(version: &Version, operand: &Version) -> bool {
    if version.is_local() {
        version.public() >= *operand
    } else {
        version >= operand
    }
}

/// `== P.*` (PEP 440, version matching): numbers, not text; a pre or post part counts as a trailing
/// segment.
fn has_prefix(version: &Version, prefix: &Version) -> bool {
    let short = version.full.is_none()
        && prefix.full.is_none()
        && prefix.suffix_kind() == super::kind::FINAL;
    let shift = usize::from(prefix.written)
        .checked_sub(1)
        .and_then(|i| super::RELEASE_SHIFTS.get(i));
    if let Some(shift) = shift.filter(|_| short) {
        return version.key >> shift == prefix.key >> shift;
    }
    let (v, p) = (version.parts(), prefix.parts());
    if v.epoch != p.epoch {
        return false;
    }
    let at = |list: &[super::Number], i: usize| list.get(i).cloned().unwrap_or(super::Number::ZERO);
    let suffixed = p.pre.is_some() || p.post.is_some();
    let length = if suffixed {
        v.release.len().max(p.release.len())
    } else {
        p.release.len()
    };
    (0..length).all(|i| at(&v.release, i) == at(&p.release, i))
        && (p.pre.is_none() || v.pre == p.pre)
        && (!suffixed || p.post.is_none() || (v.post == p.post && v.pre == p.pre))
}

// "Of V" in the two exclusions below: the standard is silent for an operand that carries the other
// kind of suffix. The prevalent reading compares epoch and release only; it is kept in these two
// functions (PEP 440, version specifiers).

/// `> V` leaves out post-releases and local versions of V.
fn excluded_above(version: &Version, operand: &Version) -> bool {
    let of_operand = version.same_release(operand);
    (of_operand && version.is_post() && !operand.is_post()) || (of_operand && version.is_local())
}

/// `< V` leaves out pre-releases of V.
fn excluded_below(version: &Version, operand: &Version) -> bool {
    version.is_prerelease() && !operand.is_prerelease() && version.same_release(operand)
}

impl fmt::Display for Specifier {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.operator.as_str())?;
        match &self.operand {
            Operand::Version(v) | Operand::Compatible(v, _) => write!(f, "{v}"),
            Operand::Prefix(v) => write!(f, "{v}.*"),
            Operand::Text(t) => f.write_str(t),
        }
    }
}

/// Clauses that must all hold; the empty set takes every version.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default)]
pub struct VersionSpecifier {
    clauses: Vec<Specifier>,
}

impl VersionSpecifier {
    /// Reads a set as strictly as the standard asks.
    ///
    /// # Errors
    /// At the first clause that is not one; the fault's offset counts from the start of `text`.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        let mut clauses = Vec::new();
        let mut at = 0;
        if text.trim().is_empty() {
            return Ok(VersionSpecifier { clauses });
        }
        for piece in text.split(',') {
            // One trailing comma is allowed by the newer text of the standard.
            let last = at + piece.len() == text.len();
            if piece.trim().is_empty() && last && !clauses.is_empty() {
                break;
            }
            clauses.push(Specifier::parse(piece).map_err(|f| f.shifted(at))?);
            at += piece.len() + 1;
        }
        Ok(VersionSpecifier { clauses })
    }

    /// Reads a set as it stands in the metadata of others: `>=3.6.*`, which is invalid but seen, is
    /// read as `>=3.6`.
    ///
    /// # Errors
    /// As [`VersionSpecifier::parse`].
    pub fn parse_lenient(text: &str) -> Result<Self, Fault> {
        VersionSpecifier::parse(text).or_else(|fault| {
            if !text.contains(".*") {
                return Err(fault);
            }
            let mended: Vec<String> = text
                .split(',')
                .map(|piece| match Operator::at_start(piece.trim()) {
                    Some((Operator::Equal | Operator::NotEqual | Operator::Arbitrary, _))
                    | None => piece.to_owned(),
                    Some(_) => piece.replace(".*", ""),
                })
                .collect();
            VersionSpecifier::parse(&mended.join(",")).map_err(|_| fault)
        })
    }

    /// The set with one clause.
    pub fn exactly(version: &Version) -> Self {
        VersionSpecifier {
            clauses: vec![Specifier {
                operator: Operator::Equal,
                operand: Operand::Version(version.clone()),
            }],
        }
    }

    /// The clauses in the order written.
    pub fn clauses(&self) -> &[Specifier] {
        &self.clauses
    }

    /// Takes every version.
    pub fn is_empty(&self) -> bool {
        self.clauses.is_empty()
    }

    /// Whether every clause holds. Pre-releases are matched like any other version (PEP 440,
    /// handling of pre-releases is applied elsewhere).
    pub fn matches(&self, version: &Version) -> bool {
        self.clauses.iter().all(|c| c.matches(version))
    }

    /// Whether a clause names a pre-release in the way that admits them.
    pub fn names_prerelease(&self) -> bool {
        self.clauses.iter().any(Specifier::names_prerelease)
    }

    /// Whether a clause pins `version` exactly, and so admits it though yanked.
    pub fn pins(&self, version: &Version) -> bool {
        self.clauses
            .iter()
            .any(|c| c.pins_exactly() && c.matches(version))
    }
}

impl fmt::Display for VersionSpecifier {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, clause) in self.clauses.iter().enumerate() {
            if i > 0 {
                f.write_str(",")?;
            }
            write!(f, "{clause}")?;
        }
        Ok(())
    }
}

impl FromStr for VersionSpecifier {
    type Err = Fault;
    fn from_str(text: &str) -> Result<Self, Fault> {
        VersionSpecifier::parse(text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    /// Each word is a version with the expected answer before it.
    #[rstest]
    #[case("~=2.2", "+2.2 +2.9 +2.2.post1 -2.1.9 -3.0 -2.2rc1")]
    #[case("~=2.2.0", "+2.2.0 +2.2.9 -2.3")]
    #[case("~=2.2.post3", "-2.2 +2.2.post3 +2.9 -3.0")]
    #[case("~=1.4.5a4", "-1.4.5a3 +1.4.5a4 +1.4.9 -1.5")]
    #[case("~=1!2.3", "-2.3 +1!2.3 +1!2.9 -1!3.0")]
    #[case("==1.1", "+1.1 +1.1.0 +1.1+x.1 -1.1.post1 -1.1a1 -1.1.dev1")]
    #[case(
        "==1.1.*",
        "+1.1 +1.1.0 +1.1.7 +1.1a1 +1.1.dev1 +1.1.post1 +1.1+x -1.10 -1 -1.2"
    )]
    #[case("==1.0.*", "+1 +1.0 +1.dev1 +1.0.0a1 +1.0.1")]
    #[case("==1.*", "+1 +1.dev0 -1!1.0 -2 -10")]
    #[case("==1.0a1.*", "+1.0a1 +1.0a1.dev3 +1.0a1.post2 -1.0a10 -1.0")]
    #[case(
        "==1.0.post2.*",
        "+1.0.post2 +1.0.post2.dev1 -1.0.post1 -1.0 -1.0a1.post2"
    )]
    #[case("==1.2.3.4.5.*", "+1.2.3.4.5 +1.2.3.4.5.6 -1.2.3.4.6")]
    #[case("==1.0+cu118", "-1.0 +1.0+cu118 +1.0+CU118 +1.0.0+cu118 -1.0+cu118.1")]
    #[case("!=1.1.*", "-1.1 -1.1a1 -1.1.post1 +1.2")]
    #[case("!=1.1", "-1.1 -1.1+x +1.1.1")]
    #[case(">=1.0", "+1.0+x -1.0rc1 +1.0.post1")]
    #[case("<=1.0", "+1.0+x +1.0rc1 -1.0.post1")]
    #[case(">1.7", "-1.7 -1.7.0.post1 -1.7+x +1.7.1 +1.8a1 +1.7.1.dev0")]
    #[case(">1.7.post2", "-1.7.0 -1.7.0.post2 +1.7.0.post3 +1.7.1")]
    #[case(">1.7a1", "-1.7.post1")]
    #[case("<1.0.post1", "-1.0a1")]
    #[case("<3.1", "-3.1.dev0 -3.1a1 -3.1rc1 +3.0.dev0 +3.0.post5 +3.0+x -3.1")]
    #[case("<3.1rc1", "+3.1b1 +3.1.dev0 +3.1rc1.dev1 -3.1rc1")]
    #[case("===1.0", "+1.0 -1.0.0 -1.0+x")]
    #[case("", "+1.0 +1.0a1")]
    #[case(" >= 1 , < 2 ", "+1.5 -2 -0.9")]
    #[case(">=1,<2,", "+1.5 -2")]
    fn the_published_tables_hold(#[case] set: &str, #[case] answers: &str) {
        let set = VersionSpecifier::parse(set).unwrap();
        for answer in answers.split(' ') {
            let (sign, version) = answer.split_at(1);
            assert_eq!(
                set.matches(&Version::parse(version).unwrap()),
                sign == "+",
                "{set} against {version}"
            );
        }
    }

    #[rstest]
    #[case("~=1", 2, "two numbers")]
    #[case("~=1.0+x", 2, "no local label")]
    #[case("==1.0.dev1.*", 2, "`.*` cannot follow")]
    #[case("==1.0+x.*", 2, "`.*` cannot follow")]
    #[case(">=1.0.*", 5, "takes no `.*`")]
    #[case(">=1.0+x", 2, "no local label")]
    #[case("=1.0", 0, "write `==1.0`")]
    #[case("1.0", 0, "write `==1.0`")]
    #[case(">=", 2, "version is missing")]
    #[case(">=1,,<2", 4, "a comparison is missing")]
    #[case(">=1, <x", 6, "not a version")]
    #[case("==1..3", 3, "a dot too many: 1.3")]
    #[case("==1.3.", 5, "a dot too many: 1.3")]
    fn bad_clauses_are_refused_with_their_place(
        #[case] given: &str,
        #[case] offset: usize,
        #[case] part: &str,
    ) {
        let fault = VersionSpecifier::parse(given).unwrap_err();
        assert!(fault.to_string().contains(part), "{fault}");
        assert_eq!(fault.offset(), offset, "{fault}");
    }

    #[test]
    fn metadata_of_others_is_read_leniently() {
        let set = VersionSpecifier::parse_lenient(">=3.6.*, !=3.7.*").unwrap();
        assert_eq!(set.to_string(), ">=3.6,!=3.7.*");
        assert!(VersionSpecifier::parse_lenient(">=abc.*").is_err());
    }

    #[rstest]
    #[case(">=1.1rc1", true)]
    #[case("==1.0a1.*", true)]
    #[case("===1.0.dev3", true)]
    #[case("~=1.0b1", true)]
    #[case("!=1.1rc2", false)]
    #[case("<2.0a1", false)]
    #[case(">=1.0", false)]
    fn naming_a_prerelease_admits_them(#[case] set: &str, #[case] admits: bool) {
        assert_eq!(
            VersionSpecifier::parse(set).unwrap().names_prerelease(),
            admits
        );
    }

    #[test]
    fn only_exact_pins_admit_yanked_versions() {
        let version = Version::parse("1.1").unwrap();
        for (set, pins) in [
            ("==1.1", true),
            ("===1.1", true),
            (">=1,==1.1.0", true),
            ("==1.*", false),
            ("==1.2", false),
            (">=1.1", false),
        ] {
            assert_eq!(
                VersionSpecifier::parse(set).unwrap().pins(&version),
                pins,
                "{set}"
            );
        }
    }

    proptest! {
        /// The prefix test on integers and the one on parts give the same answer.
        #[test]
        fn prefixes_match_alike_in_both_forms(v in super::super::tests::any_version(), p in super::super::tests::any_version()) {
            let (v, p) = (Version::parse(&v).unwrap(), Version::parse(&p).unwrap());
            prop_assume!(!p.is_local() && p.parts().dev.is_none());
            let slow = Version { key: 0, written: 0, full: Some(std::sync::Arc::new(v.parts())) };
            prop_assert_eq!(has_prefix(&v, &p), has_prefix(&slow, &p));
        }

        #[test]
        fn what_is_shown_reads_back(v in super::super::tests::any_version()) {
            let version = Version::parse(&v).unwrap();
            for op in ["==", "!=", "<=", ">=", "<", ">"] {
                if let Ok(set) = VersionSpecifier::parse(&format!("{op}{v}")) {
                    prop_assert_eq!(VersionSpecifier::parse(&set.to_string()).unwrap().matches(&version), set.matches(&version));
                }
            }
        }
    }
}
