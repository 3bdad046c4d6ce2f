//! What a switch is: ports, VLANs, stations, and the catalogue of settings with values in force.

mod choice;
mod doubt;
mod fact;
mod list;
mod oid;
mod port;
mod quote;
mod record;
mod setting;
mod slots;
mod state;
mod station;
mod switch;
mod traits;
mod value;
mod vlan;

pub mod settings;

pub use choice::{
    Action, Announcement, Cause, Choice, ChoiceSet, Choices, Direction, FastStart, Frames, LinkType, Media, Mode,
    Protocol, RateUnit, RelayInfo, StormAction, Trust, Unidirectional,
};
pub use doubt::{Doubt, DoubtWidth, SettingSet, Torn};
pub(crate) use fact::is_too_old;
pub use fact::{
    Capability, EventSeen, Fact, FactInfo, FactKind, Field, FieldInfo, FlapSeen, Learned, LinkSeen, TreeState, facts,
};
pub(crate) use list::came;
pub use list::{Building, Element, List};
pub use oid::{MOST_ARCS, Oid};
pub(crate) use oid::{read_arcs, write_arcs};
pub use port::{PortName, natural_order, numbered, port_spans};
pub use quote::{FileText, Quote};
pub use record::Record;
pub use setting::{Key, Origin, Scope, Setting, SettingId, SettingInfo, SettingType};
pub(crate) use slots::{PortSlots, Rows, Saying};
pub(crate) use state::State;
pub use station::{Station, StationAddress, StationError, StationRange};
pub(crate) use switch::Owner;
pub use switch::{Dangling, Mark, Remark, Requirement, SavedCopy, Slot, Switch, Unread, UnreadFact};
pub use traits::{TraitId, TraitInfo, TraitSlot, Traits, platform};
pub use value::{Kind, Milliwatts, Rate, Seconds, Value, ValueError};
pub(crate) use vlan::FewVlans;
pub use vlan::{VlanError, VlanId, VlanSet};
