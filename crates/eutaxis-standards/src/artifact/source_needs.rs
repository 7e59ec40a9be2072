//! What a source distribution says that it needs, where it is not static by the standard (PEP 643):
//! the files that tools of older kinds leave in their archives. Such needs are unsure: a build may
//! come to others.

use std::fmt::Write as _;

use super::Metadata;
use crate::fault::Fault;
use crate::name::Name;
use crate::version::VersionSpecifier;

/// Where unsure needs were found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Unsure {
    /// `NAME.egg-info/requires.txt`, or that there is none in such a folder.
    Requires,
    /// PKG-INFO of metadata before 2.2, or one whose needs are dynamic.
    Info,
    /// `install_requires` of `setup.cfg`.
    Settings,
    /// Nowhere: only a build would tell, and none was counted on.
    Build,
}

impl Unsure {
    /// All of them.
    pub const ALL: [Unsure; 4] = [
        Unsure::Requires,
        Unsure::Info,
        Unsure::Settings,
        Unsure::Build,
    ];

    /// The file that told them; `build` where a build is to tell.
    pub fn as_str(self) -> &'static str {
        match self {
            Unsure::Requires => "requires.txt",
            Unsure::Info => "PKG-INFO",
            Unsure::Settings => "setup.cfg",
            Unsure::Build => "build",
        }
    }

    /// The one that a file's name stands for.
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|u| u.as_str() == word)
    }
}

/// The files of a source distribution that tell what it needs.
#[derive(Debug, Clone, Default)]
pub struct SourceFiles {
    info: Option<Vec<u8>>,
    project: Option<Vec<u8>>,
    settings: Option<Vec<u8>>,
    /// Files of `*.egg-info` folders at the top or right below it, with the folder's name.
    eggs: Vec<(String, &'static str, Vec<u8>)>,
}

/// Files of an `*.egg-info` folder that count; that it is there at all counts too.
const OF_EGGS: [&str; 3] = ["PKG-INFO", "requires.txt", "SOURCES.txt"];

impl SourceFiles {
    /// Whether a member of the archive counts, by its path with the one top folder.
    pub fn counts(path: &str) -> bool {
        let parts: Vec<&str> = path.split('/').collect();
        matches!(
            parts.as_slice(),
            [_, "PKG-INFO" | "pyproject.toml" | "setup.cfg"]
        ) || egg_of(&parts).is_some()
    }

    /// Takes a member; those that do not count are let be.
    pub fn take(&mut self, path: &str, bytes: Vec<u8>) {
        let parts: Vec<&str> = path.split('/').collect();
        match parts.as_slice() {
            [_, "PKG-INFO"] => self.info = Some(bytes),
            [_, "pyproject.toml"] => self.project = Some(bytes),
            [_, "setup.cfg"] => self.settings = Some(bytes),
            parts => {
                if let Some((folder, file)) = egg_of(parts) {
                    self.eggs.push((folder.to_owned(), file, bytes));
                }
            }
        }
    }

    /// Whether what was seen says all for sure, so that the rest of the archive need not be read.
    pub fn says_all(&self) -> bool {
        let static_info =
            |info: &Vec<u8>| Metadata::parse(info).is_ok_and(|m| m.needs_are_static());
        self.info.as_ref().is_some_and(static_info)
            || self.info.is_some() && self.static_project().is_some()
    }

    fn static_project(&self) -> Option<Metadata> {
        let text = String::from_utf8_lossy(self.project.as_deref()?);
        // A project file that cannot be read says nothing; building would tell.
        Metadata::from_pyproject(&text).ok().flatten()
    }

    /// What the archive says of itself, for sure or not; none when only building would tell.
    ///
    /// # Errors
    /// When PKG-INFO cannot be read.
    pub fn metadata(&self) -> Result<Option<Metadata>, Fault> {
        let info = self.info.as_deref().map(Metadata::parse).transpose()?;
        if let Some(metadata) = info.as_ref().filter(|m| m.needs_are_static()) {
            return Ok(Some(metadata.clone()));
        }
        if let Some(metadata) = self.static_project() {
            return Ok(Some(metadata));
        }
        Ok(info.and_then(|info| self.unsure(info)))
    }

