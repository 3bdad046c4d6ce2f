//! Where the ports of a switch sit on its front panel: rows of two, odd numbers above even ones.

use yellowlegs_core::finding::PortShown;
use yellowlegs_core::model::numbered;

/// A port and the number its name ends with.
type Numbered<'p> = (u64, &'p PortShown);

/// Two ports, one above the other.
pub(crate) type Column<'p> = [Option<&'p PortShown>; 2];

/// Ports whose names begin alike.
#[derive(Debug)]
pub(crate) struct Group<'p> {
    /// What their names begin with.
    pub(crate) front: &'p str,
    /// From left to right. A column without ports is left out.
    pub(crate) columns: Vec<Column<'p>>,
}

impl<'p> Group<'p> {
    /// What a port is labelled with inside the group: its number, or its name.
    pub(crate) fn label(&self, port: &'p PortShown) -> &'p str {
        port.name.as_str().strip_prefix(self.front).unwrap_or_default()
    }
}

/// The groups of a panel in the order of their first ports.
pub(crate) fn groups(ports: &[PortShown]) -> Vec<Group<'_>> {
    let mut fronts: Vec<(Option<&str>, Vec<Numbered<'_>>)> = Vec::new();
    for port in ports {
        let (front, number) = match numbered(port.name.as_str()) {
            Some((front, number)) => (Some(front), number),
            None => (None, 0),
        };
        match fronts.iter_mut().find(|(other, _)| *other == front) {
            Some((_, ports)) => ports.push((number, port)),
            None => fronts.push((front, vec![(number, port)])),
        }
    }
    let group = |(front, ports)| match front {
        Some(front) => Group { front, columns: paired(ports) },
        None => Group { front: "", columns: ports.into_iter().map(|(_, port)| [Some(port), None]).collect() },
    };
    fronts.into_iter().map(group).collect()
}

/// Numbers from 1 (or from 0, where there is one) in columns of two.
fn paired(ports: Vec<Numbered<'_>>) -> Vec<Column<'_>> {
    let base = u64::from(ports.iter().all(|(number, _)| *number > 0));
    let mut columns: Vec<(u64, Column<'_>)> = Vec::new();
    for (number, port) in ports {
        let (column, row) = ((number - base) / 2, usize::from((number - base) % 2 == 1));
        match columns.last_mut() {
            Some((last, slots)) if *last == column && slots[row].is_none() => slots[row] = Some(port),
            _ => {
                let mut slots: Column<'_> = [None, None];
                slots[row] = Some(port);
                columns.push((column, slots));
            }
        }
    }
    columns.into_iter().map(|(_, slots)| slots).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use yellowlegs_core::finding::Standing;
    use yellowlegs_core::model::PortName;

    fn drawn(names: &[&str]) -> String {
        let port = |name: &&str| PortShown {
            position: 0,
            name: PortName::new(*name),
            role: None,
            description: None,
            standing: Standing::Clean,
        };
        let ports: Vec<PortShown> = names.iter().map(port).collect();
        let slot = |group: &Group<'_>, port: Option<&PortShown>| {
            port.and_then(|p| p.name.as_str().strip_prefix(group.front)).unwrap_or("-").to_owned()
        };
        let group = |group: &Group<'_>| {
            let columns = group.columns.iter().map(|[up, down]| slot(group, *up) + "/" + &slot(group, *down));
            format!("{}: {}", group.front, columns.collect::<Vec<_>>().join(" "))
        };
        groups(&ports).iter().map(group).collect::<Vec<_>>().join("; ")
    }

    #[rstest]
    #[case(&["1.1", "1.2", "1.3", "1.4", "1.5"], "1.: 1/2 3/4 5/-")]
    #[case(&["0/0", "0/1", "0/2"], "0/: 0/1 2/-")]
    #[case(&["a:1", "a:2", "b:1", "b:9"], "a:: 1/2; b:: 1/- 9/-")]
    #[case(&["1.4", "1.9"], "1.: -/4 9/-")]
    #[case(&["p01", "p1", "p2"], "p: 01/- 1/2")]
    #[case(&["north", "south", "7"], ": north/- south/-; : 7/-")]
    #[case(&["p99999999999999999999"], ": p99999999999999999999/-")]
    #[case(&[], "")]
    fn odd_above_even(#[case] names: &[&str], #[case] expected: &str) {
        assert_eq!(drawn(names), expected);
    }
}
