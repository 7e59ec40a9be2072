//! Which wheel variants a place supports, and which it prefers (drafts PEP 817 and 825;
//! docs/accelerators.md). Properties are answered by what is known of the target, never by running
//! a provider; a namespace that it cannot answer makes a variant unusable.

use std::cmp::Reverse;
use std::fmt;

use super::Target;
use crate::artifact::{Feature, NULL_LABEL, Variants};
use crate::knowledge::{Bound, Family, MadeFor, Number, level_place, levels};

/// How good a variant is on a target among those of its release; smaller is better. Wheels without
/// a label come last.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum VariantOrder {
    /// Its features, the most important first, each with how much its value is preferred; the last
    /// entry stands for the end, so that of two the one that says more is better.
    Properties(Vec<(usize, usize, Preference)>),
    /// It has no properties.
    Null,
    /// It is no variant.
    Plain,
}

/// How much a supported value is preferred; smaller is better.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Preference(u8, Reverse<Number>);

/// Why a variant is not taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum VariantMiss {
    /// The index does not describe the label.
    Undescribed(String),
    /// The description cannot be read: why.
    Unread(String),
    /// Nobody here can answer a namespace or feature, or the target does not say enough: what, and
    /// why.
    Unknown(String, String),
    /// The target has not what the feature asks for: which, and what it has.
    Unmet(String, String),
}

impl fmt::Display for VariantMiss {
    /// A sentence without final stop.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            VariantMiss::Undescribed(label) => {
                write!(f, "nothing on the index describes the variant `{label}`")
            }
            VariantMiss::Unread(why) => {
                write!(f, "what describes its variants cannot be read: {why}")
            }
            VariantMiss::Unknown(property, why) => {
                write!(f, "for {property}: not known here, {why}")
            }
            VariantMiss::Unmet(property, here) => write!(f, "for {property}; {here}"),
        }
    }
}

/// What a target says of a value.
enum Answer {
    Met(Preference),
    Unmet(String),
    Unknown(String),
}

impl Target {
    /// How good a variant is here.
    ///
    /// # Errors
    /// Why it is not taken.
    pub fn variant(&self, variants: &Variants, label: &str) -> Result<VariantOrder, VariantMiss> {
        let undescribed = || VariantMiss::Undescribed(label.to_owned());
        let features = variants.features_of(label).ok_or_else(undescribed)?;
        if label == NULL_LABEL {
            return Ok(VariantOrder::Null);
        }
        let mut order = Vec::with_capacity(features.len() + 1);
        for feature in features {
            let (namespace, own) = variants.importance(feature);
            order.push((namespace, own, self.feature(feature)?));
        }
        order.sort();
        order.push((
            usize::MAX,
            usize::MAX,
            Preference(u8::MAX, Reverse(Number::zero())),
        ));
        Ok(VariantOrder::Properties(order))
    }

    /// The same of a variant by what describes it, if anything does; a description that cannot be
    /// read is the reason why.
    ///
    /// # Errors
    /// Why it is not taken.
    pub fn described_variant(
        &self,
        described: Result<&Variants, Option<&str>>,
        label: &str,
    ) -> Result<VariantOrder, VariantMiss> {
        match described {
            Ok(variants) => self.variant(variants, label),
            Err(None) => Err(VariantMiss::Undescribed(label.to_owned())),
            Err(Some(why)) => Err(VariantMiss::Unread(why.to_owned())),
        }
    }

    /// Whether all features of a variant are met.
    ///
    /// # Errors
    /// The first that is not.
    pub fn supports(&self, features: &[Feature]) -> Result<(), VariantMiss> {
        features.iter().try_for_each(|f| self.feature(f).map(drop))
    }

    /// The best of a feature's values that is supported.
    fn feature(&self, feature: &Feature) -> Result<Preference, VariantMiss> {
        let mut best: Option<Preference> = None;
        let (mut unmet, mut unknown) = (None, None);
        for value in &feature.values {
            match self.answer(&feature.namespace, &feature.feature, value) {
                Answer::Met(preference) => {
                    best = Some(best.map_or(preference.clone(), |b| b.min(preference)));
                }
                Answer::Unmet(why) => unmet = unmet.or(Some(why)),
                Answer::Unknown(why) => unknown = unknown.or(Some(why)),
            }
        }
        let shown = || feature.to_string();
        match (best, unmet, unknown) {
            (Some(best), _, _) => Ok(best),
            (None, _, Some(why)) => Err(VariantMiss::Unknown(shown(), why)),
            (None, Some(why), None) => Err(VariantMiss::Unmet(shown(), why)),
            (None, None, None) => Err(VariantMiss::Unknown(shown(), "it has no value".to_owned())),
        }
    }

