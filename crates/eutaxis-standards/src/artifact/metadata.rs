//! Core metadata (core metadata specifications: PEP 241 to 643): the METADATA of a wheel and the
//! PKG-INFO of a source distribution.
//!
//! Lines `Name: value` up to the first empty line; a line that begins with white space continues
//! the value before; the first line without a colon ends the fields, and everything from there is
//! the description.

use crate::document::Document;
use crate::fault::{Fault, FaultKind, escaped};
use crate::marker::{Comparison, Marker, MarkerValues, Operand, Relation, Variable};
use crate::name::Name;
use crate::requirement::Requirement;
use crate::version::{Operator, Version, VersionSpecifier};

use super::Unsure;

/// Metadata of more bytes than this is refused.
const LARGEST: usize = 16 * 1024 * 1024;

/// How a classifier begins that names a series of the language.
const LANGUAGE: &str = "Programming Language :: Python :: ";

/// What the fields say that choosing and examining need.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Metadata {
    /// `Metadata-Version`, as major and minor.
    pub metadata_version: (u32, u32),
    /// The project.
    pub name: Name,
    /// The release.
    pub version: Version,
    /// Interpreters it runs on; none when not stated or not readable.
    pub requires_python: Option<VersionSpecifier>,
    /// What it needs, in the order written.
    pub requires: Vec<Requirement>,
    /// What of its needs cannot be read as it is written.
    pub unread: Vec<Unread>,
    /// Extras it offers, in the order written.
    pub extras: Vec<Name>,
    /// Fields that a build may change, in lower case (2.2 and later, source distributions).
    pub dynamic: Vec<String>,
    /// One line about the project.
    pub summary: Option<String>,
    /// Modules that can be imported, as far as stated (2.5).
    pub import_names: Vec<String>,
    /// The newest series of the language that its classifiers name, as major and minor.
    pub classified: Option<(u64, u64)>,
    /// Faults that did not keep the rest from being read, for people.
    pub remarks: Vec<String>,
    /// The needs are those that an older source distribution tells, of which a build may come to
    /// others: where they were found.
    pub unsure: Option<Unsure>,
}

/// A requirement that cannot be read as it is written: a bound in an old or broken spelling, for
/// example.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unread {
    /// As written, in one line.
    pub text: String,
    /// What is left of it without its bounds, by its place in `requires`; none when not even the
    /// project can be read.
    pub at: Option<usize>,
}

/// One field as written.
struct Field {
    name: String,
    value: String,
}

/// The series of the language that a classifier names.
fn classified(classifier: &str) -> Option<(u64, u64)> {
    let (major, minor) = classifier.trim().strip_prefix(LANGUAGE)?.split_once('.')?;
    Some((major.parse().ok()?, minor.parse().ok()?))
}

