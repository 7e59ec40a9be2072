//! What counts of a source archive for its build, as plain data that is small enough to be kept.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_standards::document::Document;
use eutaxis_standards::knowledge::{compiling, fallback, language, tools, unforeseeable};
use serde::{Deserialize, Serialize};

/// The `[build-system]` of a project (PEP 518 and 517).
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub enum BuildSystem {
    /// No project file states one: the standard's fallback counts.
    #[default]
    Unstated,
    /// As stated.
    Stated {
        /// Build requirements, as written.
        requires: Vec<String>,
        /// The object with the hooks; none where only requirements are stated.
        backend: Option<String>,
        /// Folders of the project in which the backend is.
        backend_path: Vec<String>,
    },
    /// The project file cannot be read: why.
    Unreadable(String),
}

impl BuildSystem {
    /// What a project file says.
    pub fn parse(text: &str) -> Self {
        match Self::read(text) {
            Ok(found) => found,
            Err(fault) => BuildSystem::Unreadable(fault.to_string()),
        }
    }

    fn read(text: &str) -> Result<Self, eutaxis_standards::fault::Fault> {
        let document = Document::parse(text)?;
        let Some(table) = document.root().table("build-system")? else {
            return Ok(BuildSystem::Unstated);
        };
        table.ensure_known(&["requires", "build-backend", "backend-path"])?;
        let all = |key: &str| -> Result<Option<Vec<String>>, eutaxis_standards::fault::Fault> {
            let texts = table.strings(key)?;
            Ok(texts.map(|all| all.iter().map(|t| t.value.to_owned()).collect()))
        };
        let Some(requires) = all("requires")? else {
            return Err(table.fault("`build-system` has no `requires` (PEP 518)"));
        };
        Ok(BuildSystem::Stated {
            requires,
            backend: table.string("build-backend")?.map(|t| t.value.to_owned()),
            backend_path: all("backend-path")?.unwrap_or_default(),
        })
    }

    /// Build requirements, as written, those of the fallback where none are stated.
    pub fn requires(&self) -> &[String] {
        match self {
            BuildSystem::Stated { requires, .. } => requires,
            BuildSystem::Unstated | BuildSystem::Unreadable(_) => &fallback().requires,
        }
    }

    /// The object with the hooks.
    pub fn backend(&self) -> &str {
        match self {
            BuildSystem::Stated {
                backend: Some(backend),
                ..
            } => backend,
            BuildSystem::Stated { backend: None, .. }
            | BuildSystem::Unstated
            | BuildSystem::Unreadable(_) => &fallback().backend,
        }
    }
}

/// Sources of a language.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Sources {
    /// Files.
    pub files: u32,
    /// Bytes of them.
    pub bytes: u64,
}

/// What counts of an archive.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Digest {
    /// The build system.
    pub system: BuildSystem,
    /// Bytes of all that it holds.
    pub bytes: u64,
    /// Sources that are compiled, by language; those of tests, documents and examples are not.
    pub sources: BTreeMap<String, Sources>,
    /// `setup.py`, `setup.cfg` or the project file tell of code to be compiled.
    pub compiles: bool,
    /// There is a `setup.py`.
    pub is_scripted: bool,
    /// Some of it compiles far longer than its size tells.
    pub is_unforeseeable: bool,
    /// Headers that sources include and the archive may not hold.
    pub includes: BTreeSet<String>,
    /// Libraries that `setup.py` names.
    pub libraries: BTreeSet<String>,
    /// Tools that `setup.py` calls.
    pub calls: BTreeSet<String>,
    /// Tools whose build descriptions lie at the top.
    pub described: BTreeSet<String>,
    /// Headers that the archive holds, by their last name.
    held: BTreeSet<String>,
}

/// So much of a source is looked into for what it includes.
const LOOKED_INTO: usize = 64 << 10;
/// No more headers are noted.
const MOST_INCLUDES: usize = 2_000;

/// Folders whose sources a build does not compile.
const BESIDE: [&str; 13] = [
    "test",
    "tests",
    "testing",
    "test cases",
    "doc",
    "docs",
    "example",
    "examples",
    "benchmark",
    "benchmarks",
    "demo",
    "demos",
    "tools",
];

/// Build descriptions at the top whose texts count, and the tool that each stands for.
const DESCRIPTIONS: [(&str, Option<&str>); 6] = [
    ("pyproject.toml", None),
    ("setup.py", None),
    ("setup.cfg", None),
    ("CMakeLists.txt", Some("cmake")),
    ("meson.build", Some("meson")),
    ("Cargo.toml", Some("cargo")),
];

