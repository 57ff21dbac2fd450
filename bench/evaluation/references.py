#!/usr/bin/python3
"""Makes the references of the evaluation: 48 sounds that Facet's engine did not make, and 19 more for development.

Usage: bench/evaluation/references.py FOLDER        (needs csound, fluidsynth, timgm6mb-soundfont, stk, libstk-dev, flac,
                                                     praat, sonic-pi-samples, g++, python3-numpy, python3-scipy)

Leaves in FOLDER for each id: ID.flac and ID.json with its notes (start, end in seconds, key, velocity) and tuning.
Every second reference of a family, by its place in the lists below, belongs to the half for tuning; the others are looked
at only when a version is judged. Neither lists nor halves change with what a search can do.

csound       scores with filters, envelopes and effects of csound's own
toolkit      physical and frequency-modulation models of the Synthesis Toolkit (P. Cook, G. Scavone)
soundfont    synthesizer-like programs of a free General MIDI sound font, through fluidsynth
recordings   CC0 recordings of Debian's sonic-pi-samples; their one note by praat's pitch
moving       scores for csound whose outline moves (pulse widths, sync, phasers, a flanger, stacks); of no half
"""
import json
import pathlib
import subprocess
import sys
import tempfile
import warnings

import numpy as np
from scipy.io import wavfile

HERE = pathlib.Path(__file__).resolve().parent
sys.path.insert(0, str(HERE.parent.parent / "demo"))
import generate  # noqa: E402  (its csound runner and MIDI writer)

RATE = 44100
SOUNDFONT = "/usr/share/sounds/sf2/TimGM6mb.sf2"
SAMPLES = pathlib.Path("/usr/share/sonic-pi/samples")

LOW = [[0.0, 0.7, 36, 100], [0.9, 1.2, 36, 80], [1.35, 2.2, 43, 110]]
MIDDLE = [[0.0, 0.8, 57, 100], [1.0, 1.4, 60, 80], [1.5, 2.5, 64, 110]]
HIGH = [[0.0, 0.5, 72, 100], [0.6, 0.9, 76, 80], [1.0, 2.2, 79, 110]]
LONG = [[0.0, 2.8, 60, 100]]
CHORD = [[0.0, 2.6, 53, 90], [0.0, 2.6, 60, 90], [0.0, 2.6, 63, 90]]
STAB = [[0.0, 0.35, 57, 100], [0.0, 0.35, 60, 100], [0.0, 0.35, 64, 100], [0.8, 1.15, 55, 100], [0.8, 1.15, 59, 100],
        [0.8, 1.15, 62, 100]]
TIED = [[0.0, 0.6, 60, 100], [0.6, 1.2, 63, 100], [1.2, 2.2, 67, 100]]

