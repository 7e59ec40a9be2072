//! Where a module is, as text.

use super::table::{Table, labelled, wrap};
use super::{style, width};
use crate::answer::bringing::Bringing;
use crate::answer::locate::{Row, is_found};
use crate::words::{count, near};

pub(crate) fn text(module: &str, rows: &[Row], brought: Option<&Bringing>) -> String {
    let width = width();
    let here = rows.iter().find(|r| r.default);
    let having = rows.iter().filter(|r| is_found(&r.spot)).count();
    let place = |row: &Row| near(&row.spot.root);
    let (answer, rest) = match here {
        Some(row) if is_found(&row.spot) => {
            let owner = row.spot.owner.as_ref();
            let by = owner.map_or(String::new(), |(name, version)| {
                format!(
                    ", from {name}{}",
                    version.as_ref().map_or(String::new(), |v| format!(" {v}"))
                )
            });
            (
                format!("{module} can be imported here"),
                format!(" ({}){by}", place(row)),
            )
        }
        Some(row) => (
            format!("{module} cannot be imported here"),
            format!(" ({})", place(row)),
        ),
        None if having > 0 => (format!("{module} can be imported"), String::new()),
        None => (format!("{module} cannot be imported"), String::new()),
    };
    let yes = here.map_or(having > 0, |r| is_found(&r.spot));
    let painted = if yes {
        style::good(&answer)
    } else {
        style::barred(&answer)
    };
    let line = format!(
        "{answer}{rest}; {} of {} {} it",
        having,
        count(rows.len(), "place"),
        if having == 1 { "has" } else { "have" }
    );
    let mut text = format!(
        "{}\n\n",
        wrap(&line, width).join("\n").replacen(&answer, &painted, 1)
    );
    let mut table = Table::new(&[
        "  place",
        "Python",
        "has it",
        "project",
        "where, or why not",
    ]);
    for row in rows {
        let spot = &row.spot;
        let project = spot
            .owner
            .as_ref()
            .map_or("-".to_owned(), |(name, version)| {
                version
                    .as_ref()
                    .map_or(name.to_string(), |v| format!("{name} {v}"))
            });
        let mark = if row.default { "*" } else { " " };
        let told = match (&spot.found, row.note.as_str()) {
            (Some(path), "") => inside(path, &spot.root),
            (Some(path), note) => format!("{} ({note})", inside(path, &spot.root)),
            (None, note) => note.to_owned(),
        };
        let has = if is_found(spot) { "yes" } else { "no" };
        let name = match row.bare_names.first() {
            Some(name) if !spot.is_environment => format!("{mark} {} ({name})", near(&spot.root)),
            _ => format!("{mark} {}", near(&spot.root)),
        };
        table.row([
            name,
            spot.version.clone(),
            has.to_owned(),
            project,
            eutaxis_core::fault::escaped(&told),
        ]);
    }
    text.push_str(&table.text(width));
    if here.is_some() {
        text.push_str(&style::dim_lines("\n* is what code runs with here\n"));
    }
    if let Some(advice) = here
        .filter(|r| !is_found(&r.spot))
        .and_then(|_| rows.iter().find(|r| is_found(&r.spot)))
    {
        let python = near(&advice.spot.interpreter);
        text.push('\n');
        text.push_str(&labelled(
            "try",
            &style::care("try"),
            &format!("run with the one that has it:  {python}"),
            width,
        ));
    }
    if let Some(brought) = brought {
        let advice = format!("ask for {}: {}", brought.project, brought.told("it"));
        text.push('\n');
        text.push_str(&labelled("try", &style::care("try"), &advice, width));
    }
    text
}

/// A path below the folder of packages, or below the environment's folder, or whole.
fn inside(path: &std::path::Path, root: &std::path::Path) -> String {
    let shown = path
        .strip_prefix(root)
        .unwrap_or(path)
        .display()
        .to_string();
    let packages = ["/site-packages/", "/dist-packages/"]
        .iter()
        .find_map(|p| shown.split_once(p));
    packages
        .filter(|_| path.starts_with(root))
        .map_or(shown.clone(), |(_, rest)| rest.to_owned())
}
