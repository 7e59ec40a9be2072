//! What builds are for, read from the files within them: libraries that they bring or need, and code
//! for devices.

use eutaxis_demo::server::{Server, Trouble};
use eutaxis_demo::{Library, Wheel, write_wheel};
use rstest::rstest;
use serde_json::{Value, json};
use tempfile::TempDir;

use crate::field::{Field, pins};
use crate::hut::sha256_hex;

const LINUX: &str = "3.12 / linux x86_64 glibc 2.35";
const TAGS: &str = "cp312-cp312-manylinux_2_28_x86_64";

/// A wheel of firnscan with a compiled module and further files, some kilobytes in size.
fn wheel(version: &str, tags: &str, module: &Library, more: &[(&str, Vec<u8>)]) -> Wheel {
    let metadata = format!("Metadata-Version: 2.1\nName: firnscan\nVersion: {version}\n");
    let mut files = vec![
        ("firnscan/__init__.py".to_owned(), b"DEPTH = 1\n".to_vec()),
        ("firnscan/_core.abi3.so".to_owned(), module.bytes()),
    ];
    files.extend(more.iter().map(|(p, b)| ((*p).to_owned(), b.clone())));
    let info = format!("firnscan-{version}.dist-info/METADATA");
    files.push((info, metadata.into_bytes()));
    Wheel {
        name: "firnscan".into(),
        version: version.into(),
        tags: tags.into(),
        files,
    }
}

/// Bytes that no archive makes smaller.
fn noise(size: usize) -> Vec<u8> {
    let mut state = 7_u64;
    let next = |_| {
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1);
        state.to_be_bytes()[0]
    };
    (0..size).map(next).collect()
}

fn brings(library: &str) -> (&str, Vec<u8>) {
    (library, noise(300_000))
}

/// An index tree with these wheels.
fn tree(wheels: &[Wheel]) -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    let project = folder.path().join("firnscan");
    std::fs::create_dir(&project).unwrap();
    let file = |wheel: &Wheel| {
        let (name, bytes) = (wheel.filename(), write_wheel(wheel).unwrap());
        std::fs::write(project.join(&name), &bytes).unwrap();
        json!({"filename": name, "url": name, "size": bytes.len(), "hashes": {"sha256": sha256_hex(&bytes)}})
    };
    let files: Vec<Value> = wheels.iter().map(file).collect();
    let page = json!({"meta": {"api-version": "1.1"}, "name": "firnscan", "files": files});
    std::fs::write(project.join("index.json"), page.to_string()).unwrap();
    folder
}

fn at(place: &str) -> String {
    format!("{LINUX}{place}")
}

fn bundled(version: &str, library: &str) -> Wheel {
    let path = format!("firnscan.libs/{library}");
    wheel(version, TAGS, &Library::module("_core"), &[brings(&path)])
}

/// Two releases that say nothing of what they bundle: the newer for a newer toolkit.
fn silent() -> [Wheel; 2] {
    [
        bundled("2.0", "libnordglim-1a2b3c4d.so.4.2.7"),
        bundled("1.0", "libnordglim-9f8e7d6c.so.3.6.1"),
    ]
}

