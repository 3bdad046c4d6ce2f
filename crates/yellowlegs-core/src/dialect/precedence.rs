//! What comes before what on a platform, where several lines speak of one setting.

use super::load::one_of;
use crate::source::TableReader;

/// The order of a platform; the default is what most have.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Precedence {
    /// Of global defaults that reach a port the narrowest counts, whatever the order: not the last one.
    pub narrow_globals: bool,
    /// Of the profiles a port uses the last one counts alone: they do not add up.
    pub last_profile: bool,
    /// A line taken back leaves what the platform has, over profiles and global defaults: not what those say.
    pub resets_to_platform: bool,
}

impl Precedence {
    /// Reads `[precedence]`.
    pub(super) fn read(table: &TableReader<'_>) -> Self {
        let second = |key: &'static str, words: [&str; 2]| one_of(table, key, &words) == Some(1);
        let read = Self {
            narrow_globals: second("globals", ["later", "narrower"]),
            last_profile: second("profiles", ["add", "last"]),
            resets_to_platform: second("taken-back", ["written", "platform"]),
        };
        table.finish();
        read
    }
}
