//! Libraries as the system's loader finds them (System V ABI, dynamic linking): in the folders that
//! files name, in the loader's cache, in its default folders. Files are read, nothing is loaded.

mod cache;
mod config;

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use eutaxis_core::binary::{Binary, Format};
use eutaxis_core::examine::{AbsentLibrary, LackingVersion};
use object::read::ReadCache;

use crate::interpreter::{resolved, under};

/// More libraries than this are not followed from one file.
const MOST_LIBRARIES: usize = 4096;

/// What is known of a compiled file: its parts, or why it cannot be read.
pub type Parts = std::result::Result<Vec<Binary>, String>;

/// Reads a compiled file.
pub fn read_binary(path: &Path) -> Parts {
    let file = std::fs::File::open(path).map_err(|e| format!("it cannot be opened ({e})"))?;
    let cache = ReadCache::new(file);
    eutaxis_core::binary::read(&cache).map_err(|f| f.to_string())
}

/// The loader of a Linux machine.
#[derive(Debug)]
pub struct Loader {
    /// The root that stands in for the machine's; none for this machine.
    stand_in: Option<PathBuf>,
    cache: BTreeMap<String, Vec<PathBuf>>,
    folders: Vec<PathBuf>,
    /// LD_LIBRARY_PATH
    variable: Vec<PathBuf>,
    /// Libraries that the environment brings, by the names under which they are needed.
    brought: BTreeMap<String, PathBuf>,
    /// The interpreter, and what it has loaded already.
    main: Option<PathBuf>,
    preloaded: OnceLock<HashMap<String, PathBuf>>,
    known: Mutex<HashMap<PathBuf, Option<Arc<Binary>>>>,
    /// Architecture and bits of what it loads.
    kind: (String, u32),
    /// It is that of musl.
    musl: bool,
}

/// What following a file's needs came to.
#[derive(Debug, Default)]
pub struct Followed {
    /// Libraries that were found, with the file itself.
    pub reached: BTreeSet<PathBuf>,
    /// Needs of this file and of those it loads that are not met, with the file that has them.
    pub absent: Vec<(PathBuf, AbsentLibrary)>,
    /// Versions that libraries do not define, with the file that needs them.
    pub lacking: Vec<(PathBuf, LackingVersion)>,
}

impl Loader {
    /// The loader of the machine whose root this is, for files of the same kind as the interpreter.
    pub fn new(stand_in: Option<&Path>, interpreter: Option<&Path>) -> Self {
        let root = stand_in.unwrap_or(Path::new("/"));
        // Of a machine that is looked at from outside, this process's variables tell nothing.
        let variable = match stand_in {
            Some(_) => Vec::new(),
            None => std::env::var_os("LD_LIBRARY_PATH")
                .map(|v| std::env::split_paths(&v).collect())
                .unwrap_or_default(),
        };
        let mut loader = Loader {
            stand_in: stand_in.map(Path::to_owned),
            cache: cache::read(&root.join("etc/ld.so.cache")),
            folders: Vec::new(),
            variable: variable
                .into_iter()
                .filter(|p: &PathBuf| !p.as_os_str().is_empty())
                .collect(),
            brought: BTreeMap::new(),
            main: None,
            preloaded: OnceLock::new(),
            known: Mutex::new(HashMap::new()),
            kind: (String::new(), 0),
            musl: false,
        };
        // Where a program stands for `$ORIGIN` is its own place, not that of a link to it.
        let real = |p: &Path| std::fs::canonicalize(p).unwrap_or_else(|_| p.to_owned());
        loader.main = interpreter.map(|p| {
            if stand_in.is_some() {
                loader.place(p)
            } else {
                real(p)
            }
        });
        if let Some(main) = loader.main.as_deref().and_then(first_elf) {
            loader.kind = (main.arch.clone(), main.bits);
            // A system may have both: the interpreter's own counts.
            loader.musl = main.needs.iter().any(|n| config::is_of_musl(n));
        }
        loader.folders =
            config::folders(root, &loader.kind.0, loader.cache.is_empty(), loader.musl);
        loader
    }

    /// For files of this architecture, where no interpreter tells it.
    #[must_use]
    pub fn for_arch(mut self, arch: &str, bits: u32) -> Self {
        if self.kind.0.is_empty() {
            self.kind = (arch.to_owned(), bits);
            let root = self.stand_in.clone().unwrap_or_else(|| PathBuf::from("/"));
            self.folders = config::folders(&root, arch, self.cache.is_empty(), false);
        }
        self
    }

