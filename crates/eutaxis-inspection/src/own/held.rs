//! Holding imports against what brings modules.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_standards::knowledge::{
    Lacking, SeriesNumber, bringing, is_standard, lacking_module, lacking_name,
};
use eutaxis_standards::name::Name;
use eutaxis_standards::severity::Severity;

use super::code::{Code, Own, Place, Source};
use super::imports::{Import, Manner};
use crate::interface::{Form, Set, is_for_makers};

/// A project that brings modules.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bringer {
    /// Its name.
    pub name: Name,
    /// It is asked for by itself; none where that is not known.
    pub asked: Option<bool>,
    /// Who needs it, where others do.
    pub by: Vec<Name>,
    /// Its modules are in the set; else only its name tells.
    pub known: bool,
}

impl Bringer {
    /// A project whose modules are in the set.
    pub fn known(name: Name, asked: bool) -> Self {
        Bringer {
            name,
            asked: Some(asked),
            by: Vec::new(),
            known: true,
        }
    }

    /// Whether it may bring a module, by its name alone.
    fn may_bring(&self, module: &str) -> bool {
        let is_it = |n: &str| Name::parse(n).is_ok_and(|n| n == self.name);
        if bringing(module).into_iter().any(is_it) {
            return true;
        }
        let parts: Vec<&str> = module.split('.').collect();
        (1..=parts.len()).any(|n| parts.get(..n).is_some_and(|some| is_it(&some.join("-"))))
    }
}

/// What modules there are to import: those of pins, of an environment, of what is asked for.
#[derive(Debug, Clone)]
pub struct Brought {
    /// What it is, for people: the file of the pins, the environment's folder.
    pub label: String,
    /// The modules; projects by their place in `bringers`.
    pub set: Set,
    /// The projects.
    pub bringers: Vec<Bringer>,
    /// Modules at the top that are there and belong to no project.
    pub beside: BTreeSet<String>,
}

impl Brought {
    /// Who brings what an import takes.
    fn bringer(&self, import: &Import) -> Option<usize> {
        let whole = match &import.name {
            Some(name) => format!("{}.{name}", import.module),
            None => import.module.clone(),
        };
        let mut at = whole.as_str();
        loop {
            let found = self.set.get(at);
            // Many may bring a package that holds nothing but others.
            if let Some(found) = found.filter(|f| f.form != Form::Namespace && !f.several) {
                return Some(found.project);
            }
            match at.rsplit_once('.') {
                Some((above, _)) => at = above,
                None => break,
            }
        }
        if let Some(found) = self.set.get(&import.module)
            && found.several
        {
            return Some(found.project);
        }
        let guessed = |b: &Bringer| !b.known && b.may_bring(&import.module);
        self.bringers.iter().position(guessed)
    }

    /// The part of a module's name that tells who should bring it.
    fn telling<'m>(&self, module: &'m str) -> &'m str {
        let top = module.split('.').next().unwrap_or(module);
        let nested = bringing(top).is_empty() && !bringing(module).is_empty();
        match self.set.get(top).is_some() || nested {
            true => module,
            false => top,
        }
    }
}

/// What is wrong.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Trouble {
    /// Nothing brings the module.
    NotBrought {
        /// The module, as far as it tells who should bring it.
        module: String,
        /// It is there in other series of the interpreter alone.
        standard: Option<Gone>,
    },
    /// A name of a module of the standard library is not there in the target's series.
    NoName {
        /// The module.
        module: String,
        /// The name.
        name: String,
        /// How it lacks.
        gone: Gone,
    },
    /// What one file needs is in no set alone.
    Crosses {
        /// The file.
        file: String,
        /// For each set its label and what of the file it lacks.
        lacks: Vec<(String, Vec<String>)>,
    },
    /// Only others bring it, and may stop to.
    OnlyThrough {
        /// The project.
        project: Name,
        /// Who needs it.
        by: Vec<Name>,
    },
    /// A file of one's own bears the name of a module, and is imported in its place.
    Hides {
        /// The module.
        module: String,
        /// The file.
        file: String,
        /// Whose it is otherwise; none of the standard library.
        project: Option<Name>,
    },
    /// A source that cannot be read from some line on.
    Unread {
        /// The file.
        file: String,
    },
    /// Asked for, and imported nowhere.
    NeverImported {
        /// The project.
        project: Name,
        /// Only its name tells what it brings.
        by_name: bool,
    },
}

