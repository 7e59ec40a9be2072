use super::*;
use crate::interpreter::ProbeCache;
use rstest::rstest;
use std::os::unix::fs::PermissionsExt;

/// A tool that starts the interpreter which a file of its own names, and counts its starts.
struct Tool(tempfile::TempDir);

impl Tool {
    fn new() -> Self {
        let tool = Tool(tempfile::tempdir().unwrap());
        for folder in ["starts", "own", "counted", "cache"] {
            std::fs::create_dir(tool.path(folder)).unwrap();
        }
        let [own, counted] = ["own/chosen", "counted/log"].map(|p| tool.path(p));
        let (own, counted) = (own.display(), counted.display());
        let script = format!(
            "#!/bin/sh\necho x >> {counted}\nread to < {own}\n[ -e {own}.off ] && exit 9\nexec $to \
                \"$@\"\n"
        );
        std::fs::write(tool.path("starts/python3"), script).unwrap();
        let runs = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(tool.path("starts/python3"), runs).unwrap();
        tool.choose(&interpreter());
        // What changed just now may change again unseen, and is not taken for known.
        std::thread::sleep(std::time::Duration::from_millis(20));
        tool
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn choose(&self, interpreter: &Path) {
        let line = format!("{}\n", interpreter.display());
        std::fs::write(self.path("own/chosen"), line).unwrap();
    }

    /// What a run is told, which keeps what it learns for the next one.
    fn told(&self) -> Result<Facts> {
        let cache = ProbeCache::open(&self.path("cache"));
        let told = cache.probe(&self.path("starts/python3"));
        cache.save();
        told
    }

    fn starts(&self) -> usize {
        let log = std::fs::read_to_string(self.path("counted/log")).unwrap_or_default();
        log.lines().count()
    }
}

fn interpreter() -> PathBuf {
    let folders = std::env::var_os("PATH").unwrap();
    let told = std::env::split_paths(&folders)
        .map(|f| f.join("python3"))
        .filter(|p| p.is_file())
        .find_map(|p| probe::probe(&p).ok());
    std::fs::canonicalize(told.unwrap().executable).unwrap()
}

/// Lets it count away from the folders around it, so that no start changes anything there.
fn settled(tool: &Tool) {
    let counted = tool.path("counted");
    let away = tempfile::tempdir().unwrap().keep();
    std::fs::remove_dir(&counted).unwrap();
    std::os::unix::fs::symlink(&away, &counted).unwrap();
}

/// Whether it comes to be known. Other things happen on the machine meanwhile, also in the folders
/// around the script: each costs one start more.
fn comes_to_be_known(tool: &Tool) -> bool {
    (0..20).any(|_| {
        let starts = tool.starts();
        let _ = tool.told();
        starts > 0 && tool.starts() == starts
    })
}

#[test]
fn a_script_is_not_asked_again() {
    let tool = Tool::new();
    settled(&tool);
    assert!(comes_to_be_known(&tool));
    assert_eq!(tool.told().unwrap().executable, interpreter());
}

#[rstest]
#[case::another_content("own/chosen", "/bin/false\n")]
#[case::a_file_that_comes("own/chosen.off", "")]
#[case::the_script("starts/python3", "#!/bin/sh\nexit 9\n")]
fn what_it_looks_at_makes_it_be_asked_again(#[case] file: &str, #[case] text: &str) {
    let tool = Tool::new();
    settled(&tool);
    assert!(comes_to_be_known(&tool));
    std::fs::write(tool.path(file), text).unwrap();
    assert!(tool.told().is_err());
}

#[test]
fn a_failure_is_known_until_something_changes() {
    let tool = Tool::new();
    settled(&tool);
    std::fs::write(tool.path("own/chosen.off"), "").unwrap();
    assert!(comes_to_be_known(&tool));
    assert!(tool.told().is_err());
    std::fs::remove_file(tool.path("own/chosen.off")).unwrap();
    assert_eq!(tool.told().unwrap().executable, interpreter());
}

#[test]
fn a_file_that_was_written_meanwhile_makes_no_trail() {
    let tool = Tool::new();
    // Its own count lies beside it here, and changes with each start.
    tool.told().unwrap();
    let starts = tool.starts();
    tool.told().unwrap();
    assert!(tool.starts() > starts);
}

#[rstest]
#[case("interpreters-1.json", "{}")]
#[case("interpreters-2.json", "{\"programs\": 7}")]
#[case("interpreters-2.json", "")]
fn what_older_or_damaged_files_hold_is_dropped(#[case] file: &str, #[case] text: &str) {
    let tool = Tool::new();
    std::fs::write(tool.path("cache").join(file), text).unwrap();
    tool.told().unwrap();
    assert!(!tool.path("cache/interpreters-1.json").exists());
    let kept = std::fs::read(tool.path("cache/interpreters-2.json")).unwrap();
    assert!(serde_json::from_slice::<serde_json::Value>(&kept).unwrap()["programs"].is_object());
}