    /// With libraries that an environment brings: a project may load them before they are looked
    /// for.
    pub fn bring<'a>(&mut self, files: impl Iterator<Item = (&'a Path, &'a Binary)>) {
        for (path, binary) in files {
            let name = path.file_name().map(|n| n.to_string_lossy().into_owned());
            for name in name.into_iter().chain(binary.soname.clone()) {
                self.brought.entry(name).or_insert_with(|| path.to_owned());
            }
        }
    }

    /// Whether this loader loads files of a kind at all.
    pub fn loads(&self, binary: &Binary) -> bool {
        binary.format == Format::Elf
            && (binary.arch.as_str(), binary.bits) == (self.kind.0.as_str(), self.kind.1)
    }

    /// Whether the machine has a library, where every file of it finds it.
    pub fn has(&self, library: &str) -> bool {
        (self.musl && config::is_of_musl(library)) || self.of_system(library).is_some()
    }

    /// Versions that the machine's libraries do not define for a file that is nowhere yet.
    pub fn lacking(&self, binary: &Binary) -> Vec<LackingVersion> {
        let found = binary
            .needs
            .iter()
            .filter_map(|n| Some((n.as_str(), self.of_system(n)?)))
            .collect();
        let mut followed = Followed::default();
        self.versions(Path::new(""), binary, &found, &mut followed);
        followed
            .lacking
            .into_iter()
            .map(|(_, lacking)| lacking)
            .collect()
    }

    fn of_system(&self, library: &str) -> Option<PathBuf> {
        let loaded = self
            .main
            .as_ref()
            .map(|main| self.preloaded.get_or_init(|| self.loaded_by(main)));
        let empty = Binary::plain(Format::Elf, &self.kind.0, self.kind.1);
        let there = loaded.and_then(|l| l.get(library).cloned());
        there.or_else(|| self.find(library, Path::new("/"), &empty, &[]))
    }

    /// Functions and data that the interpreter offers, itself or by its library.
    pub fn offered(&self) -> BTreeSet<String> {
        let Some(main) = &self.main else {
            return BTreeSet::new();
        };
        let files = self.follow(main).reached;
        files
            .iter()
            .filter_map(|f| self.binary(f))
            .flat_map(|b| b.offers.clone())
            .collect()
    }

    /// A path of the machine, links followed.
    fn place(&self, path: &Path) -> PathBuf {
        match &self.stand_in {
            Some(root) if path.starts_with(root) => resolved(root, path),
            Some(root) => resolved(root, &under(root, path)),
            None => path.to_owned(),
        }
    }

    /// What a file is, if it is one that this loader loads.
    fn binary(&self, path: &Path) -> Option<Arc<Binary>> {
        let known = || self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(binary) = known().get(path) {
            return binary.clone();
        }
        let binary = first_elf(path)
            .filter(|b| self.kind.1 == 0 || self.loads(b))
            .map(Arc::new);
        known().insert(path.to_owned(), binary.clone());
        binary
    }

    /// Follows what a file needs, and what that needs, in the order in which the loader does.
    pub fn follow(&self, file: &Path) -> Followed {
        let mut followed = Followed::default();
        // What the interpreter has loaded is not looked for again.
        let mut loaded = match &self.main {
            Some(main) if main != file => {
                self.preloaded.get_or_init(|| self.loaded_by(main)).clone()
            }
            _ => HashMap::new(),
        };
        let chain: Vec<PathBuf> = self.main.iter().filter(|m| *m != file).cloned().collect();
        self.walk(file, &chain, &mut loaded, &mut followed);
        followed
    }

    fn loaded_by(&self, main: &Path) -> HashMap<String, PathBuf> {
        let mut loaded = HashMap::new();
        self.walk(main, &[], &mut loaded, &mut Followed::default());
        loaded
    }

    fn walk(
        &self,
        file: &Path,
        loaders: &[PathBuf],
        loaded: &mut HashMap<String, PathBuf>,
        followed: &mut Followed,
    ) {
        let mut queue: Vec<(PathBuf, Vec<PathBuf>)> = vec![(file.to_owned(), loaders.to_vec())];
        let mut at = 0;
        while let Some((path, loaders)) = queue.get(at).cloned() {
            at += 1;
            if !followed.reached.insert(path.clone()) || at > MOST_LIBRARIES {
                continue;
            }
            let Some(binary) = self.binary(&path) else {
                continue;
            };
            let mut found: BTreeMap<&str, PathBuf> = BTreeMap::new();
            for needed in &binary.needs {
                if self.musl && config::is_of_musl(needed) {
                    continue;
                }
                if let Some(there) = loaded.get(needed) {
                    found.insert(needed, there.clone());
                    continue;
                }
                let Some(library) = self.find(needed, &path, &binary, &loaders) else {
                    let near = self.near(needed);
                    let absent = AbsentLibrary {
                        library: needed.clone(),
                        by: shown(&path),
                        near,
                    };
                    followed.absent.push((path.clone(), absent));
                    continue;
                };
                loaded.insert(needed.clone(), library.clone());
                if let Some(name) = self.binary(&library).and_then(|b| b.soname.clone()) {
                    loaded.entry(name).or_insert_with(|| library.clone());
                }
                found.insert(needed, library.clone());
                let chain = loaders.iter().cloned().chain([path.clone()]).collect();
                queue.push((library, chain));
            }
            self.versions(&path, &binary, &found, followed);
        }
    }

    /// Versions that the libraries which were found do not define. One that defines none is taken
    /// as it is.
    fn versions(
        &self,
        path: &Path,
        binary: &Binary,
        found: &BTreeMap<&str, PathBuf>,
        followed: &mut Followed,
    ) {
        for need in binary.versions.iter().filter(|n| !n.weak) {
            let Some(library) = found.get(need.library.as_str()) else {
                continue;
            };
            let Some(theirs) = self.binary(library).filter(|b| !b.defines.is_empty()) else {
                continue;
            };
            if theirs.defines.contains(&need.version) {
                continue;
            }
            let name = need.version.split('_').next().unwrap_or("");
            let numbered = |v: &&String| eutaxis_core::binary::numbers(v, name).is_some();
            let highest = theirs
                .defines
                .iter()
                .filter(numbered)
                .max_by_key(|v| eutaxis_core::binary::numbers(v, name));
            let lacking = LackingVersion {
                library: need.library.clone(),
                path: shown(library),
                version: need.version.clone(),
                highest: highest.cloned(),
            };
            followed.lacking.push((path.to_owned(), lacking));
        }
    }

    /// Where the loader finds a library that a file needs.
    fn find(
        &self,
        needed: &str,
        by: &Path,
        binary: &Binary,
        loaders: &[PathBuf],
    ) -> Option<PathBuf> {
        let fits = |path: PathBuf| self.binary(&path).map(|_| path);
        if needed.contains('/') {
            return fits(self.place(&self.expand(needed, by)));
        }
        let mut folders: Vec<PathBuf> = Vec::new();
        if binary.runpath.is_empty() {
            folders.extend(binary.rpath.iter().map(|f| self.expand(f, by)));
            for loader in loaders.iter().rev() {
                let theirs = self.binary(loader).filter(|b| b.runpath.is_empty());
                folders.extend(
                    theirs
                        .iter()
                        .flat_map(|b| &b.rpath)
                        .map(|f| self.expand(f, loader)),
                );
            }
        }
        folders.extend(self.variable.iter().cloned());
        folders.extend(binary.runpath.iter().map(|f| self.expand(f, by)));
        let named = folders.iter().map(|f| f.join(needed));
        let cached = self.cache.get(needed).into_iter().flatten().cloned();
        let usual = self.folders.iter().map(|f| f.join(needed));
        let mut places = named.chain(cached).chain(usual).map(|p| self.place(&p));
        places.find_map(fits).or_else(|| {
            self.brought
                .get(needed)
                .cloned()
                .and_then(|p| self.binary(&p).map(|_| p))
        })
    }

    /// A folder as a file names it, with what stands for its own folder and the usual names
    /// replaced.
    fn expand(&self, text: &str, by: &Path) -> PathBuf {
        let origin = by.parent().map(shown).unwrap_or_default();
        let library = if self.kind.1 == 64 { "lib64" } else { "lib" };
        let text = text
            .replace("${ORIGIN}", "$ORIGIN")
            .replace("${LIB}", "$LIB")
            .replace("${PLATFORM}", "$PLATFORM");
        let text = text
            .replace("$ORIGIN", &origin)
            .replace("$LIB", library)
            .replace("$PLATFORM", &self.kind.0);
        PathBuf::from(text)
    }

    /// The same library in another version, in the cache, the usual folders or the environment.
    fn near(&self, needed: &str) -> Option<String> {
        let stem = needed.split(".so").next().filter(|s| !s.is_empty())?;
        let alike = |name: &str| {
            name.strip_prefix(stem)
                .is_some_and(|r| r.starts_with(".so."))
                && name != needed
        };
        let cached = || {
            self.cache
                .iter()
                .filter(|(n, _)| alike(n))
                .flat_map(|(_, p)| p.iter().cloned())
        };
        let brought = || {
            self.brought
                .iter()
                .filter(|(n, _)| alike(n))
                .map(|(_, p)| p.clone())
        };
        let usual = || {
            let listed = self
                .folders
                .iter()
                .filter_map(|f| std::fs::read_dir(self.place(f)).ok())
                .flatten()
                .flatten();
            listed
                .filter(|e| alike(&e.file_name().to_string_lossy()))
                .map(|e| e.path())
        };
        brought()
            .chain(cached())
            .chain(usual())
            .find(|p| self.binary(&self.place(p)).is_some())
            .map(|p| shown(&p))
    }
}

