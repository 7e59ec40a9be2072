//! What a page tells of its releases without a look at each file: what is the same for many files
//! stands once.

use std::collections::HashMap;
use std::sync::Arc;

use jiff::Timestamp;

use super::PageFile;
use crate::artifact::WheelTags;
use crate::version::{Version, VersionSpecifier};

/// The releases of a page, newest first, with what their files are.
#[derive(Debug, Clone, Default)]
pub struct Outline {
    pub(super) rows: Vec<Row>,
    pub(super) shapes: Vec<Shape>,
    /// Those that files are of.
    pub(super) versions: Vec<Version>,
    /// Where the files of each release begin in `order`; the end of the last one stands behind.
    begins: Vec<usize>,
    /// The places of the files on the page, release by release.
    order: Vec<usize>,
}

/// What files of a project have in common beyond their release.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shape {
    /// Of a wheel: what it is for. None for source.
    pub tags: Option<Arc<WheelTags>>,
    /// Interpreters it runs on, when the page says so.
    pub requires_python: Option<Arc<VersionSpecifier>>,
    /// It is one of the variants of its release (draft PEP 825).
    pub is_variant: bool,
}

/// What is told of one file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Row {
    /// Its release, by its place among them.
    pub(super) release: u32,
    /// What it is, by its place among the shapes.
    pub shape: u32,
    /// When it was published.
    pub published: Option<Timestamp>,
    /// It is yanked.
    pub is_yanked: bool,
}

/// A release of an outline.
#[derive(Debug, Clone, Copy)]
pub struct Outlined<'a> {
    /// Its version, as the first of its files writes it.
    pub version: &'a Version,
    files: &'a [usize],
    rows: &'a [Row],
}

impl<'a> Outlined<'a> {
    /// Its files in the order of the page: the place on the page, and what is told.
    pub fn rows(&self) -> impl Iterator<Item = (usize, &'a Row)> + use<'a> {
        let (files, rows) = (self.files, self.rows);
        files.iter().filter_map(|at| Some((*at, rows.get(*at)?)))
    }

    /// When the first of its files appeared.
    pub fn first_published(&self) -> Option<Timestamp> {
        self.rows().filter_map(|(_, row)| row.published).min()
    }
}

impl Outline {
    /// The outline of files that lie before us.
    pub(super) fn of<'a>(files: impl Iterator<Item = &'a Arc<PageFile>> + Clone) -> Self {
        let mut versions: Vec<&Version> = files.clone().map(|f| f.kind.version()).collect();
        // The first of those that are equal stays.
        versions.sort_by(|a, b| b.cmp(a));
        versions.dedup();
        let mut shapes: Vec<Shape> = Vec::new();
        let mut known: HashMap<(Option<&WheelTags>, Option<&VersionSpecifier>, bool), u32> =
            HashMap::new();
        let mut rows = Vec::new();
        for file in files {
            let tags = file.kind.tags();
            let is_variant = file.kind.variant().is_some();
            let key = (tags, file.requires_python.as_deref(), is_variant);
            let shape = *known.entry(key).or_insert_with(|| {
                shapes.push(Shape {
                    tags: tags.cloned().map(Arc::new),
                    requires_python: file.requires_python.clone(),
                    is_variant,
                });
                number(shapes.len() - 1)
            });
            let release = versions.binary_search_by(|v| file.kind.version().cmp(v));
            rows.push(Row {
                release: number(release.unwrap_or_default()),
                shape,
                published: file.published,
                is_yanked: file.yanked.is_some(),
            });
        }
        Outline::new(rows, shapes, versions.into_iter().cloned().collect())
    }

    /// An outline of its parts; releases without a file, and rows that name none, have no part in it.
    pub(super) fn new(rows: Vec<Row>, shapes: Vec<Shape>, versions: Vec<Version>) -> Self {
        let mut begins = vec![0; versions.len() + 1];
        for row in &rows {
            if let Some(count) = begins.get_mut(row.release as usize + 1) {
                *count += 1;
            }
        }
        let mut sum = 0;
        for begin in &mut begins {
            sum += *begin;
            *begin = sum;
        }
        let (mut next, mut order) = (begins.clone(), vec![0; sum]);
        for (at, row) in rows.iter().enumerate() {
            let Some(place) = next.get_mut(row.release as usize) else {
                continue;
            };
            if let Some(slot) = order.get_mut(*place) {
                *slot = at;
            }
            *place += 1;
        }
        Outline {
            rows,
            shapes,
            versions,
            begins,
            order,
        }
    }

    /// How many files it tells of.
    pub(super) fn files(&self) -> usize {
        self.rows.len()
    }

    /// How many releases there are.
    pub fn len(&self) -> usize {
        self.versions.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.versions.is_empty()
    }

    /// What files are.
    pub fn shapes(&self) -> &[Shape] {
        &self.shapes
    }

    /// Its releases, newest first.
    pub fn releases(&self) -> impl Iterator<Item = Outlined<'_>> {
        (0..self.versions.len()).filter_map(|at| self.release(at))
    }

    /// A release by its place, the newest first.
    pub fn release(&self, at: usize) -> Option<Outlined<'_>> {
        let (from, to) = (self.begins.get(at)?, self.begins.get(at + 1)?);
        Some(Outlined {
            version: self.versions.get(at)?,
            files: self.order.get(*from..*to)?,
            rows: &self.rows,
        })
    }
}

fn number(at: usize) -> u32 {
    // No page has more files than `MOST_FILES`.
    u32::try_from(at).unwrap_or(u32::MAX)
}
