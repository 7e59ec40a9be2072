//! Which depots there are, whether they answer, and what they can do, as text.

use eutaxis_core::fault::escaped;
use eutaxis_world::depot::{Abilities, Address, DepotKind};

use eutaxis_world::network::without_versions;

use crate::answer::depots::{Depot, Depots, State};
use crate::plan::DepotFrom;
use crate::words::{count, near};

use super::table::{labelled, labelled_command, wrap};
use super::{style, width};

/// Columns before what a row says.
const INDENT: usize = 9;

fn verdict(found: &Depots) -> String {
    if let (Some(path), Some(depot)) = (&found.kept, found.all.first()) {
        let called = depot.name.as_ref().map(|n| format!(" as `{n}`"));
        let called = called.unwrap_or_default();
        return format!("Kept{called} in {}.", path.display());
    }
    let (all, silent) = (
        found.all.len(),
        (found.all.iter())
            .filter(|d| d.answers() == Some(false))
            .count(),
    );
    let unasked = found.all.iter().filter(|d| d.answers().is_none()).count();
    match (all, silent) {
        (0, _) => "No depot is named: there is no place to look for files.".to_owned(),
        (1, 1) => "The depot does not answer.".to_owned(),
        (_, 1) => format!("1 of {} does not answer.", count(all, "depot")),
        (_, 2..) => format!("{silent} of {} do not answer.", count(all, "depot")),
        (1, 0) if unasked == 1 => "1 depot, not asked without the network.".to_owned(),
        (_, 0) if unasked > 0 => {
            format!(
                "{}, {unasked} not asked without the network.",
                count(all, "depot")
            )
        }
        (1, 0) => "The depot answers.".to_owned(),
        (_, 0) => format!("All {all} depots answer."),
    }
}

pub(crate) fn text(found: &Depots) -> String {
    let width = width();
    let verdict = wrap(&verdict(found), width).join("\n");
    let bad = found.all.is_empty() || found.all.iter().any(|d| d.answers() == Some(false));
    let verdict = match bad {
        true => style::barred(&verdict),
        false => style::good(&verdict),
    };
    let mut text = format!("{verdict}\n");
    for (at, depot) in found.all.iter().enumerate() {
        text.push('\n');
        text.push_str(&one(at + 1, depot, found, width));
    }
    if found.all.is_empty() {
        text.push('\n');
        text.push_str(&none(found, width));
    }
    text
}

/// How one is named, where there is none.
fn none(found: &Depots, width: usize) -> String {
    let mut text = labelled_command("for good ", "eutaxis depots --keep URL", width);
    text.push_str(&labelled_command(
        "this time",
        "eutaxis settle PROJECT --depot URL",
        width,
    ));
    let about = "URL is an index (https://HOST/simple/), a page of links, or on this disk a folder of \
        wheels or an index tree. EUTAXIS_DEPOT holds one for a shell.";
    text.push_str(&format!("\n{}\n", wrap(about, width).join("\n")));
    if !found.settings.is_empty() {
        let files: Vec<String> = found.settings.iter().map(|p| near(p)).collect();
        let read = format!("Settings that were read: {}.", files.join(", "));
        text.push_str(&format!("{}\n", wrap(&read, width).join("\n")));
    }
    text
}

fn one(at: usize, depot: &Depot, found: &Depots, width: usize) -> String {
    let row = |label: &str, says: &str| {
        let label = format!("   {label:INDENT$}");
        labelled(&label, &style::dim(&label), &escaped(says), width)
    };
    let name = depot.name.as_deref().map(|n| format!("{n}  "));
    let name = style::strong(&escaped(name.as_deref().unwrap_or_default()));
    let mut text = String::new();
    let from = match &depot.from {
        DepotFrom::Option => "--depot".to_owned(),
        DepotFrom::Variable => "EUTAXIS_DEPOT".to_owned(),
        DepotFrom::Settings(path) => near(path),
    };
    match &depot.state {
        State::Unasked(places) => {
            text.push_str(&format!("{at}  {name}{}\n", escaped(&places.join(", "))));
            text.push_str(&row("from", &from));
            text.push_str(&row("answers", "not asked: --offline"));
        }
        State::Unopened(places, error) => {
            text.push_str(&format!("{at}  {name}{}\n", escaped(&places.join(", "))));
            text.push_str(&row("from", &from));
            text.push_str(&silence(error, &row));
        }
        State::Asked(addresses) => {
            for (place, address) in addresses.iter().enumerate() {
                let lead = match place {
                    0 => format!("{at}  {name}"),
                    _ => "   ".to_owned(),
                };
                text.push_str(&format!("{lead}{}\n", escaped(&address.address)));
                if place == 0 {
                    text.push_str(&row("from", &from));
                }
                text.push_str(&standing(address, depot, found, &row));
            }
        }
    }
    if !depot.only.is_empty() {
        let only: Vec<&str> = depot.only.iter().map(|n| n.as_str()).collect();
        let serves = format!("only {}, which no other depot serves", only.join(", "));
        text.push_str(&row("serves", &serves));
    }
    text
}

