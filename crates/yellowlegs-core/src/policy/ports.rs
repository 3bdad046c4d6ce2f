//! Ports named in a policy: a switch pattern, then ports in that switch's own form.

use globset::GlobMatcher;

use super::Cite;
use crate::dialect::{Lists, PortItem};
use crate::model::{PortName, Switch, natural_order};

/// An entry of `ports`: which switches, which ports of theirs.
#[derive(Debug, Clone)]
pub struct PortPattern {
    /// The switches.
    pub switch: GlobMatcher,
    /// Their ports.
    pub ports: PortsText,
    /// Where it is written.
    pub cite: Cite,
}

/// Ports as a policy writes them: a glob, or a list in the switch's own form.
#[derive(Debug, Clone)]
pub struct PortsText {
    text: String,
    glob: Option<GlobMatcher>,
}

impl PortsText {
    /// A glob when it holds `*` or `?`, else a list.
    pub fn new(text: &str) -> Result<Self, globset::Error> {
        let is_glob = text.contains(['*', '?']);
        let glob = if is_glob { Some(globset::Glob::new(text)?.compile_matcher()) } else { None };
        Ok(Self { text: text.to_owned(), glob })
    }

    /// As written.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The ports of a switch it names, by position; `None` when it is no port list of that switch's system.
    pub fn positions(&self, switch: &Switch, lists: Option<&Lists>) -> Option<Vec<usize>> {
        let ports = || switch.ports().iter().enumerate();
        if let Some(glob) = &self.glob {
            return Some(ports().filter(|(_, name)| glob.is_match(name.as_str())).map(|(i, _)| i).collect());
        }
        let Some(lists) = lists else { return Some(self.plain(switch)) };
        let words = self.text.split_whitespace();
        let (taken, items) = lists.ports(words.clone())?;
        if taken != words.count() {
            return None;
        }
        let named = |name: &PortName| {
            let Some(port) = lists.port(name.as_str()) else { return false };
            items.iter().any(|item| match item {
                PortItem::One(one) => *one == port,
                PortItem::Range(from, to) => (from..=to).contains(&&port),
            })
        };
        Some(ports().filter(|(_, name)| named(name)).map(|(i, _)| i).collect())
    }

    /// Without a dialect: names and ranges of names, as they stand in the record.
    fn plain(&self, switch: &Switch) -> Vec<usize> {
        let mut positions = Vec::new();
        for element in self.text.split(',').map(str::trim) {
            if let Some(one) = switch.port_index(element) {
                positions.push(one);
                continue;
            }
            let range = ["..", "-"].iter().find_map(|sign| {
                let (from, to) = element.split_once(sign)?;
                Some((from.trim(), to.trim()))
            });
            let Some((from, to)) = range else { continue };
            let inside = |name: &PortName| {
                natural_order(from, name.as_str()).is_le() && natural_order(name.as_str(), to).is_le()
            };
            positions.extend(switch.ports().iter().enumerate().filter(|(_, n)| inside(n)).map(|(i, _)| i));
        }
        positions
    }
}
