//! `[[adjust]]`: a known fact that the metadata does not say, or says wrongly.

use std::path::Path;
use std::sync::Arc;

use eutaxis_core::document::{Placed, Table};
use eutaxis_core::fault::{Fault, Origin};
use eutaxis_core::knowledge::Families;
use eutaxis_core::offer::{Adjustment, Effect};
use eutaxis_core::{Marker, Name, Requirement, VersionSpecifier};

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
    let effect = match (needs, only, entry.string("accelerator")?, avoid, take) {
        (Some(needs), None, None, false, false) => Effect::Needs(needs),
        (None, Some(only), None, false, false) => Effect::NeedsOnly(only),
        (None, None, Some(text), false, false) => {
            Effect::MadeFor(parsed(text, |t| families.made_for(t))?)
        }
        (None, None, None, true, false) => Effect::Avoid,
        (None, None, None, false, true) => Effect::Take,
        _ => {
            let one =
                "an adjustment has one of `needs`, `avoid = true`, `take = true` and `accelerator`";
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
