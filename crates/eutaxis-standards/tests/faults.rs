//! Readers of the small grammars tell what kind of fault they met, for callers that act on it.

// A test that cannot go on has failed: here that is what stopping the program means.
#![allow(clippy::unwrap_used)]

use eutaxis_standards::artifact::{Metadata, WheelInfo};
use eutaxis_standards::fault::{Fault, FaultKind};
use eutaxis_standards::{Marker, Name, Requirement, Target, Version};
use rstest::rstest;

#[rstest]
#[case::grammar(Requirement::parse("firnio=>1").err(), FaultKind::Grammar)]
#[case::no_name(Name::parse("").err(), FaultKind::Absent)]
#[case::long_name(Name::parse(&"f".repeat(5_000)).err(), FaultKind::Limit)]
#[case::long_version(Version::parse(&"1.".repeat(5_000)).err(), FaultKind::Limit)]
#[case::deep_marker(Marker::parse(&"(".repeat(500)).err(), FaultKind::Limit)]
#[case::no_such_variable(Marker::parse("python_verson > '3'").err(), FaultKind::Unknown)]
#[case::no_such_interpreter(Target::parse("rimepython 3.9 / linux x86_64 glibc 2.35").err(), FaultKind::Unknown)]
#[case::no_platform(Target::parse("cpython 3.9 /").err(), FaultKind::Absent)]
#[case::no_version_of_itself(Metadata::parse(b"Metadata-Version: 2.1\nName: firnio\n").err(), FaultKind::Absent)]
#[case::later_metadata(Metadata::parse(b"Metadata-Version: 9.0\nName: firnio\nVersion: 1\n").err(), FaultKind::Newer)]
#[case::later_wheel(WheelInfo::parse(b"Wheel-Version: 9.0\n").err(), FaultKind::Newer)]
fn a_fault_has_a_kind(#[case] fault: Option<Fault>, #[case] kind: FaultKind) {
    assert_eq!(fault.unwrap().kind(), kind);
}
