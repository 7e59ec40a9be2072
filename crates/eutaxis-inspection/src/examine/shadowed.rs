//! `shadowed-import`: modules that are found first outside their project (the language reference,
//! the import system).

use std::collections::BTreeSet;

use super::{Entry, Finding, Project, Seat, Severity, Snapshot, Top, Trouble, Whose};

pub(super) fn check(snapshot: &Snapshot, findings: &mut Vec<Finding>) {
    for (_, project) in snapshot.here() {
        let Some(own) = snapshot.path.get(project.entry) else {
            continue;
        };
        let mut told = BTreeSet::new();
        for (name, is_folder) in top_names(project, own) {
            if !told.insert((name, is_folder)) {
                continue;
            }
            let Some((entry, top)) = first(snapshot, name) else {
                continue;
            };
            // A package without a file of its own gives way to anything; one with a file is its
            // own.
            let mine = project.files.iter().any(|f| f.path == top.path);
            // Several projects may place files in one package.
            let inside = top
                .path
                .strip_prefix(own.folder.as_str())
                .and_then(|p| p.strip_prefix('/'));
            let shared = is_folder && inside.is_some_and(|p| p.split('/').next() == Some(name));
            if mine
                || shared
                || top.namespace
                || entry.seat == Seat::Site && owner(snapshot, top).is_none()
            {
                continue;
            }
            let Some(whose) = whose(snapshot, entry, top, project) else {
                continue;
            };
            let trouble = Trouble::Shadowed {
                module: name.to_owned(),
                file: snapshot.shown(&top.path),
                whose,
            };
            let remedy = match entry.seat {
                Seat::Standard => {
                    format!(
                        "take {} out, or start without it: the standard library has that name",
                        project.name
                    )
                }
                Seat::Variable => "take that folder out of PYTHONPATH".to_owned(),
                Seat::Start => "rename that file, or start from another folder".to_owned(),
                Seat::Site | Seat::Pth | Seat::User | Seat::System => {
                    "keep one of the two".to_owned()
                }
            };
            let finding = Finding::new(Severity::Risk, trouble, remedy);
            findings.push(finding.about(project).of(vec![top.path.clone()]));
        }
    }
}

/// Names of what a project places at the top of its folder, and whether they are those of folders.
fn top_names<'a>(project: &'a Project, own: &'a Entry) -> impl Iterator<Item = (&'a str, bool)> {
    let inside = project
        .files
        .iter()
        .filter_map(|f| f.path.strip_prefix(own.folder.as_str())?.strip_prefix('/'));
    inside.filter_map(|path| match path.split_once('/') {
        Some((folder, _)) => own.modules.contains_key(folder).then_some((folder, true)),
        None => path
            .split('.')
            .next()
            .filter(|stem| own.modules.contains_key(*stem))
            .map(|stem| (stem, false)),
    })
}

/// What an import finds: the first with a file; packages without one only when there is nothing
/// else.
fn first<'a>(snapshot: &'a Snapshot, name: &str) -> Option<(&'a Entry, &'a Top)> {
    let found = || {
        snapshot
            .path
            .iter()
            .filter_map(|e| Some((e, e.modules.get(name)?)))
    };
    found()
        .find(|(_, top)| !top.namespace)
        .or_else(|| found().next())
}

fn owner<'a>(snapshot: &'a Snapshot, top: &Top) -> Option<&'a Project> {
    snapshot
        .projects
        .iter()
        .find(|p| p.files.iter().any(|f| f.path == top.path))
}

/// Whose it is; none when it is the project's own after all.
fn whose(snapshot: &Snapshot, entry: &Entry, top: &Top, project: &Project) -> Option<Whose> {
    match (owner(snapshot, top), entry.seat) {
        (Some(other), _) if other.name == project.name && other.version == project.version => None,
        (Some(other), _) if other.name == project.name => {
            Some(Whose::Release(other.version.clone()))
        }
        (Some(other), _) => Some(Whose::Project(other.name.clone())),
        (None, Seat::Standard) => Some(Whose::Standard),
        (None, Seat::Variable) => Some(Whose::Variable),
        (None, Seat::Start) => Some(Whose::Start),
        // The same project, used in place.
        (None, Seat::Pth) if project.direct.as_ref().is_some_and(|d| d.editable) => None,
        (None, Seat::Pth) => Some(Whose::Pth(entry.folder.clone())),
        (None, _) => None,
    }
}
