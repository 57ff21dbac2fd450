#include "bench/prior/drawn_sound.h"

#include "core/base/random.h"
#include "core/match/proposals/added_element.h"
#include "core/match/proposals/effect_proposals.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"
#include "core/parameters/elements.h"
#include "core/parameters/sections.h"

#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <set>
#include <string>

namespace facet {

namespace {

struct Choice {
    double share;
    int value;
};

class Draw {
public:
    explicit Draw(std::uint64_t seed) : random_(seed) {}
    bool chance(double share) { return random_.unit() < share; }
    double between(double low, double high) { return random_.between(low, high); }
    double even(double low, double high) { return low * std::pow(high / low, random_.unit()); } ///< on a log scale
    int whole(int low, int high) { return low + static_cast<int>(random_.unit() * (high - low + 1)); }
    int oneOf(std::initializer_list<Choice> choices) {
        double sum = 0.0;
        for (const Choice& each : choices) sum += each.share;
        double place = random_.unit() * sum;
        for (const Choice& each : choices)
            if ((place -= each.share) < 0.0) return each.value;
        return choices.begin()->value;
    }
    std::uint64_t bits() { return random_.bits(); }

private:
    Random random_;
};

/// A line for one voice, an arpeggio, chords, or one note.
class PhraseDrawer {
public:
    explicit PhraseDrawer(Draw& draw) : draw_(draw) {}

    Performance make() {
        tempo_ = draw_.between(80.0, 150.0);
        low_ = draw_.whole(32, 66);
        const int kind = draw_.oneOf({{0.45, 0}, {0.15, 1}, {0.28, 2}, {0.12, 3}});
        kind == 0 ? line() : kind == 1 ? arpeggio() : kind == 2 ? chords() : single();
        Performance made;
        double end = 0.0;
        for (const Note& note : notes_) end = std::max(end, note.end);
        made.notes = notes_;
        made.tempo = tempo_;
        made.frames = static_cast<int>((end + draw_.between(0.25, 1.1)) * 48000.0);
        made.seed = draw_.bits();
        made.normalize();
        return made;
    }
    /// Whether one voice plays it.
    bool oneVoice() const { return oneVoice_; }

private:
    static constexpr double begin = 0.06, longest = 2.9; // seconds
    double quarter() const { return 60.0 / tempo_; }
    double velocity(bool accent) { return accent ? draw_.whole(100, 126) : draw_.whole(44, 98); }
    void add(double start, double end, int key, double velocity) { notes_.push_back({start, end, key, 0.0, velocity}); }

    void line() {
        oneVoice_ = true;
        static constexpr int scale[] = {0, 2, 3, 5, 7, 8, 10, 12};
        const double grid = draw_.oneOf({{0.3, 1}, {0.5, 2}, {0.2, 4}}) * 0.25 * quarter();
        const double share = draw_.between(0.45, 0.97), tied = draw_.chance(0.5) ? draw_.between(0.1, 0.5) : 0.0;
        double at = begin;
        int key = low_ + scale[draw_.whole(0, 7)];
        for (int i = 0; i < 14 && at < longest; ++i) {
            const double length = grid * draw_.oneOf({{3, 1}, {2, 2}, {1, 3}});
            const bool over = draw_.chance(tied);
            add(at, at + (over ? length + 0.03 : length * share * draw_.between(0.85, 1.05)), key,
                velocity(i == 0 || draw_.chance(0.35)));
            at += length;
            const int last = key;
            while (key == last || std::abs(key - last) > 9)
                key = low_ + scale[draw_.whole(0, 7)] + 12 * draw_.whole(0, 1);
        }
    }
    void arpeggio() {
        const double grid = 0.25 * quarter() * draw_.oneOf({{0.7, 1}, {0.3, 2}}), share = draw_.between(0.4, 1.2);
        const int third = draw_.whole(3, 4);
        for (int i = 0; begin + i * grid < longest; ++i)
            add(begin + i * grid, begin + (i + share) * grid,
                low_ + 12 * (i / 3 % 2) +
                    (i % 3 == 0   ? 0
                     : i % 3 == 1 ? third
                                  : 7),
                velocity(i % 4 == 0));
    }
    void chords() {
        const double beats = draw_.oneOf({{0.4, 1}, {0.4, 2}, {0.2, 4}}) * quarter(), share = draw_.between(0.3, 0.98);
        const int size = draw_.whole(2, 4);
        for (double at = begin; at < longest; at += beats) {
            const int root = low_ + draw_.whole(-5, 5);
            const double loud = draw_.whole(60, 118);
            const int shape[] = {0, draw_.whole(3, 4), 7, 10};
            for (int i = 0; i < size; ++i)
                add(at, at + beats * share, root + shape[i], std::clamp(loud + draw_.whole(-8, 8), 1.0, 127.0));
        }
    }
    void single() {
        oneVoice_ = true;
        add(begin, begin + draw_.even(0.2, 3.5), low_, velocity(true));
    }

