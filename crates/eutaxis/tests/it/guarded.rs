//! Reading a log or a list starts nothing out of the current folder, and an interpreter that
//! misbehaves is ended.

use std::os::unix::fs::PermissionsExt;

use rstest::rstest;

use crate::field::{Field, depot, ran};

fn executable(field: &Field, name: &str, text: &str) {
    field.write(name, text);
    std::fs::set_permissions(field.path(name), std::fs::Permissions::from_mode(0o755)).unwrap();
}

const LOG: &str = "Traceback (most recent call last):\n  File \"x.py\", line 1, in <module>\n    \
    import snowpit\nModuleNotFoundError: No module named 'snowpit'\n";

/// An environment of a folder that came from anybody: whatever starts its interpreter leaves a
/// trace.
fn trapped(home: &str) -> Field {
    let field = Field::new();
    let trace = field.path("started").display().to_string();
    executable(
        &field,
        ".venv/bin/python",
        &format!("#!/bin/sh\necho x > '{trace}'\nexec python3 \"$@\"\n"),
    );
    executable(
        &field,
        "bin/python3.9",
        &format!("#!/bin/sh\necho x > '{trace}'\nexec python3 \"$@\"\n"),
    );
    field.write(
        ".venv/pyvenv.cfg",
        &format!("home = {home}\nversion = 3.11.2\n"),
    );
    field.write("build.log", LOG);
    field.write("list.txt", "snowpit\n");
    field.write(
        "eutaxis.toml",
        &format!(
            "[[depot]]\npath = {:?}\n[interpreters]\nsearch = [\"{}\"]\n",
            depot(),
            field.path("bin/python*").display()
        ),
    );
    field
}

#[rstest]
#[case::a_log(&["diagnose", "build.log"], 1)]
#[case::a_log_in_an_environment(&["diagnose", "build.log", "--in", ".venv"], 1)]
#[case::a_list(&["proofread", "list.txt"], 0)]
fn reading_starts_nothing_out_of_the_folder(#[case] arguments: &[&str], #[case] code: i32) {
    for home in ["/usr/bin", "/nowhere", "bin"] {
        let field = trapped(home);
        let mut command = field.command(arguments);
        // The environment of the folder is entered, and the folder itself is searched for programs.
        let path = format!(
            "{}:.:{}",
            field.path(".venv/bin").display(),
            std::env::var("PATH").unwrap()
        );
        command
            .env("PATH", path)
            .env("VIRTUAL_ENV", field.path(".venv"));
        let ran = ran(command.output().unwrap());
        assert!(!field.path("started").exists(), "home = {home}: {ran:?}");
        assert!(
            ran.code == code || home != "/usr/bin",
            "home = {home}: {ran:?}"
        );
    }
    // What a command is asked to do with the environment, it does.
    let field = trapped("/usr/bin");
    field.run(&["survey"]);
    assert!(field.path("started").exists());
}

#[rstest]
#[case::leaves_a_writer_behind("yes & exec python3 \"$@\"")]
#[case::writes_without_end("exec yes")]
fn an_interpreter_that_does_not_stop_writing_is_ended(#[case] body: &str) {
    let field = Field::new();
    executable(&field, "odd/python3.9", &format!("#!/bin/sh\n{body}\n"));
    let mut command = field.command(&["survey", "--interpreter", "odd/python3.9", "--json"]);
    // Little memory for addresses: what it writes is not kept.
    command.env("RUST_BACKTRACE", "0");
    let ran = ran(command.output().unwrap());
    let told = ran.code == 0
        || ran.out.contains("more than the 1048576 bytes")
        || ran.out.contains("not a Python interpreter")
        || ran.out.contains("is not a Python");
    assert!(
        told || ran.out.contains("does not answer as one"),
        "{ran:?}"
    );
}