    fn answer(&self, namespace: &str, feature: &str, value: &str) -> Answer {
        match (namespace, feature) {
            ("x86_64", "level") => self.level("x86_64", value),
            ("aarch64", "version") => self.level("aarch64", value),
            _ => match self.accelerators.families.of_namespace(namespace) {
                Some(family) => self.of_family(family, feature, value),
                None => Answer::Unknown(format!("`{namespace}` is nothing that a target says")),
            },
        }
    }

    fn level(&self, arch: &str, value: &str) -> Answer {
        let mine = match self.platform.arch() {
            "arm64" => "aarch64",
            mine => mine,
        };
        if mine != arch {
            return Answer::Unmet(format!("this target is {mine}"));
        }
        let Some(wanted) = level_place(arch, value) else {
            return Answer::Unknown(format!("`{value}` is no known level"));
        };
        // Every processor of an architecture has its first level.
        let first = levels(arch).next();
        let here = self.platform.level.as_ref().map(|l| l.name.as_str());
        let Some(level) = here.or(first.filter(|f| *f == value)) else {
            return Answer::Unknown("this target names no level of its processor".to_owned());
        };
        match level_place(arch, level) {
            Some(place) if place >= wanted => {
                Answer::Met(Preference(0, Reverse(Number::of(wanted as u64))))
            }
            _ => Answer::Unmet(format!("this target has level {level}")),
        }
    }

    fn of_family(&self, family: &Family, feature: &str, value: &str) -> Answer {
        let mine: Vec<_> = self
            .accelerators
            .here
            .iter()
            .filter(|a| a.family.name == family.name)
            .collect();
        if mine.is_empty() {
            return Answer::Unmet(format!("this target has no {}", family.name));
        }
        let Some(bound) = family.bound_of(feature) else {
            return Answer::Unknown(format!("`{feature}` is nothing that a target says"));
        };
        let system = self.platform.system;
        let mut answers = mine.into_iter().map(|here| {
            if bound == Bound::Device {
                return device(family, &here.devices, value);
            }
            let Ok(wanted) = Number::parse(value) else {
                return Answer::Unknown(format!("`{value}` is no toolkit"));
            };
            let highest = match (&here.driver, &here.toolkit) {
                (Some(driver), _) if family.enough_driver_is_known(system) => {
                    family.highest_toolkit(driver, system)
                }
                (_, toolkit) => toolkit.as_ref(),
            };
            let Some(highest) = highest else {
                return Answer::Unknown(
                    "this target names no driver or toolkit that is known".to_owned(),
                );
            };
            let runs = format!("this target runs {} up to {highest}", family.name);
            match bound {
                Bound::Least if wanted <= *highest || highest.is_within(&wanted) => {
                    Answer::Met(Preference(0, Reverse(wanted)))
                }
                Bound::Below if *highest < wanted => Answer::Met(Preference(0, Reverse(wanted))),
                Bound::Least | Bound::Below | Bound::Device => Answer::Unmet(runs),
            }
        });
        let first = answers.next();
        let mut rest = answers.filter(|a| matches!(a, Answer::Met(_)));
        match first {
            Some(Answer::Met(preference)) => Answer::Met(preference),
            Some(other) => rest.next().unwrap_or(other),
            None => Answer::Unmet(format!("this target has no {}", family.name)),
        }
    }

    /// What a variant was made for by its properties: the lowest toolkit of a family that it takes.
    pub fn variant_made_for(&self, features: &[Feature]) -> Option<MadeFor> {
        features.iter().find_map(|feature| {
            let families = &self.accelerators.families;
            let family = families.of_namespace(&feature.namespace)?;
            let is_least = family.bound_of(&feature.feature) == Some(Bound::Least);
            let numbers = feature.values.iter().filter_map(|v| Number::parse(v).ok());
            let least = numbers.min().filter(|_| is_least)?;
            Some(MadeFor::Toolkit(family.clone(), least))
        })
    }
}

