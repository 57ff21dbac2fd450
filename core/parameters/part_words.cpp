#include "core/parameters/part_words.h"

#include "core/parameters/relevance.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

std::string capital(std::string text) {
    if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
    return text;
}

/// "an octave", "a fifth", "5 semitones".
std::string intervalWords(double semitones) {
    const double size = std::abs(semitones);
    if (std::abs(size - 12.0) < 0.05) return "an octave";
    if (std::abs(size - 24.0) < 0.05) return "two octaves";
    if (std::abs(size - 7.0) < 0.05) return "a fifth";
    if (std::abs(size - 5.0) < 0.05) return "a fourth";
    if (std::abs(size - std::round(size)) < 0.05) return fmt::format("{:.0f} semitones", size);
    return fmt::format("{:.1f} semitones", size);
}

std::string joined(const std::vector<std::string>& pieces, const char* with = ", ") {
    std::string all;
    for (const std::string& piece : pieces)
        if (!piece.empty()) all += (all.empty() ? "" : with) + piece;
    return all;
}

/// Tells the parts of one patch.
class PartTeller {
public:
    PartTeller(const SignalPart& part, const Patch& patch) : part_(part), patch_(patch) {}

    std::string words() const {
        switch (part_.place) {
        case PartPlace::sources: return capital(sources());
        case PartPlace::modulation: return capital(modulation());
        case PartPlace::sync: return capital(sync());
        case PartPlace::noise: return capital(noise());
        case PartPlace::stack: return stack();
        case PartPlace::filter: return capital(filter());
        case PartPlace::level: return capital(level(levelEnvelope()));
        case PartPlace::touch: return capital(touch());
        case PartPlace::glide: return capital(glide());
        case PartPlace::drift: return capital(drift());
        case PartPlace::pitchMotion:
        case PartPlace::shapeMotion:
        case PartPlace::filterMotion:
        case PartPlace::levelMotion:
        case PartPlace::effectMotion: return capital(motion());
        case PartPlace::drive:
            return fmt::format("Drive each note by {}, {}", text("layer:a", "drive"), text("layer:a", "drive_curve"));
        case PartPlace::layer: return layer();
        case PartPlace::effect: return effect();
        case PartPlace::macros: return macros();
        case PartPlace::output: return "Output " + text("output", "level");
        }
        return {};
    }

private:
    double value(const std::string& path, const char* field) const { return patch_.value({path, field}); }
    std::string text(const std::string& path, const char* field) const {
        return roundedText(patch_.shownDescriptor({path, field}), value(path, field));
    }
    /// How far it moves to either side.
    std::string size(const std::string& link) const {
        return roundedText(patch_.shownDescriptor({link, "amount"}), std::abs(value(link, "amount")), false);
    }
    std::vector<std::string> modulesOf(ModuleKind kind) const {
        std::vector<std::string> paths;
        for (const std::string& path : part_.modules)
            if (const auto* module = patch_.find(path); module && module->kind == kind) paths.push_back(path);
        return paths;
    }
    const Patch::Module* firstLink(const std::string& mover) const {
        for (const auto& module : patch_.modules())
            if (module.kind == ModuleKind::link && takesPart(patch_, module) && module.contents().from == mover &&
                !module.contents().to.empty())
                return &module;
        return nullptr;
    }
    const Patch::Module* linkTo(const std::string& address, ModuleKind mover) const {
        for (const auto& module : patch_.modules())
            if (module.kind == ModuleKind::link && takesPart(patch_, module) && module.contents().to == address &&
                kindOfPath(module.contents().from) == mover)
                return &module;
        return nullptr;
    }

    bool onlyMoves(const std::string& source) const {
        return value(source, "level") <= silentSourceDb && firstLink(source) != nullptr;
    }
    std::vector<const Patch::Module*> heardSources(std::string_view layer) const {
        std::vector<const Patch::Module*> heard;
        for (const auto& module : patch_.modules())
            if (module.kind == ModuleKind::source && layerOfPath(module.path) == layer && takesPart(patch_, module) &&
                !onlyMoves(module.path))
                heard.push_back(&module);
        return heard;
    }
    double intervalOf(const std::string& source) const {
        return 12.0 * value(source, "octave") + value(source, "semitone") +
               12.0 * std::log2(value(source, "ratio_over") / value(source, "ratio_under"));
    }

