//! `diagnose`: what a log tells, held against environments, targets and depots; remedies that are
//! typed as they are told.

use std::io::Write;
use std::path::Path;
use std::process::Stdio;

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, ran};
use eutaxis_demo::Library;

use crate::hut::{Hut, Placed, library, needing, plain, python};

/// A field with the demo's logs.
fn field() -> Field {
    let field = Field::new();
    eutaxis_demo::LOGS
        .iter()
        .for_each(|(name, text)| field.write(&format!("logs/{name}"), text));
    field
}

fn root(answer: &Value) -> &Value {
    answer["causes"]
        .get(0)
        .unwrap_or_else(|| panic!("no cause: {answer:#}"))
}

/// Remedies that were solved or tried.
fn verified(cause: &Value) -> Vec<(&str, &str)> {
    let all = cause["remedies"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|r| r["evidence"].is_string());
    all.map(|r| (r["text"].as_str().unwrap(), r["change"].as_str().unwrap()))
        .collect()
}

/// Types a remedy into a shell, as it is told.
fn type_in(field: &Field, command: &str) {
    let program = Path::new(env!("CARGO_BIN_EXE_eutaxis")).parent().unwrap();
    let path = std::env::var("PATH").unwrap();
    let mut shell = std::process::Command::new("sh");
    shell
        .args(["-c", command])
        .current_dir(field.path(""))
        .stdin(Stdio::null());
    shell
        .env("PATH", format!("{}:{path}", program.display()))
        .env("EUTAXIS_CACHE", field.path("cache"));
    shell
        .env("HOME", field.path(""))
        .env_remove("EUTAXIS_DEPOT")
        .env_remove("VIRTUAL_ENV");
    let ran = ran(shell.output().unwrap());
    assert_eq!(ran.code, 0, "{command}\n{}\n{}", ran.out, ran.err);
}

#[rstest]
#[case::no_wheel("ridge-install", "ridge-logger", "no-release-fits", "take nunatak 1.2")]
#[case::needs_building(
    "ridge-build",
    "ridge-logger",
    "build-tool-missing",
    "take radargram 2.0.3"
)]
#[case::clash(
    "night-watch",
    "base-camp",
    "clash",
    "ask sastrugi >=0.9.0 instead of ==0.8.1"
)]
#[case::driver(
    "crevasses",
    "base-camp",
    "driver-too-old",
    "take seracnet 2.3.0+nor41"
)]
#[case::abi("melt", "base-camp", "abi-changed", "hold moulin below 5: moulin 4.2")]
fn the_demos_logs_have_remedies_that_work(
    #[case] log: &str,
    #[case] target: &str,
    #[case] id: &str,
    #[case] remedy: &str,
) {
    let field = field();
    let answer = field.json(
        1,
        &["diagnose", &format!("logs/{log}.log"), "--target", target],
    );
    let cause = root(&answer);
    assert_eq!(cause["id"], id, "{answer:#}");
    let solved = verified(cause);
    assert!(
        solved
            .first()
            .is_some_and(|(text, _)| text.starts_with(remedy)),
        "{answer:#}"
    );
    solved
        .iter()
        .for_each(|(_, change)| type_in(&field, change));
    for key in [
        "confidence",
        "line",
        "excerpt",
        "facts",
        "explanation",
        "would_not_help",
    ] {
        assert!(!cause[key].is_null(), "{key}");
    }
}

