//! What a source does to the machinery of imports, wherever it stands in it: a function that does it
//! may be called when the module starts. Read from its text, so that nothing is missed; what only
//! looks like it makes an answer unknown and never wrong.

use memchr::memmem;

/// What was seen.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Marks {
    /// It writes into its own names, or puts something else in its own place.
    pub(super) writes: bool,
    /// Modules that it makes or exchanges, by name; none for any.
    pub(super) makes: Vec<Option<String>>,
    /// `name.attribute = ...`, as name and attribute.
    pub(super) sets: Vec<(String, String)>,
    /// Names whose attributes are set by names that are computed.
    pub(super) sets_by_name: Vec<String>,
    pub(super) moves_path: bool,
    pub(super) finds: Option<Vec<String>>,
}

impl Marks {
    /// Reads the marks of a source; `top` is what of it is run on import.
    pub(super) fn read(source: &[u8], top: &[u8]) -> Self {
        let mut marks = Marks::default();
        for at in memmem::find_iter(source, "sys.modules") {
            marks.modules(source, at, at + "sys.modules".len());
        }
        if memmem::find(source, b"from sys import").is_some() {
            for at in memmem::find_iter(source, "modules[") {
                marks.modules(source, at, at + "modules".len());
            }
        }
        for (call, reads) in [("globals()", true), ("vars()", false), ("locals()", false)] {
            let text = if reads { source } else { top };
            for at in memmem::find_iter(text, call) {
                let after = text.get(at + call.len()..).unwrap_or_default();
                let before = text.get(..at).unwrap_or_default();
                marks.writes |= if reads {
                    !is_read(before, after)
                } else {
                    after.starts_with(b".update") || is_written(after)
                };
            }
        }
        marks.path(source);
        marks.attributes(source, top);
        marks
    }

    /// A place where `sys.modules` stands.
    fn modules(&mut self, source: &[u8], from: usize, to: usize) {
        let before = source.get(..from).unwrap_or_default();
        let after = source.get(to..).unwrap_or_default();
        if let Some(key) = key(after) {
            let own = key == "__name__";
            let text = key.trim_matches(['"', '\'']);
            let literal = (text.len() + 2 == key.len()).then(|| text.to_owned());
            let deleted = before.trim_ascii_end().ends_with(b"del");
            if is_written(after) && !deleted {
                match (own, literal) {
                    (true, _) => self.writes = true,
                    (false, literal) => self.makes.push(literal),
                }
            } else if own {
                // Who asks for the module itself may write into it.
                self.writes = true;
            }
        } else if !is_read(before, after) {
            self.makes.push(None);
        }
    }

    fn path(&mut self, source: &[u8]) {
        for name in ["sys.path", "__path__"] {
            for at in memmem::find_iter(source, name) {
                let after = source.get(at + name.len()..).unwrap_or_default();
                let moved = [".insert", ".append", ".extend", ".remove", "[:]", "[0:0]"];
                self.moves_path |=
                    is_assigned(after) || moved.iter().any(|m| after.starts_with(m.as_bytes()));
            }
        }
        let other = ["site.addsitedir", "addsitedir("];
        self.moves_path |= other
            .iter()
            .any(|o| memmem::find(source, o.as_bytes()).is_some());
        let finders = ["meta_path", "path_hooks", "builtins.__import__ ="];
        if finders
            .iter()
            .any(|f| memmem::find(source, f.as_bytes()).is_some())
        {
            self.finds = Some(texts(source));
        }
    }

    /// `name.attribute = ...` anywhere, and `setattr(name, ...)` in what is run.
    fn attributes(&mut self, source: &[u8], top: &[u8]) {
        for line in source.split(|b| *b == b'\n') {
            let line = line.trim_ascii_start();
            let (name, rest) = word(line);
            if name.is_empty() || matches!(name, b"self" | b"cls") {
                continue;
            }
            let Some(rest) = rest.strip_prefix(b".") else {
                continue;
            };
            let (attribute, rest) = word(rest);
            if !attribute.is_empty() && is_assigned(rest) {
                self.sets.push((owned(name), owned(attribute)));
            }
        }
        for at in memmem::find_iter(top, "setattr(") {
            let (name, _) = word(top.get(at + "setattr(".len()..).unwrap_or_default());
            self.sets_by_name.push(owned(name));
        }
    }
}

/// Whether what stands before and after a mapping of names only reads it.
fn is_read(before: &[u8], after: &[u8]) -> bool {
    let before = before.trim_ascii_end();
    let asked = [
        &b" in"[..],
        b"list(",
        b"dict(",
        b"set(",
        b"sorted(",
        b"len(",
        b"tuple(",
    ];
    let reads = [
        &b".get("[..],
        b".keys(",
        b".items(",
        b".values(",
        b".copy(",
        b".pop(",
    ];
    asked.iter().any(|a| before.ends_with(a))
        || reads.iter().any(|r| after.starts_with(r))
        || (key(after).is_some() && !is_written(after))
}

/// The text between the brackets that follow.
fn key(after: &[u8]) -> Option<String> {
    let inside = after.trim_ascii_start().strip_prefix(b"[")?;
    let end = memchr::memchr2(b']', b'\n', inside)?;
    let text = inside.get(..end)?;
    (inside.get(end) == Some(&b']')).then(|| String::from_utf8_lossy(text).trim().to_owned())
}

