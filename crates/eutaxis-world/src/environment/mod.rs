//! Environments (PEP 405, 376): made, filled, brought up to pins; whole or not at all.

mod activate;
mod clone;
mod furnish;
mod layout;
mod link;
mod list;
mod memory;
mod plan;
mod read;
mod scripts;
pub mod snapshot;

pub use furnish::{
    Bytes, FETCHING, Furnish, Item, Judge, Moved, Progress, Report, WheelAt, furnish, stock_up,
    to_fetch,
};
pub use layout::Layout;
pub use link::LinkMode;
pub use list::{Fault, Listed, Size, environments, roots_below};
pub use memory::{pins_of, remember_pins};
pub(crate) use plan::destination;
pub use read::{Installed, Place, installed, look};
