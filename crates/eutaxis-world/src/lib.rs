//! Everything outside the process, one module per outside thing: depots, interpreters, the store of
//! unpacked wheels, environments, configuration. Nothing here decides what is chosen; that is
//! `eutaxis-core`.

pub mod accelerator;
pub mod assay;
pub mod attempt;
pub mod build;
pub mod catalogue;
pub mod config;
pub mod depot;
pub mod environment;
mod error;
pub mod files;
pub mod foreign;
pub mod gather;
mod guarded;
mod halt;
mod hash;
pub mod interfaces;
pub mod interpreter;
pub mod kernel;
pub mod loader;
pub mod look;
pub mod network;
pub mod own_code;
mod process;
pub mod processor;
pub mod resources;
pub mod root;
pub mod source;
pub mod starts;
pub mod stock;
pub mod store;
pub mod supply;
mod threads;
pub mod trees;
pub mod wheel;
pub mod within;

pub use error::{Doing, Error, ErrorKind, Errors, Place, Result};