/// Whether one of the devices runs what is for a generation: by name; or code of a generation
/// `70_real` runs on those of its first number from it on, intermediate code `70_virtual` on all
/// later ones.
fn device(family: &Family, devices: &[String], value: &str) -> Answer {
    if devices.is_empty() {
        return Answer::Unknown(format!("this target names no device of {}", family.name));
    }
    let here = format!("this target has device {}", devices.join(", "));
    if devices.iter().any(|d| d.eq_ignore_ascii_case(value)) {
        return Answer::Met(Preference(0, Reverse(Number::zero())));
    }
    let (digits, kind) = value.split_once('_').unwrap_or((value, ""));
    let generation = |text: &str| {
        let split = text.len().checked_sub(1)?;
        let (major, minor) = text.split_at_checked(split)?;
        Number::parse(&format!("{major}.{minor}")).ok()
    };
    let Some(wanted) = generation(digits) else {
        return Answer::Unmet(here);
    };
    let known: Vec<Number> = devices
        .iter()
        .filter_map(|d| Number::parse(d).ok())
        .collect();
    if known.is_empty() {
        return Answer::Unmet(here);
    }
    let later = |d: &&Number| **d >= wanted;
    match kind {
        "real"
            if known
                .iter()
                .filter(later)
                .any(|d| d.major() == wanted.major()) =>
        {
            Answer::Met(Preference(0, Reverse(wanted)))
        }
        "virtual" if known.iter().any(|d| later(&d)) => Answer::Met(Preference(1, Reverse(wanted))),
        "real" | "virtual" => Answer::Unmet(here),
        _ => Answer::Unknown(format!("`{value}` is no known generation")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::Families;
    use rstest::rstest;
    use std::sync::Arc;

    const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
toolkit = [{ version = "3.9", linux = "480.0" }, { version = "4.1", linux = "510.0" }, { version = "4.2", linux = "530.5" }]
variant = { namespace = "nordglim", least = "toolkit_from", below = "toolkit_below", device = "device" }

[[family]]
name = "sunray"
label = { before = "sun", number = "digits" }
toolkit = [{ version = "12.2", linux = "535.5" }, { version = "12.4", linux = "550.5" }, { version = "13.0", linux = "580.6" }]
variant = { namespace = "sunray", least = "from", device = "code" }
"#;

    const DESCRIPTION: &str = r#"{"default-priorities": {"namespace": ["nordglim", "x86_64"], "feature": {"nordglim": ["toolkit_from"]}},
        "variants": {
            "null": {}, "v1": {"x86_64": {"level": ["v1"]}}, "v3": {"x86_64": {"level": ["v3"]}}, "v9": {"x86_64": {"level": ["v9"]}},
            "v2or4": {"x86_64": {"level": ["v4", "v2"]}}, "a82": {"aarch64": {"version": ["8.2a"]}},
            "nor39": {"nordglim": {"toolkit_from": ["3.9"]}}, "nor41": {"nordglim": {"toolkit_from": ["4.1"]}},
            "nor41v3": {"nordglim": {"toolkit_from": ["4.1"]}, "x86_64": {"level": ["v3"]}},
            "nor42": {"nordglim": {"toolkit_from": ["4.2"]}}, "nor41b": {"nordglim": {"toolkit_from": ["4.1"], "toolkit_below": ["4.2"]}},
            "b3": {"nordglim": {"device": ["b2", "b3"]}}, "odd": {"nordglim": {"speed": ["fast"]}},
            "sun": {"blas": {"library": ["sunlib"]}}, "sm80": {"sunray": {"code": ["80_real"]}},
            "sm86v": {"sunray": {"code": ["86_virtual"]}}, "cu12": {"sunray": {"from": ["12.4"]}}
        }}"#;

    fn target(text: &str) -> Target {
        let families = Families::built_in().with(NORDGLIM).unwrap();
        Target::parse_with(text, &Arc::new(families)).unwrap()
    }

    fn described() -> Variants {
        Variants::parse(DESCRIPTION.as_bytes()).unwrap()
    }

    const PLAIN: &str = "3.12 / linux x86_64 glibc 2.35";
    const V3: &str = "3.12 / linux x86_64 glibc 2.35 level v3";
    const CAMP: &str = "3.12 / linux x86_64 glibc 2.35 level v3 / nordglim driver 512.4 device b3";
    const SUNRAY: &str = "3.12 / linux x86_64 glibc 2.35 / sunray driver 550.60 device 8.9";

    #[rstest]
    #[case::null(PLAIN, "null", None)]
    #[case::every_processor(PLAIN, "v1", None)]
    #[case::level_not_named(
        PLAIN,
        "v3",
        Some("x86_64 :: level :: v3: not known here, this target names no level")
    )]
    #[case::level(V3, "v3", None)]
    #[case::one_of_two(V3, "v2or4", None)]
    #[case::no_such_level(V3, "v9", Some("`v9` is no known level"))]
    #[case::level_too_low(
        "3.12 / linux x86_64 glibc 2.35 level v2",
        "v3",
        Some("for x86_64 :: level :: v3; this target has level v2")
    )]
    #[case::windows("3.12 / windows x86_64 level v3", "v3", None)]
    #[case::other_architecture(V3, "a82", Some("this target is x86_64"))]
    #[case::arm("3.12 / linux aarch64 glibc 2.35 level 8.4a", "a82", None)]
    #[case::arm_of_macos("3.12 / macos arm64 14.0 level 8.5a", "a82", None)]
    #[case::arm_too_old(
        "3.12 / linux aarch64 glibc 2.35 level 8.0a",
        "a82",
        Some("this target has level 8.0a")
    )]
    #[case::no_accelerator(V3, "nor41", Some("this target has no nordglim"))]
    #[case::toolkit(CAMP, "nor41", None)]
    #[case::older_toolkit(CAMP, "nor39", None)]
    #[case::newer_toolkit(
        CAMP,
        "nor42",
        Some("for nordglim :: toolkit_from :: 4.2; this target runs nordglim up to 4.1")
    )]
    #[case::below(CAMP, "nor41b", None)]
    #[case::not_below(
        "3.12 / linux x86_64 / nordglim driver 535",
        "nor41b",
        Some("this target runs nordglim up to 4.2")
    )]
    #[case::no_driver("3.12 / linux x86_64 / nordglim", "nor41", Some("names no driver"))]
    #[case::by_toolkit("3.12 / linux x86_64 / nordglim toolkit 4.1", "nor41", None)]
    #[case::device(CAMP, "b3", None)]
    #[case::other_device(
        "3.12 / linux x86_64 / nordglim device b1",
        "b3",
        Some("this target has device b1")
    )]
    #[case::no_device(
        "3.12 / linux x86_64 / nordglim",
        "b3",
        Some("names no device of nordglim")
    )]
    #[case::odd_feature(CAMP, "odd", Some("`speed` is nothing that a target says"))]
    #[case::unknown_namespace(CAMP, "sun", Some("for blas :: library :: sunlib: not known here"))]
    #[case::undescribed(
        CAMP,
        "nor99",
        Some("nothing on the index describes the variant `nor99`")
    )]
    #[case::code_of_a_generation(SUNRAY, "sm80", None)]
    #[case::code_of_another(
        "3.12 / linux x86_64 / sunray driver 580.65.06 device 9.0",
        "sm80",
        Some("this target has device 9.0")
    )]
    #[case::intermediate_code(
        "3.12 / linux x86_64 / sunray driver 580.65.06 device 9.0",
        "sm86v",
        None
    )]
    #[case::intermediate_code_too_new(
        "3.12 / linux x86_64 / sunray driver 580.65.06 device 8.0",
        "sm86v",
        Some("this target has device 8.0")
    )]
    #[case::driver(SUNRAY, "cu12", None)]
    #[case::driver_too_old(
        "3.12 / linux x86_64 / sunray driver 535.54.03",
        "cu12",
        Some("this target runs sunray up to 12.2")
    )]
    fn variants_are_judged_by_the_target(
        #[case] place: &str,
        #[case] label: &str,
        #[case] miss: Option<&str>,
    ) {
        let found = target(place).variant(&described(), label);
        match (&found, miss) {
            (Ok(_), None) => {}
            (Err(why), Some(part)) => assert!(why.to_string().contains(part), "{why}"),
            _ => panic!("{found:?}"),
        }
    }

    #[rstest]
    #[case(CAMP, &["nor41v3", "nor41", "nor39", "b3", "v3", "v2or4", "v1", "null"])]
    #[case(V3, &["v3", "v2or4", "v1", "null"])]
    #[case(PLAIN, &["v1", "null"])]
    fn the_better_variant_comes_first(#[case] place: &str, #[case] expected: &[&str]) {
        let (target, described) = (target(place), described());
        let mut usable: Vec<(VariantOrder, &str)> = described
            .labels()
            .filter(|l| *l != "nor41b")
            .filter_map(|l| Some((target.variant(&described, l).ok()?, l)))
            .collect();
        usable.sort();
        let labels: Vec<&str> = usable.iter().map(|(_, l)| *l).collect();
        assert_eq!(labels, expected);
        assert!(usable.iter().all(|(o, _)| *o < VariantOrder::Plain));
    }

    #[test]
    fn a_variant_tells_its_toolkit() {
        let (target, described) = (target(CAMP), described());
        let made_for = |label: &str| target.variant_made_for(described.features_of(label).unwrap());
        assert_eq!(made_for("nor41v3").unwrap().stated(), "nordglim 4.1");
        assert_eq!(made_for("v3"), None);
    }
}
