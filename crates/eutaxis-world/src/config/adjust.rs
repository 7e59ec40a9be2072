//! `[[adjust]]`: a known fact that the metadata does not say, or says wrongly.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::document::{Document, Placed, Table};
use eutaxis_core::fault::{Fault, Origin};
use eutaxis_core::knowledge::Families;
use eutaxis_core::offer::{Adjustment, Effect};
use eutaxis_core::{Marker, Name, Requirement, VersionSpecifier};

/// Reads the facts of a file that several projects share: entries as in the settings, each with the
/// day on which it was found and with what it rests on.
///
/// # Errors
/// When an entry says nothing, or not when and how it was found.
pub(super) fn read_facts(
    text: &str,
    path: &Path,
    families: &Arc<Families>,
) -> Result<Vec<Adjustment>, Fault> {
    let document = Document::parse(text)?;
    let root = document.root();
    root.ensure_known(&["fact"])?;
    let mut facts = Vec::new();
    for entry in root.tables("fact")? {
        let stated = |key: &str| {
            let missing = || entry.fault(format_args!("`{key}` is missing"));
            entry.string(key)?.ok_or_else(missing)
        };
        let date = stated("date")?;
        let day = date.value.parse::<jiff::civil::Date>();
        day.map_err(|_| Fault::new("`date` is a day, as 2026-05-01", date.at))?;
        let evidence = stated("evidence")?;
        if !["solved", "read", "ran"].contains(&evidence.value) {
            let known = "`evidence` is one of solved, read, ran";
            return Err(Fault::new(known, evidence.at));
        }
        let (day, how) = (date.value, evidence.value);
        let mut fact = read(&entry, text, path, families)?;
        fact.because = format!("{} ({how}, {day})", fact.because);
        facts.push(fact);
    }
    Ok(facts)
}

/// Two of them that cannot both hold, by their places in the list.
pub(super) fn contradiction(all: &[Adjustment]) -> Option<(&Adjustment, &Adjustment)> {
    let overlap = |a: &Adjustment, b: &Adjustment| {
        let exact = |s: &VersionSpecifier| s.clauses().first().and_then(|c| c.version().cloned());
        let takes = |s: &Adjustment, v: Option<eutaxis_core::Version>| {
            v.is_some_and(|v| s.versions.matches(&v))
        };
        a.versions == b.versions
            || a.versions.is_empty()
            || b.versions.is_empty()
            || takes(a, exact(&b.versions).filter(|v| b.versions.pins(v)))
            || takes(b, exact(&a.versions).filter(|v| a.versions.pins(v)))
    };
    let against = |a: &Effect, b: &Effect| match (a, b) {
        (Effect::Needs(a), Effect::Needs(b)) => a.name == b.name && a != b,
        (Effect::NeedsOnly(a), Effect::NeedsOnly(b)) => a != b,
        (Effect::MadeFor(a), Effect::MadeFor(b)) => a.stated() != b.stated(),
        (Effect::Avoid, Effect::Take) | (Effect::Take, Effect::Avoid) => true,
        _ => false,
    };
    for (at, one) in all.iter().enumerate() {
        let others = all.iter().skip(at + 1);
        let mut others = others.filter(|o| o.project == one.project && o.when == one.when);
        if let Some(other) = others.find(|o| against(&one.effect, &o.effect) && overlap(one, o)) {
            return Some((one, other));
        }
    }
    None
}

