#!/usr/bin/python3
"""Makes the demo references with csound, an independent synthesizer, and states their true values.

Usage: demo/generate.py            (needs csound, python3-numpy, python3-scipy, flac)

Leaves in demo/: backing.ogg (what the cues play to), NAME.flac (the reference), NAME.mid (its notes) and NAME.json (every true value, and the
effective cutoff over time as measured on csound's own filter). All music is invented.
"""
import json
import pathlib
import struct
import subprocess
import tempfile
import warnings

import numpy as np
from scipy.io import wavfile

HERE = pathlib.Path(__file__).resolve().parent
RATE = 44100

AIRLOCK = {
    "name": "airlock", "title": "Airlock", "tempo_bpm": 96.0, "seconds": 3.0, "tuning_cents": 0.0, "channels": 1,
    "notes": [  # start, end in seconds, key, velocity
        [0.0, 0.90, 33, 100], [1.0, 1.24, 33, 100], [1.4, 2.28, 36, 100], [2.4, 2.64, 31, 100]],
    "source": {"wave": "saw"},
    "filter": {"kind": "ladder", "slope_db_per_octave": 24, "resonance": 0.2,
               "start_hz": 2600.0, "rest_hz": 210.0, "time_constant_ms": 120.0},
    "envelope": {"attack_ms": 6.0, "decay_ms": 400.0, "sustain": 0.5, "release_ms": 80.0},
    "echo": None,
}
COMET_TAIL = {
    "name": "comet-tail", "title": "Comet Tail", "tempo_bpm": 120.0, "seconds": 2.6, "tuning_cents": 14.0, "channels": 1,
    "notes": [[0.000, 0.110, 72, 100], [0.250, 0.360, 67, 100], [0.375, 0.485, 75, 100], [0.625, 0.735, 72, 100],
              [0.750, 0.980, 79, 100], [1.125, 1.235, 77, 100], [1.250, 1.360, 75, 100], [1.500, 1.940, 70, 100]],
    "source": {"wave": "pulse", "width": 0.3},
    "filter": {"kind": "resonant two-pole", "slope_db_per_octave": 12, "resonance": 1.5,
               "start_hz": 7000.0, "rest_hz": 1200.0, "time_constant_ms": 70.0},
    "envelope": {"attack_ms": 3.0, "decay_ms": 220.0, "sustain": 0.25, "release_ms": 90.0},
    "echo": None,
}
COMET_TAIL_ECHOES = {**COMET_TAIL, "name": "comet-tail-echoes", "title": "Comet Tail with echoes", "seconds": 3.8,
                     "channels": 2, "echo": {"time_ms": 375.0, "level_db": -6.0, "feedback_db": -7.0, "ping_pong": True}}

