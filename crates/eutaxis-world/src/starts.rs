//! What starts where a program is named and no path: by PATH, in an editor, in a notebook. Files are
//! read; nothing is started.

use std::path::{Path, PathBuf};

use eutaxis_core::knowledge::{Starts, editors, notebook};

use crate::build::program;
use crate::interpreter::{environment_around, environment_python, expand_home};
use crate::root::start_of;

/// Of so many files of an editor or kernels one is looked at.
const MOST: usize = 64;

/// What an editor or a notebook starts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Start {
    /// The file that says so.
    pub file: PathBuf,
    /// The interpreter.
    pub interpreter: PathBuf,
}

/// The program that a bare name starts.
pub fn by_name(name: &str) -> Option<PathBuf> {
    program(&[format!("{name}{}", std::env::consts::EXE_SUFFIX)])
}

/// The environments whose programs PATH leads to, the first one first.
pub fn environments_on_path() -> Vec<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let folders = std::env::split_paths(&path);
    let roots = folders.filter_map(|f| environment_around(&f.join("python")));
    let mut all: Vec<PathBuf> = Vec::new();
    for root in roots {
        if !all.contains(&root) {
            all.push(root);
        }
    }
    all
}

/// Whether a program is a text that starts another one: which one, only it knows.
pub fn forwards(program: &Path) -> bool {
    start_of(program).starts_with("#!")
}

/// What the editors start whose files are in a folder.
pub fn in_editors(folder: &Path) -> Vec<Start> {
    let shown = folder.display().to_string();
    let mut all = Vec::new();
    for editor in editors() {
        let files = editor.files.iter();
        let files = files.flat_map(|pattern| crate::root::matching(folder, pattern));
        for file in files.take(MOST) {
            let path = match editor.starts(&start_of(&file), &shown) {
                Some(Starts::Interpreter(path)) => folder.join(expand_home(&path)),
                Some(Starts::Environment(root)) => environment_python(&folder.join(root)),
                None => continue,
            };
            all.push(Start {
                file,
                interpreter: path,
            });
        }
    }
    all
}

/// What the kernels start that notebooks find: those of the user, of the machine, and of an
/// environment.
pub fn in_notebooks(environment: Option<&Path>) -> Vec<Start> {
    let known = notebook();
    let own = own_kernels();
    let of_system = known.folders(std::env::consts::OS).iter();
    let of_environment = environment.map(|e| e.join(&known.environment));
    let folders = own
        .into_iter()
        .chain(of_environment)
        .chain(of_system.map(|f| PathBuf::from(expand_home(f))));
    let files =
        folders.flat_map(|f| crate::root::matching(&f, &format!("*/{}", known.description)));
    files.take(MOST).filter_map(kernel).collect()
}

/// The folder of kernels that the user's variable names.
fn own_kernels() -> Option<PathBuf> {
    let named = std::env::var_os(&notebook().variable).filter(|v| !v.is_empty());
    named.map(|v| PathBuf::from(v).join("kernels"))
}

/// The folder of the user's own kernels.
pub(crate) fn user_kernels() -> PathBuf {
    let usual = notebook().folders(std::env::consts::OS).first();
    own_kernels().unwrap_or_else(|| PathBuf::from(usual.map_or(String::new(), |f| expand_home(f))))
}

/// A kernel by its description; none of other languages.
fn kernel(file: PathBuf) -> Option<Start> {
    let described: serde_json::Value = serde_json::from_str(&start_of(&file)).ok()?;
    let arguments = described.get("argv")?.as_array()?;
    let started = arguments.first()?.as_str()?;
    let name = Path::new(started).file_stem()?.to_str()?;
    if !name.starts_with("python") {
        return None;
    }
    // A bare name is looked for when the kernel is started.
    let interpreter = match started.contains(['/', '\\']) {
        true => PathBuf::from(started),
        false => by_name(started)?,
    };
    Some(Start { file, interpreter })
}
