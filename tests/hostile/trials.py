#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Trials with what a stranger, a bad disk or a bad controller may do to Brusk, on the real programs.

Each trial runs bruskctl, brusk and brusk-benchcar as a user does and counts what must not happen: a signal, a hang of
more than 20 s, an exit code beyond 0 to 3, a failure without a sentence, a document of --json that is not one; a
recording that strayed from the ledger, more than a second of a drive lost, a car whose bytes no round of the ledger
has. trials.py BIN SOURCE [--minute] [--only NAME] [--seed N]; prints a table in Markdown and ends with 1 on any find.
"""
import argparse
import concurrent.futures
import json
import os
import random
import shutil
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import threading
import time

MOST_SECONDS = 20
finds = []


class Trial:
    """Counts the runs of one kind of trial."""

    def __init__(self, name):
        self.name, self.runs, self.refused, self.finds, self.notes = name, 0, 0, 0, ""
        self.lock = threading.Lock()

    def find(self, what):
        with self.lock:
            self.finds += 1
            finds.append(f"{self.name}: {what}")

    def count(self, refused):
        with self.lock:
            self.runs += 1
            self.refused += bool(refused)


def run(trial, command, seconds=MOST_SECONDS, env=None, as_json=False):
    """Runs to its end; whatever must not happen is a find. Returns code, standard output and error."""
    shown = " ".join(os.path.basename(part) for part in command)[:140]
    full = dict(os.environ, QT_QPA_PLATFORM="offscreen", **(env or {}))
    try:
        done = subprocess.run(command + (["--json"] if as_json else []), stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                              stdin=subprocess.DEVNULL, timeout=seconds, env=full, check=False)
    except subprocess.TimeoutExpired:
        trial.find(f"hangs for more than {seconds} s: {shown}")
        return None, b"", b""
    if done.returncode < 0:
        trial.find(f"signal {-done.returncode}: {shown}")
    elif done.returncode > 3:
        trial.find(f"exit code {done.returncode}: {shown}")
    elif done.returncode == 1 and not done.stderr.strip():
        trial.find(f"fails without a sentence: {shown}")
    elif b"did not expect" in done.stderr:
        trial.find(f"met what it did not expect: {shown}: {done.stderr[-200:]!r}")
    if as_json and done.returncode in (0, 1, 3):
        try:
            json.loads(done.stdout)
        except ValueError:
            trial.find(f"no JSON document: {shown}: {done.stdout[:80]!r}")
    return done.returncode, done.stdout, done.stderr


def mutated(data, chance):
    """The bytes with a few things wrong with them: flipped, cut, doubled, put elsewhere, numbers made huge."""
    out = bytearray(data)
    for _ in range(chance.choice([1, 1, 2, 4, 16])):
        kind = chance.randrange(7)
        at = chance.randrange(len(out) + 1)
        span = min(len(out) - at, chance.choice([1, 4, 8, 64, 500]))
        if kind == 0 and at < len(out):
            out[at] ^= 1 << chance.randrange(8)
        elif kind == 1:
            out[at:at + span] = bytes(chance.choice([0x00, 0xFF, 0x41]) for _ in range(1)) * span
        elif kind == 2:
            del out[at:at + span]
        elif kind == 3:
            out[at:at] = out[at:at + span]
        elif kind == 4:
            del out[at:]
        elif kind == 5:
            out[at:at + 8] = struct.pack("<Q", chance.choice([0, 1, 2**31, 2**32 - 1, 2**63, 2**64 - 1]))
        else:
            out[at:at] = chance.choice([b"\xff\xfe", b"\x00", b"\xc3(", b'"', b"/begin ", b"9" * 40, b"{", b"\r", b"-1e999"])
        if not out:
            out = bytearray(b"\x00")
    return bytes(out)


class Bench:
    """The programs, and files made once that the trials start from."""

    def __init__(self, binaries, source, work):
        self.ctl, self.window = os.path.join(binaries, "bruskctl"), os.path.join(binaries, "brusk")
        self.car = os.path.join(binaries, "brusk-benchcar")
        self.demo, self.source, self.work = os.path.join(source, "demo"), source, work
        self.a2l = os.path.join(self.demo, "heron", "aldine-e2.a2l")
        self.hex = os.path.join(work, "original.hex")
        heron = os.path.join(self.demo, "heron")
        self.dbc = next(os.path.join(heron, name) for name in sorted(os.listdir(heron)) if name.endswith(".dbc"))
        self.folder = os.path.join(work, "car")
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "check": True}
        subprocess.run([self.ctl, "read", "--link", "bench", "--out", self.hex], **quiet)
        subprocess.run([self.ctl, "read", "--link", "bench", "--car", self.folder], **quiet)
        subprocess.run([self.ctl, "record", "--link", "bench", "--car", self.folder, "--route", "idle", "--seconds", "20"],
                       **quiet)
        subprocess.run([self.ctl, "record", "--link", "bench", "--out", self.at("drive.mf4"), "--route", "idle",
                        "--seconds", "10", "--traffic", self.at("drive.log")], **quiet)
        subprocess.run([self.ctl, "recording", "convert", self.at("drive.mf4"), self.at("drive.csv")], **quiet)
        for kind in ("s19", "bin"):
            subprocess.run([self.ctl, "image", "convert", self.hex, self.at("original." + kind)], **quiet)
        subprocess.run([self.ctl, "values", self.a2l, self.hex, "--cdf", self.at("all.cdfx")], **quiet)

    def at(self, name):
        return os.path.join(self.work, name)

    def fresh_folder(self, name):
        path = self.at(name)
        shutil.rmtree(path, ignore_errors=True)
        shutil.copytree(self.folder, path)
        return path


class CarProcess:
    """brusk-benchcar on a socket, and gone with the block."""

    def __init__(self, bench, name, *more):
        self.path = bench.at(name + ".sock")
        self.process = subprocess.Popen([bench.car, "--link", "unix:" + self.path, *more], stdout=subprocess.DEVNULL,
                                        stderr=subprocess.DEVNULL)
        self.link = "unix:" + self.path

    def __enter__(self):
        for _ in range(200):
            if os.path.exists(self.path):
                return self
            time.sleep(0.02)
        raise RuntimeError("the bench car does not come up")

    def __exit__(self, *_):
        self.process.terminate()
        self.process.wait()


def with_workers(count, work, workers=2):
    with concurrent.futures.ThreadPoolExecutor(workers) as pool:
        list(pool.map(work, range(count)))


def mutated_files(bench, count, seed):
    trial = Trial("mutated files")
    sheet = os.path.join(bench.demo, "heron", "build-sheet.json")
    kinds = {
        "a2l": (bench.a2l, lambda f: [bench.ctl, "definition", "check", f]),
        "hex": (bench.hex, lambda f: [bench.ctl, "image", "info", f]),
        "s19": (bench.at("original.s19"), lambda f: [bench.ctl, "image", "info", f]),
        "bin": (bench.at("original.bin"), lambda f: [bench.ctl, "values", bench.a2l, f, "--base", "0x800000"]),
        "mf4": (bench.at("drive.mf4"), lambda f: [bench.ctl, "recording", "info", f]),
        "csv": (bench.at("drive.csv"), lambda f: [bench.ctl, "recording", "import-plan", f]),
        "log": (bench.at("drive.log"), lambda f: [bench.ctl, "recording", "info", f, "--dbc", bench.dbc]),
        "cdfx": (bench.at("all.cdfx"),
                 lambda f: [bench.ctl, "set", bench.a2l, bench.hex, "--cdf", f, "--out", f + ".out.hex", "--force"]),
        "json": (sheet, lambda f: [bench.ctl, "base", bench.a2l, bench.hex, "--sheet", f]),
        "profile.json": (os.path.join(bench.demo, "heron", "aldine-e2.profile.json"),
                         lambda f: [bench.ctl, "profile", "check", f]),
        "dbc": (bench.dbc, None),
    }
    seeds = {}
    for kind, (path, _) in kinds.items():
        with open(path, "rb") as file:
            data = file.read()
        # Long files are cut: what is wrong is then found at once, and the trial goes through more of them.
        seeds[kind] = data if kind in ("mf4", "bin", "cdfx", "a2l") else data[:20000] if kind in ("hex", "s19", "csv", "log") else data

    def one(number):
        chance = random.Random(seed * 1000003 + number)
        kind = list(kinds)[number % len(kinds)]
        file = bench.at(f"mutated-{number % 2}-{threading.get_ident()}.{kind}")
        with open(file, "wb") as out:
            out.write(mutated(seeds[kind], chance))
        env, command = None, None
        if kind == "dbc":
            data = bench.at(f"data-{threading.get_ident()}")
            if not os.path.isdir(data):
                shutil.copytree(os.path.join(bench.demo, "heron"), os.path.join(data, "heron"))
            shutil.copy(file, os.path.join(data, "heron", os.path.basename(kinds[kind][0])))
            env = {"BRUSK_DATA": data}
            command = [bench.ctl, "record", "--link", "bench", "--out", file + ".mf4", "--force", "--seconds", "0.2"]
        else:
            command = kinds[kind][1](file)
        code, _, _ = run(trial, command, env=env, as_json=number % 2 == 0)
        trial.count(code != 0)

    with_workers(count, one)
    return trial


def damaged_databases(bench, count, seed):
    trial = Trial("damaged databases, by command line and window")
    with open(os.path.join(bench.folder, "car.sqlite"), "rb") as file:
        whole = file.read()

    def one(number):
        chance = random.Random(seed * 7919 + number)
        folder = bench.fresh_folder(f"damaged-{threading.get_ident()}")
        data = bytearray(whole)
        if number % 3 == 0:
            page = chance.randrange(len(data) // 4096) * 4096
            data[page:page + 4096] = bytes(chance.randrange(256) for _ in range(4096))
        else:
            data = bytearray(mutated(bytes(data), chance))
        for beside in ("-wal", "-shm"):
            if os.path.exists(os.path.join(folder, "car.sqlite" + beside)):
                os.remove(os.path.join(folder, "car.sqlite" + beside))
        with open(os.path.join(folder, "car.sqlite"), "wb") as out:
            out.write(data)
        commands = [[bench.ctl, "rounds", "--car", folder], [bench.ctl, "recording", "list", "--car", folder],
                    [bench.ctl, "check", "--link", "bench", "--car", folder]]
        if number % 2 == 0:
            code, _, _ = run(trial, [bench.window, folder, "--print-start-time"])
        else:
            code, _, _ = run(trial, commands[number % 3], as_json=number % 4 == 1)
        trial.count(code != 0)

    with_workers(count, one)
    return trial


def kill_after(command, seconds):
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
    time.sleep(seconds)
    alive = process.poll() is None
    process.send_signal(signal.SIGKILL)
    error = process.communicate()[1]
    return alive, error


def in_car(trial, bench, folder):
    """The number of the round in the car, as the ledger says."""
    code, out, _ = run(trial, [bench.ctl, "rounds", "--car", folder], as_json=True)
    rounds = json.loads(out)["rounds"] if code == 0 else []
    return [r["number"] for r in rounds if r["in_car"]]


def value_in(bench, trial, link, name):
    """What the controller's own bytes say of a parameter."""
    file = bench.at(f"held-{threading.get_ident()}")
    run(trial, [bench.ctl, "read", "--link", link, "--calibration", "--out", file + ".hex", "--force", "--quiet"], seconds=120)
    run(trial, [bench.ctl, "image", "convert", file + ".hex", file + ".bin", "--force"])
    # The program beside it is the original's: reading that too would take half a minute by the wall clock.
    with open(bench.at("original.bin"), "rb") as whole, open(file + ".bin", "rb") as part:
        memory, calibration = bytearray(whole.read()), part.read()
    memory[len(memory) - len(calibration):] = calibration
    with open(file + ".bin", "wb") as out:
        out.write(memory)
    code, out, _ = run(trial, [bench.ctl, "values", bench.a2l, file + ".bin", name, "--base", "0x800000"], as_json=True)
    return json.loads(out)[name]["value"] if code == 0 else None


