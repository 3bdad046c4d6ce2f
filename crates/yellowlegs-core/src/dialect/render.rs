//! Writing: a statement's words from its rule and what its holes hold, in the layout of the dialect.

use std::fmt::Write as _;
use std::sync::Arc;

use super::captured::Captured;
use super::hole::HoleType;
use super::layout::Structure;
use super::pattern::{Step, Wanted};
use super::ports::PortItem;
use super::rule::{Rule, Until};
use super::{Dialect, Reading, Statement};
use crate::model::{Rate, RateUnit, StationAddress, StationRange, VlanSet};
use crate::source::Word;

/// How a dialect writes what it can read.
#[derive(Debug, Clone, Default)]
pub struct Writing {
    /// What is typed to keep changes.
    pub save: Vec<String>,
    /// What is typed to leave a context, where that takes a word.
    pub leave: Option<String>,
    /// How station addresses are written: groups of digits, and the sign between them.
    pub stations: Option<(usize, char)>,
    /// Settings that no line can set, with the reason.
    pub never: Vec<(crate::model::SettingId, String)>,
}

/// What a hole is to hold, as it is written.
pub type Held = Option<String>;

impl Dialect {
    /// How it writes.
    pub fn writing(&self) -> &Writing {
        &self.writing
    }

    /// The words of a rule with its holes filled: the first of its forms that needs exactly these. `None` when none does.
    pub fn words_with(&self, rule: &Rule, held: &[Held], chosen: &[Option<usize>], negated: bool) -> Option<String> {
        let wanted = |hole: usize| match (chosen.get(hole).copied().flatten(), held.get(hole)) {
            (Some(which), _) => Wanted::Chosen(which),
            (None, Some(Some(_))) => Wanted::Held,
            (None, _) => Wanted::Absent,
        };
        let sequence = rule.pattern.sequence_with(&wanted)?;
        let mut text = String::new();
        if negated {
            text.push_str(self.layout.negation.as_deref()?);
        } else if let Some(verb) = self.layout.verb.as_deref() {
            text.push_str(verb);
        }
        for step in sequence {
            if !text.is_empty() {
                text.push(' ');
            }
            match step {
                Step::Literal(word) | Step::Choice(_, _, word) => text.push_str(&word),
                Step::Hole(hole) => text.push_str(held.get(hole)?.as_deref()?),
            }
        }
        Some(text)
    }

    /// What the typed holes of a statement hold, as they are written.
    pub fn hole_texts(&self, text: &str, reading: &Reading, statement: &Statement) -> Vec<Held> {
        let Some(rule) = self.rules.get(statement.rule as usize) else { return Vec::new() };
        let captures = reading.captures(self, statement);
        let holes = rule.pattern.holes.iter().zip(captures);
        holes.map(|(hole, captured)| self.hole_text(hole.kind.typed()?, captured, text)).collect()
    }

    /// A statement as text, without what is around it.
    pub fn statement_words(&self, text: &str, reading: &Reading, statement: &Statement) -> Option<String> {
        let rule = self.rules.get(statement.rule as usize)?;
        let captures = reading.captures(self, statement);
        let mut held = Vec::new();
        let mut chosen = Vec::new();
        for (hole, captured) in rule.pattern.holes.iter().zip(captures) {
            chosen.push(match captured {
                Captured::Choice(which) => Some(*which),
                _ => None,
            });
            held.push(match captured {
                Captured::Absent | Captured::Choice(_) => None,
                captured => Some(self.hole_text(hole.kind.typed()?, captured, text)?),
            });
        }
        // The negated form may leave out what follows its first hole.
        self.words_with(rule, &held, &chosen, statement.negated)
            .or_else(|| self.negated_short(rule, &held, &chosen, statement.negated))
    }

