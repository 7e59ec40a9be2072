//! Proving a set: its contents are read, its imports are tried, and what fails is learnt.

pub(crate) mod bearers;
pub(crate) mod below;
pub(crate) mod bringing;
pub(crate) mod contents;
pub(crate) mod failure;
pub(crate) mod learn;
pub(crate) mod reading;
pub(crate) mod releases;
pub(crate) mod rounds;
pub(crate) mod signs;
pub(crate) mod trial;
