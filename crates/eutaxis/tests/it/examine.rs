//! `examine`: each fault is found in an environment that has it, and nothing else is; sound
//! environments have none.

use eutaxis_demo::Library;
use rstest::rstest;

use crate::field::Field;
use crate::hut::{Hut, Placed, library, needing, plain, python, state, told};

fn firn(defines: &[&str]) -> Vec<u8> {
    let defines = defines.iter().map(|d| (*d).to_owned()).collect();
    library(&Library {
        soname: "libfirn.so.3".into(),
        defines,
        ..Library::default()
    })
}

fn requiring(name: &'static str, line: &'static str) -> Placed<'static> {
    Placed {
        metadata: line,
        ..plain(name, "1.0")
    }
}

fn versions(library: &str, version: &str) -> Library {
    Library {
        versions: vec![(library.into(), version.into())],
        ..needing(&[library])
    }
}

fn foreign() -> &'static str {
    if std::env::consts::ARCH == "aarch64" {
        "x86_64"
    } else {
        "aarch64"
    }
}

/// Each fault alone: what is done to a sound environment, and what is found then.
#[rstest]
#[case::unmet("breaks unmet-requirement \
    moulin", |h: &Hut| h.place(&requiring("moulin", "Requires-Dist: firnio>=1\n")))]
#[case::clash("breaks version-clash moulin", |h: &Hut| {
    h.place(&requiring("moulin", "Requires-Dist: firnio<1\n"));
    h.place(&plain("firnio", "1.2"));
})]
#[case::requires_python("breaks wrong-interpreter \
    moulin", |h: &Hut| h.place(&requiring("moulin", "Requires-Python: <3\n")))]
#[case::other_series("breaks wrong-interpreter \
    hoarfrost", |h: &Hut| h.place_compiled("hoarfrost", ".cpython-32m-x86_64-linux-gnu.so", &Library::module("_core")))]
#[case::unknown_function("breaks wrong-interpreter hoarfrost", |h: &Hut| {
    let module = Library { uses: vec!["_PyGlacier_Melt".into(), "PyLong_FromLong".into()], ..Library::module("_core") };
    h.place_compiled("hoarfrost", &python().suffix, &module);
})]
#[case::architecture("breaks wrong-architecture hoarfrost", |h: &Hut| {
    h.place_compiled("hoarfrost", &python().suffix, &Library { arch: foreign().into(), ..Library::module("_core") });
})]
#[case::cut_off("breaks unreadable-binary hoarfrost", |h: &Hut| {
    let mut bytes = library(&Library::module("_core"));
    bytes.truncate(bytes.len() / 2);
    h.place_bytes("hoarfrost", &python().suffix, bytes);
})]
#[case::no_binary("breaks unreadable-binary \
    hoarfrost", |h: &Hut| h.place_bytes("hoarfrost", &python().suffix, b"a text".to_vec()))]
#[case::library("breaks library-absent \
    hoarfrost", |h: &Hut| h.place_compiled("hoarfrost", &python().suffix, &needing(&["libfirn.so.3"])))]
#[case::libc("breaks libc-too-old \
    hoarfrost", |h: &Hut| h.place_compiled("hoarfrost", &python().suffix, &versions("libc.so.6", "GLIBC_9.99")))]
