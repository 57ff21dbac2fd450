#include "core/match/starts/hypotheses.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/envelope.h"
#include "core/match/evidence/cutoff_sweep.h"
#include "core/match/proposals/decaying_layer.h"
#include "core/match/starts/estimate.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/evidence/line_width.h"
#include "core/match/evidence/story_odds.h"
#include "core/match/proposals/links.h"
#include "core/match/evidence/isolated_notes.h"
#include "core/match/proposals/measured_modulation.h"
#include "core/match/starts/source_filter_starts.h"
#include "core/match/starts/spectral_envelope_starts.h"
#include "core/match/evidence/source_ratios.h"
#include "core/match/evidence/wavetable.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace facet {

namespace {

Wave waveOf(TextbookWave wave) {
    switch (wave) {
    case TextbookWave::sine: return Wave::sine;
    case TextbookWave::triangle: return Wave::triangle;
    case TextbookWave::saw: return Wave::saw;
    case TextbookWave::pulse: return Wave::pulse;
    }
    return Wave::saw;
}

class Maker {
public:
    Maker(const Profile& profile, const Recording& reference, const Patch& start, int threads, const SideComb* comb,
          const ElementOdds& odds)
        : profile_(profile), reference_(reference), base_(estimate(profile, start)), threads_(threads), comb_(comb),
          odds_(odds) {
        for (const NoteProfile& note : profile.notes)
            if (!longest_ || note.note.end - note.note.start > longest_->note.end - longest_->note.start)
                longest_ = &note;
    }

    std::vector<Hypothesis> all(bool stories, ElementOdds& afterwards) {
        const Wave heard = waveOf(profile_.source.wave);
        std::vector<Wave> waves{heard};
        for (Wave wave : {Wave::saw, Wave::pulse, Wave::triangle, Wave::sine})
            if (wave != heard) waves.push_back(wave);
        for (Wave wave : waves)
            for (FilterSlope slope : {FilterSlope::fourPole, FilterSlope::twoPole})
                add([&](Patch& patch) {
                    source(patch, firstSource, wave);
                    set(patch, {firstFilter, "slope"}, static_cast<double>(slope));
                });
        if (heard != Wave::pulse) // another source beside it may have hidden its width
            for (double width : {12.0, 25.0})
                add([&](Patch& patch) {
                    source(patch, firstSource, Wave::pulse);
                    set(patch, {firstSource, "width"}, width);
                });
        for (Wave wave : {heard, heard == Wave::saw ? Wave::pulse : Wave::saw}) {
            add([&](Patch& patch) {
                source(patch, firstSource, wave);
                set(patch, {firstFilter, "kind"}, static_cast<double>(FilterKind::ladder));
                set(patch, {firstFilter, "resonance"}, 9.0);
                set(patch, {firstFilter, "drive"}, 9.0);
            });
            add([&](Patch& patch) {
                source(patch, firstSource, wave);
                set(patch, {firstFilter, "resonance"}, 9.0);
            });
            for (double hz : {300.0, 1200.0})
                add([&](Patch& patch) { through(patch, wave, FilterKind::highPass, hz); });
            for (double hz : {500.0, 1500.0, 4000.0, 8000.0})
                add([&](Patch& patch) { through(patch, wave, FilterKind::bandPass, hz); });
        }
        ownPartials();
        ownCycles();
        still(heard);
        stacked();
        doubled(heard);
        phaseModulated();
        measuredRatios();
        movingShapes(heard);
        opening(heard);
        begunOffPitch(heard);
        struck();
        others();
        if (stories) sourcesBehindFilters(heard, afterwards);
        return std::move(hypotheses_);
    }

private:
    static void set(Patch& patch, const Address& address, double value) { patch.setNearest(address, value); }

    void source(Patch& patch, const std::string& path, Wave wave) const {
        set(patch, {path, "on"}, 1.0);
        set(patch, {path, "wave"}, static_cast<double>(wave));
        if (wave == Wave::pulse)
            set(patch, {path, "width"},
                profile_.source.wave == TextbookWave::pulse ? 100.0 * profile_.source.pulseWidth : 50.0);
    }

