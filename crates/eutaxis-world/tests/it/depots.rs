//! Depots on disk: folders and index trees, what they tell and what they refuse.

use std::io::Write;
use std::path::Path;
use std::sync::Arc;

use eutaxis_core::Name;
use eutaxis_core::offer::MetadataAnswer;
use eutaxis_core::solve::Effort;
use eutaxis_demo::{Wheel, write_wheel};
use eutaxis_world::config::NetworkSettings;
use eutaxis_world::depot::{Depot, Depots, Listed, Named, Place, open};
use eutaxis_world::network::Network;
use flate2::Compression;
use flate2::write::GzEncoder;
use rstest::rstest;
use tempfile::TempDir;

fn name(text: &str) -> Name {
    Name::parse(text).unwrap()
}

fn network() -> Arc<Network> {
    Arc::new(Network::new(
        Path::new("/nowhere"),
        true,
        false,
        NetworkSettings::default(),
    ))
}

fn open_at(folder: &Path) -> eutaxis_world::Result<Arc<dyn Depot>> {
    open(
        &Named::at(folder.to_str().unwrap(), Path::new("/")),
        &network(),
    )
}

/// Writes a pure wheel whose metadata has these further lines.
fn wheel(folder: &Path, project: &str, version: &str, more: &str) -> String {
    let metadata = format!("Metadata-Version: 2.1\nName: {project}\nVersion: {version}\n{more}");
    let wheel = Wheel {
        name: project.replace('-', "_"),
        version: version.to_owned(),
        tags: "py3-none-any".to_owned(),
        files: vec![(
            format!("{}-{version}.dist-info/METADATA", project.replace('-', "_")),
            metadata.into_bytes(),
        )],
    };
    std::fs::create_dir_all(folder).unwrap();
    std::fs::write(folder.join(wheel.filename()), write_wheel(&wheel).unwrap()).unwrap();
    wheel.filename()
}

/// Writes a source distribution with these files under its top folder.
fn sdist(folder: &Path, stem: &str, files: &[(&str, &str)]) {
    let mut archive = tar::Builder::new(GzEncoder::new(Vec::new(), Compression::fast()));
    for (path, text) in files {
        let mut header = tar::Header::new_ustar();
        header.set_size(text.len() as u64);
        header.set_mode(0o644);
        archive
            .append_data(&mut header, format!("{stem}/{path}"), text.as_bytes())
            .unwrap();
    }
    let mut gzip = archive.into_inner().unwrap();
    gzip.flush().unwrap();
    std::fs::write(
        folder.join(format!("{stem}.tar.gz")),
        gzip.finish().unwrap(),
    )
    .unwrap();
}

fn folder() -> TempDir {
    tempfile::tempdir().unwrap()
}

fn answer(depot: &dyn Depot, project: &str) -> Result<MetadataAnswer, String> {
    let page = depot.page(&name(project)).unwrap().unwrap();
    depot
        .metadata(&name(project), page.files.first().unwrap(), Effort::Archive)
        .map_err(|e| e.message)
}

#[test]
fn a_folder_is_read_by_names_and_insides() {
    let folder = folder();
    wheel(
        folder.path(),
        "spindrift-io",
        "1.0",
        "Requires-Python: >=3.8\nRequires-Dist: firnio\n",
    );
    wheel(folder.path(), "spindrift-io", "1.1", "");
    std::fs::write(folder.path().join("notes.txt"), "x").unwrap();
    let depot = open_at(folder.path()).unwrap();
    assert_eq!(depot.projects(), [name("spindrift-io")]);
    let page = depot.page(&name("spindrift-io")).unwrap().unwrap();
    let told: Vec<_> = page
        .files
        .iter()
        .map(|f| f.requires_python.as_ref().map(ToString::to_string))
        .collect();
    assert_eq!(told, [Some(">=3.8".to_owned()), None]);
    assert!(
        page.files
            .iter()
            .all(|f| f.published.is_none() && f.size.is_some())
    );
    let Ok(MetadataAnswer::Known(metadata)) = answer(depot.as_ref(), "spindrift-io") else {
        panic!()
    };
    assert_eq!(metadata.requires[0].to_string(), "firnio");
    assert!(depot.page(&name("firnio")).unwrap().is_none());
}