RING_NEBULA = {
    "name": "ring-nebula", "title": "Ring Nebula", "tempo_bpm": 72.0, "seconds": 5.2, "tuning_cents": 0.0, "channels": 2,
    "notes": [[0.0, 4.0, 50, 80], [0.0, 4.0, 57, 80], [0.0, 4.0, 60, 80], [0.0, 4.0, 65, 80]],
    "source": {"wave": "saw", "voices": 3, "detune_cents": 9.0, "pan": [-0.8, 0.0, 0.8]},
    "filter": {"kind": "two-pole", "slope_db_per_octave": 12, "middle_hz": 700.0, "rate_hz": 0.5, "depth_octaves": 0.6},
    "envelope": {"attack_ms": 1400.0, "release_ms": 900.0},
}
RING_NEBULA_ORCHESTRA = """
instr 1
  iHz = cpsmidinn(p4)
  aA vco2 0.3, iHz * cent(-9), 0, 0.5, 0.13
  aB vco2 0.3, iHz, 0, 0.5, 0.47
  aC vco2 0.3, iHz * cent(9), 0, 0.5, 0.81
  kMove lfo 0.6, 0.5, 0
  kCut = 700 * 2^kMove
  aEnv linsegr 0, 1.4, 1, 3600, 1, 0.9, 0
  aLeft butterlp 0.9 * aA + 0.5 * aB + 0.1 * aC, kCut
  aRight butterlp 0.1 * aA + 0.5 * aB + 0.9 * aC, kCut
  outs aLeft * aEnv * 0.4, aRight * aEnv * 0.4
endin
"""
TOUCHDOWN = {
    "name": "touchdown", "title": "Touchdown", "tempo_bpm": 90.0, "seconds": 2.4, "tuning_cents": 0.0, "channels": 1,
    "notes": [[0.0, 0.6, 31, 110], [1.2, 1.8, 31, 110]],
    "source": {"wave": "sine", "start_hz": 220.0, "rest_hz": 48.999, "time_constant_ms": 40.0},
    "click": {"length_ms": 3.0, "level_db": -12.0}, "drive": {"curve": "tanh", "gain": 2.0},
    "envelope": {"attack_ms": 1.0, "time_constant_ms": 220.0, "release_ms": 60.0},
}
TOUCHDOWN_ORCHESTRA = """
instr 1
  kTime timeinsts
  kHz = 48.999 + (220 - 48.999) * exp(-kTime / 0.04)
  aBody poscil 1, kHz
  aNoise rand 0.25, 0.7, 1
  aClick expseg 1, 0.003, 0.001, 3600, 0.001
  aEnv linsegr 0, 0.001, 1, 3600, 1, 0.06, 0
  aFall = a(exp(-kTime / 0.22))
  out (tanh(2 * aBody * aFall) / tanh(2) * 0.7 + aNoise * aClick) * aEnv
endin
"""
BEACON = {
    "name": "beacon", "title": "Beacon", "tempo_bpm": 110.0, "seconds": 4.6, "tuning_cents": -6.0, "channels": 1,
    "notes": [[0.0, 2.1818, 57, 100], [2.1818, 4.3636, 64, 100]],
    "source": {"wave": "square"},
    "filter": {"kind": "two-pole", "slope_db_per_octave": 12, "cutoff_hz": 2400.0},
    "gate": {"rate_hz": 110.0 / 60.0 * 4.0, "note_value": "1/16", "duty": 0.45, "depth_db": 30.0, "edge_ms": 4.0},
    "envelope": {"attack_ms": 4.0, "release_ms": 30.0},
}
BEACON_ORCHESTRA = """
instr 1
  aRaw vco2 0.6, cpsmidinn(p4) * cent(-6), 10
  aSound butterlp aRaw, 2400
  aTurn phasor 110 / 60 * 4
  kTurn downsamp aTurn
  kGate = (kTurn < 0.45 ? 1 : 0.0316)
  kSoft portk kGate, 0.0015, 1
  aEnv linsegr 0, 0.004, 1, 3600, 1, 0.03, 0
  out aSound * a(kSoft) * aEnv * 0.5
endin
"""

# What the cues play to: a hum, wind and a slow pulse, twenty-four seconds.
BACKING_ORCHESTRA = """
sr = 44100
ksmps = 1
nchnls = 2
0dbfs = 1
instr 1
  aHum = 0.10 * (poscil(1, 55) + 0.5 * poscil(1, 82.5) + 0.25 * poscil(1, 110.3))
  aWind rand 0.5, 0.3, 1
  kMove = 500 * 2^(1.2 * lfo(1, 0.11))
  aLeft butterbp aWind, kMove, 300
  aRight butterbp aWind, kMove * 1.3, 340
  aFade linseg 0, 1.5, 1, 20.5, 1, 2, 0
  outs (aHum + 0.22 * aLeft) * aFade, (aHum + 0.22 * aRight) * aFade
endin
instr 2
  kHz = 45 + 60 * exp(-timeinsts() / 0.03)
  aFall = a(exp(-timeinsts() / 0.12))
  aBeat = 0.3 * poscil(1, kHz) * aFall
  outs aBeat, aBeat
endin
"""

INSTRUMENT = """
sr = {rate}
ksmps = 1
nchnls = {channels}
0dbfs = 1
gaEcho init 0
gaLeft init 0
gaRight init 0

instr 1
  iHz = 440 * 2^((p4 - 69) / 12 + {tuning} / 1200)
  kTime timeinsts
  aAttack linseg 0, {attack}, 1, 3600, 1
  aDecay expsegr 1, {attack}, 1, {decay}, {sustain}, 3600, {sustain}, {release}, {sustain} * 0.001
  kCut = {rest} + ({start} - {rest}) * exp(-kTime / {tau})
  {oscillator}
  {filter}
  aOut = aSound * aAttack * aDecay * 0.35
  gaEcho += aOut
  {output}
endin

instr 99
  {echo}
  gaEcho = 0
endin
"""


