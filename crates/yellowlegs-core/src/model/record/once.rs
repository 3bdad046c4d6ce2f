//! Lists of a record in which nothing may stand twice: the second is an error at its place, not a loss.

use std::collections::BTreeSet;
use std::fmt;
use std::marker::PhantomData;

use serde::de::{self, Deserialize, Deserializer, SeqAccess, Visitor};

use super::{RecordMirror, RecordPort, RecordVlan};

/// An element that is named.
pub(super) trait Named {
    /// What it is.
    const WHAT: &'static str;
    /// Its name.
    fn name(&self) -> String;
}

impl Named for RecordPort {
    const WHAT: &'static str = "port";
    fn name(&self) -> String {
        self.port.clone()
    }
}

impl Named for RecordVlan {
    const WHAT: &'static str = "VLAN";
    fn name(&self) -> String {
        self.vlan.to_string()
    }
}

impl Named for RecordMirror {
    const WHAT: &'static str = "mirror session";
    fn name(&self) -> String {
        self.mirror.clone()
    }
}

struct Each<T>(PhantomData<T>);

impl<'de, T: Named + Deserialize<'de>> Visitor<'de> for Each<T> {
    type Value = Vec<T>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "a list in which each {} stands once", T::WHAT)
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Self::Value, A::Error> {
        let (mut all, mut names) = (Vec::new(), BTreeSet::new());
        while let Some(element) = list.next_element::<T>()? {
            if !names.insert(element.name()) {
                return Err(de::Error::custom(format!("{} {} is there twice", T::WHAT, element.name())));
            }
            all.push(element);
        }
        Ok(all)
    }
}

/// Reads such a list.
pub(super) fn once<'de, D: Deserializer<'de>, T: Named + Deserialize<'de>>(
    deserializer: D,
) -> Result<Vec<T>, D::Error> {
    deserializer.deserialize_seq(Each(PhantomData))
}
