//! Ways to say a setting that worked: the next change like it is tried by them first, which saves reading a text over and over.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::model::{SettingId, Value};
use crate::resolve::{Edit, EditProblem, Resolved, Several, Way};

/// What is alike about two changes: the dialect, the setting, whether it becomes off or something, whether of several places.
type Like = (Arc<str>, SettingId, bool, bool);

/// The ways that worked.
#[derive(Debug, Clone, Default)]
pub(super) struct Ways(BTreeMap<Like, Way>);

fn like(resolved: &Resolved, several: &Several) -> Option<Like> {
    let off = several.setting.info().kind.off();
    let is_off = off.as_ref() == Some(&several.value) || several.value == Value::Flag(false);
    Some((Arc::clone(resolved.dialect()?.name()), several.setting, is_off, several.abouts.len() > 1))
}

impl Ways {
    /// The change by the way that worked last, else by any.
    pub(super) fn edit(&mut self, resolved: &Resolved, several: &Several) -> Result<Edit, EditProblem> {
        let like = like(resolved, several);
        // What a default or a profile could say is looked for each time.
        let known = like.as_ref().filter(|_| !resolved.may_be_wide(several)).and_then(|like| self.0.get(like)).copied();
        // One line for all goes before a line for each.
        let known = known.filter(|way| several.each || several.abouts.len() < 2 || way.is_list());
        if let Some(edit) = known.and_then(|way| resolved.edit_by(several, way)) {
            return Ok(edit);
        }
        let edit = resolved.edit_all(several)?;
        if let Some((like, way)) = like.zip(edit.way) {
            self.0.insert(like, way);
        }
        Ok(edit)
    }

    /// All of some changes of one switch at once, by ways that worked, each place by itself; none where one has no such way or does
    /// not come out so.
    pub(super) fn all_at_once(&self, resolved: &Resolved, changes: &[Several]) -> Option<Resolved> {
        let mut lines = Vec::new();
        for several in changes {
            let way = self.0.get(&like(resolved, several)?).copied()?;
            lines.extend(resolved.lines_by(several, way)?);
        }
        let after = resolved.with_lines(&lines)?;
        let has = |several: &Several| {
            let value = Some(&several.value);
            several.abouts.iter().all(|about| after.slot_by_hand(about, several.setting).value.as_ref() == value)
        };
        let as_read = after.switch.unread().len() == resolved.switch.unread().len();
        let of = |about, setting| changes.iter().any(|s| s.setting == setting && s.abouts.contains(about));
        // What they take along is looked at one by one.
        let alone = crate::resolve::differences(resolved, &after).iter().all(|(about, setting)| of(about, *setting));
        (as_read && alone && changes.iter().all(has)).then_some(after)
    }
}
