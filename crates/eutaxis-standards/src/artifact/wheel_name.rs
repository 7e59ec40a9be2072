//! Names of wheels (PEP 427, file name convention):
//! `{distribution}-{version}[-{build}]-{python tag}-{abi tag}-{platform tag}.whl`; with the label of
//! a variant as one more last part (draft PEP 825).

use std::fmt;

use crate::fault::{Fault, escaped};
use crate::name::Name;
use crate::version::Version;

/// Wheels with more tags than this are refused: real ones have a handful, and every tag of every
/// file is judged.
const MOST_TAGS: usize = 1024;

/// The name of a wheel, taken apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WheelName {
    /// The project.
    pub name: Name,
    /// The release.
    pub version: Version,
    /// The build tag, which breaks ties between wheels of equal rank.
    pub build: Option<BuildTag>,
    /// What the wheel promises to run on.
    pub tags: WheelTags,
    /// The label of the variant (draft PEP 825).
    pub variant: Option<Box<str>>,
    /// The name is not in today's normal form (older files: upper case, `.`, `_` for `-` in the
    /// version).
    pub lenient: bool,
}

/// A build tag: digits, then anything. Ordered by number, then text.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct BuildTag {
    number: crate::version::Number,
    rest: String,
}

/// The compatibility tags of a wheel: the product of three sets (PEP 425).
#[derive(Debug, Clone, PartialEq, Eq, Default, Hash)]
pub struct WheelTags {
    /// Interpreters: `cp312`, `py3`.
    pub pythons: Vec<Box<str>>,
    /// ABIs: `cp312`, `abi3`, `none`.
    pub abis: Vec<Box<str>>,
    /// Platforms: `any`, `manylinux_2_17_x86_64`.
    pub platforms: Vec<Box<str>>,
}

impl WheelTags {
    /// Reads tags as the name of a file writes them: `cp312-cp312-manylinux_2_17_x86_64`; none when
    /// they are none.
    pub fn parse(text: &str) -> Option<Self> {
        let mut parts = text.split('-');
        let three = [parts.next()?, parts.next()?, parts.next()?];
        let tags = Self::of(three).ok()?;
        parts.next().is_none().then_some(tags)
    }

    /// The tags of the three parts; on failure says what is wrong.
    fn of(parts: [&str; 3]) -> Result<Self, &'static str> {
        let set = |text: &str| -> Result<Vec<Box<str>>, &'static str> {
            let members: Vec<Box<str>> = text
                .split('.')
                .map(|t| t.to_ascii_lowercase().into())
                .collect();
            if members.iter().any(|m| m.is_empty()) {
                return Err("a tag is empty");
            }
            Ok(members)
        };
        let [python, abi, platform] = parts;
        let tags = WheelTags {
            pythons: set(python)?,
            abis: set(abi)?,
            platforms: set(platform)?,
        };
        if tags.pythons.len() * tags.abis.len() * tags.platforms.len() > MOST_TAGS {
            return Err("it stands for too many tags");
        }
        Ok(tags)
    }

    /// Whether it runs on any platform: nothing in it is compiled.
    pub fn is_pure(&self) -> bool {
        self.platforms.iter().all(|p| &**p == "any")
    }
}