#[case::cxx("breaks cxx-runtime-too-old hoarfrost", |h: &Hut| {
    let runtime = Library { soname: "libstdc++.so.6".into(), defines: vec!["GLIBCXX_3.4.20".into()], ..Library::default() };
    let module = Library { runpath: "$ORIGIN".into(), ..versions("libstdc++.so.6", "GLIBCXX_3.4.99") };
    let mut project = plain("hoarfrost", "1.0");
    project.files.push(("hoarfrost/libstdc++.so.6".into(), library(&runtime)));
    project.files.push((format!("hoarfrost/_core{}", python().suffix), library(&module)));
    h.place(&project);
})]
#[case::toolkit("breaks toolkit-absent hoarfrost", |h: &Hut| {
    h.field.write("nordglim.toml", eutaxis_demo::NORDGLIM);
    h.field.write("eutaxis.toml", "[knowledge]\naccelerators = [\"nordglim.toml\"]\n");
    h.place_compiled("hoarfrost", &python().suffix, &needing(&["libnordglim.so.4"]));
})]
#[case::absent_file("breaks absent-file firnio", |h: &Hut| {
    h.place(&plain("firnio", "1.2"));
    std::fs::remove_file(h.site().join("firnio/__init__.py")).unwrap();
})]
#[case::no_metadata("breaks broken-metadata firnio", |h: &Hut| {
    h.write("firnio-1.2.dist-info/INSTALLER", "by-hand\n");
    h.write("firnio-1.2.dist-info/RECORD", "firnio-1.2.dist-info/RECORD,,\n");
})]
#[case::bad_metadata("breaks broken-metadata firnio", |h: &Hut| {
    h.write("firnio-1.2.dist-info/METADATA", "Metadata-Version: 2.1\nName: firnio\n");
    h.write("firnio-1.2.dist-info/RECORD", "firnio-1.2.dist-info/RECORD,,\n");
})]
#[case::base_gone("breaks base-gone -", |h: &Hut| {
    std::fs::remove_file(h.root().join("bin/python")).unwrap();
    std::os::unix::fs::symlink("/nowhere/bin/python3.11", h.root().join("bin/python")).unwrap();
})]
#[case::other_base("breaks base-gone -", |h: &Hut| {
    let path = h.root().join("pyvenv.cfg");
    let text = std::fs::read_to_string(&path).unwrap().replace(&format!("version = \
        {}", python().version), "version = 3.3.1");
    std::fs::write(path, text).unwrap();
})]
#[case::moved("breaks moved-environment \
    -", |h: &Hut| std::fs::write(h.root().join("bin/activate"), "VIRTUAL_ENV=/old/camp/.venv\n").unwrap())]
#[case::tags("risk tag-mismatch \
    firnio", |h: &Hut| h.place(&Placed { tag: "py3-none-win_amd64", ..plain("firnio", "1.2") }))]
#[case::altered("risk altered-file firnio", |h: &Hut| {
    h.place(&plain("firnio", "1.2"));
    h.write("firnio/__init__.py", "__version__ = '9.9'\n");
})]
#[case::no_record("risk broken-record firnio", |h: &Hut| {
    h.place(&plain("firnio", "1.2"));
    std::fs::remove_file(h.site().join("firnio-1.2.dist-info/RECORD")).unwrap();
})]
#[case::bad_record("risk broken-record firnio", |h: &Hut| {
    h.place(&plain("firnio", "1.2"));
    h.write("firnio-1.2.dist-info/RECORD", "a,b,c,d\n");
})]
#[case::shared("risk shared-path borelog", |h: &Hut| {
    h.place(&plain("borelog", "1.0"));
    h.place(&Placed { name: "borelog_viz", files: vec![("borelog/__init__.py".into(), b"# \
        viz\n".to_vec())], ..plain("borelog_viz", "1.0") });
})]
#[case::twice("risk leftover firnio", |h: &Hut| {
    h.place(&Placed { files: Vec::new(), ..plain("firnio", "1.0") });
    h.place(&plain("firnio", "1.2"));
})]
#[case::set_aside("risk leftover -", |h: &Hut| h.write("~irnio-1.0.dist-info/METADATA", "x"))]
#[case::old_module("risk leftover firnio", |h: &Hut| {
    h.place(&plain("firnio", "1.2"));
    h.write("firnio/old.py", "x = 1\n");
})]
#[case::standard_name("risk shadowed-import json", |h: &Hut| h.place(&plain("json", "1.0")))]
#[case::two_modules("risk shadowed-import snowpit", |h: &Hut| {
    h.place(&Placed { files: vec![("firnio.py".into(), b"x = \
        1\n".to_vec())], ..plain("snowpit", "1.0") });
    h.place(&plain("firnio", "1.2"));
})]
#[case::differs("risk library-differs snowpit", |h: &Hut| {
    for (name, defines) in [("moulin", "FIRN_1"), ("snowpit", "FIRN_2")] {
        let module = Library { runpath: "$ORIGIN".into(), ..needing(&["libfirn.so.3"]) };
        let mut project = plain(name, "1.0");
        project.files.push((format!("{name}/libfirn.so.3"), firn(&[defines])));
        project.files.push((format!("{name}/_core{}", python().suffix), library(&module)));
        h.place(&project);
    }
})]
#[case::stray("note stray-file -", |h: &Hut| h.write("oldtools/survey.txt", "x"))]
#[case::inherited("note inherited -", |h: &Hut| {
    h.field.write("tools/firnio-1.0.dist-info/METADATA", "Metadata-Version: 2.1\nName: \
        firnio\nVersion: 1.0\n");
    h.place(&Placed { files: vec![("tools.pth".into(), format!("{}\n", h.field.path("tools").display()).into_bytes())], ..plain("moulin", "1.0") });
})]
#[case::unreached("note unreached firnio", |h: &Hut| {
    h.place(&plain("moulin", "1.0"));
    h.place(&Placed { requested: false, ..plain("firnio", "1.2") });
})]
fn each_fault_is_found_alone(#[case] expected: &str, #[case] breaking: impl Fn(&Hut)) {
    let hut = Hut::new();
    breaking(&hut);
    let before = state(&hut.root());
    let code = i32::from(expected.starts_with("breaks"));
    let answer = hut.examine(code, &[]);
    assert_eq!(told(&answer), [expected], "{answer:#}");
    for finding in answer["findings"].as_array().unwrap() {
        assert!(
            !finding["evidence"].as_str().unwrap().is_empty()
                && !finding["remedy"].as_str().unwrap().is_empty()
        );
    }
    assert_eq!(state(&hut.root()), before, "it was only read");
}

