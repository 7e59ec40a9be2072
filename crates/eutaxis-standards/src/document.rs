//! Reading TOML with the place of every value, so that a fault can show its line.

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use crate::fault::{Fault, FaultKind};

/// A TOML document that has been read.
#[derive(Debug)]
pub struct Document<'i> {
    root: Spanned<DeTable<'i>>,
}

/// A table of a document, with the words that lead to it.
#[derive(Debug, Clone)]
pub struct Table<'a> {
    entries: &'a DeTable<'a>,
    path: String,
    at: usize,
}

/// A value of a document, with the words that lead to it.
#[derive(Debug, Clone)]
pub struct Value<'a> {
    value: &'a DeValue<'a>,
    path: String,
    at: usize,
}

/// A text with the byte offset at which it stands in the document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placed<T> {
    /// What stands there.
    pub value: T,
    /// Byte offset of the first character (for a quoted text: after the quote).
    pub at: usize,
}

impl<'i> Document<'i> {
    /// Reads a document.
    ///
    /// # Errors
    /// When it is not TOML.
    pub fn parse(text: &'i str) -> Result<Self, Fault> {
        let root = DeTable::parse(text).map_err(|e| {
            let at = e.span().map_or(0, |s| s.start);
            Fault::new(
                format!("not valid TOML: {}", e.message().replace('\n', ", ")),
                at,
            )
        })?;
        Ok(Document { root })
    }

    /// The top-level table.
    pub fn root(&self) -> Table<'_> {
        Table {
            entries: self.root.get_ref(),
            path: String::new(),
            at: 0,
        }
    }
}

impl<'a> Table<'a> {
    fn wrap(&self, key: &str, value: &'a Spanned<DeValue<'a>>) -> Value<'a> {
        let path = if self.path.is_empty() {
            key.to_owned()
        } else {
            format!("{}.{key}", self.path)
        };
        Value {
            value: value.get_ref(),
            path,
            at: value.span().start,
        }
    }

    /// The words that lead to this table, joined by dots; empty for the top level.
    pub fn path(&self) -> &str {
        &self.path
    }

    /// Byte offset of the table in the document.
    pub fn offset(&self) -> usize {
        self.at
    }

    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<Value<'a>> {
        self.entries.get(key).map(|v| self.wrap(key, v))
    }

    /// Keys and values in the order written.
    pub fn entries(&self) -> impl Iterator<Item = (Placed<&'a str>, Value<'a>)> {
        self.entries.iter().map(|(k, v)| {
            let key: &'a str = k.get_ref();
            (
                Placed {
                    value: key,
                    at: k.span().start,
                },
                self.wrap(key, v),
            )
        })
    }

    /// The text at a key.
    ///
    /// # Errors
    /// When the value is of another type.
    pub fn string(&self, key: &str) -> Result<Option<Placed<&'a str>>, Fault> {
        self.get(key).map(|v| v.string()).transpose()
    }

    /// The truth value at a key.
    ///
    /// # Errors
    /// When the value is of another type.
    pub fn boolean(&self, key: &str) -> Result<Option<bool>, Fault> {
        self.get(key)
            .map(|v| v.value.as_bool().ok_or_else(|| v.wrong("true or false")))
            .transpose()
    }

    /// The whole number at a key, with its place.
    ///
    /// # Errors
    /// When the value is of another type, or larger than 64 bits hold.
    pub fn integer(&self, key: &str) -> Result<Option<Placed<i64>>, Fault> {
        self.get(key)
            .map(|v| {
                let number = v
                    .value
                    .as_integer()
                    .and_then(|n| i64::from_str_radix(n.as_str(), n.radix()).ok());
                number
                    .map(|value| Placed { value, at: v.at })
                    .ok_or_else(|| v.wrong("a whole number"))
            })
            .transpose()
    }

    /// The texts of an array at a key; none when the key is absent.
    ///
    /// # Errors
    /// When the value is not an array of texts.
    pub fn strings(&self, key: &str) -> Result<Option<Vec<Placed<&'a str>>>, Fault> {
        self.get(key)
            .map(|v| v.items()?.iter().map(Value::string).collect())
            .transpose()
    }

    /// The table at a key.
    ///
    /// # Errors
    /// When the value is not a table.
    pub fn table(&self, key: &str) -> Result<Option<Table<'a>>, Fault> {
        self.get(key).map(|v| v.table()).transpose()
    }

    /// The tables of an array at a key; empty when the key is absent.
    ///
    /// # Errors
    /// When the value is not an array of tables.
    pub fn tables(&self, key: &str) -> Result<Vec<Table<'a>>, Fault> {
        self.get(key).map_or(Ok(Vec::new()), |v| {
            v.items()?.iter().map(Value::table).collect()
        })
    }

    /// A fault about this table.
    pub fn fault(&self, message: impl std::fmt::Display) -> Fault {
        let fault = Fault::new(message.to_string(), self.at);
        if self.path.is_empty() {
            fault
        } else {
            fault.within(format_args!("[{}]", self.path))
        }
    }

    /// The first key that is not one of `known`, as a fault.
    ///
    /// # Errors
    /// When there is such a key.
    pub fn ensure_known(&self, known: &[&str]) -> Result<(), Fault> {
        let Some((key, _)) = self.entries().find(|(k, _)| !known.contains(&k.value)) else {
            return Ok(());
        };
        let place = if self.path.is_empty() {
            String::new()
        } else {
            format!(" in [{}]", self.path)
        };
        let fault = Fault::of(
            FaultKind::Unknown,
            format!("`{}` is not known{place}", key.value),
            key.at,
        );
        Err(
            match crate::name::nearest(key.value, known.iter().copied(), 1).first() {
                Some(near) => fault.hint(format!("did you mean `{near}`?")),
                None => fault.hint(format!("known are {}", known.join(", "))),
            },
        )
    }
}