def kills_in_flash(bench, count, seed):
    trial = Trial("kills in flash")
    chance = random.Random(seed)
    killed = 0
    with CarProcess(bench, "flashed") as car:
        folder = bench.fresh_folder("flashed-car")
        for number in range(count):
            limit = 6000 + 10 * (number % 90)
            code, _, _ = run(trial, [bench.ctl, "set", "--car", folder, "--make", "trial", f"rev_limit={limit}"])
            if code != 0:
                trial.find(f"no round could be made (exit {code})")
                break
            _, out, _ = run(trial, [bench.ctl, "rounds", "--car", folder], as_json=True)
            newest = json.loads(out)["rounds"][0]["number"]
            flash = [bench.ctl, "flash", "--link", car.link, "--car", folder, "--round", str(newest), "--quiet"]
            alive, _ = kill_after(flash, chance.uniform(0.0, 2.5))
            killed += alive
            code, _, error = run(trial, flash, seconds=120)
            if code != 0:
                trial.find(f"after a kill the flash does not end well: {error[-200:]!r}")
            if in_car(trial, bench, folder) != [newest]:
                trial.find(f"the ledger does not name round {newest} after its flash")
            held = value_in(bench, trial, car.link, "rev_limit")
            if held is None or abs(held - limit) > 5:
                trial.find(f"the car holds a rev limit of {held}, round {newest} has {limit}")
            trial.count(alive)
    trial.notes = f"{killed} while it ran"
    return trial


