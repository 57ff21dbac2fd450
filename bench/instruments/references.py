#!/usr/bin/python3
"""Makes twelve recordings within the three described instruments, four of each, by csound alone.

Usage: bench/instruments/references.py FOLDER [--only WORD …]    (needs csound, flac, python3-scipy)

Leaves in FOLDER for each id: ID.flac (48 kHz, 16 bit), ID.mid (its notes) and ID.json: `instrument` (file in instruments/), `settings`
(control → position of its scale, or name of its choice), and `heard`: how many dB the sound changes in the mean when each
control is moved by a fifth of its way, or to another choice.
"""
import argparse
import concurrent.futures
import copy
import json
import math
import pathlib
import random
import subprocess
import sys
import tempfile

import numpy as np
from scipy.io import wavfile

sys.dont_write_bytecode = True
HERE = pathlib.Path(__file__).resolve().parent
ROOT = HERE.parent.parent
for folder in (HERE.parent / "construction", ROOT / "demo"):
    sys.path.insert(0, str(folder))
import csound_text  # noqa: E402
import generate  # noqa: E402  (its MIDI writer)
import notes as phrases  # noqa: E402
import references as known  # noqa: E402  (how far two sounds lie apart)

A = "layer:a"
# Both noises by their power in a band: Facet's is uniform in ±1 at 48 kHz; csound's gauss 0.35 is a sum of twelve uniform
# numbers over 3.83 (its manual and source), at twice the rate.
NOISE_DB = 20 * math.log10((1 / math.sqrt(3)) / (0.35 / 3.83) * math.sqrt(csound_text.COMPUTED / csound_text.RATE))


def load(name):
    return json.loads((ROOT / "instruments" / f"{name}.json").read_text())


def value_at(scale, position):
    """What a position stands for: the laws of docs/formats.md."""
    if scale["law"] == "points":
        points = scale["points"]
        logarithmic = all(v > 0 for _, v in points)
        position = min(max(position, points[0][0]), points[-1][0])
        for (a, low), (b, high) in zip(points, points[1:]):
            if position <= b:
                share = (position - a) / (b - a)
                return low * (high / low) ** share if logarithmic else low + (high - low) * share
    first, last = scale["positions"]
    low, high = scale["values"]
    share = (position - first) / (last - first)
    if scale["law"] == "logarithmic":
        return low * (high / low) ** share
    return low + (high - low) * share ** scale.get("exponent", 1.0)


def values_of(instrument, settings):
    """Address → value of all controls."""
    values = {}
    for control in instrument["controls"]:
        set_to = settings[control["name"]]
        values[control["address"]] = control["choices"][set_to] if "choices" in control else value_at(control["scale"], set_to)
    return values


def level_of(values):
    e = f"{A}/envelope:level"
    return {"attack": values[f"{e}/attack"], "decay": values[f"{e}/decay"], "curve": -5, "sustain": values[f"{e}/sustain"] / 100,
            "release": values[f"{e}/release"], "release_curve": -5}


def filter_of(values, slope):
    e, f = f"{A}/envelope:filter", f"{A}/filter:a"
    # The second of two sections has the resonance; the first is at 0.541.
    q = 10 ** (values[f"{f}/resonance"] / 20) / (0.541 if slope == "24 dB" else 1.0)
    return {"kind": "low-pass 24" if slope == "24 dB" else "low-pass 12", "hz": values[f"{f}/cutoff"], "q": q,
            "octaves": values[f"{f}/envelope"] / 12, "attack": values[f"{e}/attack"], "decay": values[f"{e}/decay"], "curve": -5,
            "sustain": values[f"{e}/sustain"] / 100, "release": values[f"{e}/release"], "track": values.get(f"{f}/key_tracking", 0.0) / 100}


