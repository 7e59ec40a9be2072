//! Names of projects, extras and dependency groups (PEP 503, 685, 735).
//!
//! A valid name is ASCII letters, digits, `.`, `-`, `_`, begins and ends with a letter or digit.
//! Before names are compared every run of `-`, `_`, `.` becomes one `-` and letters become small; a
//! [`Name`] always holds that form.

use std::borrow::Borrow;
use std::fmt;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::fault::{Fault, FaultKind, escaped};

/// Longer names are refused: no project has one, and hostile data may.
const LONGEST: usize = 256;

/// A normalised name. Cheap to clone; compares and hashes as its text.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Name(Arc<str>);

impl Name {
    /// Reads a name and normalises it.
    ///
    /// # Errors
    /// When the text is empty, too long, or holds or begins or ends with a character that names may
    /// not.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        if text.is_empty() {
            return Err(Fault::of(FaultKind::Absent, "a name is missing", 0));
        }
        if text.len() > LONGEST {
            return Err(Fault::of(
                FaultKind::Limit,
                format!("a name is longer than {LONGEST} characters"),
                LONGEST,
            ));
        }
        if let Some(at) = text.bytes().position(|b| !is_name_byte(b)) {
            let odd = text.get(at..).and_then(|t| t.chars().next()).unwrap_or(' ');
            let message = format!(
                "`{}` cannot stand in a name: `{}`",
                escaped(&odd.to_string()),
                escaped(text)
            );
            return Err(Fault::new(message, at).hint("names are letters, digits, `-`, `_` and `.`"));
        }
        let ends = [text.bytes().next(), text.bytes().last()];
        if !ends
            .into_iter()
            .flatten()
            .all(|b| b.is_ascii_alphanumeric())
        {
            let message = format!("a name begins and ends with a letter or digit: `{text}`");
            return Err(Fault::new(message, 0));
        }
        let mut normal = String::with_capacity(text.len());
        let mut in_separator = false;
        for b in text.bytes() {
            if matches!(b, b'-' | b'_' | b'.') {
                in_separator = true;
                continue;
            }
            if in_separator {
                normal.push('-');
                in_separator = false;
            }
            normal.push(b.to_ascii_lowercase() as char);
        }
        Ok(Name(normal.into()))
    }

    /// The normalised text.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The form used in file names: `_` in place of `-`.
    pub fn file_form(&self) -> String {
        self.0.replace('-', "_")
    }
}

/// Whether the byte may stand in a name (anywhere but at its ends).
pub(crate) fn is_name_byte(b: u8) -> bool {
    b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_' | b'.')
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl Borrow<str> for Name {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl TryFrom<String> for Name {
    type Error = Fault;
    fn try_from(text: String) -> Result<Self, Fault> {
        Name::parse(&text)
    }
}

impl From<Name> for String {
    fn from(name: Name) -> String {
        name.0.as_ref().to_owned()
    }
}

/// How a name is off another one: slips that hands make come before words that only look alike.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Slip {
    /// Two letters are the other way round, one is there twice or only once, or what parts words is
    /// another one or not there.
    Hand,
    /// One letter is another one, too many or lost.
    Letter,
    /// They begin alike.
    Ending,
    /// Nothing of these, and not far off.
    Other,
}

/// A name that is looked for: what does not change from one known name to the next.
struct Wanted<'w> {
    text: &'w str,
    bare: Vec<char>,
    single: Vec<char>,
}

impl<'w> Wanted<'w> {
    fn new(text: &'w str) -> Self {
        let bare = bare(text);
        Wanted {
            text,
            single: single(&bare),
            bare,
        }
    }

    /// How a known name is off, and by how many letters; none when it is far off.
    fn slip(&self, known: &str) -> Option<(Slip, usize)> {
        let distance = strsim::osa_distance(self.text, known);
        let other = bare(known);
        if self.bare == other || self.single == single(&other) || is_swapped(&self.bare, &other) {
            return Some((Slip::Hand, distance));
        }
        if distance == 1 {
            return Some((Slip::Letter, distance));
        }
        let alike = self.bare.iter().zip(&other).take_while(|(a, b)| a == b);
        let half = self.bare.len().div_ceil(2).max(3);
        if alike.count() >= half && distance <= 1 + self.text.len() / 3 {
            return Some((Slip::Ending, distance));
        }
        (distance <= 1 + self.text.len() / 5).then_some((Slip::Other, distance))
    }
}

/// A name without what parts its words, in small letters.
fn bare(text: &str) -> Vec<char> {
    let letters = text.chars().filter(|c| !matches!(c, '-' | '_' | '.'));
    letters.flat_map(char::to_lowercase).collect()
}

/// The same with each letter once where it stands more often.
fn single(letters: &[char]) -> Vec<char> {
    let mut letters = letters.to_vec();
    letters.dedup();
    letters
}

