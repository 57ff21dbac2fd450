#!/usr/bin/python3
"""Makes phrases that are easily misread, with what was really played: 17 families of 10, by csound alone.

Usage: bench/readings/phrases.py FOLDER [WORD] [--aside | --other]      (needs csound, flac, python3-numpy, python3-scipy)

Leaves in FOLDER for each id: ID.flac and ID.json with its family, half, notes (start, end in seconds, key, velocity),
tuning, tempo and what it is: "notes", "held" (one key held through a gate) or "none" (nothing that has keys). WORD: only
ids that hold it. Equal numbers on every machine; one half of each family, drawn once, is for tuning ("tuning"), the
other is looked at when a version is judged ("final"). --aside: the same with every value about as far aside as one just
notices (cutoff 3 %, attack 8 %, pitch 2 cents) and other start phases; --other: the same notes with the sound of a
phrase of another family. With both, likeness is held against what is nearly the same and what is not.
"""
import argparse
import json
import pathlib
import random
import re
import subprocess
import sys
import tempfile

import numpy as np
from scipy.io import wavfile

HERE = pathlib.Path(__file__).resolve().parent
sys.path.insert(0, str(HERE.parent.parent / "demo"))
import generate  # noqa: E402  (its csound runner)

RATE = 48000
SCALE = [0, 2, 3, 5, 7, 8, 10]  # natural minor


class Phrase:
    """Notes, and csound's text for what plays them."""

    def __init__(self, family, place, sound, notes, seconds, bus="", kind="notes", tempo=120.0, tuning=0.0, heard=None, attack=0.0):
        self.id = f"{family}_{place}"
        self.family, self.sound, self.bus, self.kind = family, sound, bus, kind
        self.notes, self.seconds, self.tempo, self.tuning = notes, seconds, tempo, tuning
        self.heard = heard  # the true notes, where they are others than those of the score
        self.attack = attack  # seconds, where it is slow


# ---- what sounds: sets aL and aR from iHz, iVel (0 … 1), iLen and kE ----

def stack(draw, voices, cents, wave=0, spread=1.0):
    """Detuned copies with random phases, from left to right."""
    lines, left, right = [], [], []
    for k in range(voices):
        place = 0.0 if voices == 1 else 2.0 * k / (voices - 1) - 1.0
        side = spread * place * (-1) ** k
        lines.append(f"a{k} vco2 {1 / np.sqrt(voices):.4f}, iHz * cent({cents * place:.3f}), {wave}, 0.5, {draw.random():.4f}")
        left.append(f"{np.sqrt(0.5 * (1 - side)):.4f} * a{k}")
        right.append(f"{np.sqrt(0.5 * (1 + side)):.4f} * a{k}")
    return "\n".join(lines) + f"\naL = {' + '.join(left)}\naR = {' + '.join(right)}\n"


def through_low_pass(cutoff, rest, seconds, kind="moogladder", resonance=0.2):
    """A low-pass that an envelope closes."""
    return (f"kC expsegr {cutoff}, {seconds}, {rest}, 9, {rest}, 0.1, {rest}\n"
            f"aL {kind} aL, kC, {resonance}\naR {kind} aR, kC, {resonance}\n")


def envelope(attack, decay, sustain, release):
    return f"kE linsegr 0, {attack}, 1, {decay}, {sustain}, 3600, {sustain}, {release}, 0\n"


# ---- what stands behind: reads gaL and gaR, writes to the output ----