/// Environments in which nothing is wrong, however unusual they are.
#[rstest]
#[case::empty(|_: &Hut| ())]
#[case::namespace(|h: &Hut| {
    h.place(&Placed { files: vec![("glacier/ice.py".into(), b"".to_vec())], ..plain("glacier_ice", "1.0") });
    h.place(&Placed { files: vec![("glacier/snow.py".into(), b"".to_vec())], ..plain("glacier_snow", "1.0") });
})]
#[case::old_namespace(|h: &Hut| {
    for name in ["glacier_ice", "glacier_snow"] {
        h.place(&Placed { files: vec![("glacier/__init__.py".into(), b"# \
            shared\n".to_vec()), (format!("glacier/{name}.py"), vec![])], ..plain(name, "1.0") });
    }
})]
#[case::data_and_bytecode(|h: &Hut| {
    let mut project = plain("firnio", "1.2");
    project.files.push(("firnio/data/depth.csv".into(), b"1,2\n".to_vec()));
    h.place(&project);
    h.write("firnio/__pycache__/__init__.cpython-311.pyc", "x");
})]
#[case::one_package_of_two(|h: &Hut| {
    h.place(&plain("firnio", "1.2"));
    h.place(&Placed { files: vec![("firnio/maps/tiles.py".into(), vec![])], ..plain("firnio_maps", "1.0") });
})]
#[case::extras_not_asked(|h: &Hut| h.place(&requiring("moulin", "Provides-Extra: \
    plot\nRequires-Dist: neveplot; extra == 'plot'\n")))]
#[case::extras_asked(|h: &Hut| {
    h.place(&requiring("moulin", "Provides-Extra: plot\nRequires-Dist: neveplot; extra == \
        'plot'\n"));
    h.place(&requiring("katabat", "Requires-Dist: moulin[plot]\n"));
    h.place(&plain("neveplot", "1.0"));
})]
#[case::other_markers(|h: &Hut| h.place(&requiring("moulin", "Requires-Dist: winterpath; \
    sys_platform == 'win32'\nRequires-Dist: back; python_version < '3'\n")))]
