#!/usr/bin/python3
"""Measures how close a match came, without any of Facet's own code (numpy and scipy only).

Usage: bench/external_measure.py TRUTH.json REFERENCE.flac MATCH_FOLDER

TRUTH.json states the notes and true values (demo/*.json); MATCH_FOLDER is what `facet-cli match` left. Prints
one JSON object:

mel_gap     1 - d / d(plain saw at the right notes with a rectangular envelope)
d_db        mean |dB| between mel spectra: both files at 48 kHz, best constant gain and best time shift removed, 128 mel
            bands 20 Hz-20 kHz (none above the reference's upper cutoff), 46 ms Hann, 10 ms hop, floor 80 dB
            below the reference's peak, frames within 60 dB of the loudest in either file
strong_gap  the same against the best of a grid of saws through a fixed low-pass with the reference's own envelope
f0_cents    median |difference| of the fundamentals of the notes, each measured on the sound
cutoff_octaves  median and worst |difference| between the patch's effective cutoff over time and the truth's
attack, decay   the patch's times against the truth's
envelope_db     RMS difference of the level envelopes over the active part
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
import warnings
from scipy import signal
from scipy.io import wavfile

RATE = 48000


def read(path):
    path = pathlib.Path(path)
    with tempfile.TemporaryDirectory() as folder, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        if path.suffix == ".flac":
            subprocess.run(["flac", "-d", "-s", "-f", "-o", folder + "/x.wav", str(path)], check=True)
            path = pathlib.Path(folder) / "x.wav"
        rate, x = wavfile.read(path)
    x = x.astype(float) / (32768 if x.dtype == np.int16 else 1)
    if x.ndim > 1:
        x = x.mean(axis=1)
    return signal.resample_poly(x, 160, 147) if rate == 44100 else x, rate


def mel_spectra(x, high):
    size, hop, bands = 2208, 480, 128  # 46 ms, 10 ms
    mel = lambda f: 2595 * np.log10(1 + f / 700)
    edges = 700 * (10 ** (np.linspace(mel(20), mel(20000), bands + 2) / 2595) - 1)
    padded = 4096
    frames = np.lib.stride_tricks.sliding_window_view(np.pad(x, size // 2), size)[::hop]
    power = np.abs(np.fft.rfft(frames * signal.windows.hann(size, False), padded)) ** 2
    f = np.fft.rfftfreq(padded, 1 / RATE)
    bank = np.array([np.maximum(0, np.minimum((f - a) / (b - a), (c - f) / (c - b)))
                     for a, b, c in zip(edges, edges[1:], edges[2:])])
    for i, row in enumerate(bank):  # a triangle narrower than a bin takes the nearest one
        if row.sum() == 0:
            row[np.argmin(np.abs(f - edges[i + 1]))] = 1
    bank /= bank.sum(axis=1, keepdims=True)
    return (power @ bank.T)[:, edges[1:-1] <= high]


def distance(reference, other, high):
    """Mean |dB| after the best shift (within 20 ms) and the best gain."""
    a = mel_spectra(reference, high)
    floor = a.max() * 1e-8
    best = np.inf
    correlation = signal.correlate(np.abs(reference), np.abs(other[:len(reference)]), "full", "fft")
    middle = len(other[:len(reference)]) - 1
    lag = np.argmax(correlation[middle - 960:middle + 961]) - 960
    for shift in {0, int(lag)}:
        moved = np.roll(other, shift)[:len(reference)]
        b = mel_spectra(np.pad(moved, (0, len(reference) - len(moved))), high)
        active = (a.sum(1) > a.sum(1).max() * 1e-6) | (b.sum(1) > b.sum(1).max() * 1e-6)
        level = 10 * np.log10(a.sum() / b.sum())
        for gain in level + np.arange(-6, 6.1, 0.25):
            difference = 10 * np.log10(np.maximum(a, floor)) - 10 * np.log10(np.maximum(b * 10 ** (gain / 10), floor))
            best = min(best, np.abs(difference[active]).mean())
    return best


def saw_phrase(truth, length, envelope=None, cutoff=None):
    t = np.arange(length) / RATE
    out = np.zeros(length)
    newest = None
    for start, end, key, _ in truth["notes"]:
        hz = 440 * 2 ** ((key - 69) / 12 + truth["tuning_cents"] / 1200)
        inside = (t >= start) & (t < (end if envelope is None else end + 10))
        wave = sum(np.sin(2 * np.pi * n * hz * (t[inside] - start)) / n for n in range(1, int(20000 / hz) + 1))
        # The newest notes alone; those of a chord together.
        out[inside] = wave + (out[inside] if start == newest else 0)
        newest = start
    if cutoff:
        out = signal.sosfilt(signal.butter(4, cutoff, fs=RATE, output="sos"), out)
    if envelope is not None:
        own = level(out)
        out = out * np.interp(np.arange(length), np.arange(len(own)) * 240, envelope / np.maximum(own, 1e-4 * own.max()))
    return out


def level(x):
    """RMS under 20 ms every 5 ms, as magnitude."""
    smooth = signal.fftconvolve(x ** 2, signal.windows.hann(960) / signal.windows.hann(960).sum(), "same")
    return np.sqrt(np.maximum(smooth[::240], 1e-16))


def fundamental(x, start, end, expected):
    """f0 near an expected value: phase advance of the strongest low partials over the rest of the note."""
    size = int(min(0.85 * (end - start), 0.35) * RATE)
    begin = int(end * RATE) - size
    hop = 240
    window = signal.windows.blackmanharris(size - hop)
    t = np.arange(size - hop) / RATE
    total, weights = 0.0, 0.0
    for n in range(1, 9):
        probe = np.exp(-2j * np.pi * n * expected * t) * window
        a, b = (probe * x[begin:begin + size - hop]).sum(), (probe * x[begin + hop:begin + size]).sum()
        turn = np.angle(b * np.conj(a) * np.exp(-2j * np.pi * n * expected * hop / RATE)) / (2 * np.pi)
        hz = (n * expected + turn * RATE / hop) / n
        total, weights = total + abs(a) ** 2 * n * n * hz, weights + abs(a) ** 2 * n * n
    return total / weights if weights > 0 else float("nan")  # silent there


def curve(x, bend):
    return x if abs(bend) < 1e-6 else np.expm1(-bend * x) / np.expm1(-bend)


def effective_hz(kind, poles, cutoff, resonance):
    """Where the response has fallen by 6 dB; the resonance is the gain at the cutoff re the pass band."""
    gain = 10 ** (resonance / 20)
    if kind == "ladder":  # four equal poles in a loop: T. Stilson, J. Smith, ICMC 1996
        k = max(0.0, (4 * gain - 1) / (1 + gain))
        w = np.geomspace(0.02, 30, 4000)
        pole = 1 / (1 + 1j * w)
        response = 20 * np.log10(np.abs(pole ** poles / (1 + k * pole ** 4)) * (1 + k))
        return cutoff * w[np.nonzero(response >= -6)[0].max()]
    first = gain if poles == 2 else 1 / (2 * np.cos(np.pi / 8))
    second = gain / first
    w = np.geomspace(0.02, 30, 4000)
    section = lambda q: -10 * np.log10((1 - w ** 2) ** 2 + (w / q) ** 2)
    response = section(first) + (section(second) if poles == 4 else 0)
    return cutoff * w[np.nonzero(response >= -6)[0].max()]


def patch_values(patch, truth):
    m = patch["modules"]
    level_envelope, filter_envelope = m["layer:a/envelope:level"], m["layer:a/envelope:filter"]
    low_pass = m["layer:a/filter:a"]
    x = np.linspace(0, 1, 20001)
    decay63 = level_envelope["decay"] * x[np.searchsorted(curve(x, level_envelope["decay_curve"] / 10), 1 - np.exp(-1))]
    t = np.array(truth["effective_cutoff"]["seconds_after_start"]) * 1000
    e = filter_envelope
    s = e["sustain"] / 100
    rise = curve(np.clip((t - e["delay"]) / max(e["attack"], 1e-6), 0, 1), e["attack_curve"] / 10)
    fall = 1 + (s - 1) * curve(np.clip((t - e["delay"] - e["attack"] - e["hold"]) / e["decay"], 0, 1), e["decay_curve"] / 10)
    envelope = np.where(t < e["delay"] + e["attack"], rise, fall)
    poles = 4 if low_pass["slope"] == "24 dB" else 2
    key = max(truth["notes"], key=lambda note: note[1] - note[0])[2]
    tracked = low_pass["key_tracking"] / 100 * (key - 60) / 12  # octaves, from middle C
    cutoff = low_pass["cutoff"] * 2 ** (low_pass["envelope"] / 12 * envelope + tracked)
    effective = np.minimum(effective_hz(low_pass["kind"], poles, cutoff, low_pass["resonance"]), 20000) if low_pass["on"] else np.full(len(t), 20000.0)
    octaves = np.abs(np.log2(effective / np.minimum(truth["effective_cutoff"]["hz"], 20000)))
    return {"cutoff_octaves": {"median": round(float(np.median(octaves)), 3), "worst": round(float(octaves.max()), 3)},
            "attack_ms": [round(level_envelope["attack"], 2), truth["envelope"]["attack_ms"]],
            "decay_63_ms": [round(float(decay63), 1), truth["decay_63_ms"]]}


def yardsticks(truth, reference, rate):
    """Distances of a plain saw, and of the best saw of a grid, which no match changes."""
    high = min(20000, 0.45 * rate)
    plain = distance(reference, saw_phrase(truth, len(reference)), high)
    envelope = level(reference)
    strong = min(distance(reference, saw_phrase(truth, len(reference), envelope, cutoff), high)
                 for cutoff in (200, 400, 800, 1600, 3200, 6400, 12800))
    return plain, strong


def measure(truth, reference, render, rate, against=None):
    """All that needs no patch: both sounds at 48 kHz, mono; `rate` is the reference's own, `against` its yardsticks."""
    d = distance(reference, render, min(20000, 0.45 * rate))
    plain, strong = against or yardsticks(truth, reference, rate)
    envelope = level(reference)
    cents = []
    for start, end, key, _ in truth["notes"]:
        if sum(other[0] < end and other[1] > start for other in truth["notes"]) > 1:
            continue  # one of several at once has no pitch of its own that this could measure
        hz = 440 * 2 ** ((key - 69) / 12 + truth["tuning_cents"] / 1200)
        a, b = fundamental(reference, start, end, hz), fundamental(render, start, end, hz)
        if np.isfinite(a) and np.isfinite(b):  # not where either is silent: the envelope tells that
            cents.append(abs(1200 * np.log2(b / a)))
    la, lb = 20 * np.log10(envelope), 20 * np.log10(level(render)[:len(envelope)])
    n = min(len(la), len(lb))
    la, lb = la[:n], lb[:n]
    active = la > la.max() - 40
    offset = np.median((la - lb)[active])
    return {"mel_gap": round(1 - d / plain, 3), "d_db": round(d, 2), "strong_gap": round(1 - d / strong, 3),
            "plain_saw_db": round(plain, 2), "strong_saw_db": round(strong, 2),
            "f0_cents": round(float(np.median(cents)), 2) if cents else None,
            "f0_cents_worst": round(float(max(cents)), 2) if cents else None,
            "envelope_db": round(float(np.sqrt(np.mean((la - lb - offset)[active] ** 2))), 2)}


def main():
    truth = json.loads(pathlib.Path(sys.argv[1]).read_text())
    reference, rate = read(sys.argv[2])
    folder = pathlib.Path(sys.argv[3])
    render, _ = read(folder / "render.wav")
    result = measure(truth, reference, render, rate)
    result.update(patch_values(json.loads((folder / "patch.json").read_text()), truth))
    print(json.dumps(result))


if __name__ == "__main__":
    main()