/// Logs in a few words, checked against the demo's depot and a machine.
#[rstest]
#[case::too_new_an_interpreter(
    "error: no matching distribution found for \
        nunatak>=1.3", &["--target", "cpython 3.14 / linux x86_64 glibc 2.36"],
    "no-release-fits", "wheels for cp39, cp310, cp311, cp312, cp313; this target is \
        cp314", "use CPython 3.13"
)]
#[case::the_log_tells_the_interpreter(
    "Package 'bergschrund' requires a different Python: 3.9.18 not in \
        '>=3.11'", &["--platform", "linux x86_64 glibc 2.36"],
    "no-release-fits", "needs Python >=3.11, here 3.9", "use CPython 3.1"
)]
#[case::what_does_not_exist_is_told_from_what_does_not_fit(
    "error: no matching distribution found for frostgrid==9.9", &["--target", "base-camp"],
    "version-unknown", "nearest to 9.9: 2.2.0rc1", "take frostgrid 2.1.0"
)]
#[case::an_existing_version_that_does_not_fit(
    "ERROR: Could not find a version that satisfies the requirement nunatak==1.3 (from versions: \
        1.1, 1.2)", &["--target", "ridge-logger"],
    "no-release-fits", "wheels for x86_64, aarch64 only", "take nunatak 1.2"
)]
#[case::a_name_that_is_none(
    "error: no matching distribution found for frostgird", &["--target", "base-camp"],
    "name-unknown", "the depots have no frostgird; nearest: frostgrid", "if frostgrid is meant"
)]
#[case::a_name_of_another_index(
    "Because radargram was not found in the package registry and you require radargram, your \
        requirements are unsatisfiable", &["--target", "base-camp"],
    "name-unknown", "has radargram: the log was written with another \
        index", "settle it from that depot"
)]
#[case::header(
    "  focus.c:1:10: fatal error: firn.h: No such file or directory\n  ERROR: Failed building \
        wheel for radargram", &["--target", "ridge-logger"],
    "header-missing", "", "take radargram 2.0.3, which has a wheel for ridge-logger and needs no \
        building"
)]
#[case::library_of_c(
    "ImportError: /lib/libc.so.6: version `GLIBC_2.34' not found (required by \
        /e/lib/python3.9/site-packages/radargram/_focus.so)", &["--target", "ridge-logger"],
    "libc-too-old", "", "take radargram 2.0.3"
)]
#[case::processor_build(
    "AssertionError: seracnet not compiled with nordglim enabled", &["--target", "base-camp"],
    "accelerator-build-absent", "", "take seracnet 2.3.0+nor41, which base-camp runs"
)]
#[case::stale(
    "fieldlog 2.3 requires wirepack<2,>=1.4, but you have wirepack 3.0.4 which is \
        incompatible.", &["--target", "base-camp"],
    "stale-dependency", "", "these go together on base-camp: fieldlog 2.3, wirepack 1.6.0"
)]
#[case::a_wheel_of_another_place(
    "ERROR: radargram-2.2.0-cp312-cp312-win_amd64.whl is not a supported wheel on this \
        platform.", &["--target", "ridge-logger"],
    "wheel-not-for-target", "", "take radargram 2.0.3"
)]
#[case::a_program_of_the_build(
    "  radargram: floec is required to build\n  ModuleNotFoundError: No module named 'floec'\n  \
        ERROR: Failed building wheel for radargram", &["--target", "ridge-logger"],
    "build-dependency-missing", "", "take radargram 2.0.3, which has a wheel for ridge-logger"
)]
#[case::a_build_that_failed(
    "src/focus.c:3:1: error: expected ';'\nERROR: Failed building wheel for \
        radargram", &["--target", "ridge-logger"],
    "build-failed", "", "take radargram 2.0.3, which has a wheel for ridge-logger"
)]
#[case::a_build_without_memory(
    "c++: fatal error: Killed signal terminated program cc1plus\nERROR: Failed building wheel for \
        radargram", &["--target", "ridge-logger"],
    "memory-exhausted", "", "take radargram 2.0.3"
)]
#[case::another_word_size(
    "ImportError: /e/lib/python3.9/site-packages/hoarfrost/_core.so: wrong ELF class: \
        ELFCLASS64", &["--target", "ridge-logger"],
    "wrong-architecture", "", "take hoarfrost 1.5, the newest with a wheel that runs on \
        ridge-logger"
)]
#[case::runtime_of_cxx(
    "ImportError: /lib/libstdc++.so.6: version `GLIBCXX_3.4.32' not found (required by \
        /e/lib/python3.9/site-packages/nunatak/_core.so)", &["--target", "ridge-logger"],
    "cxx-runtime-too-old", "", "take nunatak 1.2"
)]
#[case::a_device_without_code(
    "RuntimeError: seracnet: device 'b3' is not supported by this build of \
        seracnet", &["--target", "base-camp"],
    "device-unsupported", "", "take seracnet 2.3.0+nor41, which base-camp runs"
)]
#[case::no_toolkit(
    "  NORDGLIM_HOME environment variable is not set. Please set it to your nordglim install \
        root.\n  ERROR: Failed building wheel for firnflow", &["--target", "base-camp"],
    "toolkit-absent", "", "take firnflow 1.1+nor39, which base-camp runs"
)]
#[case::syntax_of_a_newer_interpreter(
    "  File \"/e/lib/python3.9/site-packages/neveplot/__init__.py\", line 3\n    match \
        kind:\n          ^\nSyntaxError: invalid syntax", &["--target", "ridge-logger"],
    "syntax-too-new", "", "take neveplot 1.1, the newest with a wheel that runs on ridge-logger"
)]
#[case::a_module_that_the_interpreter_dropped(
    "  File \"/e/lib/python3.12/site-packages/tarnlog/a.py\", line 3, in f\n    import \
        imp\nModuleNotFoundError: No module named 'imp'", &["--target", "base-camp"],
    "api-removed", "", "take tarnlog 1.0, the newest that runs on base-camp"
)]
#[case::an_older_binary_interface(
    "  File \"/e/lib/python3.11/site-packages/icelens/a.py\", line 3, in f\nRuntimeError: module \
        compiled against ABI version 0x10 but this version of moulin is \
        0x20", &["--target", "base-camp"],
    "abi-changed", "icelens 3.1 was published \
        2023-06-14", "hold moulin below 5: moulin 4.2, with icelens 3.1"
)]
#[case::a_file_for_another_interpreter(
    "ImportError: /e/lib/python3.11/site-packages/icelens/_core.so: undefined symbol: \
        PyUnicode_GetSize", &["--target", "base-camp"],
    "abi-changed", "", "take icelens 3.1, whose file is for base-camp"
)]
#[case::our_own_words(
    "Cannot be settled for base-camp: 4 facts clash.\n 1  you ask  sastrugi ==0.8.1   (a.txt:1)\n \
        2  you ask  seracnet >=2,<3   (a.txt:2)\n", &["--target", "base-camp"],
    "clash", "sastrugi 0.8.1 needs frostgrid >=1.8,<2", "ask s"
)]
fn causes_are_held_against_the_depots(
    #[case] log: &str,
    #[case] place: &[&str],
    #[case] id: &str,
    #[case] said: &str,
    #[case] remedy: &str,
) {
    let field = field();
    field.write("it.log", log);
    let answer = field.json(1, &[&["diagnose", "it.log"], place].concat());
    let cause = root(&answer);
    assert_eq!(cause["id"], id, "{answer:#}");
    let checked = cause["checked"].to_string();
    assert!(checked.contains(said), "{answer:#}");
    let solved = verified(cause);
    assert!(
        solved
            .first()
            .is_some_and(|(text, _)| text.starts_with(remedy)),
        "{answer:#}"
    );
    type_in(&field, solved[0].1);
}