# id: (notes, seconds, channels, what instr 1 does with iHz and iLoud, what instr 99 does with gaBus)
CSOUND = {
    "diode_bass": (LOW, 2.6, 1, "a1 vco2 0.6, iHz\nkC expsegr 3200, 0.3, 300, 9, 300, 0.1, 200\na2 diode_ladder a1, kC, 6\nkE linsegr 0, 0.004, 1, 0.4, 0.6, 0.08, 0\nout a2 * kE * iLoud", ""),
    "swept_width": (MIDDLE, 3.0, 1, "kW lfo 0.3, 0.8\na1 vco2 0.5, iHz, 2, 0.5 + kW\na2 moogvcf2 a1, 2200, 0.3\nkE linsegr 0, 0.05, 1, 0.2, 0.8, 0.25, 0\nout a2 * kE * iLoud", ""),
    "square_lead": (HIGH, 2.6, 1, "a1 vco2 0.5, iHz, 10\na2 K35_lpf a1, 4200, 3\nkE linsegr 0, 0.01, 1, 0.15, 0.7, 0.06, 0\nout a2 * kE * iLoud", ""),
    "wide_pad": (CHORD, 4.0, 2, "a1 vco2 0.2, iHz * cent(-13), 0, 0.5, 0.1\na2 vco2 0.2, iHz * cent(-5), 0, 0.5, 0.6\na3 vco2 0.2, iHz * cent(4), 0, 0.5, 0.3\na4 vco2 0.2, iHz * cent(12), 0, 0.5, 0.8\naL butterlp a1 + 0.4 * a3, 1800\naR butterlp a4 + 0.4 * a2, 1800\nkE linsegr 0, 0.6, 1, 3600, 1, 0.7, 0\nouts aL * kE * iLoud, aR * kE * iLoud\ngaBus += 0.3 * (aL + aR) * kE * iLoud", "aL, aR reverbsc gaBus, gaBus, 0.8, 7000\nouts aL, aR"),
    "bright_bell": (HIGH, 3.4, 1, "kI expseg 5, 1.2, 0.1, 9, 0.1\na1 foscili 0.5, iHz, 1, 3.5, kI, 1\nkE expsegr 1, 1.6, 0.01, 9, 0.01, 0.5, 0.001\nout a1 * kE * iLoud", ""),
    "index_bass": (LOW, 2.6, 1, "kI linseg 6, 0.15, 1.2, 9, 1\na1 foscili 0.6, iHz, 1, 1, kI, 1\nkE linsegr 0, 0.003, 1, 0.5, 0.5, 0.07, 0\nout a1 * kE * iLoud", ""),
    "drawbars": (MIDDLE, 3.0, 1, "a1 poscil 0.3, iHz\na2 poscil 0.25, 2 * iHz\na3 poscil 0.15, 3 * iHz\na4 poscil 0.12, 4 * iHz\na5 poscil 0.06, 6 * iHz\nkT lfo 0.25, 6.2\nkE linsegr 0, 0.01, 1, 3600, 1, 0.04, 0\nout (a1 + a2 + a3 + a4 + a5) * kE * (1 + kT) * iLoud", ""),
    "hollow_chorus": (LONG, 3.6, 2, "a1 vco2 0.5, iHz, 12\nkE linsegr 0, 0.3, 1, 3600, 1, 0.4, 0\ngaBus += a1 * kE * iLoud", "a1 poscil 2.5, 0.7\na2 poscil 2.5, 0.9, -1, 0.3\naL vdelay gaBus, 9 + a1, 40\naR vdelay gaBus, 11 + a2, 40\nouts 0.6 * (gaBus + aL), 0.6 * (gaBus + aR)"),
    "plucked": (MIDDLE, 3.0, 1, "a1 pluck 0.6, iHz, iHz, 0, 1\nkE linsegr 1, 3600, 1, 0.15, 0\nout a1 * kE * iLoud", ""),
    "forced_sync": (HIGH, 2.6, 1, "kS linseg 1.2, 0.8, 3.4, 9, 3.4\naM, aS syncphasor iHz, a(0)\naT, a0 syncphasor iHz * kS, aS\na1 = 2 * aT - 1\na2 butterlp a1, 7000\nkE linsegr 0, 0.01, 1, 3600, 1, 0.08, 0\nout 0.4 * a2 * kE * iLoud", ""),
    "ring_stab": (MIDDLE, 2.8, 1, "a1 poscil 0.7, iHz\na2 poscil 1, iHz * 1.414\nkE expsegr 1, 0.7, 0.02, 9, 0.02, 0.1, 0.001\nout a1 * a2 * kE * iLoud", ""),
    "breath": (MIDDLE, 3.0, 1, "a1 rand 0.8, 0.5, 1\na2 reson a1, iHz, iHz / 12, 1\na3 poscil 0.05, iHz\nkE linsegr 0, 0.12, 1, 3600, 1, 0.3, 0\nout (0.3 * a2 + a3) * kE * iLoud", ""),
    "morphing": (LONG, 3.6, 1, "kM linseg 0, 2.5, 1, 9, 1\na1 poscil 0.5, iHz, 2\na2 poscil 0.5, iHz, 3\nkE linsegr 0, 0.08, 1, 3600, 1, 0.25, 0\nout (a1 * (1 - kM) + a2 * kM) * kE * iLoud", ""),
    "vowel": (TIED, 2.8, 1, "a1 vco2 0.4, iHz, 0\na2 reson a1, 700, 110, 1\na3 reson a1, 1150, 120, 1\na4 reson a1, 2600, 160, 1\nkE linsegr 0, 0.06, 1, 3600, 1, 0.12, 0\nout (a2 + 0.5 * a3 + 0.25 * a4) * 0.25 * kE * iLoud", ""),
    "driven_echo": (HIGH, 4.0, 2, "a1 vco2 0.6, iHz\na2 = tanh(4 * a1)\na3 butterlp a2, 3500\nkE linsegr 0, 0.004, 1, 0.3, 0.5, 0.08, 0\na4 = 0.3 * a3 * kE * iLoud\nouts a4, a4\ngaBus += a4", "a1 init 0\na2 delay gaBus + a1, 0.3\na1 = 0.5 * a2\nouts 0.6 * a2, 0.6 * a2"),
    "sung_lead": (TIED, 2.8, 1, "kV lfo 18, 5.6\nkD linseg 0, 0.2, 0, 0.3, 1, 9, 1\na1 vco2 0.5, iHz * cent(kV * kD)\na2 moogladder a1, 2600, 0.2\nkE linsegr 0, 0.03, 1, 3600, 1, 0.06, 0\nout a2 * kE * iLoud", ""),
    "chopped": (LONG, 3.6, 1, "a1 vco2 0.5, iHz, 0\na2 butterlp a1, 2500\nkP phasor 6\nkG = (kP < 0.5 ? 1 : 0.05)\nkG portk kG, 0.002\nkE linsegr 0, 0.02, 1, 3600, 1, 0.1, 0\nout a2 * kG * kE * iLoud", ""),
    "saw_stab": (STAB, 2.0, 1, "a1 vco2 0.3, iHz\nkC expsegr 6000, 0.25, 700, 9, 700, 0.1, 400\na2 lpf18 a1, kC, 0.3, 0.2\nkE linsegr 0, 0.003, 1, 0.3, 0.3, 0.12, 0\nout a2 * kE * iLoud", ""),
    "deep_sine": (LOW, 2.6, 1, "a1 poscil 1, iHz\na2 = tanh(1.6 * a1)\nkE linsegr 0, 0.006, 1, 0.8, 0.7, 0.1, 0\nout 0.5 * a2 * kE * iLoud", ""),
    "phased": (LONG, 3.6, 1, "a1 vco2 0.4, iHz\nkF lfo 600, 0.5\na2 phaser1 a1, 900 + kF, 6, 0.5\nkE linsegr 0, 0.2, 1, 3600, 1, 0.3, 0\nout 0.5 * (a1 + a2) * kE * iLoud", ""),
}
# Sounds whose outline moves, of kinds that neither half holds enough of; for development, id: as CSOUND
MOVING = {
    "width_steady": (MIDDLE, 3.0, 1, "kW lfo 0.25, 0.6\na1 vco2 0.5, iHz, 2, 0.45 + kW\na1 buthp a1, 30\na1 buthp a1, 30\na2 moogladder a1, 3000, 0.2\nkE linsegr 0, 0.03, 1, 0.3, 0.7, 0.2, 0\nout a2 * kE * iLoud", ""),
    "width_low": (LOW, 2.6, 1, "kW lfo 0.35, 1.4\na1 vco2 0.5, iHz, 2, 0.5 + kW\na1 buthp a1, 30\na1 buthp a1, 30\na2 butterlp a1, 1500\nkE linsegr 0, 0.01, 1, 0.3, 0.7, 0.15, 0\nout a2 * kE * iLoud", ""),
    "width_narrowing": (LONG, 3.6, 1, "kW linseg 0.5, 1.8, 0.08, 9, 0.08\na1 vco2 0.5, iHz, 2, kW\na1 buthp a1, 30\na1 buthp a1, 30\na2 butterlp a1, 5000\nkE linsegr 0, 0.1, 1, 3600, 1, 0.2, 0\nout a2 * kE * iLoud", ""),
    "width_fast": (HIGH, 2.6, 1, "kW lfo 0.2, 4.5\na1 vco2 0.5, iHz, 2, 0.4 + kW\na1 buthp a1, 30\na1 buthp a1, 30\nkE linsegr 0, 0.02, 1, 0.3, 0.8, 0.1, 0\nout a1 * kE * iLoud", ""),
    "width_and_saw": (MIDDLE, 3.0, 1, "kW lfo 0.25, 0.6\na1 vco2 0.3, iHz, 2, 0.35 + kW\na1 buthp a1, 30\na1 buthp a1, 30\na2 vco2 0.3, iHz * cent(9), 0\na3 moogvcf2 a1 + a2, 3000, 0.1\nkE linsegr 0, 0.03, 1, 0.3, 0.7, 0.3, 0\nout a3 * kE * iLoud", ""),
    "sync_rising": (HIGH, 2.6, 1, "kS linseg 1.5, 1.1, 2.9, 9, 2.9\naM, aS syncphasor iHz, a(0)\naT, a0 syncphasor iHz * kS, aS\na1 = 2 * aT - 1\na2 butterlp a1, 9000\nkE linsegr 0, 0.02, 1, 3600, 1, 0.1, 0\nout 0.4 * a2 * kE * iLoud", ""),
    "sync_falling": (MIDDLE, 2.8, 1, "kS expseg 4.5, 0.9, 1.6, 9, 1.6\naM, aS syncphasor iHz, a(0)\naT, a0 syncphasor iHz * kS, aS\na1 = 2 * aT-1\na2 butterlp a1, 5000\nkE linsegr 0, 0.008, 1, 0.4, 0.7, 0.1, 0\nout 0.4 * a2 * kE * iLoud", ""),
    "sync_swinging": (LOW, 2.6, 1, "kL lfo 0.8, 1.1\nkS = 2.6 + kL\naM, aS syncphasor iHz, a(0)\naT, a0 syncphasor iHz * kS, aS\na1 = 2 * aT-1\na2 butterlp a1, 3500\nkE linsegr 0, 0.02, 1, 3600, 1, 0.12, 0\nout 0.4 * a2 * kE * iLoud", ""),
    "phased_note": (LONG, 3.6, 1, "a1 vco2 0.4, iHz\na1 butterlp a1, 7000\nkE linsegr 0, 0.2, 1, 3600, 1, 0.3, 0\ngaBus += a1 * kE * iLoud", "kF lfo 450, 0.8\na2 phaser1 gaBus, 700 + kF, 8, 0.4\nout 0.5 * (gaBus + a2)"),
    "phased_phrase": (MIDDLE, 3.0, 1, "a1 vco2 0.4, iHz\nkE linsegr 0, 0.05, 1, 3600, 1, 0.2, 0\ngaBus += a1 * kE * iLoud", "kF lfo 500, 0.35\na2 phaser1 gaBus, 800 + kF, 4, 0.3\nout 0.5 * (gaBus + a2)"),
    "phased_chord": (CHORD, 3.6, 1, "a1 vco2 0.2, iHz * cent(-6)\na4 vco2 0.2, iHz * cent(6)\na1 = a1 + a4\na1 butterlp a1, 4000\nkE linsegr 0, 0.4, 1, 3600, 1, 0.5, 0\ngaBus += a1 * kE * iLoud", "kF lfo 700, 0.6\na2 phaser1 gaBus, 1100 + kF, 8, 0.5\nout 0.5 * (gaBus + a2)"),
    "flanged": (LOW, 2.6, 1, "a1 vco2 0.4, iHz\nkE linsegr 0, 0.01, 1, 3600, 1, 0.1, 0\ngaBus += a1 * kE * iLoud", "kD lfo 1.5, 0.5\na2 flanger gaBus, a(0.003 + 0.001 * kD), 0.5\nout 0.5 * (gaBus + a2)"),
    "seven_saws": (MIDDLE, 3.0, 2, "a1 vco2 0.15, iHz * cent(-19), 0, 0.5, 0.1\na2 vco2 0.15, iHz * cent(-12), 0, 0.5, 0.7\na3 vco2 0.15, iHz * cent(-5), 0, 0.5, 0.3\na4 vco2 0.15, iHz, 0, 0.5, 0.9\na5 vco2 0.15, iHz * cent(6), 0, 0.5, 0.2\na6 vco2 0.15, iHz * cent(11), 0, 0.5, 0.55\na7 vco2 0.15, iHz * cent(18), 0, 0.5, 0.8\naL butterhp a1 + a4 + a5 + 0.3 * a7, 200\naR butterhp a2 + a3 * 0.4 + a4 + a6 + a7, 200\nkE linsegr 0, 0.02, 1, 0.5, 0.8, 0.4, 0\nouts aL * kE * iLoud, aR * kE * iLoud", ""),
    "resonant_rise": (TIED, 2.8, 1, "a1 vco2 0.4, iHz\nkC expseg 400, 0.4, 5000, 2, 700\na2 moogladder a1, kC, 0.85\nkE linsegr 0, 0.01, 1, 3600, 1, 0.1, 0\nout a2 * kE * iLoud", ""),
    "noise_rise": (LONG, 3.6, 1, "a1 rand 0.8, 0.5, 1\nkC expseg 400, 1.6, 4000, 2, 600\na2 reson a1, kC, kC/6, 1\nkE linsegr 0, 0.3, 1, 3600, 1, 0.4, 0\nout a2 * kE * iLoud", ""),
    "chain_of_three": (MIDDLE, 3.0, 1, "kI linseg 3, 0.4, 0.6, 9, 0.6\na3 poscil 1.2 * 3 * iHz, 3 * iHz\na2 poscil kI * iHz, iHz + a3\na1 poscil 0.5, iHz + a2\nkE linsegr 0, 0.005, 1, 0.5, 0.6, 0.2, 0\nout a1 * kE * iLoud", ""),
    "octaves": (LOW, 2.6, 1, "a1 vco2 0.3, iHz * 2\na2 vco2 0.5, iHz, 10\nkC expsegr 4000, 0.5, 500, 9, 500, 0.1, 300\na3 moogvcf2 a1 + a2, kC, 0.5\nkE linsegr 0, 0.004, 1, 0.5, 0.5, 0.1, 0\nout a3 * kE * iLoud", ""),
    "steps": (MIDDLE, 3.0, 1, "a1 vco2 0.5, iHz, 10\na1 = int(a1 * 6)/6\na2 butterlp a1, 6000\nkE linsegr 0, 0.01, 1, 0.2, 0.6, 0.1, 0\nout a2 * kE * iLoud", ""),
    "stab_in_room": (STAB, 2.6, 2, "a1 vco2 0.25, iHz, 10\na3 vco2 0.25, iHz * cent(8)\nkC expsegr 5000, 0.2, 800, 9, 800, 0.1, 500\na2 moogvcf2 a1 + a3, kC, 0.3\nkE linsegr 0, 0.003, 1, 0.3, 0.4, 0.1, 0\nouts a2 * kE * iLoud, a2 * kE * iLoud\ngaBus += 0.4 * a2 * kE * iLoud", "aL, aR reverbsc gaBus, gaBus, 0.7, 6000\nouts aL, aR"),
}
TOOLKIT = {
    "organ": (MIDDLE, 3.0), "bowed": (MIDDLE, 3.0), "saxophone": (MIDDLE, 3.0), "clarinet": (MIDDLE, 3.0),
    "flute": (HIGH, 2.8), "metal": (MIDDLE, 3.0), "electric": (MIDDLE, 3.2), "percussive": (HIGH, 2.8),
    "reed": (LOW, 2.8), "bell": (HIGH, 3.4),
}
SOUNDFONT_PROGRAMS = {  # General MIDI numbers from 1
    "electric_piano": (5, MIDDLE, 3.0), "organ_drawn": (17, MIDDLE, 3.0), "bass_first": (39, LOW, 2.6),
    "bass_second": (40, LOW, 2.6), "strings_synthetic": (51, CHORD, 3.6), "brass_synthetic": (63, MIDDLE, 3.0),
    "lead_square": (81, HIGH, 2.6), "lead_saw": (82, HIGH, 2.6), "lead_driven": (85, HIGH, 2.8),
    "pad_new": (89, LONG, 3.8), "pad_many": (91, CHORD, 3.6), "pad_sweep": (96, LONG, 3.8),
}
# Further programs, in phrases, beside the sealed half of bench/construction: looked at once, when a version is judged.
RIFF = [[0.0, 0.22, 45, 110], [0.25, 0.47, 45, 70], [0.5, 0.72, 57, 100], [0.75, 0.97, 52, 80], [1.0, 1.22, 45, 115],
        [1.25, 1.72, 48, 90], [1.75, 2.4, 43, 105]]
