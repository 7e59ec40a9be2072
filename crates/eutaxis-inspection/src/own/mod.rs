//! One's own code against what is placed, pinned or asked for: what it imports and nothing brings,
//! what only others bring, what is asked for and imported nowhere, and what the standard library of a
//! series does not have. Nothing is run.
//!
//! ```
//! use eutaxis_inspection::interface::Set;
//! use eutaxis_inspection::own::{Bringer, Brought, Code, Trouble, held};
//! use eutaxis_standards::Name;
//!
//! let mut code = Code::default();
//! code.add_source("camp.py", b"import radargram\nimport frostgrid\n");
//! let mut set = Set::new(1);
//! set.add(0, "radargram/__init__.py");
//! let radargram = Bringer::known(Name::parse("radargram").unwrap(), true);
//! let brought = Brought {
//!     label: "pylock.toml".into(),
//!     set,
//!     bringers: vec![radargram],
//!     beside: Default::default(),
//! };
//!
//! let remarks = held(&code, Some((3, 11)), &[brought]);
//! assert!(matches!(&remarks[0].trouble, Trouble::NotBrought { module, .. } if module == "frostgrid"));
//! assert_eq!(remarks[0].places[0].line, 2);
//! ```

mod code;
mod held;
mod imports;
mod notebook;

pub use code::{Code, Place, Source};
pub use held::{Bringer, Brought, Gone, Remark, Trouble, held};
pub use imports::{Import, Manner};
