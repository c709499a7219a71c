#!/usr/bin/env python3
# Tables and CAN logs that are damaged, with what must be said and given; and whatever a disk makes of whole ones.
# text_damaged.py FOLDER TABLES LOGS
# SPDX-License-Identifier: GPL-3.0-or-later
import json
import random
import sys
from pathlib import Path

HEAD = "Time (s),Engine speed (rpm),Boost (kPa)\n"
ROWS = [(round(i * 0.05, 3), 800 + i, 90 + i / 4) for i in range(100)]


def lines():
    return [f"{t},{n},{b}\n" for t, n, b in ROWS]


def found(keep, boost=None):
    rows = [ROWS[i] for i in keep]
    return {"name": "", "time": [r[0] for r in rows], "units": {},
            "channels": {"Engine speed": [r[1] for r in rows], "Boost": boost or [r[2] for r in rows]}}


def tables(folder):
    def write(name, text, keep, says, **more):
        (folder / f"{name}.csv").write_bytes(text if isinstance(text, bytes) else text.encode())
        (folder / f"{name}.json").write_text(json.dumps({"groups": [found(keep, **more)], "marks": [], "says": says}))

    def refused(name, data, says):
        (folder / f"{name}.csv").write_bytes(data)
        (folder / f"{name}.json").write_text(json.dumps({"refused": says}))

    every = range(100)
    text = lines()
    bad = list(text)
    bad[40] = "2.0,8x0,100.0\n"
    (folder / "a wrong cell.csv").write_text(HEAD + "".join(bad))
    oracle = found(every)
    oracle["channels"]["Engine speed"][40] = None
    (folder / "a wrong cell.json").write_text(json.dumps(
        {"groups": [oracle], "marks": [], "says": 'Line 42: "8x0" in column "Engine speed" is no number'}))
    for name, line, says in (("a wrong time", "2.o,840,100.0\n", 'Line 42: "2.o" is no time'),
                             ("no time", ",840,100.0\n", "Line 42: the time is missing"),
                             ("time goes back", "0.3,840,100.0\n", "Line 42: time goes back for this row"),
                             ("a remark", "driver says: hello\n", "Line 42: ")):
        bad = list(text)
        bad[40] = line
        write(name, HEAD + "".join(bad), [i for i in every if i != 40], says)
    bad = list(text)
    bad[40] = text[40].rstrip("\n") + ",7,8\n"
    write("too many fields", HEAD + "".join(bad), every, "Line 42: 5 fields where 3 were expected")
    bad = list(text)
    bad[40] = '2.0,840,"100.0\n'
    (folder / "a quote.csv").write_text(HEAD + "".join(bad))
    oracle = found(every)
    oracle["channels"]["Boost"][40] = None
    (folder / "a quote.json").write_text(json.dumps({"groups": [oracle], "marks": [], "says": "Line 42: a quote"}))
    long = HEAD + "".join(text) + "".join(f"{5 + i * 0.05:.2f},{i}.5.5,1\n" for i in range(20))
    (folder / "many wrong cells.csv").write_text(long)
    times = [r[0] for r in ROWS] + [round(5 + i * 0.05, 2) for i in range(20)]
    (folder / "many wrong cells.json").write_text(json.dumps({"groups": [
        {"name": "", "time": times, "units": {},
         "channels": {"Engine speed": [r[1] for r in ROWS] + [None] * 20, "Boost": [r[2] for r in ROWS] + [1.0] * 20}}],
        "marks": [], "says": "In all 20 cells that are no numbers."}))
    refused("empty", b"", "empty")
    refused("blank", b"\n\n  \n", "no table")
    refused("binary", bytes(range(256)) * 40, "no text")
    refused("a letter", "Dear all,\nthe car is fine.\nYours\n".encode() * 3, "")
    refused("header alone", HEAD.encode(), "")


def logs(folder):
    dbc = ('BO_ 256 Box: 8 X\n SG_ a : 0|8@1+ (1,0) [0|0] "" X\n SG_ broken : 0|8@9+ (1,0) [0|0] "" X\n'
           ' SG_ b : 8|16@1+ (0.1,0) [0|0] "V" X\n')

    def write(name, text, rows, says, groups=None):
        (folder / f"{name}.log").write_text(text)
        (folder / f"{name}.dbc").write_text(dbc)
        oracle = {"says": says, "marks": [], "groups": groups or [
            {"name": "Box", "time": [r * 0.01 for r in rows], "units": {},
             "channels": {"a": [r for r in rows], "b": [r * 0.1 for r in rows]}}]}
        (folder / f"{name}.json").write_text(json.dumps(oracle))

    all_ = [f"({1000 + i * 0.01:.6f}) can0 100#{i:02X}{i:02X}00\n" for i in range(50)]
    for name, line in (("no frame", "(1000.200000) can0 100#0G\n"), ("no time", "(x) can0 100#00\n"),
                       ("no words", "hello\n"), ("cut", "(1000.2")):
        bad = list(all_)
        bad[20] = line if line.endswith("\n") else line + "\n"
        write(f"log {name}", "".join(bad), [i for i in range(50) if i != 20], "Line 21: ")
    bad = list(all_)
    bad[20], bad[21] = bad[21], bad[20]
    write("log order", "".join(bad), [i for i in range(50) if i != 20], "1 frames whose time goes back")
    short = list(all_)
    short[20] = "(1000.200000) can0 100#14\n"
    write("log short", "".join(short), [], "", [{"name": "Box", "time": [i * 0.01 for i in range(50)], "units": {},
                                                 "channels": {"a": list(range(50)),
                                                              "b": [None if i == 20 else i * 0.1 for i in range(50)]}}])
    for name, text, says in (("log other ids", "(1.000000) can0 111#00\n" * 3, "it has 111"),
                             ("log nothing right", "(1.0) can0 111#00\n" * 3, "Line 1: ")):
        (folder / f"{name}.log").write_text(text)
        (folder / f"{name}.dbc").write_text(dbc)
        (folder / f"{name}.json").write_text(json.dumps({"refused": says}))


def mutations(folder, sources, ending):
    rng = random.Random(7)
    for source in sorted(sources.glob(f"*.{ending}")):
        data = source.read_bytes()
        for n in range(3):
            out = bytearray(data)
            if n == 0:
                out = out[:rng.randrange(1, len(out))]
            elif n == 1:
                for _ in range(20):
                    out[rng.randrange(len(out))] = rng.randrange(256)
            else:
                at, length = rng.randrange(len(out)), rng.randrange(400)
                out[at:at + length] = rng.choice([b"", bytes(length), b'"', b",;" * 100, data[:300]])
            (folder / f"~{source.stem} {n}.{ending}").write_bytes(out)


def main():
    folder, whole, log = (Path(a) for a in sys.argv[1:4])
    folder.mkdir(parents=True, exist_ok=True)
    tables(folder)
    logs(folder)
    mutations(folder, whole, "csv")
    mutations(folder, log, "log")
    mutations(folder, log, "dbc")
    print(len(list(folder.glob("*.json"))), "with an oracle,", len(list(folder.glob("~*"))), "without")


if __name__ == "__main__":
    main()
