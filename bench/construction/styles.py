"""Sounds as practitioners make them, drawn at random: fourteen styles, each a way to put three to eight elements together.

`sound(style, number)` is a description for csound_text.py; equal arguments give equal sounds.
"""
import random as randoms

import notes as phrases
from notes import arpeggio, chords, held, line

STYLES = ("squelch", "pluck", "brass", "hollow", "vocal", "bell", "gated", "wide", "worn", "struck", "riser", "pad", "organ", "lead")
VOWELS = {"a": (730, 1150), "e": (500, 1850), "i": (300, 2300), "o": (480, 850), "u": (330, 700)}


class Draw:
    """Draws of one sound."""

    def __init__(self, seed):
        self.random = randoms.Random(seed)

    def of(self, *choices):
        return self.random.choice(choices)

    def chance(self, share):
        return self.random.random() < share

    def even(self, low, high, digits=2):
        return round(self.random.uniform(low, high), digits)

    def ratio(self, low, high, digits=1):
        """Evenly on a logarithmic scale."""
        return round(low * (high / low) ** self.random.random(), digits)

    def level(self, attack, decay, sustain, release):
        way = {"velocity_db": self.even(8, 30, 0)} if self.chance(0.5) else {"velocity_power": self.even(0.7, 2.0)}
        return {"attack": self.ratio(*attack), "attack_curve": 0, "decay": self.ratio(*decay), "curve": self.even(-6, -1, 1),
                "sustain": self.even(*sustain), "release": self.ratio(*release), **way}

    def low_pass(self, kinds, hz, q, **more):
        kind = self.of(*kinds)
        return {"kind": kind, "hz": self.ratio(*hz, 0), "q": self.resonance(kind, *q), **more}

    def resonance(self, kind, low, high):
        """From 0, flat, to 1, about to ring by itself, in the unit of the opcode."""
        share = self.even(low, high)
        if kind == "ladder":
            return round(0.9 * share, 2)
        if kind == "diode":
            return round(14.0 * share, 1)
        if kind == "steep":
            return round(1.0 + 7.5 * share, 1)
        return round(0.707 * 16.0 ** share, 2)

    def stack(self, low=3, high=9, cents=(6, 30)):
        return {"voices": self.random.randint(low, high), "detune": self.even(*cents, 1), "spread": self.even(0.3, 1.0)}

    def delay(self, tempo):
        quarter = 60000.0 / tempo
        return {"kind": "delay", "ms": round(quarter * self.of(0.5, 0.75, 0.75, 1.0, 1 / 3), 1), "feedback": self.even(0.15, 0.6),
                "high_cut": self.ratio(2000, 9000, 0), "low_cut": self.ratio(40, 500, 0), "cross": self.chance(0.5), "mix": self.even(0.2, 0.5)}

    def reverb(self, big=False):
        if big or self.chance(0.5):
            return {"kind": "reverb", "room": "hall", "feedback": self.even(0.7, 0.92), "damping": self.ratio(3000, 12000, 0),
                    "pre_ms": self.ratio(1, 50), "mix": self.even(0.15, 0.45)}
        return {"kind": "reverb", "room": "room", "feedback": self.even(0.3, 0.85), "damping": self.even(0.2, 0.7),
                "pre_ms": self.ratio(1, 30), "mix": self.even(0.15, 0.4)}

    def chorus(self):
        return {"kind": "chorus", "delay": self.even(6, 20, 1), "depth": self.even(0.6, 3.5), "hz": self.even(0.2, 1.4), "mix": self.even(0.35, 0.55)}

    def phaser(self):
        return {"kind": "phaser", "center": self.ratio(400, 1800, 0), "octaves": self.even(0.5, 1.6), "hz": self.even(0.1, 0.9),
                "stages": self.of(4, 6, 8), "feedback": self.even(0.0, 0.6), "mix": 0.5}

    def flanger(self):
        return {"kind": "flanger", "delay": self.even(1.5, 5), "depth": self.even(0.4, 1.4), "hz": self.even(0.1, 0.8),
                "feedback": self.even(0.2, 0.7), "sides": self.of(0.0, 0.25), "mix": self.even(0.35, 0.5)}

    def saturation(self):
        return {"kind": "saturation", "curve": self.of("soft", "uneven", "hard"), "db": self.even(8, 22, 1)}

    def compressor(self):
        return {"kind": "compressor", "threshold": self.even(-34, -22, 0), "ratio": self.even(2.5, 8, 1), "attack": self.ratio(3, 40),
                "release": self.ratio(60, 300, 0), "makeup": self.even(3, 9, 1)}

    def equalizer(self):
        bands = [["bell", self.ratio(250, 5000, 0), self.of(-1, 1) * self.even(5, 10, 1), self.even(0.7, 2.0)]]
        if self.chance(0.5):
            bands.append(["high", self.ratio(3000, 8000, 0), self.of(-1, 1) * self.even(4, 9, 1), 0.7])
        return {"kind": "equalizer", "bands": bands}

    def effects(self, tempo, most, *makers):
        """Two to `most` of the given effects, in the order given, or now and then none."""
        if self.chance(0.2):
            return []
        count = min(len(makers), self.random.randint(2, most))
        chosen = sorted(self.random.sample(range(len(makers)), count))
        return [makers[i]() for i in chosen]