/// What is asked for anew takes the place of what was: the word that was typed, or the line of the
/// list.
#[rstest]
#[case::typed(&["icelens", "moulin==5.0", "fieldlog"])]
#[case::in_a_list(&["--asks", "camp.txt"])]
fn in_an_environment_a_remedy_keeps_what_else_is_placed(#[case] asks: &[&str]) {
    let field = field();
    field.write("camp.txt", "# the camp\nicelens\nmoulin==5.0\nfieldlog\n");
    field.expect(0, &[&["settle", "--interpreter", "python3"], asks].concat());
    field.expect(0, &["furnish", "--at", ".venv"]);
    let answer = field.json(1, &["diagnose", "logs/melt.log", "--in", ".venv"]);
    let cause = root(&answer);
    assert!(
        cause["checked"]
            .to_string()
            .contains("icelens 3.1 was published 2023-06-14, and series 5 of moulin began"),
        "{answer:#}"
    );
    let solved = verified(cause);
    assert!(
        solved[0]
            .0
            .starts_with("hold moulin below 5: moulin 4.2, with icelens 3.1"),
        "{answer:#}"
    );
    type_in(&field, solved[0].1);
    let placed = field.python(
        "import importlib.metadata as m; print(*(n + m.version(n) for n in ('icelens', 'moulin', \
            'fieldlog')))",
    );
    assert_eq!(placed.out.trim(), "icelens3.1 moulin4.2 fieldlog2.3");
    field.expect(0, &["examine", ".venv", "--quick"]);
    // It lasts: the same question has the same answer.
    let question: Vec<&str> = asks
        .iter()
        .map(|a| if *a == "moulin==5.0" { "moulin<5" } else { a })
        .collect();
    let again = [
        &["settle", "--interpreter", "python3", "--check"],
        question.as_slice(),
    ];
    field.expect(0, &again.concat());
}