/// Whether what follows a mapping is `[key] = ...`, also as one of several.
fn is_written(after: &[u8]) -> bool {
    let Some(inside) = after.trim_ascii_start().strip_prefix(b"[") else {
        return false;
    };
    let mut depth = 1usize;
    for (at, byte) in inside.iter().enumerate() {
        match byte {
            b'[' => depth += 1,
            b']' => depth -= 1,
            b'\n' => return true,
            _ => {}
        }
        if depth == 0 {
            return is_assigned(inside.get(at + 1..).unwrap_or_default());
        }
    }
    true
}

/// Whether `=` follows, or an operator with it, and not a comparison.
fn is_assigned(after: &[u8]) -> bool {
    let after = after.trim_ascii_start();
    let after = match after.first() {
        Some(b'+' | b'-' | b'|' | b'*') => after.get(1..).unwrap_or_default(),
        // `a, b = ...` and `a: kind = ...`.
        Some(b',' | b':') => {
            let line = after.split(|b| *b == b'\n').next().unwrap_or_default();
            return memmem::find(line, b" = ").is_some();
        }
        _ => after,
    };
    after.first() == Some(&b'=') && after.get(1) != Some(&b'=')
}

/// Texts in quotes that are names of modules.
fn texts(source: &[u8]) -> Vec<String> {
    let mut found: Vec<String> = Vec::new();
    for quote in [b'"', b'\''] {
        for part in source.split(|b| *b == quote) {
            let is_name = |w: &[u8]| {
                w.first()
                    .is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_')
                    && w.iter()
                        .all(|b| b.is_ascii_alphanumeric() || *b == b'_' || *b == b'.')
            };
            if part.len() < 80 && is_name(part) {
                found.push(owned(part));
            }
        }
    }
    found.sort();
    found.dedup();
    found
}

fn word(text: &[u8]) -> (&[u8], &[u8]) {
    let is_part = |b: &u8| b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80;
    let end = text.iter().position(|b| !is_part(b)).unwrap_or(text.len());
    text.split_at_checked(end).unwrap_or((text, &[]))
}

fn owned(text: &[u8]) -> String {
    String::from_utf8_lossy(text).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn marks(source: &str) -> Marks {
        Marks::read(source.as_bytes(), source.as_bytes())
    }

    #[rstest]
    #[case::asks("if 'firn' in sys.modules: pass", false, &[])]
    #[case::reads("m = sys.modules['firn']", false, &[])]
    #[case::reads_by_name("m = sys.modules[cls.__module__].__dict__", false, &[])]
    #[case::gets("m = sys.modules.get(name)", false, &[])]
    #[case::itself("sys.modules[__name__] = Lazy()", true, &[])]
    #[case::itself_read("module = sys.modules[__name__]", true, &[])]
    #[case::named("sys.modules['firn.moves'] = Moves()", false, &[Some("firn.moves")])]
    #[case::computed("sys.modules[__name__ + '.moves'] = Moves()", false, &[None])]
    #[case::updates("sys.modules.update(found)", false, &[None])]
    #[case::handed_on("find(sys.modules)", false, &[None])]
    #[case::compares("if sys.modules['a'] == b: pass", false, &[])]
    #[case::forgets("del sys.modules['a']", false, &[])]
    #[case::globals("globals()['a'] = 1", true, &[])]
    #[case::globals_updated("globals().update(found)", true, &[])]
    #[case::globals_handed_on("fill(globals())", true, &[])]
    #[case::globals_read("x = globals()['a']", false, &[])]
    #[case::globals_asked("if 'a' in globals(): pass", false, &[])]
    #[case::local_names_read("def f(): return locals()['a']", false, &[])]
    fn what_is_done_to_modules_is_seen(
        #[case] source: &str,
        #[case] writes: bool,
        #[case] makes: &[Option<&str>],
    ) {
        let found = marks(source);
        let made: Vec<_> = found.makes.iter().map(Option::as_deref).collect();
        assert_eq!((found.writes, made.as_slice()), (writes, makes));
    }

    #[rstest]
    #[case("sys.path.insert(0, here)", true)]
    #[case("sys.path[:] = found", true)]
    #[case("for p in sys.path: pass", false)]
    #[case("__path__ = extend_path(__path__, __name__)", true)]
    #[case("__path__ += more", true)]
    #[case("print(__path__)", false)]
    fn where_modules_are_looked_for_may_change(#[case] source: &str, #[case] moves: bool) {
        assert_eq!(marks(source).moves_path, moves);
    }

    #[test]
    fn a_finder_tells_what_it_may_find() {
        let found = marks("FOUND = ['tarnhelper', 'no name']\nsys.meta_path.insert(0, F())");
        assert_eq!(found.finds, Some(vec!["tarnhelper".to_owned()]));
    }

    #[rstest]
    #[case("firn.depth = 1", &[("firn", "depth")])]
    #[case("self.depth = 1", &[])]
    #[case("firn.depth == 1", &[])]
    #[case("firn.depth, firn.b = 1, 2", &[("firn", "depth")])]
    #[case("firn.depth(a=1)", &[])]
    fn what_is_set_in_others_is_seen(#[case] source: &str, #[case] sets: &[(&str, &str)]) {
        let found = marks(source).sets;
        let found: Vec<_> = found
            .iter()
            .map(|(a, b)| (a.as_str(), b.as_str()))
            .collect();
        assert_eq!(found, sets);
    }
}
