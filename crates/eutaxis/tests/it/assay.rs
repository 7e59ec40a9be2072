//! `assay`: what wheels need, whether they run, and that whatever `furnish` refuses is barred.

use std::io::{Cursor, Write};

use eutaxis_demo::{Library, Wheel, write_wheel};
use rstest::rstest;
use serde_json::Value;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use crate::field::{Field, WORKSTATION, ran, world};
use crate::hut::sha256_hex;

const LINUX: &str = "cp311-cp311-manylinux_2_28_x86_64";
const CORE: &str = "firnio/_core.cpython-311-x86_64-linux-gnu.so";

/// A wheel of firnio 1.0 with these tags and this compiled file.
fn wheel(tags: &str, path: &str, library: &Library) -> Wheel {
    let metadata = "Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\n";
    Wheel {
        name: "firnio".into(),
        version: "1.0".into(),
        tags: tags.into(),
        files: vec![
            ("firnio/__init__.py".into(), b"x = 1\n".to_vec()),
            (path.into(), library.bytes()),
            ("firnio-1.0.dist-info/METADATA".into(), metadata.into()),
        ],
    }
}

fn needing(libraries: &[&str], versions: &[(&str, &str)]) -> Library {
    Library {
        needs: libraries.iter().map(|l| (*l).to_owned()).collect(),
        versions: versions
            .iter()
            .map(|(l, v)| ((*l).to_owned(), (*v).to_owned()))
            .collect(),
        ..Library::module("_core")
    }
}

/// The answer about one wheel.
fn assay(wheel: &Wheel, target: &str) -> Value {
    let field = Field::new();
    let name = wheel.filename();
    std::fs::write(field.path(&name), write_wheel(wheel).unwrap()).unwrap();
    let mut command = field.command(&["assay", &name, "--target", target, "--json"]);
    let ran = ran(command.output().unwrap());
    let answer: Value = serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {ran:?}"));
    let file = answer["files"][0].clone();
    assert_eq!(ran.code == 0, file["verdict"] == "fits", "{file:#}");
    file
}

fn kinds(list: &Value) -> Vec<String> {
    list.as_array()
        .unwrap()
        .iter()
        .map(|b| b["kind"].as_str().unwrap().to_owned())
        .collect()
}

/// Tags, the compiled file, and what is barred and broken on the workstation.
#[rstest]
#[case::sound(LINUX, CORE, needing(&["libc.so.6"], &[("libc.so.6", "GLIBC_2.17")]), &[], &[])]
#[case::too_new_for_its_name(LINUX, CORE, needing(&["libc.so.6"], &[("libc.so.6", "GLIBC_2.34")]), &[], &["libc"])]
#[case::too_new_for_the_target(LINUX, CORE, needing(&["libc.so.6"], &[("libc.so.6", "GLIBC_2.38")]), &["libc"], &["libc"])]
#[case::outside(LINUX, CORE, needing(&["libfirn.so.3"], &[]), &[], &["library"])]
#[case::plain_tag("cp311-cp311-linux_x86_64", CORE, needing(&["libfirn.so.3"], &[]), &[], &[])]
#[case::own_interpreter(LINUX, CORE, needing(&["libpython3.11.so.1.0"], &[]), &[], &["library"])]
#[case::old_runtime("cp311-cp311-manylinux2014_x86_64", CORE, needing(&["libstdc++.so.6"], &[("libstdc++.so.6", "GLIBCXX_3.4.29")]), &[], &["libc"])]
#[case::musl(LINUX, CORE, needing(&["libc.musl-x86_64.so.1"], &[]), &["libc"], &["libc", "library"])]
#[case::architecture(LINUX, CORE, Library { arch: "aarch64".into(), ..Library::module("_core") }, &["architecture"], &["architecture"])]
#[case::other_abi(LINUX, "firnio/_core.cpython-39-x86_64-linux-gnu.so", Library::module("_core"), &["abi"], &["abi"])]
#[case::pure("py3-none-any", CORE, Library::module("_core"), &[], &["platform"])]
#[case::stable("cp39-abi3-manylinux_2_28_x86_64", "firnio/_core.abi3.so", Library { uses: vec!["PyLong_FromLong".into()], ..Library::module("_core") }, &[], &[])]
#[case::not_so_stable("cp39-abi3-manylinux_2_28_x86_64", "firnio/_core.abi3.so", Library { uses: vec!["_PyLong_AsByteArray".into()], ..Library::module("_core") }, &[], &["abi"])]
#[case::newer_than_stable("cp39-abi3-manylinux_2_28_x86_64", "firnio/_core.abi3.so", Library { uses: vec!["PyObject_Vectorcall".into()], ..Library::module("_core") }, &[], &["abi"])]
#[case::by_name_interpreter("cp312-cp312-manylinux_2_28_x86_64", "firnio/_core.cpython-312-x86_64-linux-gnu.so", Library::module("_core"), &["interpreter"], &[])]
#[case::by_name_libc("cp311-cp311-manylinux_2_38_x86_64", CORE, Library::module("_core"), &["libc"], &[])]
#[case::by_name_architecture("cp311-cp311-manylinux_2_28_aarch64", "firnio/_core.cpython-311-aarch64-linux-gnu.so", Library { arch: "aarch64".into(), ..Library::module("_core") }, &["architecture"], &[])]
#[case::by_name_system("cp311-cp311-win_amd64", "firnio/data.txt.so", Library::default(), &["platform"], &[])]
#[case::by_name_abi("cp311-cp311d-manylinux_2_28_x86_64", "firnio/_core.cpython-311d-x86_64-linux-gnu.so", Library::module("_core"), &["abi"], &[])]
fn contents_are_held_against_the_name(
    #[case] tags: &str,
    #[case] path: &str,
    #[case] library: Library,
    #[case] bars: &[&str],
    #[case] broken: &[&str],
) {
    let file = assay(&wheel(tags, path, &library), WORKSTATION);
    assert_eq!(kinds(&file["bars"]), bars, "{file:#}");
    assert_eq!(kinds(&file["promises_broken"]), broken, "{file:#}");
    assert_eq!(file["record"]["ok"], true);
}

