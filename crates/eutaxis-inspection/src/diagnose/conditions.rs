//! What must hold beside the words of a sign.

use super::Context;
use super::facts::{Facts, file_name, package_of};
use super::syntax::newest_feature;
use super::traceback::Frame;
use eutaxis_standards::knowledge::{
    Condition, Lacking, NameStanding, is_standard, lacking_module, name_standing, newest_series,
    standing, tool,
};

/// What is known where a line stands.
#[derive(Debug)]
pub(super) struct Scene<'a> {
    /// The frames that led to an exception.
    pub(super) frames: &'a [Frame],
    /// A build is under way.
    pub(super) building: bool,
}

impl Scene<'_> {
    /// Whether it holds here.
    pub(super) fn holds(
        &self,
        condition: Condition,
        facts: &mut Facts,
        context: &Context<'_>,
    ) -> bool {
        match condition {
            Condition::Build => self.is_build(),
            Condition::NoBuild => !self.is_build(),
            Condition::OwnFile => self.own_file(facts),
            Condition::OwnImported => self.own_imported(facts),
            Condition::LibraryFile => facts
                .get("path")
                .or(facts.get("file"))
                .is_some_and(|f| is_of_library(&f)),
            Condition::Standard => facts.get("module").is_some_and(|m| standing(&m).is_some()),
            Condition::StandardPart => facts
                .get("module")
                .and_then(|m| standing(&m))
                .is_some_and(|s| s.parts),
            Condition::Dropped => facts.get("module").is_some_and(|m| match standing(&m) {
                Some(standing) => standing.is_dropped(facts.series()),
                None => is_gone(&m, facts),
            }),
            Condition::Later => facts.get("module").is_some_and(|m| match standing(&m) {
                Some(standing) if standing.is_later(facts.series()) => true,
                _ => is_later(&m, facts),
            }),
            Condition::ToolkitLibrary => {
                let library = facts
                    .get("library")
                    .as_deref()
                    .and_then(file_name)
                    .map(str::to_owned);
                library.is_some_and(|l| context.families.has_library(&l))
            }
            Condition::NameDropped
            | Condition::NameLater
            | Condition::NameThere
            | Condition::NameUnknown => self.name_stands(condition, facts),
            Condition::NewerSyntax => self.is_newer_syntax(facts),
            Condition::Circle => self.is_circle(facts),
            Condition::BuildTool => facts.get("tool").is_some_and(|t| tool(&t).is_some()),
        }
    }

    /// By the traceback itself when there is one: it says more than what came before.
    fn is_build(&self) -> bool {
        let functions = [
            "build_wheel",
            "build_editable",
            "get_requires_for_build",
            "prepare_metadata_for_build",
            "run_setup",
            "build_sdist",
        ];
        let of_build = |f: &Frame| {
            file_name(&f.file) == Some("setup.py")
                || file_name(&f.file) == Some("_in_process.py")
                || functions.iter().any(|n| f.function.contains(n))
                || f.file.contains("build-env")
        };
        if self.frames.is_empty() {
            self.building
        } else {
            self.frames.iter().any(of_build)
        }
    }

    /// How the module of the standard library stands to the name.
    fn name_stands(&self, condition: Condition, facts: &mut Facts) -> bool {
        let (Some(module), Some(name)) = (facts.get("module"), facts.get("name")) else {
            return false;
        };
        let since = |(major, minor): (u64, u64)| format!("{major}.{minor}");
        match (name_standing(&module, &name, facts.series()), condition) {
            (Some(NameStanding::Lacking(Lacking::Gone(at))), Condition::NameDropped) => {
                facts.set("removed", since(at));
                true
            }
            (Some(NameStanding::Lacking(Lacking::Later(at))), Condition::NameLater) => {
                facts.set("added", since(at));
                true
            }
            (Some(NameStanding::There), Condition::NameThere) => true,
            // Of what all series have nothing is recorded one by one.
            (None, Condition::NameThere) => is_of_all(&module, &name),
            (None, Condition::NameUnknown) => true,
            _ => false,
        }
    }

    fn is_newer_syntax(&self, facts: &mut Facts) -> bool {
        let code = self.frames.last().map_or("", |f| f.code.as_str());
        let series = facts.series();
        let feature = newest_feature(code).filter(|f| series.is_none_or(|s| s < f.since));
        let Some(feature) = feature else {
            return false;
        };
        let (major, minor) = feature.since;
        facts.set("feature", feature.name);
        facts.set("added", format!("{major}.{minor}"));
        true
    }

    /// The file of the module stands among the frames, was left for another file, and is taken from
    /// again there.
    fn is_circle(&self, facts: &Facts) -> bool {
        let Some(module) = facts.get("module").filter(|m| standing(m).is_none()) else {
            return false;
        };
        // Where a file of one's own stands for a standard module, that closes the circle.
        let shadows = |f: &Frame| {
            let name = f.file.rsplit(['/', '\\']).next().unwrap_or_default();
            let stem = name.strip_suffix(".py").unwrap_or_default();
            !is_of_library(&f.file) && is_standard(stem)
        };
        if self.frames.iter().any(shadows) {
            return false;
        }
        let last = module.rsplit('.').next().unwrap_or(&module);
        let files = self.frames.iter().map(|f| f.file.as_str());
        let mut from_it = files.skip_while(|file| !bears(file, last));
        let Some(own) = from_it.next() else {
            return false;
        };
        let is_library = |file: &&str| file.starts_with('<');
        from_it.filter(|f| !is_library(f)).any(|file| file != own)
    }

    /// A file outside the folders of packages that bears the module's name stands among the frames,
    /// or is named in the line.
    fn own_file(&self, facts: &mut Facts) -> bool {
        let Some(module) = facts.get("module") else {
            return false;
        };
        let top = module.split('.').next().unwrap_or(&module).to_owned();
        let named = facts.get("path").into_iter();
        let all = self.frames.iter().map(|f| f.file.clone()).chain(named);
        let own = all
            .into_iter()
            .find(|file| !is_of_library(file) && bears(file, &top));
        own.iter().for_each(|file| facts.set("own", file.as_str()));
        own.is_some()
    }

    /// A library's line of code imports a module, and what is then run is a file outside the
    /// folders of packages that bears its name.
    fn own_imported(&self, facts: &mut Facts) -> bool {
        // What the interpreter's own import machinery does in between is no step of its own.
        let told: Vec<&Frame> = self
            .frames
            .iter()
            .filter(|f| !f.file.starts_with('<'))
            .collect();
        let found = told.windows(2).find_map(|pair| {
            let [importing, imported] = pair else {
                return None;
            };
            let module = imported_module(&importing.code)?;
            let top = module.split('.').next()?;
            let own = is_of_library(&importing.file)
                && !is_of_library(&imported.file)
                && bears(&imported.file, top);
            own.then(|| (top.to_owned(), imported.file.clone()))
        });
        found.iter().for_each(|(module, file)| {
            facts.set("module", module.as_str());
            facts.set("own", file.as_str());
        });
        found.is_some()
    }
}

