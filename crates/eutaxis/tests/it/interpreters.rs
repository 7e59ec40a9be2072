//! Every interpreter 3.8 to 3.13 that is here: settle, furnish, import, scripts, and what its own
//! library lists.

use std::path::PathBuf;

use crate::field::{Field, pins};

/// Interpreters on PATH and in the usual folders for several of them, one per series.
fn present() -> Vec<(String, PathBuf)> {
    let home = std::env::var("HOME").unwrap_or_default();
    let patterns = [
        format!("{home}/.*/versions/*/bin/python3"),
        "/opt/*/bin/python3".to_owned(),
        "/usr/bin/python3".to_owned(),
        "/usr/local/bin/python3".to_owned(),
    ];
    let mut found: Vec<(String, PathBuf)> = Vec::new();
    for path in patterns
        .iter()
        .flat_map(|p| glob::glob(p).unwrap().flatten())
    {
        let output = std::process::Command::new(&path)
            .args(["-c", "import sys; print('%d.%d' % sys.version_info[:2])"])
            .output();
        let Ok(series) = output.map(|o| String::from_utf8_lossy(&o.stdout).trim().to_owned())
        else {
            continue;
        };
        let wanted = ["3.8", "3.9", "3.10", "3.11", "3.12", "3.13"].contains(&series.as_str());
        if wanted && !found.iter().any(|(s, _)| *s == series) {
            found.push((series, path));
        }
    }
    found
}

#[test]
fn the_whole_way_works_on_every_interpreter_here() {
    let interpreters = present();
    assert!(
        !interpreters.is_empty(),
        "no CPython 3.8 to 3.13 was found on this machine"
    );
    for (series, python) in &interpreters {
        let field = Field::new();
        let python = python.display().to_string();
        let answer = field.json(
            0,
            &["settle", "--asks", "fieldkit.txt", "--interpreter", &python],
        );
        field.expect(0, &["furnish", "--interpreter", &python]);
        let seen = field.python(
            "import sys, json, importlib.metadata as m\nimport radargram, fieldlog, sastrugi, \
                icelens, hoarfrost, frostgrid\n\
             print('%d.%d' % sys.version_info[:2])\nprint(all(x.native for x in (radargram, \
             sastrugi, icelens, hoarfrost, frostgrid)))\n\
             print(json.dumps(sorted('%s %s' % (d.metadata['Name'], d.version) for d in \
             m.distributions())))\n\
             print([f.locate().exists() for d in m.distributions() for f in \
             d.files].count(False))\n\
             print(sorted(d.metadata['Name'] for d in m.distributions() if \
             d.read_text('REQUESTED') is not None))",
        );
        let lines: Vec<&str> = seen.out.lines().collect();
        let [version, native, listed, missing, requested] = lines.as_slice() else {
            panic!("{series}: {seen:?}")
        };
        assert_eq!(
            (*version, *native, *missing),
            (series.as_str(), "True", "0"),
            "{seen:?}"
        );
        let listed: Vec<String> = serde_json::from_str(listed).unwrap();
        assert_eq!(listed, pins(&answer), "{series}");
        assert!(
            requested.contains("radargram") && !requested.contains("frostgrid"),
            "{requested}"
        );
        for (script, words) in [
            ("radargram", "reads and focuses ice radar"),
            ("fieldlog", "the log book"),
        ] {
            let ran = crate::field::ran(
                std::process::Command::new(field.path(".venv/bin").join(script))
                    .output()
                    .unwrap(),
            );
            assert!(
                ran.code == 0 && ran.out.contains(words),
                "{series}: {ran:?}"
            );
        }
    }
}

/// A PATH with just these two interpreters, the first as `python3`.
fn path_of(field: &Field, first: &(String, PathBuf), second: &(String, PathBuf)) -> PathBuf {
    let bin = field.path("bin");
    std::fs::create_dir_all(&bin).unwrap();
    let link = |(_, python): &(String, PathBuf), name: &str| {
        std::os::unix::fs::symlink(std::fs::canonicalize(python).unwrap(), bin.join(name)).unwrap();
    };
    link(first, "python3");
    link(second, &format!("python{}", second.0));
    bin
}

