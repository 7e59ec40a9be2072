//! Families of accelerators: how builds are labelled, what a driver runs, what a device is served
//! by (`knowledge/accelerators.toml`; conventions, not a standard; docs/house.md).

use std::cmp::Ordering;
use std::fmt;
use std::sync::{Arc, LazyLock};

use serde::{Deserialize, Deserializer};

use super::device_check::DeviceCheck;
use super::device_code::CodeForm;
use super::runtime_library::{Library, unmarked};
use super::without::Without;
use crate::fault::{Fault, FaultKind, escaped};
use crate::name::{Name, nearest};
use crate::requirement::Requirement;
use crate::system::System;
use crate::version::Version;

/// The number of a toolkit or driver: whole numbers between dots, compared one by one, absent ones
/// as zero.
#[derive(Debug, Clone)]
pub struct Number {
    parts: Vec<u64>,
    text: String,
}

impl Number {
    /// Reads `12`, `12.4`, `535.104.05`.
    ///
    /// # Errors
    /// When something else than digits and dots stands there.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        let parts: Option<Vec<u64>> = text
            .split('.')
            .map(|p| {
                p.parse()
                    .ok()
                    .filter(|_| p.len() <= 18 && p.bytes().all(|b| b.is_ascii_digit()))
            })
            .collect();
        let bad = || {
            Fault::new(
                format!("`{}` is not a number such as 12.4", escaped(text)),
                0,
            )
        };
        parts
            .map(|parts| Number {
                parts,
                text: text.to_owned(),
            })
            .ok_or_else(bad)
    }

    /// The number with one part.
    pub fn of(part: u64) -> Self {
        Number {
            parts: vec![part],
            text: part.to_string(),
        }
    }

    /// One that nothing tells: within it is every number.
    pub fn unknown() -> Self {
        Number {
            parts: Vec::new(),
            text: "of no told number".to_owned(),
        }
    }

    /// Nothing.
    pub fn zero() -> Self {
        Number::of(0)
    }

    /// The first part.
    pub fn major(&self) -> u64 {
        self.parts.first().copied().unwrap_or(0)
    }

    /// The number with at most so many parts.
    pub fn shortened(&self, parts: usize) -> Number {
        let text: Vec<&str> = self.text.split('.').take(parts).collect();
        Number {
            parts: self.parts.iter().take(parts).copied().collect(),
            text: text.join("."),
        }
    }

    /// How many parts it has: 12.4 says more than 12.
    pub fn exactness(&self) -> usize {
        self.parts.len()
    }

    /// Whether what this names is named by the other too, less exactly or just so: 12.4 is within
    /// 12 and within 12.4.
    pub fn is_within(&self, other: &Number) -> bool {
        self.parts.len() >= other.parts.len() && self.parts.starts_with(&other.parts)
    }
}

impl PartialEq for Number {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Number {}

impl PartialOrd for Number {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Number {
    fn cmp(&self, other: &Self) -> Ordering {
        let at = |n: &Number, i: usize| n.parts.get(i).copied().unwrap_or(0);
        let longest = self.parts.len().max(other.parts.len());
        (0..longest)
            .map(|i| at(self, i).cmp(&at(other, i)))
            .find(|o| o.is_ne())
            .unwrap_or(Ordering::Equal)
    }
}

impl fmt::Display for Number {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl<'de> Deserialize<'de> for Number {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Number::parse(&text).map_err(|f| serde::de::Error::custom(f.message()))
    }
}

/// A family of accelerators.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Family {
    /// As targets write it.
    pub name: String,
    label: Label,
    /// Further forms of it.
    #[serde(default)]
    labels: Vec<Label>,
    /// Labels of builds that leave the accelerator out.
    #[serde(default)]
    processor: Vec<String>,
    /// Names of runtime packages, with `{major}` and `{minor}` of the toolkit; without them the
    /// version is the toolkit's.
    #[serde(default)]
    packages: Vec<String>,
    /// Names of packages beside the runtime, which tell its major series alone.
    #[serde(default)]
    beside: Vec<String>,
    /// Runtime libraries that compiled files name.
    #[serde(default)]
    pub libraries: Vec<Library>,
    /// How the names of further libraries begin that come with the toolkit or beside it, with
    /// numbers of their own.
    #[serde(default)]
    companions: Vec<String>,
    /// How code for its devices is told in compiled files.
    code: Option<CodeForm>,
    toolkit: Vec<Toolkit>,
    /// How properties of variants speak of it.
    variant: Option<Properties>,
    #[serde(default)]
    series: Vec<Floor>,
    #[serde(default)]
    device: Vec<Generation>,
    /// Generations of models, by what their names contain; the first that fits counts.
    #[serde(default)]
    model: Vec<Model>,
    /// Where a machine tells of it.
    #[serde(default)]
    pub probe: Probe,
}

/// The namespace in which properties of variants speak of a family, and its features.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Properties {
    namespace: String,
    /// The oldest toolkit that will do.
    least: Option<String>,
    /// A toolkit that is too new.
    below: Option<String>,
    /// A generation of devices.
    device: Option<String>,
}

