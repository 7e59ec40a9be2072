//! Building from source: foreseen, permitted, isolated, explained, kept.

use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::{Duration, Instant};

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, Ran, depot_of};
use crate::killed::kill_at;

/// Interpreters from 3.8 up that are installed beside the first one here.
pub(crate) fn interpreters() -> Vec<String> {
    let asked = std::process::Command::new("python3")
        .args(["-c", "import sys; print(sys.base_prefix)"])
        .output()
        .unwrap();
    let prefix = PathBuf::from(String::from_utf8(asked.stdout).unwrap().trim());
    let beside = prefix.parent().map(std::fs::read_dir);
    let mut found: Vec<String> = Vec::new();
    for entry in beside.into_iter().flatten().flatten().flatten() {
        let name = entry.file_name().into_string().unwrap();
        let minor = name.strip_prefix("3.");
        let minor = minor.and_then(|r| r.split('.').next()?.parse().ok());
        let python = entry.path().join("bin/python");
        if minor.is_some_and(|m: u32| m >= 8) && python.exists() {
            found.push(python.display().to_string());
        }
    }
    if found.is_empty() {
        found.push("python3".to_owned());
    }
    found.sort();
    found
}

/// Whether this machine compiles C for the interpreter that comes first.
fn compiles() -> bool {
    std::process::Command::new("cc")
        .arg("--version")
        .stdout(Stdio::null())
        .status()
        .is_ok_and(|s| s.success())
}

