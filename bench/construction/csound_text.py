"""What csound makes of a sound's description: sources, filters, envelopes and effects of csound's own.

`orchestra(sound)` gives a whole .csd; `render(sound)` gives its samples at 48 kHz, one row a channel. It is computed at
96 kHz. A description is what styles.py draws; the meaning of each of its values stands here, beside the opcode that makes it:

source   wave saw | pulse | triangle | sine | noise | partials (list of levels), octave, semitone, cents, level (dB),
         pan (−1…1), width (share of the cycle), width_lfo {hz, depth}, width_to (over the phrase), stack {voices, detune
         (cents to the outermost), spread (0…1)}, fm {ratio, index (rad), to, ms, velocity}, feedback (rad), chain (list of
         operators, the nearest first: ratio, cents, index (rad), attack, decay, sustain, release; feedback of the last),
         sync {semitones, more, ms}, ring {ratio}, fold {depth, to, ms}, color (Hz of a noise's low-pass)
filter   kind (see FILTERS), hz at the hardest stroke of middle C, q, octaves (of its envelope), attack, decay (ms), curve, sustain,
         release (ms, 200),
         track (0…1), velocity (octaves), lfo {hz, octaves, free}, opens (octaves over the phrase), drive (dB)
level    attack, attack_curve, decay, curve, sustain, release, release_curve (ms; curves as in transegr, below 0 fast first),
         velocity_db (decibels from the softest to the hardest) or velocity_power
motion   vibrato {hz, cents, ms (until it is there), free}, drift (cents), fall {semitones, ms}: pitch at the beginning,
         tremolo {hz, depth, sides}, gate {steps, beats (quarter notes a step)}, glide (ms), always (glides also without a tie)
late     a second group of sources: sources, ms (later), fade (ms), level (dB)
effects  in the order in which they are passed, see EFFECTS
"""
import math
import pathlib
import subprocess
import tempfile
import warnings

import numpy as np
from scipy.io import wavfile
from scipy.signal import resample_poly

import notes as phrases

RATE = 48000
COMPUTED = 96000
COURSE_HZ = 500  # of the table that holds the course of a note's key

FILTERS = {
    "low-pass 12": "{0} zdf_2pole {1}, {2}, {3}",
    "low-pass 24": "aLp zdf_2pole {1}, {2}, 0.541\n{0} zdf_2pole aLp, {2}, {3}",
    "high-pass 12": "{0} zdf_2pole {1}, {2}, {3}, 1",
    "band-pass 12": "{0} zdf_2pole {1}, {2}, {3}, 3",
    "notch 12": "{0} zdf_2pole {1}, {2}, {3}, 4",
    "ladder": "{0} moogladder {1}, {2}, {3}",
    "diode": "{0} diode_ladder {1}, {2}, {3}, 1, 1.2",
    "steep": "{0} K35_lpf {1}, {2}, {3}, 1, 1.5",
}


def gain(db):
    return 10.0 ** (db / 20.0)


def moved(name, start, end, milliseconds):
    """A k-rate value on its exponential way from start to end."""
    return f"{name} transeg {start}, {milliseconds / 1000.0}, -4, {end}, 60, 0, {end}"


class Text:
    """Lines of an instrument, with names given in turn."""

    def __init__(self):
        self.lines, self.count = [], 0

    def name(self, rate):
        self.count += 1
        return f"{rate}{self.count}"

    def add(self, line):
        self.lines.append(line)