    std::string wave(const std::string& source) const {
        const auto is = static_cast<Wave>(value(source, "wave"));
        std::string said = text(source, "wave");
        if (is == Wave::pulse) said += " " + text(source, "width");
        if (is == Wave::harmonics) said = "partials of its own";
        if (value(source, "blend") > 0.0 && matters(patch_, *patch_.find(source), patch_.descriptor({source, "blend"})))
            said += fmt::format(" blended with {} {}", text(source, "blend"), text(source, "blend_wave"));
        return said;
    }

    std::string sources() const { return sourcesOf("layer:a"); }
    std::string sourcesOf(std::string_view layer) const {
        std::vector<const Patch::Module*> heard = heardSources(layer);
        const bool onlyNoise = std::all_of(heard.begin(), heard.end(), [&](const auto* m) {
            return static_cast<Wave>(value(m->path, "wave")) == Wave::noise;
        });
        if (!onlyNoise) // noise beside them is told by itself
            std::erase_if(heard,
                          [&](const auto* m) { return static_cast<Wave>(value(m->path, "wave")) == Wave::noise; });
        if (heard.empty()) return "no source";
        const std::string& first = heard.front()->path;
        const double interval = intervalOf(first);
        if (heard.size() == 1) {
            if (std::abs(interval) < 0.05) return wave(first);
            return fmt::format("{} {} {} the note", wave(first), intervalWords(interval),
                               interval > 0.0 ? "above" : "below");
        }
        const bool alike = std::all_of(heard.begin(), heard.end(), [&](const auto* m) {
            return value(m->path, "wave") == value(first, "wave") && wave(m->path) == wave(first);
        });
        if (alike && heard.size() == 2 && wave(first).find(' ') == std::string::npos) {
            const double apart = intervalOf(heard[1]->path) - interval;
            const double cents = value(heard[1]->path, "cents") - value(first, "cents");
            const std::string place = std::abs(apart) >= 0.05  ? intervalWords(apart) + " apart"
                                      : std::abs(cents) >= 0.5 ? fmt::format("{:.0f} ct apart", std::abs(cents))
                                                               : std::string("in unison");
            return fmt::format("two {}s {}", wave(first), place);
        }
        std::vector<std::string> pieces;
        for (const auto* module : heard) {
            std::string piece = wave(module->path);
            if (module != heard.front()) {
                const double apart = intervalOf(module->path) - interval;
                if (std::abs(apart) >= 0.05)
                    piece += fmt::format(" {} {}", intervalWords(apart), apart > 0.0 ? "above" : "below");
                if (const double db = value(module->path, "level") - value(first, "level"); std::abs(db) >= 1.0)
                    piece += fmt::format(", {}", roundedText(patch_.descriptor({module->path, "level"}), db));
            }
            pieces.push_back(std::move(piece));
        }
        return joined(pieces, " + ");
    }

    std::string noise() const {
        for (const auto* module : heardSources("layer:a"))
            if (static_cast<Wave>(value(module->path, "wave")) == Wave::noise) {
                const double color = value(module->path, "color");
                return fmt::format("{} noise, {}",
                                   color < -4.5   ? "brown"
                                   : color < -1.5 ? "pink"
                                                  : "white",
                                   text(module->path, "level"));
            }
        return "noise";
    }

    std::string ratioWords(const std::string& source) const {
        const double semitones = 12.0 * value(source, "octave") + value(source, "semitone");
        std::string said = fmt::format("{:.0f} : {:.0f}", value(source, "ratio_over"), value(source, "ratio_under"));
        if (std::abs(semitones) >= 0.5) said += fmt::format(", {:+.0f} st", semitones);
        return said;
    }

