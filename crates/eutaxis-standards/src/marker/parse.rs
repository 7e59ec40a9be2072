//! The grammar of markers (PEP 508, grammar):
//!
//! ```text
//! marker   = and_expr (wsp* 'or' and_expr)*
//! and_expr = expr (wsp* 'and' expr)*                      'and' binds tighter
//! expr     = wsp* '(' marker wsp* ')' | var wsp* op wsp* var
//! op       = '<=' | '<' | '!=' | '===' | '==' | '>=' | '>' | '~=' | 'in' | 'not' wsp+ 'in'
//! var      = variable | "'" text "'" | '"' text '"'       no escapes in texts
//! ```

use super::{Comparison, Marker, Operand, Relation, Variable};
use crate::fault::{Fault, FaultKind, escaped};
use crate::name::nearest;
use crate::version::{Operator, Specifier};

/// Parentheses may be nested this deep.
const DEEPEST: usize = 64;

pub(super) fn marker(text: &str) -> Result<Marker, Fault> {
    let mut reader = Reader { text, at: 0 };
    let marker = reader.alternatives(0)?;
    reader.spaces();
    match reader.rest().chars().next() {
        None => Ok(marker),
        Some(')') => Err(Fault::new("a `)` without its `(`", reader.at)),
        Some(_) => Err(Fault::new(
            format!(
                "`and` or `or` was expected before `{}`",
                escaped(reader.rest())
            ),
            reader.at,
        )),
    }
}

struct Reader<'a> {
    text: &'a str,
    at: usize,
}

impl<'a> Reader<'a> {
    fn rest(&self) -> &'a str {
        self.text.get(self.at..).unwrap_or("")
    }

    fn spaces(&mut self) {
        self.at += self
            .rest()
            .bytes()
            .take_while(|b| matches!(b, b' ' | b'\t'))
            .count();
    }

    /// Takes a word such as `and` if it stands here whole.
    fn word(&mut self, wanted: &str) -> bool {
        self.spaces();
        let Some(after) = self.rest().strip_prefix(wanted) else {
            return false;
        };
        if after.starts_with(|c: char| c.is_ascii_alphanumeric() || c == '_') {
            return false;
        }
        self.at += wanted.len();
        true
    }

    fn alternatives(&mut self, depth: usize) -> Result<Marker, Fault> {
        let mut parts = vec![self.conjunction(depth)?];
        while self.word("or") {
            parts.push(self.conjunction(depth)?);
        }
        Ok(single_or(parts, Marker::Or))
    }

    fn conjunction(&mut self, depth: usize) -> Result<Marker, Fault> {
        let mut parts = vec![self.expression(depth)?];
        while self.word("and") {
            parts.push(self.expression(depth)?);
        }
        Ok(single_or(parts, Marker::And))
    }

    fn expression(&mut self, depth: usize) -> Result<Marker, Fault> {
        self.spaces();
        if !self.rest().starts_with('(') {
            return self.comparison();
        }
        let open = self.at;
        if depth >= DEEPEST {
            return Err(Fault::of(
                FaultKind::Limit,
                format!("parentheses are nested more than {DEEPEST} deep"),
                open,
            ));
        }
        self.at += 1;
        let inner = self.alternatives(depth + 1)?;
        self.spaces();
        if !self.rest().starts_with(')') {
            return Err(Fault::new("a `)` is missing", self.at));
        }
        self.at += 1;
        Ok(inner)
    }

    fn comparison(&mut self) -> Result<Marker, Fault> {
        let left = self.operand()?;
        self.spaces();
        let place = self.at;
        let relation = self.relation()?;
        let right_at = {
            self.spaces();
            self.at
        };
        let right = self.operand()?;
        if let (Relation::Version(Operator::Compatible), Operand::Text(text)) = (relation, &right) {
            Specifier::parse(&format!("~={text}"))
                .map_err(|f| Fault::new(f.message(), right_at))?;
        }
        let set = |o: &Operand| {
            matches!(
                o,
                Operand::Variable(Variable::Extras | Variable::DependencyGroups)
            )
        };
        if set(&left)
            || (set(&right)
                && !matches!(
                    (relation, &left),
                    (Relation::In | Relation::NotIn, Operand::Text(_))
                ))
        {
            return Err(
                Fault::new("`extras` and `dependency_groups` are sets", place)
                    .hint("write 'name' in extras"),
            );
        }
        Ok(Marker::Compare(Box::new(Comparison {
            left,
            relation,
            right,
        })))
    }

    fn relation(&mut self) -> Result<Relation, Fault> {
        if let Some((operator, length)) = Operator::at_start(self.rest()) {
            self.at += length;
            return Ok(Relation::Version(operator));
        }
        let start = self.at;
        if self.word("in") {
            return Ok(Relation::In);
        }
        if self.word("not") && self.word("in") {
            return Ok(Relation::NotIn);
        }
        self.at = start;
        let fault = Fault::new(
            format!(
                "a comparison was expected, found `{}`",
                escaped(self.rest())
            ),
            start,
        );
        Err(if self.rest().starts_with('=') {
            fault.hint("write `==`")
        } else {
            fault
        })
    }

    fn operand(&mut self) -> Result<Operand, Fault> {
        self.spaces();
        let rest = self.rest();
        let Some(first) = rest.chars().next() else {
            return Err(Fault::new(
                "the marker ends where a variable or a quoted text was expected",
                self.at,
            ));
        };
        if matches!(first, '\'' | '"') {
            let inner = rest.get(1..).unwrap_or("");
            let Some(length) = inner.find(first) else {
                return Err(Fault::new(
                    format!("the closing {first} is missing"),
                    self.at,
                ));
            };
            self.at += length + 2;
            return Ok(Operand::Text(inner.get(..length).unwrap_or("").to_owned()));
        }
        let length = rest
            .bytes()
            .take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.'))
            .count();
        let word = rest.get(..length).unwrap_or("");
        if let Some(variable) = Variable::parse(word) {
            self.at += length;
            return Ok(Operand::Variable(variable));
        }
        if word.is_empty() {
            return Err(Fault::new(
                format!("`{}` cannot stand in a marker", escaped(&first.to_string())),
                self.at,
            ));
        }
        let fault = Fault::of(
            FaultKind::Unknown,
            format!("`{word}` is not a marker variable"),
            self.at,
        );
        Err(match nearest(word, Variable::spellings(), 1).first() {
            Some(near) => fault.hint(format!("did you mean `{near}`?")),
            None => fault.hint("texts stand in quotes: \"3.8\""),
        })
    }
}

/// A lone part stands for itself.
fn single_or(mut parts: Vec<Marker>, many: impl Fn(Vec<Marker>) -> Marker) -> Marker {
    match parts.pop() {
        Some(only) if parts.is_empty() => only,
        Some(last) => {
            parts.push(last);
            many(parts)
        }
        None => many(parts),
    }
}
