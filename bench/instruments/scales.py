#!/usr/bin/python3
"""Measures scales of the described instruments on recordings that csound makes, and says how far they are from the truth.

Usage: bench/instruments/scales.py FACET_CLI [--only WORD …] [--positions N] [--keep FOLDER]    (needs csound, python3-scipy)

The measured control goes along another curve than its description says (its way to the power 1.3); everything else
stands as `facet-cli measure` asks for. The miss of a control is how far the measured curve lies from the true one half-way
between measured positions, in hundredths of the curve's height: of times over the logarithm of 10 ms and the time, since
shorter ones sound alike, of frequencies over their logarithm. How far off in position is printed too.
"""
import argparse
import json
import math
import pathlib
import re
import statistics
import subprocess
import sys
import tempfile

import numpy as np
from scipy.io import wavfile

sys.dont_write_bytecode = True
HERE = pathlib.Path(__file__).resolve().parent
sys.path.insert(0, str(HERE))
import references as within  # noqa: E402

BEND = 1.3
KEY = 48
PAUSE = 0.8  # seconds


def ends_of(scale):
    return scale["positions"] if "positions" in scale else (scale["points"][0][0], scale["points"][-1][0])


def true_value(scale, position):
    first, last = ends_of(scale)
    return within.value_at(scale, first + (last - first) * ((position - first) / (last - first)) ** BEND)


def position_of(scale, value):
    """Where a scale that goes one way has a value."""
    low, high = ends_of(scale)
    rises = within.value_at(scale, high) > within.value_at(scale, low)
    for _ in range(60):
        middle = 0.5 * (low + high)
        if (within.value_at(scale, middle) < value) == rises:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def height(address, value):
    """Where a value stands on an axis that is even to the ear."""
    field = address.rsplit("/", 1)[1]
    if field in ("attack", "decay", "release", "glide"):
        return math.log(value + 10.0)
    if field in ("cutoff", "rate"):
        return math.log(max(value, 1e-3))
    return value


def setup_of(cli, path, control):
    """What to set, and for how long to hold; None where the control cannot be measured."""
    done = subprocess.run([cli, "measure", str(path), "--control", control], capture_output=True, text=True)
    if done.returncode:
        return None
    settings = dict(re.findall(r"^  (.+): (.+)$", done.stdout, re.M))
    return settings, float(re.search(r"held for ([0-9.]+) s", done.stdout)[1])


def settings_of(instrument, told):
    """All controls: as told, else at their beginning."""
    settings = {}
    for control in instrument["controls"]:
        words = told.get(control["name"])
        if "choices" in control:
            settings[control["name"]] = words or next(iter(control["choices"]))
        else:
            settings[control["name"]] = float(words.split(" of ")[0]) if words else ends_of(control["scale"])[0]
    return settings


def note_at(name, instrument, settings, control, position, hold):
    values = within.values_of(instrument, settings)
    values[control["address"]] = true_value(control["scale"], position)
    sound = within.SOUNDS[name](values)
    notes = [[0.1, 0.1 + hold, KEY, 100]]
    seconds = hold + 4.0
    samples = within.csound_text.render({"name": name, "seed": 1, "tempo_bpm": 120, "notes": notes, "seconds": seconds, **sound})
    return samples[:, : int(seconds * within.csound_text.RATE)]


def take_of(name, instrument, settings, control, positions, hold):
    rate = within.csound_text.RATE
    pause = np.zeros((2, int(PAUSE * rate)))
    parts = []
    for position in positions:
        samples = note_at(name, instrument, settings, control, position, hold)
        loud = np.abs(samples).max(axis=0)
        last = np.nonzero(loud > loud.max() * 10 ** (-70 / 20))[0][-1]
        parts += [samples[:, : last + 1], pause]
    take = np.concatenate(parts, axis=1)
    return take * (0.7 / np.abs(take).max())


def measured(cli, path, instrument, name, control, count, folder):
    """A line to print, and the miss; None where nothing is told."""
    prepared = setup_of(cli, path, control["name"])
    if not prepared:
        return None
    told, hold = prepared
    first, last = ends_of(control["scale"])
    unit = control["scale"].get("step") or (1 if last - first > 50 else 0.1)
    positions = sorted({first + unit * round((last - first) * i / (count - 1) / unit) for i in range(count)})
    try:
        take = take_of(name, instrument, settings_of(instrument, told), control, positions, hold)
    except RuntimeError as problem:
        return f"{control['name']}: csound: {str(problem)[:60]}", None
    wav = folder / f"{name} {control['name'].replace('/', '-')}.wav"
    wavfile.write(wav, within.csound_text.RATE, take.T.astype(np.float32))
    out = folder / "described.json"
    done = subprocess.run([cli, "measure", str(path), str(wav), "--control", control["name"], "--note", str(KEY), "--positions",
                           ",".join(f"{p:g}" for p in positions), "--out", str(out)], capture_output=True, text=True)
    if done.returncode:
        return f"{control['name']}: not told: {done.stderr.strip().splitlines()[-1][:110]}", None
    scale = next(c for c in json.loads(out.read_text())["controls"] if c["name"] == control["name"])["scale"]
    low, high = ends_of(scale)
    between = [0.5 * (a + b) for a, b in zip(positions, positions[1:]) if a >= low and b <= high]
    address = control["address"]
    whole = abs(height(address, true_value(control["scale"], last)) - height(address, true_value(control["scale"], first)))
    misses, places = [], []
    for p in between:
        true = true_value(control["scale"], p)
        misses.append(100 * abs(height(address, within.value_at(scale, p)) - height(address, true)) / whole)
        places.append(100 * abs(position_of(scale, true) - p) / (last - first))
    return (f"{control['name']}: {scale['law']}, {len(between) + 1} of {len(positions)} positions, at most {max(misses):.1f} off, mean "
            f"{statistics.mean(misses):.1f}; in position at most {max(places):.1f}, mean {statistics.mean(places):.1f}", max(misses))


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("cli")
    parser.add_argument("--only", nargs="+", default=[])
    parser.add_argument("--positions", type=int, default=8)
    parser.add_argument("--keep", type=pathlib.Path)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as temporary:
        folder = options.keep or pathlib.Path(temporary)
        folder.mkdir(parents=True, exist_ok=True)
        for name in within.SOUNDS:
            path = within.ROOT / "instruments" / f"{name}.json"
            instrument = within.load(name)
            misses, untold = [], 0
            for control in instrument["controls"]:
                if "choices" in control or (options.only and not any(o in f"{name} {control['name']}" for o in options.only)):
                    continue
                result = measured(options.cli, path, instrument, name, control, options.positions, folder)
                if not result:
                    continue
                print(f"  {name} {result[0]}", flush=True)
                if result[1] is None:
                    untold += 1
                else:
                    misses.append(result[1])
            if misses:
                print(f"{name}: {sum(m <= 5 for m in misses)} of {len(misses)} scales within 5 hundredths everywhere, median of the largest miss "
                      f"{statistics.median(misses):.1f}; {untold} not told")


if __name__ == "__main__":
    main()