/// What a feature of a variant says of a family.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Bound {
    /// The oldest toolkit that will do.
    Least,
    /// A toolkit that is too new.
    Below,
    /// A generation of devices.
    Device,
}

/// How a local label names a toolkit.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Label {
    before: String,
    number: LabelNumber,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum LabelNumber {
    /// `118` is 11.8.
    Digits,
    /// `6.0`
    Dotted,
}

/// A toolkit, with the lowest driver that runs it.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Toolkit {
    version: Number,
    linux: Option<Number>,
    windows: Option<Number>,
}

/// The lowest driver that runs every toolkit of a major series.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Floor {
    major: u64,
    linux: Option<Number>,
    windows: Option<Number>,
}

/// A generation of devices.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Generation {
    name: String,
    first: Number,
    last: Option<Number>,
}

/// Models of devices with a generation.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Model {
    /// Texts that the name of a model may contain.
    named: Vec<String>,
    device: String,
}

/// Where a machine tells of a family: patterns of paths under its root.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Probe {
    /// Files with the driver's version.
    pub driver: Vec<Told>,
    /// Paths that are there only with a device.
    pub present: Vec<String>,
    /// Files with generations of devices.
    pub generations: Vec<Told>,
    /// Files with models of devices.
    pub models: Vec<Told>,
    /// Files with versions of installed toolkits.
    pub toolkits: Vec<Told>,
    /// Libraries that come with a toolkit or beside it, whose names end with their versions.
    pub libraries: Vec<String>,
}

/// A file and what stands before what is told there.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Told {
    /// Pattern of paths under the root.
    pub file: String,
    /// The text before it; empty for the start of the file.
    pub after: String,
    /// How it is written.
    #[serde(default)]
    pub form: Form,
}

/// How a generation of devices, or a driver's version, is written in a file.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Form {
    /// As a word.
    #[default]
    Word,
    /// As one number: 90010 is gfx90a, 0 a processor.
    Gfx,
    /// As the last five digits of a file's version: 31.0.15.5161 is 551.61.
    LastFive,
}

/// How a driver runs a toolkit. The first is better.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Runs {
    /// The driver is as new as the toolkit asks for.
    Fully,
    /// It is older, but new enough for the toolkit's major series.
    BySeries,
}

impl Family {
    pub(super) fn code(&self) -> Option<&CodeForm> {
        self.code.as_ref()
    }

    /// What a feature of a variant says of the family; none when it is none of its features.
    pub fn bound_of(&self, feature: &str) -> Option<Bound> {
        let named = self.variant.as_ref()?;
        let is = |name: &Option<String>| name.as_deref() == Some(feature);
        match () {
            () if is(&named.least) => Some(Bound::Least),
            () if is(&named.below) => Some(Bound::Below),
            () if is(&named.device) => Some(Bound::Device),
            () => None,
        }
    }

    /// The toolkit that a local label names, as `cu118` or the last part of `x2.cu118` does; one of
    /// no known number where only the family is named (`rocm.git3f90`).
    fn of_label(&self, local: &str) -> Option<Number> {
        let forms = || std::iter::once(&self.label).chain(&self.labels);
        forms()
            .find_map(|form| self.by_form(form, local))
            .or_else(|| {
                // A short word may mean anything.
                let is_named = |form: &Label| {
                    form.before.len() > 2 && local.split('.').any(|s| s == form.before)
                };
                forms().any(is_named).then(Number::unknown)
            })
    }

