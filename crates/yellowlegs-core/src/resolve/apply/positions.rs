//! The ports that a statement names, by their positions.

use std::ops::Deref;
use std::sync::Arc;

/// The positions of ports: most statements name one.
#[derive(Clone)]
pub(super) enum Positions {
    One([usize; 1]),
    Several(Arc<[usize]>),
}

impl Positions {
    pub(super) fn one(port: Option<usize>) -> Self {
        port.map_or_else(|| Self::Several(Arc::default()), |port| Self::One([port]))
    }
}

impl Deref for Positions {
    type Target = [usize];

    fn deref(&self) -> &[usize] {
        match self {
            Self::One(port) => port,
            Self::Several(ports) => ports,
        }
    }
}
