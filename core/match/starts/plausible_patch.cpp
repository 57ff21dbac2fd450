#include "core/match/starts/plausible_patch.h"

#include "core/base/random.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"
#include "core/parameters/search_limits.h"
#include "core/parameters/sections.h"

#include <cmath>
#include <initializer_list>

namespace facet {

namespace {

/// Draws first what is part of the graph, then values.
class Drawing {
public:
    explicit Drawing(std::uint64_t number)
        : structure_(combineSeeds(0x5eedba4c, number / plausiblePerStructure)),
          values_(combineSeeds(0x5eedba4d, number)) {}

    Patch draw() {
        sources();
        filters();
        levels();
        movements();
        second();
        effects();
        return std::move(patch_);
    }

private:
    struct Choice {
        double share;
        int value;
    };
    int oneOf(std::initializer_list<Choice> choices) {
        double place = structure_.unit();
        for (const Choice& each : choices)
            if ((place -= each.share) < 0.0) return each.value;
        return choices.begin()->value;
    }
    bool chance(double share) { return structure_.unit() < share; }
    bool valueChance(double share) { return values_.unit() < share; }
    double between(double low, double high) { return values_.between(low, high); }
    double even(double low, double high) { return low * std::pow(high / low, values_.unit()); } ///< on a log scale
    void set(const Address& address, double value) { patch_.setNearest(address, value); }
    /// By the plausible ranges of the table.
    void drawValues(const std::string& path) {
        patch_ = withRandomValues(patch_, path, SearchLimits{}, values_.bits());
    }

    static constexpr int sine = 0, triangle = 1, saw = 2, pulse = 3, clipped = 4, noise = 7;

    void source(const std::string& path, int wave) {
        set({path, "on"}, 1.0);
        set({path, "wave"}, wave);
        if (wave == pulse) set({path, "width"}, valueChance(0.3) ? 50.0 : between(6.0, 50.0));
        if (wave == clipped) set({path, "clip"}, between(3.0, 24.0));
        if (wave == noise) set({path, "color"}, between(-6.0, 1.0));
    }

    int tonalWave() { return oneOf({{0.42, saw}, {0.3, pulse}, {0.12, triangle}, {0.11, sine}, {0.05, clipped}}); }