def plain_sound(values):
    sources = []
    for key in ("a", "b"):
        s = f"{A}/source:{key}"
        if key == "b" and values[f"{s}/level"] <= -59.9:
            continue
        sources.append({"wave": values[f"{s}/wave"], "octave": values[f"{s}/octave"], "semitone": values.get(f"{s}/semitone", 0),
                        "cents": values.get(f"{s}/cents", 0.0), "level": values.get(f"{s}/level", 0.0), "width": values[f"{s}/width"] / 100})
    if values[f"{A}/source:c/level"] > -59.9:
        sources.append({"wave": "noise", "level": values[f"{A}/source:c/level"] + NOISE_DB, "color": 20000})
    f = filter_of(values, "24 dB")
    rate = values[f"{A}/lfo:a/rate"]
    if values["link:c/amount"] > 0.05:
        f["lfo"] = {"hz": rate, "octaves": values["link:c/amount"] / 12, "free": True}
    sound = {"sources": sources, "filters": [f], "level": level_of(values), "motion": {}}
    if values["link:a/amount"] > 0.5:  # both alike: what the references are drawn with
        sound["motion"]["vibrato"] = {"hz": rate, "cents": values["link:a/amount"], "ms": 0, "free": True}
    if values["voicing/mode"] != "poly":
        sound["mono"] = True
        sound["motion"]["glide"] = values["voicing/glide"]
    return sound


def four_operators_sound(values):
    def operator(key, amount, envelope):
        s, e = f"{A}/source:{key}", f"{A}/envelope:{envelope}"
        return {"ratio": values[f"{s}/ratio_over"], "cents": values[f"{s}/cents"], "index": math.radians(values[f"{amount}/amount"]),
                "attack": values[f"{e}/attack"], "decay": values[f"{e}/decay"], "sustain": values[f"{e}/sustain"] / 100,
                "release": values[f"{e}/release"]}
    s = f"{A}/source:a"
    return {"sources": [{"wave": "sine", "semitone": 12 * math.log2(values[f"{s}/ratio_over"]), "cents": values[f"{s}/cents"],
                         "chain": [operator("b", "link:a", "a"), operator("c", "link:b", "b"), operator("d", "link:c", "c")],
                         "feedback": math.radians(values["link:d/amount"])}],
            "level": level_of(values)}


def stacked_sound(values):
    s = f"{A}/source:a"
    source = {"wave": values[f"{s}/wave"], "width": values[f"{s}/width"] / 100,
              "stack": {"voices": int(values[f"{s}/voices"]), "detune": values[f"{s}/detune"], "spread": values[f"{s}/spread"] / 100}}
    effects = []
    if values["chorus:a/mix"] > 0:
        effects.append({"kind": "chorus", "delay": 12.0, "depth": 3.0, "hz": values["chorus:a/rate"], "mix": values["chorus:a/mix"] / 100})
    if values["reverb:a/mix"] > 0:
        mix = values["reverb:a/mix"] / 100
        effects.append({"kind": "reverb", "room": "hall", "feedback": 10 ** (-210.0 / values["reverb:a/decay"]), "damping": 8000,
                        "pre_ms": 20, "mix": mix / (1 - mix)})
    return {"sources": [source], "filters": [filter_of(values, values[f"{A}/filter:a/slope"])], "level": level_of(values),
            "motion": {}, "effects": effects}


SOUNDS = {"plain": plain_sound, "four-operators": four_operators_sound, "stacked": stacked_sound}


def drawn(r, low, high, digits=1):
    return round(r.uniform(low, high), digits)


