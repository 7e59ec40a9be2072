//! An environment that a test makes by hand, with the machine's own interpreter: sound at first,
//! then broken on purpose.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::OnceLock;

use eutaxis_core::artifact::{Record, RecordLine, hex, record_base64};
use eutaxis_demo::Library;
use serde_json::Value;

use crate::field::Field;

/// What the machine's interpreter says of itself.
pub(crate) struct Python {
    pub(crate) program: PathBuf,
    pub(crate) version: String,
    pub(crate) series: String,
    pub(crate) suffix: String,
}

/// The interpreter that `python3` starts, without what forwards to it.
pub(crate) fn python() -> &'static Python {
    static PYTHON: OnceLock<Python> = OnceLock::new();
    PYTHON.get_or_init(|| {
        let code = "import platform, sys, sysconfig; base = getattr(sys, '_base_executable', \
            sys.executable); print(base); print(platform.python_version()); print('%d.%d' % \
            sys.version_info[:2]); print(sysconfig.get_config_var('EXT_SUFFIX'))";
        let output = Command::new("python3")
            .args(["-I", "-c", code])
            .output()
            .unwrap();
        let text = String::from_utf8(output.stdout).unwrap();
        let lines: Vec<&str> = text.lines().collect();
        let [program, version, series, suffix] = lines.as_slice() else {
            panic!("{text}")
        };
        Python {
            program: PathBuf::from(program),
            version: (*version).to_owned(),
            series: (*series).to_owned(),
            suffix: (*suffix).to_owned(),
        }
    })
}

/// A project to be placed.
pub(crate) struct Placed<'a> {
    pub(crate) name: &'a str,
    pub(crate) version: &'a str,
    /// Further lines of METADATA.
    pub(crate) metadata: &'a str,
    /// The tag of its wheel.
    pub(crate) tag: &'a str,
    /// Paths in the folder of packages, and bytes.
    pub(crate) files: Vec<(String, Vec<u8>)>,
    pub(crate) requested: bool,
}

/// A project of one plain module of its name.
pub(crate) fn plain<'a>(name: &'a str, version: &'a str) -> Placed<'a> {
    let files = vec![(
        format!("{name}/__init__.py"),
        format!("__version__ = '{version}'\n").into_bytes(),
    )];
    Placed {
        name,
        version,
        metadata: "",
        tag: "py3-none-any",
        files,
        requested: true,
    }
}

/// An environment in a field.
pub(crate) struct Hut {
    pub(crate) field: Field,
}

impl Hut {
    /// An empty environment, `.venv`.
    pub(crate) fn new() -> Self {
        let hut = Hut {
            field: Field::empty(),
        };
        let python = python();
        let root = hut.root();
        std::fs::create_dir_all(hut.site()).unwrap();
        std::fs::create_dir_all(root.join("bin")).unwrap();
        let home = python.program.parent().unwrap().display();
        let text = format!(
            "home = {home}\ninclude-system-site-packages = false\nversion = {}\n",
            python.version
        );
        std::fs::write(root.join("pyvenv.cfg"), text).unwrap();
        #[cfg(unix)]
        std::os::unix::fs::symlink(&python.program, root.join("bin/python")).unwrap();
        std::fs::write(
            root.join("bin/activate"),
            format!("VIRTUAL_ENV='{}'\n", root.display()),
        )
        .unwrap();
        hut
    }

    pub(crate) fn root(&self) -> PathBuf {
        self.field.path(".venv")
    }

    /// The folder of packages.
    pub(crate) fn site(&self) -> PathBuf {
        self.root()
            .join("lib")
            .join(format!("python{}", python().series))
            .join("site-packages")
    }

    /// Writes a file into the folder of packages.
    pub(crate) fn write(&self, path: &str, bytes: impl AsRef<[u8]>) {
        let path = self.site().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }

