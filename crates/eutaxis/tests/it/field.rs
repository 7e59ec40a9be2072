//! The harness: a fresh folder with the demo's settings, a private cache, and a clean environment.

use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::sync::OnceLock;

use eutaxis_demo::server::{Server, Trouble};
use serde_json::Value;
use tempfile::TempDir;

/// The workstation of the team, whatever this machine is.
pub(crate) const WORKSTATION: &str = "cpython 3.11 / linux x86_64 glibc 2.35";

/// The demo world, made once for all tests of this process.
pub(crate) fn world() -> &'static Path {
    static WORLD: OnceLock<TempDir> = OnceLock::new();
    let world = WORLD.get_or_init(|| {
        let folder = tempfile::tempdir().unwrap();
        eutaxis_demo::make(folder.path()).unwrap();
        folder
    });
    world.path()
}

/// The index tree of the demo world.
pub(crate) fn depot() -> String {
    world().join("depot").display().to_string()
}

/// The demo world on a server, with this trouble.
pub(crate) fn server(trouble: Trouble) -> Server {
    Server::start(&world().join("depot"), trouble).unwrap()
}

/// An index tree of a world of its own, described as the demo's is.
pub(crate) fn depot_of(description: &str) -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    let world = eutaxis_demo::World::parse(description).unwrap();
    eutaxis_demo::write_depot(&world, folder.path()).unwrap();
    folder
}

/// A pure project with one release for each version, which all need the same.
pub(crate) fn project(name: &str, versions: &[&str], needs: &str) -> String {
    let releases: String = versions
        .iter()
        .map(|v| {
            format!(
                "[[project.release]]\nversion = \"{v}\"\ndate = \"2026-01-01\"\nneeds = [{needs}]\n"
            )
        })
        .collect();
    format!("[[project]]\nname = \"{name}\"\nsummary = \"x\"\npure = true\n{releases}")
}

/// Changes the JSON page of a project.
pub(crate) fn change_page(depot: &Path, project: &str, change: impl Fn(&mut Value)) {
    let path = depot.join(project).join("index.json");
    let mut page: Value = serde_json::from_slice(&std::fs::read(&path).unwrap()).unwrap();
    change(&mut page);
    std::fs::write(path, serde_json::to_vec(&page).unwrap()).unwrap();
}

/// A folder to work in.
pub(crate) struct Field {
    folder: TempDir,
}

/// What a run printed, and its exit code.
#[derive(Debug)]
pub(crate) struct Ran {
    pub(crate) code: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Field {
    /// An empty folder.
    pub(crate) fn empty() -> Self {
        Field {
            folder: tempfile::Builder::new().prefix("field-").tempdir().unwrap(),
        }
    }

    /// A folder with the demo's asks and settings, which name the shared depot.
    pub(crate) fn new() -> Self {
        let field = Field::empty();
        field.write("fieldkit.txt", eutaxis_demo::ASKS);
        field.write("nordglim.toml", eutaxis_demo::NORDGLIM);
        field.write("firn.toml", eutaxis_demo::FIRN);
        field.write(
            "eutaxis.toml",
            &eutaxis_demo::SETTINGS.replace("path = \"depot\"", &format!("path = {:?}", depot())),
        );
        field
    }

    /// Such a folder in which these asks were settled for the workstation.
    pub(crate) fn settled(asks: &[&str]) -> Self {
        let field = Field::new();
        field.expect(0, &[&["settle", "--target", WORKSTATION], asks].concat());
        field
    }

    /// A folder whose settings name this server as the only depot, and little patience.
    pub(crate) fn at(server: &Server) -> Self {
        let field = Field::empty();
        field.write("fieldkit.txt", eutaxis_demo::ASKS);
        field.name_depot(&server.url());
        field
    }

    /// Settings with this depot.
    pub(crate) fn name_depot(&self, url: &str) {
        self.write("nordglim.toml", eutaxis_demo::NORDGLIM);
        self.write("firn.toml", eutaxis_demo::FIRN);
        let targets = eutaxis_demo::SETTINGS.split_once("\n[knowledge").unwrap().1;
        let text = format!(
            "[[depot]]\nname = \"base camp\"\nurl = {url:?}\n[network]\ntimeout = 1\nattempts = \
                3\n[knowledge{targets}"
        );
        self.write("eutaxis.toml", &text);
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub(crate) fn write(&self, name: &str, text: &str) {
        let path = self.path(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    }

    pub(crate) fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap()
    }

    /// Names in the folder, sorted; what the harness itself put there left out.
    pub(crate) fn names(&self) -> Vec<String> {
        let own = [
            "nordglim.toml",
            "cache",
            "eutaxis.toml",
            "fieldkit.txt",
            "firn.toml",
        ];
        let entries = std::fs::read_dir(self.folder.path()).unwrap();
        let mut names: Vec<String> = entries
            .map(|e| e.unwrap().file_name().into_string().unwrap())
            .filter(|n| !own.contains(&n.as_str()))
            .collect();
        names.sort();
        names
    }

    /// A command of the program in this folder.
    pub(crate) fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_eutaxis"));
        command
            .args(arguments)
            .current_dir(self.folder.path())
            .env("EUTAXIS_CACHE", self.path("cache"))
            .stdin(Stdio::null());
        for name in [
            "NETRC",
            "HTTP_PROXY",
            "http_proxy",
            "ALL_PROXY",
            "all_proxy",
            "EUTAXIS_DEPOT",
            "EUTAXIS_CONFIG",
            "EUTAXIS_ROOT",
            "XDG_CONFIG_HOME",
            "VIRTUAL_ENV",
            "NO_COLOR",
            "CLICOLOR_FORCE",
            "COLUMNS",
        ] {
            command.env_remove(name);
        }
        command.env("HOME", self.folder.path());
        command
    }

    /// A shell in this folder that carries out lines, in which the program is found by its name.
    pub(crate) fn shell(&self, line: &str) -> Command {
        let program = Path::new(env!("CARGO_BIN_EXE_eutaxis"));
        let folder = program.parent().unwrap().display();
        let path = std::env::var("PATH").unwrap();
        let mut shell = Command::new("sh");
        shell
            .args(["-c", line])
            .current_dir(self.folder.path())
            .stdin(Stdio::null())
            .env("PATH", format!("{folder}:{path}"))
            .env("EUTAXIS_CACHE", self.path("cache"))
            .env("HOME", self.folder.path());
        for name in [
            "EUTAXIS_DEPOT",
            "XDG_CONFIG_HOME",
            "PYTHONPATH",
            "VIRTUAL_ENV",
            "COLUMNS",
        ] {
            shell.env_remove(name);
        }
        shell
    }

    pub(crate) fn run(&self, arguments: &[&str]) -> Ran {
        ran(self.command(arguments).output().unwrap())
    }

    /// Runs, and demands an exit code; tells everything when it is another.
    pub(crate) fn expect(&self, code: i32, arguments: &[&str]) -> Ran {
        let ran = self.run(arguments);
        assert_eq!(
            ran.code,
            code,
            "eutaxis {}\n--- out\n{}\n--- err\n{}\n--- folder {:?}",
            arguments.join(" "),
            ran.out,
            ran.err,
            self.names()
        );
        ran
    }

    /// Runs with `--json`: the one object, checked for the keys that every answer has.
    pub(crate) fn json(&self, code: i32, arguments: &[&str]) -> Value {
        let mut all = arguments.to_vec();
        all.push("--json");
        let ran = self.expect(code, &all);
        let object: Value =
            serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}\n{}", ran.out));
        let outcome = match code {
            0 => "ok",
            1 => "no",
            _ => "error",
        };
        assert_eq!(object["outcome"], outcome);
        // In the answer of `reason`, `version` is that of the project it speaks of.
        let key = if arguments.first() == Some(&"reason") && code < 2 {
            "program_version"
        } else {
            "version"
        };
        assert_eq!(object[key], env!("CARGO_PKG_VERSION"));
        if let Some(command) = object["command"].as_str() {
            follow_schema(command, &object);
        }
        object
    }