#[rstest]
#[case::runs(" / nordglim driver 535", "firnscan 2.0", Some("4.2"))]
#[case::driver_too_old(" / nordglim driver 498.2", "firnscan 1.0", Some("3.6"))]
#[case::another_family(" / cuda driver 550.60", "firnscan 2.0", None)]
#[case::none("", "firnscan 2.0", None)]
fn the_list_of_files_tells_what_a_wheel_was_made_for(
    #[case] place: &str,
    #[case] expected: &str,
    #[case] toolkit: Option<&str>,
    #[values(false, true)] is_served: bool,
) {
    let tree = tree(&silent());
    let server = Server::start(tree.path(), Trouble::default()).unwrap();
    let field = Field::new();
    field.name_depot(&match is_served {
        true => server.url(),
        false => format!("file://{}", tree.path().display()),
    });
    let asked = ["settle", "firnscan", "--target", &at(place)];
    let answer = field.json(0, &asked);
    assert_eq!(pins(&answer), [expected]);
    let told = toolkit.map(|t| json!({"family": "nordglim", "toolkit": t, "evidence": "library"}));
    assert_eq!(
        answer["pins"][0]["accelerator"],
        told.unwrap_or(Value::Null)
    );
    // No wheel came whole.
    let whole = server
        .take_seen()
        .into_iter()
        .filter(|seen| seen.path.ends_with(".whl") && seen.range.is_none());
    assert_eq!(whole.count(), 0);
    // What was found holds the second time, and costs nothing then.
    field.expect(0, &["settle", "--check"]);
    assert!(
        server
            .take_seen()
            .iter()
            .all(|seen| !seen.path.ends_with(".whl"))
    );
    if toolkit.is_some() {
        let text = field.expect(0, &[&asked[..], &["--renew"]].concat()).out;
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(
            text.contains("Told by the libraries in their files."),
            "{text}"
        );
    }
    let listed = field.json(0, &["shortlist", "firnscan", "--target", &at(place)]);
    assert_eq!(
        format!("firnscan {}", listed["best"].as_str().unwrap()),
        expected
    );
}

/// A wheel on this disk tells what its compiled files need, too.
#[test]
fn needed_libraries_tell_it_where_the_wheel_is_here() {
    let needing = Library {
        needs: vec!["libnordglim.so.4".into()],
        ..Library::module("_core")
    };
    let tree = tree(&[wheel("2.0", TAGS, &needing, &[])]);
    let field = Field::new();
    field.name_depot(&format!("file://{}", tree.path().display()));
    let answer = field.json(
        1,
        &[
            "settle",
            "firnscan",
            "--target",
            &at(" / nordglim driver 498.2"),
        ],
    );
    let facts = answer.to_string();
    assert!(
        facts.contains("needs nordglim 4; driver 498.2 runs up to 3.9"),
        "{facts}"
    );
}

/// Where nobody says anything, a wheel that is much larger is looked into.
#[rstest]
#[case::of_another_place(
    &[("2.0", "cp312-cp312-win_amd64", None), ("2.0", TAGS, Some("libnordglim.so.4"))], "firnscan-2.0-cp312-cp312-manylinux_2_28_x86_64.whl", None)]
#[case::of_an_older_release(
    &[("2.0", "cp312-cp312-win_amd64", None), ("1.0", "cp312-cp312-win_amd64", Some("nordglim64_4.dll"))],
    "firnscan-1.0-cp312-cp312-win_amd64.whl", Some("1.0"))]
fn what_a_wheel_no_longer_brings_is_told(
    #[case] wheels: &[(&str, &str, Option<&str>)],
    #[case] shows: &str,
    #[case] last: Option<&str>,
) {
    let made = wheels.iter().map(|(version, tags, library)| {
        let path = library.map(|l| format!("firnscan/{l}"));
        let more: Vec<(&str, Vec<u8>)> = path.iter().map(|p| brings(p)).collect();
        wheel(version, tags, &Library::module("_core"), &more)
    });
    let tree = tree(&made.collect::<Vec<_>>());
    let server = Server::start(tree.path(), Trouble::default()).unwrap();
    let field = Field::at(&server);
    let families = field.read("nordglim.toml").replace(
        "libraries = [",
        "libraries = [{ file = \"nordglim64_4.dll\", toolkit = \"4\" }, ",
    );
    field.write("nordglim.toml", &families);
    let windows = "3.12 / windows amd64";
    let target = format!("{windows} / nordglim driver 535");
    let answer = field.json(0, &["settle", "firnscan", "--target", &target]);
    let caution = answer["cautions"].to_string();
    assert!(
        caution.contains(&format!("{shows} brings the runtime of nordglim 4")),
        "{caution}"
    );
    let told_last = format!("The last with nordglim here was {}", last.unwrap_or("-"));
    assert_eq!(caution.contains(&told_last), last.is_some(), "{caution}");
    let plain = field.json(
        0,
        &[
            "settle",
            "firnscan",
            "--target",
            windows,
            "--out",
            "pylock.p.toml",
        ],
    );
    assert_eq!(plain["cautions"], json!([]));
    let listed = field.json(0, &["shortlist", "firnscan", "--target", &target]);
    assert!(listed["cautions"].to_string().contains(shows), "{listed:#}");
}