    std::string modulation() const {
        std::vector<std::string> pieces;
        for (const std::string& path : modulesOf(ModuleKind::link)) {
            const ModuleData& ends = patch_.find(path)->contents();
            if (!takesPart(patch_, *patch_.find(path)) || kindOfPath(ends.from) != ModuleKind::source) continue;
            const Address to = Address::parse(ends.to);
            const std::string amount = size(path);
            std::string piece;
            if (ends.from == to.module)
                piece = fmt::format("feed its own {} back by {}", to.field, amount);
            else if (to.field == "amplitude")
                piece = fmt::format("times a {} at {}", wave(ends.from), ratioWords(ends.from));
            else
                piece = fmt::format("a {} at {} moves the {} by {}", wave(ends.from), ratioWords(ends.from), to.field,
                                    amount);
            if (kindOfPath(ends.by) == ModuleKind::envelope) {
                const bool falls = value(ends.by, "sustain") < 100.0;
                piece +=
                    falls ? ", falling within " + text(ends.by, "decay") : ", rising within " + text(ends.by, "attack");
            } else if (ends.by == "velocity") {
                piece += ", more when played harder";
            }
            pieces.push_back(std::move(piece));
        }
        return pieces.empty() ? "modulation" : joined(pieces, "; ");
    }

    std::string sync() const {
        for (const auto* module : heardSources("layer:a"))
            if (value(module->path, "sync") > 0.0) {
                std::string said = "hard sync";
                if (matters(patch_, *module, patch_.descriptor({module->path, "sync_ratio"})))
                    said += ", " + text(module->path, "sync_ratio") + " up";
                if (linkTo(module->path + "/sync_ratio", ModuleKind::envelope)) said += ", swept";
                return said;
            }
        return "hard sync";
    }

    std::string stack() const {
        for (const auto* module : heardSources("layer:a"))
            if (value(module->path, "voices") > 1.0) {
                std::string said =
                    fmt::format("Stack {} voices, ±{}", text(module->path, "voices"), text(module->path, "detune"));
                if (value(module->path, "spread") >= 1.0) said += ", " + text(module->path, "spread") + " wide";
                return said;
            }
        return "One voice";
    }

    std::string levelEnvelope() const { return "layer:a/envelope:level"; }
    std::string level(const std::string& envelope) const {
        std::vector<std::string> pieces;
        const auto curved = [&](const char* field) {
            return std::abs(value(envelope, field)) >= 20.0 ? std::string(", curved") : std::string();
        };
        if (value(envelope, "delay") >= std::max(5.0, 0.1 * value(envelope, "attack")))
            pieces.push_back("after " + text(envelope, "delay"));
        pieces.push_back("attack " + text(envelope, "attack") +
                         (value(envelope, "attack") >= 20.0 ? curved("attack_curve") : std::string()));
        if (value(envelope, "hold") >= 5.0) pieces.push_back("hold " + text(envelope, "hold"));
        if (value(envelope, "sustain") < 97.0)
            pieces.push_back(fmt::format("decay {} to {}", text(envelope, "decay"),
                                         value(envelope, "sustain") < 0.5 ? "nothing" : text(envelope, "sustain")));
        pieces.push_back("release " + text(envelope, "release"));
        return joined(pieces);
    }

    /// Where a filter's envelope lets the cutoff begin and come to rest.
    std::string cutoffWay(const std::string& filter, const std::string& envelope, double semitones) const {
        const ParameterDescriptor& d = patch_.descriptor({filter, "cutoff"});
        const double rest = value(filter, "cutoff");
        const auto hz = [&](double share) {
            return roundedText(d, d.nearest(rest * std::exp2(semitones * share / 12.0)));
        };
        const double sustain = value(envelope, "sustain") / 100.0;
        if (value(envelope, "attack") >= 30.0) {
            std::string way = fmt::format("{} → {} in {}", hz(0.0), hz(1.0), text(envelope, "attack"));
            if (sustain < 0.95) way += fmt::format(" → {} in {}", hz(sustain), text(envelope, "decay"));
            return way;
        }
        if (sustain > 0.95) return hz(1.0);
        return fmt::format("{} → {} in {}", hz(1.0), hz(sustain), text(envelope, "decay"));
    }

