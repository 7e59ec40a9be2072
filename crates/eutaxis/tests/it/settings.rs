//! `docs/schema/settings.json`, for editors: it permits what the program takes, and no more.

use rstest::rstest;
use serde_json::Value;

use crate::field::Field;
use crate::schema::faults;

fn schema() -> Value {
    let path = concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../../docs/schema/settings.json"
    );
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn told(text: &str) -> Vec<String> {
    let value: toml::Value = toml::from_str(text).unwrap();
    faults(&serde_json::to_value(value).unwrap(), &schema())
}

#[test]
fn what_the_pages_and_the_demo_show_is_permitted() {
    let page = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/files.md"));
    let page = page.unwrap();
    let example = page
        .split("```toml\n")
        .nth(1)
        .unwrap()
        .split("```")
        .next()
        .unwrap();
    assert_eq!(told(example), [""; 0]);
    assert_eq!(told(eutaxis_demo::SETTINGS), [""; 0]);
}

#[rstest]
#[case::unknown_table("[polcy]\n")]
#[case::unknown_key("[[depot]]\npath = \".\"\nnam = \"x\"\n")]
#[case::two_places("[[depot]]\npath = \".\"\nurl = \"https://h.example.org/\"\n")]
#[case::another_word("[policy]\nwheels = \"some\"\n")]
#[case::too_much("[network]\nattempts = 21\n")]
#[case::no_size("[network]\nfetch-limit = \"much\"\n")]
#[case::absent("[target.x]\nplatform = \"linux x86_64\"\n")]
#[case::another_kind("[policy]\ntake-undated = \"yes\"\n")]
fn what_the_program_refuses_is_not_permitted(#[case] text: &str) {
    assert!(!told(text).is_empty(), "{text}");
    let field = Field::empty();
    field.write("own.toml", text);
    field.expect(2, &["stock", "--config", "own.toml"]);
}

/// Every key of the schema is one that the program knows, by what it says of a wrong value.
#[test]
fn every_key_is_known() {
    let schema = schema();
    let mut texts: Vec<String> = Vec::new();
    for (table, rule) in schema["properties"].as_object().unwrap() {
        let keys = |rule: &Value| -> Vec<String> {
            rule["properties"]
                .as_object()
                .into_iter()
                .flatten()
                .map(|(k, _)| k.clone())
                .collect()
        };
        let lists = rule["type"] == "array";
        let one = if lists { &rule["items"] } else { rule };
        let head = if lists {
            format!("[[{table}]]")
        } else {
            format!("[{table}]")
        };
        texts.extend(keys(one).iter().map(|key| format!("{head}\n{key} = 7.5\n")));
        let named = keys(&rule["additionalProperties"]);
        texts.extend(
            named
                .iter()
                .map(|key| format!("[{table}.x]\n{key} = 7.5\n")),
        );
    }
    assert!(texts.len() > 45, "{}", texts.len());
    let field = Field::empty();
    for text in texts {
        field.write("own.toml", &text);
        let ran = field.expect(2, &["stock", "--config", "own.toml"]);
        assert!(!ran.err.contains("is not known"), "{text}{}", ran.err);
    }
}