/// Whether two neighbours are the other way round, and nothing else differs.
fn is_swapped(one: &[char], other: &[char]) -> bool {
    if one.len() != other.len() {
        return false;
    }
    let differ = || one.iter().zip(other).filter(|(a, b)| a != b);
    let first = one.iter().zip(other).position(|(a, b)| a != b);
    let swapped = |at: usize| match (one.get(at..at + 2), other.get(at..at + 2)) {
        (Some([a, b]), Some([c, d])) => a == d && b == c,
        _ => false,
    };
    first.is_some_and(swapped) && differ().count() == 2
}

/// The names nearest to `wanted`, best first, without itself: for "did you mean". At most `limit`,
/// none that is far off. Transposed and doubled letters come first, then one letter, then what
/// begins alike.
pub fn nearest<'a>(
    wanted: &str,
    known: impl IntoIterator<Item = &'a str>,
    limit: usize,
) -> Vec<&'a str> {
    nearest_first(wanted, known, limit, |_| false)
}

/// The same, where of slips of one kind the names that are met before come first.
pub fn nearest_first<'a>(
    wanted: &str,
    known: impl IntoIterator<Item = &'a str>,
    limit: usize,
    is_met: impl Fn(&str) -> bool,
) -> Vec<&'a str> {
    let far = 1 + wanted.len() / 3;
    let name = Wanted::new(wanted);
    let mut near: Vec<(Slip, usize, &str)> = known
        .into_iter()
        .filter(|k| k.len().abs_diff(wanted.len()) <= far && *k != wanted)
        .filter_map(|k| name.slip(k).map(|(slip, distance)| (slip, distance, k)))
        .collect();
    near.sort_by_cached_key(|(slip, distance, k)| (*slip, !is_met(k), *distance, *k));
    near.dedup();
    near.into_iter().take(limit).map(|(.., k)| k).collect()
}

/// Whether a text can be the name of a module, or a part of it: what code can write behind
/// `import`.
pub fn is_identifier(text: &str) -> bool {
    let mut chars = text.chars();
    chars.next().is_some_and(|c| c.is_alphabetic() || c == '_')
        && chars.all(|c| c.is_alphanumeric() || c == '_')
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Made.Up", "made-up")]
    #[case("made__up", "made-up")]
    #[case("Made-_.-Up", "made-up")]
    #[case("MADE.up_2", "made-up-2")]
    #[case("a", "a")]
    #[case("A1", "a1")]
    #[case("a.-_b", "a-b")]
    fn names_are_normalised(#[case] given: &str, #[case] normal: &str) {
        assert_eq!(Name::parse(given).unwrap().as_str(), normal);
    }

    #[rstest]
    #[case::leading("-made", 0)]
    #[case::trailing("made-", 0)]
    #[case::dot(".a", 0)]
    #[case::space("made up", 4)]
    #[case::empty("", 0)]
    #[case::not_ascii("m\u{e4}de", 1)]
    fn bad_names_are_refused(#[case] given: &str, #[case] offset: usize) {
        assert_eq!(Name::parse(given).unwrap_err().offset(), offset);
    }

    #[test]
    fn a_name_beyond_the_limit_is_refused() {
        assert!(Name::parse(&"a".repeat(LONGEST)).is_ok());
        assert!(Name::parse(&"a".repeat(LONGEST + 1)).is_err());
    }

    #[rstest]
    #[case::letters_the_other_way_round("forstgrid", "frostgrid frostgrit")]
    #[case::a_letter_twice("seraccnet", "seracnet seracnett serac")]
    #[case::no_mark_between_words("iceradarcore", "ice-radar-core iceradarcode")]
    #[case::one_letter_before_a_like_beginning("firnplot", "firnplod firnpoint")]
    #[case::not_itself("snowpit", "snowpits")]
    fn slips_of_the_hand_come_first(#[case] wanted: &str, #[case] expected: &str) {
        let known = [
            "snowpit",
            "snowpits",
            "firnpoint",
            "firnplod",
            "iceradarcode",
            "ice-radar-core",
            "serac",
            "seracnett",
            "seracnet",
            "frostgrit",
            "frostgrid",
        ];
        assert_eq!(nearest(wanted, known, 5).join(" "), expected);
    }

    #[test]
    fn what_is_met_before_comes_before_strangers() {
        let known = ["firnplab", "firnplob", "firnplbo"];
        let near = nearest_first("firnplb", known, 2, |k| k == "firnplob");
        assert_eq!(near, ["firnplob", "firnplab"]);
    }

    #[test]
    fn the_nearest_names_are_found() {
        let known = ["frostgrid", "firnio", "seracnet", "frostbite"];
        assert_eq!(nearest("forstgrid", known, 3), ["frostgrid"]);
        assert_eq!(nearest("zzzz", known, 3), Vec::<&str>::new());
    }
}