def kills_in_drives(bench, count, seed, longest):
    trial = Trial("kills in drives")
    worst, silent = [0.0], [0]

    def one(number):
        chance = random.Random(seed * 31 + number)
        name = f"driven-{number}"
        with CarProcess(bench, name, "--route", "town") as car:
            folder = bench.fresh_folder(name + "-car")
            seconds = chance.uniform(1, longest)
            process = subprocess.Popen([bench.ctl, "record", "--link", car.link, "--car", folder], stdout=subprocess.DEVNULL,
                                       stderr=subprocess.PIPE)
            begun = process.stderr.readline()  # the file's name: its first block is on the disk
            began = time.monotonic()
            time.sleep(seconds)
            driven = time.monotonic() - began
            ended_by_itself = process.poll() is not None
            process.send_signal(signal.SIGKILL)
            process.communicate()
            file = os.path.basename(begun.decode().strip())
            run(trial, [bench.ctl, "check", "--link", car.link, "--car", folder], seconds=60)  # opens it to work
            _, out, _ = run(trial, [bench.ctl, "recording", "list", "--car", folder], as_json=True)
            found = [r for r in json.loads(out)["recordings"] if r["file"] == "recordings/" + file]
            if len(found) != 1 or "round" not in found[0]:
                trial.find(f"the recording {file} strayed")
            elif ended_by_itself:
                # On a machine that is busy elsewhere the bench car may fall silent for a second: the link is gone then.
                silent[0] += 1
                if found[0]["state"] != "whole":
                    trial.find(f"{file} ended by itself and is called {found[0]['state']}")
            elif found[0]["state"] != "recovered":
                trial.find(f"{file} is called {found[0]['state']}")
            else:
                lost = driven - found[0]["duration_s"]
                worst[0] = max(worst[0], lost)
                # Half a second between writes; the rest is what starting and killing a process takes.
                if lost > 1.0:
                    trial.find(f"{lost:.2f} s of {driven:.1f} s of {file} are lost")
            trial.count(False)
            shutil.rmtree(folder, ignore_errors=True)

    with_workers(count, one, workers=4)
    trial.notes = f"at most {worst[0]:.2f} s from the last sample kept to the kill"
    if silent[0]:
        trial.notes += f"; {silent[0]} ended before it, the link silent"
    return trial


