//! Killed at random moments: a whole environment or none, and the next run succeeds.

use std::process::Stdio;
use std::time::Duration;

use eutaxis_demo::server::Trouble;

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

/// Small steps at first, where much happens, then wider ones; no randomness, so that a failure can
/// be repeated.
fn moments() -> impl Iterator<Item = Duration> {
    (0..24).map(|i| Duration::from_micros(500 + i * i * 700))
}

fn kill_after(field: &Field, arguments: &[&str], moment: Duration) -> bool {
    let mut child = field
        .command(arguments)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(moment);
    child.kill().unwrap();
    !child.wait().unwrap().success()
}

#[test]
fn a_new_environment_is_whole_or_absent() {
    let field = Field::new();
    field.expect(0, &["settle", "--asks", "fieldkit.txt"]);
    let mut killed = 0;
    for moment in moments() {
        killed += usize::from(kill_after(&field, &["furnish"], moment));
        if field.path(".venv").exists() {
            let seen = field.python(WHOLE);
            assert_eq!(seen.code, 0, "after {moment:?}: {seen:?}");
        }
        field.expect(0, &["furnish"]);
        assert_eq!(field.python(WHOLE).code, 0);
        assert_eq!(
            field.names(),
            [".venv", "pylock.toml"],
            "what the killed run left is gone"
        );
        std::fs::remove_dir_all(field.path(".venv")).unwrap();
        std::fs::remove_dir_all(field.path("cache")).unwrap();
    }
    assert!(
        killed > 3,
        "only {killed} runs were killed before they ended"
    );
}

#[test]
fn an_update_leaves_the_old_or_the_new() {
    let field = Field::new();
    let old = [
        "settle",
        "--asks",
        "fieldkit.txt",
        "--as-of",
        "2025-12-31",
        "--out",
        "pylock.old.toml",
    ];
    field.expect(0, &old);
    field.expect(
        0,
        &[
            "settle",
            "--asks",
            "fieldkit.txt",
            "--out",
            "pylock.new.toml",
        ],
    );
    field.expect(0, &["furnish", "pylock.old.toml"]);
    let before = field.python(WHOLE).out;
    field.expect(0, &["furnish", "pylock.new.toml", "--tidy"]);
    let after = field.python(WHOLE).out;
    assert_ne!(before, after);
    for moment in moments() {
        field.expect(0, &["furnish", "pylock.old.toml", "--tidy"]);
        assert_eq!(field.python(WHOLE).out, before);
        kill_after(&field, &["furnish", "pylock.new.toml", "--tidy"], moment);
        let seen = field.python(WHOLE);
        assert!(
            seen.code == 0 && (seen.out == before || seen.out == after),
            "after {moment:?}: {seen:?}"
        );
    }
    field.expect(0, &["furnish", "pylock.new.toml", "--tidy"]);
    assert_eq!(
        field.names(),
        [".venv", "pylock.new.toml", "pylock.old.toml"]
    );
}

/// What is learnt is kept row by row: a run that is killed leaves what it learnt, and nothing that
/// is half so.
#[test]
fn what_was_learnt_stays_whole() {
    let trouble = Trouble {
        no_sidecars: true,
        latency: Duration::from_millis(2),
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
    let pins = whole.read("pylock.toml");
    let field = Field::at(&server);
    let mut killed = 0;
    for i in 0..50u64 {
        killed += usize::from(kill_after(
            &field,
            &settle,
            Duration::from_micros(2_000 + i * i * 60),
        ));
        if i % 10 == 9 {
            field.expect(0, &settle);
            assert_eq!(field.read("pylock.toml"), pins);
            std::fs::remove_file(field.path("pylock.toml")).unwrap();
            std::fs::remove_dir_all(field.path("cache")).unwrap();
        }
    }
    assert!(
        killed > 10,
        "only {killed} runs were killed before they ended"
    );
}
