//! What a `pyproject.toml` asks for (PEP 621 and 735).

use super::{Ask, Requirement, groups};
use crate::document::{Document, Placed, Table};
use crate::fault::{Fault, FaultKind, Origin, line_and_column};
use crate::name::{Name, nearest};
use crate::version::VersionSpecifier;

/// Which optional parts of a project file are asked for.
#[derive(Debug, Clone, Default)]
pub struct Wanted {
    /// Extras of the project.
    pub extras: Vec<Name>,
    /// Dependency groups.
    pub groups: Vec<Name>,
}

/// The asks of a project file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ProjectAsks {
    /// The project's own name, when the file states one.
    pub name: Option<Name>,
    /// Dependencies, then those of the wanted extras, then those of the wanted groups.
    pub asks: Vec<Ask>,
    /// `requires-python`, with its place.
    pub requires_python: Option<(VersionSpecifier, Origin)>,
    /// Where the project's name stands.
    pub named_at: Option<Origin>,
    /// A build system is stated (PEP 518).
    pub builds: bool,
    /// What the project depends on is known only by building it.
    pub is_dynamic: bool,
}

impl ProjectAsks {
    /// Reads a project file. `file` names it in the origins.
    ///
    /// # Errors
    /// The first fault with its offset in `text`: not TOML, a field of the wrong type, a bad
    /// requirement, an extra or group that is not there, dependencies that are dynamic (they are
    /// known only by building).
    pub fn parse(text: &str, file: &str, wanted: &Wanted) -> Result<Self, Fault> {
        let found = ProjectAsks::parse_open(text, file, wanted)?;
        if !found.is_dynamic {
            return Ok(found);
        }
        let at = text
            .find("\"dependencies\"")
            .or_else(|| text.find("'dependencies'"));
        let fault = Fault::of(
            FaultKind::Dynamic,
            "`dependencies` is dynamic: it is known only by building the project",
            at.map_or(0, |at| at + 1),
        );
        Err(fault.hint("state them, or ask with a requirement list"))
    }

    /// The same where dependencies may be known only by building: then none is told.
    ///
    /// # Errors
    /// As [`ProjectAsks::parse`], but for that.
    pub fn parse_open(text: &str, file: &str, wanted: &Wanted) -> Result<Self, Fault> {
        let document = Document::parse(text)?;
        let root = document.root();
        let place = |at: usize| Origin::line(file, line_and_column(text, at).0);
        let mut found = match root.table("project")? {
            Some(project) => project_asks(&project, wanted, &place)?,
            None if !wanted.extras.is_empty() => {
                return Err(Fault::of(
                    FaultKind::Absent,
                    "extras are asked for, but there is no [project] table",
                    0,
                ));
            }
            None => ProjectAsks::default(),
        };
        found.builds = root.table("build-system")?.is_some();
        if wanted.groups.is_empty() {
            return Ok(found);
        }
        let Some(table) = root.table("dependency-groups")? else {
            return Err(Fault::of(
                FaultKind::Absent,
                "a group is asked for, but there is no [dependency-groups] table",
                0,
            ));
        };
        for group in &wanted.groups {
            found.asks.extend(groups::expand(&table, group, &place)?);
        }
        Ok(found)
    }
}

fn project_asks(
    project: &Table<'_>,
    wanted: &Wanted,
    place: &dyn Fn(usize) -> Origin,
) -> Result<ProjectAsks, Fault> {
    let Some(name) = project.string("name")? else {
        return Err(project.fault("`name` is missing"));
    };
    let named_at = place(name.at);
    let name = Name::parse(name.value).map_err(|f| f.shifted(name.at))?;
    let dynamic = project.strings("dynamic")?.unwrap_or_default();
    for field in &dynamic {
        if field.value == "name" {
            return Err(Fault::of(
                FaultKind::Contradiction,
                "`name` cannot be dynamic",
                field.at,
            ));
        }
        if project.get(field.value).is_some() {
            return Err(Fault::of(
                FaultKind::Contradiction,
                format!("`{}` is both stated and dynamic", field.value),
                field.at,
            ));
        }
    }
    let is_dynamic = |field: &str| dynamic.iter().find(|d| d.value == field);
    if project.get("version").is_none() && is_dynamic("version").is_none() {
        return Err(project.fault("`version` is missing, and not listed in `dynamic`"));
    }
    let requires_python = match project.string("requires-python")? {
        Some(text) => {
            let set = VersionSpecifier::parse(text.value)
                .map_err(|f| f.within("requires-python").shifted(text.at))?;
            Some((set, place(text.at)))
        }
        None => None,
    };
    let mut asks = read_all(project.strings("dependencies")?.unwrap_or_default(), place)?;
    if !wanted.extras.is_empty() {
        asks.extend(extras(
            project,
            wanted,
            is_dynamic("optional-dependencies"),
            place,
        )?);
    }
    // What refers to the project itself stands for the extras that it names.
    let mut done = wanted.extras.clone();
    while let Some(at) = asks.iter().position(|a| a.requirement.name == name) {
        let own = asks.remove(at).requirement;
        let more: Vec<Name> = own
            .extras
            .into_iter()
            .filter(|e| !done.contains(e))
            .collect();
        if more.is_empty() {
            continue;
        }
        done.extend(more.iter().cloned());
        let more = Wanted {
            extras: more,
            groups: Vec::new(),
        };
        let dynamic = is_dynamic("optional-dependencies");
        let asked = extras(project, &more, dynamic, place)?;
        asks.splice(at..at, asked);
    }
    Ok(ProjectAsks {
        name: Some(name),
        asks,
        requires_python,
        named_at: Some(named_at),
        builds: false,
        is_dynamic: is_dynamic("dependencies").is_some(),
    })
}