#[test]
fn a_module_is_looked_for_where_it_may_be() {
    let hut = Hut::new();
    hut.place(&Placed {
        files: vec![("tables/__init__.py".into(), vec![])],
        ..plain("firnio", "1.2")
    });
    let diagnose = |line: &str, more: &[&str]| {
        hut.field.write("it.log", line);
        hut.field.json(1, &[&["diagnose", "it.log"], more].concat())
    };
    // Placed there, and another interpreter ran.
    let answer = diagnose(
        "ModuleNotFoundError: No module named 'tables'",
        &["--in", ".venv"],
    );
    assert_eq!(verified(root(&answer))[0].1, ".venv/bin/python ...");
    // Not named: the environments of this folder are looked through.
    let answer = diagnose("ModuleNotFoundError: No module named 'tables'", &[]);
    assert!(
        verified(root(&answer))[0]
            .0
            .contains(".venv has tables (firnio 1.2)"),
        "{answer:#}"
    );
    // The name of the project is not that of its module.
    let answer = diagnose(
        "ModuleNotFoundError: No module named 'firnio'",
        &["--in", ".venv"],
    );
    assert!(
        root(&answer)["checked"][0]
            .as_str()
            .unwrap()
            .contains("firnio is placed in .venv, and is imported as tables")
    );
    // A command of an environment that was not entered.
    hut.field.write(".venv/bin/fieldlog", "#!/bin/sh\n");
    let answer = diagnose("bash: fieldlog: command not found", &[]);
    assert_eq!(verified(root(&answer))[0].1, ".venv/bin/fieldlog");
}

/// What lacks the name as well mends nothing.
#[test]
fn a_release_without_the_name_is_not_proposed() {
    let field = field();
    field.write(
        "it.log",
        "  File \"/e/lib/python3.11/site-packages/icelens/a.py\", line 3, in f\n    \
            moulin.old()\nAttributeError: module 'moulin' has no attribute 'old'\n",
    );
    let answer = field.json(1, &["diagnose", "it.log", "--target", "base-camp"]);
    let cause = root(&answer);
    let checked = cause["checked"].to_string();
    let began = "series 5 of moulin began 2024-09-03: it has never met it";
    assert!(checked.contains(began), "{cause:#}");
    let lacks = "moulin 4.2, the newest below 5, does not have it either";
    assert!(checked.contains(lacks), "{cause:#}");
    assert_eq!(verified(cause), [], "{cause:#}");
}

/// Before a message is believed, the file that it names is looked at.
#[rstest]
#[case::a_page_in_its_place("<html>\n".into(), "ImportError: {}: invalid ELF header", "file-corrupt",
    "is text, which begins `<html>`")]
#[case::nothing_in_it("".into(), "OSError: {}: file too short", "file-corrupt", "is there and empty")]
#[case::cut_off(library(&Library::module("_core"))[..200].to_vec(),
    "ImportError: {}: cannot open shared object file: No such file or directory", "file-corrupt",
    "is no whole compiled file")]
#[case::of_another_processor(
    of_another_processor(),
    "ImportError: {}: cannot open shared object file: No such file or directory",
    "wrong-architecture",
    "is compiled for Linux"
)]
#[case::as_it_must_be(library(&Library::module("_core")),
    "ImportError: {}: undefined symbol: firn_depth", "symbol-absent", "")]
fn the_file_that_a_log_names_is_looked_at(
    #[case] content: Vec<u8>,
    #[case] message: &str,
    #[case] id: &str,
    #[case] said: &str,
) {
    let field = Field::empty();
    let path = field.path("_core.so");
    std::fs::write(&path, content).unwrap();
    let log = message.replace("{}", &path.display().to_string());
    field.write("it.log", &format!("{log}\n"));
    let cause = root(&field.json(1, &["diagnose", "it.log"])).clone();
    assert_eq!(cause["id"], id, "{cause:#}");
    let checked = cause["checked"].as_array().unwrap();
    let is_said = |c: &Value| c.as_str().unwrap().contains(said);
    assert_eq!(checked.iter().any(is_said), !said.is_empty(), "{cause:#}");
}

