//! The demo world.
