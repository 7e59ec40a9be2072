//! Lines of a list that speak to an installer: what they seem to be for. They are recognised as they
//! are found in circulation, and never written.

use crate::fault::Origin;

/// A line, or the tail of one, that speaks to an installer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Directive {
    /// Where it stands.
    pub origin: Origin,
    /// Its text.
    pub text: String,
    /// What it seems to be for.
    pub kind: DirectiveKind,
    /// What it names, if it names something.
    pub value: String,
}

impl Directive {
    pub(super) fn new(origin: Origin, text: &str, kind: DirectiveKind) -> Self {
        Directive {
            origin,
            text: text.to_owned(),
            kind,
            value: value(text).to_owned(),
        }
    }
}

/// What a directive seems to be for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DirectiveKind {
    /// To name a place that offers files.
    Place,
    /// To take pre-releases.
    Prereleases,
    /// To take wheels alone.
    Wheels,
    /// To build from source.
    Source,
    /// To use no index.
    NoPlace,
    /// To tell a build how it is done.
    BuildSettings,
    /// Nothing that changes what is chosen or placed here.
    Nothing,
    /// Not known.
    Unknown,
}

impl DirectiveKind {
    /// Whether leaving it out changes nothing.
    pub fn means_nothing(self) -> bool {
        self == DirectiveKind::Nothing
    }
}

/// What a line that begins with `-` is.
pub(super) enum Spoken<'a> {
    /// Another list, and whether it only bounds.
    Follow(&'a str, bool),
    /// A source tree, a path or an address.
    Editable(&'a str),
    /// Something else.
    Other(DirectiveKind),
}

/// Long options with what they are for; a short one is a letter.
const LONG: [(&str, DirectiveKind); 26] = [
    ("index-url", DirectiveKind::Place),
    ("extra-index-url", DirectiveKind::Place),
    ("find-links", DirectiveKind::Place),
    ("no-index", DirectiveKind::NoPlace),
    ("pre", DirectiveKind::Prereleases),
    ("only-binary", DirectiveKind::Wheels),
    ("no-binary", DirectiveKind::Source),
    ("config-settings", DirectiveKind::BuildSettings),
    ("config-setting", DirectiveKind::BuildSettings),
    ("global-option", DirectiveKind::BuildSettings),
    ("build-option", DirectiveKind::BuildSettings),
    ("install-option", DirectiveKind::BuildSettings),
    ("prefer-binary", DirectiveKind::Nothing),
    ("require-hashes", DirectiveKind::Nothing),
    ("trusted-host", DirectiveKind::Nothing),
    ("use-feature", DirectiveKind::Nothing),
    ("use-deprecated", DirectiveKind::Nothing),
    ("use-wheel", DirectiveKind::Nothing),
    ("no-cache-dir", DirectiveKind::Nothing),
    ("always-unzip", DirectiveKind::Nothing),
    ("process-dependency-links", DirectiveKind::Nothing),
    ("timeout", DirectiveKind::Nothing),
    ("retries", DirectiveKind::Nothing),
    ("quiet", DirectiveKind::Nothing),
    ("verbose", DirectiveKind::Nothing),
    ("progress-bar", DirectiveKind::Nothing),
];

/// The word of an option without its dashes.
fn word(text: &str) -> &str {
    let bare = text.trim_start_matches('-');
    bare.split(['=', ' ', '\t']).next().unwrap_or(bare)
}

/// What stands behind the word of an option.
fn value(text: &str) -> &str {
    let long = text.starts_with("--");
    let bare = text.trim_start_matches('-');
    let rest = if long {
        bare.get(word(text).len()..)
    } else {
        bare.get(bare.chars().next().map_or(0, char::len_utf8)..)
    };
    let rest = rest.unwrap_or("").trim();
    rest.strip_prefix('=').unwrap_or(rest).trim()
}

/// What a long option, or the tail of a line, is for.
pub(super) fn kind(text: &str) -> DirectiveKind {
    let word = word(text).to_ascii_lowercase();
    let known = LONG.iter().find(|(name, _)| *name == word);
    known.map_or(DirectiveKind::Unknown, |(_, kind)| *kind)
}

/// What a line that begins with `-` is.
pub(super) fn spoken(line: &str) -> Spoken<'_> {
    if !line.starts_with("--") {
        return match line.chars().nth(1) {
            Some('r') => Spoken::Follow(value(line), false),
            Some('c') => Spoken::Follow(value(line), true),
            Some('e') => Spoken::Editable(value(line)),
            Some('i' | 'f') => Spoken::Other(DirectiveKind::Place),
            Some('Z' | 'q' | 'v') => Spoken::Other(DirectiveKind::Nothing),
            _ => Spoken::Other(DirectiveKind::Unknown),
        };
    }
    match word(line) {
        "requirement" => Spoken::Follow(value(line), false),
        "constraint" => Spoken::Follow(value(line), true),
        "editable" => Spoken::Editable(value(line)),
        _ => Spoken::Other(kind(line)),
    }
}