def plain_wave(text, source, hz, phase, sync=False):
    """One oscillator of the source's wave; the name of its signal."""
    out = text.name("aW")
    wave = source["wave"]
    if source.get("chain"):
        chain_text(text, source, hz, phase, out)
    elif source.get("fm") or source.get("feedback"):
        fm = source.get("fm", {"ratio": 1.0, "index": 0.0, "to": 0.0, "ms": 100})
        depth = text.name("kI")
        text.add(moved(depth, fm["index"], fm["to"], fm["ms"]))
        text.add(f"{depth} = {depth} * (1 - {fm.get('velocity', 0.0)} * (1 - iv))")
        text.add(f"{out} Operators {hz}, {hz} * {fm['ratio']}, {depth}, {source.get('feedback', 0.0)}, {phase}")
    elif source.get("sync"):
        sync = source["sync"]
        ratio = text.name("kS")
        text.add(moved(ratio, sync["semitones"] + sync.get("more", 0.0), sync["semitones"], sync.get("ms", 100)))
        text.add(f"{out} Synced {hz}, {hz} * semitone({ratio}), {phase}")
    elif source.get("fold"):
        fold = source["fold"]
        depth = text.name("kD")
        text.add(moved(depth, fold["depth"], fold["to"], fold["ms"]))
        text.add(f"{out} poscil 1, {hz}, -1, {phase}")
        text.add(f"{out} = sin({depth} * {out})")
    elif wave == "sine":
        text.add(f"{out} poscil 1, {hz}, -1, {phase}")
    elif wave == "saw":
        text.add(f"{out} vco2 1, {hz}, 0, 0.5, {phase}")
    elif wave == "triangle":
        text.add(f"{out} vco2 1, {hz}, 12, 0.5, {phase}")
    elif wave == "pulse":
        width = text.name("kP")
        text.add(f"{width} = {source.get('width', 0.5)}")
        if source.get("width_lfo"):
            text.add(f"kL poscil {source['width_lfo']['depth']}, {source['width_lfo']['hz']}, -1, frac(itime*{source['width_lfo']['hz']})")
            text.add(f"{width} = {width} + kL")
        if "width_to" in source:
            text.add(f"{width} = {width} + ({source['width_to']} - {source['width']}) * kAlong")
        text.add(f"{width} limit {width}, 0.03, 0.97")
        text.add(f"{out} vco2 1, {hz}, 2, {width}, {phase}")
    elif wave == "partials":
        text.add(f"{out} = 0")
        for p, level in enumerate(source["partials"], 1):
            if level > 0.0:
                text.add(f"aP poscil {level}, {hz} * {p}, -1, frac({phase} * {p})")
                text.add(f"{out} = {out} + aP")
    else:
        raise ValueError(wave)
    return out


def chain_text(text, source, hz, phase, out):
    """Sine operators in a row, each moving the phase of the one before; the last one its own."""
    before = None
    for n, operator in enumerate(reversed(source["chain"])):
        moved_by, at = text.name("aI"), f"{hz} * {operator['ratio']} * cent({operator['cents']})"
        text.add(f"{moved_by} transegr 0, {max(0.3, operator['attack']) / 1000}, 0, 1, {operator['decay'] / 1000}, -5, "
                 f"{operator['sustain']}, {operator['release'] / 1000}, -5, 0")
        wave = text.name("aO")
        if n == 0:
            text.add(f"{wave} Operators {at}, {at}, k(0), {source.get('feedback', 0.0)}, 0")
        else:
            text.add(f"aP phasor {at}, 0\n{wave} tablei aP + {before} / 6.283185, -1, 1, 0, 1")
        before = text.name("aX")
        text.add(f"{before} = {operator['index']} * {moved_by} * {wave}")
    text.add(f"aP phasor {hz}, 0\n{out} tablei aP + {before} / 6.283185, -1, 1, 0, 1")


def source_text(text, source, index):
    """Adds the source; names of its left and right signal."""
    left, right = text.name("aL"), text.name("aR")
    level = gain(source.get("level", 0.0))
    if source["wave"] == "noise":
        text.add(f"aN gauss 0.35\naN butlp aN, {source.get('color', 18000)}\n{left} = aN * {level}\n{right} = {left}")
        return left, right
    interval = source.get("octave", 0) + source.get("semitone", 0) / 12.0 + source.get("cents", 0.0) / 1200.0
    stack = source.get("stack", {"voices": 1, "detune": 0.0, "spread": 0.0})
    text.add(f"{left} = 0\n{right} = 0")
    for v in range(stack["voices"]):
        off = 2.0 * v / (stack["voices"] - 1) - 1.0 if stack["voices"] > 1 else 0.0
        hz, phase = text.name("kF"), text.name("iP")
        text.add(f"{hz} = kf * {2.0 ** interval} * cent({off * stack['detune']})")
        text.add(f"{phase} = frac(p6 * 0.6180 + {0.377 * index + 0.7191 * v})")
        wave = plain_wave(text, source, hz, phase)
        pan = max(-1.0, min(1.0, source.get("pan", 0.0) + off * stack["spread"]))
        power = level / math.sqrt(stack["voices"])
        text.add(f"{left} = {left} + {power * math.cos((pan + 1) * math.pi / 4) * math.sqrt(2)} * {wave}")
        text.add(f"{right} = {right} + {power * math.sin((pan + 1) * math.pi / 4) * math.sqrt(2)} * {wave}")
    if source.get("ring"):
        text.add(f"aM poscil 1, kf * {source['ring']['ratio']}\n{left} = {left} * aM\n{right} = {right} * aM")
    return left, right


