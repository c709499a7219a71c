#!/usr/bin/env python3
# Damaged MDF 4 files. Those with an oracle say what is whole in them and must be given, and what must be said; the
# others are files of the whole corpus, cut, turned and overwritten. mdf_damaged.py FOLDER CORPUS
# SPDX-License-Identifier: GPL-3.0-or-later
import json
import math
import random
import struct
import sys
from pathlib import Path

from mdf_corpus import File, found, time_channel, times

ROWS, SIZE = 500, 12
CLOCK, COUNTS = times(ROWS), list(range(ROWS))
RECORDS = b"".join(struct.pack("<dI", *row) for row in zip(CLOCK, COUNTS))
COUNT = dict(name="count", data_type=0, byte=8, bits=32)


class Damaged:
    def __init__(self, folder):
        self.folder = folder

    def write(self, name, data, rows, says, channels=None, groups=None, marks=None):
        """`rows`: the numbers of those that are whole."""
        rows = list(rows)
        want = {"count": [COUNTS[r] for r in rows]} if channels is None else channels
        oracle = {"groups": groups or [found(want, [CLOCK[r] for r in rows])], "marks": marks or [], "says": says}
        (self.folder / f"{name}.mf4").write_bytes(data)
        (self.folder / f"{name}.json").write_text(json.dumps(oracle))

    def refused(self, name, data, says):
        (self.folder / f"{name}.mf4").write_bytes(data)
        (self.folder / f"{name}.json").write_text(json.dumps({"refused": says}))


def at_the_end(data_kind="DT", rows=ROWS, described=None, size=SIZE, id_bytes=0):
    """A file whose data are the last thing in it, still to be written; the data group's block."""
    file = File()
    group = file.group(file.channels([time_channel()] + (described or [COUNT])), rows, size, record_id=9)
    at = file.data_group(group, 0, id_bytes=id_bytes)
    file.head(at)
    return file, at


