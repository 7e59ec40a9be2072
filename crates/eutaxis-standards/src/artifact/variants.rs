//! Descriptions of wheel variants (drafts PEP 817 and 825): `{name}-{version}-variants.json` beside
//! the files of a release, and `variant.json` in a wheel, which has its own label only.
//!
//! ```json
//! {"default-priorities": {"namespace": ["x86_64"]}, "variants": {"v3": {"x86_64": {"level": ["v3"]}}}}
//! ```

use std::collections::BTreeMap;
use std::fmt;

use serde::Deserialize;

use super::wheel_name::is_variant_label;
use super::wheel_name::strip_suffix_ignoring_case;
use crate::fault::Fault;
use crate::name::Name;
use crate::version::Version;

/// The label of the variant without properties, which runs wherever its tags do.
pub const NULL_LABEL: &str = "null";

/// A description with more labels than this is refused.
const MOST_LABELS: usize = 1024;
/// What follows name and version.
const ENDING: &str = "-variants.json";

/// The name of a description beside the files of a release.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VariantsName {
    /// The project.
    pub name: Name,
    /// The release.
    pub version: Version,
}

impl VariantsName {
    /// Reads a file's name; none when it is no such name.
    pub fn parse(file: &str) -> Option<Self> {
        let stem = strip_suffix_ignoring_case(file, ENDING)?;
        let (name, version) = stem.split_once('-')?;
        Some(VariantsName {
            name: Name::parse(name).ok()?,
            version: Version::parse(version).ok()?,
        })
    }
}

/// A feature of a variant: any of its values will do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Feature {
    /// Who answers it.
    pub namespace: Box<str>,
    /// The feature.
    pub feature: Box<str>,
    /// The values, of which one must be supported.
    pub values: Vec<Box<str>>,
}

impl fmt::Display for Feature {
    /// `x86_64 :: level :: v3`, further values with commas.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let values = self.values.join(", ");
        write!(f, "{} :: {} :: {values}", self.namespace, self.feature)
    }
}

/// The variants of a release.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Variants {
    /// Namespaces, the most important first.
    namespaces: Vec<Box<str>>,
    /// Features by namespace, the most important first.
    features: BTreeMap<Box<str>, Vec<Box<str>>>,
    labels: BTreeMap<Box<str>, Vec<Feature>>,
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case")]
struct File {
    #[serde(default)]
    default_priorities: Priorities,
    variants: BTreeMap<Box<str>, Properties>,
}

/// Values by namespace and feature.
type Properties = BTreeMap<Box<str>, BTreeMap<Box<str>, Vec<Box<str>>>>;

#[derive(Default, Deserialize)]
#[serde(default)]
struct Priorities {
    namespace: Vec<Box<str>>,
    feature: BTreeMap<Box<str>, Vec<Box<str>>>,
}

impl Variants {
    /// Reads a description; keys that are not known are let be, as the draft says.
    ///
    /// # Errors
    /// When it is not of the form, or a label or property is not written as the draft says.
    pub fn parse(bytes: &[u8]) -> Result<Self, Fault> {
        let fault = |what: String| Fault::new(format!("it describes no variants: {what}"), 0);
        let file: File = serde_json::from_slice(bytes).map_err(|e| fault(e.to_string()))?;
        if file.variants.len() > MOST_LABELS {
            return Err(fault(format!("it has more than {MOST_LABELS} labels")));
        }
        let mut labels = BTreeMap::new();
        for (label, namespaces) in file.variants {
            if !is_variant_label(&label) {
                let shown = crate::fault::escaped(&label);
                return Err(fault(format!("`{shown}` is no label")));
            }
            let mut all = Vec::new();
            for (namespace, features) in namespaces {
                for (feature, values) in features {
                    let feature = Feature {
                        namespace: namespace.clone(),
                        feature,
                        values,
                    };
                    if !feature.is_written_well() {
                        let shown = crate::fault::escaped(&feature.to_string());
                        return Err(fault(format!("`{shown}` is no property")));
                    }
                    all.push(feature);
                }
            }
            if (&*label == NULL_LABEL) != all.is_empty() {
                let shown = crate::fault::escaped(&label);
                return Err(fault(format!(
                    "`{shown}`: the label `{NULL_LABEL}` stands for no property, and others for \
                        some"
                )));
            }
            labels.insert(label, all);
        }
        Ok(Variants {
            namespaces: file.default_priorities.namespace,
            features: file.default_priorities.feature,
            labels,
        })
    }

