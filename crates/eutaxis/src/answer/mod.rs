//! What the commands found, as plain data: commands make it, `render` puts it into columns, `report`
//! into JSON. Nothing here knows of the three.

pub(crate) mod assay;
pub(crate) mod bringing;
pub(crate) mod build;
pub(crate) mod clash;
pub(crate) mod depots;
pub(crate) mod diagnose;
pub(crate) mod edits;
pub(crate) mod examine;
pub(crate) mod furnish;
pub(crate) mod here;
pub(crate) mod locate;
pub(crate) mod proof;
pub(crate) mod proofread;
pub(crate) mod reason;
pub(crate) mod rehearse;
pub(crate) mod settle;
pub(crate) mod shortlist;
pub(crate) mod span;
pub(crate) mod survey;
