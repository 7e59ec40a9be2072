//! What the files within a wheel say of it that its page, its name and its metadata do not
//! (docs/accelerators.md).

use std::sync::Arc;

use super::{Build, Evidence, JudgedPage, Offer, Rules, Verdict};
use eutaxis_standards::knowledge::{CodeImage, DeviceCode, Family, MadeFor, Number, most_exact};
use eutaxis_standards::targets::Target;

/// What is known of the files within a wheel: what their list tells, and where the wheel is here what
/// its compiled files tell.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WheelFiles {
    /// Names of files that it brings and of libraries that those need, without folders.
    pub libraries: Vec<String>,
    /// Code for devices that its compiled files hold, with their paths; empty where they were not read.
    pub code: Vec<(String, CodeImage)>,
}

impl WheelFiles {
    /// The runtime of a family of the place that it brings or needs. Of other families it says
    /// nothing: it brings them for nothing. Nor does one say anything that has files for several
    /// toolkits, of which it takes one when it runs.
    pub(super) fn runtime(&self, target: &Target) -> Option<(Arc<Family>, Number)> {
        let accelerators = &target.accelerators;
        let told = self.libraries.iter();
        let told = told.filter_map(|l| accelerators.families.of_library(l));
        let told: Vec<_> = told.filter(|(f, _)| accelerators.has(&f.name)).collect();
        let goes_with = |(family, toolkit): &(Arc<Family>, Number)| {
            let mut others = told.iter().filter(|(f, _)| f.name == family.name);
            others.all(|(_, t)| t.is_within(toolkit) || toolkit.is_within(t))
        };
        let is_sure = told.iter().all(goes_with);
        most_exact(told.into_iter().filter(|_| is_sure))
    }

    /// The code for devices that it holds, by family.
    pub(super) fn code(&self, target: &Target) -> Vec<DeviceCode> {
        let images = self.code.iter().map(|(path, image)| (path.as_str(), image));
        target.accelerators.families.device_code(images)
    }

    /// What it was made for.
    pub(super) fn build(&self, target: &Target) -> Option<Build> {
        let (family, toolkit) = self.runtime(target)?;
        Some(Build {
            made_for: MadeFor::Toolkit(family, toolkit),
            evidence: Evidence::Library,
        })
    }
}

/// How far it is looked into the files of a wheel.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Reach {
    /// Only where the wheel is on this disk.
    Here,
    /// Their list also where that comes in parts of the wheel.
    Parts,
}

