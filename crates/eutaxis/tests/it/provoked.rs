//! `diagnose` on logs that are really provoked here: by interpreters, the compiler, the loader,
//! archives, sockets, a full disk.

use std::path::Path;
use std::process::{Command, Stdio};

use rstest::rstest;
use serde_json::Value;

use crate::field::Field;
use crate::hut::{Hut, Placed, plain, python};

/// What a command writes to both outputs, in the words of the untranslated system.
fn output(command: &mut Command) -> String {
    let out = command
        .env("LC_ALL", "C")
        .env_remove("PYTHONPATH")
        .stdin(Stdio::null())
        .output()
        .unwrap();
    assert!(
        !out.status.success(),
        "nothing was provoked: {}",
        String::from_utf8_lossy(&out.stdout)
    );
    format!(
        "{}{}",
        String::from_utf8_lossy(&out.stdout),
        String::from_utf8_lossy(&out.stderr)
    )
}

/// What a program of the interpreter writes that must fail, run in a folder.
fn script(folder: &Path, code: &str) -> String {
    output(
        Command::new(&python().program)
            .args(["-B", "-c", code])
            .current_dir(folder),
    )
}

fn shell(folder: &Path, line: &str) -> String {
    output(
        Command::new("/bin/sh")
            .args(["-c", line])
            .current_dir(folder),
    )
}

/// The root of a log, told by the program.
fn root(field: &Field, log: &str) -> Value {
    field.write("provoked.log", log);
    let answer = field.json(1, &["diagnose", "provoked.log"]);
    answer["causes"]
        .get(0)
        .unwrap_or_else(|| panic!("no cause in\n{log}"))
        .clone()
}

fn assert_root(field: &Field, log: &str, id: &str, facts: &[(&str, &str)]) {
    let cause = root(field, log);
    assert_eq!(cause["id"], id, "{log}\n{cause:#}");
    for (name, value) in facts {
        assert_eq!(cause["facts"][name], *value, "{log}\n{cause:#}");
    }
}

#[rstest]
#[case::absent("import zz_glacier", "module-absent", &[("module", "zz_glacier")])]
#[case::absent_part("import json.glacier", "module-absent", &[("module", "json.glacier")])]
#[case::run_by_name("import runpy; \
    runpy.run_module('zz_glacier')", "module-absent", &[("module", "zz_glacier")])]
#[case::project_by_name("import importlib.metadata as m; \
    m.version('zz-glacier')", "module-absent", &[("module", "zz-glacier")])]
#[case::no_zip("import io, zipfile; zipfile.ZipFile(io.BytesIO(b'<html>'))", "file-corrupt", &[])]
#[case::cut_off_zip(
    "import io, zipfile\nb = io.BytesIO()\nz = zipfile.ZipFile(b, 'w')\nz.writestr('a', 'x' * \
        99)\nz.close()\nraw = bytearray(b.getvalue())\nraw[40] ^= 1\n\
     zipfile.ZipFile(io.BytesIO(raw)).read('a')",
    "file-corrupt", &[]
)]
#[case::no_tar("import io, tarfile; tarfile.open(fileobj=io.BytesIO(b'x' * \
    600))", "file-corrupt", &[])]
#[case::cut_off_gzip("import gzip; gzip.decompress(gzip.compress(b'x' * \
    999)[:-9])", "file-corrupt", &[])]
#[case::no_deflate("import zlib; zlib.decompress(b'not packed')", "file-corrupt", &[])]
#[case::full_device("open('/dev/full', 'w', 1).write('snow' * 99999)", "no-space", &[])]
#[case::long_name("open('/tmp/' + 'a' * 300, 'w')", "path-too-long", &[])]
#[case::no_such_host("import socket; socket.getaddrinfo('depot.invalid', \
    443)", "network-unreachable", &[])]
#[case::no_tool("import subprocess, os; os.environ['PATH'] = ''; \
    subprocess.check_call(['gfortran', \
    '--version'])", "build-tool-missing", &[("tool", "gfortran")])]
#[case::memory("import resource as r; r.setrlimit(r.RLIMIT_AS, (1 << 29, 1 << 29)); bytearray(1 << \
    33)", "memory-exhausted", &[])]