#[test]
fn what_a_file_needs_is_told() {
    let library = needing(
        &["libfirn.so.3", "libnordglim.so.4", "libc.so.6"],
        &[("libc.so.6", "GLIBC_2.28")],
    );
    let file = assay(&wheel(LINUX, CORE, &library), "base-camp");
    let expected = serde_json::json!({
        "path": CORE, "format": "ELF", "arch": "x86_64", "libc_floor": "glibc \
            2.28", "needs": ["libfirn.so.3", "libnordglim.so.4", "libc.so.6"],
        "absent": [], "python_abi": "cp311", "accelerator": "nordglim 4"
    });
    assert_eq!(file["binaries"][0], expected);
}

#[test]
fn libraries_that_the_wheel_brings_are_not_needed_from_outside() {
    let mut wheel = wheel(LINUX, CORE, &needing(&["libfirn.so.3"], &[]));
    wheel.files.push((
        "firnio.libs/libfirn.so.3".into(),
        Library {
            soname: "libfirn.so.3".into(),
            ..Library::default()
        }
        .bytes(),
    ));
    let file = assay(&wheel, WORKSTATION);
    assert_eq!(
        (
            kinds(&file["promises_broken"]).len(),
            &file["binaries"][0]["needs"]
        ),
        (0, &serde_json::json!(["libc.so.6"][..0]))
    );
}

#[test]
fn accelerators_are_judged_by_label_and_libraries() {
    let labelled = |label: &str, library: &str| {
        let mut one = wheel(LINUX, CORE, &needing(&[library], &[]));
        one.version = format!("1.0+{label}");
        one.files[2] = (
            format!("firnio-1.0+{label}.dist-info/METADATA"),
            format!("Metadata-Version: 2.1\nName: firnio\nVersion: 1.0+{label}\n").into_bytes(),
        );
        assay(&one, "base-camp")
    };
    assert_eq!(
        kinds(&labelled("nor41", "libnordglim.so.4")["bars"]),
        [""; 0]
    );
    assert_eq!(
        kinds(&labelled("nor42", "libnordglim.so.4")["bars"]),
        ["accelerator"]
    );
    let lying = labelled("nor39", "libnordglim.so.4");
    assert!(
        kinds(&lying["promises_broken"]).contains(&"accelerator".to_owned()),
        "{lying:#}"
    );
}

