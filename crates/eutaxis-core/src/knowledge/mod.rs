//! What the tool knows of the world: data files under `knowledge/`, compiled in.

mod accelerators;
mod interpreters;

pub use accelerators::{Families, Family, Form, Library, MadeFor, Number, Probe, Runs, Told};
pub use interpreters::{Series, series, series_of};
