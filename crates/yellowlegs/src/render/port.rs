//! One port, for people and as JSON.

use std::io::{self, Write};

use serde::Serialize;
use unicode_width::UnicodeWidthStr;
use yellowlegs_core::check::{FeatureNow, LinkNow, PortPage, SettingNow, StationNow};
use yellowlegs_core::finding::{Evidence, Finding, Related, Undecided};
use yellowlegs_core::model::Origin;
use yellowlegs_core::policy::RoleFrom;
use yellowlegs_core::sorted;

use super::look::Look;
use super::style::{BOLD, DIM, GOOD, PLACE, level, paint};
use super::{clean, place, shown, text as report, write_json};

/// A port's page with what the audit says of it.
pub(crate) struct Page {
    pub(crate) page: PortPage,
    pub(crate) findings: Vec<Finding>,
    pub(crate) undetermined: Vec<Undecided>,
    /// The other end of its link, and what each feature does there.
    pub(crate) other: Option<(Related, Vec<FeatureNow>)>,
}

#[derive(Serialize)]
struct Open<'a> {
    check: &'a str,
    needs: &'a [&'static str],
}

#[derive(Serialize)]
struct PageJson<'a> {
    #[serde(flatten)]
    page: &'a PortPage,
    findings: &'a [Finding],
    undetermined: Vec<Open<'a>>,
    other_end: Option<OtherEnd<'a>>,
    /// The plan that mends it, where it was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    mend: Option<serde_json::Value>,
}

#[derive(Serialize)]
struct OtherEnd<'a> {
    switch: &'a str,
    port: Option<&'a str>,
    features: &'a [FeatureNow],
}

/// As one object.
pub(crate) fn json(out: &mut dyn Write, page: &Page, mend: Option<serde_json::Value>) -> io::Result<()> {
    let open = page.undetermined.iter().map(|open| Open { check: open.check, needs: &open.needs });
    let other = page.other.as_ref();
    let other_end = other.map(|(end, features)| OtherEnd { switch: &end.switch, port: end.port.as_deref(), features });
    let Page { page, findings, .. } = page;
    write_json(out, &PageJson { page, findings, undetermined: open.collect(), other_end, mend })
}

/// For people: what it is, how it is, what is in force, who is there, what is wrong.
pub(crate) fn text(out: &mut dyn Write, page: &Page, look: &Look) -> io::Result<()> {
    let PortPage { switch, port, description, role, role_from, faces, .. } = &page.page;
    let words = description.as_deref().map(|d| format!("  \"{d}\"")).unwrap_or_default();
    writeln!(out, "{}{}", paint(BOLD, &clean(&format!("{switch} port {port}"))), clean(&words))?;
    let from = match role_from {
        Some(RoleFrom::Vlan) => "by VLAN and mode: it cannot judge them",
        Some(from) => super::role_from(*from),
        None => "no list, description, neighbour or VLAN tells one",
    };
    let role = role.as_deref().unwrap_or("no role");
    let faces = faces.map(|faces| format!(", faces {faces}")).unwrap_or_default();
    writeln!(out, "{}", clean(&format!("role {role} ({from}){faces}")))?;
    link(out, &page.page.link)?;
    people(out, &page.page)?;
    features(out, page)?;
    settings(out, &page.page.settings, look)?;
    log(out, &page.page)?;
    findings(out, page, look)
}

fn title(out: &mut dyn Write, words: &str) -> io::Result<()> {
    writeln!(out, "\n{}", paint(BOLD, words))
}