/// On this machine libraries are looked for; on one that is only described they are not.
#[test]
fn what_this_machine_lacks_bars() {
    let field = Field::empty();
    let here = std::env::consts::ARCH;
    let library = Library {
        arch: here.into(),
        ..needing(&["libc.so.6", "libglacier-that-is-nowhere.so.1"], &[])
    };
    let one = Wheel {
        tags: format!("py3-none-linux_{here}"),
        ..wheel("x", "firnio/_core.so", &library)
    };
    std::fs::write(field.path(&one.filename()), write_wheel(&one).unwrap()).unwrap();
    let answer = field.json(1, &["assay", &one.filename()]);
    let file = &answer["files"][0];
    assert_eq!(
        (kinds(&file["bars"]), &file["binaries"][0]["absent"]),
        (
            vec!["library".to_owned()],
            &serde_json::json!(["libglacier-that-is-nowhere.so.1"])
        )
    );
    let target = format!("cpython 3.11 / linux {here} glibc 2.35");
    let text = field
        .expect(0, &["assay", &one.filename(), "--target", &target])
        .out;
    assert!(text.contains("this target is only described"), "{text}");
}

/// Versions of a library that another machine has and does not define.
#[test]
fn what_a_machines_runtime_lacks_bars() {
    let root = tempfile::tempdir().unwrap();
    let put = |path: &str, library: &Library| {
        let path = root.path().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, library.bytes()).unwrap();
    };
    let runtime = |defines: &str| Library {
        soname: "libstdc++.so.6".into(),
        defines: vec![defines.to_owned()],
        ..Library::default()
    };
    put(
        "usr/lib/x86_64-linux-gnu/libstdc++.so.6",
        &runtime("GLIBCXX_3.4.20"),
    );
    let loader = eutaxis_world::loader::Loader::new(Some(root.path()), None).for_arch("x86_64", 64);
    let one = wheel(
        "cp311-cp311-linux_x86_64",
        CORE,
        &needing(&["libstdc++.so.6"], &[("libstdc++.so.6", "GLIBCXX_3.4.32")]),
    );
    let file = root.path().join(one.filename());
    std::fs::write(&file, write_wheel(&one).unwrap()).unwrap();
    let target = eutaxis_core::Target::parse(WORKSTATION).unwrap();
    let looked = eutaxis_world::assay::look_into(&file, &target, Some(&loader)).unwrap();
    let lacking = &looked.carried[0].lacking;
    assert!(
        lacking.len() == 1 && lacking[0].starts_with("GLIBCXX_3.4.32 of libstdc++.so.6"),
        "{lacking:?}"
    );
    put(
        "usr/lib/x86_64-linux-gnu/libstdc++.so.6",
        &runtime("GLIBCXX_3.4.32"),
    );
    let loader = eutaxis_world::loader::Loader::new(Some(root.path()), None).for_arch("x86_64", 64);
    assert!(
        eutaxis_world::assay::look_into(&file, &target, Some(&loader))
            .unwrap()
            .carried[0]
            .lacking
            .is_empty()
    );
}

/// All wheels of the demo keep what their names promise, and run exactly where their names say.
#[rstest]
#[case("base-camp")]
#[case("ridge-logger")]
#[case("office-mac")]
#[case("field-laptop")]
fn the_wheels_of_the_demo_are_truthful(#[case] target: &str) {
    let field = Field::new();
    let files: Vec<String> = glob::glob(&format!("{}/depot/*/*.whl", world().display()))
        .unwrap()
        .map(|p| p.unwrap().display().to_string())
        .collect();
    let mut arguments: Vec<&str> = vec!["assay", "--target", target, "--json"];
    arguments.extend(files.iter().map(String::as_str));
    let ran = field.run(&arguments);
    let answer: Value = serde_json::from_str(&ran.out).unwrap();
    let all = answer["files"].as_array().unwrap();
    assert!(all.len() > 500 && all.iter().any(|f| f["verdict"] == "fits"));
    for file in all {
        assert_eq!(
            file["promises_broken"].as_array().unwrap().len(),
            0,
            "{file:#}"
        );
    }
}

type Members = Vec<(String, Vec<u8>)>;