def repeats(seconds, count, level=0.6, feedback=0.6, ping_pong=False, cutoff=20000):
    """So many repeats at least 40 dB up; filtered in the loop."""
    if count == 0:
        return "outs gaL, gaR\n"
    fed = min(feedback, 10 ** (-40 / 20 / max(1, count - 1) + 0.02)) if count > 1 else 0.0
    cross = "aFL = aDR\naFR = aDL\n" if ping_pong else "aFL = aDL\naFR = aDR\n"
    into = "aIL = gaL + gaR\naIR = 0\n" if ping_pong else "aIL = gaL\naIR = gaR\n"
    return ("aFL init 0\naFR init 0\n" + into +
            f"aDL delay aIL + {fed:.4f} * aFL, {seconds}\naDR delay aIR + {fed:.4f} * aFR, {seconds}\n"
            f"aDL tone aDL, {cutoff}\naDR tone aDR, {cutoff}\n" + cross +
            f"outs gaL + {level} * aDL, gaR + {level} * aDR\n")


def hall(size, wet, tone=7000):
    return f"aL, aR reverbsc gaL, gaR, {size}, {tone}\nouts gaL + {wet} * aL, gaR + {wet} * aR\n"


CHORUS = ("a1 poscil 2.2, 0.7\na2 poscil 2.2, 0.9, -1, 0.3\naL vdelay gaL, 9 + a1, 40\naR vdelay gaR, 11 + a2, 40\n"
          "outs 0.7 * (gaL + aL), 0.7 * (gaR + aR)\n")


# ---- what is played ----