fn link(out: &mut dyn Write, link: &LinkNow) -> io::Result<()> {
    let since = link.since.map(|since| format!(" since {since}")).unwrap_or_default();
    let told = match (link.state, link.cause) {
        ("up", _) => paint(GOOD, "up"),
        ("held", Some(cause)) => paint(BOLD, &format!("HELD DOWN by {cause}")),
        ("unknown", _) => "nobody tells whether it is up".to_owned(),
        (state, _) => paint(BOLD, state),
    };
    title(out, "Link")?;
    writeln!(out, "  {told}{since}")?;
    quoted(out, &link.evidence)?;
    for (number, step) in link.steps.iter().enumerate() {
        writeln!(out, "  {}. {}", number + 1, clean(step))?;
    }
    if let Some(tree) = &link.tree {
        let root = if tree.root == Some(true) { ", leads to the root" } else { "" };
        writeln!(out, "  spanning tree: {}{root}", tree.state)?;
        quoted(out, &tree.evidence)?;
    }
    Ok(())
}

fn quoted(out: &mut dyn Write, lines: &[Evidence]) -> io::Result<()> {
    for line in lines {
        let place = place(line);
        writeln!(out, "    {}  {}", paint(PLACE, &place), clean(line.text.trim()))?;
    }
    Ok(())
}

/// Rows in columns as wide as their widest cell; the last is not padded.
fn columns(out: &mut dyn Write, rows: &[Vec<String>]) -> io::Result<()> {
    let count = rows.iter().map(Vec::len).max().unwrap_or_default();
    let width = |i: usize| rows.iter().filter_map(|row| row.get(i)).map(|cell| cell.width()).max().unwrap_or_default();
    let widths: Vec<usize> = (0..count).map(width).collect();
    for row in rows {
        let cells = row.iter().zip(&widths).map(|(cell, width)| {
            let pad = width.saturating_sub(cell.width());
            format!("{cell}{}", " ".repeat(pad))
        });
        writeln!(out, "  {}", cells.collect::<Vec<_>>().join("  ").trim_end())?;
    }
    Ok(())
}

fn people(out: &mut dyn Write, page: &PortPage) -> io::Result<()> {
    title(out, "Who is there")?;
    let mut rows: Vec<Vec<String>> = Vec::new();
    for StationNow { address, is, vlan, ip, lease, age, whose } in &page.stations {
        let vlan = vlan.map(|vlan| format!("VLAN {vlan}")).unwrap_or_default();
        let lease = lease.map(|left| format!(", {left} s left")).unwrap_or_default();
        let bound = ip.as_ref().map_or_else(|| "no binding".to_owned(), |ip| format!("{ip}{lease}"));
        let age = age.map(|age| format!("heard {age} s ago")).unwrap_or_default();
        rows.push(vec![address.clone(), is.clone(), vlan, bound, age, whose.clone().unwrap_or_default()]);
    }
    for told in &page.neighbours {
        let there = told.port.as_ref().map(|port| format!("its port {port}")).unwrap_or_default();
        rows.push(vec![told.name.clone(), format!("neighbour: {}", told.can.join(", ")), there, told.says.join(", ")]);
    }
    let rows: Vec<Vec<String>> =
        rows.into_iter().map(|row| row.iter().map(|cell| clean(cell).into_owned()).collect()).collect();
    if rows.is_empty() {
        writeln!(out, "  {}", paint(DIM, "nobody that the tables know"))?;
    }
    columns(out, &rows)?;
    if !page.counters.is_empty() {
        let counted: Vec<String> = page.counters.iter().map(|(name, value)| format!("{name} {value}")).collect();
        writeln!(out, "  {} {}", paint(DIM, "counted:"), counted.join(", "))?;
    }
    if !page.missing.is_empty() {
        writeln!(out, "  {} {}", paint(DIM, "not read:"), page.missing.join(", "))?;
    }
    Ok(())
}

fn told(feature: &FeatureNow) -> String {
    match &feature.told {
        Some(told) => told.clone(),
        None => format!("undetermined: needs {}", feature.needs.join(", ")),
    }
}

