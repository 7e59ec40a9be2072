//! What breaks installations, builds and imports, and by which words of a log it is known
//! (`knowledge/causes.toml`).

pub(super) mod literals;
mod skim;

use std::collections::BTreeMap;
use std::sync::{Arc, LazyLock, OnceLock};

use regex::bytes::{Regex, RegexBuilder};
use serde::Deserialize;
pub use skim::Skim;
use toml::Spanned;

use crate::fault::{Fault, FaultKind};

/// A text, or several of which the first is taken whose facts are all known.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(untagged)]
pub enum Wording {
    /// Nothing.
    #[default]
    Nothing,
    /// One.
    One(String),
    /// Several.
    Several(Vec<String>),
}

impl Wording {
    /// All of them, the most telling first.
    pub fn each(&self) -> &[String] {
        match self {
            Wording::Nothing => &[],
            Wording::One(one) => std::slice::from_ref(one),
            Wording::Several(several) => several,
        }
    }
}

/// What is to be done, in words with facts in braces.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Advice {
    /// In words.
    pub text: String,
    /// The command to type, or the line to change.
    pub change: Option<String>,
    /// The same on macOS, where it is another one.
    pub macos: Option<String>,
    /// The same in the shell of Windows, which has none of those that others have.
    pub windows: Option<String>,
}

impl Advice {
    /// What is to be typed on a system (`linux`, `macos`, `windows`): commands of this program are
    /// the same everywhere.
    pub fn change_on(&self, system: &str) -> Option<&str> {
        let own = match system {
            "windows" => &self.windows,
            "macos" => &self.macos,
            _ => &None,
        };
        let common = self.change.as_deref();
        let is_line = |c: &&str| !c.starts_with("eutaxis ") && !c.starts_with("--");
        let common = common.filter(|c| system != "windows" || !is_line(c));
        own.as_deref().or(common)
    }
}

/// What a cause can be held against.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum CheckKind {
    /// The releases that the depots have for the target.
    Offers,
    /// The names that the depots have.
    Names,
    /// What brings a library, and whether it is here.
    Libraries,
    /// Where a module is, and which project brings it.
    Modules,
    /// What moved between series of a project.
    Moved,
    /// Everything that is asked for, together.
    Together,
    /// What the build of a release takes by its archive.
    Builds,
    /// The interpreters here that have what this one does not.
    Interpreters,
    /// The file that is named, where it is here.
    Files,
}

/// A kind of cause.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CauseKind {
    /// Its id.
    pub id: String,
    /// How near to the root it lies when several are seen: the smaller, the nearer.
    pub depth: u32,
    /// The cause in a few plain words.
    pub title: Wording,
    /// Why that is so, and what it means.
    #[serde(default)]
    pub why: Wording,
    /// Kinds that go away when this one is mended; `*` stands for all that lie higher.
    #[serde(default)]
    pub hides: Vec<String>,
    /// What it is held against, where there is an environment, a target or a depot.
    #[serde(default)]
    pub checks: Vec<CheckKind>,
    /// A good end of the program that told it does not mend it.
    #[serde(default)]
    pub lasting: bool,
    /// What to do, best first.
    #[serde(default)]
    pub remedies: Vec<Advice>,
    /// Usual cures that do not help here, and why.
    #[serde(default)]
    pub would_not_help: Vec<Vain>,
}

/// A cure that does not help.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(untagged)]
pub enum Vain {
    /// In words, which say why.
    Said(String),
    /// The same of a cure that the checks know, so that none of them names it.
    Known {
        /// The words.
        text: String,
        /// The cure.
        cure: Cure,
    },
}

/// A cure that the checks know.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Cure {
    /// Another interpreter.
    Interpreter,
}

impl Vain {
    /// Its words.
    pub fn text(&self) -> &str {
        match self {
            Vain::Said(text) | Vain::Known { text, .. } => text,
        }
    }

    /// The cure, where the checks know it.
    pub fn cure(&self) -> Option<Cure> {
        match self {
            Vain::Said(_) => None,
            Vain::Known { cure, .. } => Some(*cure),
        }
    }
}

/// How sure a sign is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Confidence {
    /// It may have another cause.
    Low,
    /// It usually has this cause.
    Medium,
    /// It says so.
    High,
}

