//! The fleet on disk: its root, its policy and dialects, its switches, and reading them in parallel.

mod discover;
#[cfg(feature = "gather")]
mod frame;
mod load;
mod ordered;
mod root;
mod switch;

pub(crate) use discover::{Fleet, Found, Kind, Layout, discover, matches_nothing};
#[cfg(feature = "gather")]
pub(crate) use frame::{copy_frame, write};
#[cfg(feature = "gather")]
pub(crate) use load::source;
pub(crate) use load::{Loaded, dialect_files, load, load_beside, regular};
pub(crate) use ordered::in_order;
pub(crate) use root::{POLICY_FILE, Root, relative};
pub(crate) use switch::{ReadSwitch, Unreadable, read_record, read_switch, recognise, source_of, walked};
