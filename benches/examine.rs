//! Reading an environment of 150 projects, 30,000 files and 800 compiled files: beside hashing the
//! same files, and beside reading its folders.

#![allow(
    clippy::indexing_slicing,
    reason = "a bench that gets wrong answers must stop"
)]
#![allow(clippy::unwrap_used, clippy::expect_used, missing_docs)]

use std::fmt::Write;
use std::fs;
use std::path::{Path, PathBuf};

use criterion::{Criterion, criterion_group, criterion_main};
use eutaxis_core::artifact::{Record, RecordLine, record_base64};
use eutaxis_core::examine::examine;
use eutaxis_core::knowledge::{Families, Libraries};
use eutaxis_demo::Library;
use eutaxis_world::environment::snapshot::{Look, snapshot};
use eutaxis_world::interpreter::{Finder, ProbeCache};
use sha2::{Digest, Sha256};
use tempfile::TempDir;

const PROJECTS: usize = 150;
const FILES: usize = 200;
const COMPILED: usize = 800;

/// The environment, and its files.
fn environment(finder: &Finder, probes: &ProbeCache) -> (TempDir, Vec<PathBuf>) {
    let found = finder.default(probes).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let root = folder.path().join("env");
    let site = root.join(format!(
        "lib/python{}/site-packages",
        found.facts.markers.python_version
    ));
    fs::create_dir_all(root.join("bin")).unwrap();
    let base = found.facts.base();
    let home = base.parent().unwrap().display();
    let version = &found.facts.version;
    let text =
        format!("home = {home}\ninclude-system-site-packages = false\nversion = {version}\n");
    fs::create_dir_all(&site).unwrap();
    fs::write(root.join("pyvenv.cfg"), text).unwrap();
    std::os::unix::fs::symlink(&base, root.join("bin/python")).unwrap();
    let suffix = found.facts.ext_suffix.clone().unwrap();
    let arch = std::env::consts::ARCH.to_owned();
    let mut all = Vec::new();
    for project in 0..PROJECTS {
        let name = format!("project{project}");
        let info = format!("{name}-1.0.dist-info");
        let mut record = Record::default();
        let mut add = |path: String, bytes: &[u8]| {
            let to = site.join(&path);
            fs::create_dir_all(to.parent().unwrap()).unwrap();
            fs::write(&to, bytes).unwrap();
            let hash = Some(format!("sha256={}", record_base64(&Sha256::digest(bytes))));
            record.lines.push(RecordLine {
                path,
                hash,
                size: Some(bytes.len() as u64),
            });
            all.push(to);
        };
        add(
            format!("{info}/METADATA"),
            format!("Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n").as_bytes(),
        );
        add(format!("{name}/__init__.py"), b"");
        let compiled = COMPILED / PROJECTS + usize::from(project < COMPILED % PROJECTS);
        for file in 0..compiled {
            let module = Library {
                arch: arch.clone(),
                needs: vec!["libc.so.6".into(), "libm.so.6".into()],
                ..Library::module(&format!("_m{file}"))
            };
            let mut bytes = module.bytes();
            // Compiled files of the size that is common.
            bytes.resize(300_000, project as u8);
            add(format!("{name}/_m{file}{suffix}"), &bytes);
        }
        for file in 0..FILES - compiled - 2 {
            let mut text = String::new();
            (0..120).for_each(|line| {
                writeln!(text, "def f{line}(x): return x * {file} + {project}").unwrap()
            });
            add(
                format!("{name}/part{}/m{file}.py", file % 8),
                text.as_bytes(),
            );
        }
        fs::write(site.join(&info).join("RECORD"), record.write()).unwrap();
    }
    (folder, all)
}

fn folders(root: &Path) -> u64 {
    let mut bytes = 0;
    let mut open = vec![root.to_owned()];
    while let Some(folder) = open.pop() {
        for entry in fs::read_dir(folder).unwrap().flatten() {
            let metadata = entry.metadata().unwrap();
            bytes += metadata.len();
            if metadata.is_dir() {
                open.push(entry.path());
            }
        }
    }
    bytes
}

fn bench(criterion: &mut Criterion) {
    let cache = tempfile::tempdir().unwrap();
    let (finder, probes) = (Finder::new(Vec::new()), ProbeCache::open(cache.path()));
    let (folder, files) = environment(&finder, &probes);
    let root = folder.path().join("env");
    let (families, libraries) = (Families::built_in(), Libraries::built_in());
    let look = |quick| Look {
        place: &root,
        finder: &finder,
        probes: &probes,
        families: &families,
        libraries: &libraries,
        from_folder: None,
        quick,
    };
    let mut group = criterion.benchmark_group("an environment of 150 projects");
    group.sample_size(10);
    group.bench_function("examine", |b| {
        b.iter(|| examine(&snapshot(&look(false)).unwrap()).len())
    });
    group.bench_function("yardstick: hash the same files, one after the other", |b| {
        b.iter(|| {
            files
                .iter()
                .map(|f| Sha256::digest(fs::read(f).unwrap())[0] as usize)
                .sum::<usize>()
        });
    });
    group.bench_function("examine without hashes", |b| {
        b.iter(|| examine(&snapshot(&look(true)).unwrap()).len())
    });
    group.bench_function("yardstick: read its folders", |b| b.iter(|| folders(&root)));
    group.finish();
}

criterion_group!(benches, bench);
criterion_main!(benches);
