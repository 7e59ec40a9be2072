//! A path or an address that is asked for without a name, as lists in circulation have it; the
//! standard writes `name @ URL` (PEP 508).

use super::Requirement;
use crate::fault::Origin;
use crate::marker::Marker;
use crate::name::Name;

/// A path or an address without a name before it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unnamed {
    /// The path or address, as written, without extras and marker.
    pub place: String,
    /// Extras asked for.
    pub extras: Vec<Name>,
    /// The condition on the target, if any.
    pub marker: Option<Marker>,
    /// It is a source tree that is to be used where it lies.
    pub editable: bool,
    /// Where it was stated.
    pub origin: Origin,
}

impl Unnamed {
    /// A tree that is to be used where it lies, of a requirement that names its address; the address
    /// tells the name.
    pub(super) fn of(requirement: &Requirement, origin: &Origin) -> Self {
        let url = match &requirement.accepts {
            super::Accepts::Url(url) => url.as_str(),
            super::Accepts::Versions(_) => "",
        };
        let sign = if url.contains('#') { '&' } else { '#' };
        Unnamed {
            place: format!("{url}{sign}egg={}", requirement.name),
            extras: requirement.extras.clone(),
            marker: requirement.marker.clone(),
            editable: true,
            origin: origin.clone(),
        }
    }

    /// Reads `./path[extra] ; marker` and the like; none where it looks like no path and no
    /// address.
    pub fn read(text: &str, editable: bool, origin: &Origin) -> Option<Self> {
        let (body, marker) = match text.find(" ;").or_else(|| text.find("; ")) {
            Some(at) => {
                let (body, rest) = text.split_at(at);
                let marker = rest.trim_start().strip_prefix(';')?;
                (body.trim(), Some(Marker::parse(marker).ok()?))
            }
            None => (text.trim(), None),
        };
        let (place, extras) = match body.strip_suffix(']').and_then(|b| b.rsplit_once('[')) {
            Some((place, list)) => {
                let names = list.split(',').map(str::trim).filter(|n| !n.is_empty());
                let names: Option<Vec<Name>> = names.map(|n| Name::parse(n).ok()).collect();
                (place, names?)
            }
            None => (body, Vec::new()),
        };
        if !(is_place(place) || editable && !place.is_empty() && is_one_word(place)) {
            return None;
        }
        Some(Unnamed {
            place: place.to_owned(),
            extras,
            marker,
            editable,
            origin: origin.clone(),
        })
    }

    /// The requirement that the standard would write for it.
    pub fn named(&self, name: Name, url: String) -> Requirement {
        let mut extras = self.extras.clone();
        extras.sort();
        extras.dedup();
        Requirement {
            name,
            extras,
            accepts: super::Accepts::Url(url),
            marker: self.marker.clone(),
        }
    }
}

/// Whether a word is the name of a wheel or source archive.
pub(super) fn is_file_name(text: &str) -> bool {
    let ends = [".whl", ".tar.gz", ".zip"];
    ends.iter().any(|end| text.ends_with(end)) && is_one_word(text)
}

fn is_one_word(text: &str) -> bool {
    !text.contains(char::is_whitespace) && !text.contains(['<', '>', '=', '~', '!', '@'])
}

/// Whether it looks like a path or an address rather than like a name.
fn is_place(text: &str) -> bool {
    let is_address = text.split_once("://").is_some_and(|(scheme, _)| {
        scheme
            .bytes()
            .all(|b| b.is_ascii_alphanumeric() || b == b'+')
    });
    let starts = ["./", "../", "/", "~/", ".\\", "..\\", "file:"];
    let is_drive = text.get(1..3) == Some(":\\") || text.get(1..3) == Some(":/");
    let file = text.split('#').next().unwrap_or(text);
    is_address
        || is_drive
        || matches!(text, "." | "..")
        || starts.iter().any(|s| text.starts_with(s))
        || is_file_name(file)
        || text.contains('/') && is_one_word(file)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(".", Some((".", "")))]
    #[case("./sub[fast, slow]", Some(("./sub", "fast,slow")))]
    #[case("../firnio-1.0-py3-none-any.whl ; os_name == 'nt'", Some(("../firnio-1.0-py3-none-any.whl", "")))]
    #[case("git+ssh://camp.example/r.git@v1", Some(("git+ssh://camp.example/r.git@v1", "")))]
    #[case("wheels/firnio", Some(("wheels/firnio", "")))]
    #[case("firnio", None)]
    #[case("firnio>=2", None)]
    #[case("frost grid", None)]
    #[case("firnio ~= 2 / 3", None)]
    fn places_are_told_from_names(#[case] text: &str, #[case] expected: Option<(&str, &str)>) {
        let read = Unnamed::read(text, false, &Origin::Argument);
        let told = read.map(|u| {
            let extras: Vec<String> = u.extras.iter().map(ToString::to_string).collect();
            (u.place, extras.join(","))
        });
        let expected = expected.map(|(place, extras)| (place.to_owned(), extras.to_owned()));
        assert_eq!(told, expected);
    }
}
