//! Repositories by the system's git: one revision, as little history as that takes, with its
//! submodules.

use std::path::Path;
use std::process::{Command, Stdio};

use eutaxis_core::artifact::Repository;
use eutaxis_core::fault::escaped;

use super::At;
use super::pack::{Packed, pack, place_of};
use crate::error::Doing;
use crate::hash::sha256_hex;
use crate::network::without_secret;
use crate::{Error, ErrorKind, Result};

/// The repository at its revision, packed.
pub(super) fn packed(root: &Path, repository: &Repository, offline: bool) -> Result<At> {
    let shown = without_secret(&repository.url);
    if let Some(commit) = repository.revision.as_deref().filter(|r| is_commit(r)) {
        let identity = identity_of(repository, commit);
        let archive = place_of(root, &identity);
        if archive.is_file() {
            let packed = Packed { archive, identity };
            return Ok(At {
                commit: commit.to_owned(),
                packed,
            });
        }
    }
    let is_here = repository.url.starts_with("file://");
    if offline && !is_here {
        let error = Error::new(
            ErrorKind::Network,
            format!("without the network {shown} cannot be looked into"),
        );
        return Err(error.help("ask for a whole commit that was fetched before: @COMMIT"));
    }
    let away = root.join("tmp");
    std::fs::create_dir_all(&away).doing("cannot make the folder", &away)?;
    let folder = tempfile::tempdir_in(&away).doing("cannot write in", &away)?;
    let work = Work {
        folder: folder.path(),
        shown: &shown,
    };
    work.run(&["init", "-q"])?;
    work.fetched(repository)?;
    work.run(&["checkout", "-q", "--detach", "FETCH_HEAD"])?;
    work.run(&[
        "submodule",
        "update",
        "-q",
        "--init",
        "--recursive",
        "--depth",
        "1",
    ])?;
    let commit = work.run(&["rev-parse", "HEAD"])?.trim().to_owned();
    let inside = match &repository.subdirectory {
        Some(inside) => folder.path().join(inside),
        None => folder.path().to_owned(),
    };
    if !inside.is_dir() {
        let inside = repository.subdirectory.as_deref().unwrap_or_default();
        return Err(Error::request(format!(
            "{shown} has no folder {} at {commit}",
            escaped(inside)
        )));
    }
    let identity = identity_of(repository, &commit);
    let packed = pack(root, &inside, Some(&identity))?;
    Ok(At { commit, packed })
}

fn is_commit(text: &str) -> bool {
    matches!(text.len(), 40 | 64) && text.bytes().all(|b| b.is_ascii_hexdigit())
}

/// By what a commit is known, whatever address it came from.
fn identity_of(repository: &Repository, commit: &str) -> String {
    let inside = repository.subdirectory.as_deref().unwrap_or("");
    sha256_hex(format!("git {commit} {inside}").as_bytes())
}

/// A repository that is being fetched.
struct Work<'a> {
    folder: &'a Path,
    shown: &'a str,
}

impl Work<'_> {
    /// Fetches the revision alone where the server gives it so, else all that it may be in.
    fn fetched(&self, repository: &Repository) -> Result<()> {
        let url = repository.url.as_str();
        let Some(revision) = repository.revision.as_deref() else {
            return self
                .run(&["fetch", "-q", "--depth", "1", "--", url, "HEAD"])
                .map(|_| ());
        };
        // A tag keeps its name, which projects tell their version by.
        let tag = format!("refs/tags/{revision}:refs/tags/{revision}");
        for wanted in [tag.as_str(), revision] {
            let fetch = ["fetch", "-q", "--depth", "1", "--", url, wanted];
            if self.run(&fetch).is_ok() {
                return Ok(());
            }
        }
        self.run(&[
            "fetch",
            "-q",
            "--tags",
            "--",
            url,
            "+refs/heads/*:refs/remotes/o/*",
        ])?;
        let found = self
            .run(&[
                "rev-parse",
                "-q",
                "--verify",
                &format!("{revision}^{{commit}}"),
            ])
            .map_err(|_| {
                let error = Error::request(format!(
                    "{} has no revision {}",
                    self.shown,
                    escaped(revision)
                ));
                error.help("name a branch, a tag or a commit that it has")
            })?;
        self.run(&["fetch", "-q", "--", ".", found.trim()])
            .map(|_| ())
    }

    /// Runs git in the folder: what it printed.
    fn run(&self, words: &[&str]) -> Result<String> {
        let ran = Command::new("git")
            .args([
                "-c",
                "protocol.ext.allow=never",
                "-c",
                "core.fsmonitor=false",
            ])
            .args([
                "-c",
                "advice.detachedHead=false",
                "-c",
                "init.defaultBranch=main",
            ])
            .args(words)
            .current_dir(self.folder)
            // It asks nobody: who may have it is settled before.
            .env("GIT_TERMINAL_PROMPT", "0")
            .env("LC_ALL", "C")
            .env_remove("GIT_DIR")
            .env_remove("GIT_WORK_TREE")
            .env_remove("GIT_INDEX_FILE")
            .stdin(Stdio::null())
            .output();
        let ran = match ran {
            Ok(ran) => ran,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
                let error = Error::request(format!(
                    "{} is a repository, and git is not on this machine",
                    self.shown
                ));
                return Err(
                    error.help("place git by the system's own means, or ask for an archive")
                );
            }
            Err(e) => return Err(Error::request(format!("git cannot be started: {e}"))),
        };
        if ran.status.success() {
            return Ok(String::from_utf8_lossy(&ran.stdout).into_owned());
        }
        let told = String::from_utf8_lossy(&ran.stderr);
        let line = told
            .lines()
            .rev()
            .find(|l| l.starts_with("fatal:") || l.starts_with("error:"))
            .or_else(|| told.lines().last())
            .unwrap_or("it does not say why");
        let line = escaped(&without_secret(line.trim_start_matches("fatal:").trim()));
        let error = Error::new(
            ErrorKind::Network,
            format!("the repository {} cannot be had: {line}", self.shown),
        );
        Err(error.help("look at its address, and whether you may read it:  git ls-remote URL"))
    }
}
