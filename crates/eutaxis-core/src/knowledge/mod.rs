//! What the tool knows of the world: data files under `knowledge/`, compiled in.

mod accelerators;
mod interpreters;
mod libraries;
mod policies;
mod stable_abi;

pub use accelerators::{Families, Family, Form, Library, MadeFor, Number, Probe, Runs, Told};
pub use interpreters::{Series, series, series_of};
pub use libraries::{Libraries, Provided};
pub use policies::{highest_symbol, may_need};
pub use stable_abi::is_stable;
