//! Cases of practitioners.
