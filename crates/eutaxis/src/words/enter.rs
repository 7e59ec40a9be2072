//! The line that enters an environment, for the shell in use.

use std::path::Path;

use eutaxis_core::shell::quoted;

use super::near;

/// Shells whose lines differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Shell {
    /// sh and those that read its lines: bash, zsh, dash, ksh.
    Posix,
    Fish,
    /// The newer one of Windows.
    Power,
    /// The old one of Windows.
    Cmd,
}

impl Shell {
    fn of(name: &str) -> Option<Shell> {
        let name = name.trim().trim_start_matches('-').to_ascii_lowercase();
        let name = name.strip_suffix(".exe").unwrap_or(&name);
        match name {
            "sh" | "bash" | "zsh" | "dash" | "ksh" | "ash" | "mksh" => Some(Shell::Posix),
            "fish" => Some(Shell::Fish),
            "pwsh" | "powershell" => Some(Shell::Power),
            "cmd" => Some(Shell::Cmd),
            _ => None,
        }
    }

    /// The shell that this program was typed in.
    fn in_use() -> Shell {
        let stated = std::env::var("SHELL").ok();
        let stated = || {
            let name = stated.as_deref().and_then(|s| s.rsplit('/').next());
            name.and_then(Shell::of)
        };
        let usual = match (cfg!(windows), std::env::var_os("PSModulePath").is_some()) {
            (true, true) => Shell::Power,
            (true, false) => Shell::Cmd,
            (false, _) => Shell::Posix,
        };
        above().or_else(stated).unwrap_or(usual)
    }
}

/// So many programs above this one are looked at: one that starts it may stand between.
const HIGHEST: usize = 6;

/// The nearest shell above this process, where the system tells that in files.
fn above() -> Option<Shell> {
    let mut process = "self".to_owned();
    for _ in 0..HIGHEST {
        let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).ok()?;
        // The name of the program stands in brackets and may hold any letter.
        let parent = stat.rsplit_once(") ")?.1.split(' ').nth(1)?.to_owned();
        let name = std::fs::read_to_string(format!("/proc/{parent}/comm")).ok()?;
        if let Some(shell) = Shell::of(&name) {
            return Some(shell);
        }
        process = parent;
    }
    None
}

/// The line that enters an environment.
pub(crate) fn line(environment: &Path) -> String {
    line_in(Shell::in_use(), environment)
}

fn line_in(shell: Shell, environment: &Path) -> String {
    let programs = environment.join(if cfg!(windows) { "Scripts" } else { "bin" });
    let file = |name: &str| quoted(&near(&programs.join(name)));
    match shell {
        Shell::Posix => format!(". {}", file("activate")),
        Shell::Fish => format!("source {}", file("activate.fish")),
        Shell::Power => format!(". {}", file("Activate.ps1")),
        // It has no way to take a change of its variables from a file of ours.
        Shell::Cmd => format!("eutaxis within {} -- cmd", quoted(&near(environment))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("-bash\n", ". .venv/bin/activate")]
    #[case("zsh", ". .venv/bin/activate")]
    #[case("fish", "source .venv/bin/activate.fish")]
    #[case("pwsh", ". .venv/bin/Activate.ps1")]
    #[case("CMD.EXE", "eutaxis within .venv -- cmd")]
    fn each_shell_has_its_line(#[case] name: &str, #[case] expected: &str) {
        let shell = Shell::of(name).unwrap();
        assert_eq!(line_in(shell, Path::new(".venv")), expected);
    }

    #[test]
    fn what_is_no_shell_is_none() {
        assert_eq!(Shell::of("make"), None);
    }
}
