//! Which findings are reported. The whole fleet is judged all the same.

use std::collections::BTreeSet;

use globset::GlobMatcher;

use crate::policy::names_check;

/// What the user asked for; empty parts choose everything.
#[derive(Debug, Clone, Default)]
pub struct Selection {
    /// Switches by name.
    pub switch: Option<GlobMatcher>,
    /// Only these switches.
    pub among: Option<BTreeSet<String>>,
    /// Ports by name.
    pub port: Option<GlobMatcher>,
    /// Ports by role.
    pub role: Option<String>,
    /// Checks or families.
    pub only: Vec<String>,
}

impl Selection {
    /// Whether a switch is reported.
    pub fn takes_switch(&self, name: &str) -> bool {
        let named = self.switch.as_ref().is_none_or(|glob| glob.is_match(name));
        named && self.among.as_ref().is_none_or(|among| among.contains(name))
    }

    /// Whether what stands on no switch is reported.
    pub fn takes_fleet(&self) -> bool {
        self.switch.is_none() && self.among.is_none() && !self.names_ports()
    }

    /// Whether what stands on no switch, and is about some, is reported.
    pub fn takes_nowhere<'s>(&self, mut about: impl Iterator<Item = &'s str>) -> bool {
        self.takes_fleet() || !self.names_ports() && about.any(|switch| self.takes_switch(switch))
    }

    /// Whether a port is reported.
    pub fn takes_port(&self, name: &str, role: Option<&str>) -> bool {
        let by_name = self.port.as_ref().is_none_or(|glob| glob.is_match(name));
        by_name && self.role.as_deref().is_none_or(|wanted| role == Some(wanted))
    }

    /// Whether it names ports, by name or role: then what is said of switches is left out.
    pub fn names_ports(&self) -> bool {
        self.port.is_some() || self.role.is_some()
    }

    /// Whether a check is reported.
    pub fn takes_check(&self, check: &str) -> bool {
        let named = |only: &String| names_check(only, check) || check.split_once('/').is_some_and(|(f, _)| f == only);
        self.only.is_empty() || self.only.iter().any(named)
    }
}