def squelch(d, tempo):
    notes = line(d.random, tempo, d.of(33, 36, 38, 40), d.random.randint(8, 14), d.even(0.5, 0.8), 0.25, 0.25)
    wave = d.of("saw", "saw", "pulse")
    source = {"wave": wave, **({"width": d.even(0.2, 0.5)} if wave == "pulse" else {})}
    cut = d.low_pass(("diode", "ladder", "low-pass 24"), (180, 500), (0.5, 0.9), octaves=d.even(2.0, 4.0), attack=1, decay=d.ratio(90, 350),
                     sustain=d.even(0, 0.15), velocity=d.even(0.5, 2.0), track=d.of(0.0, 0.3))
    return {"notes": notes, "mono": True, "sources": [source], "filters": [cut],
            "level": d.level((1, 4), (300, 900), (0.3, 0.8), (20, 90)), "motion": {"glide": d.ratio(30, 110, 0)},
            **({"drive": d.even(6, 18, 1)} if d.chance(0.4) else {}),
            "effects": d.effects(tempo, 3, d.saturation, d.compressor, lambda: d.delay(tempo), d.reverb)}


def pluck(d, tempo):
    notes = d.of(lambda: arpeggio(d.random, tempo, d.of(48, 53, 57), 16, 0.6), lambda: line(d.random, tempo, d.of(48, 55, 60), 12, 0.5, 0, 0.5),
                 lambda: chords(d.random, tempo, d.of(50, 55), 4, 3, 0.3, 1.0))()
    sources = [{"wave": d.of("saw", "pulse", "triangle"), "width": d.even(0.15, 0.5)}]
    if d.chance(0.6):
        sources.append({"wave": d.of("saw", "pulse", "sine"), "width": 0.5, "octave": d.of(-1, 1), "level": d.even(-10, -3, 1), "cents": d.even(-8, 8, 1)})
    cut = d.low_pass(("low-pass 12", "low-pass 24", "ladder"), (250, 900), (0.1, 0.6), octaves=d.even(2, 4), decay=d.ratio(80, 350),
                     velocity=d.even(0, 1.5), track=d.of(0, 0.5, 1.0))
    return {"notes": notes, "sources": sources, "filters": [cut], "level": d.level((1, 3), (150, 700), (0.0, 0.2), (60, 300)),
            "effects": d.effects(tempo, 3, d.chorus, d.phaser, lambda: d.delay(tempo), d.reverb)}


def brass(d, tempo):
    notes = d.of(lambda: chords(d.random, tempo, d.of(50, 53), 4, d.of(3, 4), 0.8, 1.5), lambda: line(d.random, tempo, d.of(53, 57), 8, 0.85, 0, 1.0))()
    sources = [{"wave": "saw", "cents": -d.even(4, 10, 1), "pan": -0.4}, {"wave": "saw", "cents": d.even(4, 10, 1), "pan": 0.4}]
    if d.chance(0.5):
        sources.append({"wave": d.of("saw", "pulse"), "width": 0.4, "octave": -1, "level": d.even(-9, -3, 1)})
    cut = d.low_pass(("low-pass 24", "ladder", "low-pass 12"), (350, 900), (0.05, 0.35), octaves=d.even(1.5, 3), attack=d.ratio(40, 160),
                     decay=d.ratio(300, 1200), sustain=d.even(0.3, 0.7), velocity=d.even(0.5, 1.5), track=d.of(0.3, 0.6))
    motion = {"fall": {"semitones": -d.even(1.5, 4.0), "ms": d.ratio(80, 200, 0)}} if d.chance(0.5) else {"drift": d.even(4, 10, 1)}
    return {"notes": notes, "sources": sources, "filters": [cut], "level": d.level((15, 70), (400, 1500), (0.6, 0.9), (80, 250)),
            "motion": motion, "effects": d.effects(tempo, 3, d.saturation, d.chorus, d.equalizer, d.reverb)}


