// What is rendered beside the patch itself: other patches, weighed or heard, and the sound on its way.
#include "app/session/session.h"

#include "core/audio/attention.h"
#include "core/compare/sound_difference.h"
#include "core/audio/time_stretch.h"
#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/engine/render.h"
#include "core/parameters/relevance.h"

#include <cmath>

namespace facet {

quint64 Session::weigh(std::vector<Patch> patches) {
    const quint64 ticket = ++weighTicket_;
    const Cue* current = cue();
    if (!current || !current->excerpt() || current->excerpt()->corrected().notes.empty()) return ticket;
    weighing_.submit([this, ticket, patches = std::move(patches), weights = current->facetWeights,
                      played = current->excerpt()->corrected(), audio = current->excerpt()->audio,
                      attention = current->attentionTo(*current->excerpt()),
                      profile = results_.reference.profile](const Task& task) {
        const int threads = hardwareThreads();
        const Performance counted = attendedNotes(played, attention.leftOut);
        ProfilePtr reference = profile;
        for (std::size_t i = 0; i < patches.size(); ++i) {
            double likeness = 0.0;
            try {
                if (!reference)
                    reference = std::make_shared<const Profile>(measureProfile(
                        attended(*audio, attention), counted, {.source = nullptr, .threads = threads}, task));
                const Recording sound = attended(render(patches[i], played, task), attention);
                const Profile other =
                    measureProfile(sound, counted, {.source = &reference->source, .threads = threads}, task);
                likeness = compare(*reference, other, weights).likeness;
            } catch (const Cancelled&) {
                return;
            } catch (const Error&) {
                continue; // what cannot be measured is not told
            }
            post([this, ticket, i, likeness] {
                if (ticket == weighTicket_) emit weighed(ticket, static_cast<int>(i), likeness);
            });
        }
    });
    return ticket;
}

/// How alike the present render is to another realization of itself: no patch comes closer to a reference than that.
void Session::measureFloor() {
    const Cue* current = cue();
    if (!current || !current->excerpt() || !results_.render.profile) return;
    Performance other = current->excerpt()->corrected();
    ++other.seed;
    flooring_.submit([this, other, key = renderKey_, patch = current->patch, weights = current->facetWeights,
                      attention = current->attentionTo(*current->excerpt()), own = results_.render.profile,
                      reference = results_.reference.profile](const Task& task) {
        try {
            const Recording sound = attended(render(patch, other, task), attention);
            const Profile again = measureProfile(sound, attendedNotes(other, attention.leftOut),
                                                 {.source = &reference->source, .threads = 1}, task);
            const double floor = compare(*own, again, weights).likeness;
            post([this, key, floor] {
                if (key != renderKey_) return;
                results_.floor = floor;
                emit resultsChanged();
            });
        } catch (const Cancelled&) {
        } catch (const Error&) {} // told by the render itself
    });
}

void Session::stopWeighing() {
    ++weighTicket_;
    weighing_.cancel();
}

std::vector<Patch> Session::kindsOf(const Address& address) const {
    std::vector<Patch> patches;
    if (!cue() || !cue()->patch.has(address)) return patches;
    const auto& d = cue()->patch.descriptor(address);
    for (std::size_t i = 0; i < d.choices.size(); ++i) {
        patches.push_back(cue()->patch);
        patches.back().set(address, static_cast<double>(i));
    }
    return patches;
}

void Session::hearOther(const std::optional<Patch>& patch) {
    if (patch == other_) return;
    other_ = patch;
    hearRender();
}

void Session::hearDifference(bool on) {
    if (on == hearingDifference_) return;
    if (on) hearPiece(false);
    hearingDifference_ = on;
    ++differenceTurn_;
    if (on) {
        giveDifference();
    } else {
        hearReference();
        hearRender();
    }
    emit resultsChanged();
    emit playback_.changed();
}

/// From the sounds as they are heard otherwise: the excerpt and the render of the whole patch, at full speed.
void Session::giveDifference() {
    const Cue* current = cue();
    const RecordingPtr rendered = results_.render.recording;
    if (!hearingDifference_ || !referenceAtRate_ || !rendered || !current || !current->excerpt() || auditioning())
        return;
    const double gain = results_.reference.loudness - results_.render.loudness;
    differing_.submit([this, turn = ++differenceTurn_, reference = referenceAtRate_, rendered, gain,
                       attention = current->attentionTo(*current->excerpt()), slowness = playback_.slowness(),
                       rate = playback_.player().rateHz()](const Task& task) {
        try {
            SoundDifference parts = differenceBetween(attended(*reference, attention),
                                                      attended(atRate(*rendered, rate), attention), gain, task);
            const auto lacking = std::make_shared<const Recording>(stretched(parts.lacking, slowness, task));
            const auto excess = std::make_shared<const Recording>(stretched(parts.excess, slowness, task));
            post([this, turn, lacking, excess, gain] {
                if (turn != differenceTurn_ || !hearingDifference_) return;
                playback_.player().setSound(Side::reference, *lacking, 0.0);
                playback_.player().setSound(Side::render, *excess, gain);
            });
        } catch (const Cancelled&) {}
    });
}

void Session::wantStage(const std::string& path) {
    const Cue* current = cue();
    if (!current || !current->excerpt() || stages_.contains(path) || !stagesWanted_.insert(path).second) return;
    // Those that wait are read with it: a queue keeps the latest job only.
    std::vector<std::string> paths;
    for (const std::string& each : stagesWanted_)
        if (const auto* module = current->patch.find(each); module && dependsOnLevel(current->patch, *module))
            paths.push_back(each);
    staging_.submit([this, paths, turn = stageTurn_, patch = current->patch,
                     played = current->excerpt()->corrected()](const Task& task) {
        try {
            for (const std::string& each : paths) {
                const StageReading reading = readStage(patch, each, played, task);
                post([this, each, turn, reading] {
                    if (turn != stageTurn_) return;
                    stages_[each] = reading;
                    stagesWanted_.erase(each);
                    emit stageRead(QString::fromStdString(each));
                });
            }
        } catch (const Cancelled&) {
        } catch (const Error&) {} // what cannot be played is not told
    });
}

void Session::forgetBeside() {
    stopWeighing();
    dropMoves();
    other_.reset();
    match_.heard = -1;
    ++stageTurn_;
    staging_.cancel();
    probing_.cancel();
    unheardOf_.clear();
    unheard_.reset();
    stages_.clear();
    stagesWanted_.clear();
}

namespace {

/// Seconds of the phrase that are looked at, and how far below the sound a difference is lost.
constexpr double probedSeconds = 8.0, lostBelow = 1e-4;

/// A value clearly apart from the present one.
double otherValue(const ParameterDescriptor& d, double value) {
    if (d.isDiscrete()) return value < d.high ? value + 1.0 : value - 1.0;
    const double place = d.toUnit(value);
    return d.fromUnit(place < 0.5 ? place + 0.2 : place - 0.2);
}

double differenceOf(const Recording& a, const Recording& b) {
    double difference = 0.0, power = 0.0;
    for (std::size_t c = 0; c < a.channels.size(); ++c)
        for (std::size_t i = 0; i < a.channels[c].size(); ++i) {
            const double x = static_cast<double>(a.channels[c][i]), y = static_cast<double>(b.channels[c][i]);
            difference += (x - y) * (x - y);
            power += x * x;
        }
    return power > 0.0 ? std::sqrt(difference / power) : difference;
}

} // namespace

void Session::wantUnheard(const std::string& path) {
    const Cue* current = cue();
    if (!current || !current->excerpt() || unheardOf_ == path || !current->patch.find(path)) return;
    unheardOf_ = path;
    unheard_.reset();
    probing_.submit([this, path, turn = stageTurn_, patch = current->patch,
                     played = current->excerpt()->corrected()](const Task& task) {
        const Patch::Module& module = *patch.find(path);
        std::vector<Address> addresses;
        std::vector<Patch> patches{patch};
        for (const auto& d : parametersOf(module.kind)) {
            if (!matters(patch, module, d) || d.field == "on") continue;
            addresses.push_back({path, std::string(d.field)});
            patches.push_back(patch);
            patches.back().setNearest(addresses.back(), otherValue(d, patch.value(addresses.back())));
        }
        Performance probed = played;
        probed.frames = std::min(probed.frames, static_cast<int>(probedSeconds * probed.rateHz));
        try {
            const auto sounds = renderAt48k(patches, probed, task);
            std::set<Address> unheard;
            for (std::size_t i = 0; i < addresses.size(); ++i)
                if (differenceOf(sounds[0], sounds[i + 1]) < lostBelow) unheard.insert(addresses[i]);
            post([this, path, turn, unheard] {
                if (turn != stageTurn_ || path != unheardOf_) return;
                unheard_ = unheard;
                emit unheardFound(QString::fromStdString(path));
            });
        } catch (const Cancelled&) {
        } catch (const Error&) {} // what cannot be rendered is not told
    });
}

const std::set<Address>* Session::unheard(const std::string& path) const {
    return path == unheardOf_ && unheard_ ? &*unheard_ : nullptr;
}

const StageReading* Session::stage(const std::string& path) const {
    const auto found = stages_.find(path);
    return found == stages_.end() ? nullptr : &found->second;
}

} // namespace facet
