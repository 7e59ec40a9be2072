//! What of a lock file is to be placed on a target (PEP 751, installation). Nothing is resolved.

use super::lock::{Lock, LockFile, Package};
use crate::artifact::{NULL_LABEL, WheelName};
use crate::fault::{Fault, FaultKind};
use crate::marker::Marker;
use crate::name::Name;
use crate::targets::Target;
use crate::version::{Version, VersionSpecifier};

/// Which optional parts of the file are asked for.
#[derive(Debug, Clone, Default)]
pub struct Selection {
    /// Extras.
    pub extras: Vec<Name>,
    /// Groups; none stands for the file's default groups.
    pub groups: Option<Vec<Name>>,
}

/// An entry to be placed, with its file.
#[derive(Debug, Clone)]
pub struct Selected<'a> {
    /// The entry.
    pub package: &'a Package,
    /// The wheel to place; none when only source is there.
    pub wheel: Option<(&'a LockFile, WheelName)>,
}

/// Chooses the entries that count on the target, and the best wheel of each.
///
/// # Errors
/// When the file is not for this target, an entry has no file for it, entries exclude each other,
/// or something in the file cannot be read.
pub fn select<'a>(
    lock: &'a Lock,
    target: &Target,
    asked: &Selection,
) -> Result<Vec<Selected<'a>>, Fault> {
    let names = |texts: &[String]| {
        texts
            .iter()
            .map(|t| Name::parse(t))
            .collect::<Result<Vec<_>, _>>()
    };
    let (extras, known_groups) = (names(&lock.extras)?, names(&lock.dependency_groups)?);
    let groups = match &asked.groups {
        Some(groups) => groups.clone(),
        None => names(&lock.default_groups)?,
    };
    ensure_offered("extra", &asked.extras, &extras)?;
    ensure_offered(
        "group",
        asked.groups.as_deref().unwrap_or(&[]),
        &known_groups,
    )?;
    ensure_python(lock.requires_python.as_deref(), target, "these pins")?;
    ensure_environment(lock, target, &asked.extras, &groups)?;
    let mut found: Vec<Selected<'a>> = Vec::new();
    for package in &lock.packages {
        if let Some(text) = &package.marker {
            let marker = Marker::parse(text)
                .map_err(|f| f.within(format_args!("marker of {}", package.name)))?;
            if !marker.holds_in_lock(&target.markers, &asked.extras, &groups) {
                continue;
            }
        }
        ensure_python(
            package.requires_python.as_deref(),
            target,
            package.name.as_str(),
        )?;
        if found.iter().any(|s| s.package.name == package.name) {
            return Err(Fault::of(
                FaultKind::Contradiction,
                format!(
                    "two entries of {} count on this target: the pins are ambiguous",
                    package.name
                ),
                0,
            ));
        }
        found.push(Selected {
            package,
            wheel: wheel_for(package, target)?,
        });
    }
    Ok(found)
}

fn ensure_offered(what: &str, asked: &[Name], offered: &[Name]) -> Result<(), Fault> {
    match asked.iter().find(|a| !offered.contains(a)) {
        Some(absent) => Err(Fault::of(
            FaultKind::Absent,
            format!("these pins offer no {what} `{absent}`"),
            0,
        )),
        None => Ok(()),
    }
}

fn ensure_python(text: Option<&str>, target: &Target, what: &str) -> Result<(), Fault> {
    let Some(text) = text else { return Ok(()) };
    let set = VersionSpecifier::parse_lenient(text).map_err(|f| f.within("requires-python"))?;
    if set.matches(&target.interpreter.version) {
        return Ok(());
    }
    let fault = Fault::of(
        FaultKind::Other,
        format!("{what} need Python {text}; this is {}", target.interpreter),
        0,
    );
    Err(fault.hint("settle again for this target, or name the interpreter with --interpreter"))
}

fn ensure_environment(
    lock: &Lock,
    target: &Target,
    extras: &[Name],
    groups: &[Name],
) -> Result<(), Fault> {
    if lock.environments.is_empty() {
        return Ok(());
    }
    for text in &lock.environments {
        let marker = Marker::parse(text).map_err(|f| f.within("environments"))?;
        if marker.holds_in_lock(&target.markers, extras, groups) {
            return Ok(());
        }
    }
    let places = match lock.environments.as_slice() {
        [one] => format!("{one}, not for {target}"),
        several => format!("{} places, and {target} is none of them", several.len()),
    };
    let fault = Fault::of(FaultKind::Other, format!("these pins are for {places}"), 0);
    Err(fault.hint("settle again for this target"))
}

