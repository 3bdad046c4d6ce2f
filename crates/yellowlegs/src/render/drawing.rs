//! Front panels as pictures: where each port's mark and label stand, in pixels.

use yellowlegs_core::finding::{PortShown, Standing};

use super::clean;
use super::panel::groups;

/// Width and height of a port's mark with its gap.
const CELL: (u32, u32) = (28, 26);
/// Room for a label.
const LABEL: u32 = 14;
/// Room between groups, and between rows of groups.
const GAP: u32 = 16;
/// The widest panel.
const WIDEST: u32 = 1130;

/// A picture of one panel.
pub(super) struct Drawing {
    pub(super) width: u32,
    pub(super) height: u32,
    /// What the names of a group begin with, where its columns begin.
    pub(super) fronts: Vec<Label>,
    /// In the order of the ports of their groups.
    pub(super) cells: Vec<Cell>,
}

/// Words at a place.
pub(super) struct Label {
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) text: String,
}

/// A port.
pub(super) struct Cell {
    /// Where it comes among the ports of its switch.
    pub(super) position: usize,
    pub(super) x: u32,
    pub(super) y: u32,
    /// The middle of its label.
    pub(super) label: Label,
    /// The symbol's name.
    pub(super) symbol: &'static str,
    /// What is told of it when it is pointed at.
    pub(super) title: String,
}

/// The symbol of a standing: shapes differ as well as colours.
pub(super) fn symbol(standing: Standing) -> &'static str {
    match standing {
        Standing::Breach => "b",
        Standing::Risk => "r",
        Standing::Waived => "w",
        Standing::Undetermined => "u",
        Standing::Advice => "a",
        Standing::Clean => "c",
    }
}

/// Draws ports in their rows, groups beside each other while there is room.
pub(super) fn draw(ports: &[PortShown]) -> Drawing {
    let mut drawing = Drawing { width: 0, height: 0, fronts: Vec::new(), cells: Vec::new() };
    let (mut left, mut top) = (0, 0);
    let tall = LABEL * 3 + CELL.1 * 2;
    for group in groups(ports) {
        let longest = group.columns.iter().flatten().flatten().map(|p| clean(group.label(p)).chars().count()).max();
        let wide = CELL.0.max(u32::try_from(longest.unwrap_or_default().min(14)).unwrap_or_default() * 7 + 6);
        let most = usize::try_from(WIDEST / wide).unwrap_or(1).max(1);
        for columns in group.columns.chunks(most) {
            let width = wide * u32::try_from(columns.len()).unwrap_or_default();
            if left > 0 && left + width > WIDEST {
                (left, top) = (0, top + tall + GAP);
            }
            let front = Label { x: left, y: top + LABEL - 4, text: short(group.front, width.max(60)) };
            drawing.fronts.push(front);
            for (number, column) in columns.iter().enumerate() {
                let x = left + wide * u32::try_from(number).unwrap_or_default();
                for (row, port) in (0_u32..).zip(column) {
                    let Some(port) = port else { continue };
                    let y = top + LABEL * 2 + row * CELL.1;
                    let label_y = if row == 0 { y - 4 } else { y + CELL.1 + LABEL - 5 };
                    drawing.cells.push(Cell {
                        position: port.position,
                        x: x + (wide - CELL.0) / 2 + 2,
                        y,
                        label: Label { x: x + wide / 2, y: label_y, text: short(group.label(port), wide) },
                        symbol: symbol(port.standing),
                        title: title(port),
                    });
                }
            }
            left += width + GAP;
            drawing.width = drawing.width.max(left - GAP);
            drawing.height = top + tall;
        }
    }
    drawing
}

/// A port's name, role, description and the gravest thing said of it.
pub(super) fn title(port: &PortShown) -> String {
    let role = port.role.as_deref().unwrap_or("no role");
    let description: String = port.description.as_deref().unwrap_or_default().chars().take(80).collect();
    let description = if description.is_empty() { description } else { format!(", {description}") };
    clean(&format!("{} {}: {role}{description}", port.name, port.standing.word())).into_owned()
}

fn short(text: &str, room: u32) -> String {
    clean(text).chars().take(usize::try_from(room / 7).unwrap_or(1).max(2)).collect()
}
