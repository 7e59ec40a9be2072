//! Accelerators of a machine, as its files tell of them (docs/house.md): drivers, toolkits,
//! devices. Where they stand is said by the families (`knowledge/accelerators.toml`); nothing is
//! run.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::knowledge::{Families, Family, Form, Number, Told, numbered_name};
use eutaxis_core::targets::{Accelerator, Accelerators, System};

use crate::root::{matching, start_of};

/// What was found of one family.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    /// Family, driver and generations of devices.
    pub accelerator: Accelerator,
    /// The newest toolkit that the driver runs fully, as far as that is known.
    pub highest_toolkit: Option<Number>,
    /// Toolkits that are installed.
    pub toolkits: Vec<Number>,
    /// Libraries that come with a toolkit or beside it and are installed, each with its newest version.
    pub libraries: Vec<(String, Number)>,
    /// Models of the devices, in words.
    pub models: Vec<String>,
    /// Why it cannot be used, if it cannot.
    pub unusable: Option<&'static str>,
}

impl Found {
    /// The libraries that are installed, each with its version.
    pub fn library_words(&self) -> Vec<String> {
        let words = |(name, version): &(String, Number)| format!("{name} {version}");
        self.libraries.iter().map(words).collect()
    }
}

/// What is there of each family, in their order; families of which nothing is there are left out.
pub fn find(root: &Path, families: &Families, system: System) -> Vec<Found> {
    families
        .iter()
        .filter_map(|family| of_family(root, family, system))
        .collect()
}

/// The accelerators of a machine as part of a target: those that can be used.
pub fn of_machine(root: &Path, families: &Arc<Families>, system: System) -> Accelerators {
    let found = find(root, families, system)
        .into_iter()
        .filter(|f| f.unusable.is_none());
    Accelerators {
        here: found.map(|f| f.accelerator).collect(),
        ..Accelerators::none(Arc::clone(families))
    }
}

fn of_family(root: &Path, family: &Arc<Family>, system: System) -> Option<Found> {
    let probe = &family.probe;
    let driver = probe.driver.iter().find_map(|place| driver_at(root, place));
    let present = probe
        .present
        .iter()
        .any(|pattern| !matching(root, pattern).is_empty());
    let mut toolkits: Vec<Number> = told(root, &probe.toolkits)
        .iter()
        .filter_map(|t| number_in(t))
        .map(undated)
        .collect();
    toolkits.sort();
    toolkits.dedup();
    let mut devices: Vec<String> = Vec::new();
    for place in &probe.generations {
        for text in told(root, std::slice::from_ref(place)) {
            devices.extend(generation(&text, place.form).filter(|d| !devices.contains(d)));
        }
    }
    let first_line = |text: &String| {
        text.lines()
            .next()
            .map(|l| l.trim().to_owned())
            .filter(|l| !l.is_empty())
    };
    let models: Vec<String> = told(root, &probe.models)
        .iter()
        .filter_map(first_line)
        .collect();
    // Where nothing tells generations, models do.
    if devices.is_empty() {
        for model in &models {
            let told = family.generation_of(model).map(str::to_owned);
            devices.extend(told.filter(|d| !devices.contains(d)));
        }
    }
    let libraries = installed(root, &probe.libraries);
    if driver.is_none() && !present && toolkits.is_empty() && libraries.is_empty() {
        return None;
    }
    let highest_toolkit = driver
        .as_ref()
        .and_then(|d| family.highest_toolkit(d, system))
        .cloned();
    let needs_driver = family.enough_driver_is_known(system);
    let unusable = match (present, &driver) {
        (true, Some(_)) => None,
        (true, None) if !needs_driver => None,
        (true, None) => Some("its driver's version is not told"),
        (false, Some(_)) => Some("a driver is there, and no device"),
        (false, None) if toolkits.is_empty() => {
            Some("libraries of it are installed, and there is neither driver nor device")
        }
        (false, None) => Some("a toolkit is installed, and there is neither driver nor device"),
    };
    let accelerator = Accelerator {
        family: Arc::clone(family),
        toolkit: None,
        driver,
        devices,
        is_required: false,
    };
    Some(Found {
        accelerator,
        highest_toolkit,
        toolkits,
        libraries,
        models,
        unusable,
    })
}

/// The driver that a place tells; where several files do, the newest.
fn driver_at(root: &Path, place: &Told) -> Option<Number> {
    let texts = told(root, std::slice::from_ref(place));
    match place.form {
        Form::Word | Form::Gfx => texts.iter().find_map(|text| number_in(text)),
        Form::LastFive => texts.iter().filter_map(|text| of_last_five(text)).max(),
    }
}

/// The driver's number within the version of a file, which has four parts (31.0.15.5161).
fn of_last_five(text: &str) -> Option<Number> {
    let plain = |c: char| c.is_ascii_digit() || c == '.';
    let mut words = text.split(|c| !plain(c));
    let version = words.find(|w| w.split('.').filter(|p| !p.is_empty()).count() == 4)?;
    let digits: String = version.split('.').skip(2).collect();
    let last = digits.get(digits.len().checked_sub(5)?..)?;
    let (major, minor) = last.split_at_checked(3)?;
    Number::parse(&format!("{major}.{minor}")).ok()
}

