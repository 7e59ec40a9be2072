//! The accelerators of a target, and what of them a build needs (docs/house.md).
//!
//! ```text
//! accelerator = family ['toolkit' number] ['driver' number] {'device' generation} ['required']
//!             | 'none'
//! ```

use std::cmp::Reverse;
use std::fmt;
use std::sync::Arc;

use super::System;
use crate::fault::{Fault, escaped};
use crate::knowledge::{DeviceCode, Families, Family, MadeFor, Number, Runs};

/// One accelerator of a place: a family, and what is known of toolkit, driver and devices.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Accelerator {
    /// The family.
    pub family: Arc<Family>,
    /// The toolkit that is installed or wanted: builds for it are preferred, and without a driver
    /// none newer is taken.
    pub toolkit: Option<Number>,
    /// The driver, which decides what runs.
    pub driver: Option<Number>,
    /// Generations of its devices; a build must serve one of those that are known.
    pub devices: Vec<String>,
    /// Releases of projects that use it elsewhere, and not here, are out.
    pub is_required: bool,
}

/// The accelerators of a target, with the families by which builds are told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Accelerators {
    /// The families that are known.
    pub families: Arc<Families>,
    /// What is there; empty for a place without any.
    pub here: Vec<Accelerator>,
    /// Of builds that are told apart, only those for this toolkit.
    pub only: Option<(Arc<Family>, Number)>,
}

/// How good a build is on a target among builds of one release; smaller is better.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct BuildOrder(u8, Option<Reverse<Number>>);

/// Builds for a toolkit that is older than what serves the devices.
const UNSERVED: u8 = 3;

/// Builds that leave the accelerators out, or of which nothing is known.
const PLAIN: BuildOrder = BuildOrder(4, None);

impl BuildOrder {
    /// Whether the build uses an accelerator of the target.
    pub fn is_accelerated(&self) -> bool {
        *self != PLAIN
    }

    /// Whether its toolkit is known to serve the devices that it would run on, or nobody knows
    /// better.
    pub fn is_served(&self) -> bool {
        self.0 != UNSERVED
    }
}

/// That a build is for a toolkit that is older than a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unserved {
    /// What it needs.
    pub needs: (String, Number),
    /// The device's generation.
    pub device: String,
    /// The first toolkit that serves it.
    pub since: Number,
}

impl fmt::Display for Unserved {
    /// A sentence without final stop.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (family, toolkit) = &self.needs;
        write!(
            f,
            "built for {family} {toolkit}, and device {} is served since {}: it runs there only if \
                it holds intermediate code",
            self.device, self.since
        )
    }
}

impl Accelerator {
    /// Reads `nordglim toolkit 4.1 driver 512.4 device b3`.
    ///
    /// # Errors
    /// When the family is not known, or something else is said of it.
    pub fn parse(text: &str, families: &Families) -> Result<Self, Fault> {
        let mut words = text.split_whitespace();
        let form = || {
            Fault::new(
                format!(
                    "an accelerator is FAMILY [toolkit V] [driver V] [device D] [required], not `{}`",
                    escaped(text.trim())
                ),
                0,
            )
        };
        let family = Arc::clone(families.named(words.next().ok_or_else(form)?)?);
        let mut found = Accelerator {
            family,
            toolkit: None,
            driver: None,
            devices: Vec::new(),
            is_required: false,
        };
        while let Some(key) = words.next() {
            if key == "required" && !found.is_required {
                found.is_required = true;
                continue;
            }
            let value = words.next().ok_or_else(form)?;
            match key {
                "toolkit" if found.toolkit.is_none() => found.toolkit = Some(Number::parse(value)?),
                "driver" if found.driver.is_none() => found.driver = Some(Number::parse(value)?),
                "device" => found.devices.push(value.to_owned()),
                _ => return Err(form()),
            }
        }
        Ok(found)
    }

    /// Whether nothing is said of it but that it is required.
    fn is_bare(&self) -> bool {
        let is_known = self.toolkit.is_some() || self.driver.is_some() || !self.devices.is_empty();
        self.is_required && !is_known
    }

