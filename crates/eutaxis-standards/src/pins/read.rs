//! Reading a lock file. Every key of the standard is kept; faults carry their place.

use std::collections::BTreeMap;

use super::lock::{Archive, Directory, Lock, LockFile, Package, Vcs};
use crate::document::{Document, Table};
use crate::fault::Fault;
use crate::name::Name;

/// A file with more entries than this is refused.
const MOST_PACKAGES: usize = 100_000;

impl Lock {
    /// Reads a lock file.
    ///
    /// # Errors
    /// When it is not TOML, a required key is missing or of another type, the major of
    /// `lock-version` is not 1, or an entry names no source or sources that exclude each other.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        let document = Document::parse(text)?;
        let root = document.root();
        let lock_version = required(&root, "lock-version")?;
        if lock_version.split('.').next() != Some("1") {
            let fault = root.fault(format_args!(
                "lock-version {lock_version} is not one that can be read (1.x)"
            ));
            return Err(fault);
        }
        let packages = root.tables("packages")?;
        if root.get("packages").is_none() {
            return Err(root.fault("`packages` is missing: this is not a pylock file"));
        }
        if packages.len() > MOST_PACKAGES {
            return Err(root.fault(format_args!("there are more than {MOST_PACKAGES} packages")));
        }
        Ok(Lock {
            lock_version,
            environments: texts(&root, "environments")?,
            requires_python: text_of(&root, "requires-python")?,
            extras: texts(&root, "extras")?,
            dependency_groups: texts(&root, "dependency-groups")?,
            default_groups: texts(&root, "default-groups")?,
            created_by: required(&root, "created-by")?,
            packages: packages.iter().map(package).collect::<Result<_, _>>()?,
            tool: tool(&root)?,
        })
    }
}

fn required(table: &Table<'_>, key: &str) -> Result<String, Fault> {
    text_of(table, key)?.ok_or_else(|| table.fault(format_args!("`{key}` is missing")))
}

fn text_of(table: &Table<'_>, key: &str) -> Result<Option<String>, Fault> {
    Ok(table.string(key)?.map(|t| t.value.to_owned()))
}

fn texts(table: &Table<'_>, key: &str) -> Result<Vec<String>, Fault> {
    Ok(table
        .strings(key)?
        .unwrap_or_default()
        .into_iter()
        .map(|t| t.value.to_owned())
        .collect())
}

fn plain(table: &Table<'_>) -> Result<toml::Table, Fault> {
    table
        .entries()
        .map(|(key, value)| Ok((key.value.to_owned(), value.to_plain()?)))
        .collect()
}

fn tool(table: &Table<'_>) -> Result<Option<toml::Table>, Fault> {
    table.table("tool")?.map(|t| plain(&t)).transpose()
}

fn package(table: &Table<'_>) -> Result<Package, Fault> {
    let Some(name) = table.string("name")? else {
        return Err(table.fault("`name` is missing"));
    };
    let package = Package {
        name: Name::parse(name.value).map_err(|f| f.shifted(name.at))?,
        version: text_of(table, "version")?,
        marker: text_of(table, "marker")?,
        requires_python: text_of(table, "requires-python")?,
        dependencies: table
            .tables("dependencies")?
            .iter()
            .map(plain)
            .collect::<Result<_, _>>()?,
        vcs: table.table("vcs")?.map(|t| vcs(&t)).transpose()?,
        directory: table
            .table("directory")?
            .map(|t| directory(&t))
            .transpose()?,
        archive: table.table("archive")?.map(|t| archive(&t)).transpose()?,
        index: text_of(table, "index")?,
        sdist: table.table("sdist")?.map(|t| file(&t)).transpose()?,
        wheels: table
            .tables("wheels")?
            .iter()
            .map(file)
            .collect::<Result<_, _>>()?,
        attestation_identities: table
            .tables("attestation-identities")?
            .iter()
            .map(plain)
            .collect::<Result<_, _>>()?,
        tool: tool(table)?,
    };
    let alone = [
        package.vcs.is_some(),
        package.directory.is_some(),
        package.archive.is_some(),
    ];
    let index_files = package.sdist.is_some() || !package.wheels.is_empty();
    let sources = alone.iter().filter(|s| **s).count() + usize::from(index_files);
    match sources {
        1 => Ok(package),
        0 => Err(table.fault(format_args!(
            "{} names no file: one of wheels, sdist, archive, directory, vcs is needed",
            package.name
        ))),
        _ => Err(table.fault(format_args!(
            "{} names sources that exclude each other",
            package.name
        ))),
    }
}

fn vcs(table: &Table<'_>) -> Result<Vcs, Fault> {
    let found = Vcs {
        kind: required(table, "type")?,
        url: text_of(table, "url")?,
        path: text_of(table, "path")?,
        requested_revision: text_of(table, "requested-revision")?,
        commit_id: required(table, "commit-id")?,
        subdirectory: text_of(table, "subdirectory")?,
    };
    ensure_place(table, found.url.as_ref(), found.path.as_ref())?;
    Ok(found)
}

fn directory(table: &Table<'_>) -> Result<Directory, Fault> {
    Ok(Directory {
        path: required(table, "path")?,
        editable: table.boolean("editable")?,
        subdirectory: text_of(table, "subdirectory")?,
    })
}

fn archive(table: &Table<'_>) -> Result<Archive, Fault> {
    Ok(Archive {
        file: file(table)?,
        subdirectory: text_of(table, "subdirectory")?,
    })
}

fn file(table: &Table<'_>) -> Result<LockFile, Fault> {
    let number = |key: &str| -> Result<Option<u64>, Fault> {
        let Some(value) = table.get(key) else {
            return Ok(None);
        };
        let size = value
            .to_plain()?
            .as_integer()
            .and_then(|n| u64::try_from(n).ok());
        size.map(Some)
            .ok_or_else(|| value.wrong("a number of bytes"))
    };
    let upload_time = match table.get("upload-time") {
        None => None,
        Some(value) => {
            let toml::Value::Datetime(moment) = value.to_plain()? else {
                return Err(value.wrong("a date"));
            };
            Some(moment)
        }
    };
    let Some(table_of_hashes) = table.table("hashes")? else {
        return Err(table.fault("`hashes` is missing"));
    };
    let mut hashes = BTreeMap::new();
    for (key, value) in table_of_hashes.entries() {
        hashes.insert(
            key.value.to_owned(),
            value.string()?.value.to_ascii_lowercase(),
        );
    }
    if hashes.is_empty() {
        return Err(table.fault("`hashes` is empty"));
    }
    let found = LockFile {
        name: text_of(table, "name")?,
        upload_time,
        url: text_of(table, "url")?,
        path: text_of(table, "path")?,
        size: number("size")?,
        hashes,
    };
    ensure_place(table, found.url.as_ref(), found.path.as_ref())?;
    Ok(found)
}

fn ensure_place(
    table: &Table<'_>,
    url: Option<&String>,
    path: Option<&String>,
) -> Result<(), Fault> {
    if url.is_none() && path.is_none() {
        Err(table.fault("`url` or `path` is missing"))
    } else {
        Ok(())
    }
}
