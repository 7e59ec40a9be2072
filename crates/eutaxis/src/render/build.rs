//! Builds as text: what is foreseen, what is not permitted, and why one failed.

use eutaxis_core::fault::escaped;

use eutaxis_world::build::Record;

use super::table::{continued, labelled, wrap};
use super::{style, width};
use crate::answer::build::{Failed, Foreseen, Wanted, Way, permits as options};
use crate::typed;
use crate::words::{count, seconds, size};

/// So many lines are told of each kind.
const MOST: usize = 4;

/// A line with its label in a column of the same width as those around it.
fn lined(label: &str, paint: fn(&str) -> String, line: &str, width: usize) -> String {
    const COLUMN: usize = 8;
    let padded = format!("{label:<COLUMN$}");
    let painted = format!(
        "{}{}",
        paint(label),
        " ".repeat(COLUMN.saturating_sub(label.len()))
    );
    labelled(&padded, &painted, line, width)
}

/// A command on lines of its own, in the column of the words.
fn below(command: &str, width: usize) -> String {
    let lines = continued(&escaped(command), width.saturating_sub(10));
    let line = |line: &String| format!("          {line}\n");
    lines.iter().map(line).collect()
}

fn plain(text: &str) -> String {
    text.to_owned()
}

/// What is foreseen of builds, one line for each, with a label.
pub(crate) fn foreseen(all: &[Foreseen], width: usize) -> String {
    let mut text = String::new();
    for one in all {
        text.push_str(&lined("build", style::care, &line(one), width));
    }
    if let Some(line) = missing(all) {
        text.push_str(&lined("missing", style::barred, &line, width));
    }
    text
}

/// How builds that nothing permits are permitted, and what goes without them. `command`: what does
/// it, where it is not the same command once more.
pub(crate) fn permits(all: &[Foreseen], command: Option<&str>, width: usize) -> String {
    let mut text = String::new();
    let permits = options(all);
    if let Some(command) = command {
        let line = "furnish them, which runs what they bring to build them:";
        text.push_str(&lined("try", style::care, line, width));
        text.push_str(&below(command, width));
    } else if !permits.is_empty() {
        let options = typed::line(&permits);
        let options = options.trim_start();
        let line = if all.iter().all(|f| f.is_here) {
            format!(
                "permit it, which runs what they bring to build them: the same command with {options}"
            )
        } else {
            format!(
                "a machine of that kind builds them when it furnishes these pins with {options}, \
                    which runs what they bring"
            )
        };
        text.push_str(&lined("try", style::care, &line, width));
    }
    let wheel = |f: &Foreseen| {
        let version = f.with_wheel.as_ref()?;
        Some(format!("{} {version}", f.project))
    };
    let wheels: Vec<String> = all.iter().filter_map(wheel).collect();
    if !wheels.is_empty() {
        let line = format!("the newest with a wheel here: {}", wheels.join(", "));
        text.push_str(&lined("note", style::dim, &line, width));
    }
    text
}

/// What is foreseen of builds, with the target where there are several.
pub(crate) fn on_targets(all: &[(String, Foreseen)], targets: usize, width: usize) -> String {
    let one = |(target, foreseen): &(String, Foreseen)| {
        let line = if targets > 1 {
            format!("on {}: {}", escaped(target), line(foreseen))
        } else {
            line(foreseen)
        };
        lined("build", style::care, &line, width)
    };
    all.iter().map(one).collect()
}

/// What is foreseen of a build, with its project.
pub(crate) fn line(one: &Foreseen) -> String {
    escaped(&format!(
        "{} {}: {}",
        one.project,
        one.version,
        sentence(one)
    ))
}

/// What was not taken away from a build, in words; none where all was.
pub(crate) fn unconfined(record: &Record) -> Option<String> {
    let missed = ["network", "writing outside"];
    let open: Vec<&str> = missed
        .into_iter()
        .filter(|m| !record.without.iter().any(|w| w == m))
        .collect();
    let open = open.join(" and ").replace("network", "the network");
    (!open.is_empty()).then(|| format!("was not kept from {open}"))
}

