#include "core/parameters/find.h"

#include "core/parameters/relevance.h"

#include <algorithm>
#include <cctype>
#include <string>

namespace facet {

namespace {

struct Synonyms {
    ModuleKind kind;
    std::string_view field; ///< empty: of the module
    std::string_view words;
};

/// Other words of the trade: common practice, no source.
constexpr Synonyms synonyms[] = {
    {ModuleKind::source, "", "oscillator osc generator vco"},
    {ModuleKind::source, "wave", "waveform shape"},
    {ModuleKind::source, "voices", "unison supersaw copies"},
    {ModuleKind::source, "detune", "unison spread thickness"},
    {ModuleKind::source, "spread", "stereo width unison"},
    {ModuleKind::source, "cents", "fine tune detune pitch"},
    {ModuleKind::source, "semitone", "coarse tune transpose pitch"},
    {ModuleKind::source, "octave", "range feet pitch"},
    {ModuleKind::source, "width", "pwm duty square"},
    {ModuleKind::source, "level", "volume gain loudness"},
    {ModuleKind::source, "position", "index scan morph"},
    {ModuleKind::source, "ratio_over", "harmonic multiple operator"},
    {ModuleKind::source, "amplitude", "ring modulation"},
    {ModuleKind::source, "color", "pink white brown tone"},
    {ModuleKind::source, "route", "routing bypass output"},
    {ModuleKind::source, "phase_random", "free running analog"},
    {ModuleKind::filter, "", "vcf"},
    {ModuleKind::filter, "kind", "type low-pass high-pass band-pass"},
    {ModuleKind::filter, "cutoff", "frequency brightness tone"},
    {ModuleKind::filter, "resonance", "q emphasis peak"},
    {ModuleKind::filter, "slope", "poles 12 24"},
    {ModuleKind::filter, "drive", "saturation overdrive"},
    {ModuleKind::filter, "key_tracking", "keyboard follow"},
    {ModuleKind::filter, "envelope", "env depth"},
    {ModuleKind::envelope, "", "adsr eg amp"},
    {ModuleKind::envelope, "attack", "rise fade-in"},
    {ModuleKind::envelope, "release", "tail fade-out"},
    {ModuleKind::envelope, "decay", "fall pluck"},
    {ModuleKind::lfo, "", "modulator vibrato tremolo wobble"},
    {ModuleKind::lfo, "rate", "speed frequency"},
    {ModuleKind::lfo, "beats", "sync tempo speed"},
    {ModuleKind::lfo, "mode", "retrigger free"},
    {ModuleKind::link, "amount", "depth modulation"},
    {ModuleKind::voicing, "glide", "portamento slide"},
    {ModuleKind::voicing, "mode", "mono poly legato"},
    {ModuleKind::voicing, "voices", "polyphony"},
    {ModuleKind::voicing, "tuning_spread", "drift analog"},
    {ModuleKind::voicing, "bend_range", "pitchbend"},
    {ModuleKind::layer, "level", "volume gain"},
    {ModuleKind::layer, "offset", "delay start"},
    {ModuleKind::output, "level", "volume master gain"},
    {ModuleKind::saturation, "", "distortion overdrive drive waveshaper"},
    {ModuleKind::folding, "", "wavefolder distortion"},
    {ModuleKind::reduction, "", "bitcrusher crush lo-fi downsample"},
    {ModuleKind::equalizer, "", "eq tone"},
    {ModuleKind::bandCompressor, "", "multiband upward"},
    {ModuleKind::shifter, "", "frequency detune"},
    {ModuleKind::resonator, "", "comb string"},
    {ModuleKind::delay, "", "echo repeats ping-pong"},
    {ModuleKind::delay, "feedback", "repeats"},
    {ModuleKind::reverb, "", "room hall space ambience"},
    {ModuleKind::reverb, "decay", "tail time"},
    {ModuleKind::response, "", "convolution impulse cabinet speaker"},
    {ModuleKind::width, "", "stereo mono bass"},
};

std::string lowered(std::string_view text) {
    std::string word(text);
    std::transform(word.begin(), word.end(), word.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return word;
}

std::vector<std::string> wordsOf(std::string_view text) {
    std::vector<std::string> words;
    std::string word;
    for (char c : lowered(text) + " ") {
        if (c != ' ' && c != '(' && c != ')') {
            word += c;
        } else if (!word.empty()) {
            words.push_back(word);
            word.clear();
        }
    }
    return words;
}

bool anyBegins(const std::vector<std::string>& words, const std::string& with) {
    return std::any_of(words.begin(), words.end(), [&](const std::string& w) { return w.starts_with(with); });
}

std::vector<std::string> otherWords(ModuleKind kind, std::string_view field) {
    for (const Synonyms& s : synonyms)
        if (s.kind == kind && s.field == field) return wordsOf(s.words);
    return {};
}

} // namespace

std::vector<Address> findParameters(const Patch& patch, std::string_view words, std::size_t most) {
    const auto wanted = wordsOf(words);
    if (wanted.empty()) return {};
    struct Found {
        Address address;
        int badness;
    };
    std::vector<Found> all;
    for (const auto& module : patch.modules()) {
        const auto moduleWords = wordsOf(patch.labelOf(module));
        const auto moduleOthers = otherWords(module.kind, "");
        for (const auto& d : parametersOf(module.kind)) {
            const auto label = wordsOf(d.label);
            const auto others = otherWords(module.kind, d.field);
            int badness = 0;
            bool named = false; // a word must name the parameter, not only its module
            bool fits = true;
            for (const std::string& word : wanted) {
                if (anyBegins(label, word))
                    named = true;
                else if (anyBegins(others, word))
                    named = true, badness += 2;
                else if (anyBegins(moduleWords, word))
                    badness += 1;
                else if (anyBegins(moduleOthers, word))
                    badness += 3;
                else
                    fits = false;
            }
            if (!fits) continue;
            if (!named) badness += 20;
            badness = 4 * badness + static_cast<int>(label.size()); // of equal ones that with the shorter name
            if (!matters(patch, module, d)) badness += 200;
            all.push_back({{module.path, std::string(d.field)}, badness});
        }
    }
    std::stable_sort(all.begin(), all.end(), [](const Found& a, const Found& b) { return a.badness < b.badness; });
    std::vector<Address> found;
    for (std::size_t i = 0; i < std::min(most, all.size()); ++i) found.push_back(all[i].address);
    return found;
}

} // namespace facet