    /// What files of an older kind say.
    fn unsure(&self, info: Metadata) -> Option<Metadata> {
        let egg = self.egg(&info.name);
        let in_egg = |file: &str| {
            let mut files = self.eggs.iter();
            files
                .find(|(folder, name, _)| Some(folder) == egg.as_ref() && *name == file)
                .map(|(_, _, bytes)| String::from_utf8_lossy(bytes).into_owned())
        };
        if let Some(text) = in_egg("requires.txt") {
            return Some(with(info, &lines_of_egg(&text), None, Unsure::Requires));
        }
        if !info.requires.is_empty() || !info.unread.is_empty() {
            return Some(Metadata {
                unsure: Some(Unsure::Info),
                ..info
            });
        }
        if egg.is_some() {
            return Some(Metadata {
                unsure: Some(Unsure::Requires),
                ..info
            });
        }
        let settings = String::from_utf8_lossy(self.settings.as_deref()?).into_owned();
        let (lines, python) = lines_of_settings(&settings)?;
        Some(with(info, &lines, python, Unsure::Settings))
    }

    /// The folder of the project itself: archives carry others in their tests.
    fn egg(&self, project: &Name) -> Option<String> {
        let is_own = |folder: &str| {
            let stem = folder.strip_suffix(".egg-info").unwrap_or(folder);
            Name::parse(stem).is_ok_and(|n| n == *project)
        };
        let own = self.eggs.iter().find(|(folder, _, _)| is_own(folder));
        own.map(|(folder, _, _)| folder.clone())
    }
}

/// The folder and the file, when a path is one in an `*.egg-info` folder that counts.
fn egg_of<'a>(parts: &[&'a str]) -> Option<(&'a str, &'static str)> {
    let (folder, file) = match parts {
        [_, folder, file] | [_, _, folder, file] => (*folder, *file),
        _ => return None,
    };
    if !folder.ends_with(".egg-info") {
        return None;
    }
    let file = OF_EGGS.iter().find(|f| **f == file)?;
    Some((folder, file))
}

/// The metadata with needs from elsewhere, given as lines of METADATA and read as those are.
fn with(
    info: Metadata,
    lines: &[String],
    python: Option<VersionSpecifier>,
    from: Unsure,
) -> Metadata {
    let mut text = format!(
        "Metadata-Version: 2.1\nName: {}\nVersion: {}\n",
        info.name, info.version
    );
    for line in lines {
        // Writing to a string cannot fail.
        let _ = writeln!(text, "{line}");
    }
    let read = Metadata::parse(text.as_bytes());
    let (requires, unread, mut extras) = read
        .map(|m| (m.requires, m.unread, m.extras))
        .unwrap_or_default();
    extras.extend(info.extras.iter().cloned());
    extras.dedup();
    Metadata {
        requires,
        unread,
        extras,
        requires_python: info.requires_python.or(python),
        unsure: Some(from),
        ..info
    }
}

/// The marker under which an extra's needs count, and the line that offers it.
fn of_extra(extra: &str) -> (String, String) {
    let extra = extra.trim().replace(['\'', '"'], "");
    (
        format!("extra == '{extra}'"),
        format!("Provides-Extra: {extra}"),
    )
}

/// The requirements of a `requires.txt`, as lines of METADATA: lines, and sections `[extra]`,
/// `[:marker]` and `[extra:marker]` under which they count.
fn lines_of_egg(text: &str) -> Vec<String> {
    let mut under = String::new();
    let mut all = Vec::new();
    let counts = |l: &&str| !l.is_empty() && !l.starts_with('#');
    for line in text.lines().map(str::trim).filter(counts) {
        if let Some(section) = line.strip_prefix('[').and_then(|l| l.strip_suffix(']')) {
            let (extra, marker) = section.split_once(':').unwrap_or((section, ""));
            let mut own = String::new();
            if !extra.trim().is_empty() {
                let (marker, offer) = of_extra(extra);
                own = marker;
                all.push(offer);
            }
            under = both(marker, &own);
            continue;
        }
        all.push(under_marker(line, &under));
    }
    all
}

