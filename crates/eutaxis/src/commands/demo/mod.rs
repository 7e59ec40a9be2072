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
use crate::typed::quoted;
use crate::words::count;

/// A step of `story.toml` or `steps.toml`: a command of the program, or code for the environment.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Step {
    about: String,
    #[serde(rename = "run", default)]
    arguments: Vec<String>,
    #[serde(rename = "exit", default)]
    expected: i32,
    place: Option<String>,
    neglected: Option<String>,
    /// Code that the interpreter of `.venv` runs, and how that is shown.
    python: Option<String>,
    #[serde(default)]
    shown: String,
}

/// The story, or the whole way.
const STORY: &str = include_str!("story.toml");
const ALL: &str = include_str!("steps.toml");

/// The way, in the order in which people work.
///
/// # Errors
/// When the file that the program carries cannot be read, which a test rules out.
fn steps(text: &str) -> Result<Vec<Step>, Error> {
    /// The file.
    #[derive(Deserialize)]
    struct Way {
        step: Vec<Step>,
    }
    let way: Result<Way, _> = toml::from_str(text);
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
    let steps = steps(if arguments.all { ALL } else { STORY })?;
    let wanted = arguments.step;
    if let Some(number) = wanted.filter(|n| !(1..=steps.len()).contains(n)) {
        let all = if arguments.all { " --all" } else { "" };
        return Err(Error::request(format!(
            "there is no step {number}: `demo{all}` has {}",
            steps.len()
        ))
        .help(format!("--step 1 to --step {}", steps.len())));
    }
    std::fs::create_dir_all(&folder).doing("cannot make the folder", &folder)?;
    let made = eutaxis_demo::make(&folder).doing("cannot make the demo world in", &folder)?;
    let show = |text: &str, is_shown: bool| {
        if is_shown {
            output.now(text);
        }
    };
    let intro = format!(
        "The demo world: {} of a glacier field team, {} and {}, all made up, in an index tree at \
            {}.",
        count(made.projects, "project"),
        count(made.releases, "release"),
        count(made.files, "file"),
        made.depot.display()
    );
    show(&paragraph(&intro), wanted.is_none());
    let mut done = Vec::new();
    for (number, step) in (1..).zip(&steps) {
        if wanted.is_some_and(|wanted| number > wanted) {
            break;
        }
        // What comes before the step that is wanted is done, and not shown.
        let is_shown = wanted.is_none_or(|wanted| number == wanted);
        let gap = if wanted.is_none() { "\n" } else { "" };
        show(
            &format!("{gap}{}", paragraph(&format!("{number}  {}", step.about))),
            is_shown,
        );
        let ran = match &step.python {
            Some(code) => import_step(code, &step.shown, &folder, output, is_shown)?,
            None => run_step(step, &folder, common, output, is_shown)?,
        };
        if is_shown {
            done.push(ran);
        }
    }
    let kept = if arguments.dir.is_some() {
        format!(" It stays in {}.", folder.display())
    } else {
        String::new()
    };
    let seconds = started.elapsed().as_secs_f64();
    let text = format!(
        "\n{}\n",
        style::good(&format!(
            "{} in {seconds:.1} s.{kept}",
            match wanted {
                Some(number) => format!("Step {number}, with what comes before it,"),
                None => count(steps.len(), "step"),
            }
        ))
    );
    let text = match arguments.all || wanted.is_some() {
        true => text,
        false => format!(
            "{text}every command:         eutaxis demo --all\nto type it yourself:   eutaxis help \
                tutorial\n"
        ),
    };
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
    is_shown: bool,
) -> Result<DemoStep, Error> {
    let shown: Vec<String> = step.arguments.iter().map(|a| quoted(a)).collect();
    let place = step.place.as_ref();
    let stand_in = place.map_or(String::new(), |p| format!("EUTAXIS_ROOT={p} "));
    let line = format!("{stand_in}eutaxis {}", shown.join(" "));
    let line = line.trim_end().to_owned();
    if is_shown {
        output.now(&format!("{}\n", style::dim(&format!("$ {line}"))));
    }
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
    if is_shown {
        output.now(&text);
    }
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

fn import_step(
    code: &str,
    shown: &str,
    folder: &Path,
    output: &Output,
    is_shown: bool,
) -> Result<DemoStep, Error> {
    let line = format!("$ .venv/bin/python -c \"{shown}\"");
    if is_shown {
        output.now(&format!("{}\n", style::dim(&line)));
    }
    let python = folder.join(".venv/bin/python");
    let answer = Command::new(&python)
        .args(["-I", "-c", code])
        .output()
        .doing("cannot run", &python)?;
    let text = String::from_utf8_lossy(&answer.stdout).into_owned();
    if is_shown {
        output.now(&text);
    }
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
    use super::{ALL, STORY, steps};

    #[test]
    fn every_step_is_read() {
        let (all, story) = (steps(ALL).unwrap(), steps(STORY).unwrap());
        for step in all.iter().chain(&story) {
            assert!(!step.about.is_empty());
            assert!(step.python.is_none() || !step.shown.is_empty());
        }
        assert!(all.len() > 20);
        assert_eq!(story.len(), 9);
    }
}
