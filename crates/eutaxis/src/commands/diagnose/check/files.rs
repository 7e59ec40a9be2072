//! The file that a log names, where it is here: what it is, before the message is believed.

use std::path::{Path, PathBuf};

use eutaxis_core::binary::{Binary, Format};
use eutaxis_core::diagnose::Cause;
use eutaxis_core::fault::escaped;
use eutaxis_core::knowledge::Confidence;
use eutaxis_core::targets::System;
use eutaxis_world::Error;
use eutaxis_world::look::{Looked, look, without_execution};
use eutaxis_world::root::root;

use super::{Checked, Checker};
use crate::words::near;

/// The longest beginning of a text that is told.
const LONGEST: usize = 60;

pub(super) fn check(
    checker: &Checker<'_>,
    cause: &mut Cause,
    checked: &mut Checked,
) -> Result<(), Error> {
    let Some(path) = cause
        .facts
        .get("path")
        .filter(|_| checker.is_of_here(cause))
    else {
        return Ok(());
    };
    let Some(file) = place(checker, &path) else {
        return Ok(());
    };
    let shown = near(&file);
    let is = |text: &str| format!("{shown} {text}");
    let now = match look(&file) {
        Looked::Absent if file.parent().is_some_and(Path::is_dir) => {
            checked.say(is("is not there now"));
            None
        }
        Looked::Absent | Looked::Folder | Looked::Other => None,
        Looked::Unreadable(why) => {
            checked.say(is(&format!("is there, and cannot be read: {why}")));
            Some("not-permitted")
        }
        Looked::Empty => {
            checked.say(is("is there and empty: it was not written to the end"));
            Some("file-corrupt")
        }
        Looked::Damaged(why) => {
            checked.say(is(&format!("is no whole compiled file: {why}")));
            Some("file-corrupt")
        }
        Looked::Text(first) if is_library(&path) => {
            let first: String = first.chars().take(LONGEST).collect();
            checked.say(is(&format!(
                "is text, which begins `{}`: a page, or a pointer to the file, lies in its place",
                escaped(&first)
            )));
            Some("file-corrupt")
        }
        Looked::Text(_) => None,
        Looked::Script(program, true) => {
            checked.say(is(&format!(
                "is a script for {}, which is there",
                near(&program)
            )));
            None
        }
        Looked::Script(program, false) => {
            let program = near(&program);
            checked.say(is(&format!("starts with {program}, which is not there")));
            cause.facts.set("path", program);
            Some("module-absent")
        }
        Looked::Compiled(parts) => compiled(checker, cause, &shown, &parts, checked)?,
    };
    if let Some(mount) = without_execution(&file) {
        checked.say(is(&format!(
            "lies on {}, from which nothing may be run (noexec)",
            mount.display()
        )));
        become_cause(cause, "not-permitted");
    } else if let Some(id) = now {
        become_cause(cause, id);
    }
    tell_owner(checker, cause, &file, checked);
    Ok(())
}

/// What is seen at the file counts more than the words of a message.
fn become_cause(cause: &mut Cause, id: &str) {
    cause.confidence = Confidence::High;
    if cause.id != id {
        id.clone_into(&mut cause.id);
    }
}

/// Where a path of a log lies here; what is relative only where it is found from this folder, or
/// from the environment that was named.
fn place(checker: &Checker<'_>, path: &str) -> Option<PathBuf> {
    if path.contains('\\') {
        return None;
    }
    if path.starts_with('/') {
        return Some(root().join(path.trim_start_matches('/')));
    }
    let environment = checker.snapshot.as_ref().map(|s| PathBuf::from(&s.root));
    let above = environment
        .as_deref()
        .and_then(Path::parent)
        .map(Path::to_owned);
    let from = [std::env::current_dir().ok(), above, environment];
    let mut places = from.into_iter().flatten().map(|folder| folder.join(path));
    places.find(|place| place.is_file())
}

fn is_library(path: &str) -> bool {
    let name = path.rsplit('/').next().unwrap_or(path);
    eutaxis_world::wheel::is_named_compiled(name)
}

/// Whether a system loads compiled files of a form.
fn loads(system: System, format: Format) -> bool {
    match system {
        System::Linux(_) => format == Format::Elf,
        System::Macos(..) => format == Format::MachO,
        System::Windows => format == Format::Pe,
    }
}

/// What a compiled file is for, against where it is to run.
fn compiled(
    checker: &Checker<'_>,
    cause: &mut Cause,
    shown: &str,
    parts: &[Binary],
    checked: &mut Checked,
) -> Result<Option<&'static str>, Error> {
    let spot = checker.spot(cause)?;
    let platform = &spot.target.platform;
    let runs =
        |part: &Binary| loads(platform.system, part.format) && platform.loads_arch(&part.arch);
    let Some(part) = parts.iter().find(|p| runs(p)) else {
        let made: Vec<String> = parts
            .iter()
            .map(|p| format!("{} {}", p.format.system(), p.arch))
            .collect();
        let made = made.join(" and ");
        checked.say(format!(
            "{shown} is compiled for {made}; {} is {platform}",
            spot.shown
        ));
        cause.facts.set("architecture", made);
        cause.facts.set("wanted", platform.arch().to_owned());
        return Ok(Some("wrong-architecture"));
    };
    let loader = part.loader.as_ref();
    let absent = loader.filter(|l| !root().join(l.trim_start_matches('/')).exists());
    if let Some(loader) = absent {
        checked.say(format!(
            "{shown} is there, and asks for the loader {loader}, which is not: it was built for \
                another C library or processor"
        ));
        cause
            .facts
            .set("architecture", format!("the loader {loader}"));
        cause.facts.set("wanted", platform.to_string());
        return Ok(Some("wrong-architecture"));
    }
    if cause.id == "wrong-architecture" {
        checked.say(format!(
            "{shown} itself is compiled for {}, as it must be",
            part.arch
        ));
    }
    Ok(None)
}

/// Whose file it is.
fn tell_owner(checker: &Checker<'_>, cause: &mut Cause, file: &Path, checked: &mut Checked) {
    let Some(snapshot) = checker.snapshot.as_ref() else {
        return;
    };
    let path = file.to_string_lossy();
    let owns = |p: &&eutaxis_core::examine::Project| p.files.iter().any(|f| f.path == *path);
    if let Some(owner) = snapshot.projects.iter().find(owns) {
        let version = owner
            .version
            .as_ref()
            .map_or(String::new(), |v| format!(" {v}"));
        checked.say(format!("it belongs to {}{version}", owner.name));
        cause.facts.set("project", owner.name.as_str());
    }
}
