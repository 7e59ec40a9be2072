//! A project's releases, as text.

use eutaxis_core::Name;
use eutaxis_core::offer::{BarKind, Grid, Mark, Offer, OfferFile, Verdict};
use eutaxis_core::targets::VariantOrder;

use eutaxis_world::supply::Near;

use super::table::{Table, labelled, wrap};
use super::{style, width};
use crate::answer::bringing::Bringing;
use crate::answer::shortlist::Listing;
use crate::words::{count, day, file_part, size};

pub(crate) fn text(listing: &Listing) -> String {
    let width = width();
    let mut text = headline(listing, width);
    for (build, command) in &listing.builds {
        text.push_str(&super::build::foreseen(std::slice::from_ref(build), width));
        text.push_str(&super::build::pinned_by(command, width));
    }
    text.push_str(&style::dim(&wrap(&source(listing), width).join("\n")));
    text.push_str("\n\n");
    match &listing.grid {
        Some(grid) => text.push_str(&grid_text(grid, listing, width)),
        None if listing.files => text.push_str(&files(listing, width)),
        None => text.push_str(&releases(listing, width)),
    }
    text.push_str(&rest(listing));
    for caution in &listing.cautions {
        text.push('\n');
        text.push_str(&labelled(
            "caution",
            &style::care("caution"),
            caution,
            width,
        ));
    }
    text
}

/// The answer: which to take, and what stands in the way of the newer ones.
fn headline(listing: &Listing, width: usize) -> String {
    let project = &listing.requirement.name;
    let best = listing.best.and_then(|i| listing.offers.get(i));
    let accelerated = best.is_some_and(|b| uses_accelerator(b, listing));
    // Other builds of the release that is taken are told only when they are barred.
    let beside = |o: &&Offer| {
        o.verdict == Verdict::Ready
            && best.is_some_and(|b| b.version.public() == o.version.public())
    };
    let before = listing.best.map_or(&listing.offers[..], |i| {
        listing.offers.get(..i).unwrap_or_default()
    });
    let newer: Vec<&Offer> = before.iter().filter(|o| !beside(o)).collect();
    let (answer, line) = match best {
        Some(best) => {
            let take = format!("take {}", best.version);
            let why = match (best.verdict, newer.is_empty()) {
                _ if best.yanked.is_some() => "yanked, but pinned exactly",
                _ if accelerated => "the newest build that the accelerator of this place runs",
                (Verdict::Ready, true) => "the newest, with a wheel that runs here",
                (Verdict::Ready, false) => "newest with a wheel that runs here",
                (_, true) => "the newest; only source, it must be built",
                (_, false) => "no wheel runs here; newest with source, it must be built",
            };
            (
                style::good(&take),
                format!("{project} for {}: {take} ({why})", listing.shown),
            )
        }
        None if listing.offers.is_empty() => {
            let what = if listing.outside > 0 {
                format!("no release is within {}", listing.requirement.short())
            } else {
                listing
                    .empty
                    .clone()
                    .unwrap_or_else(|| "it has no releases".to_owned())
            };
            (
                style::barred(&what),
                format!("{project} for {}: {what}", listing.shown),
            )
        }
        None => {
            let what = "none of its releases runs here";
            (
                style::barred(what),
                format!("{project} for {}: {what}", listing.shown),
            )
        }
    };
    let plain = anstream::adapter::strip_str(&answer).to_string();
    let mut text = format!(
        "{}\n",
        wrap(&line, width).join("\n").replacen(&plain, &answer, 1)
    );
    if let Some(line) = &listing.accelerator {
        text.push_str(&labelled("caution", &style::care("caution"), line, width));
    }
    if best.is_some() && !newer.is_empty() {
        let told: Vec<String> = newer
            .iter()
            .take(3)
            .map(|o| format!("{} {}", o.version, short(o, accelerated, listing)))
            .collect();
        let more = newer.len().saturating_sub(told.len());
        let more = if more > 0 {
            format!("; and {more} more")
        } else {
            String::new()
        };
        let line = format!("newer: {}{more}", told.join("; "));
        text.push_str(&format!("{}\n", wrap(&line, width).join("\n")));
    }
    text
}