fn left_by_builds(field: &Field) -> Vec<String> {
    let folder = field.path("cache/built-1/tmp");
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<String> = entries
        .map(|e| e.file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

fn wheels_kept(field: &Field) -> Vec<PathBuf> {
    let folder = field.path("cache/built-1/wheels");
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    entries.map(|e| e.path()).collect()
}

/// The modules of the environment say this when they are run.
fn says(field: &Field, code: &str) -> String {
    let ran = std::process::Command::new(field.path(".venv/bin/python"))
        .args(["-c", code])
        .output()
        .unwrap();
    assert!(
        ran.status.success(),
        "{}",
        String::from_utf8_lossy(&ran.stderr)
    );
    String::from_utf8(ran.stdout).unwrap().trim().to_owned()
}

fn has(ran: &Ran, words: &[&str]) {
    let text = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    for word in words {
        assert!(text.contains(word), "{word:?} in\n{}\n{}", ran.out, ran.err);
    }
}

/// A project that has only source with a build system of its own: hooks of the demo world and what
/// stands behind them.
fn own_hooks(name: &str, more: &str) -> String {
    let hooks = format!("@hooks\n\n{more}");
    format!(
        "[[project]]\nname = {name:?}\nsummary = \"x\"\npure = true\nsdist = true\n\
         only_source = true\n[[project.release]]\nversion = \"1.0\"\ndate = \"2026-01-01\"\n\
         [project.release.archive]\n\"pyproject.toml\" = \"[build-system]\\nrequires = []\\n\
         build-backend = 'hooks'\\nbackend-path = ['_build']\\n\"\n\"_build/hooks.py\" = {}\n",
        toml_text(&hooks)
    )
}

fn toml_text(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}

/// A field whose depot has one such project, settled.
fn settled_with(name: &str, hooks: &str) -> (tempfile::TempDir, Field) {
    let depot = depot_of(&own_hooks(name, hooks));
    let field = Field::empty();
    field.write(
        "eutaxis.toml",
        &format!(
            "[[depot]]\npath = {:?}\n",
            depot.path().display().to_string()
        ),
    );
    field.expect(0, &["settle", name]);
    (depot, field)
}

#[test]
fn a_light_source_is_foreseen_permitted_built_and_kept_on_each_interpreter() {
    for python in interpreters() {
        let field = Field::new();
        let told = field.expect(0, &["settle", "frazil", "--interpreter", &python]);
        has(
            &told,
            &[
                "1 only as source",
                "frazil 0.3: light: nothing is compiled",
                "built by cairnbuild 1.2",
            ],
        );
        let open = field.expect(1, &["furnish", "--interpreter", &python]);
        has(
            &open,
            &[
                "Not placed",
                "nothing permits",
                "the same command with --build frazil",
            ],
        );
        assert!(!field.path(".venv").exists());
        field.expect(0, &["furnish", "--interpreter", &python, "--build-light"]);
        assert_eq!(
            says(&field, "import frazil; print(frazil.__version__)"),
            "0.3"
        );
        // What was built before runs nothing, and needs no permit.
        let again = field.expect(0, &["furnish", "--interpreter", &python, "--at", "second"]);
        assert!(!again.err.contains("built frazil"), "{}", again.err);
        let same = field.expect(0, &["furnish", "--interpreter", &python]);
        has(&same, &["In order"]);
        assert!(left_by_builds(&field).is_empty());
    }
}

#[test]
fn what_settle_prints_as_a_permit_furnishes() {
    let field = Field::new();
    let told = field.expect(0, &["settle", "growler"]);
    let line = told.out.split("eutaxis furnish").nth(1).unwrap();
    let line = line.split("\n\n").next().unwrap().replace("\\\n", " ");
    let words: Vec<&str> = std::iter::once("furnish")
        .chain(line.split_whitespace())
        .collect();
    if compiles() {
        field.expect(0, &words);
        assert_eq!(
            says(&field, "import growler; print(growler.native)"),
            "True"
        );
    }
}

#[test]
fn native_code_is_foreseen_with_its_tools_and_recorded_with_its_compiler() {
    let field = Field::new();
    let answer = field.json(0, &["settle", "growler"]);
    let builds = answer["builds"].as_array().unwrap();
    assert_eq!(builds.len(), 2);
    let growler = builds.iter().find(|b| b["name"] == "growler").unwrap();
    assert_eq!(
        (&growler["light"], &growler["languages"][0]),
        (&Value::Bool(false), &Value::from("C"))
    );
    let tools: Vec<&str> = growler["tools"]
        .as_array()
        .unwrap()
        .iter()
        .map(|t| t["what"].as_str().unwrap())
        .collect();
    assert_eq!(tools, ["a C compiler", "headers of the interpreter"]);
    if compiles() {
        field.expect(0, &["furnish", "--build-all"]);
        let record = wheels_kept(&field)
            .iter()
            .map(|w| std::fs::read_to_string(w.join("record.json")).unwrap())
            .find(|r| r.contains("\"growler\""))
            .unwrap();
        let record: Value = serde_json::from_str(&record).unwrap();
        assert!(record["key"]["compiler"].is_string(), "{record}");
        assert_eq!(record["by"][0][0], "cairnbuild");
    }
}

#[test]
fn another_machine_is_told_what_is_known_without_it() {
    let field = Field::new();
    let answer = field.json(0, &["settle", "growler", "--target", "ridge-logger"]);
    let growler = answer["builds"]
        .as_array()
        .unwrap()
        .iter()
        .find(|b| b["name"] == "growler")
        .unwrap()
        .clone();
    assert_eq!(
        (&growler["estimate"], &growler["tools"][0]["here"]),
        (&Value::Null, &Value::Null)
    );
    assert_eq!(growler["requires"][0], "cairnbuild 1.2");
    assert!(answer.get("permit").is_none(), "nothing here furnishes it");
}

#[test]
fn a_missing_tool_is_foreseen_and_then_diagnosed_with_a_way_that_mends() {
    let field = Field::new();
    field.expect(0, &["settle", "brashkit==0.9"]);
    // No compiler is on this path.
    let bin = field.path("bin");
    std::fs::create_dir(&bin).unwrap();
    let python = std::process::Command::new("python3")
        .args(["-c", "import sys; print(sys.executable)"])
        .output()
        .unwrap();
    let python = String::from_utf8(python.stdout).unwrap().trim().to_owned();
    std::os::unix::fs::symlink(&python, bin.join("python3")).unwrap();
    let run = |arguments: &[&str]| {
        let ran = field.command(arguments).env("PATH", &bin).output().unwrap();
        Ran {
            code: ran.status.code().unwrap(),
            out: String::from_utf8(ran.stdout).unwrap(),
            err: String::from_utf8(ran.stderr).unwrap(),
        }
    };
    let open = run(&["furnish", "--interpreter", &python]);
    assert_eq!(open.code, 1, "{}", open.err);
    has(
        &open,
        &[
            "native: Fortran",
            "gfortran (missing",
            "a Fortran compiler",
            "the newest with a wheel here: brashkit 0.8",
        ],
    );
    let failed = run(&["furnish", "--interpreter", &python, "--build", "brashkit"]);
    assert_eq!(failed.code, 1, "{}", failed.err);
    has(
        &failed,
        &[
            "Not built: brashkit 0.9",
            "building the wheel",
            "line",
            "f95",
            "foreseen native: Fortran",
        ],
    );
    assert!(left_by_builds(&field).is_empty());
    // What is printed as the way out leads to a set that is placed.
    let way = failed.out.split("eutaxis settle").nth(1).unwrap();
    let way = way.replace("\\\n", " ");
    let words: Vec<&str> = std::iter::once("settle")
        .chain(way.split_whitespace())
        .collect();
    assert!(words.contains(&"brashkit==0.8"), "{words:?}");
    field.expect(0, &words);
    field.expect(0, &["furnish", "--interpreter", &python]);
    let log = failed.out.lines().find(|l| l.starts_with("log")).unwrap();
    assert!(
        Path::new(log.trim_start_matches("log").trim()).is_file(),
        "{log}"
    );
}

#[test]
fn needs_that_only_the_build_system_knows_are_asked_of_it_where_permitted() {
    let field = Field::new();
    let barred = field.expect(1, &["settle", "hummock"]);
    has(
        &barred,
        &[
            "known only by building it",
            "permit building hummock from source",
        ],
    );
    let answer = field.json(0, &["settle", "hummock", "--build", "hummock"]);
    let names: Vec<&str> = answer["pins"]
        .as_array()
        .unwrap()
        .iter()
        .map(|p| p["name"].as_str().unwrap())
        .collect();
    assert_eq!(names, ["frazil", "hummock"]);
    field.expect(0, &["furnish", "--build-all"]);
    assert_eq!(says(&field, "import frazil, hummock; print(1)"), "1");
}

#[test]
fn for_another_machine_unknown_needs_are_pinned_as_none_with_a_caution() {
    let field = Field::new();
    let told = field.expect(
        0,
        &[
            "settle",
            "hummock",
            "--build",
            "hummock",
            "--target",
            "field-laptop",
        ],
    );
    has(
        &told,
        &[
            "is not sure until they are built",
            "nothing in it tells them",
        ],
    );
    assert!(field.read("pylock.toml").contains("needs-from = \"build\""));
}

/// Source of an older kind: PKG-INFO before 2.2 and a list of needs that the build does not keep to.
#[test]
fn unsure_needs_settle_with_a_caution_and_a_build_that_tells_others_stops_before_anything_is_placed()
 {
    let info = "Metadata-Version: 1.2\\nName: slush\\nVersion: 1.0\\n";
    let hooks = "def metadata():\n    return fields()[0] + \"Requires-Dist: neve\\n\"\n";
    let world = own_hooks("slush", hooks)
        + &format!("\"PKG-INFO\" = \"{info}\"\n\"slush.egg-info/requires.txt\" = \"rime\\n\"\n")
        + &crate::field::project("rime", &["1.0"], "")
        + &crate::field::project("neve", &["1.0"], "");
    let depot = depot_of(&world);
    let field = Field::empty();
    field.write(
        "eutaxis.toml",
        &format!(
            "[[depot]]\npath = {:?}\n",
            depot.path().display().to_string()
        ),
    );
    let told = field.expect(0, &["settle", "slush"]);
    has(&told, &["slush 1.0 (requires.txt)", "rime"]);
    let pins = field.read("pylock.toml");
    assert!(pins.contains("needs-from = \"requires.txt\""), "{pins}");
    let stopped = field.expect(3, &["furnish", "--build", "slush"]);
    assert!(
        stopped.err.contains("turns out to need `neve`"),
        "{}",
        stopped.err
    );
    assert!(!field.path(".venv").exists());
    assert_eq!(field.read("pylock.toml"), pins);
    // What is printed settles anew by what was learnt, and then it is placed.
    let line = stopped.err.split("eutaxis settle").nth(1).unwrap();
    let line = line
        .split("  (nothing")
        .next()
        .unwrap()
        .replace("\\\n", " ");
    let line = line.split('(').next().unwrap();
    let words: Vec<&str> = std::iter::once("settle")
        .chain(line.split_whitespace())
        .collect();
    let anew = field.expect(0, &words);
    has(&anew, &["neve"]);
    assert!(!anew.out.contains("is not sure"), "{}", anew.out);
    field.expect(0, &["furnish", "--build", "slush"]);
    assert_eq!(says(&field, "import slush, neve; print(1)"), "1");
}

#[rstest]
#[case::prints(
    "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    print('x' * 100000)\n    sys.stderr.write('y')\n    return plain(d, c, m)\n",
    None
)]
#[case::leaves_children(
    "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(300)'], start_new_session=True)\n    return plain(d, c, m)\n",
    None
)]
#[case::raises(
    "def build_wheel(d, c=None, m=None):\n    raise RuntimeError('no ice today')\n",
    Some("no ice today")
)]
#[case::exits(
    "def build_wheel(d, c=None, m=None):\n    sys.exit(4)\n",
    Some("failed (exit code 4)")
)]
#[case::exits_well(
    "def build_wheel(d, c=None, m=None):\n    os._exit(0)\n",
    Some("without an answer")
)]
#[case::crashes(
    "def build_wheel(d, c=None, m=None):\n    os.abort()\n",
    Some("ended by signal 6")
)]
#[case::answers_nothing(
    "def build_wheel(d, c=None, m=None):\n    return None\n",
    Some("no name of a wheel")
)]
#[case::nothing_is_there(
    "def build_wheel(d, c=None, m=None):\n    return 'rime-1.0-py3-none-any.whl'\n",
    Some("there is no such file")
)]
#[case::out_of_its_folder(
    "def build_wheel(d, c=None, m=None):\n    return '../rime-1.0-py3-none-any.whl'\n",
    Some("no name of a file")
)]
#[case::another_name(
    "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    os.rename(os.path.join(d, plain(d)), os.path.join(d, 'neve-1.0-py3-none-any.whl'))\n    return 'neve-1.0-py3-none-any.whl'\n",
    Some("answers with neve 1.0, and not with rime 1.0")
)]
#[case::another_version(
    "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    os.rename(os.path.join(d, plain(d)), os.path.join(d, 'rime-2.0-py3-none-any.whl'))\n    return 'rime-2.0-py3-none-any.whl'\n",
    Some("answers with rime 2.0")
)]
#[case::for_another_place(
    "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    os.rename(os.path.join(d, plain(d)), os.path.join(d, 'rime-1.0-cp27-cp27mu-win32.whl'))\n    return 'rime-1.0-cp27-cp27mu-win32.whl'\n",
    Some("does not fit here")
)]
#[case::no_wheel_at_all(
    "def build_wheel(d, c=None, m=None):\n    open(os.path.join(d, 'rime-1.0-py3-none-any.whl'), 'w').write('x')\n    return 'rime-1.0-py3-none-any.whl'\n",
    Some("refused")
)]
#[case::no_hook("del build_wheel\n", Some("has no hook build_wheel"))]
#[case::requirements_of_no_kind(
    "def get_requires_for_build_wheel(c=None):\n    return 7\n",
    Some("no list of texts")
)]
#[case::requirements_that_nobody_has(
    "def get_requires_for_build_wheel(c=None):\n    return ['snowberm>=3']\n",
    Some("what it is built by cannot be had here")
)]
#[case::no_module(
    "import glaciers_that_are_not_there\n",
    Some("glaciers_that_are_not_there")
)]
fn the_protocol_of_the_hooks(#[case] hooks: &str, #[case] why: Option<&str>) {
    let (_depot, field) = settled_with("rime", hooks);
    match why {
        None => {
            field.expect(0, &["furnish", "--build", "rime"]);
            assert_eq!(says(&field, "import rime; print(1)"), "1");
        }
        Some(why) => {
            let failed = field.expect(1, &["furnish", "--build", "rime"]);
            has(&failed, &["Not built: rime 1.0", why]);
            assert!(!field.path(".venv").exists() && wheels_kept(&field).is_empty());
        }
    }
    assert!(left_by_builds(&field).is_empty());
}

