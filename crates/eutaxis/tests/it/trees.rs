//! One's own project, folders, archives and repositories that are asked for by their address:
//! settled, pinned as the standard has it, placed and imported.

use std::path::Path;
use std::process::Command;

use rstest::rstest;
use serde_json::Value;

use crate::field::{Field, Ran, WORKSTATION, pins, ran, server, world};

const BACKEND: &str = include_str!("backend.py");

/// A project that builds itself. `more` stands in `[project]`.
fn project(field: &Field, folder: &str, name: &str, more: &str) {
    let package = name.replace('-', "_");
    field.write(
        &format!("{folder}/pyproject.toml"),
        &format!(
            "[project]\nname = \"{name}\"\n{more}\n[build-system]\nrequires = []\n\
                build-backend = \"backend\"\nbackend-path = [\".\"]\n"
        ),
    );
    field.write(&format!("{folder}/backend.py"), BACKEND);
    field.write(
        &format!("{folder}/{package}/__init__.py"),
        "season = 1\n\n\ndef main():\n    print(season)\n",
    );
}

fn python(field: &Field, code: &str) -> String {
    let ran = field.python(code);
    assert_eq!(ran.code, 0, "{}", ran.err);
    ran.out.trim().to_owned()
}

/// The entry of a project in the pins, as text.
fn entry(field: &Field, name: &str) -> String {
    let text = field.read("pylock.toml");
    let all: Vec<&str> = text.split("[[packages]]").collect();
    let is_it = |e: &&&str| e.contains(&format!("name = \"{name}\"\n"));
    (*all
        .iter()
        .find(is_it)
        .unwrap_or_else(|| panic!("{name} is not in\n{text}")))
    .to_owned()
}

fn direct_url(field: &Field, stem: &str) -> Value {
    let site = glob::glob(field.path(".venv/lib/*/site-packages").to_str().unwrap());
    let site = site.unwrap().next().unwrap().unwrap();
    let text = std::fs::read(site.join(format!("{stem}.dist-info/direct_url.json"))).unwrap();
    serde_json::from_slice(&text).unwrap()
}

/// One's own project is placed where it lies; what it depends on is asked by its lines.
#[test]
fn ones_own_project_is_placed_where_it_lies() {
    let field = Field::new();
    project(
        &field,
        ".",
        "season-kit",
        "version = \"2.1\"\ndependencies = [\"firnio\"]",
    );
    let answer = field.json(0, &["settle"]);
    assert_eq!(
        pins(&answer),
        ["firnio 1.3", "season-kit 2.1", "wirepack 3.0.4"]
    );
    let own = entry(&field, "season-kit");
    assert!(
        own.contains("directory = {path = \".\", editable = true}"),
        "{own}"
    );
    assert!(!own.contains("version ="), "{own}");
    assert!(
        !field.read("pylock.toml").contains("file://"),
        "no place of this machine is pinned"
    );
    assert_eq!(answer["pins"][0]["asked_by"][0], "ask");
    let told = field.expect(0, &["settle"]);
    assert!(
        told.out.contains("pylock.toml is as it was"),
        "{}",
        told.out
    );
    let made = field.expect(0, &["furnish"]);
    assert!(made.out.contains("season-kit"), "{}", made.out);
    assert_eq!(
        python(
            &field,
            "import season_kit, firnio; print(season_kit.season)"
        ),
        "1"
    );
    field.write(
        "season_kit/__init__.py",
        "season = 2\n\n\ndef main():\n    print(season)\n",
    );
    assert_eq!(
        python(&field, "import season_kit; print(season_kit.season)"),
        "2"
    );
    let direct = direct_url(&field, "season_kit-2.1");
    assert_eq!(direct["dir_info"]["editable"], true);
    assert!(
        direct["url"].as_str().unwrap().starts_with("file:///"),
        "{direct}"
    );
    assert_eq!(field.expect(0, &["within", "--", "season-kit"]).out, "2\n");
    // A second time nothing is to be done.
    let again = field.expect(0, &["furnish"]);
    assert!(again.out.contains("nothing was changed"), "{}", again.out);
    field.expect(0, &["furnish", "--check"]);
    field.expect(0, &["settle", "--check"]);
    field.expect(0, &["examine"]);
    assert_eq!(field.read("season_kit.notes/built"), "2.1");
    // It is proven where it lies.
    let proven = field.expect(0, &["settle", "--prove"]);
    assert!(proven.out.contains("proof  ran"), "{}", proven.out);
    // What it depends on alone.
    field.expect(0, &["furnish", "--deps-only", "--at", "deps"]);
    assert!(field.path("deps/bin/python").exists());
    assert!(!field.path("deps/bin/season-kit").exists());
}