/// Reads one entry of a settings file.
pub(super) fn read(
    entry: &Table<'_>,
    text: &str,
    path: &Path,
    families: &Arc<Families>,
) -> Result<Adjustment, Fault> {
    entry.ensure_known(&[
        "project",
        "versions",
        "when",
        "needs",
        "avoid",
        "take",
        "accelerator",
        "because",
        "fails-to-build",
        "date",
        "evidence",
    ])?;
    let stated = |key: &str| {
        entry
            .string(key)?
            .ok_or_else(|| entry.fault(format_args!("`{key}` is missing")))
    };
    let project = parsed(stated("project")?, Name::parse)?;
    let because = stated("because")?.value.to_owned();
    let versions = entry
        .string("versions")?
        .map(|t| parsed(t, VersionSpecifier::parse))
        .transpose()?
        .unwrap_or_default();
    let when = entry
        .string("when")?
        .map(|t| parsed(t, Marker::parse))
        .transpose()?;
    let avoid = entry.boolean("avoid")?.unwrap_or(false);
    let take = entry.boolean("take")?.unwrap_or(false);
    // A text replaces what they say of one project, a list all that they say.
    let mut needs = None;
    let mut only = None;
    match entry.get("needs") {
        Some(value) if value.is_string() => {
            needs = Some(parsed(value.string()?, Requirement::parse)?)
        }
        Some(value) => {
            let items = value.items()?;
            let needs = items
                .iter()
                .map(|item| parsed(item.string()?, Requirement::parse));
            only = Some(needs.collect::<Result<Vec<_>, Fault>>()?);
        }
        None => {}
    }
    if entry.boolean("fails-to-build")?.unwrap_or(false) {
        let alone = needs.is_none() && only.is_none() && !avoid && !take;
        if !alone || entry.string("accelerator")?.is_some() {
            return Err(entry.fault("`fails-to-build` stands alone"));
        }
    }
    let effect = match (needs, only, entry.string("accelerator")?, avoid, take) {
        (None, None, None, false, false) if entry.boolean("fails-to-build")?.unwrap_or(false) => {
            Effect::FailsToBuild
        }
        (Some(needs), None, None, false, false) => Effect::Needs(needs),
        (None, Some(only), None, false, false) => Effect::NeedsOnly(only),
        (None, None, Some(text), false, false) => {
            Effect::MadeFor(parsed(text, |t| families.made_for(t))?)
        }
        (None, None, None, true, false) => Effect::Avoid,
        (None, None, None, false, true) => Effect::Take,
        _ => {
            let one = "an adjustment has one of `needs`, `avoid = true`, `take = true`, `fails-to-build = true` \
                    and `accelerator`";
            return Err(entry.fault(one));
        }
    };
    let line = text
        .get(..entry.offset())
        .map_or(1, |before| before.matches('\n').count() + 1);
    let shown = path.file_name().map_or_else(
        || path.display().to_string(),
        |n| n.to_string_lossy().into_owned(),
    );
    let origin = Origin::line(&shown, u32::try_from(line).unwrap_or(u32::MAX));
    Ok(Adjustment {
        project,
        versions,
        when,
        effect,
        because,
        origin,
        learnt: None,
    })
}

fn parsed<T>(text: Placed<&str>, parse: impl Fn(&str) -> Result<T, Fault>) -> Result<T, Fault> {
    parse(text.value).map_err(|f| f.shifted(text.at))
}

#[cfg(test)]
mod tests {
    use super::super::Config;
    use super::*;

    #[test]
    fn needs_are_one_that_is_replaced_or_all_of_them() {
        let effect = |line: &str| {
            let folder = tempfile::tempdir().unwrap();
            let text = format!("[[adjust]]\nproject = 'sastrugi'\nbecause = 'seen'\n{line}\n");
            std::fs::write(folder.path().join("eutaxis.toml"), text).unwrap();
            Config::load(folder.path(), None)
                .map(|c| c.adjustments[0].effect.clone())
                .map_err(|e| e.message)
        };
        assert_eq!(effect("needs = []"), Ok(Effect::NeedsOnly(Vec::new())));
        assert!(matches!(effect("needs = ['firnio>=1', \
                'katabat']"), Ok(Effect::NeedsOnly(all)) if all.len() == 2));
        assert_eq!(effect("take = true"), Ok(Effect::Take));
        assert!(effect("needs = ['two words']").is_err());
        assert!(
            effect("needs = []\ntake = true")
                .unwrap_err()
                .contains("has one of")
        );
    }

    #[test]
    fn an_entry_says_what_and_why() {
        let folder = tempfile::tempdir().unwrap();
        let text = "\n[[adjust]]\nproject = 'Sas.trugi'\nversions = '<0.9'\nwhen = \"sys_platform \
            == 'win32'\"\nneeds = 'frostgrid >=1.9,<2'\nbecause = 'seen'\n";
        std::fs::write(folder.path().join("eutaxis.toml"), text).unwrap();
        let config = Config::load(folder.path(), None).unwrap();
        let adjustment = config.adjustments.first().unwrap();
        assert_eq!(
            (adjustment.project.as_str(), adjustment.because.as_str()),
            ("sas-trugi", "seen")
        );
        assert_eq!(adjustment.origin.to_string(), "eutaxis.toml:2");
        assert!(
            matches!(&adjustment.effect, Effect::Needs(r) if r.to_string() == "frostgrid>=1.9,<2")
        );
    }
}