#[test]
fn what_hangs_is_ended_with_all_that_it_started() {
    let field = Field::new();
    field.write(
        "eutaxis.toml",
        &(field.read("eutaxis.toml") + "\n[build]\nseconds = 2\npermit = [\"polynya\"]\n"),
    );
    field.expect(0, &["settle", "polynya"]);
    let started = Instant::now();
    let failed = field.expect(1, &["furnish"]);
    has(&failed, &["build_wheel took longer than 2 s"]);
    assert!(started.elapsed() < Duration::from_secs(60));
    assert!(left_by_builds(&field).is_empty());
}

#[test]
fn nothing_is_written_outside_and_no_credentials_are_seen() {
    let field = Field::new();
    let shore = field.path("shore.txt");
    let settings = format!(
        "\n[build.fastice.settings]\nshore = {:?}\n",
        shore.display().to_string()
    );
    field.write("eutaxis.toml", &(field.read("eutaxis.toml") + &settings));
    field.expect(0, &["settle", "fastice"]);
    let ran = field.run(&["furnish", "--build", "fastice"]);
    // Where the kernel has no way to forbid it, it is told by the record that it was not.
    if ran.code == 0 {
        let record = std::fs::read_to_string(wheels_kept(&field)[0].join("record.json")).unwrap();
        assert!(!record.contains("writing outside"), "{record}");
    } else {
        has(&ran, &["Not built: fastice 1.0"]);
        assert!(!shore.exists());
    }
    let hooks = "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    assert 'ICE_TOKEN' not in os.environ and os.environ['SLED'] == '4'\n    assert os.environ['HOME'] != os.environ.get('OLD') and os.path.isdir(os.environ['HOME'])\n    assert int(os.environ['SOURCE_DATE_EPOCH']) > 315532800\n    assert c == {'one': 'a', 'two': ['b', 'c']}, c\n    return plain(d)\n";
    let (_depot, field) = settled_with("rime", hooks);
    let more = "[build.rime]\nenvironment = { SLED = \"4\" }\nsettings = { one = \"a\", two = [\"b\", \"c\"] }\n";
    field.write("eutaxis.toml", &(field.read("eutaxis.toml") + more));
    let ran = field
        .command(&["furnish", "--build", "rime"])
        .env("ICE_TOKEN", "secret")
        .output()
        .unwrap();
    assert!(
        ran.status.success(),
        "{}{}",
        String::from_utf8_lossy(&ran.stdout),
        String::from_utf8_lossy(&ran.stderr)
    );
}