    Draw& draw_;
    double tempo_ = 120.0;
    int low_ = 48;
    bool oneVoice_ = false;
    std::vector<Note> notes_;
};

/// Draws first what is part of the graph, then values.
class PatchDrawer {
public:
    PatchDrawer(std::uint64_t structure, std::uint64_t values, const Performance& phrase, bool oneVoice)
        : structure_(structure), values_(values), phrase_(phrase), oneVoice_(oneVoice) {}

    Patch make() {
        voicing();
        sources();
        elements();
        values();
        return std::move(patch_);
    }

private:
    static constexpr int sine = 0, triangle = 1, saw = 2, pulse = 3, harmonics = 5, noise = 7;
    void set(const std::string& path, const char* field, double value) { patch_.setNearest({path, field}, value); }
    double value(const std::string& path, const char* field) const { return patch_.value({path, field}); }

    void voicing() {
        if (!oneVoice_ || !structure_.chance(0.7)) return;
        set("voicing", "mode", structure_.oneOf({{0.3, 1}, {0.7, 2}}));
        set("voicing", "glide_when", structure_.chance(0.7) ? 1 : 0);
        glides_ = structure_.chance(0.6);
    }

    void sources() {
        const int wave = structure_.oneOf(
            {{0.38, saw}, {0.26, pulse}, {0.1, triangle}, {0.2, sine}, {0.03, harmonics}, {0.03, noise}});
        set(firstSource, "wave", wave);
        if (wave == sine) {
            const int made = structure_.oneOf({{0.55, 0}, {0.1, 1}, {0.12, 2}, {0.23, 3}});
            if (made == 0) wanted_.insert(Element::fm);
            if (made == 1) wanted_.insert(Element::feedbackFm);
            if (made == 2) wanted_.insert(Element::ring);
        }
        if (wave == saw || wave == pulse) {
            if (structure_.chance(0.3)) {
                wanted_.insert(Element::stacked);
            } else if (structure_.chance(0.06)) {
                wanted_.insert(Element::sync);
            }
        }
        if (wave == pulse && structure_.chance(0.4)) wanted_.insert(Element::movedWidth);
        if (wave == noise) return;
        if (structure_.chance(wave == saw ? 0.14 : 0.05)) {
            wanted_.insert(Element::detunedSources);
        } else if (structure_.chance(0.42)) {
            set(secondSource, "on", 1.0);
            set(secondSource, "wave", structure_.oneOf({{0.3, saw}, {0.25, pulse}, {0.2, triangle}, {0.25, sine}}));
            set(secondSource, "octave", structure_.oneOf({{0.65, -1}, {0.2, 1}, {0.05, -2}, {0.1, 0}}));
            if (value(secondSource, "octave") == 0.0)
                set(secondSource, "semitone", structure_.oneOf({{0.7, 7}, {0.3, 5}}));
        }
        if (structure_.chance(0.12)) wanted_.insert(Element::noise);
    }

