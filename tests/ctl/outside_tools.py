"""Holds what Brusk writes against tools that know nothing of it: a network analyser, can-utils, a JSON schema validator.

A tool that is not installed is said and passed over. SPDX-License-Identifier: GPL-3.0-or-later
"""
import copy
import json
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

BRUSKCTL = pathlib.Path(sys.argv[1]) / "bruskctl"
ROOT = pathlib.Path(__file__).resolve().parents[2]
passed = failed = 0


def check(ok, what):
    global passed, failed
    if ok:
        passed += 1
    else:
        failed += 1
        print("FAIL:", what)


def run(*command):
    return subprocess.run([str(c) for c in command], capture_output=True, text=True)


def dissect(log, *more):
    """The log as the analyser sees it, with the diagnostic identifiers taken for ISO-TP and what they carry for UDS."""
    return run("tshark", "-r", log, "-o", "iso15765.can.ids:0x7df-0x7e8", "-d", "iso15765.subdissector,uds", *more).stdout


def traffic(folder):
    log = folder / "traffic.log"
    image = folder / "read.hex"
    read = run(BRUSKCTL, "--quiet", "--json", "read", "--link", "bench", "--calibration", "--out", image, "--traffic", log)
    check(read.returncode == 0, "a read with its traffic: " + read.stderr)
    frames = len(log.read_text().splitlines())
    check(frames > 38000, f"256 KiB are more than {frames} frames")
    if shutil.which("tshark"):
        malformed = dissect(log, "-Y", "_ws.malformed || _ws.expert.severity >= 0x00800000").splitlines()
        check(malformed == [], f"the analyser complains of {len(malformed)} packets: {malformed[:3]}")
        blocks = dissect(log, "-Y", "uds.sid == 0x36").splitlines()
        check(len(blocks) == 2 * 65, f"65 blocks are 130 messages, not {len(blocks)}")
        services = set(dissect(log, "-Y", "uds", "-T", "fields", "-e", "uds.sid").split())
        check(services == {"0x10", "0x22", "0x27", "0x28", "0x31", "0x35", "0x36", "0x37", "0x85"}, f"services {services}")
        vin = dissect(log, "-Y", "uds.sid == 0x22 && uds.reply == 1", "-c", "60")
        check("46 4d 4b 48 52 31 36 54 30 45 32 30 30 34 37 31 31" in vin, "the VIN is read by the analyser")
    else:
        print("tshark is not here: the traffic was not dissected")
    if shutil.which("log2asc"):
        asc = run("log2asc", "-I", log, "can0").stdout
        data = [line for line in asc.splitlines() if re.match(r"\s*\d+\.\d+ 1 ", line)]
        check(len(data) == frames, f"log2asc reads {len(data)} of {frames} frames")
    else:
        print("can-utils are not here: the traffic was not converted")


def flash_traffic(folder):
    """A flash with its pending answers, its long downloads and its read-back."""
    log = folder / "flash.log"
    image = folder / "read.hex"
    flash = run(BRUSKCTL, "--quiet", "--json", "flash", image, "--link", "bench", "--scope", "calibration", "--traffic", log)
    check(flash.returncode == 0, "a flash with its traffic: " + flash.stderr)
    report = json.loads(flash.stdout)
    check(report["sectors"] == 16 and 1 <= report["times_theoretical_least"] <= 1.03, f"its report {report}")
    if not shutil.which("tshark"):
        return
    malformed = dissect(log, "-Y", "_ws.malformed || _ws.expert.severity >= 0x00800000").splitlines()
    check(malformed == [], f"the analyser complains of {len(malformed)} packets: {malformed[:3]}")
    check(len(dissect(log, "-Y", "uds.sid == 0x34 && uds.reply == 0").splitlines()) == 16, "16 downloads")
    check(len(dissect(log, "-Y", "uds.err.code == 0x78").splitlines()) == 16, "16 times pending, while a sector is erased")


def profiles(folder):
    """The schema and the reader agree on what a profile is: for each demo profile, and with each part taken or spoilt."""
    try:
        import jsonschema
    except ImportError:
        print("jsonschema is not here: the profiles were not validated")
        return
    schema = json.loads((ROOT / "docs/controller-profile.schema.json").read_text())
    jsonschema.Draft202012Validator.check_schema(schema)
    validator = jsonschema.Draft202012Validator(schema)
    file = folder / "x.profile.json"

    def agree(profile, what):
        file.write_text(json.dumps(profile))
        by_schema = validator.is_valid(profile)
        by_reader = run(BRUSKCTL, "profile", "check", file)
        check(by_schema == (by_reader.returncode == 0), f"{what}: schema {by_schema}, reader: {by_reader.stderr.strip()}")

    for path in sorted(ROOT.glob("demo/*/*.profile.json")):
        profile = json.loads(path.read_text())
        check(validator.is_valid(profile), f"{path.name} is as the schema says")
        agree(profile, path.name)
    profile = json.loads((ROOT / "demo/heron/aldine-e2.profile.json").read_text())
    optional = {"freeze_frame", "ignition_off_s"}
    for key in profile:
        without = copy.deepcopy(profile)
        del without[key]
        check(validator.is_valid(without) == (key in optional), f"{key} is asked for by the schema")
        agree(without, f"without {key}")
        agree({**profile, key: 7}, f"{key} spoilt")
        if isinstance(profile[key], dict):
            for inner in profile[key]:
                agree({**profile, key: {k: v for k, v in profile[key].items() if k != inner}}, f"without {key}.{inner}")
                agree({**profile, key: {**profile[key], inner: [True]}}, f"{key}.{inner} spoilt")
        if isinstance(profile[key], list) and isinstance(profile[key][0], dict):
            for inner in profile[key][0]:
                entry = {k: v for k, v in profile[key][0].items() if k != inner}
                agree({**profile, key: [entry] + profile[key][1:]}, f"without {key}[0].{inner}")


with tempfile.TemporaryDirectory() as temporary:
    traffic(pathlib.Path(temporary))
    flash_traffic(pathlib.Path(temporary))
    profiles(pathlib.Path(temporary))
print(f"Totals: {passed} passed, {failed} failed")
sys.exit(1 if failed else 0)
