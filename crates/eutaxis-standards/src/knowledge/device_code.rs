//! Code for devices in compiled files: of which family it is, and on which generations of its devices
//! it runs (`knowledge/accelerators.toml`; conventions, not a standard).

use std::fmt;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::accelerators::{Families, Family, Number};

/// What a compiled file carries for devices.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct CodeImage {
    /// The section in which it stands.
    pub section: String,
    /// What kind of code it is.
    pub kind: CodeKind,
    /// The generation of devices, as it is written there: `80`, `gfx90a`.
    pub name: String,
}

/// A kind of code for devices.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum CodeKind {
    /// What devices of a generation run.
    Machine,
    /// What the driver compiles for devices of a generation and of all later ones.
    Intermediate,
    /// Something that cannot be looked into.
    Packed,
}

/// How code of a family is told.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct CodeForm {
    /// The sections in which it stands.
    sections: Vec<String>,
    /// How a number is the name of a generation, with `{major}` and `{minor}` (its last digit) or
    /// `{number}`; none where names are written as they are.
    name: Option<String>,
    /// Code for X.y runs on X.z with z >= y.
    #[serde(default)]
    later_minor: bool,
}

impl CodeForm {
    fn name_of(&self, written: &str) -> String {
        let Some(form) = &self.name else {
            return written.to_owned();
        };
        let at = written.len().saturating_sub(1);
        let (major, minor) = written.split_at_checked(at).unwrap_or((written, ""));
        let name = form.replace("{number}", written);
        name.replace("{major}", major).replace("{minor}", minor)
    }
}

/// The generations of a family for which compiled files hold code.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DeviceCode {
    /// The family.
    pub family: Arc<Family>,
    /// Generations whose devices run it.
    pub machine: Vec<String>,
    /// Generations from which on the driver compiles it.
    pub intermediate: Vec<String>,
    /// All of it could be looked into.
    pub is_whole: bool,
}

impl DeviceCode {
    /// Whether devices of a generation run it; none when nobody knows.
    pub fn runs_on(&self, device: &str) -> Option<bool> {
        let machine = self.machine.iter().any(|m| self.same(m, device));
        if machine {
            return Some(true);
        }
        let number = number_of(device);
        let is_from = |from: &String| Some(number_of(from)? <= *number.as_ref()?);
        let mut compiled = self.intermediate.iter().map(is_from);
        if compiled.any(|c| c != Some(false)) {
            return number.map(|_| true);
        }
        self.is_whole.then_some(false)
    }

    /// Whether a device runs machine code for a generation.
    fn same(&self, machine: &str, device: &str) -> bool {
        if machine.eq_ignore_ascii_case(device) {
            return true;
        }
        // `gfx10-3-generic`: for all whose name begins so.
        if let Some(of_all) = machine.strip_suffix("-generic") {
            return device.starts_with(&of_all.replace('-', ""));
        }
        let later = self.family.code().is_some_and(|c| c.later_minor);
        let (Some(machine), Some(device)) = (number_of(machine), number_of(device)) else {
            return false;
        };
        later && machine.major() == device.major() && machine <= device
    }
}

impl fmt::Display for DeviceCode {
    /// `for 7.0, 8.0, and intermediate code from 8.0 on`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.machine.as_slice() {
            [] => f.write_str("none for a generation")?,
            names => write!(f, "for {}", names.join(", "))?,
        }
        let oldest = self.intermediate.iter().min_by_key(|n| number_of(n));
        match oldest {
            Some(oldest) => write!(f, ", and intermediate code from {oldest} on"),
            None => f.write_str(", and no intermediate code"),
        }
    }
}

/// The number in a generation's name: `8.0`, that of `b4` is 4.
fn number_of(name: &str) -> Option<Number> {
    let digits = name.trim_start_matches(|c: char| c.is_ascii_alphabetic());
    Number::parse(digits).ok()
}

