//! A record's text, written straight from the switch. Nearly all of it is the settings of its ports, and most of them say what others
//! say: that is copied from where it stands first.

use std::collections::BTreeMap;
use std::io;
use std::ops::Range;

use super::fact::{RecordFact, RecordKind};
use super::{RecordQuote, RecordRequirement, RecordTable, RecordTrait, RecordTraits, RecordUnread, Version, doubts};
use crate::model::quote::Quoted;
use crate::model::{Doubt, Mark, Owner, SavedCopy, Scope, SettingId, Slot, Switch, TraitId, VlanId};
use crate::source::Sheet;

/// The record of a switch as the text of its file. `doubts`: what lines that are not understood leave open; `narrow`: the words of a
/// line that decide a setting.
pub(super) fn written(
    switch: &Switch,
    doubts: Option<&[Doubt]>,
    narrow: &mut dyn FnMut(Mark, SettingId) -> Mark,
) -> io::Result<Vec<u8>> {
    let mut writer = Writer { sheet: Sheet::default(), narrow };
    writer.record(switch, doubts)?;
    Ok(writer.sheet.into_bytes())
}

/// A record that is being written.
struct Writer<'n> {
    sheet: Sheet,
    narrow: &'n mut dyn FnMut(Mark, SettingId) -> Mark,
}

