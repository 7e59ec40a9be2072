//! The grammar of dependency specifiers (PEP 508, grammar):
//!
//! ```text
//! spec     = wsp* ( url_req | name_req ) wsp*
//! name_req = name wsp* [extras] wsp* [versions] wsp* [';' marker]
//! url_req  = name wsp* [extras] wsp* '@' wsp* URI [ wsp+ ';' marker ]
//! extras   = '[' wsp* [ name (wsp* ',' wsp* name)* ] wsp* ']'
//! versions = '(' set ')' | set
//! ```

use super::{Accepts, Requirement};
use crate::fault::{Fault, FaultKind, escaped};
use crate::marker::Marker;
use crate::name::{Name, is_name_byte};
use crate::version::{Operator, Version, VersionSpecifier};

/// Extras and URLs beyond these sizes are refused.
const LONGEST: usize = 16 * 1024;

pub(super) fn requirement(text: &str, lenient: bool) -> Result<Requirement, Fault> {
    if text.len() > LONGEST {
        return Err(Fault::of(
            FaultKind::Limit,
            format!("a requirement is longer than {LONGEST} bytes"),
            LONGEST,
        ));
    }
    let mut reader = Reader { text, at: 0 };
    let name = reader.name("a name is missing")?;
    let extras = reader.extras()?;
    reader.spaces();
    if reader.rest().starts_with('@') {
        reader.at += 1;
        let accepts = Accepts::Url(reader.url()?);
        let marker = reader.marker()?;
        return Ok(Requirement {
            name,
            extras,
            accepts,
            marker,
        });
    }
    let set = reader.versions(&name, lenient)?;
    let marker = reader.marker()?;
    Ok(Requirement {
        name,
        extras,
        accepts: Accepts::Versions(set),
        marker,
    })
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
        self.at += self.rest().len() - self.rest().trim_start().len();
    }

    fn name(&mut self, missing: &str) -> Result<Name, Fault> {
        self.spaces();
        let rest = self.rest();
        let mut length = rest.bytes().take_while(|b| is_name_byte(*b)).count();
        if rest
            .get(length..)
            .is_some_and(|r| r.starts_with(|c: char| !c.is_ascii()))
        {
            // A letter beyond ASCII belongs to the name that was meant: show it whole.
            length = rest
                .find(|c: char| c.is_whitespace() || "[]();,@<>=!~".contains(c))
                .unwrap_or(rest.len());
        }
        let word = rest.get(..length).unwrap_or("");
        if word.is_empty() {
            return Err(Fault::new(missing, self.at));
        }
        let name = Name::parse(word).map_err(|f| f.shifted(self.at))?;
        self.at += length;
        Ok(name)
    }

    fn extras(&mut self) -> Result<Vec<Name>, Fault> {
        let mut extras = Vec::new();
        self.spaces();
        if !self.rest().starts_with('[') {
            return Ok(extras);
        }
        self.at += 1;
        self.spaces();
        while !self.rest().starts_with(']') {
            if self.rest().is_empty() {
                return Err(Fault::new("a `]` is missing", self.at));
            }
            extras.push(self.name("the name of an extra is missing")?);
            self.spaces();
            if self.rest().starts_with(',') {
                self.at += 1;
                self.spaces();
                if self.rest().starts_with(']') {
                    return Err(Fault::new("the name of an extra is missing", self.at));
                }
            } else if !self.rest().starts_with(']') {
                return Err(Fault::new("a `]` is missing", self.at));
            }
        }
        self.at += 1;
        extras.sort();
        extras.dedup();
        Ok(extras)
    }

    /// Everything up to the first white space: a `;` glued to the URL belongs to it.
    fn url(&mut self) -> Result<String, Fault> {
        self.spaces();
        let rest = self.rest();
        let length = rest.find(char::is_whitespace).unwrap_or(rest.len());
        let url = rest.get(..length).unwrap_or("");
        if url.is_empty() {
            return Err(Fault::new("a URL is missing after `@`", self.at));
        }
        self.at += length;
        Ok(url.to_owned())
    }

    fn versions(&mut self, name: &Name, lenient: bool) -> Result<VersionSpecifier, Fault> {
        self.spaces();
        let rest = self.rest();
        let (inner, start, end) = if let Some(inside) = rest.strip_prefix('(') {
            let Some(close) = inside.find(')') else {
                return Err(Fault::new("a `)` is missing", self.text.len()));
            };
            (
                inside.get(..close).unwrap_or(""),
                self.at + 1,
                self.at + 1 + close + 1,
            )
        } else {
            let length = rest.find(';').unwrap_or(rest.len());
            (rest.get(..length).unwrap_or(""), self.at, self.at + length)
        };
        if Operator::at_start(inner.trim_start()).is_none() && Version::parse(inner).is_ok() {
            let fault = Fault::new(
                format!("a comparison is missing before `{}`", inner.trim()),
                start,
            );
            return Err(fault.hint(format!("write `{name}=={}`", inner.trim())));
        }
        ensure_commas(inner).map_err(|f| f.shifted(start))?;
        let set = if lenient {
            VersionSpecifier::parse_lenient(inner)
        } else {
            VersionSpecifier::parse(inner)
        };
        self.at = end;
        set.map_err(|f| f.shifted(start))
    }

    fn marker(&mut self) -> Result<Option<Marker>, Fault> {
        self.spaces();
        let rest = self.rest();
        if rest.is_empty() {
            return Ok(None);
        }
        let Some(marker) = rest.strip_prefix(';') else {
            return Err(Fault::new(
                format!(
                    "`;` and a marker, or the end, was expected before `{}`",
                    escaped(rest)
                ),
                self.at,
            ));
        };
        self.at += 1;
        Marker::parse(marker)
            .map(Some)
            .map_err(|f| f.shifted(self.at))
    }
}

/// White space inside a clause means that a comma was forgotten.
fn ensure_commas(set: &str) -> Result<(), Fault> {
    let mut at = 0;
    for piece in set.split(',') {
        let trimmed = piece.trim();
        let start = at + (piece.len() - piece.trim_start().len());
        let operator = Operator::at_start(trimmed).map_or(0, |(_, n)| n);
        let operand = trimmed.get(operator..).unwrap_or("");
        let lead = operand.len() - operand.trim_start().len();
        if let Some(gap) = operand.trim().find(char::is_whitespace) {
            let after = operand.get(lead + gap..).unwrap_or("");
            let next = start + operator + lead + gap + (after.len() - after.trim_start().len());
            return Err(Fault::new(
                format!(
                    "a comma or `;` is missing before `{}`",
                    escaped(after.trim_start())
                ),
                next,
            ));
        }
        at += piece.len() + 1;
    }
    Ok(())
}
