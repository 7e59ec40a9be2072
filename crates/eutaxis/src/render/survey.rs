//! What `survey` found, as text.

use std::path::Path;

use eutaxis_world::environment::{Fault, Listed};

use super::table::{Table, labelled, wrap};
use super::{style, width};
use crate::answer::survey::{NOT_ON_PATH, Report};
use crate::words::{count, near, size};

pub(crate) fn text(report: &Report) -> String {
    let width = width();
    let head = match &report.stand_in {
        Some(root) => format!("The machine under {}:", near(root)),
        None => "This machine:".to_owned(),
    };
    let line = format!("{head} {}", report.machine_words());
    let mut text = format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::strong(&head), 1)
    );
    if let Some(has) = &report.resources {
        let memory = has.memory.map(|m| format!("{} of memory", size(m)));
        let free = has.free.map(|f| format!("{} free here", size(f)));
        let rights = match (has.writable, has.elevated) {
            (false, _) => Some("nothing may be written here".to_owned()),
            (true, true) => Some("with all rights (root)".to_owned()),
            (true, false) => None,
        };
        let all = [Some(count(has.cores, "core")), memory, free, rights];
        let line = all.into_iter().flatten().collect::<Vec<_>>().join(", ");
        text.insert_str(
            text.trim_end().len() + 1,
            &format!("{}\n", wrap(&line, width).join("\n")),
        );
    }
    if let Some((folder, listed)) = &report.environments {
        text.push_str(&environments(folder, listed, width));
        text.push('\n');
    }
    text.push_str(&interpreters(report, width));
    if !report.accelerators.is_empty() {
        text.push('\n');
        text.push_str(&accelerators(report, width));
    }
    if let Some(target) = &report.target {
        text.push('\n');
        text.push_str(&labelled(
            "As a target:",
            "As a target:",
            &target.to_string(),
            width,
        ));
    }
    for caution in &report.cautions {
        text.push('\n');
        text.push_str(&labelled(
            "caution",
            &style::care("caution"),
            caution,
            width,
        ));
    }
    if let Some(tags) = &report.tags {
        text.push_str(&format!(
            "\n{} wheel tags are accepted, best first:\n",
            tags.len()
        ));
        for tag in tags {
            text.push_str(&format!("{tag}\n"));
        }
    }
    if let Some(saved) = &report.saved {
        text.push_str(&format!("\nwrote {saved}\n"));
    }
    text
}

fn interpreters(report: &Report, width: usize) -> String {
    if report.interpreters.is_empty() {
        return "No Python interpreter was found.\n".to_owned();
    }
    let mut table = Table::new(&["  interpreter", "version", "abi", "kind", "where"]);
    for found in &report.interpreters {
        let mark = if found.default { "*" } else { " " };
        table.row([
            format!("{mark} {}", found.name),
            found.version.clone(),
            found.abi.clone(),
            found.kind.clone(),
            found.path.clone(),
        ]);
    }
    let mut text = table.text(width);
    if report.interpreters.iter().any(|i| i.default) {
        let place = if report.stand_in.is_some() {
            "there"
        } else {
            "here"
        };
        let others = report.other_names();
        let more = if others.is_empty() {
            String::new()
        } else {
            format!("; {}", others.join(", "))
        };
        let line = format!("* is what the bare name `python3` starts {place}{more}.");
        text.push_str(&format!(
            "\n{}\n",
            style::dim(&wrap(&line, width).join("\n"))
        ));
    }
    let mut homes = report.interpreters.iter();
    if let Some(newest) = homes.rfind(|i| i.kind == NOT_ON_PATH) {
        let folder = newest.full_path.parent().unwrap_or(Path::new(""));
        let line = format!(
            "One that is not on PATH is named by its version (--interpreter {}), or put first:",
            newest.version
        );
        let put = crate::typed::quoted(&folder.display().to_string());
        text.push_str(&format!(
            "\n{}\n  export PATH={put}:$PATH\n",
            style::dim(&wrap(&line, width).join("\n"))
        ));
    }
    text
}

