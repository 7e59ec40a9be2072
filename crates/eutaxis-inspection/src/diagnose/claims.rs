//! Who needs what, in the words of programs that could not find a set of releases: sentences with
//! `depends on` or `requires`, `WHAT (from WHO)`, and arrows.

/// One need that is told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Claim {
    /// What was asked for.
    Asked(String),
    /// A release, and what it needs.
    Needs(String, String),
}

/// What ends the reasons of a sentence: what follows is its conclusion.
const CONCLUSIONS: [&str; 6] = [
    "we can conclude",
    "version solving failed",
    " is incompatible with",
    " are incompatible",
    " is forbidden",
    "your requirements are",
];

/// All that one line, or a part of it, claims.
pub(super) fn claims(text: &str) -> Vec<Claim> {
    let text = text.trim();
    if let Some((what, from)) = text.split_once(" (from ") {
        let who = from
            .trim_end_matches([')', '.'])
            .split("->")
            .next()
            .unwrap_or(from);
        return vec![claim(who, what)];
    }
    if text.contains(" -> ") {
        let mut parts = text.rsplit(" -> ");
        return match (parts.next(), parts.next()) {
            (Some(what), Some(who)) => vec![claim(who, what)],
            _ => Vec::new(),
        };
    }
    let reasons = CONCLUSIONS
        .iter()
        .filter_map(|c| text.find(c))
        .min()
        .and_then(|at| text.get(..at))
        .unwrap_or(text);
    // A conclusion begins with the releases it is about, after the last comma.
    let reasons = if reasons.len() < text.len() {
        reasons.rsplit_once(',').map_or(reasons, |(r, _)| r)
    } else {
        reasons
    };
    sentence(reasons)
}

/// `Because A depends on B and C depends on D`
fn sentence(text: &str) -> Vec<Claim> {
    let mut found: Vec<(String, String)> = Vec::new();
    for part in text
        .split(" and ")
        .flat_map(|p| p.split(", "))
        .map(str::trim)
    {
        let part = [
            "So", "And", "because", "Because", "and", "the", "The", "that",
        ]
        .iter()
        .fold(part, |rest, word| {
            rest.strip_prefix(word)
                .filter(|r| r.starts_with([' ', ',']))
                .map_or(rest, |r| r.trim_start_matches([' ', ',']))
        });
        let verbs = [
            " depends on ",
            " depend on ",
            " requires ",
            " require ",
            " requested ",
        ];
        match (
            verbs.iter().find_map(|verb| part.split_once(verb)),
            found.last_mut(),
        ) {
            (Some((who, what)), _) => found.push((who.to_owned(), what.to_owned())),
            // A further bound of the same need begins with its operator; anything else is a need of
            // its own.
            (None, Some((_, what))) if part.starts_with(['<', '>', '=', '!', '~']) => {
                *what = format!("{what},{part}");
            }
            (None, Some((who, _))) if !part.is_empty() => {
                let who = who.clone();
                found.push((who, part.to_owned()));
            }
            _ => {}
        }
    }
    // Who asks for `both` is what was to be made.
    let top: Vec<String> = found
        .iter()
        .filter(|(_, what)| what.starts_with("both "))
        .map(|(w, _)| w.clone())
        .collect();
    let all = found.into_iter().map(|(who, what)| {
        let what = what.strip_prefix("both ").unwrap_or(&what).to_owned();
        if top.contains(&who) {
            Claim::Asked(requirement(&what))
        } else {
            claim(&who, &what)
        }
    });
    all.collect()
}

fn claim(who: &str, what: &str) -> Claim {
    let who = release(who);
    let what = requirement(what.strip_prefix("(constraint) ").unwrap_or(what));
    if ["you", "user", "your project"].contains(&who.as_str()) {
        Claim::Asked(what)
    } else {
        Claim::Needs(who, what)
    }
}

/// `NAME VERSION` of `NAME (VERSION)`, `NAME==VERSION`, `NAME@VERSION`.
fn release(text: &str) -> String {
    let text = ["all versions of ", "every version of ", "package "]
        .iter()
        .fold(text.trim(), |t, w| t.strip_prefix(w).unwrap_or(t));
    text.replace("==", " ")
        .replace('@', " ")
        .replace(['(', ')'], "")
        .trim()
        .to_owned()
}

/// `NAME>=1` of `NAME (>=1)`, `NAME[version='>=1']`, `NAME=1`; of `NAME (1)` an exact pin.
fn requirement(text: &str) -> String {
    let plain = text
        .trim()
        .trim_end_matches(['.', ',', ';', ':'])
        .replace("[version='", "")
        .replace("']", "");
    let plain = plain.replace(['(', ')'], "");
    match plain.split_once(' ') {
        Some((name, version)) if version.starts_with(|c: char| c.is_ascii_digit()) => {
            format!("{name}=={version}")
        }
        _ => {
            let joined = plain.replace(' ', "");
            match joined.split_once('=') {
                // One sign stands for a version and all that begin with it.
                Some((name, version))
                    if !name.ends_with(['<', '>', '!', '~'])
                        && version.starts_with(|c: char| c.is_ascii_digit()) =>
                {
                    format!("{name}=={version}.*")
                }
                _ => joined,
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("sastrugi 0.8.1 depends on frostgrid<2 and \
        >=1.8", &["sastrugi 0.8.1 | frostgrid<2,>=1.8"])]
    #[case("The user requested frostgrid==2.1.0", &["asked | frostgrid==2.1.0"])]
    #[case("Because sastrugi==0.8.1 depends on frostgrid>=1.8,<2 and seracnet>=2.0.0 depends on \
        frostgrid>=2, we can conclude that sastrugi==0.8.1 and seracnet>=2.0.0 are incompatible.",
        &["sastrugi 0.8.1 | frostgrid>=1.8,<2", "seracnet>=2.0.0 | frostgrid>=2"])]
    #[case("And because you require sastrugi==0.8.1 and seracnet>=2.0.0, we can conclude that your \
        requirements are unsatisfiable.",
        &["asked | sastrugi==0.8.1", "asked | seracnet>=2.0.0"])]
    #[case("and seracnet (2.3.0) depends on frostgrid (>=2), sastrugi (0.8.1) is incompatible with \
        seracnet (2.3.0).", &["seracnet 2.3.0 | frostgrid>=2"])]
    #[case("So, because watch depends on both seracnet (2.3.0) and sastrugi (0.8.1), version \
        solving failed.", &["asked | seracnet==2.3.0", "asked | sastrugi==0.8.1"])]
    #[case("wirepack>=2 (from firnio@1.3)", &["firnio 1.3 | wirepack>=2"])]
    #[case("frostgrid<2,>=1.8 (from sastrugi==0.8.1->-r /tmp/x (line \
        3))", &["sastrugi 0.8.1 | frostgrid<2,>=1.8"])]
    #[case("traverse-suite -> wirepack=1", &["traverse-suite | wirepack==1.*"])]
    #[case("seracnet -> frostgrid[version='>=2']", &["seracnet | frostgrid>=2"])]
    #[case("nothing of the kind", &[])]
    fn needs_are_read(#[case] text: &str, #[case] expected: &[&str]) {
        let told = claims(text).into_iter().map(|c| match c {
            Claim::Asked(what) => format!("asked | {what}"),
            Claim::Needs(who, what) => format!("{who} | {what}"),
        });
        assert_eq!(told.collect::<Vec<_>>(), expected);
    }
}
