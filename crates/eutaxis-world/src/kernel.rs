//! Descriptions of kernels: what a notebook reads to start an interpreter.

use std::path::{Path, PathBuf};

use eutaxis_core::fault::escaped;
use eutaxis_core::knowledge::notebook;

use crate::environment::Standing;
use crate::files::write_whole;
use crate::starts::user_kernels;
use crate::{Doing, Error, Result};

/// A kernel that was described.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Kernel {
    /// The file that describes it.
    pub file: PathBuf,
    /// What runs as a kernel is in no environment by itself: the project that has to be asked for.
    pub lacks: Option<String>,
}

/// Whether a kernel can bear a name: it is that of a folder.
///
/// # Errors
/// When it is empty, begins with a dot, or holds other than ASCII letters, digits, `-`, `_`, `.`.
pub fn check_name(name: &str) -> Result<()> {
    let fits = |c: char| c.is_ascii_alphanumeric() || "-_.".contains(c);
    if !name.is_empty() && !name.starts_with('.') && name.chars().all(fits) {
        return Ok(());
    }
    let error = Error::request(format!("`{}` is no name of a kernel", escaped(name)));
    Err(error.help("letters, digits, `-`, `_` and `.`, as in --kernel ice-2026"))
}

/// Describes a kernel of the user's that starts the interpreter of an environment; one of that name
/// is described anew.
///
/// # Errors
/// As [`check_name`], or when the file cannot be written.
pub fn describe(name: &str, environment: &Path, python: &Path) -> Result<Kernel> {
    check_name(name)?;
    let known = notebook();
    let folder = user_kernels().join(name);
    let python = std::path::absolute(python).doing("cannot find", python)?;
    let description = serde_json::json!({
        "argv": [python, "-m", known.module, "-f", "{connection_file}"],
        "display_name": name,
        "language": "python",
    });
    std::fs::create_dir_all(&folder).doing("cannot make", &folder)?;
    let file = folder.join(&known.description);
    write_whole(&file, format!("{description:#}\n").as_bytes())?;
    let placed = Standing::of(environment).projects;
    let has = placed
        .iter()
        .any(|(name, _)| name.as_str() == known.project);
    Ok(Kernel {
        file,
        lacks: (!has).then(|| known.project.clone()),
    })
}
