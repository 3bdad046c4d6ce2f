//! The reading of a policy's own say about checks: house rules, levels and waivers.

use super::load::Reader;
use super::{Condition, HouseRule, Level, LevelOverride, PolicyProblem, Role, Waiver};
use crate::source::{Entry, Item, Scalar, Spot, TableReader, nearest};

impl Reader<'_> {
    /// A check, or a family as `family/*`.
    fn check_pattern(&self, spot: &Spot, found: &str) -> Option<String> {
        let known = self.checks.iter().any(|check| super::names_check(found, check));
        if known {
            return Some(found.to_owned());
        }
        let near = nearest(found, self.checks.iter().map(String::as_str)).map(str::to_owned);
        let family = self.checks.iter().any(|c| c.split_once('/').is_some_and(|(f, _)| f == found));
        let nearest = if family { Some(format!("{found}/*")) } else { near };
        self.report(spot, PolicyProblem::UnknownCheck { found: found.to_owned(), nearest });
        None
    }

    /// A rule of the house: its expression is read and its types are checked here.
    pub(super) fn rule(&self, table: &TableReader<'_>) -> Option<HouseRule> {
        let id = table.required_text("id");
        let level = table.text("level");
        let when = table.required_text("when");
        let message = table.required_text("message");
        let remedy = table.required_text("remedy");
        table.finish();
        let words = Level::ALL.map(|level| (level, level.word()));
        let level = level.map_or(Some(Level::Risk), |item| self.word("level", &item, &words));
        let when = when?;
        let condition = Condition::parse(when.value).map_err(|wrong| {
            self.doc.report_inside(&when.spot, wrong.at, wrong.problem);
        });
        let id = id?;
        let cite = self.cite(&when.spot);
        Some(HouseRule {
            id: self.rule_id(&id)?,
            level: level?,
            when: condition.ok()?,
            message: message?.value.to_owned(),
            remedy: remedy?.value.to_owned(),
            cite,
        })
    }

    /// `family/name`, and of no family of the catalogue.
    fn rule_id(&self, id: &Item<&str>) -> Option<&'static str> {
        let word = |part: &str| {
            !part.is_empty() && part.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-')
        };
        let why = match id.value.split_once('/') {
            Some((family, name)) if word(family) && word(name) => {
                let taken = self.checks.iter().any(|c| c.split_once('/').is_some_and(|(f, _)| f == family));
                taken.then_some("its family is one of the catalogue's")
            }
            _ => Some("it is a family and a name in small letters, with a slash between"),
        };
        if let Some(why) = why {
            self.report(&id.spot, PolicyProblem::RuleId { found: id.value.to_owned(), why });
            return None;
        }
        // One for each rule of a policy that was read: findings keep it as they keep the catalogue's ids.
        Some(String::leak(id.value.to_owned()))
    }

    pub(super) fn levels(&self, table: Option<&TableReader<'_>>, roles: &[Role]) -> Vec<LevelOverride> {
        let words = Level::ALL.map(|l| (Some(l), l.word())).into_iter().chain([(None, "off")]).collect::<Vec<_>>();
        let mut levels = Vec::new();
        let Some(table) = table else { return levels };
        for entry in table.entries() {
            if let Some(level) = self.level(&entry, roles, &words) {
                levels.push(level);
            }
        }
        levels
    }

    fn level(
        &self,
        entry: &Entry<'_>,
        roles: &[Role],
        words: &[(Option<Level>, &'static str)],
    ) -> Option<LevelOverride> {
        let (role, check) = match entry.key.value.split_once(':') {
            Some((role, check)) => (Some(role), check),
            None => (None, entry.key.value),
        };
        if let Some(role) = role.filter(|role| !roles.iter().any(|r| r.name == *role)) {
            let roles = roles.iter().map(|r| r.name.clone()).collect();
            self.report(&entry.key.spot, PolicyProblem::UnknownRole { found: role.to_owned(), roles });
        }
        let check = self.check_pattern(&entry.key.spot, check);
        let found = match entry.scalar()? {
            Scalar::Text(text) => text.to_owned(),
            Scalar::Integer(number) => number.to_string(),
            Scalar::Flag(flag) => flag.to_string(),
        };
        let level = self.word(entry.key.value, &Item { value: &found, spot: entry.spot() }, words)?;
        Some(LevelOverride { role: role.map(str::to_owned), check: check?, level })
    }

    pub(super) fn waiver(&self, table: &TableReader<'_>) -> Option<Waiver> {
        let check = table.required_text("check");
        let reason = table.required_text("reason");
        let owner = table.required_text("owner");
        let switch = table.text("switch");
        let port = table.text("port");
        let last_day = self.last_day(table);
        table.finish();
        let switch = self.glob(&switch.unwrap_or(Item { value: "*", spot: Spot::default() }));
        let port = match port {
            Some(item) => Some(self.ports_text(&item)?),
            None => None,
        };
        let check = check?;
        let cite = self.cite(&check.spot);
        Some(Waiver {
            check: self.check_pattern(&check.spot, check.value)?,
            switch: switch?,
            port,
            reason: reason?.value.to_owned(),
            owner: owner?.value.to_owned(),
            last_day: last_day?,
            cite,
        })
    }
}
