//! Where editors and notebooks keep which interpreter they start (`knowledge/editors.toml`).

use std::sync::LazyLock;

use regex::{Regex, RegexBuilder};
use serde::Deserialize;

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    editor: Vec<Editor>,
    notebook: Notebook,
}

/// Files of an editor in the folder that it opens.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Editor {
    /// Patterns of paths from that folder.
    pub files: Vec<String>,
    line: String,
    #[serde(default)]
    folder: Vec<String>,
}

/// Where the kernels of notebooks are described.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Notebook {
    /// The name of the file that describes one.
    pub description: String,
    linux: Vec<String>,
    macos: Vec<String>,
    windows: Vec<String>,
    /// The folder of kernels in an environment.
    pub environment: String,
    /// The variable that names the folder above the kernels, before all others.
    pub variable: String,
    /// The module that a kernel of Python runs as.
    pub module: String,
    /// The project that brings that module.
    pub project: String,
}

/// What an editor is told to start.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Starts {
    /// The path of an interpreter.
    Interpreter(String),
    /// The folder of an environment.
    Environment(String),
}

// The file is compiled in and read by a test, so that it cannot be broken in a build that passed.
static FILE: LazyLock<File> = LazyLock::new(|| {
    toml::from_str(include_str!("../../../../knowledge/editors.toml")).unwrap_or_default()
});

/// The editors whose files are known.
pub fn editors() -> &'static [Editor] {
    &FILE.editor
}

/// Where kernels are.
pub fn notebook() -> &'static Notebook {
    &FILE.notebook
}

impl Editor {
    /// What a file of it says is started, the first that it names; paths of the folder that it opens
    /// begin with that folder.
    pub fn starts(&self, text: &str, folder: &str) -> Option<Starts> {
        let line = self.line()?;
        let found = line.captures(text)?;
        let put = |value: &str| {
            let variables = self.folder.iter();
            variables.fold(value.to_owned(), |value, name| value.replace(name, folder))
        };
        let named = |name: &str| found.name(name).map(|m| put(m.as_str()));
        let interpreter = named("interpreter").map(Starts::Interpreter);
        interpreter.or_else(|| named("environment").map(Starts::Environment))
    }

    fn line(&self) -> Option<Regex> {
        let mut builder = RegexBuilder::new(&self.line);
        builder.multi_line(true).build().ok()
    }
}

impl Notebook {
    /// The folders of kernels on a system (`linux`, `macos`, `windows`), the first ones first; `~` is
    /// the user's own folder.
    pub fn folders(&self, system: &str) -> &[String] {
        match system {
            "windows" => &self.windows,
            "macos" => &self.macos,
            _ => &self.linux,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::an_interpreter(
        0,
        "{\n  // \"python.pythonPath\": \"/old\",\n  \"python.defaultInterpreterPath\": \
         \"${workspaceFolder}/.venv/bin/python\"\n}",
        Some(Starts::Interpreter("/ice/.venv/bin/python".to_owned()))
    )]
    #[case::an_environment(
        1,
        "{\n  \"venvPath\": \".\",\n  \"venv\": \".venv\"\n}",
        Some(Starts::Environment(".venv".to_owned()))
    )]
    #[case::nothing(0, "{}", None)]
    fn what_is_started_is_read(
        #[case] place: usize,
        #[case] text: &str,
        #[case] expected: Option<Starts>,
    ) {
        assert_eq!(editors()[place].starts(text, "/ice"), expected);
    }

    #[test]
    fn the_file_is_read() {
        assert!(editors().iter().all(|e| e.line().is_some()));
        for system in ["linux", "macos", "windows"] {
            assert!(!notebook().folders(system).is_empty());
        }
    }
}
