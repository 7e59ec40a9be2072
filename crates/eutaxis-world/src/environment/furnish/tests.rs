//! What is sorted out before anything is placed, and the exchange at the end; the whole way with an
//! interpreter that is a script.

use eutaxis_core::artifact::hex;
use eutaxis_demo::{Wheel, write_wheel};
use rstest::rstest;
use sha2::{Digest, Sha256};

use super::*;
use crate::config::NetworkSettings;
use crate::interpreter::tests::facts;

/// An interpreter that only tells its facts: a script, so that no real one is needed.
fn told_by_script(folder: &Path) -> Facts {
    use std::os::unix::fs::PermissionsExt;
    let program = folder.join("bin/python3");
    fs::create_dir(folder.join("bin")).unwrap();
    let mut python = facts();
    python.executable.clone_from(&program);
    python.base_prefix = folder.to_owned();
    python.prefix = folder.to_owned();
    let text = serde_json::to_string(&python).unwrap();
    let script = format!("#!/bin/sh\ncat <<'END'\n{text}\nEND\n");
    fs::write(&program, script).unwrap();
    fs::set_permissions(&program, fs::Permissions::from_mode(0o755)).unwrap();
    python
}

/// A folder with a cache, and wheels that lie beside it.
struct Camp {
    folder: tempfile::TempDir,
    python: Facts,
    network: Network,
}

impl Camp {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let cache = folder.path().join("cache");
        let python = told_by_script(folder.path());
        Camp {
            network: Network::new(&cache, true, false, NetworkSettings::default()),
            python,
            folder,
        }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// A wheel of one module that holds this text.
    fn item(&self, name: &str, version: &str, text: &str) -> Item {
        let metadata = format!("Metadata-Version: 2.1\nName: {name}\nVersion: {version}\n");
        let wheel = Wheel {
            name: name.to_owned(),
            version: version.to_owned(),
            tags: "py3-none-any".to_owned(),
            files: vec![
                (format!("{name}.py"), text.as_bytes().to_vec()),
                (
                    format!("{name}-{version}.dist-info/METADATA"),
                    metadata.into_bytes(),
                ),
            ],
        };
        let filename = wheel.filename();
        let bytes = write_wheel(&wheel).unwrap();
        let path = self.path(&filename);
        fs::write(&path, &bytes).unwrap();
        let sha256 = hex(&Sha256::digest(&bytes));
        Item {
            name: Name::parse(name).unwrap(),
            version: version.to_owned(),
            wheel: WheelAt::Disk(path),
            wheel_name: WheelName::parse(&filename).unwrap(),
            filename,
            hashes: [("sha256", sha256.as_str())].into_iter().collect(),
            sha256,
            size: Some(bytes.len() as u64),
            said: None,
            requested: false,
            direct_url: None,
            built: None,
        }
    }

    fn request(&self, items: Vec<Item>) -> Furnish<'_> {
        Furnish {
            at: self.path(".venv"),
            items,
            python: &self.python,
            tidy: false,
            share_system: None,
            link: LinkMode::Auto,
            cache: self.path("cache"),
            network: &self.network,
            settled_for: None,
        }
    }

    fn furnish(&self, request: &Furnish<'_>) -> Result<Report> {
        furnish(request, &|_, _, _| (), &|| (), &|_| Ok(()))
    }

    fn module(&self, name: &str) -> Option<String> {
        let site = ".venv/lib/python3.12/site-packages";
        fs::read_to_string(self.path(site).join(format!("{name}.py"))).ok()
    }

    /// Folders of ours that lie beside the environment.
    fn left_over(&self) -> usize {
        let entries = fs::read_dir(self.folder.path()).unwrap().flatten();
        entries
            .filter(|e| {
                e.file_name()
                    .to_string_lossy()
                    .starts_with("..venv.eutaxis-")
            })
            .count()
    }
}

fn names(list: &[Name]) -> Vec<&str> {
    list.iter().map(Name::as_str).collect()
}

#[test]
fn an_environment_is_made_whole_and_then_kept() {
    let camp = Camp::new();
    let request = camp.request(vec![
        camp.item("firnio", "1.0", "depth = 1\n"),
        camp.item("moulin", "4.2", "wide = 2\n"),
    ]);
    let made = camp.furnish(&request).unwrap();
    assert!(made.made);
    assert_eq!(made.placed.len(), 2);
    assert_eq!(camp.module("firnio").as_deref(), Some("depth = 1\n"));
    let config = fs::read_to_string(camp.path(".venv/pyvenv.cfg")).unwrap();
    let home = format!("home = {}\n", camp.path("bin").display());
    assert!(config.contains(&home), "{config}");
    assert!(config.contains("include-system-site-packages = false\n"));

    let again = camp.furnish(&request).unwrap();
    assert!(!again.made);
    assert_eq!(names(&again.kept), ["firnio", "moulin"]);
    assert!(again.placed.is_empty() && again.replaced.is_empty());
    assert_eq!(again.bytes, Bytes::default());
    assert_eq!(camp.left_over(), 0);
}