/// How a part of the standard library is lacking.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Gone {
    /// Gone since a series.
    Since(SeriesNumber),
    /// New in a series.
    Until(SeriesNumber),
}

impl From<Lacking> for Gone {
    fn from(lacking: Lacking) -> Self {
        match lacking {
            Lacking::Gone(series) => Gone::Since(series),
            Lacking::Later(series) => Gone::Until(series),
        }
    }
}

impl std::fmt::Display for Gone {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match *self {
            Gone::Since(series) => Lacking::Gone(series).fmt(f),
            Gone::Until(series) => Lacking::Later(series).fmt(f),
        }
    }
}

/// Something to be said of one's own code.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remark {
    /// What is wrong.
    pub trouble: Trouble,
    /// Where, the worst first; nowhere for what is imported nowhere.
    pub places: Vec<Place>,
    /// What the worst place hangs on.
    pub manner: Manner,
    /// All places lie in tests and the like.
    pub for_makers: bool,
}

impl Trouble {
    /// Its name for programs.
    pub fn id(&self) -> &'static str {
        match self {
            Trouble::NotBrought { standard: None, .. } => "not-brought",
            Trouble::NotBrought { .. } | Trouble::NoName { .. } => "standard-gone",
            Trouble::Crosses { .. } => "crosses",
            Trouble::OnlyThrough { .. } => "only-through",
            Trouble::Hides { .. } => "hides",
            Trouble::Unread { .. } => "unread",
            Trouble::NeverImported { .. } => "never-imported",
        }
    }
}

impl Remark {
    /// How bad it is.
    pub fn severity(&self) -> Severity {
        match &self.trouble {
            Trouble::NotBrought { .. } | Trouble::NoName { .. } | Trouble::Crosses { .. } => {
                match (&self.manner, self.for_makers) {
                    (Manner::Guarded | Manner::Typing, _) => Severity::Note,
                    (Manner::Perhaps, _) | (_, true) => Severity::Risk,
                    (Manner::Always | Manner::Within(_), false) => Severity::Breaks,
                }
            }
            Trouble::OnlyThrough { .. } => match (&self.manner, self.for_makers) {
                (Manner::Guarded | Manner::Typing, _) | (_, true) => Severity::Note,
                (Manner::Always | Manner::Within(_) | Manner::Perhaps, false) => Severity::Risk,
            },
            Trouble::Hides { .. } | Trouble::Unread { .. } => Severity::Risk,
            Trouble::NeverImported { .. } => Severity::Note,
        }
    }
}

/// A place with what it hangs on.
type Spot = (bool, Manner, Place);

/// Holds code against sets of which each file needs one that brings all of it, for a series of the
/// interpreter. The worst comes first.
pub fn held(code: &Code, series: Option<SeriesNumber>, sets: &[Brought]) -> Vec<Remark> {
    let mut holding = Holding {
        code,
        series,
        sets,
        found: BTreeMap::new(),
        used: BTreeSet::new(),
    };
    for source in &code.sources {
        holding.source(source);
    }
    for source in &code.sources {
        holding.hides_from_all(source);
    }
    let mut remarks = holding.remarks();
    remarks.sort_by_cached_key(|r| (r.severity(), r.places.first().cloned(), r.trouble.clone()));
    remarks
}

struct Holding<'a> {
    code: &'a Code,
    series: Option<SeriesNumber>,
    sets: &'a [Brought],
    found: BTreeMap<Trouble, Vec<Spot>>,
    /// Projects that something is imported of: the set, and the place in it.
    used: BTreeSet<(usize, usize)>,
}

