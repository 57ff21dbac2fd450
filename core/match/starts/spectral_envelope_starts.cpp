#include "core/match/starts/spectral_envelope_starts.h"

#include "core/dsp/envelope.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"

#include <cmath>

namespace facet {

namespace {

using Course = SpectralEnvelopeMotion::Course;
using Family = SpectralEnvelopeMotion::Family;

void run(Patch& patch, const SpectralEnvelopeMotion& motion, const std::string& field) {
    const double middle = 0.5 * (motion.from + motion.to), half = 0.5 * (motion.to - motion.from);
    patch.setNearest({firstSource, field}, motion.course == Course::ramp ? motion.to : middle);
    if (motion.course == Course::cycle) {
        const std::string lfo = patch.freePath(ModuleKind::lfo, firstLayer);
        patch.add(lfo);
        patch.set({lfo, "mode"}, static_cast<double>(motion.withNotes ? LfoMode::eachNote : LfoMode::free));
        patch.setNearest({lfo, "rate"}, motion.rateHz);
        patch.setNearest({lfo, "phase"}, 360.0 * motion.phase);
        addLink(patch, lfo, firstSource + "/" + field, half);
    } else if (motion.course == Course::ramp) {
        const std::string envelope = patch.freePath(ModuleKind::envelope, firstLayer);
        patch.add(envelope);
        patch.set({envelope, "attack"}, 0.0);
        patch.set({envelope, "sustain"}, 0.0);
        const double share = motion.bent ? SegmentCurve(5.0).timeConstantShare() : 1.0;
        patch.setNearest({envelope, "decay"}, 1000.0 * motion.seconds / share);
        if (!motion.bent) patch.set({envelope, "decay_curve"}, 0.0);
        addLink(patch, envelope, firstSource + "/" + field, motion.from - motion.to);
    }
}

void addEffect(Patch& patch, const SpectralEnvelopeMotion& motion) {
    const bool phaser = motion.family == Family::phaser;
    const double middle = 0.5 * (motion.from + motion.to);
    const std::string path = patch.freePath(phaser ? ModuleKind::phaser : ModuleKind::flanger);
    patch.add(path);
    patch.set({path, "on"}, 1.0);
    patch.setNearest({path, "feedback"}, 100.0 * motion.feedback);
    patch.setNearest({path, "rate"}, motion.rateHz);
    patch.setNearest({path, "phase"}, 360.0 * motion.phase);
    patch.setNearest({path, "depth"}, 0.5 * std::abs(motion.to - motion.from));
    if (phaser) {
        patch.setNearest({path, "stages"}, motion.stages);
        patch.setNearest({path, "center"}, std::exp2(middle / 12.0));
    } else {
        patch.setNearest({path, "delay"}, middle);
    }
}

} // namespace

void applySpectralEnvelopeMotion(Patch& patch, const SpectralEnvelopeMotion& motion) {
    switch (motion.family) {
    case Family::pulse:
        patch.set({firstSource, "wave"}, static_cast<double>(Wave::pulse));
        run(patch, motion, "width");
        break;
    case Family::synced:
        patch.set({firstSource, "wave"}, static_cast<double>(Wave::saw));
        patch.set({firstSource, "sync"}, static_cast<double>(Sync::itself));
        run(patch, motion, "sync_ratio");
        break;
    case Family::phaser:
    case Family::flanger: addEffect(patch, motion); break;
    }
}

} // namespace facet