impl Metadata {
    /// Reads metadata.
    ///
    /// # Errors
    /// When a required field is missing or unreadable, the major of `Metadata-Version` is above 2,
    /// or the text is larger than 16 MiB.
    pub fn parse(bytes: &[u8]) -> Result<Self, Fault> {
        if bytes.len() > LARGEST {
            return Err(Fault::of(
                FaultKind::Limit,
                format!("metadata is larger than {LARGEST} bytes"),
                LARGEST,
            ));
        }
        let text = String::from_utf8_lossy(bytes);
        let (fields, mut remarks) = fields(&text);
        let first = |name: &str| {
            fields
                .iter()
                .find(|f| f.name == name)
                .map(|f| f.value.as_str())
        };
        let required = |name: &str, shown: &str| {
            first(name).filter(|v| !v.is_empty()).ok_or_else(|| {
                Fault::of(
                    FaultKind::Absent,
                    format!("metadata: `{shown}` is missing"),
                    0,
                )
            })
        };
        let metadata_version = metadata_version(
            required("metadata-version", "Metadata-Version")?,
            &mut remarks,
        )?;
        let name =
            Name::parse(required("name", "Name")?).map_err(|f| f.within("metadata: Name"))?;
        let version = Version::parse(required("version", "Version")?)
            .map_err(|f| f.within("metadata: Version"))?;
        let requires_python = first("requires-python")
            .filter(|v| !v.is_empty())
            .and_then(|text| {
                VersionSpecifier::parse_lenient(text)
                    .map_err(|f| remarks.push(format!("Requires-Python is left out: {f}")))
                    .ok()
            });
        let mut requires = Vec::new();
        let mut unread = Vec::new();
        for field in fields.iter().filter(|f| f.name == "requires-dist") {
            match Requirement::parse_lenient(&field.value) {
                Ok(requirement) => requires.push(requirement),
                Err(_) => {
                    let text = field.value.split_whitespace().collect::<Vec<_>>().join(" ");
                    let rest = without_bounds(&text);
                    unread.push(Unread {
                        at: rest.is_some().then_some(requires.len()),
                        text,
                    });
                    requires.extend(rest);
                }
            }
        }
        let all = |name: &str| {
            fields
                .iter()
                .filter(|f| f.name == name)
                .map(|f| f.value.clone())
                .collect::<Vec<_>>()
        };
        let mut extras = Vec::new();
        for text in all("provides-extra") {
            match Name::parse(&text) {
                Ok(extra) if extras.contains(&extra) => {
                    remarks.push(format!("Provides-Extra names `{extra}` twice"))
                }
                Ok(extra) => extras.push(extra),
                Err(fault) => remarks.push(format!("Provides-Extra is left out: {fault}")),
            }
        }
        Ok(Metadata {
            metadata_version,
            name,
            version,
            requires_python,
            requires,
            unread,
            extras,
            dynamic: all("dynamic")
                .iter()
                .map(|d| d.to_ascii_lowercase())
                .collect(),
            summary: first("summary").map(str::to_owned),
            import_names: all("import-name"),
            classified: all("classifier").iter().filter_map(|c| classified(c)).max(),
            remarks,
            unsure: None,
        })
    }

    /// Metadata that says nothing of a release but which it is.
    pub fn unsaid(name: Name, version: Version) -> Self {
        Metadata {
            metadata_version: (2, 2),
            name,
            version,
            requires_python: None,
            requires: Vec::new(),
            unread: Vec::new(),
            extras: Vec::new(),
            dynamic: Vec::new(),
            summary: None,
            import_names: Vec::new(),
            classified: None,
            remarks: Vec::new(),
            unsure: None,
        }
    }

    /// The fields that choosing needs, as text that [`Metadata::parse`] reads to the same: for
    /// keeping, without the description, which is most of a metadata file.
    pub fn to_text(&self) -> String {
        let (major, minor) = self.metadata_version;
        let mut text = format!(
            "Metadata-Version: {major}.{minor}\nName: {}\nVersion: {}\n",
            self.name, self.version
        );
        let mut line = |field: &str, value: &dyn std::fmt::Display| {
            text.push_str(&format!("{field}: {value}\n"))
        };
        self.summary.iter().for_each(|v| line("Summary", v));
        self.requires_python
            .iter()
            .for_each(|v| line("Requires-Python", v));
        self.extras.iter().for_each(|v| line("Provides-Extra", v));
        for (at, requirement) in self.requires.iter().enumerate() {
            match self.unread.iter().find(|u| u.at == Some(at)) {
                Some(unread) => line("Requires-Dist", &unread.text),
                None => line("Requires-Dist", requirement),
            }
        }
        self.unread
            .iter()
            .filter(|u| u.at.is_none())
            .for_each(|u| line("Requires-Dist", &u.text));
        self.dynamic.iter().for_each(|v| line("Dynamic", v));
        self.import_names
            .iter()
            .for_each(|v| line("Import-Name", v));
        self.classified
            .iter()
            .for_each(|(major, minor)| line("Classifier", &format!("{LANGUAGE}{major}.{minor}")));
        text
    }

