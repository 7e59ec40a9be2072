//! Building from source: what is foreseen of a build, and the whole way from an archive to a wheel
//! in the store. Used by whatever pins source, places it, or proves it.

pub(crate) mod explain;
pub(crate) mod foresee;
pub(crate) mod make;
pub(crate) mod needs;
mod requirements;
pub(crate) mod trees;
