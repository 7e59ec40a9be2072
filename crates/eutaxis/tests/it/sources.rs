//! `examine` follows imports through the sources, and goes deeper when it tries them.

use rstest::rstest;

use crate::hut::{Hut, Placed, plain, told};

/// A project of these sources.
fn of<'a>(name: &'a str, sources: &[(&str, &str)], requested: bool) -> Placed<'a> {
    let files = sources.iter();
    let files = files.map(|(path, text)| ((*path).to_owned(), text.as_bytes().to_vec()));
    Placed {
        files: files.collect(),
        requested,
        ..plain(name, "1.2")
    }
}

const URLS: (&str, &str) = ("katabat/urls.py", "def split_url(url): return url\n");

#[rstest]
#[case::name("from katabat.urls import parse_url", Some("name-absent"))]
#[case::its_twin("from katabat.urls import split_url", None)]
#[case::guarded(
    "try:\n    from katabat.urls import parse_url\nexcept ImportError:\n    pass",
    None
)]
#[case::in_a_function("def f():\n    from katabat.urls import parse_url", None)]
#[case::part("import katabat.maps", Some("module-absent"))]
#[case::used("import katabat.urls\nx = katabat.urls.parse_url", Some("name-absent"))]
#[case::helper("import tarnhelper", Some("module-absent"))]
#[case::own("import json, os.path", None)]
#[case::own_name("from os import nothing_of_that_name", None)]
#[case::set_from_outside(
    "import katabat.urls\nkatabat.urls.parse_url = print\nfrom katabat.urls import parse_url",
    None
)]
fn what_importing_runs_into_is_read(#[case] source: &str, #[case] id: Option<&str>) {
    let hut = Hut::new();
    let source = format!("{source}\n");
    hut.place(&of("sastrugi", &[("sastrugi.py", &source)], true));
    hut.place(&of("katabat", &[("katabat/__init__.py", ""), URLS], false));
    let answer = hut.examine(i32::from(id.is_some()), &[]);
    let found: Vec<String> = told(&answer)
        .into_iter()
        .filter(|t| t.contains("-absent"))
        .collect();
    let expected: Vec<String> = id
        .map(|id| format!("breaks {id} sastrugi"))
        .into_iter()
        .collect();
    assert_eq!(found, expected, "{answer:#}");
}

/// What makes modules or names at run time is unknown, and never absent.
#[rstest]
#[case::answers("def __getattr__(name): return name\n")]
#[case::star("from os.path import *\n")]
#[case::writes("globals().update(parse_url=1)\n")]
#[case::stands_for_another("import sys\nsys.modules[__name__] = object()\n")]
fn what_is_made_at_run_time_is_not_absent(#[case] urls: &str) {
    let hut = Hut::new();
    hut.place(&of(
        "sastrugi",
        &[("sastrugi.py", "from katabat.urls import parse_url\n")],
        true,
    ));
    hut.place(&of(
        "katabat",
        &[("katabat/__init__.py", ""), ("katabat/urls.py", urls)],
        false,
    ));
    let answer = hut.examine(0, &[]);
    assert!(
        !told(&answer).iter().any(|t| t.contains("-absent")),
        "{answer:#}"
    );
}

#[test]
fn what_no_asked_project_leads_to_is_a_risk() {
    let hut = Hut::new();
    hut.place(&plain("sastrugi", "1.2"));
    hut.place(&of(
        "moulin",
        &[("moulin.py", "import tarnhelper\n")],
        false,
    ));
    let answer = hut.examine(0, &[]);
    assert!(
        told(&answer).contains(&"risk module-absent moulin".to_owned()),
        "{answer:#}"
    );
    // The same when it is really imported.
    let answer = hut.examine(0, &["--imports"]);
    assert!(
        told(&answer).contains(&"risk import-fails moulin".to_owned()),
        "{answer:#}"
    );
}

/// A library that only a part needs which may be left out is a risk.
#[rstest]
#[case::needed("from . import _maps\n", "breaks")]
#[case::guarded(
    "try:\n    from . import _maps\nexcept ImportError:\n    _maps = None\n",
    "risk"
)]
fn a_library_of_an_optional_part_is_a_risk(#[case] source: &str, #[case] severity: &str) {
    let hut = Hut::new();
    let mut project = of("sastrugi", &[("sastrugi/__init__.py", source)], true);
    let module = eutaxis_demo::Library {
        needs: vec!["libfirn.so.3".into()],
        ..eutaxis_demo::Library::module("_maps")
    };
    let name = format!("sastrugi/_maps{}", crate::hut::python().suffix);
    project.files.push((name, crate::hut::library(&module)));
    hut.place(&project);
    let answer = hut.examine(i32::from(severity == "breaks"), &[]);
    assert_eq!(
        told(&answer),
        [format!("{severity} library-absent sastrugi")],
        "{answer:#}"
    );
}

/// What was run outranks what was read.
#[test]
fn an_import_that_goes_well_refutes_what_was_read() {
    let hut = Hut::new();
    let source = "import sys\nsys.modules.__setitem__('tarn' + 'helper', sys)\nimport tarnhelper\n";
    hut.place(&of("sastrugi", &[("sastrugi.py", source)], true));
    let answer = hut.examine(0, &["--imports"]);
    assert!(told(&answer).is_empty(), "{answer:#}");
}

