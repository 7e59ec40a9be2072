//! What went wrong outside the process: what was being done, what was found, where, and what to do.

use std::error::Error as StdError;
use std::fmt;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::fault::{Fault, line_and_column};

/// Who has to act, and so which exit code the program ends with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ErrorKind {
    /// The request is wrong: usage, a file that cannot be read as asked.
    Request,
    /// The network failed.
    Network,
    /// A disk or file system failed.
    Disk,
    /// The system does not permit it.
    Permission,
    /// An interpreter is missing or does not do what it must.
    Interpreter,
    /// The contents of a depot, a wheel or the store are not what they must be.
    Contents,
    /// A wheel has the hash that it was pinned by, and is not what the standard asks of one: no other
    /// copy of it is better.
    Refused,
    /// The metadata of a file breaks the standard, or speaks of another file: that release cannot
    /// be used.
    Metadata,
    /// To answer, more would have to be fetched than is permitted: the answer is no.
    Budget,
    /// The user broke it off.
    Interrupted,
    /// A fault of ours: what must not happen happened.
    Internal,
}

impl ErrorKind {
    /// The word for it in JSON.
    pub fn as_str(self) -> &'static str {
        match self {
            ErrorKind::Request => "request",
            ErrorKind::Network => "network",
            ErrorKind::Disk => "disk",
            ErrorKind::Permission => "permission",
            ErrorKind::Interpreter => "interpreter",
            ErrorKind::Contents => "contents",
            ErrorKind::Refused => "refused",
            ErrorKind::Metadata => "metadata",
            ErrorKind::Budget => "budget",
            ErrorKind::Interrupted => "interrupted",
            ErrorKind::Internal => "internal",
        }
    }
}

/// A place in a text file, with the line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// The file, as the user named it.
    pub file: String,
    /// Line, from 1.
    pub line: u32,
    /// Column in characters, from 1.
    pub column: u32,
    /// The line's text.
    pub text: String,
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}:{}", self.file, self.line, self.column)
    }
}

/// An error with its place and remedy.
#[derive(Debug, Clone)]
pub struct Error {
    /// Who has to act.
    pub kind: ErrorKind,
    /// What is wrong, in a sentence.
    pub message: String,
    /// Where.
    pub places: Vec<Place>,
    /// What to do.
    pub help: Option<String>,
    /// Without the network: what was not fetched before.
    pub missing: Option<String>,
    /// What it came from: the system's own error, a reader's fault, a library's.
    source: Option<Arc<dyn StdError + Send + Sync>>,
}

/// All that is wrong at once, in the order in which it was found.
#[derive(Debug, Clone)]
pub struct Errors(Vec<Error>);

impl Errors {
    /// What was found; none when nothing is wrong.
    ///
    /// # Errors
    /// When something is.
    pub fn of(found: Vec<Error>) -> std::result::Result<(), Self> {
        if found.is_empty() {
            Ok(())
        } else {
            Err(Errors(found))
        }
    }

    /// All of them.
    pub fn all(&self) -> &[Error] {
        &self.0
    }

    /// The first of them; where there is none, an error of a request that says so much.
    pub fn into_first(self, otherwise: &str) -> Error {
        let first = self.0.into_iter().next();
        first.unwrap_or_else(|| Error::request(otherwise))
    }

    /// Whether each is of this kind.
    pub fn are_all(&self, kind: ErrorKind) -> bool {
        self.0.iter().all(|e| e.kind == kind)
    }
}

impl From<Error> for Errors {
    fn from(error: Error) -> Self {
        Errors(vec![error])
    }
}

impl FromIterator<Error> for Errors {
    /// Of what is known to be wrong somewhere.
    fn from_iter<I: IntoIterator<Item = Error>>(errors: I) -> Self {
        Errors(errors.into_iter().collect())
    }
}

impl IntoIterator for Errors {
    type Item = Error;
    type IntoIter = std::vec::IntoIter<Error>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

/// The result of everything in this crate.
pub type Result<T> = std::result::Result<T, Error>;

impl Error {
    /// An error without place.
    pub fn new(kind: ErrorKind, message: impl Into<String>) -> Self {
        Error {
            kind,
            message: message.into(),
            places: Vec::new(),
            help: None,
            missing: None,
            source: None,
        }
    }

    /// The same error with what it came from, for those who follow [`StdError::source`]; its words
    /// are complete without that.
    #[must_use]
    pub fn from_source(mut self, source: impl StdError + Send + Sync + 'static) -> Self {
        self.source = Some(Arc::new(source));
        self
    }

    /// The request is wrong.
    pub fn request(message: impl Into<String>) -> Self {
        Error::new(ErrorKind::Request, message)
    }

    /// The contents of a file are not what they must be.
    pub fn contents(message: impl Into<String>) -> Self {
        Error::new(ErrorKind::Contents, message)
    }

    /// The same error about a file that the user named: when it cannot be read, the request is
    /// wrong.
    #[must_use]
    pub fn of_request(self) -> Self {
        let kind = if self.kind == ErrorKind::Disk {
            ErrorKind::Request
        } else {
            self.kind
        };
        Error { kind, ..self }
    }

    /// The same error, for which somebody else has to act.
    #[must_use]
    pub fn as_kind(self, kind: ErrorKind) -> Self {
        Error { kind, ..self }
    }