    /// The first of its devices for which a toolkit is too old, where it is for all that are known;
    /// with the first toolkit that serves it.
    fn unserved(&self, toolkit: &Number) -> Option<(&String, &Number)> {
        let known = self
            .devices
            .iter()
            .filter(|d| self.family.serves(toolkit, d).is_some());
        let mut each = known.map(|d| Some((d, self.family.serves_since(toolkit, d)?)));
        let first = each.next()??;
        each.all(|one| one.is_some()).then_some(first)
    }

    /// How it runs builds for a toolkit. One that is older than a device may hold intermediate code,
    /// which the driver compiles for it: that is not refused ([`Accelerators::unserved`]).
    ///
    /// # Errors
    /// Why it does not.
    fn runs(&self, toolkit: &Number, system: System) -> Result<Runs, Box<BuildMiss>> {
        let needs = || (self.family.name.clone(), toolkit.clone());
        let runs = match (&self.driver, &self.toolkit) {
            (Some(driver), _) => match self.family.runs(toolkit, driver, system) {
                Some(runs) => runs,
                None => {
                    return Err(Box::new(BuildMiss::Driver {
                        needs: needs(),
                        driver: driver.clone(),
                        highest: self.family.highest_toolkit(driver, system).cloned(),
                    }));
                }
            },
            (None, Some(here)) if toolkit > here && !here.is_within(toolkit) => {
                return Err(Box::new(BuildMiss::Toolkit {
                    needs: needs(),
                    here: here.clone(),
                }));
            }
            _ => Runs::Fully,
        };
        let judged: Vec<_> = self
            .devices
            .iter()
            .filter_map(|d| Some((d, self.family.serves(toolkit, d)?)))
            .collect();
        let dropped = |last: &Option<&Number>| last.filter(|l| *toolkit > **l).cloned();
        match judged.first() {
            Some((device, (_, _, last)))
                if judged
                    .iter()
                    .all(|(_, (_, _, last))| dropped(last).is_some()) =>
            {
                Err(Box::new(BuildMiss::Device {
                    needs: needs(),
                    device: (*device).clone(),
                    until: dropped(last).unwrap_or_else(|| toolkit.clone()),
                }))
            }
            _ => Ok(runs),
        }
    }
}

/// Why a build does not run on a place: the nearest miss. What it needs is a family and a toolkit of
/// it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BuildMiss {
    /// Only builds for another toolkit are wanted.
    Unwanted {
        /// What it was made for.
        build: MadeFor,
        /// What is wanted.
        only: (String, Number),
    },
    /// It leaves out the family, which is required.
    Required(String),
    /// The family is not there.
    Family {
        /// What it needs.
        needs: (String, Number),
        /// The families that are.
        here: Vec<String>,
    },
    /// The driver does not run the toolkit.
    Driver {
        /// What it needs.
        needs: (String, Number),
        /// The driver that is there.
        driver: Number,
        /// The newest toolkit that it runs, if any is known.
        highest: Option<Number>,
    },
    /// No driver is named, and the toolkit that is there is older.
    Toolkit {
        /// What it needs.
        needs: (String, Number),
        /// The toolkit that is there.
        here: Number,
    },
    /// The toolkit does not serve the device any more.
    Device {
        /// What it needs.
        needs: (String, Number),
        /// The device's generation.
        device: String,
        /// The last toolkit that does.
        until: Number,
    },
    /// Its compiled files hold no code that the device runs.
    Code {
        /// What they hold.
        holds: DeviceCode,
        /// The device's generation.
        device: String,
    },
}

