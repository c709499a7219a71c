#!/usr/bin/env python3
# Large damaged recordings of each kind: bruskctl answers with a sentence or a recording, in time, and within four times
# the file's size of memory. memory.py BIN
# SPDX-License-Identifier: GPL-3.0-or-later
import json
import os
import random
import struct
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from mdf_corpus import File, time_channel

MOST_SECONDS = 60
SIZE = 16_000_000


def mdf(packed):
    channels, rows = 10, SIZE // 48
    file = File()
    described = [dict(name=f"c{n}", data_type=4, byte=8 + 4 * n, bits=32) for n in range(channels)]
    group = file.group(file.channels([time_channel()] + described), rows, 48)
    at = file.data_group(group, 0)
    file.head(at)
    rng = random.Random(4)
    pieces = []
    for first in range(0, rows, 5000):
        part = b"".join(struct.pack("<d10f", i * 0.01, *(rng.random() for _ in range(channels)))
                        for i in range(first, min(first + 5000, rows)))
        pieces.append((file.packed(part, width=48) if packed else file.plain(part), len(part)))
    listed = file.listed([p for p, _ in pieces], [n for _, n in pieces])
    file.link(at, 2, file.list_head(listed, 1) if packed else listed)
    return bytes(file.out)


def table():
    rng = random.Random(5)
    row = lambda i: f"{i * 0.01:.2f}," + ",".join(f"{rng.uniform(-999, 999):.3f}" for _ in range(12)) + "\n"
    head = "Time (s)," + ",".join(f"Signal {n} (V)" for n in range(12)) + "\n"
    return (head + "".join(row(i) for i in range(SIZE // 100))).encode()


def log():
    rng = random.Random(6)
    return "".join(f"({1000 + i * 0.001:.6f}) can0 {100 + i % 5}#{rng.getrandbits(64):016X}\n"
                   for i in range(SIZE // 42)).encode()


def variants(data):
    rng = random.Random(9)
    yield "whole", data
    yield "cut", data[:len(data) * 2 // 3 + 1]
    torn = bytearray(data)
    torn[len(data) // 2:len(data) // 2 + 65536] = bytes(65536)
    yield "zeroed", bytes(torn)
    flipped = bytearray(data)
    for _ in range(200):
        flipped[rng.randrange(300, len(data))] ^= 1 << rng.randrange(8)
    yield "flipped", bytes(flipped)
    yield "doubled", data[:len(data) // 2] + data[:len(data) // 2]


def run(program, arguments):
    with tempfile.TemporaryFile() as out:
        process = subprocess.Popen([program, "--json", *arguments], stdout=out, stderr=subprocess.DEVNULL)
        for _ in range(MOST_SECONDS * 20):
            pid, status, usage = os.wait4(process.pid, os.WNOHANG)
            if pid:
                break
            time.sleep(0.05)
        else:
            process.kill()
            os.wait4(process.pid, 0)
            return None, 0, b""
        process.returncode = os.waitstatus_to_exitcode(status)
        out.seek(0)
        return process.returncode, usage.ru_maxrss * 1024, out.read()


def make(folder):
    (folder / "all.dbc").write_text("".join(f'BO_ {256 + n} M{n}: 8 X\n SG_ s{n} : 0|16@1+ (1,0) [0|0] "" X\n'
                                            f' SG_ t{n} : 16|16@1+ (1,0) [0|0] "" X\n' for n in range(5)))
    (folder / "small.csv").write_text("t,a\n0,1\n1,2\n2,3\n")
    for kind, ending, data in (("MDF", "mf4", mdf(False)), ("packed MDF", "mf4", mdf(True)), ("CSV", "csv", table()),
                               ("candump", "log", log())):
        for name, bytes_ in variants(data):
            (folder / f"{kind}, {name}.{ending}").write_bytes(bytes_)


def main():
    if sys.argv[1] == "--make":
        return make(Path(sys.argv[2]))
    program = sys.argv[1] + "/bruskctl"
    failed = seen = 0
    with tempfile.TemporaryDirectory() as folder:
        folder = Path(folder)
        # In a process of its own: what a child has at most begins with what its parent has.
        subprocess.run([sys.executable, "-B", __file__, "--make", str(folder)], check=True)
        _, base, _ = run(program, ["recording", "info", str(folder / "small.csv")])
        for path in sorted(folder.glob("*, *")):
            code, most, said = run(program, ["recording", "info", str(path), "--dbc", str(folder / "all.dbc")])
            # Of packed data what they are unpacked counts: that is what has to be read.
            share = max(0, most - base) / (SIZE if path.name.startswith("packed") else path.stat().st_size)
            wrong = []
            if code is None:
                wrong.append(f"hangs for more than {MOST_SECONDS} s")
            elif code not in (0, 1):
                wrong.append(f"exit code {code}")
            else:
                answer = json.loads(said)
                if code == 1 and not answer["error"]["sentence"]:
                    wrong.append("no sentence")
                if "zeroed" in path.name and code == 0 and "candump" not in path.name and not answer.get("damage"):
                    wrong.append("no word of the damage")
            if share > 4:
                wrong.append("too much memory")
            seen += 1
            failed += bool(wrong)
            print(f"{path.stem}: exit {code}, {share:.1f} times the file {'; '.join(wrong)}")
    print(f"Totals: {seen - failed} passed, {failed} failed, 0 skipped")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