    void sources() {
        enum { one, two, stacked, modulated, multiplied, synced, noisy };
        kind_ = oneOf({{0.3, one},
                       {0.26, two},
                       {0.1, stacked},
                       {0.15, modulated},
                       {0.05, multiplied},
                       {0.06, synced},
                       {0.08, noisy}});
        bare_ = kind_ == modulated || kind_ == multiplied;
        switch (kind_) {
        case one: source(firstSource, tonalWave()); break;
        case two: {
            source(firstSource, tonalWave());
            source(secondSource, tonalWave());
            const int octave = oneOf({{0.45, 0}, {0.3, -1}, {0.15, 1}, {0.1, 0}});
            set({secondSource, "octave"}, octave);
            set({secondSource, "semitone"}, oneOf({{0.85, 0}, {0.08, 7}, {0.04, 5}, {0.03, -5}}));
            set({secondSource, "cents"}, octave == 0 ? even(1.5, 20.0) : between(-6.0, 6.0));
            set({secondSource, "level"}, between(-14.0, 2.0));
            break;
        }
        case stacked:
            source(firstSource, chance(0.85) ? saw : pulse);
            set({firstSource, "voices"}, oneOf({{0.2, 2}, {0.25, 3}, {0.2, 5}, {0.25, 7}, {0.1, 9}}));
            set({firstSource, "detune"}, even(3.0, 50.0));
            break;
        case modulated: { // phase
            source(firstSource, sine);
            source(secondSource, chance(0.85) ? sine : triangle);
            set({secondSource, "level"}, -60.0);
            const int ratio = oneOf({{0.3, 101},
                                     {0.2, 201},
                                     {0.1, 301},
                                     {0.08, 102},
                                     {0.08, 401},
                                     {0.08, 702},
                                     {0.06, 705},
                                     {0.05, 1401},
                                     {0.05, 502}});
            const int over = ratio / 100;
            set({secondSource, "ratio_over"}, over);
            set({secondSource, "ratio_under"}, ratio % 100);
            const double depth = even(15.0, 400.0);
            if (chance(0.6)) {
                const double decay = even(40.0, 3000.0);
                const double sustain = valueChance(0.4) ? between(5.0, 60.0) : 0.0;
                addLink(patch_, secondSource, firstSource + "/phase", depth, addEnvelope(decay, sustain));
            } else {
                addLink(patch_, secondSource, firstSource + "/phase", depth);
            }
            break;
        }
        case multiplied: {
            source(firstSource, sine);
            source(secondSource, sine);
            set({firstSource, "amplitude"}, oneOf({{0.6, 0}, {0.4, 100}}));
            set({secondSource, "level"}, -60.0);
            const int ratio = oneOf({{0.3, 302}, {0.3, 705}, {0.2, 502}, {0.2, 1003}});
            const int over = ratio / 100;
            set({secondSource, "ratio_over"}, over);
            set({secondSource, "ratio_under"}, ratio % 100);
            addLink(patch_, secondSource, firstSource + "/amplitude", 100.0);
            break;
        }
        case synced:
            source(firstSource, chance(0.7) ? saw : pulse);
            set({firstSource, "sync"}, 1.0);
            set({firstSource, "sync_ratio"}, between(2.0, 36.0));
            if (chance(0.5)) {
                const std::string envelope = addEnvelope(even(60.0, 1500.0), 0.0);
                addLink(patch_, envelope, firstSource + "/sync_ratio", between(-20.0, 20.0));
            }
            break;
        default: source(firstSource, noise); break;
        }
        if ((kind_ == one || kind_ == two) && chance(0.1)) {
            set({firstSource, "blend_wave"}, tonalWave());
            const double share = between(20.0, 80.0); // drawn in any case, so that what follows is the same
            if (patch_.value({firstSource, "blend_wave"}) != patch_.value({firstSource, "wave"}))
                set({firstSource, "blend"}, share);
        }
        set({firstSource, "phase_random"}, chance(0.25) ? 0.0 : 100.0);
    }

    std::string addEnvelope(double decay, double sustain) {
        std::string path = patch_.freePath(ModuleKind::envelope, firstLayer);
        patch_.add(path);
        set({path, "attack"}, 0.0);
        set({path, "decay"}, decay);
        set({path, "sustain"}, sustain);
        return path;
    }

    void filters() {
        if (!chance(bare_ ? 0.2 : 0.85)) return;
        const auto kind =
            static_cast<FilterKind>(oneOf({{0.62, 0}, {0.14, 4}, {0.08, 2}, {0.06, 1}, {0.04, 3}, {0.06, 5}}));
        set({firstFilter, "on"}, 1.0);
        set({firstFilter, "kind"}, static_cast<double>(kind));
        set({firstFilter, "slope"}, chance(0.5) ? 1.0 : 0.0);
        const bool opens = kind == FilterKind::highPass;
        set({firstFilter, "cutoff"}, opens ? even(60.0, 2000.0) : even(120.0, 12000.0));
        const double sharp = values_.unit();
        set({firstFilter, "resonance"}, -6.0 + 24.0 * sharp * sharp);
        if (kind == FilterKind::ladder) set({firstFilter, "drive"}, between(0.0, 18.0));
        if (kind == FilterKind::comb) set({firstFilter, "feedback"}, between(-90.0, 90.0));
        set({firstFilter, "key_tracking"}, valueChance(0.4) ? between(20.0, 100.0) : 0.0);
        if (chance(0.55)) {
            set({firstFilter, "envelope"}, between(5.0, 60.0));
            set({firstFilterEnvelope, "attack"}, valueChance(0.7) ? 0.0 : even(10.0, 800.0));
            set({firstFilterEnvelope, "decay"}, even(40.0, 2500.0));
            set({firstFilterEnvelope, "sustain"}, valueChance(0.5) ? 0.0 : between(5.0, 80.0));
            set({firstFilterEnvelope, "release"}, even(10.0, 1000.0));
        }
    }