TUNE = [[0.0, 0.45, 69, 90], [0.5, 0.95, 72, 100], [1.0, 1.2, 76, 70], [1.25, 1.95, 74, 110], [2.0, 2.9, 67, 85]]
TURNS = [[0.0, 1.4, 48, 90], [0.0, 1.4, 55, 90], [0.0, 1.4, 64, 90], [1.5, 3.0, 53, 80], [1.5, 3.0, 57, 80], [1.5, 3.0, 60, 80]]
SEALED_PROGRAMS = {
    "clavinet": (8, RIFF, 3.0), "organ_percussive": (18, RIFF, 3.0), "bass_fingered": (34, RIFF, 3.0),
    "strings_slow": (50, TURNS, 4.0), "brass_section": (62, TUNE, 3.6), "lead_calliope": (83, TUNE, 3.6),
    "lead_fifths": (87, TUNE, 3.6), "pad_polysynth": (92, TURNS, 4.0), "pad_halo": (95, TURNS, 4.0),
    "crystal": (99, TUNE, 4.0),
}
RECORDINGS = ["bass_hard_c", "bass_thick_c", "bass_trance_c", "bass_voxy_c", "bass_woodsy_c", "ambi_soft_buzz"]

FAMILIES = {"csound": list(CSOUND), "toolkit": list(TOOLKIT), "soundfont": list(SOUNDFONT_PROGRAMS),
            "recordings": RECORDINGS}


