//! What a wheel needs, against what its name says and the target has.

use std::path::PathBuf;

use eutaxis_core::artifact::WheelName;
use eutaxis_core::assay::{Needs, Remark};
use eutaxis_core::knowledge::DeviceCode;
use eutaxis_world::wheel::Refusal;

/// The answer about one file.
#[derive(Debug)]
pub(crate) struct Verdict {
    pub(crate) path: PathBuf,
    pub(crate) word: Word,
    pub(crate) bars: Vec<Bar>,
    pub(crate) broken: Vec<Remark>,
    pub(crate) needs: Vec<Needs>,
    /// The generations of devices for which its compiled files hold code.
    pub(crate) code: Vec<DeviceCode>,
    /// What is wrong with RECORD and hashes.
    pub(crate) record: Vec<String>,
    pub(crate) inside: Inside,
    /// What importing runs into beside the pins that were named, in words; none when none were.
    pub(crate) beside: Option<Vec<String>>,
    pub(crate) files: usize,
    pub(crate) unpacked: u64,
}

impl Verdict {
    /// The platform of its name that promises nothing to other machines, if it has one.
    pub(crate) fn local_platform(&self) -> Option<String> {
        let name = self.path.file_name()?.to_string_lossy().into_owned();
        let name = WheelName::parse(&name).ok()?;
        let mut platforms = name.tags.platforms.iter();
        platforms
            .find(|p| p.starts_with("linux_"))
            .map(ToString::to_string)
    }
}

/// What is in a wheel for people, and what it needs.
#[derive(Debug, Default)]
pub(crate) struct Inside {
    /// Modules that people import.
    pub(crate) modules: Vec<String>,
    /// Scripts that it brings.
    pub(crate) scripts: Vec<String>,
    /// What it needs on the target, as requirements.
    pub(crate) requires: Vec<String>,
}

/// Why a file cannot be placed on the target.
#[derive(Debug)]
pub(crate) enum Bar {
    /// Its archive is refused, wherever it is to be placed.
    Refused(Refusal),
    /// It does not run there.
    Judged(Remark),
}

impl Bar {
    pub(crate) fn kind(&self) -> &'static str {
        match self {
            Bar::Refused(refusal) => refusal.kind.as_str(),
            Bar::Judged(remark) => remark.kind().as_str(),
        }
    }

    /// A sentence without final stop.
    pub(crate) fn detail(&self) -> String {
        match self {
            Bar::Refused(refusal) => refusal.detail.clone(),
            Bar::Judged(remark) => remark.to_string(),
        }
    }
}

/// The verdict in a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Word {
    Fits,
    Barred,
    Unreadable,
}

impl Word {
    pub(crate) fn as_str(self) -> &'static str {
        match self {
            Word::Fits => "fits",
            Word::Barred => "barred",
            Word::Unreadable => "unreadable",
        }
    }
}