    fn by_form(&self, form: &Label, local: &str) -> Option<Number> {
        let segments = || local.split('.');
        let digits = |text: &str| text.bytes().take_while(u8::is_ascii_digit).count();
        let at = segments()
            .position(|s| behind(s, &form.before).is_some_and(|rest| digits(rest) > 0))?;
        let rest = behind(segments().nth(at)?, &form.before)?;
        let first = rest.get(..digits(rest))?;
        let more = segments()
            .skip(at + 1)
            .take_while(|s| !s.is_empty() && digits(s) == s.len());
        // What follows in the same part belongs to something else: `cu122torch2.3`.
        let more: Vec<&str> = more.filter(|_| first.len() == rest.len()).collect();
        match form.number {
            LabelNumber::Digits => self.of_digits(first),
            LabelNumber::Dotted if more.is_empty() => {
                let whole = Number::parse(first).ok()?;
                match self.knows_major(whole.major()) {
                    true => Some(whole),
                    false => self.of_digits(first).or(Some(whole)),
                }
            }
            LabelNumber::Dotted => {
                let parts: Vec<&str> = std::iter::once(first).chain(more).collect();
                Number::parse(&parts.join(".")).ok()
            }
        }
    }

    /// `118` is 11.8; `12` is 12, where there is a toolkit of that major and none of 1.
    fn of_digits(&self, digits: &str) -> Option<Number> {
        if !(2..=4).contains(&digits.len()) {
            return None;
        }
        let (major, minor) = digits.split_at(digits.len() - 1);
        let split = Number::parse(&format!("{major}.{minor}")).ok()?;
        let whole = Number::parse(digits).ok()?;
        let is_whole = !self.knows_major(split.major()) && self.knows_major(whole.major());
        Some(if is_whole { whole } else { split })
    }

    fn knows_major(&self, major: u64) -> bool {
        self.toolkit.iter().any(|t| t.version.major() == major)
    }

    /// The toolkit that a need for a runtime package tells.
    fn of_package(&self, need: &Requirement) -> Option<Number> {
        let name = need.name.as_str();
        self.packages.iter().find_map(|pattern| {
            let Some((before, rest)) = pattern.split_once("{major}") else {
                return if pattern == name { pinned(need) } else { None };
            };
            let digits = |text: &str| text.bytes().take_while(u8::is_ascii_digit).count();
            let text = name.strip_prefix(before)?;
            let major = text.get(..digits(text)).filter(|d| !d.is_empty())?;
            let text = text.get(major.len()..)?;
            let number = match rest.split_once("{minor}") {
                None => (text == rest).then(|| major.to_owned()),
                Some((between, after)) => {
                    let text = text.strip_prefix(between)?;
                    let minor = text.get(..digits(text)).filter(|d| !d.is_empty())?;
                    (text.get(minor.len()..)? == after).then(|| format!("{major}.{minor}"))
                }
            };
            let named = Number::parse(&number?).ok()?;
            // The name says the series, an exact pin the toolkit.
            let exact = pinned(need).filter(|n| n.is_within(&named));
            Some(exact.unwrap_or(named))
        })
    }

    /// The major series that a need for a package beside the runtime tells.
    fn of_beside(&self, name: &str) -> Option<Number> {
        self.beside.iter().find_map(|pattern| {
            let (before, after) = pattern.split_once("{major}")?;
            let major = name.strip_prefix(before)?.strip_suffix(after)?;
            let is_plain = !major.is_empty() && major.bytes().all(|b| b.is_ascii_digit());
            Number::parse(major).ok().filter(|_| is_plain)
        })
    }

    /// The lowest driver that runs a toolkit fully; none when the table does not say, which for one
    /// newer than all that are known means that nobody knows.
    pub fn lowest_driver(&self, toolkit: &Number, system: System) -> Option<&Number> {
        let of_series = |t: &&Toolkit| t.version.is_within(toolkit);
        // A toolkit that is not in the table asks for no more than the next newer one that is.
        let known = self
            .toolkit
            .iter()
            .filter(of_series)
            .min_by_key(|t| &t.version);
        let newer = self
            .toolkit
            .iter()
            .filter(|t| t.version >= *toolkit)
            .min_by_key(|t| &t.version);
        known
            .or(newer)
            .and_then(|t| floor(&t.linux, &t.windows, system))
    }

    /// The lowest driver that runs a toolkit in any way.
    pub fn enough_driver(&self, toolkit: &Number, system: System) -> Option<&Number> {
        let floors = [
            self.lowest_driver(toolkit, system),
            self.floor_of_series(toolkit, system),
        ];
        floors.into_iter().flatten().min()
    }

    fn floor_of_series(&self, toolkit: &Number, system: System) -> Option<&Number> {
        let series = self.series.iter().find(|s| s.major == toolkit.major())?;
        floor(&series.linux, &series.windows, system)
    }

