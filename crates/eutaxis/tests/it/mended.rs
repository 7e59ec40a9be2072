//! What `diagnose` says mends: carried out as it is printed, after which what failed runs.

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, Ran, depot_of, ran};
use crate::hut::python;
use crate::prove::{Release, project};

const TAKES: &[(&str, &str)] = &[(
    "windvane/__init__.py",
    "from gustlib.urls import parse_station\n",
)];
const HAS: &[(&str, &str)] = &[
    ("gustlib/urls.py", "def parse_station(text): return text\n"),
    ("gustlib/tides.py", "high = 4\n"),
];
const LACKS: &[(&str, &str)] = &[("gustlib/urls.py", "def read_station(text): return text\n")];
const MENDED: &[(&str, &str)] = &[(
    "windvane/__init__.py",
    "from gustlib.urls import read_station\n",
)];
/// A library whose name and part went in 2.3, and who takes the name.
fn world(windvane: &[Release<'_>]) -> String {
    [
        project(
            "gustlib",
            &[
                ("2.1", "2024-02-10", "", HAS),
                ("2.2", "2024-08-10", "", HAS),
                ("2.3", "2025-06-10", "", LACKS),
                ("2.4", "2025-09-10", "", LACKS),
            ],
        ),
        project("windvane", windvane),
    ]
    .concat()
}

const OLD: &[Release<'_>] = &[("1.2", "2024-03-01", "\"gustlib>=2\"", TAKES)];
const BOTH: &[Release<'_>] = &[
    ("1.2", "2024-03-01", "\"gustlib>=2\"", TAKES),
    ("1.3", "2025-10-01", "\"gustlib>=2.3\"", MENDED),
];

/// Wheels in a folder: projects whose modules bear other names than they, or went.
fn loose() -> tempfile::TempDir {
    let depot = tempfile::tempdir().unwrap();
    for (name, version, file) in [
        ("ice_tools", "1.0", "crampon/__init__.py"),
        ("crampon", "1.0", "rope/__init__.py"),
        ("tablehelp", "1.0", "tablehelp.py"),
        ("tablehelp", "2.0", "helptables.py"),
        ("rope_cam", "1.0", "rope_cam/hooks/deep.py"),
        ("rope", "1.0", "knot.py"),
    ] {
        let metadata = format!("Metadata-Version: 2.1\nName: {name}\nVersion: {version}\n");
        let info = format!("{name}-{version}.dist-info/METADATA");
        let wheel = eutaxis_demo::Wheel {
            name: name.to_owned(),
            version: version.to_owned(),
            tags: "py3-none-any".to_owned(),
            files: vec![(file.to_owned(), Vec::new()), (info, metadata.into_bytes())],
        };
        let bytes = eutaxis_demo::write_wheel(&wheel).unwrap();
        std::fs::write(depot.path().join(wheel.filename()), bytes).unwrap();
    }
    depot
}

/// A folder in which something was placed, whatever dates say, and code that fails there.
struct Camp {
    field: Field,
    _depot: tempfile::TempDir,
}

impl Camp {
    fn of(windvane: &[Release<'_>], asks: &[&str], code: &str) -> Self {
        Camp::at(depot_of(&world(windvane)), asks, code)
    }

    fn at(depot: tempfile::TempDir, asks: &[&str], code: &str) -> Self {
        let field = Field::empty();
        field.name_depot(&depot.path().display().to_string());
        let settle = ["settle", "--chronology", "ignore"];
        field.expect(0, &[&settle[..], asks].concat());
        field.expect(0, &["furnish"]);
        field.write("camp.py", &format!("{code}\n"));
        let camp = Camp {
            field,
            _depot: depot,
        };
        let failed = camp.shell(".venv/bin/python -B camp.py");
        assert_ne!(failed.code, 0, "it does not fail: {failed:?}");
        camp.field.write("camp.log", &failed.err);
        camp
    }

    /// A folder without a depot, and code.
    fn alone(code: &str) -> Self {
        let field = Field::empty();
        field.write("camp.py", code);
        Camp {
            field,
            _depot: tempfile::tempdir().unwrap(),
        }
    }

    fn shell(&self, line: &str) -> Ran {
        ran(self.field.shell(line).output().unwrap())
    }

    fn root(&self) -> Value {
        let answer = self
            .field
            .json(1, &["diagnose", "camp.log", "--in", ".venv"]);
        answer["causes"][0].clone()
    }
}

#[rstest]
#[case::a_name_that_a_project_takes(OLD, &["windvane"], "import windvane", "api-removed",
    "hold gustlib below 2.3: 2.2 has parse_station, with windvane 1.2")]
#[case::a_name_that_ones_own_code_takes(OLD, &["gustlib"], "from gustlib.urls import parse_station",
    "api-removed", "hold gustlib below 2.3: 2.2 has parse_station")]