#[case::compiled_with_system_libraries(|h: &Hut| h.place_compiled("hoarfrost", &python().suffix, &versions("libc.so.6", if cfg!(target_arch = "x86_64") { "GLIBC_2.2.5" } else { "GLIBC_2.17" })))]
#[case::several_interpreters(|h: &Hut| {
    let mut project = plain("hoarfrost", "1.0");
    for suffix in [".cpython-32m-x86_64-linux-gnu.so", &python().suffix] {
        project.files.push((format!("hoarfrost/_core{suffix}"), library(&Library::module("_core"))));
    }
    h.place(&project);
})]
#[case::plain_beside_compiled(|h: &Hut| {
    let mut project = plain("hoarfrost", "1.0");
    project.files.push(("hoarfrost/_core.cpython-32m-x86_64-linux-gnu.so".into(), library(&Library::module("_core"))));
    project.files.push(("hoarfrost/_core.py".into(), b"".to_vec()));
    h.place(&project);
})]
#[case::libraries_as_data(|h: &Hut| {
    let mut project = plain("hoarfrost", "1.0");
    project.files.push(("hoarfrost/boards/libboard.so".into(), library(&Library { arch: foreign().into(), ..Library::default() })));
    project.files.push(("hoarfrost/boards/board.dll".into(), b"MZ not for here".to_vec()));
    h.place(&project);
})]
#[case::brought_by_another(|h: &Hut| {
    let mut project = plain("firn_runtime", "1.0");
    project.files.push(("firn_runtime/libfirn.so.3".into(), firn(&["FIRN_1"])));
    h.place(&project);
    h.place_compiled("hoarfrost", &python().suffix, &needing(&["libfirn.so.3"]));
})]
#[case::in_place(|h: &Hut| {
    h.field.write("src/katabat/__init__.py", "");
    let url = format!("{{\"url\": \"file://{}\", \"dir_info\": {{\"editable\": true}}}}", h.field.path("src").display());
    let files = vec![("katabat.pth".into(), format!("{}\n", h.field.path("src").display()).into_bytes()), ("katabat-1.0.dist-info/direct_url.json".into(), url.into_bytes())];
    h.place(&Placed { files, ..plain("katabat", "1.0") });
    h.field.write("src/katabat.egg-info/PKG-INFO", "Metadata-Version: 2.1\nName: \
        katabat\nVersion: 1.0\n");
})]
#[case::older_metadata(|h: &Hut| {
    h.write("oldlog.py", "x = 1\n");
    h.write("oldlog-1.2-py3.11.egg-info", "Metadata-Version: 1.1\nName: oldlog\nVersion: 1.2\n");
})]
fn sound_environments_have_no_findings(#[case] making: impl Fn(&Hut)) {
    let hut = Hut::new();
    making(&hut);
    assert_eq!(hut.found(0, &[]), [""; 0]);
}

#[test]
fn a_shared_environment_sees_its_base_in_silence() {
    let hut = Hut::new();
    let path = hut.root().join("pyvenv.cfg");
    std::fs::write(
        &path,
        std::fs::read_to_string(&path)
            .unwrap()
            .replace("= false", "= true"),
    )
    .unwrap();
    hut.place(&plain("firnio", "1.2"));
    assert_eq!(hut.found(0, &["--quick"]), [""; 0]);
}

#[test]
fn folders_that_come_first_shadow() {
    let hut = Hut::new();
    hut.place(&plain("firnio", "1.2"));
    hut.field.write("work/firnio.py", "");
    assert_eq!(hut.found(0, &[]), [""; 0]);
    assert_eq!(
        hut.found(0, &["--from-folder", "work"]),
        ["risk shadowed-import firnio"]
    );
    let work = hut.field.path("work");
    let ran = hut
        .field
        .command(&["examine", ".venv"])
        .env("PYTHONPATH", &work)
        .output()
        .unwrap();
    let text = String::from_utf8(ran.stdout).unwrap();
    assert!(
        text.contains("shadowed-import") && text.contains("PYTHONPATH"),
        "{text}"
    );
    hut.field
        .expect(2, &["examine", ".venv", "--from-folder", "nowhere"]);
}

#[test]
fn drivers_of_another_machine_are_looked_at() {
    let field = Field::new();
    let hut = Hut { field };
    // An environment in the tree that stands in for the workstation, whose driver runs 4.1.
    let place = crate::field::world().join("places/base-camp");
    let root = tempfile::Builder::new()
        .prefix("watch-")
        .tempdir_in(place.join("opt"))
        .unwrap();
    let site = root.path().join("lib/python3.11/site-packages");
    std::fs::create_dir_all(site.join("seracnet-2.3.0+nor42.dist-info")).unwrap();
    std::fs::create_dir_all(root.path().join("bin")).unwrap();
    std::fs::write(
        root.path().join("pyvenv.cfg"),
        "home = /usr/bin\ninclude-system-site-packages = false\n",
    )
    .unwrap();
    std::os::unix::fs::symlink("/usr/bin/python3.11", root.path().join("bin/python")).unwrap();
    let info = site.join("seracnet-2.3.0+nor42.dist-info");
    std::fs::write(
        info.join("METADATA"),
        "Metadata-Version: 2.1\nName: seracnet\nVersion: 2.3.0+nor42\n",
    )
    .unwrap();
    std::fs::write(
        info.join("RECORD"),
        "seracnet-2.3.0+nor42.dist-info/METADATA,,\n",
    )
    .unwrap();
    let mut command = hut
        .field
        .command(&["examine", root.path().to_str().unwrap(), "--json"]);
    let ran = crate::field::ran(command.env("EUTAXIS_ROOT", &place).output().unwrap());
    let answer: serde_json::Value =
        serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e} {ran:?}"));
    assert!(
        told(&answer).contains(&"breaks driver-too-old seracnet".to_owned()),
        "{answer:#}"
    );
    assert!(
        answer["findings"]
            .to_string()
            .contains("driver 512.4 runs up to 4.1"),
        "{answer:#}"
    );
}

