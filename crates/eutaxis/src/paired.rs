//! Which environment goes with which pins where neither is named: `pylock.toml` with `.venv`,
//! `pylock.NAME.toml` (PEP 751) with `.venv-NAME`.

use std::path::{Path, PathBuf};

use crate::typed;
use crate::words::near;

/// The NAME of `pylock.NAME.toml`.
pub(crate) fn name_of(pins: &Path) -> Option<String> {
    let file = pins.file_name()?.to_str()?;
    let name = file.strip_prefix("pylock.")?.strip_suffix(".toml")?;
    (!name.is_empty()).then(|| name.to_owned())
}

/// The pins of a name, in a folder.
pub(crate) fn pins_named(name: &str) -> String {
    format!("pylock.{name}.toml")
}

/// The environment that pins are furnished in, in this folder.
pub(crate) fn environment_of(pins: &Path) -> PathBuf {
    match name_of(pins) {
        Some(name) => environment_named(&name),
        None => PathBuf::from(".venv"),
    }
}

/// The environment of a name, in this folder.
pub(crate) fn environment_named(name: &str) -> PathBuf {
    PathBuf::from(format!(".venv-{name}"))
}

/// The pins beside an environment.
pub(crate) fn pins_of(environment: &Path) -> PathBuf {
    let name = environment.file_name().and_then(|n| n.to_str());
    match name.and_then(|n| n.strip_prefix(".venv-")) {
        Some(name) => environment.with_file_name(pins_named(name)),
        None => environment.with_file_name("pylock.toml"),
    }
}

/// The words behind the program's name that ask the question of pins once more.
pub(crate) fn settle_again(pins: &Path, options: &[&str]) -> Vec<String> {
    let mut words = vec!["settle".to_owned()];
    words.extend(options.iter().map(|o| (*o).to_owned()));
    if near(pins) != "pylock.toml" {
        words.extend(["--out".to_owned(), near(pins)]);
    }
    words
}

/// The same as a line.
pub(crate) fn settle_again_line(pins: &Path, options: &[&str]) -> String {
    format!("eutaxis{}", typed::line(&settle_again(pins, options)))
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("pylock.toml", ".venv")]
    #[case("pylock.night.toml", ".venv-night")]
    fn each_is_the_other_ones(#[case] pins: &str, #[case] environment: &str) {
        assert_eq!(environment_of(Path::new(pins)), Path::new(environment));
        assert_eq!(pins_of(Path::new(environment)), Path::new(pins));
        let far = Path::new("camp").join(environment);
        assert_eq!(pins_of(&far), Path::new("camp").join(pins));
    }

    #[rstest]
    #[case("pylock..toml")]
    #[case("kit.toml")]
    fn other_names_are_furnished_in_the_usual_place(#[case] pins: &str) {
        assert_eq!(environment_of(Path::new(pins)), Path::new(".venv"));
    }
}
