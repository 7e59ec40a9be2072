//! What the tool knows of the world: data files under `knowledge/`, compiled in.

mod interpreters;

pub use interpreters::{Series, series, series_of};
