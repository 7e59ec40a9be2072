//! What building a source distribution will take, by its files alone.

use eutaxis_standards::knowledge::{
    Compiles, Needed, backend, begin, handling, header, language_named, tool,
};
use eutaxis_standards::requirement::Requirement;

use super::{BuildSystem, Digest};

/// A tool that a build calls.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tool {
    /// What it is, in a few words.
    pub what: &'static str,
    /// The names that it is called by.
    pub names: &'static [String],
    /// What is known of it.
    pub known: &'static Needed,
    /// A build requirement brings it.
    pub is_brought: bool,
    /// What calls it: a language of the sources, or the build description.
    pub because: String,
}

/// A header, or a library by the name that builds look for it by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Header {
    /// As it is included or named.
    pub name: String,
    /// What is known of it.
    pub known: &'static Needed,
    /// It is a library that is named, not a header that is included.
    pub is_library: bool,
}

/// From what a time is judged.
#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    /// Seconds on one core of a common machine.
    pub seconds: f64,
    /// How much of it is compiled by several cores where there are, in seconds.
    pub parallel: f64,
    /// From what, in words.
    pub from: String,
}

/// What building will take.
#[derive(Debug, Clone, PartialEq)]
pub struct Foreseen {
    /// Nothing is compiled.
    pub is_light: bool,
    /// Languages of the sources that are compiled.
    pub languages: Vec<String>,
    /// Build requirements, as written.
    pub requires: Vec<String>,
    /// The build system is not stated: the standard's fallback counts.
    pub is_fallback: bool,
    /// Why the project file cannot be read.
    pub unreadable: Option<String>,
    /// Tools, in the order in which they are told.
    pub tools: Vec<Tool>,
    /// Headers and libraries of the system that are known.
    pub headers: Vec<Header>,
    /// The interpreter's own headers are needed.
    pub needs_headers_of_python: bool,
    /// How long, where that can be judged.
    pub time: Option<Judged>,
}

/// Headers that every compiler brings.
const OF_THE_COMPILER: &str = "headers of the C library and the kernel";
/// So often is a source turned into another language at most.
const MOST_TURNS: usize = 3;
const OF_PYTHON: &str = "headers of the interpreter";

/// What building an archive will take.
pub fn foresee(digest: &Digest) -> Foreseen {
    let known = backend(digest.system.backend());
    let has_native = !digest.sources.is_empty();
    let is_light = match known.map(|b| b.compiles) {
        Some(Compiles::Always) => false,
        // Where a script tells of no compiling, sources of the archive are not its own business.
        Some(Compiles::Scripted) => !digest.compiles,
        None => !has_native && !digest.compiles,
    };
    let requires: Vec<String> = digest.system.requires().to_vec();
    let mut foreseen = Foreseen {
        is_light,
        languages: Vec::new(),
        requires,
        is_fallback: !matches!(digest.system, BuildSystem::Stated { .. }),
        unreadable: match &digest.system {
            BuildSystem::Unreadable(why) => Some(why.clone()),
            BuildSystem::Unstated | BuildSystem::Stated { .. } => None,
        },
        tools: Vec::new(),
        headers: Vec::new(),
        needs_headers_of_python: false,
        time: time(digest, is_light),
    };
    if is_light {
        return foreseen;
    }
    foreseen.languages = digest.sources.keys().cloned().collect();
    let brought: Vec<String> = foreseen
        .requires
        .iter()
        .filter_map(|r| Requirement::parse(r).ok())
        .map(|r| r.name.to_string())
        .collect();
    let mut add = |name: &str, because: String| {
        let Some(known) = tool(name) else { return };
        if foreseen
            .tools
            .iter()
            .any(|t| t.what == known.what && t.names == known.names())
        {
            return;
        }
        let project = known.project.as_ref();
        foreseen.tools.push(Tool {
            what: &known.what,
            names: known.names(),
            known,
            is_brought: project.is_some_and(|p| brought.contains(p)),
            because,
        });
    };
    for name in &foreseen.languages {
        let mut next = language_named(name);
        // What a generator writes is compiled in its turn.
        for _ in 0..MOST_TURNS {
            let Some(language) = next else { break };
            if let Some(tool) = &language.tool {
                add(tool, format!("{name} sources"));
            }
            next = language.becomes.as_deref().and_then(language_named);
        }
    }
    for called in &digest.calls {
        add(called, "its setup.py".to_owned());
    }
    // A build system that is known brings what reads its own descriptions, and a script may have
    // others beside it that it does not use.
    if known.is_none() {
        for called in &digest.described {
            add(called, "its build description".to_owned());
        }
    }
    for called in known.iter().flat_map(|b| &b.tools) {
        add(called, "its build system".to_owned());
    }
    let included = digest.foreign_headers().map(|name| (name, false));
    let named = digest.libraries.iter().map(|name| (name.as_str(), true));
    for (name, is_library) in included.chain(named) {
        let Some(known) = header(name) else { continue };
        match known.what.as_str() {
            OF_THE_COMPILER => continue,
            OF_PYTHON => {
                foreseen.needs_headers_of_python = true;
                continue;
            }
            _ => {}
        }
        if !foreseen.headers.iter().any(|h| h.known.what == known.what) {
            foreseen.headers.push(Header {
                name: name.to_owned(),
                known,
                is_library,
            });
        }
    }
    foreseen
}