#[case::a_name_of_what_is_asked_exactly(OLD, &["gustlib==2.4"],
    "import gustlib.urls\ngustlib.urls.parse_station", "api-removed",
    "hold gustlib below 2.3: 2.2 has parse_station")]
#[case::a_name_that_came_later(OLD, &["gustlib==2.1"], "from gustlib.urls import read_station",
    "stale-dependency", "take gustlib 2.4, which has read_station")]
#[case::a_part_that_was_lost(OLD, &["gustlib"], "import gustlib.tides", "module-absent",
    "place gustlib 2.2, which brings gustlib.tides, the newest that does")]
fn what_the_files_show_to_mend_does(
    #[case] windvane: &[Release<'_>],
    #[case] asks: &[&str],
    #[case] code: &str,
    #[case] id: &str,
    #[case] words: &str,
) {
    mends_as_read(&Camp::of(windvane, asks, code), id, words);
}

#[rstest]
#[case::of_another_name("rope", "import crampon", "place ice-tools 1.0, which brings crampon")]
#[case::that_the_newest_lost(
    "rope",
    "import tablehelp",
    "place tablehelp 1.0, which brings tablehelp, the newest that does"
)]
#[case::placed_where_it_is_lost(
    "tablehelp",
    "import tablehelp",
    "place tablehelp 1.0, which brings tablehelp, the newest that does"
)]
#[case::deep_below(
    "rope",
    "import rope_cam.hooks.deep",
    "place rope-cam 1.0, which brings rope_cam"
)]
fn a_project_that_is_placed_for_a_module_brings_it(
    #[case] placed: &str,
    #[case] code: &str,
    #[case] words: &str,
) {
    mends_as_read(&Camp::at(loose(), &[placed], code), "module-absent", words);
}

/// The first remedy is this one, is read, and mends.
fn mends_as_read(camp: &Camp, id: &str, words: &str) {
    let root = camp.root();
    assert_eq!(root["id"], id, "{root:#}");
    let first = &root["remedies"][0];
    assert!(
        first["text"].as_str().unwrap().starts_with(words),
        "{root:#}"
    );
    assert_eq!(first["evidence"], "read");
    let command = first["change"].as_str().unwrap();
    let typed = camp.shell(command);
    assert_eq!(typed.code, 0, "{command}: {typed:?}");
    let again = camp.shell(".venv/bin/python -B camp.py");
    assert_eq!(again.code, 0, "{command} does not mend: {again:?}");
}

/// Beside the older release of what moved, the newer one of who takes it.
#[test]
fn a_newer_release_of_who_takes_the_name_mends_as_well() {
    let camp = Camp::of(BOTH, &["windvane==1.2"], "import windvane");
    let root = camp.root();
    let all = root["remedies"].as_array().unwrap();
    let newer = all
        .iter()
        .find(|r| r["text"].as_str().unwrap().starts_with("take windvane 1.3"));
    let command = newer.unwrap_or_else(|| panic!("{root:#}"))["change"]
        .as_str()
        .unwrap();
    assert_eq!(camp.shell(command).code, 0, "{command}");
    let again = camp.shell(".venv/bin/python -B camp.py");
    assert_eq!(again.code, 0, "{command} does not mend: {again:?}");
}