/// The interpreter of another machine, by a root that is named from here.
#[test]
fn another_machines_interpreter_is_read() {
    let hut = Hut::new();
    let mut command = hut.field.command(&["examine", "--json"]);
    let ran = crate::field::ran(
        command
            .current_dir(crate::field::world())
            .env("EUTAXIS_ROOT", "places/ridge-logger")
            .output()
            .unwrap(),
    );
    let answer: serde_json::Value =
        serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e} {ran:?}"));
    assert_eq!(
        answer["environment"]["target"],
        "cpython 3.9.2 / linux armv7l kernel aarch64 glibc 2.31"
    );
    let mut command = hut.field.command(&["examine", "--imports"]);
    let refused = crate::field::ran(
        command
            .current_dir(crate::field::world())
            .env("EUTAXIS_ROOT", "places/ridge-logger")
            .output()
            .unwrap(),
    );
    assert!(
        refused.code == 2 && refused.err.contains("cannot be run here"),
        "{refused:?}"
    );
}

/// What a compiler makes: a module with a library beside it, and then without.
#[test]
fn what_a_compiler_makes_is_followed() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).display().to_string();
    let compile = |text: &str, arguments: &[&str]| {
        let source = at("source.c");
        std::fs::write(&source, text).unwrap();
        let run = std::process::Command::new("cc")
            .args(["-shared", "-fPIC", &source])
            .args(arguments)
            .output();
        run.is_ok_and(|r| r.status.success())
    };
    let (library, module) = (at("libfirn.so.3"), at("_core.so"));
    if !compile(
        "int firn(void) { return 3; }",
        &["-Wl,-soname,libfirn.so.3", "-o", &library],
    ) {
        return;
    }
    let text = "#include <math.h>\nint firn(void); void *PyInit__core(void) \
        { return firn() + (int) sqrt(firn()) ? 0 : 0; }";
    let rpath = "-Wl,--enable-new-dtags,-rpath,$ORIGIN";
    assert!(compile(text, &[&library, "-lm", rpath, "-o", &module]));
    let hut = Hut::new();
    let mut project = plain("hoarfrost", "1.0");
    project.files.push((
        format!("hoarfrost/_core{}", python().suffix),
        std::fs::read(&module).unwrap(),
    ));
    project.files.push((
        "hoarfrost/libfirn.so.3".into(),
        std::fs::read(&library).unwrap(),
    ));
    hut.place(&project);
    assert_eq!(hut.found(0, &[]), [""; 0]);
    project.files.pop();
    hut.place(&project);
    std::fs::remove_file(hut.site().join("hoarfrost/libfirn.so.3")).unwrap();
    assert_eq!(hut.found(1, &[]), ["breaks library-absent hoarfrost"]);
}

#[test]
fn pins_are_compared_and_tidying_mends_exactly_that() {
    let field = Field::settled(&["radargram>=2", "borelog"]);
    let settled = field.read("pylock.toml");
    // The same question for the interpreter that is here.
    field.expect(
        0,
        &[
            "settle",
            "firnio",
            "borelog",
            "--interpreter",
            python().program.to_str().unwrap(),
            "--renew",
        ],
    );
    field.expect(0, &["furnish"]);
    let hut = Hut { field };
    assert_eq!(hut.found(0, &["--pins", "pylock.toml"]), [""; 0]);
    // One more, one less, another release.
    hut.place(&plain("katabat", "9.0"));
    let borelog = hut.site().join(only(&hut, "borelog-"));
    std::fs::rename(&borelog, hut.field.path("away")).unwrap();
    let firnio = hut.site().join(only(&hut, "firnio-")).join("METADATA");
    let text = std::fs::read_to_string(&firnio).unwrap();
    let version = text
        .lines()
        .find_map(|l| l.strip_prefix("Version: "))
        .unwrap()
        .to_owned();
    std::fs::remove_file(&firnio).unwrap();
    std::fs::write(
        &firnio,
        text.replace(&format!("Version: {version}"), "Version: 0.1"),
    )
    .unwrap();
    let found = hut.found(1, &["--pins", "pylock.toml", "--quick"]);
    for expected in [
        "breaks absent-pin borelog",
        "breaks differs-from-pin firnio",
        "risk not-pinned katabat",
    ] {
        assert!(found.contains(&expected.to_owned()), "{found:?}");
    }
    hut.field.expect(0, &["furnish", "--tidy"]);
    let left = hut.found(0, &["--pins", "pylock.toml"]);
    // Files of what was taken away by hand belong to nobody, and stay.
    assert!(left.iter().all(|l| l.starts_with("note")), "{left:?}");
    hut.field.write("pylock.other.toml", &settled);
    let refused = hut
        .field
        .run(&["examine", ".venv", "--pins", "pylock.other.toml"]);
    assert!(refused.code == 2 || refused.code == 1, "{refused:?}");
}