/// How long it will take, judged from the bytes of its sources.
fn time(digest: &Digest, is_light: bool) -> Option<Judged> {
    const MEBIBYTE: f64 = 1_048_576.0;
    // Precise enough: no archive has so many bytes.
    #[allow(clippy::cast_precision_loss)]
    let mebibytes = |bytes: u64| bytes as f64 / MEBIBYTE;
    let begin = begin() + handling() * mebibytes(digest.bytes);
    if is_light {
        return Some(Judged {
            seconds: begin,
            parallel: 0.0,
            from: "nothing is compiled".to_owned(),
        });
    }
    let mut compiled = 0.0;
    let mut from = Vec::new();
    for (name, sources) in &digest.sources {
        let pace = language_named(name)?.pace?;
        compiled += pace * mebibytes(sources.bytes);
        let told = match sources.bytes {
            bytes @ ..1000 => format!("{bytes} B"),
            bytes @ ..100_000 => format!("{}.{} kB", bytes / 1000, bytes % 1000 / 100),
            bytes => format!("{}.{} MB", bytes / 1_000_000, bytes % 1_000_000 / 100_000),
        };
        from.push(format!("{told} of {name}"));
    }
    // Sources that are fetched or made by the build cannot be seen.
    if from.is_empty() || digest.is_unforeseeable {
        return None;
    }
    let is_parallel =
        backend(digest.system.backend()).is_some_and(|b| b.compiles == Compiles::Always);
    Some(Judged {
        seconds: begin + compiled,
        parallel: if is_parallel { compiled } else { 0.0 },
        from: from.join(" and "),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn digest(members: &[(&str, &str)]) -> Digest {
        let mut digest = Digest::default();
        for (path, text) in members {
            digest.take(
                &format!("a-1/{path}"),
                Some(text.as_bytes()),
                text.len() as u64,
            );
        }
        digest
    }

    #[rstest]
    #[case::plain(&[("setup.py", "setup(name='a')"), ("a.py", "")], true, &[])]
    #[case::c(&[("setup.py", "setup(ext_modules=[Extension('a', ['a.c'])])"), ("a.c", "")], false, &["a C compiler"])]
    #[case::sources_that_nobody_compiles(&[("setup.py", "setup()"), ("extra/a.c", "")], true, &[])]
    #[case::another_system(&[("pyproject.toml", "[build-system]\nrequires=[]\nbuild-backend='firnbuild'"), ("a.py", "")], true, &[])]
    #[case::another_system_with_code(&[("pyproject.toml", "[build-system]\nrequires=[]\nbuild-backend='firnbuild'"), ("a.c", "")], false, &["a C compiler"])]
    #[case::a_build_tool(&[("setup.py", "subprocess.run(['cmake', '.']); CMakeExtension = build_ext"), ("a.cpp", "")], false,
        &["a C++ compiler", "a generator of build files"])]
    fn light_or_not_and_by_which_tools(
        #[case] members: &[(&str, &str)],
        #[case] is_light: bool,
        #[case] tools: &[&str],
    ) {
        let foreseen = foresee(&digest(members));
        let found: Vec<&str> = foreseen.tools.iter().map(|t| t.what).collect();
        assert_eq!((foreseen.is_light, found.as_slice()), (is_light, tools));
    }

    #[test]
    fn what_a_requirement_brings_is_known() {
        let project = "[build-system]\nrequires=['cmake>=3']\nbuild-backend='firnbuild'";
        let members = [
            ("pyproject.toml", project),
            ("CMakeLists.txt", ""),
            ("a.c", ""),
        ];
        let foreseen = foresee(&digest(&members));
        let brought = |t: &Tool| (t.what, t.is_brought);
        let tools: Vec<_> = foreseen.tools.iter().map(brought).collect();
        assert_eq!(
            tools,
            [
                ("a C compiler", false),
                ("a generator of build files", true)
            ]
        );
    }

    #[test]
    fn headers_and_libraries_are_told_once() {
        let script = "setup(ext_modules=[Extension('a', ['a.c'], libraries=['z', 'jpeg'])])";
        let source = "#include <Python.h>\n#include <zlib.h>\n#include <stdio.h>\n#include <own.h>";
        let foreseen = foresee(&digest(&[("setup.py", script), ("a.c", source)]));
        let headers: Vec<(&str, bool)> = foreseen
            .headers
            .iter()
            .map(|h| (h.name.as_str(), h.is_library))
            .collect();
        assert_eq!(headers, [("zlib.h", false), ("jpeg", true)]);
        assert!(foreseen.needs_headers_of_python);
    }

    #[test]
    fn time_is_judged_where_sources_tell_it() {
        let script = ("setup.py", "setup(ext_modules=[1])");
        let mut large = digest(&[script]);
        assert_eq!(foresee(&large).time, None);
        large.take("a-1/a.c", None, 1 << 20);
        let of_c = foresee(&large).time.unwrap();
        assert!(
            of_c.seconds > begin() && of_c.from == "1.0 MB of C",
            "{of_c:?}"
        );
        large.take("a-1/a.rs", None, 1 << 20);
        assert_eq!(foresee(&large).time, None);
        assert!((foresee(&digest(&[])).time.unwrap().seconds - begin()).abs() < 0.01);
        let mut inlined = digest(&[script]);
        inlined.take("a-1/a.c", Some(b"__attribute__((always_inline))"), 9);
        assert_eq!(foresee(&inlined).time, None);
    }
}