impl Confidence {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Confidence::Low => "low",
            Confidence::Medium => "medium",
            Confidence::High => "high",
        }
    }
}

/// What must hold beside the words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Condition {
    /// In the course of a build.
    Build,
    /// Not in the course of one.
    NoBuild,
    /// A file outside the folders of packages bears the name of the module.
    OwnFile,
    /// Code of a library imports a module, and gets a file outside the folders of packages.
    OwnImported,
    /// The last file, or the one that is named, lies in a folder of packages or of the standard
    /// library.
    LibraryFile,
    /// The module is part of the standard library of some series.
    Standard,
    /// The module was part of the standard library, and the interpreter (if it is known) no longer
    /// has it.
    Dropped,
    /// The module is part of the standard library from a series on that the interpreter (if it is
    /// known) is older than.
    Later,
    /// The module is part of the standard library, and an interpreter can be built without it.
    StandardPart,
    /// The module of the standard library had the name, and the interpreter (if it is known) no longer
    /// has it there.
    NameDropped,
    /// The module of the standard library has the name from a series on that the interpreter (if it is
    /// known) is older than.
    NameLater,
    /// The module of the standard library has the name in the interpreter that ran.
    NameThere,
    /// Nothing is recorded of the name: it may have come after what is known.
    NameUnknown,
    /// The last line of code has a form that the interpreter (if it is known) does not read yet.
    NewerSyntax,
    /// Modules, among them the one that is spoken of, import each other.
    Circle,
    /// The library belongs to the toolkit of an accelerator.
    ToolkitLibrary,
    /// The tool is one that builds need.
    BuildTool,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct SignEntry {
    cause: Spanned<String>,
    line: Vec<Spanned<String>>,
    #[serde(default)]
    when: Vec<Condition>,
    code: Option<Spanned<String>>,
    #[serde(default)]
    facts: BTreeMap<String, String>,
    sure: Option<Confidence>,
    #[serde(default)]
    follow: Vec<Spanned<String>>,
    #[serde(default)]
    transient: bool,
    title: Option<Wording>,
    why: Option<Wording>,
    remedies: Option<Vec<Advice>>,
    would_not_help: Option<Vec<Vain>>,
}

/// How a step, or all of it, went.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Course {
    /// What was tried is done: what went wrong before was overcome.
    Well,
    /// It goes on: what was tried again and again has succeeded.
    On,
    /// It ended badly.
    Badly,
    /// A build begins.
    Build,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct CourseEntry {
    how: Course,
    line: Vec<Spanned<String>>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[serde(default)]
    piece: BTreeMap<String, Spanned<String>>,
    #[serde(default)]
    cause: Vec<CauseKind>,
    #[serde(default)]
    sign: Vec<SignEntry>,
    #[serde(default)]
    course: Vec<CourseEntry>,
}

/// By what a cause is known.
#[derive(Debug, Clone)]
pub struct Sign {
    /// The kind of cause, as a place in the list.
    pub kind: usize,
    /// What must hold beside the words.
    pub when: Vec<Condition>,
    /// What the last line of code must be like, as the number of a pattern.
    pub code: Option<usize>,
    /// Facts that it tells without words.
    pub facts: BTreeMap<String, String>,
    /// How sure it is.
    pub sure: Confidence,
    /// Patterns for the lines that follow, by their numbers.
    pub follow: Vec<usize>,
    /// It is told of attempts that are made again.
    pub transient: bool,
    /// Words in place of those of the kind.
    pub title: Option<Wording>,
    /// The same.
    pub why: Option<Wording>,
    /// The same.
    pub remedies: Option<Vec<Advice>>,
    /// The same.
    pub would_not_help: Option<Vec<Vain>>,
}

/// What a pattern is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Use {
    /// A sign, by its number.
    Sign(usize),
    /// How it goes.
    Course(Course),
    /// What a sign looks for beside its line.
    Beside,
}

#[derive(Debug, Clone)]
struct Pattern {
    text: String,
    regex: OnceLock<Option<Regex>>,
    purpose: Use,
}

