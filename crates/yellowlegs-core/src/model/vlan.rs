//! VLAN identifiers (IEEE 802.1Q, 9.6: 1 to 4094) and sets of them.

use std::fmt;
use std::sync::Arc;

/// A VLAN identifier, 1 to 4094 (IEEE 802.1Q, 9.6; 0 and 4095 are reserved).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize)]
#[serde(try_from = "i64", into = "u16")]
pub struct VlanId(u16);

impl TryFrom<i64> for VlanId {
    type Error = VlanError;
    fn try_from(number: i64) -> Result<Self, VlanError> {
        Self::new(number)
    }
}

impl From<VlanId> for u16 {
    fn from(vlan: VlanId) -> Self {
        vlan.0
    }
}

/// A number that is no VLAN.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{found} is no VLAN: it must be 1 to 4094 (IEEE 802.1Q, 9.6)")]
pub struct VlanError {
    /// The number.
    pub found: i64,
}

impl VlanId {
    /// Lowest identifier.
    pub const MIN: u16 = 1;
    /// Highest identifier.
    pub const MAX: u16 = 4094;

    /// Checks the bounds.
    pub fn new(number: i64) -> Result<Self, VlanError> {
        match u16::try_from(number) {
            Ok(id @ Self::MIN..=Self::MAX) => Ok(Self(id)),
            _ => Err(VlanError { found: number }),
        }
    }

    /// The number.
    pub fn get(self) -> u16 {
        self.0
    }
}

impl fmt::Display for VlanId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

const WORDS: usize = 64;

/// A set of VLANs as bits.
#[derive(Clone, PartialEq, Eq, Hash)]
pub struct VlanSet([u64; WORDS]);

impl Default for VlanSet {
    fn default() -> Self {
        Self([0; WORDS])
    }
}

impl VlanSet {
    /// Every VLAN, 1 to 4094.
    pub fn all() -> Self {
        let mut set = Self([u64::MAX; WORDS]);
        set.0[0] &= !1;
        set.0[WORDS - 1] &= !(1 << 63);
        set
    }

    /// Whether it holds every VLAN.
    pub fn is_all(&self) -> bool {
        *self == Self::all()
    }

    /// Whether it holds none.
    pub fn is_empty(&self) -> bool {
        self.0.iter().all(|w| *w == 0)
    }

    /// How many it holds.
    pub fn len(&self) -> usize {
        self.0.iter().map(|w| w.count_ones() as usize).sum()
    }

    /// Whether it holds a VLAN.
    pub fn contains(&self, vlan: VlanId) -> bool {
        self.0[usize::from(vlan.0) / 64] >> (vlan.0 % 64) & 1 == 1
    }

    /// Puts one in.
    pub fn insert(&mut self, vlan: VlanId) {
        self.0[usize::from(vlan.0) / 64] |= 1 << (vlan.0 % 64);
    }

    /// Takes one out.
    pub fn remove(&mut self, vlan: VlanId) {
        self.0[usize::from(vlan.0) / 64] &= !(1 << (vlan.0 % 64));
    }

    /// Puts a range in, both ends included.
    pub fn insert_range(&mut self, from: VlanId, to: VlanId) {
        (from.0..=to.0).for_each(|id| self.insert(VlanId(id)));
    }

    /// What is in either.
    #[must_use]
    pub fn union(&self, other: &Self) -> Self {
        self.word_by_word(other, |mine, theirs| mine | theirs)
    }

    /// The VLANs in both.
    #[must_use]
    pub fn common(&self, other: &Self) -> Self {
        self.word_by_word(other, |mine, theirs| mine & theirs)
    }

    /// What is in this one and not in the other.
    #[must_use]
    pub fn minus(&self, other: &Self) -> Self {
        self.word_by_word(other, |mine, theirs| mine & !theirs)
    }

    /// In place, so that several words are taken in one step.
    fn word_by_word(&self, other: &Self, come_to: impl Fn(u64, u64) -> u64) -> Self {
        let mut set = self.clone();
        set.0.iter_mut().zip(&other.0).for_each(|(mine, theirs)| *mine = come_to(*mine, *theirs));
        set
    }