impl WheelName {
    /// Reads the name of a wheel file (already percent-decoded).
    ///
    /// # Errors
    /// When the parts are not five to seven, or one of them is not what it must be.
    pub fn parse(file: &str) -> Result<Self, Fault> {
        let fault = |what: &str| {
            Fault::new(
                format!("`{}` is not the name of a wheel: {what}", escaped(file)),
                0,
            )
        };
        let stem = strip_suffix_ignoring_case(file, ".whl")
            .ok_or_else(|| fault("it does not end in .whl"))?;
        if let Some(first) = before_number_of_browser(stem) {
            return Err(fault(&format!(
                "a browser put the number behind it at a second download; rename it to {first}.whl"
            )));
        }
        let parts: Vec<&str> = stem.split('-').collect();
        // Of six parts the third is a build tag if it begins with a digit, else the last a label.
        let begins_with_digit = |text: &str| text.starts_with(|c: char| c.is_ascii_digit());
        let (name, version, build, [python, abi, platform], variant) = match parts.as_slice() {
            [n, v, p, a, l] => (*n, *v, None, [*p, *a, *l], None),
            [n, v, b, p, a, l] if begins_with_digit(b) => (*n, *v, Some(*b), [*p, *a, *l], None),
            [n, v, p, a, l, variant] if is_variant_label(variant) => {
                (*n, *v, None, [*p, *a, *l], Some(*variant))
            }
            [n, v, b, p, a, l, variant] if is_variant_label(variant) => {
                (*n, *v, Some(*b), [*p, *a, *l], Some(*variant))
            }
            [_, _, _, _, _, _] => {
                return Err(fault(
                    "a build tag begins with a digit, and the label of a variant is small \
                        letters, digits, `.` and `_`, at most 16",
                ));
            }
            _ => return Err(fault("five to seven parts joined by `-` are expected")),
        };
        let parsed = Name::parse(name).map_err(|e| fault(e.message()))?;
        let (version, respelled) = match Version::parse(version) {
            Ok(v) => (v, false),
            // Old files write `-` as `_`.
            Err(e) => (
                Version::parse(&version.replace('_', "-")).map_err(|_| fault(e.message()))?,
                true,
            ),
        };
        let build = build
            .map(|b| BuildTag::parse(b).ok_or_else(|| fault("a build tag begins with a digit")))
            .transpose()?;
        let tags = WheelTags::of([python, abi, platform]).map_err(fault)?;
        let lenient = respelled || parsed.file_form() != name;
        Ok(WheelName {
            name: parsed,
            version,
            build,
            tags,
            variant: variant.map(Into::into),
            lenient,
        })
    }
}

/// Whether a text can be the label of a variant: small letters, digits, `.` and `_`, at most 16
/// (draft PEP 825).
pub(super) fn is_variant_label(text: &str) -> bool {
    let is_plain = |b: u8| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'.' || b == b'_';
    (1..=16).contains(&text.len()) && text.bytes().all(is_plain)
}

pub(super) fn strip_suffix_ignoring_case<'a>(text: &'a str, suffix: &str) -> Option<&'a str> {
    let at = text.len().checked_sub(suffix.len())?;
    text.get(at..)
        .filter(|end| end.eq_ignore_ascii_case(suffix))
        .and_then(|_| text.get(..at))
}

impl BuildTag {
    fn parse(text: &str) -> Option<Self> {
        let digits = text.bytes().take_while(u8::is_ascii_digit).count();
        let number = text.get(..digits).filter(|d| !d.is_empty())?;
        Some(BuildTag {
            number: crate::version::Number::from_digits(number),
            rest: text.get(digits..)?.to_owned(),
        })
    }
}

impl fmt::Display for BuildTag {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{}", self.number, self.rest)
    }
}

impl WheelTags {
    /// Every tag of the product: interpreter, ABI, platform.
    pub fn expanded(&self) -> impl Iterator<Item = (&str, &str, &str)> {
        self.pythons.iter().flat_map(move |p| {
            self.abis
                .iter()
                .flat_map(move |a| self.platforms.iter().map(move |l| (&**p, &**a, &**l)))
        })
    }
}

impl fmt::Display for WheelTags {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(
            f,
            "{}-{}-{}",
            self.pythons.join("."),
            self.abis.join("."),
            self.platforms.join(".")
        )
    }
}