#[test]
fn a_sidecar_speaks_for_its_file() {
    let folder = folder();
    let file = wheel(folder.path(), "firnio", "1.0", "");
    std::fs::write(
        folder.path().join(format!("{file}.metadata")),
        "Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\nRequires-Dist: moulin\n",
    )
    .unwrap();
    let depot = open_at(folder.path()).unwrap();
    let Ok(MetadataAnswer::Known(metadata)) = answer(depot.as_ref(), "firnio") else {
        panic!()
    };
    assert_eq!(metadata.requires.len(), 1);
}

#[rstest]
#[case::static_info(&[("PKG-INFO", "Metadata-Version: 2.2\nName: firnio\nVersion: \
    1.0\nRequires-Dist: moulin\n")], Some(1))]
#[case::dynamic_info(&[("PKG-INFO", "Metadata-Version: 2.2\nName: firnio\nVersion: 1.0\nDynamic: \
    Requires-Dist\n")], None)]
#[case::old_info(&[("PKG-INFO", "Metadata-Version: 2.1\nName: firnio\nVersion: \
    1.0\nRequires-Dist: moulin\n")], Some(1))]
#[case::old_info_static_project(&[
    ("PKG-INFO", "Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\n"),
    ("pyproject.toml", "[project]\nname='firnio'\nversion='1.0'\ndependencies=['moulin', \
        'icelens']\n"),
], Some(2))]
#[case::dynamic_project(&[("pyproject.toml", "[project]\nname='firnio'\nversion='1.0'\ndynamic=['dependencies']\n")], None)]
#[case::deeper_files_do_not_count(&[("inner/PKG-INFO", "Metadata-Version: 2.2\nName: \
    firnio\nVersion: 1.0\n")], None)]
#[case::nothing(&[("setup.txt", "")], None)]
fn needs_of_source_are_known_when_its_files_tell_them(
    #[case] files: &[(&str, &str)],
    #[case] needs: Option<usize>,
) {
    let folder = folder();
    sdist(folder.path(), "firnio-1.0", files);
    let depot = open_at(folder.path()).unwrap();
    let found = match answer(depot.as_ref(), "firnio").unwrap() {
        MetadataAnswer::Known(metadata) => Some(metadata.requires.len()),
        MetadataAnswer::UnknownUntilBuilt => None,
        other => panic!("{other:?}"),
    };
    assert_eq!(found, needs);
}

