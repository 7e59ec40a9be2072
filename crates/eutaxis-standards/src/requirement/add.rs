//! Adding a requirement to the file in which others stand, in the layout that it has.

use std::ops::Range;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::Requirement;
use crate::fault::{Fault, FaultKind};
use crate::name::Name;
use crate::version::{Operator, Specifier, VersionSpecifier};

/// A requirement list with one more line at its end.
pub fn added_to_list(text: &str, requirement: &str) -> String {
    let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let gap = if text.is_empty() || text.ends_with('\n') {
        ""
    } else {
        end
    };
    format!("{text}{gap}{requirement}{end}")
}

/// A `pyproject.toml` with one more requirement: in `[project]` (PEP 621), or in a group of
/// `[dependency-groups]` (PEP 735), which is begun where it is not there.
///
/// # Errors
/// When it is not TOML, what should hold requirements is no array, or there is no `[project]`.
pub fn added_to_project(
    text: &str,
    group: Option<&Name>,
    requirement: &str,
) -> Result<String, Fault> {
    let root = DeTable::parse(text).map_err(|e| {
        let at = e.span().map_or(0, |s| s.start);
        Fault::new(format!("not valid TOML: {}", e.message()), at)
    })?;
    let quoted = format!("\"{}\"", requirement.replace('"', "'"));
    let (table, key) = match group {
        None => ("project", "dependencies".to_owned()),
        Some(group) => ("dependency-groups", group.to_string()),
    };
    let is_key = |name: &str| match group {
        None => name == key,
        Some(group) => Name::parse(name).is_ok_and(|n| n == *group),
    };
    let Some(found) = root.get_ref().get(table) else {
        if group.is_none() {
            let fault = Fault::of(FaultKind::Absent, "there is no [project] table", 0);
            return Err(fault.hint("name a group of dependencies with --group"));
        }
        let gap = if text.ends_with('\n') { "\n" } else { "\n\n" };
        return Ok(format!("{text}{gap}[{table}]\n{key} = [{quoted}]\n"));
    };
    let DeValue::Table(entries) = found.get_ref() else {
        return Err(Fault::new(
            format!("`{table}` is no table"),
            found.span().start,
        ));
    };
    let here = entries.iter().find(|(k, _)| is_key(k.get_ref()));
    match here {
        Some((_, value)) => into_array(text, value, &quoted),
        None => {
            let at = end_of_keys(text, found, entries);
            let (before, after) = text.split_at_checked(at).unwrap_or((text, ""));
            let gap = if before.ends_with('\n') { "" } else { "\n" };
            Ok(format!("{before}{gap}{key} = [{quoted}]\n{after}"))
        }
    }
}

/// Where the next key of a table would stand: behind its last value that is no table of its own.
fn end_of_keys(text: &str, table: &Spanned<DeValue<'_>>, entries: &DeTable<'_>) -> usize {
    let plain = entries
        .iter()
        .filter(|(_, v)| !matches!(v.get_ref(), DeValue::Table(_)));
    let last = plain.map(|(_, v)| v.span().end).max();
    let from = last.unwrap_or_else(|| table.span().start);
    let rest = text.get(from..).unwrap_or("");
    rest.find('\n').map_or(text.len(), |at| from + at + 1)
}

fn into_array(text: &str, value: &Spanned<DeValue<'_>>, quoted: &str) -> Result<String, Fault> {
    let DeValue::Array(items) = value.get_ref() else {
        return Err(Fault::new(
            "it holds no array of requirements",
            value.span().start,
        ));
    };
    let Range { start, end } = value.span();
    let splice = |at: usize, new: &str| {
        let (before, after) = text.split_at_checked(at).unwrap_or((text, ""));
        format!("{before}{new}{after}")
    };
    let Some(last) = items.iter().map(Spanned::span).max_by_key(|s| s.end) else {
        return Ok(splice(start + 1, quoted));
    };
    let rest = text.get(last.end..end).unwrap_or("");
    let comma = rest.trim_start().starts_with(',');
    let lead = text.get(..last.start).unwrap_or("");
    let lead = lead.rsplit('\n').next().unwrap_or(lead);
    let own_line = lead.trim().is_empty() && lead.len() < last.start;
    if !own_line {
        let new = if comma {
            let at = last.end + rest.find(',').unwrap_or(0) + 1;
            return Ok(splice(at, &format!(" {quoted},")));
        } else {
            format!(", {quoted}")
        };
        return Ok(splice(last.end, &new));
    }
    // Behind the line of the last one, with the comment that may stand there.
    let line_end = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let text = match comma {
        true => text.to_owned(),
        false => splice(last.end, ","),
    };
    let rest = text.get(last.end..).unwrap_or("");
    let at = rest
        .find('\n')
        .map_or(text.len(), |at| last.end + at + 1)
        .min(text.len());
    let (before, after) = text.split_at_checked(at).unwrap_or((&text, ""));
    Ok(format!("{before}{lead}{quoted},{line_end}{after}"))
}

