"""Six checks on the ports of a fleet of the bench, as somebody would write them in an afternoon: a rival of the audit."""
import re
import sys
from pathlib import Path

SOCKET = re.compile(r"^socket (\S+)$")
NOTE = re.compile(r'^  note "(.*)"$')
CEILING = re.compile(r"^  crowd ceiling (\d+) then (\S+)$")
PLAIN = {
    "  carries bundle": "bundle",
    "  asleep": "asleep",
    "  crowd watch": "watch",
    "  wakes quickly": "quick",
    "  dhcp believed": "believed",
}


def judge(switch, socket, note, facts, ceiling):
    edge = note.startswith(("desk", "host", "screen"))
    wrong = [
        ("limit is too high", note.startswith("desk") and ceiling > 3),
        ("carries tagged VLANs", edge and "bundle" in facts),
        ("spare and awake", note.startswith("spare") and "asleep" not in facts),
        ("no limit of stations", edge and "watch" not in facts),
        ("waits for the tree", edge and "quick" not in facts),
        ("not trusted", note.startswith("to above") and "believed" not in facts),
    ]
    for what, is_wrong in wrong:
        if is_wrong:
            print(f"{switch},{socket},{what}")


for path in sorted(Path(sys.argv[1]).glob("*/config.txt")):
    switch, socket = path.parent.name, None
    note, facts, ceiling = "", set(), 0
    with open(path, encoding="utf-8") as text:
        for line in text:
            line = line.rstrip("\n")
            if found := SOCKET.match(line):
                if socket:
                    judge(switch, socket, note, facts, ceiling)
                socket, note, facts, ceiling = found[1], "", set(), 0
            elif found := NOTE.match(line):
                note = found[1]
            elif found := CEILING.match(line):
                ceiling = int(found[1])
            elif fact := PLAIN.get(line):
                facts.add(fact)
    if socket:
        judge(switch, socket, note, facts, ceiling)