def ids(half=None):
    """All ids of both halves, those of "tuning" or "final", the "moving" ones, or the "sealed" ones, which are of no half."""
    if half == "sealed":
        return [f"soundfont_{name}" for name in SEALED_PROGRAMS]
    if half == "moving":
        return [f"moving_{name}" for name in MOVING]
    return [f"{family}_{name}" for family, names in FAMILIES.items() for place, name in enumerate(names)
            if half is None or (place % 2 == 0) == (half == "tuning")]


def write(folder, name, samples, notes, seconds, tuning=0.0):
    peak = np.abs(samples).max()
    with tempfile.TemporaryDirectory() as temporary:
        path = pathlib.Path(temporary) / "x.wav"
        wavfile.write(path, RATE, np.round(samples[: int(seconds * RATE)] * (0.5 * 32767 / peak)).astype(np.int16))
        subprocess.run(["flac", "-s", "-f", "-8", "-o", str(folder / f"{name}.flac"), str(path)], check=True)
    truth = {"name": name, "notes": notes, "seconds": seconds, "tuning_cents": tuning}
    (folder / f"{name}.json").write_text(json.dumps(truth, indent=1) + "\n")


def make_csound(folder, family, name):
    notes, seconds, channels, sound, bus = (MOVING if family == "moving" else CSOUND)[name]
    orchestra = (f"sr = {RATE}\nksmps = 1\nnchnls = {channels}\n0dbfs = 1\nseed 7\ngaBus init 0\n"
                 f"giS ftgen 1, 0, 8192, 10, 1\ngi2 ftgen 2, 0, 8192, 10, 1, 0.1, 0.3, 0.05, 0.2\n"
                 f"gi3 ftgen 3, 0, 8192, 10, 0.2, 1, 0.4, 0.8, 0.2, 0.6, 0.3, 0.2\n"
                 f"instr 1\niHz = cpsmidinn(p4)\niLoud = 0.5 * p5 / 127\n{sound}\nendin\n"
                 f"instr 99\n{bus}\ngaBus = 0\nendin\n")
    score = "".join(f"i1 {s} {e - s:.6f} {k} {v}\n" for s, e, k, v in notes) + f"i99 0 {seconds}\ne {seconds}\n"
    with tempfile.TemporaryDirectory() as temporary:
        samples = generate.run_csound(orchestra, score, pathlib.Path(temporary) / "x.wav")
    write(folder, f"{family}_{name}", samples, notes, seconds)


