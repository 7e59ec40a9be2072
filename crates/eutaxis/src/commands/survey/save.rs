//! `--save`: the target as `[target.NAME]` in `eutaxis.toml` of this folder.

use std::path::Path;

use eutaxis_core::Target;
use eutaxis_core::targets::Accelerator;
use eutaxis_world::Error;
use eutaxis_world::config::{append, is_plain};

/// Appends the target; says what was written.
pub(super) fn target(name: &str, target: Option<&Target>, cache: &Path) -> Result<String, Error> {
    let Some(target) = target else {
        return Err(
            Error::request("there is no interpreter here, so no target can be saved")
                .help("name one with --interpreter PATH"),
        );
    };
    if !is_plain(name) {
        return Err(Error::request(format!("`{name}` cannot name a target"))
            .help("use letters, digits, `-` and `_`"));
    }
    let accelerators: Vec<String> = target.accelerators.here.iter().map(table).collect();
    let accelerator = match accelerators.as_slice() {
        [] => String::new(),
        [one] => format!("accelerator = {one}\n"),
        several => format!("accelerator = [{}]\n", several.join(", ")),
    };
    let text = format!(
        "[target.{name}]\ninterpreter = \"{}\"\nplatform = \"{}\"\n{accelerator}",
        target.interpreter, target.platform
    );
    append(cache, Path::new("eutaxis.toml"), &text, |known| {
        if known.get("target").and_then(|t| t.get(name)).is_none() {
            return Ok(());
        }
        Err(
            Error::request(format!("eutaxis.toml has a target `{name}` already"))
                .help("choose another name, or delete that table first"),
        )
    })?;
    Ok(format!("[target.{name}] to eutaxis.toml"))
}

/// `{ family = "nordglim", driver = "512.4", device = "b3" }`
fn table(accelerator: &Accelerator) -> String {
    let quoted = |text: &str| toml::Value::String(text.to_owned()).to_string();
    let mut parts = vec![format!("family = {}", quoted(&accelerator.family.name))];
    parts.extend(
        accelerator
            .toolkit
            .iter()
            .map(|t| format!("toolkit = \"{t}\"")),
    );
    parts.extend(
        accelerator
            .driver
            .iter()
            .map(|d| format!("driver = \"{d}\"")),
    );
    match accelerator.devices.as_slice() {
        [] => {}
        [one] => parts.push(format!("device = {}", quoted(one))),
        several => {
            let list: Vec<String> = several.iter().map(|d| quoted(d)).collect();
            parts.push(format!("device = [{}]", list.join(", ")));
        }
    }
    format!("{{ {} }}", parts.join(", "))
}