fn extras(
    project: &Table<'_>,
    wanted: &Wanted,
    dynamic: Option<&Placed<&str>>,
    place: &dyn Fn(usize) -> Origin,
) -> Result<Vec<Ask>, Fault> {
    if let Some(field) = dynamic {
        return Err(Fault::of(
            FaultKind::Dynamic,
            "`optional-dependencies` is dynamic: it is known only by building the project",
            field.at,
        ));
    }
    let table = project.table("optional-dependencies")?;
    let mut known: Vec<(Name, Vec<Placed<&str>>)> = Vec::new();
    for (key, value) in table.iter().flat_map(Table::entries) {
        let name = Name::parse(key.value).map_err(|f| f.shifted(key.at))?;
        if known.iter().any(|(n, _)| *n == name) {
            return Err(Fault::of(
                FaultKind::Contradiction,
                format!("two extras are named `{name}` after normalisation"),
                key.at,
            ));
        }
        known.push((
            name,
            value
                .items()?
                .iter()
                .map(|v| v.string())
                .collect::<Result<_, _>>()?,
        ));
    }
    let mut asks = Vec::new();
    for extra in &wanted.extras {
        let Some((_, texts)) = known.iter().find(|(n, _)| n == extra) else {
            let fault = Fault::of(
                FaultKind::Absent,
                format!("there is no extra `{extra}`"),
                table.as_ref().map_or(0, Table::offset),
            );
            return Err(
                match nearest(extra.as_str(), known.iter().map(|(n, _)| n.as_str()), 1).first() {
                    Some(near) => fault.hint(format!("did you mean `{near}`?")),
                    None => fault,
                },
            );
        };
        asks.extend(read_all(texts.clone(), place)?);
    }
    Ok(asks)
}