/// Two markers that must both hold; each may be empty.
fn both(one: &str, other: &str) -> String {
    match (one.trim(), other.trim()) {
        ("", other) => other.to_owned(),
        (one, "") => one.to_owned(),
        (one, other) => format!("({one}) and {other}"),
    }
}

/// A requirement under a marker, as a line of METADATA.
fn under_marker(line: &str, under: &str) -> String {
    let (requirement, own) = line.split_once(';').unwrap_or((line, ""));
    let requirement = requirement.trim();
    match both(own, under).as_str() {
        "" => format!("Requires-Dist: {requirement}"),
        marker => format!("Requires-Dist: {requirement} ; {marker}"),
    }
}

/// `install_requires`, what `[options.extras_require]` adds, and `python_requires`; none where they
/// stand elsewhere.
fn lines_of_settings(text: &str) -> Option<(Vec<String>, Option<VersionSpecifier>)> {
    let values = settings(text);
    let of = |section: &str, key: &str| {
        let mut all = values.iter();
        all.find(|(s, k, _)| s == section && k == key)
            .map(|(_, _, v)| v)
    };
    // `file: ...` and `attr: ...` stand for something that a build reads.
    let is_here = |lines: &[String]| {
        let elsewhere = |l: &String| l.starts_with("file:") || l.starts_with("attr:");
        !lines.iter().any(elsewhere)
    };
    let base = of("options", "install_requires").filter(|lines| is_here(lines))?;
    let mut needs: Vec<String> = base.iter().map(|l| under_marker(l, "")).collect();
    let extras = values
        .iter()
        .filter(|(s, _, _)| s == "options.extras_require");
    for (_, extra, lines) in extras {
        let (marker, offer) = of_extra(extra);
        needs.push(offer);
        if !is_here(lines) {
            return None;
        }
        needs.extend(lines.iter().map(|l| under_marker(l, &marker)));
    }
    let python = of("options", "python_requires").and_then(|lines| lines.first());
    let python = python.and_then(|text| VersionSpecifier::parse(text).ok());
    Some((needs, python))
}

