//! The value of a marker on a target (PEP 508, environment markers).

use super::{Comparison, Marker, MarkerValues, Operand, Relation, Variable};
use crate::name::Name;
use crate::version::{Operator, Specifier, Version};

/// What stands for the variables that whoever evaluates sets.
#[derive(Clone, Copy)]
enum Asked<'a> {
    /// One extra, or none: requirements.
    Extra(Option<&'a Name>),
    /// Sets of extras and groups: lock files.
    Sets(&'a [Name], &'a [Name]),
}

impl Marker {
    /// Whether the marker holds for one asked extra, or for none.
    pub fn holds(&self, values: &MarkerValues, extra: Option<&Name>) -> bool {
        evaluate(self, values, Asked::Extra(extra))
    }

    /// Whether a dependency with this marker is wanted when `extras` are asked for: it is if the
    /// marker holds without an extra or for at least one of them.
    pub fn wanted(&self, values: &MarkerValues, extras: &[Name]) -> bool {
        self.holds(values, None) || extras.iter().any(|e| self.holds(values, Some(e)))
    }

    /// Whether the marker of a lock-file entry holds (PEP 751): `extras` and `groups` are sets.
    pub fn holds_in_lock(&self, values: &MarkerValues, extras: &[Name], groups: &[Name]) -> bool {
        evaluate(self, values, Asked::Sets(extras, groups))
    }
}

fn evaluate(marker: &Marker, values: &MarkerValues, asked: Asked<'_>) -> bool {
    match marker {
        Marker::And(parts) => parts.iter().all(|m| evaluate(m, values, asked)),
        Marker::Or(parts) => parts.iter().any(|m| evaluate(m, values, asked)),
        Marker::Compare(c) => compare(c, values, asked),
    }
}

fn compare(c: &Comparison, values: &MarkerValues, asked: Asked<'_>) -> bool {
    if let (
        Operand::Text(name),
        Operand::Variable(set @ (Variable::Extras | Variable::DependencyGroups)),
    ) = (&c.left, &c.right)
    {
        return set_holds(name, *set, c.relation, asked);
    }
    let is_extra = |o: &Operand| *o == Operand::Variable(Variable::Extra);
    let of_extra = is_extra(&c.left) || is_extra(&c.right);
    let (left, right) = (
        text_of(&c.left, values, asked),
        text_of(&c.right, values, asked),
    );
    if of_extra {
        // PEP 685: both sides of a comparison with `extra` are normalised.
        let normal = |t: &str| Name::parse(t).map_or_else(|_| t.to_owned(), String::from);
        return by_text(c.relation, &normal(&left), &normal(&right));
    }
    if let Relation::Version(operator) = c.relation {
        let specifier = Specifier::parse(&format!("{}{right}", operator.as_str()));
        if let (Ok(specifier), Some(version)) = (specifier, version_of(&left)) {
            return specifier.matches(&version);
        }
    }
    by_text(c.relation, &left, &right)
}

/// A version; an interpreter that was patched locally says `3.12.1+`, which is read as a local
/// label.
fn version_of(text: &str) -> Option<Version> {
    match text.strip_suffix('+') {
        Some(plain) => Version::parse(&format!("{plain}+local")).ok(),
        None => Version::parse(text).ok(),
    }
}

fn text_of(operand: &Operand, values: &MarkerValues, asked: Asked<'_>) -> String {
    match operand {
        Operand::Text(text) => text.clone(),
        Operand::Variable(Variable::Extra) => {
            if let Asked::Extra(Some(name)) = asked {
                name.as_str().to_owned()
            } else {
                String::new()
            }
        }
        Operand::Variable(variable) => values.get(*variable).unwrap_or("").to_owned(),
    }
}

fn set_holds(name: &str, set: Variable, relation: Relation, asked: Asked<'_>) -> bool {
    let members = match (asked, set) {
        (Asked::Sets(extras, _), Variable::Extras) => extras,
        (Asked::Sets(_, groups), _) => groups,
        _ => &[],
    };
    let found = Name::parse(name).is_ok_and(|n| members.contains(&n));
    if relation == Relation::In {
        found
    } else {
        !found
    }
}

