//! `entry_points.txt` (entry points specification): groups of names that lead to objects; two
//! groups become scripts.

use std::collections::BTreeSet;

use crate::fault::{Fault, escaped};

/// The entry points of a project, in the order written.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct EntryPoints {
    /// All of them.
    pub all: Vec<EntryPoint>,
    /// Lines that readers stumble over, for people.
    pub remarks: Vec<String>,
}

/// A name that leads to an object.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EntryPoint {
    /// Group, such as `console_scripts`.
    pub group: String,
    /// Name, case kept.
    pub name: String,
    /// Dotted module.
    pub module: String,
    /// Dotted attribute of the module, if any.
    pub object: Option<String>,
}

impl EntryPoints {
    /// Reads the file.
    ///
    /// # Errors
    /// When it is not UTF-8, a line has no `=`, a value leads to nothing, or a script's name cannot
    /// be a file name.
    pub fn parse(bytes: &[u8]) -> Result<Self, Fault> {
        let text = std::str::from_utf8(bytes)
            .map_err(|e| Fault::new("entry_points.txt is not UTF-8", e.valid_up_to()))?;
        let mut found = EntryPoints::default();
        let mut group = None;
        for (number, line) in text.lines().enumerate() {
            let line = line.trim();
            let fault = |what: &str| {
                Fault::new(
                    format!(
                        "entry_points.txt line {}: {what}: `{}`",
                        number + 1,
                        escaped(line)
                    ),
                    0,
                )
            };
            if line.is_empty() || line.starts_with('#') {
                continue;
            }
            if line.starts_with(';') {
                found.remarks.push(format!(
                    "entry_points.txt line {}: `;` does not begin a comment for all readers",
                    number + 1
                ));
                continue;
            }
            if let Some(name) = line.strip_prefix('[').and_then(|l| l.strip_suffix(']')) {
                group = Some(name.trim().to_owned());
                continue;
            }
            let (Some(group), Some((name, value))) = (&group, line.split_once('=')) else {
                return Err(fault(
                    "a group `[name]`, or `name = module:object` inside one, is expected",
                ));
            };
            let entry = read(group, name.trim(), value)
                .ok_or_else(|| fault("this leads to no module and object"))?;
            if entry.is_script() && (entry.object.is_none() || !is_file_name(&entry.name)) {
                return Err(fault("a script needs a plain name and `module:object`"));
            }
            if found
                .all
                .iter()
                .any(|e| e.group == entry.group && e.name == entry.name)
            {
                found.remarks.push(format!(
                    "entry_points.txt line {}: `{}` is named twice",
                    number + 1,
                    escaped(&entry.name)
                ));
                continue;
            }
            found.all.push(entry);
        }
        Ok(found)
    }

    /// The modules in which executables start, each once; none where the file cannot be read.
    pub fn starts(bytes: &[u8]) -> BTreeSet<String> {
        let points = EntryPoints::parse(bytes).unwrap_or_default();
        points.scripts().map(|e| e.module.clone()).collect()
    }

    /// Those that become executables.
    pub fn scripts(&self) -> impl Iterator<Item = &EntryPoint> {
        self.all.iter().filter(|e| e.is_script())
    }
}

impl EntryPoint {
    fn is_script(&self) -> bool {
        matches!(self.group.as_str(), "console_scripts" | "gui_scripts")
    }
}

fn read(group: &str, name: &str, value: &str) -> Option<EntryPoint> {
    // Extras behind the value are deprecated and ignored.
    let value = value.split('[').next().unwrap_or("").trim();
    let (module, object) = match value.split_once(':') {
        Some((module, object)) => (module.trim(), Some(object.trim())),
        None => (value, None),
    };
    let dotted = |t: &str| !t.is_empty() && t.split('.').all(is_identifier);
    if name.is_empty() || !dotted(module) || object.is_some_and(|o| !dotted(o)) {
        return None;
    }
    Some(EntryPoint {
        group: group.to_owned(),
        name: name.to_owned(),
        module: module.to_owned(),
        object: object.map(str::to_owned),
    })
}

fn is_identifier(text: &str) -> bool {
    let mut chars = text.chars();
    chars.next().is_some_and(|c| c.is_alphabetic() || c == '_')
        && chars.all(|c| c.is_alphanumeric() || c == '_')
}

fn is_file_name(text: &str) -> bool {
    let plain = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_' | b'.');
    text.bytes().all(plain) && !text.starts_with('.')
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn groups_and_scripts_are_read() {
        let text = b"# made\n[console_scripts]\nRadar = radargram.cli:main\nlog = fieldlog : \
            run.now [x, y]\n\n[fieldlog.readers]\nraw = wirepack\n";
        let found = EntryPoints::parse(text).unwrap();
        let scripts: Vec<_> = found
            .scripts()
            .map(|e| (e.name.as_str(), e.module.as_str(), e.object.as_deref()))
            .collect();
        assert_eq!(
            scripts,
            [
                ("Radar", "radargram.cli", Some("main")),
                ("log", "fieldlog", Some("run.now"))
            ]
        );
        assert_eq!(found.all.len(), 3);
    }

    #[rstest]
    #[case("[console_scripts]\na = b\n", "needs a plain name")]
    #[case("[console_scripts]\n../a = b:c\n", "needs a plain name")]
    #[case("a = b:c\n", "a group")]
    #[case("[g]\noops\n", "line 2")]
    #[case("[g]\na = b-c:d\n", "leads to no module")]
    #[case("[g]\na = import os; os:x\n", "leads to no module")]
    fn bad_lines_are_refused(#[case] text: &str, #[case] part: &str) {
        let fault = EntryPoints::parse(text.as_bytes()).unwrap_err();
        assert!(fault.message().contains(part), "{fault}");
    }

    #[test]
    fn doubled_names_and_odd_comments_are_remarks() {
        let found = EntryPoints::parse(b"; odd\n[g]\na = b\na = c\n").unwrap();
        assert_eq!((found.all.len(), found.remarks.len()), (1, 2));
    }
}
