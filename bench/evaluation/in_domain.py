#!/usr/bin/python3
"""Whether the search finds again what Facet itself could have made: random plausible patches that are not in its bank.

Usage: bench/evaluation/in_domain.py [--count 50] [--seconds 10] [--cli FACET-CLI] [--write docs/accuracy.md]

Reference: the patch with other random phases, 0.4 samples late, with white noise 60 dB below it, and its notes. The gap is
1 - (d - floor) / (d(plain saw) - floor), not clamped; d is that of external_measure.py, its floor the mean over 8 pairs of
renders of the right patch with other random phases.
"""
import argparse
import collections
import json
import pathlib
import statistics
import subprocess
import sys
import tempfile

import numpy as np
from scipy.io import wavfile

HERE = pathlib.Path(__file__).resolve().parent
sys.dont_write_bytecode = True
sys.path[:0] = [str(HERE), str(HERE.parent), str(HERE.parent.parent / "demo")]
import evaluate  # noqa: E402
import external_measure  # noqa: E402
import generate  # noqa: E402  (its MIDI writer)
from undisturbed import undisturbed  # noqa: E402

BUILD = HERE.parent.parent / "build/release"
RATE = 48000
NOTES = [[0.05, 0.75, 48, 100], [0.9, 1.3, 55, 80], [1.45, 2.2, 60, 110]]
SECONDS = 2.8
ASKED = {"effective cutoff (octaves)": 0.25, "release (ratio)": 1.15, "sustain (dB)": 0.5, "f0 (cents)": 0.5}


def performance(folder, seed):
    path = folder / f"notes{seed}.json"
    path.write_text(json.dumps({
        "format": "facet-performance", "version": 1, "tempo_bpm": 120.0, "downbeat": 0.0, "beats_per_bar": 4,
        "tuning_cents": 0.0, "render": {"frames": int(SECONDS * RATE), "rate_hz": RATE, "channels": 2, "seed": seed},
        "notes": [{"start": a, "end": b, "key": k, "cents": 0.0, "velocity": float(v)} for a, b, k, v in NOTES]}))
    return path


def render(cli, folder, patch, seed):
    out = folder / "r.wav"
    subprocess.run([str(cli), "render", str(patch), "--performance", str(performance(folder, seed)), "--out", str(out)],
                   check=True, capture_output=True)
    return wavfile.read(out)[1].astype(float)[:int(SECONDS * RATE)]


def later(x):
    """0.4 samples late, by the phase of its spectrum."""
    f = np.fft.rfftfreq(len(x))
    return np.fft.irfft(np.fft.rfft(x, axis=0) * np.exp(-2j * np.pi * 0.4 * f)[:, None], len(x), axis=0)


def figures(cli, sound, midi):
    done = subprocess.run([str(cli), "analyze", str(sound), "--notes", str(midi), "--json"], capture_output=True, text=True)
    return json.loads(done.stdout) if done.returncode == 0 else {}


def kinds(patch):
    """What sounds in a patch, by kind: sources, links and effects."""
    found = collections.Counter()
    for path, values in patch["modules"].items():
        kind = path.split("/")[-1].split(":")[0]
        on = values.get("on", kind not in ("source", "filter"))
        if kind in ("layer", "envelope", "lfo", "voicing", "output", "macro") or not on:
            continue
        found[kind] += 1
    return found


MEASURED = {"effective cutoff (octaves)": ("resting_cutoff_hz", lambda p, q: abs(np.log2(q / p))),
            "release (ratio)": ("release_ms", lambda p, q: max(p / q, q / p)),
            "sustain (dB)": ("sustain_db", lambda p, q: abs(p - q)),
            "f0 (cents)": ("f0_hz", lambda p, q: 1200 * abs(np.log2(q / p)))}


def compare(a, b, differences):
    """Adds by how much the notes of two sounds differ."""
    for x, y in zip(a.get("notes", []), b.get("notes", [])):
        for name, (key, apart) in MEASURED.items():
            p, q = x.get(key), y.get(key)
            if p is not None and q is not None and (name == "sustain (dB)" or (p > 0 and q > 0)):
                differences[name].append(apart(p, q))