impl Pattern {
    /// Compiled when it is first needed: most logs need few. It was tried when it was read, or by a
    /// test.
    fn regex(&self) -> Option<&Regex> {
        self.regex
            .get_or_init(|| compiled(&self.text).ok())
            .as_ref()
    }
}

fn compiled(text: &str) -> Result<Regex, String> {
    // Classes are those of ASCII; a line of a log may hold any bytes.
    let built = RegexBuilder::new(text)
        .unicode(false)
        .case_insensitive(true)
        .size_limit(1 << 20)
        .build();
    // The last line of the regex crate's message says it; the others draw the pattern.
    built.map_err(|e| {
        e.to_string()
            .lines()
            .last()
            .unwrap_or_default()
            .trim_start_matches("error: ")
            .to_owned()
    })
}

/// Lines with one of these are always worth a look: what begins a traceback of the interpreter, and
/// what may stand in the middle of a text that a pattern looks for, colours and typographic quotes, and
/// what begins a command or a step, or ends a run of tests. A line feed stands for the beginning of a
/// line, or what a service puts before it; case counts there.
const ALWAYS: [&str; 17] = [
    " tests in ",
    "Ran 1 test in",
    "$ ",
    "@",
    "\n+ ",
    "C:\\",
    "D:\\",
    "\nStep ",
    "\nRun ",
    "] RUN ",
    "##[group]",
    "##[section]",
    "Traceback (most recent call last)",
    "File \"",
    "\u{1b}",
    "\u{2018}",
    "\u{201c}",
];

/// What stands between the name of a group and its number, where alternatives of a pattern tell the
/// same fact.
const AGAIN: &str = "__";

/// The groups of a pattern that bear one name, told apart: a regular expression has a name once
/// only.
pub(super) fn told_apart(pattern: &str) -> String {
    let mut times: BTreeMap<&str, usize> = BTreeMap::new();
    let mut out = String::new();
    let mut rest = pattern;
    while let Some((before, after)) = rest.split_once("(?<") {
        let Some((name, after)) = after.split_once('>') else {
            break;
        };
        let count = times.entry(name).or_default();
        *count += 1;
        let number = if *count > 1 {
            format!("{AGAIN}{count}")
        } else {
            String::new()
        };
        out.push_str(&format!("{before}(?<{name}{number}>"));
        rest = after;
    }
    out.push_str(rest);
    out
}

/// The name of a group as it was before they were told apart.
pub(super) fn untold(name: &str) -> &str {
    name.split(AGAIN).next().unwrap_or(name)
}

/// All that is known of causes.
#[derive(Debug, Clone, Default)]
pub struct Causes {
    kinds: Vec<CauseKind>,
    signs: Vec<Sign>,
    pieces: BTreeMap<String, String>,
    patterns: Vec<Pattern>,
    /// Texts one of which a line must hold so that a pattern can find something in it, with the
    /// pattern's number.
    hints: Vec<(String, usize)>,
    /// Patterns without such a text.
    always: Vec<usize>,
    skim: OnceLock<Option<Skim>>,
}

static BUILT_IN: LazyLock<Arc<Causes>> = LazyLock::new(|| {
    // The file is compiled in and every pattern of it is compiled by a test; here they are compiled
    // when they are needed.
    let text = include_str!("../../../../knowledge/causes.toml");
    Arc::new(Causes::default().read(text, false).unwrap_or_default())
});

impl Causes {
    /// What is compiled in.
    pub fn built_in() -> Arc<Self> {
        Arc::clone(&BUILT_IN)
    }

    /// The same with a further file: kinds of its own, or other words for those that are known;
    /// signs that are tried first.
    ///
    /// # Errors
    /// When the file is not of the form or a pattern is none, with the place.
    pub fn with(&self, text: &str) -> Result<Self, Fault> {
        self.read(text, true)
    }