/// The fallback to text, by code point, case-sensitive.
fn by_text(relation: Relation, left: &str, right: &str) -> bool {
    match relation {
        Relation::In => right.contains(left),
        Relation::NotIn => !right.contains(left),
        Relation::Version(operator) => match operator {
            Operator::Equal | Operator::Arbitrary => left == right,
            Operator::NotEqual => left != right,
            Operator::Below => left < right,
            Operator::AtMost => left <= right,
            Operator::Above => left > right,
            Operator::AtLeast => left >= right,
            // No text fallback; a literal operand was refused when the marker was read.
            Operator::Compatible => false,
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn linux_312() -> MarkerValues {
        MarkerValues {
            os_name: "posix".into(),
            sys_platform: "linux".into(),
            platform_machine: "x86_64".into(),
            platform_python_implementation: "CPython".into(),
            platform_release: "6.1.0-18-amd64".into(),
            platform_system: "Linux".into(),
            platform_version: "#1 SMP".into(),
            python_version: "3.12".into(),
            python_full_version: "3.12.4".into(),
            implementation_name: "cpython".into(),
            implementation_version: "3.12.4".into(),
        }
    }

    fn candidate_313() -> MarkerValues {
        MarkerValues {
            python_version: "3.13".into(),
            python_full_version: "3.13.0rc1".into(),
            ..linux_312()
        }
    }

    #[rstest]
    #[case(r#"python_version >= "3.9""#, true)]
    #[case(r#"python_version > "3.12""#, false)]
    #[case(r#"python_full_version > "3.12""#, true)]
    #[case(r#"python_version < "3.12.4""#, true)]
    #[case(r#"python_version >= "3.8.*""#, false)]
    #[case(r#"python_version in "3.120""#, true)]
    #[case(r#"python_version not in "3.8,3.9""#, true)]
    #[case(
        r#"os_name == "posix" or sys_platform == "win32" and python_version < "3""#,
        true
    )]
    #[case(
        r#"(os_name == "posix" or sys_platform == "win32") and python_version < "3""#,
        false
    )]
    #[case(r#"platform_release >= "5""#, true)]
    #[case(r#"python_version ~= "3.8""#, true)]
    #[case(r#""3.8" <= python_version"#, true)]
    #[case(r#""linux" in sys_platform"#, true)]
    #[case(r#"sys_platform == "Linux""#, false)]
    #[case(r#"os.name=='posix'and python_implementation=='CPython'"#, true)]
    #[case(r#"implementation_name === 'cpython'"#, true)]
    fn markers_of_the_published_table(#[case] text: &str, #[case] value: bool) {
        let marker = Marker::parse(text).unwrap();
        assert_eq!(marker.holds(&linux_312(), None), value);
        assert_eq!(
            Marker::parse(&marker.to_string()).unwrap(),
            marker,
            "what is shown reads back"
        );
    }

    #[test]
    fn release_candidates_of_an_interpreter_are_versions() {
        let holds = |t: &str| Marker::parse(t).unwrap().holds(&candidate_313(), None);
        assert!(!holds("python_full_version < '3.13'") && !holds("python_full_version >= '3.13'"));
        assert!(holds("python_version >= '3.13'"));
        let patched = MarkerValues {
            python_full_version: "3.12.1+".into(),
            ..linux_312()
        };
        assert!(
            Marker::parse("python_full_version >= '3.12.1'")
                .unwrap()
                .holds(&patched, None)
        );
        let custom = MarkerValues {
            platform_release: "10.4-custom".into(),
            ..linux_312()
        };
        assert!(
            !Marker::parse("platform_release >= '5'")
                .unwrap()
                .holds(&custom, None),
            "compared as text"
        );
    }

    #[test]
    fn extras_are_normalised_and_asked_one_by_one() {
        let marker = Marker::parse(r#"extra == "Test_All""#).unwrap();
        let asked = [Name::parse("test-all").unwrap()];
        assert!(marker.wanted(&linux_312(), &asked));
        assert!(!marker.wanted(&linux_312(), &[]));
        let two = Marker::parse("extra == 'a' and extra == 'b'").unwrap();
        let both = [Name::parse("a").unwrap(), Name::parse("b").unwrap()];
        assert!(
            !two.wanted(&linux_312(), &both),
            "evaluated once for each extra"
        );
    }

    #[test]
    fn lock_file_sets_are_tested_for_membership() {
        let groups = [Name::parse("test").unwrap()];
        let holds = |t: &str| {
            Marker::parse(t)
                .unwrap()
                .holds_in_lock(&linux_312(), &[], &groups)
        };
        assert!(holds("'Test' in dependency_groups and 'x' not in extras"));
        assert!(!holds("'docs' in dependency_groups"));
    }

    #[rstest]
    #[case("python_version >= 3.8", 18, "not a marker variable")]
    #[case("foo == 'x'", 0, "not a marker variable")]
    #[case("python_vesion >= '3'", 0, "did you mean `python_version`?")]
    #[case("python_version = '3'", 15, "write `==`")]
    #[case("python_version ~= '3'", 18, "two numbers")]
    #[case("(os_name == 'nt'", 16, "`)` is missing")]
    #[case("os_name == 'nt')", 15, "without its")]
    #[case("os_name == 'nt", 11, "closing '")]
    #[case("os_name == 'nt' os_name == 'nt'", 16, "`and` or `or`")]
    #[case("os_name ==", 10, "ends where")]
    #[case("extras == 'x'", 7, "are sets")]
    #[case("", 0, "ends where")]
    fn bad_markers_are_refused_with_their_place(
        #[case] text: &str,
        #[case] offset: usize,
        #[case] part: &str,
    ) {
        let fault = Marker::parse(text).unwrap_err();
        assert!(fault.to_string().contains(part), "{fault}");
        assert_eq!(fault.offset(), offset);
    }

    #[test]
    fn nesting_has_a_limit() {
        let nested = |n: usize| format!("{}os_name == 'nt'{}", "(".repeat(n), ")".repeat(n));
        assert!(Marker::parse(&nested(64)).is_ok());
        assert!(Marker::parse(&nested(65)).is_err());
    }

    proptest! {
        #[test]
        fn no_text_makes_the_reader_panic(text in "[a-z_ '\"()<>=~!3.]{0,40}") {
            if let Ok(marker) = Marker::parse(&text) {
                let _ = marker.wanted(&linux_312(), &[]);
                prop_assert_eq!(Marker::parse(&marker.to_string()).unwrap(), marker);
            }
        }
    }
}
