//! Facts and files are believed only from where they may come, and secrets go only where they
//! belong.

use std::process::Stdio;

use eutaxis_demo::server::{Server, Trouble};
use rstest::rstest;
use serde_json::json;

use crate::field::{Field, Ran, change_page, depot_of, pins, project, ran, server};
use crate::network::secure;

fn run_with(field: &Field, certificate: &str, arguments: &[&str]) -> Ran {
    field.write("ca.pem", certificate);
    let mut command = field.command(arguments);
    command
        .env_remove("SSL_CERT_DIR")
        .env("SSL_CERT_FILE", "ca.pem");
    ran(command.output().unwrap())
}

fn over_tls(server: &Server) -> String {
    server.url().replace("http://", "https://")
}

/// Metadata beside a file that is not that of the file, and says so with its own right hash.
fn lie(depot: &std::path::Path, needs: &str) {
    let text = format!("Metadata-Version: 2.1\nName: snowberm\nVersion: 1.0\n{needs}");
    std::fs::write(
        depot.join("snowberm/snowberm-1.0-py3-none-any.whl.metadata"),
        text,
    )
    .unwrap();
    change_page(depot, "snowberm", |page| {
        page["files"][0]["core-metadata"] = json!(true)
    });
}

#[test]
fn furnish_refuses_a_wheel_that_needs_something_else_than_was_settled_by() {
    let depot = depot_of(
        &(project("snowberm", &["1.0"], "\"katabat\"") + &project("katabat", &["1.0"], "")),
    );
    lie(
        depot.path(),
        "Requires-Dist: firnio>=2; sys_platform == 'never'\n",
    );
    let server = Server::start(depot.path(), Trouble::default()).unwrap();
    let field = Field::at(&server);
    assert_eq!(
        pins(&field.json(0, &["settle", "snowberm"])),
        ["snowberm 1.0"]
    );
    let ran = field.expect(3, &["furnish"]);
    assert!(
        ran.err.contains(
            "its own METADATA says that it needs `katabat`, and it was settled by nothing"
        ),
        "{}",
        ran.err
    );
    assert!(
        ran.err.contains("--renew snowberm") && !field.path(".venv").exists(),
        "{}",
        ran.err
    );
    // Once the depot tells the truth, what it said is asked anew.
    change_page(depot.path(), "snowberm", |page| {
        page["files"][0]
            .as_object_mut()
            .unwrap()
            .remove("core-metadata");
    });
    std::fs::remove_file(
        depot
            .path()
            .join("snowberm/snowberm-1.0-py3-none-any.whl.metadata"),
    )
    .unwrap();
    field.expect(0, &["settle", "snowberm", "--renew", "snowberm"]);
    field.expect(0, &["furnish"]);
}

#[test]
fn a_lie_of_one_depot_is_no_fact_of_another() {
    let world = project("snowberm", &["1.0"], "\"katabat\"") + &project("katabat", &["1.0"], "");
    let (evil, good) = (depot_of(&world), depot_of(&world));
    lie(evil.path(), "");
    let (evil, good) = (
        Server::start(evil.path(), Trouble::default()).unwrap(),
        Server::start(good.path(), Trouble::default()).unwrap(),
    );
    let field = Field::empty();
    let settle = |server: &Server| {
        pins(&field.json(
            0,
            &["settle", "snowberm", "--depot", &server.url(), "--renew"],
        ))
    };
    field.json(0, &["settle", "snowberm", "--depot", &evil.url()]);
    std::fs::remove_file(field.path("pylock.toml")).unwrap();
    let found = field.json(0, &["settle", "snowberm", "--depot", &good.url()]);
    assert_eq!(pins(&found), ["katabat 1.0", "snowberm 1.0"]);
    assert_eq!(settle(&good), ["katabat 1.0", "snowberm 1.0"]);
}