def middle(values):
    return statistics.median(values) if values else float("nan")


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=50)
    parser.add_argument("--seconds", type=float, default=10.0)
    parser.add_argument("--cli", type=pathlib.Path, default=BUILD / "cli/facet-cli")
    parser.add_argument("--first", type=int, default=0, help="number of the first patch")
    parser.add_argument("--write", type=pathlib.Path)
    options = parser.parse_args()
    gaps, disturbed, false = [], [], collections.Counter()
    differences, of_the_right = collections.defaultdict(list), collections.defaultdict(list)
    truth = {"notes": NOTES, "tuning_cents": 0.0}
    with tempfile.TemporaryDirectory() as temporary:
        folder = pathlib.Path(temporary)
        subprocess.run([str(BUILD / "bench/plausible_sounds"), str(folder), str(options.count)], check=True)
        random = np.random.default_rng(1)
        for i in range(options.first, options.count):
            right = folder / f"plausible_{i:02}.json"
            clean = render(options.cli, folder, right, 100)
            power = np.sqrt(np.mean(clean ** 2))
            if power < 1e-5:
                continue  # silent at these keys
            reference = later(clean) + 1e-3 * power * random.standard_normal(clean.shape)
            wavfile.write(folder / "ref.wav", RATE, (0.5 * reference / np.abs(reference).max()).astype(np.float32))
            mono, rate = external_measure.read(folder / "ref.wav")
            pairs = [render(options.cli, folder, right, s).mean(axis=1) for s in range(1, 17)]
            floor = np.mean([external_measure.distance(a, b, 20000) for a, b in zip(pairs[::2], pairs[1::2])])
            midi = folder / "notes.mid"
            generate.write_midi({"tempo_bpm": 120, "notes": NOTES}, midi)
            command = [str(options.cli), "match", str(folder / "ref.wav"), "--notes", str(midi), "--seconds",
                       str(options.seconds), "--out"]

            def match():
                out = pathlib.Path(tempfile.mkdtemp(dir=folder))
                subprocess.run(command + [str(out)], check=True, capture_output=True)
                return out

            out, share = undisturbed(match)
            disturbed.append(share)
            found, _ = external_measure.read(out / "render.wav")
            d = external_measure.distance(mono, found, 20000)
            plain = external_measure.distance(mono, external_measure.saw_phrase(truth, len(mono)), 20000)
            gap = 1 - (d - floor) / max(1e-6, plain - floor)
            gaps.append(gap)
            asked, got = json.loads(right.read_text()), json.loads((out / "patch.json").read_text())
            for kind in (kinds(got) - kinds(asked)):
                false[kind] += 1
            asked_figures = figures(options.cli, folder / "ref.wav", midi)
            compare(asked_figures, figures(options.cli, out / "render.wav", midi), differences)
            render(options.cli, folder, right, 1)
            compare(asked_figures, figures(options.cli, folder / "r.wav", midi), of_the_right)
            report = json.loads((out / "report.json").read_text())
            print(f"{i:3} gap {gap:6.3f}  d {d:5.2f}  floor {floor:5.2f}  likeness {report['likeness']['after']:3.0f}  "
                  f"{dict(kinds(asked))} -> {report['structure']}", flush=True)
    rows = ["| figure | asked | reached | the right patch with other phases |", "|---|---|---|---|",
            f"| gap, median | 0.95 | {middle(gaps):.3f} | 1 |",
            f"| gap, 10th percentile | 0.85 | {np.percentile(gaps, 10):.3f} | 1 |"]
    rows += [f"| {name}, median | {asked:g} | {middle(differences[name]):.3g} | {middle(of_the_right[name]):.3g} |"
             for name, asked in ASKED.items()]
    worst = ", ".join(f"{kind} {100 * n / len(gaps):.0f} %" for kind, n in false.most_common(6)) or "none"
    rows += [f"| modules too many, most often | 15 % each | {worst} | none |"]
    table = "\n".join(rows) + f"\n\n{len(gaps)} patches, {options.seconds:g} s each. Other guests of the machine's host " \
        f"took {100 * statistics.median(disturbed):.0f} % of its processors' time meanwhile (median).\n"
    print(table)
    if options.write:
        evaluate.write_between(options.write, "in domain", table)


if __name__ == "__main__":
    main()