    /// What cannot be made on this start is left out: it may have other modules, and full lists.
    void add(const std::function<void(Patch&)>& change, bool measured = false, bool tremolo = true) {
        Patch patch = base_;
        try {
            change(patch);
            patch = tremolo ? withMotion(profile_, patch) : withMotionButTremolo(profile_, patch);
        } catch (const Error&) {
            return;
        }
        hypotheses_.push_back({structureText(patch), std::move(patch), measured});
    }

    /// Through a filter whose cutoff nothing has measured.
    void through(Patch& patch, Wave wave, FilterKind kind, double hz) const {
        source(patch, firstSource, wave);
        set(patch, {firstFilter, "kind"}, static_cast<double>(kind));
        set(patch, {firstFilter, "slope"}, static_cast<double>(FilterSlope::twoPole));
        set(patch, {firstFilter, "cutoff"}, hz);
        set(patch, {firstFilter, "envelope"}, 0.0);
    }

    static void open(Patch& patch) {
        set(patch, {firstFilter, "on"}, 0.0);
        set(patch, {firstFilter, "envelope"}, 0.0);
    }

    double hzOf(const NoteProfile& each) const {
        return isMeasured(each.f0Hz) ? each.f0Hz
                                     : hzFromKey(each.note.key + each.note.cents / 100.0, profile_.tuningCents);
    }
    double hzOfLongest() const { return hzOf(*longest_); }

    /// What the partials themselves say of source and filter, plain and stacked.
    void sourcesBehindFilters(Wave heard, ElementOdds& afterwards) {
        constexpr std::size_t most = 10, few = 2, several = 4, many = 8;
        const double stacked = odds_.of(Element::stacked); // log odds
        const std::size_t stackedToo = stacked > 0.0 ? many : stacked > -2.0 ? several : few;
        constexpr double leastSpread = 2.0; // cents
        const auto fits = sourceFilterFits(profile_, reference_, 0.45 * analysisRateHz, most, threads_, comb_, odds_);
        afterwards = withStories(odds_, fits);
        const IsolatedNote lone = longestIsolatedNote(profile_, reference_.seconds());
        double spread = notMeasurable;
        if (lone.note && !profile_.motion.vibrato.found())
            spread = lineWidthCents(reference_, lone.note->note.start, lone.note->note.end, hzOf(*lone.note));
        for (std::size_t i = 0; i < fits.size(); ++i) {
            const auto told = [&](Patch& patch) {
                source(patch, firstSource, heard);
                applySourceFilterFit(patch, profile_, fits[i]);
            };
            add(told);
            if (profile_.motion.tremolo.found()) add(told, false, false);
            if (i >= stackedToo) continue;
            for (int voices : {2, 3, 7})
                add([&](Patch& patch) {
                    source(patch, firstSource, heard);
                    applySourceFilterFit(patch, profile_, fits[i]);
                    set(patch, {firstSource, "voices"}, voices);
                    set(patch, {firstSource, "detune"},
                        isMeasured(spread) && spread >= leastSpread ? detuneFromLineWidth(spread, voices) : 10.0);
                    set(patch, {firstSource, "spread"}, profile_.width.stereo ? 60.0 : 0.0);
                });
        }
    }

    void ownPartials() {
        if (!longest_) return;
        ModuleData table;
        try {
            table.partialsDb = partialsFromNote(reference_, longest_->note.start, longest_->note.end, hzOfLongest());
        } catch (const Error&) {
            return;
        }
        ModuleData brightest;
        const float strongest =
            *std::max_element(longest_->brightestPartials.begin(), longest_->brightestPartials.end());
        if (strongest > -100.0f)
            for (float level : longest_->brightestPartials)
                brightest.partialsDb.push_back(std::max(-120.0, static_cast<double>(level - strongest)));
        add([&](Patch& patch) {
            source(patch, firstSource, Wave::harmonics);
            patch.setData(firstSource, table);
            open(patch);
        });
        add([&](Patch& patch) { // closing from what is heard at the brightest
            source(patch, firstSource, Wave::harmonics);
            patch.setData(firstSource, brightest.partialsDb.empty() ? table : brightest);
            set(patch, {firstFilter, "slope"}, static_cast<double>(FilterSlope::twoPole));
        });
    }