/// How many bytes of a member count, by its path with the top folder; 0: its name is enough.
pub fn wanted(path: &str) -> usize {
    let Some((_, below)) = path.split_once('/') else {
        return 0;
    };
    if DESCRIPTIONS.iter().any(|(name, _)| *name == below) {
        return 1 << 20;
    }
    let is_header = matches!(path.rsplit_once('.'), Some((_, "h" | "hpp" | "hh" | "hxx")));
    if is_beside(below) || !is_header && language(path).is_none() {
        return 0;
    }
    LOOKED_INTO
}

fn is_beside(below: &str) -> bool {
    let mut folders = below.split('/').rev().skip(1);
    folders.any(|folder| {
        let folder = folder.to_ascii_lowercase();
        // A build tool that is carried along is not what is built.
        BESIDE.contains(&folder.as_str()) || folder.starts_with("vendored-")
    })
}

impl Digest {
    /// Takes a member: its path with the top folder, as much of it as is [`wanted`], and its size.
    pub fn take(&mut self, path: &str, text: Option<&[u8]>, size: u64) {
        let Some((_, below)) = path.split_once('/') else {
            return;
        };
        self.bytes = self.bytes.saturating_add(size);
        let text = text.map(String::from_utf8_lossy).unwrap_or_default();
        if let Some((name, _)) = DESCRIPTIONS.iter().find(|(name, _)| *name == below) {
            self.describe(name, &text);
        }
        if let Some((_, "h" | "hpp" | "hh" | "hxx")) = path.rsplit_once('.') {
            let name = path.rsplit('/').next().unwrap_or_default();
            self.held.insert(name.to_owned());
        }
        if is_beside(below) {
            return;
        }
        if let Some(language) = language(path) {
            let sources = self.sources.entry(language.name.clone()).or_default();
            sources.files = sources.files.saturating_add(1);
            sources.bytes = sources.bytes.saturating_add(size);
        }
        self.is_unforeseeable |= unforeseeable().iter().any(|w| text.contains(w.as_str()));
        if self.includes.len() < MOST_INCLUDES {
            self.includes
                .extend(text.lines().filter_map(included).map(str::to_owned));
        }
    }

    fn describe(&mut self, name: &str, text: &str) {
        match name {
            "pyproject.toml" => {
                self.system = BuildSystem::parse(text);
                self.compiles |= tells_of_compiling(text);
            }
            "setup.py" => {
                self.is_scripted = true;
                self.script(text);
            }
            "setup.cfg" => self.compiles |= tells_of_compiling(text),
            _ => {
                let tool = DESCRIPTIONS.iter().find(|(known, _)| *known == name);
                self.described
                    .extend(tool.and_then(|(_, t)| *t).map(str::to_owned));
            }
        }
    }

    /// What a `setup.py` tells, without its comments.
    fn script(&mut self, text: &str) {
        let code: Vec<&str> = text.lines().map(without_comment).collect();
        let code = code.join("\n");
        self.compiles |= tells_of_compiling(&code);
        let quoted = quoted(&code);
        for tool in tools() {
            // One that is called by a short name may mean anything.
            let called = |name: &&String| {
                name.len() > 3 && quoted.iter().any(|q| first_word(q) == name.as_str())
            };
            self.calls.extend(tool.names().iter().find(called).cloned());
        }
        if let Some((_, rest)) = code.split_once("libraries") {
            let list = rest.trim_start().strip_prefix('=').map(str::trim_start);
            let inside = list.and_then(|l| l.strip_prefix('[')?.split(']').next());
            self.libraries
                .extend(inside.map(self::quoted).unwrap_or_default());
        }
    }

    /// Headers that are included and that no file of the archive is.
    pub fn foreign_headers(&self) -> impl Iterator<Item = &str> {
        let is_held = |name: &str| {
            let last = name.rsplit('/').next().unwrap_or_default();
            self.held.contains(last)
        };
        let all = self.includes.iter().map(String::as_str);
        all.filter(move |name| !is_held(name))
    }
}

fn tells_of_compiling(text: &str) -> bool {
    compiling().iter().any(|word| text.contains(word.as_str()))
}

fn first_word(text: &str) -> &str {
    text.split_whitespace().next().unwrap_or_default()
}

/// A line without the comment at its end, as far as that is plain to see.
fn without_comment(line: &str) -> &str {
    match line.find('#') {
        Some(at) if !line.get(..at).unwrap_or_default().contains(['\'', '"']) => {
            line.get(..at).unwrap_or_default()
        }
        _ => line,
    }
}

