//! What modules give and take: read from their source, without running it; and what importing a set
//! of projects runs into.
//!
//! ```
//! use std::sync::Arc;
//!
//! use eutaxis_inspection::interface::{Lack, Module, Set, Walk};
//!
//! let sources = [
//!     ("sastrugi/__init__.py", "from katabat.urls import parse_url"),
//!     ("katabat/__init__.py", ""),
//!     ("katabat/urls.py", "def split_url(url): ..."),
//! ];
//! let mut set = Set::new(2);
//! for (path, _) in sources {
//!     set.add(usize::from(path.starts_with("katabat")), path);
//! }
//! let mut walk = Walk::new(&set, Some((3, 11)), &set.public(0), Vec::new());
//! loop {
//!     let wants = walk.wants();
//!     if wants.is_empty() {
//!         break;
//!     }
//!     for wanted in wants {
//!         let source = sources.iter().find(|(path, _)| *path == wanted.file);
//!         let read = source.map_or_else(Module::compiled, |(_, text)| Module::read(text.as_bytes()));
//!         walk.supply(&wanted.module, Arc::new(read));
//!     }
//! }
//! let gaps = walk.gaps();
//! assert!(matches!(&gaps[0].lack, Lack::Name { name, .. } if name == "parse_url"));
//! ```

mod gap;
mod marks;
mod module;
mod set;
mod skeleton;
mod source;
#[cfg(test)]
mod tests;
mod walk;

pub use gap::{Gap, Lack};
pub use module::{How, Module, Open, Take};
pub use set::{Form, Located, Set, is_for_makers, is_public};
pub use walk::{Walk, Wanted};
