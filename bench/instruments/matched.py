#!/usr/bin/python3
"""Matches the recordings of references.py for their instruments and compares the settings found with the true ones.

Usage: bench/instruments/matched.py FACET_CLI FOLDER [--seconds S] [--threads N] [--only WORD …]

A control counts where moving it by a fifth of its way changes the sound by 0.5 dB or more; it is right within a tenth of
its way, or at the same choice.
"""
import argparse
import json
import pathlib
import subprocess
import sys
import tempfile

sys.dont_write_bytecode = True
HERE = pathlib.Path(__file__).resolve().parent
sys.path.insert(0, str(HERE))
import references  # noqa: E402

HEARD_DB = 0.5


def off(control, true, found):
    """Share of the control's way between both; of choices 0 or 1."""
    if "choices" in control:
        return float(true != found)
    scale = control["scale"]
    first, last = scale["positions"] if "positions" in scale else (scale["points"][0][0], scale["points"][-1][0])
    return abs(true - found) / (last - first)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("cli")
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--seconds", default="30")
    parser.add_argument("--threads", default="2")
    parser.add_argument("--only", nargs="+", default=[])
    options = parser.parse_args()
    right = counted = 0
    for path in sorted(options.folder.glob("*.json")):
        if options.only and not any(w in path.stem for w in options.only):
            continue
        truth = json.loads(path.read_text())
        description = references.ROOT / "instruments" / truth["instrument"]
        controls = {c["name"]: c for c in json.loads(description.read_text())["controls"]}
        with tempfile.TemporaryDirectory() as out:
            done = subprocess.run([options.cli, "match", str(path.with_suffix(".flac")), "--notes", str(path.with_suffix(".mid")), "--out", out,
                                   "--instrument", str(description), "--seconds", options.seconds, "--threads", options.threads],
                                  capture_output=True, text=True, check=True)
            found = json.loads((pathlib.Path(out) / "report.json").read_text())["settings"]
        good, wrong = 0, []
        for name, change in truth["heard"].items():
            if change < HEARD_DB:
                continue
            if name in found and off(controls[name], truth["settings"][name], found[name]) <= 0.1:
                good += 1
            else:
                wrong.append(f"{name} {found.get(name)} for {truth['settings'][name]} ({change:.1f} dB)")
        right, counted = right + good, counted + good + len(wrong)
        print(f"{path.stem}: {good} of {good + len(wrong)}; {done.stdout.splitlines()[0].split(': ', 1)[1]}")
        for each in wrong:
            print(f"    {each}")
        sys.stdout.flush()
    print(f"{right} of {counted} controls, {100 * right / max(1, counted):.0f} %")


if __name__ == "__main__":
    main()
