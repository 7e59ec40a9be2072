//! Names and passwords: where they come from, and that they go nowhere else.

use eutaxis_demo::server::{Server, Trouble};

use crate::field::{Field, Ran, ran, server};

fn closed() -> Server {
    server(Trouble {
        login: Some(("ann".to_owned(), "ice+axe".to_owned())),
        ..Trouble::default()
    })
}

/// No file of the folder, the cache included, holds the text.
fn nowhere(field: &Field, text: &str) {
    fn look(folder: &std::path::Path, text: &str) {
        for entry in std::fs::read_dir(folder).unwrap().flatten() {
            let path = entry.path();
            if path.is_dir() {
                look(&path, text);
            } else if !path.ends_with(".netrc") && !path.ends_with("eutaxis.toml") {
                let bytes = std::fs::read(&path).unwrap_or_default();
                assert!(
                    !String::from_utf8_lossy(&bytes).contains(text),
                    "{}",
                    path.display()
                );
            }
        }
    }
    look(&field.path("."), text);
}

fn silent(ran: &Ran) {
    assert!(
        !format!("{}{}", ran.out, ran.err).contains("ice"),
        "{ran:?}"
    );
}

#[test]
fn who_is_not_known_is_told_what_to_do() {
    let server = closed();
    let field = Field::at(&server);
    let ran = field.expect(3, &["settle", "katabat"]);
    for part in [
        "asks for a name and a password (401)",
        "netrc",
        "EUTAXIS_SECRET_",
    ] {
        assert!(ran.err.contains(part), "{}", ran.err);
    }
    assert_eq!(server.take_seen().len(), 1, "asking again would not help");
}

#[test]
fn a_wrong_password_is_told_with_where_it_came_from() {
    let server = closed();
    let field = Field::empty();
    field.name_depot(&server.url().replace("http://", "http://ann:iceberg@"));
    let ran = field.expect(3, &["settle", "katabat", "-v"]);
    assert!(
        ran.err
            .contains("does not accept the name and password from the depot's URL"),
        "{}",
        ran.err
    );
    silent(&ran);
}

#[test]
fn all_three_places_are_looked_into() {
    let server = closed();
    let all = |field: &Field, variable: Option<&str>| {
        for arguments in [
            &["settle", "katabat", "-v"][..],
            &["gather", "--into", "stick"],
            &["furnish"],
            &["settle", "katabat", "--json"],
        ] {
            let mut command = field.command(arguments);
            if let Some(value) = variable {
                command.env("EUTAXIS_SECRET_BASE_CAMP", value);
            }
            let ran = ran(command.output().unwrap());
            assert_eq!(ran.code, 0, "{arguments:?} {ran:?}");
            silent(&ran);
        }
        nowhere(field, "ice+axe");
        nowhere(field, "ice%2Baxe");
        assert!(!field.read("pylock.toml").contains("ann"));
    };
    let in_url = Field::empty();
    in_url.name_depot(&server.url().replace("http://", "http://ann:ice%2Baxe@"));
    all(&in_url, None);
    let in_variable = Field::at(&server);
    all(&in_variable, Some("ann:ice+axe"));
    let in_netrc = Field::at(&server);
    in_netrc.write(".netrc", "machine 127.0.0.1 login ann password ice+axe\n");
    all(&in_netrc, None);
}

#[test]
fn a_secret_in_the_address_of_a_file_goes_no_further() {
    let server = closed();
    let field = Field::at(&server);
    let root = server.url().replace("http://", "http://ann:ice%2Baxe@");
    let ask = format!("katabat @ {root}katabat/katabat-0.5-py3-none-any.whl");
    for arguments in [
        &["settle", &ask, "-v"][..],
        &["settle", &ask, "--json", "--list", "l.txt", "--exact"],
        &["shortlist", &ask],
    ] {
        silent(&field.expect(0, arguments));
    }
    // Pins of other programs may hold one.
    let pins = field
        .read("pylock.toml")
        .replace("url = \"http://", "url = \"http://ann:ice%2Baxe@");
    field.write("pylock.other.toml", &pins);
    for arguments in [
        &["furnish", "pylock.other.toml"][..],
        &["gather", "pylock.other.toml", "--into", "stick"],
    ] {
        silent(&field.expect(0, arguments));
    }
    std::fs::remove_file(field.path("pylock.other.toml")).unwrap();
    nowhere(&field, "ice%2Baxe");
    nowhere(&field, "ice+axe");
}

/// A list may name variables, so that a password stays out of it; pins made of it are not stale for
/// that.
#[test]
fn variables_of_lists_stay_out_of_pins() {
    let server = closed();
    let field = Field::at(&server);
    let root = server
        .url()
        .replace("http://", "http://${CAMP_USER}:${CAMP_KEY}@");
    let line = format!("katabat @ {root}katabat/katabat-0.5-py3-none-any.whl\n");
    field.write("list.txt", &line);
    let with = |arguments: &[&str]| {
        let mut command = field.command(arguments);
        let command = command.env("CAMP_USER", "ann").env("CAMP_KEY", "ice%2Baxe");
        let ran = ran(command.output().unwrap());
        assert_eq!(ran.code, 0, "{ran:?}");
        silent(&ran);
        ran
    };
    let unset = field.expect(2, &["settle", "--asks", "list.txt"]);
    for part in ["list.txt:1", "CAMP_USER is not set", "${CAMP_USER}"] {
        assert!(unset.err.contains(part), "{}", unset.err);
    }
    with(&["settle", "--asks", "list.txt"]);
    with(&["settle", "--check"]);
    let made = with(&["furnish"]);
    assert!(!made.out.contains("older"), "{made:?}");
    with(&["furnish", "--check"]);
    nowhere(&field, "ice%2Baxe");
    nowhere(&field, "ice+axe");
}

#[test]
fn a_redirect_to_another_place_takes_no_secret_along() {
    let files = server(Trouble::default());
    let login = Some(("ann".to_owned(), "ice+axe".to_owned()));
    let index = server(Trouble {
        login,
        files_at: Some(files.url()),
        ..Trouble::default()
    });
    let field = Field::empty();
    field.name_depot(&index.url().replace("http://", "http://ann:ice%2Baxe@"));
    field.expect(0, &["settle", "katabat"]);
    field.expect(0, &["gather", "--into", "stick"]);
    let seen = files.take_seen();
    assert!(seen.iter().any(|s| s.path.ends_with(".whl")), "{seen:?}");
    assert!(seen.iter().all(|s| s.authorization.is_none()), "{seen:?}");
    assert!(index.take_seen().iter().all(|s| s.authorization.is_some()));
}
