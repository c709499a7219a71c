#!/usr/bin/env python3
# Tables in every dialect that programs write, each with an oracle: what must be read without a word said about it.
# Shares no code with Brusk. csv_corpus.py FOLDER
# SPDX-License-Identifier: GPL-3.0-or-later
import itertools
import json
import math
import random
import sys
from pathlib import Path

ROWS = 60


class Table:
    """What is in it, and how it is written."""

    def __init__(self, folder):
        self.folder = folder

    def write(self, name, text, groups, encoding="utf-8", **more):
        data = text if isinstance(text, bytes) else text.encode(encoding)
        (self.folder / f"{name}.csv").write_bytes(data)
        (self.folder / f"{name}.json").write_text(json.dumps({"groups": groups, "marks": [], **more}))


def found(channels, time, units=None):
    return {"name": "", "time": time, "channels": channels, "units": units or {}}


def shown(value, decimal, digits=3):
    return f"{value:.{digits}f}".replace(".", decimal)


SPEED = [800 + 13 * (i % 40) for i in range(ROWS)]
BOOST = [round(97.25 + 60 * math.sin(i / 7), 3) for i in range(ROWS)]
COLD = [round(-12.5 + i / 8, 3) for i in range(ROWS)]
TIME = [round(i * 0.05, 3) for i in range(ROWS)]
UNITS = {"Engine speed": "rpm", "Boost": "kPa", "Intake": "\u00b0C"}
WANT = {"Engine speed": SPEED, "Boost": BOOST, "Intake": COLD}


def rows_of(decimal, time=None):
    for i in range(ROWS):
        yield [time[i] if time else shown(TIME[i], decimal), str(SPEED[i]), shown(BOOST[i], decimal),
               shown(COLD[i], decimal)]


def joined(rows, separator, end="\n"):
    return "".join(separator.join(row) + end for row in rows)


def separators(t):
    """Every separator with every decimal sign, names with units below them, in brackets, and none."""
    for (word, separator), decimal in itertools.product(
            {"comma": ",", "semicolon": ";", "tab": "\t", "bar": "|", "blanks": "   "}.items(), ".,"):
        if separator == decimal:
            continue
        name = f"{word} {'point' if decimal == '.' else 'comma'}"
        body = joined(rows_of(decimal), separator)
        blanks = word == "blanks"
        below = [["Time", "Engine_speed" if blanks else "Engine speed", "Boost", "Intake"], ["s", "rpm", "kPa", "\u00b0C"]]
        want = {("Engine_speed" if blanks and k == "Engine speed" else k): v for k, v in WANT.items()}
        units = {("Engine_speed" if blanks and k == "Engine speed" else k): v for k, v in UNITS.items()}
        t.write(f"{name} units below", joined(below, separator) + body, [found(want, TIME, units)])
        if not blanks:
            for open_, close in ("()", "[]"):
                head = [f"{n} {open_}{u}{close}" for n, u in zip(below[0], below[1])]
                t.write(f"{name} units in {open_}{close}", joined([head], separator) + body, [found(WANT, TIME, UNITS)])
        t.write(f"{name} no units", joined([below[0]], separator) + body, [found(want, TIME)])
        t.write(f"{name} no header", body,
                [found({"column 2": SPEED, "column 3": BOOST, "column 4": COLD}, TIME)])


def encodings(t):
    head = [["Zeit", "Drehzahl", "Druck", "Temp\u00e9rature d'air"], ["s", "1/min", "kPa", "\u00b0C"]]
    text = joined(head, ";") + joined(rows_of(","), ";")
    groups = [found({"Drehzahl": SPEED, "Druck": BOOST, "Temp\u00e9rature d'air": COLD}, TIME,
                    {"Drehzahl": "1/min", "Temp\u00e9rature d'air": "\u00b0C"})]
    for name, data in {"utf-8": text.encode(), "utf-8 with mark": b"\xef\xbb\xbf" + text.encode(),
                       "utf-16 little with mark": b"\xff\xfe" + text.encode("utf-16-le"),
                       "utf-16 big with mark": b"\xfe\xff" + text.encode("utf-16-be"),
                       "utf-16 little": text.encode("utf-16-le"), "utf-16 big": text.encode("utf-16-be"),
                       "windows-1252": text.encode("windows-1252")}.items():
        t.write(f"encoding {name}", data, groups)
    euro = text.replace("Druck", "Preis \u20ac")
    groups = [found({"Drehzahl": SPEED, "Preis \u20ac": BOOST, "Temp\u00e9rature d'air": COLD}, TIME)]
    t.write("encoding windows-1252 beyond latin-1", euro.encode("windows-1252"), groups)


