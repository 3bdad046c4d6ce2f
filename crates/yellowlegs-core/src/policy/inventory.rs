//! The station inventory: a CSV file (RFC 4180) with a heading, one station a row.

use std::collections::BTreeMap;

use crate::model::{Remark, StationAddress};
use crate::sorted;
use crate::source::{Place, Problem, Source};

/// What an inventory may tell, each in a column; the first must be there.
pub(super) const COLUMNS: [&str; 5] = ["address", "kind", "role", "owner", "room"];

/// What the policy says of the inventory.
#[derive(Debug, Clone, Default)]
pub struct InventoryFile {
    /// Where it is, from the fleet's root.
    pub path: String,
    /// The headings of its columns, by what they tell; the others are called as in [`COLUMNS`].
    pub columns: BTreeMap<&'static str, String>,
}

impl InventoryFile {
    /// The heading of a column.
    fn heading(&self, tells: &'static str) -> &str {
        self.columns.get(tells).map_or(tells, String::as_str)
    }
}

/// The stations of a site.
#[derive(Debug, Clone, Default)]
pub struct Inventory {
    stations: BTreeMap<StationAddress, Station>,
    /// What was passed over.
    remarks: Vec<Remark>,
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
    /// that the policy had no business to name. Columns that nobody named are passed over, with a remark.
    pub fn parse(source: &Source, file: &InventoryFile) -> Result<Self, Vec<Problem>> {
        let mut problems = Vec::new();
        let mut tell = |line: u32, what: String, hint: &str| {
            let place = Place { file: source.path().clone(), line, column: 1 };
            problems.push(Problem { place, what, hint: Some(hint.to_owned()) });
        };
        let mut reader =
            csv::ReaderBuilder::new().trim(csv::Trim::All).flexible(true).from_reader(source.text().as_bytes());
        let heading: Vec<String> =
            reader.headers().map(|row| row.iter().map(str::to_lowercase).collect()).unwrap_or_default();
        let mut columns: BTreeMap<&str, usize> = BTreeMap::new();
        for tells in COLUMNS {
            let wanted = file.heading(tells).trim().to_lowercase();
            let mut found = heading.iter().enumerate().filter(|(_, name)| **name == wanted).map(|(at, _)| at);
            match found.next() {
                Some(at) => _ = columns.insert(tells, at),
                None if tells == "address" || file.columns.contains_key(tells) => tell(
                    1,
                    format!("the inventory has no column `{}`", file.heading(tells)),
                    "the first line names the columns: address,kind,role,owner,room, or what `columns` in `[inventory]` calls them",
                ),
                None => {}
            }
            if let Some(at) = found.next() {
                tell(1, format!("column {} is called like one before it", at + 1), "leave one of them");
            }
        }
        let Some(&address) = columns.get("address") else { return Err(problems) };
        let used: sorted::Set<usize> = sorted::set(columns.values().copied());
        let remarks = (0..heading.len()).filter(|at| !used.contains(at)).map(|at| Remark {
            about: "inventory".to_owned(),
            file: Some(source.path().to_string()),
            line: Some(1),
            text: format!("column {} is passed over: nobody says what it tells (`columns` in `[inventory]`)", at + 1),
        });
        let remarks = remarks.collect();
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
                let at = *columns.get(name)?;
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
        if problems.is_empty() { Ok(Self { stations, remarks }) } else { Err(problems) }
    }

    /// What is known of a station; `None`: it is not listed.
    pub fn get(&self, station: StationAddress) -> Option<&Station> {
        self.stations.get(&station)
    }

    /// What of the file was passed over.
    pub fn remarks(&self) -> &[Remark] {
        &self.remarks
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::right("address,kind,room\n02:00:5e:10:00:01,phone,12\n0200.5e10.0002,\"desk, old\",\n", "", &[])]
    #[case::no_column("kind\nphone\n", "", &["1: the inventory has no column `address`"])]
    #[case::no_station("address\n02:00:5e:10:00:01\nsoon\n", "", &["3: the address is none of a station"])]
    #[case::twice("address\n02:00:5e:10:00:01\n02-00-5e-10-00-01\n", "", &["3: this station is there twice"])]
    #[case::empty("", "", &["1: the inventory has no column `address`"])]
    #[case::named("Asset,MAC\n7,02:00:5e:10:00:01\n", "address = MAC", &[])]
    #[case::named_otherwise("address\n02:00:5e:10:00:01\n", "address = MAC", &["1: the inventory has no column `MAC`"])]
    #[case::named_and_not_there("address\n02:00:5e:10:00:01\n", "kind = What", &["1: the inventory has no column `What`"])]
    #[case::one_name_twice("address,kind,Kind\n02:00:5e:10:00:01,a,b\n", "", &["1: column 3 is called like one before it"])]
    #[case::of_a_spreadsheet("\u{feff}address,kind\r\n02:00:5e:10:00:01,phone\r\n", "", &[])]
    fn what_is_wrong_is_told(#[case] text: &str, #[case] columns: &str, #[case] expected: &[&str]) {
        let told = Inventory::parse(&Source::of("stations.csv", text), &file(columns)).err().unwrap_or_default();
        let told: Vec<String> = told.iter().map(|p| format!("{}: {}", p.place.line, p.what)).collect();
        assert_eq!(told, expected);
    }

    #[rstest]
    #[case::as_called("Address , Kind,owner\n02:00:5e:10:00:01,\"phone, old\", crew\n", "", &[])]
    #[case::named("Tag,STATION,Was ist es,Wem\n7,02:00:5e:10:00:01,\"phone, old\",crew\n",
        "address = station, kind = was ist es, owner = Wem", &[1])]
    // What another column is named for is not read from the one that is called so.
    #[case::called_and_named("kind,type,address,owner\ndesk,\"phone, old\",02:00:5e:10:00:01,crew\n", "kind = type", &[1])]
    #[case::more_than_is_known("address,owner,kind,colour,\n02:00:5e:10:00:01,crew,\"phone, old\",blue,\n", "", &[4, 5])]
    fn cells_are_kept(#[case] text: &str, #[case] columns: &str, #[case] passed_over: &[usize]) {
        let inventory = Inventory::parse(&Source::of("stations.csv", text), &file(columns)).ok().unwrap();
        let station = inventory.get(StationAddress::parse("02:00:5e:10:00:01").ok().unwrap()).unwrap();
        assert_eq!((station.kind.as_deref(), station.owner.as_deref()), (Some("phone, old"), Some("crew")));
        let remarks: Vec<&str> = inventory.remarks().iter().map(|remark| remark.text.as_str()).collect();
        let expected: Vec<String> = passed_over.iter().map(|at| format!("column {at} is passed over")).collect();
        assert!(
            remarks.len() == expected.len() && remarks.iter().zip(&expected).all(|(r, e)| r.starts_with(e)),
            "{remarks:?}"
        );
    }

    /// What a policy says, from `address = MAC, kind = What`.
    fn file(columns: &str) -> InventoryFile {
        let pairs = columns.split(',').filter_map(|pair| pair.split_once('='));
        let named = |(tells, name): (&str, &str)| {
            (COLUMNS.into_iter().find(|column| *column == tells.trim()).unwrap(), name.trim().to_owned())
        };
        InventoryFile { path: "stations.csv".into(), columns: pairs.map(named).collect() }
    }
}