#[test]
fn the_network_is_not_there() {
    let field = Field::new();
    field.expect(0, &["settle", "leadwatch"]);
    let failed = field.expect(1, &["furnish", "--build", "leadwatch"]);
    has(&failed, &["Not built: leadwatch 1.0"]);
    // One that may use it reaches a server of this machine.
    let server = eutaxis_demo::server::Server::start(
        field.path("").as_path(),
        eutaxis_demo::server::Trouble::default(),
    )
    .unwrap();
    let hooks = format!(
        "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    import urllib.request\n    try:\n        urllib.request.urlopen({:?}, timeout=5)\n    except urllib.error.HTTPError:\n        pass\n    return plain(d)\n",
        server.url()
    );
    let (_depot, field) = settled_with("rime", &hooks);
    let kept = field.run(&["furnish", "--build", "rime"]);
    if kept.code == 0 {
        // The system lets nothing be taken away, and that is told.
        let told = &kept.err;
        assert!(told.contains("was not kept from the network"), "{told}");
        return;
    }
    has(&kept, &["Not built: rime 1.0"]);
    field.write(
        "eutaxis.toml",
        &(field.read("eutaxis.toml") + "[build.rime]\nnetwork = true\n"),
    );
    let told = field.expect(0, &["furnish", "--build", "rime"]);
    assert!(
        told.err.contains("was not kept from the network"),
        "{}",
        told.err
    );
}