/// Libraries by the names of their files, each with the longest number that one of them ends with.
fn installed(root: &Path, patterns: &[String]) -> Vec<(String, Number)> {
    let mut found: Vec<(String, Number)> = Vec::new();
    for path in patterns.iter().flat_map(|pattern| matching(root, pattern)) {
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned());
        let Some((name, Some(number))) = name.as_deref().map(numbered_name) else {
            continue;
        };
        match found.iter_mut().find(|(n, _)| n == name) {
            Some((_, known)) if number.is_within(known) || number > *known => *known = number,
            Some(_) => {}
            None => found.push((name.to_owned(), number)),
        }
    }
    found.sort_by(|a, b| a.0.cmp(&b.0));
    found
}

/// What stands behind the words of each place, in each of its files; for a place with a key in
/// several lines each time.
fn told(root: &Path, places: &[Told]) -> Vec<String> {
    let mut found = Vec::new();
    for place in places {
        for path in matching(root, &place.file) {
            let text = text_of(&path);
            if place.after.is_empty() {
                found.push(text);
            } else {
                found.extend(text.split(place.after.as_str()).skip(1).map(str::to_owned));
            }
        }
    }
    found
}

/// The start of a text, which on Windows may be of 16-bit characters.
fn text_of(path: &Path) -> String {
    let text = start_of(path);
    match text.contains('\0') {
        true => text.replace(['\0', '\u{fffd}'], ""),
        false => text,
    }
}

/// The first number with a dot in a text.
fn number_in(text: &str) -> Option<Number> {
    let plain = |c: char| c.is_ascii_digit() || c == '.';
    let words = text.split(|c| !plain(c)).map(|w| w.trim_matches('.'));
    words
        .filter(|w| w.contains('.'))
        .find_map(|w| Number::parse(w).ok())
}

/// A toolkit's number without the date that some write as its third part.
fn undated(number: Number) -> Number {
    let text = number.to_string();
    match text.split('.').nth(2) {
        Some(third) if third.len() > 4 => number.shortened(2),
        Some(_) | None => number,
    }
}