def plain_settings(kind, r):
    s = {"Wave 1": r.choice(["ramp", "square"]), "Width 1": drawn(r, 0, 7), "Octave 1": "8'", "Wave 2": r.choice(["ramp", "square"]),
         "Width 2": drawn(r, 0, 7), "Octave 2": r.choice(["16'", "8'"]), "Interval 2": r.choice([0, 0, 7]), "Fine 2": drawn(r, 0.5, 2),
         "Level 2": drawn(r, 6, 9), "Noise": 0, "Cutoff": drawn(r, 3, 6), "Resonance": drawn(r, 1, 5), "Envelope to cutoff": drawn(r, 2, 5),
         "Key to cutoff": drawn(r, 0, 6), "Filter attack": 0, "Filter decay": drawn(r, 3.5, 6), "Filter sustain": drawn(r, 0, 5),
         "Filter release": drawn(r, 3, 5), "Level attack": drawn(r, 0, 1), "Level decay": drawn(r, 4, 7), "Level sustain": drawn(r, 4, 9),
         "Level release": drawn(r, 2.5, 4.5), "LFO rate": drawn(r, 6.5, 8), "Vibrato 1": 0, "Vibrato 2": 0, "LFO to cutoff": 0, "Glide": 0,
         "Voices": "many"}
    if kind == "bass":
        s.update({"Octave 1": "16'", "Octave 2": "16'", "Cutoff": drawn(r, 2.5, 4), "Voices": "legato", "Glide": drawn(r, 2.5, 4)})
    elif kind == "pluck":
        s.update({"Level 2": 0, "Filter decay": drawn(r, 3, 4.5), "Filter sustain": 0, "Level sustain": drawn(r, 0, 3), "Noise": drawn(r, 4, 6)})
    elif kind == "lead":
        s.update({"Vibrato 1": drawn(r, 3, 5), "Voices": "legato", "Glide": drawn(r, 2.5, 4)})
        s["Vibrato 2"] = s["Vibrato 1"]
    elif kind == "pad":
        s.update({"Level attack": drawn(r, 4, 5.5), "LFO rate": drawn(r, 3.5, 5), "LFO to cutoff": drawn(r, 4, 7), "Envelope to cutoff": 0,
                  "Level release": drawn(r, 4.5, 6)})
    return s


def four_operators_settings(kind, r):
    s = {}
    for n in range(1, 5):
        s.update({f"Ratio {n}": r.choice([1, 1, 2]) if n == 1 else r.choice([1, 1, 2, 3]), f"Detune {n}": 0,
                  f"Operator {n} attack": r.randint(0, 12), f"Operator {n} decay": r.randint(40, 70), f"Operator {n} sustain": r.randint(0, 60),
                  f"Operator {n} release": r.randint(30, 45)})
        if n > 1:
            s[f"Level {n}"] = 0
    s["Feedback"] = 0
    s["Level 2"] = r.randint(40, 70)
    if kind == "bell":
        s.update({"Ratio 1": 1, "Ratio 2": r.choice([3, 5, 7]), "Operator 1 decay": r.randint(60, 75), "Operator 1 sustain": 0, "Operator 2 sustain": 0})
    elif kind == "bass":
        s.update({"Ratio 1": 1, "Ratio 2": 1, "Feedback": 0, "Level 3": r.randint(25, 45)})
    elif kind == "keys":
        s.update({"Ratio 1": 1, "Ratio 2": r.choice([7, 11, 14]), "Level 2": r.randint(25, 40), "Operator 2 sustain": 0, "Operator 2 decay": r.randint(35, 50)})
    elif kind == "brass":
        s.update({"Ratio 1": 1, "Ratio 2": 1, "Operator 1 attack": r.randint(25, 35), "Operator 2 attack": r.randint(30, 45), "Operator 1 sustain": r.randint(60, 90),
                  "Operator 2 sustain": r.randint(40, 80)})
    return s


def stacked_settings(kind, r):
    s = {"Wave": r.choice(["saw", "saw", "pulse"]), "Shape": r.randint(0, 60), "Voices": r.choice(["5", "7", "9"]), "Detune": r.randint(30, 60),
         "Width": r.randint(40, 100), "Slope": r.choice(["gentle", "steep"]), "Cutoff": r.randint(50, 80), "Resonance": r.randint(10, 40),
         "Sweep": r.randint(10, 50), "Filter attack": r.randint(0, 10), "Filter decay": r.randint(35, 60), "Filter sustain": r.randint(0, 50),
         "Filter release": r.randint(30, 50), "Level attack": r.randint(0, 15), "Level decay": r.randint(40, 70), "Level sustain": r.randint(30, 90),
         "Level release": r.randint(25, 45), "Chorus": 0, "Chorus rate": r.randint(30, 60), "Reverb": 0, "Reverb time": r.randint(40, 60)}
    if kind == "pad":
        s.update({"Level attack": r.randint(40, 55), "Level release": r.randint(45, 60), "Reverb": r.randint(20, 40)})
    elif kind == "pluck":
        s.update({"Filter sustain": 0, "Filter decay": r.randint(30, 42), "Level sustain": r.randint(0, 25), "Reverb": r.randint(10, 25)})
    elif kind == "keys":
        s.update({"Voices": "1", "Detune": 0, "Width": 0, "Chorus": r.randint(30, 50)})
    elif kind == "lead":
        s.update({"Reverb": r.randint(8, 20), "Voices": r.choice(["3", "5"])})
    return s


