//! Telling what objects mean: values as what settings and fields take, and a place for what is not understood.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::objects::{Object, Objects};
use super::ports::Ports;
use super::text::WalkText;
use super::{MissedObject, Walk, standard};
use crate::dialect::{Against, Dialect, ObjectForm, SaidOf, StateSaid};
use crate::model::{
    Fact, FactKind, Kind, Mark, Rate, SettingId, SettingSet, Value, VlanId, VlanSet, facts, write_arcs,
};
use crate::sorted;
use crate::source::Word;

/// So many parts of the tree that nobody reads are named.
const NAMED: usize = 6;
/// An unread part of the tree is named by so many numbers.
const NAME_LENGTH: usize = 7;

/// What is read, and what is told of it.
pub(super) struct Teller<'t> {
    pub(super) text: &'t str,
    pub(super) objects: &'t Objects,
    pub(super) ports: Ports,
    read: &'t WalkText,
    /// What identifiers begin with that somebody reads.
    roots: Vec<Vec<u32>>,
    pub(super) told: Walk,
}

/// What is in doubt where an object is not understood.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Open<'o> {
    pub(super) kind: Option<FactKind>,
    pub(super) setting: Option<SettingId>,
    pub(super) port: Option<&'o Arc<str>>,
}

impl<'t> Teller<'t> {
    pub(super) fn new(text: &'t str, read: &'t WalkText, dialect: Option<&Dialect>) -> Self {
        let mut roots: Vec<Vec<u32>> = standard::ROOTS.iter().map(|root| root.to_vec()).collect();
        let own = dialect.into_iter().flat_map(|dialect| &dialect.objects().tables);
        roots.extend(own.map(|table| table.entry.arcs().to_vec()));
        let told = Walk { objects: read.objects.len(), lines: read.lines, ..Walk::default() };
        let mut teller = Self { text, objects: &read.objects, ports: Ports::default(), read, roots, told };
        teller.ports = Ports::of(&teller, dialect);
        if let Some((time, mark)) = read.taken {
            let fact = Fact::new(facts::clock::FACT, mark).with(facts::clock::TIME, Some(Value::Time(time)));
            teller.told.facts.push(fact);
        }
        teller
    }

    /// Notes an object that is not what it should be.
    pub(super) fn miss(&mut self, object: &Object, open: Open<'_>) {
        let settings: SettingSet = open.setting.into_iter().collect();
        self.missed(object.mark, self.shape(object), open.kind, settings, open.port.cloned());
        self.told.hidden.push(object.value);
    }

    fn missed(
        &mut self,
        mark: Mark,
        shape: Arc<str>,
        kind: Option<FactKind>,
        settings: SettingSet,
        port: Option<Arc<str>>,
    ) {
        self.told.missed.push(MissedObject { mark, shape, kind, settings, port });
    }

    /// An object without its value.
    fn shape(&self, object: &Object) -> Arc<str> {
        let before = Word { start: object.mark.offset as usize, end: object.value.start };
        format!("{}…", before.of(self.text)).into()
    }

    /// What an object's value is by a form; where it is none, that is noted.
    pub(super) fn value(&mut self, object: &Object, form: &ObjectForm, open: Open<'_>) -> Option<Value> {
        let value = value(object, self.text, form, &self.ports);
        if value.is_none() {
            self.miss(object, open);
        }
        value
    }

    /// The value of a field of a fact.
    pub(super) fn field(&mut self, object: Option<&Object>, form: &ObjectForm, open: Open<'_>) -> Option<Value> {
        object.and_then(|object| self.value(object, form, open))
    }

    pub(super) fn say(&mut self, of: SaidOf, setting: SettingId, value: Value, mark: Mark) {
        self.told.said.push(StateSaid::of(of, setting, value, mark));
    }

    /// A value that may be written in another way.
    pub(super) fn say_or(&mut self, port: &Arc<str>, setting: SettingId, value: Value, same: Value, mark: Mark) {
        let said = StateSaid::of(SaidOf::Port(Arc::clone(port)), setting, value, mark);
        self.told.said.push(StateSaid { against: Against::OthersThan(same), ..said });
    }

    /// What a port's membership comes to: the text may say the same in other words.
    pub(super) fn say_of_members(&mut self, port: &Arc<str>, setting: SettingId, value: Value, mark: Mark) {
        let said = StateSaid::of(SaidOf::Port(Arc::clone(port)), setting, value, mark);
        self.told.said.push(StateSaid { against: Against::Nothing, ..said });
    }

    /// A set of VLANs that speaks of some of them only.
    pub(super) fn say_among(&mut self, of: SaidOf, setting: SettingId, set: VlanSet, among: VlanSet, mark: Mark) {
        let said = StateSaid::of(of, setting, Value::Vlans(Arc::new(set)), mark);
        self.told.said.push(StateSaid { against: Against::Among(Arc::new(among)), ..said });
    }

    pub(super) fn remark(&mut self, mark: Option<Mark>, text: impl Into<String>) {
        self.told.remarks.push((mark, text.into()));
    }

