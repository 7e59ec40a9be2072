//! Killed half-way: a whole environment or none, and the next run succeeds.

use std::process::Stdio;
use std::time::Duration;

use eutaxis_demo::server::{Server, Trouble};
use rstest::rstest;

use crate::field::{Field, server};

/// Every file that the projects of the environment list is there with its hash; told by the
/// interpreter's own library.
const WHOLE: &str = r#"
import base64, hashlib, importlib.metadata as m, sys
import radargram, fieldlog, sastrugi, icelens, hoarfrost
for d in m.distributions():
    for f in d.files:
        path = f.locate()
        data = path.read_bytes()
        if f.hash:
            found = base64.urlsafe_b64encode(hashlib.new(f.hash.mode, data).digest()).rstrip(b"=").decode()
            assert found == f.hash.value, path
print(sorted(d.metadata["Name"] + " " + d.version for d in m.distributions()))
"#;

/// Runs the command until it comes to a named point, where it ends as if it were killed.
pub(crate) fn kill_at(field: &Field, arguments: &[&str], point: &str) {
    let status = field
        .command(arguments)
        .env("EUTAXIS_HALT", point)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()
        .unwrap();
    assert_eq!(status.code(), None, "{arguments:?} comes to {point}");
}

/// A field with pins, whose wheels come from a server.
fn pinned() -> (Server, Field) {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &["settle", "--asks", "fieldkit.txt"]);
    (server, field)
}

#[rstest]
#[case("file-came")]
#[case("file-came:3")]
#[case("file-unpacked")]
#[case("file-unpacked:7")]
#[case("wheel-unpacked")]
#[case("wheel-unpacked:3")]
#[case("stage-made")]
#[case("tree-begun")]
#[case("file-placed")]
#[case("file-placed:9")]
#[case("tree-whole")]
#[case("tree-in-place")]
fn a_new_environment_is_whole_or_absent(#[case] point: &str) {
    let (_server, field) = pinned();
    kill_at(&field, &["furnish"], point);
    assert_eq!(field.path(".venv").exists(), point == "tree-in-place");
    if field.path(".venv").exists() {
        let seen = field.python(WHOLE);
        assert_eq!(seen.code, 0, "{seen:?}");
    }
    field.expect(0, &["furnish"]);
    assert_eq!(field.python(WHOLE).code, 0);
    assert_eq!(
        field.names(),
        [".venv", "pylock.toml"],
        "what the killed run left is gone"
    );
}

#[rstest]
fn an_update_leaves_the_old_or_the_new(
    #[values(
        "wheel-unpacked",
        "stage-made",
        "tree-begun",
        "file-placed",
        "file-placed:5",
        "tree-whole",
        "tree-in-place"
    )]
    point: &str,
) {
    let field = Field::new();
    let settle = ["settle", "--asks", "fieldkit.txt", "--out"];
    let old = ["pylock.old.toml", "--as-of", "2025-12-31"];
    field.expect(0, &[&settle[..], &old[..]].concat());
    field.expect(0, &[&settle[..], &["pylock.new.toml"]].concat());
    field.expect(0, &["furnish", "pylock.old.toml", "--at", ".venv"]);
    let before = field.python(WHOLE).out;
    let update = ["furnish", "pylock.new.toml", "--at", ".venv", "--tidy"];
    kill_at(&field, &update, point);
    let seen = field.python(WHOLE);
    assert_eq!(seen.code, 0, "{seen:?}");
    assert_eq!(seen.out == before, point != "tree-in-place");
    field.expect(0, &update);
    let after = field.python(WHOLE).out;
    assert_ne!(before, after);
    assert_eq!(
        field.names(),
        [".venv", "pylock.new.toml", "pylock.old.toml"]
    );
}

/// What is learnt is kept row by row: a run that is killed leaves what it learnt, and nothing that
/// is half so.
#[rstest]
#[case(&["page-kept"])]
#[case(&["page-kept:4", "page-kept:2", "metadata-kept"])]
#[case(&["metadata-kept:2", "metadata-kept:3", "metadata-kept"])]
#[case(&["file-written"])]
fn what_was_learnt_stays_whole(#[case] points: &[&str]) {
    let trouble = Trouble {
        no_sidecars: true,
        ..Trouble::default()
    };
    let server = server(trouble);
    let settle = [
        "settle",
        "--asks",
        "fieldkit.txt",
        "--target",
        "base-camp",
        "moulin>5",
    ];
    let whole = Field::at(&server);
    whole.expect(0, &settle);
    let field = Field::at(&server);
    for point in points {
        kill_at(&field, &settle, point);
        assert!(!field.path("pylock.toml").exists());
    }
    field.expect(0, &settle);
    assert_eq!(field.read("pylock.toml"), whole.read("pylock.toml"));
}

/// A run that is killed while it has the lock of a cache's entry keeps nobody waiting, and a moment
/// that nobody named is no worse than those that are.
#[test]
fn killed_at_any_moment_the_next_run_completes() {
    let (_server, field) = pinned();
    for i in 0..6u64 {
        let mut child = field
            .command(&["furnish"])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(Duration::from_millis(5 + i * i * 12));
        child.kill().unwrap();
        child.wait().unwrap();
        assert!(!field.path(".venv").exists() || field.python(WHOLE).code == 0);
    }
    field.expect(0, &["furnish"]);
    assert_eq!(field.python(WHOLE).code, 0);
}
