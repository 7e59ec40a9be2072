//! Runtime libraries by the names of their files (`knowledge/accelerators.toml`; conventions, not a
//! standard).

use serde::Deserialize;

use super::accelerators::Number;

/// A runtime library and the toolkit it belongs to.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Library {
    /// Its file name, as compiled files name it.
    pub file: String,
    /// The toolkit.
    pub toolkit: Number,
    /// Its full name ends with the toolkit's number (`libnordglim.so.4.1.17` is of 4.1).
    #[serde(default)]
    numbered: bool,
}

impl Library {
    /// The toolkit of a file that is this library: by its name, by the number that its full name
    /// ends with, or by the first part of that.
    pub(super) fn toolkit_of(&self, file: &str) -> Option<Number> {
        let (stem, number) = numbered_name(&self.file);
        let (file_stem, file_number) = numbered_name(file);
        if !stem.eq_ignore_ascii_case(file_stem) {
            return None;
        }
        let (Some(number), Some(file_number)) = (number, file_number) else {
            return file
                .eq_ignore_ascii_case(&self.file)
                .then(|| self.toolkit.clone());
        };
        let full = self.numbered && file_number.exactness() > 2;
        if full && file_number.major() == self.toolkit.major() {
            return Some(file_number.shortened(2));
        }
        file_number.is_within(&number).then(|| self.toolkit.clone())
    }
}

/// A file's name up to `.so`, and the number behind that.
pub fn numbered_name(file: &str) -> (&str, Option<Number>) {
    match file.split_once(".so.") {
        Some((stem, number)) => match Number::parse(number) {
            Ok(number) => (stem, Some(number)),
            Err(_) => (file, None),
        },
        None => (file, None),
    }
}

/// The name of a library without the mark that tools which bundle it into a wheel put into its name:
/// `libfirn-1a2b3c4d.so.4` and `libfirn.1a2b3c4d.so.4` are `libfirn.so.4`.
pub(super) fn unmarked(file: &str) -> String {
    let is_mark = |text: &str| text.len() >= 6 && text.bytes().all(|b| b.is_ascii_hexdigit());
    let (stem, rest) = match file.find('.') {
        Some(dot) => file.split_at(dot),
        None => (file, ""),
    };
    if let Some((name, _)) = stem.rsplit_once('-').filter(|(_, mark)| is_mark(mark)) {
        return format!("{name}{rest}");
    }
    let behind = rest.strip_prefix('.').and_then(|r| r.split_once('.'));
    match behind.filter(|(mark, _)| is_mark(mark)) {
        Some((_, rest)) => format!("{stem}.{rest}"),
        None => file.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::super::Families;
    use rstest::rstest;

    const NORDGLIM: &str = r#"
[[family]]
name = "nordglim"
label = { before = "nor", number = "digits" }
packages = ["nordglim-runtime-{major}", "nordglim-toolkit"]
beside = ["nordglim-fft-{major}"]
libraries = [
    { file = "libnordglim.so.3.0", toolkit = "3", numbered = true }, { file = "libnordglim.so.4", toolkit = "4", numbered = true },
    { file = "libnorfft.so.11", toolkit = "4" }, { file = "nordglim64_4.dll", toolkit = "4" },
]
toolkit = [{ version = "4.1" }]
"#;

    #[rstest]
    #[case::as_it_is_needed("libnordglim.so.4", Some("4"))]
    #[case::of_an_odd_series("libnordglim.so.3.0", Some("3"))]
    #[case::by_its_full_name("libnordglim.so.4.1.127", Some("4.1"))]
    #[case::by_the_full_name_of_an_odd_series("libnordglim.so.3.6.89", Some("3.6"))]
    #[case::bundled("libnordglim-9335f6a2.so.4.1.127", Some("4.1"))]
    #[case::bundled_with_a_mark_of_its_own("libnordglim.7ec1eba6.so.4", Some("4"))]
    #[case::bundled_by_its_short_name("libnordglim-9335f6a2.so.4", Some("4"))]
    #[case::numbers_of_its_own("libnorfft.so.11.2.3.6", Some("4"))]
    #[case::of_windows("NORDGLIM64_4.DLL", Some("4"))]
    #[case::of_windows_bundled("nordglim64_4-5d0e7a9b3c.dll", Some("4"))]
    #[case::of_another_series("libnordglim.so.5", None)]
    #[case::of_another_name("libnordglim-fft.so.4", None)]
    #[case::not_numbered("libnordglim.so", None)]
    #[case::a_long_number("libnordglim.so.4.99999999999999999999", None)]
    fn names_of_libraries_tell_toolkits(#[case] file: &str, #[case] expected: Option<&str>) {
        let families = Families::default().with(NORDGLIM).unwrap();
        let told = families.of_library(file).map(|(_, t)| t.to_string());
        assert_eq!(told.as_deref(), expected);
    }

    #[rstest]
    #[case("nordglim-runtime-4", true)]
    #[case("nordglim-toolkit", true)]
    #[case("nordglim-fft-4", true)]
    #[case("nordglim", false)]
    fn runtime_packages_are_known(#[case] project: &str, #[case] expected: bool) {
        let families = Families::default().with(NORDGLIM).unwrap();
        let project = crate::name::Name::parse(project).unwrap();
        assert_eq!(families.is_runtime(&project), expected);
    }
}
