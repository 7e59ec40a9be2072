//! Environment markers (PEP 508 and 685, environment markers): conditions on the target under which
//! a requirement counts.
//!
//! ```
//! use eutaxis_standards::{Marker, Target};
//!
//! let target = Target::parse("cpython 3.9 / linux armv7l glibc 2.31")?;
//! let marker = Marker::parse("python_version < '3.10' and platform_machine == 'armv7l'")?;
//! assert!(marker.wanted(&target.markers, &[]));
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod evaluate;
mod parse;
mod values;

use std::fmt;

pub use values::{MarkerValues, Variable};

use crate::fault::Fault;
use crate::version::Operator;

/// A condition on the target, as a tree. `and` and `or` keep the order and grouping that was
/// written.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Marker {
    /// All hold.
    And(Vec<Marker>),
    /// At least one holds.
    Or(Vec<Marker>),
    /// One comparison.
    Compare(Box<Comparison>),
}

/// A comparison of two operands, at least one of which is usually a variable.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Comparison {
    /// The side before the operator.
    pub left: Operand,
    /// The operator.
    pub relation: Relation,
    /// The side after the operator.
    pub right: Operand,
}

/// A side of a comparison.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Operand {
    /// One of the variables of the standard.
    Variable(Variable),
    /// A quoted text.
    Text(String),
}

/// How the sides of a comparison are compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Relation {
    /// An operator of version specifiers, with a fallback to comparison of text.
    Version(Operator),
    /// `in`: the left text occurs in the right.
    In,
    /// `not in`
    NotIn,
}

impl Marker {
    /// Reads a marker.
    ///
    /// # Errors
    /// When the text is not a marker: unknown variable, unquoted text, unbalanced parenthesis,
    /// nesting too deep, `~=` with what is no version.
    pub fn parse(text: &str) -> Result<Self, Fault> {
        parse::marker(text)
    }

    /// Whether the marker mentions a variable.
    pub fn mentions(&self, variable: Variable) -> bool {
        match self {
            Marker::And(parts) | Marker::Or(parts) => parts.iter().any(|m| m.mentions(variable)),
            Marker::Compare(c) => [&c.left, &c.right]
                .into_iter()
                .any(|o| *o == Operand::Variable(variable)),
        }
    }
}

impl fmt::Display for Operand {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Operand::Variable(v) => f.write_str(v.as_str()),
            Operand::Text(t) if t.contains('\'') => write!(f, "\"{t}\""),
            Operand::Text(t) => write!(f, "'{t}'"),
        }
    }
}

impl fmt::Display for Marker {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Marker::Compare(c) => {
                let relation = match c.relation {
                    Relation::Version(op) => op.as_str(),
                    Relation::In => "in",
                    Relation::NotIn => "not in",
                };
                write!(f, "{} {relation} {}", c.left, c.right)
            }
            Marker::And(parts) => {
                for (i, part) in parts.iter().enumerate() {
                    let and = if i > 0 { " and " } else { "" };
                    if let Marker::Or(_) = part {
                        write!(f, "{and}({part})")?
                    } else {
                        write!(f, "{and}{part}")?
                    }
                }
                Ok(())
            }
            Marker::Or(parts) => {
                for (i, part) in parts.iter().enumerate() {
                    let or = if i > 0 { " or " } else { "" };
                    write!(f, "{or}{part}")?;
                }
                Ok(())
            }
        }
    }
}