/// What two requirements on one project say together; none where they cannot be one: other markers,
/// or an address.
pub fn joined(old: &Requirement, new: &Requirement) -> Option<Requirement> {
    if old.name != new.name || old.marker != new.marker {
        return None;
    }
    let mut clauses: Vec<Specifier> = old.versions()?.clauses().to_vec();
    for clause in new.versions()?.clauses() {
        if clauses.contains(clause) {
            continue;
        }
        let weaker = |other: &Specifier| is_weaker(other, clause);
        match clauses.iter().position(weaker) {
            Some(at) => {
                if let Some(place) = clauses.get_mut(at) {
                    *place = clause.clone();
                }
            }
            None if clauses.iter().any(|other| is_weaker(clause, other)) => {}
            None => clauses.push(clause.clone()),
        }
    }
    let texts: Vec<String> = clauses.iter().map(ToString::to_string).collect();
    let set = VersionSpecifier::parse(&texts.join(",")).ok()?;
    let mut both = old.clone().with_versions(set);
    both.extras.extend(new.extras.iter().cloned());
    both.extras.sort();
    both.extras.dedup();
    Some(both)
}

/// Whether the second says all that the first says, and both say it in the same way.
fn is_weaker(first: &Specifier, second: &Specifier) -> bool {
    let (Some(one), Some(other)) = (first.version(), second.version()) else {
        return false;
    };
    match (first.operator(), second.operator()) {
        (Operator::AtLeast, Operator::AtLeast) | (Operator::Above, Operator::Above) => one <= other,
        (Operator::AtMost, Operator::AtMost) | (Operator::Below, Operator::Below) => one >= other,
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("", "m\n")]
    #[case("a", "a\nm\n")]
    #[case("a\r\n", "a\r\nm\r\n")]
    fn a_list_gets_one_more_line(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(added_to_list(text, "m"), expected);
    }

    #[rstest]
    #[case::row(
        "[project]\ndependencies = ['a']\n",
        "[project]\ndependencies = ['a', \"m\"]\n"
    )]
    #[case::row_with_comma(
        "[project]\ndependencies = ['a',]\n",
        "[project]\ndependencies = ['a', \"m\",]\n"
    )]
    #[case::empty(
        "[project]\ndependencies = []\n",
        "[project]\ndependencies = [\"m\"]\n"
    )]
    #[case::lines(
        "[project]\ndependencies = [\n  'a', # why\n  # none\n]\nx = 1\n",
        "[project]\ndependencies = [\n  'a', # why\n  \"m\",\n  # none\n]\nx = 1\n"
    )]
    #[case::lines_without_comma(
        "[project]\ndependencies = [\n\t'a'\n]\n",
        "[project]\ndependencies = [\n\t'a',\n\t\"m\",\n]\n"
    )]
    #[case::no_key(
        "[project]\nname = 'x'\n\n[project.scripts]\na = 'b'\n",
        "[project]\nname = 'x'\ndependencies = [\"m\"]\n\n[project.scripts]\na = 'b'\n"
    )]
    fn a_project_gets_one_more(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(added_to_project(text, None, "m").unwrap(), expected);
    }

    #[rstest]
    #[case::there(
        "[dependency-groups]\nTest = ['a']\n",
        "[dependency-groups]\nTest = ['a', \"m\"]\n"
    )]
    #[case::beside(
        "[dependency-groups]\ndocs = ['a']\n",
        "[dependency-groups]\ndocs = ['a']\ntest = [\"m\"]\n"
    )]
    #[case::no_groups(
        "[project]\nname = 'x'\n",
        "[project]\nname = 'x'\n\n[dependency-groups]\ntest = [\"m\"]\n"
    )]
    fn a_group_gets_one_more(#[case] text: &str, #[case] expected: &str) {
        let group = Name::parse("test").unwrap();
        assert_eq!(added_to_project(text, Some(&group), "m").unwrap(), expected);
    }

    #[test]
    fn without_a_project_there_is_no_place() {
        assert!(added_to_project("[tool.x]\n", None, "m").is_err());
    }

    #[rstest]
    #[case("m", "m>=2", Some("m>=2"))]
    #[case("m>=1", "m>=2", Some("m>=2"))]
    #[case("m>=3", "m>=2", Some("m>=3"))]
    #[case("m>=1,<4", "m<3", Some("m>=1,<3"))]
    #[case("m[a]>=1", "m[b]!=2", Some("m[a,b]>=1,!=2"))]
    #[case("m==1", "m>=2", Some("m==1,>=2"))]
    #[case("m; os_name == 'nt'", "m>=2", None)]
    #[case("m @ https://camp.example/m.whl", "m>=2", None)]
    #[case("m", "n", None)]
    fn two_become_one(#[case] old: &str, #[case] new: &str, #[case] expected: Option<&str>) {
        let read = |text: &str| Requirement::parse(text).unwrap();
        let both = joined(&read(old), &read(new)).map(|r| r.to_string());
        assert_eq!(both.as_deref(), expected);
    }
}