    void wish(Element element, double share) {
        if (structure_.chance(share)) wanted_.insert(element);
    }

    void elements() {
        const bool bare = wanted_.contains(Element::fm) || wanted_.contains(Element::ring);
        if (structure_.chance(bare ? 0.2 : 0.86)) {
            const int filter = structure_.oneOf({{0.74, 0}, {0.05, 1}, {0.09, 2}, {0.08, 3}, {0.02, 4}, {0.02, 5}});
            constexpr Element kinds[] = {Element::lowPass,  Element::highPass, Element::bandPass,
                                         Element::formants, Element::notch,    Element::comb};
            wanted_.insert(kinds[filter]);
            if (filter == 0 && structure_.chance(0.07)) wanted_.insert(Element::highPass);
            wish(Element::sweptFilter, 0.58);
            const int moved = structure_.oneOf({{0.76, 0}, {0.13, 1}, {0.11, 2}});
            if (moved == 1) wanted_.insert(Element::filterLfo);
            if (moved == 2) wanted_.insert(Element::filterOpens);
            wish(Element::velocityToFilter, 0.4);
            wish(Element::keyTracking, 0.35);
        }
        wish(Element::vibrato, 0.16);
        wish(Element::drift, 0.2);
        wish(Element::pitchEnvelope, 0.1);
        if (glides_) wanted_.insert(Element::glide);
        const int level = structure_.oneOf({{0.8, 0}, {0.11, 1}, {0.09, 2}});
        if (level == 1) wanted_.insert(Element::tremolo);
        if (level == 2) wanted_.insert(Element::gate);
        wish(Element::velocityToLevel, 0.85);
        wish(Element::voiceDrive, 0.08);
        if (!structure_.chance(0.2)) {
            wish(Element::saturation, 0.15);
            wish(Element::folding, 0.03);
            wish(Element::reduction, 0.1);
            wish(Element::equalizer, 0.2);
            wish(Element::compressor, 0.22);
            wish(Element::limiter, 0.04);
            wish(Element::chorus, 0.3);
            wish(Element::flanger, 0.1);
            wish(Element::phaser, 0.1);
            wish(Element::shifter, 0.02);
            wish(Element::resonator, 0.02);
            wish(Element::width, 0.08);
            wish(Element::delay, 0.33);
            wish(Element::reverb, 0.5);
        }
        const double steps = structure_.whole(8, 16);
        patch_ = withElements(patch_, wanted_);
        const std::vector<Patch::Module> modules(patch_.modules());
        for (const auto& module : modules) {
            if (module.kind == ModuleKind::filter && value(module.path, "on") > 0.5) {
                set(module.path, "slope", structure_.chance(0.5) ? 1 : 0);
                if (value(module.path, "kind") == static_cast<double>(FilterKind::lowPass) && structure_.chance(0.25))
                    set(module.path, "kind", static_cast<double>(FilterKind::ladder));
            } else if (module.kind == ModuleKind::source && value(module.path, "voices") > 1.0) {
                set(module.path, "voices",
                    structure_.oneOf({{0.2, 2}, {0.25, 3}, {0.15, 4}, {0.15, 5}, {0.15, 7}, {0.1, 9}}));
            } else if (module.kind == ModuleKind::phaser) {
                set(module.path, "stages", 2 * structure_.whole(1, 5));
            } else if (module.kind == ModuleKind::saturation) {
                set(module.path, "curve", structure_.whole(0, 3));
            } else if (module.kind == ModuleKind::chorus) {
                set(module.path, "voices", structure_.oneOf({{0.6, 2}, {0.25, 3}, {0.15, 4}}));
            } else if (module.kind == ModuleKind::delay) {
                set(module.path, "cross", structure_.chance(0.4) ? 1 : 0);
            } else if (module.kind == ModuleKind::layer) {
                if (value(module.path, "drive_curve") > 0.0) set(module.path, "drive_curve", structure_.whole(1, 5));
            } else if (module.kind == ModuleKind::lfo &&
                       value(module.path, "shape") == static_cast<double>(LfoShape::square) && structure_.chance(0.7)) {
                set(module.path, "shape", static_cast<double>(LfoShape::drawn));
                ModuleData drawn;
                for (int i = 0; i < steps; ++i) {
                    constexpr double levels[] = {1.0, 1.0, 0.7, 0.5, 0.0, 0.0, 0.15};
                    const double height = i == 0 ? 1.0 : levels[structure_.whole(0, 6)];
                    drawn.shape.push_back({i / steps, height});
                    drawn.shape.push_back({(i + 0.96) / steps, height});
                }
                patch_.setData(module.path, drawn);
                gateSteps_ = steps;
            }
        }
    }

