//! What can be wrong in an environment, as data. Files are named as people name them, from the
//! environment's folder on.

use jiff::Timestamp;

use super::{Built, Ended, Seat, Sight};
use eutaxis_standards::name::Name;
use eutaxis_standards::requirement::Requirement;
use eutaxis_standards::targets::{BuildMiss, Interpreter, VariantMiss};
use eutaxis_standards::version::{Version, VersionSpecifier};

/// What is wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Trouble {
    /// The base interpreter, or the environment's own, is gone or another one.
    Base(BaseTrouble),
    /// The environment was made at another place.
    Moved {
        /// That place.
        made: String,
        /// Files that still lead there.
        leading: Vec<String>,
    },
    /// A project's metadata cannot be read.
    BrokenMetadata {
        /// Their folder.
        info: String,
        /// Why.
        why: String,
    },
    /// A project's list of files cannot be read, or is not there.
    BrokenRecord(RecordTrouble),
    /// A need is not met at all.
    Unmet(Requirement),
    /// Another release is there than is needed.
    VersionClash {
        /// What is needed.
        needs: Requirement,
        /// The release that is there.
        found: Version,
        /// Since when.
        since: Option<Timestamp>,
    },
    /// A project is for other interpreters.
    WrongInterpreter {
        /// Those.
        needs: VersionSpecifier,
        /// The one that is there.
        here: Box<Interpreter>,
    },
    /// Something is wrong with a compiled file, or with what it needs.
    Compiled(CompiledTrouble),
    /// The accelerator's driver does not run a build.
    DriverTooOld {
        /// Why not.
        miss: Box<BuildMiss>,
        /// From what it is known what the build was made for.
        by: BuildEvidence,
    },
    /// Its compiled files hold code for devices, and none that those of the machine run.
    DeviceUnsupported(Box<BuildMiss>),
    /// Something is wrong with the files of projects, or of nobody.
    Files(FilesTrouble),
    /// It is a wheel variant that asks for what the machine has not (draft PEP 825).
    Variant(Box<VariantMiss>),
    /// The wheel that a project came from was made for other places.
    TagMismatch {
        /// Its tags.
        tags: Vec<String>,
        /// The place.
        here: String,
    },
    /// A module is found first elsewhere.
    Shadowed {
        /// The module.
        module: String,
        /// What is found.
        file: String,
        /// Whose it is.
        whose: Whose,
    },
    /// A project is placed beside what it can never have met.
    BuiltBefore {
        /// The project.
        project: Name,
        /// Its release.
        version: Version,
        /// When it appeared.
        published: Timestamp,
        /// Both have compiled parts.
        compiled: bool,
        /// What it is placed beside.
        other: Name,
        /// The major series of that.
        series: u64,
        /// When that series began.
        began: Timestamp,
    },
    /// What is pinned is not there.
    AbsentPin {
        /// The pins.
        pins: String,
        /// The project.
        project: Name,
        /// Its release.
        version: Option<Version>,
    },
    /// Something else is there than is pinned.
    DiffersFromPin {
        /// The pins.
        pins: String,
        /// How.
        how: PinDifference,
    },
    /// What is there is not pinned.
    NotPinned {
        /// The pins.
        pins: String,
    },
    /// Projects are seen from outside.
    Inherited {
        /// Where they lie.
        folder: String,
        /// Why that folder is looked into.
        seat: Seat,
        /// The projects.
        projects: Vec<String>,
    },
    /// Its source takes what is not there.
    Gap {
        /// A module is lacking, and not a name of one.
        of_module: bool,
        /// What is taken, where, and why it is not there.
        told: String,
        /// Its module.
        module: String,
        /// The module whose import leads there.
        root: String,
    },
    /// Its wheel was built here from source.
    BuiltHere(Built),
    /// Nothing needs it any more.
    Unreached,
    /// Something was run and failed.
    Run(RunTrouble),
}

/// What is wrong with a compiled file, or with what it needs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum CompiledTrouble {
    /// A compiled module is for another ABI, and nothing stands in for it.
    Invisible {
        /// The module's file.
        file: String,
        /// The ABI.
        abi: String,
        /// The interpreter that is there, as major and minor.
        here: String,
    },
    /// A compiled module uses what its interpreter does not have.
    UnknownSymbols {
        /// The module's file.
        file: String,
        /// What.
        symbols: Vec<String>,
        /// The interpreter that is there, as major and minor.
        here: String,
    },
    /// A compiled file is damaged.
    Unreadable {
        /// The file.
        file: String,
        /// Why.
        why: String,
    },
    /// A compiled file is for another machine.
    WrongArchitecture {
        /// The file.
        file: String,
        /// What its parts are for.
        parts: Vec<String>,
        /// What is here.
        here: String,
    },
    /// A library is not found that files of one project need.
    LibraryAbsent {
        /// The library.
        library: String,
        /// It belongs to the toolkit of an accelerator.
        of_toolkit: bool,
        /// The files.
        files: Vec<String>,
        /// Another library by which they need it.
        through: Option<String>,
        /// One of a similar name that is there.
        near: Option<String>,
    },
    /// Libraries are not found that only files need which no module loads.
    LibrariesUnused {
        /// The files.
        files: Vec<String>,
        /// The libraries.
        libraries: Vec<String>,
    },
    /// A library is there, and older than a file needs it.
    LibraryTooOld {
        /// The file.
        file: String,
        /// The symbol version that is needed.
        version: String,
        /// What it is a version of.
        of: SymbolsOf,
        /// The library.
        library: String,
        /// The one that is there.
        found: String,
        /// The highest version that it has.
        highest: Option<String>,
    },
    /// Two projects bring a library of one name with different bytes.
    LibraryDiffers {
        /// The library.
        library: String,
        /// The projects.
        projects: [Name; 2],
        /// Their files.
        files: [String; 2],
    },
}

