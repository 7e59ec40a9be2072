//! Writing a lock file: keys in the order of the standard, entries by name, one element a line
//! where that keeps differences small. Equal locks give equal bytes.

use std::fmt::Write;

use super::lock::{Archive, Directory, Lock, LockFile, Package, Vcs};

impl Lock {
    /// The file's text.
    pub fn write(&self) -> String {
        let mut out = Out(String::new());
        out.text("lock-version", Some(&self.lock_version));
        out.list("environments", &self.environments);
        out.text("requires-python", self.requires_python.as_ref());
        out.list("extras", &self.extras);
        out.list("dependency-groups", &self.dependency_groups);
        out.list("default-groups", &self.default_groups);
        out.text("created-by", Some(&self.created_by));
        if self.packages.is_empty() {
            out.line("packages = []");
        }
        let mut packages: Vec<&Package> = self.packages.iter().collect();
        // Entries of one name stay in their order: it may be that of their markers.
        packages.sort_by(|a, b| a.name.cmp(&b.name));
        for package in packages {
            out.line("");
            out.package(package);
        }
        if let Some(tool) = &self.tool {
            out.tables("tool", tool);
        }
        out.0
    }
}

/// The text so far. Writing to a string cannot fail, so results of `write!` are dropped.
struct Out(String);

impl Out {
    fn line(&mut self, text: &str) {
        let _ = writeln!(self.0, "{text}");
    }

    fn text(&mut self, key: &str, value: Option<&String>) {
        if let Some(value) = value {
            let _ = writeln!(self.0, "{key} = {}", quoted(value));
        }
    }

    fn list(&mut self, key: &str, values: &[String]) {
        match values {
            [] => {}
            [one] => self.line(&format!("{key} = [{}]", quoted(one))),
            many => {
                let lines: Vec<String> = many
                    .iter()
                    .map(|v| format!("    {},\n", quoted(v)))
                    .collect();
                self.line(&format!("{key} = [\n{}]", lines.concat()));
            }
        }
    }

    fn inline_list(&mut self, key: &str, values: &[String]) {
        if !values.is_empty() {
            let lines: Vec<String> = values.iter().map(|v| format!("    {v},\n")).collect();
            self.line(&format!("{key} = [\n{}]", lines.concat()));
        }
    }

    /// Where a package comes from, if it is from no index.
    fn elsewhere(
        &mut self,
        vcs: Option<&Vcs>,
        directory: Option<&Directory>,
        archive: Option<&Archive>,
    ) {
        if let Some(vcs) = vcs {
            let keys = [
                ("type", Some(quoted(&vcs.kind))),
                ("url", vcs.url.as_deref().map(quoted)),
                ("path", vcs.path.as_deref().map(quoted)),
                (
                    "requested-revision",
                    vcs.requested_revision.as_deref().map(quoted),
                ),
                ("commit-id", Some(quoted(&vcs.commit_id))),
                ("subdirectory", vcs.subdirectory.as_deref().map(quoted)),
            ];
            self.line(&format!("vcs = {}", inline_keys(&keys)));
        }
        if let Some(directory) = directory {
            let keys = [
                ("path", Some(quoted(&directory.path))),
                ("editable", directory.editable.map(|e| e.to_string())),
                (
                    "subdirectory",
                    directory.subdirectory.as_deref().map(quoted),
                ),
            ];
            self.line(&format!("directory = {}", inline_keys(&keys)));
        }
        if let Some(archive) = archive {
            let mut keys = file_keys(&archive.file);
            keys.push(("subdirectory", archive.subdirectory.as_deref().map(quoted)));
            self.line(&format!("archive = {}", inline_keys(&keys)));
        }
    }