/// Whether the series does not have a module of the standard library yet, by what interpreters have.
fn is_later(module: &str, facts: &mut Facts) -> bool {
    let lacking = facts.series().and_then(|s| lacking_module(module, s));
    let Some(Lacking::Later((major, minor))) = lacking else {
        return false;
    };
    facts.set("added", format!("{major}.{minor}"));
    true
}

/// Whether the series no longer has a module of the standard library, by what interpreters have.
fn is_gone(module: &str, facts: &mut Facts) -> bool {
    // Where the series is not known, the newest one counts.
    let lacking = lacking_module(module, facts.series().unwrap_or(newest_series()));
    let Some(Lacking::Gone((major, minor))) = lacking else {
        return false;
    };
    facts.set("removed", format!("{major}.{minor}"));
    true
}

/// The module of `import a.b`, `from a.b import c`; none where the names are relative.
fn imported_module(code: &str) -> Option<&str> {
    let rest = code
        .strip_prefix("import ")
        .or_else(|| code.strip_prefix("from "))?
        .trim_start();
    let module = rest.split([' ', ',', ';']).next()?;
    (!module.starts_with('.')).then_some(module)
}

/// Whether a module of the standard library has a name in all series, as far as few well-known ones
/// tell: those are what files of one's own are missing.
fn is_of_all(module: &str, name: &str) -> bool {
    const KNOWN: [(&str, &[&str]); 12] = [
        (
            "random",
            &[
                "randint", "random", "choice", "shuffle", "seed", "sample", "uniform", "Random",
            ],
        ),
        ("csv", &["reader", "writer", "DictReader", "DictWriter"]),
        ("json", &["loads", "dumps", "load", "dump"]),
        ("math", &["sqrt", "floor", "ceil", "pi", "sin", "cos"]),
        ("time", &["time", "sleep", "strftime", "localtime"]),
        ("datetime", &["datetime", "date", "timedelta"]),
        ("copy", &["copy", "deepcopy"]),
        (
            "string",
            &["digits", "ascii_letters", "Template", "Formatter"],
        ),
        ("logging", &["getLogger", "basicConfig", "info", "Handler"]),
        (
            "collections",
            &["deque", "defaultdict", "Counter", "namedtuple"],
        ),
        ("socket", &["socket", "AF_INET", "create_connection"]),
        ("re", &["compile", "match", "search", "sub"]),
    ];
    is_standard(module)
        && KNOWN
            .iter()
            .any(|(m, names)| *m == module && names.contains(&name))
}

/// Whether a path is that of a module or package of this name.
fn bears(file: &str, module: &str) -> bool {
    let parts: Vec<&str> = file.split(['/', '\\']).collect();
    match parts.as_slice() {
        [.., folder, "__init__.py"] => *folder == module,
        [.., name] => name.strip_suffix(".py") == Some(module),
        [] => false,
    }
}

/// In a folder of packages, or of an interpreter.
pub(super) fn is_of_library(file: &str) -> bool {
    let file = file.replace('\\', "/");
    let of_interpreter = || {
        let mut parts = file.split('/').peekable();
        let mut found = false;
        while let Some(part) = parts.next() {
            let below = parts.peek().is_some();
            found |= below
                && part.starts_with("python")
                && part
                    .get(6..)
                    .is_some_and(|v| v.starts_with(['2', '3']) && v.contains('.'));
            found |= below && part == "Lib";
        }
        found
    };
    package_of(&file).is_some()
        || file.ends_with("/setup.py")
        || file.starts_with("<frozen")
        || of_interpreter()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("/home/ada/random.py", false)]
    #[case("/usr/lib/python3.11/random.py", true)]
    #[case("C:\\Python311\\Lib\\random.py", true)]
    #[case("/x/site-packages/moulin/a.py", true)]
    #[case("/home/ada/python/random.py", false)]
    #[case("<frozen importlib._bootstrap>", true)]
    fn files_of_libraries_are_told_from_ones_own(#[case] file: &str, #[case] library: bool) {
        assert_eq!(is_of_library(file), library);
    }
}