def filter_text(text, f, left, right, number):
    k = f"kC{number}"
    lines = [f"kX transegr 0, {max(0.1, f.get('attack', 1.0)) / 1000}, 0, 1, {f.get('decay', 500) / 1000}, {f.get('curve', -3)}, {f.get('sustain', 0.0)}, {f.get('release', 200) / 1000}, {f.get('curve', -3)}, 0",
             f"{k} = {f['hz']} * 2 ^ ({f.get('octaves', 0.0)} * kX + {f.get('track', 0.0)} * (kkey - 60) / 12 - {f.get('velocity', 0.0)} * (1 - iv) + {f.get('opens', 0.0)} * kAlong)"]
    if f.get("lfo"):
        begin = f"frac(itime * {f['lfo']['hz']})" if f["lfo"].get("free") else "0"
        lines += [f"kY poscil {f['lfo']['octaves']}, {f['lfo']['hz']}, -1, {begin}", f"{k} = {k} * 2 ^ kY"]
    lines.append(f"{k} limit {k}, 25, 20000")
    for line in lines:
        text.add(line)
    if f["kind"] == "formants":  # two bands that go from one vowel to another and back
        a, b = f["from"], f["to"]
        text.add(f"kY poscil 0.5, {f['swing_hz']}, -1, frac(itime * {f['swing_hz']} + 0.75)\nkY = kY + 0.5")
        for side in (left, right):
            text.add(f"aA reson {side}, {a[0]} + kY * {b[0] - a[0]}, {a[0]} / {f['q']}, 2\n"
                     f"aB reson {side}, {a[1]} + kY * {b[1] - a[1]}, {a[1]} / {f['q']}, 2\n{side} = aA + 0.7 * aB")
        return
    drive = gain(f.get("drive", 0.0))
    for side in (left, right):
        for line in FILTERS[f["kind"]].format("aF", f"{side} * {drive}", k, f["q"]).split("\n"):
            text.add(line)
        text.add(f"{side} = aF")


def level_text(level):
    return (f"aE transegr 0, {max(0.3, level['attack']) / 1000}, {level.get('attack_curve', 0)}, 1, {level['decay'] / 1000}, "
            f"{level['curve']}, {level['sustain']}, {level['release'] / 1000}, {level.get('release_curve', -3)}, 0")


def instrument(sound):
    text = Text()
    motion = sound.get("motion", {})
    text.add("iv = p5 / 127\nitime = p2\nkt times\nkAlong limit (kt - 0.08) / $PHRASE, 0, 1")
    text.add(f"kat line 0, 1, {COURSE_HZ}\nkkey tablei kat, p4\nkkey = kkey")
    text.add("kf = cpsmidinn(kkey)")
    if motion.get("vibrato"):
        v = motion["vibrato"]
        begin = f"frac(itime * {v['hz']})" if v.get("free") else "0"
        text.add(f"kV poscil {v['cents']}, {v['hz']}, -1, {begin}\nkVe linseg 0, {max(0.01, v['ms'] / 1000)}, 1, 60, 1\nkf = kf * cent(kV * kVe)")
    if motion.get("drift"):
        text.add(f"kD jspline {motion['drift']}, 0.4, 1.5\nkf = kf * cent(kD)")
    if motion.get("fall"):
        text.add(moved("kQ", motion["fall"]["semitones"], 0, motion["fall"]["ms"]) + "\nkf = kf * semitone(kQ)")
    sides = [source_text(text, s, i) for i, s in enumerate(sound["sources"])]
    text.add("aL = " + " + ".join(s[0] for s in sides) + "\naR = " + " + ".join(s[1] for s in sides))
    for number, f in enumerate(sound.get("filters", [])):
        filter_text(text, f, "aL", "aR", number)
    if sound.get("drive"):  # of each voice, before its level
        d = gain(sound["drive"])
        text.add(f"aL = tanh({d} * aL) / {d ** 0.5}\naR = tanh({d} * aR) / {d ** 0.5}")
    text.add(level_text(sound["level"]))
    text.add("aL = aL * aE\naR = aR * aE")
    if sound.get("late"):
        late = sound["late"]
        late_sides = [source_text(text, s, 7 + i) for i, s in enumerate(late["sources"])]
        text.add(f"aG transegr 0, {late['ms'] / 1000 + 0.001}, 0, 0, {late['fade'] / 1000 + 0.001}, 0, 1, {late.get('decay', 1000) / 1000}, -2, {late.get('sustain', 0.6)}, {sound['level']['release'] / 1000}, -3, 0")
        for k, out in ((0, "aL"), (1, "aR")):
            text.add(f"{out} = {out} + {gain(late['level'])} * aG * (" + " + ".join(s[k] for s in late_sides) + ")")
    level = sound["level"]
    loud = f"iv ^ {level['velocity_power']}" if "velocity_power" in level else f"ampdb(-{level.get('velocity_db', 0.0)} * (1 - iv))"
    text.add(f"iLoud = 0.25 * {loud}\ngaL = gaL + aL * iLoud\ngaR = gaR + aR * iLoud")
    return "\n".join(text.lines)


