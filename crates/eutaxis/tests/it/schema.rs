//! Answers against the schemas of `docs/schema/`: the few words of JSON Schema (2020-12) that those
//! use. A whole validator brings more crates than all the rest of the tests.

use serde_json::Value;

/// Words that say nothing of what is right.
const SILENT: [&str; 5] = ["$schema", "$defs", "title", "description", "format"];

/// What is wrong in a value, each with its place.
pub(crate) fn faults(value: &Value, schema: &Value) -> Vec<String> {
    let mut found = Vec::new();
    check(value, schema, schema, "", &mut found);
    found
}

fn check(value: &Value, schema: &Value, root: &Value, at: &str, found: &mut Vec<String>) {
    let Some(rules) = schema.as_object() else {
        // `true` permits everything, `false` nothing.
        if *schema == Value::Bool(false) {
            found.push(format!("{at}: it is not known"));
        } else {
            assert_eq!(schema, &Value::Bool(true), "{at}: what schema is {schema}?");
        }
        return;
    };
    for (word, rule) in rules
        .iter()
        .filter(|(word, _)| !SILENT.contains(&word.as_str()))
    {
        match word.as_str() {
            "$ref" => {
                let name = rule
                    .as_str()
                    .and_then(|r| r.strip_prefix("#/$defs/"))
                    .unwrap();
                check(value, &root["$defs"][name], root, at, found);
            }
            "type" if !is_of_type(value, rule) => found.push(format!("{at}: {value} is no {rule}")),
            "enum" if !rule.as_array().unwrap().contains(value) => {
                found.push(format!("{at}: {value} is none of {rule}"));
            }
            "minimum" if value.as_f64().is_some_and(|v| v < rule.as_f64().unwrap()) => {
                found.push(format!("{at}: {value} is less than {rule}"));
            }
            "minItems"
                if value
                    .as_array()
                    .is_some_and(|l| (l.len() as u64) < rule.as_u64().unwrap()) =>
            {
                found.push(format!("{at}: fewer than {rule}"));
            }
            "maxItems"
                if value
                    .as_array()
                    .is_some_and(|l| l.len() as u64 > rule.as_u64().unwrap()) =>
            {
                found.push(format!("{at}: more than {rule}"));
            }
            "maximum" if value.as_f64().is_some_and(|v| v > rule.as_f64().unwrap()) => {
                found.push(format!("{at}: {value} is more than {rule}"));
            }
            // The one pattern that there is: a size begins with a digit.
            "pattern" => {
                assert_eq!(rule, "^[0-9]");
                if value
                    .as_str()
                    .is_some_and(|v| !v.starts_with(|c: char| c.is_ascii_digit()))
                {
                    found.push(format!("{at}: {value} is no size"));
                }
            }
            "anyOf" => any_of(value, rule, root, at, found),
            "oneOf" => {
                let fits = |schema: &&Value| {
                    let mut own = Vec::new();
                    check(value, schema, root, at, &mut own);
                    own.is_empty()
                };
                if rule.as_array().unwrap().iter().filter(fits).count() != 1 {
                    found.push(format!("{at}: not just one of {rule}"));
                }
            }
            "required" => {
                let absent =
                    |key: &&Value| value.is_object() && value.get(key.as_str().unwrap()).is_none();
                let absent = rule.as_array().unwrap().iter().filter(absent);
                found.extend(absent.map(|key| format!("{at}: {key} is absent")));
            }
            "properties" => {
                for (key, rule) in rule.as_object().unwrap() {
                    if let Some(value) = value.get(key) {
                        check(value, rule, root, &format!("{at}/{key}"), found);
                    }
                }
            }
            "items" => {
                for (i, value) in value.as_array().into_iter().flatten().enumerate() {
                    check(value, rule, root, &format!("{at}/{i}"), found);
                }
            }
            "additionalProperties" => {
                let known = rules.get("properties").and_then(Value::as_object);
                let more = value.as_object().into_iter().flatten();
                for (key, value) in more.filter(|(k, _)| known.is_none_or(|p| !p.contains_key(*k)))
                {
                    check(value, rule, root, &format!("{at}/{key}"), found);
                }
            }
            "type" | "enum" | "minimum" | "maximum" | "minItems" | "maxItems" => {}
            other => panic!("{at}: the schemas use `{other}`, which is not read here"),
        }
    }
}

/// One of several must be right; else what is wrong with the nearest of them is told.
fn any_of(value: &Value, all: &Value, root: &Value, at: &str, found: &mut Vec<String>) {
    let of = |schema| {
        let mut found = Vec::new();
        check(value, schema, root, at, &mut found);
        found
    };
    let nearest = all.as_array().unwrap().iter().map(of).min_by_key(Vec::len);
    found.extend(nearest.unwrap_or_default());
}

fn is_of_type(value: &Value, rule: &Value) -> bool {
    let is = |name: &Value| match name.as_str().unwrap() {
        "object" => value.is_object(),
        "array" => value.is_array(),
        "string" => value.is_string(),
        "integer" => value.is_i64() || value.is_u64(),
        "number" => value.is_number(),
        "boolean" => value.is_boolean(),
        "null" => value.is_null(),
        other => panic!("what type is `{other}`?"),
    };
    match rule {
        Value::Array(all) => all.iter().any(is),
        one => is(one),
    }
}

#[test]
fn what_a_schema_forbids_is_told_with_its_place() {
    let schema = serde_json::json!({
        "type": "object", "required": ["kind", "pins"],
        "properties": {
            "kind": {"enum": ["wheel", "sdist"]},
            "pins": {"type": "array", "items": {"anyOf": [{"$ref": "#/$defs/Pin"}, {"type": "null"}]}},
        },
        "$defs": {"Pin": {"type": "object", "required": ["size"],
            "properties": {"size": {"type": ["integer", "null"], "minimum": 0}}}},
    });
    let told = |text: &str| faults(&serde_json::from_str(text).unwrap(), &schema);
    let right = r#"{"kind": "wheel", "pins": [{"size": 3}, {"size": null}, null]}"#;
    assert_eq!(told(right), Vec::<String>::new());
    assert_eq!(told(r#"{"kind": "wheel"}"#), [r#": "pins" is absent"#]);
    assert_eq!(
        told(r#"{"kind": "egg", "pins": [{"size": -1}, {"size": "3"}]}"#),
        [
            r#"/kind: "egg" is none of ["wheel","sdist"]"#,
            "/pins/0/size: -1 is less than 0",
            r#"/pins/1/size: "3" is no ["integer","null"]"#,
        ]
    );
}