impl<'a> Value<'a> {
    /// The text.
    ///
    /// # Errors
    /// When this is not a text.
    pub fn string(&self) -> Result<Placed<&'a str>, Fault> {
        self.value
            .as_str()
            .map(|value| Placed {
                value,
                at: self.at + 1,
            })
            .ok_or_else(|| self.wrong("a text"))
    }

    /// The items of the array.
    ///
    /// # Errors
    /// When this is not an array.
    pub fn items(&self) -> Result<Vec<Value<'a>>, Fault> {
        let items = self
            .value
            .as_array()
            .ok_or_else(|| self.wrong("an array"))?;
        Ok(items
            .iter()
            .map(|v| Value {
                value: v.get_ref(),
                path: self.path.clone(),
                at: v.span().start,
            })
            .collect())
    }

    /// The table.
    ///
    /// # Errors
    /// When this is not a table.
    pub fn table(&self) -> Result<Table<'a>, Fault> {
        let entries = self.value.as_table().ok_or_else(|| self.wrong("a table"))?;
        Ok(Table {
            entries,
            path: self.path.clone(),
            at: self.at,
        })
    }

    /// Whether this is a text.
    pub fn is_string(&self) -> bool {
        self.value.is_str()
    }

    /// Whether this is a table.
    pub fn is_table(&self) -> bool {
        self.value.is_table()
    }

    /// Byte offset of the value in the document.
    pub fn offset(&self) -> usize {
        self.at
    }

    /// A fault that says which type was expected here.
    pub fn wrong(&self, expected: &str) -> Fault {
        Fault::new(
            format!(
                "`{}` must be {expected}, not {}",
                self.path,
                type_word(self.value)
            ),
            self.at,
        )
    }

    /// A copy of the value with nothing of the document in it.
    ///
    /// # Errors
    /// When a number is beyond what TOML's integers hold.
    pub fn to_plain(&self) -> Result<toml::Value, Fault> {
        plain(self.value).ok_or_else(|| {
            Fault::of(
                FaultKind::Limit,
                format!("`{}` holds a number out of range", self.path),
                self.at,
            )
        })
    }
}

fn type_word(value: &DeValue<'_>) -> &'static str {
    match value {
        DeValue::String(_) => "a text",
        DeValue::Integer(_) | DeValue::Float(_) => "a number",
        DeValue::Boolean(_) => "true or false",
        DeValue::Datetime(_) => "a date",
        DeValue::Array(_) => "an array",
        DeValue::Table(_) => "a table",
    }
}

fn plain(value: &DeValue<'_>) -> Option<toml::Value> {
    Some(match value {
        DeValue::String(s) => toml::Value::String(s.to_string()),
        DeValue::Integer(n) => {
            toml::Value::Integer(i64::from_str_radix(n.as_str(), n.radix()).ok()?)
        }
        DeValue::Float(n) => toml::Value::Float(n.as_str().parse().ok()?),
        DeValue::Boolean(b) => toml::Value::Boolean(*b),
        DeValue::Datetime(d) => toml::Value::Datetime(*d),
        DeValue::Array(items) => toml::Value::Array(
            items
                .iter()
                .map(|v| plain(v.get_ref()))
                .collect::<Option<_>>()?,
        ),
        DeValue::Table(entries) => {
            let mut table = toml::Table::new();
            for (key, value) in entries {
                table.insert(key.get_ref().to_string(), plain(value.get_ref())?);
            }
            toml::Value::Table(table)
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn wrong_types_and_unknown_keys_are_told_with_their_place() {
        let document = Document::parse("[policy]\nwheels = 3\nwheel = 'x'\n").unwrap();
        let policy = document.root().table("policy").unwrap().unwrap();
        let fault = policy.string("wheels").unwrap_err();
        assert_eq!(
            (fault.message(), fault.offset()),
            ("`policy.wheels` must be a text, not a number", 18)
        );
        let fault = policy.ensure_known(&["wheels", "prefer"]).unwrap_err();
        assert_eq!(
            fault.to_string(),
            "`wheel` is not known in [policy] (did you mean `wheels`?)"
        );
    }

    #[test]
    fn what_is_no_toml_is_told_with_its_place() {
        let fault = Document::parse("a = 1\nb = [1,\n").unwrap_err();
        assert!(fault.message().starts_with("not valid TOML"), "{fault}");
        assert!(fault.offset() > 5);
    }
}