fn only(hut: &Hut, start: &str) -> String {
    let names = std::fs::read_dir(hut.site())
        .unwrap()
        .flatten()
        .map(|e| e.file_name().into_string().unwrap());
    names.into_iter().find(|n| n.starts_with(start)).unwrap()
}

#[test]
fn another_file_of_the_same_release_differs() {
    let hut = Hut::new();
    let mut project = plain("firnio", "1.2");
    let note = r#"{"file":"firnio-1.2-py3-none-any.whl","sha256":"0000000000000000000000000000000000000000000000000000000000000000"}"#;
    project
        .files
        .push(("firnio-1.2.dist-info/eutaxis.json".into(), note.into()));
    hut.place(&project);
    let pins = |version: &str| {
        format!(
            "lock-version = \"1.0\"\ncreated-by = \"by hand\"\n[[packages]]\nname = \
                \"firnio\"\nversion = \"{version}\"\nwheels = \
             [{{name = \"firnio-{version}-py3-none-any.whl\", path = \"firnio-{version}-py3-none-any.whl\", hashes = {{sha256 = \"{}\"}}}}]\n",
            crate::hut::sha256_hex(b"x")
        )
    };
    hut.field.write("pins.toml", &pins("1.2"));
    assert_eq!(
        hut.found(1, &["--pins", "pins.toml"]),
        ["breaks differs-from-pin firnio"]
    );
    hut.field.write("pins.toml", &pins("1.2+local"));
    assert_eq!(
        hut.found(1, &["--pins", "pins.toml"]),
        ["breaks differs-from-pin firnio"],
        "1.2 is not 1.2+local"
    );
}

#[test]
fn remedies_are_solved_with_a_depot() {
    let field = Field::new();
    let python = python().program.to_str().unwrap();
    field.expect(
        0,
        &[
            "settle",
            "sastrugi==0.8.1",
            "--interpreter",
            python,
            "--chronology",
            "caution",
        ],
    );
    field.expect(0, &["furnish"]);
    let hut = Hut { field };
    let info = only(&hut, "frostgrid-");
    let text = std::fs::read_to_string(hut.site().join(&info).join("METADATA")).unwrap();
    let version = text
        .lines()
        .find_map(|l| l.strip_prefix("Version: "))
        .unwrap()
        .to_owned();
    let metadata = hut.site().join(&info).join("METADATA");
    std::fs::remove_file(&metadata).unwrap();
    std::fs::write(
        metadata,
        text.replace(&format!("Version: {version}"), "Version: 2.0.0"),
    )
    .unwrap();
    // With the pins at hand it would be brought to them.
    std::fs::remove_file(hut.field.path("pylock.toml")).unwrap();
    let answer = hut.examine(1, &["--quick"]);
    let finding = answer["findings"]
        .as_array()
        .unwrap()
        .iter()
        .find(|f| f["id"] == "version-clash")
        .unwrap()
        .clone();
    assert_eq!(finding["remedy_evidence"], "solved", "{finding:#}");
    assert_eq!(finding["verified"], false);
    let remedy = finding["remedy"].as_str().unwrap();
    assert!(
        remedy.contains(&format!("frostgrid {version} in place of 2.0.0")),
        "{remedy}"
    );
    // The command that is told does it.
    let command = remedy.split_once(":  ").unwrap().1;
    for part in command.split(" && ") {
        let words: Vec<String> = part
            .split(' ')
            .skip(1)
            .map(|w| w.trim_matches('"').to_owned())
            .collect();
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        hut.field.expect(0, &words);
    }
    assert!(
        hut.found(0, &["--quick"])
            .iter()
            .all(|f| !f.contains("version-clash"))
    );
}