/// What it depends on may be known by its build system alone, which is asked: it is the user's own.
#[test]
fn dependencies_that_only_the_build_system_knows_are_asked_of_it() {
    let field = Field::new();
    let more = "version = \"2.1\"\ndynamic = [\"dependencies\"]\n[tool.own]\ndependencies = [\"firnio<1.3\"]";
    project(&field, ".", "season-kit", more);
    let told = field.expect(0, &["settle"]);
    assert!(
        told.err.contains("its build system is asked"),
        "{}",
        told.err
    );
    assert!(
        field
            .read("pylock.toml")
            .contains("name = \"firnio\"\nversion = \"1.2\"")
    );
    field.expect(0, &["furnish"]);
    assert_eq!(python(&field, "import season_kit, firnio; print(1)"), "1");
}

/// A folder that states no build system is settled, and it is told that it is not placed.
#[test]
fn a_project_without_a_build_system_is_told() {
    let field = Field::new();
    field.write(
        "pyproject.toml",
        "[project]\nname = \"kit\"\nversion = \"1\"\ndependencies = [\"firnio\"]\n",
    );
    let answer = field.json(0, &["settle"]);
    assert_eq!(pins(&answer), ["firnio 1.3", "wirepack 3.0.4"]);
    let cautions = answer["cautions"].to_string();
    assert!(cautions.contains("pyproject.toml:2"), "{cautions}");
    assert!(cautions.contains("[build-system]"), "{cautions}");
}

/// Several projects are settled together, and need each other where they lie.
#[test]
fn a_workspace_is_one_set() {
    let field = Field::new();
    let settings = field.read("eutaxis.toml");
    field.write(
        "eutaxis.toml",
        &format!("{settings}\n[[member]]\npath = \"radar\"\n[[member]]\npath = \"ice-base\"\n"),
    );
    project(
        &field,
        "radar",
        "radar-app",
        "version = \"1.0\"\ndependencies = [\"ice-base>=2\", \"katabat\"]",
    );
    project(
        &field,
        "ice-base",
        "ice-base",
        "version = \"2.0\"\ndependencies = [\"firnio\"]",
    );
    let answer = field.json(0, &["settle"]);
    assert_eq!(
        pins(&answer),
        [
            "firnio 1.3",
            "ice-base 2.0",
            "katabat 0.5",
            "radar-app 1.0",
            "wirepack 3.0.4"
        ]
    );
    field.expect(0, &["furnish"]);
    assert_eq!(
        python(&field, "import radar_app, ice_base, firnio; print(1)"),
        "1"
    );
    // One that another one does not take is a clash.
    field.write(
        "ice-base/pyproject.toml",
        &field.read("ice-base/pyproject.toml").replace("2.0", "1.0"),
    );
    let clash = field.json(1, &["settle"]);
    assert!(clash["clash"].to_string().contains("ice-base"), "{clash}");
}