    /// The metadata that the `pyproject.toml` of a source distribution states, when nothing that
    /// choosing needs is dynamic (PEP 621); none otherwise.
    ///
    /// # Errors
    /// When the file is not TOML or a field of `[project]` cannot be read.
    pub fn from_pyproject(text: &str) -> Result<Option<Self>, Fault> {
        let document = Document::parse(text)?;
        let Some(project) = document.root().table("project")? else {
            return Ok(None);
        };
        let dynamic = project.strings("dynamic")?.unwrap_or_default();
        let needed = [
            "version",
            "dependencies",
            "optional-dependencies",
            "requires-python",
        ];
        if dynamic.iter().any(|d| needed.contains(&d.value)) {
            return Ok(None);
        }
        let (Some(name), Some(version)) = (project.string("name")?, project.string("version")?)
        else {
            return Ok(None);
        };
        let read = |text: &str| Requirement::parse_lenient(text);
        let classifiers = project
            .strings("classifiers")
            .ok()
            .flatten()
            .unwrap_or_default();
        let mut requires = Vec::new();
        for text in project.strings("dependencies")?.unwrap_or_default() {
            requires.push(read(text.value).map_err(|f| f.shifted(text.at))?);
        }
        let mut extras = Vec::new();
        for (key, value) in project
            .table("optional-dependencies")?
            .iter()
            .flat_map(|t| t.entries().collect::<Vec<_>>())
        {
            let extra = Name::parse(key.value).map_err(|f| f.shifted(key.at))?;
            for item in value.items()? {
                let text = item.string()?;
                let mut requirement = read(text.value).map_err(|f| f.shifted(text.at))?;
                requirement.marker = Some(
                    requirement
                        .marker
                        .take()
                        .map_or_else(|| under(&extra), |m| Marker::And(vec![m, under(&extra)])),
                );
                requires.push(requirement);
            }
            extras.push(extra);
        }
        let requires_python = match project.string("requires-python")? {
            Some(text) => {
                Some(VersionSpecifier::parse_lenient(text.value).map_err(|f| f.shifted(text.at))?)
            }
            None => None,
        };
        Ok(Some(Metadata {
            metadata_version: (2, 2),
            name: Name::parse(name.value).map_err(|f| f.shifted(name.at))?,
            version: Version::parse(version.value).map_err(|f| f.shifted(version.at))?,
            requires_python,
            requires,
            unread: Vec::new(),
            extras,
            dynamic: Vec::new(),
            summary: project.string("description")?.map(|t| t.value.to_owned()),
            import_names: Vec::new(),
            classified: classifiers.iter().filter_map(|c| classified(c.value)).max(),
            remarks: Vec::new(),
            unsure: None,
        }))
    }

    /// The needs that count where these markers hold and with these extras, in words without their
    /// markers, sorted: to compare what two say of one release.
    pub fn needs_in_force(&self, values: &MarkerValues, extras: &[Name]) -> Vec<String> {
        let counts = |requirement: &&Requirement| {
            let Some(marker) = &requirement.marker else {
                return true;
            };
            marker.holds(values, None) || extras.iter().any(|e| marker.holds(values, Some(e)))
        };
        let words = |requirement: &Requirement| {
            Requirement {
                marker: None,
                ..requirement.clone()
            }
            .to_string()
        };
        let mut all: Vec<String> = self.requires.iter().filter(counts).map(words).collect();
        all.sort();
        all.dedup();
        all
    }

    /// Whether the needs of a source distribution with this metadata are those of every wheel built
    /// from it (PEP 643: metadata 2.2 or later, the fields not dynamic).
    pub fn needs_are_static(&self) -> bool {
        let dynamic = |field: &str| self.dynamic.iter().any(|d| d == field);
        self.metadata_version >= (2, 2) && !dynamic("requires-dist") && !dynamic("requires-python")
    }
}

/// What is left of a requirement whose bounds cannot be read: its project, extras and marker. None
/// when the project, or the marker under which it counts, cannot be read.
fn without_bounds(text: &str) -> Option<Requirement> {
    let (head, marker) = text
        .split_once(';')
        .map_or((text, None), |(head, marker)| (head, Some(marker)));
    let end = head
        .find(|c: char| !c.is_ascii_alphanumeric() && !matches!(c, '.' | '_' | '-'))
        .unwrap_or(head.len());
    let (name, rest) = head.split_at_checked(end)?;
    let extras = rest
        .trim_start()
        .strip_prefix('[')
        .and_then(|r| r.split_once(']'))
        .map(|(inside, _)| inside);
    // A second word behind the name is no bound: who knows what was meant.
    let after = rest
        .trim_start()
        .trim_start_matches(|c: char| !c.is_ascii_alphabetic() && c != '[');
    if extras.is_none() && rest.starts_with(' ') && after.len() == rest.trim_start().len() {
        return None;
    }
    let extras = extras.map_or(String::new(), |inside| format!("[{inside}]"));
    let marker = marker.map_or(String::new(), |m| format!("; {m}"));
    Requirement::parse_lenient(&format!("{name}{extras}{marker}")).ok()
}