    /// The words of lines nested in each other, laid out: outermost first.
    pub fn nested(&self, words: &[String], negated: bool) -> Vec<String> {
        let indent = |depth: usize| "  ".repeat(depth);
        let last = words.len().saturating_sub(1);
        match self.layout.structure {
            Structure::Paths => {
                let skip = self.front_word(negated);
                let parts =
                    words.iter().enumerate().map(|(i, w)| if i == 0 { w } else { w.get(skip..).unwrap_or_default() });
                vec![parts.collect::<Vec<&str>>().join(" ")]
            }
            Structure::Braces => {
                let braces = &self.layout.braces;
                let end = braces.end.as_deref().unwrap_or_default();
                let lines = words.iter().enumerate().map(|(i, w)| {
                    if i == last {
                        format!("{}{w}{end}", indent(i))
                    } else {
                        format!("{}{w} {}", indent(i), braces.open)
                    }
                });
                let mut lines: Vec<String> = lines.collect();
                lines.extend((0..last).rev().map(|i| format!("{}{}", indent(i), braces.close)));
                lines
            }
            Structure::Indent => words.iter().enumerate().map(|(i, w)| format!("{}{w}", indent(i))).collect(),
            Structure::Sections => {
                let closes =
                    self.layout.close.first().into_iter().flat_map(|word| std::iter::repeat_n(word.clone(), last));
                words.iter().cloned().chain(closes).collect()
            }
        }
    }

    /// The negated form of a rule with nothing in its holes.
    pub fn shortest_negation(&self, rule: &Rule) -> Option<String> {
        rule.undo.as_ref()?;
        let none = vec![None; rule.pattern.holes.len()];
        self.negated_short(rule, &none, &vec![None; none.len()], true)
    }

    /// A station address as it is written.
    pub fn station_words(&self, address: StationAddress) -> String {
        self.station_text(address)
    }

    /// A range of stations as it is written.
    pub fn range_words(&self, range: StationRange) -> String {
        let (from, to) = (self.station_text(range.from), self.station_text(range.to));
        if range.from == range.to { from } else { format!("{from} {} {to}", self.range_sign()) }
    }

    fn negated_short(&self, rule: &Rule, held: &[Held], chosen: &[Option<usize>], negated: bool) -> Option<String> {
        if !negated || held.iter().any(Option::is_some) || chosen.iter().any(Option::is_some) {
            return None;
        }
        let sequence = rule.pattern.sequences.first()?;
        let words = sequence.iter().map_while(|step| match step {
            Step::Literal(word) => Some(word.as_str()),
            _ => None,
        });
        let words: Vec<&str> = words.collect();
        Some(format!("{} {}", self.layout.negation.as_deref()?, words.join(" "))).filter(|_| !words.is_empty())
    }

    /// A whole reading as text again: reading that gives the same statements.
    pub fn text_of(&self, text: &str, reading: &Reading) -> Option<String> {
        let mut result = String::new();
        let mut open: Vec<u32> = Vec::new();
        for (position, statement) in reading.statements.iter().enumerate() {
            let rule = self.rules.get(statement.rule as usize)?;
            let around = Self::around(reading, statement);
            let leader = statement.parent().and_then(|p| reading.statements.get(p as usize));
            let leads_on = leader.and_then(|s| self.rules.get(s.rule as usize)).is_some_and(Rule::goes_on);
            if leads_on {
                continue;
            }
            // The word of negation stands in front of a line whose items are taken back.
            let negated = statement.negated || statement.leads && rule.goes_on();
            let items = if rule.goes_on() { self.items_text(text, reading, position)? } else { String::new() };
            if self.layout.structure == Structure::Paths {
                // What only leads to another statement of its line is written with it.
                let leads = !rule.goes_on()
                    && reading.statements.get(position + 1).is_some_and(|next| {
                        next.parent() == Some(position as u32) && next.mark.offset == statement.mark.offset
                    });
                if leads {
                    continue;
                }
                let mut path = String::new();
                for part in around.iter().filter_map(|p| reading.statements.get(*p as usize)).chain([statement]) {
                    let mut plain = *part;
                    plain.negated = negated;
                    let words = self.statement_words(text, reading, &plain)?;
                    let skip = if path.is_empty() { 0 } else { self.front_word(negated) };
                    let _ = write!(path, "{}{}", if path.is_empty() { "" } else { " " }, words.get(skip..)?);
                }
                result.push_str(&path);
                result.push_str(&items);
                result.push('\n');
                continue;
            }
            self.close_blocks(&mut result, &mut open, &around);
            let depth = around.len();
            let mut plain = *statement;
            plain.negated = negated;
            let words = self.statement_words(text, reading, &plain)?;
            let opens = rule.opens_block() && !statement.negated;
            let _ = write!(result, "{}{words}{items}", "  ".repeat(depth));
            let braces = self.layout.structure == Structure::Braces;
            if braces && opens {
                let _ = write!(result, " {}", self.layout.braces.open);
            } else if braces {
                result.push_str(self.layout.braces.end.as_deref().unwrap_or_default());
            }
            result.push('\n');
            if let Some(end) = self.end_of_text(text, reading, statement, rule) {
                result.push_str(&end);
                result.push('\n');
            }
            if opens {
                open.push(position as u32);
            }
        }
        self.close_blocks(&mut result, &mut open, &[]);
        Some(result)
    }