    void levels() {
        set({firstLevelEnvelope, "attack"}, valueChance(0.65) ? between(0.0, 8.0) : even(8.0, 500.0));
        const double held = values_.unit();
        set({firstLevelEnvelope, "sustain"}, held < 0.35 ? 0.0 : held < 0.6 ? between(10.0, 80.0) : 100.0);
        set({firstLevelEnvelope, "decay"}, even(60.0, 4000.0));
        set({firstLevelEnvelope, "release"}, even(10.0, 1200.0));
    }

    std::string addLfo(double rate) {
        std::string path = patch_.freePath(ModuleKind::lfo, firstLayer);
        patch_.add(path);
        set({path, "rate"}, rate);
        return path;
    }

    void movements() {
        if (chance(0.12)) {
            const std::string lfo = addLfo(between(3.5, 7.0));
            set({lfo, "fade"}, valueChance(0.5) ? between(100.0, 800.0) : 0.0);
            const double cents = even(4.0, 60.0);
            addLink(patch_, lfo, firstSource + "/cents", cents);
            if (patch_.value({secondSource, "on"}) > 0.5) addLink(patch_, lfo, secondSource + "/cents", cents);
        }
        if (patch_.value({firstFilter, "on"}) > 0.5 && chance(0.12))
            addLink(patch_, addLfo(even(0.4, 9.0)), firstFilter + "/cutoff", between(4.0, 24.0));
        if (chance(0.07)) addLink(patch_, addLfo(even(2.0, 10.0)), firstLayer + "/level", between(2.0, 12.0));
        if (chance(0.08)) { // notes that begin high, as drums do
            const std::string envelope = addEnvelope(even(15.0, 200.0), 0.0);
            const double semitones = between(-6.0, 36.0);
            addLink(patch_, envelope, firstSource + "/semitone", semitones);
            if (patch_.value({secondSource, "on"}) > 0.5)
                addLink(patch_, envelope, secondSource + "/semitone", semitones);
        }
    }

    /// A click, a breath, or a low note under it.
    void second() {
        if (!chance(0.16)) return;
        const std::string path = patch_.freePath(ModuleKind::layer);
        patch_.add(path);
        const std::string voice = path + "/source:a";
        const bool tonal = chance(0.45);
        source(voice, tonal ? oneOf({{0.6, sine}, {0.4, triangle}}) : noise);
        if (tonal) set({voice, "octave"}, oneOf({{0.7, -1}, {0.3, 1}}));
        set({voice, "level"}, tonal ? between(-12.0, 3.0) : between(-24.0, -3.0));
        const std::string envelope = path + "/envelope:level";
        const bool shortly = chance(0.6);
        set({envelope, "attack"}, between(0.0, 3.0));
        set({envelope, "decay"}, shortly ? even(5.0, 120.0) : even(200.0, 3000.0));
        set({envelope, "sustain"}, shortly ? 0.0 : between(0.0, 100.0));
        set({envelope, "release"}, even(10.0, 600.0));
    }

    void effects() {
        struct Share {
            ModuleKind kind;
            double share;
        };
        for (const Share& each : {Share{ModuleKind::saturation, 0.12},
                                  {ModuleKind::folding, 0.04},
                                  {ModuleKind::reduction, 0.06},
                                  {ModuleKind::phaser, 0.04},
                                  {ModuleKind::flanger, 0.04},
                                  {ModuleKind::chorus, 0.12},
                                  {ModuleKind::delay, 0.08},
                                  {ModuleKind::reverb, 0.22}}) {
            if (!chance(each.share)) continue;
            const std::string path = patch_.freePath(each.kind);
            patch_.add(path);
            set({path, "on"}, 1.0);
            if (each.kind == ModuleKind::chorus) set({path, "voices"}, oneOf({{0.6, 2}, {0.25, 3}, {0.15, 4}}));
            drawValues(path);
            if (each.kind == ModuleKind::reduction) set({path, "bits"}, std::round(between(3.0, 12.0)));
            if (each.kind == ModuleKind::reverb || each.kind == ModuleKind::delay)
                set({path, "mix"}, between(8.0, 45.0));
        }
    }

    Random structure_, values_;
    Patch patch_;
    int kind_ = 0;
    bool bare_ = false;
};

} // namespace

Patch plausiblePatch(std::uint64_t number) { return Drawing(number).draw(); }

} // namespace facet
