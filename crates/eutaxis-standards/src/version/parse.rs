//! The grammar of version identifiers (PEP 440, appendix B), case-insensitive, ASCII.
//!
//! ```text
//! version = ws* 'v'? [epoch '!'] release [pre] [post] [dev] ['+' local] ws*
//! release = digit+ ('.' digit+)*
//! pre     = [sep] ('alpha'|'a'|'beta'|'b'|'preview'|'pre'|'c'|'rc') [sep] [digit+]
//! post    = '-' digit+  |  [sep] ('post'|'rev'|'r') [sep] [digit+]
//! dev     = [sep] 'dev' [sep] [digit+]
//! local   = alnum+ (sep alnum+)*          sep = '.' | '-' | '_'
//! ```

use super::{LocalSegment, Number, Parts, PreKind, Version, kind};
use crate::fault::{Fault, FaultKind, escaped};

/// Longer texts are refused: hostile data may hold megabytes of digits.
const LONGEST: usize = 512;

/// Spellings of the pre-release kinds, longest first.
const PRE: [(&str, PreKind); 8] = [
    ("preview", PreKind::Candidate),
    ("alpha", PreKind::Alpha),
    ("beta", PreKind::Beta),
    ("pre", PreKind::Candidate),
    ("rc", PreKind::Candidate),
    ("a", PreKind::Alpha),
    ("b", PreKind::Beta),
    ("c", PreKind::Candidate),
];
const POST: [(&str, ()); 3] = [("post", ()), ("rev", ()), ("r", ())];
const DEV: [(&str, ()); 1] = [("dev", ())];

pub(super) fn version(text: &str) -> Result<Version, Fault> {
    if let Some(version) = plain(text.as_bytes()) {
        return Ok(version);
    }
    if text.len() > LONGEST {
        return Err(Fault::of(
            FaultKind::Limit,
            format!("a version is longer than {LONGEST} characters"),
            LONGEST,
        ));
    }
    let mut reader = Reader {
        text,
        at: text.len() - text.trim_start().len(),
    };
    let end = text.trim_end().len();
    let parts = reader.parts()?;
    if reader.at < end || parts.release.is_empty() {
        let shown = escaped(text.trim());
        let message = if shown.is_empty() {
            "a version is missing".to_owned()
        } else {
            let meant = with_single_dots(text.trim());
            let meant = meant.map_or(String::new(), |m| format!(" (a dot too many: {m})"));
            format!("not a version: `{shown}`{meant}")
        };
        return Err(Fault::new(message, reader.at));
    }
    Ok(Version::from_parts(parts))
}

/// What is meant where dots are doubled, or stand at the end.
fn with_single_dots(text: &str) -> Option<String> {
    let parts: Vec<&str> = text.split('.').filter(|p| !p.is_empty()).collect();
    let single = parts.join(".");
    (single != text && version(&single).is_ok()).then_some(single)
}

/// The usual case, `1.2.3` and `1.2rc3`, straight into the short form; `None` hands over to the
/// whole grammar.
fn plain(bytes: &[u8]) -> Option<Version> {
    let mut key = 0u128;
    let mut written = 0usize;
    let mut rest = bytes;
    loop {
        let (value, after) = digits(rest)?;
        let bits = super::RELEASE_BITS.get(written)?;
        if value >= 1 << bits {
            return None;
        }
        key |= u128::from(value) << super::RELEASE_SHIFTS.get(written)?;
        written += 1;
        match after {
            [] => {
                return Some(Version::packed(
                    key | kind::FINAL << super::KIND_SHIFT,
                    written as u8,
                ));
            }
            [b'.', next @ ..] if next.first()?.is_ascii_digit() => rest = next,
            other => {
                rest = other;
                break;
            }
        }
    }
    let (suffix, rest) = match rest {
        [b'a', r @ ..] => (kind::ALPHA, r),
        [b'b', r @ ..] => (kind::BETA, r),
        [b'r', b'c', r @ ..] => (kind::CANDIDATE, r),
        [b'.', b'd', b'e', b'v', r @ ..] => (kind::DEV, r),
        [b'.', b'p', b'o', b's', b't', r @ ..] => (kind::POST, r),
        _ => return None,
    };
    match digits(rest)? {
        (value, []) if value < 1 << super::NUMBER_BITS => Some(Version::packed(
            key | suffix << super::KIND_SHIFT | u128::from(value),
            written as u8,
        )),
        _ => None,
    }
}