impl Holding<'_> {
    fn tell(&mut self, trouble: Trouble, source: &Source, line: u32, manner: Manner) {
        let for_makers = source.file.split('/').any(|part| {
            let stem = part.split('.').next().unwrap_or(part);
            is_for_makers(stem)
        });
        let place = source.place(line);
        let spots = self.found.entry(trouble).or_default();
        spots.push((for_makers, manner, place));
    }

    fn source(&mut self, source: &Source) {
        if let Some(line) = source.broken {
            let file = source.file.clone();
            self.tell(Trouble::Unread { file }, source, line, Manner::Always);
        }
        // What each set lacks of this file: told together where none has all.
        let mut lacks: Vec<BTreeMap<String, (u32, Manner)>> =
            vec![BTreeMap::new(); self.sets.len()];
        for import in &source.imports {
            self.import(source, import, &mut lacks);
        }
        let crossing = self.sets.len() > 1 && lacks.iter().all(|l| !l.is_empty());
        if crossing {
            let first = lacks
                .iter()
                .flat_map(BTreeMap::values)
                .min_by_key(|(line, manner)| (manner.clone(), *line))
                .cloned();
            let labels = self.sets.iter().map(|s| s.label.clone());
            let lacks = labels
                .zip(&lacks)
                .map(|(l, lacks)| (l, lacks.keys().cloned().collect()));
            let trouble = Trouble::Crosses {
                file: source.file.clone(),
                lacks: lacks.collect(),
            };
            if let Some((line, manner)) = first {
                self.tell(trouble, source, line, manner);
            }
        }
    }

    fn import(
        &mut self,
        source: &Source,
        import: &Import,
        lacks: &mut [BTreeMap<String, (u32, Manner)>],
    ) {
        let module = import.module.as_str();
        let top = module.split('.').next().unwrap_or(module);
        let own = self.code.own(&source.file, top);
        let bringers: Vec<Option<usize>> = self.sets.iter().map(|s| s.bringer(import)).collect();
        if let Some(Own::Found { path, first }) = &own {
            let project = self.first_of(&bringers);
            let is_other = project.is_some() || (is_standard(top) && self.has(top));
            // A whole package of that name is the project itself, in its own folder.
            if *first && is_other && path.ends_with(".py") {
                let trouble = Trouble::Hides {
                    module: top.to_owned(),
                    file: path.clone(),
                    project,
                };
                self.tell(trouble, source, import.line, import.manner.clone());
            }
            return;
        }
        for (at, project) in bringers.iter().enumerate() {
            if let Some(project) = project {
                self.used.insert((at, *project));
            }
        }
        let beside = self.sets.iter().any(|s| s.beside.contains(top));
        let is_brought = bringers.iter().any(Option::is_some) || (beside && !is_standard(top));
        if is_standard(top) && !is_brought {
            return self.standard(source, import);
        }
        if own.is_some() && !is_brought {
            return;
        }
        if !is_brought {
            if self.sets.is_empty() {
                return;
            }
            let told = self.sets.first().map_or(top, |s| s.telling(module));
            let trouble = Trouble::NotBrought {
                module: told.to_owned(),
                standard: None,
            };
            return self.tell(trouble, source, import.line, import.manner.clone());
        }
        for (lacks, bringer) in lacks.iter_mut().zip(&bringers) {
            if bringer.is_none()
                && !beside
                && !matches!(import.manner, Manner::Guarded | Manner::Typing)
            {
                let first = (import.line, import.manner.clone());
                lacks.entry(module.to_owned()).or_insert(first);
            }
        }
        self.through(source, import, &bringers);
    }

    /// Only others bring it: where no set has it asked for.
    fn through(&mut self, source: &Source, import: &Import, bringers: &[Option<usize>]) {
        let found = bringers.iter().zip(self.sets);
        let found: Vec<&Bringer> = found
            .filter_map(|(at, set)| set.bringers.get((*at)?))
            .collect();
        let Some(first) = found.first().filter(|_| {
            let through = |b: &&Bringer| b.asked == Some(false) && !b.by.is_empty();
            found.iter().all(through)
        }) else {
            return;
        };
        let trouble = Trouble::OnlyThrough {
            project: first.name.clone(),
            by: first.by.clone(),
        };
        self.tell(trouble, source, import.line, import.manner.clone());
    }

    /// A script that bears the name of a module hides it from all that is started beside it, also
    /// where none of one's own files imports it: others do.
    fn hides_from_all(&mut self, source: &Source) {
        let Some(module) = self.code.script(&source.file) else {
            return;
        };
        let import = Import {
            module: module.to_owned(),
            name: None,
            line: 1,
            manner: Manner::Always,
        };
        let bringers: Vec<Option<usize>> = self.sets.iter().map(|s| s.bringer(&import)).collect();
        let project = self.first_of(&bringers);
        let is_other = project.is_some() || (is_standard(module) && self.has(module));
        let trouble = Trouble::Hides {
            module: module.to_owned(),
            file: source.file.clone(),
            project,
        };
        if is_other && !is_for_makers(module) && !self.found.contains_key(&trouble) {
            self.tell(trouble, source, 1, Manner::Always);
        }
    }

    fn first_of(&self, bringers: &[Option<usize>]) -> Option<Name> {
        let found = bringers.iter().zip(self.sets);
        let mut names = found.filter_map(|(at, set)| Some(set.bringers.get((*at)?)?.name.clone()));
        names.next()
    }

    /// Whether the series has a module of the standard library.
    fn has(&self, module: &str) -> bool {
        self.series
            .is_none_or(|series| lacking_module(module, series).is_none())
    }

    /// What the standard library of the series lacks.
    fn standard(&mut self, source: &Source, import: &Import) {
        let Some(series) = self.series else { return };
        let module = import.module.as_str();
        let within = import.name.as_ref().map(|name| format!("{module}.{name}"));
        let lacking = lacking_module(module, series)
            .map(|lacking| (module, lacking))
            .or_else(|| {
                let within = within.as_deref()?;
                Some((within, lacking_module(within, series)?))
            });
        if let Some((module, lacking)) = lacking {
            let trouble = Trouble::NotBrought {
                module: module.to_owned(),
                standard: Some(lacking.into()),
            };
            return self.tell(trouble, source, import.line, import.manner.clone());
        }
        let Some(name) = &import.name else { return };
        if let Some(lacking) = lacking_name(module, name, series) {
            let trouble = Trouble::NoName {
                module: module.to_owned(),
                name: name.clone(),
                gone: lacking.into(),
            };
            self.tell(trouble, source, import.line, import.manner.clone());
        }
    }

    fn remarks(self) -> Vec<Remark> {
        let never = self.never_imported();
        let told = self.found.into_iter().map(|(trouble, mut spots)| {
            spots.sort();
            let worst = spots.first().cloned();
            let (for_makers, manner) = worst
                .map_or((false, Manner::Always), |(makers, manner, _)| {
                    (makers, manner)
                });
            let mut places: Vec<Place> = spots.into_iter().map(|(_, _, place)| place).collect();
            places.dedup();
            Remark {
                trouble,
                places,
                manner,
                for_makers,
            }
        });
        told.chain(never).collect()
    }

    /// What is asked for and imported nowhere; what brings nothing to import is for another use.
    fn never_imported(&self) -> Vec<Remark> {
        let mut found = BTreeSet::new();
        let mut used = BTreeSet::new();
        for (at, set) in self.sets.iter().enumerate() {
            for (project, bringer) in set.bringers.iter().enumerate() {
                let name = bringer.name.as_str();
                let for_types = name.ends_with("-stubs") || name.starts_with("types-");
                let brings_none = bringer.known && set.set.all(project).is_empty();
                if self.used.contains(&(at, project)) {
                    used.insert(bringer.name.clone());
                } else if bringer.asked == Some(true) && !for_types && !brings_none {
                    found.insert((bringer.name.clone(), !bringer.known));
                }
            }
        }
        let told = found.into_iter().filter(|(name, _)| !used.contains(name));
        let remark = |(project, by_name)| Remark {
            trouble: Trouble::NeverImported { project, by_name },
            places: Vec::new(),
            manner: Manner::Always,
            for_makers: false,
        };
        told.map(remark).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn name(text: &str) -> Name {
        Name::parse(text).unwrap()
    }

    /// Projects `NAME:FILE,FILE`; one with `!` is not asked for but by `kit`, one with `?` is known
    /// by its name alone.
    fn brought(label: &str, projects: &[&str]) -> Brought {
        let mut set = Set::new(projects.len());
        let mut bringers = Vec::new();
        for (at, text) in projects.iter().enumerate() {
            let (head, files) = text.split_once(':').unwrap_or((text, ""));
            let bare = head.trim_end_matches(['!', '?']);
            files
                .split(',')
                .filter(|f| !f.is_empty())
                .for_each(|f| set.add(at, f));
            let through = head.ends_with('!');
            bringers.push(Bringer {
                name: name(bare),
                asked: Some(!through),
                by: if through {
                    vec![name("kit")]
                } else {
                    Vec::new()
                },
                known: !head.ends_with('?'),
            });
        }
        Brought {
            label: label.to_owned(),
            set,
            bringers,
            beside: BTreeSet::new(),
        }
    }

    fn code(files: &[(&str, &str)]) -> Code {
        let mut code = Code::default();
        for (path, text) in files {
            code.add_source(path, text.as_bytes());
        }
        code
    }

    /// `severity id what` of each remark but those of what is imported nowhere.
    fn told(files: &[(&str, &str)], series: (u64, u64), projects: &[&str]) -> Vec<String> {
        let remarks = held(&code(files), Some(series), &[brought("pins", projects)]);
        let one = |r: &Remark| {
            let what = match &r.trouble {
                Trouble::NotBrought { module, .. } => module.clone(),
                Trouble::NoName { module, name, .. } => format!("{module}.{name}"),
                Trouble::Crosses { file, .. } => file.clone(),
                Trouble::OnlyThrough { project, .. } => project.to_string(),
                Trouble::Hides { module, .. } => module.clone(),
                Trouble::Unread { .. } => String::new(),
                Trouble::NeverImported { project, .. } => project.to_string(),
            };
            format!("{} {} {what}", r.severity().as_str(), r.trouble.id())
        };
        remarks.iter().map(one).collect()
    }

    const KIT: [&str; 3] = [
        "kit:kit/__init__.py",
        "frostgrid!:frostgrid/__init__.py,frostgrid/linear.py",
        "camp-tools:camp/logger.py",
    ];

    #[rstest]
    #[case::brought("import kit, camp.logger", &[])]
    #[case::a_part("from camp import logger\nimport kit.x", &[])]
    #[case::by_nothing("import firnio\nimport kit, camp.logger", &["breaks not-brought firnio"])]
    #[case::of_a_shared_name("import kit, camp.logger\nimport camp.mast",
        &["breaks not-brought camp.mast"])]
    #[case::guarded("import kit, camp.logger\ntry:\n  import firnio\nexcept ImportError: pass",
        &["note not-brought firnio"])]
    #[case::through("import kit, camp.logger\nfrom frostgrid.linear import x",
        &["risk only-through frostgrid"])]
    #[case::never("import kit", &["note never-imported camp-tools"])]
    #[case::standard("import json, kit, camp.logger", &[])]
    #[case::gone("import kit, camp.logger, asyncore", &["breaks standard-gone asyncore"])]
    #[case::name_gone("import kit, camp.logger\nfrom collections import Mapping",
        &["breaks standard-gone collections.Mapping"])]
    #[case::own("import kit, camp.logger\nfrom . import firnio", &[])]
    fn imports_are_held_against_what_is_brought(#[case] source: &str, #[case] expected: &[&str]) {
        assert_eq!(told(&[("camp.py", source)], (3, 12), &KIT), expected);
    }

    #[test]
    fn a_project_that_brings_back_what_is_gone_does() {
        let back = ["pyasyncore:asyncore.py"];
        let files = [("camp.py", "import asyncore")];
        assert_eq!(told(&files, (3, 12), &back), [""; 0]);
        assert_eq!(
            told(&files, (3, 11), &["kit:kit.py"])[0],
            "note never-imported kit"
        );
    }

    #[rstest]
    #[case::in_tests("tests/test_x.py", "risk not-brought firnio")]
    #[case::in_code("radar/x.py", "breaks not-brought firnio")]
    fn tests_are_for_those_who_make_it(#[case] file: &str, #[case] expected: &str) {
        assert_eq!(told(&[(file, "import firnio")], (3, 11), &[])[0], expected);
    }

    #[rstest]
    #[case::of_a_project("frostgrid.py", "import frostgrid", "risk hides frostgrid")]
    #[case::of_the_standard_library("random.py", "import random", "risk hides random")]
    fn a_file_of_ones_own_hides_a_module(
        #[case] own: &str,
        #[case] source: &str,
        #[case] expected: &str,
    ) {
        let files = [("run.py", source), (own, "x = 1")];
        let set = ["frostgrid:frostgrid/__init__.py"];
        assert_eq!(told(&files, (3, 11), &set)[0], expected);
        // Whoever is started there imports it, also where none of these files does.
        let alone = [("run.py", "x = 1"), (own, "x = 1")];
        assert_eq!(told(&alone, (3, 11), &set)[0], expected);
        // The project itself does not, in its own folder.
        let itself = [
            ("run.py", "import frostgrid"),
            ("frostgrid/__init__.py", ""),
        ];
        let told = told(&itself, (3, 11), &set);
        assert!(!told.iter().any(|t| t.contains("hides")), "{told:?}");
        // Inside of a package it does not.
        let package = [
            ("radar/__init__.py", ""),
            ("radar/run.py", source),
            (&*format!("radar/{own}"), "x = 1"),
        ];
        assert!(
            !self::told(&package, (3, 11), &["frostgrid:frostgrid/__init__.py"])
                .contains(&expected.to_owned())
        );
    }

    #[rstest]
    #[case::its_name("import sastrugi_plot", "sastrugi-plot?")]
    #[case::a_beginning("import sastrugi.plot", "sastrugi?")]
    #[case::a_nested_one("import sastrugi.plot.lines", "sastrugi-plot?")]
    fn where_no_files_are_known_the_name_tells(#[case] source: &str, #[case] project: &str) {
        assert_eq!(told(&[("a.py", source)], (3, 11), &[project]), [""; 0]);
    }

    #[test]
    fn a_file_that_needs_two_sets_crosses() {
        let code = code(&[
            ("plot.py", "import frostgrid\nimport firnio"),
            ("read.py", "import firnio\nimport json"),
        ]);
        let sets = [
            brought("one", &["frostgrid:frostgrid.py"]),
            brought("other", &["firnio:firnio.py"]),
        ];
        let remarks = held(&code, Some((3, 11)), &sets);
        assert_eq!(remarks.len(), 1, "{remarks:?}");
        let Trouble::Crosses { file, lacks } = &remarks[0].trouble else {
            panic!("{remarks:?}")
        };
        assert_eq!(file, "plot.py");
        assert_eq!(lacks[0], ("one".to_owned(), vec!["firnio".to_owned()]));
        assert_eq!(lacks[1], ("other".to_owned(), vec!["frostgrid".to_owned()]));
    }

    #[test]
    fn places_are_gathered_and_the_worst_is_first() {
        let guarded = "try:\n  import firnio\nexcept ImportError: pass";
        let code = code(&[("a.py", guarded), ("b.py", "def f():\n  import firnio.x")]);
        let remarks = held(&code, None, &[brought("pins", &[])]);
        assert_eq!(remarks.len(), 1);
        let places: Vec<String> = remarks[0].places.iter().map(ToString::to_string).collect();
        assert_eq!(places, ["b.py:2", "a.py:2"]);
        assert_eq!(remarks[0].manner, Manner::Within("f".to_owned()));
        assert_eq!(remarks[0].severity(), Severity::Breaks);
    }
}
