//! Texts of three structures that use much of what their dialects know, without a line that nobody reads.

pub(crate) const FATHOM: &str = include_str!("../../../../demo/dialects/fathom.toml");
pub(crate) const COVE: &str = include_str!("../data/cove.toml");

pub(crate) const SHINGLE_TEXT: &str = "shingle 4 unit t
sockets 1.1..1.4
harbour key \"hunter two\"
welcome %one
 two %
lane 110
  called \"desks of all\"
  asks from 192.0.2.1
lane 210
stations 02:00:5e:00:00:00/24 into lane 210
dhcp watch lanes 110,200..210
dscp 46,40..41 to queue 5
looking-glass 2
  shows 1.1..1.2 both
  shows 1.3 coming
  onto 1.4
every socket
  gale broadcast 100pps
socket 1.1..1.3
  carries single
  home lane 110
  crowd ceiling 3 then report
socket 1.2
  without crowd ceiling
  crowd kept 0200.5e10.0001 lane 110
  flutter 4 within 20
socket 1.4
  carries bundle
  bundle lanes 110,120..130
  feeds at-most 15.4
";

pub(crate) const FATHOM_TEXT: &str = "lay vessel t
lay berths a:1 to 6, b:1
lay water 120
lay water 210
lay water 110 name \"desks of all\"
lay water 110 plain a:1 to 4
lay water 120 marked a:5, 6
lay water 110 marked a:5
lay cut desk counted most 3
lay cut desk counted
lay cut loud built-on desk
lay berth a:1 to 3 follows desk
lay berth a:2 counted most 5
lift berth a:3 follows desk
lay calling 1 tells water 210
lay calling 1 at a:1 to 2
lay echo 1 from a:1, 2 in
lay echo 1 into b:1
lay every-water asks every 60s
lift water 110 name
";

pub(crate) const COVE_TEXT: &str = "cove 1;
named \"quay one\";
quays q1-q4;
pool 110,120-122;
quay q1-q3 { kind single; pool 110; tally { most 3 then tell; knows 02-00-5e-10-00-01 in 110; } }
quay q2 { sealed; tally { drop most; } }
quay q4 { kind joined; pools 110-112; drop sealed; }
";
