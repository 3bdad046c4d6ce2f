//! How a system names its ports, and how it writes lists and ranges of ports and VLANs.

use std::ops::RangeInclusive;
use std::sync::Arc;

use jiff::tz::Offset;

use super::forms::{
    Form, FormProblem, Piece, letters_of, letters_prefix, number_of, number_prefix, parse_form, parts_of,
};
use super::time::Moment;
use super::units::{Measure, Units};
use crate::model::{SettingId, Slot, StationAddress, VlanId, VlanSet};
use crate::sorted;
use crate::source::Word;

/// Widest range of ports one list element may stand for; more than any switch has.
const WIDEST: u16 = 1024;

/// Ports of one kind: by the form of their names, or one by one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum PortKind {
    Form(Form),
    List(Vec<PortItem>),
}

/// What holds on ports of a kind where the text is silent.
#[derive(Debug, Clone)]
pub(super) struct KindDefaults {
    /// Which they are.
    pub(super) ports: Vec<PortKind>,
    /// The settings, each with its value.
    pub(super) slots: Vec<(SettingId, Slot)>,
}

/// A port as its name's parts: cheap to compare and to count through.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct PortRef {
    form: u8,
    parts: [u16; 4],
}

impl PortRef {
    /// Of a port between two ends, the first part in which the ends differ.
    pub fn part_that_differs(&self, from: &Self, to: &Self) -> u16 {
        let differs = from.parts.iter().zip(to.parts).position(|(a, b)| *a != b).unwrap_or(3);
        self.parts[differs]
    }
}

/// Names of ports are rarely longer.
const USUAL_NAME: usize = 32;

/// One element of a port list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum PortItem {
    /// One port.
    One(PortRef),
    /// From one to another: along the last part, or across parts over the ports that the switch has.
    Range(PortRef, PortRef),
}

impl PortItem {
    /// The same with the port that follows its last one along the last part.
    pub fn and_next(self, port: PortRef) -> Option<Self> {
        let (from, to) = match self {
            Self::One(port) => (port, port),
            Self::Range(from, to) => (from, to),
        };
        let last = to.parts.iter().rposition(|part| *part > 0)?;
        let mut next = to;
        next.parts[last] = next.parts[last].checked_add(1)?;
        (next == port).then_some(Self::Range(from, port))
    }

    /// The ports of a range along its last part; `None` for a range across parts.
    pub fn along_last_part(self) -> Option<impl Iterator<Item = PortRef>> {
        let (from, to) = match self {
            Self::One(port) => (port, port),
            Self::Range(from, to) => (from, to),
        };
        let last = from.parts.iter().zip(to.parts).rposition(|(a, b)| *a != b).unwrap_or(3);
        (from.form == to.form && from.parts[..last] == to.parts[..last]).then(|| {
            (from.parts[last]..=to.parts[last]).map(move |n| {
                let mut port = from;
                port.parts[last] = n;
                port
            })
        })
    }
}

/// How ports are named, lists are written and moments are told in one dialect.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Lists {
    forms: Vec<Form>,
    /// For each form, the form its ports are named by: itself, or the one it is another way of writing.
    named_by: Vec<u8>,
    last_part: Vec<usize>,
    ranges: Vec<String>,
    items: Vec<String>,
    counted: Vec<String>,
    /// The signs that are written: of ranges, and between elements.
    written: (Option<String>, Option<String>),
    ignore_case: bool,
    carry: bool,
    times: Vec<TimeForm>,
    offset: Option<Offset>,
    units: Units,
}

/// A way in which moments are written, and how many words it has.
#[derive(Debug, Clone, PartialEq, Eq)]
struct TimeForm {
    form: String,
    words: usize,
}

/// What a dialect says of names and lists, before it is checked.
#[derive(Debug, Default)]
pub struct ListsText<'t> {
    /// Forms of port names.
    pub forms: Vec<&'t str>,
    /// Forms that are other ways of writing one of those, with the one they stand for.
    pub also: Vec<(&'t str, &'t str)>,
    /// Signs between the ends of a range.
    pub ranges: Vec<String>,
    /// Signs between elements.
    pub items: Vec<String>,
    /// Signs between the first of a range of stations and how many they are.
    pub counted: Vec<String>,
    /// Letters of both cases are the same.
    pub ignore_case: bool,
    /// An element that is only a number continues the parts before its last from the element before it.
    pub carry: bool,
    /// Forms of moments, as strftime writes them.
    pub times: Vec<&'t str>,
    /// The offset of moments that name none.
    pub offset: Option<Offset>,
    /// Units of the dialect's own.
    pub(super) units: Units,
}