fn read_all(texts: Vec<Placed<&str>>, place: &dyn Fn(usize) -> Origin) -> Result<Vec<Ask>, Fault> {
    texts
        .into_iter()
        .map(|text| {
            let requirement = Requirement::parse(text.value).map_err(|f| f.shifted(text.at))?;
            Ok(Ask {
                requirement,
                origin: place(text.at),
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const FILE: &str = r#"
[project]
name = "Field.Kit"
version = "1.0"
requires-python = ">=3.9"
dependencies = [
    "radargram>=2",
    "firnio; sys_platform == 'win32'",
]
[project.optional-dependencies]
fast-io = ["wirepack~=1.4"]
[dependency-groups]
test = ["snowpit>=8", {include-group = "typing"}]
Typing = ["icelens"]
"#;

    fn wanted(extras: &[&str], groups: &[&str]) -> Wanted {
        let names = |list: &[&str]| list.iter().map(|n| Name::parse(n).unwrap()).collect();
        Wanted {
            extras: names(extras),
            groups: names(groups),
        }
    }

    /// Groups of which each includes the next one so often.
    fn nested(depth: usize, times: usize) -> String {
        let mut text = "[dependency-groups]\n".to_owned();
        for n in 0..depth {
            let include = format!("{{include-group = 'g{}'}},", n + 1);
            text.push_str(&format!("g{n} = [{}]\n", include.repeat(times)));
        }
        text + &format!("g{depth} = ['icelens']\n")
    }

    #[rstest]
    #[case::once(3, 1, None)]
    // Followed one by one they would be 2^60.
    #[case::twice_each(60, 2, None)]
    #[case::too_deep(5_000, 1, Some("more than 200 deep"))]
    fn groups_are_followed_once(
        #[case] depth: usize,
        #[case] times: usize,
        #[case] refused: Option<&str>,
    ) {
        let text = nested(depth, times);
        match (
            ProjectAsks::parse(&text, "p", &wanted(&[], &["g0"])),
            refused,
        ) {
            (Ok(found), None) => assert_eq!(found.asks.len(), 1),
            (Err(fault), Some(why)) => assert!(fault.message().contains(why), "{fault:?}"),
            (found, _) => panic!("{found:?}"),
        }
    }

    #[test]
    fn dependencies_extras_and_groups_are_read_in_order() {
        let found =
            ProjectAsks::parse(FILE, "pyproject.toml", &wanted(&["Fast_IO"], &["test"])).unwrap();
        let shown: Vec<String> = found
            .asks
            .iter()
            .map(|a| format!("{} {}", a.origin, a.requirement.short()))
            .collect();
        assert_eq!(
            shown,
            [
                "pyproject.toml:7 radargram >=2",
                "pyproject.toml:8 firnio",
                "pyproject.toml:11 wirepack ~=1.4",
                "pyproject.toml:13 snowpit >=8",
                "pyproject.toml:14 icelens",
            ]
        );
        assert_eq!(found.name.unwrap().as_str(), "field-kit");
        assert_eq!(found.requires_python.unwrap().0.to_string(), ">=3.9");
    }

    /// Extras may be made of others of the same project.
    #[test]
    fn extras_that_refer_to_the_project_itself_are_followed() {
        let text = "[project]\nname = 'kit'\nversion = '1'\n[project.optional-dependencies]\n\
            all = ['kit[plot]', 'Kit[all]', 'firnio']\nplot = ['neveplot', 'kit[all]']\n";
        let found = ProjectAsks::parse(text, "p", &wanted(&["all"], &[])).unwrap();
        let names: Vec<&str> = found
            .asks
            .iter()
            .map(|a| a.requirement.name.as_str())
            .collect();
        assert_eq!(names, ["neveplot", "firnio"]);
    }

    #[rstest]
    #[case(
        "[dependency-groups]\na=[{include-group='b'}]\nb=[{include-group='a'}]",
        "a -> b -> a"
    )]
    #[case("[dependency-groups]\na=[{include-group='aa'}]", "did you mean `a`?")]
    #[case(
        "[dependency-groups]\na=[{include-group='b', x=1}]\nb=[]",
        "nothing else"
    )]
    #[case("[dependency-groups]\na=[{}]", "must hold `include-group`")]
    #[case("[dependency-groups]\na=[1]", "not a number")]
    #[case("[dependency-groups]\na='x'", "must be an array, not a text")]
    #[case("[dependency-groups]\nA=[]\na=[]", "two dependency groups")]
    #[case("[dependency-groups]\nb=[]", "there is no dependency group `a`")]
    #[case("", "no [dependency-groups] table")]
    fn bad_groups_are_refused(#[case] text: &str, #[case] part: &str) {
        let fault = ProjectAsks::parse(text, "p", &wanted(&[], &["a"])).unwrap_err();
        assert!(fault.to_string().contains(part), "{fault}");
    }

    #[test]
    fn groups_that_are_not_asked_for_are_not_judged() {
        let text = "[dependency-groups]\na=['bad name!']\nb=['firnio']";
        assert_eq!(
            ProjectAsks::parse(text, "p", &wanted(&[], &["b"]))
                .unwrap()
                .asks
                .len(),
            1
        );
    }

    #[rstest]
    #[case("[project]\nversion='1'", "`name` is missing")]
    #[case("[project]\nname='a'", "`version` is missing")]
    #[case(
        "[project]\nname='a'\nversion='1'\ndynamic=['version']",
        "both stated and dynamic"
    )]
    #[case(
        "[project]\nname='a'\nversion='1'\ndynamic=['name']",
        "`name` cannot be dynamic"
    )]
    #[case(
        "[project]\nname='a'\nversion='1'\ndynamic=['dependencies']",
        "known only by building"
    )]
    #[case("[project]\nname='a'\nversion='1'\nrequires-python='3'", "write `==3`")]
    #[case(
        "[project]\nname='a'\nversion='1'\ndependencies='x'",
        "must be an array"
    )]
    #[case("[project]\nname='a'\nversion='1'\ndependencies=['x y']", "x y")]
    fn bad_projects_are_refused(#[case] text: &str, #[case] part: &str) {
        let fault = ProjectAsks::parse(text, "p", &Wanted::default()).unwrap_err();
        let line = text
            .lines()
            .nth(line_and_column(text, fault.offset()).0 as usize - 1)
            .unwrap_or("");
        assert!(
            fault.to_string().contains(part) || line.contains(part),
            "{fault}"
        );
    }

    #[test]
    fn an_unknown_extra_names_the_nearest() {
        let fault = ProjectAsks::parse(FILE, "p", &wanted(&["fast-i"], &[])).unwrap_err();
        assert_eq!(
            fault.to_string(),
            "there is no extra `fast-i` (did you mean `fast-io`?)"
        );
    }
}