/// The wheel of an entry that counts on a target: the one with the best tags; none where only source
/// is pinned for it.
///
/// # Errors
/// When there are wheels and none is for the target, or one is named as another release.
pub fn wheel_for<'a>(
    package: &'a Package,
    target: &Target,
) -> Result<Option<(&'a LockFile, WheelName)>, Fault> {
    let mut best = None;
    let mut tags = Vec::new();
    let archive = package.archive.as_ref().map(|a| &a.file);
    let is_wheel = |f: &&LockFile| f.filename().is_some_and(|n| n.ends_with(".whl"));
    for file in package.wheels.iter().chain(archive.filter(is_wheel)) {
        let filename = file.filename().unwrap_or_default();
        let name = WheelName::parse(&filename)
            .map_err(|f| f.within(format_args!("a wheel of {}", package.name)))?;
        let stated = package.version.as_deref().map(Version::parse).transpose()?;
        if name.name != package.name || stated.is_some_and(|v| v != name.version) {
            return Err(Fault::of(
                FaultKind::Other,
                format!(
                    "{} names the wheel {filename}, which is another release",
                    package.name
                ),
                0,
            ));
        }
        match target.rank(&name.tags) {
            Some(rank) => {
                // Which of several variants is for the target nobody can tell from the pins.
                let variant = name.variant.as_deref();
                let is_refined = variant.is_some_and(|label| label != NULL_LABEL);
                let build = std::cmp::Reverse(name.build.clone());
                let key = (rank, is_refined, build, filename);
                if best.as_ref().is_none_or(|(k, _, _)| key < *k) {
                    best = Some((key, file, name));
                }
            }
            None => tags.push(name.tags.to_string()),
        }
    }
    if best.is_none() && package.sdist.is_none() && !tags.is_empty() {
        let message = format!(
            "{} has no wheel for {target}: pinned are {}",
            package.name,
            tags.join(", ")
        );
        return Err(Fault::new(message, 0).hint("settle again for this target"));
    }
    Ok(best.map(|(_, file, name)| (file, name)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const LOCK: &str = r#"
lock-version = "1.0"
environments = ["sys_platform == 'linux' and platform_machine == 'x86_64'", "sys_platform == 'win32'"]
requires-python = ">=3.10,<3.14"
extras = ["fast-io"]
dependency-groups = ["test"]
default-groups = ["base"]
created-by = "x"
[[packages]]
name = "snowpit"
version = "8.1"
marker = "'test' in dependency_groups"
wheels = [{url = "https://files.example/snowpit-8.1-py3-none-any.whl", hashes = {sha256 = "a"}}]
[[packages]]
name = "frostgrid"
version = "2.1+nor41"
marker = "sys_platform == 'linux'"
wheels = [{url = "https://files.example/frostgrid-2.1%2Bnor41-cp311-cp311-manylinux_2_28_x86_64.whl", hashes = {sha256 = "a"}}]
[[packages]]
name = "frostgrid"
version = "2.1"
marker = "sys_platform == 'win32'"
sdist = {path = "frostgrid-2.1.tar.gz", hashes = {sha256 = "a"}}
[[packages]]
name = "wirepack"
version = "1.4"
marker = "'fast-io' in extras"
wheels = [{path = "w/wirepack-1.4-py3-none-any.whl", hashes = {sha256 = "a"}}]
"#;

    fn chosen(text: &str, spec: &str, asked: &Selection) -> Result<Vec<String>, String> {
        let lock = Lock::parse(text).unwrap();
        let found =
            select(&lock, &Target::parse(spec).unwrap(), asked).map_err(|f| f.to_string())?;
        Ok(found
            .iter()
            .map(|s| {
                format!(
                    "{}{}",
                    s.package.name,
                    if s.wheel.is_some() { "" } else { " source" }
                )
            })
            .collect())
    }

    #[test]
    fn entries_that_count_are_chosen() {
        let linux = "cpython 3.11 / linux x86_64 glibc 2.35";
        assert_eq!(
            chosen(LOCK, linux, &Selection::default()).unwrap(),
            ["frostgrid"]
        );
        let names = |n: &str| vec![Name::parse(n).unwrap()];
        let all = Selection {
            extras: names("Fast_IO"),
            groups: Some(names("test")),
        };
        assert_eq!(
            chosen(LOCK, linux, &all).unwrap(),
            ["snowpit", "frostgrid", "wirepack"]
        );
        assert_eq!(
            chosen(LOCK, "cpython 3.12 / windows x86_64", &Selection::default()).unwrap(),
            ["frostgrid source"]
        );
    }

    #[rstest]
    #[case("cpython 3.11 / linux aarch64 glibc 2.35", "these pins are for")]
    #[case("cpython 3.12 / linux x86_64 glibc 2.35", "no wheel for")]
    #[case("cpython 3.11 / linux x86_64 glibc 2.17", "no wheel for")]
    #[case("cpython 3.9 / linux x86_64 glibc 2.35", "need Python >=3.10,<3.14")]
    fn other_targets_are_refused(#[case] spec: &str, #[case] part: &str) {
        let error = chosen(LOCK, spec, &Selection::default()).unwrap_err();
        assert!(error.contains(part), "{error}");
    }

    #[test]
    fn ambiguous_and_unknown_parts_are_refused() {
        let linux = "cpython 3.11 / linux x86_64 glibc 2.35";
        let double = LOCK.replace("marker = \"sys_platform == 'win32'\"\n", "");
        assert!(
            chosen(&double, linux, &Selection::default())
                .unwrap_err()
                .contains("ambiguous")
        );
        let asked = Selection {
            extras: vec![Name::parse("slow").unwrap()],
            groups: None,
        };
        assert!(
            chosen(LOCK, linux, &asked)
                .unwrap_err()
                .contains("no extra `slow`")
        );
        let lying = LOCK.replace("w/wirepack-1.4", "w/wirepack-1.5");
        let asked = Selection {
            extras: vec![Name::parse("fast-io").unwrap()],
            groups: None,
        };
        assert!(
            chosen(&lying, linux, &asked)
                .unwrap_err()
                .contains("another release")
        );
    }
}