impl Lists {
    /// Checks forms and orders signs; a problem comes with the position of its form, `also` behind `forms`.
    pub fn new(text: ListsText<'_>) -> Result<Self, (usize, FormProblem)> {
        let all = text.forms.iter().copied().chain(text.also.iter().map(|(form, _)| *form));
        let forms: Result<Vec<Form>, _> =
            all.enumerate().map(|(i, text)| parse_form(text).map_err(|e| (i, e))).collect();
        let forms = forms?;
        let first = text.forms.len();
        let mut named_by: Vec<u8> = (0..first as u8).collect();
        for (i, (_, stands_for)) in text.also.iter().enumerate() {
            let position = first + i;
            let target = text.forms.iter().position(|f| f == stands_for);
            let target = target.ok_or_else(|| (position, FormProblem::NoForm { found: (*stands_for).to_owned() }))?;
            if parts_of(&forms[target]) != parts_of(&forms[position]) {
                return Err((position, FormProblem::OtherParts));
            }
            named_by.push(target as u8);
        }
        let last_part = forms.iter().map(|f| parts_of(f).saturating_sub(1)).collect();
        let ListsText { mut ranges, mut items, counted, ignore_case, carry, times, offset, units, .. } = text;
        let written = (ranges.first().cloned(), items.first().cloned());
        sorted::by_key(&mut ranges, |s| std::cmp::Reverse(s.len()));
        sorted::by_key(&mut items, |s| std::cmp::Reverse(s.len()));
        let time_form = |form: &str| TimeForm { form: form.to_owned(), words: form.split_whitespace().count() };
        let times = times.into_iter().map(time_form).collect();
        Ok(Self {
            forms,
            named_by,
            last_part,
            ranges,
            items,
            counted,
            written,
            ignore_case,
            carry,
            times,
            offset,
            units,
        })
    }

    /// Lists with a dash and a comma, and no port names: for texts outside a dialect.
    pub fn plain() -> Self {
        Self { ranges: vec!["-".into()], items: vec![",".into()], ..Self::default() }
    }

    /// The sign that ranges are written with: the first that was named.
    pub fn first_range(&self) -> Option<&str> {
        self.written.0.as_deref()
    }

    /// The sign that elements are written with: the first that was named.
    pub fn first_item(&self) -> Option<&str> {
        self.written.1.as_deref()
    }

    /// Whether a word is a sign between the ends of a range.
    pub fn is_range_sign(&self, word: &str) -> bool {
        self.ranges.iter().any(|sign| sign == word)
    }

    /// Whether a word stands between the first of a range of stations and how many they are.
    pub fn is_count_sign(&self, word: &str) -> bool {
        self.counted.iter().any(|sign| sign == word)
    }

