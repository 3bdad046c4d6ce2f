//! The station inventory: a CSV file (RFC 4180) with a heading, one station a row.

use std::collections::BTreeMap;

use crate::model::StationAddress;
use crate::source::{Place, Problem, Source};

/// The columns an inventory may have; the first must be there.
const COLUMNS: [&str; 5] = ["address", "kind", "role", "owner", "room"];

/// The stations of a site.
#[derive(Debug, Clone, Default)]
pub struct Inventory {
    stations: BTreeMap<StationAddress, Station>,
}

/// What is known of a station.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Station {
    /// What it is.
    pub kind: Option<String>,
    /// The role its port has.
    pub role: Option<String>,
    /// Whose it is.
    pub owner: Option<String>,
    /// Where it stands.
    pub room: Option<String>,
}

impl Inventory {
    /// Reads an inventory; all that is wrong with it is told at once, by place and never by content: the file may be one
    /// that the policy had no business to name.
    pub fn parse(source: &Source) -> Result<Self, Vec<Problem>> {
        let mut problems = Vec::new();
        let mut tell = |line: u32, what: String, hint: &str| {
            let place = Place { file: source.path().clone(), line, column: 1 };
            problems.push(Problem { place, what, hint: Some(hint.to_owned()) });
        };
        let mut reader =
            csv::ReaderBuilder::new().trim(csv::Trim::All).flexible(true).from_reader(source.text().as_bytes());
        let heading: Vec<String> =
            reader.headers().map(|row| row.iter().map(str::to_ascii_lowercase).collect()).unwrap_or_default();
        for (number, _) in heading.iter().enumerate().filter(|(_, name)| !COLUMNS.contains(&name.as_str())) {
            let what = format!("the name of column {} is none of an inventory's", number + 1);
            tell(1, what, "columns are address, kind, role, owner, room");
        }
        let Some(address) = heading.iter().position(|name| name == "address") else {
            tell(
                1,
                "the inventory has no column `address`".into(),
                "the first line names the columns: address,kind,role,owner,room",
            );
            return Err(problems);
        };
        let mut stations = BTreeMap::new();
        for record in reader.records() {
            let row = match record {
                Ok(row) => row,
                Err(error) => {
                    let line = error.position().map_or(1, csv::Position::line) as u32;
                    tell(line, "this is no row of a CSV file".to_owned(), "see RFC 4180");
                    continue;
                }
            };
            let line = row.position().map_or(1, csv::Position::line) as u32;
            let cell = |name: &str| {
                let at = heading.iter().position(|column| column == name)?;
                row.get(at).filter(|cell| !cell.is_empty()).map(str::to_owned)
            };
            match StationAddress::parse(row.get(address).unwrap_or_default()) {
                Ok(found) => {
                    let station =
                        Station { kind: cell("kind"), role: cell("role"), owner: cell("owner"), room: cell("room") };
                    if stations.insert(found, station).is_some() {
                        tell(line, "this station is there twice".to_owned(), "leave one row for each station");
                    }
                }
                Err(_) => {
                    tell(line, "the address is none of a station".to_owned(), "write for example 02:00:5e:10:00:01");
                }
            }
        }
        if problems.is_empty() { Ok(Self { stations }) } else { Err(problems) }
    }

    /// What is known of a station; `None`: it is not listed.
    pub fn get(&self, station: StationAddress) -> Option<&Station> {
        self.stations.get(&station)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::right("address,kind,room\n02:00:5e:10:00:01,phone,12\n0200.5e10.0002,\"desk, old\",\n", &[])]
    #[case::no_column("kind\nphone\n", &["1: the inventory has no column `address`"])]
    #[case::other_column("address,colour\n", &["1: the name of column 2 is none of an inventory's"])]
    #[case::no_station("address\n02:00:5e:10:00:01\nsoon\n", &["3: the address is none of a station"])]
    #[case::twice("address\n02:00:5e:10:00:01\n02-00-5e-10-00-01\n", &["3: this station is there twice"])]
    #[case::empty("", &["1: the inventory has no column `address`"])]
    fn what_is_wrong_is_told(#[case] text: &str, #[case] expected: &[&str]) {
        let told = Inventory::parse(&Source::of("stations.csv", text)).err().unwrap_or_default();
        let told: Vec<String> = told.iter().map(|p| format!("{}: {}", p.place.line, p.what)).collect();
        assert_eq!(told, expected);
    }

    #[test]
    fn cells_are_kept() {
        let text = "Address , Kind,owner\n02:00:5e:10:00:01,\"phone, old\", crew\n";
        let inventory = Inventory::parse(&Source::of("stations.csv", text)).ok().unwrap();
        let station = inventory.get(StationAddress::parse("02:00:5e:10:00:01").ok().unwrap()).unwrap();
        assert_eq!((station.kind.as_deref(), station.owner.as_deref()), (Some("phone, old"), Some("crew")));
    }
}