    /// Whether drivers are judged at all on a system: whether any toolkit's lowest driver is known.
    pub fn enough_driver_is_known(&self, system: System) -> bool {
        self.toolkit
            .iter()
            .any(|t| floor(&t.linux, &t.windows, system).is_some())
    }

    /// How a driver runs a toolkit; none when it does not.
    pub fn runs(&self, toolkit: &Number, driver: &Number, system: System) -> Option<Runs> {
        if !self.enough_driver_is_known(system) {
            return Some(Runs::Fully);
        }
        let enough = |floor: Option<&Number>| floor.is_some_and(|f| driver >= f);
        if enough(self.lowest_driver(toolkit, system)) {
            return Some(Runs::Fully);
        }
        enough(self.floor_of_series(toolkit, system)).then_some(Runs::BySeries)
    }

    /// The newest toolkit that a driver runs fully; none when it runs none that is known, or
    /// drivers are not judged.
    pub fn highest_toolkit(&self, driver: &Number, system: System) -> Option<&Number> {
        if !self.enough_driver_is_known(system) {
            return None;
        }
        let runs = |t: &&Toolkit| floor(&t.linux, &t.windows, system).is_some_and(|f| driver >= f);
        self.toolkit.iter().filter(runs).map(|t| &t.version).max()
    }

    /// The generation of a model, by its name.
    pub fn generation_of(&self, model: &str) -> Option<&str> {
        let contains = |named: &String| {
            let mut rest = Some(model);
            for part in named.split('*') {
                rest = rest
                    .and_then(|r| r.split_once(part))
                    .map(|(_, behind)| behind);
            }
            rest.is_some()
        };
        let is_it = |m: &&Model| m.named.iter().any(contains);
        self.model.iter().find(is_it).map(|m| m.device.as_str())
    }

    /// The toolkits that are known, oldest first.
    pub fn toolkits(&self) -> impl Iterator<Item = &Number> {
        self.toolkit.iter().map(|t| &t.version)
    }

    /// The first toolkit that serves a generation of devices, where a toolkit is older than that;
    /// none where it is not, or nobody knows.
    pub fn serves_since(&self, toolkit: &Number, device: &str) -> Option<&Number> {
        let (_, first, _) = self.serves(toolkit, device)?;
        (*toolkit < *first && !first.is_within(toolkit)).then_some(first)
    }

    /// Whether a toolkit serves a generation of devices, with the first and the last that do; none
    /// when nobody knows.
    pub fn serves(
        &self,
        toolkit: &Number,
        device: &str,
    ) -> Option<(bool, &Number, Option<&Number>)> {
        let generation = self
            .device
            .iter()
            .find(|d| d.name.eq_ignore_ascii_case(device))?;
        // A toolkit of which only the major is told may be any of its series.
        let first = *toolkit >= generation.first || generation.first.is_within(toolkit);
        let last = generation
            .last
            .as_ref()
            .is_none_or(|l| toolkit <= l || toolkit.is_within(l));
        Some((first && last, &generation.first, generation.last.as_ref()))
    }
}

/// The series of the version that a requirement pins, as a toolkit: `==13.2.2` and `~=13.2.2` are
/// 13.2; `~=13.2` takes later ones too, and pins none.
fn pinned(need: &Requirement) -> Option<Number> {
    let set = need.versions()?.to_string();
    let exact = set.split(',').find_map(|clause| {
        let compatible = clause.trim().strip_prefix("~=");
        let compatible = compatible.filter(|version| version.split('.').count() > 2);
        clause.trim().strip_prefix("==").or(compatible)
    })?;
    let mut parts = exact.trim_start_matches('=').split('.');
    let (major, minor) = (parts.next()?, parts.next()?);
    Number::parse(&format!("{major}.{minor}")).ok()
}

fn floor<'a>(
    linux: &'a Option<Number>,
    windows: &'a Option<Number>,
    system: System,
) -> Option<&'a Number> {
    match system {
        System::Linux(_) => linux.as_ref(),
        System::Windows => windows.as_ref(),
        System::Macos(..) => None,
    }
}

/// What stands behind a word in a segment, when the word begins it or follows a digit.
fn behind<'a>(segment: &'a str, word: &str) -> Option<&'a str> {
    let at = segment.rfind(word)?;
    let starts = segment
        .get(..at)?
        .bytes()
        .last()
        .is_none_or(|b| !b.is_ascii_alphabetic());
    starts.then(|| segment.get(at + word.len()..)).flatten()
}