def effect_text(effect, number, tempo):
    """What stands in the last instrument for one effect, from aL and aR to aL and aR."""
    e = {"mix": 0.5, **effect}
    n = number
    mix = lambda wet_left, wet_right: (f"aL = {1 - e['mix']} * aL + {e['mix']} * {wet_left}\n"
                                       f"aR = {1 - e['mix']} * aR + {e['mix']} * {wet_right}")
    beside = lambda wet_left, wet_right: f"aL = aL + {e['mix']} * {wet_left}\naR = aR + {e['mix']} * {wet_right}"
    kind = e["kind"]
    if kind == "saturation":
        d = gain(e["db"])
        if e["curve"] == "soft":
            shape = lambda a: f"tanh({d} * {a}) / {d ** 0.6}"
        elif e["curve"] == "uneven":
            shape = lambda a: f"(tanh({d} * {a} + 0.35) - {math.tanh(0.35)}) / {d ** 0.6}"
        else:
            return f"aL limit {d} * aL, -0.5, 0.5\naR limit {d} * aR, -0.5, 0.5\naL = aL / {d ** 0.6}\naR = aR / {d ** 0.6}"
        return f"aL = {shape('aL')}\naR = {shape('aR')}"
    if kind == "reduction":
        steps = 2.0 ** (e["bits"] - 1)
        hold = (f"aPh phasor {e['hz']}\naTr trigger_edge aPh\naL samphold aL, aTr\naR samphold aR, aTr\n" if e.get("hz") else "")
        return hold + f"aL = round(aL * {steps}) / {steps}\naR = round(aR * {steps}) / {steps}"
    if kind == "equalizer":
        lines = []
        for shape, hz, db, q in e["bands"]:
            mode = {"bell": 0, "low": 1, "high": 2}[shape]
            lines += [f"{s} pareq {s}, {hz}, {gain(db)}, {q}, {mode}" for s in ("aL", "aR")]
        return "\n".join(lines)
    if kind == "compressor":
        return (f"aQ = (abs(aL) + abs(aR)) / 2\naQ follow2 aQ, {e['attack'] / 1000}, {e['release'] / 1000}\nkQ downsamp aQ\n"
                f"kQ = dbamp(kQ + 0.00001)\nkG = (kQ > {e['threshold']} ? ({e['threshold']} - kQ) * {1 - 1 / e['ratio']} : 0)\n"
                f"aG interp ampdb(kG + {e['makeup']})\naL = aL * aG\naR = aR * aG")
    if kind == "chorus":
        return (f"aM1 poscil {e['depth']}, {e['hz']}\naM2 poscil {e['depth']}, {e['hz']}, -1, 0.25\n"
                f"aC{n} vdelay3 aL, a({e['delay']}) + aM1, 80\naD{n} vdelay3 aR, a({e['delay']}) + aM2, 80\n" + mix(f"aC{n}", f"aD{n}"))
    if kind == "flanger":
        return (f"aM1 poscil {e['depth'] / 1000}, {e['hz']}\naC{n} flanger aL, {e['delay'] / 1000} + aM1, {e['feedback']}, 0.05\n"
                f"aM2 poscil {e['depth'] / 1000}, {e['hz']}, -1, {e.get('sides', 0.0)}\naD{n} flanger aR, {e['delay'] / 1000} + aM2, {e['feedback']}, 0.05\n" + mix(f"aC{n}", f"aD{n}"))
    if kind == "phaser":
        return (f"kM poscil {e['octaves']}, {e['hz']}\nkM = {e['center']} * 2 ^ kM\n"
                f"aC{n} phaser1 aL, kM, {e['stages']}, {e['feedback']}\naD{n} phaser1 aR, kM, {e['stages']}, {e['feedback']}\n" + mix(f"aC{n}", f"aD{n}"))
    if kind == "delay":
        return f"aC{n}, aD{n} Echo aL, aR, {e['ms'] / 1000}, {e['feedback']}, {e['high_cut']}, {e['low_cut']}, {int(e['cross'])}\n" + beside(f"aC{n}", f"aD{n}")
    if kind == "reverb":
        before = f"aU{n} delay aL, {max(0.001, e['pre_ms'] / 1000)}\naV{n} delay aR, {max(0.001, e['pre_ms'] / 1000)}\n"
        made = (f"aC{n}, aD{n} reverbsc aU{n}, aV{n}, {e['feedback']}, {e['damping']}" if e["room"] == "hall"
                else f"aC{n}, aD{n} freeverb aU{n}, aV{n}, {e['feedback']}, {e['damping']}")
        return before + made + "\n" + beside(f"aC{n}", f"aD{n}")
    if kind == "shifter":
        both = []
        for s, hz in (("aL", e["hz"]), ("aR", -e["hz"] if e.get("apart") else e["hz"])):
            both.append(f"aI, aJ hilbert {s}\naK poscil 1, {hz}, -1, 0\naO poscil 1, {hz}, -1, 0.25\n{s} = aI * aO - aJ * aK")
        return "\n".join(both)
    if kind == "width":
        return (f"aM = 0.5 * (aL + aR)\naS = 0.5 * (aL - aR)\naS buthp aS, {e['split']}\naL = aM + {e['wide']} * aS\naR = aM - {e['wide']} * aS")
    raise ValueError(kind)


