//! Objects that each say one setting, as rows: read when a switch was walked, written where one is played.

use super::super::teller::{Open, Teller};
use super::{bridge, interfaces, neighbours, power, tree};
use crate::dialect::{ObjectForm, SaidOf};
use crate::model::{SettingId, Value, settings};

/// What an object is about, by its index.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in super::super) enum Of {
    /// The switch: index 0.
    Switch,
    /// An interface.
    Interface,
    /// A port of the bridge.
    BridgePort,
    /// A port as LLDP counts.
    LldpPort,
    /// A port that supplies power: group and number.
    PowerPort,
}

/// How its value is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in super::super) enum Form {
    /// true 1, false 2 (RFC 2579, `TruthValue`).
    Truth,
    /// As it is.
    Plain,
    /// In hundredths.
    Hundredths,
    /// As numbers that stand for words.
    Words(&'static [(i32, &'static str)]),
}

/// A row.
#[derive(Debug)]
pub(in super::super) struct Row {
    pub(in super::super) column: &'static [u32],
    pub(in super::super) of: Of,
    pub(in super::super) setting: SettingId,
    pub(in super::super) form: Form,
}

const fn row(column: &'static [u32], of: Of, setting: SettingId, form: Form) -> Row {
    Row { column, of, setting, form }
}

pub(super) const SYSTEM_NAME: &[u32] = &[1, 3, 6, 1, 2, 1, 1, 5];
const LLDP_SENDS: Form = Form::Words(&[(1, "true"), (3, "true"), (2, "false"), (4, "false")]);
const FRAMES: Form = Form::Words(&[(1, "all"), (2, "tagged"), (3, "untagged")]);

/// The rows.
pub(in super::super) const ROWS: &[Row] = &[
    row(SYSTEM_NAME, Of::Switch, settings::NAME.id, Form::Plain),
    row(interfaces::ADMIN, Of::Interface, settings::ENABLED.id, Form::Words(&[(1, "true"), (2, "false")])),
    row(interfaces::ALIAS, Of::Interface, settings::DESCRIPTION.id, Form::Plain),
    row(bridge::FRAMES, Of::BridgePort, settings::ACCEPTABLE_FRAMES.id, FRAMES),
    row(bridge::FILTERING, Of::BridgePort, settings::INGRESS_FILTERING.id, Form::Truth),
    row(tree::PRIORITY, Of::Switch, settings::TREE_PRIORITY.id, Form::Plain),
    row(tree::MAX_AGE, Of::Switch, settings::MAX_AGE.id, Form::Hundredths),
    row(tree::HELLO, Of::Switch, settings::HELLO.id, Form::Hundredths),
    row(tree::FORWARD_DELAY, Of::Switch, settings::FORWARD_DELAY.id, Form::Hundredths),
    row(tree::VERSION, Of::Switch, settings::TREE_PROTOCOL.id, tree::VERSIONS),
    row(tree::LINK, Of::BridgePort, settings::LINK_TYPE.id, tree::LINKS),
    row(neighbours::INTERVAL, Of::Switch, settings::LLDP_INTERVAL.id, Form::Plain),
    row(neighbours::ADMIN, Of::LldpPort, settings::LLDP_TRANSMIT.id, LLDP_SENDS),
    row(power::ADMIN, Of::PowerPort, settings::POWER.id, Form::Truth),
];

impl Row {
    /// How its values are read.
    pub(in super::super) fn reads(&self) -> ObjectForm {
        let kind = self.setting.info().kind;
        let mut form = ObjectForm::plain(kind);
        match self.form {
            Form::Truth | Form::Plain => {}
            Form::Hundredths => form.per = 100,
            Form::Words(words) => {
                let each = words.iter().filter_map(|(number, word)| {
                    let value: Value = kind.parse(word).ok()?;
                    Some((number.to_string().into(), value))
                });
                form.words = each.collect();
            }
        }
        form
    }
}

/// Tells what each of them says.
pub(super) fn tell(teller: &mut Teller<'_>) {
    for row in ROWS {
        let form = row.reads();
        for (index, object) in teller.objects.below(row.column) {
            let of = match (row.of, index) {
                (Of::Switch, [0]) => Some(SaidOf::Switch),
                (Of::Interface, [number]) => teller.ports.of_interface(*number).cloned().map(SaidOf::Port),
                (Of::BridgePort, [number]) => teller.ports.of_bridge(*number).cloned().map(SaidOf::Port),
                (Of::LldpPort, [number]) => teller.ports.of_lldp(*number).cloned().map(SaidOf::Port),
                (Of::PowerPort, [_, number]) => power::port(teller, *number).map(SaidOf::Port),
                _ => None,
            };
            // What is no port of the switch, as the interface of a VLAN is none, is nothing that is judged.
            let Some(of) = of else { continue };
            let port = if let SaidOf::Port(name) = &of { Some(name.clone()) } else { None };
            let open = Open { setting: Some(row.setting), port: port.as_ref(), ..Open::default() };
            if let Some(value) = teller.value(object, &form, open) {
                teller.say(of, row.setting, value, object.mark);
            }
        }
    }
}
