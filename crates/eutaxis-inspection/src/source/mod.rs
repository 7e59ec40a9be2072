//! What a source distribution holds, and what building it will take, foreseen without building.
//!
//! A [`Digest`] is what counts of an archive, as plain data; [`foresee`] says what follows for its
//! build: native code or not, tools, headers and libraries, and roughly how long.
//!
//! ```
//! use eutaxis_inspection::source::{Digest, foresee};
//!
//! let mut digest = Digest::default();
//! digest.take("firnio-1.0/setup.py", Some(b"setup(ext_modules=[Extension('f', ['f.c'])])"), 45);
//! digest.take("firnio-1.0/f.c", Some(b"#include <Python.h>\n#include <zlib.h>\n"), 4_000);
//! let foreseen = foresee(&digest);
//! assert!(!foreseen.is_light);
//! assert_eq!(foreseen.tools[0].what, "a C compiler");
//! assert_eq!(foreseen.headers.iter().map(|h| h.name.as_str()).collect::<Vec<_>>(), ["zlib.h"]);
//! ```

mod digest;
mod foresee;

pub use digest::{BuildSystem, Digest, Sources, wanted};
pub use foresee::{Foreseen, Header, Judged, Tool, foresee};
