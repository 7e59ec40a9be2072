//! `stock`: what cache and store hold, and making room.

use eutaxis_demo::server::Trouble;

use crate::field::{Field, server};

fn entries(field: &Field, what: &str) -> u64 {
    let answer = field.json(0, &["stock"]);
    let part = answer["parts"]
        .as_array()
        .unwrap()
        .iter()
        .find(|p| p["what"] == what)
        .unwrap();
    part["entries"].as_u64().unwrap()
}

#[test]
fn what_is_held_is_told_and_trimmed() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    assert_eq!(field.json(0, &["stock"])["bytes"], 0);
    field.expect(0, &["settle", "sastrugi"]);
    field.expect(0, &["furnish"]);
    assert!(entries(&field, "pages of projects") >= 2 && entries(&field, "metadata of files") >= 2);
    assert_eq!(entries(&field, "unpacked wheels"), 2);
    assert_eq!(
        entries(&field, "whole files"),
        0,
        "what the store has is not kept twice"
    );
    assert_eq!(
        field.json(0, &["stock", "--trim", "1d"])["freed"],
        0,
        "all of it was used today"
    );
    let freed = field.json(0, &["stock", "--trim", "1B"])["freed"]
        .as_u64()
        .unwrap();
    assert!(freed > 1000);
    assert_eq!(field.json(0, &["stock"])["bytes"], 0);
    assert_eq!(
        field.python("import sastrugi").code,
        0,
        "environments stay whole"
    );
    let ran = field.expect(2, &["stock", "--trim", "soon"]);
    assert!(
        ran.err.contains("neither an age") && ran.err.contains("30d"),
        "{}",
        ran.err
    );
}
