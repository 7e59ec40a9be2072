//! How logs are read, on small logs in words; every cause in many wordings is tried by the program's own tests.

use super::*;
use crate::knowledge::Causes;

fn read(log: &str) -> Diagnosis {
    let context = Context {
        families: &Families::built_in(),
        libraries: &Libraries::built_in(),
        distributions: &["debian".to_owned()],
    };
    let causes = Causes::built_in();
    let mut reader = Reader::new(&causes, &context);
    reader.read(log.as_bytes());
    reader.finish()
}

#[test]
fn dummy() {
    let found = read("ERROR: No matching distribution found for radargram>=2\n");
    assert_eq!(found.causes[0].id, "no-release-fits");
    assert_eq!(found.causes[0].facts.get("specifier").as_deref(), Some(">=2"));
}