def hollow(d, tempo):
    notes = line(d.random, tempo, d.of(50, 55, 60), d.random.randint(6, 10), 0.85, 0.2, 0.5)
    source = {"wave": "pulse", "width": d.even(0.4, 0.5), "width_lfo": {"hz": d.even(0.3, 3.0), "depth": d.even(0.15, 0.38)}}
    if d.chance(0.3):
        source = {"wave": "pulse", "width": 0.5, "width_to": d.even(0.06, 0.15)}
    sources = [source]
    if d.chance(0.5):
        sources.append({"wave": d.of("triangle", "sine"), "octave": -1, "level": d.even(-9, -3, 1)})
    cut = d.low_pass(("low-pass 12", "low-pass 24"), (1200, 4000), (0.0, 0.3), octaves=d.even(0, 1.5), decay=d.ratio(200, 900),
                     sustain=0.3, velocity=d.even(0, 1.0), track=d.of(0, 0.5))
    return {"notes": notes, "mono": True, "sources": sources, "filters": [cut], "level": d.level((5, 60), (300, 1500), (0.5, 0.9), (60, 300)),
            "motion": {"glide": d.ratio(30, 120, 0), "vibrato": {"hz": d.even(4.5, 6.5), "cents": d.even(8, 30, 0), "ms": d.ratio(150, 500, 0)}},
            "effects": d.effects(tempo, 3, d.chorus, lambda: d.delay(tempo), d.reverb)}


def vocal(d, tempo):
    notes = line(d.random, tempo, d.of(45, 48, 53), d.random.randint(5, 8), 0.9, 0.4, 1.0)
    a, b = d.random.sample(sorted(VOWELS), 2)
    sources = [{"wave": d.of("saw", "pulse"), "width": d.even(0.15, 0.4)}]
    if d.chance(0.6):
        sources[0]["stack"] = d.stack(2, 4, (4, 12))
    if d.chance(0.4):
        sources.append({"wave": "noise", "level": d.even(-10, 0, 1), "color": 8000})
    band = {"kind": "formants", "hz": 1000, "from": VOWELS[a], "to": VOWELS[b], "q": d.even(5, 10, 1), "swing_hz": d.even(0.2, 1.2)}
    return {"notes": notes, "mono": True, "sources": sources, "filters": [band], "level": d.level((20, 90), (400, 1500), (0.7, 1.0), (80, 300)),
            "motion": {"glide": d.ratio(40, 160, 0), "always": True,
                       "vibrato": {"hz": d.even(4.5, 6.2), "cents": d.even(10, 35, 0), "ms": d.ratio(200, 600, 0)}},
            "effects": d.effects(tempo, 2, d.chorus, lambda: d.delay(tempo), d.reverb)}


def bell(d, tempo):
    notes = d.of(lambda: line(d.random, tempo, d.of(60, 67, 72), 7, 1.0, 0, 1.0), lambda: chords(d.random, tempo, d.of(57, 62), 4, 3, 0.9, 1.5),
                 lambda: arpeggio(d.random, tempo, d.of(60, 65), 12, 0.9, 0.5))()
    ratio = d.of(1.41, 2.76, 3.5, 3.0, 7.0, 1.0, 2.0, 5.4)
    sources = [{"wave": "sine", "fm": {"ratio": ratio, "index": d.even(1.5, 5), "to": d.even(0, 0.6), "ms": d.ratio(200, 1800, 0), "velocity": d.even(0.2, 0.8)}}]
    if d.chance(0.5):
        sources.append({"wave": "sine", "octave": d.of(-1, 0, 1), "cents": d.even(-6, 6, 1), "level": d.even(-12, -4, 1)})
    return {"notes": notes, "sources": sources, "level": d.level((1, 3), (600, 3000), (0.0, 0.1), (200, 900)),
            "motion": {"tremolo": {"hz": d.even(3, 7), "depth": d.even(0.3, 0.8), "sides": 0.5}} if d.chance(0.4) else {},
            "effects": d.effects(tempo, 3, d.chorus, lambda: d.delay(tempo), lambda: d.reverb(True))}