    /// What follows a range sign at the beginning of a text.
    pub fn after_range_sign<'w>(&self, text: &'w str) -> Option<&'w str> {
        Self::sign(&self.ranges, text)
    }

    /// Reads a moment from the front of `words`: how many words it takes.
    pub fn time(&self, text: &str, words: &[Word]) -> Option<(usize, Moment)> {
        let first = words.first()?;
        if let Some(moment) = Moment::parse(first.of(text), None, None) {
            return Some((1, moment));
        }
        self.times.iter().find_map(|TimeForm { form, words: count }| {
            let some = words.get(..*count)?;
            let joined: Vec<&str> = some.iter().map(|w| w.of(text)).collect();
            let joined = joined.join(" ");
            let moment = Moment::parse(joined.trim_end_matches([':', ',']), Some(form), self.offset)?;
            Some((*count, moment))
        })
    }

    /// Reads a list of numbers from the front of `words`: how many words it takes, and its ranges.
    pub fn numbers<'w>(&self, words: impl Iterator<Item = &'w str>) -> Option<(usize, Vec<RangeInclusive<u32>>)> {
        self.list(words, |_, text, from: Option<&RangeInclusive<u32>>, _| {
            let (number, rest) = number_prefix(text)?;
            let number = u32::from(number);
            let start = from.map_or(number, |f| *f.start());
            (start <= number).then_some((start..=number, rest))
        })
    }

    /// How many of one unit of a measure a word of the dialect's own is.
    pub(super) fn unit(&self, measure: Measure, word: &str) -> Option<u32> {
        self.units.times(measure, word)
    }

    /// A number in a unit of the dialect's own.
    pub(super) fn in_units(&self, measures: &[Measure], text: &str) -> Option<(Measure, u32)> {
        self.units.read(measures, text)
    }

    /// Reads a list of stations from the front of `words`: how many words it takes, and each of them.
    pub fn stations<'w>(&self, words: impl Iterator<Item = &'w str>) -> Option<(usize, Vec<StationAddress>)> {
        self.list(words, |lists, text, from: Option<&StationAddress>, _| {
            // No range: two stations have nothing between them that anybody means.
            let end = lists.items.iter().filter_map(|sign| text.find(sign.as_str())).min().unwrap_or(text.len());
            let (one, rest) = text.split_at(end);
            from.is_none().then(|| StationAddress::parse(one).ok().map(|station| (station, rest)))?
        })
    }

    /// Whether some port name could also be read as a plain number.
    pub fn has_plain_numbers(&self) -> bool {
        self.forms.iter().any(|f| matches!(f.pieces.as_slice(), [Piece::Number]))
    }

    /// The name of a port.
    pub fn name(&self, port: PortRef) -> Arc<str> {
        let mut name = String::with_capacity(USUAL_NAME);
        let mut parts = port.parts.into_iter();
        for piece in self.forms.get(usize::from(port.form)).map_or(&[][..], |f| &f.pieces) {
            match piece {
                Piece::Literal(text) => name.push_str(text),
                Piece::Number => number_of(parts.next().unwrap_or_default(), &mut name),
                Piece::Letters => letters_of(parts.next().unwrap_or_default(), &mut name),
            }
        }
        name.into()
    }

    /// Whether a port is one of those that a text names: a form with `<n>` and `<a>`, or a list.
    pub(super) fn is_among(&self, port: PortRef, kind: &PortKind) -> bool {
        match kind {
            PortKind::Form(form) => {
                let name = self.name(port);
                self.read_form(form, &name).is_some_and(|(_, rest)| rest.is_empty())
            }
            PortKind::List(items) => items.iter().any(|item| match item {
                PortItem::One(one) => *one == port,
                PortItem::Range(from, to) => *from <= port && port <= *to,
            }),
        }
    }

    /// Reads which ports are of a kind.
    pub(super) fn kind(&self, text: &str) -> Result<PortKind, FormProblem> {
        if text.contains('<') {
            return parse_form(text).map(PortKind::Form);
        }
        let whole = text.split_whitespace().count();
        let list = self.ports(text.split_whitespace()).filter(|(taken, _)| *taken == whole);
        list.map(|(_, items)| PortKind::List(items)).ok_or_else(|| FormProblem::NoPorts { found: text.to_owned() })
    }

    /// Reads a word that is one port's name and nothing else.
    pub fn port(&self, word: &str) -> Option<PortRef> {
        let (port, rest) = self.port_prefix(word)?;
        rest.is_empty().then_some(port)
    }

    fn port_prefix<'w>(&self, text: &'w str) -> Option<(PortRef, &'w str)> {
        let read = |(i, form): (usize, &Form)| {
            let (parts, rest) = self.read_form(form, text)?;
            Some((PortRef { form: *self.named_by.get(i)?, parts }, rest))
        };
        self.forms.iter().enumerate().filter_map(read).min_by_key(|(_, rest)| rest.len())
    }

    fn read_form<'w>(&self, form: &Form, mut text: &'w str) -> Option<([u16; 4], &'w str)> {
        let mut parts = [0; 4];
        let mut next = 0;
        for piece in &form.pieces {
            match piece {
                Piece::Literal(literal) => {
                    let head = text.get(..literal.len())?;
                    let same = if self.ignore_case { head.eq_ignore_ascii_case(literal) } else { head == literal };
                    if !same {
                        return None;
                    }
                    text = &text[literal.len()..];
                }
                Piece::Number => {
                    let (number, rest) = number_prefix(text)?;
                    *parts.get_mut(next)? = number;
                    (next, text) = (next + 1, rest);
                }
                Piece::Letters => {
                    let (letters, rest) = letters_prefix(text, self.ignore_case)?;
                    *parts.get_mut(next)? = letters;
                    (next, text) = (next + 1, rest);
                }
            }
        }
        Some((parts, text))
    }

    fn sign<'w>(signs: &[String], text: &'w str) -> Option<&'w str> {
        signs.iter().find_map(|sign| text.strip_prefix(sign.as_str()))
    }

    /// Reads a port list from the front of `words`: how many words it takes, and its elements.
    pub fn ports<'w>(&self, words: impl Iterator<Item = &'w str>) -> Option<(usize, Vec<PortItem>)> {
        self.list(words, |lists, text, from, before| match from {
            None => lists.element(text, before).map(|(port, rest)| (PortItem::One(port), rest)),
            Some(PortItem::One(from)) => {
                let (to, rest) = lists.range_end(*from, text)?;
                let item = PortItem::Range(*from, to);
                let wide = item.along_last_part().is_some_and(|mut ports| ports.nth(usize::from(WIDEST)).is_some());
                (*from <= to && !wide).then_some((item, rest))
            }
            Some(PortItem::Range(..)) => None,
        })
    }

    /// A port of a list: a whole name, or where parts carry over, its last part alone.
    fn element<'w>(&self, text: &'w str, before: Option<&PortItem>) -> Option<(PortRef, &'w str)> {
        let whole = self.port_prefix(text);
        let before = match before.filter(|_| self.carry) {
            None => return whole,
            Some(PortItem::One(port) | PortItem::Range(_, port)) => port,
        };
        // The longer reading wins: `20` goes on from `a:18`, `b:1` is a name.
        let carried = self.range_end(*before, text);
        [whole, carried].into_iter().flatten().min_by_key(|(_, rest)| rest.len())
    }

    /// The end of a range: a whole name, or the last part alone.
    fn range_end<'w>(&self, from: PortRef, text: &'w str) -> Option<(PortRef, &'w str)> {
        let whole = self.port_prefix(text).filter(|(to, _)| to.form == from.form);
        let last = number_prefix(text).and_then(|(number, rest)| {
            let mut to = from;
            let position = *self.last_part.get(usize::from(from.form))?;
            *to.parts.get_mut(position)? = number;
            Some((to, rest))
        });
        [whole, last].into_iter().flatten().min_by_key(|(_, rest)| rest.len())
    }

    /// Reads a VLAN list from the front of `words`: how many words it takes, and the set.
    pub fn vlans<'w>(&self, words: impl Iterator<Item = &'w str>) -> Option<(usize, VlanSet)> {
        let vlan = |text: &'w str| {
            let (number, rest) = number_prefix(text)?;
            Some((VlanId::new(number.into()).ok()?, rest))
        };
        let (taken, items) = self.list(words, |_, text, from: Option<&(VlanId, VlanId)>, _| {
            let (id, rest) = vlan(text)?;
            match from {
                None => Some(((id, id), rest)),
                Some((from, _)) => (*from <= id).then_some(((*from, id), rest)),
            }
        })?;
        let mut set = VlanSet::default();
        for (from, to) in items {
            set.insert_range(from, to);
        }
        Some((taken, set))
    }

    /// Takes as many words as still read as one list: elements, a range sign between two, an item sign between others.
    fn list<'w, T: Clone>(
        &self,
        words: impl Iterator<Item = &'w str>,
        element: impl Fn(&Self, &'w str, Option<&T>, Option<&T>) -> Option<(T, &'w str)>,
    ) -> Option<(usize, Vec<T>)> {
        #[derive(PartialEq)]
        enum Next {
            Element,
            RangeEnd,
            Sign,
        }
        let mut items: Vec<T> = Vec::new();
        let mut ranged = false;
        let mut next = Next::Element;
        // Where the list was whole last: words, elements, and the last of these as it was then.
        let mut whole: Option<(usize, usize, Option<T>)> = None;
        'words: for (i, word) in words.enumerate() {
            let mut text = word;
            while !text.is_empty() {
                match next {
                    Next::Element => {
                        let Some((item, rest)) = element(self, text, None, items.last()) else { break 'words };
                        items.push(item);
                        (next, text, ranged) = (Next::Sign, rest, false);
                    }
                    Next::RangeEnd => {
                        let Some((item, rest)) = element(self, text, items.last(), None) else { break 'words };
                        if let Some(last) = items.last_mut() {
                            *last = item;
                        }
                        (next, text, ranged) = (Next::Sign, rest, true);
                    }
                    Next::Sign => {
                        if let Some(rest) = Self::sign(&self.ranges, text).filter(|_| !ranged) {
                            (next, text) = (Next::RangeEnd, rest);
                        } else if let Some(rest) = Self::sign(&self.items, text) {
                            (next, text) = (Next::Element, rest);
                        } else {
                            break 'words;
                        }
                    }
                }
            }
            if next == Next::Sign {
                whole = Some((i + 1, items.len(), items.last().cloned()));
            }
        }
        let (words, count, last) = whole?;
        items.truncate(count);
        if let (Some(there), Some(last)) = (items.last_mut(), last) {
            *there = last;
        }
        Some((words, items))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn lists() -> Lists {
        let owned = |signs: &[&str]| signs.iter().map(|s| (*s).to_owned()).collect();
        let text = ListsText {
            forms: vec!["<n>.<n>", "bundle<n>", "<a>:<n>"],
            also: vec![("berth<n>/<n>", "<n>.<n>")],
            ranges: owned(&["..", "to"]),
            items: owned(&[","]),
            carry: true,
            ..ListsText::default()
        };
        Lists::new(text).unwrap()
    }

    fn read(text: &str) -> Option<(usize, Vec<String>)> {
        let lists = lists();
        let (taken, items) = lists.ports(text.split_whitespace())?;
        let name = |item: PortItem| match item {
            PortItem::One(port) => lists.name(port).to_string(),
            PortItem::Range(a, b) => format!("{}..{}", lists.name(a), lists.name(b)),
        };
        Some((taken, items.into_iter().map(name).collect()))
    }

    #[rstest]
    #[case("1.1", Some((1, vec!["1.1"])))]
    #[case("1.1..1.12,1.14", Some((1, vec!["1.1..1.12", "1.14"])))]
    #[case("1.1..12, 2.1 on", Some((2, vec!["1.1..1.12", "2.1"])))]
    #[case("1.1 to 1.3 , bundle4", Some((5, vec!["1.1..1.3", "bundle4"])))]
    #[case("1.20..2.4", Some((1, vec!["1.20..2.4"])))]
    #[case("a:3..a:18,b:1", Some((1, vec!["a:3..a:18", "b:1"])))]
    #[case("AB:3", Some((1, vec!["AB:3"])))]
    #[case::carried("a:3..18, 20, b:1", Some((3, vec!["a:3..a:18", "a:20", "b:1"])))]
    #[case::another_way("berth2/7", Some((1, vec!["2.7"])))]
    #[case::ends_before_a_dangling_comma("1.1, on", None)]
    #[case::backwards("1.9..1.2", None)]
    #[case::too_wide("1.1..1.2000", None)]
    #[case::no_port("1.x", None)]
    #[case::no_number("1.99999", None)]
    fn port_lists(#[case] text: &str, #[case] expected: Option<(usize, Vec<&str>)>) {
        let expected = expected.map(|(n, names)| (n, names.into_iter().map(str::to_owned).collect()));
        assert_eq!(read(text), expected);
    }

    #[rstest]
    #[case("110", Some((1, "110")))]
    #[case("110,120..130 x", Some((1, "110,120-130")))]
    #[case("110 , 112", Some((3, "110,112")))]
    #[case("0", None)]
    #[case("4095", None)]
    #[case("20..10", None)]
    fn vlan_lists(#[case] text: &str, #[case] expected: Option<(usize, &str)>) {
        let read = lists().vlans(text.split_whitespace()).map(|(n, set)| (n, set.to_string()));
        assert_eq!(read, expected.map(|(n, s)| (n, s.to_owned())));
    }

    #[rstest]
    #[case("uplink", FormProblem::Parts { found: 0 })]
    #[case("<n>.<n>.<n>.<n>.<n>", FormProblem::Parts { found: 5 })]
    #[case("<x>", FormProblem::UnknownPart { found: "x".into() })]
    #[case("<n><n>", FormProblem::Touching)]
    fn bad_forms(#[case] form: &str, #[case] problem: FormProblem) {
        assert_eq!(Lists::new(ListsText { forms: vec![form], ..ListsText::default() }), Err((0, problem)));
    }

    proptest! {
        #[test]
        fn a_name_reads_back(a in 0_u16..=9999, b in 0_u16..=9999, slot in "[a-z]{1,3}|[A-Z]{1,3}") {
            for name in [format!("{a}.{b}"), format!("bundle{a}"), format!("{slot}:{b}")] {
                let lists = lists();
                let port = lists.port(&name).expect("a name of one of the forms");
                let shown = lists.name(port);
                prop_assert_eq!(&*shown, name.as_str());
            }
        }

        #[test]
        fn any_text_ends(text in "\\PC*") {
            let _ = lists().ports(text.split_whitespace());
            let _ = lists().vlans(text.split_whitespace());
        }
    }
}