impl fmt::Display for BuildMiss {
    /// A sentence without final stop.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            BuildMiss::Unwanted {
                build,
                only: (family, toolkit),
            } => write!(f, "{build}; only builds for {family} {toolkit} are wanted"),
            BuildMiss::Required(family) => {
                write!(f, "built without accelerators, and {family} is required")
            }
            BuildMiss::Family {
                needs: (family, toolkit),
                here,
            } => {
                write!(f, "built for {family} {toolkit}; this target has ")?;
                match here.as_slice() {
                    [] => f.write_str("no accelerator"),
                    names => f.write_str(&names.join(", ")),
                }
            }
            BuildMiss::Driver {
                needs: (family, toolkit),
                driver,
                highest,
            } => {
                write!(f, "needs {family} {toolkit}; driver {driver} runs ")?;
                match highest {
                    Some(highest) => write!(f, "up to {highest}"),
                    None => f.write_str("no toolkit that is known"),
                }
            }
            BuildMiss::Toolkit {
                needs: (family, toolkit),
                here,
            } => write!(
                f,
                "needs {family} {toolkit}; this target has toolkit {here} and names no driver"
            ),
            BuildMiss::Device {
                needs: (family, toolkit),
                device,
                until,
            } => write!(
                f,
                "built for {family} {toolkit}, which does not serve device {device} (last served by \
                    {until})"
            ),
            BuildMiss::Code { holds, device } => write!(
                f,
                "its compiled files hold code of {} {holds}: device {device} runs none of it",
                holds.family.name
            ),
        }
    }
}

impl fmt::Display for Accelerator {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.family.name)?;
        self.toolkit
            .iter()
            .try_for_each(|t| write!(f, " toolkit {t}"))?;
        self.driver
            .iter()
            .try_for_each(|d| write!(f, " driver {d}"))?;
        self.devices
            .iter()
            .try_for_each(|d| write!(f, " device {d}"))?;
        f.write_str(if self.is_required { " required" } else { "" })
    }
}

impl Accelerators {
    /// A place without any.
    pub fn none(families: Arc<Families>) -> Self {
        Accelerators {
            families,
            here: Vec::new(),
            only: None,
        }
    }

    /// Reads `none`, or accelerators with ` / ` between them.
    ///
    /// # Errors
    /// As [`Accelerator::parse`], with the place.
    pub fn parse(text: &str, families: &Arc<Families>) -> Result<Self, Fault> {
        let mut all = Accelerators::none(Arc::clone(families));
        if text.trim() == "none" {
            return Ok(all);
        }
        let mut at = 0;
        for part in text.split('/') {
            all.here
                .push(Accelerator::parse(part, families).map_err(|f| f.shifted(at))?);
            at += part.len() + 1;
        }
        Ok(all)
    }

    /// The value of `--accelerator`, one word.
    pub fn as_option(&self) -> String {
        let all: Vec<String> = self.here.iter().map(ToString::to_string).collect();
        if all.is_empty() {
            "none".to_owned()
        } else {
            all.join(" / ")
        }
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.here.is_empty()
    }

    /// Whether one must be used by what could use it.
    pub fn is_required(&self) -> bool {
        self.here.iter().any(|a| a.is_required)
    }

    /// The same, where one of which nothing is said but that it is required is the one that was there.
    #[must_use]
    pub fn over(mut self, before: &Accelerators) -> Self {
        for stated in self.here.iter_mut().filter(|a| a.is_bare()) {
            let mut known = before.here.iter();
            if let Some(known) = known.find(|a| a.family.name == stated.family.name) {
                *stated = Accelerator {
                    is_required: true,
                    ..known.clone()
                };
            }
        }
        self
    }

    /// Whether a family is there.
    pub fn has(&self, family: &str) -> bool {
        self.here.iter().any(|a| a.family.name == family)
    }

    /// The families that are there, in words.
    pub fn names(&self) -> String {
        let names: Vec<&str> = self.here.iter().map(|a| a.family.name.as_str()).collect();
        names.join(", ")
    }

    /// Why a build does not run here; none when it does.
    pub fn miss(&self, build: &MadeFor, system: System) -> Option<Box<BuildMiss>> {
        if let Some((family, toolkit)) = &self.only {
            let same = matches!(build, MadeFor::Toolkit(f, t) if f.name == family.name && toolkit.is_within(t));
            if !same {
                return Some(Box::new(BuildMiss::Unwanted {
                    build: build.clone(),
                    only: (family.name.clone(), toolkit.clone()),
                }));
            }
        }
        let MadeFor::Toolkit(family, toolkit) = build else {
            let required = self.here.iter().find(|a| a.is_required)?;
            return Some(Box::new(BuildMiss::Required(required.family.name.clone())));
        };
        let same: Vec<&Accelerator> = self
            .here
            .iter()
            .filter(|a| a.family.name == family.name)
            .collect();
        if same.is_empty() {
            return Some(Box::new(BuildMiss::Family {
                needs: (family.name.clone(), toolkit.clone()),
                here: self.here.iter().map(|a| a.family.name.clone()).collect(),
            }));
        }
        let mut misses = same.iter().map(|a| a.runs(toolkit, system).err());
        let first = misses.next()?;
        if misses.any(|m| m.is_none()) {
            None
        } else {
            first
        }
    }