    /// What follows on the line of a statement that goes on.
    fn items_text(&self, text: &str, reading: &Reading, position: usize) -> Option<String> {
        let mut items = String::new();
        let inside = reading.statements.iter().skip(position + 1);
        for item in inside.take_while(|item| item.parent() == Some(position as u32)) {
            let words = self.statement_words(text, reading, item)?;
            let _ = write!(items, " {}", words.get(self.front_word(item.negated)..)?);
        }
        Some(items)
    }

    /// A statement and one that its line goes on with, on one line.
    pub fn on_one_line(&self, leader: &str, item: &str, negated: bool) -> String {
        format!("{leader} {}", item.get(self.front_word(negated)..).unwrap_or_default())
    }

    /// How many bytes the word before a path takes.
    fn front_word(&self, negated: bool) -> usize {
        let word = if negated { self.layout.negation.as_deref() } else { self.layout.verb.as_deref() };
        word.map_or(0, |w| w.len() + 1)
    }

    /// The statements around one, outermost first.
    fn around(reading: &Reading, statement: &Statement) -> Vec<u32> {
        let mut around: Vec<u32> =
            std::iter::successors(statement.parent(), |p| reading.statements.get(*p as usize)?.parent()).collect();
        around.reverse();
        around
    }

    /// Closes the blocks that are not around what comes.
    fn close_blocks(&self, text: &mut String, open: &mut Vec<u32>, around: &[u32]) {
        while open.len() > around.len() || open.last().is_some_and(|last| around.get(open.len() - 1) != Some(last)) {
            open.pop();
            let depth = "  ".repeat(open.len());
            if self.layout.structure == Structure::Braces {
                let _ = writeln!(text, "{depth}{}", self.layout.braces.close);
            } else if let (Structure::Sections, Some(close)) = (self.layout.structure, self.layout.close.first()) {
                let _ = writeln!(text, "{depth}{close}");
            }
        }
    }

    /// The line that ends a free text, where the statement begins one.
    fn end_of_text(&self, text: &str, reading: &Reading, statement: &Statement, rule: &Rule) -> Option<String> {
        match rule.until.as_ref().filter(|_| !statement.negated)? {
            Until::Line(end) => Some(end.clone()),
            Until::Hole(hole) => {
                let Captured::Text(word) = reading.captures(self, statement).get(*hole)? else { return None };
                let held = word.of(text);
                if rule.pattern.holes.get(*hole)?.kind.typed() == Some(HoleType::Delimiter) {
                    let sign = held.chars().next()?;
                    // On one line both signs are there already.
                    return (held.matches(sign).count() < 2).then(|| sign.to_string());
                }
                Some(held.to_owned())
            }
        }
    }

