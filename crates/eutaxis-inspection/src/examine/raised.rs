//! What a failed import ran into, by the traceback that it wrote.

/// What an import ran into.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Raised {
    /// Where it came along, the outermost first: file and line.
    pub frames: Vec<(String, u32)>,
    /// What was lacking, if that is what the exception says.
    pub kind: RaisedKind,
    /// The last line: the exception with its message.
    pub last: String,
    /// The first module of which an exception on the way says that it is not there.
    pub lacking: Option<String>,
}

/// What an exception says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RaisedKind {
    /// A module is not there.
    Module(String),
    /// A module does not have a name.
    Name {
        /// The module.
        module: String,
        /// The name.
        name: String,
    },
    /// A source is not one for this interpreter.
    Syntax,
    /// Something else.
    Other,
}

/// Reads what an import wrote.
pub fn raised(output: &str) -> Raised {
    let mut raised = Raised {
        frames: Vec::new(),
        kind: RaisedKind::Other,
        last: String::new(),
        lacking: None,
    };
    let mut code = "";
    for line in output.lines() {
        if line.starts_with("Traceback (most recent call last)") {
            // Of exceptions that follow from each other the last one ended the import.
            raised.frames.clear();
        } else if let Some(frame) = frame(line) {
            raised.frames.push(frame);
        } else if line.starts_with("    ") && !line.trim().is_empty() {
            code = line.trim();
        } else if is_exception(line) {
            raised.last = line.to_owned();
            raised.kind = kind(line, code);
            if let RaisedKind::Module(module) = &raised.kind {
                raised.lacking.get_or_insert_with(|| module.clone());
            }
        }
    }
    // An exception that only words the one before anew, for people.
    if raised.kind == RaisedKind::Other
        && raised.last.starts_with("ImportError: ")
        && let Some(module) = &raised.lacking
    {
        raised.kind = RaisedKind::Module(module.clone());
    }
    raised.frames.retain(|(file, _)| !file.starts_with('<'));
    raised
}

/// `  File "PATH", line N, in NAME`.
fn frame(line: &str) -> Option<(String, u32)> {
    let rest = line.strip_prefix("  File \"")?;
    let (path, rest) = rest.split_once("\", line ")?;
    let digits = rest.split(|c: char| !c.is_ascii_digit()).next()?;
    Some((path.to_owned(), digits.parse().ok()?))
}

/// `SomeError: message`, at the margin.
fn is_exception(line: &str) -> bool {
    let name = line.split(':').next().unwrap_or_default();
    let is_name = |w: &str| w.split('.').all(eutaxis_standards::name::is_identifier);
    is_name(name) && name.chars().any(char::is_uppercase)
}

fn kind(line: &str, code: &str) -> RaisedKind {
    let (name, message) = line.split_once(": ").unwrap_or((line, ""));
    let exception = name.rsplit('.').next().unwrap_or(name);
    let module = |text: &str| {
        unquoted(text).map_or_else(
            || text.split([' ', ';']).next().unwrap_or(text).to_owned(),
            str::to_owned,
        )
    };
    match exception {
        "ModuleNotFoundError" | "ImportError" => {
            if let Some(rest) = message.strip_prefix("No module named ") {
                return RaisedKind::Module(module(rest));
            }
            let Some(rest) = message.strip_prefix("cannot import name ") else {
                // What words another exception for people often quotes it.
                let quoted = message
                    .split_once("No module named '")
                    .map(|(_, rest)| rest);
                let named = quoted.and_then(|rest| rest.split('\'').next());
                return named.map_or(RaisedKind::Other, |m| RaisedKind::Module(m.to_owned()));
            };
            let name = module(rest);
            let from = rest.split_once(" from ").and_then(|(_, from)| {
                unquoted(from.trim_start_matches("partially initialized module "))
            });
            // Before 3.7 only the line of code tells the module.
            let from = from.map(str::to_owned).or_else(|| taken_from(code));
            from.map_or(RaisedKind::Other, |module| RaisedKind::Name {
                module,
                name,
            })
        }
        "AttributeError" => {
            let rest = message
                .strip_prefix("module ")
                .or_else(|| message.strip_prefix("partially initialized module "));
            let told = rest.and_then(|rest| {
                let name = unquoted(rest.split_once(" has no attribute ")?.1)?;
                Some((unquoted(rest)?.to_owned(), name.to_owned()))
            });
            told.map_or(RaisedKind::Other, |(module, name)| RaisedKind::Name {
                module,
                name,
            })
        }
        "SyntaxError" | "IndentationError" | "TabError" => RaisedKind::Syntax,
        _ => RaisedKind::Other,
    }
}