    void ownCycles() {
        if (!longest_) return;
        constexpr int cycles = 16;
        ModuleData table;
        try {
            table.frames =
                wavetableFromNote(reference_, longest_->note.start, longest_->note.end, hzOfLongest(), cycles);
        } catch (const Error&) {
            return;
        }
        add(
            [&](Patch& patch) {
                source(patch, firstSource, Wave::wavetable);
                patch.setData(firstSource, table);
                open(patch);
                // From the first cycle to the last while that note lasts.
                const std::string lfo = patch.freePath(ModuleKind::lfo, firstLayer);
                patch.add(lfo);
                set(patch, {lfo, "shape"}, static_cast<double>(LfoShape::risingSaw));
                set(patch, {lfo, "mode"}, static_cast<double>(LfoMode::once));
                set(patch, {lfo, "rate"}, 1.0 / std::max(0.02, longest_->note.end - longest_->note.start));
                set(patch, {firstSource, "position"}, 50.0);
                addLink(patch, lfo, firstSource + "/position", 50.0);
            },
            true);
    }

    /// Without what was measured to move, which may be the beating of voices or a chorus.
    void still(Wave heard) {
        for (FilterSlope slope : {FilterSlope::fourPole, FilterSlope::twoPole}) {
            Patch patch = base_;
            source(patch, firstSource, heard);
            set(patch, {firstFilter, "slope"}, static_cast<double>(slope));
            if (withMotion(profile_, patch) != patch) hypotheses_.push_back({structureText(patch), std::move(patch)});
        }
    }

    void stacked() {
        const double heard = profile_.motion.detuneCents;
        const double detune = isMeasured(heard) ? std::clamp(0.5 * heard, 2.0, 50.0) : 9.0;
        for (double voices : {3.0, 6.0})
            for (FilterSlope slope : {FilterSlope::fourPole, FilterSlope::twoPole})
                add([&](Patch& patch) {
                    source(patch, firstSource, Wave::saw);
                    set(patch, {firstSource, "voices"}, voices);
                    set(patch, {firstSource, "detune"}, detune);
                    set(patch, {firstSource, "spread"}, profile_.width.stereo ? 60.0 : 0.0);
                    set(patch, {firstFilter, "slope"}, static_cast<double>(slope));
                });
        spreadOut();
    }

    /// Voices as far apart as the lines of the longest note that sounds alone are wide.
    void spreadOut() {
        constexpr double least = 2.0; // cents
        const IsolatedNote lone = longestIsolatedNote(profile_, reference_.seconds());
        if (!lone.note || profile_.motion.vibrato.found()) return;
        const Note& note = lone.note->note;
        const double spread = lineWidthCents(reference_, note.start, note.end, hzOf(*lone.note));
        if (!isMeasured(spread) || spread < least) return;
        for (int voices : {2, 4, 7})
            for (bool filtered : {true, false})
                for (double wide : {30.0, 100.0}) {
                    if (!profile_.width.stereo && wide > 50.0) continue;
                    add([&](Patch& patch) {
                        source(patch, firstSource, Wave::saw);
                        set(patch, {firstSource, "voices"}, voices);
                        set(patch, {firstSource, "detune"}, detuneFromLineWidth(spread, voices));
                        set(patch, {firstSource, "spread"}, profile_.width.stereo ? wide : 0.0);
                        if (!filtered) open(patch);
                    });
                }
    }

