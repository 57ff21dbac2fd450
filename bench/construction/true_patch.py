#!/usr/bin/python3
"""The true construction as a patch of Facet's: what its search should find.

Usage: bench/construction/true_patch.py FOLDER OUT [WORD …]

Writes OUT/ID.json for each reference of FOLDER whose name holds one of the words. Values are those of the description as far as
Facet has the same; csound's filters, envelopes and rooms are not Facet's, so that they want refining
(`facet-cli match REF --notes ID.mid --start OUT/ID.json --lock …`).
"""
import json
import math
import pathlib
import sys

PER_VOICE = "layer:a"


def db(gain):
    return 20.0 * math.log10(max(1e-6, gain))


def curve(csound):
    """Percent of a transegr curve."""
    return max(-100.0, min(100.0, -10.0 * csound))


class Maker:
    def __init__(self, truth):
        self.truth, self.sound = truth, truth["sound"]
        self.modules, self.order = {}, []
        self.counts = {}

    def module(self, path, **values):
        self.modules.setdefault(path, {}).update(values)
        return path

    def next(self, parent, kind):
        key = f"{parent}/{kind}" if parent else kind
        n = self.counts.get(key, 0)
        self.counts[key] = n + 1
        return f"{key}:{'abcdefghijklmnop'[n]}"

    def link(self, origin, to, amount, by=None):
        path = self.next("", "link")
        self.module(path, **{"from": origin, "to": to, "amount": round(amount, 3), **({"by": by} if by else {})})

    def envelope(self, layer, decay, attack=0.0, sustain=0.0, bend=40.0):
        return self.module(self.next(layer, "envelope"), attack=attack, decay=decay, sustain=sustain, decay_curve=bend, release=200.0)

    def lfo(self, layer, **values):
        return self.module(self.next(layer, "lfo"), **values)

    def free(self, layer, hz):
        """A sine that runs on through all notes, as the descriptions' LFOs do: its phase at time t is t times hz."""
        return self.lfo(layer, shape="sine", mode="free", rate=hz)

    def sources(self, layer, sources):
        """The layer's sources; paths of those that sound."""
        paths = []
        for source in sources:
            path = self.next(layer, "source")
            wave = source["wave"]
            values = {"on": True, "wave": wave if wave != "partials" else "harmonics", "level": source.get("level", 0.0)}
            if wave == "partials":
                values["partials_db"] = [db(v) if v else -120.0 for v in source["partials"]]
            for key in ("octave", "semitone", "cents"):
                if source.get(key):
                    values[key] = source[key]
            if source.get("pan"):
                values["pan"] = 100.0 * source["pan"]
            if wave == "pulse":
                values["width"] = 100.0 * source.get("width", 0.5)
            if wave == "noise":
                values["level"] = source.get("level", 0.0) + db(0.35 * math.sqrt(3))
            if source.get("stack"):
                values.update(voices=source["stack"]["voices"], detune=source["stack"]["detune"], spread=100.0 * source["stack"]["spread"])
            self.module(path, **values)
            paths.append(path)
            if source.get("width_lfo"):
                self.link(self.free(layer, source["width_lfo"]["hz"]), f"{path}/width", 100.0 * source["width_lfo"]["depth"])
            if "width_to" in source:
                self.along(layer, f"{path}/width", 100.0 * (source["width_to"] - source["width"]), path, "width")
            if source.get("fm") or source.get("feedback"):
                if source.get("feedback"):
                    self.link(path, f"{path}/phase", math.degrees(source["feedback"]))
                if source.get("fm"):
                    fm = source["fm"]
                    other = self.hidden(layer, fm["ratio"])
                    self.link(other, f"{path}/phase", math.degrees(fm["to"]))
                    self.link(other, f"{path}/phase", math.degrees(fm["index"] - fm["to"]), self.envelope(layer, fm["ms"]))
            if source.get("ring"):
                self.module(path, amplitude=0.0)
                self.link(self.hidden(layer, source["ring"]["ratio"]), f"{path}/amplitude", 100.0)
            if source.get("sync"):
                sync = source["sync"]
                self.module(path, sync="itself", sync_ratio=sync["semitones"])
                if sync.get("more"):
                    self.link(self.envelope(layer, sync["ms"]), f"{path}/sync_ratio", sync["more"])
        return paths

    def hidden(self, layer, ratio):
        """A sine that is heard only through what it does."""
        path = self.next(layer, "source")
        under = min(range(1, 33), key=lambda u: (abs(ratio * u - round(ratio * u)) > 0.004 * u, u))
        over = max(1, min(32, round(ratio * under)))
        return self.module(path, on=True, wave="sine", level=-60.0, ratio_over=over, ratio_under=under,
                           cents=round(1200.0 * math.log2(ratio * under / over), 2))

    def along(self, layer, to, amount, path, field):
        """Moves by `amount` over the phrase: a free LFO that rises once."""
        begin, end = 0.08, max(n[1] for n in self.sound["notes"])
        length = max(0.5, end - begin)
        lfo = self.lfo(layer, shape="rising saw", mode="free", rate=round(1.0 / (1.02 * length), 5), phase=round(360.0 * (1.0 - begin / length / 1.02) % 360.0, 2))
        self.link(lfo, to, amount / 2.0)
        self.modules[path][field] = self.modules[path][field] + amount / 2.0 if field == "width" else self.modules[path][field] * 2.0 ** (amount / 24.0)

    def filter(self, layer, f):
        if f["kind"] == "formants":
            self.module(layer, routing="parallel")
            lfo = self.free(layer, f["swing_hz"])
            self.modules[lfo]["phase"] = 270.0
            for path in [p for p in self.modules if p.startswith(f"{layer}/source:")]:
                self.modules[path]["route"] = "both"
            for i in (0, 1):  # two poles without a zero: resonant low-passes
                path = self.next(layer, "filter")
                low, high = f["from"][i], f["to"][i]
                self.module(path, on=True, kind="low-pass", slope="12 dB", cutoff=round(math.sqrt(low * high), 1), resonance=round(db(f["q"]), 1))
                self.link(lfo, f"{path}/cutoff", 6.0 * math.log2(high / low))
            return
        path = self.next(layer, "filter")
        q, kind = f["q"], f["kind"]
        resonance = {"low-pass 12": lambda: db(q), "low-pass 24": lambda: db(0.541 * q), "high-pass 12": lambda: db(q), "band-pass 12": lambda: db(q),
                     "notch 12": lambda: db(q), "ladder": lambda: db(0.25 / max(0.03, 1 - q)), "diode": lambda: db(0.25 / max(0.03, 1 - q / 17.0)),
                     "steep": lambda: db(0.5 + 0.35 * (q - 1))}[kind]()
        values = {"low-pass 12": ("low-pass", "12 dB"), "low-pass 24": ("low-pass", "24 dB"), "steep": ("low-pass", "12 dB"), "ladder": ("ladder", "24 dB"),
                  "diode": ("ladder", "24 dB")}.get(kind, (kind.replace(" 12", ""), "12 dB"))
        self.module(path, on=True, kind=values[0], slope=values[1], cutoff=min(20000.0, f["hz"]), resonance=round(max(-12.0, min(36.0, resonance)), 2),
                    key_tracking=100.0 * f.get("track", 0.0), velocity=12.0 * f.get("velocity", 0.0))
        if f.get("octaves"):
            self.module(path, envelope=12.0 * f["octaves"])
            self.module(f"{layer}/envelope:filter", attack=f.get("attack", 1.0), decay=f["decay"], sustain=100.0 * f.get("sustain", 0.0),
                        decay_curve=30.0, release=200.0, release_curve=30.0)
        if f.get("lfo"):
            lfo = self.free(layer, f["lfo"]["hz"]) if f["lfo"].get("free") else self.lfo(layer, shape="sine", rate=f["lfo"]["hz"])
            self.link(lfo, f"{path}/cutoff", 12.0 * f["lfo"]["octaves"])
        if f.get("opens"):
            self.along(layer, f"{path}/cutoff", 12.0 * f["opens"], path, "cutoff")

    def level(self, layer, level, loud):
        spread = level["velocity_db"] if "velocity_db" in level else 20.0 * level["velocity_power"] * math.log10(127.0 / 64.0) * 2.0
        self.module(layer, level=round(db(0.25) + loud, 2), velocity=round(min(48.0, spread), 1))
        self.module(f"{layer}/envelope:level", attack=level["attack"], decay=level["decay"], sustain=100.0 * level["sustain"],
                    decay_curve=curve(level["curve"]), release=level["release"], release_curve=30.0)

    def motion(self, layer, motion, paths):
        if motion.get("vibrato"):
            v = motion["vibrato"]
            lfo = self.lfo(layer, shape="sine", rate=v["hz"], fade=v["ms"])
            for p in paths:
                self.link(lfo, f"{p}/cents", v["cents"])
        if motion.get("drift"):
            lfo = self.lfo(layer, shape="wander", rate=1.0)
            for p in paths:
                self.link(lfo, f"{p}/cents", motion["drift"])
        if motion.get("fall"):
            envelope = self.envelope(layer, motion["fall"]["ms"])
            for p in paths:
                self.link(envelope, f"{p}/cents", 100.0 * motion["fall"]["semitones"])
        if motion.get("tremolo"):
            t = motion["tremolo"]
            self.module(layer)
            lfo = self.free(layer, t["hz"])
            for p in paths:
                self.link(lfo, f"{p}/amplitude", 50.0 * t["depth"])
                self.module(p, amplitude=100.0 * (1 - t["depth"] / 2))
            if t.get("sides"):
                other = self.free(layer, t["hz"])
                self.modules[other]["phase"] = 180.0
                self.link(other, f"{layer}/pan", 40.0 * t["depth"])
        if motion.get("gate"):
            g = motion["gate"]
            length = len(g["steps"]) * g["beats"] * 60.0 / self.sound["tempo_bpm"]
            points = []
            for i, step in enumerate(g["steps"]):
                points += [[i / len(g["steps"]), step], [(i + 0.99) / len(g["steps"]), step]]
            lfo = self.lfo(layer, shape="drawn", mode="free", rate=round(1.0 / length, 5), phase=round(360.0 * (1 - 0.08 / length) % 360.0, 2))
            self.modules[lfo]["points"] = [[round(a, 4), round(b, 3)] for a, b in points]
            for p in paths:
                self.module(p, amplitude=50.0)
                self.link(lfo, f"{p}/amplitude", 50.0)

    def effect(self, e):
        kind = e["kind"]
        path = self.next("", kind)
        beside = lambda mix: round(100.0 * mix / (1.0 + mix), 2)
        values = {"on": True}
        if kind == "saturation":
            values.update(curve=e["curve"], drive=e["db"] if e["curve"] != "hard" else e["db"] + 6.0, output=round(-0.6 * e["db"], 2))
        elif kind == "reduction":
            values.update(bits=e["bits"], rate=e.get("hz", 96000.0))
        elif kind == "equalizer":
            for n, (shape, hz, gain, q) in enumerate(e["bands"]):
                values.update({"high_shelf": hz, "high_gain": gain} if shape == "high" else {"bell_1": hz, "gain_1": gain, "q_1": q})
        elif kind == "compressor":
            values.update(threshold=e["threshold"] + 4.0, ratio=e["ratio"], attack=e["attack"], release=e["release"], makeup=e["makeup"], knee=0.0)
        elif kind == "chorus":
            values.update(delay=e["delay"], depth=e["depth"], rate=e["hz"], mix=100.0 * e["mix"], voices=2, sides=-90.0)
        elif kind == "flanger":
            values.update(delay=e["delay"], depth=e["depth"], rate=e["hz"], feedback=100.0 * e["feedback"], mix=100.0 * e["mix"], sides=360.0 * e.get("sides", 0.0))
        elif kind == "phaser":
            values.update(center=e["center"], depth=12.0 * e["octaves"], rate=e["hz"], stages=e["stages"], feedback=100.0 * e["feedback"], mix=50.0)
        elif kind == "delay":
            values.update(time=e["ms"], feedback=round(100.0 * e["feedback"], 2), cross=bool(e["cross"]), low_cut=e["low_cut"], high_cut=e["high_cut"], mix=beside(e["mix"]))
        elif kind == "reverb":
            if e["room"] == "hall":
                values.update(size=60.0, decay=round(min(30000.0, 1000.0 * 0.21 / -math.log10(e["feedback"])), 0), damping=e["damping"])
            else:
                values.update(size=25.0, decay=round(1000.0 * 0.09 / -math.log10(0.7 + 0.28 * e["feedback"]), 0), damping=round(12000.0 * (1.0 - e["damping"])))
            values.update(pre_delay=e["pre_ms"], mix=beside(e["mix"]))
        elif kind == "shifter":
            values.update(shift=e["hz"], apart=100.0 if e.get("apart") else 0.0)
        elif kind == "width":
            values.update(low_split=e["split"], low=0.0, mid=100.0 * e["wide"], high=100.0 * e["wide"])
        self.module(path, **values)

    def patch(self):
        sound, motion = self.sound, self.sound.get("motion", {})
        if sound.get("mono"):
            self.module("voicing", mode="legato", glide=motion.get("glide", 0.0), glide_when="always" if motion.get("always") else "overlapping")
        else:
            self.module("voicing", voices=16)
        self.module("layer:a")
        paths = self.sources("layer:a", sound["sources"])
        for f in sound.get("filters", []):
            self.filter("layer:a", f)
        self.level("layer:a", sound["level"], 0.0)
        self.motion("layer:a", motion, paths)
        if sound.get("late"):
            late = sound["late"]
            self.module("layer:b")
            paths = self.sources("layer:b", late["sources"])
            self.level("layer:b", {**sound["level"], "attack": max(1.0, late["fade"]), "decay": late.get("decay", 1000), "curve": -2, "sustain": late.get("sustain", 0.6)},
                       late["level"])
            self.module("layer:b", offset=min(500.0, late["ms"]))
            self.motion("layer:b", {k: v for k, v in motion.items() if k in ("vibrato", "drift", "fall", "tremolo", "gate")}, paths)
        for effect in sound.get("effects", []):
            self.effect(effect)
        return {"format": "facet-patch", "version": 1, "name": self.truth["name"], "modules": self.modules}


def main():
    folder, out, words = pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2]), sys.argv[3:]
    out.mkdir(parents=True, exist_ok=True)
    for path in sorted(folder.glob("*.json")):
        truth = json.loads(path.read_text())
        if "sound" in truth and (not words or any(w in truth["name"] for w in words)):
            (out / path.name).write_text(json.dumps(Maker(truth).patch(), indent=1))


if __name__ == "__main__":
    main()