fn first_elf(path: &Path) -> Option<Binary> {
    read_binary(path)
        .ok()?
        .into_iter()
        .find(|b| b.format == Format::Elf)
}

fn shown(path: &Path) -> String {
    path.display().to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use eutaxis_demo::Library;
    use rstest::rstest;
    use tempfile::TempDir;

    /// A machine with these libraries, and an interpreter.
    fn machine(libraries: &[(&str, Library)]) -> TempDir {
        let root = tempfile::tempdir().unwrap();
        let interpreter = Library {
            needs: vec!["libc.so.6".into()],
            ..Library::default()
        };
        let libc = Library {
            soname: "libc.so.6".into(),
            defines: vec!["GLIBC_2.17".into(), "GLIBC_2.34".into()],
            ..Library::default()
        };
        let usual = [
            ("usr/bin/python3.11", interpreter),
            ("lib/x86_64-linux-gnu/libc.so.6", libc),
        ];
        for (path, library) in libraries.iter().cloned().chain(usual) {
            let path = root.path().join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, library.bytes()).unwrap();
        }
        root
    }

    fn needing(names: &[&str]) -> Library {
        Library {
            needs: names.iter().map(|n| (*n).to_owned()).collect(),
            ..Library::module("_core")
        }
    }

    /// What is absent for `site/_core.so`.
    fn absent(libraries: &[(&str, Library)]) -> Vec<String> {
        let root = machine(libraries);
        let loader = Loader::new(
            Some(root.path()),
            Some(&root.path().join("usr/bin/python3.11")),
        );
        let followed = loader.follow(&root.path().join("site/_core.so"));
        followed
            .absent
            .into_iter()
            .map(|(_, a)| a.library)
            .collect()
    }

    const FIRN: &str = "libfirn.so.3";

    #[rstest]
    #[case::nowhere(needing(&[FIRN]), "elsewhere/libfirn.so.3", &[FIRN])]
    #[case::usual_folder(needing(&[FIRN]), "usr/lib/x86_64-linux-gnu/libfirn.so.3", &[])]
    #[case::small_folder(needing(&[FIRN]), "usr/lib/libfirn.so.3", &[])]
    #[case::beside(Library { runpath: "$ORIGIN/libs".into(), ..needing(&[FIRN]) }, "site/libs/libfirn.so.3", &[])]
    #[case::braces(Library { runpath: "${ORIGIN}/../libs".into(), ..needing(&[FIRN]) }, "libs/libfirn.so.3", &[])]
    #[case::older_form(Library { rpath: "$ORIGIN/libs".into(), ..needing(&[FIRN]) }, "site/libs/libfirn.so.3", &[])]
    #[case::newer_form_wins(Library { rpath: "$ORIGIN/libs".into(), runpath: "/none".into(), ..needing(&[FIRN]) }, "site/libs/libfirn.so.3", &[FIRN])]
    #[case::by_path(needing(&["/opt/firn/libfirn.so.3"]), "opt/firn/libfirn.so.3", &[])]
    fn libraries_are_found_where_the_loader_looks(
        #[case] module: Library,
        #[case] place: &str,
        #[case] expected: &[&str],
    ) {
        assert_eq!(
            absent(&[("site/_core.so", module), (place, Library::default())]),
            expected
        );
    }

    #[test]
    fn the_older_form_holds_for_what_is_loaded_in_turn() {
        let module = Library {
            rpath: "$ORIGIN/libs".into(),
            ..needing(&[FIRN])
        };
        let firn = Library {
            needs: vec!["libsnow.so.1".into()],
            ..Library::default()
        };
        let files = [
            ("site/_core.so", module.clone()),
            ("site/libs/libfirn.so.3", firn),
            ("site/libs/libsnow.so.1", Library::default()),
        ];
        assert!(absent(&files).is_empty());
        let [_, firn, snow] = files;
        let newer = Library {
            rpath: String::new(),
            runpath: "$ORIGIN/libs".into(),
            ..module
        };
        assert_eq!(
            absent(&[("site/_core.so", newer), firn, snow]),
            ["libsnow.so.1"]
        );
    }

    #[test]
    fn files_of_another_architecture_are_passed_over() {
        let foreign = Library {
            arch: "aarch64".into(),
            ..Library::default()
        };
        let files = [
            ("site/_core.so", needing(&[FIRN])),
            ("usr/lib/x86_64-linux-gnu/libfirn.so.3", foreign),
        ];
        assert_eq!(absent(&files), [FIRN]);
        let [module, foreign] = files;
        assert!(absent(&[module, foreign, ("lib/libfirn.so.3", Library::default())]).is_empty());
    }

    #[test]
    fn configured_folders_count_and_what_has_another_version_is_told() {
        let root = machine(&[
            ("site/_core.so", needing(&[FIRN])),
            ("opt/ice/libfirn.so.3", Library::default()),
        ]);
        let loader = || {
            Loader::new(
                Some(root.path()),
                Some(&root.path().join("usr/bin/python3.11")),
            )
        };
        assert_eq!(
            loader()
                .follow(&root.path().join("site/_core.so"))
                .absent
                .len(),
            1
        );
        std::fs::create_dir_all(root.path().join("etc/ld.so.conf.d")).unwrap();
        std::fs::write(
            root.path().join("etc/ld.so.conf"),
            "include /etc/ld.so.conf.d/*.conf\n",
        )
        .unwrap();
        std::fs::write(
            root.path().join("etc/ld.so.conf.d/ice.conf"),
            "# ice\n/opt/ice\n",
        )
        .unwrap();
        assert!(
            loader()
                .follow(&root.path().join("site/_core.so"))
                .absent
                .is_empty()
        );
        std::fs::rename(
            root.path().join("opt/ice/libfirn.so.3"),
            root.path().join("opt/ice/libfirn.so.4"),
        )
        .unwrap();
        let absent = loader().follow(&root.path().join("site/_core.so")).absent;
        assert!(
            absent[0]
                .1
                .near
                .as_ref()
                .unwrap()
                .ends_with("opt/ice/libfirn.so.4"),
            "{absent:?}"
        );
    }

    #[test]
    fn versions_that_a_library_lacks_are_told() {
        let versions = ["GLIBC_2.17", "GLIBC_2.38"]
            .map(|v| ("libc.so.6".to_owned(), v.to_owned()))
            .to_vec();
        let root = machine(&[(
            "site/_core.so",
            Library {
                versions,
                ..needing(&["libc.so.6"])
            },
        )]);
        let loader = Loader::new(
            Some(root.path()),
            Some(&root.path().join("usr/bin/python3.11")),
        );
        let lacking = loader.follow(&root.path().join("site/_core.so")).lacking;
        let [(_, one)] = lacking.as_slice() else {
            panic!("{lacking:?}")
        };
        assert_eq!(
            (one.version.as_str(), one.highest.as_deref()),
            ("GLIBC_2.38", Some("GLIBC_2.34"))
        );
    }

    #[test]
    fn this_machines_interpreter_finds_what_it_needs() {
        let python = std::env::split_paths(&std::env::var_os("PATH").unwrap())
            .map(|f| f.join("python3"))
            .filter_map(|p| std::fs::canonicalize(p).ok())
            .find(|p| first_elf(p).is_some());
        let Some(python) = python else { return };
        let loader = Loader::new(None, Some(&python));
        let followed = loader.follow(&python);
        assert!(
            followed.absent.is_empty() && followed.lacking.is_empty(),
            "{followed:?}"
        );
        assert!(loader.offered().contains("Py_Initialize"));
    }
}
