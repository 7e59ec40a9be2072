//! Metadata without the whole wheel: sidecars, announced or not; parts of the archive; the whole as
//! the last resort.

use eutaxis_demo::server::{Seen, Trouble};

use crate::field::{Field, pins, server};

const SETTLE: [&str; 4] = ["settle", "fieldlog", "--target", "office-mac"];

fn run(trouble: Trouble) -> (Field, Vec<Seen>) {
    let server = server(trouble);
    let field = Field::at(&server);
    let answer = field.json(0, &SETTLE);
    assert_eq!(
        pins(&answer),
        [
            "fieldlog 2.3",
            "firnio 1.2",
            "katabat 0.5",
            "wirepack 1.6.0"
        ]
    );
    let seen = server.take_seen();
    // What is known is known by the hash of the file: a second run fetches none of it.
    field.expect(0, &SETTLE);
    assert!(
        server.take_seen().iter().all(|s| s.status == 304),
        "metadata is kept"
    );
    (field, seen)
}

fn count(seen: &[Seen], wanted: impl Fn(&Seen) -> bool) -> usize {
    seen.iter().filter(|s| wanted(s)).count()
}

#[test]
fn announced_sidecars_are_taken() {
    let (_, seen) = run(Trouble::default());
    assert!(count(&seen, |s| s.path.ends_with(".metadata") && s.status == 200) >= 4);
    assert_eq!(count(&seen, |s| s.path.ends_with(".whl")), 0);
}

#[test]
fn a_sidecar_that_is_not_announced_is_tried() {
    let (_, seen) = run(Trouble {
        silent_sidecars: true,
        ..Trouble::default()
    });
    assert!(count(&seen, |s| s.path.ends_with(".metadata") && s.status == 200) >= 4);
    assert_eq!(count(&seen, |s| s.path.ends_with(".whl")), 0);
}

#[test]
fn without_sidecars_parts_of_the_wheels_are_read() {
    let (_, seen) = run(Trouble {
        no_sidecars: true,
        ..Trouble::default()
    });
    // Some hosts have metadata for some files: one that is not there says nothing of the others,
    // many do.
    assert!(count(&seen, |s| s.path.ends_with(".metadata")) <= 8);
    assert!(count(&seen, |s| s.path.ends_with(".whl") && s.status == 206) >= 4);
    assert_eq!(
        count(&seen, |s| s.path.ends_with(".whl") && s.status == 200),
        0
    );
}

#[test]
fn without_parts_the_whole_wheels_are_read_once() {
    let (field, seen) = run(Trouble {
        no_sidecars: true,
        no_ranges: true,
        ..Trouble::default()
    });
    let whole = |s: &Seen| s.path.ends_with(".whl") && s.status == 200 && s.range.is_none();
    assert!(count(&seen, whole) >= 4);
    // They are kept, and gathering needs no network.
    field.expect(0, &["gather", "--into", "stick", "--offline"]);
}

#[test]
fn a_source_distribution_says_what_it_needs_when_that_is_static() {
    let server = server(Trouble {
        no_sidecars: true,
        ..Trouble::default()
    });
    let field = Field::at(&server);
    let answer = field.json(0, &["settle", "moulin>5", "--target", "office-mac"]);
    assert_eq!(answer["pins"][0]["kind"], "sdist");
    let seen = server.take_seen();
    assert_eq!(
        count(&seen, |s| s.path.ends_with("moulin-5.1.tar.gz")
            && s.status == 200),
        2,
        "cut off for its needs, and whole for what its build takes"
    );
}