/// A project that bears the module's name and brings another one is named as what it is.
#[test]
fn a_stranger_of_the_same_name_is_not_proposed() {
    let camp = Camp::at(loose(), &["tablehelp"], "import crampon");
    let root = camp.root();
    let remedies = root["remedies"].as_array().unwrap();
    let is_stranger = |r: &Value| r["text"].as_str().unwrap().contains("crampon 1.0");
    assert!(!remedies.iter().any(is_stranger), "{root:#}");
}

/// An argument that went: of what the caller needs and came after it, the one that has what was called
/// is held to the newest release that speaks of the argument.
#[test]
fn what_was_called_otherwise_is_held_back() {
    const HAD: &str = "class Link:\n    def __init__(self, proxies=None): pass\n";
    const LOST: &str = "class Link:\n    def __init__(self): pass\n";
    const CALLS: &str = "from linklib.core import Link\ndef open_it():\n    return \
        Link(proxies=None)\n";
    let sources = |path: &'static str, text: &'static str| [(path, text)];
    let (had, lost) = (
        sources("linklib/core.py", HAD),
        sources("linklib/core.py", LOST),
    );
    let calls = sources("mastradio/__init__.py", CALLS);
    let tide = sources("tidelib/__init__.py", "high = 4\n");
    let world = [
        project(
            "linklib",
            &[
                ("0.26", "2024-02-10", "", &had),
                ("0.27", "2024-05-10", "", &had),
                ("0.28", "2025-06-10", "", &lost),
                ("0.29", "2025-07-10", "", &lost),
            ],
        ),
        project(
            "tidelib",
            &[
                ("1.0", "2024-01-10", "", &tide),
                ("2.0", "2025-12-10", "", &tide),
            ],
        ),
        project(
            "mastradio",
            &[("1.4", "2024-08-10", "\"linklib\", \"tidelib\"", &calls)],
        ),
    ];
    let code = "import mastradio\nmastradio.open_it()";
    let camp = Camp::at(depot_of(&world.concat()), &["mastradio"], code);
    let root = camp.root();
    assert_eq!(root["id"], "stale-dependency", "{root:#}");
    let first = &root["remedies"][0];
    let text = first["text"].as_str().unwrap();
    assert!(
        text.starts_with("hold linklib below 0.28: linklib 0.27"),
        "{root:#}"
    );
    assert_eq!(camp.shell(first["change"].as_str().unwrap()).code, 0);
    let again = camp.shell(".venv/bin/python -B camp.py");
    assert_eq!(again.code, 0, "{again:?}");
}

/// A module that makes its names while it runs: the releases that speak of the name are told from
/// those that do not, and what is read of it proves nothing.
#[test]
fn names_that_are_made_while_a_module_runs_are_looked_for_by_their_words() {
    const MAKES: &str = "def __getattr__(name):\n    if name == 'parse_station':\n        return \
        str\n    raise AttributeError(name)\n";
    const NONE: &str = "def __getattr__(name):\n    raise AttributeError(\"module 'gustlib' has no \
        attribute '%s'\" % name)\n";
    let (had, lost) = (
        [("gustlib/__init__.py", MAKES)],
        [("gustlib/__init__.py", NONE)],
    );
    let world = project(
        "gustlib",
        &[
            ("2.1", "2024-02-10", "", &had),
            ("2.2", "2024-08-10", "", &had),
            ("2.3", "2025-06-10", "", &lost),
        ],
    );
    let code = "import gustlib\ngustlib.parse_station";
    let camp = Camp::at(depot_of(&world), &["gustlib"], code);
    let root = camp.root();
    let first = &root["remedies"][0];
    let words = "hold gustlib below 2.3: 2.2 still speaks of parse_station";
    assert_eq!(first["text"], words, "{root:#}");
    assert_eq!(first["evidence"], "solved");
    assert_eq!(camp.shell(first["change"].as_str().unwrap()).code, 0);
    let again = camp.shell(".venv/bin/python -B camp.py");
    assert_eq!(again.code, 0, "{again:?}");
}

