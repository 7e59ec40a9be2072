//! What is wrong in a list, a project file or pins.

use serde_json::Value;

use crate::field::{Field, WORKSTATION};

const THERE: [&str; 2] = ["--target", WORKSTATION];

fn remarks(answer: &Value) -> Vec<String> {
    let one = |r: &Value| {
        let word = |key: &str| r[key].as_str().unwrap_or("-").to_owned();
        format!(
            "{} {} {} {}",
            word("severity"),
            word("id"),
            word("place"),
            word("project")
        )
    };
    answer["remarks"]
        .as_array()
        .unwrap()
        .iter()
        .map(one)
        .collect()
}

const LIST: &str = "\
radargram>=2
\"icelens>=3\"
firnio >= 1 < 2
seracnet<2
seracnet>=2
hoarfrost
hoarfrost~=1.4
sastrugi==0.8.2
frostgird
snowpit==2.3
wirepack>=1.4
--prefer-binary
rimefall
tarnlog; sys_platform == 'win32'
";

#[test]
fn every_line_has_its_remark() {
    let field = Field::new();
    field.write("kit.txt", LIST);
    let answer = field.json(1, &[&["proofread", "kit.txt"], &THERE[..]].concat());
    let expected = [
        "breaks shell-trace kit.txt:2 -",
        "breaks malformed kit.txt:3 -",
        "breaks excluding kit.txt:5 seracnet",
        "breaks unknown-version kit.txt:8 sastrugi",
        "breaks unknown-name kit.txt:9 frostgird",
        "breaks barred kit.txt:13 rimefall",
        "risk doubled kit.txt:7 hoarfrost",
        "risk yanked kit.txt:10 snowpit",
        "risk unbounded kit.txt:11 wirepack",
        "note directive kit.txt:12 -",
    ];
    assert_eq!(remarks(&answer), expected, "{answer:#}");
    let text = field
        .expect(1, &[&["proofread", "kit.txt"], &THERE[..]].concat())
        .out;
    assert!(
        text.starts_with(
            "6 lines that cannot be settled in kit.txt (11 requirements), and 3 risks, 1 note\n"
        ),
        "{text}"
    );
    assert!(text.contains("try  did you mean frostgrid?\n"), "{text}");
}

#[test]
fn without_a_depot_the_lines_alone_are_read() {
    let field = Field::new();
    field.write("eutaxis.toml", "");
    field.write("kit.txt", "frostgird\nradargram<2\nradargram>=2\n");
    field.write("=2.0", "");
    let answer = field.json(1, &[&["proofread", "kit.txt"], &THERE[..]].concat());
    assert_eq!(answer["checked_against_depots"], false);
    assert_eq!(
        remarks(&answer),
        [
            "breaks excluding kit.txt:3 radargram",
            "risk shell-trace kit.txt:1 -"
        ]
    );
}

#[test]
fn project_files_and_scripts_are_read_too() {
    let field = Field::new();
    field.write(
        "pyproject.toml",
        "[project]\nname = 'kit'\nversion = '1'\nrequires-python = '>=3.12'\ndependencies = \
            ['sastrugi==9']\n",
    );
    field.write(
        "kit.py",
        "# /// script\n# dependencies = ['radargram>=2']\n# ///\n",
    );
    let answer = field.json(
        1,
        &[&["proofread", "pyproject.toml", "kit.py"], &THERE[..]].concat(),
    );
    assert_eq!(
        remarks(&answer),
        [
            "breaks interpreter pyproject.toml:4 -",
            "breaks unknown-version pyproject.toml:5 sastrugi"
        ]
    );
}

#[test]
fn pins_are_held_against_the_depots() {
    let field = Field::new();
    field.expect(0, &[&["settle", "radargram"], &THERE[..]].concat());
    assert!(
        remarks(&field.json(0, &["proofread", "pylock.toml"])).is_empty(),
        "for the target that they record"
    );
    let pins = field.read("pylock.toml");
    let hash = pins
        .split("sha256 = \"")
        .nth(1)
        .unwrap()
        .split('"')
        .next()
        .unwrap();
    field.write(
        "pylock.toml",
        &pins
            .replace(hash, &"0".repeat(64))
            .replace("version = \"2.2.0\"", "version = \"2.2.9\""),
    );
    let answer = field.json(1, &["proofread", "pylock.toml"]);
    let found = remarks(&answer);
    assert!(
        found.iter().any(|r| r.starts_with("breaks hash-differs")),
        "{found:?}"
    );
    assert!(
        found
            .iter()
            .any(|r| r.starts_with("breaks unknown-version") && r.ends_with("radargram")),
        "{found:?}"
    );
    let other = field.json(1, &["proofread", "pylock.toml", "--target", "ridge-logger"]);
    assert!(
        remarks(&other)
            .iter()
            .any(|r| r.starts_with("breaks interpreter pylock.toml:3")),
        "{other:#}"
    );
    assert!(
        field
            .expect(2, &["proofread", "none.txt"])
            .err
            .contains("none.txt")
    );
}

