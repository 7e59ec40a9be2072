//! Writing wheels (binary distribution format), byte for byte the same each time.

use std::io::{self, Cursor, Write};

use eutaxis_core::artifact::{Record, RecordLine, record_base64};
use sha2::{Digest, Sha256};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

use crate::binary;
use crate::files;
use crate::world::{Project, Release};

/// A wheel to be written: its name's parts and its files, without `.dist-info/RECORD` and `WHEEL`.
#[derive(Debug, Clone, Default)]
pub struct Wheel {
    /// Project, in the form of file names.
    pub name: String,
    /// Version, in normal form.
    pub version: String,
    /// `py3-none-any`, sets joined by dots; for a variant with its label behind (draft PEP 825).
    pub tags: String,
    /// Path and bytes.
    pub files: Vec<(String, Vec<u8>)>,
}

impl Wheel {
    /// The file's name.
    pub fn filename(&self) -> String {
        format!("{}-{}-{}.whl", self.name, self.version, self.tags)
    }

    /// Its `.dist-info` folder.
    pub fn dist_info(&self) -> String {
        format!("{}-{}.dist-info", self.name, self.version)
    }
}

/// The bytes of a wheel, with WHEEL and RECORD made for it.
///
/// # Errors
/// When the archive cannot be written.
pub fn write_wheel(wheel: &Wheel) -> io::Result<Vec<u8>> {
    let pure = wheel.tags.ends_with("-any");
    let expanded = |part: &str| part.split('.').map(str::to_owned).collect::<Vec<_>>();
    let mut info =
        format!("Wheel-Version: 1.0\nGenerator: eutaxis-demo\nRoot-Is-Purelib: {pure}\n");
    let parts: Vec<&str> = wheel.tags.split('-').collect();
    if let [python, abi, platform, ..] = parts.as_slice() {
        for p in expanded(python) {
            for l in expanded(platform) {
                info.push_str(&format!("Tag: {p}-{abi}-{l}\n"));
            }
        }
    }
    let dist_info = wheel.dist_info();
    let mut members = wheel.files.clone();
    members.push((format!("{dist_info}/WHEEL"), info.into_bytes()));
    let mut record = Record::default();
    for (path, bytes) in &members {
        let hash = format!("sha256={}", record_base64(&Sha256::digest(bytes)));
        record.lines.push(RecordLine {
            path: path.clone(),
            hash: Some(hash),
            size: Some(bytes.len() as u64),
        });
    }
    let own = format!("{dist_info}/RECORD");
    record.lines.push(RecordLine {
        path: own.clone(),
        hash: None,
        size: None,
    });
    members.push((own, record.write().into_bytes()));
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Deflated)
        .last_modified_time(DateTime::default())
        .unix_permissions(0o644);
    for (path, bytes) in members {
        zip.start_file(path, options).map_err(io::Error::other)?;
        zip.write_all(&bytes)?;
    }
    zip.finish()
        .map(Cursor::into_inner)
        .map_err(io::Error::other)
}

/// Every wheel of a release.
pub(crate) fn wheels(project: &Project, release: &Release) -> Vec<Wheel> {
    let versions: Vec<String> = match release.labels.as_slice() {
        [] => vec![release.version.clone()],
        labels => labels
            .iter()
            .map(|l| format!("{}+{l}", release.version))
            .collect(),
    };
    let interpreters = release
        .interpreters
        .as_ref()
        .unwrap_or(&project.interpreters);
    let platforms = release.platforms.as_ref().unwrap_or(&project.platforms);
    let mut wheels = Vec::new();
    if project.only_source || release.only_source {
        return wheels;
    }
    for version in &versions {
        if project.pure {
            wheels.push(wheel(
                project,
                release,
                version,
                "py3-none-any".to_owned(),
                None,
            ));
            continue;
        }
        for platform in platforms {
            if let Some(stable) = &project.stable {
                let python = format!("cp{}", stable.replace('.', ""));
                wheels.push(wheel(
                    project,
                    release,
                    version,
                    format!("{python}-abi3-{platform}"),
                    Some((stable, platform, true)),
                ));
            }
            for series in interpreters {
                let python = format!("cp{}", series.replace('.', ""));
                let abi = if matches!(series.as_str(), "3.6" | "3.7") {
                    format!("{python}m")
                } else {
                    python.clone()
                };
                let native = Some((series, platform, false));
                let tags = format!("{python}-{abi}-{platform}");
                for label in release.variants.keys() {
                    let tags = format!("{tags}-{label}");
                    let mut made = wheel(project, release, version, tags, native);
                    let path = format!("{}/variant.json", made.dist_info());
                    let own = release.described(Some(label)).to_string();
                    made.files.push((path, own.into_bytes()));
                    wheels.push(made);
                }
                if release.variants.is_empty() {
                    wheels.push(wheel(project, release, version, tags, native));
                }
            }
        }
    }
    wheels
}

fn wheel(
    project: &Project,
    release: &Release,
    version: &str,
    tags: String,
    native: Option<(&String, &String, bool)>,
) -> Wheel {
    let name = files::package(project);
    let mut made = Wheel {
        name: name.clone(),
        version: version.to_owned(),
        tags,
        files: Vec::new(),
    };
    for (path, text) in files::sources(project, release, version, native.is_some()) {
        made.files.push((path, text.into_bytes()));
    }
    if let Some((series, platform, stable)) = native {
        let (suffix, bytes) = binary::extension(series, platform, stable);
        made.files.push((format!("{name}/_core{suffix}"), bytes));
    }
    let info = made.dist_info();
    made.files.push((
        format!("{info}/METADATA"),
        files::metadata(project, release, version).into_bytes(),
    ));
    let points = files::entry_points(project);
    if !points.is_empty() {
        made.files
            .push((format!("{info}/entry_points.txt"), points.into_bytes()));
    }
    made
}