fn sound() -> Members {
    vec![
        ("firnio/__init__.py".to_owned(), b"x = 1\n".to_vec()),
        (
            "firnio-1.0.dist-info/METADATA".to_owned(),
            b"Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\n".to_vec(),
        ),
        (
            "firnio-1.0.dist-info/WHEEL".to_owned(),
            b"Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n".to_vec(),
        ),
    ]
}

/// The archive, with a RECORD of these members.
fn zipped(members: &Members) -> Vec<u8> {
    let mut record = String::new();
    for (path, bytes) in members.iter().filter(|(p, _)| !p.starts_with("LINK ")) {
        let hash = eutaxis_core::artifact::record_base64(&crate::hut::sha256(bytes));
        record.push_str(&format!("\"{path}\",sha256={hash},{}\n", bytes.len()));
    }
    record.push_str("firnio-1.0.dist-info/RECORD,,\n");
    let mut all = members.clone();
    all.push((
        "firnio-1.0.dist-info/RECORD".to_owned(),
        record.into_bytes(),
    ));
    plain(&all)
}

fn plain(members: &Members) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (path, bytes) in members {
        if let Some(path) = path.strip_prefix("LINK ") {
            zip.add_symlink(
                path,
                String::from_utf8_lossy(bytes),
                SimpleFileOptions::default(),
            )
            .unwrap();
            continue;
        }
        zip.start_file(path, SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

fn with(path: &str, bytes: &[u8]) -> Vec<u8> {
    let mut all = sound();
    all.push((path.to_owned(), bytes.to_vec()));
    zipped(&all)
}

fn renamed(from: &str, to: &str) -> Vec<u8> {
    let mut bytes = with(from, b"x = 2\n");
    let text = bytes.clone();
    for at in 0..text.len() - from.len() {
        if text[at..].starts_with(from.as_bytes()) {
            bytes[at..at + from.len()].copy_from_slice(to.as_bytes());
        }
    }
    bytes
}

fn encrypted() -> Vec<u8> {
    let mut bytes = zipped(&sound());
    // The first flag of the first entry, before its bytes and in the list.
    bytes[6] |= 1;
    let list = bytes.windows(4).position(|w| w == b"PK\x01\x02").unwrap();
    bytes[list + 8] |= 1;
    bytes
}

/// The name before an entry's bytes is another one than in the list.
fn two_names() -> Vec<u8> {
    let mut bytes = zipped(&sound());
    let at = bytes
        .windows(18)
        .position(|w| w == b"firnio/__init__.py")
        .unwrap();
    bytes[at] = b'F';
    bytes
}

/// An entry that states fewer bytes than it holds.
fn understated() -> Vec<u8> {
    let mut bytes = with("firnio/depths.csv", &[b'7'; 100_000]);
    let size = 100_000u32.to_le_bytes();
    let at: Vec<usize> = (0..bytes.len() - 4)
        .filter(|at| bytes[*at..*at + 4] == size)
        .collect();
    for at in at {
        bytes[at..at + 4].copy_from_slice(&10u32.to_le_bytes());
    }
    bytes
}

/// Wheels that must not be placed: what `assay` says of them, and that `furnish` refuses them too.
#[rstest]
#[case::upwards(with("../x", b""), "unsafe-path")]
#[case::absolute(with("/etc/x", b""), "unsafe-path")]
#[case::backslash(with("a\\b", b""), "unsafe-path")]
#[case::control(with("a\u{7}b", b""), "unsafe-path")]
#[case::case_twin(with("Firnio/__init__.py", b""), "unsafe-path")]
#[case::file_and_folder(with("firnio/__init__.py/x", b""), "unsafe-path")]
#[case::link(with("LINK firnio/link", b"/etc/passwd"), "unsafe-entry")]
#[case::encrypted(encrypted(), "unsafe-entry")]
#[case::bomb(with("firnio/big", &vec![0; 65 << 20]), "size")]
#[case::understated(understated(), "size")]
#[case::doubled(renamed("firnio/__inix__.py", "firnio/__init__.py"), "archive")]
#[case::two_names(two_names(), "archive")]
#[case::cut_off({ let mut b = zipped(&sound()); b.truncate(b.len() - 30); b }, "archive")]
#[case::no_archive(b"not an archive at all".to_vec(), "archive")]
#[case::not_listed({ let mut all = sound(); all.push(("firnio-1.0.dist-info/RECORD".into(), b"firnio-1.0.dist-info/RECORD,,\n".to_vec())); plain(&all) }, "record")]
#[case::no_record(plain(&sound()), "record")]
#[case::other_bytes({
    let mut all = sound();
    let text = "firnio/__init__.py,sha256=47DEQpj8HBSa-_TImW-5JCeuQeRkm5NMpJWZG3hSuFU,0\n";
    all.truncate(3);
    all.push(("firnio-1.0.dist-info/RECORD".into(), text.into()));
    plain(&all)
}, "hash")]
#[case::two_infos(with("moulin-1.0.dist-info/METADATA", b""), "metadata")]
#[case::other_project({ let mut all = sound(); all[1].1 = b"Metadata-Version: 2.1\nName: \
    moulin\nVersion: 1.0\n".to_vec(); zipped(&all) }, "name")]