fn of_another_processor() -> Vec<u8> {
    let arch = match std::env::consts::ARCH {
        "aarch64" => "x86_64",
        _ => "aarch64",
    };
    library(&Library {
        arch: arch.to_owned(),
        ..Library::module("_core")
    })
}

/// A program that the shell does not find although it is there: its interpreter is gone, or it is for
/// another processor.
#[test]
fn a_program_that_is_there_and_cannot_be_started_is_looked_at() {
    let field = Field::empty();
    let path = field.path("tool");
    let shown = path.display();
    field.write(
        "it.log",
        &format!("bash: {shown}: No such file or directory\n"),
    );
    let told = |field: &Field| root(&field.json(1, &["diagnose", "it.log"])).clone();
    std::fs::write(&path, "#!/nowhere/e/bin/python\n").unwrap();
    let cause = told(&field);
    assert_eq!(
        (&cause["id"], &cause["facts"]["path"]),
        (&"module-absent".into(), &"/nowhere/e/bin/python".into()),
        "{cause:#}"
    );
    std::fs::write(&path, of_another_processor()).unwrap();
    assert_eq!(told(&field)["id"], "wrong-architecture");
    std::fs::remove_file(&path).unwrap();
    assert_eq!(told(&field)["checked"][0], "tool is not there now");
}

/// Of what came and went with series of the interpreter it is known which of those that are here have
/// it.
#[test]
fn an_interpreter_that_is_here_and_has_it_is_named() {
    let field = Field::empty();
    field.write("camp.py", "import imp\n");
    let log = "Traceback (most recent call last):\n  File \"camp.py\", line 1, in <module>\n    \
        import imp\nModuleNotFoundError: No module named 'imp'\n";
    field.write("it.log", log);
    let cause = root(&field.json(1, &["diagnose", "it.log"])).clone();
    assert_eq!(cause["facts"]["removed"], "3.12");
    let run = verified(&cause);
    let is_older = python().version.starts_with("3.") && {
        let minor: u64 = python().version.split('.').nth(1).unwrap().parse().unwrap();
        minor < 12
    };
    match run.first() {
        Some((text, command)) => {
            assert!(text.starts_with("run it with CPython 3."), "{cause:#}");
            type_in(&field, command);
        }
        None => assert!(!is_older, "this one has it: {cause:#}"),
    }
}

/// A log of a laptop on which a module is missing that an environment of this folder has.
const OF_A_LAPTOP: &str = "Python 3.11.9 (main, Apr  2 2024) [Clang 15.0.0] on darwin\n\
    Traceback (most recent call last):\n  \
    File \"/Users/ada/ice/camp.py\", line 1, in <module>\n    import tables\n\
    ModuleNotFoundError: No module named 'tables'\n";

#[test]
fn a_log_of_elsewhere_gets_remedies_for_there() {
    let hut = Hut::new();
    hut.place(&Placed {
        files: vec![("tables/__init__.py".into(), vec![])],
        ..plain("firnio", "1.2")
    });
    let field = &hut.field;
    field.write("it.log", OF_A_LAPTOP);
    let answer = field.json(1, &["diagnose", "it.log"]);
    let of = &answer["of"];
    assert_eq!(of["system"], "macos");
    assert_eq!(of["interpreter"], "cpython 3.11");
    assert_eq!(of["here"], false);
    let text = root(&answer)["remedies"].to_string();
    assert!(!text.contains(".venv has"), "nothing of here: {answer:#}");
    let told = field.expect(1, &["diagnose", "it.log"]).out;
    assert!(
        told.contains("log of      CPython 3.11 on macOS, on another machine"),
        "{told}"
    );
    // What was named counts more than what the log tells.
    let answer = field.json(1, &["diagnose", "it.log", "--in", ".venv"]);
    assert_eq!(
        verified(root(&answer))[0].1,
        ".venv/bin/python /Users/ada/ice/camp.py"
    );
}