/// What each feature does; for a link the other end stands below where it differs.
fn features(out: &mut dyn Write, page: &Page) -> io::Result<()> {
    title(out, "In force")?;
    let width = page.page.features.iter().map(|f| f.feature.width()).max().unwrap_or_default();
    let other = page.other.as_ref();
    if let Some((end, _)) = other {
        let port = end.port.as_deref().unwrap_or_default();
        writeln!(out, "  {}", paint(DIM, &clean(&format!("the other end, {} port {port}, is marked >", end.switch))))?;
    }
    for feature in &page.page.features {
        let name = feature.feature;
        let mine = told(feature);
        writeln!(out, "  {}  {}", paint(BOLD, &format!("{name:width$}")), clean(&mine))?;
        let there = other.and_then(|(_, features)| features.iter().find(|there| there.feature == name));
        if let Some(there) = there.map(told) {
            let words = if there == mine { "the same".to_owned() } else { there };
            writeln!(out, "  {:width$}  {}", "", paint(DIM, &format!("> {}", clean(&words))))?;
        }
    }
    Ok(())
}

fn settings(out: &mut dyn Write, settings: &[SettingNow], look: &Look) -> io::Result<()> {
    title(out, "Settings, and what they would be without their line")?;
    let mut rows = vec![vec!["setting".into(), "in force".into(), "from".into(), "without it".into(), "line".into()]];
    let (written, silent): (Vec<&SettingNow>, Vec<&SettingNow>) = settings.iter().partition(|s| s.line.is_some());
    for SettingNow { name, value, origin, line, without } in written {
        let line = line.as_ref().map(|line| format!("{}  {}", place(line), line.text.trim())).unwrap_or_default();
        let without = without
            .as_ref()
            .map_or_else(String::new, |(value, origin)| format!("{} ({})", shown(value.as_ref()), origin.word()));
        let cells = [(*name).to_owned(), shown(value.as_ref()), origin.word().to_owned(), without, line];
        rows.push(cells.iter().map(|cell| clean(cell).into_owned()).collect());
    }
    columns(out, &rows)?;
    let (unknown, silent): (Vec<&SettingNow>, Vec<&SettingNow>) = silent.into_iter().partition(|s| s.value.is_none());
    if look.is_verbose() {
        for SettingNow { name, value, origin, .. } in &silent {
            writeln!(out, "  {name} {} {}", clean(&shown(value.as_ref())), paint(DIM, origin.word()))?;
        }
    } else if !silent.is_empty() {
        let by_default = silent.iter().filter(|s| s.origin == Origin::Default).count();
        let words = format!("{by_default} more by the platform's default; -v shows them");
        writeln!(out, "  {}", paint(DIM, &words))?;
    }
    if !unknown.is_empty() {
        let names: Vec<&str> = unknown.iter().map(|setting| setting.name).collect();
        writeln!(out, "  {} {}", paint(DIM, "unknown:"), names.join(", "))?;
    }
    Ok(())
}

fn log(out: &mut dyn Write, page: &PortPage) -> io::Result<()> {
    if page.events.is_empty() {
        return Ok(());
    }
    title(out, "Log")?;
    quoted(out, &page.events)
}

fn findings(out: &mut dyn Write, page: &Page, look: &Look) -> io::Result<()> {
    title(out, "Findings")?;
    if page.findings.is_empty() {
        writeln!(out, "  {}", paint(GOOD, "none"))?;
    }
    // The worst first: who reads this has somebody on the phone.
    let mut sorted: Vec<&Finding> = page.findings.iter().collect();
    sorted::by_key(&mut sorted, |found| (found.waiver.is_some(), found.level));
    sorted.into_iter().try_for_each(|found| report::finding(out, found, look))?;
    if !page.undetermined.is_empty() {
        title(out, "Undetermined")?;
        for open in &page.undetermined {
            writeln!(out, "  {}  {}", open.check, paint(DIM, &clean(&open.lacks())))?;
        }
    }
    let worst = page.findings.iter().filter(|found| found.waiver.is_none()).map(|found| found.level).min();
    if let Some(worst) = worst {
        writeln!(out, "\nworst: {}", paint(level(worst), worst.word()))?;
    }
    Ok(())
}
