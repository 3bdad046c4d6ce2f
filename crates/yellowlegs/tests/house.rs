//! The published schemas hold what is printed; dependencies have permissive licences and a reason.

use std::fs;
use std::path::{Path, PathBuf};

use crate::support::Fleet;
use serde_json::Value;

fn repository() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

fn hold(schema: &str, printed: &str) {
    let schema: Value =
        serde_json::from_str(&fs::read_to_string(repository().join("schemas").join(schema)).unwrap()).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let value: Value = serde_json::from_str(printed).unwrap();
    let problems: Vec<String> = validator.iter_errors(&value).map(|e| format!("{}: {e}", e.instance_path())).collect();
    assert!(problems.is_empty(), "{}", problems.join("\n"));
}

#[test]
fn the_report_is_what_its_schema_says() {
    let fleet = Fleet::demo();
    fleet.write("northquay/broken/config.txt", "tower 9\n");
    hold("report.schema.json", &fleet.run(&["audit", "--format", "json", "--raw", "--write", "before.json"]).out);
    fleet.edit("northquay/nq-desks-1/config.txt", "crowd ceiling 8", "crowd ceiling 3");
    let since = fleet.run(&["audit", "--format", "json", "--since", "before.json"]).out;
    assert!(since.contains("\"now\":\"gone\""));
    hold("report.schema.json", &since);
    hold("report.schema.json", &fleet.run(&["audit", "--format", "json", "--with-drills"]).out);
}

#[test]
fn records_are_what_their_schema_says() {
    let fleet = Fleet::demo();
    for switch in ["nq-desks-1", "nq-desks-2", "nq-gates-1"] {
        hold("record.schema.json", &fleet.run(&["read", "-q", &format!("northquay/{switch}/config.txt")]).out);
    }
    let guide = fs::read_to_string(repository().join("docs/records.md")).unwrap();
    let example = guide.split("```json").nth(1).and_then(|t| t.split("```").next()).unwrap();
    hold("record.schema.json", example);
    // The example of the guide is read, too.
    fleet.write("switches/nq-berth-1.json", example);
    let report = fleet.report(&["--switch", "nq-berth-1"]);
    assert_eq!(report["summary"]["ports"], 1);
}

/// Every dialect of the demo, and every one that the guide builds.
#[test]
fn dialects_are_what_their_schema_says() {
    let guide = fs::read_to_string(repository().join("docs/dialects.md")).unwrap();
    let mut dialects: Vec<String> = guide
        .split("```toml dialects/")
        .skip(1)
        .filter_map(|t| Some(t.split_once('\n')?.1.split("```").next()?.to_owned()))
        .collect();
    for name in ["shingle", "fathom"] {
        dialects.push(fs::read_to_string(repository().join(format!("demo/dialects/{name}.toml"))).unwrap());
    }
    assert!(dialects.len() > 5);
    for dialect in dialects {
        let value: Value = toml::from_str(&dialect).unwrap();
        hold("dialect.schema.json", &value.to_string());
    }
}

#[test]
fn the_policy_is_what_its_schema_says() {
    let guide = fs::read_to_string(repository().join("docs/policy.md")).unwrap();
    let example = guide.split("```toml").nth(1).and_then(|t| t.split("```").next()).unwrap().to_owned();
    for policy in [fs::read_to_string(repository().join("demo/yellowlegs.toml")).unwrap(), example] {
        let value: Value = toml::from_str(&policy).unwrap();
        hold("policy.schema.json", &value.to_string());
    }
}

fn metadata() -> Value {
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    let output = std::process::Command::new(cargo)
        .args([
            "metadata",
            "--format-version",
            "1",
            "--locked",
            "--offline",
            "--filter-platform",
            "x86_64-unknown-linux-gnu",
        ])
        .current_dir(repository())
        .output()
        .unwrap();
    serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{}", String::from_utf8_lossy(&output.stderr)))
}