    /// Types a printed command into a shell, in this folder, and demands an exit code.
    pub(crate) fn typed(&self, code: i32, command: &str) -> Ran {
        let ran = shell(self, self.folder.path(), command);
        assert_eq!(ran.code, code, "{command}\n{ran:#?}");
        ran
    }

    /// Brings a file here.
    pub(crate) fn copy(&self, from: &Path, name: &str) {
        let to = self.path(name);
        std::fs::create_dir_all(to.parent().unwrap()).unwrap();
        std::fs::copy(from, to).unwrap();
    }

    /// Runs the interpreter of the environment `.venv`.
    pub(crate) fn python(&self, code: &str) -> Ran {
        ran(Command::new(self.path(".venv/bin/python"))
            .args(["-I", "-B", "-c", code])
            .output()
            .unwrap())
    }
}

/// A command as it is typed into a shell, with the program on PATH.
pub(crate) fn shell(camp: &Field, folder: &Path, command: &str) -> Ran {
    let program = Path::new(env!("CARGO_BIN_EXE_eutaxis")).parent().unwrap();
    let path = std::env::var("PATH").unwrap_or_default();
    let output = Command::new("sh")
        .args(["-c", command])
        .current_dir(folder)
        .env("PATH", format!("{}:{path}", program.display()))
        .env("EUTAXIS_CACHE", camp.path("cache"))
        .env("HOME", camp.path(""))
        .env_remove("XDG_CONFIG_HOME")
        .env_remove("VIRTUAL_ENV")
        .env_remove("EUTAXIS_DEPOT")
        .stdin(Stdio::null())
        .output();
    ran(output.unwrap())
}

pub(crate) fn ran(output: Output) -> Ran {
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
    Ran {
        code: output.status.code().unwrap_or(-1),
        out: text(output.stdout),
        err: text(output.stderr),
    }
}

/// `name version` of each pin of an answer.
pub(crate) fn pins(answer: &Value) -> Vec<String> {
    let text = |v: &Value| v.as_str().unwrap().to_owned();
    answer["pins"]
        .as_array()
        .unwrap()
        .iter()
        .map(|p| format!("{} {}", text(&p["name"]), text(&p["version"])))
        .collect()
}

/// The file of a pin.
pub(crate) fn file_of(answer: &Value, name: &str) -> String {
    let pin = answer["pins"]
        .as_array()
        .unwrap()
        .iter()
        .find(|p| p["name"] == name)
        .unwrap_or_else(|| panic!("{name} is not pinned"));
    pin["file"].as_str().unwrap().to_owned()
}

/// Checks an answer against the schema of its command (`docs/schema/`).
fn follow_schema(command: &str, object: &Value) {
    let file = Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../../docs/schema")
        .join(format!("{command}.json"));
    let text = std::fs::read_to_string(&file).unwrap();
    let schema: Value = serde_json::from_str(&text).unwrap();
    let faults = crate::schema::faults(object, &schema);
    assert!(faults.is_empty(), "{}\n{object:#}", faults.join("\n"));
}
