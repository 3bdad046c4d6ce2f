//! Cases of the switch as a whole: recovery, what is saved, what is not understood.

use super::Case;

pub(crate) const CASES: &[Case] = &[
    ("recovery/revolving", "met", "desk", "", &[]),
    ("recovery/revolving", "met", "desk", "top return of crowd after 300", &[]),
    ("recovery/revolving", "violated", "desk", "top return of crowd after 299", &[]),
    ("recovery/revolving", "violated", "desk", "top return of tree;top return after 60", &[]),
    ("recovery/revolving", "undetermined", "desk", "top return of tree", &["recovery.interval"]),
    ("recovery/manual-only", "met", "desk", "top return of gale after 60", &[]),
    ("recovery/manual-only", "met", "desk", "top return of gale;top return after 60", &[]),
    ("recovery/manual-only", "violated", "desk", "", &[]),
    ("recovery/manual-only", "undetermined", "desk", "top return of gale", &["recovery.interval"]),
    ("config/unsaved", "met", "desk", "saved crowd watch;crowd watch", &[]),
    ("config/unsaved", "violated", "desk", "saved crowd watch", &[]),
    ("config/unsaved", "violated", "desk", "saved crowd watch;crowd watch;top tree kind young", &[]),
    // pinned-unsaved says it.
    ("config/unsaved", "met", "host", "saved crowd watch;crowd watch;crowd kept 02:00:5e:10:00:01", &[]),
    ("config/unsaved", "undetermined", "desk", "", &[]),
    ("config/restart-pending", "met", "desk", "", &[]),
    ("config/restart-pending", "violated", "desk", "top loft to clear for something", &[]),
    ("config/nobody-told", "met", "desk", "top tells 192.0.2.250;crowd watch;crowd response report", &[]),
    ("config/nobody-told", "met", "desk", "crowd watch;crowd response shut-out", &[]),
    ("config/nobody-told", "violated", "desk", "crowd watch;crowd response report", &[]),
    ("config/nobody-told", "violated", "desk", "two-way watch tell", &[]),
    ("config/nobody-told", "undetermined", "desk", "", &["unidirectional.mode"]),
    ("config/unread", "met", "desk", "", &[]),
    ("config/unread", "violated", "desk", "whelk a;whelk b;whelk c", &[]),
    ("config/unread", "violated", "desk", "whelk a;limpet a;cockle a;mussel a;winkle a;oyster a;razor a", &[]),
    ("config/torn", "met", "desk", "", &[]),
    ("config/torn", "violated", "desk", "top shingle 4 unit other", &[]),
    ("config/dangling", "met", "desk", "", &[]),
];