/// What is to be known of a wheel that was built.
pub(crate) fn note(record: &Record) -> String {
    let mut notes = Vec::new();
    match record.reproduced {
        Some(true) => notes.push("two builds gave the same bytes".to_owned()),
        Some(false) => notes.push("two builds gave different bytes".to_owned()),
        None => {}
    }
    notes.extend(unconfined(record));
    notes.join("; ")
}

/// What pins a release that has only source, and permits its build.
pub(crate) fn pinned_by(command: &str, width: usize) -> String {
    let mut text = lined("try", style::care, "pin it so:", width);
    text.push_str(&below(command, width));
    text
}

/// That nothing was placed, because nothing permits a build.
pub(crate) fn unpermitted(place: &str, all: &[Foreseen]) -> String {
    let width = width();
    let open = all.iter().filter(|f| f.is_open()).count();
    let head = "Not placed";
    let what = count(open, "project");
    let line = format!(
        "{head}: {what} of the pins must be built from source, which nothing permits; {place} is as it was"
    );
    let mut text = wrap(&line, width)
        .join("\n")
        .replacen(head, &style::barred(head), 1);
    text.push_str("\n\n");
    text.push_str(&foreseen(all, width));
    text.push('\n');
    text.push_str(&permits(all, None, width));
    text
}

/// Why a build failed, and what goes instead.
pub(crate) fn failed(
    failed: &Failed,
    foreseen: Option<&Foreseen>,
    ways: &[Way],
    place: &str,
) -> String {
    let width = width();
    let head = "Not built";
    let Failed {
        project, version, ..
    } = failed;
    let root = failed.causes.first();
    let why = root.map_or_else(|| failed.why.clone(), |c| c.title.clone());
    let line = format!(
        "{head}: {project} {version}: {}; {place} is as it was",
        escaped(&why)
    );
    let mut text = wrap(&line, width)
        .join("\n")
        .replacen(head, &style::barred(head), 1);
    text.push_str("\n\n");
    let mut add = |label: &str, paint: fn(&str) -> String, line: &str| {
        text.push_str(&lined(label, paint, line, width));
    };
    let step = format!("{}: {}", failed.step.words(), escaped(&failed.why));
    add("step", style::dim, &step);
    if let Some(root) = root {
        let (number, line) = &root.line;
        let shown = format!("line {number} of the log: {}", escaped(line));
        add("shown", style::dim, &shown);
        add("because", plain, &escaped(&root.explanation));
    }
    for (number, line) in failed.last.iter().enumerate() {
        let label = if number == 0 { "said" } else { "" };
        add(label, style::dim, &escaped(line));
    }
    for other in failed.causes.iter().skip(1).take(MOST) {
        add(
            "also",
            plain,
            &format!("line {}: {}", other.line.0, escaped(&other.title)),
        );
    }
    if let Some(one) = foreseen {
        add("foreseen", style::dim, &escaped(&sentence(one)));
    }
    if !failed.by.is_empty() {
        let by: Vec<String> = failed.by.iter().map(|(n, v)| format!("{n} {v}")).collect();
        add("built by", style::dim, &by.join(", "));
    }
    if let Some(log) = &failed.log {
        add("log", style::dim, &escaped(&log.display().to_string()));
    }
    text.push('\n');
    let missing: Vec<_> = foreseen.into_iter().flat_map(Foreseen::missing).collect();
    let packages: Vec<&str> = missing
        .iter()
        .filter_map(|w| w.package.as_deref())
        .collect();
    if packages.is_empty() {
        let advice = root.into_iter().flat_map(|r| &r.remedies).take(MOST);
        for remedy in advice {
            text.push_str(&lined("try", style::care, &escaped(remedy), width));
        }
    } else {
        let what = if packages.len() == 1 {
            "package"
        } else {
            "packages"
        };
        let line = format!(
            "install the system {what} {}, and the same command again",
            packages.join(" ")
        );
        text.push_str(&lined("try", style::care, &line, width));
    }
    for way in ways {
        text.push_str(&lined(
            "try",
            style::care,
            &format!("{} (solved):", way.words),
            width,
        ));
        text.push_str(&below(&way.command, width));
    }
    text
}

