//! What the tool knows of the world: data files under `knowledge/`, compiled in.
//!
//! ```
//! use eutaxis_standards::knowledge::{Causes, Families};
//!
//! // A family of one's own beside those that are known.
//! let families = Families::built_in().with(
//!     "[[family]]\nname = 'nordglim'\nlabel = { before = 'nor', number = 'digits' }\n\
//!      toolkit = [{ version = '4.1', linux = '510.0' }]",
//! )?;
//! assert!(families.of_label("nor41").is_some());
//! assert!(Causes::built_in().kind_of("clash").is_some());
//! # Ok::<(), eutaxis_standards::fault::Fault>(())
//! ```

mod accelerators;
mod building;
mod causes;
mod device_check;
mod device_code;
mod editors;
mod interpreters;
mod libraries;
mod module_projects;
mod origins;
mod policies;
mod processors;
mod runtime_library;
mod stable_abi;
mod standard_modules;
mod standard_names;
mod without;
mod words_of_trade;

pub use accelerators::{
    Bound, Families, Family, Form, MadeFor, Number, Probe, Runs, Told, most_exact,
};
pub use building::{
    Backend, Compiles, Fallback, Language, Needed, backend, begin, compiling, fallback, handling,
    header, language, language_named, tool, tools, unforeseeable,
};
pub use causes::{
    Advice, CauseKind, Causes, CheckKind, Condition, Confidence, Course, Cure, Sign, Skim, Use,
    Vain, Wording,
};
pub use device_check::DeviceCheck;
pub use device_code::{CodeImage, CodeKind, DeviceCode};
pub use editors::{Editor, Notebook, Starts, editors, notebook};
pub use interpreters::{
    Series, interpreter_homes, interpreter_packages, series, series_began, series_of,
};
pub use libraries::{Libraries, Provided};
pub use module_projects::{bringing, meant_by, module_named, was_everywhere};
pub use origins::{OriginWords, architecture, distribution_like, origin_words};
pub use policies::{highest_symbol, may_need};
pub use processors::{level_of, level_place, levels};
pub use runtime_library::{Library, numbered_name};
pub use stable_abi::is_stable;
pub use standard_modules::{Standing, standing};
pub use standard_names::{
    Lacking, NameStanding, SeriesNumber, is_standard, lacking_module, lacking_name, name_standing,
    newest_series,
};
pub use without::Without;
pub use words_of_trade::{TradeWord, trade_word, trade_words};