    void values() {
        const std::vector<Patch::Module> modules(patch_.modules());
        for (const auto& module : modules) {
            const std::string& path = module.path;
            switch (module.kind) {
            case ModuleKind::voicing:
                if (value(path, "glide") > 0.0) set(path, "glide", values_.even(25.0, 200.0));
                if (value(path, "tuning_spread") > 0.0) set(path, "tuning_spread", values_.even(3.0, 20.0));
                break;
            case ModuleKind::layer:
                if (value(path, "velocity") > 0.0) {
                    set(path, "velocity", values_.between(6.0, 30.0));
                    set(path, "velocity_scale", values_.chance(0.4) ? 1 : 0);
                }
                set(path, "drive", values_.between(3.0, 24.0));
                break;
            case ModuleKind::source: source(path); break;
            case ModuleKind::filter: filter(path); break;
            case ModuleKind::envelope: envelope(path); break;
            case ModuleKind::lfo: lfo(path); break;
            case ModuleKind::link: link(module); break;
            default:
                if (isEffect(module.kind)) effect(path, module.kind);
                break;
            }
        }
    }

    void source(const std::string& path) {
        if (value(path, "on") < 0.5) return;
        set(path, "width", values_.chance(0.3) ? 50.0 : values_.between(8.0, 50.0));
        if (value(path, "wave") == noise) set(path, "color", values_.between(-6.0, 1.0));
        if (value(path, "level") > -60.0 && path != firstSource)
            set(path, "level",
                value(path, "wave") == noise ? values_.between(-26.0, -6.0) : values_.between(-14.0, 1.0));
        if (path != firstSource)
            set(path, "cents", value(path, "cents") != 0.0 ? values_.even(4.0, 20.0) : values_.between(-6.0, 6.0));
        if (value(path, "voices") > 1.0) {
            set(path, "detune", values_.even(4.0, 40.0));
            set(path, "spread", values_.chance(0.2) ? 0.0 : values_.between(20.0, 100.0));
        } else if (value(path, "level") > -60.0 && path != firstSource && values_.chance(0.25)) {
            const double apart = values_.between(10.0, 60.0);
            set(path, "pan", apart);
            set(firstSource, "pan", -apart);
        }
        if (value(path, "wave") == harmonics) {
            ModuleData partials;
            for (int i = 0; i < 8; ++i)
                partials.partialsDb.push_back(values_.chance(0.35) && i > 0 ? -120.0
                                                                            : values_.between(-24.0, 0.0) - 2.0 * i);
            patch_.setData(path, partials);
        }
        set(path, "sync_ratio", values_.between(2.0, 30.0));
        set(path, "phase_random", values_.chance(0.3) ? 0.0 : 100.0);
        if (value(path, "level") <= -60.0) { // moves another
            const int ratio = values_.oneOf({{0.25, 101},
                                             {0.2, 201},
                                             {0.1, 301},
                                             {0.06, 102},
                                             {0.06, 401},
                                             {0.08, 702},
                                             {0.08, 705},
                                             {0.05, 1401},
                                             {0.05, 502},
                                             {0.07, 1104}});
            set(path, "ratio_over", ratio / 100);
            set(path, "ratio_under", ratio % 100);
            set(path, "semitone", 0.0);
        }
    }

