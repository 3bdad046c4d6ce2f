//! Pages made from the core's own rows: they are compared here, and written with `YELLOWLEGS_RENEW=1`.

use std::fmt::Write as _;

use crate::support::compare;
use yellowlegs_core::check::{Check, Example, FAMILIES};
use yellowlegs_core::dialect::HoleType;
use yellowlegs_core::model::{FactKind, Scope, SettingId, TraitId};
use yellowlegs_core::policy::{Site, expectations};

/// A page for each family, and one that lists them.
#[test]
fn the_pages_of_checks() {
    let mut index = String::from(
        "# The checks\n\nMade from the catalogue; `yellowlegs checks ID` says the same of one. A check is `met`, `violated`, \
         `undetermined` (a fact it needs\nis missing: it says which), `waived` or `not-applicable`.\n\n| family | checks | |\n|---|---|---|\n",
    );
    for family in FAMILIES {
        let Some(first) = family.first() else { continue };
        let name = first.family();
        let ids: Vec<&str> = family.iter().map(|c| c.id.split_once('/').map_or(c.id, |(_, name)| name)).collect();
        let _ = writeln!(index, "| [{name}](checks/{name}.md) | {} | {} |", family.len(), ids.join(", "));
        compare(&format!("docs/checks/{name}.md"), &of_family(name, family));
    }
    compare("docs/checks.md", &index);
}

fn of_family(name: &str, family: &[Check]) -> String {
    let mut page = format!("# {name}\n\nMade from the catalogue. [All families](../checks.md).\n");
    for check in family {
        let _ = write!(page, "\n## {}\n\n*{}*, violated when {}.", check.id, check.level.word(), check.title);
        if check.is_fleet() {
            page.push_str(" Looks across the fleet.");
        }
        let _ = write!(page, "\n\n{}\n\n**Do:** {}\n\n", check.why, check.remedy.replace(['{', '}'], "*"));
        let mut row = |name: &str, items: &[&str]| {
            if !items.is_empty() {
                let _ = writeln!(page, "- {name}: {}", items.join(", "));
            }
        };
        row("needs", check.needs);
        row("uses", check.uses);
        row("policy", check.policy);
        row("says it in place of", check.absorbs);
        row("says nothing where it is said by", &check.yields_to().collect::<Vec<_>>());
        row("reference", &[check.reference]);
        match check.example() {
            Some(Example::Lines { settings, violating, right, .. }) => {
                let by = if settings.is_empty() { String::new() } else { format!(", by {}", settings.join(", ")) };
                let wrong =
                    if violating.is_empty() { "(none of the right lines)".to_owned() } else { violating.join("\n") };
                let _ = write!(
                    page,
                    "\nViolating{by}, in Shingle:\n\n```\n{wrong}\n```\n\nRight:\n\n```\n{}\n```\n",
                    right.join("\n")
                );
            }
            Some(Example::None { none, .. }) => {
                _ = write!(page, "\nNo line of a configuration shows it: it is {none}.\n");
            }
            None => {}
        }
    }
    page
}

#[test]
fn the_page_of_settings() {
    let mut page = String::from(
        "# Settings, traits and types\n\nEverything that a dialect can set; `yellowlegs dialect settings` says the same, \
         with the checks that need it.\n",
    );
    for (scope, title) in [
        (Scope::Port, "Settings of a port"),
        (Scope::Switch, "Settings of the switch"),
        (Scope::Vlan, "Settings of a VLAN"),
        (Scope::Mirror, "Settings of a mirror session"),
    ] {
        let _ = write!(page, "\n## {title}\n\n| setting | value | meaning |\n|---|---|---|\n");
        for info in SettingId::of(scope).map(SettingId::info) {
            let _ = writeln!(page, "| `{}` | {} | {} |", info.name, info.kind.describe(), info.meaning);
        }
    }
    page.push_str("\n## Facts of state\n\nWhat tables, stanzas and logs tell: `[[table]]` and `[[line]]` name a fact and fill its fields.\n");
    for info in FactKind::all().map(FactKind::info) {
        let _ = write!(page, "\n### {}\n\n{}\n\n| field | value | meaning |\n|---|---|---|\n", info.name, info.meaning);
        for field in info.fields {
            let _ = writeln!(page, "| `{}` | {} | {} |", field.name, field.kind.describe(), field.meaning);
        }
    }
    page.push_str("\n## Traits\n\nWhat is law on one platform and untrue on the next. Silent means unknown.\n\n| trait | words | meaning |\n|---|---|---|\n");
    for info in TraitId::all().map(TraitId::info) {
        let words = if info.many { format!("a list of {}", info.words.join(", ")) } else { info.words.join(" or ") };
        let _ = writeln!(page, "| `{}` | {words} | {} |", info.name, info.meaning);
    }
    page.push_str("\n## Types of holes\n\n| type | takes |\n|---|---|\n");
    for kind in HoleType::ALL {
        let _ = writeln!(page, "| `{}` | {} |", kind.name(), kind.meaning());
    }
    compare("docs/settings.md", &page);
}

#[test]
fn the_page_of_policy_values() {
    let mut page = String::from(
        "# Values of a policy\n\nEverything that checks call policy, with what holds where the policy is silent. \
         `yellowlegs policy show` prints the\nvalues in force. [The guide](policy.md) says how a policy is built.\n\n\
         ## The site's values\n\nKeys of `[site]`, beside `name` and `management`.\n\n| key | what | may be | when silent |\n|---|---|---|---|\n",
    );
    let site = Site::default();
    for (row, value, _) in site.shown() {
        let _ = writeln!(page, "| `{}` | {} | {} | {value} |", row.key, row.meaning, row.values);
    }
    page.push_str(
        "\n## Expectations of a role\n\nKeys of `[role.expect]`. Every other setting of ports may stand there too, with the value it should have: \
         see\n[the settings](settings.md).\n\n| key | may be | when silent |\n|---|---|---|\n",
    );
    for row in expectations() {
        let _ = writeln!(page, "| `{}` | {} | {} |", row.name, row.values, row.default);
    }
    compare("docs/policy-values.md", &page);
}
