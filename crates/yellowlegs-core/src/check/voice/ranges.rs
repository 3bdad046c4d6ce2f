//! Ranges of station addresses whose stations are put in a VLAN (dynamic assignment).

use crate::check::{Check, Judgement, Run, SwitchView, Tally, Verdict, Violation};
use crate::model::{StationRange, Value, VlanId, settings};
use crate::policy::Level;
use crate::sorted;

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
    let ranges = on.known(settings::ADDRESS_RANGES)?;
    let mut wrong = Vec::new();
    for (range, vlan) in ranges.iter() {
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
        .vlan(Some(*vlan));
        wrong.push(((*range, *vlan), violation.demand(if foreign { &prefixes.cite } else { &most.cite })));
    }
    on.tell(wrong)
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

/// So many ranges that clash with one are told, each by itself; of more, how many.
const MOST_TOLD: usize = 8;

fn overlap(on: &SwitchView<'_>) -> Judgement {
    let ranges = on.known(settings::ADDRESS_RANGES)?;
    let mut wrong = Vec::new();
    for (i, (before, count)) in clashes(&ranges).into_iter().enumerate() {
        let (range, vlan) = ranges[i];
        let more = count - before.len();
        for (told, (other, its)) in before.iter().map(|at| ranges[*at]).enumerate() {
            let template = if more > 0 && told + 1 == MOST_TOLD {
                "{range} for VLAN {vlan} and {other} for VLAN {its}, and {more} more, claim the same addresses"
            } else {
                "{range} for VLAN {vlan} and {other} for VLAN {its} claim the same addresses"
            };
            let violation = Violation::of(settings::ADDRESS_RANGES.id, template)
                .fact("range", range.to_string())
                .fact("other", other.to_string())
                .fact("vlan", u32::from(vlan.get()))
                .fact("its", u32::from(its.get()))
                .vlan(Some(vlan));
            let violation = if more > 0 { violation.fact("more", more as u32) } else { violation };
            wrong.push(((range, vlan), violation));
        }
    }
    on.tell(wrong)
}

/// For each range the first of those written before it that claim some of its addresses for another VLAN, and how many there are.
fn clashes(ranges: &[(StationRange, VlanId)]) -> Vec<(Vec<usize>, usize)> {
    let mut clashes: Vec<(Vec<usize>, usize)> = vec![Default::default(); ranges.len()];
    let mut by_begin: Vec<usize> = (0..ranges.len()).collect();
    sorted::by_key(&mut by_begin, |at| ranges[*at].0.from);
    for (i, one) in by_begin.iter().enumerate() {
        let (range, vlan) = ranges[*one];
        let reached = by_begin[i + 1..].iter().take_while(|other| ranges[**other].0.from <= range.to);
        for other in reached.filter(|other| ranges[**other].1 != vlan) {
            let (first, count) = &mut clashes[*one.max(other)];
            let before = *one.min(other);
            let place = first.partition_point(|there| *there < before);
            if place < MOST_TOLD {
                first.insert(place, before);
                first.truncate(MOST_TOLD);
            }
            *count += 1;
        }
    }
    clashes
}

impl SwitchView<'_> {
    /// What is wrong about ranges, each with the line that brought it.
    fn tell(&self, wrong: Vec<((StationRange, VlanId), Violation)>) -> Judgement {
        let (ranges, violations): (Vec<_>, Vec<_>) = wrong.into_iter().unzip();
        let lines = self.resolved().lines_that_brought(None, settings::ADDRESS_RANGES.id, Value::ranges, &ranges);
        let mut tally = Tally::default();
        violations.into_iter().zip(lines).for_each(|(violation, line)| tally.add(Ok(Some(violation.line(line)))));
        tally.judgement()
    }
}