#[test]
fn what_moves_is_replaced_and_the_rest_stays() {
    let camp = Camp::new();
    let (firnio, moulin) = (
        camp.item("firnio", "1.0", "depth = 1\n"),
        camp.item("moulin", "4.2", "wide = 2\n"),
    );
    camp.furnish(&camp.request(vec![firnio, moulin.clone()]))
        .unwrap();
    let newer = camp.item("firnio", "1.1", "depth = 11\n");
    let report = camp.furnish(&camp.request(vec![newer, moulin])).unwrap();
    let moved: Vec<(&str, &str)> = report
        .replaced
        .iter()
        .map(|m| (m.before.as_str(), m.after.as_str()))
        .collect();
    assert_eq!(moved, [("1.0", "1.1")]);
    assert_eq!(names(&report.kept), ["moulin"]);
    assert_eq!(camp.module("firnio").as_deref(), Some("depth = 11\n"));
    let old = ".venv/lib/python3.12/site-packages/firnio-1.0.dist-info";
    assert!(!camp.path(old).exists());
}

#[rstest]
#[case::left_alone(false, Some("wide = 2\n"))]
#[case::taken_away(true, None)]
fn what_is_in_no_pins(#[case] tidy: bool, #[case] module: Option<&str>) {
    let camp = Camp::new();
    let firnio = camp.item("firnio", "1.0", "depth = 1\n");
    let moulin = camp.item("moulin", "4.2", "wide = 2\n");
    camp.furnish(&camp.request(vec![firnio.clone(), moulin]))
        .unwrap();
    let report = camp
        .furnish(&Furnish {
            tidy,
            ..camp.request(vec![firnio])
        })
        .unwrap();
    assert_eq!(camp.module("moulin").as_deref(), module);
    assert_eq!(report.removed.len(), usize::from(tidy));
    assert_eq!(report.unpinned.len(), usize::from(!tidy));
}

#[test]
fn a_file_that_is_gone_is_placed_again() {
    let camp = Camp::new();
    let request = camp.request(vec![camp.item("firnio", "1.0", "depth = 1\n")]);
    camp.furnish(&request).unwrap();
    fs::remove_file(camp.path(".venv/lib/python3.12/site-packages/firnio.py")).unwrap();
    let report = camp.furnish(&request).unwrap();
    assert_eq!(report.replaced.len(), 1);
    assert_eq!(camp.module("firnio").as_deref(), Some("depth = 1\n"));
}

#[test]
fn a_wheel_of_other_bytes_changes_nothing() {
    let camp = Camp::new();
    let firnio = camp.item("firnio", "1.0", "depth = 1\n");
    camp.furnish(&camp.request(vec![firnio])).unwrap();
    let newer = camp.item("firnio", "1.1", "depth = 11\n");
    fs::write(camp.path(&newer.filename), b"other bytes").unwrap();
    let error = camp.furnish(&camp.request(vec![newer])).unwrap_err();
    assert_eq!(error.kind, ErrorKind::Contents);
    assert_eq!(camp.module("firnio").as_deref(), Some("depth = 1\n"));
    assert_eq!(camp.left_over(), 0);
}

#[test]
fn two_projects_with_one_path_are_refused_when_the_bytes_differ() {
    let camp = Camp::new();
    let firnio = camp.item("firnio", "1.0", "depth = 1\n");
    // Another project that brings `firnio.py`, in a wheel of its own name.
    let wheel = Wheel {
        name: "icelens".to_owned(),
        version: "3.1".to_owned(),
        tags: "py3-none-any".to_owned(),
        files: vec![
            ("firnio.py".to_owned(), b"depth = 2\n".to_vec()),
            (
                "icelens-3.1.dist-info/METADATA".to_owned(),
                b"Metadata-Version: 2.1\nName: icelens\nVersion: 3.1\n".to_vec(),
            ),
        ],
    };
    let bytes = write_wheel(&wheel).unwrap();
    fs::write(camp.path(&wheel.filename()), &bytes).unwrap();
    let sha256 = hex(&Sha256::digest(&bytes));
    let icelens = Item {
        name: Name::parse("icelens").unwrap(),
        version: "3.1".to_owned(),
        wheel: WheelAt::Disk(camp.path(&wheel.filename())),
        wheel_name: WheelName::parse(&wheel.filename()).unwrap(),
        filename: wheel.filename(),
        hashes: [("sha256", sha256.as_str())].into_iter().collect(),
        sha256,
        ..firnio.clone()
    };
    let error = camp
        .furnish(&camp.request(vec![firnio, icelens]))
        .unwrap_err();
    assert!(error.message.contains("both bring"), "{}", error.message);
    assert!(!camp.path(".venv").exists());
    assert_eq!(camp.left_over(), 0);
}

