use super::*;
use crate::interpreter::ProbeCache;
use rstest::rstest;
use std::os::unix::fs::{PermissionsExt, symlink};

/// A tool that starts the interpreter which a file of its own names, and counts its starts.
struct Tool {
    folder: tempfile::TempDir,
    /// Away from all folders that are looked at.
    away: tempfile::TempDir,
}

impl Tool {
    fn new() -> Self {
        let [folder, away] = [(); 2].map(|()| tempfile::tempdir().unwrap());
        let tool = Tool { folder, away };
        for folder in ["starts", "own", "counted", "cache"] {
            std::fs::create_dir(tool.path(folder)).unwrap();
        }
        let [own, counts] = ["own/chosen", "own/counts"].map(|p| tool.path(p));
        let (own, counts) = (own.display(), counts.display());
        let instead = interpreter();
        let instead = instead.display();
        let script = format!(
            "#!/bin/sh
read log < {counts}
echo x >> $log
read to < {own}
[ -e {own}.off ] && exit 9
[ -x $to ] || to={instead}
exec $to \"$@\"
"
        );
        std::fs::write(tool.path("starts/python3"), script).unwrap();
        let runs = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(tool.path("starts/python3"), runs).unwrap();
        tool.choose(&interpreter());
        tool.count_in(&tool.path("counted"));
        // What changed just now may change again unseen, and is not taken for known.
        std::thread::sleep(std::time::Duration::from_millis(50));
        tool
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn choose(&self, interpreter: &Path) {
        let line = format!("{}\n", interpreter.display());
        std::fs::write(self.path("own/chosen"), line).unwrap();
    }

    fn count_in(&self, folder: &Path) {
        let line = format!("{}\n", folder.join("log").display());
        std::fs::write(self.path("own/counts"), line).unwrap();
    }

    /// What a run is told, which keeps what it learns for the next one.
    fn told(&self) -> Result<Facts> {
        let cache = ProbeCache::open(&self.path("cache"));
        let told = cache.probe(&self.path("starts/python3"));
        cache.save();
        told
    }

    fn starts(&self) -> usize {
        let place = std::fs::read_to_string(self.path("own/counts")).unwrap();
        let log = std::fs::read_to_string(place.trim()).unwrap_or_default();
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
    tool.count_in(tool.away.path());
    std::thread::sleep(std::time::Duration::from_millis(50));
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
fn a_script_is_asked_again_when_what_it_led_to_is_gone() {
    let tool = Tool::new();
    settled(&tool);
    let chosen = tool.away.path().join("python3");
    symlink(interpreter(), &chosen).unwrap();
    tool.choose(&chosen);
    std::thread::sleep(std::time::Duration::from_millis(50));
    assert!(comes_to_be_known(&tool));
    assert_eq!(tool.told().unwrap().executable, chosen);
    std::fs::remove_file(chosen).unwrap();
    assert_eq!(tool.told().unwrap().executable, interpreter());
}

#[test]
fn an_environment_that_must_not_be_started_is_known_by_a_script_that_is_known() {
    let tool = Tool::new();
    settled(&tool);
    assert!(comes_to_be_known(&tool));
    let field = tempfile::tempdir().unwrap();
    let environment = field.path().join("env");
    std::fs::create_dir_all(environment.join("bin")).unwrap();
    std::fs::write(environment.join("pyvenv.cfg"), "").unwrap();
    let script = std::fs::canonicalize(tool.path("starts/python3")).unwrap();
    symlink(&script, environment.join("bin/python")).unwrap();
    let globs = [script.display().to_string()];
    let cache = ProbeCache::open(&tool.path("cache")).guarded(field.path().to_owned(), &globs);
    let told = cache.probe(&environment.join("bin/python")).unwrap();
    assert_eq!(told.prefix, environment);
}

#[test]
fn who_only_looks_around_is_told_what_was_said_last() {
    let tool = Tool::new();
    // Its own count lies beside it here, so that no trail of it can be known.
    tool.told().unwrap();
    let starts = tool.starts();
    let quick = ProbeCache::open(&tool.path("cache")).quick();
    let told = quick.probe(&tool.path("starts/python3")).unwrap();
    assert_eq!(told.executable, interpreter());
    assert_eq!(tool.starts(), starts, "it was started");
}

#[test]
fn nothing_is_written_when_nothing_was_learned() {
    let tool = Tool::new();
    tool.told().unwrap();
    let kept = tool.path("cache/interpreters-2.json");
    let cache = ProbeCache::open(&tool.path("cache"));
    cache.probe(&tool.path("starts/python3")).unwrap();
    cache.save();
    std::fs::remove_file(&kept).unwrap();
    cache.probe(&tool.path("starts/python3")).unwrap();
    cache.save();
    assert!(!kept.exists(), "the same was written again");
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