/// An add-on's operators, code that was generated for an older library, and a library that says up to
/// where it goes: the release that belongs to what is there, or the last one that is accepted.
#[rstest]
#[case::an_add_on(
    "seracnet-optics==1.2",
    "seracnet==2.3",
    "import seracnet_optics",
    "companion-mismatch",
    "these go together on .venv"
)]
#[case::generated_code(
    "snowcast==1.0",
    "wirepack==1.21",
    "import snowcast.depth_gen",
    "stale-dependency",
    "these go together on .venv"
)]
#[case::generated_for_a_newer_one(
    "floecast==1.0",
    "wirepack==1.20.3",
    "import floecast",
    "stale-dependency",
    "these go together on .venv"
)]
#[case::said_by_who_needs_it(
    "meltcast==1.0",
    "wirepack==1.21",
    "import meltcast",
    "stale-dependency",
    "these go together on .venv"
)]
fn what_belongs_together_is_settled(
    #[case] first: &str,
    #[case] second: &str,
    #[case] code: &str,
    #[case] id: &str,
    #[case] words: &str,
) {
    const OPTICS: &str = "import seracnet\nif seracnet.series != 2.2:\n    raise \
        RuntimeError('operator seracnet_optics::focus does not exist')\n";
    const FIELD: &str = "def run_by(code): pass\ndef field(name):\n    raise TypeError('Descriptors cannot be created \
        directly.\\nIf you cannot generate it anew:\\n 1. Downgrade the wirepack package to 1.20.x or \
        lower.')\n";
    const NEEDS: &str = "import wirepack\nif not hasattr(wirepack, 'old'):\n    raise \
        ImportError('Meltcast needs Wirepack 1.20 or less')\n";
    const OLD_WIRE: &str = "old = 1\ndef field(name): pass\nclass VersionError(Exception): pass\n\
        def run_by(code):\n    raise VersionError('Detected incompatible Wirepack gencode/runtime \
        versions when loading depth.wire: gencode 1.21 runtime 1.20.3. Runtime version cannot be \
        older than the linked gencode version.')\n";
    let sources = |path: &'static str, text: &'static str| [(path, text)];
    let (two, three) = (
        sources("seracnet/__init__.py", "series = 2.2\n"),
        sources("seracnet/__init__.py", "series = 2.3\n"),
    );
    let (bound, free) = (
        sources("seracnet_optics/__init__.py", OPTICS),
        sources("seracnet_optics/__init__.py", "import seracnet\n"),
    );
    let (takes, refuses) = (
        sources("wirepack/__init__.py", OLD_WIRE),
        sources("wirepack/__init__.py", FIELD),
    );
    let generated = sources(
        "snowcast/depth_gen.py",
        "import wirepack\nwirepack.field('depth')\n",
    );
    let newer = sources(
        "floecast/__init__.py",
        "import wirepack\nwirepack.run_by('1.21')\n",
    );
    let needs = sources("meltcast/__init__.py", NEEDS);
    let day = "2025-02-10";
    let world = [
        project(
            "seracnet",
            &[("2.2", day, "", &two), ("2.3", day, "", &three)],
        ),
        project(
            "seracnet-optics",
            &[
                ("1.2", day, "\"seracnet\"", &bound),
                ("1.3", day, "\"seracnet==2.3\"", &free),
            ],
        ),
        project(
            "wirepack",
            &[("1.20.3", day, "", &takes), ("1.21", day, "", &refuses)],
        ),
        project("snowcast", &[("1.0", day, "\"wirepack\"", &generated)]),
        project("floecast", &[("1.0", day, "\"wirepack\"", &newer)]),
        project("meltcast", &[("1.0", day, "\"wirepack\"", &needs)]),
    ];
    let camp = Camp::at(depot_of(&world.concat()), &[first, second], code);
    let root = camp.root();
    assert_eq!(root["id"], id, "{root:#}");
    let told = &root["remedies"][0];
    assert!(
        told["text"].as_str().unwrap().starts_with(words),
        "{root:#}"
    );
    let typed = camp.shell(told["change"].as_str().unwrap());
    assert_eq!(typed.code, 0, "{typed:?}");
    let again = camp.shell(".venv/bin/python -B camp.py");
    assert_eq!(again.code, 0, "{root:#} does not mend: {again:?}");
}

