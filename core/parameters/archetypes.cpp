#include "core/parameters/archetypes.h"

#include "core/parameters/patch_json.h"

#include <array>
#include <string>
#include <utility>

namespace facet {

namespace {

/// Names, and modules as in a patch file: what they leave unsaid stands at its default.
constexpr std::array<std::pair<const char*, const char*>, 10> sounds{{
    {"Empty patch", R"({})"},
    {"Bass that closes", R"({
  "voicing": {"mode": "mono"},
  "layer:a/source:a": {"wave": "saw"},
  "layer:a/filter:a": {"on": true, "slope": "24 dB", "cutoff": 140, "resonance": 6, "envelope": 38},
  "layer:a/envelope:filter": {"attack": 1, "decay": 300, "sustain": 0},
  "layer:a/envelope:level": {"attack": 2, "release": 40}})"},
    {"Pluck", R"({
  "layer:a/source:a": {"wave": "pulse", "width": 35},
  "layer:a/filter:a": {"on": true, "slope": "24 dB", "cutoff": 300, "resonance": 3, "envelope": 48, "velocity": 18},
  "layer:a/envelope:filter": {"attack": 0, "decay": 220, "sustain": 0},
  "layer:a/envelope:level": {"attack": 1, "decay": 900, "sustain": 0, "release": 200}})"},
    {"Lead that slides", R"({
  "voicing": {"mode": "legato", "glide": 60, "glide_when": "overlapping"},
  "layer:a/source:a": {"wave": "saw", "voices": 2, "detune": 7},
  "layer:a/filter:a": {"on": true, "slope": "12 dB", "cutoff": 3500, "resonance": 4},
  "layer:a/lfo:a": {"shape": "sine", "rate": 5.2, "mode": "each note", "fade": 600},
  "link:a": {"from": "layer:a/lfo:a", "to": "layer:a/source:a/cents", "amount": 12},
  "layer:a/envelope:level": {"attack": 5, "release": 90}})"},
    {"Soft pad", R"({
  "layer:a/source:a": {"wave": "saw", "voices": 5, "detune": 14, "spread": 80},
  "layer:a/filter:a": {"on": true, "slope": "12 dB", "cutoff": 900, "envelope": 10},
  "layer:a/envelope:filter": {"attack": 900, "decay": 1500, "sustain": 50},
  "layer:a/envelope:level": {"attack": 350, "release": 900},
  "reverb:a": {"on": true, "size": 70, "decay": 2500, "mix": 22}})"},
    {"Wide stack", R"({
  "layer:a/source:a": {"wave": "saw", "voices": 7, "detune": 18, "spread": 90},
  "layer:a/filter:a": {"on": true, "slope": "12 dB", "cutoff": 8000},
  "layer:a/envelope:level": {"attack": 4, "release": 160}})"},
    {"Brass swell", R"({
  "layer:a/source:a": {"wave": "saw", "voices": 3, "detune": 9},
  "layer:a/filter:a": {"on": true, "slope": "24 dB", "cutoff": 500, "envelope": 30, "velocity": 20},
  "layer:a/envelope:filter": {"attack": 70, "decay": 500, "sustain": 55},
  "layer:a/envelope:level": {"attack": 30, "release": 120}})"},
    {"Bell", R"({
  "layer:a/source:a": {"wave": "sine", "phase_random": 0},
  "layer:a/source:b": {"on": true, "wave": "sine", "level": -60, "ratio_over": 7, "ratio_under": 2, "phase_random": 0},
  "layer:a/envelope:level": {"attack": 1, "decay": 2200, "sustain": 0, "release": 900},
  "layer:a/envelope:a": {"attack": 0, "decay": 900, "sustain": 0},
  "link:a": {"from": "layer:a/source:b", "to": "layer:a/source:a/phase", "amount": 20},
  "link:b": {"from": "layer:a/envelope:a", "to": "link:a/amount", "amount": 60}})"},
    {"Low hit", R"({
  "layer:a/source:a": {"wave": "sine", "phase_random": 0},
  "layer:a/source:b": {"on": true, "wave": "noise", "level": -24, "route": "past filters"},
  "layer:a/envelope:level": {"attack": 0, "decay": 420, "sustain": 0, "release": 60},
  "layer:a/envelope:a": {"attack": 0, "decay": 70, "sustain": 0},
  "layer:a/envelope:b": {"attack": 0, "decay": 10, "sustain": 0},
  "link:a": {"from": "layer:a/envelope:a", "to": "layer:a/source:a/semitone", "amount": 24},
  "link:b": {"from": "layer:a/envelope:b", "to": "layer:a/source:b/level", "amount": 20}})"},
    {"Rising noise", R"({
  "layer:a/source:a": {"wave": "noise"},
  "layer:a/filter:a": {"on": true, "kind": "band-pass", "slope": "12 dB", "cutoff": 400, "resonance": 6, "envelope": 48},
  "layer:a/envelope:filter": {"attack": 1800, "decay": 400, "sustain": 60},
  "layer:a/envelope:level": {"attack": 600, "release": 400}})"},
}};

} // namespace

const std::vector<Patch>& archetypes() {
    static const std::vector<Patch> made = [] {
        std::vector<Patch> patches;
        for (const auto& [name, modules] : sounds)
            patches.push_back(patchFromJson(std::string(R"({"format": "facet-patch", "version": 1, "name": ")") + name +
                                            R"(", "modules": )" + modules + "}"));
        // Room for chords.
        for (std::size_t i = 1; i < patches.size(); ++i) patches[i].set({"output", "level"}, -9.0);
        return patches;
    }();
    return made;
}

} // namespace facet