/// The text in the quotes at the beginning.
fn unquoted(text: &str) -> Option<&str> {
    let quote = text.chars().next().filter(|c| matches!(c, '\'' | '"'))?;
    text.get(1..)?.split(quote).next()
}

/// The module of `from MODULE import ...`, when it is named in full.
fn taken_from(code: &str) -> Option<String> {
    let module = code.strip_prefix("from ")?.split_whitespace().next()?;
    (!module.starts_with('.')).then(|| module.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn name(module: &str, name: &str) -> RaisedKind {
        RaisedKind::Name {
            module: module.into(),
            name: name.into(),
        }
    }

    #[rstest]
    #[case("ModuleNotFoundError: No module named 'tarnhelper'", RaisedKind::Module("tarnhelper".into()))]
    #[case("ModuleNotFoundError: No module named 'katabat.urls'; 'katabat' is not a package", RaisedKind::Module("katabat.urls".into()))]
    #[case(
        "ImportError: the maps are off: No module named 'tarnhelper'. See the guide",
        RaisedKind::Module("tarnhelper".into())
    )]
    #[case("ImportError: No module named tarnhelper", RaisedKind::Module("tarnhelper".into()))]
    #[case(
        "ImportError: cannot import name 'parse_url' from 'katabat.urls' (/camp/katabat/urls.py)",
        name("katabat.urls", "parse_url")
    )]
    #[case(
        "ImportError: cannot import name 'parse_url' from partially initialized module 'katabat' (most likely due to a circular import)",
        name("katabat", "parse_url")
    )]
    #[case(
        "ImportError: cannot import name 'parse_url'",
        name("katabat.urls", "parse_url")
    )]
    #[case(
        "AttributeError: module 'firnio' has no attribute 'depth'",
        name("firnio", "depth")
    )]
    #[case(
        "AttributeError: module 'firnio' has no attribute 'depth'. Did you mean: 'deep'?",
        name("firnio", "depth")
    )]
    #[case(
        "AttributeError: 'Log' object has no attribute 'depth'",
        RaisedKind::Other
    )]
    #[case("SyntaxError: invalid syntax", RaisedKind::Syntax)]
    #[case("firnio.errors.DepthError: too deep", RaisedKind::Other)]
    fn what_was_lacking(#[case] last: &str, #[case] expected: RaisedKind) {
        let output = format!(
            "Traceback (most recent call last):\n  File \"/camp/a.py\", line 3, in <module>\n    \
             import sastrugi\n  File \"/camp/sastrugi.py\", line 12, in <module>\n    \
             from katabat.urls import parse_url\n{last}\n"
        );
        let found = raised(&output);
        assert_eq!((found.kind, found.last.as_str()), (expected, last));
        assert_eq!(
            found.frames.last(),
            Some(&("/camp/sastrugi.py".to_owned(), 12))
        );
    }

    #[test]
    fn an_exception_that_words_another_anew_lacks_the_same() {
        let output = "Traceback (most recent call last):\n  File \"/a.py\", line 1, in <module>\n\
            ModuleNotFoundError: No module named 'tarnhelper'\n\nThe above exception was the direct \
            cause of the following exception:\n\nTraceback (most recent call last):\n  File \"/a.py\", \
            line 3, in <module>\nImportError: the maps need more: see the guide\n";
        assert_eq!(raised(output).kind, RaisedKind::Module("tarnhelper".into()));
    }

    #[test]
    fn of_several_exceptions_the_last_counts() {
        let output = "Traceback (most recent call last):\n  File \"/a.py\", line 1, in <module>\n\
            ImportError: No module named x\n\nDuring handling of the above exception, another \
            exception occurred:\n\nTraceback (most recent call last):\n  File \"<frozen importlib>\", \
            line 9, in f\n  File \"/b.py\", line 2, in <module>\nValueError: no\n";
        let found = raised(output);
        assert_eq!(found.frames, [("/b.py".to_owned(), 2)]);
        assert_eq!(
            (found.kind, found.last.as_str()),
            (RaisedKind::Other, "ValueError: no")
        );
    }
}
