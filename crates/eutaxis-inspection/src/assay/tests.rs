//! Promises and bars that the demo's platforms do not show: macOS and Windows files made by hand.

use rstest::rstest;

use super::*;
use crate::binary::Binary;

fn carried(path: &str, parts: Vec<Binary>) -> Carried {
    Carried {
        path: path.to_owned(),
        parts: Ok(parts),
        absent: Vec::new(),
        lacking: Vec::new(),
    }
}

fn part(format: Format, arch: &str) -> Binary {
    Binary {
        modules: vec!["_core".into()],
        ..Binary::plain(format, arch, 64)
    }
}

fn kinds(list: &[Remark]) -> Vec<&str> {
    list.iter().map(|r| r.kind().as_str()).collect()
}

fn judged(file: &str, carried: &[Carried], target: &str) -> Assayed {
    let name = WheelName::parse(file).unwrap();
    assay(
        &Contents {
            name: &name,
            metadata: None,
            variants: None,
            carried,
        },
        &Target::parse(target).unwrap(),
    )
}

const MAC: &str = "cpython 3.11 / macos arm64 14.0";

#[rstest]
#[case::both_parts(&["x86_64", "arm64"], Some((11, 0)), &[], &[])]
#[case::one_part(&["x86_64"], Some((11, 0)), &["architecture"], &["architecture"])]
#[case::too_new_for_its_name(&["x86_64", "arm64"], Some((13, 0)), &[], &["platform", "platform"])]
#[case::too_new_for_the_target(&["x86_64", "arm64"], Some((15, 0)), &["platform"], &["platform", "platform"])]
fn fat_files_keep_all_that_they_promise(
    #[case] archs: &[&str],
    #[case] macos: Option<(u32, u32)>,
    #[case] bars: &[&str],
    #[case] broken: &[&str],
) {
    let parts = archs
        .iter()
        .map(|a| Binary {
            macos,
            ..part(Format::MachO, a)
        })
        .collect();
    let files = [carried("firnio/_core.cpython-311-darwin.so", parts)];
    let found = judged(
        "firnio-1.0-cp311-cp311-macosx_11_0_universal2.whl",
        &files,
        MAC,
    );
    assert_eq!(
        (kinds(&found.bars), kinds(&found.broken)),
        (bars.to_vec(), broken.to_vec()),
        "{found:?}"
    );
}

#[rstest]
#[case("/usr/lib/libSystem.B.dylib", &[])]
#[case("@rpath/libfirn.3.dylib", &[])]
#[case("@rpath/libsnow.dylib", &["library"])]
#[case("/opt/homely/lib/libfirn.dylib", &["library"])]
fn libraries_of_macos_come_with_the_wheel_or_the_system(
    #[case] library: &str,
    #[case] broken: &[&str],
) {
    let module = Binary {
        needs: vec![library.to_owned()],
        ..part(Format::MachO, "arm64")
    };
    let brought = Binary {
        soname: Some("@rpath/libfirn.3.dylib".into()),
        ..Binary::plain(Format::MachO, "arm64", 64)
    };
    let files = [
        carried("firnio/_core.cpython-311-darwin.so", vec![module]),
        carried("firnio/.dylibs/libfirn.3.dylib", vec![brought]),
    ];
    let found = judged("firnio-1.0-cp311-cp311-macosx_11_0_arm64.whl", &files, MAC);
    assert_eq!(kinds(&found.broken), broken, "{found:?}");
}

#[rstest]
#[case::own("firnio/_core.cp311-win_amd64.pyd", "python311.dll", &[])]
#[case::of_another("firnio/_core.pyd", "python39.dll", &["abi"])]
#[case::older_name("firnio/_core.cp37-win_amd64.pyd", "python37.dll", &["abi"])]
fn files_of_windows_tell_their_interpreter(
    #[case] path: &str,
    #[case] library: &str,
    #[case] broken: &[&str],
) {
    let files = [carried(
        path,
        vec![Binary {
            needs: vec![library.to_owned()],
            ..part(Format::Pe, "x86_64")
        }],
    )];
    let found = judged(
        "firnio-1.0-cp311-cp311-win_amd64.whl",
        &files,
        "cpython 3.11 / windows x86_64",
    );
    assert_eq!(kinds(&found.broken), broken, "{found:?}");
}

/// What cannot be read is told, and a library as data is not a module.
#[test]
fn damage_bars_where_it_would_be_loaded() {
    let broken = Carried {
        path: "firnio/_core.abi3.so".into(),
        parts: Err("it is cut off".into()),
        absent: Vec::new(),
        lacking: Vec::new(),
    };
    let data = Carried {
        path: "firnio/data.so".into(),
        parts: Err("it is cut off".into()),
        absent: Vec::new(),
        lacking: Vec::new(),
    };
    let target = "cpython 3.11 / linux x86_64 glibc 2.35";
    let found = judged(
        "firnio-1.0-cp39-abi3-manylinux_2_17_x86_64.whl",
        &[broken, data],
        target,
    );
    assert_eq!(kinds(&found.bars), ["archive"]);
}

#[test]
fn metadata_may_leave_the_interpreter_out() {
    let name = WheelName::parse("firnio-1.0-py3-none-any.whl").unwrap();
    let text = b"Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\nRequires-Python: >=3.12\n";
    let metadata = Metadata::parse(text).unwrap();
    let contents = Contents {
        name: &name,
        metadata: Some(&metadata),
        variants: None,
        carried: &[],
    };
    let found = assay(
        &contents,
        &Target::parse("cpython 3.11 / linux x86_64 glibc 2.35").unwrap(),
    );
    assert_eq!(kinds(&found.bars), ["interpreter"]);
}

/// A variant is judged by what the wheel says of itself (draft PEP 825).
#[rstest]
#[case::fits(
    Some(r#"{"variants": {"v3": {"x86_64": {"level": ["v3"]}}}}"#),
    "level v3",
    None
)]
#[case::too_low(
    Some(r#"{"variants": {"v3": {"x86_64": {"level": ["v3"]}}}}"#),
    "level v2",
    Some("this target has level v2")
)]
#[case::says_nothing(None, "level v3", Some("nothing on the index describes"))]
#[case::another_label(
    Some(r#"{"variants": {"v2": {"x86_64": {"level": ["v2"]}}}}"#),
    "level v3",
    Some("describes the variant `v3`")
)]
#[case::broken(Some("{"), "level v3", Some("cannot be read"))]
fn variants_are_judged(
    #[case] text: Option<&str>,
    #[case] level: &str,
    #[case] told: Option<&str>,
) {
    let name = WheelName::parse("firnio-1.0-cp311-cp311-linux_x86_64-v3.whl").unwrap();
    let read = text.map(|t| Variants::parse(t.as_bytes()).map_err(|f| f.to_string()));
    let contents = Contents {
        name: &name,
        metadata: None,
        variants: read.as_ref().map(|r| r.as_ref().map_err(String::as_str)),
        carried: &[],
    };
    let target = format!("cpython 3.11 / linux x86_64 glibc 2.35 {level}");
    let found = assay(&contents, &Target::parse(&target).unwrap());
    let bars: Vec<String> = found.bars.iter().map(ToString::to_string).collect();
    match told {
        None => assert!(bars.is_empty(), "{bars:?}"),
        Some(part) => {
            assert_eq!(kinds(&found.bars), ["variant"]);
            assert!(bars[0].contains(part), "{bars:?}");
        }
    }
}