/// A tree with one project; `entry` is further keys of its file.
fn tree(entry: &str) -> TempDir {
    let folder = folder();
    let file = wheel(&folder.path().join("files"), "firnio", "1.0", "");
    std::fs::create_dir(folder.path().join("firnio")).unwrap();
    let page = format!(r#"{{"files":[{{"filename":"{file}","url":"../files/{file}"{entry}}}]}}"#);
    std::fs::write(folder.path().join("firnio/index.json"), page).unwrap();
    folder
}

#[test]
fn a_tree_leads_to_its_files() {
    let folder = tree("");
    let depot = open_at(folder.path()).unwrap();
    let page = depot.page(&name("firnio")).unwrap().unwrap();
    assert!(
        matches!(depot.place(&name("firnio"), page.files.first().unwrap()).unwrap(), Place::Disk(path) if path.is_file())
    );
    assert!(answer(depot.as_ref(), "firnio").is_ok());
    std::fs::remove_dir_all(folder.path().join("files")).unwrap();
    assert!(
        answer(depot.as_ref(), "firnio")
            .unwrap_err()
            .contains("but not on the disk")
    );
}

#[test]
fn a_sidecar_with_another_hash_is_refused() {
    let folder = tree(r#","core-metadata":{"sha256":"00"}"#);
    std::fs::write(
        folder
            .path()
            .join("files/firnio-1.0-py3-none-any.whl.metadata"),
        "Metadata-Version: 2.1\nName: firnio\nVersion: 1.0\n",
    )
    .unwrap();
    let depot = open_at(folder.path()).unwrap();
    assert!(
        answer(depot.as_ref(), "firnio")
            .unwrap_err()
            .contains("the index says 00")
    );
}

#[test]
fn pages_that_cannot_be_read_are_told() {
    let folder = tree("");
    std::fs::write(folder.path().join("firnio/index.json"), "{\"files\": 3}").unwrap();
    let depot = open_at(folder.path()).unwrap();
    let error = depot.page(&name("firnio")).unwrap_err();
    assert!(
        error
            .message
            .contains("index.json: not an index page in JSON"),
        "{}",
        error.message
    );
}

#[rstest]
#[case("nowhere", "does not exist")]
#[case(
    "ftp://ann:pw@index.example/simple/",
    "ftp://index.example/simple/ is reached by `ftp`, which is not spoken here"
)]
#[case("http://[bad/", "no URL")]
fn what_is_no_depot_is_told(#[case] label: &str, #[case] part: &str) {
    let folder = folder();
    let error = open(&Named::at(label, folder.path()), &network()).unwrap_err();
    assert!(
        error.message.contains(part) && error.help.is_some(),
        "{}",
        error.message
    );
    assert!(!error.message.contains("pw"));
    assert!(
        open(&Named::at(".", folder.path()), &network())
            .unwrap_err()
            .message
            .contains("holds no wheel"),
        "an empty folder offers nothing"
    );
}

#[test]
fn the_first_depot_that_has_a_project_serves_it() {
    let (one, two) = (folder(), folder());
    wheel(one.path(), "firnio", "1.0", "");
    wheel(two.path(), "firnio", "2.0", "");
    wheel(two.path(), "moulin", "5.0", "");
    let depot = |folder: &TempDir, only: &[&str]| Listed {
        depot: open_at(folder.path()).unwrap(),
        only: only.iter().map(|n| name(n)).collect(),
        accelerator: None,
        asks_dates: false,
    };
    let newest = |depots: &Depots, project: &str| {
        depots
            .page(&name(project))
            .unwrap()
            .map(|(_, p)| p.files.first().unwrap().kind.version().to_string())
    };
    let plain = Depots::new(vec![depot(&one, &[]), depot(&two, &[])], network());
    assert_eq!(
        (
            newest(&plain, "firnio").as_deref(),
            newest(&plain, "moulin").as_deref()
        ),
        (Some("1.0"), Some("5.0"))
    );
    let routed = Depots::new(vec![depot(&one, &[]), depot(&two, &["firnio"])], network());
    assert_eq!(
        (
            newest(&routed, "firnio").as_deref(),
            newest(&routed, "moulin")
        ),
        (Some("2.0"), None)
    );
    assert_eq!(plain.projects(), [name("firnio"), name("moulin")]);
}

#[test]
fn a_page_of_links_on_disk_serves_all_its_projects() {
    let folder = folder();
    wheel(
        &folder.path().join("w"),
        "firnio",
        "1.0",
        "Requires-Dist: moulin\n",
    );
    wheel(&folder.path().join("w"), "moulin", "5.0", "");
    let links = "<a href='w/firnio-1.0-py3-none-any.whl'>firnio</a> <a \
        href='w/moulin-5.0-py3-none-any.whl'>moulin</a>";
    std::fs::write(folder.path().join("boards.html"), links).unwrap();
    let depot = open(&Named::at("boards.html", folder.path()), &network()).unwrap();
    assert_eq!(depot.projects(), [name("firnio"), name("moulin")]);
    let Ok(MetadataAnswer::Known(metadata)) = answer(depot.as_ref(), "firnio") else {
        panic!()
    };
    assert_eq!(metadata.requires[0].to_string(), "moulin");
}