fn what_interpreters_write_is_understood(
    #[case] code: &str,
    #[case] id: &str,
    #[case] facts: &[(&str, &str)],
) {
    let field = Field::empty();
    assert_root(&field, &script(&field.path(""), code), id, facts);
}

#[test]
fn a_refused_connection_is_one_of_the_network() {
    let field = Field::empty();
    // A port that was free a moment ago: nobody listens there.
    let port = std::net::TcpListener::bind("127.0.0.1:0")
        .unwrap()
        .local_addr()
        .unwrap()
        .port();
    let log = script(
        &field.path(""),
        &format!(
            "import urllib.request; urllib.request.urlopen('http://127.0.0.1:{port}/simple/')"
        ),
    );
    assert_root(&field, &log, "network-unreachable", &[]);
    let log = script(
        &field.path(""),
        &format!("import socket; socket.create_connection(('127.0.0.1', {port}))"),
    );
    assert_root(&field, &log, "network-unreachable", &[]);
}

#[test]
fn a_refused_folder_is_one_of_permission() {
    let field = Field::empty();
    let code = "import os\nif os.getuid() == 0: os.setgid(65534); \
        os.setuid(65534)\nopen('/etc/glacier.conf', 'w')";
    assert_root(
        &field,
        &script(&field.path(""), code),
        "not-permitted",
        &[("path", "/etc/glacier.conf")],
    );
    let code = "import os\nif os.getuid() == 0: os.setgid(65534); \
        os.setuid(65534)\nos.mkdir('/etc/glacier')";
    assert_root(
        &field,
        &script(Path::new("/"), code),
        "not-permitted",
        &[("path", "/etc/glacier")],
    );
}

#[test]
fn files_of_ones_own_in_the_place_of_modules_are_told() {
    let field = Field::empty();
    field.write(
        "fractions.py",
        "import fractions\nprint(fractions.Fraction(1, 6))\n",
    );
    let log = output(
        Command::new(&python().program)
            .arg("-B")
            .arg(field.path("fractions.py")),
    );
    let own = field.path("fractions.py").display().to_string();
    assert_root(
        &field,
        &log,
        "module-shadowed",
        &[("module", "fractions"), ("own", own.as_str())],
    );
    field.write("work/json.py", "");
    field.write("work/run.py", "import json.decoder\n");
    let log = output(
        Command::new(&python().program)
            .arg("-B")
            .arg(field.path("work/run.py")),
    );
    assert_root(&field, &log, "module-shadowed", &[("module", "json")]);
    // The library imports it, and what it then lacks is another name.
    let hut = Hut::new();
    let code = b"import fractions\nHALF = fractions.Fraction(1, 2)\n".to_vec();
    hut.place(&Placed {
        files: vec![("firnio/__init__.py".into(), code)],
        ..plain("firnio", "1.2")
    });
    hut.field
        .write("work/fractions.py", "import firnio\nprint(firnio.HALF)\n");
    let log = output(
        Command::new(hut.root().join("bin/python"))
            .arg("-B")
            .arg(hut.field.path("work/fractions.py")),
    );
    assert_root(
        &hut.field,
        &log,
        "module-shadowed",
        &[("module", "fractions")],
    );
}

