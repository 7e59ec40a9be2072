//! `furnish`: new environments, updates, refusals; links, scripts, sharing.

use std::os::unix::fs::MetadataExt;
use std::process::Command;

use crate::field::{Field, ran};

#[test]
fn a_second_run_changes_nothing() {
    let field = Field::new();
    field.expect(0, &["settle", "--asks", "fieldkit.txt"]);
    let first = field.json(0, &["furnish"]);
    assert_eq!(
        first["placed"].as_array().unwrap().len(),
        first["placed"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|p| !p["file"].is_null())
            .count()
    );
    let inode = std::fs::metadata(field.path(".venv")).unwrap().ino();
    let second = field.json(0, &["furnish"]);
    assert_eq!(second["placed"], serde_json::json!([]));
    assert_eq!(
        second["kept"].as_array().unwrap().len(),
        first["placed"].as_array().unwrap().len()
    );
    assert_eq!(std::fs::metadata(field.path(".venv")).unwrap().ino(), inode);
}

#[test]
fn a_second_environment_shares_its_bytes() {
    let field = Field::new();
    field.expect(0, &["settle", "hoarfrost"]);
    field.expect(0, &["furnish"]);
    let other = field.json(0, &["furnish", "--at", "other", "--link", "hard"]);
    assert_eq!(other["bytes"]["fetched"], 0);
    let site = |at: &str| {
        glob::glob(
            &field
                .path(&format!(
                    "{at}/lib/python*/site-packages/hoarfrost/__init__.py"
                ))
                .display()
                .to_string(),
        )
        .unwrap()
        .next()
        .unwrap()
        .unwrap()
    };
    let metadata = std::fs::metadata(site("other")).unwrap();
    assert!(
        metadata.nlink() > 1 && metadata.mode() & 0o222 == 0,
        "a hard link with the store, read-only"
    );
    field.expect(0, &["furnish", "--at", "copied", "--link", "copy"]);
    let metadata = std::fs::metadata(site("copied")).unwrap();
    assert!(
        metadata.nlink() == 1 && metadata.mode() & 0o200 != 0,
        "a copy of its own, writable"
    );
}

#[test]
fn updates_replace_what_moved_and_keep_the_rest() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit==2.1", "katabat==0.4", "tarnlog"]);
    field.expect(0, &["furnish"]);
    field.write(".venv/notes.txt", "mine");
    field.expect(0, &["settle", "snowpit", "katabat==0.4", "--renew"]);
    let report = field.json(0, &["furnish"]);
    assert_eq!(
        report["replaced"],
        serde_json::json!([{"name": "snowpit", "before": "2.1", "after": "2.2", "file": "snowpit-2.2-py3-none-any.whl"}])
    );
    assert_eq!(
        (&report["kept"], &report["removed"]),
        (&serde_json::json!(["katabat"]), &serde_json::json!([]))
    );
    assert_eq!(report["unpinned"][0]["name"], "tarnlog");
    let listed = "import importlib.metadata as m; print(sorted(d.metadata['Name'] + d.version for \
        d in m.distributions()))";
    assert_eq!(
        field.python(listed).out,
        "['katabat0.4', 'snowpit2.2', 'tarnlog1.0']\n"
    );
    let tidied = field.json(0, &["furnish", "--tidy"]);
    assert_eq!(
        tidied["removed"],
        serde_json::json!([{"name": "tarnlog", "version": "1.0"}])
    );
    assert_eq!(field.python("import tarnlog").code, 1);
    assert_eq!(
        field.read(".venv/notes.txt"),
        "mine",
        "files that nobody owns stay"
    );
    assert_eq!(field.python(listed).out, "['katabat0.4', 'snowpit2.2']\n");
}

#[test]
fn a_project_that_lost_a_file_is_placed_again() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    field.expect(0, &["furnish"]);
    let module = glob::glob(
        &field
            .path(".venv/lib/python*/site-packages/snowpit/__init__.py")
            .display()
            .to_string(),
    )
    .unwrap()
    .next()
    .unwrap()
    .unwrap();
    std::fs::remove_file(&module).unwrap();
    field.expect(0, &["furnish"]);
    assert_eq!(field.python("import snowpit").code, 0);
}

