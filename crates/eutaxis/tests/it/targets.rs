//! Targets that are not this machine: the right files from the demo world.

use rstest::rstest;

use crate::field::{Field, file_of};

#[rstest]
#[case::board("cpython 3.9 / linux armv7l glibc 2.31", &[
    ("radargram", "radargram-2.0.3-cp39-cp39-manylinux_2_31_armv7l.whl"),
    ("sastrugi", "sastrugi-0.8.1-cp39-cp39-manylinux_2_31_armv7l.whl"),
    ("frostgrid", "frostgrid-1.9.4-cp39-cp39-manylinux_2_31_armv7l.whl"),
    ("hoarfrost", "hoarfrost-1.5-cp38-abi3-manylinux_2_17_armv7l.manylinux2014_armv7l.whl"),
])]
#[case::windows("cpython 3.12 / windows x86_64", &[
    ("radargram", "radargram-2.2.0-cp312-cp312-win_amd64.whl"),
    ("frostgrid", "frostgrid-2.1.0-cp312-cp312-win_amd64.whl"),
    ("tarnlog", "tarnlog-1.0-py3-none-any.whl"),
])]
#[case::mac("cpython 3.12 / macos arm64 14.0", &[
    ("radargram", "radargram-2.2.0-cp312-cp312-macosx_12_0_arm64.whl"),
    ("hoarfrost", "hoarfrost-1.5-cp38-abi3-macosx_10_13_universal2.whl"),
    ("moulin", "moulin-4.2-cp312-cp312-macosx_11_0_arm64.whl"),
])]
#[case::old_mac("cpython 3.12 / macos arm64 11.0", &[("radargram", "radargram-2.2.0.tar.gz")])]
#[case::arm64("cpython 3.12 / linux aarch64 glibc \
    2.28", &[("radargram", "radargram-2.0.3-cp312-cp312-manylinux_2_17_aarch64.manylinux2014_aarch64.whl")])]
fn the_right_files_are_picked(#[case] target: &str, #[case] files: &[(&str, &str)]) {
    let field = Field::new();
    // Old releases of radargram have wheels for every mac; the case above wants to see source.
    let bound = if target.ends_with("11.0") {
        "radargram>=2.1.1"
    } else {
        "radargram>=2"
    };
    field.write(
        "kit.txt",
        &eutaxis_demo::ASKS.replace("radargram>=2", bound),
    );
    let answer = field.json(0, &["settle", "--asks", "kit.txt", "--target", target]);
    for (name, file) in files {
        assert_eq!(file_of(&answer, name), *file);
    }
}

#[test]
fn named_targets_are_those_of_the_settings() {
    let field = Field::new();
    let answer = field.json(0, &["settle", "hoarfrost", "--target", "ridge-logger"]);
    assert_eq!(answer["target"], "cpython 3.9.25 / linux armv7l glibc 2.31");
    let unknown = field.expect(2, &["settle", "hoarfrost", "--target", "ridge"]);
    assert!(
        unknown
            .err
            .contains("named are base-camp, field-laptop, office-mac, ridge-logger"),
        "{}",
        unknown.err
    );
}