/// Of what several needs tell the one that says most: an exact pin tells the toolkit, a name alone
/// its series.
pub fn most_exact(
    told: impl Iterator<Item = (Arc<Family>, Number)>,
) -> Option<(Arc<Family>, Number)> {
    told.min_by_key(|(_, n)| std::cmp::Reverse(n.exactness()))
}

/// What a build was made for, beyond interpreter and platform.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MadeFor {
    /// It leaves accelerators out.
    Processor,
    /// It is for a toolkit of a family.
    Toolkit(Arc<Family>, Number),
}

impl MadeFor {
    /// The family, if it is for one.
    pub fn family(&self) -> Option<&Arc<Family>> {
        match self {
            MadeFor::Processor => None,
            MadeFor::Toolkit(family, _) => Some(family),
        }
    }

    /// As it is stated in settings: `FAMILY TOOLKIT`, or `none`.
    pub fn stated(&self) -> String {
        match self {
            MadeFor::Processor => "none".to_owned(),
            MadeFor::Toolkit(family, toolkit) => format!("{} {toolkit}", family.name),
        }
    }

    /// Whether two builds can be in one environment: there is a toolkit that serves both.
    pub fn goes_with(&self, other: &MadeFor) -> bool {
        match (self, other) {
            (MadeFor::Toolkit(f, a), MadeFor::Toolkit(g, b)) => {
                f.name == g.name && (a.is_within(b) || b.is_within(a))
            }
            _ => true,
        }
    }
}

/// The families that are known.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Families {
    all: Vec<Arc<Family>>,
    without: Vec<Without>,
    checks: Vec<DeviceCheck>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[serde(default)]
    family: Vec<Family>,
    #[serde(default)]
    without: Vec<Without>,
    #[serde(default)]
    check: Vec<DeviceCheck>,
}

static BUILT_IN: LazyLock<Arc<Families>> = LazyLock::new(|| {
    // The file is compiled in and read by a test, so that it cannot be broken in a build that
    // passed.
    let text = include_str!("../../../../knowledge/accelerators.toml");
    Arc::new(Families::default().with(text).unwrap_or_default())
});

impl Families {
    /// The families that are compiled in.
    pub fn built_in() -> Arc<Self> {
        Arc::clone(&BUILT_IN)
    }

    /// These families with those of a further file over them; one of the same name is replaced.
    ///
    /// # Errors
    /// When the file is not of the form, with the place.
    pub fn with(&self, text: &str) -> Result<Self, Fault> {
        let read: File = toml::from_str(text).map_err(|e| {
            Fault::new(
                e.message().trim().to_owned(),
                e.span().map_or(0, |s| s.start),
            )
        })?;
        let mut all = self.all.clone();
        for mut family in read.family {
            let plain = |b: u8| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-';
            if family.name.is_empty()
                || !family.name.bytes().all(plain)
                || family.label.before.is_empty()
            {
                let at = text.find(&format!("\"{}\"", family.name)).unwrap_or(0);
                let fault = Fault::new(
                    format!("`{}` cannot name a family", escaped(&family.name)),
                    at,
                );
                return Err(fault.hint(
                    "use small letters, digits and `-`, and a text before the number of its labels",
                ));
            }
            family.toolkit.sort_by(|a, b| a.version.cmp(&b.version));
            all.retain(|f| f.name != family.name);
            all.push(Arc::new(family));
        }
        let without = read.without.into_iter().chain(self.without.clone());
        Ok(Families {
            all,
            without: without.collect(),
            checks: read.check.into_iter().chain(self.checks.clone()).collect(),
        })
    }

    /// The family of that name.
    ///
    /// # Errors
    /// When there is none: the nearest, or all that are known.
    pub fn named(&self, name: &str) -> Result<&Arc<Family>, Fault> {
        let family = self.all.iter().find(|f| f.name.eq_ignore_ascii_case(name));
        family.ok_or_else(|| {
            let names = || self.all.iter().map(|f| f.name.as_str());
            let fault = Fault::of(
                FaultKind::Unknown,
                format!("`{}` is not a known family of accelerators", escaped(name)),
                0,
            );
            match nearest(name, names(), 1).first() {
                Some(near) => fault.hint(format!("did you mean `{near}`?")),
                None => fault.hint(format!(
                    "known are {}; others are told in a file of their own: [knowledge] \
                        accelerators = [\"FILE\"] in eutaxis.toml",
                    names().collect::<Vec<_>>().join(", ")
                )),
            }
        })
    }

