//! A fault of a wheel, or a reason why it does not run: as data, and put into words here alone.

use std::fmt;

use crate::binary::Binary;
use eutaxis_standards::targets::{BuildMiss, Misfit, VariantMiss};

/// In what a wheel is at fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum RemarkKind {
    /// The interpreter.
    Interpreter,
    /// Its binary interface.
    Abi,
    /// The operating system.
    Platform,
    /// The processor.
    Architecture,
    /// The C library, or the versions of symbols that go with it.
    Libc,
    /// Another library.
    Library,
    /// The accelerator.
    Accelerator,
    /// What its properties as a variant ask for.
    Variant,
    /// The archive.
    Archive,
}

impl RemarkKind {
    /// The word for it in JSON.
    pub fn as_str(self) -> &'static str {
        match self {
            RemarkKind::Interpreter => "interpreter",
            RemarkKind::Abi => "abi",
            RemarkKind::Platform => "platform",
            RemarkKind::Architecture => "architecture",
            RemarkKind::Libc => "libc",
            RemarkKind::Library => "library",
            RemarkKind::Accelerator => "accelerator",
            RemarkKind::Variant => "variant",
            RemarkKind::Archive => "archive",
        }
    }
}

/// What something is held against.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Against {
    /// What the target has.
    Here(String),
    /// What the name of the wheel promises.
    Promised(String),
}

/// A fault of a wheel, or a reason why it does not run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Remark {
    /// Its tags do not fit the target.
    Tags {
        /// In what.
        kind: RemarkKind,
        /// Why.
        misfit: Misfit,
    },
    /// Its Requires-Python leaves the target out.
    Python(Misfit),
    /// The target's accelerator does not run it.
    Build(Box<BuildMiss>),
    /// A variant that is not for the target (draft PEP 825).
    Variant(Box<VariantMiss>),
    /// A compiled file cannot be read.
    Unreadable {
        /// The file.
        path: String,
        /// Why.
        why: String,
    },
    /// A module is for another ABI.
    OtherAbi {
        /// The file.
        path: String,
        /// The ABI.
        abi: String,
        /// Which it should be for.
        than: Against,
    },
    /// A compiled file is for another machine.
    OtherMachine {
        /// The file.
        path: String,
        /// Systems and processors of its parts.
        parts: Vec<String>,
        /// Which it should be for.
        than: Against,
    },
    /// A compiled file is built for another C library.
    OtherLibc {
        /// The file.
        path: String,
        /// That library.
        libc: &'static str,
        /// Which it should be for.
        than: Against,
    },
    /// A compiled file needs something newer.
    Newer {
        /// In what.
        kind: RemarkKind,
        /// The file.
        path: String,
        /// What it needs: `glibc 2.34`.
        needs: String,
        /// What there is.
        than: Against,
    },
    /// A compiled file needs a library from outside that its name does not allow.
    Outside {
        /// The file.
        path: String,
        /// The library.
        library: String,
    },
    /// A compiled file needs a version that libraries of the machine do not define.
    Lacking {
        /// The file.
        path: String,
        /// The version, in words.
        version: String,
    },
    /// A compiled file needs a library that the machine does not have.
    Absent {
        /// The file.
        path: String,
        /// The library.
        library: String,
    },
    /// It says that it runs anywhere, and this file is compiled.
    NotPure(String),
    /// Its name binds it to a platform, and nothing in it is compiled.
    NothingCompiled,
    /// A module uses more of the interpreter than the stable ABI has.
    BeyondStable {
        /// The file.
        path: String,
        /// What it uses.
        names: Vec<String>,
        /// The minor number of the series whose stable ABI is promised.
        minor: u64,
    },
    /// A compiled file needs another toolkit than the label says.
    OtherToolkit {
        /// The file.
        path: String,
        /// The toolkit that it needs.
        needs: String,
        /// What the label says.
        label: String,
    },
}

impl Remark {
    /// A file whose parts are all for other machines.
    pub(super) fn other_machine(path: &str, parts: &[Binary], than: Against) -> Self {
        let described = |p: &Binary| format!("{} {}", p.format.system(), p.arch);
        Remark::OtherMachine {
            path: path.to_owned(),
            parts: parts.iter().map(described).collect(),
            than,
        }
    }