def cut(d):
    for keep in (0, 1, 11, 12, 13, 3000, 5999):
        file, at = at_the_end()
        file.link(at, 2, file.plain(RECORDS))
        data = bytes(file.out)
        d.write(f"cut {keep}", data[:len(data) - len(RECORDS) + keep], range(keep // SIZE),
                "cut off at the end of the file")


def lists(d):
    ends = [0, 1200, 1205, 3000, 4801, 6000]
    parts = [RECORDS[a:b] for a, b in zip(ends, ends[1:])]
    whole = lambda a, b: [r for r in range(ROWS) if (r + 1) * SIZE <= a or r * SIZE >= b]
    for n in range(len(parts)):
        for packed in (False, True):
            for how in ("id", "link", "length", "stream"):
                file, at = at_the_end()
                blocks = [file.packed(p, width=SIZE) if packed else file.plain(p) for p in parts]
                listed = file.listed(blocks, [len(p) for p in parts])
                file.link(at, 2, file.list_head(listed, 1) if packed else listed)
                hit = blocks[n]
                if how == "id":
                    file.out[hit:hit + 4] = b"????"
                elif how == "link":
                    file.link(listed, 1 + n, 1 << 40)
                elif how == "length":
                    struct.pack_into("<Q", file.out, hit + 8, 8)
                elif not packed:
                    continue
                else:
                    for i in range(60, 60 + (len(parts[n]) > 10) * 8):
                        file.out[hit + i] ^= 0x55
                    if len(parts[n]) <= 10:
                        continue
                d.write(f"list {n} {how}{' packed' if packed else ''}", bytes(file.out), whole(ends[n], ends[n + 1]),
                        "At byte")
    for where in (64, 1 << 50, 1):
        file, at = at_the_end()
        first = file.listed([file.plain(RECORDS[:1200])], [1200])
        file.link(at, 2, first)
        file.link(first, 0, where)
        d.write(f"next list at {where}", bytes(file.out), range(100), "At byte")
    file, at = at_the_end()
    first = file.listed([file.plain(RECORDS[:1200])], [1200])
    file.link(at, 2, first)
    file.link(first, 0, first)
    d.write("list in a circle", bytes(file.out), range(100), "circle")


def claims(d):
    for claimed, rows, says in ((10**18, ROWS, "claims 1000000000000000000 samples, the file holds 500"),
                                (ROWS + 1, ROWS, "claims 501 samples"), (7, 7, "")):
        file, at = at_the_end(rows=claimed)
        file.link(at, 2, file.plain(RECORDS))
        d.write(f"count of {claimed}", bytes(file.out), range(rows), says)
    for length, says in ((1 << 40, "claim to be"), (len(RECORDS) * 2, "damaged")):
        file, at = at_the_end()
        block = file.packed(RECORDS)
        struct.pack_into("<Q", file.out, block + 24 + 8, length)
        file.link(at, 2, block)
        d.write(f"packed of {length}", bytes(file.out), [], says)
    file = File()
    many = file.channels([time_channel()] + [dict(COUNT, name=f"again {n}") for n in range(4000)])
    group = file.group(many, 100000, SIZE)
    at = file.data_group(group, file.plain(bytes(SIZE) * 100000))
    d.refused("more than its bytes", file.head(at), "values in")
    file = File()
    group = file.group(file.channels([dict(name="t", data_type=0, byte=0, bits=0, kind=3, sync=1)]), 1 << 60, 0)
    d.refused("rows from nothing", file.head(file.data_group(group, 0)), "At byte")
    file, at = at_the_end(size=0)
    file.link(at, 2, file.plain(RECORDS))
    d.refused("record of no bytes", bytes(file.out), "beyond its record")
    file, at = at_the_end(size=1 << 31)
    file.link(at, 2, file.plain(RECORDS))
    d.write("record of 2 GiB", bytes(file.out), [], "claims 500 samples, the file holds 0")


def channels(d):
    """A channel that is wrong costs itself; behind a broken link nobody knows what came."""
    described = [COUNT, dict(name="b", data_type=0, byte=8, bits=8), dict(name="c", data_type=0, byte=9, bits=8)]
    names = {"count": COUNTS, "b": [c % 256 for c in COUNTS], "c": [c // 256 for c in COUNTS]}

    def make(name, keep, says, change):
        file = File()
        one = [dict(c) for c in described]
        change_block = change(file, one)
        first = file.channels([time_channel()] + one)
        if change_block:
            change_block(first)
        at = file.data_group(file.group(first, ROWS, SIZE), file.plain(RECORDS))
        d.write(name, file.head(at), range(ROWS), says, {k: names[k] for k in keep})

    def setter(index, key, value):
        return lambda file, one: one[index].update({key: value}) and None

    make("bits beyond", ["count", "c"], "beyond its record", setter(1, "byte", 12))
    make("too many bits", ["count", "c"], "integer of 65 bits", setter(1, "bits", 65))
    make("unknown type", ["count", "c"], "which the standard", setter(1, "data_type", 99))
    make("unknown channel", ["count", "c"], "of type 50", setter(1, "kind", 50))
    make("unknown conversion", ["count", "c"], "conversion of type 77",
         lambda file, one: one[1].update(conversion=file.conversion(77)))
    make("wrong formula", ["count", "c"], "formula",
         lambda file, one: one[1].update(conversion=file.conversion(3, [], ["X+("])))
    make("conversion too short", ["count", "c"], "conversion of type 2",
         lambda file, one: one[1].update(conversion=file.conversion(2, [1, 2])))
    make("conversion nowhere", ["count", "c"], "At byte", setter(1, "conversion", 1 << 33))
    make("no invalidation bytes", ["count", "c"], "valid lies beyond", lambda file, one: one[1].update(flags=2))

    def chain(file, _):
        def change(first):
            second = struct.unpack_from("<Q", file.out, first + 24)[0]
            file.link(second, 0, 12345)
        return change

    make("channels break off", ["count"], "At byte", chain)

    def deep(file, one):
        conversion = file.conversion(7, [1], ["end"])
        for _ in range(20):
            conversion = file.conversion(8, [0, 1], [conversion])
        one[1].update(conversion=conversion)

    make("conversions too deep", ["count", "c"], "more than 8 deep", deep)


def others(d):
    def second_group(change):
        file = File()
        make = lambda name: file.data_group(file.group(file.channels([time_channel(), COUNT]), ROWS, SIZE, name=name),
                                            file.plain(RECORDS))
        second, first = make("second"), make("first")
        file.link(first, 0, second)
        change(file, first, second)
        return file.head(first)

    whole = lambda *names: [found({"count": COUNTS}, CLOCK, name) for name in names]
    d.write("second group nowhere", second_group(lambda f, a, b: f.link(a, 0, 1 << 44)), [], "At byte",
            groups=whole("first"))
    d.write("second group no group", second_group(lambda f, a, b: f.out.__setitem__(slice(b, b + 4), b"##XX")), [],
            "##XX", groups=whole("first"))
    d.write("first group's channels nowhere", second_group(lambda f, a, b: f.link(a, 1, 1 << 44)), [], "At byte",
            groups=whole("second"))
    d.write("groups in a circle", second_group(lambda f, a, b: f.link(b, 0, a)), [], "circle",
            groups=whole("first", "second"))

    file = File()
    stream = b"".join(b"\1" + RECORDS[i:i + SIZE] for i in range(0, 1200, SIZE)) + b"\7" + RECORDS
    at = file.data_group(file.group(file.channels([time_channel(), COUNT]), ROWS, SIZE, record_id=1),
                         file.plain(stream), id_bytes=1)
    d.write("record of no group", file.head(at), range(100), "record of no group")

    file = File()
    good = file.block("EV", [0, 0, 0, file.text("lost"), 0],
                      struct.pack("<BBBBB3xIHHqd", 6, 1, 0, 0, 0, 0, 0, 0, 2, 1.0))
    first = file.block("EV", [1 << 45, 0, 0, file.text("kept"), 0],
                       struct.pack("<BBBBB3xIHHqd", 6, 1, 0, 0, 0, 0, 0, 0, 1, 1.0))
    assert good
    at = file.data_group(file.group(file.channels([time_channel(), COUNT]), ROWS, SIZE), file.plain(RECORDS))
    d.write("events break off", file.head(at, events=first), range(ROWS), "At byte",
            marks=[{"at": 1.0, "kind": "marker", "text": "kept"}])

    file = File()
    stream = struct.pack("<I", 3) + b"abc" + struct.pack("<I", 1 << 31) + b"xyz"
    offsets = [0, 7, 999, 0, 2**63]
    text = dict(name="word", data_type=7, byte=8, bits=64, kind=1, data=file.plain(stream, "SD"))
    records = b"".join(struct.pack("<dQ", t, o) for t, o in zip(CLOCK, offsets))
    at = file.data_group(file.group(file.channels([time_channel(), text]), 5, 16), file.plain(records))
    d.write("texts nowhere", file.head(at), [], "", groups=[found({"word": ["abc", None, None, "abc", None]}, CLOCK[:5])])

    file = File()
    wild = [0.0, 0.1, math.nan, 0.05, 0.2, math.inf, 0.3]
    records = b"".join(struct.pack("<dI", t, i) for i, t in enumerate(wild))
    at = file.data_group(file.group(file.channels([time_channel(), COUNT]), len(wild), SIZE), file.plain(records))
    d.write("time that goes back", file.head(at), [], "tell no time, or one that goes back",
            groups=[found({"count": [0, 1, 4, 6]}, [0.0, 0.1, 0.2, 0.3])])

    old = bytearray(File().out)
    struct.pack_into("<H", old, 28, 330)
    d.refused("version 3", bytes(old), "version 3")
    d.refused("empty", b"", "no MDF file")
    d.refused("no channels", File().head(), "no channels")
    d.refused("head nowhere", bytes(File().out[:64]), "cut off")


def columns(d):
    """4.20, a channel a group: what is lost of one channel moves nothing of it along its clock."""
    for hit in range(3):
        file = File(420)
        cuts = [0, 200, 210, ROWS]

        def section(data, width):
            blocks = [file.plain(data[a * width:b * width], "DV") for a, b in zip(cuts, cuts[1:])]
            return blocks, file.block("LD", [0, *blocks], struct.pack("<II3Q", 0, 3, *cuts[:-1]))

        clock_group = file.group(file.channels([time_channel()]), ROWS, 8)
        count = file.group(file.channels([dict(COUNT, byte=0)]), ROWS, 4, flags=8, master=clock_group)
        blocks, listed = section(struct.pack(f"<{ROWS}I", *COUNTS), 4)
        file.out[blocks[hit]:blocks[hit] + 4] = b"????"
        last = file.data_group(count, listed)
        first = file.data_group(clock_group, section(struct.pack(f"<{ROWS}d", *CLOCK), 8)[1], next_=last)
        want = [None if cuts[hit] <= c < cuts[hit + 1] else c for c in COUNTS]
        d.write(f"column block {hit}", file.head(first), [], "At byte", groups=[found({"count": want}, CLOCK)])
    # A clock that is counted goes on counting where its rows go on.
    file = File()
    clock = dict(name="t", data_type=0, byte=0, bits=0, kind=3, sync=1, conversion=file.conversion(1, [0, 0.01]))
    group = file.group(file.channels([clock, dict(COUNT, byte=0)]), ROWS, 4)
    data = struct.pack(f"<{ROWS}I", *COUNTS)
    blocks = [file.plain(data[a:b]) for a, b in ((0, 400), (400, 800), (800, 2000))]
    listed = file.listed(blocks, [400, 400, 1200])
    file.out[blocks[1]:blocks[1] + 4] = b"????"
    keep = [c for c in COUNTS if not 100 <= c < 200]
    d.write("counted clock", file.head(file.data_group(group, listed)), keep, "At byte")


def mutations(folder, corpus):
    """No oracle: a sentence with its place or a recording, in time and memory."""
    rng = random.Random(20)
    for source in sorted(corpus.glob("*.mf4")):
        data = source.read_bytes()
        for n in range(12):
            out = bytearray(data)
            kind = n % 4
            if kind == 0:
                out = out[:rng.randrange(len(out))]
            elif kind == 1:
                for _ in range(rng.choice([1, 4, 40])):
                    out[rng.randrange(64, len(out))] ^= 1 << rng.randrange(8)
            elif kind == 2:
                at = rng.randrange(0, len(out) // 8) * 8
                out[at:at + 8] = struct.pack("<Q", rng.choice([0, 1, at, len(out), 2**63, 2**64 - 1,
                                                               rng.randrange(len(out))]))
            else:
                at = rng.randrange(64, len(out))
                out[at:at + 512] = bytes(min(512, len(out) - at))
            (folder / f"~{source.stem} {n}.mf4").write_bytes(out)


def main():
    folder, corpus = Path(sys.argv[1]), Path(sys.argv[2])
    folder.mkdir(parents=True, exist_ok=True)
    d = Damaged(folder)
    for make in (cut, lists, claims, channels, others, columns):
        make(d)
    mutations(folder, corpus)
    print(len(list(folder.glob("*.json"))), "with an oracle,", len(list(folder.glob("~*"))), "without")


if __name__ == "__main__":
    main()