/// What the versions of symbols are of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SymbolsOf {
    /// The GNU C library.
    Libc,
    /// The runtime of C++ and of the compiler.
    CxxRuntime,
    /// Another library.
    Other,
}

impl SymbolsOf {
    /// By the word before the number: `GLIBC_2.34`.
    pub(super) fn version(version: &str) -> Self {
        match version.split('_').next() {
            Some("GLIBC") => SymbolsOf::Libc,
            Some("GLIBCXX" | "CXXABI" | "GCC") => SymbolsOf::CxxRuntime,
            _ => SymbolsOf::Other,
        }
    }
}

/// What is wrong with files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FilesTrouble {
    /// Files of a project are not there.
    Absent(Vec<String>),
    /// Files of a project were changed.
    Altered {
        /// The files.
        files: Vec<String>,
        /// How the first was.
        how: String,
    },
    /// Two projects own files with different contents.
    Shared {
        /// The projects.
        projects: [Name; 2],
        /// The files.
        files: Vec<String>,
        /// Whose are there.
        last: Option<Name>,
    },
    /// A project is there several times.
    Twice {
        /// The folders of its metadata.
        infos: Vec<String>,
        /// The release that was placed last.
        last: Option<Version>,
    },
    /// A change that did not end set something aside.
    SetAside(Vec<String>),
    /// Modules in a project's package are not its own.
    StrayModules(Vec<String>),
    /// Files that no project owns.
    Strays {
        /// The folder, or file, at the top under which they lie.
        top: String,
        /// The files.
        files: Vec<String>,
    },
}

/// What failed when it was run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RunTrouble {
    /// An import was tried and failed.
    Import {
        /// The module.
        module: String,
        /// How it ended.
        ended: Ended,
        /// The last line of what it wrote.
        last: Option<String>,
        /// The last file of its traceback.
        at: Option<String>,
    },
    /// An import went well, and complained.
    Warns {
        /// The module.
        module: String,
        /// The first line of what it wrote to standard error.
        first: String,
        /// It speaks to those who make the project alone.
        is_harmless: bool,
    },
    /// A project does not see the accelerator of the machine, or cannot compute with it.
    Device {
        /// What it sees.
        sight: Sight,
        /// How the check ended.
        ended: Ended,
        /// The last line of what it wrote to standard error.
        last: Option<String>,
        /// Why, as far as the environment tells.
        because: Option<String>,
    },
    /// A trial of the user's failed.
    Trial {
        /// Its name.
        trial: String,
        /// How it ended.
        ended: Ended,
        /// The last line of what it wrote to standard error.
        last: Option<String>,
        /// What was waited for, and not seen at each start.
        awaited: Option<String>,
        /// What was expected among its output.
        expected: Option<String>,
        /// Its output.
        printed: String,
    },
}

/// What is wrong with the interpreter behind an environment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BaseTrouble {
    /// It is not there.
    Gone(String),
    /// It is another one: recorded, found.
    Other(String, String),
    /// The environment's own cannot be used: why.
    Unusable(String),
}

/// What is wrong with the list of a project's files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RecordTrouble {
    /// It cannot be read.
    Unreadable {
        /// The folder of the project's metadata.
        info: String,
        /// Why.
        why: String,
    },
    /// It was read, with remarks.
    Odd(Vec<String>),
    /// There is none; who placed the project, if that is noted.
    Absent(Option<String>),
}

/// From what it is known what a build was made for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BuildEvidence {
    /// The local label of its version.
    Label(String),
    /// A library that a file needs.
    Library {
        /// The file.
        file: String,
        /// The library.
        library: String,
    },
}

/// Whose a module is that is found first.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Whose {
    /// That of another release of the same project.
    Release(Option<Version>),
    /// That of another project.
    Project(Name),
    /// The standard library's.
    Standard,
    /// It lies in a folder of PYTHONPATH.
    Variable,
    /// It lies in the folder that code is started from.
    Start,
    /// It lies in a folder that a .pth file adds.
    Pth(String),
}

/// How what is placed differs from its pin.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PinDifference {
    /// Another release is there; none where it names no version.
    Version {
        /// What is pinned.
        pinned: Version,
        /// What is there.
        found: Option<Version>,
    },
    /// Another file is there: name and SHA-256.
    File {
        /// What is pinned.
        pinned: (String, String),
        /// What is there.
        found: (String, String),
    },
}