    /// The walk as it was read, what nobody reads of it told.
    pub(super) fn finish(mut self) -> Walk {
        self.cut();
        for mark in &self.read.unread {
            let words = Word { start: mark.offset as usize, end: (mark.offset + mark.width) as usize };
            let line = words.of(self.text);
            // What stands before the value is numbers and types; of another line nothing is shown.
            let end = line.find(|sign: char| !(sign.is_ascii_digit() || sign == '.')).unwrap_or(line.len());
            self.told.hidden.push(Word { start: words.start + end, ..words });
            let shape = if end > 0 { format!("{}…", &line[..end]) } else { "no object".to_owned() };
            self.missed(*mark, shape.into(), None, SettingSet::default(), None);
        }
        self.doubt_all();
        self.unread_parts();
        self.told.ports = self.ports.all().map(|(name, mark)| (Arc::clone(name), mark)).collect();
        self.told
    }

    /// Parts of the tree of which fewer objects are here than came.
    fn cut(&mut self) {
        let mut cut = Vec::new();
        for walked in &self.read.walked {
            let here = self.objects.count_below(&walked.arcs);
            if here != walked.count {
                cut.push((walked.mark, format!("{} objects came when it was walked, {here} are here", walked.count)));
            }
        }
        for (mark, shape) in cut {
            self.missed(mark, shape.into(), None, SettingSet::default(), None);
        }
    }

    /// Where lines are missing or are none nobody knows what they would have told: everything that walks tell is open.
    fn doubt_all(&mut self) {
        let Some(first) = self.told.missed.iter().find(|m| m.kind.is_none() && m.settings.is_empty()).cloned() else {
            return;
        };
        let said: SettingSet = self.told.said.iter().map(|said| said.setting).chain(standard::settings()).collect();
        self.missed(first.mark, Arc::clone(&first.shape), None, said, None);
        let told: sorted::Set<FactKind> = sorted::set(self.told.facts.iter().map(|fact| fact.kind));
        for kind in told.into_iter().filter(|kind| *kind != facts::clock::FACT) {
            self.missed(first.mark, Arc::clone(&first.shape), Some(kind), SettingSet::default(), None);
        }
    }

    /// Says which parts of the tree nobody reads.
    fn unread_parts(&mut self) {
        let mut parts: BTreeMap<&[u32], usize> = BTreeMap::new();
        for (arcs, _) in self.objects.iter() {
            if !self.roots.iter().any(|root| arcs.starts_with(root)) {
                *parts.entry(arcs.get(..NAME_LENGTH).unwrap_or(arcs)).or_default() += 1;
            }
        }
        let count: usize = parts.values().sum();
        if count == 0 {
            return;
        }
        let mut shown = Vec::new();
        for (arcs, count) in parts.iter().take(NAMED) {
            let mut name = String::new();
            _ = write_arcs(arcs, &mut name);
            shown.push(format!("{name} ({count})"));
        }
        if parts.len() > NAMED {
            shown.push(format!("{} more", parts.len() - NAMED));
        }
        let all = self.objects.len();
        let text = format!("{count} of {all} objects are of parts that nothing reads: {}", shown.join(", "));
        self.remark(None, text);
    }
}

/// What an object's value is by a form.
fn value(object: &Object, text: &str, form: &ObjectForm, ports: &Ports) -> Option<Value> {
    if !form.words.is_empty() {
        let number = object.number(text).map(|number| number.to_string());
        let word = number.is_none().then(|| object.text(text)).flatten();
        // A text of digits is no number: it is not what the document says.
        let is_word = |known: &str| !known.bytes().all(|byte| byte.is_ascii_digit());
        let fits = |known: &str| number.as_deref() == Some(known) || word.as_deref() == Some(known) && is_word(known);
        return form.words.iter().find(|(known, _)| fits(known)).map(|(_, value)| value.clone());
    }
    let count = || {
        let number = u64::try_from(object.number(text)?).ok()?;
        u32::try_from(number.checked_mul(form.times.into())? / u64::from(form.per)).ok()
    };
    let text_of = || object.text(text);
    Some(match form.kind {
        Kind::Flag => match object.number(text)? {
            1 => Value::Flag(true),
            2 => Value::Flag(false),
            _ => return None,
        },
        Kind::Count => Value::Count(count()?),
        Kind::Seconds => Value::Seconds(count()?),
        Kind::Milliwatts => Value::Milliwatts(count()?),
        Kind::Rate => match form.unit {
            Some(unit) => Value::Rate(Some(Rate { amount: count()?, unit })),
            None => Value::Rate(Some(Rate::parse(&text_of()?)?)),
        },
        Kind::Vlan => match object.number(text)? {
            0 => Value::Vlan(None),
            number => Value::Vlan(Some(VlanId::new(number).ok()?)),
        },
        Kind::Vlans => Value::Vlans(Arc::new(VlanSet::parse(&text_of()?)?)),
        Kind::Port => match object.number(text)? {
            0 => Value::Port(None),
            number => Value::Port(Some(Arc::clone(ports.of_interface(u32::try_from(number).ok()?)?))),
        },
        Kind::Address => Value::Address(object.address(text)),
        Kind::Text => Value::Text(text_of()?.into()),
        Kind::Words => Value::Words([text_of()?.into()].into()),
        Kind::Station => Value::Station(object.station(text)?),
        kind => kind.parse(&text_of()?).ok()?,
    })
}