/// Why it does not answer.
fn silence(error: &eutaxis_world::Error, row: &dyn Fn(&str, &str) -> String) -> String {
    let mut text = row("answers", &format!("no: {}", error.message));
    let advice = error.help.as_deref().map_or("", without_versions);
    if !advice.is_empty() {
        text.push_str(&row("try", advice));
    }
    text
}

fn standing(
    address: &Address,
    depot: &Depot,
    found: &Depots,
    row: &dyn Fn(&str, &str) -> String,
) -> String {
    let can = match &address.found {
        Ok(can) => can,
        Err(error) => return silence(error, row),
    };
    let login = match &address.login {
        Some(from) => format!(", with the login of {from}"),
        None => String::new(),
    };
    let open = match address.address.starts_with("http://") {
        true => ", over http://: what comes can be read and changed on the way",
        false => "",
    };
    let kind = match can.kind {
        DepotKind::Index => "an index",
        DepotKind::Links => "a page of links",
        DepotKind::Tree => "an index tree",
        DepotKind::Folder => "a folder of files",
    };
    let took = match address.is_remote {
        true => format!(", in {} ms", address.took.as_millis().max(1)),
        false => String::new(),
    };
    let mut text = row("answers", &format!("{kind}{took}{login}{open}"));
    let (gives, lacks) = abilities(can, depot);
    let by = can.page.as_ref();
    let by = by.map(|page| format!("  (the page of {page} shows it)"));
    let gives = match gives.is_empty() {
        true => "files alone".to_owned(),
        false => gives.join(", "),
    };
    text.push_str(&row("gives", &format!("{gives}{}", by.unwrap_or_default())));
    text.extend(lacks.iter().map(|lack| row("lacks", lack)));
    if let Some(asked) = &found.asked
        && can.page.as_ref() != Some(asked)
    {
        text.push_str(&row("lacks", &format!("{asked}: it has no such project")));
    }
    text
}

/// What it gives, and what it lacks with what follows from that.
fn abilities(can: &Abilities, depot: &Depot) -> (Vec<String>, Vec<String>) {
    if can.page.is_none() {
        return (
            vec!["an answer".to_owned()],
            vec!["a page that shows what it can do:  eutaxis depots PROJECT".to_owned()],
        );
    }
    let mut gives = Vec::new();
    let mut lacks = Vec::new();
    let mut tell = |can: bool, what: &str, without: &str| match can {
        true => gives.push(what.to_owned()),
        false => lacks.push(without.to_owned()),
    };
    if let Some(json) = can.json {
        tell(json, "JSON", "JSON: an HTML page tells no sizes and dates");
    }
    if let Some(ranges) = can.ranges {
        let without = "parts of files: what a release needs costs the whole file, where no metadata \
            lies beside it";
        tell(ranges, "parts of files", without);
        let without = "metadata beside files: what a wheel needs is read from parts of it";
        tell(can.sidecars, "metadata beside files", without);
    }
    let without = match depot.asks_dates {
        true => "dates: they are asked of the other depots (ask-dates)",
        false => {
            "dates: --as-of and the order of time do not count here (ask-dates = true in its \
            entry asks the others)"
        }
    };
    tell(can.dates, "dates", without);
    match can.hashes.is_empty() {
        // On this disk the files themselves tell.
        true if can.kind == DepotKind::Folder => {}
        true => lacks.push("hashes: files are pinned by what comes".to_owned()),
        false => {
            let names: Vec<&str> = can.hashes.iter().copied().collect();
            gives.push(format!("hashes ({})", names.join(", ")));
        }
    }
    (gives, lacks)
}