#[rstest]
#[case::a_page("/simple/katabat/", false)]
#[case::metadata(".metadata", false)]
#[case::insisted("/simple/katabat/", true)]
fn no_redirect_leads_from_https_to_http(#[case] on: &str, #[case] insecure: bool) {
    let plain = server(Trouble::default());
    let to = format!("http://{}", plain.address());
    let trouble = Trouble {
        redirect: Some((on.to_owned(), to)),
        ..Trouble::default()
    };
    let (closed, pem) = secure(&crate::field::world().join("depot"), trouble);
    let field = Field::empty();
    field.name_depot(&over_tls(&closed));
    let insist = if insecure {
        "\ninsecure = true\n[network]"
    } else {
        "\n[network]"
    };
    field.write(
        "eutaxis.toml",
        &field
            .read("eutaxis.toml")
            .replacen("\n[network]", insist, 1),
    );
    let ran = run_with(&field, &pem, &["settle", "katabat"]);
    if insecure {
        assert_eq!(ran.code, 0, "{ran:?}");
        return;
    }
    assert_eq!(ran.code, 3, "{ran:?}");
    for part in [
        "it would have to come over http://",
        "can be read and changed on the way",
        "`insecure = true`",
    ] {
        assert!(ran.err.contains(part), "{part}: {}", ran.err);
    }
    assert!(
        plain
            .take_seen()
            .iter()
            .all(|s| s.status == 0 || s.path.is_empty()),
        "nothing was asked in the open"
    );
}

#[test]
fn links_over_http_on_a_page_over_https_are_taken_only_with_a_hash() {
    let depot = depot_of(&project("snowberm", &["1.0", "2.0"], ""));
    let plain = Server::start(depot.path(), Trouble::default()).unwrap();
    let elsewhere = plain.url().replace("127.0.0.1", "localhost");
    change_page(depot.path(), "snowberm", |page| {
        for file in page["files"].as_array_mut().unwrap() {
            file["url"] = json!(format!(
                "{elsewhere}snowberm/{}",
                file["filename"].as_str().unwrap()
            ));
        }
        // The newest has no hash.
        page["files"][1]["hashes"] = json!({});
    });
    let (closed, pem) = secure(depot.path(), Trouble::default());
    let field = Field::empty();
    field.name_depot(&over_tls(&closed));
    let ran = run_with(&field, &pem, &["settle", "snowberm", "-v"]);
    // What is beside the file over http is not believed, and the file itself is covered by its
    // hash.
    assert!(
        ran.err.contains("snowberm-2.0") && ran.err.contains("no hash is stated for it"),
        "{ran:?}"
    );
    assert!(ran.code != 0 || ran.out.contains("1.0"), "{ran:?}");
}

#[test]
fn links_of_a_page_behind_a_proxy_are_asked_for_over_https_and_told() {
    let depot = depot_of(&project("snowberm", &["1.0"], ""));
    let (closed, pem) = secure(depot.path(), Trouble::default());
    // The page names its own host and port, as what stands behind a proxy does.
    let own = format!(
        "http://{}/simple/snowberm/snowberm-1.0-py3-none-any.whl",
        closed.address()
    );
    change_page(depot.path(), "snowberm", |page| {
        page["files"][0]["url"] = json!(own)
    });
    let field = Field::empty();
    field.name_depot(&over_tls(&closed));
    let ran = run_with(&field, &pem, &["settle", "snowberm", "--json"]);
    assert_eq!(ran.code, 0, "{ran:?}");
    assert!(
        ran.out.contains("names files of its own over http://")
            && ran.out.contains("\"https://127.0.0.1"),
        "{ran:?}"
    );
    assert_eq!(run_with(&field, &pem, &["furnish"]).code, 0);
}

#[test]
#[cfg(unix)]
fn netrc_goes_to_the_named_depot_and_not_along_a_redirect() {
    let files = server(Trouble::default());
    let login = Some(("ann".to_owned(), "ice+axe".to_owned()));
    let index = server(Trouble {
        login,
        files_at: Some(files.url()),
        ..Trouble::default()
    });
    for netrc in [
        "machine 127.0.0.1 login ann password ice+axe\n",
        "default login ann password ice+axe\n",
    ] {
        let field = Field::at(&index);
        field.write(".netrc", netrc);
        let ran = field.expect(0, &["settle", "katabat"]);
        let words = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(
            words.contains(".netrc holds passwords and can be read by others"),
            "{words}"
        );
        assert!(words.contains("chmod 600"), "{words}");
        // What it tells to do, does it.
        let chmod = std::process::Command::new("chmod")
            .arg("600")
            .arg(field.path(".netrc"))
            .status();
        assert!(chmod.unwrap().success());
        let ran = field.expect(0, &["settle", "katabat", "--renew"]);
        assert!(!ran.out.contains("chmod"), "{}", ran.out);
        field.expect(0, &["gather", "--into", "stick"]);
        let seen = files.take_seen();
        assert!(seen.iter().any(|s| s.path.ends_with(".whl")), "{seen:?}");
        assert!(seen.iter().all(|s| s.authorization.is_none()), "{seen:?}");
        assert!(index.take_seen().iter().all(|s| s.authorization.is_some()));
    }
}