    void doubled(Wave heard) {
        struct Second {
            Wave wave;
            double octave, cents, level;
        };
        for (const Second& second : {Second{heard, 0.0, 6.0, 0.0},
                                     {Wave::sine, -1.0, 0.0, -3.0},
                                     {Wave::sine, 0.0, 0.0, 0.0},
                                     {Wave::saw, 1.0, 0.0, -9.0},
                                     {Wave::pulse, -1.0, 0.0, -6.0}})
            add([&](Patch& patch) {
                source(patch, firstSource, heard);
                source(patch, secondSource, second.wave);
                set(patch, {secondSource, "octave"}, second.octave);
                set(patch, {secondSource, "cents"}, second.cents);
                set(patch, {secondSource, "level"}, second.level);
            });
    }

    struct Ratio {
        double over, under, cents = 0.0;
    };

    /// Two sines of which one is heard through what it does to the other alone.
    void two(Patch& patch, const Ratio& ratio) const {
        source(patch, firstSource, Wave::sine);
        source(patch, secondSource, Wave::sine);
        set(patch, {secondSource, "level"}, -60.0);
        set(patch, {secondSource, "ratio_over"}, ratio.over);
        set(patch, {secondSource, "ratio_under"}, ratio.under);
        set(patch, {secondSource, "cents"}, patch.value({secondSource, "cents"}) + ratio.cents);
        open(patch);
    }

    /// A sine whose phase another sine moves; the depth stands, or falls with an envelope.
    void phaseModulated(const Ratio& ratio) {
        for (bool falls : {false, true})
            add([&](Patch& patch) {
                two(patch, ratio);
                if (falls) {
                    const std::string envelope = patch.freePath(ModuleKind::envelope, firstLayer);
                    patch.add(envelope);
                    set(patch, {envelope, "attack"}, 0.0);
                    set(patch, {envelope, "decay"}, patch.value({firstLevelEnvelope, "decay"}));
                    set(patch, {envelope, "sustain"}, 20.0);
                    addLink(patch, secondSource, firstSource + "/phase", 150.0, envelope);
                } else {
                    addLink(patch, secondSource, firstSource + "/phase", 60.0);
                }
            });
    }

    void phaseModulated() {
        for (const Ratio& ratio : {Ratio{1, 1}, {2, 1}, {3, 1}, {1, 2}, {7, 2}, {7, 5}, {14, 1}}) phaseModulated(ratio);
    }

    /// Two sines of which one multiplies the other: sum and difference, beside the first or alone.
    void multiplied(const Ratio& ratio, double amplitude) {
        add([&](Patch& patch) {
            two(patch, ratio);
            set(patch, {firstSource, "amplitude"}, amplitude);
            addLink(patch, secondSource, firstSource + "/amplitude", 100.0);
        });
    }

    /// What lines beside the multiples of the pitch say of a second source.
    void measuredRatios() {
        const IsolatedNote lone = longestIsolatedNote(profile_, reference_.seconds());
        if (!lone.note) return;
        const Note& note = lone.note->note;
        const Wave heard = waveOf(profile_.source.wave);
        for (const SourceRatio& found : sourceRatiosOf(reference_, note.start, note.end, hzOf(*lone.note))) {
            const Ratio ratio{1.0 * found.over, 1.0 * found.under, found.cents};
            switch (found.relation) {
            case SourceRatio::Relation::interval:
                for (Wave wave : {Wave::saw, Wave::pulse, Wave::sine})
                    add([&](Patch& patch) {
                        source(patch, firstSource, heard);
                        source(patch, secondSource, wave);
                        set(patch, {secondSource, "semitone"}, found.semitones);
                        set(patch, {secondSource, "level"}, -6.0);
                    });
                break;
            case SourceRatio::Relation::phaseModulation: phaseModulated(ratio); break;
            case SourceRatio::Relation::ringModulation:
                for (double amplitude : {0.0, 100.0}) multiplied(ratio, amplitude);
                break;
            }
        }
    }

    /// A level that stands while a note lasts.
    static Patch held(Patch patch) {
        set(patch, {firstLevelEnvelope, "hold"}, 0.0);
        set(patch, {firstLevelEnvelope, "sustain"}, 100.0);
        return patch;
    }