#[test]
fn names_that_are_gone_are_told() {
    let hut = Hut::new();
    let run = |code: &str| {
        output(Command::new(hut.root().join("bin/python")).args(["-I", "-B", "-c", code]))
    };
    let old = b"from collections import Mapping\n".to_vec();
    hut.place(&Placed {
        files: vec![("tarnlog/__init__.py".into(), old)],
        ..plain("tarnlog", "1.0")
    });
    hut.place(&plain("moulin", "5.0"));
    let caller = b"import moulin\nmoulin.old_name()\n".to_vec();
    hut.place(&Placed {
        files: vec![("icelens/__init__.py".into(), caller)],
        ..plain("icelens", "3.1")
    });
    let series: u32 = python().series.split('.').nth(1).unwrap().parse().unwrap();
    if series >= 10 {
        assert_root(
            &hut.field,
            &run("import tarnlog"),
            "api-removed",
            &[("name", "Mapping"), ("of", "tarnlog")],
        );
    }
    assert_root(
        &hut.field,
        &run("import icelens"),
        "api-removed",
        &[
            ("name", "old_name"),
            ("module", "moulin"),
            ("of", "icelens"),
        ],
    );
    assert_root(
        &hut.field,
        &run("from moulin import gone"),
        "api-removed",
        &[("name", "gone"), ("module", "moulin")],
    );
    let caller = b"def draw(): pass\ndef call(): draw(scale=2)\n".to_vec();
    hut.place(&Placed {
        files: vec![("neveplot/__init__.py".into(), caller)],
        ..plain("neveplot", "1.1")
    });
    assert_root(
        &hut.field,
        &run("import neveplot; neveplot.call()"),
        "stale-dependency",
        &[("symbol", "draw"), ("name", "scale")],
    );
}

#[test]
fn code_for_a_newer_interpreter_is_told() {
    let hut = Hut::new();
    // Nothing that is out yet has it.
    let code = b"def depth(x):\n    meltdown x:\n        pass\n".to_vec();
    hut.place(&Placed {
        files: vec![("firnio/__init__.py".into(), code)],
        ..plain("firnio", "1.2")
    });
    let log = output(Command::new(hut.root().join("bin/python")).args([
        "-I",
        "-B",
        "-c",
        "import firnio",
    ]));
    assert_root(&hut.field, &log, "syntax-too-new", &[("of", "firnio")]);
    let code = b"from __future__ import melting\n".to_vec();
    hut.place(&Placed {
        files: vec![("katabat/__init__.py".into(), code)],
        ..plain("katabat", "0.5")
    });
    let log = output(Command::new(hut.root().join("bin/python")).args([
        "-I",
        "-B",
        "-c",
        "import katabat",
    ]));
    assert_root(&hut.field, &log, "syntax-too-new", &[("of", "katabat")]);
}

#[rstest]
#[case::header("#include \
    <firn/zz_none.h>\n", "-c", "header-missing", &[("header", "firn/zz_none.h")])]
#[case::library("int main(void) \
    { return 0; }\n", "-lzz_none -o a.out", "header-missing", &[("library", "zz_none")])]
#[case::source("int main(void) { return snow; }\n", "-c", "build-failed", &[])]
#[case::undefined("int snow(void); int main(void) \
    { return snow(); }\n", "-o a.out", "build-failed", &[])]
#[case::interpreter_header("int f(void) \
    { return _PyZz_Gone(1, 2); }\n", "-c \
        -Werror=implicit-function-declaration", "api-removed", &[("name", "_PyZz_Gone")])]
fn what_the_compiler_writes_is_understood(
    #[case] source: &str,
    #[case] options: &str,
    #[case] id: &str,
    #[case] facts: &[(&str, &str)],
) {
    let field = Field::empty();
    field.write("focus.c", source);
    assert_root(
        &field,
        &shell(&field.path(""), &format!("cc focus.c {options}")),
        id,
        facts,
    );
}

#[test]
fn a_tool_that_the_shell_does_not_find_is_told() {
    let field = Field::empty();
    assert_root(
        &field,
        &shell(&field.path(""), "PATH=; ninja -C build"),
        "build-tool-missing",
        &[("tool", "ninja")],
    );
    assert_root(
        &field,
        &shell(&field.path(""), "PATH=; fieldlog --today"),
        "module-absent",
        &[("command", "fieldlog")],
    );
}

/// A compiled module, and what goes wrong when it is loaded.
struct Workshop {
    field: Field,
}

impl Workshop {
    fn new() -> Self {
        let field = Field::empty();
        field.write("firn.c", "int firn_depth(void) { return 3; }\n");
        field.write(
            "core.c",
            "int firn_depth(void);\nvoid *PyInit_core(void) { return firn_depth() ? 0 : 0; }\n",
        );
        let workshop = Workshop { field };
        workshop.make("cc -shared -fPIC firn.c -Wl,-soname,libfirn.so.3 -o libfirn.so.3");
        workshop.make("cc -shared -fPIC core.c -L. -l:libfirn.so.3 -Wl,-rpath,. -o core.so");
        workshop
    }