    /// That no device of a family runs the code for it that compiled files hold; none where one of
    /// them does, or nobody knows.
    pub fn code_miss(&self, code: &[DeviceCode]) -> Option<Box<BuildMiss>> {
        let miss = |holds: &DeviceCode| {
            let mut devices = self.devices_of(holds);
            let first = devices.next()?;
            let runs_none = |device: &String| holds.runs_on(device) == Some(false);
            (runs_none(first) && devices.all(runs_none)).then(|| {
                Box::new(BuildMiss::Code {
                    holds: holds.clone(),
                    device: first.clone(),
                })
            })
        };
        code.iter().find_map(miss)
    }

    /// Whether a device is known to run some of the code that compiled files hold.
    pub fn runs_code(&self, code: &[DeviceCode]) -> bool {
        let runs = |holds: &DeviceCode| {
            let mut devices = self.devices_of(holds);
            devices.any(|device| holds.runs_on(device) == Some(true))
        };
        code.iter().any(runs)
    }

    fn devices_of<'a>(&'a self, code: &'a DeviceCode) -> impl Iterator<Item = &'a String> {
        let same = self
            .here
            .iter()
            .filter(|a| a.family.name == code.family.name);
        same.flat_map(|a| &a.devices)
    }

    /// That a build which runs here is for a toolkit older than the devices; none where one of them
    /// is served, or nobody knows.
    pub fn unserved(&self, build: &MadeFor, system: System) -> Option<Unserved> {
        let MadeFor::Toolkit(family, toolkit) = build else {
            return None;
        };
        let mut mine = self.here.iter().filter(|a| {
            let is_same = a.family.name == family.name;
            is_same && a.runs(toolkit, system).is_ok()
        });
        let (device, since) = mine.next()?.unserved(toolkit)?;
        mine.all(|a| a.unserved(toolkit).is_some())
            .then(|| Unserved {
                needs: (family.name.clone(), toolkit.clone()),
                device: device.clone(),
                since: since.clone(),
            })
    }

    /// How good a build that runs here is among builds of its release.
    pub fn order(&self, build: Option<&MadeFor>, system: System) -> BuildOrder {
        let Some(MadeFor::Toolkit(family, toolkit)) = build else {
            return PLAIN;
        };
        let tier = |a: &Accelerator| {
            let exact = a
                .toolkit
                .as_ref()
                .is_some_and(|t| t == toolkit || t.is_within(toolkit));
            a.runs(toolkit, system)
                .ok()
                .map(|runs| match (exact, runs) {
                    _ if a.unserved(toolkit).is_some() => UNSERVED,
                    (true, _) => 0,
                    (false, Runs::Fully) => 1,
                    (false, Runs::BySeries) => 2,
                })
        };
        let best = self
            .here
            .iter()
            .filter(|a| a.family.name == family.name)
            .filter_map(tier)
            .min();
        best.map_or(PLAIN, |tier| {
            BuildOrder(tier, Some(Reverse(toolkit.clone())))
        })
    }
}

impl fmt::Display for MadeFor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            MadeFor::Processor => f.write_str("built without accelerators"),
            MadeFor::Toolkit(family, toolkit) => write!(f, "built for {} {toolkit}", family.name),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::Target;
    use super::*;
    use rstest::rstest;

    /// A family by the same mechanism as the real ones.
    const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