    /// What a hole took, as a hole of its type is written.
    fn hole_text(&self, kind: HoleType, captured: &Captured, text: &str) -> Option<String> {
        Some(match captured {
            Captured::Int(number) => number.to_string(),
            Captured::Ints(numbers) => {
                numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(self.item_sign(false))
            }
            Captured::Seconds(seconds) => seconds_text(kind, *seconds)?,
            Captured::Vlan(vlan) => vlan.to_string(),
            Captured::Vlans(set) => self.vlans_text(set),
            Captured::Ports(items) => self.ports_text(items),
            Captured::Station(address) => self.station_text(*address),
            Captured::Stations(all) => {
                let each: Vec<String> = all.iter().map(|address| self.station_text(*address)).collect();
                each.join(self.item_sign(false))
            }
            Captured::Range(range) => self.range_words(*range),
            Captured::Address(address) if kind == HoleType::Prefix => {
                format!("{address}/{}", if address.is_ipv4() { 32 } else { 128 })
            }
            Captured::Address(address) => address.to_string(),
            Captured::Rate(rate) => rate_text(kind, *rate)?,
            Captured::Milliwatts(power) if kind == HoleType::Milliwatts => power.to_string(),
            Captured::Milliwatts(power) => format!("{}.{:03}", power / 1000, power % 1000),
            Captured::Text(word) => self.text_text(kind, *word, text),
            Captured::Absent | Captured::Choice(_) | Captured::Time(_) => return None,
        })
    }

    fn item_sign(&self, words: bool) -> &str {
        if words { " " } else { self.lists.first_item().unwrap_or(" ") }
    }

    fn range_sign(&self) -> &str {
        self.lists.first_range().unwrap_or("-")
    }

    /// A range sign of letters needs blanks around it.
    fn range_text(&self, from: &str, to: &str) -> String {
        let sign = self.range_sign();
        if sign.bytes().all(|b| b.is_ascii_alphabetic()) {
            format!("{from} {sign} {to}")
        } else {
            format!("{from}{sign}{to}")
        }
    }

    pub(super) fn vlans_text(&self, set: &VlanSet) -> String {
        let ranges = set.ranges();
        let shown =
            ranges.map(
                |(from, to)| {
                    if from == to { from.to_string() } else { self.range_text(&from.to_string(), &to.to_string()) }
                },
            );
        shown.collect::<Vec<_>>().join(self.item_sign(false))
    }

    pub(super) fn ports_text(&self, items: &[PortItem]) -> String {
        let name = |item: &PortItem| match item {
            PortItem::One(port) => self.lists.name(*port).to_string(),
            PortItem::Range(from, to) => self.range_text(&self.lists.name(*from), &self.lists.name(*to)),
        };
        items.iter().map(name).collect::<Vec<_>>().join(self.item_sign(false))
    }

    /// A list of ports, in ranges where numbers follow on each other; none where a name is none of a port.
    pub fn port_list(&self, names: &[&str]) -> Option<String> {
        let mut items: Vec<PortItem> = Vec::new();
        for name in names {
            let port = self.lists.port(name)?;
            let longer = items.last().and_then(|item| item.and_next(port));
            match longer {
                Some(longer) => *items.last_mut()? = longer,
                None => items.push(PortItem::One(port)),
            }
        }
        Some(self.ports_text(&items))
    }

    pub(super) fn station_text(&self, address: StationAddress) -> String {
        let digits = format!("{:012x}", address.number());
        let (group, sign) = self.writing.stations.unwrap_or((2, ':'));
        let groups: Vec<&str> = (0..12).step_by(group).filter_map(|i| digits.get(i..i + group)).collect();
        groups.join(&sign.to_string())
    }

    fn text_text(&self, kind: HoleType, word: Word, text: &str) -> String {
        let shown = word.of(text);
        if !matches!(kind, HoleType::Text | HoleType::Secret) {
            return shown.to_owned();
        }
        self.quoted(shown)
    }

