//! The places that a lock file is for (PEP 751, `environments`).

use crate::targets::{System, Target};

/// The marker that targets such as this one have in common.
pub fn environment_of(target: &Target) -> String {
    let markers = &target.markers;
    let machine = match target.platform.system {
        // 32-bit programs may run on a 64-bit kernel, and the marker speaks of the kernel.
        System::Linux(_) if target.platform.arch().starts_with("armv") => {
            "platform_machine in 'armv6l armv7l armv8l aarch64'".to_owned()
        }
        System::Linux(_) if target.platform.arch() == "i686" => {
            "platform_machine in 'i386 i486 i586 i686 x86_64'".to_owned()
        }
        System::Linux(_) | System::Macos(..) | System::Windows => {
            format!("platform_machine == '{}'", markers.platform_machine)
        }
    };
    format!(
        "sys_platform == '{}' and {machine} and implementation_name == '{}'",
        markers.sys_platform, markers.implementation_name
    )
}
