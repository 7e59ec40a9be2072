//! Executables of an environment (PEP 427, scripts; entry points specification): first lines, and
//! scripts for entry points.

use std::path::Path;

use eutaxis_core::artifact::EntryPoint;

/// Linux read only so many bytes of the first line before 5.1; longer lines are cut, so they are
/// avoided everywhere.
const LONGEST_FIRST_LINE: usize = 127;

/// The first lines that start a script with this interpreter, whatever its path is.
pub(super) fn first_lines(python: &Path) -> String {
    let path = python.to_string_lossy();
    let plain =
        path.len() + "#!".len() <= LONGEST_FIRST_LINE && !path.contains(char::is_whitespace);
    if plain {
        return format!("#!{path}\n");
    }
    // Both a shell script that starts the interpreter and, for the interpreter, a text that is
    // thrown away.
    let quoted: String = path
        .chars()
        .flat_map(|c| match c {
            '"' | '\\' | '$' | '`' => vec!['\\', c],
            c => vec![c],
        })
        .collect();
    format!("#!/bin/sh\n'''exec' \"{quoted}\" \"$0\" \"$@\"\n' '''\n")
}

/// The script of an entry point.
pub(super) fn entry_script(entry: &EntryPoint, python: &Path) -> String {
    let object = entry.object.as_deref().unwrap_or("main");
    let first = object.split('.').next().unwrap_or(object);
    let module = &entry.module;
    format!(
        "{}import sys\n\nfrom {module} import {first}\n\nif __name__ == \"__main__\":\n    \
            sys.exit({object}())\n",
        first_lines(python)
    )
}

/// A script of `.data/scripts` with its first line led to the environment's interpreter; none when
/// it is to be copied as it is.
pub(super) fn with_first_line(bytes: &[u8], python: &Path) -> Option<Vec<u8>> {
    let rest = bytes.strip_prefix(b"#!python")?;
    let end = rest
        .iter()
        .position(|b| *b == b'\n')
        .map_or(rest.len(), |at| at + 1);
    let mut out = first_lines(python).into_bytes();
    out.extend_from_slice(rest.get(end..).unwrap_or(&[]));
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("/env/bin/python", "#!/env/bin/python\n")]
    #[case(
        "/my env/bin/python",
        "#!/bin/sh\n'''exec' \"/my env/bin/python\" \"$0\" \"$@\"\n' '''\n"
    )]
    #[case(
        "/a$b c/python",
        "#!/bin/sh\n'''exec' \"/a\\$b c/python\" \"$0\" \"$@\"\n' '''\n"
    )]
    fn any_path_to_the_interpreter_works(#[case] path: &str, #[case] lines: &str) {
        assert_eq!(first_lines(Path::new(path)), lines);
    }

    #[test]
    fn long_paths_avoid_the_first_line() {
        let at_limit = format!("/{}", "x".repeat(124));
        assert!(first_lines(Path::new(&at_limit)).starts_with("#!/x"));
        assert!(first_lines(Path::new(&format!("{at_limit}x"))).starts_with("#!/bin/sh"));
    }

    #[test]
    fn only_python_first_lines_are_replaced() {
        let python = Path::new("/e/bin/python");
        assert_eq!(
            with_first_line(b"#!python\nx", python).unwrap(),
            b"#!/e/bin/python\nx"
        );
        assert_eq!(
            with_first_line(b"#!pythonw -x\nx", python).unwrap(),
            b"#!/e/bin/python\nx"
        );
        assert_eq!(with_first_line(b"#!/bin/sh\n", python), None);
    }
}