    void filter(const std::string& path) {
        if (value(path, "on") < 0.5) return;
        const auto kind = static_cast<FilterKind>(value(path, "kind"));
        if (wanted_.contains(Element::formants)) {
            set(path, "cutoff", path == firstFilter ? values_.even(250.0, 900.0) : values_.even(900.0, 2800.0));
            set(path, "resonance", values_.between(8.0, 18.0));
        } else {
            set(path, "cutoff",
                kind == FilterKind::highPass ? values_.even(80.0, 1500.0) : values_.even(160.0, 7000.0));
            set(path, "resonance", -6.0 + 24.0 * std::pow(values_.between(0.0, 1.0), 2.0));
        }
        if (kind == FilterKind::ladder) set(path, "drive", values_.between(-6.0, 15.0));
        if (value(path, "key_tracking") > 0.0) set(path, "key_tracking", values_.between(25.0, 100.0));
        if (value(path, "velocity") > 0.0) set(path, "velocity", values_.between(6.0, 30.0));
        if (value(path, "envelope") > 0.0) set(path, "envelope", values_.between(8.0, 50.0));
    }

    void envelope(const std::string& path) {
        const bool level = path.ends_with(":level");
        set(path, "attack", values_.chance(0.65) ? values_.between(0.5, 8.0) : values_.even(8.0, 300.0));
        set(path, "decay", values_.even(level ? 80.0 : 40.0, 2500.0));
        const double held = values_.between(0.0, 1.0);
        set(path, "sustain", held < 0.3 ? 0.0 : held < 0.7 ? values_.between(10.0, 80.0) : level ? 100.0 : 0.0);
        set(path, "release", values_.even(10.0, 800.0));
        set(path, "decay_curve", values_.between(0.0, 85.0));
    }

    bool moves(const std::string& lfo, std::string_view field) const {
        return std::any_of(patch_.modules().begin(), patch_.modules().end(), [&](const Patch::Module& m) {
            return m.kind == ModuleKind::link && m.contents().from == lfo && m.contents().to.ends_with(field);
        });
    }

    void lfo(const std::string& path) {
        set(path, "phase", values_.between(0.0, 360.0));
        const auto shape = static_cast<LfoShape>(value(path, "shape"));
        if (moves(path, "/cents")) {
            set(path, "rate", values_.between(4.0, 7.2));
            set(path, "fade", values_.chance(0.6) ? values_.even(100.0, 700.0) : 0.0);
        } else if (shape == LfoShape::risingSaw || shape == LfoShape::fallingSaw) { // once over the phrase
            set(path, "mode", static_cast<double>(LfoMode::free));
            set(path, "rate", 1.0 / phrase_.seconds());
            set(path, "phase", 0.0);
            if (values_.chance(0.3)) set(path, "shape", static_cast<double>(LfoShape::fallingSaw));
        } else if (shape == LfoShape::square || shape == LfoShape::drawn) {
            const double stepsPerSecond = phrase_.tempo / 60.0 * 4.0;
            set(path, "rate", shape == LfoShape::drawn ? stepsPerSecond / gateSteps_ : stepsPerSecond / 2.0);
            set(path, "duty", values_.between(30.0, 70.0));
            set(path, "phase", 0.0);
        } else if (moves(path, "/level") || moves(path, "/pan")) {
            set(path, "rate", values_.even(2.0, 9.0));
        } else {
            set(path, "rate", values_.even(0.12, 5.0));
        }
    }

