//! Which interpreter a compiled module is for: by its name (PEP 3149), else by the interpreter's
//! library that it needs.

use std::fmt;

use super::Binary;

/// The interpreter that a compiled module is for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PythonAbi {
    /// One interpreter, as tags name its ABI: `cp311`, `cp313t`, `pypy310_pp73`.
    Exact(String),
    /// The stable ABI.
    Stable,
}

impl fmt::Display for PythonAbi {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            PythonAbi::Exact(tag) => tag,
            PythonAbi::Stable => "abi3",
        })
    }
}

/// The part of a file's name before what interpreters look for behind a module's name: `_core` of
/// `pkg/_core.cpython-311-x86_64-linux-gnu.so`. None when the name is not that of a compiled module
/// or library.
pub fn module_stem(path: &str) -> Option<&str> {
    let name = path.rsplit('/').next()?;
    let rest = name
        .strip_suffix(".so")
        .or_else(|| name.strip_suffix(".pyd"))?;
    let stem = rest.split('.').next()?;
    (!stem.is_empty()).then_some(stem)
}

/// The interpreter that a file's name is for.
pub fn named_abi(path: &str) -> Option<PythonAbi> {
    let name = path.rsplit('/').next()?;
    let rest = name
        .strip_suffix(".so")
        .or_else(|| name.strip_suffix(".pyd"))?;
    let (_, tag) = rest.split_once('.')?;
    // What stands before the last dot may belong to the module's own name.
    let tag = tag.rsplit('.').next()?;
    if tag == "abi3" {
        return Some(PythonAbi::Stable);
    }
    let first = |text: &str| text.split('-').next().unwrap_or("").to_owned();
    if let Some(rest) = tag.strip_prefix("cpython-") {
        return Some(PythonAbi::Exact(format!("cp{}", first(rest))));
    }
    if tag.starts_with("pypy") {
        return Some(PythonAbi::Exact(
            tag.split('-').take(2).collect::<Vec<_>>().join("_"),
        ));
    }
    let digits = tag
        .strip_prefix("cp")
        .filter(|r| r.starts_with(|c: char| c.is_ascii_digit()))?;
    Some(PythonAbi::Exact(windows_abi(&first(digits))))
}

/// The ABI of a series on Windows, where names of files leave out the mark of the allocator that
/// ABIs up to 3.7 have.
fn windows_abi(digits: &str) -> String {
    let marked = matches!(digits, "32" | "33" | "34" | "35" | "36" | "37");
    format!("cp{digits}{}", if marked { "m" } else { "" })
}

impl Binary {
    /// The interpreter that the file is for: by its name, else by the interpreter's own library
    /// among its needs. None when neither says it.
    pub fn python_abi(&self, path: &str) -> Option<PythonAbi> {
        named_abi(path).or_else(|| self.needs.iter().find_map(|n| abi_of_library(n)))
    }
}

/// `libpython3.11.so.1.0`, `python311.dll`, `python3.dll`.
fn abi_of_library(name: &str) -> Option<PythonAbi> {
    let lower = name.rsplit('/').next()?.to_ascii_lowercase();
    if let Some(rest) = lower.strip_prefix("libpython") {
        let version: String = rest
            .chars()
            .take_while(|c| c.is_ascii_digit() || *c == '.')
            .collect();
        let (major, minor) = version.trim_end_matches('.').split_once('.')?;
        let threads = if rest
            .get(version.trim_end_matches('.').len()..)?
            .starts_with('t')
        {
            "t"
        } else {
            ""
        };
        return Some(PythonAbi::Exact(format!("cp{major}{minor}{threads}")));
    }
    let rest = lower.strip_prefix("python")?.strip_suffix(".dll")?;
    match rest {
        "3" | "3t" => Some(PythonAbi::Stable),
        _ if rest.starts_with(|c: char| c.is_ascii_digit()) => {
            Some(PythonAbi::Exact(windows_abi(rest.trim_end_matches("_d"))))
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("pkg/_core.cpython-311-x86_64-linux-gnu.so", Some("cp311"))]
    #[case("_core.cpython-36m-x86_64-linux-gnu.so", Some("cp36m"))]
    #[case("_core.cpython-313t-darwin.so", Some("cp313t"))]
    #[case("_core.abi3.so", Some("abi3"))]
    #[case("_core.cp311-win_amd64.pyd", Some("cp311"))]
    #[case("_core.cp37-win_amd64.pyd", Some("cp37m"))]
    #[case("_core.pypy310-pp73-x86_64-linux-gnu.so", Some("pypy310_pp73"))]
    #[case("_core.so", None)]
    #[case("_core.pyd", None)]
    #[case("libfirn.so.3", None)]
    #[case("cpu.cp.so", None)]
    fn names_tell_the_interpreter(#[case] path: &str, #[case] expected: Option<&str>) {
        assert_eq!(named_abi(path).map(|a| a.to_string()).as_deref(), expected);
    }

    #[rstest]
    #[case("libpython3.11.so.1.0", Some("cp311"))]
    #[case("libpython3.13t.so.1.0", Some("cp313t"))]
    #[case("python312.dll", Some("cp312"))]
    #[case("python313t.dll", Some("cp313t"))]
    #[case("PYTHON3.DLL", Some("abi3"))]
    #[case("libm.so.6", None)]
    fn libraries_tell_the_interpreter(#[case] library: &str, #[case] expected: Option<&str>) {
        assert_eq!(
            abi_of_library(library).map(|a| a.to_string()).as_deref(),
            expected
        );
    }

    #[rstest]
    #[case("a/_core.abi3.so", Some("_core"))]
    #[case("plain.py", None)]
    #[case(".so", None)]
    fn stems_are_what_is_imported(#[case] path: &str, #[case] expected: Option<&str>) {
        assert_eq!(module_stem(path), expected);
    }
}
