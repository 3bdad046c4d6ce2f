//! A switch of Skerry written in other structures: each line a whole path, lines that name all ports they are about, a row for each port.

use std::fmt::Write as _;

use super::skerry;

/// How the language is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Form {
    Braces,
    Paths,
    Lists,
    Rows,
}

/// A statement with what stands in its braces, or none of both.
struct Block<'t> {
    opener: &'t str,
    inside: Vec<&'t str>,
}

impl Form {
    /// The dialect in this structure.
    pub(crate) fn dialect(self) -> String {
        let braces = "structure = \"braces\"\nend = \";\"";
        let dialect = skerry::DIALECT.replace(
            braces,
            match self {
                Self::Braces => braces,
                Self::Paths | Self::Lists => "structure = \"paths\"\nverb = \"lay\"",
                Self::Rows => "structure = \"indent\"",
            },
        );
        match self {
            Self::Braces => dialect,
            Self::Paths | Self::Lists => dialect.replace("[\"skerry <name:word>\"]", "[\"lay skerry <name:word>\"]"),
            Self::Rows => {
                let of_blocks = dialect.find("[[rule]]\nin = [\"shape\", \"quay\"]").unwrap_or(dialect.len());
                let rules = dialect[..of_blocks].split_inclusive('\n');
                let kept = rules.filter(|line| !line.starts_with("\"shape ") && !line.starts_with("\"quay "));
                kept.chain([ROWS]).collect()
            }
        }
    }

    /// A text in braces in this structure.
    pub(crate) fn of(self, braces: String) -> String {
        if self == Self::Braces {
            return braces;
        }
        let (mut text, blocks) = (String::with_capacity(braces.len()), blocks(&braces));
        // What is said of ports, with those of which it is, in the order in which it is said first.
        let mut said: Vec<(&str, Vec<&str>)> = Vec::new();
        for Block { opener, inside } in &blocks {
            let port = opener.strip_prefix("quay ");
            match (self, port) {
                (Self::Rows, Some(port)) => row(&mut text, port, inside),
                (Self::Rows, None) if opener.starts_with("shape ") => {}
                (Self::Rows, None) => {
                    let _ = writeln!(text, "{opener}");
                    inside.iter().for_each(|line| _ = writeln!(text, "  {line}"));
                }
                (Self::Lists, Some(port)) => {
                    for line in inside {
                        match said.iter_mut().find(|(said, _)| said == line) {
                            Some((_, ports)) => ports.push(port),
                            None => said.push((line, vec![port])),
                        }
                    }
                }
                _ if inside.is_empty() => _ = writeln!(text, "lay {opener}"),
                _ => inside.iter().for_each(|line| _ = writeln!(text, "lay {opener} {line}")),
            }
        }
        said.iter().for_each(|(line, ports)| _ = writeln!(text, "lay quay {} {line}", ports.join(",")));
        text
    }
}

fn blocks(text: &str) -> Vec<Block<'_>> {
    let mut blocks: Vec<Block<'_>> = Vec::new();
    let mut is_inside = false;
    for line in text.lines().map(|line| line.trim().trim_end_matches(';')) {
        match (line.strip_suffix(" {"), line, is_inside) {
            (Some(opener), ..) => {
                blocks.push(Block { opener, inside: Vec::new() });
                is_inside = true;
            }
            (None, "}", _) => is_inside = false,
            (None, line, true) => blocks.last_mut().into_iter().for_each(|block| block.inside.push(line)),
            (None, opener, false) => blocks.push(Block { opener, inside: Vec::new() }),
        }
    }
    blocks
}

