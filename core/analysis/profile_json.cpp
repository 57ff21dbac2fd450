#include "core/analysis/profile_json.h"

#include "core/base/json.h"
#include "core/base/units.h"

#include <cmath>

namespace facet {

namespace {

/// JSON writes what is not measurable, a NaN, as null.
Json number(double value) { return std::isfinite(value) ? Json(sixDigits(value)) : Json(nullptr); }

template <typename Values> Json list(const Values& values) {
    Json json = Json::array();
    for (const auto& value : values) json.push_back(number(value));
    return json;
}

Json toJson(const Track& track) { return {{"step_seconds", track.stepSeconds}, {"values", list(track.values)}}; }

Json points(const std::vector<CurvePoint>& curve) {
    Json json = Json::array();
    for (const CurvePoint& point : curve) json.push_back({number(point.seconds), number(point.value)});
    return json;
}

Json toJson(const PeriodicChange& change, double tempo) {
    if (!change.found()) return nullptr;
    return {{"rate_hz", number(change.rateHz)}, {"note_value", nearestNoteValue(change.rateHz, tempo)},
            {"depth", number(change.depth)},    {"phase", number(change.phase)},
            {"cycles", number(change.cycles)},  {"shape", nameOfCycle(change)},
            {"duty", number(dutyOf(change))},   {"confidence", number(change.confidence)},
            {"cycle", list(change.cycle)},      {"breakpoints", points(breakpointsOf(change))}};
}

Json toJson(const NoteProfile& n) {
    return {{"start", number(n.note.start)},
            {"end", number(n.note.end)},
            {"key", n.note.key},
            {"name", nameOfKey(n.note.key)},
            {"velocity", number(n.note.velocity)},
            {"f0_hz", number(n.f0Hz)},
            {"cents", number(n.cents)},
            {"pitch_confidence", number(n.pitchConfidence)},
            {"sub_octave_db", number(n.subOctaveDb)},
            {"inharmonicity", number(n.inharmonicity.coefficient)},
            {"inharmonicity_confidence", number(n.inharmonicity.confidence)},
            {"glide_ms", number(1000.0 * n.glide.seconds)},
            {"glide_curve", number(n.glide.bend)},
            {"sweep_cents", number(n.sweepCents)},
            {"sweep_ms", number(1000.0 * n.sweepSeconds)},
            {"delay_ms", number(1000.0 * n.level.delay)},
            {"attack_ms", number(1000.0 * n.level.attack)},
            {"attack_curve", number(n.level.attackBend)},
            {"hold_ms", number(1000.0 * n.level.hold)},
            {"decay_ms", number(1000.0 * n.level.decay)},
            {"decay_curve", number(n.level.decayBend)},
            {"decay_63_ms", number(1000.0 * n.level.decayTime)},
            {"sustain_db", number(n.level.sustainDb)},
            {"release_ms", number(1000.0 * n.level.release)},
            {"release_curve", number(n.level.releaseBend)},
            {"peak_db", number(n.level.peakDb)},
            {"level_confidence", number(confidenceOf(n.level.errorDb, levelHalfAtDb))},
            {"highest_cutoff_hz", number(n.highestCutoffHz)},
            {"resting_cutoff_hz", number(n.restingCutoffHz)},
            {"closing_ms", number(1000.0 * n.closingTime)},
            {"partial_slopes_db_per_second", list(n.partialSlopes)},
            {"partials_db", list(n.partials)}};
}

Json toJson(const NoiseProfile& noise) {
    return {{"harmonic_to_noise_db", number(noise.harmonicToNoiseDb)},
            {"slope_db_per_octave", number(noise.slopeDbPerOctave)},
            {"click_db", number(noise.clickDb)},
            {"band_hz", list(noiseBandHz)},
            {"band_ratio_db", list(noise.bandRatioDb)},
            {"band_noise_db", list(noise.bandNoiseDb)}};
}

Json toJson(const MotionProfile& motion, double tempo) {
    return {{"vibrato_cents", toJson(motion.vibrato, tempo)},
            {"vibrato_onset_ms", number(1000.0 * motion.vibratoOnset)},
            {"tremolo", toJson(motion.tremolo, tempo)},
            {"tremolo_depth_db", number(motion.tremoloDepthDb)},
            {"tremolo_rate_hz", points(motion.tremoloRate)},
            {"filter_octaves", toJson(motion.filter, tempo)},
            {"drift_cents", number(motion.driftCents)},
            {"detune_cents", number(motion.detuneCents)},
            {"detune_confidence", number(motion.detuneConfidence)}};
}

Json toJson(const WidthProfile& width) {
    Json json = {{"stereo", width.stereo},
                 {"side_db", number(width.sideDb)},
                 {"correlation", number(width.correlation)},
                 {"balance_db", number(width.balanceDb)},
                 {"mono_below_hz", number(width.monoBelowHz)},
                 {"third_octaves", Json::array()}};
    for (const WidthBand& band : width.thirdOctaves)
        json["third_octaves"].push_back({{"hz", number(band.centerHz)},
                                         {"level_db", number(band.levelDb)},
                                         {"side_db", number(band.sideDb)},
                                         {"correlation", number(band.correlation)}});
    return json;
}

Json toJson(const SpaceProfile& space) {
    Json json;
    json["echo"] = nullptr;
    if (space.echo.found())
        json["echo"] = {{"ms", number(1000.0 * space.echo.seconds)},    {"level_db", number(space.echo.levelDb)},
                        {"feedback_db", number(space.echo.feedbackDb)}, {"side", number(space.echo.side)},
                        {"second_side", number(space.echo.secondSide)}, {"confidence", number(space.echo.confidence)}};
    json["tail_seconds"] = number(space.tailSeconds);
    json["tail_db"] = number(space.tailDb);
    json["pre_delay_ms"] = number(1000.0 * space.preDelay);
    json["decays"] = Json::array();
    for (const Decay& decay : space.decays)
        json["decays"].push_back({{"hz", number(decay.centerHz)},
                                  {"t20", number(decay.t20)},
                                  {"t30", number(decay.t30)},
                                  {"range_db", number(decay.rangeDb)}});
    return json;
}

} // namespace

std::string profileToJson(const Profile& profile, const Performance& performance) {
    Json json;
    json["analysis_version"] = analysisVersion;
    json["seconds"] = number(profile.seconds);
    json["loudness_lufs"] = number(profile.loudness);
    json["tuning_cents"] = number(profile.tuningCents);
    json["tempo_bpm"] = number(performance.tempo);
    json["source"] = {{"nearest", nameOf(profile.source)},
                      {"pulse_width", number(profile.source.pulseWidth)},
                      {"error_db", number(profile.source.errorDb)},
                      {"confidence", number(confidenceOf(profile.source.errorDb, sourceHalfAtDb))},
                      {"odd_even_db", number(profile.balance.oddEvenDb)},
                      {"slope_db_per_octave", number(profile.balance.slopeDbPerOctave)},
                      {"fundamental_db", number(profile.balance.fundamentalDb)}};
    json["filter"] = {{"effective_cutoff_hz", number(profile.filter.effectiveHz)},
                      {"poles", isMeasured(profile.filter.effectiveHz) ? Json(profile.filter.poles) : Json(nullptr)},
                      {"resonance_db", number(profile.filter.resonanceDb)},
                      {"confidence", number(confidenceOf(profile.filter.errorDb, sourceHalfAtDb))},
                      {"key_tracking", number(profile.keyTracking)},
                      {"octaves_per_10_db", number(profile.velocityToCutoff)}};
    json["noise"] = toJson(profile.noise);
    json["motion"] = toJson(profile.motion, performance.tempo);
    json["width"] = toJson(profile.width);
    json["space"] = toJson(profile.space);
    json["notes"] = Json::array();
    for (const NoteProfile& note : profile.notes) json["notes"].push_back(toJson(note));
    json["partials_db"] = list(profile.partials);
    json["tracks"] = {{"pitch_hz", toJson(profile.pitchHz)},
                      {"pitch_cents", toJson(profile.pitchCents)},
                      {"level_db", toJson(profile.levelDb)},
                      {"centroid_hz", toJson(profile.centroidHz)},
                      {"rolloff_hz", toJson(profile.rolloffHz)},
                      {"effective_cutoff_hz", toJson(profile.cutoffHz)},
                      {"resonance_db", toJson(profile.resonanceDb)},
                      {"filter_slope_db_per_octave", toJson(profile.filterSlope)},
                      {"harmonic_to_noise_db", toJson(profile.noise.ratioDb)}};
    return jsonText(json, 1) + "\n";
}

} // namespace facet
