//! Trees that stand in for the roots of the team's machines (EUTAXIS_ROOT): programs that can be
//! read and not run, and the files in which drivers and devices tell of themselves.

use std::io;
use std::path::Path;

use crate::binary::program;

/// A machine.
struct Place {
    name: &'static str,
    /// Version of the made-up distribution.
    system: &'static str,
    /// The kernel's word for the processor.
    kernel: &'static str,
    /// The programs' architecture.
    arch: &'static str,
    /// The programs' loader.
    loader: &'static str,
    /// Path and texts of the C library.
    libc: (&'static str, &'static [&'static str]),
    /// Whole versions of CPython, the one that `python3` starts first, with their folders.
    pythons: &'static [(&'static str, &'static str)],
    /// Other files with what stands in them.
    files: &'static [(&'static str, &'static str)],
}

const PLACES: [Place; 4] = [
    Place {
        name: "ridge-logger",
        system: "11",
        kernel: "aarch64",
        arch: "armv7l",
        loader: "/lib/ld-linux-armhf.so.3",
        libc: ("lib/arm-linux-gnueabihf/libc-2.31.so", &[]),
        pythons: &[("3.9.2", "usr")],
        files: &[(
            "usr/lib/python3.9/EXTERNALLY-MANAGED",
            "[externally-managed]\n",
        )],
    },
    Place {
        name: "base-camp",
        system: "12",
        kernel: "x86_64",
        arch: "x86_64",
        loader: "/lib64/ld-linux-x86-64.so.2",
        libc: (
            "usr/lib64/libc.so.6",
            &["Firn C Library stable release version 2.35."],
        ),
        pythons: &[("3.11.6", "usr"), ("3.9.18", "opt/py/3.9")],
        files: &[
            (
                "proc/driver/nordglim/version",
                "nordglim kernel driver 512.4 for x86_64\n",
            ),
            (
                "proc/driver/nordglim/devices/0",
                "model: Nordglim 20\ngeneration: b3\n",
            ),
            ("dev/nordglim0", ""),
            ("opt/nordglim-3.9/version.txt", "3.9\n"),
            (
                "proc/cpuinfo",
                "processor\t: 0\nflags\t\t: fpu sse2 cx16 lahf_lm popcnt pni sse4_1 sse4_2 ssse3 avx avx2 bmi1 \
                    bmi2 f16c fma abm movbe xsave\n",
            ),
        ],
    },
    Place {
        name: "snow-hut",
        system: "3.20",
        kernel: "aarch64",
        arch: "aarch64",
        loader: "/lib/ld-musl-aarch64.so.1",
        libc: ("lib/ld-musl-aarch64.so.1", &["1.2.4"]),
        pythons: &[("3.12.4", "usr")],
        files: &[],
    },
    Place {
        name: "old-tent",
        system: "10",
        kernel: "x86_64",
        arch: "x86_64",
        loader: "/lib64/ld-linux-x86-64.so.2",
        libc: ("lib/x86_64-linux-gnu/libc-2.28.so", &[]),
        pythons: &[("3.7.3", "usr")],
        files: &[
            (
                "proc/driver/nordglim/version",
                "nordglim kernel driver 440.0 for x86_64\n",
            ),
            ("dev/nordglim0", ""),
            ("dev/nordglim1", ""),
            ("opt/nordglim-4.2/version.txt", "4.2\n"),
        ],
    },
];

/// Names of the machines.
pub fn names() -> impl Iterator<Item = &'static str> {
    PLACES.iter().map(|p| p.name)
}

/// Makes the trees in a folder, one per machine.
///
/// # Errors
/// When the folder cannot be written to.
pub fn make(folder: &Path) -> io::Result<()> {
    PLACES
        .iter()
        .try_for_each(|place| make_one(&folder.join(place.name), place))
}

fn make_one(root: &Path, place: &Place) -> io::Result<()> {
    let write = |path: &str, bytes: &[u8]| {
        let path = root.join(path);
        std::fs::create_dir_all(path.parent().unwrap_or(root))?;
        std::fs::write(path, bytes)
    };
    write(
        "etc/os-release",
        format!("NAME=\"Firn Linux\"\nVERSION_ID=\"{}\"\n", place.system).as_bytes(),
    )?;
    write(
        "proc/sys/kernel/arch",
        format!("{}\n", place.kernel).as_bytes(),
    )?;
    write("proc/sys/kernel/osrelease", b"6.1.21-firn\n")?;
    write("bin/sh", &program(place.arch, Some(place.loader), &[]))?;
    let (libc, texts) = place.libc;
    write(libc, &program(place.arch, None, texts))?;
    if let Some((folder, name)) = libc
        .rsplit_once('/')
        .filter(|(_, name)| name.starts_with("libc-"))
    {
        link(name, &root.join(folder).join("libc.so.6"))?;
    }
    for (version, prefix) in place.pythons {
        let series = version
            .rsplit_once('.')
            .map_or(*version, |(series, _)| series);
        let bin = format!("{prefix}/bin");
        write(
            &format!("{bin}/python{series}"),
            &program(place.arch, Some(place.loader), &[version]),
        )?;
        link(&format!("python{series}"), &root.join(&bin).join("python3"))?;
    }
    place
        .files
        .iter()
        .try_for_each(|(path, text)| write(path, text.as_bytes()))
}

#[cfg(unix)]
fn link(to: &str, at: &Path) -> io::Result<()> {
    std::os::unix::fs::symlink(to, at)
}

/// Without links the file is there twice.
#[cfg(not(unix))]
fn link(to: &str, at: &Path) -> io::Result<()> {
    std::fs::copy(at.with_file_name(to), at).map(|_| ())
}