def oscillator(cue):
    if cue["source"]["wave"] == "saw":
        return "aRaw vco2 0.8, iHz, 0"
    # A narrow pulse has a mean; oscillators that are heard through capacitors have none.
    width = cue["source"]["width"]
    return f"aRaw vco2 0.8, iHz, 2, {width}\n  aRaw = aRaw - {0.8 * (2 * width - 1)}"


def low_pass(cue):
    f = cue["filter"]
    if f["kind"] == "ladder":
        return f"aSound moogladder2 aRaw, kCut, {f['resonance']}"
    return f"aSound lowpass2 aRaw, kCut, {f['resonance']}"


def echo(cue):
    if not cue["echo"]:
        return ""
    e = cue["echo"]
    level, feedback = 10 ** (e["level_db"] / 20), 10 ** (e["feedback_db"] / 20)
    return f"""aIn = gaEcho
  aL delay aIn * {level} + gaRight * {feedback}, {e['time_ms'] / 1000}
  aR delay gaLeft * {feedback}, {e['time_ms'] / 1000}
  gaLeft = aL
  gaRight = aR
  outs aL, aR"""


def run_csound(instruments, score, path, form=None):
    with tempfile.TemporaryDirectory() as folder:
        source = pathlib.Path(folder) / "cue.csd"
        source.write_text("<CsoundSynthesizer>\n<CsInstruments>\n" + instruments + "\n</CsInstruments>\n<CsScore>\n"
                          + score + "\n</CsScore>\n</CsoundSynthesizer>\n")
        subprocess.run(["csound", "-d", "-m0", *([form] if form else ["-W", "-f"]), "-o", str(path), str(source)],
                       check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    if form:
        return None
    with warnings.catch_warnings():  # csound adds a chunk that scipy does not know
        warnings.simplefilter("ignore")
        _, samples = wavfile.read(path)
    return np.asarray(samples, dtype=float)


def effective_ratio(cue, hz, folder):
    """Effective (-6 dB) cutoff over nominal cutoff of csound's filter, from its impulse response."""
    instruments = f"sr = {RATE}\nksmps = 1\nnchnls = 1\n0dbfs = 1\ninstr 1\naRaw mpulse 0.001, 0\nkCut = {hz}\n" \
                  f"{low_pass(cue)}\nout aSound\nendin\n"
    response = run_csound(instruments, "i1 0 1.5\n", folder / "impulse.wav")
    spectrum = np.abs(np.fft.rfft(response, 1 << 18))
    frequency = np.fft.rfftfreq(1 << 18, 1 / RATE)
    below = np.nonzero(spectrum > spectrum[20] / 2)[0].max()
    return frequency[below] / hz


def write_midi(cue, path):
    ticks = 480
    per_second = ticks * cue["tempo_bpm"] / 60
    events = []
    for start, end, key, velocity in cue["notes"]:
        events.append((round(start * per_second), 1, bytes([0x90, key, velocity])))
        events.append((round(end * per_second), 0, bytes([0x80, key, 64])))
    events.sort()

    def variable(value):
        out = [value & 0x7F]
        while value > 0x7F:
            value >>= 7
            out.insert(0, 0x80 | (value & 0x7F))
        return bytes(out)
    track = b"\x00\xff\x51\x03" + struct.pack(">I", round(60e6 / cue["tempo_bpm"]))[1:]
    last = 0
    for tick, _, message in events:
        track += variable(tick - last) + message
        last = tick
    track += b"\x00\xff\x2f\x00"
    path.write_bytes(b"MThd" + struct.pack(">IHHH", 6, 0, 1, ticks) + b"MTrk" + struct.pack(">I", len(track)) + track)


def make(cue):
    with tempfile.TemporaryDirectory() as name:
        folder = pathlib.Path(name)
        e, f = cue["envelope"], cue["filter"]
        instruments = INSTRUMENT.format(
            rate=RATE, channels=cue["channels"], tuning=cue["tuning_cents"], attack=e["attack_ms"] / 1000,
            decay=e["decay_ms"] / 1000, sustain=e["sustain"], release=e["release_ms"] / 1000, start=f["start_hz"],
            rest=f["rest_hz"], tau=f["time_constant_ms"] / 1000, oscillator=oscillator(cue), filter=low_pass(cue),
            output="out aOut" if cue["channels"] == 1 else "outs aOut, aOut", echo=echo(cue))
        score = "".join(f"i1 {s} {t - s:.6f} {k} {v}\n" for s, t, k, v in cue["notes"])
        score += f"i99 0 {cue['seconds']}\ne {cue['seconds']}\n"
        samples = run_csound(instruments, score, folder / "cue.wav")[: int(cue["seconds"] * RATE)]
        wavfile.write(folder / "out.wav", RATE, np.round(samples * 32767).astype(np.int16))
        subprocess.run(["flac", "-s", "-f", "-8", "-o", str(HERE / f"{cue['name']}.flac"), str(folder / "out.wav")], check=True)
        nominal = np.geomspace(f["rest_hz"], f["start_hz"], 7)
        ratio = [effective_ratio(cue, hz, folder) for hz in nominal]
    write_midi(cue, HERE / f"{cue['name']}.mid")
    times = np.arange(0.02, max(n[1] - n[0] for n in cue["notes"]), 0.02)
    cutoff = f["rest_hz"] + (f["start_hz"] - f["rest_hz"]) * np.exp(-times * 1000 / f["time_constant_ms"])
    effective = cutoff * np.interp(np.log(cutoff), np.log(nominal), ratio)
    # A decay that is straight in dB from 1 to the sustain covers 63.2 % of its (linear) way after this time.
    decay63 = e["decay_ms"] * np.log(1 - (1 - np.exp(-1)) * (1 - e["sustain"])) / np.log(e["sustain"])
    truth = {**cue, "decay_63_ms": round(float(decay63), 2),
             "effective_cutoff": {"seconds_after_start": [round(float(t), 3) for t in times],
                                  "hz": [round(float(v), 1) for v in effective]}}
    (HERE / f"{cue['name']}.json").write_text(json.dumps(truth, indent=1) + "\n")


def make_from(cue, orchestra):
    """A cue with an orchestra of its own; its truth is what it states."""
    header = f"sr = {RATE}\nksmps = 1\nnchnls = {cue['channels']}\n0dbfs = 1\n"
    score = "".join(f"i1 {s} {t - s:.6f} {k} {v}\n" for s, t, k, v in cue["notes"]) + f"e {cue['seconds']}\n"
    with tempfile.TemporaryDirectory() as name:
        folder = pathlib.Path(name)
        samples = run_csound(header + orchestra, score, folder / "cue.wav")[: int(cue["seconds"] * RATE)]
        wavfile.write(folder / "out.wav", RATE, np.round(samples * 32767).astype(np.int16))
        subprocess.run(["flac", "-s", "-f", "-8", "-o", str(HERE / f"{cue['name']}.flac"), str(folder / "out.wav")], check=True)
    write_midi(cue, HERE / f"{cue['name']}.mid")
    (HERE / f"{cue['name']}.json").write_text(json.dumps(cue, indent=1) + "\n")


def make_backing():
    score = "i1 0 24\n" + "".join(f"i2 {1.25 * beat} 0.6\n" for beat in range(1, 18)) + "e 24\n"
    run_csound(BACKING_ORCHESTRA, score, HERE / "backing.ogg", form="--ogg")


if __name__ == "__main__":
    make_backing()
    for each in (AIRLOCK, COMET_TAIL, COMET_TAIL_ECHOES):
        make(each)
        print(each["name"])
    for each, its_orchestra in ((RING_NEBULA, RING_NEBULA_ORCHESTRA), (TOUCHDOWN, TOUCHDOWN_ORCHESTRA), (BEACON, BEACON_ORCHESTRA)):
        make_from(each, its_orchestra)
        print(each["name"])
