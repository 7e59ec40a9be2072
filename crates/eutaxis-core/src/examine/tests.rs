#[allow(unused)]
use super::*;