    /// Takes in what another description of the same release has; what is here stays.
    pub fn join(&mut self, other: Variants) {
        if self.namespaces.is_empty() {
            (self.namespaces, self.features) = (other.namespaces, other.features);
        }
        for (label, features) in other.labels {
            self.labels.entry(label).or_insert(features);
        }
    }

    /// The labels, sorted.
    pub fn labels(&self) -> impl Iterator<Item = &str> {
        self.labels.keys().map(|l| &**l)
    }

    /// What a label stands for; none when it is not described.
    pub fn features_of(&self, label: &str) -> Option<&[Feature]> {
        self.labels.get(label).map(Vec::as_slice)
    }

    /// How important a feature is: the place of its namespace and its own within, those that are
    /// not listed last.
    pub fn importance(&self, feature: &Feature) -> (usize, usize) {
        let place = |list: &[Box<str>], word: &str| {
            let at = list.iter().position(|one| &**one == word);
            at.unwrap_or(usize::MAX)
        };
        let features = self.features.get(&feature.namespace);
        (
            place(&self.namespaces, &feature.namespace),
            features.map_or(usize::MAX, |list| place(list, &feature.feature)),
        )
    }
}

impl Feature {
    /// Small letters, digits and `_`, in values `.` too, and at least one value.
    fn is_written_well(&self) -> bool {
        let word = |text: &str, more: &[u8]| {
            let is_plain = |b: u8| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'_';
            !text.is_empty() && text.bytes().all(|b| is_plain(b) || more.contains(&b))
        };
        word(&self.namespace, b"")
            && word(&self.feature, b"")
            && !self.values.is_empty()
            && self.values.iter().all(|v| word(v, b"."))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("icenet-1.0-variants.json", Some("icenet 1.0"))]
    #[case("ice_net-2.0.post1-variants.json", Some("ice-net 2.0.post1"))]
    #[case("icenet-variants.json", None)]
    #[case("icenet-1.0.json", None)]
    #[case("icenet-new-variants.json", None)]
    fn names_are_read(#[case] file: &str, #[case] expected: Option<&str>) {
        let read = VariantsName::parse(file).map(|n| format!("{} {}", n.name, n.version));
        assert_eq!(read.as_deref(), expected);
    }

    #[test]
    fn a_description_is_read() {
        let text = br#"{"default-priorities": {"namespace": ["glow", "x86_64"], "feature": {"glow": ["device"]}},
            "providers": {"glow": {"requires": ["glow-finder"]}},
            "variants": {"v3": {"x86_64": {"level": ["v3"]}}, "null": {},
                "g4": {"glow": {"least": ["4.1"], "device": ["b3", "b4"]}}}}"#;
        let read = Variants::parse(text).unwrap();
        assert_eq!(read.labels().collect::<Vec<_>>(), ["g4", "null", "v3"]);
        let shown: Vec<String> = read
            .features_of("g4")
            .unwrap()
            .iter()
            .map(ToString::to_string)
            .collect();
        assert_eq!(shown, ["glow :: device :: b3, b4", "glow :: least :: 4.1"]);
        let important: Vec<_> = read
            .features_of("g4")
            .unwrap()
            .iter()
            .map(|f| read.importance(f))
            .collect();
        assert_eq!(important, [(0, 0), (0, usize::MAX)]);
        assert_eq!(read.features_of("v4"), None);
        assert_eq!(read.features_of("null"), Some(&[][..]));
    }

    #[rstest]
    #[case("[]", "describes no variants")]
    #[case("{}", "missing field `variants`")]
    #[case(
        r#"{"variants": {"V3": {"x86_64": {"level": ["v3"]}}}}"#,
        "`V3` is no label"
    )]
    #[case(
        r#"{"variants": {"v3": {"x86 64": {"level": ["v3"]}}}}"#,
        "is no property"
    )]
    #[case(r#"{"variants": {"v3": {"x86_64": {"level": []}}}}"#, "is no property")]
    #[case(r#"{"variants": {"v3": {}}}"#, "stands for no property")]
    #[case(
        r#"{"variants": {"null": {"x86_64": {"level": ["v3"]}}}}"#,
        "stands for no property"
    )]
    fn bad_descriptions_are_refused(#[case] text: &str, #[case] part: &str) {
        let fault = Variants::parse(text.as_bytes()).unwrap_err();
        assert!(fault.message().contains(part), "{fault}");
    }
}