#[rstest]
#[case::for_makers(
    "import warnings\nwarnings.simplefilter('always')\nwarnings.warn('old', DeprecationWarning)\n",
    "note",
    "harmless"
)]
#[case::for_users(
    "import sys\nsys.stderr.write('no stakes found: maps are off\\n')\n",
    "risk",
    "maps are off"
)]
fn what_a_good_import_says_is_told(
    #[case] source: &str,
    #[case] severity: &str,
    #[case] part: &str,
) {
    let hut = Hut::new();
    hut.place(&of("sastrugi", &[("sastrugi.py", source)], true));
    let answer = hut.examine(0, &["--imports"]);
    assert_eq!(told(&answer), [format!("{severity} import-warns sastrugi")]);
    let evidence = answer["findings"][0]["evidence"].as_str().unwrap();
    assert!(evidence.contains(part), "{evidence}");
}

/// One of several scripts may need what nobody asked for; that none starts breaks.
#[rstest]
#[case("", "risk")]
#[case("import tarnhelper\n", "breaks")]
fn a_script_that_does_not_start_is_told(#[case] other: &str, #[case] severity: &str) {
    let hut = Hut::new();
    let points = "[console_scripts]\ndrift = sastrugi._run:main\nmap = sastrugi._map:main\n";
    let sources = [
        ("sastrugi/__init__.py", ""),
        ("sastrugi/_run.py", other),
        ("sastrugi/_map.py", "import tarnhelper\n"),
        ("sastrugi-1.2.dist-info/entry_points.txt", points),
    ];
    hut.place(&of("sastrugi", &sources, true));
    let answer = hut.examine(i32::from(severity == "breaks"), &["--imports"]);
    assert!(
        told(&answer).contains(&format!("{severity} import-fails sastrugi")),
        "{answer:#}"
    );
}

/// A script's module, and with `all` every module, is tried as well.
#[test]
fn imports_go_as_deep_as_is_asked() {
    let hut = Hut::new();
    let points = (
        "sastrugi-1.2.dist-info/entry_points.txt",
        "[console_scripts]\ndrift = sastrugi._run:main\n",
    );
    let sources = [
        ("sastrugi/__init__.py", ""),
        ("sastrugi/_run.py", "raise ValueError('no drift')\n"),
        (
            "sastrugi/maps.py",
            "def f(): pass\nraise ValueError('no maps')\n",
        ),
        ("sastrugi/tests/a.py", "raise ValueError('a test')\n"),
        points,
    ];
    hut.place(&of("sastrugi", &sources, true));
    let answer = hut.examine(1, &["--imports"]);
    assert_eq!(
        (&answer["imported"], told(&answer)),
        (&2.into(), vec!["breaks import-fails sastrugi".to_owned()])
    );
    let answer = hut.examine(1, &["--imports", "all"]);
    assert_eq!(answer["imported"], 3, "{answer:#}");
    let both = ["breaks import-fails sastrugi", "risk import-fails sastrugi"];
    assert_eq!(told(&answer), both);
}

/// A command that goes on by itself is started, seen and ended, twice.
#[rstest]
#[case::text(
    "until = \"ready\"",
    "print('ready', flush=True); time.sleep(60)",
    0,
    ""
)]
#[case::port(
    "until = \"port 0\"",
    "s = socket.create_server(('127.0.0.1', PORT)); time.sleep(60)",
    0,
    ""
)]
#[case::ends(
    "until = \"ready\"",
    "sys.exit(3)",
    1,
    "exit code 3 before `ready` is seen"
)]
#[case::to_its_end("", "print('done')", 0, "")]
#[case::fails("", "sys.exit(2)", 1, "exit code 2")]
fn commands_are_started_and_seen(
    #[case] until: &str,
    #[case] code: &str,
    #[case] exit: i32,
    #[case] told: &str,
) {
    let free = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let port = free.local_addr().unwrap().port().to_string();
    drop(free);
    let hut = Hut::new();
    hut.place(&plain("firnio", "1.2"));
    let code = format!("import socket, sys, time; {}", code.replace("PORT", &port));
    let until = until.replace("port 0", &format!("port {port}"));
    let settings = format!("[trial.server]\ncommand = [\"python\", \"-c\", {code:?}]\n{until}\n");
    hut.field.write("eutaxis.toml", &settings);
    let answer = hut.examine(exit, &["--trials", "--seconds", "30"]);
    assert_eq!(answer["trials"], 1);
    if exit == 1 {
        let evidence = answer["findings"][0]["evidence"].as_str().unwrap();
        assert!(evidence.contains(told), "{evidence}");
    } else if !until.is_empty() {
        assert_eq!(
            answer["started"][0]["seconds"].as_array().map(Vec::len),
            Some(2)
        );
    }
}

#[rstest]
#[case("code = \"1\"\nuntil = \"x\"", "`until` goes with `command`")]
#[case("command = []", "at least one word")]
#[case("expect = \"1\"", "`code` or `command`")]
#[case("code = \"1\"\ncommand = [\"a\"]", "`code` or `command`")]
fn a_trial_that_is_none_is_an_error(#[case] lines: &str, #[case] told: &str) {
    let hut = Hut::new();
    hut.field
        .write("eutaxis.toml", &format!("[trial.x]\n{lines}\n"));
    let ran = hut.field.expect(2, &["examine", ".venv", "--trials"]);
    assert!(ran.err.contains(told), "{ran:?}");
}
