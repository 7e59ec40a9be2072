//! The WHEEL file inside a wheel (PEP 427, file contents): version of the format, and where its
//! root goes.

use crate::fault::{Fault, FaultKind, escaped};

/// What WHEEL says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WheelInfo {
    /// Root goes to `purelib`, else to `platlib`.
    pub root_is_purelib: bool,
    /// The expanded tags, as written.
    pub tags: Vec<String>,
    /// Minor of `Wheel-Version` above 1.0: the wheel may mean more than is understood here.
    pub newer_minor: bool,
}

impl WheelInfo {
    /// Reads the file.
    ///
    /// # Errors
    /// When it is not UTF-8, `Wheel-Version` is missing, unreadable, or its major is not 1.
    pub fn parse(bytes: &[u8]) -> Result<Self, Fault> {
        let text = std::str::from_utf8(bytes)
            .map_err(|e| Fault::new("WHEEL is not UTF-8", e.valid_up_to()))?;
        let mut version = None;
        let mut info = WheelInfo {
            root_is_purelib: false,
            tags: Vec::new(),
            newer_minor: false,
        };
        for line in text.lines() {
            let Some((key, value)) = line.split_once(':') else {
                continue;
            };
            match key.trim().to_ascii_lowercase().as_str() {
                "wheel-version" => version = Some(value.trim().to_owned()),
                "root-is-purelib" => {
                    info.root_is_purelib = value.trim().eq_ignore_ascii_case("true")
                }
                "tag" => info.tags.push(value.trim().to_owned()),
                _ => {}
            }
        }
        let version = version
            .ok_or_else(|| Fault::of(FaultKind::Absent, "WHEEL: `Wheel-Version` is missing", 0))?;
        let numbers = version
            .split_once('.')
            .and_then(|(a, b)| Some((a.parse::<u32>().ok()?, b.parse::<u32>().ok()?)));
        match numbers {
            Some((1, minor)) => info.newer_minor = minor > 0,
            _ => {
                return Err(Fault::of(
                    FaultKind::Newer,
                    format!(
                        "WHEEL: Wheel-Version `{}` is not one that can be placed (1.x)",
                        escaped(&version)
                    ),
                    0,
                ));
            }
        }
        Ok(info)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_file_is_read() {
        let info =
            WheelInfo::parse(b"Wheel-Version: 1.0\nRoot-Is-Purelib: True\nTag: py3-none-any\n")
                .unwrap();
        assert!(info.root_is_purelib && info.tags == ["py3-none-any"] && !info.newer_minor);
        assert!(
            WheelInfo::parse(b"Wheel-Version: 1.9\n")
                .unwrap()
                .newer_minor
        );
    }

    #[test]
    fn another_major_is_refused() {
        assert!(WheelInfo::parse(b"Wheel-Version: 2.0\n").is_err());
        assert!(WheelInfo::parse(b"Tag: x\n").is_err());
    }
}