def line(draw, count, low, tempo, lengths=(0.5, 1.0), gaps=(0.0, 0.25), velocities=(70, 120)):
    """A line of keys in one scale; lengths and gaps in quarter notes."""
    beat, at, degree, notes = 60.0 / tempo, 0.1, draw.randrange(7), []
    for _ in range(count):
        length = draw.choice(lengths) * beat
        key = low + 12 * (degree // 7) + SCALE[degree % 7]
        notes.append([round(at, 4), round(at + 0.9 * length, 4), key, draw.randint(*velocities)])
        at += length + draw.choice(gaps) * beat
        step = draw.choice([-3, -2, -1, 1, 2, 3])
        degree = min(13, max(0, degree + step if 0 <= degree + step <= 13 else degree - step))
    return notes


def until(notes, tail):
    return round(max(note[1] for note in notes) + tail, 3)


# ---- the families ----

def repeated_stacks(place, draw):
    voices, count = draw.randint(3, 9), place // 2
    tempo = draw.choice([96, 110, 120, 128])
    notes = line(draw, draw.randint(1, 3), draw.choice([43, 48, 55]), tempo, (0.5, 1.0), (1.0, 2.0))
    delay = 60.0 / tempo * draw.choice([0.5, 0.75, 1 / 3, 0.25])
    sound = stack(draw, voices, draw.uniform(8, 25)) + through_low_pass(draw.uniform(2500, 9000), draw.uniform(700, 2000), 0.3)
    sound += envelope(0.006, 0.25, draw.uniform(0.4, 0.9), draw.uniform(0.06, 0.2))
    bus = repeats(delay, count, draw.uniform(0.45, 0.75), draw.uniform(0.5, 0.75), place % 2 == 0, draw.choice([20000, 6000, 2500]))
    return Phrase("stacks", place, sound, notes, until(notes, 0.6 + 1.1 * delay * count), bus, tempo=tempo)


GATES = {  # a cycle from 0 to 1
    "square": "(kT < 0.5 ? 1 : 0)", "falling": "(1 - kT)^1.5", "short": "(kT < 0.25 ? 1 : 0)",
    "rise": "(kT < 0.8 ? kT / 0.8 : 0)",
}


def gate_of(place, draw):
    tempo = draw.choice([100, 120, 128, 140])
    rate = tempo / 60.0 * [2, 3, 4, 8][place % 4]
    shape = list(GATES)[(place // 2) % 4]
    length = draw.choice([4, 6, 8]) * 60.0 / tempo
    chord = [draw.choice([45, 50, 57])] if place % 3 else [draw.choice([48, 53])]
    if place % 3 == 0:
        chord.append(chord[0] + draw.choice([7, 12]))
    return tempo, rate, shape, length, chord


def gated(place, draw):
    """One key held through a gate, which opens and shuts what goes on sounding."""
    tempo, rate, shape, length, chord = gate_of(place, draw)
    sound = stack(draw, draw.choice([1, 2, 5]), draw.uniform(6, 16), draw.choice([0, 10]), 0.7)
    sound += through_low_pass(draw.uniform(1800, 6000), draw.uniform(1200, 4000), length)
    sound += f"kT phasor {rate}\nkG = {GATES[shape]}\nkG portk kG, 0.002\n"
    sound += envelope(0.006, 0.2, 0.9, 0.06) + "kE = kE * kG\n"
    notes = [[0.1, round(0.1 + length, 4), key, 100] for key in chord]
    return Phrase("gated", place, sound, notes, until(notes, 0.5), kind="held", tempo=tempo)


def struck(place, draw):
    """The same rhythms really struck: phases, filter and level begin anew."""
    tempo, rate, shape, length, chord = gate_of(place, draw)
    open_share = {"square": 0.5, "falling": 0.7, "short": 0.25, "rise": 0.8}[shape]
    attack = 0.6 * open_share / rate if shape == "rise" else 0.004
    sound = stack(draw, draw.choice([1, 2, 5]), draw.uniform(6, 16), draw.choice([0, 10]), 0.7)
    sound += through_low_pass(draw.uniform(3500, 9000), draw.uniform(700, 1600), 0.5 / rate)
    sound += envelope(attack, 0.4 / rate, 0.6, 0.02)
    notes = [[round(0.1 + k / rate, 4), round(0.1 + (k + open_share) / rate, 4), key, draw.randint(88, 110)]
             for k in range(int(length * rate)) for key in chord]
    return Phrase("struck", place, sound, notes, until(notes, 0.5), tempo=tempo)


def inharmonic(place, draw):
    notes = line(draw, draw.randint(1, 5), draw.choice([60, 67, 72]), 100, (0.5, 1.0), (0.5, 1.0))
    if place % 3 == 0:  # a free bar: ratios of its modes (P. M. Morse, "Vibration and Sound", 1948)
        ratios, lives = [1.0, 2.756, 5.404, 8.933], [0.9, 0.4, 0.2, 0.1]
    elif place % 3 == 1:  # a bell: hum, prime, tierce, quint, nominal … about the strike note
        ratios, lives = [0.5, 1.0, 1.2, 1.5, 2.0, 2.5, 3.0], [2.0, 1.4, 1.1, 0.8, 0.7, 0.4, 0.3]
    if place % 3 < 2:
        sound = "aL = 0\n" + "".join(
            f"k{i} expseg 1, {life}, 0.37, {life}, 0.14, 9, 0.0001\na{i} poscil {0.5 / (1 + 0.6 * i):.3f}, iHz * {ratio}\naL += a{i} * k{i}\n"
            for i, (ratio, life) in enumerate(zip(ratios, lives))) + "aR = aL\n"
    else:
        ratio = draw.choice([1.41, 2.76, 3.53, 0.71, 1.87])
        sound = f"kI expseg {draw.uniform(2, 5):.2f}, 0.8, 0.3, 9, 0.1\naL foscili 0.5, iHz, 1, {ratio}, kI, 1\naR = aL\n"
    sound += f"kE expsegr 1, {draw.uniform(0.6, 1.4):.2f}, 0.2, 9, 0.01, 0.2, 0.001\n"
    return Phrase("inharmonic", place, sound, notes, until(notes, 0.8), tempo=100)


def ring_modulated(place, draw):
    notes = line(draw, draw.randint(3, 6), draw.choice([48, 52, 57]), 112)
    ratio = draw.choice([1.414, 1.5, 2.37, 0.73, 3.14])
    sound = f"a1 vco2 0.7, iHz, 12\na2 poscil 1, iHz * {ratio}\naL = a1 * ({draw.choice([0.0, 0.3])} + a2)\naR = aL\n"
    sound += envelope(0.004, 0.3, 0.5, 0.1)
    return Phrase("ring", place, sound, notes, until(notes, 0.5), tempo=112)


def noise_sweep(place, draw):
    """Risers and falls: nothing that has keys."""
    length = draw.uniform(1.0, 4.0)
    a, b = draw.uniform(200, 600), draw.uniform(4000, 12000)
    if place % 2:
        a, b = b, a
    filtered = [f"aN butterlp aN, kC", f"aN butterbp aN, kC, kC / {draw.uniform(1.5, 4):.2f}", f"aN moogladder aN, kC, {draw.uniform(0.3, 0.7):.2f}"][place % 3]
    sound = f"aN rand 0.7, {0.1 + 0.08 * place:.2f}, 1\nkC expseg {a:.1f}, iLen, {b:.1f}, 1, {b:.1f}\n{filtered}\naL = aN\naR = aN\n"
    sound += (f"kE expsegr 0.02, iLen, 1, 9, 1, 0.1, 0.001\n" if place % 4 < 2 else envelope(0.3 * length, 0.5 * length, 0.3, 0.2))
    notes = [[0.1, round(0.1 + length, 4), 60, 100]]
    return Phrase("noise", place, sound, notes, until(notes, 0.5), kind="none", heard=[])


def falling(place, draw):
    """Sweeps and toms: the pitch falls into a key, or on and on."""
    tempo = 104
    notes = line(draw, draw.randint(3, 7), draw.choice([36, 41, 45]), tempo, (0.5, 1.0), (0.0, 0.5))
    start, time = draw.uniform(1.5, 4.0), draw.uniform(0.02, 0.06)
    sound = f"kTime timeinsts\nkHz = iHz * (1 + {start - 1:.2f} * exp(-kTime / {time:.3f}))\naL poscil 0.8, kHz\naN rand 0.3, 0.4, 1\nkN expseg 1, 0.02, 0.01, 9, 0.0001\n"
    sound += f"aL = aL + aN * kN * {draw.choice([0, 0.5])}\naR = aL\nkE expsegr 1, {draw.uniform(0.12, 0.4):.3f}, 0.1, 9, 0.01, 0.05, 0.001\n"
    return Phrase("toms", place, sound, notes, until(notes, 0.4), tempo=tempo)


def pads(place, draw):
    attack = [0.2, 0.35, 0.5, 0.8, 1.2, 1.6, 2.0, 0.3, 0.9, 1.4][place]
    length = attack + draw.uniform(1.0, 2.0)
    root = draw.choice([48, 50, 53, 57])
    keys = [root] if place % 2 else [root, root + draw.choice([3, 4]), root + 7]
    notes = [[0.1, round(0.1 + length, 4), key, 90] for key in keys]
    sound = stack(draw, draw.choice([2, 3, 5]), draw.uniform(5, 14)) + through_low_pass(draw.uniform(1500, 4000), draw.uniform(1200, 3000), length, "moogladder", 0.1)
    sound += f"kE linsegr 0, {attack}, 1, 3600, 1, {draw.uniform(0.3, 0.9):.2f}, 0\n"
    bus = hall(draw.uniform(0.75, 0.9), draw.uniform(0.3, 0.6)) if place >= 5 else "outs gaL, gaR\n"
    return Phrase("pads", place, sound, notes, until(notes, 2.0), bus, attack=attack)


CHORDS = {2: [(0, 7), (0, 4), (0, 9)], 3: [(0, 4, 7), (0, 3, 7), (0, 5, 7)], 4: [(0, 4, 7, 11), (0, 3, 7, 10), (0, 7, 12, 16)],
          5: [(0, 3, 7, 10, 14), (0, 4, 7, 11, 14)], 6: [(0, 7, 12, 16, 19, 24), (0, 3, 7, 10, 14, 17)]}


def chords(place, draw):
    size, tempo = [2, 3, 4, 5, 6][place // 2], 96
    notes, at = [], 0.1
    for _ in range(draw.randint(2, 4)):
        root, length = draw.choice([45, 48, 50, 53]), 60.0 / tempo * draw.choice([1, 2])
        for step in draw.choice(CHORDS[size]):
            notes.append([round(at, 4), round(at + 0.92 * length, 4), root + step, draw.randint(84, 104)])
        at += length
    sound = stack(draw, draw.choice([1, 2]), 8, draw.choice([0, 10, 12])) + through_low_pass(draw.uniform(2500, 7000), draw.uniform(1200, 2500), 0.4)
    sound += envelope(0.008, 0.4, 0.6, 0.12)
    bus = ["outs gaL, gaR\n", CHORUS, hall(0.8, 0.35)][place % 3]
    return Phrase("chords", place, sound, notes, until(notes, 1.0), bus, tempo=tempo)


def layered_bass(place, draw):
    """A bass with a sub, a fifth or an octave that sounds with every key: one note, not two."""
    tempo = 120
    notes = line(draw, draw.randint(4, 8), draw.choice([33, 36, 40]), tempo, (0.5, 0.75), (0.0, 0.25))
    other = [0.5, 1.5, 2.0, 0.5, 1.4983][place % 5]
    sound = f"a1 vco2 0.5, iHz, 0\na2 vco2 {draw.uniform(0.3, 0.55):.2f}, iHz * {other}, {draw.choice([0, 10])}\naL = a1 + a2\naR = aL\n"
    sound += through_low_pass(draw.uniform(1500, 5000), draw.uniform(300, 900), 0.25, "moogladder", draw.uniform(0.1, 0.5)) + envelope(0.004, 0.3, 0.6, 0.06)
    return Phrase("layered", place, sound, notes, until(notes, 0.4), tempo=tempo)


def glided(place, draw):
    """Every note slides in from the one before (even places), or is stepped to on the same breath (odd ones)."""
    tempo, count = 100, draw.randint(3, 6)
    notes = line(draw, count, draw.choice([55, 60]), tempo, (0.75, 1.0), (0.0,))
    notes = [[a, round(notes[i + 1][0] if i + 1 < count else b, 4), k, 100] for i, (a, b, k, _) in enumerate(notes)]
    time = [0.12, 0.001][place % 2] * draw.uniform(0.6, 1.4)
    points = f"{hz_of(notes[0][2]):.4f}"
    for before, note in zip(notes, notes[1:]):
        points += f", {note[0] - before[0] - (0 if before is notes[0] else time):.4f}, {hz_of(before[2]):.4f}, {time:.4f}, {hz_of(note[2]):.4f}"
    score = [[notes[0][0], notes[-1][1], notes[0][2], 100]]
    sound = f"kHz expseg {points}, 60, {hz_of(notes[-1][2]):.4f}\naL vco2 0.5, kHz, {draw.choice([0, 10])}\naR = aL\n"
    sound += "aL moogladder aL, 3200, 0.2\naR = aL\n" + envelope(0.01, 0.3, 0.8, 0.08)
    return Phrase("glides", place, sound, score, until(notes, 0.4), tempo=tempo, heard=notes)


def hz_of(key):
    return 440.0 * 2.0 ** ((key - 69) / 12.0)


def shaken(place, draw):
    """Deep vibrato of one note (even places), and trills of two (odd ones)."""
    key, length = draw.choice([57, 60, 64, 69]), draw.uniform(1.5, 3.0)
    if place % 2 == 0:
        rate, cents = draw.uniform(4.5, 7.0), draw.uniform(40, 130)
        sound = f"kV lfo {cents:.1f}, {rate:.2f}\nkD linseg 0, 0.2, 0, 0.3, 1, 60, 1\naL vco2 0.5, iHz * cent(kV * kD), 0\naR = aL\naL moogladder aL, 2600, 0.2\naR = aL\n"
        notes = [[0.1, round(0.1 + length, 4), key, 100]]
        return Phrase("shaken", place, sound + envelope(0.02, 0.3, 0.9, 0.1), notes, until(notes, 0.4))
    step, rate = draw.choice([1, 2, 3]), draw.uniform(6.0, 9.0)
    count = int(length * rate)
    notes = [[round(0.1 + k / rate, 4), round(0.1 + (k + 0.96) / rate, 4), key + (step if k % 2 else 0), 100] for k in range(count)]
    sound = "aL vco2 0.5, iHz, 0\naR = aL\n" + through_low_pass(4500, 1600, 0.6 / rate) + envelope(0.004, 0.1, 0.8, 0.02)
    return Phrase("shaken", place, sound, notes, until(notes, 0.4))


def arpeggio(place, draw):
    """Repeats that overlap with what is played."""
    tempo = draw.choice([112, 118, 124, 132])
    step, root = 60.0 / tempo / [2, 4][place % 2], draw.choice([48, 52, 57])
    chord = draw.choice([(0, 3, 7, 12), (0, 4, 7, 11), (0, 7, 12, 15)])
    count = draw.choice([8, 12, 16])
    order = [chord[k % 4] if place % 3 else chord[(3 - k) % 4] for k in range(count)]
    notes = [[round(0.1 + k * step, 4), round(0.1 + (k + 0.7) * step, 4), root + order[k], draw.randint(85, 110)] for k in range(count)]
    sound = stack(draw, draw.choice([1, 2]), 9, draw.choice([0, 10])) + through_low_pass(draw.uniform(3500, 8000), 900, 0.15) + envelope(0.003, 0.12, 0.25, 0.08)
    delay = 60.0 / tempo * draw.choice([0.75, 0.5, 1 / 3])
    bus = repeats(delay, draw.randint(2, 5), draw.uniform(0.35, 0.6), 0.6, place % 2 == 0, draw.choice([20000, 4000]))
    return Phrase("arpeggios", place, sound, notes, until(notes, 0.4 + 4 * delay), bus, tempo=tempo)


def bent(place, draw):
    """Bends within held notes: up to a semitone or two and back, or released."""
    key, tempo = draw.choice([55, 60, 64, 67]), 90
    notes = [[0.1, 1.5, key, 100], [1.6, 3.0, key + draw.choice([-5, 3, 5]), 100]]
    amount, when, time = draw.choice([1, 2, -2, -1]), draw.uniform(0.35, 0.6), draw.uniform(0.1, 0.3)
    back = f", 0.2, {amount}, {time:.3f}, 0" if place % 2 else ""
    sound = f"kB linseg 0, {when:.3f}, 0, {time:.3f}, {amount}{back}, 9, {0 if place % 2 else amount}\naL vco2 0.5, iHz * semitone(kB), 0\naR = aL\naL moogladder aL, 2800, 0.2\naR = aL\n"
    return Phrase("bends", place, sound + envelope(0.01, 0.4, 0.8, 0.08), notes, until(notes, 0.4), tempo=tempo)


def repeated(place, draw):
    """One key many times, fast."""
    rate, key, count = draw.uniform(6.0, 13.0), draw.choice([40, 52, 60, 67]), draw.randint(8, 20)
    notes = [[round(0.1 + k / rate, 4), round(0.1 + (k + draw.uniform(0.5, 0.85)) / rate, 4), key, draw.randint(80, 115)] for k in range(count)]
    sound = stack(draw, draw.choice([1, 3]), 10, draw.choice([0, 10, 12])) + through_low_pass(draw.uniform(2500, 7000), 700, 0.08) + envelope(0.003, 0.06, 0.4, 0.03)
    bus = hall(0.7, 0.2) if place % 4 == 3 else "outs gaL, gaR\n"
    return Phrase("repeated", place, sound, notes, until(notes, 0.6), bus)


def registers(place, draw):
    """A bass under a melody or a held chord, of one sound."""
    tempo = 104
    low = line(draw, 4, 33, tempo, (1.0,), (0.0,))
    high = line(draw, 8, 64, tempo, (0.5,), (0.0,)) if place % 2 else [[0.1, 2.3, key, 80] for key in (60, 64, 67)]
    notes = sorted(low + high)
    sound = stack(draw, 1, 0, draw.choice([0, 10, 12])) + through_low_pass(draw.uniform(2000, 5000), 1200, 0.3) + envelope(0.006, 0.3, 0.6, 0.08)
    return Phrase("registers", place, sound, notes, until(notes, 0.5), tempo=tempo)


def tied(place, draw):
    """Keys that follow each other without a gap, each struck, or with the level going on."""
    tempo = draw.choice([90, 110, 125])
    notes = line(draw, draw.randint(4, 7), draw.choice([48, 55, 60]), tempo, (0.5, 1.0), (0.0,))
    notes = [[a, round(notes[i + 1][0] if i + 1 < len(notes) else b, 4), k, 100] for i, (a, b, k, _) in enumerate(notes)]
    if place % 2 == 0:
        sound = stack(draw, draw.choice([1, 2]), 7) + through_low_pass(draw.uniform(2500, 6000), 900, 0.3) + envelope(0.005, 0.3, 0.7, 0.02)
        return Phrase("ties", place, sound, notes, until(notes, 0.4), tempo=tempo)
    points = f"{hz_of(notes[0][2]):.4f}" + "".join(
        f", {note[0] - before[0] - (0 if before is notes[0] else 0.0005):.4f}, {hz_of(before[2]):.4f}, 0.0005, {hz_of(note[2]):.4f}" for before, note in zip(notes, notes[1:]))
    sound = f"kHz expseg {points}, 60, {hz_of(notes[-1][2]):.4f}\naL vco2 0.5, kHz, {draw.choice([0, 10])}\naR = aL\naL moogladder aL, 2600, 0.1\naR = aL\n"
    return Phrase("ties", place, sound + envelope(0.01, 0.3, 0.8, 0.08), [[notes[0][0], notes[-1][1], notes[0][2], 100]],
                  until(notes, 0.4), tempo=tempo, heard=notes)


FAMILIES = [repeated_stacks, gated, struck, inharmonic, ring_modulated, noise_sweep, falling, pads, chords, layered_bass,
            glided, shaken, arpeggio, bent, repeated, registers, tied]


def phrases():
    """All of them, each with its half."""
    halves = random.Random(20261130)
    for family in FAMILIES:
        tuning = set(halves.sample(range(10), 5))
        for place in range(10):
            phrase = family(place, random.Random(f"{family.__name__} {place}"))
            phrase.half = "tuning" if place in tuning else "final"
            yield phrase


# What one just notices, as factors and cents: common practice, no source.
ASIDE_CUTOFF, ASIDE_ATTACK, ASIDE_CENTS = 1.03, 1.08, 2.0


def set_aside(phrase):
    """The sound with values a little aside, in csound's text; phases of stacked oscillators are drawn anew."""
    def scaled(pattern, factor, text):
        return re.sub(pattern, lambda m: f"{m[1]}{float(m[2]) * factor:.6g}{m[3]}", text, flags=re.M)

    draw = random.Random(f"aside {phrase.id}")
    text = re.sub(r"^(kC expsegr) ([\d.]+), ([\d.]+), ([\d.]+), 9, ([\d.]+), 0.1, ([\d.]+)$",
                  lambda m: "{} {}, {}, {}, 9, {}, 0.1, {}".format(m[1], *(float(m[i]) * (ASIDE_CUTOFF if i != 3 else 1) for i in range(2, 7))),
                  phrase.sound, flags=re.M)
    text = scaled(r"^(kC expseg )([\d.]+)(, iLen.*)$", ASIDE_CUTOFF, text)
    text = scaled(r"^(aL moogladder aL, )(\d+)(, .*)$", ASIDE_CUTOFF, text)
    text = scaled(r"^(kE linsegr 0, )([\d.]+)(, .*)$", ASIDE_ATTACK, text)
    phrase.sound = re.sub(r"^(a\d+ vco2 .*), 0\.\d{4}$", lambda m: f"{m[1]}, {draw.random():.4f}", text, flags=re.M)
    phrase.tuning += ASIDE_CENTS


# Families whose sound plays any key at any time; the others' sounds have their notes written into them.
PLAYABLE = ["stacks", "gated", "inharmonic", "ring", "toms", "pads", "chords", "layered", "arpeggios", "repeated", "registers"]


def play_other(phrase, every):
    """The phrase with the sound of another family's at the same place."""
    at = PLAYABLE.index(phrase.family) if phrase.family in PLAYABLE else len(phrase.id)
    other = every[f"{PLAYABLE[(at + 4) % len(PLAYABLE)]}_{phrase.id.split('_')[1]}"]
    phrase.sound, phrase.bus = other.sound, other.bus


def make(phrase, folder):
    orchestra = (f"sr = {RATE}\nksmps = 16\nnchnls = 2\n0dbfs = 1\nseed 7\ngaL init 0\ngaR init 0\ngi1 ftgen 1, 0, 8192, 10, 1\n"
                 f"instr 1\niHz = cpsmidinn(p4) * cent({phrase.tuning})\niVel = p5 / 127\niLen = p3\n{phrase.sound}"
                 f"gaL += aL * kE * iVel * 0.4\ngaR += aR * kE * iVel * 0.4\nendin\n"
                 f"instr 99\n{phrase.bus or 'outs gaL, gaR'}\ngaL = 0\ngaR = 0\nendin\n")
    score = "".join(f"i1 {a} {b - a:.5f} {k} {v}\n" for a, b, k, v in phrase.notes) + f"i99 0 {phrase.seconds}\ne {phrase.seconds}\n"
    with tempfile.TemporaryDirectory() as temporary:
        path = pathlib.Path(temporary)
        samples = generate.run_csound(orchestra, score, path / "x.wav")
        samples = samples[: int(phrase.seconds * RATE)] / max(1e-9, np.abs(samples).max()) * 0.6
        fade = int(0.03 * RATE)
        samples[-fade:] *= np.linspace(1, 0, fade)[:, None]
        wavfile.write(path / "y.wav", RATE, np.round(samples * 32767).astype(np.int16))
        subprocess.run(["flac", "-s", "-f", "-8", "-o", str(folder / f"{phrase.id}.flac"), str(path / "y.wav")], check=True)
    truth = {"name": phrase.id, "family": phrase.family, "half": phrase.half, "kind": phrase.kind, "tempo_bpm": phrase.tempo,
             "tuning_cents": phrase.tuning, "seconds": phrase.seconds, "attack": phrase.attack,
             "notes": phrase.notes if phrase.heard is None else phrase.heard}
    (folder / f"{phrase.id}.json").write_text(json.dumps(truth) + "\n")


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("word", nargs="?", default="")
    parser.add_argument("--aside", action="store_true")
    parser.add_argument("--other", action="store_true")
    options = parser.parse_args()
    options.folder.mkdir(parents=True, exist_ok=True)
    count = 0
    every = {phrase.id: phrase for phrase in phrases()}
    for phrase in phrases():
        if options.word not in phrase.id:
            continue
        if options.aside:
            set_aside(phrase)
        if options.other:
            play_other(phrase, every)
        if not (options.folder / f"{phrase.id}.json").exists():
            make(phrase, options.folder)
        count += 1
    print(f"{count} phrases in {options.folder}")


if __name__ == "__main__":
    main()
