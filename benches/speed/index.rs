//! An index as large as those that people settle against every day: many releases, and of compiled
//! projects dozens of files each.

use std::fmt::Write as _;
use std::path::Path;

use eutaxis_benches::Numbers;

const PYTHONS: [&str; 6] = ["cp38", "cp39", "cp310", "cp311", "cp312", "cp313"];
const PLATFORMS: [&str; 6] = [
    "manylinux_2_17_x86_64.manylinux2014_x86_64",
    "manylinux_2_17_aarch64.manylinux2014_aarch64",
    "musllinux_1_1_x86_64",
    "win_amd64",
    "macosx_10_9_x86_64",
    "macosx_11_0_arm64",
];

/// An index that was written.
pub(crate) struct Index {
    /// Names of its projects; each needs some of the next ones.
    pub(crate) projects: Vec<String>,
    /// Files on all pages.
    pub(crate) files: usize,
}

/// Sixty-four digits that look like a hash.
fn digits(numbers: &mut Numbers) -> String {
    (0..8).fold(String::new(), |mut text, _| {
        let _ = write!(text, "{:08x}", numbers.below(1 << 32));
        text
    })
}

/// Writes an index of so many projects; every fifth is compiled.
pub(crate) fn write(root: &Path, count: usize) -> std::io::Result<Index> {
    let mut numbers = Numbers::new(5);
    let mut index = Index {
        projects: (0..count).map(|p| format!("glacier-part{p}")).collect(),
        files: 0,
    };
    for p in 0..count {
        index.files += project(root, p, count, &mut numbers)?;
    }
    Ok(index)
}

fn project(root: &Path, p: usize, count: usize, numbers: &mut Numbers) -> std::io::Result<usize> {
    let folder = root.join(format!("glacier-part{p}"));
    std::fs::create_dir_all(&folder)?;
    let is_compiled = p.is_multiple_of(5);
    let releases = match is_compiled {
        true => 30 + numbers.below(60),
        false => 20 + numbers.below(120),
    };
    let mut files = Vec::new();
    for r in 0..releases {
        let version = format!("{}.{}.{}", r / 30, r / 5 % 6, r % 5);
        let stem = format!("glacier_part{p}-{version}");
        let wheels: Vec<String> = match is_compiled {
            true => PYTHONS
                .iter()
                .flat_map(|py| PLATFORMS.iter().map(move |on| format!("{py}-{py}-{on}")))
                .collect(),
            false => vec!["py3-none-any".to_owned()],
        };
        let mut needs = String::new();
        for other in p + 1..count.min(p + 9) {
            if numbers.below(5) > 1 {
                continue;
            }
            let _ = writeln!(
                needs,
                "Requires-Dist: glacier-part{other}>=0.{}",
                numbers.below(2)
            );
        }
        let metadata = format!(
            "Metadata-Version: 2.1\nName: glacier-part{p}\nVersion: {version}\nRequires-Python: >=3.8\n{needs}\n{}",
            "what it is for, in many words ".repeat(100)
        );
        let names = wheels.iter().map(|tags| format!("{stem}-{tags}.whl"));
        for name in std::iter::once(format!("{stem}.tar.gz")).chain(names) {
            let hash = digits(numbers);
            // Only one place asks.
            if name.contains("-any") || name.contains("cp312-cp312-manylinux_2_17_x86_64") {
                std::fs::write(folder.join(format!("{name}.metadata")), &metadata)?;
            }
            let beside = match name.ends_with(".whl") {
                true => r#","core-metadata":true"#,
                false => "",
            };
            files.push(format!(
                r#"{{"filename":"{name}","url":"{name}","hashes":{{"sha256":"{hash}"}},"requires-python":">=3.8","size":{},"upload-time":"2024-03-{:02}T10:20:30.123456Z","yanked":{}{beside}}}"#,
                10_000 + numbers.below(5_000_000),
                r % 28 + 1,
                r % 40 == 39,
            ));
        }
    }
    let page = format!(
        r#"{{"meta":{{"api-version":"1.1"}},"name":"glacier-part{p}","files":[{}]}}"#,
        files.join(",")
    );
    std::fs::write(folder.join("index.json"), page)?;
    Ok(files.len())
}