#[test]
fn the_newer_fails_and_the_older_builds() {
    let field = Field::new();
    field.expect(0, &["settle", "rafting"]);
    let failed = field.expect(1, &["furnish", "--build", "rafting"]);
    has(
        &failed,
        &["Not built: rafting 2.0", "packed without its sources"],
    );
    field.expect(0, &["settle", "rafting==1.0", "--out", "pylock.old.toml"]);
    field.expect(
        0,
        &[
            "furnish",
            "pylock.old.toml",
            "--at",
            ".venv",
            "--build",
            "rafting",
        ],
    );
    assert_eq!(
        says(&field, "import rafting; print(rafting.__version__)"),
        "1.0"
    );
}

#[test]
fn what_is_rebuilt_is_compared_and_a_wheel_gives_way_to_its_source() {
    let field = Field::new();
    field.expect(0, &["settle", "frazil"]);
    field.expect(0, &["furnish", "--build", "frazil"]);
    field.expect(0, &["furnish", "--rebuild", "frazil"]);
    let record = std::fs::read_to_string(wheels_kept(&field)[0].join("record.json")).unwrap();
    assert!(record.contains("\"reproduced\": true"), "{record}");
    let wheel = field.json(0, &["settle", "brashkit==0.8", "--out", "pylock.a.toml"]);
    let source = field.json(
        0,
        &[
            "settle",
            "brashkit==0.8",
            "--rebuild",
            "brashkit",
            "--out",
            "pylock.b.toml",
        ],
    );
    let kind = |answer: &Value| answer["pins"][0]["kind"].as_str().unwrap().to_owned();
    assert_eq!(
        (kind(&wheel), kind(&source)),
        ("wheel".to_owned(), "sdist".to_owned())
    );
    let refused = field.expect(2, &["furnish", "pylock.a.toml", "--rebuild", "brashkit"]);
    assert!(
        refused.err.contains("not pinned as source"),
        "{}",
        refused.err
    );
}