    fn read(&self, text: &str, check: bool) -> Result<Self, Fault> {
        let file: File = toml::from_str(text).map_err(|e| {
            Fault::new(
                e.message().trim().to_owned(),
                e.span().map_or(0, |s| s.start),
            )
        })?;
        let mut causes = Causes {
            pieces: self.pieces.clone(),
            kinds: self.kinds.clone(),
            ..Causes::default()
        };
        for (name, piece) in file.piece {
            causes.pieces.insert(name, piece.into_inner());
        }
        for mut kind in file.cause {
            match causes.kinds.iter_mut().find(|k| k.id == kind.id) {
                Some(known) => {
                    // Other words for a known kind are held against what it is held against.
                    if kind.checks.is_empty() {
                        kind.checks.clone_from(&known.checks);
                    }
                    *known = kind;
                }
                None => causes.kinds.push(kind),
            }
        }
        for entry in &file.sign {
            causes.add_sign(entry, check)?;
        }
        for course in &file.course {
            for line in &course.line {
                causes.add(line, Use::Course(course.how), check)?;
            }
        }
        causes.append(self);
        causes.gather_hints();
        Ok(causes)
    }

    fn add_sign(&mut self, entry: &SignEntry, check: bool) -> Result<(), Fault> {
        let id = entry.cause.get_ref();
        let Some(kind) = self.kinds.iter().position(|k| k.id == *id) else {
            let fault = Fault::of(
                FaultKind::Unknown,
                format!("no cause has the id `{id}`"),
                entry.cause.span().start,
            );
            return Err(fault.hint("name one of docs/diagnose.md, or describe it under [[cause]]"));
        };
        let number = self.signs.len();
        let follow = entry
            .follow
            .iter()
            .map(|f| self.add(f, Use::Beside, check))
            .collect::<Result<_, _>>()?;
        let code = entry
            .code
            .as_ref()
            .map(|c| self.add(c, Use::Beside, check))
            .transpose()?;
        for line in &entry.line {
            self.add(line, Use::Sign(number), check)?;
        }
        self.signs.push(Sign {
            kind,
            when: entry.when.clone(),
            code,
            facts: entry.facts.clone(),
            sure: entry.sure.unwrap_or(Confidence::High),
            follow,
            transient: entry.transient,
            title: entry.title.clone(),
            why: entry.why.clone(),
            remedies: entry.remedies.clone(),
            would_not_help: entry.would_not_help.clone(),
        });
        Ok(())
    }

    fn add(&mut self, text: &Spanned<String>, purpose: Use, check: bool) -> Result<usize, Fault> {
        let at = text.span().start;
        let whole = self
            .with_pieces(text.get_ref())
            .map_err(|m| Fault::new(m, at))?;
        if check {
            compiled(&whole).map_err(|m| Fault::new(format!("this is no pattern: {m}"), at))?;
        }
        self.patterns.push(Pattern {
            text: whole,
            regex: OnceLock::new(),
            purpose,
        });
        Ok(self.patterns.len() - 1)
    }

    /// `%name%` is a group of that name with the piece's pattern.
    fn with_pieces(&self, text: &str) -> Result<String, String> {
        let mut out = String::new();
        let mut rest = text;
        while let Some((before, after)) = rest.split_once('%') {
            out.push_str(before);
            let Some((name, after)) = after.split_once('%') else {
                return Err(
                    "a `%` begins the name of a piece, and no second one ends it; write \\x25 for \
                        the sign"
                        .to_owned(),
                );
            };
            let Some(piece) = self.pieces.get(name) else {
                return Err(format!("there is no piece `{name}` ([piece])"));
            };
            out.push_str(&format!("(?<{name}>{piece})"));
            rest = after;
        }
        out.push_str(rest);
        Ok(told_apart(&out))
    }

    /// What was known before comes after what is new.
    fn append(&mut self, other: &Causes) {
        let (signs, patterns) = (self.signs.len(), self.patterns.len());
        for sign in &other.signs {
            let mut sign = sign.clone();
            sign.follow
                .iter_mut()
                .chain(&mut sign.code)
                .for_each(|p| *p += patterns);
            self.signs.push(sign);
        }
        for pattern in &other.patterns {
            let mut pattern = pattern.clone();
            if let Use::Sign(number) = &mut pattern.purpose {
                *number += signs;
            }
            self.patterns.push(pattern);
        }
    }

    fn gather_hints(&mut self) {
        self.hints
            .extend(ALWAYS.iter().map(|t| ((*t).to_owned(), usize::MAX)));
        for (number, pattern) in self
            .patterns
            .iter()
            .enumerate()
            .filter(|(_, p)| p.purpose != Use::Beside)
        {
            match literals::required(&pattern.text) {
                Some(texts) => self.hints.extend(texts.into_iter().map(|t| (t, number))),
                None => self.always.push(number),
            }
        }
    }

