//! The series of interpreters that a project's files speak of.

use std::collections::BTreeSet;
use std::fmt;

use eutaxis_standards::index::Page;
use eutaxis_standards::knowledge::series_of;
use eutaxis_standards::targets::Implementation;
use eutaxis_standards::version::{Version, VersionSpecifier};

/// Major and minor of a language version.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Series {
    /// Major.
    pub major: u64,
    /// Minor.
    pub minor: u64,
}

impl fmt::Display for Series {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.major, self.minor)
    }
}

/// The series of CPython that a page's files speak of: in the tags of wheels, where the first digit
/// is the major and the rest the minor, and in Requires-Python. That names bounds too, and what
/// nobody has released (`<4.0`, `!=2.5.*`): of it only series that are known count.
pub fn mentioned(page: &Page) -> BTreeSet<Series> {
    let known: BTreeSet<String> = series_of(Implementation::Cpython.name())
        .map(|s| s.version.clone())
        .collect();
    let mut found = BTreeSet::new();
    for shape in page.files.outline().shapes() {
        if let Some(tags) = &shape.tags {
            found.extend(tags.pythons.iter().filter_map(|tag| of_tag(tag)));
        }
        if let Some(set) = &shape.requires_python {
            found.extend(
                in_set(set)
                    .into_iter()
                    .filter(|series| known.contains(&series.to_string())),
            );
        }
    }
    found
}

fn of_tag(tag: &str) -> Option<Series> {
    let digits = tag.strip_prefix("cp")?;
    let (major, minor) = (
        digits.get(..1)?.parse().ok()?,
        digits.get(1..)?.parse().ok()?,
    );
    Some(Series { major, minor })
}

/// The series that the versions in a set name.
fn in_set(set: &VersionSpecifier) -> Vec<Series> {
    let text = set.to_string();
    let series = |clause: &str| {
        let version = clause
            .trim_start_matches(['<', '>', '=', '!', '~', ' '])
            .trim_end_matches(".*");
        let version = Version::parse(version).ok()?;
        let named = version.parts().release.len() > 1;
        named.then(|| Series {
            major: version.release_number(0),
            minor: version.release_number(1),
        })
    };
    text.split(',').filter_map(series).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_standards::index::parse_json;
    use eutaxis_standards::name::Name;

    #[test]
    fn tags_and_requires_python_name_series() {
        let files = [
            "m-1-cp39-cp39-win_amd64.whl",
            "m-1-cp310.cp311-none-any.whl",
            "m-1-cp38-abi3-win_amd64.whl",
        ];
        let more = [
            "m-1-py3-none-any.whl",
            "m-1-pp310-pypy310_pp73-win_amd64.whl",
            "m-1.tar.gz",
        ];
        let files: Vec<String> = files
            .iter()
            .chain(&more)
            .map(|f| format!("{{\"filename\":\"{f}\",\"url\":\"{f}\"}}"))
            .collect();
        let pure = "{\"filename\":\"m-2-py3-none-any.whl\",\"url\":\"\",\"requires-python\":\">=3.6,!=3.7.*,!=2.5.*,<4.0\"}";
        let page = format!("{{\"files\":[{},{pure}]}}", files.join(","));
        let page = parse_json(page.as_bytes(), &Name::parse("m").unwrap()).unwrap();
        let told: Vec<String> = mentioned(&page).iter().map(ToString::to_string).collect();
        assert_eq!(told, ["3.6", "3.7", "3.8", "3.9", "3.10", "3.11"]);
    }
}
