//! The guide to dialects, run: every file it shows is read, every command it shows prints what stands there.

use std::fs;
use std::path::Path;

use crate::support;
use crate::support::Fleet;

/// A block of the guide: its kind and name, its first line, its lines.
struct Block {
    info: String,
    from: usize,
    lines: Vec<String>,
}

fn blocks(page: &str) -> Vec<Block> {
    let mut blocks: Vec<Block> = Vec::new();
    let mut open = false;
    for (number, line) in page.lines().enumerate() {
        if let Some(info) = line.strip_prefix("```") {
            open = !open;
            if open {
                blocks.push(Block { info: info.to_owned(), from: number + 1, lines: Vec::new() });
            }
        } else if open {
            blocks.last_mut().unwrap().lines.push(line.to_owned());
        }
    }
    blocks
}

#[test]
fn what_the_guide_shows_is_what_comes_out() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/dialects.md");
    let page = fs::read_to_string(&path).unwrap();
    let mut lines: Vec<String> = page.lines().map(str::to_owned).collect();
    let fleet = Fleet::empty();
    let mut printed: Vec<(usize, usize, Vec<String>)> = Vec::new();
    for block in blocks(&page) {
        if let Some((kind, file)) = block.info.split_once(' ') {
            assert!(["text", "toml"].contains(&kind), "{}", block.info);
            fleet.write(file, block.lines.join("\n") + "\n");
            if kind == "toml" {
                let test = fleet.run(&["dialect", "test", file, "-q"]);
                assert_eq!(test.code, 0, "{file}: {}{}", test.out, test.err);
            }
        } else if block.info == "console" {
            let mut shown = Vec::new();
            for command in block.lines.iter().filter(|l| l.starts_with("$ ")) {
                let words: Vec<&str> = command.split(' ').skip(2).collect();
                let ran = fleet.run(&words);
                assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{command}");
                shown.push(command.clone());
                shown.extend(ran.out.lines().map(|l| l.trim_end().to_owned()));
            }
            printed.push((block.from, block.lines.len(), shown));
        }
    }
    assert!(printed.len() >= 4);
    for (from, count, shown) in printed.into_iter().rev() {
        lines.splice(from..from + count, shown);
    }
    let made = lines.join("\n") + "\n";
    if std::env::var_os("YELLOWLEGS_RENEW").is_some() {
        fs::write(&path, &made).unwrap();
    }
    assert!(made == page, "docs/dialects.md shows something else: run the tests once with YELLOWLEGS_RENEW=1");
}

/// A fleet of the guide's systems, mixed: each text finds its own dialect.
#[test]
fn the_systems_of_the_guide_are_audited_together() {
    let page = fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/dialects.md")).unwrap();
    let fleet = Fleet::empty();
    for block in blocks(&page) {
        if let Some((_, file)) = block.info.split_once(' ')
            && !["part", "needs", "tern-state"].iter().any(|n| file == format!("dialects/{n}.toml"))
        {
            fleet.write(file, block.lines.join("\n") + "\n");
        }
    }
    fleet.write("yellowlegs.toml", "[files]\nstate = []\n");
    let report = fleet.report(&["."]);
    let told: Vec<(&str, &str, u64)> = support::list(&report, "switches")
        .iter()
        .map(|s| (support::text(s, "switch"), support::text(s, "dialect"), s["unread_lines"].as_u64().unwrap()))
        .collect();
    assert_eq!(told, [("d-1", "dunlin", 2), ("q-1", "gull", 0), ("s-1", "skua", 0), ("hall-1", "tern", 0)]);
    assert!(support::list(&report, "unreadable").is_empty());
}