#[test]
fn files_of_a_depot_elsewhere_get_its_login_when_it_names_their_place() {
    let login = Some(("ann".to_owned(), "ice+axe".to_owned()));
    let files = server(Trouble {
        login: login.clone(),
        ..Trouble::default()
    });
    let index = server(Trouble {
        login,
        files_at: Some(files.url()),
        ..Trouble::default()
    });
    let field = Field::at(&index);
    field.write(".netrc", "machine 127.0.0.1 login ann password ice+axe\n");
    let ran = field.expect(3, &["settle", "katabat"]);
    let place = format!("files = [\"http://{}\"]", files.address());
    assert!(
        ran.err.contains("were not sent") && ran.err.contains(&place),
        "{}",
        ran.err
    );
    // The line that it tells, put into the depot's entry.
    field.write(
        "eutaxis.toml",
        &field
            .read("eutaxis.toml")
            .replacen("[network]", &format!("{place}\n[network]"), 1),
    );
    field.expect(0, &["settle", "katabat"]);
    field.expect(0, &["gather", "--into", "stick"]);
}

#[test]
fn a_project_does_not_move_to_another_depot_unsaid() {
    let ours = depot_of(&(project("snowberm", &["1.0"], "") + &project("katabat", &["1.0"], "")));
    let theirs = depot_of(&project("snowberm", &["1.0", "9.9"], "\"katabat\""));
    let (first, second) = (
        Server::start(ours.path(), Trouble::default()).unwrap(),
        Server::start(theirs.path(), Trouble::default()).unwrap(),
    );
    let field = Field::empty();
    let (one, other) = (first.url(), second.url());
    fn settle_in<'a>(one: &'a str, other: &'a str, more: &[&'a str]) -> Vec<&'a str> {
        [
            &["settle", "snowberm", "--depot", one, "--depot", other],
            more,
        ]
        .concat()
    }
    let settle = |more: &[&'static str]| settle_in(&one, &other, more);
    field.expect(0, &settle(&[]));
    let before = field.read("pylock.toml");
    // The first depot does not have it any more.
    std::fs::remove_dir_all(ours.path().join("snowberm")).unwrap();
    let ran = field.expect(1, &settle(&[]));
    let words = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        words.contains("would come from another depot than the pins say"),
        "{}",
        ran.out
    );
    assert!(
        ran.out.contains(&second.url()) && ran.out.contains("--renew snowberm"),
        "{}",
        ran.out
    );
    assert!(
        ran.err.contains("snowberm was served by") && ran.err.contains("does not have it any more"),
        "{}",
        ran.err
    );
    assert_eq!(field.read("pylock.toml"), before);
    // Also when all is renewed, and when it is only asked whether the pins hold.
    let answer = field.json(1, &settle(&["--renew"]));
    assert_eq!(answer["depot_moves"][0]["project"], "snowberm");
    field.expect(1, &settle(&["--check"]));
    // What it tells to do, does it.
    assert_eq!(
        pins(&field.json(0, &settle(&["--renew", "snowberm"]))),
        ["katabat 1.0", "snowberm 9.9"]
    );
    field.expect(0, &settle(&[]));
}

