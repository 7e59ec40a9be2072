//! `demo`: the whole way on made-up data, each step explained. Every step runs the real program on
//! real files.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

use eutaxis_world::{Doing, Error, ErrorKind};
use serde_json::{Map, Value, json};

use crate::cli::{Common, Demo};
use crate::output::{Answer, Outcome, Output};
use crate::render::table::wrap;
use crate::render::{count, style, width};

/// A step: what it shows, the command as a person would type it, and the exit code that it must end
/// with.
struct Step {
    about: &'static str,
    arguments: Vec<String>,
    expected: i32,
    /// The tree that stands in for another machine.
    place: Option<&'static str>,
    /// The environment that nobody has looked after before this step.
    neglected: Option<&'static str>,
}

fn step(about: &'static str, arguments: &[&str], expected: i32) -> Step {
    Step {
        about,
        arguments: arguments.iter().map(|a| (*a).to_owned()).collect(),
        expected,
        place: None,
        neglected: None,
    }
}

/// The way, in the order in which people work.
fn steps() -> Vec<Step> {
    vec![
        step(
            "First: what is this machine, and which interpreters are here?",
            &["survey"],
            0,
        ),
        Step {
            place: Some("places/base-camp"),
            ..step(
                "The same of the workstation at base camp, whose files are looked at from here: it \
                    has an accelerator, made up and known only by the demo's own nordglim.toml.",
                &["survey"],
                0,
            )
        },
        step(
            "One project for one of the team's machines: which releases of radargram are there, \
                which is to be taken on the ridge logger, and what stands in the way of the newer \
                ones?",
            &["shortlist", "radargram", "--target", "ridge-logger"],
            0,
        ),
        step(
            "The field kit is asked for in fieldkit.txt. Which exact releases and files, together, \
                run on this machine? The depot is named in eutaxis.toml. Each line says who asks \
                for a project and what keeps newer releases out.",
            &["settle", "--asks", "fieldkit.txt"],
            0,
        ),
        step(
            "An old ask beside today's: the plots of 2023. What firnplot 1.4.2 needs is of its \
                time, two facts speak against what its time would give, and what nobody old needs \
                (hutbook and its igloofmt) is the newest.",
            &[
                "settle",
                "--asks",
                "season.txt",
                "--target",
                "base-camp",
                "--out",
                "pylock.season.toml",
            ],
            0,
        ),
        step(
            "The same with the newest of everything, as it would be without a look at dates:",
            &[
                "settle",
                "--asks",
                "season.txt",
                "--target",
                "base-camp",
                "--out",
                "pylock.season-newest.toml",
                "--chronology",
                "caution",
            ],
            0,
        ),
        step(
            "The pins become an environment: whole or not at all, every byte checked against its \
                hash.",
            &["furnish", "--at", ".venv"],
            0,
        ),
        step(
            "The same asks for the ridge logger, a small board with 32-bit programs and an older C \
                library. It needs other releases; no guess was made, each bar is stated.",
            &[
                "settle",
                "--asks",
                "fieldkit.txt",
                "--target",
                "ridge-logger",
                "--out",
                "pylock.ridge-logger.toml",
            ],
            0,
        ),
        step(
            "The ridge has no network. The pinned files of both machines go into one folder, with \
                the pins: a depot to carry up, and an index for any web server.",
            &[
                "gather",
                "pylock.toml",
                "pylock.ridge-logger.toml",
                "--into",
                "stick",
            ],
            0,
        ),
        step(
            "When it cannot be. The night watch asks for the network that sees crevasses, and for \
                the drift statistics of 2024: they need different series of frostgrid. The facts \
                that clash, where, and what mends it:",
            &[
                "settle",
                "--asks",
                "night.txt",
                "--target",
                "base-camp",
                "--out",
                "pylock.night.toml",
            ],
            1,
        ),
        step(
            "The first way out is taken: one line of night.txt changes, and the pins are written.",
            &[
                "settle",
                "--asks",
                "night.txt",
                "--target",
                "base-camp",
                "--out",
                "pylock.night.toml",
                "--take",
                "a",
            ],
            0,
        ),
        step(
            "The watch has an environment of its own, made from pins, on the machine that stands \
                in its hut.",
            &[
                "settle",
                "radargram",
                "fieldlog",
                "--out",
                "pylock.watch.toml",
            ],
            0,
        ),
        step(
            "Made, and left to itself:",
            &["furnish", "pylock.watch.toml", "--at", "watch"],
            0,
        ),
        step(
            "Somebody wants the newest wirepack, and places it alone. Nothing complains.",
            &[
                "settle",
                "wirepack>=3",
                "--out",
                "pylock.newest-wirepack.toml",
            ],
            0,
        ),
        step(
            "It moves under the feet of fieldlog:",
            &["furnish", "pylock.newest-wirepack.toml", "--at", "watch"],
            0,
        ),
        Step {
            neglected: Some("watch"),
            ..step(
                "A winter later files were copied from the board, two packages were placed by \
                    hand, one file is gone. What is wrong there? What can be mended by placing is \
                    solved with the depot.",
                &["examine", "watch", "--pins", "pylock.watch.toml"],
                1,
            )
        },
        step(
            "Wheels from a memory card of unknown origin: what do they really need, and would they \
                run at base camp?",
            &[
                "assay",
                "found/snowpit-2.4-cp311-cp311-manylinux_2_17_x86_64.whl",
                "found/nunatak-1.9-cp311-cp311-manylinux_2_17_x86_64.whl",
                "found/katabat-0.9-py3-none-any.whl",
                "--target",
                "base-camp",
            ],
            1,
        ),
        step(
            "Where is the module borelog, and whose is it?",
            &["locate", "borelog", "--in", "watch", "--in", ".venv"],
            0,
        ),
        step(
            "Things also broke where nobody had Eutaxis at hand. The logs are left, of whatever \
                program wrote them. The ridge logger found no nunatak for itself:",
            &[
                "diagnose",
                "logs/ridge-install.log",
                "--target",
                "ridge-logger",
            ],
            1,
        ),
        step(
            "It then built another project from its source, on a board without a build tool:",
            &[
                "diagnose",
                "logs/ridge-build.log",
                "--target",
                "ridge-logger",
            ],
            1,
        ),
        step(
            "A list whose lines exclude each other:",
            &["diagnose", "logs/night-watch.log", "--target", "base-camp"],
            1,
        ),
        step(
            "A job of the night that does not find its module, although the watch has it:",
            &["diagnose", "logs/hut-import.log", "--in", "watch"],
            1,
        ),
        step(
            "Two services in one log, and a build for an accelerator that the driver does not run:",
            &["diagnose", "logs/crevasses.log", "--target", "base-camp"],
            1,
        ),
        step(
            "And a compiled module that met a newer release than the one it was built against:",
            &["diagnose", "logs/melt.log", "--target", "base-camp"],
            1,
        ),
        step(
            "Other clashes. An interpreter that is too old:",
            &[
                "settle",
                "bergschrund",
                "--target",
                "ridge-logger",
                "--out",
                "pylock.other.toml",
            ],
            1,
        ),
        step(
            "No wheel for the platform, where nothing may be built:",
            &[
                "settle",
                "sastrugi>=0.9",
                "icelens",
                "--wheels",
                "only",
                "--target",
                "ridge-logger",
                "--out",
                "pylock.other.toml",
            ],
            1,
        ),
        step(
            "Only a pre-release would do:",
            &[
                "settle",
                "drumlin",
                "icefoot",
                "--target",
                "base-camp",
                "--out",
                "pylock.other.toml",
            ],
            1,
        ),
        step(
            "Built before the other existed, which the team found out and wrote down in \
                careful.toml:",
            &[
                "settle",
                "icelens",
                "moulin>=5",
                "--config",
                "careful.toml",
                "--target",
                "base-camp",
                "--out",
                "pylock.other.toml",
            ],
            1,
        ),
        step(
            "An exact pin three levels down:",
            &[
                "settle",
                "traverse-suite",
                "wirepack>=2",
                "--target",
                "base-camp",
                "--out",
                "pylock.other.toml",
            ],
            1,
        ),
        step(
            "Back to the field kit. Why is moulin here, and not a newer one?",
            &["reason", "moulin"],
            0,
        ),
        step(
            "What would move if a newer wirepack were added to the pins?",
            &["rehearse", "wirepack>=2"],
            1,
        ),
        step(
            "And what is wrong in the list that somebody wrote on the way up?",
            &["proofread", "draft.txt", "--target", "base-camp"],
            1,
        ),
        step(
            "Which interpreter for all of the team's machines, if nothing may be built? An older \
                one, and why:",
            &[
                "span",
                "radargram",
                "nunatak",
                "--wheels",
                "only",
                "--target",
                "ridge-logger",
                "--target",
                "base-camp",
                "--target",
                "office-mac",
                "--target",
                "field-laptop",
            ],
            0,
        ),
        step(
            "Two tools that need different interpreters: no version holds both, and the smallest \
                split does.",
            &[
                "span",
                "rimefall",
                "bergschrund",
                "katabat",
                "--target",
                "base-camp",
            ],
            1,
        ),
        step(
            "Builds for the accelerator at base camp. The driver runs toolkit 4.1 and not 4.2, and \
                firnflow is built for 3.6 and 3.9 only: one environment holds one toolkit, so \
                seracnet comes in an older release for the older one.",
            &[
                "settle",
                "seracnet",
                "firnflow",
                "--target",
                "base-camp",
                "--out",
                "pylock.other.toml",
            ],
            0,
        ),
        step(
            "The newest seracnet beside firnflow cannot be:",
            &[
                "settle",
                "seracnet==2.3.0+nor41",
                "firnflow",
                "--target",
                "base-camp",
                "--out",
                "pylock.newest.toml",
            ],
            1,
        ),
        step(
            "One kit for all four machines: pins for each, with the same releases wherever that \
                can be.",
            &[
                "settle",
                "--asks",
                "fieldkit.txt",
                "--target",
                "base-camp",
                "--target",
                "ridge-logger",
                "--target",
                "office-mac",
                "--target",
                "field-laptop",
                "--out",
                "pylock.team.toml",
            ],
            0,
        ),
    ]
}

