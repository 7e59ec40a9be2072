//! Texts that a line must hold so that a pattern can be found in it: lines are looked through for all of them at once, and few
//! patterns are ever tried.

use regex_syntax::ParserBuilder;
use regex_syntax::hir::{Hir, HirKind};

/// A shorter text would be in too many lines.
const SHORTEST: usize = 3;

/// Texts one of which is in every line that the pattern finds something in; none when there are no such texts.
pub(super) fn required(pattern: &str) -> Option<Vec<String>> {
    // Case does not count: whoever looks for the texts looks for them in both.
    let hir = ParserBuilder::new().unicode(false).utf8(false).build().parse(pattern).ok()?;
    let texts = of(&hir)?;
    let texts: Option<Vec<String>> = texts.into_iter().map(|t| String::from_utf8(t).ok()).collect();
    texts.filter(|t| t.iter().all(|t| t.len() >= SHORTEST))
}

fn of(hir: &Hir) -> Option<Vec<Vec<u8>>> {
    match hir.kind() {
        HirKind::Literal(literal) => Some(vec![literal.0.to_vec()]),
        HirKind::Capture(capture) => of(&capture.sub),
        HirKind::Repetition(repetition) if repetition.min > 0 => of(&repetition.sub),
        HirKind::Concat(parts) => parts.iter().filter_map(of).max_by_key(|texts| worth(texts)),
        HirKind::Alternation(parts) => {
            let all: Option<Vec<Vec<Vec<u8>>>> = parts.iter().map(of).collect();
            Some(all?.concat())
        }
        _ => None,
    }
}

/// The longer the shortest of them, the better; fewer are better than many.
fn worth(texts: &[Vec<u8>]) -> (usize, std::cmp::Reverse<usize>) {
    (texts.iter().map(Vec::len).min().unwrap_or(0), std::cmp::Reverse(texts.len()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("No space left", Some(&["No space left"][..]))]
    #[case(r"version .(?<wanted>GLIBC_\d+). not found", Some(&[" not found"][..]))]
    #[case(r"(?:gcc|clang): not (?:found|there)", Some(&[": not "][..]))]
    #[case(r"^(?:Killed|Getötet)$", Some(&["Killed", "Getötet"][..]))]
    #[case(r"\d+ (?:kB)?", None)]
    #[case(r"a.b", None)]
    fn the_best_text_is_taken(#[case] pattern: &str, #[case] expected: Option<&[&str]>) {
        let found = required(pattern);
        assert_eq!(
            found.as_deref().map(|f| f.iter().map(String::as_str).collect::<Vec<_>>()),
            expected.map(<[_]>::to_vec)
        );
    }
}