#[test]
fn an_edit_cannot_stay_in_the_store() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    field.expect(0, &["furnish", "--link", "hard"]);
    let module = glob::glob(
        &field
            .path("cache/store-1/*/*/files/snowpit/__init__.py")
            .display()
            .to_string(),
    )
    .unwrap()
    .next()
    .unwrap()
    .unwrap();
    // The administrator may write to read-only files.
    let mut permissions = std::fs::metadata(&module).unwrap().permissions();
    std::os::unix::fs::PermissionsExt::set_mode(&mut permissions, 0o644);
    std::fs::set_permissions(&module, permissions).unwrap();
    std::fs::write(&module, "raise SystemExit(7)\n").unwrap();
    std::fs::remove_dir_all(field.path(".venv")).unwrap();
    field.expect(0, &["furnish"]);
    assert_eq!(
        field
            .python("import snowpit; print(snowpit.__version__)")
            .out,
        "2.2\n"
    );
}

#[test]
fn paths_with_spaces_quotes_and_other_letters_work() {
    let field = Field::new();
    field.expect(0, &["settle", "verglas-tools"]);
    let long = "x".repeat(120);
    for place in ["it's my env", "\u{42d}\u{43d}\u{432} \u{2603}", &long] {
        field.expect(0, &["furnish", "--at", place]);
        let script = ran(Command::new(field.path(place).join("bin/verglas"))
            .output()
            .unwrap());
        assert!(
            script.out.starts_with("verglas_tools 1.0"),
            "{place}: {script:?}"
        );
        let entered = ran(Command::new("sh")
            .args([
                "-c",
                ". \"$1/bin/activate\" && python -c 'import sys; print(sys.prefix)' && deactivate",
                "sh",
            ])
            .arg(field.path(place))
            .output()
            .unwrap());
        assert!(entered.out.trim().ends_with(place), "{entered:?}");
    }
}

#[test]
fn the_system_can_be_shared() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit"]);
    field.expect(0, &["furnish"]);
    assert!(
        field
            .read(".venv/pyvenv.cfg")
            .contains("include-system-site-packages = false")
    );
    field.expect(0, &["furnish", "--share-system"]);
    assert!(
        field
            .read(".venv/pyvenv.cfg")
            .contains("include-system-site-packages = true")
    );
    assert_eq!(field.python("import snowpit").code, 0);
}

#[test]
fn two_runs_on_one_place_wait_for_each_other() {
    let field = Field::new();
    field.expect(0, &["settle", "--asks", "fieldkit.txt"]);
    let spawn = || {
        field
            .command(&["furnish"])
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap()
    };
    let runs: Vec<_> = (0..4).map(|_| spawn()).collect();
    let done: Vec<_> = runs
        .into_iter()
        .map(|r| ran(r.wait_with_output().unwrap()))
        .collect();
    assert!(done.iter().all(|r| r.code == 0), "{done:?}");
    assert_eq!(done.iter().filter(|r| r.out.starts_with("Made")).count(), 1);
    assert_eq!(field.python("import radargram").code, 0);
}

#[test]
fn markers_extras_and_groups_of_any_lock_count() {
    let field = Field::new();
    field.expect(0, &["settle", "snowpit", "katabat"]);
    let lock = field.read("pylock.toml");
    let marked = lock.replacen(
        "name = \"katabat\"\n",
        "name = \"katabat\"\nmarker = \"'wind' in extras\"\n",
        1,
    );
    field.write(
        "pylock.field.toml",
        &marked.replacen("created-by", "extras = [\"wind\"]\ncreated-by", 1),
    );
    let plain = field.json(0, &["furnish", "pylock.field.toml", "--at", ".venv"]);
    assert_eq!(plain["placed"].as_array().unwrap().len(), 1);
    let with = field.json(
        0,
        &[
            "furnish",
            "pylock.field.toml",
            "--at",
            ".venv",
            "--extra",
            "wind",
        ],
    );
    assert_eq!(with["placed"][0]["name"], "katabat");
    field.expect(
        2,
        &[
            "furnish",
            "pylock.field.toml",
            "--at",
            ".venv",
            "--extra",
            "snow",
        ],
    );
}

