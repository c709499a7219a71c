#!/usr/bin/env python3
# A small reader of the MDF 4.10 files that Brusk writes, from the standard; it shares no code with Brusk. Prints a file
# as JSON, or checks a folder's files against the oracles beside them: read_mdf.py FILE | read_mdf.py --check FOLDER
# SPDX-License-Identifier: GPL-3.0-or-later
import json
import math
import re
import struct
import sys
import zlib
from html import unescape
from pathlib import Path


class Mdf:
    def __init__(self, data):
        assert data[:8] == b"MDF     ", "not finalised, or no MDF"
        assert data[8:16].rstrip() == b"4.10" and struct.unpack_from("<H", data, 28)[0] == 410
        self.data = data

    def block(self, at, kind):
        assert at % 8 == 0, f"block at {at} is not aligned"
        head, length, links = struct.unpack_from("<4s4xQQ", self.data, at)
        assert head == b"##" + kind.encode(), f"at {at}: {head}, wanted {kind}"
        assert at + length <= len(self.data)
        targets = struct.unpack_from(f"<{links}Q", self.data, at + 24)
        return targets, self.data[at + 24 + 8 * links:at + length]

    def kind(self, at):
        return self.data[at + 2:at + 4].decode()

    def chain(self, at, kind):
        while at:
            links, body = self.block(at, kind)
            yield links, body
            at = links[0]

    def text(self, at):
        if not at:
            return ""
        return self.block(at, self.kind(at))[1].split(b"\0")[0].decode("utf-8")

    def section(self, at):
        if not at:
            return b""
        kind = self.kind(at)
        if kind == "HL":
            return self.section(self.block(at, "HL")[0][0])
        if kind == "DL":
            out = b""
            for links, body in self.chain(at, "DL"):
                flags, count = struct.unpack_from("<B3xI", body)
                assert count == len(links) - 1 and flags == 0
                offsets = struct.unpack_from(f"<{count}Q", body, 8)
                for target, offset in zip(links[1:], offsets):
                    assert offset == len(out), "a list's offset is wrong"
                    out += self.section(target)
            return out
        if kind == "DZ":
            body = self.block(at, "DZ")[1]
            of, zipped, width, length, packed = struct.unpack_from("<2sBxIQQ", body)
            assert of == b"DT"
            raw = zlib.decompress(body[24:24 + packed])
            assert len(raw) == length
            if zipped == 1:
                rows = length // width
                turned = b"".join(raw[row:rows * width:rows] for row in range(rows))
                raw = turned + raw[rows * width:]
            return raw
        return self.block(at, "DT")[1]

    def channels(self, at):
        for links, body in self.chain(at, "CN"):
            kind, sync, data_type, bit, byte, bits = struct.unpack_from("<BBBBII", body)
            assert data_type == 4 and bit == 0
            states = {}
            if links[4]:
                references, conversion = self.block(links[4], "CC")
                number, _, _, texts, values = struct.unpack_from("<BBHHH", conversion)
                assert number == 7 and texts == values + 1 and len(references) == 4 + texts
                keys = struct.unpack_from(f"<{values}d", conversion, 24)
                states = {k: self.text(t) for k, t in zip(keys, references[4:])}
            comment = self.text(links[7])
            description = re.search("<TX>(.*?)</TX>", comment, re.S)
            yield dict(name=self.text(links[2]), unit=self.text(links[6]), master=kind == 2, sync=sync, byte=byte,
                       bits=bits, states=states, description=unescape(description.group(1)) if description else "")

    def groups(self):
        (first, *_), _ = self.block(64, "HD")
        for links, body in self.chain(first, "DG"):
            assert body[0] == 0
            group_links, group = self.block(links[1], "CG")
            _, rows, _, _, size, invalid = struct.unpack_from("<QQHHxxxxII", group)
            assert invalid == 0
            data = self.section(links[2])
            assert len(data) == rows * size, f"{len(data)} bytes for {rows} rows of {size}"
            time, channels, units = None, {}, {}
            for c in self.channels(group_links[1]):
                code = {32: "f", 64: "d"}[c["bits"]]
                values = [struct.unpack_from("<" + code, data, row * size + c["byte"])[0] for row in range(rows)]
                if c["master"]:
                    assert c["sync"] == 1 and c["unit"] == "s"
                    time = values
                    continue
                channels[c["name"]] = [None if not math.isfinite(v) else c["states"].get(v, v) for v in values]
                units[c["name"]] = c["unit"]
            yield dict(name=self.text(group_links[2]), time=time, channels=channels, units=units)

    def marks(self):
        (_, _, _, _, events, _), _ = self.block(64, "HD")
        for links, body in self.chain(events, "EV"):
            kind, sync = struct.unpack_from("<BB", body)
            assert kind == 6 and sync == 1
            base, factor = struct.unpack_from("<qd", body, 16)
            comment = re.search('<e name="kind">(.*?)</e>', self.text(links[4]))
            yield dict(at=base * factor, text=self.text(links[3]), kind=unescape(comment.group(1)) if comment else "")

    def all(self):
        return dict(groups=list(self.groups()), marks=list(self.marks()))


def same(a, b):
    if a is None or b is None or isinstance(a, str) or isinstance(b, str):
        return a == b
    return abs(a - b) <= 2e-7 * abs(b) + 1e-30


def differs(have, want):
    if len(have["groups"]) != len(want["groups"]):
        return f"{len(have['groups'])} groups"
    for a, b in zip(have["groups"], want["groups"]):
        if a["name"] != b["name"]:
            return "a name"
        if (a["time"] is None) != (b["time"] is None):
            return "a clock, or none"
        if b["time"] is not None and (len(a["time"]) != len(b["time"])
                                      or any(abs(x - y) > 1e-9 for x, y in zip(a["time"], b["time"]))):
            return "the clock"
        if set(a["channels"]) != set(b["channels"]):
            return "the channels"
        for name, values in b["channels"].items():
            if len(values) != len(a["channels"][name]):
                return f"{name}: the number of values"
            for row, (x, y) in enumerate(zip(a["channels"][name], values)):
                if not same(x, y):
                    return f"{name} row {row}: {x}, wanted {y}"
        if any(a["units"][name] != unit for name, unit in b["units"].items()):
            return "a unit"
    if len(have["marks"]) != len(want["marks"]):
        return "the marks"
    for a, b in zip(have["marks"], want["marks"]):
        if abs(a["at"] - b["at"]) > 1e-9 or a["text"] != b["text"] or a["kind"] != b["kind"]:
            return f"mark {b['text']}"
    return None


def main():
    if sys.argv[1] != "--check":
        print(json.dumps(Mdf(Path(sys.argv[1]).read_bytes()).all()))
        return 0
    agree = different = 0
    for path in sorted(Path(sys.argv[2]).glob("*.mf4")):
        problem = differs(Mdf(path.read_bytes()).all(), json.loads(path.with_suffix(".json").read_text()))
        agree, different = agree + (problem is None), different + (problem is not None)
        if problem:
            print(f"{path.name}: {problem}")
    print(f"{agree} agree, {different} differ")
    return 0


if __name__ == "__main__":
    sys.exit(main())