pub(crate) fn run(
    arguments: &Demo,
    common: &Common,
    output: &Output,
) -> Result<Answer, Vec<Error>> {
    walk(arguments, common, output).map_err(|e| vec![e])
}

fn walk(arguments: &Demo, common: &Common, output: &Output) -> Result<Answer, Error> {
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
    let steps = steps();
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
    let mut object = Map::new();
    object.insert("folder".into(), json!(folder));
    object.insert("kept".into(), json!(arguments.dir.is_some()));
    object.insert("projects".into(), json!(made.projects));
    object.insert("files".into(), json!(made.files));
    object.insert("steps".into(), Value::Array(done));
    object.insert("seconds".into(), json!(seconds));
    Ok(Answer {
        outcome: Outcome::Ok,
        text,
        json: object,
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

fn run_step(step: &Step, folder: &Path, common: &Common, output: &Output) -> Result<Value, Error> {
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
    let place = step
        .place
        .map_or(String::new(), |p| format!("EUTAXIS_ROOT={p} "));
    let line = format!("{place}eutaxis {}", shown.join(" "));
    output.now(&format!("{}\n", style::dim(&format!("$ {line}"))));
    if let Some(place) = step.neglected {
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
    command.envs(step.place.map(|place| ("EUTAXIS_ROOT", place)));
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
    Ok(json!({"command": line, "exit": code, "answer": parsed}))
}

fn cache(folder: &Path) -> PathBuf {
    folder.join(".cache")
}

fn import_step(folder: &Path, output: &Output) -> Result<Value, Error> {
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
    Ok(json!({"command": "import", "exit": 0, "answer": text.lines().collect::<Vec<_>>()}))
}