    /// What finds lines that are worth a look; none when every line is.
    pub fn skim(&self) -> Option<&Skim> {
        self.hinted().filter(|_| self.always.is_empty())
    }

    /// What finds the texts of all patterns that have one.
    fn hinted(&self) -> Option<&Skim> {
        let make = || Skim::of(self.hints.iter().map(|(t, _)| t.as_str()));
        self.skim.get_or_init(make).as_ref()
    }

    /// The patterns that may find something in a line, in their order, with what they are for.
    pub fn worth_trying(&self, line: &str) -> Vec<(usize, Use)> {
        let mut numbers = self.always.clone();
        let of_text = |text: usize| self.hints.get(text).map(|(_, number)| *number);
        match self.hinted() {
            Some(skim) => numbers.extend(skim.texts_in(line).into_iter().filter_map(of_text)),
            None => numbers.extend(0..self.patterns.len()),
        }
        numbers.sort_unstable();
        numbers.dedup();
        let purpose = |n: usize| {
            self.patterns
                .get(n)
                .map(|p| (n, p.purpose))
                .filter(|(_, p)| *p != Use::Beside)
        };
        numbers.into_iter().filter_map(purpose).collect()
    }

    /// Where a pattern is found in a line: what it matches there; all of the line when nowhere.
    pub fn excerpt<'a>(&self, pattern: usize, line: &'a str) -> &'a str {
        let regex = self.patterns.get(pattern).and_then(|p| p.regex());
        let found = regex.and_then(|r| r.find(line.as_bytes()));
        found.and_then(|m| line.get(m.range())).unwrap_or(line)
    }

    /// The groups of a pattern in a line, if it is found there.
    pub fn found(&self, pattern: usize, line: &str) -> Option<Vec<(String, String)>> {
        let regex = self.patterns.get(pattern)?.regex()?;
        let captures = regex.captures(line.as_bytes())?;
        let text = |name: &str| {
            Some(
                String::from_utf8_lossy(captures.name(name)?.as_bytes())
                    .trim()
                    .to_owned(),
            )
        };
        let named = regex.capture_names().flatten();
        let fact = |name: &str| {
            Some((
                untold(name).to_owned(),
                text(name).filter(|t| !t.is_empty())?,
            ))
        };
        Some(named.filter_map(fact).collect())
    }

    /// A sign.
    pub fn sign(&self, number: usize) -> Option<&Sign> {
        self.signs.get(number)
    }

    /// A kind of cause, by its place.
    pub fn kind(&self, number: usize) -> Option<&CauseKind> {
        self.kinds.get(number)
    }

    /// The place of a kind.
    pub fn kind_of(&self, id: &str) -> Option<usize> {
        self.kinds.iter().position(|k| k.id == id)
    }

    /// The ids of all kinds.
    pub fn ids(&self) -> impl Iterator<Item = &str> {
        self.kinds.iter().map(|k| k.id.as_str())
    }

    /// The whole text of a pattern, for tests and benches.
    #[cfg(test)]
    fn patterns(&self) -> impl Iterator<Item = &str> {
        self.patterns.iter().map(|p| p.text.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// The ids of the contract.
    const IDS: &str = "no-release-fits name-unknown version-unknown clash stale-dependency \
        wheel-not-for-target build-tool-missing header-missing build-dependency-missing \
        build-failed module-absent module-shadowed library-absent libc-too-old cxx-runtime-too-old \
        wrong-architecture symbol-absent abi-changed library-version-differs api-removed \
        syntax-too-new driver-too-old device-unsupported accelerator-build-absent toolkit-absent \
        hash-differs file-corrupt network-unreachable tls-untrusted no-space not-permitted \
        managed-environment path-too-long memory-exhausted import-circle text-encoding \
        too-many-files crashed companion-mismatch";

    #[test]
    fn every_pattern_compiles_and_has_a_text_that_a_line_must_hold() {
        let text = include_str!("../../../../knowledge/causes.toml");
        let causes = Causes::default().with(text).unwrap_or_else(|f| {
            let line = text.get(..f.offset()).map_or(0, |t| t.lines().count());
            panic!("knowledge/causes.toml:{line}: {f}")
        });
        let slow: Vec<&str> = causes
            .always
            .iter()
            .map(|n| causes.patterns().nth(*n).unwrap())
            .collect();
        assert_eq!(
            slow, [""; 0],
            "no text of three letters must be there: the pattern would be tried on every line"
        );
        let needs_nothing = |r: &Advice| {
            !r.text.contains('{') && r.change.as_ref().is_none_or(|c| !c.contains('{'))
        };
        for kind in &causes.kinds {
            let known = |id: &String| id == "*" || causes.kind_of(id).is_some();
            assert!(
                kind.hides.iter().all(known),
                "{}: {:?}",
                kind.id,
                kind.hides
            );
            assert!(
                !kind.title.each().is_empty() && !kind.remedies.is_empty(),
                "{}",
                kind.id
            );
            let plain = |text: &String| !text.contains('{');
            assert!(
                kind.title.each().last().is_some_and(plain),
                "{}: a title without facts is the last",
                kind.id
            );
            assert!(
                kind.remedies.iter().any(needs_nothing),
                "{}: a remedy that needs no facts",
                kind.id
            );
        }
        for sign in &causes.signs {
            let id = &causes.kinds[sign.kind].id;
            let told = sign
                .remedies
                .as_ref()
                .is_none_or(|all| all.iter().any(needs_nothing));
            assert!(
                told,
                "{id}: a sign's own remedies, of which none can be told without facts: {:?}",
                sign.remedies
            );
        }
    }

    #[test]
    fn every_cause_of_the_contract_is_there_with_signs() {
        let causes = Causes::built_in();
        let mut ids: Vec<&str> = causes.ids().collect();
        let mut expected: Vec<&str> = IDS.split_whitespace().collect();
        ids.sort_unstable();
        expected.sort_unstable();
        assert_eq!(ids, expected);
        for (number, id) in causes.ids().enumerate() {
            assert!(
                causes.signs.iter().any(|s| s.kind == number),
                "{id} has no sign"
            );
        }
    }

    #[test]
    fn further_files_add_signs_and_causes() {
        let more = "[[cause]]\nid = 'gate-closed'\ndepth = 1\ntitle = 'the gate of the hut is \
            closed'\n[[sign]]\ncause = 'gate-closed'\nline = ['gate %version% is closed']\n";
        let causes = Causes::built_in().with(more).unwrap();
        let found = causes.worth_trying("the gate 1.2 is closed.");
        let (number, Use::Sign(sign)) = found[0] else {
            panic!("{found:?}")
        };
        assert_eq!(
            causes.kind(causes.sign(sign).unwrap().kind).unwrap().id,
            "gate-closed"
        );
        assert_eq!(
            causes.found(number, "the gate 1.2 is closed."),
            Some(vec![("version".into(), "1.2".into())])
        );
        assert!(
            !causes.worth_trying("No space left on device").is_empty(),
            "what was known stays"
        );
    }

    #[rstest]
    #[case::no_toml("[[sign]]\ncause = \n", 2)]
    #[case::no_such_cause("[[sign]]\ncause = 'none'\nline = ['x']\n", 2)]
    #[case::no_pattern("[[sign]]\ncause = 'clash'\nline = ['fine', '(']\n", 3)]
    #[case::no_piece("[[sign]]\ncause = 'clash'\nline = ['of %nothing% here']\n", 3)]
    #[case::half_a_piece("[[sign]]\ncause = 'clash'\nline = ['100% done']\n", 3)]
    #[case::unknown_key("[[sign]]\ncause = 'clash'\nline = ['x']\nwrong = 1\n", 4)]
    #[case::unknown_condition("[[sign]]\ncause = 'clash'\nline = ['x']\nwhen = ['never']\n", 4)]
    fn broken_files_have_a_place(#[case] text: &str, #[case] line: usize) {
        let fault = Causes::built_in().with(text).unwrap_err();
        assert_eq!(
            text[..fault.offset()].matches('\n').count() + 1,
            line,
            "{fault:?}"
        );
    }
}