    /// The VLANs, in order.
    pub fn iter(&self) -> impl Iterator<Item = VlanId> + '_ {
        (0_u16..).zip(self.0).flat_map(|(word, bits)| {
            let next = |left: &u64| Some(left & (left - 1)).filter(|left| *left != 0);
            let ones = std::iter::successors(Some(bits).filter(|bits| *bits != 0), next);
            ones.map(move |left| VlanId(word * 64 + left.trailing_zeros() as u16))
        })
    }

    /// Runs of VLANs that follow each other: first and last, in order.
    pub fn ranges(&self) -> impl Iterator<Item = (VlanId, VlanId)> {
        let mut ranges: Vec<(VlanId, VlanId)> = Vec::new();
        for id in self.iter() {
            match ranges.last_mut() {
                Some((_, to)) if to.0 + 1 == id.0 => *to = id,
                _ => ranges.push((id, id)),
            }
        }
        ranges.into_iter()
    }

    /// The only VLAN, when there is exactly one.
    pub fn single(&self) -> Option<VlanId> {
        if self.len() == 1 { self.iter().next() } else { None }
    }

    /// Reads `110,120-130`, `all` or `none`, as [`fmt::Display`] writes it.
    pub fn parse(text: &str) -> Option<Self> {
        match text {
            "all" => return Some(Self::all()),
            "none" => return Some(Self::default()),
            _ => {}
        }
        let mut set = Self::default();
        for part in text.split(',') {
            let (from, to) = part.split_once('-').unwrap_or((part, part));
            let id = |t: &str| VlanId::new(t.trim().parse().ok()?).ok();
            let (from, to) = (id(from)?, id(to)?);
            if from > to {
                return None;
            }
            set.insert_range(from, to);
        }
        Some(set)
    }
}

impl FromIterator<VlanId> for VlanSet {
    fn from_iter<I: IntoIterator<Item = VlanId>>(vlans: I) -> Self {
        let mut set = Self::default();
        vlans.into_iter().for_each(|v| set.insert(v));
        set
    }
}

impl fmt::Display for VlanSet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.is_empty() {
            return f.write_str("none");
        }
        if self.is_all() {
            return f.write_str("all");
        }
        for (i, (from, to)) in self.ranges().enumerate() {
            let comma = if i > 0 { "," } else { "" };
            if from == to { write!(f, "{comma}{from}")? } else { write!(f, "{comma}{from}-{to}")? }
        }
        Ok(())
    }
}

impl fmt::Debug for VlanSet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "VlanSet({self})")
    }
}

/// A set that is kept for long, of few VLANs: two bytes for each, where a [`VlanSet`] has half a kilobyte for all that there can be.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub(crate) struct FewVlans(Arc<[VlanId]>);

impl FewVlans {
    pub(crate) fn contains(&self, vlan: VlanId) -> bool {
        self.0.binary_search(&vlan).is_ok()
    }

    pub(crate) fn to_set(&self) -> VlanSet {
        self.0.iter().copied().collect()
    }

    /// Makes it a list of its own, in memory of its own.
    pub(crate) fn copy(&mut self) {
        self.0 = Arc::from(&*self.0);
    }
}

impl From<&VlanSet> for FewVlans {
    fn from(set: &VlanSet) -> Self {
        Self(set.iter().collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(0, false)]
    #[case(1, true)]
    #[case(4094, true)]
    #[case(4095, false)]
    #[case(-1, false)]
    fn bounds(#[case] number: i64, #[case] fits: bool) {
        assert_eq!(VlanId::new(number).is_ok(), fits);
    }

    #[test]
    fn all_is_every_one_and_no_more() {
        assert_eq!(VlanSet::all().len(), 4094);
        assert_eq!(VlanSet::all().iter().count(), 4094);
    }

    proptest! {
        #[test]
        fn reading_what_was_written(ids in proptest::collection::vec(1_i64..=4094, 0..200)) {
            let set: VlanSet = ids.into_iter().filter_map(|i| VlanId::new(i).ok()).collect();
            prop_assert_eq!(VlanSet::parse(&set.to_string()), Some(set));
        }
    }
}