    /// What runs through the outline of the spectrum, behind the filter that follows from its mean, those that were
    /// measured as if nothing ran, or none. The motion that was measured of level, pitch and cutoff may be its own.
    void movingShapes(Wave heard) {
        const std::vector<SpectralEnvelopeMotion> found = spectralEnvelopeMotions(profile_, reference_, threads_);
        if (found.empty()) return;
        const CutoffFit mean = fitCutoff(longest_->partials, hzOfLongest(), TextbookWave::saw, 0.5);
        const std::function<void(Patch&)> behind[] = {
            [&](Patch& patch) {
                set(patch, {firstFilter, "slope"},
                    static_cast<double>(mean.poles == 2 ? FilterSlope::twoPole : FilterSlope::fourPole));
                if (isMeasured(mean.effectiveHz)) set(patch, {firstFilter, "cutoff"}, mean.effectiveHz);
                set(patch, {firstFilter, "envelope"}, 0.0);
            },
            [](Patch& patch) {
                set(patch, {firstFilter, "slope"}, static_cast<double>(FilterSlope::fourPole));
            },
            [](Patch& patch) {
                set(patch, {firstFilter, "slope"}, static_cast<double>(FilterSlope::twoPole));
            },
            [](Patch& patch) { open(patch); }};
        for (const SpectralEnvelopeMotion& motion : found)
            for (const auto& filtered : behind) {
                Patch patch = base_;
                try {
                    source(patch, firstSource, heard);
                    applySpectralEnvelopeMotion(patch, motion);
                    filtered(patch);
                } catch (const Error&) {
                    continue; // there is no room for it
                }
                const Patch moved = withMotion(profile_, patch);
                for (const Patch& each : {patch, held(patch)}) hypotheses_.push_back({structureText(each), each, true});
                if (moved != patch) hypotheses_.push_back({structureText(moved), moved, true});
            }
    }

    /// A filter that was seen to open while the longest note lasts, and to close again or not.
    void opening(Wave heard) {
        if (!longest_) return;
        const CutoffSweep rise = cutoffSweepOf(profile_.cutoffHz, longest_->note);
        if (!rise.found()) return;
        for (Wave wave : {heard, heard == Wave::saw ? Wave::pulse : Wave::saw})
            for (FilterSlope slope : {FilterSlope::fourPole, FilterSlope::twoPole})
                for (double resonance : {0.0, 12.0})
                    add([&](Patch& patch) {
                        source(patch, firstSource, wave);
                        set(patch, {firstFilter, "slope"}, static_cast<double>(slope));
                        set(patch, {firstFilter, "resonance"}, resonance);
                        set(patch, {firstFilter, "cutoff"}, rise.fromHz);
                        set(patch, {firstFilter, "envelope"}, 12.0 * rise.octaves);
                        set(patch, {firstFilterEnvelope, "attack"}, 1000.0 * rise.seconds);
                        set(patch, {firstFilterEnvelope, "sustain"}, 100.0 * rise.rests);
                        if (rise.fallSeconds > 0.0)
                            set(patch, {firstFilterEnvelope, "decay"},
                                1000.0 * rise.fallSeconds / SegmentCurve(5.0).timeConstantShare());
                    });
    }

    /// Pitches that only the first note shows to fall or rise into place: what rings on hides how the others begin.
    void begunOffPitch(Wave heard) {
        const OnsetSweep sweep = sweepOfFirst(profile_);
        if (isMeasured(sweepOfNotes(profile_).cents) || !isMeasured(sweep.cents)) return;
        for (Wave wave : {heard, Wave::saw, Wave::pulse, Wave::sine})
            for (bool filtered : {false, true})
                add(
                    [&](Patch& patch) {
                        source(patch, firstSource, wave);
                        if (!filtered) open(patch);
                        patch = withSweep(sweep, patch);
                    },
                    true);
    }

