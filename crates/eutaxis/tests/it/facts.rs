//! Facts are fetched when they can change the answer, within limits that are told; and what is
//! there is read.

use std::io::{BufRead, BufReader};
use std::process::Stdio;
use std::time::Duration;

use eutaxis_demo::server::{Server, Trouble};
use rstest::rstest;
use serde_json::json;

use crate::field::{Field, change_page, depot_of, pins, project};

fn served(description: &str, trouble: Trouble) -> (Server, tempfile::TempDir) {
    let depot = depot_of(description);
    (Server::start(depot.path(), trouble).unwrap(), depot)
}

/// Two asks that exclude each other by what their wheels say, and a project with many releases of
/// which only archives tell.
fn contested() -> String {
    let versions: Vec<String> = (1..=150).map(|i| format!("1.{i}")).collect();
    let versions: Vec<&str> = versions.iter().map(String::as_str).collect();
    let source = project("glacierlib", &versions, "").replace("pure = true", "sdist = true");
    let mut all = project("mirefall", &["1.0", "2.0"], "");
    all.push_str(&project("upperlog", &["1.0"], "\"mirefall>=2\""));
    all.push_str(&project("lowerlog", &["1.0"], "\"mirefall<2\""));
    all + &source
}

#[test]
fn a_clash_that_cheap_facts_show_fetches_no_archive() {
    let (server, _depot) = served(
        &contested(),
        Trouble {
            no_sidecars: true,
            ..Trouble::default()
        },
    );
    let field = Field::at(&server);
    let ran = field.expect(
        1,
        &[
            "settle",
            "glacierlib",
            "upperlog",
            "lowerlog",
            "--target",
            "office-mac",
        ],
    );
    assert!(
        ran.out.contains("4 facts clash") && ran.out.contains("mirefall >=2"),
        "{}",
        ran.out
    );
    let before_ways = |path: &str| path.ends_with(".tar.gz");
    let seen = server.take_seen();
    // Ways out that take a release of it must know what that needs: its newest, and no other.
    let archives: Vec<&str> = seen
        .iter()
        .map(|s| s.path.as_str())
        .filter(|p| before_ways(p))
        .collect();
    assert!(
        archives.iter().all(|p| p.contains("1.150")) && archives.len() <= 1,
        "{archives:?}"
    );
    assert!(seen.len() < 20, "{} requests", seen.len());
}

#[test]
fn a_clash_is_told_before_the_ways_out_are_known() {
    let trouble = Trouble {
        no_sidecars: true,
        latency: Duration::from_millis(150),
        ..Trouble::default()
    };
    let (server, _depot) = served(&contested(), trouble);
    let field = Field::at(&server);
    let mut command = field.command(&[
        "settle",
        "glacierlib",
        "upperlog",
        "lowerlog",
        "--target",
        "office-mac",
    ]);
    let mut child = command
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let first = lines.next().unwrap().unwrap();
    assert!(
        first.starts_with("Cannot be settled for office-mac: 4 facts clash."),
        "{first}"
    );
    assert!(
        !server
            .take_seen()
            .iter()
            .any(|s| s.path.ends_with(".tar.gz")),
        "the ways out are still looked for"
    );
    let rest: Vec<String> = lines.map(Result::unwrap).collect();
    assert!(rest.iter().any(|l| l.starts_with("ways out")), "{rest:?}");
    assert_eq!(child.wait().unwrap().code(), Some(1));
}

/// A host that gives files whole, and no metadata beside them.
fn whole_only() -> Trouble {
    Trouble {
        no_sidecars: true,
        no_ranges: true,
        ..Trouble::default()
    }
}