#[test]
fn the_same_bytes_at_another_place_are_no_move() {
    let depot = depot_of(&project("snowberm", &["1.0"], ""));
    let (one, mirror) = (
        Server::start(depot.path(), Trouble::default()).unwrap(),
        Server::start(depot.path(), Trouble::default()).unwrap(),
    );
    let field = Field::empty();
    field.expect(0, &["settle", "snowberm", "--depot", &one.url()]);
    field.expect(0, &["settle", "snowberm", "--depot", &mirror.url()]);
    field.expect(0, &["gather", "--into", "stick"]);
    field.expect(0, &["settle", "snowberm", "--depot", "stick"]);
}

#[test]
fn a_depot_with_several_addresses_is_one_depot() {
    let depot = depot_of(&project("snowberm", &["1.0"], ""));
    let server = Server::start(depot.path(), Trouble::default()).unwrap();
    let field = Field::empty();
    let entry =
        |urls: &str| format!("[[depot]]\nurl = [{urls}]\n[network]\ntimeout = 1\nattempts = 1\n");
    let (gone, here) = (
        "\"http://127.0.0.1:9/simple/\"",
        format!("{:?}", server.url()),
    );
    field.write("eutaxis.toml", &entry(&format!("{gone}, {here}")));
    field.expect(0, &["settle", "snowberm"]);
    field.expect(0, &["furnish"]);
    // The first address, which answers by now, is the same depot.
    field.write("eutaxis.toml", &entry(&format!("{gone}, {here}, {gone}")));
    field.expect(0, &["settle", "snowberm", "--check"]);
}

#[test]
fn a_project_of_two_depots_that_is_routed_to_none_is_told() {
    let (one, other) = (
        depot_of(&project("snowberm", &["1.0"], "")),
        depot_of(&project("snowberm", &["2.0"], "")),
    );
    let field = Field::empty();
    let path = |depot: &tempfile::TempDir| depot.path().display().to_string();
    let both = [
        "settle",
        "snowberm",
        "--depot",
        &path(&one),
        "--depot",
        &path(&other),
    ];
    let answer = field.json(0, &both);
    assert!(
        answer["cautions"]
            .to_string()
            .contains("snowberm is offered by two depots"),
        "{}",
        answer["cautions"]
    );
    let only = format!(
        "[[depot]]\npath = {:?}\nonly = [\"snowberm\"]\n[[depot]]\npath = {:?}\n",
        path(&one),
        path(&other)
    );
    field.write("eutaxis.toml", &only);
    let answer = field.json(0, &["settle", "snowberm", "--out", "pylock.new.toml"]);
    assert!(
        !answer["cautions"].to_string().contains("two depots"),
        "{}",
        answer["cautions"]
    );
}

#[rstest]
#[case("sha512", true)]
#[case("sha3_256", true)]
#[case("blake2b", true)]
#[case("md5", true)]
#[case("sha512", false)]
fn every_stated_hash_is_checked(#[case] algorithm: &str, #[case] beside: bool) {
    let depot = depot_of(&project("snowberm", &["1.0"], ""));
    change_page(depot.path(), "snowberm", |page| {
        let hashes = page["files"][0]["hashes"].as_object_mut().unwrap();
        if !beside {
            hashes.clear();
        }
        hashes.insert(algorithm.to_owned(), json!("0".repeat(64)));
    });
    let server = Server::start(depot.path(), Trouble::default()).unwrap();
    let field = Field::at(&server);
    if !beside {
        // Its SHA-256 is not known until it is fetched.
        let ran = field.expect(3, &["settle", "snowberm"]);
        assert!(
            ran.err.contains(&format!("has the {algorithm}")),
            "{}",
            ran.err
        );
        return;
    }
    field.expect(0, &["settle", "snowberm"]);
    assert!(field.read("pylock.toml").contains(algorithm));
    let ran = field.expect(3, &["furnish"]);
    assert!(
        ran.err.contains(&format!("has the {algorithm}")),
        "{}",
        ran.err
    );
}

