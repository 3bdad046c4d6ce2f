//! What somebody would use instead, on the same files in the same run: six checks in a script, and a search for twenty words. Whole
//! processes, in turn; of some runs the median counts.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::fleet;
use crate::measure::{RUNS, Spent, measured};

const PYTHON: &str = include_str!("rivals/six.py");
const AWK: &str = include_str!("rivals/six.awk");
const SQL: &str = include_str!("rivals/six_sql.py");

/// Twenty words that an engineer looks for.
const WORDS: &str = "bundle|single|asleep|believed|quickly|ceiling|forget|kept|gale|pace|flutter|glass|speech|lane|echo|crown|stranger|calls|watch|feeds";

/// A rival: what it is called, how one learns that it is there, and how it is run on a folder.
struct Rival {
    name: &'static str,
    program: &'static str,
    probe: &'static [&'static str],
    words: Vec<PathBuf>,
}

impl Rival {
    fn is_there(&self) -> bool {
        Command::new(self.program).args(self.probe).output().is_ok_and(|told| told.status.success())
    }
}

/// Prints what each takes on a fleet of unlike ports, and how often the audit's time that is.
pub(crate) fn rivals(program: &Path, audit: &Path, size: usize) -> io::Result<()> {
    let work = tempfile::tempdir()?;
    let folder = work.path().join("fleet");
    let written = fleet::write(&folder, size, fleet::Wanted::default())?;
    let [python, awk, sql, list, ports] =
        ["six.py", "six.awk", "six_sql.py", "list", "ports.json"].map(|name| work.path().join(name));
    fs::write(&python, PYTHON)?;
    fs::write(&awk, AWK)?;
    fs::write(&sql, SQL)?;
    let texts: Vec<String> = fleet::texts(&folder)?.into_iter().map(|path| path.display().to_string()).collect();
    fs::write(&list, texts.join("\n"))?;
    let shell = format!("xargs -a {} mawk -f {}", list.display(), awk.display());
    // Into a pipe: where nobody reads what it prints it ends with the first line that fits.
    let counted = format!("grep -r -c -E '{WORDS}' {} | cat", folder.display());
    let words = |words: &[&str]| words.iter().map(PathBuf::from).collect::<Vec<_>>();
    let of = |name, program, words| Rival { name, program, probe: &["--version"], words };
    let database = Rival {
        probe: &["-c", "import duckdb"],
        ..of(
            "DuckDB over JSON of the ports, six checks, two threads",
            "python3",
            vec![sql.clone(), "ask".into(), ports.clone()],
        )
    };
    if database.is_there() {
        Command::new("python3").args([&sql, Path::new("prepare"), &folder, &ports]).status()?;
    }
    let folder_words = |before: &[&str]| words(before).into_iter().chain([folder.clone()]).collect::<Vec<_>>();
    let all = [
        of("python, six checks", "python3", vec![python, folder.clone()]),
        database,
        Rival { probe: &["-c", "command -v mawk"], ..of("mawk, six checks", "sh", words(&["-c", &shell])) },
        of("ripgrep, twenty words, two threads", "rg", folder_words(&["-j2", "-c", WORDS])),
        Rival { probe: &["-c", "command -v grep"], ..of("grep, twenty words", "sh", words(&["-c", &counted])) },
    ];
    let own = folder_words(&["audit", "--format", "csv", "--fail-on", "never", "-q", "--jobs", "2"]);
    let (mut audits, mut floors) = (Vec::new(), Vec::new());
    let all: Vec<Rival> = all.into_iter().filter(Rival::is_there).collect();
    let mut taken: Vec<Vec<Spent>> = all.iter().map(|_| Vec::new()).collect();
    for _ in 0..RUNS {
        audits.push(measured(audit, &own)?);
        floors.push(measured(program, &["floor".into(), folder.clone()])?);
        for (rival, taken) in all.iter().zip(&mut taken) {
            taken.push(measured(Path::new(rival.program), &rival.words)?);
        }
    }
    let megabytes = written.bytes as f64 / 1e6;
    let own = median(&mut audits);
    println!(
        "{size} switches, unlike: {megabytes:.0} MB; audit {:.2} s of processor, {:.2} s by the clock",
        own.time, own.clock
    );
    let floor = ("the floor", median(&mut floors));
    let rivals = all.iter().zip(&mut taken);
    for (name, spent) in [floor].into_iter().chain(rivals.map(|(rival, taken)| (rival.name, median(taken)))) {
        println!(
            "  {name}: {:.2} s of processor, {:.2} s by the clock; the audit takes {:.2} times its processor time, {:.2} by the clock",
            spent.time,
            spent.clock,
            own.time / spent.time,
            own.clock / spent.clock
        );
    }
    Ok(())
}

fn median(spent: &mut [Spent]) -> Spent {
    spent.sort_by(|a, b| a.time.total_cmp(&b.time));
    spent[spent.len() / 2]
}