/// One of these interpreters and an old one. On a machine without an older and a newer one there is
/// nothing to choose from.
fn new_and_old(new: &[&str]) -> Option<[(String, PathBuf); 2]> {
    let all = present();
    let find = |wanted: &[&str]| {
        all.iter()
            .find(|(series, _)| wanted.contains(&series.as_str()))
            .cloned()
    };
    Some([find(new)?, find(&["3.8", "3.9"])?])
}

/// Where none is named, the first interpreter that the asks and the project file allow is taken,
/// and said.
#[test]
fn the_interpreter_is_part_of_the_question() {
    let field = Field::new();
    let Some([new, old]) = new_and_old(&["3.10", "3.11", "3.12"]) else {
        return;
    };
    let bin = path_of(&field, &new, &old);
    let run = |arguments: &[&str]| {
        crate::field::ran(field.command(arguments).env("PATH", &bin).output().unwrap())
    };
    let taken = run(&["settle", "rimefall"]);
    assert_eq!(taken.code, 0, "{}{}", taken.out, taken.err);
    assert!(
        taken.out.contains(&format!("interpreter  {}.", old.0))
            && taken.out.contains("is taken: under"),
        "{}",
        taken.out
    );
    let named = run(&[
        "settle",
        "rimefall",
        "--interpreter",
        &new.0,
        "--out",
        "pylock.other.toml",
    ]);
    assert_eq!(
        named.code, 1,
        "one that is named is not exchanged: {}",
        named.out
    );
    field.write(
        "pyproject.toml",
        "[project]\nname = 'kit'\nversion = '1'\nrequires-python = '<3.10'\ndependencies = \
            ['katabat']\n",
    );
    let by_project = run(&["settle", "--json", "--out", "pylock.third.toml"]);
    let answer: serde_json::Value = serde_json::from_str(&by_project.out).unwrap();
    assert!(
        answer["interpreter"]["because"]
            .as_str()
            .unwrap()
            .contains("requires-python <3.10"),
        "{answer:#}"
    );
    assert!(
        answer["target"]
            .as_str()
            .unwrap()
            .starts_with(&format!("cpython {}.", old.0))
    );
    // The environment of this folder comes before the bare name.
    std::fs::remove_file(field.path("pyproject.toml")).unwrap();
    assert_eq!(run(&["furnish"]).code, 0);
    let inside = run(&["settle", "katabat", "--out", "pylock.fourth.toml"]);
    assert!(inside.out.contains(".venv/bin/python"), "{}", inside.out);
}

/// What is asked for as it was goes to an interpreter of its time, though the first would do; what
/// is not stays with the first.
#[test]
fn an_old_ask_goes_to_an_interpreter_of_its_time() {
    let field = Field::new();
    let Some([new, old]) = new_and_old(&["3.11", "3.12", "3.13"]) else {
        return;
    };
    let bin = path_of(&field, &new, &old);
    let run = |arguments: &[&str]| {
        let ran = crate::field::ran(field.command(arguments).env("PATH", &bin).output().unwrap());
        assert_eq!(ran.code, 0, "{arguments:?} {}{}", ran.out, ran.err);
        ran.out
    };
    let settle = |more: &[&str]| -> (String, String) {
        let out = run(&[&["settle", "--json"], more].concat());
        let answer: serde_json::Value = serde_json::from_str(&out).unwrap();
        let because = answer["interpreter"]["because"]
            .as_str()
            .unwrap_or_default()
            .to_owned();
        (
            answer["target"]
                .as_str()
                .unwrap()
                .split(' ')
                .nth(1)
                .unwrap_or_default()
                .to_owned(),
            because,
        )
    };
    let (version, because) = settle(&["firnio==1.0"]);
    assert!(version.starts_with(&old.0), "{version}: {because}");
    let told = "which comes first here, is of a series that began in 202";
    assert!(
        because.starts_with(&new.0) && because.contains(told),
        "{because}"
    );
    assert!(
        because.contains(", after the time of firnio 1.0 (20"),
        "{because}"
    );
    // Again over these pins it is the same one, for which they hold, and for which the environment
    // is made.
    assert_eq!(settle(&["firnio==1.0"]).0, version);
    run(&["settle", "firnio==1.0", "--check"]);
    run(&["furnish"]);
    let made = std::fs::read_to_string(field.path(".venv/pyvenv.cfg")).unwrap();
    assert!(made.contains(&version), "{made}");
    std::fs::remove_dir_all(field.path(".venv")).unwrap();
    // Where dates have no part, where nothing old is asked for, or where pins for the first are
    // there, it is the first.
    for more in [
        &[
            "firnio==1.0",
            "--chronology",
            "caution",
            "--out",
            "pylock.a.toml",
        ][..],
        &["firnio", "--out", "pylock.b.toml"],
    ] {
        assert!(settle(more).0.starts_with(&new.0), "{more:?}");
    }
    assert!(
        settle(&["firnio==1.0", "--out", "pylock.b.toml"])
            .0
            .starts_with(&new.0)
    );
}

