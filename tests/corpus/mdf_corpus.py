#!/usr/bin/env python3
# Writes MDF 4 files block by block from the standard (ASAM MDF 4.2.0), each with an oracle beside it: what a reader must
# find. Shares no code with Brusk. mdf_corpus.py FOLDER
# SPDX-License-Identifier: GPL-3.0-or-later
import json
import math
import random
import struct
import sys
import zlib
from pathlib import Path

U8, U16, U24, U32, U64 = 8, 16, 24, 32, 64


class File:
    """Blocks at multiples of 8, children before parents; the head's links are set at the end."""

    def __init__(self, version=410, finalised=True, flags=0):
        head = b"MDF     " if finalised else b"UnFinMF "
        text = b"%d.%02d    " % (version // 100, version % 100)
        self.out = bytearray(head + text[:8] + b"corpus  " + bytes(4) + struct.pack("<H", version) + bytes(30)
                             + struct.pack("<HH", flags, 0))
        assert len(self.out) == 64
        self.block("HD", [0] * 6, struct.pack("<QhhBBBBdd", 1772359925 * 10**9, 0, 0, 0, 0, 0, 0, 0, 0))

    def block(self, kind, links=(), data=b"", length=None):
        while len(self.out) % 8:
            self.out.append(0)
        at = len(self.out)
        size = 24 + 8 * len(links) + len(data)
        self.out += b"##" + kind.encode() + bytes(4) + struct.pack("<QQ", size if length is None else length, len(links))
        for link in links:
            self.out += struct.pack("<Q", link)
        self.out += data
        return at

    def text(self, text, kind="TX"):
        if text is None:
            return 0
        data = text.encode("utf-8") + b"\0"
        return self.block(kind, [], data + bytes(-len(data) % 8))

    def xml(self, text):
        return self.text(text, "MD")

    def link(self, block, index, target):
        struct.pack_into("<Q", self.out, block + 24 + 8 * index, target)

    def head(self, first_group=0, comment=0, events=0, history=0, attachment=0, hierarchy=0):
        for index, target in enumerate([first_group, history, hierarchy, attachment, events, comment]):
            self.link(64, index, target)
        return bytes(self.out)

    # --- conversions

    def conversion(self, kind, values=(), references=(), unit=None, name=None, integers=False):
        links = [self.text(name), self.text(unit), 0, 0]
        links += [self.text(r) if isinstance(r, str) else (r or 0) for r in references]
        data = struct.pack("<BBHHHdd", kind, 0, 0, len(links) - 4, len(values), 0, 0)
        data += b"".join(struct.pack("<Q" if integers else "<d", v) for v in values)
        return self.block("CC", links, data)

    # --- channels

    def channel(self, name, data_type, byte, bits, *, bit=0, kind=0, sync=0, next_=0, conversion=0, data=0, unit=None,
                comment=0, parts=0, flags=0, invalid_bit=0, source=0):
        links = [next_, parts, self.text(name), source, conversion, data, self.text(unit), comment]
        return self.block("CN", links, struct.pack("<BBBBIIIIBBH6d", kind, sync, data_type, bit, byte, bits, flags,
                                                   invalid_bit, 0, 0, 0, 0, 0, 0, 0, 0, 0))

    def channels(self, described):
        """From the last to the first, each linked to the next."""
        at = 0
        for one in reversed(described):
            at = self.channel(next_=at, **one)
        return at

    def group(self, channels, rows, data_bytes, *, next_=0, record_id=0, flags=0, invalid_bytes=0, name=None, source=0,
              master=None):
        links = [next_, channels, self.text(name), source, 0, 0] + ([master] if master is not None else [])
        return self.block("CG", links, struct.pack("<QQHHIII", record_id, rows, flags, 0, 0, data_bytes, invalid_bytes))

    def data_group(self, group, data, *, next_=0, id_bytes=0):
        return self.block("DG", [next_, group, data, 0], bytes([id_bytes]) + bytes(7))

    # --- data

    def plain(self, data, kind="DT"):
        return self.block(kind, [], data)

    def packed(self, data, kind="DT", width=0):
        raw = transposed(data, width) if width else data
        packed = zlib.compress(raw)
        return self.block("DZ", [], kind.encode() + struct.pack("<BBIQQ", 1 if width else 0, 0, width, len(data),
                                                                len(packed)) + packed)

    def listed(self, blocks, lengths, equal=None, next_=0):
        """A DL block."""
        if equal:
            data = struct.pack("<BBBBIQ", 1, 0, 0, 0, len(blocks), equal)
        else:
            offsets = [sum(lengths[:i]) for i in range(len(lengths))]
            data = struct.pack("<BBBBI", 0, 0, 0, 0, len(blocks)) + struct.pack(f"<{len(offsets)}Q", *offsets)
        return self.block("DL", [next_, *blocks], data)

    def list_head(self, first, zipped=0):
        return self.block("HL", [first], struct.pack("<HB5x", 0, zipped))


def transposed(data, width):
    rows = len(data) // width
    turned = bytearray()
    for column in range(width):
        turned += data[column:rows * width:width]
    return bytes(turned) + data[rows * width:]


def time_channel(byte=0, **more):
    return dict(name="time", data_type=4, byte=byte, bits=64, kind=2, sync=1, unit="s", **more)


def times(rows, step=0.01):
    return [i * step for i in range(rows)]


class Case:
    """One file and what must be found in it."""

    def __init__(self, folder, name):
        self.folder, self.name = folder, name

    def write(self, data, groups, marks=None, **more):
        (self.folder / f"{self.name}.mf4").write_bytes(data)
        oracle = {"groups": groups, "marks": marks or [], **more}
        (self.folder / f"{self.name}.json").write_text(json.dumps(oracle, default=str))


def found(channels, time=None, name="", units=None):
    """A group as a reader must give it: numbers, texts, None for what is missing."""
    clean = {k: [None if isinstance(v, float) and not math.isfinite(v) else v for v in values]
             for k, values in channels.items()}
    return {"name": name, "time": time, "channels": clean, "units": units or {}}


def simple(file, described, records, rows, size, data=None, name=None, **group_more):
    """One sorted group with a time channel in front of `described`."""
    channels = file.channels([time_channel()] + described)
    group = file.group(channels, rows, size, name=name, **group_more)
    return file.data_group(group, file.plain(records) if data is None else data)


# --- the cases

def numbers(folder):
    """Every width and byte order of integers and reals."""
    rng = random.Random(1)
    rows = 40
    described, pieces, want, byte = [], [], {}, 8
    for bits in (8, 16, 24, 32, 40, 48, 56, 64):
        for data_type in (0, 1, 2, 3):
            signed, big = data_type >= 2, data_type % 2 == 1
            low, high = (-(1 << (bits - 1)), (1 << (bits - 1)) - 1) if signed else (0, (1 << bits) - 1)
            values = [low, high, 0] + [rng.randint(low, high) for _ in range(rows - 3)]
            name = f"{'i' if signed else 'u'}{bits}{'be' if big else 'le'}"
            described.append(dict(name=name, data_type=data_type, byte=byte, bits=bits))
            pieces.append([v.to_bytes(bits // 8, "big" if big else "little", signed=signed) for v in values])
            want[name] = values
            byte += bits // 8
    for bits, code in ((16, "e"), (32, "f"), (64, "d")):
        for data_type, order in ((4, "<"), (5, ">")):
            values = [0.0, -0.0, 1.5, -2.25, math.inf, math.nan] + [rng.uniform(-60000, 60000) for _ in range(rows - 6)]
            raw = [struct.pack(order + code, v) for v in values]
            name = f"f{bits}{'be' if order == '>' else 'le'}"
            described.append(dict(name=name, data_type=data_type, byte=byte, bits=bits))
            pieces.append(raw)
            want[name] = [struct.unpack(order + code, r)[0] for r in raw]
            byte += bits // 8
    clock = times(rows)
    records = b"".join(struct.pack("<d", clock[i]) + b"".join(p[i] for p in pieces) for i in range(rows))
    for version in (400, 410, 411, 420):
        file = File(version)
        data = file.head(simple(file, described, records, rows, byte))
        Case(folder, f"numbers-{version}").write(data, [found(want, clock)])


def bits(folder):
    """Fields that begin and end anywhere, several in one byte, both byte orders."""
    rng = random.Random(2)
    rows = 64
    fields = [(0, 3, 5, 0), (0, 0, 3, 0), (1, 2, 12, 2), (3, 4, 1, 0), (3, 5, 2, 2), (4, 1, 30, 0), (8, 6, 26, 2),
              (12, 3, 13, 1), (14, 0, 20, 3), (17, 5, 3, 1), (18, 7, 1, 0), (19, 2, 38, 3)]
    described, want = [], {}
    body = [bytes(rng.randrange(256) for _ in range(24)) for _ in range(rows)]
    for n, (byte, bit, count, data_type) in enumerate(fields):
        name = f"field{n}"
        described.append(dict(name=name, data_type=data_type, byte=8 + byte, bit=bit, bits=count))
        values = []
        for record in body:
            touched = record[byte:byte + (bit + count + 7) // 8]
            whole = int.from_bytes(touched, "big" if data_type % 2 else "little")
            value = whole >> bit & ((1 << count) - 1)
            if data_type >= 2 and value >> (count - 1):
                value -= 1 << count
            values.append(value)
        want[name] = values
    clock = times(rows)
    records = b"".join(struct.pack("<d", t) + r for t, r in zip(clock, body))
    file = File()
    Case(folder, "bits").write(file.head(simple(file, described, records, rows, 32)), [found(want, clock)])


def conversions(folder):
    """0 to 11, on whole numbers and reals, their edges included."""
    rows = 24
    whole = [0, 1, 2, 3, 4, 5, 9, 10, 11, 15, 19, 20, 21, 25, 29, 30, 31, 50, 99, 100, 101, 150, 200, 255]
    real = [-5.0, 0.0, 0.5, 1.0, 2.0, 2.5, 3.0, 4.999, 5.0, 7.5, 9.99, 10.0, 10.5, 14.0, 15.0, 20.0, 29.0, 30.0, 33.3,
            40.0, 99.0, 100.0, 1e6, math.nan]
    file = File(420)
    described, want = [], {}

    def both(name, make, of, unit=None):
        for suffix, source, is_real in (("", whole, False), (" of reals", real, True)):
            described.append(dict(name=name + suffix, data_type=4 if is_real else 0, byte=9 if is_real else 8,
                                  bits=64 if is_real else 8, conversion=make(), unit=unit))
            want[name + suffix] = [math.nan if isinstance(v, float) and math.isnan(v) else of(v, is_real)
                                   for v in source]

    both("none", lambda: 0, lambda v, r: v)
    both("one to one", lambda: file.conversion(0), lambda v, r: v)
    both("linear", lambda: file.conversion(1, [-40, 0.75], unit="\u00b0C"), lambda v, r: -40 + 0.75 * v)
    both("rational", lambda: file.conversion(2, [0.5, 2, 3, 0, 0.1, 5]),
         lambda v, r: (0.5 * v * v + 2 * v + 3) / (0.1 * v + 5))
    both("pole", lambda: file.conversion(2, [0, 0, 1, 0, 1, 0]), lambda v, r: 1 / v if v else math.nan)
    both("formula", lambda: file.conversion(3, [], ["(X-10)*0.5 + sqrt(abs(X))/2"]),
         lambda v, r: (v - 10) * 0.5 + math.sqrt(abs(v)) / 2)
    both("power", lambda: file.conversion(3, [], ["X^2 + pow(X, 3)"]), lambda v, r: v**2 + v**3)
    table = [(0, 100.0), (10, 50.0), (30, 45.0), (100, -20.0)]
    flat = [x for pair in table for x in pair]

    def interpolated(v, _):
        if v <= table[0][0]:
            return table[0][1]
        for (a, fa), (b, fb) in zip(table, table[1:]):
            if v < b:
                return fa + (fb - fa) * (v - a) / (b - a)
        return table[-1][1]

    both("interpolated", lambda: file.conversion(4, flat), interpolated)

    def stepped(v, _):
        best = table[0]
        for pair in table[1:]:
            if abs(v - pair[0]) < abs(v - best[0]):
                best = pair
        return best[1]

    both("stepped", lambda: file.conversion(5, flat), stepped)
    ranges = [(0, 9, 1.0), (10, 19, 2.0), (20, 100, 3.0)]

    def in_range(v, is_real):
        for low, high, value in ranges:
            if low <= v and (v < high if is_real else v <= high):
                return value
        return -1.0

    both("ranges", lambda: file.conversion(6, [x for r in ranges for x in r] + [-1]), in_range)
    both("texts", lambda: file.conversion(7, [0, 1, 2, 10], ["off", "on", "wait", "fault", None]),
         lambda v, r: {0: "off", 1: "on", 2: "wait", 10: "fault"}.get(v, v))
    both("texts and a default", lambda: file.conversion(7, [0, 1], ["off", "on", "other"]),
         lambda v, r: {0: "off", 1: "on"}.get(v, "other"))

    def range_text(v, is_real):
        for low, high, text in ((0, 9, "low"), (10, 29, "mid"), (30, 100, "high")):
            if low <= v and (v < high if is_real else v <= high):
                return text
        return "beyond"

    both("ranges of texts", lambda: file.conversion(8, [0, 9, 10, 29, 30, 100], ["low", "mid", "high", "beyond"]),
         range_text)
    # Partly a number, partly a message: the numbers in the channel, the messages beside it.
    both("number or message", lambda: file.conversion(8, [0, 99], [file.conversion(1, [1, 2]), "not available"]),
         lambda v, r: 1 + 2 * v if 0 <= v and (v < 99 if r else v <= 99) else math.nan)
    for suffix, source, is_real in (("", whole, False), (" of reals", real, True)):
        want["number or message" + suffix + " (text)"] = [
            None if (isinstance(v, float) and math.isnan(v)) or (0 <= v and (v < 99 if is_real else v <= 99))
            else "not available" for v in source]
    gear = lambda: file.conversion(7, [0, 1, 2, 3], ["N", "1", "2", "3", "?"], name="gear")
    lamp = lambda: file.conversion(7, [0, 16], ["off", "on"], name="lamp")
    described.append(dict(name="bits", data_type=0, byte=8, bits=8,
                          conversion=file.conversion(11, [3, 16], [gear(), lamp()], integers=True)))
    want["bits"] = [f"gear = {'N' if v & 3 == 0 else str(v & 3)} | lamp = {'on' if v & 16 else 'off'}" for v in whole]

    words = ["OK", "LOW", "HIGH", "??"] * 6
    described.append(dict(name="text to number", data_type=6, byte=17, bits=64,
                          conversion=file.conversion(9, [1, 2, 3, -7], ["OK", "LOW", "HIGH"])))
    want["text to number"] = [{"OK": 1, "LOW": 2, "HIGH": 3}.get(w, -7) for w in words]
    described.append(dict(name="text to text", data_type=6, byte=17, bits=64,
                          conversion=file.conversion(10, [], ["OK", "in order", "LOW", "too low", "unknown"])))
    want["text to text"] = [{"OK": "in order", "LOW": "too low"}.get(w, "unknown") for w in words]
    clock = times(rows)
    records = b"".join(struct.pack("<dBd8s", t, w, x, s.encode()) for t, w, x, s in zip(clock, whole, real, words))
    channels = file.channels([time_channel()] + described)
    group = file.group(channels, rows, 25)
    data = file.head(file.data_group(group, file.plain(records)))
    Case(folder, "conversions").write(data, [found(want, clock, units={"linear": "\u00b0C"})])


def texts(folder):
    """All encodings, fixed, variable, within a maximum; bytes, dates and times."""
    words = ["gr\u00fcn", "rot", "", "blau", "rot", "gelb \u00e9\u00e8", "x" * 11, "gr\u00fcn"]
    rows = len(words)
    clock = times(rows)
    file = File(411)
    size = 24
    encodings = [(6, "latin-1"), (7, "utf-8"), (8, "utf-16-le"), (9, "utf-16-be")]
    described, byte, pieces, want = [], 8, [], {}
    empty_is_missing = [w or None for w in words]
    for data_type, encoding in encodings:
        raw = [w.encode(encoding)[:size].ljust(size, b"\0") for w in words]
        described.append(dict(name=f"fixed {encoding}", data_type=data_type, byte=byte, bits=size * 8))
        pieces.append(raw)
        want[f"fixed {encoding}"] = [r.decode(encoding).split("\0")[0] or None for r in raw]
        byte += size
    described.append(dict(name="bytes", data_type=10, byte=byte, bits=32))
    arrays = [bytes([i, 255 - i, 7, 128]) for i in range(rows)]
    pieces.append(arrays)
    want["bytes"] = [a.hex() for a in arrays]
    byte += 4
    # 2026-03-07 18:45:12.345 and n ms; 15,406 days after 1984-01-01 is 2026-03-07.
    described.append(dict(name="date", data_type=13, byte=byte, bits=56))
    pieces.append([struct.pack("<HBBBBB", 12345 + i, 45, 18, 7 | 6 << 5, 3, 26) for i in range(rows)])
    want["date"] = [f"2026-03-07T18:45:12.{345 + i:03d}" for i in range(rows)]
    byte += 7
    described.append(dict(name="day time", data_type=14, byte=byte, bits=48))
    pieces.append([struct.pack("<IH", 3723004 + i, 15406) for i in range(rows)])
    want["day time"] = [f"2026-03-07T01:02:03.{4 + i:03d}" for i in range(rows)]
    byte += 6
    for data_type, encoding in encodings:
        stream, offsets = b"", []
        for w in words:
            offsets.append(len(stream))
            raw = w.encode(encoding) + (b"\0\0" if "16" in encoding else b"\0")
            stream += struct.pack("<I", len(raw)) + raw
        half = offsets[4]
        signal = {"latin-1": lambda s: file.plain(s, "SD"),
                  "utf-8": lambda s: file.packed(s, "SD"),
                  "utf-16-le": lambda s: file.listed([file.plain(s[:half], "SD"), file.plain(s[half:], "SD")],
                                                     [half, len(s) - half]),
                  "utf-16-be": lambda s: file.list_head(file.listed([file.packed(s[:half], "SD"),
                                                                     file.packed(s[half:], "SD")],
                                                                    [half, len(s) - half]))}[encoding](stream)
        described.append(dict(name=f"variable {encoding}", data_type=data_type, byte=byte, bits=64, kind=1, data=signal))
        pieces.append([struct.pack("<Q", o) for o in offsets])
        want[f"variable {encoding}"] = empty_is_missing
        byte += 8
    length = file.channel("length", 0, byte, 8)
    described.append(dict(name="within a maximum", data_type=7, byte=byte + 1, bits=8 * 20, kind=5, data=length))
    pieces.append([bytes([len(w.encode())]) + (w.encode() + b"JUNKJUNKJUNKJUNKJUNK")[:20] for w in words])
    want["within a maximum"] = empty_is_missing
    byte += 21
    records = b"".join(struct.pack("<d", clock[i]) + b"".join(p[i] for p in pieces) for i in range(rows))
    channels = file.channels([time_channel()] + described)
    file.link(length, 0, channels)  # the channel that says how long stands first of all
    group = file.group(length, rows, byte)
    want["length"] = [len(w.encode()) for w in words]
    Case(folder, "texts").write(file.head(file.data_group(group, file.plain(records))), [found(want, clock)])


def ramp(rows, start=0):
    return [math.sin(i / 9.0) * 100 + start for i in range(rows)]


def layouts(folder):
    """The same rows in every way that a data section can be laid down."""
    rows = 500
    clock, values, counts = times(rows), [struct.unpack("<f", struct.pack("<f", v))[0] for v in ramp(rows)], list(range(rows))
    records = b"".join(struct.pack("<dfI", *row) for row in zip(clock, values, counts))
    described = [dict(name="wave", data_type=4, byte=8, bits=32), dict(name="count", data_type=0, byte=12, bits=32)]
    want = {"wave": values, "count": counts}
    # Pieces that end in the middle of a record, a tiny and an empty one among them.
    ends = [0, 1003, 1004, 1004, 1600, 3200, 5555, len(records)]
    parts = [records[a:b] for a, b in zip(ends, ends[1:])]
    lengths = [len(p) for p in parts]
    even = [records[i:i + 1600] for i in range(0, len(records), 1600)]

    def make(name, data_of, version=410):
        file = File(version)
        Case(folder, name).write(file.head(simple(file, described, records, rows, 16, data=data_of(file))),
                                 [found(want, clock)])

    make("one block", lambda f: f.plain(records))
    make("list", lambda f: f.listed([f.plain(p) for p in parts], lengths))
    make("list of equal blocks", lambda f: f.listed([f.plain(p) for p in even], [], equal=1600))
    make("lists", lambda f: f.listed([f.plain(p) for p in parts[:3]], lengths[:3],
                                     next_=f.block("DL", [0] + [f.plain(p) for p in parts[3:]],
                                                   struct.pack("<BBBBI4Q", 0, 0, 0, 0, 4, *ends[3:7]))))
    make("packed block", lambda f: f.packed(records))
    make("transposed block", lambda f: f.packed(records, width=16))
    make("packed list", lambda f: f.list_head(f.listed([f.packed(p) for p in parts], lengths)))
    make("transposed list", lambda f: f.list_head(f.listed([f.packed(p, width=16) for p in parts], lengths), 1))
    make("mixed list", lambda f: f.list_head(f.listed(
        [f.packed(p, width=7) if i % 2 else f.plain(p) for i, p in enumerate(parts)], lengths), 1))
    file = File()
    Case(folder, "no rows").write(file.head(simple(file, described, b"", 0, 16, data=0)),
                                  [found({"wave": [], "count": []}, [])])
    by_column(folder, clock, values, counts)


def by_column(folder, clock, values, counts):
    """4.20: each channel a group of its own, values and their validity in lists of their own."""
    rows = len(clock)
    for packed in (False, True):
        file = File(420)
        block = (lambda d, k: file.packed(d, k)) if packed else (lambda d, k: file.plain(d, k))
        cuts = [0, 200, 201, rows]

        def column(data, width, invalid=None):
            pieces = [block(data[a * width:b * width], "DV") for a, b in zip(cuts, cuts[1:])]
            flags, links = 0, [0, *pieces]
            if invalid is not None:
                links += [block(invalid[a:b], "DI") for a, b in zip(cuts, cuts[1:])]
                flags = 1 << 31
            return file.block("LD", links, struct.pack("<II3Q", flags, len(pieces), *cuts[:-1]))

        invalid = bytes(1 if i % 50 == 7 else 0 for i in range(rows))
        clock_group = file.group(file.channels([time_channel()]), rows, 8)
        wave = file.group(file.channels([dict(name="wave", data_type=4, byte=0, bits=32, flags=2, invalid_bit=0)]),
                          rows, 4, invalid_bytes=1, flags=8, master=clock_group)
        count = file.group(file.channels([dict(name="count", data_type=0, byte=0, bits=32)]), rows, 4, flags=8,
                           master=clock_group)
        last = file.data_group(count, column(struct.pack(f"<{rows}I", *counts), 4))
        middle = file.data_group(wave, column(struct.pack(f"<{rows}f", *values), 4, invalid), next_=last)
        first = file.data_group(clock_group, column(struct.pack(f"<{rows}d", *clock), 8), next_=middle)
        want = {"wave": [math.nan if invalid[i] else v for i, v in enumerate(values)], "count": counts}
        Case(folder, "by column packed" if packed else "by column").write(file.head(first), [found(want, clock)])


def unsorted(folder):
    """Records of several groups in one section, with ids of every width; texts among them."""
    for id_bytes in (1, 2, 4, 8):
        for packed in (False, True):
            file = File()
            rng = random.Random(id_bytes)
            rows_a, rows_b, words = 300, 120, []
            ids = [3, 200, 77]
            a = [(i * 0.01, i * 3) for i in range(rows_a)]
            b = [(i * 0.025 + 0.001, -i) for i in range(rows_b)]
            events = sorted([(t, 0, v) for t, v in a] + [(t, 1, v) for t, v in b])
            stream, vlsd = b"", 0
            tag = lambda n: ids[n].to_bytes(id_bytes, "little")
            for t, which, value in events:
                if which == 0:
                    stream += tag(0) + struct.pack("<dH", t, value)
                    continue
                word = rng.choice(["alpha", "beta", "gamma delta"]) + str(value % 4)
                words.append(word)
                raw = word.encode() + b"\0"
                stream += tag(2) + struct.pack("<I", len(raw)) + raw
                stream += tag(1) + struct.pack("<dhQ", t, value, vlsd)
                vlsd += 4 + len(raw)
            text_group = file.group(0, rows_b, vlsd & 0xFFFFFFFF, record_id=ids[2], flags=1)
            second = file.group(file.channels([time_channel(), dict(name="down", data_type=2, byte=8, bits=16),
                                               dict(name="word", data_type=7, byte=10, bits=64, kind=1,
                                                    data=text_group)]),
                                rows_b, 18, record_id=ids[1], name="slow", next_=text_group)
            first = file.group(file.channels([time_channel(), dict(name="up", data_type=0, byte=8, bits=16)]), rows_a,
                               10, record_id=ids[0], name="fast", next_=second)
            cuts = [0, 777, 778, 2000, len(stream)]
            parts = [stream[x:y] for x, y in zip(cuts, cuts[1:])]
            data = file.list_head(file.listed([file.packed(p) for p in parts], [len(p) for p in parts])) if packed \
                else file.listed([file.plain(p) for p in parts], [len(p) for p in parts])
            group = file.data_group(first, data, id_bytes=id_bytes)
            Case(folder, f"unsorted {id_bytes}{' packed' if packed else ''}").write(
                file.head(group), [found({"up": [v for _, v in a]}, [t for t, _ in a], "fast"),
                                   found({"down": [v for _, v in b], "word": words}, [t for t, _ in b], "slow")])


def masters(folder):
    """Clocks of all kinds, and none."""
    rows = 50
    level = [i % 7 for i in range(rows)]
    cases = {
        "time in whole ms": (dict(name="t", data_type=0, byte=0, bits=32, kind=2, sync=1, unit="s"), "ms", True),
        "virtual time": (dict(name="t", data_type=0, byte=0, bits=0, kind=3, sync=1, unit="s"), "count", True),
        "unit of ms": (dict(name="t", data_type=0, byte=0, bits=32, kind=2, sync=1, unit="ms"), "raw ms", True),
        "angle": (dict(name="crank", data_type=0, byte=0, bits=32, kind=2, sync=2, unit="rad"), "raw", False),
        "distance": (dict(name="way", data_type=0, byte=0, bits=32, kind=2, sync=3, unit="m"), "raw", False),
        "index": (dict(name="index", data_type=0, byte=0, bits=32, kind=2, sync=4, unit=None), "raw", False),
        "no master": (dict(name="first", data_type=0, byte=0, bits=32), "raw", False),
    }
    for name, (channel, how, timed) in cases.items():
        file = File()
        raw = [i * 20 for i in range(rows)]
        if how == "ms":
            channel["conversion"] = file.conversion(1, [0, 0.001])
        if how == "count":
            channel["conversion"] = file.conversion(1, [5, 0.5])
        clock = {"ms": [r * 0.001 for r in raw], "count": [5 + 0.5 * i for i in range(rows)],
                 "raw ms": [r / 1000 for r in raw], "raw": None}[how]
        channels = file.channels([channel, dict(name="level", data_type=0, byte=4, bits=8),
                                  dict(name="row", data_type=0, byte=0, bits=0, kind=6,
                                       conversion=file.conversion(1, [1, 1]))])
        records = b"".join(struct.pack("<IB", r, v) for r, v in zip(raw, level))
        data = file.head(file.data_group(file.group(channels, rows, 5), file.plain(records)))
        want = {"level": level, "row": [1 + i for i in range(rows)]}
        if not timed:
            want[channel["name"]] = raw
        Case(folder, f"master {name}").write(data, [found(want, clock)])
    file = File()
    channels = file.channels([dict(name="t", data_type=0, byte=0, bits=32, kind=2, sync=1, unit="ms"),
                              dict(name="again", data_type=0, byte=0, bits=32, kind=2, sync=1, unit="ms"),
                              dict(name="level", data_type=0, byte=4, bits=8)])
    records = b"".join(struct.pack("<IB", i * 20, v) for i, v in enumerate(level))
    data = file.head(file.data_group(file.group(channels, rows, 5), file.plain(records)))
    Case(folder, "master twice").write(data, [found({"again": [i * 20 for i in range(rows)], "level": level},
                                                    [i * 0.02 for i in range(rows)])])
    # Nothing is stored at all: clock and values come of counting.
    file = File()
    channels = file.channels([dict(name="t", data_type=0, byte=0, bits=0, kind=3, sync=1,
                                   conversion=file.conversion(1, [0, 0.1])),
                              dict(name="square", data_type=0, byte=0, bits=0, kind=6,
                                   conversion=file.conversion(2, [1, 0, 0, 0, 0, 1]))])
    data = file.head(file.data_group(file.group(channels, rows, 0), 0))
    Case(folder, "all virtual").write(data, [found({"square": [i * i for i in range(rows)]},
                                                   [i * 0.1 for i in range(rows)])])


def validity(folder):
    """Invalidation bits behind the record; a channel that is never valid; one whose bit counts for nothing."""
    rows = 90
    clock = times(rows)
    masks = [(i * 37) % 1024 for i in range(rows)]
    described = [dict(name=f"c{n}", data_type=0, byte=8 + n, bits=8, flags=2, invalid_bit=bit)
                 for n, bit in enumerate((0, 3, 7, 8, 9))]
    described += [dict(name="never", data_type=0, byte=8, bits=8, flags=1),
                  dict(name="always", data_type=0, byte=8, bits=8, flags=0, invalid_bit=0)]
    values = [[(i * (n + 3)) % 256 for i in range(rows)] for n in range(5)]
    records = b"".join(struct.pack("<d5BH", clock[i], *(v[i] for v in values), masks[i]) for i in range(rows))
    want = {f"c{n}": [math.nan if masks[i] >> bit & 1 else values[n][i] for i in range(rows)]
            for n, bit in enumerate((0, 3, 7, 8, 9))}
    want["never"], want["always"] = [math.nan] * rows, values[0]
    file = File()
    Case(folder, "validity").write(file.head(simple(file, described, records, rows, 13, invalid_bytes=2)),
                                   [found(want, clock)])


def structures(folder):
    """Structures, arrays of one and two dimensions, complex numbers, several groups of one name."""
    rows = 30
    clock = times(rows)
    file = File(420)
    parts = file.channels([dict(name="wheel.left", data_type=0, byte=8, bits=16),
                           dict(name="wheel.right", data_type=0, byte=10, bits=16)])
    array = lambda dims, step, flags=0: file.block(
        "CA", [0], struct.pack("<BBHIiI", 0, 0, len(dims), flags, step, 0) + struct.pack(f"<{len(dims)}Q", *dims))
    described = [dict(name="wheel", data_type=10, byte=8, bits=32, parts=parts),
                 dict(name="cyl", data_type=2, byte=12, bits=16, parts=array([4], 2),
                      conversion=file.conversion(1, [0, 0.5])),
                 dict(name="grid", data_type=0, byte=20, bits=8, parts=array([2, 3], 1)),
                 dict(name="turned", data_type=0, byte=20, bits=8, parts=array([2, 3], 1, 64)),
                 dict(name="phasor", data_type=15, byte=26, bits=64)]
    rng = random.Random(5)
    body = [(rng.randrange(65536), rng.randrange(65536), [rng.randint(-999, 999) for _ in range(4)],
             [rng.randrange(256) for _ in range(6)], rng.uniform(-1, 1), rng.uniform(-1, 1)) for _ in range(rows)]
    records = b"".join(struct.pack("<dHH4h6Bff", clock[i], l, r, *c, *g, re, im)
                       for i, (l, r, c, g, re, im) in enumerate(body))
    want = {"wheel.left": [b[0] for b in body], "wheel.right": [b[1] for b in body],
            "phasor": [b[4] for b in body], "phasor (imaginary)": [b[5] for b in body]}
    for n in range(4):
        want[f"cyl[{n}]"] = [b[2][n] * 0.5 for b in body]
    for n in range(6):
        want[f"grid[{n // 3}][{n % 3}]"] = [b[3][n] for b in body]
        want[f"turned[{n % 2}][{n // 2}]"] = [b[3][n] for b in body]
    second = simple(file, [dict(name="x", data_type=0, byte=8, bits=8)],
                    b"".join(struct.pack("<dB", t, 9) for t in clock), rows, 9, name="engine")
    first = simple(file, described, records, rows, 34, name="engine")
    file.link(first, 0, second)
    Case(folder, "structures").write(file.head(first), [found(want, clock, "engine"),
                                                        found({"x": [9] * rows}, clock, "engine")])


def around(folder):
    """Comments, sources, history, attachments, hierarchies, events, blocks nobody knows."""
    rows = 20
    clock = times(rows)
    file = File(411)
    source = file.block("SI", [file.text("gateway"), file.text("bus 1"), 0], struct.pack("<BBB5x", 2, 2, 0))
    comment = file.xml('<CNcomment xmlns="http://www.asam.net/mdf/v4"><TX>Speed &lt;of&gt; the &quot;engine&quot; '
                       '&amp; more &#233;</TX></CNcomment>')
    channels = file.channels([time_channel(), dict(name="n", data_type=0, byte=8, bits=8, unit="1/min", comment=comment)])
    group = file.group(channels, rows, 9, source=source)
    records = b"".join(struct.pack("<dB", t, i) for i, t in enumerate(clock))
    data = file.data_group(group, file.plain(records))
    history = file.block("FH", [0, file.xml("<FHcomment><TX>made</TX></FHcomment>")], struct.pack("<Qhh4x", 1, 0, 0))
    attachment = file.block("AT", [0, file.text("note.txt"), file.text("text/plain"), 0],
                            struct.pack("<HH4x16sQQ", 1, 0, b"", 5, 5) + b"hello" + bytes(3))
    hierarchy = file.block("CH", [0, 0, file.text("all"), 0], struct.pack("<IB3x", 0, 0))
    file.block("ZZ", [], b"a block of a later standard")
    marks, event = [], 0
    kinds = ["recording", "recording interrupted", "acquisition interrupted", "start trigger", "stop trigger", "trigger",
             "marker"]
    for n, kind in reversed(list(enumerate(kinds))):
        event = file.block("EV", [event, 0, 0, file.text(f"event {n}"), 0],
                           struct.pack("<BBBBB3xIHHqd", n, 1, 0, 0, 0, 0, 0, 0, n * 1000, 1e-3))
        marks.insert(0, {"at": n * 1.0, "kind": kind, "text": f"event {n}"})
    event = file.block("EV", [event, 0, 0, 0, file.xml("<EVcomment><TX>in words</TX></EVcomment>")],
                       struct.pack("<BBBBB3xIHHqd", 6, 1, 0, 0, 0, 0, 0, 0, 25, 0.1))
    marks.append({"at": 2.5, "kind": "marker", "text": "in words"})
    marks.sort(key=lambda m: m["at"])
    title = file.xml("<HDcomment><TX>A day on the road</TX></HDcomment>")
    Case(folder, "around").write(
        file.head(data, comment=title, events=event, history=history, attachment=attachment, hierarchy=hierarchy),
        [found({"n": list(range(rows))}, clock, "gateway", units={"n": "1/min"})], marks,
        title="A day on the road", started="2026-03-01T10:12:05Z",
        descriptions={"n": 'Speed <of> the "engine" & more \u00e9'})


def unfinalised(folder):
    """Recordings that broke off: counts not written, the last length not written, the last record cut."""
    rows = 200
    clock, counts = times(rows), list(range(rows))
    records = b"".join(struct.pack("<dI", *row) for row in zip(clock, counts))
    described = [dict(name="count", data_type=0, byte=8, bits=32)]

    def want(n):
        return [found({"count": counts[:n]}, clock[:n])]

    file = File(finalised=False, flags=1)
    Case(folder, "unfinalised count").write(file.head(simple(file, described, records, 0, 12)), want(rows))
    for name, tail in (("whole", b""), ("cut", records[:7])):
        file = File(finalised=False, flags=5)
        channels = file.channels([time_channel()] + described)
        group = file.group(channels, 0, 12)
        at = file.data_group(group, 0)
        file.link(at, 2, file.block("DT", [], records + tail, length=24))
        Case(folder, f"unfinalised length {name}").write(file.head(at), want(rows))
    file = File(finalised=False, flags=5)
    channels = file.channels([time_channel()] + described)
    a = file.group(channels, 0, 12, record_id=1)
    at = file.data_group(a, 0, id_bytes=1)
    stream = b"".join(b"\1" + records[i:i + 12] for i in range(0, len(records), 12))
    file.link(at, 2, file.block("DT", [], stream[:-5], length=0))
    Case(folder, "unfinalised unsorted").write(file.head(at), want(rows - 1))


def sizes(folder):
    """Many channels, many groups, long texts."""
    rows = 12
    clock = times(rows)
    file = File()
    described = [dict(name=f"signal number {n} with a long name", data_type=0, byte=8 + 2 * n, bits=16, unit="V")
                 for n in range(600)]
    records = b"".join(struct.pack("<d600H", clock[i], *((i * n) % 65536 for n in range(600))) for i in range(rows))
    group = simple(file, described, records, rows, 1208)
    for g in range(40):
        group_ = simple(file, [dict(name="v", data_type=0, byte=8, bits=8)],
                        b"".join(struct.pack("<dB", t, g) for t in clock), rows, 9, name=f"group {g}")
        file.link(group_, 0, group)
        group = group_
    groups = [found({"v": [g] * rows}, clock, f"group {g}") for g in reversed(range(40))]
    groups.append(found({d["name"]: [(i * n) % 65536 for i in range(rows)] for n, d in enumerate(described)}, clock))
    Case(folder, "sizes").write(file.head(group), groups)


def main():
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    for make in (numbers, bits, conversions, texts, layouts, unsorted, masters, validity, structures, around,
                 unfinalised, sizes):
        make(folder)
    print(len(list(folder.glob("*.mf4"))), "files")


if __name__ == "__main__":
    main()
