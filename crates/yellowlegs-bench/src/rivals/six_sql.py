"""The six checks once more, asked of a database that reads JSON: `prepare FOLDER FILE` writes each port as a line, which is not
measured, `ask FILE` reads the lines and asks."""
import json
import sys
from pathlib import Path

QUESTION = """
with ports as (
    select *, note like 'desk%' as desk, note like 'desk%' or note like 'host%' or note like 'screen%' as edge
    from read_json('{file}', columns = {columns})
)
select switch, socket, what from (
    select *, unnest([
        case when desk and ceiling > 3 then 'limit is too high' end,
        case when edge and 'carries bundle' in lines then 'carries tagged VLANs' end,
        case when note like 'spare%' and not ('asleep' in lines) then 'spare and awake' end,
        case when edge and not ('crowd watch' in lines) then 'no limit of stations' end,
        case when edge and not ('wakes quickly' in lines) then 'waits for the tree' end,
        case when note like 'to above%' and not ('dhcp believed' in lines) then 'not trusted' end
    ]) as what from ports
) where what is not null order by switch, socket
"""
COLUMNS = {"switch": "varchar", "socket": "varchar", "note": "varchar", "ceiling": "integer", "lines": "varchar[]"}


def ports(path):
    port = None
    for line in path.read_text(encoding="utf-8").splitlines():
        words = line.split()
        if line.startswith("socket "):
            if port:
                yield port
            port = {"switch": path.parent.name, "socket": words[1], "note": "", "ceiling": 0, "lines": []}
        elif port and line.startswith("  "):
            port["lines"].append(line.strip())
            if words[0] == "note":
                port["note"] = line.strip()[6:-1]
            elif words[:2] == ["crowd", "ceiling"]:
                port["ceiling"] = int(words[2])
        elif port:
            yield port
            port = None
    if port:
        yield port


if sys.argv[1] == "prepare":
    with open(sys.argv[3], "w", encoding="utf-8") as out:
        for text in sorted(Path(sys.argv[2]).glob("*/config.txt")):
            out.writelines(json.dumps(port) + "\n" for port in ports(text))
else:
    import duckdb

    duckdb.execute("set threads = 2")
    for found in duckdb.execute(QUESTION.format(file=sys.argv[2], columns=COLUMNS)).fetchall():
        print(",".join(found))