#[test]
fn what_was_built_before_the_other_existed_is_a_risk() {
    let field = Field::new();
    let python = python().program.to_str().unwrap();
    field.expect(
        0,
        &[
            "settle",
            "icelens<=3.1",
            "moulin>=5",
            "--interpreter",
            python,
        ],
    );
    field.expect(0, &["furnish"]);
    let hut = Hut { field };
    let answer = hut.examine(0, &[]);
    assert!(
        told(&answer).contains(&"risk built-before icelens".to_owned()),
        "{answer:#}"
    );
    // Without a depot the dates of others are not known.
    std::fs::remove_file(hut.field.path("eutaxis.toml")).unwrap();
    assert!(!hut.found(0, &[]).iter().any(|f| f.contains("built-before")));
}

/// What modules do when they are imported, and what is told of it.
#[rstest]
#[case::works("x = 1\n", None)]
#[case::raises(
    "import glacier_that_is_not_there\n",
    Some("No module named 'glacier_that_is_not_there'")
)]
#[case::exits("import sys\nsys.exit(3)\n", Some("exit code 3"))]
#[case::exits_well("import sys\nsys.exit()\n", Some("exit code 0"))]
#[case::aborts("import os\nos.abort()\n", Some("signal 6"))]
#[case::hangs("import time\ntime.sleep(60)\n", Some("does not end within 2 s"))]
#[case::asks("input('depth? ')\n", Some("EOFError"))]
fn imports_are_tried(#[case] code: &str, #[case] told: Option<&str>) {
    let hut = Hut::new();
    hut.place(&Placed {
        files: vec![("firnio/__init__.py".into(), code.as_bytes().to_vec())],
        ..plain("firnio", "1.2")
    });
    let before = state(&hut.root());
    // Only what hangs is waited for so briefly: a busy machine may be slow with the others.
    let seconds = if code.contains("sleep") { "2" } else { "60" };
    let answer = hut.examine(
        i32::from(told.is_some()),
        &["--imports", "--seconds", seconds],
    );
    assert_eq!(answer["imported"], 1);
    let findings = answer["findings"].as_array().unwrap();
    match told {
        None => assert!(findings.is_empty(), "{answer:#}"),
        Some(part) => {
            assert_eq!(
                (&findings[0]["id"], &findings[0]["project"]),
                (&"import-fails".into(), &"firnio".into())
            );
            assert!(
                findings[0]["evidence"].as_str().unwrap().contains(part),
                "{answer:#}"
            );
        }
    }
    assert_eq!(
        state(&hut.root()),
        before,
        "nothing was written, no bytecode either"
    );
}

#[test]
fn public_modules_of_projects_are_imported_and_no_others() {
    let hut = Hut::new();
    let files = [
        "firnio/__init__.py",
        "firnio/deep.py",
        "_private.py",
        "tests/__init__.py",
        "glacier/ice/__init__.py",
        "extra.py",
    ];
    let files = files
        .iter()
        .map(|f| ((*f).to_owned(), Vec::new()))
        .collect();
    hut.place(&Placed {
        files,
        ..plain("firnio", "1.2")
    });
    hut.field
        .write("src/katabat/__init__.py", "raise SystemExit(5)\n");
    let url = format!(
        "{{\"url\": \"file://{}\", \"dir_info\": {{\"editable\": true}}}}",
        hut.field.path("src").display()
    );
    let files = vec![
        (
            "katabat.pth".into(),
            format!("{}\n", hut.field.path("src").display()).into_bytes(),
        ),
        (
            "katabat-1.0.dist-info/direct_url.json".into(),
            url.into_bytes(),
        ),
    ];
    hut.place(&Placed {
        files,
        ..plain("katabat", "1.0")
    });
    let answer = hut.examine(1, &["--imports"]);
    assert_eq!(answer["imported"], 4, "firnio, extra, glacier.ice, katabat");
    assert_eq!(told(&answer), ["breaks import-fails katabat"]);
}

#[test]
fn trials_are_run() {
    let hut = Hut::new();
    hut.place(&plain("firnio", "1.2"));
    hut.field.expect(2, &["examine", ".venv", "--trials"]);
    let settings =
        "[trial.version]\ncode = \"import firnio; print(firnio.__version__)\"\nexpect = \"1.2\"\n";
    hut.field.write("eutaxis.toml", settings);
    assert_eq!(hut.examine(0, &["--trials"])["trials"], 1);
    hut.field.write(
        "eutaxis.toml",
        &settings.replace("expect = \"1.2\"", "expect = \"b3\""),
    );
    let answer = hut.examine(1, &["--trials"]);
    let evidence = answer["findings"][0]["evidence"].as_str().unwrap();
    assert!(
        evidence.contains("prints `1.2`; expected is `b3`"),
        "{evidence}"
    );
    hut.field
        .write("eutaxis.toml", "[trial.x]\nexpect = \"b3\"\n");
    assert!(
        hut.field
            .expect(2, &["examine", ".venv", "--trials"])
            .err
            .contains("code")
    );
}