#[test]
fn build_requirements_are_bounded() {
    let field = Field::new();
    field.write("limits.txt", "cairnbuild<1\n");
    field.expect(0, &["settle", "frazil"]);
    let failed = field.expect(
        1,
        &[
            "furnish",
            "--build",
            "frazil",
            "--build-bounds",
            "limits.txt",
        ],
    );
    has(&failed, &["what it is built by cannot be had here"]);
}

#[test]
fn a_proof_builds_what_is_permitted_and_imports_it() {
    let field = Field::new();
    let told = field.expect(0, &["settle", "frazil", "--prove"]);
    has(
        &told,
        &["frazil would have to be built, which --build frazil permits"],
    );
    let answer = field.json(0, &["settle", "frazil", "--prove", "--build-light"]);
    assert_eq!(answer["evidence"]["level"], "ran", "{answer:#}");
}

#[rstest]
#[case("workshop-made")]
#[case("source-unpacked")]
#[case("hook-ran")]
#[case("hook-ran:2")]
#[case("wheel-built")]
#[case("wheel-kept")]
fn a_build_that_is_killed_leaves_no_half_wheel_and_the_next_completes(#[case] point: &str) {
    let field = Field::new();
    field.expect(0, &["settle", "frazil"]);
    kill_at(&field, &["furnish", "--build", "frazil"], point);
    for entry in wheels_kept(&field) {
        assert!(entry.join("record.json").is_file(), "{entry:?}");
    }
    field.expect(0, &["furnish", "--build", "frazil"]);
    assert_eq!(says(&field, "import frazil; print(1)"), "1");
    assert!(
        left_by_builds(&field).is_empty(),
        "{:?}",
        left_by_builds(&field)
    );
}

#[test]
fn two_at_once_build_once() {
    let hooks = "def build_wheel(d, c=None, m=None, plain=build_wheel):\n    import time\n    time.sleep(3)\n    return plain(d)\n";
    let (_depot, field) = settled_with("rime", hooks);
    let start = |at: &str| {
        let mut command = field.command(&["furnish", "--build", "rime", "--at", at]);
        command
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap()
    };
    let children = [start("one"), start("two")];
    let told: Vec<String> = children
        .into_iter()
        .map(|child| {
            let ran = child.wait_with_output().unwrap();
            assert!(ran.status.success());
            String::from_utf8(ran.stderr).unwrap()
        })
        .collect();
    let built = told.iter().filter(|t| t.contains("built rime-1.0")).count();
    let waited = told.iter().filter(|t| t.contains("waiting for it")).count();
    assert_eq!((built, waited), (1, 1), "{told:#?}");
}