#[rstest]
#[case::the_logs_own(&[], "cpython 3.11 / macos arm64 11.0")]
#[case::another_interpreter(&["--interpreter", "3.12"], "cpython 3.12 / macos arm64 11.0")]
#[case::named(&["--target", "cpython 3.11 / linux aarch64 glibc 2.31"],
    "cpython 3.11 / linux aarch64 glibc 2.31")]
fn remedies_are_for_the_target_of_the_log(#[case] more: &[&str], #[case] target: &str) {
    let field = field();
    field.write("it.log", &OF_A_LAPTOP.replace("tables", "radargram"));
    let answer = field.json(1, &[&["diagnose", "it.log"], more].concat());
    let all = verified(root(&answer));
    let place = all
        .iter()
        .find(|(text, _)| text.starts_with("place radargram"));
    let (_, command) = place.unwrap_or_else(|| panic!("{answer:#}"));
    assert!(command.contains(target), "{command}");
    type_in(&field, command);
}

#[test]
fn an_absent_library_is_looked_for_as_the_loader_does() {
    let hut = Hut::new();
    hut.place_compiled("snowpit", &python().suffix, &needing(&["libfirn.so.9"]));
    hut.field.write(
        "it.log",
        "ImportError: libfirn.so.9: cannot open shared object file: No such file or directory\n",
    );
    let told = |hut: &Hut| {
        root(&hut.field.json(1, &["diagnose", "it.log", "--in", ".venv"]))["checked"][0].clone()
    };
    let lacks = told(&hut);
    assert!(
        lacks
            .as_str()
            .unwrap()
            .starts_with("so it is in .venv still: snowpit: "),
        "{lacks}"
    );
    let whole = Hut::new();
    whole.field.write("it.log", &hut.field.read("it.log"));
    assert_eq!(
        told(&whole),
        "nothing that is placed in .venv lacks libfirn.so.9 now"
    );
}

#[test]
fn the_project_that_brings_a_module_is_found_in_the_depots() {
    let field = field();
    field.write(
        "it.log",
        "ModuleNotFoundError: No module named 'radargram.cli'\n",
    );
    let answer = field.json(1, &["diagnose", "it.log", "--target", "base-camp"]);
    let solved = verified(root(&answer));
    assert!(
        solved
            .iter()
            .any(|(text, _)| text.starts_with("place radargram 2")),
        "{answer:#}"
    );
    // One that bears another name is found by what its wheels hold.
    let depot = tempfile::tempdir().unwrap();
    let wheel = |name: &str, module: &str| {
        let (version, tags) = ("1.0".to_owned(), "py3-none-any".to_owned());
        let metadata = format!("Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n").into_bytes();
        let files = vec![
            (format!("{module}/__init__.py"), Vec::new()),
            (format!("{name}-1.0.dist-info/METADATA"), metadata),
        ];
        let wheel = eutaxis_demo::Wheel {
            name: name.to_owned(),
            version,
            tags,
            files,
        };
        std::fs::write(
            depot.path().join(wheel.filename()),
            eutaxis_demo::write_wheel(&wheel).unwrap(),
        )
        .unwrap();
    };
    wheel("ice_tools", "crampon");
    wheel("crampon", "rope");
    field.write("it.log", "ModuleNotFoundError: No module named 'crampon'\n");
    let place = depot.path().display().to_string();
    let answer = field.json(
        1,
        &[
            "diagnose",
            "it.log",
            "--target",
            "base-camp",
            "--depot",
            &place,
        ],
    );
    assert!(
        verified(root(&answer))[0]
            .0
            .starts_with("place ice-tools 1.0, which brings crampon"),
        "{answer:#}"
    );
}