    fn make(&self, line: &str) {
        let made = Command::new("/bin/sh")
            .args(["-c", line])
            .current_dir(self.field.path(""))
            .output()
            .unwrap();
        assert!(
            made.status.success(),
            "{line}: {}",
            String::from_utf8_lossy(&made.stderr)
        );
    }

    /// What the interpreter writes when it imports the module.
    fn import(&self) -> String {
        script(
            &self.field.path(""),
            "import sys; sys.path.insert(0, '.'); import core",
        )
    }

    fn change(&self, name: &str, change: &dyn Fn(&mut Vec<u8>)) {
        let path = self.field.path(name);
        let mut bytes = std::fs::read(&path).unwrap();
        change(&mut bytes);
        std::fs::write(path, bytes).unwrap();
    }
}

#[test]
fn what_the_loader_writes_is_understood() {
    let workshop = Workshop::new();
    let assert_import = |id: &str, facts: &[(&str, &str)]| {
        assert_root(&workshop.field, &workshop.import(), id, facts)
    };

    std::fs::rename(
        workshop.field.path("libfirn.so.3"),
        workshop.field.path("kept"),
    )
    .unwrap();
    assert_import("library-absent", &[("library", "libfirn.so.3")]);

    workshop
        .field
        .write("other.c", "int firn_height(void) { return 3; }\n");
    workshop.make("cc -shared -fPIC other.c -Wl,-soname,libfirn.so.3 -o libfirn.so.3");
    workshop.make("cc -shared -fPIC core.c -L. -l:libfirn.so.3 -Wl,-rpath,. -Wl,-z,now -o core.so");
    assert_import("symbol-absent", &[("symbol", "firn_depth")]);

    // A library whose version the module was linked with, in place of which comes one without.
    workshop
        .field
        .write("firn.map", "FIRN_3.2 { global: firn_depth; };\n");
    workshop.make(
        "cc -shared -fPIC firn.c -Wl,-soname,libfirn.so.3 -Wl,--version-script,firn.map -o \
            libfirn.so.3",
    );
    workshop.make("cc -shared -fPIC core.c -L. -l:libfirn.so.3 -Wl,-rpath,. -o core.so");
    workshop
        .field
        .write("older.map", "FIRN_3.1 { global: firn_depth; };\n");
    workshop.make(
        "cc -shared -fPIC firn.c -Wl,-soname,libfirn.so.3 -Wl,--version-script,older.map -o \
            libfirn.so.3",
    );
    assert_import("library-version-differs", &[("wanted", "FIRN_3.2")]);

    // The same, of the C library: its version in the module's own table is changed to one that is
    // not out yet.
    workshop.field.write(
        "core.c",
        "int puts(const char *);\nvoid *PyInit_core(void) { puts(\"\"); return 0; }\n",
    );
    workshop.make("cc -shared -fPIC core.c -o core.so");
    workshop.change("core.so", &|bytes| {
        let at = bytes.windows(8).position(|w| w == b"GLIBC_2.").unwrap();
        let digits = bytes[at + 8..].iter().take_while(|b| **b != 0).count();
        bytes[at + 6..at + 8 + digits]
            .iter_mut()
            .filter(|b| b.is_ascii_digit())
            .for_each(|b| *b = b'9');
    });
    assert_import("libc-too-old", &[]);

    workshop.make("cc -shared -fPIC core.c -o core.so");
    workshop.change("core.so", &|bytes| bytes[4] = 3 - bytes[4]);
    assert_import("wrong-architecture", &[]);
    workshop.change("core.so", &|bytes| bytes.truncate(20));
    assert_import("file-corrupt", &[]);
    workshop.field.write(
        "core.so",
        "no compiled file at all, and long enough to have a head of its own kind\n",
    );
    // What lies there is seen, whatever the loader takes it for.
    assert_import("file-corrupt", &[]);

    workshop
        .field
        .write("core.c", "int nothing(void) { return 0; }\n");
    workshop.make("cc -shared -fPIC core.c -o core.so");
    assert_import("abi-changed", &[("module", "core")]);
    std::fs::remove_file(workshop.field.path("core.so")).unwrap();
    std::fs::write(workshop.field.path("core.pyc"), [1u8; 32]).unwrap();
    assert_import("abi-changed", &[("module", "core")]);
}