/// Why a release is not the one to take, in a few words.
fn short(offer: &Offer, accelerated: bool, listing: &Listing) -> String {
    let why = offer
        .bars
        .first()
        .map_or(String::new(), |b| format!(": {b}"));
    match (offer.verdict, &offer.yanked) {
        (_, Some(_)) => "is yanked".to_owned(),
        (Verdict::Barred, _) if offer.bars.iter().any(|b| b.kind() == BarKind::Prerelease) => {
            "is a pre-release".to_owned()
        }
        (Verdict::Barred, _) => format!("is barred{why}"),
        (Verdict::Build, _) => format!("has only source here{why}"),
        (Verdict::Ready, _) if listing.unserved.contains(&offer.version) => {
            "is for a toolkit older than the device".to_owned()
        }
        (Verdict::Ready, _) if accelerated => "leaves the accelerator unused".to_owned(),
        (Verdict::Ready, _) => "runs too".to_owned(),
    }
}

fn uses_accelerator(offer: &Offer, listing: &Listing) -> bool {
    let build = offer.best().and_then(|f| f.build.as_ref());
    let target = &listing.target;
    target
        .accelerators
        .order(build.map(|b| &b.made_for), target.platform.system)
        .is_accelerated()
}

fn source(listing: &Listing) -> String {
    let said = |other: &String| {
        let root = other.trim_end_matches('/');
        listing.elsewhere.iter().any(|u| u.starts_with(root))
    };
    let also = match listing.also_in.as_slice() {
        [] => String::new(),
        others => {
            // One name in two places may be two projects: only the page can say that it is one.
            let same = if others.iter().all(said) {
                " (the same project, by its page's word)"
            } else {
                " (perhaps another project of that name)"
            };
            format!(
                "; also in {}{same}, not used: a project comes from the first depot that has it",
                others.join(", ")
            )
        }
    };
    let target = if listing.shown.contains('/') && listing.shown == listing.target.to_string() {
        String::new()
    } else {
        format!("{}; ", listing.target)
    };
    format!("{target}from {}{also}", listing.depot)
}

fn shown(listing: &Listing) -> impl Iterator<Item = (usize, &Offer)> {
    listing
        .visible()
        .filter_map(|i| Some((i, listing.offers.get(i)?)))
}

fn releases(listing: &Listing, width: usize) -> String {
    let dated = listing.offers.iter().any(|o| o.published().is_some());
    let mut table = if dated {
        Table::new(&[
            "release",
            "published",
            "verdict",
            "wheels for",
            "what decides it",
        ])
    } else {
        Table::new(&["release", "verdict", "wheels for", "what decides it"])
    };
    for (at, offer) in shown(listing) {
        let (release, verdict) = (offer.version.to_string(), offer.verdict.as_str().to_owned());
        let spans = spans(&offer.interpreters());
        let why = decides(offer, Some(at) == listing.best);
        if dated {
            table.row([
                release,
                offer.published().map_or("-".to_owned(), day),
                verdict,
                spans,
                why,
            ]);
        } else {
            table.row([release, verdict, spans, why]);
        }
    }
    let table = table.text(width);
    format!("{}{}", painted(&table), super::own_words(&table, width))
}

/// Verdict words in their colours.
fn painted(text: &str) -> String {
    let paint = |line: &str| {
        let taken = line.replace("<- take", &style::good("<- take"));
        for (word, with) in [
            ("  ready  ", style::good as fn(&str) -> String),
            ("  build  ", style::care),
            ("  barred  ", style::barred),
        ] {
            if let Some((before, after)) = taken.split_once(word) {
                return format!("{before}  {}  {after}\n", with(word.trim()));
            }
        }
        format!("{taken}\n")
    };
    text.lines().map(paint).collect()
}

