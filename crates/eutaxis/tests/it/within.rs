//! A command run in an environment without entering it.

use std::process::{Command, Stdio};

use rstest::rstest;

use crate::field::{Field, Ran};

/// An environment with firnio in it.
fn camp() -> Field {
    let field = Field::new();
    field.write("requirements.txt", "firnio\n");
    field.expect(0, &["settle"]);
    field.expect(0, &["furnish"]);
    field
}

fn python(field: &Field, code: i32, options: &[&str], text: &str) -> Ran {
    let words = [&["within"], options, &["--", "python", "-c", text]].concat();
    field.expect(code, &words)
}

#[test]
fn a_command_runs_in_the_environment() {
    let field = camp();
    let ran = python(
        &field,
        0,
        &[],
        "import firnio, os, sys; print(sys.prefix == os.environ['VIRTUAL_ENV'], len(sys.argv))",
    );
    assert_eq!((ran.out.as_str(), ran.err.as_str()), ("True 1\n", ""));
    // Its own options are its own, and its exit code comes through.
    let words = [
        "within",
        ".venv",
        "--",
        "python",
        "-c",
        "import sys; sys.exit(len(sys.argv))",
        "--furnish",
        "-v",
    ];
    assert_eq!(field.run(&words).code, 3);
}

#[rstest]
#[case::plain(&[])]
#[case::watched(&["--explain"])]
fn exit_codes_are_the_usual_ones(#[case] options: &[&str]) {
    let field = camp();
    let within = |words: &[&str]| field.run(&[&["within"], options, &["--"], words].concat());
    assert_eq!(within(&["python", "-c", "raise SystemExit(41)"]).code, 41);
    let absent = within(&["no-such-command"]);
    assert_eq!(absent.code, 127);
    assert!(
        absent.err.contains("no-such-command cannot be run"),
        "{}",
        absent.err
    );
    field.write("plain.txt", "no program\n");
    assert_eq!(within(&["./plain.txt"]).code, 126);
    assert!(absent.out.is_empty());
}

/// What cannot be used is told with what mends it, and nothing is started.
#[test]
fn an_environment_that_cannot_be_used_is_told() {
    let field = Field::new();
    field.write("requirements.txt", "firnio\n");
    field.expect(0, &["settle"]);
    let ran = python(&field, 125, &[], "print('started')");
    assert!(
        ran.out.is_empty() && ran.err.contains(".venv is not made"),
        "{ran:?}"
    );
    assert!(ran.err.contains("eutaxis furnish"), "{}", ran.err);
    let mended = python(&field, 0, &["--furnish"], "import firnio; print('started')");
    assert_eq!(mended.out, "started\n");
    // Its interpreter goes.
    let link = field.path(".venv/bin/python");
    let target = std::fs::read_link(&link).unwrap();
    assert!(target.exists());
    std::fs::remove_file(&link).unwrap();
    std::os::unix::fs::symlink("/nowhere/python3", &link).unwrap();
    let gone = python(&field, 125, &[], "print('started')");
    assert!(
        gone.err.contains("the interpreter of .venv is gone"),
        "{}",
        gone.err
    );
    let (_, anew) = gone
        .err
        .split_once("make it anew: remove .venv, then  ")
        .unwrap();
    std::fs::remove_dir_all(field.path(".venv")).unwrap();
    field.typed(0, anew.trim());
    python(&field, 0, &[], "import firnio");
    let other = field.run(&["within", "wheels", "--", "python"]);
    assert_eq!(other.code, 125);
    let none = field.run(&["within"]);
    assert_eq!(none.code, 125);
    assert!(none.err.contains("no command is named"), "{}", none.err);
}

/// Where nothing was settled yet, what is printed makes the environment that was named.
#[rstest]
#[case::usual(None)]
#[case::named(Some(".venv-night"))]
#[case::elsewhere(Some("camp"))]
fn an_environment_without_pins_is_made_as_told(#[case] place: Option<&str>) {
    let field = Field::new();
    let place: Vec<&str> = place.into_iter().collect();
    let run = ["--", "python", "-c", "import firnio"];
    let words = [&["within"], &place[..], &run].concat();
    let nothing = field.expect(125, &words);
    assert!(
        nothing
            .err
            .contains("name what it is to hold behind  eutaxis settle"),
        "{nothing:?}"
    );
    field.write("requirements.txt", "firnio\n");
    let told = field.expect(125, &words).err;
    let (_, command) = told.split_once("make it:  ").unwrap();
    field.typed(0, command.trim());
    let ran = field.expect(0, &words);
    assert_eq!(ran.err, "");
}

