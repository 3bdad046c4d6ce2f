//! Nothing is here: `tests/real` plays the same frames on the machine of the drills and on Open vSwitch's userspace datapath.