/// What stands before ` (1)`, as browsers name what is there already.
fn before_number_of_browser(stem: &str) -> Option<&str> {
    let (first, number) = stem.strip_suffix(')')?.rsplit_once('(')?;
    let is_number = !number.is_empty() && number.bytes().all(|b| b.is_ascii_digit());
    is_number.then(|| first.trim_end_matches([' ', '_']))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case("made_up-1.0-py3-none-any.whl", "made-up 1.0 py3-none-any", false)]
    #[case(
        "made_up-1.0-py2.py3-none-any.whl",
        "made-up 1.0 py2.py3-none-any",
        false
    )]
    #[case(
        "made_up-1.0-1local-py3-none-any.WHL",
        "made-up 1.0 py3-none-any build 1local",
        false
    )]
    #[case(
        "made_up-1.0+cu118-cp311-cp311-manylinux_2_17_x86_64.manylinux2014_x86_64.whl",
        "made-up 1.0+cu118 cp311-cp311-manylinux_2_17_x86_64.manylinux2014_x86_64",
        false
    )]
    #[case(
        "made_up-1.0-cp312-cp312-linux_x86_64-v3.whl",
        "made-up 1.0 cp312-cp312-linux_x86_64 variant v3",
        false
    )]
    #[case(
        "made_up-1.0-2-cp312-cp312-linux_x86_64-nor4.1.whl",
        "made-up 1.0 cp312-cp312-linux_x86_64 build 2 variant nor4.1",
        false
    )]
    #[case("Made.Up-1.0-py3-none-any.whl", "made-up 1.0 py3-none-any", true)]
    #[case(
        "made_up-1.0_1-py3-none-any.whl",
        "made-up 1.0.post1 py3-none-any",
        true
    )]
    fn wheel_names_are_read(#[case] file: &str, #[case] shown: &str, #[case] lenient: bool) {
        let name = WheelName::parse(file).unwrap();
        let build = name.build.map_or(String::new(), |b| format!(" build {b}"));
        let variant = name
            .variant
            .map_or(String::new(), |v| format!(" variant {v}"));
        assert_eq!(
            format!(
                "{} {} {}{build}{variant}",
                name.name, name.version, name.tags
            ),
            shown
        );
        assert_eq!(name.lenient, lenient);
    }

    #[rstest]
    #[case("made_up-1.0-x1-py3-none-Any.whl", "build tag")]
    #[case("made_up-1.0-py3-none-any-a_label_of_17_let.whl", "at most 16")]
    #[case(
        "made_up-1.0-x1-py3-none-any-v3.whl",
        "a build tag begins with a digit"
    )]
    #[case("made-up-1.0-py3-none-any.whl", "not a version")]
    #[case(
        "made_up-1.0-py3-none-any (1).whl",
        "rename it to made_up-1.0-py3-none-any.whl"
    )]
    #[case("made_up-1.0.whl", "five to seven")]
    #[case("made_up-1.0-py3-none.whl", "five to seven")]
    #[case("made_up-1.0-py3-none-any.zip", "does not end")]
    #[case("made_up-1.0-py3..py2-none-any.whl", "empty")]
    #[case(&format!("m-1-{0}-{0}-{0}.whl", ["a"; 11].join(".")), "too many tags")]
    #[case("\u{e9}.whl", "five to seven")]
    #[case("whl", "does not end")]
    fn bad_names_are_refused(#[case] file: &str, #[case] part: &str) {
        let fault = WheelName::parse(file).unwrap_err();
        assert!(fault.message().contains(part), "{fault}");
    }

    #[test]
    fn the_product_of_the_sets_is_walked() {
        let name = WheelName::parse("m-1-cp310.cp311-cp310.cp311-macosx_11_0_arm64.whl").unwrap();
        assert_eq!(name.tags.expanded().count(), 4);
    }

    #[test]
    fn build_tags_are_ordered() {
        let order = ["0", "1", "1a", "2", "10"].map(BuildTag::parse);
        assert!(None < order[0] && order.windows(2).all(|w| w[0] < w[1]));
    }

    proptest! {
        #[test]
        fn no_name_makes_the_reader_panic(text in "\\PC{0,40}", near in "[a-z0-9._+-]{0,30}") {
            let _ = (WheelName::parse(&text), WheelName::parse(&format!("{near}.whl")));
        }
    }
}
