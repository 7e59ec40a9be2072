//! A machine as a target, for programs.

use eutaxis_core::targets::{Libc as Known, System};
use eutaxis_world::accelerator::Found;
use eutaxis_world::environment::Listed;
use schemars::JsonSchema;
use serde::Serialize;

use super::{shown, texts};
use crate::answer::survey::{Report, Row};

/// What `survey` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Survey {
    machine: Machine,
    interpreters: Vec<Interpreter>,
    accelerators: Vec<Accelerator>,
    target: Option<String>,
    /// Wheel tags that the target accepts, best first.
    #[serde(skip_serializing_if = "Option::is_none")]
    tags: Option<Vec<String>>,
    /// The folder whose environments are listed.
    #[serde(skip_serializing_if = "Option::is_none")]
    folder: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    environments: Option<Vec<Environment>>,
    cautions: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    written: Option<Vec<String>>,
}

/// The machine.
#[derive(Debug, Serialize, JsonSchema)]
struct Machine {
    os: String,
    os_release: String,
    kernel_arch: String,
    arch: String,
    /// The level of the processor within its architecture, where the system tells it: `v3`, `8.2a`.
    level: Option<String>,
    bits: u32,
    libc: Option<Libc>,
    /// The root that stands in for the machine's.
    root: Option<String>,
    /// What it has to work with; null of a machine that stands in.
    resources: Option<Resources>,
}

/// What a machine has to work with.
#[derive(Debug, Serialize, JsonSchema)]
struct Resources {
    /// Processors.
    cores: usize,
    /// Bytes of memory, where the system tells them.
    memory: Option<u64>,
    /// Bytes that are free where the command was run.
    free: Option<u64>,
    /// Files may be made there.
    writable: bool,
    /// The user is the system's own.
    elevated: bool,
}

/// Its C library.
#[derive(Debug, Serialize, JsonSchema)]
struct Libc {
    #[schemars(extend("enum" = ["glibc", "musl"]))]
    name: String,
    version: String,
}

/// An interpreter that is here.
#[derive(Debug, Serialize, JsonSchema)]
struct Interpreter {
    path: String,
    implementation: String,
    version: String,
    abi: Option<String>,
    bits: u32,
    platform: String,
    environment: Option<Seat>,
    /// PEP 668.
    externally_managed: bool,
    /// Code runs with it here, unless told otherwise.
    default: bool,
    bare_names: Vec<String>,
    /// The interpreter behind an environment's one.
    base: String,
}

/// The environment that an interpreter belongs to.
#[derive(Debug, Serialize, JsonSchema)]
struct Seat {
    kind: String,
    root: String,
}

/// A family of accelerators that is here.
#[derive(Debug, Serialize, JsonSchema)]
struct Accelerator {
    family: String,
    driver: Option<String>,
    highest_toolkit: Option<String>,
    toolkits: Vec<String>,
    /// Libraries that come with a toolkit or beside it, as `libnordglimfft 4.1.2`.
    libraries: Vec<String>,
    devices: Vec<String>,
    models: Vec<String>,
    usable: bool,
    /// Why it cannot be used.
    because: Option<String>,
}

/// An environment in or below a folder.
#[derive(Debug, Serialize, JsonSchema)]
struct Environment {
    root: String,
    version: Option<String>,
    base: Option<String>,
    shares_system: bool,
    project: Option<String>,
    projects: usize,
    bytes: u64,
    /// Bytes that no other place shares.
    bytes_own: u64,
    active: bool,
    whole: bool,
    faults: Vec<String>,
}

impl From<&Report> for Survey {
    fn from(report: &Report) -> Self {
        let environments = report.environments.as_ref();
        Survey {
            machine: Machine::from(report),
            interpreters: report.interpreters.iter().map(Interpreter::from).collect(),
            accelerators: report.accelerators.iter().map(Accelerator::from).collect(),
            target: report.target.as_ref().map(ToString::to_string),
            tags: report.tags.clone(),
            folder: environments.map(|(folder, _)| shown(folder)),
            environments: environments
                .map(|(_, listed)| listed.iter().map(Environment::from).collect()),
            cautions: report.cautions.clone(),
            written: report.saved.clone().map(|saved| vec![saved]),
        }
    }
}

impl From<&Report> for Machine {
    fn from(report: &Report) -> Self {
        let platform = report.platform.as_ref();
        let libc = |name: &str, a: u32, b: u32| Libc {
            name: name.to_owned(),
            version: format!("{a}.{b}"),
        };
        let libc = match platform.map(|p| p.system) {
            Some(System::Linux(Known::Glibc(a, b))) => Some(libc("glibc", a, b)),
            Some(System::Linux(Known::Musl(a, b))) => Some(libc("musl", a, b)),
            Some(System::Linux(Known::Static) | System::Macos(..) | System::Windows) | None => None,
        };
        let here = std::env::consts::ARCH;
        Machine {
            os: report.os.clone(),
            os_release: report.os_release.clone(),
            kernel_arch: platform.map_or(here, |p| p.machine()).to_owned(),
            arch: platform.map_or(here, |p| p.arch()).to_owned(),
            level: platform.and_then(|p| Some(p.level.as_ref()?.name.clone())),
            bits: report.bits,
            libc,
            root: report.stand_in.as_deref().map(shown),
            resources: report.resources.as_ref().map(|r| Resources {
                cores: r.cores,
                memory: r.memory,
                free: r.free,
                writable: r.writable,
                elevated: r.elevated,
            }),
        }
    }
}

impl From<&Row> for Interpreter {
    fn from(row: &Row) -> Self {
        let facts = &row.facts;
        let interpreter = facts.interpreter().ok();
        Interpreter {
            path: shown(&row.full_path),
            implementation: facts.implementation.clone(),
            version: facts.version.clone(),
            abi: interpreter.and_then(|i| i.abis.first().map(ToString::to_string)),
            bits: facts.bits,
            platform: facts.platform.clone(),
            environment: facts.in_environment().then(|| Seat {
                kind: row.kind.clone(),
                root: shown(&facts.prefix),
            }),
            externally_managed: facts.externally_managed,
            default: row.default,
            bare_names: row.bare_names.clone(),
            base: shown(&facts.base()),
        }
    }
}

impl From<&Found> for Accelerator {
    fn from(found: &Found) -> Self {
        let one = &found.accelerator;
        Accelerator {
            family: one.family.name.to_string(),
            driver: one.driver.as_ref().map(ToString::to_string),
            highest_toolkit: found.highest_toolkit.as_ref().map(ToString::to_string),
            toolkits: texts(&found.toolkits),
            libraries: found.library_words(),
            devices: texts(&one.devices),
            models: found.models.clone(),
            usable: found.unusable.is_none(),
            because: found.unusable.map(str::to_owned),
        }
    }
}

impl From<&Listed> for Environment {
    fn from(listed: &Listed) -> Self {
        Environment {
            root: shown(&listed.root),
            version: listed.version.clone(),
            base: listed.base.as_deref().map(shown),
            shares_system: listed.shares_system,
            project: listed.project.as_deref().map(shown),
            projects: listed.projects,
            bytes: listed.size.whole,
            bytes_own: listed.size.own,
            active: listed.active,
            whole: listed.faults.is_empty(),
            faults: listed
                .faults
                .iter()
                .map(|f| f.as_str().to_owned())
                .collect(),
        }
    }
}