def line_ends(t):
    head = [["Time", "Engine speed", "Boost", "Intake"]]
    for name, end in {"return and feed": "\r\n", "return": "\r"}.items():
        t.write(f"ends {name}", joined(head, ",", end) + joined(rows_of("."), ",", end), [found(WANT, TIME)])
    text = joined(head, ",") + joined(rows_of("."), ",")
    t.write("ends without the last", text[:-1], [found(WANT, TIME)])
    t.write("ends with empty rows", text.replace("\n", "\n\n"), [found(WANT, TIME)])
    t.write("ends with a separator", text.replace("\n", ",\n"), [found(WANT, TIME)])
    t.write("ends with blanks", text.replace(",", " , ").replace("\n", "  \n"), [found(WANT, TIME)])


def clock(seconds, digits=3, decimal="."):
    seconds %= 86400
    whole = int(seconds)
    out = f"{whole // 3600:02d}:{whole // 60 % 60:02d}:{whole % 60:02d}"
    return out + (decimal + f"{round((seconds - whole) * 10**digits):0{digits}d}" if digits else "")


def times(t):
    head = ["Time", "Engine speed", "Boost", "Intake"]

    def make(name, cells, want=TIME, unit=None, separator=";", decimal=".", label="Time", **more):
        rows = [[label + (f" ({unit})" if unit else ""), *head[1:]]] + list(rows_of(decimal, cells))
        t.write(f"time {name}", joined(rows, separator), [found(WANT, want)], **more)

    make("s from 100", [shown(100 + x, ".") for x in TIME], [100 + x for x in TIME])
    make("ms by its unit", [str(round(x * 1000)) for x in TIME], unit="ms")
    make("ms by its steps", [str(round(x * 1000)) for x in TIME])
    make("ms with decimals", [f"{x * 1000:.1f}" for x in TIME], unit="ms")
    make("us by its unit", [str(round(x * 1e6)) for x in TIME], unit="us")
    make("us by its steps", [str(round(x * 1e6)) for x in TIME], label="Timestamp")
    make("min", [f"{x / 60:.15f}" for x in TIME], unit="min")
    make("h", [f"{x / 3600:.15f}" for x in TIME], unit="h")
    make("clock", [clock(36000 + x) for x in TIME])
    make("clock with decimal comma", [clock(36000 + x, decimal=",") for x in TIME], decimal=",")
    make("clock over midnight", [clock(86398.5 + x) for x in TIME])
    make("clock in whole seconds", [clock(50000 + i, 0) for i in range(ROWS)], [float(i) for i in range(ROWS)])
    make("clock with ms behind a colon", [clock(36000 + x).replace(".", ":") for x in TIME])
    make("minutes and seconds", [f"{int(59 * 60 + 58.5 + x) // 60}:{(59 * 60 + 58.5 + x) % 60:06.3f}" for x in TIME])
    half = [clock((46800 - 1.5 + x)) for x in TIME]
    make("clock with PM", [("12" if c.startswith("12") else f"{int(c[:2]) - 12}") + c[2:] + " PM" for c in half])
    for name, day in {"iso": "2026-03-01T", "iso with blank": "2026-03-01 ", "points": "01.03.2026 ",
                      "slashes": "3/1/2026 "}.items():
        make(f"date {name}", [day + clock(36000 + x) for x in TIME])
    make("date with zone", ["2026-03-01T" + clock(36000 + x) + "+01:00" for x in TIME])
    make("date over midnight", [("2026-02-28T" if x < 1.5 else "2026-03-01T") + clock(86398.5 + x) for x in TIME],
         started="2026-02-28T23:59:58")
    make("date month first", [f"12/{31}/2026 " + clock(36000 + x) for x in TIME], started="2026-12-31T10:00:00")
    rows = [["Date", *head]] + [["2026-03-01", clock(36000 + TIME[i]), *row[1:]] for i, row in enumerate(rows_of("."))]
    t.write("time date beside clock", joined(rows, ";"), [found(WANT, TIME)])
    make("since 1970 in s", [f"{1772359925 + x:.3f}" for x in TIME], [1772359925 + x for x in TIME])
    rows = [["Engine speed", "Boost", "Intake", "t [s]"]] + [row[1:] + row[:1] for row in rows_of(".")]
    t.write("time in the last column", joined(rows, ","), [found(WANT, TIME, {})])
    rows = [["Engine speed", "Boost", "Intake"]] + [row[1:] for row in rows_of(".")]
    t.write("time nowhere", joined(rows, ","), [found(WANT, None)])
    # A logger that was switched off and on in one file: the second part is laid a second behind the first.
    both = TIME[:40] + [round(i * 0.05, 3) for i in range(ROWS - 40)]
    rows = [head] + list(rows_of(".", [shown(x, ".") for x in both]))
    behind = TIME[:40] + [round(TIME[39] + 1 + i * 0.05, 3) for i in range(ROWS - 40)]
    t.write("time begins again", joined(rows, ","), [found(WANT, behind)], damage="a new part begins")
    # A clock that was set back by a hair: those rows are wrong.
    back = list(TIME)
    back[30] = back[28] + 0.01
    rows = [head] + list(rows_of(".", [shown(x, ".") for x in back]))
    keep = [i for i in range(ROWS) if i != 30]
    t.write("time goes back a little", joined(rows, ","),
            [found({k: [v[i] for i in keep] for k, v in WANT.items()}, [TIME[i] for i in keep])],
            damage="it is left out")