    fn package(&mut self, package: &Package) {
        // All of them: a key that is new is not forgotten here.
        let Package {
            name,
            version,
            marker,
            requires_python,
            dependencies,
            vcs,
            directory,
            archive,
            index,
            sdist,
            wheels,
            attestation_identities,
            tool,
        } = package;
        self.line("[[packages]]");
        self.text("name", Some(&name.to_string()));
        self.text("version", version.as_ref());
        self.text("marker", marker.as_ref());
        self.text("requires-python", requires_python.as_ref());
        let tables = |list: &[toml::Table]| {
            list.iter()
                .map(|t| inline(&toml::Value::Table(t.clone())))
                .collect::<Vec<_>>()
        };
        self.inline_list("dependencies", &tables(dependencies));
        self.elsewhere(vcs.as_ref(), directory.as_ref(), archive.as_ref());
        self.text("index", index.as_ref());
        if let Some(sdist) = sdist {
            self.line(&format!("sdist = {}", inline_keys(&file_keys(sdist))));
        }
        let wheels: Vec<String> = wheels.iter().map(|w| inline_keys(&file_keys(w))).collect();
        self.inline_list("wheels", &wheels);
        self.inline_list("attestation-identities", &tables(attestation_identities));
        if let Some(tool) = tool {
            self.tables("packages.tool", tool);
        }
    }

    /// Each table of a `tool` table under a heading of its own.
    #[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
    fn tables(&mut self, path: &str, tool: &toml::Table) {
        for (name, value) in tool {
            let heading = format!("{path}.{}", key(name));
            match value {
                toml::Value::Table(table) => {
                    self.line("");
                    self.line(&format!("[{heading}]"));
                    for (k, v) in table {
                        self.line(&format!("{} = {}", key(k), inline(v)));
                    }
                }
                other => self.line(&format!("{heading} = {}", inline(other))),
            }
        }
    }
}

fn file_keys(file: &LockFile) -> Vec<(&'static str, Option<String>)> {
    let hashes: Vec<String> = file
        .hashes
        .iter()
        .map(|(name, value)| format!("{} = {}", key(name), quoted(value)))
        .collect();
    vec![
        ("name", file.name.as_deref().map(quoted)),
        ("upload-time", file.upload_time.map(|t| t.to_string())),
        ("url", file.url.as_deref().map(quoted)),
        ("path", file.path.as_deref().map(quoted)),
        ("size", file.size.map(|s| s.to_string())),
        ("hashes", Some(format!("{{{}}}", hashes.join(", ")))),
    ]
}

fn inline_keys(keys: &[(&str, Option<String>)]) -> String {
    let stated: Vec<String> = keys
        .iter()
        .filter_map(|(k, v)| v.as_ref().map(|v| format!("{k} = {v}")))
        .collect();
    format!("{{{}}}", stated.join(", "))
}

fn key(text: &str) -> String {
    let bare = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_');
    if !text.is_empty() && text.bytes().all(bare) {
        text.to_owned()
    } else {
        quoted(text)
    }
}

