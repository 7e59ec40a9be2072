//! Writing source distributions (PEP 625), byte for byte the same each time.

use std::io::{self, Write};

use flate2::Compression;
use flate2::write::GzEncoder;

use crate::files;
use crate::world::{Project, Release};

/// File name and bytes of the source distribution of a release.
pub(crate) fn sdist(project: &Project, release: &Release) -> io::Result<(String, Vec<u8>)> {
    let stem = format!("{}-{}", files::package(project), release.version);
    let mut archive = tar::Builder::new(GzEncoder::new(Vec::new(), Compression::default()));
    let pyproject =
        "[build-system]\nrequires = []\nbuild-backend = \"made_up_builder\"\n".to_owned();
    let mut members = vec![
        (
            "PKG-INFO".to_owned(),
            files::metadata(project, release, &release.version),
        ),
        ("pyproject.toml".to_owned(), pyproject),
    ];
    members.extend(files::sources(project, release, &release.version, true));
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