/// Code for devices counts where the wheel is here: in a depot on this disk, and once it was placed.
#[rstest]
#[case::for_it(vec![3], vec![], Some(""))]
#[case::compiled_by_the_driver(vec![1], vec![2], Some(""))]
#[case::for_others(vec![1, 2], vec![], None)]
#[case::compiled_for_later_ones(vec![1], vec![4], None)]
#[case::not_read(vec![], vec![], Some("device b3"))]
fn code_for_devices_counts(
    #[case] code: Vec<u32>,
    #[case] intermediate: Vec<u32>,
    #[case] caution: Option<&str>,
) {
    let module = Library {
        code,
        intermediate,
        ..Library::module("_core")
    };
    let labelled = wheel("2.0+nor39", TAGS, &module, &[]);
    let tree = tree(std::slice::from_ref(&labelled));
    let field = Field::new();
    field.name_depot(&format!("file://{}", tree.path().display()));
    // Here the third generation is served by 4.1 first.
    let families = field.read("nordglim.toml").replace(
        "{ name = \"b3\", first = \"3.6\" }",
        "{ name = \"b3\", first = \"4.1\" }",
    );
    field.write("nordglim.toml", &families);
    let target = at(" / nordglim driver 535 device b3");
    let ran = field.run(&["settle", "firnscan", "--target", &target, "--json"]);
    let answer: Value = serde_json::from_str(&ran.out).unwrap();
    let name = labelled.filename();
    std::fs::copy(tree.path().join("firnscan").join(&name), field.path(&name)).unwrap();
    let assayed = field.run(&["assay", &name, "--target", &target]);
    match caution {
        Some(part) => {
            assert_eq!(ran.code, 0, "{answer:#}");
            let told = answer["cautions"].to_string();
            assert_eq!(
                told.contains("intermediate code"),
                !part.is_empty(),
                "{told}"
            );
            assert!(told.contains(part), "{told}");
            assert_eq!(assayed.code, 0, "{}", assayed.out);
        }
        None => {
            assert_eq!(ran.code, 1, "{answer:#}");
            let why = "device b3 runs none of it";
            assert!(answer.to_string().contains(why), "{answer:#}");
            assert_eq!(assayed.code, 1);
            assert!(
                assayed.out.replace('\n', " ").contains("device b3"),
                "{}",
                assayed.out
            );
        }
    }
}

/// What was chosen unseen is held against the device once it is in the store.
#[test]
fn what_was_placed_is_known_from_then_on() {
    let module = |code: Vec<u32>| Library {
        code,
        ..Library::module("_core")
    };
    let anywhere = "py3-none-manylinux_2_5_x86_64.manylinux1_x86_64";
    let tree = tree(&[
        wheel("2.0+nor42", anywhere, &module(vec![4]), &[]),
        wheel("1.0+nor41", anywhere, &module(vec![3]), &[]),
    ]);
    let server = Server::start(tree.path(), Trouble::default()).unwrap();
    let field = Field::at(&server);
    let asked = [
        "settle",
        "firnscan",
        "--accelerator",
        "nordglim driver 535 device b3",
        "--renew",
    ];
    assert_eq!(pins(&field.json(0, &asked)), ["firnscan 2.0+nor42"]);
    field.expect(0, &["furnish"]);
    let answer = field.json(0, &asked);
    assert_eq!(pins(&answer), ["firnscan 1.0+nor41"]);
    let why = field.json(1, &["reason", "firnscan", "--not", "2.0+nor42"]);
    assert!(
        why.to_string().contains("device b3 runs none of it"),
        "{why:#}"
    );
}