/// What an older release needs goes back with it: what was pinned of that was chosen for the newer
/// one.
#[test]
fn what_an_older_release_needs_is_of_its_time() {
    const GONE: &str = "class Rose:\n    def __getattr__(self, name):\n        \
        raise AttributeError(\"'Rose' object has no attribute '%s'\" % name)\n";
    let takes = "from tidelib import high\nclass Rose:\n    def append(self, x): pass\n";
    let (old, new) = (
        [("plotrose/__init__.py", takes)],
        [("plotrose/__init__.py", GONE)],
    );
    let (had, lost) = (
        [("tidelib/__init__.py", "high = 4\n")],
        [("tidelib/__init__.py", "")],
    );
    let world = [
        project(
            "plotrose",
            &[
                ("1.5", "2023-02-10", "\"tidelib\"", &old),
                ("2.0", "2025-02-10", "\"tidelib\"", &new),
            ],
        ),
        project(
            "tidelib",
            &[
                ("1.0", "2022-02-10", "", &had),
                ("2.0", "2025-01-10", "", &lost),
            ],
        ),
    ];
    let code = "import plotrose\nplotrose.Rose().append(1)";
    let camp = Camp::at(depot_of(&world.concat()), &["plotrose"], code);
    let root = camp.root();
    let first = &root["remedies"][0];
    let text = first["text"].as_str().unwrap();
    assert!(
        text.starts_with("hold plotrose below 2: plotrose 1.5") && text.contains("tidelib 1.0"),
        "{root:#}"
    );
    assert_eq!(first["evidence"], "solved");
    assert_eq!(camp.shell(first["change"].as_str().unwrap()).code, 0);
    let again = camp.shell(".venv/bin/python -B camp.py");
    assert_eq!(again.code, 0, "{again:?}");
}

/// Remedies of two faults of one environment, taken one after the other: the second keeps what the
/// first brought, though both ask the pins' question anew.
#[test]
fn what_mends_a_second_fault_keeps_what_mended_the_first() {
    const CALM: &[(&str, &str)] = &[("calmnet/flow.py", "def still(): pass\n")];
    const WILD: &[(&str, &str)] = &[("calmnet/flow.py", "def wild(): pass\n")];
    let calm: &[Release<'_>] = &[
        ("1.0", "2024-02-10", "", CALM),
        ("1.1", "2025-06-10", "", WILD),
    ];
    let depot = depot_of(&[world(OLD), project("calmnet", calm)].concat());
    let camp = Camp::at(depot, &["windvane", "calmnet"], "import windvane");
    camp.field
        .write("flow.py", "from calmnet.flow import still\n");
    let both = camp.shell(
        "for part in camp flow; do echo \"$ python $part.py\"; .venv/bin/python -B $part.py; done \
         > both.log 2>&1",
    );
    assert_ne!(both.code, 0);
    let answer = camp
        .field
        .json(1, &["diagnose", "both.log", "--in", ".venv"]);
    let causes = answer["causes"].as_array().unwrap();
    assert_eq!(causes.len(), 2, "{answer:#}");
    for cause in causes {
        let command = cause["remedies"][0]["change"].as_str().unwrap();
        let typed = camp.shell(command);
        assert_eq!(typed.code, 0, "{command}: {typed:?}");
    }
    for part in ["camp", "flow"] {
        let again = camp.shell(&format!(".venv/bin/python -B {part}.py"));
        assert_eq!(again.code, 0, "{answer:#}\n{again:?}");
    }
}