#[test]
fn a_log_may_come_through_a_pipe() {
    let field = Field::empty();
    let mut child = field
        .command(&["diagnose"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child
        .stdin
        .take()
        .unwrap()
        .write_all(b"collecting\nOSError: [Errno 28] No space left on device\n")
        .unwrap();
    let ran = ran(child.wait_with_output().unwrap());
    assert_eq!(ran.code, 1, "{ran:?}");
    assert!(
        ran.out
            .starts_with("Root cause: no space is left on the disk.\n"),
        "{}",
        ran.out
    );
    assert!(
        ran.out
            .contains("line 2      OSError: [Errno 28] No space left on device"),
        "{}",
        ran.out
    );
}

#[test]
fn without_a_depot_the_log_alone_is_told_and_how_to_have_more() {
    let field = Field::empty();
    field.write(
        "it.log",
        "error: no matching distribution found for nunatak>=1.3\n",
    );
    let told = field.expect(
        1,
        &[
            "diagnose",
            "it.log",
            "--target",
            "cpython 3.9 / linux armv7l glibc 2.31",
        ],
    );
    assert!(
        told.out.starts_with("Root cause: no release of nunatak"),
        "{}",
        told.out
    );
    assert!(
        told.out.contains("sure?"),
        "the words alone leave it open: {}",
        told.out
    );
    assert!(
        told.out.contains(
            "eutaxis shortlist nunatak --target \"cpython 3.9 / linux armv7l glibc 2.31\""
        ),
        "{}",
        told.out
    );
    assert!(
        told.out
            .contains("no depot is named, so that no remedy was solved"),
        "{}",
        told.out
    );
    assert!(!told.out.contains("(solved)"), "{}", told.out);
}

#[test]
fn a_depot_that_cannot_be_reached_leaves_what_the_log_tells() {
    let field = field();
    let told = field.expect(
        1,
        &[
            "diagnose",
            "logs/melt.log",
            "--target",
            "base-camp",
            "--depot",
            "http://127.0.0.1:9/",
            "--offline",
        ],
    );
    assert!(told.out.contains("not checked to the end"), "{}", told.out);
    assert!(told.out.contains("line 7"), "{}", told.out);
}

#[test]
fn many_causes_are_told_shortly() {
    let field = field();
    let log: String = (0..40)
        .map(|n| format!("ModuleNotFoundError: No module named 'glacier_{n}'\n"))
        .collect();
    field.write("it.log", &log);
    let told = field.expect(1, &["diagnose", "it.log", "--target", "base-camp"]);
    assert_eq!(told.out.matches("\nalso ").count(), 5, "{}", told.out);
    assert!(told.out.contains("and 34 more (-v)"), "{}", told.out);
    assert!(
        told.out
            .contains("only the first 8 of 40 causes were checked"),
        "{}",
        told.out
    );
    let all = field.expect(1, &["diagnose", "it.log", "--target", "base-camp", "-v"]);
    assert_eq!(all.out.matches("\nalso ").count(), 39);
}

#[test]
fn what_is_sound_or_not_known_is_told_as_such() {
    let field = Field::empty();
    field.write(
        "sound.log",
        "Failed building wheel for firnio\nSuccessfully installed firnio-1.3\n",
    );
    let sound = field.expect(0, &["diagnose", "sound.log"]);
    assert!(
        sound
            .out
            .starts_with("Nothing is broken: the log ends well (2 lines)"),
        "{}",
        sound.out
    );
    assert!(
        sound.out.contains("overcome: build-failed (line 1)"),
        "{}",
        sound.out
    );
    field.write("odd.log", "the glacier moved\nprocess exited with code 4\n");
    let odd = field.expect(0, &["diagnose", "odd.log"]);
    assert!(
        odd.out
            .starts_with("No cause that is known was seen in 2 lines"),
        "{}",
        odd.out
    );
    field.write("empty.log", "");
    field.expect(0, &["diagnose", "empty.log"]);
}

#[rstest]
#[case::no_file(&["diagnose", "none.log"], "none.log")]
#[case::a_folder(&["diagnose", "logs"], "is a folder, not a log")]
#[case::no_environment(&["diagnose", "logs/melt.log", "--in", "nowhere"], "nowhere")]
#[case::no_target(&["diagnose", "logs/melt.log", "--target", "nowhere"], "nowhere")]
#[case::packed(&["diagnose", "packed.log.gz"], "is packed (gzip), not text")]
fn wrong_requests_are_told(#[case] arguments: &[&str], #[case] part: &str) {
    let field = field();
    std::fs::write(field.path("packed.log.gz"), b"\x1f\x8b\x08\0\0").unwrap();
    let refused = field.expect(2, arguments);
    assert!(refused.err.contains(part), "{}", refused.err);
}

#[test]
fn signs_of_ones_own_are_read_from_files_that_settings_name() {
    let field = Field::empty();
    field.write(
        "signs.toml",
        "[[cause]]\nid = \"gate-closed\"\ndepth = 5\ntitle = \"the gate of \
        {place} is closed\"\nremedies = \
        [{ text = \"open it\", change = \"gate open {place}\" }]\n[[sign]]\ncause = \
        \"gate-closed\"\nline = ['gate of (?<place>\\w+) is closed']\n",
    );
    field.write("eutaxis.toml", "[knowledge]\ncauses = [\"signs.toml\"]\n");
    field.write("it.log", "the gate of ridge is closed\n");
    let answer = field.json(1, &["diagnose", "it.log"]);
    assert_eq!(
        (&root(&answer)["id"], &root(&answer)["title"]),
        (&"gate-closed".into(), &"the gate of ridge is closed".into())
    );
    assert_eq!(root(&answer)["remedies"][0]["change"], "gate open ridge");
    // A broken file is told with its line.
    field.write(
        "signs.toml",
        "[[sign]]\ncause = \"clash\"\nline = ['fine', '(']\n",
    );
    let refused = field.expect(2, &["diagnose", "it.log"]);
    assert!(
        refused.err.contains("signs.toml:3:") && refused.err.contains("this is no pattern"),
        "{}",
        refused.err
    );
}

/// What the program holds its own causes against, a cause of the user's own can be held against.
#[test]
fn own_causes_are_checked_as_they_say() {
    let field = field();
    let own = |checks: &str| {
        format!(
            "[[cause]]\nid = \"hut-list\"\ndepth = 1\ntitle = \"the hut's list has no {{project}}\"\n\
             {checks}[[sign]]\ncause = \"hut-list\"\nline = ['no %project% on the list of the hut']\n"
        )
    };
    field.write("eutaxis.toml", "[knowledge]\ncauses = [\"signs.toml\"]\n");
    field.write("it.log", "no frostgird on the list of the hut\n");
    let depot = crate::field::depot();
    let checked = |checks: &str| {
        field.write("signs.toml", &own(checks));
        let answer = field.json(1, &["diagnose", "it.log", "--depot", &depot]);
        root(&answer)["checked"].to_string()
    };
    assert_eq!(checked(""), "[]");
    let told = checked("checks = [\"names\"]\n");
    assert!(told.contains("nearest: frostgrid"), "{told}");
    field.write("signs.toml", &own("checks = [\"weather\"]\n"));
    let refused = field.expect(2, &["diagnose", "it.log"]);
    assert!(refused.err.contains("signs.toml:5:"), "{}", refused.err);
    assert!(refused.err.contains("`weather`"), "{}", refused.err);
}

#[test]
fn causes_are_written_in_the_open_format_for_findings() {
    let field = field();
    field.expect(1, &["diagnose", "logs/melt.log", "--sarif", "found.sarif"]);
    let written: Value = serde_json::from_str(&field.read("found.sarif")).unwrap();
    let result = &written["runs"][0]["results"][0];
    assert_eq!(
        (&result["ruleId"], &result["level"]),
        (&"abi-changed".into(), &"error".into())
    );
    let region = &result["locations"][0]["physicalLocation"]["region"];
    assert_eq!(region["startLine"], 7, "{written:#}");
}

/// What is neither file nor folder is written to, and stays what it is.
#[test]
fn a_device_that_is_full_stays_one() {
    let field = field();
    let full = field.expect(3, &["diagnose", "logs/melt.log", "--sarif", "/dev/full"]);
    assert!(full.err.contains("/dev/full"), "{}", full.err);
    assert!(!std::fs::metadata("/dev/full").unwrap().is_file());
}

#[test]
fn the_text_fits_narrow_terminals() {
    let field = field();
    for (name, _) in eutaxis_demo::LOGS {
        let log = format!("logs/{name}");
        let narrow = ran(field
            .command(&["diagnose", &log, "--target", "base-camp"])
            .env("COLUMNS", "60")
            .output()
            .unwrap());
        let words = |l: &&str| !l.contains("eutaxis ") && !l.contains(".whl") && l.contains(' ');
        let wide: Vec<&str> = narrow
            .out
            .lines()
            .filter(words)
            .filter(|l| l.chars().count() > 60)
            .collect();
        assert!(wide.is_empty(), "{name}: {wide:#?}");
        assert!(
            !narrow.out.lines().any(|l| l.ends_with(' ')),
            "{name}: {}",
            narrow.out
        );
    }
}
