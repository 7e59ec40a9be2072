//! The Python files of a made-up package.

use crate::world::{Project, Release};

/// Name of the package of a project.
pub(crate) fn package(project: &Project) -> String {
    project.name.replace('-', "_")
}

/// The package's files: path and text.
pub(crate) fn sources(
    project: &Project,
    release: &Release,
    version: &str,
    compiled: bool,
) -> Vec<(String, String)> {
    let package = package(project);
    let native = if compiled {
        "\ntry:\n    from . import _core\n    native = True\nexcept ImportError:  # built for \
            another machine\n    native = False\n"
    } else {
        ""
    };
    let imports: Vec<String> = release
        .needs
        .clone()
        .unwrap_or_else(|| project.needs.clone())
        .iter()
        .filter(|n| !n.contains(';'))
        .map(|n| {
            format!(
                "import {}\n",
                n.split(|c: char| "<>=!~[ ".contains(c))
                    .next()
                    .unwrap_or("")
                    .replace('-', "_")
            )
        })
        .collect();
    let summary = &project.summary;
    let init = format!(
        "\"\"\"{summary} (made up for a demonstration).\"\"\"\n\n{}{native}\n__version__ = \
            \"{version}\"\n\n\ndef describe():\n    return \"{package} {version}: {summary}\"\n",
        imports.concat()
    );
    let mut files = vec![(format!("{package}/__init__.py"), init)];
    if !project.scripts.is_empty() {
        let cli = format!(
            "import sys\n\nimport {package}\n\n\ndef main():\n    \
                sys.stdout.write({package}.describe() + \"\\n\")\n    return 0\n"
        );
        files.push((format!("{package}/cli.py"), cli));
    }
    files.retain(|(path, _)| !release.sources.contains_key(path));
    let own = release.sources.iter();
    files.extend(own.map(|(path, text)| (path.clone(), with_hooks(text))));
    files
}

/// The hooks of the demo world's own build system.
const HOOKS: &str = include_str!("hooks.py");

/// A text whose first word stands for the hooks.
pub(crate) fn with_hooks(text: &str) -> String {
    match text.strip_prefix("@hooks") {
        Some(rest) => format!("{HOOKS}{rest}"),
        None => text.to_owned(),
    }
}

/// The core metadata of a release.
pub(crate) fn metadata(project: &Project, release: &Release, version: &str) -> String {
    let mut text = format!(
        "Metadata-Version: 2.2\nName: {}\nVersion: {version}\nSummary: {}\n",
        project.name, project.summary
    );
    if let Some(python) = release.python(project) {
        text.push_str(&format!("Requires-Python: {python}\n"));
    }
    if let Some(series) = &release.classified {
        text.push_str(&format!(
            "Classifier: Programming Language :: Python :: {series}\n"
        ));
    }
    release
        .extras
        .keys()
        .for_each(|extra| text.push_str(&format!("Provides-Extra: {extra}\n")));
    release
        .requirements(project)
        .iter()
        .for_each(|need| text.push_str(&format!("Requires-Dist: {need}\n")));
    text
}

/// The entry points of a project; empty when it has none.
pub(crate) fn entry_points(project: &Project) -> String {
    if project.scripts.is_empty() {
        return String::new();
    }
    let lines: String = project
        .scripts
        .iter()
        .map(|(name, object)| format!("{name} = {object}\n"))
        .collect();
    format!("[console_scripts]\n{lines}")
}