/// What is said to be typed in the shell in which something failed, typed there: what failed runs.
#[rstest]
#[case::a_locale(
    "export LC_ALL=C PYTHONUTF8=0 PYTHONCOERCECLOCALE=0",
    "print('d\\xe9neige')",
    "text-encoding",
    "export LC_ALL=C.UTF-8"
)]
#[case::one_encoding_for_all(
    "export LC_ALL=C PYTHONUTF8=0 PYTHONCOERCECLOCALE=0",
    "print('d\\xe9neige')",
    "text-encoding",
    "export PYTHONUTF8=1"
)]
#[case::a_limit_of_files(
    "ulimit -S -n 40",
    "all = [open('camp.py') for _ in range(100)]",
    "too-many-files",
    "ulimit -n 4096"
)]
#[case::a_variable(
    "export PYTHONHOME=/nowhere",
    "print('here')",
    "module-absent",
    "unset PYTHONHOME"
)]
fn what_is_set_in_the_shell_mends(
    #[case] state: &str,
    #[case] code: &str,
    #[case] id: &str,
    #[case] line: &str,
) {
    let camp = Camp::alone(code);
    let python = python().program.display().to_string();
    let failed = camp.shell(&format!("{state}; {python} -B camp.py 2>&1"));
    assert_ne!(failed.code, 0, "{failed:?}");
    camp.field.write("camp.log", &failed.out);
    let answer = camp.field.json(1, &["diagnose", "camp.log"]);
    let root = &answer["causes"][0];
    assert_eq!(root["id"], id, "{answer:#}\n{failed:?}");
    let remedies = root["remedies"].as_array().unwrap();
    assert!(remedies.iter().any(|r| r["change"] == line), "{root:#}");
    let again = camp.shell(&format!("{state}; {line} && {python} -B camp.py 2>&1"));
    assert_eq!(again.code, 0, "{again:?}");
}

/// What is said to look at something shows it, typed where it failed.
#[rstest]
#[case::where_it_crashed(
    "import os, signal\ndef melt():\n    os.kill(os.getpid(), signal.SIGSEGV)\nmelt()\n",
    "$PYTHON -B camp.py",
    "python -X faulthandler SCRIPT",
    "in melt"
)]
#[case::how_it_is_mounted(
    "import os\nraise ImportError(os.path.abspath('camp.py') + ': failed to map segment from shared object')",
    "$PYTHON -B camp.py",
    "findmnt --target $PWD/camp.py",
    "/"
)]
#[case::what_the_shell_starts(
    "",
    "echo '(ice) $ python camp.py'; echo \"$PYTHON: No module named firnio\"; false",
    "type -a python python3",
    "python3"
)]
fn what_is_said_to_be_looked_at_shows_it(
    #[case] code: &str,
    #[case] run: &str,
    #[case] line: &str,
    #[case] shows: &str,
) {
    let camp = Camp::alone(code);
    let own = python().program.display().to_string();
    let folder = std::fs::canonicalize(camp.field.path("")).unwrap();
    let put = |text: &str| {
        text.replace("$PYTHON", &own)
            .replace("$PWD", &folder.display().to_string())
    };
    camp.field.write("run.sh", &put(run));
    let failed = camp.shell("sh run.sh 2>&1");
    camp.field.write("camp.log", &failed.out);
    let answer = camp.field.json(1, &["diagnose", "camp.log"]);
    let remedies = answer["causes"][0]["remedies"].as_array().unwrap();
    let line = put(line);
    assert!(
        remedies.iter().any(|r| r["change"] == line.as_str()),
        "{answer:#}"
    );
    let typed = line
        .replace("python -X", &format!("{own} -X"))
        .replace("SCRIPT", "camp.py");
    let seen = camp.shell(&format!("bash -c '{typed}' 2>&1"));
    assert!(seen.out.contains(shows), "{seen:?}");
}