def gated(d, tempo):
    notes = chords(d.random, tempo, d.of(50, 53, 57), 2, d.of(3, 4), 0.97, 4.0) if d.chance(0.6) else line(d.random, tempo, d.of(45, 50), 4, 0.97, 0, 2.0)
    source = {"wave": d.of("saw", "pulse"), "width": d.even(0.2, 0.5)}
    if d.chance(0.6):
        source["stack"] = d.stack(3, 7, (6, 20))
    steps = [d.of(1, 1, 0.7, 0.5, 0, 0, 0.15) for _ in range(d.of(8, 16))]
    steps[0] = 1
    kind = d.of("low-pass 12", "low-pass 24", "band-pass 12")
    cut = {"kind": kind, "hz": d.ratio(600, 2200, 0), "q": d.resonance(kind, 0.1, 0.5), "lfo": {"hz": d.even(0.1, 0.6), "octaves": d.even(0.6, 1.8), "free": True}}
    if d.chance(0.4):
        cut.pop("lfo")
        cut["opens"] = d.even(1, 3)
    return {"notes": notes, "sources": [source], "filters": [cut], "level": d.level((5, 40), (500, 2000), (0.8, 1.0), (60, 200)),
            "motion": {"gate": {"steps": steps, "beats": 0.25}}, "effects": d.effects(tempo, 3, d.phaser, d.flanger, d.compressor, lambda: d.delay(tempo))}


def wide(d, tempo):
    notes = chords(d.random, tempo, d.of(50, 53, 57), d.of(3, 4), d.of(3, 4), 0.8, d.of(1.0, 2.0))
    sources = [{"wave": "saw", "stack": d.stack(5, 9, (8, 32))}]
    if d.chance(0.6):
        sources.append({"wave": d.of("pulse", "sine"), "width": 0.5, "octave": -1, "level": d.even(-12, -4, 1)})
    cut = d.low_pass(("low-pass 12", "low-pass 24"), (1200, 6000), (0.0, 0.2), octaves=d.even(0, 2), decay=d.ratio(200, 800), sustain=d.even(0, 0.5),
                     velocity=d.even(0, 1))
    if d.chance(0.3):
        cut["opens"] = d.even(1, 3)
        cut["hz"] = d.ratio(400, 1200, 0)
    return {"notes": notes, "sources": sources, "filters": [cut], "level": d.level((2, 40), (400, 1500), (0.5, 0.9), (100, 500)),
            "effects": d.effects(tempo, 4, d.compressor, d.equalizer, lambda: {"kind": "width", "split": d.ratio(120, 300, 0), "wide": d.even(1.2, 1.8)},
                                 lambda: d.delay(tempo), lambda: d.reverb(True))}


def worn(d, tempo):
    notes = d.of(lambda: chords(d.random, tempo, d.of(50, 53), 4, d.of(3, 4), 0.85, 1.5), lambda: line(d.random, tempo, d.of(55, 60), 9, 0.8, 0, 0.5))()
    sources = d.of([{"wave": "triangle"}, {"wave": "saw", "octave": 1, "level": -12}], [{"wave": "partials", "partials": [1, 0.5, 0, 0.3, 0, 0.12]}],
                   [{"wave": "sine", "fm": {"ratio": 1.0, "index": d.even(1, 2.5), "to": 0.3, "ms": d.ratio(200, 800, 0), "velocity": 0.6}}])
    reduction = lambda: {"kind": "reduction", "bits": d.random.randint(6, 10), **({"hz": d.ratio(7000, 20000, 0)} if d.chance(0.7) else {})}
    return {"notes": notes, "sources": sources, "filters": [d.low_pass(("low-pass 12", "low-pass 24"), (1500, 5000), (0, 0.2), octaves=d.even(0, 1),
            decay=400, velocity=d.even(0, 1.5))], "level": d.level((2, 15), (400, 2000), (0.2, 0.7), (100, 400)), "motion": {"drift": d.even(6, 18, 1)},
            "effects": [reduction()] + d.effects(tempo, 2, d.equalizer, d.chorus, d.reverb)}