#[test]
fn what_costs_too_much_to_learn_is_told_and_can_be_permitted() {
    let (server, _depot) = served(&project("snowberm", &["1.0", "2.0"], ""), whole_only());
    let field = Field::at(&server);
    let limited = ["--fetch-limit", "500b", "--target", "office-mac"];
    for _ in 0..2 {
        let answer = field.json(1, &[&["settle", "snowberm"], &limited[..]].concat());
        let fact = &answer["clash"]["facts"][1];
        assert_eq!(fact["kind"], "unknown");
        let text = fact["text"].as_str().unwrap();
        assert!(
            text.contains("what 2.0 needs is not known: learning it means fetching")
                && text.contains("--fetch-limit"),
            "{text}"
        );
        let listed = field.json(1, &[&["shortlist", "snowberm"], &limited[..]].concat());
        assert_eq!(listed["offers"][0]["bars"][0]["kind"], "unknown");
        assert!(field.names().is_empty(), "nothing is written");
        // What is in the cache by then changes nothing.
        field.expect(
            0,
            &[
                "settle",
                "snowberm",
                "--target",
                "office-mac",
                "--out",
                "cache/pylock.x.toml",
            ],
        );
    }
    field.write(
        "eutaxis.toml",
        &field
            .read("eutaxis.toml")
            .replace("timeout = 1", "timeout = 1\nfetch-limit = \"500B\""),
    );
    field.expect(1, &["settle", "snowberm", "--target", "office-mac"]);
    field.expect(
        0,
        &[
            "settle",
            "snowberm",
            "--target",
            "office-mac",
            "--fetch-limit",
            "1MB",
        ],
    );
    let ran = field.expect(2, &["settle", "snowberm", "--fetch-limit", "much"]);
    assert!(ran.err.contains("`much` is no size"), "{}", ran.err);
}

#[test]
fn a_run_that_would_fetch_too_much_says_no() {
    let names: Vec<String> = (0..30).map(|i| format!("snow{i}")).collect();
    let world: String = names.iter().map(|n| project(n, &["1.0"], "")).collect();
    let (server, _depot) = served(&world, whole_only());
    let field = Field::at(&server);
    let mut arguments = vec!["settle"];
    arguments.extend(names.iter().map(String::as_str));
    // Eight times that for all of it, pages counted.
    arguments.extend(["--fetch-limit", "2kB", "--target", "office-mac"]);
    let answer = field.json(1, &arguments);
    assert_eq!(answer["error"]["kind"], "budget");
    let message = answer["error"]["message"].as_str().unwrap();
    assert!(message.contains("16 kB that a run may"), "{message}");
    let help = answer["error"]["help"].as_str().unwrap();
    assert!(
        field.names().is_empty() && help.contains("--fetch-limit 20MB"),
        "{help}"
    );
    // What it tells to do, does it.
    let limit = arguments.iter().position(|a| *a == "2kB").unwrap();
    arguments[limit] = "20MB";
    field.expect(0, &arguments);
}

#[rstest]
#[case::quarantined(json!({"files": [], "project-status": {"status": "quarantined", "reason": "taken over"}}), "quarantined",
    "is quarantined by its depot: \"taken over\", and no file of it is served")]
#[case::other_kinds(json!({"files": [{"filename": "snowberm-1.0.exe", "url": "x"}]}), "absent",
    "lists one file, which cannot be used (snowberm-1.0.exe: its kind is not one that can be \
        placed)")]
#[case::nothing(json!({"files": []}), "absent", "the page of snowberm lists no file")]
fn a_page_without_files_says_why(
    #[case] page: serde_json::Value,
    #[case] kind: &str,
    #[case] words: &str,
) {
    let (server, depot) = served(&project("snowberm", &["1.0"], ""), Trouble::default());
    change_page(depot.path(), "snowberm", |old| *old = page.clone());
    let field = Field::at(&server);
    let answer = field.json(1, &["settle", "snowberm", "--target", "office-mac"]);
    let fact = &answer["clash"]["facts"][1];
    assert_eq!(fact["kind"], kind);
    assert!(fact["text"].as_str().unwrap().contains(words), "{fact}");
    assert_eq!(answer["absent"], json!([]), "its name is right");
    let listed = field.expect(1, &["shortlist", "snowberm", "--target", "office-mac"]);
    let flat = listed.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.contains(words), "{}", listed.out);
}

#[test]
fn a_page_that_asks_to_log_in_is_told() {
    let (server, depot) = served(
        &project("snowberm", &["1.0"], ""),
        Trouble {
            html_only: true,
            ..Trouble::default()
        },
    );
    std::fs::write(
        depot.path().join("snowberm/index.html"),
        "<h1>Hut network</h1><form>name</form>",
    )
    .unwrap();
    let ran = Field::at(&server).expect(1, &["settle", "snowberm", "--target", "office-mac"]);
    assert!(
        ran.out.contains("as a page that asks to log in does"),
        "{}",
        ran.out
    );
}