    /// A text as one word: in quotes where it would be several.
    pub(super) fn quoted(&self, shown: &str) -> String {
        let mut words = Vec::new();
        self.layout.splitter.split(shown, 0, &mut words);
        let one = matches!(&words[..], [one] if one.start == 0 && one.end == shown.len());
        if one && !shown.starts_with(['"', '\'']) { shown.to_owned() } else { format!("\"{shown}\"") }
    }

    /// The words that set a setting's value in a hole of a type; `None` where the type cannot hold it.
    pub fn value_text(&self, kind: HoleType, value: &crate::model::Value) -> Option<String> {
        use crate::model::Value as V;
        use HoleType as H;
        Some(match (kind, value) {
            (H::Int | H::Ints | H::Speed, V::Count(n)) => n.to_string(),
            (H::Int, V::Seconds(n)) => n.to_string(),
            (_, V::Seconds(n)) => seconds_text(kind, *n)?,
            (H::Vlan, V::Vlan(Some(vlan))) => vlan.to_string(),
            (H::Vlan, V::Vlans(set)) => set.single()?.to_string(),
            (H::Vlans, V::Vlans(set)) if !set.is_empty() => self.vlans_text(set),
            (H::Port | H::Ports, V::Port(Some(port))) => port.to_string(),
            (H::Ip, V::Address(Some(address))) => address.to_string(),
            (_, V::Rate(Some(rate))) => rate_text(kind, *rate)?,
            (H::Milliwatts, V::Milliwatts(power)) => power.to_string(),
            (H::Watts, V::Milliwatts(power)) => format!("{}.{:03}", power / 1000, power % 1000),
            (H::Text, V::Text(text)) if !text.is_empty() => self.quoted(text),
            (H::Word, V::Text(text)) if !text.is_empty() && !text.contains(char::is_whitespace) => text.to_string(),
            (H::Rest, V::Text(text)) if !text.is_empty() => text.to_string(),
            (H::Int, V::Text(text)) if super::hole::number(text).is_some() => text.to_string(),
            (H::Word | H::Text, V::Words(words)) => self.quoted(words.iter().next().filter(|_| words.len() == 1)?),
            (H::Ip, V::Words(words)) if words.len() == 1 => words.first()?.to_string(),
            (H::Int | H::Ints, V::Words(words)) if words.iter().all(|w| super::hole::number(w).is_some()) => {
                words.iter().map(Arc::as_ref).collect::<Vec<&str>>().join(self.item_sign(false))
            }
            (H::Station | H::Stations, V::Station(address)) => self.station_text(*address),
            _ => return None,
        })
    }
}

fn seconds_text(kind: HoleType, seconds: u32) -> Option<String> {
    let whole = |unit: u32| seconds.is_multiple_of(unit).then(|| (seconds / unit).to_string());
    match kind {
        HoleType::Seconds | HoleType::Int => Some(seconds.to_string()),
        HoleType::Milliseconds => Some(seconds.checked_mul(1000)?.to_string()),
        HoleType::Minutes => whole(60),
        HoleType::Hours => whole(3600),
        HoleType::Duration => Some(format!("{seconds}s")),
        _ => None,
    }
}

fn rate_text(kind: HoleType, rate: Rate) -> Option<String> {
    let of = |unit: RateUnit| (rate.unit == unit).then(|| rate.amount.to_string());
    match kind {
        HoleType::Pps => of(RateUnit::Packets),
        HoleType::Kbps => of(RateUnit::Kilobits),
        HoleType::Percent => of(RateUnit::Percent),
        HoleType::Rate if rate.unit == RateUnit::PacketsAMinute => Some(format!("{}/min", rate.amount)),
        HoleType::Rate => Some(format!("{}{}", rate.amount, rate.unit)),
        _ => None,
    }
}
