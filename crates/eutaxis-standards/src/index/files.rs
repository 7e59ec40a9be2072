//! The files of a page. Those of a page that was kept are taken apart one by one, when somebody asks
//! for them; what ranks releases is told by the [`Outline`] before that.

use std::sync::{Arc, OnceLock};

use super::PageFile;
use super::compact::KeptFiles;
use super::outline::Outline;

/// The files of a page, in the order of the page.
///
/// ```
/// use eutaxis_standards::Name;
/// use eutaxis_standards::index::{Page, parse_json};
///
/// let project = Name::parse("firnio")?;
/// let page = br#"{"files": [{"filename": "firnio-1.0-py3-none-any.whl", "url": "f/firnio-1.0.whl"}]}"#;
/// let kept = parse_json(page, &project)?.to_compact();
/// let page = Page::from_compact(kept.into(), &project).ok_or("it was kept just now")?;
/// assert_eq!(page.files.outline().releases().count(), 1);
/// assert_eq!(page.files.first().map(|f| &*f.url), Some("f/firnio-1.0.whl"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct Files {
    /// None within: its kept form cannot be read, and the page is as good as without it.
    cells: Vec<OnceLock<Option<Arc<PageFile>>>>,
    outline: OnceLock<Outline>,
    kept: Option<Arc<KeptFiles>>,
}

impl Files {
    /// Files that are taken apart when they are asked for.
    pub(super) fn kept(outline: Outline, kept: KeptFiles) -> Self {
        Files {
            cells: vec![OnceLock::new(); outline.files()],
            outline: OnceLock::from(outline),
            kept: Some(Arc::new(kept)),
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.cells.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.cells.is_empty()
    }

    /// A file by its place on the page.
    pub fn get(&self, at: usize) -> Option<&Arc<PageFile>> {
        let taken_apart = || {
            let kept = self.kept.as_ref()?;
            kept.file(at, self.outline.get()?).map(Arc::new)
        };
        self.cells.get(at)?.get_or_init(taken_apart).as_ref()
    }

    /// The first one.
    pub fn first(&self) -> Option<&Arc<PageFile>> {
        self.get(0)
    }

    /// All of them, which takes all of them apart.
    pub fn iter(&self) -> impl Iterator<Item = &Arc<PageFile>> + Clone {
        (0..self.len()).filter_map(|at| self.get(at))
    }

    /// What is told of them before one is taken apart.
    pub fn outline(&self) -> &Outline {
        self.outline.get_or_init(|| Outline::of(self.iter()))
    }

    /// Adds one behind the others.
    pub fn push(&mut self, file: Arc<PageFile>) {
        let mut all = std::mem::take(self).into_cells();
        all.push(OnceLock::from(Some(file)));
        self.cells = all;
    }

    /// Makes room for so many more.
    pub fn reserve(&mut self, more: usize) {
        self.cells.reserve(more);
    }

    /// Changes each file in its place, or takes it out where the answer is no.
    pub fn change(&mut self, mut change: impl FnMut(&mut Arc<PageFile>) -> bool) {
        self.cells = std::mem::take(self).into_cells();
        self.cells.retain_mut(|cell| {
            let file = cell.get_mut().and_then(Option::as_mut);
            file.is_some_and(&mut change)
        });
    }

    /// The cells, each with its file.
    fn into_cells(self) -> Vec<OnceLock<Option<Arc<PageFile>>>> {
        if self.kept.is_some() {
            self.iter().for_each(drop);
        }
        self.cells
    }
}

impl FromIterator<Arc<PageFile>> for Files {
    fn from_iter<I: IntoIterator<Item = Arc<PageFile>>>(files: I) -> Self {
        let cells = files.into_iter().map(|file| OnceLock::from(Some(file)));
        Files {
            cells: cells.collect(),
            ..Files::default()
        }
    }
}

impl PartialEq for Files {
    fn eq(&self, other: &Self) -> bool {
        self.iter().eq(other.iter())
    }
}

impl Eq for Files {}