#[test]
fn files_of_a_quarantined_project_are_barred_unless_the_user_takes_them() {
    let (server, depot) = served(&project("snowberm", &["1.0"], ""), Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &["settle", "snowberm"]);
    change_page(depot.path(), "snowberm", |page| {
        page["project-status"] = json!({"status": "quarantined"})
    });
    std::fs::remove_dir_all(field.path("cache")).unwrap();
    let ran = field.expect(0, &["furnish"]);
    assert!(
        ran.err
            .contains("snowberm 1.0 is pinned, and its depot has quarantined the project"),
        "{}",
        ran.err
    );
    let answer = field.json(1, &["settle", "snowberm", "--out", "pylock.new.toml"]);
    assert_eq!(answer["clash"]["facts"][1]["kind"], "quarantined");
    let adjust = "\n[[adjust]]\nproject = \"snowberm\"\nversions = \"==1.0\"\ntake = \
        true\nbecause = \"looked at\"\n";
    field.write("eutaxis.toml", &(field.read("eutaxis.toml") + adjust));
    let answer = field.json(0, &["settle", "snowberm", "--out", "pylock.new.toml"]);
    assert_eq!(pins(&answer), ["snowberm 1.0"]);
}

#[test]
fn a_pin_that_was_yanked_since_is_told_by_furnish() {
    let (server, depot) = served(&project("snowberm", &["1.0"], ""), Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &["settle", "snowberm"]);
    change_page(depot.path(), "snowberm", |page| {
        page["files"][0]["yanked"] = json!("wrong units")
    });
    std::fs::remove_dir_all(field.path("cache")).unwrap();
    let ran = field.expect(0, &["furnish"]);
    assert!(
        ran.err
            .contains("snowberm 1.0 is pinned, and was yanked since: \"wrong units\""),
        "{}",
        ran.err
    );
}

#[test]
fn a_need_that_cannot_be_read_is_quoted_and_can_be_replaced() {
    let world = project(
        "snowberm",
        &["1.0"],
        "\"somezone (>=2011k)\", \"katabat (>=x); extra == 'tz'\"",
    ) + &project("somezone", &["1.0", "2.0"], "");
    let (server, _depot) = served(&world, Trouble::default());
    let field = Field::at(&server);
    let answer = field.json(0, &["settle", "snowberm", "--target", "office-mac"]);
    assert_eq!(pins(&answer), ["snowberm 1.0", "somezone 2.0"]);
    let cautions = answer["cautions"].to_string();
    assert!(
        cautions.contains("needs `somezone (>=2011k)`, which cannot be read"),
        "{cautions}"
    );
    assert!(
        !cautions.contains("katabat"),
        "nobody asked for that extra: {cautions}"
    );
    for (needs, expected) in [
        ("\"somezone<2\"", &["snowberm 1.0", "somezone 1.0"][..]),
        ("[]", &["snowberm 1.0"]),
    ] {
        let adjust = format!(
            "\n[[adjust]]\nproject = \"snowberm\"\nneeds = {needs}\nbecause = \"read by hand\"\n"
        );
        let settings = field.read("eutaxis.toml");
        field.write("eutaxis.toml", &(settings.clone() + &adjust));
        let answer = field.json(
            0,
            &[
                "settle",
                "snowberm",
                "--target",
                "office-mac",
                "--renew",
                "--out",
                "pylock.new.toml",
            ],
        );
        assert_eq!(pins(&answer), expected);
        assert!(
            !answer["cautions"].to_string().contains("2011k"),
            "{answer}"
        );
        field.write("eutaxis.toml", &settings);
    }
}

#[test]
fn the_user_can_say_that_a_source_distribution_needs_nothing() {
    let world = project("snowberm", &["1.0"], "").replace("pure = true", "sdist = true");
    let (server, depot) = served(
        &world,
        Trouble {
            no_sidecars: true,
            ..Trouble::default()
        },
    );
    // An archive that says nothing: only building would tell.
    std::fs::write(
        depot.path().join("snowberm/snowberm-1.0.tar.gz"),
        [0x1f, 0x8b],
    )
    .unwrap();
    change_page(depot.path(), "snowberm", |page| {
        (page["files"][0]["hashes"], page["files"][0]["size"]) = (json!({}), json!(null));
    });
    let field = Field::at(&server);
    field.expect(1, &["settle", "snowberm", "--target", "office-mac"]);
    let adjust = "\n[[adjust]]\nproject = \"snowberm\"\nneeds = []\nbecause = \"plain C\"\n";
    field.write("eutaxis.toml", &(field.read("eutaxis.toml") + adjust));
    assert_eq!(
        pins(&field.json(0, &["settle", "snowberm", "--target", "office-mac"])),
        ["snowberm 1.0"]
    );
}

