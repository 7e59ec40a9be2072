//! `requires.txt` of the older form of metadata (PEP 376 and 627): requirements, in sections by
//! extra and marker.

use eutaxis_standards::requirement::Requirement;

/// The requirements, those of sections with the marker that they stand for; lines that cannot be
/// read are left out.
pub fn legacy_requirements(text: &str) -> Vec<Requirement> {
    let mut found = Vec::new();
    let mut condition = String::new();
    for line in text
        .lines()
        .map(str::trim)
        .filter(|l| !l.is_empty() && !l.starts_with('#'))
    {
        if let Some(section) = line.strip_prefix('[').and_then(|l| l.strip_suffix(']')) {
            condition = match section.split_once(':') {
                None => format!("extra == '{section}'"),
                Some(("", marker)) => marker.to_owned(),
                Some((extra, marker)) => format!("({marker}) and extra == '{extra}'"),
            };
            continue;
        }
        let whole = if condition.is_empty() {
            line.to_owned()
        } else {
            format!("{line} ; {condition}")
        };
        found.extend(Requirement::parse_lenient(&whole));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sections_become_markers() {
        let text = "plain>=1\n\n[cli:python_version<\"3.8\"]\nback\n[fast]\nice\n[:sys_platform \
            == 'win32']\nwin\n";
        let found: Vec<String> = legacy_requirements(text)
            .iter()
            .map(ToString::to_string)
            .collect();
        assert_eq!(found.len(), 4);
        assert_eq!(found[0], "plain>=1");
        assert!(
            found[1].contains("back")
                && found[1].contains("extra")
                && found[1].contains("python_version"),
            "{}",
            found[1]
        );
        assert!(
            found[2].contains("fast") && found[3].contains("win32"),
            "{found:?}"
        );
    }
}
