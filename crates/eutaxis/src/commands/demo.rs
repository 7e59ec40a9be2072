//! `demo`: the whole way on made-up data.

use eutaxis_world::Error;

use crate::cli::{Common, Demo};
use crate::output::{Answer, Output};

pub(crate) fn run(_: &Demo, _: &Common, _: &Output) -> Result<Answer, Vec<Error>> {
    Err(vec![Error::request("the demo world is being made")])
}