/// A folder `wheels` with made-up wheels: name, version, files.
fn wheels(field: &Field, list: &[(&str, &[(&str, &str)])]) {
    std::fs::create_dir_all(field.path("wheels")).unwrap();
    for (name, files) in list {
        let metadata = format!("Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n");
        let mut all = vec![(
            format!("{name}-1.0.dist-info/METADATA"),
            metadata.into_bytes(),
        )];
        all.extend(
            files
                .iter()
                .map(|(path, text)| ((*path).to_owned(), text.as_bytes().to_vec())),
        );
        let wheel = eutaxis_demo::Wheel {
            name: (*name).into(),
            version: "1.0".into(),
            tags: "py3-none-any".into(),
            files: all,
        };
        std::fs::write(
            field.path("wheels").join(wheel.filename()),
            eutaxis_demo::write_wheel(&wheel).unwrap(),
        )
        .unwrap();
    }
}

#[test]
fn folders_of_data_go_where_the_standard_says() {
    let field = Field::empty();
    let files = [
        ("drill-1.0.data/purelib/drill/__init__.py", "x = 1\n"),
        ("drill-1.0.data/platlib/drill/more.py", "y = 2\n"),
        (
            "drill-1.0.data/scripts/drill",
            "#!python\nimport drill.more; print(drill.x + drill.more.y)\n",
        ),
        ("drill-1.0.data/scripts/drill.sh", "#!/bin/sh\necho plain\n"),
        ("drill-1.0.data/data/share/drill/notes.txt", "deep\n"),
        ("drill-1.0.data/headers/drill.h", "/* */\n"),
    ];
    wheels(&field, &[("drill", &files)]);
    field.expect(0, &["settle", "drill", "--depot", "wheels"]);
    field.expect(0, &["furnish"]);
    let script = |name: &str| {
        ran(Command::new(field.path(".venv/bin").join(name))
            .output()
            .unwrap())
        .out
    };
    assert_eq!(
        (script("drill"), script("drill.sh")),
        ("3\n".to_owned(), "plain\n".to_owned())
    );
    assert_eq!(field.read(".venv/share/drill/notes.txt"), "deep\n");
    let header = glob::glob(
        &field
            .path(".venv/include/site/python3*/drill/drill.h")
            .display()
            .to_string(),
    )
    .unwrap()
    .count();
    assert_eq!(header, 1);
    let listed = field.python(
        "import importlib.metadata as m; print(all(f.locate().exists() for f in \
            m.distribution('drill').files), len(m.distribution('drill').files) > 9)",
    );
    assert_eq!(listed.out, "True True\n");
    field.expect(
        0,
        &[
            "settle",
            "drill",
            "--depot",
            "wheels",
            "--out",
            "pylock.none.toml",
        ],
    );
    field.write(
        "pylock.none.toml",
        "lock-version = '1.0'\ncreated-by = 'x'\npackages = []\n",
    );
    field.expect(
        0,
        &["furnish", "pylock.none.toml", "--at", ".venv", "--tidy"],
    );
    assert!(!field.path(".venv/share").exists() && !field.path(".venv/bin/drill").exists());
    assert_eq!(field.python("print('still here')").out, "still here\n");
}