    std::string filter() const {
        std::vector<std::string> told;
        for (const auto& module : patch_.modules()) {
            if (module.kind != ModuleKind::filter || !takesPart(patch_, module)) continue;
            const bool mine =
                std::find(part_.modules.begin(), part_.modules.end(), module.path) != part_.modules.end() ||
                std::any_of(part_.values.begin(), part_.values.end(),
                            [&](const Address& a) { return a.module == module.path; });
            if (mine) told.push_back(oneFilter(module));
        }
        return told.empty() ? "no filter" : joined(told, "; beside it ");
    }

    std::string oneFilter(const Patch::Module& module) const {
        const std::string& path = module.path;
        const auto has = [&](const char* field) { return matters(patch_, module, patch_.descriptor({path, field})); };
        std::string said = text(path, "kind");
        if (has("slope")) said += " " + text(path, "slope");
        std::string envelope(layerOfPath(path));
        envelope += "/envelope:filter";
        double semitones = value(path, "envelope");
        if (const auto* link = linkTo(path + "/cutoff", ModuleKind::envelope); link && semitones == 0.0) {
            envelope = link->contents().from;
            semitones = value(link->path, "amount");
        }
        if (std::abs(semitones) >= 1.0) {
            const bool rises = (value(envelope, "attack") >= 30.0) == (semitones > 0.0);
            said = fmt::format("{} the filter: {}, {}", rises ? "open" : "close", said,
                               cutoffWay(path, envelope, semitones));
        } else {
            said += " at " + text(path, "cutoff");
        }
        if (has("resonance") && value(path, "resonance") >= 1.0) said += ", resonance " + text(path, "resonance");
        if (has("feedback") && value(path, "feedback") != 0.0) said += ", feedback " + text(path, "feedback");
        if (has("drive") && value(path, "drive") >= 1.0) said += ", driven by " + text(path, "drive");
        return said;
    }

    std::string touch() const {
        std::vector<std::string> pieces;
        bool harder = false, follows = false;
        for (const Address& address : part_.values) {
            const std::string size = roundedText(patch_.descriptor(address), patch_.value(address));
            if (address.field == "velocity" && kindOfPath(address.module) == ModuleKind::filter && !harder) {
                pieces.push_back(fmt::format("harder is brighter: {} of cutoff", size));
                harder = true;
            } else if (address.field == "key_tracking" && !follows) {
                pieces.push_back("the cutoff follows the key by " + size);
                follows = true;
            } else if (address.field == "velocity" && kindOfPath(address.module) == ModuleKind::layer) {
                pieces.push_back("the softest notes " + size + " softer");
            }
        }
        for (const std::string& path : modulesOf(ModuleKind::link)) pieces.push_back(linkWords(path));
        return pieces.empty() ? "touch" : joined(pieces);
    }