/// What decides a release: the file to take with its size, or the bars.
fn decides(offer: &Offer, best: bool) -> String {
    let mut words = Vec::new();
    match offer.verdict {
        Verdict::Ready => words.extend(offer.best().map(|f| file_words(f, best))),
        Verdict::Build => {
            let bytes = offer
                .best()
                .and_then(|f| f.file.size)
                .map_or(String::new(), |n| {
                    format!(", {}", size(n).replace(' ', "\u{a0}"))
                });
            words.push(format!("only source{bytes}"));
            words.extend(offer.bars.iter().map(ToString::to_string));
        }
        Verdict::Barred => words.extend(offer.bars.iter().map(ToString::to_string)),
    }
    let mark = if best { "  <-\u{a0}take" } else { "" };
    format!("{}{mark}", words.join("; "))
}

/// The file to take by its whole name; of others the part that differs.
fn file_words(file: &OfferFile, whole: bool) -> String {
    let name = &*file.file.filename;
    let shown = if whole { name } else { file_part(name) };
    let bytes = file.file.size.map_or(String::new(), |n| {
        format!(", {}", size(n).replace(' ', "\u{a0}"))
    });
    format!("{shown}{bytes}")
}

/// A series: major and minor.
type Series = (u32, u32);

/// `3.9, 3.10, 3.11` as `3.9-3.11`; any 3 as `any 3`.
fn spans(interpreters: &[String]) -> String {
    let series = |text: &str| -> Option<Series> {
        let (major, minor) = text.split_once('.')?;
        Some((major.parse().ok()?, minor.parse().ok()?))
    };
    let mut parts: Vec<String> = Vec::new();
    let mut run: Option<(Series, Series)> = None;
    let close = |run: &mut Option<(Series, Series)>, parts: &mut Vec<String>| {
        if let Some((from, to)) = run.take() {
            let one = format!("{}.{}", from.0, from.1);
            parts.push(if from == to {
                one
            } else {
                format!("{one}-{}.{}", to.0, to.1)
            });
        }
    };
    for text in interpreters {
        match (series(text), &mut run) {
            (Some(next), Some((_, to))) if (to.0, to.1 + 1) == next => *to = next,
            (Some(next), _) => {
                close(&mut run, &mut parts);
                run = Some((next, next));
            }
            (None, _) => {
                close(&mut run, &mut parts);
                let any = !text.contains('.') && text.bytes().all(|b| b.is_ascii_digit());
                parts.push(if any {
                    format!("any {text}")
                } else {
                    text.clone()
                });
            }
        }
    }
    close(&mut run, &mut parts);
    if parts.len() > 3 {
        let more = parts.len() - 3;
        parts.truncate(3);
        parts.push(format!("+{more}"));
    }
    if parts.is_empty() {
        "-".to_owned()
    } else {
        parts.join(", ")
    }
}

/// Every file with its verdict, under its release.
fn files(listing: &Listing, width: usize) -> String {
    let mut text = String::new();
    for (at, offer) in shown(listing) {
        let mark = if Some(at) == listing.best {
            format!("  {}", style::good("<- take"))
        } else {
            String::new()
        };
        let date = offer
            .published()
            .map_or(String::new(), |t| format!("  {}", day(t)));
        text.push_str(&format!(
            "{}{date}  {}{mark}\n",
            style::strong(&offer.version.to_string()),
            offer.verdict.as_str()
        ));
        let mut table = Table::new(&["", "", "", ""]);
        for file in &offer.files {
            let verdict = file.verdict().as_str();
            let mut why: Vec<String> = file.bars.iter().map(ToString::to_string).collect();
            if let Some(reason) = &file.file.yanked {
                why.push(if reason.is_empty() {
                    "yanked".to_owned()
                } else {
                    format!("yanked: \"{}\"", eutaxis_core::fault::escaped(reason))
                });
            }
            let taken = offer
                .best()
                .is_some_and(|b| b.file.filename == file.file.filename);
            if why.is_empty() {
                why.extend(file.properties.iter().map(ToString::to_string));
                why.extend(
                    (file.variant == VariantOrder::Null).then(|| "no properties".to_owned()),
                );
            }
            if taken && Some(at) == listing.best {
                why.push("this one".to_owned());
            }
            let bytes = file.file.size.map_or("-".to_owned(), size);
            let name = &*file.file.filename;
            let part = file_part(name);
            table.row([
                format!("  {verdict}"),
                bytes,
                part.to_owned(),
                why.join("; "),
            ]);
        }
        text.push_str(&table.text(width));
    }
    text
}