/// A list is read with those that it leads to; what `settle` would refuse breaks.
#[test]
fn a_list_is_read_with_those_that_it_leads_to() {
    let field = Field::new();
    field.write(
        "kit.txt",
        "-r sub/more.txt\n-r nowhere.txt\nfirnio\n--pre\n",
    );
    field.write("sub/more.txt", "firnio==1.3\n-r ../kit.txt\n");
    let answer = field.json(1, &[&["proofread", "kit.txt"], &THERE[..]].concat());
    let told = remarks(&answer);
    for expected in [
        "breaks malformed kit.txt:1 -",
        "breaks malformed kit.txt:2 -",
        "breaks directive kit.txt:4 -",
    ] {
        assert!(told.iter().any(|r| r == expected), "{told:#?}");
    }
    field.write("sub/more.txt", "firnio==1.3\n");
    let answer = field.json(1, &[&["proofread", "kit.txt"], &THERE[..]].concat());
    let told = remarks(&answer);
    assert!(
        told.iter().any(|r| r == "risk doubled kit.txt:3 firnio"),
        "{told:#?}"
    );
}

/// Without a file: the one that a question in this folder is read from.
#[test]
fn the_file_of_the_folder_is_read_where_none_is_named() {
    let field = Field::empty();
    let none = field.expect(2, &["proofread"]).err;
    assert!(none.contains("no file is named"), "{none}");
    field.write("requirements.txt", "firnio ==\n");
    let read = field.expect(1, &["proofread"]).out;
    assert!(read.contains("requirements.txt:1"), "{read}");
}

#[test]
fn what_another_line_brings_is_told_unless_it_says_more() {
    let field = Field::new();
    field.write("kit.txt", "radargram\nfirnio\nsastrugi\nfrostgrid<2\n");
    let answer = field.json(0, &[&["proofread", "kit.txt"], &THERE[..]].concat());
    let anyway: Vec<String> = remarks(&answer)
        .into_iter()
        .filter(|r| r.contains("needed-anyway"))
        .collect();
    // The one with a bound of its own says more than that it is there.
    assert_eq!(
        anyway,
        ["note needed-anyway kit.txt:2 firnio"],
        "{answer:#}"
    );
}

#[test]
fn where_a_line_has_no_file_the_places_that_have_one_are_told() {
    let field = Field::new();
    field.write("kit.txt", "seracnet\n");
    let target = "cpython 3.11 / linux ppc64le glibc 2.35";
    let text = field
        .expect(1, &["proofread", "kit.txt", "--target", target])
        .out;
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(text.contains("has wheels for"), "{text}");
}

/// On the network whoever bears nearly the name of another, and is young or has one release, is told
/// as that, and not offered.
#[test]
fn a_stranger_of_nearly_the_name_is_a_caution() {
    use crate::prove::project;
    let world = [
        project(
            "gustlib",
            &[
                ("1.0", "2020-01-01", "", &[]),
                ("1.1", "2020-06-01", "", &[]),
            ],
        ),
        project("gustlb", &[("1.0", "2020-01-01", "", &[])]),
    ];
    let depot = crate::field::depot_of(&world.concat());
    let server =
        eutaxis_demo::server::Server::start(depot.path(), eutaxis_demo::server::Trouble::default());
    let server = server.unwrap();
    let field = Field::at(&server);
    for arguments in [
        &["settle", "gustli"][..],
        &["shortlist", "gustli"],
        &["proofread", "kit.txt"],
    ] {
        field.write("kit.txt", "gustli\n");
        let ran = field.expect(1, arguments);
        let text = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(
            text.contains("gustlb is nearly that name, and has 1 release"),
            "{text}"
        );
        assert!(!text.contains("gustlib, gustlb"), "{text}");
    }
    let answer = field.json(1, &["shortlist", "gustli"]);
    assert_eq!(answer["nearest"], serde_json::json!(["gustlib"]));
    assert_eq!(answer["doubtful"], serde_json::json!(["gustlb"]));
    // On a disk of one's own nobody is a stranger.
    let near = Field::empty();
    near.name_depot(&depot.path().display().to_string());
    let answer = near.json(1, &["shortlist", "gustli"]);
    assert_eq!(answer["doubtful"], serde_json::json!([]));
}