fn quoted(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('"');
    for c in text.chars() {
        match c {
            '"' | '\\' => {
                out.push('\\');
                out.push(c);
            }
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            c if c.is_control() => {
                let _ = write!(out, "\\u{:04X}", u32::from(c));
            }
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
fn inline(value: &toml::Value) -> String {
    match value {
        toml::Value::String(text) => quoted(text),
        toml::Value::Array(items) => format!(
            "[{}]",
            items.iter().map(inline).collect::<Vec<_>>().join(", ")
        ),
        toml::Value::Table(table) => {
            let keys: Vec<String> = table
                .iter()
                .map(|(k, v)| format!("{} = {}", key(k), inline(v)))
                .collect();
            format!("{{{}}}", keys.join(", "))
        }
        other => other.to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Every key of the standard.
    pub(in crate::pins) const WHOLE: &str = r#"
lock-version = "1.0"
environments = ["sys_platform == 'linux' and platform_machine == 'x86_64'", "sys_platform == 'win32'"]
requires-python = ">=3.10,<3.14"
extras = ["fast-io"]
dependency-groups = ["test"]
default-groups = ["base"]
created-by = "made-up-locker"

[[packages]]
name = "snowpit"
version = "8.1"
marker = "'test' in dependency_groups"
index = "https://index.example/simple/"
dependencies = [{name = "icelens"}, {name = "moulin", version = "1"}]
[[packages.wheels]]
name = "snowpit-8.1-py3-none-any.whl"
url = "https://files.example/snowpit-8.1-py3-none-any.whl"
upload-time = 2024-03-01T10:20:30Z
size = 5
hashes = {sha256 = "2cf2", sha512 = "AB"}
[[packages.attestation-identities]]
kind = "publisher"
[packages.tool.made-up]
"odd key" = [1, 2.5, true, {a = "b\"\n"}]

[[packages]]
name = "local-tree"
directory = {path = "../local-tree", editable = true, subdirectory = "x"}

[[packages]]
name = "frostgrid"
version = "2.1+nor41"
marker = "sys_platform == 'linux'"
requires-python = ">=3.10"
wheels = [
  {url = "https://files.example/frostgrid-2.1%2Bnor41-cp311-cp311-manylinux_2_28_x86_64.whl", hashes = {sha256 = "e3b0"}},
]

[[packages]]
name = "frostgrid"
version = "2.1"
marker = "sys_platform == 'win32'"
sdist = {path = "wheels/frostgrid-2.1.tar.gz", size = 5, hashes = {sha256 = "2cf2"}}

[[packages]]
name = "pinned-tree"
vcs = {type = "git", url = "https://git.example/pinned-tree.git", requested-revision = "main", commit-id = "7921"}

[[packages]]
name = "wirepack"
version = "1.4.2"
marker = "'fast-io' in extras"
archive = {url = "https://files.example/wirepack-1.4.2.tar.gz", subdirectory = "y", hashes = {sha256 = "2cf2"}}

[tool.made-up-locker]
note = "free form"
"#;

    #[test]
    fn every_key_survives_reading_and_writing() {
        let lock = Lock::parse(WHOLE).unwrap();
        let text = lock.write();
        let again = Lock::parse(&text).unwrap();
        let mut sorted = lock.clone();
        sorted.packages.sort_by(|a, b| a.name.cmp(&b.name));
        assert_eq!(again, sorted, "{text}");
        assert_eq!(again.write(), text, "equal locks give equal bytes");
        let plain = |t: &str| toml::from_str::<toml::Table>(t).unwrap();
        let mut before = plain(WHOLE);
        if let Some(toml::Value::Array(packages)) = before.get_mut("packages") {
            packages.sort_by_key(|p| p["name"].to_string());
            packages[4]["wheels"][0]["hashes"]["sha512"] = toml::Value::String("ab".into());
        }
        assert_eq!(plain(&text), before);
    }

    #[rstest]
    #[case("created-by = 'x'\npackages = []", "`lock-version` is missing")]
    #[case(
        "lock-version = '2.0'\ncreated-by = 'x'\npackages = []",
        "2.0 is not one"
    )]
    #[case("lock-version = '1.0'\ncreated-by = 'x'", "not a pylock file")]
    #[case("lock-version = '1.0'\npackages = []", "`created-by` is missing")]
    #[case(
        "lock-version = '1.0'\ncreated-by = 'x'\n[[packages]]\nversion = '1'",
        "`name` is missing"
    )]
    #[case(
        "lock-version = '1.0'\ncreated-by = 'x'\n[[packages]]\nname = 'a'",
        "names no file"
    )]
    #[case(
        "lock-version = '1.0'\ncreated-by = 'x'\n[[packages]]\nname = 'a'\nsdist = \
            {path = 'a', hashes = {}}",
        "`hashes` is empty"
    )]
    #[case(
        "lock-version = '1.0'\ncreated-by = 'x'\n[[packages]]\nname = 'a'\nsdist = \
            {hashes = {sha256 = 'a'}}",
        "`url` or `path`"
    )]
    #[case(
        "lock-version = '1.0'\ncreated-by = 'x'\n[[packages]]\nname = 'a'\ndirectory = \
            {path='b'}\nsdist = {path='c', hashes = {sha256 = 'a'}}",
        "exclude each other"
    )]
    fn bad_locks_are_refused(#[case] text: &str, #[case] part: &str) {
        let fault = Lock::parse(text).unwrap_err();
        assert!(fault.to_string().contains(part), "{fault}");
    }
}
