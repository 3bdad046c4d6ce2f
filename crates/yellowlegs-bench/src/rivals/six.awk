# The same six checks in awk.
function judge(    edge) {
    if (socket == "") return
    edge = note ~ /^"(desk|host|screen)/
    if (note ~ /^"desk/ && ceiling > 3) print name "," socket ",limit is too high"
    if (edge && bundle) print name "," socket ",carries tagged VLANs"
    if (note ~ /^"spare/ && !asleep) print name "," socket ",spare and awake"
    if (edge && !watch) print name "," socket ",no limit of stations"
    if (edge && !quick) print name "," socket ",waits for the tree"
    if (note ~ /^"to above/ && !believed) print name "," socket ",not trusted"
    socket = ""
}
FNR == 1 { judge(); n = split(FILENAME, parts, "/"); name = parts[n - 1] }
/^socket / { judge(); socket = $2; note = ""; ceiling = bundle = asleep = watch = quick = believed = 0; next }
/^  note "/ { note = substr($0, 8); next }
/^  crowd ceiling / { ceiling = $3; next }
$0 == "  carries bundle" { bundle = 1; next }
$0 == "  asleep" { asleep = 1; next }
$0 == "  crowd watch" { watch = 1; next }
$0 == "  wakes quickly" { quick = 1; next }
$0 == "  dhcp believed" { believed = 1 }
END { judge() }
