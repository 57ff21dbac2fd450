#include "core/match/starts/source_filter_starts.h"

#include "core/dsp/envelope.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr double degreesPerRadian = 180.0 / std::numbers::pi;

/// Times of an envelope that goes as a course does: at once or in a line to its peak, then by a time constant to
/// nothing, or not at all.
void shapeEnvelope(Patch& patch, const std::string& envelope, const MeasuredCourse& course) {
    patch.setNearest({envelope, "attack"}, 1000.0 * course.attack);
    patch.set({envelope, "attack_curve"}, 0.0);
    patch.setNearest({envelope, "sustain"}, course.decay > 0.0 ? 0.0 : 100.0);
    if (course.decay > 0.0)
        patch.setNearest({envelope, "decay"}, 1000.0 * course.decay / SegmentCurve(5.0).timeConstantShare());
}

std::string addEnvelope(Patch& patch, const MeasuredCourse& course) {
    const std::string envelope = patch.freePath(ModuleKind::envelope, firstLayer);
    patch.add(envelope);
    shapeEnvelope(patch, envelope, course);
    return envelope;
}

/// What goes round and what goes through the phrase; `perUnit` of the destination's movement.
void addMovers(Patch& patch, const Profile& profile, const MeasuredCourse& course, const std::string& to,
               double perUnit, double leastAlong) {
    constexpr double leastCycle = 0.35; // of what counts as a way through the phrase
    if (course.cycleHz > 0.0 && course.cycleDepth > leastCycle * leastAlong) {
        const std::string lfo = patch.freePath(ModuleKind::lfo, firstLayer);
        patch.add(lfo);
        patch.set({lfo, "mode"}, static_cast<double>(course.cycleWithNotes ? LfoMode::eachNote : LfoMode::free));
        patch.setNearest({lfo, "rate"}, course.cycleHz);
        patch.setNearest({lfo, "phase"}, 360.0 * course.cyclePhase);
        addLink(patch, lfo, to, perUnit * course.cycleDepth);
    }
    if (std::abs(course.along) < leastAlong || profile.notes.empty()) return;
    // Once through the phrase: a free LFO that rises a little longer than it lasts.
    double end = 0.0;
    for (const NoteProfile& each : profile.notes) end = std::max(end, each.note.end);
    const double begin = profile.notes.front().note.start, length = 1.02 * std::max(0.3, end - begin);
    const std::string lfo = patch.freePath(ModuleKind::lfo, firstLayer);
    patch.add(lfo);
    patch.set({lfo, "shape"}, static_cast<double>(LfoShape::risingSaw));
    patch.set({lfo, "mode"}, static_cast<double>(LfoMode::free));
    patch.setNearest({lfo, "rate"}, 1.0 / length);
    patch.setNearest({lfo, "phase"}, std::fmod(360.0 * (1.0 - begin / length), 360.0));
    addLink(patch, lfo, to, 0.5 * perUnit * course.along);
}

/// Where a course stands in the middle of what goes through the phrase.
double middleOf(const MeasuredCourse& course, double leastAlong) {
    return course.rest + (std::abs(course.along) < leastAlong ? 0.0 : 0.5 * course.along);
}

void setSecond(Patch& patch, const SourceStory& story) {
    patch.set({secondSource, "on"}, 1.0);
    patch.set({secondSource, "wave"}, static_cast<double>(story.secondWave));
    patch.setNearest({secondSource, "level"}, story.secondDb);
    patch.set({secondSource, "octave"}, story.secondHalf == 1 ? -1.0 : story.secondHalf == 4 ? 1.0 : 0.0);
    patch.set({secondSource, "semitone"}, story.secondHalf == 3 ? 7.0 : 0.0);
}

/// A sine that is heard only in what it does to the first source's phase.
void setModulator(Patch& patch, const SourceFilterFit& fit) {
    constexpr double leastIndex = 0.1; // radians
    std::string modulator = secondSource;
    if (fit.source.second) { // that one is heard
        modulator = patch.freePath(ModuleKind::source, firstLayer);
        patch.add(modulator);
    }
    patch.set({modulator, "on"}, 1.0);
    patch.set({modulator, "wave"}, static_cast<double>(Wave::sine));
    patch.set({modulator, "level"}, -60.0);
    const bool halves = fit.source.ratio != std::floor(fit.source.ratio);
    patch.set({modulator, "ratio_over"}, halves ? 2.0 * fit.source.ratio : fit.source.ratio);
    patch.set({modulator, "ratio_under"}, halves ? 2.0 : 1.0);
    const std::string phase = firstSource + "/phase";
    const auto link = [&](double radians, const std::string& by) {
        addLink(patch, modulator, phase, degreesPerRadian * radians, by);
    };
    // What velocity adds is taken off what stands.
    const bool harder = std::abs(fit.place.velocity) > 2.0 * leastIndex;
    link(harder ? fit.place.rest - fit.place.velocity : std::max(0.0, fit.place.rest), {});
    if (harder) link(fit.place.velocity, "velocity");
    if (std::abs(fit.place.envelope) > leastIndex) link(fit.place.envelope, addEnvelope(patch, fit.place));
}