impl Families {
    /// What of the code that compiled files carry belongs to which family; each with the path of its
    /// file. What a toolkit's own libraries carry says nothing of those who bring them.
    pub fn device_code<'a>(
        &self,
        images: impl Iterator<Item = (&'a str, &'a CodeImage)>,
    ) -> Vec<DeviceCode> {
        let is_own = |path: &str| self.has_library(path.rsplit('/').next().unwrap_or(path));
        let others = images.filter(|(path, _)| !is_own(path));
        let images: Vec<&CodeImage> = others.map(|(_, image)| image).collect();
        let of = |family: &Arc<Family>| {
            let form = family.code()?;
            let mine = images.iter().filter(|i| form.sections.contains(&i.section));
            let mut code = DeviceCode {
                family: Arc::clone(family),
                machine: Vec::new(),
                intermediate: Vec::new(),
                is_whole: true,
            };
            for image in mine {
                let name = form.name_of(&image.name);
                match image.kind {
                    CodeKind::Machine => code.machine.push(name),
                    CodeKind::Intermediate => code.intermediate.push(name),
                    CodeKind::Packed => code.is_whole = false,
                }
            }
            for names in [&mut code.machine, &mut code.intermediate] {
                names.sort_by_key(|n| (number_of(n), n.clone()));
                names.dedup();
            }
            let any = !code.machine.is_empty() || !code.intermediate.is_empty();
            any.then_some(code)
        };
        self.iter().filter_map(of).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const FAMILIES: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
companions = ["libnorfft"]
code = { sections = [".nor_fatbin"], name = "{major}.{minor}", later_minor = true }
toolkit = []

[[family]]
name = "polgleam"
label = { before = "pol", number = "digits" }
code = { sections = [".pol_fatbin"] }
toolkit = []
"#;

    /// `SECTION KIND NAME` of each image.
    fn code(lines: &[&str]) -> Vec<DeviceCode> {
        let image = |line: &&str| {
            let words: Vec<&str> = line.split(' ').collect();
            CodeImage {
                section: words[0].to_owned(),
                kind: match words[1] {
                    "code" => CodeKind::Machine,
                    "text" => CodeKind::Intermediate,
                    _ => CodeKind::Packed,
                },
                name: words[2].to_owned(),
            }
        };
        let images: Vec<CodeImage> = lines.iter().map(image).collect();
        let families = Families::default().with(FAMILIES).unwrap();
        families.device_code(images.iter().map(|image| ("camp/_core.so", image)))
    }

    #[rstest]
    #[case::its_own(&[".nor_fatbin code 80"], "8.0", Some(true))]
    #[case::a_later_minor(&[".nor_fatbin code 80"], "8.6", Some(true))]
    #[case::an_earlier_minor(&[".nor_fatbin code 86"], "8.0", Some(false))]
    #[case::a_later_major(&[".nor_fatbin code 90"], "10.0", Some(false))]
    #[case::of_two_digits(&[".nor_fatbin code 120"], "12.0", Some(true))]
    #[case::compiled(&[".nor_fatbin code 70", ".nor_fatbin text 80"], "10.0", Some(true))]
    #[case::compiled_for_later_ones(&[".nor_fatbin code 70", ".nor_fatbin text 90"], "8.0", Some(false))]
    #[case::unknown(&[".nor_fatbin code 70", ".nor_fatbin text 80"], "?", None)]
    #[case::packed(&[".nor_fatbin code 70", ".nor_fatbin packed -"], "9.0", None)]
    #[case::packed_and_its_own(&[".nor_fatbin code 90", ".nor_fatbin packed -"], "9.0", Some(true))]
    #[case::by_words(&[".pol_fatbin code gfx90a"], "gfx90a", Some(true))]
    #[case::another_word(&[".pol_fatbin code gfx908"], "gfx90a", Some(false))]
    #[case::of_a_kind(&[".pol_fatbin code gfx10-3-generic"], "gfx1030", Some(true))]
    #[case::of_another_kind(&[".pol_fatbin code gfx11-generic"], "gfx1030", Some(false))]
    fn code_runs_on_some_devices(
        #[case] lines: &[&str],
        #[case] device: &str,
        #[case] expected: Option<bool>,
    ) {
        let all = code(lines);
        assert_eq!(all.len(), 1);
        assert_eq!(all[0].runs_on(device), expected);
    }

    #[rstest]
    #[case(&[".nor_fatbin code 80", ".nor_fatbin code 70", ".nor_fatbin text 80", ".nor_fatbin code 100"],
        "for 7.0, 8.0, 10.0, and intermediate code from 8.0 on")]
    #[case(&[".pol_fatbin code gfx908"], "for gfx908, and no intermediate code")]
    #[case(&[".nor_fatbin text 80"], "none for a generation, and intermediate code from 8.0 on")]
    fn code_is_told_in_words(#[case] lines: &[&str], #[case] expected: &str) {
        assert_eq!(code(lines)[0].to_string(), expected);
    }

    #[test]
    fn what_the_toolkits_own_libraries_hold_says_nothing() {
        let families = Families::default().with(FAMILIES).unwrap();
        let image = CodeImage {
            section: ".nor_fatbin".to_owned(),
            kind: CodeKind::Machine,
            name: "80".to_owned(),
        };
        let of = |path| families.device_code([(path, &image)].into_iter()).len();
        assert_eq!(of("camp.libs/libnorfft-1a2b3c4d.so.4"), 0);
        assert_eq!(of("camp/libcamp.so"), 1);
    }

    #[test]
    fn sections_of_others_are_nobodys() {
        assert!(code(&[".other_fatbin code 80"]).is_empty());
    }
}