OPCODES = """
opcode Operators, a, kkkii
 setksmps 1
 kc, km, kI, ifb, iph xin
 am init 0
 as phasor km, iph
 am tablei as, -1, 1, 0, 1
 ay init 0
 ap phasor kc, iph
 ay tablei ap + (kI * am + ifb * ay) / 6.283185, -1, 1, 0, 1
 xout ay
endop
opcode Synced, a, kki
 km, ks, iph xin
 am, asy syncphasor km, a(0), iph
 at, a0 syncphasor ks, asy
 ao = 2 * at - 1
 ao butlp ao, 20000
 xout ao
endop
opcode trigger_edge, a, a
 setksmps 1
 ain xin
 kin downsamp ain
 kprev init 1
 kout = (kin < kprev ? 1 : 0)
 kprev = kin
 aout upsamp kout
 xout aout
endop
opcode Echo, aa, aaiiiii
 aL, aR, itime, ifb, ilp, ihp, iping xin
 aoR init 0
 aoL init 0
 ainL = aL + iping * aR
 ainR = aR * (1 - iping)
 aoL delay ainL * (1 - 0.5 * iping) + ifb * (aoR * iping + aoL * (1 - iping)), itime
 aoL butlp aoL, ilp
 aoL buthp aoL, ihp
 aoR delay ainR + aoL * iping * 0.92 + ifb * aoR * (1 - iping), itime
 aoR butlp aoR, ilp
 xout aoL, aoR
endop
"""


def course(sound, group):
    """Key over time of a group of tied notes, from its beginning to well past its end."""
    motion = sound.get("motion", {})
    glide = motion.get("glide", 0.0) / 1000.0
    until = group[-1][1] - group[0][0] + 4.0
    keys, at = np.zeros(int(until * COURSE_HZ)), np.arange(int(until * COURSE_HZ)) / COURSE_HZ
    before = sound.get("_before") if motion.get("always") else None
    for i, note in enumerate(group):
        start = note[0] - group[0][0]
        come_from = before if i == 0 else group[i - 1][2]
        here = at >= start
        way = np.clip((at[here] - start) / glide, 0.0, 1.0) if glide > 0.0 and come_from is not None else 1.0
        keys[here] = note[2] if come_from is None else come_from + (note[2] - come_from) * way
    return keys