    /// Drums, whose pitch falls to the note: a plain body, driven or not, with or without a click.
    void struck() {
        if (!isMeasured(sweepOfNotes(profile_).cents)) return;
        for (double driveDb : {0.0, 6.0, 12.0})
            for (bool clicks : {false, true})
                add([&](Patch& patch) {
                    source(patch, firstSource, Wave::sine);
                    open(patch);
                    if (driveDb > 0.0) {
                        const std::string saturation = patch.freePath(ModuleKind::saturation);
                        patch.add(saturation);
                        set(patch, {saturation, "on"}, 1.0);
                        set(patch, {saturation, "drive"}, driveDb);
                    }
                    if (clicks) addDecayingLayer(patch, {Wave::noise, 0.0, -12.0, 15.0});
                });
    }

    void others() {
        for (bool swept : {false, true})
            add([&](Patch& patch) {
                source(patch, firstSource, Wave::saw);
                set(patch, {firstSource, "sync"}, static_cast<double>(Sync::itself));
                set(patch, {firstSource, "sync_ratio"}, 12.0);
                open(patch);
                if (!swept) return;
                const std::string envelope = patch.freePath(ModuleKind::envelope, firstLayer);
                patch.add(envelope);
                set(patch, {envelope, "attack"}, 600.0);
                set(patch, {envelope, "sustain"}, 100.0);
                addLink(patch, envelope, firstSource + "/sync_ratio", 10.0);
            });
        for (Wave wave : {waveOf(profile_.source.wave), Wave::triangle})
            add([&](Patch& patch) { // coarse numbers
                source(patch, firstSource, wave);
                open(patch);
                const std::string reduction = patch.freePath(ModuleKind::reduction);
                patch.add(reduction);
                set(patch, {reduction, "on"}, 1.0);
                set(patch, {reduction, "bits"}, 5.0);
                set(patch, {reduction, "rate"}, 12000.0);
            });
        for (const Ratio& ratio : {Ratio{7, 5}, {3, 2}}) multiplied(ratio, 0.0);
        for (FilterSlope slope : {FilterSlope::fourPole, FilterSlope::twoPole})
            add([&](Patch& patch) {
                source(patch, firstSource, Wave::noise);
                set(patch, {firstFilter, "slope"}, static_cast<double>(slope));
            });
        add([&](Patch& patch) {
            source(patch, firstSource, Wave::noise);
            set(patch, {firstFilter, "kind"}, static_cast<double>(FilterKind::bandPass));
            set(patch, {firstFilter, "resonance"}, 15.0);
            set(patch, {firstFilter, "key_tracking"}, 100.0);
            set(patch, {firstFilter, "envelope"}, 0.0);
            if (longest_) // at the note: the tracking leaves middle C where the cutoff says
                set(patch, {firstFilter, "cutoff"}, hzFromKey(60.0, profile_.tuningCents));
        });
        add([&](Patch& patch) {
            source(patch, firstSource, waveOf(profile_.source.wave));
            source(patch, secondSource, Wave::noise);
            set(patch, {secondSource, "level"},
                isMeasured(profile_.noise.harmonicToNoiseDb) ? -profile_.noise.harmonicToNoiseDb : -24.0);
        });
        add([&](Patch& patch) {
            source(patch, firstSource, Wave::saw);
            const std::string saturation = patch.freePath(ModuleKind::saturation);
            patch.add(saturation);
            set(patch, {saturation, "on"}, 1.0);
        });
    }

    const Profile& profile_;
    const Recording& reference_;
    const Patch base_;
    const int threads_;
    const SideComb* comb_;
    const ElementOdds& odds_;
    const NoteProfile* longest_ = nullptr;
    std::vector<Hypothesis> hypotheses_;
};

} // namespace

std::vector<Hypothesis> hypothesesFor(const Profile& profile, const Recording& reference48k, const Patch& start,
                                      int threads, const SideComb* comb, const ElementOdds& odds, bool stories,
                                      ElementOdds* afterwards) {
    ElementOdds known = odds;
    const std::vector<Hypothesis> all = Maker(profile, reference48k, start, threads, comb, odds).all(stories, known);
    if (afterwards) *afterwards = known;
    return all;
}

} // namespace facet