    void link(const Patch::Module& module) {
        const Address amount{module.path, "amount"};
        const std::string& to = module.contents().to;
        const double factor = to.ends_with("/phase")       ? values_.even(0.5, 5.0)
                              : to.ends_with("/amplitude") ? 1.0
                                                           : values_.even(0.45, 2.2);
        patch_.setNearest(amount, patch_.value(amount) * factor *
                                      (to.ends_with("/semitone") && values_.chance(0.3) ? -1.0 : 1.0));
    }

    void effect(const std::string& path, ModuleKind kind) {
        if (kind == ModuleKind::compressor) {
            set(path, "threshold", values_.between(-36.0, -14.0));
            set(path, "ratio", values_.even(2.5, 9.0));
            set(path, "attack", values_.even(2.0, 40.0));
            set(path, "release", values_.even(50.0, 350.0));
            return;
        }
        if (kind == ModuleKind::equalizer) {
            set(path, "bell_1", values_.even(200.0, 5000.0));
            set(path, "gain_1", (values_.chance(0.5) ? 1.0 : -1.0) * values_.between(4.0, 11.0));
            set(path, "q_1", values_.even(0.6, 2.5));
            set(path, "high_gain",
                values_.chance(0.5) ? 0.0 : (values_.chance(0.5) ? 1.0 : -1.0) * values_.between(3.0, 10.0));
            set(path, "high_shelf", values_.even(3000.0, 9000.0));
            return;
        }
        patch_ = withRandomValues(patch_, path, {}, values_.bits());
        if (kind == ModuleKind::saturation || kind == ModuleKind::folding)
            set(path, "drive", values_.between(6.0, 24.0));
        if (kind == ModuleKind::saturation || kind == ModuleKind::folding || kind == ModuleKind::reduction)
            set(path, "mix", 100.0);
        if (kind == ModuleKind::reduction) {
            set(path, "bits", std::round(values_.between(4.0, 11.0)));
            set(path, "rate", values_.chance(0.3) ? 96000.0 : values_.even(5000.0, 22000.0));
        }
        if (kind == ModuleKind::chorus) {
            set(path, "rate", values_.even(0.15, 2.0));
            set(path, "delay", values_.between(5.0, 25.0));
            set(path, "depth", values_.even(0.5, 5.0));
            set(path, "mix", values_.between(25.0, 60.0));
            set(path, "sides", values_.chance(0.3) ? 0.0 : values_.between(45.0, 180.0));
        }
        if (kind == ModuleKind::flanger || kind == ModuleKind::phaser) {
            set(path, "rate", values_.even(0.08, 1.5));
            set(path, "mix", values_.between(30.0, 55.0));
            set(path, "feedback", values_.between(-20.0, 70.0));
        }
        if (kind == ModuleKind::delay) {
            set(path, "time",
                60000.0 / phrase_.tempo * values_.oneOf({{1, 2}, {2, 3}, {1, 4}}) / 4.0 *
                    (values_.chance(0.2) ? 2.0 / 3.0 : 1.0));
            set(path, "feedback", values_.between(10.0, 65.0));
            set(path, "mix", values_.between(12.0, 45.0));
        }
        if (kind == ModuleKind::reverb) {
            set(path, "decay", values_.even(300.0, 5000.0));
            set(path, "mix", values_.between(10.0, 45.0));
        }
    }

    Draw structure_, values_;
    const Performance& phrase_;
    bool oneVoice_, glides_ = false;
    double gateSteps_ = 16.0;
    std::set<Element> wanted_;
    Patch patch_;
};

} // namespace

DrawnSounds drawnSounds(std::uint64_t number, int patches) {
    Draw draw(combineSeeds(0x5eed501d, number));
    PhraseDrawer phrase(draw);
    DrawnSounds drawn;
    drawn.phrase = phrase.make();
    const std::uint64_t structure = draw.bits();
    for (int i = 0; i < patches; ++i)
        drawn.patches.push_back(PatchDrawer(structure, draw.bits(), drawn.phrase, phrase.oneVoice()).make());
    return drawn;
}

} // namespace facet
