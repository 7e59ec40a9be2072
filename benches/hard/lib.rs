//! Nothing but the bench beside it.