void setSource(Patch& patch, const Profile& profile, const SourceFilterFit& fit) {
    const SourceStory& story = fit.source;
    patch.set({firstSource, "on"}, 1.0);
    patch.set({firstSource, "wave"}, static_cast<double>(story.wave));
    if (story.second) setSecond(patch, story);
    switch (story.moving) {
    case SourceStory::Moving::nothing:
        if (story.wave == Wave::pulse) patch.setNearest({firstSource, "width"}, story.width);
        if (story.wave == Wave::harmonics) {
            ModuleData partials;
            partials.partialsDb = story.partialsDb;
            patch.setData(firstSource, partials);
        }
        break;
    case SourceStory::Moving::width: {
        constexpr double leastAlong = 8.0; // percent
        patch.setNearest({firstSource, "width"}, middleOf(fit.place, leastAlong));
        if (std::abs(fit.place.envelope) > leastAlong)
            addLink(patch, addEnvelope(patch, fit.place), firstSource + "/width", fit.place.envelope);
        addMovers(patch, profile, fit.place, firstSource + "/width", 1.0, leastAlong);
        break;
    }
    case SourceStory::Moving::index: setModulator(patch, fit); break;
    case SourceStory::Moving::feedback:
        addLink(patch, firstSource, firstSource + "/phase", degreesPerRadian * std::clamp(fit.place.rest, 0.1, 1.5));
        break;
    case SourceStory::Moving::sync:
        patch.set({firstSource, "sync"}, static_cast<double>(Sync::itself));
        patch.setNearest({firstSource, "sync_ratio"}, fit.place.rest);
        if (std::abs(fit.place.envelope) > 1.0)
            addLink(patch, addEnvelope(patch, fit.place), firstSource + "/sync_ratio", fit.place.envelope);
        break;
    }
}

/// All sources that the story tells of.
void raise(Patch& patch, int octaves) {
    for (const auto& module : std::vector(patch.modules()))
        if (module.kind == ModuleKind::source && layerOfPath(module.path) == firstLayer &&
            patch.value({module.path, "on"}) >= 0.5)
            patch.setNearest({module.path, "octave"}, patch.value({module.path, "octave"}) + octaves);
}

/// A like filter so many octaves above the first, beside it, which moves as that does.
void addSecondFormant(Patch& patch, double octaves) {
    patch.set({firstLayer, "routing"}, static_cast<double>(FilterRouting::parallel));
    const std::string second = patch.freePath(ModuleKind::filter, firstLayer);
    patch.add(second);
    for (const auto& d : parametersOf(ModuleKind::filter)) {
        const std::string field(d.field);
        patch.setNearest({second, field}, patch.value({firstFilter, field}));
    }
    patch.setNearest({second, "cutoff"}, patch.value({firstFilter, "cutoff"}) * std::exp2(octaves));
    const std::vector<Patch::Module> modules(patch.modules());
    for (const auto& module : modules) {
        if (module.kind == ModuleKind::source && layerOfPath(module.path) == firstLayer)
            patch.set({module.path, "route"}, static_cast<double>(Route::both));
        if (module.kind == ModuleKind::link && module.contents().to == firstFilter + "/cutoff")
            addLink(patch, module.contents().from, second + "/cutoff", patch.value({module.path, "amount"}));
    }
}

} // namespace

void applySourceFilterFit(Patch& patch, const Profile& profile, const SourceFilterFit& fit) {
    setSource(patch, profile, fit);
    if (fit.octave != 0) raise(patch, fit.octave);
    patch.set({firstFilter, "on"}, fit.filtered ? 1.0 : 0.0);
    patch.set({firstFilter, "envelope"}, 0.0);
    if (!fit.filtered) return;
    constexpr double leastAlong = 0.7; // octaves
    const MeasuredCourse& cutoff = fit.cutoff;
    patch.set({firstFilter, "kind"}, static_cast<double>(fit.filter));
    patch.set({firstFilter, "slope"}, static_cast<double>(fit.slope));
    patch.setNearest({firstFilter, "resonance"}, fit.resonanceDb);
    patch.setNearest({firstFilter, "cutoff"}, std::exp2(middleOf(cutoff, leastAlong)));
    patch.setNearest({firstFilter, "key_tracking"}, 100.0 * std::clamp(cutoff.perOctave, 0.0, 1.2));
    patch.setNearest({firstFilter, "velocity"}, 12.0 * std::max(0.0, cutoff.velocity));
    if (std::abs(cutoff.envelope) > 0.15) {
        patch.setNearest({firstFilter, "envelope"}, 12.0 * cutoff.envelope);
        shapeEnvelope(patch, firstFilterEnvelope, cutoff);
    }
    addMovers(patch, profile, cutoff, firstFilter + "/cutoff", 12.0, leastAlong);
    if (fit.second > 0.0) addSecondFormant(patch, fit.second);
}

} // namespace facet