fn grid_text(grid: &Grid, listing: &Listing, width: usize) -> String {
    let rows = || listing.visible().filter_map(|i| grid.rows.get(i));
    let release = rows()
        .map(|r| r.version.to_string().len())
        .max()
        .unwrap_or(0)
        .max("release".len());
    let best = listing
        .best
        .and_then(|i| listing.offers.get(i))
        .map(|o| o.version.clone());
    let here = listing.target.interpreter.series_text()
        + if listing.target.interpreter.free_threaded {
            "t"
        } else {
            ""
        };
    let cell = 6;
    // Of too many interpreters the oldest are left out.
    let room = (width.saturating_sub(release + 2 + "  <- take".len()) / cell).max(1);
    let from = grid.interpreters.len().saturating_sub(room);
    let mut text = format!(
        "{}\n",
        wrap(
            &format!("wheels by interpreter, on {}", listing.target.platform),
            width
        )
        .join("\n")
    );
    let heads: String = grid
        .interpreters
        .iter()
        .skip(from)
        .map(|name| {
            let shown = if *name == here {
                format!("[{name}]")
            } else {
                format!(" {name} ")
            };
            format!("{shown:^cell$}")
        })
        .collect();
    text.push_str(&style::dim(&format!(
        "{:release$}  {}",
        "release",
        heads.trim_end()
    )));
    text.push('\n');
    for row in rows() {
        let cells: String = row
            .marks
            .iter()
            .skip(from)
            .map(|m| {
                let (word, painted) = match m {
                    Mark::Wheel => ("##", style::good("##")),
                    Mark::Elsewhere => ("o", "o".to_owned()),
                    Mark::Source => ("s", style::care("s")),
                    Mark::Nothing => (".", style::dim(".")),
                };
                format!("{word:^cell$}").replacen(word, &painted, 1)
            })
            .collect();
        let mark = if Some(&row.version) == best.as_ref() {
            style::good("<- take")
        } else {
            String::new()
        };
        text.push_str(format!("{:release$}  {cells}  {mark}", row.version.to_string()).trim_end());
        text.push('\n');
    }
    let left_out = if from > 0 {
        format!("; {from} older interpreters are left out")
    } else {
        String::new()
    };
    let legend = format!(
        "## a wheel runs there   o wheels for other platforms only   s only source   . \
            nothing{left_out}"
    );
    text.push_str(&style::dim(&wrap(&legend, width).join("\n")));
    text.push_str("\n\n");
    text.push_str(&platforms_text(grid, listing, release, width));
    text
}

