//! The same fault on many ports, told once.

use super::Finding;
use crate::sorted;

/// Findings that say the same, each on a port of its own. There is at least one.
#[derive(Debug, Clone)]
pub struct Block<'f> {
    /// The first of them.
    pub first: &'f Finding,
    /// The others.
    pub others: Vec<&'f Finding>,
}

impl<'f> Block<'f> {
    /// All of them.
    pub fn all(&self) -> impl Iterator<Item = &'f Finding> + '_ {
        std::iter::once(self.first).chain(self.others.iter().copied())
    }

    /// The names of their ports.
    pub fn ports(&self) -> Vec<&'f str> {
        self.all().filter_map(|finding| finding.port.as_deref()).collect()
    }

    fn says(&self, other: &Finding) -> bool {
        let one = self.first;
        (one.check, one.level, one.since, &one.switch) == (other.check, other.level, other.since, &other.switch)
            && (&one.role, &one.message, &one.remedy) == (&other.role, &other.message, &other.remedy)
            && (&one.waiver, &one.drill, one.port.is_some()) == (&other.waiver, &other.drill, other.port.is_some())
    }
}

/// Draws together findings that say the same: those that count first, gravest first, each in the order they came.
pub fn blocks<'f>(findings: impl IntoIterator<Item = &'f Finding>) -> Vec<Block<'f>> {
    let mut blocks: Vec<Block<'f>> = Vec::new();
    for finding in findings {
        match blocks.iter_mut().find(|block| finding.port.is_some() && block.says(finding)) {
            Some(block) => block.others.push(finding),
            None => blocks.push(Block { first: finding, others: Vec::new() }),
        }
    }
    sorted::by_key(&mut blocks, |block| (block.first.waiver.is_some(), block.first.level));
    blocks
}
