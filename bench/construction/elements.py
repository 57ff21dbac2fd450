"""The elements that a described sound is made of, in one closed vocabulary, and the sound without each of them."""
import copy

WORDS = ("saw", "pulse", "triangle", "sine", "noise", "partials", "stacked", "detuned sources", "second source", "fm", "feedback fm", "ring", "sync",
         "folded", "moved width", "low-pass", "high-pass", "band-pass", "notch", "formants", "filter envelope", "filter lfo",
         "velocity to filter", "filter opens", "key tracking", "vibrato", "drift", "pitch envelope", "glide", "tremolo", "gate",
         "velocity to level", "voice drive", "late layer", "saturation", "reduction", "equalizer", "compressor", "chorus",
         "flanger", "phaser", "shifter", "delay", "reverb", "width")


def without_key(sound, path):
    """A copy of the sound without what lies at a path of keys."""
    other = copy.deepcopy(sound)
    at = other
    for key in path[:-1]:
        at = at[key]
    del at[path[-1]]
    return other


def with_value(sound, path, value):
    other = copy.deepcopy(sound)
    at = other
    for key in path[:-1]:
        at = at[key]
    at[path[-1]] = value
    return other


def elements_of(sound):
    """Pairs of an element's word and the sound without it; nothing where it cannot be taken out (the first source's wave)."""
    found = []
    sources = sound["sources"]
    for i, source in enumerate(sources):
        wave = source["wave"]
        kinds = [k for k in ("fm", "sync", "fold", "feedback", "ring") if source.get(k)]
        for kind in kinds:
            word = {"fm": "fm", "sync": "sync", "fold": "folded", "feedback": "feedback fm", "ring": "ring"}[kind]
            found.append((word, without_key(sound, ("sources", i, kind))))
        if not any(k in ("fm", "sync", "fold", "feedback") for k in kinds):
            found.append((wave, without_key(sound, ("sources", i)) if len(sources) > 1 else None))
        if source.get("stack"):
            found.append(("stacked", without_key(sound, ("sources", i, "stack"))))
        for key in ("width_lfo", "width_to"):
            if key in source:
                found.append(("moved width", without_key(sound, ("sources", i, key))))
    if len(sources) > 1:
        other = [s for s in sources[1:] if s["wave"] != "noise"]
        alike = [s for s in other if s["wave"] == sources[0]["wave"] and s.get("octave", 0) == sources[0].get("octave", 0) and not s.get("semitone")]
        if alike:
            found.append(("detuned sources", with_value(with_value(sound, ("sources", 0, "cents"), 0.0), ("sources", 1, "cents"), 0.0)))
        if len(other) > len(alike):
            found.append(("second source", {**sound, "sources": [s for s in sources if s not in other or s in alike]}))
    for i, f in enumerate(sound.get("filters", [])):
        word = {"low-pass 12": "low-pass", "low-pass 24": "low-pass", "ladder": "low-pass", "diode": "low-pass", "steep": "low-pass"}.get(
            f["kind"], f["kind"].replace(" 12", ""))
        found.append((word, without_key(sound, ("filters", i))))
        for key, moved in (("octaves", "filter envelope"), ("lfo", "filter lfo"), ("velocity", "velocity to filter"), ("opens", "filter opens"),
                           ("track", "key tracking")):
            if f.get(key):
                found.append((moved, without_key(sound, ("filters", i, key))))
    motion = sound.get("motion", {})
    for key, word in (("vibrato", "vibrato"), ("drift", "drift"), ("fall", "pitch envelope"), ("glide", "glide"), ("tremolo", "tremolo"), ("gate", "gate")):
        if motion.get(key):
            found.append((word, without_key(sound, ("motion", key))))
    level = sound["level"]
    if len(sound["notes"]) > 1:
        found.append(("velocity to level", with_value(sound, ("level",), {**{k: v for k, v in level.items() if not k.startswith("velocity")},
                                                                         "velocity_db": 0.0})))
    if sound.get("drive"):
        found.append(("voice drive", without_key(sound, ("drive",))))
    if sound.get("late"):
        found.append(("late layer", without_key(sound, ("late",))))
    for i, effect in enumerate(sound.get("effects", [])):
        found.append((effect["kind"], without_key(sound, ("effects", i))))
    assert all(word in WORDS for word, _ in found)
    return found
