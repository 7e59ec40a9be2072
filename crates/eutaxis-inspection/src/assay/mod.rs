//! What a wheel really needs, and whether it runs on a target: the promises of its name against its
//! compiled files (PEP 425 and 427; System V ABI, PE and Mach-O formats).
//!
//! ```
//! use eutaxis_standards::Target;
//! use eutaxis_standards::artifact::WheelName;
//! use eutaxis_inspection::assay::{Contents, assay};
//!
//! let target = Target::parse("cpython 3.12 / windows x86_64")?;
//! let name = WheelName::parse("firnio-1.0-cp312-cp312-manylinux_2_28_x86_64.whl")?;
//! let assayed = assay(&Contents { name: &name, metadata: None, variants: None, carried: &[] }, &target);
//! assert_eq!(assayed.bars[0].kind().as_str(), "platform");
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod promises;
mod remark;
mod runs;

pub use remark::{Against, Remark, RemarkKind};

use crate::binary::{Binary, Format, code_of, highest};
use eutaxis_standards::artifact::{Metadata, Variants, WheelName};
use eutaxis_standards::knowledge::{DeviceCode, MadeFor};
use eutaxis_standards::targets::Target;

/// A compiled file of a wheel.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Carried {
    /// Its path in the wheel.
    pub path: String,
    /// Its parts, or why it cannot be read.
    pub parts: Result<Vec<Binary>, String>,
    /// Libraries that it needs from outside and that the target's machine does not have; empty when
    /// that is not known.
    pub absent: Vec<String>,
    /// Versions that libraries of the target's machine do not define, in words; empty when that is
    /// not known.
    pub lacking: Vec<String>,
}

/// A wheel that is looked into.
#[derive(Debug, Clone)]
pub struct Contents<'a> {
    /// What its name says.
    pub name: &'a WheelName,
    /// What its metadata says, if that can be read.
    pub metadata: Option<&'a Metadata>,
    /// What it says of its variants, or why that cannot be read; none where it says nothing (draft
    /// PEP 825).
    pub variants: Option<Result<&'a Variants, &'a str>>,
    /// Its compiled files, in the order of their paths.
    pub carried: &'a [Carried],
}

/// What a compiled file needs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Needs {
    /// Its path in the wheel.
    pub path: String,
    /// `ELF`, `Mach-O` or `PE`; none when it cannot be read.
    pub format: Option<Format>,
    /// The architectures of its parts, joined by commas.
    pub arch: String,
    /// The lowest C library: `glibc 2.34`; or `macOS 11.0`.
    pub libc_floor: Option<String>,
    /// Libraries that it needs and the wheel does not bring.
    pub needs: Vec<String>,
    /// Those of them that the target's machine does not have.
    pub absent: Vec<String>,
    /// The interpreter that it is for.
    pub python_abi: Option<String>,
    /// The toolkit that its libraries tell.
    pub accelerator: Option<String>,
}

/// The answer about a wheel.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Assayed {
    /// Why it does not run on the target.
    pub bars: Vec<Remark>,
    /// What its name promises and its contents do not keep.
    pub broken: Vec<Remark>,
    /// What its compiled files need.
    pub needs: Vec<Needs>,
    /// The generations of devices for which they hold code, by family.
    pub code: Vec<DeviceCode>,
}

/// Looks into a wheel for a target.
pub fn assay(contents: &Contents<'_>, target: &Target) -> Assayed {
    let code = contents.code(target);
    Assayed {
        bars: runs::bars(contents, &code, target),
        broken: promises::broken(contents, target),
        needs: contents
            .carried
            .iter()
            .map(|c| needs(c, contents, target))
            .collect(),
        code,
    }
}

impl Contents<'_> {
    /// Whether the wheel brings a library, by the name under which it is needed.
    fn brings(&self, library: &str) -> bool {
        let last = |path: &str| {
            path.rsplit(['/', '\\'])
                .next()
                .unwrap_or(path)
                .to_ascii_lowercase()
        };
        let wanted = last(library);
        self.carried.iter().any(|c| {
            let named = |b: &Binary| b.soname.as_deref().is_some_and(|s| last(s) == wanted);
            last(&c.path) == wanted || c.parts.iter().flatten().any(named)
        })
    }

    /// The code for devices that its compiled files hold.
    fn code(&self, target: &Target) -> Vec<DeviceCode> {
        let images = self
            .carried
            .iter()
            .flat_map(|c| code_of(&c.path, c.parts.as_deref().unwrap_or_default()));
        target.accelerators.families.device_code(images)
    }

    /// What a file needs from outside.
    fn outside(&self, carried: &Carried) -> Vec<String> {
        let mut found: Vec<String> = Vec::new();
        for library in carried.parts.iter().flatten().flat_map(|p| &p.needs) {
            if !self.brings(library) && !found.contains(library) {
                found.push(library.clone());
            }
        }
        found
    }
}

impl Carried {
    /// It is a module that imports load, and not a library beside one.
    fn is_module(&self) -> bool {
        let named = crate::binary::named_abi(&self.path).is_some();
        let offers = |b: &Binary| {
            crate::binary::module_stem(&self.path).is_some_and(|s| b.modules.iter().any(|m| m == s))
        };
        named || self.parts.iter().flatten().any(offers)
    }

    /// The toolkit that its libraries tell.
    fn toolkit(&self, target: &Target) -> Option<MadeFor> {
        let libraries = self.parts.iter().flatten().flat_map(|p| &p.needs);
        let told = libraries.filter_map(|l| target.accelerators.families.of_library(l));
        told.max_by(|a, b| a.1.cmp(&b.1))
            .map(|(family, toolkit)| MadeFor::Toolkit(family, toolkit))
    }
}

/// The lowest version of the GNU C library that a file runs with.
fn glibc_floor(binary: &Binary) -> Option<(u32, u32)> {
    let numbers = highest(&binary.versions, "GLIBC")?;
    Some((*numbers.first()?, numbers.get(1).copied().unwrap_or(0)))
}

/// Whether a file is built for musl.
fn is_musl(binary: &Binary) -> bool {
    binary
        .needs
        .iter()
        .any(|n| n.starts_with("libc.musl-") || n == "libc.so")
}

fn needs(carried: &Carried, contents: &Contents<'_>, target: &Target) -> Needs {
    let parts = || carried.parts.iter().flatten();
    let mut archs: Vec<&str> = Vec::new();
    parts().map(|p| p.arch.as_str()).for_each(|a| {
        if !archs.contains(&a) {
            archs.push(a);
        }
    });
    let glibc = parts()
        .filter_map(glibc_floor)
        .max()
        .map(|(major, minor)| format!("glibc {major}.{minor}"));
    let musl = || parts().any(is_musl).then(|| "musl".to_owned());
    let macos = || {
        parts()
            .filter_map(|p| p.macos)
            .max()
            .map(|(major, minor)| format!("macOS {major}.{minor}"))
    };
    Needs {
        path: carried.path.clone(),
        format: parts().next().map(|p| p.format),
        arch: archs.join(", "),
        libc_floor: glibc.or_else(musl).or_else(macos),
        needs: contents.outside(carried),
        absent: carried.absent.clone(),
        python_abi: parts()
            .find_map(|p| p.python_abi(&carried.path))
            .map(|a| a.to_string()),
        accelerator: carried.toolkit(target).map(|m| m.stated()),
    }
}

#[cfg(test)]
mod tests;
