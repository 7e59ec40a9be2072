//! Sets in whose imports nothing was found before: what is the same by its bytes, for the same
//! interpreter and by the same program, is not followed again.

use eutaxis_core::Target;

use super::Item;
use crate::catalogue::Catalogue;
use crate::hash::sha256_hex;
use crate::interpreter::time_and_length;

/// A set by what it is.
#[derive(Debug)]
pub struct Sound {
    key: String,
}

impl Sound {
    /// Of wheels that are followed as a whole set, or as a part of one; none where the program does
    /// not know which build of itself it is.
    pub fn of(items: &[Item], is_whole: bool, target: &Target) -> Option<Self> {
        let mut words = vec![
            own_build()?,
            target.interpreter.to_string(),
            is_whole.to_string(),
        ];
        for item in items {
            words.push(format!("{} {}", item.sha256, item.requested));
        }
        let key = format!("sound:{}", sha256_hex(words.join("\n").as_bytes()));
        Some(Sound { key })
    }

    /// How many sources were followed then, without finding anything.
    pub fn known(&self, catalogue: &Catalogue) -> Option<usize> {
        let kept = catalogue.interfaces(std::slice::from_ref(&self.key));
        let kept = kept.into_iter().next().flatten()?;
        std::str::from_utf8(&kept).ok()?.parse().ok()
    }

    /// Remembers that nothing was found.
    pub fn keep(self, followed: usize, catalogue: &Catalogue) {
        catalogue.keep_interfaces(&[(self.key, followed.to_string().into_bytes())]);
    }
}

/// Which build of the program this is: what it finds may differ from what another one finds.
fn own_build() -> Option<String> {
    let stamp = time_and_length(&std::env::current_exe().ok()?)?;
    Some(format!("{} {stamp}", env!("CARGO_PKG_VERSION")))
}

#[cfg(test)]
mod tests {
    use eutaxis_core::index::Hashes;
    use rstest::rstest;

    use super::super::WheelAt;
    use super::*;

    fn item(sha256: &str, requested: bool) -> Item {
        let filename = "firnio-1.0-py3-none-any.whl".to_owned();
        let wheel_name = eutaxis_core::artifact::WheelName::parse(&filename).unwrap();
        Item {
            name: wheel_name.name.clone(),
            version: "1.0".to_owned(),
            filename,
            wheel_name,
            sha256: sha256.to_owned(),
            hashes: Hashes::default(),
            size: None,
            wheel: WheelAt::Disk("x".into()),
            requested,
            direct_url: None,
            built: None,
            said: None,
        }
    }

    const PLACE: &str = "cpython 3.12.4 / linux x86_64 glibc 2.36";

    #[rstest]
    #[case::the_same("ab", true, true, PLACE, Some(7))]
    #[case::other_bytes("cd", true, true, PLACE, None)]
    #[case::not_asked_for("ab", false, true, PLACE, None)]
    #[case::a_part("ab", true, false, PLACE, None)]
    #[case::another_interpreter("ab", true, true, "cpython 3.13.1 / linux x86_64 glibc 2.36", None)]
    fn what_is_the_same_is_known(
        #[case] sha256: &str,
        #[case] requested: bool,
        #[case] is_whole: bool,
        #[case] place: &str,
        #[case] known: Option<usize>,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let (catalogue, _) = Catalogue::open(folder.path());
        let first = Sound::of(&[item("ab", true)], true, &Target::parse(PLACE).unwrap()).unwrap();
        assert_eq!(first.known(&catalogue), None);
        first.keep(7, &catalogue);
        let target = Target::parse(place).unwrap();
        let again = Sound::of(&[item(sha256, requested)], is_whole, &target).unwrap();
        assert_eq!(again.known(&catalogue), known);
    }
}