toolkit = [{ version = "3.6", linux = "450.1" }, { version = "3.9", linux = "480.0" }, { version = "4.1", linux = "510.0" }, { version = "4.2", linux = "530.5" }]
series = [{ major = 4, linux = "505.0" }]
device = [{ name = "b1", first = "3.0", last = "3.9" }, { name = "b3", first = "3.9" }]
"#;

    fn accelerators(text: &str) -> Result<Accelerators, Fault> {
        Accelerators::parse(
            text,
            &Arc::new(Families::built_in().with(NORDGLIM).unwrap()),
        )
    }

    fn linux() -> System {
        Target::parse("cpython 3.11 / linux x86_64 glibc 2.35")
            .unwrap()
            .platform
            .system
    }

    #[rstest]
    #[case::too_old(
        "nordglim driver 498.2",
        "nor41",
        Some("needs nordglim 4.1; driver 498.2 runs up to 3.9")
    )]
    #[case::runs("nordglim driver 498.2", "nor39", None)]
    #[case::at_the_limit("nordglim driver 510.0", "nor41", None)]
    #[case::by_series("nordglim driver 505.0", "nor42", None)]
    #[case::just_below(
        "nordglim driver 504.9",
        "nor41",
        Some("needs nordglim 4.1; driver 504.9 runs up to 3.9")
    )]
    #[case::ancient(
        "nordglim driver 1.0",
        "nor36",
        Some("needs nordglim 3.6; driver 1.0 runs no toolkit that is known")
    )]
    #[case::none(
        "none",
        "nor41",
        Some("built for nordglim 4.1; this target has no accelerator")
    )]
    #[case::processor("none", "cpu", None)]
    #[case::other(
        "cuda driver 550.60",
        "nor41",
        Some("built for nordglim 4.1; this target has cuda")
    )]
    #[case::two_families("cuda driver 550.60 / nordglim driver 512.4", "nor41", None)]
    #[case::device(
        "nordglim driver 512.4 device b1",
        "nor41",
        Some("built for nordglim 4.1, which does not serve device b1 (last served by 3.9)")
    )]
    #[case::new_device("nordglim driver 512.4 device b3", "nor36", None)]
    #[case::one_device_of_two("nordglim driver 512.4 device b1 device b3", "nor41", None)]
    #[case::unknown_device("nordglim driver 512.4 device z9", "nor41", None)]
    #[case::toolkit_alone(
        "nordglim toolkit 4.1",
        "nor42",
        Some("needs nordglim 4.2; this target has toolkit 4.1 and names no driver")
    )]
    #[case::older_than_the_toolkit("nordglim toolkit 4.1", "nor39", None)]
    #[case::nothing_known("nordglim", "nor42", None)]
    #[case::required(
        "nordglim required",
        "cpu",
        Some("built without accelerators, and nordglim is required")
    )]
    #[case::required_and_used("nordglim driver 512.4 required", "nor41", None)]
    fn builds_run_or_the_reason_is_told(
        #[case] here: &str,
        #[case] label: &str,
        #[case] expected: Option<&str>,
    ) {
        let here = accelerators(here).unwrap();
        let build = here.families.of_label(label).unwrap();
        let told = here.miss(&build, linux()).map(|m| m.to_string());
        assert_eq!(told.as_deref(), expected);
    }

    /// A toolkit that is older than every device that is known: it may hold intermediate code.
    #[rstest]
    #[case::older("nordglim driver 512.4 device b3", "nor36", Some("3.9"))]
    #[case::served("nordglim driver 512.4 device b3", "nor39", None)]
    #[case::dropped("nordglim driver 512.4 device b1", "nor41", None)]
    #[case::one_is_served("nordglim driver 512.4 device b3 device b1", "nor36", None)]
    #[case::one_is_unknown("nordglim driver 512.4 device z9 device b3", "nor36", Some("3.9"))]
    #[case::two_here("nordglim device b3 / nordglim device b1", "nor36", None)]
    #[case::nothing_known("nordglim driver 512.4 device z9", "nor36", None)]
    #[case::no_device("nordglim driver 512.4", "nor36", None)]
    #[case::driver_too_old("nordglim driver 1.0 device b3", "nor36", None)]
    #[case::processor("nordglim device b3", "cpu", None)]
    fn a_device_newer_than_the_toolkit_is_told(
        #[case] here: &str,
        #[case] label: &str,
        #[case] since: Option<&str>,
    ) {
        let here = accelerators(here).unwrap();
        let build = here.families.of_label(label).unwrap();
        let told = here.unserved(&build, linux());
        assert_eq!(told.as_ref().map(|u| u.since.to_string()).as_deref(), since);
        let order = here.order(Some(&build), linux());
        assert_eq!(!order.is_served(), since.is_some());
    }

    #[rstest]
    #[case::served_before_newer("nordglim driver 535 device b1", &["nor39", "nor36", "cpu"])]
    #[case::unserved_before_none("nordglim driver 535 device b3", &["nor42", "nor41", "nor39", "nor36", "cpu"])]
    #[case::newest_that_runs("nordglim driver 512.4", &["nor41", "nor39", "nor36", "nor42", "cpu"])]
    #[case::the_stated_toolkit("nordglim toolkit 3.6 driver \
        535", &["nor36", "nor42", "nor41", "nor39", "cpu"])]
    #[case::none("none", &["cpu"])]
    fn the_best_build_comes_first(#[case] here: &str, #[case] expected: &[&str]) {
        let here = accelerators(here).unwrap();
        let of = |label: &str| here.families.of_label(label).unwrap();
        let mut labels = vec!["nor36", "nor39", "nor41", "nor42", "cpu"];
        labels.retain(|l| here.miss(&of(l), linux()).is_none());
        labels.sort_by_key(|l| here.order(Some(&of(l)), linux()));
        assert_eq!(labels, expected);
    }

    #[test]
    fn one_toolkit_may_be_all_that_is_wanted() {
        let mut here = accelerators("nordglim driver 535").unwrap();
        here.only = Some((
            Arc::clone(here.families.named("nordglim").unwrap()),
            Number::parse("3.9").unwrap(),
        ));
        let miss = |label: &str| here.miss(&here.families.of_label(label).unwrap(), linux());
        assert_eq!(miss("nor39"), None);
        assert_eq!(
            miss("cpu").unwrap().to_string(),
            "built without accelerators; only builds for nordglim 3.9 are wanted"
        );
        assert!(miss("nor41").is_some());
    }

    #[rstest]
    #[case(
        "nordglim toolkit 4.1 driver 512.4 device b3",
        "nordglim toolkit 4.1 driver 512.4 device b3"
    )]
    #[case("  NORDGLIM   driver 512.4", "nordglim driver 512.4")]
    #[case("nordglim required device b3", "nordglim device b3 required")]
    fn the_text_form_is_read_and_shown(#[case] text: &str, #[case] shown: &str) {
        assert_eq!(accelerators(text).unwrap().here[0].to_string(), shown);
    }

    #[rstest]
    #[case("nordglin driver 1", "did you mean `nordglim`?")]
    #[case("aurora", "[knowledge] accelerators")]
    #[case("nordglim driver", "FAMILY [toolkit V]")]
    #[case("nordglim driver new", "not a number")]
    #[case("nordglim speed 4", "FAMILY [toolkit V]")]
    #[case("nordglim driver 1 driver 2", "FAMILY [toolkit V]")]
    #[case("", "FAMILY [toolkit V]")]
    fn bad_accelerators_are_refused(#[case] text: &str, #[case] part: &str) {
        let fault = accelerators(text).unwrap_err();
        assert!(
            fault.to_string().contains(part) || fault.advice().is_some_and(|h| h.contains(part)),
            "{fault}"
        );
    }

    #[rstest]
    #[case("nordglim 4.1", "built for nordglim 4.1")]
    #[case("none", "built without accelerators")]
    fn what_a_build_is_for_can_be_stated(#[case] text: &str, #[case] shown: &str) {
        assert_eq!(
            accelerators("none")
                .unwrap()
                .families
                .made_for(text)
                .unwrap()
                .to_string(),
            shown
        );
        assert!(
            accelerators("none")
                .unwrap()
                .families
                .made_for("nordglim")
                .is_err()
        );
    }
}