fn platforms_text(grid: &Grid, listing: &Listing, release: usize, width: usize) -> String {
    if grid.platforms.is_empty() {
        return String::new();
    }
    let mut text = format!(
        "{}\n",
        wrap(
            &format!("wheels by platform, for {}", listing.target.interpreter),
            width
        )
        .join("\n")
    );
    let widths: Vec<usize> = grid
        .platforms
        .iter()
        .map(|(s, a)| s.len().max(a.len()).max(5) + 2)
        .collect();
    // As many columns at once as fit.
    let mut from = 0;
    while from < widths.len() {
        let mut to = from;
        let mut used = release + 2;
        while to < widths.len()
            && (to == from || used + widths.get(to).copied().unwrap_or(0) <= width)
        {
            used += widths.get(to).copied().unwrap_or(0);
            to += 1;
        }
        let slice = || {
            grid.platforms
                .iter()
                .zip(&widths)
                .skip(from)
                .take(to - from)
        };
        let line = |part: &dyn Fn(&(String, String)) -> String| {
            slice()
                .map(|(p, w)| format!("{:w$}", part(p)))
                .collect::<String>()
        };
        for (head, cells) in [
            ("", line(&|p| p.0.clone())),
            ("release", line(&|p| p.1.clone())),
        ] {
            text.push_str(&style::dim(format!("{head:release$}  {cells}").trim_end()));
            text.push('\n');
        }
        for row in listing.visible().filter_map(|i| grid.rows.get(i)) {
            let cells: String = row
                .floors
                .iter()
                .zip(&widths)
                .skip(from)
                .take(to - from)
                .map(|(floor, w)| {
                    let shown = match floor.as_deref() {
                        None => ".".to_owned(),
                        Some("") => "##".to_owned(),
                        Some(floor) => format!("{floor}+"),
                    };
                    format!("{shown:w$}")
                })
                .collect();
            text.push_str(format!("{:release$}  {cells}", row.version.to_string()).trim_end());
            text.push('\n');
        }
        from = to;
    }
    text.push_str(&style::dim(
        &wrap(
            "2.17+ a wheel for that C library or system and newer   ## a wheel   . none",
            width,
        )
        .join("\n"),
    ));
    text.push('\n');
    text
}

/// What is not shown.
fn rest(listing: &Listing) -> String {
    let mut text = String::new();
    let visible: Vec<usize> = listing.visible().collect();
    let hidden = listing
        .offers
        .iter()
        .enumerate()
        .filter(|(i, _)| !visible.contains(i));
    let (mut more, mut ready) = (0, 0);
    for (_, offer) in hidden {
        more += 1;
        ready += usize::from(offer.verdict == Verdict::Ready && offer.yanked.is_none());
    }
    if more > 0 {
        text.push_str(&format!(
            "... {more} older, {ready} of them ready (--all)\n"
        ));
    }
    if listing.outside > 0 {
        let what = count(listing.outside, "release");
        let verb = if listing.outside == 1 { "is" } else { "are" };
        text.push_str(&format!(
            "{what} {verb} outside {}\n",
            listing.requirement.short()
        ));
    }
    text
}

/// No depot has the project.
pub(crate) fn absent(
    name: &Name,
    brought: Option<&Bringing>,
    near: &Near,
    depots: &[&str],
    listed: bool,
) -> String {
    let width = width();
    let line = format!("no depot has {name}; looked in {}", depots.join(", "));
    let mut text = format!(
        "{}\n",
        wrap(&line, width).join("\n").replacen(
            &format!("no depot has {name}"),
            &style::barred(&format!("no depot has {name}")),
            1
        )
    );
    let brought = brought.map(|b| b.instead_of(name));
    let names: Vec<&str> = near.offered.iter().map(Name::as_str).collect();
    let advice = match (names.as_slice(), listed) {
        _ if brought.is_some() => brought.unwrap_or_default(),
        ([], true) => "look at the name, or name another depot".to_owned(),
        ([], false) => crate::words::NO_LIST.to_owned(),
        (names, _) => format!("nearest names: {}", names.join(", ")),
    };
    text.push_str(&labelled("try", &style::care("try"), &advice, width));
    text.push_str(&super::clash::doubts(near, width));
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(&["3.9", "3.10", "3.11"], "3.9-3.11")]
    #[case(&["2.7", "3.6", "3.8", "3.9"], "2.7, 3.6, 3.8-3.9")]
    #[case(&["3", "3.12"], "any 3, 3.12")]
    #[case(&["3.7+"], "3.7+")]
    #[case(&["2.7", "3.4", "3.6", "3.8", "pypy 3.10"], "2.7, 3.4, 3.6, +2")]
    #[case(&[], "-")]
    fn spans_are_short(#[case] interpreters: &[&str], #[case] shown: &str) {
        let list: Vec<String> = interpreters.iter().map(|i| (*i).to_owned()).collect();
        assert_eq!(spans(&list), shown);
    }
}
