//! Plain pin lists: dependency specifiers that pin every project.

use std::fmt::Write;

use super::lock::Lock;

/// The entries of a lock as `name==version` lines, or as `name @ URL#sha256=...` where `exact` and
/// the entry has a URL. Entries without version (source trees) are left out and named in a comment.
pub fn pin_list(lock: &Lock, exact: bool) -> String {
    let mut text = String::new();
    for package in &lock.packages {
        // What a part of the pins is needed for, a plain list cannot say.
        let is_plain = |m: &&String| !m.contains("in extras") && !m.contains("dependency_groups");
        let marker = package
            .marker
            .as_ref()
            .filter(is_plain)
            .map_or(String::new(), |m| format!(" ; {m}"));
        let file = package.wheels.first().or(package.sdist.as_ref());
        let direct = file
            .filter(|_| exact)
            .and_then(|f| Some((f.url.as_ref()?, f.hashes.get("sha256")?)));
        // Writing to a string cannot fail.
        let _ = match (direct, &package.version) {
            (Some((url, hash)), _) => {
                writeln!(text, "{} @ {url}#sha256={hash}{marker}", package.name)
            }
            (None, Some(version)) => writeln!(text, "{}=={version}{marker}", package.name),
            (None, None) => writeln!(
                text,
                "# {} is a source tree and has no version to pin",
                package.name
            ),
        };
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::requirement::RequirementList;

    #[test]
    fn a_pin_list_reads_back_as_requirements() {
        let lock = Lock::parse(
            "lock-version = '1.0'\ncreated-by = 'x'\n[[packages]]\nname = 'firnio'\nversion = \
                '1.0'\nmarker = \"os_name == 'nt'\"\n\
             wheels = \
             [{url = 'https://files.example/firnio-1.0-py3-none-any.whl', hashes = {sha256 = 'ab'}}]\n\
             [[packages]]\nname = 'tree'\ndirectory = {path = 'x'}\n",
        )
        .unwrap();
        let shown = |exact: bool| {
            let list = RequirementList::parse(&pin_list(&lock, exact), "pins").unwrap();
            list.asks()
                .map(|a| a.requirement.to_string())
                .collect::<Vec<_>>()
        };
        assert_eq!(shown(false), ["firnio==1.0; os_name == 'nt'"]);
        assert_eq!(
            shown(true),
            [
                "firnio @ https://files.example/firnio-1.0-py3-none-any.whl#sha256=ab ; os_name == \
                    'nt'"
            ]
        );
    }
}
