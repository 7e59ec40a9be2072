//! `docs/schema/`: the schema of every answer, generated from the types.

use std::path::{Path, PathBuf};

use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};
use serde::Serialize;

use super::*;

/// What `--json` prints.
#[derive(Serialize, JsonSchema)]
#[serde(untagged)]
#[expect(dead_code, reason = "only its schema is made")]
enum Printed<T> {
    Answered(Answered<T>),
    Failed(Failed),
}

/// An answer.
#[derive(Serialize, JsonSchema)]
struct Answered<T> {
    command: String,
    /// The program's.
    version: Option<String>,
    #[schemars(extend("enum" = ["ok", "no"]))]
    outcome: String,
    #[serde(flatten)]
    report: T,
}

fn schema_of<T: JsonSchema>(command: &str) -> (&str, Schema) {
    let generator = SchemaSettings::draft2020_12()
        .for_serialize()
        .into_generator();
    let mut schema = generator.into_root_schema_for::<Printed<T>>();
    schema.insert(
        "title".to_owned(),
        format!("eutaxis {command} --json").into(),
    );
    (command, schema)
}

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schema")
}

/// `EUTAXIS_WRITE_SCHEMAS=1 cargo test -p eutaxis --bin eutaxis schema` writes them.
#[test]
fn the_schemas_in_the_documentation_are_those_of_the_types() {
    let all = [
        schema_of::<Survey>("survey"),
        schema_of::<Depots>("depots"),
        schema_of::<Shortlist>("shortlist"),
        schema_of::<Span>("span"),
        schema_of::<Settle>("settle"),
        schema_of::<Reason>("reason"),
        schema_of::<Gather>("gather"),
        schema_of::<Furnish>("furnish"),
        schema_of::<Examine>("examine"),
        schema_of::<Rehearse>("rehearse"),
        schema_of::<Diagnose>("diagnose"),
        schema_of::<Assay>("assay"),
        schema_of::<Locate>("locate"),
        schema_of::<Proofread>("proofread"),
        schema_of::<Stock>("stock"),
        schema_of::<Here>("here"),
        schema_of::<Demo>("demo"),
    ];
    for (command, schema) in all {
        let text = serde_json::to_string_pretty(&schema).unwrap() + "\n";
        let file = folder().join(format!("{command}.json"));
        if std::env::var_os("EUTAXIS_WRITE_SCHEMAS").is_some() {
            std::fs::create_dir_all(folder()).unwrap();
            std::fs::write(&file, &text).unwrap();
        }
        let kept = std::fs::read_to_string(&file).unwrap_or_default();
        assert!(
            kept == text,
            "{} is not the schema of the type: EUTAXIS_WRITE_SCHEMAS=1 writes it",
            file.display()
        );
    }
}