/// At least one and at most ten digits, with the unread rest.
fn digits(bytes: &[u8]) -> Option<(u64, &[u8])> {
    let mut value = 0u64;
    let mut used = 0;
    for b in bytes.iter().take_while(|b| b.is_ascii_digit()) {
        value = value * 10 + u64::from(b - b'0');
        used += 1;
        if used > 10 {
            return None;
        }
    }
    if used == 0 {
        None
    } else {
        Some((value, bytes.get(used..)?))
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

    fn eat(&mut self, wanted: &str) -> bool {
        let found = self
            .rest()
            .get(..wanted.len())
            .is_some_and(|t| t.eq_ignore_ascii_case(wanted));
        if found {
            self.at += wanted.len();
        }
        found
    }

    fn separator(&mut self) -> bool {
        let found = self.rest().starts_with(['.', '-', '_']);
        self.at += usize::from(found);
        found
    }

    fn number(&mut self) -> Option<Number> {
        let rest = self.rest();
        let length = rest.bytes().take_while(u8::is_ascii_digit).count();
        let digits = rest.get(..length).filter(|d| !d.is_empty())?;
        self.at += length;
        Some(Number::from_digits(digits))
    }

    fn parts(&mut self) -> Result<Parts, Fault> {
        self.eat("v");
        let mut parts = Parts::default();
        let Some(first) = self.number() else {
            return Ok(parts);
        };
        if self.eat("!") {
            parts.epoch = first;
            let Some(number) = self.number() else {
                return Ok(parts);
            };
            parts.release.push(number);
        } else {
            parts.release.push(first);
        }
        self.release(&mut parts);
        parts.pre = self.tagged(&PRE);
        parts.post = self
            .implicit_post()
            .or_else(|| self.tagged(&POST).map(|(_, n)| n));
        parts.dev = self.tagged(&DEV).map(|(_, n)| n);
        if self.eat("+") {
            parts.local = self.local()?;
        }
        Ok(parts)
    }

    fn release(&mut self, parts: &mut Parts) {
        loop {
            let before = self.at;
            if !self.eat(".") {
                return;
            }
            let Some(number) = self.number() else {
                self.at = before;
                return;
            };
            parts.release.push(number);
        }
    }

    /// `[sep] TAG [sep] [digits]`: the published grammar lets the second separator dangle.
    fn tagged<T: Copy>(&mut self, tags: &[(&str, T)]) -> Option<(T, Number)> {
        let before = self.at;
        self.separator();
        for (tag, value) in tags {
            if self.eat(tag) {
                self.separator();
                return Some((*value, self.number().unwrap_or(Number::ZERO)));
            }
        }
        self.at = before;
        None
    }

    /// `-N`, the number mandatory.
    fn implicit_post(&mut self) -> Option<Number> {
        let before = self.at;
        let number = if self.eat("-") { self.number() } else { None };
        if number.is_none() {
            self.at = before;
        }
        number
    }

    fn local(&mut self) -> Result<Vec<LocalSegment>, Fault> {
        let mut segments = Vec::new();
        loop {
            let rest = self.rest();
            let length = rest.bytes().take_while(u8::is_ascii_alphanumeric).count();
            let Some(segment) = rest.get(..length).filter(|s| !s.is_empty()) else {
                return Err(Fault::new(
                    "letters or digits are missing in the local label of a version",
                    self.at,
                ));
            };
            self.at += length;
            segments.push(if segment.bytes().all(|b| b.is_ascii_digit()) {
                LocalSegment::Number(Number::from_digits(segment))
            } else {
                LocalSegment::Text(segment.to_ascii_lowercase().into())
            });
            if !self.separator() {
                return Ok(segments);
            }
        }
    }
}
