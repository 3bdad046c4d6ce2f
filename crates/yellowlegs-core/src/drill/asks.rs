//! Which drills are left open by a fact that nobody knows. The table is made from the drills themselves: the test `asks` of
//! `tests/agreement` takes one fact after the other away from a fleet in which all are known, and holds the table to what comes.

use crate::dialect::Dialect;

/// `fact: drill, drill`, a line each.
const ASKS: &str = include_str!("asks.txt");

/// A fact that a dialect does not settle where the text is silent, and the drills that it leaves open.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftOpen {
    /// The setting or trait.
    pub fact: &'static str,
    /// Whether some line can set it; then only silent text leaves it open.
    pub can_set: bool,
    /// The drills.
    pub drills: Vec<&'static str>,
}

/// The facts that drills ask and a dialect does not settle.
pub fn left_open(dialect: &Dialect) -> Vec<LeftOpen> {
    let asking = |fact: &str| ASKS.lines().filter_map(|line| line.split_once(": ")).find(|(name, _)| *name == fact);
    let unsettled = dialect.unsettled().filter_map(|(fact, can_set)| Some((fact, can_set, asking(fact)?.1)));
    unsettled.map(|(fact, can_set, drills)| LeftOpen { fact, can_set, drills: drills.split(", ").collect() }).collect()
}
