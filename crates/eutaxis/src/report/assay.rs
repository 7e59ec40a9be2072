//! What wheels need, for programs.

use eutaxis_core::Target;
use eutaxis_core::assay::{Needs, Remark as Told};
use eutaxis_core::knowledge::DeviceCode as Held;
use schemars::JsonSchema;
use serde::Serialize;

use super::shown;
use crate::answer::assay::{Bar, Verdict, Word};

/// What `assay` answers.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Assay {
    target: String,
    files: Vec<File>,
}

/// A file.
#[derive(Debug, Serialize, JsonSchema)]
struct File {
    file: String,
    #[schemars(extend("enum" = ["fits", "barred", "unreadable"]))]
    verdict: String,
    bars: Vec<Remark>,
    promises_broken: Vec<Remark>,
    binaries: Vec<Binary>,
    /// Generations of devices for which its compiled files hold code.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    device_code: Vec<DeviceCode>,
    record: Record,
    /// Modules that people import.
    modules: Vec<String>,
    /// Scripts that it brings.
    scripts: Vec<String>,
    /// What it needs on the target, as requirements.
    needs: Vec<String>,
    /// The platform of its name that promises nothing to other machines.
    #[serde(skip_serializing_if = "Option::is_none")]
    local: Option<String>,
    /// With `--beside`: what importing runs into.
    #[serde(skip_serializing_if = "Option::is_none")]
    beside: Option<Vec<String>>,
    files: usize,
    /// Bytes once unpacked.
    unpacked: u64,
}

/// What is said of it.
#[derive(Debug, Serialize, JsonSchema)]
struct Remark {
    kind: String,
    detail: String,
}

/// A compiled file in it.
#[derive(Debug, Serialize, JsonSchema)]
struct Binary {
    path: String,
    /// Null when it cannot be read.
    format: Option<String>,
    arch: String,
    libc_floor: Option<String>,
    needs: Vec<String>,
    /// Libraries that the target's machine does not have.
    absent: Vec<String>,
    python_abi: Option<String>,
    accelerator: Option<String>,
}

/// Code for the devices of a family.
#[derive(Debug, Serialize, JsonSchema)]
struct DeviceCode {
    family: String,
    /// Generations whose devices run it.
    machine: Vec<String>,
    /// Generations from which on the driver compiles it.
    intermediate: Vec<String>,
    /// All of it could be looked into.
    whole: bool,
}

/// Whether RECORD is right.
#[derive(Debug, Serialize, JsonSchema)]
struct Record {
    ok: bool,
    problems: Vec<String>,
}

impl Assay {
    pub(crate) fn new(verdicts: &[Verdict], target: &Target) -> Self {
        Assay {
            target: target.to_string(),
            files: verdicts.iter().map(File::from).collect(),
        }
    }
}

impl From<&Verdict> for File {
    fn from(verdict: &Verdict) -> Self {
        File {
            file: shown(&verdict.path),
            verdict: verdict.word.as_str().to_owned(),
            bars: verdict.bars.iter().map(Remark::from).collect(),
            promises_broken: verdict.broken.iter().map(Remark::from).collect(),
            binaries: verdict.needs.iter().map(Binary::from).collect(),
            device_code: verdict.code.iter().map(DeviceCode::from).collect(),
            record: Record {
                ok: verdict.record.is_empty() && verdict.word != Word::Unreadable,
                problems: verdict.record.clone(),
            },
            modules: verdict.inside.modules.clone(),
            scripts: verdict.inside.scripts.clone(),
            needs: verdict.inside.requires.clone(),
            local: verdict.local_platform(),
            beside: verdict.beside.clone(),
            files: verdict.files,
            unpacked: verdict.unpacked,
        }
    }
}

impl From<&Told> for Remark {
    fn from(remark: &Told) -> Self {
        Remark {
            kind: remark.kind().as_str().to_owned(),
            detail: remark.to_string(),
        }
    }
}

impl From<&Bar> for Remark {
    fn from(bar: &Bar) -> Self {
        Remark {
            kind: bar.kind().to_owned(),
            detail: bar.detail(),
        }
    }
}

impl From<&Held> for DeviceCode {
    fn from(code: &Held) -> Self {
        DeviceCode {
            family: code.family.name.clone(),
            machine: code.machine.clone(),
            intermediate: code.intermediate.clone(),
            whole: code.is_whole,
        }
    }
}

impl From<&Needs> for Binary {
    fn from(needs: &Needs) -> Self {
        Binary {
            path: needs.path.clone(),
            format: needs.format.map(|f| f.as_str().to_owned()),
            arch: needs.arch.clone(),
            libc_floor: needs.libc_floor.clone(),
            needs: needs.needs.clone(),
            absent: needs.absent.clone(),
            python_abi: needs.python_abi.clone(),
            accelerator: needs.accelerator.clone(),
        }
    }
}
