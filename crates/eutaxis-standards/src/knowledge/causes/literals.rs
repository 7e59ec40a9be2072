//! Texts that a line must hold so that a pattern can be found in it: lines are looked through for
//! all of them at once, and few patterns are ever tried.

use regex_syntax::ParserBuilder;
use regex_syntax::hir::{Class, Hir, HirKind};

/// A shorter text would be in too many lines.
const SHORTEST: usize = 3;
/// So many texts of parts that follow each other are put together.
const MOST_TOGETHER: usize = 16;

/// Texts one of which is in every line that the pattern finds something in; none when there are no
/// such texts.
pub(in crate::knowledge) fn required(pattern: &str) -> Option<Vec<String>> {
    // Case does not count: whoever looks for the texts looks for them in both.
    let hir = ParserBuilder::new()
        .unicode(false)
        .utf8(false)
        .build()
        .parse(pattern)
        .ok()?;
    let texts = of(&hir)?;
    let texts: Option<Vec<String>> = texts
        .into_iter()
        .map(|t| String::from_utf8(t).ok())
        .collect();
    texts.filter(|t| t.iter().all(|t| t.len() >= SHORTEST))
}

#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
fn of(hir: &Hir) -> Option<Vec<Vec<u8>>> {
    match hir.kind() {
        HirKind::Literal(literal) => Some(vec![literal.0.to_vec()]),
        HirKind::Capture(capture) => of(&capture.sub),
        HirKind::Repetition(repetition) if repetition.min > 0 => of(&repetition.sub),
        HirKind::Concat(parts) => {
            let alone = parts.iter().filter_map(of);
            alone.chain(runs(parts)).max_by_key(|texts| worth(texts))
        }
        HirKind::Alternation(parts) => {
            let all: Option<Vec<Vec<Vec<u8>>>> = parts.iter().map(of).collect();
            Some(all?.concat())
        }
        _ => None,
    }
}

/// What parts that follow each other hold together: all texts of a run of parts that each have few.
fn runs(parts: &[Hir]) -> Vec<Vec<Vec<u8>>> {
    let mut runs: Vec<Vec<Vec<u8>>> = Vec::new();
    let mut run: Vec<Vec<u8>> = Vec::new();
    for part in parts {
        let texts = whole(part);
        match &texts {
            Some(texts) if !run.is_empty() && run.len() * texts.len() <= MOST_TOGETHER => {
                run = product(&run, texts)
            }
            _ => runs.push(std::mem::replace(&mut run, texts.unwrap_or_default())),
        }
    }
    runs.push(run);
    runs.retain(|r| !r.is_empty());
    runs
}

/// Every text that a part matches, when they are few.
#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
fn whole(hir: &Hir) -> Option<Vec<Vec<u8>>> {
    let texts = match hir.kind() {
        HirKind::Empty | HirKind::Look(_) => vec![Vec::new()],
        HirKind::Literal(literal) => vec![literal.0.to_vec()],
        HirKind::Capture(capture) => whole(&capture.sub)?,
        HirKind::Class(Class::Bytes(class)) => {
            let bytes = class
                .ranges()
                .iter()
                .flat_map(|r| r.start()..=r.end())
                .take(MOST_TOGETHER + 1);
            bytes.map(|b| vec![b]).collect()
        }
        HirKind::Repetition(repetition) if repetition.min == 0 && repetition.max == Some(1) => {
            let mut texts = whole(&repetition.sub)?;
            texts.push(Vec::new());
            texts
        }
        HirKind::Concat(parts) => {
            let mut texts = vec![Vec::new()];
            for part in parts {
                let more = whole(part)?;
                if texts.len() * more.len() > MOST_TOGETHER {
                    return None;
                }
                texts = product(&texts, &more);
            }
            texts
        }
        HirKind::Alternation(parts) => parts
            .iter()
            .map(whole)
            .collect::<Option<Vec<_>>>()?
            .concat(),
        _ => return None,
    };
    (texts.len() <= MOST_TOGETHER).then_some(texts)
}

fn product(first: &[Vec<u8>], second: &[Vec<u8>]) -> Vec<Vec<u8>> {
    let of = |a: &Vec<u8>| {
        second
            .iter()
            .map(|b| [a.as_slice(), b].concat())
            .collect::<Vec<_>>()
    };
    first.iter().flat_map(of).collect()
}

/// The longer the shortest of them, the better; fewer are better than many.
fn worth(texts: &[Vec<u8>]) -> (usize, std::cmp::Reverse<usize>) {
    (
        texts.iter().map(Vec::len).min().unwrap_or(0),
        std::cmp::Reverse(texts.len()),
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("No space left", Some(&["No space left"][..]))]
    #[case(r"version .(?<wanted>GLIBC_\d+). not found", Some(&[" not found"][..]))]
    #[case(r"(?:gcc|clang): not \w+ (?:found|there)", Some(&["gcc: not ", "clang: not "][..]))]
    #[case(r"^(?:Killed|Getötet)$", Some(&["Killed", "Getötet"][..]))]
    #[case(r"built '[ab]", Some(&["built 'a", "built 'b"][..]))]
    #[case(r"building (?:wheel|sdist)", Some(&["building wheel", "building sdist"][..]))]
    #[case(r"needs (?:a )?tool \d", Some(&["needs a tool ", "needs tool "][..]))]
    #[case(r"\d+ (?:kB)?", None)]
    #[case(r"a.b", None)]
    fn the_best_text_is_taken(#[case] pattern: &str, #[case] expected: Option<&[&str]>) {
        let found = required(pattern);
        assert_eq!(
            found
                .as_deref()
                .map(|f| f.iter().map(String::as_str).collect::<Vec<_>>()),
            expected.map(<[_]>::to_vec)
        );
    }
}
