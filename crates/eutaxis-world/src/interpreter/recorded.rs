//! What an environment records of its interpreter, in `pyvenv.cfg` (PEP 405).

use std::fs;
use std::path::{Path, PathBuf};

use super::environment_python;

/// What it records.
pub(crate) struct Recorded {
    /// The version of its interpreter.
    pub(crate) version: Option<String>,
    /// The folder of its base interpreter, as it stands there.
    pub(crate) home: Option<PathBuf>,
    /// Its base interpreter: what its own leads to, or should.
    pub(crate) base: Option<PathBuf>,
}

/// Reads what an environment records.
pub(crate) fn recorded(root: &Path) -> Recorded {
    let text = fs::read_to_string(root.join("pyvenv.cfg")).unwrap_or_default();
    let version = config_value(&text, "version").or_else(|| config_value(&text, "version_info"));
    let version = version.map(|v| v.trim_end_matches(".final.0").to_owned());
    let home = config_value(&text, "home").map(PathBuf::from);
    let base = fs::canonicalize(environment_python(root))
        .ok()
        .filter(|p| !p.starts_with(root))
        .or_else(|| {
            let name = version
                .as_deref()
                .and_then(|v| v.rsplit_once('.'))
                .map_or("", |(series, _)| series);
            home.as_ref().map(|h| h.join(format!("python{name}")))
        });
    Recorded {
        version,
        home,
        base,
    }
}

/// The value of a key of `pyvenv.cfg`. Of a repeated key the interpreter keeps the last (PEP 405).
pub(crate) fn config_value(text: &str, wanted: &str) -> Option<String> {
    let mut pairs = text.lines().filter_map(|l| l.split_once('='));
    pairs
        .rfind(|(k, _)| k.trim().eq_ignore_ascii_case(wanted))
        .map(|(_, v)| v.trim().to_owned())
}
