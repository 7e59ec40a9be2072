//! `demo`: the whole way on made-up data, each step explained. Every step runs the real program on
//! real files.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

use eutaxis_world::{Doing, Error, ErrorKind};
use serde::Deserialize;
use serde_json::Value;

use crate::cli::{Common, Demo};
use crate::output::{Answer, Outcome, Output};
use crate::render::table::wrap;
use crate::render::{style, width};
use crate::report::{self, DemoStep, StepAnswer};
use crate::words::count;

/// A step of `steps.toml`.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Step {
    about: String,
    #[serde(rename = "run")]
    arguments: Vec<String>,
    #[serde(rename = "exit")]
    expected: i32,
    place: Option<String>,
    neglected: Option<String>,
}

/// The way, in the order in which people work.
///
/// # Errors
/// When the file that the program carries cannot be read, which a test rules out.
fn steps() -> Result<Vec<Step>, Error> {
    /// The file.
    #[derive(Deserialize)]
    struct Way {
        step: Vec<Step>,
    }
    let way: Result<Way, _> = toml::from_str(include_str!("steps.toml"));
    way.map(|way| way.step)
        .map_err(|e| failed(format!("the steps of the demo: {e}")))
}

pub(crate) fn run(arguments: &Demo, common: &Common, output: &Output) -> Result<Answer, Error> {
    let started = Instant::now();
    let temporary;
    let folder = match &arguments.dir {
        Some(dir) => {
            ensure_free(dir)?;
            std::path::absolute(dir).doing("cannot find", dir)?
        }
        None => {
            temporary = tempfile::Builder::new()
                .prefix("eutaxis-demo-")
                .tempdir()
                .doing("cannot make", Path::new("a temporary folder"))?;
            temporary.path().to_owned()
        }
    };
    std::fs::create_dir_all(&folder).doing("cannot make the folder", &folder)?;
    let made = eutaxis_demo::make(&folder).doing("cannot make the demo world in", &folder)?;
    let intro = format!(
        "The demo world: {} of a glacier field team, {} and {}, all made up, in an index tree at \
            {}.",
        count(made.projects, "project"),
        count(made.releases, "release"),
        count(made.files, "file"),
        made.depot.display()
    );
    output.now(&paragraph(&intro));
    let mut done = Vec::new();
    let steps = steps()?;
    let last = steps.len() + 1;
    for (number, step) in steps.into_iter().enumerate() {
        output.now(&format!(
            "\n{}",
            paragraph(&format!("{}  {}", number + 1, step.about))
        ));
        done.push(run_step(&step, &folder, common, output)?);
    }
    output.now(&format!(
        "\n{}",
        paragraph(&format!(
            "{last}  And does it import? The environment's own interpreter is asked."
        ))
    ));
    done.push(import_step(&folder, output)?);
    let kept = if arguments.dir.is_some() {
        format!(" It stays in {}.", folder.display())
    } else {
        String::new()
    };
    let seconds = started.elapsed().as_secs_f64();
    let text = format!(
        "\n{}\n",
        style::good(&format!(
            "The demo went the whole way in {seconds:.1} s.{kept}"
        ))
    );
    let report = report::Demo {
        folder: folder.display().to_string(),
        kept: arguments.dir.is_some(),
        projects: made.projects,
        files: made.files,
        steps: done,
        seconds,
    };
    Ok(Answer {
        outcome: Outcome::Ok,
        text,
        report: report.into(),
    })
}

fn ensure_free(dir: &Path) -> Result<(), Error> {
    let free = match std::fs::read_dir(dir) {
        Ok(mut entries) => entries.next().is_none(),
        Err(e) => e.kind() == std::io::ErrorKind::NotFound,
    };
    if free {
        Ok(())
    } else {
        Err(Error::request(format!("{} is not empty", dir.display()))
            .help("name a new or empty folder for the demo world"))
    }
}

fn paragraph(text: &str) -> String {
    wrap(text, width())
        .iter()
        .map(|line| format!("{}\n", style::strong(line)))
        .collect()
}

