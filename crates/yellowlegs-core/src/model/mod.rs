//! What a switch is: ports, VLANs, stations, and the catalogue of settings with values in force.

mod port;
mod record;
mod setting;
mod station;
mod switch;
mod traits;
mod value;
mod vlan;

pub mod settings;

pub use port::{PortName, natural_order};
pub use record::Record;
pub use setting::{Key, Origin, Scope, Setting, SettingId, SettingInfo, SettingType};
pub use station::{Station, StationAddress, StationError};
pub use switch::{FileText, Mark, Quote, Remark, SavedCopy, Slot, Switch, Unread};
pub use traits::{TraitId, TraitInfo, TraitSlot, Traits, platform};
pub use value::{Action, Choice, ChoiceSet, Frames, Kind, Mode, Seconds, Value, ValueError};
pub use vlan::{VlanError, VlanId, VlanSet};