KINDS = {"plain": ("bass", "pluck", "lead", "pad"), "four-operators": ("bell", "bass", "keys", "brass"), "stacked": ("pad", "pluck", "keys", "lead")}
SETTINGS = {"plain": plain_settings, "four-operators": four_operators_settings, "stacked": stacked_settings}


def phrase(kind, r):
    tempo = r.randint(90, 128)
    if kind == "bass":
        return tempo, phrases.line(r, tempo, 36 + r.randint(0, 5), 6, tied=0.35)
    if kind == "lead":
        return tempo, phrases.line(r, tempo, 60 + r.randint(0, 5), 6, tied=0.35)
    if kind in ("pad", "brass", "keys"):
        return tempo, phrases.chords(r, tempo, 55 + r.randint(0, 5), 2 if kind == "pad" else 3, beats=4.0 if kind == "pad" else 2.0)
    return tempo, phrases.arpeggio(r, tempo, 55 + r.randint(0, 7), 7, grid=0.5)


def ids():
    return [f"{name}_{kind}" for name, kinds in KINDS.items() for kind in kinds]


def render(name, instrument, settings, tempo, notes):
    sound = SOUNDS[name](values_of(instrument, settings))
    seconds = phrases.seconds_of(notes) + 2.0
    samples = csound_text.render({"name": name, "seed": 1, "tempo_bpm": tempo, "notes": notes, "seconds": seconds, **sound})
    return samples[:, : int(seconds * csound_text.RATE)]  # long releases go on after it


def moved(control, position):
    """Another setting, a fifth of the way off."""
    if "choices" in control:
        names = list(control["choices"])
        return names[(names.index(position) + 1) % len(names)]
    scale = control["scale"]
    first, last = scale["positions"] if "positions" in scale else (scale["points"][0][0], scale["points"][-1][0])
    by = 0.2 * (last - first)
    return position - by if position + by > last else position + by


def make_one(folder, word):
    name, kind = word.rsplit("_", 1)
    instrument, r = load(name), random.Random(f"within {word}")
    settings = SETTINGS[name](kind, r)
    tempo, notes = phrase(kind, r)
    samples = render(name, instrument, settings, tempo, notes)
    heard = {}
    for control in instrument["controls"]:
        other = copy.copy(settings)
        other[control["name"]] = moved(control, settings[control["name"]])
        heard[control["name"]] = known.change(samples, render(name, instrument, other, tempo, notes))[0]
    samples *= 10 ** (-3 / 20) / np.abs(samples).max()
    channels = samples[:1] if np.abs(samples[0] - samples[1]).max() < 1e-4 else samples
    with tempfile.TemporaryDirectory() as temporary:
        wav = pathlib.Path(temporary) / "x.wav"
        wavfile.write(wav, csound_text.RATE, (np.clip(channels, -1, 1) * 32767).round().astype(np.int16).T)
        subprocess.run(["flac", "-s", "-f", "-o", str(folder / f"{word}.flac"), str(wav)], check=True)
    truth = {"name": word, "instrument": f"{name}.json", "tempo_bpm": tempo, "tuning_cents": 0.0, "notes": notes, "settings": settings, "heard": heard}
    generate.write_midi(truth, folder / f"{word}.mid")
    (folder / f"{word}.json").write_text(json.dumps(truth, indent=1))


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--only", nargs="+", default=[])
    options = parser.parse_args()
    options.folder.mkdir(parents=True, exist_ok=True)
    wanted = [w for w in ids() if not (options.folder / f"{w}.json").exists() and (not options.only or any(o in w for o in options.only))]
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        for _ in pool.map(lambda word: make_one(options.folder, word), wanted):
            pass


if __name__ == "__main__":
    main()
