//! The pages of `docs/`, compiled in.

/// A page.
#[derive(Debug, Clone, Copy)]
pub(super) struct Page {
    /// As it is asked for.
    pub(super) topic: &'static str,
    /// What it tells, in a few words; none of a command, which tells that itself.
    pub(super) about: Option<&'static str>,
    /// Its text, in Markdown.
    pub(super) text: &'static str,
}

macro_rules! pages {
    ($($topic:literal $(: $about:literal)?),* $(,)?) => {
        &[$(Page {
            topic: $topic,
            about: pages!(@ $($about)?),
            text: include_str!(concat!("../../../../../docs/", $topic, ".md")),
        }),*]
    };
    (@) => { None };
    (@ $about:literal) => { Some($about) };
}

/// Those of commands in the order in which people work, then those of matters.
pub(super) const PAGES: &[Page] = pages![
    "survey",
    "shortlist",
    "span",
    "settle",
    "reason",
    "gather",
    "furnish",
    "examine",
    "rehearse",
    "diagnose",
    "assay",
    "locate",
    "proofread",
    "within",
    "depots",
    "stock",
    "demo",
    "tutorial": "from somebody else's list to an environment that runs, in ten minutes",
    "tasks": "a recipe for each everyday task",
    "install": "how the program is installed, and where its files lie",
    "here": "what `eutaxis` alone tells: where you are, and what to type next",
    "targets": "how a place is written: interpreter, system, processor, C library, accelerator",
    "files": "the files that are read and written: lists, pins, settings",
    "choice": "how releases and files are chosen",
    "clash": "what is told when no set exists, and the ways out",
    "proof": "environments that are tried before they are pinned",
    "build": "projects without a wheel: what is foreseen, and building",
    "accelerators": "toolkits, drivers, devices, and builds for them",
    "speed": "what commands cost beside known yardsticks, and how it grows",
    "standards": "the open standards that are followed, and where they are left",
];

/// The page of a topic.
pub(super) fn page(topic: &str) -> Option<&'static Page> {
    PAGES.iter().find(|p| p.topic == topic)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cli::Cli;
    use clap::CommandFactory;

    /// Every page of the folder but the one for those who work on the program, and of every command
    /// one.
    #[test]
    fn every_page_is_there() {
        let docs = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs");
        let files = std::fs::read_dir(docs).unwrap().map(|e| e.unwrap().path());
        let pages = files.filter(|p| p.extension().is_some_and(|e| e == "md"));
        for path in pages {
            let topic = path.file_stem().unwrap().to_str().unwrap().to_owned();
            assert!(topic == "house" || page(&topic).is_some(), "{topic}");
        }
        let told = ["help", "completions", "manual"];
        for command in Cli::command().get_subcommands() {
            let name = command.get_name();
            assert!(told.contains(&name) || page(name).is_some(), "{name}");
        }
    }
}
