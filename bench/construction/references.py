#!/usr/bin/python3
"""Makes 84 recordings of known making, six of each of fourteen styles, by csound alone.

Usage: bench/construction/references.py FOLDER [--half tuning|sealed] [--only WORD …]    (needs csound, flac, python3-scipy)

Leaves in FOLDER for each id: ID.flac (48 kHz, 16 bit), ID.mid (its notes) and ID.json: tempo, notes, `sound` (every value of its
making, in the terms of csound_text.py) and `elements`: each word of elements.py that the sound was made of, with the
mean change in dB of the whole, and of the tenth that changes most, when it is taken out (null where that cannot be).
Half of the ids are for tuning; the sealed ones are looked at once, when a version is judged.
"""
import argparse
import concurrent.futures
import json
import pathlib
import random
import subprocess
import sys
import tempfile

import numpy as np
from scipy.io import wavfile

sys.dont_write_bytecode = True
HERE = pathlib.Path(__file__).resolve().parent
sys.path.insert(0, str(HERE))
sys.path.insert(0, str(HERE.parent.parent / "demo"))
import csound_text  # noqa: E402
import elements  # noqa: E402
import generate  # noqa: E402  (its MIDI writer)
import styles  # noqa: E402

RATE = csound_text.RATE


def ids(half=None):
    """Names of the references, of one half or of both. Each style has three in each half, drawn once."""
    names = []
    for style in styles.STYLES:
        numbers = list(range(6))
        random.Random(f"halves of {style}").shuffle(numbers)
        chosen = numbers[:3] if half == "tuning" else numbers[3:] if half == "sealed" else numbers
        names += [f"{style}_{n}" for n in sorted(chosen)]
    return names


def mel_power(sound, size=2048, hop=480, bands=96):
    """Power in bands, (frames, bands), the mean of both channels."""
    to_mel = lambda hz: 2595 * np.log10(1 + hz / 700)
    edges = 700 * (10 ** (np.linspace(to_mel(30), to_mel(18000), bands + 2) / 2595) - 1)
    hz = np.arange(size // 2 + 1) * RATE / size
    weights = np.clip(np.minimum((hz - edges[:-2, None]) / (edges[1:-1] - edges[:-2])[:, None],
                                 (edges[2:, None] - hz) / (edges[2:] - edges[1:-1])[:, None]), 0, None)
    at = np.arange(0, max(1, sound.shape[1] - size), hop)[:, None] + np.arange(size)
    window = np.hanning(size + 1)[:-1]
    return sum(np.abs(np.fft.rfft(side[at] * window)) ** 2 for side in sound) @ weights.T / 2


def change(a, b):
    """Mean of the difference in dB over the cells heard in either sound, and of its largest tenth."""
    first, second = mel_power(a), mel_power(b)
    floor = first.max() * 1e-6
    heard = np.maximum(first.sum(1), second.sum(1)) > first.sum(1).max() * 1e-6
    apart = np.sort(np.abs(10 * np.log10(np.maximum(first, floor) / np.maximum(second, floor)))[heard].ravel())
    return [round(float(apart.mean()), 2), round(float(apart[-max(1, apart.size // 10):].mean()), 2)]


def make_one(folder, name, changes):
    style, number = name.rsplit("_", 1)
    sound = styles.sound(style, int(number))
    samples = csound_text.render(sound)
    parts = []
    for word, without in elements.elements_of(sound):
        apart = None
        if without is not None and changes:
            apart = change(samples, csound_text.render({**without, "seconds": sound["seconds"]}))
        parts.append({"element": word, "change_db": apart})
    samples *= 10 ** (-3 / 20) / np.abs(samples).max()
    channels = samples[:1] if np.abs(samples[0] - samples[1]).max() < 1e-4 else samples
    with tempfile.TemporaryDirectory() as temporary:
        wav = pathlib.Path(temporary) / "x.wav"
        wavfile.write(wav, RATE, (np.clip(channels, -1, 1) * 32767).round().astype(np.int16).T)
        subprocess.run(["flac", "-s", "-f", "-o", str(folder / f"{name}.flac"), str(wav)], check=True)
    truth = {"name": name, "tempo_bpm": sound["tempo_bpm"], "tuning_cents": 0.0, "seconds": sound["seconds"], "channels": len(channels),
             "notes": sound["notes"], "elements": parts, "sound": sound}
    generate.write_midi(truth, folder / f"{name}.mid")
    (folder / f"{name}.json").write_text(json.dumps(truth, indent=1))


def make(folder, names, changes=True):
    """Makes those that are missing; how much each element changes takes most of the time."""
    folder.mkdir(parents=True, exist_ok=True)
    missing = [n for n in names if not (folder / f"{n}.json").exists()]
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        for _ in pool.map(lambda n: make_one(folder, n, changes), missing):
            pass


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--half", choices=("tuning", "sealed"))
    parser.add_argument("--only", nargs="+", default=[])
    options = parser.parse_args()
    make(options.folder, [n for n in ids(options.half) if not options.only or any(w in n for w in options.only)])


if __name__ == "__main__":
    main()