#[test]
fn what_is_broken_off_leaves_nothing() {
    let field = Field::new();
    field.expect(0, &["settle", "polynya"]);
    let mut command = field.command(&["furnish", "--build", "polynya"]);
    let mut child = command
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let begun = |field: &Field| {
        let log = left_by_builds(field)
            .iter()
            .find(|n| !n.contains(".lock"))
            .map(|n| field.path("cache/built-1/tmp").join(n).join("build.log"));
        log.and_then(|l| std::fs::read_to_string(l).ok())
            .is_some_and(|t| t.contains("waiting for the tide"))
    };
    let started = Instant::now();
    while !begun(&field) && started.elapsed() < Duration::from_secs(60) {
        std::thread::sleep(Duration::from_millis(50));
    }
    let id = child.id().to_string();
    assert!(
        std::process::Command::new("kill")
            .args(["-INT", &id])
            .status()
            .unwrap()
            .success()
    );
    let status = child.wait().unwrap();
    assert_ne!(status.code(), Some(0));
    assert!(
        left_by_builds(&field).is_empty(),
        "{:?}",
        left_by_builds(&field)
    );
}

#[test]
fn what_was_built_is_gathered_and_told() {
    let field = Field::new();
    field.expect(0, &["settle", "frazil"]);
    let early = field.expect(2, &["gather", "--built", "--into", "stick"]);
    let (_, first) = early.err.split_once("build it first:  ").unwrap();
    field.typed(0, first.trim());
    field.expect(0, &["gather", "--built", "--into", "stick"]);
    let pins = field.read("stick/pylock.toml");
    assert!(
        pins.contains("frazil-0.3.tar.gz") && pins.contains("frazil-0.3-py3-none-any.whl"),
        "{pins}"
    );
    // A machine of the same kind, with nothing but the stick.
    let ran = field
        .command(&["furnish", "stick/pylock.toml", "--at", "board", "--offline"])
        .env("EUTAXIS_CACHE", field.path("another-cache"))
        .output()
        .unwrap();
    assert!(
        ran.status.success(),
        "{}",
        String::from_utf8_lossy(&ran.stderr)
    );
    let told = field.expect(0, &["stock"]);
    has(
        &told,
        &[
            "built here from source",
            "frazil-0.3-py3-none-any.whl",
            "cairnbuild 1.2",
        ],
    );
    let stock = field.json(0, &["stock"]);
    assert_eq!(stock["built"][0]["name"], "frazil");
    // What is in place is what is pinned, and how it came to be is told.
    let seen = field.expect(0, &["examine", ".venv", "--pins", "pylock.toml", "-v"]);
    has(
        &seen,
        &[
            "built-here",
            "its wheel was built here from source on",
            "by cairnbuild 1.2",
        ],
    );
    field.expect(0, &["stock", "--trim", "0h"]);
    assert!(wheels_kept(&field).is_empty());
}

#[test]
fn a_way_out_that_only_source_fills_tells_what_its_build_takes() {
    let field = Field::new();
    let answer = field.json(1, &["settle", "hummock"]);
    let way = &answer["ways_out"][0];
    assert_eq!(way["options"][0], "--build hummock");
    assert_eq!(
        (&way["builds"][0]["name"], &way["builds"][0]["light"]),
        (&Value::from("hummock"), &Value::Bool(true))
    );
    let told = field.expect(1, &["settle", "hummock"]);
    has(&told, &["build hummock 2.0: light: nothing is compiled"]);
}

#[test]
fn a_rehearsal_foresees_the_builds_that_it_would_take() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    let told = field.expect(0, &["rehearse", "growler"]);
    has(&told, &["growler 1.4: native: C", "frazil 0.3: light"]);
    let told = field.expect(0, &["shortlist", "brashkit"]);
    has(
        &told,
        &[
            "take 0.8",
            "brashkit 0.9: native: Fortran",
            "settle brashkit==0.9 --build brashkit",
        ],
    );
}