#[rstest]
#[case::static_version("version = \"3.0\"\ndependencies = [\"firnio<1.3\"]", "3.0")]
#[case::dynamic_version("dynamic = [\"version\"]\ndependencies = [\"firnio<1.3\"]", "4.5")]
fn a_folder_is_asked_for(#[case] more: &str, #[case] version: &str) {
    let field = Field::new();
    project(&field, "tools/drill", "drill", more);
    field.write("tools/drill/VERSION", "4.5\n");
    field.write("list.txt", "./tools/drill\nkatabat\n");
    let answer = field.json(0, &["settle", "--asks", "list.txt"]);
    assert_eq!(
        pins(&answer),
        [
            format!("drill {version}"),
            "firnio 1.2".into(),
            "katabat 0.5".into(),
            "wirepack 2.2.1".into()
        ]
    );
    let own = entry(&field, "drill");
    assert!(
        own.contains("directory = {path = \"tools/drill\"}"),
        "{own}"
    );
    field.expect(0, &["furnish"]);
    assert_eq!(python(&field, "import drill; print(drill.season)"), "1");
    assert_eq!(
        direct_url(&field, &format!("drill-{version}"))["dir_info"],
        serde_json::json!({})
    );
    // A copy: what changes afterwards is placed by the next run.
    field.write("tools/drill/drill/__init__.py", "season = 7\n");
    assert_eq!(python(&field, "import drill; print(drill.season)"), "1");
    field.expect(0, &["furnish"]);
    assert_eq!(python(&field, "import drill; print(drill.season)"), "7");
}

#[test]
fn a_folder_is_used_where_it_lies_when_asked_so() {
    let field = Field::new();
    project(&field, "tools/drill", "drill", "version = \"3.0\"");
    field.write("list.txt", "-e ./tools/drill\n");
    field.expect(0, &["settle", "--asks", "list.txt"]);
    assert!(entry(&field, "drill").contains("editable = true"));
    field.expect(0, &["furnish"]);
    field.write("tools/drill/drill/__init__.py", "season = 7\n");
    assert_eq!(python(&field, "import drill; print(drill.season)"), "7");
}

/// Archives by their address are pinned as such, with their hash.
#[test]
fn archives_by_address_are_pinned_as_such() {
    let server = server(eutaxis_demo::server::Trouble::default());
    let field = Field::at(&server);
    let url = format!("{}firnio/firnio-1.2-py3-none-any.whl", server.url());
    field.expect(
        0,
        &[
            "settle",
            &format!("firnio @ {url}"),
            "--target",
            WORKSTATION,
        ],
    );
    let own = entry(&field, "firnio");
    assert!(own.contains("archive = {url = "), "{own}");
    assert!(own.contains("sha256 = "), "{own}");
    let field = Field::new();
    let path = world().join("depot/firnio/firnio-1.2-py3-none-any.whl");
    field.expect(0, &["settle", path.to_str().unwrap()]);
    assert!(entry(&field, "firnio").contains("archive = {path = "));
    field.expect(0, &["furnish"]);
    assert_eq!(
        python(&field, "import firnio; print(firnio.__version__)"),
        "1.2"
    );
    let direct = direct_url(&field, "firnio-1.2");
    assert_eq!(
        direct["archive_info"]["hashes"]["sha256"]
            .as_str()
            .unwrap()
            .len(),
        64
    );
}

fn git(folder: &Path, words: &[&str]) -> Ran {
    let own = [
        "-c",
        "user.name=Ranger",
        "-c",
        "user.email=ranger@camp.example",
    ];
    let output = Command::new("git")
        .args(own)
        .args(words)
        .current_dir(folder)
        .output();
    let ran = ran(output.unwrap());
    assert_eq!(ran.code, 0, "git {words:?}\n{}", ran.err);
    ran
}

/// A repository with two commits, the first one tagged.
fn repository(field: &Field, more: &str) -> (String, String) {
    project(field, "far/radar", "radar", more);
    let folder = field.path("far");
    git(&folder, &["init", "-q", "-b", "main"]);
    git(&folder, &["add", "."]);
    git(&folder, &["commit", "-q", "-m", "one"]);
    git(&folder, &["tag", "v1"]);
    let first = git(&folder, &["rev-parse", "HEAD"]).out.trim().to_owned();
    field.write("far/radar/radar/__init__.py", "season = 2\n");
    git(&folder, &["commit", "-q", "-a", "-m", "two"]);
    let second = git(&folder, &["rev-parse", "HEAD"]).out.trim().to_owned();
    (first, second)
}