impl Trouble {
    /// Its name for programs.
    pub fn id(&self) -> &'static str {
        match self {
            Trouble::Base(_) => "base-gone",
            Trouble::Moved { .. } => "moved-environment",
            Trouble::BrokenMetadata { .. } => "broken-metadata",
            Trouble::BrokenRecord(_) => "broken-record",
            Trouble::Unmet(_) => "unmet-requirement",
            Trouble::VersionClash { .. } => "version-clash",
            Trouble::WrongInterpreter { .. } => "wrong-interpreter",
            Trouble::Compiled(compiled) => compiled.id(),
            Trouble::DriverTooOld { .. } => "driver-too-old",
            Trouble::DeviceUnsupported(_) => "device-unsupported",
            Trouble::Files(files) => files.id(),
            Trouble::TagMismatch { .. } => "tag-mismatch",
            Trouble::Variant(_) => "variant-mismatch",
            Trouble::Shadowed { .. } => "shadowed-import",
            Trouble::BuiltBefore { .. } => "built-before",
            Trouble::AbsentPin { .. } => "absent-pin",
            Trouble::DiffersFromPin { .. } => "differs-from-pin",
            Trouble::NotPinned { .. } => "not-pinned",
            Trouble::Inherited { .. } => "inherited",
            Trouble::Gap {
                of_module: true, ..
            } => "module-absent",
            Trouble::Gap { .. } => "name-absent",
            Trouble::BuiltHere(_) => "built-here",
            Trouble::Unreached => "unreached",
            Trouble::Run(RunTrouble::Import { .. }) => "import-fails",
            Trouble::Run(RunTrouble::Warns { .. }) => "import-warns",
            Trouble::Run(RunTrouble::Trial { .. }) => "trial-fails",
            Trouble::Run(RunTrouble::Device { .. }) => "device-unseen",
        }
    }

    /// Whether this library is what is lacking, be it named with its version or without.
    pub fn lacks(&self, library: &str) -> bool {
        if let Trouble::Compiled(compiled) = self {
            compiled.libraries().iter().any(|l| l.contains(library))
        } else {
            false
        }
    }

    /// What is needed of another project, and not there, or not as it is needed.
    pub fn needs(&self) -> Option<&Requirement> {
        if let Trouble::Unmet(needs) | Trouble::VersionClash { needs, .. } = self {
            Some(needs)
        } else {
            None
        }
    }

    /// Whether it keeps a compiled file from being loaded.
    pub(super) fn keeps_from_loading(&self) -> bool {
        if let Trouble::Compiled(compiled) = self {
            !matches!(
                compiled,
                CompiledTrouble::LibraryDiffers { .. }
                    | CompiledTrouble::LibraryAbsent {
                        of_toolkit: true,
                        ..
                    }
            )
        } else {
            matches!(self, Trouble::WrongInterpreter { .. })
        }
    }
}

impl CompiledTrouble {
    fn id(&self) -> &'static str {
        match self {
            CompiledTrouble::Invisible { .. } | CompiledTrouble::UnknownSymbols { .. } => {
                "wrong-interpreter"
            }
            CompiledTrouble::Unreadable { .. } => "unreadable-binary",
            CompiledTrouble::WrongArchitecture { .. } => "wrong-architecture",
            CompiledTrouble::LibraryAbsent {
                of_toolkit: true, ..
            } => "toolkit-absent",
            CompiledTrouble::LibraryAbsent { .. } | CompiledTrouble::LibrariesUnused { .. } => {
                "library-absent"
            }
            CompiledTrouble::LibraryTooOld { of, .. } => match of {
                SymbolsOf::Libc => "libc-too-old",
                SymbolsOf::CxxRuntime => "cxx-runtime-too-old",
                SymbolsOf::Other => "library-absent",
            },
            CompiledTrouble::LibraryDiffers { .. } => "library-differs",
        }
    }

    /// The libraries that are lacking; the system's own are there, and too old.
    fn libraries(&self) -> Vec<&str> {
        match self {
            CompiledTrouble::LibraryAbsent { library, .. }
            | CompiledTrouble::LibraryTooOld {
                library,
                of: SymbolsOf::Other,
                ..
            } => vec![library],
            CompiledTrouble::LibrariesUnused { libraries, .. } => {
                libraries.iter().map(String::as_str).collect()
            }
            CompiledTrouble::Invisible { .. }
            | CompiledTrouble::UnknownSymbols { .. }
            | CompiledTrouble::Unreadable { .. }
            | CompiledTrouble::WrongArchitecture { .. }
            | CompiledTrouble::LibraryTooOld { .. }
            | CompiledTrouble::LibraryDiffers { .. } => Vec::new(),
        }
    }
}

impl FilesTrouble {
    fn id(&self) -> &'static str {
        match self {
            FilesTrouble::Absent(_) => "absent-file",
            FilesTrouble::Altered { .. } => "altered-file",
            FilesTrouble::Shared { .. } => "shared-path",
            FilesTrouble::Twice { .. }
            | FilesTrouble::SetAside(_)
            | FilesTrouble::StrayModules(_) => "leftover",
            FilesTrouble::Strays { .. } => "stray-file",
        }
    }
}