#[test]
fn facts_are_shared_quoted_where_they_decide_and_can_be_left_out() {
    let field = Field::new();
    let plain = field.read("eutaxis.toml");
    let settings = plain.replace("[knowledge]", "[knowledge]\nfacts = [\"team.toml\"]");
    field.write("eutaxis.toml", &settings);
    let fact = "[[fact]]\nproject = \"rafting\"\nversions = \"==2.0\"\nfails-to-build = true\n\
        because = \"packed without its sources\"\ndate = \"2026-05-01\"\nevidence = \"ran\"\n";
    field.write("team.toml", fact);
    let told = field.expect(0, &["settle", "rafting"]);
    has(
        &told,
        &["rafting  1.0"
            .split_whitespace()
            .collect::<Vec<_>>()
            .join(" ")
            .as_str()],
    );
    has(
        &told,
        &[
            "its source does not build",
            "packed without its sources (ran, 2026-05-01)",
            "team.toml:1",
        ],
    );
    let without = field.json(0, &["settle", "rafting", "--no-facts", "--renew"]);
    assert_eq!(without["pins"][0]["version"], "2.0");
    // Who found it, and when, must be said; and two that contradict each other are found.
    field.write("team.toml", &fact.replace("date = \"2026-05-01\"\n", ""));
    assert!(
        field
            .expect(2, &["settle", "rafting"])
            .err
            .contains("`date` is missing")
    );
    let against = "[[fact]]\nproject = \"rafting\"\nneeds = \"frazil<1\"\nbecause = \"a\"\n\
        date = \"2026-05-01\"\nevidence = \"read\"\n";
    let other = against.replace("frazil<1", "frazil>=1");
    field.write("team.toml", &format!("{against}{other}"));
    let refused = field.expect(2, &["settle", "rafting"]);
    assert!(
        refused.err.contains("say different things of rafting"),
        "{}",
        refused.err
    );
}

#[test]
fn a_span_and_a_diagnosis_foresee_builds_too() {
    let field = Field::new();
    let told = field.expect(
        0,
        &[
            "span",
            "growler",
            "--target",
            "base-camp",
            "--target",
            "ridge-logger",
        ],
    );
    has(
        &told,
        &[
            "on base-camp: growler 1.4: native: C",
            "on ridge-logger: growler 1.4: native: C",
        ],
    );
    let log = "Building wheel for brashkit (pyproject.toml)\nerror: command 'f95' failed: No such file or directory\n\
        ERROR: Failed building wheel for brashkit\n";
    field.write("build.log", log);
    let told = field.expect(1, &["diagnose", "build.log", "--target", "base-camp"]);
    has(&told, &["by its archive, brashkit 0.9: native: Fortran"]);
}

#[test]
fn a_failed_build_names_the_newest_release_whose_build_is_lighter() {
    let failing = own_hooks(
        "rime",
        "def build_wheel(d, c=None, m=None):\n    sys.exit(1)\n",
    )
    .replace("version = \"1.0\"", "version = \"2.0\"")
        + "\"rime.f90\" = \"end\"\n[[project.release]]\nversion = \"1.0\"\ndate = \"2025-01-01\"\n";
    let world = failing + &crate::field::project("cairnbuild", &["9"], "");
    let depot = depot_of(&world);
    let field = Field::empty();
    let settings = format!(
        "[[depot]]\npath = {:?}\n",
        depot.path().display().to_string()
    );
    field.write("eutaxis.toml", &settings);
    field.expect(0, &["settle", "rime"]);
    let failed = field.expect(1, &["furnish", "--build", "rime"]);
    has(
        &failed,
        &["rime 1.0, the newest whose build compiles nothing (solved)"],
    );
    let way = failed
        .out
        .split("eutaxis settle")
        .nth(1)
        .unwrap()
        .replace("\\\n", " ");
    let words: Vec<&str> = std::iter::once("settle")
        .chain(way.split_whitespace())
        .collect();
    let answer = field.expect(0, &words);
    has(&answer, &["rime 1.0: light"]);
}