#[test]
fn projects_that_bring_one_path_are_told_where_their_files_are_known() {
    let world = project("snowberm", &["1.0"], "") + &project("snow-bank-tools", &["1.0"], "");
    let depot = depot_of(&world);
    // The same module in both.
    for name in ["snowberm", "snow-bank-tools"] {
        let file = format!("{}-1.0-py3-none-any.whl", name.replace('-', "_"));
        let path = depot.path().join(name).join(file);
        let mut zip = zip::ZipWriter::new_append(
            std::fs::File::options()
                .read(true)
                .write(true)
                .open(&path)
                .unwrap(),
        )
        .unwrap();
        zip.start_file("snowcommon.py", zip::write::SimpleFileOptions::default())
            .unwrap();
        std::io::Write::write_all(&mut zip, name.as_bytes()).unwrap();
        zip.finish().unwrap();
        change_page(depot.path(), name, |page| {
            page["files"][0]["hashes"] = json!({})
        });
    }
    let field = Field::empty();
    let depot = depot.path().display().to_string();
    let answer = field.json(
        0,
        &["settle", "snowberm", "snow-bank-tools", "--depot", &depot],
    );
    let cautions = answer["cautions"].to_string();
    assert!(
        cautions.contains("snow-bank-tools and snowberm both bring snowcommon.py"),
        "{cautions}"
    );
}

#[test]
#[cfg(target_os = "linux")]
fn too_little_room_is_told_before_the_first_byte() {
    let (server, depot) = served(&project("snowberm", &["1.0"], ""), Trouble::default());
    change_page(depot.path(), "snowberm", |page| {
        page["files"][0]["size"] = json!(30_000_000)
    });
    let field = Field::at(&server);
    field.expect(0, &["settle", "snowberm"]);
    server.take_seen();
    // In namespaces of its own, so that nothing of this machine is changed; where they are not to
    // be had there is nothing to try.
    let line = "mkdir small && mount -t tmpfs -o size=1m tmpfs small && exec \"$0\" gather --into \
        small/stick";
    let inner = field.command(&[]);
    let mut command = std::process::Command::new("unshare");
    command
        .args(["-rm", "/bin/sh", "-c", line])
        .arg(inner.get_program())
        .current_dir(field.path("."));
    command
        .env("EUTAXIS_CACHE", field.path("cache"))
        .env("HOME", field.path("."));
    let Some(ran) = command
        .output()
        .ok()
        .map(crate::field::ran)
        .filter(|r| r.code == 3 || r.err.contains("gathered"))
    else {
        return;
    };
    assert!(
        ran.err.contains("would take 30 MB in") && ran.err.contains("nothing was fetched"),
        "{ran:?}"
    );
    assert!(!server.take_seen().iter().any(|s| s.path.ends_with(".whl")));
}

/// What was learnt before, and what lies in the cache, changes no answer.
#[rstest]
#[case::settled(&["settle", "--asks", "fieldkit.txt", "--target", "base-camp"])]
#[case::source(&["settle", "moulin>5", "icelens", "--target", "office-mac"])]
#[case::a_clash(&["settle", "seracnet>=2", "sastrugi==0.8.1", "moulin>5", "--target", "base-camp"])]
#[case::several(&["settle", "--asks", "fieldkit.txt", "--target", "base-camp", "--target", "ridge-logger"])]
fn a_full_cache_and_an_empty_one_give_one_answer(#[case] arguments: &[&str]) {
    for trouble in [
        Trouble::default(),
        Trouble {
            no_sidecars: true,
            ..Trouble::default()
        },
        whole_only(),
    ] {
        let server = crate::field::server(trouble);
        let answer = |field: &Field| {
            let ran = field.run(&[arguments, &["--json"]].concat());
            field
                .names()
                .iter()
                .for_each(|name| std::fs::remove_file(field.path(name)).unwrap());
            (ran.code, ran.out)
        };
        let (warm, cold) = (Field::at(&server), Field::at(&server));
        let first = answer(&warm);
        // Everything else that can be learnt is in the cache by then.
        for other in ["radargram", "moulin", "icelens", "seracnet"] {
            warm.run(&[
                "settle",
                other,
                "--target",
                "office-mac",
                "--out",
                "cache/pylock.x.toml",
            ]);
        }
        assert_eq!(answer(&warm), first);
        assert_eq!(answer(&cold), first);
    }
}