#[test]
fn a_file_with_another_strong_hash_is_pinned_with_both() {
    let depot = depot_of(&project("snowberm", &["1.0"], ""));
    let bytes = std::fs::read(depot.path().join("snowberm/snowberm-1.0-py3-none-any.whl")).unwrap();
    let sha512 = ring::digest::digest(&ring::digest::SHA512, &bytes);
    let sha512: String = sha512.as_ref().iter().map(|b| format!("{b:02x}")).collect();
    change_page(depot.path(), "snowberm", |page| {
        page["files"][0]["hashes"] = json!({"sha512": sha512})
    });
    let server = Server::start(depot.path(), Trouble::default()).unwrap();
    let field = Field::at(&server);
    field.expect(0, &["settle", "snowberm"]);
    let pins = field.read("pylock.toml");
    assert!(
        pins.contains("sha256 = ") && pins.contains(&format!("sha512 = \"{sha512}\"")),
        "{pins}"
    );
    field.expect(0, &["furnish"]);
}

/// With so much memory for addresses, in kB, a hostile page must end in words.
const MEMORY: &str = "1200000";

#[rstest]
#[case::html(true)]
#[case::json(false)]
#[cfg(target_os = "linux")]
fn a_page_without_end_is_refused_in_little_memory(#[case] html: bool) {
    let depot = depot_of(&project("snowberm", &["1.0"], ""));
    let folder = depot.path().join("snowberm");
    let text = if html {
        "<a href=x>".repeat(5_000_000)
    } else {
        format!(
            "{{\"files\":[{}]}}",
            vec![r#"{"filename":"","url":""}"#; 2_400_000].join(",")
        )
    };
    std::fs::write(
        folder.join(if html { "index.html" } else { "index.json" }),
        text,
    )
    .unwrap();
    let server = Server::start(
        depot.path(),
        Trouble {
            html_only: html,
            gzip: true,
            ..Trouble::default()
        },
    )
    .unwrap();
    let field = Field::at(&server);
    field.write(
        "eutaxis.toml",
        &field
            .read("eutaxis.toml")
            .replace("timeout = 1", "timeout = 60"),
    );
    let ran = within(&field, &format!("-v {MEMORY}"), &["settle", "snowberm"]);
    assert_eq!(ran.code, 3, "{ran:?}");
    assert!(
        ran.err.contains("more than any page can mean"),
        "{}",
        ran.err
    );
}

/// Many large pages at once end in words within half a gigabyte, also where some of them were kept
/// by an earlier run.
#[test]
#[cfg(target_os = "linux")]
fn many_large_pages_are_refused_in_little_memory_the_second_time_too() {
    let names: Vec<String> = (0..16).map(|i| format!("snowberm{i}")).collect();
    let depot = tempfile::tempdir().unwrap();
    for name in &names {
        let file = |k: usize| {
            let filename = format!("{name}-{}.{}-py3-none-any.whl", k / 100, k % 100);
            json!({"filename": filename, "url": filename, "hashes": {"sha256": format!("{k:064x}")}})
        };
        let files: Vec<_> = (0..59_000).map(file).collect();
        let page = json!({"meta": {"api-version": "1.1"}, "name": name, "files": files});
        std::fs::create_dir(depot.path().join(name)).unwrap();
        std::fs::write(depot.path().join(name).join("index.json"), page.to_string()).unwrap();
    }
    let server = Server::start(depot.path(), Trouble::default()).unwrap();
    let field = Field::at(&server);
    field.write(
        "eutaxis.toml",
        &field
            .read("eutaxis.toml")
            .replace("timeout = 1", "timeout = 60"),
    );
    let args: Vec<&str> = std::iter::once("settle")
        .chain(names.iter().map(String::as_str))
        .collect();
    for _ in 0..3 {
        let ran = within(&field, "-d 450000", &args);
        assert_eq!(ran.code, 3, "{ran:?}");
        assert!(ran.err.contains("one page too many"), "{}", ran.err);
    }
}

/// Runs the program with a limit of the shell, in kB.
#[cfg(target_os = "linux")]
fn within(field: &Field, limit: &str, args: &[&str]) -> Ran {
    let inner = field.command(args);
    let mut command = std::process::Command::new("sh");
    command
        .args(["-c", &format!("ulimit {limit}; exec \"$0\" \"$@\"")])
        .arg(inner.get_program())
        .args(inner.get_args());
    command.current_dir(field.path(".")).stdin(Stdio::null());
    for (name, value) in inner.get_envs() {
        match value {
            Some(value) => command.env(name, value),
            None => command.env_remove(name),
        };
    }
    ran(command.output().unwrap())
}