/// The wheel of a release whose files would tell more of what it was made for than is known: what for,
/// where nothing else tells it, or for which devices it holds code. Those who ask read its metadata
/// first.
pub fn untold(judged: &JudgedPage, offer: &Offer, rules: &Rules<'_>) -> Option<(Arc<str>, Reach)> {
    let accelerators = &rules.target.accelerators;
    let is_asked = offer.verdict == Verdict::Ready
        && !accelerators.is_empty()
        && !accelerators.families.is_runtime(judged.project());
    let best = offer.best().filter(|_| is_asked)?;
    let reach = match judged.build_of(best).map(|b| &b.made_for) {
        None => Reach::Parts,
        Some(MadeFor::Toolkit(..)) => Reach::Here,
        Some(MadeFor::Processor) => return None,
    };
    let is_compiled = best.file.kind.is_compiled_wheel();
    is_compiled.then(|| (Arc::clone(&best.file.filename), reach))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::offer::Policy;
    use eutaxis_standards::index::parse_json;
    use eutaxis_standards::knowledge::Families;
    use eutaxis_standards::name::Name;
    use rstest::rstest;

    const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
packages = ["nordglim-runtime-{major}"]
libraries = [{ file = "libnordglim.so.4", toolkit = "4", numbered = true }, { file = "libnordglim.so.5", toolkit = "5" }]
toolkit = [{ version = "4.1", linux = "510.0" }, { version = "5.0", linux = "600.0" }]
"#;
    const WHEEL: &str = "m-2.0-cp312-cp312-manylinux_2_28_x86_64.whl";

    fn judged(project: &str, file: &str, rules: &Rules<'_>) -> Arc<JudgedPage> {
        let page = format!(r#"{{"files":[{{"filename":"{file}","url":"x"}}]}}"#);
        let name = Name::parse(project).unwrap();
        let page = parse_json(page.as_bytes(), &name).unwrap();
        Arc::new(JudgedPage::new(Arc::new(page), rules))
    }

    fn place(accelerators: &str) -> Target {
        let families = Families::built_in().with(NORDGLIM).unwrap();
        let text = format!("cpython 3.12 / linux x86_64 glibc 2.35{accelerators}");
        Target::parse_with(&text, &Arc::new(families)).unwrap()
    }

    #[rstest]
    #[case::bundled(
        " / nordglim driver 512.4",
        "libnordglim-1a2b3c4d.so.4.1.7",
        Some("built for nordglim 4.1"),
        None
    )]
    #[case::driver_too_old(
        " / nordglim driver 498.2",
        "libnordglim.so.4.1.7",
        Some("built for nordglim 4.1"),
        Some("needs nordglim 4.1; driver 498.2 runs no toolkit that is known")
    )]
    #[case::a_newer_series(
        " / nordglim driver 512.4",
        "libnordglim.so.5",
        Some("built for nordglim 5"),
        Some("needs nordglim 5; driver 512.4 runs up to 4.1")
    )]
    #[case::for_several(
        " / nordglim driver 498.2",
        "libnordglim.so.4 libnordglim.so.5",
        None,
        None
    )]
    #[case::another_family(" / cuda driver 550.60", "libnordglim.so.4", None, None)]
    #[case::none("", "libnordglim.so.4", None, None)]
    #[case::nothing(" / nordglim driver 498.2", "libfrost.so.4", None, None)]
    fn libraries_tell_what_a_wheel_was_made_for(
        #[case] accelerators: &str,
        #[case] library: &str,
        #[case] build: Option<&str>,
        #[case] bar: Option<&str>,
    ) {
        let target = place(accelerators);
        let policy = Policy::default();
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &[],
        };
        let mut judged = judged("m", WHEEL, &rules);
        let files = WheelFiles {
            libraries: library.split(' ').map(str::to_owned).collect(),
            code: Vec::new(),
        };
        let is_barred = judged.learn_files(&WHEEL.into(), &files, &rules);
        assert_eq!(is_barred, bar.is_some());
        let offer = judged.at(0).unwrap();
        let told = judged.build_of(&offer.files[0]).map(ToString::to_string);
        assert_eq!(told.as_deref(), build);
        assert_eq!(
            offer.files[0]
                .bars
                .first()
                .map(ToString::to_string)
                .as_deref(),
            bar
        );
    }

    #[rstest]
    #[case::compiled("m", WHEEL, " / nordglim driver 512.4", Some(Reach::Parts))]
    #[case::pure("m", "m-2.0-py3-none-any.whl", " / nordglim driver 512.4", None)]
    #[case::told_by_its_label(
        "m",
        "m-2.0+nor41-cp312-cp312-manylinux_2_28_x86_64.whl",
        " / nordglim driver 512.4",
        Some(Reach::Here)
    )]
    #[case::the_runtime(
        "nordglim-runtime-4",
        "nordglim_runtime_4-4.1-py3-none-manylinux_2_28_x86_64.whl",
        " / nordglim driver 512.4",
        None
    )]
    #[case::source("m", "m-2.0.tar.gz", " / nordglim driver 512.4", None)]
    #[case::of_another_place(
        "m",
        "m-2.0-cp312-cp312-win_amd64.whl",
        " / nordglim driver 512.4",
        None
    )]
    #[case::none("m", WHEEL, "", None)]
    fn files_are_asked_for_where_nothing_else_tells(
        #[case] project: &str,
        #[case] file: &str,
        #[case] accelerators: &str,
        #[case] expected: Option<Reach>,
    ) {
        let target = place(accelerators);
        let policy = Policy::default();
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &[],
        };
        let judged = judged(project, file, &rules);
        assert_eq!(
            untold(&judged, judged.at(0).unwrap(), &rules).map(|(_, reach)| reach),
            expected
        );
    }
}