    std::string linkWords(const std::string& path) const {
        const ModuleData& ends = patch_.find(path)->contents();
        const Address to = Address::parse(ends.to);
        const auto* moved = patch_.find(to.module);
        const auto* mover = patch_.find(ends.from);
        std::string from = mover ? patch_.labelOf(*mover) : ends.from;
        return fmt::format("{} moves {} {} by {}", from, moved ? patch_.labelOf(*moved) : to.module,
                           patch_.has(to) ? lower(patch_.descriptor(to).label) : to.field, text(path, "amount"));
    }
    static std::string lower(std::string_view label) {
        std::string small(label);
        small[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(small[0])));
        return small;
    }

    std::string glide() const {
        std::vector<std::string> pieces;
        const auto mode = static_cast<VoiceMode>(value("voicing", "mode"));
        if (mode != VoiceMode::poly) pieces.push_back(text("voicing", "mode"));
        if (value("voicing", "glide") > 0.0) pieces.push_back("glide " + text("voicing", "glide"));
        if (mode == VoiceMode::poly && value("voicing", "voices") != 8.0)
            pieces.push_back(text("voicing", "voices") + " voices at most");
        if (pieces.empty()) return "bend range " + text("voicing", "bend_range");
        return joined(pieces);
    }

    std::string drift() const {
        std::vector<std::string> pieces;
        if (value("voicing", "tuning_spread") > 0.0)
            pieces.push_back("voices out of tune by up to " + text("voicing", "tuning_spread"));
        if (value("voicing", "cutoff_spread") > 0.0)
            pieces.push_back("their cutoffs differ by up to " + text("voicing", "cutoff_spread"));
        for (const std::string& path : modulesOf(ModuleKind::link)) pieces.push_back(linkWords(path));
        return pieces.empty() ? "drift" : joined(pieces);
    }

    std::string rate(const std::string& lfo) const {
        return value(lfo, "timing") > 0.5 ? text(lfo, "beats") : text(lfo, "rate");
    }

    /// What goes round, or once with each note.
    std::string motion() const {
        const auto envelopes = modulesOf(ModuleKind::envelope), lfos = modulesOf(ModuleKind::lfo);
        const std::string mover = !lfos.empty() ? lfos.front() : !envelopes.empty() ? envelopes.front() : std::string();
        const auto* link = mover.empty() ? nullptr : firstLink(mover);
        if (!link) return mover.empty() ? "movement" : "movement of nothing";
        const std::string amount = size(link->path);
        const Address to = Address::parse(link->contents().to);
        if (lfos.empty()) {
            if (part_.place == PartPlace::pitchMotion) {
                const double by = value(link->path, "amount");
                return fmt::format("pitch {} by {} in {}", by > 0.0 ? "falls" : "rises", amount, text(mover, "decay"));
            }
            return linkWords(link->path);
        }
        std::string said;
        const auto shape = static_cast<LfoShape>(value(mover, "shape"));
        switch (part_.place) {
        case PartPlace::pitchMotion:
            said = fmt::format("{} {}, ±{}",
                               shape == LfoShape::wander || shape == LfoShape::steps ? "wandering pitch" : "vibrato",
                               rate(mover), amount);
            break;
        case PartPlace::levelMotion:
            if (shape == LfoShape::drawn || shape == LfoShape::square) return gate(mover, shape);
            said = fmt::format("{} {}, ±{}", to.field == "pan" ? "from side to side" : "tremolo", rate(mover), amount);
            break;
        case PartPlace::filterMotion: said = fmt::format("LFO on the cutoff: {}, ±{}", rate(mover), amount); break;
        case PartPlace::shapeMotion: {
            const auto* moved = patch_.find(to.module);
            said = fmt::format("LFO on the {}: {}, ±{}", moved ? lower(patch_.descriptor(to).label) : to.field,
                               rate(mover), amount);
            break;
        }
        default: {
            const auto* moved = patch_.find(to.module);
            said = fmt::format("LFO on {} {}: {}, ±{}", moved ? lower(patch_.labelOf(*moved)) : to.module,
                               moved ? lower(patch_.descriptor(to).label) : to.field, rate(mover), amount);
        }
        }
        if (value(mover, "fade") >= 20.0) said += ", after " + text(mover, "fade");
        return said;
    }

    /// "Gate of 4 steps in 0.5 s, falling"
    std::string gate(const std::string& lfo, LfoShape shape) const {
        const std::string cycle =
            value(lfo, "timing") > 0.5 ? text(lfo, "beats") : fmt::format("{:.0f} ms", 1000.0 / value(lfo, "rate"));
        if (shape == LfoShape::square) return fmt::format("gate, {} open, each {}", text(lfo, "duty"), cycle);
        std::vector<double> levels;
        for (const ShapePoint& point : patch_.find(lfo)->contents().shape)
            if (levels.empty() || std::abs(point.value - levels.back()) > 0.02) levels.push_back(point.value);
        const auto steps = std::max<std::size_t>(1, patch_.find(lfo)->contents().shape.size() / 2);
        std::string said = fmt::format("gate of {} steps in {}", steps, cycle);
        if (levels.size() > 2 && std::is_sorted(levels.rbegin(), levels.rend())) said += ", falling";
        if (levels.size() > 2 && std::is_sorted(levels.begin(), levels.end())) said += ", rising";
        return said;
    }

    std::string layer() const {
        const std::string path = part_.id;
        std::string said = "A further layer: " + sourcesOf(path);
        if (value(path, "offset") >= 1.0) said += ", " + text(path, "offset") + " late";
        said += ", " + level(path + "/envelope:level");
        if (std::abs(value(path, "level")) >= 1.0) said += ", " + text(path, "level");
        return said;
    }

    /// "−7 dB below 120 Hz, −2 dB at 550 Hz"
    std::string equalized(const std::string& path) const {
        std::vector<std::string> pieces;
        const auto band = [&](const char* gain, const char* where, const char* hz) {
            if (std::abs(value(path, gain)) >= 1.0)
                pieces.push_back(fmt::format("{} {} {}", text(path, gain), where, text(path, hz)));
        };
        const auto cut = [&](const char* hz, const char* where, bool off) {
            if (!off) pieces.push_back(fmt::format("nothing {} {}", where, text(path, hz)));
        };
        cut("low_cut", "below", value(path, "low_cut") <= 25.0);
        band("low_gain", "below", "low_shelf");
        band("gain_1", "at", "bell_1");
        band("gain_2", "at", "bell_2");
        band("high_gain", "above", "high_shelf");
        cut("high_cut", "above", value(path, "high_cut") >= 18000.0);
        return joined(pieces);
    }

    std::string effect() const {
        const std::string path = part_.id;
        const Patch::Module& module = *patch_.find(path);
        if (!takesPart(patch_, module)) return std::string(labelOf(module.kind)) + ", off";
        std::vector<std::string> pieces;
        if (module.kind == ModuleKind::delay) {
            pieces.push_back("Repeat every " +
                             (value(path, "timing") > 0.5 ? text(path, "beats") : text(path, "time")));
            if (value(path, "feedback") >= 1.0) pieces.push_back(text(path, "feedback") + " back");
            if (value(path, "cross") > 0.5) pieces.push_back("from side to side");
        } else if (module.kind == ModuleKind::equalizer) {
            pieces.push_back("Equalizer");
            const std::string bands = equalized(path);
            if (!bands.empty()) pieces.back() += ": " + bands;
        } else if (module.kind == ModuleKind::reverb) {
            pieces.push_back("Reverb " + text(path, "decay"));
        } else {
            std::string head(labelOf(module.kind));
            if (module.kind == ModuleKind::postFilter)
                head = capital(text(path, "kind")) + " behind the effects at " + text(path, "cutoff");
            pieces.push_back(head);
            // The first few that are not as when it was added.
            for (const auto& d : parametersOf(module.kind)) {
                const Address address{path, std::string(d.field)};
                if (pieces.size() >= 4 || d.field == "on" || d.field == "mix" || d.field == "chain" ||
                    d.field == "kind" || (module.kind == ModuleKind::postFilter && d.field == "cutoff") ||
                    patch_.value(address) == d.defaultValue || !matters(patch_, module, d))
                    continue;
                pieces.push_back(lower(d.label) + " " + roundedText(d, patch_.value(address)));
            }
        }
        if (patch_.has({path, "mix"}) && value(path, "mix") < 99.5) pieces.push_back("mix " + text(path, "mix"));
        return joined(pieces);
    }

    std::string macros() const {
        std::vector<std::string> names;
        for (const std::string& path : modulesOf(ModuleKind::macro))
            names.push_back(patch_.labelOf(*patch_.find(path)));
        return "Macros: " + joined(names);
    }

    const SignalPart& part_;
    const Patch& patch_;
};

} // namespace

std::string wordsOf(const SignalPart& part, const Patch& patch) { return PartTeller(part, patch).words(); }

} // namespace facet
