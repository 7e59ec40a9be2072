//! What an address tells of the project that lies there.

use super::{SdistName, WheelName};
use crate::name::Name;

/// The name that an address or a path tells: `#egg=NAME` as addresses of repositories in circulation
/// have it, or that of a wheel or source archive.
pub fn name_in_address(place: &str) -> Option<Name> {
    let (address, fragment) = place.split_once('#').unwrap_or((place, ""));
    let told = fragment
        .split('&')
        .find_map(|part| part.strip_prefix("egg="));
    if let Some(told) = told {
        let bare = told.split('[').next().unwrap_or(told);
        return Name::parse(bare).ok();
    }
    let file = address.rsplit(['/', '\\']).next()?;
    let file = file.split('?').next()?;
    if let Ok(wheel) = WheelName::parse(file) {
        return Some(wheel.name);
    }
    let is_archive = file.ends_with(".tar.gz") || file.ends_with(".zip");
    let sdist = SdistName::parse(file, None).ok().filter(|_| is_archive)?;
    Some(sdist.name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("./w/Frost.Grid-1.0-py3-none-any.whl", Some("frost-grid"))]
    #[case(
        "https://camp.example/frostgrid-1.0.tar.gz#sha256=00",
        Some("frostgrid")
    )]
    #[case(
        "git+https://camp.example/r.git@v1#egg=radargram[fast]&subdirectory=py",
        Some("radargram")
    )]
    #[case("git+https://camp.example/r.git", None)]
    #[case(".", None)]
    fn some_addresses_tell_their_name(#[case] place: &str, #[case] expected: Option<&str>) {
        assert_eq!(name_in_address(place).as_ref().map(Name::as_str), expected);
    }
}