fn generation(text: &str, form: Form) -> Option<String> {
    let word = text.split_whitespace().next()?;
    match form {
        Form::Word | Form::LastFive => Some(word.to_owned()),
        Form::Gfx => {
            let number: u32 = word.parse().ok().filter(|n| *n > 0)?;
            Some(format!(
                "gfx{}{:x}{:x}",
                number / 10_000,
                number / 100 % 100,
                number % 100
            ))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
toolkit = [{ version = "3.9", linux = "480.0" }, { version = "4.1", linux = "510.0" }]
[family.probe]
driver = [{ file = "proc/driver/nordglim/version", after = "driver" }]
present = ["dev/nordglim[0-9]*"]
generations = [{ file = "proc/driver/nordglim/devices/*", after = "generation:" }]
models = [{ file = "proc/driver/nordglim/devices/*", after = "model:" }]
toolkits = [{ file = "opt/nordglim*/version.txt", after = "" }]
"#;

    /// What is found under a root with these files.
    fn found(files: &[(&str, &str)]) -> Vec<String> {
        found_on("linux x86_64", files)
    }

    /// The same of a machine of this platform.
    fn found_on(platform: &str, files: &[(&str, &str)]) -> Vec<String> {
        let root = tempfile::tempdir().unwrap();
        for (path, text) in files {
            let path = root.path().join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        }
        let families = Arc::new(Families::built_in().with(NORDGLIM).unwrap());
        let system = eutaxis_core::Target::parse(&format!("cpython 3.11 / {platform}"))
            .unwrap()
            .platform
            .system;
        find(root.path(), &families, system)
            .iter()
            .map(|f| {
                let highest = f
                    .highest_toolkit
                    .as_ref()
                    .map_or("?".to_owned(), ToString::to_string);
                let toolkits: Vec<String> = f.toolkits.iter().map(ToString::to_string).collect();
                let unusable = f.unusable.map_or(String::new(), |u| format!(" ({u})"));
                let libraries = f.library_words();
                let gap = if libraries.is_empty() { "" } else { " " };
                format!(
                    "{} runs {highest} installed {toolkits:?} {:?}{gap}{}{unusable}",
                    f.accelerator,
                    f.models,
                    libraries.join(", ")
                )
            })
            .collect()
    }

    const DRIVER: (&str, &str) = (
        "proc/driver/nordglim/version",
        "nordglim kernel driver 498.2 built with 12.1.0",
    );
    const DEVICE: (&str, &str) = ("dev/nordglim0", "");

    #[rstest]
    #[case::nothing(&[], &[])]
    #[case::whole(
        &[DRIVER, DEVICE, ("proc/driver/nordglim/devices/0", "model: Aurora 20\ngeneration: \
            b3\n"), ("opt/nordglim-3.9/version.txt", "3.9")],
        &["nordglim driver 498.2 device b3 runs 3.9 installed [\"3.9\"] [\"Aurora 20\"]"])]
    #[case::exactly_at_the_limit(&[("proc/driver/nordglim/version", "driver \
        510.0"), DEVICE], &["nordglim driver 510.0 runs 4.1 installed [] []"])]
    #[case::too_old_for_all(&[("proc/driver/nordglim/version", "driver \
        400.1"), DEVICE], &["nordglim driver 400.1 runs ? installed [] []"])]
    #[case::no_device(&[DRIVER], &["nordglim driver 498.2 runs 3.9 installed [] [] (a driver is \
        there, and no device)"])]
    #[case::no_driver(&[("opt/nordglim/version.txt", "4.1.20260101"), ],
        &["nordglim runs ? installed [\"4.1\"] [] (a toolkit is installed, and there is neither \
            driver nor device)"])]
    #[case::driver_not_told(&[DEVICE], &["nordglim runs ? installed [] [] (its driver's version is \
        not told)"])]
    #[case::not_a_version(&[("proc/driver/nordglim/version", "driver: \
        unknown"), DEVICE], &["nordglim \
        runs ? installed [] [] (its driver's version is not told)"])]
    #[case::no_driver_version_at_all(
        &[("dev/kfd", ""), ("sys/class/kfd/kfd/topology/nodes/0/properties", "cpu_cores_count \
            16\ngfx_target_version 0\n"),
          ("sys/class/kfd/kfd/topology/nodes/1/properties", "simd_count 240\ngfx_target_version \
              90010\n"), ("opt/rocm-6.0.2/.info/version", "6.0.2-115\n")],
        &["rocm device gfx90a runs ? installed [\"6.0.2\"] []"])]
    #[case::two_families(&[DRIVER, DEVICE, ("dev/kfd", "")], &["rocm runs ? installed [] \
        []", "nordglim driver 498.2 runs 3.9 installed [] []"])]
    fn machines_are_read(#[case] files: &[(&str, &str)], #[case] expected: &[&str]) {
        assert_eq!(found(files), expected);
    }

    /// What real drivers write: the cases stand beside the facts.
    #[test]
    fn real_drivers_are_read() {
        #[derive(serde::Deserialize)]
        struct Checks {
            machine: Vec<Case>,
            model: Vec<Model>,
        }
        #[derive(serde::Deserialize)]
        struct Model {
            name: String,
            device: Option<String>,
        }
        #[derive(serde::Deserialize)]
        struct Case {
            files: std::collections::BTreeMap<String, String>,
            found: String,
            system: Option<String>,
        }
        let checks: Checks =
            toml::from_str(include_str!("../../../../knowledge/checks.toml")).unwrap();
        assert!(checks.machine.len() > 2 && checks.model.len() > 5);
        let families = Families::built_in();
        for model in checks.model {
            let told = families.iter().find_map(|f| f.generation_of(&model.name));
            assert_eq!(told, model.device.as_deref(), "{}", model.name);
        }
        for case in checks.machine {
            let files: Vec<(&str, &str)> = case
                .files
                .iter()
                .map(|(p, t)| (p.as_str(), t.as_str()))
                .collect();
            let platform = match case.system.as_deref() {
                Some("windows") => "windows amd64",
                Some("macos") => "macos x86_64 10.13",
                _ => "linux x86_64",
            };
            assert_eq!(found_on(platform, &files), [case.found]);
        }
    }

    #[rstest]
    #[case(" = 02/15/2026, 31.0.15.5161", Some("551.61"))]
    #[case("=01/02/2025,27.21.14.5671", Some("456.71"))]
    #[case(" 32.0.15.6094", Some("560.94"))]
    #[case(" 1.2.3", None)]
    #[case(" 1.2.3.4", None)]
    #[case("", None)]
    fn drivers_of_windows_are_decoded(#[case] text: &str, #[case] expected: Option<&str>) {
        let told = of_last_five(text).map(|n| n.to_string());
        assert_eq!(told.as_deref(), expected);
    }

    #[rstest]
    #[case("90010", Some("gfx90a"))]
    #[case("90402", Some("gfx942"))]
    #[case("110000", Some("gfx1100"))]
    #[case("100300", Some("gfx1030"))]
    #[case("0", None)]
    fn generations_are_decoded(#[case] number: &str, #[case] expected: Option<&str>) {
        assert_eq!(generation(number, Form::Gfx).as_deref(), expected);
    }

    #[test]
    fn only_what_can_be_used_is_part_of_the_target() {
        let root = tempfile::tempdir().unwrap();
        let families = Arc::new(Families::built_in().with(NORDGLIM).unwrap());
        let linux = eutaxis_core::Target::parse("cpython 3.11 / linux x86_64")
            .unwrap()
            .platform
            .system;
        std::fs::create_dir_all(root.path().join("proc/driver/nordglim")).unwrap();
        std::fs::write(root.path().join(DRIVER.0), DRIVER.1).unwrap();
        assert!(of_machine(root.path(), &families, linux).is_empty());
        std::fs::create_dir_all(root.path().join("dev")).unwrap();
        std::fs::write(root.path().join(DEVICE.0), "").unwrap();
        assert_eq!(of_machine(root.path(), &families, linux).here.len(), 1);
    }
}