    /// The same error with what else is known of it.
    #[must_use]
    pub fn also(mut self, note: &str) -> Self {
        self.message = format!("{}; {note}", self.message);
        self
    }

    /// The same error with advice.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// A fault in a text file, with its line.
    pub fn in_file(file: &str, text: &str, fault: &Fault) -> Self {
        let (line, column) = line_and_column(text, fault.offset());
        let shown = text.lines().nth(line as usize - 1).unwrap_or("").to_owned();
        let place = Place {
            file: file.to_owned(),
            line,
            column,
            text: shown,
        };
        Error {
            kind: ErrorKind::Request,
            message: fault.message().to_owned(),
            places: vec![place],
            help: fault.advice().map(str::to_owned),
            missing: None,
            source: Some(Arc::new(fault.clone())),
        }
    }

    /// A fault that has no line of its own.
    pub fn fault(kind: ErrorKind, doing: &str, fault: &Fault) -> Self {
        let error = Error::new(kind, format!("{doing}: {}", fault.message()));
        let error = error.from_source(fault.clone());
        match fault.advice() {
            Some(advice) => error.help(advice),
            None => error,
        }
    }

    /// A failure of the system, while doing something with a path.
    #[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
    pub fn io(doing: &str, path: &Path, error: &std::io::Error) -> Self {
        use std::io::ErrorKind as Io;
        let (kind, help) = match error.kind() {
            Io::PermissionDenied | Io::ReadOnlyFilesystem => (
                ErrorKind::Permission,
                Some("choose a place that you may write to"),
            ),
            Io::StorageFull | Io::QuotaExceeded => (
                ErrorKind::Disk,
                Some("make room on that disk, or name another place"),
            ),
            Io::NotFound => (ErrorKind::Disk, None),
            _ => (ErrorKind::Disk, None),
        };
        let message = format!("{doing} {}: {}", path.display(), plain_words(error));
        let found = Error::new(kind, message).from_source(copied(error));
        match help {
            Some(help) => found.help(help),
            None => found,
        }
    }
}

/// The system's error once more: it cannot be cloned.
fn copied(error: &std::io::Error) -> std::io::Error {
    match error.raw_os_error() {
        Some(code) => std::io::Error::from_raw_os_error(code),
        None => std::io::Error::new(error.kind(), error.to_string()),
    }
}

/// The system's words without its error number.
fn plain_words(error: &std::io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error")
        .next()
        .unwrap_or(&text)
        .to_lowercase()
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)
    }
}

impl StdError for Error {
    fn source(&self) -> Option<&(dyn StdError + 'static)> {
        let source = self.source.as_deref()?;
        Some(source)
    }
}

/// Adds what was being done, and with what, to a failure of the system.
pub trait Doing<T> {
    /// `doing` is a phrase such as "cannot read"; `path` what it was done with.
    ///
    /// # Errors
    /// The failure, with those words.
    fn doing(self, doing: &str, path: &Path) -> Result<T>;
}

impl<T> Doing<T> for std::io::Result<T> {
    fn doing(self, doing: &str, path: &Path) -> Result<T> {
        self.map_err(|e| Error::io(doing, path, &e))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_core::fault::FaultKind;
    use rstest::rstest;

    #[rstest]
    #[case(std::io::ErrorKind::PermissionDenied, ErrorKind::Permission, true)]
    #[case(std::io::ErrorKind::StorageFull, ErrorKind::Disk, true)]
    #[case(std::io::ErrorKind::NotFound, ErrorKind::Disk, false)]
    fn a_failure_of_the_system_keeps_its_kind_and_says_who_acts(
        #[case] system: std::io::ErrorKind,
        #[case] kind: ErrorKind,
        #[case] advised: bool,
    ) {
        let failed: std::io::Result<()> = Err(system.into());
        let error = failed.doing("cannot write", Path::new("camp/pylock.toml"));
        let error = error.unwrap_err();
        assert_eq!((error.kind, error.help.is_some()), (kind, advised));
        assert!(error.message.starts_with("cannot write camp/pylock.toml: "));
        let source = error
            .source()
            .and_then(|s| s.downcast_ref::<std::io::Error>());
        assert_eq!(source.map(std::io::Error::kind), Some(system));
    }

    #[test]
    fn a_fault_in_a_file_keeps_its_kind_and_has_a_place() {
        let text = "firnio\nradargram[\n";
        let fault = Fault::of(FaultKind::Limit, "too much of it", 16).hint("take less");
        let error = Error::in_file("asks.txt", text, &fault);
        assert_eq!(error.places[0].to_string(), "asks.txt:2:10");
        assert_eq!(error.help.as_deref(), Some("take less"));
        let source = error.source().and_then(|s| s.downcast_ref::<Fault>());
        assert_eq!(source.map(Fault::kind), Some(FaultKind::Limit));
    }

    #[test]
    fn errors_are_told_apart_by_their_kinds() {
        let all: Errors = [Error::request("a"), Error::contents("b")]
            .into_iter()
            .collect();
        assert!(!all.are_all(ErrorKind::Request));
        assert!(Errors::from(Error::request("a")).are_all(ErrorKind::Request));
        assert!(Errors::of(Vec::new()).is_ok());
    }
}
