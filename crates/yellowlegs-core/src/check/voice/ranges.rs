//! Ranges of station addresses whose stations are put in a VLAN (dynamic assignment).

use crate::check::{Check, Judgement, Run, SwitchView, Tally, Verdict, Violation};
use crate::model::{StationRange, settings};
use crate::policy::Level;

pub(super) const WIDE: Check = Check {
    id: "voice/range-wide",
    title: "a range of addresses takes in more than the site's phones",
    level: Level::Risk,
    needs: &["switch.address-ranges"],
    policy: &["site.phone-prefixes", "site.range-stations"],
    reference: "IEEE 802, 8.2",
    why: "Whoever's address falls into the range is put into the phones' VLAN, and an address is easily borrowed.",
    remedy: "Narrow the range to the site's phones.",
    run: Run::Switch(wide),
    ..Check::ROW
};

fn wide(on: &SwitchView<'_>) -> Judgement {
    let site = &on.policy().site;
    let (prefixes, most) = (&site.phone_prefixes, &site.range_most);
    if prefixes.value.is_empty() && most.value.is_none() {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    for (range, vlan) in on.known(settings::ADDRESS_RANGES)?.iter() {
        let inside = |prefix: &String| {
            let prefix = prefix.to_ascii_lowercase();
            [range.from, range.to].iter().all(|end| end.to_string().starts_with(&prefix))
        };
        let foreign = !prefixes.value.is_empty() && !prefixes.value.iter().any(inside);
        let large = most.value.is_some_and(|most| range.size() > u64::from(most));
        if !foreign && !large {
            continue;
        }
        let violation = Violation::of(
            settings::ADDRESS_RANGES.id,
            "the range {range} for VLAN {vlan} takes in {count} addresses, more than the site's phones",
        )
        .fact("range", range.to_string())
        .fact("vlan", u32::from(vlan.get()))
        .fact("count", range.size().to_string())
        .line(on.line_of_range(range))
        .vlan(Some(*vlan));
        tally.add(Ok(Some(violation.demand(if foreign { &prefixes.cite } else { &most.cite }))));
    }
    tally.judgement()
}

pub(super) const OVERLAP: Check = Check {
    id: "voice/range-overlap",
    title: "two ranges claim one address for different VLANs",
    level: Level::Risk,
    needs: &["switch.address-ranges"],
    reference: "IEEE 802, 8.2",
    why: "Which of the two wins is nobody's decision, and may change with the order of the lines.",
    remedy: "Let each address be in one range.",
    run: Run::Switch(overlap),
    ..Check::ROW
};

fn overlap(on: &SwitchView<'_>) -> Judgement {
    let ranges = on.known(settings::ADDRESS_RANGES)?;
    let mut tally = Tally::default();
    for (i, (range, vlan)) in ranges.iter().enumerate() {
        let clashes =
            |other: &&(StationRange, _)| other.1 != *vlan && other.0.from <= range.to && range.from <= other.0.to;
        for (other, its) in ranges[..i].iter().filter(clashes) {
            let violation = Violation::of(
                settings::ADDRESS_RANGES.id,
                "{range} for VLAN {vlan} and {other} for VLAN {its} claim the same addresses",
            )
            .fact("range", range.to_string())
            .fact("other", other.to_string())
            .fact("vlan", u32::from(vlan.get()))
            .fact("its", u32::from(its.get()))
            .line(on.line_of_range(range))
            .vlan(Some(*vlan));
            tally.add(Ok(Some(violation)));
        }
    }
    tally.judgement()
}

impl SwitchView<'_> {
    fn line_of_range(&self, range: &StationRange) -> Option<crate::model::Mark> {
        use crate::model::Value;
        let holds = |value: &Value| matches!(value, Value::Ranges(set) if set.iter().any(|(r, _)| r == range));
        self.resolved().line_that_brought(None, settings::ADDRESS_RANGES.id, holds)
    }
}