/// A repository is pinned by its commit, whatever moves in it afterwards.
#[test]
fn a_repository_is_pinned_by_its_commit() {
    let field = Field::new();
    let (first, second) = repository(&field, "version = \"1.5\"\ndependencies = [\"firnio\"]");
    let url = format!("git+file://{}", field.path("far").display());
    field.write(
        "list.txt",
        &format!("radar @ {url}@v1#subdirectory=radar\n"),
    );
    let answer = field.json(0, &["settle", "--asks", "list.txt"]);
    assert_eq!(pins(&answer), ["firnio 1.3", "radar 1.5", "wirepack 3.0.4"]);
    let own = entry(&field, "radar");
    for part in [
        "type = \"git\"".to_owned(),
        "requested-revision = \"v1\"".to_owned(),
        format!("commit-id = \"{first}\""),
        "subdirectory = \"radar\"".to_owned(),
    ] {
        assert!(own.contains(&part), "{own}");
    }
    // It is somebody's code: built when that is permitted.
    let refused = field.expect(1, &["furnish"]);
    assert!(refused.out.contains("--build radar"), "{}", refused.out);
    field.expect(0, &["furnish", "--build", "radar"]);
    assert_eq!(python(&field, "import radar; print(radar.season)"), "1");
    let direct = direct_url(&field, "radar-1.5");
    assert_eq!(direct["vcs_info"]["commit_id"], first.as_str());
    assert_eq!(direct["vcs_info"]["requested_revision"], "v1");
    assert_eq!(direct["subdirectory"], "radar");
    // By the branch it is the newest.
    let newest = format!("radar @ {url}@main#subdirectory=radar");
    field.expect(0, &["settle", &newest, "--out", "pylock.new.toml"]);
    assert!(field.read("pylock.new.toml").contains(&second));
    // What was packed is enough, also when the repository is gone.
    std::fs::remove_dir_all(field.path("far")).unwrap();
    field.expect(0, &["furnish", "--build", "radar", "--at", "other"]);
}

/// What only the build system tells is asked of it where that is permitted.
#[test]
fn a_repository_without_a_stated_version_needs_a_permit() {
    let field = Field::new();
    repository(&field, "dynamic = [\"version\"]");
    field.write("far/radar/VERSION", "6.1\n");
    let folder = field.path("far");
    git(&folder, &["add", "."]);
    git(&folder, &["commit", "-q", "-m", "three"]);
    let ask = format!("radar @ git+file://{}#subdirectory=radar", folder.display());
    let refused = field.expect(2, &["settle", &ask]);
    assert!(refused.err.contains("--build radar"), "{}", refused.err);
    // A build system that fails is told with its log.
    let backend = field.read("far/radar/backend.py");
    for (text, told) in [
        ("import sledge_tools\n", "its log tells more:  "),
        (
            "raise RuntimeError('the drill is stuck')\n",
            "RuntimeError: the drill is stuck",
        ),
    ] {
        field.write("far/radar/backend.py", text);
        git(&folder, &["commit", "-q", "-a", "-m", "bad"]);
        let failed = field.expect(2, &["settle", &ask, "--build", "radar"]).err;
        let (_, rest) = failed.split_once(told).unwrap();
        if let Some(command) = rest.lines().next().filter(|l| l.starts_with("eutaxis")) {
            let told = field.typed(1, command);
            assert!(told.out.contains("sledge_tools"), "{told:?}");
        }
    }
    field.write("far/radar/backend.py", &backend);
    git(&folder, &["commit", "-q", "-a", "-m", "mended"]);
    let answer = field.json(0, &["settle", &ask, "--build", "radar"]);
    assert_eq!(pins(&answer), ["radar 6.1"]);
    field.expect(0, &["furnish", "--build", "radar"]);
    assert_eq!(python(&field, "import radar; print(radar.season)"), "2");
}

#[rstest]
#[case::no_repository("radar @ git+file:///nowhere/at/all", "cannot be had", "")]
#[case::no_revision(
    "radar @ git+file://@F@avalanche#subdirectory=radar",
    "has no revision avalanche",
    "branch, a tag or a commit"
)]
#[case::no_folder(
    "radar @ git+file://@F#subdirectory=sledge",
    "has no folder sledge",
    ""
)]
#[case::other_system("radar @ hg+https://camp.example/r", "only those of git", "archive")]
#[case::other_name(
    "sledge @ git+file://@F#subdirectory=radar",
    "and radar lies there",
    "write  radar @"
)]
#[case::leads_out("radar @ git+file://@F#subdirectory=../x", "leads out", "")]
fn bad_addresses_are_told(#[case] ask: &str, #[case] what: &str, #[case] remedy: &str) {
    let field = Field::new();
    repository(&field, "version = \"1.5\"");
    let ask = ask.replace("@F", &field.path("far").display().to_string());
    let ran = field.run(&["settle", &ask]);
    assert!(ran.code > 1, "{ran:?}");
    assert!(
        ran.err.contains(what) && ran.err.contains(remedy),
        "{}",
        ran.err
    );
    assert!(!field.path("pylock.toml").exists());
}