def kills_in_making(bench, count, seed):
    trial = Trial("kills in folder making")
    chance = random.Random(seed)
    killed = 0
    for number in range(count):
        folder = bench.at("made")
        shutil.rmtree(folder, ignore_errors=True)
        read = [bench.ctl, "read", "--link", "bench", "--car", folder, "--quiet"]
        alive, _ = kill_after(read, chance.uniform(0.0, 0.25) if number % 2 else chance.uniform(0.0, 2.0))
        killed += alive
        code, _, error = run(trial, read, seconds=60)
        if code != 0:
            trial.find(f"a folder whose making was killed can't be made: {error[-200:]!r}")
        if in_car(trial, bench, folder) != [0]:
            trial.find("the original of a folder that was made anew is not in the car")
        left = [f for f in os.listdir(folder) if f.endswith((".making", ".saving"))]
        if left:
            trial.find(f"left behind: {left}")
        trial.count(alive)
    trial.notes = f"{killed} while it ran"
    return trial


def two_instances(bench, count, seed):
    trial = Trial("two instances on one folder")
    chance = random.Random(seed)
    with CarProcess(bench, "shared") as car:
        folder = bench.fresh_folder("shared-car")
        for number in range(count):
            kind = number % 4
            if kind == 0:  # two reads into a new folder
                made = bench.at("both")
                shutil.rmtree(made, ignore_errors=True)
                read = [bench.ctl, "read", "--link", "bench", "--car", made, "--quiet"]
                both = [subprocess.Popen(read, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE) for _ in range(2)]
                codes = []
                for process in both:
                    try:
                        process.communicate(timeout=60)
                    except subprocess.TimeoutExpired:
                        process.kill()
                    codes.append(process.returncode)
                if not 0 in codes or any(c not in (0, 1, 3) for c in codes):
                    trial.find(f"two reads into a new folder end with {codes}")
                if in_car(trial, bench, made) != [0]:
                    trial.find("two reads into a new folder leave no original in the car")
            elif kind == 3:  # two windows, and a command beside them; the first dies
                first = subprocess.Popen([bench.window, folder], env=dict(os.environ, QT_QPA_PLATFORM="offscreen"),
                                         stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
                edit = [bench.ctl, "set", "--car", folder, "--make", "beside a window", "rev_limit=6500"]
                lock, until = os.path.join(folder, "car.lock"), time.monotonic() + MOST_SECONDS
                while f"process {first.pid} " not in open(lock, encoding="utf-8").read() and time.monotonic() < until:
                    time.sleep(0.05)  # the window is not up yet
                code, _, _ = run(trial, edit)
                if code != 3:
                    trial.find(f"an edit beside a window ends with {code}")
                code, _, error = run(trial, [bench.window, folder, "--print-start-time"])
                if code != 0:
                    trial.find(f"a second window ends with {code}: {error[-200:]!r}")
                first.kill()
                first.wait()
                code, _, error = run(trial, edit)
                if code != 0:
                    trial.find(f"after the window's death an edit ends with {code}: {error[-200:]!r}")
            else:  # an edit while the other flashes; two edits of one draft
                limit = 6100 + 10 * (number % 60)
                run(trial, [bench.ctl, "set", "--car", folder, "--make", "one", f"rev_limit={limit}"])
                _, out, _ = run(trial, [bench.ctl, "rounds", "--car", folder], as_json=True)
                newest = json.loads(out)["rounds"][0]["number"]
                first = [bench.ctl, "flash", "--link", car.link, "--car", folder, "--round", str(newest), "--quiet"] \
                    if kind == 1 else [bench.ctl, "set", "--car", folder, "--make", "two", f"rev_limit={limit + 5}"]
                process = subprocess.Popen(first, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
                time.sleep(chance.uniform(0, 0.5))
                code, _, error = run(trial, [bench.ctl, "set", "--car", folder, "--make", "other", "rev_limit=6500"])
                if code == 3 and b"another Brusk works" not in error:
                    trial.find(f"the second is refused without being told who works there: {error[-200:]!r}")
                process.communicate(timeout=120)
                if process.returncode != 0:
                    trial.find(f"the first of two ends with {process.returncode}")
                if kind == 1:
                    held = value_in(bench, trial, car.link, "rev_limit")
                    if in_car(trial, bench, folder) != [newest] or held is None or abs(held - limit) > 5:
                        trial.find(f"the car holds {held}, round {newest} has {limit}")
            trial.count(False)
    return trial


class HostileController(threading.Thread):
    """A controller on a socket that does one thing wrong with everything it is asked."""

    KINDS = ("silent", "always pending", "endless first frames", "wrong sequence", "no room", "waits for ever",
             "refuses everything", "noise", "flood of others", "announces 4 GiB", "closes in mid answer", "always busy")

    def __init__(self, path, kind, seed):
        super().__init__(daemon=True)
        self.kind, self.chance, self.over = kind, random.Random(seed), False
        self.listener = socket.socket(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self.listener.bind(path)
        self.listener.listen(1)
        self.listener.settimeout(0.1)

    @staticmethod
    def frame(identifier, data):
        return struct.pack("<IB3x8s", identifier, len(data), bytes(data).ljust(8, b"\x00"))

    def run(self):
        while not self.over:
            try:
                peer, _ = self.listener.accept()
            except socket.timeout:
                continue
            threading.Thread(target=self.serve, args=(peer,), daemon=True).start()

    def serve(self, peer):
        peer.settimeout(0.02)
        try:
            while not self.over:
                if self.kind in ("noise", "flood of others"):
                    for _ in range(20):
                        own = self.kind == "noise" and self.chance.random() < 0.5
                        peer.send(self.frame(0x7E8 if own else self.chance.randrange(0x600),
                                             bytes(self.chance.randrange(256) for _ in range(8))))
                try:
                    got = peer.recv(64)
                except socket.timeout:
                    continue
                if not got:
                    return
                identifier, _, data = struct.unpack("<IB3x8s", got)
                self.answer(peer, (identifier & 0x1FFFFFFF) + 8 if identifier != 0x7DF else 0x7E8, data)
        except OSError:
            return

    def answer(self, peer, to, data):
        kind, service = self.kind, data[1] if data[0] >> 4 == 0 else data[2]
        if data[0] >> 4 == 3:  # flow control for our answer
            if kind == "endless first frames":
                peer.send(self.frame(to, [0x10, 0x40, service + 0x40, 0, 0, 0, 0, 0]))
            elif kind == "wrong sequence":
                peer.send(self.frame(to, [0x25] + [0] * 7))
            elif kind == "closes in mid answer":
                peer.close()
            return
        if data[0] >> 4 == 1 and kind in ("no room", "waits for ever"):
            peer.send(self.frame(to, [0x32 if kind == "no room" else 0x31, 0, 0]))
            return
        if data[0] >> 4 not in (0, 1) or kind in ("silent", "noise", "flood of others"):
            return
        refusal = {"always pending": 0x78, "always busy": 0x21, "refuses everything": 0x11, "no room": 0x22,
                   "waits for ever": 0x31}.get(kind)
        if refusal:
            peer.send(self.frame(to, [3, 0x7F, service, refusal]))
        elif kind == "announces 4 GiB":
            peer.send(self.frame(to, [0x10, 0x00, 0xFF, 0xFF, 0xFF, 0xFF, service + 0x40, 0]))
        else:
            peer.send(self.frame(to, [0x10, 0x40, (service + 0x40) & 0xFF, 0, 0, 0, 0, 0]))


def hostile_controllers(bench, seed, commands_each):
    trial = Trial("hostile controllers against every command")
    folder = bench.fresh_folder("met-car")

    def commands(link, number):
        out = bench.at(f"met-{number}")
        return [["identify"], ["read", "--out", out + ".hex", "--force"], ["read", "--car", bench.at(f"met-new-{number}")],
                ["flash", bench.hex], ["flash", "--car", folder, "--round", "0", "--scope", "calibration"],
                ["check", "--car", folder], ["record", "--out", out + ".mf4", "--force", "--seconds", "2"],
                ["record", "--car", folder, "--seconds", "2"], ["dtc"], ["dtc", "--clear"], ["obd"]][:commands_each]

    def one(number):
        kind = HostileController.KINDS[number]
        path = bench.at(f"hostile-{number}.sock")
        controller = HostileController(path, kind, seed + number)
        controller.start()
        for command in commands("unix:" + path, number):
            code, _, _ = run(trial, [bench.ctl, command[0], "--link", "unix:" + path, "--quiet", *command[1:]],
                             as_json=True)
            # Noise may say by chance what an OBD controller would.
            if code == 0 and not (kind == "noise" and command[0] == "obd"):
                trial.find(f"{command[0]} takes a controller that {kind} for one")
            trial.count(code != 0)
        controller.over = True

    # Those that work in the car's folder stand in line for its lock.
    with_workers(len(HostileController.KINDS), one, workers=6 if commands_each < 3 else 1)
    return trial


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("binaries")
    parser.add_argument("source")
    parser.add_argument("--minute", action="store_true", help="a minute of it, as every test run does")
    parser.add_argument("--only", default="")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    few = options.minute
    work = tempfile.mkdtemp(prefix="brusk-hostile-")
    began = time.monotonic()
    try:
        bench = Bench(options.binaries, options.source, work)
        trials = [
            ("files", lambda: mutated_files(bench, 180 if few else 5400, options.seed)),
            ("databases", lambda: damaged_databases(bench, 40 if few else 500, options.seed)),
            ("flash", lambda: kills_in_flash(bench, 2 if few else 40, options.seed)),
            ("drives", lambda: kills_in_drives(bench, 4 if few else 40, options.seed, 3 if few else 20)),
            ("making", lambda: kills_in_making(bench, 6 if few else 40, options.seed)),
            ("instances", lambda: two_instances(bench, 3 if few else 20, options.seed)),
            ("controllers", lambda: hostile_controllers(bench, options.seed, 2 if few else 11)),
        ]
        print("| trial | runs | refused or cut off | finds | |\n| --- | ---: | ---: | ---: | --- |")
        for name, work_of in trials:
            if options.only and options.only != name:
                continue
            trial = work_of()
            print(f"| {trial.name} | {trial.runs} | {trial.refused} | {trial.finds} | {trial.notes} |", flush=True)
    finally:
        shutil.rmtree(work, ignore_errors=True)
    for find in finds[:40]:
        print("FIND " + find, file=sys.stderr)
    print(f"\nSeed {options.seed}, {time.monotonic() - began:.0f} s, {len(finds)} finds.")
    return 1 if finds else 0


if __name__ == "__main__":
    sys.exit(main())
