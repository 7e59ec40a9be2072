//! What is said in the same words everywhere: sentences about releases, dates and ways out, sizes,
//! counts and places. Nothing here decides anything or knows how it is drawn.

pub(crate) mod chronology;
pub(crate) mod enter;
pub(crate) mod own;
pub(crate) mod proof;
pub(crate) mod releases;
pub(crate) mod steps;
pub(crate) mod troubles;
pub(crate) mod ways;

pub(crate) use eutaxis_core::day;

use eutaxis_core::Ask;
use eutaxis_core::record::Since;
use eutaxis_world::supply::Doubtful;

/// What to do when not even the names of a depot's projects can be had.
pub(crate) const NO_LIST: &str = "look at the name, and at the depot's address: it lists no \
    projects (an index often ends in /simple/)";

/// What a file's name says besides project and release, where those stand beside it: the tags of a
/// wheel.
pub(crate) fn file_part(filename: &str) -> &str {
    filename
        .strip_suffix(".whl")
        .and_then(|n| n.splitn(3, '-').nth(2))
        .unwrap_or(filename)
}

/// A size for people, in decimal units: `2.3 MB`.
pub(crate) fn size(bytes: u64) -> String {
    let steps = ["B", "kB", "MB", "GB", "TB"];
    let mut value = bytes as f64;
    let mut unit = 0;
    while value >= 999.5 && unit + 1 < steps.len() {
        value /= 1000.0;
        unit += 1;
    }
    let name = steps.get(unit).copied().unwrap_or("B");
    if unit == 0 || value >= 99.5 {
        format!("{value:.0} {name}")
    } else {
        format!("{value:.1} {name}")
    }
}

/// Seconds as people say them.
pub(crate) fn seconds(seconds: f64) -> String {
    if seconds < 90.0 {
        format!("{:.0} s", seconds.max(1.0))
    } else if seconds < 5400.0 {
        format!("{:.0} min", seconds / 60.0)
    } else {
        format!("{:.1} h", seconds / 3600.0)
    }
}

/// `1 project`, `2 projects`.
pub(crate) fn count(n: usize, word: &str) -> String {
    if n == 1 {
        format!("1 {word}")
    } else {
        format!("{n} {word}s")
    }
}

/// What files say otherwise than when pins were settled; none when they say the same.
pub(crate) fn since(since: &Since) -> Option<String> {
    let mut told: Vec<String> = since.unread.iter().cloned().collect();
    for (what, moves) in [("", &since.asks), ("the bound ", &since.bounds)] {
        let short = |ask: &Ask| format!("{what}{}", ask.requirement.short());
        let placed = |ask: &Ask| format!("{} ({})", short(ask), place(&ask.origin));
        let list = |lead: &str, texts: Vec<String>| {
            (!texts.is_empty()).then(|| format!("{lead} {}", texts.join(", ")))
        };
        told.extend(list("new", moves.added.iter().map(placed).collect()));
        told.extend(list("gone", moves.dropped.iter().map(short).collect()));
        let other = moves.other.iter();
        told.extend(other.map(|(old, new)| format!("{} is now {}", short(old), placed(new))));
    }
    (!told.is_empty()).then(|| told.join("; "))
}

/// Where something was stated, for people: the command line has no lines.
pub(crate) fn place(origin: &eutaxis_core::fault::Origin) -> String {
    match origin {
        eutaxis_core::fault::Origin::Argument => "command line".to_owned(),
        line => line.to_string(),
    }
}

/// What is told where a project bears the name of a module that others usually bring.
pub(crate) fn of_module(name: &eutaxis_core::Name) -> Option<String> {
    let usual = eutaxis_core::knowledge::meant_by(name);
    (!usual.is_empty()).then(|| {
        format!(
            "{name} bears the name of a module that another project usually brings: is {} meant?",
            usual.join(" or ")
        )
    })
}

/// Why a name that is nearly what was asked for is no offer.
pub(crate) fn doubt(doubtful: &Doubtful) -> String {
    let since = doubtful.since.map(|s| format!(" since {}", day(s)));
    format!(
        "{} is nearly that name, and has {}{}: look at it before you take it",
        doubtful.name,
        count(doubtful.releases, "release"),
        since.unwrap_or_default()
    )
}

/// A path as short as it can be said from here.
pub(crate) fn near(path: &std::path::Path) -> String {
    let here = std::env::current_dir().unwrap_or_default();
    match path.strip_prefix(&here) {
        Ok(rest) if !rest.as_os_str().is_empty() => rest.display().to_string(),
        _ => path.display().to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(0, "0 B")]
    #[case(999, "999 B")]
    #[case(1000, "1.0 kB")]
    #[case(2_345_678, "2.3 MB")]
    #[case(999_600, "1.0 MB")]
    #[case(123_456_789, "123 MB")]
    fn sizes_are_short(#[case] bytes: u64, #[case] shown: &str) {
        assert_eq!(size(bytes), shown);
    }
}
