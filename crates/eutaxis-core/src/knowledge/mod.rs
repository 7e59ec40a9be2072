//! What the tool knows of the world: data files under `knowledge/`, compiled in.

mod accelerators;
mod building;
mod causes;
mod interpreters;
mod libraries;
mod policies;
mod stable_abi;
mod standard_modules;

pub use accelerators::{Families, Family, Form, Library, MadeFor, Number, Probe, Runs, Told};
pub use building::{Needed, header, tool};
pub use causes::{
    Advice, CauseKind, Causes, CheckKind, Condition, Confidence, Course, Sign, Use, Wording,
};
pub use interpreters::{Series, series, series_began, series_of};
pub use libraries::{Libraries, Provided};
pub use policies::{highest_symbol, may_need};
pub use stable_abi::is_stable;
pub use standard_modules::{Standing, standing};