#[test]
fn wheels_that_bring_one_path_or_what_is_not_theirs() {
    let field = Field::empty();
    wheels(
        &field,
        &[
            ("one", &[("shared/a.txt", "same\n"), ("one.py", "")]),
            ("two", &[("shared/a.txt", "same\n"), ("two.py", "")]),
            ("three", &[("shared/a.txt", "other\n")]),
            (
                "evil",
                &[("evil-1.0.data/data/pyvenv.cfg", "home = /tmp\n")],
            ),
            (
                "worse",
                &[("worse-1.0.data/scripts/python3", "#!/bin/sh\n")],
            ),
            ("odd", &[("odd-1.0.data/strange/x", "")]),
        ],
    );
    let furnish = |names: &[&str], code: i32| {
        field.expect(
            0,
            &[
                &["settle", "--depot", "wheels", "--out", "pylock.x.toml"],
                names,
            ]
            .concat(),
        );
        field.expect(code, &["furnish", "pylock.x.toml", "--at", ".venv"])
    };
    assert!(
        furnish(&["one", "three"], 3)
            .err
            .contains("one and three both bring")
    );
    assert!(furnish(&["evil"], 3).err.contains("pyvenv.cfg"));
    assert!(furnish(&["worse"], 3).err.contains("bin/python3"));
    assert!(
        furnish(&["odd"], 3)
            .err
            .contains("`strange` is not a folder of .data")
    );
    assert!(!field.path(".venv").exists());
    furnish(&["one", "two"], 0);
    assert!(
        furnish(&["one", "two", "three"], 3)
            .err
            .contains("shared/a.txt")
    );
    assert_eq!(field.python("import one, two").code, 0);
    field.expect(
        0,
        &[
            "settle",
            "--depot",
            "wheels",
            "--out",
            "pylock.x.toml",
            "two",
        ],
    );
    field.expect(0, &["furnish", "pylock.x.toml", "--at", ".venv", "--tidy"]);
    let left = glob::glob(
        &field
            .path(".venv/lib/python3*/site-packages/shared/a.txt")
            .display()
            .to_string(),
    )
    .unwrap()
    .count();
    assert_eq!(
        (left, field.python("import one").code),
        (1, 1),
        "what a project that stays brings too is not removed"
    );
}

#[test]
fn several_pins_make_an_environment_each_and_share_their_bytes() {
    let field = Field::new();
    field.expect(0, &["settle", "radargram", "--out", "pylock.one.toml"]);
    field.expect(
        0,
        &["settle", "radargram", "snowpit", "--out", "pylock.two.toml"],
    );
    let answer = field.json(
        0,
        &[
            "furnish",
            "pylock.one.toml",
            "pylock.two.toml",
            "--at",
            "envs",
        ],
    );
    let made = answer["environments"].as_array().unwrap();
    let bytes = |i: usize, key: &str| made[i]["bytes"][key].as_u64().unwrap();
    assert!(
        bytes(1, "added") < bytes(0, "added"),
        "the second one costs links: {answer:#}"
    );
    assert!(bytes(1, "shared") > 0);
    for name in ["one", "two"] {
        assert!(field.path(&format!("envs/{name}/bin/python")).exists());
    }
    field.expect(0, &["furnish", "pylock.one.toml", "pylock.two.toml"]);
    assert!(
        field.path(".venv-one/pyvenv.cfg").exists() && field.path(".venv-two/pyvenv.cfg").exists()
    );
    // Nothing is made when one of them cannot be, or two would be one.
    field.write("pylock.bad.toml", "lock-version = 1");
    field.expect(
        2,
        &[
            "furnish",
            "pylock.one.toml",
            "pylock.bad.toml",
            "--at",
            "fresh",
        ],
    );
    std::fs::create_dir(field.path("sub")).unwrap();
    std::fs::copy(
        field.path("pylock.one.toml"),
        field.path("sub/pylock.one.toml"),
    )
    .unwrap();
    let twice = field.expect(
        2,
        &[
            "furnish",
            "pylock.one.toml",
            "sub/pylock.one.toml",
            "--at",
            "fresh",
        ],
    );
    assert!(
        twice.err.contains("two of the pins would make fresh/one"),
        "{}",
        twice.err
    );
    assert!(!field.path("fresh").exists());
}
