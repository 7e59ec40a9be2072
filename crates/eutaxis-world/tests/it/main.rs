//! What this crate does with hostile wheels.

mod hostile;