def struck(d, tempo):
    notes = line(d.random, tempo, d.of(38, 43, 48), d.random.randint(8, 12), 0.6, 0, 0.5)
    first = d.of({"wave": "sine"}, {"wave": "triangle"}, {"wave": "sine", "fold": {"depth": d.even(2.5, 6), "to": d.even(0.8, 1.5), "ms": d.ratio(80, 300, 0)}},
                 {"wave": "sine", "ring": {"ratio": d.of(1.41, 2.13, 0.76)}})
    sources = [first]
    if d.chance(0.6):
        sources.append({"wave": "noise", "level": d.even(-4, 6, 1), "color": d.ratio(2500, 12000, 0)})
    cut = d.low_pass(("low-pass 12", "low-pass 24", "steep"), (300, 1200), (0.1, 0.5), octaves=d.even(2, 4.5), decay=d.ratio(20, 120), velocity=d.even(0, 1.5))
    return {"notes": notes, "sources": sources, "filters": [cut], "level": d.level((1, 2), (120, 500), (0.0, 0.05), (50, 200)),
            "motion": {"fall": {"semitones": d.even(4, 20, 1), "ms": d.ratio(30, 120, 0)}} if d.chance(0.6) else {},
            "effects": d.effects(tempo, 3, d.saturation, d.compressor, lambda: d.delay(tempo), d.reverb)}


def riser(d, tempo):
    seconds = d.even(3.0, 4.5)
    notes = held(d.random, d.of(45, 52, 57), seconds) if d.chance(0.5) else line(d.random, tempo, d.of(45, 50), 8, 0.7, 0, 0.5)
    sources = [{"wave": d.of("saw", "pulse"), "width": 0.4, "stack": d.stack(3, 7, (8, 25))}]
    sources.append({"wave": "noise", "level": d.even(-6, 4, 1)})
    kind = d.of("low-pass 12", "low-pass 24", "high-pass 12", "band-pass 12")
    up = d.even(2.5, 4.5)
    cut = {"kind": kind, "hz": d.ratio(200, 600, 0), "q": d.resonance(kind, 0.2, 0.7), "opens": up}
    if kind == "high-pass 12":
        cut["hz"] = d.ratio(80, 200, 0)
    return {"notes": notes, "sources": sources, "filters": [cut], "level": d.level((20, 400), (1000, 3000), (0.8, 1.0), (100, 400)),
            "motion": {"tremolo": {"hz": d.even(4, 9), "depth": d.even(0.4, 0.8)}} if d.chance(0.5) else {},
            "effects": d.effects(tempo, 2, d.flanger, lambda: d.delay(tempo), lambda: d.reverb(True))}


def pad(d, tempo):
    notes = chords(d.random, tempo, d.of(48, 53, 57), 2, d.of(3, 4), 0.9, 4.0)
    sources = [d.of({"wave": "saw", "stack": d.stack(2, 5, (5, 14))}, {"wave": "pulse", "width": 0.45, "width_lfo": {"hz": d.even(0.2, 0.8), "depth": d.even(0.2, 0.35)}})]
    sources.append({"wave": d.of("triangle", "saw", "sine"), "octave": d.of(-1, 0, 1), "semitone": d.of(0, 0, 7), "level": d.even(-10, -3, 1), "cents": d.even(-6, 6, 1)})
    cut = d.low_pass(("low-pass 12", "low-pass 24", "ladder"), (500, 1600), (0.0, 0.3), lfo={"hz": d.even(0.1, 0.6), "octaves": d.even(0.4, 1.2), "free": True})
    sound = {"notes": notes, "sources": sources, "filters": [cut], "level": d.level((200, 900), (1000, 3000), (0.7, 1.0), (400, 1500)),
             "effects": d.effects(tempo, 3, d.chorus, d.phaser, lambda: d.reverb(True))}
    if d.chance(0.4):
        sound["late"] = {"sources": [{"wave": d.of("saw", "triangle"), "octave": 1, "semitone": d.of(0, 7)}], "ms": d.ratio(300, 900, 0), "fade": d.ratio(200, 800, 0),
                         "level": d.even(-12, -6, 1)}
    return sound