/// Section, key and the lines of each value of a file in the form of `setup.cfg`.
fn settings(text: &str) -> Vec<(String, String, Vec<String>)> {
    let mut section = String::new();
    let mut values: Vec<(String, String, Vec<String>)> = Vec::new();
    for line in text.lines() {
        let plain = line.trim();
        if plain.is_empty() || plain.starts_with('#') || plain.starts_with(';') {
            continue;
        }
        if line.starts_with([' ', '\t']) {
            if let Some((_, _, lines)) = values.last_mut() {
                lines.push(plain.to_owned());
            }
        } else if let Some(name) = plain.strip_prefix('[').and_then(|l| l.strip_suffix(']')) {
            name.trim().clone_into(&mut section);
        } else if let Some((key, value)) = plain.split_once(['=', ':']) {
            let first = value.trim();
            let lines = (!first.is_empty()).then(|| first.to_owned());
            values.push((
                section.clone(),
                key.trim().to_owned(),
                lines.into_iter().collect(),
            ));
        }
    }
    values
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const INFO: &str = "Metadata-Version: 1.2\nName: Firn-IO\nVersion: 1.3\n";

    fn of(members: &[(&str, &str)]) -> Option<Metadata> {
        let mut files = SourceFiles::default();
        for (path, text) in members {
            let path = format!("firn-io-1.3/{path}");
            if SourceFiles::counts(&path) {
                files.take(&path, text.as_bytes().to_vec());
            }
        }
        files.metadata().unwrap()
    }

    fn told(members: &[(&str, &str)]) -> String {
        of(members).map_or("nothing".to_owned(), |m| {
            let needs: Vec<String> = m.requires.iter().map(ToString::to_string).collect();
            format!(
                "{}: {}",
                m.unsure.map_or("sure", Unsure::as_str),
                needs.join(", ")
            )
        })
    }

    #[rstest]
    #[case::only_building_tells(&[("PKG-INFO", INFO), ("setup.py", "")], "nothing")]
    #[case::static_wins(&[("PKG-INFO", "Metadata-Version: 2.2\nName: firn-io\nVersion: 1.3\nRequires-Dist: moulin\n"),
        ("firn_io.egg-info/requires.txt", "serac\n")], "sure: moulin")]
    #[case::dynamic_is_unsure(&[("PKG-INFO", "Metadata-Version: 2.4\nName: firn-io\nVersion: 1.3\nDynamic: requires-dist\nRequires-Dist: moulin\n")],
        "PKG-INFO: moulin")]
    #[case::project_file(&[("PKG-INFO", INFO), ("pyproject.toml", "[project]\nname='firn-io'\nversion='1.3'\ndependencies=['serac']")], "sure: serac")]
    #[case::requires(&[("PKG-INFO", INFO), ("firn_io.egg-info/requires.txt", "serac>=2\nmoulin\n\n[:os_name == 'nt']\nrime\n\n[wide]\nneve; os_name == 'nt'\n")],
        "requires.txt: serac>=2, moulin, rime; os_name == 'nt', neve; os_name == 'nt' and extra == 'wide'")]
    #[case::below_src(&[("PKG-INFO", INFO), ("src/Firn_IO.egg-info/requires.txt", "serac")], "requires.txt: serac")]
    #[case::of_its_tests(&[("PKG-INFO", INFO), ("tests/other.egg-info/requires.txt", "serac")], "nothing")]
    #[case::a_folder_without_the_list(&[("PKG-INFO", INFO), ("firn_io.egg-info/SOURCES.txt", "x")], "requires.txt: ")]
    #[case::older_metadata(&[("PKG-INFO", "Metadata-Version: 2.1\nName: firn-io\nVersion: 1.3\nRequires-Dist: moulin (>=2)\n")], "PKG-INFO: moulin>=2")]
    #[case::settings(&[("PKG-INFO", INFO), ("setup.cfg", "[options]\ninstall_requires =\n    serac>=1\n    moulin; os_name == 'nt'\n[options.extras_require]\nwide = neve\n")],
        "setup.cfg: serac>=1, moulin; os_name == 'nt', neve; extra == 'wide'")]
    #[case::settings_that_lead_elsewhere(&[("PKG-INFO", INFO), ("setup.cfg", "[options]\ninstall_requires = file: needs.txt\n")], "nothing")]
    #[case::without_info(&[("setup.cfg", "[options]\ninstall_requires = serac\n")], "nothing")]
    fn what_archives_say(#[case] members: &[(&str, &str)], #[case] expected: &str) {
        assert_eq!(told(members), expected);
    }

    #[test]
    fn extras_of_older_kinds_are_offered() {
        let requires = ("firn_io.egg-info/requires.txt", "[wide]\nneve\n");
        let metadata = of(&[("PKG-INFO", INFO), requires]).unwrap();
        assert_eq!(metadata.extras, [Name::parse("wide").unwrap()]);
    }

    #[test]
    fn reading_stops_where_all_is_sure() {
        let mut files = SourceFiles::default();
        files.take("a-1/PKG-INFO", INFO.into());
        assert!(!files.says_all());
        files.take(
            "a-1/pyproject.toml",
            b"[build-system]\nrequires=[]".to_vec(),
        );
        assert!(!files.says_all(), "what is unsure may come yet");
        files.take(
            "a-1/pyproject.toml",
            b"[project]\nname='a'\nversion='1'".to_vec(),
        );
        assert!(files.says_all());
    }

    proptest::proptest! {
        #[test]
        fn no_text_makes_it_panic(text in "\\PC*") {
            let _ = lines_of_egg(&text);
            let _ = lines_of_settings(&text);
        }
    }
}