fn accelerators(report: &Report, width: usize) -> String {
    let mut table = Table::new(&[
        "accelerator",
        "driver",
        "runs up to",
        "toolkits installed",
        "devices",
    ]);
    for found in &report.accelerators {
        let one = &found.accelerator;
        let told = |text: Option<String>| text.unwrap_or_else(|| "-".to_owned());
        let toolkits: Vec<String> = found.toolkits.iter().map(ToString::to_string).collect();
        let models = if found.models.is_empty() {
            String::new()
        } else {
            format!(" ({})", found.models.join(", "))
        };
        let devices = match (one.devices.join(", "), found.unusable) {
            (devices, None) if devices.is_empty() && models.is_empty() => {
                "there; generation not told".to_owned()
            }
            (devices, None) if devices.is_empty() => found.models.join(", "),
            (devices, None) => format!("{devices}{models}"),
            (_, Some(why)) => format!("not usable: {why}"),
        };
        table.row([
            one.family.name.clone(),
            told(one.driver.as_ref().map(ToString::to_string)),
            told(found.highest_toolkit.as_ref().map(ToString::to_string)),
            if toolkits.is_empty() {
                "none".to_owned()
            } else {
                toolkits.join(", ")
            },
            devices,
        ]);
    }
    let mut text = table.text(width);
    let found = report.accelerators.iter();
    let libraries: Vec<String> = found.flat_map(|f| f.library_words()).collect();
    if !libraries.is_empty() {
        let line = format!(
            "{} of the system: wheels bring their own",
            libraries.join(", ")
        );
        text.push_str(&labelled(
            "libraries",
            &style::dim("libraries"),
            &line,
            width,
        ));
    }
    text
}

fn environments(folder: &Path, listed: &[Listed], width: usize) -> String {
    if listed.is_empty() {
        return format!("No environment was found below {}.\n", near(folder));
    }
    let broken = listed.iter().filter(|l| !l.faults.is_empty()).count();
    let whole = if broken == 0 {
        "all whole".to_owned()
    } else {
        format!("{broken} broken")
    };
    let sizes = |f: fn(&Listed) -> u64| listed.iter().map(f).sum::<u64>();
    let (all, own) = (sizes(|l| l.size.whole), sizes(|l| l.size.own));
    let head = format!(
        "{} below {}",
        count(listed.len(), "environment"),
        near(folder)
    );
    let line = format!(
        "{head}: {whole}; {} in all, of which {} are shared with nothing",
        size(all),
        size(own)
    );
    let mut text = format!(
        "{}\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::strong(&head), 1)
    );
    let here = std::env::current_dir().unwrap_or_default();
    let mut table = Table::new(&[
        "environment",
        "python",
        "projects",
        "size",
        "own",
        "state",
        "for",
    ]);
    for one in listed {
        let words: Vec<String> = one.faults.iter().map(fault).collect();
        let state = match (words.is_empty(), one.active) {
            (false, _) => format!("broken: {}", words.join("; ")),
            (true, true) => "whole, active".to_owned(),
            (true, false) => "whole".to_owned(),
        };
        let shares = if one.shares_system {
            "; sees the system's packages"
        } else {
            ""
        };
        table.row([
            near(&one.root),
            one.version.clone().unwrap_or_else(|| "?".to_owned()),
            one.projects.to_string(),
            size(one.size.whole).replace(' ', "\u{a0}"),
            size(one.size.own).replace(' ', "\u{a0}"),
            format!("{state}{shares}"),
            one.project.as_deref().map_or("-".to_owned(), |p| {
                if p == here {
                    "this folder".to_owned()
                } else {
                    near(p)
                }
            }),
        ]);
    }
    text.push_str(&table.text(width));
    text
}

/// Why an environment is not whole, and what mends it.
fn fault(fault: &Fault) -> String {
    match fault {
        Fault::BaseGone(base) => format!(
            "its base interpreter {} is gone; furnish it again",
            base.display()
        ),
        Fault::Moved(from) => format!(
            "it was made at {}: its scripts lead there; furnish it again",
            from.display()
        ),
        Fault::Gone => "active, and its folder is gone; leave it (deactivate)".to_owned(),
        Fault::NoInterpreter => "it has no interpreter; furnish it again".to_owned(),
    }
}