def make_toolkit(folder, name, program):
    notes, seconds = TOOLKIT[name]
    with tempfile.TemporaryDirectory() as temporary:
        path = pathlib.Path(temporary) / "x.wav"
        subprocess.run([program, name, str(path), *[",".join(map(str, note)) for note in notes], str(seconds)],
                       check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            _, samples = wavfile.read(path)
    write(folder, f"toolkit_{name}", samples.astype(float), notes, seconds)


def make_soundfont(folder, name):
    number, notes, seconds = (SOUNDFONT_PROGRAMS | SEALED_PROGRAMS)[name]
    with tempfile.TemporaryDirectory() as temporary:
        path = pathlib.Path(temporary)
        cue = {"notes": notes, "tempo_bpm": 120.0}
        generate.write_midi(cue, path / "x.mid")
        midi = (path / "x.mid").read_bytes()
        # A program change at the very beginning of the track.
        at = midi.index(b"MTrk")
        length = int.from_bytes(midi[at + 4:at + 8], "big") + 3
        midi = midi[:at + 4] + length.to_bytes(4, "big") + bytes([0, 0xC0, number - 1]) + midi[at + 8:]
        (path / "x.mid").write_bytes(midi)
        subprocess.run(["fluidsynth", "-ni", "-g", "0.5", "-r", str(RATE), "-F", str(path / "x.wav"), SOUNDFONT,
                        str(path / "x.mid")], check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            _, samples = wavfile.read(path / "x.wav")
    samples = samples.astype(float)
    missing = int(seconds * RATE) - len(samples)
    if missing > 0:
        samples = np.pad(samples, ((0, missing), (0, 0)))
    write(folder, f"soundfont_{name}", samples, notes, seconds)


def make_recording(folder, name):
    with tempfile.TemporaryDirectory() as temporary:
        path = pathlib.Path(temporary)
        subprocess.run(["flac", "-d", "-s", "-f", "-o", str(path / "x.wav"), str(SAMPLES / f"{name}.flac")], check=True)
        rate, samples = wavfile.read(path / "x.wav")
        assert rate == RATE
        (path / "p.praat").write_text(f'Read from file: "{path}/x.wav"\nTo Pitch (ac): 0, 25, 15, "yes", 0.03, 0.45, '
                                      '0.01, 0.35, 0.14, 2000\nf = Get quantile: 0, 0, 0.5, "Hertz"\nwriteInfoLine: f\n')
        hz = float(subprocess.run(["praat", "--run", str(path / "p.praat")], check=True, capture_output=True,
                                  text=True).stdout.split()[0])
    samples = samples.astype(float) / np.iinfo(samples.dtype).max
    seconds = min(4.0, len(samples) / RATE)
    key = 69 + 12 * np.log2(hz / 440)
    note = [0.0, round(seconds, 3), int(round(key)), 100]
    write(folder, f"recordings_{name}", samples, [note], seconds, round(100 * float(key - round(key)), 2))


def make(folder, wanted=None):
    folder = pathlib.Path(folder)
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as temporary:
        program = pathlib.Path(temporary) / "toolkit_sounds"
        subprocess.run(["g++", "-O2", "-std=c++20", "-I/usr/include/stk", str(HERE / "toolkit_sounds.cpp"), "-o",
                        str(program), "-lstk"], check=True)
        for each in ids() if wanted is None else wanted:
            family, name = each.split("_", 1)
            if (folder / f"{each}.json").exists():
                continue
            if family in ("csound", "moving"):
                make_csound(folder, family, name)
            elif family == "toolkit":
                make_toolkit(folder, name, program)
            elif family == "soundfont":
                make_soundfont(folder, name)
            else:
                make_recording(folder, name)


if __name__ == "__main__":
    make(sys.argv[1])
    print(f"{len(ids())} references in {sys.argv[1]}")