#[test]
fn a_full_file_system_is_told() {
    let field = Field::empty();
    // In namespaces of its own, so that nothing of this machine is changed; where they are not to
    // be had there is nothing to try.
    let line = "mkdir full && mount -t tmpfs -o size=64k tmpfs full && cp /bin/sh full/ ";
    let ran = Command::new("unshare")
        .args(["-rm", "/bin/sh", "-c", line])
        .current_dir(field.path(""))
        .env("LC_ALL", "C")
        .output();
    let Some(log) = ran
        .ok()
        .map(|o| String::from_utf8_lossy(&o.stderr).into_owned())
        .filter(|l| l.starts_with("cp:"))
    else {
        return;
    };
    assert_root(&field, &log, "no-space", &[]);
}

#[test]
fn what_eutaxis_itself_writes_is_understood() {
    let field = Field::new();
    let written = |code: i32, arguments: &[&str]| {
        let ran = field.expect(code, arguments);
        format!("{}{}", ran.out, ran.err)
    };
    let asks = [
        "settle",
        "sastrugi==0.8.1",
        "seracnet>=2",
        "--target",
        "base-camp",
    ];
    assert_root(&field, &written(1, &asks), "clash", &[]);
    assert_root(
        &field,
        &written(1, &["settle", "frostgird", "--target", "base-camp"]),
        "name-unknown",
        &[("project", "frostgird")],
    );
    let nowhere = written(
        3,
        &[
            "settle",
            "frostgrid",
            "--target",
            "base-camp",
            "--depot",
            "http://127.0.0.1:9/",
        ],
    );
    assert_root(&field, &nowhere, "network-unreachable", &[]);
    // A file in the depot that is not the one that was pinned.
    field.expect(0, &["settle", "katabat", "--interpreter", "python3"]);
    let pins = field.read("pylock.toml");
    let at = pins.find("sha256 = \"").unwrap() + 10;
    field.write(
        "pylock.toml",
        &format!("{}{}{}", &pins[..at], "0".repeat(64), &pins[at + 64..]),
    );
    assert_root(
        &field,
        &written(3, &["furnish", "--at", ".venv"]),
        "hash-differs",
        &[],
    );
}

/// An interpreter that is led to another place for its own library, and an environment whose base is
/// gone.
#[test]
fn what_keeps_an_interpreter_from_beginning_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let field = Field::empty();
    let mut led = Command::new(&python().program);
    let log = output(led.args(["-c", "1"]).env("PYTHONHOME", "/nowhere/py"));
    let cause = root(&field, &log);
    assert_eq!(cause["id"], "module-absent", "{log}");
    if log.contains("PYTHONHOME = ") {
        assert_eq!(cause["facts"]["path"], "/nowhere/py", "{log}");
        assert_eq!(cause["remedies"][0]["change"], "unset PYTHONHOME");
        // As it says: without the variable it begins.
        let mended = Command::new("/bin/sh")
            .args(["-c", "unset PYTHONHOME && exec \"$0\" -c 1"])
            .arg(&python().program)
            .env("PYTHONHOME", "/nowhere/py")
            .status()
            .unwrap();
        assert!(mended.success());
    }
    std::os::unix::fs::symlink("/nowhere/bin/python3", folder.path().join("python3")).unwrap();
    std::fs::create_dir(folder.path().join("bin")).unwrap();
    std::fs::rename(
        folder.path().join("python3"),
        folder.path().join("bin/python3"),
    )
    .unwrap();
    let log = shell(folder.path(), "exec bash -c 'bin/python3 camp.py'");
    let cause = root(&field, &log);
    assert_eq!(cause["id"], "module-absent", "{log}");
    assert_eq!(cause["facts"]["path"], "bin/python3", "{log}");
}