/// `extra == "NAME"`
fn under(extra: &Name) -> Marker {
    Marker::Compare(Box::new(Comparison {
        left: Operand::Variable(Variable::Extra),
        relation: Relation::Version(Operator::Equal),
        right: Operand::Text(extra.to_string()),
    }))
}

fn metadata_version(text: &str, remarks: &mut Vec<String>) -> Result<(u32, u32), Fault> {
    let parsed = text
        .split_once('.')
        .and_then(|(a, b)| Some((a.parse().ok()?, b.parse().ok()?)));
    let Some((major, minor)) = parsed else {
        return Err(Fault::new(
            format!("metadata: Metadata-Version `{}` is not one", escaped(text)),
            0,
        ));
    };
    if major > 2 {
        return Err(Fault::of(
            FaultKind::Newer,
            format!("metadata: Metadata-Version {text} is newer than this program reads (2)"),
            0,
        ));
    }
    if (major, minor) > (2, 5) {
        remarks.push(format!(
            "Metadata-Version {text} is newer than this program knows (2.5)"
        ));
    }
    Ok((major, minor))
}

/// The fields in the order written, names in lower case; and what was odd.
fn fields(text: &str) -> (Vec<Field>, Vec<String>) {
    let mut fields: Vec<Field> = Vec::new();
    let mut remarks = Vec::new();
    let mut lines = text.lines().enumerate();
    for (number, line) in lines.by_ref() {
        if line.is_empty() {
            return (fields, remarks);
        }
        if line.starts_with([' ', '\t']) {
            if let Some(last) = fields.last_mut() {
                last.value.push('\n');
                last.value.push_str(line.trim());
            }
            continue;
        }
        let Some((name, value)) = line.split_once(':') else {
            remarks.push(format!(
                "line {} of the metadata has no colon: it and all that follows is read as \
                    description",
                number + 1
            ));
            return (fields, remarks);
        };
        fields.push(Field {
            name: name.to_ascii_lowercase(),
            value: value.trim().to_owned(),
        });
    }
    (fields, remarks)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    const TEXT: &str = "Metadata-Version: 2.2\r\nName: Frost.Grid\r\nVersion: 2.0\r\nSummary: \
        grids of frost\r\n\
        Requires-Python: >=3.8\r\nRequires-Dist: firnio>=1\r\nrequires-dist: moulin; extra == \
        \"Fast_IO\"\r\n\
        Provides-Extra: Fast_IO\r\nDescription: one\r\n        two\r\n\r\nRequires-Dist: \
        in-the-body\r\n";

    #[test]
    fn fields_up_to_the_body_are_read() {
        let metadata = Metadata::parse(TEXT.as_bytes()).unwrap();
        assert_eq!(
            (
                metadata.name.as_str(),
                metadata.version.to_string().as_str()
            ),
            ("frost-grid", "2.0")
        );
        let requires: Vec<String> = metadata.requires.iter().map(ToString::to_string).collect();
        assert_eq!(requires, ["firnio>=1", "moulin; extra == 'Fast_IO'"]);
        assert_eq!(metadata.extras[0].as_str(), "fast-io");
        assert!(metadata.needs_are_static() && metadata.remarks.is_empty());
    }

    #[rstest]
    #[case("somezone (>=2011k)", Some("somezone"))]
    #[case(
        "somezone (>=2.0.dev-r1234); extra == 'tz'",
        Some("somezone; extra == 'tz'")
    )]
    #[case("somezone[fast] >=1.0-custom-build", Some("somezone[fast]"))]
    #[case("b b", None)]
    #[case("[x]", None)]
    #[case("b >=1; os_name = 'nt'", None)]
    fn a_bound_that_cannot_be_read_counts_as_none(#[case] line: &str, #[case] left: Option<&str>) {
        let text = format!(
            "Metadata-Version: 2.1\nName: a\nVersion: 1\nRequires-Dist: c\nRequires-Dist: \
                {line}\nRequires-Dist: d\n"
        );
        let metadata = Metadata::parse(text.as_bytes()).unwrap();
        let requires: Vec<String> = metadata.requires.iter().map(ToString::to_string).collect();
        assert_eq!(
            requires,
            ["c"]
                .into_iter()
                .chain(left)
                .chain(["d"])
                .collect::<Vec<_>>()
        );
        assert_eq!(
            metadata.unread,
            [Unread {
                text: line.to_owned(),
                at: left.map(|_| 1)
            }]
        );
        assert_eq!(
            Metadata::parse(metadata.to_text().as_bytes())
                .unwrap()
                .requires,
            metadata.requires
        );
        assert_eq!(
            Metadata::parse(metadata.to_text().as_bytes())
                .unwrap()
                .unread,
            metadata.unread
        );
    }

    #[test]
    fn what_is_kept_reads_to_the_same() {
        let metadata = Metadata::parse(TEXT.as_bytes()).unwrap();
        assert_eq!(
            Metadata::parse(metadata.to_text().as_bytes()).unwrap(),
            metadata
        );
    }

    #[test]
    fn a_line_without_colon_ends_the_fields_and_is_told() {
        let metadata = Metadata::parse(
            b"Metadata-Version: 2.1\nName: a\nVersion: 1\noops\nRequires-Dist: b\n",
        )
        .unwrap();
        assert!(metadata.requires.is_empty());
        assert!(
            metadata.remarks[0].contains("line 4"),
            "{:?}",
            metadata.remarks
        );
    }

    #[rstest]
    #[case(
        "Metadata-Version: 3.0\nName: a\nVersion: 1\n",
        "newer than this program reads"
    )]
    #[case("Metadata-Version: 2.1\nVersion: 1\n", "`Name` is missing")]
    #[case("Metadata-Version: 2.1\nName: a\nVersion: x\n", "not a version")]
    #[case("\nMetadata-Version: 2.1\nName: a\nVersion: 1\n", "is missing")]
    #[case("Metadata-Version: two\nName: a\nVersion: 1\n", "is not one")]
    fn bad_metadata_is_refused(#[case] text: &str, #[case] part: &str) {
        let fault = Metadata::parse(text.as_bytes()).unwrap_err();
        assert!(fault.message().contains(part), "{fault}");
    }

    #[test]
    fn oddities_are_remarks() {
        let text = "Metadata-Version: 2.9\nName: a\nVersion: 1\nRequires-Python: \
            three\nProvides-Extra: x\nProvides-Extra: X\n";
        let metadata = Metadata::parse(text.as_bytes()).unwrap();
        assert_eq!(
            (metadata.requires_python, metadata.remarks.len()),
            (None, 3)
        );
    }

    #[rstest]
    #[case("2.1", "", false)]
    #[case("2.2", "", true)]
    #[case("2.2", "Dynamic: Requires-Dist\n", false)]
    #[case("2.4", "Dynamic: description\n", true)]
    fn static_needs_are_recognised(
        #[case] version: &str,
        #[case] dynamic: &str,
        #[case] is_static: bool,
    ) {
        let text = format!("Metadata-Version: {version}\nName: a\nVersion: 1\n{dynamic}");
        assert_eq!(
            Metadata::parse(text.as_bytes()).unwrap().needs_are_static(),
            is_static
        );
    }

    #[test]
    fn static_project_files_stand_for_metadata() {
        let text = "[project]\nname='a'\nversion='1'\ndependencies=['b>=1']\n[project.optional-dependencies]\nX=['c; os_name == \"nt\"']\n";
        let metadata = Metadata::from_pyproject(text).unwrap().unwrap();
        let shown: Vec<String> = metadata.requires.iter().map(ToString::to_string).collect();
        assert_eq!(shown, ["b>=1", "c; os_name == 'nt' and extra == 'x'"]);
        assert_eq!(
            Metadata::from_pyproject("[project]\nname='a'\ndynamic=['version']").unwrap(),
            None
        );
        assert_eq!(
            Metadata::from_pyproject("[build-system]\nrequires=[]").unwrap(),
            None
        );
    }

    proptest! {
        #[test]
        fn no_bytes_make_the_reader_panic(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
            let _ = Metadata::parse(&bytes);
        }
    }
}
