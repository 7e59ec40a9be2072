//! The demo world: made-up projects of a glacier field team, described in `world.toml` and turned
//! into real wheels and an index tree. Tests and the `demo` command use the same world.
//!
//! Compiled projects carry real small ELF, Mach-O and PE files under truthful tags; those for Linux
//! on x86-64, ARM64 and 32-bit ARM are modules that the interpreter really loads.

mod binary;
mod files;
mod index;
mod logs;
mod neglect;
pub mod places;
mod sdist;
pub mod server;
mod wheel;
mod world;

use std::io;
use std::path::{Path, PathBuf};

pub use binary::{Library, windows_library};
pub use logs::LOGS;
pub use neglect::{FIRN, found_wheels, neglect};
pub use wheel::{Wheel, write_wheel};
pub use world::{Project, Release, World};

/// The asks of the field computers, the file that the demo works on.
pub const ASKS: &str = "\
# what every field computer carries
radargram>=2
fieldlog[plot]
sastrugi
icelens
hoarfrost~=1.4
crevasse; python_version >= '3.9'
";

/// What the night watch asks for, which cannot be.
pub const NIGHT: &str = "\
# for the watch at base camp
seracnet>=2        # sees crevasses
sastrugi==0.8.1    # the season's statistics were made with it
ablatia
";

/// What the season of 2023 was plotted with, beside what is of today.
pub const SEASON: &str = "\
# the plots of the season of 2023
frostgrid
firnplot==1.4.2
hutbook
";

/// What the wind mast runs, which holds by what it says of itself and not by what it is.
pub const MAST: &str = "\
# the wind mast on the ridge
windvane
stakemsg
pitnotes
";

/// A list from a course page, with its slips.
pub const COURSE: &str = "\
# week 3, reading ice radar
radargram
icelnes>=2
sastrugi==0.8.2
";

/// The same, mended.
pub const KIT: &str = "\
# week 3, reading ice radar
radargram>=2,<3
icelens>=2
sastrugi
";

/// A list with what goes wrong in lists.
pub const DRAFT: &str = "\
# written on the way up
radargram>=2
\"icelens>=3\"
frostgird
sastrugi==0.8.2
seracnet<2
seracnet>=2
wirepack>=1.4
snowpit==2.3
";

/// What the team found out, over the settings.
pub const CAREFUL: &str = r#"
[[adjust]]
project = "icelens"
versions = "<=3.1"
needs = "moulin>=4,<5"
because = "built before moulin 5; wrong depths with it, seen 2025-02"
"#;

/// What the made-up accelerators of the team are.
pub const NORDGLIM: &str = include_str!("../nordglim.toml");

/// Named targets of the team, and the depot.
pub const SETTINGS: &str = r#"# The demo's settings: where files come from, and the machines of the team.
[[depot]]
name = "base camp"
path = "depot"

[knowledge]
accelerators = ["nordglim.toml"]
libraries = ["firn.toml"]

[target.ridge-logger]
interpreter = "cpython 3.9"
platform = "linux armv7l glibc 2.31"

[target.base-camp]
interpreter = "cpython 3.11"
platform = "linux x86_64 glibc 2.35"
accelerator = { family = "nordglim", driver = "512.4", device = "b3" }

[target.office-mac]
interpreter = "cpython 3.12"
platform = "macos arm64 14.0"

[target.field-laptop]
interpreter = "cpython 3.12"
platform = "windows x86_64"
"#;

/// What was made.
#[derive(Debug)]
pub struct Made {
    /// The index tree.
    pub depot: PathBuf,
    /// The asks.
    pub asks: PathBuf,
    /// How many projects it has.
    pub projects: usize,
    /// How many releases.
    pub releases: usize,
    /// How many files.
    pub files: usize,
}

/// Writes a world as an index tree with its files; how many files it has.
///
/// # Errors
/// When the folder cannot be written to.
pub fn write_depot(world: &World, depot: &Path) -> io::Result<usize> {
    let mut files = 0;
    for project in &world.projects {
        files += index::write_project(project, depot)?;
    }
    index::write_list(world, depot)?;
    Ok(files)
}

/// Makes the demo world in a folder: `depot/` (an index tree with its files), lists of asks,
/// settings, `places/` (trees that stand in for the team's machines), and `found/` (wheels of
/// unknown origin).
///
/// # Errors
/// When the folder cannot be written to.
pub fn make(folder: &Path) -> io::Result<Made> {
    let world = World::built_in().map_err(io::Error::other)?;
    let depot = folder.join("depot");
    let mut made = Made {
        depot: depot.clone(),
        asks: folder.join("fieldkit.txt"),
        projects: 0,
        releases: 0,
        files: 0,
    };
    made.projects = world.projects.len();
    made.releases = world.projects.iter().map(|p| p.releases.len()).sum();
    made.files = write_depot(&world, &depot)?;
    std::fs::write(&made.asks, ASKS)?;
    std::fs::write(folder.join("night.txt"), NIGHT)?;
    std::fs::write(folder.join("season.txt"), SEASON)?;
    std::fs::write(folder.join("mast.txt"), MAST)?;
    std::fs::write(folder.join("draft.txt"), DRAFT)?;
    std::fs::write(folder.join("course.txt"), COURSE)?;
    std::fs::write(folder.join("kit.txt"), KIT)?;
    std::fs::write(folder.join("nordglim.toml"), NORDGLIM)?;
    std::fs::write(folder.join("firn.toml"), FIRN)?;
    found_wheels(&folder.join("found"))?;
    places::make(&folder.join("places"))?;
    logs::make(&folder.join("logs"))?;
    std::fs::write(folder.join("eutaxis.toml"), SETTINGS)?;
    std::fs::write(folder.join("careful.toml"), format!("{SETTINGS}{CAREFUL}"))?;
    Ok(made)
}