fn failed(message: String) -> Error {
    Error::new(ErrorKind::Contents, message)
        .help("this is a fault of the program or of this machine: the output above says more")
}

fn run_step(
    step: &Step,
    folder: &Path,
    common: &Common,
    output: &Output,
) -> Result<DemoStep, Error> {
    let shown: Vec<String> = step
        .arguments
        .iter()
        .map(|a| {
            if a.contains([' ', '>', '=']) {
                format!("\"{a}\"")
            } else {
                a.clone()
            }
        })
        .collect();
    let place = step.place.as_ref();
    let stand_in = place.map_or(String::new(), |p| format!("EUTAXIS_ROOT={p} "));
    let line = format!("{stand_in}eutaxis {}", shown.join(" "));
    output.now(&format!("{}\n", style::dim(&format!("$ {line}"))));
    if let Some(place) = &step.neglected {
        let root = folder.join(place);
        eutaxis_demo::neglect(&root).doing("cannot change the environment", &root)?;
    }
    let program = std::env::current_exe().doing("cannot find", Path::new("this program"))?;
    let mut command = Command::new(&program);
    command
        .args(&step.arguments)
        .current_dir(folder)
        .arg("--cache")
        .arg(cache(folder));
    // The demo has its own settings and depot.
    for name in [
        "EUTAXIS_DEPOT",
        "EUTAXIS_CONFIG",
        "EUTAXIS_CACHE",
        "EUTAXIS_ROOT",
        "VIRTUAL_ENV",
    ] {
        command.env_remove(name);
    }
    command.envs(place.map(|place| ("EUTAXIS_ROOT", place)));
    command.env("COLUMNS", width().to_string());
    if output.is_json() {
        command.arg("--json");
    } else if output.colours(common) {
        command.args(["--color", "always"]);
    }
    let answer = command.output().doing("cannot run", &program)?;
    let text = String::from_utf8_lossy(&answer.stdout).into_owned();
    output.now(&text);
    let code = answer.status.code().unwrap_or(-1);
    if code != step.expected {
        output.notice(&String::from_utf8_lossy(&answer.stderr));
        return Err(failed(format!(
            "`{line}` ended with exit code {code}; {} was expected",
            step.expected
        )));
    }
    let parsed = if output.is_json() {
        serde_json::from_str(&text).unwrap_or(Value::Null)
    } else {
        Value::Null
    };
    Ok(DemoStep {
        command: line,
        exit: code,
        answer: StepAnswer::Object(parsed),
    })
}

fn cache(folder: &Path) -> PathBuf {
    folder.join(".cache")
}

fn import_step(folder: &Path, output: &Output) -> Result<DemoStep, Error> {
    let code = "import radargram, fieldlog, sastrugi, icelens, hoarfrost\nfor m in (radargram, \
        fieldlog, sastrugi, icelens, hoarfrost): print(m.describe() + (' [compiled]' if \
        getattr(m, 'native', False) else ''))";
    output.now(&format!(
        "{}\n",
        style::dim(
            "$ .venv/bin/python -c \"import radargram, fieldlog, sastrugi, icelens, hoarfrost; \
                ...\""
        )
    ));
    let python = folder.join(".venv/bin/python");
    let answer = Command::new(&python)
        .args(["-I", "-c", code])
        .output()
        .doing("cannot run", &python)?;
    let text = String::from_utf8_lossy(&answer.stdout).into_owned();
    output.now(&text);
    if !answer.status.success() {
        output.notice(&String::from_utf8_lossy(&answer.stderr));
        return Err(failed(
            "the environment of the demo does not import what was placed".to_owned(),
        ));
    }
    Ok(DemoStep {
        command: "import".to_owned(),
        exit: 0,
        answer: StepAnswer::Lines(text.lines().map(str::to_owned).collect()),
    })
}

#[cfg(test)]
mod tests {
    use super::steps;

    #[test]
    fn every_step_is_read() {
        let steps = steps().unwrap();
        assert!(
            steps
                .iter()
                .all(|s| !s.about.is_empty() && !s.arguments.is_empty())
        );
        assert!(steps.len() > 20);
    }
}