impl Writer<'_> {
    fn record(&mut self, switch: &Switch, doubts: Option<&[Doubt]>) -> io::Result<()> {
        self.sheet.open()?;
        self.head(switch)?;
        self.settings(switch)?;
        self.rest(switch, doubts)?;
        self.sheet.name("saved")?;
        match &switch.saved {
            SavedCopy::NotKept => self.sheet.text("not-kept")?,
            SavedCopy::Missing => self.sheet.text("missing")?,
            SavedCopy::Read(saved) => {
                self.sheet.open()?;
                self.sheet.name("copy")?;
                let mut whole = |mark, _| mark;
                let mut of_saved = Writer { sheet: std::mem::take(&mut self.sheet), narrow: &mut whole };
                of_saved.record(saved, saved.told_doubts.as_deref())?;
                self.sheet = of_saved.sheet;
                self.sheet.close()?;
            }
        }
        self.sheet.close()
    }

    /// What it is, and its platform.
    fn head(&mut self, switch: &Switch) -> io::Result<()> {
        self.sheet.entry("record", &Version)?;
        self.sheet.text_entry("switch", &switch.name)?;
        if let Some(dialect) = &switch.dialect {
            self.sheet.text_entry("dialect", dialect)?;
        }
        self.sheet.entry("lines", &switch.lines)?;
        self.sheet.name("files")?;
        self.sheet.list(switch.files.iter(), |sheet, file| sheet.text(file.path()))?;
        let traits = TraitId::all().filter_map(|id| {
            let words = switch.traits.words(id)?.into_iter().map(str::to_owned).collect();
            let evidence = RecordQuote::of(switch, switch.traits.get(id).and_then(|s| s.mark));
            Some((id.info().name.to_owned(), RecordTrait { words, evidence }))
        });
        self.sheet.entry("traits", &RecordTraits(traits.collect()))?;
        if switch.requires.is_empty() {
            return Ok(());
        }
        self.sheet.name("requires")?;
        self.sheet.list(switch.requires.iter(), |sheet, required| {
            sheet.value(&RecordRequirement {
                feature: required.feature.to_string(),
                ready: required.ready.to_string(),
                restart: required.restart,
                evidence: RecordQuote::of(switch, required.mark),
            })
        })
    }

    /// What is in force on it, its VLANs, mirrors and ports.
    fn settings(&mut self, switch: &Switch) -> io::Result<()> {
        self.sheet.name("settings")?;
        let of_switch = SettingId::of(Scope::Switch).map(|id| (id, switch.slot(None, id)));
        self.each(switch, Some(&Owner::Switch), of_switch)?;
        let mut vlans: BTreeMap<VlanId, Vec<(SettingId, &Slot)>> = BTreeMap::new();
        for ((vlan, id), slot) in &switch.vlan_slots {
            vlans.entry(*vlan).or_default().push((*id, slot));
        }
        self.list("vlans", vlans.into_iter(), |writer, (vlan, slots)| {
            writer.sheet.entry("vlan", &vlan)?;
            writer.sheet.name("settings")?;
            writer.each(switch, Some(&Owner::Vlan(vlan)), slots.into_iter())
        })?;
        self.sheet.name("every_vlan")?;
        self.each(switch, None, switch.vlan_defaults.iter().map(|(id, slot)| (*id, slot)))?;
        self.list("mirrors", switch.mirrors.iter(), |writer, (name, slots)| {
            writer.sheet.text_entry("mirror", name)?;
            writer.sheet.name("settings")?;
            let owner = Owner::Mirror(name.clone());
            writer.each(switch, Some(&owner), slots.iter().map(|(id, slot)| (*id, slot)))
        })?;
        self.ports(switch)
    }

    fn ports(&mut self, switch: &Switch) -> io::Result<()> {
        // By position, where a slot stands that several ports may share.
        let mut stands: Vec<Option<Range<usize>>> = vec![None; switch.port_slots.len()];
        let begins = self.sheet.len();
        self.list("ports", switch.ports.iter().enumerate(), |writer, (port, name)| {
            writer.sheet.text_entry("port", name.as_str())?;
            if let Some(place) = switch.port_place(port).and_then(|mark| switch.quoted(mark, false)) {
                writer.quote("place", &place)?;
            }
            writer.sheet.name("settings")?;
            writer.sheet.open()?;
            for id in SettingId::of(Scope::Port) {
                writer.sheet.name(id.name())?;
                let Some((at, slot)) = switch.port_slots.at(port, id) else { continue };
                let behind = switch.behind(|| Owner::Port(port), id);
                match stands.get(at).filter(|_| behind.is_none()).and_then(Clone::clone) {
                    Some(stood) => writer.sheet.again(stood),
                    None => {
                        let from = writer.sheet.len();
                        writer.slot(switch, id, slot, behind)?;
                        if let Some(stands) = stands.get_mut(at).filter(|_| behind.is_none()) {
                            *stands = Some(from..writer.sheet.len());
                        }
                    }
                }
            }
            writer.sheet.close()?;
            if port == 0 {
                // The others take as much.
                let first = writer.sheet.len() - begins;
                writer.sheet.reserve(first * switch.ports.len());
            }
            Ok(())
        })
    }

    /// What was read of its state, what was not understood, and what was noticed.
    fn rest(&mut self, switch: &Switch, doubts: Option<&[Doubt]>) -> io::Result<()> {
        let sheet = &mut self.sheet;
        sheet.name("facts")?;
        sheet.list(switch.facts().iter(), |sheet, fact| {
            let evidence = RecordQuote::of(switch, Some(fact.mark));
            sheet.value(&RecordFact { kind: fact.kind, fields: fact.fields.clone(), evidence })
        })?;
        if !switch.state.tables().is_empty() {
            sheet.name("tables")?;
            sheet.list(switch.state.tables().iter(), |sheet, (kind, mark)| {
                sheet.value(&RecordTable { fact: RecordKind(*kind), evidence: RecordQuote::of(switch, Some(*mark)) })
            })?;
        }
        sheet.name("unread")?;
        let unread = switch.unread.iter().filter_map(|unread| Some((unread, switch.quoted(unread.mark, false)?)));
        sheet.list(unread, |sheet, (unread, Quoted { file, line, column, width, .. })| {
            let (shape, file) = (unread.shape.to_string(), file.to_string());
            sheet.value(&RecordUnread { shape, file, line, column, width })
        })?;
        sheet.entry("statements", &switch.statements)?;
        let torn = doubts::torn(switch);
        if !torn.is_empty() {
            sheet.entry("torn", &torn)?;
        }
        let dangling = doubts::dangling(switch);
        if !dangling.is_empty() {
            sheet.entry("dangling", &dangling)?;
        }
        if let Some(doubts) = doubts {
            sheet.name("doubts")?;
            let doubts = doubts.iter().filter_map(|doubt| doubts::of(switch, doubt));
            sheet.list(doubts, |sheet, doubt| sheet.value(&doubt))?;
        }
        sheet.entry("remarks", &switch.remarks)
    }

    /// A list of objects, of which `write` writes the entries.
    fn list<T>(
        &mut self,
        name: &'static str,
        elements: impl Iterator<Item = T>,
        mut write: impl FnMut(&mut Self, T) -> io::Result<()>,
    ) -> io::Result<()> {
        self.sheet.name(name)?;
        self.sheet.open_list()?;
        for element in elements {
            self.sheet.element()?;
            self.sheet.open()?;
            write(self, element)?;
            self.sheet.close()?;
        }
        self.sheet.close_list()
    }

    /// Settings by name, each with what would be in force if state had told nothing.
    fn each<'s>(
        &mut self,
        switch: &Switch,
        owner: Option<&Owner>,
        slots: impl Iterator<Item = (SettingId, &'s Slot)>,
    ) -> io::Result<()> {
        self.sheet.open()?;
        for (id, slot) in slots {
            self.sheet.name(id.name())?;
            let behind = owner.and_then(|owner| switch.behind(|| owner.clone(), id));
            self.slot(switch, id, slot, behind)?;
        }
        self.sheet.close()
    }

    fn slot(&mut self, switch: &Switch, id: SettingId, slot: &Slot, behind: Option<&Slot>) -> io::Result<()> {
        self.sheet.open()?;
        self.sheet.entry("value", &slot.value)?;
        self.sheet.text_entry("origin", slot.origin.word())?;
        let words = slot.mark.map(|mark| (self.narrow)(mark, id));
        if let Some(evidence) = words.and_then(|mark| switch.quoted(mark, false)) {
            self.quote("evidence", &evidence)?;
        }
        if let Some(behind) = behind {
            self.sheet.name("instead_of")?;
            self.slot(switch, id, behind, None)?;
        }
        self.sheet.close()
    }

    fn quote(&mut self, name: &'static str, quoted: &Quoted<'_>) -> io::Result<()> {
        let Quoted { file, line, column, width, text, left_out } = quoted;
        let sheet = &mut self.sheet;
        sheet.name(name)?;
        sheet.open()?;
        sheet.text_entry("file", file)?;
        sheet.entry("line", line)?;
        sheet.entry("column", column)?;
        sheet.entry("width", width)?;
        sheet.text_entry("text", text)?;
        if let Some(left_out) = left_out {
            sheet.entry("left_out", left_out)?;
        }
        sheet.close()
    }
}
