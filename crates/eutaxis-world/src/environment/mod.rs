//! Environments (PEP 405, 376): made, filled, brought up to pins; whole or not at all.

mod activate;
mod clone;
mod furnish;
mod holders;
mod layout;
mod link;
mod list;
mod memory;
mod plan;
mod read;
mod scripts;
pub mod snapshot;
mod sound;
mod standing;

pub use furnish::{
    Bytes, DirectUrl, FETCHING, Furnish, Item, Judge, Moved, Progress, Report, WheelAt, foresee,
    furnish, stock_up, to_fetch,
};
pub use holders::Holder;
pub use layout::Layout;
pub use link::LinkMode;
pub(crate) use list::size;
pub use list::{Fault, Listed, Size, environments, fault_of, roots_below};
pub(crate) use memory::SCRIPTS;
pub use memory::{parts_of, pins_of, remember_pins, script_root};
pub(crate) use plan::destination;
pub use read::{Installed, Place, installed, look};
pub use sound::Sound;
pub use standing::Standing;
