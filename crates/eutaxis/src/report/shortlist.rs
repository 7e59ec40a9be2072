//! Releases of a project, for programs.

use std::collections::BTreeMap;

use eutaxis_core::offer::{Build, Grid as Found, Mark, Offer as Judged};
use indexmap::IndexMap;
use schemars::JsonSchema;
use serde::Serialize;

use super::build::Foreseen;
use super::shared::{Barred, BuiltFor};
use crate::answer::shortlist::Listing;

/// What `shortlist` answers.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum Shortlist {
    Listed(Box<Listed>),
    Absent(Absent),
}

/// No depot has the project.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Absent {
    pub(crate) project: String,
    pub(crate) target: String,
    /// There is none.
    pub(crate) best: Option<String>,
    pub(crate) offers: Vec<Offer>,
    /// Names like it.
    pub(crate) nearest: Vec<String>,
    /// Names that are nearly it, of projects that are young or have one release.
    pub(crate) doubtful: Vec<String>,
    /// The project that brings the module of that name.
    pub(crate) brought_by: Option<String>,
}

/// The releases that the requirement takes.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Listed {
    project: String,
    target: String,
    /// The release to take.
    best: Option<String>,
    /// Newest first.
    offers: Vec<Offer>,
    /// How many more there are.
    more: usize,
    /// How many the requirement does not take.
    outside: usize,
    /// Why its page has no file that can be used, when it has none.
    #[serde(skip_serializing_if = "Option::is_none")]
    empty: Option<String>,
    depot: String,
    also_in: Vec<String>,
    /// Where the same project is too, by its page's own word (PEP 708).
    elsewhere: Vec<String>,
    cautions: Vec<String>,
    /// What is foreseen of builds: of the release to take, and of the newest that has only source.
    builds: Vec<Foreseen>,
    #[serde(skip_serializing_if = "Option::is_none")]
    grid: Option<Grid>,
}

/// A release.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Offer {
    version: String,
    published: Option<String>,
    #[schemars(extend("enum" = ["ready", "build", "barred"]))]
    verdict: String,
    file: Option<String>,
    size: Option<u64>,
    bars: Vec<Barred>,
    interpreters: Vec<String>,
    yanked: Option<String>,
    prerelease: bool,
    accelerator: Option<BuiltFor>,
    #[serde(skip_serializing_if = "Option::is_none")]
    files: Option<Vec<File>>,
}

/// A file of a release.
#[derive(Debug, Serialize, JsonSchema)]
struct File {
    file: String,
    size: Option<u64>,
    #[schemars(extend("enum" = ["ready", "build", "barred"]))]
    verdict: String,
    bars: Vec<Barred>,
    yanked: Option<String>,
    sha256: Option<String>,
}

/// Releases against interpreters and platforms.
#[derive(Debug, Serialize, JsonSchema)]
struct Grid {
    interpreters: Vec<String>,
    platforms: Vec<String>,
    rows: Vec<GridRow>,
}

/// A release in it.
#[derive(Debug, Serialize, JsonSchema)]
struct GridRow {
    version: String,
    /// By interpreter: `wheel`, `elsewhere`, `source` or `nothing`.
    #[schemars(with = "BTreeMap<String, String>")]
    interpreters: IndexMap<String, String>,
    /// By platform: the oldest system that a wheel is for; null without one.
    #[schemars(with = "BTreeMap<String, Option<String>>")]
    platforms: IndexMap<String, Option<String>>,
}

impl From<&Listing> for Listed {
    fn from(listing: &Listing) -> Self {
        let best = listing.best.and_then(|i| listing.offers.get(i));
        let visible = listing.visible().filter_map(|i| listing.offers.get(i));
        Listed {
            project: listing.requirement.name.to_string(),
            target: listing.target.to_string(),
            best: best.map(|o| o.version.to_string()),
            offers: visible.map(|o| Offer::new(o, listing.files)).collect(),
            more: listing.offers.len() - listing.visible().count(),
            outside: listing.outside,
            empty: listing.empty.clone(),
            depot: listing.depot.clone(),
            also_in: listing.also_in.clone(),
            builds: listing.builds.iter().map(|(one, _)| one.into()).collect(),
            elsewhere: listing.elsewhere.clone(),
            cautions: listing
                .accelerator
                .iter()
                .chain(&listing.cautions)
                .cloned()
                .collect(),
            grid: listing.grid.as_ref().map(|g| Grid::new(g, listing)),
        }
    }
}

/// What the wheels of an offer were made for, if that is told.
fn best_build(offer: &Judged) -> Option<&Build> {
    let file = offer.best().or(offer.files.first());
    file.and_then(|f| f.build.as_ref())
}

impl Offer {
    fn new(offer: &Judged, files: bool) -> Self {
        let best = offer.best().map(|f| &f.file);
        let all = || {
            let file = |f: &eutaxis_core::offer::OfferFile| File {
                file: f.file.filename.to_string(),
                size: f.file.size,
                verdict: f.verdict().as_str().to_owned(),
                bars: f.bars.iter().map(Barred::from).collect(),
                yanked: f.file.yanked.clone(),
                sha256: f.file.hashes.sha256().map(str::to_owned),
            };
            offer.files.iter().map(file).collect()
        };
        Offer {
            version: offer.version.to_string(),
            published: offer.published().map(|t| t.to_string()),
            verdict: offer.verdict.as_str().to_owned(),
            file: best.map(|f| f.filename.to_string()),
            size: best.and_then(|f| f.size),
            bars: offer.bars.iter().map(Barred::from).collect(),
            interpreters: offer.interpreters(),
            yanked: offer.yanked.clone(),
            prerelease: offer.version.is_prerelease(),
            accelerator: best_build(offer).map(BuiltFor::from),
            files: files.then(all),
        }
    }
}

impl Grid {
    fn new(grid: &Found, listing: &Listing) -> Self {
        let word = |mark: &Mark| match mark {
            Mark::Wheel => "wheel",
            Mark::Elsewhere => "elsewhere",
            Mark::Source => "source",
            Mark::Nothing => "nothing",
        };
        let platforms = grid.platforms.iter();
        let platforms: Vec<String> = platforms
            .map(|(system, arch)| format!("{system} {arch}"))
            .collect();
        let rows = listing.visible().filter_map(|i| grid.rows.get(i));
        let rows = rows.map(|row| {
            let marks = row.marks.iter().map(|m| word(m).to_owned());
            GridRow {
                version: row.version.to_string(),
                interpreters: grid.interpreters.iter().cloned().zip(marks).collect(),
                platforms: platforms
                    .iter()
                    .cloned()
                    .zip(row.floors.iter().cloned())
                    .collect(),
            }
        });
        Grid {
            rows: rows.collect(),
            interpreters: grid.interpreters.clone(),
            platforms: platforms.clone(),
        }
    }
}
