//! Why a release was chosen, as text and for programs.

use std::collections::BTreeMap;

use eutaxis_core::record;
use eutaxis_core::solve::Solution;
use eutaxis_core::{Name, Version};

use super::table::{Table, labelled, wrap};
use super::{clash, style, ways, width};
use crate::answer::clash::Refusal;
use crate::answer::reason::{Branch, Learnt, Moved, Report, Tree};
use crate::words::{count, day};

/// So many newer releases are told.
const MOST_NEWER: usize = 8;

pub(crate) fn text(report: &Report) -> String {
    let width = width();
    let mut text = headline(report, width);
    text.push_str(&format!("\n{}\n", style::strong("who asks for it")));
    for (_, steps) in &report.chains {
        let line = steps.join("\u{a0}\u{a0}-> ");
        for (i, part) in wrap(&line, width.saturating_sub(4)).iter().enumerate() {
            text.push_str(&format!("{}{part}\n", if i == 0 { "  " } else { "    " }));
        }
    }
    if report.chains.is_empty() {
        text.push_str("  the pins do not record it\n");
    }
    if !report.bounds.is_empty() {
        let mut table = Table::new(&["", "who", "bound", "leaves"]);
        for bound in &report.bounds {
            let leaves = match &bound.left {
                Some(_) if bound.count == bound.of => format!("all {}", bound.of),
                Some((a, z)) if a == z => format!("{a} alone of {}", bound.of),
                Some((a, z)) => format!("{a} to {z}: {} of {}", bound.count, bound.of),
                None => String::new(),
            };
            table.row([
                String::new(),
                bound.by.clone(),
                bound.requirement.clone(),
                leaves,
            ]);
        }
        text.push_str(&format!("\n{}\n", style::strong("what is asked of it")));
        text.push_str(&table.text(width));
    }
    if !report.newer.is_empty() {
        let mut table = Table::new(&["", "newer", "published", "kept out by"]);
        for newer in report.newer.iter().take(MOST_NEWER) {
            let lead = if newer.by_choices {
                "the choices made before it: "
            } else {
                ""
            };
            let out = format!("{lead}{}", newer.out.join("; "));
            table.row([
                String::new(),
                newer.version.clone(),
                newer.published.clone().unwrap_or("-".into()),
                out,
            ]);
        }
        text.push('\n');
        text.push_str(&table.text(width));
        let more = report.newer.len().saturating_sub(MOST_NEWER);
        if more > 0 {
            text.push_str(&format!(
                "  and {more} more newer than {}\n",
                report.version
            ));
        }
    }
    for adjusted in &report.adjusted {
        text.push('\n');
        text.push_str(&labelled(
            "adjusted",
            &style::care("adjusted"),
            adjusted,
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
    if report.recorded {
        text.push('\n');
        let told = "from what the pins recorded; with a depot named it is looked up afresh";
        text.push_str(&style::dim_lines(&format!(
            "{}\n",
            wrap(told, width).join("\n")
        )));
    }
    text
}

fn headline(report: &Report, width: usize) -> String {
    let head = format!("{} {}", report.project, report.version);
    let newest = match report.newer.first() {
        None => "the newest there is".to_owned(),
        Some(newest) => match newest.out.first() {
            Some(why) if !newest.by_choices => format!("newest is {}, out: {why}", newest.version),
            _ => format!(
                "newest is {}, which does not go with the choices made before",
                newest.version
            ),
        },
    };
    let line = format!("{head}: {newest}");
    format!(
        "{}\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::strong(&head), 1)
    )
}

pub(crate) fn not_here(name: &Name, near: &[&str], of: usize) -> String {
    let head = format!("{name} is not among the pins ({})", count(of, "project"));
    let advice = match near {
        [] => "nothing that is asked for needs it".to_owned(),
        names => format!(
            "nothing that is asked for needs it; names like it: {}",
            names.join(", ")
        ),
    };
    format!("{}: {advice}\n", style::barred(&head))
}

pub(crate) fn no_such_version(name: &Name, other: &Version, near: &[String]) -> String {
    let head = format!("There is no {name} {other}");
    format!(
        "{}: the nearest are {}\n",
        style::barred(&head),
        near.join(", ")
    )
}

/// What is different in a solution.
pub(crate) fn moves(solution: &Solution, before: &BTreeMap<Name, Version>) -> Vec<Moved> {
    let after: BTreeMap<&Name, &Version> = solution
        .chosen
        .iter()
        .map(|c| (&c.project, &c.version))
        .collect();
    let mut names: Vec<&Name> = before.keys().chain(after.keys().copied()).collect();
    names.sort();
    names.dedup();
    let moved = names.into_iter().map(|n| {
        (
            n.to_string(),
            before.get(n).map(ToString::to_string),
            after.get(n).map(|v| v.to_string()),
        )
    });
    moved.filter(|(_, before, after)| before != after).collect()
}

/// Another version can be had: what moves.
pub(crate) fn can_be_had(name: &Name, version: &str, other: &Version, moves: &[Moved]) -> String {
    let width = width();
    let head = format!("{name} {other} can be had instead of {version}");
    let line = format!(
        "{head}: ask for  {name}=={other}  ({} would move)",
        count(moves.len(), "project")
    );
    let mut text = format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::good(&head), 1)
    );
    let mut table = Table::new(&["project", "now", "then"]);
    for (project, before, after) in moves {
        let told = |v: &Option<String>| v.clone().unwrap_or("-".to_owned());
        table.row([project.clone(), told(before), told(after)]);
    }
    text.push_str(&table.text(width));
    text
}

/// Another version cannot be had: what would have to give.
pub(crate) fn instead(
    refusal: &Refusal<'_>,
    name: &Name,
    version: &str,
    other: &Version,
) -> String {
    let width = width();
    let head = format!("{name} {other} cannot be had instead of {version}");
    let facts = refusal.clash.facts.len();
    let give = if refusal.ways.is_empty() {
        ""
    } else {
        " What would have to give stands below."
    };
    let line = format!("{head}: {facts} facts clash.{give}");
    let mut text = format!(
        "{}\n\n",
        wrap(&line, width)
            .join("\n")
            .replacen(&head, &style::barred(&head), 1)
    );
    text.push_str(&clash::facts(refusal.clash, width));
    text.push('\n');
    if refusal.ways.is_empty() {
        text.push_str("no change of yours that was tried makes room for it\n");
    } else {
        text.push_str(&ways::text(
            refusal.ways,
            &refusal.edits,
            &refusal.builds,
            std::slice::from_ref(name),
            width,
        ));
    }
    text
}

/// What proofs of pins learnt, as entries that can be put into the settings.
pub(crate) fn learnt(learnt: &Learnt) -> String {
    let width = width();
    let proven = match &learnt.proof {
        Some(proof) => {
            let by = proof.interpreter.as_ref();
            let by = by.map_or(String::new(), |i| format!(" by {i}"));
            format!("{} on {}{by}", proof.level, day(proof.at))
        }
        None => "declared: nobody looked into them".to_owned(),
    };
    let number = match learnt.lessons.len() {
        0 => "Nothing was learnt".to_owned(),
        1 => "1 fact was learnt".to_owned(),
        n => format!("{n} facts were learnt"),
    };
    let line = format!("{number} with {} ({proven})", learnt.pins);
    let mut text = format!("{}\n", wrap(&line, width).join("\n"));
    for lesson in &learnt.lessons {
        let toml::Value::Table(mut table) = record::adjustment(lesson) else {
            continue;
        };
        // How it was learnt goes with the reason: the settings know no other place for it.
        let rests = lesson.learnt.map_or(String::new(), |l| {
            format!(" ({}, {})", l.evidence, day(l.on))
        });
        let because = format!("{}{rests}", lesson.because);
        table.remove("evidence");
        table.remove("on");
        table.insert("because".into(), toml::Value::String(because));
        text.push_str(&format!("\n[[adjust]]\n{table}"));
    }
    if !learnt.lessons.is_empty() {
        let advice = "for other pins as well: put these lines into eutaxis.toml";
        text.push('\n');
        text.push_str(&labelled("note", &style::dim("note"), advice, width));
    }
    text
}

/// Who needs what, indented: one project a line.
pub(crate) fn tree(tree: &Tree, pins: &str) -> String {
    let width = width();
    let mut text = String::new();
    let told = |head: String, branches: &[Branch]| {
        let mut table = Table::new(&["project", "release", "as", "where"]);
        for one in branches {
            rows(one, 0, &mut table);
        }
        format!("{}\n{}", style::strong(&head), table.text(width))
    };
    match &tree.project {
        None => text.push_str(&told(
            format!("What {pins} holds, from what is asked"),
            &tree.branches,
        )),
        Some(project) => {
            text.push_str(&told(format!("Who asks for {project}"), &tree.askers));
            if tree.branches.is_empty() {
                text.push_str(&format!("\n{project} needs nothing else\n"));
            } else {
                text.push_str(&format!(
                    "\n{}",
                    told(format!("What {project} needs"), &tree.branches)
                ));
            }
        }
    }
    text
}

fn rows(branch: &Branch, depth: usize, table: &mut Table) {
    let lead = "\u{a0}\u{a0}".repeat(depth);
    let mark = match (branch.is_seen, branch.is_cut) {
        (true, _) => "see above",
        (false, true) => "deeper: --depth",
        (false, false) => "",
    };
    let place = branch.by.as_deref().unwrap_or(mark);
    table.row([
        format!("{lead}{}", branch.project),
        branch.version.clone().unwrap_or_default(),
        branch.requirement.clone(),
        place.to_owned(),
    ]);
    for below in &branch.branches {
        rows(below, depth + 1, table);
    }
}