/// An environment that is not as pinned is told in one line, and mended where that is asked.
#[test]
fn what_is_not_as_pinned_is_told_in_one_line() {
    let field = camp();
    field.expect(0, &["settle", "--and", "katabat"]);
    let ran = python(&field, 0, &[], "print('started')");
    assert_eq!(ran.out, "started\n");
    assert_eq!(ran.err.lines().count(), 1, "{}", ran.err);
    assert!(
        ran.err
            .contains("katabat 0.5 is not there: eutaxis furnish"),
        "{}",
        ran.err
    );
    let mended = python(
        &field,
        0,
        &["--furnish"],
        "import katabat; print('started')",
    );
    assert_eq!(mended.out, "started\n");
    assert_eq!(python(&field, 0, &[], "print('started')").err, "");
    field.write("requirements.txt", "firnio\nkatabat\nsnowpit\n");
    let stale = python(&field, 0, &[], "print('started')");
    assert!(
        stale.err.contains("older than what is asked: new snowpit"),
        "{}",
        stale.err
    );
}

/// A fault of imports is explained behind what the command says itself; its own faults are not.
#[test]
fn what_ends_badly_is_explained() {
    let field = camp();
    let ran = python(&field, 1, &["--explain"], "import katabat");
    assert!(ran.out.is_empty(), "{}", ran.out);
    assert!(ran.err.contains("ModuleNotFoundError"), "{}", ran.err);
    let (_, explained) = ran.err.split_once("ModuleNotFoundError").unwrap();
    assert!(explained.contains("katabat"), "{}", ran.err);
    assert!(explained.contains("Root cause"), "{}", ran.err);
    let own = python(&field, 1, &["--explain"], "raise ValueError('snow')");
    assert!(!own.err.contains("Root cause"), "{}", own.err);
    let well = python(
        &field,
        0,
        &["--explain"],
        "import sys; sys.stderr.write('fine\\n')",
    );
    assert_eq!(well.err, "fine\n");
}

/// A signal reaches the command, and what it ends with comes through.
#[test]
fn signals_are_passed_on() {
    for options in [&[][..], &["--explain"]] {
        let field = camp();
        let text = "import signal, sys, time\nsignal.signal(signal.SIGTERM, lambda *a: sys.exit(23))\nprint('ready', flush=True)\ntime.sleep(60)";
        let words = [&["within"], options, &["--", "python", "-c", text]].concat();
        let mut child = field
            .command(&words)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        let mut out = std::io::BufReader::new(child.stdout.take().unwrap());
        std::io::BufRead::read_line(&mut out, &mut line).unwrap();
        assert_eq!(line, "ready\n");
        let kill = Command::new("kill").arg(child.id().to_string()).status();
        assert!(kill.unwrap().success());
        assert_eq!(child.wait().unwrap().code(), Some(23), "{options:?}");
    }
}

/// A script is settled beside it, furnished in the cache, and run; what changes in it counts.
#[test]
fn a_script_runs_with_what_it_asks_for() {
    let field = Field::new();
    let script = |needs: &str, body: &str| {
        let text = format!("# /// script\n# dependencies = [{needs}]\n# ///\n{body}\n");
        field.write("tools/log.py", &text);
    };
    script(
        "\"firnio\"",
        "import firnio, sys; print('ran', sys.argv[1:])",
    );
    let ran = field.expect(0, &["within", "tools/log.py", "--", "-v", "x"]);
    assert_eq!(ran.out, "ran ['-v', 'x']\n");
    assert!(field.read("tools/pylock.log.toml").contains("firnio"));
    assert!(!field.path(".venv").exists());
    // The second time nothing is to be done, and nothing is said.
    let again = field.expect(0, &["within", "tools/log.py", "--offline"]);
    assert_eq!((again.out.as_str(), again.err.as_str()), ("ran []\n", ""));
    script("\"firnio\", \"katabat\"", "import katabat; print('ran')");
    assert_eq!(field.expect(0, &["within", "tools/log.py"]).out, "ran\n");
    script("\"firnio>=9\"", "print('ran')");
    let clash = field.expect(125, &["within", "tools/log.py"]);
    assert!(
        clash.out.is_empty() && clash.err.contains("cannot be settled"),
        "{clash:?}"
    );
    field.write("tools/log.py", "print('ran')\n");
    let plain = field.expect(125, &["within", "tools/log.py"]);
    assert!(plain.err.contains("no inline metadata"), "{}", plain.err);
}