    /// Reads what a build was made for: `FAMILY TOOLKIT`, or `none`.
    ///
    /// # Errors
    /// When the family is not known or the toolkit is no number.
    pub fn made_for(&self, text: &str) -> Result<MadeFor, Fault> {
        match text.split_whitespace().collect::<Vec<_>>().as_slice() {
            ["none"] => Ok(MadeFor::Processor),
            [family, toolkit] => Ok(MadeFor::Toolkit(
                Arc::clone(self.named(family)?),
                Number::parse(toolkit)?,
            )),
            _ => Err(Fault::new(
                format!(
                    "a build is for FAMILY TOOLKIT, or `none`, not `{}`",
                    escaped(text)
                ),
                0,
            )),
        }
    }

    /// What is known of a project's releases without an accelerator on a system.
    pub fn without<'a>(
        &'a self,
        project: &'a Name,
        system: System,
    ) -> impl Iterator<Item = &'a Without> {
        let mine = self.without.iter();
        mine.filter(move |w| w.project == *project && w.is_on(system))
    }

    /// The family of which properties of a namespace speak.
    pub fn of_namespace(&self, namespace: &str) -> Option<&Arc<Family>> {
        let is_it = |f: &&Arc<Family>| f.variant.as_ref().is_some_and(|v| v.namespace == namespace);
        self.all.iter().find(is_it)
    }

    /// How a project is asked whether it sees an accelerator: for each family the check of the file
    /// that was named last.
    pub fn checks_of<'a>(&'a self, project: &'a Name) -> impl Iterator<Item = &'a DeviceCheck> {
        let mine = self.checks.iter().enumerate();
        mine.filter(move |(at, c)| {
            let mut before = self.checks.iter().take(*at);
            let is_replaced = before.any(|b| b.project == c.project && b.family == c.family);
            c.project == *project && !is_replaced
        })
        .map(|(_, c)| c)
    }

    /// All families.
    pub fn iter(&self) -> impl Iterator<Item = &Arc<Family>> {
        self.all.iter()
    }

    /// What a local label says; none when it is no family's.
    pub fn of_label(&self, local: &str) -> Option<MadeFor> {
        if let Some(found) = self
            .all
            .iter()
            .find_map(|f| Some(MadeFor::Toolkit(Arc::clone(f), f.of_label(local)?)))
        {
            return Some(found);
        }
        let first = local.split('.').next().unwrap_or(local);
        self.all
            .iter()
            .any(|f| f.processor.iter().any(|p| p == first))
            .then_some(MadeFor::Processor)
    }

    /// What a release's local label says; none when it has none, or it is no family's.
    pub fn of_version(&self, version: &Version) -> Option<MadeFor> {
        self.of_label(&version.local()?)
    }

    /// The toolkit that a runtime library tells, by the name under which a compiled file needs it or a
    /// wheel brings it; none when it is no such library.
    pub fn of_library(&self, file: &str) -> Option<(Arc<Family>, Number)> {
        let file = unmarked(file);
        let of = |f: &Arc<Family>| {
            let toolkit = f.libraries.iter().find_map(|l| l.toolkit_of(&file))?;
            Some((Arc::clone(f), toolkit))
        };
        self.all.iter().find_map(of)
    }

    /// Whether a project is a runtime package of a family, or comes beside one.
    pub fn is_runtime(&self, project: &Name) -> bool {
        let named = Requirement::any(project);
        self.of_package(&named).is_some()
            || self.of_beside(&named).is_some()
            || self
                .all
                .iter()
                .any(|f| f.packages.iter().any(|p| p == project.as_str()))
    }

    /// Whether a library is one of a toolkit's, or comes beside it.
    pub fn has_library(&self, file: &str) -> bool {
        let lower = file.to_ascii_lowercase();
        self.of_library(file).is_some()
            || self
                .all
                .iter()
                .any(|f| f.companions.iter().any(|c| lower.starts_with(c)))
    }

    /// The major series that a need for a package beside the runtime tells. It says what a build is
    /// for, and not that one without it is for none: such a package may be there for one system.
    pub fn of_beside(&self, need: &Requirement) -> Option<(Arc<Family>, Number)> {
        let name = need.name.as_str();
        let mut all = self.all.iter();
        all.find_map(|f| Some((Arc::clone(f), f.of_beside(name)?)))
    }

    /// The toolkit that a need for a runtime package tells; none when it is no such package.
    pub fn of_package(&self, need: &Requirement) -> Option<(Arc<Family>, Number)> {
        self.all
            .iter()
            .find_map(|f| Some((Arc::clone(f), f.of_package(need)?)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::system::Libc;
    use rstest::rstest;

    const LINUX: System = System::Linux(Libc::Glibc(2, 35));

    fn number(text: &str) -> Number {
        Number::parse(text).unwrap()
    }

    #[test]
    fn the_file_is_read_and_consistent() {
        let families = Families::built_in();
        assert!(families.iter().count() >= 2);
        for family in families.iter() {
            let floors: Vec<&Number> = family
                .toolkit
                .iter()
                .filter_map(|t| t.linux.as_ref())
                .collect();
            assert!(
                floors.is_sorted(),
                "{}: a newer toolkit never asks for less",
                family.name
            );
            for series in family
                .series
                .iter()
                .filter_map(|s| s.linux.as_ref().map(|l| (s.major, l)))
            {
                let of_series = family
                    .toolkit
                    .iter()
                    .filter(|t| t.version.major() == series.0);
                let highest = of_series.filter_map(|t| t.linux.as_ref()).max().unwrap();
                assert!(series.1 <= highest, "{}: series {}", family.name, series.0);
            }
        }
    }

    #[rstest]
    #[case("12.4", "12.4.0", Ordering::Equal)]
    #[case("535.104.05", "535.54.03", Ordering::Greater)]
    #[case("9.2", "10.0", Ordering::Less)]
    fn numbers_compare_part_by_part(#[case] a: &str, #[case] b: &str, #[case] order: Ordering) {
        assert_eq!(number(a).cmp(&number(b)), order);
        assert_eq!(number(a) == number(b), order.is_eq());
    }

    #[rstest]
    #[case::newest("12.4", "12", true)]
    #[case::same("12.4", "12.4", true)]
    #[case::other("12.4", "12.1", false)]
    #[case::less_exact("12", "12.4", false)]
    fn a_number_is_within_what_names_it(#[case] a: &str, #[case] b: &str, #[case] within: bool) {
        assert_eq!(number(a).is_within(&number(b)), within);
    }

    #[rstest]
    #[case("cu118", "cuda 11.8")]
    #[case("cu92", "cuda 9.2")]
    #[case("pt21cu118", "cuda 11.8")]
    #[case("x2.1.cu121", "cuda 12.1")]
    #[case("rocm6.0", "rocm 6.0")]
    #[case("rocm5.4.2", "rocm 5.4.2")]
    #[case("cpu", "processor")]
    #[case("cpu.cxx11", "processor")]
    #[case("focus12", "-")]
    #[case("cu", "-")]
    #[case("cu118x", "cuda 11.8")]
    #[case("cu118.post2", "cuda 11.8")]
    #[case("cu12", "cuda 12")]
    #[case("cu122torch2.3cxx11abifalse", "cuda 12.2")]
    #[case("cuda11.cudnn82", "cuda 11")]
    #[case("cuda12.3", "cuda 12.3")]
    #[case("cuda118", "cuda 11.8")]
    #[case("rocm.git3f90", "rocm of no told number")]
    #[case("rocm6.2.4.1", "rocm 6.2.4.1")]
    #[case("barracuda12", "-")]
    #[case("cu118760", "-")]
    #[case("xpu", "-")]
    #[case("local.1", "-")]
    fn labels_name_toolkits(#[case] label: &str, #[case] expected: &str) {
        let found = match Families::built_in().of_label(label) {
            None => "-".to_owned(),
            Some(MadeFor::Processor) => "processor".to_owned(),
            Some(MadeFor::Toolkit(family, toolkit)) => format!("{} {toolkit}", family.name),
        };
        assert_eq!(found, expected);
    }

    /// Which toolkit a need names: the cases stand beside the facts.
    #[test]
    fn runtime_packages_name_toolkits() {
        #[derive(serde::Deserialize)]
        struct Checks {
            package: Vec<Case>,
            beside: Vec<Beside>,
        }
        #[derive(serde::Deserialize)]
        struct Beside {
            need: String,
            series: Option<String>,
        }
        #[derive(serde::Deserialize)]
        struct Case {
            need: String,
            toolkit: Option<String>,
        }
        let checks: Checks =
            toml::from_str(include_str!("../../../../knowledge/checks.toml")).unwrap();
        assert!(checks.package.len() > 5);
        for case in checks.package {
            let need = Requirement::parse(&case.need).unwrap();
            let found = Families::built_in()
                .of_package(&need)
                .map(|(_, t)| t.to_string());
            assert_eq!(found, case.toolkit, "{}", case.need);
        }
        for case in checks.beside {
            let need = Requirement::parse(&case.need).unwrap();
            let families = Families::built_in();
            let found = families.of_beside(&need).map(|(_, t)| t.to_string());
            assert_eq!(found, case.series, "{}", case.need);
            assert!(families.of_package(&need).is_none());
        }
    }

    /// The table of the conventions, not a standard.
    #[rstest]
    #[case("535.104.05", "11.8", Some(Runs::Fully))]
    #[case("470.57.02", "12.1", None)]
    #[case("525.85.12", "12.1", Some(Runs::BySeries))]
    #[case("470.57.02", "11.8", Some(Runs::BySeries))]
    #[case("450.51.06", "11.8", None)]
    #[case("450.51.06", "11.7", None)]
    #[case("450.80.02", "11.7", Some(Runs::BySeries))]
    #[case::exactly("520.61.05", "11.8", Some(Runs::Fully))]
    #[case::just_below("520.61.04", "11.8", Some(Runs::BySeries))]
    #[case::only_the_series("525.60.13", "12", Some(Runs::Fully))]
    #[case::not_in_the_table("560.35", "12.7", Some(Runs::BySeries))]
    #[case::older_than_the_table("560.35", "9.2", Some(Runs::Fully))]
    #[case::newer_than_the_table("999.0", "99.0", None)]
    fn a_driver_runs_toolkits(
        #[case] driver: &str,
        #[case] toolkit: &str,
        #[case] runs: Option<Runs>,
    ) {
        let families = Families::built_in();
        let cuda = families.named("cuda").unwrap();
        assert_eq!(cuda.runs(&number(toolkit), &number(driver), LINUX), runs);
    }

    #[rstest]
    #[case("8.6", "11.0", Some(true))]
    #[case("9.0", "11.7", Some(false))]
    #[case("3.5", "12.0", Some(false))]
    #[case("9.0", "11", Some(true))]
    #[case("99.9", "12.0", None)]
    fn a_toolkit_serves_devices(
        #[case] device: &str,
        #[case] toolkit: &str,
        #[case] served: Option<bool>,
    ) {
        let families = Families::built_in();
        let cuda = families.named("cuda").unwrap();
        assert_eq!(
            cuda.serves(&number(toolkit), device)
                .map(|(served, ..)| served),
            served
        );
    }

    #[test]
    fn drivers_are_judged_only_where_the_table_does() {
        let families = Families::built_in();
        let (cuda, rocm) = (
            families.named("CUDA").unwrap(),
            families.named("rocm").unwrap(),
        );
        assert_eq!(
            cuda.highest_toolkit(&number("498.2"), LINUX)
                .unwrap()
                .to_string(),
            "11.5"
        );
        assert_eq!(
            cuda.highest_toolkit(&number("498.2"), System::Windows)
                .unwrap()
                .to_string(),
            "11.5"
        );
        assert!(cuda.highest_toolkit(&number("1.0"), LINUX).is_none());
        assert!(rocm.highest_toolkit(&number("1.0"), LINUX).is_none());
        assert_eq!(
            rocm.runs(&number("6.0"), &number("1.0"), LINUX),
            Some(Runs::Fully)
        );
    }

    #[rstest]
    #[case("family = 1", "expected")]
    #[case("[[family]]\nname = 'x'\n", "missing field `label`")]
    #[case(
        "[[family]]\nname = 'x'\nlabel = { before = 'x', number = 'digits' }\ntoolkit = \
            [{ version = 'two' }]",
        "not a number"
    )]
    #[case(
        "[[family]]\nname = 'X Y'\nlabel = { before = 'x', number = 'digits' }\ntoolkit = []",
        "cannot name a family"
    )]
    fn broken_files_are_told(#[case] text: &str, #[case] part: &str) {
        let fault = Families::default().with(text).unwrap_err();
        assert!(fault.to_string().contains(part), "{fault}");
    }

    #[test]
    fn a_family_of_the_user_replaces_one_of_the_same_name() {
        let text = "[[family]]\nname = 'cuda'\nlabel = \
            { before = 'zz', number = 'digits' }\ntoolkit = [{ version = '1.0' }]";
        let families = Families::built_in().with(text).unwrap();
        assert_eq!(families.iter().filter(|f| f.name == "cuda").count(), 1);
        assert!(families.of_label("cu118").is_none() && families.of_label("zz10").is_some());
    }
}