/// All that is said of a port, in the order of the row's parts.
fn row(text: &mut String, port: &str, inside: &[&str]) {
    let with = |front: &str| inside.iter().find_map(|line| line.strip_prefix(front));
    let is = |line: &str| inside.contains(&line);
    let guarded = is("follows guarded");
    let _ = write!(text, "quay {port} {}", with("note ").unwrap_or("\"\""));
    let knows: Vec<&str> = inside.iter().filter_map(|line| line.strip_prefix("knows ")?.split(' ').next()).collect();
    let parts = [
        ("joins ", with("joins ").map(|vlan| format!("one {vlan}"))),
        ("carries ", with("carries ").map(|list| format!("many {list}"))),
        ("voice ", with("voice ").map(str::to_owned)),
        ("phone ", with("phone told dscp ").map(|dscp| format!("told {dscp}"))),
        ("count ", with("count to ").map(|limit| format!("to {}", limit.replace(" else", "")))),
        ("forgets ", with("count forgets ").map(str::to_owned)),
        ("knows ", (!knows.is_empty()).then(|| knows.join(","))),
        ("squall ", with("squall ").map(|rates| rates.replace(" and", ""))),
        ("leases ", with("leases ").map(|pace| pace.replace(" a second", ""))),
        ("flaps ", with("flaps ").map(|flaps| format!("watched {}", flaps.replace("in ", "").replace("hold ", "")))),
        ("sealed ", is("sealed").then(|| "yes".to_owned())),
        ("only ", is("only bare").then(|| "bare".to_owned())),
        ("edge ", (guarded || is("edge")).then(|| "yes".to_owned())),
        ("bridges ", (guarded || is("stop bridges")).then(|| "stop".to_owned())),
        ("routers ", (guarded || is("stop routers")).then(|| "stop stop".to_owned())),
        ("loops ", is("probe loops").then(|| "probe".to_owned())),
        ("root ", is("keep root").then(|| "kept".to_owned())),
        ("silence ", is("keep loops").then(|| "kept".to_owned())),
        ("lessor ", is("lessor").then(|| "yes".to_owned())),
        ("blind ", is("blind seal").then(|| "seal".to_owned())),
        ("speed ", with("speed ").map(str::to_owned)),
        ("feeds ", with("feeds ").map(str::to_owned)),
    ];
    for (front, told) in parts {
        told.into_iter().for_each(|told| _ = write!(text, " {front}{told}"));
    }
    text.push('\n');
}

const ROWS: &str = r#"[[rule]]
pattern = "quay <p:ports> <d:text> [joins <one:(one=access)> <v:vlan>] [carries <many:(many=trunk)> <c:vlans> bare <b:vlan>] [voice <w:vlan>] [phone <told:(told=tagged)> <dscp:int>] [count <on:(to=true)> <n:int> <a:(ignore=drop|tell=drop-and-report|seal=disable-port)>] [forgets <age:duration>] [knows <s:stations>] [squall <sb:rate> <sm:rate>] [leases <pace:pps>] [flaps <fon:(watched=true)> <fc:int> <fw:int> <fh:int>] [sealed <off:(yes=false)>] [only <frames:(bare=untagged)>] [edge <e:(yes=edge)>] [bridges <g:(stop=true)>] [routers <r:(stop=true)> <q:(stop=true)>] [loops <l:(probe=true)>] [root <k:(kept=true)>] [silence <i:(kept=true)>] [lessor <t:(yes=true)>] [blind <u:(seal=disable-port)>] [speed <x:speed>] [feeds <pw:watts>]"
ports = "<p>"
sets = { "port.description" = "<d>", "port.mode" = ["<one>", "<many>"], "port.access-vlan" = "<v>", "port.tagged-vlans" = "<c>", "port.native-vlan" = "<b>", "port.voice-vlan" = "<w>", "voice.announcement" = "<told>", "voice.dscp" = "<dscp>", "port-security.enabled" = "<on>", "port-security.limit" = "<n>", "port-security.action" = "<a>", "port-security.aging" = "<age>", "storm.broadcast" = "<sb>", "storm.multicast" = "<sm>", "dhcp-snooping.rate-limit" = "<pace>", "flap.enabled" = "<fon>", "flap.threshold" = "<fc>", "flap.window" = "<fw>", "flap.hold" = "<fh>", "port.enabled" = "<off>", "port.acceptable-frames" = "<frames>", "fast-start.mode" = "<e>", "guard.bpdu" = "<g>", "ipv6-guard.advertisements-blocked" = "<r>", "ipv6-guard.servers-blocked" = "<q>", "guard.loop-detection" = "<l>", "guard.root" = "<k>", "guard.loop" = "<i>", "dhcp-snooping.trusted" = "<t>", "unidirectional.mode" = "<u>", "port.speed" = "<x>", "power.limit" = "<pw>" }
adds = { "port-security.pinned-stations" = "<s>" }
"#;