#[test]
fn a_file_said_to_need_something_else_is_not_placed() {
    let camp = Camp::new();
    let item = Item {
        said: Some((vec!["moulin>=4".to_owned()], Vec::new())),
        ..camp.item("firnio", "1.0", "depth = 1\n")
    };
    let values = camp.python.markers.clone();
    let request = Furnish {
        settled_for: Some(&values),
        ..camp.request(vec![item])
    };
    let error = camp.furnish(&request).unwrap_err();
    assert!(error.message.contains("moulin>=4"), "{}", error.message);
    assert!(error.help.unwrap().contains("--renew firnio"));
    assert!(!camp.path(".venv").exists());
}

#[test]
fn a_folder_of_something_else_is_not_touched() {
    let camp = Camp::new();
    fs::create_dir(camp.path(".venv")).unwrap();
    fs::write(camp.path(".venv/notes.txt"), "snow").unwrap();
    let firnio = camp.item("firnio", "1.0", "depth = 1\n");
    assert!(camp.furnish(&camp.request(vec![firnio])).is_err());
    let left = fs::read_dir(camp.path(".venv")).unwrap().count();
    assert_eq!(left, 1);
}

#[test]
fn without_the_network_what_is_only_there_is_named() {
    let camp = Camp::new();
    let item = Item {
        wheel: WheelAt::Url(Url::parse("https://depot.example/firnio.whl").unwrap()),
        ..camp.item("firnio", "1.0", "depth = 1\n")
    };
    let error = camp.furnish(&camp.request(vec![item])).unwrap_err();
    let told = format!("{} {:?}", error.message, error.missing);
    assert!(told.contains("firnio-1.0-py3-none-any.whl"), "{told}");
    assert!(!camp.path(".venv").exists());
}

#[test]
fn what_a_killed_run_left_beside_the_place_is_swept() {
    let camp = Camp::new();
    fs::create_dir_all(camp.path("..venv.eutaxis-left/whole/lib")).unwrap();
    fs::create_dir_all(camp.path("..other.eutaxis-left")).unwrap();
    let firnio = camp.item("firnio", "1.0", "depth = 1\n");
    camp.furnish(&camp.request(vec![firnio])).unwrap();
    assert_eq!(camp.left_over(), 0);
    assert!(camp.path("..other.eutaxis-left").exists());
}

#[rstest]
#[case::a_hidden_folder("/work/glacier/.venv", "glacier")]
#[case::a_name("/work/glacier/watch", "watch")]
#[case::at_the_top("/.venv", ".venv")]
fn the_prompt_names_the_project(#[case] root: &str, #[case] prompt: &str) {
    assert_eq!(prompt_of(Path::new(root)), prompt);
}

#[rstest]
#[case::in_one_step(exchange)]
#[case::in_two(exchange_in_two)]
fn two_trees_change_places(#[case] exchange: fn(&Path, &Path) -> Result<()>) {
    let folder = tempfile::tempdir().unwrap();
    let (stage, root) = (folder.path().join("work/whole"), folder.path().join("env"));
    for (place, text) in [(&stage, "new"), (&root, "old")] {
        fs::create_dir_all(place).unwrap();
        fs::write(place.join("is"), text).unwrap();
    }
    exchange(&stage, &root).unwrap();
    assert_eq!(fs::read_to_string(root.join("is")).unwrap(), "new");
}

#[test]
fn an_exchange_that_fails_half_way_goes_back() {
    let folder = tempfile::tempdir().unwrap();
    let (stage, root) = (folder.path().join("whole"), folder.path().join("env"));
    fs::create_dir_all(&root).unwrap();
    fs::write(root.join("is"), "old").unwrap();
    // There is nothing to be put in place.
    assert!(exchange_in_two(&stage, &root).is_err());
    assert_eq!(fs::read_to_string(root.join("is")).unwrap(), "old");
}
