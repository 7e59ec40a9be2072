//! Writing source distributions (PEP 625), byte for byte the same each time. They really build: by the
//! build system of the demo world, or by one of their own.

use std::io::{self, Write};

use flate2::Compression;
use flate2::write::GzEncoder;

use crate::files;
use crate::world::{Project, Release};

/// What builds the sources of the demo world by default.
const PROJECT_FILE: &str = "\
[build-system]
requires = [\"cairnbuild\"]
build-backend = \"cairnbuild.hooks\"
";

/// The module that compiled projects have in their sources.
const CORE: &str = "\
#include <Python.h>

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, \"_core\", \"compiled from source\", -1, NULL};

PyMODINIT_FUNC PyInit__core(void)
{
    return PyModule_Create(&module);
}
";

/// File name and bytes of the source distribution of a release.
pub(crate) fn sdist(project: &Project, release: &Release) -> io::Result<(String, Vec<u8>)> {
    let package = files::package(project);
    let stem = format!("{package}-{}", release.version);
    let is_compiled = !project.pure && release.archive.is_empty();
    let mut members = vec![
        (
            "PKG-INFO".to_owned(),
            files::metadata(project, release, &release.version),
        ),
        ("pyproject.toml".to_owned(), PROJECT_FILE.to_owned()),
    ];
    members.extend(files::sources(
        project,
        release,
        &release.version,
        is_compiled,
    ));
    if is_compiled {
        members.push((format!("{package}/_core.c"), CORE.to_owned()));
    }
    members.retain(|(path, _)| !release.archive.contains_key(path));
    let own = release.archive.iter().filter(|(_, text)| !text.is_empty());
    members.extend(own.map(|(path, text)| (path.clone(), files::with_hooks(text))));
    let mut archive = tar::Builder::new(GzEncoder::new(Vec::new(), Compression::default()));
    for (path, text) in members {
        let mut header = tar::Header::new_ustar();
        header.set_size(text.len() as u64);
        header.set_mode(0o644);
        header.set_mtime(0);
        archive.append_data(&mut header, format!("{stem}/{path}"), text.as_bytes())?;
    }
    let mut gzip = archive.into_inner()?;
    gzip.flush()?;
    Ok((format!("{stem}.tar.gz"), gzip.finish()?))
}