#[test]
fn dependencies_are_permissive_and_explained() {
    const FINE: &[&str] = &[
        "MIT",
        "Apache-2.0",
        "Unlicense",
        "BSD-2-Clause",
        "BSD-3-Clause",
        "ISC",
        "Zlib",
        "CC0-1.0",
        "Unicode-3.0",
        "BSL-1.0",
        "0BSD",
        "MIT-0",
    ];
    let metadata = metadata();
    let reasons = fs::read_to_string(repository().join("docs/dependencies.md")).unwrap();
    for package in metadata["packages"].as_array().unwrap() {
        let (name, license) = (package["name"].as_str().unwrap(), package["license"].as_str().unwrap_or("none"));
        let all = license.split(" AND ").all(|part| {
            let ways = part.trim_matches(['(', ')']).split(" OR ").flat_map(|way| way.split('/'));
            ways.map(|way| way.trim().trim_end_matches(" WITH LLVM-exception").trim_matches(['(', ')']))
                .any(|way| FINE.contains(&way))
        });
        assert!(all, "{name} is under {license}");
        if !name.starts_with("yellowlegs") {
            continue;
        }
        for dependency in package["dependencies"].as_array().unwrap().iter().filter_map(|d| d["name"].as_str()) {
            let known = dependency.starts_with("yellowlegs") || reasons.contains(&format!("| {dependency} |"));
            assert!(known, "docs/dependencies.md does not say why {dependency} is here");
        }
    }
}

/// What the program is made of comes from one registry, and no crate of it twice: each pair is a choice that is written down here.
#[test]
fn dependencies_come_from_one_place_and_once() {
    const TWICE: &[(&str, &str)] = &[
        ("getrandom", "ring has not gone on from 0.2"),
        ("nix", "russh-cryptovec has 0.31, and ctrlc 0.32"),
        ("syn", "the derives of russh have not gone on from 2; only while it is built"),
    ];
    let metadata = metadata();
    let packages = metadata["packages"].as_array().unwrap();
    for package in packages {
        let source = package["source"].as_str();
        let known = source.is_none_or(|source| source == "registry+https://github.com/rust-lang/crates.io-index");
        assert!(known, "{} comes from {source:?}", package["name"]);
    }
    let id_of = |package: &Value| package["id"].as_str().unwrap_or_default().to_owned();
    let root = packages.iter().find(|package| package["name"] == "yellowlegs").map(id_of).unwrap();
    let nodes = metadata["resolve"]["nodes"].as_array().unwrap();
    let (mut open, mut reached) = (vec![root], std::collections::BTreeSet::new());
    while let Some(id) = open.pop() {
        if !reached.insert(id.clone()) {
            continue;
        }
        let node = nodes.iter().find(|node| id_of(node) == id).unwrap();
        let normal = |dep: &&Value| dep["dep_kinds"].as_array().unwrap().iter().any(|kind| kind["kind"].is_null());
        let deps = node["deps"].as_array().unwrap().iter().filter(normal);
        open.extend(deps.filter_map(|dep| dep["pkg"].as_str()).map(str::to_owned));
    }
    let mut names: Vec<&str> =
        packages.iter().filter(|p| reached.contains(&id_of(p))).filter_map(|p| p["name"].as_str()).collect();
    names.sort_unstable();
    let twice: Vec<&str> = names.windows(2).filter(|pair| pair[0] == pair[1]).map(|pair| pair[0]).collect();
    assert!(names.len() > 50, "only {} crates are reached", names.len());
    assert_eq!(twice, TWICE.iter().map(|(name, _)| *name).collect::<Vec<_>>());
}

#[test]
fn the_guides_lead_to_pages_that_are_there() {
    let pages = fs::read_dir(repository().join("docs")).unwrap().map(|e| e.unwrap().path());
    let pages = pages.chain(["README.md", "DESIGN.md", "CONTRIBUTING.md"].map(|p| repository().join(p)));
    for page in pages.filter(|p| p.extension().is_some_and(|e| e == "md")) {
        let text = fs::read_to_string(&page).unwrap();
        for link in text.split("](").skip(1).filter_map(|t| t.split(')').next()) {
            let file = link.split('#').next().unwrap_or_default();
            let there = file.is_empty() || link.starts_with("http") || page.parent().unwrap().join(file).exists();
            assert!(there, "{} leads to {link}", page.display());
        }
    }
}
