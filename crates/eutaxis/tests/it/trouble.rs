//! Every kind of trouble that a network makes: what passes is overcome, what stays is told in words
//! that help.

use std::time::Duration;

use eutaxis_demo::server::{Fault, Trouble};
use rstest::rstest;

use crate::field::{Field, server};

const SETTLE_HERE: [&str; 3] = ["settle", "katabat", "firnio"];
const SETTLE: [&str; 4] = ["settle", "katabat", "--target", "office-mac"];

#[rstest]
#[case::drop(Fault::Drop)]
#[case::unavailable(Fault::Status(503, None))]
#[case::too_many(Fault::Status(429, Some("1".to_owned())))]
#[case::truncated(Fault::Truncate)]
#[case::slow(Fault::Drip)]
fn what_passes_is_overcome(#[case] fault: Fault) {
    let on = if fault == Fault::Drip {
        "/simple/katabat/"
    } else {
        ""
    };
    let server = server(Trouble {
        fault: Some(fault),
        on: on.to_owned(),
        times: 1,
        ..Trouble::default()
    });
    let field = Field::at(&server);
    let ran = field.expect(0, &["settle", "katabat", "--target", "office-mac", "-v"]);
    assert!(
        ran.err.contains("overcome:") || server.take_seen().len() < 4,
        "{}",
        ran.err
    );
}

#[rstest]
#[case::drop(Fault::Drop, "broke off the connection", "--offline")]
#[case::unavailable(Fault::Status(503, None), "is in trouble (503)", "--offline")]
#[case::too_many(Fault::Status(429, Some("3600".to_owned())), "takes no more requests for now \
    (429) and asks to come back in 3600 s", "wait")]
#[case::forbidden(Fault::Status(403, None), "forbids it (403)", "netrc")]
#[case::teapot(Fault::Status(418, None), "answers with status 418", "address")]
#[case::truncated(Fault::Truncate, "broke off the connection", "--offline")]
#[case::lying(Fault::LyingLength, "cannot be read", "address")]
#[case::nonsense(Fault::Nonsense, "cannot be read", "/simple/")]
fn what_stays_is_told(#[case] fault: Fault, #[case] message: &str, #[case] help: &str) {
    let server = server(Trouble {
        fault: Some(fault),
        ..Trouble::default()
    });
    let field = Field::at(&server);
    let ran = field.expect(3, &SETTLE);
    assert!(
        ran.err.contains("the page of katabat")
            && ran.err.contains(message)
            && ran.err.contains(help),
        "{}",
        ran.err
    );
    assert!(field.names().is_empty(), "nothing is written");
}

#[test]
fn an_address_that_is_no_index_is_doubted() {
    let server = server(Trouble::default());
    let field = Field::empty();
    let other = server.url().replace("/simple/", "/elsewhere/");
    for arguments in [
        ["settle", "katabat", "--depot", &other],
        ["shortlist", "katabat", "--depot", &other],
    ] {
        let ran = field.expect(1, &arguments);
        assert!(ran.out.contains("it lists no projects"), "{}", ran.out);
    }
}

#[test]
fn a_server_that_asks_to_wait_too_long_is_not_waited_for() {
    let fault = Some(Fault::Status(503, Some("3600".to_owned())));
    let server = server(Trouble {
        fault,
        ..Trouble::default()
    });
    Field::at(&server).expect(3, &SETTLE);
    assert_eq!(server.take_seen().len(), 1);
}

#[test]
fn a_slow_server_is_waited_for_only_so_long() {
    let server = server(Trouble {
        latency: Duration::from_secs(20),
        ..Trouble::default()
    });
    let field = Field::at(&server);
    field.write(
        "eutaxis.toml",
        &field
            .read("eutaxis.toml")
            .replace("attempts = 3", "attempts = 1"),
    );
    let ran = field.expect(3, &SETTLE);
    assert!(
        ran.err.contains("does not answer in time") && ran.err.contains("timeout"),
        "{}",
        ran.err
    );
}

#[test]
fn an_answer_that_drips_is_given_up() {
    let server = server(Trouble {
        fault: Some(Fault::Drip),
        ..Trouble::default()
    });
    let field = Field::at(&server);
    field.write(
        "eutaxis.toml",
        &field
            .read("eutaxis.toml")
            .replace("attempts = 3", "attempts = 1"),
    );
    let ran = field.expect(3, &SETTLE);
    assert!(ran.err.contains("sends too slowly"), "{}", ran.err);
}

#[test]
fn metadata_that_was_changed_on_the_way_is_refused() {
    let trouble = Trouble {
        fault: Some(Fault::WrongBytes),
        on: ".metadata".to_owned(),
        ..Trouble::default()
    };
    let ran = Field::at(&server(trouble)).expect(3, &SETTLE);
    assert!(
        ran.err.contains("the page says") && ran.err.contains("proxy"),
        "{}",
        ran.err
    );
}

/// What is wrong with the files themselves shows when they are gathered.
#[rstest]
#[case::wrong(Fault::WrongBytes, "has the SHA-256")]
#[case::lying(Fault::LyingLength, "has the SHA-256")]
#[case::gone(Fault::Status(404, None), "does not have it (404)")]
#[case::truncated(Fault::Truncate, "broke off the connection")]
fn a_file_that_is_wrong_is_not_kept(#[case] fault: Fault, #[case] message: &str) {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &SETTLE);
    server.set(Trouble {
        fault: Some(fault),
        on: ".whl".to_owned(),
        ..Trouble::default()
    });
    let ran = field.expect(3, &["gather", "--into", "stick"]);
    assert!(
        ran.err.contains(message) && ran.err.contains("run it again"),
        "{}",
        ran.err
    );
    assert!(
        !field
            .path("stick/katabat/katabat-0.5-py3-none-any.whl")
            .exists()
    );
    server.set(Trouble::default());
    field.expect(0, &["gather", "--into", "stick"]);
    assert!(
        field
            .path("stick/katabat/katabat-0.5-py3-none-any.whl")
            .exists()
    );
}

/// What the store has needs no depot: that a depot does not answer is no reason to wait.
#[test]
fn furnish_does_not_wait_for_depots_that_do_not_answer() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &SETTLE_HERE);
    field.expect(0, &["furnish"]);
    server.take_seen();
    server.set(Trouble {
        fault: Some(Fault::Drop),
        ..Trouble::default()
    });
    field.expect(0, &["furnish", "--at", "other"]);
    assert!(
        server.take_seen().len() <= 2,
        "one page is asked for, and not again"
    );
}