def missing(t):
    words = ["", "NaN", "nan", "N/A", "null", "-", "--", "---", "#N/A", "inf", "-inf", "invalid", "Err", "1.#QNAN", "?"]
    for separator, decimal in ((",", "."), (";", ",")):
        rows, want = [["Time", "Engine speed", "Boost", "Intake"]], {k: list(v) for k, v in WANT.items()}
        for i, row in enumerate(rows_of(decimal)):
            if i % 3 == 1:
                row[2] = words[i // 3 % len(words)]
                want["Boost"][i] = None
            rows.append(row)
        t.write(f"missing words {'comma' if decimal == ',' else 'point'}", joined(rows, separator), [found(want, TIME)])
    rows, want = [["Time", "Engine speed", "Boost", "Intake"]], {k: list(v) for k, v in WANT.items()}
    for i, row in enumerate(rows_of(".")):
        if i % 10 == 4:
            row[3] = "open-circuit"
            want["Intake"][i] = None
        rows.append(row)
    t.write("missing a word of its own", joined(rows, ","), [found(want, TIME)])
    short = [row[:2] if 20 <= i < 30 else row for i, row in enumerate(rows_of("."))]
    want = {k: [None if 20 <= i < 30 and k != "Engine speed" else x for i, x in enumerate(v)] for k, v in WANT.items()}
    t.write("missing at the ends of rows", joined([["Time", "Engine speed", "Boost", "Intake"]] + short, ","),
            [found(want, TIME)])
    rows = [row[:3] + [""] for row in rows_of(".")]
    t.write("missing column", joined([["Time", "Engine speed", "Boost", "Intake"]] + rows, ","),
            [found({**WANT, "Intake": [None] * ROWS}, TIME)])


def texts(t):
    gears = ["N", "1", "2", "3", "R"]
    modes = ["idle", "part load", "full load, rich", 'the "other"']
    gear = [gears[i // 4 % 5] if i // 4 % 5 in (0, 4) else "D" + gears[i // 4 % 5] for i in range(ROWS)]
    mode = [modes[i // 7 % 4] for i in range(ROWS)]
    switch = ["On" if i % 9 < 4 else "Off" for i in range(ROWS)]
    quoted = lambda s: '"' + s.replace('"', '""') + '"'
    rows = [["Time", "Gear", "Mode", "Fan", "Boost"]]
    for i, row in enumerate(rows_of(".")):
        rows.append([row[0], gear[i], quoted(mode[i]), switch[i], row[2]])
    t.write("texts", joined(rows, ","), [found({"Gear": gear, "Mode": mode, "Fan": switch, "Boost": BOOST}, TIME)])
    rows = [[quoted(cell) for cell in row] for row in [["Time", "Engine speed", "Boost", "Intake"]] + list(rows_of(","))]
    t.write("texts all quoted", joined(rows, ";"), [found(WANT, TIME)])
    rows = [["Time", quoted("Engine\nspeed"), quoted("Boost, absolute"), "Intake"]] + list(rows_of("."))
    t.write("texts names over two lines", joined(rows, ","),
            [found({"Engine\nspeed": SPEED, "Boost, absolute": BOOST, "Intake": COLD}, TIME)])


def preambles(t):
    head = [["Time", "Engine speed", "Boost", "Intake"]]
    body = joined(rows_of("."), ",")
    for name, text in {"of words": "Recorder 7\nCar: the red one\n\n",
                       "of pairs": "Recorder,7\nCar,red\nDate,2026-03-01\n",
                       "of numbers": "Session 12\n4\n3.5\n",
                       "with marks": "# made by hand\n# rate=20\n# driver=Ines, Jon, Ada, Bo\n",
                       "long": "".join(f"Setting {i}: {i * 3}\n" for i in range(90))}.items():
        t.write(f"preamble {name}", text + joined(head, ",") + body, [found(WANT, TIME)])
        units = [["s", "rpm", "kPa", "\u00b0C"]]
        t.write(f"preamble {name} units", text + joined(head + units, ",") + body, [found(WANT, TIME, UNITS)])
    kinds = [["double", "word", "double", "double"]]
    t.write("three rows above", joined(head + [["s", "rpm", "kPa", "\u00b0C"]] + kinds, ",") + body,
            [found(WANT, TIME, UNITS)])
    t.write("separator named first", "sep=;\n" + joined(head, ";") + joined(rows_of(","), ";"), [found(WANT, TIME)])


def rates(t):
    """Channels that come with every row, every second, every tenth; and each with a clock of its own."""
    rows = 200
    time = [round(i * 0.01, 3) for i in range(rows)]
    fast = [round(math.cos(i / 11) * 40, 3) for i in range(rows)]
    half = [i * 2 for i in range(0, rows, 2)]
    slow = [round(80 + i / 40, 3) for i in range(3, rows, 10)]
    lines = [["Time (s)", "fast (V)", "half (%)", "slow (\u00b0C)", "slow too (V)"]]
    for i in range(rows):
        lines.append([shown(time[i], "."), shown(fast[i], "."), str(half[i // 2]) if i % 2 == 0 else "",
                      shown(slow[i // 10], ".") if i % 10 == 3 else "", "1.5" if i % 10 == 3 else ""])
    t.write("rates with blanks", joined(lines, ","),
            [found({"fast": fast}, time, {"fast": "V"}), found({"half": half}, time[::2], {"half": "%"}),
             found({"slow": slow, "slow too": [1.5] * 20}, time[3::10])])
    own = [("Time a", "a", [i * 0.02 for i in range(100)]), ("Time b", "b", [0.005 + i * 0.1 for i in range(20)]),
           ("Time c", "c", [i * 0.5 for i in range(4)])]
    lines = [[x for time_name, name, _ in own for x in (time_name, name)]]
    for i in range(100):
        lines.append([x for n, (_, _, clock_) in enumerate(own)
                      for x in ((f"{clock_[i]:.3f}", str(i * (n + 1))) if i < len(clock_) else ("", ""))])
    t.write("rates side by side", joined(lines, ";"),
            [found({name: [i * (n + 1) for i in range(len(c))]}, [round(x, 3) for x in c])
             for n, (_, name, c) in enumerate(own)])
    dropped = {k: [None if 15 <= i < 35 and k == "Boost" else x for i, x in enumerate(v)] for k, v in WANT.items()}
    lines = [["Time", "Engine speed", "Boost", "Intake"]]
    for i, row in enumerate(rows_of(".")):
        lines.append(row[:2] + [""] + row[3:] if 15 <= i < 35 else row)
    t.write("rates a gap is no rate", joined(lines, ","), [found(dropped, TIME)])


def numbers(t):
    forms = ["1e3", "1.5E-3", "+7", "-0", "0.000001", ".5", "-.25", "12345678", "1E+2", "007", "3.", "-1e-30"]
    want = [float(f) for f in forms]
    rows = [["Time", "x", "y"]] + [[f"{i * 0.1:.1f}", f, str(i)] for i, f in enumerate(forms)]
    time = [round(i * 0.1, 3) for i in range(len(forms))]
    t.write("numbers of all forms", joined(rows, ","), [found({"x": want, "y": list(range(len(forms)))}, time)])
    comma = [[c.replace(".", ",") for c in row] for row in rows]
    t.write("numbers of all forms comma", joined(comma, "\t"), [found({"x": want, "y": list(range(len(forms)))}, time)])


def sizes(t):
    rng = random.Random(3)
    names = [f"Channel {i}" for i in range(600)]
    values = [[round(rng.uniform(-500, 500), 2) for _ in range(25)] for _ in names]
    rows = [["Time (s)"] + [n + " (V)" for n in names]]
    rows += [[f"{i * 0.1:.2f}"] + [f"{v[i]:.2f}" for v in values] for i in range(25)]
    time = [round(i * 0.1, 3) for i in range(25)]
    t.write("600 columns", joined(rows, ","), [found(dict(zip(names, values)), time)])
    t.write("one channel", joined([["time", "rpm"]] + [[shown(x, "."), str(s)] for x, s in zip(TIME, SPEED)], ","),
            [found({"rpm": SPEED}, TIME)])
    t.write("two rows", "Time,Boost\n0.0,1.5\n0.1,2.5\n", [found({"Boost": [1.5, 2.5]}, [0.0, 0.1])])
    same = joined([["Time", "V", "V", "V"]] + list(rows_of(".")), ",")
    t.write("one name thrice", same, [found({"V": SPEED, "V (2)": BOOST, "V (3)": COLD}, TIME)])


def main():
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    t = Table(folder)
    for make in (separators, encodings, line_ends, times, missing, texts, preambles, rates, numbers, sizes):
        make(t)
    print(len(list(folder.glob("*.csv"))), "files")


if __name__ == "__main__":
    main()
