//! Inline script metadata (PEP 723): a comment block of a script that holds TOML.

use super::{Ask, ProjectAsks, Requirement};
use crate::document::Document;
use crate::fault::{Fault, FaultKind, Origin, line_and_column};
use crate::version::VersionSpecifier;

/// The `script` block of a script: its TOML, and where each of its lines stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ScriptBlock {
    content: String,
    /// Line (from 1) of the script at which the content begins.
    first_line: u32,
}

/// Finds the `script` block.
///
/// # Errors
/// When there are two.
pub fn script_block(text: &str) -> Result<Option<ScriptBlock>, Fault> {
    let lines: Vec<&str> = text.lines().collect();
    let mut found: Option<ScriptBlock> = None;
    let mut i = 0;
    while let Some(line) = lines.get(i) {
        let Some(kind) = line.strip_prefix("# /// ").filter(|k| is_kind(k)) else {
            i += 1;
            continue;
        };
        // Greedy: the block ends at the last `# ///` of the run of comment lines.
        let run = lines
            .iter()
            .skip(i + 1)
            .take_while(|l| **l == "#" || l.starts_with("# "))
            .count();
        let end = (i + 1..=i + run)
            .rev()
            .find(|n| lines.get(*n) == Some(&"# ///"));
        let Some(end) = end.filter(|end| *end > i + 1) else {
            i += 1;
            continue;
        };
        if kind == "script" {
            let content: Vec<&str> = lines
                .iter()
                .take(end)
                .skip(i + 1)
                .map(|l| l.strip_prefix("# ").unwrap_or(""))
                .collect();
            let block = ScriptBlock {
                content: content.join("\n"),
                first_line: i as u32 + 2,
            };
            if found.replace(block).is_some() {
                let at = text.lines().take(i).map(|l| l.len() + 1).sum();
                return Err(Fault::of(
                    FaultKind::Contradiction,
                    "a script holds two `script` blocks",
                    at,
                ));
            }
        }
        i = end + 1;
    }
    Ok(found)
}

fn is_kind(text: &str) -> bool {
    !text.is_empty() && text.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-')
}

impl ScriptBlock {
    /// What the script asks for.
    ///
    /// # Errors
    /// With the line of the script in the message: the block is not TOML, or holds a bad
    /// requirement.
    pub fn asks(&self, file: &str) -> Result<ProjectAsks, Fault> {
        let place = |at: usize| Origin::line(file, self.line(at));
        let document = Document::parse(&self.content).map_err(|f| self.located(f))?;
        let root = document.root();
        let mut asks = Vec::new();
        for text in root
            .strings("dependencies")
            .map_err(|f| self.located(f))?
            .unwrap_or_default()
        {
            let requirement =
                Requirement::parse(text.value).map_err(|f| self.located(f.shifted(text.at)))?;
            asks.push(Ask {
                requirement,
                origin: place(text.at),
            });
        }
        let requires_python = match root
            .string("requires-python")
            .map_err(|f| self.located(f))?
        {
            Some(text) => {
                let set = VersionSpecifier::parse(text.value)
                    .map_err(|f| self.located(f.shifted(text.at)))?;
                Some((set, place(text.at)))
            }
            None => None,
        };
        Ok(ProjectAsks {
            asks,
            requires_python,
            ..ProjectAsks::default()
        })
    }

    fn line(&self, at: usize) -> u32 {
        self.first_line + line_and_column(&self.content, at).0 - 1
    }

    /// Offsets inside the block do not count in the script: the message names the line instead.
    fn located(&self, fault: Fault) -> Fault {
        let line = self.line(fault.offset());
        fault.within(format_args!("in the script block, line {line}"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("# /// script\n# dependencies = []\n# ///", Some("dependencies = []"))]
    #[case(
        "# /// script\r\n# a = 1\r\n#\r\n# b = 2\r\n# ///\r\n",
        Some("a = 1\n\nb = 2")
    )]
    #[case("# /// script\n# x=1\n# ///\n# y\n# ///", Some("x=1\n///\ny"))]
    #[case("# /// script\n#x=1\n# ///", None)]
    #[case("# /// script\n# x=1\n", None)]
    #[case("# /// script\n# x=1\n\n# ///", None)]
    #[case("  # /// script\n# x=1\n# ///", None)]
    #[case("# /// script\n# ///", None)]
    #[case(
        "# /// script\n# x=1\n# ///\n# /// foo\n# y=1\n# ///",
        Some("x=1\n///\n/// foo\ny=1")
    )]
    fn blocks_are_found(#[case] text: &str, #[case] content: Option<&str>) {
        assert_eq!(
            script_block(text).unwrap().map(|b| b.content).as_deref(),
            content
        );
    }

    #[test]
    fn two_blocks_are_refused() {
        let block = "# /// script\n# x=1\n# ///\n\n";
        assert!(script_block(&block.repeat(2)).is_err());
    }

    #[test]
    fn asks_carry_the_line_of_the_script() {
        let text = "#!/usr/bin/env python\n# /// script\n# requires-python = '>=3.9'\n# \
            dependencies = [\n#   'firnio>=1',\n# ]\n# ///\n";
        let asks = script_block(text).unwrap().unwrap().asks("log.py").unwrap();
        assert_eq!(asks.asks[0].origin.to_string(), "log.py:5");
        assert_eq!(asks.requires_python.unwrap().0.to_string(), ">=3.9");
    }
}
