"""Usage: play.py PLAN SEEN DB CONTROL PORTS    send the frames of a plan into a virtual switch, write down what comes out.

PLAN is [{"commands": ["ovs-vsctl words", ...], "frames": [{"port": 1, "hex": "...", "id": 7, "expect": 2, "at": 1.5}]}]. Each frame ends
in its number (four octets). `expect` says for how many arrivals it waits before it listens a moment for more; `at` holds a frame back
until so many seconds after its commands were given. With "plug": true every link is pulled and plugged in again before. SEEN is, for each configuration, for each frame, a list of [port, [tags], seconds].
"""

import errno
import json
import select
import socket
import struct
import subprocess
import sys
import time

AUXDATA, PACKET, VALID = 8, 263, 0x10


def listen(port):
    """A raw socket on a host's end."""
    sock = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(0x0003))
    sock.setsockopt(PACKET, AUXDATA, 1)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
    sock.bind((f"h{port}", 0))
    sock.setblocking(False)
    return sock


def arrived(sock):
    """The next frame: its tags from the outside in, and its number; None when there is none, or it is not ours."""
    data, extra, _, address = sock.recvmsg(4096, 256)
    if address[2] == socket.PACKET_OUTGOING or len(data) < 20:
        return None
    tags = []
    for level, kind, aux in extra:
        if (level, kind) == (PACKET, AUXDATA):
            status, _, _, _, _, tci, _ = struct.unpack("=IIIHHHH", aux[:20])
            if status & VALID:
                tags.append(tci & 0xFFF)
    at = 12
    while data[at : at + 2] == b"\x81\x00":
        tags.append(struct.unpack("!H", data[at + 2 : at + 4])[0] & 0xFFF)
        at += 4
    return tags, struct.unpack("!I", data[-4:])[0]


class Control:
    """The switch's control socket (JSON-RPC, RFC 7047)."""

    def __init__(self, path):
        self.sock = socket.socket(socket.AF_UNIX)
        self.sock.connect(path)
        self.number = 0

    def call(self, method, *params):
        """Calls, and waits for the answer."""
        self.number += 1
        self.sock.sendall(json.dumps({"id": self.number, "method": method, "params": params}).encode())
        text = ""
        while True:
            text += self.sock.recv(65536).decode()
            try:
                return json.loads(text).get("result")
            except ValueError:
                continue


def main():
    """Plays the plan."""
    plan_path, seen_path, database, control_path, ports = sys.argv[1:6]
    with open(plan_path, encoding="utf-8") as file:
        plan = json.load(file)
    control = Control(control_path)
    socks = {port: listen(port) for port in range(1, int(ports) + 1)}
    by_sock = {sock: port for port, sock in socks.items()}
    seen = []
    for config in plan:
        # In one transaction a bridge of the same name would keep what it has learned.
        subprocess.run(["ovs-vsctl", f"--db={database}", "--if-exists", "del-br", "br0"], check=True)
        subprocess.run(["ovs-vsctl", f"--db={database}", *" -- ".join(config["commands"]).split()], check=True)
        for state in ("down", "up") if config.get("plug") else ():
            time.sleep(2)
            for port in socks:
                subprocess.run(["ip", "link", "set", f"h{port}", state], check=True)
        began = time.monotonic()
        came = {frame["id"]: [] for frame in config["frames"]}

        def hear(seconds):
            """Takes what has arrived within some time."""
            ready, _, _ = select.select(list(by_sock), [], [], seconds)
            for sock in ready:
                while True:
                    try:
                        got = arrived(sock)
                    except BlockingIOError:
                        break
                    except OSError as error:
                        # A link that was pulled says so once.
                        if error.errno != errno.ENETDOWN:
                            raise
                        continue
                    if got and got[1] in came:
                        came[got[1]].append([by_sock[sock], got[0], time.monotonic() - began])
            return bool(ready)

        for frame in config["frames"]:
            while time.monotonic() - began < frame.get("at", 0):
                hear(0.01)
            # What was learned since counts at once.
            control.call("revalidator/purge")
            socks[frame["port"]].send(bytes.fromhex(frame["hex"]))
            until = time.monotonic() + 0.25
            while len(came[frame["id"]]) < frame["expect"] and time.monotonic() < until:
                hear(0.02)
            hear(0.002)
        hear(0.05)
        seen.append([came[frame["id"]] for frame in config["frames"]])
    with open(seen_path, "w", encoding="utf-8") as file:
        json.dump(seen, file)


main()
