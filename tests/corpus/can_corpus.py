#!/usr/bin/env python3
# CAN logs with the DBC files that describe them, encoded signal by signal from the format's description, each with an
# oracle. Shares no code with Brusk. can_corpus.py FOLDER
# SPDX-License-Identifier: GPL-3.0-or-later
import json
import random
import struct
import sys
from pathlib import Path


def place(data, start, bits, little, raw):
    """Puts `bits` bits of raw into 8 bytes, as DBC counts them."""
    for i in range(bits):
        if little:
            position, bit = start + i, raw >> i & 1
        else:
            # The start bit is the most significant one; the next is one below it, or the top one of the next byte.
            if i == 0:
                position = start
            elif position % 8:
                position -= 1
            else:
                position += 15
            bit = raw >> (bits - 1 - i) & 1
        data[position // 8] |= bit << position % 8


def touched(start, bits, little):
    out, position = set(), start
    for i in range(bits):
        if i:
            position = position + 1 if little else (position - 1 if position % 8 else position + 15)
        if not 0 <= position < 64:
            return None
        out.add(position)
    return out


class Signal:
    def __init__(self, name, start, bits, little, signed, factor, offset, unit="", real=0, mux="", texts=None):
        self.__dict__.update(locals())

    def line(self):
        return (f" SG_ {self.name} {self.mux + ' ' if self.mux else ''}: {self.start}|{self.bits}@{int(self.little)}"
                f"{'-' if self.signed else '+'} ({self.factor},{self.offset}) [0|0] \"{self.unit}\" Vector__XXX\n")

    def draw(self, rng):
        """A raw value's bits, and what it means."""
        if self.real == 1:
            value = struct.unpack("<f", struct.pack("<f", rng.uniform(-1000, 1000)))[0]
            return struct.unpack("<I", struct.pack("<f", value))[0], value * self.factor + self.offset
        if self.real == 2:
            value = rng.uniform(-1e9, 1e9)
            return struct.unpack("<Q", struct.pack("<d", value))[0], value * self.factor + self.offset
        raw = rng.getrandbits(self.bits)
        value = raw - (1 << self.bits) if self.signed and raw >> (self.bits - 1) else raw
        shown = value * self.factor + self.offset
        return raw, self.texts.get(value, shown) if self.texts else shown


def draw_signals(rng, free, count, prefix, mux=""):
    out = []
    for n in range(count):
        for _ in range(200):
            bits, little = rng.choice([1, 2, 3, 4, 7, 8, 10, 12, 16, 16, 24, 32]), rng.random() < 0.5
            start = rng.randrange(64)
            cells = touched(start, bits, little)
            if cells is None or not cells <= free:
                continue
            free -= cells
            texts = None
            if bits <= 4 and rng.random() < 0.5:
                texts = {v: f"{prefix} state {v}" for v in range(1 << bits)}
            signed = rng.random() < 0.4 and texts is None
            out.append(Signal(f"{prefix}_{n}", start, bits, little, signed, rng.choice([1, 0.5, 0.01, 0.0001, 2, -1]),
                              rng.choice([0, 0, -40, 12.5]), rng.choice(["", "kPa", "rpm", "V"]),
                              mux=mux, texts=None if texts is None else texts))
            if texts:
                out[-1].factor, out[-1].offset = 1, 0
            break
    return out


def frame_line(time, identifier, extended, data):
    name = f"{identifier:08X}" if extended else f"{identifier:03X}"
    return f"({time:.6f}) can0 {name}#{data.hex().upper()}\n"


def make(folder, seed):
    rng = random.Random(seed)
    dbc = 'VERSION ""\n\nNS_ :\n\tCM_\n\tVAL_\n\nBS_:\n\nBU_: Box\n\n'
    tail, frames, groups = "", [], []
    start = 1772359925.0
    for m in range(14):
        extended = rng.random() < 0.3
        identifier = (rng.randrange(0x100, 0x1FFFFFFF) if extended else 0x100 + m * 3)
        name, free = f"msg{m}", set(range(64))
        number = identifier | 0x80000000 if extended else identifier
        kind = rng.choice(["plain", "plain", "multiplexed", "real"])
        parts = {}
        if kind == "real":
            parts[None] = [Signal(f"m{m}_f", 0, 32, True, False, 2, 1, "V", 1),
                           Signal(f"m{m}_g", 39, 32, False, False, 1, 0, "V", 1)]
            if rng.random() < 0.5:
                parts[None] = [Signal(f"m{m}_d", 7, 64, False, False, 1, 0, "m", 2)]
        elif kind == "multiplexed":
            switch = Signal(f"m{m}_mux", 0, 4, True, False, 1, 0, mux="M")
            free -= set(range(4))
            parts[None] = [switch] + draw_signals(rng, free, 2, f"m{m}_always")
            for value in (1, 3, 12):
                parts[value] = draw_signals(rng, set(free), 3, f"m{m}_at{value}", f"m{value}")
        else:
            parts[None] = draw_signals(rng, free, 6, f"m{m}")
        signals = [s for part in parts.values() for s in part]
        dbc += f"BO_ {number} {name}: 8 Box\n" + "".join(s.line() for s in signals) + "\n"
        for s in signals:
            if s.real:
                tail += f"SIG_VALTYPE_ {number} {s.name} : {s.real};\n"
            if s.texts:
                tail += f"VAL_ {number} {s.name} " + " ".join(f'{k} "{v}"' for k, v in s.texts.items()) + " ;\n"
        tail += f'CM_ BO_ {number} "about; this\nmessage";\n'
        found = {value: ([], {s.name: [] for s in part}) for value, part in parts.items() if part}
        period, t = rng.choice([0.01, 0.02, 0.1, 0.5]), start + rng.random() * 0.05
        for n in range(40):
            time, data = round(t + n * period, 6), bytearray(8)
            here = rng.choice([v for v in parts if v is not None] + [5]) if len(parts) > 1 else None
            for value, part in parts.items():
                if value is not None and value != here or not part:
                    continue
                found[value][0].append(time)
                for s in part:
                    if s.mux == "M":
                        raw, shown = here, here
                    else:
                        raw, shown = s.draw(rng)
                    place(data, s.start, s.bits, s.little, raw)
                    found[value][1][s.name].append(shown)
            frames.append((time, frame_line(time, identifier, extended, bytes(data))))
        for value, (clock, channels) in found.items():
            if clock:
                label = name if value is None else f"{name}, m{m}_mux {value}"
                groups.append((number & 0x1FFFFFFF, extended, label, clock, channels, signals))
    for n in range(60):
        time = round(start + n * 0.07, 6)
        frames.append((time, rng.choice([f"({time:.6f}) can0 0F0##1AABBCCDDEEFF00112233\n", f"({time:.6f}) can1 123#R\n",
                                         f"({time:.6f}) can0 20000004#0000000000000000\n",
                                         f"({time:.6f}) can0 7E8#0341000000\n"])))
    frames.sort(key=lambda f: f[0])
    first = min(time for time, line in frames if "##" not in line and "#R" not in line and " 2000" not in line)
    groups.sort(key=lambda g: (g[0], g[1]))
    stem = folder / f"log {seed}"
    Path(f"{stem}.dbc").write_text(dbc + tail)
    Path(f"{stem}.log").write_text("".join(line for _, line in frames))
    oracle = [{"name": label, "time": [round(t - first, 6) for t in clock], "channels": channels,
               "units": {s.name: s.unit for s in signals if s.name in channels}}
              for _, _, label, clock, channels, signals in groups]
    Path(f"{stem}.json").write_text(json.dumps({"groups": oracle, "marks": [], "started": "2026-03-01T10:12:05Z"}))


def main():
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    for seed in range(40):
        make(folder, seed)
    print(40, "logs")


if __name__ == "__main__":
    main()