def organ(d, tempo):
    notes = d.of(lambda: chords(d.random, tempo, d.of(48, 53), 5, d.of(3, 4), 0.85, 1.0), lambda: line(d.random, tempo, d.of(53, 60), 10, 0.85, 0, 0.5))()
    partials = [round(d.random.choice([0, 0.3, 0.6, 1.0]), 2) for _ in range(8)]
    partials[0], partials[1] = 1.0, 0.7
    sources = [{"wave": "partials", "partials": partials}]
    sound = {"notes": notes, "sources": sources, "level": d.level((3, 12), (500, 1500), (0.9, 1.0), (20, 60)),
             "motion": {"tremolo": {"hz": d.even(5, 7.5), "depth": d.even(0.2, 0.6), "sides": d.of(0.0, 0.25)}},
             "effects": d.effects(tempo, 3, d.saturation, d.chorus, d.equalizer, d.reverb)}
    if d.chance(0.5):
        sound["late"] = {"sources": [{"wave": "sine", "octave": 1, "semitone": 7}], "ms": 0, "fade": 0, "level": d.even(-3, 4, 1), "decay": d.ratio(150, 400, 0), "sustain": 0.0}
    return sound


def lead(d, tempo):
    notes = line(d.random, tempo, d.of(55, 60, 64), d.random.randint(6, 10), 0.9, 0.35, 0.5)
    first = d.of({"wave": "saw", "stack": d.stack(3, 7, (6, 22))}, {"wave": "sine", "feedback": d.even(0.7, 1.3)},
                 {"wave": "saw", "sync": {"semitones": d.even(4, 20, 1), "more": d.even(6, 24, 1), "ms": d.ratio(150, 700, 0)}},
                 {"wave": "saw", "stack": d.stack(3, 5, (6, 18))})
    sources = [first]
    if d.chance(0.6):
        sources.append({"wave": d.of("pulse", "sine", "saw"), "width": 0.5, "octave": -1, "level": d.even(-10, -4, 1)})
    cut = d.low_pass(("low-pass 12", "low-pass 24", "ladder"), (1500, 6000), (0.0, 0.4), octaves=d.even(0, 1.5), decay=d.ratio(200, 700), velocity=d.even(0, 1.5))
    motion = {"glide": d.ratio(40, 140, 0)}
    if d.chance(0.7):
        motion["vibrato"] = {"hz": d.even(4.8, 6.4), "cents": d.even(12, 40, 0), "ms": d.ratio(150, 600, 0)}
    return {"notes": notes, "mono": True, "sources": sources, "filters": [cut], "level": d.level((2, 25), (300, 1500), (0.6, 0.95), (60, 300)),
            "motion": motion, "effects": d.effects(tempo, 3, d.saturation, d.chorus, lambda: d.delay(tempo), d.reverb)}


MAKERS = {name: globals()[name] for name in STYLES}


def sound(style, number):
    """Description `number` of a style."""
    d = Draw(f"{style} {number}")
    tempo = d.random.randint(88, 138)
    made = MAKERS[style](d, tempo)
    if number == 5:  # a single note shows nothing of what notes do; a few of these belong to the trade too
        first = made["notes"][0]
        made["notes"] = [[first[0], round(first[0] + max(0.8, first[1] - first[0]), 4), first[2], 100]]
    # A recording of six seconds, or until what rings on has died away.
    played = [n for n in made["notes"] if n[0] < 5.0]
    made["notes"] = [[a, min(b, 6.0), k, v] for a, b, k, v in played]
    tail = 0.4 + made["level"]["release"] / 1000.0 + (1.2 if any(e["kind"] in ("delay", "reverb") for e in made.get("effects", [])) else 0.0)
    made["seconds"] = round(min(7.5, phrases.seconds_of(made["notes"]) + tail), 2)
    return {"name": f"{style}_{number}", "style": style, "tempo_bpm": tempo, "seed": sum(map(ord, style)) * 10 + number, **made}