#[test]
fn findings_go_to_a_file_of_the_open_format() {
    let hut = Hut::new();
    hut.place(&requiring("moulin", "Requires-Dist: firnio>=1\n"));
    hut.field
        .expect(1, &["examine", ".venv", "--sarif", "found.sarif"]);
    let log: serde_json::Value = serde_json::from_str(&hut.field.read("found.sarif")).unwrap();
    assert_eq!(log["version"], "2.1.0");
    let result = &log["runs"][0]["results"][0];
    assert_eq!(
        (&result["ruleId"], &result["level"]),
        (&"unmet-requirement".into(), &"error".into())
    );
    assert!(
        result["message"]["text"]
            .as_str()
            .unwrap()
            .starts_with("moulin 1.0: needs firnio >=1"),
        "{result}"
    );
    hut.field.write("taken/x", "");
    let refused = hut.field.run(&["examine", ".venv", "--sarif", "taken"]);
    assert_eq!(
        refused.code, 3,
        "a folder cannot be written over: {refused:?}"
    );
}

#[test]
fn sizes_are_shown_largest_first() {
    let hut = Hut::new();
    let mut large = plain("firnio", "1.2");
    large
        .files
        .push(("firnio/depths.bin".into(), vec![7; 50_000]));
    hut.place(&plain("moulin", "1.0"));
    hut.place(&large);
    let sizes = hut.examine(0, &["--sizes"])["sizes"].clone();
    assert_eq!(sizes[0]["project"], "firnio");
    assert!(
        sizes[0]["bytes"].as_u64().unwrap() > 50_000 && sizes[1]["bytes"].as_u64().unwrap() < 1_000
    );
    let text = hut.field.expect(0, &["examine", ".venv", "--sizes"]).out;
    assert!(text.contains("####"), "{text}");
}

#[test]
fn places_that_are_no_environment_are_refused() {
    let field = Field::empty();
    field.write("plain/file", "");
    for place in ["plain", "plain/file", "nowhere"] {
        let ran = field.run(&["examine", place]);
        assert!(ran.code == 2 || ran.code == 3, "{place}: {ran:?}");
        assert!(ran.err.contains("try "), "{}", ran.err);
    }
}

/// What would never end is not read: devices and pipes in the place of files.
#[test]
#[cfg(target_os = "linux")]
fn devices_in_the_place_of_files_are_not_read() {
    let hut = Hut::new();
    hut.place(&plain("firnio", "1.2"));
    for path in ["firnio/__init__.py", "firnio-1.2.dist-info/INSTALLER"] {
        std::fs::remove_file(hut.site().join(path)).unwrap();
        std::os::unix::fs::symlink("/dev/zero", hut.site().join(path)).unwrap();
    }
    std::os::unix::fs::symlink("/dev/zero", hut.site().join("x.pth")).unwrap();
    assert_eq!(hut.found(0, &[])[0], "risk altered-file firnio");
    let metadata = hut.site().join("firnio-1.2.dist-info/METADATA");
    std::fs::remove_file(&metadata).unwrap();
    std::os::unix::fs::symlink("/dev/zero", metadata).unwrap();
    assert_eq!(hut.found(1, &[])[0], "breaks broken-metadata firnio");
}

#[test]
fn text_is_readable_at_any_width() {
    let hut = Hut::new();
    hut.place(&requiring("moulin", "Requires-Dist: firnio>=1\n"));
    hut.place_compiled("hoarfrost", &python().suffix, &needing(&["libfirn.so.3"]));
    for columns in ["40", "60", "100"] {
        let ran = hut
            .field
            .command(&["examine", ".venv"])
            .env("COLUMNS", columns)
            .output()
            .unwrap();
        let text = String::from_utf8(ran.stdout).unwrap();
        assert!(text.starts_with("2 things break in .venv"), "{text}");
        let most: usize = columns.parse().unwrap();
        let long: Vec<&str> = text
            .lines()
            .filter(|l| {
                l.chars().count() > most
                    && l.trim().contains(' ')
                    && !l.trim().starts_with("eutaxis ")
            })
            .collect();
        assert!(long.is_empty(), "{columns}: {long:#?}");
    }
}