    /// Places a project as the standards say.
    pub(crate) fn place(&self, project: &Placed<'_>) {
        let info = format!("{}-{}.dist-info", project.name, project.version);
        let metadata = format!(
            "Metadata-Version: 2.1\nName: {}\nVersion: {}\n{}",
            project.name, project.version, project.metadata
        );
        let wheel = format!(
            "Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: {}\n",
            project.tag
        );
        let mut files = project.files.clone();
        // What is compiled is there to be used.
        let package = format!("{}/__init__.py", project.name);
        let core = format!("{}/_core.", project.name);
        if files.iter().any(|(path, _)| path.starts_with(&core))
            && let Some((_, source)) = files.iter_mut().find(|(path, _)| *path == package)
        {
            source.extend_from_slice(b"from . import _core\n");
        }
        files.push((format!("{info}/METADATA"), metadata.into_bytes()));
        files.push((format!("{info}/WHEEL"), wheel.into_bytes()));
        files.push((format!("{info}/INSTALLER"), b"by-hand\n".to_vec()));
        if project.requested {
            files.push((format!("{info}/REQUESTED"), Vec::new()));
        }
        let mut record = Record::default();
        for (path, bytes) in &files {
            self.write(path, bytes);
            let hash = Some(format!("sha256={}", record_base64(&sha256(bytes))));
            record.lines.push(RecordLine {
                path: path.clone(),
                hash,
                size: Some(bytes.len() as u64),
            });
        }
        record.lines.push(RecordLine {
            path: format!("{info}/RECORD"),
            hash: None,
            size: None,
        });
        self.write(&format!("{info}/RECORD"), record.write());
    }

    /// Places a project with one compiled module `_core`, of this machine's kind but for what is
    /// said.
    pub(crate) fn place_compiled(&self, name: &str, suffix: &str, module: &Library) {
        self.place_bytes(name, suffix, library(module));
    }

    /// The same with any bytes for the module.
    pub(crate) fn place_bytes(&self, name: &str, suffix: &str, bytes: Vec<u8>) {
        let mut project = plain(name, "1.0");
        project.files.push((format!("{name}/_core{suffix}"), bytes));
        self.place(&project);
    }

    /// Examines it; the answer.
    pub(crate) fn examine(&self, code: i32, arguments: &[&str]) -> Value {
        self.field
            .json(code, &[&["examine", ".venv"], arguments].concat())
    }

    /// `severity id project` of what is found.
    pub(crate) fn found(&self, code: i32, arguments: &[&str]) -> Vec<String> {
        told(&self.examine(code, arguments))
    }
}

/// `severity id project` of the findings of an answer.
pub(crate) fn told(answer: &Value) -> Vec<String> {
    let word = |f: &Value, key: &str| f[key].as_str().unwrap_or("-").to_owned();
    let line = |f: &Value| {
        format!(
            "{} {} {}",
            word(f, "severity"),
            word(f, "id"),
            word(f, "project")
        )
    };
    answer["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(line)
        .collect()
}

/// A compiled file of this machine's architecture, unless another is said.
pub(crate) fn library(library: &Library) -> Vec<u8> {
    let here = if std::env::consts::ARCH == "arm" {
        "armv7l"
    } else {
        std::env::consts::ARCH
    };
    let arch = if library.arch.is_empty() {
        here.to_owned()
    } else {
        library.arch.clone()
    };
    Library {
        arch,
        ..library.clone()
    }
    .bytes()
}

/// A module `_core` that needs these libraries.
pub(crate) fn needing(libraries: &[&str]) -> Library {
    Library {
        needs: libraries.iter().map(|l| (*l).to_owned()).collect(),
        ..Library::module("_core")
    }
}

pub(crate) fn sha256(bytes: &[u8]) -> Vec<u8> {
    ring::digest::digest(&ring::digest::SHA256, bytes)
        .as_ref()
        .to_vec()
}

pub(crate) fn sha256_hex(bytes: &[u8]) -> String {
    hex(&sha256(bytes))
}

/// Every file below a folder with its bytes and time of change, to see that nothing is touched.
pub(crate) fn state(folder: &Path) -> Vec<(PathBuf, u64, std::time::SystemTime)> {
    let mut found = Vec::new();
    let mut open = vec![folder.to_owned()];
    while let Some(folder) = open.pop() {
        for entry in std::fs::read_dir(folder).unwrap().flatten() {
            let metadata = entry.metadata().unwrap();
            if metadata.is_dir() {
                open.push(entry.path());
            }
            found.push((entry.path(), metadata.len(), metadata.modified().unwrap()));
        }
    }
    found.sort();
    found
}