/// What is computed for each interpreter agrees with what its own standard library says, asked in
/// other words.
#[test]
fn platform_facts_agree_with_the_interpreters_own_library() {
    const ASK: &str = "import json, os, platform, sys, sysconfig\n\
        from importlib import machinery\n\
        libc = os.confstr('CS_GNU_LIBC_VERSION') if hasattr(os, 'confstr') and sys.platform == \
        'linux' else None\n\
        print(json.dumps([platform.python_version(), platform.machine(), sys.maxsize > 2 ** 32, \
        libc,\n\
        machinery.EXTENSION_SUFFIXES[0], sysconfig.get_platform(), platform.system()]))";
    let field = Field::new();
    let all = present();
    assert!(!all.is_empty());
    for (series, python) in &all {
        let output = std::process::Command::new(python)
            .args(["-c", ASK])
            .output()
            .unwrap();
        let said: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
        let text = |i: usize| said[i].as_str().unwrap_or_default().to_owned();
        let answer = field.json(
            0,
            &[
                "survey",
                "--interpreter",
                &python.display().to_string(),
                "--tags",
            ],
        );
        let one = &answer["interpreters"][0];
        assert_eq!(one["version"], text(0), "{series}");
        assert_eq!(one["platform"], text(5), "{series}");
        assert_eq!(answer["machine"]["kernel_arch"], text(1), "{series}");
        assert_eq!(
            answer["machine"]["bits"],
            if said[2] == true { 64 } else { 32 },
            "{series}"
        );
        if let Some(version) = text(3).strip_prefix("glibc ") {
            assert_eq!(
                answer["machine"]["libc"],
                serde_json::json!({"name": "glibc", "version": version}),
                "{series}"
            );
        }
        // `.cpython-312-x86_64-linux-gnu.so` is the file of the ABI that is ranked first: cp312.
        let abi = one["abi"].as_str().unwrap().trim_start_matches("cp");
        assert!(
            text(4).starts_with(&format!(".cpython-{abi}")),
            "{series}: {} {abi}",
            text(4)
        );
        let first = answer["tags"][0].as_str().unwrap();
        let digits = series.replace('.', "");
        assert!(
            first.starts_with(&format!("cp{digits}-cp{digits}")),
            "{first}"
        );
        // Markers: each of these holds exactly when the interpreter says so.
        let marker = format!(
            "katabat; platform_system == '{}' and python_full_version == '{}' and platform_machine \
                == '{}'",
            text(6),
            text(0),
            text(1)
        );
        let settled = field.json(
            0,
            &[
                "settle",
                &marker,
                "snowpit",
                "--interpreter",
                &python.display().to_string(),
                "--out",
                "pylock.m.toml",
            ],
        );
        assert!(
            pins(&settled).iter().any(|p| p.starts_with("katabat")),
            "{series}: {marker}"
        );
    }
}