/// A wheel in a folder.
fn wheel(field: &Field, name: &str, needs: &str) {
    let file = std::fs::File::create(field.path(&format!("wheels/{name}-1.0-py3-none-any.whl")));
    let mut zip = zip::ZipWriter::new(file.unwrap());
    let info = format!("{name}-1.0.dist-info");
    let members = [
        (format!("{name}/__init__.py"), "x = 1\n".to_owned()),
        (
            format!("{info}/METADATA"),
            format!("Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\nRequires-Dist: {needs}\n"),
        ),
        (
            format!("{info}/WHEEL"),
            "Wheel-Version: 1.0\nGenerator: test\nRoot-Is-Purelib: true\nTag: py3-none-any\n"
                .to_owned(),
        ),
    ];
    let mut record = String::new();
    for (path, text) in &members {
        zip.start_file(path, zip::write::SimpleFileOptions::default())
            .unwrap();
        std::io::Write::write_all(&mut zip, text.as_bytes()).unwrap();
        record.push_str(&format!("{path},,\n"));
    }
    zip.start_file(
        format!("{info}/RECORD"),
        zip::write::SimpleFileOptions::default(),
    )
    .unwrap();
    std::io::Write::write_all(&mut zip, format!("{record}{info}/RECORD,,\n").as_bytes()).unwrap();
    zip.finish().unwrap();
}

/// What a project of a depot needs by an address is taken where that is permitted, and remembered.
#[test]
fn addresses_in_metadata_need_a_permit() {
    let field = Field::new();
    std::fs::create_dir(field.path("wheels")).unwrap();
    let file = world().join("depot/firnio/firnio-1.2-py3-none-any.whl");
    wheel(
        &field,
        "sledge",
        &format!("firnio @ file://{}", file.display()),
    );
    let asked = ["settle", "sledge", "--depot", "wheels"];
    let refused = field.expect(1, &asked);
    assert!(refused.out.contains("--permit-urls"), "{}", refused.out);
    let answer = field.json(0, &[&asked[..], &["--permit-urls"]].concat());
    assert_eq!(pins(&answer)[0], "firnio 1.2", "{answer}");
    assert!(entry(&field, "firnio").contains("archive = "));
    let before = field.read("pylock.toml");
    field.expect(0, &["settle", "--depot", "wheels"]);
    assert_eq!(field.read("pylock.toml"), before);
    field.expect(0, &["settle", "--check", "--depot", "wheels"]);
}

/// The same path asked twice is the same question, and pins tell it from their own folder.
#[test]
fn a_path_that_is_typed_again_is_the_same_question() {
    let field = Field::new();
    project(&field, "tools/drill", "drill", "version = \"1.5\"");
    field.expect(0, &["settle", "./tools/drill", "firnio"]);
    let pins = field.read("pylock.toml");
    assert!(
        pins.contains("question = [\"./tools/drill\", \"firnio\"]"),
        "{pins}"
    );
    for words in [
        &["settle", "./tools/drill", "firnio"][..],
        &["settle"],
        &["settle", "--check"],
    ] {
        field.expect(0, words);
        assert_eq!(field.read("pylock.toml"), pins);
    }
    field.expect(0, &["settle", "./tools/drill", "--out", "sub/pylock.toml"]);
    assert!(
        field
            .read("sub/pylock.toml")
            .contains("question = [\"../tools/drill\"]")
    );
    field.expect(0, &["settle", "--out", "sub/pylock.toml"]);
    let other = field.expect(2, &["settle", "./tools/drill"]);
    assert!(
        other
            .err
            .contains("answers another question: ./tools/drill, firnio"),
        "{}",
        other.err
    );
}

