//! Reading places: what is an environment, and what is in it.

use std::path::Path;

use eutaxis_world::environment::{Place, installed, look};
use rstest::rstest;

#[rstest]
#[case::plain(
    "home = /opt/py/bin\ninclude-system-site-packages = false\n",
    Some("/opt/py/bin"),
    false
)]
#[case::shares(
    "HOME=/opt/py/bin\nInclude-System-Site-Packages = TRUE\n",
    Some("/opt/py/bin"),
    true
)]
#[case::unsaid("home = /opt/py/bin\n", Some("/opt/py/bin"), true)]
#[case::last_counts(
    "home = /a\nhome = /b\nnot a pair\ninclude-system-site-packages = no\n",
    Some("/b"),
    false
)]
#[case::empty("", None, true)]
fn settings_of_an_environment_are_read_as_the_interpreter_does(
    #[case] text: &str,
    #[case] home: Option<&str>,
    #[case] shares: bool,
) {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("pyvenv.cfg"), text).unwrap();
    let expected = Place::Environment {
        home: home.map(Into::into),
        shares_system: shares,
    };
    assert_eq!(look(folder.path()).unwrap(), expected);
}

#[test]
fn other_places_are_told_apart() {
    let folder = tempfile::tempdir().unwrap();
    assert_eq!(look(folder.path()).unwrap(), Place::Free);
    assert_eq!(look(&folder.path().join("new")).unwrap(), Place::Free);
    std::fs::write(folder.path().join("x"), "").unwrap();
    assert_eq!(look(folder.path()).unwrap(), Place::Other);
    assert!(
        look(&folder.path().join("x"))
            .unwrap_err()
            .message
            .contains("is a file")
    );
    std::os::unix::fs::symlink("nowhere", folder.path().join("link")).unwrap();
    assert!(
        look(&folder.path().join("link"))
            .unwrap_err()
            .message
            .contains("leads nowhere")
    );
}

fn project(site: &Path, folder: &str, files: &[(&str, &str)]) {
    let info = site.join(folder);
    std::fs::create_dir_all(&info).unwrap();
    files
        .iter()
        .for_each(|(name, text)| std::fs::write(info.join(name), text).unwrap());
}

#[test]
fn projects_are_read_whoever_placed_them() {
    let folder = tempfile::tempdir().unwrap();
    let site = folder.path();
    let metadata = "Metadata-Version: 2.1\nName: Frost.Grid\nVersion: 1.9.4\n";
    project(
        site,
        "frost_grid-1.9.4.dist-info",
        &[
            ("METADATA", metadata),
            ("RECORD", "frost_grid/__init__.py,,\n../../../bin/frost,,\n"),
        ],
    );
    project(
        site,
        "moulin-5.0.dist-info",
        &[(
            "eutaxis.json",
            r#"{"file":"moulin-5.0-py3-none-any.whl","sha256":"ab"}"#,
        )],
    );
    project(site, "~broken.dist-info", &[]);
    project(site, "not-a-project", &[("METADATA", metadata)]);
    let found = installed(site).unwrap();
    let shown: Vec<String> = found
        .iter()
        .map(|p| format!("{} `{}` {:?}", p.name, p.version, p.sha256))
        .collect();
    assert_eq!(shown, ["frost-grid `1.9.4` None", "moulin `` Some(\"ab\")"]);
    let files = found[0].files.as_ref().unwrap();
    assert_eq!(files[0], site.join("frost_grid/__init__.py"));
    assert!(!files[1].to_string_lossy().contains(".."), "{files:?}");
    assert!(found[1].files.is_none(), "without RECORD nobody knows");
    assert!(installed(&site.join("nowhere")).unwrap().is_empty());
}