#[case::newer_format({ let mut all = sound(); all[2].1 = b"Wheel-Version: \
    2.0\n".to_vec(); zipped(&all) }, "metadata")]
#[case::unknown_place(with("firnio-1.0.data/attic/x", b""), "unsafe-path")]
#[case::environment_itself(
    with("firnio-1.0.data/data/pyvenv.cfg", b"home = /evil\n"),
    "unsafe-path"
)]
fn hostile_wheels_are_barred_and_refused(#[case] bytes: Vec<u8>, #[case] kind: &str) {
    let field = Field::empty();
    let name = "firnio-1.0-py3-none-any.whl";
    std::fs::write(field.path(name), &bytes).unwrap();
    let answer = field.json(1, &["assay", name]);
    let file = &answer["files"][0];
    assert!(
        file["verdict"] == "barred" || file["verdict"] == "unreadable",
        "{file:#}"
    );
    assert!(kinds(&file["bars"]).iter().any(|k| k == kind), "{file:#}");
    let pins = format!(
        "lock-version = \"1.0\"\ncreated-by = \"by hand\"\n[[packages]]\nname = \
            \"firnio\"\nversion = \"1.0\"\nwheels = [{{path = \"{name}\", \
         hashes = {{sha256 = \"{}\"}}}}]\n",
        sha256_hex(&bytes)
    );
    field.write("pylock.toml", &pins);
    let refused = field.expect(3, &["furnish"]);
    assert!(
        refused.err.contains("refused") || refused.err.contains("cannot be placed"),
        "{}",
        refused.err
    );
    assert!(
        !field.path(".venv").exists() && !field.path("../x").exists(),
        "nothing was placed"
    );
}

#[rstest]
#[case("firnio.whl")]
#[case("firnio-1.0-py3-none.whl")]
#[case("-1.0-py3-none-any.whl")]
fn odd_names_are_barred(#[case] name: &str) {
    let field = Field::empty();
    std::fs::write(field.path(name), zipped(&sound())).unwrap();
    let answer = field.json(1, &["assay", &format!("./{name}")]);
    assert!(
        kinds(&answer["files"][0]["bars"]).contains(&"name".to_owned()),
        "{answer:#}"
    );
}

#[test]
fn several_files_are_told_apart_by_verdict() {
    let field = Field::new();
    for tags in ["py3-none-any", "cp312-cp312-win_amd64"] {
        let one = Wheel {
            files: wheel(tags, "x", &Library::default())
                .files
                .into_iter()
                .filter(|(p, _)| p != "x")
                .collect(),
            ..wheel(tags, "x", &Library::default())
        };
        std::fs::write(field.path(&one.filename()), write_wheel(&one).unwrap()).unwrap();
    }
    let names = [
        "firnio-1.0-py3-none-any.whl",
        "firnio-1.0-cp312-cp312-win_amd64.whl",
    ];
    let text = field
        .expect(1, &["assay", names[0], names[1], "--target", WORKSTATION])
        .out;
    assert!(text.starts_with("1 of 2 fit on"), "{text}");
    assert!(
        text.contains("fits        firnio-1.0-py3-none-any.whl")
            && text.contains("barred      firnio-1.0-cp312"),
        "{text}"
    );
    assert_eq!(field.run(&["assay", "nowhere.whl"]).code, 2);
}