def orchestra(sound, folder):
    """The text of a .csd; the courses of keys are written to `folder`."""
    motion = sound.get("motion", {})
    single = sound.get("mono", False)
    groups = phrases.tied_groups(sound["notes"]) if single else [[n] for n in sound["notes"]]
    tables, score, before = [], [], None
    for i, group in enumerate(groups):
        path = pathlib.Path(folder) / f"{i}.txt"
        path.write_text("\n".join(f"{k:.4f}" for k in course({**sound, "_before": before}, group)))
        tables.append(f'gi{i} ftgen {100 + i}, 0, {-len(course(sound, group))}, -23, "{path}"')
        score.append(f"i1 {group[0][0]:.5f} {group[-1][1] - group[0][0]:.5f} {100 + i} {group[0][3]} {i + 1}")
        before = group[-1][2]
    seconds = sound["seconds"]
    last = ["aL = gaL", "aR = gaR"]
    if motion.get("gate"):
        g = motion["gate"]
        step = g["beats"] * 60.0 / sound["tempo_bpm"]
        tables.append(f"giGate ftgen 90, 0, {-len(g['steps'])}, -2, " + ", ".join(map(str, g["steps"])))
        last.append(f"kGt times\nkGi = int((kGt - 0.08) / {step})\nkGv table kGi % {len(g['steps'])}, 90\nkGv portk kGv, 0.0015\naGv interp kGv\naL = aL * aGv\naR = aR * aGv")
    if motion.get("tremolo"):
        t = motion["tremolo"]
        last.append(f"aT1 poscil {t['depth'] / 2}, {t['hz']}\naT2 poscil {t['depth'] / 2}, {t['hz']}, -1, {t.get('sides', 0.0)}\naL = aL * (1 - {t['depth'] / 2} + aT1)\naR = aR * (1 - {t['depth'] / 2} + aT2)")
    for n, effect in enumerate(sound.get("effects", [])):
        last.append(effect_text(effect, n, sound["tempo_bpm"]))
    phrase = max(0.5, phrases.seconds_of(sound["notes"]) - phrases.BEGIN)
    body = instrument(sound).replace("$PHRASE", f"{phrase:.4f}")
    return f"""<CsoundSynthesizer>
<CsOptions>
-d -m0
</CsOptions>
<CsInstruments>
sr = {COMPUTED}
ksmps = 16
nchnls = 2
0dbfs = 1
seed {sound['seed']}
gaL init 0
gaR init 0
{chr(10).join(tables)}
{OPCODES}
instr 1
{body}
endin
instr 90
{chr(10).join(last)}
aL dcblock aL, 0.9996
aR dcblock aR, 0.9996
outs aL, aR
gaL = 0
gaR = 0
endin
</CsInstruments>
<CsScore>
{chr(10).join(score)}
i90 0 {seconds}
e
</CsScore>
</CsoundSynthesizer>
"""


def render(sound):
    """Samples at 48 kHz, (2, frames) of 64-bit floats, as csound leaves them, faded out over the last 150 ms."""
    with tempfile.TemporaryDirectory() as folder:
        path = pathlib.Path(folder)
        (path / "x.csd").write_text(orchestra(sound, folder))
        done = subprocess.run(["csound", "-W", "-f", "-o", str(path / "x.wav"), str(path / "x.csd")], capture_output=True,
                              text=True, timeout=600)
        if done.returncode:
            raise RuntimeError(f"{sound['name']}: {done.stderr[-3000:]}")
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            rate, samples = wavfile.read(path / "x.wav")
    assert rate == COMPUTED
    samples = resample_poly(samples.astype(float), RATE, rate, axis=0, window=("kaiser", 12.0)).T
    if not np.isfinite(samples).all() or np.abs(samples).max() < 1e-4:
        raise RuntimeError(f"{sound['name']}: silent or not finite")
    fade = int(0.15 * RATE)
    samples[:, -fade:] *= 0.5 + 0.5 * np.cos(np.linspace(0, np.pi, fade))
    return samples