/// Texts in quotation marks.
fn quoted(code: &str) -> Vec<String> {
    let mut found = Vec::new();
    let mut rest = code;
    while let Some(from) = rest.find(['\'', '"']) {
        let mark = rest.get(from..=from).unwrap_or_default();
        let after = rest.get(from + 1..).unwrap_or_default();
        let Some(to) = after.find([mark.chars().next().unwrap_or('"'), '\n']) else {
            break;
        };
        let text = after.get(..to).unwrap_or_default();
        if !text.is_empty() {
            found.push(text.to_owned());
        }
        rest = after.get(to + 1..).unwrap_or_default();
    }
    found
}

/// The header that a line includes.
fn included(line: &str) -> Option<&str> {
    let rest = line.trim_start().strip_prefix('#')?.trim_start();
    let rest = rest.strip_prefix("include")?.trim_start();
    let (open, close) = match rest.chars().next()? {
        '<' => ('<', '>'),
        '"' => ('"', '"'),
        _ => return None,
    };
    let name = rest.strip_prefix(open)?.split(close).next()?.trim();
    (!name.is_empty() && name.len() < 200).then_some(name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::stated(
        "[build-system]\nrequires=['firnbuild']\nbuild-backend='firnbuild.hooks'\nbackend-path=['b']",
        "firnbuild | firnbuild.hooks"
    )]
    #[case::nothing("[project]\nname='a'", "the fallback")]
    #[case::only_requirements("[build-system]\nrequires=['firnbuild']", "firnbuild | the fallback")]
    #[case::no_requirements(
        "[build-system]\nbuild-backend='x'",
        "cannot be read: [build-system]: `build-system` has no `requires` (PEP 518)"
    )]
    #[case::no_toml("[build-system", "cannot be read")]
    fn build_systems(#[case] text: &str, #[case] expected: &str) {
        let system = BuildSystem::parse(text);
        let object = system.backend();
        let object = if object == fallback().backend {
            "the fallback"
        } else {
            object
        };
        let told = match &system {
            BuildSystem::Unstated => object.to_owned(),
            BuildSystem::Stated { requires, .. } => format!("{} | {object}", requires.join(", ")),
            BuildSystem::Unreadable(why) => format!("cannot be read: {why}"),
        };
        assert!(told.starts_with(expected), "{told}");
    }

    #[rstest]
    #[case("#include <zlib.h>", Some("zlib.h"))]
    #[case("  #  include \"own/a.h\" // x", Some("own/a.h"))]
    #[case("#include MACRO", None)]
    #[case("# includes <x>", None)]
    #[case("include <x>", None)]
    fn includes(#[case] line: &str, #[case] header: Option<&str>) {
        assert_eq!(included(line), header);
    }

    #[test]
    fn a_script_tells_libraries_and_tools_but_not_by_comments() {
        let mut digest = Digest::default();
        let script = "# ext_modules='no'\nimport os\nos.system('pkg-config --libs')\nx = ['cmakes', 'a#b']\n\
            setup(libraries=['z', \"firn\"])";
        digest.take("a-1/setup.py", Some(script.as_bytes()), 9);
        assert!(digest.is_scripted && !digest.compiles);
        assert_eq!(
            digest.libraries,
            BTreeSet::from(["z".into(), "firn".into()])
        );
        assert_eq!(digest.calls, BTreeSet::from(["pkg-config".into()]));
    }

    #[test]
    fn headers_of_its_own_and_sources_of_tests_do_not_count() {
        let mut digest = Digest::default();
        digest.take(
            "a-1/src/a.c",
            Some(b"#include \"a.h\"\n#include <rime/b.h>\n#include <firn.h>"),
            9,
        );
        digest.take("a-1/include/a.h", Some(b""), 0);
        digest.take("a-1/tests/t.c", None, 9);
        digest.take("a-1/vendored-tool/x/t.c", None, 9);
        digest.take("a-1/include/rime/b.h", Some(b"#include <deep.h>"), 0);
        let foreign: Vec<&str> = digest.foreign_headers().collect();
        assert_eq!(foreign, ["deep.h", "firn.h"]);
        assert_eq!(digest.sources["C"], Sources { files: 1, bytes: 9 });
    }

    proptest::proptest! {
        #[test]
        fn no_script_makes_it_panic(text in "\\PC*") {
            Digest::default().take("a-1/setup.py", Some(text.as_bytes()), 0);
        }
    }
}
