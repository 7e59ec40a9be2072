//! Scripts that enter an environment from a shell: sh and its kin, fish, PowerShell.

use std::path::Path;

/// Every script: file name under the scripts folder, and text. Another shell is a line here.
pub(super) fn scripts(root: &Path, prompt: &str) -> Vec<(&'static str, String)> {
    vec![
        ("activate", sh(root, prompt)),
        ("activate.fish", fish(root, prompt)),
        ("Activate.ps1", powershell(root, prompt)),
    ]
}

/// Quoted for sh and PowerShell, which differ in how a quote is written inside.
fn quoted(text: &str, inner: &str) -> String {
    format!("'{}'", text.replace('\'', inner))
}

fn sh(root: &Path, prompt: &str) -> String {
    let root = quoted(&root.to_string_lossy(), "'\\''");
    let prompt = quoted(&format!("({prompt}) "), "'\\''");
    format!(
        r#"# Enter this environment:  . bin/activate      Leave it:  deactivate
# To be read by a shell (sh, bash, zsh), not run.

deactivate () {{
    if [ -n "${{_EUTAXIS_PATH+set}}" ]; then
        PATH="$_EUTAXIS_PATH"
        export PATH
        unset _EUTAXIS_PATH
    fi
    if [ -n "${{_EUTAXIS_HOME+set}}" ]; then
        PYTHONHOME="$_EUTAXIS_HOME"
        export PYTHONHOME
        unset _EUTAXIS_HOME
    fi
    if [ -n "${{_EUTAXIS_PROMPT+set}}" ]; then
        PS1="$_EUTAXIS_PROMPT"
        unset _EUTAXIS_PROMPT
    fi
    unset VIRTUAL_ENV VIRTUAL_ENV_PROMPT
    hash -r 2>/dev/null || true
    [ "${{1-}}" = keep ] || unset -f deactivate
}}

# An environment that is active already is left first.
deactivate keep

VIRTUAL_ENV={root}
VIRTUAL_ENV_PROMPT={prompt}
export VIRTUAL_ENV VIRTUAL_ENV_PROMPT

_EUTAXIS_PATH="$PATH"
PATH="$VIRTUAL_ENV/bin:$PATH"
export PATH

if [ -n "${{PYTHONHOME+set}}" ]; then
    _EUTAXIS_HOME="$PYTHONHOME"
    unset PYTHONHOME
fi

if [ -z "${{VIRTUAL_ENV_DISABLE_PROMPT-}}" ] && [ -n "${{PS1+set}}" ]; then
    _EUTAXIS_PROMPT="$PS1"
    PS1="$VIRTUAL_ENV_PROMPT$PS1"
fi

hash -r 2>/dev/null || true
"#
    )
}

fn fish(root: &Path, prompt: &str) -> String {
    let root = format!(
        "'{}'",
        root.to_string_lossy()
            .replace('\\', "\\\\")
            .replace('\'', "\\'")
    );
    let prompt = format!("'({}) '", prompt.replace('\\', "\\\\").replace('\'', "\\'"));
    format!(
        r#"# Enter this environment:  source bin/activate.fish      Leave it:  deactivate

function deactivate --description 'Leave the environment'
    if set -q _EUTAXIS_PATH
        set -gx PATH $_EUTAXIS_PATH
        set -e _EUTAXIS_PATH
    end
    if set -q _EUTAXIS_HOME
        set -gx PYTHONHOME $_EUTAXIS_HOME
        set -e _EUTAXIS_HOME
    end
    if functions -q _eutaxis_prompt
        functions -e fish_prompt
        functions -c _eutaxis_prompt fish_prompt
        functions -e _eutaxis_prompt
    end
    set -e VIRTUAL_ENV
    set -e VIRTUAL_ENV_PROMPT
    test "$argv[1]" = keep; or functions -e deactivate
end

deactivate keep

set -gx VIRTUAL_ENV {root}
set -gx VIRTUAL_ENV_PROMPT {prompt}
set -gx _EUTAXIS_PATH $PATH
set -gx PATH $VIRTUAL_ENV/bin $PATH

if set -q PYTHONHOME
    set -gx _EUTAXIS_HOME $PYTHONHOME
    set -e PYTHONHOME
end

if not set -q VIRTUAL_ENV_DISABLE_PROMPT; and functions -q fish_prompt
    functions -c fish_prompt _eutaxis_prompt
    function fish_prompt
        set -l _eutaxis_status $status
        printf '%s' $VIRTUAL_ENV_PROMPT
        sh -c "exit $_eutaxis_status"
        _eutaxis_prompt
    end
end
"#
    )
}

fn powershell(root: &Path, prompt: &str) -> String {
    let root = quoted(&root.to_string_lossy(), "''");
    let prompt = quoted(&format!("({prompt}) "), "''");
    format!(
        r#"# Enter this environment:  . bin/Activate.ps1      Leave it:  deactivate

function global:deactivate ([switch]$Keep) {{
    if (Test-Path variable:global:_EutaxisPath) {{
        $env:PATH = $global:_EutaxisPath
        Remove-Variable _EutaxisPath -Scope Global
    }}
    if (Test-Path variable:global:_EutaxisHome) {{
        $env:PYTHONHOME = $global:_EutaxisHome
        Remove-Variable _EutaxisHome -Scope Global
    }}
    if (Test-Path function:global:_EutaxisPrompt) {{
        Copy-Item function:global:_EutaxisPrompt function:global:prompt
        Remove-Item function:global:_EutaxisPrompt
    }}
    foreach ($name in 'VIRTUAL_ENV', 'VIRTUAL_ENV_PROMPT') {{
        if (Test-Path "env:$name") {{ Remove-Item "env:$name" }}
    }}
    if (-not $Keep) {{ Remove-Item function:global:deactivate }}
}}

deactivate -Keep

$env:VIRTUAL_ENV = {root}
$env:VIRTUAL_ENV_PROMPT = {prompt}
$global:_EutaxisPath = $env:PATH
$env:PATH = "$env:VIRTUAL_ENV/bin" + [IO.Path]::PathSeparator + $env:PATH

if (Test-Path env:PYTHONHOME) {{
    $global:_EutaxisHome = $env:PYTHONHOME
    Remove-Item env:PYTHONHOME
}}

if (-not $env:VIRTUAL_ENV_DISABLE_PROMPT) {{
    Copy-Item function:prompt function:global:_EutaxisPrompt
    function global:prompt {{
        Write-Host -NoNewline $env:VIRTUAL_ENV_PROMPT
        _EutaxisPrompt
    }}
}}
"#
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::process::Command;

    /// The sh script is run by a real shell: entering, leaving, and entering twice.
    #[test]
    fn a_shell_enters_and_leaves() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().join("it's my env");
        std::fs::create_dir_all(&root).unwrap();
        let script = root.join("activate");
        std::fs::write(&script, sh(&root, "field")).unwrap();
        let commands = r#"set -eu; PS1='> '; . "$1"; . "$1"; echo "$VIRTUAL_ENV|$PS1|${PATH%%:*}"; deactivate; echo "${VIRTUAL_ENV-none}|$PS1|$PATH""#;
        let output = Command::new("sh")
            .args(["-c", commands, "sh"])
            .arg(&script)
            .env("PATH", "/usr/bin:/bin")
            .output()
            .unwrap();
        let text = String::from_utf8(output.stdout).unwrap();
        let shown = root.display();
        assert_eq!(
            text,
            format!("{shown}|(field) > |{shown}/bin\nnone|> |/usr/bin:/bin\n"),
            "{}",
            String::from_utf8_lossy(&output.stderr)
        );
    }
}