/// Whatever takes up the question of pins takes up its trees: as the pins have them, or as they lie
/// there, and never a project of the depots with their name.
#[rstest]
#[case::folder(
    "./tools/hummock",
    "version = \"1.5\"\ndependencies = [\"firnio<1.3\"]"
)]
#[case::in_place(
    "-e ./tools/hummock",
    "version = \"1.5\"\ndependencies = [\"firnio<1.3\"]"
)]
fn other_commands_take_up_trees(#[case] ask: &str, #[case] says: &str) {
    let field = Field::new();
    project(&field, "tools/hummock", "hummock", says);
    field.write("requirements.txt", &format!("{ask}\n"));
    let settled = field.json(0, &["settle"]);
    for build in settled["builds"].as_array().into_iter().flatten() {
        assert_eq!(build["with_wheel"], Value::Null, "{build:#}");
    }
    let told = field.expect(0, &["reason", "firnio"]);
    assert!(told.out.contains("hummock"), "{told:?}");
    assert!(told.out.contains("firnio <1.3"), "{told:?}");
    assert_eq!(told.err, "", "it is solved again, not only recorded");
    field.expect(0, &["rehearse"]);
    let clash = field.expect(1, &["rehearse", "firnio>=1.3"]);
    assert!(clash.out.contains("hummock"), "{clash:?}");
    for words in [&["span"][..], &["span", "./tools/hummock"]] {
        let spanned = field.expect(0, words).out;
        assert!(!spanned.contains("hummock 1.0"), "{spanned}");
    }
    field.expect(0, &["settle", "--check"]);
    let none = field.expect(2, &["shortlist", "./tools/hummock"]);
    assert!(
        none.err.contains("settle and span take paths"),
        "{}",
        none.err
    );
}

/// One's own project is placed and imported by each interpreter that is here.
#[test]
fn each_interpreter_places_ones_own_project() {
    let pythons = crate::build::interpreters();
    for python in pythons {
        let field = Field::new();
        project(
            &field,
            ".",
            "season-kit",
            "version = \"2.1\"\ndependencies = [\"firnio\"]",
        );
        repository(&field, "version = \"1.5\"");
        project(&field, "tools/drill", "drill", "dynamic = [\"version\"]");
        field.write("tools/drill/VERSION", "4.5\n");
        let radar = format!(
            "radar @ git+file://{}@v1#subdirectory=radar",
            field.path("far").display()
        );
        field.write("list.txt", &format!("{radar}\n./tools/drill\n"));
        let asks = ["settle", "--asks", "pyproject.toml", "--asks", "list.txt"];
        field.expect(0, &[&asks[..], &["--interpreter", &python]].concat());
        field.expect(0, &["furnish", "--build", "radar"]);
        let code = "import season_kit, radar, drill, firnio; print(radar.season)";
        assert_eq!(crate::trees::python(&field, code), "1", "{python}");
    }
}

/// A build system that fails is told with its log, and nothing is written.
#[test]
fn a_folder_whose_build_system_fails_is_told() {
    let field = Field::new();
    project(&field, "tools/drill", "drill", "dynamic = [\"version\"]");
    let ran = field.expect(2, &["settle", "./tools/drill"]);
    assert!(ran.err.contains("error drill: "), "{}", ran.err);
    let (_, log) = ran.err.split_once("its whole log is ").unwrap();
    assert!(field.read(log.trim()).contains("Traceback"), "{log}");
    assert!(!field.path("pylock.toml").exists());
}

/// One's own folder is no file that could be carried over: it is left out, and told.
#[test]
fn ones_own_project_is_not_gathered() {
    let field = Field::new();
    project(
        &field,
        ".",
        "season-kit",
        "version = \"2.1\"\ndependencies = [\"firnio\"]",
    );
    field.expect(0, &["settle"]);
    let told = field.expect(0, &["gather", "--into", "stick"]);
    assert!(
        told.err.contains("season-kit is your own folder"),
        "{}",
        told.err
    );
    assert!(!field.read("stick/pylock.toml").contains("season-kit\""));
    field.expect(
        0,
        &["furnish", "stick/pylock.toml", "--at", "board", "--offline"],
    );
}
