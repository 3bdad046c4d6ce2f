//! Switches of Shingle whose ports are all alike but one: what a memo of ports does best.

use std::fmt::Write as _;
use std::fs;
use std::io;
use std::path::Path;

use super::Written;

const SHINGLE: &str = include_str!("../../../../demo/dialects/shingle.toml");

const POLICY: &str = "as-of = \"2031-03-04T06:30:00Z\"\n[files]\nrunning = [\"config.txt\"]\nsaved = []\n\
    [site]\nrapid-protocol = \"any\"\nmulticast-snooping = \"any\"\nbinding-store = \"any\"\naddress-check = \"any\"\nrelay-info = \"insert\"\n\
    [vlans]\n110 = { purpose = \"data\" }\n210 = { purpose = \"voice\" }\n998 = { purpose = \"parking\" }\n999 = { purpose = \"native\" }\n\
    [[role]]\nname = \"desk\"\nfaces = \"phone-and-host\"\nstations = 3\nvlans = [110]\nvoice = 210\ndescribes = [\"^desk\"]\n\
    [[role]]\nname = \"up\"\nfaces = \"bridge-up\"\nvlans = [110, 210]\ndescribes = [\"^to \"]\n";

const HEAD: &str = "place \"hall\"\nclock harbour\nsockets 1.1..1.48\nlane 110\n  called \"desks\"\nlane 210\n  called \"phones\"\n\
    lane 998\nlane 999\nloft cleared for binding-loft\ndhcp watch\ndhcp watch lanes 110,210\ndhcp watch tag insert\ntree kind young\n\
    quick sockets closed to trees\nannouncements\ntells 192.0.2.250\nlarder 2000W\n";

/// Writes a fleet; every tenth switch has one port with a limit that is too high.
pub(super) fn write(folder: &Path, switches: usize) -> io::Result<Written> {
    fs::create_dir_all(folder.join("dialects"))?;
    fs::write(folder.join("dialects/shingle.toml"), SHINGLE)?;
    fs::write(folder.join("yellowlegs.toml"), POLICY)?;
    let (mut bytes, mut faults) = (0, 0);
    // A small generator: the same fleet for the same number.
    let mut seed = 0x5eed_u64;
    let mut next = move |below: u64| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) % below
    };
    for number in 0..switches {
        let faulty = (number % 10 == 0).then(|| next(47) + 1);
        faults += usize::from(faulty.is_some());
        let mut text = format!("shingle 4 unit sw-{number:05}\n{HEAD}");
        for port in 1..48 {
            let limit = if faulty == Some(port) { 9 } else { 3 };
            let _ = write!(
                text,
                "socket 1.{port}\n  note \"desk {port}, room {}\"\n  carries single\n  home lane 110\n  speech lane 210\n  crowd watch\n  \
                 crowd ceiling {limit} then shut-out\n  origin check\n  wakes quickly\n  dhcp pace 15\n  gale broadcast 1%\n  gale multicast 1%\n  \
                 router calls refused\n  lease calls refused\n  echo watch\n  believes both\n  announces\n  announces speech\n  speech told tagged\n  \
                 speech told lane 210\n  speech told priority 5\n  speech told dscp 46\n  flutter watch\n  flutter 5 within 10\n  flutter hold 60\n",
                next(400)
            );
        }
        text.push_str(
            "socket 1.48\n  note \"to core\"\n  carries bundle\n  bundle lanes 110,210\n  bare lane 999\n  dhcp believed\n  \
             flutter watch\n  flutter 5 within 10\n  flutter hold 60\n",
        );
        let place = folder.join(format!("sw-{number:05}"));
        fs::create_dir_all(&place)?;
        bytes += text.len() as u64;
        fs::write(place.join("config.txt"), text)?;
    }
    Ok(Written { bytes, faults })
}