    /// A file that needs a newer macOS.
    pub(super) fn newer_macos(path: &str, (major, minor): (u32, u32), than: Against) -> Self {
        Remark::Newer {
            kind: RemarkKind::Platform,
            path: path.to_owned(),
            needs: format!("macOS {major}.{minor}"),
            than,
        }
    }

    /// Its kind.
    pub fn kind(&self) -> RemarkKind {
        match self {
            Remark::Tags { kind, .. } | Remark::Newer { kind, .. } => *kind,
            Remark::Python(_) => RemarkKind::Interpreter,
            Remark::Variant(_) => RemarkKind::Variant,
            Remark::Build(_) | Remark::OtherToolkit { .. } => RemarkKind::Accelerator,
            Remark::Unreadable { .. } => RemarkKind::Archive,
            Remark::OtherAbi { .. } | Remark::BeyondStable { .. } => RemarkKind::Abi,
            Remark::OtherMachine { .. } => RemarkKind::Architecture,
            Remark::OtherLibc { .. } => RemarkKind::Libc,
            Remark::Outside { .. } | Remark::Lacking { .. } | Remark::Absent { .. } => {
                RemarkKind::Library
            }
            Remark::NotPure(_) | Remark::NothingCompiled => RemarkKind::Platform,
        }
    }
}

/// So many names are told of more.
const MOST_NAMES: usize = 3;

impl fmt::Display for Remark {
    /// A sentence without final stop.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Remark::Tags { misfit, .. } => f.write_str(&misfit.of_one_wheel()),
            Remark::Python(misfit) => misfit.fmt(f),
            Remark::Build(miss) => miss.fmt(f),
            Remark::Variant(miss) => miss.fmt(f),
            Remark::Unreadable { path, why } => write!(f, "{path}: {why}"),
            Remark::OtherAbi { path, abi, than } => {
                write!(f, "{path} is built for {abi}; {}", is(than))
            }
            Remark::OtherMachine { path, parts, than } => {
                write!(f, "{path} is for {}; {}", parts.join(" and "), is(than))
            }
            Remark::OtherLibc { path, libc, than } => {
                write!(f, "{path} is built for {libc}; ")?;
                match than {
                    Against::Here(here) => write!(f, "this target has {here}"),
                    Against::Promised(promised) => write!(f, "its name promises {promised}"),
                }
            }
            Remark::Newer {
                path, needs, than, ..
            } => {
                write!(f, "{path} needs {needs}")?;
                match than {
                    Against::Here(here) => write!(f, ", here {here}"),
                    Against::Promised(promised) => write!(f, "; its name promises {promised}"),
                }
            }
            Remark::Outside { path, library } => write!(
                f,
                "{path} needs {library} from outside, which its name does not allow"
            ),
            Remark::Lacking { path, version } => write!(f, "{path} needs {version}"),
            Remark::Absent { path, library } => write!(
                f,
                "{path} needs {library}, which this machine does not have"
            ),
            Remark::NotPure(path) => write!(
                f,
                "its name says that it runs anywhere, and {path} is compiled"
            ),
            Remark::NothingCompiled => {
                f.write_str("its name binds it to a platform, and nothing in it is compiled")
            }
            Remark::BeyondStable { path, names, minor } => {
                let shown: Vec<&str> = names.iter().take(MOST_NAMES).map(String::as_str).collect();
                write!(f, "{path} uses {}", shown.join(", "))?;
                let more = names.len().saturating_sub(MOST_NAMES);
                if more > 0 {
                    write!(f, " and {more} more")?;
                }
                write!(f, ", which the stable ABI of 3.{minor} does not have")
            }
            Remark::OtherToolkit { path, needs, label } => {
                write!(f, "{path} needs {needs}; its label says {label}")
            }
        }
    }
}

fn is(than: &Against) -> String {
    match than {
        Against::Here(here) => format!("this target is {here}"),
        Against::Promised(promised) => format!("its name promises {promised}"),
    }
}
