//! Writing the index tree: pages in JSON and HTML, files beside them, metadata beside files (simple
//! repository API).

use std::fs;
use std::io;
use std::path::Path;

use eutaxis_core::artifact::hex;
use serde_json::{Value, json};
use sha2::{Digest, Sha256};

use crate::files;
use crate::sdist::sdist;
use crate::wheel::{wheels, write_wheel};
use crate::world::{Project, World};

/// Writes the page and files of a project under the root; gives the number of files.
pub(crate) fn write_project(project: &Project, root: &Path) -> io::Result<usize> {
    let folder = root.join(&project.name);
    fs::create_dir_all(&folder)?;
    let mut entries = Vec::new();
    for release in &project.releases {
        let moment = format!("{}T12:00:00Z", release.date);
        let mut add = |filename: String, bytes: Vec<u8>, version: &str| -> io::Result<()> {
            let metadata = files::metadata(project, release, version);
            fs::write(folder.join(&filename), &bytes)?;
            // An archive with metadata of its own says itself what it needs.
            let beside = !release.archive.contains_key("PKG-INFO");
            if beside {
                fs::write(folder.join(format!("{filename}.metadata")), &metadata)?;
            }
            entries.push(json!({
                "filename": filename,
                "url": filename.replace('+', "%2B"),
                "hashes": {"sha256": hex(&Sha256::digest(&bytes))},
                "requires-python": release.python(project),
                "size": bytes.len(),
                "upload-time": moment,
                "core-metadata": if beside {
                    json!({"sha256": hex(&Sha256::digest(metadata.as_bytes()))})
                } else {
                    json!(false)
                },
                "yanked": release.yanked.clone().map_or(Value::Bool(false), Value::String),
            }));
            Ok(())
        };
        for wheel in wheels(project, release) {
            add(wheel.filename(), write_wheel(&wheel)?, &wheel.version)?;
        }
        if project.sdist {
            let (filename, bytes) = sdist(project, release)?;
            add(filename, bytes, &release.version)?;
        }
        if !release.variants.is_empty() {
            let filename = format!(
                "{}-{}-variants.json",
                files::package(project),
                release.version
            );
            let bytes = release.described(None).to_string().into_bytes();
            fs::write(folder.join(&filename), &bytes)?;
            entries.push(json!({
                "filename": filename,
                "url": filename,
                "hashes": {"sha256": hex(&Sha256::digest(&bytes))},
                "size": bytes.len(),
            }));
        }
    }
    let versions: Vec<&str> = project
        .releases
        .iter()
        .map(|r| r.version.as_str())
        .collect();
    let page = json!({"meta": {"api-version": "1.1"}, "name": project.name, "versions": versions, "files": entries});
    fs::write(folder.join("index.json"), serde_json::to_vec_pretty(&page)?)?;
    fs::write(folder.join("index.html"), html(&project.name, &entries))?;
    Ok(entries.len())
}

fn html(name: &str, entries: &[Value]) -> String {
    let escape = |text: &str| {
        text.replace('&', "&amp;")
            .replace('<', "&lt;")
            .replace('>', "&gt;")
            .replace('"', "&quot;")
    };
    let mut text = format!(
        "<!DOCTYPE html>\n<meta name=\"pypi:repository-version\" \
            content=\"1.0\">\n<title>{name}</title>\n"
    );
    for entry in entries {
        let get = |key: &str| entry.get(key).and_then(Value::as_str).unwrap_or("");
        let hash = |key: &str| {
            entry
                .get(key)
                .and_then(|h| h.get("sha256"))
                .and_then(Value::as_str)
                .unwrap_or("")
                .to_owned()
        };
        let mut attributes = match hash("core-metadata").as_str() {
            "" => String::new(),
            hash => format!(" data-core-metadata=\"sha256={hash}\""),
        };
        if !get("requires-python").is_empty() {
            attributes.push_str(&format!(
                " data-requires-python=\"{}\"",
                escape(get("requires-python"))
            ));
        }
        if !get("yanked").is_empty() {
            attributes.push_str(&format!(" data-yanked=\"{}\"", escape(get("yanked"))));
        }
        text.push_str(&format!(
            "<a href=\"{}#sha256={}\"{attributes}>{}</a><br>\n",
            get("url"),
            hash("hashes"),
            get("filename")
        ));
    }
    text
}

/// Writes the list of projects.
pub(crate) fn write_list(world: &World, root: &Path) -> io::Result<()> {
    let links: String = world
        .projects
        .iter()
        .map(|p| format!("<a href=\"{0}/\">{0}</a><br>\n", p.name))
        .collect();
    fs::write(
        root.join("index.html"),
        format!("<!DOCTYPE html>\n<title>Projects</title>\n{links}"),
    )?;
    let names: Vec<Value> = world
        .projects
        .iter()
        .map(|p| json!({"name": p.name}))
        .collect();
    fs::write(
        root.join("index.json"),
        serde_json::to_vec_pretty(&json!({"meta": {"api-version": "1.1"}, "projects": names}))?,
    )
}