/// `light`, or the languages that are compiled.
fn kind(foreseen: &Foreseen) -> String {
    if foreseen.is_light {
        return "light: nothing is compiled".to_owned();
    }
    if foreseen.languages.is_empty() {
        return "native code".to_owned();
    }
    format!("native: {}", foreseen.languages.join(", "))
}

/// What is foreseen of a build, in a line.
fn sentence(foreseen: &Foreseen) -> String {
    if let Some(bytes) = foreseen.unlooked {
        return format!(
            "what its build takes is unknown: its archive of {} was not fetched to learn it \
                (--fetch-limit)",
            size(bytes)
        );
    }
    let mut parts = vec![kind(foreseen)];
    match &foreseen.estimate {
        _ if foreseen.is_built => parts.push("built here before".to_owned()),
        Some(estimate) if foreseen.is_light => {
            parts.push(format!("about {}", seconds(estimate.seconds)));
        }
        Some(estimate) => {
            let (time, from) = (seconds(estimate.seconds), &estimate.from);
            parts.push(format!("about {time} ({from})"));
        }
        None if foreseen.is_here => parts.push("how long is unknown".to_owned()),
        None => {}
    }
    if let Some(why) = &foreseen.unreadable {
        return format!("it cannot be built as it is: {}", escaped(why));
    }
    match &foreseen.clash {
        Some(clash) => parts.push(format!("what it is built by cannot be had here: {clash}")),
        None if foreseen.requires.is_empty() => {}
        None => parts.push(format!("built by {}", listed(&foreseen.requires))),
    }
    let wants: Vec<String> = foreseen.wants.iter().map(wanted).collect();
    if !wants.is_empty() {
        parts.push(format!("needs {}", wants.join(", ")));
    }
    parts.join("; ")
}

fn listed(names: &[String]) -> String {
    const MOST: usize = 4;
    let shown = names
        .iter()
        .take(MOST)
        .cloned()
        .collect::<Vec<_>>()
        .join(", ");
    match names.len().checked_sub(MOST).filter(|n| *n > 0) {
        Some(more) => format!("{shown} and {more} more"),
        None => shown,
    }
}

/// What is wanted of the system, and whether it is here.
fn wanted(wanted: &Wanted) -> String {
    let Wanted {
        name,
        here,
        package,
        ..
    } = wanted;
    match (here, package) {
        (Some(true), _) => format!("{name} (here)"),
        (Some(false), Some(package)) => format!("{name} (missing: {package})"),
        (Some(false), None) => format!("{name} (missing)"),
        (None, _) => name.clone(),
    }
}

/// What is missing on this machine for some builds, in a line.
fn missing(all: &[Foreseen]) -> Option<String> {
    let mut told: Vec<String> = Vec::new();
    for wanted in all
        .iter()
        .filter(|f| !f.is_built)
        .flat_map(Foreseen::missing)
    {
        let Wanted {
            name,
            what,
            package,
            project,
            ..
        } = wanted;
        let by = match (package, project) {
            (Some(package), Some(project)) => {
                format!(", in the system package {package}, or in wheels of {project}")
            }
            (Some(package), None) => format!(", in the system package {package}"),
            (None, Some(project)) => format!(", in wheels of {project}"),
            (None, None) => String::new(),
        };
        let line = format!("{name} ({what}{by})");
        if !told.contains(&line) {
            told.push(line);
        }
    }
    (!told.is_empty()).then(|| told.join("; "))
}
